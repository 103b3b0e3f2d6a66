//! The networks on rendered couples whose landmarks are known: `make pose-accuracy`.
//!
//! Fresh takes are drawn, filmed by one phone or two and looked at twelve times a second as the worker does
//! it. Errors of landmarks are shares of the dancer's height in the picture. The bodies solved from them are
//! compared with the truth as `make accuracy` does it for the simulated detector; fails below its targets.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

#[allow(dead_code)]
#[path = "../../../studio/examples/accuracy/bodies.rs"]
mod bodies;
#[allow(dead_code)]
#[path = "../../../studio/examples/accuracy/draw.rs"]
mod draw;
mod finding;
#[allow(dead_code)]
#[path = "../../../studio/examples/accuracy/findings.rs"]
mod findings;
mod marked;
#[path = "../../../studio/examples/accuracy/posture.rs"]
mod posture;
mod said;
mod scene;
mod searched;
#[path = "../../../studio/examples/accuracy/steps.rs"]
mod steps;
#[path = "../../../studio/examples/accuracy/tally.rs"]
mod tally;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Instant;

use nalgebra::{Point3, Rotation3, Vector3};
use rand::RngCore as _;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use searched::crowds;
use serde::{Deserialize, Serialize};
use upright_core::body::Landmark;
use upright_core::body::track::{Sight, Sighting};
use upright_core::camera::Camera;
use upright_core::units::{MediaTime, Role};
use upright_pose::follow::{Followed, Said, at, follow};
use upright_pose::sure::over_time;
use upright_pose::{Effort, Finder, Networks, Person, Picture, point};
use upright_studio::{Performance, Renderer};

/// Pictures of a take, seconds.
const SECONDS: f64 = 6.4;

/// Who is further from every dancer than this is none, shares of the height.
const STRANGER: f64 = 0.35;

fn argument(name: &str, usual: u64) -> u64 {
    let all: Vec<String> = std::env::args().collect();
    all.iter()
        .position(|a| a == name)
        .and_then(|i| all.get(i + 1))
        .and_then(|v| v.parse().ok())
        .unwrap_or(usual)
}

