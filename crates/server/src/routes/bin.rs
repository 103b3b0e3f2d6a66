//! The bin, and erasing for good.

use axum::extract::State;
use axum::http::StatusCode;
use upright_store::{Binned, Erasing, Take};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::erase;
use crate::extract::{Json, Path};
use crate::problem::Problem;

/// Takes in the bin, newest first.
#[utoipa::path(get, operation_id = "bin_list", path = "/api/bin", responses((status = 200, body = [Binned])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<Binned>>, Problem> {
    Ok(Json(app.store().binned(coach.studio).await?))
}

/// Puts a take into the bin, where it can be taken back for thirty days.
#[utoipa::path(delete, operation_id = "takes_bin", path = "/api/takes/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn put(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.store().bin_take(coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a take out of the bin.
#[utoipa::path(post, operation_id = "bin_restore", path = "/api/bin/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = Take), (status = 404, body = Problem)))]
pub async fn restore(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Take>, Problem> {
    app.store().restore_take(coach.studio, id).await?;
    Ok(Json(app.store().take(coach.studio, id).await?))
}

/// Erases a take of the bin for good: films, landmarks, marks, corrections.
#[utoipa::path(delete, operation_id = "bin_erase", path = "/api/bin/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn erase_take(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    erase::take(&app, coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What would go with a person who is erased.
#[utoipa::path(get, operation_id = "people_erasing", path = "/api/people/{id}/erasing", params(("id" = Uuid, Path)),
    responses((status = 200, body = Erasing), (status = 404, body = Problem)))]
pub async fn erasing(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Erasing>, Problem> {
    Ok(Json(app.store().erasing(coach.studio, id).await?))
}

/// Erases a person for good, with every film that shows them.
#[utoipa::path(delete, operation_id = "people_erase", path = "/api/people/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn erase_person(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    erase::person(&app, coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}
