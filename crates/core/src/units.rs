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

    /// What was seen by itself, of a value that was also expected about 0 with a standard deviation of `expected`: what
    /// was expected drew the value towards 0 and narrowed its error (a normal density divided by that of what was
    /// expected). At least 0.4 of a value is taken to have been seen, where next to nothing was.
    pub fn seen_alone(self, expected: f64) -> Self {
        let own = (1.0 - (self.sigma / expected).powi(2)).max(LEAST_OWN);
        Self::new(self.value / own, self.sigma / own.sqrt())
    }
}

/// The least share of a value that is taken to have been seen and not expected.
const LEAST_OWN: f64 = 0.4;

/// How likely it is to see what was seen of a spread, by the true one at equal steps; all of it times any factor.
#[derive(Debug, Clone, PartialEq)]
pub struct Likely {
    /// The first value, in the measure's unit.
    pub from: f64,
    /// From one value to the next.
    pub step: f64,
    /// Of each value, ≥ 0.
    pub each: Vec<f64>,
    /// Standard errors of the readings whose spread about their mean it is, > 0, in the measure's unit.
    pub errors: Vec<f64>,
}

impl Likely {
    /// The values with how likely they are, 1 in all; all alike where nothing is likely.
    pub fn values(&self) -> impl Iterator<Item = (f64, f64)> + '_ {
        let sum: f64 = self.each.iter().sum();
        let alike = 1.0 / self.each.len() as f64;
        let share = move |l: &f64| if sum > 0.0 { l / sum } else { alike };
        (0..)
            .map(f64::from)
            .zip(&self.each)
            .map(move |(i, l)| (self.from + i * self.step, share(l)))
    }

    /// What is to be expected of readings with the same errors if their spread is `spread`: squares of the deviations as
    /// large as they are in half of all cases (the median of a chi-square; Wilson, Hilferty (1931), Proc. Natl. Acad.
    /// Sci. 17), about a mean that is not known (Patterson, Thompson (1971), Biometrika 58). That a reading may be a
    /// stray is left out.
    #[must_use]
    pub fn expected_at(&self, spread: f64) -> Self {
        let log = |value: f64| {
            let [mut sum, mut logs, mut off, mut shared] = [0.0; 4];
            let free = (self.errors.len() as f64 - 1.0).max(1.0);
            let usual = (1.0 - 2.0 / (9.0 * free)).powi(3);
            for error in &self.errors {
                let weight = 1.0 / (value * value + error * error);
                let square = weight * (spread * spread + error * error);
                sum += weight;
                logs -= weight.ln();
                off += square;
                shared += weight * square;
            }
            -0.5 * (logs + sum.ln() + usual * (off - shared / sum))
        };
        let values = (0..self.each.len()).map(|i| self.from + self.step * i as f64);
        let logs: Vec<f64> = values.map(log).collect();
        let top = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        Self {
            each: logs.iter().map(|l| (l - top).exp()).collect(),
            ..self.clone()
        }
    }

    /// The same values, all as likely.
    pub fn saying_nothing(&self) -> Self {
        Self {
            each: vec![1.0; self.each.len()],
            ..self.clone()
        }
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
    fn what_is_to_be_expected_of_a_spread_is_a_chi_squares_median_of_equal_errors() {
        let of = |readings: usize| {
            let likely = Likely {
                from: 0.0,
                step: 0.01,
                each: vec![1.0; 31],
                errors: vec![0.06; readings],
            };
            likely.expected_at(0.08)
        };
        // One degree of freedom less than there are readings; the median of seven is 6.346.
        let log = |value: f64| {
            let v: f64 = value * value + 0.06 * 0.06;
            -3.5 * v.ln() - 0.5 * 6.346 * 0.01 / v
        };
        let eight = of(8).each;
        for i in 0..31_usize {
            let against_none = (log(0.01 * i as f64) - log(0.0)).exp();
            let off = eight[i] / eight[0] / against_none - 1.0;
            assert!(off.abs() < 0.015, "{i}: {off}");
        }
        // Of many it is the spread itself.
        let many = of(500).each;
        assert!(many[8] == 1.0 && many[7] < 0.1 && many[9] < 0.1);
    }

    #[test]
    fn what_was_expected_is_taken_out_of_a_reading() {
        // Seen as 9 ± 3, expected within 4 of 0: the product of both densities is normal.
        let [seen, expected] = [3f64, 4.0].map(|s| s.powi(-2));
        let both = Estimate::new(9.0 * seen / (seen + expected), (seen + expected).powf(-0.5));
        assert!((both.value - 5.76).abs() < 1e-9 && (both.sigma - 2.4).abs() < 1e-9);
        let alone = both.seen_alone(4.0);
        assert!((alone.value - 9.0).abs() < 1e-9 && (alone.sigma - 3.0).abs() < 1e-9);
        // What tells well stays as it is; what tells next to nothing is not blown up.
        let well = Estimate::new(5.0, 0.1).seen_alone(4.0);
        assert!((well.value - 5.0).abs() < 0.01, "{well:?}");
        let hardly = Estimate::new(1.0, 3.9).seen_alone(4.0);
        assert!((hardly.value - 2.5).abs() < 1e-9, "{hardly:?}");
    }

    #[test]
    fn media_time_keeps_microseconds() {
        let t = MediaTime::from_secs(1.040_033);
        assert_eq!(t.0, 1_040_033);
        assert!((t.since(MediaTime(40_033)) - 1.0).abs() < 1e-12);
    }
}
