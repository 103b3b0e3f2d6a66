//! Studios, and the people who sign in.

use serde::Serialize;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// Failed sign-ins of one address or name after which it must wait.
const MOST_FAILURES: i64 = 8;

/// A studio.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Studio {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// The evening everybody works toward.
    pub event: Option<String>,
    /// Its date.
    #[schema(value_type = Option<String>, format = Date)]
    pub event_on: Option<jiff_sqlx::Date>,
}

/// Somebody who can sign in.
#[derive(Debug, Clone, FromRow)]
pub struct Account {
    /// Id.
    pub id: Uuid,
    /// Studio.
    pub studio_id: Uuid,
    /// Sign-in name.
    pub email: String,
    /// Name shown.
    pub name: String,
    /// PHC string of the password's argon2id hash.
    pub password_hash: String,
}

/// An account to be made.
#[derive(Debug, Clone)]
pub struct NewAccount<'a> {
    /// Sign-in name.
    pub email: &'a str,
    /// Name shown.
    pub name: &'a str,
    /// PHC string.
    pub password_hash: &'a str,
}

impl Store {
    /// Makes a studio with its first account.
    pub async fn create_studio(
        &self,
        name: &str,
        event: Option<(&str, jiff::civil::Date)>,
        first: NewAccount<'_>,
    ) -> Result<(StudioId, Uuid), StoreError> {
        use jiff_sqlx::ToSqlx as _;
        let (studio, account) = (Uuid::now_v7(), Uuid::now_v7());
        let mut tx = self.pool.begin().await?;
        sqlx::query("insert into studio (id, name, event, event_on) values ($1, $2, $3, $4)")
            .bind(studio)
            .bind(name)
            .bind(event.map(|e| e.0))
            .bind(event.map(|e| e.1.to_sqlx()))
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "insert into account (id, studio_id, email, name, password_hash) values ($1, $2, $3, $4, $5)",
        )
        .bind(account)
        .bind(studio)
        .bind(first.email)
        .bind(first.name)
        .bind(first.password_hash)
        .execute(&mut *tx)
        .await
        .map_err(|e| StoreError::or_exists(e, "There is an account with this e-mail address."))?;
        tx.commit().await?;
        Ok((StudioId(studio), account))
    }

    /// Whether there is any studio yet.
    pub async fn has_studio(&self) -> Result<bool, StoreError> {
        let (there,): (bool,) = sqlx::query_as("select exists (select 1 from studio)")
            .fetch_one(&self.pool)
            .await?;
        Ok(there)
    }

    /// Removes everything of every studio. Only for a demo that was not loaded whole.
    pub async fn clear(&self) -> Result<(), StoreError> {
        sqlx::query("truncate studio, login, sign_in_failure cascade")
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// A studio.
    pub async fn studio(&self, studio: StudioId) -> Result<Studio, StoreError> {
        Ok(
            sqlx::query_as("select id, name, event, event_on from studio where id = $1")
                .bind(studio.0)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// The account with this sign-in name, whatever its letters' case.
    pub async fn account_by_email(&self, email: &str) -> Result<Option<Account>, StoreError> {
        Ok(sqlx::query_as(
            "select id, studio_id, email, name, password_hash from account where lower(email) = lower($1)",
        )
        .bind(email)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The account with this id.
    pub async fn account(&self, id: Uuid) -> Result<Option<Account>, StoreError> {
        Ok(sqlx::query_as(
            "select id, studio_id, email, name, password_hash from account where id = $1",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Whether any of these names or addresses has failed too often in the last quarter of an hour.
    pub async fn must_wait(&self, who: &[String]) -> Result<bool, StoreError> {
        let (most,): (i64,) = sqlx::query_as(
            "select coalesce(max(n), 0) from (
                 select count(*) as n from sign_in_failure
                 where who = any($1) and at > now() - interval '15 minutes' group by who
             ) counted",
        )
        .bind(who)
        .fetch_one(&self.pool)
        .await?;
        Ok(most >= MOST_FAILURES)
    }

    /// Notes a failed sign-in and forgets old ones.
    pub async fn note_failure(&self, who: &[String]) -> Result<(), StoreError> {
        sqlx::query("delete from sign_in_failure where at < now() - interval '1 day'")
            .execute(&self.pool)
            .await?;
        sqlx::query("insert into sign_in_failure (who) select unnest($1::text[])")
            .bind(who)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Forgets the failures of a name that has signed in.
    pub async fn forget_failures(&self, who: &str) -> Result<(), StoreError> {
        sqlx::query("delete from sign_in_failure where who = $1")
            .bind(who)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
