//! Building blocks and how they unfold into rows.

use serde::Serialize;

use super::draft::{Does, StepEntry};
use super::vocabulary::{Action, Contact, Direction, Leg, Level, Part, Watchpoint};
use crate::units::Foot;

/// One role on one count, every building block unfolded.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChartRow {
    /// Index into the chart's counts.
    pub count: usize,
    /// Which foot.
    pub foot: Foot,
    /// What it does.
    pub action: Action,
    /// Where to.
    pub direction: Direction,
    /// Share of a full step.
    pub size: f64,
    /// Turn of the body by the arrival, eighths of a turn, positive to the left.
    pub turn: i32,
    /// The same at the second stage.
    pub second_turn: i32,
    /// Turning here is allowed though none is charted.
    pub turns_freely: bool,
    /// First contact with the floor.
    pub contact: Option<Contact>,
    /// Rise or level.
    pub level: Option<Level>,
    /// The knee on arrival.
    pub leg: Option<Leg>,
    /// What a judgement looks for.
    pub judge: Vec<Watchpoint>,
    /// The block it belongs to.
    pub part: Option<Part>,
    /// The entry it comes from.
    pub entry: usize,
}

/// Share of a triple's third step in its first.
const LAST_OF_TRIPLE: f64 = 0.7;

/// A step of a block: action, direction and share of the given size, and whether the other foot does it.
struct Beat {
    other: bool,
    action: Action,
    direction: Direction,
    size: f64,
}

impl Part {
    /// Whether the block's steps may fall between beats; otherwise they fall on whole ones.
    fn between(self) -> bool {
        matches!(self, Self::Chasse | Self::Triple)
    }

    /// Direction when none is written.
    fn usual(self, foot: Foot) -> Direction {
        match (self, foot) {
            (Self::SideClose | Self::Chasse, Foot::Left) => Direction::Left,
            (Self::SideClose | Self::Chasse, Foot::Right) => Direction::Right,
            (Self::Rock | Self::HeelPull, _) => Direction::Back,
            (Self::Gather, _) => Direction::Collect,
            _ => Direction::Forward,
        }
    }

    fn beats(self, entry: &StepEntry) -> Vec<Beat> {
        let towards = entry.direction.unwrap_or_else(|| self.usual(entry.foot));
        let step = |other, share: f64| Beat {
            other,
            action: Action::Step,
            direction: towards,
            size: share * entry.size,
        };
        let stay = |other, action| Beat {
            other,
            action,
            direction: Direction::InPlace,
            size: 0.0,
        };
        match self {
            Self::Walk => (0..entry.steps.unwrap_or(2))
                .map(|i| step(i % 2 == 1, 1.0))
                .collect(),
            Self::SideClose => vec![step(false, 1.0), stay(true, Action::Close)],
            Self::Chasse => vec![
                step(false, 1.0),
                stay(true, Action::Close),
                step(false, 1.0),
            ],
            Self::Triple => vec![
                step(false, 1.0),
                stay(true, Action::Close),
                step(false, LAST_OF_TRIPLE),
            ],
            Self::Rock => vec![step(false, 1.0), stay(true, Action::Replace)],
            Self::CheckBack => vec![
                Beat {
                    action: Action::Check,
                    ..step(false, 1.0)
                },
                stay(true, Action::Replace),
            ],
            Self::PivotStep => vec![Beat {
                action: Action::Pivot,
                ..step(false, 1.0)
            }],
            Self::HeelPull => vec![step(false, 1.0), stay(true, Action::HeelTurn)],
            Self::Gather => vec![Beat {
                action: Action::Touch,
                ..step(false, 1.0)
            }],
        }
    }
}

/// The `i`-th of `n` shares of a whole number that add up to it; the same for −total, negated.
fn share(total: i32, i: usize, n: usize) -> i32 {
    let upto = |k: usize| (total.unsigned_abs() as usize * k / n) as i32;
    total.signum() * (upto(i + 1) - upto(i))
}

