//! A dance by two people at any moment: what the body does above its feet.

use nalgebra::Point3;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use upright_core::chart::vocabulary::{Level, Watchpoint};
use upright_core::chart::{Chart, Family, Position, style};
use upright_core::count::{CountGrid, CountMark, CountPattern};
use upright_core::units::{Foot, MediaTime, Role};

use crate::body::{ArmWays, Arms, Body, FootPose, HandPath, Posture, sinking};
use crate::dance::{Arrival, Run, Steps, dance};
use crate::fault::{Laid, into_arm_lock, lay, overhead};
use crate::nature::{Build, Waver};
use crate::scenario::{Phone, Scenario, ScenarioError};

/// How long a change of hands takes, seconds.
const CHANGE: f64 = 0.2;

/// Rise of a style that rises, share of height, and how much of it straight knees give before the heels
/// leave the floor.
const RISE: f64 = 0.045;
const BY_KNEES: f64 = 0.017;

/// How far a dancer who keeps one level lets the hips sink in the longest steps, and how far the knees are bent
/// for it all the time at most, shares of height.
const GIVES: f64 = 0.015;
const DEEPEST: f64 = 0.05;

/// A quarter turn or more is prepared by turning the other way by so much, degrees.
const PREPARATION: f64 = 16.0;

/// Natural wavering of a clean dancer (1σ): trunk and facing, degrees; hands, metres.
const SWAY: f64 = 0.5;

/// How far below the shoulder the elbow is carried in the frame of the smooth dances, metres.
const CARRIED: f64 = 0.09;
const GAZE: f64 = 3.0;
const HANDS: f64 = 0.004;

/// What wavers in a dancer.
struct Nature {
    lean: Waver,
    tilt: Waver,
    chest: Waver,
    gaze: Waver,
    hands: [Waver; 3],
    jerks: [Waver; 3],
}

impl Nature {
    fn new(seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut slow = || {
            let tempo = rng.random_range(0.25..0.5);
            Waver::new(&mut rng, tempo)
        };
        let [lean, tilt, chest, gaze] = std::array::from_fn(|_| slow());
        let hands = std::array::from_fn(|_| slow());
        let jerks = std::array::from_fn(|_| Waver::new(&mut rng, 6.0));
        Self {
            lean,
            tilt,
            chest,
            gaze,
            hands,
            jerks,
        }
    }
}

/// A stretch of time in which something holds: begin, end, and how long it takes to come and go, seconds.
type Window = [f64; 3];

/// One take as it is danced.
pub struct Performance {
    scenario: Scenario,
    runs: Vec<Run>,
    grid: CountGrid,
    dancers: [Steps; 2],
    faults: Vec<Laid>,
    /// When each fault holds, for what is not a matter of single steps.
    held: Vec<Vec<Window>>,
    natures: [Nature; 2],
    builds: [Build; 2],
    /// When a joined hand is over the head, below the waist, and gives a signal.
    over: Vec<Window>,
    down: Vec<Window>,
    signal: Vec<Window>,
    /// When each dancer prepares a turn, and to which side.
    prepared: [Vec<(Window, f64)>; 2],
    /// Height over the counts: moments and shares of the rise, by role.
    levels: [Vec<(f64, f64)>; 2],
    /// How much lower than on soft knees each dancer goes in each repetition, share of height: so low that the
    /// longest steps of a figure without rise do not bob.
    soft: [Vec<f64>; 2],
}

/// How much higher a dancer stands who keeps the knees straight, share of height.
const TALL: f64 = 0.03;

pub(crate) fn smooth(x: f64) -> f64 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}

/// How much a window holds at a moment, 0..1.
fn within([from, to, edge]: &Window, t: f64) -> f64 {
    smooth((t - from) / edge) * smooth((to - t) / edge)
}

fn most(windows: &[Window], t: f64) -> f64 {
    windows.iter().map(|w| within(w, t)).fold(0.0, f64::max)
}

