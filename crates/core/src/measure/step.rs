//! Length and direction of a step on the floor against the chart.

use nalgebra::{Point2, Vector2};

use super::scene::{FEET, centre, feet_line};
use super::{Measure, Need, Scene, Spec, read, value};
use crate::body::Landmark;
use crate::body::solve::{self as body, Posture};
use crate::camera::propagate;
use crate::chart::vocabulary::Level;
use crate::event::{FootStep, Outcome};
use crate::units::{Estimate, Foot, Role, Unit, wrap_degrees};

/// Shorter charted travel has no direction worth judging, metres.
const LEAST_TRAVEL: f64 = 0.12;

pub(super) const LENGTH: Spec = Spec {
    id: "step_length",
    name: "Step length against the chart",
    unit: Unit::Ratio,
    sign: "1 as charted for this height, above 1 longer",
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "travel of the foot between two counts over its charted travel for the dancer's height",
    compute: |scene, out| {
        for_steps(scene, out, "step_length", |step, charted| {
            Some(step.travel.norm() / charted.length)
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
        for_steps(scene, out, "step_direction", |step, charted| {
            if step.travel.norm() < 0.5 * LEAST_TRAVEL {
                return None;
            }
            step.astray(charted)
        });
    },
};

/// A step as it was danced.
struct Danced {
    /// Travel of the foot, metres on the floor.
    travel: Vector2<f64>,
    /// Direction of the feet line before it, degrees from X.
    facing: Option<f64>,
}

impl Danced {
    /// From the body at the count before and at this one. Feet on their balls are in the air: only a body
    /// knows where they are over the floor.
    fn of_bodies(before: Posture, now: Posture, foot: Foot) -> Self {
        let travel = read::foot(now, foot) - read::foot(before, foot);
        let lines = [Foot::Left, Foot::Right].map(|f| {
            let [heel, toe] = Landmark::heel_toe(f);
            (before.joint(toe) - before.joint(heel)).xy().normalize()
        });
        let line = lines[0] + lines[1];
        Self {
            travel: travel.xy(),
            // Feet more than 120° apart have no line.
            facing: (line.norm() > 1.0).then(|| line.y.atan2(line.x).to_degrees()),
        }
    }

    /// How far to the left of the charted direction it goes, degrees.
    fn astray(&self, charted: &Charted) -> Option<f64> {
        let direction = self.travel.y.atan2(self.travel.x).to_degrees() - self.facing?;
        Some(wrap_degrees(direction - charted.direction))
    }

    /// Whether a step that a detector saw may be the charted one: hardly anybody goes so far another way, or so much
    /// less or more far; a leg was taken for the other one, or the partner's.
    fn answers(&self, charted: &Charted) -> bool {
        let share = self.travel.norm() / charted.length;
        let astray = self.astray(charted).unwrap_or(0.0);
        (ANSWERS[0]..=ANSWERS[1]).contains(&share) && astray.abs() <= ANSWERS_WAY
    }

    /// From both feet before, then the heel and toe that the foot went to, as places on the floor.
    fn of_feet(p: &[Point2<f64>], foot: Foot) -> Self {
        let from = match foot {
            Foot::Left => &p[..2],
            Foot::Right => &p[2..4],
        };
        Self {
            travel: centre(&p[4..]) - centre(from),
            facing: feet_line(&p[..4]),
        }
    }
}

struct Charted {
    /// Travel, metres.
    length: f64,
    /// Degrees relative to the facing before it.
    direction: f64,
}

/// Shares of the charted length, and degrees from the charted way, within which a found step answers a charted one.
const ANSWERS: [f64; 2] = [0.25, 2.5];
const ANSWERS_WAY: f64 = 65.0;

/// Furthest that a foot moves on the floor between two of its steps, metres. Further, and the detector took one
/// leg for the other.
const STAYS: f64 = 0.10;

/// Longest time between two steps of a foot over which it is asked to have stayed, seconds.
const WHILE: f64 = 3.0;

/// A foot that is seen to stand for less than this before and after a step is not seen well enough to tell its way,
/// seconds: three instants.
const STOOD: f64 = 0.24;

/// How long after its arrival a foot that is found is looked at, seconds at most: by then it stands, though the
/// moment of its arrival is known to some hundredths only.
const SETTLES: f64 = 0.2;

/// The found step that answers a count, where the foot stood still before and after it, and a moment at which the
/// foot stands where it came to.
fn found<'s>(scene: &'s Scene, role: Role, at: (u32, usize)) -> Option<(&'s FootStep, f64)> {
    let mut of = scene.found[role as usize].iter();
    let step = &of
        .find(|a| (a.charted.repetition, a.charted.count) == at)?
        .step;
    let same = scene.steps[role as usize].iter();
    let same: Vec<&FootStep> = same.filter(|s| s.mark.foot == step.mark.foot).collect();
    let i = same.iter().position(|s| s.mark.at == step.mark.at)?;
    let (before, after) = (same.get(i.checked_sub(1)?)?, same.get(i + 1)?);
    let stayed = |a: &FootStep, b: &FootStep| {
        b.mark.at.since(a.mark.at) < WHILE
            && b.leaves - a.mark.at.secs() >= STOOD
            && (b.way[0] - a.way[1]).norm() < STAYS
    };
    let arrives = step.mark.at.secs();
    let stands = arrives + (0.5 * (after.leaves - arrives)).min(SETTLES);
    (stayed(before, step) && stayed(step, after)).then_some((step, stands))
}

fn for_steps(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    f: impl Fn(&Danced, &Charted) -> Option<f64>,
) {
    let Ok(calibration) = &scene.floor else {
        return;
    };
    for role in Role::BOTH {
        // Flat feet are best placed by the floor itself.
        let rises = scene.chart.as_ref().is_some_and(|(chart, _)| {
            let mut rows = chart.rows(role).iter();
            rows.any(|r| matches!(r.level, Some(Level::Rise | Level::Up)))
        });
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
                let foot = step.charted.foot;
                if let (Some((a, stands)), None) = (found(scene, role, at), scene.pose(role, slot))
                {
                    let bodies = scene.bodies(role)?;
                    let before = bodies.moment(a.leaves)?;
                    let now = bodies.moment(stands)?;
                    return body::value(&[&before, &now], |p| {
                        let step = Danced::of_bodies(p[0], p[1], foot);
                        step.answers(&charted).then(|| f(&step, &charted)).flatten()
                    });
                }
                // At a count that nobody marked a foot may still be on its way.
                let solved = |slot: usize| {
                    let marked = scene.pose(role, slot).is_some();
                    scene.body(role, slot).filter(|_| rises && marked)
                };
                if let (Some(before), Some(now)) =
                    (slot.checked_sub(1).and_then(solved), solved(slot))
                {
                    return body::value(&[&before, &now], |p| {
                        f(&Danced::of_bodies(p[0], p[1], foot), &charted)
                    });
                }
                let (_, before) = scene.pose_before(role, slot)?;
                let now = scene.pose(role, slot)?.pixels(Landmark::heel_toe(foot))?;
                let mut feet = calibration.on_floor(before.pixels(FEET)?)?.to_vec();
                feet.extend(calibration.on_floor(now)?);
                propagate(&feet, &calibration.covariance, |p| {
                    f(&Danced::of_feet(p, foot), &charted)
                })
            })();
            if let Some(e) = estimate {
                out.push(value(id, Some(role), (at.0, Some(at.1)), e));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(travel: [f64; 2]) -> Danced {
        Danced {
            travel: travel.into(),
            facing: Some(90.0),
        }
    }

    #[test]
    fn a_found_step_answers_only_what_it_may_be() {
        // Half a metre straight ahead of one who faces along Y.
        let charted = Charted {
            length: 0.5,
            direction: 0.0,
        };
        let answers = |x: f64, y: f64| step([x, y]).answers(&charted);
        assert!(answers(0.0, 0.5) && answers(0.0, 0.2) && answers(0.0, 1.0));
        // Sixty degrees to the left is a fault; seventy is another leg.
        let to_left = |degrees: f64| {
            let (s, c) = degrees.to_radians().sin_cos();
            step([-0.5 * s, 0.5 * c])
        };
        let astray = to_left(60.0).astray(&charted).unwrap();
        assert!((astray - 60.0).abs() < 1e-9, "{astray}");
        assert!(to_left(60.0).answers(&charted) && !to_left(70.0).answers(&charted));
        assert!(!answers(0.0, 0.1) && !answers(0.0, 1.3) && !answers(0.0, -0.5));
        // Where the feet have no line, the length alone tells.
        let blind = Danced {
            facing: None,
            ..step([0.5, 0.0])
        };
        assert!(blind.answers(&charted) && blind.astray(&charted).is_none());
    }
}
