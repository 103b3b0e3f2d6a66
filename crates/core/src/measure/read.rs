//! What is read from a body in space: plain geometry, the same for every measure and every place that shows
//! a number.

use nalgebra::Vector3;

use crate::body::Landmark;
use crate::body::solve::Posture;
use crate::units::{Foot, wrap_degrees};
use Landmark as L;

/// Direction of a vector on the floor, degrees from X.
pub(crate) fn heading(v: Vector3<f64>) -> f64 {
    v.y.atan2(v.x).to_degrees()
}

fn front(line: Vector3<f64>) -> Option<Vector3<f64>> {
    let front = Vector3::new(line.y, -line.x, 0.0);
    (front.norm() > 0.02).then(|| front.normalize())
}

/// To the front of the shoulders, on the floor.
pub(crate) fn ahead(b: Posture) -> Option<Vector3<f64>> {
    front(b.joint(L::LeftShoulder) - b.joint(L::RightShoulder))
}

/// To the front of the hips, on the floor.
pub(crate) fn hips_ahead(b: Posture) -> Option<Vector3<f64>> {
    front(b.joint(L::LeftHip) - b.joint(L::RightHip))
}

pub(crate) fn hips(b: Posture) -> Vector3<f64> {
    b.middle(L::LeftHip, L::RightHip)
}

pub(crate) fn shoulders(b: Posture) -> Vector3<f64> {
    b.middle(L::LeftShoulder, L::RightShoulder)
}

/// Angle of the trunk from the vertical in a direction, degrees.
pub(crate) fn lean(b: Posture, way: Vector3<f64>) -> f64 {
    let trunk = shoulders(b) - hips(b);
    trunk.dot(&way).atan2(trunk.z).to_degrees()
}

/// Hips behind the line from the ankles to the shoulders, metres.
pub(crate) fn hips_behind(b: Posture) -> Option<f64> {
    let low = b.middle(L::LeftAnkle, L::RightAnkle);
    let (high, hips) = (shoulders(b), hips(b));
    let s = (hips.z - low.z) / (high.z - low.z).max(0.2);
    Some((low + (high - low) * s - hips).dot(&ahead(b)?))
}

/// Nose ahead of the shoulders, metres.
pub(crate) fn head_ahead(b: Posture) -> Option<f64> {
    Some((b.joint(L::Nose) - shoulders(b)).dot(&ahead(b)?))
}

/// Left shoulder above the right one, degrees.
pub(crate) fn shoulder_tilt(b: Posture) -> Option<f64> {
    let line = b.joint(L::LeftShoulder) - b.joint(L::RightShoulder);
    Some(line.z.atan2(line.xy().norm()).to_degrees())
}

/// Shoulders turned against the hips, degrees to the left.
pub(crate) fn twist(b: Posture) -> Option<f64> {
    Some(wrap_degrees(heading(ahead(b)?) - heading(hips_ahead(b)?)))
}

/// Direction of the trunk, degrees from X: between shoulders and hips.
pub(crate) fn yaw(b: Posture) -> Option<f64> {
    Some(heading(ahead(b)? + hips_ahead(b)?))
}

/// Elbow below its shoulder, metres.
pub(crate) fn elbow_drop(b: Posture, side: Foot) -> f64 {
    let [s, e, _] = L::arm(side);
    b.joint(s).z - b.joint(e).z
}

/// Elbow behind the plane of the shoulders, metres.
pub(crate) fn elbow_behind(b: Posture, side: Foot) -> Option<f64> {
    let [_, e, _] = L::arm(side);
    Some((shoulders(b) - b.joint(e)).dot(&ahead(b)?))
}

/// Upper arm from the trunk's side, degrees.
pub(crate) fn arm_open(b: Posture, side: Foot) -> f64 {
    let [s, e, _] = L::arm(side);
    let down = hips(b) - shoulders(b);
    (b.joint(e) - b.joint(s)).angle(&down).to_degrees()
}

/// Bend between forearm and hand, degrees.
pub(crate) fn wrist(b: Posture, side: Foot) -> f64 {
    let [_, e, w] = L::arm(side);
    let knuckle = match side {
        Foot::Left => L::LeftKnuckle,
        Foot::Right => L::RightKnuckle,
    };
    let fore = b.joint(w) - b.joint(e);
    (b.joint(knuckle) - b.joint(w)).angle(&fore).to_degrees()
}

/// Hip, knee and ankle of a side.
pub(crate) fn leg(side: Foot) -> [L; 3] {
    match side {
        Foot::Left => [L::LeftHip, L::LeftKnee, L::LeftAnkle],
        Foot::Right => [L::RightHip, L::RightKnee, L::RightAnkle],
    }
}

/// Bend of a knee, degrees, 0 when straight.
pub(crate) fn knee(b: Posture, side: Foot) -> f64 {
    let [h, k, a] = leg(side).map(|l| b.joint(l));
    180.0 - (h - k).angle(&(a - k)).to_degrees()
}

/// Middle of a foot.
pub(crate) fn foot(b: Posture, side: Foot) -> Vector3<f64> {
    let [heel, toe] = L::heel_toe(side);
    b.middle(heel, toe)
}

/// Direction of a foot, degrees from X.
pub(crate) fn foot_yaw(b: Posture, side: Foot) -> Option<f64> {
    let [heel, toe] = L::heel_toe(side).map(|l| b.joint(l));
    let v = toe - heel;
    (v.xy().norm() > 0.08).then(|| heading(v))
}

/// How far a foot is turned out against the hips, degrees.
pub(crate) fn turnout(b: Posture, side: Foot) -> Option<f64> {
    Some(side.side() * wrap_degrees(foot_yaw(b, side)? - heading(hips_ahead(b)?)))
}

/// From one dancer's hips toward the other's on the floor, a unit vector, and how far.
pub(crate) fn toward(own: Posture, partner: Posture) -> Option<(Vector3<f64>, f64)> {
    let mut to = hips(partner) - hips(own);
    to.z = 0.0;
    let far = to.norm();
    (far > 0.05).then(|| (to / far, far))
}

/// How far a dancer is turned away from the partner, degrees to the left.
pub(crate) fn facing_error(own: Posture, partner: Posture) -> Option<f64> {
    let (to, _) = toward(own, partner)?;
    Some(wrap_degrees(yaw(own)? - heading(to)))
}

/// Distance of a point from a segment, metres.
pub(crate) fn from_segment(p: Vector3<f64>, a: Vector3<f64>, b: Vector3<f64>) -> f64 {
    let along = b - a;
    let s = ((p - a).dot(&along) / along.norm_squared().max(1e-9)).clamp(0.0, 1.0);
    (p - a - along * s).norm()
}
