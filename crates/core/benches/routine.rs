//! Cost of checking a routine against its length, and of one chart. `make bench` prints it.
#![allow(missing_docs, clippy::unwrap_used)]
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};

use upright_core::chart::{Chart, Shelf, chart, charts, notation};
use upright_core::routine::{Item, Routine, report};

fn routine(figures: usize, broken: bool) -> Routine {
    let ids = ["wcs-left-pass", "wcs-push", "wcs-whip", "wcs-turn-under"];
    let items = (0..figures)
        // A broken one asks for both hands every fifth time, so that bridges are searched.
        .map(|i| {
            Item::once(if broken && i % 5 == 4 {
                "wcs-arm-lock"
            } else {
                ids[i % 4]
            })
        })
        .collect();
    Routine {
        tempo: 108.0,
        items,
        ..Routine::default()
    }
}

fn checks(c: &mut Criterion) {
    let shelf = Shelf::default();
    let mut group = c.benchmark_group("routine");
    group.sample_size(20);
    for figures in [15, 30, 60, 120] {
        for broken in [false, true] {
            let plan = routine(figures, broken);
            let name = if broken { "with bridges" } else { "joined" };
            group.bench_with_input(BenchmarkId::new(name, figures), &plan, |b, plan| {
                b.iter(|| report(plan, &shelf).unwrap());
            });
        }
    }
    group.finish();
    let whip = chart("wcs-whip").unwrap();
    let text = notation::print(whip.draft());
    c.bench_function("chart: read and check a figure's text", |b| {
        b.iter(|| {
            let read = notation::read(&text);
            Chart::new(read.figures[0].draft.clone()).unwrap()
        });
    });
    assert!(charts().len() > 36);
}

criterion_group!(benches, checks);
criterion_main!(benches);
