//! How the bodies turn from count to count, from shoulders, hips and feet in space.

use std::collections::BTreeSet;

use super::body::{At, counts, reading};
use super::read;
use super::{Measure, Need, Scene, Spec};
use crate::body::Landmark;
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

/// A dancer's turn from the count before to a slot's, degrees, beside what is charted.
#[derive(Debug, Clone, Copy)]
pub(super) struct Turn {
    role: Role,
    slot: usize,
    charted: f64,
    danced: Estimate,
}

/// Each dancer's turn at each count of which the count before is known as well. Several measures ask for them.
fn turns<'s, 'a>(scene: &'s Scene<'a>) -> impl Iterator<Item = (At<'s, 'a>, f64, Estimate)> {
    let all = scene.turns.get_or_init(|| {
        let turn = |at: At| {
            // Two counts of one repetition, or the first of the next one right after.
            let before = scene.slots.get(at.slot.checked_sub(1)?)?;
            let follows = before.repetition == at.repetition || at.count == 0;
            let (a, b) = at.step().filter(|_| follows)?;
            let charted = charted(&at);
            Some(Turn {
                role: at.role,
                slot: at.slot,
                charted,
                danced: turned(&a, &b, charted)?,
            })
        };
        counts(scene).filter_map(turn).collect()
    });
    all.iter()
        .map(|t| (At::new(scene, t.role, t.slot), t.charted, t.danced))
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
            out.push(at.measure("turn_most", reading(size, 8.0)));
        }
    },
};

pub(super) const STILL: Spec = Spec {
    id: "turn_still",
    name: "Turn of the body on a step that has none",
    unit: Unit::Degrees,
    sign: "left is positive",
    needs: NEEDS,
    source: "turn of the body at counts without a charted turn; steps that may turn freely and those that prepare a turn or come out of that left out",
    compute: |scene, out| {
        for (at, charted, e) in turns(scene) {
            let judged = at
                .row()
                .is_some_and(|r| !r.turns_freely && r.action.arrives())
                && !winds_up(scene, at.role, at.count);
            if charted == 0.0 && judged {
                out.push(at.measure("turn_still", reading(e, 8.0)));
            }
        }
    },
};

/// Whether a dancer prepares a turn on a count, or comes back from that, by the chart: who prepares must turn a little.
fn winds_up(scene: &Scene, role: Role, count: usize) -> bool {
    let Some((chart, _)) = &scene.chart else {
        return false;
    };
    let rows = chart.rows(role);
    let at = rows.partition_point(|r| r.count < count);
    let near = &rows[at.saturating_sub(1)..(at + 1).min(rows.len())];
    near.iter().any(|r| r.judge.contains(&Watchpoint::Prep))
}

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
                // The foot turns with the hips or less: the nearer way round is meant.
                Some(wrap_degrees(hips - foot).abs())
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

/// By how much more than a detector's bodies claim their trunks are off while they turn: of simulated takes' tilts 56 to
/// 59 % lay within 1σ and 89 % within 2σ, by hand 67 and 87 to 95 %.
const SPUN: f64 = 1.5;

