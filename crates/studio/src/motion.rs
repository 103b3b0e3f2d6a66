//! A chart danced by two people: when each foot leaves and lands, where, and what the body does above.

use nalgebra::{Point3, Vector2};
use rand::SeedableRng;
use rand::seq::SliceRandom;
use rand_chacha::ChaCha8Rng;
use rand_distr::{Distribution, StandardNormal};
use upright_core::chart::{
    Action, Chart, Direction, Position, Stance, Stride, floor_path, start_stance,
};
use upright_core::count::{CountGrid, CountMark, CountPattern};
use upright_core::units::{Foot, MediaTime, Role};

use crate::body::{Arms, Body, Posture};
use crate::scenario::{Habits, Scenario, ScenarioError};

/// Natural variation of a clean dancer (1σ): seconds, metres, degrees.
const TIMING: f64 = 0.010;
const LANDING: f64 = 0.008;
const HEADING: f64 = 1.2;
const LEAN: f64 = 0.5;

/// How long a change of hands takes, seconds.
const CHANGE: f64 = 0.2;

/// A foot's arrival.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Arrival {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count of the chart, from 0.
    pub count: usize,
    /// Which foot.
    pub foot: Foot,
    /// Whether the weight passes to it.
    pub weight: bool,
    /// Moment, seconds of the clip.
    pub at: f64,
    /// Begin of the swing, seconds of the clip.
    pub leaves: f64,
    /// Middle of the foot on the floor, metres.
    pub place: [f64; 2],
    /// Direction of the foot, degrees from X.
    pub yaw: f64,
    /// Facing of the body on arrival, degrees from X.
    pub facing: f64,
}

struct Dancer {
    start: Stance,
    arrivals: Vec<Arrival>,
    /// Lean away from the partner by repetition, degrees.
    lean: Vec<f64>,
    /// Feet before the first step: place and yaw of left and right.
    feet: [([f64; 2], f64); 2],
}

/// One take as it is danced.
pub struct Performance {
    scenario: Scenario,
    chart: &'static Chart,
    pattern: CountPattern,
    grid: CountGrid,
    dancers: [Dancer; 2],
}

fn smooth(x: f64) -> f64 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}

impl Performance {
    /// Dances the scenario.
    pub fn new(scenario: &Scenario) -> Result<Self, ScenarioError> {
        scenario.check()?;
        let chart = scenario.chart()?;
        let pattern = chart.pattern().clone();
        let grid = scenario.grid(chart.swing)?;
        let mut rng = ChaCha8Rng::seed_from_u64(scenario.seed);
        let dancers =
            Role::BOTH.map(|role| dance(scenario, chart, &pattern, &grid, role, &mut rng));
        Ok(Self {
            scenario: scenario.clone(),
            chart,
            pattern,
            grid,
            dancers,
        })
    }

    /// What was asked for.
    pub fn scenario(&self) -> &Scenario {
        &self.scenario
    }

    /// The count as it is played.
    pub fn grid(&self) -> &CountGrid {
        &self.grid
    }

    /// Counts of one repetition.
    pub fn pattern(&self) -> &CountPattern {
        &self.pattern
    }

