//! One way to run ffmpeg and ffprobe.

use std::path::Path;
use std::process::Stdio;
use std::time::Duration;

use tokio::io::AsyncReadExt as _;
use tokio::process::Command;

use crate::MediaError;

/// Demuxers that may open a file somebody sent: never playlists, which name other files.
const CONTAINERS: &str = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm";

/// Memory that a tool may take for itself, bytes: a clip of 4096 × 2304 in ten bits was copied within a quarter
/// of it on two cores, and more cores take more.
const MEMORY: u64 = 3 << 30;

/// Longest file that a tool may write, bytes.
const FILE: u64 = 2 << 30;

/// Most that is read of what a tool prints, bytes: fifteen minutes of sound in 48,000 samples a second.
const PRINTED: u64 = 200 << 20;

/// What `prlimit` ends with when it does not find what it should start.
const NOT_THERE: i32 = 127;

/// A command of `tool` that can open local files and pipes only, and has only so much memory and disk.
pub(crate) fn command(tool: &'static str) -> Command {
    // Limits of a process are set by a program of util-linux, which then becomes the tool: between fork and
    // exec nothing else can be done without unsafe code.
    let mut c = Command::new("prlimit");
    c.arg(format!("--data={MEMORY}"))
        .arg(format!("--fsize={FILE}"))
        .args(["--core=0", "--", tool])
        .args(["-hide_banner", "-v", "error"])
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
    let mut child = c
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(spawn_error)?;
    let (out, err) = (child.stdout.take(), child.stderr.take());
    let printed = async {
        let mut bytes = Vec::new();
        if let Some(out) = out {
            out.take(PRINTED + 1).read_to_end(&mut bytes).await?;
        }
        Ok::<_, std::io::Error>(bytes)
    };
    let run = async {
        let (printed, said) = tokio::try_join!(printed, listen(err))?;
        if printed.len() as u64 > PRINTED {
            // Dropping the child ends it.
            return Err(MediaError::TooHeavy);
        }
        ended(tool, child.wait().await?, said).map(|()| printed)
    };
    tokio::time::timeout(limit, run)
        .await
        .map_err(|_| MediaError::TimedOut)?
}

/// What a tool complains of: its beginning, and the rest read so that the tool is not held up.
pub(crate) async fn listen(
    err: Option<tokio::process::ChildStderr>,
) -> Result<String, std::io::Error> {
    let Some(mut err) = err else {
        return Ok(String::new());
    };
    let mut said = Vec::new();
    (&mut err).take(4_000).read_to_end(&mut said).await?;
    tokio::io::copy(&mut err, &mut tokio::io::sink()).await?;
    Ok(String::from_utf8_lossy(&said).into_owned())
}

/// What the end of a tool means.
pub(crate) fn ended(
    tool: &'static str,
    status: std::process::ExitStatus,
    said: String,
) -> Result<(), MediaError> {
    if status.success() {
        return Ok(());
    }
    if status.code() == Some(NOT_THERE) {
        return Err(MediaError::ToolMissing { tool });
    }
    // A tool that asks for too much is refused it; one that writes too much is ended by a signal.
    if status.code().is_none() || said.contains("Cannot allocate memory") {
        return Err(MediaError::TooHeavy);
    }
    Err(MediaError::Damaged { said })
}

pub(crate) fn spawn_error(e: std::io::Error) -> MediaError {
    if e.kind() == std::io::ErrorKind::NotFound {
        MediaError::ToolMissing { tool: "prlimit" }
    } else {
        MediaError::Io(e)
    }
}
