//! Uncertainty of anything computed from pixels and a camera, to first order.
//!
//! σ² = Jc Σ Jcᵀ + σp² ‖Jp‖², with numerical central differences: camera error is shared by all
//! pixels of one value (so that it cancels in differences), pixel errors are independent.

use nalgebra::SVector;

use super::{Calibration, Camera};
use crate::units::Estimate;

/// Standard error of a point set by hand with the loupe, pixels along each axis.
pub const PIXEL_SIGMA: f64 = 1.5;

/// Value and σ of `f(camera, pixels)`. `None` when `f` gives none at the given pixels or close by.
pub fn propagate(
    calibration: Option<&Calibration>,
    pixels: &[[f64; 2]],
    f: impl Fn(Option<&Camera>, &[[f64; 2]]) -> Option<f64>,
) -> Option<Estimate> {
    let camera = calibration.map(|c| &c.camera);
    let value = f(camera, pixels)?;
    let mut variance = 0.0;
    let mut moved = pixels.to_vec();
    for i in 0..pixels.len() {
        for axis in 0..2 {
            let h = 0.25;
            moved[i][axis] = pixels[i][axis] + h;
            let ahead = f(camera, &moved)?;
            moved[i][axis] = pixels[i][axis] - h;
            let behind = f(camera, &moved)?;
            moved[i][axis] = pixels[i][axis];
            variance += ((ahead - behind) / (2.0 * h) * PIXEL_SIGMA).powi(2);
        }
    }
    if let Some(c) = calibration {
        let mut jacobian = SVector::<f64, 7>::zeros();
        for k in 0..7 {
            let h = 0.1 * c.covariance[(k, k)].sqrt().max(1e-9);
            let mut step = [0.0; 7];
            step[k] = h;
            let ahead = f(Some(&c.camera.nudged(&step)), pixels)?;
            step[k] = -h;
            let behind = f(Some(&c.camera.nudged(&step)), pixels)?;
            jacobian[k] = (ahead - behind) / (2.0 * h);
        }
        variance += (jacobian.transpose() * c.covariance * jacobian)[0];
    }
    let sigma = variance.sqrt();
    (value.is_finite() && sigma.is_finite()).then_some(Estimate { value, sigma })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::camera::calibrate;
    use crate::camera::calibrate::tests::{RECTANGLE, phone, seen};
    use nalgebra::{Cholesky, Point2, Point3};
    use rand::SeedableRng;
    use rand_distr::{Distribution, StandardNormal};

    /// First-order propagation against Monte Carlo over pixels and camera together.
    #[test]
    fn agrees_with_monte_carlo() {
        let truth = phone(0.4, 1.5, 5.0, 65.0);
        let c = calibrate(&seen(&truth, &RECTANGLE), [1280.0, 720.0], None).unwrap();
        let pixel = |x, y| {
            let p = truth.project(Point3::new(x, y, 0.0)).unwrap();
            [p.x, p.y]
        };
        let pixels = [pixel(-0.4, 0.1), pixel(0.5, 0.2)];
        let distance = |camera: Option<&Camera>, p: &[[f64; 2]]| {
            let camera = camera?;
            let a = camera.on_floor(Point2::from(p[0]))?;
            let b = camera.on_floor(Point2::from(p[1]))?;
            Some((a - b).norm())
        };
        let claimed = propagate(Some(&c), &pixels, distance).unwrap();
        let root = Cholesky::new(c.covariance).unwrap().l();
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
        let mut draw = || -> f64 { StandardNormal.sample(&mut rng) };
        let n = 4000;
        let values: Vec<f64> = (0..n)
            .map(|_| {
                let z = SVector::<f64, 7>::from_fn(|_, _| draw());
                let camera = c.camera.nudged(&(root * z).into());
                let moved = pixels.map(|p| p.map(|x| x + PIXEL_SIGMA * draw()));
                distance(Some(&camera), &moved).unwrap()
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
}