    /// The figure.
    pub fn chart(&self) -> &'static Chart {
        self.chart
    }

    /// All arrivals of a role in time order.
    pub fn arrivals(&self, role: Role) -> &[Arrival] {
        &self.dancers[role as usize].arrivals
    }

    /// Length of the take in seconds: one second after the last repetition.
    pub fn length(&self) -> f64 {
        let beats = f64::from(self.pattern.beats) * f64::from(self.scenario.repetitions);
        self.grid.time_of(beats).secs() + 1.0
    }

    /// Moments of the frames that a phone with the scenario's rate takes.
    pub fn frame_times(&self) -> Vec<MediaTime> {
        let fps = self.scenario.fps;
        (0..(self.length() * fps) as u32)
            .map(|i| MediaTime::from_secs(f64::from(i) / fps))
            .collect()
    }

    /// Both bodies at a moment of the clip, seconds.
    pub fn bodies(&self, t: f64) -> [Body; 2] {
        let postures = Role::BOTH.map(|role| self.posture(role, t));
        let (arms, share) = self.arms(t);
        Body::couple(postures, arms, share)
    }

    /// How the couple hold each other before and after the last count that has come, and how far they
    /// are from the one to the other.
    fn arms(&self, t: f64) -> ([Arms<'_>; 2], f64) {
        let start = Arms {
            position: self.chart.start.position,
            holds: &self.chart.holds,
        };
        let layout = self.chart.layout();
        let after = |count: usize| Arms {
            position: layout.positions[count],
            holds: &layout.holds[count],
        };
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        if beat < 0.0 {
            return ([start; 2], 1.0);
        }
        let beats = f64::from(self.pattern.beats);
        let last_repetition = self.scenario.repetitions.saturating_sub(1);
        let repetition = ((beat / beats) as u32).min(last_repetition);
        let into = beat - f64::from(repetition) * beats;
        let come = |m: &CountMark| m.offset(self.grid.swing) <= into;
        let Some(count) = self.pattern.marks.iter().rposition(come) else {
            return ([start; 2], 1.0);
        };
        let before = match (count.checked_sub(1), repetition) {
            (Some(c), _) => after(c),
            (None, 0) => start,
            (None, _) => after(self.pattern.marks.len() - 1),
        };
        let since = self
            .grid
            .time_of_count(&self.pattern, repetition, count)
            .map_or(CHANGE, |at| t - at.secs());
        ([before, after(count)], smooth(since / CHANGE))
    }

    fn posture(&self, role: Role, t: f64) -> Posture {
        let dancer = &self.dancers[role as usize];
        let height = self.scenario.heights[role as usize];
        let mut feet = dancer.feet;
        let mut lifts = [0.0; 2];
        let mut facing = dancer.start.facing;
        // Share of the weight on the left foot.
        let mut left = 0.5;
        for a in &dancer.arrivals {
            if t < a.leaves {
                break;
            }
            let s = smooth((t - a.leaves) / (a.at - a.leaves));
            let i = a.foot as usize;
            let (from, yaw) = feet[i];
            feet[i] = (
                [0, 1].map(|k| from[k] + s * (a.place[k] - from[k])),
                yaw + s * (a.yaw - yaw),
            );
            if t < a.at {
                lifts[i] = 0.022 * (std::f64::consts::PI * s).sin();
            }
            // The standing foot pivots with the body.
            feet[a.foot.other() as usize].1 += s * (a.facing - facing);
            facing += s * (a.facing - facing);
            if a.weight {
                let target = if a.foot == Foot::Left { 0.85 } else { 0.15 };
                let reach = (a.at - a.leaves).max(0.12);
                left += smooth((t - a.at + 0.75 * reach) / (1.1 * reach)) * (target - left);
            }
        }
        let centre = [0, 1].map(|k| left * feet[0].0[k] + (1.0 - left) * feet[1].0[k]);
        Posture {
            height,
            centre,
            facing,
            feet: [0, 1].map(|i| (Point3::new(feet[i].0[0], feet[i].0[1], lifts[i]), feet[i].1)),
            lean: self.lean(role, t),
            rise: self.rise(t),
        }
    }

    /// Lean away from the partner, degrees: grows toward the stretch count and dies away after it.
    fn lean(&self, role: Role, t: f64) -> f64 {
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        let beats = f64::from(self.pattern.beats);
        let rep = (beat / beats).floor();
        let Some(lean) = self.dancers[role as usize].lean.get(rep.max(0.0) as usize) else {
            return 0.0;
        };
        let peak = self
            .chart
            .stretch()
            .and_then(|c| self.pattern.marks.get(c))
            .map_or(beats / 2.0, |m| m.offset(self.grid.swing));
        let away = (beat - rep * beats - peak).abs();
        lean * (1.0 - 0.8 * smooth(away / 2.0))
    }

    fn rise(&self, t: f64) -> f64 {
        if self.chart.slotted {
            return 0.0;
        }
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        if beat < 0.0 {
            return 0.0;
        }
        // Up over the slow, down into the break: once in half a figure.
        let half = 0.5 * f64::from(self.pattern.beats);
        0.012 * (std::f64::consts::PI * beat.rem_euclid(half) / half).sin()
    }
}

/// In which repetitions a role's habits show: as many as their share says, spread by the seed.
pub(crate) fn showing(scenario: &Scenario, role: Role) -> Vec<bool> {
    let all = scenario.repetitions as usize;
    let share = scenario.habits[role as usize].share;
    let many = (share * all as f64).round() as usize;
    let mut order: Vec<usize> = (0..all).collect();
    // A draw of its own, so that the rest of the dance does not change with the share.
    let mut rng = ChaCha8Rng::seed_from_u64(scenario.seed.rotate_left(17) ^ role as u64);
    order.shuffle(&mut rng);
    let mut shows = vec![false; all];
    for i in order.into_iter().take(many) {
        shows[i] = true;
    }
    shows
}

