//! Fresh takes and how they are marked, by hand or by the simulated detector.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};

use nalgebra::Point3;
use rand::seq::IndexedRandom as _;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::{Distribution, StandardNormal};
use upright_core::body::Pose;
use upright_core::body::track::Sighting;
use upright_core::chart::{Chart, Shelf, charts};
use upright_core::fault::Rules;
use upright_core::marks::{AngleMarks, CountSource, FloorReference, Marks, StepMark};
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Solved, Take, solve_take};
use upright_core::units::{MediaTime, Role};
use upright_studio::{Detector, Performance, Phone, Scenario, Shown, detect, showable, track};

use upright_core::body::Landmark as L;

/// Whether each miss is written to the standard error.
pub static TELL: AtomicBool = AtomicBool::new(false);

/// Whether each miss is to be told.
pub fn telling() -> bool {
    TELL.load(Ordering::Relaxed)
}

/// Standard error of a hand's mark, pixels.
const HAND: f64 = 1.5;

/// Standard error of an arrival called by hand, seconds: half a frame and the eye.
const CALL: f64 = 0.014;

/// A way of marking and the number of cameras.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Row {
    Hand(usize),
    Automatic(usize),
    /// The real networks on rendered pictures, in `make pose-accuracy`.
    #[allow(dead_code)]
    Network(usize),
}

pub const ROWS: [Row; 4] = [
    Row::Hand(1),
    Row::Hand(2),
    Row::Automatic(1),
    Row::Automatic(2),
];

impl Row {
    pub fn name(self) -> &'static str {
        match self {
            Self::Hand(1) => "hand, 1 camera",
            Self::Hand(_) => "hand, 2 cameras",
            Self::Automatic(1) => "automatic, 1 camera",
            Self::Automatic(_) => "automatic, 2 cameras",
            Self::Network(1) => "networks, 1 camera",
            Self::Network(_) => "networks, 2 cameras",
        }
    }

    pub fn cameras(self) -> usize {
        match self {
            Self::Hand(n) | Self::Automatic(n) | Self::Network(n) => n,
        }
    }
}

/// A take with these faults of a figure, from two places.
pub fn take_of(
    chart: &Chart,
    faults: Vec<Shown>,
    repetitions: u32,
    rng: &mut ChaCha8Rng,
) -> Scenario {
    let phone = |bearing: f64, rng: &mut ChaCha8Rng| Phone {
        bearing,
        distance: rng.random_range(4.6..5.6),
        height: rng.random_range(1.3..1.8),
        view: rng.random_range(60.0..70.0),
        roll: rng.random_range(-2.0..2.0),
        ..Phone::default()
    };
    let first = rng.random_range(-30.0..30.0);
    let apart = rng.random_range(60.0..100.0) * if rng.random_bool(0.5) { 1.0 } else { -1.0 };
    Scenario {
        chart: chart.id.clone(),
        bpm: rng.random_range(chart.tempo[0]..=chart.tempo[1]),
        repetitions,
        heights: [rng.random_range(1.62..1.95), rng.random_range(1.5..1.85)],
        people: [rng.random(), rng.random()],
        faults,
        phones: vec![phone(first, rng), phone(first + apart, rng)],
        seed: rng.random(),
        ..Scenario::default()
    }
}

/// A figure of the library in which every second dancer shows some fault, as people do.
pub fn draw(rng: &mut ChaCha8Rng) -> Scenario {
    let chart = charts().choose(rng).unwrap();
    let mut faults = Vec::new();
    for role in Role::BOTH {
        if rng.random_bool(0.5) {
            let fits: Vec<_> = showable()
                .iter()
                .filter(|k| k.by.can_be(role) && !k.counts(chart, role).is_empty())
                .collect();
            faults.push(Shown::new(fits.choose(rng).unwrap().id, role));
        }
    }
    take_of(chart, faults, 2, rng)
}

/// The reference's eight points in a phone's picture as marked by hand; none where one is out of sight.
fn floor(s: &Scenario, phone: usize, rng: &mut ChaCha8Rng) -> Option<FloorReference> {
    let camera = s.phones[phone].camera();
    let [length, width] = s.reference;
    let mut reference = FloorReference::rectangle(length, width);
    for (point, place) in reference.places().iter().enumerate() {
        let q = camera.project(Point3::new(place[0], place[1], 0.0))?;
        reference.points[point] = Some([q.x + HAND * noise(rng), q.y + HAND * noise(rng)]);
    }
    Some(reference)
}

