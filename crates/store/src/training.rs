//! What is practised between lessons, and how it goes.

use jiff_sqlx::ToSqlx as _;
use sqlx::FromRow;
use upright_core::plan::{Done, How};
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// Column's word for how a practice went.
fn word(how: How) -> &'static str {
    match how {
        How::Fine => "fine",
        How::Hard => "hard",
        How::Pain => "pain",
    }
}

/// A report of a correction's practice.
#[derive(Debug, Clone, FromRow)]
pub struct PracticeReport {
    /// Which correction.
    pub correction_id: Uuid,
    /// When.
    pub practised_on: jiff_sqlx::Date,
    /// `fine`, `hard` or `pain`.
    pub how: String,
    /// The coach has spoken about it since, or the correction's step was set anew.
    pub cleared: bool,
}

impl PracticeReport {
    /// As the core says it.
    pub fn done(&self) -> Done {
        Done {
            on: self.practised_on.to_jiff(),
            how: match self.how.as_str() {
                "fine" => How::Fine,
                "hard" => How::Hard,
                _ => How::Pain,
            },
        }
    }
}

impl Store {
    /// Minutes that a person has from Monday to Sunday, where they were asked.
    pub async fn practice_time(
        &self,
        studio: StudioId,
        person: Uuid,
    ) -> Result<Option<[u16; 7]>, StoreError> {
        let row: Option<(Vec<i16>,)> = sqlx::query_as(
            "select minutes from practice_time where studio_id = $1 and person_id = $2",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_optional(&self.pool)
        .await?;
        Ok(row.and_then(|(m,)| {
            let m: [i16; 7] = m.try_into().ok()?;
            Some(m.map(|n| n.unsigned_abs()))
        }))
    }

    /// Keeps the minutes that a person has.
    pub async fn set_practice_time(
        &self,
        studio: StudioId,
        person: Uuid,
        minutes: [u16; 7],
    ) -> Result<(), StoreError> {
        let minutes: Vec<i16> = minutes.iter().map(|m| *m as i16).collect();
        sqlx::query(
            "insert into practice_time (person_id, studio_id, minutes) values ($1, $2, $3)
             on conflict (person_id) do update set minutes = excluded.minutes
             where practice_time.studio_id = excluded.studio_id",
        )
        .bind(person)
        .bind(studio.0)
        .bind(minutes)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Reports of the practice of a person's corrections, oldest first.
    pub async fn practice_reports(
        &self,
        studio: StudioId,
        person: Uuid,
    ) -> Result<Vec<PracticeReport>, StoreError> {
        Ok(sqlx::query_as(
            "select r.correction_id, r.practised_on, r.how,
                    coalesce(r.at <= c.cleared_at, false) as cleared
             from practice_report r join correction c on c.id = r.correction_id
             join take t on t.id = c.take_id and t.binned_at is null
             where r.studio_id = $1 and c.person_id = $2 and c.withdrawn_at is null
             order by r.practised_on, r.at",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }

    /// What hurt and was not spoken about since: person, name, correction, fault.
    pub async fn hurt(
        &self,
        studio: StudioId,
    ) -> Result<Vec<(Uuid, String, Uuid, String)>, StoreError> {
        Ok(sqlx::query_as(
            "select distinct p.id, p.name, c.id, c.fault
             from practice_report r join correction c on c.id = r.correction_id
             join take t on t.id = c.take_id and t.binned_at is null
             join person p on p.id = c.person_id
             where r.studio_id = $1 and r.how = 'pain' and c.withdrawn_at is null and c.practised
               and (c.cleared_at is null or r.at > c.cleared_at)
             order by p.name, c.id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Keeps how a practice went; a second word on the same day stands for the first. Pain stays, unless it is
    /// said again or the coach has spoken about it since.
    pub async fn report_practice(
        &self,
        studio: StudioId,
        correction: Uuid,
        on: jiff::civil::Date,
        how: How,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "insert into practice_report (id, studio_id, correction_id, practised_on, how)
             values ($1, $2, $3, $4, $5)
             on conflict (correction_id, practised_on) do update set how = excluded.how, at = now()
             where practice_report.how <> 'pain' or excluded.how = 'pain' or exists (
                 select 1 from correction c
                 where c.id = practice_report.correction_id and c.cleared_at >= practice_report.at)",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(correction)
        .bind(on.to_sqlx())
        .bind(word(how))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Takes a correction into the practice weeks or out of them.
    pub async fn set_practised(
        &self,
        studio: StudioId,
        correction: Uuid,
        practised: bool,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "update correction set practised = $3
             where studio_id = $1 and id = $2 and withdrawn_at is null",
        )
        .bind(studio.0)
        .bind(correction)
        .bind(practised)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }

    /// The coach has spoken about what hurt: the drill may go on, from the step now set.
    pub async fn clear_practice(
        &self,
        studio: StudioId,
        correction: Uuid,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "update correction set cleared_at = now()
             where studio_id = $1 and id = $2 and withdrawn_at is null",
        )
        .bind(studio.0)
        .bind(correction)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }
}
