//! Long work on a take's clips: asked for, watched, stopped.

use std::convert::Infallible;
use std::time::Duration;

use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Sse;
use axum::response::sse::{Event, KeepAlive};
use futures::Stream;
use serde::{Deserialize, Serialize};
use upright_core::body::track::Sighting;
use upright_core::body::{Landmark, Pose};
use upright_core::units::MediaTime;
use upright_store::{ClipState, Picked, StudioId, Wanted, Work, WorkKind, WorkState};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;

/// Long work as it is shown.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct WorkView {
    /// Id.
    id: Uuid,
    /// Which of the take's angles, 1..4.
    angle: i16,
    /// What is done.
    kind: WorkKind,
    /// How far it is.
    state: WorkState,
    /// 0..1.
    progress: f32,
    /// Seconds that it will take, once that can be told.
    left: Option<f64>,
    /// Why it failed.
    failure: Option<String>,
}

/// Less than this done, nothing can be said of the rest.
const TELLS: f32 = 0.03;

impl WorkView {
    fn new(angle: i16, w: Work) -> Self {
        let left = w
            .running_for
            .filter(|_| w.state == WorkState::Running && w.progress > TELLS)
            .map(|s| (s * f64::from((1.0 - w.progress) / w.progress)).ceil());
        Self {
            id: w.id,
            angle,
            kind: w.kind,
            state: w.state,
            progress: w.progress,
            left,
            failure: w.failure,
        }
    }
}

async fn views(app: &App, studio: StudioId, take: Uuid) -> Result<Vec<WorkView>, Problem> {
    let all = app.store().take_work(studio, take).await?;
    Ok(all
        .into_iter()
        .map(|(angle, w)| WorkView::new(angle, w))
        .collect())
}

/// The newest work of each kind on each of a take's clips.
#[utoipa::path(get, operation_id = "work_list", path = "/api/takes/{id}/work", params(("id" = Uuid, Path)),
    responses((status = 200, body = [WorkView]), (status = 404, body = Problem)))]
pub async fn list(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
) -> Result<Json<Vec<WorkView>>, Problem> {
    app.store().take(coach.studio, take).await?;
    Ok(Json(views(&app, coach.studio, take).await?))
}

/// How often a watcher is told, and for how long at most; the page asks again then.
const TOLD: Duration = Duration::from_millis(400);
const WATCHED: Duration = Duration::from_secs(3600);

