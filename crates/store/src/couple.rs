//! Two people who dance together, and who leads.

use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use sqlx::types::Json;
use upright_core::fault::Choices;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A couple with the names and heights of its people.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Couple {
    /// Id.
    pub id: Uuid,
    /// Who leads.
    pub leader_id: Uuid,
    /// Who follows.
    pub follower_id: Uuid,
    /// Name of who leads.
    pub leader: String,
    /// Name of who follows.
    pub follower: String,
    /// Height of who leads, metres.
    pub leader_height: f64,
    /// Height of who follows, metres.
    pub follower_height: f64,
    /// Separation at which the arm shape goes, metres, where it was found.
    pub frame_limit: Option<f64>,
    /// Grows with each change.
    pub version: i32,
    /// Schools, own bands and stage.
    #[schema(value_type = Choices)]
    pub choices: Json<Choices>,
}

/// What a coach enters of a couple.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CoupleInput {
    /// Who leads.
    pub leader_id: Uuid,
    /// Who follows.
    pub follower_id: Uuid,
    /// Separation at which the arm shape goes, metres.
    #[serde(default)]
    pub frame_limit: Option<f64>,
}

const EXISTS: &str = "These two are already a couple in these roles.";

impl Store {
    /// All couples of a studio.
    pub async fn couples(&self, studio: StudioId) -> Result<Vec<Couple>, StoreError> {
        Ok(sqlx::query_as(
            "select * from couple_list where studio_id = $1 order by lower(leader), id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A couple.
    pub async fn couple(&self, studio: StudioId, id: Uuid) -> Result<Couple, StoreError> {
        Ok(
            sqlx::query_as("select * from couple_list where studio_id = $1 and id = $2")
                .bind(studio.0)
                .bind(id)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Makes a couple of two people of the studio.
    pub async fn create_couple(
        &self,
        studio: StudioId,
        input: &CoupleInput,
    ) -> Result<Couple, StoreError> {
        let id = Uuid::now_v7();
        sqlx::query(
            "insert into couple (id, studio_id, leader_id, follower_id, frame_limit) values ($1, $2, $3, $4, $5)",
        )
        .bind(id)
        .bind(studio.0)
        .bind(input.leader_id)
        .bind(input.follower_id)
        .bind(input.frame_limit)
        .execute(&self.pool)
        .await
        .map_err(|e| StoreError::or_exists(e, EXISTS))?;
        self.couple(studio, id).await
    }

    /// Sets by what a couple that is still at `version` is judged.
    pub async fn set_choices(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
        choices: &Choices,
    ) -> Result<Couple, StoreError> {
        let done = sqlx::query(
            "update couple set choices = $4, version = version + 1
             where studio_id = $1 and id = $2 and version = $3",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(Json(choices))
        .execute(&self.pool)
        .await?;
        let couple = self.couple(studio, id).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed);
        }
        Ok(couple)
    }

    /// Sets the frame limit of a couple that is still at `version`.
    pub async fn set_frame_limit(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
        limit: Option<f64>,
    ) -> Result<Couple, StoreError> {
        let done = sqlx::query(
            "update couple set frame_limit = $4, version = version + 1
             where studio_id = $1 and id = $2 and version = $3",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(limit)
        .execute(&self.pool)
        .await?;
        let couple = self.couple(studio, id).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed);
        }
        Ok(couple)
    }
}
