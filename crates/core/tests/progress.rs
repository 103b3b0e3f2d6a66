//! Progress against SciPy and statsmodels (scripts/fixtures/progress.py), and on simulated students.

#![allow(clippy::unwrap_used, clippy::panic)]

use jiff::civil::{Date, date};
use rand::{Rng, SeedableRng};
use rand_distr::{Distribution, Normal};
use serde_json::Value;
use upright_core::fault::{Band, fault};
use upright_core::progress::{
    Answer, Conditions, Difference, Progress, Shape, TakeReading, frequency_change, level,
    progress, repeatability, trend,
};
use upright_core::units::Estimate;

fn fixtures(name: &str) -> Vec<Value> {
    let all: Value = serde_json::from_str(include_str!("fixtures/progress.json")).unwrap();
    all[name].as_array().unwrap().clone()
}

fn numbers(v: &Value) -> Vec<f64> {
    v.as_array()
        .unwrap()
        .iter()
        .map(|n| n.as_f64().unwrap())
        .collect()
}

fn close(a: f64, b: f64, within: f64) {
    assert!((a - b).abs() <= within, "{a} is not {b}");
}

const FIRST: Date = date(2026, 1, 10);

fn take(days: f64, value: f64, sigma: f64) -> TakeReading {
    TakeReading {
        told: false,
        date: FIRST.saturating_add(jiff::Span::new().days(days as i64)),
        value: Estimate::new(value, sigma),
        showing: 0,
        of: 4,
        conditions: Conditions::default(),
    }
}

fn lean() -> Band {
    fault("P1").unwrap().band.unwrap()
}

#[test]
fn the_trend_is_scipys() {
    for case in fixtures("trends") {
        let takes: Vec<_> = numbers(&case["days"])
            .iter()
            .zip(numbers(&case["values"]))
            .map(|(d, v)| take(*d, v, 0.5))
            .collect();
        let t = trend(&takes).unwrap();
        close(t.per_week, case["per_week"].as_f64().unwrap(), 1e-9);
        for (ours, theirs) in t.interval.iter().zip(numbers(&case["interval"])) {
            close(*ours, theirs, 1e-9);
        }
    }
}

#[test]
fn the_exact_test_is_scipys() {
    for case in fixtures("proportions") {
        let pair = |k: &str| {
            let n = numbers(&case[k]);
            [n[0] as u32, n[1] as u32]
        };
        let found = frequency_change(pair("before"), pair("now"));
        close(found.p, case["p"].as_f64().unwrap(), 1e-9);
    }
}

#[test]
fn the_level_is_statsmodels() {
    for case in fixtures("levels") {
        let sigma = case["sigma"].as_f64().unwrap();
        let takes: Vec<_> = numbers(&case["values"])
            .iter()
            .enumerate()
            .map(|(i, v)| take(7.0 * i as f64, *v, sigma))
            .collect();
        let wanted = numbers(&case["level"])
            .into_iter()
            .zip(numbers(&case["error"]));
        for (ours, (level, error)) in level(&takes).iter().zip(wanted) {
            // The level's variance is searched on a grid here, by a minimiser there.
            close(ours.value, level, 0.02);
            close(ours.sigma, error, 0.02);
        }
    }
}

#[test]
fn repeatability_is_statsmodels() {
    for case in fixtures("agreements") {
        let rows: Vec<_> = case["readings"]
            .as_array()
            .unwrap()
            .iter()
            .map(numbers)
            .collect();
        let r = repeatability(&rows).unwrap();
        close(r.icc.unwrap(), case["icc"].as_f64().unwrap(), 1e-9);
        close(r.sem, case["sem"].as_f64().unwrap(), 1e-9);
    }
}

/// How a made-up student really does.
#[derive(Clone, Copy, PartialEq)]
enum Truth {
    Same,
    /// Better by so many smallest real changes, over all takes or at once.
    Better {
        by: f64,
        at_once: bool,
    },
    /// Better, then back to the start.
    Relapse {
        by: f64,
    },
}

