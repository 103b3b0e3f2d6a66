//! From a file that arrives to a clip the Bench can step through.

use std::path::{Path, PathBuf};

use tokio::sync::watch;
use upright_core::marks::Entry;
use upright_core::units::MediaTime;
use upright_media::{frame_times, make_proxy, probe};
use upright_store::{Clip, Practice, StudioId};
use upright_studio::{Hand, Performance, Scenario, marks};

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
    let studio = StudioId(clip.studio_id);
    let practice = app.store().practice(studio, clip.take_id).await?;
    let (tell, told) = watch::channel(0.0);
    let watcher = tokio::spawn(note(app.clone(), clip.id, told));
    let made = async {
        // Of a simulated take, rendering is the longer part.
        let rest = match (&clip.original, &practice) {
            (Some(key), _) => {
                app.blobs().fetch(key, &original).await?;
                [0.0, 1.0]
            }
            (None, Some(p)) => {
                render(app, clip, p, &original, tell.clone()).await?;
                [RENDERED, 1.0 - RENDERED]
            }
            (None, None) => return Err(Problem::not_found()),
        };
        playable(&original, place.path(), |p| {
            tell.send_replace(rest[0] + rest[1] * p);
        })
        .await
    }
    .await;
    drop(tell);
    let _ = watcher.await;
    let (proxy, size) = made?;
    let times = frame_times(&proxy).await?;
    let proxy_key = format!("proxy/{}.mp4", clip.id);
    app.blobs().put_file(&proxy_key, &proxy).await?;
    let store = app.store();
    store
        .clip_copied(clip.id, &proxy_key, size, times.start, &times.times)
        .await?;
    crate::review::renew(app, studio, clip.take_id).await?;
    if let Some(p) = practice.filter(|p| p.marked && clip.angle == 1) {
        mark(app, clip, &p, &times.times).await?;
    }
    Ok(store.clip_ready(clip.id).await?)
}

/// Share of a simulated take's preparation that is rendering.
const RENDERED: f64 = 0.8;

/// Keeps how far a preparation is, as often as somebody can look.
async fn note(app: App, clip: uuid::Uuid, mut told: watch::Receiver<f64>) {
    while told.changed().await.is_ok() {
        let progress = *told.borrow_and_update();
        if let Err(e) = app.store().note_progress(clip, progress as f32).await {
            tracing::debug!(%e, "progress not kept");
        }
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
}

fn performance(practice: &Practice) -> Result<Performance, Problem> {
    let scenario: Scenario =
        serde_json::from_value(practice.scenario.clone()).map_err(|e| Problem::internal(&e))?;
    Performance::new(&scenario).map_err(|e| Problem::invalid(e.to_string()))
}

/// Which phone of a simulated take films this clip.
fn phone(clip: &Clip) -> usize {
    usize::from(clip.angle.unsigned_abs()).saturating_sub(1)
}

/// Renders the clip of a simulated take into `to` and keeps it as the original.
async fn render(
    app: &App,
    clip: &Clip,
    practice: &Practice,
    to: &Path,
    tell: watch::Sender<f64>,
) -> Result<(), Problem> {
    let performance = performance(practice)?;
    let phone = phone(clip);
    // The ending names the container.
    let file = to.with_extension("mp4");
    let made = file.clone();
    let runtime = tokio::runtime::Handle::current();
    tokio::task::spawn_blocking(move || {
        runtime.block_on(crate::film::film(&performance, phone, &made, |p| {
            tell.send_replace(RENDERED * p);
        }))
    })
    .await
    .map_err(|e| Problem::internal(&e))??;
    std::fs::rename(&file, to).map_err(|e| Problem::internal(&e))?;
    let bytes = std::fs::metadata(to)
        .map_err(|e| Problem::internal(&e))?
        .len();
    let key = format!("original/{}", clip.id);
    app.blobs().put_file(&key, to).await?;
    Ok(app
        .store()
        .clip_rendered(clip.id, &key, bytes as i64)
        .await?)
}

/// Marks a simulated take as an ordinary hand would, unless somebody has begun to.
async fn mark(app: &App, clip: &Clip, practice: &Practice, times: &[i64]) -> Result<(), Problem> {
    let (store, studio) = (app.store(), StudioId(clip.studio_id));
    if !store.mark_log(studio, clip.take_id).await?.is_empty() {
        return Ok(());
    }
    let performance = performance(practice)?;
    let frames: Vec<MediaTime> = times.iter().map(|t| MediaTime(*t)).collect();
    let hand = Hand::ordinary(performance.scenario().seed);
    let entries = marks(&performance, phone(clip), &frames, &hand)
        .into_iter()
        .map(Entry::Command)
        .collect();
    crate::review::mark(app, studio, None, clip.take_id, 0, entries).await?;
    Ok(())
}

async fn playable(
    original: &Path,
    place: &Path,
    tell: impl Fn(f64) + Send,
) -> Result<(PathBuf, [i32; 2]), Problem> {
    let of = probe(original).await?;
    let proxy = place.join("proxy.mp4");
    make_proxy(original, &proxy, &of, tell).await?;
    let made = probe(&proxy).await?;
    Ok((proxy, [made.width as i32, made.height as i32]))
}
