//! An entry of the catalogue: what it judges, when, and what to say and do about it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Band;
use crate::chart::vocabulary::{Connection, Leg, Watchpoint};
use crate::chart::{Action, Chart, ChartRow, Direction, Family, FreeFoot, Position, style};
use crate::units::Role;

/// Whose a fault is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Who {
    /// Judged for each role.
    Each,
    /// Only the leader's.
    Leader,
    /// Only the follower's.
    Follower,
    /// Judged for the couple; whose it is is computed from both ways.
    Couple,
}

impl Who {
    /// The roles (or the couple, none) that it is judged for.
    pub fn roles(self) -> &'static [Option<Role>] {
        match self {
            Self::Each => &[Some(Role::Leader), Some(Role::Follower)],
            Self::Leader => &[Some(Role::Leader)],
            Self::Follower => &[Some(Role::Follower)],
            Self::Couple => &[None],
        }
    }

    /// Roles that can be told something about it.
    pub fn told(self) -> &'static [Role] {
        match self {
            Self::Each | Self::Couple => &Role::BOTH,
            Self::Leader => &[Role::Leader],
            Self::Follower => &[Role::Follower],
        }
    }
}

/// On which counts an entry judges.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum On {
    /// At the chart's stretch count.
    Stretch,
    /// Except where the chart brings the partners together.
    NotTogether,
    /// Except where the chart asks for compression.
    NotCompression,
    /// Where the chart keeps the partners at least seven tenths of their arms' reach apart.
    AtDistance,
    /// Where the chart keeps them at most nine tenths of it apart.
    InReach,
    /// Where the chart brings the partners nearer than on the count before.
    Closing,
    /// Except where one of the two turns by a quarter or more.
    NotTurning,
    /// Except where the figure itself asks for a value outside the fine band.
    Unasked,
    /// Where the dancer travels.
    Travelling,
    /// On steps that go forward or back.
    Walk,
    /// On steps that go forward.
    ForwardWalk,
    /// Where the chart collects the feet.
    Collect,
    /// Where the chart asks for a straight leg.
    StraightLeg,
    /// Where the chart asks for a soft one.
    SoftLeg,
}

impl On {
    fn holds(self, chart: &Chart, row: Option<&ChartRow>, count: usize) -> bool {
        let row_is = |f: &dyn Fn(&ChartRow) -> bool| row.is_some_and(f);
        match self {
            Self::Stretch => Some(count) == chart.stretch(),
            Self::NotTogether => !chart.together(count),
            Self::NotCompression => !chart
                .couple
                .iter()
                .any(|e| e.count == count && e.connection == Some(Connection::Compression)),
            Self::AtDistance => chart.reach(count) >= 0.7,
            Self::InReach => chart.reach(count) <= 0.9,
            Self::Closing => count
                .checked_sub(1)
                .is_some_and(|b| chart.reach(count) < chart.reach(b) - 0.03),
            Self::NotTurning => !Role::BOTH.iter().any(|role| {
                let row = chart.rows(*role).iter().find(|r| r.count == count);
                row.is_some_and(|r| r.turn.abs() >= 2)
            }),
            // Told from the readings.
            Self::Unasked => true,
            Self::Travelling => row_is(&|r| r.action == Action::Step && r.size >= 0.1),
            Self::Walk => row_is(&|r| {
                r.action == Action::Step
                    && matches!(r.direction, Direction::Forward | Direction::Back)
            }),
            Self::ForwardWalk => {
                row_is(&|r| r.action == Action::Step && r.direction == Direction::Forward)
            }
            Self::Collect => row_is(&|r| r.judge.contains(&Watchpoint::Collect)),
            Self::StraightLeg => row_is(&|r| r.leg == Some(Leg::Straight)),
            Self::SoftLeg => row_is(&|r| r.leg == Some(Leg::Soft)),
        }
    }
}

