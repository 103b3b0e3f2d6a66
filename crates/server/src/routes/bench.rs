//! Marks of a take and what follows from them.

use axum::extract::State;
use axum::http::header::ETAG;
use axum::response::{IntoResponse as _, Response};
use serde::{Deserialize, Serialize};
use upright_core::analyse::Analysis;
use upright_core::fault::touched;
use upright_core::marks::{Entry, Marks};
use upright_core::space::Space;
use upright_core::take::adviser::Views;
use upright_core::units::Role;
use upright_store::Decision;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query, Version};
use crate::problem::Problem;
use crate::review::{self, Review};

/// Everything the Bench shows of a take.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct BenchView {
    /// Number of the last entry in the log of marks; the version to send with changes.
    pub version: i32,
    /// What is marked.
    pub marks: Marks,
    /// What follows.
    pub analysis: Analysis,
    /// Whether there is a change to take back.
    pub can_undo: bool,
    /// Whether there is one to bring back.
    pub can_redo: bool,
    /// What the coach has decided.
    pub decisions: Vec<Decision>,
    /// Where a dancer's caution note meets the figure or a fault's drill.
    pub cautions: Vec<CautionView>,
    /// How many repetitions the analysis is of, where it is a first look at a long take whose rest is still to be
    /// worked out.
    pub beginning: Option<u32>,
}

/// How much of a take is looked at.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct Look {
    /// Of a long take that was not worked out yet only the first repetitions, at once.
    #[serde(default)]
    first: bool,
}

/// A dancer's caution note that the figure or a fault's drill touches.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct CautionView {
    /// Whose.
    role: Role,
    /// Name.
    person: String,
    /// The note.
    note: String,
    /// The figure can touch it.
    figure: bool,
    /// Faults whose drill can.
    faults: Vec<String>,
}

/// Cautions of both dancers of a take.
async fn cautions(app: &App, coach: &Coach, r: &Review) -> Result<Vec<CautionView>, Problem> {
    let mut out = Vec::new();
    for (role, id) in [
        (Role::Leader, r.take.leader_id),
        (Role::Follower, r.take.follower_id),
    ] {
        let person = app.store().person(coach.studio, id).await?;
        let meets = |text: &str| !touched(&person.note, text).is_empty();
        let figure = r.chart.as_ref().is_some_and(|c| meets(&c.caution));
        let faults: Vec<String> = r
            .rules
            .entries()
            .filter(|f| f.caution.as_deref().is_some_and(meets))
            .map(|f| f.id.clone())
            .collect();
        if figure || !faults.is_empty() {
            out.push(CautionView {
                role,
                person: person.name,
                note: person.note,
                figure,
                faults,
            });
        }
    }
    Ok(out)
}

/// Changes of marks.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MarkRequest {
    /// Carried out in order, all or none.
    entries: Vec<Entry>,
}

pub(super) async fn view(app: &App, coach: &Coach, r: Review) -> Result<Response, Problem> {
    let decisions = app.store().decisions(coach.studio, r.take.id).await?;
    let cautions = cautions(app, coach, &r).await?;
    let tag = format!("\"{}\"", r.version);
    let view = BenchView {
        version: r.version,
        marks: r.history.marks().clone(),
        can_undo: r.history.can_undo(),
        can_redo: r.history.can_redo(),
        analysis: r.analysis,
        decisions,
        cautions,
        beginning: r.beginning,
    };
    Ok(([(ETAG, tag)], Json(view)).into_response())
}

/// Marks, analysis and decisions of a take.
#[utoipa::path(get, operation_id = "bench_read", path = "/api/takes/{id}/bench", params(("id" = Uuid, Path), Look), responses(
    (status = 200, body = BenchView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(look): Query<Look>,
) -> Result<Response, Problem> {
    let r = if look.first {
        review::first_look(&app, coach.studio, id).await?
    } else {
        review::review(&app, coach.studio, id).await?
    };
    view(&app, &coach, r).await
}

/// Both dancers in space.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct SpaceView {
    /// Number of the last entry in the log of marks that it follows from.
    version: i32,
    /// Bodies and numbers.
    space: Space,
}

/// Both dancers' bodies in space at the counts at which they are marked, and what is read from them.
/// Takes a moment longer than the rest.
#[utoipa::path(get, operation_id = "bench_space", path = "/api/takes/{id}/space", params(("id" = Uuid, Path)), responses(
    (status = 200, body = SpaceView), (status = 404, body = Problem)))]
pub async fn space(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<SpaceView>, Problem> {
    let (version, space) = review::in_space(&app, coach.studio, id).await?;
    Ok(Json(SpaceView { version, space }))
}

/// What other places for the phone, or a second one, would tell of this couple. Nothing need be marked yet.
#[utoipa::path(get, operation_id = "bench_views", path = "/api/takes/{id}/views", params(("id" = Uuid, Path)), responses(
    (status = 200, body = Views), (status = 404, body = Problem)))]
pub async fn views(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Views>, Problem> {
    Ok(Json(review::spots(&app, coach.studio, id).await?))
}

/// Changes marks that are still at the given version.
#[utoipa::path(post, operation_id = "bench_mark", path = "/api/takes/{id}/marks", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = MarkRequest, responses((status = 200, body = BenchView), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn mark(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<MarkRequest>,
) -> Result<Response, Problem> {
    let account = Some(coach.account);
    let r = review::mark(&app, coach.studio, account, id, version, input.entries).await?;
    view(&app, &coach, r).await
}
