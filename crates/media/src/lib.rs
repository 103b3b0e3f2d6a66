//! Clips through ffprobe and ffmpeg: what a file is, a copy that browsers can step through frame by
//! frame, and its exact frame times. Files in, values out; no database, no web.
//!
//! Every call runs the tool as a child process with only local files open to it, only the containers
//! phones make, limits of time, memory and disk, and no standard input it could wait for.

mod cut;
mod encode;
mod error;
mod pictures;
mod probe;
mod proxy;
mod sound;
mod tool;

pub use cut::{cut, cut_sound, grey, still};
pub use encode::{Film, encode};
pub use error::MediaError;
pub use pictures::Pictures;
pub use probe::{FrameTimes, Probe, frame_times, probe};
pub use proxy::{LONGEST_SIDE, make_proxy};
pub use sound::{sound, sound_file};
