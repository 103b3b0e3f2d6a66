//! Steps from solved feet: when a foot leaves, where and when it comes to stand, and whether it takes the
//! weight.

use std::ops::Range;

use nalgebra::{Point2, Vector2};

use super::stands::{self, middle};
use crate::body::Landmark;
use crate::body::solve::Bodies;
use crate::marks::StepMark;
use crate::units::{Estimate, Foot, MediaTime, Role};

/// A foot that goes less far has stepped only when its heel or toe rose, metres.
const LEAST_WAY: f64 = 0.08;
const LEAST_PEEL: f64 = 0.025;

/// The moment of being half-way is read from its travel where a foot goes at least so far, metres; shorter ways
/// drown in the error, and when the heel rises tells more.
const LEAST_TRAVEL: f64 = 0.08;

/// A foot that takes longer collects on its way; only the last part of it is the swing that arrives, seconds.
const LAST_PART: f64 = 0.42;

/// Instants of a stand's end from which the place is taken that a foot leaves or reaches.
const NEAR: usize = 5;

/// From half-way to the arrival, seconds: half of a swing of a third of a second. When a foot is half-way is
/// seen to 13 to 24 ms on simulated takes, and no smoothing moves it; when it has come to rest is not, since
/// smoothing draws the end of the way out. A foot that steps in place peels off first, and the middle of that is
/// a little earlier.
const HALF_SWING: f64 = 0.16;
const HALF_IN_PLACE: f64 = 0.187;

/// No foot leaves before the other has come: half of a swing in quick steps is no longer than from there to its
/// middle, and a little more, since a foot peels off while the other comes, seconds.
const PEELS: [f64; 2] = [0.02, 0.06];
const LEAST_HALF: f64 = 0.05;

/// A heel below this has not risen, metres.
const FLAT: f64 = 0.01;

/// Standard error of half a swing between one step and another, seconds.
const HALF_SIGMA: f64 = 0.025;

/// The same between one dancer and another, which no number of steps makes smaller, seconds.
pub const SWING_SIGMA: f64 = 0.012;

/// What the other foot's arrival adds where a swing is as short as it leaves room for, seconds.
const AFTER_SIGMA: f64 = 0.03;

/// Time in which a foot covers most of its way, seconds.
const MOVING: f64 = 0.22;

/// Standard error of when a foot is half-way that steps in place, seconds, on simulated takes.
const IN_PLACE_SIGMA: f64 = 0.045;

/// By how much worse arrivals are told from what the program's own networks find: without it half of them lay within
/// one standard error on rendered couples and three quarters within two (docs/decisions/0029).
const BY_NETWORKS: f64 = 1.6;

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
    let mut going: Vec<Going> = [Foot::Left, Foot::Right]
        .into_iter()
        .flat_map(|foot| steps_of(bodies, foot))
        .collect();
    going.sort_by(|a, b| a.half.total_cmp(&b.half));
    let worse = if bodies.by_networks() {
        BY_NETWORKS
    } else {
        1.0
    };
    let mut out: Vec<FootStep> = Vec::new();
    for g in going {
        let usual = if g.travels { HALF_SWING } else { HALF_IN_PLACE };
        let other = out.last().filter(|o| o.mark.foot != g.foot);
        let room = other.map_or(usual, |o| {
            g.half - o.mark.at.secs() + PEELS[usize::from(!g.travels)]
        });
        let late = usual.min(room.max(LEAST_HALF));
        let after = if late < usual { AFTER_SIGMA } else { 0.0 };
        out.push(FootStep {
            mark: StepMark {
                role,
                foot: g.foot,
                at: MediaTime::from_secs(g.half + late),
                weight: true,
            },
            sigma: worse * g.sigma.hypot(HALF_SIGMA).hypot(after),
            leaves: g.half - late,
            way: g.way,
            lift: g.lift,
            heel_first: g.heel_first,
        });
    }
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

/// A foot on its way.
struct Going {
    foot: Foot,
    /// When it is half-way and the standard error of that, seconds.
    half: f64,
    sigma: f64,
    /// Whether that was read from its travel.
    travels: bool,
    way: [Point2<f64>; 2],
    lift: Estimate,
    heel_first: Option<bool>,
}

fn steps_of(bodies: &Bodies, foot: Foot) -> Vec<Going> {
    let parts = Landmark::heel_toe(foot);
    let lowest = |t: usize| {
        let [heel, toe] = parts.map(|l| bodies.joint(t, l).z);
        heel.min(toe)
    };
    let mut out = Vec::new();
    for (before, after) in stands::swings(bodies, foot) {
        let (from, to) = (before.1, after.0);
        let peel = parts.map(|l| {
            let z = |t: usize| bodies.joint(t, l).z;
            let top = (from..=to).map(z).fold(0.0, f64::max);
            top - z(from).max(z(to))
        });
        let places = [
            mean(
                bodies,
                before.0.max((from + 1).saturating_sub(NEAR))..from + 1,
                foot,
            ),
            mean(bodies, to..(after.1 + 1).min(to + NEAR), foot),
        ];
        let far = (places[1] - places[0]).norm();
        if far < LEAST_WAY && peel[0].max(peel[1]) < LEAST_PEEL {
            continue;
        }
        let (half, travels, sigma) = half_way(bodies, foot, (from, to), places);
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
        out.push(Going {
            foot,
            half,
            sigma,
            travels,
            way: [from, to].map(|t| middle(bodies, t, foot)),
            lift,
            heel_first: (early.abs() > 0.03).then_some(early < 0.0),
        });
    }
    out
}

/// Mean place of a foot over some instants.
fn mean(bodies: &Bodies, some: Range<usize>, foot: Foot) -> Point2<f64> {
    let n = some.len() as f64;
    let sum: Vector2<f64> = some.map(|t| middle(bodies, t, foot).coords).sum();
    Point2::from(sum / n)
}

/// When a foot is half-way, seconds, whether its travel tells, and the standard error.
fn half_way(
    bodies: &Bodies,
    foot: Foot,
    (mut from, to): (usize, usize),
    [mut left, came]: [Point2<f64>; 2],
) -> (f64, bool, f64) {
    let swing = (from..to).find(|t| bodies.at[to] - bodies.at[*t] <= LAST_PART);
    if let Some(t) = swing.filter(|t| *t > from) {
        let place = middle(bodies, t, foot);
        if (came - place).norm() >= LEAST_TRAVEL {
            (from, left) = (t, place);
        }
    }
    let way = came - left;
    // Shares of the way, and the first pair of instants between which the half of it lies.
    let on = |t: usize| (middle(bodies, t, foot) - left).dot(&way) / way.norm_squared();
    let long = way.norm() >= LEAST_TRAVEL;
    let crossing = (from..to).find(|t| long && on(*t) < 0.5 && on(t + 1) >= 0.5);
    if let Some(t) = crossing {
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
        return (half, true, place.map_or(0.0, |e| e.sigma) / speed);
    }
    // How much of the foot is up.
    let up = |t: usize| {
        let risen = Landmark::heel_toe(foot).map(|l| {
            let z = |t: usize| bodies.joint(t, l).z;
            (z(t) - z(from).min(z(to))).max(0.0)
        });
        (risen[0] + 0.5 * risen[1] - FLAT).max(0.0)
    };
    let (sum, time) = (from..=to).fold((0.0, 0.0), |(sum, time), t| {
        (sum + up(t), time + up(t) * bodies.at[t])
    });
    let half = if sum > 0.0 {
        time / sum
    } else {
        0.5 * (bodies.at[from] + bodies.at[to])
    };
    (half, false, IN_PLACE_SIGMA)
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
