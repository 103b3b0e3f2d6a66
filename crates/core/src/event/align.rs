//! Alignment of observed arrivals with a chart by dynamic programming.
//!
//! The cheapest monotone matching (Needleman, S. & Wunsch, C. (1970), J. Mol. Biol. 48) with costs
//! for time, a wrong foot, a missing weight change, a step left out and a step too many.

use serde::{Deserialize, Serialize};

use crate::marks::StepMark;
use crate::units::{Foot, MediaTime};

/// What the chart asks for at one moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ChartedStep {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Row of the chart.
    pub row: usize,
    /// Count of the chart.
    pub count: usize,
    /// Which foot.
    pub foot: Foot,
    /// Whether it takes the weight.
    pub weight: bool,
    /// Moment of the count.
    pub at: MediaTime,
}

/// How an observed step answers the chart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Outcome {
    /// Right foot, weight as charted.
    AsCharted,
    /// The other foot.
    WrongFoot,
    /// The foot came but the weight did not pass, or passed where only a touch is charted.
    WrongWeight,
    /// Steps before and after it are marked, this one is not.
    LeftOut,
    /// Not marked (nothing is said about it).
    NotMarked,
}

/// A charted step with the observed one that answers it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AlignedStep {
    /// The charted step.
    pub charted: ChartedStep,
    /// The observed one, if any.
    pub observed: Option<StepMark>,
    /// How it answers.
    pub outcome: Outcome,
}

const WRONG_FOOT: f64 = 0.9;
const WRONG_WEIGHT: f64 = 0.6;
const UNMATCHED: f64 = 1.3;
/// Furthest an arrival can be from its count, in beats.
const REACH: f64 = 0.9;

/// Aligns one role's arrivals (in time order) with the charted steps (in time order). `period` is
/// the length of a beat in seconds. Returns one entry a charted step and the arrivals that answer none.
pub fn align(
    charted: &[ChartedStep],
    observed: &[StepMark],
    period: f64,
) -> (Vec<AlignedStep>, Vec<StepMark>) {
    let (n, m) = (charted.len(), observed.len());
    let pair_cost = |c: &ChartedStep, o: &StepMark| {
        let late = o.at.since(c.at).abs() / period;
        if late > REACH {
            return f64::INFINITY;
        }
        // Squared, so that two small delays cost less than one on time and one a step away.
        1.6 * late * late
            + if o.foot == c.foot { 0.0 } else { WRONG_FOOT }
            + if o.weight == c.weight {
                0.0
            } else {
                WRONG_WEIGHT
            }
    };
    let width = m + 1;
    let mut cost = vec![0.0; (n + 1) * width];
    for i in 0..=n {
        for j in 0..=m {
            if i == 0 && j == 0 {
                continue;
            }
            let mut best = f64::INFINITY;
            if i > 0 {
                best = best.min(cost[(i - 1) * width + j] + UNMATCHED);
            }
            if j > 0 {
                best = best.min(cost[i * width + j - 1] + UNMATCHED);
            }
            if i > 0 && j > 0 {
                best = best.min(
                    cost[(i - 1) * width + j - 1] + pair_cost(&charted[i - 1], &observed[j - 1]),
                );
            }
            cost[i * width + j] = best;
        }
    }
    let mut answer = vec![None; n];
    let mut extra = Vec::new();
    let (mut i, mut j) = (n, m);
    while i > 0 || j > 0 {
        let here = cost[i * width + j];
        if i > 0
            && j > 0
            && here == cost[(i - 1) * width + j - 1] + pair_cost(&charted[i - 1], &observed[j - 1])
        {
            answer[i - 1] = Some(observed[j - 1]);
            i -= 1;
            j -= 1;
        } else if i > 0 && here == cost[(i - 1) * width + j] + UNMATCHED {
            i -= 1;
        } else {
            extra.push(observed[j - 1]);
            j -= 1;
        }
    }
    extra.reverse();
    let aligned = charted
        .iter()
        .enumerate()
        .map(|(k, c)| AlignedStep {
            charted: *c,
            observed: answer[k],
            outcome: match answer[k] {
                Some(o) if o.foot != c.foot => Outcome::WrongFoot,
                Some(o) if o.weight != c.weight => Outcome::WrongWeight,
                Some(_) => Outcome::AsCharted,
                None if marked_around(charted, &answer, k) => Outcome::LeftOut,
                None => Outcome::NotMarked,
            },
        })
        .collect();
    (aligned, extra)
}

