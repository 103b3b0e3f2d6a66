//! What a private address opens, without signing in: one student's sheet, or the studio's calendar.

use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Response;
use axum_extra::TypedHeader;
use axum_extra::headers::Range;
use upright_store::{Correction, LinkKind, StudioId};
use uuid::Uuid;

use super::clips::ranged;
use super::practice::{PracticeSaid, keep};
use crate::App;
use crate::calendar;
use crate::extract::{Json, Path};
use crate::picture::{Picture, picture};
use crate::problem::Problem;
use crate::sheet::{Sheet, sheet};

/// Whose sheet a token opens.
async fn opened(app: &App, token: &str) -> Result<(StudioId, Uuid), Problem> {
    let found = app.store().open_link(LinkKind::Sheet, token).await;
    let link = found.map_err(|_| Problem::closed())?;
    let person = link.person_id.ok_or_else(Problem::closed)?;
    Ok((StudioId(link.studio_id), person))
}

/// A correction that belongs on the opened sheet.
async fn on_sheet(app: &App, token: &str, id: Uuid) -> Result<(StudioId, Correction), Problem> {
    let (studio, person) = opened(app, token).await?;
    let correction = app.store().correction(studio, id).await?;
    if correction.person_id != person || !correction.practised {
        return Err(Problem::not_found());
    }
    Ok((studio, correction))
}

/// A student's sheet.
#[utoipa::path(get, operation_id = "shared_sheet", path = "/api/shared/sheet/{token}", params(("token" = String, Path)),
    responses((status = 200, body = Sheet), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    Path(token): Path<String>,
) -> Result<Json<Sheet>, Problem> {
    let (studio, person) = opened(&app, &token).await?;
    let today = jiff::Zoned::now().date();
    Ok(Json(sheet(&app, studio, person, today).await?))
}

/// Says how a practice went.
#[utoipa::path(post, operation_id = "shared_report", path = "/api/shared/sheet/{token}/things/{id}",
    params(("token" = String, Path), ("id" = Uuid, Path)), request_body = PracticeSaid,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn report(
    State(app): State<App>,
    Path((token, id)): Path<(String, Uuid)>,
    Json(input): Json<PracticeSaid>,
) -> Result<StatusCode, Problem> {
    let (studio, correction) = on_sheet(&app, &token, id).await?;
    keep(app.store(), studio, correction.id, input).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The still of a correction.
#[utoipa::path(get, operation_id = "shared_still", path = "/api/shared/sheet/{token}/things/{id}/still",
    params(("token" = String, Path), ("id" = Uuid, Path)),
    responses((status = 200, content_type = "image/jpeg"), (status = 404, body = Problem)))]
pub async fn still(
    State(app): State<App>,
    Path((token, id)): Path<(String, Uuid)>,
) -> Result<Response, Problem> {
    let (studio, correction) = on_sheet(&app, &token, id).await?;
    let key = picture(&app, studio, &correction, Picture::Still).await?;
    ranged(&app, &key, "image/jpeg", None).await
}

/// The few counts that show a correction.
#[utoipa::path(get, operation_id = "shared_span", path = "/api/shared/sheet/{token}/things/{id}/clip",
    params(("token" = String, Path), ("id" = Uuid, Path)), responses((status = 200, content_type = "video/mp4"),
    (status = 206, content_type = "video/mp4"), (status = 404, body = Problem), (status = 416, body = Problem)))]
pub async fn span(
    State(app): State<App>,
    Path((token, id)): Path<(String, Uuid)>,
    range: Option<TypedHeader<Range>>,
) -> Result<Response, Problem> {
    let (studio, correction) = on_sheet(&app, &token, id).await?;
    let key = picture(&app, studio, &correction, Picture::Span).await?;
    ranged(&app, &key, "video/mp4", range.map(|TypedHeader(r)| r)).await
}

/// The studio's calendar, to be subscribed to.
#[utoipa::path(get, operation_id = "shared_calendar", path = "/api/shared/calendar/{token}", params(("token" = String, Path)),
    responses((status = 200, content_type = "text/calendar"), (status = 404, body = Problem)))]
pub async fn feed(State(app): State<App>, Path(token): Path<String>) -> Result<Response, Problem> {
    let found = app.store().open_link(LinkKind::Calendar, &token).await;
    let link = found.map_err(|_| Problem::closed())?;
    calendar::answer(&app, StudioId(link.studio_id), false).await
}
