//! Where a chart puts the feet: steps and turns integrated on the floor, per role.

use serde::{Deserialize, Serialize};

use super::{Action, Chart, Position};
use crate::units::{Foot, Role};

/// Distance between the feet standing, as a share of standing height (about the hips' width).
const STANCE: f64 = 0.10;

/// A full walking step as a share of standing height.
const STEP: f64 = 0.41;

/// A dancer's own full step, metres, from standing height in metres.
pub fn step_length(height: f64) -> f64 {
    STEP * height
}

/// Both feet on the floor and the body's facing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Stance {
    /// Middle of the left foot, metres.
    pub left: [f64; 2],
    /// Middle of the right foot, metres.
    pub right: [f64; 2],
    /// Degrees counter-clockwise from the X axis.
    pub facing: f64,
}

impl Stance {
    /// Standing at `centre`.
    pub fn standing(centre: [f64; 2], facing: f64, height: f64) -> Self {
        let (s, c) = facing.to_radians().sin_cos();
        let half = 0.5 * STANCE * height;
        Self {
            left: [centre[0] - s * half, centre[1] + c * half],
            right: [centre[0] + s * half, centre[1] - c * half],
            facing,
        }
    }

    /// Position of a foot.
    pub fn foot(&self, foot: Foot) -> [f64; 2] {
        match foot {
            Foot::Left => self.left,
            Foot::Right => self.right,
        }
    }

    /// Middle between the feet.
    pub fn centre(&self) -> [f64; 2] {
        [0, 1].map(|i| 0.5 * (self.left[i] + self.right[i]))
    }
}

/// One charted step on the floor.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FloorStep {
    /// Row of the chart.
    pub row: usize,
    /// The moving foot.
    pub foot: Foot,
    /// Where it stood, metres.
    pub from: [f64; 2],
    /// Where it lands, metres.
    pub to: [f64; 2],
    /// Facing before the step, degrees.
    pub facing_before: f64,
    /// Facing on arrival, degrees.
    pub facing: f64,
}

/// Where a couple of the given heights (metres) start: leader at the left of the origin facing
/// along X, follower facing back.
pub fn start(chart: &Chart, role: Role, heights: [f64; 2]) -> Stance {
    let gap = chart.gap * (heights[0] + heights[1]) / 3.4;
    // In closed positions the partners stand a little to each other's left, so that right feet
    // point between the partner's feet.
    let aside = match chart.start {
        Position::OpenFacing => 0.0,
        Position::Closed | Position::CloseEmbrace => 0.05,
    };
    match role {
        Role::Leader => Stance::standing([-gap / 2.0, aside], 0.0, heights[0]),
        Role::Follower => Stance::standing([gap / 2.0, -aside], 180.0, heights[1]),
    }
}

/// The steps of one repetition from a stance; `height` in metres scales the steps.
/// Returns the steps and the stance after them.
pub fn floor_path(
    chart: &Chart,
    role: Role,
    from: Stance,
    height: f64,
) -> (Vec<FloorStep>, Stance) {
    let mut now = from;
    let mut steps = Vec::with_capacity(chart.rows(role).len());
    for (index, row) in chart.rows(role).iter().enumerate() {
        let before = now.facing;
        let after = before + 45.0 * f64::from(row.turn);
        let standing = now.foot(row.foot.other());
        // Beside the standing foot: with the old facing for a step, so that a turn does not bend
        // its path; with the new facing when the feet come together.
        let beside = |facing: f64| {
            let (s, c) = facing.to_radians().sin_cos();
            let lateral = row.foot.side() * STANCE * height;
            [standing[0] - s * lateral, standing[1] + c * lateral]
        };
        let to = match (row.action, row.direction.degrees()) {
            (Action::Replace, _) | (Action::Touch, None) => now.foot(row.foot),
            (Action::Close, _) | (Action::Step, None) => beside(after),
            (_, Some(degrees)) => {
                let (s, c) = (before + degrees).to_radians().sin_cos();
                let length = row.size * step_length(height);
                let b = beside(before);
                [b[0] + c * length, b[1] + s * length]
            }
        };
        steps.push(FloorStep {
            row: index,
            foot: row.foot,
            from: now.foot(row.foot),
            to,
            facing_before: before,
            facing: after,
        });
        match row.foot {
            Foot::Left => now.left = to,
            Foot::Right => now.right = to,
        }
        now.facing = after;
    }
    (steps, now)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::{chart, charts};

    #[test]
    fn the_basic_returns_to_where_it_began() {
        let c = chart("shag-basic").unwrap();
        for role in Role::BOTH {
            let from = start(c, role, [1.8, 1.65]);
            let (steps, end) = floor_path(c, role, from, 1.7);
            assert_eq!(steps.len(), 8);
            for i in 0..2 {
                assert!(
                    (end.centre()[i] - from.centre()[i]).abs() < 0.12,
                    "{role:?}"
                );
            }
            assert_eq!(end.facing, from.facing);
        }
    }

    #[test]
    fn facing_after_a_figure_is_the_ledger_of_its_turns() {
        for c in charts() {
            for role in Role::BOTH {
                let from = start(c, role, [1.75, 1.7]);
                let (_, end) = floor_path(c, role, from, 1.7);
                assert_eq!(
                    end.facing - from.facing,
                    45.0 * f64::from(c.total_turn(role)),
                    "{}",
                    c.id
                );
            }
        }
    }

    #[test]
    fn a_taller_dancer_steps_further() {
        let c = chart("shag-basic").unwrap();
        let length = |h: f64| {
            let (s, _) = floor_path(c, Role::Leader, Stance::standing([0.0, 0.0], 0.0, h), h);
            (s[0].to[0] - s[0].from[0]).hypot(s[0].to[1] - s[0].from[1])
        };
        assert!((length(1.9) / length(1.6) - 1.9 / 1.6).abs() < 1e-9);
    }
}
