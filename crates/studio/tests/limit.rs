//! The couple's frame limit, found in simulated takes in which they step apart.
#![allow(clippy::unwrap_used, clippy::panic)]

use upright_core::analyse::analyse;
use upright_core::body::Landmark;
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::marks::Marks;
use upright_core::measure::{CoupleBody, Reading};
use upright_core::take::{Film, Solved, Take, solve_take};
use upright_core::units::{Foot, MediaTime, Role};
use upright_studio::{
    Body, Detector, Hand, Performance, Phone, Scenario, detect, known, marks, track,
};

/// The drill of a couple of these heights, filmed from two sides.
fn drill(heights: [f64; 2], seed: u64) -> Performance {
    let second = Phone {
        bearing: 70.0,
        ..Phone::default()
    };
    Performance::new(&Scenario {
        chart: "block-spacing".into(),
        bpm: 72.0,
        repetitions: 1,
        heights,
        phones: vec![Phone::default(), second],
        seed,
        ..Scenario::default()
    })
    .unwrap()
}

fn elbow(body: &Body, side: Foot) -> f64 {
    let [s, e, w] = Landmark::arm(side).map(|l| body.joint(l).coords);
    (s - e).angle(&(w - e)).to_degrees()
}

fn apart(bodies: &[Body; 2]) -> f64 {
    let feet = [Foot::Left, Foot::Right].map(Landmark::heel_toe);
    let middle = |b: &Body| {
        let sum: nalgebra::Vector2<f64> = feet
            .as_flattened()
            .iter()
            .map(|l| b.joint(*l).coords.xy())
            .sum();
        sum / 4.0
    };
    (middle(&bodies[0]) - middle(&bodies[1])).norm()
}

/// Where the arms of one of the two are first 150° open.
fn truly(p: &Performance) -> f64 {
    let mut before: Option<(f64, f64)> = None;
    for i in 0.. {
        let bodies = p.bodies(p.scenario().lead_in + 0.02 * f64::from(i));
        let open = |b: &Body| 0.5 * (elbow(b, Foot::Left) + elbow(b, Foot::Right));
        let now = (apart(&bodies), open(&bodies[0]).max(open(&bodies[1])));
        if now.1 >= 150.0 {
            let (gap, open) = before.unwrap();
            return gap + (150.0 - open) / (now.1 - open) * (now.0 - gap);
        }
        before = Some(now);
    }
    unreachable!()
}

/// What a take tells of it, by a detector on so many films.
fn by_detector(p: &Performance, films: usize, most: f64) -> Reading {
    let mut m = Marks::default();
    for command in marks(p, 0, &p.frame_times(0), &Hand::exact()) {
        let _ = command.apply(&mut m);
    }
    m.poses.clear();
    m.steps.clear();
    let end = most.min(p.length() - 0.5);
    let frames: Vec<MediaTime> = (0..)
        .map(|i| p.scenario().lead_in + 0.08 * f64::from(i))
        .take_while(|t| *t < end)
        .map(MediaTime::from_secs)
        .collect();
    let films: Vec<Film> = (0..films)
        .map(|phone| {
            let detector = Detector {
                seed: p.scenario().seed + phone as u64,
                ..Detector::default()
            };
            let mut film = Film::new(p.phone(phone).picture());
            film.track = track(&detect(p, phone, &frames, &detector));
            film
        })
        .collect();
    told(p, &m, &films, None).unwrap()
}

/// What bodies tell that are known without error.
fn by_truth(p: &Performance) -> Option<Reading> {
    let mut m = Marks::default();
    for command in marks(p, 0, &p.frame_times(0), &Hand::exact()) {
        let _ = command.apply(&mut m);
    }
    let solved = Solved::known(Role::BOTH.map(|r| known(p, r)));
    told(p, &m, &[Film::new(p.phone(0).picture())], Some(solved))
}

fn told(p: &Performance, m: &Marks, films: &[Film], solved: Option<Solved>) -> Option<Reading> {
    let take = Take {
        marks: m,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films,
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let solved = solved.unwrap_or_else(|| solve_take(&take, None));
    analyse(&take, Some(&solved)).frame_limit
}

const COUPLES: [[f64; 2]; 5] = [
    [1.76, 1.60],
    [1.68, 1.83],
    [1.90, 1.68],
    [1.84, 1.52],
    [1.68, 1.54],
];

#[test]
fn known_bodies_give_the_limit_back() {
    for (seed, heights) in (70..).zip(COUPLES) {
        let p = drill(heights, seed);
        let Some(Reading::Value(e)) = by_truth(&p) else {
            panic!("{heights:?}: not found");
        };
        let off = e.value - truly(&p);
        assert!(off.abs() < 0.06, "{heights:?}: {off} {e:?}");
    }
}

#[test]
fn a_detector_finds_it_within_what_it_claims() {
    let mut within = 0;
    for (seed, heights) in (80..).zip(COUPLES) {
        let p = drill(heights, seed);
        let Reading::Value(e) = by_detector(&p, 1, f64::INFINITY) else {
            panic!("{heights:?}: not found");
        };
        let off = (e.value - truly(&p)).abs();
        assert!(off < 0.10 && e.sigma < 0.06, "{heights:?}: {off} {e:?}");
        within += u32::from(off <= 2.0 * e.sigma);
    }
    assert!(within >= 4, "{within} of 5 within 2σ");
}

#[test]
fn who_stops_in_the_middle_is_sent_on() {
    let p = drill(COUPLES[0], 90);
    let Reading::NotVisible { why } = by_detector(&p, 2, p.scenario().lead_in + 3.0) else {
        panic!("the arms are round all the time");
    };
    assert!(why.contains("step further apart"), "{why}");
}

#[test]
fn only_a_figure_in_which_the_couple_step_apart_tells_it() {
    // One joined hand; both, but apart and together within two counts.
    for chart in [
        "shag-basic",
        "shag-pass",
        "hustle-in-out",
        "block-triple-rock",
    ] {
        let p = Performance::new(&Scenario {
            chart: chart.into(),
            repetitions: 1,
            ..Scenario::default()
        })
        .unwrap();
        assert_eq!(by_truth(&p), None, "{chart}");
    }
}
