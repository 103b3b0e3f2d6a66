//! The people who are coached.

use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// A person.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Person {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Standing height, metres.
    pub height: f64,
    /// Notes for cautions.
    pub note: String,
    /// Has agreed to be filmed (a guardian for a minor).
    pub consent: bool,
    /// Grows with each change.
    pub version: i32,
}

/// What a coach enters of a person.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PersonInput {
    /// Name.
    pub name: String,
    /// Standing height, metres.
    pub height: f64,
    /// Notes for cautions.
    #[serde(default)]
    pub note: String,
    /// Has agreed to be filmed.
    #[serde(default)]
    pub consent: bool,
}

impl Store {
    /// All people of a studio by name.
    pub async fn people(&self, studio: StudioId) -> Result<Vec<Person>, StoreError> {
        Ok(sqlx::query_as(
            "select id, name, height, note, consent, version from person where studio_id = $1 order by lower(name), id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A person.
    pub async fn person(&self, studio: StudioId, id: Uuid) -> Result<Person, StoreError> {
        Ok(sqlx::query_as(
            "select id, name, height, note, consent, version from person where studio_id = $1 and id = $2",
        )
        .bind(studio.0)
        .bind(id)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Adds a person.
    pub async fn create_person(
        &self,
        studio: StudioId,
        input: &PersonInput,
    ) -> Result<Person, StoreError> {
        Ok(sqlx::query_as(
            "insert into person (id, studio_id, name, height, note, consent) values ($1, $2, $3, $4, $5, $6)
             returning id, name, height, note, consent, version",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(&input.name)
        .bind(input.height)
        .bind(&input.note)
        .bind(input.consent)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Changes a person that is still at `version`.
    pub async fn update_person(
        &self,
        studio: StudioId,
        id: Uuid,
        version: i32,
        input: &PersonInput,
    ) -> Result<Person, StoreError> {
        let row: Option<Person> = sqlx::query_as(
            "update person set name = $4, height = $5, note = $6, consent = $7, version = version + 1
             where studio_id = $1 and id = $2 and version = $3
             returning id, name, height, note, consent, version",
        )
        .bind(studio.0)
        .bind(id)
        .bind(version)
        .bind(&input.name)
        .bind(input.height)
        .bind(&input.note)
        .bind(input.consent)
        .fetch_optional(&self.pool)
        .await?;
        match row {
            Some(p) => Ok(p),
            None => {
                self.person(studio, id).await?;
                Err(StoreError::Changed)
            }
        }
    }
}
