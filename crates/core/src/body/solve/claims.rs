//! How errors compare with what a solution claims of them, held against the truth of simulated takes.

use std::ops::Range;

use nalgebra::DMatrix;

use super::block::Column;
use super::skeleton::{N, at};
use super::{Instant, Source, turns};
use crate::body::Landmark;

/// By how much larger errors are than the solution's standard errors: of what left and right have in common, and
/// between them. Common is where the trunk is and how it leans, between where it faces.
#[derive(Clone, Copy)]
struct Claims {
    nose: f64,
    /// Between left and right in height only.
    trunk: [f64; 2],
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
    trunk: [0.85, 1.2],
    faces: [2.0, 1.4],
    arms: [2.0, 2.0],
    legs: [1.5, 2.0],
};

/// Of what a detector finds that knows its errors (docs/accuracy.md): they stay for some instants, for which they count
/// as larger, and neighbours that are smoothed a little only do not repeat them all. Dancers stand nearer to upright
/// than the posture that is expected of anybody.
const DETECTOR: Claims = Claims {
    nose: 0.75,
    trunk: [0.63, 0.75],
    faces: [1.12, 0.92],
    arms: [0.75; 2],
    legs: [0.9; 2],
};

/// Of what a hand marked in the picture of one camera: how a trunk leans toward it or away is mostly what is expected of
/// anybody, and a little of the rest as well. With two cameras the solution knows its errors.
const ONE_CAMERA: Claims = Claims {
    nose: 1.0,
    trunk: [0.58, 1.0],
    faces: [1.0; 2],
    arms: [0.76; 2],
    legs: [0.86; 2],
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

/// Covariances of single instants as errors are.
pub(super) struct Calibrated {
    claims: Option<Claims>,
    rows: Vec<Row>,
    /// By how much all errors are larger.
    grown: f64,
    /// Whether nothing but a hand's marks is seen.
    by_hand: bool,
}

impl Calibrated {
    /// Of these instants' solution.
    pub fn new(instants: &[Instant], cameras: usize, grown: f64) -> Self {
        let alone = |mirror| Row {
            own: grown,
            mirror,
            other: 0.0,
        };
        let mut rows: Vec<Row> = (0..N).map(alone).collect();
        let claims = Claims::of(instants, cameras);
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
            by_hand: !super::automatic(instants),
        }
    }

    /// The covariance of an instant's coordinates, from the solution's columns.
    pub fn covariance(&self, now: &Instant, block: &[Column<f64>]) -> DMatrix<f64> {
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

    /// Standard errors of the middle of two landmarks and of the way between them along X, shares of the solution's.
    fn modes(c: &DMatrix<f64>, [a, b]: [L; 2]) -> [f64; 2] {
        let (a, b) = (at(a), at(b));
        let sum = c[(a, a)] + c[(b, b)];
        [sum + 2.0 * c[(a, b)], sum - 2.0 * c[(a, b)]].map(|v| (v / 2e-4).sqrt())
    }

    fn claimed(source: Source, cameras: usize) -> DMatrix<f64> {
        let mut now = Instant::new(0.0);
        now.seen = vec![seen(L::LeftHip, source), seen(L::RightHip, source)];
        let all = [now];
        Calibrated::new(&all, cameras, 1.0).covariance(&all[0], &solution())
    }

    #[test]
    fn where_a_trunk_is_and_where_it_faces_are_claimed_apart() {
        for (source, cameras, expected) in [
            (Source::Network, 2, [0.85, 1.4]),
            (Source::Automatic, 1, [0.63, 0.92]),
            (Source::Imported, 2, [0.63, 0.92]),
            (Source::Hand, 1, [0.58, 1.0]),
            (Source::Hand, 2, [1.0, 1.0]),
        ] {
            let [common, between] = modes(&claimed(source, cameras), L::TRUNK[0]);
            assert!((common - expected[0]).abs() < 1e-9, "{source:?} {common}");
            assert!((between - expected[1]).abs() < 1e-9, "{source:?} {between}");
        }
        let feet = modes(&claimed(Source::Network, 1), L::LEGS[4]);
        assert!((feet[0] - 1.5).abs() < 1e-9 && (feet[1] - 2.0).abs() < 1e-9);
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
            let c = Calibrated::new(&all, 2, 1.0).covariance(&now, &solution());
            let (a, b) = (at(L::LeftShoulder) + axis, at(L::RightShoulder) + axis);
            ((c[(a, a)] + c[(b, b)] - 2.0 * c[(a, b)]) / 2e-4).sqrt()
        };
        assert!((of(turns::CALM, 0) - 1.12).abs() < 1e-9);
        assert!((of(2.0 * turns::CALM, 1) - 1.02).abs() < 1e-9);
        assert!((of(1e6, 1) - 0.92).abs() < 1e-4);
        // How the shoulders tilt is not smoothed so.
        assert!((of(turns::CALM, 2) - 0.75).abs() < 1e-9);
    }

    #[test]
    fn what_a_hand_marked_among_what_networks_found_is_known_as_it_is() {
        let mut now = Instant::new(0.0);
        now.seen = vec![
            seen(L::LeftToe, Source::Hand),
            seen(L::RightToe, Source::Hand),
            seen(L::LeftHip, Source::Network),
        ];
        let all = [now];
        let c = Calibrated::new(&all, 1, 1.5).covariance(&all[0], &solution());
        assert_eq!(modes(&c, L::LEGS[4]).map(|v| (1e6 * v).round()), [1.5e6; 2]);
        assert!((modes(&c, L::LEGS[3])[0] - 1.5 * 1.5).abs() < 1e-9);
    }
}
