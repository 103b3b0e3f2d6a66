//! Square blocks of a few dozen coordinates, worked on in the processor's vector registers. At this size a library
//! for matrices of any size spends as much time on packing as on products.

use std::ops::{Add, AddAssign, Mul, Neg};

use pulp::{Arch, Simd, WithSimd};

/// Rows of a column: whole vectors on every processor, those beyond the size of a block are zero.
pub(super) const ROWS: usize = 64;

/// Coordinates of a joint, by which a block is inverted.
const JOINT: usize = 3;

/// Vectors of a column that are worked on together.
const GROUP: usize = 4;

/// A column of a block.
pub(super) type Column<T> = [T; ROWS];

/// A square block by columns; its size is a multiple of three, at most [`ROWS`].
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Block<T>(pub Vec<Column<T>>);

/// Numbers of single or double precision.
pub(super) trait Real:
    Copy
    + Default
    + std::fmt::Debug
    + Into<f64>
    + Add<Output = Self>
    + AddAssign
    + Mul<Output = Self>
    + Neg<Output = Self>
{
    const ONE: Self;

    fn rounded(v: f64) -> Self;

    /// `to` ± a · b, or a · bᵀ where b is turned.
    fn add_product(
        to: &mut [Column<Self>],
        a: &[Column<Self>],
        b: &[Column<Self>],
        sign: Self,
        turned: bool,
    );

    /// `to` ± aᵀ · b.
    fn add_dots(to: &mut [Column<Self>], a: &[Column<Self>], b: &[Column<Self>], sign: Self);

    /// The inverse of a symmetric positive definite block, in its place; `None` when it is not definite.
    fn invert(block: &mut [Column<Self>]) -> Option<()>;

    /// x of A x = b for a symmetric positive definite block, which is used up; `None` when it is not definite.
    fn solve(block: Block<Self>, b: Column<Self>) -> Option<Column<Self>>;
}

struct Product<'a, T> {
    to: &'a mut [Column<T>],
    a: &'a [Column<T>],
    b: &'a [Column<T>],
    sign: T,
    turned: bool,
}

struct Dots<'a, T> {
    to: &'a mut [Column<T>],
    a: &'a [Column<T>],
    b: &'a [Column<T>],
    sign: T,
}

/// The first so many columns are a block; others behind them are right sides.
struct Eliminate<'a, T> {
    columns: &'a mut [Column<T>],
    size: usize,
    /// Whether the inverse is wanted, or the right sides only.
    inverse: bool,
}

/// Inverse of a symmetric 3 × 3 matrix by its cofactors; `None` when it is not positive definite.
fn inverse_of_joint(m: [[f64; JOINT]; JOINT]) -> Option<[[f64; JOINT]; JOINT]> {
    let minor = |r: [usize; 2], c: [usize; 2]| {
        m[r[0]][c[0]] * m[r[1]][c[1]] - m[r[0]][c[1]] * m[r[1]][c[0]]
    };
    let others = [[1, 2], [0, 2], [0, 1]];
    let cofactor = |r: usize, c: usize| {
        let size = minor(others[r], others[c]);
        if (r + c).is_multiple_of(2) {
            size
        } else {
            -size
        }
    };
    let det = (0..JOINT).map(|c| m[0][c] * cofactor(0, c)).sum::<f64>();
    let definite = m[0][0] > 0.0 && minor([0, 1], [0, 1]) > 0.0 && det > 0.0 && det.is_finite();
    definite.then(|| std::array::from_fn(|r| std::array::from_fn(|c| cofactor(c, r) / det)))
}

