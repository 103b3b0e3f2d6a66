//! One way to run ffmpeg and ffprobe.

use std::path::Path;
use std::process::Stdio;
use std::time::Duration;

use tokio::process::Command;

use crate::MediaError;

/// Demuxers that may open a file somebody sent: never playlists, which name other files.
const CONTAINERS: &str = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm";

/// A command of `tool` that can open local files and pipes only.
pub(crate) fn command(tool: &'static str) -> Command {
    let mut c = Command::new(tool);
    c.args(["-hide_banner", "-v", "error"])
        .stdin(Stdio::null())
        .kill_on_drop(true);
    c
}

/// Adds a file that came from outside as the input.
pub(crate) fn foreign_input(c: &mut Command, path: &Path) {
    c.args([
        "-protocol_whitelist",
        "file,pipe",
        "-format_whitelist",
        CONTAINERS,
        "-i",
    ]);
    // A path that begins with a dash or names a protocol must stay a path.
    let mut safe = std::ffi::OsString::from("file:");
    safe.push(path);
    c.arg(safe);
}

/// Adds a file of this machine's user as the input, in any form.
pub(crate) fn own_input(c: &mut Command, path: &Path) {
    let mut safe = std::ffi::OsString::from("file:");
    safe.push(path);
    c.args(["-protocol_whitelist", "file,pipe", "-i"]).arg(safe);
}

/// Runs it to the end and returns what it printed.
pub(crate) async fn output(
    tool: &'static str,
    mut c: Command,
    limit: Duration,
) -> Result<Vec<u8>, MediaError> {
    let done = tokio::time::timeout(limit, c.output())
        .await
        .map_err(|_| MediaError::TimedOut)?
        .map_err(|e| spawn_error(tool, e))?;
    if done.status.success() {
        Ok(done.stdout)
    } else {
        let said = String::from_utf8_lossy(&done.stderr);
        Err(MediaError::Damaged {
            said: said.chars().take(2_000).collect(),
        })
    }
}

pub(crate) fn spawn_error(tool: &'static str, e: std::io::Error) -> MediaError {
    if e.kind() == std::io::ErrorKind::NotFound {
        MediaError::ToolMissing { tool }
    } else {
        MediaError::Io(e)
    }
}
