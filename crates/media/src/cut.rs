//! Parts of a clip that was prepared already: a still, a few seconds, its sound.

use std::path::Path;
use std::time::Duration;

use crate::MediaError;
use crate::tool::{command, foreign_input, output};

/// Longest part, seconds.
const LONGEST: f64 = 60.0;
const LIMIT: Duration = Duration::from_secs(120);

fn from_to([from, to]: [f64; 2]) -> [String; 2] {
    let long = (to - from).clamp(0.04, LONGEST);
    [format!("{:.6}", from.max(0.0)), format!("{long:.6}")]
}

/// Writes the frame shown at a moment as JPEG, without any metadata.
pub async fn still(clip: &Path, at: f64, to: &Path) -> Result<(), MediaError> {
    let mut c = command("ffmpeg");
    c.args(["-ss", &format!("{:.6}", at.max(0.0))]);
    foreign_input(&mut c, clip);
    c.args([
        "-map",
        "0:v:0",
        "-frames:v",
        "1",
        "-map_metadata",
        "-1",
        "-q:v",
        "3",
    ])
    .args(["-f", "mjpeg", "-y"])
    .arg(to);
    output("ffmpeg", c, LIMIT).await?;
    // Past the last frame there is nothing to show, and nothing is written.
    match std::fs::metadata(to) {
        Ok(m) if m.len() > 0 => Ok(()),
        _ => Err(MediaError::Damaged {
            said: "there is no frame at this moment".into(),
        }),
    }
}

/// The frame shown at a moment in grey, a byte a pixel, row by row.
pub async fn grey(clip: &Path, at: f64) -> Result<Vec<u8>, MediaError> {
    let mut c = command("ffmpeg");
    c.args(["-ss", &format!("{:.6}", at.max(0.0))]);
    foreign_input(&mut c, clip);
    c.args(["-map", "0:v:0", "-frames:v", "1", "-f", "rawvideo"])
        .args(["-pix_fmt", "gray", "pipe:1"]);
    let bytes = output("ffmpeg", c, LIMIT).await?;
    if bytes.is_empty() {
        return Err(MediaError::Damaged {
            said: "there is no frame at this moment".into(),
        });
    }
    Ok(bytes)
}

/// Writes the seconds of a span as MP4, with sound, without any metadata.
pub async fn cut(clip: &Path, span: [f64; 2], to: &Path) -> Result<(), MediaError> {
    let [from, long] = from_to(span);
    let mut c = command("ffmpeg");
    c.args(["-ss", &from]);
    foreign_input(&mut c, clip);
    c.args([
        "-t",
        &long,
        "-map",
        "0:v:0",
        "-map",
        "0:a:0?",
        "-map_metadata",
        "-1",
    ])
    .args([
        "-map_chapters",
        "-1",
        "-c:v",
        "libx264",
        "-preset",
        "veryfast",
        "-crf",
        "23",
    ])
    .args(["-pix_fmt", "yuv420p", "-c:a", "aac", "-b:a", "96k"])
    .args(["-movflags", "+faststart", "-f", "mp4", "-y"])
    .arg(to);
    output("ffmpeg", c, LIMIT).await.map(drop)
}

/// Writes the sound of a span as WAV; false when the clip has none.
pub async fn cut_sound(clip: &Path, span: [f64; 2], to: &Path) -> Result<bool, MediaError> {
    let [from, long] = from_to(span);
    let mut c = command("ffmpeg");
    c.args(["-ss", &from]);
    foreign_input(&mut c, clip);
    c.args(["-t", &long, "-map", "0:a:0", "-vn", "-f", "wav", "-y"])
        .arg(to);
    match output("ffmpeg", c, LIMIT).await {
        Ok(_) => Ok(true),
        Err(MediaError::Damaged { said }) if said.contains("matches no streams") => Ok(false),
        Err(e) => Err(e),
    }
}
