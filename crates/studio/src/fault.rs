//! Faults that a simulated couple can be asked to show: which, whose, how large, where and how often.

use rand::SeedableRng;
use rand::seq::SliceRandom;
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};
use upright_core::chart::vocabulary::{
    Action, Connection, Direction, HoldVerb, Level, Position, Watchpoint,
};
use upright_core::chart::{Chart, ChartRow, Hold};
use upright_core::units::{Role, Unit};

use crate::motion::open;
use crate::scenario::ScenarioError;

/// A fault shown on purpose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Shown {
    /// Which, an id of [`showable`].
    pub fault: String,
    /// Who shows it.
    pub role: Role,
    /// How much, in the fault's unit; absent for the usual amount.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<f64>,
    /// On which counts (indices into the chart's counts); empty for where it belongs.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub counts: Vec<usize>,
    /// Share of the repetitions that show it, 0..1.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    pub share: f64,
    /// Index of the fault in the same list that causes it: it shows in that one's repetitions.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub because: Option<usize>,
}

fn whole() -> f64 {
    1.0
}

#[allow(clippy::trivially_copy_pass_by_ref)] // what serde calls
fn is_whole(share: &f64) -> bool {
    *share == 1.0
}

impl Shown {
    /// The usual amount in every repetition, where it belongs.
    pub fn new(fault: &str, role: Role) -> Self {
        Self {
            fault: fault.to_owned(),
            role,
            size: None,
            counts: Vec::new(),
            share: 1.0,
            because: None,
        }
    }

    /// The same with another amount.
    #[must_use]
    pub fn of(mut self, size: f64) -> Self {
        self.size = Some(size);
        self
    }

    /// The same in a share of the repetitions.
    #[must_use]
    pub fn in_share(mut self, share: f64) -> Self {
        self.share = share;
        self
    }

    /// The same on these counts.
    #[must_use]
    pub fn on(mut self, counts: &[usize]) -> Self {
        self.counts = counts.to_vec();
        self
    }

    /// The same, caused by another one of the list.
    #[must_use]
    pub fn because(mut self, cause: usize) -> Self {
        self.because = Some(cause);
        self
    }
}

/// Who can show a fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum By {
    /// Either.
    Each,
    /// The leader.
    Leader,
    /// The follower.
    Follower,
}

impl By {
    /// Whether a role can show it.
    pub fn can_be(self, role: Role) -> bool {
        match self {
            Self::Each => true,
            Self::Leader => role == Role::Leader,
            Self::Follower => role == Role::Follower,
        }
    }
}

/// Where in a figure a fault belongs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum At {
    Whole,
    Stretch,
    Apart,
    Turning,
    TurningByHand,
    TurningInside,
    LastTurn,
    Still,
    Step,
    Travel,
    Back,
    Slot,
    InOpenHold,
    InClosedHold,
    InFrame,
    Facing,
    Compression,
    AfterStop,
    BeforeSend,
    Hang,
    Prep,
    Signal,
    HandChange,
    Overhead,
    ArmLock,
    Rise,
    NoRise,
    OtherRhythm,
}

/// A fault that can be asked for.
#[derive(Debug)]
pub struct Showable {
    /// As in the catalogue: `P1`, `S4`, …
    pub id: &'static str,
    /// What it looks like.
    pub name: &'static str,
    /// Unit of its size.
    pub unit: Unit,
    /// A size that is clear to the eye.
    pub usual: f64,
    /// Sizes that a body can show.
    pub range: [f64; 2],
    /// Who can show it.
    pub by: By,
    at: At,
}

macro_rules! showable {
    ($($id:literal $name:literal, $unit:ident $usual:literal ($low:literal..$high:literal) $by:ident $at:ident;)*) => {
        &[$(Showable {
            id: $id,
            name: $name,
            unit: Unit::$unit,
            usual: $usual,
            range: [$low, $high],
            by: By::$by,
            at: At::$at,
        }),*]
    };
}

