//! A figure as it is written and exchanged. A draft may be wrong; a [`Chart`](super::Chart) is a draft
//! that has passed the checks.

use serde::{Deserialize, Serialize};

use super::vocabulary::{
    Action, Connection, Contact, CoupleWatchpoint, Direction, Footing, Hold, HoldVerb, Leg, Level,
    Part, Position, Practice, Rule, Watchpoint,
};
use crate::units::{Foot, Role};

fn is_default<T: Default + PartialEq>(v: &T) -> bool {
    *v == T::default()
}

fn half() -> f64 {
    0.5
}

fn four() -> u32 {
    4
}

fn first() -> u8 {
    1
}

/// What one role does on a count: an action of the foot, or a building block that begins here.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum Does {
    /// One action.
    Action(Action),
    /// A building block, which takes the counts after this one as well.
    Part(Part),
}

impl Does {
    /// As it is written.
    pub fn word(self) -> &'static str {
        match self {
            Self::Action(a) => a.word(),
            Self::Part(p) => p.word(),
        }
    }

    /// From how it is written.
    pub fn read(word: &str) -> Option<Self> {
        Action::read(word)
            .map(Self::Action)
            .or_else(|| Part::read(word).map(Self::Part))
    }
}

/// One role on one count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct StepEntry {
    /// Index into the chart's counts.
    pub count: usize,
    /// Which foot.
    pub foot: Foot,
    /// What it does.
    pub does: Does,
    /// Where to; absent for what stays, or for the block's usual direction.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub direction: Option<Direction>,
    /// Share of a full step, 0..1.5.
    #[serde(default, skip_serializing_if = "is_default")]
    pub size: f64,
    /// Steps of a walk, 2..16; only for it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub steps: Option<u8>,
    /// Turn of the body by the arrival, eighths of a turn, positive to the left; of a block, in all.
    #[serde(default, skip_serializing_if = "is_default")]
    pub turn: i32,
    /// The turn at the second stage, where it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub second_turn: Option<i32>,
    /// Turning here is allowed though none is charted.
    #[serde(default, skip_serializing_if = "is_default")]
    pub turns_freely: bool,
    /// First contact with the floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub contact: Option<Contact>,
    /// Rise or level.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub level: Option<Level>,
    /// The knee on arrival.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leg: Option<Leg>,
    /// What a judgement looks for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub judge: Vec<Watchpoint>,
}

impl StepEntry {
    /// A plain entry.
    pub fn new(count: usize, foot: Foot, does: Does) -> Self {
        Self {
            count,
            foot,
            does,
            direction: None,
            size: 0.0,
            steps: None,
            turn: 0,
            second_turn: None,
            turns_freely: false,
            contact: None,
            level: None,
            leg: None,
            judge: Vec::new(),
        }
    }
}

/// A change of a hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct HoldChange {
    /// What happens.
    pub verb: HoldVerb,
    /// To which hold.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub hold: Hold,
}

/// The couple on one count, after its steps.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct CoupleEntry {
    /// Index into the chart's counts.
    pub count: usize,
    /// Position reached here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<Position>,
    /// Holds that change here, in this order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub holds: Vec<HoldChange>,
    /// Connection expected from here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub connection: Option<Connection>,
    /// From here the partners use the same or opposite feet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub footing: Option<Footing>,
    /// What a judgement looks for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub judge: Vec<CoupleWatchpoint>,
    /// One gives weight to the other: a dip or drop.
    #[serde(default, skip_serializing_if = "is_default")]
    pub dip: bool,
    /// This count may be left out.
    #[serde(default, skip_serializing_if = "is_default")]
    pub optional: bool,
    /// This count may be repeated as long as the phrase asks.
    #[serde(default, skip_serializing_if = "is_default")]
    pub open_ended: bool,
}

/// How the couple stand before the first count.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Start {
    /// Position.
    pub position: Position,
    /// Distance between the partners, metres, for two people 1.70 m tall, 0.1..2.5: from the
    /// leader's to the follower's feet.
    pub gap: f64,
    /// How far the follower stands to the leader's left of straight ahead, metres, −1.5..1.5;
    /// absent for the usual place in this position.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub aside: Option<f64>,
}

/// A broken rule that is meant, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Exception {
    /// The rule.
    pub rule: Rule,
    /// Why it is meant.
    pub reason: String,
}