fn text(name: &str) -> Option<String> {
    let mut all = std::env::args().skip_while(|a| a != name);
    all.nth(1)
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

/// Lines whose lengths are compared.
const LINES: [(&str, Landmark, Landmark); 8] = [
    ("shoulders", Landmark::LeftShoulder, Landmark::RightShoulder),
    ("hips", Landmark::LeftHip, Landmark::RightHip),
    ("trunk", Landmark::LeftHip, Landmark::LeftShoulder),
    ("upper arm", Landmark::LeftShoulder, Landmark::LeftElbow),
    ("forearm", Landmark::LeftElbow, Landmark::LeftWrist),
    ("thigh", Landmark::LeftHip, Landmark::LeftKnee),
    ("shin", Landmark::LeftKnee, Landmark::LeftAnkle),
    ("foot", Landmark::LeftHeel, Landmark::LeftToe),
];

/// What is added up over all takes.
#[derive(Default)]
struct Sums {
    /// Error, claimed standard error and how much too low by landmark, shares of height.
    errors: BTreeMap<Landmark, Vec<[f64; 3]>>,
    /// How much too far ahead by landmark, where that lies along the picture, shares of height.
    ahead: BTreeMap<Landmark, Vec<f64>>,
    /// Sights by whether left and right are exchanged in the arms, and in the legs below the hips.
    sides: [[usize; 2]; 2],
    /// Lines between two landmarks as seen along the true ones, which are at least a tenth of the dancer.
    lines: BTreeMap<&'static str, Vec<f64>>,
    /// The same lines' lengths in space by the hints, as shares of the true ones.
    hinted: BTreeMap<&'static str, Vec<f64>>,
    /// Depth hints and true depths about the hips, metres.
    hints: Vec<[f64; 2]>,
    looks: usize,
    found: usize,
    exchanged: usize,
    marked: usize,
    dancers: usize,
    instants: usize,
    people_time: f64,
    dancer_time: f64,
    /// Seconds of film and of the two networks' work on it on all cores.
    film: f64,
    work: f64,
    /// Dancers who are in the pictures that were looked at for people, those who were taken for dancing and do not,
    /// takes, and those in which one was taken for two or two for one.
    there: usize,
    invented: usize,
    takes: usize,
    miscounted: usize,
    /// Of each trunk that was hinted: see [`lean_of_hints`].
    leans: Vec<[f64; 4]>,
}

/// Pixels and places of a dancer's landmarks.
type Truth = Vec<(Landmark, [f64; 2], Point3<f64>)>;

fn truth(p: &Performance, phone: usize, t: f64) -> [Truth; 2] {
    let camera = p.phone(phone).camera();
    p.bodies(t).map(|b| {
        Landmark::ALL
            .map(|l| {
                let q = camera.project(b.joint(l)).unwrap_or_default();
                (l, [q.x, q.y], b.joint(l))
            })
            .to_vec()
    })
}

fn of(truth: &Truth, l: Landmark) -> &(Landmark, [f64; 2], Point3<f64>) {
    truth.iter().find(|(m, ..)| *m == l).unwrap()
}

/// The way that the shoulders face, a metre along the floor.
fn front(truth: &Truth) -> Vector3<f64> {
    let line = of(truth, Landmark::LeftShoulder).2 - of(truth, Landmark::RightShoulder).2;
    Vector3::new(line.y, -line.x, 0.0).normalize()
}

/// From a person's hips to a dancer's true ones, pixels.
fn away(person: &Person, truth: &Truth) -> f64 {
    let [a, b] = [Landmark::LeftHip, Landmark::RightHip].map(|l| of(truth, l).1);
    let at = person.middle(point::HIPS);
    (at[0] - (a[0] + b[0]) / 2.0).hypot(at[1] - (a[1] + b[1]) / 2.0)
}

/// What was seen of a phone's pictures of a take.
#[derive(Serialize, Deserialize)]
struct Looks {
    /// How many people were found in each picture that was looked at for them, two at most, and how long each took.
    people: Vec<(usize, f64)>,
    /// Pictures and persons in them, by role, with their landmarks and how long these took.
    found: Vec<Found>,
    /// How long all of it took, seconds.
    took: f64,
    /// Whether only one dancer was taken for dancing.
    alone: bool,
}

/// A dancer in a picture: its number, who it was taken for, where, and what was seen.
#[derive(Serialize, Deserialize)]
struct Found {
    picture: usize,
    role: Role,
    person: Person,
    points: Option<BTreeMap<Landmark, Sight>>,
    took: f64,
}

/// The pictures that are looked at.
fn pictures(p: &Performance, phone: usize, times: &[f64]) -> Vec<Picture> {
    let renderer = Renderer::new(p, phone).unwrap();
    let [width, height] = p.phone(phone).size.map(|s| s as usize);
    let one = |t: &f64| {
        let rgba = renderer.frame(*t);
        let rgb = rgba.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]);
        Picture::new(width, height, rgb.collect()).unwrap()
    };
    times.par_iter().map(one).collect()
}

fn moments(p: &Performance) -> Vec<f64> {
    draw::frames(p, SECONDS).iter().map(|t| t.secs()).collect()
}

