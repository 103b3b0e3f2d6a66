//! The position that a count names against where the two roles' steps and turns have brought them.

use super::{Fix, Place, Problem, Sheet, role_word};
use crate::chart::path::relation;
use crate::chart::place::{Misfit, NEAREST, WRITTEN_FOR, misfit};
use crate::chart::vocabulary::{Position, Rule};
use crate::units::Role;

/// Checks every count that names a position, and the last one; and that nobody stands in the other.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out: Vec<Problem> = Vec::new();
    let last = s.layout.pattern.marks.len().saturating_sub(1);
    for (heights, moments) in &s.danced {
        let scale = (heights[0] + heights[1]) / (2.0 * WRITTEN_FOR);
        for (i, now) in moments.iter().enumerate() {
            let r = relation(now);
            let Some(count) = i.checked_sub(1) else {
                if let Some(m) = misfit(s.draft.start.position, &r, scale) {
                    out.push(Problem::stop(
                        Rule::Position,
                        Place::field("start"),
                        format!("At the start: {}", words(s.draft.start.position, m)),
                    ));
                }
                continue;
            };
            let at = Place::couple(count);
            if out.iter().any(|p| p.at == at) {
                continue;
            }
            let named = s
                .draft
                .couple
                .iter()
                .find(|c| c.count == count)
                .and_then(|c| c.position);
            let position = named.or((count == last).then(|| s.layout.last_position(s.draft)));
            if let Some(m) = position.and_then(|p| misfit(p, &r, scale).map(|m| (p, m))) {
                let (position, m) = m;
                let rule = match m {
                    Misfit::Facing(_) => Rule::Turns,
                    _ => Rule::Position,
                };
                let p = Problem::stop(
                    rule,
                    at,
                    format!("After count {}: {}", s.spoken(count), words(position, m)),
                );
                out.push(match m {
                    Misfit::Facing(degrees) => mend(s, count, degrees, p),
                    _ => p,
                });
            } else if r.distance < 0.8 * NEAREST * scale {
                out.push(Problem::stop(
                    Rule::Position,
                    at,
                    format!(
                        "After count {} the partners stand in the same place, {:.0} cm apart.",
                        s.spoken(count),
                        100.0 * r.distance
                    ),
                ));
            }
        }
    }
    out
}

fn words(position: Position, m: Misfit) -> String {
    let name = position.word();
    match m {
        Misfit::TooFar(d) => format!("{:.0} cm too far apart for {name}.", 100.0 * d),
        Misfit::TooNear(d) => format!("{:.0} cm too close for {name}.", 100.0 * d),
        Misfit::Facing(d) => format!(
            "for {name} the follower lacks {} of turn to the {} (or the leader to the {}).",
            eighths(d),
            side(d),
            side(-d)
        ),
        Misfit::Beside(d) => format!("the follower is {d:.0}° out of the place that {name} has."),
    }
}

fn side(degrees: f64) -> &'static str {
    if degrees > 0.0 { "left" } else { "right" }
}

fn eighths(degrees: f64) -> String {
    let n = (degrees.abs() / 45.0).round().max(1.0);
    format!("{n}/8")
}

/// Offers the missing turn on the last step before the count of the role that turns more.
fn mend(s: &Sheet, count: usize, degrees: f64, p: Problem) -> Problem {
    let by = (degrees / 45.0).round() as i32;
    let role =
        if s.layout.total_turn(Role::Leader).abs() > s.layout.total_turn(Role::Follower).abs() {
            Role::Leader
        } else {
            Role::Follower
        };
    let by = if role == Role::Leader { -by } else { by };
    let row = s.layout.rows[role as usize]
        .iter()
        .rev()
        .find(|r| r.count <= count && r.turn != 0);
    match row {
        Some(row) if by != 0 => p
            .suggest(format!(
                "Let the {} turn {}/8 to the {} on count {}.",
                role_word(role),
                (row.turn + by).abs(),
                super::turns::side(row.turn + by),
                s.spoken(row.count)
            ))
            .fixed_by(Fix::Turn {
                role,
                entry: row.entry,
                by,
            }),
        _ => p,
    }
}

#[cfg(test)]
mod tests {
    use super::super::check;
    use super::super::testing::{problems_after, stops};
    use super::*;
    use crate::chart::chart;

    #[test]
    fn a_pass_ends_facing_and_a_short_turn_is_named_and_mended() {
        let mut d = chart("shag-pass").unwrap().draft().clone();
        assert!(!stops(&check(&d).1, Rule::Turns, ""));
        let i = d.follower.iter().position(|e| e.turn != 0).unwrap();
        let good = d.follower[i].turn;
        d.follower[i].turn -= 2;
        let found = check(&d).1;
        let p = found
            .iter()
            .find(|p| p.rule == Rule::Turns && p.fix.is_some())
            .unwrap();
        assert!(
            p.sentence.contains("2/8 of turn to the left"),
            "{}",
            p.sentence
        );
        assert!(!stops(
            &check(&p.fix.as_ref().unwrap().apply(&d)).1,
            Rule::Turns,
            ""
        ));
        assert!(good != 0);
    }

    #[test]
    fn a_position_that_is_not_reached_says_by_how_much() {
        let p = problems_after("shag-basic", |d| {
            let last = d.couple.len();
            d.couple[last - 1].position = Some(Position::Closed);
        });
        assert!(stops(&p, Rule::Position, "too far apart for closed"));
        let p = problems_after("shag-basic", |d| d.start.gap = 0.2);
        assert!(stops(&p, Rule::Position, "At the start"));
    }
}
