//! The networks on film of real people: `make film-accuracy`.
//!
//! Nothing is known of it but what four cameras say of the same man. What one of them finds is held against what the
//! three others say together, their errors counted; bodies that are solved from one camera are held against landmarks of
//! the three others alike. The film is fetched by a script, used for measuring and never shown.

#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

mod cameras;
#[allow(dead_code)]
#[path = "../../../studio/examples/accuracy/posture.rs"]
mod posture;
#[path = "../pose_accuracy/searched.rs"]
mod searched;
#[allow(dead_code)]
#[path = "../../../studio/examples/accuracy/tally.rs"]
mod tally;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};
use std::time::Instant;

use nalgebra::{Matrix3, Point3, Vector3};
use rayon::prelude::*;
use upright_core::body::Landmark;
use upright_core::body::solve::Posture;
use upright_core::body::track::Sighting;
use upright_core::camera::Camera;
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::marks::{AngleMarks, FloorReference, Marks};
use upright_core::measure::{CoupleBody, PLACE};
use upright_core::take::{Film, Solved, Take, solve_take};
use upright_core::units::{Estimate, Foot, MediaTime, Role, wrap_degrees};
use upright_pose::follow::{Followed, Pick, Said, at, follow};
use upright_pose::sure::over_time;
use upright_pose::{Effort, Finder, Networks, Person, Picture, point};

use posture::{foot, lean, yaw};
use tally::Tally;

/// Pictures a second that the worker looks at, at most.
const LOOKS: f64 = 12.5;

/// The rectangle that is taken for the floor's reference, metres.
const REFERENCE: [f64; 2] = [1.6, 1.6];

/// Share of a man's height at which his nose is, standing upright (Drillis and Contini, 1966, give 0.936 for the eyes).
const NOSE: f64 = 0.92;

/// A foot stands whose heel and toe are lower than this, metres.
const LOW: f64 = 0.06;

/// A trunk is bent that is further from upright than this, degrees.
const BENT: f64 = 12.0;

/// A film's pictures with their moments.
struct Shown {
    times: Vec<f64>,
    pictures: Vec<Picture>,
}

/// Reads the pictures of a film that the worker would look at.
fn read(file: &Path, [width, height]: [usize; 2], rate: f64) -> Shown {
    let every = (rate / LOOKS).ceil() as usize;
    let out = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(file)
        .arg("-vf")
        .arg(format!(
            "select='not(mod(n,{every}))',scale={width}:{height}"
        ))
        .args([
            "-fps_mode",
            "passthrough",
            "-f",
            "rawvideo",
            "-pix_fmt",
            "rgb24",
            "pipe:1",
        ])
        .output()
        .unwrap_or_else(|e| panic!("ffmpeg: {e}"));
    let pictures: Vec<Picture> = out
        .stdout
        .chunks_exact(3 * width * height)
        .map(|rgb| Picture::new(width, height, rgb.to_vec()).unwrap())
        .collect();
    assert!(
        !pictures.is_empty(),
        "no picture of {} can be read",
        file.display()
    );
    let times = (0..pictures.len())
        .map(|k| (every * k) as f64 / rate)
        .collect();
    Shown { times, pictures }
}

/// Somebody's landmarks in a film's pictures, as the worker finds them, and how long a look took, milliseconds.
fn landmarks(
    networks: &dyn Finder,
    effort: Effort,
    film: &Shown,
    (moments, seen): (&[f64], &[Option<Person>]),
) -> (Vec<Sighting>, f64) {
    let found: Vec<(Sighting, f64)> = film
        .pictures
        .par_iter()
        .zip(&film.times)
        .filter_map(|(picture, t)| {
            let person = at(moments, seen, *t)?;
            let begun = Instant::now();
            let points = networks.dancer(picture, &person, None, effort).unwrap()?;
            let took = 1e3 * begun.elapsed().as_secs_f64();
            let at = MediaTime::from_secs(*t);
            let role = Role::Leader;
            Some((Sighting { at, role, points }, took))
        })
        .collect();
    let took = found.iter().map(|f| f.1).sum::<f64>() / found.len().max(1) as f64;
    let mut track: Vec<Sighting> = found.into_iter().map(|f| f.0).collect();
    over_time(&mut track);
    (track, took)
}

fn hips(p: &Person) -> [f64; 2] {
    p.middle(point::HIPS)
}

/// What others say of a body: places and how surely, by landmark.
type Told = BTreeMap<Landmark, (Point3<f64>, Matrix3<f64>)>;