/// When an entry applies; what is empty or false asks for nothing.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Applies {
    /// Only in dances of these families.
    pub families: Vec<Family>,
    /// Only while the couple stand so.
    pub positions: Vec<Position>,
    /// Not while the couple stand so.
    pub not_positions: Vec<Position>,
    /// Only on counts for which all of these hold.
    pub on: Vec<On>,
    /// Only in figures danced along a slot.
    pub slotted: bool,
    /// Only in dances that stay at one height.
    pub level: bool,
    /// Only in dances that rise.
    pub rises: bool,
    /// Only in dances that track the free foot along the floor.
    pub tracked: bool,
}

impl Applies {
    /// Whether the entry judges this role (none: the couple) on this count (none: the whole repetition).
    pub fn to(&self, chart: &Chart, role: Option<Role>, count: Option<usize>) -> bool {
        let habits = style(&chart.dance);
        let position = count
            .and_then(|c| chart.layout().positions.get(c))
            .copied()
            .unwrap_or(chart.start.position);
        let row = count.and_then(|c| {
            let rows = chart.rows(role.unwrap_or(Role::Leader));
            rows.iter().find(|r| r.count == c)
        });
        (self.families.is_empty() || self.families.contains(&habits.family))
            && (!self.slotted || chart.slotted)
            && (!self.level || habits.level)
            && (!self.rises || habits.rises)
            && (!self.tracked || habits.feet == FreeFoot::Tracked)
            && (self.positions.is_empty() || self.positions.contains(&position))
            && !self.not_positions.contains(&position)
            && (self.on.iter()).all(|on| count.is_none_or(|c| on.holds(chart, row, c)))
    }
}

/// Whose cause it must be to explain an effect.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CauseOf))]
pub enum Whose {
    /// The same dancer's, or the couple's.
    Same,
    /// Either dancer's.
    Either,
}

/// An edge of the cause graph.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Cause {
    /// Id of the causing fault.
    pub fault: String,
    /// Whose it must be.
    pub whose: Whose,
    /// How much of the effect it usually makes, 0..1.
    pub weight: f64,
}

/// What makes a band wider or narrower.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "with", rename_all = "snake_case", deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Scale {
    /// From one tempo to another, beats a minute.
    Tempo {
        /// Where it begins.
        from: f64,
        /// Where it is whole.
        to: f64,
        /// Factor there.
        widen: f64,
    },
    /// With the difference of the partners' heights, metres.
    HeightDifference {
        /// Where it begins.
        from: f64,
        /// Where it is whole.
        to: f64,
        /// Factor there.
        widen: f64,
    },
    /// For couples in their first stage.
    FirstStage {
        /// Factor.
        widen: f64,
    },
}

/// An entry of the catalogue.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fault {
    /// `P1`, `S4`, …
    pub id: String,
    /// Posture, frame, connection, compression, rotation, feet, legs, timing.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub area: String,
    /// As a coach says it.
    pub name: String,
    /// Whose it is.
    pub who: Who,
    /// Id in the measure registry; none where only the coach's eye and hand can tell.
    #[serde(default)]
    pub measure: Option<String>,
    /// A measure of the same thing and unit, looked at where the first says nothing.
    #[serde(default)]
    pub otherwise: Option<String>,
    /// The measure of the couple that tells the leader's share of it.
    #[serde(default)]
    pub shared_by: Option<String>,
    /// Edges, in the measure's unit; none without a measure.
    #[serde(default)]
    pub band: Option<Band>,
    /// Why the band lies there, or why it matters.
    pub reason: String,
    /// When it applies.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub applies: Applies,
    /// What widens or narrows the band.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub scale: Vec<Scale>,
    /// 1 small, 2 middling, 3 grave.
    pub severity: u8,
    /// Someone can get hurt: comes before everything but a wrong foot.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub safety: bool,
    /// Who has it at one count of a repetition mostly has it at the others: an attitude of body or hold, no step.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub held: bool,
    /// What may cause it.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub caused_by: Vec<Cause>,
    /// What to say, by role.
    pub cue: BTreeMap<Role, String>,
    /// What to do, from alone to tempo.
    pub ladder: Vec<String>,
    /// What fine looks like.
    pub target: String,
    /// Shown wherever the fault or its drill is.
    #[serde(default)]
    pub caution: Option<String>,
}
