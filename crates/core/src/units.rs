//! Small value types that keep unlike quantities apart.

use serde::{Deserialize, Serialize};

/// A moment of a clip: microseconds from the clip's first frame, as the container's time stamps say.
///
/// Never a frame number divided by a nominal rate: phones record at variable rates.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
#[serde(transparent)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema), schema(value_type = i64))]
pub struct MediaTime(pub i64);

impl MediaTime {
    /// From seconds; rounds to the nearest microsecond.
    pub fn from_secs(seconds: f64) -> Self {
        Self((seconds * 1e6).round() as i64)
    }

    /// In seconds.
    pub fn secs(self) -> f64 {
        self.0 as f64 / 1e6
    }

    /// Seconds from `earlier` to `self`; negative when `self` is before it.
    pub fn since(self, earlier: Self) -> f64 {
        (self.0 - earlier.0) as f64 / 1e6
    }
}

/// A number with its standard uncertainty (1σ), in the unit its owner states.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// Best value.
    pub value: f64,
    /// Standard uncertainty, ≥ 0, same unit.
    pub sigma: f64,
}

impl Estimate {
    /// A value with its standard uncertainty.
    pub fn new(value: f64, sigma: f64) -> Self {
        Self { value, sigma }
    }
}

/// What a figure is counted in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Unit {
    /// Metres.
    Metres,
    /// Degrees; for yaw, positive is a turn to the left seen from above.
    Degrees,
    /// Seconds.
    Seconds,
    /// A ratio of two like quantities.
    Ratio,
    /// A probability or share, 0..1.
    Share,
}

/// One of the two roles in a couple. A person may hold either.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum Role {
    /// Proposes the movement.
    Leader,
    /// Completes it.
    Follower,
}

impl Role {
    /// Both, leader first.
    pub const BOTH: [Self; 2] = [Self::Leader, Self::Follower];

    /// The other role.
    pub fn partner(self) -> Self {
        match self {
            Self::Leader => Self::Follower,
            Self::Follower => Self::Leader,
        }
    }

    /// As it is said: `leader`, `follower`.
    pub fn word(self) -> &'static str {
        match self {
            Self::Leader => "leader",
            Self::Follower => "follower",
        }
    }
}

/// A foot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum Foot {
    /// Left.
    #[serde(rename = "L")]
    Left,
    /// Right.
    #[serde(rename = "R")]
    Right,
}

impl Foot {
    /// The other foot.
    pub fn other(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
        }
    }

    /// +1 for left, −1 for right: the sign of Y in a dancer's own frame (X forward, Y to the left).
    pub fn side(self) -> f64 {
        match self {
            Self::Left => 1.0,
            Self::Right => -1.0,
        }
    }
}

/// An angle in degrees brought into (−180, 180].
pub fn wrap_degrees(angle: f64) -> f64 {
    let a = angle.rem_euclid(360.0);
    if a > 180.0 { a - 360.0 } else { a }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn angles_wrap_into_one_turn() {
        assert_eq!(wrap_degrees(190.0), -170.0);
        assert_eq!(wrap_degrees(-180.0), 180.0);
        assert_eq!(wrap_degrees(720.0), 0.0);
    }

    #[test]
    fn media_time_keeps_microseconds() {
        let t = MediaTime::from_secs(1.040_033);
        assert_eq!(t.0, 1_040_033);
        assert!((t.since(MediaTime(40_033)) - 1.0).abs() < 1e-12);
    }
}
