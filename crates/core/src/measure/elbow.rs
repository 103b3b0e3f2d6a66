//! Bend of the elbow.

use super::plane::{CouplePlane, TOO_OBLIQUE};
use super::scene::FEET;
use super::{Measure, Need, Reading, Spec, value};
use crate::body::Landmark;
use crate::camera::propagate;
use crate::units::{Foot, Role, Unit};

/// Spread of the bend that the upright plane cannot see, degrees at a square view: an elbow held
/// out to the side shortens both bones. Found on simulated takes.
const UNSEEN: f64 = 7.0;

pub(super) const ELBOW: Spec = Spec {
    id: "elbow",
    name: "Elbow, straighter arm",
    unit: Unit::Degrees,
    sign: "180 is a straight arm; read in the upright plane of the couple",
    needs: &[Need::Count, Need::Floor, Need::Feet, Need::Body],
    source: "angle shoulder–elbow–wrist in the upright plane of the couple, the straighter of the marked arms",
    compute: |scene, out| {
        let Ok(calibration) = &scene.floor else {
            return;
        };
        for role in Role::BOTH {
            for (i, slot) in scene.slots.iter().enumerate() {
                let reading = (|| {
                    let pose = scene.pose(role, i)?;
                    let mut feet = pose.pixels(FEET)?.to_vec();
                    feet.extend(scene.pose(role.partner(), i)?.pixels(FEET)?);
                    let plane = CouplePlane::new(&calibration.camera, &feet)?;
                    let best = [Foot::Left, Foot::Right]
                        .into_iter()
                        .filter_map(|side| {
                            let mut pixels = feet.clone();
                            pixels.extend(pose.pixels(Landmark::arm(side))?);
                            propagate(Some(calibration), &pixels, |c, p| {
                                let plane = CouplePlane::new(c?, p)?;
                                let (s, e, w) = (
                                    plane.read(c?, p[8])?,
                                    plane.read(c?, p[9])?,
                                    plane.read(c?, p[10])?,
                                );
                                let (u, v) =
                                    ([s[0] - e[0], s[1] - e[1]], [w[0] - e[0], w[1] - e[1]]);
                                let n = u[0].hypot(u[1]) * v[0].hypot(v[1]);
                                if n < 1e-4 {
                                    return None;
                                }
                                let cos = (u[0] * v[0] + u[1] * v[1]) / n;
                                Some(cos.clamp(-0.999_9, 0.999_9).acos().to_degrees())
                            })
                        })
                        .max_by(|a, b| a.value.total_cmp(&b.value))?;
                    if !plane.readable() {
                        return Some(Reading::NotVisible {
                            why: TOO_OBLIQUE.into(),
                        });
                    }
                    let mut e = best;
                    e.sigma = e.sigma.hypot(UNSEEN / plane.oblique.to_radians().cos());
                    Some(Reading::Value(e))
                })();
                let at = (slot.repetition, Some(slot.count));
                match reading {
                    Some(Reading::Value(e)) => out.push(value("elbow", Some(role), at, e)),
                    Some(reading) => out.push(Measure {
                        id: "elbow".into(),
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
