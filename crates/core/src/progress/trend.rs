//! Slope over takes: Theil–Sen with Sen's interval.
//!
//! Sen, P. K. (1968), JASA 63; interval from Kendall's variance, less what takes of one day and equal
//! values take from it.

use serde::{Deserialize, Serialize};

use super::TakeReading;
use crate::count::median;

/// A straight trend.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Trend {
    /// Change per week, in the measure's unit.
    pub per_week: f64,
    /// 95 % interval of it.
    pub interval: [f64; 2],
    /// Value of the line on the first take's day.
    pub start: f64,
}

/// The trend of at least four takes on at least two days; takes in order of date.
pub fn trend(takes: &[TakeReading]) -> Option<Trend> {
    if takes.len() < 4 {
        return None;
    }
    let first = takes[0].date;
    let weeks: Vec<f64> = takes
        .iter()
        .map(|t| f64::from((t.date - first).get_days()) / 7.0)
        .collect();
    let values: Vec<f64> = takes.iter().map(|t| t.value.value).collect();
    let mut slopes = Vec::new();
    for i in 0..takes.len() {
        for j in i + 1..takes.len() {
            if weeks[j] > weeks[i] {
                slopes.push((values[j] - values[i]) / (weeks[j] - weeks[i]));
            }
        }
    }
    if slopes.is_empty() {
        return None;
    }
    slopes.sort_by(f64::total_cmp);
    let n = takes.len() as f64;
    let full = |n: f64| n * (n - 1.0) * (2.0 * n + 5.0);
    let tied = |of: &[f64]| -> f64 { ties(of).map(|t| full(t as f64)).sum() };
    let variance = (full(n) - tied(&weeks) - tied(&values)).max(0.0) / 18.0;
    let spread = 1.959_964 * variance.sqrt();
    let m = slopes.len() as f64;
    let rank = |r: f64| slopes[(r.round_ties_even().max(0.0) as usize).min(slopes.len() - 1)];
    let per_week = median(slopes.clone());
    Some(Trend {
        per_week,
        interval: [rank((m - spread) / 2.0 - 1.0), rank((m + spread) / 2.0)],
        start: median(
            weeks
                .iter()
                .zip(&values)
                .map(|(w, v)| v - per_week * w)
                .collect(),
        ),
    })
}

/// Sizes of the groups of equal values.
fn ties(of: &[f64]) -> impl Iterator<Item = usize> + use<> {
    let mut sorted = of.to_vec();
    sorted.sort_by(f64::total_cmp);
    let groups: Vec<usize> = sorted.chunk_by(|a, b| a == b).map(<[f64]>::len).collect();
    groups.into_iter().filter(|n| *n > 1)
}

#[cfg(test)]
mod tests {
    use super::super::tests::takes;
    use super::*;

    #[test]
    fn a_steady_fall_is_found_through_an_outlier() {
        let t = trend(&takes(&[8.0, 7.5, 7.0, 12.0, 6.0, 5.5, 5.0, 4.5], 0.5)).unwrap();
        assert!((t.per_week + 0.5).abs() < 0.1, "{t:?}");
        assert!(t.interval[0] <= t.per_week && t.per_week <= t.interval[1]);
        assert!(t.interval[1] < 0.6);
        assert!((t.start - 8.0).abs() < 0.3);
    }

    #[test]
    fn three_takes_have_no_trend() {
        assert_eq!(trend(&takes(&[1.0, 2.0, 3.0], 0.1)), None);
    }
}
