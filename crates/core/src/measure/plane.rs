//! The upright plane through the couple's line, in which leans and arms are read from one camera.
//!
//! One view cannot tell how far a shoulder stands in front of or behind this plane; angles are
//! therefore read as if the body lay in it, and only while the phone looks at it nearly square.

use nalgebra::{Matrix2, Matrix2x3, Point2, Point3, RowVector2, SMatrix, Vector3};

use super::scene::{FEET, centre};
use super::{Measure, Reading, Scene};
use crate::body::Pose;
use crate::camera::{Calibration, Camera, PIXEL_SIGMA, Seen, propagate};
use crate::units::Role;

/// Most the view may be off square to the couple's line, degrees.
const MOST_OBLIQUE: f64 = 40.0;

/// Said where the angle cannot carry the measure.
const TOO_OBLIQUE: &str =
    "The phone looks along the couple's line. Film from the side to see this.";

/// An upright plane through the middle of a dancer's feet along the line to the partner.
struct CouplePlane {
    /// Both dancers' feet, own first: where their middles are and how those move with the camera.
    feet: [Seen<7>; 2],
    /// What a point in the plane owes its error to beside its pixel: the camera (7), the pixels of the own feet (2)
    /// and of the partner's (2), the last four in metres.
    covariance: SMatrix<f64, 11, 11>,
    origin: Point3<f64>,
    /// Unit vector toward the partner, and how far that is.
    toward: Vector3<f64>,
    apart: f64,
    normal: Vector3<f64>,
    /// Degrees the view is off square.
    oblique: f64,
}

impl CouplePlane {
    /// From both dancers' foot pixels, own first.
    fn new(calibration: &Calibration, own: &Pose, partner: &Pose) -> Option<Self> {
        let mut covariance = SMatrix::<f64, 11, 11>::zeros();
        let camera = &calibration.covariance;
        covariance.fixed_view_mut::<7, 7>(0, 0).copy_from(camera);
        let mut middle = |pose: &Pose, from: usize| -> Option<Seen<7>> {
            let feet = calibration.on_floor(pose.pixels(FEET)?)?;
            let spread: Matrix2<f64> = feet.iter().map(|p| p.pixel * p.pixel.transpose()).sum();
            let mut of_feet = covariance.fixed_view_mut::<2, 2>(from, from);
            of_feet.copy_from(&(spread * (PIXEL_SIGMA / 4.0).powi(2)));
            Some(Seen {
                at: centre(&feet.each_ref().map(|p| p.at)),
                pixel: Matrix2::zeros(),
                shared: feet.iter().map(|p| p.shared).sum::<SMatrix<f64, 2, 7>>() / 4.0,
            })
        };
        let feet = [middle(own, 7)?, middle(partner, 9)?];
        let line = feet[1].at - feet[0].at;
        let apart = line.norm();
        if apart < 0.05 {
            return None;
        }
        let toward = (line / apart).push(0.0);
        let normal = toward.cross(&Vector3::z());
        let origin = Point3::new(feet[0].at.x, feet[0].at.y, 0.0);
        let mut view = origin - calibration.camera.position;
        view.z = 0.0;
        let square = view.normalize().dot(&normal).abs().min(1.0);
        Some(Self {
            feet,
            covariance,
            origin,
            toward,
            apart,
            normal,
            oblique: square.acos().to_degrees(),
        })
    }

    /// Whether leans and arms can be read here.
    fn readable(&self) -> bool {
        self.oblique <= MOST_OBLIQUE
    }