/// Both dancers solved from these marks and films, their reach not known.
pub fn solve(p: &Performance, marks: &Marks, films: &[Film]) -> Solved {
    let take = Take {
        marks,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films,
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    solve_take(&take, None)
}

fn noise(rng: &mut ChaCha8Rng) -> f64 {
    StandardNormal.sample(rng)
}

/// When the coach calls each arrival, by role in the order of the performance's arrivals, seconds.
fn called(p: &Performance, rng: &mut ChaCha8Rng) -> [Vec<f64>; 2] {
    Role::BOTH.map(|role| {
        let arrivals = p.arrivals(role).iter();
        arrivals.map(|a| a.at + CALL * noise(rng)).collect()
    })
}

/// Poses of a phone marked by hand where each arrival is called.
pub fn by_hand(
    p: &Performance,
    phone: usize,
    called: &[Vec<f64>; 2],
    rng: &mut ChaCha8Rng,
) -> Vec<Pose> {
    let camera = p.phone(phone).camera();
    let [wide, high] = p.phone(phone).picture();
    let mut out = Vec::new();
    for role in Role::BOTH {
        for at in &called[role as usize] {
            let body = &p.bodies(*at)[role as usize];
            let mut points = BTreeMap::new();
            for landmark in L::ALL {
                // Nobody marks what is out of the picture.
                let q = camera.project(body.joint(landmark));
                let inside = |q: &nalgebra::Point2<f64>| {
                    (0.0..wide).contains(&q.x) && (0.0..high).contains(&q.y)
                };
                if let Some(q) = q.filter(inside) {
                    points.insert(landmark, [q.x + HAND * noise(rng), q.y + HAND * noise(rng)]);
                }
            }
            out.push(Pose {
                role,
                at: MediaTime::from_secs(*at),
                points,
            });
        }
    }
    out.sort_by_key(|p| (p.at, p.role));
    out
}

/// What the detector sees, with everything it does wrong.
fn by_detector(p: &Performance, phone: usize, seed: u64) -> Vec<Sighting> {
    let detector = Detector {
        seed: seed + phone as u64,
        ..Detector::default()
    };
    track(&detect(p, phone, &frames(p, f64::INFINITY), &detector))
}

/// Moments of the pictures that are looked at, of so many seconds of a take.
pub fn frames(p: &Performance, seconds: f64) -> Vec<MediaTime> {
    let from = p.scenario().lead_in - 0.4;
    (0..)
        .map(|i| from + 0.08 * f64::from(i))
        .take_while(|t| *t < p.length() - 0.6 && *t < from + seconds)
        .map(MediaTime::from_secs)
        .collect()
}

/// Marks and films of a take in one row: figure, count, floor, and bodies by hand or by the detector. By
/// hand the coach says which foot arrived and when. None where the reference is out of a picture.
pub fn marked(p: &Performance, row: Row, seed: u64) -> Option<(Marks, Vec<Film>)> {
    marked_by(p, row, seed, &mut |phone| by_detector(p, phone, seed))
}

/// The same with somebody else's sights of a phone's pictures.
pub fn marked_by(
    p: &Performance,
    row: Row,
    seed: u64,
    sights: &mut dyn FnMut(usize) -> Vec<Sighting>,
) -> Option<(Marks, Vec<Film>)> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let s = p.scenario();
    let mut marks = Marks {
        chart: Some(s.chart.clone()),
        repetitions: s.repetitions,
        count: Some(CountSource::Tempo {
            bpm: s.bpm,
            one: MediaTime::from_secs(p.grid().time_of(0.0).secs() + 0.005 * noise(&mut rng)),
        }),
        ..Marks::default()
    };
    let called = called(p, &mut rng);
    let mut films = Vec::new();
    for phone in 0..row.cameras() {
        let floor = floor(s, phone, &mut rng)?;
        let mut film = Film::new(s.phones[phone].picture());
        let mut poses = Vec::new();
        match row {
            Row::Hand(_) => poses = by_hand(p, phone, &called, &mut rng),
            Row::Automatic(_) | Row::Network(_) => film.track = sights(phone),
        }
        films.push(film);
        if phone == 0 {
            (marks.floor, marks.poses) = (Some(floor), poses);
        } else {
            let angle = AngleMarks {
                floor: Some(floor),
                poses,
            };
            marks.angles.insert(phone as u8 + 1, angle);
        }
    }
    if matches!(row, Row::Hand(_)) {
        for role in Role::BOTH {
            for (a, at) in p.arrivals(role).iter().zip(&called[role as usize]) {
                marks.steps.push(StepMark {
                    role,
                    foot: a.foot,
                    at: MediaTime::from_secs(*at),
                    weight: a.weight,
                });
            }
        }
    }
    Some((marks, films))
}
