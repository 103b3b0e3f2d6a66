//! Figures written down: what each role does on each count.

mod library;
mod path;

use serde::{Deserialize, Serialize};

pub use library::{chart, charts};
pub use path::{FloorStep, Stance, floor_path, start as start_stance, step_length};

use crate::count::{CountPattern, PatternError};
use crate::units::{Foot, Role};

/// What the foot does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Action {
    /// Travels and takes the weight.
    Step,
    /// Comes beside the standing foot and takes the weight.
    Close,
    /// Takes the weight back where it stands.
    Replace,
    /// Touches the floor without weight.
    Touch,
}

impl Action {
    /// Whether the support passes to this foot.
    pub fn takes_weight(self) -> bool {
        !matches!(self, Self::Touch)
    }
}

/// Direction relative to the dancer's own facing before the step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[allow(missing_docs)]
pub enum Direction {
    Forward,
    ForwardLeft,
    Left,
    BackLeft,
    Back,
    BackRight,
    Right,
    ForwardRight,
    InPlace,
}

impl Direction {
    /// Degrees counter-clockwise from ahead; `None` in place.
    pub fn degrees(self) -> Option<f64> {
        Some(match self {
            Self::Forward => 0.0,
            Self::ForwardLeft => 45.0,
            Self::Left => 90.0,
            Self::BackLeft => 135.0,
            Self::Back => 180.0,
            Self::BackRight => -135.0,
            Self::Right => -90.0,
            Self::ForwardRight => -45.0,
            Self::InPlace => return None,
        })
    }
}

/// How the couple stand to one another at the start.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Position {
    /// Facing, joined by hands.
    OpenFacing,
    /// Facing, bodies close, frame joined.
    Closed,
    /// Facing, chests joined.
    CloseEmbrace,
}

/// One role on one count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
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
    /// Share of the dancer's own full step, 0..1.5.
    #[serde(default)]
    pub size: f64,
    /// Turn of the body by the arrival, eighths of a turn, positive to the left.
    #[serde(default)]
    pub turn: i32,
}

/// Counts at which a judgement looks, as indices into the chart's counts.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Judging {
    /// By here the partners have drawn apart.
    #[serde(default)]
    pub stretch: Option<usize>,
    /// By here the leader has stopped travelling.
    #[serde(default)]
    pub stop: Option<usize>,
    /// At these the partners come together or pass on purpose, so their distance is not judged.
    #[serde(default)]
    pub together: Vec<usize>,
}

/// A figure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Chart {
    /// Stable name, lower case with dashes.
    pub id: String,
    /// As coaches call it.
    pub name: String,
    /// The dance it belongs to.
    pub dance: String,
    /// What it is good for.
    pub about: String,
    /// Counts over the beats, in the text form of [`CountPattern::parse`].
    pub counts: String,
    /// Where `&` falls in its beat.
    pub swing: f64,
    /// Usual tempo, beats a minute.
    pub tempo: [f64; 2],
    /// Danced along one line of the floor.
    pub slotted: bool,
    /// Position at the start.
    pub start: Position,
    /// Distance of the partners' feet centres at the start, metres, for two people 1.70 m tall.
    pub gap: f64,
    /// The leader's rows, in order.
    pub leader: Vec<ChartRow>,
    /// The follower's rows, in order.
    pub follower: Vec<ChartRow>,
    /// Where judgements look.
    #[serde(default)]
    pub judging: Judging,
}

/// What is wrong with a chart.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ChartError {
    /// Counts cannot be read.
    #[error("{chart}: {source}")]
    Counts {
        /// Which chart.
        chart: String,
        /// Why.
        source: PatternError,
    },
    /// A row out of place.
    #[error("{chart}, {role:?}, row {row}: {problem}")]
    Row {
        /// Which chart.
        chart: String,
        /// Whose row.
        role: Role,
        /// From 1.
        row: usize,
        /// What is wrong.
        problem: &'static str,
    },
}

impl Chart {
    /// The counts of one repetition.
    pub fn pattern(&self) -> Result<CountPattern, ChartError> {
        CountPattern::parse(&self.counts).map_err(|source| ChartError::Counts {
            chart: self.id.clone(),
            source,
        })
    }

    /// A role's rows.
    pub fn rows(&self, role: Role) -> &[ChartRow] {
        match role {
            Role::Leader => &self.leader,
            Role::Follower => &self.follower,
        }
    }

    /// Total turn of a role over one repetition, eighths, positive to the left.
    pub fn total_turn(&self, role: Role) -> i32 {
        self.rows(role).iter().map(|r| r.turn).sum()
    }

    /// Every problem of the chart: unreadable counts, rows out of order, a foot stepped twice.
    pub fn problems(&self) -> Vec<ChartError> {
        let pattern = match self.pattern() {
            Ok(p) => p,
            Err(e) => return vec![e],
        };
        let mut out = Vec::new();
        for role in Role::BOTH {
            let rows = self.rows(role);
            let mut report = |row: usize, problem| {
                out.push(ChartError::Row {
                    chart: self.id.clone(),
                    role,
                    row: row + 1,
                    problem,
                });
            };
            let mut standing: Option<Foot> = rows
                .iter()
                .rev()
                .find(|r| r.action.takes_weight())
                .map(|r| r.foot);
            for (i, row) in rows.iter().enumerate() {
                if row.count >= pattern.marks.len() {
                    report(i, "this count does not exist");
                } else if pattern.marks[row.count].rest {
                    report(i, "this count is in brackets, so nothing is stepped on it");
                }
                if i > 0 && rows[i - 1].count >= row.count {
                    report(i, "this count comes before the row above it");
                }
                if !(0.0..=1.5).contains(&row.size) {
                    report(i, "a step is between 0 and 1.5 of the dancer's own step");
                }
                if row.turn.abs() > 8 {
                    report(i, "more than one whole turn on one count");
                }
                if row.action.takes_weight() {
                    if standing == Some(row.foot) {
                        report(i, "this foot already carries the weight");
                    }
                    standing = Some(row.foot);
                }
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_library_holds_together() {
        let all = charts();
        assert!(all.len() >= 3);
        for c in all {
            assert_eq!(c.problems(), vec![], "{}", c.id);
        }
        let lines: Vec<String> = all
            .iter()
            .map(|c| {
                format!(
                    "{} · {} · {} · leader {} rows {:+} eighths · follower {} rows {:+} eighths",
                    c.id,
                    c.dance,
                    c.counts,
                    c.leader.len(),
                    c.total_turn(Role::Leader),
                    c.follower.len(),
                    c.total_turn(Role::Follower),
                )
            })
            .collect();
        insta::assert_snapshot!(lines.join("\n"));
    }

    #[test]
    fn a_foot_stepped_twice_is_named() {
        let mut c = charts()[0].clone();
        c.leader[1].foot = c.leader[0].foot;
        let problems = c.problems();
        assert!(
            problems
                .iter()
                .any(|p| p.to_string().contains("row 2: this foot already"))
        );
    }

    #[test]
    fn rows_out_of_place_are_named() {
        let mut c = charts()[0].clone();
        c.follower[2].count = 99;
        assert!(
            c.problems()
                .iter()
                .any(|p| p.to_string().contains("does not exist"))
        );
        c.counts = "1 oops".into();
        assert_eq!(c.problems().len(), 1);
    }
}
