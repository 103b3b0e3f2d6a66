//! A lesson's plan: what is due and worked on of those who come, in the minutes there are.

use jiff::civil::{Date, Time};
use serde::Deserialize;
use upright_core::plan::{Lesson, Pair, Task, first, lesson};
use upright_store::{KeptLesson, NewLesson, StudioId};
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;
use crate::training::{Practised, practice_of};

/// A lesson to be planned.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LessonInput {
    /// The day.
    #[schema(value_type = String, format = Date)]
    pub held_on: Date,
    /// When it begins.
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    pub begins_at: Option<Time>,
    /// How long, minutes.
    pub minutes: u16,
    /// Who comes.
    pub couples: Vec<Uuid>,
}

/// What is due and worked on of each couple, what comes first in front.
async fn pairs(
    app: &App,
    studio: StudioId,
    couples: &[Uuid],
    on: Date,
) -> Result<(Vec<Pair>, Vec<Practised>), Problem> {
    let store = app.store();
    let (mut pairs, mut about) = (Vec::new(), Vec::new());
    for id in couples {
        let couple = store.couple(studio, *id).await?;
        let mut all = Vec::new();
        for person in [couple.leader_id, couple.follower_id] {
            let person = store.person(studio, person).await?;
            all.extend(practice_of(store, studio, &person).await?);
        }
        // Due first and longest overdue in front; then what is worked on by what comes first.
        let due = |p: &Practised| {
            let on_or_before = p.correction.recheck_on.map(|d| d.to_jiff());
            on_or_before.filter(|d| *d <= on)
        };
        all.sort_by(|(a, p), (b, q)| {
            let late = |d: Option<Date>| (d.is_none(), d);
            late(due(p)).cmp(&late(due(q))).then_with(|| first(a, b))
        });
        let tasks = all
            .iter()
            // What hurt is not worked on; it is spoken about.
            .filter(|(_, p)| !p.rung.stopped && (p.correction.practised || due(p).is_some()))
            .map(|(e, p)| Task {
                id: e.id.clone(),
                look: due(p).is_some(),
            })
            .collect();
        pairs.push(Pair {
            id: id.to_string(),
            tasks,
        });
        about.extend(all.into_iter().map(|(_, p)| p));
    }
    Ok((pairs, about))
}

fn used(plan: &Lesson, about: Vec<Practised>) -> Vec<Practised> {
    let named = |id: &String| {
        plan.left_out.contains(id) || plan.blocks.iter().any(|b| b.task.as_ref() == Some(id))
    };
    about
        .into_iter()
        .filter(|p| named(&p.correction.id.to_string()))
        .collect()
}

/// Plans a lesson; with the corrections that it is about.
pub async fn plan(
    app: &App,
    studio: StudioId,
    input: &LessonInput,
) -> Result<(Lesson, Vec<Practised>), Problem> {
    let twice = |i: usize| input.couples[..i].contains(&input.couples[i]);
    if (0..input.couples.len()).any(twice) {
        return Err(Problem::invalid("Choose each couple once."));
    }
    let (pairs, about) = pairs(app, studio, &input.couples, input.held_on).await?;
    let plan = lesson(input.minutes, &pairs).map_err(|e| Problem::invalid(e.to_string()))?;
    let about = used(&plan, about);
    Ok((plan, about))
}

/// Plans and keeps a lesson.
pub async fn keep(
    app: &App,
    studio: StudioId,
    input: &LessonInput,
) -> Result<(KeptLesson, Vec<Practised>), Problem> {
    let (plan, about) = plan(app, studio, input).await?;
    let new = NewLesson {
        held_on: input.held_on,
        begins_at: input.begins_at,
        minutes: input.minutes,
        couples: input.couples.clone(),
        plan,
    };
    Ok((app.store().create_lesson(studio, &new).await?, about))
}

/// The corrections that a kept lesson is about.
pub async fn about(
    app: &App,
    studio: StudioId,
    couples: &[Uuid],
    on: Date,
    plan: &Lesson,
) -> Result<Vec<Practised>, Problem> {
    let (_, about) = pairs(app, studio, couples, on).await?;
    Ok(used(plan, about))
}
