//! What the studio keeps: rows in PostgreSQL through SQLx, files through an object store.
//!
//! One module a resource. Every call that touches a studio's rows takes its [`StudioId`] and asks for
//! it in the query: another studio's row is not found, whatever its id. No HTTP in here.

mod account;
mod archive;
mod bin;
mod blob;
mod chart;
mod clip;
mod correction;
mod couple;
mod decision;
mod error;
mod fault;
mod lesson;
mod link;
mod login;
mod marks;
mod person;
mod practice;
mod remark;
mod routine;
mod take;
#[cfg(feature = "testing")]
pub mod testing;
mod track;
mod training;
mod upload;
mod work;

pub use account::{Account, NewAccount, Studio};
pub use archive::{ArchiveError, Rows, TABLES};
pub use bin::{Binned, Erasing, KEPT_DAYS, Unnamed};
pub use blob::{Blobs, ContentHash};
pub use chart::OwnChart;
pub use clip::{Clip, ClipState, NewClip};
pub use correction::{Correction, CorrectionChange, CorrectionWas, LogFilter, NewCorrection};
pub use couple::{Couple, CoupleInput};
pub use decision::{Decided, Decision, Verdict, Whose};
pub use error::StoreError;
pub use fault::OwnFault;
pub use lesson::{KeptLesson, NewLesson};
pub use link::{Link, LinkKind, Opened};
pub use login::Logins;
pub use marks::{Judgement, TakeSummary};
pub use person::{Person, PersonInput};
pub use practice::Practice;
pub use remark::Remark;
pub use routine::KeptRoutine;
pub use take::{NewTake, PersonReading, Take};
pub use track::{Found, Track};
pub use training::PracticeReport;
pub use upload::{NewUpload, Upload};
pub use work::{Picked, Wanted, Work, WorkKind, WorkState};

use sqlx::postgres::{PgConnectOptions, PgPool, PgPoolOptions};
use uuid::Uuid;

/// The studio that a request or a worker acts for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StudioId(pub Uuid);

/// The database.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
}

/// Longest that a statement may take, and a transaction may wait for its next one.
const STATEMENT: &str = "30s";
const IDLE: &str = "120s";

/// Brings the tables up to date, which may take as long as it does.
async fn migrate(pool: &PgPool) -> Result<(), StoreError> {
    let mut one = pool.acquire().await?;
    sqlx::query("set statement_timeout = 0")
        .execute(&mut *one)
        .await?;
    sqlx::migrate!().run(&mut *one).await?;
    sqlx::query("reset statement_timeout")
        .execute(&mut *one)
        .await?;
    Ok(())
}

impl Store {
    /// Connects and brings the tables up to date.
    pub async fn connect(url: &str) -> Result<Self, StoreError> {
        // A query whose request was given up ends by itself, and so does a transaction that nobody goes on with.
        let options = url.parse::<PgConnectOptions>()?.options([
            ("statement_timeout", STATEMENT),
            ("idle_in_transaction_session_timeout", IDLE),
        ]);
        let pool = PgPoolOptions::new()
            .max_connections(12)
            .acquire_timeout(std::time::Duration::from_secs(5))
            .connect_with(options)
            .await?;
        migrate(&pool).await?;
        let store = Self { pool };
        store.set_up_queue().await?;
        Ok(store)
    }

    /// Whether the database answers.
    pub async fn answers(&self) -> bool {
        sqlx::query("select 1").execute(&self.pool).await.is_ok()
    }

    /// How long a statement may take before the database ends it.
    pub async fn longest_statement(&self) -> Result<String, StoreError> {
        let (said,): (String,) = sqlx::query_as("select current_setting('statement_timeout')")
            .fetch_one(&self.pool)
            .await?;
        Ok(said)
    }

    /// The store of sign-in sessions on the same database.
    pub fn logins(&self) -> Logins {
        Logins::new(self.pool.clone())
    }

    /// Ends all connections.
    pub async fn close(&self) {
        self.pool.close().await;
    }
}
