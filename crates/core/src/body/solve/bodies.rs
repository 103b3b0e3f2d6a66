//! What was solved, and values computed from it with their uncertainty.

use std::cell::Cell;
use std::sync::Arc;

use nalgebra::{DMatrix, DVector, Matrix3, Point3, Vector3};

use super::alone::Alone;
use super::skeleton::{self, Joints, N, SCALES, at};
use super::sure::{OF_CAMERA, OWN};
use super::{FAR, by_networks};
use crate::body::Landmark;
use crate::units::{Estimate, Foot};

/// A moment this near to an instant is that instant, seconds.
const SAME: f64 = 0.02;

/// How fast dancers go and turn about the counts, metres and radians a second (1σ).
const PACE: f64 = 0.8;
const TURNS: f64 = 1.0;

/// How far another shape that an arm may have moves its elbow and hand: metres for a degree of the elbow's angle,
/// by an upper arm of 28 cm.
const ELBOW_MOVES: f64 = 0.28 * std::f64::consts::PI / 180.0;

/// A solved take of one dancer.
#[derive(Debug, Clone)]
pub struct Bodies {
    /// Instants, seconds.
    pub at: Vec<f64>,
    pub(super) joints: Vec<Joints>,
    /// Heel and toe of the left and the right foot that stand on the floor, by instant.
    pub planted: Vec<[[bool; 2]; 2]>,
    /// Covariance of each instant's coordinates, pixels' part. Solutions of one dancer share what they have in common.
    pub(super) own: Vec<Arc<DMatrix<f32>>>,
    /// How coordinates follow the shared unknowns: length scales, then each camera's seven.
    pub(super) shared: Vec<Arc<DMatrix<f64>>>,
    /// Covariance of the shared unknowns.
    pub(super) shared_covariance: DMatrix<f64>,
    /// How far other shapes of an arm spread its elbow's angle, degrees, by instant and side.
    pub(super) spreads: Vec<[f64; 2]>,
    /// Standing height, metres.
    pub height: f64,
    /// Length scales found, logarithms.
    pub scales: [f64; SCALES],
    /// Root mean square of the pixel residuals in units of their standard errors.
    pub residual: f64,
    /// Factorisations that were needed.
    pub rounds: usize,
    /// Whether the program's own networks found any of it.
    by_networks: bool,
    /// How often left and right legs or arms bore each other's names, and were put right.
    pub exchanged: usize,
}

/// Joints of one moment, with which values are computed. Remembers which of them were asked for.
#[derive(Clone, Copy)]
pub struct Posture<'a> {
    joints: &'a Joints,
    used: &'a Cell<u32>,
}

impl Posture<'_> {
    /// Place of a landmark, metres.
    pub fn joint(&self, l: Landmark) -> Vector3<f64> {
        self.used.set(self.used.get() | 1 << l as u32);
        skeleton::p(self.joints, l)
    }

    /// Place of a landmark that only says whether there is a value, metres: the value must not depend on it.
    pub fn glimpse(&self, l: Landmark) -> Vector3<f64> {
        skeleton::p(self.joints, l)
    }

    /// Middle between two landmarks, metres.
    pub fn middle(&self, a: Landmark, b: Landmark) -> Vector3<f64> {
        0.5 * (self.joint(a) + self.joint(b))
    }
}

/// A solved dancer at a moment, at an instant or between two.
#[derive(Clone)]
pub struct Moment<'a> {
    of: &'a Bodies,
    joints: Joints,
    /// Instants and their shares.
    parts: [(usize, f64); 2],
    /// How far the instant is from the moment that was asked for, seconds.
    gap: f64,
}

