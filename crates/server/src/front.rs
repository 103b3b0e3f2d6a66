//! The built front end: hashed files for ever, the page itself fresh and with a nonce for its styles.

use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use tower::ServiceExt as _;
use tower_http::services::ServeDir;
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;

/// Stands in the page where the nonce goes.
const PLACE: &str = "__CSP_NONCE__";

/// What the browser may load: everything from here and nothing from elsewhere.
fn policy(nonce: &str) -> String {
    format!(
        "default-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' blob:; \
         media-src 'self' blob:; font-src 'self'; connect-src 'self'; object-src 'none'; \
         base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    )
}

/// Files of the build, and the page for every other address.
pub async fn front(State(app): State<App>, request: Request) -> Response {
    let path = request.uri().path();
    if path.starts_with("/api/") {
        return Problem::not_found().into_response();
    }
    if path.starts_with("/assets/") || path == "/icon.svg" {
        let hashed = path.starts_with("/assets/");
        let served = ServeDir::new(app.web()).oneshot(request).await;
        let mut response = match served {
            Ok(r) if r.status() == StatusCode::NOT_FOUND => {
                return Problem::not_found().into_response();
            }
            Ok(r) => r.into_response(),
            Err(never) => match never {},
        };
        if hashed {
            response.headers_mut().insert(
                header::CACHE_CONTROL,
                HeaderValue::from_static("public, max-age=31536000, immutable"),
            );
        }
        return response;
    }
    page(&app).await
}

async fn page(app: &App) -> Response {
    let Ok(text) = tokio::fs::read_to_string(app.web().join("index.html")).await else {
        return Problem::internal(&"the front end is not built; run make web").into_response();
    };
    let nonce = Uuid::new_v4().simple().to_string();
    let mut response = Html(text.replace(PLACE, &nonce)).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    if let Ok(value) = HeaderValue::from_str(&policy(&nonce)) {
        headers.insert(header::CONTENT_SECURITY_POLICY, value);
    }
    response
}
