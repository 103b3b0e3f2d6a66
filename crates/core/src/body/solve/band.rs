//! Symmetric systems whose blocks meet only their next two neighbours, coordinate by coordinate, with a few
//! unknowns shared by all.
//!
//! Block L D Lᵀ with the pivots' inverses kept; the blocks of the inverse that are needed by recursion
//! (Takahashi, K., Fagan, J. & Chin, M.-S. (1973), "Formation of a sparse bus impedance matrix").

use super::block::{Block, Column, ROWS, Real, scale};

/// Blocks of one size on the diagonal; one and two below it only diagonals, since neighbours meet coordinate by
/// coordinate. Absent ones are zero.
#[derive(Debug, Clone)]
pub(super) struct Band<T> {
    pub diagonal: Vec<Block<T>>,
    pub first: Vec<Option<Column<T>>>,
    pub second: Vec<Option<Column<T>>>,
}

/// The factors of A = L D Lᵀ: the inverse of each pivot S = D⁻¹, and what lies below it in L: a full block
/// one below, a diagonal times S two below.
pub(super) struct Factor<T> {
    pivot: Vec<Block<T>>,
    first: Vec<Option<Block<T>>>,
    second: Vec<Option<Column<T>>>,
}

impl<T: Real> Band<T> {
    pub fn zeros(blocks: usize, size: usize) -> Self {
        Self {
            diagonal: vec![Block::zeros(size); blocks],
            first: vec![None; blocks],
            second: vec![None; blocks],
        }
    }

    /// The diagonal one below a block.
    pub fn beside(&mut self, t: usize) -> &mut Column<T> {
        self.first[t].get_or_insert([T::default(); ROWS])
    }

    /// The diagonal two below a block.
    pub fn beyond(&mut self, t: usize) -> &mut Column<T> {
        self.second[t].get_or_insert([T::default(); ROWS])
    }

    /// `None` when the system is not positive definite.
    pub fn factor(mut self) -> Option<Factor<T>> {
        let n = self.diagonal.len();
        let mut firsts: Vec<Option<Block<T>>> = Vec::with_capacity(n);
        // What eliminating the block before adds one below the next.
        let mut fill: Option<Block<T>> = None;
        for t in 0..n {
            let (done, rest) = self.diagonal.split_at_mut(t + 1);
            let pivot = &mut done[t];
            let size = pivot.0.len();
            T::invert(&mut pivot.0)?;
            // What rounding adds to one side would grow from block to block.
            pivot.even();
            let mut beside = fill.take();
            if let Some(d) = &self.first[t] {
                beside
                    .get_or_insert_with(|| Block::zeros(size))
                    .add_diagonal(d);
            }
            let gain = beside.as_ref().map(|b| {
                let mut gain = Block::zeros(size);
                gain.add(b, pivot, T::ONE);
                gain
            });
            if let (Some(b), Some(g), Some(next)) = (&beside, &gain, rest.first_mut()) {
                T::add_product(&mut next.0, &g.0, &b.0, -T::ONE, true);
            }
            if let (Some(d), Some(next)) = (&self.second[t], rest.get_mut(1)) {
                for ((to, from), by) in next.0.iter_mut().zip(&pivot.0).zip(d) {
                    for ((to, from), d) in to.iter_mut().zip(from).zip(d) {
                        *to += -(*d * *from * *by);
                    }
                }
                fill = gain.as_ref().map(|g| {
                    let mut fill = g.turned();
                    fill.scale_rows(&d.map(|v| -v));
                    fill
                });
            }
            firsts.push(gain);
        }
        Some(Factor {
            pivot: self.diagonal,
            first: firsts,
            second: self.second,
        })
    }
}

impl<T: Real> Factor<T> {
    /// Solves A X = B in place, of which so many columns belong to each block.
    pub fn solve(&self, b: &mut [Column<T>], many: usize) {
        let n = self.pivot.len();
        let mut own = vec![[T::default(); ROWS]; many];
        for t in 0..n {
            let (done, rest) = b.split_at_mut((t + 1) * many);
            let here = &mut done[t * many..];
            if let (Some(g), Some(to)) = (&self.first[t], rest.get_mut(..many)) {
                T::add_product(to, &g.0, here, -T::ONE, false);
            }
            own.copy_from_slice(here);
            here.fill([T::default(); ROWS]);
            T::add_product(here, &self.pivot[t].0, &own, T::ONE, false);
            if let (Some(d), Some(to)) = (&self.second[t], rest.get_mut(many..2 * many)) {
                for (to, from) in to.iter_mut().zip(here) {
                    for ((to, from), d) in to.iter_mut().zip(from).zip(d) {
                        *to += -(*d * *from);
                    }
                }
            }
        }
        for t in (0..n).rev() {
            let (done, rest) = b.split_at_mut((t + 1) * many);
            let here = &mut done[t * many..];
            if let (Some(g), Some(from)) = (&self.first[t], rest.get(..many)) {
                T::add_dots(here, &g.0, from, -T::ONE);
            }
            if let (Some(d), Some(from)) = (&self.second[t], rest.get(many..2 * many)) {
                own.copy_from_slice(from);
                own.iter_mut().for_each(|column| scale(column, d));
                T::add_product(here, &self.pivot[t].0, &own, -T::ONE, false);
            }
        }
    }

