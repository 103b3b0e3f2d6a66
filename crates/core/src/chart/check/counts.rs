//! Counts and beats: whether every count is danced and how the figure lies on the bars.

use super::{Place, Problem, Sheet};
use crate::chart::vocabulary::Rule;
use crate::units::Role;

/// Checks that somebody dances on every count, and says where the figure ends in the bar.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    for role in Role::BOTH {
        if s.layout.rows[role as usize].is_empty() {
            out.push(Problem::stop(
                Rule::Counts,
                Place {
                    role: Some(role),
                    ..Place::default()
                },
                format!(
                    "The {} does nothing in this figure.",
                    super::role_word(role)
                ),
            ));
        }
    }
    for (i, mark) in s.layout.pattern.marks.iter().enumerate() {
        let danced = Role::BOTH.iter().any(|r| s.layout.row(*r, i).is_some());
        let acted = s.draft.couple.iter().any(|c| c.count == i);
        if !mark.rest && !danced && !acted {
            out.push(
                Problem::stop(
                    Rule::Counts,
                    Place::couple(i),
                    format!("Nobody does anything on count {}.", s.spoken(i)),
                )
                .suggest("Put the count in brackets, or write “hold”."),
            );
        }
    }
    let beats = s.layout.pattern.beats;
    let over = beats % s.draft.meter.max(1);
    if over != 0 {
        out.push(Problem::advice(
            Rule::Counts,
            Place::default(),
            format!(
                "{beats} beats in bars of {}: the next figure begins on beat {} of its bar.",
                s.draft.meter,
                over + 1
            ),
        ));
    }
    for role in Role::BOTH {
        // An optional span must leave the feet as they were, or leaving it out breaks the next step.
        let steps = s.layout.rows[role as usize]
            .iter()
            .filter(|r| r.action.takes_weight())
            .filter(|r| {
                s.draft
                    .couple
                    .iter()
                    .any(|c| c.count == r.count && (c.optional || c.open_ended))
            })
            .count();
        if steps % 2 == 1 {
            let at = s.draft.couple.iter().find(|c| c.optional || c.open_ended);
            out.push(
                Problem::stop(
                    Rule::Counts,
                    Place {
                        role: Some(role),
                        count: at.map(|c| c.count),
                        field: None,
                    },
                    format!(
                        "The counts that may be left out or repeated hold {steps} steps of the {}; without them the next step falls on the wrong foot.",
                        super::role_word(role)
                    ),
                )
                .suggest("Mark an even number of steps."),
            );
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::Severity;
    use super::super::testing::{problems_after, stops};
    use super::*;
    use crate::chart::draft::CoupleEntry;

    #[test]
    fn a_full_figure_passes_and_says_where_the_next_begins() {
        let p = problems_after("shag-basic", |_| {});
        assert!(!stops(&p, Rule::Counts, ""));
        assert!(
            p.iter()
                .any(|p| p.severity == Severity::Advice && p.sentence.contains("begins on beat 3"))
        );
    }

    #[test]
    fn an_empty_count_is_named() {
        let p = problems_after("forro-base", |d| d.counts = "1 2 3 4 5 6 7 (8)".into());
        assert!(stops(&p, Rule::Counts, "on count 4"));
        let p = problems_after("forro-base", |d| d.counts = "1 2 (3) (4) 5 6 7 (8)".into());
        assert!(stops(&p, Rule::Counts, "stands in brackets"));
        let p = problems_after("forro-base", |d| d.counts = "1 2 x".into());
        assert!(stops(&p, Rule::Counts, "“x” (word 3)"));
        let p = problems_after("forro-base", |d| d.counts = "1 2 3".into());
        assert!(stops(&p, Rule::Counts, "the figure has 3 counts"));
    }

    #[test]
    fn what_may_be_left_out_keeps_the_feet() {
        let optional = |count| CoupleEntry {
            count,
            optional: true,
            ..CoupleEntry::default()
        };
        let p = problems_after("shag-basic", |d| {
            d.couple.retain(|c| c.count < 6);
            d.couple.push(optional(6));
        });
        assert!(stops(&p, Rule::Counts, "may be left out"));
        let p = problems_after("shag-basic", |d| {
            d.couple.retain(|c| c.count < 6);
            d.couple.extend([optional(6), optional(7)]);
        });
        assert!(!stops(&p, Rule::Counts, "may be left out"));
    }
}
