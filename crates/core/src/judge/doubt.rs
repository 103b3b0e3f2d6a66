//! Where a few marks by hand would help the findings most.

use serde::{Deserialize, Serialize};

use super::Judged;
use crate::fault::Band;
use crate::units::{Estimate, Role};

/// What marking a count by hand leaves of a detector's standard error: medians of foot, separation and lean by
/// hand over those by a detector, one camera, in `docs/accuracy.md` (0.51 to 0.63 in two runs).
const LEFT_BY_HAND: f64 = 0.55;

/// Less than this is not worth a click, bits.
const LEAST: f64 = 0.02;

/// Most places that are named.
const MOST: usize = 12;

/// Nodes and weights of the five-point Gauss-Hermite rule for a standard normal (Abramowitz and Stegun,
/// table 25.10, scaled).
const NODES: [(f64, f64); 5] = [
    (0.0, 0.533_333_333_333_333),
    (1.355_626_179_974_266, 0.222_075_922_005_613),
    (-1.355_626_179_974_266, 0.222_075_922_005_613),
    (2.856_970_013_872_806, 0.011_257_411_327_721),
    (-2.856_970_013_872_806, 0.011_257_411_327_721),
];

/// A count of a dancer that is worth marking by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Doubt {
    /// Whose body.
    pub role: Role,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// How much less would be left open, bits.
    pub bits: f64,
    /// The findings that it would settle, most first, by their ids.
    pub faults: Vec<String>,
}

/// Uncertainty of a yes or no, bits.
fn entropy(p: f64) -> f64 {
    let one = |p: f64| if p > 0.0 { -p * p.log2() } else { 0.0 };
    one(p) + one(1.0 - p)
}

/// How much less would be left open about whether a value lies outside its band, were it known as well as by
/// hand: what is open now less what is expected to be open then, bits, never below 0. `wild` is the share of readings
/// like this that are far worse than they say; a mark by hand is not among them. `lift` is what else is known, as in
/// [`Band::probability_given`].
pub fn settled_by_hand(band: &Band, now: Estimate, wild: f64, lift: f64) -> f64 {
    let then = LEFT_BY_HAND * now.sigma;
    // What the better reading will be is as uncertain as it is better.
    let moves = (now.sigma.powi(2) - then.powi(2)).max(0.0).sqrt();
    let open: f64 = NODES
        .iter()
        .map(|(z, w)| {
            let better = Estimate::new(now.value + z * moves, then);
            w * entropy(band.probability_given(better, 0.0, lift))
        })
        .sum();
    (entropy(band.probability_given(now, wild, lift)) - open).max(0.0)
}

/// The counts at which a mark by hand would settle most, most first. `marked` says what is marked already.
/// What the couple do together is settled by either dancer's half.
pub fn doubts(judged: &[Judged], marked: impl Fn(Role, u32, usize) -> bool) -> Vec<Doubt> {
    let mut all: Vec<(Doubt, Vec<(f64, &str)>)> = Vec::new();
    for j in judged {
        let (roles, share) = match &j.role {
            Some(r) => (std::slice::from_ref(r), 1.0),
            None => (&Role::BOTH[..], 0.5),
        };
        for e in &j.evidence {
            let Some(count) = e.count else { continue };
            for role in roles {
                if marked(*role, e.repetition, count) || e.doubt <= 0.0 {
                    continue;
                }
                let here =
                    |d: &Doubt| (d.role, d.repetition, d.count) == (*role, e.repetition, count);
                let i = all.iter().position(|(d, _)| here(d)).unwrap_or_else(|| {
                    let new = Doubt {
                        role: *role,
                        repetition: e.repetition,
                        count,
                        bits: 0.0,
                        faults: Vec::new(),
                    };
                    all.push((new, Vec::new()));
                    all.len() - 1
                });
                all[i].0.bits += share * e.doubt;
                all[i].1.push((share * e.doubt, &j.fault));
            }
        }
    }
    let mut out: Vec<Doubt> = all
        .into_iter()
        .filter(|(d, _)| d.bits >= LEAST)
        .map(|(mut d, mut faults)| {
            faults.sort_by(|a, b| b.0.total_cmp(&a.0));
            d.faults = faults.iter().take(3).map(|f| f.1.to_owned()).collect();
            d
        })
        .collect();
    let place = |d: &Doubt| (d.repetition, d.count, d.role as u8);
    out.sort_by(|a, b| {
        b.bits
            .total_cmp(&a.bits)
            .then_with(|| place(a).cmp(&place(b)))
    });
    out.truncate(MOST);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;
    use crate::fault::{Circumstances, Rules};
    use crate::judge::{Case, judge};
    use crate::measure;
    use proptest::prelude::*;

    const BAND: Band = Band {
        fine: [None, Some(3.0)],
        clear: [None, Some(6.0)],
    };

    #[test]
    fn most_is_settled_at_the_edge() {
        let bits = |v: f64, s: f64| settled_by_hand(&BAND, Estimate::new(v, s), 0.0, 1.0);
        // Sure things gain nothing; a value near the edge gains most; an exact one nothing.
        assert!(bits(-9.0, 1.0) < 1e-3 && bits(15.0, 1.0) < 1e-3);
        assert!(bits(4.5, 1.5) > 0.1, "{}", bits(4.5, 1.5));
        assert!(bits(4.5, 1.5) > bits(8.0, 1.5) && bits(4.5, 1.5) > bits(0.0, 1.5));
        assert!(bits(4.5, 0.01) < 1e-3);
    }

    proptest! {
        /// A bit is the most that a yes or no can hold, and looking never costs.
        #[test]
        fn between_nothing_and_a_bit(v in -30.0..30.0f64, s in 0.0..20.0f64) {
            let bits = settled_by_hand(&BAND, Estimate::new(v, s), 0.0, 1.0);
            prop_assert!((0.0..=1.0).contains(&bits));
        }
    }

    #[test]
    fn the_least_certain_count_comes_first_until_it_is_marked() {
        let chart = chart("shag-basic").unwrap();
        let lean = |role, rep, count, v: f64| {
            measure::value(
                "lean",
                Some(role),
                (rep, Some(count)),
                Estimate::new(v, 1.5),
            )
        };
        let measures = [
            lean(Role::Follower, 0, 2, 4.5),
            lean(Role::Follower, 1, 4, 9.0),
            lean(Role::Leader, 1, 6, -20.0),
        ];
        let (judged, _) = judge(&Case {
            rules: Rules::usual(),
            chart,
            here: Circumstances::of(&chart.dance, Some(118.0), [1.8, 1.7]),
            measures: &measures,
            wild: &|_| 0.0,
            expected: &|_| None,
        });
        let first = doubts(&judged, |_, _, _| false);
        let at = |d: &Doubt| (d.role, d.repetition, d.count);
        assert_eq!(at(&first[0]), (Role::Follower, 0, 2));
        assert_eq!(first[0].faults[0], "P1");
        assert!(first.windows(2).all(|w| w[0].bits >= w[1].bits));
        let then = doubts(&judged, |r, rep, c| (r, rep, c) == (Role::Follower, 0, 2));
        assert!(then.iter().all(|d| at(d) != (Role::Follower, 0, 2)));
    }
}
