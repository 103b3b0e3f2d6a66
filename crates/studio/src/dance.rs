//! When each foot leaves and lands, where, and how: the charts' steps with a dancer's nature and faults.

use nalgebra::Vector2;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use upright_core::chart::vocabulary::{Contact, Watchpoint};
use upright_core::chart::{
    Action, Chart, ChartRow, Direction, FloorStep, Stance, Stride, floor_path, start_stance, style,
};
use upright_core::count::{CountGrid, CountPattern};
use upright_core::units::{Foot, Role};

use crate::fault::Laid;
use crate::nature::{Drift, normal};
use crate::scenario::Scenario;

/// Natural variation of a clean dancer (1σ): seconds, metres, degrees.
const TIMING: f64 = 0.010;
const LANDING: f64 = 0.008;
const HEADING: f64 = 1.2;

/// Longest swing of a foot, seconds.
const SWING: f64 = 0.34;

/// The follower's feet leave this much after the leader's, seconds: led, not guessed.
const ANSWER: f64 = 0.055;

/// One repetition of a figure.
pub(crate) struct Run {
    pub chart: &'static Chart,
    pub pattern: CountPattern,
    /// Its first beat.
    pub beat: f64,
}

impl Run {
    /// Moment of a count, seconds.
    pub fn time(&self, grid: &CountGrid, count: usize) -> Option<f64> {
        let mark = self.pattern.marks.get(count)?;
        Some(
            grid.time_of(self.beat + mark.offset(self.chart.swing))
                .secs(),
        )
    }
}

/// A foot's arrival: the moment at which it stands on the floor as it stays.
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
    /// Moment, seconds of the take.
    pub at: f64,
    /// Begin of the swing, seconds of the take.
    pub leaves: f64,
    /// Middle of the foot on the floor, metres.
    pub place: [f64; 2],
    /// Direction of the foot, degrees from X.
    pub yaw: f64,
    /// Facing of the body on arrival, degrees from X.
    pub facing: f64,
    /// First contact with the heel, not the ball.
    pub heel_first: bool,
    /// How the foot and the body move on the way.
    pub(crate) way: Way,
}

/// The way to an arrival.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Way {
    /// When the weight begins to pass and how long it takes, seconds.
    pub weight: [f64; 2],
    /// The foot's height at the middle of the swing, metres.
    pub lift: f64,
    /// How far the foot swings out to its own side, metres.
    pub out: f64,
    /// How far the heel rises as the foot peels off, degrees.
    pub peel: f64,
    /// Begin and end of the body's turn, seconds.
    pub turn: [f64; 2],
    /// 0 for an even turn, above for one that begins slow and ends fast.
    pub uneven: f64,
    /// Degrees by which the standing foot stays behind the turn.
    pub stuck: f64,
}

/// One dancer's arrivals and the stance before them.
pub(crate) struct Steps {
    pub start: Stance,
    pub arrivals: Vec<Arrival>,
}

/// Both dancers' feet as charted, without their nature.
struct Charted {
    start: [Stance; 2],
    /// Steps by role and repetition.
    steps: [Vec<Vec<FloorStep>>; 2],
}

impl Charted {
    /// Longer steps are part of the chart: where they lead to is where the next one begins.
    fn of(runs: &[Run], heights: [f64; 2], faults: &[Laid]) -> Self {
        let first = runs[0].chart;
        let start = Role::BOTH.map(|r| start_stance(&first.start, r, heights));
        let steps = Role::BOTH.map(|role| {
            let mut stance = start[role as usize];
            let walk = |(run, it): (usize, &Run)| {
                let stride = Stride::joined(role, heights);
                let mut rows = it.chart.rows(role).to_vec();
                for row in &mut rows {
                    let count = row.count;
                    let shown = Showing {
                        faults,
                        role,
                        run,
                        count,
                    };
                    row.size *= 1.0 + shown.of("S2");
                }
                let (steps, next) = floor_path(&rows, stance, stride);
                stance = next;
                steps
            };
            runs.iter().enumerate().map(walk).collect()
        });
        Self { start, steps }
    }

    /// Both feet of a role after a count of a repetition, and where it faces.
    fn stance(&self, role: Role, runs: &[Run], run: usize, count: usize) -> Stance {
        let mut now = self.start[role as usize];
        for (r, steps) in self.steps[role as usize].iter().enumerate().take(run + 1) {
            let rows = runs[r].chart.rows(role);
            for s in steps {
                if r == run && rows[s.row].count > count {
                    break;
                }
                match s.foot {
                    Foot::Left => now.left = s.to,
                    Foot::Right => now.right = s.to,
                }
                now.facing = s.facing;
            }
        }
        now
    }
}

