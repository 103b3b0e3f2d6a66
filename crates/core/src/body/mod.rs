//! A dancer's landmarks in pictures, and the body in three dimensions that explains them.

pub mod identity;
pub mod solve;
pub mod track;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::units::{Foot, MediaTime, Role};

/// The nineteen points marked on each dancer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
#[allow(missing_docs)]
pub enum Landmark {
    Nose,
    LeftShoulder,
    RightShoulder,
    LeftElbow,
    RightElbow,
    LeftWrist,
    RightWrist,
    LeftKnuckle,
    RightKnuckle,
    LeftHip,
    RightHip,
    LeftKnee,
    RightKnee,
    LeftAnkle,
    RightAnkle,
    LeftHeel,
    RightHeel,
    LeftToe,
    RightToe,
}

impl Landmark {
    /// All, in the order in which they are marked: feet first, since most measures need only them.
    pub const ALL: [Self; 19] = [
        Self::LeftHeel,
        Self::LeftToe,
        Self::RightHeel,
        Self::RightToe,
        Self::LeftHip,
        Self::RightHip,
        Self::LeftShoulder,
        Self::RightShoulder,
        Self::LeftElbow,
        Self::RightElbow,
        Self::LeftWrist,
        Self::RightWrist,
        Self::Nose,
        Self::LeftKnee,
        Self::RightKnee,
        Self::LeftAnkle,
        Self::RightAnkle,
        Self::LeftKnuckle,
        Self::RightKnuckle,
    ];

    /// Left and right of the legs, from the hips down.
    pub const LEGS: [[Self; 2]; 5] = [
        [Self::LeftHip, Self::RightHip],
        [Self::LeftKnee, Self::RightKnee],
        [Self::LeftAnkle, Self::RightAnkle],
        [Self::LeftHeel, Self::RightHeel],
        [Self::LeftToe, Self::RightToe],
    ];

    /// Left and right of the arms, from the shoulders down.
    pub const ARMS: [[Self; 2]; 4] = [
        [Self::LeftShoulder, Self::RightShoulder],
        [Self::LeftElbow, Self::RightElbow],
        [Self::LeftWrist, Self::RightWrist],
        [Self::LeftKnuckle, Self::RightKnuckle],
    ];

    /// Left and right of the trunk: shoulders and hips.
    pub const TRUNK: [[Self; 2]; 2] = [Self::ARMS[0], Self::LEGS[0]];

    /// Heel and toe of a foot.
    pub fn heel_toe(foot: Foot) -> [Self; 2] {
        match foot {
            Foot::Left => [Self::LeftHeel, Self::LeftToe],
            Foot::Right => [Self::RightHeel, Self::RightToe],
        }
    }

    /// Shoulder, elbow and wrist of a side.
    pub fn arm(side: Foot) -> [Self; 3] {
        match side {
            Foot::Left => [Self::LeftShoulder, Self::LeftElbow, Self::LeftWrist],
            Foot::Right => [Self::RightShoulder, Self::RightElbow, Self::RightWrist],
        }
    }
}

/// One dancer's landmarks at one frame, pixels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Pose {
    /// Whose.
    pub role: Role,
    /// The frame.
    pub at: MediaTime,
    /// Where each marked point is; points not marked are absent.
    #[cfg_attr(feature = "schema", schema(value_type = std::collections::HashMap<String, [f64; 2]>))]
    pub points: BTreeMap<Landmark, [f64; 2]>,
}

impl Pose {
    /// The pixels of several landmarks, if all are marked.
    pub fn pixels<const N: usize>(&self, which: [Landmark; N]) -> Option<[[f64; 2]; N]> {
        let mut out = [[0.0; 2]; N];
        for (slot, landmark) in out.iter_mut().zip(which) {
            *slot = *self.points.get(&landmark)?;
        }
        Some(out)
    }
}
