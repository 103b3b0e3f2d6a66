//! Couples.

use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use upright_core::fault::Choices;
use upright_store::{Couple, CoupleInput};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Version};
use crate::problem::Problem;
use crate::review;

fn checked(limit: Option<f64>) -> Result<(), Problem> {
    match limit {
        Some(l) if !(0.4..=2.5).contains(&l) => Err(Problem::invalid(
            "The distance at which the arms lose their shape lies between 40 and 250 cm.",
        )),
        _ => Ok(()),
    }
}

/// All couples.
#[utoipa::path(get, operation_id = "couples_list", path = "/api/couples", responses((status = 200, body = [Couple])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<Couple>>, Problem> {
    Ok(Json(app.store().couples(coach.studio).await?))
}

/// Makes a couple.
#[utoipa::path(post, operation_id = "couples_create", path = "/api/couples", request_body = CoupleInput, responses(
    (status = 201, body = Couple), (status = 404, body = Problem), (status = 409, body = Problem),
    (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<CoupleInput>,
) -> Result<(StatusCode, Json<Couple>), Problem> {
    checked(input.frame_limit)?;
    if input.leader_id == input.follower_id {
        return Err(Problem::invalid(
            "A couple is two people; choose a partner.",
        ));
    }
    let couple = app.store().create_couple(coach.studio, &input).await?;
    Ok((StatusCode::CREATED, Json(couple)))
}

/// A couple's own distance.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FrameLimit {
    /// Separation at which the arm shape goes, metres; absent to take it from arm lengths.
    frame_limit: Option<f64>,
}

/// Sets the frame limit and renews the measures of the couple's takes.
#[utoipa::path(put, operation_id = "couples_set_limit", path = "/api/couples/{id}/frame-limit", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = FrameLimit, responses((status = 200, body = Couple), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn set_limit(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<FrameLimit>,
) -> Result<Json<Couple>, Problem> {
    checked(input.frame_limit)?;
    let store = app.store();
    let couple = store
        .set_frame_limit(coach.studio, id, version, input.frame_limit)
        .await?;
    renew(&app, &coach, &couple).await?;
    Ok(Json(couple))
}

/// Judges the takes of who leads a couple again.
async fn renew(app: &App, coach: &Coach, couple: &Couple) -> Result<(), Problem> {
    let takes = app
        .store()
        .takes_of_person(coach.studio, couple.leader_id)
        .await?;
    for take in takes {
        review::renew(app, coach.studio, take).await?;
    }
    Ok(())
}

/// Sets a couple's schools, own bands and stage, and judges its takes again.
#[utoipa::path(put, operation_id = "couples_set_choices", path = "/api/couples/{id}/choices", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = Choices, responses((status = 200, body = Couple), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn set_choices(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<Choices>,
) -> Result<Json<Couple>, Problem> {
    let problems = input.problems(&super::corrections::rules(&app, &coach).await?);
    if !problems.is_empty() {
        return Err(Problem::invalid(problems.join(" ")));
    }
    let couple = app
        .store()
        .set_choices(coach.studio, id, version, &input)
        .await?;
    renew(&app, &coach, &couple).await?;
    Ok(Json(couple))
}
