//! Takes.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use upright_core::body::leads::Guess;
use upright_store::{Clip, ClipState, Couple, Found, NewTake, Take};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path};
use crate::problem::Problem;

/// A clip as the Bench needs it.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ClipView {
    /// Which of the take's angles, 1..4; the first one's clock is the take's.
    angle: i16,
    /// Microseconds of the first angle's clip at which this one begins.
    offset: i64,
    /// How far it is.
    state: ClipState,
    /// 0..1 while preparing.
    progress: f32,
    /// Why it failed.
    failure: Option<String>,
    /// As it was called on the phone.
    file_name: String,
    /// Width of the picture, pixels.
    width: i32,
    /// Height of the picture, pixels.
    height: i32,
    /// Container time of the first frame, microseconds.
    start: i64,
    /// Microseconds of every frame after the first.
    frames: Vec<i64>,
    /// What its landmarks were brought from, where it has any besides the coach's marks.
    landmarks: Option<String>,
    /// What finding its dancers told, where that was done here.
    found: Option<FoundView>,
}

/// What finding dancers told besides where they are.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct FoundView {
    /// Whether one dancer only was found, and no second name given out.
    alone: bool,
    /// How many others were in the picture.
    others: usize,
    /// Whether the larger network looked.
    harder: bool,
    /// How sure it is that the leader was named rightly, and what told.
    leads: Guess,
}

impl From<Found> for FoundView {
    fn from(f: Found) -> Self {
        Self {
            alone: f.alone,
            others: f.others,
            harder: f.harder,
            leads: f.leads,
        }
    }
}

impl From<Clip> for ClipView {
    fn from(c: Clip) -> Self {
        Self {
            angle: c.angle,
            offset: c.offset_us,
            state: c.state,
            progress: c.progress,
            failure: c.failure,
            file_name: c.file_name,
            width: c.width,
            height: c.height,
            start: c.start_us,
            frames: c.frame_times,
            landmarks: c.landmarks,
            found: c.found.map(FoundView::from),
        }
    }
}

/// A take with its couple and clip.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct TakeView {
    /// The take.
    take: Take,
    /// The couple.
    couple: Couple,
    /// The clip of the first angle.
    clip: Option<ClipView>,
    /// Clips of further angles.
    further: Vec<ClipView>,
}

/// All takes, newest session first.
#[utoipa::path(get, operation_id = "takes_list", path = "/api/takes", responses((status = 200, body = [Take])))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<Vec<Take>>, Problem> {
    Ok(Json(app.store().takes(coach.studio).await?))
}

/// Makes a take.
#[utoipa::path(post, operation_id = "takes_create", path = "/api/takes", request_body = NewTake, responses(
    (status = 201, body = Take), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn create(
    State(app): State<App>,
    coach: Coach,
    Json(mut new): Json<NewTake>,
) -> Result<(StatusCode, Json<Take>), Problem> {
    new.place = new.place.trim().to_owned();
    if new.place.chars().count() > 120 {
        return Err(Problem::invalid("Enter a place of at most 120 letters."));
    }
    for words in [&mut new.floor, &mut new.shoes] {
        *words = words.trim().to_owned();
        if words.chars().count() > 120 {
            return Err(Problem::invalid(
                "Say floor and shoes in at most 120 letters.",
            ));
        }
    }
    if !(2000..2200).contains(&new.held_on.year()) {
        return Err(Problem::invalid("Enter the day on which this was danced."));
    }
    let take = app.store().create_take(coach.studio, &new).await?;
    Ok((StatusCode::CREATED, Json(take)))
}

/// One take.
#[utoipa::path(get, operation_id = "takes_read", path = "/api/takes/{id}", params(("id" = Uuid, Path)), responses(
    (status = 200, body = TakeView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<TakeView>, Problem> {
    let take = app.store().take(coach.studio, id).await?;
    let (first, further): (Vec<_>, Vec<_>) = app
        .store()
        .clips(coach.studio, id)
        .await?
        .into_iter()
        .partition(|c| c.angle == 1);
    Ok(Json(TakeView {
        couple: app.store().couple(coach.studio, take.couple_id).await?,
        clip: first.into_iter().next().map(ClipView::from),
        further: further.into_iter().map(ClipView::from).collect(),
        take,
    }))
}

/// Whether the review is closed.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Reviewed {
    /// Closed.
    reviewed: bool,
}

/// Closes the review of a take, or opens it again.
#[utoipa::path(put, operation_id = "takes_set_reviewed", path = "/api/takes/{id}/reviewed", params(("id" = Uuid, Path)), request_body = Reviewed,
    responses((status = 200, body = Take), (status = 404, body = Problem)))]
pub async fn set_reviewed(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<Reviewed>,
) -> Result<Json<Take>, Problem> {
    Ok(Json(
        app.store()
            .set_reviewed(coach.studio, id, input.reviewed)
            .await?,
    ))
}
