//! What the other repetitions say about one: a dancer who does it at a count mostly does it there again, and who holds
//! the body so at one count mostly does at the next.

use crate::fault::Weighed;

/// Share of readings that lie outside a fine band where nothing else is known, as [`crate::fault::Band`] takes it.
const USUAL: f64 = 1.0 / 15.0;

/// Of all that may go wrong at a count, the share that is a habit of this dancer, in any share of the repetitions.
/// The rest are slips, as rare as makes [`USUAL`] of all.
const HABITS: f64 = 0.10;

/// Share of a repetition's evidence that counts for another one: some of what a view or a marking gets wrong, it
/// gets wrong each time.
const SHARED: f64 = 0.7;

/// All other counts of a repetition together say no more of one than so many of them would that err by themselves:
/// what a view gets wrong lasts.
const COUNTS: f64 = 2.0;

/// Evidence is not believed to be stronger than this, either way.
const MOST: f64 = 1e4;

/// Shares of the repetitions in which a habit may show, all as likely.
const SHARES: u32 = 12;

/// What a repetition's reading says for the others at the same count: how much likelier it is of a value outside the
/// band than of one inside, as odds (1 says nothing).
pub(super) fn elsewhere(reading: Weighed) -> f64 {
    let odds = reading.support(USUAL / (1.0 - USUAL));
    odds.clamp(1.0 / MOST, MOST).powf(SHARED)
}

/// By how much the odds that one repetition shows a fault change with what the others say [`elsewhere`].
///
/// The fault shows in an unknown share of the repetitions (a Bernoulli trial whose share is drawn from a uniform
/// density for habits and is fixed for slips); the share is integrated out.
pub(super) fn lift(others: impl Iterator<Item = f64> + Clone) -> f64 {
    let slip = (USUAL - 0.5 * HABITS) / (1.0 - HABITS);
    let habits = (0..SHARES).map(|i| {
        let share = (f64::from(i) + 0.5) / f64::from(SHARES);
        (HABITS / f64::from(SHARES), share)
    });
    let (mut yes, mut no) = (0.0, 0.0);
    for (weight, share) in habits.chain([(1.0 - HABITS, slip)]) {
        let likely: f64 = others
            .clone()
            .map(|odds| share * odds + 1.0 - share)
            .product();
        yes += weight * share * likely;
        no += weight * (1.0 - share) * likely;
    }
    yes / no * (1.0 - USUAL) / USUAL
}

/// The same with what the other counts of the repetition say [`elsewhere`], for a fault that is held.
pub(super) fn lift_held(counts: &[f64]) -> f64 {
    let each = (COUNTS / counts.len().max(1) as f64).min(1.0);
    lift(counts.iter().map(|odds| odds.powf(each)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn by(others: &[f64]) -> f64 {
        lift(others.iter().copied())
    }

    #[test]
    fn nothing_known_changes_nothing() {
        assert!((by(&[]) - 1.0).abs() < 1e-9);
        assert!((by(&[1.0, 1.0, 1.0]) - 1.0).abs() < 1e-9);
    }

    #[test]
    fn a_habit_is_expected_again_and_a_slip_is_not() {
        // Three that surely show it: the next one is about four times as likely to as not, by the rule of succession.
        let odds = by(&[1e4; 3]) * USUAL / (1.0 - USUAL);
        assert!((3.0..5.0).contains(&odds), "{odds}");
        // Three that surely do not.
        assert!((0.2..0.4).contains(&by(&[1e-4; 3])), "{}", by(&[1e-4; 3]));
        // One of three may be a slip or a habit: something between.
        let one = by(&[1e4, 1e-4, 1e-4]);
        assert!((1.5..4.0).contains(&one), "{one}");
    }

    #[test]
    fn weak_signs_add_up() {
        let (one, three) = (by(&[3.0]), by(&[3.0; 3]));
        assert!(one > 1.0 && three > 1.5 * one, "{one} {three}");
    }

    #[test]
    fn many_counts_say_what_two_would() {
        assert!((lift_held(&[]) - 1.0).abs() < 1e-9);
        assert!((lift_held(&[5.0]) - by(&[5.0])).abs() < 1e-9);
        let (two, eight) = (lift_held(&[5.0; 2]), lift_held(&[5.0; 8]));
        assert!((two - by(&[5.0; 2])).abs() < 1e-9);
        assert!(eight > 0.9 * two && eight < 1.5 * two, "{two} {eight}");
        assert!(lift_held(&[0.1; 8]) < 1.0);
    }

    proptest! {
        #[test]
        fn more_evidence_elsewhere_is_never_less_here(a in -9.0..9.0f64, b in -9.0..9.0f64, more in 0.0..5.0f64) {
            let of = |a: f64, b: f64| by(&[a.exp(), b.exp()]);
            prop_assert!(of(a + more, b) >= of(a, b) - 1e-12);
            prop_assert!(of(a, b).is_finite() && of(a, b) > 0.0);
        }
    }
}
