//! A draft laid out over its counts: rows of both roles and what the couple's hands do, as far as it
//! can be read.

use super::check::{Place, Problem};
use super::draft::{CoupleEntry, Draft};
use super::part::{ChartRow, unfold};
use super::vocabulary::{Hold, HoldVerb, Position, Rule};
use crate::count::{CountPattern, PatternError};
use crate::units::{Foot, Role};

/// Most counts of a figure.
const MOST_COUNTS: usize = 96;

/// A draft laid out.
#[derive(Debug, Clone, PartialEq)]
pub struct Layout {
    /// The counts.
    pub pattern: CountPattern,
    /// Rows by role, in order of counts.
    pub rows: [Vec<ChartRow>; 2],
    /// Position after each count, from the last one that names it.
    pub positions: Vec<Position>,
    /// Holds after each count, as far as the changes make sense.
    pub holds: Vec<Vec<Hold>>,
}

impl Layout {
    /// Lays a draft out. Problems stand beside a layout where one is possible; without readable
    /// counts there is none.
    pub fn of(draft: &Draft) -> (Option<Self>, Vec<Problem>) {
        let pattern = match CountPattern::parse(&draft.counts) {
            Ok(p) if p.marks.len() <= MOST_COUNTS => p,
            Ok(p) => {
                let sentence = format!(
                    "{} counts are more than one figure holds ({MOST_COUNTS}). Write it as two figures and join them in a routine.",
                    p.marks.len()
                );
                return (
                    None,
                    vec![Problem::stop(Rule::Counts, Place::default(), sentence)],
                );
            }
            Err(e) => {
                let count = match &e {
                    PatternError::Empty => None,
                    PatternError::Unknown { position, .. }
                    | PatternError::Backwards { position, .. } => Some(position - 1),
                };
                let at = Place {
                    count,
                    ..Place::default()
                };
                return (None, vec![Problem::stop(Rule::Counts, at, e.to_string())]);
            }
        };
        let mut problems = Vec::new();
        let stepped: Vec<(usize, bool)> = pattern
            .marks
            .iter()
            .enumerate()
            .filter(|(_, m)| !m.rest)
            .map(|(i, m)| (i, m.between))
            .collect();
        let rows = Role::BOTH.map(|role| role_rows(draft, role, &pattern, &stepped, &mut problems));
        let (positions, holds) = couple_states(draft, pattern.marks.len(), &mut problems);
        let layout = Self {
            pattern,
            rows,
            positions,
            holds,
        };
        (Some(layout), problems)
    }

    /// The row of a role on a count.
    pub fn row(&self, role: Role, count: usize) -> Option<&ChartRow> {
        self.rows[role as usize].iter().find(|r| r.count == count)
    }

    /// Foot that carries the weight before the first count: the one that does not step first.
    pub fn standing(&self, role: Role) -> Option<Foot> {
        self.rows[role as usize]
            .iter()
            .find(|r| r.action.takes_weight())
            .map(|r| r.foot.other())
    }

    /// Foot that carries the weight after the last count.
    pub fn last_standing(&self, role: Role) -> Option<Foot> {
        self.rows[role as usize]
            .iter()
            .rev()
            .find(|r| r.action.takes_weight())
            .map(|r| r.foot)
    }

    /// Total turn of a role, eighths, positive to the left.
    pub fn total_turn(&self, role: Role) -> i32 {
        self.rows[role as usize].iter().map(|r| r.turn).sum()
    }

    /// Position after the last count.
    pub fn last_position(&self, draft: &Draft) -> Position {
        self.positions
            .last()
            .copied()
            .unwrap_or(draft.start.position)
    }

    /// Holds after the last count, sorted.
    pub fn last_holds<'a>(&'a self, draft: &'a Draft) -> Vec<Hold> {
        let mut h = self.holds.last().unwrap_or(&draft.holds).clone();
        h.sort();
        h
    }
}

fn role_rows(
    draft: &Draft,
    role: Role,
    pattern: &CountPattern,
    stepped: &[(usize, bool)],
    problems: &mut Vec<Problem>,
) -> Vec<ChartRow> {
    let mut rows: Vec<ChartRow> = Vec::new();
    for (index, entry) in draft.entries(role).iter().enumerate() {
        let at = Place::row(role, entry.count);
        let mut report = |sentence: String| {
            problems.push(Problem::stop(Rule::Counts, at.clone(), sentence));
        };
        match pattern.marks.get(entry.count) {
            None => {
                report(format!(
                    "Row {} belongs to count number {}, but the figure has {} counts.",
                    index + 1,
                    entry.count + 1,
                    pattern.marks.len()
                ));
                continue;
            }
            Some(m) if m.rest => {
                report(format!(
                    "Count {} stands in brackets, so nothing is stepped on it. Take the brackets away or the step.",
                    pattern.spoken(entry.count)
                ));
                continue;
            }
            Some(_) => {}
        }
        if let Some(last) = rows.last().filter(|r| r.count >= entry.count) {
            report(match last.part {
                Some(part) => format!(
                    "Count {} already belongs to the {} that began above.",
                    pattern.spoken(entry.count),
                    part.word()
                ),
                None => "This count comes before the row above it, or twice.".to_owned(),
            });
            continue;
        }
        match unfold(entry, index, stepped) {
            Ok(more) => rows.extend(more),
            Err((wants, left)) => report(format!(
                "{} wants {wants} counts; from count {} on there are {left}.",
                entry.does.word(),
                pattern.spoken(entry.count)
            )),
        }
    }
    rows
}

/// Positions and holds after each count. What makes no sense is left out here and named by the check
/// of the holds.
fn couple_states(
    draft: &Draft,
    counts: usize,
    problems: &mut Vec<Problem>,
) -> (Vec<Position>, Vec<Vec<Hold>>) {
    let mut position = draft.start.position;
    let mut holds = draft.holds.clone();
    let (mut positions, mut all) = (Vec::with_capacity(counts), Vec::with_capacity(counts));
    let mut last: Option<usize> = None;
    for entry in &draft.couple {
        if entry.count >= counts || last.is_some_and(|l| l >= entry.count) {
            problems.push(Problem::stop(
                Rule::Counts,
                Place {
                    count: Some(entry.count.min(counts.saturating_sub(1))),
                    ..Place::default()
                },
                "The couple's part of this row belongs to a count that does not exist, or stands there twice.",
            ));
        }
        last = Some(entry.count);
    }
    for count in 0..counts {
        if let Some(entry) = draft.couple.iter().find(|c| c.count == count) {
            position = entry.position.unwrap_or(position);
            apply(entry, &mut holds);
        }
        positions.push(position);
        all.push(holds.clone());
    }
    (positions, all)
}

fn apply(entry: &CoupleEntry, holds: &mut Vec<Hold>) {
    for change in &entry.holds {
        match change.verb {
            HoldVerb::Take | HoldVerb::Catch if !holds.contains(&change.hold) => {
                holds.push(change.hold);
            }
            HoldVerb::Take | HoldVerb::Catch => {}
            HoldVerb::Release | HoldVerb::Throw => holds.retain(|h| *h != change.hold),
        }
    }
}
