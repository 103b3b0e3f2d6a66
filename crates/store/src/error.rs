//! What can go wrong in keeping things.

/// Why the store could not do it.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// No such row in this studio.
    #[error("This is not here, or no longer.")]
    NotFound,
    /// Somebody changed it in between.
    #[error(
        "This was changed in another window in the meantime. Load it again and repeat your change."
    )]
    Changed,
    /// It exists already.
    #[error("{0}")]
    Exists(&'static str),
    /// A text or number that the database cannot hold.
    #[error(
        "Something entered cannot be kept: a number out of range, or a character that is no letter."
    )]
    Unfit,
    /// The database.
    #[error("The database did not answer as expected.")]
    Database(#[source] sqlx::Error),
    /// Tables could not be brought up to date.
    #[error("The database's tables could not be brought up to date.")]
    Migration(#[from] sqlx::migrate::MigrateError),
    /// The queue of long work.
    #[error("The queue of long work did not answer as expected: {0}")]
    Queue(String),
    /// Files.
    #[error("A stored file could not be read or written.")]
    Blob(#[from] object_store::Error),
    /// A stored document that is not what it should be.
    #[error("A stored record could not be read.")]
    Record(#[from] serde_json::Error),
    /// The local disk.
    #[error("A file could not be read or written. Is the disk full?")]
    Io(#[from] std::io::Error),
}

impl From<sqlx::Error> for StoreError {
    fn from(e: sqlx::Error) -> Self {
        match e {
            sqlx::Error::RowNotFound => Self::NotFound,
            sqlx::Error::Database(ref d) if d.is_foreign_key_violation() => Self::NotFound,
            // Class 22 is data that does not fit its type (a zero byte in a text), 23514 a check.
            sqlx::Error::Database(ref d)
                if d.code()
                    .is_some_and(|c| c.starts_with("22") || c == "23514") =>
            {
                Self::Unfit
            }
            e => Self::Database(e),
        }
    }
}

impl StoreError {
    /// Turns a violated unique constraint into words.
    pub(crate) fn or_exists(e: sqlx::Error, words: &'static str) -> Self {
        match e {
            sqlx::Error::Database(ref d) if d.is_unique_violation() => Self::Exists(words),
            e => e.into(),
        }
    }
}
