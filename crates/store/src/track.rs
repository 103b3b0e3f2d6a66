//! Landmarks found in every frame of a clip.

use sqlx::types::Json;
use upright_core::body::track::Sighting;
use upright_core::units::MediaTime;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A clip's track.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Track {
    /// What it was brought from.
    pub file_name: String,
    /// In order of time.
    #[sqlx(json)]
    pub sightings: Vec<Sighting>,
}

impl Store {
    /// The track of a clip, if it has one.
    pub async fn track(&self, studio: StudioId, clip: Uuid) -> Result<Option<Track>, StoreError> {
        Ok(sqlx::query_as(
            "select file_name, sightings from track where studio_id = $1 and clip_id = $2",
        )
        .bind(studio.0)
        .bind(clip)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Keeps a clip's track in place of the one before.
    pub async fn set_track(
        &self,
        studio: StudioId,
        clip: Uuid,
        file_name: &str,
        sightings: &[Sighting],
    ) -> Result<(), StoreError> {
        sqlx::query(
            "insert into track (clip_id, studio_id, file_name, sightings) values ($1, $2, $3, $4)
             on conflict (clip_id) do update
             set file_name = excluded.file_name, sightings = excluded.sightings, made_at = now()",
        )
        .bind(clip)
        .bind(studio.0)
        .bind(file_name)
        .bind(Json(sightings))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Exchanges the two dancers of a clip's track between two moments, both included; gives how many sights
    /// changed their dancer.
    pub async fn exchange_track(
        &self,
        studio: StudioId,
        clip: Uuid,
        span: [MediaTime; 2],
    ) -> Result<usize, StoreError> {
        let mut tx = self.pool.begin().await?;
        let track: Option<Track> = sqlx::query_as(
            "select file_name, sightings from track where studio_id = $1 and clip_id = $2 for update",
        )
        .bind(studio.0)
        .bind(clip)
        .fetch_optional(&mut *tx)
        .await?;
        let mut track = track.ok_or(StoreError::NotFound)?;
        let mut changed = 0;
        for s in &mut track.sightings {
            if s.at >= span[0] && s.at <= span[1] {
                s.role = s.role.partner();
                changed += 1;
            }
        }
        sqlx::query("update track set sightings = $2 where clip_id = $1")
            .bind(clip)
            .bind(Json(&track.sightings))
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(changed)
    }

    /// Takes a clip's track away; false when there was none.
    pub async fn drop_track(&self, studio: StudioId, clip: Uuid) -> Result<bool, StoreError> {
        let done = sqlx::query("delete from track where studio_id = $1 and clip_id = $2")
            .bind(studio.0)
            .bind(clip)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected() > 0)
    }
}
