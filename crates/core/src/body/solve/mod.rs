//! Bodies in three dimensions from what one or more cameras saw of them.
//!
//! For one dancer over a whole take: nineteen points at each instant and nine length scales that all
//! instants share. The solution has the least sum of squared residuals of pixels (with Student weights),
//! bone lengths, posture, floor, smoothness and hints, each in units of its standard error, found by
//! Levenberg–Marquardt on a block-banded system. The cameras are not refined by the bodies: their
//! covariance is carried into every uncertainty instead.

mod again;
mod alone;
mod arms;
mod band;
mod block;
mod bodies;
mod claims;
mod contact;
mod feet;
mod halves;
mod hold;
mod lasting;
mod lies;
mod residuals;
mod sides;
mod skeleton;
mod start;
mod sure;
mod terms;
#[cfg(test)]
mod tests;
mod turns;

use nalgebra::{DMatrix, DVector, Vector3};
use serde::{Deserialize, Serialize};

pub use self::alone::Alone;
use self::band::{Band, Factor};
use self::block::{Column, ROWS, Real, add_diagonal};
pub use self::bodies::{Bodies, Moment, Posture, value};
pub use self::hold::{Grip, Held, Known, with_holds};
pub(crate) use self::lasting::USUAL_FALL;
pub use self::residuals::Residuals;
use self::skeleton::{Joints, N, SCALE_SIGMA, SCALES, at, liveliness, radius};
use self::terms::{Cost, Normal, student};
use super::Landmark;
use crate::camera::{Calibration, Camera};

/// Neighbours further apart than this do not smooth each other, seconds.
const FAR: f64 = 0.25;

/// How much livelier a dancer goes up and down than along the floor: with every beat, all parts together.
const UP: f64 = 2.0;

/// Damping begins here.
const DAMPING: f64 = 1e-3;

/// And here where a detector without hints leaves depth open, of all instants and of those near a solution: from a
/// start that is only roughly right long first steps lead to bodies that fit the picture and are none. On simulated
/// takes seen by one camera joints were off by 11 cm in the mean without this and by 8 cm with it.
const OPEN: [f64; 2] = [5.0, 0.2];

/// An instant goes astray when a step makes its cost larger by this much.
const ASTRAY: f64 = 1.0;

/// An instant whose cost changes by more in a step still moves.
const MOVES: f64 = 0.5;

/// So many instants on either side move with one that does.
const AROUND: usize = 5;

/// Steps of all instants before only those that still move are followed further.
const WHOLE: usize = 2;

/// A step that gains less than this for an instant moves its unknowns by a few hundredths of their standard
/// errors: near enough.
const ENOUGH: f64 = 0.01;

/// Where a landmark's place in a picture comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum Source {
    /// Set by a hand.
    Hand,
    /// Found by a detector that knows its errors.
    Automatic,
    /// Found by the networks that come with the program: their errors stay over a take.
    Network,
    /// Followed from a frame near by.
    Tracked,
    /// Brought from another program.
    Imported,
}

impl Source {
    /// Degrees of freedom of the errors' distribution: a detector is sometimes far off.
    fn freedom(self) -> f64 {
        match self {
            Self::Hand => 30.0,
            _ => 4.0,
        }
    }

    /// How much livelier than the usual motion is allowed.
    fn lively(self) -> f64 {
        match self {
            Self::Hand => 2.5,
            _ => 3.5,
        }
    }
}

/// A landmark in a picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    /// Index of the camera.
    pub camera: usize,
    /// Which.
    pub landmark: Landmark,
    /// Where, pixels.
    pub pixel: [f64; 2],
    /// Standard error along each axis, pixels.
    pub sigma: f64,
    /// Where it comes from.
    pub source: Source,
    /// How much of a hand's correction of the same finder near by it carries, 0 to 1.
    pub carried: f64,
}

/// A place in three dimensions that a landmark network gives.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hint {
    /// Index of the camera.
    pub camera: usize,
    /// Which.
    pub landmark: Landmark,
    /// About the middle of the hips along the camera's right, down and depth, metres.
    pub about_hips: [f64; 3],
}

