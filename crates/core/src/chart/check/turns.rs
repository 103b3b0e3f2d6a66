//! The turn ledger: what each role turns in all, and how long it goes one way.

use serde::Serialize;

use super::{Place, Problem, Sheet, role_word};
use crate::chart::vocabulary::Rule;
use crate::units::Role;

/// Longest streak one way before the other direction is due, eighths: two and a half turns.
pub const LONG_STREAK: i32 = 20;

/// Turns of one role, eighths, positive to the left.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Ledger {
    /// Sum.
    pub total: i32,
    /// Longest run one way, with its sign.
    pub streak: i32,
    /// All turning, without signs.
    pub turned: i32,
}

/// The ledger of turns in order.
pub fn ledger(turns: impl IntoIterator<Item = i32>) -> Ledger {
    let mut l = Ledger::default();
    let mut run = 0;
    for t in turns {
        l.total += t;
        l.turned += t.abs();
        run = if t.signum() * run < 0 { t } else { run + t };
        if run.abs() > l.streak.abs() {
            l.streak = run;
        }
    }
    l
}

/// Advises the other direction after a long streak.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    for role in Role::BOTH {
        let l = ledger(s.layout.rows[role as usize].iter().map(|r| r.turn));
        if l.streak.abs() > LONG_STREAK {
            out.push(
                Problem::advice(
                    Rule::Turns,
                    Place {
                        role: Some(role),
                        ..Place::default()
                    },
                    format!(
                        "The {} turns {} eighths to the {} without a break.",
                        role_word(role),
                        l.streak.abs(),
                        side(l.streak)
                    ),
                )
                .suggest(format!(
                    "Put something that turns to the {} after it; mind dizziness.",
                    side(-l.streak)
                )),
            );
        }
    }
    out
}

/// The side of a turn in words.
pub(crate) fn side(turn: i32) -> &'static str {
    if turn > 0 { "left" } else { "right" }
}

#[cfg(test)]
mod tests {
    use super::super::testing::problems_after;
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_streak_ends_with_the_other_direction() {
        let l = ledger([2, 0, 3, -1, -4, 2]);
        assert_eq!((l.total, l.streak, l.turned), (2, 5, 12));
        assert_eq!(ledger([]), Ledger::default());
        assert_eq!(ledger([-3, 1, -3]).streak, -3);
    }

    #[test]
    fn a_long_streak_brings_advice() {
        let long = |turn| {
            problems_after("bolero-basic", move |d| {
                for e in &mut d.follower {
                    e.turn = turn;
                }
            })
            .iter()
            .any(|p| p.rule == Rule::Turns && p.sentence.contains("24 eighths to the left"))
        };
        assert!(long(4));
        assert!(!long(2));
    }

    proptest! {
        #[test]
        fn mirroring_negates_the_ledger(turns in proptest::collection::vec(-8..=8, 0..40)) {
            let a = ledger(turns.iter().copied());
            let b = ledger(turns.iter().map(|t| -t));
            prop_assert_eq!(a.total, -b.total);
            prop_assert_eq!(a.streak.abs(), b.streak.abs());
            prop_assert_eq!(a.turned, b.turned);
            prop_assert!(a.streak.abs() <= a.turned && a.total.abs() <= a.turned);
        }
    }
}
