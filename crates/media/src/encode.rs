//! Pictures and sound into a clip.

use std::path::Path;
use std::process::Stdio;

use tokio::io::AsyncWriteExt;

use crate::MediaError;
use crate::tool::{command, ended, listen, spawn_error};

/// Form of a clip to be made.
#[derive(Debug, Clone, PartialEq)]
pub struct Film {
    /// Width and height, pixels.
    pub size: [u32; 2],
    /// Frames a second.
    pub fps: f64,
    /// Moment of frame N in seconds as an expression of ffmpeg over N, where frames do not follow each
    /// other evenly.
    pub moments: Option<String>,
}

/// Clock of an uneven clip, ticks a second: what phones use.
const CLOCK: u32 = 90_000;

/// Encodes RGBA pictures as H.264 with an optional WAV as sound, into the container `to`'s ending names.
pub async fn encode(
    film: Film,
    pictures: impl Iterator<Item = Vec<u8>> + Send,
    sound: Option<&Path>,
    to: &Path,
) -> Result<(), MediaError> {
    let mut c = command("ffmpeg");
    c.args(["-f", "rawvideo", "-pix_fmt", "rgba"])
        .args(["-s", &format!("{}x{}", film.size[0], film.size[1])])
        .args(["-r", &film.fps.to_string(), "-i", "pipe:0"]);
    if let Some(sound) = sound {
        c.arg("-i").arg(sound);
    }
    if let Some(moments) = &film.moments {
        c.args([
            "-vf",
            &format!("settb=1/{CLOCK},setpts='round(({moments})*{CLOCK})'"),
        ])
        .args(["-fps_mode", "passthrough"])
        .args(["-enc_time_base", &format!("1:{CLOCK}")])
        .args(["-video_track_timescale", &CLOCK.to_string()]);
    }
    c.args([
        "-c:v", "libx264", "-preset", "veryfast", "-crf", "21", "-pix_fmt", "yuv420p",
    ])
    .args(["-c:a", "aac", "-shortest", "-movflags", "+faststart", "-y"])
    .arg(to)
    .stdin(Stdio::piped())
    .stderr(Stdio::piped());
    let mut child = c.spawn().map_err(spawn_error)?;
    let (pipe, err) = (child.stdin.take(), child.stderr.take());
    let give = async {
        if let Some(mut pipe) = pipe {
            for picture in pictures {
                // A tool that gives up closes the pipe; why, it says below.
                if pipe.write_all(&picture).await.is_err() {
                    break;
                }
            }
        }
        Ok::<_, std::io::Error>(())
    };
    let (_, said) = tokio::try_join!(give, listen(err))?;
    ended("ffmpeg", child.wait().await?, said)
}
