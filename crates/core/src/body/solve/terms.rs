//! What a good solution must satisfy at one instant, as residuals in units of their standard error.

use nalgebra::{Matrix2x3, Matrix3, Vector3};

use super::block::{Column, ROWS, Real};
use super::skeleton::{
    ARMS, BONES, Bone, HIP_HEIGHT, Joints, LEGS, NOSE, SCALES, TRUNK, at, front, middle, p,
};
use super::{Given, Instant, Seen, automatic, by_networks, start};
use crate::body::Landmark;
use crate::camera::Camera;
use Landmark as L;

/// Standard error of a bone's length, metres.
const BONE_SIGMA: f64 = 0.008;

/// Priors of a posture repeat at every instant and are not independent: weaker by this factor.
const REPEATED: f64 = 2.0;

/// Less so for how hips, shoulders and feet turn against each other, which changes quickly.
const TURNED: f64 = 1.4;

/// How far a trunk is expected to lean, radians (1σ, weakened as above): where pixels alone tell of it, and where a
/// detector tells of depth. There the first would draw whoever does lean to upright (docs/decisions/0034).
const LEANS: [f64; 2] = [0.2, 0.35];

/// Standard error of a hint along the picture and in depth, metres, doubled like the priors.
const HINT_SIGMA: [f64; 3] = [0.08, 0.08, 0.15];

/// How high heel and toe of a foot are carried, metres (1σ), doubled like the priors, and the degrees of freedom.
const LIFTED: [f64; 2] = [0.06, 0.03];
const LIFTED_FREEDOM: f64 = 3.0;

/// The same for the ball of a foot that bore the weight until just now.
const BORE: f64 = 0.012;

/// How far below the floor a landmark may be found, metres (1σ).
const BELOW: f64 = 0.01;

/// Degrees of freedom of a hint's errors.
const HINT_FREEDOM: f64 = 4.0;

/// Takes up residuals with their derivatives.
pub(super) trait Sink {
    /// Whether derivatives are looked at.
    const SLOPES: bool;

    /// Whether terms that pull on one side only are wanted, as zeros, where they do not.
    const IDLE: bool = false;

    /// A residual with its derivatives by coordinates and by length scales; the weight by which its square counts
    /// in the equations, and its cost, whose derivative is twice the weighted residual's.
    fn weigh(
        &mut self,
        residual: f64,
        slopes: &[(usize, f64)],
        scales: &[(usize, f64)],
        weighed: Weighed,
    );

    /// Residuals along three axes of a place about the middle between two others, by the first coordinates of all
    /// three; each with its slope by the place.
    fn about(&mut self, place: usize, ends: [usize; 2], axes: [(f64, Vector3<f64>, Weighed); 3]) {
        for (residual, by, weighed) in axes {
            let mut slopes = [(0, 0.0); 9];
            for c in 0..3 {
                slopes[c] = (place + c, by[c]);
                slopes[3 + c] = (ends[0] + c, -0.5 * by[c]);
                slopes[6 + c] = (ends[1] + c, -0.5 * by[c]);
            }
            self.weigh(residual, &slopes, &[], weighed);
        }
    }

    /// A residual with normal errors.
    fn take(&mut self, residual: f64, slopes: &[(usize, f64)], scales: &[(usize, f64)]) {
        let weighed = Weighed {
            weight: 1.0,
            cost: residual * residual,
            squares: residual * residual,
        };
        self.weigh(residual, slopes, scales, weighed);
    }
}

/// How much a residual counts.
#[derive(Debug, Clone, Copy)]
pub(super) struct Weighed {
    pub weight: f64,
    pub cost: f64,
    /// Square of the residual, or what stands for it.
    squares: f64,
}

impl Weighed {
    /// What the residual is multiplied with so that its square is its cost.
    pub fn root(self) -> f64 {
        if self.squares > 1e-12 {
            (self.cost / self.squares).sqrt()
        } else {
            self.weight.sqrt()
        }
    }

    /// One of two axes that share a cost.
    fn half(self) -> Self {
        Self {
            cost: 0.5 * self.cost,
            squares: 0.5 * self.squares,
            ..self
        }
    }
}

/// Errors by Student's distribution with `nu` degrees of freedom in `axes` dimensions, of which the residuals
/// have this sum of squares: the weight of each (as in iteratively reweighted least squares) and, for all of them
/// together, minus twice the logarithm of the probability.
pub(super) fn student(nu: f64, axes: f64, squares: f64) -> Weighed {
    Weighed {
        weight: (nu + axes) / (nu + squares),
        cost: (nu + axes) * (1.0 + squares / nu).ln(),
        squares,
    }
}