    /// (toward the partner, up) in metres of a pixel, and how that moves.
    fn read(&self, camera: &Camera, pixel: [f64; 2]) -> Option<Seen<11>> {
        let met = camera.meet(Point2::from(pixel), self.origin, self.normal)?;
        let along = (met.at - self.origin).dot(&self.toward);
        let axes = Matrix2x3::from_rows(&[self.toward.transpose(), Vector3::z().transpose()]);
        // A middle that moves shifts the plane, or turns it about the own feet, and with it the point on the ray.
        let turns = -self.normal.xy().transpose() / self.apart;
        let shift = axes * met.along;
        let by_partner = shift * (-along * turns);
        let by_own = shift * self.normal.xy().transpose()
            - by_partner
            - Matrix2::from_rows(&[self.toward.xy().transpose(), RowVector2::zeros()]);
        let mut shared = SMatrix::<f64, 2, 11>::zeros();
        let by_camera =
            axes * met.camera + by_own * self.feet[0].shared + by_partner * self.feet[1].shared;
        shared.fixed_columns_mut::<7>(0).copy_from(&by_camera);
        shared.fixed_columns_mut::<2>(7).copy_from(&by_own);
        shared.fixed_columns_mut::<2>(9).copy_from(&by_partner);
        Some(Seen {
            at: Point2::new(along, met.at.z),
            pixel: axes * met.pixel,
            shared,
        })
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
    pub value: fn(&[Point2<f64>]) -> Option<f64>,
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
                        likely: None,
                    });
                }
            }
        }
    }

    fn read(&self, calibration: &Calibration, own: &Pose, partner: &Pose) -> Option<Reading> {
        let candidates = (self.candidates)(own);
        let plane = CouplePlane::new(calibration, own, partner)?;
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
                let seen = points.iter().map(|p| plane.read(&calibration.camera, *p));
                let seen: Option<Vec<_>> = seen.collect();
                propagate(&seen?, &plane.covariance, self.value)
            })
            .max_by(|a, b| a.value.total_cmp(&b.value))?;
        best.sigma = best
            .sigma
            .hypot(self.unseen / plane.oblique.to_radians().cos());
        Some(Reading::Value(best))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Landmark;
    use crate::camera::calibrate;
    use crate::camera::calibrate::tests::{RECTANGLE, phone, seen};
    use crate::units::MediaTime;

    const ARM: [Landmark; 3] = [
        Landmark::LeftShoulder,
        Landmark::LeftElbow,
        Landmark::LeftWrist,
    ];

    const BEND: InPlane = InPlane {
        id: "bend",
        unseen: 0.0,
        candidates: |pose| {
            let arm = pose.pixels(ARM).map(|p| p.to_vec());
            arm.into_iter().collect()
        },
        value: |p| Some((p[0] - p[1]).angle(&(p[2] - p[1])).to_degrees()),
    };

    /// Two dancers 0.9 m apart, well off square to the phone; the leader's arm lies near the plane between them.
    fn couple(camera: &Camera) -> [Pose; 2] {
        let arm = [[-0.4, 0.05, 1.4], [-0.3, 0.07, 1.1], [0.0, 0.11, 1.15]];
        [(Role::Leader, -0.45), (Role::Follower, 0.45)].map(|(role, x)| {
            let feet = [[-0.1, 0.1], [0.15, 0.1], [-0.1, -0.1], [0.15, -0.1]];
            let feet = feet.map(|[a, b]| [x + a, b + 0.15 * x, 0.0]);
            let points = FEET.into_iter().chain(ARM).zip(feet.into_iter().chain(arm));
            let turned = nalgebra::Rotation3::from_axis_angle(&Vector3::z_axis(), 0.61);
            let see = |p: [f64; 3]| camera.project(turned * Point3::from(p)).unwrap().into();
            Pose {
                role,
                at: MediaTime(0),
                points: points.map(|(l, p)| (l, see(p))).collect(),
            }
        })
    }

    fn estimate(calibration: &Calibration, [own, partner]: &[Pose; 2]) -> crate::units::Estimate {
        match BEND.read(calibration, own, partner) {
            Some(Reading::Value(e)) => e,
            other => panic!("{other:?}"),
        }
    }

    /// The claimed σ against moving every pixel and the camera a little, one after the other.
    #[test]
    fn an_angle_in_the_plane_owes_its_error_to_pixels_feet_and_camera() {
        let truth = phone(0.4, 1.5, 5.0, 65.0);
        let calibration = calibrate(
            &seen(&truth, &RECTANGLE),
            [1280.0, 720.0],
            crate::camera::View::Unknown,
        )
        .unwrap();
        let couple = couple(&truth);
        let claimed = estimate(&calibration, &couple);
        let value = |couple: &[Pose; 2]| estimate(&calibration, couple).value;
        let mut of_feet = 0.0;
        let mut of_arm = 0.0;
        for dancer in 0..2 {
            for landmark in FEET.into_iter().chain(ARM) {
                for axis in 0..2 {
                    let [ahead, behind] = [0.25, -0.25].map(|by| {
                        let mut moved = couple.clone();
                        moved[dancer].points.get_mut(&landmark).unwrap()[axis] += by;
                        value(&moved)
                    });
                    let one = ((ahead - behind) / 0.5 * PIXEL_SIGMA).powi(2);
                    *(if ARM.contains(&landmark) {
                        &mut of_arm
                    } else {
                        &mut of_feet
                    }) += one;
                }
            }
        }
        let by: SMatrix<f64, 1, 7> = SMatrix::from_fn(|_, k| {
            let [ahead, behind] = [1e-4, -1e-4].map(|by| {
                let mut step = [0.0; 7];
                step[k] = by;
                let nudged = Calibration {
                    camera: calibration.camera.nudged(&step),
                    ..calibration.clone()
                };
                estimate(&nudged, &couple).value
            });
            (ahead - behind) / 2e-4
        });
        let of_camera = (by * calibration.covariance * by.transpose())[0];
        assert!((claimed.value - 99.4).abs() < 0.5, "{}", claimed.value);
        // Each part is large enough to be missed if it were left out.
        let all = of_arm + of_feet + of_camera;
        assert!(
            of_feet > 0.01 * all && of_camera > 0.01 * all,
            "{of_arm} {of_feet} {of_camera}"
        );
        let want = all.sqrt();
        assert!(
            (claimed.sigma / want - 1.0).abs() < 1e-3,
            "{} {want}",
            claimed.sigma
        );
    }
}
