//! The text notation: one figure a block, one count a line, leader and follower side by side.
//!
//! ```text
//! figure bolero-basic: Basic
//!   dance: Bolero
//!   practice: both
//!   tempo: 88-104
//!   start: closed
//!   gap: 34 cm
//!   holds: L-R R>shoulder-blade upper-arm<L
//!   S | L step left 60%  | R step right 60%  |
//!   Q | R rock back 45%  | L rock forward 45% | closed
//!   Q | "                | "                  |
//! ```
//!
//! The whole grammar stands in `docs/formats/notation.md`.

mod cell;
mod print;
mod read;

pub use print::{print, print_all};
pub use read::{Lines, Reading, Written, read};

/// Longest text, bytes.
pub const MOST_BYTES: usize = 500_000;

/// A place in a text that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("Line {line}, column {column}: {}expected {expected}.", found_words(.found))]
pub struct SyntaxError {
    /// From 1.
    pub line: usize,
    /// From 1, in letters.
    pub column: usize,
    /// What stands there; empty at the end of a line.
    pub found: String,
    /// What could have stood there.
    pub expected: String,
}

fn found_words(found: &str) -> String {
    if found.is_empty() {
        String::new()
    } else {
        format!("found “{found}”, ")
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::chart::vocabulary::*;
    use crate::chart::{
        Comment, CoupleEntry, Does, Draft, Exception, HoldChange, Start, StepEntry, charts,
    };
    use crate::units::Foot;

    #[test]
    fn every_shipped_chart_prints_and_reads_back() {
        for c in charts() {
            let text = print(c.draft());
            let back = read(&text);
            assert_eq!(back.errors, vec![], "{text}");
            assert_eq!(&back.figures[0].draft, c.draft(), "{text}");
            assert_eq!(print(&back.figures[0].draft), text);
        }
    }

    #[test]
    fn a_figure_on_paper() {
        let c = crate::chart::chart("shag-pass").unwrap();
        insta::assert_snapshot!(print(c.draft()));
    }

    fn foot() -> impl Strategy<Value = Foot> {
        prop_oneof![Just(Foot::Left), Just(Foot::Right)]
    }

    fn of<T: Copy + std::fmt::Debug>(all: &'static [T]) -> impl Strategy<Value = T> {
        (0..all.len()).prop_map(|i| all[i])
    }

    fn maybe<T: Copy + std::fmt::Debug>(all: &'static [T]) -> impl Strategy<Value = Option<T>> {
        proptest::option::of(of(all))
    }

    fn hand() -> impl Strategy<Value = Hand> {
        prop_oneof![Just(Hand::Left), Just(Hand::Right)]
    }

    fn hold() -> impl Strategy<Value = Hold> {
        prop_oneof![
            (hand(), hand()).prop_map(|(a, b)| Hold::Hands(a, b)),
            (hand(), of(Spot::ALL)).prop_map(|(a, s)| Hold::LeaderOn(a, s)),
            (of(Spot::ALL), hand()).prop_map(|(s, b)| Hold::FollowerOn(s, b)),
        ]
    }

    prop_compose! {
        fn entry(count: usize)(
            foot in foot(),
            does in prop_oneof![of(Action::ALL).prop_map(Does::Action), of(Part::ALL).prop_map(Does::Part)],
            direction in maybe(Direction::ALL),
            size in 0u32..1500,
            steps in proptest::option::of(2u8..16),
            turn in -16i32..=16,
            second_turn in proptest::option::of(-16i32..=16),
            turns_freely in any::<bool>(),
            contact in maybe(Contact::ALL),
            level in maybe(Level::ALL),
            leg in maybe(Leg::ALL),
            judge in proptest::collection::vec(of(Watchpoint::ALL), 0..3),
        ) -> StepEntry {
            StepEntry { count, foot, does, direction, size: f64::from(size) / 1000.0, steps, turn,
                second_turn: second_turn.filter(|t| *t != turn), turns_freely, contact, level, leg, judge }
        }
    }

    prop_compose! {
        fn couple(count: usize)(
            position in maybe(Position::ALL),
            holds in proptest::collection::vec((of(HoldVerb::ALL), hold()), 0..3),
            connection in maybe(Connection::ALL),
            footing in maybe(Footing::ALL),
            judge in proptest::collection::vec(of(CoupleWatchpoint::ALL), 0..2),
            dip in any::<bool>(),
            optional in any::<bool>(),
            open_ended in any::<bool>(),
        ) -> CoupleEntry {
            let holds = holds.into_iter().map(|(verb, hold)| HoldChange { verb, hold }).collect();
            CoupleEntry { count, position, holds, connection, footing, judge, dip, optional, open_ended }
        }
    }

    fn words() -> impl Strategy<Value = String> {
        "[A-Za-zé,.:;|()&#\"<>]{1,9}( [A-Za-zé,.:;|()&#\"<>]{1,9}){0,3}"
    }

    prop_compose! {
        fn draft()(
            (id, name, dance, about, good_for, school, caution) in ("[a-z]{2,6}(-[a-z0-9]{1,4})?", words(), words(), words(), words(), words(), words()),
            (stage, practice, meter, swing, low, more, slotted) in (1u8..=2, of(Practice::ALL), 2u32..6, 50u32..75, 40u32..150, 0u32..150, any::<bool>()),
            (position, gap, aside) in (of(Position::ALL), 0u32..2500, proptest::option::of(-1500i32..1500)),
            holds in proptest::collection::vec(hold(), 0..3),
            leader in (entry(0), entry(2)),
            follower in (entry(1), entry(3)),
            pair in proptest::option::of(couple(2)),
            exceptions in proptest::collection::vec((of(Rule::ALL), words()), 0..2),
            comments in proptest::collection::vec((proptest::option::of(0usize..=4), words()), 0..3),
        ) -> Draft {
            let mut comments: Vec<Comment> = comments.into_iter().map(|(before, text)| Comment { before, text }).collect();
            comments.sort_by_key(|c| c.before);
            Draft {
                id, name, dance, about, good_for, school, stage, practice, caution,
                faults: vec!["P1".into(), "S4".into()],
                counts: "1 & (2) 3".into(),
                meter, swing: f64::from(swing) / 100.0,
                tempo: [f64::from(low), f64::from(low + more)],
                slotted,
                start: Start { position, gap: f64::from(gap) / 1000.0, aside: aside.map(|a| f64::from(a) / 1000.0) },
                holds,
                leader: vec![leader.0, leader.1],
                follower: vec![follower.0, follower.1],
                couple: pair.into_iter().filter(|c| *c != CoupleEntry { count: 2, ..CoupleEntry::default() }).collect(),
                exceptions: exceptions.into_iter().map(|(rule, reason)| Exception { rule, reason }).collect(),
                comments,
            }
        }
    }

    proptest! {
        #[test]
        fn any_draft_prints_and_reads_back(d in draft()) {
            let text = print(&d);
            let back = read(&text);
            prop_assert_eq!(&back.errors, &vec![], "{}", text);
            prop_assert_eq!(&back.figures[0].draft, &d, "{}", text);
            prop_assert_eq!(print(&back.figures[0].draft), text);
        }

        #[test]
        fn any_bytes_are_read_or_refused(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            let text = String::from_utf8_lossy(&bytes);
            let r = read(&text);
            // Every error points into the text, and there is at most one a line.
            for e in &r.errors {
                prop_assert!(e.line >= 1 && e.line <= text.lines().count().max(1));
                prop_assert!(e.column >= 1);
            }
            prop_assert!(r.errors.len() <= text.lines().count() + r.figures.len() * 4);
        }

        #[test]
        fn a_spoilt_chart_is_read_or_refused(which in 0usize..1000, at in 0.0..1.0f64, put in ".{0,4}", cut in 0usize..6) {
            let all = charts();
            let mut text: Vec<char> = print(all[which % all.len()].draft()).chars().collect();
            let start = ((text.len() as f64) * at) as usize;
            let end = (start + cut).min(text.len());
            text.splice(start..end, put.chars());
            let text: String = text.into_iter().collect();
            for w in read(&text).figures {
                // The checks take whatever the reader lets through.
                let _ = crate::chart::check::check(&w.draft);
            }
        }
    }

    #[test]
    fn a_text_without_end_is_refused_at_once() {
        let long = "1 | L step | R step |\n".repeat(100_000);
        let r = read(&long);
        assert!(r.figures.is_empty());
        assert!(r.errors[0].to_string().contains("at most"));
    }

    #[test]
    fn errors_name_line_column_and_what_was_expected() {
        let text = "figure a-b: Name\n  dance: Bolero\n  practice: both\n  tempo: 90-100\n  start: closed\n  gap: 34 cm\n  1 | L step sideways 40% | R step right |\n  2 | X close | L close | take L-Q\n";
        let e: Vec<String> = read(text).errors.iter().map(ToString::to_string).collect();
        insta::assert_snapshot!(e.join("\n"));
    }
}
