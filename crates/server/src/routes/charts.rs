//! Figures: the library, the studio's own, their checks, import and export; and the fault catalogue.

use axum::extract::State;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use upright_core::chart::scaled::{Scaled, for_couple, solo};
use upright_core::chart::{Draft, charts, exchange, notation};
use upright_core::units::Role;
use upright_store::{OwnChart, StoreError};

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query, Version};
use crate::problem::Problem;
use crate::review;
use crate::shelf::{self, ChartCard, ChartProblem, Checked, Sketch, card, checked, own_card};

/// Longest text of one figure, letters.
const MOST_TEXT: usize = 50_000;

/// Most figures that one import adds.
const MOST_IMPORTED: usize = 200;

/// A figure with its text and everything that follows from it.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ChartView {
    /// What lists show.
    card: ChartCard,
    /// In the text notation.
    text: String,
    /// Laid out, as far as it can be.
    sketch: Option<Sketch>,
    /// What the checks say.
    problems: Vec<ChartProblem>,
    /// Version of an own figure.
    version: Option<i32>,
}

/// A figure's text.
#[derive(Debug, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ChartText {
    /// In the text notation.
    text: String,
}

fn bounded(text: &str) -> Result<(), Problem> {
    if text.chars().count() > MOST_TEXT {
        return Err(Problem::invalid(format!(
            "A figure's text holds at most {MOST_TEXT} letters."
        )));
    }
    Ok(())
}

fn view(own: OwnChart) -> ChartView {
    let card = own_card(&own);
    let c = checked(&own.text);
    ChartView {
        card,
        sketch: c.sketch,
        problems: c.problems,
        version: Some(own.version),
        text: own.text,
    }
}

/// The figure's short name in a text, refused when it cannot be one.
fn id_of(text: &str) -> Result<String, Problem> {
    let read = notation::read(text);
    let Some(w) = read.figures.first() else {
        return Err(Problem::invalid(
            "Begin the text with a line “figure name: Title”.",
        ));
    };
    let id = w.draft.id.clone();
    let usable = (2..=48).contains(&id.len())
        && id
            .bytes()
            .all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-');
    if !usable {
        return Err(Problem::invalid(format!(
            "“{id}” is no short name. Use small letters a to z, digits and dashes, for example side-basic."
        )));
    }
    if charts().iter().any(|c| c.id == id) {
        return Err(Problem::invalid(format!(
            "“{id}” is a figure of the library. Choose another short name."
        )));
    }
    Ok(id)
}

/// The library and the studio's own figures.
#[utoipa::path(get, operation_id = "charts_list", path = "/api/charts", responses((status = 200, body = [ChartCard])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<ChartCard>>, Problem> {
    let own = app.store().own_charts(coach.studio).await?;
    let all = tokio::task::spawn_blocking(move || {
        let shipped = charts().iter().map(|c| card(c, false));
        shipped.chain(own.iter().map(own_card)).collect()
    });
    Ok(Json(all.await.map_err(|e| Problem::internal(&e))?))
}

/// One figure.
#[utoipa::path(get, operation_id = "charts_read", path = "/api/charts/{id}", params(("id" = String, Path)), responses(
    (status = 200, body = ChartView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
) -> Result<Json<ChartView>, Problem> {
    if let Some(c) = upright_core::chart::chart(&id) {
        let text = notation::print(c.draft());
        let found = checked(&text);
        return Ok(Json(ChartView {
            card: card(c, false),
            sketch: found.sketch,
            problems: found.problems,
            version: None,
            text,
        }));
    }
    Ok(Json(view(app.store().own_chart(coach.studio, &id).await?)))
}

/// Checks a text without keeping it.
#[utoipa::path(post, operation_id = "charts_check", path = "/api/charts/check", request_body = ChartText, responses(
    (status = 200, body = Checked), (status = 422, body = Problem)))]
pub async fn check(_: Coach, Json(input): Json<ChartText>) -> Result<Json<Checked>, Problem> {
    bounded(&input.text)?;
    let done = tokio::task::spawn_blocking(move || checked(&input.text)).await;
    Ok(Json(done.map_err(|e| Problem::internal(&e))?))
}

/// Writes a draft in the text notation without keeping it.
#[utoipa::path(post, operation_id = "charts_write", path = "/api/charts/write", request_body = Draft, responses(
    (status = 200, body = ChartText), (status = 400, body = Problem), (status = 422, body = Problem)))]
pub async fn write(_: Coach, Json(draft): Json<Draft>) -> Result<Json<ChartText>, Problem> {
    let text = notation::print(&draft);
    bounded(&text)?;
    Ok(Json(ChartText { text }))
}

/// Keeps a new own figure, mistakes or not.
#[utoipa::path(post, operation_id = "charts_create", path = "/api/charts", request_body = ChartText, responses(
    (status = 201, body = ChartView), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<ChartText>,
) -> Result<(StatusCode, Json<ChartView>), Problem> {
    bounded(&input.text)?;
    let id = id_of(&input.text)?;
    let store = app.store();
    store
        .add_own_charts(coach.studio, &[(id.clone(), input.text)])
        .await?;
    let kept = store.own_chart(coach.studio, &id).await?;
    Ok((StatusCode::CREATED, Json(view(kept))))
}