/// What is known of a dancer at an instant.
#[derive(Debug, Clone, PartialEq)]
pub struct Instant {
    /// Seconds.
    pub at: f64,
    /// Landmarks.
    pub seen: Vec<Seen>,
    /// Hints.
    pub hints: Vec<Hint>,
    /// What finders saw that a hand's marks outrank.
    pub outranked: Vec<Seen>,
    /// Heel and toe of the left and the right foot known to stand on the floor.
    pub planted: [[bool; 2]; 2],
    /// The left and the right foot known to have borne the weight until now: its ball is hardly off the floor.
    pub bore: [bool; 2],
    /// Standard error of a standing part's height, metres.
    pub floor_sigma: f64,
    /// How fast the body turns, radians a second: a quick turn bends the ways of its joints.
    pub turning: f64,
    /// How quickly its turning changes, radians a second squared (1σ), once that is known.
    pub turns: Option<f64>,
    /// How far other ways for the trunk to face that look alike spread its direction, radians (1σ).
    pub unsure: f64,
    /// How other feet that look alike differ from those that were taken: three coordinates of each landmark in order,
    /// metres, whose outer products add up to a covariance.
    pub doubts: Vec<[f64; N]>,
}

impl Instant {
    /// An instant without anything seen.
    pub fn new(at: f64) -> Self {
        Self {
            at,
            seen: Vec::new(),
            hints: Vec::new(),
            outranked: Vec::new(),
            planted: [[false; 2]; 2],
            bore: [false; 2],
            floor_sigma: 0.01,
            turning: 0.0,
            turns: None,
            unsure: 0.0,
            doubts: Vec::new(),
        }
    }
}

/// A dancer whose body is looked for.
struct Given<'a> {
    /// Standing height, metres.
    height: f64,
    /// Cameras of one world.
    cameras: Vec<&'a Camera>,
    /// By how much a detector's errors count for more than they are, because they stay for several
    /// instants.
    stay: f64,
    /// By how much a hand's errors count for more while a body is looked for from far away: marks that it misses
    /// widely must pull at it too.
    wide: f64,
}

impl Given<'_> {
    /// Standard error with which a landmark counts, pixels.
    fn sigma(&self, s: &Seen) -> f64 {
        match s.source {
            Source::Hand => s.sigma * self.wide,
            _ => s.sigma * self.stay,
        }
    }
}

/// Why there is no solution.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SolveError {
    /// Nothing to solve from.
    #[error("Mark at least the feet, the hips and the shoulders at one moment.")]
    Nothing,
    /// The numbers do not hold together.
    #[error(
        "The marks contradict each other so much that no body fits them. Look for a joint marked on the wrong dancer or side."
    )]
    NoFit,
}

/// A dancer's bodies without a partner, with their uncertainties; see [`Alone::new`].
pub fn solve(
    height: f64,
    cameras: &[Calibration],
    instants: &[Instant],
) -> Result<Bodies, SolveError> {
    with_holds(cameras, &Alone::new(height, cameras, instants)?, None, None)
}

/// Somebody of this height who stands upright at a place and faces a direction, degrees from X: places of the
/// landmarks in their order, metres.
pub fn standing(height: f64, place: [f64; 2], yaw: f64) -> [Vector3<f64>; 19] {
    let x = skeleton::standing(height, place, yaw);
    std::array::from_fn(|l| Vector3::new(x[3 * l], x[3 * l + 1], x[3 * l + 2]))
}

/// The unknowns.
#[derive(Debug, Clone)]
struct State {
    joints: Vec<Joints>,
    scales: [f64; SCALES],
}

struct Solver<'a> {
    given: &'a Given<'a>,
    instants: &'a [Instant],
    /// Spread of a change of velocity for each instant that has two near neighbours, scale of it.
    smooth: Vec<Option<Bend>>,
    /// So many instants at the begin and at the end stay where they are.
    kept: (usize, usize),
}

/// A second difference over three instants: coefficients, and the weight of each coordinate's.
#[derive(Debug, Clone, Copy)]
struct Bend {
    by: [f64; 3],
    weights: Joints,
    /// Weights of how shoulders and hips turn, where that is not as free as how they go.
    turns: Option<[f64; 2]>,
}

