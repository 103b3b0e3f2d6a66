//! The networks on rendered couples whose landmarks are known: `make pose-accuracy`.
//!
//! Fresh takes are drawn, filmed by one phone and looked at twelve times a second as the worker does it.
//! Errors are shares of the dancer's height in the picture.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Instant;

use rand::seq::IndexedRandom as _;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use upright_core::body::Landmark;
use upright_core::chart::charts;
use upright_core::units::Role;
use upright_pose::follow::{Crowd, at, follow};
use upright_pose::{Finder as _, Networks, Picture, Scratch, Window};
use upright_studio::{Performance, Phone, Renderer, Scenario};

fn argument(name: &str, usual: u64) -> u64 {
    let all: Vec<String> = std::env::args().collect();
    all.iter()
        .position(|a| a == name)
        .and_then(|i| all.get(i + 1))
        .and_then(|v| v.parse().ok())
        .unwrap_or(usual)
}

fn quantile(values: &mut [f64], q: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    values
        .get(((values.len() as f64 * q) as usize).min(values.len().saturating_sub(1)))
        .copied()
        .unwrap_or(f64::NAN)
}

fn dot(p: &mut Picture, at: [f64; 2], colour: [u8; 3]) {
    for dy in -2..=2 {
        for dx in -2..=2 {
            let (x, y) = (at[0] as i64 + dx, at[1] as i64 + dy);
            if x >= 0 && y >= 0 && x < p.width as i64 && y < p.height as i64 {
                let k = 3 * (y as usize * p.width + x as usize);
                p.rgb[k..k + 3].copy_from_slice(&colour);
            }
        }
    }
}

