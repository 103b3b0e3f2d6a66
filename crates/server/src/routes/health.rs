//! Whether the application works.

use axum::extract::State;
use axum::http::StatusCode;
use serde::Serialize;

use crate::App;
use crate::extract::Json;

/// State of the application.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Health {
    /// `ok` or `failing`.
    status: &'static str,
    /// Whether the database answers.
    database: bool,
    /// Version of the program.
    version: &'static str,
}

/// Whether the application and its database work.
#[utoipa::path(get, operation_id = "health", path = "/api/health", responses((status = 200, body = Health), (status = 503, body = Health)))]
pub async fn health(State(app): State<App>) -> (StatusCode, Json<Health>) {
    let database = app.store().answers().await;
    let (code, status) = if database {
        (StatusCode::OK, "ok")
    } else {
        (StatusCode::SERVICE_UNAVAILABLE, "failing")
    };
    let version = env!("CARGO_PKG_VERSION");
    (
        code,
        Json(Health {
            status,
            database,
            version,
        }),
    )
}
