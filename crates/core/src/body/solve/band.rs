//! Symmetric systems whose blocks meet only their next two neighbours, coordinate by coordinate, with a few
//! unknowns shared by all.
//!
//! Block L D Lᵀ with the pivots' inverses kept; the blocks of the inverse that are needed by recursion
//! (Takahashi, K., Fagan, J. & Chin, M.-S. (1973), "Formation of a sparse bus impedance matrix").
//!
//! Systems and factors keep their memory when they are filled again: a take's are some dozens of megabytes.

use super::block::{self, Column, ROWS, Real, add_diagonal, scale, scale_rows};

/// Blocks of one size on the diagonal, of which only lower triangles are looked at; one and two below it only
/// diagonals, since neighbours meet coordinate by coordinate. Absent ones are zero.
#[derive(Debug, Clone)]
pub(super) struct Band<T> {
    size: usize,
    /// The columns of one block after those of the other.
    diagonal: Vec<Column<T>>,
    first: Vec<Option<Column<T>>>,
    second: Vec<Option<Column<T>>>,
}

/// The factors of A = L D Lᵀ: the inverse of each pivot S = D⁻¹, and what lies below it in L: a full block
/// one below, a diagonal times S two below.
pub(super) struct Factor<T> {
    size: usize,
    pivot: Vec<Column<T>>,
    gain: Vec<Column<T>>,
    /// Whether a block meets the next one.
    joined: Vec<bool>,
    second: Vec<Option<Column<T>>>,
}

impl<T: Real> Band<T> {
    pub fn new(size: usize) -> Self {
        Self {
            size,
            diagonal: Vec::new(),
            first: Vec::new(),
            second: Vec::new(),
        }
    }

    pub fn blocks(&self) -> usize {
        self.first.len()
    }

    /// So many blocks that are to be written, apart from each other.
    pub fn reset(&mut self, blocks: usize) {
        self.diagonal
            .resize(blocks * self.size, [T::default(); ROWS]);
        for beside in [&mut self.first, &mut self.second] {
            beside.clear();
            beside.resize(blocks, None);
        }
    }

    /// The columns of a block on the diagonal.
    pub fn block(&mut self, t: usize) -> &mut [Column<T>] {
        &mut self.diagonal[t * self.size..(t + 1) * self.size]
    }

    /// The diagonal one below a block.
    pub fn beside(&mut self, t: usize) -> &mut Column<T> {
        self.first[t].get_or_insert([T::default(); ROWS])
    }

    /// The diagonal two below a block.
    pub fn beyond(&mut self, t: usize) -> &mut Column<T> {
        self.second[t].get_or_insert([T::default(); ROWS])
    }
}

impl<T: Real> Factor<T> {
    pub fn new() -> Self {
        Self {
            size: 0,
            pivot: Vec::new(),
            gain: Vec::new(),
            joined: Vec::new(),
            second: Vec::new(),
        }
    }

