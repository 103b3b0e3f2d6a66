//! What explains what, and what to fix first.

use super::{Grade, Judged};
use crate::fault::{Fault, Whose};

/// Most findings offered to one role.
const OFFERED: usize = 2;

/// How basic an area is: posture and frame come before connection, that before compression and
/// rotation, and those before feet and timing.
fn basic(area: &str) -> f64 {
    match area {
        "posture" => 1.4,
        "frame" => 1.3,
        "connection" => 1.2,
        "compression" | "rotation" => 1.1,
        _ => 1.0,
    }
}

/// Fills in causes, scores and offers, and sorts.
pub(super) fn rank(judged: &mut [Judged], catalogue: &[Fault]) {
    let entry = |id: &str| catalogue.iter().find(|f| f.id == id);
    for j in judged.iter_mut() {
        let Some(f) = entry(&j.fault) else { continue };
        if !j.shows() {
            // Ordered by how near they are to showing, below everything that shows.
            j.score = -1.0 + 0.5 * j.probability;
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
        // A wrong foot makes everything after it wrong; it is looked at first whatever else shows.
        if f.id == "S1" {
            j.score += 100.0;
        }
    }
    judged.sort_by(|a, b| {
        b.score
            .total_cmp(&a.score)
            .then_with(|| a.fault.cmp(&b.fault))
            .then_with(|| a.role.cmp(&b.role))
    });
    let causes: Vec<Option<usize>> = judged
        .iter()
        .map(|effect| {
            let f = entry(&effect.fault).filter(|_| effect.shows())?;
            judged.iter().position(|cause| {
                cause.shows()
                    && f.caused_by.iter().any(|c| {
                        c.fault == cause.fault
                            && match c.whose {
                                Whose::Same => cause.role.is_none() || cause.role == effect.role,
                                Whose::Either => true,
                            }
                    })
                    && in_time(cause, effect)
            })
        })
        .collect();
    for (i, cause) in causes.iter().enumerate() {
        // An effect of an effect stays under its own cause; a ring has no first fault and is left open.
        if cause.is_some_and(|c| causes[c] != Some(i)) {
            judged[i].explained_by = *cause;
        }
    }
    let mut offered = [0usize; 3];
    for j in judged.iter_mut().filter(|j| j.shows()) {
        if j.explained_by.is_none() {
            let role = j.role.map_or(2, |r| r as usize);
            if offered[role] < OFFERED {
                offered[role] += 1;
                j.offered = true;
            }
        }
    }
}

/// In at least half of the repetitions that show the effect, the cause shows no later.
fn in_time(cause: &Judged, effect: &Judged) -> bool {
    let showing: Vec<_> = effect
        .evidence
        .iter()
        .filter(|e| e.probability >= super::SHOWS)
        .collect();
    let explained = showing
        .iter()
        .filter(|e| {
            cause.evidence.iter().any(|c| {
                c.repetition == e.repetition
                    && c.probability >= super::SHOWS
                    && match (c.count, e.count) {
                        (Some(c), Some(e)) => c <= e,
                        _ => true,
                    }
            })
        })
        .count();
    2 * explained >= showing.len() && explained > 0
}