fn dance(
    scenario: &Scenario,
    chart: &Chart,
    pattern: &CountPattern,
    grid: &CountGrid,
    role: Role,
    rng: &mut ChaCha8Rng,
) -> Dancer {
    let showing = showing(scenario, role);
    let stride = Stride::joined(role, scenario.heights);
    let mut draw = |sigma: f64| -> f64 {
        let z: f64 = StandardNormal.sample(rng);
        sigma * z.clamp(-2.5, 2.5)
    };
    let mut apart = chart.start;
    apart.gap *= scenario.closeness;
    let start = start_stance(&apart, role, scenario.heights);
    let mut stance = start;
    let mut arrivals: Vec<Arrival> = Vec::new();
    let mut before = scenario.lead_in - 0.6;
    let clean = Habits::default();
    let ways: Vec<&Habits> = showing
        .iter()
        .map(|s| {
            if *s {
                &scenario.habits[role as usize]
            } else {
                &clean
            }
        })
        .collect();
    for (repetition, habits) in (0..scenario.repetitions).zip(&ways) {
        let mut rows = chart.rows(role).to_vec();
        for row in rows.iter_mut().filter(|r| r.action == Action::Step) {
            row.size *= habits.stride;
        }
        let (steps, next) = floor_path(&rows, stance, stride);
        stance = next;
        for step in steps {
            let row = &rows[step.row];
            let Some(count_at) = grid.time_of_count(pattern, repetition, row.count) else {
                continue;
            };
            let at = (count_at.secs() + habits.late + draw(TIMING.hypot(habits.uneven)))
                .max(before + 0.08);
            let touched = habits.touches == Some(row.count);
            let mut place = Vector2::from(step.to);
            let back = matches!(
                row.direction,
                Direction::Back | Direction::BackLeft | Direction::BackRight
            );
            if row.action == Action::Step && back {
                // Outward: a left foot going back swings to the dancer's left.
                let angle = (-habits.thrown * row.foot.side()).to_radians();
                let travel = place - Vector2::from(step.from);
                let (s, c) = angle.sin_cos();
                place = Vector2::from(step.from)
                    + Vector2::new(c * travel.x - s * travel.y, s * travel.x + c * travel.y);
            }
            if row.count > 0 {
                place.y += habits.drift;
            }
            place += Vector2::new(draw(LANDING), draw(LANDING));
            let twist = if row.count > 1 { habits.twisted } else { 0.0 };
            let leaves = (before + 0.02).max(at - 0.34);
            arrivals.push(Arrival {
                repetition,
                count: row.count,
                foot: row.foot,
                weight: row.action.takes_weight() && !touched,
                at,
                leaves,
                place: place.into(),
                yaw: step.facing + twist + draw(HEADING),
                facing: step.facing,
            });
            before = at;
        }
    }
    let lean = ways.iter().map(|h| h.lean_away + draw(LEAN)).collect();
    let feet = [start.left, start.right].map(|p| (p, start.facing));
    Dancer {
        start,
        arrivals,
        lean,
        feet,
    }
}

