//! What a good solution must satisfy at one instant, as residuals in units of their standard error.

use nalgebra::{DMatrix, DVector, Matrix2x3, Matrix3, Vector3};

use super::skeleton::{
    ARMS, BONES, Bone, HIP_HEIGHT, Joints, LEGS, N, NOSE, SCALES, TRUNK, at, front, middle, p,
};
use super::{Given, Instant, Seen, Source};
use crate::body::Landmark;
use crate::camera::Camera;
use Landmark as L;

/// Standard error of a bone's length, metres.
const BONE_SIGMA: f64 = 0.008;

/// Priors of a posture repeat at every instant and are not independent: weaker by this factor.
const REPEATED: f64 = 2.0;

/// Less so for how hips, shoulders and feet turn against each other, which changes quickly.
const TURNED: f64 = 1.4;

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
    /// Whether derivatives are wanted.
    fn wants_slopes(&self) -> bool;
    /// A residual with its derivatives by coordinates and by length scales; the weight by which its square counts
    /// in the equations, and its cost, whose derivative is twice the weighted residual's.
    fn weigh(
        &mut self,
        residual: f64,
        slopes: &[(usize, f64)],
        scales: &[(usize, f64)],
        weighed: Weighed,
    );

    /// A residual with normal errors.
    fn take(&mut self, residual: f64, slopes: &[(usize, f64)], scales: &[(usize, f64)]) {
        let weighed = Weighed {
            weight: 1.0,
            cost: residual * residual,
            root: 1.0,
        };
        self.weigh(residual, slopes, scales, weighed);
    }
}

/// How much a residual counts.
#[derive(Debug, Clone, Copy)]
pub(super) struct Weighed {
    pub weight: f64,
    pub cost: f64,
    /// What the residual is multiplied with so that its square is its cost.
    pub root: f64,
}

/// Errors by Student's distribution with `nu` degrees of freedom in `axes` dimensions, of which the residuals
/// have this sum of squares: the weight of each (as in iteratively reweighted least squares) and, for all of them
/// together, minus twice the logarithm of the probability.
fn student(nu: f64, axes: f64, squares: f64) -> Weighed {
    let cost = (nu + axes) * (squares / nu).ln_1p();
    Weighed {
        weight: (nu + axes) / (nu + squares),
        cost,
        root: if squares > 1e-12 {
            (cost / squares).sqrt()
        } else {
            ((nu + axes) / nu).sqrt()
        },
    }
}

/// Only the cost.
#[derive(Default)]
pub(super) struct Cost(pub f64);

impl Sink for Cost {
    fn wants_slopes(&self) -> bool {
        false
    }

    fn weigh(&mut self, _: f64, _: &[(usize, f64)], _: &[(usize, f64)], weighed: Weighed) {
        self.0 += weighed.cost;
    }
}

/// Normal equations of one instant with the shared length scales.
pub(super) struct Normal {
    /// Coordinates × coordinates, lower triangle and diagonal.
    pub own: DMatrix<f64>,
    /// Coordinates × scales.
    pub cross: DMatrix<f64>,
    /// Scales × scales.
    pub scales: DMatrix<f64>,
    /// Minus half of the gradient by coordinates and by scales.
    pub right: DVector<f64>,
    pub right_scales: DVector<f64>,
    pub cost: f64,
}

impl Normal {
    pub fn new() -> Self {
        Self {
            own: DMatrix::zeros(N, N),
            cross: DMatrix::zeros(N, SCALES),
            scales: DMatrix::zeros(SCALES, SCALES),
            right: DVector::zeros(N),
            right_scales: DVector::zeros(SCALES),
            cost: 0.0,
        }
    }

    /// The upper triangle from the lower one.
    pub fn mirror(&mut self) {
        self.own.fill_upper_triangle_with_lower_triangle();
    }
}

impl Sink for Normal {
    fn wants_slopes(&self) -> bool {
        true
    }