/// Only the cost.
#[derive(Default)]
pub(super) struct Cost(pub f64);

impl Sink for Cost {
    const SLOPES: bool = false;

    fn weigh(&mut self, _: f64, _: &[(usize, f64)], _: &[(usize, f64)], weighed: Weighed) {
        self.0 += weighed.cost;
    }
}

/// Normal equations of one instant with the shared length scales.
pub(super) struct Normal<'a, T> {
    /// Coordinates × coordinates, lower triangle and diagonal.
    own: &'a mut [Column<T>],
    /// Coordinates by scales.
    cross: &'a mut [Column<T>],
    /// Scales × scales.
    pub scales: [[f64; SCALES]; SCALES],
    /// Minus half of the gradient by coordinates and by scales.
    pub right: Column<f64>,
    pub right_scales: [f64; SCALES],
    pub cost: f64,
}

impl<'a, T: Real> Normal<'a, T> {
    /// Nothing yet, to be summed up in these columns.
    pub fn new(own: &'a mut [Column<T>], cross: &'a mut [Column<T>]) -> Self {
        own.fill([T::default(); ROWS]);
        cross.fill([T::default(); ROWS]);
        Self {
            own,
            cross,
            scales: [[0.0; SCALES]; SCALES],
            right: [0.0; ROWS],
            right_scales: [0.0; SCALES],
            cost: 0.0,
        }
    }
}

impl<T: Real> Sink for Normal<'_, T> {
    const SLOPES: bool = true;

    fn weigh(
        &mut self,
        residual: f64,
        slopes: &[(usize, f64)],
        scales: &[(usize, f64)],
        Weighed { weight, cost, .. }: Weighed,
    ) {
        self.cost += cost;
        for (j, b) in slopes {
            let wb = weight * b;
            self.right[*j] -= wb * residual;
            let column = &mut self.own[*j];
            for (i, a) in slopes {
                if i >= j {
                    column[*i] += T::rounded(wb * a);
                }
            }
            for (k, a) in scales {
                self.cross[*k][*j] += T::rounded(wb * a);
            }
        }
        for (k, a) in scales {
            self.right_scales[*k] -= weight * a * residual;
            for (m, b) in scales {
                self.scales[*k][*m] += weight * a * b;
            }
        }
    }

    /// All three axes at once, a block for each two of the three places.
    fn about(&mut self, place: usize, ends: [usize; 2], axes: [(f64, Vector3<f64>, Weighed); 3]) {
        let (mut square, mut pull) = (Matrix3::zeros(), Vector3::zeros());
        for (residual, by, weighed) in axes {
            self.cost += weighed.cost;
            let weighted = by * weighed.weight;
            square += weighted * by.transpose();
            pull += weighted * residual;
        }
        let parts = [(place, 1.0), (ends[0], -0.5), (ends[1], -0.5)];
        for (a, of_a) in parts {
            for c in 0..3 {
                self.right[a + c] -= of_a * pull[c];
            }
            for (b, of_b) in parts {
                // The lower triangle; a place that is one of the ends meets itself in both orders.
                if a < b {
                    continue;
                }
                for (c, column) in self.own[b..b + 3].iter_mut().enumerate() {
                    for (to, v) in column[a..a + 3].iter_mut().zip(square.column(c).iter()) {
                        *to += T::rounded(of_a * of_b * v);
                    }
                }
            }
        }
    }
}

/// A place in a camera's own axes; `None` behind the lens.
fn in_camera(camera: &Camera, at: Vector3<f64>) -> Option<Vector3<f64>> {
    let q = camera.rotation.matrix() * (at - camera.position.coords);
    (q.z >= 0.05).then_some(q)
}

/// Pixel and depth of a place; `None` behind the lens.
pub(super) fn pixel(camera: &Camera, at: Vector3<f64>) -> Option<([f64; 2], f64)> {
    let q = in_camera(camera, at)?;
    let (x, y) = (q.x / q.z, q.y / q.z);
    let far = camera.focal * (1.0 + camera.bend * (x * x + y * y));
    Some((
        [camera.centre[0] + far * x, camera.centre[1] + far * y],
        q.z,
    ))
}

