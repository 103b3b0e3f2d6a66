//! A phone as a pinhole camera: square pixels, principal point at the picture's centre, one radial term.

use nalgebra::{Matrix2, Matrix3, Matrix3x2, Point2, Point3, Rotation3, SMatrix, Vector2, Vector3};

use super::propagate::Seen;

/// Squared radius in focal lengths from which on the bend no longer grows: far outside any picture.
const MOST_BENT: f64 = 1.6;

/// Focal length and pose. `rotation` takes world directions to camera axes (right, down, ahead).
#[derive(Debug, Clone, PartialEq)]
pub struct Camera {
    /// Focal length, pixels.
    pub focal: f64,
    /// Principal point, pixels.
    pub centre: [f64; 2],
    /// Radial term k₁ of Brown, D. C. (1966), "Decentering distortion of lenses": a point at radius r
    /// (in focal lengths) is seen at r (1 + k₁ r²). Negative is a barrel; 0 for none.
    pub bend: f64,
    /// World to camera.
    pub rotation: Rotation3<f64>,
    /// Where the phone is, metres.
    pub position: Point3<f64>,
}

/// Where a pixel's ray meets a plane, metres, and how that point moves.
#[derive(Debug, Clone, PartialEq)]
pub struct Met {
    /// In the world.
    pub at: Point3<f64>,
    /// For each pixel to the right and down.
    pub pixel: Matrix3x2<f64>,
    /// For each unit of [`Camera::nudged`].
    pub camera: SMatrix<f64, 3, 7>,
    /// For each metre that the plane moves along its normal.
    pub along: Vector3<f64>,
}

