//! Plane-to-plane homography by the normalised direct linear transform.
//!
//! Hartley, R. & Zisserman, A. (2004), "Multiple View Geometry in Computer Vision", alg. 4.2.

use nalgebra::{DMatrix, Matrix3, Point2, Vector3};

/// Maps points of the floor (metres) to the picture (pixels), up to scale.
#[derive(Debug, Clone, PartialEq)]
pub struct Homography(pub Matrix3<f64>);

/// Why no homography exists for the pairs given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum HomographyError {
    /// Fewer than four pairs.
    #[error("Mark at least four points of the floor reference; {0} so far.")]
    TooFew(usize),
    /// Points on one line, or on one another.
    #[error("Three of these points lie on one line. Mark the corners of a shape with an area.")]
    Collinear,
}

impl Homography {
    /// Fits `picture ≈ H · floor` to at least four pairs, no three of the first four on a line.
    pub fn fit(pairs: &[(Point2<f64>, Point2<f64>)]) -> Result<Self, HomographyError> {
        if pairs.len() < 4 {
            return Err(HomographyError::TooFew(pairs.len()));
        }
        let from: Vec<_> = pairs.iter().map(|p| p.0).collect();
        let to: Vec<_> = pairs.iter().map(|p| p.1).collect();
        let (Some(tf), Some(tt)) = (normaliser(&from), normaliser(&to)) else {
            return Err(HomographyError::Collinear);
        };
        let mut a = DMatrix::zeros((2 * pairs.len()).max(9), 9);
        for (i, (p, q)) in from.iter().zip(&to).enumerate() {
            let p = tf * Vector3::new(p.x, p.y, 1.0);
            let q = tt * Vector3::new(q.x, q.y, 1.0);
            for k in 0..3 {
                a[(2 * i, k)] = p[k];
                a[(2 * i, 6 + k)] = -q.x * p[k];
                a[(2 * i + 1, 3 + k)] = p[k];
                a[(2 * i + 1, 6 + k)] = -q.y * p[k];
            }
        }
        let svd = a.svd(false, true);
        let Some(vt) = svd.v_t else {
            return Err(HomographyError::Collinear);
        };
        // Singular values come sorted; the second smallest vanishes exactly when the pairs leave a
        // family of homographies, that is when points are collinear.
        if svd.singular_values[7] < 1e-4 * svd.singular_values[0] {
            return Err(HomographyError::Collinear);
        }
        let h = vt.row(8);
        let h = Matrix3::new(h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], h[8]);
        // A singular map squeezes the floor onto a line: picture points were collinear.
        if h.determinant().abs() < 1e-6 * h.norm().powi(3) {
            return Err(HomographyError::Collinear);
        }
        let Some(back) = tt.try_inverse() else {
            return Err(HomographyError::Collinear);
        };
        Ok(Self(back * h * tf))
    }

    /// Picture point of a floor point; `None` on the horizon.
    pub fn apply(&self, p: Point2<f64>) -> Option<Point2<f64>> {
        let q = self.0 * Vector3::new(p.x, p.y, 1.0);
        (q.z.abs() > 1e-12).then(|| Point2::new(q.x / q.z, q.y / q.z))
    }

    /// The map back, from picture to floor.
    pub fn inverse(&self) -> Option<Self> {
        self.0.try_inverse().map(Self)
    }
}

/// Similarity that brings points to centroid 0 and mean distance √2; `None` when they coincide.
fn normaliser(points: &[Point2<f64>]) -> Option<Matrix3<f64>> {
    let n = points.len() as f64;
    let cx = points.iter().map(|p| p.x).sum::<f64>() / n;
    let cy = points.iter().map(|p| p.y).sum::<f64>() / n;
    let d = points
        .iter()
        .map(|p| (p.x - cx).hypot(p.y - cy))
        .sum::<f64>()
        / n;
    if !d.is_finite() || d < 1e-9 {
        return None;
    }
    let s = std::f64::consts::SQRT_2 / d;
    Some(Matrix3::new(
        s,
        0.0,
        -s * cx,
        0.0,
        s,
        -s * cy,
        0.0,
        0.0,
        1.0,
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn corners() -> [Point2<f64>; 4] {
        [
            Point2::new(0.0, 0.0),
            Point2::new(2.0, 0.0),
            Point2::new(2.0, 1.0),
            Point2::new(0.0, 1.0),
        ]
    }

    #[test]
    fn collinear_points_are_refused() {
        let line: Vec<_> = (0..4)
            .map(|i| {
                (
                    Point2::new(f64::from(i), 0.0),
                    Point2::new(f64::from(i) * 90.0, 400.0),
                )
            })
            .collect();
        assert_eq!(Homography::fit(&line), Err(HomographyError::Collinear));
        let mut three = corners().map(|c| (c, Point2::new(100.0 * c.x + 5.0, 80.0 * c.y + 9.0)));
        three[3].1 = Point2::new(105.0, 9.0);
        assert_eq!(Homography::fit(&three), Err(HomographyError::Collinear));
        assert_eq!(
            Homography::fit(&three[..3]),
            Err(HomographyError::TooFew(3))
        );
    }

    proptest! {
        /// Any true homography is recovered from its own four corners, and maps there and back.
        #[test]
        fn round_trip(
            a in proptest::array::uniform8(-0.4..0.4f64),
            x in -1.0..3.0f64, y in -1.0..2.0f64,
        ) {
            let h = Homography(Matrix3::new(
                300.0 * (1.0 + a[0]), 60.0 * a[1], 500.0 + 100.0 * a[2],
                40.0 * a[3], -150.0 * (1.0 + a[4]), 500.0 + 100.0 * a[5],
                0.1 * a[6], 0.2 * a[7], 1.0,
            ));
            let pairs = corners().map(|c| (c, h.apply(c).unwrap()));
            let fit = Homography::fit(&pairs).unwrap();
            let p = Point2::new(x, y);
            let there = fit.apply(p).unwrap();
            prop_assert!((there - h.apply(p).unwrap()).norm() < 1e-6);
            let back = fit.inverse().unwrap().apply(there).unwrap();
            prop_assert!((back - p).norm() < 1e-8);
        }
    }
}
