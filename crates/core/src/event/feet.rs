//! Steps from solved feet: when a foot leaves, where and when it comes to stand, and whether it takes the
//! weight.

use nalgebra::Point2;

use crate::body::Landmark;
use crate::body::solve::Bodies;
use crate::marks::StepMark;
use crate::units::{Estimate, Foot, MediaTime, Role};

/// Faster than this a part of the foot is on its way, and slower it has come, metres a second.
const MOVES: f64 = 0.32;
const RESTS: f64 = 0.20;

/// A foot that goes less far has stayed, unless it was lifted, metres.
const LEAST_WAY: f64 = 0.045;
const LEAST_LIFT: f64 = 0.035;

/// Its travel is fitted where it goes at least so far, metres; shorter ways drown in the error.
const LEAST_FIT: f64 = 0.08;

/// Longest way of one step, seconds.
const MOST_AIR: f64 = 1.2;

/// Standard error of a fitted arrival, seconds, as found on simulated takes, and of one known only from when
/// the foot rests, which is taken to be larger.
const FITTED: f64 = 0.05;
const RESTED: f64 = 0.07;

/// A step that was found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FootStep {
    /// Whose, which foot, when it arrives and whether it takes the weight.
    pub mark: StepMark,
    /// Standard error of the arrival, seconds.
    pub sigma: f64,
    /// When the foot leaves, seconds.
    pub leaves: f64,
    /// Middle of the foot where it left and where it came to, metres.
    pub way: [Point2<f64>; 2],
    /// Greatest height of the foot's lowest part on the way, metres.
    pub lift: Estimate,
    /// Whether the heel stands before the ball; unknown when both come at once.
    pub heel_first: Option<bool>,
}

/// Steps of a dancer in order of time; only where instants are near enough to each other to see a foot move.
pub fn foot_steps(bodies: &Bodies, role: Role) -> Vec<FootStep> {
    let mut out: Vec<FootStep> = [Foot::Left, Foot::Right]
        .into_iter()
        .flat_map(|foot| steps_of(bodies, role, foot))
        .collect();
    out.sort_by_key(|s| s.mark.at);
    // A foot that steps twice in a row had no weight in between; the last one is asked where the body is.
    for i in 0..out.len() {
        let foot = out[i].mark.foot;
        out[i].mark.weight = match out.get(i + 1) {
            Some(next) if next.mark.at.since(out[i].mark.at) < 2.5 => next.mark.foot != foot,
            _ => carries(bodies, foot, out[i].mark.at.secs() + 0.15).unwrap_or(true),
        };
    }
    out
}

fn middle(bodies: &Bodies, t: usize, foot: Foot) -> Point2<f64> {
    let [heel, toe] = Landmark::heel_toe(foot).map(|l| bodies.joint(t, l).xy());
    nalgebra::center(&heel, &toe)
}

/// Greatest speed of heel and toe in space about an instant, metres a second.
fn speed(bodies: &Bodies, t: usize, foot: Foot) -> Option<f64> {
    let (a, b) = (t.checked_sub(1)?, t + 1);
    if b >= bodies.at.len() || bodies.at[b] - bodies.at[a] > 0.3 {
        return None;
    }
    let of = |l| (bodies.joint(b, l) - bodies.joint(a, l)).norm();
    let [heel, toe] = Landmark::heel_toe(foot).map(of);
    Some(heel.max(toe) / (bodies.at[b] - bodies.at[a]))
}

/// Rows of instants at which a foot is on its way, as the last one at rest before and the first one after.
fn ways(bodies: &Bodies, foot: Foot) -> Vec<(usize, usize)> {
    let n = bodies.at.len();
    let speeds: Vec<Option<f64>> = (0..n).map(|t| speed(bodies, t, foot)).collect();
    let above = |t: usize, v: f64| speeds[t].is_some_and(|s| s > v);
    let mut out: Vec<(usize, usize)> = Vec::new();
    let mut t = 0;
    while t < n {
        if !above(t, MOVES) {
            t += 1;
            continue;
        }
        let (mut from, mut to) = (t, t);
        while from > 0 && above(from - 1, RESTS) {
            from -= 1;
        }
        while to + 1 < n && above(to + 1, RESTS) {
            to += 1;
        }
        out.push((from.saturating_sub(1), (to + 1).min(n - 1)));
        t = to + 1;
    }
    out
}

