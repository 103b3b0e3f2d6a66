//! Turn of the feet line.

use super::scene::{FEET, feet_line};
use super::{Measure, Need, Scene, Spec, value};
use crate::camera::propagate;
use crate::units::{Estimate, Role, Unit, wrap_degrees};

pub(super) const TURN: Spec = Spec {
    id: "turn",
    name: "Turn of the feet line in this count",
    unit: Unit::Degrees,
    sign: "positive to the left",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "feet line at this count minus the count before, brought into half a turn of the charted turn",
    compute: |scene, out| {
        for t in turns(scene) {
            out.push(value(
                "turn",
                Some(t.role),
                (t.repetition, Some(t.count)),
                t.turn,
            ));
        }
    },
};

pub(super) const UNCHARTED: Spec = Spec {
    id: "turn_uncharted",
    name: "Turn on a step that has none",
    unit: Unit::Degrees,
    sign: "positive to the left",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "turn of the feet line in counts for which the chart has no turn",
    compute: |scene, out| {
        for t in turns(scene).into_iter().filter(|t| t.charted == 0.0) {
            out.push(value(
                "turn_uncharted",
                Some(t.role),
                (t.repetition, Some(t.count)),
                t.turn,
            ));
        }
    },
};

pub(super) const TOTAL: Spec = Spec {
    id: "turn_total",
    name: "Total turn against the chart",
    unit: Unit::Degrees,
    sign: "positive when more than charted, in the charted direction",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "sum of the repetition's turns minus the charted sum; charts that turn at least an eighth",
    compute: |scene, out| total(scene, out),
};

struct Turn {
    role: Role,
    repetition: u32,
    count: usize,
    charted: f64,
    turn: Estimate,
}

fn turns(scene: &Scene) -> Vec<Turn> {
    let (Ok(calibration), Some((chart, _))) = (&scene.floor, &scene.chart) else {
        return Vec::new();
    };
    let mut out = Vec::new();
    for role in Role::BOTH {
        for (i, slot) in scene.slots.iter().enumerate() {
            let Some(row) = chart.rows(role).iter().find(|r| r.count == slot.count) else {
                continue;
            };
            let charted = 45.0 * f64::from(row.turn);
            let estimate = (|| {
                let before = scene.pose_before(role, i)?.1.pixels(FEET)?;
                let now = scene.pose(role, i)?.pixels(FEET)?;
                let feet = [calibration.on_floor(before)?, calibration.on_floor(now)?];
                propagate(feet.as_flattened(), &calibration.covariance, |p| {
                    let turn = feet_line(&p[4..])? - feet_line(&p[..4])?;
                    Some(charted + wrap_degrees(turn - charted))
                })
            })();
            if let Some(turn) = estimate {
                out.push(Turn {
                    role,
                    repetition: slot.repetition,
                    count: slot.count,
                    charted,
                    turn,
                });
            }
        }
    }
    out
}

/// The sum telescopes: its error is that of the first and the last feet line only, so it is taken
/// from all turns' values but only two lines' uncertainty.
fn total(scene: &Scene, out: &mut Vec<Measure>) {
    let Some((chart, _)) = &scene.chart else {
        return;
    };
    let all = turns(scene);
    for role in Role::BOTH {
        let charted = 45.0 * f64::from(chart.total_turn(role));
        if charted == 0.0 {
            continue;
        }
        for rep in 0..scene.marks.repetitions {
            let of_rep: Vec<&Turn> = all
                .iter()
                .filter(|t| t.role == role && t.repetition == rep)
                .collect();
            // The turn before the first marked count is unknown, so the first count must not turn.
            let turning = |r: &&crate::chart::ChartRow| r.turn != 0;
            let expected: Vec<usize> = chart
                .rows(role)
                .iter()
                .filter(turning)
                .map(|r| r.count)
                .collect();
            if !expected
                .iter()
                .all(|c| of_rep.iter().any(|t| t.count == *c))
            {
                continue;
            }
            let sum: f64 = of_rep
                .iter()
                .filter(|t| expected.contains(&t.count))
                .map(|t| t.turn.value)
                .sum();
            let sigma = of_rep.iter().map(|t| t.turn.sigma).fold(0.0, f64::max);
            out.push(value(
                "turn_total",
                Some(role),
                (rep, None),
                Estimate::new((sum - charted) * charted.signum(), sigma),
            ));
        }
    }
}
