//! Which foot carries the weight: feet alternate through every full weight change.

use super::{Fix, Place, Problem, Sheet, foot_word};
use crate::chart::vocabulary::{Action, Rule};
use crate::units::Role;

/// Checks that no step falls on the foot that already stands, and none is made with it.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    for role in Role::BOTH {
        let mut standing = s.layout.standing(role);
        let mut checked = None;
        for row in &s.layout.rows[role as usize] {
            let at = Place::row(role, row.count);
            let foot = foot_word(row.foot);
            let other = Fix::OtherFoot {
                role,
                entry: row.entry,
            };
            if let Some(on) = checked.take()
                && row.action.takes_weight()
                && row.foot == on
            {
                out.push(Problem::stop(
                    Rule::Weight,
                    at.clone(),
                    "After a check the weight goes back to the other foot.",
                ));
            }
            match row.action {
                Action::Swivel if standing.is_some_and(|f| f != row.foot) => out.push(
                    Problem::stop(
                        Rule::Weight,
                        at,
                        format!(
                            "The {foot} foot does not carry the weight here, so it cannot swivel."
                        ),
                    )
                    .suggest(format!(
                        "Swivel on the {} foot.",
                        foot_word(row.foot.other())
                    ))
                    .fixed_by(other),
                ),
                Action::Touch | Action::Brush | Action::Kick if standing == Some(row.foot) => out
                    .push(
                        Problem::stop(
                            Rule::Weight,
                            at,
                            format!(
                                "The {foot} foot carries the weight here, so it cannot {}.",
                                row.action.word()
                            ),
                        )
                        .suggest(format!("Use the {} foot.", foot_word(row.foot.other())))
                        .fixed_by(other),
                    ),
                a if a.takes_weight() => {
                    if standing == Some(row.foot) {
                        out.push(
                            Problem::stop(
                                Rule::Weight,
                                at,
                                format!(
                                    "The {}'s {foot} foot already carries the weight.",
                                    super::role_word(role)
                                ),
                            )
                            .suggest(format!(
                                "Step on the {} foot, or touch without weight before it.",
                                foot_word(row.foot.other())
                            ))
                            .fixed_by(other),
                        );
                    }
                    standing = Some(row.foot);
                    if a == Action::Check {
                        checked = Some(row.foot);
                    }
                }
                _ => {}
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::testing::{problems_after, stops};
    use super::super::{Fix, check};
    use super::*;
    use crate::chart::chart;
    use crate::units::Foot;

    #[test]
    fn a_foot_stepped_twice_is_named_and_mended() {
        let mut draft = chart("bolero-basic").unwrap().draft().clone();
        let good = draft.clone();
        assert!(!stops(&check(&good).1, Rule::Weight, ""));
        draft.leader[1].foot = Foot::Left;
        let found = check(&draft).1;
        let p = found.iter().find(|p| p.rule == Rule::Weight).unwrap();
        assert_eq!(p.at, Place::row(Role::Leader, 1));
        assert!(p.sentence.contains("left foot already carries"));
        assert!(matches!(p.fix, Some(Fix::OtherFoot { entry: 1, .. })));
        assert_eq!(p.fix.as_ref().unwrap().apply(&draft), good);
    }

    #[test]
    fn the_standing_foot_neither_touches_nor_is_swivelled_on_in_the_air() {
        let p = problems_after("bolero-basic", |d| {
            d.leader[2].does = crate::chart::Does::Action(Action::Swivel);
        });
        assert!(stops(&p, Rule::Weight, "cannot swivel"));
        let p = problems_after("bolero-basic", |d| {
            d.leader[2].foot = Foot::Right;
            d.leader[2].does = crate::chart::Does::Action(Action::Touch);
        });
        assert!(stops(&p, Rule::Weight, "cannot touch"));
    }
}
