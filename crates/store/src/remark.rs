//! Frames that the coach has marked twice.

use std::collections::BTreeMap;

use jiff_sqlx::ToSqlx as _;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// One sitting: both readings of every measure that could be read both times.
#[derive(Debug, Clone, FromRow)]
pub struct Remark {
    /// When.
    pub marked_on: jiff_sqlx::Date,
    /// The take.
    pub take_id: Uuid,
    /// First and second reading, by measure.
    pub readings: Json<BTreeMap<String, Vec<[f64; 2]>>>,
}

impl Store {
    /// All sittings, oldest first.
    pub async fn remarks(&self, studio: StudioId) -> Result<Vec<Remark>, StoreError> {
        Ok(sqlx::query_as(
            "select marked_on, take_id, readings from remark where studio_id = $1 order by at, id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Keeps a sitting.
    pub async fn add_remark(
        &self,
        studio: StudioId,
        take: Uuid,
        on: jiff::civil::Date,
        readings: &BTreeMap<String, Vec<[f64; 2]>>,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "insert into remark (id, studio_id, take_id, marked_on, readings) values ($1, $2, $3, $4, $5)",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(take)
        .bind(on.to_sqlx())
        .bind(Json(readings))
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
