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

/// Half of them.
const HALF: usize = GROUP / 2;

/// A column of a block.
pub(super) type Column<T> = [T; ROWS];

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

    /// A part of `to` ± a product of a and b.
    fn add_part(
        to: &mut [Column<Self>],
        a: &[Column<Self>],
        b: &[Column<Self>],
        sign: Self,
        part: Part,
    );

    /// `to` ± a · b.
    fn add_product(to: &mut [Column<Self>], a: &[Column<Self>], b: &[Column<Self>], sign: Self) {
        Self::add_part(to, a, b, sign, Part::Whole);
    }

    /// The lower triangle of `to` ± a · b.
    fn add_lower(to: &mut [Column<Self>], a: &[Column<Self>], b: &[Column<Self>], sign: Self) {
        Self::add_part(to, a, b, sign, Part::Lower);
    }

    /// The lower triangle of `to` ± a · bᵀ.
    fn add_lower_turned(
        to: &mut [Column<Self>],
        a: &[Column<Self>],
        b: &[Column<Self>],
        sign: Self,
    ) {
        Self::add_part(to, a, b, sign, Part::LowerTurned);
    }

    /// `to` ± aᵀ · b.
    fn add_dots(to: &mut [Column<Self>], a: &[Column<Self>], b: &[Column<Self>], sign: Self);

    /// `to` − D · block · D with a diagonal D.
    fn take_scaled(to: &mut [Column<Self>], block: &[Column<Self>], d: &Column<Self>);

    /// The inverse of a symmetric positive definite block, in its place; `None` when it is not definite. A block is a
    /// square by columns whose size is a multiple of three; only its lower triangle is looked at.
    fn invert(block: &mut [Column<Self>]) -> Option<()>;

    /// x of A x = b in the place of b, for a block as above, which is used up.
    fn solve(block: &mut [Column<Self>], b: &mut Column<Self>) -> Option<()>;
}

struct Product<'a, T> {
    to: &'a mut [Column<T>],
    a: &'a [Column<T>],
    b: &'a [Column<T>],
    sign: T,
    part: Part,
}

/// What of a product is wanted.
#[derive(Clone, Copy)]
pub(super) enum Part {
    Whole,
    /// The lower triangle.
    Lower,
    /// The lower triangle of a · bᵀ.
    LowerTurned,
}

struct Dots<'a, T> {
    to: &'a mut [Column<T>],
    a: &'a [Column<T>],
    b: &'a [Column<T>],
    sign: T,
}

struct Scaled<'a, T> {
    to: &'a mut [Column<T>],
    block: &'a [Column<T>],
    d: &'a Column<T>,
}

/// A symmetric block to be inverted.
struct Invert<'a, T>(&'a mut [Column<T>]);

/// A symmetric block with the right side of its equations.
struct Equations<'a, T> {
    block: &'a mut [Column<T>],
    b: &'a mut Column<T>,
}

/// A joint's columns of a symmetric block of which the lower triangle is kept, from the joint's own rows on.
fn columns_of_joint<T: Real>(block: &[Column<T>], first: usize) -> [Column<T>; JOINT] {
    let mut own = [[T::default(); ROWS]; JOINT];
    for (c, own) in own.iter_mut().enumerate() {
        own[first + c..].copy_from_slice(&block[first + c][first + c..]);
        for r in 0..c {
            own[first + r] = block[first + r][first + c];
        }
    }
    own
}

/// The rows of a joint out of its columns, inverted.
fn pivot<T: Real>(own: &[Column<T>; JOINT], first: usize) -> Option<[[T; JOINT]; JOINT]> {
    let of_joint = std::array::from_fn(|r| std::array::from_fn(|c| own[c][first + r].into()));
    Some(inverse_of_joint(of_joint)?.map(|row| row.map(T::rounded)))
}