fn middle(stance: &Stance) -> Vector2<f64> {
    0.5 * (Vector2::from(stance.left) + Vector2::from(stance.right))
}

/// How much of each fault a dancer shows on a count of a repetition.
struct Showing<'a> {
    faults: &'a [Laid],
    role: Role,
    run: usize,
    count: usize,
}

impl Showing<'_> {
    fn laid(&self, id: &str) -> Option<&Laid> {
        self.faults
            .iter()
            .find(|f| f.id == id && f.role == self.role && f.counts[self.run].contains(&self.count))
    }

    /// Size of a fault here, or nothing.
    fn of(&self, id: &str) -> f64 {
        self.laid(id).map_or(0.0, |f| f.size)
    }
}

/// Steps of both dancers.
pub(crate) fn dance(
    scenario: &Scenario,
    runs: &[Run],
    grid: &CountGrid,
    faults: &[Laid],
) -> [Steps; 2] {
    let charted = Charted::of(runs, scenario.heights, faults);
    Role::BOTH.map(|role| {
        // Each dancer's own draw: what the partner does changes nothing of it.
        let mut rng = ChaCha8Rng::seed_from_u64(scenario.seed.wrapping_mul(2) ^ role as u64);
        let nature = scenario.nature;
        let mut timing = Drift::new(TIMING * nature, 0.5);
        let mut length = Drift::new(LANDING * nature, 0.4);
        let mut aside = Drift::new(LANDING * nature, 0.4);
        let mut heading = Drift::new(HEADING * nature, 0.4);
        let mut before = scenario.lead_in - 0.6;
        let mut arrivals: Vec<Arrival> = Vec::new();
        for (run, it) in runs.iter().enumerate() {
            for step in &charted.steps[role as usize][run] {
                let row = &it.chart.rows(role)[step.row];
                let Some(count_at) = it.time(grid, row.count) else {
                    continue;
                };
                // Drawn for every step, so that a fault changes nothing else.
                let noise = [
                    timing.next(&mut rng),
                    length.next(&mut rng),
                    aside.next(&mut rng),
                    heading.next(&mut rng),
                    normal(&mut rng),
                ];
                let shown = Showing {
                    faults,
                    role,
                    run,
                    count: row.count,
                };
                let beat = grid.period_at(it.beat);
                let into = it.pattern.marks[row.count].offset(it.chart.swing);
                let late =
                    shown.of("T1") + shown.of("T3") + shown.of("T5") + shown.of("T4") * into * beat
                        // Who guesses is there early as well.
                        - 0.35 * shown.of("C6");
                // By turns early and late, more or less: by chance alone some repetitions were even.
                let turn = if arrivals.len().is_multiple_of(2) { 1.0 } else { -1.0 };
                let uneven = turn * (1.0 + 0.2 * noise[4]);
                let at =
                    (count_at + late + noise[0] + shown.of("T2") * uneven).max(before + 0.08);
                let energy = shown.of("C7").max(1.0);
                let mut leaves = at - SWING / energy;
                if role == Role::Follower {
                    leaves = (leaves + ANSWER).min(at - 0.12);
                }
                leaves -= shown.of("C5") + shown.of("C6");
                let leaves = leaves.max(before + 0.02).min(at - 0.05);
                let place = place(&charted, runs, &shown, (row, step), [noise[1], noise[2]]);
                let turned = shown.of("R1")
                    + shown.of("R2") * f64::from(row.turn.signum())
                    + shown.of("R3")
                    + shown.of("C2");
                let facing = step.facing + turned;
                let touched = row.action.takes_weight() && shown.laid("S1").is_some();
                let swing = (at - leaves).max(0.12);
                let early = shown.of("R6") * beat;
                // A foot that lands out from under the body lands before the weight comes after it.
                let behind = if shown.laid("S11").is_some() {
                    0.5 * swing
                } else {
                    0.0
                };
                arrivals.push(Arrival {
                    repetition: run as u32,
                    count: row.count,
                    foot: row.foot,
                    weight: row.action.takes_weight() && !touched,
                    at,
                    leaves,
                    place,
                    yaw: facing
                        + shown.of("R11")
                        + row.foot.side() * (style(&it.chart.dance).turnout + shown.of("S9"))
                        + noise[3],
                    facing,
                    heel_first: (row.contact == Some(Contact::Heel)) != shown.laid("S10").is_some(),
                    way: Way {
                        weight: [at - 0.75 * swing + behind, 1.1 * swing],
                        lift: style(&it.chart.dance).swing_height * (1.0 - shown.of("L3"))
                            + shown.of("S6"),
                        out: shown.of("S5") - gathered(row),
                        peel: 24.0 * (1.0 - shown.of("L3")),
                        turn: [leaves - early, at - early],
                        uneven: shown.of("R12"),
                        stuck: shown.of("R8"),
                    },
                });
                before = at;
            }
        }
        settle(&mut arrivals);
        Steps {
            start: charted.start[role as usize],
            arrivals,
        }
    })
}

