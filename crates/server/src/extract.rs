//! Extractors whose refusals are problem documents.

use axum::extract::{FromRequest, FromRequestParts};
use axum::http::header::IF_MATCH;
use axum::http::request::Parts;
use axum::response::{IntoResponse, Response};
use serde::Serialize;

use crate::problem::Problem;

/// A JSON body.
#[derive(FromRequest)]
#[from_request(via(axum::Json), rejection(Problem))]
pub struct Json<T>(pub T);

impl<T: Serialize> IntoResponse for Json<T> {
    fn into_response(self) -> Response {
        axum::Json(self.0).into_response()
    }
}

/// Parts of the address.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Problem))]
pub struct Path<T>(pub T);

/// The address's query.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Problem))]
pub struct Query<T>(pub T);

/// The version that a change starts from, from `If-Match`.
pub struct Version(pub i32);

impl<S: Send + Sync> FromRequestParts<S> for Version {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, Problem> {
        let header = parts
            .headers
            .get(IF_MATCH)
            .ok_or_else(Problem::no_version)?;
        header
            .to_str()
            .ok()
            .and_then(|v| v.trim().trim_matches('"').parse().ok())
            .map(Self)
            .ok_or_else(Problem::no_version)
    }
}
