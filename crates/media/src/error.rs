//! What can be wrong with a clip, in words that say what to do.

/// Why a clip cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum MediaError {
    /// Not one of the containers, or broken.
    #[error(
        "This file is not a video that can be read here. Use MP4, MOV or WebM, as phones record them."
    )]
    NotAVideo,
    /// Sound only, or a still picture.
    #[error("There is no moving picture in this file.")]
    NoPicture,
    /// Too short or too long.
    #[error(
        "This clip lasts {0:.1} s. Clips of half a second to fifteen minutes can be reviewed; cut it on the phone first."
    )]
    Length(f64),
    /// Too small or too large a picture.
    #[error("The picture is {0} × {1} pixels. Between 160 and 4096 a side can be used.")]
    Size(u32, u32),
    /// The tool gave up on it.
    #[error(
        "The clip could not be prepared: part of it is damaged or in a form that cannot be read. Film or export it again as MP4."
    )]
    Damaged {
        /// What the tool said, for the log.
        said: String,
    },
    /// It took too long.
    #[error("Preparing the clip took too long and was stopped. Try a shorter one.")]
    TimedOut,
    /// It asked for more memory or disk than a clip may have, or the tool broke on it.
    #[error(
        "The clip needs more room to be prepared than a clip of a phone does, and was stopped. Export it again as MP4 on the phone."
    )]
    TooHeavy,
    /// More pictures than any phone takes.
    #[error(
        "The clip says that it has {0} pictures. Up to 240 a second can be reviewed; export it again as MP4 on the phone."
    )]
    TooMany(usize),
    /// The tool is not there.
    #[error(
        "The program {tool} is missing on this machine. Install the packages ffmpeg and util-linux."
    )]
    ToolMissing {
        /// `ffmpeg`, `ffprobe` or `prlimit`.
        tool: &'static str,
    },
    /// Reading or writing failed.
    #[error("A file could not be read or written. Is the disk full?")]
    Io(#[from] std::io::Error),
}
