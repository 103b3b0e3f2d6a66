//! Takes: a chart danced a number of times in a session.

use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use sqlx::types::Json;
use upright_core::fault::Band;
use upright_core::units::Role;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A take with what lists show of it.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Take {
    /// Id.
    pub id: Uuid,
    /// The couple.
    pub couple_id: Uuid,
    /// Who leads.
    pub leader_id: Uuid,
    /// Who follows.
    pub follower_id: Uuid,
    /// Name of who leads.
    pub leader: String,
    /// Name of who follows.
    pub follower: String,
    /// Day of the session.
    #[schema(value_type = String, format = Date)]
    pub held_on: jiff_sqlx::Date,
    /// Where.
    pub place: String,
    /// Number within the session, from 1.
    pub number: i32,
    /// Chart id, once named.
    pub chart: Option<String>,
    /// Repetitions, once named.
    pub repetitions: i32,
    /// Beats a minute, once counted.
    pub tempo: Option<f64>,
    /// Figure named.
    pub chart_ready: bool,
    /// Count laid.
    pub count_ready: bool,
    /// Floor measured.
    pub floor_ready: bool,
    /// Bodies marked.
    pub bodies_ready: bool,
    /// State of the clip, absent without one.
    pub clip: Option<String>,
    /// Whether the coach has closed the review.
    pub reviewed: bool,
    /// Findings offered and not decided yet.
    pub open_findings: i64,
    /// On what floor.
    pub floor: String,
    /// In what shoes.
    pub shoes: String,
}

/// A take to be made.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTake {
    /// The couple.
    pub couple_id: Uuid,
    /// Day of the session.
    #[schema(value_type = String, format = Date)]
    pub held_on: jiff::civil::Date,
    /// Where.
    #[serde(default)]
    pub place: String,
    /// On what floor.
    #[serde(default)]
    pub floor: String,
    /// In what shoes.
    #[serde(default)]
    pub shoes: String,
}

/// One take's judgement of one fault for a person, as progress reads it.
#[derive(Debug, Clone, FromRow)]
pub struct PersonReading {
    /// The take.
    pub take_id: Uuid,
    /// Whose progress.
    pub person_id: Uuid,
    /// Day of the session.
    pub held_on: jiff_sqlx::Date,
    /// Chart danced.
    pub chart: String,
    /// Beats a minute.
    pub tempo: Option<f64>,
    /// Name of the partner.
    pub partner: String,
    /// Role of the person in it: `leader` or `follower`.
    pub danced_as: String,
    /// `leader`, `follower` or `couple`.
    pub role: String,
    /// Id in the catalogue.
    pub fault: String,
    /// Mean of the repetitions' worst readings.
    pub value: f64,
    /// Its standard error.
    pub sigma: f64,
    /// Repetitions that show it.
    pub showing: i32,
    /// Repetitions measured.
    pub measured: i32,
    /// Whether most of them were read well enough for a clear fault to show.
    pub told: bool,
    /// The band that judged, and the measure that it was read from.
    pub band: Option<Json<Band>>,
    /// The measure.
    pub measure: Option<String>,
    /// From where each calibrated phone looked, degrees.
    pub bearings: Vec<f64>,
    /// Where.
    pub place: String,
    /// On what floor.
    pub floor: String,
    /// In what shoes.
    pub shoes: String,
}

impl PersonReading {
    /// The role in which the person danced.
    pub fn danced_as(&self) -> Role {
        if self.danced_as == "leader" {
            Role::Leader
        } else {
            Role::Follower
        }
    }
}

impl Store {
    /// Makes a take in the couple's session of that day and place.
    pub async fn create_take(&self, studio: StudioId, new: &NewTake) -> Result<Take, StoreError> {
        use jiff_sqlx::ToSqlx as _;
        let id = Uuid::now_v7();
        let mut tx = self.pool.begin().await?;
        // The update, also one that changes nothing, locks the session, so that numbers are given one by one.
        let (session,): (Uuid,) = sqlx::query_as(
            "insert into session (id, studio_id, couple_id, held_on, place, floor, shoes)
             values ($1, $2, $3, $4, $5, $6, $7)
             on conflict (studio_id, couple_id, held_on, place) do update
             set floor = coalesce(nullif(excluded.floor, ''), session.floor),
                 shoes = coalesce(nullif(excluded.shoes, ''), session.shoes)
             returning id",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(new.couple_id)
        .bind(new.held_on.to_sqlx())
        .bind(&new.place)
        .bind(&new.floor)
        .bind(&new.shoes)
        .fetch_one(&mut *tx)
        .await?;
        sqlx::query(
            "insert into take (id, studio_id, session_id, number)
             select $1, $2, $3, coalesce(max(number), 0) + 1 from take where session_id = $3",
        )
        .bind(id)
        .bind(studio.0)
        .bind(session)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        self.take(studio, id).await
    }

    /// All takes, newest session first.
    pub async fn takes(&self, studio: StudioId) -> Result<Vec<Take>, StoreError> {
        Ok(sqlx::query_as(
            "select * from take_list where studio_id = $1 order by held_on desc, created_at desc limit 500",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A take.
    pub async fn take(&self, studio: StudioId, id: Uuid) -> Result<Take, StoreError> {
        Ok(
            sqlx::query_as("select * from take_list where studio_id = $1 and id = $2")
                .bind(studio.0)
                .bind(id)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Ids of the takes of all couples a person dances in.
    pub async fn takes_of_person(
        &self,
        studio: StudioId,
        person: Uuid,
    ) -> Result<Vec<Uuid>, StoreError> {
        let rows: Vec<(Uuid,)> = sqlx::query_as(
            "select t.id from take t join session s on s.id = t.session_id
             join couple c on c.id = s.couple_id
             where t.studio_id = $1 and $2 in (c.leader_id, c.follower_id)",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|r| r.0).collect())
    }

    /// Closes or opens the review of a take.
    pub async fn set_reviewed(
        &self,
        studio: StudioId,
        id: Uuid,
        reviewed: bool,
    ) -> Result<Take, StoreError> {
        sqlx::query(
            "update take set reviewed_at = case when $3 then coalesce(reviewed_at, now()) end
             where studio_id = $1 and id = $2",
        )
        .bind(studio.0)
        .bind(id)
        .bind(reviewed)
        .execute(&self.pool)
        .await?;
        self.take(studio, id).await
    }

    /// Every judged fault of every take, for one person or for all of the studio.
    pub async fn readings(
        &self,
        studio: StudioId,
        person: Option<Uuid>,
    ) -> Result<Vec<PersonReading>, StoreError> {
        Ok(sqlx::query_as(
            "select t.id as take_id, p.id as person_id, s.held_on, t.chart, t.tempo,
                    q.name as partner,
                    case when p.id = c.leader_id then 'leader' else 'follower' end as danced_as,
                    j.role, j.fault, j.value, j.sigma, j.showing, j.measured,
                    coalesce(j.told, false) as told, j.band, j.measure,
                    t.bearings, s.place, s.floor, s.shoes
             from take_fault j
             join take t on t.id = j.take_id join session s on s.id = t.session_id
             join couple c on c.id = s.couple_id
             join person p on p.id in (c.leader_id, c.follower_id)
             join person q on q.id in (c.leader_id, c.follower_id) and q.id <> p.id
             where j.studio_id = $1 and t.chart is not null and t.binned_at is null and ($2::uuid is null or p.id = $2)
               and (j.role = 'couple' or (j.role = 'leader') = (p.id = c.leader_id))
             order by s.held_on, t.number",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_all(&self.pool)
        .await?)
    }
}
