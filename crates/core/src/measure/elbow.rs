//! Bend of the elbow.

use super::plane::InPlane;
use super::{Need, Spec};
use crate::body::Landmark;
use crate::units::{Foot, Unit};

const READING: InPlane = InPlane {
    id: "elbow",
    // An elbow held out to the side shortens both bones. Found on simulated takes.
    unseen: 7.0,
    candidates: |pose| {
        [Foot::Left, Foot::Right]
            .into_iter()
            .filter_map(|side| pose.pixels(Landmark::arm(side)))
            .map(|p| p.to_vec())
            .collect()
    },
    value: |p| {
        let [s, e, w] = p else { return None };
        let (u, v) = (s - e, w - e);
        let n = u.norm() * v.norm();
        if n < 1e-4 {
            return None;
        }
        let cos = u.dot(&v) / n;
        Some(cos.clamp(-0.999_9, 0.999_9).acos().to_degrees())
    },
};

pub(super) const ELBOW: Spec = Spec {
    id: READING.id,
    name: "Elbow, straighter arm",
    unit: Unit::Degrees,
    sign: "180 is a straight arm; read in the upright plane of the couple",
    needs: &[Need::Count, Need::Floor, Need::Feet, Need::Body],
    source: "angle shoulder–elbow–wrist in the upright plane of the couple, the straighter of the marked arms",
    compute: |scene, out| READING.compute(scene, out),
};
