//! Steps from solved feet: when a foot leaves, where and when it comes to stand, and whether it takes the
//! weight.

use nalgebra::Point2;

use crate::body::Landmark;
use crate::body::solve::Bodies;
use crate::marks::StepMark;
use crate::units::{Estimate, Foot, MediaTime, Role};

/// Faster than this a part of the foot is on its way, and slower it has come, metres a second.
const MOVES: f64 = 0.26;
const RESTS: f64 = 0.18;

/// A foot that goes less far has stayed, unless it was lifted, metres.
const LEAST_WAY: f64 = 0.04;
const LEAST_LIFT: f64 = 0.03;

/// The moment of being half-way is read from its travel where a foot goes at least so far, metres; shorter ways
/// drown in the error, and how fast heel and toe move tells more.
const LEAST_TRAVEL: f64 = 0.08;

/// Longest way of one step, seconds.
const MOST_AIR: f64 = 1.2;

/// From half-way to the arrival, seconds: half of a swing of a third of a second. When a foot is half-way is
/// seen to 13 to 24 ms on simulated takes, and no smoothing moves it; when it has come to rest is not, since
/// smoothing draws the end of the way out. A foot that steps in place peels off first, and the middle of that is
/// a little earlier.
const HALF_SWING: f64 = 0.16;
const HALF_IN_PLACE: f64 = 0.18;

/// Standard error of half a swing between one step and another, seconds.
const HALF_SIGMA: f64 = 0.03;

/// The same between one dancer and another, which no number of steps makes smaller, seconds.
pub const SWING_SIGMA: f64 = 0.02;

/// Time in which a foot covers most of its way, seconds.
const MOVING: f64 = 0.22;

/// Standard error of when a foot is half-way that steps in place, seconds, on simulated takes.
const IN_PLACE_SIGMA: f64 = 0.045;

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
        let (half, late, sigma) = half_way(bodies, foot, (from, to), places);
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
                at: MediaTime::from_secs(half + late),
                weight: true,
            },
            sigma: sigma.hypot(HALF_SIGMA),
            leaves: (half - late).max(left),
            way: places,
            lift,
            heel_first: (early.abs() > 0.03).then_some(early < 0.0),
        });
    }
    out
}

/// When a foot is half-way, seconds, how long before its arrival that usually is, and the standard error of the
/// former.
fn half_way(
    bodies: &Bodies,
    foot: Foot,
    (from, to): (usize, usize),
    places: [Point2<f64>; 2],
) -> (f64, f64, f64) {
    let way = places[1] - places[0];
    let long = way.norm() >= LEAST_TRAVEL;
    // Shares of the way, and the first pair of instants between which the half of it lies.
    let on = |t: usize| (middle(bodies, t, foot) - places[0]).dot(&way) / way.norm_squared();
    let crossing = (from..to).find(|t| on(*t) < 0.5 && on(t + 1) >= 0.5);
    if let Some(t) = crossing.filter(|_| long) {
        let share = (0.5 - on(t)) / (on(t + 1) - on(t));
        let half = bodies.at[t] + share * (bodies.at[t + 1] - bodies.at[t]);
        let along = way / way.norm();
        let place = bodies.value(t, |p| {
            let [heel, toe] = Landmark::heel_toe(foot).map(|l| p.joint(l).xy());
            Some(0.5 * (heel + toe).dot(&along))
        });
        // A minimum-jerk course is 15/8 as fast half-way as on average (Flash, T. & Hogan, N. (1985),
        // J. Neurosci. 5).
        let speed = 1.875 * way.norm() / MOVING;
        return (half, HALF_SWING, place.map_or(0.0, |e| e.sigma) / speed);
    }
    let (sum, time) = (from..to).fold((0.0, 0.0), |(sum, time), t| {
        let moved: f64 = Landmark::heel_toe(foot)
            .map(|l| (bodies.joint(t + 1, l) - bodies.joint(t, l)).norm())
            .iter()
            .sum();
        let at = 0.5 * (bodies.at[t] + bodies.at[t + 1]);
        (sum + moved, time + moved * at)
    });
    (time / sum.max(1e-9), HALF_IN_PLACE, IN_PLACE_SIGMA)
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
