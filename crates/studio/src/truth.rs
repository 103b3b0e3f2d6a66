//! What is true of a performance at each count, for tests and for the file beside a made clip.

use serde::{Deserialize, Serialize};
use upright_core::units::{Foot, MediaTime, Role};

use crate::marks::nearest;
use crate::motion::Performance;
use crate::scenario::Scenario;
use upright_core::body::Landmark;

/// A foot at a count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FootTruth {
    /// Whose.
    pub role: Role,
    /// Which.
    pub foot: Foot,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Heel, metres on the floor.
    pub heel: [f64; 2],
    /// Toe, metres on the floor.
    pub toe: [f64; 2],
    /// Heights of heel and toe over the floor, metres.
    pub up: [f64; 2],
}

/// The couple at a count on which both step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CountTruth {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Distance between the middles of the partners' feet, metres.
    pub separation: f64,
    /// Lean of each role's trunk from the vertical along its own facing, degrees, back is positive.
    pub lean: [f64; 2],
}

/// A finding that is right.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FindingTruth {
    /// Catalogue id.
    pub fault: String,
    /// Who shows it.
    pub role: Role,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Counts on which it shows, from 0.
    pub counts: Vec<usize>,
    /// How much, in the fault's unit.
    pub size: f64,
    /// The fault of this repetition that causes it: its id and whose it is; none for a root.
    pub because: Option<(String, Role)>,
}

/// Truth of a take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Truth {
    /// What was danced and filmed.
    pub scenario: Scenario,
    /// Every finding that is right, in the order of the scenario's faults.
    pub findings: Vec<FindingTruth>,
    /// Moments of the beats from the first 1 on, seconds.
    pub beats: Vec<f64>,
    /// Arrivals in seconds: role, repetition, count, moment.
    pub arrivals: Vec<(Role, u32, usize, f64)>,
    /// Feet at each dancer's arrivals.
    pub feet: Vec<FootTruth>,
    /// Couple at shared counts.
    pub counts: Vec<CountTruth>,
}

impl Truth {
    /// JSON Schema of the file, which holds the scenario's as well.
    #[cfg(feature = "schema")]
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Self).to_value()
    }

    /// Of a performance on a phone's clip with these frame times: bodies are taken at the frame nearest
    /// to each arrival, as marks are. Moments are those of the dance.
    pub fn of(performance: &Performance, phone: usize, frames: &[MediaTime]) -> Self {
        let phone = performance.phone(phone);
        let seen =
            |at: f64| nearest(frames, phone.shown(at)).map(|frame| phone.danced(frame.secs()));
        let mut feet = Vec::new();
        let mut arrivals = Vec::new();
        let mut counts = Vec::new();
        for role in Role::BOTH {
            for a in performance.arrivals(role) {
                arrivals.push((role, a.repetition, a.count, a.at));
                let Some(at) = seen(a.at) else {
                    continue;
                };
                let body = &performance.bodies(at)[role as usize];
                for foot in [Foot::Left, Foot::Right] {
                    let ends = Landmark::heel_toe(foot).map(|l| body.joint(l));
                    let [heel, toe] = ends.map(|p| p.xy().into());
                    feet.push(FootTruth {
                        role,
                        foot,
                        repetition: a.repetition,
                        count: a.count,
                        heel,
                        toe,
                        up: ends.map(|p| p.z),
                    });
                }
            }
        }
        for a in performance.arrivals(Role::Leader) {
            let partner = performance
                .arrivals(Role::Follower)
                .iter()
                .find(|f| (f.repetition, f.count) == (a.repetition, a.count));
            let (Some(f), Some(la)) = (partner, seen(a.at)) else {
                continue;
            };
            let Some(fa) = seen(f.at) else {
                continue;
            };
            let [leader, _] = performance.bodies(la);
            let [_, follower] = performance.bodies(fa);
            let apart =
                nalgebra::Vector2::from(leader.stand()) - nalgebra::Vector2::from(follower.stand());
            let lean = |b: &crate::Body| {
                let trunk = b.chest() - b.pelvis();
                -trunk.dot(&b.facing()).atan2(trunk.z).to_degrees()
            };
            counts.push(CountTruth {
                repetition: a.repetition,
                count: a.count,
                separation: apart.norm(),
                lean: [lean(&leader), lean(&follower)],
            });
        }
        Self {
            scenario: performance.scenario().clone(),
            findings: findings(performance),
            beats: (0..performance.beats())
                .map(|b| performance.grid().time_of(f64::from(b)).secs())
                .collect(),
            arrivals,
            feet,
            counts,
        }
    }
}

/// What is shown on purpose, and figures that turn all one way.
fn findings(performance: &Performance) -> Vec<FindingTruth> {
    let mut out = Vec::new();
    let asked = &performance.scenario().faults;
    for (laid, fault) in performance.faults().iter().zip(asked) {
        for (repetition, counts) in laid.counts.iter().enumerate() {
            if counts.is_empty() {
                continue;
            }
            out.push(FindingTruth {
                fault: laid.id.to_owned(),
                role: laid.role,
                repetition: repetition as u32,
                counts: counts.clone(),
                size: laid.size,
                because: fault
                    .because
                    .map(|i| (asked[i].fault.clone(), asked[i].role)),
            });
        }
    }
    for role in Role::BOTH {
        out.extend(all_one_way(performance, role));
    }
    out
}

/// More turns than this one way without one the other way are too many (catalogue: R9).
const ONE_WAY: f64 = 2.5;

/// Repetitions in which the running turn one way grows beyond what a head stands.
fn all_one_way(performance: &Performance, role: Role) -> Vec<FindingTruth> {
    let mut out: Vec<FindingTruth> = Vec::new();
    let mut streak = 0;
    for (repetition, chart) in performance.charts().enumerate() {
        for row in chart.rows(role) {
            if row.turn.signum() * streak < 0 {
                streak = 0;
            }
            streak += row.turn;
            let turns = f64::from(streak.abs()) / 8.0;
            if row.turn == 0 || turns <= ONE_WAY {
                continue;
            }
            match out.last_mut() {
                Some(last) if last.repetition == repetition as u32 => {
                    last.counts.push(row.count);
                    last.size = turns;
                }
                _ => out.push(FindingTruth {
                    fault: "R9".into(),
                    role,
                    repetition: repetition as u32,
                    counts: vec![row.count],
                    size: turns,
                    because: None,
                }),
            }
        }
    }
    out
}
