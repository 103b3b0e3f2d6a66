//! Hands: one place each, and the next is caught before the last is released.

use super::{Fix, Place, Problem, Sheet, throws};
use crate::chart::vocabulary::{Hold, HoldVerb, Rule};

/// Follows every hand through the figure.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    let mut held: Vec<Hold> = s.draft.holds.clone();
    let mut position = s.draft.start.position;
    if held.is_empty() && position.needs_hold() {
        out.push(
            Problem::stop(
                Rule::Holds,
                Place::field("holds"),
                format!("{} needs a hold.", position.word()),
            )
            .suggest("Write the holds at the start, or start apart."),
        );
    }
    for entry in &s.draft.couple {
        let at = Place::couple(entry.count);
        position = entry.position.unwrap_or(position);
        for (i, change) in entry.holds.iter().enumerate() {
            let hold = change.hold;
            if change.verb.joins() {
                if held.contains(&hold) {
                    out.push(Problem::stop(
                        Rule::Holds,
                        at.clone(),
                        format!("{hold} is held already."),
                    ));
                    continue;
                }
                for other in held.iter().filter(|o| o.shares_a_hand(hold)) {
                    let freed = entry.holds[i..]
                        .iter()
                        .any(|c| !c.verb.joins() && c.hold == *other);
                    if !freed {
                        out.push(
                            Problem::stop(
                                Rule::Holds,
                                at.clone(),
                                format!("{hold} needs a hand that still holds {other}."),
                            )
                            .suggest(format!("Release {other} on the same count, after {hold}.")),
                        );
                    }
                }
                held.push(hold);
            } else {
                if !held.contains(&hold) {
                    out.push(
                        Problem::stop(
                            Rule::Holds,
                            at.clone(),
                            format!("{hold} is not held here, so it cannot be let go."),
                        )
                        .suggest(format!("Held here: {}.", listed(&held))),
                    );
                    continue;
                }
                held.retain(|h| *h != hold);
                let caught_later = entry.holds[i + 1..]
                    .iter()
                    .any(|c| c.verb.joins() && (held.is_empty() || c.hold.shares_a_hand(hold)));
                if change.verb == HoldVerb::Release && caught_later {
                    out.push(
                        Problem::stop(
                            Rule::Holds,
                            at.clone(),
                            format!("{hold} is let go before the next hand has caught."),
                        )
                        .suggest("Take the new hold first, then release; or write throw.")
                        .fixed_by(Fix::JoinFirst { count: entry.count }),
                    );
                }
            }
        }
        if held.is_empty()
            && position.needs_hold()
            && !throws(s, entry.count)
            && !entry.holds.is_empty()
        {
            out.push(
                Problem::stop(
                    Rule::Holds,
                    at,
                    format!(
                        "After this the couple no longer touch, but stand {}.",
                        position.word()
                    ),
                )
                .suggest("Catch the next hold first, write throw, or say that they are apart."),
            );
        }
    }
    if held.is_empty()
        && position.needs_hold()
        && !s.draft.couple.is_empty()
        && !s.draft.holds.is_empty()
    {
        let last = s.layout.pattern.marks.len().saturating_sub(1);
        out.push(Problem::stop(
            Rule::Holds,
            Place::couple(last),
            format!("The figure ends {} without a hold.", position.word()),
        ));
    }
    out
}

/// Holds in words.
pub(crate) fn listed(holds: &[Hold]) -> String {
    if holds.is_empty() {
        return "nothing".into();
    }
    holds
        .iter()
        .map(Hold::to_string)
        .collect::<Vec<_>>()
        .join(", ")
}

#[cfg(test)]
mod tests {
    use super::super::check;
    use super::super::testing::{problems_after, stops};
    use super::*;
    use crate::chart::draft::{CoupleEntry, HoldChange};
    use crate::chart::{Position, chart};

    fn with(changes: &[(HoldVerb, &str)], position: Option<Position>) -> Vec<Problem> {
        let holds = changes
            .iter()
            .map(|(verb, hold)| HoldChange {
                verb: *verb,
                hold: Hold::read(hold).unwrap(),
            })
            .collect();
        problems_after("shag-basic", |d| {
            d.couple.retain(|c| c.count < 5);
            d.couple.push(CoupleEntry {
                count: 5,
                holds,
                position,
                ..CoupleEntry::default()
            });
        })
    }

    #[test]
    fn caught_before_released_passes() {
        use HoldVerb::{Release, Take};
        assert!(!stops(
            &with(&[(Take, "R-R"), (Release, "L-R")], None),
            Rule::Holds,
            ""
        ));
        assert!(stops(
            &with(&[(Release, "L-R"), (Take, "R-R")], None),
            Rule::Holds,
            "before the next hand has caught"
        ));
        assert!(stops(
            &with(&[(Take, "R-R")], None),
            Rule::Holds,
            "still holds L-R"
        ));
    }

    #[test]
    fn the_wrong_order_is_mended() {
        let mut d = chart("shag-basic").unwrap().draft().clone();
        d.couple.retain(|c| c.count < 5);
        d.couple.push(CoupleEntry {
            count: 5,
            holds: [(HoldVerb::Release, "L-R"), (HoldVerb::Take, "R-R")]
                .map(|(verb, h)| HoldChange {
                    verb,
                    hold: Hold::read(h).unwrap(),
                })
                .into(),
            ..CoupleEntry::default()
        });
        let found = check(&d).1;
        let fix = found.iter().find_map(|p| p.fix.clone()).unwrap();
        assert!(!stops(&check(&fix.apply(&d)).1, Rule::Holds, ""));
    }

    #[test]
    fn hands_that_are_not_there_are_named() {
        use HoldVerb::{Release, Take, Throw};
        assert!(stops(
            &with(&[(Release, "R-L")], None),
            Rule::Holds,
            "not held here"
        ));
        assert!(stops(
            &with(&[(Take, "L-R")], None),
            Rule::Holds,
            "held already"
        ));
        assert!(stops(
            &with(&[(Release, "L-R")], None),
            Rule::Holds,
            "no longer touch"
        ));
        assert!(!stops(
            &with(&[(Throw, "L-R")], Some(Position::Apart)),
            Rule::Holds,
            ""
        ));
        let p = problems_after("shag-basic", |d| d.holds.clear());
        assert!(stops(&p, Rule::Holds, "needs a hold"));
    }
}
