//! What somebody practises: their corrections as exercises, and the week made of them.

use std::collections::BTreeMap;

use jiff::civil::Date;
use serde::Serialize;
use upright_core::fault::{Rules, touched};
use upright_core::judge::WRONG_FOOT;
use upright_core::plan::{Exercise, Rung, Week, Wishes, first, standing, week};
use upright_store::{Correction, Person, PracticeReport, Store, StudioId};
use uuid::Uuid;

use crate::problem::Problem;
use crate::review::rules;

/// Minutes assumed of somebody who was not asked: a quarter of an hour on four days.
const USUAL: [u16; 7] = [15, 0, 15, 0, 15, 15, 0];

/// A correction as it stands in practice.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Practised {
    /// The correction.
    pub correction: Correction,
    /// The fault's name.
    pub name: String,
    /// The drill's steps.
    pub ladder: Vec<String>,
    /// Where it stands by the reports.
    pub rung: Rung,
    /// Reports since the step was set or what hurt was spoken about.
    pub reports: Vec<upright_core::plan::Done>,
    /// Beats a minute of the newest take of its figure: what the tempo's percent are of.
    pub tempo: Option<f64>,
    /// What can hurt, with the person's own note where both are about the same.
    pub caution: Option<String>,
}

/// Somebody's practice.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct PracticePlan {
    /// Minutes and the evening.
    pub wishes: Wishes,
    /// What is practised, what comes first in front; chosen or not.
    pub exercises: Vec<Practised>,
    /// The seven days from today.
    pub week: Week,
}

/// Gathers somebody's practice for the seven days from `from`.
pub async fn practice(
    store: &Store,
    studio: StudioId,
    person: &Person,
    from: Date,
) -> Result<PracticePlan, Problem> {
    let minutes = store.practice_time(studio, person.id).await?;
    let wishes = Wishes {
        minutes: minutes.unwrap_or(USUAL),
        performance: store
            .studio(studio)
            .await?
            .event_on
            .map(|d| d.to_jiff())
            .filter(|d| *d >= from),
    };
    let all = practice_of(store, studio, person).await?;
    let chosen: Vec<Exercise> = all
        .iter()
        .filter(|(_, p)| p.correction.practised)
        .map(|(e, _)| e.clone())
        .collect();
    Ok(PracticePlan {
        week: week(&chosen, &wishes, from),
        wishes,
        exercises: all.into_iter().map(|(_, p)| p).collect(),
    })
}

/// Somebody's corrections as exercises, what comes first in front.
pub async fn practice_of(
    store: &Store,
    studio: StudioId,
    person: &Person,
) -> Result<Vec<(Exercise, Practised)>, Problem> {
    let rules = rules(store, studio).await?;
    let reports = store.practice_reports(studio, person.id).await?;
    let mut tempos: BTreeMap<String, f64> = BTreeMap::new();
    for t in store.takes(studio).await?.into_iter().rev() {
        let theirs = [t.leader_id, t.follower_id].contains(&person.id);
        if let (true, Some(chart), Some(tempo)) = (theirs, t.chart, t.tempo) {
            tempos.insert(chart, tempo);
        }
    }
    // Of one fault in one figure the newest correction counts.
    let mut seen: Vec<(String, String, String)> = Vec::new();
    let mut all: Vec<(Exercise, Practised)> = store
        .corrections(studio, Some(person.id))
        .await?
        .into_iter()
        .filter(|c| {
            let key = (c.fault.clone(), c.chart.clone(), c.role.clone());
            let new = !seen.contains(&key);
            if new {
                seen.push(key);
            }
            new
        })
        .map(|c| exercise(c, person, &rules, &reports, &tempos))
        .collect();
    all.sort_by(|a, b| first(&a.0, &b.0));
    Ok(all)
}

fn exercise(
    correction: Correction,
    person: &Person,
    rules: &Rules,
    reports: &[PracticeReport],
    tempos: &BTreeMap<String, f64>,
) -> (Exercise, Practised) {
    let entry = rules.entry(&correction.fault);
    // The step that the coach set says what to do in the coach's words.
    let mut ladder = entry.map_or_else(Vec::new, |f| f.ladder.clone());
    let step = correction.drill_step.max(1) as usize;
    match ladder.get_mut(step - 1) {
        Some(words) => words.clone_from(&correction.drill),
        None => ladder.push(correction.drill.clone()),
    }
    let caution = caution(&correction, person);
    let exercise = Exercise {
        id: correction.id.to_string(),
        area: entry.map_or_else(String::new, |f| f.area.clone()),
        severity: entry.map_or(1, |f| f.severity),
        first: correction.fault == WRONG_FOOT || entry.is_some_and(|f| f.safety),
        step,
        given_on: correction.seen_on.to_jiff(),
        turning: entry.is_some_and(|f| f.area == "rotation"),
        caution: caution.clone(),
        done: reports
            .iter()
            .filter(|r| r.correction_id == correction.id && !r.cleared)
            .map(PracticeReport::done)
            .collect(),
        ladder,
    };
    let practised = Practised {
        name: entry.map_or_else(|| correction.fault.clone(), |f| f.name.clone()),
        ladder: exercise.ladder.clone(),
        rung: standing(&exercise),
        reports: exercise.done.clone(),
        tempo: tempos.get(&correction.chart).copied(),
        caution,
        correction,
    };
    (exercise, practised)
}

/// What can hurt in a drill; the person's own note comes with it where both are about the same part.
fn caution(c: &Correction, person: &Person) -> Option<String> {
    let said = format!("{} {}", c.caution.as_deref().unwrap_or(""), c.drill);
    let meets = !touched(&person.note, &said).is_empty();
    match (&c.caution, meets) {
        (Some(caution), true) => Some(format!("{caution} {}: {}", person.name, person.note)),
        (Some(caution), false) => Some(caution.clone()),
        (None, true) => Some(format!("{}: {}", person.name, person.note)),
        (None, false) => None,
    }
}

/// Days on which somebody's corrections are looked at again, without one of them.
pub async fn looks_of(
    store: &Store,
    studio: StudioId,
    person: Uuid,
    but: Option<Uuid>,
) -> Result<Vec<Date>, Problem> {
    let all = store.corrections(studio, Some(person)).await?;
    Ok(all
        .into_iter()
        .filter(|c| Some(c.id) != but)
        .filter_map(|c| c.recheck_on.map(|d| d.to_jiff()))
        .collect())
}

/// Days of the lessons to come that somebody takes part in.
pub async fn lessons_of(
    store: &Store,
    studio: StudioId,
    person: Uuid,
    from: Date,
) -> Result<Vec<Date>, Problem> {
    let theirs: Vec<Uuid> = store
        .couples(studio)
        .await?
        .into_iter()
        .filter(|c| [c.leader_id, c.follower_id].contains(&person))
        .map(|c| c.id)
        .collect();
    let all = store.lessons(studio, from).await?;
    Ok(all
        .into_iter()
        .filter(|l| !l.ended && l.couples.iter().any(|c| theirs.contains(c)))
        .map(|l| l.held_on.to_jiff())
        .collect())
}
