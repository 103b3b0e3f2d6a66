//! Where on a body a network's points lie.

use nalgebra::Vector3;

use super::skeleton::{Joints, front, p};
use super::{Given, Instant, Source, terms};
use crate::body::Landmark;
use Landmark as L;

/// How much further ahead a network's point lies than our landmark, a share of the dancer's height. Medians of
/// rendered couples (docs/pose.md).
fn ahead(landmark: Landmark) -> f64 {
    match landmark {
        L::LeftHip | L::RightHip => 0.0135,
        L::LeftHeel | L::RightHeel | L::LeftAnkle | L::RightAnkle => 0.017,
        L::LeftToe | L::RightToe => -0.022,
        L::LeftShoulder | L::RightShoulder => 0.004,
        L::LeftKnuckle | L::RightKnuckle | L::Nose => -0.014,
        _ => 0.0,
    }
}

/// How much further ahead it lies still where its side of the body is turned full to the camera, and how much less where
/// that is turned away and guessed; a share of the dancer's height. Half of what near and far ones differ by in rendered
/// couples' pictures, and a third more, since few are turned full (docs/decisions/0038).
fn ahead_nearer(landmark: Landmark) -> f64 {
    match landmark {
        L::LeftShoulder | L::RightShoulder => 0.01,
        L::LeftElbow | L::RightElbow | L::LeftHip | L::RightHip | L::LeftKnee | L::RightKnee => {
            0.007
        }
        L::LeftAnkle | L::RightAnkle | L::LeftHeel | L::RightHeel => -0.007,
        L::LeftWrist | L::RightWrist | L::LeftKnuckle | L::RightKnuckle => -0.006,
        L::LeftToe | L::RightToe => -0.003,
        L::Nose => 0.0,
    }
}

/// Moves what networks saw to where our landmarks lie, by where the body faces so far.
pub(super) fn correct(given: &Given, instants: &mut [Instant], joints: &[Joints]) {
    for (now, x) in instants.iter_mut().zip(joints) {
        if now.seen.iter().all(|s| s.source != Source::Network) {
            continue;
        }
        let of = |[l, r]: [Landmark; 2]| front(p(x, l), p(x, r));
        let facing = L::TRUNK.map(of).into_iter().sum::<Vector3<f64>>();
        let Some(facing) = facing.try_normalize(1e-6) else {
            continue;
        };
        let left = Vector3::z().cross(&facing);
        for s in now.seen.iter_mut().filter(|s| s.source == Source::Network) {
            let (camera, at) = (given.cameras[s.camera], p(x, s.landmark));
            let to = (camera.position.coords - at).normalize();
            let turned_to = s.landmark.side() * left.dot(&to);
            let by = ahead(s.landmark) + turned_to * ahead_nearer(s.landmark);
            let seen = [at, at + given.height * by * facing].map(|at| terms::pixel(camera, at));
            if let [Some((own, _)), Some((its, _))] = seen {
                for k in 0..2 {
                    s.pixel[k] -= its[k] - own[k];
                }
            }
        }
        let way = |l| given.height * ahead(l) * facing;
        for h in &mut now.hints {
            let off = given.cameras[h.camera].rotation * (way(h.landmark) - way(L::LeftHip));
            for k in 0..3 {
                h.about_hips[k] -= off[k];
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::*;
    use crate::body::solve::skeleton::standing;
    use crate::body::solve::{Hint, Seen};
    use crate::camera::Camera;

    /// What a camera five metres away sees of somebody who faces the picture's right.
    fn seen(source: Source) -> (Camera, Joints, Instant) {
        let (from, to) = (Point3::new(0.0, -5.0, 1.0), Point3::new(0.0, 0.0, 1.0));
        let camera = Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0]);
        let x = standing(1.7, [0.0, 0.0], 0.0);
        let mut now = Instant::new(0.0);
        for landmark in Landmark::ALL {
            let (pixel, _) = terms::pixel(&camera, p(&x, landmark)).unwrap();
            now.seen.push(Seen {
                camera: 0,
                landmark,
                pixel,
                sigma: 5.0,
                source,
            });
            now.hints.push(Hint {
                camera: 0,
                landmark,
                about_hips: [0.0; 3],
            });
        }
        (camera, x, now)
    }

    fn corrected(source: Source) -> (f64, Instant, Instant) {
        let (camera, x, now) = seen(source);
        let given = Given {
            height: 1.7,
            cameras: vec![&camera],
            stay: 1.0,
            wide: 1.0,
        };
        let mut all = [now.clone()];
        correct(&given, &mut all, &[x]);
        let [after] = all;
        (camera.focal, now, after)
    }

    #[test]
    fn what_networks_see_too_far_ahead_goes_back() {
        let (focal, before, after) = corrected(Source::Network);
        let metre = focal / 5.0;
        for (a, b) in before.seen.iter().zip(&after.seen) {
            let back = (a.pixel[0] - b.pixel[0]) / metre;
            // Nearer to the camera and further away by the half of the body's width; the left is turned away.
            let expected = 1.7 * (ahead(a.landmark) - a.landmark.side() * ahead_nearer(a.landmark));
            assert!((back - expected).abs() < 0.003, "{:?} {back}", a.landmark);
            assert!((a.pixel[1] - b.pixel[1]).abs() < 0.1);
        }
        // About the hips: those stay where they are, shoulders lie 1.6 cm further ahead of them.
        let hint = |l: Landmark| after.hints.iter().find(|h| h.landmark == l).unwrap();
        assert!(hint(L::LeftHip).about_hips[0].abs() < 1e-9);
        let shoulder = hint(L::LeftShoulder).about_hips;
        assert!((shoulder[0] - 0.01615).abs() < 1e-6, "{shoulder:?}");
        assert!(shoulder[1].abs() < 1e-6 && shoulder[2].abs() < 1e-6);
    }

    #[test]
    fn what_anybody_else_saw_stays() {
        for source in [Source::Hand, Source::Automatic, Source::Imported] {
            let (_, before, after) = corrected(source);
            assert_eq!(before, after, "{source:?}");
        }
    }
}
