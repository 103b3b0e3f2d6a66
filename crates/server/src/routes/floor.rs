//! The floor reference with less clicking: corners found near a rough click, and the reference of an earlier
//! take from a phone that has not been moved since.

use axum::extract::State;
use serde::{Deserialize, Serialize};
use upright_core::camera::{Corner, Grey, corner, unmoved};
use upright_core::marks::FloorReference;
use upright_core::units::MediaTime;
use upright_media::grey;
use upright_store::{Clip, ClipState};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::review::{self, apart};

/// How far from a click a corner is looked for, pixels.
const REACH: f64 = 12.0;

/// Takes of the same place that are looked at for a phone that stands where it stood.
const EARLIER: usize = 6;

/// A rough click on a clip's picture.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RoughClick {
    /// Which of the take's angles, 1..4.
    angle: i16,
    /// The frame, microseconds of that clip.
    at: MediaTime,
    /// Where, pixels.
    pixel: [f64; 2],
}

/// What is near a rough click.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct NearClick {
    /// The corner, pixels; none where nothing near it is cornered.
    pixel: Option<[f64; 2]>,
    /// Its standard error along each axis, pixels.
    sigma: Option<f64>,
}

/// A frame of a clip in grey.
async fn frame(app: &App, clip: &Clip, at: MediaTime) -> Result<Vec<u8>, Problem> {
    let key = clip
        .proxy
        .as_ref()
        .filter(|_| clip.state == ClipState::Ready)
        .ok_or_else(|| {
            Problem::invalid("This clip cannot be shown yet; wait until it is ready.")
        })?;
    let place = crate::intake::workplace(app)?;
    let film = place.path().join("film.mp4");
    app.blobs().fetch(key, &film).await?;
    let seconds = MediaTime(clip.start_us + at.0.max(0)).secs();
    Ok(grey(&film, seconds).await?)
}

fn size(clip: &Clip) -> [usize; 2] {
    [clip.width, clip.height].map(|v| usize::try_from(v).unwrap_or(0))
}

/// The corner nearest to a rough click, to a fraction of a pixel. Nothing is marked.
#[utoipa::path(post, operation_id = "floor_corner", path = "/api/takes/{id}/corner", params(("id" = Uuid, Path)),
    request_body = RoughClick, responses((status = 200, body = NearClick), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn near(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(click): Json<RoughClick>,
) -> Result<Json<NearClick>, Problem> {
    let clip = app.store().angle(coach.studio, take, click.angle).await?;
    let clip = clip.ok_or_else(Problem::not_found)?;
    let bytes = frame(&app, &clip, click.at).await?;
    let [width, _] = size(&clip);
    let found: Option<Corner> = apart(move || {
        let picture = Grey {
            width,
            bytes: &bytes,
        };
        corner(picture, click.pixel, REACH)
    })
    .await?;
    Ok(Json(NearClick {
        pixel: found.map(|c| c.pixel),
        sigma: found.map(|c| c.sigma),
    }))
}

/// Which of a take's angles.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct OfAngle {
    /// 1..4.
    #[param(minimum = 1, maximum = 4)]
    angle: i16,
}

/// The floor reference of an earlier take, where the phone stands as it stood then.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct FloorBefore {
    /// The earlier take.
    take: Uuid,
    /// Its number within its session.
    number: i32,
    /// Its day.
    #[schema(value_type = String, format = Date)]
    held_on: jiff::civil::Date,
    /// The reference as it is to be marked here.
    reference: FloorReference,
    /// Corners that were found where they were, of those that were marked then.
    kept: [usize; 2],
}

/// Looks among the newest takes of the same place for a floor reference whose corners are still where they
/// were marked. None where the phone was moved or nothing was marked.
#[utoipa::path(get, operation_id = "floor_before", path = "/api/takes/{id}/floor-before", params(("id" = Uuid, Path), OfAngle),
    responses((status = 200, body = Option<FloorBefore>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn before(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(of): Query<OfAngle>,
) -> Result<Json<Option<FloorBefore>>, Problem> {
    let store = app.store();
    let take = store.take(coach.studio, id).await?;
    let clip = store.angle(coach.studio, id, of.angle).await?;
    let clip = clip.ok_or_else(Problem::not_found)?;
    let all = store.takes(coach.studio).await?;
    let same = |t: &&upright_store::Take| {
        t.id != id
            && t.floor_ready
            && t.place == take.place
            && t.held_on.to_jiff() <= take.held_on.to_jiff()
    };
    let mut picture: Option<Vec<u8>> = None;
    for earlier in all.iter().filter(same).take(EARLIER) {
        let there = store.angle(coach.studio, earlier.id, of.angle).await?;
        if there.is_none_or(|c| size(&c) != size(&clip)) {
            continue;
        }
        let marks = review::marks(&app, coach.studio, earlier.id).await?;
        let angle = u8::try_from(of.angle).unwrap_or(u8::MAX);
        let Some(reference) = marks.floor_on(angle) else {
            continue;
        };
        let bytes = match picture.take() {
            Some(bytes) => bytes,
            None => {
                // At first the couple may stand on a corner; in the middle they dance elsewhere or not.
                let middle = clip.frame_times.get(clip.frame_times.len() / 2);
                frame(&app, &clip, MediaTime(middle.copied().unwrap_or(0))).await?
            }
        };
        let [width, _] = size(&clip);
        let points: Vec<[f64; 2]> = reference.points.iter().flatten().copied().collect();
        let (bytes, kept) = apart(move || {
            let kept = unmoved(
                Grey {
                    width,
                    bytes: &bytes,
                },
                &points,
            );
            (bytes, kept)
        })
        .await?;
        picture = Some(bytes);
        if kept.same() {
            return Ok(Json(Some(FloorBefore {
                take: earlier.id,
                number: earlier.number,
                held_on: earlier.held_on.to_jiff(),
                reference,
                kept: [kept.kept, kept.of],
            })));
        }
    }
    Ok(Json(None))
}