/// Keeps the text of an own figure and renews the takes that dance it.
#[utoipa::path(put, operation_id = "charts_save", path = "/api/charts/{id}", params(("id" = String, Path), ("If-Match" = String, Header)),
    request_body = ChartText, responses((status = 200, body = ChartView), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn save(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
    Version(version): Version,
    Json(input): Json<ChartText>,
) -> Result<Json<ChartView>, Problem> {
    bounded(&input.text)?;
    if id_of(&input.text)? != id {
        return Err(Problem::invalid(format!(
            "The short name stays {id}, since takes and routines know the figure by it. Duplicate it for another name."
        )));
    }
    let store = app.store();
    let kept = store
        .save_own_chart(coach.studio, &id, version, &input.text)
        .await?;
    for take in store.takes_of_chart(coach.studio, &id).await? {
        review::renew(&app, coach.studio, take).await?;
    }
    Ok(Json(view(kept)))
}

/// Takes an own figure away that no take dances.
#[utoipa::path(delete, operation_id = "charts_remove", path = "/api/charts/{id}", params(("id" = String, Path), ("If-Match" = String, Header)),
    responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem), (status = 412, body = Problem)))]
pub async fn remove(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
    Version(version): Version,
) -> Result<StatusCode, Problem> {
    app.store()
        .remove_own_chart(coach.studio, &id, version)
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A document to import: text notation or JSON.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Import {
    /// The document.
    document: String,
}

/// What an import added.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Imported {
    /// Short names of the figures that are kept now.
    ids: Vec<String>,
}

/// Adds the figures of a document: all of them or none. Figures with broken rules are added, to be
/// mended in the editor; a document that cannot be read is not.
#[utoipa::path(post, operation_id = "charts_import", path = "/api/charts/import", request_body = Import, responses(
    (status = 201, body = Imported), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn import(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<Import>,
) -> Result<(StatusCode, Json<Imported>), Problem> {
    let drafts = drafts_of(&input.document)?;
    if drafts.is_empty() || drafts.len() > MOST_IMPORTED {
        return Err(Problem::invalid(format!(
            "An import adds 1 to {MOST_IMPORTED} figures; this document has {}.",
            drafts.len()
        )));
    }
    let mut rows = Vec::with_capacity(drafts.len());
    for d in &drafts {
        let text = notation::print(d);
        bounded(&text)?;
        rows.push((id_of(&text)?, text));
    }
    app.store()
        .add_own_charts(coach.studio, &rows)
        .await
        .map_err(|e| match e {
            StoreError::Exists(_) => Problem::exists(
                "One of these short names is there already. Nothing was added; rename it in the document.",
            ),
            e => e.into(),
        })?;
    let ids = rows.into_iter().map(|r| r.0).collect();
    Ok((StatusCode::CREATED, Json(Imported { ids })))
}

fn drafts_of(document: &str) -> Result<Vec<Draft>, Problem> {
    if document.trim_start().starts_with('{') {
        return exchange::read(document).map_err(|e| Problem::invalid(e.to_string()));
    }
    let read = notation::read(document);
    match read.errors.first() {
        Some(e) => Err(Problem::invalid(e.to_string())),
        None => Ok(read.figures.into_iter().map(|w| w.draft).collect()),
    }
}

/// How a figure is exported.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Export {
    /// `text` or `json`.
    form: String,
}

/// A figure as a file.
#[utoipa::path(get, operation_id = "charts_export", path = "/api/charts/{id}/document", params(("id" = String, Path), Export), responses(
    (status = 200, body = String, content_type = "application/octet-stream"), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn export(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
    Query(export): Query<Export>,
) -> Result<Response, Problem> {
    let text = match upright_core::chart::chart(&id) {
        Some(c) => notation::print(c.draft()),
        None => app.store().own_chart(coach.studio, &id).await?.text,
    };
    let (body, kind, end) = match export.form.as_str() {
        "text" => (text, "text/plain; charset=utf-8", "chart"),
        "json" => (
            exchange::write(&drafts_of(&text)?),
            "application/json",
            "json",
        ),
        _ => return Err(Problem::invalid("Export as text or as json.")),
    };
    let mut response = body.into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(kind));
    if let Ok(name) = HeaderValue::from_str(&format!("attachment; filename=\"{id}.{end}\"")) {
        headers.insert(header::CONTENT_DISPOSITION, name);
    }
    Ok(response)
}

/// For whom a figure is scaled: a couple's heights, or one role's own.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Sizes {
    /// Leader's height, metres.
    leader: Option<f64>,
    /// Follower's height, metres.
    follower: Option<f64>,
    /// With the turns of the second stage.
    #[serde(default)]
    second: bool,
}

/// A figure in somebody's own lengths: with both heights for the couple, with one for that role alone.
#[utoipa::path(get, operation_id = "charts_scaled", path = "/api/charts/{id}/scaled", params(("id" = String, Path), Sizes), responses(
    (status = 200, body = Scaled), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn scaled(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
    Query(sizes): Query<Sizes>,
) -> Result<Json<Scaled>, Problem> {
    let heights = [sizes.leader, sizes.follower];
    if heights.iter().flatten().any(|h| !(1.0..=2.3).contains(h)) {
        return Err(Problem::invalid("A height lies between 100 and 230 cm."));
    }
    let shelf = shelf::shelf(app.store(), coach.studio).await?;
    let chart = shelf.get(&id).ok_or_else(Problem::not_found)?;
    let done = match heights {
        [Some(l), Some(f)] => for_couple(chart, [l, f], sizes.second),
        [Some(l), None] => solo(chart, Role::Leader, l),
        [None, Some(f)] => solo(chart, Role::Follower, f),
        [None, None] => return Err(Problem::invalid("Give at least one height.")),
    };
    Ok(Json(done))
}
