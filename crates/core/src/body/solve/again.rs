//! A solution brought up to date after a few instants have changed: only those and what leans on them are
//! solved again, with the lengths as they were.

use super::alone::Alone;
use super::lies::Lies;
use super::skeleton::{Joints, N};
use super::{Desk, FAR, Given, Instant, SolveError, Solver, State, arms, contact, sides, start};
use crate::camera::Calibration;

/// A change is felt so far along a row of near instants, seconds; as much again is solved with it, so that
/// the end of the row does not matter.
const FELT: f64 = 0.4;

/// More changes than one in so many are a new take.
const FEW: usize = 4;

/// An old instant that is the same moment, seconds.
const SAME: f64 = 1e-6;

impl Alone {
    /// The dancer from `instants`, most of which are as they were in `before`, from which this one is known; `None` when
    /// too much has changed, or nothing can be told apart.
    pub fn again(
        &self,
        height: f64,
        cameras: &[Calibration],
        instants: &[Instant],
        before: &[Instant],
    ) -> Option<Result<Self, SolveError>> {
        let old = self;
        if before.len() != old.at.len() || (height - old.height).abs() > 1e-9 {
            return None;
        }
        let was: Vec<Option<usize>> = instants
            .iter()
            .map(|now| {
                let k = before.partition_point(|b| b.at < now.at - SAME);
                before
                    .get(k)
                    .filter(|b| (b.at - now.at).abs() <= SAME)
                    .map(|_| k)
            })
            .collect();
        let mut changed: Vec<usize> = (0..instants.len())
            .filter(|t| was[*t].is_none_or(|k| before[k] != instants[*t]))
            .collect();
        // An instant that is gone takes its support away from the nearest one.
        let mut stayed = vec![false; before.len()];
        was.iter().flatten().for_each(|k| stayed[*k] = true);
        for (gone, _) in before.iter().zip(&stayed).filter(|b| !b.1) {
            let off = |t: &usize| (instants[*t].at - gone.at).abs();
            let nearest = (0..instants.len()).min_by(|a, b| off(a).total_cmp(&off(b)));
            changed.extend(nearest.filter(|t| off(t) < FAR));
        }
        changed.sort_unstable();
        changed.dedup();
        if changed.len() * FEW > instants.len() {
            return None;
        }
        let given = old.given(cameras);
        let lies = old.lies;
        // Marks that tell something else of where networks see this dancer tell it of all instants.
        let places: Vec<Joints> = was
            .iter()
            .map(|k| k.map_or_else(|| [0.0; N], |k| old.joints[k]))
            .collect();
        let told = Lies::learned(&given, before, &old.joints);
        if Lies::learned(&given, instants, &places).differ(&told) {
            return None;
        }
        let mut now = Parts {
            used: Vec::with_capacity(instants.len()),
            joints: Vec::with_capacity(instants.len()),
        };
        for (t, instant) in instants.iter().enumerate() {
            match was[t] {
                Some(k) if before[k] == *instant => {
                    now.used.push(old.used[k].clone());
                    now.joints.push(old.joints[k]);
                }
                Some(k) => {
                    // A second camera tells.
                    let lone = start::one_camera(instant);
                    let was = &old.used[k];
                    let mut own = [Instant {
                        planted: if instant.planted == [[false; 2]; 2] {
                            was.planted
                        } else {
                            instant.planted
                        },
                        turning: was.turning,
                        turns: was.turns,
                        unsure: if lone { was.unsure } else { 0.0 },
                        doubts: if lone { was.doubts.clone() } else { Vec::new() },
                        ..instant.clone()
                    }];
                    lies.correct(&given, &mut own, &old.joints[k..=k]);
                    now.used.extend(own);
                    now.joints.push(old.joints[k]);
                }
                None => {
                    let mut own = [instant.clone()];
                    let found = start::start(&given, &mut own)?;
                    lies.correct(&given, &mut own, &found);
                    now.joints.push(found[0]);
                    now.used.extend(own);
                }
            }
        }
        let mut out = Self {
            at: instants.iter().map(|i| i.at).collect(),
            joints: now.joints.clone(),
            hands: was
                .iter()
                .map(|k| k.map_or_else(Default::default, |k| old.hands[k].clone()))
                .collect(),
            spreads: was
                .iter()
                .map(|k| k.map_or([0.0; 2], |k| old.spreads[k]))
                .collect(),
            used: Vec::new(),
            ..*old
        };
        let mut desk = Desk::new();
        for (from, to, kept) in windows(instants, &changed) {
            let mut part: Vec<Instant> = now.used[from..to].to_vec();
            let mut state = State {
                joints: now.joints[from..to].to_vec(),
                scales: old.scales,
            };
            if let Err(e) = solve_part(&given, &mut desk, &mut part, &mut state) {
                return Some(Err(e));
            }
            let chosen = arms::choose(&given, &part, &mut state.joints, &state.scales, None);
            let solver = Solver::new(&given, &part);
            if let Err(e) = solver.descend_held(&mut desk, &mut state, 4) {
                return Some(Err(e));
            }
            for t in kept {
                let k = t - from;
                out.joints[t] = state.joints[k];
                out.spreads[t] = chosen.spreads[k];
                out.hands[t].clone_from(&chosen.hands[k]);
                now.used[t] = part[k].clone();
            }
        }
        out.used = now.used;
        Some(Ok(out))
    }
}

struct Parts {
    used: Vec<Instant>,
    joints: Vec<Joints>,
}

fn solve_part(
    given: &Given,
    desk: &mut Desk,
    part: &mut [Instant],
    state: &mut State,
) -> Result<(), SolveError> {
    Solver::new(given, part).descend_held(desk, state, 6)?;
    if sides::mend(given, part, &state.joints) > 0 {
        Solver::new(given, part).descend_held(desk, state, 4)?;
    }
    contact::plant(part, &state.joints);
    Ok(())
}

/// Rows of instants to be solved for the changes: from, to, and which of them are kept.
fn windows(instants: &[Instant], changed: &[usize]) -> Vec<(usize, usize, std::ops::Range<usize>)> {
    let reach = |t: usize, far: f64| {
        let (mut from, mut to) = (t, t + 1);
        while from > 0
            && instants[from].at - instants[from - 1].at < FAR
            && instants[t].at - instants[from - 1].at <= far
        {
            from -= 1;
        }
        while to < instants.len()
            && instants[to].at - instants[to - 1].at < FAR
            && instants[to].at - instants[t].at <= far
        {
            to += 1;
        }
        (from, to)
    };
    let mut out: Vec<(usize, usize, std::ops::Range<usize>)> = Vec::new();
    for t in changed {
        let (from, to) = reach(*t, 2.0 * FELT);
        let (first, last) = reach(*t, FELT);
        match out.last_mut() {
            Some(w) if from < w.1 => {
                w.1 = to;
                w.2.end = last;
            }
            _ => out.push((from, to, first..last)),
        }
    }
    out
}
