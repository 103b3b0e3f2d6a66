//! Distance of the partners, from the middles of their feet.

use super::scene::{FEET, feet_centre};
use super::{Need, Scene, Spec, value};
use crate::camera::propagate;
use crate::units::{Estimate, Role, Unit};

pub(super) const SEPARATION: Spec = Spec {
    id: "separation",
    name: "Distance of the partners",
    unit: Unit::Metres,
    sign: "always positive",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "distance on the floor between the middles of the partners' feet",
    compute: |scene, out| {
        for (at, e) in separations(scene) {
            out.push(value("separation", None, at, e));
        }
    },
};

pub(super) const SHARE: Spec = Spec {
    id: "separation_share",
    name: "Gap, share of their limit",
    unit: Unit::Ratio,
    sign: "1 at the distance where the arm shape goes",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "distance of the partners over the couple's frame limit",
    compute: |scene, out| {
        let limit = scene.couple.limit();
        for (at, e) in separations(scene) {
            let share = e.value / limit.value;
            let sigma = share * (e.sigma / e.value).hypot(limit.sigma / limit.value);
            out.push(value(
                "separation_share",
                None,
                at,
                Estimate::new(share, sigma),
            ));
        }
    },
};

fn separations(scene: &Scene) -> Vec<((u32, Option<usize>), Estimate)> {
    let Ok(calibration) = &scene.floor else {
        return Vec::new();
    };
    scene
        .slots
        .iter()
        .enumerate()
        .filter_map(|(i, slot)| {
            let mut pixels = scene.pose(Role::Leader, i)?.pixels(FEET)?.to_vec();
            pixels.extend(scene.pose(Role::Follower, i)?.pixels(FEET)?);
            let e = propagate(Some(calibration), &pixels, |c, p| {
                let gap = feet_centre(c?, &p[..4])? - feet_centre(c?, &p[4..])?;
                Some(gap.norm())
            })?;
            (e.value > 0.01).then_some(((slot.repetition, Some(slot.count)), e))
        })
        .collect()
}
