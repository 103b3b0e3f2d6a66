//! Corrections in a person's log, and the looks that follow them.

use jiff_sqlx::ToSqlx as _;
use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use upright_core::units::Role;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId, Whose};

/// A correction.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Correction {
    /// Id.
    pub id: Uuid,
    /// The take in which it was seen.
    pub take_id: Uuid,
    /// Whose.
    pub person_id: Uuid,
    /// Name.
    pub person: String,
    /// In which role: `leader` or `follower`.
    pub role: String,
    /// Id in the catalogue.
    pub fault: String,
    /// Chart danced.
    pub chart: String,
    /// The count at which it shows most, as spoken.
    pub count: Option<String>,
    /// What was measured.
    pub value: f64,
    /// Its standard error.
    pub sigma: f64,
    /// Unit of both.
    pub unit: String,
    /// Repetitions that showed it.
    pub showing: i32,
    /// Repetitions measured.
    pub measured: i32,
    /// What to say.
    pub cue: String,
    /// What to do.
    pub drill: String,
    /// Which step of the ladder that is, from 1.
    pub drill_step: i32,
    /// What fine looks like.
    pub target: String,
    /// Caution.
    pub caution: Option<String>,
    /// When to look again.
    #[schema(value_type = Option<String>, format = Date)]
    pub recheck_on: Option<jiff_sqlx::Date>,
    /// Day on which it was seen.
    #[schema(value_type = String, format = Date)]
    pub seen_on: jiff_sqlx::Date,
    /// Looks since that were fine, and all looks.
    pub fine_looks: i64,
    /// All looks since.
    pub looks: i64,
    /// Part of the practice weeks.
    pub practised: bool,
    /// Grows with each change.
    pub version: i32,
}

/// A correction to be logged.
#[derive(Debug, Clone)]
pub struct NewCorrection {
    /// Whose.
    pub person: Uuid,
    /// In which role.
    pub role: Role,
    /// Id in the catalogue.
    pub fault: String,
    /// Chart danced.
    pub chart: String,
    /// Count as spoken.
    pub count: Option<String>,
    /// What was measured.
    pub value: f64,
    /// Its standard error.
    pub sigma: f64,
    /// Unit.
    pub unit: String,
    /// Repetitions that showed it.
    pub showing: u32,
    /// Repetitions measured.
    pub measured: u32,
    /// What to say.
    pub cue: String,
    /// What to do.
    pub drill: String,
    /// Step of the ladder, from 1.
    pub drill_step: i32,
    /// What fine looks like.
    pub target: String,
    /// Caution.
    pub caution: Option<String>,
    /// When to look again.
    pub recheck_on: Option<jiff::civil::Date>,
}

/// What a coach may change of a correction.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CorrectionChange {
    /// What to say.
    pub cue: String,
    /// What to do.
    pub drill: String,
    /// Step of the ladder, from 1.
    pub drill_step: i32,
    /// When to look again.
    #[schema(value_type = Option<String>, format = Date)]
    pub recheck_on: Option<jiff::civil::Date>,
}

pub(crate) async fn insert_correction(
    tx: &mut sqlx::PgConnection,
    studio: StudioId,
    take: Uuid,
    decision: Uuid,
    c: &NewCorrection,
) -> Result<(), StoreError> {
    sqlx::query(
        "insert into correction (id, studio_id, decision_id, take_id, person_id, role, fault, chart, count,
                value, sigma, unit, showing, measured, cue, drill, drill_step, target, caution, recheck_on)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20)",
    )
    .bind(Uuid::now_v7())
    .bind(studio.0)
    .bind(decision)
    .bind(take)
    .bind(c.person)
    .bind(Whose::word(Some(c.role)))
    .bind(&c.fault)
    .bind(&c.chart)
    .bind(&c.count)
    .bind(c.value)
    .bind(c.sigma)
    .bind(&c.unit)
    .bind(c.showing as i32)
    .bind(c.measured as i32)
    .bind(&c.cue)
    .bind(&c.drill)
    .bind(c.drill_step)
    .bind(&c.target)
    .bind(&c.caution)
    .bind(c.recheck_on.map(|d| d.to_sqlx()))
    .execute(tx)
    .await?;
    Ok(())
}

/// What a correction said before a change.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct CorrectionWas {
    /// Number of the state, from 1.
    pub version: i32,
    /// What it said.
    pub cue: String,
    /// What it asked to do.
    pub drill: String,
    /// Which step of the ladder that was, from 1.
    pub drill_step: i32,
    /// When it was to be looked at again.
    #[schema(value_type = Option<String>, format = Date)]
    pub recheck_on: Option<jiff_sqlx::Date>,
    /// When it was changed.
    #[schema(value_type = String, format = DateTime)]
    pub at: jiff_sqlx::Timestamp,
}

/// What of the log is wanted; what is absent asks for nothing.
#[derive(Debug, Clone, Default)]
pub struct LogFilter {
    /// One correction.
    pub id: Option<Uuid>,
    /// Whose.
    pub person: Option<Uuid>,
    /// Either of these two: a couple.
    pub people: Vec<Uuid>,
    /// In which role.
    pub role: Option<Role>,
    /// Words to be found in what it says, does, aims at or warns of.
    pub words: Option<String>,
    /// Faults whose names or areas are asked for; with `words`, they count as found.
    pub faults: Vec<String>,
}

