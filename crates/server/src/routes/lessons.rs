//! Lessons: proposed, kept, held, and what was seen in them without a film.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use upright_core::marks::{Entry, MarkCommand};
use upright_core::plan::Lesson;
use upright_core::units::Role;
use upright_store::{KeptLesson, NewTake, Verdict, Whose};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::correct::{Wish, decide};
use crate::extract::{Json, Path};
use crate::lessons::{LessonInput, about, keep, plan};
use crate::problem::Problem;
use crate::review;
use crate::training::Practised;

/// A lesson with what its blocks are about.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct LessonView {
    /// As kept; as proposed it has no id yet.
    lesson: Option<KeptLesson>,
    /// What is planned.
    plan: Lesson,
    /// The corrections that the blocks and what is left out are about.
    about: Vec<Practised>,
}

/// Proposes a lesson without keeping it.
#[utoipa::path(post, operation_id = "lessons_propose", path = "/api/lesson-proposal", request_body = LessonInput,
    responses((status = 200, body = LessonView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn propose(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<LessonInput>,
) -> Result<Json<LessonView>, Problem> {
    let (plan, about) = plan(&app, coach.studio, &input).await?;
    Ok(Json(LessonView {
        lesson: None,
        plan,
        about,
    }))
}

/// Plans and keeps a lesson.
#[utoipa::path(post, operation_id = "lessons_create", path = "/api/lessons", request_body = LessonInput,
    responses((status = 201, body = LessonView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<LessonInput>,
) -> Result<(StatusCode, Json<LessonView>), Problem> {
    let (kept, about) = keep(&app, coach.studio, &input).await?;
    let view = LessonView {
        plan: kept.plan.0.clone(),
        lesson: Some(kept),
        about,
    };
    Ok((StatusCode::CREATED, Json(view)))
}

/// A lesson.
#[utoipa::path(get, operation_id = "lessons_read", path = "/api/lessons/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = LessonView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<LessonView>, Problem> {
    let kept = app.store().lesson(coach.studio, id).await?;
    let on = kept.held_on.to_jiff();
    let plan = kept.plan.0.clone();
    let about = about(&app, coach.studio, &kept.couples, on, &plan).await?;
    Ok(Json(LessonView {
        about,
        lesson: Some(kept),
        plan,
    }))
}

/// Whether a lesson is over.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Ended {
    /// Over.
    ended: bool,
}

/// Ends a lesson, or takes that back.
#[utoipa::path(put, operation_id = "lessons_end", path = "/api/lessons/{id}/end", params(("id" = Uuid, Path)),
    request_body = Ended, responses((status = 200, body = KeptLesson), (status = 404, body = Problem)))]
pub async fn end(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<Ended>,
) -> Result<Json<KeptLesson>, Problem> {
    Ok(Json(
        app.store()
            .end_lesson(coach.studio, id, input.ended)
            .await?,
    ))
}

/// Forgets a lesson; what was logged in it stays.
#[utoipa::path(delete, operation_id = "lessons_remove", path = "/api/lessons/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn remove(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.store().remove_lesson(coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a coach saw in a lesson, without a film.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LiveNote {
    /// Of which couple.
    couple: Uuid,
    /// The fault.
    fault: String,
    /// Whose.
    role: Role,
    /// In which figure.
    chart: String,
    /// At which count, from 0.
    #[serde(default)]
    count: Option<usize>,
    /// How much of it, 1 a little to 4 very much.
    grade: u8,
}

/// Logs what was seen, as a correction like any other: in a take without a clip of the lesson's session.
#[utoipa::path(post, operation_id = "lessons_note", path = "/api/lessons/{id}/notes", params(("id" = Uuid, Path)),
    request_body = LiveNote, responses((status = 201), (status = 404, body = Problem), (status = 409, body = Problem),
    (status = 422, body = Problem)))]
pub async fn note(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<LiveNote>,
) -> Result<StatusCode, Problem> {
    let store = app.store();
    let kept = store.lesson(coach.studio, id).await?;
    if !kept.couples.contains(&input.couple) {
        return Err(Problem::invalid("This couple is not in the lesson."));
    }
    let on = kept.held_on.to_jiff();
    // One take without a clip for each figure of the lesson: what is seen in it is one log.
    let there = store.takes(coach.studio).await?.into_iter().find(|t| {
        t.couple_id == input.couple
            && t.held_on.to_jiff() == on
            && t.place == IN_LESSON
            && t.chart.as_ref() == Some(&input.chart)
    });
    let take = match there {
        Some(take) => take,
        None => {
            let new = NewTake {
                couple_id: input.couple,
                held_on: on,
                place: IN_LESSON.into(),
                floor: String::new(),
                shoes: String::new(),
            };
            let take = store.create_take(coach.studio, &new).await?;
            let figure = Entry::Command(MarkCommand::NameFigure {
                chart: input.chart.clone(),
                repetitions: 1,
            });
            let account = Some(coach.account);
            review::mark(&app, coach.studio, account, take.id, 0, vec![figure]).await?;
            store.set_reviewed(coach.studio, take.id, true).await?
        }
    };
    let r = review::review(&app, coach.studio, take.id).await?;
    let wish = Wish {
        grade: Some(input.grade),
        count: input.count,
        ..Wish::default()
    };
    let whose = match input.role {
        _ if r
            .rules
            .entry(&input.fault)
            .is_some_and(|f| f.who.roles() == [None]) =>
        {
            Whose::Couple
        }
        Role::Leader => Whose::Leader,
        Role::Follower => Whose::Follower,
    };
    let wish = Wish {
        roles: if whose == Whose::Couple {
            vec![input.role]
        } else {
            Vec::new()
        },
        ..wish
    };
    decide(
        store,
        (coach.studio, Some(coach.account)),
        &r,
        (&input.fault, whose),
        Verdict::Confirmed,
        "",
        &wish,
        jiff::Zoned::now().date(),
    )
    .await?;
    Ok(StatusCode::CREATED)
}

/// Where a take was danced that nobody filmed.
const IN_LESSON: &str = "In the lesson";