impl Camera {
    /// A camera at `position` looking at `target`, turned about its axis by `roll` degrees, with a
    /// field of view along the picture's longer side in degrees.
    pub fn looking_at(
        position: Point3<f64>,
        target: Point3<f64>,
        roll: f64,
        view: f64,
        size: [f64; 2],
    ) -> Self {
        let ahead = (target - position).normalize();
        let right = ahead.cross(&Vector3::z()).normalize();
        let down = ahead.cross(&right);
        let (s, c) = roll.to_radians().sin_cos();
        let r = right * c + down * s;
        let d = down * c - right * s;
        Self {
            focal: focal_of_view(view, size[0].max(size[1])),
            centre: [size[0] / 2.0, size[1] / 2.0],
            bend: 0.0,
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
            let (x, y) = (q.x / q.z, q.y / q.z);
            let far = self.focal * (1.0 + self.bend * (x * x + y * y).min(MOST_BENT));
            Point2::new(self.centre[0] + far * x, self.centre[1] + far * y)
        })
    }

    /// Distance along the optical axis, metres.
    pub fn depth(&self, p: Point3<f64>) -> f64 {
        (self.rotation * (p - self.position)).z
    }

    /// World direction of a pixel's ray.
    pub fn ray(&self, pixel: Point2<f64>) -> Vector3<f64> {
        let x = self.straightened(self.bent(pixel));
        (self.rotation.inverse() * x.push(1.0)).normalize()
    }

    /// A pixel's distance from the principal point, focal lengths.
    fn bent(&self, pixel: Point2<f64>) -> Vector2<f64> {
        (pixel - Point2::from(self.centre)) / self.focal
    }

    /// Where the bend puts it here from: a fixed point, reached in a few rounds for phones.
    fn straightened(&self, bent: Vector2<f64>) -> Vector2<f64> {
        let mut x = bent;
        if self.bend != 0.0 {
            for _ in 0..8 {
                x = bent / (1.0 + self.bend * x.norm_squared().min(MOST_BENT));
            }
        }
        x
    }

    /// Where a pixel's ray meets the plane through `origin` with this unit normal, and how that moves; `None` where
    /// the ray runs along the plane.
    pub fn meet(
        &self,
        pixel: Point2<f64>,
        origin: Point3<f64>,
        normal: Vector3<f64>,
    ) -> Option<Met> {
        let bent = self.bent(pixel);
        let x = self.straightened(bent);
        let axes = self.rotation.inverse();
        let ray: Vector3<f64> = axes * x.push(1.0);
        let across = ray.dot(&normal);
        if across.abs() < 1e-3 * ray.norm() {
            return None;
        }
        let far = (origin - self.position).dot(&normal) / across;
        let r2 = x.norm_squared();
        let forth = if r2 < MOST_BENT {
            Matrix2::identity() * (1.0 + self.bend * r2) + x * x.transpose() * (2.0 * self.bend)
        } else {
            Matrix2::identity() * (1.0 + self.bend * MOST_BENT)
        };
        let back = forth.try_inverse()?;
        let plane: Matrix3x2<f64> = axes.matrix().fixed_columns::<2>(0).into_owned();
        // A change of where the ray starts or points moves the meeting point within the plane.
        let along = ray / across;
        let within = Matrix3::identity() - along * normal.transpose();
        let mut camera = SMatrix::<f64, 3, 7>::zeros();
        camera.set_column(0, &(within * (plane * (back * -bent)) * far));
        for (k, axis) in [Vector3::x(), Vector3::y(), Vector3::z()]
            .iter()
            .enumerate()
        {
            let turned = axes * x.push(1.0).cross(axis);
            camera.set_column(1 + k, &(within * turned * far));
        }
        camera.fixed_columns_mut::<3>(4).copy_from(&within);
        Some(Met {
            at: self.position + ray * far,
            pixel: within * plane * back * (far / self.focal),
            camera,
            along,
        })
    }

    /// Where a pixel lies on the floor, as [`Self::on_floor`], and how that moves.
    pub fn seen_on_floor(&self, pixel: Point2<f64>) -> Option<Seen<7>> {
        let at = self.on_floor(pixel)?;
        let met = self.meet(pixel, Point3::origin(), Vector3::z())?;
        Some(Seen {
            at,
            pixel: met.pixel.fixed_rows::<2>(0).into_owned(),
            shared: met.camera.fixed_rows::<2>(0).into_owned(),
        })
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
            bend: self.bend,
            rotation: Rotation3::new(Vector3::new(by[1], by[2], by[3])) * self.rotation,
            position: self.position + Vector3::new(by[4], by[5], by[6]),
        }
    }

    /// What [`Self::nudged`] must do to another camera to make it this one.
    pub fn apart_from(&self, other: &Self) -> [f64; 7] {
        let turn = (self.rotation * other.rotation.inverse()).scaled_axis();
        let moved = self.position - other.position;
        [
            (self.focal / other.focal).ln(),
            turn.x,
            turn.y,
            turn.z,
            moved.x,
            moved.y,
            moved.z,
        ]
    }
}

/// Focal length in pixels of a field of view in degrees along a side of the picture.
pub(super) fn focal_of_view(view: f64, side: f64) -> f64 {
    0.5 * side / (0.5 * view.to_radians()).tan()
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
    fn a_bent_ray_goes_back_to_where_it_came_from() {
        let straight = Camera::looking_at(
            Point3::new(0.0, -5.0, 1.5),
            Point3::new(0.0, 0.0, 0.9),
            1.0,
            70.0,
            [1280.0, 720.0],
        );
        let barrel = Camera {
            bend: -0.08,
            ..straight.clone()
        };
        for p in [
            Point3::new(2.2, 0.4, 0.0),
            Point3::new(-1.4, -0.8, 1.9),
            Point3::new(0.0, 0.0, 0.9),
        ] {
            let seen = barrel.project(p).unwrap();
            let middle = Point2::new(640.0, 360.0);
            assert!((seen - middle).norm() <= (straight.project(p).unwrap() - middle).norm());
            let to = (p - barrel.position).normalize();
            assert!((barrel.ray(seen) - to).norm() < 1e-6);
        }
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