/// Every fault of the catalogue that a simulated couple can show. What only a coach's hand feels (C11)
/// is not among them, and turning all one way (R9) is asked for by the figures that are danced.
const ALL: &[Showable] = showable! {
    "P1" "Leans back out of the hold", Degrees 9.0 (-25.0..25.0) Each Stretch;
    "P2" "Bends at the waist, hips out behind", Metres 0.12 (0.0..0.25) Each Whole;
    "P3" "Leans onto the partner", Degrees 10.0 (0.0..20.0) Each Whole;
    "P4" "Tilts to the side", Degrees 9.0 (-20.0..20.0) Each Whole;
    "P5" "Pokes the head forward", Metres 0.11 (0.0..0.2) Each Whole;
    "F1" "Runs the arms out straight", Degrees 172.0 (150.0..178.0) Each InOpenHold;
    "F2" "Collapses the arms", Degrees 52.0 (40.0..75.0) Each InOpenHold;
    "F3" "Drops the elbows", Metres 0.22 (0.1..0.3) Each InFrame;
    "F4" "Changes the frame while the body turns", Degrees 36.0 (0.0..60.0) Each TurningByHand;
    "F5" "Breaks the wrist", Degrees 45.0 (0.0..80.0) Each Whole;
    "F6" "Crowds the frame", Metres 0.6 (0.0..0.7) Each InOpenHold;
    "C1" "Stands outside the spring of the arms", Metres 0.48 (-0.5..0.5) Each InOpenHold;
    "C2" "Does not face the partner", Degrees 32.0 (-70.0..70.0) Each Facing;
    "C3" "Loses the offset of the closed hold", Metres 0.2 (-0.4..0.4) Each InClosedHold;
    "C4" "Lets a hand go before the other has caught", Seconds 0.3 (0.0..0.8) Each HandChange;
    "C5" "Leads before the partner is committed", Seconds 0.12 (0.0..0.25) Leader Travel;
    "C6" "Anticipates", Seconds 0.24 (0.0..0.3) Follower Travel;
    "C7" "Travels with more energy than the partner", Ratio 2.0 (1.0..3.0) Each Travel;
    "C8" "Takes the lead hand off the line", Metres 0.25 (-0.4..0.4) Leader Overhead;
    "C9" "Does not bring the hand down first", Share 1.0 (0.0..1.0) Leader ArmLock;
    "C10" "Brings the hand near the face", Metres 0.06 (0.02..0.2) Leader InOpenHold;
    "C12" "Gives the signal too late", Share 0.8 (0.0..2.0) Leader Signal;
    "K1" "Keeps the arm stiff in the compression", Degrees 1.0 (0.0..60.0) Each Compression;
    "K2" "Backs out of the compression", Metres 0.14 (0.0..0.3) Leader Compression;
    "K3" "Gives no stretch at the end", Metres 0.35 (0.0..0.6) Each Apart;
    "K4" "Keeps travelling after the stop", Metres 0.22 (0.0..0.4) Leader AfterStop;
    "K5" "Leaves the hang early", Metres 0.3 (0.0..0.5) Follower Hang;
    "K6" "Rushes back together", Metres 0.2 (0.0..0.4) Leader BeforeSend;
    "K7" "Sits back alone", Degrees 10.0 (0.0..20.0) Each Stretch;
    "R1" "Turns on a step that has no turn", Degrees 22.0 (-60.0..60.0) Each Still;
    "R2" "Turns too much in one step", Degrees 70.0 (-90.0..90.0) Each Turning;
    "R3" "Turns short or too far", Degrees -50.0 (-90.0..90.0) Each LastTurn;
    "R4" "Does not prepare the turn", Share 1.0 (0.0..1.0) Each Prep;
    "R5" "Turns with the arm first", Degrees 40.0 (0.0..70.0) Each TurningByHand;
    "R6" "Squares off too early", Share 0.9 (0.0..1.0) Each TurningInside;
    "R7" "Spins on a tilted axis", Degrees 11.0 (0.0..20.0) Each Turning;
    "R8" "Twists the body over a stuck foot", Degrees 45.0 (0.0..70.0) Each Turning;
    "R10" "Steps off the shared centre", Metres 0.22 (0.0..0.5) Each Turning;
    "R11" "Throws the feet round instead of the body", Degrees 26.0 (-60.0..60.0) Each Step;
    "R12" "Turns at an uneven pace", Share 0.8 (0.0..2.0) Each Turning;
    "S1" "Touches instead of stepping", Share 1.0 (1.0..1.0) Each Step;
    "S2" "Steps too long", Share 0.75 (-0.6..1.0) Each Travel;
    "S3" "Steps outward going back", Degrees 38.0 (-50.0..50.0) Each Back;
    "S4" "Leaves the slot", Metres 0.32 (-0.5..0.5) Each Slot;
    "S5" "Does not collect the feet", Metres 0.16 (0.0..0.3) Each Travel;
    "S6" "Lifts the feet", Metres 0.1 (0.0..0.25) Each Step;
    "S7" "Lands beside the partner's feet", Metres 0.18 (-0.3..0.3) Each InClosedHold;
    "S8" "Steps too close to the partner's feet", Metres -0.06 (-0.08..0.05) Each Travel;
    "S9" "Turns the feet out too far", Degrees 42.0 (-20.0..60.0) Each Whole;
    "S10" "Meets the floor with the wrong part of the foot", Share 1.0 (1.0..1.0) Each Travel;
    "S11" "Steps out from under the body while turning", Metres 0.35 (0.0..0.4) Each Turning;
    "S12" "Stands on the outer edge", Degrees 20.0 (0.0..30.0) Each Whole;
    "L1" "Bobs", Share 0.08 (0.0..0.12) Each NoRise;
    "L2" "Does not rise", Share 1.0 (0.0..1.0) Each Rise;
    "L3" "Drags the knees straight", Share 1.0 (0.0..1.0) Each Travel;
    "L4" "Arrives on a bent knee", Degrees 30.0 (0.0..50.0) Each Travel;
    "L5" "Moves jerkily", Metres 0.012 (0.0..0.03) Each Whole;
    "T1" "Late", Seconds 0.14 (-0.3..0.3) Each Whole;
    "T2" "Uneven", Seconds 0.12 (0.0..0.2) Each Whole;
    "T3" "Not together with the partner", Seconds 0.14 (-0.3..0.3) Each Whole;
    "T4" "Drags or rushes through the figure", Share 0.085 (-0.12..0.12) Each Whole;
    "T5" "Takes on the partner's syncopation", Seconds 0.1 (0.0..0.2) Each OtherRhythm;
};