/// Pixel of a place with its derivatives; `None` behind the lens.
pub(super) fn project(camera: &Camera, at: Vector3<f64>) -> Option<([f64; 2], Matrix2x3<f64>)> {
    let rotation: &Matrix3<f64> = camera.rotation.matrix();
    let q = in_camera(camera, at)?;
    let (x, y) = (q.x / q.z, q.y / q.z);
    let r2 = x * x + y * y;
    let (k, f) = (camera.bend, camera.focal);
    let by = 1.0 + k * r2;
    let pixel = [camera.centre[0] + f * by * x, camera.centre[1] + f * by * y];
    // By x and y, then by the place in the camera.
    let [xx, xy, yy] = [by + 2.0 * k * x * x, 2.0 * k * x * y, by + 2.0 * k * y * y];
    let of_camera = Matrix2x3::new(
        f * xx / q.z,
        f * xy / q.z,
        -f * (xx * x + xy * y) / q.z,
        f * xy / q.z,
        f * yy / q.z,
        -f * (xy * x + yy * y) / q.z,
    );
    Some((pixel, of_camera * rotation))
}

/// By how much a pixel misses where a landmark was seen: the standard error that counts, the miss along
/// both axes in units of it, and how much it counts.
pub(super) fn missed(given: &Given, s: &Seen, pixel: [f64; 2]) -> (f64, [f64; 2], Weighed) {
    let sigma = given.sigma(s);
    let miss = [0, 1].map(|k| (pixel[k] - s.pixel[k]) / sigma);
    let squares = miss[0] * miss[0] + miss[1] * miss[1];
    (sigma, miss, student(s.source.freedom(), 2.0, squares))
}

/// All residuals of one instant.
pub(super) fn instant(
    given: &Given,
    now: &Instant,
    x: &Joints,
    scales: &[f64; SCALES],
    sink: &mut impl Sink,
) {
    seen(given, now, x, sink);
    lengths(given.height, x, scales, sink);
    posture(given.height, leans(now), x, sink);
    lifted(now, x, sink);
    planted(now, x, sink);
}

/// The residuals that only one arm below its shoulder takes part in.
pub(super) fn of_arm(
    given: &Given,
    now: &Instant,
    side: usize,
    x: &Joints,
    scales: &[f64; SCALES],
    sink: &mut impl Sink,
) {
    let [_, own @ ..] = ARMS[side];
    pixels(given, now, x, sink, |l| own.contains(&l));
    for b in BONES.iter().filter(|b| own.contains(&b.to)) {
        bone(given.height, b, x, scales, sink);
    }
    arm(given.height, side, x, sink);
}

/// Landmarks seen by the cameras, with the weights of Student's distribution on each point.
fn seen<S: Sink>(given: &Given, now: &Instant, x: &Joints, sink: &mut S) {
    pixels(given, now, x, sink, |_| true);
    let hips = middle(x, L::LeftHip, L::RightHip);
    for h in &now.hints {
        let rotation = given.cameras[h.camera].rotation.matrix();
        let about = rotation * (p(x, h.landmark) - hips);
        let miss = [0, 1, 2].map(|k| (about[k] - h.about_hips[k]) / HINT_SIGMA[k]);
        let mut weighed = miss.map(|m| student(HINT_FREEDOM, 1.0, m * m));
        if !S::IDLE {
            // One logarithm for all three, where nobody asks for each.
            let all = miss.iter().map(|m| 1.0 + m * m / HINT_FREEDOM);
            let cost = (HINT_FREEDOM + 1.0) * all.product::<f64>().ln();
            weighed.iter_mut().for_each(|w| w.cost = cost / 3.0);
        }
        let axes = [0, 1, 2].map(|k| {
            let by = rotation.row(k).transpose() / HINT_SIGMA[k];
            (miss[k], by, weighed[k])
        });
        sink.about(at(h.landmark), [L::LeftHip, L::RightHip].map(at), axes);
    }
}

fn pixels<S: Sink>(
    given: &Given,
    now: &Instant,
    x: &Joints,
    sink: &mut S,
    wanted: impl Fn(Landmark) -> bool,
) {
    for s in now.seen.iter().filter(|s| wanted(s.landmark)) {
        let (camera, place) = (given.cameras[s.camera], p(x, s.landmark));
        let projected = if S::SLOPES {
            project(camera, place)
        } else {
            pixel(camera, place).map(|(pixel, _)| (pixel, Matrix2x3::zeros()))
        };
        let Some((pixel, slope)) = projected else {
            continue;
        };
        let (sigma, miss, whole) = missed(given, s, pixel);
        let first = at(s.landmark);
        for k in 0..2 {
            let slopes = [0, 1, 2].map(|c| (first + c, slope[(k, c)] / sigma));
            sink.weigh(miss[k], &slopes, &[], whole.half());
        }
    }
}

