//! Where a foot stands and when it goes, from its way over the floor.
//!
//! The cheapest cut of the way into stands, in which the foot stays where it is on average, and swings, in which
//! it goes from one to the next on a minimum-jerk course (Flash, T. & Hogan, N. (1985), J. Neurosci. 5), by
//! dynamic programming as in the segmentation of signals (Jackson, B. et al. (2005), IEEE Signal Process.
//! Lett. 12).

use nalgebra::{Matrix2, Point2, Vector2};

use crate::body::Landmark;
use crate::body::solve::Bodies;
use crate::units::Foot;

/// Instants further apart than this say nothing of what a foot did between them, seconds.
const APART: f64 = 0.25;

/// Besides what the solution claims, a foot on the floor is not a point: standard errors along the floor and of
/// its height, metres.
const FLOOR_SIGMA: f64 = 0.012;
const HEIGHT_SIGMA: f64 = 0.012;

/// Cost of one more swing: so much better must the stands fit.
const SWING: f64 = 8.0;

/// Cost of beginning or ending in a swing, which is then not seen whole.
const CUT: f64 = 4.0;

/// So many instants may be missing of the first and the last stand.
const ENDS: usize = 8;

/// Shortest stand, and the longest that is looked at as one, seconds.
const LEAST_STAND: f64 = 0.15;
const MOST_STAND: f64 = 5.0;

/// Shortest stand before the first instant's swing or after the last one's: it may have lasted longer.
const LEAST_END: f64 = 0.07;

/// Shortest and longest swing, between the last instant of a stand and the first of the next, seconds.
const LEAST_SWING: f64 = 0.12;
const MOST_SWING: f64 = 0.7;

/// How well the begin of a swing is known that falls between two instants, seconds.
const BETWEEN: f64 = 0.02;

/// No instant speaks more against a swing than this: a toe may swerve.
const MOST_COST: f64 = 16.0;

/// A row of instants in which the foot stands: the first and the last.
pub(super) type Stand = (usize, usize);

/// Middle of a foot on the floor at an instant.
pub(super) fn middle(bodies: &Bodies, t: usize, foot: Foot) -> Point2<f64> {
    let [heel, toe] = Landmark::heel_toe(foot).map(|l| bodies.joint(t, l).xy());
    nalgebra::center(&heel, &toe)
}

/// Share of a swing's way after a share of its time.
fn course(u: f64) -> f64 {
    u.powi(3) * (10.0 - 15.0 * u + 6.0 * u * u)
}

/// Sums of weighted heights up to each instant: weights, weight times height, and times its square.
struct Heights(Vec<[f64; 3]>);

impl Heights {
    fn of(all: impl Iterator<Item = (f64, f64)>) -> Self {
        let mut sum = [0.0; 3];
        let mut out = vec![sum];
        for (z, weight) in all {
            for (s, by) in sum.iter_mut().zip([1.0, z, z * z]) {
                *s += weight * by;
            }
            out.push(sum);
        }
        Self(out)
    }

    /// Weighted squares about the mean of the instants from `i` to `j`.
    fn scatter(&self, i: usize, j: usize) -> f64 {
        let [w, wz, wzz] = [0, 1, 2].map(|k| self.0[j + 1][k] - self.0[i][k]);
        (wzz - wz * wz / w).max(0.0)
    }
}

/// A foot's way over a row of instants that follow each other closely.
struct Way {
    at: Vec<f64>,
    middle: Vec<Vector2<f64>>,
    covariance: Vec<Matrix2<f64>>,
    /// Sums of precisions, precision times place, and place times both, up to each instant.
    sums: Vec<(Matrix2<f64>, Vector2<f64>, f64)>,
    /// Heights of heel and toe.
    heights: [Heights; 2],
}

impl Way {
    fn of(bodies: &Bodies, foot: Foot, (from, to): (usize, usize)) -> Self {
        let parts = Landmark::heel_toe(foot);
        let covariance: Vec<Matrix2<f64>> = (from..to)
            .map(|t| {
                let of = |a, b| bodies.covariance(t, a, b).fixed_view::<2, 2>(0, 0) * 0.25;
                let [heel, toe] = parts;
                let own = of(heel, heel) + of(toe, toe) + of(heel, toe) + of(toe, heel);
                own + Matrix2::from_diagonal_element(FLOOR_SIGMA * FLOOR_SIGMA)
            })
            .collect();
        let middle: Vec<Vector2<f64>> =
            (from..to).map(|t| middle(bodies, t, foot).coords).collect();
        // Places about the first one: squares of metres across a hall would drown what a foot moves.
        let origin = middle.first().copied().unwrap_or_default();
        let mut sum = (Matrix2::zeros(), Vector2::zeros(), 0.0);
        let mut sums = vec![sum];
        for (m, c) in middle.iter().zip(&covariance) {
            let precision = c.try_inverse().unwrap_or_default();
            let place = m - origin;
            let weighted = precision * place;
            sum.0 += precision;
            sum.1 += weighted;
            sum.2 += weighted.dot(&place);
            sums.push(sum);
        }
        let heights = parts.map(|l| {
            Heights::of((from..to).map(|t| {
                let own = bodies.covariance(t, l, l)[(2, 2)];
                let weight = 1.0 / (own + HEIGHT_SIGMA * HEIGHT_SIGMA);
                (bodies.joint(t, l).z, weight)
            }))
        });
        Self {
            at: bodies.at[from..to].to_vec(),
            middle,
            covariance,
            sums,
            heights,
        }
    }

