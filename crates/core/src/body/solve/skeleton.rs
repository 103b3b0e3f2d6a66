//! How long the parts of a body are and how they hang together.

use nalgebra::Vector3;

use crate::body::Landmark;
use Landmark as L;

/// Coordinates of one instant: nineteen points in three dimensions.
pub(super) const N: usize = 57;

/// Length scales of a take, shared by left and right.
pub(super) const SCALES: usize = 9;

/// Spread of a length against the mean of its height (1σ of its logarithm).
pub(super) const SCALE_SIGMA: f64 = 0.035;

/// Joints at an instant, metres.
pub(super) type Joints = [f64; N];

/// First coordinate of a landmark.
pub(super) const fn at(l: Landmark) -> usize {
    3 * l as usize
}

/// Place of a landmark.
pub(super) fn p(x: &Joints, l: Landmark) -> Vector3<f64> {
    let i = at(l);
    Vector3::new(x[i], x[i + 1], x[i + 2])
}

pub(super) fn set(x: &mut Joints, l: Landmark, to: Vector3<f64>) {
    x[at(l)..at(l) + 3].copy_from_slice(to.as_slice());
}

pub(super) fn middle(x: &Joints, a: Landmark, b: Landmark) -> Vector3<f64> {
    0.5 * (p(x, a) + p(x, b))
}

/// A length between two landmarks: share of standing height, and the scale that stretches it.
pub(super) struct Bone {
    pub from: Landmark,
    pub to: Landmark,
    pub share: f64,
    pub scale: usize,
}

const fn bone(from: Landmark, to: Landmark, share: f64, scale: usize) -> Bone {
    Bone {
        from,
        to,
        share,
        scale,
    }
}

/// Scale of the trunk, from the hips' middle to the shoulders'.
pub(super) const TRUNK: (f64, usize) = (0.288, 7);

/// Shares as tabulated by Winter, D. A. (2009), Biomechanics and Motor Control of Human Movement,
/// fig. 4.1, after Drillis & Contini (1966); hips between the joints' centres, not across the pelvis.
pub(super) const BONES: [Bone; 18] = [
    bone(L::LeftShoulder, L::RightShoulder, 0.215, 0),
    bone(L::LeftHip, L::RightHip, 0.100, 1),
    bone(L::LeftShoulder, L::LeftElbow, 0.186, 2),
    bone(L::RightShoulder, L::RightElbow, 0.186, 2),
    bone(L::LeftElbow, L::LeftWrist, 0.146, 3),
    bone(L::RightElbow, L::RightWrist, 0.146, 3),
    bone(L::LeftWrist, L::LeftKnuckle, 0.060, 4),
    bone(L::RightWrist, L::RightKnuckle, 0.060, 4),
    bone(L::LeftHip, L::LeftKnee, 0.245, 5),
    bone(L::RightHip, L::RightKnee, 0.245, 5),
    bone(L::LeftKnee, L::LeftAnkle, 0.246, 6),
    bone(L::RightKnee, L::RightAnkle, 0.246, 6),
    bone(L::LeftHeel, L::LeftToe, 0.152, 8),
    bone(L::RightHeel, L::RightToe, 0.152, 8),
    bone(L::LeftHeel, L::LeftAnkle, 0.0494, 8),
    bone(L::RightHeel, L::RightAnkle, 0.0494, 8),
    bone(L::LeftAnkle, L::LeftToe, 0.1277, 8),
    bone(L::RightAnkle, L::RightToe, 0.1277, 8),
];

/// Standing hip height as a share of standing height, soft knees.
pub(super) const HIP_HEIGHT: f64 = 0.51;

/// Nose from the shoulders' middle: up along the trunk and ahead, shares of standing height.
pub(super) const NOSE: [f64; 2] = [0.12, 0.065];

/// Hip, knee and ankle of a side.
pub(super) const LEGS: [[Landmark; 5]; 2] = [
    [
        L::LeftHip,
        L::LeftKnee,
        L::LeftAnkle,
        L::LeftHeel,
        L::LeftToe,
    ],
    [
        L::RightHip,
        L::RightKnee,
        L::RightAnkle,
        L::RightHeel,
        L::RightToe,
    ],
];