/// Looks at a phone's pictures of a take as the worker does it.
fn looked((networks, effort): (&dyn Finder, Effort), p: &Performance, phone: usize) -> Looks {
    let times = moments(p);
    let pictures = pictures(p, phone, &times);
    let begun = Instant::now();
    let (crowds, people) = crowds(networks, &pictures, &times);
    let Followed { pairs, alone, .. } = follow(&crowds, &Said::default());
    let moments: Vec<f64> = crowds.iter().map(|c| c.at).collect();
    let tracks = [0, 1].map(|k| pairs.iter().map(|p| p[k]).collect::<Vec<_>>());
    // Which of the two is the leader, by the whole clip: the coach says so with one key.
    let mut votes = 0.0;
    for (t, pair) in moments.iter().zip(&pairs) {
        let [l, f] = truth(p, phone, *t);
        for (person, sign) in pair.iter().zip([1.0, -1.0]) {
            votes += person.map_or(0.0, |a| sign * (away(&a, &f) - away(&a, &l)));
        }
    }
    let order = if votes >= 0.0 { [0, 1] } else { [1, 0] };
    let found = (0..times.len())
        .into_par_iter()
        .flat_map_iter(|i| Role::BOTH.map(|role| (i, role)))
        .map(|(picture, role)| {
            let pair = order.map(|k| at(&moments, &tracks[k], times[picture]));
            let person = pair[role as usize]?;
            let begun = Instant::now();
            let partner = pair[1 - role as usize].as_ref();
            let points = networks
                .dancer(&pictures[picture], &person, partner, effort)
                .unwrap();
            Some(Found {
                picture,
                role,
                person,
                points,
                took: begun.elapsed().as_secs_f64(),
            })
        })
        .flatten()
        .collect();
    Looks {
        people,
        found,
        took: begun.elapsed().as_secs_f64(),
        alone,
    }
}

/// Looks at a phone's pictures, or takes what was kept of looking at them, and compares what is found with what is there.
fn look(
    networks: (&dyn Finder, Effort),
    p: &Performance,
    phone: usize,
    kept: Option<&Path>,
    sums: &mut Sums,
) -> Vec<Sighting> {
    let file = kept.map(|folder| folder.join(format!("{}-{phone}.json", p.scenario().seed)));
    let read = |f: &PathBuf| Some(serde_json::from_slice(&std::fs::read(f).ok()?).unwrap());
    let looks: Looks = file.as_ref().and_then(read).unwrap_or_else(|| {
        let looks = looked(networks, p, phone);
        if let Some(file) = &file {
            std::fs::write(file, serde_json::to_vec(&looks).unwrap()).unwrap();
        }
        looks
    });
    compare(p, phone, looks, sums)
}

