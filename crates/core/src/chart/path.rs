//! Where a chart puts the feet and the bodies: steps and turns integrated on the floor, per role.

use serde::{Deserialize, Serialize};

use super::draft::{Draft, Start};
use super::layout::Layout;
use super::part::ChartRow;
use super::place::{self, Relation, WRITTEN_FOR};
use super::vocabulary::{Action, Direction};
use crate::units::{Foot, Role};

/// Distance between the feet standing, as a share of standing height (about the hips' width).
const STANCE: f64 = 0.10;

/// A full walking step as a share of standing height.
const STEP: f64 = 0.41;

/// A foot's length and half of its width as shares of standing height; crossed feet lie this far apart.
const CROSSED: f64 = 0.06;
const ACROSS: f64 = 0.09;

/// Share of the weight on the foot that carries it.
pub const WEIGHTED: f64 = 0.85;

/// What lengths on the floor follow from: the dancer's own height and the step that is danced, metres.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stride {
    /// Standing height.
    pub height: f64,
    /// A full step.
    pub step: f64,
}

impl Stride {
    /// A dancer alone.
    pub fn alone(height: f64) -> Self {
        Self {
            height,
            step: STEP * height,
        }
    }

    /// A dancer in a couple: joined, both take the same step, the mean of their own.
    pub fn joined(role: Role, heights: [f64; 2]) -> Self {
        Self {
            height: heights[role as usize],
            step: STEP * 0.5 * (heights[0] + heights[1]),
        }
    }
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

    /// Where the body is when this foot carries the weight.
    pub fn body(&self, standing: Option<Foot>) -> [f64; 2] {
        let left = match standing {
            Some(Foot::Left) => WEIGHTED,
            Some(Foot::Right) => 1.0 - WEIGHTED,
            None => 0.5,
        };
        [0, 1].map(|i| left * self.left[i] + (1.0 - left) * self.right[i])
    }

    /// Turned about the origin by `degrees` and moved by `by`.
    pub fn moved(&self, degrees: f64, by: [f64; 2]) -> Self {
        let (s, c) = degrees.to_radians().sin_cos();
        let turn = |p: [f64; 2]| [c * p[0] - s * p[1] + by[0], s * p[0] + c * p[1] + by[1]];
        Self {
            left: turn(self.left),
            right: turn(self.right),
            facing: self.facing + degrees,
        }
    }
}

/// One charted step on the floor.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
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

/// Where a couple of the given heights (metres) start: in facing positions the leader at the left of
/// the origin facing along X, the follower facing back.
pub fn start(start: &Start, role: Role, heights: [f64; 2]) -> Stance {
    let scale = (heights[0] + heights[1]) / (2.0 * WRITTEN_FOR);
    let half = [start.gap, place::aside(start)].map(|d| 0.5 * d * scale);
    let facing = place::facings(start.position)[role as usize];
    let at = match role {
        Role::Leader => half.map(|d| -d),
        Role::Follower => half,
    };
    Stance::standing(at, facing, heights[role as usize])
}

/// Carries one row out: the step, and the stance after it.
fn step(row: &ChartRow, index: usize, now: Stance, stride: Stride) -> (FloorStep, Stance) {
    let before = now.facing;
    let after = before + 45.0 * f64::from(row.turn);
    let standing = now.foot(row.foot.other());
    // A place from the standing foot: ahead, and out to the moving foot's own side.
    let from_standing = |facing: f64, ahead: f64, out: f64| {
        let (s, c) = facing.to_radians().sin_cos();
        let lateral = row.foot.side() * out;
        [
            standing[0] + c * ahead - s * lateral,
            standing[1] + s * ahead + c * lateral,
        ]
    };
    let beside = |facing: f64| from_standing(facing, 0.0, STANCE * stride.height);
    let stays = now.foot(row.foot);
    let to = match (row.action, row.direction, row.direction.degrees()) {
        (Action::Replace | Action::Hold | Action::Swivel | Action::InPlace, ..)
        | (Action::Touch | Action::Brush | Action::Kick, Direction::InPlace, _) => stays,
        // With the old facing for a step, so that a turn does not bend its path; with the new facing
        // when the feet come together.
        (Action::Close | Action::HeelTurn, ..)
        | (_, Direction::InPlace | Direction::Collect, _) => beside(after),
        (_, Direction::CrossFront, _) => from_standing(
            before,
            ACROSS * stride.height + row.size * stride.step,
            -CROSSED * stride.height,
        ),
        (_, Direction::CrossBehind, _) => from_standing(
            before,
            -ACROSS * stride.height - row.size * stride.step,
            -CROSSED * stride.height,
        ),
        (_, _, Some(degrees)) => {
            let (s, c) = (before + degrees).to_radians().sin_cos();
            let length = row.size * stride.step;
            let b = beside(before);
            [b[0] + c * length, b[1] + s * length]
        }
        (_, _, None) => stays,
    };
    let done = FloorStep {
        row: index,
        foot: row.foot,
        from: stays,
        to,
        facing_before: before,
        facing: after,
    };
    let mut next = Stance {
        facing: after,
        ..now
    };
    match row.foot {
        Foot::Left => next.left = to,
        Foot::Right => next.right = to,
    }
    (done, next)
}