impl Performance {
    /// Dances the scenario.
    pub fn new(scenario: &Scenario) -> Result<Self, ScenarioError> {
        scenario.check()?;
        let charts = scenario.charts()?;
        let grid = scenario.grid(charts[0].swing)?;
        let faults = lay(&scenario.faults, &charts, scenario.seed)?;
        let mut beat = 0.0;
        let runs: Vec<Run> = charts
            .into_iter()
            .map(|chart| {
                let run = Run {
                    chart,
                    pattern: chart.pattern().clone(),
                    beat,
                };
                beat += f64::from(run.pattern.beats);
                run
            })
            .collect();
        let dancers = dance(scenario, &runs, &grid, &faults);
        let seed = |role: Role| scenario.seed.wrapping_mul(31) ^ (0xA5 + role as u64);
        let builds = Role::BOTH.map(|r| Build::of_person(scenario.people[r as usize]));
        let mut p = Self {
            scenario: scenario.clone(),
            dancers,
            held: faults.iter().map(|f| held(f, &runs, &grid)).collect(),
            faults,
            natures: Role::BOTH.map(|r| Nature::new(seed(r))),
            builds,
            over: Vec::new(),
            down: Vec::new(),
            signal: Vec::new(),
            prepared: [Vec::new(), Vec::new()],
            levels: [Vec::new(), Vec::new()],
            soft: [Vec::new(), Vec::new()],
            runs,
            grid,
        };
        p.lay_paths();
        // How low one dances is a habit: a fault does not change it.
        p.soft = if p.faults.is_empty() {
            Role::BOTH.map(|role| p.softness(role))
        } else {
            let clean = Scenario {
                faults: Vec::new(),
                ..scenario.clone()
            };
            Self::new(&clean)?.soft
        };
        Ok(p)
    }

    /// How low each repetition is danced by a dancer who keeps one level.
    fn softness(&self, role: Role) -> Vec<f64> {
        let ends = self.runs.iter().skip(1).map(|r| r.beat);
        let last = f64::from(self.beats());
        let lowest = |(run, end): (&Run, f64)| {
            let rises = |r: Role| run.chart.rows(r).iter().any(|row| row.level.is_some());
            if Role::BOTH.into_iter().any(rises) {
                return 0.0;
            }
            let steps = ((end - run.beat) * 8.0) as u32;
            let sunk = (0..=steps).map(|i| {
                let beat = run.beat + 0.125 * f64::from(i);
                sinking(&self.posture(role, self.grid.time_of(beat).secs()))
            });
            (sunk.fold(0.0, f64::max) - GIVES).clamp(0.0, DEEPEST)
        };
        let spans = self.runs.iter().zip(ends.chain([last]));
        spans.map(lowest).collect()
    }

    /// How low the dancer goes at a moment, share of height: from one repetition's level to the next one's
    /// within a beat.
    fn softened(&self, role: Role, t: f64) -> f64 {
        let soft = &self.soft[role as usize];
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        let run = self.runs.iter().rposition(|r| r.beat <= beat).unwrap_or(0);
        let (Some(now), before) = (soft.get(run), run.checked_sub(1)) else {
            return 0.0;
        };
        let was = before.and_then(|b| soft.get(b)).unwrap_or(now);
        was + smooth(beat - self.runs[run].beat) * (now - was)
    }

