//! Symmetric systems whose blocks meet only their next two neighbours, coordinate by coordinate, with a few
//! unknowns shared by all.
//!
//! Block L D Lᵀ with the pivots' inverses kept; the blocks of the inverse that are needed by recursion
//! (Takahashi, K., Fagan, J. & Chin, M.-S. (1973), "Formation of a sparse bus impedance matrix").

use nalgebra::{DMatrix, DMatrixViewMut, DVector};

/// Below this size a triangle is worked out by rows.
const SMALL: usize = 8;

/// Blocks of one size on the diagonal; one and two below it only diagonals, since neighbours meet coordinate by
/// coordinate. Absent ones are zero.
#[derive(Debug, Clone)]
pub(super) struct Band {
    pub diagonal: Vec<DMatrix<f64>>,
    pub first: Vec<Option<DVector<f64>>>,
    pub second: Vec<Option<DVector<f64>>>,
}

/// The factors of A = L D Lᵀ: the inverse of each pivot S = D⁻¹, and what lies below it in L: a full block
/// one below, a diagonal times S two below.
pub(super) struct Factor {
    pivot: Vec<DMatrix<f64>>,
    first: Vec<Option<DMatrix<f64>>>,
    second: Vec<Option<DVector<f64>>>,
}

/// Inverse of the Cholesky factor of the lower triangle of `a`, by halves; `a` is used up. `None` when it is not
/// positive definite.
fn lower_inverse(mut a: DMatrixViewMut<f64>, mut into: DMatrixViewMut<f64>) -> Option<()> {
    let n = a.nrows();
    if n <= SMALL {
        for c in 0..n {
            let sum: f64 = (0..c).map(|k| a[(c, k)] * a[(c, k)]).sum();
            let pivot = a[(c, c)] - sum;
            if pivot.is_nan() || pivot <= 0.0 {
                return None;
            }
            let root = pivot.sqrt();
            a[(c, c)] = root;
            for r in c + 1..n {
                let sum: f64 = (0..c).map(|k| a[(r, k)] * a[(c, k)]).sum();
                a[(r, c)] = (a[(r, c)] - sum) / root;
            }
        }
        for c in 0..n {
            into[(c, c)] = 1.0 / a[(c, c)];
            for r in c + 1..n {
                let sum: f64 = (c..r).map(|k| a[(r, k)] * into[(k, c)]).sum();
                into[(r, c)] = -sum / a[(r, r)];
            }
        }
        return Some(());
    }
    let h = n / 2;
    let (first, rest, corner) = ((h, h), (n - h, n - h), (n - h, h));
    lower_inverse(a.view_mut((0, 0), first), into.view_mut((0, 0), first))?;
    let below = a.view((h, 0), corner) * into.view((0, 0), first).transpose();
    a.view_mut((h, h), rest)
        .gemm(-1.0, &below, &below.transpose(), 1.0);
    lower_inverse(a.view_mut((h, h), rest), into.view_mut((h, h), rest))?;
    let turned = below * into.view((0, 0), first);
    let under = into.view((h, h), rest) * turned;
    into.view_mut((h, 0), corner).copy_from(&-under);
    Some(())
}

/// Inverse of a symmetric positive definite matrix of which the lower triangle counts.
fn inverse(mut a: DMatrix<f64>) -> Option<DMatrix<f64>> {
    let n = a.nrows();
    let mut lower = DMatrix::zeros(n, n);
    lower_inverse(a.as_view_mut(), lower.as_view_mut())?;
    a.gemm(1.0, &lower.transpose(), &lower, 0.0);
    Some(a)
}

/// Rows of `m` times the numbers of `by`.
fn scaled_rows(by: &DVector<f64>, mut m: DMatrix<f64>) -> DMatrix<f64> {
    for mut column in m.column_iter_mut() {
        column.component_mul_assign(by);
    }
    m
}

impl Band {
    pub fn zeros(blocks: usize, size: usize) -> Self {
        Self {
            diagonal: vec![DMatrix::zeros(size, size); blocks],
            first: vec![None; blocks],
            second: vec![None; blocks],
        }
    }

