//! Signing in and out.

use std::net::SocketAddr;

use axum::extract::{ConnectInfo, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use tower_sessions::Session;
use upright_store::{Studio, StudioId};

use crate::auth::{AuthSession, Credentials, token};
use crate::extract::Json;
use crate::problem::Problem;
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
        token: token(session).await?,
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
))]
pub async fn sign_in(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    mut auth: AuthSession,
    session: Session,
    Json(given): Json<SignIn>,
) -> Result<Json<SessionView>, Problem> {
    let name = format!("name:{}", given.email.trim().to_lowercase());
    let who = [name, format!("from:{}", from.ip())];
    if app.store().must_wait(&who).await? {
        return Err(Problem::wait());
    }
    let credentials = Credentials {
        email: given.email,
        password: given.password,
    };
    let user = auth
        .authenticate(credentials)
        .await
        .map_err(|e| Problem::internal(&e))?;
    let Some(user) = user else {
        app.store().note_failure(&who).await?;
        return Err(Problem::wrong_password());
    };
    auth.login(&user).await.map_err(|e| Problem::internal(&e))?;
    for w in &who {
        app.store().forget_failures(w).await?;
    }
    view(&app, &auth, &session).await.map(Json)
}

/// Signs out.
#[utoipa::path(delete, operation_id = "session_sign_out", path = "/api/session", responses((status = 204)))]
pub async fn sign_out(mut auth: AuthSession) -> Result<StatusCode, Problem> {
    auth.logout().await.map_err(|e| Problem::internal(&e))?;
    Ok(StatusCode::NO_CONTENT)
}
