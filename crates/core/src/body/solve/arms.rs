//! The shape of each arm: one camera cannot tell an elbow in front of the picture plane from one behind
//! it, so every such shape is tried.

use nalgebra::{Matrix3, Point2, SMatrix, SVector, Vector3};

use super::skeleton::{ARMS, BONES, Joints, N, SCALES, at, p, set};
use super::terms::{Cost, Weighed, of_arm};
use super::{FAR, Given, Instant};
use crate::body::Landmark;
use crate::camera::Camera;

/// Shapes whose elbows differ by less are one and the same, degrees.
const SAME: f64 = 3.0;

/// Arms whose joints are this near have the same shape, metres.
const NEAR: f64 = 0.06;

/// Least spread of an elbow whose shape only its usual hang tells, degrees. On simulated takes one in
/// eight of them was another shape than the likeliest.
const ALONE: f64 = 16.0;

/// How an arm usually hangs says less than its cost pretends, since it repeats: differences of cost count
/// for so much less.
const BELIEF: f64 = 2.5;

/// Standard error of a held hand's place against what holds it, metres.
const GRIP: f64 = 0.10;

/// Most that a hand costs which is not where it should be held.
const NO_GRIP: f64 = 16.0;

/// A shape: elbow, wrist and knuckle, metres, with its cost.
#[derive(Clone, Copy)]
struct Shape {
    at: [Vector3<f64>; 3],
    cost: f64,
}

impl Shape {
    /// The middle of the hand.
    fn hand(&self) -> Vector3<f64> {
        0.5 * (self.at[1] + self.at[2])
    }
}

/// A place at which a hand may be, metres, and what that costs beyond the likeliest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Place {
    pub at: Vector3<f64>,
    pub cost: f64,
}

/// What was chosen, by instant and side.
pub(super) struct Chosen {
    /// How far other shapes that may be true spread the elbow's angle, degrees (1σ).
    pub spreads: Vec<[f64; 2]>,
    /// Where the hand may be, by what is seen of this dancer alone.
    pub hands: Vec<[Vec<Place>; 2]>,
}

/// Chooses the arms' shapes over the whole take and puts them into the joints; each other shape counts with the
/// probability that its cost leaves it. `held` are the places at which a hand is held, where it is.
pub(super) fn choose(
    given: &Given,
    instants: &[Instant],
    joints: &mut [Joints],
    scales: &[f64; SCALES],
    held: Option<&[[Vec<Place>; 2]]>,
) -> Chosen {
    let mut spreads = vec![[0.0; 2]; instants.len()];
    let mut hands = vec![[Vec::new(), Vec::new()]; instants.len()];
    for side in 0..2 {
        let mut options: Vec<Vec<Shape>> = instants
            .iter()
            .zip(joints.iter())
            .map(|(now, x)| shapes(given, now, side, x, scales))
            .collect();
        let costs = path_costs(&options, instants, joints, side);
        for (t, costs) in costs.iter().enumerate() {
            let least = costs.iter().copied().fold(f64::INFINITY, f64::min);
            hands[t][side] = options[t]
                .iter()
                .zip(costs)
                .map(|(s, cost)| Place {
                    at: s.hand(),
                    cost: cost - least,
                })
                .collect();
        }
        let costs = match held {
            None => costs,
            Some(held) => {
                for (options, held) in options.iter_mut().zip(held) {
                    for s in options {
                        s.cost += off_hold(s.hand(), &held[side]);
                    }
                }
                path_costs(&options, instants, joints, side)
            }
        };
        for (t, costs) in costs.into_iter().enumerate() {
            let least = costs.iter().copied().fold(f64::INFINITY, f64::min);
            let Some(k) = costs.iter().position(|c| *c == least) else {
                continue;
            };
            let best = options[t][k];
            let [_, own @ ..] = ARMS[side];
            // An arm that has this shape already stays, smoothed as it is.
            let off = |(l, to): (Landmark, Vector3<f64>)| (p(&joints[t], l) - to).norm();
            if own.into_iter().zip(best.at).map(off).fold(0.0, f64::max) > NEAR {
                for (l, to) in own.into_iter().zip(best.at) {
                    set(&mut joints[t], l, to);
                }
            }
            let shoulder = p(&joints[t], ARMS[side][0]);
            let bend = |s: &Shape| {
                (shoulder - s.at[0])
                    .angle(&(s.at[1] - s.at[0]))
                    .to_degrees()
            };
            // Starts that came to the same shape are one.
            let mut apart: Vec<(f64, f64)> = vec![(bend(&best), 0.0)];
            for (s, cost) in options[t].iter().zip(&costs) {
                let b = bend(s);
                if apart.iter().all(|a| (a.0 - b).abs() > SAME) {
                    apart.push((b, cost - least));
                }
            }
            let weight = |a: &(f64, f64)| (-0.5 * a.1 / BELIEF).exp();
            let weights: f64 = apart.iter().map(weight).sum();
            let squares: f64 = apart
                .iter()
                .map(|a| weight(a) * (a.0 - apart[0].0).powi(2))
                .sum();
            let mut spread = (squares / weights).sqrt();
            let holds = held.is_some_and(|h| !h[t][side].is_empty());
            if !holds && alone(instants, t, side) {
                spread = spread.max(ALONE);
            }
            spreads[t][side] = spread;
        }
    }
    Chosen { spreads, hands }
}

