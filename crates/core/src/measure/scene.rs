//! Everything the measures look at, put together once: grid, camera, poses by count, aligned steps,
//! the chart's own path.

use std::sync::OnceLock;

use nalgebra::{Point2, Vector2};
use serde::{Deserialize, Serialize};

use super::rotation::Turn;
use crate::body::solve::{Bodies, Moment};
use crate::body::{Landmark, Pose};
use crate::camera::Calibration;
use crate::chart::{self, Chart, FloorStep, Stance, Stride};
use crate::count::{CountGrid, CountPattern, fit_taps};
use crate::event::{AlignedStep, ChartedStep, FootStep, align, foot_steps};
use crate::marks::{CountSource, Marks, StepMark};
use crate::take::{Solved, Take};
use crate::units::{Estimate, Foot, MediaTime, Role};

/// Standard error of a frame called an arrival, seconds: half a frame at 30 a second and the eye's own.
pub(super) const ARRIVAL_SIGMA: f64 = 0.014;

/// The two dancers' sizes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CoupleBody {
    /// Standing height of leader and follower, metres.
    pub heights: [f64; 2],
    /// Separation at which the arm shape goes, metres, where it was found; else taken from arm lengths.
    pub frame_limit: Option<f64>,
}

impl CoupleBody {
    /// Height of a role, metres.
    pub fn height(&self, role: Role) -> f64 {
        self.heights[role as usize]
    }

    /// Frame limit with its uncertainty, metres: 3 cm when found by a drill, 6 % from arm lengths.
    pub fn limit(&self) -> Estimate {
        match self.frame_limit {
            Some(l) => Estimate::new(l, 0.03),
            None => {
                let l = chart::REACH * (self.heights[0] + self.heights[1]);
                Estimate::new(l, 0.06 * l)
            }
        }
    }
}

/// Why a step of the preparation gives nothing yet. The text says what to do.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SceneError {
    /// Something is not there yet.
    #[error("{0}")]
    Missing(&'static str),
    /// Something is there and cannot be used.
    #[error("{0}")]
    Refused(String),
}

/// A count of a repetition in media time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Slot {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count of the chart, from 0.
    pub count: usize,
    /// Its moment.
    pub at: MediaTime,
}

/// A found step answers a charted one when it goes this many times as far, and so many metres more: what goes
/// hardly anywhere is the foot shifting, and what goes far further a leg taken for the other.
const LIKE: [f64; 2] = [0.45, 1.9];
const MORE: f64 = 0.05;

/// A step found from the feet that answers a charted one.
#[derive(Debug, Clone, Copy)]
pub struct Answer {
    /// Which one.
    pub charted: ChartedStep,
    /// The step.
    pub step: FootStep,
}

impl Answer {
    /// Seconds behind the count.
    pub fn late(&self) -> Estimate {
        let late = self.step.mark.at.since(self.charted.at);
        Estimate::new(late, self.step.sigma)
    }
}

