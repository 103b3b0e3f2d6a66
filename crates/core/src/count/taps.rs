//! The beat behind a row of taps: Theil–Sen line fit of tap times against beat numbers.
//!
//! Sen, P. K. (1968), "Estimates of the regression coefficient based on Kendall's tau",
//! JASA 63: the slope is the median of all pairwise slopes, the intercept the median residual.
//! Up to 29 % of wild taps do not move the fit.

use serde::{Deserialize, Serialize};

use crate::units::MediaTime;

/// A steady beat fitted to taps.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TapFit {
    /// Media time of beat 0, the beat of the first tap.
    pub first: MediaTime,
    /// Seconds from beat to beat.
    pub period: f64,
    /// Robust scatter of the taps about the fit, seconds (1.4826 × median absolute residual).
    pub scatter: f64,
    /// Standard uncertainty of a beat's time inside the tapped span, seconds.
    pub sigma: f64,
    /// Taps used.
    pub taps: usize,
    /// Taps further than three scatters (at least 60 ms) from their beat.
    pub outliers: usize,
}

/// Why taps give no beat.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TapError {
    /// Fewer than four.
    #[error("Tap at least four beats; {0} so far.")]
    TooFew(usize),
    /// All at one moment, or faster or slower than people dance.
    #[error("These taps are {0} beats a minute. Tap along with the beat, between 40 and 300.")]
    NotABeat(i64),
    /// No steady beat behind them.
    #[error("The taps are too uneven to find one beat. Clear them and tap along again.")]
    Uneven,
}

/// Fits a steady beat. Taps may come in any order, repeat, miss beats, or be off.
pub fn fit_taps(taps: &[MediaTime]) -> Result<TapFit, TapError> {
    let mut t: Vec<f64> = taps.iter().map(|t| t.secs()).collect();
    t.sort_by(f64::total_cmp);
    t.dedup_by(|a, b| (*a - *b).abs() < 0.02);
    if t.len() < 4 {
        return Err(TapError::TooFew(t.len()));
    }
    let steps: Vec<f64> = t.windows(2).map(|w| w[1] - w[0]).collect();
    let rough = median(steps);
    if !(60.0 / 300.0..=60.0 / 40.0).contains(&rough) {
        return Err(TapError::NotABeat((60.0 / rough.max(1e-3)).round() as i64));
    }
    // Number the taps by counting on from where the beat is expected, a third of each tap's miss
    // carried on: a missed beat leaves a gap, and two wild neighbours do not shift the numbers.
    let mut number = vec![0.0; t.len()];
    let mut expected = t[0];
    for i in 1..t.len() {
        let beats = ((t[i] - expected) / rough).round();
        number[i] = number[i - 1] + beats;
        expected += beats * rough;
        expected += (t[i] - expected) / 3.0;
    }
    let mut slopes = Vec::with_capacity(t.len() * t.len() / 2);
    for i in 0..t.len() {
        for j in i + 1..t.len() {
            if number[j] > number[i] {
                slopes.push((t[j] - t[i]) / (number[j] - number[i]));
            }
        }
    }
    let period = median(slopes);
    let first = median(t.iter().zip(&number).map(|(t, n)| t - n * period).collect());
    let residuals: Vec<f64> = t
        .iter()
        .zip(&number)
        .map(|(t, n)| (t - first - n * period).abs())
        .collect();
    let scatter = 1.4826 * median(residuals.clone());
    // People tapping along scatter by 4 to 6 % of a beat; twice that is no beat.
    if scatter > 0.12 * period {
        return Err(TapError::Uneven);
    }
    let outliers = residuals
        .iter()
        .filter(|r| **r > (3.0 * scatter).max(0.06))
        .count();
    Ok(TapFit {
        first: MediaTime::from_secs(first),
        period,
        scatter,
        // A line's mid-span standard error doubled at its ends; 1.25 is the price of the median.
        sigma: 1.25 * 1.5 * scatter.max(0.004) / (t.len() as f64).sqrt(),
        taps: t.len(),
        outliers,
    })
}

pub(crate) fn median(mut v: Vec<f64>) -> f64 {
    if v.is_empty() {
        return f64::NAN;
    }
    v.sort_by(f64::total_cmp);
    let n = v.len();
    if n % 2 == 1 {
        v[n / 2]
    } else {
        0.5 * (v[n / 2 - 1] + v[n / 2])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn taps(seconds: &[f64]) -> Vec<MediaTime> {
        seconds.iter().map(|s| MediaTime::from_secs(*s)).collect()
    }

    #[test]
    fn steady_taps_give_their_tempo() {
        let t: Vec<f64> = (0..12).map(|i| 1.3 + 0.5 * f64::from(i)).collect();
        let fit = fit_taps(&taps(&t)).unwrap();
        assert!((fit.period - 0.5).abs() < 1e-6);
        assert_eq!(fit.first, MediaTime(1_300_000));
        assert_eq!(fit.outliers, 0);
    }

    #[test]
    fn a_missed_beat_and_a_wild_tap_do_not_move_the_fit() {
        let mut t: Vec<f64> = (0..16)
            .filter(|i| *i != 5)
            .map(|i| 0.8 + 0.508 * f64::from(i))
            .collect();
        t[9] += 0.16;
        let fit = fit_taps(&taps(&t)).unwrap();
        assert!((fit.period - 0.508).abs() < 1e-4, "{}", fit.period);
        assert!((fit.first.secs() - 0.8).abs() < 1e-3);
        assert_eq!(fit.outliers, 1);
    }

    #[test]
    fn what_is_no_beat_is_refused_in_words() {
        assert_eq!(fit_taps(&taps(&[1.0, 2.0])), Err(TapError::TooFew(2)));
        assert!(matches!(
            fit_taps(&taps(&[0.0, 3.0, 6.0, 9.0])),
            Err(TapError::NotABeat(20))
        ));
        assert_eq!(
            fit_taps(&taps(&[0.0, 0.5, 1.22, 1.5, 2.27, 2.5, 3.21])),
            Err(TapError::Uneven)
        );
    }

    proptest! {
        /// Up to a fifth of the taps may be anywhere within a third of a beat.
        #[test]
        fn tempo_survives_outliers(
            period in 0.3..1.0f64,
            start in 0.0..5.0f64,
            jitter in proptest::collection::vec(-0.012..0.012f64, 20),
            wild in proptest::collection::vec((0usize..20, -0.3..0.3f64), 0..4),
        ) {
            let mut t: Vec<f64> = jitter.iter().enumerate()
                .map(|(i, j)| start + period * i as f64 + j).collect();
            for (i, w) in wild {
                t[i] = start + period * (i as f64 + w);
            }
            let fit = fit_taps(&taps(&t)).unwrap();
            prop_assert!((fit.period / period - 1.0).abs() < 0.01);
        }
    }
}