/// A second difference in the halves' terms, by what its coordinates weigh and what they cost.
struct Bent {
    off: Joints,
    weights: Joints,
    costs: Joints,
}

impl Bend {
    /// Of joints at three instants.
    fn of(&self, joints: &[Joints]) -> Bent {
        let mut off: Joints =
            std::array::from_fn(|i| (0..3).map(|k| self.by[k] * joints[k][i]).sum());
        halves::column(&mut off);
        let mut bent = Bent {
            off,
            weights: self.weights,
            costs: std::array::from_fn(|i| self.weights[i] * off[i] * off[i]),
        };
        for (turn, weight) in halves::BETWEEN.iter().zip(self.turns.iter().flatten()) {
            let squares = turn.map(|i| weight * off[i] * off[i]);
            let weighed = student(turns::FREEDOM, 2.0, squares[0] + squares[1]);
            for (i, square) in turn.iter().zip(squares) {
                bent.weights[*i] = weight * weighed.weight;
                bent.costs[*i] = square * weighed.root().powi(2);
            }
        }
        bent
    }
}

/// The linearised problem in the halves' terms. Keeps its memory when it is filled again.
struct Linear<T> {
    band: Band<T>,
    /// Coordinates by length scales, those of one instant after those of the other.
    cross: Vec<Column<T>>,
    scales: DMatrix<f64>,
    right: Vec<Column<f64>>,
    right_scales: DVector<f64>,
    /// As [`Solver::costs`].
    costs: Vec<f64>,
}

impl<T: Real> Linear<T> {
    fn new() -> Self {
        Self {
            band: Band::new(N),
            cross: Vec::new(),
            scales: DMatrix::zeros(SCALES, SCALES),
            right: Vec::new(),
            right_scales: DVector::zeros(SCALES),
            costs: Vec::new(),
        }
    }
}

/// Where steps are worked out.
struct Desk {
    /// About the state that was reached, and about the one that is tried.
    linear: Linear<f32>,
    tried: Linear<f32>,
    factor: Factor<f32>,
    /// The step of each instant, and how it follows the length scales.
    step: Vec<Column<f32>>,
    by_scale: Vec<Column<f32>>,
}

impl Desk {
    fn new() -> Self {
        Self {
            linear: Linear::new(),
            tried: Linear::new(),
            factor: Factor::new(),
            step: Vec::new(),
            by_scale: Vec::new(),
        }
    }
}

/// Whether anything is seen otherwise than by a hand.
fn automatic(instants: &[Instant]) -> bool {
    let mut seen = instants.iter().flat_map(|i| &i.seen);
    seen.any(|s| s.source != Source::Hand)
}

/// Whether the program's own networks saw anything.
fn by_networks(instants: &[Instant]) -> bool {
    let mut seen = instants.iter().flat_map(|i| &i.seen);
    seen.any(|s| s.source == Source::Network)
}

/// Whether a detector gives the depth of anything.
fn hinted(instants: &[Instant]) -> bool {
    instants.iter().any(|i| !i.hints.is_empty())
}

fn of_scales(state: &State) -> f64 {
    state.scales.iter().map(|s| (s / SCALE_SIGMA).powi(2)).sum()
}

impl<'a> Solver<'a> {
    fn new(given: &'a Given<'a>, instants: &'a [Instant]) -> Self {
        let lively = if automatic(instants) {
            Source::Automatic.lively()
        } else {
            Source::Hand.lively()
        };
        let upright = if by_networks(instants) { 1.0 } else { UP };
        // Seen from a place on the floor, what turns with the body is drawn to its middle.
        let weights = |turning: f64| {
            let mut weights = [0.0; N];
            for l in Landmark::ALL {
                let spreads = [lively * liveliness(l), radius(l) * turning * turning];
                let square = spreads.iter().map(|s| s * s).sum::<f64>();
                weights[at(l)..at(l) + 3].fill(1.0 / square);
                weights[at(l) + 2] /= upright * upright;
            }
            weights
        };
        let smooth = instants
            .windows(3)
            .map(|w| {
                let (a, b) = (w[1].at - w[0].at, w[2].at - w[1].at);
                let turning = w.iter().map(|i| i.turning).fold(0.0, f64::max);
                (a > 1e-4 && b > 1e-4 && a < FAR && b < FAR).then(|| Bend {
                    by: [2.0 / (a * (a + b)), -2.0 / (a * b), 2.0 / (b * (a + b))],
                    weights: weights(turning),
                    turns: turns::weights(w, given.height),
                })
            })
            .collect();
        Self {
            given,
            instants,
            smooth,
            kept: (0, 0),
        }
    }