/// The three operations for one precision: pulp names the vectors of each by their own functions.
macro_rules! real {
    ($t:ty, $split:ident, $split_mut:ident, $splat:ident, $mul_add:ident, $sum:ident) => {
        impl Product<'_, $t> {
            /// A group of vectors of some columns.
            #[inline(always)]
            fn tile<S: Simd, const C: usize, const TURNED: bool>(
                &mut self,
                simd: S,
                first: usize,
                group: usize,
            ) {
                let mut sums = [[simd.$splat(0.0); GROUP]; C];
                for (k, column) in self.a.iter().enumerate() {
                    let Some(vectors) = S::$split(column).0.get(group..group + GROUP) else {
                        return;
                    };
                    for (c, sums) in sums.iter_mut().enumerate() {
                        let by = if TURNED {
                            self.b[k][first + c]
                        } else {
                            self.b[first + c][k]
                        };
                        let by = simd.$splat(by);
                        for (sum, v) in sums.iter_mut().zip(vectors) {
                            *sum = simd.$mul_add(by, *v, *sum);
                        }
                    }
                }
                let sign = simd.$splat(self.sign);
                for (column, sums) in self.to[first..first + C].iter_mut().zip(&sums) {
                    let to = &mut S::$split_mut(column).0[group..group + GROUP];
                    for (to, sum) in to.iter_mut().zip(sums) {
                        *to = simd.$mul_add(sign, *sum, *to);
                    }
                }
            }
        }

        impl WithSimd for Product<'_, $t> {
            type Output = ();

            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) {
                if self.turned {
                    self.tiles::<S, true>(simd);
                } else {
                    self.tiles::<S, false>(simd);
                }
            }
        }

        impl Product<'_, $t> {
            #[inline(always)]
            fn tiles<S: Simd, const TURNED: bool>(mut self, simd: S) {
                let many = self.to.len();
                let groups = S::$split(&[0.0; ROWS]).0.len();
                for group in (0..groups).step_by(GROUP) {
                    let whole = many - many % JOINT;
                    for first in (0..whole).step_by(JOINT) {
                        self.tile::<S, JOINT, TURNED>(simd, first, group);
                    }
                    for first in whole..many {
                        self.tile::<S, 1, TURNED>(simd, first, group);
                    }
                }
            }
        }

        impl WithSimd for Dots<'_, $t> {
            type Output = ();

            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) {
                for (to, b) in self.to.iter_mut().zip(self.b) {
                    let b = S::$split(b).0;
                    for (to, a) in to.iter_mut().zip(self.a) {
                        let mut sum = simd.$splat(0.0);
                        for (a, b) in S::$split(a).0.iter().zip(b) {
                            sum = simd.$mul_add(*a, *b, sum);
                        }
                        *to += self.sign * simd.$sum(sum);
                    }
                }
            }
        }

        impl WithSimd for Eliminate<'_, $t> {
            type Output = Option<()>;

            /// Gauss–Jordan elimination, a joint at a time.
            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) -> Option<()> {
                let columns = self.columns;
                for first in (0..self.size).step_by(JOINT) {
                    // What is eliminated is not looked at again on the way to a right side.
                    let from = if self.inverse { 0 } else { first + JOINT };
                    let own: [Column<$t>; JOINT] = columns[first..first + JOINT].try_into().ok()?;
                    let pivot = std::array::from_fn(|r| {
                        std::array::from_fn(|c| f64::from(own[c][first + r]))
                    });
                    let pivot = inverse_of_joint(pivot)?.map(|r| r.map(|v| v as $t));
                    for (j, column) in columns.iter_mut().enumerate().skip(from) {
                        let row: [$t; JOINT] = column[first..first + JOINT].try_into().ok()?;
                        let of_joint = j.checked_sub(first).filter(|c| *c < JOINT);
                        let by: [$t; JOINT] = match of_joint {
                            Some(c) => {
                                column.fill(0.0);
                                std::array::from_fn(|k| pivot[k][c])
                            }
                            None => std::array::from_fn(|r| {
                                (0..JOINT).map(|k| pivot[r][k] * row[k]).sum()
                            }),
                        };
                        let minus = by.map(|v| simd.$splat(-v));
                        let [a, b, c] = [0, 1, 2].map(|k| S::$split(&own[k]).0);
                        let to = S::$split_mut(column).0;
                        for (((to, a), b), c) in to.iter_mut().zip(a).zip(b).zip(c) {
                            let mut v = simd.$mul_add(minus[0], *a, *to);
                            v = simd.$mul_add(minus[1], *b, v);
                            *to = simd.$mul_add(minus[2], *c, v);
                        }
                        column[first..first + JOINT].copy_from_slice(&by);
                    }
                }
                Some(())
            }
        }

        impl Real for $t {
            const ONE: Self = 1.0;

            fn rounded(v: f64) -> Self {
                v as Self
            }

            fn add_product(
                to: &mut [Column<Self>],
                a: &[Column<Self>],
                b: &[Column<Self>],
                sign: Self,
                turned: bool,
            ) {
                Arch::new().dispatch(Product {
                    to,
                    a,
                    b,
                    sign,
                    turned,
                });
            }

            fn add_dots(
                to: &mut [Column<Self>],
                a: &[Column<Self>],
                b: &[Column<Self>],
                sign: Self,
            ) {
                Arch::new().dispatch(Dots { to, a, b, sign });
            }

            fn invert(block: &mut [Column<Self>]) -> Option<()> {
                Arch::new().dispatch(Eliminate {
                    size: block.len(),
                    columns: block,
                    inverse: true,
                })
            }

            fn solve(block: Block<Self>, b: Column<Self>) -> Option<Column<Self>> {
                let mut columns = block.0;
                let size = columns.len();
                columns.push(b);
                Arch::new().dispatch(Eliminate {
                    columns: &mut columns,
                    size,
                    inverse: false,
                })?;
                columns.pop()
            }
        }
    };
}

real!(
    f32,
    as_simd_f32s,
    as_mut_simd_f32s,
    splat_f32s,
    mul_add_e_f32s,
    reduce_sum_f32s
);
real!(
    f64,
    as_simd_f64s,
    as_mut_simd_f64s,
    splat_f64s,
    mul_add_e_f64s,
    reduce_sum_f64s
);

impl<T: Real> Block<T> {
    pub fn zeros(size: usize) -> Self {
        Self(vec![[T::default(); ROWS]; size])
    }

