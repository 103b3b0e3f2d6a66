//! Studios, and the people who sign in.

use serde::Serialize;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// For how long tries count, seconds: a quarter of an hour.
const WINDOW: u32 = 900;

/// Tries of a name from one address after which it must wait, within a quarter of an hour.
const MOST_OF_PAIR: i64 = 8;

/// Tries of a name from anywhere, after which each further one must wait twice as long as the one before, and how long
/// that is at most, seconds: whoever guesses from everywhere gets nowhere, and who knows the password is not shut out.
const MOST_OF_NAME: i64 = 24;
const LONGEST: f64 = 60.0;

/// Tries from one address, which may be a whole school's.
const MOST_FROM: i64 = 200;

/// A studio.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Studio {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// The evening everybody works toward.
    pub event: Option<String>,
    /// Its date.
    #[schema(value_type = Option<String>, format = Date)]
    pub event_on: Option<jiff_sqlx::Date>,
}

/// Somebody who can sign in.
#[derive(Debug, Clone, FromRow)]
pub struct Account {
    /// Id.
    pub id: Uuid,
    /// Studio.
    pub studio_id: Uuid,
    /// Sign-in name.
    pub email: String,
    /// Name shown.
    pub name: String,
    /// PHC string of the password's argon2id hash.
    pub password_hash: String,
}

/// An account to be made.
#[derive(Debug, Clone)]
pub struct NewAccount<'a> {
    /// Sign-in name.
    pub email: &'a str,
    /// Name shown.
    pub name: &'a str,
    /// PHC string.
    pub password_hash: &'a str,
}

