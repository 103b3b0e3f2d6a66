//! How often the coach agrees with what the tool says, and what band would agree better.

use serde::Serialize;

use super::wilson;
use crate::fault::Band;

/// A decision of the coach on a finding.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Said {
    /// How sure the tool was, 0..1.
    pub probability: f64,
    /// The coach confirmed it.
    pub confirmed: bool,
    /// What was measured, in the measure's unit, where it is still known.
    pub value: Option<f64>,
}

/// A band that agrees better with the coach than the one in force.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Suggestion {
    /// The band.
    pub band: Band,
    /// Dismissed findings that it would not have made.
    pub spares: u32,
    /// Confirmed findings that it would have missed.
    pub misses: u32,
}

/// Agreement on one fault.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Agreement {
    /// Findings confirmed.
    pub confirmed: u32,
    /// Findings dismissed.
    pub dismissed: u32,
    /// 95 % Wilson interval of the share confirmed.
    pub precision: [f64; 2],
    /// How sure the tool was, on average.
    pub said: f64,
    /// A band that agrees better; only where it spares at least two more than it misses.
    pub suggestion: Option<Suggestion>,
}

/// Fewest decisions from which a band is suggested.
const ENOUGH: usize = 5;

/// Agreement over decisions on one fault judged by `band`.
pub fn agreement(band: Option<&Band>, said: &[Said]) -> Agreement {
    let confirmed = said.iter().filter(|s| s.confirmed).count() as u32;
    let all = said.len() as u32;
    Agreement {
        confirmed,
        dismissed: all - confirmed,
        precision: wilson(confirmed, all),
        said: said.iter().map(|s| s.probability).sum::<f64>() / f64::from(all.max(1)),
        suggestion: band.and_then(|b| suggest(b, said)),
    }
}

/// The band whose fine edge, moved out on one side, agrees best with the decisions.
fn suggest(band: &Band, said: &[Said]) -> Option<Suggestion> {
    let mut best: Option<Suggestion> = None;
    for side in [0, 1] {
        let (Some(fine), Some(clear)) = (band.fine[side], band.clear[side]) else {
            continue;
        };
        let sign = if side == 0 { -1.0 } else { 1.0 };
        // How far out each finding of this side lay.
        let mut out: Vec<(f64, bool)> = said
            .iter()
            .filter_map(|s| Some((sign * (s.value? - fine), s.confirmed)))
            .filter(|(far, _)| *far > 0.0)
            .collect();
        if out.len() < ENOUGH {
            continue;
        }
        out.sort_by(|a, b| a.0.total_cmp(&b.0));
        for cut in 1..=out.len() {
            let (under, over) = out.split_at(cut);
            let misses = under.iter().filter(|o| o.1).count() as u32;
            let spares = cut as u32 - misses;
            // Halfway to the next one out; past the last one by a tenth of the borderline zone.
            let by = match over.first() {
                Some(next) => 0.5 * (under[cut - 1].0 + next.0),
                None => under[cut - 1].0 + 0.1 * (clear - fine).abs(),
            };
            let gains = |s: &Suggestion| i64::from(s.spares) - i64::from(s.misses);
            let mut moved = *band;
            moved.fine[side] = Some(fine + sign * by);
            moved.clear[side] = Some(clear + sign * by);
            let this = Suggestion {
                band: moved,
                spares,
                misses,
            };
            if gains(&this) >= 2 && best.as_ref().is_none_or(|b| gains(&this) > gains(b)) {
                best = Some(this);
            }
        }
    }
    best
}

/// A tenth of probability: how often the coach confirmed what was said with it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tenth {
    /// Mean of what was said.
    pub said: f64,
    /// Share confirmed.
    pub confirmed: f64,
    /// Decisions.
    pub of: u32,
}

/// The tenths in which there are decisions, lowest first.
pub fn calibration(said: &[Said]) -> Vec<Tenth> {
    (0..10)
        .filter_map(|tenth| {
            let bin: Vec<&Said> = said
                .iter()
                .filter(|s| ((10.0 * s.probability) as usize).min(9) == tenth)
                .collect();
            let n = bin.len() as f64;
            (n > 0.0).then(|| Tenth {
                said: bin.iter().map(|s| s.probability).sum::<f64>() / n,
                confirmed: bin.iter().filter(|s| s.confirmed).count() as f64 / n,
                of: bin.len() as u32,
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const LEAN: Band = Band {
        fine: [None, Some(3.0)],
        clear: [None, Some(6.0)],
    };

    fn said(values: &[(f64, bool)]) -> Vec<Said> {
        values
            .iter()
            .map(|(value, confirmed)| Said {
                probability: 0.9,
                confirmed: *confirmed,
                value: Some(*value),
            })
            .collect()
    }

    #[test]
    fn a_band_is_moved_to_where_the_coach_draws_the_line() {
        let all = said(&[
            (4.0, false),
            (4.4, false),
            (4.8, false),
            (6.0, true),
            (7.0, true),
            (9.0, true),
        ]);
        let a = agreement(Some(&LEAN), &all);
        assert_eq!((a.confirmed, a.dismissed), (3, 3));
        let s = a.suggestion.unwrap();
        assert_eq!((s.spares, s.misses), (3, 0));
        assert!((s.band.fine[1].unwrap() - 5.4).abs() < 1e-9);
        assert!((s.band.clear[1].unwrap() - 8.4).abs() < 1e-9);
    }

    #[test]
    fn nothing_is_suggested_where_the_coach_agrees_or_has_said_little() {
        let agrees = said(&[
            (4.0, true),
            (5.0, true),
            (6.0, false),
            (7.0, true),
            (8.0, true),
        ]);
        assert_eq!(agreement(Some(&LEAN), &agrees).suggestion, None);
        let little = said(&[(4.0, false), (4.1, false), (4.2, false)]);
        let a = agreement(Some(&LEAN), &little);
        assert_eq!(a.suggestion, None);
        assert!(a.precision[1] > 0.5 && a.precision[0] < 1e-9, "{a:?}");
        assert_eq!(agreement(None, &agrees).suggestion, None);
    }

    #[test]
    fn calibration_goes_by_tenths() {
        let mut all = said(&[(4.0, true), (5.0, true), (5.0, false)]);
        all[2].probability = 1.0;
        let tenths = calibration(&all);
        assert_eq!(tenths.len(), 1);
        assert_eq!(tenths[0].of, 3);
        assert!((tenths[0].confirmed - 2.0 / 3.0).abs() < 1e-9);
        all[0].probability = 0.3;
        assert_eq!(calibration(&all).len(), 2);
    }
}
