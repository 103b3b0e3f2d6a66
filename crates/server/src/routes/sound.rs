//! What is heard in a take's clips.

use axum::extract::State;
use serde::{Deserialize, Serialize};
use upright_core::count::{Ask, Heard, RATE, in_step, levels, listen};
use upright_media::sound;
use upright_store::Clip;
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::review::{self, apart};
use crate::routes::takes::ClipView;

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

/// The beat of the music in the first angle's clip, as is likeliest for the figure.
/// Nothing of it is kept before the coach takes it as the count.
#[utoipa::path(get, operation_id = "sound_beat", path = "/api/takes/{id}/beat", params(("id" = Uuid, Path)),
    responses((status = 200, body = Heard), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn beat(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
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
    Ok(Json(heard))
}

/// How loud a clip is from its first frame on.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Waveform {
    /// Time from one level to the next, microseconds.
    step: i64,
    /// Loudest of each step, 0..255 of the loudest of all; empty for a silent clip.
    levels: Vec<u8>,
}

/// The loudness of a take's first clip over time, to be drawn with its beats.
#[utoipa::path(get, operation_id = "sound_waveform", path = "/api/takes/{id}/waveform", params(("id" = Uuid, Path)),
    responses((status = 200, body = Waveform), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn waveform(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
) -> Result<Json<Waveform>, Problem> {
    let clip = app.store().clip(coach.studio, take).await?;
    let clip = clip.ok_or_else(Problem::not_found)?;
    let kept = format!("waveform/{}", clip.id);
    let levels = if app.blobs().has(&kept).await {
        app.blobs().get(&kept).await?.to_vec()
    } else {
        let (levels, ready) = match samples(&app, Some(clip)).await {
            Ok(samples) => (levels(&samples, RATE, WAVE), true),
            // A silent clip has no waveform; that is no fault.
            Err(p) if !p.passes() => (Vec::new(), false),
            Err(p) => return Err(p),
        };
        if ready {
            app.blobs().put(&kept, levels.clone().into()).await?;
        }
        levels
    };
    Ok(Json(Waveform {
        step: (1e6 * WAVE) as i64,
        levels,
    }))
}

/// Time from one level of a waveform to the next, seconds.
const WAVE: f64 = 0.02;

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
