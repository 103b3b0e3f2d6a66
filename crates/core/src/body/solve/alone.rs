//! One dancer without the partner: where the joints are. How surely is worked out once it is known what the hands hold.

use super::arms::{self, Place};
use super::lies::Lies;
use super::skeleton::{Joints, SCALES};
use super::{
    Desk, Given, Instant, SolveError, Solver, State, automatic, contact, hinted, sides, start,
    turns,
};
use crate::camera::Calibration;

/// How many steps are made at most: at first of fewer instants, then of all, of those where sides were exchanged, and
/// with feet told to stand and arms that have chosen their shapes, twice.
struct Pace {
    coarse: usize,
    whole: usize,
    exchanged: usize,
    told: [usize; 2],
}

/// From a start that is only roughly right.
const SLOW: Pace = Pace {
    coarse: 6,
    whole: 2,
    exchanged: 3,
    told: [4, 3],
};

/// Hints make a good start: on 200 simulated takes further steps made no median error smaller by a tenth of a degree or
/// of a centimetre.
const QUICK: Pace = Pace {
    coarse: 4,
    whole: 1,
    exchanged: 3,
    told: [2, 2],
};

/// At first only instants further apart than this are solved, seconds.
const COARSE: f64 = 0.12;

/// A dancer over a take as known without the partner.
#[derive(Debug, Clone)]
pub struct Alone {
    /// Instants, seconds.
    pub(super) at: Vec<f64>,
    pub(super) joints: Vec<Joints>,
    /// Where each hand may be, by instant and side.
    pub(super) hands: Vec<[Vec<Place>; 2]>,
    /// How far other shapes of an arm spread its elbow's angle, degrees, by instant and side.
    pub(super) spreads: Vec<[f64; 2]>,
    /// Standing height, metres.
    pub(super) height: f64,
    /// Length scales, logarithms.
    pub(super) scales: [f64; SCALES],
    /// Root mean square of the pixel residuals in units of their standard errors.
    pub(super) residual: f64,
    /// Factorisations that were needed.
    pub(super) rounds: usize,
    /// By how much a detector's errors count for more because they stay.
    pub(super) stay: f64,
    /// The instants as they were used: sides put right, feet planted.
    pub(super) used: Vec<Instant>,
    /// Where networks see this dancer.
    pub(super) lies: Lies,
    /// How often left and right legs or arms bore each other's names, and were put right.
    pub(super) exchanged: usize,
}

impl Alone {
    /// Solves a dancer's bodies. `cameras` are calibrated in one world; instants in time order. Instants at
    /// which fewer than six landmarks are seen are bridged only where neighbours are near.
    pub fn new(
        height: f64,
        cameras: &[Calibration],
        instants: &[Instant],
    ) -> Result<Self, SolveError> {
        let mut given = Given {
            height,
            cameras: cameras.iter().map(|c| &c.camera).collect(),
            stay: 2.0,
            wide: 1.0,
        };
        let mut instants = instants.to_vec();
        let begun = start::start(&given, &mut instants).ok_or(SolveError::Nothing)?;
        let mut state = State {
            joints: begun,
            scales: [0.0; SCALES],
        };
        // First roughly and at fewer instants, then with feet that stand and arms that choose their shape.
        let pace = if hinted(&instants) { QUICK } else { SLOW };
        let mut desk = Desk::new();
        let mut rounds = coarse(&given, &instants, &mut desk, &mut state, pace.coarse)?;
        {
            let solver = Solver::new(&given, &instants);
            rounds += solver.descend(&mut desk, &mut state, pace.whole, false)?;
            given.stay = solver.stay(&state);
        }
        let lies = Lies::learned(&given, &instants, &state.joints);
        lies.correct(&given, &mut instants, &state.joints);
        let mut exchanged = 0;
        for _ in 0..2 {
            let before = instants.clone();
            let found = sides::mend(&given, &mut instants, &state.joints);
            if found == 0 {
                break;
            }
            exchanged += found;
            let changed: Vec<bool> = before.iter().zip(&instants).map(|(a, b)| a != b).collect();
            let solver = Solver::new(&given, &instants);
            rounds += solver.descend_near(&mut desk, &changed, &mut state, pace.exchanged)?;
            given.stay = solver.stay(&state);
        }
        if automatic(&instants) {
            turns::note(&mut instants, &state.joints);
        }
        let mut chosen = None;
        for again in [false, true] {
            let before = (instants.clone(), state.joints.clone());
            contact::plant(&mut instants, &state.joints);
            chosen = Some(arms::choose(
                &given,
                &instants,
                &mut state.joints,
                &state.scales,
                None,
            ));
            let solver = Solver::new(&given, &instants);
            rounds += if again {
                // Only where a foot or an arm was told otherwise anything is left to do.
                let changed: Vec<bool> = (0..instants.len())
                    .map(|t| instants[t] != before.0[t] || state.joints[t] != before.1[t])
                    .collect();
                solver.descend_near(&mut desk, &changed, &mut state, pace.told[1])?
            } else {
                solver.descend(&mut desk, &mut state, pace.told[0], true)?
            };
        }
        let chosen = chosen.ok_or(SolveError::Nothing)?;
        let residual = Solver::new(&given, &instants).residual(&state);
        Ok(Self {
            at: instants.iter().map(|i| i.at).collect(),
            joints: state.joints,
            hands: chosen.hands,
            spreads: chosen.spreads,
            height,
            scales: state.scales,
            residual,
            rounds,
            stay: given.stay,
            used: instants,
            lies,
            exchanged,
        })
    }

    /// What its bodies are solved from.
    pub(super) fn given<'a>(&self, cameras: &'a [Calibration]) -> Given<'a> {
        Given {
            height: self.height,
            cameras: cameras.iter().map(|c| &c.camera).collect(),
            stay: self.stay,
            wide: 1.0,
        }
    }
}

/// Solves a part of the instants where they follow each other closely, and puts the others between them.
fn coarse(
    given: &Given,
    instants: &[Instant],
    desk: &mut Desk,
    state: &mut State,
    most: usize,
) -> Result<usize, SolveError> {
    let mut some: Vec<usize> = Vec::new();
    for (t, now) in instants.iter().enumerate() {
        let gap = |k: &usize| now.at - instants[*k].at;
        let next = instants.get(t + 1).map(|n| n.at - now.at);
        let last = next.is_none_or(|g| g > COARSE);
        if last || some.last().is_none_or(|k| gap(k) > COARSE) {
            some.push(t);
        }
    }
    let part: Vec<Instant> = some.iter().map(|t| instants[*t].clone()).collect();
    let mut own = State {
        joints: some.iter().map(|t| state.joints[*t]).collect(),
        scales: state.scales,
    };
    let rounds = Solver::new(given, &part).descend(desk, &mut own, most, false)?;
    state.scales = own.scales;
    for (pair, ends) in some.windows(2).zip(own.joints.windows(2)) {
        for t in pair[0]..pair[1] {
            let share = (instants[t].at - instants[pair[0]].at)
                / (instants[pair[1]].at - instants[pair[0]].at).max(1e-6);
            for (x, (a, b)) in state.joints[t].iter_mut().zip(ends[0].iter().zip(&ends[1])) {
                *x = a + share * (b - a);
            }
        }
    }
    if let (Some(t), Some(x)) = (some.last(), own.joints.last()) {
        state.joints[*t] = *x;
    }
    Ok((rounds * some.len()).div_ceil(instants.len().max(1)))
}
