//! What explains what, and what to fix first.

use super::{Grade, Judged, SHOWS};
use crate::fault::{Rules, Whose};
use crate::marks::FindingKey;
use crate::units::{Estimate, Role};

/// Most findings offered to one role.
const OFFERED: usize = 2;

/// A couple's fault is one dancer's when the other made less than this share of it.
const LITTLE: f64 = 0.35;

/// The fault that everything after it hangs on: stepping with the other foot.
pub const WRONG_FOOT: &str = "S1";

/// How basic an area is: posture and frame come before connection, that before compression and
/// rotation, and those before feet and timing.
pub fn basic(area: &str) -> f64 {
    match area {
        "posture" => 1.4,
        "frame" => 1.3,
        "connection" => 1.2,
        "compression" | "rotation" => 1.1,
        _ => 1.0,
    }
}

/// Those who made a fault: its role, or those of a couple whose share is not little.
pub(super) fn whose(role: Option<Role>, leaders: Option<Estimate>) -> Vec<Role> {
    match (role, leaders.map(|s| s.value)) {
        (Some(role), _) => vec![role],
        (None, Some(s)) if s < LITTLE => vec![Role::Follower],
        (None, Some(s)) if s > 1.0 - LITTLE => vec![Role::Leader],
        (None, _) => Role::BOTH.to_vec(),
    }
}

/// Fills in causes, scores and offers, and sorts.
pub(super) fn rank(judged: &mut [Judged], rules: &Rules) {
    for j in judged.iter_mut() {
        let Some(f) = rules.entry(&j.fault) else {
            continue;
        };
        if !j.shows() {
            // Ordered by how near the likeliest repetition is to showing, below everything that shows.
            j.score = -1.0 + 0.5 * j.likeliest;
            continue;
        }
        let strength = match j.grade {
            Grade::Fine => 0.2,
            Grade::Borderline => 0.5,
            Grade::Clear => 1.0,
            Grade::Strong => 1.5,
        };
        let often = f64::from(j.showing) / f64::from(j.of.max(1));
        j.score = f64::from(f.severity) * strength * j.probability * often * basic(&f.area);
    }
    let causes = causes(judged, rules);
    // What explains much is worth more than it is alone.
    let alone: Vec<f64> = judged.iter().map(|j| j.score).collect();
    for (effect, cause) in causes.iter().enumerate() {
        if let Some((cause, much)) = cause {
            judged[*cause].score += 0.5 * much * alone[effect];
        }
    }
    for j in judged.iter_mut().filter(|j| j.shows()) {
        // A wrong foot makes everything after it wrong; then comes what can hurt someone.
        if j.fault == WRONG_FOOT {
            j.score += 200.0;
        } else if rules.entry(&j.fault).is_some_and(|f| f.safety) {
            j.score += 100.0;
        }
    }
    for (i, cause) in causes.iter().enumerate() {
        if let Some((cause, much)) = cause {
            judged[i].explained_by = Some(*cause);
            judged[i].explained = Some(*much);
        }
    }
    sort(judged);
    offer(judged);
}

/// Puts what the coach wants fixed first in front, in that order, each on a line of its own; what does not show
/// stays where it is. Then offers anew.
pub fn put_first(judged: &mut [Judged], order: &[FindingKey]) {
    let place = |j: &Judged| {
        let named = |k: &FindingKey| k.fault == j.fault && k.role == j.role;
        order.iter().position(named).filter(|_| j.shows())
    };
    if !judged.iter().any(|j| place(j).is_some()) {
        return;
    }
    let top = judged.iter().map(|j| j.score).fold(0.0, f64::max);
    let many = order.len() as f64;
    for j in judged.iter_mut() {
        j.offered = false;
        if let Some(k) = place(j) {
            j.score = top + many - k as f64;
            j.explained_by = None;
            j.explained = None;
        }
    }
    sort(judged);
    offer(judged);
}

/// At most two for each dancer.
fn offer(judged: &mut [Judged]) {
    let mut offered = [0usize; 2];
    for j in judged.iter_mut().filter(|j| j.shows()) {
        let room = |offered: &[usize; 2]| j.whose.iter().any(|r| offered[*r as usize] < OFFERED);
        if j.explained_by.is_none() && room(&offered) {
            for r in &j.whose {
                offered[*r as usize] += 1;
            }
            j.offered = true;
        }
    }
}

