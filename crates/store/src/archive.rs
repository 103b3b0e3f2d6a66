//! A whole studio as rows in JSON, and such rows into an empty studio.
//!
//! Accounts, sign-ins, private addresses and unfinished work are not part of it: they belong to one server.

use std::collections::{BTreeMap, HashMap};

use serde_json::{Map, Value, json};
use sqlx::AssertSqlSafe;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// Tables in the order in which their rows can be put in: what is pointed at comes first.
pub const TABLES: [&str; 20] = [
    "person",
    "couple",
    "session",
    "take",
    "clip",
    "practice",
    "track",
    "mark_entry",
    "take_fault",
    "decision",
    "correction",
    "correction_change",
    "look",
    "practice_report",
    "practice_time",
    "own_chart",
    "routine",
    "own_fault",
    "lesson",
    "remark",
];

/// A studio's rows by table.
pub type Rows = BTreeMap<String, Vec<Value>>;

/// Why rows cannot be put in.
#[derive(Debug, thiserror::Error)]
pub enum ArchiveError {
    /// There is something already.
    #[error("This studio is not empty. An archive can only be brought into an empty one.")]
    NotEmpty,
    /// A row is not what it should be.
    #[error(
        "The archive's “{table}” holds something that does not fit. It may be damaged, or from a newer version."
    )]
    Unfit {
        /// In which table.
        table: &'static str,
        /// What the database said.
        #[source]
        source: sqlx::Error,
    },
    /// Anything else.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<sqlx::Error> for ArchiveError {
    fn from(e: sqlx::Error) -> Self {
        Self::Store(e.into())
    }
}

impl Store {
    /// Columns of a table that can be written, with their types.
    async fn columns(&self, table: &str) -> Result<Vec<(String, String, bool)>, StoreError> {
        Ok(sqlx::query_as(
            "select column_name, data_type, is_nullable = 'YES' from information_schema.columns
             where table_schema = 'public' and table_name = $1 and is_generated = 'NEVER'
             order by ordinal_position",
        )
        .bind(table)
        .fetch_all(&self.pool)
        .await?)
    }

    /// All rows of a studio.
    pub async fn archive_rows(&self, studio: StudioId) -> Result<Rows, StoreError> {
        let mut out = Rows::new();
        // One snapshot for all tables.
        let mut tx = self.pool.begin().await?;
        sqlx::query("set transaction isolation level repeatable read, read only")
            .execute(&mut *tx)
            .await?;
        for table in TABLES {
            // The name comes from the list above and nowhere else.
            let sql = format!(
                "select to_jsonb(t) - 'studio_id' - 'account_id' - 'words' from {table} t where studio_id = $1 order by 1"
            );
            let rows: Vec<(Value,)> = sqlx::query_as(AssertSqlSafe(sql))
                .bind(studio.0)
                .fetch_all(&mut *tx)
                .await?;
            out.insert(table.to_owned(), rows.into_iter().map(|r| r.0).collect());
        }
        tx.commit().await?;
        Ok(out)
    }

    /// The shape of the rows as a JSON Schema.
    pub async fn archive_schema(&self) -> Result<Value, StoreError> {
        let mut tables = Map::new();
        for table in TABLES {
            let mut properties = Map::new();
            let mut required = Vec::new();
            for (name, kind, nullable) in self.columns(table).await? {
                if ["studio_id", "account_id"].contains(&name.as_str()) {
                    continue;
                }
                let kind = match kind.as_str() {
                    "smallint" | "integer" | "bigint" => json!("integer"),
                    "real" | "double precision" => json!("number"),
                    "boolean" => json!("boolean"),
                    "ARRAY" => json!("array"),
                    "jsonb" => Value::Null,
                    _ => json!("string"),
                };
                let mut property = Map::new();
                if !kind.is_null() {
                    let kinds = if nullable {
                        json!([kind, "null"])
                    } else {
                        kind
                    };
                    property.insert("type".into(), kinds);
                }
                properties.insert(name.clone(), Value::Object(property));
                required.push(name);
            }
            tables.insert(
                table.into(),
                json!({"type": "array", "items": {
                    "type": "object", "properties": properties, "required": required,
                    "additionalProperties": false,
                }}),
            );
        }
        Ok(
            json!({"type": "object", "properties": tables, "required": TABLES, "additionalProperties": false}),
        )
    }