/// The scene of one take.
pub struct Scene<'a> {
    /// The marks it is made from.
    pub marks: &'a Marks,
    /// The couple.
    pub couple: CoupleBody,
    /// The figure, when named.
    pub chart: Option<(&'a Chart, CountPattern)>,
    /// The count.
    pub grid: Result<CountGrid, SceneError>,
    /// The floor.
    pub floor: Result<Calibration, SceneError>,
    /// All counts in time order; empty without chart and grid.
    pub slots: Vec<Slot>,
    /// Charted steps with their answers, by role.
    pub aligned: [Vec<AlignedStep>; 2],
    /// Arrivals that answer no charted step, by role.
    pub extra: [Vec<StepMark>; 2],
    /// Steps found from the feet, by role, where every moment is solved.
    pub steps: [Vec<FootStep>; 2],
    /// Of those, the ones on the charted foot near their count, in repetitions without an arrival called by
    /// hand. One that was not found is not one left out.
    pub found: [Vec<Answer>; 2],
    /// Charted path over all repetitions, by role, in the floor's frame.
    pub paths: [Vec<FloorStep>; 2],
    /// Both dancers in space, where they were solved.
    pub solved: Option<&'a Solved>,
    poses: [Vec<Option<&'a Pose>>; 2],
    /// Turns from count to count, once they were asked for.
    pub(super) turns: OnceLock<Vec<Turn>>,
}

impl<'a> Scene<'a> {
    /// Puts the scene together, with the dancers in space where they were solved.
    pub fn new(take: &Take<'a>, solved: Option<&'a Solved>) -> Self {
        let marks = take.marks;
        let chart = marks
            .chart
            .as_deref()
            .and_then(|id| take.shelf.get(id))
            .map(|c| (c, c.pattern().clone()));
        let swing = marks.swing(chart.as_ref().map_or(0.5, |c| c.0.swing));
        let grid = lay_grid(marks, swing);
        let mut scene = Self {
            marks,
            couple: take.couple,
            chart,
            grid,
            floor: take.floor(0),
            slots: Vec::new(),
            aligned: [Vec::new(), Vec::new()],
            extra: [Vec::new(), Vec::new()],
            steps: [Vec::new(), Vec::new()],
            found: [Vec::new(), Vec::new()],
            paths: [Vec::new(), Vec::new()],
            solved,
            poses: [Vec::new(), Vec::new()],
            turns: OnceLock::new(),
        };
        scene.lay_out();
        scene
    }

    fn lay_out(&mut self) {
        let (Some((chart, pattern)), Ok(grid)) = (&self.chart, &self.grid) else {
            return;
        };
        for repetition in 0..self.marks.repetitions {
            for count in 0..pattern.marks.len() {
                if let Some(at) = grid.time_of_count(pattern, repetition, count) {
                    self.slots.push(Slot {
                        repetition,
                        count,
                        at,
                    });
                }
            }
        }
        self.paths = self.charted_paths();
        self.steps = Role::BOTH.map(|role| {
            let bodies = self.bodies(role);
            bodies.map_or(Vec::new(), |b| foot_steps(b, role))
        });
        for role in Role::BOTH {
            let rows = chart.rows(role);
            let charted: Vec<ChartedStep> = (0..self.marks.repetitions)
                .flat_map(|repetition| {
                    let arriving = rows.iter().enumerate().filter(|r| r.1.action.arrives());
                    arriving.filter_map(move |(row, r)| {
                        Some(ChartedStep {
                            repetition,
                            row,
                            count: r.count,
                            foot: r.foot,
                            weight: r.action.takes_weight(),
                            at: grid.time_of_count(pattern, repetition, r.count)?,
                        })
                    })
                })
                .collect();
            let marked = self.marks.steps.iter().filter(|s| s.role == role);
            let observed: Vec<StepMark> = marked.copied().collect();
            (self.aligned[role as usize], self.extra[role as usize]) =
                align(&charted, &observed, grid.period_at(0.0));
            self.found[role as usize] = self.answers(role, &charted, grid.period_at(0.0));
        }
        self.poses = Role::BOTH.map(|role| self.poses_by_slot(role));
        if self.backwards() {
            for step in self.paths.iter_mut().flatten() {
                step.from = step.from.map(|v| -v);
                step.to = step.to.map(|v| -v);
                step.facing_before += 180.0;
                step.facing += 180.0;
            }
        }
    }

    /// Whether the coach called an arrival of a role in a repetition.
    pub fn called(&self, role: Role, repetition: u32) -> bool {
        let mut of = self.aligned[role as usize].iter();
        of.any(|a| a.charted.repetition == repetition && a.observed.is_some())
    }

    fn answers(&self, role: Role, charted: &[ChartedStep], period: f64) -> Vec<Answer> {
        let steps = &self.steps[role as usize];
        // Whether a found foot took the weight is told too poorly to count.
        let plain = |c: &ChartedStep| ChartedStep { weight: true, ..*c };
        let asked: Vec<ChartedStep> = charted.iter().map(plain).collect();
        let marks: Vec<StepMark> = steps
            .iter()
            .map(|s| StepMark {
                weight: true,
                ..s.mark
            })
            .collect();
        let (aligned, _) = align(&asked, &marks, period);
        aligned
            .iter()
            .zip(charted)
            .filter(|(_, c)| !self.called(role, c.repetition))
            .filter_map(|(a, c)| {
                let seen = a.observed.filter(|o| o.foot == c.foot)?;
                let step = steps
                    .iter()
                    .find(|s| s.mark.at == seen.at && s.mark.foot == seen.foot)?;
                let path = self.charted_path(a, role)?;
                let asked = (Vector2::from(path.to) - Vector2::from(path.from)).norm();
                let gone = (step.way[1] - step.way[0]).norm();
                (LIKE[0] * asked..=LIKE[1] * asked + MORE)
                    .contains(&gone)
                    .then_some(Answer {
                        charted: *c,
                        step: *step,
                    })
            })
            .collect()
    }

    /// A role's bodies in space, where they were solved.
    pub fn bodies(&self, role: Role) -> Option<&'a Bodies> {
        self.solved?.of(role)
    }

    /// When a role's body is looked at for a slot: at its arrival, or at the count where none is known.
    pub fn when(&self, role: Role, slot: usize) -> Option<f64> {
        let s = self.slots.get(slot)?;
        // A pose marked for this count says that it is this moment.
        if let Some(pose) = self.pose(role, slot) {
            return Some(pose.at.secs());
        }
        let arrived = self
            .step_at(role, s.repetition, s.count)
            .and_then(|a| a.observed);
        Some(arrived.map_or(s.at, |o| o.at).secs())
    }

    /// A role's body in space at a slot.
    pub fn body(&self, role: Role, slot: usize) -> Option<Moment<'a>> {
        self.bodies(role)?.moment(self.when(role, slot)?)
    }

    /// Both bodies in space at a slot, at the moment at which this role's is looked at.
    pub fn both(&self, role: Role, slot: usize) -> Option<(Moment<'a>, Moment<'a>)> {
        let own = self.body(role, slot)?;
        let other = self.bodies(role.partner())?;
        let at = self.when(role, slot)?;
        // Where only counts are marked, the partner is where the partner's mark of this count is.
        let partner = other.moment(at).or_else(|| {
            let there = self.when(role.partner(), slot)?;
            Some(other.moment(there)?.late_by(there - at))
        })?;
        Some((own, partner))
    }

    /// The pose that belongs to each slot: nearest in time to the observed arrival, or to the
    /// count where none is marked, nearer to this slot than to its neighbours.
    fn poses_by_slot(&self, role: Role) -> Vec<Option<&'a Pose>> {
        let moment = |s: &Slot| {
            self.step_at(role, s.repetition, s.count)
                .and_then(|a| a.observed)
                .map_or(s.at, |o| o.at)
        };
        let moments: Vec<MediaTime> = self.slots.iter().map(moment).collect();
        let mut out: Vec<Option<&'a Pose>> = vec![None; self.slots.len()];
        for pose in self.marks.poses.iter().filter(|p| p.role == role) {
            let Some((i, gap)) = moments
                .iter()
                .enumerate()
                .map(|(i, t)| (i, pose.at.since(*t).abs()))
                .min_by(|a, b| a.1.total_cmp(&b.1))
            else {
                continue;
            };
            let nearer = out[i].is_none_or(|p| gap < p.at.since(moments[i]).abs());
            if gap <= 0.25 && nearer {
                out[i] = Some(pose);
            }
        }
        out
    }

    fn charted_paths(&self) -> [Vec<FloorStep>; 2] {
        let Some((chart, _)) = &self.chart else {
            return [Vec::new(), Vec::new()];
        };
        Role::BOTH.map(|role| {
            let mut stance = chart::start_stance(&chart.start, role, self.couple.heights);
            let stride = Stride::joined(role, self.couple.heights);
            let mut steps = Vec::new();
            for _ in 0..self.marks.repetitions {
                let (more, next) = chart::floor_path(chart.rows(role), stance, stride);
                steps.extend(more);
                stance = next;
            }
            steps
        })
    }

    /// Whether the couple stands the other way along the reference than the figure is drawn: by the first
    /// marked facing of the leader, else by where the solved follower is from the leader.
    fn backwards(&self) -> bool {
        let by_pose = self.slots.iter().enumerate().find_map(|(i, _)| {
            let seen = self.facing(self.poses[0][i]?)?;
            let charted = self.charted_stance(Role::Leader, i)?.facing;
            Some(crate::units::wrap_degrees(seen - charted).abs() > 90.0)
        });
        by_pose.unwrap_or_else(|| {
            let same = (0..self.slots.len()).filter_map(|i| {
                let (leader, follower) = self.both(Role::Leader, i)?;
                let hips = |m: &Moment| {
                    let [l, r] = [Landmark::LeftHip, Landmark::RightHip].map(|l| m.joint(l).coords);
                    0.5 * (l + r).xy()
                };
                let middle = |role: Role| {
                    let s = self.charted_stance(role, i)?;
                    Some(0.5 * (Vector2::from(s.left) + Vector2::from(s.right)))
                };
                let charted = middle(Role::Follower)? - middle(Role::Leader)?;
                Some((hips(&follower) - hips(&leader)).dot(&charted))
            });
            same.sum::<f64>() < 0.0
        })
    }

    /// Facing of a marked pose from its feet line, degrees; `None` when feet or floor are missing.
    fn facing(&self, pose: &Pose) -> Option<f64> {
        feet_line(&self.feet(pose)?)
    }

    /// Where the heels and toes of a marked pose stand, metres.
    fn feet(&self, pose: &Pose) -> Option<[Point2<f64>; 4]> {
        let camera = &self.floor.as_ref().ok()?.camera;
        let on = |p: [f64; 2]| camera.on_floor(Point2::from(p));
        let [a, b, c, d] = pose.pixels(FEET)?;
        Some([on(a)?, on(b)?, on(c)?, on(d)?])
    }

    /// Where a role stands at a slot: the middle of its feet in metres, and its facing in degrees
    /// where both feet lie on the floor well enough to tell.
    pub fn stance(&self, role: Role, slot: usize) -> Option<([f64; 2], Option<f64>)> {
        let feet = self.feet(self.pose(role, slot)?)?;
        Some((centre(&feet).into(), feet_line(&feet)))
    }

    /// The charted step of a role at a count, with its answer.
    pub fn step_at(&self, role: Role, repetition: u32, count: usize) -> Option<&AlignedStep> {
        self.aligned[role as usize]
            .iter()
            .find(|a| a.charted.repetition == repetition && a.charted.count == count)
    }

    /// The charted place of a step on the floor.
    pub fn charted_path(&self, step: &AlignedStep, role: Role) -> Option<&FloorStep> {
        let rows = self.chart.as_ref()?.0.rows(role).len();
        self.paths[role as usize].get(step.charted.repetition as usize * rows + step.charted.row)
    }

    /// How a role stands by the chart at a slot, after all of its steps up to there.
    pub fn charted_stance(&self, role: Role, slot: usize) -> Option<Stance> {
        let (chart, _) = self.chart.as_ref()?;
        let at = self.slots.get(slot)?;
        let rows = chart.rows(role);
        let upto = rows.iter().filter(|r| r.count <= at.count).count();
        let path = &self.paths[role as usize];
        let done = path.get(..at.repetition as usize * rows.len() + upto)?;
        let foot = |foot: Foot| {
            let moved = done.iter().rfind(|s| s.foot == foot).map(|s| s.to);
            moved.or_else(|| path.iter().find(|s| s.foot == foot).map(|s| s.from))
        };
        let facing = match done.last() {
            Some(step) => step.facing,
            None => path.first()?.facing_before,
        };
        Some(Stance {
            left: foot(Foot::Left)?,
            right: foot(Foot::Right)?,
            facing,
        })
    }

    /// The pose of a role at a slot (index into [`Self::slots`]).
    pub fn pose(&self, role: Role, slot: usize) -> Option<&'a Pose> {
        self.poses[role as usize].get(slot).copied().flatten()
    }

    /// The nearest slot before `slot` at which this role's pose is marked, with the pose.
    pub fn pose_before(&self, role: Role, slot: usize) -> Option<(usize, &'a Pose)> {
        // Only the slot directly before counts: further back, other steps lie between.
        let before = slot.checked_sub(1)?;
        Some((before, self.pose(role, before)?))
    }

    /// The slot at a repetition and count.
    pub fn slot(&self, repetition: u32, count: usize) -> Option<usize> {
        self.slots
            .iter()
            .position(|s| s.repetition == repetition && s.count == count)
    }
}

