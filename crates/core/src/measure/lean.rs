//! Torso lean away from the partner.

use super::plane::InPlane;
use super::{Need, Spec};
use crate::body::Landmark;
use crate::units::Unit;

const READING: InPlane = InPlane {
    id: "lean",
    // Shoulders and hips turned against each other shift their middles. Found on simulated takes.
    unseen: 1.5,
    candidates: |pose| {
        let trunk = pose.pixels([
            Landmark::LeftHip,
            Landmark::RightHip,
            Landmark::LeftShoulder,
            Landmark::RightShoulder,
        ]);
        trunk.map(|p| p.to_vec()).into_iter().collect()
    },
    value: |p| {
        let [lh, rh, ls, rs] = p else { return None };
        let forward = 0.5 * (ls[0] + rs[0] - lh[0] - rh[0]);
        let up = 0.5 * (ls[1] + rs[1] - lh[1] - rh[1]);
        (up > 0.1).then(|| -forward.atan2(up).to_degrees())
    },
};

pub(super) const LEAN: Spec = Spec {
    id: READING.id,
    name: "Lean away from the partner",
    unit: Unit::Degrees,
    sign: "positive away from the partner; read in the upright plane of the couple",
    needs: &[Need::Count, Need::Floor, Need::Feet, Need::Body],
    source: "hips' middle to shoulders' middle against the vertical, in the upright plane of the couple",
    compute: |scene, out| READING.compute(scene, out),
};
