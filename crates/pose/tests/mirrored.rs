//! What the networks see of rendered couples and of their mirror images.

#![allow(clippy::unwrap_used, missing_docs)]

use std::path::PathBuf;

use upright_pose::{Effort, Finder as _, Networks, Person, Picture};
use upright_studio::{Performance, Phone, Renderer, Scenario};

const SIZE: [usize; 2] = [1280, 720];

fn mirrored(picture: &Picture) -> Picture {
    let rows = picture.rgb.chunks_exact(3 * SIZE[0]);
    let turned = rows.flat_map(|row| row.rchunks_exact(3).flatten().copied());
    Picture::new(SIZE[0], SIZE[1], turned.collect()).unwrap()
}

/// The same person there: the left is on the right.
fn other(person: &Person) -> Person {
    let mut out = *person;
    for k in 0..17 {
        let from = match k {
            0 => 0,
            k if k % 2 == 1 => k + 1,
            k => k - 1,
        };
        let [x, y] = person.points[from];
        (out.points[k], out.scores[k]) = ([SIZE[0] as f64 - x, y], person.scores[from]);
    }
    out
}

#[test]
fn a_mirrored_dancer_is_seen_mirrored() {
    let scenario = Scenario {
        phones: vec![Phone {
            bearing: 20.0,
            ..Phone::default()
        }],
        ..Scenario::default()
    };
    let p = Performance::new(&scenario).unwrap();
    let renderer = Renderer::new(&p, 0).unwrap();
    let rgba = renderer.frame(6.0);
    let rgb = rgba.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]);
    let picture = Picture::new(SIZE[0], SIZE[1], rgb.collect()).unwrap();
    let mirror = mirrored(&picture);
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/files"));
    let networks = Networks::read(&folder).unwrap();
    let people = networks.crowd(&picture, None, true).unwrap();
    let [one, two] = &people[..] else {
        panic!("{} people", people.len());
    };
    for (person, partner) in [(one, two), (two, one)] {
        let look = |picture, person: &Person, partner: &Person| {
            let found = networks.dancer(picture, person, Some(partner), Effort::Usual);
            found.unwrap().unwrap()
        };
        let seen = look(&picture, person, partner);
        let there = look(&mirror, &other(person), &other(partner));
        for (l, sight) in &seen {
            let its = &there[&l.other_side()];
            let off = [
                SIZE[0] as f64 - its.pixel[0] - sight.pixel[0],
                its.pixel[1] - sight.pixel[1],
            ];
            assert!(off[0].hypot(off[1]) < 0.05, "{l:?} {off:?}");
            assert!((its.sigma - sight.sigma).abs() < 0.05, "{l:?}");
            assert_eq!(its.about_hips.is_some(), sight.about_hips.is_some());
            if let (Some(a), Some(b)) = (its.about_hips, sight.about_hips) {
                assert!((a[0] + b[0]).abs() < 1e-3 && (a[2] - b[2]).abs() < 1e-3);
            }
        }
    }
}