pub(super) const AXIS: Spec = Spec {
    id: "axis_tilt",
    name: "Tilt of the axis while turning",
    unit: Unit::Degrees,
    sign: "the size",
    needs: NEEDS,
    source: "hips' middle to shoulders' middle against the vertical, whichever way, at counts with a turn of a quarter or more; a detector's σ a half larger",
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
            let marked = scene.pose(at.role, at.slot).is_some_and(|p| {
                let mut trunk = Landmark::TRUNK.iter().flatten();
                trunk.all(|l| p.points.contains_key(l))
            });
            if let Some(e) = e {
                let sigma = if marked { e.sigma } else { SPUN * e.sigma };
                let e = Estimate::new(e.value, sigma);
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
                asked: None,
                likely: None,
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

/// A dancer's turns over one repetition where the chart turns on at least `least` eighths in all one way:
/// count's slot, charted and danced turn. Only where every count is known.
fn whole_turn(
    scene: &Scene,
    role: Role,
    repetition: u32,
    least: i32,
) -> Option<Vec<(usize, f64, Estimate)>> {
    let (chart, _) = scene.chart.as_ref()?;
    let rows = chart.rows(role);
    let total: i32 = rows.iter().map(|r| r.turn).sum();
    let one_way = rows.iter().all(|r| r.turn * total >= 0);
    if !one_way || total.abs() < least {
        return None;
    }
    let all: Vec<_> = turns(scene)
        .filter(|t| t.0.role == role && t.0.repetition == repetition)
        .map(|(at, charted, e)| (at.slot, charted, e))
        .collect();
    let known = |count: usize| all.iter().any(|t| scene.slots[t.0].count == count);
    rows.iter()
        .filter(|r| r.turn != 0)
        .all(|r| known(r.count))
        .then_some(all)
}

/// Sum of a dancer's turns at these slots, degrees, each with what is charted. Directions between two counts that both
/// turn cancel; the error is that of the others together.
fn summed(scene: &Scene, role: Role, turning: &[(usize, f64)]) -> Option<Estimate> {
    let slots: BTreeSet<usize> = turning.iter().flat_map(|t| [t.0 - 1, t.0]).collect();
    let moments: Option<Vec<Moment>> = slots.iter().map(|s| scene.body(role, *s)).collect();
    let moments = moments?;
    let place = |slot: usize| slots.iter().position(|s| *s == slot);
    value(&moments.iter().collect::<Vec<_>>(), |p| {
        let turn = |(slot, charted): &(usize, f64)| {
            let by = read::yaw(p[place(*slot)?])? - read::yaw(p[place(slot - 1)?])?;
            Some(charted + wrap_degrees(by - charted))
        };
        turning.iter().map(turn).sum()
    })
}

fn whole(id: &str, role: Role, repetition: u32, reading: super::Reading) -> Measure {
    Measure {
        id: id.to_owned(),
        role: Some(role),
        repetition,
        count: None,
        reading,
        asked: None,
        likely: None,
    }
}

pub(super) const SUM: Spec = Spec {
    id: "turn_sum",
    name: "Total turn of the body against the chart",
    unit: Unit::Degrees,
    sign: "positive when more than charted, in the charted direction",
    needs: NEEDS,
    source: "sum of the body's turns on the counts that turn, less the charted sum; figures that turn one way, by a quarter at least",
    compute: |scene, out| {
        for role in Role::BOTH {
            for repetition in 0..scene.marks.repetitions {
                let Some(all) = whole_turn(scene, role, repetition, 2) else {
                    continue;
                };
                let turning: Vec<(usize, f64)> = all
                    .iter()
                    .filter(|t| t.1 != 0.0)
                    .map(|t| (t.0, t.1))
                    .collect();
                let Some(e) = summed(scene, role, &turning) else {
                    continue;
                };
                let charted: f64 = turning.iter().map(|t| t.1).sum();
                let e = Estimate::new((e.value - charted) * charted.signum(), e.sigma);
                out.push(whole("turn_sum", role, repetition, reading(e, 15.0)));
            }
        }
    },
};

pub(super) const EARLY: Spec = Spec {
    id: "turn_early",
    name: "Turn ahead of its place in the figure",
    unit: Unit::Ratio,
    sign: "beats by which the turn comes before its charted moment",
    needs: NEEDS,
    source: "mean moment of the repetition's turn, each count's turn at the middle of its way from the count before, against the same of the charted turn",
    compute: |scene, out| {
        let Ok(grid) = &scene.grid else { return };
        let beat = grid.period_at(0.0);
        for role in Role::BOTH {
            for repetition in 0..scene.marks.repetitions {
                let Some(all) = whole_turn(scene, role, repetition, 4) else {
                    continue;
                };
                // Each count's middle moment with its charted and its danced turn.
                let middles: Option<Vec<f64>> = all
                    .iter()
                    .map(|t| {
                        let to = scene.slots[t.0].at.secs();
                        let from = scene.slots[t.0.checked_sub(1)?].at.secs();
                        Some(0.5 * (from + to))
                    })
                    .collect();
                let Some(middles) = middles else { continue };
                if let Some(e) = earlier(&middles, &all) {
                    let e = Estimate::new(e.value / beat, e.sigma / beat);
                    out.push(whole("turn_early", role, repetition, reading(e, 0.3)));
                }
            }
        }
    },
};

/// Seconds by which a row of turns comes before the charted ones on average; none where it was hardly turned.
/// A mean does not jump, as the moment of half of the turn does where half is done before a pause.
fn earlier(middles: &[f64], all: &[(usize, f64, Estimate)]) -> Option<Estimate> {
    let mean = |turn: &dyn Fn(&(usize, f64, Estimate)) -> f64| {
        let sum: f64 = all.iter().map(turn).sum();
        let moment: f64 = middles.iter().zip(all).map(|(m, t)| m * turn(t)).sum();
        (sum, moment / sum)
    };
    let ((charted, due), (danced, came)) = (mean(&|t| t.1), mean(&|t| t.2.value));
    if danced * charted.signum() < 0.5 * charted.abs() {
        return None;
    }
    let variance: f64 = middles
        .iter()
        .zip(all)
        .map(|(m, t)| ((m - came) * t.2.sigma / danced).powi(2))
        .sum();
    Some(Estimate::new(due - came, variance.sqrt()))
}

pub(super) const PACE: Spec = Spec {
    id: "turn_pace",
    name: "Unevenness of the turn",
    unit: Unit::Share,
    sign: "0 when every count turns its charted part",
    needs: NEEDS,
    source: "largest departure of a count's turn over its charted turn from the mean of the repetition, as a share of that mean; figures that turn one way on two counts or more",
    compute: |scene, out| {
        for role in Role::BOTH {
            for repetition in 0..scene.marks.repetitions {
                let Some(all) = whole_turn(scene, role, repetition, 4) else {
                    continue;
                };
                let parts: Vec<Estimate> = all
                    .iter()
                    .filter(|t| t.1 != 0.0)
                    .map(|t| Estimate::new(t.2.value / t.1, t.2.sigma / t.1.abs()))
                    .collect();
                let mean = parts.iter().map(|p| p.value).sum::<f64>() / parts.len() as f64;
                let worst = parts.iter().max_by(|a, b| {
                    let off = |e: &Estimate| (e.value - mean).abs();
                    off(a).total_cmp(&off(b))
                });
                if let Some(worst) = worst.filter(|_| parts.len() >= 2 && mean > 0.3) {
                    // The largest of several is large by its errors alone: those are taken off as variances are.
                    let (off, sigma) = ((worst.value / mean - 1.0).abs(), worst.sigma / mean);
                    let by_chance = 2.0 * (parts.len() as f64).ln() * sigma * sigma;
                    let e = Estimate::new((off * off - by_chance).max(0.0).sqrt(), sigma);
                    out.push(whole("turn_pace", role, repetition, reading(e, 0.25)));
                }
            }
        }
    },
};

pub(super) const ARM_LED: Spec = Spec {
    id: "arm_led",
    name: "Arm ahead of the turning body",
    unit: Unit::Share,
    sign: "0 when the arm comes with the body, 1 when it goes as far again",
    needs: NEEDS,
    source: "direction of the joined hand from the own shoulders against the front of the shoulders, its change from the count before in the direction of the turn, over the body's turn; counts with an eighth at least",
    compute: |scene, out| {
        for (at, charted, turn) in turns(scene).filter(|t| t.1 != 0.0) {
            if turn.value * charted.signum() < 20.0 {
                continue;
            }
            let Some((before, now)) = at.step() else {
                continue;
            };
            let arms = at.joined().into_iter().map(|side| {
                let [_, _, wrist] = Landmark::arm(side);
                let led = |p: crate::body::solve::Posture| {
                    let hand = p.joint(wrist) - read::shoulders(p);
                    Some(wrap_degrees(
                        read::heading(hand) - read::heading(read::ahead(p)?),
                    ))
                };
                let e = value(&[&before, &now], |p| {
                    Some(wrap_degrees(led(p[1])? - led(p[0])?))
                })?;
                let by = turn.value.abs();
                Some(Estimate::new(e.value * charted.signum() / by, e.sigma / by))
            });
            if let Some(e) = super::body::extreme(arms, true) {
                out.push(at.measure("arm_led", reading(e, 0.25)));
            }
        }
    },
};
