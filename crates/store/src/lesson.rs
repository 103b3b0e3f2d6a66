//! Lessons: planned, held, over.

use jiff_sqlx::ToSqlx as _;
use serde::Serialize;
use sqlx::FromRow;
use sqlx::types::Json;
use upright_core::plan::Lesson;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A lesson that is kept.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct KeptLesson {
    /// Id.
    pub id: Uuid,
    /// The day.
    #[schema(value_type = String, format = Date)]
    pub held_on: jiff_sqlx::Date,
    /// When it begins, where that is set.
    #[schema(value_type = Option<String>)]
    pub begins_at: Option<jiff_sqlx::Time>,
    /// How long, minutes.
    pub minutes: i16,
    /// Who comes.
    pub couples: Vec<Uuid>,
    /// What is planned.
    #[schema(value_type = Lesson)]
    pub plan: Json<Lesson>,
    /// Whether it is over.
    pub ended: bool,
    /// Grows with each change.
    pub version: i32,
}

/// A lesson to be kept.
#[derive(Debug, Clone)]
pub struct NewLesson {
    /// The day.
    pub held_on: jiff::civil::Date,
    /// When it begins.
    pub begins_at: Option<jiff::civil::Time>,
    /// How long, minutes.
    pub minutes: u16,
    /// Who comes.
    pub couples: Vec<Uuid>,
    /// What is planned.
    pub plan: Lesson,
}

/// A query's text with what is read of a lesson in its place.
macro_rules! columns {
    ($before:literal, $after:literal) => {
        concat!(
            $before,
            " id, held_on, begins_at, minutes, couples, plan, ended_at is not null as ended, version ",
            $after
        )
    };
}

impl Store {
    /// Lessons from a day on, by day; those that are over too.
    pub async fn lessons(
        &self,
        studio: StudioId,
        from: jiff::civil::Date,
    ) -> Result<Vec<KeptLesson>, StoreError> {
        Ok(sqlx::query_as(columns!(
            "select",
            "from lesson where studio_id = $1 and held_on >= $2
             order by held_on, begins_at nulls last, created_at"
        ))
        .bind(studio.0)
        .bind(from.to_sqlx())
        .fetch_all(&self.pool)
        .await?)
    }

    /// A lesson.
    pub async fn lesson(&self, studio: StudioId, id: Uuid) -> Result<KeptLesson, StoreError> {
        Ok(sqlx::query_as(columns!(
            "select",
            "from lesson where studio_id = $1 and id = $2"
        ))
        .bind(studio.0)
        .bind(id)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Keeps a lesson.
    pub async fn create_lesson(
        &self,
        studio: StudioId,
        new: &NewLesson,
    ) -> Result<KeptLesson, StoreError> {
        Ok(sqlx::query_as(columns!(
            "insert into lesson (id, studio_id, held_on, begins_at, minutes, couples, plan)
             values ($1, $2, $3, $4, $5, $6, $7) returning",
            ""
        ))
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(new.held_on.to_sqlx())
        .bind(new.begins_at.map(|t| t.to_sqlx()))
        .bind(new.minutes as i16)
        .bind(&new.couples)
        .bind(Json(&new.plan))
        .fetch_one(&self.pool)
        .await?)
    }

    /// Ends a lesson, or takes that back.
    pub async fn end_lesson(
        &self,
        studio: StudioId,
        id: Uuid,
        ended: bool,
    ) -> Result<KeptLesson, StoreError> {
        Ok(sqlx::query_as(columns!(
            "update lesson set ended_at = case when $3 then now() end, version = version + 1
             where studio_id = $1 and id = $2 returning",
            ""
        ))
        .bind(studio.0)
        .bind(id)
        .bind(ended)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Forgets a lesson. What was logged in it stays.
    pub async fn remove_lesson(&self, studio: StudioId, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query("delete from lesson where studio_id = $1 and id = $2")
            .bind(studio.0)
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }
}