/// Weekly takes of a student: readings of some repetitions with the geometry's error and the dancer's own
/// scatter, and good and bad days. What is handed over is what a take would tell.
fn student(rng: &mut impl Rng, truth: Truth) -> (Progress, Vec<f64>) {
    let n = rng.random_range(6..=12);
    let reps = rng.random_range(3..=6_u32);
    let geometry: f64 = rng.random_range(0.3..1.2);
    let scatter: f64 = rng.random_range(0.3..1.2);
    let day: f64 = rng.random_range(0.0..0.3);
    let sigma = (geometry.powi(2) + scatter.powi(2)).sqrt() / f64::from(reps).sqrt();
    // Of the means of two takes, as compared.
    let smallest = 1.96 * (sigma.powi(2) + day.powi(2)).sqrt();
    let start = 9.0 + 4.0 * smallest;
    let path: Vec<f64> = (0..n)
        .map(|i| {
            let far = f64::from(i) / f64::from(n - 1);
            start
                - smallest
                    * match truth {
                        Truth::Same => 0.0,
                        Truth::Better { by, at_once: true } => by * f64::from(u8::from(i >= n / 2)),
                        // Both ends stand for two takes.
                        Truth::Better { by, .. } => {
                            by * (far * f64::from(n - 1) - 0.5).clamp(0.0, f64::from(n - 2))
                                / f64::from(n - 2)
                        }
                        Truth::Relapse { by } => by * f64::from(u8::from(i >= 2 && i < n - 2)),
                    }
        })
        .collect();
    let normal = |s: f64| Normal::new(0.0, s).unwrap();
    let takes = path
        .iter()
        .enumerate()
        .map(|(i, level)| {
            let level = level + normal(day).sample(rng);
            let readings: Vec<f64> = (0..reps)
                .map(|_| level + normal(geometry).sample(rng) + normal(scatter).sample(rng))
                .collect();
            let m = readings.iter().sum::<f64>() / f64::from(reps);
            let seen = readings.iter().map(|r| (r - m).powi(2)).sum::<f64>() / f64::from(reps - 1);
            let own = (seen.max(geometry.powi(2)) / f64::from(reps)).sqrt();
            take(7.0 * i as f64, m, own)
        })
        .collect();
    (progress(&lean(), takes, None).unwrap(), path)
}

#[test]
fn better_is_rarely_said_of_those_who_are_not() {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
    let (mut better, mut worse) = (0, 0);
    for _ in 0..1000 {
        match student(&mut rng, Truth::Same).0.answer {
            Answer::Better => better += 1,
            Answer::Worse => worse += 1,
            _ => {}
        }
    }
    println!("of 1000 who do not change: {better} better, {worse} worse");
    assert!(
        better <= 50 && worse <= 50,
        "{better} better, {worse} worse of 1000"
    );
    // Who fell back to where they began is never called better for it.
    let relapsed = (0..500)
        .filter(|_| {
            let by = rng.random_range(1.5..4.0);
            student(&mut rng, Truth::Relapse { by }).0.answer == Answer::Better
        })
        .count();
    println!("of 500 who fell back: {relapsed} better");
    assert!(relapsed <= 25, "{relapsed} of 500");
}

#[test]
fn real_changes_are_found() {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(12);
    for at_once in [true, false] {
        let found = (0..500)
            .filter(|_| {
                let by = rng.random_range(1.5..4.0);
                student(&mut rng, Truth::Better { by, at_once }).0.answer == Answer::Better
            })
            .count();
        println!("of 500 who are better ({at_once}): {found}");
        assert!(found >= 450, "{found} of 500, at once: {at_once}");
    }
}

