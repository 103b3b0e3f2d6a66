//! Is it better? One fault of one person over their takes.

mod status;
mod trend;

use jiff::civil::Date;
use serde::{Deserialize, Serialize};

pub use status::{Outcome, Status, status};
pub use trend::{Trend, trend};

use crate::fault::Band;
use crate::units::Estimate;

/// One take's answer for a fault.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TakeReading {
    /// Day of the session.
    #[cfg_attr(feature = "schema", schema(value_type = String, format = Date))]
    pub date: Date,
    /// Mean of the repetitions' worst readings.
    pub value: Estimate,
    /// Repetitions that show the fault.
    pub showing: u32,
    /// Repetitions measured.
    pub of: u32,
}

/// The straight answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Answer {
    /// One take only.
    OneTake,
    /// The difference is below the smallest real change.
    NoChangeThatCanBeTold,
    /// Nearer to fine by more than it.
    Better,
    /// Further from fine by more than it.
    Worse,
}

/// What the newest takes are compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Against {
    /// The first takes.
    Start,
    /// The last takes that held, for a fault that slipped back: nearer than the start, and what is lost.
    WhenItHeld,
}

/// What can be said about a fault over time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Progress {
    /// Takes in order of date.
    pub takes: Vec<TakeReading>,
    /// The answer.
    pub answer: Answer,
    /// What it is compared with.
    pub against: Against,
    /// Where that was: mean of two takes (of the first one when there are fewer than four).
    pub before: Estimate,
    /// Where it is: mean of the last two takes (the last one when fewer than four).
    pub now: Estimate,
    /// Smallest difference of these two that could be told.
    pub smallest_real_change: f64,
    /// First take from which on the difference to the start is real.
    pub real_from: Option<usize>,
    /// Slope, with four takes or more.
    pub trend: Option<Trend>,
    /// Life of the fault.
    pub status: Status,
}

/// Smallest difference between two values that error alone would hide in fewer than 5 % of cases:
/// 1.96·√(a² + b²), which for equal standard errors of measurement is 1.96·√2·SEM.
/// Weir, J. P. (2005), "Quantifying test-retest reliability", J. Strength Cond. Res. 19.
pub fn smallest_real_change(before: f64, now: f64) -> f64 {
    1.96 * before.hypot(now)
}

/// Judges the takes of one person for one fault by its band; `None` without takes.
pub fn progress(band: &Band, mut takes: Vec<TakeReading>) -> Option<Progress> {
    takes.sort_by_key(|t| t.date);
    let n = takes.len();
    if n == 0 {
        return None;
    }
    let width = if n >= 4 { 2 } else { 1 };
    let outcomes: Vec<(Date, Outcome)> = takes
        .iter()
        .map(|t| (t.date, Outcome::of(band, t)))
        .collect();
    let status = status(&outcomes);
    let held = outcomes
        .windows(2)
        .rposition(|w| w.iter().all(|o| o.1 == Outcome::Fine))
        .filter(|_| status == Status::SlippedBack);
    let (against, before, after) = match held {
        Some(i) => (Against::WhenItHeld, pooled(&takes[i..i + 2]), i + 2),
        None => (Against::Start, pooled(&takes[..width]), width),
    };
    let width = width.min((n - after).max(1));
    let now = pooled(&takes[n - width..]);
    // Distance to the fine band, so that both edges of a band mean the same.
    let distance = |e: Estimate| band.beyond(e.value);
    let needed = smallest_real_change(before.sigma, now.sigma);
    let change = distance(now) - distance(before);
    let answer = if n == 1 {
        Answer::OneTake
    } else if change.abs() <= needed {
        Answer::NoChangeThatCanBeTold
    } else if change < 0.0 {
        Answer::Better
    } else {
        Answer::Worse
    };
    let real_from = match answer {
        Answer::Better | Answer::Worse => {
            let real = |t: &TakeReading| {
                let change_then = distance(t.value) - distance(before);
                change_then.abs() > smallest_real_change(before.sigma, t.value.sigma)
                    && change_then.signum() == change.signum()
            };
            // The last run of takes that all differ; it may be broken by a single doubtful one.
            let mut from = None;
            for i in (after..n).rev() {
                if real(&takes[i]) {
                    from = Some(i);
                } else if i + 1 < n && from.is_some() {
                    break;
                }
            }
            from
        }
        _ => None,
    };
    Some(Progress {
        answer,
        against,
        before,
        now,
        smallest_real_change: needed,
        real_from,
        trend: trend(&takes),
        status,
        takes,
    })
}

