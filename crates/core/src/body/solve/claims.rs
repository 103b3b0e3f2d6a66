//! How errors compare with what a solution claims of them, held against the truth of simulated takes.

use std::ops::Range;

use nalgebra::{DMatrix, DVector, Vector2};

use super::block::Column;
use super::skeleton::{N, at};
use super::{Instant, Source, turns};
use crate::body::Landmark;
use crate::camera::Camera;

/// By how much larger errors are than the solution's standard errors: of what left and right have in common, and
/// between them. Common is where the trunk is and how it leans, between where it faces.
#[derive(Clone, Copy)]
struct Claims {
    nose: f64,
    /// Between left and right in height only.
    trunk: [f64; 2],
    /// In common along the ray of a single camera, where that differs: little but the posture expected of anybody tells
    /// there.
    depth: Option<f64>,
    /// Between left and right of the trunk along the floor: where it hardly turns, so that neighbours smooth it, and
    /// where it turns.
    faces: [f64; 2],
    arms: [f64; 2],
    /// Below the hips.
    legs: [f64; 2],
}

/// Of what the networks find on rendered couples (docs/pose.md): their errors stay over a take, so that neighbours do
/// not make them smaller.
const NETWORK: Claims = Claims {
    nose: 1.2,
    trunk: [0.6, 1.0],
    depth: None,
    faces: [1.4, 1.0],
    arms: [2.0, 2.0],
    legs: [1.2, 1.4],
};

/// Of what a detector finds that knows its errors (docs/accuracy.md): they stay for some instants, for which they count
/// as larger, and neighbours that are smoothed a little only do not repeat them all. Dancers stand nearer to upright
/// than the posture that is expected of anybody.
const DETECTOR: Claims = Claims {
    nose: 0.75,
    trunk: [0.63, 0.75],
    depth: None,
    faces: [1.12, 0.92],
    arms: [0.75; 2],
    legs: [0.9; 2],
};

/// Of what a hand marked in the picture of one camera: how a trunk leans toward it or away is mostly what is expected of
/// anybody, and a little of the rest as well. With two cameras the solution knows its errors.
const ONE_CAMERA: Claims = Claims {
    nose: 1.0,
    trunk: [0.8, 1.0],
    depth: Some(0.5),
    faces: [1.0; 2],
    arms: [0.74; 2],
    legs: [0.82; 2],
};

impl Claims {
    /// Those of a take's bodies.
    fn of(instants: &[Instant], cameras: usize) -> Option<Self> {
        let mut any = instants.iter().flat_map(|i| &i.seen).map(|s| s.source);
        if any.clone().any(|s| s == Source::Network) {
            Some(NETWORK)
        } else if any.any(|s| s != Source::Hand) {
            Some(DETECTOR)
        } else {
            (cameras == 1).then_some(ONE_CAMERA)
        }
    }

    /// Between left and right of a trunk along the floor at an instant.
    fn facing(&self, now: &Instant) -> f64 {
        let [calm, free] = self.faces;
        now.turns
            .map_or(free, |t| free + (calm - free) * turns::CALM / t)
    }

    fn pairs(&self) -> impl Iterator<Item = ([Landmark; 2], [f64; 2])> {
        let of = |pairs: &'static [[Landmark; 2]], by| pairs.iter().map(move |p| (*p, by));
        of(&Landmark::TRUNK, self.trunk)
            .chain(of(&Landmark::ARMS[1..], self.arms))
            .chain(of(&Landmark::LEGS[1..], self.legs))
    }
}

/// How a coordinate's claimed error becomes what errors are: by so much of its own, and of its mirror image's.
#[derive(Clone, Copy)]
struct Row {
    own: f64,
    mirror: usize,
    other: f64,
}

impl Row {
    fn new(mirror: usize, [common, between]: [f64; 2]) -> Self {
        Self {
            own: 0.5 * (common + between),
            mirror,
            other: 0.5 * (common - between),
        }
    }
}

/// Sets the rows of some coordinates of a left and a right landmark.
fn pair_rows(rows: &mut [Row], [left, right]: [Landmark; 2], some: Range<usize>, by: [f64; 2]) {
    for (l, mirror) in [(left, right), (right, left)] {
        for k in some.clone() {
            rows[at(l) + k] = Row::new(at(mirror) + k, by);
        }
    }
}

/// What a left and a right landmark have in common along a direction on the floor, of length one.
fn along(pair: [Landmark; 2], direction: Vector2<f64>) -> DVector<f64> {
    let mut of = DVector::zeros(N);
    for l in pair {
        for k in 0..2 {
            of[at(l) + k] = direction[k] * std::f64::consts::FRAC_1_SQRT_2;
        }
    }
    of
}

