//! The solver's residuals as plain numbers, so that another solver can be asked what it makes of them.

use super::alone::Alone;
use super::skeleton::{N, SCALE_SIGMA, SCALES, at};
use super::terms::{self, Sink, Weighed};
use super::{Given, Joints, Solver};
use crate::camera::Calibration;

/// The residuals of a solved dancer: sides, standing feet and instants as the solution used them. Unknowns are
/// nineteen places at each instant, metres, and last nine length scales; the sum of squared residuals is what
/// the solution makes small.
pub struct Residuals<'a> {
    given: Given<'a>,
    alone: &'a Alone,
}

/// Takes up residuals so that their squares are their costs; as many for every body.
#[derive(Default)]
struct Rows(Vec<f64>);

impl Sink for Rows {
    const SLOPES: bool = false;
    const IDLE: bool = true;

    fn weigh(&mut self, residual: f64, _: &[(usize, f64)], _: &[(usize, f64)], by: Weighed) {
        self.0.push(residual * by.root());
    }
}

impl<'a> Residuals<'a> {
    /// Of a dancer who was solved from these cameras.
    pub fn new(cameras: &'a [Calibration], alone: &'a Alone) -> Self {
        Self {
            given: alone.given(cameras),
            alone,
        }
    }

    /// The unknowns as they were solved.
    pub fn solved(&self) -> Vec<f64> {
        let joints = self.alone.joints.iter().flatten();
        joints.chain(&self.alone.scales).copied().collect()
    }

    /// The residuals at these unknowns, each with the first and the last instant that it depends on, in the same
    /// order every time; `None` unless there are as many unknowns as there must be.
    pub fn at(&self, unknowns: &[f64]) -> Option<Vec<(f64, [usize; 2])>> {
        let n = self.alone.used.len();
        if unknowns.len() != N * n + SCALES {
            return None;
        }
        let (joints, scales) = unknowns.split_at(N * n);
        let joints: Vec<Joints> = joints
            .chunks_exact(N)
            .filter_map(|x| x.try_into().ok())
            .collect();
        let scales: [f64; SCALES] = scales.try_into().ok()?;
        let mut out = Vec::new();
        for (t, (now, x)) in self.alone.used.iter().zip(&joints).enumerate() {
            let mut rows = Rows::default();
            terms::instant(&self.given, now, x, &scales, &mut rows);
            out.extend(rows.0.into_iter().map(|r| (r, [t, t])));
        }
        let solver = Solver::new(&self.given, &self.alone.used);
        for (t, bend) in solver.smooth.iter().enumerate() {
            let Some(bend) = bend else { continue };
            let bent = bend.of(&joints[t..t + 3]);
            let rows = bent.off.iter().zip(&bent.costs);
            out.extend(rows.map(|(r, cost)| (r.signum() * cost.sqrt(), [t, t + 2])));
        }
        for (t, parts) in solver.standing() {
            for l in parts {
                let flat = at(l)..at(l) + 2;
                let ends = joints[t + 1][flat.clone()].iter().zip(&joints[t][flat]);
                out.extend(ends.map(|(b, a)| ((b - a) / solver.stay_sigma(t), [t, t + 1])));
            }
        }
        let begin = [0, n.saturating_sub(1)];
        out.extend(scales.iter().map(|s| (s / SCALE_SIGMA, begin)));
        Some(out)
    }
}
