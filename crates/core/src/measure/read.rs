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

/// Nobody turns the shoulders further against the hips, or both feet further against the trunk, degrees: where it
/// seems so, left was taken for right somewhere, and no direction of this body means anything.
const MOST_TWIST: f64 = 90.0;
const MOST_FEET: f64 = 110.0;

/// Shoulders turned against the hips, degrees to the left; none where no body turns so far.
pub(crate) fn twist(b: Posture) -> Option<f64> {
    let by = wrap_degrees(heading(ahead(b)?) - heading(hips_ahead(b)?));
    (by.abs() <= MOST_TWIST).then_some(by)
}

/// Direction of the trunk, degrees from X: between shoulders and hips; none where shoulders, hips and feet
/// cannot belong to one body.
pub(crate) fn yaw(b: Posture) -> Option<f64> {
    twist(b)?;
    let trunk = heading(ahead(b)? + hips_ahead(b)?);
    let feet: Vector3<f64> = [Foot::Left, Foot::Right]
        .map(|side| {
            let [heel, toe] = L::heel_toe(side).map(|l| b.glimpse(l));
            let mut along = toe - heel;
            along.z = 0.0;
            along.try_normalize(1e-6).unwrap_or_default()
        })
        .iter()
        .sum();
    // Feet that point apart have no direction of their own.
    let apart = wrap_degrees(heading(feet) - trunk).abs();
    (feet.norm() < 0.8 || apart <= MOST_FEET).then_some(trunk)
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

/// How far a foot is turned out against the hips, degrees; none where no leg turns so far.
pub(crate) fn turnout(b: Posture, side: Foot) -> Option<f64> {
    let out = side.side() * wrap_degrees(foot_yaw(b, side)? - heading(hips_ahead(b)?));
    (out.abs() <= MOST_FEET).then_some(out)
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

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::*;
    use crate::body::solve::{Bodies, standing};

    /// A body that stands at a place, with some landmarks changed.
    fn body(facing: f64, change: impl Fn(&mut [Vector3<f64>; 19])) -> Bodies {
        let mut joints = standing(1.7, [0.4, -0.2], facing);
        change(&mut joints);
        let places = joints.map(Point3::from);
        Bodies::known(1.7, vec![1.0], &[places], vec![[[true; 2]; 2]], 0.01)
    }

    /// Exchanges left and right of some pairs, as who takes one side for the other does.
    fn exchange(joints: &mut [Vector3<f64>; 19], pairs: &[[L; 2]]) {
        for [a, b] in pairs {
            joints.swap(*a as usize, *b as usize);
        }
    }

    const SHOULDERS: [L; 2] = [L::LeftShoulder, L::RightShoulder];
    const HIPS: [L; 2] = [L::LeftHip, L::RightHip];

    fn value(b: &Bodies, f: impl Fn(Posture) -> Option<f64>) -> Option<f64> {
        Some(b.value(0, f)?.value)
    }

    #[test]
    fn a_body_that_stands_faces_where_it_was_put() {
        for facing in [-170.0, -60.0, 0.0, 45.0, 120.0] {
            let b = body(facing, |_| ());
            let off = wrap_degrees(value(&b, yaw).unwrap() - facing);
            assert!(off.abs() < 1e-6, "{facing}: {off}");
            assert!(value(&b, twist).unwrap().abs() < 1e-6);
            for side in [Foot::Left, Foot::Right] {
                let out = value(&b, |p| turnout(p, side)).unwrap();
                assert!((-5.0..35.0).contains(&out), "{side:?} {out}");
            }
        }
    }

    #[test]
    fn a_trunk_that_is_turned_against_itself_has_no_direction() {
        let b = body(30.0, |j| exchange(j, &[SHOULDERS]));
        assert_eq!(value(&b, twist), None);
        assert_eq!(value(&b, yaw), None);
        // Shoulders alone still lean.
        assert!(value(&b, |p| Some(lean(p, Vector3::x()))).is_some());
    }

    #[test]
    fn a_back_on_feet_that_point_ahead_has_no_direction() {
        let b = body(30.0, |j| exchange(j, &[SHOULDERS, HIPS]));
        assert!(value(&b, twist).unwrap().abs() < 1e-6);
        assert_eq!(value(&b, yaw), None);
        assert_eq!(value(&b, |p| turnout(p, Foot::Left)), None);
        // Far turned, but as a body can.
        let b = body(0.0, |j| {
            let turn = nalgebra::Rotation3::from_axis_angle(&Vector3::z_axis(), 1.2);
            let middle = 0.5 * (j[HIPS[0] as usize] + j[HIPS[1] as usize]);
            for l in SHOULDERS {
                j[l as usize] = middle + turn * (j[l as usize] - middle);
            }
        });
        let (by, trunk) = (value(&b, twist).unwrap(), value(&b, yaw).unwrap());
        assert!((by - 1.2f64.to_degrees()).abs() < 1.0, "{by}");
        assert!((20.0..60.0).contains(&trunk), "{trunk}");
    }

    #[test]
    fn arms_and_legs_are_read_as_they_are_held() {
        let b = body(0.0, |j| {
            // The left forearm goes straight ahead from a hanging upper arm, the hand on with it.
            let [s, e, w] = L::arm(Foot::Left).map(|l| l as usize);
            j[e] = j[s] - Vector3::new(0.0, 0.0, 0.3);
            j[w] = j[e] + Vector3::new(0.25, 0.0, 0.0);
            j[L::LeftKnuckle as usize] = j[w] + Vector3::new(0.08, 0.0, 0.0);
        });
        let of = |f: fn(Posture) -> Option<f64>| value(&b, f).unwrap();
        assert!((of(|p| Some(elbow_drop(p, Foot::Left))) - 0.3).abs() < 1e-9);
        assert!(of(|p| elbow_behind(p, Foot::Left)).abs() < 1e-6);
        assert!(of(|p| Some(wrist(p, Foot::Left))) < 1e-3);
        assert!(of(|p| Some(arm_open(p, Foot::Left))) < 20.0);
        let bent = b.elbow(0, Foot::Left).unwrap();
        assert!((bent.value - 90.0).abs() < 1e-6, "{bent:?}");
    }
}