/// The steps of one repetition from a stance, and the stance after them.
pub fn floor_path(rows: &[ChartRow], from: Stance, stride: Stride) -> (Vec<FloorStep>, Stance) {
    let mut now = from;
    let mut steps = Vec::with_capacity(rows.len());
    for (index, row) in rows.iter().enumerate() {
        let (done, next) = step(row, index, now, stride);
        steps.push(done);
        now = next;
    }
    (steps, now)
}

/// One step of a [`Trail`].
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TrailStep {
    /// Count of the chart.
    pub count: usize,
    /// The moving foot.
    pub foot: Foot,
    /// It takes the weight.
    pub weighted: bool,
    /// Where it stands afterwards, metres.
    pub to: [f64; 2],
    /// Middle of the body afterwards, metres.
    pub body: [f64; 2],
    /// Facing afterwards, degrees.
    pub facing: f64,
}

/// One role's way over the floor, to be drawn from above.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Trail {
    /// Left and right foot before the first count, metres.
    pub feet: [[f64; 2]; 2],
    /// Middle of the body before the first count, metres.
    pub body: [f64; 2],
    /// Facing before the first count, degrees.
    pub facing: f64,
    /// The steps in order.
    pub steps: Vec<TrailStep>,
}

/// A role's trail from a stance; `weight` is the foot that carries the weight before the first row.
pub fn trail(rows: &[ChartRow], from: Stance, weight: Option<Foot>, stride: Stride) -> Trail {
    let mut now = Standing {
        stance: from,
        weight,
    };
    let (body, facing) = now.body();
    let steps = rows
        .iter()
        .enumerate()
        .map(|(index, row)| {
            let (done, stance) = step(row, index, now.stance, stride);
            let weighted = row.action.takes_weight();
            now = Standing {
                stance,
                weight: if weighted { Some(row.foot) } else { now.weight },
            };
            TrailStep {
                count: row.count,
                foot: row.foot,
                weighted,
                to: done.to,
                body: now.body().0,
                facing: done.facing,
            }
        })
        .collect();
    Trail {
        feet: [from.left, from.right],
        body,
        facing,
        steps,
    }
}

/// One dancer at one moment of a chart.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Standing {
    /// Feet and facing.
    pub stance: Stance,
    /// Which foot carries the weight.
    pub weight: Option<Foot>,
}

impl Standing {
    /// Middle of the body over the feet, metres, and its facing, degrees.
    pub fn body(&self) -> ([f64; 2], f64) {
        (self.stance.body(self.weight), self.stance.facing)
    }
}

/// Both dancers before the first count and after each count.
pub fn moments(draft: &Draft, layout: &Layout, heights: [f64; 2]) -> Vec<[Standing; 2]> {
    moments_from(
        layout,
        Role::BOTH.map(|r| start(&draft.start, r, heights)),
        heights,
    )
}

/// The same from given stances.
pub fn moments_from(layout: &Layout, from: [Stance; 2], heights: [f64; 2]) -> Vec<[Standing; 2]> {
    let mut now = Role::BOTH.map(|role| Standing {
        stance: from[role as usize],
        weight: layout.standing(role),
    });
    let mut out = Vec::with_capacity(layout.pattern.marks.len() + 1);
    out.push(now);
    for count in 0..layout.pattern.marks.len() {
        for role in Role::BOTH {
            if let Some(row) = layout.row(role, count) {
                let it = &mut now[role as usize];
                it.stance = step(row, 0, it.stance, Stride::joined(role, heights)).1;
                if row.action.takes_weight() {
                    it.weight = Some(row.foot);
                }
            }
        }
        out.push(now);
    }
    out
}

