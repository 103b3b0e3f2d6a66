//! A new level, or a drift?
//!
//! Three descriptions of the takes (one level, a straight line over time, two levels) are fitted with the
//! takes' own errors; the one with the smallest Bayesian information criterion (Schwarz, G. (1978), Ann.
//! Stat. 6) describes them.

use serde::{Deserialize, Serialize};

use super::TakeReading;
use crate::units::Estimate;

/// How a fault went.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "is", rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Shape {
    /// Stays where it is.
    Steady,
    /// Moves little by little.
    Drift,
    /// Went over to a new level.
    Step {
        /// First take on it, among those compared.
        at: usize,
        /// Level before.
        from: Estimate,
        /// Level since.
        to: Estimate,
    },
}

/// Fewest takes of which a shape is told.
const FEWEST: usize = 4;

/// A shape that is no steady level has to be this much better in the criterion (Kass, R. E. & Raftery, A. E.
/// (1995): positive evidence from 2 on).
const POSITIVE: f64 = 2.0;

/// The shape of takes in order of date.
pub fn shape(takes: &[TakeReading]) -> Option<Shape> {
    let n = takes.len();
    if n < FEWEST {
        return None;
    }
    let first = takes[0].date;
    let points: Vec<[f64; 3]> = takes
        .iter()
        .map(|t| {
            let weight = 1.0 / t.value.sigma.powi(2).max(1e-18);
            [
                f64::from((t.date - first).get_days()),
                t.value.value,
                weight,
            ]
        })
        .collect();
    let price = |parameters: f64| parameters * (n as f64).ln();
    let steady = flat(&points).1 + price(1.0);
    let drift = line(&points) + price(2.0);
    // Two levels and where they meet.
    let step = (1..n)
        .map(|at| {
            (
                flat(&points[..at]).1 + flat(&points[at..]).1 + price(3.0),
                at,
            )
        })
        .min_by(|a, b| a.0.total_cmp(&b.0))?;
    Some(if steady <= drift.min(step.0) + POSITIVE {
        Shape::Steady
    } else if drift <= step.0 {
        Shape::Drift
    } else {
        let at = step.1;
        Shape::Step {
            at,
            from: flat(&points[..at]).0,
            to: flat(&points[at..]).0,
        }
    })
}

/// Weighted mean with its standard error, and the sum of weighted squares about it.
fn flat(points: &[[f64; 3]]) -> (Estimate, f64) {
    let weight: f64 = points.iter().map(|p| p[2]).sum();
    let mean = points.iter().map(|p| p[2] * p[1]).sum::<f64>() / weight;
    let squares = points.iter().map(|p| p[2] * (p[1] - mean).powi(2)).sum();
    (Estimate::new(mean, weight.sqrt().recip()), squares)
}

/// The sum of weighted squares about the best line over days.
fn line(points: &[[f64; 3]]) -> f64 {
    let weight: f64 = points.iter().map(|p| p[2]).sum();
    let mean = |k: usize| points.iter().map(|p| p[2] * p[k]).sum::<f64>() / weight;
    let (x, y) = (mean(0), mean(1));
    let sum = |f: &dyn Fn(&[f64; 3]) -> f64| points.iter().map(|p| p[2] * f(p)).sum::<f64>();
    let xx = sum(&|p| (p[0] - x).powi(2));
    let xy = sum(&|p| (p[0] - x) * (p[1] - y));
    let slope = if xx > 0.0 { xy / xx } else { 0.0 };
    sum(&|p| (p[1] - y - slope * (p[0] - x)).powi(2))
}

#[cfg(test)]
mod tests {
    use super::super::tests::takes;
    use super::*;

    #[test]
    fn a_step_a_drift_and_a_level_are_told_apart() {
        let told = |v: &[f64]| shape(&takes(v, 0.4)).unwrap();
        assert_eq!(told(&[6.0, 6.3, 5.8, 6.1, 5.9, 6.2]), Shape::Steady);
        assert_eq!(told(&[8.0, 7.2, 6.5, 5.6, 4.9, 4.1, 3.5]), Shape::Drift);
        let Shape::Step { at, from, to } = told(&[7.0, 7.2, 6.8, 3.1, 2.9, 3.2, 3.0]) else {
            panic!("a step");
        };
        assert_eq!(at, 3);
        assert!((from.value - 7.0).abs() < 1e-9 && (to.value - 3.05).abs() < 1e-9);
        assert!((to.sigma - 0.2).abs() < 1e-9);
        assert_eq!(shape(&takes(&[1.0, 9.0, 1.0], 0.1)), None);
    }
}
