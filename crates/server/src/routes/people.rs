//! People and their logs.

use axum::extract::State;
use axum::http::StatusCode;
use upright_store::{Correction, Person, PersonInput};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Version};
use crate::problem::Problem;
use crate::review;

fn checked(mut input: PersonInput) -> Result<PersonInput, Problem> {
    input.name = input.name.trim().to_owned();
    if input.name.is_empty() || input.name.chars().count() > 120 {
        return Err(Problem::invalid("Enter a name of at most 120 letters."));
    }
    if !(1.0..=2.3).contains(&input.height) {
        return Err(Problem::invalid(
            "Enter a standing height between 100 and 230 cm.",
        ));
    }
    if input.note.chars().count() > 2000 {
        return Err(Problem::invalid("A note holds at most 2000 letters."));
    }
    Ok(input)
}

/// All people.
#[utoipa::path(get, operation_id = "people_list", path = "/api/people", responses((status = 200, body = [Person])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<Person>>, Problem> {
    Ok(Json(app.store().people(coach.studio).await?))
}

/// Adds a person.
#[utoipa::path(post, operation_id = "people_create", path = "/api/people", request_body = PersonInput, responses(
    (status = 201, body = Person), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<PersonInput>,
) -> Result<(StatusCode, Json<Person>), Problem> {
    let person = app
        .store()
        .create_person(coach.studio, &checked(input)?)
        .await?;
    Ok((StatusCode::CREATED, Json(person)))
}

/// One person.
#[utoipa::path(get, operation_id = "people_read", path = "/api/people/{id}", params(("id" = Uuid, Path)), responses(
    (status = 200, body = Person), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Person>, Problem> {
    Ok(Json(app.store().person(coach.studio, id).await?))
}

/// Changes a person. A corrected height renews the measures of all takes they danced in.
#[utoipa::path(put, operation_id = "people_update", path = "/api/people/{id}", params(("id" = Uuid, Path), ("If-Match" = String, Header)),
    request_body = PersonInput, responses((status = 200, body = Person), (status = 404, body = Problem),
    (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn update(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Version(version): Version,
    Json(input): Json<PersonInput>,
) -> Result<Json<Person>, Problem> {
    let input = checked(input)?;
    let before = app.store().person(coach.studio, id).await?;
    let person = app
        .store()
        .update_person(coach.studio, id, version, &input)
        .await?;
    if before.height != person.height {
        for take in app.store().takes_of_person(coach.studio, id).await? {
            review::renew(&app, coach.studio, take).await?;
        }
    }
    Ok(Json(person))
}

/// A person's corrections, newest first.
#[utoipa::path(get, operation_id = "people_log", path = "/api/people/{id}/log", params(("id" = Uuid, Path)), responses(
    (status = 200, body = [Correction]), (status = 404, body = Problem)))]
pub async fn log(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<Correction>>, Problem> {
    app.store().person(coach.studio, id).await?;
    Ok(Json(app.store().corrections(coach.studio, Some(id)).await?))
}
