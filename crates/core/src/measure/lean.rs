//! Torso lean away from the partner.

use super::plane::{CouplePlane, TOO_OBLIQUE};
use super::scene::FEET;
use super::{Measure, Need, Reading, Spec, value};
use crate::body::Landmark;
use crate::camera::propagate;
use crate::units::{Role, Unit};

/// Spread of the lean that the upright plane cannot see, degrees at a square view: shoulders and
/// hips turned against each other shift their middles. Found on simulated takes.
const UNSEEN: f64 = 1.5;

pub(super) const LEAN: Spec = Spec {
    id: "lean",
    name: "Lean away from the partner",
    unit: Unit::Degrees,
    sign: "positive away from the partner; read in the upright plane of the couple",
    needs: &[Need::Count, Need::Floor, Need::Feet, Need::Body],
    source: "hips' middle to shoulders' middle against the vertical, in the upright plane of the couple",
    compute: |scene, out| {
        let Ok(calibration) = &scene.floor else {
            return;
        };
        for role in Role::BOTH {
            for (i, slot) in scene.slots.iter().enumerate() {
                let reading = (|| {
                    let pose = scene.pose(role, i)?;
                    let mut pixels = pose.pixels(FEET)?.to_vec();
                    pixels.extend(scene.pose(role.partner(), i)?.pixels(FEET)?);
                    pixels.extend(pose.pixels([
                        Landmark::LeftHip,
                        Landmark::RightHip,
                        Landmark::LeftShoulder,
                        Landmark::RightShoulder,
                    ])?);
                    let plane = CouplePlane::new(&calibration.camera, &pixels)?;
                    if !plane.readable() {
                        return Some(Reading::NotVisible {
                            why: TOO_OBLIQUE.into(),
                        });
                    }
                    let mut e = propagate(Some(calibration), &pixels, |c, p| {
                        let plane = CouplePlane::new(c?, p)?;
                        let at = |k: usize| plane.read(c?, p[k]);
                        let (lh, rh, ls, rs) = (at(8)?, at(9)?, at(10)?, at(11)?);
                        let forward = 0.5 * (ls[0] + rs[0] - lh[0] - rh[0]);
                        let up = 0.5 * (ls[1] + rs[1] - lh[1] - rh[1]);
                        (up > 0.1).then(|| -forward.atan2(up).to_degrees())
                    })?;
                    e.sigma = e.sigma.hypot(UNSEEN / plane.oblique.to_radians().cos());
                    Some(Reading::Value(e))
                })();
                let at = (slot.repetition, Some(slot.count));
                match reading {
                    Some(Reading::Value(e)) => out.push(value("lean", Some(role), at, e)),
                    Some(reading) => out.push(Measure {
                        id: "lean".into(),
                        role: Some(role),
                        repetition: at.0,
                        count: at.1,
                        reading,
                    }),
                    None => {}
                }
            }
        }
    },
};
