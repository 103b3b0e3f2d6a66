//! What the coach says of a finding.

use serde::{Deserialize, Serialize};
use sqlx::FromRow;
use upright_core::units::Role;
use uuid::Uuid;

use crate::correction::insert_correction;
use crate::{NewCorrection, Store, StoreError, StudioId};

/// Yes or no.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum Verdict {
    /// It is a fault, and is being worked on.
    Confirmed,
    /// It is none, or not worth working on.
    Dismissed,
}

/// Whose a finding is: a role's or the couple's.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum Whose {
    /// The leader's.
    Leader,
    /// The follower's.
    Follower,
    /// The couple's.
    Couple,
}

impl Whose {
    /// As the core says it.
    pub fn role(self) -> Option<Role> {
        match self {
            Self::Leader => Some(Role::Leader),
            Self::Follower => Some(Role::Follower),
            Self::Couple => None,
        }
    }

    /// The column's word for a role, or for the couple.
    pub fn word(role: Option<Role>) -> &'static str {
        match role {
            Some(Role::Leader) => "leader",
            Some(Role::Follower) => "follower",
            None => "couple",
        }
    }
}

/// A standing decision.
#[derive(Debug, Clone, FromRow, Serialize, utoipa::ToSchema)]
pub struct Decision {
    /// Id.
    pub id: Uuid,
    /// Id in the catalogue.
    pub fault: String,
    /// Whose.
    pub role: Whose,
    /// Yes or no.
    pub verdict: Verdict,
    /// Why, where it was dismissed.
    pub reason: String,
}

/// A decision with how sure the tool was and what it had measured.
#[derive(Debug, Clone, FromRow)]
pub struct Decided {
    /// Id in the catalogue.
    pub fault: String,
    /// Yes or no.
    pub verdict: Verdict,
    /// How sure the tool was, 0..1.
    pub probability: f64,
    /// What the take's newest analysis measures, where it still judges this.
    pub value: Option<f64>,
    /// Its standard error.
    pub sigma: Option<f64>,
}

impl Store {
    /// Decisions of a take that stand.
    pub async fn decisions(
        &self,
        studio: StudioId,
        take: Uuid,
    ) -> Result<Vec<Decision>, StoreError> {
        Ok(sqlx::query_as(
            "select id, fault, role, verdict, reason from decision
             where studio_id = $1 and take_id = $2 and withdrawn_at is null order by at, id",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Every standing decision of a studio on a finding that was measured.
    pub async fn decided(&self, studio: StudioId) -> Result<Vec<Decided>, StoreError> {
        Ok(sqlx::query_as(
            "select d.fault, d.verdict, d.probability, j.value, j.sigma
             from decision d
             left join take_fault j on j.take_id = d.take_id and j.fault = d.fault and j.role = d.role
             where d.studio_id = $1 and d.withdrawn_at is null and d.probability is not null
             order by d.at, d.id",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Every fault that shows in a take of the studio, with what was measured.
    pub async fn findings(&self, studio: StudioId) -> Result<Vec<(String, f64)>, StoreError> {
        Ok(sqlx::query_as(
            "select fault, value from take_fault where studio_id = $1 and showing > 0",
        )
        .bind(studio.0)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Decides on a finding; a confirmed one brings its corrections.
    #[allow(clippy::too_many_arguments)]
    pub async fn decide(
        &self,
        studio: StudioId,
        take: Uuid,
        account: Option<Uuid>,
        (fault, whose): (&str, Whose),
        (verdict, probability): (Verdict, Option<f64>),
        reason: &str,
        corrections: &[NewCorrection],
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let mut tx = self.pool.begin().await?;
        sqlx::query(
            "insert into decision (id, studio_id, take_id, fault, role, verdict, reason, account_id, probability)
             values ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
        )
        .bind(id)
        .bind(studio.0)
        .bind(take)
        .bind(fault)
        .bind(whose)
        .bind(verdict)
        .bind(reason)
        .bind(account)
        .bind(probability)
        .execute(&mut *tx)
        .await
        .map_err(|e| {
            StoreError::or_exists(e, "This finding is decided already. Take the decision back first.")
        })?;
        for c in corrections {
            insert_correction(&mut tx, studio, take, id, c).await?;
        }
        tx.commit().await?;
        Ok(id)
    }

    /// Takes a decision back, and the corrections it brought. Both are kept, marked as withdrawn.
    pub async fn withdraw_decision(
        &self,
        studio: StudioId,
        take: Uuid,
        id: Uuid,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query(
            "update decision set withdrawn_at = now()
             where studio_id = $1 and take_id = $2 and id = $3 and withdrawn_at is null",
        )
        .bind(studio.0)
        .bind(take)
        .bind(id)
        .execute(&mut *tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        sqlx::query(
            "update correction set withdrawn_at = now(), version = version + 1
             where studio_id = $1 and decision_id = $2 and withdrawn_at is null",
        )
        .bind(studio.0)
        .bind(id)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }
}
