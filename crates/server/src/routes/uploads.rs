//! Clips on their way in: in one request, or piece by piece so that a broken connection or a reload costs a
//! piece and not the film. What the file is decides the probe, not its name.

use axum::body::Bytes;
use axum::extract::{Multipart, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use tokio::io::AsyncWriteExt as _;
use upright_media::probe;
use upright_store::{ClipState, ContentHash, NewClip, NewUpload, Upload, Wanted, WorkKind};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Query};
use crate::problem::Problem;
use crate::routes::clips::{checked, first, of_angle};
use crate::routes::takes::ClipView;

/// Bytes of a piece that are asked for, and most that are taken.
const PIECE: u32 = 4 << 20;
pub(super) const MOST_PIECE: usize = 8 << 20;

/// Whether a film that is here already is taken once more.
#[derive(Debug, Clone, Copy, Default, Deserialize, utoipa::IntoParams)]
pub struct Again {
    /// Take it although another take of the studio has the same film.
    #[serde(default)]
    #[param(default = false)]
    again: bool,
}

/// Which of a take's angles a whole film is, and whether one that is here already is taken once more.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct WholeClip {
    /// 1..4; the first when it is not said.
    #[serde(default = "first")]
    #[param(default = 1, minimum = 1, maximum = 4)]
    angle: i16,
    /// Take it although another take of the studio has the same film.
    #[serde(default)]
    #[param(default = false)]
    again: bool,
}

/// A further angle's clock is the first one's.
async fn may_come(app: &App, coach: &Coach, take: Uuid, angle: i16) -> Result<(), Problem> {
    app.store().take(coach.studio, take).await?;
    if angle > 1 && app.store().clip(coach.studio, take).await?.is_none() {
        return Err(Problem::invalid(
            "Add the first angle's clip before another one: its clock is the take's.",
        ));
    }
    Ok(())
}

/// A file that has arrived becomes the clip of an angle.
struct Arrived<'a> {
    take: Uuid,
    angle: i16,
    file_name: String,
    file: &'a std::path::Path,
    bytes: i64,
    hash: ContentHash,
}

async fn take_in(
    app: &App,
    coach: &Coach,
    arrived: Arrived<'_>,
    again: bool,
) -> Result<ClipView, Problem> {
    let found = probe(arrived.file).await?;
    let key = format!("original/{}", arrived.hash.finish());
    if !again && let Some(take) = app.store().same_film(coach.studio, &key).await? {
        let there = app.store().take(coach.studio, take).await?;
        return Err(Problem::same_film(&there));
    }
    if !app.blobs().has(&key).await {
        app.blobs().put_file(&key, arrived.file).await?;
    }
    let new = NewClip {
        angle: arrived.angle,
        offset_us: 0,
        state: ClipState::Preparing,
        file_name: arrived.file_name,
        bytes: arrived.bytes,
        original: Some(key),
        size: [found.width as i32, found.height as i32],
        frame_times: Vec::new(),
    };
    let id = app
        .store()
        .add_clip(coach.studio, arrived.take, &new)
        .await?;
    app.store()
        .ask_work(coach.studio, id, WorkKind::Prepare, &Wanted::default())
        .await?;
    let clip = of_angle(app, coach, arrived.take, arrived.angle).await?;
    Ok(clip.into())
}

/// A file of this request's own, removed when it ends, however it ends.
fn place(app: &App) -> Result<tempfile::NamedTempFile, Problem> {
    std::fs::create_dir_all(app.incoming()).map_err(|e| Problem::internal(&e))?;
    tempfile::NamedTempFile::new_in(app.incoming()).map_err(|e| Problem::internal(&e))
}

/// Receives the clip of a take as a form with one file, streamed to disk.
#[utoipa::path(post, operation_id = "clips_upload", path = "/api/takes/{id}/clip", params(("id" = Uuid, Path), WholeClip),
    request_body(content = String, content_type = "multipart/form-data"),
    responses((status = 202, body = ClipView), (status = 404, body = Problem), (status = 409, body = Problem),
    (status = 413, body = Problem), (status = 422, body = Problem)))]
