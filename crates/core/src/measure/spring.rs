//! Compression and stretch: who moves along the line between the partners, and what the arms give.

use super::body::{At, counts, of_couple, reading};
use super::read;
use super::{Need, Scene, Spec};
use crate::body::solve::{Moment, value};
use crate::chart::vocabulary::{Connection, Watchpoint};
use crate::units::{Estimate, Foot, Role, Unit};

const NEEDS: &[Need] = &[Need::Count, Need::Floor, Need::Space];

/// Less closing than this has no shares, metres.
const LEAST_CLOSING: f64 = 0.05;

/// A dancer's way along the line toward where the partner was, from one moment to another, metres.
fn along(own: (&Moment, &Moment), partner: &Moment) -> Option<Estimate> {
    value(&[own.0, own.1, partner], |p| {
        let (to, _) = read::toward(p[0], p[2])?;
        Some((read::hips(p[1]) - read::hips(p[0])).dot(&to))
    })
}

/// A dancer's way toward the partner over counts from one slot to another, each along the line as it then
/// is, metres.
fn travelled(scene: &Scene, role: Role, from: usize, to: usize) -> Option<Estimate> {
    let mut sum = Estimate::new(0.0, 0.0);
    for slot in from..to {
        let own = (scene.body(role, slot)?, scene.body(role, slot + 1)?);
        let e = along((&own.0, &own.1), &scene.both(role, slot)?.1)?;
        sum = Estimate::new(sum.value + e.value, sum.sigma.hypot(e.sigma));
    }
    (to > from).then_some(sum)
}

fn connects(scene: &Scene, count: usize, how: Connection) -> bool {
    scene.chart.as_ref().is_some_and(|(c, _)| {
        c.couple
            .iter()
            .any(|e| e.count == count && e.connection == Some(how))
    })
}

/// Both dancers' moments at the count before and at this one: leader's, follower's.
fn step<'a>(at: &At<'_, 'a>) -> Option<[(Moment<'a>, Moment<'a>); 2]> {
    let before = at.slot.checked_sub(1)?;
    let of = |role| Some((at.scene.body(role, before)?, at.scene.body(role, at.slot)?));
    Some([of(Role::Leader)?, of(Role::Follower)?])
}

pub(super) const CLOSING: Spec = Spec {
    id: "closing_share",
    name: "Leader’s share of the closing",
    unit: Unit::Share,
    sign: "0 when only the follower comes, below when the leader backs out; on counts with compression",
    needs: NEEDS,
    source: "leader's way toward the follower over both ways along the line between them, since the count before",
    compute: |scene, out| {
        for at in of_couple(scene).filter(|a| connects(scene, a.count, Connection::Compression)) {
            let Some([l, f]) = step(&at) else { continue };
            let (Some(lead), Some(follow)) = (along((&l.0, &l.1), &f.0), along((&f.0, &f.1), &l.0))
            else {
                continue;
            };
            let all = lead.value + follow.value;
            if all < LEAST_CLOSING {
                continue;
            }
            let share = lead.value / all;
            let sigma =
                ((follow.value * lead.sigma).hypot(lead.value * follow.sigma)) / (all * all);
            out.push(at.measure("closing_share", reading(Estimate::new(share, sigma), 0.25)));
        }
    },
};

pub(super) const GIVE: Spec = Spec {
    id: "elbow_give",
    name: "Give of the elbow in the compression",
    unit: Unit::Degrees,
    sign: "bending is positive",
    needs: NEEDS,
    source: "joined elbow at the count before minus at the count with compression, where the partners come nearer",
    compute: |scene, out| {
        for at in counts(scene).filter(|a| connects(scene, a.count, Connection::Compression)) {
            let Some((before, now)) = at.step() else {
                continue;
            };
            let gives = at.joined().into_iter().filter_map(|side: Foot| {
                let (a, b) = (before.elbow(side)?, now.elbow(side)?);
                Some(Estimate::new(a.value - b.value, a.sigma.hypot(b.sigma)))
            });
            if let Some(e) = gives.max_by(|a, b| a.value.total_cmp(&b.value)) {
                out.push(at.measure("elbow_give", reading(e, 10.0)));
            }
        }
    },
};

