//! The beats of a file.

use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use upright_core::count::{Ask, RATE, listen};
use upright_media::sound_file;

/// What is listened to, and for what.
#[derive(Args)]
pub struct Beats {
    /// A clip or a piece of music, in any form ffmpeg reads.
    file: PathBuf,
    /// Slowest tempo that is likely, beats a minute.
    #[arg(long, default_value_t = Ask::default().tempo[0])]
    from: f64,
    /// Fastest tempo that is likely.
    #[arg(long, default_value_t = Ask::default().tempo[1])]
    to: f64,
    /// Beats of a bar.
    #[arg(long, default_value_t = Ask::default().meter)]
    meter: u32,
}

pub async fn run(b: &Beats) -> anyhow::Result<ExitCode> {
    anyhow::ensure!(
        b.from > 0.0 && b.to >= b.from,
        "The slowest likely tempo must be above 0 and not above the fastest."
    );
    let samples = sound_file(&b.file, RATE as u32).await?;
    anyhow::ensure!(!samples.is_empty(), "There is no sound in this file.");
    let ask = Ask {
        tempo: [b.from, b.to],
        meter: b.meter,
    };
    let heard = match listen(&samples, ask) {
        Ok(heard) => heard,
        Err(e) => {
            eprintln!("{e}");
            return Ok(ExitCode::FAILURE);
        }
    };
    for (i, beat) in heard.beats.iter().enumerate() {
        let place = (i as i64 - i64::from(heard.one)).rem_euclid(i64::from(heard.meter.max(1)));
        println!("{:.3}\t{}", beat.secs(), place + 1);
    }
    Ok(ExitCode::SUCCESS)
}
