//! A first guess: where each body stands and which way it faces.

use nalgebra::{DMatrix, DVector, Point2};

use super::skeleton::{Joints, N, SCALES, front, middle, p, standing};
use super::terms::{Cost, Normal, instant};
use super::{FAR, Given, Instant};
use crate::body::Landmark;
use crate::units::wrap_degrees;
use Landmark as L;

/// Directions that are tried.
const YAWS: usize = 8;

/// Those that are followed further.
const KEPT: usize = 3;

/// Landmarks without which an instant is bridged from its neighbours.
const LEAST: usize = 6;

/// Steps of Levenberg–Marquardt on one instant alone; gives the cost reached.
fn alone(given: &Given, now: &Instant, x: &mut Joints, steps: usize) -> f64 {
    let scales = [0.0; SCALES];
    let cost = |x: &Joints| {
        let mut c = Cost::default();
        instant(given, now, x, &scales, &mut c);
        c.0
    };
    let mut best = cost(x);
    let mut damping = 1e-2;
    for _ in 0..steps {
        let mut normal = Normal::new();
        instant(given, now, x, &scales, &mut normal);
        normal.mirror();
        for _ in 0..4 {
            let Some(step) = damped(&normal.own, &normal.right, damping) else {
                damping *= 10.0;
                continue;
            };
            let mut next = *x;
            for (v, by) in next.iter_mut().zip(step.iter()) {
                *v += by.clamp(-0.4, 0.4);
            }
            let reached = cost(&next);
            if reached < best {
                *x = next;
                best = reached;
                damping *= 0.2;
                break;
            }
            damping *= 10.0;
        }
    }
    best
}

fn damped(own: &DMatrix<f64>, right: &DVector<f64>, damping: f64) -> Option<DVector<f64>> {
    let mut a = own.clone();
    for i in 0..N {
        a[(i, i)] += damping * a[(i, i)] + 1e-4;
    }
    Some(a.cholesky()?.solve(right))
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
    let mut all: Vec<(Joints, f64)> = (0..YAWS)
        .map(|k| {
            let mut x = standing(given.height, place, 360.0 * k as f64 / YAWS as f64);
            let cost = alone(given, now, &mut x, 3);
            (x, cost)
        })
        .collect();
    all.sort_by(|a, b| a.1.total_cmp(&b.1));
    all.truncate(KEPT);
    for (x, cost) in &mut all {
        *cost = alone(given, now, x, 6);
    }
    all.sort_by(|a, b| a.1.total_cmp(&b.1));
    all
}

/// Where the hips are and which way they and the shoulders face, degrees.
fn gist(x: &Joints) -> ([f64; 2], f64) {
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
    (turn * turn).min(25.0) + (way * way).min(25.0)
}

/// A body for every instant, or nothing when no instant shows enough.
pub(super) fn start(given: &Given, instants: &[Instant]) -> Option<Vec<Joints>> {
    let mut chosen: Vec<usize> = Vec::new();
    for (t, now) in instants.iter().enumerate() {
        let enough = now.seen.len() >= LEAST;
        // Instants that smooth each other need one beginning between them.
        let due = chosen.last().is_none_or(|l| now.at - instants[*l].at > FAR);
        if enough && due {
            chosen.push(t);
        }
    }
    let options: Vec<(usize, Vec<(Joints, f64)>)> = chosen
        .into_iter()
        .map(|t| (t, candidates(given, &instants[t])))
        .filter(|o| !o.1.is_empty())
        .collect();
    let path = best_path(&options, instants);
    let first = path.first()?;
    // Between them, straight on; before and after, as at the ends.
    let mut out = Vec::with_capacity(instants.len());
    for (t, now) in instants.iter().enumerate() {
        let after = path.partition_point(|(k, _)| *k <= t);
        let x = match (after.checked_sub(1).map(|i| &path[i]), path.get(after)) {
            (Some((a, xa)), Some((b, xb))) => {
                let s = (now.at - instants[*a].at) / (instants[*b].at - instants[*a].at).max(1e-6);
                let mut x = [0.0; N];
                for (v, (from, to)) in x.iter_mut().zip(xa.iter().zip(xb)) {
                    *v = from + s * (to - from);
                }
                x
            }
            (Some((_, x)), None) => *x,
            (None, _) => first.1,
        };
        out.push(x);
    }
    Some(out)
}

/// Viterbi over the candidates: least sum of costs and changes.
fn best_path(
    options: &[(usize, Vec<(Joints, f64)>)],
    instants: &[Instant],
) -> Vec<(usize, Joints)> {
    let mut reached: Vec<Vec<(f64, usize)>> = Vec::new();
    for (i, (t, here)) in options.iter().enumerate() {
        let row = here
            .iter()
            .map(|(x, cost)| {
                let Some((before, all)) = i.checked_sub(1).map(|b| &options[b]) else {
                    return (*cost, 0);
                };
                let seconds = instants[*t].at - instants[*before].at;
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
