//! People in the picture who do not dance with the couple: watchers, a teacher who crosses the floor.

use nalgebra::Point3;
use serde::{Deserialize, Serialize};

use crate::body::{ArmWays, Body, FootPose, Posture};
use crate::nature::Build;

/// Somebody who stands in the hall or walks through it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Watcher {
    /// Metres from the middle of the floor reference at second 0.
    pub at: [f64; 2],
    /// Metres a second; who stands has none.
    pub walks: [f64; 2],
    /// Way that is faced while standing, degrees from the slot.
    pub facing: f64,
    /// Standing height, metres.
    pub height: f64,
    /// Who it is: people of the same number have the same build and clothes.
    pub person: u64,
}

impl Default for Watcher {
    fn default() -> Self {
        Self {
            at: [0.0, 2.5],
            walks: [0.0, 0.0],
            facing: -90.0,
            height: 1.7,
            person: 7,
        }
    }
}

/// Length of a walker's step, metres.
const STEP: f64 = 0.55;

/// How far who stands sways, metres, and in how many seconds.
const SWAY: (f64, f64) = (0.02, 3.1);

impl Watcher {
    /// Whether this is somebody who fits into a hall.
    pub(crate) fn fits(&self) -> bool {
        let near = self.at.iter().all(|v| (-20.0..=20.0).contains(v));
        near && self.walks.iter().all(|v| (-3.0..=3.0).contains(v))
            && (-360.0..=360.0).contains(&self.facing)
            && (0.6..=2.3).contains(&self.height)
    }

    /// The body at a moment of the dance, seconds.
    pub fn body(&self, t: f64) -> Body {
        let pace = self.walks[0].hypot(self.walks[1]);
        let walking = pace > 0.05;
        let facing = if walking {
            self.walks[1].atan2(self.walks[0]).to_degrees()
        } else {
            self.facing
        };
        let (sin, cos) = facing.to_radians().sin_cos();
        let way = pace * t;
        let place = |along: f64, left: f64, up: f64| {
            Point3::new(
                self.at[0] + along * cos - left * sin,
                self.at[1] + along * sin + left * cos,
                up,
            )
        };
        // Each foot stands for a step's length and swings over two of them, the other one half a cycle later.
        let foot = |side: f64, behind: f64| {
            let cycle = (way / (2.0 * STEP) + behind).rem_euclid(1.0);
            let begun = way - cycle * 2.0 * STEP;
            let swung = ((cycle - 0.5) / 0.5).clamp(0.0, 1.0);
            let along = if walking {
                begun + 0.5 * STEP + swung * 2.0 * STEP
            } else {
                0.0
            };
            let up = if walking {
                0.07 * (std::f64::consts::PI * swung).sin()
            } else {
                0.0
            };
            FootPose {
                at: place(along, side * 0.055 * self.height, up),
                yaw: facing + if walking { 0.0 } else { side * 12.0 },
                pitch: 0.0,
            }
        };
        let sway = SWAY.0 * (std::f64::consts::TAU * t / SWAY.1 + self.person as f64).sin();
        let centre = place(
            if walking { way } else { 0.0 },
            if walking { 0.0 } else { sway },
            0.0,
        );
        Body::alone(&Posture {
            height: self.height,
            build: Build::of_person(self.person),
            centre: [centre.x, centre.y],
            facing: [facing; 3],
            feet: [foot(1.0, 0.0), foot(-1.0, 0.5)],
            lean: [0.0, 0.0],
            hips_back: 0.0,
            head_ahead: 0.0,
            rise: 0.0,
            edge: 0.0,
            arms: ArmWays::default(),
        })
    }
}

#[cfg(test)]
mod tests {
    use upright_core::body::Landmark;

    use super::*;

    #[test]
    fn a_watcher_stands_and_a_walker_gets_on_with_feet_that_stay_while_they_stand() {
        let still = Watcher::default();
        let (a, b) = (still.body(0.0), still.body(1.0));
        assert_eq!(a.joint(Landmark::LeftToe), b.joint(Landmark::LeftToe));
        assert!((a.chest() - b.chest()).norm() < 0.05);
        let walker = Watcher {
            at: [-3.0, 2.0],
            walks: [1.2, 0.0],
            ..still
        };
        let at = |t: f64| walker.body(t);
        assert!((at(2.0).chest().x - at(0.0).chest().x - 2.4).abs() < 0.01);
        // In each of twenty moments some foot stands still.
        for i in 0..20 {
            // Between the moments at which feet change.
            let t = 0.08 + 0.1 * f64::from(i);
            let moved = [Landmark::LeftHeel, Landmark::RightHeel]
                .map(|l| (at(t + 0.02).joint(l) - at(t).joint(l)).norm());
            assert!(moved[0].min(moved[1]) < 1e-9, "{t}: {moved:?}");
        }
    }
}
