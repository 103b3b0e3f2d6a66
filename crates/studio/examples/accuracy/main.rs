//! How near the solved bodies come to the truth, and how well faults are judged: draws fresh takes from the
//! simulated studio, prints tables and fails when a target is missed. `make accuracy` runs it.
//!
//! `accuracy [--bodies N] [--findings N] [--seed S] [--write FILE] [--tell]`; without a seed every run draws other
//! takes; `--tell` writes a line about each direction that is far off and each fault that was missed or seen falsely.
#![allow(clippy::unwrap_used, missing_docs)]

mod bodies;
mod draw;
mod findings;
mod posture;
mod steps;
mod tally;

use std::process::ExitCode;
use std::sync::atomic::Ordering;

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

fn main() -> Result<ExitCode, Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().collect();
    let of = |name: &str| {
        let i = args.iter().position(|a| a == name)?;
        args.get(i + 1).cloned()
    };
    let many = |name: &str, usual: u32| of(name).map_or(Ok(usual), |n| n.parse());
    let (bodies, findings) = (many("--bodies", 200)?, many("--findings", 320)?);
    let seed: u64 = match of("--seed") {
        Some(s) => s.parse()?,
        None => std::time::SystemTime::now()
            .duration_since(std::time::UNIX_EPOCH)?
            .as_secs(),
    };
    draw::TELL.store(args.iter().any(|a| a == "--tell"), Ordering::Relaxed);
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut page = String::new();
    let mut missed = Vec::new();
    let begun = std::time::Instant::now();
    for (takes, run) in [
        (bodies, bodies::run as fn(&mut ChaCha8Rng, u32, u64) -> _),
        (findings, findings::run),
    ] {
        if takes > 0 {
            let (more, misses): (String, Vec<String>) = run(&mut rng, takes, seed);
            page.push_str(&more);
            missed.extend(misses);
        }
    }
    println!("{page}");
    println!("{:.0} s", begun.elapsed().as_secs_f64());
    if let Some(file) = of("--write") {
        std::fs::write(file, page)?;
    }
    for m in &missed {
        eprintln!("missed: {m}");
    }
    Ok(if missed.is_empty() {
        ExitCode::SUCCESS
    } else {
        ExitCode::FAILURE
    })
}