/// What the other cameras say at a moment.
fn told(cameras: &[Camera], tracks: &[Vec<Sighting>], but: usize, t: f64) -> Told {
    let sights: Vec<(&Camera, &Sighting)> = (0..cameras.len())
        .filter(|k| *k != but)
        .filter_map(|k| {
            let s = tracks[k].iter().find(|s| (s.at.secs() - t).abs() < 0.005)?;
            Some((&cameras[k], s))
        })
        .collect();
    Landmark::ALL
        .into_iter()
        .filter_map(|l| {
            let seen: Vec<_> = sights
                .iter()
                .filter_map(|(c, s)| s.points.get(&l).map(|p| (*c, p.pixel, p.sigma)))
                .collect();
            (seen.len() >= 2)
                .then(|| cameras::triangulated(&seen))
                .flatten()
                .map(|t| (l, t))
        })
        .collect()
}

/// One camera's landmarks against what the others say.
#[derive(Default)]
struct Points(BTreeMap<Landmark, Vec<[f64; 3]>>);

impl Points {
    fn add(&mut self, camera: &Camera, s: &Sighting, told: &Told) {
        let pixels: Vec<f64> = told
            .values()
            .filter_map(|t| Some(camera.project(t.0)?.y))
            .collect();
        let [low, high] = [f64::MIN, f64::MAX].map(|from| {
            pixels
                .iter()
                .copied()
                .fold(from, if from < 0.0 { f64::max } else { f64::min })
        });
        let tall = 1.06 * (low - high).max(1.0);
        for (l, seen) in &s.points {
            let Some((place, covariance)) = told.get(l) else {
                continue;
            };
            let Some(q) = camera.project(*place) else {
                continue;
            };
            // The others' error, seen from here.
            let metre = camera.focal / camera.depth(*place);
            let others = metre * (covariance.trace() / 3.0).sqrt();
            self.0.entry(*l).or_default().push([
                (seen.pixel[0] - q.x).hypot(seen.pixel[1] - q.y) / tall,
                seen.sigma.hypot(others) / tall,
                (seen.pixel[1] - q.y) / tall,
            ]);
        }
    }

    fn print(&self, missed: &mut Vec<String>) {
        println!(
            "\n| landmark | median, % of the height | 90 % | too low | within 1σ | within 2σ | sights |\n|---|---|---|---|---|---|---|"
        );
        let all = self.0.values().flatten().copied().collect::<Vec<_>>();
        let lines = self.0.iter().map(|(l, v)| (format!("{l:?}"), v.clone()));
        for (name, mut v) in lines.chain([("all".to_owned(), all)]) {
            // Two axes: a radius of 1.52 σ holds 68 %, of 2.49 σ 95 %.
            let [one, two] = [1.52, 2.49].map(|k| {
                100.0 * v.iter().filter(|e| e[0] < k * e[1]).count() as f64 / v.len() as f64
            });
            let mut at = |k: usize, q: f64| {
                v.sort_by(|a, b| a[k].total_cmp(&b[k]));
                100.0 * v[((v.len() - 1) as f64 * q).round() as usize][k]
            };
            let (half, most, low) = (at(0, 0.5), at(0, 0.9), at(2, 0.5));
            println!(
                "| {name} | {half:.2} | {most:.2} | {low:+.2} | {one:.0} % | {two:.0} % | {} |",
                v.len()
            );
            if name == "all" {
                honest("landmarks", [one, two], missed);
            }
        }
    }
}

/// Notes what is claimed more or less surely than it is: 68 ± 8 % within 1σ and 95 ± 3 % within 2σ are asked.
fn honest(of: &str, [one, two]: [f64; 2], missed: &mut Vec<String>) {
    if !(60.0..=76.0).contains(&one) || !(92.0..=98.0).contains(&two) {
        missed.push(format!(
            "honesty of {of}: {one:.0} % within 1σ, {two:.0} % within 2σ"
        ));
    }
}

/// Errors of bodies that one camera's landmarks are solved to, by measure.
#[derive(Default)]
struct Bodies([Tally; 6]);

impl Bodies {
    fn print(&self, missed: &mut Vec<String>) {
        println!(
            "\n| one camera's bodies | median | 90 % | bias | within 1σ | within 2σ | not visible | readings |\n|---|---|---|---|---|---|---|---|"
        );
        let names = [
            "foot, cm",
            "lean fore and aft, upright, °",
            "lean sideways, upright, °",
            "torso yaw, °",
            "lean fore and aft, bent, °",
            "lean sideways, bent, °",
        ];
        for (name, t) in names.iter().zip(&self.0) {
            println!(
                "| {name} | {:.2} | {:.2} | {:+.2} | {:.0} % | {:.0} % | {:.0} % | {} |",
                t.quantile(0.5),
                t.quantile(0.9),
                t.bias(),
                100.0 * t.within(1.0),
                100.0 * t.within(2.0),
                100.0 * t.unseen as f64 / (t.errors.len() + t.unseen).max(1) as f64,
                t.errors.len(),
            );
            honest(name, [1.0, 2.0].map(|k| 100.0 * t.within(k)), missed);
        }
    }

