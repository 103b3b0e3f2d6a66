//! The upright plane through the couple's line, in which leans and arms are read from one camera.
//!
//! One view cannot tell how far a shoulder stands in front of or behind this plane; angles are
//! therefore read as if the body lay in it, and only while the phone looks at it nearly square.

use nalgebra::{Point2, Point3, Vector3};

use super::scene::{FEET, feet_centre};
use super::{Measure, Reading, Scene};
use crate::body::Pose;
use crate::camera::{Calibration, Camera, propagate};
use crate::units::Role;

/// Most the view may be off square to the couple's line, degrees.
const MOST_OBLIQUE: f64 = 40.0;

/// Said where the angle cannot carry the measure.
const TOO_OBLIQUE: &str =
    "The phone looks along the couple's line. Film from the side to see this.";

/// An upright plane through a dancer's feet along the line to the partner.
struct CouplePlane {
    origin: Point3<f64>,
    /// Unit vector toward the partner.
    toward: Vector3<f64>,
    normal: Vector3<f64>,
    /// Degrees the view is off square.
    oblique: f64,
}

impl CouplePlane {
    /// From the camera and both dancers' foot pixels (own first, four each).
    fn new(camera: &Camera, feet: &[[f64; 2]]) -> Option<Self> {
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
    fn readable(&self) -> bool {
        self.oblique <= MOST_OBLIQUE
    }

    /// (toward the partner, up) in metres of a pixel.
    fn read(&self, camera: &Camera, pixel: [f64; 2]) -> Option<[f64; 2]> {
        let ray = camera.ray(Point2::from(pixel));
        let along = ray.dot(&self.normal);
        if along.abs() < 1e-3 {
            return None;
        }
        let p = camera.position + ray * ((self.origin - camera.position).dot(&self.normal) / along);
        Some([(p - self.origin).dot(&self.toward), p.z])
    }
}

/// An angle of each dancer at each count, read in the couple's plane.
pub(super) struct InPlane {
    /// Id of the measure.
    pub id: &'static str,
    /// Spread that the plane cannot see, degrees at a square view.
    pub unseen: f64,
    /// Pixels of each candidate (a side of the body); the largest value counts.
    pub candidates: fn(&Pose) -> Vec<Vec<[f64; 2]>>,
    /// Value of a candidate from its points in the plane: (toward the partner, up) in metres.
    pub value: fn(&[[f64; 2]]) -> Option<f64>,
}

impl InPlane {
    /// All readings of a scene.
    pub fn compute(&self, scene: &Scene, out: &mut Vec<Measure>) {
        let Ok(calibration) = &scene.floor else {
            return;
        };
        for role in Role::BOTH {
            for (i, slot) in scene.slots.iter().enumerate() {
                let reading = scene
                    .pose(role, i)
                    .zip(scene.pose(role.partner(), i))
                    .and_then(|(own, partner)| self.read(calibration, own, partner));
                if let Some(reading) = reading {
                    out.push(Measure {
                        id: self.id.to_owned(),
                        role: Some(role),
                        repetition: slot.repetition,
                        count: Some(slot.count),
                        reading,
                        asked: None,
                    });
                }
            }
        }
    }

    fn read(&self, calibration: &Calibration, own: &Pose, partner: &Pose) -> Option<Reading> {
        let mut feet = own.pixels(FEET)?.to_vec();
        feet.extend(partner.pixels(FEET)?);
        let candidates = (self.candidates)(own);
        let plane = CouplePlane::new(&calibration.camera, &feet)?;
        if candidates.is_empty() {
            return None;
        }
        if !plane.readable() {
            return Some(Reading::NotVisible {
                why: TOO_OBLIQUE.into(),
            });
        }
        let mut best = candidates
            .into_iter()
            .filter_map(|points| {
                let mut pixels = feet.clone();
                pixels.extend(points);
                propagate(Some(calibration), &pixels, |camera, p| {
                    let camera = camera?;
                    let plane = CouplePlane::new(camera, p)?;
                    let seen: Option<Vec<_>> =
                        p[8..].iter().map(|q| plane.read(camera, *q)).collect();
                    (self.value)(&seen?)
                })
            })
            .max_by(|a, b| a.value.total_cmp(&b.value))?;
        best.sigma = best
            .sigma
            .hypot(self.unseen / plane.oblique.to_radians().cos());
        Some(Reading::Value(best))
    }
}