fn main() {
    let takes = argument("--takes", 12);
    let seed = argument("--seed", rand::random::<u32>().into());
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/files"));
    let networks = Networks::read(&folder).unwrap_or_else(|e| panic!("{e}"));
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    // Error and claimed standard error by landmark, shares of height.
    let mut errors: BTreeMap<Landmark, Vec<[f64; 2]>> = BTreeMap::new();
    let mut hints = Vec::new();
    let (mut looks, mut found, mut exchanged, mut marked) = (0, 0, 0, 0);
    let (mut people_time, mut dancer_time, mut dancers) = (0.0, 0.0, 0);
    let mut scratch = Scratch::default();
    for _ in 0..takes {
        let chart = charts().choose(&mut rng).unwrap();
        let scenario = Scenario {
            chart: chart.id.clone(),
            bpm: rng.random_range(chart.tempo[0]..=chart.tempo[1]),
            repetitions: 2,
            heights: [rng.random_range(1.62..1.95), rng.random_range(1.5..1.85)],
            people: [rng.random(), rng.random()],
            phones: vec![Phone {
                bearing: rng.random_range(-60.0..60.0),
                distance: rng.random_range(4.6..5.6),
                height: rng.random_range(1.3..1.8),
                ..Phone::default()
            }],
            seed: rng.random(),
            ..Scenario::default()
        };
        let performance = Performance::new(&scenario).unwrap();
        let renderer = Renderer::new(&performance, 0).unwrap();
        let camera = performance.phone(0).camera();
        let times: Vec<f64> = (0..60).map(|i| 2.0 + f64::from(i) * 0.08).collect();
        let pictures: Vec<Picture> = times
            .iter()
            .map(|t| {
                let rgba = renderer.frame(*t);
                let rgb = rgba
                    .chunks_exact(4)
                    .flat_map(|p| [p[0], p[1], p[2]])
                    .collect();
                Picture::new(1280, 720, rgb).unwrap()
            })
            .collect();
        let mut window: Option<Window> = None;
        let crowds: Vec<Crowd> = times
            .iter()
            .zip(&pictures)
            .step_by(2)
            .map(|(t, p)| {
                let begun = Instant::now();
                let people = networks
                    .people(p, window.unwrap_or(Window::whole(p)), &mut scratch)
                    .unwrap();
                window = Window::about(&people, p);
                people_time += begun.elapsed().as_secs_f64();
                looks += 1;
                found += people.len().min(2);
                Crowd { at: *t, people }
            })
            .collect();
        let pairs = follow(&crowds);
        let moments: Vec<f64> = crowds.iter().map(|c| c.at).collect();
        let tracks = [0, 1].map(|k| pairs.iter().map(|p| p[k]).collect::<Vec<_>>());
        // Which of the two is the leader, by the whole clip.
        let truth = |t: f64| {
            performance.bodies(t).map(|b| {
                Landmark::ALL.map(|l| {
                    let q = camera.project(b.joint(l)).unwrap_or_default();
                    (l, [q.x, q.y], b.joint(l))
                })
            })
        };
        let near = |person: &upright_pose::Person, t: f64, role: usize| {
            let body = truth(t)[role];
            let hips: Vec<[f64; 2]> = body
                .iter()
                .filter(|(l, ..)| matches!(l, Landmark::LeftHip | Landmark::RightHip))
                .map(|(_, p, _)| *p)
                .collect();
            let mid = [
                (hips[0][0] + hips[1][0]) / 2.0,
                (hips[0][1] + hips[1][1]) / 2.0,
            ];
            let at = person.middle(upright_pose::point::HIPS);
            (at[0] - mid[0]).hypot(at[1] - mid[1])
        };
        let mut votes = 0_i32;
        for (t, pair) in moments.iter().zip(&pairs) {
            if let [Some(a), Some(b)] = pair {
                let straight = near(a, *t, 0) + near(b, *t, 1);
                let crossed = near(a, *t, 1) + near(b, *t, 0);
                votes += if straight < crossed { 1 } else { -1 };
            }
        }
        let order = if votes >= 0 { [0, 1] } else { [1, 0] };
        for (t, picture) in times.iter().zip(&pictures) {
            let mut drawn = picture.clone();
            let pair = order.map(|k| at(&moments, &tracks[k], *t));
            for role in Role::BOTH {
                let Some(person) = &pair[role as usize] else {
                    continue;
                };
                let partner = pair[1 - role as usize].as_ref();
                if near(person, *t, 1 - role as usize) < 0.5 * near(person, *t, role as usize)
                    && near(person, *t, role as usize) > 40.0
                {
                    exchanged += 1;
                }
                let begun = Instant::now();
                let points = networks
                    .dancer(picture, person, partner, &mut scratch)
                    .unwrap();
                dancer_time += begun.elapsed().as_secs_f64();
                dancers += 1;
                let Some(points) = points else { continue };
                marked += 1;
                let body = truth(*t)[role as usize];
                let ys: Vec<f64> = body.iter().map(|(_, p, _)| p[1]).collect();
                let tall = (ys.iter().copied().fold(0.0, f64::max)
                    - ys.iter().copied().fold(f64::MAX, f64::min))
                .max(1.0)
                    * 1.06;
                let of = |l: Landmark| body.iter().find(|(m, ..)| *m == l).unwrap();
                let hips = nalgebra::center(&of(Landmark::LeftHip).2, &of(Landmark::RightHip).2);
                for (l, s) in &points {
                    let (_, p, joint) = of(*l);
                    dot(
                        &mut drawn,
                        s.pixel,
                        if role == Role::Leader {
                            [0, 255, 255]
                        } else {
                            [255, 255, 0]
                        },
                    );
                    dot(&mut drawn, *p, [0, 160, 0]);
                    errors.entry(*l).or_default().push([
                        (s.pixel[0] - p[0]).hypot(s.pixel[1] - p[1]) / tall,
                        s.sigma / tall,
                    ]);
                    if let Some(h) = s.about_hips {
                        let d = camera.depth(*joint) - camera.depth(hips);
                        hints.push([h[2], d]);
                    }
                }
            }
            if let Ok(folder) = std::env::var("PICTURES") {
                let mut out = format!("P6 {} {} 255\n", drawn.width, drawn.height).into_bytes();
                out.extend(&drawn.rgb);
                std::fs::write(format!("{folder}/{}-{:05.2}.ppm", chart.id, t), out).unwrap();
            }
        }
    }
    println!("seed {seed}, {takes} takes");
    println!(
        "people found: {:.1} % of {}",
        50.0 * f64::from(found as u32) / f64::from(looks),
        2 * looks
    );
    println!(
        "dancers marked: {:.1} % of {}; with the partner's name {:.1} %",
        100.0 * f64::from(marked) / (f64::from(takes as u32) * 120.0),
        takes * 120,
        100.0 * f64::from(exchanged) / f64::from(dancers)
    );
    println!(
        "people {:.0} ms a picture, dancer {:.0} ms",
        1e3 * people_time / f64::from(looks),
        1e3 * dancer_time / f64::from(dancers)
    );
    println!(
        "{:14} {:>7} {:>7} {:>7} {:>6} {:>6} {:>6}",
        "landmark", "median", "90 %", "σ med", "in 1σ", "in 2σ", "wild"
    );
    let mut all = Vec::new();
    for (l, list) in &mut errors {
        let mut e: Vec<f64> = list.iter().map(|v| 100.0 * v[0]).collect();
        let mut s: Vec<f64> = list.iter().map(|v| 100.0 * v[1]).collect();
        // Two axes: a radius of 1.52 σ holds 68 %, of 2.49 σ 95 %.
        let inside = |k: f64| {
            100.0 * list.iter().filter(|v| v[0] < k * v[1]).count() as f64 / list.len() as f64
        };
        let wild =
            100.0 * list.iter().filter(|v| v[0] > 5.0 * v[1]).count() as f64 / list.len() as f64;
        println!(
            "{:14} {:7.2} {:7.2} {:7.2} {:6.0} {:6.0} {:6.1}",
            format!("{l:?}"),
            quantile(&mut e, 0.5),
            quantile(&mut e, 0.9),
            quantile(&mut s, 0.5),
            inside(1.52),
            inside(2.49),
            wild
        );
        all.extend(e);
    }
    println!(
        "all: median {:.2} % of height, 90 % {:.2} %",
        quantile(&mut all, 0.5),
        quantile(&mut all, 0.9)
    );
    let n = hints.len() as f64;
    let (mx, my) = (
        hints.iter().map(|h| h[0]).sum::<f64>() / n,
        hints.iter().map(|h| h[1]).sum::<f64>() / n,
    );
    let cov = hints.iter().map(|h| (h[0] - mx) * (h[1] - my)).sum::<f64>() / n;
    let (vx, vy) = (
        hints.iter().map(|h| (h[0] - mx).powi(2)).sum::<f64>() / n,
        hints.iter().map(|h| (h[1] - my).powi(2)).sum::<f64>() / n,
    );
    let mut off: Vec<f64> = hints.iter().map(|h| (h[0] - h[1]).abs()).collect();
    println!(
        "depth hints: correlation {:.2}, median error {:.3} m",
        cov / (vx * vy).sqrt(),
        quantile(&mut off, 0.5)
    );
}
