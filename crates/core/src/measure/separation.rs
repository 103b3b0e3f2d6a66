//! Distance of the partners, from the middles of their feet.

use nalgebra::Vector2;

use super::body::{At, of_couple, reading};
use super::scene::{FEET, centre};
use super::{Need, PLACE, Reading, Scene, Spec};
use crate::body::solve::{self, Moment, Posture};
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
            out.push(at.couple("separation", reading(e, PLACE)));
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
            let read = match reading(e, PLACE) {
                Reading::Value(_) => Reading::Value(Estimate::new(share, sigma)),
                unseen => unseen,
            };
            out.push(at.couple("separation_share", read));
        }
    },
};

/// Feet that are marked tell where they stand without a body; else the solved bodies do.
fn separations<'s, 'a>(scene: &'s Scene<'a>) -> impl Iterator<Item = (At<'s, 'a>, Estimate)> {
    of_couple(scene).filter_map(|at| {
        let solved = || {
            let (leader, follower) = at.both()?;
            apart(&leader, &follower)
        };
        let e = marked(scene, at.slot).or_else(solved)?;
        (e.value > 0.01).then_some((at, e))
    })
}

/// By the marks of both dancers' feet.
fn marked(scene: &Scene, slot: usize) -> Option<Estimate> {
    let calibration = scene.floor.as_ref().ok()?;
    let [leader, follower] = Role::BOTH.map(|role| {
        let pixels = scene.pose(role, slot)?.pixels(FEET)?;
        calibration.on_floor(pixels)
    });
    let feet = [leader?, follower?];
    propagate(feet.as_flattened(), &calibration.covariance, |p| {
        Some((centre(&p[..4]) - centre(&p[4..])).norm())
    })
}

/// Distance on the floor between the middles of two bodies' feet, metres.
pub(super) fn apart(one: &Moment, other: &Moment) -> Option<Estimate> {
    let middle = |p: Posture| FEET.map(|l| p.joint(l).xy()).iter().sum::<Vector2<f64>>() / 4.0;
    solve::value(&[one, other], |p| {
        Some((middle(p[0]) - middle(p[1])).norm())
    })
}