    /// Solves the bodies of one camera's film alone, and those of the three others together in the same world.
    fn add(&mut self, shot: &Shot, camera: usize) {
        let [own, others] = [&[camera][..], &shot.but(camera)].map(|of| shot.solved(camera, of));
        let last = |b: &Solved| b.of(Role::Leader).cloned();
        let (Some(bodies), Some(others)) = (last(&own), last(&others)) else {
            println!("  camera {} alone or the others: not solved", camera + 1);
            return;
        };
        for (k, t) in bodies.at.iter().enumerate() {
            let Some(o) = others.at.iter().position(|at| (at - t).abs() < 0.005) else {
                continue;
            };
            // What is said of both, and the difference with both errors.
            let of = |f: &dyn Fn(&Posture) -> f64| {
                let truth = others.value(o, |b| Some(f(&b)))?;
                Some((bodies.value(k, |b| Some(f(&b)))?, truth))
            };
            let mut add = |m: usize, f: &dyn Fn(&Posture) -> f64, most: f64| {
                let Some((e, truth)) = of(f) else { return };
                let e = (e.sigma <= most).then(|| Estimate {
                    value: e.value,
                    sigma: e.sigma.hypot(truth.sigma),
                });
                self.0[m].add(e, truth.value, f64::INFINITY, m == 3);
            };
            for side in [Foot::Left, Foot::Right] {
                let low = |l: Landmark| others.joint(o, l).z < LOW;
                if Landmark::heel_toe(side).into_iter().all(low) {
                    for axis in 0..2 {
                        add(0, &|b| 100.0 * foot(b, side)[axis], 100.0 * PLACE);
                    }
                }
            }
            let [ahead, aside] = [false, true].map(|w| others.value(o, |b| Some(lean(&b, w))));
            let bent = ahead
                .zip(aside)
                .is_some_and(|(a, b)| a.value.hypot(b.value) >= BENT);
            let classes = if bent { [4, 5] } else { [1, 2] };
            for (m, sideways) in classes.into_iter().zip([false, true]) {
                add(m, &|b| lean(b, sideways), 3.0);
            }
            let about = others.value(o, |b| Some(yaw(&b))).map_or(0.0, |e| e.value);
            add(3, &|b| about + wrap_degrees(yaw(b) - about), 8.0);
        }
    }
}

/// The four cameras with what was found in their films.
struct Shot<'a> {
    cameras: &'a [Camera],
    sizes: [[usize; 2]; 4],
    tracks: &'a [Vec<Sighting>],
    height: f64,
    /// The platform's middle.
    stands: Point3<f64>,
}

impl Shot<'_> {
    fn but(&self, camera: usize) -> Vec<usize> {
        (0..self.cameras.len()).filter(|k| *k != camera).collect()
    }

    /// The bodies by some of the films, in a world whose second axis leads away from a camera: the floor of each is known
    /// from a rectangle about the man.
    fn solved(&self, seen_from: usize, of: &[usize]) -> Solved {
        let away = (self.stands - self.cameras[seen_from].position)
            .xy()
            .normalize();
        let (right, away) = (Vector3::new(away.y, -away.x, 0.0), away.push(0.0));
        let middle = Point3::new(self.stands.x, self.stands.y, 0.0);
        let floor = |camera: &Camera| {
            let mut reference = FloorReference::rectangle(REFERENCE[0], REFERENCE[1]);
            for (k, [x, y]) in reference.places().into_iter().enumerate() {
                let q = camera.project(middle + right * x + away * y);
                reference.points[k] = q.map(|q| [q.x, q.y]);
            }
            Some(reference)
        };
        let mut marks = Marks::default();
        for (k, camera) in of.iter().enumerate() {
            if k == 0 {
                marks.floor = floor(&self.cameras[*camera]);
            } else {
                let angle = AngleMarks {
                    floor: floor(&self.cameras[*camera]),
                    ..AngleMarks::default()
                };
                marks.angles.insert(k as u8 + 1, angle);
            }
        }
        let films: Vec<Film> = of
            .iter()
            .map(|k| Film {
                track: self.tracks[*k].clone(),
                ..Film::new(self.sizes[*k].map(|s| s as f64))
            })
            .collect();
        let take = Take {
            marks: &marks,
            couple: CoupleBody {
                heights: [self.height; 2],
                frame_limit: None,
            },
            films: &films,
            shelf: &Shelf::default(),
            rules: Rules::usual(),
        };
        solve_take(&take, None)
    }
}