/// How the two stand to each other.
pub fn relation(pair: &[Standing; 2]) -> Relation {
    Relation::of(pair[0].body(), pair[1].body())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::{chart, charts};

    #[test]
    fn a_trail_goes_where_the_moments_are() {
        for c in charts() {
            let heights = [1.82, 1.6];
            let all = moments(c, c.layout(), heights);
            for role in Role::BOTH {
                let r = role as usize;
                let stride = Stride::joined(role, heights);
                let from = start(&c.start, role, heights);
                let t = trail(c.rows(role), from, c.layout().standing(role), stride);
                assert_eq!(t.body, all[0][r].body().0, "{}", c.id);
                assert_eq!(t.steps.len(), c.rows(role).len(), "{}", c.id);
                for s in &t.steps {
                    let (body, facing) = all[s.count + 1][r].body();
                    assert_eq!((s.body, s.facing), (body, facing), "{} {}", c.id, s.count);
                    assert_eq!(s.to, all[s.count + 1][r].stance.foot(s.foot), "{}", c.id);
                }
            }
        }
    }

    #[test]
    fn the_basic_returns_to_where_it_began() {
        let c = chart("shag-basic").unwrap();
        for role in Role::BOTH {
            let from = start(&c.start, role, [1.8, 1.65]);
            let (steps, end) = floor_path(c.rows(role), from, Stride::alone(1.7));
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
            let all = moments(c, c.layout(), [1.75, 1.7]);
            for role in Role::BOTH {
                let [first, last] = [&all[0], &all[all.len() - 1]].map(|m| m[role as usize]);
                assert_eq!(
                    last.stance.facing - first.stance.facing,
                    45.0 * f64::from(c.total_turn(role)),
                    "{}",
                    c.id
                );
            }
        }
    }

    #[test]
    fn the_path_and_the_moments_agree() {
        for c in charts() {
            let all = moments(c, c.layout(), [1.9, 1.6]);
            for role in Role::BOTH {
                let from = start(&c.start, role, [1.9, 1.6]);
                let (_, end) = floor_path(c.rows(role), from, Stride::joined(role, [1.9, 1.6]));
                assert_eq!(all[all.len() - 1][role as usize].stance, end, "{}", c.id);
            }
        }
    }

    #[test]
    fn a_taller_dancer_steps_further_alone_and_alike_in_a_couple() {
        let c = chart("shag-basic").unwrap();
        let length = |stride: Stride| {
            let from = Stance::standing([0.0, 0.0], 0.0, stride.height);
            let (s, _) = floor_path(c.rows(Role::Leader), from, stride);
            (s[0].to[0] - s[0].from[0]).hypot(s[0].to[1] - s[0].from[1])
        };
        let ratio = length(Stride::alone(1.9)) / length(Stride::alone(1.6));
        assert!((ratio - 1.9 / 1.6).abs() < 1e-9);
        let [l, f] = Role::BOTH.map(|r| length(Stride::joined(r, [1.9, 1.6])));
        assert!((l - f).abs() < 1e-9);
    }

    #[test]
    fn a_cross_lands_beyond_the_standing_foot() {
        let row = |direction| ChartRow {
            count: 0,
            foot: Foot::Left,
            action: Action::Step,
            direction,
            size: 0.0,
            turn: 0,
            second_turn: 0,
            turns_freely: false,
            contact: None,
            level: None,
            leg: None,
            judge: Vec::new(),
            part: None,
            entry: 0,
        };
        let from = Stance::standing([0.0, 0.0], 0.0, 1.7);
        let (front, _) = step(&row(Direction::CrossFront), 0, from, Stride::alone(1.7));
        let (behind, _) = step(&row(Direction::CrossBehind), 0, from, Stride::alone(1.7));
        assert!(front.to[0] > 0.1 && behind.to[0] < -0.1);
        assert!(front.to[1] < from.right[1] && behind.to[1] < from.right[1]);
    }
}