/// Makes errors along a direction of length one so many times as large; others stay.
fn stretch(covariance: &mut DMatrix<f64>, along: &DVector<f64>, by: f64) {
    let with = &*covariance * along;
    let more = by - 1.0;
    covariance.ger(more, along, &with, 1.0);
    covariance.ger(more, &with, along, 1.0);
    covariance.ger(more * more * along.dot(&with), along, along, 1.0);
}

/// Covariances of single instants as errors are.
pub(super) struct Calibrated {
    claims: Option<Claims>,
    rows: Vec<Row>,
    /// By how much all errors are larger.
    grown: f64,
    /// Where the only camera stands, on the floor.
    camera: Option<Vector2<f64>>,
    /// Whether nothing but a hand's marks is seen.
    by_hand: bool,
}

impl Calibrated {
    /// Of these instants' solution.
    pub fn new(instants: &[Instant], cameras: &[&Camera], grown: f64) -> Self {
        let alone = |mirror| Row {
            own: grown,
            mirror,
            other: 0.0,
        };
        let mut rows: Vec<Row> = (0..N).map(alone).collect();
        let claims = Claims::of(instants, cameras.len());
        if let Some(claims) = &claims {
            for row in &mut rows[at(Landmark::Nose)..][..3] {
                row.own *= claims.nose;
            }
            for (pair, by) in claims.pairs() {
                pair_rows(&mut rows, pair, 0..3, by.map(|v| grown * v));
            }
        }
        Self {
            claims,
            rows,
            grown,
            camera: match cameras {
                [only] => Some(only.position.coords.xy()),
                _ => None,
            },
            by_hand: !super::automatic(instants),
        }
    }