pub(crate) fn lay_grid(marks: &Marks, swing: f64) -> Result<CountGrid, SceneError> {
    let refused = |e: &dyn std::fmt::Display| SceneError::Refused(e.to_string());
    match &marks.count {
        None => Err(SceneError::Missing(
            "Tap along with the beat, or type the tempo and say where 1 is.",
        )),
        Some(CountSource::Taps { taps, one }) => {
            let fit = fit_taps(taps).map_err(|e| refused(&e))?;
            CountGrid::from_taps(&fit, *one, swing).map_err(|e| refused(&e))
        }
        Some(CountSource::Heard { beats, one, .. }) => {
            CountGrid::from_beats(beats, *one, swing).map_err(|e| refused(&e))
        }
        Some(CountSource::Tempo { bpm, one }) => {
            CountGrid::from_tempo(*bpm, *one, swing).map_err(|e| refused(&e))
        }
    }
}

/// Both feet's heels and toes: left heel, left toe, right heel, right toe.
pub(super) const FEET: [Landmark; 4] = [
    Landmark::LeftHeel,
    Landmark::LeftToe,
    Landmark::RightHeel,
    Landmark::RightToe,
];

/// Middle of places on the floor.
pub(super) fn centre(places: &[Point2<f64>]) -> Point2<f64> {
    let sum: Vector2<f64> = places.iter().map(|p| p.coords).sum();
    Point2::from(sum / places.len() as f64)
}

/// Direction of the feet line, degrees from X: the mean of the two heel-to-toe directions, which
/// turnout leaves alone when it is the same on both feet. `None` when a foot is shorter than 10 cm
/// on the floor (a lifted heel) or the feet point more than 120° apart.
pub(super) fn feet_line(feet: &[Point2<f64>]) -> Option<f64> {
    let mut sum = Vector2::zeros();
    for foot in feet.chunks_exact(2) {
        let v = foot[1] - foot[0];
        if v.norm() < 0.10 {
            return None;
        }
        sum += v.normalize();
    }
    (sum.norm() > 1.0).then(|| sum.y.atan2(sum.x).to_degrees())
}
