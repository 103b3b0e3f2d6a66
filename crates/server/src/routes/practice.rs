//! Practice between lessons: the week, the minutes for it, how it went.

use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use upright_core::plan::How;
use upright_store::{Store, StudioId};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::sheet::{Sheet, sheet};
use crate::training::{PracticePlan, practice};

/// Most minutes a day.
const MOST: u16 = 240;

/// Days back for which a practice may be reported.
const BACK: i32 = 14;

/// Somebody's practice for the seven days from today.
#[utoipa::path(get, operation_id = "practice_read", path = "/api/people/{id}/practice", params(("id" = Uuid, Path)),
    responses((status = 200, body = PracticePlan), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<PracticePlan>, Problem> {
    let person = app.store().person(coach.studio, id).await?;
    let today = jiff::Zoned::now().date();
    Ok(Json(
        practice(app.store(), coach.studio, &person, today).await?,
    ))
}

/// Minutes from Monday to Sunday.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PracticeTime {
    /// Minutes of each day, 0 to 240.
    minutes: [u16; 7],
}

/// Says how many minutes somebody has on each day.
#[utoipa::path(put, operation_id = "practice_time", path = "/api/people/{id}/practice-time", params(("id" = Uuid, Path)),
    request_body = PracticeTime, responses((status = 200, body = PracticePlan), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn time(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<PracticeTime>,
) -> Result<Json<PracticePlan>, Problem> {
    if input.minutes.iter().any(|m| *m > MOST) {
        return Err(Problem::invalid(format!(
            "A day holds 0 to {MOST} minutes."
        )));
    }
    app.store()
        .set_practice_time(coach.studio, id, input.minutes)
        .await?;
    read(State(app), coach, Path(id)).await
}

/// How a practice went.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PracticeSaid {
    /// How it went.
    how: How,
    /// When; today where it is not said.
    #[serde(default)]
    #[schema(value_type = Option<String>, format = Date)]
    on: Option<jiff::civil::Date>,
}

/// Keeps a report of today or of the last two weeks.
pub(super) async fn keep(
    store: &Store,
    studio: StudioId,
    correction: Uuid,
    report: PracticeSaid,
) -> Result<(), Problem> {
    let today = jiff::Zoned::now().date();
    let on = report.on.unwrap_or(today);
    if on > today || (today - on).get_days() > BACK {
        return Err(Problem::invalid(
            "PracticeSaid practice of today or of the last two weeks.",
        ));
    }
    Ok(store
        .report_practice(studio, correction, on, report.how)
        .await?)
}

/// Reports a practice for the student.
#[utoipa::path(post, operation_id = "practice_report", path = "/api/corrections/{id}/practice", params(("id" = Uuid, Path)),
    request_body = PracticeSaid, responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn report(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<PracticeSaid>,
) -> Result<StatusCode, Problem> {
    app.store().correction(coach.studio, id).await?;
    keep(app.store(), coach.studio, id, input).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What the coach says of a correction's practice.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PracticeChoice {
    /// Part of the weeks.
    #[serde(default)]
    practised: Option<bool>,
    /// What hurt was spoken about: it may go on.
    #[serde(default)]
    cleared: bool,
}

/// Takes a correction into the practice weeks or out of them, or lets it go on after it hurt.
#[utoipa::path(put, operation_id = "practice_choose", path = "/api/corrections/{id}/practice", params(("id" = Uuid, Path)),
    request_body = PracticeChoice, responses((status = 204), (status = 404, body = Problem)))]
pub async fn choose(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<PracticeChoice>,
) -> Result<StatusCode, Problem> {
    app.store().correction(coach.studio, id).await?;
    if let Some(practised) = input.practised {
        app.store()
            .set_practised(coach.studio, id, practised)
            .await?;
    }
    if input.cleared {
        app.store().clear_practice(coach.studio, id).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Somebody's sheet, as the student sees it.
#[utoipa::path(get, operation_id = "practice_sheet", path = "/api/people/{id}/sheet", params(("id" = Uuid, Path)),
    responses((status = 200, body = Sheet), (status = 404, body = Problem)))]
pub async fn student_sheet(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Sheet>, Problem> {
    let today = jiff::Zoned::now().date();
    Ok(Json(sheet(&app, coach.studio, id, today).await?))
}
