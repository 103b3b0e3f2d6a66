//! Takes that were put into the bin, and what is erased for good.

use serde::Serialize;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// Days for which a take in the bin can be taken back.
pub const KEPT_DAYS: i32 = 30;

/// A take in the bin.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Binned {
    /// The take.
    pub id: Uuid,
    /// Who led.
    pub leader: String,
    /// Who followed.
    pub follower: String,
    /// When it was danced.
    #[schema(value_type = String, format = Date)]
    pub held_on: jiff_sqlx::Date,
    /// Its number of that day.
    pub number: i32,
    /// Where.
    pub place: String,
    /// Corrections that were confirmed from it and rest with it.
    pub corrections: i64,
    /// Days that are left to take it back.
    pub days_left: i32,
}

/// What goes with a person.
#[derive(Debug, Clone, PartialEq, Eq, FromRow, Serialize, utoipa::ToSchema)]
pub struct Erasing {
    /// Couples in which the person dances.
    pub couples: i64,
    /// Their takes, with films and marks.
    pub takes: i64,
    /// Corrections of the person.
    pub corrections: i64,
    /// Corrections of partners, from the same takes.
    pub of_partners: i64,
}

/// What of files is nobody's any more.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Unnamed {
    /// Keys of files that no row names now.
    pub keys: Vec<String>,
    /// Corrections whose stills and cut clips go.
    pub corrections: Vec<Uuid>,
    /// Clips whose levels go.
    pub clips: Vec<Uuid>,
}

/// Erases takes with everything that was made from them.
async fn erase_takes(
    tx: &mut PgConnection,
    studio: StudioId,
    takes: &[Uuid],
) -> Result<Unnamed, StoreError> {
    let ids = |sql: &'static str| {
        sqlx::query_scalar::<_, Uuid>(sql)
            .bind(studio.0)
            .bind(takes)
    };
    let corrections = ids("select id from correction where studio_id = $1 and take_id = any($2)")
        .fetch_all(&mut *tx)
        .await?;
    let clips = ids("select id from clip where studio_id = $1 and take_id = any($2)")
        .fetch_all(&mut *tx)
        .await?;
    let named: Vec<(Option<String>, Option<String>)> = sqlx::query_as(
        "select original, proxy from clip where studio_id = $1 and take_id = any($2)",
    )
    .bind(studio.0)
    .bind(takes)
    .fetch_all(&mut *tx)
    .await?;
    let pieces: Vec<String> = sqlx::query_scalar(
        "select unnest(pieces) from upload where studio_id = $1 and take_id = any($2)",
    )
    .bind(studio.0)
    .bind(takes)
    .fetch_all(&mut *tx)
    .await?;
    for table in ["practice_report", "look", "correction_change"] {
        // The names are the three above.
        let sql = format!("delete from {table} where studio_id = $1 and correction_id = any($2)");
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(studio.0)
            .bind(&corrections)
            .execute(&mut *tx)
            .await?;
    }
    // What hangs on clips (tracks, work) goes with them.
    for table in [
        "correction",
        "decision",
        "remark",
        "take_fault",
        "mark_entry",
        "practice",
        "upload",
        "clip",
    ] {
        let sql = format!("delete from {table} where studio_id = $1 and take_id = any($2)");
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(studio.0)
            .bind(takes)
            .execute(&mut *tx)
            .await?;
    }
    sqlx::query("delete from take where studio_id = $1 and id = any($2)")
        .bind(studio.0)
        .bind(takes)
        .execute(&mut *tx)
        .await?;
    sqlx::query(
        "delete from session s where studio_id = $1
             and not exists (select 1 from take t where t.session_id = s.id)",
    )
    .bind(studio.0)
    .execute(&mut *tx)
    .await?;
    // The same film may be another take's as well, of any studio.
    let mut keys: Vec<String> = named
        .into_iter()
        .flat_map(|(o, p)| [o, p])
        .flatten()
        .chain(pieces)
        .collect();
    keys.sort();
    keys.dedup();
    let still: Vec<(String,)> = sqlx::query_as(
        "select original from clip where original = any($1) union select proxy from clip where proxy = any($1)",
    )
    .bind(&keys)
    .fetch_all(&mut *tx)
    .await?;
    keys.retain(|k| !still.iter().any(|s| s.0 == *k));
    Ok(Unnamed {
        keys,
        corrections,
        clips,
    })
}

