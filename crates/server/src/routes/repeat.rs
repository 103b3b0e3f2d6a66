//! The coach's own repeatability: a few frames marked again without seeing the first marks.

use std::collections::BTreeMap;

use axum::extract::State;
use axum::http::StatusCode;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use upright_core::body::{Landmark, Pose};
use upright_core::progress::Repeatability;
use upright_core::units::{MediaTime, Role, Unit};
use upright_store::Take;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::progress::own_error;
use crate::review;

/// Frames asked for in a sitting, and the fewest marks that make one worth it.
const FRAMES: usize = 4;
const MARKS: usize = 8;

/// How well one measure repeats.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct OwnError {
    /// Which measure.
    measure: String,
    /// As a coach says it.
    name: String,
    /// Unit of the error.
    unit: Unit,
    /// How well.
    repeats: Repeatability,
}

/// A sitting.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Sitting {
    /// When.
    #[schema(value_type = String, format = Date)]
    on: Date,
    /// Readings that could be compared.
    readings: usize,
}

/// The coach's own repeatability, and takes in which it can be looked at.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct OwnErrors {
    /// By measure.
    measures: Vec<OwnError>,
    /// Sittings, newest first.
    sittings: Vec<Sitting>,
    /// Takes with a film in which bodies are marked.
    takes: Vec<Take>,
}

/// How well the coach's own marking repeats.
#[utoipa::path(get, operation_id = "repeat_read", path = "/api/repeatability", responses((status = 200, body = OwnErrors)))]
pub async fn read(State(app): State<App>, coach: Coach) -> Result<Json<OwnErrors>, Problem> {
    let all = app.store().remarks(coach.studio).await?;
    let measures = own_error(&all)
        .into_iter()
        .filter_map(|(measure, repeats)| {
            let spec = upright_core::measure::spec(&measure)?;
            Some(OwnError {
                name: spec.name.to_owned(),
                unit: spec.unit,
                measure,
                repeats,
            })
        })
        .collect();
    let takes = app.store().takes(coach.studio).await?;
    Ok(Json(OwnErrors {
        measures,
        sittings: all
            .iter()
            .rev()
            .map(|r| Sitting {
                on: r.marked_on.to_jiff(),
                readings: r.readings.0.values().map(Vec::len).sum(),
            })
            .collect(),
        takes: takes
            .into_iter()
            .filter(|t| t.bodies_ready && t.clip.as_deref() == Some("ready"))
            .collect(),
    }))
}

/// A frame to be marked again.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct BlindFrame {
    /// Whose joints.
    role: Role,
    /// The frame.
    at: MediaTime,
    /// Which joints were marked there, and are marked again.
    landmarks: Vec<Landmark>,
}

/// Draws frames of a take that are to be marked again. Where the joints were marked is not told.
#[utoipa::path(get, operation_id = "repeat_frames", path = "/api/takes/{id}/blind-frames", params(("id" = Uuid, Path)),
    responses((status = 200, body = [BlindFrame]), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn frames(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<BlindFrame>>, Problem> {
    let r = review::review(&app, coach.studio, id).await?;
    let mut marked: Vec<&Pose> = r
        .history
        .marks()
        .poses
        .iter()
        .filter(|p| p.points.len() >= MARKS)
        .collect();
    if marked.len() < FRAMES {
        return Err(Problem::invalid(format!(
            "Mark at least {MARKS} joints in {FRAMES} frames of this take first."
        )));
    }
    // A fresh draw each time, so that frames are not remembered.
    let chance = Uuid::new_v4().as_u128() as usize;
    let step = marked.len() / FRAMES;
    let from = chance % marked.len();
    marked.rotate_left(from);
    let drawn = marked.iter().step_by(step.max(1)).take(FRAMES);
    Ok(Json(
        drawn
            .map(|p| BlindFrame {
                role: p.role,
                at: p.at,
                landmarks: Landmark::ALL
                    .into_iter()
                    .filter(|l| p.points.contains_key(l))
                    .collect(),
            })
            .collect(),
    ))
}

/// Joints marked again in one frame.
#[derive(Debug, Clone, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct BlindMarks {
    /// Whose joints.
    pub role: Role,
    /// The frame.
    pub at: MediaTime,
    /// Pixels by joint.
    #[schema(value_type = std::collections::HashMap<String, [f64; 2]>)]
    pub points: BTreeMap<Landmark, [f64; 2]>,
}

/// What a sitting brought.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct SittingResult {
    /// Readings that could be compared.
    readings: usize,
}

/// Compares frames marked again with their first marks and keeps how far the readings lie apart. The take itself
/// stays as it is.
#[utoipa::path(post, operation_id = "repeat_keep", path = "/api/takes/{id}/blind-frames", params(("id" = Uuid, Path)),
    request_body = [BlindMarks], responses((status = 201, body = SittingResult), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn keep(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<Vec<BlindMarks>>,
) -> Result<(StatusCode, Json<SittingResult>), Problem> {
    if input.is_empty() || input.len() > 40 {
        return Err(Problem::invalid("Mark 1 to 40 frames again."));
    }
    let poses: Vec<Pose> = input
        .into_iter()
        .map(|b| Pose {
            role: b.role,
            at: b.at,
            points: b.points,
        })
        .collect();
    let readings = review::remarked(&app, coach.studio, id, poses).await?;
    let many = readings.values().map(Vec::len).sum();
    if many == 0 {
        return Err(Problem::invalid(
            "Nothing could be compared: the count or the floor of this take is missing, or other frames were marked.",
        ));
    }
    let today = jiff::Zoned::now().date();
    app.store()
        .add_remark(coach.studio, id, today, &readings)
        .await?;
    Ok((StatusCode::CREATED, Json(SittingResult { readings: many })))
}