/// Residual of a bone's length.
fn bone(height: f64, b: &Bone, x: &Joints, scales: &[f64; SCALES], sink: &mut impl Sink) {
    let apart = p(x, b.from) - p(x, b.to);
    let long = apart.norm().max(1e-6);
    let wished = height * b.share * scales[b.scale].exp();
    let way = apart / (long * BONE_SIGMA);
    let mut slopes = [(0, 0.0); 6];
    for c in 0..3 {
        slopes[c] = (at(b.from) + c, way[c]);
        slopes[3 + c] = (at(b.to) + c, -way[c]);
    }
    let by_scale = [(b.scale, -wished / BONE_SIGMA)];
    sink.take((long - wished) / BONE_SIGMA, &slopes, &by_scale);
}

fn lengths(height: f64, x: &Joints, scales: &[f64; SCALES], sink: &mut impl Sink) {
    for b in &BONES {
        bone(height, b, x, scales, sink);
    }
    let trunk = middle(x, L::LeftShoulder, L::RightShoulder) - middle(x, L::LeftHip, L::RightHip);
    let long = trunk.norm().max(1e-6);
    let wished = height * TRUNK.0 * scales[TRUNK.1].exp();
    let way = trunk / (2.0 * long * BONE_SIGMA);
    let mut slopes = [(0, 0.0); 12];
    let ends = [
        (L::LeftShoulder, 1.0),
        (L::RightShoulder, 1.0),
        (L::LeftHip, -1.0),
        (L::RightHip, -1.0),
    ];
    for (i, (l, sign)) in ends.into_iter().enumerate() {
        for c in 0..3 {
            slopes[3 * i + c] = (at(l) + c, sign * way[c]);
        }
    }
    let by_scale = [(TRUNK.1, -wished / BONE_SIGMA)];
    sink.take((long - wished) / BONE_SIGMA, &slopes, &by_scale);
}

/// How a residual changes with the places of landmarks.
type Slope = (Landmark, Vector3<f64>);

/// A residual of a few landmarks' places, in units of its standard error.
fn term<S: Sink, const M: usize>(
    sink: &mut S,
    sigma: f64,
    value: f64,
    by: impl FnOnce() -> [Slope; M],
) {
    let mut slopes = [[(0, 0.0); 3]; M];
    if S::SLOPES {
        for (slopes, (l, by)) in slopes.iter_mut().zip(by()) {
            for (c, slope) in slopes.iter_mut().enumerate() {
                *slope = (at(l) + c, by[c] / sigma);
            }
        }
    }
    sink.take(value / sigma, slopes.as_flattened(), &[]);
}

/// A residual that pulls only where its value is negative.
fn hinge<S: Sink, const M: usize>(
    sink: &mut S,
    sigma: f64,
    value: f64,
    by: impl FnOnce() -> [Slope; M],
) {
    if S::IDLE || value < 0.0 {
        term(sink, sigma, value.min(0.0), by);
    }
}

/// A way in space with its length, which is never taken for less than `least`.
struct Way {
    unit: Vector3<f64>,
    long: f64,
    free: bool,
}

impl Way {
    fn new(way: Vector3<f64>, least: f64) -> Self {
        let long = way.norm();
        Self {
            unit: way / long.max(least),
            long: long.max(least),
            free: long > least,
        }
    }

    /// The slope by the way, from that by its unit vector.
    fn slope(&self, of_unit: Vector3<f64>) -> Vector3<f64> {
        let along = if self.free {
            self.unit.dot(&of_unit)
        } else {
            0.0
        };
        (of_unit - self.unit * along) / self.long
    }
}

/// Which way a line from right to left faces.
struct Facing {
    ahead: Vector3<f64>,
    line: Vector3<f64>,
}

impl Facing {
    fn new(left: Vector3<f64>, right: Vector3<f64>) -> Self {
        Self {
            ahead: front(left, right),
            line: left - right,
        }
    }

    /// The slope by the left end, from that by the direction ahead; by the right end it is the opposite one.
    fn slope(&self, of_ahead: Vector3<f64>) -> Vector3<f64> {
        let flat = self.line.xy().norm_squared();
        if flat > 1e-12 {
            let along = self.line.xy().dot(&of_ahead.xy());
            -self.ahead * (along / flat)
        } else {
            Vector3::zeros()
        }
    }
}

