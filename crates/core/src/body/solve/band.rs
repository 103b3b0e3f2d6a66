//! Symmetric systems whose blocks meet only their next two neighbours, with a few unknowns shared by all.
//!
//! Block Cholesky; the blocks of the inverse that are needed by recursion (Takahashi, K., Fagan, J. &
//! Chin, M.-S. (1973), "Formation of a sparse bus impedance matrix").

use nalgebra::{Cholesky, DMatrix, DMatrixView, DMatrixViewMut};

/// Blocks of one size: on the diagonal, one and two below it. Absent ones are zero.
#[derive(Debug, Clone)]
pub(super) struct Band {
    pub diagonal: Vec<DMatrix<f64>>,
    pub first: Vec<Option<DMatrix<f64>>>,
    pub second: Vec<Option<DMatrix<f64>>>,
}

/// The factor L of A = L Lᵀ. Of the blocks on the diagonal the inverses are kept: products are several
/// times faster than substitutions.
pub(super) struct Factor {
    inverse: Vec<DMatrix<f64>>,
    first: Vec<Option<DMatrix<f64>>>,
    second: Vec<Option<DMatrix<f64>>>,
}

/// Inverse of a lower triangle, by halves.
fn invert_lower(l: DMatrixView<f64>, mut into: DMatrixViewMut<f64>) {
    let n = l.nrows();
    if n <= 8 {
        for c in 0..n {
            into[(c, c)] = 1.0 / l[(c, c)];
            for r in c + 1..n {
                let sum: f64 = (c..r).map(|k| l[(r, k)] * into[(k, c)]).sum();
                into[(r, c)] = -sum / l[(r, r)];
            }
        }
        return;
    }
    let h = n / 2;
    invert_lower(l.view((0, 0), (h, h)), into.view_mut((0, 0), (h, h)));
    let rest = (n - h, n - h);
    invert_lower(l.view((h, h), rest), into.view_mut((h, h), rest));
    let below = into.view((h, h), rest) * l.view((h, 0), (n - h, h)) * into.view((0, 0), (h, h));
    into.view_mut((h, 0), (n - h, h)).copy_from(&-below);
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
        let mut inverses = Vec::with_capacity(n);
        for t in 0..n {
            let own = std::mem::replace(&mut self.diagonal[t], DMatrix::zeros(0, 0));
            let factor = Cholesky::new(own)?;
            let lower = factor.unpack_dirty();
            let mut inverse = DMatrix::zeros(lower.nrows(), lower.ncols());
            invert_lower(lower.as_view(), inverse.as_view_mut());
            let turned = inverse.transpose();
            // A L⁻ᵀ.
            let below = |a: Option<DMatrix<f64>>| a.map(|a| a * &turned);
            let first = below(self.first[t].take());
            let second = below(self.second[t].take());
            if let Some(l1) = &first
                && t + 1 < n
            {
                self.diagonal[t + 1].gemm(-1.0, l1, &l1.transpose(), 1.0);
            }
            if let Some(l2) = &second
                && t + 2 < n
            {
                self.diagonal[t + 2].gemm(-1.0, l2, &l2.transpose(), 1.0);
                if let Some(l1) = &first {
                    let to = self.first[t + 1]
                        .get_or_insert_with(|| DMatrix::zeros(l2.nrows(), l1.nrows()));
                    to.gemm(-1.0, l2, &l1.transpose(), 1.0);
                }
            }
            inverses.push(inverse);
            self.first[t] = first;
            self.second[t] = second;
        }
        Some(Factor {
            inverse: inverses,
            first: self.first,
            second: self.second,
        })
    }
}

impl Factor {
    /// Solves A X = B for blocks of rows, in place.
    pub fn solve(&self, b: &mut [DMatrix<f64>]) {
        let n = self.inverse.len();
        for t in 0..n {
            let (done, rest) = b.split_at_mut(t + 1);
            done[t] = &self.inverse[t] * &done[t];
            for (below, to) in [(&self.first[t], 0), (&self.second[t], 1)] {
                if let (Some(l), Some(to)) = (below, rest.get_mut(to)) {
                    to.gemm(-1.0, l, &done[t], 1.0);
                }
            }
        }
        for t in (0..n).rev() {
            let (own, rest) = b.split_at_mut(t + 1);
            for (below, from) in [(&self.first[t], 0), (&self.second[t], 1)] {
                if let (Some(l), Some(from)) = (below, rest.get(from)) {
                    own[t].gemm_tr(-1.0, l, from, 1.0);
                }
            }
            own[t] = self.inverse[t].tr_mul(&own[t]);
        }
    }

    /// The diagonal blocks of A⁻¹.
    pub fn inverse_blocks(&self) -> Vec<DMatrix<f64>> {
        let n = self.inverse.len();
        let mut out: Vec<DMatrix<f64>> = vec![DMatrix::zeros(0, 0); n];
        // Σ(t+1, t) of the blocks done before.
        let mut beside: Option<DMatrix<f64>> = None;
        for t in (0..n).rev() {
            // L₁ L⁻¹ and L₂ L⁻¹.
            let inverse = &self.inverse[t];
            let gain = |l: &Option<DMatrix<f64>>| l.as_ref().map(|l| l * inverse);
            let g1 = gain(&self.first[t]).filter(|_| t + 1 < n);
            let g2 = gain(&self.second[t]).filter(|_| t + 2 < n);
            let turned = inverse.transpose();
            let mut own = &turned * inverse;
            let mut next: Option<DMatrix<f64>> = None;
            if g1.is_some() || g2.is_some() {
                let size = own.nrows();
                let mut s1 = DMatrix::zeros(size, size);
                let mut s2 = DMatrix::zeros(size, size);
                if let Some(g) = &g1 {
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
                if let Some(g) = &g1 {
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

    const SIZE: usize = 4;

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
                band.first[t] = Some(block());
            }
            if t + 2 < blocks && t != 1 && t != 2 {
                band.second[t] = Some(block());
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
                put(t + 1, t, b);
            }
            if let Some(b) = &band.second[t] {
                put(t + 2, t, b);
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
            let add = |to: &mut Option<DMatrix<f64>>, v: f64| {
                let m = to.get_or_insert_with(|| DMatrix::zeros(size, size));
                for i in 0..size {
                    m[(i, i)] += v;
                }
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