    /// What the hands and the height do over the counts.
    fn lay_paths(&mut self) {
        for (r, run) in self.runs.iter().enumerate() {
            let beat = self.grid.period_at(run.beat);
            let time = |count: usize| run.time(&self.grid, count).unwrap_or(0.0);
            let turned = overhead(run.chart);
            if let [first, .., last] | [first @ last] = turned[..] {
                let window = [
                    time(first) - 0.7 * beat,
                    time(last) + 0.5 * beat,
                    0.5 * beat,
                ];
                self.over.push(window);
            }
            if let Some(locked) = into_arm_lock(run.chart)
                && !self.shows("C9", Role::Leader, r)
            {
                // Down before it goes behind the back.
                let at = time(locked);
                self.down
                    .push([at - 2.2 * beat, at - 0.2 * beat, 0.5 * beat]);
            }
            for role in Role::BOTH {
                let rows = run.chart.rows(role);
                for (i, row) in rows.iter().enumerate() {
                    if row.judge.contains(&Watchpoint::Signal) {
                        let late = self.size("C12", role, r) * beat;
                        let at = time(row.count) + late;
                        self.signal.push([at - 0.2 * beat, at + beat, 0.25 * beat]);
                    }
                    // Who prepares a turn that is the partner's alone winds up for it all the same.
                    let partner = run.chart.rows(role.partner()).iter();
                    let after = rows[i + 1..].iter();
                    let next = after
                        .chain(partner.filter(|n| n.count > row.count))
                        .find(|n| n.turn != 0);
                    if let (true, Some(next)) = (row.judge.contains(&Watchpoint::Prep), next) {
                        let missing = self.size("R4", role, r);
                        let by = -PREPARATION * f64::from(next.turn.signum()) * (1.0 - missing);
                        let at = time(row.count);
                        self.prepared[role as usize]
                            .push(([at - 0.5 * beat, at + 0.6 * beat, 0.45 * beat], by));
                    }
                    let level = match row.level {
                        Some(Level::Rise | Level::Up) => Some(1.0),
                        Some(Level::Lower | Level::Down | Level::Flat) => Some(0.0),
                        None => None,
                    };
                    if let Some(level) = level {
                        let kept = 1.0 - self.size("L2", role, r);
                        self.levels[role as usize].push((time(row.count), level * kept));
                    }
                }
            }
        }
    }

    fn shows(&self, id: &str, role: Role, run: usize) -> bool {
        self.faults
            .iter()
            .any(|f| f.id == id && f.role == role && !f.counts[run].is_empty())
    }

    /// Size of a fault in a repetition, or nothing.
    fn size(&self, id: &str, role: Role, run: usize) -> f64 {
        self.faults
            .iter()
            .find(|f| f.id == id && f.role == role && !f.counts[run].is_empty())
            .map_or(0.0, |f| f.size)
    }

    /// How much a fault holds at a moment, 0..1, and its size.
    fn hold(&self, id: &str, role: Role, t: f64) -> [f64; 2] {
        self.faults
            .iter()
            .zip(&self.held)
            .find(|(f, _)| f.id == id && f.role == role)
            .map_or([0.0; 2], |(f, windows)| [most(windows, t), f.size])
    }

    /// Size of a fault at a moment as it comes and goes.
    fn now(&self, id: &str, role: Role, t: f64) -> f64 {
        let [share, size] = self.hold(id, role, t);
        share * size
    }

    /// How much and how far below its shoulder the elbow is carried: up in the frame of the smooth dances,
    /// lower where a fault drops it.
    fn elbow_height(&self, role: Role, t: f64) -> [f64; 2] {
        let [share, size] = self.hold("F3", role, t);
        let framed = style(&self.runs[0].chart.dance).family == Family::Smooth;
        match framed {
            true => [1.0, CARRIED + share * (size - CARRIED)],
            false => [share, size],
        }
    }

    /// What was asked for.
    pub fn scenario(&self) -> &Scenario {
        &self.scenario
    }

    /// One of the phones; the first where there is no such one.
    pub fn phone(&self, index: usize) -> &Phone {
        let phones = &self.scenario.phones;
        phones.get(index).unwrap_or(&phones[0])
    }

    /// The count as it is played.
    pub fn grid(&self) -> &CountGrid {
        &self.grid
    }

    /// Counts of one repetition of the first figure.
    pub fn pattern(&self) -> &CountPattern {
        &self.runs[0].pattern
    }