/// Every fault that can be asked for.
pub fn showable() -> &'static [Showable] {
    ALL
}

impl Showable {
    /// Counts of a chart on which a role can show it; none where the figure has no place for it.
    pub fn counts(&self, chart: &Chart, role: Role) -> Vec<usize> {
        counts(self.at, chart, role)
    }
}

fn counts(at: At, chart: &Chart, role: Role) -> Vec<usize> {
    let rows = chart.rows(role);
    let all = 0..chart.pattern().marks.len();
    let layout = chart.layout();
    let of = |keep: &dyn Fn(&ChartRow) -> bool| -> Vec<usize> {
        rows.iter().filter(|r| keep(r)).map(|r| r.count).collect()
    };
    let watched = |role: Role, what: Watchpoint| {
        let row = chart.rows(role).iter().find(|r| r.judge.contains(&what));
        row.map(|r| r.count)
    };
    let whole_if = |fits: bool| {
        if fits {
            all.clone().collect()
        } else {
            Vec::new()
        }
    };
    let held = !chart.holds.is_empty();
    let opened = |c: &usize| open(layout.positions[*c]);
    let turns = |r: &ChartRow| r.turn != 0 && r.action.arrives();
    let travels = |r: &ChartRow| r.action == Action::Step && r.size >= 0.1;
    match at {
        At::Whole => all.collect(),
        At::Stretch => chart.stretch().into_iter().collect(),
        // Both feet must have come to where they stand.
        At::Apart => chart
            .stretch()
            .map(|stretch| {
                let mut till = of(&|r| r.action.arrives() && r.count <= stretch);
                till.split_off(till.len().saturating_sub(2))
            })
            .unwrap_or_default(),
        At::Turning => of(&turns),
        // A turn on the first counts would begin in what is danced before.
        At::TurningInside => {
            let early = rows.iter().any(|r| turns(r) && r.count < 2);
            let eighths: i32 = rows.iter().filter(|r| turns(r)).map(|r| r.turn.abs()).sum();
            if early || eighths < 4 {
                Vec::new()
            } else {
                of(&turns)
            }
        }
        At::TurningByHand => of(&|r| {
            let joined = |h: &Hold| matches!(h, Hold::Hands(..));
            turns(r) && opened(&r.count) && layout.holds[r.count].iter().any(joined)
        }),
        At::LastTurn => of(&turns).into_iter().next_back().into_iter().collect(),
        At::Still => of(&|r| r.turn == 0 && r.action.arrives() && !r.turns_freely)
            .into_iter()
            .nth(1)
            .into_iter()
            .collect(),
        At::Step => of(&|r| r.action.takes_weight()),
        At::Travel => of(&travels),
        // A step on which either turns has no direction of its own.
        At::Back => of(&|r| {
            let partner = chart.rows(role.partner());
            r.action == Action::Step
                && r.turn == 0
                && !partner.iter().any(|p| p.count == r.count && p.turn != 0)
                && r.size >= 0.15
                && matches!(
                    r.direction,
                    Direction::Back | Direction::BackLeft | Direction::BackRight
                )
        }),
        At::Slot => {
            let later: Vec<usize> = all.skip(1).collect();
            if chart.slotted { later } else { Vec::new() }
        }
        At::InOpenHold => {
            let open = all.filter(|c| held && opened(c) && !layout.holds[*c].is_empty());
            open.filter(|c| !chart.together(*c)).collect()
        }
        At::InClosedHold => all.filter(|c| !opened(c)).collect(),
        At::InFrame => whole_if(
            chart.start.position == Position::Closed && rows.iter().any(|r| r.level.is_some()),
        ),
        At::Facing => all
            .filter(|c| layout.positions[*c] == Position::OpenFacing && !chart.together(*c))
            .collect(),
        At::Compression => chart
            .couple
            .iter()
            .filter(|c| c.connection == Some(Connection::Compression))
            .map(|c| c.count)
            .collect(),
        At::AfterStop => watched(role, Watchpoint::Stop)
            .map(|stop| of(&|r| r.count > stop))
            .unwrap_or_default(),
        At::BeforeSend => watched(role, Watchpoint::Send)
            .map(|send| of(&|r| r.count < send && r.count > 0 && r.action.arrives()))
            .unwrap_or_default(),
        At::Hang => watched(role, Watchpoint::Hang).into_iter().collect(),
        At::Prep => of(&|r| r.judge.contains(&Watchpoint::Prep)),
        At::Signal => watched(role, Watchpoint::Signal).into_iter().collect(),
        At::HandChange => chart
            .couple
            .iter()
            .filter(|c| {
                c.holds.iter().any(|h| h.verb == HoldVerb::Release)
                    && c.holds.iter().any(|h| h.verb.joins())
            })
            .map(|c| c.count)
            .collect(),
        At::Overhead => overhead(chart),
        At::ArmLock => into_arm_lock(chart).into_iter().collect(),
        At::Rise => whole_if(rows.iter().any(|r| r.level == Some(Level::Rise))),
        At::NoRise => whole_if(rows.iter().all(|r| r.level.is_none())),
        At::OtherRhythm => {
            let own: Vec<usize> = of(&|r| r.action.takes_weight());
            let other = chart.rows(role.partner());
            let mut syncopated = other
                .iter()
                .filter(|r| r.action.takes_weight() && !own.contains(&r.count));
            whole_if(syncopated.next().is_some())
        }
    }
}

