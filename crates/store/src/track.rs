//! Landmarks found in every frame of a clip.

use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use upright_core::body::leads::{By, Clothes, Guess};
use upright_core::body::track::Sighting;
use upright_core::units::MediaTime;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// What finding the dancers told besides where they are.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Found {
    /// Whether one dancer only was found, and no second name given out.
    pub alone: bool,
    /// How many others were in the picture.
    pub others: usize,
    /// Whether the larger network looked.
    pub harder: bool,
    /// Who leads was guessed.
    pub leads: Guess,
    /// What leader and follower wear.
    pub clothes: Option<[Clothes; 2]>,
}

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

    /// What leader and follower wore in the newest other take of the same couple and session in which they were found.
    pub async fn clothes_of_the_day(
        &self,
        studio: StudioId,
        take: Uuid,
    ) -> Result<Option<[Clothes; 2]>, StoreError> {
        let found: Option<Json<Found>> = sqlx::query_scalar(
            "select track.found from take this
             join take other on other.session_id = this.session_id and other.id <> this.id
             join clip on clip.take_id = other.id join track on track.clip_id = clip.id
             where this.studio_id = $1 and this.id = $2 and track.found -> 'clothes' <> 'null'::jsonb
             order by track.made_at desc limit 1",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_optional(&self.pool)
        .await?;
        Ok(found.and_then(|f| f.0.clothes))
    }

    /// Keeps a clip's track in place of the one before.
    pub async fn set_track(
        &self,
        studio: StudioId,
        clip: Uuid,
        file_name: &str,
        sightings: &[Sighting],
        found: Option<&Found>,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "insert into track (clip_id, studio_id, file_name, sightings, found) values ($1, $2, $3, $4, $5)
             on conflict (clip_id) do update
             set file_name = excluded.file_name, sightings = excluded.sightings, found = excluded.found, made_at = now()",
        )
        .bind(clip)
        .bind(studio.0)
        .bind(file_name)
        .bind(Json(sightings))
        .bind(found.map(Json))
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
        // Whoever is the leader in most of the clip wears the leader's clothes; who was put right is known.
        let most = 2 * changed > track.sightings.len();
        let found: Option<Json<Found>> =
            sqlx::query_scalar("select found from track where clip_id = $1")
                .bind(clip)
                .fetch_one(&mut *tx)
                .await?;
        let found = found.map(|Json(mut f)| {
            if most {
                f.clothes = f.clothes.map(|[a, b]| [b, a]);
                f.leads = Guess {
                    sure: 1.0,
                    by: By::Coach,
                };
            }
            Json(f)
        });
        sqlx::query("update track set sightings = $2, found = $3 where clip_id = $1")
            .bind(clip)
            .bind(Json(&track.sightings))
            .bind(found)
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