pub async fn whole(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Query(of): Query<WholeClip>,
    form: Result<Multipart, axum::extract::multipart::MultipartRejection>,
) -> Result<(StatusCode, Json<ClipView>), Problem> {
    let angle = checked(of.angle)?;
    may_come(&app, &coach, take, angle).await?;
    let mut form = form?;
    let mut field = form
        .next_field()
        .await?
        .ok_or_else(|| Problem::bad_request("Send the clip as a form with one file."))?;
    let file_name = clean(field.file_name().unwrap_or("clip"));
    let place = place(&app)?;
    let mut file = tokio::fs::File::create(place.path())
        .await
        .map_err(|e| Problem::internal(&e))?;
    let (mut hash, mut bytes) = (ContentHash::default(), 0u64);
    while let Some(piece) = field.chunk().await? {
        bytes += piece.len() as u64;
        if bytes > app.most_clip() {
            return Err(Problem::too_large(app.most_clip()));
        }
        hash.update(&piece);
        file.write_all(&piece)
            .await
            .map_err(|e| Problem::internal(&e))?;
    }
    file.flush().await.map_err(|e| Problem::internal(&e))?;
    drop(file);
    let arrived = Arrived {
        take,
        angle,
        file_name,
        file: place.path(),
        bytes: bytes as i64,
        hash,
    };
    let clip = take_in(&app, &coach, arrived, of.again).await?;
    Ok((StatusCode::ACCEPTED, Json(clip)))
}

/// A file that is to come in piece by piece.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ComingClip {
    /// Which of the take's angles, 1..4.
    angle: i16,
    /// As it is called on the coach's machine.
    file_name: String,
    /// Its size.
    bytes: i64,
    /// When it was last changed, milliseconds since 1970: tells it from another of its name.
    changed: i64,
}

/// How far a clip that comes in piece by piece is.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct UploadView {
    /// Id.
    id: Uuid,
    /// Which of the take's angles, 1..4.
    angle: i16,
    /// As it is called on the coach's machine.
    file_name: String,
    /// Size of the whole film.
    bytes: i64,
    /// How much has arrived; the next piece begins here.
    received: i64,
    /// How long a piece should be, bytes; at most twice as long is taken.
    piece: u32,
}

impl From<Upload> for UploadView {
    fn from(u: Upload) -> Self {
        Self {
            id: u.id,
            angle: u.angle,
            file_name: u.file_name,
            bytes: u.bytes,
            received: u.received,
            piece: PIECE,
        }
    }
}

/// Begins to bring a clip in pieces. The same file of the same take goes on where it broke off.
#[utoipa::path(post, operation_id = "uploads_begin", path = "/api/takes/{id}/uploads", params(("id" = Uuid, Path)),
    request_body = ComingClip, responses((status = 200, body = UploadView), (status = 404, body = Problem),
    (status = 413, body = Problem), (status = 422, body = Problem)))]
pub async fn begin(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
    Json(coming): Json<ComingClip>,
) -> Result<Json<UploadView>, Problem> {
    let angle = checked(coming.angle)?;
    if coming.bytes < 1 {
        return Err(Problem::invalid(
            "This file is empty. Choose the clip again.",
        ));
    }
    if coming.bytes as u64 > app.most_clip() {
        return Err(Problem::too_large(app.most_clip()));
    }
    may_come(&app, &coach, take, angle).await?;
    for old in app.store().drop_old_uploads().await? {
        remove(&app, &old.pieces).await;
    }
    let new = NewUpload {
        angle,
        file_name: clean(&coming.file_name),
        bytes: coming.bytes,
        changed_at: coming.changed,
    };
    let upload = app.store().begin_upload(coach.studio, take, &new).await?;
    Ok(Json(upload.into()))
}

/// Clips of a take that broke off on their way in.
#[utoipa::path(get, operation_id = "uploads_list", path = "/api/takes/{id}/uploads", params(("id" = Uuid, Path)),
    responses((status = 200, body = [UploadView]), (status = 404, body = Problem)))]
pub async fn list(
    State(app): State<App>,
    coach: Coach,
    Path(take): Path<Uuid>,
) -> Result<Json<Vec<UploadView>>, Problem> {
    app.store().take(coach.studio, take).await?;
    let all = app.store().uploads(coach.studio, take).await?;
    Ok(Json(all.into_iter().map(Into::into).collect()))
}

/// Where a piece begins.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::IntoParams)]
pub struct Begins {
    /// Bytes of the film before it.
    #[param(minimum = 0)]
    from: i64,
}