impl Store {
    /// Puts a take into the bin: it is seen nowhere else, and can be taken back.
    pub async fn bin_take(&self, studio: StudioId, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "update take set binned_at = now() where studio_id = $1 and id = $2 and binned_at is null",
        )
        .bind(studio.0)
        .bind(id)
        .execute(&self.pool)
        .await?;
        found(done.rows_affected())
    }

    /// Takes a take out of the bin.
    pub async fn restore_take(&self, studio: StudioId, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query(
            "update take set binned_at = null where studio_id = $1 and id = $2 and binned_at is not null",
        )
        .bind(studio.0)
        .bind(id)
        .execute(&self.pool)
        .await?;
        found(done.rows_affected())
    }

    /// What is in the bin, newest first.
    pub async fn binned(&self, studio: StudioId) -> Result<Vec<Binned>, StoreError> {
        Ok(sqlx::query_as(
            "select t.id, c.leader, c.follower, s.held_on, t.number, s.place,
                    (select count(*) from correction k where k.take_id = t.id and k.withdrawn_at is null) as corrections,
                    greatest(0, $2 - extract(day from now() - t.binned_at)::int) as days_left
             from take t join session s on s.id = t.session_id join couple_list c on c.id = s.couple_id
             where t.studio_id = $1 and t.binned_at is not null order by t.binned_at desc, t.id limit 200",
        )
        .bind(studio.0)
        .bind(KEPT_DAYS)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Erases a take of the bin for good, and says what of files is nobody's any more.
    pub async fn erase_binned(&self, studio: StudioId, id: Uuid) -> Result<Unnamed, StoreError> {
        let mut tx = self.pool.begin().await?;
        let there: Option<(i32,)> = sqlx::query_as(
            "select 1 from take where studio_id = $1 and id = $2 and binned_at is not null for update",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_optional(&mut *tx)
        .await?;
        found(there.map_or(0, |_| 1))?;
        let gone = erase_takes(&mut tx, studio, &[id]).await?;
        tx.commit().await?;
        Ok(gone)
    }

    /// Takes of all studios whose time in the bin is over.
    pub async fn overdue(&self) -> Result<Vec<(StudioId, Uuid)>, StoreError> {
        let rows: Vec<(Uuid, Uuid)> = sqlx::query_as(
            "select studio_id, id from take where binned_at < now() - make_interval(days => $1) limit 100",
        )
        .bind(KEPT_DAYS)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|(s, t)| (StudioId(s), t)).collect())
    }

    /// What would go with a person.
    pub async fn erasing(&self, studio: StudioId, person: Uuid) -> Result<Erasing, StoreError> {
        self.person(studio, person).await?;
        Ok(sqlx::query_as(
            "with theirs as (select id from couple where studio_id = $1 and $2 in (leader_id, follower_id)),
                  danced as (select t.id from take t join session s on s.id = t.session_id
                             where s.couple_id in (select id from theirs))
             select (select count(*) from theirs) as couples, (select count(*) from danced) as takes,
                    (select count(*) from correction where studio_id = $1 and person_id = $2) as corrections,
                    (select count(*) from correction where take_id in (select id from danced) and person_id <> $2)
                        as of_partners",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Erases a person for good, with every film that shows them and everything that was made from it; lessons go on
    /// without their couples.
    pub async fn erase_person(
        &self,
        studio: StudioId,
        person: Uuid,
    ) -> Result<Unnamed, StoreError> {
        let mut tx = self.pool.begin().await?;
        let there: Option<(i32,)> =
            sqlx::query_as("select 1 from person where studio_id = $1 and id = $2 for update")
                .bind(studio.0)
                .bind(person)
                .fetch_optional(&mut *tx)
                .await?;
        found(there.map_or(0, |_| 1))?;
        let couples: Vec<Uuid> = sqlx::query_scalar(
            "select id from couple where studio_id = $1 and $2 in (leader_id, follower_id) for update",
        )
        .bind(studio.0)
        .bind(person)
        .fetch_all(&mut *tx)
        .await?;
        let takes: Vec<Uuid> = sqlx::query_scalar(
            "select t.id from take t join session s on s.id = t.session_id
             where t.studio_id = $1 and s.couple_id = any($2)",
        )
        .bind(studio.0)
        .bind(&couples)
        .fetch_all(&mut *tx)
        .await?;
        let gone = erase_takes(&mut tx, studio, &takes).await?;
        // A lesson's plan names people and corrections: one that was planned for this couple alone goes, others are
        // planned anew without it.
        sqlx::query("delete from lesson where studio_id = $1 and couples <@ $2")
            .bind(studio.0)
            .bind(&couples)
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "update lesson set couples = array(select c from unnest(couples) c where c <> all($2)),
                    plan = jsonb_build_object('blocks', '[]'::jsonb, 'left_out', '[]'::jsonb), version = version + 1
             where studio_id = $1 and couples && $2",
        )
        .bind(studio.0)
        .bind(&couples)
        .execute(&mut *tx)
        .await?;
        for sql in [
            "delete from link where studio_id = $1 and person_id = $2",
            "delete from practice_time where studio_id = $1 and person_id = $2",
            "delete from couple where studio_id = $1 and $2 in (leader_id, follower_id)",
            "delete from person where studio_id = $1 and id = $2",
        ] {
            sqlx::query(sql)
                .bind(studio.0)
                .bind(person)
                .execute(&mut *tx)
                .await?;
        }
        tx.commit().await?;
        Ok(gone)
    }
}

fn found(rows: u64) -> Result<(), StoreError> {
    if rows == 0 {
        Err(StoreError::NotFound)
    } else {
        Ok(())
    }
}
