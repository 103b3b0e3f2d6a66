//! What follows from a laid-out figure, for lists, searches and sheets.

use serde::Serialize;

use super::check::{Effort, Ledger, extent, ledger, shortfall, steps_per_second};
use super::draft::Draft;
use super::layout::Layout;
use super::path::{moments, relation};
use super::vocabulary::{Hold, Position};
use crate::units::{Foot, Role};

/// Kinds of holds, as figures are looked for; some are of several.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Handhold {
    /// Nothing is held.
    None,
    /// One hand in one hand, and nothing else.
    OneHand,
    /// Both hands in both hands.
    TwoHands,
    /// Left in left or right in right.
    SameHands,
    /// A hand on the partner's body.
    Embrace,
}

impl Handhold {
    fn of(holds: &[Hold]) -> Vec<Self> {
        let hands = holds
            .iter()
            .filter(|h| matches!(h, Hold::Hands(..)))
            .count();
        let kinds = [
            (Self::None, holds.is_empty()),
            (Self::OneHand, hands == 1 && holds.len() == 1),
            (Self::TwoHands, hands == 2),
            (
                Self::SameHands,
                holds
                    .iter()
                    .any(|h| matches!(h, Hold::Hands(a, b) if a == b)),
            ),
            (Self::Embrace, hands < holds.len()),
        ];
        kinds.into_iter().filter(|k| k.1).map(|k| k.0).collect()
    }
}

/// What follows from a figure at given heights.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Facts {
    /// Beats it fills.
    pub beats: u32,
    /// Counts on which leader and follower take weight, as spoken.
    pub rhythm: [String; 2],
    /// Turns of leader and follower.
    pub ledger: [Ledger; 2],
    /// Weight changes a second at the middle of the usual tempo.
    pub pace: [f64; 2],
    /// How hard it works.
    pub effort: Effort,
    /// Foot that carries the weight before the first count.
    pub standing: [Option<Foot>; 2],
    /// Foot that carries it after the last.
    pub last_standing: [Option<Foot>; 2],
    /// Position at the start.
    pub start: Position,
    /// Position at the end.
    pub end: Position,
    /// Holds at the start, sorted.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<String>))]
    pub start_holds: Vec<Hold>,
    /// Holds at the end, sorted.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<String>))]
    pub end_holds: Vec<Hold>,
    /// Kinds of the holds at either end.
    pub handholds: Vec<Handhold>,
    /// Whether it can follow itself: feet, position and holds are at the end as at the start.
    pub repeats: bool,
    /// Least and greatest distance of the bodies, metres.
    pub distance: [f64; 2],
    /// What is left of the arms at the tightest moment, metres; absent where nothing is held.
    pub spare: Option<f64>,
    /// Floor it takes along and across the start line, metres.
    pub floor: [f64; 2],
}

impl Facts {
    /// Of a laid-out draft for a couple of these heights, metres.
    pub fn of(draft: &Draft, layout: &Layout, heights: [f64; 2]) -> Self {
        let all = moments(draft, layout, heights);
        let bpm = 0.5 * (draft.tempo[0] + draft.tempo[1]);
        let beats = layout.pattern.beats;
        let rows = |r: Role| &layout.rows[r as usize];
        let mut start_holds = draft.holds.clone();
        start_holds.sort();
        let end_holds = layout.last_holds(draft);
        let end = layout.last_position(draft);
        let mut handholds = Handhold::of(&start_holds);
        handholds.extend(Handhold::of(&end_holds));
        handholds.sort();
        handholds.dedup();
        let standing = Role::BOTH.map(|r| layout.standing(r));
        let last_standing = Role::BOTH.map(|r| layout.last_standing(r));
        let distance = all
            .iter()
            .map(|m| relation(m).distance)
            .fold([f64::INFINITY, 0.0], |[l, h]: [f64; 2], d| {
                [l.min(d), h.max(d)]
            });
        let spare = all
            .iter()
            .enumerate()
            .flat_map(|(i, m)| {
                let holds = i.checked_sub(1).map_or(&draft.holds, |c| &layout.holds[c]);
                holds.iter().map(move |h| -shortfall(*h, m, heights))
            })
            .min_by(f64::total_cmp);
        let [low, high] = extent(&all);
        let pace = Role::BOTH.map(|r| steps_per_second(rows(r), beats, bpm));
        let effort = Role::BOTH
            .map(|r| {
                Effort::of(
                    pace[r as usize],
                    super::check::turn_per_second(rows(r), beats, bpm),
                )
            })
            .into_iter()
            .max()
            .unwrap_or(Effort::Calm);
        Self {
            beats,
            rhythm: Role::BOTH.map(|r| rhythm(layout, r)),
            ledger: Role::BOTH.map(|r| ledger(rows(r).iter().map(|row| row.turn))),
            pace,
            effort,
            standing,
            last_standing,
            start: draft.start.position,
            end,
            repeats: standing == last_standing
                && end == draft.start.position
                && end_holds == start_holds,
            start_holds,
            end_holds,
            handholds,
            distance,
            spare,
            floor: [0, 1].map(|i| high[i] - low[i]),
        }
    }
}

/// The counts of one role's weight changes, as spoken: what the other role does is left out.
fn rhythm(layout: &Layout, role: Role) -> String {
    layout.rows[role as usize]
        .iter()
        .filter(|r| r.action.takes_weight())
        .filter_map(|r| layout.pattern.marks.get(r.count))
        .map(|m| m.label.as_str())
        .collect::<Vec<_>>()
        .join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;

    #[test]
    fn the_basic_repeats_and_keeps_some_arm_in_hand() {
        let c = chart("shag-basic").unwrap();
        let f = Facts::of(c, c.layout(), [1.7, 1.7]);
        assert_eq!(f.beats, 6);
        assert_eq!(f.rhythm[0], "1 & 2 3 & 4 5 6");
        assert!(f.repeats);
        assert_eq!(f.standing, [Some(Foot::Right), Some(Foot::Left)]);
        assert!(f.spare.unwrap() > 0.05 && f.spare.unwrap() < 0.5);
        assert!(f.distance[1] > f.distance[0]);
        assert!(f.floor[0] > 1.2 && f.floor[0] < 2.5);
        assert_eq!(f.effort, Effort::Steady);
        assert_eq!(f.handholds, [Handhold::OneHand]);
    }

    #[test]
    fn holds_are_of_the_kinds_they_are_looked_for() {
        let kinds = |text: &str| {
            let holds: Vec<Hold> = text
                .split_whitespace()
                .map(|h| Hold::read(h).unwrap())
                .collect();
            Handhold::of(&holds)
        };
        assert_eq!(kinds(""), [Handhold::None]);
        assert_eq!(kinds("L-R"), [Handhold::OneHand]);
        assert_eq!(kinds("L-R R-L"), [Handhold::TwoHands]);
        assert_eq!(kinds("R-R"), [Handhold::OneHand, Handhold::SameHands]);
        assert_eq!(kinds("R-R L-L"), [Handhold::TwoHands, Handhold::SameHands]);
        assert_eq!(kinds("L-R R>back shoulder<L"), [Handhold::Embrace]);
    }
}