impl Moment<'_> {
    /// A value computed from the moment's joints, with its standard error to first order.
    pub fn value(&self, f: impl Fn(Posture) -> Option<f64>) -> Option<Estimate> {
        value(&[self], |p| f(p[0]))
    }

    /// Place of a landmark, metres.
    pub fn joint(&self, l: Landmark) -> Point3<f64> {
        Point3::from(skeleton::p(&self.joints, l))
    }

    /// Places of the nineteen landmarks in the order of [`Landmark`], metres.
    pub fn joints(&self) -> [Point3<f64>; 19] {
        std::array::from_fn(|l| {
            let x = &self.joints[3 * l..3 * l + 3];
            Point3::new(x[0], x[1], x[2])
        })
    }

    /// The same for a moment so many seconds away: by then the dancer went on.
    #[must_use]
    pub fn late_by(self, seconds: f64) -> Self {
        Self {
            gap: self.gap + seconds.abs(),
            ..self
        }
    }

    /// Elbow angle of an arm, degrees, 180 when straight. One camera cannot always tell an elbow before
    /// the picture plane from one behind it: shapes that may be true as well are part of its error.
    pub fn elbow(&self, side: Foot) -> Option<Estimate> {
        let [s, e, w] = Landmark::arm(side);
        let bend = |p: &[Posture]| {
            let (a, b) = (p[0].joint(s) - p[0].joint(e), p[0].joint(w) - p[0].joint(e));
            Some(a.angle(&b).to_degrees())
        };
        let own = first_order(&[self], bend, false)?;
        Some(Estimate::new(own.value, own.sigma.hypot(self.spread(side))))
    }

    /// How far other shapes that an arm may have spread its elbow's angle, degrees.
    pub fn spread(&self, side: Foot) -> f64 {
        let of = |part: &(usize, f64)| {
            if part.1 > 0.0 {
                self.of.spreads[part.0][side as usize]
            } else {
                0.0
            }
        };
        self.parts.iter().map(of).fold(0.0, f64::max)
    }

    /// Instants that have a share in the moment.
    fn parts(&self) -> impl Iterator<Item = (usize, f64)> {
        self.parts.into_iter().filter(|p| p.1 != 0.0)
    }

    /// Variance of a value by its slopes along some coordinates, the pixels' part. Between two instants the errors are
    /// taken to be the same ones: neighbours smooth each other.
    fn variance(&self, index: &[usize], slopes: &[f64]) -> f64 {
        let of = |(t, share): (usize, f64)| {
            let own = &self.of.own[t];
            let along = index.iter().zip(slopes).map(|(j, b)| {
                let column = own.column(*j);
                let row = index.iter().zip(slopes);
                b * row.map(|(i, a)| a * f64::from(column[*i])).sum::<f64>()
            });
            share * along.sum::<f64>()
        };
        self.parts().map(of).sum()
    }

    /// Slope of a value by a shared unknown, from its slopes along some coordinates.
    fn shared(&self, index: &[usize], slopes: &[f64], unknown: usize) -> f64 {
        let of = |(t, share): (usize, f64)| {
            let column = self.of.shared[t].column(unknown);
            share
                * index
                    .iter()
                    .zip(slopes)
                    .map(|(i, a)| a * column[*i])
                    .sum::<f64>()
        };
        self.parts().map(of).sum()
    }
}

impl Bodies {
    /// Bodies that are known, each coordinate with the same standard error, metres: imported ones, or a
    /// simulation's.
    pub fn known(
        height: f64,
        at: Vec<f64>,
        joints: &[[Point3<f64>; 19]],
        planted: Vec<[[bool; 2]; 2]>,
        sigma: f64,
    ) -> Self {
        let n = at.len();
        let own = Arc::new(DMatrix::from_diagonal_element(N, N, (sigma * sigma) as f32));
        let shared = Arc::new(DMatrix::zeros(N, OWN));
        let flat = |all: &[Point3<f64>; 19]| {
            let mut x = [0.0; N];
            for (l, p) in all.iter().enumerate() {
                x[3 * l..3 * l + 3].copy_from_slice(p.coords.as_slice());
            }
            x
        };
        Self {
            at,
            joints: joints.iter().map(flat).collect(),
            planted,
            own: vec![own; n],
            shared: vec![shared; n],
            shared_covariance: DMatrix::zeros(OWN, OWN),
            spreads: vec![[0.0; 2]; n],
            height,
            scales: [0.0; SCALES],
            residual: 1.0,
            rounds: 0,
            by_networks: false,
            exchanged: 0,
        }
    }

