//! The whole studio out and in.

use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse as _, Response};
use futures::StreamExt as _;
use serde::Deserialize;
use tokio::io::AsyncWriteExt as _;

use crate::App;
use crate::archive;
use crate::auth::Coach;
use crate::extract::Query;
use crate::problem::Problem;

/// Largest archive that is taken in, bytes.
const MOST: u64 = 50_000_000_000;

/// What goes into the archive.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
pub struct ArchiveQuery {
    /// The clips as well.
    #[serde(default)]
    media: bool,
}

/// The whole studio as one file in open formats.
#[utoipa::path(get, operation_id = "archive_export", path = "/api/archive", params(ArchiveQuery),
    responses((status = 200, content_type = "application/zip")))]
pub async fn export(
    State(app): State<App>,
    coach: Coach,
    Query(q): Query<ArchiveQuery>,
) -> Result<Response, Problem> {
    std::fs::create_dir_all(app.incoming()).map_err(|e| Problem::internal(&e))?;
    let file =
        tempfile::NamedTempFile::new_in(app.incoming()).map_err(|e| Problem::internal(&e))?;
    archive::export(&app, coach.studio, q.media, file.path()).await?;
    let kept = tokio::fs::File::open(file.path())
        .await
        .map_err(|e| Problem::internal(&e))?;
    let bytes = kept
        .metadata()
        .await
        .map_err(|e| Problem::internal(&e))?
        .len();
    // The file goes when the answer has been sent: the stream owns it.
    let pieces = futures::stream::unfold((kept, file), |(mut kept, file)| async move {
        use tokio::io::AsyncReadExt as _;
        let mut piece = vec![0u8; 256 * 1024];
        match kept.read(&mut piece).await {
            Ok(0) => None,
            Ok(n) => {
                piece.truncate(n);
                Some((Ok(bytes::Bytes::from(piece)), (kept, file)))
            }
            Err(e) => Some((Err(e), (kept, file))),
        }
    });
    let day = jiff::Zoned::now().date();
    let headers = [
        (header::CONTENT_TYPE, "application/zip".to_owned()),
        (header::CONTENT_LENGTH, bytes.to_string()),
        (
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"studio-{day}.zip\""),
        ),
    ];
    Ok((headers, Body::from_stream(pieces)).into_response())
}

/// Brings an archive into this studio, which must be empty.
#[utoipa::path(post, operation_id = "archive_import", path = "/api/archive",
    request_body(content = String, content_type = "application/zip"),
    responses((status = 204), (status = 409, body = Problem), (status = 413, body = Problem), (status = 422, body = Problem)))]
pub async fn import(
    State(app): State<App>,
    coach: Coach,
    body: Body,
) -> Result<StatusCode, Problem> {
    std::fs::create_dir_all(app.incoming()).map_err(|e| Problem::internal(&e))?;
    let place =
        tempfile::NamedTempFile::new_in(app.incoming()).map_err(|e| Problem::internal(&e))?;
    let mut file = tokio::fs::File::create(place.path())
        .await
        .map_err(|e| Problem::internal(&e))?;
    let mut body = body.into_data_stream();
    let mut bytes = 0u64;
    while let Some(piece) = body.next().await {
        let piece =
            piece.map_err(|_| Problem::bad_request("The file broke off while it arrived."))?;
        bytes += piece.len() as u64;
        if bytes > MOST {
            return Err(Problem::too_large(MOST));
        }
        file.write_all(&piece)
            .await
            .map_err(|e| Problem::internal(&e))?;
    }
    file.flush().await.map_err(|e| Problem::internal(&e))?;
    drop(file);
    archive::import(&app, coach.studio, place.path()).await?;
    Ok(StatusCode::NO_CONTENT)
}
