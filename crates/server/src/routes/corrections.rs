//! Corrections and the looks that follow them.

use axum::extract::State;
use axum::response::Response;
use axum_extra::TypedHeader;
use axum_extra::headers::Range;
use serde::{Deserialize, Serialize};
use upright_core::fault::Rules;
use upright_core::units::Role;
use upright_store::{Correction, CorrectionChange, CorrectionWas, LogFilter};
use uuid::Uuid;

use super::clips::ranged;
use crate::App;
use crate::auth::Coach;
use crate::correct;
use crate::extract::{Json, Path, Query, Version};
use crate::picture::{Picture, picture};
use crate::problem::Problem;
use crate::{review, shelf};

/// Changes what a correction says, its drill step and its date.
#[utoipa::path(put, operation_id = "corrections_change", path = "/api/corrections/{id}", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = CorrectionChange, responses((status = 200, body = Correction), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn change(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<CorrectionChange>,
) -> Result<Json<Correction>, Problem> {
    let now = app.store().correction(coach.studio, id).await?;
    let words = |t: &str| (1..=1000).contains(&t.trim().chars().count());
    if !words(&input.cue) || !words(&input.drill) {
        return Err(Problem::invalid("Cue and drill hold 1 to 1000 letters."));
    }
    let rules = rules(&app, &coach).await?;
    let steps = rules.entry(&now.fault).map_or(1, |f| f.ladder.len());
    if !(1..=steps as i32).contains(&input.drill_step) {
        return Err(Problem::invalid(format!(
            "This drill has the steps 1 to {steps}."
        )));
    }
    Ok(Json(
        app.store()
            .change_correction(coach.studio, id, version, Some(coach.account), &input)
            .await?,
    ))
}

/// The catalogue with the studio's own entries.
pub(super) async fn rules(app: &App, coach: &Coach) -> Result<Rules, Problem> {
    review::rules(app.store(), coach.studio).await
}

/// What a correction said before each of its changes, oldest first.
#[utoipa::path(get, operation_id = "corrections_history", path = "/api/corrections/{id}/history", params(("id" = Uuid, Path)),
    responses((status = 200, body = [CorrectionWas]), (status = 404, body = Problem)))]
pub async fn history(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<CorrectionWas>>, Problem> {
    app.store().correction(coach.studio, id).await?;
    Ok(Json(
        app.store().correction_history(coach.studio, id).await?,
    ))
}

/// What of the log is asked for.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct LogQuery {
    /// Words of a cue, a drill, a target, a caution or a fault's name.
    #[serde(default)]
    q: String,
    /// In which role.
    #[param(inline)]
    role: Option<Role>,
    /// Whose.
    person: Option<Uuid>,
    /// Of which couple.
    couple: Option<Uuid>,
    /// Area of the fault.
    area: Option<String>,
    /// Dance of the figure.
    dance: Option<String>,
    /// Figure.
    chart: Option<String>,
    /// Where it stands.
    #[param(inline)]
    state: Option<LogState>,
}

/// Where a logged correction stands, by the looks that followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LogState {
    /// Not looked at again yet.
    New,
    /// Looked at, and not fine twice yet.
    Working,
    /// Fine in two looks or more.
    Holding,
}

/// A correction with what its fault and figure are called.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Logged {
    /// The correction.
    #[serde(flatten)]
    correction: Correction,
    /// The fault's name.
    name: String,
    /// The fault's area.
    area: String,
    /// The figure's name.
    figure: String,
    /// Its dance.
    dance: String,
    /// Where it stands.
    state: LogState,
}

fn state(c: &Correction) -> LogState {
    match (c.looks, c.fine_looks) {
        (0, _) => LogState::New,
        (_, fine) if fine >= 2 => LogState::Holding,
        _ => LogState::Working,
    }
}