/// The same as a stream of server-sent events: a list at once, and another one after each change.
#[utoipa::path(get, operation_id = "work_events", path = "/api/takes/{id}/work/events", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "text/event-stream", body = String), (status = 404, body = Problem)))]
pub async fn events(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, Problem> {
    app.store().take(coach.studio, take).await?;
    let begun = std::time::Instant::now();
    let start = (app, None::<Vec<WorkView>>);
    let stream = futures::stream::unfold(start, move |(app, last)| async move {
        while begun.elapsed() < WATCHED {
            let now = views(&app, coach.studio, take).await.ok()?;
            if last.as_ref() != Some(&now) {
                let event = Event::default().json_data(&now).ok()?;
                return Some((Ok(event), (app, Some(now))));
            }
            tokio::time::sleep(TOLD).await;
        }
        None
    });
    Ok(Sse::new(stream).keep_alive(KeepAlive::default()))
}

/// Most dancers that are pointed at: both in every angle, a few times.
const MOST_PICKS: usize = 64;

/// Finds both dancers in the clips of all angles that can be played.
#[utoipa::path(post, operation_id = "work_find", path = "/api/takes/{id}/find", params(("id" = Uuid, Path)),
    request_body = Wanted, responses((status = 202, body = [WorkView]), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn find(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(wanted): Json<Wanted>,
) -> Result<(StatusCode, Json<Vec<WorkView>>), Problem> {
    let numbers = |p: &Picked| p.pixel.iter().all(|v| (0.0..=1e5).contains(v));
    if wanted.picks.len() > MOST_PICKS || !wanted.picks.iter().all(numbers) {
        return Err(Problem::invalid(
            "Point at the dancers in the picture, at most 64 times.",
        ));
    }
    app.store().take(coach.studio, take).await?;
    let clips = app.store().clips(coach.studio, take).await?;
    let ready: Vec<_> = clips
        .iter()
        .filter(|c| c.state == ClipState::Ready)
        .collect();
    if ready.is_empty() {
        return Err(Problem::invalid(
            "No clip of this take can be played yet. Add one, or wait until it is prepared.",
        ));
    }
    for clip in ready {
        app.store()
            .ask_work(coach.studio, clip.id, WorkKind::Find, &wanted)
            .await?;
    }
    Ok((
        StatusCode::ACCEPTED,
        Json(views(&app, coach.studio, take).await?),
    ))
}

/// Stops work that is not over yet. What it would have changed stays as it was.
#[utoipa::path(delete, operation_id = "work_stop", path = "/api/work/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn stop(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    let work = app.store().stop_work(coach.studio, id).await?;
    if work.kind == WorkKind::Prepare {
        app.store()
            .clip_failed(
                work.clip_id,
                "Preparing this clip was stopped. Send it again when you want it.",
            )
            .await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// A part of a clip in which the two dancers have each other's names.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Exchanged {
    /// Which of the take's angles, 1..4.
    angle: i16,
    /// From this moment, microseconds of the angle's clip; from its beginning when not said.
    from: Option<i64>,
    /// To this moment; to its end when not said.
    to: Option<i64>,
}

/// What was exchanged.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ExchangedView {
    /// How often a dancer changed the name.
    sights: usize,
}

/// Says that the dancers found in a clip have each other's names, in a part or all of it. Saying it again takes
/// it back.
#[utoipa::path(post, operation_id = "work_exchange", path = "/api/takes/{id}/exchange", params(("id" = Uuid, Path)),
    request_body = Exchanged, responses((status = 200, body = ExchangedView), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn exchange(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(what): Json<Exchanged>,
) -> Result<Json<ExchangedView>, Problem> {
    let clip = app
        .store()
        .angle(coach.studio, take, what.angle)
        .await?
        .ok_or_else(Problem::not_found)?;
    let span = [what.from.unwrap_or(i64::MIN), what.to.unwrap_or(i64::MAX)];
    if span[0] > span[1] {
        return Err(Problem::invalid("The part ends before it begins."));
    }
    let sights = app
        .store()
        .exchange_track(coach.studio, clip.id, span.map(MediaTime))
        .await?;
    crate::review::renew(&app, coach.studio, take).await?;
    Ok(Json(ExchangedView { sights }))
}

/// Which of a take's angles.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Which {
    /// 1..4; the first when it is not said.
    #[serde(default = "first")]
    #[param(default = 1, minimum = 1, maximum = 4)]
    angle: i16,
}

fn first() -> i16 {
    1
}

/// A dancer as found in a frame.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct SightView {
    /// Who, when and where, pixels.
    #[serde(flatten)]
    pose: Pose,
    /// Points that may as well lie elsewhere.
    unsure: Vec<Landmark>,
}

/// Where both dancers were found in an angle's clip, frame by frame, by the names that they were given there.
#[utoipa::path(get, operation_id = "work_sights", path = "/api/takes/{id}/sights", params(("id" = Uuid, Path), Which),
    responses((status = 200, body = [SightView]), (status = 404, body = Problem)))]
pub async fn sights(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Query(which): Query<Which>,
) -> Result<Json<Vec<SightView>>, Problem> {
    let clip = app
        .store()
        .angle(coach.studio, take, which.angle)
        .await?
        .ok_or_else(Problem::not_found)?;
    let track = app.store().track(coach.studio, clip.id).await?;
    let tenth = |v: f64| (10.0 * v).round() / 10.0;
    let view = |s: Sighting| {
        let points = s.points.iter().map(|(l, p)| (*l, p.pixel.map(tenth)));
        SightView {
            unsure: s.unsure(),
            pose: Pose {
                role: s.role,
                at: s.at,
                points: points.collect(),
            },
        }
    };
    let all = track.into_iter().flat_map(|t| t.sightings);
    Ok(Json(all.map(view).collect()))
}
