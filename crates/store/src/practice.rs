//! Takes of the simulated studio.

use serde_json::Value;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// What a simulated take shows.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Practice {
    /// The scenario, in the simulated studio's own form.
    pub scenario: Value,
    /// Marked by the simulated hand as well.
    pub marked: bool,
}

impl Store {
    /// Keeps what a take is to show.
    pub async fn add_practice(
        &self,
        studio: StudioId,
        take: Uuid,
        practice: &Practice,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "insert into practice (take_id, studio_id, scenario, marked) values ($1, $2, $3, $4)",
        )
        .bind(take)
        .bind(studio.0)
        .bind(&practice.scenario)
        .bind(practice.marked)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// What a take shows, when it is a simulated one.
    pub async fn practice(
        &self,
        studio: StudioId,
        take: Uuid,
    ) -> Result<Option<Practice>, StoreError> {
        Ok(sqlx::query_as(
            "select scenario, marked from practice where studio_id = $1 and take_id = $2",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The clip of a simulated take is rendered; its copy can be made.
    pub async fn clip_rendered(
        &self,
        clip: Uuid,
        original: &str,
        bytes: i64,
    ) -> Result<(), StoreError> {
        sqlx::query("update clip set original = $2, bytes = $3 where id = $1")
            .bind(clip)
            .bind(original)
            .bind(bytes)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
