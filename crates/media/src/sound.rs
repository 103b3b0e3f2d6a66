//! A clip's sound as samples.

use std::path::Path;
use std::time::Duration;

use crate::MediaError;
use crate::tool::{command, foreign_input, output, own_input};

/// Longest sound that is read, seconds.
const LONGEST: &str = "900";

/// Mono samples between −1 and 1 of a clip's sound at `rate` a second; none when it has no sound. The first
/// sample is at the clip's first frame.
pub async fn sound(path: &Path, rate: u32) -> Result<Vec<f32>, MediaError> {
    let mut c = command("ffmpeg");
    foreign_input(&mut c, path);
    samples(c, rate).await
}

/// The same of a file of sound only, in any form ffmpeg reads. For files of the user's own machine.
pub async fn sound_file(path: &Path, rate: u32) -> Result<Vec<f32>, MediaError> {
    let mut c = command("ffmpeg");
    own_input(&mut c, path);
    samples(c, rate).await
}

async fn samples(mut c: tokio::process::Command, rate: u32) -> Result<Vec<f32>, MediaError> {
    c.args(["-map", "0:a:0?", "-vn", "-ac", "1", "-t", LONGEST])
        .args(["-af", "aresample=async=1:first_pts=0"])
        .args(["-ar", &rate.to_string(), "-f", "f32le", "pipe:1"]);
    let bytes = match output("ffmpeg", c, Duration::from_secs(180)).await {
        // A file without sound has nothing to write.
        Err(MediaError::Damaged { said }) if said.contains("does not contain any stream") => {
            Vec::new()
        }
        other => other?,
    };
    Ok(bytes
        .chunks_exact(4)
        .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
        .map(|v| if v.is_finite() { v } else { 0.0 })
        .collect())
}
