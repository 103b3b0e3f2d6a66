//! Simulated takes into files.

use std::path::Path;

use anyhow::Context as _;
use upright_core::units::MediaTime;
use upright_media::{Film, encode};
use upright_studio::{Performance, Renderer, Scenario, Truth, click_track};

/// Renders a performance into a clip with its click track.
pub async fn film(performance: &Performance, clip: &Path) -> anyhow::Result<()> {
    let scenario = performance.scenario();
    let renderer = Renderer::new(performance).context("the picture has no size")?;
    let sound = tempfile::Builder::new().suffix(".wav").tempfile()?;
    std::fs::write(sound.path(), click_track(performance))?;
    let film = Film {
        size: scenario.size,
        fps: scenario.fps,
    };
    let times = performance.frame_times().iter().map(|t| t.secs()).collect();
    encode(film, renderer.frames(times), Some(sound.path()), clip).await?;
    Ok(())
}

/// Reads a scenario, writes its clip, and its truth into a JSON file of the clip's name.
pub async fn from_file(scenario: &Path, clip: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(scenario)
        .with_context(|| format!("{} cannot be read", scenario.display()))?;
    let scenario: Scenario = serde_json::from_str(&text).context("this is no scenario")?;
    let performance = Performance::new(&scenario)?;
    film(&performance, clip).await?;
    let frames: Vec<MediaTime> = performance.frame_times();
    let truth = Truth::of(&performance, &frames);
    std::fs::write(
        clip.with_extension("truth.json"),
        serde_json::to_vec_pretty(&truth)?,
    )?;
    Ok(())
}