    /// Whether nothing was entered yet.
    pub async fn is_empty(&self, studio: StudioId) -> Result<bool, StoreError> {
        let (any,): (bool,) = sqlx::query_as(
            "select exists (select 1 from person where studio_id = $1)
                 or exists (select 1 from own_chart where studio_id = $1)
                 or exists (select 1 from routine where studio_id = $1)
                 or exists (select 1 from own_fault where studio_id = $1)",
        )
        .bind(studio.0)
        .fetch_one(&self.pool)
        .await?;
        Ok(!any)
    }

    /// Puts rows into an empty studio under new ids: all of them or none. Returns how ids were renamed.
    pub async fn bring_rows(
        &self,
        studio: StudioId,
        name: (&str, Option<(&str, &str)>),
        mut rows: Rows,
    ) -> Result<HashMap<String, String>, ArchiveError> {
        let ids = rows
            .values()
            .flatten()
            .filter_map(|r| r.get("id")?.as_str())
            // A figure's short name is an id too, and stays.
            .filter(|id| Uuid::try_parse(id).is_ok())
            .map(|id| (id.to_owned(), Uuid::now_v7().to_string()))
            .collect::<HashMap<_, _>>();
        for row in rows.values_mut().flatten() {
            rename(row, &ids);
        }
        let mut tx = self.pool.begin().await?;
        // Nobody else brings something in between.
        sqlx::query("select 1 from studio where id = $1 for update")
            .bind(studio.0)
            .fetch_one(&mut *tx)
            .await?;
        if !self.is_empty(studio).await? {
            return Err(ArchiveError::NotEmpty);
        }
        let (event, on) = name.1.unzip();
        sqlx::query("update studio set name = $2, event = $3, event_on = $4::date where id = $1")
            .bind(studio.0)
            .bind(name.0)
            .bind(event)
            .bind(on)
            .execute(&mut *tx)
            .await
            .map_err(|source| ArchiveError::Unfit {
                table: "studio",
                source,
            })?;
        for table in TABLES {
            let Some(all) = rows.remove(table).filter(|r| !r.is_empty()) else {
                continue;
            };
            let columns: Vec<String> = self
                .columns(table)
                .await?
                .into_iter()
                .map(|c| c.0)
                .filter(|c| c != "studio_id" && c != "account_id")
                .collect();
            let list = columns.join(", ");
            // Names of tables and columns are the database's own.
            let sql = format!(
                "insert into {table} (studio_id, {list})
                 select $1, {list} from jsonb_populate_recordset(null::{table}, $2)"
            );
            sqlx::query(AssertSqlSafe(sql))
                .bind(studio.0)
                .bind(Value::Array(all))
                .execute(&mut *tx)
                .await
                .map_err(|source| ArchiveError::Unfit { table, source })?;
        }
        tx.commit().await?;
        Ok(ids)
    }
}

/// Puts new ids in the place of old ones, also within the names of stored files.
fn rename(value: &mut Value, ids: &HashMap<String, String>) {
    match value {
        Value::String(s) => {
            if let Some(new) = ids.get(s.as_str()) {
                s.clone_from(new);
            } else if s.contains('/') && s.len() < 200 {
                *s = renamed_key(s, ids);
            }
        }
        Value::Array(all) => all.iter_mut().for_each(|v| rename(v, ids)),
        Value::Object(map) => map.values_mut().for_each(|v| rename(v, ids)),
        _ => {}
    }
}

/// The name of a stored file under the new ids.
pub fn renamed_key(key: &str, ids: &HashMap<String, String>) -> String {
    let found = ids.iter().find(|(old, _)| key.contains(old.as_str()));
    found.map_or_else(|| key.to_owned(), |(old, new)| key.replace(old, new))
}
