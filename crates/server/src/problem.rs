//! The one error type of the interface: an RFC 9457 problem document in words a coach understands.

use axum::Json;
use axum::extract::multipart::{MultipartError, MultipartRejection};
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use upright_core::marks::MarkError;
use upright_media::MediaError;
use upright_store::{ArchiveError, StoreError, Take};
use uuid::Uuid;

/// A problem document.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct Problem {
    /// Kind of problem, a stable name.
    #[serde(rename = "type")]
    pub kind: String,
    /// In a few words.
    pub title: String,
    /// HTTP status.
    pub status: u16,
    /// What is wrong and what to do.
    pub detail: String,
    /// The take that it is about, where another one is in the way.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub take: Option<Uuid>,
    /// After how many seconds to try again; said in a header.
    #[serde(skip)]
    retry_after: Option<u32>,
}

impl Problem {
    /// Whether the same may work later.
    pub(crate) fn passes(&self) -> bool {
        self.status >= 500
    }

    fn new(status: StatusCode, kind: &str, title: &str, detail: impl Into<String>) -> Self {
        Self {
            kind: format!("urn:upright-pair:problem:{kind}"),
            title: title.to_owned(),
            status: status.as_u16(),
            detail: detail.into(),
            take: None,
            retry_after: None,
        }
    }

    /// Something entered cannot be used.
    pub fn invalid(detail: impl Into<String>) -> Self {
        Self::new(
            StatusCode::UNPROCESSABLE_ENTITY,
            "invalid",
            "This cannot be used",
            detail,
        )
    }

    /// The request itself makes no sense.
    pub fn bad_request(detail: impl Into<String>) -> Self {
        Self::new(
            StatusCode::BAD_REQUEST,
            "bad-request",
            "This request cannot be read",
            detail,
        )
    }

    /// Nothing there.
    pub fn not_found() -> Self {
        Self::new(
            StatusCode::NOT_FOUND,
            "not-found",
            "Not found",
            "This is not here, or no longer.",
        )
    }

    /// A private address that opens nothing.
    pub fn closed() -> Self {
        Self::new(
            StatusCode::NOT_FOUND,
            "closed",
            "This address does not open",
            "It has run out or was closed. Ask your coach for a new one.",
        )
    }

    /// No such method at this address.
    pub fn method() -> Self {
        Self::new(
            StatusCode::METHOD_NOT_ALLOWED,
            "method",
            "Not possible here",
            "This address does not do that.",
        )
    }

    /// Not signed in.
    pub fn sign_in() -> Self {
        Self::new(
            StatusCode::UNAUTHORIZED,
            "sign-in",
            "Please sign in",
            "Sign in to go on.",
        )
    }

    /// Wrong name or password.
    pub fn wrong_password() -> Self {
        Self::new(
            StatusCode::UNAUTHORIZED,
            "wrong-password",
            "That did not match",
            "The e-mail address or the password is not right.",
        )
    }

    /// Too many failed sign-ins: to be tried again after so many seconds.
    pub fn wait(seconds: u32) -> Self {
        let long = if seconds > 60 {
            "a quarter of an hour"
        } else {
            "a minute"
        };
        let said = format!("Too many tries to sign in. Wait {long} and try again.");
        Self {
            retry_after: Some(seconds),
            ..Self::new(
                StatusCode::TOO_MANY_REQUESTS,
                "wait",
                "Too many tries",
                said,
            )
        }
    }

    /// More at once than can be worked on.
    pub fn busy() -> Self {
        let said = "Very many people are signing in just now. Try again in a few seconds.";
        Self {
            retry_after: Some(5),
            ..Self::new(StatusCode::SERVICE_UNAVAILABLE, "busy", "Busy", said)
        }
    }

    /// Asked for by a name that is not ours.
    pub fn misdirected() -> Self {
        Self::new(
            StatusCode::MISDIRECTED_REQUEST,
            "host",
            "Another site's name",
            "This server does not answer to that name. Open it by its own address.",
        )
    }

    /// The request did not come from our own page.
    pub fn foreign() -> Self {
        Self::new(
            StatusCode::FORBIDDEN,
            "foreign",
            "Not from this page",
            "This request did not come from the application's own page. Load the page again and repeat it.",
        )
    }