    /// Cost of standing from `i` to `j`.
    fn stand(&self, i: usize, j: usize) -> f64 {
        let (a, b) = (&self.sums[i], &self.sums[j + 1]);
        let (precision, weighted) = (b.0 - a.0, b.1 - a.1);
        let mean = precision.try_inverse().unwrap_or_default() * weighted;
        let along = (b.2 - a.2 - weighted.dot(&mean)).max(0.0);
        along + self.heights.iter().map(|h| h.scatter(i, j)).sum::<f64>()
    }

    /// Cost of swinging from a stand that ends at `j` to one that begins at `k`.
    fn swing(&self, j: usize, k: usize) -> f64 {
        let from = if j > 0 {
            0.5 * (self.middle[j - 1] + self.middle[j])
        } else {
            self.middle[j]
        };
        let to = match self.middle.get(k + 1) {
            Some(next) => 0.5 * (self.middle[k] + next),
            None => self.middle[k],
        };
        let way = to - from;
        let time = self.at[k] - self.at[j];
        let mut cost = SWING;
        for t in j + 1..k {
            let u = (self.at[t] - self.at[j]) / time;
            let off = self.middle[t] - from - way * course(u);
            let moves = way * (30.0 * (u * (1.0 - u)).powi(2) / time * BETWEEN);
            let spread = self.covariance[t] + moves * moves.transpose();
            let squares = spread
                .try_inverse()
                .map_or(MOST_COST, |p| off.dot(&(p * off)));
            cost += squares.min(MOST_COST);
        }
        cost
    }

    /// The cheapest row of stands.
    fn stands(&self) -> Vec<Stand> {
        let n = self.at.len();
        // Least cost of what ends with a stand's last instant, and where that stand began; of what comes to a
        // stand's first instant, and where the stand before ended.
        let mut ended = vec![(f64::INFINITY, 0); n];
        let mut begun: Vec<(f64, Option<usize>)> = vec![(f64::INFINITY, None); n];
        for (i, b) in begun.iter_mut().enumerate().take(ENDS) {
            b.0 = if i > 0 { CUT } else { 0.0 };
        }
        let time = |from: usize, to: usize| self.at[to] - self.at[from];
        let (mut oldest, mut first) = (0, 0);
        for k in 0..n {
            while time(oldest, k) > MOST_SWING {
                oldest += 1;
            }
            let swing = (oldest..k)
                .filter(|j| time(*j, k) >= LEAST_SWING && ended[*j].0.is_finite())
                .map(|j| (ended[j].0 + self.swing(j, k), Some(j)))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            if let Some(s) = swing.filter(|s| s.0 < begun[k].0) {
                begun[k] = s;
            }
            while time(first, k) > MOST_STAND {
                first += 1;
            }
            let stand = (first..k)
                .filter(|i| {
                    let end = *i == 0 || k + 1 == n;
                    let least = if end { LEAST_END } else { LEAST_STAND };
                    time(*i, k) >= least && begun[*i].0.is_finite()
                })
                .map(|i| (begun[i].0 + self.stand(i, k), i))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            ended[k] = stand.unwrap_or(ended[k]);
        }
        let cut = |k: usize| ended[k].0 + if k + 1 < n { CUT } else { 0.0 };
        let last = (n.saturating_sub(ENDS)..n).min_by(|a, b| cut(*a).total_cmp(&cut(*b)));
        let mut out = Vec::new();
        let mut next = last.filter(|k| ended[*k].0.is_finite());
        while let Some(k) = next {
            let i = ended[k].1;
            out.push((i, k));
            next = begun[i].1;
        }
        out.reverse();
        out
    }
}

