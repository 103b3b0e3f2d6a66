#![allow(missing_docs, clippy::unwrap_used)]
use nalgebra::SMatrix;
use upright_core::body::solve::{Instant, Seen, Source, solve};
use upright_core::camera::Calibration;
use upright_core::units::{MediaTime, Role};
use upright_studio::{Detector, Performance, Phone, Scenario, detect};
fn dance(repetitions: u32) -> Performance {
    let second = Phone {
        bearing: 74.0,
        ..Phone::default()
    };
    Performance::new(&Scenario {
        repetitions,
        phones: vec![Phone::default(), second],
        ..Scenario::default()
    })
    .unwrap()
}

fn cameras(p: &Performance, many: usize) -> Vec<Calibration> {
    (0..many)
        .map(|i| Calibration {
            camera: p.phone(i).camera(),
            covariance: SMatrix::identity() * 1e-5,
            residual: 1.0,
        })
        .collect()
}

/// What a detector sees of the leader at these moments.
fn instants(p: &Performance, many: usize, times: &[f64], source: Source) -> Vec<Instant> {
    let frames: Vec<MediaTime> = times.iter().map(|t| MediaTime::from_secs(*t)).collect();
    let mut out: Vec<Instant> = times.iter().map(|t| Instant::new(*t)).collect();
    for camera in 0..many {
        let seen = detect(p, camera, &frames, &Detector::default());
        for d in seen.iter().filter(|d| d.truly == Role::Leader) {
            let now = frames.iter().position(|f| *f == d.at).unwrap();
            out[now]
                .seen
                .extend(d.points.iter().map(|(landmark, s)| Seen {
                    camera,
                    landmark: *landmark,
                    pixel: s.pixel,
                    sigma: s.sigma,
                    source,
                }));
        }
    }
    out
}

fn main() {
    let p = dance(24);
    for many in [1usize, 2] {
        let times: Vec<f64> = (0..750).map(|i| 1.0 + 0.08 * f64::from(i)).collect();
        let given = instants(&p, many, &times, Source::Automatic);
        let cameras = cameras(&p, many);
        let t = std::time::Instant::now();
        let b = solve(1.82, &cameras, &given).unwrap();
        println!(
            "{many} cameras 60 s one dancer: {:?} rounds {}",
            t.elapsed(),
            b.rounds
        );
    }
}
