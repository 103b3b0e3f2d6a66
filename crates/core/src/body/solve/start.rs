//! A first guess: where each body stands and which way it faces.

use std::collections::BTreeMap;

use nalgebra::Point2;

use super::block::{self, Column, ROWS, Real};
use super::skeleton::{Joints, N, SCALES, front, middle, p, standing};
use super::terms::{Cost, Normal, instant};
use super::{FAR, Given, Instant, arms, automatic, feet};
use crate::body::Landmark;
use crate::units::wrap_degrees;
use Landmark as L;

/// Directions that are tried.
const YAWS: usize = 8;

/// By how much a hand's errors count for more at first.
const WIDE: f64 = 6.0;

/// Bodies that face this nearly the same way are one, degrees.
const SAME: f64 = 15.0;

/// How people usually stand says less than its cost pretends: differences of cost between ways to face count for
/// so much less.
const BELIEF: f64 = 1.6;

/// How many of the directions are followed at all, the likeliest standing bodies; steps of each, with the hand's errors
/// wide and as they are; how many are followed further, steps of these, and with their arms' shapes chosen.
struct Tries {
    directions: usize,
    rough: usize,
    near: usize,
    further: usize,
    kept: usize,
    armed: usize,
}

/// A body marked by hand often stands alone; with fewer steps on simulated takes one foot in ten was further off.
const BY_HAND: Tries = Tries {
    directions: YAWS,
    rough: 3,
    near: 1,
    further: 3,
    kept: 4,
    armed: 3,
};

/// On simulated takes further steps made a detector's bodies no better.
const DETECTED: Tries = Tries {
    directions: YAWS,
    rough: 1,
    near: 1,
    further: 3,
    kept: 3,
    armed: 2,
};

/// Hints tell the direction roughly: on 200 simulated takes trying all, and following more than two further, changed
/// hardly anything.
const HINTED: Tries = Tries {
    directions: 5,
    further: 2,
    ..DETECTED
};

/// Beginnings that are turned further than this against each other want one between them, degrees, and so often
/// closer ones are looked for.
const TURNED: f64 = 45.0;
const CLOSER: usize = 3;

/// Landmarks without which an instant is bridged from its neighbours.
const LEAST: usize = 6;

/// Equations of one instant alone, about one body.
struct Single {
    own: Vec<Column<f32>>,
    cross: Vec<Column<f32>>,
    right: Column<f32>,
}

impl Single {
    fn new() -> Self {
        Self {
            own: block::zeros(N),
            cross: block::zeros(SCALES),
            right: [0.0; ROWS],
        }
    }

    /// Becomes those about a body; gives its cost.
    fn about(&mut self, given: &Given, now: &Instant, x: &Joints) -> f64 {
        let mut normal = Normal::new(&mut self.own, &mut self.cross);
        instant(given, now, x, &[0.0; SCALES], &mut normal);
        self.right = normal.right.map(|v| v as f32);
        normal.cost
    }
}

/// Steps of Levenberg–Marquardt on one instant alone; gives the cost reached.
pub(super) fn alone(given: &Given, now: &Instant, x: &mut Joints, steps: usize) -> f64 {
    let cost = |x: &Joints| {
        let mut c = Cost::default();
        instant(given, now, x, &[0.0; SCALES], &mut c);
        c.0
    };
    if steps == 0 {
        return cost(x);
    }
    let mut damping = 1e-2;
    let (mut here, mut tried) = (Single::new(), Single::new());
    let mut best = here.about(given, now, x);
    for left in (0..steps).rev() {
        for _ in 0..4 {
            let Some(step) = damped(&here.own, here.right, damping) else {
                damping *= 10.0;
                continue;
            };
            let mut next = *x;
            for (v, by) in next.iter_mut().zip(step) {
                *v += f64::from(by).clamp(-0.4, 0.4);
            }
            // Another step starts from here; the last one is only judged.
            let reached = if left > 0 {
                tried.about(given, now, &next)
            } else {
                cost(&next)
            };
            if reached < best {
                *x = next;
                best = reached;
                std::mem::swap(&mut here, &mut tried);
                damping *= 0.2;
                break;
            }
            damping *= 10.0;
        }
    }
    best
}