/// Compares what was found with what is there.
fn compare(p: &Performance, phone: usize, looks: Looks, sums: &mut Sums) -> Vec<Sighting> {
    let camera = p.phone(phone).camera();
    let times = moments(p);
    let there = Role::BOTH
        .iter()
        .filter(|r| p.scenario().dances(**r))
        .count();
    for (found, took) in &looks.people {
        sums.looks += 1;
        sums.there += there;
        sums.found += *found.min(&there);
        sums.people_time += took;
    }
    let found = looks.found;
    sums.work += looks.took;
    sums.film += 0.08 * times.len() as f64;
    sums.instants += there * times.len();
    sums.takes += 1;
    sums.miscounted += usize::from(looks.alone != (there == 1));
    let sighting = |f: &Found| {
        let (at, points) = (MediaTime::from_secs(times[f.picture]), f.points.clone()?);
        Some(Sighting {
            at,
            role: f.role,
            points,
        })
    };
    let mut sightings: Vec<Sighting> = found.iter().filter_map(sighting).collect();
    over_time(&mut sightings);
    let mut widened = sightings.iter();
    let mut drawn = match std::env::var("PICTURES") {
        Ok(_) => pictures(p, phone, &times),
        Err(_) => Vec::new(),
    };
    for Found {
        picture: i,
        role,
        person,
        points,
        took,
    } in found
    {
        sums.dancers += 1;
        sums.dancer_time += took;
        let both = truth(p, phone, times[i]);
        let own = &both[role as usize];
        let off = away(&person, own);
        let tall = height(own);
        let other = away(&person, &both[1 - role as usize]);
        sums.exchanged += usize::from(there == 2 && other < 0.5 * off && off > 40.0);
        // Nobody who dances: a watcher, or nothing.
        let partner = if there == 2 { other } else { f64::INFINITY };
        let invented = !p.scenario().dances(role) || off.min(partner) > STRANGER * tall;
        sums.invented += usize::from(invented);
        let (Some(points), Some(widened)) = (&points, points.as_ref().and_then(|_| widened.next()))
        else {
            continue;
        };
        if invented {
            continue;
        }
        sums.marked += 1;
        let hips = nalgebra::center(
            &of(own, Landmark::LeftHip).2,
            &of(own, Landmark::RightHip).2,
        );
        let swapped = [&Landmark::ARMS[..], &Landmark::LEGS[1..]].map(|pairs| {
            let miss = |seen: Landmark, true_one: Landmark| {
                let (a, b) = (points[&seen].pixel, of(own, true_one).1);
                (a[0] - b[0]).powi(2) + (a[1] - b[1]).powi(2)
            };
            let sum = |other: bool| -> f64 {
                pairs
                    .iter()
                    .map(|[l, r]| {
                        if other {
                            miss(*l, *r) + miss(*r, *l)
                        } else {
                            miss(*l, *l) + miss(*r, *r)
                        }
                    })
                    .sum()
            };
            sum(true) < sum(false)
        });
        sums.sides[usize::from(swapped[0])][usize::from(swapped[1])] += 1;
        for (name, from, to) in LINES {
            let line = |a: [f64; 2], b: [f64; 2]| [b[0] - a[0], b[1] - a[1]];
            let seen = line(points[&from].pixel, points[&to].pixel);
            let own = line(of(own, from).1, of(own, to).1);
            let long = own[0] * own[0] + own[1] * own[1];
            if long.sqrt() > 0.1 * tall {
                let along = (seen[0] * own[0] + seen[1] * own[1]) / long;
                sums.lines.entry(name).or_default().push(along);
            }
        }
        for (name, from, to) in LINES {
            let line = |a: Point3<f64>, b: Point3<f64>| (a - b).norm();
            let (Some(a), Some(b)) = (points[&from].about_hips, points[&to].about_hips) else {
                continue;
            };
            let ratio = line(a.into(), b.into()) / line(of(own, from).2, of(own, to).2);
            sums.hinted.entry(name).or_default().push(ratio);
        }
        sums.leans.extend(lean_of_hints(&camera, points, own));
        let front = front(own);
        for (l, s) in points {
            let (_, p, joint) = of(own, *l);
            let colour = [[0, 255, 255], [255, 255, 0]][role as usize];
            if let Some(drawn) = drawn.get_mut(i) {
                dot(drawn, s.pixel, colour);
                dot(drawn, *p, [0, 160, 0]);
            }
            sums.errors.entry(*l).or_default().push([
                (s.pixel[0] - p[0]).hypot(s.pixel[1] - p[1]) / tall,
                widened.points[l].sigma / tall,
                (s.pixel[1] - p[1]) / tall,
            ]);
            let step = camera.project(joint + front).unwrap_or_default();
            let (x, y) = (step.x - p[0], step.y - p[1]);
            // A step ahead is as long as one up where it lies along the picture.
            let up = camera.project(joint + Vector3::z()).unwrap_or_default();
            if x.hypot(y) > 0.7 * (up.x - p[0]).hypot(up.y - p[1]) {
                let along = (s.pixel[0] - p[0]) * x + (s.pixel[1] - p[1]) * y;
                let ahead = along / x.hypot(y) / tall;
                sums.ahead.entry(*l).or_default().push(ahead);
            }
            if let Some(h) = s.about_hips {
                sums.hints
                    .push([h[2], camera.depth(*joint) - camera.depth(hips)]);
            }
        }
    }
    if let Ok(folder) = std::env::var("PICTURES") {
        for (picture, t) in drawn.iter().zip(&times) {
            let mut out = format!("P6 {} {} 255\n", picture.width, picture.height).into_bytes();
            out.extend(&picture.rgb);
            let name = format!("{folder}/{}-{phone}-{t:05.2}.ppm", p.scenario().chart);
            std::fs::write(name, out).unwrap();
        }
    }
    sightings
}

