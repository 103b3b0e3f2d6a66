//! A dancer's landmarks in pictures, and the body in three dimensions that explains them.

pub mod identity;
pub mod leads;
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

    /// The same point on the other side of the body; what lies in its middle has none but itself.
    pub fn other_side(self) -> Self {
        match Self::pair(self) {
            Some([left, right]) if left == self => right,
            Some([left, _]) => left,
            None => self,
        }
    }

    /// The same point on the other side of the body, if its pair is one of these.
    pub fn exchanged(self, pairs: &[[Self; 2]]) -> Option<Self> {
        let one = pairs.as_flattened().contains(&self);
        one.then(|| self.other_side())
    }

    /// 1 for what is on the left of the body, -1 for what is on its right, 0 in the middle.
    pub fn side(self) -> f64 {
        match Self::pair(self) {
            Some([left, _]) if left == self => 1.0,
            Some(_) => -1.0,
            None => 0.0,
        }
    }

    fn pair(self) -> Option<[Self; 2]> {
        let mut pairs = Self::ARMS.into_iter().chain(Self::LEGS);
        pairs.find(|pair| pair.contains(&self))
    }

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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_have_their_sides_and_what_lies_on_the_other_one() {
        for l in Landmark::ALL {
            assert_eq!(l.other_side().other_side(), l);
            assert_eq!(l.other_side().side(), -l.side(), "{l:?}");
        }
        assert_eq!(Landmark::LeftHip.other_side(), Landmark::RightHip);
        assert_eq!(Landmark::RightKnuckle.other_side(), Landmark::LeftKnuckle);
        assert_eq!(Landmark::Nose.other_side(), Landmark::Nose);
        assert_eq!(Landmark::LeftToe.side(), 1.0);
        let toe = Landmark::LeftToe;
        assert_eq!(toe.exchanged(&Landmark::LEGS), Some(Landmark::RightToe));
        assert_eq!(toe.exchanged(&Landmark::ARMS), None);
        assert_eq!(Landmark::Nose.exchanged(&Landmark::ARMS), None);
    }
}