/// How far a joint is off the line between two others along a direction.
struct Off {
    along: Way,
    out: Vector3<f64>,
    off: Vector3<f64>,
}

impl Off {
    fn new(from: Vector3<f64>, joint: Vector3<f64>, to: Vector3<f64>) -> Self {
        let along = Way::new(to - from, 1e-6);
        let out = joint - from;
        Self {
            off: out - along.unit * out.dot(&along.unit),
            along,
            out,
        }
    }

    /// The slopes by the three places of the way off in this direction.
    fn slopes(&self, direction: Vector3<f64>) -> [Vector3<f64>; 3] {
        let unit = self.along.unit;
        let share = direction.dot(&unit);
        let joint = direction - unit * share;
        let to = self
            .along
            .slope(-self.out * share - direction * self.out.dot(&unit));
        [-joint - to, joint, to]
    }
}

/// Unit vector of an axis.
fn axis(k: usize) -> Vector3<f64> {
    Vector3::ith(k, 1.0)
}

/// How people stand and bend: weak, and the same for everybody.
fn posture(height: f64, leans: f64, x: &Joints, sink: &mut impl Sink) {
    trunk(height, leans, x, sink);
    balance(x, sink);
    for side in 0..2 {
        leg(side, x, sink);
        arm(height, side, x, sink);
    }
    for l in L::ALL {
        let z = at(l) + 2;
        hinge(sink, BELOW, x[z], || [(l, Vector3::z())]);
    }
}

/// How far a trunk is expected to lean. For the program's own networks it was not tried and stays as by pixels.
fn leans(now: &Instant) -> f64 {
    let by_detector = !now.hints.is_empty() && !by_networks(std::slice::from_ref(now));
    LEANS[usize::from(by_detector)]
}

fn trunk(height: f64, leans: f64, x: &Joints, sink: &mut impl Sink) {
    let [ls, rs, lh, rh] = [L::LeftShoulder, L::RightShoulder, L::LeftHip, L::RightHip];
    let w = REPEATED;
    let up = Way::new(middle(x, ls, rs) - middle(x, lh, rh), 1e-6);
    let lines = [(ls, rs), (lh, rh)].map(|(l, r)| Way::new(p(x, l) - p(x, r), 1e-6));
    // Shoulders and hips are square to the trunk.
    for (line, sigma, of) in [(&lines[0], 0.09, [0.0, 1.0]), (&lines[1], 0.12, [1.0, 0.0])] {
        term(sink, sigma * w, line.unit.dot(&up.unit), || {
            let by_line = line.slope(up.unit);
            let by_trunk = up.slope(line.unit) * 0.5;
            let [hips, shoulders] = of.map(|of| by_line * of);
            [
                (ls, by_trunk + shoulders),
                (rs, by_trunk - shoulders),
                (lh, hips - by_trunk),
                (rh, -hips - by_trunk),
            ]
        });
    }
    term(sink, 0.08 * w, lines[1].unit.z, || {
        let level = lines[1].slope(Vector3::z());
        [(lh, level), (rh, -level)]
    });
    let [shoulders, hips] = [(ls, rs), (lh, rh)].map(|(l, r)| Facing::new(p(x, l), p(x, r)));
    for k in 0..2 {
        let turned = shoulders.ahead[k] - hips.ahead[k];
        term(sink, 0.25 * TURNED, turned, || {
            let (top, below) = (shoulders.slope(axis(k)), hips.slope(-axis(k)));
            [(ls, top), (rs, -top), (lh, below), (rh, -below)]
        });
    }
    for k in 0..2 {
        term(sink, leans, up.unit[k], || {
            let by = up.slope(axis(k)) * 0.5;
            [(ls, by), (rs, by), (lh, -by), (rh, -by)]
        });
    }
    let high = middle(x, lh, rh).z - HIP_HEIGHT * height;
    term(sink, 0.03 * height * w, high, || {
        [lh, rh].map(|l| (l, Vector3::z() * 0.5))
    });
    // The face is where the shoulders and the trunk put it.
    let wished = up.unit * NOSE[0] * height + shoulders.ahead * NOSE[1] * height;
    let off = p(x, L::Nose) - middle(x, ls, rs) - wished;
    for k in 0..3 {
        term(sink, 0.035 * w, off[k], || {
            let by_trunk = up.slope(axis(k)) * (-0.5 * NOSE[0] * height);
            let by_line = shoulders.slope(axis(k)) * (-NOSE[1] * height);
            let half = axis(k) * -0.5 + by_trunk;
            [
                (L::Nose, axis(k)),
                (ls, half + by_line),
                (rs, half - by_line),
                (lh, -by_trunk),
                (rh, -by_trunk),
            ]
        });
    }
}

