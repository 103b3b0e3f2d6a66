//! How far a dancer is from the slot.

use super::scene::{FEET, centre};
use super::{Need, Spec, value};
use crate::camera::propagate;
use crate::units::{Role, Unit};

pub(super) const OFF_SLOT: Spec = Spec {
    id: "off_slot",
    name: "Distance from the slot",
    unit: Unit::Metres,
    sign: "positive to the left of the slot's direction, over what the chart asks for",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "middle of the feet across the slot, minus the charted place at that count",
    compute: |scene, out| {
        let (Ok(calibration), Some((chart, _))) = (&scene.floor, &scene.chart) else {
            return;
        };
        if !chart.slotted {
            return;
        }
        for role in Role::BOTH {
            let rows = chart.rows(role).len();
            for (i, slot) in scene.slots.iter().enumerate() {
                let Some(feet) = scene.pose(role, i).and_then(|p| p.pixels(FEET)) else {
                    continue;
                };
                // Charted middle of the feet after this count: the last landing of each foot.
                let Some(step) = scene.step_at(role, slot.repetition, slot.count) else {
                    continue;
                };
                let k = step.charted.repetition as usize * rows + step.charted.row;
                let path = &scene.paths[role as usize];
                let Some(here) = path.get(k) else { continue };
                let other = path[..k]
                    .iter()
                    .rev()
                    .find(|s| s.foot != here.foot)
                    .map(|s| s.to)
                    .or_else(|| {
                        path[k..]
                            .iter()
                            .find(|s| s.foot != here.foot)
                            .map(|s| s.from)
                    });
                let Some(other) = other else { continue };
                let charted = 0.5 * (here.to[1] + other[1]);
                let Some(feet) = calibration.on_floor(feet) else {
                    continue;
                };
                let e = propagate(&feet, &calibration.covariance, |p| {
                    Some(centre(p).y - charted)
                });
                if let Some(e) = e {
                    let at = (slot.repetition, Some(slot.count));
                    out.push(value("off_slot", Some(role), at, e));
                }
            }
        }
    },
};