async fn keep_what_was(
    tx: &mut sqlx::PgConnection,
    studio: StudioId,
    id: Uuid,
    account: Option<Uuid>,
) -> Result<(), StoreError> {
    sqlx::query(
        "insert into correction_change
                (studio_id, correction_id, version, cue, drill, drill_step, recheck_on, account_id)
         select studio_id, id, version, cue, drill, drill_step, recheck_on, $3
         from correction where studio_id = $1 and id = $2
         on conflict do nothing",
    )
    .bind(studio.0)
    .bind(id)
    .bind(account)
    .execute(tx)
    .await?;
    Ok(())
}

impl Store {
    /// What a correction said before each of its changes, oldest first.
    pub async fn correction_history(
        &self,
        studio: StudioId,
        id: Uuid,
    ) -> Result<Vec<CorrectionWas>, StoreError> {
        Ok(sqlx::query_as(
            "select version, cue, drill, drill_step, recheck_on, at from correction_change
             where studio_id = $1 and correction_id = $2 order by version",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_all(&self.pool)
        .await?)
    }

    /// The corrections that stand, newest first: of one person, or all.
    pub async fn corrections(
        &self,
        studio: StudioId,
        person: Option<Uuid>,
    ) -> Result<Vec<Correction>, StoreError> {
        let filter = LogFilter {
            person,
            ..LogFilter::default()
        };
        self.log(studio, &filter).await
    }

    /// The corrections that stand and are asked for, newest first.
    pub async fn log(
        &self,
        studio: StudioId,
        filter: &LogFilter,
    ) -> Result<Vec<Correction>, StoreError> {
        Ok(sqlx::query_as(
            "select c.id, c.take_id, c.person_id, p.name as person, c.role, c.fault, c.chart, c.count,
                    c.value, c.sigma, c.unit, c.showing, c.measured, c.cue, c.drill, c.drill_step, c.target,
                    c.caution, c.recheck_on, s.held_on as seen_on,
                    (select count(*) from look k where k.correction_id = c.id and k.fine) as fine_looks,
                    (select count(*) from look k where k.correction_id = c.id) as looks,
                    c.practised, c.version
             from correction c join person p on p.id = c.person_id
             join take t on t.id = c.take_id join session s on s.id = t.session_id
             where c.studio_id = $1 and c.withdrawn_at is null and t.binned_at is null
               and ($2::uuid is null or c.person_id = $2) and ($3::uuid is null or c.id = $3)
               and ($4::text is null or c.role = $4)
               and ($5::text is null or c.words @@ websearch_to_tsquery('simple', $5) or c.fault = any($6))
               and (cardinality($7::uuid[]) = 0 or c.person_id = any($7))
             order by s.held_on desc, c.created_at desc, c.id",
        )
        .bind(studio.0)
        .bind(filter.person)
        .bind(filter.id)
        .bind(filter.role.map(|r| Whose::word(Some(r))))
        .bind(&filter.words)
        .bind(&filter.faults)
        .bind(&filter.people)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A correction that stands.
    pub async fn correction(&self, studio: StudioId, id: Uuid) -> Result<Correction, StoreError> {
        let filter = LogFilter {
            id: Some(id),
            ..LogFilter::default()
        };
        self.log(studio, &filter)
            .await?
            .pop()
            .ok_or(StoreError::NotFound)
    }

    /// Changes a correction that is still at `version`.
    pub async fn change_correction(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
        account: Option<Uuid>,
        change: &CorrectionChange,
    ) -> Result<Correction, StoreError> {
        let mut tx = self.pool.begin().await?;
        keep_what_was(&mut tx, studio, id, account).await?;
        let done = sqlx::query(
            "update correction set cue = $4, drill = $5, drill_step = $6, recheck_on = $7, version = version + 1,
                    -- A new step begins its own count of reports.
                    cleared_at = case when drill_step <> $6 then now() else cleared_at end
             where studio_id = $1 and id = $2 and version = $3 and withdrawn_at is null",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(&change.cue)
        .bind(&change.drill)
        .bind(change.drill_step)
        .bind(change.recheck_on.map(|d| d.to_sqlx()))
        .execute(&mut *tx)
        .await?;
        if done.rows_affected() == 0 {
            // Not there at all, or changed by someone else: nothing is kept.
            tx.rollback().await?;
            self.correction(studio, id).await?;
            return Err(StoreError::Changed);
        }
        tx.commit().await?;
        self.correction(studio, id).await
    }

    /// Notes a look at a correction and the date of the next one.
    pub async fn note_look(
        &self,
        studio: StudioId,
        correction: Uuid,
        looked_on: jiff::civil::Date,
        fine: bool,
        next: Option<jiff::civil::Date>,
    ) -> Result<Correction, StoreError> {
        let mut tx = self.pool.begin().await?;
        sqlx::query(
            "insert into look (id, studio_id, correction_id, looked_on, fine) values ($1, $2, $3, $4, $5)",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(correction)
        .bind(looked_on.to_sqlx())
        .bind(fine)
        .execute(&mut *tx)
        .await?;
        keep_what_was(&mut tx, studio, correction, None).await?;
        sqlx::query(
            "update correction set recheck_on = $3, version = version + 1 where studio_id = $1 and id = $2",
        )
        .bind(studio.0)
        .bind(correction)
        .bind(next.map(|d| d.to_sqlx()))
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        self.correction(studio, correction).await
    }
}