/// Inverse of a symmetric 3 × 3 matrix by its cofactors; `None` when it is not positive definite.
fn inverse_of_joint(
    [[a, b, c], [_, d, e], [.., f]]: [[f64; JOINT]; JOINT],
) -> Option<[[f64; JOINT]; JOINT]> {
    let [aa, ab, ac] = [d * f - e * e, c * e - b * f, b * e - c * d];
    let (corner, det) = (a * d - b * b, a * aa + b * ab + c * ac);
    let definite = a > 0.0 && corner > 0.0 && det > 0.0 && det.is_finite();
    definite.then(|| {
        let by = 1.0 / det;
        let [aa, ab, ac] = [aa, ab, ac].map(|v| v * by);
        let [bb, bc, cc] = [a * f - c * c, b * c - a * e, corner].map(|v| v * by);
        [[aa, ab, ac], [ab, bb, bc], [ac, bc, cc]]
    })
}

/// The three operations for one precision: pulp names the vectors of each by their own functions.
macro_rules! real {
    ($t:ty, $split:ident, $split_mut:ident, $splat:ident, $mul:ident, $mul_add:ident, $sum:ident) => {
        impl Product<'_, $t> {
            /// Some vectors of some columns.
            #[inline(always)]
            fn tile<S: Simd, const C: usize, const V: usize, const TURNED: bool>(
                &mut self,
                simd: S,
                first: usize,
                vector: usize,
            ) {
                let mut sums = [[simd.$splat(0.0); V]; C];
                for (k, column) in self.a.iter().enumerate() {
                    let Some(vectors) = S::$split(column).0.get(vector..vector + V) else {
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
                    let to = &mut S::$split_mut(column).0[vector..vector + V];
                    for (to, sum) in to.iter_mut().zip(sums) {
                        *to = simd.$mul_add(sign, *sum, *to);
                    }
                }
            }

            #[inline(always)]
            fn tiles<S: Simd, const LOWER: bool, const TURNED: bool>(mut self, simd: S) {
                let many = self.to.len();
                let vectors = S::$split(&[0.0; ROWS]).0.len();
                let whole = many - many % JOINT;
                for group in (0..vectors).step_by(GROUP) {
                    for first in (0..whole).step_by(JOINT) {
                        // Vectors of this group that lie above the diagonal.
                        let above = if LOWER {
                            (first * vectors / ROWS).saturating_sub(group)
                        } else {
                            0
                        };
                        if above < HALF {
                            self.tile::<S, JOINT, GROUP, TURNED>(simd, first, group);
                        } else if above < GROUP {
                            self.tile::<S, JOINT, HALF, TURNED>(simd, first, group + HALF);
                        }
                    }
                    for first in whole..many {
                        self.tile::<S, 1, GROUP, TURNED>(simd, first, group);
                    }
                }
            }
        }

        impl WithSimd for Product<'_, $t> {
            type Output = ();

            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) {
                match self.part {
                    Part::Whole => self.tiles::<S, false, false>(simd),
                    Part::Lower => self.tiles::<S, true, false>(simd),
                    Part::LowerTurned => self.tiles::<S, true, true>(simd),
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

        impl WithSimd for Scaled<'_, $t> {
            type Output = ();

            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) {
                let d = S::$split(self.d).0;
                for ((to, from), by) in self.to.iter_mut().zip(self.block).zip(self.d) {
                    let by = simd.$splat(-by);
                    let (to, from) = (S::$split_mut(to).0, S::$split(from).0);
                    for ((to, from), d) in to.iter_mut().zip(from).zip(d) {
                        *to = simd.$mul_add(simd.$mul(by, *d), *from, *to);
                    }
                }
            }
        }

        impl Invert<'_, $t> {
            /// A joint's columns times the inverse of its pivot.
            #[inline(always)]
            fn divided<S: Simd>(
                simd: S,
                own: &[Column<$t>; JOINT],
                pivot: &[[$t; JOINT]; JOINT],
            ) -> [Column<$t>; JOINT] {
                let [a, b, c] = [0, 1, 2].map(|k| S::$split(&own[k]).0);
                let mut out = [[0.0; ROWS]; JOINT];
                for (column, by) in out.iter_mut().zip(pivot) {
                    let by = by.map(|v| simd.$splat(v));
                    let to = S::$split_mut(column).0;
                    for (((to, a), b), c) in to.iter_mut().zip(a).zip(b).zip(c) {
                        let v = simd.$mul_add(by[0], *a, *to);
                        *to = simd.$mul_add(by[2], *c, simd.$mul_add(by[1], *b, v));
                    }
                }
                out
            }

            /// Takes own · dividedᵀ off all columns; the joint's rows become what is divided.
            #[inline(always)]
            fn take_whole<S: Simd>(
                simd: S,
                columns: &mut [Column<$t>],
                first: usize,
                own: &[Column<$t>; JOINT],
                divided: &[Column<$t>; JOINT],
            ) {
                let parts = [0, 1, 2].map(|k| S::$split(&own[k]).0);
                for group in (0..parts[0].len()).step_by(GROUP) {
                    let [a, b, c] = parts.map(|p| &p[group..group + GROUP]);
                    for (i, column) in columns.iter_mut().enumerate() {
                        let rows = [0, 1, 2].map(|k| divided[k][i]);
                        let by = rows.map(|v| simd.$splat(-v));
                        let to = &mut S::$split_mut(column).0[group..group + GROUP];
                        for (((to, a), b), c) in to.iter_mut().zip(a).zip(b).zip(c) {
                            let w = simd.$mul_add(by[0], *a, *to);
                            *to = simd.$mul_add(by[2], *c, simd.$mul_add(by[1], *b, w));
                        }
                        [column[first], column[first + 1], column[first + 2]] = rows;
                    }
                }
            }

            /// Takes a joint's part off the lower triangle of these columns, of which the first is the `from`-th of
            /// the block.
            #[inline(always)]
            fn take<S: Simd>(
                simd: S,
                columns: &mut [Column<$t>],
                from: usize,
                own: &[Column<$t>; JOINT],
                divided: &[Column<$t>; JOINT],
            ) {
                let parts = [0, 1, 2].map(|k| S::$split(&divided[k]).0);
                let lanes = ROWS / parts[0].len();
                for (v, ((a, b), c)) in parts[0].iter().zip(parts[1]).zip(parts[2]).enumerate() {
                    let below = ((v + 1) * lanes).saturating_sub(from).min(columns.len());
                    for (i, column) in columns[..below].iter_mut().enumerate() {
                        let by = [0, 1, 2].map(|k| simd.$splat(-own[k][from + i]));
                        let to = &mut S::$split_mut(column).0[v];
                        let w = simd.$mul_add(by[0], *a, *to);
                        *to = simd.$mul_add(by[2], *c, simd.$mul_add(by[1], *b, w));
                    }
                }
            }
        }

        impl WithSimd for Invert<'_, $t> {
            type Output = Option<()>;

            /// Sweeps a joint at a time, which leave the negative inverse (Goodnight, J. H. (1979), "A tutorial on the
            /// SWEEP operator"). Of the whole block: to fetch a joint's rows out of one half costs more than it saves.
            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) -> Option<()> {
                let block = self.0;
                mirror(block);
                for first in (0..block.len()).step_by(JOINT) {
                    let own: [Column<$t>; JOINT] =
                        block.get(first..first + JOINT)?.try_into().ok()?;
                    let pivot = pivot(&own, first)?;
                    let divided = Self::divided(simd, &own, &pivot);
                    Self::take_whole(simd, block, first, &own, &divided);
                    for (c, divided) in divided.iter().enumerate() {
                        block[first + c] = *divided;
                        for (r, pivot) in pivot.iter().enumerate() {
                            block[first + c][first + r] = -pivot[c];
                        }
                    }
                }
                for column in block.iter_mut() {
                    column.iter_mut().for_each(|v| *v = -*v);
                }
                // Rounding must not make it uneven.
                mirror(block);
                Some(())
            }
        }

        impl WithSimd for Equations<'_, $t> {
            type Output = Option<()>;

            /// Block L D Lᵀ a joint at a time.
            #[inline(always)]
            fn with_simd<S: Simd>(self, simd: S) -> Option<()> {
                let Self { block, b } = self;
                for first in (0..block.len()).step_by(JOINT) {
                    let below = first + JOINT;
                    let own = columns_of_joint(block, first);
                    let pivot = pivot(&own, first)?;
                    let divided = Invert::<$t>::divided(simd, &own, &pivot);
                    Invert::<$t>::take(simd, &mut block[below..], below, &own, &divided);
                    let y: [$t; JOINT] = b[first..below].try_into().ok()?;
                    for (k, (divided, y)) in divided.iter().zip(y).enumerate() {
                        let kept = &mut block[first + k];
                        kept[..below].fill(0.0);
                        kept[below..].copy_from_slice(&divided[below..]);
                        for (to, v) in b.iter_mut().zip(kept) {
                            *to -= *v * y;
                        }
                    }
                    for (r, to) in b[first..below].iter_mut().enumerate() {
                        *to = pivot[r].iter().zip(&y).map(|(p, y)| p * y).sum();
                    }
                }
                for first in (0..block.len()).step_by(JOINT).rev() {
                    for c in first..first + JOINT {
                        let mut known = simd.$splat(0.0);
                        for (l, x) in S::$split(&block[c]).0.iter().zip(S::$split(b).0) {
                            known = simd.$mul_add(*l, *x, known);
                        }
                        b[c] -= simd.$sum(known);
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

            fn add_part(
                to: &mut [Column<Self>],
                a: &[Column<Self>],
                b: &[Column<Self>],
                sign: Self,
                part: Part,
            ) {
                Arch::new().dispatch(Product {
                    to,
                    a,
                    b,
                    sign,
                    part,
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

            fn take_scaled(to: &mut [Column<Self>], block: &[Column<Self>], d: &Column<Self>) {
                Arch::new().dispatch(Scaled { to, block, d });
            }

            fn invert(block: &mut [Column<Self>]) -> Option<()> {
                Arch::new().dispatch(Invert(block))
            }

            fn solve(block: &mut [Column<Self>], b: &mut Column<Self>) -> Option<()> {
                Arch::new().dispatch(Equations { block, b })
            }
        }
    };
}

real!(
    f32,
    as_simd_f32s,
    as_mut_simd_f32s,
    splat_f32s,
    mul_f32s,
    mul_add_e_f32s,
    reduce_sum_f32s
);
real!(
    f64,
    as_simd_f64s,
    as_mut_simd_f64s,
    splat_f64s,
    mul_f64s,
    mul_add_e_f64s,
    reduce_sum_f64s
);

/// A block without anything.
pub(super) fn zeros<T: Real>(size: usize) -> Vec<Column<T>> {
    vec![[T::default(); ROWS]; size]
}

/// A block turned.
pub(super) fn turn<T: Real>(block: &[Column<T>], to: &mut [Column<T>]) {
    turn_by(block, &[T::ONE; ROWS], to);
}

/// A block turned, its rows then times the numbers of `by`.
pub(super) fn turn_by<T: Real>(block: &[Column<T>], by: &Column<T>, to: &mut [Column<T>]) {
    for (c, (column, by)) in block.iter().zip(by).enumerate() {
        for (to, v) in to.iter_mut().zip(column) {
            to[c] = *v * *by;
        }
    }
}

/// The lower triangle put into the upper one as well.
pub(super) fn mirror<T: Real>(block: &mut [Column<T>]) {
    for c in 1..block.len() {
        let (before, own) = block.split_at_mut(c);
        for (to, from) in own[0].iter_mut().zip(before) {
            *to = from[c];
        }
    }
}

/// Adds to the diagonal.
pub(super) fn add_diagonal<T: Real>(block: &mut [Column<T>], by: &Column<T>) {
    for (i, column) in block.iter_mut().enumerate() {
        column[i] += by[i];
    }
}

/// Rows times the numbers of `by`.
pub(super) fn scale_rows<T: Real>(block: &mut [Column<T>], by: &Column<T>) {
    for column in block {
        scale(column, by);
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
            T::add_product(&mut to, &a, &b[..many], -T::ONE);
            let wanted = dfew.columns(0, many) - &da * db.columns(0, many);
            assert!(off(&to, &wanted) < near);
            let mut to = few[..many].to_vec();
            T::add_dots(&mut to, &a, &b[..many], T::ONE);
            let wanted = dfew.columns(0, many) + da.transpose() * db.columns(0, many);
            assert!(off(&to, &wanted) < near);
        }
        let mut there = zeros::<T>(SIZE);
        turn(&a, &mut there);
        assert!(off(&there, &da.transpose()) < 1e-12);
        let mut back = zeros::<T>(SIZE);
        turn(&there, &mut back);
        assert_eq!(back, a);
        let scales = DMatrix::from_diagonal(&dfew.column(0).into_owned());
        let mut scaled = zeros::<T>(SIZE);
        turn_by(&a, &few[0], &mut scaled);
        assert!(off(&scaled, &(&scales * da.transpose())) < near);
        T::take_scaled(&mut back, &b, &few[0]);
        assert!(off(&back, &(&da - &scales * &db * &scales)) < near);

        // Symmetric ones: what stands above the diagonal is not looked at.
        let definite = &da * da.transpose() + DMatrix::identity(SIZE, SIZE) * 5.0;
        let lower = definite.lower_triangle() + db.upper_triangle();
        let lower = lower - DMatrix::from_diagonal(&db.diagonal());
        let mut to = columns::<T>(&lower);
        let ahead = &da * definite.clone();
        T::add_lower_turned(&mut to, &columns::<T>(&ahead), &a, T::ONE);
        mirror(&mut to);
        let mut again = columns::<T>(&lower);
        T::add_lower(&mut again, &columns::<T>(&ahead), &there, T::ONE);
        mirror(&mut again);
        assert!(off(&again, &(&definite + &ahead * da.transpose())) < 1e3 * near);
        assert!(off(&to, &(&definite + &ahead * da.transpose())) < 1e3 * near);
        let mut inverse = columns::<T>(&lower);
        T::invert(&mut inverse).unwrap();
        assert!(off(&inverse, &definite.clone().try_inverse().unwrap()) < near);
        // Some coordinates are held far more tightly than others.
        let tight = DMatrix::from_fn(SIZE, 1, |r, _| 10f64.powi((r % 4) as i32));
        let tight = DMatrix::from_diagonal(&tight.column(0).into_owned());
        let mut inverse = columns::<T>(&(&tight * &definite * &tight));
        T::invert(&mut inverse).unwrap();
        let found = DMatrix::from_fn(SIZE, SIZE, |r, c| inverse[c][r].into());
        let evened = columns::<T>(&(&tight * found * &tight));
        assert!(off(&evened, &definite.clone().try_inverse().unwrap()) < near);
        let mut x = few[0];
        T::solve(&mut columns(&lower), &mut x).unwrap();
        let wanted = definite.clone().lu().solve(&dfew.columns(0, 1)).unwrap();
        assert!(off(&[x], &wanted) < near);
        let not = definite - DMatrix::identity(SIZE, SIZE) * 9.0;
        assert!(T::invert(&mut columns(&not)).is_none());
        assert!(T::solve(&mut columns(&not), &mut x).is_none());
    }

    #[test]
    fn blocks_multiply_and_invert_as_any_matrix_does() {
        products_and_inverses::<f64>(1e-11);
        products_and_inverses::<f32>(1e-4);
    }
}