    /// As a dancer is known alone, by so many cameras, before it is known how surely.
    pub(super) fn unsure(alone: &Alone, cameras: usize) -> Self {
        let many = OWN + OF_CAMERA * cameras;
        let n = alone.at.len();
        // All instants share the nothing that is known.
        let (own, shared) = (DMatrix::zeros(N, N), DMatrix::zeros(N, many));
        let (own, shared) = (Arc::new(own), Arc::new(shared));
        Self {
            at: alone.at.clone(),
            joints: alone.joints.clone(),
            planted: alone.used.iter().map(|i| i.planted).collect(),
            own: vec![own; n],
            shared: vec![shared; n],
            shared_covariance: DMatrix::zeros(many, many),
            spreads: alone.spreads.clone(),
            height: alone.height,
            scales: alone.scales,
            residual: alone.residual,
            rounds: alone.rounds,
            by_networks: by_networks(&alone.used),
            exchanged: alone.exchanged,
        }
    }

    /// An instant as it is in another solution of the same dancer.
    pub(super) fn take(&mut self, t: usize, from: &Self, k: usize) {
        self.joints[t] = from.joints[k];
        self.spreads[t] = from.spreads[k];
        self.own[t].clone_from(&from.own[k]);
        self.shared[t].clone_from(&from.shared[k]);
    }

    /// The dancer at an instant.
    pub fn instant(&self, t: usize) -> Moment<'_> {
        Moment {
            of: self,
            joints: self.joints[t],
            parts: [(t, 1.0), (t, 0.0)],
            gap: 0.0,
        }
    }

    /// The dancer at a moment, seconds: between two instants that are near to each other, or at one that is near
    /// enough; else nothing is known.
    pub fn moment(&self, seconds: f64) -> Option<Moment<'_>> {
        let after = self.at.partition_point(|t| *t <= seconds);
        let before = after.checked_sub(1);
        let near = |t: usize| (self.at[t] - seconds).abs() <= SAME;
        match (before, (after < self.at.len()).then_some(after)) {
            (Some(a), Some(b)) if self.at[b] - self.at[a] < FAR => {
                let s = (seconds - self.at[a]) / (self.at[b] - self.at[a]);
                Some(Moment {
                    of: self,
                    joints: self.between(a, s),
                    parts: [(a, 1.0 - s), (b, s)],
                    gap: 0.0,
                })
            }
            (Some(a), _) if near(a) => Some(self.instant(a).late_by(seconds - self.at[a])),
            (_, Some(b)) if near(b) => Some(self.instant(b).late_by(seconds - self.at[b])),
            _ => None,
        }
    }

    /// Joints at a share of the way from an instant to the next: on the cubic that goes through each as fast as a parabola
    /// through it and its neighbours (piecewise cubic Bessel interpolation: de Boor, C. (1978), A Practical Guide to
    /// Splines, ch. IV), where these are near; else straight. Hips that bob three times a second are seen four times
    /// each time: a straight line would cut off a third.
    fn between(&self, a: usize, s: f64) -> Joints {
        let b = a + 1;
        let near = |t: usize| t + 1 < self.at.len() && self.at[t + 1] - self.at[t] < FAR;
        let speed = |t: usize, i: usize| {
            let [before, after] = [self.at[t] - self.at[t - 1], self.at[t + 1] - self.at[t]];
            let x = |t: usize| self.joints[t][i];
            let [came, goes] = [(x(t) - x(t - 1)) / before, (x(t + 1) - x(t)) / after];
            (after * came + before * goes) / (before + after)
        };
        let way = self.at[b] - self.at[a];
        let outer = a.checked_sub(1).is_some_and(near) && near(b);
        let mut joints = self.joints[a];
        for (i, x) in joints.iter_mut().enumerate() {
            let step = self.joints[b][i] - *x;
            *x += s * step;
            if outer {
                // What the speeds at both ends add to the straight line (Hermite).
                let [leave, come] = [speed(a, i), speed(b, i)].map(|v| v * way - step);
                *x += s * (1.0 - s) * ((1.0 - s) * leave - s * come);
            }
        }
        joints
    }

    /// Whether the program's own networks found any of it.
    pub const fn by_networks(&self) -> bool {
        self.by_networks
    }

    /// Whether an instant has a neighbour near enough to tell how fast things move.
    pub fn dense(&self, t: usize) -> bool {
        let near = |a: usize, b: usize| b < self.at.len() && self.at[b] - self.at[a] < FAR;
        near(t, t + 1) || t.checked_sub(1).is_some_and(|b| near(b, t))
    }

    /// Place of a landmark at an instant, metres.
    pub fn joint(&self, instant: usize, l: Landmark) -> Point3<f64> {
        Point3::from(skeleton::p(&self.joints[instant], l))
    }

    /// Place of a landmark by its number in the order of [`Landmark`], metres.
    pub fn place(&self, instant: usize, landmark: usize) -> Point3<f64> {
        let x = &self.joints[instant][3 * landmark..3 * landmark + 3];
        Point3::new(x[0], x[1], x[2])
    }

    /// Covariance of two landmarks' places at an instant, the pixels' part, square metres.
    pub(crate) fn covariance(&self, t: usize, a: Landmark, b: Landmark) -> Matrix3<f64> {
        self.own[t].fixed_view::<3, 3>(at(a), at(b)).map(f64::from)
    }

    /// A value computed from one instant's joints, with its standard error to first order: the joints'
    /// own and that of the cameras and lengths they share. `None` where the value is not defined.
    pub fn value(&self, instant: usize, f: impl Fn(Posture) -> Option<f64>) -> Option<Estimate> {
        self.instant(instant).value(f)
    }

    /// Elbow angle of an arm at an instant; see [`Moment::elbow`].
    pub fn elbow(&self, instant: usize, side: Foot) -> Option<Estimate> {
        self.instant(instant).elbow(side)
    }
}

