//! A clip's pictures, one after the other.

use std::path::Path;
use std::process::Stdio;

use tokio::io::AsyncReadExt as _;
use tokio::process::{Child, ChildStdout};

use crate::MediaError;
use crate::tool::{command, foreign_input, spawn_error};

/// Pictures of a clip as they are decoded; never more than a few wait in memory.
pub struct Pictures {
    child: Child,
    out: ChildStdout,
    bytes: usize,
}

impl Pictures {
    /// Every `every`th frame of a clip beginning with the first, `size` pixels, three bytes a pixel.
    pub fn open(path: &Path, every: usize, size: [u32; 2]) -> Result<Self, MediaError> {
        let mut c = command("ffmpeg");
        foreign_input(&mut c, path);
        let [w, h] = size;
        c.args(["-map", "0:v:0", "-an", "-vf"])
            .arg(format!(
                "select='not(mod(n,{}))',scale={w}:{h}",
                every.max(1)
            ))
            .args([
                "-fps_mode",
                "passthrough",
                "-f",
                "rawvideo",
                "-pix_fmt",
                "rgb24",
                "pipe:1",
            ])
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        let mut child = c.spawn().map_err(spawn_error)?;
        let out = child.stdout.take().ok_or_else(|| MediaError::Damaged {
            said: "no output".into(),
        })?;
        Ok(Self {
            child,
            out,
            bytes: 3 * w as usize * h as usize,
        })
    }

    /// The next picture; `None` after the last.
    pub async fn next(&mut self) -> Result<Option<Vec<u8>>, MediaError> {
        let mut picture = vec![0; self.bytes];
        let mut have = 0;
        while have < self.bytes {
            match self.out.read(&mut picture[have..]).await? {
                0 => break,
                n => have += n,
            }
        }
        if have == self.bytes {
            return Ok(Some(picture));
        }
        let ended = self.child.wait().await?;
        if have > 0 || !ended.success() {
            return Err(MediaError::Damaged {
                said: "the pictures end in the middle".into(),
            });
        }
        Ok(None)
    }
}
