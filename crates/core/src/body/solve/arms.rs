//! The shape of each arm: one camera cannot tell an elbow in front of the picture plane from one behind
//! it, so every such shape is tried.

use nalgebra::{DMatrix, DVector, Point2, Vector3};

use super::skeleton::{ARMS, BONES, Joints, SCALES, at, p, set};
use super::terms::{Cost, of_arm};
use super::{FAR, Given, Instant};
use crate::camera::Camera;

/// A shape of an arm explains what is seen nearly as well when its cost is within this of the best.
const RIVAL: f64 = 9.0;

/// Shapes whose elbows differ by less are the same, degrees.
const SAME: f64 = 15.0;

/// A shape: elbow, wrist and knuckle, metres, with its cost.
#[derive(Clone, Copy)]
struct Shape {
    at: [Vector3<f64>; 3],
    cost: f64,
}

/// Chooses the arms' shapes over the whole take and puts them into the joints. Gives, by instant and
/// side, the elbow angle of a rival shape.
pub(super) fn choose(
    given: &Given,
    instants: &[Instant],
    joints: &mut [Joints],
    scales: &[f64; SCALES],
) -> Vec<[Option<f64>; 2]> {
    let mut rivals = vec![[None; 2]; instants.len()];
    for side in 0..2 {
        let options: Vec<Vec<Shape>> = instants
            .iter()
            .zip(joints.iter())
            .map(|(now, x)| shapes(given, now, side, x, scales))
            .collect();
        let path = best_path(&options, instants, joints, side);
        for (t, k) in path.into_iter().enumerate() {
            let Some(best) = options[t].get(k) else {
                continue;
            };
            let [_, own @ ..] = ARMS[side];
            for (l, to) in own.into_iter().zip(best.at) {
                set(&mut joints[t], l, to);
            }
            let shoulder = p(&joints[t], ARMS[side][0]);
            let bend = |s: &Shape| {
                (shoulder - s.at[0])
                    .angle(&(s.at[1] - s.at[0]))
                    .to_degrees()
            };
            let own = bend(best);
            rivals[t][side] = options[t]
                .iter()
                .filter(|s| s.cost < best.cost + RIVAL)
                .map(bend)
                .filter(|b| (b - own).abs() > SAME)
                .max_by(|a, b| (a - own).abs().total_cmp(&(b - own).abs()));
        }
    }
    rivals
}

/// The shapes that an arm may have at an instant, each descended to its own least cost.
fn shapes(
    given: &Given,
    now: &Instant,
    side: usize,
    x: &Joints,
    scales: &[f64; SCALES],
) -> Vec<Shape> {
    let [shoulder, elbow, wrist, knuckle] = ARMS[side];
    let mut starts = vec![*x];
    let views: Vec<usize> = {
        let mut v: Vec<usize> = now
            .seen
            .iter()
            .filter(|s| s.landmark == elbow || s.landmark == wrist)
            .map(|s| s.camera)
            .collect();
        v.sort_unstable();
        v.dedup();
        v
    };
    if let [camera] = views[..] {
        let camera_of = given.cameras[camera];
        let pixel = |l| now.seen.iter().find(|s| s.landmark == l).map(|s| s.pixel);
        let long = |share: f64, scale: usize| given.height * share * scales[scale].exp();
        let [upper, fore] = [&BONES[2], &BONES[4]].map(|b| long(b.share, b.scale));
        let root = p(x, shoulder);
        let elbows =
            pixel(elbow).map_or(vec![p(x, elbow)], |q| on_sphere(camera_of, q, root, upper));
        for e in elbows {
            let wrists =
                pixel(wrist).map_or(vec![p(x, wrist)], |q| on_sphere(camera_of, q, e, fore));
            for w in wrists {
                let mut start = *x;
                set(&mut start, elbow, e);
                set(&mut start, wrist, w);
                let way = (w - e) / (w - e).norm().max(1e-6);
                set(&mut start, knuckle, w + way * 0.06 * given.height);
                starts.push(start);
            }
        }
    }
    starts
        .into_iter()
        .map(|mut x| {
            let cost = descend(given, now, side, &mut x, scales);
            Shape {
                at: [elbow, wrist, knuckle].map(|l| p(&x, l)),
                cost,
            }
        })
        .collect()
}

/// The near and the far place at which a pixel's ray meets a sphere; the nearest one where it misses.
fn on_sphere(
    camera: &Camera,
    pixel: [f64; 2],
    middle: Vector3<f64>,
    radius: f64,
) -> Vec<Vector3<f64>> {
    let ray = camera.ray(Point2::from(pixel));
    let to = middle - camera.position.coords;
    let along = to.dot(&ray);
    let off = to.norm_squared() - along * along;
    let half = radius * radius - off;
    let on = |s: f64| camera.position.coords + ray * s;
    if half <= 0.0 {
        return vec![on(along)];
    }
    vec![on(along - half.sqrt()), on(along + half.sqrt())]
}

