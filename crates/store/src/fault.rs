//! The studio's own entries of the fault catalogue.

use sqlx::types::Json;
use upright_core::fault::Fault;

use crate::{Store, StoreError, StudioId};

/// An entry with the number of its last change.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnFault {
    /// The entry.
    pub entry: Fault,
    /// Grows with each change.
    pub version: i32,
}

impl Store {
    /// The studio's own entries in order of id.
    pub async fn own_faults(&self, studio: StudioId) -> Result<Vec<OwnFault>, StoreError> {
        let rows: Vec<(Json<Fault>, i32)> =
            sqlx::query_as("select entry, version from own_fault where studio_id = $1 order by id")
                .bind(studio.0)
                .fetch_all(&self.pool)
                .await?;
        let own = |(entry, version): (Json<Fault>, i32)| OwnFault {
            entry: entry.0,
            version,
        };
        Ok(rows.into_iter().map(own).collect())
    }

    /// Keeps an entry that is still at `version`; 0 for one that is new.
    pub async fn keep_fault(
        &self,
        studio: StudioId,
        entry: &Fault,
        version: i32,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "insert into own_fault (studio_id, id, entry) values ($1, $2, $3)
             on conflict (studio_id, id) do update
                 set entry = $3, version = own_fault.version + 1, changed_at = now()
                 where own_fault.version = $4",
        )
        .bind(studio.0)
        .bind(&entry.id)
        .bind(Json(entry))
        .bind(version)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Changed);
        }
        Ok(())
    }

    /// Takes an own entry away; the catalogue's, where there is one, judges again.
    pub async fn drop_fault(&self, studio: StudioId, id: &str) -> Result<(), StoreError> {
        let done = sqlx::query("delete from own_fault where studio_id = $1 and id = $2")
            .bind(studio.0)
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        Ok(())
    }
}
