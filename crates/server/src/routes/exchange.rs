//! Takes, landmarks and measures in and out, as documents and tables.

use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse as _, Response};
use serde::{Deserialize, Serialize};
use upright_core::analyse::{Measured, measured};
use upright_core::chart::Shelf;
use upright_core::take::exchange::{self, TakeError};
use upright_core::take::{import, solve_take, table};
use upright_core::units::{MediaTime, Role};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::review;

/// Longest document that is taken in, bytes.
pub(super) const MOST_BODY: usize = 100_000_000;

impl From<TakeError> for Problem {
    fn from(e: TakeError) -> Self {
        Self::invalid(e.to_string())
    }
}

fn file(name: &str, kind: &'static str, text: String) -> Response {
    let name = format!("attachment; filename=\"{name}\"");
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_DISPOSITION, name),
    ];
    (headers, text).into_response()
}

/// A take as a document that can be measured without this studio.
#[utoipa::path(get, operation_id = "exchange_take", path = "/api/takes/{id}/document", params(("id" = Uuid, Path)), responses(
    (status = 200, body = String, content_type = "application/json"), (status = 404, body = Problem)))]
pub async fn document(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let d = review::document(&app, coach.studio, id).await?;
    Ok(file(
        &format!("take-{id}.json"),
        "application/json",
        d.write(),
    ))
}

/// A table of a take.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::ToSchema)]
pub enum Table {
    /// All measures.
    #[serde(rename = "measures.csv")]
    Measures,
    /// Both dancers' joints in space.
    #[serde(rename = "joints.csv")]
    Joints,
    /// The leader's joints as marker trajectories.
    #[serde(rename = "leader.trc")]
    Leader,
    /// The follower's.
    #[serde(rename = "follower.trc")]
    Follower,
}

/// A take's measures or joints as a table for other programs.
#[utoipa::path(get, operation_id = "exchange_table", path = "/api/takes/{id}/tables/{table}",
    params(("id" = Uuid, Path), ("table" = inline(Table), Path)), responses(
    (status = 200, body = String, content_type = "text/csv"), (status = 404, body = Problem)))]
pub async fn table(
    State(app): State<App>,
    coach: Coach,
    Path((id, which)): Path<(Uuid, Table)>,
) -> Result<Response, Problem> {
    if matches!(which, Table::Measures) {
        let r = review::review(&app, coach.studio, id).await?;
        let text = table::measures(&r.analysis.measures);
        return Ok(file("measures.csv", "text/csv; charset=utf-8", text));
    }
    let solved = review::bodies(&app, coach.studio, id).await?;
    review::apart(move || {
        let trc = |role, name| {
            table::trc(&solved, role)
                .map(|t| file(name, "text/tab-separated-values; charset=utf-8", t))
                .ok_or_else(|| {
                    let why = solved.bodies[role as usize].as_ref().err();
                    Problem::invalid(why.cloned().unwrap_or_default())
                })
        };
        match which {
            Table::Leader => trc(Role::Leader, "leader.trc"),
            Table::Follower => trc(Role::Follower, "follower.trc"),
            _ => {
                let text = table::joints(&solved);
                Ok(file("joints.csv", "text/csv; charset=utf-8", text))
            }
        }
    })
    .await?
}

/// Where landmarks belong, and what they were called.
#[derive(Debug, Clone, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Brought {
    /// Which of the take's angles, 1..4.
    #[serde(default = "first")]
    #[param(default = 1, minimum = 1, maximum = 4)]
    angle: i16,
    /// Name of the file.
    #[serde(default)]
    file: String,
}

fn first() -> i16 {
    1
}

/// What was brought.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct BroughtView {
    /// Frames with a dancer in them.
    frames: usize,
    /// Landmarks of leader and follower.
    landmarks: [usize; 2],
    /// Frames in which the dancers' names were exchanged and put right.
    exchanged: usize,
    /// Moments at which a dancer's left and right legs or arms were exchanged and put right.
    sides: usize,
}

/// Brings landmarks that another program has found in an angle's clip: a table (CSV) or key points (JSON). They
/// take the place of those brought before; what the coach has marked outranks them.
#[utoipa::path(put, operation_id = "exchange_bring", path = "/api/takes/{id}/landmarks", params(("id" = Uuid, Path), Brought),
    request_body(content = String, content_type = "text/plain"), responses((status = 200, body = BroughtView),
    (status = 404, body = Problem), (status = 413, body = Problem), (status = 422, body = Problem)))]
pub async fn bring_landmarks(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(what): Query<Brought>,
    text: String,
) -> Result<Json<BroughtView>, Problem> {
    let clip = app
        .store()
        .angle(coach.studio, id, what.angle)
        .await?
        .ok_or_else(Problem::not_found)?;
    let frames: Vec<MediaTime> = clip.frame_times.iter().map(|t| MediaTime(*t)).collect();
    let track = review::apart(move || import::landmarks(&text, &frames)).await??;
    let end = clip.frame_times.last().copied().unwrap_or_default();
    if let Some(s) = track.last().filter(|s| end > 0 && s.at.0 > end + 500_000) {
        return Err(Problem::invalid(format!(
            "The landmarks go on to {:.1} s, the clip only to {:.1} s. Are they of another clip?",
            s.at.secs(),
            end as f64 / 1e6
        )));
    }
    let mut view = BroughtView {
        frames: 0,
        landmarks: [0; 2],
        exchanged: 0,
        sides: 0,
    };
    let mut last = None;
    for s in &track {
        view.landmarks[s.role as usize] += s.points.len();
        view.frames += usize::from(last != Some(s.at));
        last = Some(s.at);
    }
    let name: String = what.file.chars().take(200).collect();
    app.store()
        .set_track(coach.studio, clip.id, &name, &track, None)
        .await?;
    let solved = review::bodies(&app, coach.studio, id).await?;
    view.exchanged = solved.mended.iter().sum();
    view.sides = solved.bodies.iter().flatten().map(|b| b.exchanged).sum();
    review::renew(&app, coach.studio, id).await?;
    Ok(Json(view))
}

/// Takes the landmarks of an angle away that were brought.
#[utoipa::path(delete, operation_id = "exchange_drop", path = "/api/takes/{id}/landmarks", params(("id" = Uuid, Path), Brought),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn drop_landmarks(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(what): Query<Brought>,
) -> Result<StatusCode, Problem> {
    let clip = app
        .store()
        .angle(coach.studio, id, what.angle)
        .await?
        .ok_or_else(Problem::not_found)?;
    if !app.store().drop_track(coach.studio, clip.id).await? {
        return Err(Problem::not_found());
    }
    review::renew(&app, coach.studio, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Measures a take document. Nothing of it is kept.
#[utoipa::path(post, operation_id = "exchange_measure", path = "/api/measure",
    request_body(content = String, content_type = "application/json"), responses((status = 200, body = Measured),
    (status = 413, body = Problem), (status = 422, body = Problem)))]
pub async fn measure_document(_: Coach, text: String) -> Result<Json<Measured>, Problem> {
    let found = review::apart(move || {
        let opened = exchange::read(&text)?.open(Shelf::default())?;
        let take = opened.take();
        Ok::<_, TakeError>(measured(&take, &solve_take(&take, None)))
    })
    .await??;
    Ok(Json(found))
}
