//! The level of a fault through its takes: a local-level model, smoothed.
//!
//! y_t = μ_t + ε_t with the takes' own σ, μ_{t+1} = μ_t + η_t; the variance of η per take by maximum
//! likelihood, the first level unknown (diffuse). Durbin, J. & Koopman, S. J. (2012), "Time Series Analysis
//! by State Space Methods", chapter 2.

use super::TakeReading;
use crate::units::Estimate;

/// Steps of the search for the level's variance, over this many decades about the mean variance of a take.
const STEPS: usize = 121;
const DECADES: f64 = 6.0;

/// The smoothed level at each take with its standard error.
pub fn level(takes: &[TakeReading]) -> Vec<Estimate> {
    let seen: Vec<(f64, f64)> = takes
        .iter()
        .map(|t| (t.value.value, t.value.sigma.powi(2).max(1e-18)))
        .collect();
    let n = seen.len();
    if n < 3 {
        return takes.iter().map(|t| t.value).collect();
    }
    let mean = seen.iter().map(|s| s.1).sum::<f64>() / n as f64;
    // No movement at all is a candidate too; ties go to the calmer level.
    let moves = std::iter::once(0.0).chain(
        (0..STEPS).map(|k| mean * 10f64.powf(DECADES * (k as f64 / (STEPS - 1) as f64 - 0.5))),
    );
    let best = moves
        .map(|q| (filter(&seen, q).1, q))
        .fold((f64::NEG_INFINITY, 0.0), |a, b| {
            if b.0 > a.0 + 1e-9 { b } else { a }
        })
        .1;
    smooth(&seen, best)
}

/// Filtered levels with their variances, and the log likelihood of all takes but the first.
fn filter(seen: &[(f64, f64)], q: f64) -> (Vec<(f64, f64)>, f64) {
    let mut out = Vec::with_capacity(seen.len());
    let mut likelihood = 0.0;
    for (y, h) in seen {
        let before: Option<(f64, f64)> = out.last().copied();
        let now = match before {
            None => (*y, *h),
            Some((a, p)) => {
                let ahead = p + q;
                let all = ahead + h;
                let miss = y - a;
                likelihood -= 0.5 * ((std::f64::consts::TAU * all).ln() + miss * miss / all);
                (a + ahead / all * miss, ahead * h / all)
            }
        };
        out.push(now);
    }
    (out, likelihood)
}

/// Fixed-interval smoothing (Rauch, Tung & Striebel 1965).
pub(super) fn smooth(seen: &[(f64, f64)], q: f64) -> Vec<Estimate> {
    let filtered = filter(seen, q).0;
    let mut out: Vec<Estimate> = Vec::with_capacity(seen.len());
    let mut next: Option<(f64, f64)> = None;
    for &(a, p) in filtered.iter().rev() {
        let now = match next {
            None => (a, p),
            Some((m, v)) => {
                let ahead = p + q;
                let gain = if ahead > 0.0 { p / ahead } else { 1.0 };
                (a + gain * (m - a), p + gain * gain * (v - ahead))
            }
        };
        next = Some(now);
        out.push(Estimate::new(now.0, now.1.max(0.0).sqrt()));
    }
    out.reverse();
    out
}