/// A value computed from several postures, of one dancer or of both, seen by the same cameras. What the
/// cameras add is common to all of them and partly cancels in differences; other shapes that an arm may have
/// and what a dancer does in the time to the moment asked for are part of the error.
pub fn value(of: &[&Moment], f: impl Fn(&[Posture]) -> Option<f64>) -> Option<Estimate> {
    first_order(of, f, true)
}

/// As [`value`], with or without the arms' other shapes. Derivatives by central differences.
fn first_order(
    of: &[&Moment],
    f: impl Fn(&[Posture]) -> Option<f64>,
    arms: bool,
) -> Option<Estimate> {
    const H: f64 = 1e-4;
    let mut joints: Vec<Joints> = of.iter().map(|m| m.joints).collect();
    let used: Vec<Cell<u32>> = of.iter().map(|_| Cell::new(0)).collect();
    let eval = |joints: &[Joints]| {
        let of = |k: usize| Posture {
            joints: &joints[k],
            used: &used[k],
        };
        match joints.len() {
            1 => f(&[of(0)]),
            2 => f(&[of(0), of(1)]),
            n => f(&(0..n).map(of).collect::<Vec<_>>()),
        }
    };
    let found = eval(&joints)?;
    let shared = &of.first()?.of.shared_covariance;
    let cameras = shared.ncols() - OWN;
    let mut by_camera = DVector::zeros(cameras);
    let mut variance = 0.0;
    // Length scales and shoes are each dancer's own and the same at all of the dancer's instants.
    let mut by_own: Vec<(&Bodies, DVector<f64>)> = Vec::new();
    for (k, moment) in of.iter().enumerate() {
        let mask = used[k].get();
        let index: Vec<usize> = Landmark::ALL
            .iter()
            .filter(|l| mask & (1 << **l as u32) != 0)
            .flat_map(|l| at(*l)..at(*l) + 3)
            .collect();
        let mut slopes = Vec::with_capacity(index.len());
        for i in &index {
            let was = joints[k][*i];
            joints[k][*i] = was + H;
            let ahead = eval(&joints);
            joints[k][*i] = was - H;
            let behind = eval(&joints);
            joints[k][*i] = was;
            slopes.push((ahead? - behind?) / (2.0 * H));
        }
        variance += moment.variance(&index, &slopes);
        let slope = |l: Landmark| {
            let of = |c: usize| {
                let k = index.iter().position(|i| *i == at(l) + c);
                k.map_or(0.0, |k| slopes[k])
            };
            Vector3::new(of(0), of(1), of(2))
        };
        if arms {
            for side in [Foot::Left, Foot::Right] {
                let moves = ELBOW_MOVES * moment.spread(side);
                let [_, elbow, wrist, knuckle] = skeleton::ARMS[side as usize];
                let hand = slope(wrist) + slope(knuckle);
                variance += moves * moves * (slope(elbow).norm_squared() + hand.norm_squared());
            }
        }
        if moment.gap > 0.0 {
            let all: Vector3<f64> = Landmark::ALL.into_iter().map(slope).sum();
            let hips = moment.joint(Landmark::LeftHip).coords;
            let turned: f64 = Landmark::ALL
                .into_iter()
                .map(|l| slope(l).dot(&Vector3::z().cross(&(moment.joint(l).coords - hips))))
                .sum();
            variance += (PACE * moment.gap).powi(2) * all.xy().norm_squared()
                + (TURNS * moment.gap * turned).powi(2);
        }
        let along = |k: usize| moment.shared(&index, &slopes, k);
        by_camera += DVector::from_fn(cameras, |k, _| along(OWN + k));
        let own = DVector::from_fn(OWN, |k, _| along(k));
        match by_own.iter_mut().find(|b| std::ptr::eq(b.0, moment.of)) {
            Some(b) => b.1 += own,
            None => by_own.push((moment.of, own)),
        }
    }
    let of_cameras = shared.view((OWN, OWN), (cameras, cameras));
    variance += by_camera.dot(&(of_cameras * &by_camera));
    for (bodies, slope) in &by_own {
        let own = bodies.shared_covariance.view((0, 0), (OWN, OWN));
        variance += slope.dot(&(own * slope));
    }
    let sigma = variance.max(0.0).sqrt();
    (found.is_finite() && sigma.is_finite()).then(|| Estimate::new(found, sigma))
}