    /// Becomes the factors of a system of which each block was changed; `None` when it is not positive definite.
    pub fn of(&mut self, band: &Band<T>, change: impl Fn(usize, &mut [Column<T>])) -> Option<()> {
        let (n, size) = (band.blocks(), band.size);
        self.size = size;
        // Every column is written before it is read.
        self.pivot.resize(n * size, [T::default(); ROWS]);
        self.gain.resize(n * size, [T::default(); ROWS]);
        self.joined.clear();
        self.second.clone_from(&band.second);
        let fetch = |t: usize, to: &mut [Column<T>]| {
            to.copy_from_slice(&band.diagonal[t * size..(t + 1) * size]);
            change(t, to);
        };
        for (t, to) in self.pivot.chunks_mut(size).enumerate().take(2) {
            fetch(t, to);
        }
        // What lies one below a block; at first what eliminating the block before added there.
        let mut beside = block::zeros::<T>(size);
        let mut filled = false;
        for t in 0..n {
            let (done, rest) = self.pivot.split_at_mut((t + 1) * size);
            let pivot = &mut done[t * size..];
            T::invert(pivot)?;
            if let Some(after) = rest.get_mut(size..2 * size) {
                fetch(t + 2, after);
            }
            if let Some(d) = &band.first[t] {
                add_diagonal(&mut beside, d);
            }
            let joined = filled || band.first[t].is_some();
            self.joined.push(joined);
            let gain = &mut self.gain[t * size..(t + 1) * size];
            if joined {
                gain.fill([T::default(); ROWS]);
                T::add_product(gain, &beside, pivot, T::ONE);
                if let Some(next) = rest.get_mut(..size) {
                    T::add_lower_turned(next, gain, &beside, -T::ONE);
                }
            }
            filled = false;
            if let (Some(d), Some(after)) = (&band.second[t], rest.get_mut(size..2 * size)) {
                T::take_scaled(after, pivot, d);
                if joined {
                    block::turn_by(gain, &d.map(|v| -v), &mut beside);
                    filled = true;
                }
            }
            if !filled {
                beside.fill([T::default(); ROWS]);
            }
        }
        Some(())
    }

    fn pivot(&self, t: usize) -> &[Column<T>] {
        &self.pivot[t * self.size..(t + 1) * self.size]
    }

    /// What lies one below a block in L.
    fn gain(&self, t: usize) -> Option<&[Column<T>]> {
        self.joined[t].then(|| &self.gain[t * self.size..(t + 1) * self.size])
    }

    /// Solves A X = B in place, of which so many columns belong to each block.
    pub fn solve(&self, b: &mut [Column<T>], many: usize) {
        let n = self.joined.len();
        let mut own = vec![[T::default(); ROWS]; many];
        for t in 0..n {
            let (done, rest) = b.split_at_mut((t + 1) * many);
            let here = &mut done[t * many..];
            if let (Some(g), Some(to)) = (self.gain(t), rest.get_mut(..many)) {
                T::add_product(to, g, here, -T::ONE);
            }
            own.copy_from_slice(here);
            here.fill([T::default(); ROWS]);
            T::add_product(here, self.pivot(t), &own, T::ONE);
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
            if let (Some(g), Some(from)) = (self.gain(t), rest.get(..many)) {
                T::add_dots(here, g, from, -T::ONE);
            }
            if let (Some(d), Some(from)) = (&self.second[t], rest.get(many..2 * many)) {
                own.copy_from_slice(from);
                own.iter_mut().for_each(|column| scale(column, d));
                T::add_product(here, self.pivot(t), &own, -T::ONE);
            }
        }
    }

