//! Is it better?

use axum::extract::State;
use serde::Serialize;
use upright_store::Person;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::progress::{FaultProgress, gather, own_error};

/// A person's faults over time.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ProgressView {
    /// Who.
    person: Person,
    /// Their faults, what needs work first.
    faults: Vec<FaultProgress>,
}

/// A person's faults over their takes.
#[utoipa::path(get, operation_id = "progress_read", path = "/api/people/{id}/progress", params(("id" = Uuid, Path)), responses(
    (status = 200, body = ProgressView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<ProgressView>, Problem> {
    let person = app.store().person(coach.studio, id).await?;
    let readings = app.store().readings(coach.studio, Some(id)).await?;
    Ok(Json(ProgressView {
        person,
        faults: gather(
            &super::corrections::rules(&app, &coach).await?,
            readings,
            &own_error(&app.store().remarks(coach.studio).await?),
        ),
    }))
}