    /// The cost by instant; what instants have between them counts for the middle or the first one.
    fn costs(&self, state: &State) -> Vec<f64> {
        let mut costs: Vec<f64> = self
            .instants
            .iter()
            .zip(&state.joints)
            .map(|(now, x)| {
                let mut sink = Cost::default();
                terms::instant(self.given, now, x, &state.scales, &mut sink);
                sink.0
            })
            .collect();
        for (t, bend) in self.smooth.iter().enumerate() {
            let Some(bend) = bend else { continue };
            costs[t + 1] += bend.of(&state.joints[t..t + 3]).costs.iter().sum::<f64>();
        }
        for (t, parts) in self.standing() {
            let weight = self.stay_sigma(t).powi(-2);
            for l in parts {
                for i in at(l)..at(l) + 2 {
                    let r = state.joints[t + 1][i] - state.joints[t][i];
                    costs[t] += weight * r * r;
                }
            }
        }
        costs
    }

    /// Parts of the feet that stand at an instant and at the next one.
    fn standing(&self) -> impl Iterator<Item = (usize, Vec<Landmark>)> + '_ {
        self.instants.windows(2).enumerate().map(|(t, w)| {
            let mut parts = Vec::new();
            if w[1].at - w[0].at < FAR {
                for (side, leg) in skeleton::LEGS.iter().enumerate() {
                    for (k, l) in [leg[3], leg[4]].into_iter().enumerate() {
                        if w[0].planted[side][k] && w[1].planted[side][k] {
                            parts.push(l);
                        }
                    }
                }
            }
            (t, parts)
        })
    }

    /// Standard error of a standing part's way to the next instant, metres.
    fn stay_sigma(&self, t: usize) -> f64 {
        1.2 * self.instants[t].floor_sigma
    }

    fn linearise<T: Real>(&self, state: &State, out: &mut Linear<T>) {
        let n = self.instants.len();
        out.band.reset(n);
        out.cross.resize(n * SCALES, [T::default(); ROWS]);
        out.scales = DMatrix::from_diagonal_element(SCALES, SCALES, SCALE_SIGMA.powi(-2));
        out.right.clear();
        out.right_scales = DVector::from_fn(SCALES, |k, _| -state.scales[k] / SCALE_SIGMA.powi(2));
        out.costs.clear();
        for (t, (now, x)) in self.instants.iter().zip(&state.joints).enumerate() {
            let cross = &mut out.cross[t * SCALES..(t + 1) * SCALES];
            let mut normal = Normal::new(out.band.block(t), cross);
            terms::instant(self.given, now, x, &state.scales, &mut normal);
            for k in 0..SCALES {
                out.right_scales[k] += normal.right_scales[k];
                for m in 0..SCALES {
                    out.scales[(k, m)] += normal.scales[k][m];
                }
            }
            out.right.push(normal.right);
            out.costs.push(normal.cost);
            halves::column(&mut out.right[t]);
            halves::triangle(out.band.block(t));
            cross.iter_mut().for_each(|c| halves::column(c));
        }
        for (t, bend) in self.smooth.iter().enumerate() {
            let Some(bend) = bend else { continue };
            let by = bend.by;
            let bent = bend.of(&state.joints[t..t + 3]);
            out.costs[t + 1] += bent.costs.iter().sum::<f64>();
            for (i, (weight, r)) in bent.weights.iter().zip(&bent.off).enumerate() {
                for (k, by) in by.iter().enumerate() {
                    out.right[t + k][i] -= weight * by * r;
                    out.band.block(t + k)[i][i] += T::rounded(weight * by * by);
                }
            }
            let meet = |to: &mut Column<T>, by: f64| {
                for (to, weight) in to.iter_mut().zip(&bent.weights) {
                    *to += T::rounded(by * weight);
                }
            };
            meet(out.band.beside(t), by[0] * by[1]);
            meet(out.band.beside(t + 1), by[1] * by[2]);
            meet(out.band.beyond(t), by[0] * by[2]);
        }
        for (t, parts) in self.standing() {
            let weight = self.stay_sigma(t).powi(-2);
            for l in parts {
                for i in at(l)..at(l) + 2 {
                    let r = state.joints[t + 1][i] - state.joints[t][i];
                    out.costs[t] += weight * r * r;
                    out.right[t][i] += weight * r;
                    out.right[t + 1][i] -= weight * r;
                    let weight = T::rounded(weight);
                    out.band.block(t)[i][i] += weight;
                    out.band.block(t + 1)[i][i] += weight;
                    out.band.beside(t)[i] += -weight;
                }
            }
        }
    }

    /// At most so many steps of Levenberg–Marquardt, the first few of all instants, with the length scales held or not,
    /// and the rest only of those that still move, with the lengths as they are; says how many factorisations it
    /// took, in whole takes.
    fn descend(
        &self,
        desk: &mut Desk,
        state: &mut State,
        most: usize,
        held: bool,
    ) -> Result<usize, SolveError> {
        let whole = self.steps(desk, state, most.min(WHOLE), held)?;
        if whole.settled || most <= WHOLE {
            return Ok(whole.rounds);
        }
        let near = self.descend_near(desk, &whole.restless, state, most - WHOLE)?;
        Ok(whole.rounds + near)
    }

    /// At most so many steps of some instants and those about them, with the lengths as they are; says how many
    /// factorisations it took, in whole takes.
    fn descend_near(
        &self,
        desk: &mut Desk,
        moving: &[bool],
        state: &mut State,
        most: usize,
    ) -> Result<usize, SolveError> {
        let mut done = 0;
        for (from, to) in restless(self.instants, moving) {
            // The last ones' neighbours hold them.
            let (first, last) = (
                around(self.instants, from, 2),
                around(self.instants, to - 1, 2),
            );
            let ends = (first.0, last.1);
            let part = Self {
                kept: (from - ends.0, ends.1 - to),
                ..Self::new(self.given, &self.instants[ends.0..ends.1])
            };
            let mut own = State {
                joints: state.joints[ends.0..ends.1].to_vec(),
                scales: state.scales,
            };
            let steps = part.steps(desk, &mut own, most, true)?;
            state.joints[ends.0..ends.1].copy_from_slice(&own.joints);
            done += steps.rounds * (ends.1 - ends.0);
        }
        Ok(done.div_ceil(self.instants.len()))
    }

    /// At most so many steps with the length scales held.
    fn descend_held(
        &self,
        desk: &mut Desk,
        state: &mut State,
        most: usize,
    ) -> Result<usize, SolveError> {
        Ok(self.steps(desk, state, most, true)?.rounds)
    }

    fn steps(
        &self,
        desk: &mut Desk,
        state: &mut State,
        most: usize,
        held: bool,
    ) -> Result<Steps, SolveError> {
        let n = self.instants.len();
        // Each instant has its own damping: one that goes astray does not hold the others back.
        let begin = if hinted(self.instants) || !automatic(self.instants) {
            DAMPING
        } else {
            OPEN[usize::from(held)]
        };
        let mut damping = vec![begin; n];
        let mut wild = vec![false; n];
        let mut done = Steps {
            rounds: 0,
            settled: false,
            restless: vec![true; n],
        };
        self.linearise(state, &mut desk.linear);
        while done.rounds < most {
            done.rounds += 1;
            let Some(scales) = desk.increment(&damping, held, self.kept) else {
                damping.iter_mut().for_each(|d| *d *= 20.0);
                if damping.iter().all(|d| *d > 1e9) {
                    return Err(SolveError::NoFit);
                }
                continue;
            };
            let mut next = state.clone();
            let moving = self.kept.0..n - self.kept.1;
            for (x, d) in next
                .joints
                .iter_mut()
                .zip(&desk.step)
                .take(moving.end)
                .skip(moving.start)
            {
                for (v, by) in x.iter_mut().zip(d) {
                    // No joint moves further than half a metre in one step.
                    *v += f64::from(*by).clamp(-0.5, 0.5);
                }
            }
            for (s, by) in next.scales.iter_mut().zip(scales.iter()) {
                *s = (*s + by).clamp(-0.2, 0.2);
            }
            // Another step starts from here; the last one is only judged.
            if done.rounds < most {
                self.linearise(&next, &mut desk.tried);
            } else {
                desk.tried.costs = self.costs(&next);
            }
            let (was, costs) = (&desk.linear.costs, &desk.tried.costs);
            let sum = |costs: &[f64], state: &State| costs.iter().sum::<f64>() + of_scales(state);
            let (before, cost) = (sum(was, state), sum(costs, &next));
            let better = cost.is_finite() && cost < before;
            for (t, d) in damping.iter_mut().enumerate() {
                let astray = !costs[t].is_finite() || costs[t] > was[t] + ASTRAY;
                wild[t] |= astray;
                *d = match (astray, better) {
                    (true, _) => *d * 12.0,
                    (false, true) => (*d * if wild[t] { 0.5 } else { 0.2 }).max(1e-9),
                    // Its neighbours have to come after it.
                    (false, false) => *d * 1.5,
                };
                done.restless[t] = astray || (costs[t] - was[t]).abs() > MOVES;
            }
            if better {
                *state = next;
                std::mem::swap(&mut desk.linear, &mut desk.tried);
                if before - cost < ENOUGH * n as f64 {
                    done.settled = true;
                    break;
                }
            } else if damping.iter().all(|d| *d > 1e9) {
                break;
            }
        }
        Ok(done)
    }

    /// By how much errors that stay count for more, from how alike the pixel residuals of neighbouring
    /// instants are: with a correlation ρ from one to the next, n of them tell as much as
    /// n (1 − ρ)/(1 + ρ) independent ones.
    fn stay(&self, state: &State) -> f64 {
        let miss = |t: usize| -> std::collections::BTreeMap<(usize, Landmark), [f64; 2]> {
            let now = &self.instants[t];
            now.seen
                .iter()
                .filter_map(|s| {
                    let place = skeleton::p(&state.joints[t], s.landmark);
                    let (pixel, _) = terms::pixel(self.given.cameras[s.camera], place)?;
                    // Far-off ones would speak for all.
                    let off = [0, 1].map(|k| ((pixel[k] - s.pixel[k]) / s.sigma).clamp(-3.0, 3.0));
                    Some(((s.camera, s.landmark), off))
                })
                .collect()
        };
        let (mut both, mut squares) = (0.0, 0.0);
        for t in 1..self.instants.len() {
            if self.instants[t].at - self.instants[t - 1].at > FAR {
                continue;
            }
            let before = miss(t - 1);
            for (key, now) in miss(t) {
                if let Some(was) = before.get(&key) {
                    both += now[0] * was[0] + now[1] * was[1];
                    squares +=
                        0.5 * (now[0].powi(2) + now[1].powi(2) + was[0].powi(2) + was[1].powi(2));
                }
            }
        }
        let alike = if squares > 0.0 {
            (both / squares).clamp(0.0, 0.75)
        } else {
            0.0
        };
        ((1.0 + alike) / (1.0 - alike)).sqrt()
    }

    /// Root mean square of the pixel residuals in units of their standard errors.
    fn residual(&self, state: &State) -> f64 {
        let (mut squares, mut many) = (0.0, 0.0);
        for (now, x) in self.instants.iter().zip(&state.joints) {
            for s in &now.seen {
                let place = skeleton::p(x, s.landmark);
                if let Some((pixel, _)) = terms::pixel(self.given.cameras[s.camera], place) {
                    let off = [0, 1].map(|k| (pixel[k] - s.pixel[k]) / s.sigma);
                    squares += off[0] * off[0] + off[1] * off[1];
                    many += 2.0;
                }
            }
        }
        (squares / f64::max(many, 1.0)).sqrt()
    }
}

