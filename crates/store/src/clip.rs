//! The file of a take.

use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// How far a clip is.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum ClipState {
    /// The playable copy is being made.
    Preparing,
    /// It can be played.
    Ready,
    /// It could not be made.
    Failed,
    /// Marks and measures are kept, the film is not.
    NotKept,
}

/// A clip.
#[derive(Debug, Clone, FromRow)]
pub struct Clip {
    /// Id.
    pub id: Uuid,
    /// Studio.
    pub studio_id: Uuid,
    /// Its take.
    pub take_id: Uuid,
    /// Which of the take's angles, 1..4; the first one's clock is the take's.
    pub angle: i16,
    /// Microseconds of the first angle's clip at which this one begins.
    pub offset_us: i64,
    /// How far it is.
    pub state: ClipState,
    /// 0..1 while preparing.
    pub progress: f32,
    /// Why it failed.
    pub failure: Option<String>,
    /// As it was called on the phone.
    pub file_name: String,
    /// Size of the original, bytes.
    pub bytes: i64,
    /// Key of the original among the blobs.
    pub original: Option<String>,
    /// Key of the playable copy.
    pub proxy: Option<String>,
    /// Width of the playable picture.
    pub width: i32,
    /// Height of the playable picture.
    pub height: i32,
    /// Focal length of a full frame's lens that sees as much, millimetres, where the phone wrote it into the file.
    pub full_frame_focal: Option<f64>,
    /// Container time of the first frame, microseconds.
    pub start_us: i64,
    /// Microseconds of every frame after the first.
    pub frame_times: Vec<i64>,
    /// What its track was brought from, where it has one.
    #[sqlx(default)]
    pub landmarks: Option<String>,
    /// What finding its dancers told.
    #[sqlx(default, json(nullable))]
    pub found: Option<crate::Found>,
}

/// A clip to be added.
#[derive(Debug, Clone)]
pub struct NewClip {
    /// Which of the take's angles, 1..4.
    pub angle: i16,
    /// Microseconds of the first angle's clip at which this one begins.
    pub offset_us: i64,
    /// How far it is.
    pub state: ClipState,
    /// As it was called on the phone.
    pub file_name: String,
    /// Size of the original, bytes.
    pub bytes: i64,
    /// Key of the original among the blobs.
    pub original: Option<String>,
    /// Upright picture, pixels.
    pub size: [i32; 2],
    /// Frame times, where they are known already.
    pub frame_times: Vec<i64>,
}

impl Store {
    /// Adds the clip of an angle that has none; a failed one is replaced.
    pub async fn add_clip(
        &self,
        studio: StudioId,
        take: Uuid,
        new: &NewClip,
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let mut tx = self.pool.begin().await?;
        sqlx::query("delete from clip where studio_id = $1 and take_id = $2 and angle = $3 and state = 'failed'")
            .bind(studio.0)
            .bind(take)
            .bind(new.angle)
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "insert into clip (id, studio_id, take_id, state, file_name, bytes, original, width, height, frame_times, angle, offset_us)
             values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)",
        )
        .bind(id)
        .bind(studio.0)
        .bind(take)
        .bind(new.state)
        .bind(&new.file_name)
        .bind(new.bytes)
        .bind(&new.original)
        .bind(new.size[0])
        .bind(new.size[1])
        .bind(&new.frame_times)
        .bind(new.angle)
        .bind(new.offset_us)
        .execute(&mut *tx)
        .await
        .map_err(|e| StoreError::or_exists(e, "This angle already has its clip. Add another angle, or make a new take."))?;
        tx.commit().await?;
        Ok(id)
    }

    /// The clip of a take's first angle.
    pub async fn clip(&self, studio: StudioId, take: Uuid) -> Result<Option<Clip>, StoreError> {
        self.angle(studio, take, 1).await
    }

    /// The clip of one of a take's angles, 1..4.
    pub async fn angle(
        &self,
        studio: StudioId,
        take: Uuid,
        angle: i16,
    ) -> Result<Option<Clip>, StoreError> {
        Ok(sqlx::query_as(
            "select * from clip where studio_id = $1 and take_id = $2 and angle = $3",
        )
        .bind(studio.0)
        .bind(take)
        .bind(angle)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The clips of all angles of a take, in their order.
    pub async fn clips(&self, studio: StudioId, take: Uuid) -> Result<Vec<Clip>, StoreError> {
        Ok(sqlx::query_as(
            "select clip.*, track.file_name as landmarks, track.found from clip left join track on track.clip_id = clip.id
             where clip.studio_id = $1 and take_id = $2 order by angle",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Sets when a further angle's clip begins, microseconds of the first one's.
    pub async fn set_clip_offset(
        &self,
        studio: StudioId,
        take: Uuid,
        angle: i16,
        offset_us: i64,
    ) -> Result<Clip, StoreError> {
        sqlx::query_as(
            "update clip set offset_us = $4 where studio_id = $1 and take_id = $2 and angle = $3 and angle > 1
             returning *",
        )
        .bind(studio.0)
        .bind(take)
        .bind(angle)
        .bind(offset_us)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound)
    }

    /// Clips of all studios whose copy is not made yet: work that a stopped server left behind.
    pub async fn unprepared_clips(&self) -> Result<Vec<Clip>, StoreError> {
        Ok(
            sqlx::query_as("select * from clip where state = 'preparing' order by created_at")
                .fetch_all(&self.pool)
                .await?,
        )
    }

    /// Notes how far the preparation is, 0..1.
    pub async fn note_progress(&self, clip: Uuid, progress: f32) -> Result<(), StoreError> {
        sqlx::query("update clip set progress = $2 where id = $1 and state = 'preparing'")
            .bind(clip)
            .bind(progress)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The copy is made, though it may not be shown yet.
    pub async fn clip_copied(
        &self,
        clip: Uuid,
        proxy: &str,
        (size, full_frame_focal): ([i32; 2], Option<f64>),
        start_us: i64,
        frame_times: &[i64],
    ) -> Result<(), StoreError> {
        sqlx::query(
            "update clip set proxy = $2, width = $3, height = $4, start_us = $5, frame_times = $6,
                full_frame_focal = $7
             where id = $1",
        )
        .bind(clip)
        .bind(proxy)
        .bind(size[0])
        .bind(size[1])
        .bind(start_us)
        .bind(frame_times)
        .bind(full_frame_focal)
        .execute(&self.pool)
        .await
        .map_err(StoreError::from)
        .and_then(|done| match done.rows_affected() {
            0 => Err(StoreError::NotFound),
            _ => Ok(()),
        })
    }

    /// The clip can be played.
    pub async fn clip_ready(&self, clip: Uuid) -> Result<(), StoreError> {
        sqlx::query("update clip set state = 'ready', progress = 1 where id = $1")
            .bind(clip)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The copy could not be made.
    pub async fn clip_failed(&self, clip: Uuid, why: &str) -> Result<(), StoreError> {
        sqlx::query("update clip set state = 'failed', failure = $2 where id = $1")
            .bind(clip)
            .bind(why)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