/// Counts on which one of the two turns under a single joined hand: at least a quarter a count and a
/// half in all.
pub(crate) fn overhead(chart: &Chart) -> Vec<usize> {
    let layout = chart.layout();
    let mut out = Vec::new();
    for role in Role::BOTH {
        let quick: Vec<&ChartRow> = chart
            .rows(role)
            .iter()
            .filter(|r| {
                r.turn.abs() >= 2
                    && open(layout.positions[r.count])
                    && layout.holds[r.count].len() == 1
            })
            .collect();
        if quick.iter().map(|r| r.turn).sum::<i32>().abs() >= 4 {
            out.extend(quick.iter().map(|r| r.count));
        }
    }
    out.sort_unstable();
    out.dedup();
    out
}

/// The count on which a figure comes into an arm-lock, if it does.
pub(crate) fn into_arm_lock(chart: &Chart) -> Option<usize> {
    let locked = |p: &Position| *p == Position::ArmLock;
    if locked(&chart.start.position) {
        return None;
    }
    chart.layout().positions.iter().position(locked)
}

/// A fault laid over the repetitions of what is danced.
#[derive(Debug)]
pub(crate) struct Laid {
    pub id: &'static str,
    pub role: Role,
    pub size: f64,
    /// Counts by repetition; empty where it does not show.
    pub counts: Vec<Vec<usize>>,
}