/// Takes in the next piece. One that has arrived already changes nothing, so that it may be sent again when
/// the answer was lost; what is answered says where to go on.
#[utoipa::path(put, operation_id = "uploads_piece", path = "/api/uploads/{id}", params(("id" = Uuid, Path), Begins),
    request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 200, body = UploadView), (status = 404, body = Problem), (status = 413, body = Problem),
    (status = 422, body = Problem)))]
pub async fn piece(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(at): Query<Begins>,
    bytes: Result<Bytes, axum::extract::rejection::BytesRejection>,
) -> Result<Json<UploadView>, Problem> {
    let bytes = bytes.map_err(|e| match e.status() {
        StatusCode::PAYLOAD_TOO_LARGE => Problem::too_large(MOST_PIECE as u64),
        _ => Problem::bad_request("The piece did not arrive whole. Send it again."),
    })?;
    let upload = app.store().upload(coach.studio, id).await?;
    let length = bytes.len() as i64;
    if length == 0 || at.from < 0 || at.from.saturating_add(length) > upload.bytes {
        return Err(Problem::invalid(
            "This piece does not lie within the film that was announced. Choose the clip again.",
        ));
    }
    if upload.received != at.from {
        return Ok(Json(upload.into()));
    }
    // A key of its own: two windows that send the same piece do not write over each other.
    let key = format!("incoming/{id}/{}", Uuid::now_v7());
    app.blobs().put(&key, bytes).await?;
    let added = app
        .store()
        .add_piece(coach.studio, id, at.from, length, &key)
        .await?;
    Ok(Json(match added {
        Some(upload) => upload.into(),
        None => {
            remove(&app, &[key]).await;
            app.store().upload(coach.studio, id).await?.into()
        }
    }))
}

/// How far a clip is that comes in piece by piece.
#[utoipa::path(get, operation_id = "uploads_read", path = "/api/uploads/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = UploadView), (status = 404, body = Problem)))]
pub async fn read(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
) -> Result<Json<UploadView>, Problem> {
    Ok(Json(app.store().upload(coach.studio, id).await?.into()))
}

/// Makes the take's clip of the pieces when all have arrived. A film that cannot be used is forgotten; one
/// that is here already waits for the coach to say so.
#[utoipa::path(post, operation_id = "uploads_end", path = "/api/uploads/{id}/end", params(("id" = Uuid, Path), Again),
    responses((status = 202, body = ClipView), (status = 404, body = Problem), (status = 409, body = Problem),
    (status = 422, body = Problem)))]
pub async fn end(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Query(again): Query<Again>,
) -> Result<(StatusCode, Json<ClipView>), Problem> {
    let upload = app.store().upload(coach.studio, id).await?;
    if upload.received != upload.bytes {
        return Err(Problem::invalid(format!(
            "{} of {} bytes have arrived. Send the rest first.",
            upload.received, upload.bytes
        )));
    }
    let place = place(&app)?;
    let hash = app.blobs().join(&upload.pieces, place.path()).await?;
    let arrived = Arrived {
        take: upload.take_id,
        angle: upload.angle,
        file_name: upload.file_name,
        file: place.path(),
        bytes: upload.bytes,
        hash,
    };
    let end = take_in(&app, &coach, arrived, again.again).await;
    // What may pass, and what the coach may still want, stays.
    let stays = end.as_ref().is_err_and(|p| p.passes() || p.take.is_some());
    if !stays {
        app.store().drop_upload(id).await?;
        remove(&app, &upload.pieces).await;
    }
    Ok((StatusCode::ACCEPTED, Json(end?)))
}

/// Removes pieces; one that cannot be removed is only disk.
async fn remove(app: &App, pieces: &[String]) {
    for key in pieces {
        if let Err(e) = app.blobs().remove(key).await {
            tracing::warn!(%key, %e, "piece not removed");
        }
    }
}

/// The last part of a file's name, short and printable.
fn clean(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let kept: String = last.chars().filter(|c| !c.is_control()).take(120).collect();
    if kept.is_empty() { "clip".into() } else { kept }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_lose_their_folders() {
        assert_eq!(clean("../../etc/passwd"), "passwd");
        assert_eq!(clean("C:\\clips\\a.mp4"), "a.mp4");
        assert_eq!(clean("a\u{0}\n.mp4"), "a.mp4");
        assert_eq!(clean("x/"), "clip");
    }
}
