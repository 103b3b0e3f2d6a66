//! A studio's own figures, kept as text.

use sqlx::FromRow;

use crate::{Store, StoreError, StudioId};

/// A figure's text as the coach left it.
#[derive(Debug, Clone, PartialEq, Eq, FromRow)]
pub struct OwnChart {
    /// Short name.
    pub id: String,
    /// In the text notation.
    pub text: String,
    /// Grows with each change.
    pub version: i32,
}

const EXISTS: &str = "A figure with this short name is there already. Choose another one.";

impl Store {
    /// All own figures, by short name.
    pub async fn own_charts(&self, studio: StudioId) -> Result<Vec<OwnChart>, StoreError> {
        Ok(sqlx::query_as(
            "select id, text, version from own_chart where studio_id = $1 order by id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// One of them.
    pub async fn own_chart(&self, studio: StudioId, id: &str) -> Result<OwnChart, StoreError> {
        Ok(sqlx::query_as(
            "select id, text, version from own_chart where studio_id = $1 and id = $2",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Adds figures: all of them or none.
    pub async fn add_own_charts(
        &self,
        studio: StudioId,
        charts: &[(String, String)],
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        for (id, text) in charts {
            sqlx::query("insert into own_chart (studio_id, id, text) values ($1, $2, $3)")
                .bind(studio.0)
                .bind(id)
                .bind(text)
                .execute(&mut *tx)
                .await
                .map_err(|e| StoreError::or_exists(e, EXISTS))?;
        }
        Ok(tx.commit().await?)
    }

    /// Writes the text of a figure that is still at `version`.
    pub async fn save_own_chart(
        &self,
        studio: StudioId,
        id: &str,
        version: i32,
        text: &str,
    ) -> Result<OwnChart, StoreError> {
        let done = sqlx::query(
            "update own_chart set text = $4, version = version + 1, changed_at = now()
             where studio_id = $1 and id = $2 and version = $3",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(text)
        .execute(&self.pool)
        .await?;
        let now = self.own_chart(studio, id).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed);
        }
        Ok(now)
    }

    /// Takes a figure away that is still at `version` and that no take dances.
    pub async fn remove_own_chart(
        &self,
        studio: StudioId,
        id: &str,
        version: i32,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "delete from own_chart where studio_id = $1 and id = $2 and version = $3
             and not exists (select 1 from take where studio_id = $1 and chart = $2)",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 1 {
            return Ok(());
        }
        match self.own_chart(studio, id).await? {
            now if now.version == version => Err(StoreError::Exists(
                "A take dances this figure, so it stays. Name another figure there first.",
            )),
            _ => Err(StoreError::Changed),
        }
    }

    /// Ids of the takes that dance a figure.
    pub async fn takes_of_chart(
        &self,
        studio: StudioId,
        chart: &str,
    ) -> Result<Vec<uuid::Uuid>, StoreError> {
        let rows: Vec<(uuid::Uuid,)> =
            sqlx::query_as("select id from take where studio_id = $1 and chart = $2")
                .bind(studio.0)
                .bind(chart)
                .fetch_all(&self.pool)
                .await?;
        Ok(rows.into_iter().map(|r| r.0).collect())
    }
}