/// Lays all faults out over the repetitions' charts. A fault that none of the figures has a place for,
/// or that cannot be shown so, is refused.
pub(crate) fn lay(
    faults: &[Shown],
    charts: &[&'static Chart],
    seed: u64,
) -> Result<Vec<Laid>, ScenarioError> {
    let mut out: Vec<Laid> = Vec::new();
    for (i, f) in faults.iter().enumerate() {
        let refuse = |why: &str| ScenarioError::CannotShow(f.fault.clone(), why.to_owned());
        let kind = ALL
            .iter()
            .find(|k| k.id == f.fault)
            .ok_or_else(|| refuse("is no fault that can be shown"))?;
        let size = f.size.unwrap_or(kind.usual);
        if !(kind.range[0]..=kind.range[1]).contains(&size) {
            return Err(refuse(&format!(
                "can be shown from {} to {}",
                kind.range[0], kind.range[1]
            )));
        }
        if !kind.by.can_be(f.role) {
            return Err(refuse("is the other role's"));
        }
        if !(0.0..=1.0).contains(&f.share) {
            return Err(refuse("shows in a share of the repetitions from 0 to 1"));
        }
        let shows = match f.because {
            Some(cause) if cause < i => out[cause].counts.iter().map(|c| !c.is_empty()).collect(),
            Some(_) => return Err(refuse("must stand after the fault that causes it")),
            None => showing(charts.len(), f.share, seed ^ (f.role as u64)),
        };
        let mut counts = Vec::new();
        for (chart, shows) in charts.iter().zip(shows) {
            let all = chart.pattern().marks.len();
            if let Some(c) = f.counts.iter().find(|c| **c >= all) {
                return Err(refuse(&format!("cannot show on count {c} of {all}")));
            }
            counts.push(match (shows, f.counts.is_empty()) {
                (false, _) => Vec::new(),
                (true, true) => kind.counts(chart, f.role),
                (true, false) => f.counts.clone(),
            });
        }
        let nowhere = charts
            .iter()
            .all(|c| f.counts.is_empty() && kind.counts(c, f.role).is_empty());
        if nowhere {
            return Err(refuse("has no place in this figure"));
        }
        out.push(Laid {
            id: kind.id,
            role: f.role,
            size,
            counts,
        });
    }
    Ok(out)
}

/// In which repetitions: as many as the share says, spread by a draw of its own, so that the rest of
/// the dance does not change with the share.
fn showing(all: usize, share: f64, seed: u64) -> Vec<bool> {
    let many = (share * all as f64).round() as usize;
    let mut order: Vec<usize> = (0..all).collect();
    let mut rng = ChaCha8Rng::seed_from_u64(seed.rotate_left(17));
    order.shuffle(&mut rng);
    let mut shows = vec![false; all];
    for i in order.into_iter().take(many) {
        shows[i] = true;
    }
    shows
}
