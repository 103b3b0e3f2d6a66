//! Signing in and out.

use std::net::SocketAddr;

use axum::extract::{ConnectInfo, State};
use axum::http::{HeaderMap, StatusCode};
use serde::{Deserialize, Serialize};
use tower_sessions::Session;
use upright_store::{Studio, StudioId};

use crate::auth::{AuthSession, Coach, Credentials, Turn, User, chosen, matches, token};
use crate::extract::Json;
use crate::problem::Problem;
use crate::review::apart;
use crate::{App, DemoSignIn};

/// Who is signed in, and what the page needs to ask for more.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct SessionView {
    /// Name of the coach; absent when nobody is signed in.
    name: Option<String>,
    /// The studio.
    studio: Option<Studio>,
    /// To be sent back in `x-csrf-token` with everything that changes something.
    token: String,
    /// Sign-in of the demo, where this is one.
    demo: Option<DemoSignIn>,
}

/// What is entered to sign in.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SignIn {
    /// E-mail address.
    email: String,
    /// Password.
    password: String,
}

async fn view(app: &App, auth: &AuthSession, session: &Session) -> Result<SessionView, Problem> {
    let studio = match &auth.user {
        Some(u) => Some(app.store().studio(StudioId(u.0.studio_id)).await?),
        None => None,
    };
    Ok(SessionView {
        name: auth.user.as_ref().map(|u| u.0.name.clone()),
        studio,
        token: token(session, auth.user.is_some()).await?,
        demo: app.demo().cloned(),
    })
}

/// Who is signed in.
#[utoipa::path(get, operation_id = "session", path = "/api/session", responses((status = 200, body = SessionView)))]
pub async fn session(
    State(app): State<App>,
    auth: AuthSession,
    session: Session,
) -> Result<Json<SessionView>, Problem> {
    view(&app, &auth, &session).await.map(Json)
}

/// Signs in.
#[utoipa::path(post, operation_id = "session_sign_in", path = "/api/session", request_body = SignIn, responses(
    (status = 200, body = SessionView),
    (status = 401, body = Problem, description = "wrong name or password"),
    (status = 429, body = Problem, description = "too many tries"),
    (status = 503, body = Problem, description = "too many at once"),
))]
pub async fn sign_in(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    mut auth: AuthSession,
    session: Session,
    Json(given): Json<SignIn>,
) -> Result<Json<SessionView>, Problem> {
    let name = given.email.trim().to_owned();
    let from = app.reach().client(from.ip(), &headers).to_string();
    // The turn comes first: a try that nobody had time for is none.
    let turn = Turn::wait().await?;
    if let Some(seconds) = app.store().count_try(&name, &from).await? {
        return Err(Problem::wait(seconds));
    }
    let credentials = Credentials {
        email: given.email,
        password: given.password,
    };
    let user = auth
        .authenticate(credentials)
        .await
        .map_err(|e| Problem::internal(&e))?;
    drop(turn);
    let user = user.ok_or_else(Problem::wrong_password)?;
    auth.login(&user).await.map_err(|e| Problem::internal(&e))?;
    app.store().signed_in(&name, &from).await?;
    view(&app, &auth, &session).await.map(Json)
}

/// One password for another.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPassword {
    /// The present one.
    old: String,
    /// The one that takes its place: ten characters or more.
    new: String,
}

/// Changes the own password. Everybody else who is signed in with this account is signed out.
#[utoipa::path(put, operation_id = "session_password", path = "/api/session/password", request_body = NewPassword, responses(
    (status = 200, body = SessionView),
    (status = 422, body = Problem, description = "the present password is another, or the new one is too short"),
    (status = 429, body = Problem, description = "too many tries"),
    (status = 503, body = Problem, description = "too many at once"),
))]
pub async fn change_password(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    _coach: Coach,
    mut auth: AuthSession,
    session: Session,
    Json(given): Json<NewPassword>,
) -> Result<Json<SessionView>, Problem> {
    let user = auth.user.clone().ok_or_else(Problem::sign_in)?;
    let from = app.reach().client(from.ip(), &headers).to_string();
    let turn = Turn::wait().await?;
    if let Some(seconds) = app.store().count_try(&user.0.email, &from).await? {
        return Err(Problem::wait(seconds));
    }
    let known = user.0.password_hash.clone();
    let hash = apart(move || {
        if !matches(&given.old, &known) {
            return Err(Problem::invalid("The present password is another one."));
        }
        chosen(&given.new)
    })
    .await??;
    drop(turn);
    app.store().set_password(user.0.id, &hash).await?;
    app.store().signed_in(&user.0.email, &from).await?;
    let user = app.store().account(user.0.id).await?;
    let user = User(user.ok_or_else(Problem::sign_in)?);
    auth.login(&user).await.map_err(|e| Problem::internal(&e))?;
    view(&app, &auth, &session).await.map(Json)
}

/// Signs out.
#[utoipa::path(delete, operation_id = "session_sign_out", path = "/api/session", responses((status = 204)))]
pub async fn sign_out(mut auth: AuthSession) -> Result<StatusCode, Problem> {
    auth.logout().await.map_err(|e| Problem::internal(&e))?;
    Ok(StatusCode::NO_CONTENT)
}
