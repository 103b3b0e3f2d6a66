//! Long work on clips: what the coach sees of it, and the durable queue that carries it to a worker.

use std::time::Duration;

use apalis::prelude::TaskBuilder;
use apalis_postgres::{Config, PostgresStorage};
use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use sqlx::types::Json;
use upright_core::units::Role;
use uuid::Uuid;

use crate::{Clip, Store, StoreError, StudioId};

/// What is to be done with a clip.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum WorkKind {
    /// Make the playable copy.
    Prepare,
    /// Find both dancers in every frame.
    Find,
}

/// How far work is.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum WorkState {
    /// No worker has begun it yet.
    Waiting,
    /// A worker is at it.
    Running,
    /// It is done.
    Done,
    /// It cannot be done.
    Failed,
    /// The coach stopped it.
    Stopped,
}

/// What the coach wants of finding dancers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Wanted {
    /// The larger network, which takes about three times as long.
    pub harder: bool,
    /// Only one dances: no second name is given out.
    pub one: bool,
    /// Dancers whom the coach has pointed at.
    pub picks: Vec<Picked>,
}

/// A dancer whom the coach has pointed at in a picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Picked {
    /// Which of the take's angles, 1..4.
    pub angle: i16,
    /// Microseconds of that angle's clip.
    pub at: i64,
    /// Who it is.
    pub role: Role,
    /// Pixel of the picture.
    pub pixel: [f64; 2],
}

/// A piece of work.
#[derive(Debug, Clone, FromRow)]
pub struct Work {
    /// Id.
    pub id: Uuid,
    /// Studio.
    pub studio_id: Uuid,
    /// The clip.
    pub clip_id: Uuid,
    /// What is done.
    pub kind: WorkKind,
    /// How far it is.
    pub state: WorkState,
    /// 0..1.
    pub progress: f32,
    /// Why it failed, in words.
    pub failure: Option<String>,
    /// How often it was begun.
    pub attempts: i32,
    /// What the coach wants of it.
    #[sqlx(json)]
    pub wanted: Wanted,
    /// Seconds since it was begun.
    #[sqlx(default)]
    pub running_for: Option<f64>,
}

/// Name of the queue.
const QUEUE: &str = "clips";

/// A worker that has not been heard of for this long is taken for dead, and its work is given to another.
const HEARTBEAT: Duration = Duration::from_secs(2);
const MISSED: usize = 4;

/// Begun this often without an end, work is given up: it takes its worker down.
const MOST_ATTEMPTS: i32 = 4;

impl Store {
    /// Prepares the queue's own tables.
    pub(crate) async fn set_up_queue(&self) -> Result<(), StoreError> {
        PostgresStorage::setup(&self.pool)
            .await
            .map_err(|e| StoreError::Queue(e.to_string()))
    }

    /// The queue, for a worker.
    pub fn queue(&self) -> PostgresStorage<Uuid> {
        PostgresStorage::new(&self.pool).with_config(
            Config::default()
                .queue(QUEUE)
                .batch_size(1)
                .heartbeat_interval(HEARTBEAT)
                .missed_heartbeats(MISSED),
        )
    }

    /// Asks for work on a clip, in one step with the queue; what is asked for already is given back.
    pub async fn ask_work(
        &self,
        studio: StudioId,
        clip: Uuid,
        kind: WorkKind,
        wanted: &Wanted,
    ) -> Result<Work, StoreError> {
        let mut tx = self.pool.begin().await?;
        let made: Option<Work> = sqlx::query_as(
            "insert into work (id, studio_id, clip_id, kind, state, wanted) values ($1, $2, $3, $4, 'waiting', $5)
             on conflict (clip_id, kind) where state in ('waiting', 'running') do nothing returning *",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(clip)
        .bind(kind)
        .bind(Json(wanted))
        .fetch_optional(&mut *tx)
        .await?;
        let Some(work) = made else {
            tx.rollback().await?;
            return sqlx::query_as(
                "select * from work where studio_id = $1 and clip_id = $2 and kind = $3
                 order by asked_at desc limit 1",
            )
            .bind(studio.0)
            .bind(clip)
            .bind(kind)
            .fetch_optional(&self.pool)
            .await?
            .ok_or(StoreError::NotFound);
        };
        let message = serde_json::to_vec(&work.id).map_err(|e| StoreError::Queue(e.to_string()))?;
        let task = TaskBuilder::new(message)
            .max_attempts(MOST_ATTEMPTS as usize + 1)
            .build();
        apalis_postgres::queries::push_tasks(&mut *tx, QUEUE, vec![task])
            .await
            .map_err(|e| StoreError::Queue(e.to_string()))?;
        tx.commit().await?;
        Ok(work)
    }

    /// What kind of work a queue's message names; `None` when it is gone.
    pub async fn work_kind(&self, id: Uuid) -> Result<Option<WorkKind>, StoreError> {
        Ok(sqlx::query_scalar("select kind from work where id = $1")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Begins work that a queue's message names; `None` when it is no longer wanted.
    pub async fn begin_work(&self, id: Uuid) -> Result<Option<(Work, Clip)>, StoreError> {
        let begun: Option<Work> = sqlx::query_as(
            "update work set state = 'running', begun_at = now(), attempts = attempts + 1, progress = 0
             where id = $1 and state in ('waiting', 'running') returning *",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await?;
        let Some(work) = begun else { return Ok(None) };
        if work.attempts > MOST_ATTEMPTS {
            self.end_work(
                id,
                Err("This clip stopped the program several times while it was worked on. Film or export it again."),
            )
            .await?;
            return Ok(None);
        }
        let clip: Option<Clip> = sqlx::query_as("select * from clip where id = $1")
            .bind(work.clip_id)
            .fetch_optional(&self.pool)
            .await?;
        Ok(clip.map(|c| (work, c)))
    }

    /// Notes how far work is, 0..1; false when it is no longer wanted.
    pub async fn note_work(&self, id: Uuid, progress: f64) -> Result<bool, StoreError> {
        let done = sqlx::query("update work set progress = $2 where id = $1 and state = 'running'")
            .bind(id)
            .bind(progress.clamp(0.0, 1.0) as f32)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Ends work that was not stopped meanwhile; false when it was.
    pub async fn end_work(&self, id: Uuid, how: Result<(), &str>) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "update work set state = case when $2::text is null then 'done' else 'failed' end, failure = $2,
             progress = case when $2::text is null then 1 else progress end, ended_at = now()
             where id = $1 and state in ('waiting', 'running')",
        )
        .bind(id)
        .bind(how.err())
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Stops work that is not over yet.
    pub async fn stop_work(&self, studio: StudioId, id: Uuid) -> Result<Work, StoreError> {
        sqlx::query_as(
            "update work set state = 'stopped', ended_at = now()
             where studio_id = $1 and id = $2 and state in ('waiting', 'running') returning *",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound)
    }

    /// The newest work of each kind on each clip of a take, by angle.
    pub async fn take_work(
        &self,
        studio: StudioId,
        take: Uuid,
    ) -> Result<Vec<(i16, Work)>, StoreError> {
        #[derive(FromRow)]
        struct Row {
            angle: i16,
            #[sqlx(flatten)]
            work: Work,
        }
        let rows: Vec<Row> = sqlx::query_as(
            "select distinct on (clip.angle, work.kind) clip.angle, work.*,
             extract(epoch from now() - begun_at)::float8 as running_for
             from work join clip on clip.id = work.clip_id
             where work.studio_id = $1 and clip.take_id = $2
             order by clip.angle, work.kind, work.asked_at desc",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|r| (r.angle, r.work)).collect())
    }
}