/// How many were found in a film's pictures and who was followed, with nothing said.
fn said_nothing(crowds: &[upright_pose::follow::Crowd]) -> String {
    let Followed {
        pairs,
        alone,
        others,
    } = follow(crowds, &Said::default());
    let share = |k: usize| {
        100.0 * pairs.iter().filter(|p| p[k].is_some()).count() as f64 / pairs.len() as f64
    };
    format!(
        "{}, followed in {:.0} and {:.0} % of {} pictures, at most {others} beside",
        if alone { "one dancer" } else { "two dancers" },
        share(0),
        share(1),
        pairs.len()
    )
}

fn main() -> ExitCode {
    let mut missed = Vec::new();
    let folder = PathBuf::from(
        std::env::args()
            .nth(1)
            .unwrap_or_else(|| "target/film".into()),
    );
    let models = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/files"));
    let networks = Networks::read(&models).unwrap_or_else(|e| panic!("{e}"));
    let page = std::fs::read_to_string(folder.join("cameras.xml")).unwrap();
    let (cameras, off) = cameras::refine(&cameras::read(&page));
    println!(
        "fixed points of the four cameras: {:.1} pixels off as given, {:.1} refined",
        off[0], off[1]
    );
    for c in &cameras {
        let ahead = c.rotation.inverse() * Vector3::z();
        println!(
            "  {:.1} m high, looks {:.0}° down",
            c.position.z,
            (-ahead.z).asin().to_degrees()
        );
    }
    let stands = cameras::platform(&cameras);
    let sizes = [[720, 1280], [720, 1280], [726, 1280], [726, 1280]];
    let films: Vec<Shown> = (0..4)
        .map(|k| read(&folder.join(format!("cam{}.mp4", k + 1)), sizes[k], 60.0))
        .collect();
    println!("\nA man alone, two of the four films with a bystander:\n");
    let mut people = Vec::new();
    for (k, film) in films.iter().enumerate() {
        let (crowds, _) = searched::crowds(&networks, &film.pictures, &film.times);
        let pixel = cameras[k].project(stands + 0.9 * Vector3::z()).unwrap();
        let meant = |c: &&upright_pose::follow::Crowd| {
            c.people.iter().any(|p| {
                let [x, y] = hips(p);
                (x - pixel.x).hypot(y - pixel.y) < 130.0
            })
        };
        let found = crowds.iter().filter(meant).count();
        let middle = film.times[film.times.len() / 2];
        let picks = vec![Pick {
            at: middle,
            pixel: [pixel.x, pixel.y],
            which: 0,
        }];
        let followed = follow(&crowds, &Said { picks, one: true });
        let kept = followed.pairs.iter().flatten().flatten().filter(|p| {
            let [x, y] = hips(p);
            (x - pixel.x).hypot(y - pixel.y) < 130.0
        });
        println!(
            "- camera {}: the man found in {found} of {} pictures; nothing said: {}; pointed at: followed in {}",
            k + 1,
            crowds.len(),
            said_nothing(&crowds),
            kept.count(),
        );
        let moments: Vec<f64> = crowds.iter().map(|c| c.at).collect();
        people.push((
            moments,
            followed.pairs.iter().map(|p| p[0]).collect::<Vec<_>>(),
        ));
    }
    for effort in [Effort::Usual, Effort::Harder] {
        let mut took = 0.0;
        let tracks: Vec<Vec<Sighting>> = films
            .iter()
            .zip(&people)
            .map(|(film, (moments, seen))| {
                let (track, ms) = landmarks(&networks, effort, film, (moments, seen));
                took += ms / 4.0;
                track
            })
            .collect();
        println!("\n{effort:?} network, {took:.0} ms a look:");
        let mut points = Points::default();
        for (k, track) in tracks.iter().enumerate() {
            for s in track {
                points.add(&cameras[k], s, &told(&cameras, &tracks, k, s.at.secs()));
            }
        }
        points.print(&mut missed);
        let noses: Vec<f64> = films[0]
            .times
            .iter()
            .filter_map(|t| Some(told(&cameras, &tracks, 4, *t).get(&Landmark::Nose)?.0.z))
            .collect();
        let height = noses.iter().copied().fold(0.0, f64::max) / NOSE;
        println!("\nHeight {height:.2} m by the highest nose.");
        let mut bodies = Bodies::default();
        let shot = Shot {
            cameras: &cameras,
            sizes,
            tracks: &tracks,
            height,
            stands,
        };
        for k in 0..cameras.len() {
            bodies.add(&shot, k);
        }
        bodies.print(&mut missed);
    }
    println!("\nA woman who walks, filmed from the side:\n");
    let walk = read(&folder.join("walk.mp4"), [1280, 720], 30.0);
    let (crowds, _) = searched::crowds(&networks, &walk.pictures, &walk.times);
    println!("- {}", said_nothing(&crowds));
    for m in &missed {
        eprintln!("missed: {m}");
    }
    if missed.is_empty() {
        ExitCode::SUCCESS
    } else {
        ExitCode::FAILURE
    }
}
