//! Then and now.

use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse as _, Response};
use serde::{Deserialize, Serialize};
use upright_core::analyse::{Footprint, StanceView};
use upright_core::fault::Band;
use upright_core::progress::{Conditions, Difference, ThenNow, unlike};
use upright_store::Take;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::compare::{film, two};
use crate::extract::{Json, Path, Query};
use crate::notes::notes;
use crate::problem::Problem;
use crate::review::Review;

/// One of the two takes.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct OneTake {
    /// The take.
    take: Take,
    /// There is a film to show.
    filmed: bool,
    /// Feet on the floor.
    footprints: Vec<Footprint>,
    /// Where each dancer stands.
    stances: Vec<StanceView>,
}

impl From<Review> for OneTake {
    fn from(r: Review) -> Self {
        Self {
            filmed: r.take.clip.as_deref() == Some("ready"),
            footprints: r.analysis.footprints,
            stances: r.analysis.stances,
            take: r.take,
        }
    }
}

/// The band of a judged measure.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct MeasureBand {
    /// Which measure.
    measure: String,
    /// Fine and clear.
    band: Band,
}

/// Two takes laid on each other by count.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ThenNowView {
    /// The earlier.
    then: OneTake,
    /// The later.
    now: OneTake,
    /// Counts and measures of both.
    both: ThenNow,
    /// Bands of the measures that judge, as they are now.
    bands: Vec<MeasureBand>,
    /// In what the takes differ besides.
    differences: Vec<Difference>,
}

/// Which two takes.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct TwoTakes {
    /// The earlier.
    then: Uuid,
    /// The later.
    now: Uuid,
}

fn conditions(r: &Review) -> Conditions {
    Conditions {
        tempo: r.take.tempo,
        bearings: r.bearings.clone(),
        place: r.take.place.clone(),
        floor: r.take.floor.clone(),
        shoes: r.take.shoes.clone(),
    }
}

/// Two takes of one figure laid on each other by count.
#[utoipa::path(get, operation_id = "compare_read", path = "/api/then-and-now", params(TwoTakes),
    responses((status = 200, body = ThenNowView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Query(q): Query<TwoTakes>,
) -> Result<Json<ThenNowView>, Problem> {
    let found = two(&app, coach.studio, q.then, q.now).await?;
    let mut bands: Vec<MeasureBand> = Vec::new();
    for j in &found.now.analysis.judged {
        if !bands.iter().any(|b| b.measure == j.measure) {
            bands.push(MeasureBand {
                measure: j.measure.clone(),
                band: j.band,
            });
        }
    }
    Ok(Json(ThenNowView {
        differences: unlike(&conditions(&found.then), &conditions(&found.now)),
        both: found.both,
        then: found.then.into(),
        now: found.now.into(),
        bands,
    }))
}

/// What of them is wanted as a film.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct FilmQuery {
    /// The earlier take.
    then: Uuid,
    /// The later.
    now: Uuid,
    /// Which repetition, from 0.
    #[serde(default)]
    repetition: u32,
    /// Hide the faces.
    #[serde(default)]
    hidden: bool,
}

/// One repetition of both as a film, side by side and in step by count.
#[utoipa::path(get, operation_id = "compare_film", path = "/api/then-and-now/film", params(FilmQuery),
    responses((status = 200, content_type = "video/mp4"), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn clip(
    State(app): State<App>,
    coach: Coach,
    Query(q): Query<FilmQuery>,
) -> Result<Response, Problem> {
    let found = two(&app, coach.studio, q.then, q.now).await?;
    let made = tempfile::Builder::new()
        .suffix(".mp4")
        .tempfile()
        .map_err(|e| Problem::internal(&e))?;
    film(
        &app,
        coach.studio,
        &found,
        q.repetition,
        q.hidden,
        made.path(),
    )
    .await?;
    let bytes = tokio::fs::read(made.path())
        .await
        .map_err(|e| Problem::internal(&e))?;
    let name = format!(
        "attachment; filename=\"then-and-now-{}-{}.mp4\"",
        found.then.take.held_on.to_jiff(),
        found.now.take.held_on.to_jiff()
    );
    let headers = [
        (header::CONTENT_TYPE, "video/mp4".to_owned()),
        (header::CONTENT_DISPOSITION, name),
    ];
    Ok((headers, bytes).into_response())
}

/// A take's corrections as WebVTT subtitles of its first clip.
#[utoipa::path(get, operation_id = "compare_notes", path = "/api/takes/{id}/notes.vtt", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "text/vtt"), (status = 404, body = Problem)))]
pub async fn subtitles(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let text = notes(&app, coach.studio, id).await?;
    Ok(([(header::CONTENT_TYPE, "text/vtt; charset=utf-8")], text).into_response())
}
