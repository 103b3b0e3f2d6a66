//! A database of its own for each test, copied from a template that is migrated once a run.

use sqlx::postgres::PgConnectOptions;
use sqlx::{AssertSqlSafe, ConnectOptions as _, Connection as _, PgConnection};
use uuid::Uuid;

use crate::Store;

/// Environment variable with the address of a throw-away cluster's `postgres` database.
pub const CLUSTER: &str = "UPRIGHT_TEST_DATABASE";

const TEMPLATE: &str = "upright_template";

/// Any number that only this program locks by.
const LOCK: i64 = 7_108_420;

/// A new, empty database with all tables.
///
/// # Panics
/// When no throw-away cluster is named, or it does not answer.
pub async fn database() -> Store {
    database_at().await.0
}

/// The same with its address, for programs of their own.
///
/// # Panics
/// As [`database`].
#[allow(clippy::expect_used, clippy::panic)]
pub async fn database_at() -> (Store, String) {
    let address = std::env::var(CLUSTER).unwrap_or_else(|_| {
        panic!("{CLUSTER} is not set: run the tests with `make test`, or start a cluster with scripts/with-postgres.sh")
    });
    let options: PgConnectOptions = address.parse().expect("an address of PostgreSQL");
    let mut admin = PgConnection::connect_with(&options)
        .await
        .expect("the throw-away cluster answers");
    sqlx::query("select pg_advisory_lock($1)")
        .bind(LOCK)
        .execute(&mut admin)
        .await
        .expect("a lock");
    let there: Option<(i32,)> =
        sqlx::query_as("select 1 from pg_database where datname = $1 and datistemplate")
            .bind(TEMPLATE)
            .fetch_optional(&mut admin)
            .await
            .expect("the list of databases");
    if there.is_none() {
        // Left half made by a run that was stopped.
        run(&mut admin, format!("drop database if exists {TEMPLATE}")).await;
        run(&mut admin, format!("create database {TEMPLATE}")).await;
        let url = options.clone().database(TEMPLATE).to_url_lossy();
        Store::connect(url.as_str())
            .await
            .expect("the tables")
            .close()
            .await;
        run(
            &mut admin,
            format!("alter database {TEMPLATE} is_template true allow_connections false"),
        )
        .await;
    }
    let name = format!("test_{}", Uuid::now_v7().simple());
    run(
        &mut admin,
        format!("create database {name} template {TEMPLATE}"),
    )
    .await;
    let _ = sqlx::query("select pg_advisory_unlock($1)")
        .bind(LOCK)
        .execute(&mut admin)
        .await;
    let url = options.database(&name).to_url_lossy();
    let store = Store::connect(url.as_str())
        .await
        .expect("the new database");
    (store, url.to_string())
}

#[allow(clippy::expect_used)]
async fn run(admin: &mut PgConnection, statement: String) {
    sqlx::query(AssertSqlSafe(statement))
        .execute(admin)
        .await
        .expect("a statement on the throw-away cluster");
}

impl Store {
    /// Tables, each with the column, of every row that holds one of these words anywhere.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn rows_with(&self, words: &[String]) -> Result<Vec<String>, crate::StoreError> {
        let tables: Vec<(String, String)> = sqlx::query_as(
            "select c.table_name, c.column_name from information_schema.columns c
             join information_schema.tables t using (table_schema, table_name)
             where table_schema = 'public' and t.table_type = 'BASE TABLE' order by 1, 2",
        )
        .fetch_all(&self.pool)
        .await?;
        let mut out = Vec::new();
        for (table, column) in tables {
            for word in words {
                let sql = format!(
                    "select exists (select 1 from \"{table}\" where \"{column}\"::text like $1)"
                );
                let (there,): (bool,) = sqlx::query_as(AssertSqlSafe(sql))
                    .bind(format!("%{word}%"))
                    .fetch_one(&self.pool)
                    .await?;
                if there {
                    out.push(format!("{table}.{column} {word}"));
                }
            }
        }
        Ok(out)
    }
}
