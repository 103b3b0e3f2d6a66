//! How fast a dancer travels, in musical time.

use super::body::{counts, reading};
use super::scene::ARRIVAL_SIGMA;
use super::{Need, PLACE, Spec, read};
use crate::body::solve::value;
use crate::units::{Estimate, Unit};

pub(super) const SPEED: Spec = Spec {
    id: "speed",
    name: "Way of the hips over the floor for each beat",
    unit: Unit::Metres,
    sign: "more is faster",
    needs: &[Need::Count, Need::Floor, Need::Space],
    source: "distance on the floor from the hips at the count before to those at this one, over the beats between them; σ also from moments that a hand called, at which the hips are about as fast as in between",
    compute: |scene, out| {
        let Ok(grid) = &scene.grid else { return };
        for at in counts(scene) {
            let before = at.slot.checked_sub(1);
            let moments =
                before.and_then(|b| Some((scene.when(at.role, b)?, scene.when(at.role, at.slot)?)));
            let (Some((from, to)), Some((a, b))) = (moments, at.step()) else {
                continue;
            };
            let beats = (to - from) / grid.period_at(grid.beat_at(scene.slots[at.slot].at));
            // Two looks at nearly the same moment.
            if beats < 0.2 {
                continue;
            }
            let way = value(&[&a, &b], |p| {
                Some((read::hips(p[1]) - read::hips(p[0])).xy().norm())
            });
            if let Some(way) = way {
                // On the count itself nobody called anything.
                let called = |t: f64, slot: usize| (t - scene.slots[slot].at.secs()).abs() > 1e-6;
                let off = [called(from, at.slot - 1), called(to, at.slot)]
                    .map(|c| if c { ARRIVAL_SIGMA } else { 0.0 });
                let moments = off[0].hypot(off[1]) * way.value / (to - from);
                let e = Estimate::new(way.value / beats, way.sigma.hypot(moments) / beats);
                out.push(at.measure("speed", reading(e, PLACE)));
            }
        }
    },
};
