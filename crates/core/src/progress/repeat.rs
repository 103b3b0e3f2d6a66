//! The coach's own repeatability: the same frames marked twice.
//!
//! Standard error of measurement and ICC(2,1), two-way random, absolute agreement, single marking: Shrout,
//! P. E. & Fleiss, J. L. (1979), Psychol. Bull. 86; Weir, J. P. (2005), J. Strength Cond. Res. 19.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::analyse::Analysis;
use crate::measure::Measure;
use crate::units::{MediaTime, Role};

/// First and second reading of every measure, by measure, at the counts of frames (whose joints, microseconds of
/// the clip) that were marked twice. A reading that is the same to the last digit does not rest on these joints and
/// says nothing of their marking.
pub fn twice(
    first: &Analysis,
    second: &Analysis,
    frames: &[(Role, MediaTime)],
) -> BTreeMap<String, Vec<[f64; 2]>> {
    let mut out: BTreeMap<String, Vec<[f64; 2]>> = BTreeMap::new();
    let cells = first.count.as_ref().map_or(&[][..], |c| &c.cells);
    let marked: Vec<_> = frames
        .iter()
        .filter_map(|(role, at)| {
            let cell = cells.iter().min_by_key(|c| (c.at.0 - at.0).abs())?;
            Some((*role, cell.repetition, cell.count))
        })
        .collect();
    for a in &first.measures {
        let asked = marked.iter().any(|(role, repetition, count)| {
            a.role.is_none_or(|r| r == *role)
                && a.repetition == *repetition
                && a.count == Some(*count)
        });
        let same = |b: &&Measure| {
            (&b.id, b.role, b.repetition, b.count) == (&a.id, a.role, a.repetition, a.count)
        };
        let b = second.measures.iter().find(same);
        if let (true, Some(x), Some(y)) = (
            asked,
            a.reading.estimate(),
            b.and_then(|b| b.reading.estimate()),
        ) && x.value != y.value
        {
            out.entry(a.id.clone())
                .or_default()
                .push([x.value, y.value]);
        }
    }
    out
}

/// How well one coach's readings of a measure repeat.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Repeatability {
    /// Readings marked more than once.
    pub readings: usize,
    /// Standard error of one reading, in the measure's unit: the error about the readings' means, with what
    /// the second marking shifts all of them by.
    pub sem: f64,
    /// Intraclass correlation, at most 1; absent where the readings do not differ.
    pub icc: Option<f64>,
    /// By how much the last marking lies above the first on average.
    pub shift: f64,
}

/// Fewest readings from which something is told.
const FEWEST: usize = 3;

/// From readings, each marked equally often; `None` when there are too few, or not marked twice.
pub fn repeatability(readings: &[Vec<f64>]) -> Option<Repeatability> {
    let (n, k) = (readings.len(), readings.first()?.len());
    if n < FEWEST || k < 2 || readings.iter().any(|r| r.len() != k) {
        return None;
    }
    let (nf, kf) = (n as f64, k as f64);
    let all = readings.iter().flatten().sum::<f64>() / (nf * kf);
    let row = |r: &Vec<f64>| r.iter().sum::<f64>() / kf;
    let column = |j: usize| readings.iter().map(|r| r[j]).sum::<f64>() / nf;
    let total: f64 = readings.iter().flatten().map(|v| (v - all).powi(2)).sum();
    let between: f64 = kf * readings.iter().map(|r| (row(r) - all).powi(2)).sum::<f64>();
    let marking: f64 = nf * (0..k).map(|j| (column(j) - all).powi(2)).sum::<f64>();
    let rest = (total - between - marking).max(0.0);
    let (msr, msc) = (between / (nf - 1.0), marking / (kf - 1.0));
    let mse = rest / ((nf - 1.0) * (kf - 1.0));
    let below = msr + (kf - 1.0) * mse + kf * (msc - mse) / nf;
    Some(Repeatability {
        readings: n,
        // Absolute agreement: the shift between markings is error too.
        sem: (mse + ((msc - mse) / nf).max(0.0)).sqrt(),
        icc: (below > 1e-12).then(|| (msr - mse) / below),
        shift: column(k - 1) - column(0),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Shrout & Fleiss (1979), table 2: six targets, four judges; ICC(2,1) = 0.29 there.
    #[test]
    fn agrees_with_the_published_example() {
        let table = [
            [9.0, 2.0, 5.0, 8.0],
            [6.0, 1.0, 3.0, 2.0],
            [8.0, 4.0, 6.0, 8.0],
            [7.0, 1.0, 2.0, 6.0],
            [10.0, 5.0, 6.0, 9.0],
            [6.0, 2.0, 4.0, 7.0],
        ]
        .map(|r| r.to_vec());
        let r = repeatability(&table).unwrap();
        assert!((r.icc.unwrap() - 0.2898).abs() < 5e-4, "{r:?}");
        // Mean squares of the table: 1.02 within, 32.49 between judges.
        assert!((r.sem - (1.0194f64 + (32.4861 - 1.0194) / 6.0).sqrt()).abs() < 1e-3);
    }

    #[test]
    fn a_pair_of_markings_gives_the_error_of_one() {
        let pairs: Vec<Vec<f64>> = [[1.0, 3.0], [6.0, 4.0], [9.0, 11.0], [14.0, 12.0]]
            .iter()
            .map(|p| p.to_vec())
            .collect();
        let r = repeatability(&pairs).unwrap();
        assert!((r.shift).abs() < 1e-9);
        // Differences ±2 about a mean of 0: sd of the differences 2.31, over √2.
        assert!((r.sem - (16.0f64 / 3.0 / 2.0).sqrt()).abs() < 1e-9, "{r:?}");
        assert!(r.icc.unwrap() > 0.85);
    }

    #[test]
    fn too_little_says_nothing() {
        assert_eq!(repeatability(&[]), None);
        assert_eq!(repeatability(&[vec![1.0, 2.0], vec![2.0, 3.0]]), None);
        assert_eq!(repeatability(&vec![vec![1.0]; 5]), None);
        assert_eq!(repeatability(&vec![vec![4.0, 4.0]; 5]).unwrap().icc, None);
    }
}