/// How far a trunk's hints lean away from the camera beyond how it does, and how far below the level the ray to the hips
/// goes, degrees; and how far they lean to the picture's right beyond how it does.
fn lean_of_hints(
    camera: &Camera,
    points: &BTreeMap<Landmark, Sight>,
    own: &Truth,
) -> Option<[f64; 4]> {
    let mean = |pair: [Landmark; 2]| {
        let [a, b] = pair.map(|l| points[&l].about_hips.map(Vector3::from));
        Some(0.5 * (a? + b?))
    };
    let there = |pair: [Landmark; 2]| {
        let [a, b] = pair.map(|l| of(own, l).2);
        nalgebra::center(&a, &b)
    };
    let [hips, shoulders] = [
        [Landmark::LeftHip, Landmark::RightHip],
        [Landmark::LeftShoulder, Landmark::RightShoulder],
    ];
    let seen = mean(shoulders)? - mean(hips)?;
    let at = there(hips);
    let truth = camera.rotation * (there(shoulders) - at);
    let ray = at - camera.position;
    let below = (-ray.z).atan2(ray.x.hypot(ray.y)).to_degrees();
    // Hints are turned from the ray to the camera's axes by the program.
    let q = camera.rotation * ray;
    let by = Rotation3::rotation_between(&Vector3::z(), &q)?;
    let seen = by * seen;
    let lean = |v: Vector3<f64>, k: usize| v[k].atan2(-v.y).to_degrees();
    let pitch = camera.rotation.inverse() * Vector3::z();
    Some([
        lean(seen, 2) - lean(truth, 2),
        lean(seen, 0) - lean(truth, 0),
        below,
        (-pitch.z).asin().to_degrees(),
    ])
}

/// A dancer's height in the picture, pixels.
fn height(own: &Truth) -> f64 {
    let ys = || own.iter().map(|(_, p, _)| p[1]);
    1.06 * (ys().fold(0.0, f64::max) - ys().fold(f64::MAX, f64::min)).max(1.0)
}

