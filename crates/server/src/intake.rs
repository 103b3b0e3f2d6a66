//! From a file that arrives to a clip the Bench can step through.

use std::path::{Path, PathBuf};

use upright_core::marks::Entry;
use upright_core::units::MediaTime;
use upright_media::{frame_times, make_proxy, probe};
use upright_store::{Clip, Practice, StudioId};
use upright_studio::{Hand, Performance, Scenario, marks};

use crate::App;
use crate::jobs::Told;
use crate::problem::Problem;

/// Where a preparation keeps its files while it works.
pub(crate) fn workplace(app: &App) -> Result<tempfile::TempDir, Problem> {
    let folder = app.incoming();
    std::fs::create_dir_all(folder).map_err(|e| Problem::internal(&e))?;
    tempfile::tempdir_in(folder).map_err(|e| Problem::internal(&e))
}

/// Makes the playable copy of a clip and its frame times.
pub async fn prepare(app: &App, clip: &Clip, told: &Told) -> Result<(), Problem> {
    let place = workplace(app)?;
    let original = place.path().join("original");
    let studio = StudioId(clip.studio_id);
    let practice = app.store().practice(studio, clip.take_id).await?;
    let (proxy, size, focal) = async {
        // Of a simulated take, rendering is the longer part.
        let rest = match (&clip.original, &practice) {
            (Some(key), _) => {
                app.blobs().fetch(key, &original).await?;
                [0.0, 1.0]
            }
            (None, Some(p)) => {
                render(app, clip, p, &original, told.clone()).await?;
                [RENDERED, 1.0 - RENDERED]
            }
            (None, None) => return Err(Problem::not_found()),
        };
        playable(&original, place.path(), |p| {
            told.tell(rest[0] + rest[1] * p);
        })
        .await
    }
    .await?;
    let times = frame_times(&proxy).await?;
    let proxy_key = format!("proxy/{}.mp4", clip.id);
    app.blobs().put_file(&proxy_key, &proxy).await?;
    let store = app.store();
    let made = (size, focal);
    let copied = store.clip_copied(clip.id, &proxy_key, made, times.start, &times.times);
    if let Err(e) = copied.await {
        // A clip that was erased meanwhile leaves no copy.
        app.blobs().remove(&proxy_key).await?;
        return Err(e.into());
    }
    crate::review::renew(app, studio, clip.take_id).await?;
    if let Some(p) = practice.filter(|p| p.marked && clip.angle == 1) {
        mark(app, clip, &p, &times.times).await?;
    }
    Ok(store.clip_ready(clip.id).await?)
}

/// Share of a simulated take's preparation that is rendering.
const RENDERED: f64 = 0.8;

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
    told: Told,
) -> Result<(), Problem> {
    let performance = performance(practice)?;
    let phone = phone(clip);
    // The ending names the container.
    let file = to.with_extension("mp4");
    let made = file.clone();
    let runtime = tokio::runtime::Handle::current();
    tokio::task::spawn_blocking(move || {
        runtime.block_on(crate::film::film(&performance, phone, &made, |p| {
            told.tell(RENDERED * p);
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
) -> Result<(PathBuf, [i32; 2], Option<f64>), Problem> {
    let of = probe(original).await?;
    let proxy = place.join("proxy.mp4");
    make_proxy(original, &proxy, &of, tell).await?;
    let made = probe(&proxy).await?;
    let size = [made.width as i32, made.height as i32];
    Ok((proxy, size, of.full_frame_focal))
}