/// Both charted neighbours within the repetition are marked, so that a gap means something.
fn marked_around(charted: &[ChartedStep], answer: &[Option<StepMark>], k: usize) -> bool {
    let same = |j: usize| charted[j].repetition == charted[k].repetition && answer[j].is_some();
    let before = (0..k).rev().take(2).any(same);
    let after = (k + 1..charted.len()).take(2).any(same);
    before && after
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::Role;
    use proptest::prelude::*;

    fn charted(n: usize) -> Vec<ChartedStep> {
        (0..n)
            .map(|i| ChartedStep {
                repetition: 0,
                row: i,
                count: i,
                foot: if i % 2 == 0 { Foot::Left } else { Foot::Right },
                weight: true,
                at: MediaTime::from_secs(1.0 + 0.5 * i as f64),
            })
            .collect()
    }

    fn answer(c: &ChartedStep, late: f64) -> StepMark {
        StepMark {
            role: Role::Leader,
            foot: c.foot,
            at: MediaTime::from_secs(c.at.secs() + late),
            weight: c.weight,
        }
    }

    #[test]
    fn a_step_left_out_is_named_and_the_rest_stay_in_place() {
        let c = charted(6);
        let o: Vec<_> = c
            .iter()
            .filter(|s| s.row != 2)
            .map(|s| answer(s, 0.05))
            .collect();
        let (a, extra) = align(&c, &o, 0.5);
        let outcomes: Vec<_> = a.iter().map(|s| s.outcome).collect();
        assert_eq!(outcomes[2], Outcome::LeftOut);
        assert_eq!(
            outcomes
                .iter()
                .filter(|o| **o == Outcome::AsCharted)
                .count(),
            5
        );
        assert!(extra.is_empty());
    }

    #[test]
    fn a_wrong_foot_and_a_touch_are_told_apart() {
        let c = charted(4);
        let mut o: Vec<_> = c.iter().map(|s| answer(s, 0.0)).collect();
        o[1].foot = o[1].foot.other();
        o[2].weight = false;
        let (a, _) = align(&c, &o, 0.5);
        assert_eq!(a[1].outcome, Outcome::WrongFoot);
        assert_eq!(a[2].outcome, Outcome::WrongWeight);
    }

    #[test]
    fn what_was_not_marked_is_no_fault() {
        let c = charted(6);
        let o = [answer(&c[0], 0.0)];
        let (a, _) = align(&c, &o, 0.5);
        assert!(a[1..].iter().all(|s| s.outcome == Outcome::NotMarked));
    }

    #[test]
    fn a_doubled_step_is_left_over() {
        let c = charted(4);
        let mut o: Vec<_> = c.iter().map(|s| answer(s, 0.0)).collect();
        o.insert(
            2,
            StepMark {
                at: MediaTime::from_secs(1.75),
                ..o[1]
            },
        );
        let (a, extra) = align(&c, &o, 0.5);
        assert!(a.iter().all(|s| s.outcome == Outcome::AsCharted));
        assert_eq!(extra.len(), 1);
    }

    proptest! {
        /// Even steady lateness of a third of a beat with jitter keeps every step at its count.
        #[test]
        fn late_dancers_keep_their_counts(
            shift in -0.15..0.15f64,
            jitter in proptest::collection::vec(-0.05..0.05f64, 12),
        ) {
            let c = charted(12);
            let o: Vec<_> = c.iter().zip(&jitter).map(|(s, j)| answer(s, shift + j)).collect();
            let (a, extra) = align(&c, &o, 0.5);
            prop_assert!(a.iter().all(|s| s.outcome == Outcome::AsCharted));
            prop_assert!(extra.is_empty());
        }
    }
}
