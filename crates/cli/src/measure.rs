//! Measures of a take document, without a database.

use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context as _, bail};
use clap::Args;
use upright_core::analyse::measured;
use upright_core::chart::Shelf;
use upright_core::take::exchange::{self, Opened};
use upright_core::take::{import, solve_take, table};
use upright_core::units::Role;

/// What to measure and what to write.
#[derive(Args)]
pub struct Measure {
    /// The take document (JSON).
    take: PathBuf,
    /// Prints measures, findings, steps and what is missing as JSON, instead of the measures as CSV.
    #[arg(long)]
    json: bool,
    /// Prints the measures as CSV, which is also what is printed without a choice.
    #[arg(long, conflicts_with = "json")]
    csv: bool,
    /// Landmarks of another program (CSV or key points as JSON) in place of the document's own.
    #[arg(long)]
    landmarks: Option<PathBuf>,
    /// Camera that they belong to.
    #[arg(long, default_value_t = 1, requires = "landmarks")]
    camera: usize,
    /// Writes both dancers' joints in space into this file (.csv), or each dancer's trajectories into two
    /// (NAME.leader.trc and NAME.follower.trc).
    #[arg(long)]
    joints: Option<PathBuf>,
}

/// Measures. What is missing to solve the dancers goes to standard error.
pub fn run(m: &Measure) -> anyhow::Result<ExitCode> {
    let text = std::fs::read_to_string(&m.take)
        .with_context(|| format!("{} cannot be read", m.take.display()))?;
    let name = m.take.display();
    let mut opened = exchange::read(&text)
        .and_then(|d| d.open(Shelf::default()))
        .with_context(|| format!("{name} cannot be measured"))?;
    if let Some(file) = &m.landmarks {
        bring(&mut opened, file, m.camera)?;
    }
    let take = opened.take();
    let solved = solve_take(&take, None);
    for (role, bodies) in ["leader", "follower"].iter().zip(&solved.bodies) {
        if let Err(why) = bodies {
            eprintln!("The {role} in space: {why}");
        }
    }
    let found = measured(&take, &solved);
    if let Some(file) = &m.joints {
        if file.extension().is_some_and(|e| e == "trc") {
            for (role, word) in [
                (Role::Leader, "leader.trc"),
                (Role::Follower, "follower.trc"),
            ] {
                if let Some(text) = table::trc(&solved, role) {
                    std::fs::write(file.with_extension(word), text)?;
                }
            }
        } else {
            std::fs::write(file, table::joints(&solved))?;
        }
    }
    if m.json {
        println!("{}", serde_json::to_string_pretty(&found)?);
    } else {
        print!("{}", table::measures(&found.measures));
    }
    Ok(ExitCode::SUCCESS)
}

fn bring(opened: &mut Opened, file: &PathBuf, camera: usize) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(file)
        .with_context(|| format!("{} cannot be read", file.display()))?;
    let many = opened.films.len();
    let Some(film) = camera.checked_sub(1).and_then(|i| opened.films.get_mut(i)) else {
        bail!("The take has {many} cameras, and none with the number {camera}.");
    };
    // A take document has no frame times of its own but those of its landmarks.
    let mut frames: Vec<_> = film.track.iter().map(|s| s.at).collect();
    frames.dedup();
    film.track = import::landmarks(&text, &frames)
        .with_context(|| format!("{} cannot be used", file.display()))?;
    Ok(())
}
