//! How the bodies turn from count to count, from shoulders, hips and feet in space.

use super::body::{At, counts, reading};
use super::read;
use super::{Measure, Need, Scene, Spec};
use crate::body::solve::{Moment, value};
use crate::chart::vocabulary::Watchpoint;
use crate::units::{Estimate, Role, Unit, wrap_degrees};

const NEEDS: &[Need] = &[Need::Count, Need::Floor, Need::Space];

/// Turn of the trunk between two moments, degrees, brought into half a turn of what is charted.
fn turned(a: &Moment, b: &Moment, charted: f64) -> Option<Estimate> {
    value(&[a, b], |p| {
        let by = read::yaw(p[1])? - read::yaw(p[0])?;
        Some(charted + wrap_degrees(by - charted))
    })
}

/// Turn charted from the count before to this one, degrees: the same dancer's rows between them.
fn charted(at: &At) -> f64 {
    at.row().map_or(0.0, |r| 45.0 * f64::from(r.turn))
}

/// Each dancer's turn at each count of which the count before is known as well.
fn turns<'s, 'a>(scene: &'s Scene<'a>) -> impl Iterator<Item = (At<'s, 'a>, f64, Estimate)> {
    counts(scene).filter_map(|at| {
        // Two counts of one repetition, or the first of the next one right after.
        let before = scene.slots.get(at.slot.checked_sub(1)?)?;
        let follows = before.repetition == at.repetition || at.count == 0;
        let (a, b) = at.step().filter(|_| follows)?;
        let charted = charted(&at);
        Some((at, charted, turned(&a, &b, charted)?))
    })
}

pub(super) const STEP: Spec = Spec {
    id: "turn_body",
    name: "Turn of the body in this count",
    unit: Unit::Degrees,
    sign: "left is positive",
    needs: NEEDS,
    source: "direction of shoulders and hips at this count minus the count before",
    compute: |scene, out| {
        for (at, _, e) in turns(scene) {
            out.push(at.measure("turn_body", reading(e, 12.0)));
        }
    },
};

pub(super) const MOST: Spec = Spec {
    id: "turn_most",
    name: "Turn of the body in one step",
    unit: Unit::Degrees,
    sign: "the size, on counts with a charted turn",
    needs: NEEDS,
    source: "size of the body's turn at a count with a turn",
    compute: |scene, out| {
        for (at, charted, e) in turns(scene).filter(|t| t.1 != 0.0) {
            let size = Estimate::new(e.value * charted.signum(), e.sigma);
            out.push(at.measure("turn_most", reading(size, 12.0)));
        }
    },
};

pub(super) const STILL: Spec = Spec {
    id: "turn_still",
    name: "Turn of the body on a step that has none",
    unit: Unit::Degrees,
    sign: "left is positive",
    needs: NEEDS,
    source: "turn of the body at counts without a charted turn, steps that may turn freely left out",
    compute: |scene, out| {
        for (at, charted, e) in turns(scene) {
            let judged = at
                .row()
                .is_some_and(|r| !r.turns_freely && r.action.arrives());
            if charted == 0.0 && judged {
                out.push(at.measure("turn_still", reading(e, 8.0)));
            }
        }
    },
};

pub(super) const PREPARATION: Spec = Spec {
    id: "preparation",
    name: "Preparation of the turn",
    unit: Unit::Degrees,
    sign: "the opposite way is positive",
    needs: NEEDS,
    source: "shoulders' turn by the count that the chart prepares on, against the direction of the next charted turn",
    compute: |scene, out| {
        for at in counts(scene) {
            let prepares = at
                .row()
                .is_some_and(|r| r.judge.contains(&Watchpoint::Prep));
            let Some((chart, _)) = scene.chart.as_ref().filter(|_| prepares) else {
                continue;
            };
            let next = chart
                .rows(at.role)
                .iter()
                .find(|r| r.count > at.count && r.turn != 0);
            let Some(way) = next.map(|r| f64::from(r.turn.signum())) else {
                continue;
            };
            let e = at.body().and_then(|now| {
                // Against the hips: these still stand as before.
                now.value(|p| Some(-way * read::twist(p)?))
            });
            if let Some(e) = e {
                out.push(at.measure("preparation", reading(e, 8.0)));
            }
        }
    },
};

