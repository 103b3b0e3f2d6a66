//! From a file that arrives to a clip the Bench can step through.

use std::path::{Path, PathBuf};

use upright_media::{frame_times, make_proxy, probe};
use upright_store::Clip;

use crate::App;
use crate::problem::Problem;

/// Where a preparation keeps its files while it works.
fn workplace(app: &App) -> Result<tempfile::TempDir, Problem> {
    let folder = app.incoming();
    std::fs::create_dir_all(folder).map_err(|e| Problem::internal(&e))?;
    tempfile::tempdir_in(folder).map_err(|e| Problem::internal(&e))
}

/// Prepares a clip in the background and keeps what comes of it.
pub fn prepare_later(app: App, clip: Clip) {
    tokio::spawn(async move {
        let turn = app.turns().acquire_owned().await;
        let id = clip.id;
        if let Err(problem) = prepare(&app, &clip).await {
            tracing::warn!(%id, detail = problem.detail, "clip not prepared");
            if let Err(e) = app.store().clip_failed(id, &problem.detail).await {
                tracing::error!(%e, "failure not kept");
            }
        }
        drop(turn);
    });
}

/// Takes up preparations that a stopped server left behind.
pub async fn resume(app: &App) -> Result<(), Problem> {
    for clip in app.store().unprepared_clips().await? {
        prepare_later(app.clone(), clip);
    }
    Ok(())
}

/// Makes the playable copy of a clip and its frame times.
pub async fn prepare(app: &App, clip: &Clip) -> Result<(), Problem> {
    let place = workplace(app)?;
    let original = place.path().join("original");
    let key = clip.original.as_deref().ok_or_else(Problem::not_found)?;
    app.blobs().fetch(key, &original).await?;
    let (proxy, size) = playable(app, clip, &original, place.path()).await?;
    let times = frame_times(&proxy).await?;
    let proxy_key = format!("proxy/{}.mp4", clip.id);
    app.blobs().put_file(&proxy_key, &proxy).await?;
    app.store()
        .clip_ready(clip.id, &proxy_key, size, times.start, &times.times)
        .await?;
    crate::review::renew(
        app.store(),
        upright_store::StudioId(clip.studio_id),
        clip.take_id,
    )
    .await
}

async fn playable(
    app: &App,
    clip: &Clip,
    original: &Path,
    place: &Path,
) -> Result<(PathBuf, [i32; 2]), Problem> {
    let of = probe(original).await?;
    let proxy = place.join("proxy.mp4");
    let (tell, mut told) = tokio::sync::watch::channel(0.0);
    let (store, id) = (app.store().clone(), clip.id);
    let watcher = tokio::spawn(async move {
        while told.changed().await.is_ok() {
            let progress = *told.borrow_and_update();
            if let Err(e) = store.note_progress(id, progress as f32).await {
                tracing::debug!(%e, "progress not kept");
            }
            tokio::time::sleep(std::time::Duration::from_millis(300)).await;
        }
    });
    let made = make_proxy(original, &proxy, &of, |p| {
        tell.send_replace(p);
    })
    .await;
    drop(tell);
    let _ = watcher.await;
    made?;
    let made = probe(&proxy).await?;
    Ok((proxy, [made.width as i32, made.height as i32]))
}