/// The hips are over the line between the feet.
fn balance(x: &Joints, sink: &mut impl Sink) {
    let [left, right] = LEGS.map(|[_, _, ankle, ..]| ankle);
    let (a, b) = (p(x, left).xy(), p(x, right).xy());
    let hips = middle(x, L::LeftHip, L::RightHip).xy();
    let (out, along) = (hips - a, b - a);
    let far = along.norm_squared().max(1e-4);
    let share = out.dot(&along) / far;
    let over = out - along * share.clamp(0.0, 1.0);
    for k in 0..2 {
        term(sink, 0.07 * REPEATED, over[k], || {
            let own = axis(k).xy();
            // Beyond an end only that end counts.
            let (by_out, by_along) = if share <= 0.0 {
                (own, own * 0.0)
            } else if share >= 1.0 {
                (own, -own)
            } else {
                let free = if far > 1e-4 { 2.0 * share } else { 0.0 };
                let turned = (out - along * free) * (along[k] / far);
                (own - along * (along[k] / far), -own * share - turned)
            };
            let flat = |v: nalgebra::Vector2<f64>| Vector3::new(v.x, v.y, 0.0);
            [
                (L::LeftHip, flat(by_out * 0.5)),
                (L::RightHip, flat(by_out * 0.5)),
                (left, flat(-by_out - by_along)),
                (right, flat(by_along)),
            ]
        });
    }
}

fn leg(side: usize, x: &Joints, sink: &mut impl Sink) {
    let [hip, knee, ankle, heel, toe] = LEGS[side];
    let (lh, rh) = (L::LeftHip, L::RightHip);
    let hips = Facing::new(p(x, lh), p(x, rh));
    let long = p(x, toe) - p(x, heel);
    let foot = Way::new(Vector3::new(long.x, long.y, 0.0), 0.02);
    for k in 0..2 {
        let turned = foot.unit[k] - hips.ahead[k];
        term(sink, 0.45 * TURNED, turned, || {
            let (by_foot, by_hips) = (foot.slope(axis(k)), hips.slope(-axis(k)));
            [
                (toe, by_foot),
                (heel, -by_foot),
                (lh, by_hips),
                (rh, -by_hips),
            ]
        });
    }
    // The knee from the line between hip and ankle: never behind it, and not aside.
    let bent = Off::new(p(x, hip), p(x, knee), p(x, ankle));
    let ahead = Way::new(hips.ahead + foot.unit, 0.1);
    let slopes = |direction: Vector3<f64>, by_ahead: Vector3<f64>| {
        let [by_hip, by_knee, by_ankle] = bent.slopes(direction);
        let way = ahead.slope(by_ahead);
        let (by_foot, by_hips) = (foot.slope(way), hips.slope(way));
        // A foot's direction is one on the floor.
        let by_foot = Vector3::new(by_foot.x, by_foot.y, 0.0);
        [
            (hip, by_hip),
            (knee, by_knee),
            (ankle, by_ankle),
            (toe, by_foot),
            (heel, -by_foot),
            (lh, by_hips),
            (rh, -by_hips),
        ]
    };
    hinge(sink, 0.02, bent.off.dot(&ahead.unit), || {
        slopes(ahead.unit, bent.off)
    });
    let aside = Vector3::z().cross(&ahead.unit);
    term(sink, 0.04 * REPEATED, bent.off.dot(&aside), || {
        slopes(aside, bent.off.cross(&Vector3::z()))
    });
    // The ankle is over the foot.
    let lower = if p(x, heel).z < p(x, toe).z {
        heel
    } else {
        toe
    };
    let over = p(x, ankle).z - p(x, lower).z - 0.02;
    hinge(sink, 0.01, over, || {
        [(ankle, Vector3::z()), (lower, -Vector3::z())]
    });
}