    /// The first figure.
    pub fn chart(&self) -> &'static Chart {
        self.runs[0].chart
    }

    /// The figure of each repetition.
    pub fn charts(&self) -> impl Iterator<Item = &'static Chart> + '_ {
        self.runs.iter().map(|r| r.chart)
    }

    /// Moment of a count of a repetition, seconds; none where there is no such count.
    pub fn count_at(&self, repetition: u32, count: usize) -> Option<f64> {
        self.runs.get(repetition as usize)?.time(&self.grid, count)
    }

    pub(crate) fn faults(&self) -> &[Laid] {
        &self.faults
    }

    /// All arrivals of a role in time order.
    pub fn arrivals(&self, role: Role) -> &[Arrival] {
        &self.dancers[role as usize].arrivals
    }

    /// Beats danced.
    pub fn beats(&self) -> u32 {
        self.runs.iter().map(|r| r.pattern.beats).sum()
    }

    /// Length of the take in seconds: one second after the last repetition.
    pub fn length(&self) -> f64 {
        self.grid.time_of(f64::from(self.beats())).secs() + 1.0
    }

    /// Moments of the frames that a phone takes, of its own clip.
    pub fn frame_times(&self, phone: usize) -> Vec<MediaTime> {
        self.phone(phone).frame_times(self.length())
    }

    /// Both bodies at a moment of the dance, seconds.
    pub fn bodies(&self, t: f64) -> [Body; 2] {
        let postures = Role::BOTH.map(|role| self.posture(role, t));
        let (arms, share) = self.arms(t);
        let path = HandPath {
            over: most(&self.over, t),
            down: most(&self.down, t),
            signal: 0.12 * most(&self.signal, t),
        };
        Body::couple(postures, arms, share, &path)
    }

    /// How the couple hold each other before and after the last count that has come, and how far they
    /// are from the one to the other.
    fn arms(&self, t: f64) -> ([Arms<'_>; 2], f64) {
        let first = self.runs[0].chart;
        let start = Arms {
            position: first.start.position,
            holds: &first.holds,
        };
        let after = |run: usize, count: usize| {
            let layout = self.runs[run].chart.layout();
            Arms {
                position: layout.positions[count],
                holds: &layout.holds[count],
            }
        };
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        let Some(run) = self.runs.iter().rposition(|r| r.beat <= beat) else {
            return ([start; 2], 1.0);
        };
        let it = &self.runs[run];
        let come = |m: &CountMark| it.beat + m.offset(it.chart.swing) <= beat;
        let Some(count) = it.pattern.marks.iter().rposition(come) else {
            return ([start; 2], 1.0);
        };
        let before = match (count.checked_sub(1), run) {
            (Some(c), _) => after(run, c),
            (None, 0) => start,
            (None, _) => after(run - 1, self.runs[run - 1].pattern.marks.len() - 1),
        };
        let since = it.time(&self.grid, count).map_or(CHANGE, |at| t - at);
        // Let go too early: the old hands are gone before the new ones come.
        let next = it.time(&self.grid, count + 1);
        for role in Role::BOTH {
            let gap = self.size("C4", role, run);
            let soon = next.is_some_and(|n| n - t < gap);
            let changes = self
                .faults
                .iter()
                .any(|f| f.id == "C4" && f.role == role && f.counts[run].contains(&(count + 1)));
            if gap > 0.0 && soon && changes {
                let none = Arms {
                    position: after(run, count).position,
                    holds: &[],
                };
                let share = next.map_or(1.0, |n| (gap - (n - t)) / CHANGE);
                return ([after(run, count), none], smooth(share));
            }
        }
        ([before, after(run, count)], smooth(since / CHANGE))
    }

    fn posture(&self, role: Role, t: f64) -> Posture {
        let dancer = &self.dancers[role as usize];
        let start = dancer.start;
        let mut feet = [start.left, start.right].map(|at| FootPose {
            at: Point3::new(at[0], at[1], 0.0),
            yaw: start.facing,
            pitch: 0.0,
        });
        let mut facing = start.facing;
        // Share of the weight on the left foot.
        let mut left = 0.5;
        for a in &dancer.arrivals {
            let way = &a.way;
            // A later step may turn before this one is due.
            if t < a.leaves.min(way.turn[0]).min(way.weight[0]) {
                continue;
            }
            let s = ((t - a.leaves) / (a.at - a.leaves)).clamp(0.0, 1.0);
            swing(&mut feet[a.foot as usize], a, s);
            let share = (t - way.turn[0]) / (way.turn[1] - way.turn[0]);
            let share = smooth(share).powf(1.0 + way.uneven);
            let turn = share * (a.facing - facing);
            // The standing foot pivots with the body, as far as it is not stuck.
            let stuck = way.stuck.min((a.facing - facing).abs()) * share * turn.signum();
            feet[a.foot.other() as usize].yaw += turn - stuck;
            facing += turn;
            if a.weight || way.weight[0] > a.at {
                let target = if a.foot == Foot::Left { 0.85 } else { 0.15 };
                left += smooth((t - way.weight[0]) / way.weight[1]) * (target - left);
            }
        }
        let rise = self.rise(role, t);
        for foot in &mut feet {
            // Up on the balls of the feet.
            let up = ((rise - BY_KNEES).max(0.0) / self.builds[role as usize].foot).min(0.5);
            foot.pitch += up.asin().to_degrees();
        }
        let centre = [0, 1].map(|k| left * feet[0].at[k] + (1.0 - left) * feet[1].at[k]);
        self.above(role, t, (feet, centre, facing, rise))
    }

    /// The posture over the feet.
    fn above(
        &self,
        role: Role,
        t: f64,
        (feet, centre, facing, rise): ([FootPose; 2], [f64; 2], f64, f64),
    ) -> Posture {
        let nature = &self.natures[role as usize];
        let much = self.scenario.nature;
        let height = self.scenario.heights[role as usize];
        let now = |id: &str| self.now(id, role, t);
        let prepared: f64 = self.prepared[role as usize]
            .iter()
            .map(|(w, by)| within(w, t) * by)
            .sum();
        let chest = facing + prepared + SWAY * much * nature.chest.at(t);
        let jerk = now("L5");
        let beat = self.grid.beat_at(MediaTime::from_secs(t));
        let bob = now("L1") * 0.5 * (1.0 - (std::f64::consts::TAU * beat).cos());
        // On straight knees the hips stay as high as the legs are long.
        let straight = now("L3");
        let tall = TALL * straight;
        let (s, c) = facing.to_radians().sin_cos();
        // Off before the hang is over: the body goes, the feet follow.
        let off = now("K5");
        // Sinking until the knee bends so far: half of the angle at either bone.
        let [share, bent] = self.hold("L4", role, t);
        let legs = self.builds[role as usize].thigh + self.builds[role as usize].shank;
        let sink = share * legs * (1.0 - (0.5 * bent).to_radians().cos());
        let wide = [
            self.hold("F1", role, t),
            self.hold("F2", role, t),
            self.hold("K1", role, t),
        ];
        let elbow = wide
            .into_iter()
            .enumerate()
            .map(|(i, [share, size])| {
                // Stiff in the compression: as open as before it, but for what it gives.
                [share, if i == 2 { 150.0 - size } else { size }]
            })
            .max_by(|a, b| a[0].total_cmp(&b[0]))
            .unwrap_or_default();
        let hands =
            [0, 1, 2].map(|k| HANDS * much * nature.hands[k].at(t) + jerk * nature.jerks[k].at(t));
        Posture {
            height,
            build: self.builds[role as usize],
            centre: [
                centre[0] + c * (off + jerk * nature.jerks[0].at(t)),
                centre[1] + s * off + jerk * s * nature.jerks[1].at(t),
            ],
            facing: [facing, chest, chest + GAZE * much * nature.gaze.at(t)],
            feet,
            lean: [
                SWAY * much * nature.lean.at(t) + now("P1") + now("K7") - now("P3"),
                SWAY * much * nature.tilt.at(t) + now("P4") + now("R7"),
            ],
            hips_back: now("P2"),
            head_ahead: now("P5"),
            rise: rise + tall - bob - sink - self.softened(role, t) * (1.0 - straight),
            edge: now("S12"),
            arms: ArmWays {
                elbow,
                elbow_by: -now("F4"),
                dropped: self.elbow_height(role, t),
                wrist: now("F5"),
                ahead: now("R5"),
                aside: now("C8"),
                face: self.hold("C10", role, t),
                crowd: self.hold("F6", role, t)[0],
                tremble: hands,
            },
        }
    }

    /// Share of the height by which a dancer is up: up after a count that rises, down by one that lowers.
    fn rise(&self, role: Role, t: f64) -> f64 {
        let levels = &self.levels[role as usize];
        let i = levels.partition_point(|l| l.0 <= t);
        let Some(b) = i.checked_sub(1) else {
            return 0.0;
        };
        let (since, now) = levels[b];
        let before = b.checked_sub(1).map_or(0.0, |k| levels[k].1);
        let (next, until) = levels.get(i).map_or((now, since + 9.0), |l| (l.1, l.0));
        let quick = (0.45 * (until - since)).clamp(0.05, 0.5);
        let mut level = before;
        if now > before {
            level += smooth((t - since) / quick) * (now - before);
        } else {
            level = now;
        }
        if next < now {
            level += smooth((t - until + quick) / quick) * (next - now);
        }
        RISE * level
    }
}

