//! Length and direction of a step on the floor against the chart.

use nalgebra::Vector2;

use super::scene::{FEET, feet_line, foot_on_floor, foot_pixels};
use super::{Measure, Need, Scene, Spec, value};
use crate::camera::{Camera, propagate};
use crate::event::Outcome;
use crate::units::{Estimate, Role, Unit, wrap_degrees};

/// Shorter charted travel has no direction worth judging, metres.
const LEAST_TRAVEL: f64 = 0.12;

pub(super) const LENGTH: Spec = Spec {
    id: "step_length",
    name: "Step length against the chart",
    unit: Unit::Ratio,
    sign: "1 as charted for this height, above 1 longer",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "travel of the foot between two marked counts over its charted travel for the dancer's height",
    compute: |scene, out| {
        for_steps(scene, out, "step_length", |camera, p, charted| {
            let travel = foot_on_floor(camera, &p[2..4])? - foot_on_floor(camera, &p[0..2])?;
            Some(travel.norm() / charted.length)
        });
    },
};

pub(super) const DIRECTION: Spec = Spec {
    id: "step_direction",
    name: "Step direction against the chart",
    unit: Unit::Degrees,
    sign: "positive when the step goes further to the left than charted",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "direction of the foot's travel relative to the feet line before it, minus the charted one",
    compute: |scene, out| {
        for_steps(scene, out, "step_direction", |camera, p, charted| {
            let travel = foot_on_floor(camera, &p[2..4])? - foot_on_floor(camera, &p[0..2])?;
            if travel.norm() < 0.5 * LEAST_TRAVEL {
                return None;
            }
            let facing = feet_line(camera, &p[4..8])?;
            let direction = travel.y.atan2(travel.x).to_degrees() - facing;
            Some(wrap_degrees(direction - charted.direction))
        });
    },
};

struct Charted {
    /// Travel, metres.
    length: f64,
    /// Degrees relative to the facing before it.
    direction: f64,
}

/// Pixels handed to `f`: the foot's heel and toe before, after, then both feet before.
fn for_steps(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    f: impl Fn(&Camera, &[[f64; 2]], &Charted) -> Option<f64>,
) {
    let Ok(calibration) = &scene.floor else {
        return;
    };
    for role in Role::BOTH {
        for step in &scene.aligned[role as usize] {
            // Another foot than the charted one is fault S1; its travel means nothing here.
            if matches!(step.outcome, Outcome::WrongFoot | Outcome::LeftOut) {
                continue;
            }
            let at = (step.charted.repetition, step.charted.count);
            let estimate = (|| -> Option<Estimate> {
                let path = scene.charted_path(step, role)?;
                let travel = Vector2::from(path.to) - Vector2::from(path.from);
                if travel.norm() < LEAST_TRAVEL {
                    return None;
                }
                let charted = Charted {
                    length: travel.norm(),
                    direction: travel.y.atan2(travel.x).to_degrees() - path.facing_before,
                };
                let slot = scene.slot(at.0, at.1)?;
                let (_, before) = scene.pose_before(role, slot)?;
                let now = foot_pixels(scene.pose(role, slot)?, step.charted.foot)?;
                let then = foot_pixels(before, step.charted.foot)?;
                let feet = before.pixels(FEET)?;
                let mut pixels = then.to_vec();
                pixels.extend(now);
                pixels.extend(feet);
                propagate(Some(calibration), &pixels, |c, p| f(c?, p, &charted))
            })();
            if let Some(e) = estimate {
                out.push(value(id, Some(role), (at.0, Some(at.1)), e));
            }
        }
    }
}
