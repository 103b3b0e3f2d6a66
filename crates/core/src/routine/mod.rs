//! Figures joined over the music's bars and phrases.
//!
//! [`report`](report::report) lays the figures one after the other in the room and checks every joint;
//! [`bridge`] finds what would fit between two that do not join.

mod bridge;
mod joint;
mod report;

use serde::{Deserialize, Serialize};

pub use bridge::{Bridge, bridges, fillers};
pub use joint::{End, Fit, Joint, join};
pub use report::{Alignment, LanePoint, Placed, Report, RoomStep, RoutineProblem, report};

use crate::chart::HoldChange;

/// Most figures of a routine.
pub const MOST_ITEMS: usize = 200;

/// Most repetitions of one figure.
pub const MOST_TIMES: u32 = 64;

/// A figure in a routine.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Item {
    /// Chart id.
    pub chart: String,
    /// How often, 1..64.
    pub times: u32,
    /// Hands that change before it, on the last count of what comes before.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub change: Vec<HoldChange>,
}

impl Item {
    /// Once, without a change of hands.
    pub fn once(chart: &str) -> Self {
        Self {
            chart: chart.to_owned(),
            times: 1,
            change: Vec::new(),
        }
    }
}

/// Figures in order, the music they lie on and the floor they take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Routine {
    /// Beats a minute, 40..300.
    pub tempo: f64,
    /// Beats of a bar, 2..6.
    pub meter: u32,
    /// Bars of a phrase, 1..32.
    pub phrase: u32,
    /// The floor's length and width, metres, 2..60.
    pub floor: [f64; 2],
    /// Where the middle of the couple starts, metres from the floor's corner along length and width.
    pub start: [f64; 2],
    /// Direction of the couple's line at the start, degrees from the floor's length, positive to the
    /// left.
    pub facing: f64,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// The figures.
    pub items: Vec<Item>,
}

impl Default for Routine {
    fn default() -> Self {
        Self {
            tempo: 120.0,
            meter: 4,
            phrase: 8,
            floor: [10.0, 8.0],
            start: [5.0, 4.0],
            facing: 0.0,
            heights: [1.75, 1.68],
            items: Vec::new(),
        }
    }
}

/// Why a routine cannot be laid out.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum RoutineError {
    /// A number out of its range.
    #[error("{what} lies between {low} and {high}.")]
    Range {
        /// What.
        what: &'static str,
        /// Least.
        low: f64,
        /// Most.
        high: f64,
    },
    /// Too many figures.
    #[error("A routine holds at most {MOST_ITEMS} figures, each at most {MOST_TIMES} times.")]
    TooLong,
    /// A figure that is not there.
    #[error(
        "Figure {0}, “{1}”, is not in the library any more. Take it out or choose another one."
    )]
    NoChart(usize, String),
}

impl Routine {
    /// Whether all numbers lie in their ranges.
    pub fn check(&self) -> Result<(), RoutineError> {
        let within = |what, value: f64, low, high| {
            if (low..=high).contains(&value) {
                Ok(())
            } else {
                Err(RoutineError::Range { what, low, high })
            }
        };
        within("The tempo in beats a minute", self.tempo, 40.0, 300.0)?;
        within(
            "The number of beats in a bar",
            f64::from(self.meter),
            2.0,
            6.0,
        )?;
        within(
            "The number of bars in a phrase",
            f64::from(self.phrase),
            1.0,
            32.0,
        )?;
        within("The direction in degrees", self.facing, -360.0, 360.0)?;
        for i in 0..2 {
            within("The floor in metres", self.floor[i], 2.0, 60.0)?;
            within(
                "The start on the floor in metres",
                self.start[i],
                0.0,
                self.floor[i],
            )?;
            within("A height in metres", self.heights[i], 1.0, 2.3)?;
        }
        let fits = |i: &Item| (1..=MOST_TIMES).contains(&i.times) && i.change.len() <= 8;
        if self.items.len() > MOST_ITEMS || !self.items.iter().all(fits) {
            return Err(RoutineError::TooLong);
        }
        Ok(())
    }
}