/// Pairs of a foot's stands that follow each other: it went from one to the other.
pub(super) fn swings(bodies: &Bodies, foot: Foot) -> Vec<(Stand, Stand)> {
    let n = bodies.at.len();
    let mut out = Vec::new();
    let mut from = 0;
    for t in 1..=n {
        if t < n && bodies.at[t] - bodies.at[t - 1] <= APART {
            continue;
        }
        let stands = Way::of(bodies, foot, (from, t)).stands();
        let moved = |s: Stand| (s.0 + from, s.1 + from);
        out.extend(stands.windows(2).map(|w| (moved(w[0]), moved(w[1]))));
        from = t;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::standing;
    use nalgebra::Point3;
    use rand::SeedableRng;
    use rand_distr::{Distribution, Normal};

    /// A dancer whose left foot goes along X by `place` and whose heel is up by `heel`, both of the time; looked
    /// at every 80 ms for six seconds, but not where `seen` says so.
    fn dancer(
        place: impl Fn(f64) -> f64,
        heel: impl Fn(f64) -> f64,
        seen: impl Fn(f64) -> bool,
        noise: f64,
    ) -> Bodies {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(5);
        let error = Normal::new(0.0, noise).unwrap();
        let at: Vec<f64> = (0..75)
            .map(|i| 0.08 * f64::from(i))
            .filter(|t| seen(*t))
            .collect();
        let joints: Vec<[Point3<f64>; 19]> = at
            .iter()
            .map(|t| {
                let mut joints = standing(1.8, [0.0, 0.0], 0.0).map(Point3::from);
                let off = [error.sample(&mut rng), error.sample(&mut rng)];
                for l in Landmark::heel_toe(Foot::Left) {
                    joints[l as usize].x += place(*t) + off[0];
                    joints[l as usize].y += off[1];
                }
                joints[Landmark::LeftHeel as usize].z += heel(*t);
                joints
            })
            .collect();
        let planted = vec![[[true; 2]; 2]; at.len()];
        Bodies::known(1.8, at, &joints, planted, noise.max(1e-3))
    }

    /// A step of 40 cm that begins at each of these moments and takes so long.
    fn walk(begins: &[f64], takes: f64) -> impl Fn(f64) -> f64 {
        move |t| {
            begins
                .iter()
                .map(|b| 0.4 * course(((t - b) / takes).clamp(0.0, 1.0)))
                .sum()
        }
    }

    /// Last moment of each stand before a swing and the first one after it.
    fn found(bodies: &Bodies) -> Vec<[f64; 2]> {
        swings(bodies, Foot::Left)
            .iter()
            .map(|(a, b)| [bodies.at[a.1], bodies.at[b.0]])
            .collect()
    }

    #[test]
    fn steps_are_cut_where_the_foot_goes() {
        let begins = [1.0, 2.1, 3.05, 4.4];
        let b = dancer(walk(&begins, 0.32), |_| 0.0, |_| true, 0.012);
        let swings = found(&b);
        assert_eq!(swings.len(), begins.len(), "{swings:?}");
        for (s, begin) in swings.iter().zip(begins) {
            let half = 0.5 * (s[0] + s[1]);
            assert!((half - begin - 0.16).abs() < 0.07, "{s:?} for {begin}");
            assert!(s[1] - s[0] < 0.5, "{s:?}");
        }
    }

    #[test]
    fn quick_steps_are_told_from_each_other() {
        let begins: Vec<f64> = (0..6).map(|i| 1.0 + 0.48 * f64::from(i)).collect();
        let b = dancer(walk(&begins, 0.2), |_| 0.0, |_| true, 0.012);
        assert_eq!(found(&b).len(), begins.len());
    }

    #[test]
    fn who_stands_does_not_step() {
        for noise in [0.005, 0.01, 0.02] {
            let b = dancer(|_| 0.0, |_| 0.0, |_| true, noise);
            assert_eq!(found(&b), Vec::<[f64; 2]>::new(), "{noise} m");
        }
    }

    #[test]
    fn a_foot_that_steps_in_place_is_told_by_its_heel() {
        let up = |t: f64| {
            if (2.0..2.25).contains(&t) { 0.08 } else { 0.0 }
        };
        let swings = found(&dancer(|_| 0.0, up, |_| true, 0.008));
        assert_eq!(swings.len(), 1);
        assert!(
            swings[0][0] < 2.05 && swings[0][1] > 2.2,
            "{swings:?} holds not the whole of it"
        );
    }

    #[test]
    fn nothing_is_told_of_a_step_that_nobody_saw() {
        let hidden = |t: f64| !(1.95..2.5).contains(&t);
        let b = dancer(walk(&[1.0, 2.1, 3.5], 0.32), |_| 0.0, hidden, 0.012);
        let swings = found(&b);
        assert_eq!(swings.len(), 2, "{swings:?}");
        assert!(swings.iter().all(|s| s[1] < 1.95 || s[0] > 2.5));
    }

    #[test]
    fn too_few_instants_say_nothing() {
        let b = dancer(|t| t, |_| 0.0, |t| t < 0.1, 0.01);
        assert!(found(&b).is_empty());
        let none = Bodies::known(1.8, Vec::new(), &[], Vec::new(), 0.01);
        assert!(swings(&none, Foot::Right).is_empty());
    }
}