#[test]
fn the_level_and_the_shape_follow_the_truth() {
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(13);
    let (mut held, mut all, mut steps) = (0, 0, 0);
    for _ in 0..300 {
        let by = rng.random_range(3.0..5.0);
        let (p, path) = student(&mut rng, Truth::Better { by, at_once: true });
        for (level, truth) in p.level.iter().zip(&path) {
            held += usize::from((level.value - truth).abs() <= 2.0 * level.sigma);
            all += 1;
        }
        steps +=
            usize::from(matches!(p.shape, Some(Shape::Step { at, .. }) if at == path.len() / 2));
    }
    println!("level within 2σ: {held} of {all}; steps found: {steps} of 300");
    assert!(held as f64 >= 0.85 * all as f64, "{held} of {all}");
    assert!(steps >= 240, "{steps} of 300");
}

#[test]
fn a_faster_take_from_another_side_is_not_compared() {
    let mut all: Vec<_> = [8.0, 7.8, 7.9, 3.0]
        .iter()
        .enumerate()
        .map(|(i, v)| take(7.0 * i as f64, *v, 0.3))
        .collect();
    for t in &mut all {
        t.conditions.tempo = Some(112.0);
        t.conditions.bearings = vec![-90.0];
    }
    all[3].conditions.tempo = Some(118.0);
    all[3].conditions.shoes = "trainers".into();
    all[0].conditions.shoes = "suede".into();
    let p = progress(&lean(), all.clone(), None).unwrap();
    assert_eq!((p.answer, p.left_out.len()), (Answer::Better, 0));
    assert_eq!(p.differences.len(), 1, "{:?}", p.differences);
    assert!(matches!(&p.differences[0], Difference::Shoes { from, .. } if from == "suede"));
    all[3].conditions.bearings = vec![0.0];
    let p = progress(&lean(), all.clone(), None).unwrap();
    assert_eq!(
        (p.answer, p.left_out),
        (Answer::NothingAlike, vec![0, 1, 2])
    );
    all[2].conditions.bearings = vec![10.0];
    let p = progress(&lean(), all, None).unwrap();
    assert_eq!((p.answer, p.left_out), (Answer::Better, vec![0, 1]));
    assert_eq!(p.before.value, 7.9);
    assert_eq!(p.real_from, Some(3));
}

#[test]
fn the_coachs_own_marking_widens_what_can_be_told() {
    let takes: Vec<_> = [6.0, 4.6]
        .iter()
        .enumerate()
        .map(|(i, v)| take(7.0 * i as f64, *v, 0.3))
        .collect();
    let sure = progress(&lean(), takes.clone(), None).unwrap();
    assert_eq!(sure.answer, Answer::Better);
    // Four repetitions: 1.6° of one reading are 0.8° of their mean.
    let shaky = progress(&lean(), takes, Some(1.6)).unwrap();
    assert_eq!(shaky.answer, Answer::NoChangeThatCanBeTold);
    close(shaky.before.sigma, 0.8, 1e-9);
    close(
        shaky.budget.coach,
        (0.8f64.powi(2) - 0.3f64.powi(2)).sqrt(),
        1e-9,
    );
    close(shaky.budget.take, 0.3, 1e-9);
}

#[test]
fn good_and_bad_days_are_part_of_the_error() {
    let values = [8.0, 5.0, 8.4, 5.2, 8.1, 4.9, 8.2, 5.1];
    let takes: Vec<_> = values
        .iter()
        .enumerate()
        .map(|(i, v)| take(7.0 * i as f64, *v, 0.2))
        .collect();
    let p = progress(&lean(), takes, None).unwrap();
    assert!(p.budget.day > 2.0, "{:?}", p.budget);
    assert_eq!(p.answer, Answer::NoChangeThatCanBeTold);
}

#[test]
fn how_often_it_shows_is_compared_too() {
    let mut takes: Vec<_> = (0..4).map(|i| take(7.0 * f64::from(i), 6.0, 2.0)).collect();
    for (t, showing) in takes.iter_mut().zip([6, 6, 1, 0]) {
        (t.showing, t.of) = (showing, 6);
    }
    let f = progress(&lean(), takes, None).unwrap().frequency.unwrap();
    assert_eq!((f.before, f.now), ([12, 12], [1, 12]));
    assert!(f.real && f.p < 1e-3, "{f:?}");
}