    /// The diagonal blocks of A⁻¹.
    pub fn inverse_blocks(&self) -> Vec<Block<T>> {
        let n = self.pivot.len();
        let mut out: Vec<Block<T>> = vec![Block(Vec::new()); n];
        // Σ(t+1, t) of the blocks done before.
        let mut beside: Option<Block<T>> = None;
        for t in (0..n).rev() {
            let mut own = self.pivot[t].clone();
            let size = own.0.len();
            let g1 = self.first[t].as_ref().filter(|_| t + 1 < n);
            let g2 = self.second[t].as_ref().filter(|_| t + 2 < n).map(|d| {
                let mut g = self.pivot[t].clone();
                g.scale_rows(d);
                g
            });
            let mut next: Option<Block<T>> = None;
            if g1.is_some() || g2.is_some() {
                let (mut s1, mut s2) = (Block::zeros(size), Block::zeros(size));
                if let Some(g) = g1 {
                    s1.add(&out[t + 1], g, -T::ONE);
                    if let Some(b) = &beside {
                        s2.add(b, g, -T::ONE);
                    }
                }
                if let Some(g) = &g2 {
                    if let Some(b) = &beside {
                        s1.add(&b.turned(), g, -T::ONE);
                    }
                    s2.add(&out[t + 2], g, -T::ONE);
                }
                if let Some(g) = g1 {
                    own.add(&g.turned(), &s1, -T::ONE);
                }
                if let Some(g) = &g2 {
                    own.add(&g.turned(), &s2, -T::ONE);
                }
                next = Some(s1);
            }
            own.even();
            out[t] = own;
            beside = next;
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::DMatrix;
    use rand::{Rng, SeedableRng};

    const SIZE: usize = 21;

    fn column(m: &DMatrix<f64>, c: usize) -> Column<f64> {
        std::array::from_fn(|r| m.column(c).get(r).copied().unwrap_or(0.0))
    }

    /// A band of random blocks, one joint missing, and the same as one matrix.
    fn example(blocks: usize) -> (Band<f64>, DMatrix<f64>) {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(blocks as u64);
        let mut block = || DMatrix::from_fn(SIZE, SIZE, |_, _| rng.random_range(-1.0..1.0));
        let mut band = Band::zeros(blocks, SIZE);
        let mut whole = DMatrix::zeros(SIZE * blocks, SIZE * blocks);
        for t in 0..blocks {
            let b = block();
            let own = &b * b.transpose() + DMatrix::identity(SIZE, SIZE) * 9.0;
            band.diagonal[t] = Block((0..SIZE).map(|c| column(&own, c)).collect());
            if t + 1 < blocks && t != 2 {
                *band.beside(t) = column(&block(), 0);
            }
            if t + 2 < blocks && t != 1 && t != 2 {
                *band.beyond(t) = column(&block(), 0);
            }
        }
        for t in 0..blocks {
            for (c, column) in band.diagonal[t].0.iter().enumerate() {
                for (r, v) in column[..SIZE].iter().enumerate() {
                    whole[(t * SIZE + r, t * SIZE + c)] = *v;
                }
            }
            for (further, d) in [(1, &band.first[t]), (2, &band.second[t])] {
                for i in 0..SIZE {
                    if let Some(d) = d {
                        whole[((t + further) * SIZE + i, t * SIZE + i)] = d[i];
                        whole[(t * SIZE + i, (t + further) * SIZE + i)] = d[i];
                    }
                }
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
                let found = DMatrix::from_fn(SIZE, SIZE, |r, c| b.0[c][r]);
                assert!((found - expected).norm() < 1e-9, "{blocks} {t}");
            }
            let right = DMatrix::from_fn(SIZE * blocks, 3, |r, c| (r * 7 + c * 3) as f64 % 5.0);
            let rows = |t: usize| right.rows(t * SIZE, SIZE).into_owned();
            let mut cut: Vec<Column<f64>> = (0..blocks)
                .flat_map(|t| (0..3).map(move |c| (t, c)))
                .map(|(t, c)| column(&rows(t), c))
                .collect();
            factor.solve(&mut cut, 3);
            let expected = inverse * &right;
            for (i, x) in cut.iter().enumerate() {
                for r in 0..SIZE {
                    let wanted = expected[(i / 3 * SIZE + r, i % 3)];
                    assert!((x[r] - wanted).abs() < 1e-9, "{blocks} {i} {r}");
                }
            }
        }
    }

    /// A long chain that is held together far more tightly than it is seen.
    #[test]
    fn variances_stay_positive_along_a_stiff_chain() {
        let (blocks, size) = (400, 3);
        let mut band = Band::zeros(blocks, size);
        for t in 0..blocks {
            band.diagonal[t] = Block::diagonal(size, if t % 40 == 0 { 1.0 } else { 1e-9 });
        }
        for t in 0..blocks - 2 {
            let by = [1.0, -2.0, 1.0].map(|b| 1e3 * b);
            for (d, b) in band.diagonal[t..].iter_mut().zip(by) {
                for i in 0..size {
                    d.0[i][i] += b * b;
                }
            }
            for i in 0..size {
                band.beside(t)[i] += by[0] * by[1];
                band.beside(t + 1)[i] += by[1] * by[2];
                band.beyond(t)[i] += by[0] * by[2];
            }
        }
        let blocks = band.factor().unwrap().inverse_blocks();
        for (t, b) in blocks.iter().enumerate() {
            for i in 0..size {
                let variance = b.0[i][i];
                assert!(variance > 0.0 && variance < 2.0, "{t} {variance}");
            }
        }
    }

    #[test]
    fn what_is_not_definite_is_refused() {
        let mut band = Band::<f64>::zeros(2, SIZE);
        band.diagonal[0] = Block::diagonal(SIZE, 1.0);
        assert!(band.factor().is_none());
    }
}
