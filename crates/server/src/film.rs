//! A simulated performance into a clip.

use std::path::Path;

use upright_media::{Film, MediaError, encode};
use upright_studio::{Performance, Renderer, soundtrack};

/// Renders a performance into a clip with its sound; `tell` hears how much is done, 0..1.
/// Computes while it is polled: run it where that blocks nobody.
pub async fn film(
    performance: &Performance,
    clip: &Path,
    tell: impl Fn(f64) + Send + Sync,
) -> Result<(), MediaError> {
    let scenario = performance.scenario();
    let renderer = Renderer::new(performance).ok_or(MediaError::Damaged {
        said: "the picture has no size".into(),
    })?;
    let sound = tempfile::Builder::new().suffix(".wav").tempfile()?;
    std::fs::write(sound.path(), soundtrack(performance))?;
    let film = Film {
        size: scenario.size,
        fps: scenario.fps,
    };
    let times: Vec<f64> = performance.frame_times().iter().map(|t| t.secs()).collect();
    let all = times.len().max(1) as f64;
    let pictures = renderer
        .frames(times)
        .enumerate()
        .inspect(|(i, _)| tell(*i as f64 / all))
        .map(|(_, picture)| picture);
    encode(film, pictures, Some(sound.path()), clip).await
}