impl Store {
    /// Makes a studio with its first account.
    pub async fn create_studio(
        &self,
        name: &str,
        event: Option<(&str, jiff::civil::Date)>,
        first: NewAccount<'_>,
    ) -> Result<(StudioId, Uuid), StoreError> {
        use jiff_sqlx::ToSqlx as _;
        let (studio, account) = (Uuid::now_v7(), Uuid::now_v7());
        let mut tx = self.pool.begin().await?;
        sqlx::query("insert into studio (id, name, event, event_on) values ($1, $2, $3, $4)")
            .bind(studio)
            .bind(name)
            .bind(event.map(|e| e.0))
            .bind(event.map(|e| e.1.to_sqlx()))
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "insert into account (id, studio_id, email, name, password_hash) values ($1, $2, $3, $4, $5)",
        )
        .bind(account)
        .bind(studio)
        .bind(first.email)
        .bind(first.name)
        .bind(first.password_hash)
        .execute(&mut *tx)
        .await
        .map_err(|e| StoreError::or_exists(e, "There is an account with this e-mail address."))?;
        tx.commit().await?;
        Ok((StudioId(studio), account))
    }

    /// Whether there is any studio yet.
    pub async fn has_studio(&self) -> Result<bool, StoreError> {
        let (there,): (bool,) = sqlx::query_as("select exists (select 1 from studio)")
            .fetch_one(&self.pool)
            .await?;
        Ok(there)
    }

    /// Removes everything of every studio. Only for a demo that was not loaded whole.
    pub async fn clear(&self) -> Result<(), StoreError> {
        sqlx::query("truncate studio, login, sign_in_failure cascade")
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// A studio.
    pub async fn studio(&self, studio: StudioId) -> Result<Studio, StoreError> {
        Ok(
            sqlx::query_as("select id, name, event, event_on from studio where id = $1")
                .bind(studio.0)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// The account with this sign-in name, whatever its letters' case.
    pub async fn account_by_email(&self, email: &str) -> Result<Option<Account>, StoreError> {
        Ok(sqlx::query_as(
            "select id, studio_id, email, name, password_hash from account where lower(email) = lower($1)",
        )
        .bind(email)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// The account with this id.
    pub async fn account(&self, id: Uuid) -> Result<Option<Account>, StoreError> {
        Ok(sqlx::query_as(
            "select id, studio_id, email, name, password_hash from account where id = $1",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Gives an account another password, which ends its sessions.
    pub async fn set_password(&self, account: Uuid, hash: &str) -> Result<(), StoreError> {
        let done = sqlx::query("update account set password_hash = $2 where id = $1")
            .bind(account)
            .bind(hash)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }

    /// Every account with its studio and how many takes that has, for whoever runs the server.
    pub async fn everybody(&self) -> Result<Vec<(Account, String, i64)>, StoreError> {
        let rows: Vec<(Uuid, Uuid, String, String, String, String, i64)> = sqlx::query_as(
            "select a.id, a.studio_id, a.email, a.name, a.password_hash, s.name,
                    (select count(*) from take t where t.studio_id = s.id)
             from account a join studio s on s.id = a.studio_id order by s.name, s.id, a.email",
        )
        .fetch_all(&self.pool)
        .await?;
        let one = |(id, studio_id, email, name, password_hash, studio, takes)| {
            let account = Account {
                id,
                studio_id,
                email,
                name,
                password_hash,
            };
            (account, studio, takes)
        };
        Ok(rows.into_iter().map(one).collect())
    }

    /// Keys of all files that rows of any studio name.
    pub async fn named_files(&self) -> Result<Vec<String>, StoreError> {
        let rows: Vec<(String,)> = sqlx::query_as(
            "select key from (select original from clip union select proxy from clip) named (key)
             where key is not null order by key",
        )
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|r| r.0).collect())
    }

    /// Counts a try to sign in before it is made, so that many at once are counted as well; or says for how many seconds
    /// it must wait.
    pub async fn count_try(&self, name: &str, from: &str) -> Result<Option<u32>, StoreError> {
        let name = name.to_lowercase();
        let who = [
            format!("pair:{name} {from}"),
            format!("name:{name}"),
            format!("from:{from}"),
        ];
        let mut tx = self.pool.begin().await?;
        // Tries of the same name wait for each other.
        sqlx::query("select pg_advisory_xact_lock(hashtextextended($1, 0))")
            .bind(&who[1])
            .execute(&mut *tx)
            .await?;
        let counted: Vec<(String, i64, f64)> = sqlx::query_as(
            "select who, count(*), extract(epoch from now() - max(at))::float8 from sign_in_failure
             where who = any($1) and at > now() - interval '15 minutes' group by who",
        )
        .bind(&who)
        .fetch_all(&mut *tx)
        .await?;
        let of = |k: usize| {
            let found = counted.iter().find(|c| c.0 == who[k]);
            found.map_or((0, f64::INFINITY), |c| (c.1, c.2))
        };
        let (named, ago) = of(1);
        let over = (named - MOST_OF_NAME).clamp(0, 16) as u32;
        let left = f64::from(1_u32 << over).min(LONGEST) - ago;
        if of(0).0 >= MOST_OF_PAIR || of(2).0 >= MOST_FROM {
            return Ok(Some(WINDOW));
        }
        if over > 0 && left > 0.0 {
            return Ok(Some(left.ceil() as u32));
        }
        sqlx::query("insert into sign_in_failure (who) select unnest($1::text[])")
            .bind(&who)
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(None)
    }

    /// Forgets the tries of a name that has signed in: all of its own, and one of its address's.
    pub async fn signed_in(&self, name: &str, from: &str) -> Result<(), StoreError> {
        let name = name.to_lowercase();
        sqlx::query(
            "delete from sign_in_failure where who in ($1, $2)
                 or ctid = (select ctid from sign_in_failure where who = $3 order by at desc limit 1)",
        )
        .bind(format!("pair:{name} {from}"))
        .bind(format!("name:{name}"))
        .bind(format!("from:{from}"))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Forgets what nobody asks for any more: sign-ins that have ended, tries that are a day old.
    pub async fn sweep(&self) -> Result<(), StoreError> {
        sqlx::query("delete from sign_in_failure where at < now() - interval '1 day'")
            .execute(&self.pool)
            .await?;
        sqlx::query("delete from login where expires_at < now()")
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