fn damped(own: &[Column<f32>], right: Column<f32>, damping: f64) -> Option<Column<f32>> {
    let mut own = own.to_vec();
    for (i, column) in own.iter_mut().enumerate() {
        column[i] = (f64::from(column[i]) * (1.0 + damping) + 1e-4) as f32;
    }
    let mut x = right;
    f32::solve(&mut own, &mut x)?;
    Some(x)
}

/// Where the body stands: from the feet on the floor, else from the hips at their usual height.
fn place(given: &Given, now: &Instant) -> Option<[f64; 2]> {
    let on = |wanted: &[Landmark], height: f64| {
        let hits: Vec<Point2<f64>> = now
            .seen
            .iter()
            .filter(|s| wanted.contains(&s.landmark))
            .filter_map(|s| given.cameras[s.camera].at_height(Point2::from(s.pixel), height))
            .collect();
        let n = hits.len() as f64;
        (n > 0.0).then(|| [0, 1].map(|k| hits.iter().map(|h| h[k]).sum::<f64>() / n))
    };
    let feet = [L::LeftHeel, L::LeftToe, L::RightHeel, L::RightToe];
    on(&feet, 0.0)
        .or_else(|| on(&[L::LeftAnkle, L::RightAnkle], 0.04 * given.height))
        .or_else(|| on(&[L::LeftHip, L::RightHip], 0.51 * given.height))
        .or_else(|| on(&[L::LeftShoulder, L::RightShoulder], 0.8 * given.height))
}

/// The best shapes of one instant with their costs, best first.
fn candidates(given: &Given, now: &Instant) -> Vec<(Joints, f64)> {
    let Some(place) = place(given, now) else {
        return Vec::new();
    };
    let rough = Given {
        wide: WIDE,
        cameras: given.cameras.clone(),
        ..*given
    };
    let tries = if !now.hints.is_empty() {
        HINTED
    } else if automatic(std::slice::from_ref(now)) {
        DETECTED
    } else {
        BY_HAND
    };
    let mut begun: Vec<(Joints, f64)> = (0..YAWS)
        .map(|k| {
            let mut x = standing(given.height, place, 360.0 * k as f64 / YAWS as f64);
            let cost = alone(&rough, now, &mut x, 0);
            (x, cost)
        })
        .collect();
    begun.sort_by(|a, b| a.1.total_cmp(&b.1));
    begun.truncate(tries.directions);
    for (x, cost) in &mut begun {
        alone(&rough, now, x, tries.rough);
        *cost = alone(given, now, x, tries.near);
    }
    let mut all = apart(begun);
    all.truncate(tries.further);
    for (x, cost) in &mut all {
        *cost = alone(given, now, x, tries.kept);
        // An arm of another shape must not speak against a trunk that faces the right way.
        let own = std::slice::from_ref(now);
        arms::choose(given, own, std::slice::from_mut(x), &[0.0; SCALES], None);
        *cost = alone(given, now, x, tries.armed);
    }
    apart(all)
}

/// Those that face different ways, best first.
fn apart(mut all: Vec<(Joints, f64)>) -> Vec<(Joints, f64)> {
    all.sort_by(|a, b| a.1.total_cmp(&b.1));
    let mut out: Vec<(Joints, f64)> = Vec::new();
    for (x, cost) in all {
        let yaw = gist(&x).1;
        if out
            .iter()
            .all(|o| wrap_degrees(gist(&o.0).1 - yaw).abs() > SAME)
        {
            out.push((x, cost));
        }
    }
    out
}

/// Where the hips are and which way they and the shoulders face, degrees.
pub(super) fn gist(x: &Joints) -> ([f64; 2], f64) {
    let hips = middle(x, L::LeftHip, L::RightHip);
    let ahead = front(p(x, L::LeftHip), p(x, L::RightHip))
        + front(p(x, L::LeftShoulder), p(x, L::RightShoulder));
    ([hips.x, hips.y], ahead.y.atan2(ahead.x).to_degrees())
}

/// How unlikely it is to come from one shape to another, in the units of the costs.
fn change(a: &Joints, b: &Joints, seconds: f64) -> f64 {
    let ((pa, ya), (pb, yb)) = (gist(a), gist(b));
    // Spreads of a third of a second grow with the time between.
    let by = (seconds / 0.32).max(0.25);
    let turn = wrap_degrees(yb - ya) / (35.0 * by);
    let way = (pb[0] - pa[0]).hypot(pb[1] - pa[1]) / (0.2 * by);
    // A quick turn happens; it must not outweigh what is seen.
    3.0 * (0.5 * turn * turn).ln_1p() + (way * way).min(25.0)
}

