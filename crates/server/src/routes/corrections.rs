//! Corrections and the looks that follow them.

use axum::extract::State;
use serde::Deserialize;
use upright_core::fault::fault;
use upright_store::{Correction, CorrectionChange};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::correct;
use crate::extract::{Json, Path, Version};
use crate::problem::Problem;

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
    let steps = fault(&now.fault).map_or(1, |f| f.ladder.len());
    if !(1..=steps as i32).contains(&input.drill_step) {
        return Err(Problem::invalid(format!(
            "This drill has the steps 1 to {steps}."
        )));
    }
    Ok(Json(
        app.store()
            .change_correction(coach.studio, id, version, &input)
            .await?,
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