/// Takes Σ aᵀ b off, of which so many columns belong to each instant as there are rows and columns.
fn take_dots<T: Real>(from: &mut DMatrix<f64>, a: &[Column<T>], b: &[Column<T>]) {
    let mut dots = vec![[T::default(); ROWS]; from.ncols()];
    for (a, b) in a.chunks(from.nrows()).zip(b.chunks(from.ncols())) {
        dots.fill([T::default(); ROWS]);
        T::add_dots(&mut dots, a, b, T::ONE);
        for (mut column, dots) in from.column_iter_mut().zip(&dots) {
            for (to, dot) in column.iter_mut().zip(dots) {
                *to -= (*dot).into();
            }
        }
    }
}

/// What some steps came to.
struct Steps {
    rounds: usize,
    /// Whether the last one gained next to nothing.
    settled: bool,
    /// Instants that the last one still changed.
    restless: Vec<bool>,
}

/// So many instants before and after one, as far as each leans on the next: from, to.
fn around(instants: &[Instant], t: usize, many: usize) -> (usize, usize) {
    let near = |k: &usize| instants[*k].at - instants[k - 1].at < FAR;
    let before = (1..=t).rev().take(many).take_while(near).count();
    let after = (t + 1..instants.len()).take(many).take_while(near).count();
    (t - before, t + after + 1)
}