/// Shoulder, elbow, wrist and knuckle of a side.
pub(super) const ARMS: [[Landmark; 4]; 2] = [
    [L::LeftShoulder, L::LeftElbow, L::LeftWrist, L::LeftKnuckle],
    [
        L::RightShoulder,
        L::RightElbow,
        L::RightWrist,
        L::RightKnuckle,
    ],
];

/// Standard error of a change of velocity as people dance, metres a second squared, by landmark.
pub(super) fn liveliness(l: Landmark) -> f64 {
    match l {
        L::LeftElbow | L::RightElbow => 4.0,
        L::LeftWrist | L::RightWrist | L::LeftKnuckle | L::RightKnuckle => 5.0,
        L::LeftKnee | L::RightKnee => 6.0,
        L::LeftToe | L::RightToe => 7.0,
        L::LeftAnkle | L::RightAnkle | L::LeftHeel | L::RightHeel => 9.0,
        _ => 3.0,
    }
}

/// About how far a landmark is from the upright about which a body turns, metres.
pub(super) fn radius(l: Landmark) -> f64 {
    match l {
        L::LeftShoulder | L::RightShoulder => 0.18,
        L::LeftElbow | L::RightElbow => 0.28,
        L::LeftWrist | L::RightWrist | L::LeftKnuckle | L::RightKnuckle => 0.35,
        L::LeftHip | L::RightHip => 0.09,
        _ => 0.12,
    }
}

/// To the front of a line from right to left, on the floor; zero where the line stands upright.
pub(super) fn front(left: Vector3<f64>, right: Vector3<f64>) -> Vector3<f64> {
    let line = left - right;
    let ahead = Vector3::new(line.y, -line.x, 0.0);
    if ahead.norm() > 1e-6 {
        ahead.normalize()
    } else {
        Vector3::zeros()
    }
}

/// A body standing with soft knees at a place on the floor, facing a direction (degrees from X).
pub(super) fn standing(height: f64, place: [f64; 2], facing: f64) -> Joints {
    let mut x = [0.0; N];
    let (s, c) = facing.to_radians().sin_cos();
    let (ahead, left) = (Vector3::new(c, s, 0.0), Vector3::new(-s, c, 0.0));
    let base = Vector3::new(place[0], place[1], 0.0);
    let mut put = |l, forward: f64, side: f64, up: f64| {
        set(
            &mut x,
            l,
            base + (ahead * forward + left * side + Vector3::z() * up) * height,
        );
    };
    for (i, side) in [1.0, -1.0].into_iter().enumerate() {
        let [hip, knee, ankle, heel, toe] = LEGS[i];
        let [shoulder, elbow, wrist, knuckle] = ARMS[i];
        put(hip, 0.0, 0.05 * side, HIP_HEIGHT);
        put(knee, 0.04, 0.05 * side, 0.268);
        put(ankle, -0.046, 0.05 * side, 0.039);
        put(heel, -0.076, 0.05 * side, 0.0);
        put(toe, 0.076, 0.05 * side, 0.0);
        let top = HIP_HEIGHT + TRUNK.0;
        put(shoulder, 0.0, 0.107 * side, top);
        put(elbow, 0.02, 0.14 * side, top - 0.18);
        put(wrist, 0.162, 0.12 * side, top - 0.21);
        put(knuckle, 0.22, 0.112 * side, top - 0.222);
    }
    put(L::Nose, NOSE[1], 0.0, HIP_HEIGHT + TRUNK.0 + NOSE[0]);
    x
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_standing_body_has_its_lengths_and_faces_its_way() {
        let x = standing(1.8, [0.3, -0.2], 90.0);
        for b in &BONES {
            let long = (p(&x, b.from) - p(&x, b.to)).norm();
            assert!(
                (long / (1.8 * b.share) - 1.0).abs() < 0.06,
                "{:?} {long}",
                b.from
            );
        }
        let f = front(p(&x, L::LeftHip), p(&x, L::RightHip));
        assert!((f - Vector3::y()).norm() < 1e-9);
        assert!((middle(&x, L::LeftHip, L::RightHip).x - 0.3).abs() < 1e-9);
    }
}