/// Weight that stayed behind after a touch passes just before the foot that carries it must leave.
fn settle(arrivals: &mut [Arrival]) {
    for i in 1..arrivals.len() {
        let now = arrivals[i];
        let was = &mut arrivals[i - 1];
        if !was.weight && was.foot != now.foot {
            was.way.weight = [now.leaves - 0.06, 0.14];
        }
    }
}

/// Where a step lands.
fn place(
    charted: &Charted,
    runs: &[Run],
    shown: &Showing,
    (row, step): (&ChartRow, &FloorStep),
    noise: [f64; 2],
) -> [f64; 2] {
    let mut travel = Vector2::from(step.to) - Vector2::from(step.from);
    let travels = row.action == Action::Step;
    if travels
        && matches!(
            row.direction,
            Direction::Back | Direction::BackLeft | Direction::BackRight
        )
    {
        // Outward: a left foot going back swings to the dancer's left.
        let (s, c) = (-shown.of("S3") * row.foot.side()).to_radians().sin_cos();
        travel = Vector2::new(c * travel.x - s * travel.y, s * travel.x + c * travel.y);
    }
    let mut place = Vector2::from(step.from) + travel;
    let (s, c) = step.facing.to_radians().sin_cos();
    let (ahead, left) = (Vector2::new(c, s), Vector2::new(-s, c));
    let own = middle(&charted.stance(shown.role, runs, shown.run, row.count));
    let partner = charted.stance(shown.role.partner(), runs, shown.run, row.count);
    let to_partner = middle(&partner) - own;
    let toward = if to_partner.norm() > 0.05 {
        to_partner.normalize()
    } else {
        ahead
    };
    let closer = shown.of("K3") + shown.of("K6") + shown.of("F6") - shown.of("K2") - shown.of("C1")
        + shown.laid("K4").map_or(0.0, |f| {
            // Bit by bit over the counts after the stop.
            let counts = &f.counts[shown.run];
            let nth = counts.iter().position(|c| *c == row.count).unwrap_or(0);
            f.size * (nth + 1) as f64 / counts.len() as f64
        });
    place += toward * closer;
    place.y += shown.of("S4");
    // A dancer who drifts to the own right has the partner too far left.
    place -= left * (shown.of("C3") + shown.of("S7"));
    let centre = 0.5 * (own + middle(&partner));
    let outward = place - centre;
    if outward.norm() > 0.05 {
        place += outward.normalize() * shown.of("R10");
    }
    if travel.norm() > 0.05 {
        place += travel.normalize() * shown.of("S11");
    }
    if let Some(close) = shown.laid("S8") {
        let nearest = [partner.left, partner.right]
            .map(Vector2::from)
            .into_iter()
            .min_by(|a, b| (a - place).norm().total_cmp(&(b - place).norm()));
        if let Some(p) = nearest
            && let Some(away) = (place - p).try_normalize(0.01)
        {
            // How far a foot reaches from its middle to the other one, by where it points.
            let reach = |facing: f64| {
                let (s, c) = facing.to_radians().sin_cos();
                FOOT_HALF * away.dot(&Vector2::new(c, s)).abs()
            };
            let apart = SHOE + close.size + reach(step.facing) + reach(partner.facing);
            // Where it lands is the fault, not chance.
            return (p + away * apart).into();
        }
    }
    place += ahead * noise[0] + left * noise[1];
    place.into()
}

/// Half a foot's length from heel to toe, and a shoe's width, metres.
const FOOT_HALF: f64 = 0.13;
const SHOE: f64 = 0.09;

/// How much nearer than straight from place to place a foot passes the other one, metres: by the ankle where
/// the chart collects the feet.
fn gathered(row: &ChartRow) -> f64 {
    if row.judge.contains(&Watchpoint::Collect) {
        GATHERED
    } else {
        0.0
    }
}

/// From the feet's usual width to passing ankles, metres.
const GATHERED: f64 = 0.13;