    /// `None` when the system is not positive definite.
    pub fn factor(mut self) -> Option<Factor> {
        let n = self.diagonal.len();
        let mut pivots = Vec::with_capacity(n);
        let mut firsts: Vec<Option<DMatrix<f64>>> = Vec::with_capacity(n);
        // What eliminating the block before adds one below the next.
        let mut fill: Option<DMatrix<f64>> = None;
        for t in 0..n {
            let own = std::mem::replace(&mut self.diagonal[t], DMatrix::zeros(0, 0));
            let size = own.nrows();
            let pivot = inverse(own)?;
            let mut beside = fill.take();
            if let Some(d) = &self.first[t] {
                let block = beside.get_or_insert_with(|| DMatrix::zeros(size, size));
                for i in 0..size {
                    block[(i, i)] += d[i];
                }
            }
            let gain = beside.as_ref().map(|b| b * &pivot);
            if let (Some(b), Some(g), Some(next)) = (&beside, &gain, self.diagonal.get_mut(t + 1)) {
                next.gemm(-1.0, g, &b.transpose(), 1.0);
            }
            if let (Some(d), true) = (&self.second[t], t + 2 < n) {
                let next = &mut self.diagonal[t + 2];
                for (c, (mut to, from)) in
                    next.column_iter_mut().zip(pivot.column_iter()).enumerate()
                {
                    to.zip_zip_apply(d, &from, |to, d_r, s| *to -= d_r * s * d[c]);
                }
                fill = gain.as_ref().map(|g| scaled_rows(&-d, g.transpose()));
            }
            pivots.push(pivot);
            firsts.push(gain);
        }
        Some(Factor {
            pivot: pivots,
            first: firsts,
            second: self.second,
        })
    }
}

impl Factor {
    /// Solves A X = B for blocks of rows, in place.
    pub fn solve(&self, b: &mut [DMatrix<f64>]) {
        let n = self.pivot.len();
        for t in 0..n {
            let (done, rest) = b.split_at_mut(t + 1);
            let own = &done[t];
            if let (Some(g), Some(to)) = (&self.first[t], rest.first_mut()) {
                to.gemm(-1.0, g, own, 1.0);
            }
            let turned = &self.pivot[t] * own;
            if let (Some(d), Some(to)) = (&self.second[t], rest.get_mut(1)) {
                *to -= scaled_rows(d, turned.clone());
            }
            done[t] = turned;
        }
        for t in (0..n).rev() {
            let (own, rest) = b.split_at_mut(t + 1);
            if let (Some(g), Some(from)) = (&self.first[t], rest.first()) {
                own[t].gemm(-1.0, &g.transpose(), from, 1.0);
            }
            if let (Some(d), Some(from)) = (&self.second[t], rest.get(1)) {
                own[t].gemm(-1.0, &self.pivot[t], &scaled_rows(d, from.clone()), 1.0);
            }
        }
    }