/// The log of corrections, newest first.
#[utoipa::path(get, operation_id = "corrections_log", path = "/api/log", params(LogQuery),
    responses((status = 200, body = [Logged]), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn log(
    State(app): State<App>,
    coach: Coach,
    Query(query): Query<LogQuery>,
) -> Result<Json<Vec<Logged>>, Problem> {
    let store = app.store();
    let rules = rules(&app, &coach).await?;
    let words = Some(query.q.trim().to_owned()).filter(|q| !q.is_empty());
    if words.as_ref().is_some_and(|w| w.chars().count() > 200) {
        return Err(Problem::invalid("Search for at most 200 letters."));
    }
    let wanted = words.as_ref().map(|w| w.to_lowercase());
    let faults = rules
        .entries()
        .filter(|f| {
            wanted
                .as_ref()
                .is_some_and(|w| f.name.to_lowercase().contains(w))
        })
        .map(|f| f.id.clone())
        .collect();
    let people = match query.couple {
        Some(id) => {
            let c = store.couple(coach.studio, id).await?;
            vec![c.leader_id, c.follower_id]
        }
        None => Vec::new(),
    };
    let filter = LogFilter {
        id: None,
        person: query.person,
        people,
        role: query.role,
        words,
        faults,
    };
    let shelf = shelf::shelf(store, coach.studio).await?;
    let all = store.log(coach.studio, &filter).await?;
    let named = all.into_iter().map(|correction| {
        let fault = rules.entry(&correction.fault);
        let chart = shelf.get(&correction.chart);
        Logged {
            name: fault.map_or_else(|| correction.fault.clone(), |f| f.name.clone()),
            area: fault.map_or_else(String::new, |f| f.area.clone()),
            figure: chart.map_or_else(|| correction.chart.clone(), |c| c.name.clone()),
            dance: chart.map_or_else(String::new, |c| c.dance.clone()),
            state: state(&correction),
            correction,
        }
    });
    let asked = |wanted: &Option<String>, is: &String| wanted.as_ref().is_none_or(|w| w == is);
    Ok(Json(
        named
            .filter(|l| asked(&query.area, &l.area) && asked(&query.dance, &l.dance))
            .filter(|l| asked(&query.chart, &l.correction.chart))
            .filter(|l| query.state.is_none_or(|s| s == l.state))
            .collect(),
    ))
}

/// What a look found.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Look {
    /// Fine.
    fine: bool,
}

/// Notes a look and sets the date of the next one.
#[utoipa::path(post, operation_id = "corrections_look", path = "/api/corrections/{id}/looks", params(("id" = Uuid, Path)), request_body = Look,
    responses((status = 200, body = Correction), (status = 404, body = Problem)))]
pub async fn look(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<Look>,
) -> Result<Json<Correction>, Problem> {
    let today = jiff::Zoned::now().date();
    let found = correct::look(app.store(), coach.studio, id, today, input.fine).await?;
    Ok(Json(found))
}

/// The still of a correction.
#[utoipa::path(get, operation_id = "corrections_still", path = "/api/corrections/{id}/still", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "image/jpeg"), (status = 404, body = Problem)))]
pub async fn still(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let correction = app.store().correction(coach.studio, id).await?;
    let key = picture(&app, coach.studio, &correction, Picture::Still).await?;
    ranged(&app, &key, "image/jpeg", None).await
}

/// The few counts that show a correction.
#[utoipa::path(get, operation_id = "corrections_span", path = "/api/corrections/{id}/clip", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "video/mp4"), (status = 206, content_type = "video/mp4"),
    (status = 404, body = Problem), (status = 416, body = Problem)))]
pub async fn span(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    range: Option<TypedHeader<Range>>,
) -> Result<Response, Problem> {
    let correction = app.store().correction(coach.studio, id).await?;
    let key = picture(&app, coach.studio, &correction, Picture::Span).await?;
    ranged(&app, &key, "video/mp4", range.map(|TypedHeader(r)| r)).await
}