fn arm(height: f64, side: usize, x: &Joints, sink: &mut impl Sink) {
    let [shoulder, elbow, wrist, knuckle] = ARMS[side];
    let (ls, rs) = (L::LeftShoulder, L::RightShoulder);
    let shoulders = Facing::new(p(x, ls), p(x, rs));
    // The elbow hangs: down, outward and a little back from the line between shoulder and wrist.
    let bent = Off::new(p(x, shoulder), p(x, elbow), p(x, wrist));
    let outward = if side == 0 { 0.6 } else { -0.6 };
    let aside = Vector3::z().cross(&shoulders.ahead) * outward;
    let pole = -Vector3::z() + aside - shoulders.ahead * 0.25;
    let (pole, long) = (pole.normalize(), pole.norm());
    let hangs = bent.off.dot(&pole);
    hinge(sink, 0.03, hangs, || {
        let [by_shoulder, by_elbow, by_wrist] = bent.slopes(pole);
        // All parts of the pole stay at right angles, so that its length stays.
        let turned = (bent.off.cross(&Vector3::z()) * outward - bent.off * 0.25) / long;
        let by_line = shoulders.slope(turned);
        [
            (shoulder, by_shoulder),
            (elbow, by_elbow),
            (wrist, by_wrist),
            (ls, by_line),
            (rs, -by_line),
        ]
    });
    // Hands work in front of the body.
    let reach = p(x, wrist) - middle(x, ls, rs);
    let behind = reach.dot(&shoulders.ahead) + 0.12;
    hinge(sink, 0.06, behind, || {
        let (half, by_line) = (shoulders.ahead * -0.5, shoulders.slope(reach));
        [
            (wrist, shoulders.ahead),
            (ls, half + by_line),
            (rs, half - by_line),
        ]
    });
    // The hand goes on from the forearm.
    let fore = Way::new(p(x, wrist) - p(x, elbow), 1e-6);
    let on = p(x, knuckle) - p(x, wrist) - fore.unit * (0.06 * height);
    for k in 0..3 {
        term(sink, 0.025 * REPEATED, on[k], || {
            let by_fore = fore.slope(axis(k)) * (-0.06 * height);
            [
                (knuckle, axis(k)),
                (wrist, by_fore - axis(k)),
                (elbow, -by_fore),
            ]
        });
    }
}

/// By how much higher feet may be carried than usually. Where every moment is seen, who lifts a foot is seen to, the
/// more so by two cameras; what the program's own networks see of feet is often too high.
fn carried(now: &Instant) -> f64 {
    let own = std::slice::from_ref(now);
    if !automatic(own) {
        1.0
    } else if start::one_camera(now) || by_networks(own) {
        2.0
    } else {
        4.0
    }
}

/// A foot that does not stand is seldom far from the floor; kicks are no wonder either.
fn lifted(now: &Instant, x: &Joints, sink: &mut impl Sink) {
    let by = carried(now);
    for (side, [.., heel, toe]) in LEGS.into_iter().enumerate() {
        let ball = if now.bore[side] { BORE } else { by * LIFTED[1] };
        for (l, sigma) in [(heel, by * LIFTED[0]), (toe, ball)] {
            let z = at(l) + 2;
            let lift = x[z] / sigma;
            let weighed = student(LIFTED_FREEDOM, 1.0, lift * lift);
            sink.weigh(lift, &[(z, 1.0 / sigma)], &[], weighed);
        }
    }
}

