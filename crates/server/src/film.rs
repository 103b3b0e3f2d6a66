//! A simulated performance into a clip.

use std::path::Path;

use upright_media::{Film, MediaError, encode};
use upright_store::{ClipState, NewClip};
use upright_studio::{Performance, Phone, Renderer, Scenario, soundtrack};

/// Renders a performance as one of its phones films it, with its sound; `tell` hears how much is done,
/// 0..1. Computes while it is polled: run it where that blocks nobody.
pub async fn film(
    performance: &Performance,
    phone: usize,
    clip: &Path,
    tell: impl Fn(f64) + Send + Sync,
) -> Result<(), MediaError> {
    let of = performance.phone(phone);
    let renderer = Renderer::new(performance, phone).ok_or(MediaError::Damaged {
        said: "the picture has no size".into(),
    })?;
    let sound = tempfile::Builder::new().suffix(".wav").tempfile()?;
    std::fs::write(sound.path(), soundtrack(performance, phone))?;
    let film = Film {
        size: of.size,
        fps: of.fps,
        moments: of.moments(),
    };
    let times: Vec<f64> = performance
        .frame_times(phone)
        .iter()
        .map(|t| of.danced(t.secs()))
        .collect();
    let all = times.len().max(1) as f64;
    let pictures = renderer
        .frames(times)
        .enumerate()
        .inspect(|(i, _)| tell(*i as f64 / all))
        .map(|(_, picture)| picture);
    encode(film, pictures, Some(sound.path()), clip).await
}

/// One clip for each phone, in step by the clocks that are known here.
pub fn new_clips(scenario: &Scenario) -> Vec<NewClip> {
    let first = scenario.phones.first().copied().unwrap_or_default();
    let clip = |(i, phone): (usize, &Phone)| NewClip {
        angle: i as i16 + 1,
        offset_us: (1e6 * first.shown(phone.danced(0.0))).round() as i64,
        state: ClipState::NotKept,
        file_name: String::new(),
        bytes: 0,
        original: None,
        size: phone.size.map(|s| s as i32),
        frame_times: Vec::new(),
    };
    scenario.phones.iter().enumerate().map(clip).collect()
}
