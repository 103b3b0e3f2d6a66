//! Cost of finding both dancers in a picture: of looking for people, and of one dancer's landmarks. `make bench` prints
//! it; the networks must be installed.
#![allow(missing_docs, clippy::unwrap_used)]
use std::path::PathBuf;

use criterion::{Criterion, criterion_group, criterion_main};
use upright_pose::{Effort, Finder as _, Networks, Picture, Window};
use upright_studio::{Performance, Renderer, Scenario};

/// A rendered couple as a phone sees it.
fn picture() -> Picture {
    let p = Performance::new(&Scenario::default()).unwrap();
    let rgba = Renderer::new(&p, 0).unwrap().frame(6.0);
    let rgb = rgba.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]);
    Picture::new(1280, 720, rgb.collect()).unwrap()
}

fn networks(c: &mut Criterion) {
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/files"));
    let (networks, picture) = (Networks::read(&folder).unwrap(), picture());
    let mut group = c.benchmark_group("networks");
    group.sample_size(20);
    let whole = Window::whole(picture.size());
    group.bench_function("people", |b| {
        b.iter(|| networks.people(&picture, whole).unwrap());
    });
    let couple = networks.crowd(&picture, None, true).unwrap();
    for (name, effort) in [
        ("dancer", Effort::Usual),
        ("dancer, harder", Effort::Harder),
    ] {
        group.bench_function(name, |b| {
            b.iter(|| {
                networks
                    .dancer(&picture, &couple[0], couple.get(1), effort)
                    .unwrap()
            });
        });
    }
    group.finish();
}

criterion_group!(benches, networks);
criterion_main!(benches);