fn steps_of(bodies: &Bodies, role: Role, foot: Foot) -> Vec<FootStep> {
    let parts = Landmark::heel_toe(foot);
    let highest = |t: usize| {
        parts
            .map(|l| bodies.joint(t, l).z)
            .into_iter()
            .fold(0.0, f64::max)
    };
    let lowest = |t: usize| {
        parts
            .map(|l| bodies.joint(t, l).z)
            .into_iter()
            .fold(9.0, f64::min)
    };
    let mut out = Vec::new();
    for (from, to) in ways(bodies, foot) {
        let places = [from, to].map(|t| middle(bodies, t, foot));
        let way = places[1] - places[0];
        let (left, came) = (bodies.at[from], bodies.at[to]);
        let raised = (from..=to).map(highest).fold(0.0, f64::max);
        let lifted = raised - highest(from).max(highest(to));
        if came - left > MOST_AIR || (way.norm() < LEAST_WAY && lifted < LEAST_LIFT) {
            continue;
        }
        let (leaves, arrives, sigma) = match fit(bodies, foot, (from, to), places) {
            Some((leaves, arrives)) => (leaves, arrives, FITTED),
            None => (left, 0.5 * (came + bodies.at[to - 1]), RESTED),
        };
        let top = (from..=to).max_by(|a, b| lowest(*a).total_cmp(&lowest(*b)));
        let Some(lift) = top.and_then(|t| {
            bodies.value(t, |p| {
                let [heel, toe] = parts.map(|l| p.joint(l).z);
                Some(heel.min(toe))
            })
        }) else {
            continue;
        };
        let toe_down = parts.map(|l| bodies.joint(to - 1, l).z);
        let early = toe_down[0] - toe_down[1];
        out.push(FootStep {
            mark: StepMark {
                role,
                foot,
                at: MediaTime::from_secs(arrives),
                weight: true,
            },
            sigma,
            leaves,
            way: places,
            lift,
            heel_first: (early.abs() > 0.03).then_some(early < 0.0),
        });
    }
    out
}

/// Begin and end of the foot's travel: least squares of the minimum-jerk course (Flash, T. & Hogan, N. (1985),
/// J. Neurosci. 5) against how far the foot is on its way.
fn fit(
    bodies: &Bodies,
    foot: Foot,
    (from, to): (usize, usize),
    places: [Point2<f64>; 2],
) -> Option<(f64, f64)> {
    let way = places[1] - places[0];
    if way.norm() < LEAST_FIT {
        return None;
    }
    let seen: Vec<(f64, f64)> = (from..=to)
        .map(|t| {
            let on = (middle(bodies, t, foot) - places[0]).dot(&way) / way.norm_squared();
            (bodies.at[t], on)
        })
        .collect();
    if seen.len() < 4 {
        return None;
    }
    let course = |u: f64| {
        let u = u.clamp(0.0, 1.0);
        u * u * u * (10.0 + u * (6.0 * u - 15.0))
    };
    let miss = |begin: f64, end: f64| -> f64 {
        seen.iter()
            .map(|(t, on)| (on - course((t - begin) / (end - begin))).powi(2))
            .sum()
    };
    let (lo, hi) = (seen[0].0 - 0.02, seen[seen.len() - 1].0 + 0.02);
    let steps = ((hi - lo) / 0.01) as usize;
    let mut best = (f64::INFINITY, lo, hi);
    for i in 0..steps {
        let begin = lo + 0.01 * i as f64;
        for j in i + 12..=steps {
            let end = lo + 0.01 * j as f64;
            let m = miss(begin, end);
            if m < best.0 {
                best = (m, begin, end);
            }
        }
    }
    best.0.is_finite().then_some((best.1, best.2))
}

/// Whether a foot carries the weight at a moment: the hips are nearer to it.
fn carries(bodies: &Bodies, foot: Foot, at: f64) -> Option<bool> {
    let m = bodies.moment(at)?;
    let hips = nalgebra::center(&m.joint(Landmark::LeftHip), &m.joint(Landmark::RightHip)).xy();
    let of = |foot: Foot| {
        let [heel, toe] = Landmark::heel_toe(foot).map(|l| m.joint(l).xy());
        nalgebra::center(&heel, &toe)
    };
    let (own, other) = (of(foot), of(foot.other()));
    let along = other - own;
    let share = (hips - own).dot(&along) / along.norm_squared().max(1e-4);
    Some(share < 0.5)
}