#[cfg(test)]
mod tests {
    use super::*;
    use Landmark as L;

    /// Two instants, the second one 40 cm further on.
    fn walk(sigma: f64) -> Bodies {
        let at = |x: f64| {
            let j = skeleton::standing(1.7, [x, 0.0], 0.0);
            std::array::from_fn(|l| Point3::new(j[3 * l], j[3 * l + 1], j[3 * l + 2]))
        };
        let joints = [at(0.0), at(0.4)];
        Bodies::known(1.7, vec![1.0, 1.2], &joints, vec![[[true; 2]; 2]; 2], sigma)
    }

    #[test]
    fn what_a_dancer_does_until_the_moment_asked_for_is_part_of_the_error() {
        let b = walk(0.01);
        let place = |m: &Moment| m.value(|p| Some(p.joint(L::Nose).x)).unwrap();
        let tall = |m: &Moment| m.value(|p| Some(p.joint(L::Nose).z)).unwrap();
        let on_time = place(&b.instant(0)).sigma;
        let late = place(&b.instant(0).late_by(0.06));
        assert!((late.sigma - on_time.hypot(PACE * 0.06)).abs() < 0.005);
        // Nobody grows in the meantime.
        let grown = tall(&b.instant(0).late_by(0.06)).sigma;
        assert!((grown - tall(&b.instant(0)).sigma).abs() < 1e-9);
        // Facing is lost by turning, not by going.
        let facing = |m: &Moment| {
            let e = m.value(|p| {
                let line = p.joint(L::LeftShoulder) - p.joint(L::RightShoulder);
                Some((-line.x).atan2(line.y).to_degrees())
            });
            e.unwrap().sigma
        };
        let turned = facing(&b.instant(0).late_by(0.1));
        let expected = facing(&b.instant(0)).hypot((TURNS * 0.1).to_degrees());
        assert!((turned - expected).abs() < 0.05, "{turned} {expected}");
    }

