//! How sure solved bodies are: what the pixels leave open, and what cameras and lengths add to all instants alike.

use std::sync::Arc;

use nalgebra::{DMatrix, DVector, Vector2};

use super::band::Factor;
use super::block::{self, Column, ROWS, Real, add_diagonal};
use super::claims::Calibrated;
use super::lasting::{SHOD, lasting, shod};
use super::skeleton::{self, N, SCALES, at};
use super::{Linear, SolveError, Solver, State, halves, take_dots, terms};
use crate::body::Landmark;
use crate::camera::{Calibration, Camera};

/// Unknowns of a camera: focal length, rotation, place.
pub(super) const OF_CAMERA: usize = 7;

/// Unknowns that are the dancer's own and the same at all instants: length scales, and how high the shoes are.
pub(super) const OWN: usize = SCALES + SHOD.len();

/// Uncertainties of some instants.
pub(super) struct Sure {
    /// Covariance of each instant's coordinates, the pixels' part.
    pub own: Vec<Arc<DMatrix<f32>>>,
    /// How coordinates follow the shared unknowns: the dancer's own, then each camera's seven.
    pub shared: Vec<Arc<DMatrix<f64>>>,
    /// Covariance of the shared unknowns.
    pub shared_covariance: DMatrix<f64>,
}

impl Solver<'_> {
    /// How sure a solution is. `residual` is that of the whole take, of which this may be a part.
    pub fn sure(
        &self,
        cameras: &[Calibration],
        state: &State,
        residual: f64,
    ) -> Result<Sure, SolveError> {
        let mut linear = Linear::<f64>::new();
        self.linearise(state, &mut linear);
        let Linear {
            band,
            cross,
            scales: mut schur,
            ..
        } = linear;
        // A hall is some ten metres wide: that much is known even of who is not seen at all.
        let mut factor = Factor::new();
        [1e-2, 1e-1, 1.0]
            .into_iter()
            .find_map(|known| factor.of(&band, |_, block| add_diagonal(block, &[known; ROWS])))
            .ok_or(SolveError::NoFit)?;
        // Residuals larger than claimed speak of larger errors: the covariance grows with them (the variance
        // of unit weight of adjustment computations). With one camera only: what a second one contradicts
        // is in the residuals twice, and on simulated takes its solutions are as good as they claim.
        let grown = if self.given.cameras.len() == 1 {
            residual.max(1.0)
        } else {
            1.0
        };
        let calibrated = Calibrated::new(self.instants, &self.given.cameras, grown);
        let mut own = vec![Arc::default(); self.instants.len()];
        factor.inverse_blocks(|t, block| {
            let mut block = block.to_vec();
            halves::triangle(&mut block);
            block::mirror(&mut block);
            let now = &self.instants[t];
            let hips = skeleton::middle(&state.joints[t], Landmark::LeftHip, Landmark::RightHip);
            let mut covariance = calibrated.covariance(now, hips.xy(), &block);
            for by in lasting(now, &state.joints[t], &self.given.cameras) {
                covariance.ger(1.0, &by, &by, 1.0);
            }
            for doubt in &now.doubts {
                let by = DVector::from_column_slice(doubt);
                covariance.ger(1.0, &by, &by, 1.0);
            }
            own[t] = Arc::new(covariance.map(|v| v as f32));
        });
        let mut z = cross.clone();
        factor.solve(&mut z, SCALES);
        take_dots(&mut schur, &cross, &z);
        let scale_covariance = schur.try_inverse().ok_or(SolveError::NoFit)?;
        let by_camera = self.by_camera(state, &factor, (&cross, &z, &scale_covariance));
        z.iter_mut().for_each(|z| halves::column(z));
        let of_cameras = OF_CAMERA * self.given.cameras.len();
        let shared = self.instants.iter().enumerate().map(|(t, now)| {
            let shod = shod(now, &state.joints[t], &self.given.cameras);
            DMatrix::from_fn(N, OWN + of_cameras, |r, c| match c {
                _ if c < SCALES => -z[t * SCALES + c][r],
                _ if c < OWN => shod[c - SCALES][r],
                _ => by_camera[t * of_cameras + c - OWN][r],
            })
        });
        let shared: Vec<_> = shared.map(Arc::new).collect();
        let many = OWN + OF_CAMERA * cameras.len();
        let mut covariance = DMatrix::zeros(many, many);
        for (k, sigma) in SHOD.into_iter().enumerate() {
            covariance[(SCALES + k, SCALES + k)] = sigma * sigma;
        }
        covariance
            .view_mut((0, 0), (SCALES, SCALES))
            .copy_from(&scale_covariance);
        for (i, c) in cameras.iter().enumerate() {
            let first = OWN + OF_CAMERA * i;
            covariance
                .view_mut((first, first), (OF_CAMERA, OF_CAMERA))
                .copy_from(&c.covariance);
        }
        Ok(Sure {
            own,
            shared,
            shared_covariance: covariance,
        })
    }

    /// How the solution follows the cameras' unknowns: −H⁻¹ ∂g/∂c, with the length scales solved along.
    fn by_camera(
        &self,
        state: &State,
        factor: &Factor<f64>,
        (cross, z, scale_covariance): (&[Column<f64>], &[Column<f64>], &DMatrix<f64>),
    ) -> Vec<Column<f64>> {
        let many = OF_CAMERA * self.given.cameras.len();
        let mut right: Vec<Column<f64>> = vec![[0.0; ROWS]; self.instants.len() * many];
        let h = 1e-5;
        for (camera, of) in self.given.cameras.iter().enumerate() {
            let nudged: [[Camera; 2]; OF_CAMERA] = std::array::from_fn(|k| {
                [h, -h].map(|h| {
                    let mut by = [0.0; OF_CAMERA];
                    by[k] = h;
                    of.nudged(&by)
                })
            });
            for (t, (now, x)) in self.instants.iter().zip(&state.joints).enumerate() {
                let columns = &mut right[t * many + OF_CAMERA * camera..][..OF_CAMERA];
                for s in now.seen.iter().filter(|s| s.camera == camera) {
                    let place = skeleton::p(x, s.landmark);
                    let Some((pixel, slope)) = terms::project(of, place) else {
                        continue;
                    };
                    let (sigma, _, weighed) = terms::missed(self.given, s, pixel);
                    let pull = slope.transpose() * (weighed.weight / (sigma * sigma));
                    for (column, nudged) in columns.iter_mut().zip(&nudged) {
                        let pixels = nudged.each_ref().map(|c| terms::pixel(c, place));
                        let [Some((a, _)), Some((b, _))] = pixels else {
                            continue;
                        };
                        let moved = [0, 1].map(|i| (a[i] - b[i]) / (2.0 * h));
                        let pulled = pull * Vector2::from(moved);
                        for (to, by) in column[at(s.landmark)..].iter_mut().zip(&pulled) {
                            *to -= by;
                        }
                    }
                }
            }
        }
        right.iter_mut().for_each(|r| halves::column(r));
        // The lengths' share: y = S⁻¹ (−Bᵀ A⁻¹ r), x = A⁻¹ r − Z y.
        factor.solve(&mut right, many);
        let mut lengths = DMatrix::zeros(SCALES, many);
        take_dots(&mut lengths, cross, &right);
        let y = block::columns(&(scale_covariance * lengths));
        for (x, z) in right.chunks_mut(many.max(1)).zip(z.chunks(SCALES)) {
            f64::add_product(x, z, &y, -1.0);
        }
        right.iter_mut().for_each(|r| halves::column(r));
        right
    }
}
