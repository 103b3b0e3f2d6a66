//! Private addresses: made, listed, closed.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use upright_store::{Link, LinkKind};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::secret::secret;

/// Days for which an address may open.
const DAYS: [i32; 2] = [1, 366];

/// An address to be made.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewLink {
    /// What it opens.
    kind: LinkKind,
    /// Whose sheet.
    #[serde(default)]
    person: Option<Uuid>,
    /// For how many days, 1 to 366.
    days: i32,
}

/// An address just made: the only time that what opens it is shown.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct MadeLink {
    /// Path of the address on this server.
    path: String,
    /// The address.
    link: Link,
}

fn fitting(kind: LinkKind, person: Option<Uuid>) -> Result<(), Problem> {
    match (kind, person) {
        (LinkKind::Sheet, None) => Err(Problem::invalid("Say whose sheet the address opens.")),
        (LinkKind::Calendar, Some(_)) => Err(Problem::invalid(
            "The calendar is the studio's, not a person's.",
        )),
        _ => Ok(()),
    }
}

/// Makes a private address.
#[utoipa::path(post, operation_id = "links_create", path = "/api/links", request_body = NewLink, responses(
    (status = 201, body = MadeLink), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<NewLink>,
) -> Result<(StatusCode, Json<MadeLink>), Problem> {
    if !(DAYS[0]..=DAYS[1]).contains(&input.days) {
        return Err(Problem::invalid(format!(
            "An address opens for {} to {} days.",
            DAYS[0], DAYS[1]
        )));
    }
    fitting(input.kind, input.person)?;
    let token = secret()?;
    let link = app
        .store()
        .create_link(coach.studio, input.kind, input.person, &token, input.days)
        .await?;
    let path = match input.kind {
        LinkKind::Sheet => format!("/s/{token}"),
        LinkKind::Calendar => format!("/api/shared/calendar/{token}"),
    };
    Ok((StatusCode::CREATED, Json(MadeLink { path, link })))
}

/// Which addresses.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct LinkQuery {
    /// What they open.
    #[param(inline)]
    kind: LinkKind,
    /// Whose sheet.
    person: Option<Uuid>,
}

/// The private addresses that open.
#[utoipa::path(get, operation_id = "links_list", path = "/api/links", params(LinkQuery),
    responses((status = 200, body = [Link]), (status = 422, body = Problem)))]
pub async fn list(
    State(app): State<App>,
    coach: Coach,
    Query(query): Query<LinkQuery>,
) -> Result<Json<Vec<Link>>, Problem> {
    fitting(query.kind, query.person)?;
    let all = app
        .store()
        .links(coach.studio, query.kind, query.person)
        .await?;
    Ok(Json(all))
}

/// Closes a private address for good.
#[utoipa::path(delete, operation_id = "links_revoke", path = "/api/links/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn revoke(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.store().revoke_link(coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}
