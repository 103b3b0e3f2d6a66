//! The copy that the Bench plays: upright, at most 1280 pixels a side, a key frame every few frames,
//! no frame added, dropped or moved in time, nothing of the phone's metadata.

use std::path::Path;
use std::process::Stdio;
use std::time::Duration;

use tokio::io::{AsyncBufReadExt, BufReader};

use crate::tool::{command, ended, foreign_input, listen, spawn_error};
use crate::{MediaError, Probe};

/// Longest side of the copy, pixels. Marks are placed on it, so a pixel means the same in every clip.
pub const LONGEST_SIDE: u32 = 1280;

/// Frames from key frame to key frame: how many must be decoded to show any one.
const KEY_EVERY: &str = "8";

/// Writes the copy of `input` to `to` (MP4). `progress` is called with 0..1 as it goes.
pub async fn make_proxy(
    input: &Path,
    to: &Path,
    of: &Probe,
    mut progress: impl FnMut(f64) + Send,
) -> Result<(), MediaError> {
    let side = |this: &str, other: &str| {
        format!("if(gte({this},{other}),2*trunc(min({LONGEST_SIDE},{this})/2),-2)")
    };
    let scale = format!("scale=w='{}':h='{}'", side("iw", "ih"), side("ih", "iw"));
    // A square picture would leave both sides to the other; then the width decides.
    let scale = if of.width == of.height {
        format!("scale=w='2*trunc(min({LONGEST_SIDE},iw)/2)':h=-2")
    } else {
        scale
    };
    let mut c = command("ffmpeg");
    foreign_input(&mut c, input);
    c.args([
        "-map",
        "0:v:0",
        "-map",
        "0:a:0?",
        "-map_metadata",
        "-1",
        "-map_chapters",
        "-1",
    ])
    .args(["-vf", &scale])
    .args([
        "-c:v", "libx264", "-preset", "veryfast", "-crf", "20", "-pix_fmt", "yuv420p",
    ])
    .args(["-g", KEY_EVERY, "-bf", "0"])
    // Time stamps pass through untouched: the encoder's clock must be finer than the frames'.
    .args(["-fps_mode", "passthrough", "-enc_time_base:v", "1:90000"])
    .args(["-video_track_timescale", "90000"])
    .args(["-c:a", "aac", "-b:a", "128k", "-ac", "2"])
    .args(["-movflags", "+faststart", "-fs", "2G", "-f", "mp4"])
    .args(["-progress", "pipe:1", "-nostats", "-y"])
    .arg(to)
    .stdout(Stdio::piped())
    .stderr(Stdio::piped());
    let mut child = c.spawn().map_err(spawn_error)?;
    let (out, err) = (child.stdout.take(), child.stderr.take());
    let watch = async {
        if let Some(out) = out {
            let mut lines = BufReader::new(out).lines();
            while let Some(line) = lines.next_line().await? {
                if let Some(us) = line
                    .strip_prefix("out_time_us=")
                    .and_then(|t| t.parse::<f64>().ok())
                {
                    progress((us / 1e6 / of.duration).clamp(0.0, 1.0));
                }
            }
        }
        Ok::<_, std::io::Error>(())
    };
    // Ten times the clip's length, and two minutes for starting on a busy machine.
    let limit = Duration::from_secs_f64(120.0 + 10.0 * of.duration);
    let (status, said) = tokio::time::timeout(limit, async {
        let (_, said) = tokio::try_join!(watch, listen(err))?;
        Ok::<_, std::io::Error>((child.wait().await?, said))
    })
    .await
    .map_err(|_| MediaError::TimedOut)??;
    ended("ffmpeg", status, said)
}
