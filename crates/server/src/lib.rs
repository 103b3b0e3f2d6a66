//! The web application: routes over the core and the store, sign-in, clip preparation, front end.

mod archive;
pub mod auth;
mod calendar;
mod compare;
pub mod correct;
mod erase;
mod extract;
pub mod film;
mod front;
pub mod intake;
pub mod jobs;
pub mod lessons;
pub mod marking;
mod notes;
mod picture;
mod problem;
mod progress;
mod reach;
pub mod review;
mod routes;
mod secret;
mod sheet;
pub mod shelf;
pub mod training;

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue, StatusCode, header};
use axum::response::IntoResponse as _;
use axum_login::AuthManagerLayerBuilder;
use tokio::net::TcpListener;
use tokio::sync::{OnceCell, Semaphore};
use tower::ServiceBuilder;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate as _};
use tower_http::request_id::{MakeRequestUuid, PropagateRequestIdLayer, SetRequestIdLayer};
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::TimeoutLayer;
use tower_http::trace::TraceLayer;
use tower_sessions::cookie::SameSite;
use tower_sessions::cookie::time::Duration as CookieDuration;
use tower_sessions::{Expiry, SessionManagerLayer};
use upright_pose::Finder;
use upright_store::{Blobs, Store, WorkKind};

pub use problem::Problem;
pub use reach::Reach;

/// Largest body of a request that is no clip, bytes.
const MOST_BODY: usize = 1_000_000;

/// Largest clip, bytes.
const MOST_CLIP: u64 = 2_000_000_000;

/// Pieces of work of one kind at once; each keeps more than one core busy.
const AT_ONCE: usize = 1;

/// Sign-in that the demo shows on its first page.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct DemoSignIn {
    /// E-mail address.
    pub email: String,
    /// Password.
    pub password: String,
}

/// What the application is made of.
pub struct Parts {
    /// Database.
    pub store: Store,
    /// Files.
    pub blobs: Blobs,
    /// Folder for files that are arriving.
    pub incoming: PathBuf,
    /// Folder of the built front end.
    pub web: PathBuf,
    /// Folder of the pose networks.
    pub models: PathBuf,
    /// Demo sign-in to show.
    pub demo: Option<DemoSignIn>,
    /// Largest clip, bytes, when not the usual.
    pub most_clip: Option<u64>,
    /// How browsers reach the server.
    pub reach: Reach,
}

/// The running application, shared by all requests.
#[derive(Clone)]
pub struct App(Arc<Inner>);

struct Inner {
    parts: Parts,
    turns: [Arc<Semaphore>; 2],
    recent: review::Recent,
    finder: OnceCell<Arc<dyn Finder>>,
}

impl App {
    /// From its parts.
    pub fn new(parts: Parts) -> Self {
        Self(Arc::new(Inner {
            parts,
            turns: [0, 1].map(|_| Arc::new(Semaphore::new(AT_ONCE))),
            recent: review::Recent::default(),
            finder: OnceCell::new(),
        }))
    }

    /// Database.
    pub fn store(&self) -> &Store {
        &self.0.parts.store
    }

    /// Files.
    pub fn blobs(&self) -> &Blobs {
        &self.0.parts.blobs
    }

    fn incoming(&self) -> &Path {
        &self.0.parts.incoming
    }

    fn web(&self) -> &Path {
        &self.0.parts.web
    }

    fn demo(&self) -> Option<&DemoSignIn> {
        self.0.parts.demo.as_ref()
    }

    fn reach(&self) -> &Reach {
        &self.0.parts.reach
    }

    fn most_clip(&self) -> u64 {
        self.0.parts.most_clip.unwrap_or(MOST_CLIP)
    }

    /// What finds dancers in pictures; read when it is first needed.
    async fn finder(&self) -> Result<Arc<dyn Finder>, Problem> {
        let folder = self.0.parts.models.clone();
        let read = || async {
            review::apart(move || marking::networks(&folder))
                .await?
                .map_err(Problem::from)
        };
        self.0.finder.get_or_try_init(read).await.cloned()
    }

    fn recent(&self) -> &review::Recent {
        &self.0.recent
    }

    /// A new clip is not kept waiting by dancers that are looked for in another one.
    fn turns(&self, kind: WorkKind) -> Arc<Semaphore> {
        let [prepare, find] = &self.0.turns;
        match kind {
            WorkKind::Prepare => prepare,
            WorkKind::Find => find,
        }
        .clone()
    }
}