/// Unfolds an entry. `counts`: index and whether in between, of every count that is stepped.
/// Returns the rows, or how many counts the block wants and how many are left.
pub(super) fn unfold(
    entry: &StepEntry,
    index: usize,
    counts: &[(usize, bool)],
) -> Result<Vec<ChartRow>, (usize, usize)> {
    let row = |count, foot, action, direction, size, turn, second_turn, part| ChartRow {
        count,
        foot,
        action,
        direction,
        size,
        turn,
        second_turn,
        turns_freely: entry.turns_freely,
        contact: entry.contact,
        level: entry.level,
        leg: entry.leg,
        judge: entry.judge.clone(),
        part,
        entry: index,
    };
    let second = entry.second_turn.unwrap_or(entry.turn);
    match entry.does {
        Does::Action(action) => Ok(vec![row(
            entry.count,
            entry.foot,
            action,
            entry.direction.unwrap_or(Direction::InPlace),
            entry.size,
            entry.turn,
            second,
            None,
        )]),
        Does::Part(part) => {
            let beats = part.beats(entry);
            let n = beats.len();
            let on: Vec<usize> = counts
                .iter()
                .filter(|(c, between)| {
                    *c >= entry.count && (*c == entry.count || part.between() || !between)
                })
                .map(|(c, _)| *c)
                .take(n)
                .collect();
            if on.len() < n {
                return Err((n, on.len()));
            }
            // A heel turn and a rock turn where they turn, the others spread the turn over their steps.
            let turns = |total: i32, i: usize| match part {
                Part::HeelPull => total * i32::from(i == 1),
                _ => share(total, i, n),
            };
            Ok(beats
                .into_iter()
                .zip(on)
                .enumerate()
                .map(|(i, (b, count))| {
                    let foot = if b.other {
                        entry.foot.other()
                    } else {
                        entry.foot
                    };
                    let mut r = row(
                        count,
                        foot,
                        b.action,
                        b.direction,
                        b.size,
                        turns(entry.turn, i),
                        turns(second, i),
                        Some(part),
                    );
                    // What is written of contact, knee and landmarks is meant for the first step.
                    if i > 0 {
                        (r.contact, r.leg) = (None, None);
                        r.judge.clear();
                    }
                    r
                })
                .collect())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn counts() -> Vec<(usize, bool)> {
        // 1 & 2 3 & 4 5 6
        vec![
            (0, false),
            (1, true),
            (2, false),
            (3, false),
            (4, true),
            (5, false),
            (6, false),
            (7, false),
        ]
    }

    fn block(part: Part, count: usize, foot: Foot) -> StepEntry {
        StepEntry {
            size: 0.4,
            ..StepEntry::new(count, foot, Does::Part(part))
        }
    }

    #[test]
    fn a_triple_takes_the_count_between_and_shrinks() {
        let e = StepEntry {
            direction: Some(Direction::Back),
            turn: -2,
            ..block(Part::Triple, 3, Foot::Right)
        };
        let rows = unfold(&e, 0, &counts()).unwrap();
        let short: Vec<_> = rows
            .iter()
            .map(|r| (r.count, r.foot, r.action, r.turn))
            .collect();
        assert_eq!(
            short,
            [
                (3, Foot::Right, Action::Step, 0),
                (4, Foot::Left, Action::Close, -1),
                (5, Foot::Right, Action::Step, -1)
            ]
        );
        assert!((rows[2].size - 0.28).abs() < 1e-12);
    }

    #[test]
    fn a_walk_keeps_to_whole_counts() {
        let e = StepEntry {
            steps: Some(4),
            ..block(Part::Walk, 0, Foot::Left)
        };
        let rows = unfold(&e, 0, &counts()).unwrap();
        assert_eq!(
            rows.iter().map(|r| r.count).collect::<Vec<_>>(),
            [0, 2, 3, 5]
        );
        assert_eq!(rows[3].foot, Foot::Right);
    }

    #[test]
    fn a_block_that_does_not_fit_is_refused() {
        assert_eq!(
            unfold(&block(Part::Triple, 6, Foot::Left), 0, &counts()),
            Err((3, 2))
        );
    }

    #[test]
    fn shares_add_up_and_mirror() {
        for total in -9..=9 {
            for n in 1..5 {
                let all: Vec<i32> = (0..n).map(|i| share(total, i, n)).collect();
                assert_eq!(all.iter().sum::<i32>(), total);
                let mirrored: Vec<i32> = (0..n).map(|i| -share(-total, i, n)).collect();
                assert_eq!(all, mirrored);
            }
        }
    }

    #[test]
    fn a_heel_turn_turns_on_its_second_step() {
        let e = StepEntry {
            turn: -3,
            ..block(Part::HeelPull, 0, Foot::Left)
        };
        let rows = unfold(&e, 0, &counts()).unwrap();
        assert_eq!(rows[0].turn, 0);
        assert_eq!(
            (rows[1].turn, rows[1].action, rows[1].count),
            (-3, Action::HeelTurn, 2)
        );
    }
}
