//! A phone as a pinhole camera: square pixels, principal point at the picture's centre.

use nalgebra::{Matrix3, Point2, Point3, Rotation3, Vector3};

/// Focal length and pose. `rotation` takes world directions to camera axes (right, down, ahead).
#[derive(Debug, Clone, PartialEq)]
pub struct Camera {
    /// Focal length, pixels.
    pub focal: f64,
    /// Principal point, pixels.
    pub centre: [f64; 2],
    /// World to camera.
    pub rotation: Rotation3<f64>,
    /// Where the phone is, metres.
    pub position: Point3<f64>,
}

impl Camera {
    /// A camera at `position` looking at `target`, turned about its axis by `roll` degrees, with a
    /// horizontal field of view in degrees.
    pub fn looking_at(
        position: Point3<f64>,
        target: Point3<f64>,
        roll: f64,
        horizontal_view: f64,
        size: [f64; 2],
    ) -> Self {
        let ahead = (target - position).normalize();
        let right = ahead.cross(&Vector3::z()).normalize();
        let down = ahead.cross(&right);
        let (s, c) = roll.to_radians().sin_cos();
        let r = right * c + down * s;
        let d = down * c - right * s;
        Self {
            focal: focal_of_view(horizontal_view, size[0]),
            centre: [size[0] / 2.0, size[1] / 2.0],
            rotation: Rotation3::from_matrix_unchecked(Matrix3::from_rows(&[
                r.transpose(),
                d.transpose(),
                ahead.transpose(),
            ])),
            position,
        }
    }

    /// Pixel of a world point; `None` behind the lens.
    pub fn project(&self, p: Point3<f64>) -> Option<Point2<f64>> {
        let q = self.rotation * (p - self.position);
        (q.z > 1e-3).then(|| {
            Point2::new(
                self.centre[0] + self.focal * q.x / q.z,
                self.centre[1] + self.focal * q.y / q.z,
            )
        })
    }

    /// Distance along the optical axis, metres.
    pub fn depth(&self, p: Point3<f64>) -> f64 {
        (self.rotation * (p - self.position)).z
    }

    /// World direction of a pixel's ray.
    pub fn ray(&self, pixel: Point2<f64>) -> Vector3<f64> {
        let d = Vector3::new(
            (pixel.x - self.centre[0]) / self.focal,
            (pixel.y - self.centre[1]) / self.focal,
            1.0,
        );
        (self.rotation.inverse() * d).normalize()
    }

    /// Where a pixel's ray meets the level `height` metres above the floor; `None` when it points
    /// to the horizon or above (less than half a degree down), or further than 60 m away.
    pub fn at_height(&self, pixel: Point2<f64>, height: f64) -> Option<Point2<f64>> {
        let ray = self.ray(pixel);
        let drop = height - self.position.z;
        if drop * ray.z <= 0.0 || ray.z.abs() < 0.0087 {
            return None;
        }
        let p = self.position + ray * (drop / ray.z);
        ((p - self.position).norm() < 60.0).then(|| Point2::new(p.x, p.y))
    }

    /// Where a pixel's ray meets the floor.
    pub fn on_floor(&self, pixel: Point2<f64>) -> Option<Point2<f64>> {
        self.at_height(pixel, 0.0)
    }

    /// This camera after a small change: (Δ ln focal, rotation vector about the camera's axes, Δ position).
    pub fn nudged(&self, by: &[f64; 7]) -> Self {
        Self {
            focal: self.focal * by[0].exp(),
            centre: self.centre,
            rotation: Rotation3::new(Vector3::new(by[1], by[2], by[3])) * self.rotation,
            position: self.position + Vector3::new(by[4], by[5], by[6]),
        }
    }
}

/// Focal length in pixels of a horizontal field of view in degrees.
pub(super) fn focal_of_view(view: f64, width: f64) -> f64 {
    0.5 * width / (0.5 * view.to_radians()).tan()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_target_is_in_the_middle_and_up_is_up() {
        let c = Camera::looking_at(
            Point3::new(0.0, -5.0, 1.5),
            Point3::new(0.0, 0.0, 0.9),
            0.0,
            65.0,
            [1280.0, 720.0],
        );
        let m = c.project(Point3::new(0.0, 0.0, 0.9)).unwrap();
        assert!((m - Point2::new(640.0, 360.0)).norm() < 1e-9);
        assert!(c.project(Point3::new(0.0, 0.0, 1.8)).unwrap().y < 360.0);
        assert!(c.project(Point3::new(1.0, 0.0, 0.9)).unwrap().x > 640.0);
        assert!(c.project(Point3::new(0.0, -9.0, 1.0)).is_none());
    }

    #[test]
    fn floor_points_come_back_and_the_sky_does_not() {
        let c = Camera::looking_at(
            Point3::new(0.4, -4.6, 1.4),
            Point3::new(0.2, 0.3, 0.8),
            2.0,
            62.0,
            [1280.0, 720.0],
        );
        let p = Point3::new(0.7, 0.5, 0.0);
        let back = c.on_floor(c.project(p).unwrap()).unwrap();
        assert!((back - Point2::new(0.7, 0.5)).norm() < 1e-9);
        assert_eq!(c.on_floor(Point2::new(640.0, 0.0)), None);
    }
}