/// A body for every instant, or nothing when no instant shows enough. Notes how fast the bodies turn and how sure
/// their directions are.
pub(super) fn start(given: &Given, instants: &mut [Instant]) -> Option<Vec<Joints>> {
    let mut chosen: Vec<usize> = Vec::new();
    for (t, now) in instants.iter().enumerate() {
        let enough = now.seen.len() >= LEAST;
        // Instants that smooth each other need one beginning between them.
        let due = chosen.last().is_none_or(|l| now.at - instants[*l].at > FAR);
        if enough && due {
            chosen.push(t);
        }
    }
    let mut options: BTreeMap<usize, Vec<(Joints, f64)>> = BTreeMap::new();
    let mut path = Vec::new();
    for _ in 0..CLOSER {
        for t in chosen.drain(..) {
            let found = candidates(given, &instants[t]);
            if !found.is_empty() {
                options.insert(t, found);
            }
        }
        path = best_path(&options, instants);
        // Between two that are turned far against each other neither is near.
        for pair in path.windows(2) {
            let [(a, xa), (b, xb)] = pair else { continue };
            let middle = (a + b) / 2;
            let enough = middle > *a && instants[middle].seen.len() >= LEAST;
            let near = instants[*b].at - instants[*a].at <= 2.0 * FAR;
            if enough && near && wrap_degrees(gist(xb).1 - gist(xa).1).abs() > TURNED {
                chosen.push(middle);
            }
        }
        if chosen.is_empty() {
            break;
        }
    }
    note_doubts(instants, &options, &path);
    for (t, x) in &mut path {
        if lone(instants, *t) && !automatic(&instants[*t..=*t]) {
            instants[*t].doubts = feet::settle(given, &instants[*t], x);
        }
    }
    let first = path.first()?;
    // Between them, straight on; before and after, as at the ends.
    let mut out = Vec::with_capacity(instants.len());
    for (t, now) in instants.iter().enumerate() {
        let after = path.partition_point(|(k, _)| *k <= t);
        let x = match (after.checked_sub(1).map(|i| &path[i]), path.get(after)) {
            (Some((a, xa)), Some((b, xb))) => {
                let s = (now.at - instants[*a].at) / (instants[*b].at - instants[*a].at).max(1e-6);
                on_the_way(xa, xb, s)
            }
            (Some((_, x)), None) => *x,
            (None, _) => first.1,
        };
        out.push(x);
    }
    note_turns(instants, &out);
    Some(out)
}

/// Whether no second camera sees an instant.
pub(super) fn one_camera(now: &Instant) -> bool {
    now.seen.windows(2).all(|w| w[0].camera == w[1].camera)
}

/// Whether one camera alone sees an instant, and no moment near by tells more of it.
fn lone(instants: &[Instant], t: usize) -> bool {
    let near = |k: Option<usize>| {
        let other = k.and_then(|k| instants.get(k));
        other.is_some_and(|o| (o.at - instants[t].at).abs() < FAR)
    };
    one_camera(&instants[t]) && !near(t.checked_sub(1)) && !near(Some(t + 1))
}

/// Notes where one camera and no moment near by leave more than one way for a trunk to face: before the picture
/// plane and behind it look alike, and only how people usually stand tells them apart.
fn note_doubts(
    instants: &mut [Instant],
    options: &BTreeMap<usize, Vec<(Joints, f64)>>,
    path: &[(usize, Joints)],
) {
    for (t, x) in path {
        if !lone(instants, *t) {
            continue;
        }
        let all = &options[t];
        let own = gist(x).1;
        let weight = |cost: f64, least: f64| (-0.5 * (cost - least) / BELIEF).exp();
        let least = all.iter().map(|o| o.1).fold(f64::INFINITY, f64::min);
        let sum: f64 = all.iter().map(|o| weight(o.1, least)).sum();
        let squares: f64 = all
            .iter()
            .map(|(y, cost)| {
                weight(*cost, least) * wrap_degrees(gist(y).1 - own).to_radians().powi(2)
            })
            .sum();
        instants[*t].unsure = (squares / sum).sqrt();
    }
}