/// Mean of takes with the standard error of that mean.
fn pooled(takes: &[TakeReading]) -> Estimate {
    let n = takes.len() as f64;
    let mean = takes.iter().map(|t| t.value.value).sum::<f64>() / n;
    let variance = takes.iter().map(|t| t.value.sigma.powi(2)).sum::<f64>();
    Estimate::new(mean, variance.sqrt() / n)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault::fault;
    use rand::SeedableRng;
    use rand_distr::{Distribution, Normal};

    fn band(id: &str) -> Band {
        fault(id).unwrap().band.unwrap()
    }

    pub(super) fn takes(values: &[f64], sigma: f64) -> Vec<TakeReading> {
        let first = jiff::civil::date(2026, 1, 10);
        values
            .iter()
            .enumerate()
            .map(|(i, v)| TakeReading {
                date: first.saturating_add(jiff::Span::new().days(7 * i as i64)),
                value: Estimate::new(*v, sigma),
                showing: 0,
                of: 4,
            })
            .collect()
    }

    #[test]
    fn real_improvement_is_told() {
        let p = progress(
            &band("P1"),
            takes(&[7.1, 7.4, 6.4, 5.6, 4.8, 4.0, 3.4, 3.2], 0.6),
        )
        .unwrap();
        assert_eq!(p.answer, Answer::Better);
        assert!((p.smallest_real_change - 1.96 * 0.6).abs() < 1e-9);
        assert_eq!(p.real_from, Some(3));
        assert!(p.trend.unwrap().per_week < -0.4);
    }

    #[test]
    fn a_difference_inside_the_error_is_no_change() {
        let p = progress(&band("P1"), takes(&[6.0, 4.9], 0.6)).unwrap();
        assert_eq!(p.answer, Answer::NoChangeThatCanBeTold);
        assert_eq!(p.real_from, None);
        let one = progress(&band("P1"), takes(&[6.0], 0.6)).unwrap();
        assert_eq!(one.answer, Answer::OneTake);
        assert!(progress(&band("P1"), vec![]).is_none());
    }

    #[test]
    fn both_edges_of_a_band_mean_the_same() {
        let f = &band("S4");
        let p = progress(f, takes(&[-0.4, -0.1], 0.02)).unwrap();
        assert_eq!(p.answer, Answer::Better);
        let p = progress(f, takes(&[0.1, -0.4], 0.02)).unwrap();
        assert_eq!(p.answer, Answer::Worse);
    }

    #[test]
    fn a_relapse_is_compared_with_when_it_held() {
        let p = progress(
            &band("P1"),
            takes(&[9.0, 8.6, 5.0, 2.4, 2.2, 2.1, 4.0, 8.4], 0.5),
        )
        .unwrap();
        assert_eq!(
            (p.status, p.against),
            (Status::SlippedBack, Against::WhenItHeld)
        );
        assert_eq!(p.answer, Answer::Worse);
        assert!((p.before.value - 2.15).abs() < 1e-9);
        assert!((p.now.value - 6.2).abs() < 1e-9);
        assert_eq!(p.real_from, Some(6));
    }

    /// Students who do not change are called changed in at most about one in twenty cases.
    #[test]
    fn no_change_is_rarely_called_a_change() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(3);
        let error = Normal::new(0.0, 0.7).unwrap();
        let wrong = (0..600)
            .filter(|_| {
                let v: Vec<f64> = (0..8).map(|_| 6.0 + error.sample(&mut rng)).collect();
                let p = progress(&band("P1"), takes(&v, 0.7)).unwrap();
                p.answer != Answer::NoChangeThatCanBeTold
            })
            .count();
        assert!(wrong <= 42, "{wrong} of 600");
    }
}
