//! Left and right of a trunk told by what they have in common and by what is between them. A trunk sways with every
//! step and seldom turns, so that the two keep their pace in different ways; written like this neighbouring instants
//! meet coordinate by coordinate all the same.

use std::f64::consts::FRAC_1_SQRT_2;
use std::ops::{Add, Mul};

use super::block::{Column, Real};
use super::skeleton::at;
use crate::body::Landmark;

/// Coordinates along the floor of the shoulders and of the hips, left and right.
const PAIRS: [[[usize; 2]; 2]; 2] = [
    along_floor(Landmark::TRUNK[0]),
    along_floor(Landmark::TRUNK[1]),
];

const fn along_floor([left, right]: [Landmark; 2]) -> [[usize; 2]; 2] {
    let (l, r) = (at(left), at(right));
    [[l, r], [l + 1, r + 1]]
}

/// Where the two coordinates lie, in the halves' terms, that say how the shoulders and how the hips are turned.
pub(super) const BETWEEN: [[usize; 2]; 2] = [
    [PAIRS[0][0][1], PAIRS[0][1][1]],
    [PAIRS[1][0][1], PAIRS[1][1][1]],
];

fn pairs() -> impl Iterator<Item = [usize; 2]> {
    PAIRS.into_iter().flatten()
}

fn halved<T: Copy + Add<Output = T> + Mul<Output = T>>(a: T, b: T, minus: T, by: T) -> [T; 2] {
    [(a + b) * by, (a + b * minus) * by]
}

/// Coordinates in the halves' terms, or back again: (l + r)/√2 and (l − r)/√2 in the places of l and r.
pub(super) fn column<T: Real>(x: &mut [T]) {
    for [l, r] in pairs() {
        [x[l], x[r]] = halved(x[l], x[r], -T::ONE, T::rounded(FRAC_1_SQRT_2));
    }
}

/// The lower triangle of a symmetric block by such coordinates on both sides.
pub(super) fn triangle<T: Real>(block: &mut [Column<T>]) {
    let (minus, root) = (-T::ONE, T::rounded(FRAC_1_SQRT_2));
    for [l, r] in pairs() {
        for k in (0..block.len()).filter(|k| *k != l && *k != r) {
            let place = |i: usize| (i.min(k), i.max(k));
            let ((lc, lr), (rc, rr)) = (place(l), place(r));
            [block[lc][lr], block[rc][rr]] = halved(block[lc][lr], block[rc][rr], minus, root);
        }
        let half = T::rounded(0.5);
        let (ll, both, rr) = (block[l][l], block[l][r], block[r][r]);
        block[l][r] = (ll + rr * minus) * half;
        block[l][l] = (ll + rr) * half + both;
        block[r][r] = (ll + rr) * half + both * minus;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::block::{ROWS, mirror, zeros};
    use crate::body::solve::skeleton::N;
    use nalgebra::DMatrix;

    /// The change of coordinates as a matrix.
    fn change() -> DMatrix<f64> {
        let mut m = DMatrix::identity(N, N);
        for [l, r] in pairs() {
            m[(l, l)] = FRAC_1_SQRT_2;
            m[(l, r)] = FRAC_1_SQRT_2;
            m[(r, l)] = FRAC_1_SQRT_2;
            m[(r, r)] = -FRAC_1_SQRT_2;
        }
        m
    }

    #[test]
    fn columns_become_halves_and_come_back() {
        let mut x: Column<f64> = std::array::from_fn(|i| (i as f64 * 1.7).sin());
        let was = x;
        column(&mut x);
        let expected = change() * DMatrix::from_fn(N, 1, |r, _| was[r]);
        assert!((0..N).all(|i| (x[i] - expected[i]).abs() < 1e-12));
        // Where the shoulders' line points along X is in the right one's place.
        let [l, r] = PAIRS[0][0];
        assert_eq!(
            (BETWEEN[0][0], x[r]),
            (r, (was[l] - was[r]) * FRAC_1_SQRT_2)
        );
        column(&mut x);
        assert!((0..ROWS).all(|i| (x[i] - was[i]).abs() < 1e-12));
    }

    #[test]
    fn triangles_become_what_the_whole_matrix_does() {
        let entry = |r: usize, c: usize| ((r * c) as f64 * 0.37 + (r + c) as f64).sin();
        let whole = DMatrix::from_fn(N, N, entry);
        let mut block = zeros::<f64>(N);
        for (c, column) in block.iter_mut().enumerate() {
            for (r, v) in column.iter_mut().enumerate().take(N).skip(c) {
                *v = entry(r, c);
            }
        }
        triangle(&mut block);
        mirror(&mut block);
        let expected = change() * whole * change().transpose();
        for (c, column) in block.iter().enumerate() {
            for (r, v) in column.iter().enumerate().take(N) {
                assert!((v - expected[(r, c)]).abs() < 1e-9, "{r} {c}");
            }
        }
    }
}