/// A comment line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Comment {
    /// Stands before this count; absent under the title.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<usize>,
    /// What it says.
    pub text: String,
}

/// A figure as it is written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Draft {
    /// Stable name, lower case with dashes.
    pub id: String,
    /// As coaches call it.
    pub name: String,
    /// The dance it belongs to.
    pub dance: String,
    /// What it is.
    #[serde(default)]
    pub about: String,
    /// What it is good for.
    #[serde(default)]
    pub good_for: String,
    /// The school it follows, where good teachers disagree.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub school: String,
    /// At which stage it is taught first: 1 or 2.
    #[serde(default = "first")]
    pub stage: u8,
    /// Who has the harder part.
    pub practice: Practice,
    /// Common faults: ids of the catalogue.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub faults: Vec<String>,
    /// What can hurt, and what to agree on first.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub caution: String,
    /// Counts over the beats, in the text form of [`CountPattern`](crate::count::CountPattern).
    pub counts: String,
    /// Beats of a bar.
    #[serde(default = "four")]
    pub meter: u32,
    /// Where `&` falls in its beat, 0.5..0.75.
    #[serde(default = "half")]
    pub swing: f64,
    /// Usual tempo, beats a minute.
    pub tempo: [f64; 2],
    /// Danced along one line of the floor.
    #[serde(default)]
    pub slotted: bool,
    /// How the couple stand before the first count.
    pub start: Start,
    /// Holds before the first count.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<String>))]
    pub holds: Vec<Hold>,
    /// The leader's entries, in order.
    pub leader: Vec<StepEntry>,
    /// The follower's entries, in order.
    pub follower: Vec<StepEntry>,
    /// The couple's entries, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub couple: Vec<CoupleEntry>,
    /// Broken rules that are meant.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exceptions: Vec<Exception>,
    /// Comment lines.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comments: Vec<Comment>,
}

impl Draft {
    /// A role's entries.
    pub fn entries(&self, role: Role) -> &[StepEntry] {
        match role {
            Role::Leader => &self.leader,
            Role::Follower => &self.follower,
        }
    }

    /// A role's entries, to change them.
    pub fn entries_mut(&mut self, role: Role) -> &mut Vec<StepEntry> {
        match role {
            Role::Leader => &mut self.leader,
            Role::Follower => &mut self.follower,
        }
    }

    /// Index of the first count at which the couple's judgement looks for something.
    fn couple_landmark(&self, which: CoupleWatchpoint) -> Option<usize> {
        self.couple
            .iter()
            .find(|c| c.judge.contains(&which))
            .map(|c| c.count)
    }

    /// By this count the partners have drawn apart.
    pub fn stretch(&self) -> Option<usize> {
        self.couple_landmark(CoupleWatchpoint::Stretch)
    }

    /// Whether the partners come together or pass on purpose on a count.
    pub fn together(&self, count: usize) -> bool {
        self.couple
            .iter()
            .any(|c| c.count == count && c.judge.contains(&CoupleWatchpoint::Together))
    }

    /// The figure with left and right exchanged throughout.
    pub fn mirrored(&self) -> Self {
        let mut m = self.clone();
        for entry in m.leader.iter_mut().chain(&mut m.follower) {
            entry.foot = entry.foot.other();
            entry.direction = entry.direction.map(Direction::mirrored);
            entry.turn = -entry.turn;
            entry.second_turn = entry.second_turn.map(|t| -t);
        }
        for c in &mut m.couple {
            c.position = c.position.map(Position::mirrored);
            for h in &mut c.holds {
                h.hold = h.hold.mirrored();
            }
        }
        for h in &mut m.holds {
            *h = h.mirrored();
        }
        m.start.aside = Some(-super::place::aside(&self.start));
        m.start.position = m.start.position.mirrored();
        m
    }

    /// The figure with the turns of the second stage.
    pub fn second_stage(&self) -> Self {
        let mut s = self.clone();
        for entry in s.leader.iter_mut().chain(&mut s.follower) {
            entry.turn = entry.second_turn.take().unwrap_or(entry.turn);
        }
        s
    }

    /// Whether a second stage is written.
    pub fn has_second_stage(&self) -> bool {
        self.leader
            .iter()
            .chain(&self.follower)
            .any(|e| e.second_turn.is_some())
    }
}