    pub fn diagonal(size: usize, value: T) -> Self {
        let mut out = Self::zeros(size);
        for (i, column) in out.0.iter_mut().enumerate() {
            column[i] = value;
        }
        out
    }

    pub fn turned(&self) -> Self {
        let mut out = Self::zeros(self.0.len());
        for (c, column) in self.0.iter().enumerate() {
            for (to, v) in out.0.iter_mut().zip(column) {
                to[c] = *v;
            }
        }
        out
    }

    /// The lower triangle put into the upper one as well.
    pub fn mirror(&mut self) {
        for c in 1..self.0.len() {
            let (before, own) = self.0.split_at_mut(c);
            for (to, from) in own[0].iter_mut().zip(before) {
                *to = from[c];
            }
        }
    }

    /// What rounding has made differ on the two sides made alike.
    pub fn even(&mut self) {
        let half = T::rounded(0.5);
        for c in 1..self.0.len() {
            let (before, own) = self.0.split_at_mut(c);
            for (a, from) in own[0].iter_mut().zip(before) {
                let mean = half * (*a + from[c]);
                (*a, from[c]) = (mean, mean);
            }
        }
    }

    /// Adds to the diagonal.
    pub fn add_diagonal(&mut self, by: &Column<T>) {
        for (i, column) in self.0.iter_mut().enumerate() {
            column[i] += by[i];
        }
    }

    /// Rows times the numbers of `by`.
    pub fn scale_rows(&mut self, by: &Column<T>) {
        for column in &mut self.0 {
            scale(column, by);
        }
    }

    pub fn add(&mut self, a: &Self, b: &Self, sign: T) {
        T::add_product(&mut self.0, &a.0, &b.0, sign, false);
    }
}

/// The columns of a matrix of at most [`ROWS`] rows.
pub(super) fn columns<T: Real>(m: &nalgebra::DMatrix<f64>) -> Vec<Column<T>> {
    let rows = |c: usize| {
        let entry = |r: usize| m.column(c).get(r).map_or(T::default(), |v| T::rounded(*v));
        std::array::from_fn(entry)
    };
    (0..m.ncols()).map(rows).collect()
}

/// A column times the numbers of another one.
pub(super) fn scale<T: Real>(column: &mut Column<T>, by: &Column<T>) {
    for (v, by) in column.iter_mut().zip(by) {
        *v = *v * *by;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::DMatrix;
    use rand::{Rng, SeedableRng};

    const SIZE: usize = 57;

    fn random<T: Real>(many: usize, seed: u64) -> (Vec<Column<T>>, DMatrix<f64>) {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(seed);
        let m = DMatrix::from_fn(SIZE, many, |_, _| f64::from(rng.random_range(-1.0..1.0f32)));
        (columns(&m), m)
    }

    fn off<T: Real>(a: &[Column<T>], m: &DMatrix<f64>) -> f64 {
        let entries = a.iter().enumerate().flat_map(|(c, column)| {
            column[..SIZE]
                .iter()
                .enumerate()
                .map(move |(r, v)| ((*v).into() - m[(r, c)]).abs())
        });
        entries.fold(0.0, f64::max)
    }

    fn products_and_inverses<T: Real + PartialEq>(near: f64) {
        let ((a, da), (b, db)) = (random::<T>(SIZE, 1), random::<T>(SIZE, 2));
        let (few, dfew) = random::<T>(10, 3);
        for many in [1, 3, 10] {
            let mut to = few[..many].to_vec();
            T::add_product(&mut to, &a, &b[..many], -T::ONE, false);
            let wanted = dfew.columns(0, many) - &da * db.columns(0, many);
            assert!(off(&to, &wanted) < near);
            let mut to = few[..many].to_vec();
            T::add_dots(&mut to, &a, &b[..many], T::ONE);
            let wanted = dfew.columns(0, many) + da.transpose() * db.columns(0, many);
            assert!(off(&to, &wanted) < near);
        }
        let mut to = Block(a.clone());
        T::add_product(&mut to.0, &a, &b, T::ONE, true);
        assert!(off(&to.0, &(&da + &da * db.transpose())) < near);
        assert_eq!(Block(a.clone()).turned().turned(), Block(a));
        let definite = &da * da.transpose() + DMatrix::identity(SIZE, SIZE) * 5.0;
        let mut inverse = columns::<T>(&definite);
        T::invert(&mut inverse).unwrap();
        assert!(off(&inverse, &definite.clone().try_inverse().unwrap()) < near);
        let x = T::solve(Block(columns(&definite)), few[0]).unwrap();
        let wanted = definite.clone().lu().solve(&dfew.columns(0, 1)).unwrap();
        assert!(off(&[x], &wanted) < near);
        let mut not = columns::<T>(&(definite - DMatrix::identity(SIZE, SIZE) * 9.0));
        assert!(T::invert(&mut not).is_none());
    }

    #[test]
    fn blocks_multiply_and_invert_as_any_matrix_does() {
        products_and_inverses::<f64>(1e-11);
        products_and_inverses::<f32>(1e-4);
    }
}