    fn weigh(
        &mut self,
        residual: f64,
        slopes: &[(usize, f64)],
        scales: &[(usize, f64)],
        Weighed { weight, cost, .. }: Weighed,
    ) {
        self.cost += cost;
        for (i, a) in slopes {
            let wa = weight * a;
            self.right[*i] -= wa * residual;
            for (j, b) in slopes {
                if i >= j {
                    self.own[(*i, *j)] += wa * b;
                }
            }
            for (k, b) in scales {
                self.cross[(*i, *k)] += wa * b;
            }
        }
        for (k, a) in scales {
            self.right_scales[*k] -= weight * a * residual;
            for (m, b) in scales {
                self.scales[(*k, *m)] += weight * a * b;
            }
        }
    }
}

/// Pixel of a place with its derivatives; `None` behind the lens.
pub(super) fn project(camera: &Camera, at: Vector3<f64>) -> Option<([f64; 2], Matrix2x3<f64>)> {
    let rotation: &Matrix3<f64> = camera.rotation.matrix();
    let q = rotation * (at - camera.position.coords);
    if q.z < 0.05 {
        return None;
    }
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
    posture(given.height, x, sink);
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
fn seen(given: &Given, now: &Instant, x: &Joints, sink: &mut impl Sink) {
    pixels(given, now, x, sink, |_| true);
    for h in &now.hints {
        let camera = &given.cameras[h.camera];
        let rotation = camera.rotation.matrix();
        let about = rotation * (p(x, h.landmark) - middle(x, L::LeftHip, L::RightHip));
        let [own, left, right] = [h.landmark, L::LeftHip, L::RightHip].map(at);
        for k in 0..3 {
            let mut slopes = [(0, 0.0); 9];
            for c in 0..3 {
                let by = rotation[(k, c)] / HINT_SIGMA[k];
                slopes[c] = (own + c, by);
                slopes[3 + c] = (left + c, -0.5 * by);
                slopes[6 + c] = (right + c, -0.5 * by);
            }
            let miss = (about[k] - h.about_hips[k]) / HINT_SIGMA[k];
            sink.weigh(miss, &slopes, &[], student(HINT_FREEDOM, 1.0, miss * miss));
        }
    }
}

fn pixels(
    given: &Given,
    now: &Instant,
    x: &Joints,
    sink: &mut impl Sink,
    wanted: impl Fn(Landmark) -> bool,
) {
    for s in now.seen.iter().filter(|s| wanted(s.landmark)) {
        let camera = &given.cameras[s.camera];
        let Some((pixel, slope)) = project(camera, p(x, s.landmark)) else {
            continue;
        };
        let (sigma, miss, whole) = missed(given, s, pixel);
        // The cost is one for both axes.
        let half = Weighed {
            cost: 0.5 * whole.cost,
            ..whole
        };
        let first = at(s.landmark);
        for k in 0..2 {
            let slopes = [0, 1, 2].map(|c| (first + c, slope[(k, c)] / sigma));
            sink.weigh(miss[k], &slopes, &[], half);
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

/// Residuals of a few landmarks, their derivatives by differences.
fn terms<const K: usize>(
    x: &Joints,
    of: &[Landmark],
    sink: &mut impl Sink,
    f: impl Fn(&Joints) -> [f64; K],
) {
    let values = f(x);
    if !sink.wants_slopes() {
        values.iter().for_each(|v| sink.take(*v, &[], &[]));
        return;
    }
    const H: f64 = 1e-5;
    let mut moved = *x;
    let mut slopes = [[(0, 0.0); 21]; K];
    let mut n = 0;
    for l in of {
        for i in at(*l)..at(*l) + 3 {
            moved[i] = x[i] + H;
            let ahead = f(&moved);
            moved[i] = x[i] - H;
            let behind = f(&moved);
            for (slopes, (a, b)) in slopes.iter_mut().zip(ahead.iter().zip(behind)) {
                slopes[n] = (i, (a - b) / (2.0 * H));
            }
            moved[i] = x[i];
            n += 1;
        }
    }
    for (value, slopes) in values.iter().zip(&slopes) {
        sink.take(*value, &slopes[..n], &[]);
    }
}

fn term(x: &Joints, of: &[Landmark], sink: &mut impl Sink, f: impl Fn(&Joints) -> f64) {
    terms(x, of, sink, |x| [f(x)]);
}

/// Nothing while the value is positive, its size in units of `sigma` while it is negative.
fn hinge(
    x: &Joints,
    of: &[Landmark],
    sink: &mut impl Sink,
    sigma: f64,
    f: impl Fn(&Joints) -> f64,
) {
    if f(x) < 0.0 {
        term(x, of, sink, |x| f(x).min(0.0) / sigma);
    }
}

/// How people stand and bend: weak, and the same for everybody.
fn posture(height: f64, x: &Joints, sink: &mut impl Sink) {
    let [ls, rs, lh, rh] = [L::LeftShoulder, L::RightShoulder, L::LeftHip, L::RightHip];
    let trunk = |x: &Joints| middle(x, ls, rs) - middle(x, lh, rh);
    let w = REPEATED;
    let square =
        |line: Vector3<f64>, to: Vector3<f64>| line.dot(&to) / (line.norm() * to.norm()).max(1e-6);
    term(x, &[ls, rs, lh, rh], sink, |x| {
        square(p(x, ls) - p(x, rs), trunk(x)) / (0.09 * w)
    });
    term(x, &[ls, rs, lh, rh], sink, |x| {
        square(p(x, lh) - p(x, rh), trunk(x)) / (0.12 * w)
    });
    term(x, &[lh, rh], sink, |x| {
        let line = p(x, lh) - p(x, rh);
        line.z / (line.norm().max(1e-6) * 0.08 * w)
    });
    terms(x, &[ls, rs, lh, rh], sink, |x| {
        let shoulders = front(p(x, ls), p(x, rs));
        let hips = front(p(x, lh), p(x, rh));
        let turned = (shoulders - hips) / (0.25 * TURNED);
        let t = trunk(x);
        let leans = t / (t.norm().max(1e-6) * 0.10 * w);
        [turned.x, turned.y, leans.x, leans.y]
    });
    term(x, &[lh, rh], sink, |x| {
        (middle(x, lh, rh).z - HIP_HEIGHT * height) / (0.03 * height * w)
    });
    // The face is where the shoulders and the trunk put it.
    terms(x, &[L::Nose, ls, rs, lh, rh], sink, |x| {
        let t = trunk(x);
        let up = t / t.norm().max(1e-6);
        let wished = up * NOSE[0] * height + front(p(x, ls), p(x, rs)) * NOSE[1] * height;
        ((p(x, L::Nose) - middle(x, ls, rs) - wished) / (0.035 * w)).into()
    });
    balance(x, sink);
    for side in 0..2 {
        leg(side, x, sink);
        arm(height, side, x, sink);
    }
    for l in L::ALL {
        let z = at(l) + 2;
        if x[z] < 0.0 {
            sink.take(x[z] / BELOW, &[(z, 1.0 / BELOW)], &[]);
        }
    }
}

/// The hips are over the line between the feet.
fn balance(x: &Joints, sink: &mut impl Sink) {
    let [left, right] = LEGS.map(|[_, _, ankle, ..]| ankle);
    let f = |x: &Joints| {
        let hips = middle(x, L::LeftHip, L::RightHip).xy();
        let (a, b) = (p(x, left).xy(), p(x, right).xy());
        let along = b - a;
        let s = ((hips - a).dot(&along) / along.norm_squared().max(1e-4)).clamp(0.0, 1.0);
        hips - (a + along * s)
    };
    terms(x, &[L::LeftHip, L::RightHip, left, right], sink, |x| {
        (f(x) / (0.07 * REPEATED)).into()
    });
}

fn leg(side: usize, x: &Joints, sink: &mut impl Sink) {
    let [hip, knee, ankle, heel, toe] = LEGS[side];
    let (lh, rh) = (L::LeftHip, L::RightHip);
    terms(x, &[heel, toe, lh, rh], sink, |x| {
        let foot = p(x, toe) - p(x, heel);
        let flat = Vector3::new(foot.x, foot.y, 0.0);
        let way = flat / flat.norm().max(0.02);
        ((way - front(p(x, lh), p(x, rh))).xy() / (0.45 * TURNED)).into()
    });
    // The knee from the line between hip and ankle.
    let off = move |x: &Joints| {
        let (a, b) = (p(x, hip), p(x, ankle));
        let along = (b - a).normalize();
        let out = p(x, knee) - a;
        out - along * out.dot(&along)
    };
    let ahead = move |x: &Joints| {
        let foot = p(x, toe) - p(x, heel);
        let flat = Vector3::new(foot.x, foot.y, 0.0);
        let way = front(p(x, lh), p(x, rh)) + flat / flat.norm().max(0.02);
        way / way.norm().max(0.1)
    };
    let all = [hip, knee, ankle, heel, toe, if side == 0 { rh } else { lh }];
    hinge(x, &all, sink, 0.02, |x| off(x).dot(&ahead(x)));
    term(x, &all, sink, |x| {
        off(x).dot(&Vector3::z().cross(&ahead(x))) / (0.04 * REPEATED)
    });
    // The ankle is over the foot.
    hinge(x, &[ankle, heel, toe], sink, 0.01, |x| {
        p(x, ankle).z - p(x, heel).z.min(p(x, toe).z) - 0.02
    });
}

fn arm(height: f64, side: usize, x: &Joints, sink: &mut impl Sink) {
    let [shoulder, elbow, wrist, knuckle] = ARMS[side];
    let (ls, rs) = (L::LeftShoulder, L::RightShoulder);
    // The elbow hangs: down, outward and a little back from the line between shoulder and wrist.
    hinge(x, &[ls, rs, elbow, wrist], sink, 0.03, |x| {
        let (a, b) = (p(x, shoulder), p(x, wrist));
        let along = (b - a) / (b - a).norm().max(1e-6);
        let out = p(x, elbow) - a;
        let off = out - along * out.dot(&along);
        let ahead = front(p(x, ls), p(x, rs));
        let outward = Vector3::z().cross(&ahead) * if side == 0 { 1.0 } else { -1.0 };
        let pole = -Vector3::z() + outward * 0.6 - ahead * 0.25;
        off.dot(&pole.normalize())
    });
    // Hands work in front of the body.
    hinge(x, &[ls, rs, wrist], sink, 0.06, |x| {
        let ahead = front(p(x, ls), p(x, rs));
        (p(x, wrist) - middle(x, ls, rs)).dot(&ahead) + 0.12
    });
    // The hand goes on from the forearm.
    terms(x, &[elbow, wrist, knuckle], sink, |x| {
        let fore = p(x, wrist) - p(x, elbow);
        let on = fore / fore.norm().max(1e-6) * 0.06 * height;
        ((p(x, knuckle) - p(x, wrist) - on) / (0.025 * REPEATED)).into()
    });
}

/// A foot that does not stand is seldom far from the floor; kicks are no wonder either.
fn lifted(now: &Instant, x: &Joints, sink: &mut impl Sink) {
    // Where every moment is seen, who lifts a foot is seen to.
    let by = if now.seen.iter().all(|s| s.source == Source::Hand) {
        1.0
    } else {
        2.0
    };
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

    /// Normal equations agree with the slope of the cost by differences, where weights are fixed.
    #[test]
    fn the_gradient_is_that_of_the_cost() {
        let mut x = standing(1.75, [0.1, 0.2], 30.0);
        for (i, v) in x.iter_mut().enumerate() {
            *v += 0.01 * ((i * 37 % 11) as f64 / 11.0 - 0.5);
        }
        let scales = [0.02; SCALES];
        let mut normal = Normal::new();
        lengths(1.75, &x, &scales, &mut normal);
        posture(1.75, &x, &mut normal);
        let cost = |x: &Joints| {
            let mut c = Cost::default();
            lengths(1.75, x, &scales, &mut c);
            posture(1.75, x, &mut c);
            c.0
        };
        for i in 0..N {
            let mut moved = x;
            moved[i] += 1e-6;
            let ahead = cost(&moved);
            moved[i] -= 2e-6;
            let slope = (ahead - cost(&moved)) / 2e-6;
            let claimed = -2.0 * normal.right[i];
            assert!(
                (slope - claimed).abs() < 1e-3 * (1.0 + slope.abs()),
                "{i} {slope} {claimed}"
            );
        }
        // A standing body strains nothing but a few lengths by millimetres.
        let calm = cost(&standing(1.75, [0.0, 0.0], 0.0));
        assert!(calm < 20.0, "{calm}");
    }
}
