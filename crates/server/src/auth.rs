//! Who is asking: accounts, passwords, and requests that come from our own page only.

use std::sync::LazyLock;

use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher as _, PasswordVerifier as _};
use axum::extract::{FromRequestParts, Request};
use axum::http::header::{HOST, ORIGIN};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use axum_login::{AuthUser, AuthnBackend};
use tokio::sync::{Semaphore, SemaphorePermit};
use tower_sessions::Session;
use upright_store::{Account, Store, StoreError, StudioId};
use uuid::Uuid;

use crate::problem::Problem;

/// Header in which the page sends its token back.
pub const TOKEN_HEADER: &str = "x-csrf-token";

const TOKEN: &str = "csrf";

/// A signed-in account.
#[derive(Debug, Clone)]
pub struct User(pub Account);

impl AuthUser for User {
    type Id = Uuid;

    fn id(&self) -> Uuid {
        self.0.id
    }

    /// A changed password ends all sessions.
    fn session_auth_hash(&self) -> &[u8] {
        self.0.password_hash.as_bytes()
    }
}

/// Name and password as entered.
#[derive(Debug, Clone)]
pub struct Credentials {
    /// E-mail address.
    pub email: String,
    /// Password.
    pub password: String,
}

/// Accounts in our database.
#[derive(Debug, Clone)]
pub struct Accounts(pub Store);

/// Hash of no account's password: checking it takes as long as checking a real one, so that time
/// does not tell which addresses exist.
static NOBODY: LazyLock<String> = LazyLock::new(|| hash_password("nobody").unwrap_or_default());

/// PHC string of a password's argon2id hash.
pub fn hash_password(password: &str) -> Result<String, Problem> {
    Argon2::default()
        .hash_password(password.as_bytes())
        .map(|h| h.to_string())
        .map_err(|e| Problem::internal(&e))
}

/// Passwords that are checked at once, each with 19 MB of memory, and how many more may wait for their turn.
const CHECKED: usize = 3;
const WAITING: usize = 40;

static CHECKS: Semaphore = Semaphore::const_new(CHECKED);
static ASKED: Semaphore = Semaphore::const_new(CHECKED + WAITING);

/// A turn at checking passwords; refused where too many wait for one.
pub struct Turn {
    _check: SemaphorePermit<'static>,
    _asked: SemaphorePermit<'static>,
}

impl Turn {
    /// Waits for a turn.
    pub async fn wait() -> Result<Self, Problem> {
        let asked = ASKED.try_acquire().map_err(|_| Problem::busy())?;
        let check = CHECKS.acquire().await.map_err(|e| Problem::internal(&e))?;
        Ok(Self {
            _check: check,
            _asked: asked,
        })
    }
}

/// Shortest password that is taken, characters, and longest, bytes.
const SHORTEST: usize = 10;
const LONGEST: usize = 200;

/// A password that somebody chose, hashed; refused in words where it is too short or too long.
pub fn chosen(password: &str) -> Result<String, Problem> {
    if password.chars().count() < SHORTEST || password.len() > LONGEST {
        return Err(Problem::invalid(format!(
            "Choose a password of at least {SHORTEST} characters; a sentence is good."
        )));
    }
    hash_password(password)
}

/// Whether a password has this hash.
pub(crate) fn matches(password: &str, hash: &str) -> bool {
    PasswordHash::new(hash).is_ok_and(|h| {
        Argon2::default()
            .verify_password(password.as_bytes(), &h)
            .is_ok()
    })
}

impl AuthnBackend for Accounts {
    type User = User;
    type Credentials = Credentials;
    type Error = StoreError;

    async fn authenticate(&self, given: Credentials) -> Result<Option<User>, StoreError> {
        let account = self.0.account_by_email(given.email.trim()).await?;
        let hash = account.as_ref().map(|a| a.password_hash.clone());
        let right = tokio::task::spawn_blocking(move || {
            matches(&given.password, hash.as_deref().unwrap_or(&NOBODY))
        })
        .await
        .unwrap_or(false);
        Ok(account.filter(|_| right).map(User))
    }

    async fn get_user(&self, id: &Uuid) -> Result<Option<User>, StoreError> {
        Ok(self.0.account(*id).await?.map(User))
    }
}

/// The session of a request.
pub type AuthSession = axum_login::AuthSession<Accounts>;