    /// The covariance of an instant's coordinates, from the solution's columns; `hips` on the floor.
    pub fn covariance(
        &self,
        now: &Instant,
        hips: Vector2<f64>,
        block: &[Column<f64>],
    ) -> DMatrix<f64> {
        let mut rows = self.rows.clone();
        if let Some(claims) = &self.claims {
            let by = [claims.trunk[0], claims.facing(now)].map(|v| self.grown * v);
            for pair in Landmark::TRUNK {
                pair_rows(&mut rows, pair, 0..2, by);
            }
        }
        // Beside what others found, what a hand marked is known as it is.
        if !self.by_hand {
            for s in now.seen.iter().filter(|s| s.source == Source::Hand) {
                let first = at(s.landmark);
                for (k, row) in rows[first..first + 3].iter_mut().enumerate() {
                    *row = Row {
                        own: self.grown,
                        mirror: first + k,
                        other: 0.0,
                    };
                }
            }
        }
        let mut out = DMatrix::zeros(N, N);
        for ((c, by), mut to) in rows.iter().enumerate().zip(out.column_iter_mut()) {
            let (own, mirror) = (&block[c], &block[by.mirror]);
            let mixed: Column<f64> =
                std::array::from_fn(|r| by.own * own[r] + by.other * mirror[r]);
            for ((to, by), v) in to.iter_mut().zip(&rows).zip(mixed) {
                *to = by.own * v + by.other * mixed[by.mirror];
            }
        }
        if let (Some(claims), Some(camera)) = (&self.claims, self.camera)
            && let Some(depth) = claims.depth
            && let Some(ray) = (hips - camera).try_normalize(1e-6)
        {
            for pair in Landmark::TRUNK {
                stretch(&mut out, &along(pair, ray), depth / claims.trunk[0]);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::{ROWS, Seen};
    use Landmark as L;

    fn seen(landmark: L, source: Source) -> Seen {
        Seen {
            camera: 0,
            landmark,
            pixel: [0.0; 2],
            sigma: 1.0,
            source,
            carried: 0.0,
        }
    }

    /// Independent errors of a centimetre.
    fn solution() -> Vec<Column<f64>> {
        let mut block = vec![[0.0; ROWS]; N];
        for (i, column) in block.iter_mut().enumerate() {
            column[i] = 1e-4;
        }
        block
    }

    /// Standard errors of the middle of two landmarks and of the way between them along an axis, shares of the
    /// solution's.
    fn modes(c: &DMatrix<f64>, pair: [L; 2], axis: usize) -> [f64; 2] {
        let [a, b] = pair.map(|l| at(l) + axis);
        let sum = c[(a, a)] + c[(b, b)];
        [sum + 2.0 * c[(a, b)], sum - 2.0 * c[(a, b)]].map(|v| (v / 2e-4).sqrt())
    }

    /// Of the first of these instants, of somebody at the origin, seen along Y by one camera or two.
    fn calibrated(all: &[Instant], cameras: usize, grown: f64) -> DMatrix<f64> {
        let at = nalgebra::Point3::new(0.0, -5.0, 1.5);
        let camera = Camera::looking_at(at, nalgebra::Point3::origin(), 0.0, 65.0, [1280.0, 720.0]);
        Calibrated::new(all, &vec![&camera; cameras], grown).covariance(
            &all[0],
            Vector2::zeros(),
            &solution(),
        )
    }

    fn claimed(source: Source, cameras: usize) -> DMatrix<f64> {
        let mut now = Instant::new(0.0);
        now.seen = vec![seen(L::LeftHip, source), seen(L::RightHip, source)];
        calibrated(&[now], cameras, 1.0)
    }

    #[test]
    fn where_a_trunk_is_and_where_it_faces_are_claimed_apart() {
        for (source, cameras, expected) in [
            (Source::Network, 2, [0.6, 1.0]),
            (Source::Automatic, 1, [0.63, 0.92]),
            (Source::Imported, 2, [0.63, 0.92]),
            (Source::Hand, 1, [0.8, 1.0]),
            (Source::Hand, 2, [1.0, 1.0]),
        ] {
            let [common, between] = modes(&claimed(source, cameras), L::TRUNK[0], 0);
            assert!((common - expected[0]).abs() < 1e-9, "{source:?} {common}");
            assert!((between - expected[1]).abs() < 1e-9, "{source:?} {between}");
        }
        let feet = modes(&claimed(Source::Network, 1), L::LEGS[4], 0);
        assert!((feet[0] - 1.2).abs() < 1e-9 && (feet[1] - 1.4).abs() < 1e-9);
        // What is not one of a pair, and another axis, have nothing in common with it.
        let c = claimed(Source::Network, 1);
        assert!((c[(at(L::Nose), at(L::Nose))] - 1.44e-4).abs() < 1e-12);
        assert!(c[(at(L::LeftHip), at(L::RightHip) + 1)].abs() < 1e-15);
    }

    #[test]
    fn where_a_calm_trunk_faces_is_claimed_less_surely_than_in_a_turn() {
        let mut now = Instant::new(0.0);
        now.seen = vec![seen(L::LeftHip, Source::Automatic)];
        let mut of = |turns: f64, axis: usize| {
            now.turns = Some(turns);
            let all = [now.clone()];
            modes(&calibrated(&all, 2, 1.0), L::TRUNK[1], axis)[1]
        };
        assert!((of(turns::CALM, 0) - 1.12).abs() < 1e-9);
        assert!((of(2.0 * turns::CALM, 1) - 1.02).abs() < 1e-9);
        assert!((of(1e6, 1) - 0.92).abs() < 1e-4);
        // How the shoulders tilt is not smoothed so.
        assert!((of(turns::CALM, 2) - 0.75).abs() < 1e-9);
    }

    #[test]
    fn where_a_trunk_is_along_the_only_ray_is_claimed_apart() {
        let c = claimed(Source::Hand, 1);
        for (axis, expected) in [(0, 0.8), (1, 0.5), (2, 0.8)] {
            let [common, between] = modes(&c, L::TRUNK[1], axis);
            assert!((common - expected).abs() < 1e-9, "{axis}: {common}");
            assert!((between - 1.0).abs() < 1e-9, "{axis}: {between}");
        }
        // Seen from two sides there is no such direction.
        let c = claimed(Source::Automatic, 2);
        let [across, along] = [0, 1].map(|axis| modes(&c, L::TRUNK[1], axis)[0]);
        assert!((across - along).abs() < 1e-12);
    }

    #[test]
    fn what_a_hand_marked_among_what_networks_found_is_known_as_it_is() {
        let mut now = Instant::new(0.0);
        now.seen = vec![
            seen(L::LeftToe, Source::Hand),
            seen(L::RightToe, Source::Hand),
            seen(L::LeftHip, Source::Network),
        ];
        let c = calibrated(&[now], 1, 1.5);
        let feet = modes(&c, L::LEGS[4], 0);
        assert_eq!(feet.map(|v| (1e6 * v).round()), [1.5e6; 2]);
        assert!((modes(&c, L::LEGS[3], 0)[0] - 1.5 * NETWORK.legs[0]).abs() < 1e-9);
    }
}
