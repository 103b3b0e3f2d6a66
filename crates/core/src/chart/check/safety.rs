//! What can hurt, and whether the figure says what to agree on first.
//!
//! A program cannot see what two people have been taught. It asks for the caution to be written, and
//! defers to the floor's rules and to a qualified teacher.

use super::{Fix, Place, Problem, Sheet, foot_word, role_word};
use crate::chart::vocabulary::{Action, Position, Rule};
use crate::units::Role;

/// A turn on one foot from here on is a spin, eighths.
const SPIN: i32 = 5;

const ARM_LOCK: &str = "Shoulder: the hand goes down below the waist first and never up the back; let go at the first resistance. Only with a partner who knows the figure.";
const SPIN_CAUTION: &str = "Knee and balance: turn on the ball with the heel released, on a floor that lets the foot turn; stop when dizzy.";
const DIP: &str = "Only when both have agreed and have learned it with a teacher, with room on the floor; each keeps the own weight. Not with back, knee or pregnancy concerns without medical advice.";

/// Asks for the caution where a figure needs one.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    let mut ask = |at: Place, what: String, caution: &'static str| {
        let p = if s.draft.caution.is_empty() {
            Problem::stop(
                Rule::Safety,
                at,
                format!("{what} The figure needs its caution written."),
            )
            .suggest(format!("Write: {caution}"))
            .fixed_by(Fix::Caution(caution))
        } else {
            Problem::advice(Rule::Safety, at, what)
        };
        out.push(p);
    };
    if s.draft.start.position == Position::ArmLock {
        ask(
            Place::field("start"),
            "Starts with an arm behind the back.".into(),
            ARM_LOCK,
        );
    }
    for c in &s.draft.couple {
        if c.position == Some(Position::ArmLock) {
            ask(
                Place::couple(c.count),
                format!(
                    "An arm goes behind the back on count {}.",
                    s.spoken(c.count)
                ),
                ARM_LOCK,
            );
        }
        if c.dip {
            ask(
                Place::couple(c.count),
                format!(
                    "Weight is given to the partner on count {}.",
                    s.spoken(c.count)
                ),
                DIP,
            );
        }
    }
    for role in Role::BOTH {
        for r in &s.layout.rows[role as usize] {
            let turn = r.turn.abs().max(r.second_turn.abs());
            if turn >= SPIN && r.action != Action::Hold {
                ask(
                    Place::row(role, r.count),
                    format!(
                        "On count {} the {} turns {turn}/8 on the {} foot alone.",
                        s.spoken(r.count),
                        role_word(role),
                        foot_word(r.foot)
                    ),
                    SPIN_CAUTION,
                );
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::testing::{problems_after, stops};
    use super::super::{Severity, check};
    use super::*;
    use crate::chart::chart;

    #[test]
    fn a_calm_figure_needs_no_caution() {
        assert!(!stops(
            &problems_after("bolero-basic", |_| {}),
            Rule::Safety,
            ""
        ));
    }

    #[test]
    fn an_arm_behind_the_back_asks_for_its_caution_and_takes_it() {
        let mut d = chart("shag-basic").unwrap().draft().clone();
        d.caution.clear();
        d.couple[0].position = Some(Position::ArmLock);
        let found = check(&d).1;
        let p = found.iter().find(|p| p.rule == Rule::Safety).unwrap();
        assert_eq!(p.severity, Severity::Stops);
        let mended = check(&p.fix.as_ref().unwrap().apply(&d)).1;
        let p = mended.iter().find(|p| p.rule == Rule::Safety).unwrap();
        assert_eq!(p.severity, Severity::Advice);
    }

    #[test]
    fn spins_and_dips_are_flagged() {
        let p = problems_after("bolero-basic", |d| {
            d.caution.clear();
            d.follower[3].turn = 8;
        });
        assert!(stops(&p, Rule::Safety, "turns 8/8 on the left foot alone"));
        let p = problems_after("bolero-basic", |d| {
            d.caution.clear();
            d.couple.clear();
            d.couple.push(crate::chart::CoupleEntry {
                count: 5,
                dip: true,
                ..Default::default()
            });
        });
        assert!(stops(&p, Rule::Safety, "given to the partner"));
    }
}