/// The OpenAPI document of all routes.
pub fn openapi() -> utoipa::openapi::OpenApi {
    let mut document = routes::api().into_openapi();
    document.merge(routes::upload().into_openapi());
    document
}

/// All routes with their layers.
pub fn router(app: App) -> Router {
    let sessions = SessionManagerLayer::new(app.store().logins())
        .with_name("upright")
        .with_http_only(true)
        .with_same_site(SameSite::Lax)
        .with_secure(app.reach().https())
        .with_expiry(Expiry::OnInactivity(CookieDuration::days(14)));
    let auth = AuthManagerLayerBuilder::new(auth::Accounts(app.store().clone()), sessions).build();
    let (api, _) = routes::api().split_for_parts();
    let (upload, _) = routes::upload().split_for_parts();
    let document = Arc::new(openapi());
    let fixed = |name: HeaderName, value: &'static str| {
        SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value))
    };
    let api = api
        .layer(TimeoutLayer::with_status_code(
            StatusCode::REQUEST_TIMEOUT,
            Duration::from_secs(30),
        ))
        .layer(DefaultBodyLimit::max(MOST_BODY))
        .merge(upload)
        .route(
            "/api/openapi.json",
            axum::routing::get(move || {
                let document = document.clone();
                async move { axum::Json(document.as_ref().clone()) }
            }),
        )
        .method_not_allowed_fallback(|| async { Problem::method() })
        .layer(axum::middleware::from_fn(auth::own_page_only))
        .layer(auth)
        .layer(fixed(header::CACHE_CONTROL, "no-store"));
    Router::new()
        .merge(api)
        .fallback(front::front)
        .layer(axum::middleware::from_fn_with_state(app.clone(), reach::guard))
        .with_state(app)
        .layer(
            ServiceBuilder::new()
                .layer(SetRequestIdLayer::x_request_id(MakeRequestUuid))
                .layer(TraceLayer::new_for_http().make_span_with(
                    |r: &axum::http::Request<axum::body::Body>| {
                        let id = r.headers().get("x-request-id").and_then(|v| v.to_str().ok());
                        tracing::info_span!("request", method = %r.method(), path = told(r.uri().path()), id)
                    },
                ))
                .layer(PropagateRequestIdLayer::x_request_id())
                .layer(fixed(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
                .layer(fixed(header::REFERRER_POLICY, "same-origin"))
                .layer(fixed(header::X_FRAME_OPTIONS, "DENY"))
                .layer(fixed(
                    HeaderName::from_static("permissions-policy"),
                    "camera=(), microphone=(), geolocation=()",
                ))
                .layer(fixed(
                    HeaderName::from_static("cross-origin-opener-policy"),
                    "same-origin",
                ))
                .layer(fixed(
                    header::CONTENT_SECURITY_POLICY,
                    "default-src 'none'; frame-ancestors 'none'",
                ))
                // Films are compressed already, and must be answered in ranges; so are archives, whose length is said.
                .layer(CompressionLayer::new().compress_when(
                    DefaultPredicate::new()
                        .and(NotForContentType::const_new("video/"))
                        .and(NotForContentType::const_new("application/zip")),
                ))
                .layer(CatchPanicLayer::custom(
                    |_: Box<dyn std::any::Any + Send>| {
                        Problem::internal(&"a handler panicked").into_response()
                    },
                )),
        )
}

/// A path as it may be written into a log: what opens a private address is left out.
fn told(path: &str) -> &str {
    for before in ["/api/shared/sheet/", "/api/shared/calendar/", "/s/"] {
        if path.starts_with(before) {
            return before;
        }
    }
    path
}

/// Serves until `stop` ends, then lets running requests finish. Takes up clip preparations that an
/// earlier run left behind.
pub async fn serve(
    listener: TcpListener,
    app: App,
    stop: impl Future<Output = ()> + Send + 'static,
) -> Result<(), std::io::Error> {
    if let Err(problem) = jobs::resume(&app).await {
        tracing::error!(detail = problem.detail, "unfinished clips not taken up");
    }
    let worker = tokio::spawn(jobs::work(app.clone()));
    let sweeper = tokio::spawn(jobs::sweep(app.clone()));
    let service = router(app).into_make_service_with_connect_info::<std::net::SocketAddr>();
    let served = axum::serve(listener, service)
        .with_graceful_shutdown(stop)
        .await;
    worker.abort();
    sweeper.abort();
    served
}
