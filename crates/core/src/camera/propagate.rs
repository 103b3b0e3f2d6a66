//! Uncertainty of anything computed from places that a camera sees, to first order.
//!
//! σ² = Js Σ Jsᵀ + σp² ‖Jp‖²: what all places of one value share, the camera's own error first of all,
//! cancels in differences; the errors of their pixels are independent.

use nalgebra::{Matrix2, Point2, RowSVector, RowVector2, SMatrix};

use super::Calibration;
use crate::units::Estimate;

/// Standard error of a point set by hand with the loupe, pixels along each axis.
pub const PIXEL_SIGMA: f64 = 1.5;

/// How far a place is moved to see what that does to a value, metres: about what a pixel is wide.
const STEP: f64 = 1e-3;

/// A place in a plane, and how it moves with its pixel and with `S` numbers that other places share.
#[derive(Debug, Clone, PartialEq)]
pub struct Seen<const S: usize> {
    /// Metres.
    pub at: Point2<f64>,
    /// Metres for each pixel to the right and down.
    pub pixel: Matrix2<f64>,
    /// Metres for each unit of what is shared.
    pub shared: SMatrix<f64, 2, S>,
}

impl Calibration {
    /// Where pixels lie on the floor; what they share is the camera. `None` where [`super::Camera::on_floor`]
    /// gives none for one of them.
    pub fn on_floor<const N: usize>(&self, pixels: [[f64; 2]; N]) -> Option<[Seen<7>; N]> {
        let mut seen = Vec::with_capacity(N);
        for pixel in pixels {
            seen.push(self.camera.seen_on_floor(Point2::from(pixel))?);
        }
        seen.try_into().ok()
    }
}

/// Value and σ of `f(places)`, whose shared numbers have this covariance. `None` when `f` gives none there or close
/// by, or nothing finite.
pub fn propagate<const S: usize>(
    places: &[Seen<S>],
    covariance: &SMatrix<f64, S, S>,
    f: impl Fn(&[Point2<f64>]) -> Option<f64>,
) -> Option<Estimate> {
    let mut at: Vec<_> = places.iter().map(|p| p.at).collect();
    let value = f(&at)?;
    let mut variance = 0.0;
    let mut shared = RowSVector::<f64, S>::zeros();
    for (i, place) in places.iter().enumerate() {
        let mut by = RowVector2::zeros();
        for axis in 0..2 {
            let here = place.at[axis];
            at[i][axis] = here + STEP;
            let ahead = f(&at)?;
            at[i][axis] = here - STEP;
            let behind = f(&at)?;
            at[i][axis] = here;
            by[axis] = (ahead - behind) / (2.0 * STEP);
        }
        variance += (by * place.pixel * PIXEL_SIGMA).norm_squared();
        shared += by * place.shared;
    }
    variance += (shared * covariance * shared.transpose())[0];
    let sigma = variance.sqrt();
    (value.is_finite() && sigma.is_finite()).then_some(Estimate { value, sigma })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::camera::Camera;
    use crate::camera::calibrate;
    use crate::camera::calibrate::tests::{RECTANGLE, phone, seen};
    use nalgebra::{Cholesky, Point3, SVector};
    use rand::SeedableRng;
    use rand_distr::{Distribution, StandardNormal};

    /// First-order propagation against Monte Carlo over pixels and camera together.
    #[test]
    fn agrees_with_monte_carlo() {
        let truth = phone(0.4, 1.5, 5.0, 65.0);
        let c = calibrate(
            &seen(&truth, &RECTANGLE),
            [1280.0, 720.0],
            crate::camera::View::Unknown,
        )
        .unwrap();
        let pixel = |x, y| {
            let p = truth.project(Point3::new(x, y, 0.0)).unwrap();
            [p.x, p.y]
        };
        let pixels = [pixel(-0.4, 0.1), pixel(0.5, 0.2)];
        let claimed = propagate(&c.on_floor(pixels).unwrap(), &c.covariance, |p| {
            Some((p[0] - p[1]).norm())
        })
        .unwrap();
        let root = Cholesky::new(c.covariance).unwrap().l();
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
        let mut draw = || -> f64 { StandardNormal.sample(&mut rng) };
        let n = 4000;
        let values: Vec<f64> = (0..n)
            .map(|_| {
                let z = SVector::<f64, 7>::from_fn(|_, _| draw());
                let camera = c.camera.nudged(&(root * z).into());
                let [a, b] = pixels.map(|p| {
                    let moved = p.map(|x| x + PIXEL_SIGMA * draw());
                    camera.on_floor(Point2::from(moved)).unwrap()
                });
                (a - b).norm()
            })
            .collect();
        let mean = values.iter().sum::<f64>() / f64::from(n);
        let sd = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / f64::from(n)).sqrt();
        assert!(
            (claimed.sigma / sd - 1.0).abs() < 0.08,
            "{} {sd}",
            claimed.sigma
        );
        assert!((claimed.value - 0.9055).abs() < 0.001);
    }

    /// What a place owes to its pixel and to the camera, against moving each of them a little.
    #[test]
    fn floor_places_move_as_their_pixels_and_the_camera_do() {
        for bend in [0.0, -0.07] {
            let camera = Camera {
                bend,
                ..phone(0.4, 1.5, 5.0, 65.0)
            };
            for pixel in [[410.0, 560.0], [900.0, 500.0], [640.0, 360.0]] {
                let place = camera.seen_on_floor(Point2::from(pixel)).unwrap();
                let on = |camera: &Camera, p: [f64; 2]| camera.on_floor(Point2::from(p)).unwrap();
                for axis in 0..2 {
                    let moved = |by: f64| {
                        let mut p = pixel;
                        p[axis] += by;
                        on(&camera, p)
                    };
                    let want = (moved(0.01) - moved(-0.01)) / 0.02;
                    assert!((place.pixel.column(axis) - want).norm() < 1e-6 * want.norm());
                }
                for k in 0..7 {
                    let nudged = |by: f64| {
                        let mut step = [0.0; 7];
                        step[k] = by;
                        on(&camera.nudged(&step), pixel)
                    };
                    let want = (nudged(1e-5) - nudged(-1e-5)) / 2e-5;
                    let miss = (place.shared.column(k) - want).norm();
                    assert!(miss < 1e-5 * want.norm().max(1.0), "{bend} {k} {miss}");
                }
            }
        }
    }

    #[test]
    fn an_error_of_the_camera_cancels_in_a_difference() {
        let place = |x: f64| Seen::<1> {
            at: Point2::new(x, 0.0),
            pixel: Matrix2::zeros(),
            shared: nalgebra::Vector2::new(0.5, 0.0),
        };
        let (a, b) = (place(0.0), place(1.2));
        let covariance = SMatrix::<f64, 1, 1>::new(0.04);
        let alone = propagate(std::slice::from_ref(&b), &covariance, |p| Some(p[0].x)).unwrap();
        assert!((alone.sigma - 0.1).abs() < 1e-9 && alone.value == 1.2);
        let apart = propagate(&[a, b], &covariance, |p| Some(p[1].x - p[0].x)).unwrap();
        assert!(apart.sigma < 1e-9 && apart.value == 1.2);
    }
}