/// Rows of instants that still move, with their surroundings: from, to.
fn restless(instants: &[Instant], moving: &[bool]) -> Vec<(usize, usize)> {
    let mut out: Vec<(usize, usize)> = Vec::new();
    for t in (0..moving.len()).filter(|t| moving[*t]) {
        let (from, to) = around(instants, t, AROUND);
        match out.last_mut() {
            Some(w) if from <= w.1 + 2 => w.1 = to,
            _ => out.push((from, to)),
        }
    }
    out
}

/// Weight that holds an instant where it is: far above what pulls at it.
const KEPT: f32 = 1e15;

impl Desk {
    /// Works out the damped step of all coordinates; gives that of the length scales. In single precision: a step only
    /// has to lead downhill, and where it leads is worked out in double precision.
    fn increment(
        &mut self,
        damping: &[f64],
        held: bool,
        kept: (usize, usize),
    ) -> Option<DVector<f64>> {
        let Self {
            linear,
            factor,
            step,
            by_scale,
            ..
        } = self;
        let moving = kept.0..linear.right.len() - kept.1;
        factor.of(&linear.band, |t, block| {
            if !moving.contains(&t) {
                block.fill([0.0; ROWS]);
                add_diagonal(block, &[KEPT; ROWS]);
                return;
            }
            let damping = damping[t];
            for (i, column) in block.iter_mut().enumerate() {
                column[i] = (f64::from(column[i]) * (1.0 + damping) + 1e-6 + 10.0 * damping) as f32;
            }
        })?;
        let calm = damping.iter().copied().fold(f64::INFINITY, f64::min);
        step.clear();
        step.extend(linear.right.iter().map(|r| r.map(|v| v as f32)));
        factor.solve(step, 1);
        let mut scales = DVector::zeros(SCALES);
        // Where the lengths move too, their columns.
        if !held {
            by_scale.clone_from(&linear.cross);
            factor.solve(by_scale, SCALES);
            let mut schur = linear.scales.clone();
            take_dots(&mut schur, &linear.cross, by_scale);
            for k in 0..SCALES {
                schur[(k, k)] *= 1.0 + calm;
            }
            let mut right = DMatrix::from_column_slice(SCALES, 1, linear.right_scales.as_slice());
            take_dots(&mut right, &linear.cross, step);
            scales = schur.cholesky()?.solve(&right.column(0));
            let by = block::columns(&DMatrix::from_column_slice(SCALES, 1, scales.as_slice()));
            for (x, z) in step.chunks_mut(1).zip(by_scale.chunks(SCALES)) {
                f32::add_product(x, z, &by, -1.0);
            }
        }
        step.iter_mut().for_each(|s| halves::column(s));
        Some(scales)
    }
}