    /// Too many bytes.
    pub fn too_large(most: u64) -> Self {
        Self::new(
            StatusCode::PAYLOAD_TOO_LARGE,
            "too-large",
            "Too large",
            format!(
                "At most {} MB can be sent. Cut the clip to the passage in question on the phone first.",
                most / 1_000_000
            ),
        )
    }

    /// Something of this name is there.
    pub fn exists(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::CONFLICT, "exists", "Already there", detail)
    }

    /// This film is another take's clip already.
    pub fn same_film(there: &Take) -> Self {
        let detail = format!(
            "This film is here already: {} and {}, take {} of {}. Open that take, or use the film once more.",
            there.leader,
            there.follower,
            there.number,
            there.held_on.to_jiff()
        );
        Self {
            take: Some(there.id),
            ..Self::new(StatusCode::CONFLICT, "same-film", "Here already", detail)
        }
    }

    /// A changed row needs its version.
    pub fn no_version() -> Self {
        Self::new(
            StatusCode::PRECONDITION_REQUIRED,
            "no-version",
            "Which version?",
            "Say which version is being changed, in the If-Match header.",
        )
    }

    /// Something went wrong on our side; the cause is in the log.
    pub fn internal(cause: &dyn std::fmt::Display) -> Self {
        tracing::error!(%cause, "internal error");
        Self::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "internal",
            "Something went wrong here",
            "This was not your doing. Nothing was lost; please try again.",
        )
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let retry_after = self.retry_after;
        let mut response = (status, Json(self)).into_response();
        if let Some(seconds) = retry_after {
            let seconds = HeaderValue::from(seconds);
            response.headers_mut().insert(header::RETRY_AFTER, seconds);
        }
        response.headers_mut().insert(
            header::CONTENT_TYPE,
            HeaderValue::from_static("application/problem+json"),
        );
        response
    }
}

impl From<StoreError> for Problem {
    fn from(e: StoreError) -> Self {
        match e {
            StoreError::NotFound => Self::not_found(),
            StoreError::Changed => Self::new(
                StatusCode::PRECONDITION_FAILED,
                "changed",
                "Changed elsewhere",
                e.to_string(),
            ),
            StoreError::Exists(words) => Self::exists(words),
            StoreError::Unfit => Self::invalid(e.to_string()),
            other => {
                let cause = std::error::Error::source(&other).map(ToString::to_string);
                Self::internal(&format!("{other} {}", cause.unwrap_or_default()))
            }
        }
    }
}

impl From<ArchiveError> for Problem {
    fn from(e: ArchiveError) -> Self {
        match e {
            ArchiveError::NotEmpty => Self::new(
                StatusCode::CONFLICT,
                "not-empty",
                "Not empty",
                e.to_string(),
            ),
            ArchiveError::Unfit { ref source, .. } => {
                tracing::info!(error = %source, "archive refused");
                Self::invalid(e.to_string())
            }
            ArchiveError::Unread { .. } => Self::invalid(e.to_string()),
            ArchiveError::Store(e) => e.into(),
        }
    }
}

impl From<MarkError> for Problem {
    fn from(e: MarkError) -> Self {
        Self::invalid(e.to_string())
    }
}

impl From<MediaError> for Problem {
    fn from(e: MediaError) -> Self {
        match e {
            MediaError::ToolMissing { .. } | MediaError::Io(_) => Self::internal(&e),
            e => Self::invalid(e.to_string()),
        }
    }
}

impl From<JsonRejection> for Problem {
    fn from(e: JsonRejection) -> Self {
        if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            return Self::too_large(1_000_000);
        }
        Self::bad_request(format!(
            "The page sent something that is not understood here; load it again and repeat it. ({})",
            e.body_text()
        ))
    }
}

impl From<QueryRejection> for Problem {
    fn from(e: QueryRejection) -> Self {
        Self::bad_request(format!(
            "The address asks for something that is not understood here. ({})",
            e.body_text()
        ))
    }
}

impl From<PathRejection> for Problem {
    fn from(_: PathRejection) -> Self {
        Self::not_found()
    }
}

impl From<MultipartRejection> for Problem {
    fn from(_: MultipartRejection) -> Self {
        Self::bad_request("Send the clip as a form with one file.")
    }
}

impl From<MultipartError> for Problem {
    fn from(e: MultipartError) -> Self {
        tracing::info!(%e, "upload broken off");
        Self::bad_request("The clip did not arrive whole. Check the connection and send it again.")
    }
}
