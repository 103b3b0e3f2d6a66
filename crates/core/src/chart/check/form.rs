//! The document itself: names, numbers in their ranges, texts that fit.

use super::{Place, Problem};
use crate::chart::draft::{Does, Draft};
use crate::chart::vocabulary::{Hold, Part, Rule};
use crate::fault::catalogue;
use crate::units::Role;

/// Longest texts, letters.
const NAME: usize = 80;
const TEXT: usize = 600;

/// Most lines of one kind.
const MOST: usize = 200;

/// Checks names, ranges and lengths.
pub(super) fn form(d: &Draft) -> Vec<Problem> {
    let mut out = Vec::new();
    let mut no = |key: &'static str, sentence: String| {
        out.push(Problem::stop(Rule::Form, Place::field(key), sentence));
    };
    if !is_id(&d.id) {
        no(
            "figure",
            format!(
                "“{}” is no short name. Use small letters a to z, digits and dashes, for example side-basic.",
                d.id
            ),
        );
    }
    for (key, text, least, most) in [
        ("figure", &d.name, 1, NAME),
        ("dance", &d.dance, 1, NAME),
        ("about", &d.about, 0, TEXT),
        ("good for", &d.good_for, 0, TEXT),
        ("school", &d.school, 0, TEXT),
        ("caution", &d.caution, 0, TEXT),
    ] {
        let long = text.chars().count();
        if long < least || text.trim().is_empty() && least > 0 {
            no(key, format!("Write the {key}."));
        }
        if long > most {
            no(
                key,
                format!("The {key} holds at most {most} letters; this has {long}."),
            );
        }
        if text.chars().any(char::is_control) || text.trim() != text {
            no(
                key,
                format!("The {key} is one line without blanks at its ends."),
            );
        }
    }
    let [low, high] = d.tempo;
    if !(40.0..=300.0).contains(&low) || !(40.0..=300.0).contains(&high) || low > high {
        no(
            "tempo",
            "The tempo goes from a slower to a faster number of beats a minute, between 40 and 300.".into(),
        );
    }
    if !(2..=6).contains(&d.meter) {
        no("meter", "A bar has 2 to 6 beats.".into());
    }
    if !(0.5..=0.75).contains(&d.swing) {
        no(
            "swing",
            "The & falls between 50 % (straight) and 75 % of its beat.".into(),
        );
    }
    if !(1..=2).contains(&d.stage) {
        no(
            "stage",
            "There are a first and a second stage: 1 or 2.".into(),
        );
    }
    if !(0.0..=2.5).contains(&d.start.gap) {
        no("gap", "The gap at the start is 0 to 250 cm.".into());
    }
    if d.start.aside.is_some_and(|a| !(-1.5..=1.5).contains(&a)) {
        no("aside", "The partner stands at most 150 cm aside.".into());
    }
    for id in &d.faults {
        if !catalogue().iter().any(|f| f.id == *id) {
            no("faults", format!("The catalogue has no fault “{id}”."));
        }
    }
    for e in &d.exceptions {
        if e.reason.trim().is_empty() || e.reason.chars().count() > TEXT {
            no(
                "except",
                format!(
                    "Say in at most {TEXT} letters why the {} is meant so.",
                    e.rule.word()
                ),
            );
        }
    }
    if [
        d.leader.len(),
        d.follower.len(),
        d.couple.len(),
        d.comments.len(),
    ]
    .iter()
    .any(|n| *n > MOST)
        || d.exceptions.len() + d.faults.len() + d.holds.len() > MOST
    {
        no(
            "figure",
            format!("A figure holds at most {MOST} rows of a kind."),
        );
    }
    for c in &d.comments {
        if c.text.chars().any(char::is_control) || c.text.chars().count() > TEXT {
            no(
                "figure",
                format!("A comment is one line of at most {TEXT} letters."),
            );
        }
    }
    let mut hands: Vec<Hold> = Vec::new();
    for h in &d.holds {
        if hands.iter().any(|o| o.shares_a_hand(*h)) {
            no(
                "holds",
                format!("At the start, {h} needs a hand that is elsewhere."),
            );
        }
        hands.push(*h);
    }
    for role in Role::BOTH {
        for e in d.entries(role) {
            let mut no = |sentence: &str| {
                out.push(Problem::stop(
                    Rule::Form,
                    Place::row(role, e.count),
                    sentence,
                ));
            };
            if !(0.0..=1.5).contains(&e.size) {
                no("A step is 0 to 150 % of a full one.");
            }
            if e.turn.abs() > 16 || e.second_turn.is_some_and(|t| t.abs() > 16) {
                no("More than two whole turns do not fit on one count.");
            }
            let walk = e.does == Does::Part(Part::Walk);
            if e.steps.is_some_and(|s| !walk || !(2..=16).contains(&s)) {
                no("Only a walk says how many steps it has: 2 to 16.");
            }
        }
    }
    out
}

/// Whether a text is a short name: a to z, digits, dashes, 2 to 48.
pub(crate) fn is_id(id: &str) -> bool {
    (2..=48).contains(&id.len())
        && id
            .bytes()
            .all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-')
        && !id.starts_with('-')
        && !id.ends_with('-')
}

#[cfg(test)]
mod tests {
    use super::super::testing::{problems_after, stops};
    use super::*;

    #[test]
    fn a_shipped_chart_has_a_sound_form() {
        assert!(!stops(
            &problems_after("shag-basic", |_| {}),
            Rule::Form,
            ""
        ));
    }

    #[test]
    fn what_is_out_of_range_is_named_at_its_line() {
        let p = problems_after("shag-basic", |d| {
            d.id = "Not Good".into();
            d.dance = " ".into();
            d.tempo = [150.0, 90.0];
            d.faults.push("Z9".into());
            d.start.gap = f64::NAN;
            d.leader[0].size = 3.0;
        });
        for (words, field) in [
            ("no short name", Some("figure")),
            ("Write the dance", Some("dance")),
            ("slower to a faster", Some("tempo")),
            ("no fault “Z9”", Some("faults")),
            ("0 to 250 cm", Some("gap")),
            ("150 %", None),
        ] {
            let found = p.iter().find(|p| p.sentence.contains(words));
            assert_eq!(found.map(|p| p.at.field), Some(field), "{words}");
        }
    }
}