/// A signed-in coach; routes that take one refuse everybody else.
#[derive(Debug, Clone)]
pub struct Coach {
    /// The studio whose rows may be seen.
    pub studio: StudioId,
    /// The account.
    pub account: Uuid,
}

impl<S: Send + Sync> FromRequestParts<S> for Coach {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        let session = AuthSession::from_request_parts(parts, state)
            .await
            .map_err(|_| Problem::internal(&"no session layer"))?;
        let user = session.user.ok_or_else(Problem::sign_in)?;
        Ok(Self {
            studio: StudioId(user.0.studio_id),
            account: user.0.id,
        })
    }
}

/// What a visitor without a session sends back: that it can send a header of ours at all tells that it is our page.
const VISITOR: &str = "visitor";

/// The session's token, made when somebody signs in; nothing is kept of a visitor.
pub async fn token(session: &Session, signed_in: bool) -> Result<String, Problem> {
    let broken = |e: tower_sessions::session::Error| Problem::internal(&e);
    if let Some(token) = session.get::<String>(TOKEN).await.map_err(broken)? {
        return Ok(token);
    }
    if !signed_in {
        return Ok(VISITOR.to_owned());
    }
    // 122 random bits from the operating system.
    let token = Uuid::new_v4().simple().to_string();
    session.insert(TOKEN, &token).await.map_err(broken)?;
    Ok(token)
}

/// Lets a request that changes something through only from our own page: same origin where the
/// browser says where it comes from, and with the session's token.
pub async fn own_page_only(session: Session, request: Request, next: Next) -> Response {
    let safe = matches!(
        *request.method(),
        Method::GET | Method::HEAD | Method::OPTIONS
    );
    if !safe {
        if !same_origin(request.headers()) {
            return Problem::foreign().into_response();
        }
        let sent = request
            .headers()
            .get(TOKEN_HEADER)
            .and_then(|v| v.to_str().ok());
        let kept = session.get::<String>(TOKEN).await.ok().flatten();
        if sent != Some(kept.as_deref().unwrap_or(VISITOR)) {
            return Problem::foreign().into_response();
        }
    }
    next.run(request).await
}

fn same_origin(headers: &HeaderMap) -> bool {
    let text = |name: &str| headers.get(name).and_then(|v| v.to_str().ok());
    if text("sec-fetch-site").is_some_and(|s| s != "same-origin" && s != "none") {
        return false;
    }
    match (text(ORIGIN.as_str()), text(HOST.as_str())) {
        (Some(origin), Some(host)) => origin
            .split_once("://")
            .is_some_and(|(_, from)| from == host),
        _ => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn passwords_are_kept_as_argon2id() {
        let hash = hash_password("low tide").unwrap();
        assert!(hash.starts_with("$argon2id$"));
        assert!(matches("low tide", &hash));
        assert!(!matches("high tide", &hash));
        assert!(!matches("low tide", "not a hash"));
    }

    #[tokio::test]
    async fn turns_at_checking_are_bounded() {
        let (mut waiting, mut held) = (Vec::new(), Vec::new());
        for _ in 0..CHECKED {
            held.push(Turn::wait().await.unwrap());
        }
        for _ in 0..WAITING {
            waiting.push(tokio::spawn(Turn::wait()));
        }
        tokio::task::yield_now().await;
        assert_eq!(Turn::wait().await.err().unwrap().status, 503);
        assert!(waiting.iter().all(|w| !w.is_finished()));
        // Whoever is done lets the next one in, and room for one more.
        drop(held);
        for w in waiting {
            w.await.unwrap().unwrap();
        }
        assert!(Turn::wait().await.is_ok());
    }

    #[test]
    fn other_pages_are_told_apart() {
        let with = |pairs: &[(&'static str, &'static str)]| {
            let mut h = HeaderMap::new();
            for (k, v) in pairs {
                h.insert(*k, v.parse().unwrap());
            }
            same_origin(&h)
        };
        assert!(with(&[
            ("host", "127.0.0.1:8420"),
            ("origin", "http://127.0.0.1:8420")
        ]));
        assert!(!with(&[
            ("host", "127.0.0.1:8420"),
            ("origin", "http://elsewhere.example")
        ]));
        assert!(!with(&[("host", "a"), ("origin", "null")]));
        assert!(!with(&[("sec-fetch-site", "cross-site")]));
        assert!(with(&[]));
    }
}
