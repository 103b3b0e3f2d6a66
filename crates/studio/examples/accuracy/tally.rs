//! Errors beside what was claimed of them.

use upright_core::units::{Estimate, wrap_degrees};

/// Errors of one measure in one row: error and claimed σ; and how many were not visible.
#[derive(Default)]
pub struct Tally {
    /// Error and claimed σ of each that is said.
    pub errors: Vec<(f64, f64)>,
    /// How many are not.
    pub unseen: usize,
}

impl Tally {
    pub fn add(&mut self, estimate: Option<Estimate>, truth: f64, most_sigma: f64, round: bool) {
        match estimate {
            Some(e) if e.sigma <= most_sigma => {
                let off = e.value - truth;
                self.errors
                    .push((if round { wrap_degrees(off) } else { off }, e.sigma));
            }
            _ => self.unseen += 1,
        }
    }

    /// Those of two together.
    pub fn and(&self, other: &Self) -> Self {
        Self {
            errors: [&self.errors[..], &other.errors].concat(),
            unseen: self.unseen + other.unseen,
        }
    }

    pub fn quantile(&self, q: f64) -> f64 {
        let mut all: Vec<f64> = self.errors.iter().map(|e| e.0.abs()).collect();
        all.sort_by(f64::total_cmp);
        all.get(((all.len() as f64 - 1.0) * q).round() as usize)
            .copied()
            .unwrap_or(f64::NAN)
    }

    pub fn bias(&self) -> f64 {
        self.errors.iter().map(|e| e.0).sum::<f64>() / self.errors.len().max(1) as f64
    }

    pub fn within(&self, times: f64) -> f64 {
        let n = self
            .errors
            .iter()
            .filter(|(e, s)| e.abs() <= times * s)
            .count();
        n as f64 / self.errors.len().max(1) as f64
    }
}
