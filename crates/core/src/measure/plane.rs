//! The upright plane through the couple's line, in which leans and arms are read from one camera.
//!
//! One view cannot tell how far a shoulder stands in front of or behind this plane; angles are
//! therefore read as if the body lay in it, and only while the phone looks at it nearly square.

use nalgebra::{Point2, Point3, Vector3};

use super::scene::feet_centre;
use crate::camera::Camera;

/// Most the view may be off square to the couple's line, degrees.
const MOST_OBLIQUE: f64 = 40.0;

/// Said where the angle cannot carry the measure.
pub(super) const TOO_OBLIQUE: &str =
    "The phone looks along the couple's line. Film from the side to see this.";

/// An upright plane through a dancer's feet along the line to the partner.
pub(super) struct CouplePlane {
    origin: Point3<f64>,
    /// Unit vector toward the partner.
    toward: Vector3<f64>,
    normal: Vector3<f64>,
    /// Degrees the view is off square.
    pub oblique: f64,
}

impl CouplePlane {
    /// From the camera and both dancers' foot pixels (own first, four each).
    pub fn new(camera: &Camera, feet: &[[f64; 2]]) -> Option<Self> {
        let own = feet_centre(camera, &feet[..4])?;
        let partner = feet_centre(camera, &feet[4..8])?;
        let line = partner - own;
        if line.norm() < 0.05 {
            return None;
        }
        let toward = Vector3::new(line.x, line.y, 0.0).normalize();
        let normal = toward.cross(&Vector3::z());
        let origin = Point3::new(own.x, own.y, 0.0);
        let mut view = origin - camera.position;
        view.z = 0.0;
        let oblique = view
            .normalize()
            .dot(&normal)
            .abs()
            .min(1.0)
            .acos()
            .to_degrees();
        Some(Self {
            origin,
            toward,
            normal,
            oblique,
        })
    }

    /// Whether leans and arms can be read here.
    pub fn readable(&self) -> bool {
        self.oblique <= MOST_OBLIQUE
    }

    /// (toward the partner, up) in metres of a pixel.
    pub fn read(&self, camera: &Camera, pixel: [f64; 2]) -> Option<[f64; 2]> {
        let ray = camera.ray(Point2::from(pixel));
        let along = ray.dot(&self.normal);
        if along.abs() < 1e-3 {
            return None;
        }
        let p = camera.position + ray * ((self.origin - camera.position).dot(&self.normal) / along);
        Some([(p - self.origin).dot(&self.toward), p.z])
    }
}
