//! What waits.

use axum::extract::State;
use serde::Serialize;
use upright_core::progress::Status;
use upright_store::{Correction, KeptLesson, Studio, Take};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::Json;
use crate::problem::Problem;
use crate::progress::{FaultProgress, gather, own_error};

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
    /// The next lesson that is not over.
    lesson: Option<KeptLesson>,
    /// Who comes to it.
    with: Vec<String>,
    /// What hurt in practice and was not spoken about yet.
    hurt: Vec<Hurt>,
}

/// A drill that hurt.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Hurt {
    /// Whose.
    person_id: Uuid,
    /// Name.
    person: String,
    /// The correction.
    correction_id: Uuid,
    /// The fault's name.
    name: String,
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
    let lesson = store
        .lessons(coach.studio, day)
        .await?
        .into_iter()
        .find(|l| !l.ended);
    let with = match &lesson {
        Some(l) => store
            .couples(coach.studio)
            .await?
            .into_iter()
            .filter(|c| l.couples.contains(&c.id))
            .map(|c| format!("{} & {}", c.leader, c.follower))
            .collect(),
        None => Vec::new(),
    };
    let rules = super::corrections::rules(&app, &coach).await?;
    let hurt = store
        .hurt(coach.studio)
        .await?
        .into_iter()
        .map(|(person_id, person, correction_id, fault)| Hurt {
            name: rules
                .entry(&fault)
                .map_or(fault.clone(), |f| f.name.clone()),
            person_id,
            person,
            correction_id,
        })
        .collect();
    let faults = gather(
        &rules,
        store.readings(coach.studio, None).await?,
        &own_error(&store.remarks(coach.studio).await?),
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
        lesson,
        with,
        hurt,
        studio,
    }))
}
