//! Whether the weight went to the charted foot.

use super::{Need, Spec, value};
use crate::event::Outcome;
use crate::units::{Estimate, Role, Unit};

pub(super) const SUPPORT: Spec = Spec {
    id: "support",
    name: "Foot and weight against the chart",
    unit: Unit::Share,
    sign: "0 as charted, 1 another foot, no weight change, or the step left out",
    needs: &[Need::Count, Need::Steps],
    source: "alignment of the marked arrivals with the chart",
    compute: |scene, out| {
        for role in Role::BOTH {
            for a in &scene.aligned[role as usize] {
                let wrong = match a.outcome {
                    Outcome::NotMarked => continue,
                    Outcome::AsCharted => 0.0,
                    _ => 1.0,
                };
                // A misnamed foot is flagged at once and put right; about one in a thousand is taken to stay: as a σ,
                // half the scale at 3.1 sigmas.
                let at = (a.charted.repetition, Some(a.charted.count));
                out.push(value("support", Some(role), at, Estimate::new(wrong, 0.16)));
            }
        }
    },
};