    /// Hips that go up and down 3.3 times a second by 5 cm, seen 12.5 times a second.
    #[test]
    fn what_goes_up_and_down_between_instants_is_not_cut_off() {
        let height = |t: f64| 0.9 + 0.025 * (std::f64::consts::TAU * 3.3 * t).cos();
        let times: Vec<f64> = (0..13).map(|i| 0.08 * f64::from(i)).collect();
        let stands = skeleton::standing(1.7, [0.0, 0.0], 0.0);
        let joints: Vec<[Point3<f64>; 19]> = times
            .iter()
            .map(|t| {
                let mut j = std::array::from_fn(|l| {
                    Point3::new(stands[3 * l], stands[3 * l + 1], stands[3 * l + 2])
                });
                j[L::LeftHip as usize].z = height(*t);
                j
            })
            .collect();
        let free = vec![[[true; 2]; 2]; times.len()];
        let bodies = Bodies::known(1.7, times, &joints, free, 0.01);
        let read = |t: f64| bodies.moment(t).unwrap().joint(L::LeftHip).z;
        let (first, last) = (bodies.at[1], bodies.at[bodies.at.len() - 2]);
        let moments = (0..200).map(|i| first + (last - first) * f64::from(i) / 200.0);
        let off = moments
            .map(|t| (read(t) - height(t)).abs())
            .fold(0.0, f64::max);
        // A straight line between two instants is off by 8 mm at the most, the parabolas' course by half of it.
        assert!((0.001..0.005).contains(&off), "{off}");
        // It goes through what was seen, and straight where there is nothing on the other side.
        let t = bodies.at[3];
        assert!((read(t) - height(t)).abs() < 1e-12);
        let middle = 0.5 * (bodies.at[0] + bodies.at[1]);
        let straight = 0.5 * (height(bodies.at[0]) + height(bodies.at[1]));
        assert!((read(middle) - straight).abs() < 1e-12);
    }

    #[test]
    fn other_shapes_of_an_arm_blur_what_is_read_from_it() {
        let mut b = walk(0.01);
        let wide = |b: &Bodies| {
            let e = b
                .instant(0)
                .value(|p| Some((p.joint(L::LeftElbow) - p.joint(L::RightElbow)).norm()));
            e.unwrap().sigma
        };
        let hips = |b: &Bodies| {
            b.instant(0)
                .value(|p| Some(p.joint(L::LeftHip).x))
                .unwrap()
                .sigma
        };
        let (before, calm) = (wide(&b), hips(&b));
        b.spreads[0] = [20.0, 0.0];
        let after = wide(&b);
        assert!(
            (after - before.hypot(20.0 * ELBOW_MOVES)).abs() < 1e-6,
            "{after}"
        );
        assert_eq!(hips(&b), calm);
    }

    #[test]
    fn between_two_instants_things_are_between() {
        let b = walk(0.01);
        let half = b.moment(1.1).unwrap();
        let e = half.value(|p| Some(p.joint(L::Nose).x)).unwrap();
        let ends = [0, 1].map(|t| b.joint(t, L::Nose).x);
        assert!((e.value - 0.5 * (ends[0] + ends[1])).abs() < 1e-9);
        assert!((e.sigma - 0.01).abs() < 1e-6, "errors stay: {}", e.sigma);
        assert!(b.moment(0.9).is_none() && b.moment(1.3).is_none());
        // An instant a moment away is between its neighbours too; where there is none, that is not known so well.
        let early = b.moment(1.01).unwrap().joint(L::Nose).x;
        assert!((early - (ends[0] + 0.05 * (ends[1] - ends[0]))).abs() < 1e-9);
        let after = b.moment(1.21).unwrap();
        assert_eq!(after.joint(L::Nose).x, ends[1]);
        let e = after.value(|p| Some(p.joint(L::Nose).x)).unwrap();
        assert!((e.sigma - 0.01_f64.hypot(PACE * 0.01)).abs() < 1e-3);
    }

    #[test]
    fn independent_errors_add_by_their_squares() {
        let b = walk(0.01);
        let (a, c) = (b.instant(0), b.instant(1));
        let e = value(&[&a, &c], |p| {
            Some(p[1].joint(L::Nose).x - p[0].joint(L::Nose).x)
        })
        .unwrap();
        assert!((e.value - 0.4).abs() < 1e-9);
        assert!((e.sigma - 0.01 * 2f64.sqrt()).abs() < 1e-6);
        let middle = a
            .value(|p| Some(p.middle(L::LeftHip, L::RightHip).y))
            .unwrap();
        assert!((middle.sigma - 0.01 / 2f64.sqrt()).abs() < 1e-6);
    }

    #[test]
    fn a_value_that_is_not_defined_is_none() {
        let b = walk(0.01);
        assert!(b.value(0, |_| None).is_none());
        assert!(
            b.value(0, |p| Some((p.joint(L::Nose).x - 10.0).sqrt()))
                .is_none()
        );
    }
}