/// Parts of the feet that stand on the floor.
fn planted(now: &Instant, x: &Joints, sink: &mut impl Sink) {
    for (side, parts) in now.planted.iter().enumerate() {
        let [.., heel, toe] = LEGS[side];
        for (on, l) in parts.iter().zip([heel, toe]) {
            if *on {
                let i = at(l) + 2;
                let sigma = now.floor_sigma;
                sink.take(x[i] / sigma, &[(i, 1.0 / sigma)], &[]);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::skeleton::N;
    use super::super::{Source, block};
    use super::*;
    use crate::body::solve::skeleton::standing;
    use nalgebra::Point3;

    #[test]
    fn the_derivatives_of_a_pixel_are_those_of_the_camera() {
        let mut camera = Camera::looking_at(
            Point3::new(0.4, -4.6, 1.4),
            Point3::new(0.0, 0.0, 0.8),
            2.0,
            64.0,
            [1280.0, 720.0],
        );
        for bend in [0.0, -0.06] {
            camera.bend = bend;
            let at = Vector3::new(0.5, 0.3, 1.2);
            let (pixel, slope) = project(&camera, at).unwrap();
            let known = camera.project(Point3::from(at)).unwrap();
            assert_eq!(
                super::pixel(&camera, at),
                Some((pixel, camera.depth(at.into())))
            );
            assert!((pixel[0] - known.x).abs() < 1e-9 && (pixel[1] - known.y).abs() < 1e-9);
            for c in 0..3 {
                let mut moved = at;
                moved[c] += 1e-6;
                let q = camera.project(Point3::from(moved)).unwrap();
                for (k, d) in [q.x - known.x, q.y - known.y].into_iter().enumerate() {
                    assert!((d / 1e-6 - slope[(k, c)]).abs() < 1e-2);
                }
            }
        }
    }

    /// Takes up residuals of places one axis after the other.
    struct OneByOne<'a>(Normal<'a, f64>);

    impl Sink for OneByOne<'_> {
        const SLOPES: bool = true;

        fn weigh(
            &mut self,
            residual: f64,
            slopes: &[(usize, f64)],
            scales: &[(usize, f64)],
            weighed: Weighed,
        ) {
            self.0.weigh(residual, slopes, scales, weighed);
        }
    }

    #[test]
    fn feet_are_carried_as_high_as_those_who_saw_them_can_tell() {
        let seen = |camera, source| Seen {
            camera,
            landmark: L::LeftToe,
            pixel: [0.0; 2],
            sigma: 3.0,
            source,
            carried: 0.0,
        };
        let by = |cameras: usize, source| {
            let mut now = Instant::new(0.0);
            now.seen = (0..cameras).map(|c| seen(c, source)).collect();
            carried(&now)
        };
        assert_eq!(by(1, Source::Hand), by(2, Source::Hand));
        assert!(by(1, Source::Automatic) > by(1, Source::Hand));
        assert!(by(2, Source::Automatic) > by(1, Source::Automatic));
        assert_eq!(by(2, Source::Network), by(1, Source::Network));
    }

    #[test]
    fn hints_come_to_the_same_axis_by_axis() {
        let axes = [1.5, -0.4, 3.0].map(|r| {
            let by = Vector3::new(0.3 * r, 1.0 - r, 2.0 + 0.1 * r);
            (r, by, student(4.0, 1.0, r * r))
        });
        // Also of a hip itself, and of places before and behind the hips.
        for place in [L::Nose, L::LeftHip, L::RightHip, L::LeftToe] {
            let ends = [L::LeftHip, L::RightHip].map(at);
            let [mut own, mut other] = [(); 2].map(|()| block::zeros::<f64>(N));
            let [mut cross, mut none] = [(); 2].map(|()| block::zeros::<f64>(SCALES));
            let mut whole = Normal::new(&mut own, &mut cross);
            whole.about(at(place), ends, axes);
            let mut single = OneByOne(Normal::new(&mut other, &mut none));
            single.about(at(place), ends, axes);
            assert!((whole.cost - single.0.cost).abs() < 1e-12);
            for i in 0..N {
                assert!((whole.right[i] - single.0.right[i]).abs() < 1e-12);
            }
            for c in 0..N {
                for r in c..N {
                    assert!((own[c][r] - other[c][r]).abs() < 1e-12, "{place:?} {r} {c}");
                }
            }
        }
    }

    /// Normal equations agree with the slope of the cost by differences, where weights are fixed; also for bodies
    /// that bend the wrong way, which only few terms forbid.
    #[test]
    fn the_gradient_is_that_of_the_cost() {
        let scales = [0.02; SCALES];
        let cost = |x: &Joints| {
            let mut c = Cost::default();
            lengths(1.75, x, &scales, &mut c);
            posture(1.75, LEANS[0], x, &mut c);
            c.0
        };
        for (k, far) in [0.01, 0.1, 0.3, 0.3, 0.6].into_iter().enumerate() {
            let mut x = standing(1.75, [0.1, 0.2], 30.0 + 70.0 * k as f64);
            for (i, v) in x.iter_mut().enumerate() {
                *v += far * (((i + k) * 37 % 11) as f64 / 11.0 - 0.5);
            }
            let (mut own, mut cross) = (block::zeros::<f64>(N), block::zeros(SCALES));
            let mut normal = Normal::new(&mut own, &mut cross);
            lengths(1.75, &x, &scales, &mut normal);
            posture(1.75, LEANS[0], &x, &mut normal);
            for i in 0..N {
                let mut moved = x;
                moved[i] += 1e-6;
                let ahead = cost(&moved);
                moved[i] -= 2e-6;
                let slope = (ahead - cost(&moved)) / 2e-6;
                let claimed = -2.0 * normal.right[i];
                assert!(
                    (slope - claimed).abs() < 1e-3 * (1.0 + slope.abs()),
                    "{k} {i} {slope} {claimed}"
                );
            }
        }
        // A standing body strains nothing but a few lengths by millimetres.
        let calm = cost(&standing(1.75, [0.0, 0.0], 0.0));
        assert!(calm < 20.0, "{calm}");
    }
}