/// What it costs a hand to be here when it is held at one of these places; a hold that is not what the chart
/// says costs no more than so much.
fn off_hold(hand: Vector3<f64>, held: &[Place]) -> f64 {
    let off = |p: &Place| p.cost + ((hand - p.at).norm() / GRIP).powi(2);
    held.iter()
        .map(off)
        .reduce(f64::min)
        .map_or(0.0, |c| c.min(NO_GRIP))
}

/// Whether an arm is seen by one camera only and at no near moment besides: then its shapes were told
/// apart by nothing but how arms usually hang.
fn alone(instants: &[Instant], t: usize, side: usize) -> bool {
    let [_, elbow, ..] = ARMS[side];
    let views = instants[t]
        .seen
        .iter()
        .filter(|s| s.landmark == elbow)
        .count();
    let near = |k: usize| {
        let gap = instants.get(k).map(|i| (i.at - instants[t].at).abs());
        gap.is_some_and(|g| g < FAR)
    };
    views < 2 && !near(t + 1) && !t.checked_sub(1).is_some_and(near)
}

/// The shapes that an arm may have at an instant, each settled a little.
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
    if views.len() > 1 {
        // Where the lines of sight meet, which a body begun the wrong way round does not find by itself.
        let mut start = *x;
        for l in [elbow, wrist, knuckle] {
            if let Some(place) = meeting(given, now, l) {
                set(&mut start, l, place);
            }
        }
        starts.push(start);
    }
    starts
        .into_iter()
        .map(|mut x| {
            let cost = settle(given, now, side, &mut x, scales);
            Shape {
                at: [elbow, wrist, knuckle].map(|l| p(&x, l)),
                cost,
            }
        })
        .collect()
}

/// The place nearest to all lines of sight to a landmark (least squares); `None` unless two cameras see it.
fn meeting(given: &Given, now: &Instant, l: Landmark) -> Option<Vector3<f64>> {
    let (mut across, mut right) = (Matrix3::zeros(), Vector3::zeros());
    let mut many = 0;
    for s in now.seen.iter().filter(|s| s.landmark == l) {
        let camera = given.cameras[s.camera];
        let ray = camera.ray(Point2::from(s.pixel));
        let off = Matrix3::identity() - ray * ray.transpose();
        across += off;
        right += off * camera.position.coords;
        many += 1;
    }
    // Cameras that look the same way leave the depth open.
    let place = across.lu().solve(&right)?;
    (many > 1 && across.determinant() > 1e-3).then_some(place)
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

/// A step over the arm's nine coordinates; gives the cost reached. One only: with one camera and a detector on 200
/// simulated takes up to five steps made elbows wrong by 5.3° instead of 4.6°, and directions by 3.9° instead of 3.5°;
/// perhaps because a shape that is followed further fits the errors of a single instant.
fn settle(
    given: &Given,
    now: &Instant,
    side: usize,
    x: &mut Joints,
    scales: &[f64; SCALES],
) -> f64 {
    let [_, own @ ..] = ARMS[side];
    let cost = |x: &Joints| {
        let mut c = Cost::default();
        of_arm(given, now, side, x, scales, &mut c);
        c.0
    };
    let before = cost(x);
    let index = Index::new(own);
    let mut part = Part::new(&index);
    of_arm(given, now, side, x, scales, &mut part);
    for damping in [1e-2, 1e-1, 1.0] {
        let mut a = part.own;
        for i in 0..OF_ARM {
            a[(i, i)] += damping * a[(i, i)] + 1e-3;
        }
        let Some(step) = a.cholesky().map(|c| c.solve(&part.right)) else {
            continue;
        };
        let mut next = *x;
        for (l, by) in own.iter().zip(step.as_slice().chunks(3)) {
            for (x, by) in next[at(*l)..].iter_mut().zip(by) {
                *x += by.clamp(-0.2, 0.2);
            }
        }
        let reached = cost(&next);
        if reached < before {
            *x = next;
            return reached;
        }
    }
    before
}

/// Coordinates of an arm below its shoulder.
const OF_ARM: usize = 9;

/// Where each coordinate of a body stands among those of an arm below its shoulder.
struct Index([Option<u8>; N]);

impl Index {
    fn new(own: [Landmark; 3]) -> Self {
        let mut of = [None; N];
        for (k, i) in own.into_iter().flat_map(|l| at(l)..at(l) + 3).zip(0..) {
            of[k] = Some(i);
        }
        Self(of)
    }
}

/// Normal equations of an arm, lower triangle and diagonal; the other coordinates stay.
struct Part<'a> {
    of: &'a Index,
    own: SMatrix<f64, OF_ARM, OF_ARM>,
    right: SVector<f64, OF_ARM>,
}

