//! A whole studio as rows in JSON, and such rows into an empty studio.
//!
//! Accounts, sign-ins, private addresses and unfinished work are not part of it: they belong to one server.

use std::collections::{BTreeMap, HashMap, HashSet};

use serde_json::{Map, Value, json};
use sqlx::AssertSqlSafe;
use upright_core::body::track::Sighting;
use upright_core::fault::{Band, Choices, Fault};
use upright_core::marks::Entry;
use upright_core::plan::Lesson;
use upright_core::routine::Routine;
use uuid::Uuid;

use crate::{Found, Store, StoreError, StudioId};

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
    /// A row's value cannot be read, or names what is not in the archive.
    #[error(
        "The archive's “{table}” holds a “{column}” that cannot be read: {why}. It may be damaged, or from a newer version."
    )]
    Unread {
        /// In which table.
        table: &'static str,
        /// In which column.
        column: String,
        /// What is wrong with it.
        why: String,
    },
    /// Anything else.
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// What rows keep as JSON, and how it is read.
type Reads = fn(&Value) -> Result<(), serde_json::Error>;

fn reads<T: serde::de::DeserializeOwned>(value: &Value) -> Result<(), serde_json::Error> {
    T::deserialize(value).map(|_| ())
}

/// Columns whose values the program reads as something of its own: what it cannot read must not come in.
const READ: [(&str, &str, Reads); 9] = [
    ("couple", "choices", reads::<Choices>),
    ("track", "sightings", reads::<Vec<Sighting>>),
    ("track", "found", reads::<Option<Found>>),
    ("mark_entry", "entry", reads::<Entry>),
    ("take_fault", "band", reads::<Option<Band>>),
    ("routine", "plan", reads::<Routine>),
    ("own_fault", "entry", reads::<Fault>),
    ("lesson", "plan", reads::<Lesson>),
    (
        "remark",
        "readings",
        reads::<BTreeMap<String, Vec<[f64; 2]>>>,
    ),
];

/// Whether a table's rows hold what the program can read, and name nothing but what the archive holds: ids are new ones
/// by now.
fn fit(
    table: &'static str,
    rows: &[Value],
    columns: &[(String, String, bool)],
    ids: &HashSet<&str>,
) -> Result<(), ArchiveError> {
    let unread = |column: &str, why: String| ArchiveError::Unread {
        table,
        column: column.to_owned(),
        why,
    };
    for row in rows {
        let Some(row) = row.as_object() else {
            return Err(unread("row", "it is no object".to_owned()));
        };
        for (column, value) in row {
            let Some((_, kind, _)) = columns.iter().find(|c| c.0 == *column) else {
                return Err(unread(column, "there is no such column".to_owned()));
            };
            let foreign = |v: &Value| v.as_str().is_none_or(|id| !ids.contains(id));
            let named: &[Value] = match (kind.as_str(), value) {
                ("uuid", Value::Null) => &[],
                ("uuid", one) => std::slice::from_ref(one),
                ("ARRAY", Value::Array(all)) if column == "couples" => all,
                _ => &[],
            };
            if named.iter().any(foreign) {
                return Err(unread(
                    column,
                    "it names what is not in the archive".to_owned(),
                ));
            }
        }
        for (_, column, read) in READ.iter().filter(|r| r.0 == table) {
            if let Some(value) = row.get(*column) {
                read(value).map_err(|e| unread(column, e.to_string()))?;
            }
        }
    }
    Ok(())
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
        for set in [
            "set transaction isolation level repeatable read, read only",
            // A studio of many years takes its time.
            "set local statement_timeout = '15min'",
        ] {
            sqlx::query(set).execute(&mut *tx).await?;
        }
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

    /// Puts rows into an empty studio under new ids: all of them or none.
    pub async fn bring_rows(
        &self,
        studio: StudioId,
        name: (&str, Option<(&str, &str)>),
        mut rows: Rows,
    ) -> Result<(), ArchiveError> {
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
        let new: HashSet<&str> = ids.values().map(String::as_str).collect();
        let mut writable = BTreeMap::new();
        for table in TABLES {
            let columns = self.columns(table).await?;
            fit(
                table,
                rows.get(table).map_or(&[], Vec::as_slice),
                &columns,
                &new,
            )?;
            writable.insert(table, columns);
        }
        let mut tx = self.pool.begin().await?;
        sqlx::query("set local statement_timeout = '15min'")
            .execute(&mut *tx)
            .await?;
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
            // A column that an older version did not have gets what it gets in a new row.
            let there: HashSet<&String> = all
                .iter()
                .filter_map(Value::as_object)
                .flat_map(Map::keys)
                .collect();
            let columns: Vec<&str> = writable
                .get(table)
                .into_iter()
                .flatten()
                .filter(|c| there.contains(&c.0))
                .map(|c| c.0.as_str())
                .filter(|c| !["studio_id", "account_id"].contains(c))
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
        Ok(())
    }
}

/// Puts new ids in the place of old ones.
fn rename(value: &mut Value, ids: &HashMap<String, String>) {
    match value {
        Value::String(s) => {
            if let Some(new) = ids.get(s.as_str()) {
                s.clone_from(new);
            }
        }
        Value::Array(all) => all.iter_mut().for_each(|v| rename(v, ids)),
        Value::Object(map) => map.values_mut().for_each(|v| rename(v, ids)),
        _ => {}
    }
}
