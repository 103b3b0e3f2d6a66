//! Clips: out in ranges, and laid on each other.

use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse as _, Response};
use axum_extra::TypedHeader;
use axum_extra::headers::Range;
use serde::Deserialize;
use std::ops::Bound;
use upright_store::{Clip, ClipState};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::routes::takes::ClipView;

/// Which of a take's angles.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Angle {
    /// 1..4; the first when it is not said.
    #[serde(default = "first")]
    #[param(default = 1, minimum = 1, maximum = 4)]
    angle: i16,
}

pub(super) fn first() -> i16 {
    1
}

impl Angle {
    fn checked(self) -> Result<i16, Problem> {
        checked(self.angle)
    }
}

/// An angle that a take can have.
pub(super) fn checked(angle: i16) -> Result<i16, Problem> {
    if (1..=4).contains(&angle) {
        Ok(angle)
    } else {
        Err(Problem::invalid("A take has up to four angles, 1 to 4."))
    }
}

pub(super) async fn of_angle(
    app: &App,
    coach: &Coach,
    take: Uuid,
    angle: i16,
) -> Result<Clip, Problem> {
    let clip = app.store().angle(coach.studio, take, angle).await?;
    clip.ok_or_else(Problem::not_found)
}

/// When a further angle begins.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Begin {
    /// Which angle, 2..4.
    angle: i16,
    /// Microseconds of the first angle's clip, up to an hour either way.
    offset: i64,
}

/// Says when a further angle's clip begins on the first one's clock, so that they go in step.
#[utoipa::path(put, operation_id = "clips_align", path = "/api/takes/{id}/angles", params(("id" = Uuid, Path)),
    request_body = Begin, responses((status = 200, body = ClipView), (status = 404, body = Problem),
    (status = 422, body = Problem)))]
pub async fn align(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(begin): Json<Begin>,
) -> Result<Json<ClipView>, Problem> {
    if begin.offset.unsigned_abs() >= 3_600_000_000 {
        return Err(Problem::invalid(
            "Two clips of one take begin within an hour of each other.",
        ));
    }
    let clip = app
        .store()
        .set_clip_offset(coach.studio, take, begin.angle, begin.offset)
        .await?;
    Ok(Json(clip.into()))
}

/// The playable clip of a take; answers range requests.
#[utoipa::path(get, operation_id = "clips_video", path = "/api/takes/{id}/video", params(("id" = Uuid, Path), Angle), responses(
    (status = 200, content_type = "video/mp4"), (status = 206, content_type = "video/mp4"),
    (status = 404, body = Problem), (status = 416, body = Problem)))]
pub async fn video(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Query(angle): Query<Angle>,
    range: Option<TypedHeader<Range>>,
) -> Result<Response, Problem> {
    let clip = of_angle(&app, &coach, take, angle.checked()?).await?;
    let key = Some(clip)
        .filter(|c| c.state == ClipState::Ready)
        .and_then(|c| c.proxy)
        .ok_or_else(Problem::not_found)?;
    ranged(&app, &key, "video/mp4", range.map(|TypedHeader(r)| r)).await
}

/// A stored file, or the part of it that is asked for.
pub(super) async fn ranged(
    app: &App,
    key: &str,
    kind: &'static str,
    range: Option<Range>,
) -> Result<Response, Problem> {
    let size = app.blobs().size(key).await?;
    let common = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::ACCEPT_RANGES, "bytes".to_owned()),
        (header::CACHE_CONTROL, "private, max-age=3600".to_owned()),
    ];
    let asked = range.and_then(|r| {
        // Browsers ask for one range; several at once get the whole.
        let all: Vec<_> = r.satisfiable_ranges(size).collect();
        Some(all).filter(|a| a.len() <= 1)
    });
    let Some(asked) = asked else {
        let body = Body::from_stream(app.blobs().read(key, 0, size).await?);
        let length = [(header::CONTENT_LENGTH, size.to_string())];
        return Ok((StatusCode::OK, common, length, body).into_response());
    };
    let span = asked.first().map(|(from, to)| {
        let from = match from {
            Bound::Included(f) => *f,
            Bound::Excluded(f) => f + 1,
            Bound::Unbounded => 0,
        };
        let to = match to {
            Bound::Included(t) => (t + 1).min(size),
            Bound::Excluded(t) => (*t).min(size),
            Bound::Unbounded => size,
        };
        (from, to)
    });
    match span {
        Some((from, to)) if from < to => {
            let body = Body::from_stream(app.blobs().read(key, from, to).await?);
            let part = [
                (
                    header::CONTENT_RANGE,
                    format!("bytes {from}-{}/{size}", to - 1),
                ),
                (header::CONTENT_LENGTH, (to - from).to_string()),
            ];
            Ok((StatusCode::PARTIAL_CONTENT, common, part, body).into_response())
        }
        _ => Ok((
            StatusCode::RANGE_NOT_SATISFIABLE,
            [(header::CONTENT_RANGE, format!("bytes */{size}"))],
        )
            .into_response()),
    }
}
