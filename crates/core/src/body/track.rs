//! Landmarks found in every frame of a clip by something other than the coach's hand.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::solve::Source;
use super::{Landmark, Pose};
use crate::units::{MediaTime, Role};

/// A landmark found in a frame.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Sight {
    /// Where, pixels.
    pub pixel: [f64; 2],
    /// Standard error along each axis, pixels.
    pub sigma: f64,
    /// Where it comes from.
    pub source: Source,
    /// Place about the middle of the hips along the picture's right, down and depth, metres, where the
    /// finder gives one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub about_hips: Option<[f64; 3]>,
}

/// A dancer found in a frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Sighting {
    /// The frame, microseconds of the clip.
    pub at: MediaTime,
    /// Whom it is taken for.
    pub role: Role,
    /// What was found.
    #[cfg_attr(feature = "schema", schema(value_type = std::collections::HashMap<String, Sight>))]
    pub points: BTreeMap<Landmark, Sight>,
}

/// Points that are known no better than to this share of the body's height are unsure: a hand's width of somebody
/// 1.7 m tall, as far as places on the floor are told ([`crate::measure::PLACE`]).
const UNSURE: f64 = 0.06;

/// A mark by hand speaks of frames this near, seconds.
const NEAR: f64 = 0.06;

impl Sighting {
    /// Height of what is seen of the body, pixels.
    pub(crate) fn tall(&self) -> f64 {
        let ys = || self.points.values().map(|p| p.pixel[1]);
        (ys().fold(f64::MIN, f64::max) - ys().fold(f64::MAX, f64::min)).max(0.0)
    }

    /// Points that may as well lie elsewhere: those whose standard error is larger than 6 % of the body's height in the
    /// picture.
    pub fn unsure(&self) -> Vec<Landmark> {
        let most = UNSURE * self.tall();
        let far = self.points.iter().filter(|(_, p)| p.sigma > most);
        far.map(|(l, _)| *l).collect()
    }

    /// What a hand has marked of a dancer in a frame near this one.
    pub(crate) fn marked<'a>(
        &self,
        role: Role,
        marked: &'a [Pose],
    ) -> impl Iterator<Item = &'a Pose> {
        let at = self.at;
        let near = move |p: &&Pose| p.role == role && at.since(p.at).abs() < NEAR;
        marked.iter().filter(near)
    }
}

/// A landmark's place at a moment between two frames that are near to each other.
pub(crate) fn between(a: &Sight, b: &Sight, share: f64) -> Sight {
    let mix = |x: f64, y: f64| x + share * (y - x);
    Sight {
        pixel: [0, 1].map(|k| mix(a.pixel[k], b.pixel[k])),
        // Errors stay from frame to frame: they do not average out.
        sigma: a.sigma.max(b.sigma),
        source: a.source,
        about_hips: a
            .about_hips
            .zip(b.about_hips)
            .map(|(p, q)| [0, 1, 2].map(|k| mix(p[k], q[k]))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_known_worse_than_to_a_hand_of_the_body_are_unsure() {
        let at = |y: f64, sigma: f64| Sight {
            pixel: [100.0, y],
            sigma,
            source: Source::Network,
            about_hips: None,
        };
        let mut sighting = Sighting {
            at: MediaTime(0),
            role: Role::Leader,
            points: [
                (Landmark::Nose, at(50.0, 17.9)),
                (Landmark::LeftHip, at(200.0, 18.1)),
                (Landmark::LeftToe, at(350.0, 40.0)),
            ]
            .into(),
        };
        // 300 pixels from nose to toe: 18 of them.
        let [nose, hip, toe] = [Landmark::Nose, Landmark::LeftHip, Landmark::LeftToe];
        let of = |s: &Sighting| [nose, hip, toe].map(|l| s.unsure().contains(&l));
        assert_eq!(of(&sighting), [false, true, true]);
        // Who is half as large in the picture is known half as well by as many pixels.
        sighting.points.insert(toe, at(200.0, 1.0));
        assert_eq!(of(&sighting), [true, true, false]);
        sighting.points.clear();
        assert!(sighting.unsure().is_empty());
    }
}