/// The count of a role's row that the chart watches for something.
fn watched(scene: &Scene, role: Role, what: Watchpoint) -> Option<usize> {
    let (chart, _) = scene.chart.as_ref()?;
    let row = chart.rows(role).iter().find(|r| r.judge.contains(&what))?;
    Some(row.count)
}

/// The count by which a role has stopped.
pub(super) fn stop(scene: &Scene, role: Role) -> Option<usize> {
    watched(scene, role, Watchpoint::Stop)
}

pub(super) const AFTER_STOP: Spec = Spec {
    id: "travel_after_stop",
    name: "Travel after the stop",
    unit: Unit::Metres,
    sign: "toward the partner is positive",
    needs: NEEDS,
    source: "way toward the partner from the charted stop to the last count of the repetition",
    compute: |scene, out| {
        for role in Role::BOTH {
            let Some(stop) = stop(scene, role) else {
                continue;
            };
            for at in counts(scene).filter(|a| a.role == role && a.count == stop) {
                let last = scene
                    .slots
                    .iter()
                    .rposition(|s| s.repetition == at.repetition);
                let e = last.and_then(|last| travelled(scene, role, at.slot, last));
                // It shows where the travel has come to.
                let shown = last.map(|l| At {
                    slot: l,
                    count: scene.slots[l].count,
                    ..at
                });
                if let (Some(e), Some(at)) = (e, shown) {
                    out.push(at.measure("travel_after_stop", reading(e, 0.05)));
                }
            }
        }
    },
};

pub(super) const BEFORE_SEND: Spec = Spec {
    id: "travel_before_send",
    name: "Travel toward the partner before the send",
    unit: Unit::Metres,
    sign: "toward the partner is positive",
    needs: NEEDS,
    source: "way toward the partner from the first count to the one before the charted send",
    compute: |scene, out| {
        for role in Role::BOTH {
            let Some(send) = watched(scene, role, Watchpoint::Send).filter(|s| *s > 1) else {
                continue;
            };
            for at in counts(scene).filter(|a| a.role == role && a.count == 0) {
                let before = scene.slot(at.repetition, send - 1);
                let e = before.and_then(|before| travelled(scene, role, at.slot, before));
                let shown = before.map(|slot| At {
                    slot,
                    count: send - 1,
                    ..at
                });
                if let (Some(e), Some(at)) = (e, shown) {
                    out.push(at.measure("travel_before_send", reading(e, 0.05)));
                }
            }
        }
    },
};

pub(super) const LEFT_EARLY: Spec = Spec {
    id: "left_early",
    name: "Way back before the hang is over",
    unit: Unit::Metres,
    sign: "toward the partner is positive",
    needs: &[Need::Count, Need::Floor, Need::Dense],
    source: "way toward the partner over the last half beat of the charted hang",
    compute: |scene, out| {
        let Ok(grid) = &scene.grid else { return };
        for role in Role::BOTH {
            let Some(hang) = watched(scene, role, Watchpoint::Hang) else {
                continue;
            };
            for at in counts(scene).filter(|a| a.role == role && a.count == hang) {
                let now = scene.slots[at.slot].at.secs() + 0.5 * grid.period_at(0.0);
                let from = now - 0.5 * grid.period_at(0.0);
                let e = scene.bodies(role).and_then(|own| {
                    let partner = scene.bodies(role.partner())?.moment(from)?;
                    along((&own.moment(from)?, &own.moment(now)?), &partner)
                });
                if let Some(e) = e {
                    out.push(at.measure("left_early", reading(e, 0.03)));
                }
            }
        }
    },
};