pub(super) const STUCK: Spec = Spec {
    id: "stuck_twist",
    name: "Body twisted over the standing foot",
    unit: Unit::Degrees,
    sign: "the size",
    needs: NEEDS,
    source: "turn of the hips from the count before minus the turn of the foot that stood through it",
    compute: |scene, out| {
        for (at, charted, _) in turns(scene) {
            let Some(row) = at.row().filter(|_| charted != 0.0) else {
                continue;
            };
            let standing = row.foot.other();
            let Some((a, b)) = at.step() else { continue };
            let e = value(&[&a, &b], |p| {
                let hips =
                    read::heading(read::hips_ahead(p[1])?) - read::heading(read::hips_ahead(p[0])?);
                let foot = read::foot_yaw(p[1], standing)? - read::foot_yaw(p[0], standing)?;
                let hips = charted + wrap_degrees(hips - charted);
                Some((hips - wrap_degrees(foot)).abs())
            });
            // The foot must have stood: where it travelled the step is another's.
            let stood = value(&[&a, &b], |p| {
                Some(
                    (read::foot(p[1], standing) - read::foot(p[0], standing))
                        .xy()
                        .norm(),
                )
            })
            .is_some_and(|d| d.value < 0.12);
            if let Some(e) = e.filter(|_| stood) {
                out.push(at.measure("stuck_twist", reading(e, 10.0)));
            }
        }
    },
};

pub(super) const AXIS: Spec = Spec {
    id: "axis_tilt",
    name: "Tilt of the axis while turning",
    unit: Unit::Degrees,
    sign: "the size",
    needs: NEEDS,
    source: "hips' middle to shoulders' middle against the vertical, whichever way, at counts with a turn of a quarter or more",
    compute: |scene, out| {
        for at in counts(scene) {
            let Some(row) = at
                .row()
                .filter(|r| r.turn.abs() >= 2 && r.action.takes_weight())
            else {
                continue;
            };
            let stood = row.action.takes_weight();
            let e = at.body().filter(|_| stood).and_then(|b| {
                b.value(|p| {
                    let up = read::shoulders(p) - read::hips(p);
                    Some(up.xy().norm().atan2(up.z).to_degrees())
                })
            });
            if let Some(e) = e {
                out.push(at.measure("axis_tilt", reading(e, 3.0)));
            }
        }
    },
};

pub(super) const STREAK: Spec = Spec {
    id: "turn_streak",
    name: "Turns one way before the other",
    unit: Unit::Ratio,
    sign: "whole turns, the size",
    needs: NEEDS,
    source: "longest run of the body's turns over the take in one direction, small turns back of less than an eighth passed over",
    compute: |scene, out| {
        for role in Role::BOTH {
            let all: Vec<Estimate> = turns(scene)
                .filter(|t| t.0.role == role)
                .map(|t| t.2)
                .collect();
            if all.len() + 1 < scene.slots.len() || all.is_empty() {
                continue;
            }
            let (mut longest, mut run) = (0.0_f64, 0.0_f64);
            for turn in all.iter().map(|e| e.value).filter(|v| v.abs() >= 22.5) {
                if turn.signum() == run.signum() {
                    run += turn;
                } else {
                    run = turn;
                }
                longest = longest.max(run.abs());
            }
            let sigma = all.iter().map(|e| e.sigma).fold(0.0, f64::max) * 2.0;
            out.push(Measure {
                id: "turn_streak".into(),
                role: Some(role),
                repetition: 0,
                count: None,
                reading: reading(Estimate::new(longest / 360.0, sigma / 360.0), 0.25),
            });
        }
    },
};

pub(super) const CENTRE: Spec = Spec {
    id: "centre_gap",
    name: "Inside foot from the couple's centre",
    unit: Unit::Metres,
    sign: "the distance, in close holds while both turn",
    needs: NEEDS,
    source: "nearest own foot from the middle between both dancers' hips",
    compute: |scene, out| {
        for at in counts(scene) {
            let close = scene.chart.as_ref().is_some_and(|(c, _)| {
                let turning = |role| {
                    c.rows(role)
                        .iter()
                        .any(|r| r.count == at.count && r.turn != 0)
                };
                c.layout().positions.get(at.count) == Some(&crate::chart::Position::Closed)
                    && turning(Role::Leader)
                    && turning(Role::Follower)
            });
            let Some((a, b)) = at.both().filter(|_| close) else {
                continue;
            };
            let e = value(&[&a, &b], |p| {
                let centre = ((read::hips(p[0]) + read::hips(p[1])) * 0.5).xy();
                let gap = |f| (read::foot(p[0], f).xy() - centre).norm();
                Some(gap(crate::units::Foot::Left).min(gap(crate::units::Foot::Right)))
            });
            if let Some(e) = e {
                out.push(at.measure("centre_gap", reading(e, 0.05)));
            }
        }
    },
};
