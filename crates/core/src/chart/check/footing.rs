//! The partners' feet against each other: natural opposites, and nobody steps on a standing foot.

use super::{Danced, Place, Problem, Sheet, foot_word};
use crate::chart::part::ChartRow;
use crate::chart::path::Standing;
use crate::chart::vocabulary::{Direction, Footing, Rule};
use crate::units::{Foot, Role};

/// Feet whose middles are nearer than this lie on one another: about a foot's breadth, metres.
const BREADTH: f64 = 0.085;

/// Furthest that two feet part in a step, as a share of standing height, with the body over
/// one of them.
const LUNGE: f64 = 0.50;

/// Checks both, and that nobody's own legs are asked too much.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    let mut expected = Footing::Opposite;
    for count in 0..s.layout.pattern.marks.len() {
        if let Some(f) = s
            .draft
            .couple
            .iter()
            .find(|c| c.count == count)
            .and_then(|c| c.footing)
        {
            expected = f;
        }
        let steps = Role::BOTH.map(|r| {
            s.layout
                .row(r, count)
                .filter(|row| row.action.takes_weight())
        });
        if let [Some(l), Some(f)] = steps {
            let fits = match expected {
                Footing::Opposite => l.foot != f.foot,
                Footing::Same => l.foot == f.foot,
                Footing::Either => true,
            };
            if !fits {
                out.push(
                    Problem::stop(
                        Rule::Footing,
                        Place::row(Role::Follower, count),
                        if expected == Footing::Same {
                            format!(
                                "On count {} the leader steps with the {} foot and the follower with the other, though same-feet is written.",
                                s.spoken(count),
                                foot_word(l.foot)
                            )
                        } else {
                            format!(
                                "On count {} both step with the {} foot.",
                                s.spoken(count),
                                foot_word(l.foot)
                            )
                        },
                    )
                    .suggest(
                        "If that is meant, write same-feet, opposite-feet or any-feet at the count where it begins.",
                    ),
                );
            }
        }
        for role in Role::BOTH {
            if let Some(row) = s.layout.row(role, count) {
                let parted = |d: &Danced| lunge(s, role, row, d.0[role as usize], &d.1[count + 1]);
                out.extend(s.danced.iter().find_map(parted));
            }
        }
        // Once for the couple of equal heights: feet are finer than what heights change.
        if let Some((_, moments)) = s.danced.first()
            && let Some(now) = moments.get(count + 1)
        {
            for role in Role::BOTH {
                let partner = &now[role.partner() as usize];
                let (Some(row), Some(standing)) = (s.layout.row(role, count), partner.weight)
                else {
                    continue;
                };
                out.extend(own_legs(s, role, row));
                let to = now[role as usize].stance.foot(row.foot);
                let there = partner.stance.foot(standing);
                let gap = (to[0] - there[0]).hypot(to[1] - there[1]);
                if row.action.takes_weight() && gap < BREADTH {
                    out.push(
                        Problem::stop(
                            Rule::Footing,
                            Place::row(role, count),
                            format!(
                                "On count {} the {}'s {} foot lands on the partner's standing foot.",
                                s.spoken(count),
                                super::role_word(role),
                                foot_word(row.foot)
                            ),
                        )
                        .suggest("Step beside it, shorter, or move the partner first."),
                    );
                }
            }
        }
    }
    out
}

/// A step longer than legs are.
fn lunge(
    s: &Sheet,
    role: Role,
    row: &ChartRow,
    height: f64,
    now: &[Standing; 2],
) -> Option<Problem> {
    let stance = now[role as usize].stance;
    let (l, r) = (stance.left, stance.right);
    let apart = (l[0] - r[0]).hypot(l[1] - r[1]);
    let most = LUNGE * height;
    (apart > most).then(|| {
        Problem::stop(
            Rule::Footing,
            Place::row(role, row.count),
            format!(
                "On count {} the {}'s feet are {:.0} cm apart, more than a long step of {:.0} cm.",
                s.spoken(row.count),
                super::role_word(role),
                100.0 * apart,
                100.0 * most
            ),
        )
        .suggest("Shorten the step, or let the partner travel less.")
    })
}

/// A foot that would go through the other leg.
fn own_legs(s: &Sheet, role: Role, row: &ChartRow) -> Option<Problem> {
    let through = matches!(
        (row.foot, row.direction),
        (Foot::Left, Direction::Right) | (Foot::Right, Direction::Left)
    );
    (through && row.size > 0.0).then(|| {
        Problem::stop(
            Rule::Footing,
            Place::row(role, row.count),
            format!(
                "On count {} the {}'s {} foot goes sideways through the standing leg.",
                s.spoken(row.count),
                super::role_word(role),
                foot_word(row.foot)
            ),
        )
        .suggest("Write cross-front or cross-behind, or a direction to the foot's own side.")
    })
}

#[cfg(test)]
mod tests {
    use super::super::testing::{problems_after, stops};
    use super::*;
    use crate::chart::draft::CoupleEntry;

    fn all_follower_feet_swapped(d: &mut crate::chart::Draft) {
        for e in &mut d.follower {
            e.foot = e.foot.other();
            e.direction = e.direction.map(crate::chart::Direction::mirrored);
        }
    }

    #[test]
    fn opposite_feet_pass_and_equal_ones_must_be_meant() {
        assert!(!stops(
            &problems_after("bolero-basic", |_| {}),
            Rule::Footing,
            ""
        ));
        let p = problems_after("bolero-basic", all_follower_feet_swapped);
        assert!(stops(&p, Rule::Footing, "both step with the left foot"));
        let p = problems_after("bolero-basic", |d| {
            all_follower_feet_swapped(d);
            d.couple.retain(|c| c.count > 0);
            d.couple.insert(
                0,
                CoupleEntry {
                    footing: Some(Footing::Same),
                    ..CoupleEntry::default()
                },
            );
        });
        assert!(!stops(&p, Rule::Footing, "both step"));
    }

    #[test]
    fn a_foot_does_not_go_through_the_own_leg() {
        let p = problems_after("bolero-basic", |d| {
            d.leader[0].direction = Some(Direction::Right);
        });
        assert!(stops(&p, Rule::Footing, "through the standing leg"));
        let p = problems_after("bolero-basic", |d| {
            d.leader[0].direction = Some(Direction::CrossFront);
        });
        assert!(!stops(&p, Rule::Footing, "through the standing leg"));
        let p = problems_after("bolero-basic", |d| d.leader[0].size = 1.4);
        assert!(stops(&p, Rule::Footing, "more than a long step"));
    }

    #[test]
    fn stepping_on_the_partner_is_seen() {
        let p = problems_after("bolero-basic", |d| {
            // The leader walks forward onto the foot on which the follower stays.
            d.leader[0].direction = Some(Direction::Forward);
            d.leader[0].size = 0.49;
            d.start.aside = Some(0.0);
            d.follower[0].size = 0.0;
            d.follower[0].direction = None;
        });
        assert!(stops(&p, Rule::Footing, "partner's standing foot"));
    }
}
