//! What waits.

use axum::extract::State;
use serde::Serialize;
use upright_core::progress::Status;
use upright_store::{Correction, Studio, Take};

use crate::App;
use crate::auth::Coach;
use crate::extract::Json;
use crate::problem::Problem;
use crate::progress::{FaultProgress, gather};

/// Somebody's fault worth a word today.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Notice {
    /// Name of the person.
    person: String,
    /// The fault.
    of: FaultProgress,
}

/// What waits today.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Today {
    /// The day.
    #[schema(value_type = String, format = Date)]
    day: jiff::civil::Date,
    /// The studio and its evening.
    studio: Studio,
    /// Days to that evening.
    days_left: Option<i32>,
    /// Takes whose review is not closed.
    waiting: Vec<Take>,
    /// Corrections whose look is due.
    due: Vec<Correction>,
    /// Who slipped back.
    slipped: Vec<Notice>,
    /// What is kept.
    kept: Vec<Notice>,
}

/// Takes to review, looks that are due, who slipped back and what is kept.
#[utoipa::path(get, operation_id = "today", path = "/api/today", responses((status = 200, body = Today)))]
pub async fn today(State(app): State<App>, coach: Coach) -> Result<Json<Today>, Problem> {
    let store = app.store();
    let day = jiff::Zoned::now().date();
    let studio = store.studio(coach.studio).await?;
    let people = store.people(coach.studio).await?;
    let waiting = store
        .takes(coach.studio)
        .await?
        .into_iter()
        .filter(|t| !t.reviewed)
        .collect();
    let due = store
        .corrections(coach.studio, None)
        .await?
        .into_iter()
        .filter(|c| c.recheck_on.is_some_and(|d| d.to_jiff() <= day))
        .collect();
    let faults = gather(
        &super::corrections::rules(&app, &coach).await?,
        store.readings(coach.studio, None).await?,
    );
    let notices = |status: Status| {
        faults
            .iter()
            .filter(|f| f.progress.status == status)
            .map(|f| Notice {
                person: people
                    .iter()
                    .find(|p| p.id == f.person_id)
                    .map(|p| p.name.clone())
                    .unwrap_or_default(),
                of: f.clone(),
            })
            .collect()
    };
    let days_left = studio
        .event_on
        .map(|d| (d.to_jiff() - day).get_days())
        .filter(|d| *d >= 0);
    Ok(Json(Today {
        day,
        days_left,
        waiting,
        due,
        slipped: notices(Status::SlippedBack),
        kept: notices(Status::Kept),
        studio,
    }))
}
