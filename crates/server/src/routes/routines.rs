//! Routines.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use upright_core::chart::Shelf;
use upright_core::routine::{Report, Routine, report};
use upright_store::KeptRoutine;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Version};
use crate::problem::Problem;
use crate::shelf::shelf;

/// A routine with what the checks say of it.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct RoutineView {
    /// As it is kept.
    routine: KeptRoutine,
    /// Laid over its music and floor; absent when a figure is gone.
    report: Option<Report>,
    /// Why there is no report.
    trouble: Option<String>,
}

/// What a coach enters of a routine.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RoutineInput {
    /// Its name.
    name: String,
    /// Figures, music and floor.
    plan: Routine,
}

/// A routine to be made.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRoutine {
    /// Its name.
    name: String,
    /// Figures, music and floor; without them an empty one on a usual floor.
    #[serde(default)]
    plan: Option<Routine>,
}

impl RoutineInput {
    /// With its name trimmed, when everything lies in its range.
    fn checked(mut self) -> Result<Self, Problem> {
        self.name = self.name.trim().to_owned();
        if self.name.is_empty() || self.name.chars().count() > 120 {
            return Err(Problem::invalid("Enter a name of at most 120 letters."));
        }
        self.plan
            .check()
            .map_err(|e| Problem::invalid(e.to_string()))?;
        Ok(self)
    }
}

async fn view(routine: KeptRoutine, shelf: Shelf) -> Result<RoutineView, Problem> {
    tokio::task::spawn_blocking(move || {
        let (report, trouble) = match report(&routine.plan, &shelf) {
            Ok(r) => (Some(r), None),
            Err(e) => (None, Some(e.to_string())),
        };
        RoutineView {
            routine,
            report,
            trouble,
        }
    })
    .await
    .map_err(|e| Problem::internal(&e))
}

/// All routines, last changed first.
#[utoipa::path(get, operation_id = "routines_list", path = "/api/routines", responses((status = 200, body = [KeptRoutine])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<KeptRoutine>>, Problem> {
    Ok(Json(app.store().routines(coach.studio).await?))
}

/// Makes a routine.
#[utoipa::path(post, operation_id = "routines_create", path = "/api/routines", request_body = NewRoutine, responses(
    (status = 201, body = KeptRoutine), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(new): Json<NewRoutine>,
) -> Result<(StatusCode, Json<KeptRoutine>), Problem> {
    let input = RoutineInput {
        name: new.name,
        plan: new.plan.unwrap_or_default(),
    }
    .checked()?;
    let kept = app
        .store()
        .create_routine(coach.studio, &input.name, &input.plan)
        .await?;
    Ok((StatusCode::CREATED, Json(kept)))
}

/// One routine.
#[utoipa::path(get, operation_id = "routines_read", path = "/api/routines/{id}", params(("id" = Uuid, Path)), responses(
    (status = 200, body = RoutineView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<RoutineView>, Problem> {
    let routine = app.store().routine(coach.studio, id).await?;
    let shelf = shelf(app.store(), coach.studio).await?;
    Ok(Json(view(routine, shelf).await?))
}

/// Keeps a routine that is still at the version named.
#[utoipa::path(put, operation_id = "routines_save", path = "/api/routines/{id}", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = RoutineInput, responses((status = 200, body = RoutineView), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn save(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<RoutineInput>,
) -> Result<Json<RoutineView>, Problem> {
    let input = input.checked()?;
    let routine = app
        .store()
        .save_routine(coach.studio, id, version, &input.name, &input.plan)
        .await?;
    let shelf = shelf(app.store(), coach.studio).await?;
    Ok(Json(view(routine, shelf).await?))
}

/// Takes a routine away.
#[utoipa::path(delete, operation_id = "routines_remove", path = "/api/routines/{id}", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    responses((status = 204), (status = 404, body = Problem), (status = 412, body = Problem)))]
pub async fn remove(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
) -> Result<StatusCode, Problem> {
    app.store()
        .remove_routine(coach.studio, id, version)
        .await?;
    Ok(StatusCode::NO_CONTENT)
}