    /// The diagonal blocks of A⁻¹.
    pub fn inverse_blocks(&self) -> Vec<DMatrix<f64>> {
        let n = self.pivot.len();
        let mut out: Vec<DMatrix<f64>> = vec![DMatrix::zeros(0, 0); n];
        // Σ(t+1, t) of the blocks done before.
        let mut beside: Option<DMatrix<f64>> = None;
        for t in (0..n).rev() {
            let mut own = self.pivot[t].clone();
            let g1 = self.first[t].as_ref().filter(|_| t + 1 < n);
            let g2 = self.second[t].as_ref().filter(|_| t + 2 < n);
            let g2 = g2.map(|d| scaled_rows(d, self.pivot[t].clone()));
            let mut next: Option<DMatrix<f64>> = None;
            if g1.is_some() || g2.is_some() {
                let size = own.nrows();
                let mut s1 = DMatrix::zeros(size, size);
                let mut s2 = DMatrix::zeros(size, size);
                if let Some(g) = g1 {
                    s1.gemm(-1.0, &out[t + 1], g, 1.0);
                    if let Some(b) = &beside {
                        s2.gemm(-1.0, b, g, 1.0);
                    }
                }
                if let Some(g) = &g2 {
                    if let Some(b) = &beside {
                        s1.gemm(-1.0, &b.transpose(), g, 1.0);
                    }
                    s2.gemm(-1.0, &out[t + 2], g, 1.0);
                }
                if let Some(g) = g1 {
                    own.gemm(-1.0, &g.transpose(), &s1, 1.0);
                }
                if let Some(g) = &g2 {
                    own.gemm(-1.0, &g.transpose(), &s2, 1.0);
                }
                next = Some(s1);
            }
            // What rounding adds to one side would grow from block to block.
            out[t] = (&own + own.transpose()) * 0.5;
            beside = next;
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};

    /// Large enough that triangles are halved.
    const SIZE: usize = 19;

    /// A band of random blocks, one joint missing, and the same as one matrix.
    fn example(blocks: usize) -> (Band, DMatrix<f64>) {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(blocks as u64);
        let mut block = || DMatrix::from_fn(SIZE, SIZE, |_, _| rng.random_range(-1.0..1.0));
        let mut band = Band::zeros(blocks, SIZE);
        let mut whole = DMatrix::zeros(SIZE * blocks, SIZE * blocks);
        for t in 0..blocks {
            let b = block();
            band.diagonal[t] = &b * b.transpose() + DMatrix::identity(SIZE, SIZE) * 9.0;
            if t + 1 < blocks && t != 2 {
                band.first[t] = Some(block().diagonal());
            }
            if t + 2 < blocks && t != 1 && t != 2 {
                band.second[t] = Some(block().diagonal());
            }
        }
        for t in 0..blocks {
            let mut put = |r: usize, c: usize, b: &DMatrix<f64>| {
                let size = (SIZE, SIZE);
                whole.view_mut((r * SIZE, c * SIZE), size).copy_from(b);
                whole
                    .view_mut((c * SIZE, r * SIZE), size)
                    .copy_from(&b.transpose());
            };
            put(t, t, &band.diagonal[t]);
            if let Some(b) = &band.first[t] {
                put(t + 1, t, &DMatrix::from_diagonal(b));
            }
            if let Some(b) = &band.second[t] {
                put(t + 2, t, &DMatrix::from_diagonal(b));
            }
        }
        (band, whole)
    }

    #[test]
    fn solves_and_inverts_as_the_whole_matrix_does() {
        for blocks in [1, 2, 3, 7, 12] {
            let (band, whole) = example(blocks);
            let factor = band.factor().unwrap();
            let inverse = whole.clone().try_inverse().unwrap();
            for (t, b) in factor.inverse_blocks().iter().enumerate() {
                let expected = inverse.view((t * SIZE, t * SIZE), (SIZE, SIZE));
                assert!((b - expected).norm() < 1e-9, "{blocks} {t}");
            }
            let right = DMatrix::from_fn(SIZE * blocks, 3, |r, c| (r * 7 + c * 3) as f64 % 5.0);
            let mut cut: Vec<DMatrix<f64>> = (0..blocks)
                .map(|t| right.rows(t * SIZE, SIZE).into_owned())
                .collect();
            factor.solve(&mut cut);
            let expected = inverse * right;
            for (t, x) in cut.iter().enumerate() {
                assert!((x - expected.rows(t * SIZE, SIZE)).norm() < 1e-9);
            }
        }
    }

    /// A long chain that is held together far more tightly than it is seen.
    #[test]
    fn variances_stay_positive_along_a_stiff_chain() {
        let (blocks, size) = (400, 3);
        let mut band = Band::zeros(blocks, size);
        for t in 0..blocks {
            band.diagonal[t].fill_diagonal(if t % 40 == 0 { 1.0 } else { 1e-9 });
        }
        for t in 0..blocks - 2 {
            let by = [1.0, -2.0, 1.0].map(|b| 1e3 * b);
            for (d, b) in band.diagonal[t..].iter_mut().zip(by) {
                for i in 0..size {
                    d[(i, i)] += b * b;
                }
            }
            let add = |to: &mut Option<DVector<f64>>, v: f64| {
                to.get_or_insert_with(|| DVector::zeros(size))
                    .add_scalar_mut(v);
            };
            add(&mut band.first[t], by[0] * by[1]);
            add(&mut band.first[t + 1], by[1] * by[2]);
            add(&mut band.second[t], by[0] * by[2]);
        }
        let blocks = band.factor().unwrap().inverse_blocks();
        for (t, b) in blocks.iter().enumerate() {
            for i in 0..size {
                assert!(b[(i, i)] > 0.0 && b[(i, i)] < 2.0, "{t} {}", b[(i, i)]);
            }
        }
    }

    #[test]
    fn what_is_not_definite_is_refused() {
        let mut band = Band::zeros(2, SIZE);
        band.diagonal[0].fill_diagonal(1.0);
        assert!(band.factor().is_none());
    }
}
