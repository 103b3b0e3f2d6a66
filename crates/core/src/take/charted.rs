//! Where the named figure has both dancers stand and face at each moment of a take.

use crate::chart::vocabulary::Level;
use crate::chart::{Stride, floor_path, start_stance};
use crate::measure::lay_grid;
use crate::take::Take;
use crate::units::Role;

/// How early or late dancers turn, seconds.
const LATE: f64 = 0.15;

/// Places of the left and the right foot, metres.
pub(super) type Feet = [[f64; 2]; 2];

/// Where the figure has both dancers stand and face over a take.
pub struct Charted {
    /// By role: from each moment on, seconds, the left and the right foot's place, metres, and the facing, degrees.
    pub(super) steps: [Vec<(f64, Feet, f64)>; 2],
    pub(super) heights: [f64; 2],
    /// By role: from each moment on, seconds, whether the dancer has risen.
    pub(super) risen: [Vec<(f64, bool)>; 2],
}

impl Charted {
    /// By the named figure and the count; `None` without either.
    pub fn of(take: &Take) -> Option<Self> {
        let marks = take.marks;
        let chart = take.shelf.get(marks.chart.as_deref()?)?;
        let grid = lay_grid(marks, marks.swing(chart.swing)).ok()?;
        let heights = take.couple.heights;
        let mut risen: [Vec<(f64, bool)>; 2] = Default::default();
        let steps = Role::BOTH.map(|role| {
            let mut stance = start_stance(&chart.start, role, heights);
            let mut feet = [stance.left, stance.right];
            let mut out = vec![(f64::NEG_INFINITY, feet, stance.facing)];
            let rows = chart.rows(role);
            for repetition in 0..marks.repetitions {
                let (steps, next) = floor_path(rows, stance, Stride::joined(role, heights));
                for s in steps {
                    feet[s.foot as usize] = s.to;
                    let count = rows[s.row].count;
                    if let Some(at) = grid.time_of_count(chart.pattern(), repetition, count) {
                        out.push((at.secs(), feet, s.facing));
                    }
                }
                stance = next;
                for (level, count) in rows.iter().filter_map(|r| Some((r.level?, r.count))) {
                    if let Some(at) = grid.time_of_count(chart.pattern(), repetition, count) {
                        let up = matches!(level, Level::Rise | Level::Up);
                        risen[role as usize].push((at.secs(), up));
                    }
                }
            }
            out
        });
        Some(Self {
            steps,
            heights,
            risen,
        })
    }

    /// Whether a dancer has risen at a moment, so that the heels may be off the floor.
    pub(super) fn risen(&self, role: Role, seconds: f64) -> bool {
        let all = &self.risen[role as usize];
        let k = all.partition_point(|r| r.0 <= seconds + LATE);
        k.checked_sub(1).is_some_and(|k| all[k].1)
    }

    /// Facing at a moment, on the way from one step to the next, degrees, counted on through whole turns.
    pub(super) fn facing(&self, role: Role, seconds: f64) -> f64 {
        let steps = &self.steps[role as usize];
        let k = steps.partition_point(|s| s.0 <= seconds).max(1);
        let (from, _, facing) = steps[k - 1];
        let Some((to, _, next)) = steps.get(k).copied() else {
            return facing;
        };
        let share = if from.is_finite() {
            (seconds - from) / (to - from).max(1e-6)
        } else {
            0.0
        };
        facing + share * (next - facing)
    }

    /// How fast the figure has a dancer turn about a moment at the most, degrees a second: dancers are some
    /// hundredths of a second early or late.
    pub(super) fn turning(&self, role: Role, seconds: f64) -> f64 {
        let steps = &self.steps[role as usize];
        steps
            .windows(2)
            .filter(|w| w[0].0.is_finite() && w[0].0 < seconds + LATE && w[1].0 > seconds - LATE)
            .map(|w| (w[1].2 - w[0].2).abs() / (w[1].0 - w[0].0).max(LATE))
            .fold(0.0, f64::max)
    }

    /// The way from the leader to the follower at a moment, metres.
    pub fn apart(&self, seconds: f64) -> [f64; 2] {
        let [l, f] = Role::BOTH.map(|role| self.place(role, seconds));
        [f[0] - l[0], f[1] - l[1]]
    }

    /// The middle between a dancer's feet at a moment, metres.
    fn place(&self, role: Role, seconds: f64) -> [f64; 2] {
        let [left, right] = self.feet(role, seconds).0;
        [0, 1].map(|k| 0.5 * (left[k] + right[k]))
    }

    /// From the right foot to the left one at a moment, metres, and how far that way changes with the step about
    /// then.
    pub(super) fn stance(&self, role: Role, seconds: f64) -> ([f64; 2], f64) {
        let (feet, steps) = self.feet(role, seconds);
        let way = |feet: Feet| [0, 1].map(|k| feet[0][k] - feet[1][k]);
        let [was, next] = steps.map(way);
        (way(feet), (next[0] - was[0]).hypot(next[1] - was[1]))
    }

    /// A dancer's feet at a moment, on the way from one step to the next, and as those steps have them.
    fn feet(&self, role: Role, seconds: f64) -> (Feet, [Feet; 2]) {
        let steps = &self.steps[role as usize];
        let k = steps.partition_point(|s| s.0 <= seconds).max(1);
        let (from, was, _) = steps[k - 1];
        match steps.get(k) {
            Some((to, next, _)) if from.is_finite() => {
                let share = (seconds - from) / (to - from).max(1e-6);
                let on = |foot: usize| {
                    [0, 1].map(|k| was[foot][k] + share * (next[foot][k] - was[foot][k]))
                };
                ([on(0), on(1)], [was, *next])
            }
            _ => (was, [was; 2]),
        }
    }
}
