//! The residuals of a simulated dancer for a solver in another language: `scripts/solver.py` runs it.
//!
//! `residuals SECONDS CAMERAS` solves the take, writes one line of JSON (seconds it took, how many instants and
//! residuals there are, the solved unknowns, which instants each residual depends on), and then answers unknowns
//! on the standard input with residuals on the standard output, both as 64-bit floats in the machine's order.
#![allow(clippy::unwrap_used, missing_docs)]

use std::io::{Read as _, Write as _};

use nalgebra::SMatrix;
use upright_core::body::solve::{Alone, Instant, Residuals, Seen, Source, with_holds};
use upright_core::camera::Calibration;
use upright_core::units::{MediaTime, Role};
use upright_studio::{Detector, Performance, Phone, Scenario, detect};

fn main() -> std::process::ExitCode {
    let args: Vec<u32> = std::env::args()
        .skip(1)
        .filter_map(|a| a.parse().ok())
        .collect();
    let &[seconds, many] = args.as_slice() else {
        eprintln!("residuals SECONDS CAMERAS");
        return std::process::ExitCode::FAILURE;
    };
    let second = Phone {
        bearing: 74.0,
        ..Phone::default()
    };
    let p = Performance::new(&Scenario {
        repetitions: 2 + seconds / 3,
        phones: vec![Phone::default(), second],
        ..Scenario::default()
    })
    .unwrap();
    let cameras: Vec<Calibration> = (0..many as usize)
        .map(|i| Calibration {
            camera: p.phone(i).camera(),
            covariance: SMatrix::identity() * 1e-5,
            residual: 1.0,
        })
        .collect();
    let frames: Vec<MediaTime> = (0..seconds * 25 / 2)
        .map(|i| MediaTime::from_secs(1.0 + 0.08 * f64::from(i)))
        .collect();
    let mut instants: Vec<Instant> = frames.iter().map(|t| Instant::new(t.secs())).collect();
    for camera in 0..cameras.len() {
        let seen = detect(&p, camera, &frames, &Detector::default());
        for d in seen.iter().filter(|d| d.truly == Role::Leader) {
            let now = frames.iter().position(|f| *f == d.at).unwrap();
            let all = d.points.iter().map(|(landmark, s)| Seen {
                camera,
                landmark: *landmark,
                pixel: s.pixel,
                sigma: s.sigma,
                source: Source::Automatic,
                carried: 0.0,
            });
            instants[now].seen.extend(all);
        }
    }
    let height = p.scenario().heights[Role::Leader as usize];
    let begun = std::time::Instant::now();
    let alone = Alone::new(height, &cameras, &instants).unwrap();
    let bodies = with_holds(&cameras, &alone, None, None).unwrap();
    let took = begun.elapsed().as_secs_f64();
    let residuals = Residuals::new(&cameras, &alone);
    let solved = residuals.solved();
    let rows = residuals.at(&solved).unwrap();
    let spans: Vec<[usize; 2]> = rows.iter().map(|r| r.1).collect();
    let head = serde_json::json!({
        "seconds": took,
        "instants": instants.len(),
        "rounds": bodies.rounds,
        "solved": solved,
        "spans": spans,
    });
    let mut out = std::io::stdout().lock();
    writeln!(out, "{head}").unwrap();
    out.flush().unwrap();
    let mut bytes = vec![0; 8 * solved.len()];
    let mut input = std::io::stdin().lock();
    while input.read_exact(&mut bytes).is_ok() {
        let asked: Vec<f64> = bytes
            .chunks_exact(8)
            .map(|b| f64::from_ne_bytes(b.try_into().unwrap()))
            .collect();
        for (r, _) in residuals.at(&asked).unwrap() {
            out.write_all(&r.to_ne_bytes()).unwrap();
        }
        out.flush().unwrap();
    }
    std::process::ExitCode::SUCCESS
}
