//! What is heard in a take's clips.

use axum::extract::State;
use serde::{Deserialize, Serialize};
use upright_core::count::{Ask, Heard, RATE, Recount, in_step, listen};
use upright_media::sound;
use upright_store::Clip;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::review::{self, apart};
use crate::routes::takes::ClipView;

/// How the music is counted.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct How {
    /// Another reading than the likeliest one.
    #[serde(default)]
    #[param(inline)]
    reading: Option<Recount>,
}

/// Mono samples of a clip's copy from its first frame on.
async fn samples(app: &App, clip: Option<Clip>) -> Result<Vec<f32>, Problem> {
    let key = clip.and_then(|c| c.proxy).ok_or_else(|| {
        Problem::invalid("This clip cannot be played yet, so nothing can be heard in it.")
    })?;
    let place = crate::intake::workplace(app)?;
    let film = place.path().join("film.mp4");
    app.blobs().fetch(&key, &film).await?;
    let heard = sound(&film, RATE as u32).await?;
    if heard.is_empty() {
        return Err(Problem::invalid(
            "This clip has no sound. Tap along with the count, or type the tempo.",
        ));
    }
    Ok(heard)
}

/// The beat of the music in the first angle's clip, in the likeliest reading for the figure or another one.
/// Nothing of it is kept before the coach takes it as the count.
#[utoipa::path(get, operation_id = "sound_beat", path = "/api/takes/{id}/beat", params(("id" = Uuid, Path), How),
    responses((status = 200, body = Heard), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn beat(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Query(how): Query<How>,
) -> Result<Json<Heard>, Problem> {
    let chart = review::figure(&app, coach.studio, take).await?;
    let ask = chart.map_or_else(Ask::default, |c| Ask {
        tempo: c.tempo,
        meter: c.meter,
    });
    let clip = app.store().clip(coach.studio, take).await?;
    let samples = samples(&app, clip).await?;
    let heard = apart(move || listen(&samples, ask))
        .await?
        .map_err(|e| Problem::invalid(e.to_string()))?;
    Ok(Json(match how.reading {
        Some(reading) => heard.read(reading),
        None => heard,
    }))
}

/// Which further angle.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Further {
    /// 2..4.
    angle: i16,
}

/// Two clips in step.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct InStepView {
    /// The further angle's clip with its new beginning.
    clip: ClipView,
    /// Standard error of the beginning, seconds.
    sigma: f64,
    /// By how much its clock runs fast, parts in a million.
    fast: f64,
}

/// Lays a further angle's clip on the first one's clock by what both of them hear.
#[utoipa::path(post, operation_id = "sound_align", path = "/api/takes/{id}/angles/by-sound", params(("id" = Uuid, Path)),
    request_body = Further, responses((status = 200, body = InStepView), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn align(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(which): Json<Further>,
) -> Result<Json<InStepView>, Problem> {
    let store = app.store();
    let further = store.angle(coach.studio, take, which.angle).await?;
    let first = samples(&app, store.clip(coach.studio, take).await?).await?;
    let second = samples(&app, further).await?;
    let step = apart(move || in_step(&first, &second))
        .await?
        .map_err(|e| Problem::invalid(e.to_string()))?;
    let offset = (1e6 * step.offset).round() as i64;
    let clip = store
        .set_clip_offset(coach.studio, take, which.angle, offset)
        .await?;
    review::renew(&app, coach.studio, take).await?;
    Ok(Json(InStepView {
        clip: clip.into(),
        sigma: step.sigma,
        fast: step.fast,
    }))
}
