//! What the coach pointed at in one take, and the commands that change it.
//!
//! Marks are never stored as a whole by the interface: every change is a small [`MarkCommand`] in an
//! append-only log, so that undo reaches back to the first one and nothing is lost.

mod command;
mod history;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

pub use command::{MarkCommand, MarkError};
pub use history::{Entry, History, Travel};

use crate::body::Pose;
use crate::camera::FloorMark;
use crate::units::{Foot, MediaTime, Role};

/// Where the count comes from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "from", rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum CountSource {
    /// Tapped along.
    Taps {
        /// Moments of the taps.
        taps: Vec<MediaTime>,
        /// Which beat, counted from the first tap, is count 1.
        one: i32,
    },
    /// Typed tempo and the moment of one count 1.
    Tempo {
        /// Beats a minute.
        bpm: f64,
        /// A count 1.
        one: MediaTime,
    },
    /// Heard in the music, beat by beat: a tempo that drifts is followed.
    Heard {
        /// Every beat.
        beats: Vec<MediaTime>,
        /// Which of them, from 0, is count 1.
        one: i32,
        /// Where `&` is heard to fall, a share of the beat.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        swing: Option<f64>,
    },
}

/// A block of floor tiles or boards that serves as the reference.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Tiles {
    /// Of one tile or board, joint included, along the slot and across it, metres.
    pub size: [f64; 2],
    /// How many lie along the slot and across it.
    pub count: [u32; 2],
}

impl Tiles {
    /// Length and width of the block, metres.
    pub fn block(&self) -> [f64; 2] {
        [0, 1].map(|k| self.size[k] * f64::from(self.count[k]))
    }
}

/// The farther one of two parallel lines of which the reference consists.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct FarLine {
    /// Its length, metres.
    pub length: f64,
    /// How far its middle lies to the right of the nearer line's middle, metres.
    #[serde(default)]
    pub shift: f64,
}

/// The floor reference as laid out and marked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct FloorReference {
    /// Length along the slot or line of dance, metres.
    pub length: f64,
    /// Width across it, metres.
    pub width: f64,
    /// The tiles or boards that it consists of, where it is no tape.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tiles: Option<Tiles>,
    /// The farther line, where the reference is two parallel lines and no rectangle: `length` is then the nearer
    /// line's and `width` how far the two lie apart.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub far: Option<FarLine>,
    /// Whether the lens bends straight lines, as wide-angle ones do: its radial term is then found as well.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub bent: bool,
    /// The phone's field of view along the picture's longer side, degrees, where it is known.
    #[serde(default)]
    pub view: Option<f64>,
    /// Marked points: corners near left, near right, far right, far left as the phone sees them,
    /// then (optional) the middles of the near, right, far and left edges, each where it was marked.
    pub points: [Option<[f64; 2]>; 8],
}

impl FloorReference {
    /// A rectangle of a length and a width, metres, of which nothing is marked yet.
    pub fn rectangle(length: f64, width: f64) -> Self {
        Self {
            length,
            width,
            tiles: None,
            far: None,
            bent: false,
            view: None,
            points: [None; 8],
        }
    }

    /// Floor places of the eight points; the origin is half-way between the middles of the near and the far edge.
    pub fn places(&self) -> [[f64; 2]; 8] {
        let (l, w) = (self.length / 2.0, self.width / 2.0);
        let (f, s) = self.far.map_or((l, 0.0), |f| (f.length / 2.0, f.shift));
        // Half of the shift to each side.
        let (near, far) = (-0.5 * s, 0.5 * s);
        let corners = [[near - l, -w], [near + l, -w], [far + f, w], [far - f, w]];
        let middle = |a: usize, b: usize| [0, 1].map(|k| 0.5 * (corners[a][k] + corners[b][k]));
        let [a, b, c, d] = corners;
        [
            a,
            b,
            c,
            d,
            middle(0, 1),
            middle(1, 2),
            middle(2, 3),
            middle(3, 0),
        ]
    }

    /// The points marked so far with their floor places.
    pub fn marked(&self) -> Vec<FloorMark> {
        self.places()
            .iter()
            .zip(&self.points)
            .filter_map(|(floor, pixel)| {
                pixel.map(|pixel| FloorMark {
                    floor: *floor,
                    pixel,
                })
            })
            .collect()
    }
}

/// The moment at which a foot arrived, as the coach saw it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct StepMark {
    /// Whose.
    pub role: Role,
    /// Which foot.
    pub foot: Foot,
    /// The frame of arrival.
    pub at: MediaTime,
    /// Whether the weight passed to it.
    pub weight: bool,
}

/// Everything marked in one take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Marks {
    /// The figure danced, an id of the chart library.
    pub chart: Option<String>,
    /// Repetitions of the figure in the take.
    pub repetitions: u32,
    /// Where `&` falls; what is heard, or else the chart's own, when absent.
    pub swing: Option<f64>,
    /// The count.
    pub count: Option<CountSource>,
    /// The floor.
    pub floor: Option<FloorReference>,
    /// Landmarks, by time and role.
    pub poses: Vec<Pose>,
    /// Arrivals, by time and role.
    pub steps: Vec<StepMark>,
    /// Marks on further angles' pictures, by the angle's number from 2.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    #[cfg_attr(feature = "schema", schema(value_type = std::collections::HashMap<String, AngleMarks>))]
    pub angles: BTreeMap<u8, AngleMarks>,
    /// What the coach wants fixed first, where that is not what the program would say.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub order: Vec<FindingKey>,
}

/// Which finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FindingKey {
    /// Id in the catalogue.
    pub fault: String,
    /// Whose; none for the couple.
    pub role: Option<Role>,
}

/// What is marked on the picture of a further angle, in that clip's own time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct AngleMarks {
    /// The same floor reference as in the first angle: its points keep their numbers.
    pub floor: Option<FloorReference>,
    /// Landmarks, by time and role.
    pub poses: Vec<Pose>,
}

impl Marks {
    /// Where `&` falls for a figure, a share of the beat: as was said, as is heard, or as the figure has it.
    pub fn swing(&self, chart: f64) -> f64 {
        let heard = match &self.count {
            Some(CountSource::Heard { swing, .. }) => *swing,
            _ => None,
        };
        self.swing.or(heard).unwrap_or(chart)
    }

    /// The pose of a role at exactly this frame.
    pub fn pose(&self, role: Role, at: MediaTime) -> Option<&Pose> {
        self.poses.iter().find(|p| p.role == role && p.at == at)
    }

    /// The floor reference as it is marked on an angle's picture, 1 to 4. It is one and the same in every
    /// picture: its size is what the first angle says, where that one has it.
    pub fn floor_on(&self, angle: u8) -> Option<FloorReference> {
        if angle == 1 {
            return self.floor.clone();
        }
        let there = self.angles.get(&angle)?.floor.clone()?;
        let size = self.floor.as_ref().unwrap_or(&there);
        Some(FloorReference {
            length: size.length,
            width: size.width,
            far: size.far,
            ..there
        })
    }
}
