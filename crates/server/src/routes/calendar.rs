//! Everything with a date, on a page and as a file.

use axum::extract::State;
use axum::response::Response;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::calendar::{self, Dates, dates};
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::training::practice;

/// Looks, lessons and the evening.
#[utoipa::path(get, operation_id = "calendar_read", path = "/api/calendar", responses((status = 200, body = Dates)))]
pub async fn read(State(app): State<App>, coach: Coach) -> Result<Json<Dates>, Problem> {
    Ok(Json(dates(&app, coach.studio).await?))
}

/// The same as an iCalendar file.
#[utoipa::path(get, operation_id = "calendar_file", path = "/api/calendar/file",
    responses((status = 200, content_type = "text/calendar")))]
pub async fn file(State(app): State<App>, coach: Coach) -> Result<Response, Problem> {
    calendar::answer(&app, coach.studio, true).await
}

/// Somebody's practice week as an iCalendar file.
#[utoipa::path(get, operation_id = "calendar_practice", path = "/api/people/{id}/practice/file", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "text/calendar"), (status = 404, body = Problem)))]
pub async fn practice_file(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let person = app.store().person(coach.studio, id).await?;
    let today = jiff::Zoned::now().date();
    let found = practice(app.store(), coach.studio, &person, today).await?;
    let body = calendar::practice_file(id, &found.week);
    Ok(calendar::text(body, Some("practice")))
}
