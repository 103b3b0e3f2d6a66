//! Sign-in sessions in PostgreSQL.

use async_trait::async_trait;
use sqlx::PgPool;
use tower_sessions::SessionStore;
use tower_sessions::cookie::time::OffsetDateTime;
use tower_sessions::session::{Id, Record};
use tower_sessions::session_store::{Error, Result};

/// A session store over our pool.
#[derive(Debug, Clone)]
pub struct Logins {
    pool: PgPool,
}

impl Logins {
    pub(crate) fn new(pool: PgPool) -> Self {
        Self { pool }
    }
}

fn backend(e: sqlx::Error) -> Error {
    Error::Backend(e.to_string())
}

/// Seconds since 1970, which is all of the time type that the database needs.
fn expiry(record: &Record) -> f64 {
    record.expiry_date.unix_timestamp() as f64
}

/// The data alone: ids are wider than JSON's numbers and stand in their own column.
fn data_of(record: &Record) -> Result<serde_json::Value> {
    serde_json::to_value(&record.data).map_err(|e| Error::Encode(e.to_string()))
}

#[async_trait]
impl SessionStore for Logins {
    async fn create(&self, record: &mut Record) -> Result<()> {
        loop {
            let data = data_of(record)?;
            let done = sqlx::query(
                "insert into login (id, data, expires_at) values ($1, $2, to_timestamp($3)) on conflict do nothing",
            )
            .bind(record.id.to_string())
            .bind(data)
            .bind(expiry(record))
            .execute(&self.pool)
            .await
            .map_err(backend)?;
            if done.rows_affected() == 1 {
                return Ok(());
            }
            record.id = Id::default();
        }
    }

    async fn save(&self, record: &Record) -> Result<()> {
        let data = data_of(record)?;
        sqlx::query(
            "insert into login (id, data, expires_at) values ($1, $2, to_timestamp($3))
             on conflict (id) do update set data = excluded.data, expires_at = excluded.expires_at",
        )
        .bind(record.id.to_string())
        .bind(data)
        .bind(expiry(record))
        .execute(&self.pool)
        .await
        .map_err(backend)?;
        Ok(())
    }

    async fn load(&self, id: &Id) -> Result<Option<Record>> {
        let row: Option<(serde_json::Value, i64)> = sqlx::query_as(
            "select data, extract(epoch from expires_at)::bigint from login where id = $1 and expires_at > now()",
        )
        .bind(id.to_string())
        .fetch_optional(&self.pool)
        .await
        .map_err(backend)?;
        row.map(|(data, expires)| {
            let decode = |e: &dyn std::fmt::Display| Error::Decode(e.to_string());
            Ok(Record {
                id: *id,
                data: serde_json::from_value(data).map_err(|e| decode(&e))?,
                expiry_date: OffsetDateTime::from_unix_timestamp(expires)
                    .map_err(|e| decode(&e))?,
            })
        })
        .transpose()
    }

    async fn delete(&self, id: &Id) -> Result<()> {
        sqlx::query("delete from login where id = $1 or expires_at < now()")
            .bind(id.to_string())
            .execute(&self.pool)
            .await
            .map_err(backend)?;
        Ok(())
    }
}