/// Sorts by score and keeps the places in `explained_by` true.
fn sort(judged: &mut [Judged]) {
    let key = |j: &Judged| (j.fault.clone(), j.role);
    let named: Vec<_> = judged
        .iter()
        .map(|j| (key(j), j.explained_by.map(|c| key(&judged[c]))))
        .collect();
    judged.sort_by(|a, b| {
        b.score
            .total_cmp(&a.score)
            .then_with(|| a.fault.cmp(&b.fault))
            .then_with(|| a.role.cmp(&b.role))
    });
    let places: Vec<_> = judged.iter().map(key).collect();
    for (j, own) in judged.iter_mut().zip(&places) {
        let cause = named
            .iter()
            .find(|n| n.0 == *own)
            .and_then(|n| n.1.as_ref());
        j.explained_by = cause.and_then(|c| places.iter().position(|p| p == c));
    }
}

/// For each fault that shows, the shown fault that explains most of it, and how much. Walks the catalogue's
/// graph against its arrows; an edge that would close a ring is left out, the weakest last.
fn causes(judged: &[Judged], rules: &Rules) -> Vec<Option<(usize, f64)>> {
    let mut edges: Vec<(usize, usize, f64)> = Vec::new();
    for (e, effect) in judged.iter().enumerate().filter(|(_, j)| j.shows()) {
        let Some(entry) = rules.entry(&effect.fault) else {
            continue;
        };
        for (c, cause) in judged.iter().enumerate().filter(|(_, j)| j.shows()) {
            let fits = |w: Whose| match w {
                Whose::Same => {
                    cause.role.is_none() || effect.role.is_none() || cause.role == effect.role
                }
                Whose::Either => true,
            };
            let edge = entry
                .caused_by
                .iter()
                .find(|k| k.fault == cause.fault && fits(k.whose));
            if let Some(edge) = edge {
                let held = rules.entry(&cause.fault).is_some_and(|f| f.held);
                let much = edge.weight * in_time(cause, effect, held);
                // A cause of half of the repetitions or less is none.
                if much > 0.5 * edge.weight {
                    edges.push((e, c, much));
                }
            } else if cause.fault == "S1" && effect.fault != "S1" {
                // Everything later in the repetition is off after a wrong foot.
                let much = 0.8 * in_time(cause, effect, false);
                if much > 0.4 && cause.role == effect.role {
                    edges.push((e, c, much));
                }
            }
        }
    }
    edges.sort_by(|a, b| b.2.total_cmp(&a.2).then((a.0, a.1).cmp(&(b.0, b.1))));
    let mut out: Vec<Option<(usize, f64)>> = vec![None; judged.len()];
    for (effect, cause, much) in edges {
        let mut at = cause;
        while let Some((next, _)) = out[at] {
            at = next;
        }
        if out[effect].is_none() && at != effect {
            out[effect] = Some((cause, much));
        }
    }
    out
}

/// Share of the repetitions with the effect in which the cause is there as well, and no later, to be expected: a cause
/// that is not told surely enough to show counts for as much as it is likely. Where it is not judged nothing is known.
/// The first sure count of what is `held` tells when it was seen well and not when it began, so it may be a later one.
fn in_time(cause: &Judged, effect: &Judged, held: bool) -> f64 {
    let likely = effect
        .evidence
        .iter()
        .filter(|e| e.probability >= SHOWS)
        .filter_map(|e| {
            let there = cause
                .evidence
                .iter()
                .find(|c| c.repetition == e.repetition)?;
            let after = !held && matches!((there.from, e.count), (Some(c), Some(e)) if c > e);
            Some(if after { 0.0 } else { there.probability })
        });
    let all: Vec<f64> = likely.collect();
    all.iter().sum::<f64>() / all.len().max(1) as f64
}

#[cfg(test)]
mod tests {
    use super::*;
    use Role::{Follower, Leader};

    #[test]
    fn a_couples_fault_is_whose_share_is_not_little() {
        let of = |share: f64| whose(None, Some(Estimate::new(share, 0.1)));
        assert_eq!(of(0.2), [Follower]);
        assert_eq!(of(0.5), [Leader, Follower]);
        assert_eq!(of(0.9), [Leader]);
        for s in [0.0, 0.2, 0.34, 0.36, 0.5, 0.7, 1.0] {
            let mut exchanged: Vec<_> = of(1.0 - s).iter().map(|r| r.partner()).collect();
            exchanged.sort_unstable();
            assert_eq!(of(s), exchanged);
        }
        assert_eq!(whose(None, None), [Leader, Follower]);
        assert_eq!(whose(Some(Follower), None), [Follower]);
    }
}
