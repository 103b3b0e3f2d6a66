//! The append-only log of a take's marks, and what its newest analysis says in short.

use sqlx::types::Json;
use upright_core::fault::Band;
use upright_core::marks::Entry;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// What lists need of an analysis.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TakeSummary {
    /// Chart id.
    pub chart: Option<String>,
    /// Repetitions.
    pub repetitions: u32,
    /// Beats a minute.
    pub tempo: Option<f64>,
    /// Chart, count, floor, bodies.
    pub ready: [bool; 4],
    /// Judged faults.
    pub judged: Vec<Judgement>,
    /// From where each calibrated phone looks at the floor reference, degrees.
    pub bearings: Vec<f64>,
}

/// A judged fault in short.
#[derive(Debug, Clone, PartialEq)]
pub struct Judgement {
    /// Id in the catalogue.
    pub fault: String,
    /// `leader`, `follower` or `couple`.
    pub role: &'static str,
    /// Mean of the repetitions' worst readings.
    pub value: f64,
    /// Its standard error.
    pub sigma: f64,
    /// Repetitions that show it.
    pub showing: u32,
    /// Repetitions measured.
    pub measured: u32,
    /// Whether most of them were read well enough for a clear fault to show.
    pub told: bool,
    /// Among what to fix first.
    pub offered: bool,
    /// The band that judged.
    pub band: Band,
    /// The measure that it was read from.
    pub measure: String,
    /// How sure the judgement is, 0..1.
    pub probability: f64,
}

impl Store {
    /// All entries of a take's log in order. The number of the last one is its version.
    pub async fn mark_log(&self, studio: StudioId, take: Uuid) -> Result<Vec<Entry>, StoreError> {
        let rows: Vec<(Json<Entry>,)> = sqlx::query_as(
            "select entry from mark_entry where studio_id = $1 and take_id = $2 order by seq",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|(entry,)| entry.0).collect())
    }

    /// How many entries a take's log has: it grows with every change.
    pub async fn mark_count(&self, studio: StudioId, take: Uuid) -> Result<i64, StoreError> {
        let (n,): (i64,) =
            sqlx::query_as("select count(*) from mark_entry where studio_id = $1 and take_id = $2")
                .bind(studio.0)
                .bind(take)
                .fetch_one(&self.pool)
                .await?;
        Ok(n)
    }

    /// Appends entries after `version`, and keeps the summary of what they lead to. Refused when
    /// somebody else has appended in between.
    pub async fn append_marks(
        &self,
        studio: StudioId,
        take: Uuid,
        account: Option<Uuid>,
        version: i32,
        entries: &[Entry],
        summary: &TakeSummary,
    ) -> Result<i32, StoreError> {
        let mut tx = self.pool.begin().await?;
        // Locks the take, so that two windows append one after the other.
        sqlx::query("select 1 from take where studio_id = $1 and id = $2 for update")
            .bind(studio.0)
            .bind(take)
            .fetch_one(&mut *tx)
            .await?;
        let (last,): (i32,) =
            sqlx::query_as("select coalesce(max(seq), 0) from mark_entry where take_id = $1")
                .bind(take)
                .fetch_one(&mut *tx)
                .await?;
        if last != version {
            return Err(StoreError::Changed);
        }
        let json = entries
            .iter()
            .map(serde_json::to_value)
            .collect::<Result<Vec<_>, _>>()?;
        sqlx::query(
            "insert into mark_entry (studio_id, take_id, seq, entry, account_id)
             select $1, $2, $3 + n, e, $5 from unnest($4::jsonb[]) with ordinality as x(e, n)",
        )
        .bind(studio.0)
        .bind(take)
        .bind(version)
        .bind(json)
        .bind(account)
        .execute(&mut *tx)
        .await?;
        keep_summary(&mut tx, studio, take, summary).await?;
        tx.commit().await?;
        Ok(version + entries.len() as i32)
    }

    /// Keeps a new summary of a take whose marks are as they were (a height was corrected).
    pub async fn renew_summary(
        &self,
        studio: StudioId,
        take: Uuid,
        summary: &TakeSummary,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        keep_summary(&mut tx, studio, take, summary).await?;
        tx.commit().await?;
        Ok(())
    }
}

async fn keep_summary(
    tx: &mut sqlx::PgConnection,
    studio: StudioId,
    take: Uuid,
    s: &TakeSummary,
) -> Result<(), StoreError> {
    sqlx::query(
        "update take set chart = $3, repetitions = $4, tempo = $5, chart_ready = $6,
                count_ready = $7, floor_ready = $8, bodies_ready = $9, bearings = $10
         where studio_id = $1 and id = $2",
    )
    .bind(studio.0)
    .bind(take)
    .bind(&s.chart)
    .bind(s.repetitions as i32)
    .bind(s.tempo)
    .bind(s.ready[0])
    .bind(s.ready[1])
    .bind(s.ready[2])
    .bind(s.ready[3])
    .bind(&s.bearings)
    .execute(&mut *tx)
    .await?;
    sqlx::query("delete from take_fault where studio_id = $1 and take_id = $2")
        .bind(studio.0)
        .bind(take)
        .execute(&mut *tx)
        .await?;
    for j in &s.judged {
        sqlx::query(
            "insert into take_fault (studio_id, take_id, fault, role, value, sigma, showing, measured, offered,
                    band, measure, probability, told)
             values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)",
        )
        .bind(studio.0)
        .bind(take)
        .bind(&j.fault)
        .bind(j.role)
        .bind(j.value)
        .bind(j.sigma)
        .bind(j.showing as i32)
        .bind(j.measured as i32)
        .bind(j.offered)
        .bind(Json(j.band))
        .bind(&j.measure)
        .bind(j.probability)
        .bind(j.told)
        .execute(&mut *tx)
        .await?;
    }
    Ok(())
}