/// The moving foot at a share of its way: it peels off from heel to ball, swings, and meets the floor
/// with its ball or its heel.
fn swing(foot: &mut FootPose, a: &Arrival, s: f64) {
    use std::f64::consts::PI;
    if s <= 0.0 {
        return;
    }
    let way = &a.way;
    // Down and flat a little before it counts as arrived.
    let moved = smooth((s - 0.12) / 0.68);
    let to = Point3::new(a.place[0], a.place[1], 0.0);
    let mut at = foot.at + (to - foot.at) * moved;
    let aside = (foot.yaw + moved * (a.yaw - foot.yaw) + 90.0 * a.foot.side()).to_radians();
    let bulge = (PI * moved).sin();
    at.x += way.out * bulge * aside.cos();
    at.y += way.out * bulge * aside.sin();
    at.z = way.lift * bulge;
    let contact = if a.heel_first { -16.0 } else { 13.0 };
    let peel = way.peel * (PI * (s / 0.5).min(1.0)).sin();
    let land = contact * (PI * ((s - 0.5) / 0.35).clamp(0.0, 1.0)).sin();
    *foot = FootPose {
        at,
        yaw: foot.yaw + moved * (a.yaw - foot.yaw),
        pitch: if s < 1.0 { peel + land } else { 0.0 },
    };
}

/// When a fault holds: from shortly before its counts to shortly after them.
fn held(fault: &Laid, runs: &[Run], grid: &CountGrid) -> Vec<Window> {
    let mut out: Vec<Window> = Vec::new();
    // Which of all counts would go on with the last stretch.
    let (mut before, mut next) = (0, None);
    for (run, counts) in runs.iter().zip(&fault.counts) {
        let beat = grid.period_at(run.beat);
        let edge = 0.3 * beat;
        for count in counts {
            let Some(at) = run.time(grid, *count) else {
                continue;
            };
            let window = match fault.id {
                // The way back begins while the hang still lasts.
                "K5" => [at + 0.05 * beat, at + 1.4 * beat, 0.45 * beat],
                _ => [at - 0.4 * beat, at + 0.6 * beat, edge],
            };
            match out.last_mut() {
                // Neighbouring counts are one stretch, however slow they are.
                Some(last) if next == Some(before + count) => last[1] = window[1],
                _ => out.push(window),
            }
            next = Some(before + count + 1);
        }
        before += run.pattern.marks.len();
    }
    out
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
