//! Two takes of one figure side by side, locked by count.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::smallest_real_change;
use crate::analyse::Analysis;
use crate::units::{Estimate, MediaTime, Role};

/// A count that both takes hold.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Beat {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// As spoken.
    pub label: String,
    /// Its moment in the earlier take.
    pub then: MediaTime,
    /// Its moment in the later one.
    pub now: MediaTime,
}

/// A measure at a count, then and now.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MeasureChange {
    /// Which measure.
    pub id: String,
    /// Whose; none for the couple.
    pub role: Option<Role>,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0; none for a whole repetition.
    pub count: Option<usize>,
    /// Then.
    pub then: Estimate,
    /// Now.
    pub now: Estimate,
    /// Smallest difference that could be told.
    pub needed: f64,
    /// The difference is larger than that.
    pub told: bool,
}

/// Two takes laid on each other.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ThenNow {
    /// The counts of both, in order.
    pub beats: Vec<Beat>,
    /// Where the last of these counts ends, then and now.
    pub end: [MediaTime; 2],
    /// Measures that both takes tell.
    pub changes: Vec<MeasureChange>,
}

impl ThenNow {
    /// Where a moment of the later take lies in the earlier one, both in seconds of their clips: on a count where
    /// the later one is, straight between counts, and going on as in the nearest count before the first and after
    /// the last. Without a count in both the moment itself.
    pub fn then_at(&self, now: f64) -> f64 {
        let mut points: Vec<(f64, f64)> = self
            .beats
            .iter()
            .map(|b| (b.now.secs(), b.then.secs()))
            .collect();
        points.push((self.end[1].secs(), self.end[0].secs()));
        let after = points.partition_point(|p| p.0 <= now);
        let i = after.clamp(1, points.len().max(2) - 1);
        let (Some((a, x)), Some((b, y))) = (points.get(i - 1), points.get(i)) else {
            return now;
        };
        x + (now - a) * if b > a { (y - x) / (b - a) } else { 1.0 }
    }
}

/// Lays the counts of two analysed takes on each other. Without a count in both there are no beats.
pub fn then_now(then: &Analysis, now: &Analysis) -> ThenNow {
    let (Some(a), Some(b)) = (&then.count, &now.count) else {
        return ThenNow::default();
    };
    let key = |repetition: u32, count: usize| (repetition, count);
    let later: BTreeMap<_, _> = b
        .cells
        .iter()
        .map(|c| (key(c.repetition, c.count), c.at))
        .collect();
    let beats: Vec<Beat> = a
        .cells
        .iter()
        .filter_map(|c| {
            Some(Beat {
                repetition: c.repetition,
                count: c.count,
                label: c.label.clone(),
                then: c.at,
                now: *later.get(&key(c.repetition, c.count))?,
            })
        })
        .collect();
    // The next count of each take after the last one of both, else the take's own end.
    let end = [(a, true), (b, false)].map(|(view, first)| {
        let last = beats.last().map(|l| if first { l.then } else { l.now });
        let next = view.cells.iter().map(|c| c.at).find(|at| Some(*at) > last);
        next.unwrap_or(view.end)
    });
    let of = |all: &Analysis| -> BTreeMap<_, Estimate> {
        all.measures
            .iter()
            .filter_map(|m| {
                let at = (m.id.clone(), m.role, m.repetition, m.count);
                Some((at, m.reading.estimate()?))
            })
            .collect()
    };
    let after = of(now);
    let changes = of(then)
        .into_iter()
        .filter_map(|(at, then)| {
            let now = *after.get(&at)?;
            let needed = smallest_real_change(then.sigma, now.sigma);
            let (id, role, repetition, count) = at;
            Some(MeasureChange {
                id,
                role,
                repetition,
                count,
                then,
                now,
                needed,
                told: (now.value - then.value).abs() > needed,
            })
        })
        .collect();
    ThenNow {
        beats,
        end,
        changes,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_fall_on_counts() {
        let beat = |count: usize, then: f64, now: f64| Beat {
            repetition: 0,
            count,
            label: (count + 1).to_string(),
            then: MediaTime::from_secs(then),
            now: MediaTime::from_secs(now),
        };
        let both = ThenNow {
            beats: vec![beat(0, 1.0, 5.0), beat(1, 1.5, 5.4), beat(2, 2.0, 5.8)],
            end: [MediaTime::from_secs(2.5), MediaTime::from_secs(6.2)],
            changes: Vec::new(),
        };
        for (now, then) in [(5.0, 1.0), (5.2, 1.25), (5.4, 1.5), (6.2, 2.5), (4.6, 0.5)] {
            let found = both.then_at(now);
            assert!((found - then).abs() < 1e-9, "{now}: {found}");
        }
        assert_eq!(ThenNow::default().then_at(3.0), 3.0);
    }
}
