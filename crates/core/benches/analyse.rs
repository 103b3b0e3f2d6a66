//! Cost of the whole street against the length of the take. `make bench` prints it.
#![allow(missing_docs, clippy::unwrap_used)]
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};

use upright_core::analyse::analyse;
use upright_core::body::Landmark;
use upright_core::camera::Camera;
use upright_core::chart::{Shelf, Stride, chart, floor_path, start_stance};
use upright_core::count::{CountGrid, CountPattern};
use upright_core::fault::Rules;
use upright_core::marks::{CountSource, MarkCommand, Marks, StepMark};
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Take};
use upright_core::units::{Foot, MediaTime, Role};

/// A fully marked take of so many repetitions, seen by a phone 5 m away.
fn take(repetitions: u32) -> (Marks, CoupleBody) {
    let c = chart("shag-basic").unwrap();
    let couple = CoupleBody {
        heights: [1.8, 1.66],
        frame_limit: None,
    };
    let camera = Camera::looking_at(
        [0.0, -5.0, 1.5].into(),
        [0.0, 0.2, 0.8].into(),
        0.0,
        65.0,
        [1280.0, 720.0],
    );
    let see = |p: [f64; 3]| {
        let q = camera.project(p.into()).unwrap();
        [q.x, q.y]
    };
    let mut m = Marks::default();
    let one = MediaTime(1_000_000);
    for command in [
        MarkCommand::NameFigure {
            chart: c.id.clone(),
            repetitions,
        },
        MarkCommand::SetCount {
            count: CountSource::Tempo { bpm: 118.0, one },
        },
        MarkCommand::SizeFloor {
            length: 2.0,
            width: 1.0,
            view: None,
        },
    ] {
        command.apply(&mut m).unwrap();
    }
    let places = m.floor.as_ref().unwrap().places();
    for (point, p) in places.iter().enumerate().take(4) {
        let pixel = Some(see([p[0], p[1], 0.0]));
        MarkCommand::MarkFloor { point, pixel }
            .apply(&mut m)
            .unwrap();
    }
    let grid = CountGrid::from_tempo(118.0, one, c.swing).unwrap();
    let pattern = CountPattern::parse(&c.counts).unwrap();
    for role in Role::BOTH {
        let mut stance = start_stance(&c.start, role, couple.heights);
        for rep in 0..repetitions {
            let (steps, next) =
                floor_path(c.rows(role), stance, Stride::joined(role, couple.heights));
            for s in steps {
                let row = &c.rows(role)[s.row];
                let at = grid.time_of_count(&pattern, rep, row.count).unwrap();
                match s.foot {
                    Foot::Left => stance.left = s.to,
                    Foot::Right => stance.right = s.to,
                }
                stance.facing = s.facing;
                let (sin, cos) = s.facing.to_radians().sin_cos();
                for foot in [Foot::Left, Foot::Right] {
                    let p = stance.foot(foot);
                    for (landmark, d) in Landmark::heel_toe(foot).into_iter().zip([-0.12, 0.13]) {
                        MarkCommand::Place {
                            role,
                            at,
                            landmark,
                            pixel: see([p[0] + d * cos, p[1] + d * sin, 0.0]),
                        }
                        .apply(&mut m)
                        .unwrap();
                    }
                }
                m.steps.push(StepMark {
                    role,
                    foot: s.foot,
                    at,
                    weight: true,
                });
            }
            stance = next;
        }
    }
    m.steps.sort_by_key(|s| (s.at, s.role));
    (m, couple)
}

fn street(c: &mut Criterion) {
    let mut group = c.benchmark_group("analyse");
    group.sample_size(20);
    let shelf = Shelf::default();
    let films = [Film::new([1280.0, 720.0])];
    for repetitions in [6, 12, 24, 48] {
        let (marks, couple) = take(repetitions);
        group.bench_with_input(BenchmarkId::from_parameter(repetitions), &marks, |b, m| {
            let take = Take {
                marks: m,
                couple,
                films: &films,
                shelf: &shelf,
                rules: Rules::usual(),
            };
            b.iter(|| analyse(&take, None));
        });
    }
    group.finish();
}

criterion_group!(benches, street);
criterion_main!(benches);
