//! What a file is, and when its frames are shown.

use std::collections::BTreeMap;
use std::path::Path;
use std::time::Duration;

use serde::{Deserialize, Serialize};

use crate::MediaError;
use crate::tool::{command, foreign_input, output};

const LONGEST: f64 = 15.0 * 60.0;
const SHORTEST: f64 = 0.5;

/// Most pictures of a clip: the longest at 240 a second.
const PICTURES: usize = 216_000;

/// What ffprobe says of a clip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Probe {
    /// Video codec, for example `h264`.
    pub codec: String,
    /// Width of the upright picture, pixels.
    pub width: u32,
    /// Height of the upright picture, pixels.
    pub height: u32,
    /// Turn of the stored picture, degrees, a multiple of 90.
    pub rotation: i32,
    /// Seconds.
    pub duration: f64,
    /// Whether there is sound.
    pub sound: bool,
    /// Focal length of a full frame's lens that sees as much, millimetres, where the phone wrote it.
    #[serde(default)]
    pub full_frame_focal: Option<f64>,
}

/// Display times of all frames.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FrameTimes {
    /// Container time of the first frame, microseconds.
    pub start: i64,
    /// Microseconds from the first frame, strictly increasing, beginning with 0.
    pub times: Vec<i64>,
}

#[derive(Deserialize)]
struct Said {
    #[serde(default)]
    streams: Vec<Stream>,
    format: Option<Format>,
}

#[derive(Deserialize)]
struct Format {
    duration: Option<String>,
    #[serde(default)]
    tags: BTreeMap<String, String>,
}

#[derive(Deserialize)]
struct Stream {
    codec_type: Option<String>,
    codec_name: Option<String>,
    width: Option<u32>,
    height: Option<u32>,
    duration: Option<String>,
    #[serde(default)]
    side_data_list: Vec<SideData>,
    #[serde(default)]
    disposition: Disposition,
    #[serde(default)]
    tags: BTreeMap<String, String>,
}

#[derive(Deserialize, Default)]
struct Disposition {
    #[serde(default)]
    attached_pic: u8,
}

#[derive(Deserialize)]
struct SideData {
    rotation: Option<f64>,
}

/// Looks at a file that came from outside and refuses what cannot be reviewed.
pub async fn probe(path: &Path) -> Result<Probe, MediaError> {
    let mut c = command("ffprobe");
    c.args(["-of", "json", "-show_streams", "-show_format"]);
    foreign_input(&mut c, path);
    let text = match output("ffprobe", c, Duration::from_secs(30)).await {
        Err(MediaError::Damaged { .. } | MediaError::TooHeavy) => {
            return Err(MediaError::NotAVideo);
        }
        other => other?,
    };
    let said: Said = serde_json::from_slice(&text).map_err(|_| MediaError::NotAVideo)?;
    let is = |s: &&Stream, kind: &str| s.codec_type.as_deref() == Some(kind);
    let video = said
        .streams
        .iter()
        .find(|s| is(s, "video") && s.disposition.attached_pic == 0)
        .ok_or(MediaError::NoPicture)?;
    let seconds = |text: &Option<String>| text.as_deref().and_then(|t| t.parse::<f64>().ok());
    let duration = said
        .format
        .as_ref()
        .and_then(|f| seconds(&f.duration))
        .or_else(|| seconds(&video.duration))
        .unwrap_or(0.0);
    let rotation = video
        .side_data_list
        .iter()
        .find_map(|d| d.rotation)
        .unwrap_or(0.0)
        .round() as i32;
    let (w, h) = (video.width.unwrap_or(0), video.height.unwrap_or(0));
    let (width, height) = if rotation.rem_euclid(180) == 90 {
        (h, w)
    } else {
        (w, h)
    };
    if !(160..=4096).contains(&width) || !(160..=4096).contains(&height) {
        return Err(MediaError::Size(width, height));
    }
    if !(SHORTEST..=LONGEST).contains(&duration) {
        return Err(MediaError::Length(duration));
    }
    Ok(Probe {
        codec: video.codec_name.clone().unwrap_or_default(),
        width,
        height,
        rotation,
        duration,
        sound: said.streams.iter().any(|s| is(&s, "audio")),
        full_frame_focal: full_frame_focal([
            &video.tags,
            said.format.as_ref().map_or(&BTreeMap::new(), |f| &f.tags),
        ]),
    })
}

/// How the keys end under which phones write the focal length of a full frame's lens that sees as much (QuickTime's
/// metadata of a track or of the whole film).
const FULL_FRAME_KEY: &str = "focal_length.35mm_equivalent";

/// The focal length that a file tells, millimetres: the picture's own first, then the film's. What no phone has is none.
fn full_frame_focal(tags: [&BTreeMap<String, String>; 2]) -> Option<f64> {
    let told = tags.into_iter().flatten();
    told.filter(|(key, _)| key.to_ascii_lowercase().ends_with(FULL_FRAME_KEY))
        .find_map(|(_, value)| value.trim().parse::<f64>().ok())
        .filter(|length| (8.0..=200.0).contains(length))
}

/// Reads the display time of every frame from the container, in display order.
pub async fn frame_times(path: &Path) -> Result<FrameTimes, MediaError> {
    let mut c = command("ffprobe");
    c.args([
        "-select_streams",
        "v:0",
        "-show_entries",
        "packet=pts_time",
        "-of",
        "csv=p=0",
    ]);
    foreign_input(&mut c, path);
    let text = output("ffprobe", c, Duration::from_secs(120)).await?;
    let mut times: Vec<i64> = String::from_utf8_lossy(&text)
        .lines()
        .filter_map(|l| l.trim_end_matches(',').parse::<f64>().ok())
        .map(|s| (s * 1e6).round() as i64)
        .collect();
    times.sort_unstable();
    times.dedup();
    if times.len() > PICTURES {
        return Err(MediaError::TooMany(times.len()));
    }
    let start = *times.first().ok_or(MediaError::NoPicture)?;
    for t in &mut times {
        *t -= start;
    }
    Ok(FrameTimes { start, times })
}