/// Notes how fast the bodies of a start turn.
fn note_turns(instants: &mut [Instant], begun: &[Joints]) {
    let rate = |a: usize, b: usize, instants: &[Instant]| {
        let gap = instants[b].at - instants[a].at;
        let turn = wrap_degrees(gist(&begun[b]).1 - gist(&begun[a]).1);
        if gap > 1e-6 && gap < FAR {
            turn.to_radians().abs() / gap
        } else {
            0.0
        }
    };
    let rates: Vec<f64> = (1..instants.len())
        .map(|t| rate(t - 1, t, instants))
        .collect();
    for (t, now) in instants.iter_mut().enumerate() {
        let near = &rates[t.saturating_sub(1)..(t + 1).min(rates.len())];
        now.turning = near.iter().copied().fold(0.0, f64::max);
    }
}

/// A share of the way from one shape to another, turning on the way.
pub(super) fn on_the_way(a: &Joints, b: &Joints, share: f64) -> Joints {
    let turn = wrap_degrees(gist(b).1 - gist(a).1).to_radians();
    let (a, b) = (turned(a, share * turn), turned(b, (share - 1.0) * turn));
    std::array::from_fn(|i| a[i] + share * (b[i] - a[i]))
}

/// Turned about the upright through its hips, radians.
fn turned(x: &Joints, by: f64) -> Joints {
    let (middle, _) = gist(x);
    let (sin, cos) = by.sin_cos();
    let mut out = *x;
    for p in out.chunks_exact_mut(3) {
        let (dx, dy) = (p[0] - middle[0], p[1] - middle[1]);
        p[0] = middle[0] + cos * dx - sin * dy;
        p[1] = middle[1] + sin * dx + cos * dy;
    }
    out
}

/// Viterbi over the candidates: least sum of costs and changes.
fn best_path(
    options: &BTreeMap<usize, Vec<(Joints, f64)>>,
    instants: &[Instant],
) -> Vec<(usize, Joints)> {
    let options: Vec<(usize, &Vec<(Joints, f64)>)> = options.iter().map(|(t, o)| (*t, o)).collect();
    let mut reached: Vec<Vec<(f64, usize)>> = Vec::new();
    for (i, (t, here)) in options.iter().enumerate() {
        let row = here
            .iter()
            .map(|(x, cost)| {
                let Some((before, all)) = i.checked_sub(1).map(|b| options[b]) else {
                    return (*cost, 0);
                };
                let seconds = instants[*t].at - instants[before].at;
                all.iter()
                    .enumerate()
                    .map(|(k, (was, _))| (reached[i - 1][k].0 + change(was, x, seconds), k))
                    .min_by(|a, b| a.0.total_cmp(&b.0))
                    .map_or((*cost, 0), |(c, k)| (c + cost, k))
            })
            .collect();
        reached.push(row);
    }
    let mut out = Vec::new();
    let Some(last) = reached.last() else {
        return out;
    };
    let mut k = last
        .iter()
        .enumerate()
        .min_by(|a, b| a.1.0.total_cmp(&b.1.0))
        .map_or(0, |(k, _)| k);
    for i in (0..options.len()).rev() {
        out.push((options[i].0, options[i].1[k].0));
        k = reached[i][k].1;
    }
    out.reverse();
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halfway_through_a_turn_a_body_keeps_its_lengths() {
        let a = standing(1.7, [0.0, 0.0], 100.0);
        let b = standing(1.7, [0.2, 0.0], -110.0);
        // The short way round is over the back: 150°.
        let x = on_the_way(&a, &b, 0.5);
        let (place, yaw) = gist(&x);
        assert!(wrap_degrees(yaw - 175.0).abs() < 1e-6, "{yaw}");
        assert!((place[0] - 0.1).abs() < 1e-9 && place[1].abs() < 1e-9);
        let wide = |x: &Joints| (p(x, L::LeftShoulder) - p(x, L::RightShoulder)).norm();
        assert!((wide(&x) - wide(&a)).abs() < 1e-9);
        assert_eq!(on_the_way(&a, &b, 0.0), a);
    }

    #[test]
    fn a_quick_turn_costs_less_than_a_body_seen_the_wrong_way_round() {
        let a = standing(1.7, [0.0, 0.0], 0.0);
        let b = standing(1.7, [0.0, 0.0], 180.0);
        assert!(change(&a, &b, 0.4) < 10.0);
        // Without haste it is not worth mentioning.
        assert!(change(&a, &standing(1.7, [0.0, 0.0], 10.0), 0.32) < 0.2);
    }
}