/// Whether hands are joined in front (open) or the frame is closed.
pub(crate) fn open(position: Position) -> bool {
    !matches!(
        position,
        Position::Closed
            | Position::CloseEmbrace
            | Position::Promenade
            | Position::CounterPromenade
            | Position::OutsidePartner
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::scenario::Habits;
    use upright_core::body::Landmark;
    use upright_core::chart::vocabulary::Hand;
    use upright_core::chart::{Hold, charts};

    fn every_scenario() -> Vec<Scenario> {
        charts()
            .iter()
            .flat_map(|c| {
                [[1.82, 1.66], [1.7, 1.7], [1.9, 1.55]].map(|heights| Scenario {
                    chart: c.id.clone(),
                    bpm: 0.5 * (c.tempo[0] + c.tempo[1]),
                    heights,
                    repetitions: 2,
                    seed: 5,
                    ..Scenario::default()
                })
            })
            .collect()
    }

    #[test]
    fn bones_keep_their_length_and_nothing_sinks() {
        for s in every_scenario() {
            let p = Performance::new(&s).unwrap();
            let bones = [
                [Landmark::LeftHip, Landmark::LeftKnee],
                [Landmark::LeftKnee, Landmark::LeftAnkle],
                [Landmark::RightHip, Landmark::RightKnee],
                [Landmark::LeftShoulder, Landmark::LeftElbow],
                [Landmark::RightElbow, Landmark::RightWrist],
                [Landmark::LeftHeel, Landmark::LeftToe],
            ];
            let length = |b: &Body, [from, to]: [Landmark; 2]| (b.joint(from) - b.joint(to)).norm();
            let first = p.bodies(0.0);
            let mut t = 0.0;
            while t < p.length() {
                let now = p.bodies(t);
                for (a, b) in now.iter().zip(&first) {
                    for bone in bones {
                        let (l, l0) = (length(a, bone), length(b, bone));
                        assert!(
                            (l - l0).abs() < 0.01,
                            "{} {bone:?} {l} {l0} at {t}",
                            s.chart
                        );
                    }
                    for j in Landmark::ALL {
                        assert!(a.joint(j).z > -1e-6, "{} {j:?} at {t}", s.chart);
                    }
                }
                t += 0.05;
            }
        }
    }

    #[test]
    fn a_planted_foot_stands_still() {
        for s in every_scenario() {
            let p = Performance::new(&s).unwrap();
            for role in Role::BOTH {
                for pair in p.arrivals(role).windows(2) {
                    let foot = pair[0].foot;
                    let [heel, _] = Landmark::heel_toe(foot);
                    let at = |t: f64| p.bodies(t)[role as usize].joint(heel);
                    let moved = (at(pair[0].at) - at(pair[1].at - 1e-4)).norm();
                    if pair[1].foot != foot && pair[1].facing == pair[0].facing {
                        assert!(moved < 1e-6, "{} {role:?} slides {moved}", s.chart);
                    }
                }
            }
        }
    }

    #[test]
    fn held_hands_are_together_and_hands_on_the_body_lie_there() {
        let wrist = |b: &Body, hand| {
            let foot = match hand {
                Hand::Left => Foot::Left,
                Hand::Right => Foot::Right,
            };
            b.joint(Landmark::arm(foot)[2])
        };
        let (mut joined, mut all) = (0, 0);
        for s in every_scenario() {
            let p = Performance::new(&s).unwrap();
            let layout = p.chart().layout();
            for (count, holds) in layout.holds.iter().enumerate() {
                // Just before the next count, when every change of hands is made.
                let next = p.pattern().marks.get(count + 1);
                let beat = next.map_or(f64::from(p.pattern().beats), |m| m.offset(p.grid().swing));
                let [l, f] = p.bodies(p.grid().time_of(beat).secs() - 0.002);
                for hold in holds {
                    let Hold::Hands(a, b) = *hold else { continue };
                    let apart = (wrist(&l, a) - wrist(&f, b)).norm();
                    all += 1;
                    // A hand's length on either side.
                    joined += usize::from(apart < 2.05 * 0.06 * l.height.max(f.height));
                }
            }
        }
        let share = f64::from(joined as u32) / f64::from(all as u32);
        assert!(share > 0.95, "{joined} of {all}");
    }

    #[test]
    fn habits_show_in_the_motion() {
        let mut s = Scenario::default();
        s.habits[0].late = 0.12;
        s.habits[1] = Habits {
            drift: 0.25,
            touches: Some(5),
            ..Habits::default()
        };
        let p = Performance::new(&s).unwrap();
        let clean = Performance::new(&Scenario::default()).unwrap();
        let late: f64 = p
            .arrivals(Role::Leader)
            .iter()
            .zip(clean.arrivals(Role::Leader))
            .map(|(a, b)| a.at - b.at)
            .sum::<f64>()
            / 32.0;
        assert!((late - 0.12).abs() < 0.02, "{late}");
        let touched = p
            .arrivals(Role::Follower)
            .iter()
            .filter(|a| !a.weight)
            .count();
        assert_eq!(touched, 4);
        assert!(
            (p.arrivals(Role::Follower)[3].place[1]
                - clean.arrivals(Role::Follower)[3].place[1]
                - 0.25)
                .abs()
                < 1e-9
        );
    }

    #[test]
    fn what_cannot_be_danced_is_refused() {
        let bad = [
            Scenario {
                chart: "none".into(),
                ..Scenario::default()
            },
            Scenario {
                bpm: 700.0,
                ..Scenario::default()
            },
            Scenario {
                heights: [0.2, 1.7],
                ..Scenario::default()
            },
            Scenario {
                size: [1281, 720],
                ..Scenario::default()
            },
            Scenario {
                fps: f64::NAN,
                ..Scenario::default()
            },
        ];
        for s in bad {
            assert!(Performance::new(&s).is_err(), "{s:?}");
        }
    }
}
