//! What is true of a performance at each count, for tests and for the file beside a made clip.

use serde::{Deserialize, Serialize};
use upright_core::units::{Foot, MediaTime, Role};

use crate::marks::nearest;
use crate::motion::{Performance, showing};
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

/// Truth of a take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Truth {
    /// What was danced and filmed.
    pub scenario: Scenario,
    /// Repetitions in which leader's and follower's habits show.
    pub showing: [Vec<bool>; 2],
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

    /// Of a performance on a clip with these frame times: bodies are taken at the frame nearest to
    /// each arrival, as marks are.
    pub fn of(performance: &Performance, frames: &[MediaTime]) -> Self {
        let mut feet = Vec::new();
        let mut arrivals = Vec::new();
        let mut counts = Vec::new();
        for role in Role::BOTH {
            for a in performance.arrivals(role) {
                arrivals.push((role, a.repetition, a.count, a.at));
                let Some(at) = nearest(frames, a.at) else {
                    continue;
                };
                let body = &performance.bodies(at.secs())[role as usize];
                for foot in [Foot::Left, Foot::Right] {
                    let [heel, toe] = Landmark::heel_toe(foot).map(|l| body.joint(l).xy().into());
                    feet.push(FootTruth {
                        role,
                        foot,
                        repetition: a.repetition,
                        count: a.count,
                        heel,
                        toe,
                    });
                }
            }
        }
        for a in performance.arrivals(Role::Leader) {
            let partner = performance
                .arrivals(Role::Follower)
                .iter()
                .find(|f| (f.repetition, f.count) == (a.repetition, a.count));
            let (Some(f), Some(la)) = (partner, nearest(frames, a.at)) else {
                continue;
            };
            let Some(fa) = nearest(frames, f.at) else {
                continue;
            };
            let [leader, _] = performance.bodies(la.secs());
            let [_, follower] = performance.bodies(fa.secs());
            let centre = |b: &crate::Body| {
                [
                    Landmark::LeftHeel,
                    Landmark::LeftToe,
                    Landmark::RightHeel,
                    Landmark::RightToe,
                ]
                .iter()
                .map(|l| b.joint(*l).xy().coords)
                .sum::<nalgebra::Vector2<f64>>()
                    / 4.0
            };
            let lean = |b: &crate::Body| {
                let mid = |l, r| nalgebra::center(&b.joint(l), &b.joint(r));
                let trunk = mid(Landmark::LeftShoulder, Landmark::RightShoulder)
                    - mid(Landmark::LeftHip, Landmark::RightHip);
                -trunk.dot(&b.facing()).atan2(trunk.z).to_degrees()
            };
            counts.push(CountTruth {
                repetition: a.repetition,
                count: a.count,
                separation: (centre(&leader) - centre(&follower)).norm(),
                lean: [lean(&leader), lean(&follower)],
            });
        }
        Self {
            scenario: performance.scenario().clone(),
            showing: Role::BOTH.map(|r| showing(performance.scenario(), r)),
            beats: (0..performance.pattern().beats * performance.scenario().repetitions)
                .map(|b| performance.grid().time_of(f64::from(b)).secs())
                .collect(),
            arrivals,
            feet,
            counts,
        }
    }
}