/// A few steps over the arm's nine coordinates; gives the cost reached.
fn descend(
    given: &Given,
    now: &Instant,
    side: usize,
    x: &mut Joints,
    scales: &[f64; SCALES],
) -> f64 {
    let [_, own @ ..] = ARMS[side];
    let index: Vec<usize> = own.iter().flat_map(|l| at(*l)..at(*l) + 3).collect();
    let cost = |x: &Joints| {
        let mut c = Cost::default();
        of_arm(given, now, side, x, scales, &mut c);
        c.0
    };
    let mut best = cost(x);
    let mut damping = 1e-2;
    for _ in 0..5 {
        let mut part = Part::new(&index);
        of_arm(given, now, side, x, scales, &mut part);
        let mut moved = false;
        for _ in 0..3 {
            let mut a = part.own.clone();
            for i in 0..index.len() {
                a[(i, i)] += damping * a[(i, i)] + 1e-3;
            }
            let Some(step) = a.cholesky().map(|c| c.solve(&part.right)) else {
                damping *= 10.0;
                continue;
            };
            let mut next = *x;
            for (i, by) in index.iter().zip(step.iter()) {
                next[*i] += by.clamp(-0.2, 0.2);
            }
            let reached = cost(&next);
            if reached < best {
                moved = best - reached > 1e-3;
                *x = next;
                best = reached;
                damping *= 0.2;
                break;
            }
            damping *= 10.0;
        }
        if !moved {
            break;
        }
    }
    best
}

/// Normal equations of a few coordinates; the others stay.
struct Part<'a> {
    index: &'a [usize],
    own: DMatrix<f64>,
    right: DVector<f64>,
}

impl<'a> Part<'a> {
    fn new(index: &'a [usize]) -> Self {
        Self {
            index,
            own: DMatrix::zeros(index.len(), index.len()),
            right: DVector::zeros(index.len()),
        }
    }
}

impl super::terms::Sink for Part<'_> {
    fn wants_slopes(&self) -> bool {
        true
    }

    fn take(&mut self, residual: f64, slopes: &[(usize, f64)], _: &[(usize, f64)], weight: f64) {
        for (i, a) in slopes {
            let Some(i) = self.index.iter().position(|k| k == i) else {
                continue;
            };
            self.right[i] -= weight * a * residual;
            for (j, b) in slopes {
                if let Some(j) = self.index.iter().position(|k| k == j) {
                    self.own[(i, j)] += weight * a * b;
                }
            }
        }
    }
}

/// Viterbi over the shapes: an arm moves some way in the time between instants and not through itself.
fn best_path(
    options: &[Vec<Shape>],
    instants: &[Instant],
    joints: &[Joints],
    side: usize,
) -> Vec<usize> {
    let mut reached: Vec<Vec<(f64, usize)>> = Vec::with_capacity(options.len());
    for (t, here) in options.iter().enumerate() {
        let row: Vec<(f64, usize)> = here
            .iter()
            .map(|s| {
                let Some(before) = t.checked_sub(1) else {
                    return (s.cost, 0);
                };
                let seconds = instants[t].at - instants[before].at;
                let root = |t: usize| p(&joints[t], ARMS[side][0]);
                let change = |was: &Shape| {
                    if seconds > FAR {
                        return 0.0;
                    }
                    let by = seconds / 0.08;
                    let moved =
                        |k: usize| ((s.at[k] - root(t)) - (was.at[k] - root(before))).norm();
                    let [e, w] = [moved(0) / (0.06 * by), moved(1) / (0.09 * by)];
                    (e * e).min(30.0) + (w * w).min(30.0)
                };
                options[before]
                    .iter()
                    .enumerate()
                    .map(|(k, was)| (reached[before][k].0 + change(was), k))
                    .min_by(|a, b| a.0.total_cmp(&b.0))
                    .map_or((s.cost, 0), |(c, k)| (c + s.cost, k))
            })
            .collect();
        reached.push(row);
    }
    let mut out = vec![0; options.len()];
    let least = |row: &[(f64, usize)]| {
        row.iter()
            .enumerate()
            .min_by(|a, b| a.1.0.total_cmp(&b.1.0))
            .map_or(0, |(k, _)| k)
    };
    let mut next = reached.last().map_or(0, |r| least(r));
    for t in (0..options.len()).rev() {
        out[t] = next;
        next = reached[t].get(next).map_or(0, |r| r.1);
    }
    out
}
