//! Cost of solving one dancer's bodies, and of the whole analysis of a couple, against the length of the take and the
//! number of cameras. `make bench` prints it.
#![allow(missing_docs, clippy::unwrap_used)]
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};

use nalgebra::SMatrix;
use upright_core::analyse::{analyse, first_look};
use upright_core::body::solve::{Alone, Instant, Known, Seen, Source, solve, with_holds};
use upright_core::camera::Calibration;
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::marks::{AngleMarks, Marks};
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Take, solve_take};
use upright_core::units::{MediaTime, Role};
use upright_studio::{Detector, Hand, Performance, Phone, Scenario, detect, marks, track};

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
                    carried: 0.0,
                }));
        }
    }
    out
}

fn bodies(c: &mut Criterion) {
    let mut group = c.benchmark_group("bodies");
    group.sample_size(10);
    for repetitions in [2, 4, 8] {
        let p = dance(repetitions);
        let times: Vec<f64> = p.arrivals(Role::Leader).iter().map(|a| a.at).collect();
        let given = instants(&p, 1, &times, Source::Hand);
        let cameras = cameras(&p, 1);
        group.bench_with_input(
            BenchmarkId::new("marked counts", times.len()),
            &given,
            |b, given| b.iter(|| solve(1.82, &cameras, given).unwrap()),
        );
    }
    // One joint moved by hand: only what leans on it is solved again.
    let p = dance(8);
    let marked: Vec<f64> = p.arrivals(Role::Leader).iter().map(|a| a.at).collect();
    let dense: Vec<f64> = (0..250).map(|i| 1.0 + 0.08 * f64::from(i)).collect();
    for (name, times, source) in [
        ("a mark moved among marked counts", marked, Source::Hand),
        (
            "a mark moved among seconds at 12.5",
            dense,
            Source::Automatic,
        ),
    ] {
        let given = instants(&p, 1, &times, source);
        let cameras = cameras(&p, 1);
        let alone = Alone::new(1.82, &cameras, &given).unwrap();
        let before = Known {
            alone: &alone,
            held: None,
            bodies: &with_holds(&cameras, &alone, None, None).unwrap(),
        };
        let mut changed = given.clone();
        let middle = times.len() / 2;
        changed[middle].seen[4].pixel[0] += 3.0;
        group.bench_with_input(
            BenchmarkId::new(name, times.len()),
            &changed,
            |b, changed| {
                b.iter(|| {
                    let again = alone.again(1.82, &cameras, changed, &given);
                    let again = again.unwrap().unwrap();
                    with_holds(&cameras, &again, None, Some(&before)).unwrap()
                });
            },
        );
    }
    for many in [1, 2] {
        for seconds in [5, 10, 20] {
            let times: Vec<f64> = (0..seconds * 25 / 2)
                .map(|i| 1.0 + 0.08 * f64::from(i))
                .collect();
            let given = instants(&p, many, &times, Source::Automatic);
            let cameras = cameras(&p, many);
            group.bench_with_input(
                BenchmarkId::new(format!("{many} cameras, seconds at 12.5"), seconds),
                &given,
                |b, given| b.iter(|| solve(1.82, &cameras, given).unwrap()),
            );
        }
    }
    group.finish();
}

/// Figure, count and floor marked on each phone's clip.
fn marked(p: &Performance, many: usize) -> Marks {
    let on = |phone: usize| {
        let mut out = Marks::default();
        for command in marks(p, phone, &[], &Hand::exact()) {
            // A point of the reference out of the picture is left unmarked.
            let _ = command.apply(&mut out);
        }
        out
    };
    let mut out = on(0);
    for phone in 1..many {
        let angle = AngleMarks {
            floor: on(phone).floor,
            poses: Vec::new(),
        };
        out.angles.insert(phone as u8 + 1, angle);
    }
    out
}

/// From the sights of a detector at 12.5 instants a second, with its hints, to measures and findings of both.
fn street(c: &mut Criterion) {
    let mut group = c.benchmark_group("street");
    group.sample_size(10);
    for many in [1, 2] {
        for seconds in [45.0, 90.0, 180.0] {
            let p = dance((seconds / 3.0) as u32 + 2);
            let marks = marked(&p, many);
            let frames: Vec<MediaTime> = (0..(seconds * 12.5) as usize)
                .map(|i| MediaTime::from_secs(p.scenario().lead_in + 0.08 * i as f64))
                .collect();
            let films: Vec<Film> = (0..many)
                .map(|phone| {
                    let mut film = Film::new(p.phone(phone).picture());
                    film.track = track(&detect(&p, phone, &frames, &Detector::default()));
                    film
                })
                .collect();
            let take = Take {
                marks: &marks,
                couple: CoupleBody {
                    heights: p.scenario().heights,
                    frame_limit: None,
                },
                films: &films,
                shelf: &Shelf::default(),
                rules: Rules::usual(),
            };
            group.bench_function(
                BenchmarkId::new(format!("{many} cameras, both dancers, seconds"), seconds),
                |b| b.iter(|| analyse(&take, Some(&solve_take(&take, None)))),
            );
            // Whole repetitions of the first 24 seconds.
            group.bench_function(
                BenchmarkId::new(format!("{many} cameras, first look, seconds"), seconds),
                |b| b.iter(|| first_look(&take).unwrap()),
            );
        }
    }
    group.finish();
}

criterion_group!(benches, bodies, street);
criterion_main!(benches);
