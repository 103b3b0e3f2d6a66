//! Routines.

use serde::Serialize;
use sqlx::FromRow;
use sqlx::types::Json;
use upright_core::routine::Routine;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A routine as it is kept.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct KeptRoutine {
    /// Id.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// Figures, music and floor.
    #[schema(value_type = Routine)]
    pub plan: Json<Routine>,
    /// Grows with each change.
    pub version: i32,
}

impl Store {
    /// All routines, last changed first.
    pub async fn routines(&self, studio: StudioId) -> Result<Vec<KeptRoutine>, StoreError> {
        Ok(sqlx::query_as(
            "select id, name, plan, version from routine where studio_id = $1
             order by changed_at desc, id limit 500",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One of them.
    pub async fn routine(&self, studio: StudioId, id: Uuid) -> Result<KeptRoutine, StoreError> {
        Ok(sqlx::query_as(
            "select id, name, plan, version from routine where studio_id = $1 and id = $2",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Makes a routine.
    pub async fn create_routine(
        &self,
        studio: StudioId,
        name: &str,
        plan: &Routine,
    ) -> Result<KeptRoutine, StoreError> {
        let id = Uuid::now_v7();
        sqlx::query("insert into routine (id, studio_id, name, plan) values ($1, $2, $3, $4)")
            .bind(id)
            .bind(studio.0)
            .bind(name)
            .bind(Json(plan))
            .execute(&self.pool)
            .await?;
        self.routine(studio, id).await
    }

    /// Writes a routine that is still at `version`.
    pub async fn save_routine(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
        name: &str,
        plan: &Routine,
    ) -> Result<KeptRoutine, StoreError> {
        let done = sqlx::query(
            "update routine set name = $4, plan = $5, version = version + 1, changed_at = now()
             where studio_id = $1 and id = $2 and version = $3",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(name)
        .bind(Json(plan))
        .execute(&self.pool)
        .await?;
        let now = self.routine(studio, id).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed);
        }
        Ok(now)
    }

    /// Takes a routine away that is still at `version`.
    pub async fn remove_routine(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
    ) -> Result<(), StoreError> {
        let done =
            sqlx::query("delete from routine where studio_id = $1 and id = $2 and version = $3")
                .bind(studio.0)
                .bind(id)
                .bind(version)
                .execute(&self.pool)
                .await?;
        if done.rows_affected() == 0 {
            self.routine(studio, id).await?;
            return Err(StoreError::Changed);
        }
        Ok(())
    }
}