impl<'a> Part<'a> {
    fn new(of: &'a Index) -> Self {
        Self {
            of,
            own: SMatrix::zeros(),
            right: SVector::zeros(),
        }
    }
}

impl super::terms::Sink for Part<'_> {
    const SLOPES: bool = true;

    fn weigh(
        &mut self,
        residual: f64,
        slopes: &[(usize, f64)],
        _: &[(usize, f64)],
        Weighed { weight, .. }: Weighed,
    ) {
        for (j, b) in slopes {
            let Some(j) = self.of.0[*j] else { continue };
            let weighed = weight * b;
            self.right[usize::from(j)] -= weighed * residual;
            for (i, a) in slopes {
                if let Some(i) = self.of.0[*i].filter(|i| *i >= j) {
                    self.own[(usize::from(i), usize::from(j))] += weighed * a;
                }
            }
        }
    }
}

/// Least cost of a whole take that goes through each shape (Viterbi there and back): an arm moves some
/// way in the time between instants.
fn path_costs(
    options: &[Vec<Shape>],
    instants: &[Instant],
    joints: &[Joints],
    side: usize,
) -> Vec<Vec<f64>> {
    let root = |t: usize| p(&joints[t], ARMS[side][0]);
    let change = |t: usize, was: &Shape, is: &Shape| {
        let seconds = instants[t].at - instants[t - 1].at;
        if seconds > FAR {
            return 0.0;
        }
        let by = seconds / 0.08;
        let moved = |k: usize| ((is.at[k] - root(t)) - (was.at[k] - root(t - 1))).norm();
        let [e, w] = [moved(0) / (0.06 * by), moved(1) / (0.09 * by)];
        (e * e).min(30.0) + (w * w).min(30.0)
    };
    let least = |costs: &mut dyn Iterator<Item = f64>| costs.fold(f64::INFINITY, f64::min);
    let n = options.len();
    let mut there: Vec<Vec<f64>> = Vec::with_capacity(n);
    for t in 0..n {
        let row = options[t]
            .iter()
            .map(|is| {
                let before = t.checked_sub(1).map_or(0.0, |b| {
                    let all = options[b].iter().zip(&there[b]);
                    least(&mut all.map(|(was, c)| c + change(t, was, is)))
                });
                is.cost + if before.is_finite() { before } else { 0.0 }
            })
            .collect();
        there.push(row);
    }
    let mut back: Vec<f64> = options.last().map_or(Vec::new(), |o| vec![0.0; o.len()]);
    let mut out = there;
    for t in (0..n).rev() {
        for (total, b) in out[t].iter_mut().zip(&back) {
            *total += b;
        }
        if let Some(b) = t.checked_sub(1) {
            back = options[b]
                .iter()
                .map(|was| {
                    let after = options[t].iter().zip(&back);
                    let c = least(&mut after.map(|(is, c)| is.cost + c + change(t, was, is)));
                    if c.is_finite() { c } else { 0.0 }
                })
                .collect();
        }
    }
    out
}
