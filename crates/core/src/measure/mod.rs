//! Quantities of the dance, each with its uncertainty, one module each, listed in [`REGISTRY`].

mod asked;
mod bobbing;
mod body;
mod couple;
mod detected;
mod elbow;
mod lean;
mod limit;
mod motion;
mod plane;
mod posture;
pub(crate) mod read;
mod rotation;
mod scene;
mod separation;
mod share;
mod slot;
mod speed;
mod spring;
mod step;
mod support;
mod timing;
mod turn;

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

use serde::{Deserialize, Serialize};

pub(crate) use detected::{Detected, SELDOM};
pub use limit::frame_limit;
pub(crate) use scene::lay_grid;
pub use scene::{CoupleBody, Scene, SceneError};

use crate::units::{Estimate, Likely, Role, Unit};

/// Largest standard error with which a place on the floor or a distance is told, metres: a quarter of the zone that fits
/// a couple's spring, and worse says nothing of a dance step.
pub const PLACE: f64 = 0.10;

/// What a measure could say.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "seen", rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Reading {
    /// A value with its uncertainty.
    Value(Estimate),
    /// This view cannot carry it.
    NotVisible {
        /// Why, in words.
        why: String,
    },
}

impl Reading {
    /// The value, where there is one.
    pub fn estimate(&self) -> Option<Estimate> {
        match self {
            Self::Value(e) => Some(*e),
            Self::NotVisible { .. } => None,
        }
    }
}

/// One reading of one measure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Measure {
    /// Which, an id of [`REGISTRY`].
    pub id: String,
    /// Whose; a measure of the couple has none.
    pub role: Option<Role>,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count of the chart, from 0; a measure over the whole repetition has none.
    pub count: Option<usize>,
    /// The reading.
    pub reading: Reading,
    /// What the figure itself asks for here, in the same unit, where its chart says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub asked: Option<f64>,
    /// What is known of each value, where a value and its standard error do not say it.
    #[serde(skip)]
    pub likely: Option<Likely>,
}

/// What a measure cannot do without.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Need {
    /// A count grid.
    Count,
    /// A calibrated floor.
    Floor,
    /// Arrivals marked.
    Steps,
    /// Heels and toes marked.
    Feet,
    /// Hips, shoulders or arms marked.
    Body,
    /// Bodies in space: hips, shoulders and feet known.
    Space,
    /// Bodies in space at every moment, not only at the counts.
    Dense,
}

/// An entry of the registry.
pub struct Spec {
    /// Stable id.
    pub id: &'static str,
    /// As a coach says it.
    pub name: &'static str,
    /// Unit of the value.
    pub unit: Unit,
    /// What a positive value means, or how the value is to be read.
    pub sign: &'static str,
    /// What it needs.
    pub needs: &'static [Need],
    /// How it is computed.
    pub source: &'static str,
    compute: fn(&Scene, &mut Vec<Measure>),
}

/// Every measure. A new one is a file and a line here.
pub const REGISTRY: &[Spec] = &[
    timing::ARRIVAL,
    timing::MEAN,
    timing::SCATTER,
    timing::TOGETHER,
    timing::DRIFT,
    share::LATE,
    support::SUPPORT,
    step::LENGTH,
    step::DIRECTION,
    slot::OFF_SLOT,
    separation::SEPARATION,
    separation::SHARE,
    share::APART,
    share::NEARER,
    turn::TURN,
    turn::UNCHARTED,
    turn::TOTAL,
    elbow::ELBOW,
    lean::LEAN,
    posture::LEAN_SIDE,
    posture::SHOULDER_TILT,
    posture::HIPS_BEHIND,
    posture::HEAD_AHEAD,
    posture::TWIST,
    posture::FRAME_WIDTH,
    posture::ELBOW_JOINED,
    posture::ELBOW_BENT,
    posture::ELBOW_DROP,
    posture::ELBOW_BEHIND,
    posture::ARM_OPEN,
    posture::WRIST,
    posture::FRAME_CHANGE,
    posture::KNEE,
    posture::TURNOUT,
    posture::UNDER_HIP,
    posture::FEET_AGAINST_BODY,
    posture::LEVEL,
    posture::RISE,
    speed::SPEED,
    couple::FACING_ERROR,
    couple::HIPS_APART,
    couple::LEAN_TOWARD,
    couple::LEAN_AWAY,
    share::LEAN,
    couple::LEAN_BALANCE,
    couple::OFFSET,
    couple::PARALLEL,
    couple::CROWDED,
    couple::FACE,
    couple::HAND_HEIGHT,
    couple::HAND_LOW_FIRST,
    couple::BETWEEN_FEET,
    couple::FEET_CLEAR,
    spring::CLOSING,
    spring::GIVE,
    spring::AFTER_STOP,
    spring::BEFORE_SEND,
    spring::LEFT_EARLY,
    rotation::STEP,
    rotation::MOST,
    rotation::STILL,
    rotation::PREPARATION,
    rotation::STUCK,
    rotation::AXIS,
    rotation::STREAK,
    rotation::CENTRE,
    rotation::SUM,
    rotation::EARLY,
    rotation::PACE,
    rotation::ARM_LED,
    motion::SMOOTH,
    motion::ENERGY,
    motion::LAG,
    motion::LIFT,
    motion::COLLECT,
    motion::KNEE_PASSING,
    bobbing::BOB,
    motion::HAND_OVERLAP,
];

/// The registry's entry with this id.
pub fn spec(id: &str) -> Option<&'static Spec> {
    REGISTRY.iter().find(|s| s.id == id)
}

/// Measures of a scene are worked out on at most so many cores.
const CORES: usize = 4;

/// All measures that the scene can carry, in the order of the registry.
pub fn measure(scene: &Scene) -> Vec<Measure> {
    let next = AtomicUsize::new(0);
    // Measures have nothing to do with each other: each core takes the next one.
    let some = || {
        let mut done = Vec::new();
        while let Some(spec) = REGISTRY.get(next.fetch_add(1, Ordering::Relaxed)) {
            let mut out = Vec::new();
            (spec.compute)(scene, &mut out);
            for m in &mut out {
                let role = m.role.unwrap_or(Role::Leader);
                m.asked = asked::asked(scene, &m.id, role, m.repetition, m.count);
            }
            done.push((spec.id, out));
        }
        done
    };
    let cores = thread::available_parallelism().map_or(1, |n| n.get().min(CORES));
    let mut done = thread::scope(|s| {
        let others: Vec<_> = (1..cores).map(|_| s.spawn(some)).collect();
        let mut done: BTreeMap<&str, Vec<Measure>> = some().into_iter().collect();
        for other in others {
            match other.join() {
                Ok(more) => done.extend(more),
                Err(broken) => std::panic::resume_unwind(broken),
            }
        }
        done
    });
    let in_order = REGISTRY.iter().filter_map(|spec| done.remove(spec.id));
    in_order.flatten().collect()
}

pub(crate) fn value(
    id: &str,
    role: Option<Role>,
    at: (u32, Option<usize>),
    estimate: Estimate,
) -> Measure {
    Measure {
        id: id.to_owned(),
        role,
        repetition: at.0,
        count: at.1,
        reading: Reading::Value(estimate),
        asked: None,
        likely: None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_unique() {
        let mut ids: Vec<_> = REGISTRY.iter().map(|s| s.id).collect();
        ids.sort_unstable();
        let n = ids.len();
        ids.dedup();
        assert_eq!(ids.len(), n);
    }
}