    /// The diagonal blocks of A⁻¹, each handed over with its number, the last one first.
    pub fn inverse_blocks(&self, mut done: impl FnMut(usize, &[Column<T>])) {
        let n = self.joined.len();
        let zeros = || block::zeros::<T>(self.size);
        // Σ(t, t) of this block and the two done before, Σ(t+1, t) and Σ(t+2, t) of this one, Σ(t+2, t+1) and
        // its turned one.
        let (mut own, mut after, mut later) = (zeros(), zeros(), zeros());
        let (mut near, mut far, mut beside, mut turned) = (zeros(), zeros(), zeros(), zeros());
        let (mut gain, mut beyond) = (zeros(), zeros());
        let nothing = [T::default(); ROWS];
        let mut met = false;
        for t in (0..n).rev() {
            own.copy_from_slice(self.pivot(t));
            let g1 = self.gain(t).filter(|_| t + 1 < n);
            let g2 = self.second[t].as_ref().filter(|_| t + 2 < n);
            near.fill(nothing);
            far.fill(nothing);
            if let Some(g) = g1 {
                T::add_product(&mut near, &after, g, -T::ONE);
                if met {
                    T::add_product(&mut far, &beside, g, -T::ONE);
                }
            }
            if let Some(d) = g2 {
                beyond.copy_from_slice(self.pivot(t));
                scale_rows(&mut beyond, d);
                if met {
                    block::turn(&beside, &mut turned);
                    T::add_product(&mut near, &turned, &beyond, -T::ONE);
                }
                T::add_product(&mut far, &later, &beyond, -T::ONE);
                // G₂ᵀ Σ = S D Σ.
                scale_rows(&mut far, d);
                T::add_lower(&mut own, self.pivot(t), &far, -T::ONE);
            }
            if let Some(g) = g1 {
                block::turn(g, &mut gain);
                T::add_lower(&mut own, &gain, &near, -T::ONE);
            }
            block::mirror(&mut own);
            done(t, &own);
            met = g1.is_some() || g2.is_some();
            std::mem::swap(&mut beside, &mut near);
            std::mem::swap(&mut later, &mut after);
            std::mem::swap(&mut after, &mut own);
        }
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
        let mut band = Band::new(SIZE);
        band.reset(blocks);
        let mut whole = DMatrix::zeros(SIZE * blocks, SIZE * blocks);
        for t in 0..blocks {
            let b = block();
            let own = &b * b.transpose() + DMatrix::identity(SIZE, SIZE) * 9.0;
            for (c, to) in band.block(t).iter_mut().enumerate() {
                *to = column(&own, c);
            }
            if t + 1 < blocks && t != 2 {
                *band.beside(t) = column(&block(), 0);
            }
            if t + 2 < blocks && t != 1 && t != 2 {
                *band.beyond(t) = column(&block(), 0);
            }
        }
        for t in 0..blocks {
            for (c, column) in band.block(t).iter().enumerate() {
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

    /// Also in memory that a longer or a shorter system has left.
    #[test]
    fn solves_and_inverts_as_the_whole_matrix_does() {
        let mut factor = Factor::new();
        for blocks in [1, 2, 12, 7, 3, 10] {
            let (band, whole) = example(blocks);
            factor.of(&band, |_, _| {}).unwrap();
            let inverse = whole.clone().try_inverse().unwrap();
            let mut many = 0;
            factor.inverse_blocks(|t, b| {
                let expected = inverse.view((t * SIZE, t * SIZE), (SIZE, SIZE));
                let found = DMatrix::from_fn(SIZE, SIZE, |r, c| b[c][r]);
                assert!((found - expected).norm() < 1e-9, "{blocks} {t}");
                many += 1;
            });
            assert_eq!(many, blocks);
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
        let mut band = Band::new(size);
        band.reset(blocks);
        for t in 0..blocks {
            add_diagonal(band.block(t), &[if t % 40 == 0 { 1.0 } else { 1e-9 }; ROWS]);
        }
        for t in 0..blocks - 2 {
            let by = [1.0, -2.0, 1.0].map(|b| 1e3 * b);
            for (k, b) in by.iter().enumerate() {
                add_diagonal(band.block(t + k), &[b * b; ROWS]);
            }
            for i in 0..size {
                band.beside(t)[i] += by[0] * by[1];
                band.beside(t + 1)[i] += by[1] * by[2];
                band.beyond(t)[i] += by[0] * by[2];
            }
        }
        let mut factor = Factor::new();
        factor.of(&band, |_, _| {}).unwrap();
        factor.inverse_blocks(|t, b| {
            for (i, column) in b.iter().enumerate() {
                let variance = column[i];
                assert!(variance > 0.0 && variance < 2.0, "{t} {variance}");
            }
        });
    }

    #[test]
    fn what_is_not_definite_is_refused() {
        let mut band = Band::<f64>::new(SIZE);
        band.reset(2);
        add_diagonal(band.block(0), &[1.0; ROWS]);
        assert!(Factor::new().of(&band, |_, _| {}).is_none());
        let held = |_: usize, block: &mut [Column<f64>]| add_diagonal(block, &[1.0; ROWS]);
        assert!(Factor::new().of(&band, held).is_some());
    }
}