fn main() -> ExitCode {
    let takes = argument("--takes", 12);
    let seed = argument("--seed", rand::random::<u32>().into());
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/files"));
    let networks = Networks::read(&folder).unwrap_or_else(|e| panic!("{e}"));
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut sums = Sums::default();
    let mut rows = BTreeMap::new();
    let mut by_hand = marked::Marked::default();
    let mut said = said::Said::default();
    let kept = text("--keep").map(PathBuf::from);
    if let Some(folder) = &kept {
        std::fs::create_dir_all(folder).unwrap();
    }
    let effort = match text("--effort").as_deref() {
        Some("harder") => Effort::Harder,
        _ => Effort::Usual,
    };
    let scenes = text("--scenes");
    let scenes = scene::Scenes::named(scenes.as_deref().unwrap_or("phones"));
    if std::env::args().any(|a| a == "--finding") {
        return finding::run(&networks, (takes, &mut rng), scenes, kept.as_deref());
    }
    for i in 0..takes {
        let mut scenario = draw::draw(&mut rng);
        scenes.change(
            &mut scenario,
            &mut ChaCha8Rng::seed_from_u64(rng.next_u64()),
        );
        let p = Performance::new(&scenario).unwrap();
        let row = draw::Row::Network(if i % 3 == 2 { 2 } else { 1 });
        let marked = draw::marked_by(&p, row, scenario.seed, &mut |phone| {
            look((&networks, effort), &p, phone, kept.as_deref(), &mut sums)
        });
        if let Some((marks, films)) = marked {
            let of = rows.entry(row).or_default();
            if !bodies::take(&p, row, (&marks, &films), of) {
                eprintln!("not solved: {} by {}", scenario.chart, row.name());
            }
            by_hand.compare(&p, (&marks, &films));
            said.compare(&p, row, (&marks, &films));
        }
    }
    let share = |n: usize, of: usize| 100.0 * n as f64 / of.max(1) as f64;
    println!("seed {seed}, {takes} takes");
    println!(
        "people found: {:.1} % of {}",
        share(sums.found, sums.there),
        sums.there
    );
    println!(
        "dancers marked: {:.1} % of {}; with the partner's name {:.1} %; others for dancers {:.1} %; takes of one for two or two for one {} of {}",
        share(sums.marked, sums.instants),
        sums.instants,
        share(sums.exchanged, sums.dancers),
        share(sums.invented, sums.dancers),
        sums.miscounted,
        sums.takes
    );
    println!("{}", scene::leans(&sums.leans));
    println!(
        "people {:.0} ms a picture, dancer {:.0} ms; all on {} threads {:.2} times as long as the film",
        1e3 * sums.people_time / sums.looks.max(1) as f64,
        1e3 * sums.dancer_time / sums.dancers.max(1) as f64,
        rayon::current_num_threads(),
        sums.work / sums.film
    );
    println!(
        "left and right exchanged: arms only {:.1} %, legs only {:.1} %, both {:.1} %",
        share(sums.sides[1][0], sums.marked),
        share(sums.sides[0][1], sums.marked),
        share(sums.sides[1][1], sums.marked)
    );
    for (name, all) in &mut sums.lines {
        let hinted = sums.hinted.get_mut(name).map_or_else(
            || "not hinted".to_owned(),
            |h| format!("hinted {:.2} times as long", quantile(h, 0.5)),
        );
        println!(
            "{name} seen {:.2} times as long, the other way round {:.0} %; {hinted}",
            quantile(all, 0.5),
            share(all.iter().filter(|v| **v < 0.0).count(), all.len()),
        );
    }
    let Sums {
        mut errors,
        mut ahead,
        hints,
        ..
    } = sums;
    println!(
        "{:14} {:>7} {:>7} {:>7} {:>7} {:>7} {:>6} {:>6} {:>6}",
        "landmark", "median", "90 %", "too low", "ahead", "σ med", "in 1σ", "in 2σ", "wild"
    );
    let (mut all, mut within) = (Vec::new(), [0.0; 2]);
    for (l, list) in &mut errors {
        let mut e: Vec<f64> = list.iter().map(|v| 100.0 * v[0]).collect();
        let mut s: Vec<f64> = list.iter().map(|v| 100.0 * v[1]).collect();
        let mut low: Vec<f64> = list.iter().map(|v| 100.0 * v[2]).collect();
        // Two axes: a radius of 1.52 σ holds 68 %, of 2.49 σ 95 %.
        let inside = |k: f64| {
            100.0 * list.iter().filter(|v| v[0] < k * v[1]).count() as f64 / list.len() as f64
        };
        let wild =
            100.0 * list.iter().filter(|v| v[0] > 5.0 * v[1]).count() as f64 / list.len() as f64;
        println!(
            "{:14} {:7.2} {:7.2} {:+7.2} {:+7.2} {:7.2} {:6.0} {:6.0} {:6.1}",
            format!("{l:?}"),
            quantile(&mut e, 0.5),
            quantile(&mut e, 0.9),
            quantile(&mut low, 0.5),
            100.0 * quantile(ahead.entry(*l).or_default(), 0.5),
            quantile(&mut s, 0.5),
            inside(1.52),
            inside(2.49),
            wild
        );
        all.extend(e);
        for (sum, k) in within.iter_mut().zip([1.52, 2.49]) {
            *sum += inside(k) * list.len() as f64;
        }
    }
    let [one, two] = within.map(|sum| sum / all.len() as f64);
    println!(
        "all: median {:.2} % of height, 90 % {:.2} %; within 1σ {one:.0} %, 2σ {two:.0} %",
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
    let (lines, missed) = bodies::table(&rows);
    println!("{lines}\n{}", bodies::by_nearness(&rows));
    println!("{}", bodies::by_pitch(&rows));
    println!("{}", by_hand.table());
    println!("{}", said.table());
    for m in &missed {
        eprintln!("missed: {m}");
    }
    if missed.is_empty() {
        ExitCode::SUCCESS
    } else {
        ExitCode::FAILURE
    }
}
