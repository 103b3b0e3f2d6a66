//! Does it show in fewer repetitions than before?
//!
//! Fisher's exact test: Fisher, R. A. (1922), J. R. Stat. Soc. 85; two-sided by the tables that are no more
//! probable than the one seen.

use serde::{Deserialize, Serialize};
use statrs::distribution::{Discrete as _, Hypergeometric};

/// How often a fault shows, then and now.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FrequencyChange {
    /// Repetitions that showed it then, of those measured.
    pub before: [u32; 2],
    /// The same now.
    pub now: [u32; 2],
    /// Probability of a difference at least as unlikely when nothing has changed, 0..1.
    pub p: f64,
    /// Below 5 %.
    pub real: bool,
}

/// Compares two proportions, each as (hits, of).
pub fn frequency_change(before: [u32; 2], now: [u32; 2]) -> FrequencyChange {
    let p = two_sided(before, now);
    FrequencyChange {
        before,
        now,
        p,
        real: p < 0.05,
    }
}

fn two_sided([a, n]: [u32; 2], [b, m]: [u32; 2]) -> f64 {
    let [a, b, n, m] = [a.min(n), b.min(m), n, m].map(u64::from);
    let hits = a + b;
    let Ok(law) = Hypergeometric::new(n + m, hits, n) else {
        return 1.0;
    };
    let seen = law.pmf(a);
    let (least, most) = (hits.saturating_sub(m), hits.min(n));
    let p: f64 = (least..=most)
        .map(|k| law.pmf(k))
        // Tables that are equally probable may differ in the last digits.
        .filter(|q| *q <= seen * (1.0 + 1e-7))
        .sum();
    p.min(1.0)
}
