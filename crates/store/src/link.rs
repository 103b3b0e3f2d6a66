//! Private addresses: a student's sheet, a coach's calendar. Only the hash of the random part is kept.

use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// What an address opens.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum LinkKind {
    /// A student's sheet.
    Sheet,
    /// The calendar of looks and lessons.
    Calendar,
}

/// A private address, without what opens it.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Link {
    /// Id.
    pub id: Uuid,
    /// What it opens.
    pub kind: LinkKind,
    /// Whose sheet.
    pub person_id: Option<Uuid>,
    /// When it was made.
    #[schema(value_type = String, format = DateTime)]
    pub created_at: jiff_sqlx::Timestamp,
    /// Until when it opens.
    #[schema(value_type = String, format = DateTime)]
    pub expires_at: jiff_sqlx::Timestamp,
    /// When it was opened last.
    #[schema(value_type = Option<String>, format = DateTime)]
    pub opened_at: Option<jiff_sqlx::Timestamp>,
}

/// What an opened address leads to.
#[derive(Debug, Clone, Copy, FromRow)]
pub struct Opened {
    /// Its studio.
    pub studio_id: Uuid,
    /// Whose sheet.
    pub person_id: Option<Uuid>,
}

fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

impl Store {
    /// Makes an address that `token` opens for so many days.
    pub async fn create_link(
        &self,
        studio: StudioId,
        kind: LinkKind,
        person: Option<Uuid>,
        token: &str,
        days: i32,
    ) -> Result<Link, StoreError> {
        Ok(sqlx::query_as(
            "insert into link (id, studio_id, hash, kind, person_id, expires_at)
             values ($1, $2, $3, $4, $5, now() + make_interval(days => $6))
             returning id, kind, person_id, created_at, expires_at, opened_at",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(hash(token))
        .bind(kind)
        .bind(person)
        .bind(days)
        .fetch_one(&self.pool)
        .await?)
    }

    /// The addresses of a kind that open, newest first: of one person, or the studio's own.
    pub async fn links(
        &self,
        studio: StudioId,
        kind: LinkKind,
        person: Option<Uuid>,
    ) -> Result<Vec<Link>, StoreError> {
        Ok(sqlx::query_as(
            "select id, kind, person_id, created_at, expires_at, opened_at from link
             where studio_id = $1 and kind = $2 and person_id is not distinct from $3
               and revoked_at is null and expires_at > now()
             order by created_at desc, id",
        )
        .bind(studio.0)
        .bind(kind)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Closes an address for good.
    pub async fn revoke_link(&self, studio: StudioId, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "update link set revoked_at = now() where studio_id = $1 and id = $2 and revoked_at is null",
        )
        .bind(studio.0)
        .bind(id)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }

    /// What a token opens; not found when it opens nothing, no longer, or something of another kind.
    pub async fn open_link(&self, kind: LinkKind, token: &str) -> Result<Opened, StoreError> {
        Ok(sqlx::query_as(
            "update link set opened_at = now()
             where hash = $1 and kind = $2 and revoked_at is null and expires_at > now()
             returning studio_id, person_id",
        )
        .bind(hash(token))
        .bind(kind)
        .fetch_one(&self.pool)
        .await?)
    }
}
