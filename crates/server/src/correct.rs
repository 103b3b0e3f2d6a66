//! From a finding to corrections in the log of those whose it is.

use jiff::civil::Date;
use serde::Deserialize;
use upright_core::judge::Judged;
use upright_core::plan::{next_look, settle};
use upright_core::progress::Status;
use upright_core::units::{Role, Unit};
use upright_store::{Correction, NewCorrection, Store, StudioId, Verdict, Whose};
use uuid::Uuid;

use crate::problem::Problem;
use crate::review::Review;
use crate::training::{lessons_of, looks_of};

/// What the coach wants said and done, where it differs from the catalogue.
#[derive(Debug, Clone, Default, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Wish {
    /// For whom, where the finding is the couple's; those who made it when empty.
    pub roles: Vec<Role>,
    /// What to say.
    pub cue: Option<String>,
    /// Step of the drill ladder, from 1.
    pub drill_step: Option<usize>,
    /// When to look again.
    #[schema(value_type = Option<String>, format = Date)]
    pub recheck_on: Option<Date>,
    /// How much of it the coach sees, 1 a little to 4 very much, where the tool has no finding of its own.
    pub grade: Option<u8>,
    /// At which count the coach sees it.
    pub count: Option<usize>,
}

/// What is logged of a finding: of the tool's, or of the coach's eye.
struct Seen {
    count: Option<usize>,
    value: f64,
    sigma: f64,
    unit: &'static str,
    showing: u32,
    of: u32,
    probability: Option<f64>,
}

impl Seen {
    fn judged(j: &Judged) -> Self {
        Self {
            count: j.count,
            value: j.value.value,
            sigma: j.value.sigma,
            unit: word(j.unit),
            showing: j.showing,
            of: j.of,
            probability: Some(j.probability),
        }
    }

    /// The coach's eye has no measure: its grade is the value.
    fn by_eye(wish: &Wish) -> Result<Self, Problem> {
        let grade = wish.grade.ok_or_else(|| {
            Problem::invalid("This take has no such finding any more. Load it again.")
        })?;
        if !(1..=4).contains(&grade) {
            return Err(Problem::invalid("Say how much of it you see: 1 to 4."));
        }
        Ok(Self {
            count: wish.count,
            value: f64::from(grade),
            sigma: 0.0,
            unit: "grade",
            showing: 1,
            of: 1,
            probability: None,
        })
    }
}

/// Word for a unit in the log.
fn word(unit: Unit) -> &'static str {
    match unit {
        Unit::Metres => "metres",
        Unit::Degrees => "degrees",
        Unit::Seconds => "seconds",
        Unit::Ratio => "ratio",
        Unit::Share => "share",
    }
}

/// Decides on a finding of a reviewed take.
#[allow(clippy::too_many_arguments)]
pub async fn decide(
    store: &Store,
    (studio, account): (StudioId, Option<Uuid>),
    review: &Review,
    (id, whose): (&str, Whose),
    verdict: Verdict,
    reason: &str,
    wish: &Wish,
    today: Date,
) -> Result<(), Problem> {
    let judged = review
        .analysis
        .judged
        .iter()
        .find(|j| j.fault == id && j.role == whose.role());
    // A grade is the coach's own eye, also where the tool has looked and found nothing.
    let seen = match judged {
        Some(j) if wish.grade.is_none() => Seen::judged(j),
        _ => Seen::by_eye(wish)?,
    };
    let (entry, chart) = review
        .rules
        .entry(id)
        .zip(review.chart.as_ref())
        .ok_or_else(Problem::not_found)?;
    if verdict == Verdict::Dismissed && reason.trim().is_empty() {
        return Err(Problem::invalid("Say in a word why this is no fault here."));
    }
    if reason.chars().count() > 1000 {
        return Err(Problem::invalid("A reason holds at most 1000 letters."));
    }
    if wish
        .cue
        .as_ref()
        .is_some_and(|c| c.trim().is_empty() || c.chars().count() > 1000)
    {
        return Err(Problem::invalid(
            "Say something of at most 1000 letters, or keep the proposal.",
        ));
    }
    let step = wish.drill_step.unwrap_or(1);
    let drill = entry.ladder.get(step.wrapping_sub(1)).ok_or_else(|| {
        Problem::invalid(format!(
            "This drill has the steps 1 to {}.",
            entry.ladder.len()
        ))
    })?;
    if wish.recheck_on.is_some_and(|d| d < today) {
        return Err(Problem::invalid(
            "Choose a day from today on to look again.",
        ));
    }
    let event = store.studio(studio).await?.event_on.map(|d| d.to_jiff());
    let due = next_look(today, Status::Working, 0, event);
    let pattern = chart.pattern();
    if seen.count.is_some_and(|c| c >= pattern.marks.len()) {
        return Err(Problem::invalid("The figure has no such count."));
    }
    let roles: Vec<Role> = match whose.role() {
        Some(role) => vec![role],
        None if wish.roles.is_empty() => {
            judged.map_or_else(|| Role::BOTH.to_vec(), |j| j.whose.clone())
        }
        None => wish.roles.clone(),
    };
    if roles.iter().any(|r| !entry.who.told().contains(r)) {
        return Err(Problem::invalid(format!(
            "“{}” is the other role's.",
            entry.name
        )));
    }
    let mut corrections: Vec<NewCorrection> = Vec::new();
    if verdict == Verdict::Confirmed {
        for role in &roles {
            let person = match role {
                Role::Leader => review.take.leader_id,
                Role::Follower => review.take.follower_id,
            };
            let recheck_on = match (wish.recheck_on, due) {
                (None, Some(due)) => {
                    let taken = looks_of(store, studio, person, None).await?;
                    let lessons = lessons_of(store, studio, person, today).await?;
                    Some(settle(due, &taken, &lessons, today, event))
                }
                (chosen, _) => chosen,
            };
            corrections.push(NewCorrection {
                person,
                role: *role,
                fault: id.to_owned(),
                chart: chart.id.clone(),
                count: seen.count.map(|c| pattern.spoken(c)),
                value: seen.value,
                sigma: seen.sigma,
                unit: seen.unit.to_owned(),
                showing: seen.showing,
                measured: seen.of,
                cue: wish
                    .cue
                    .clone()
                    .or_else(|| entry.cue.get(role).cloned())
                    .unwrap_or_default(),
                drill: drill.clone(),
                drill_step: step as i32,
                target: entry.target.clone(),
                caution: entry.caution.clone(),
                recheck_on,
            });
        }
    }
    store
        .decide(
            studio,
            review.take.id,
            account,
            (id, whose),
            (verdict, seen.probability),
            reason.trim(),
            &corrections,
        )
        .await?;
    Ok(())
}

/// Notes what a look at a correction found on a day, and sets the date of the next one.
pub async fn look(
    store: &Store,
    studio: StudioId,
    correction: Uuid,
    on: Date,
    fine: bool,
) -> Result<Correction, Problem> {
    let now = store.correction(studio, correction).await?;
    let event = store.studio(studio).await?.event_on.map(|d| d.to_jiff());
    let (status, fine_looks) = if fine {
        (Status::Holding, now.fine_looks as usize + 1)
    } else {
        (Status::Working, 0)
    };
    let next = match next_look(on, status, fine_looks, event) {
        Some(due) => {
            let taken = looks_of(store, studio, now.person_id, Some(correction)).await?;
            let lessons = lessons_of(store, studio, now.person_id, on).await?;
            Some(settle(due, &taken, &lessons, on, event))
        }
        None => None,
    };
    Ok(store.note_look(studio, correction, on, fine, next).await?)
}
