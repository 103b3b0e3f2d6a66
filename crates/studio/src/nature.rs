//! Natural variation: what changes from step to step and from moment to moment without being a fault.

use std::f64::consts::TAU;

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::{Distribution, StandardNormal};

/// Lengths of a body's parts as shares of standing height.
///
/// Drillis, R. & Contini, R. (1966), "Body segment parameters", as tabulated by Winter, D. A. (2009),
/// Biomechanics and Motor Control of Human Movement, fig. 4.1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Build {
    pub thigh: f64,
    pub shank: f64,
    pub upper_arm: f64,
    pub forearm: f64,
    pub hand: f64,
    pub trunk: f64,
    pub hips: f64,
    pub shoulders: f64,
    pub ankle: f64,
    pub foot: f64,
}

impl Build {
    pub const MEAN: Self = Self {
        thigh: 0.245,
        shank: 0.246,
        upper_arm: 0.186,
        forearm: 0.146,
        hand: 0.06,
        trunk: 0.288,
        hips: 0.10,
        shoulders: 0.215,
        ankle: 0.039,
        foot: 0.152,
    };

    /// A person's own: each length differs by three hundredths (1σ). Long legs go with a short trunk,
    /// so that the whole is as tall as it is.
    pub fn of_person(seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut by = || 1.0 + 0.03 * normal(&mut rng);
        let m = Self::MEAN;
        let [thigh, shank] = [m.thigh * by(), m.shank * by()];
        Self {
            thigh,
            shank,
            trunk: m.trunk - 0.7 * (thigh + shank - m.thigh - m.shank),
            upper_arm: m.upper_arm * by(),
            forearm: m.forearm * by(),
            hand: m.hand * by(),
            hips: m.hips * by(),
            shoulders: m.shoulders * by(),
            ankle: m.ankle,
            foot: m.foot * by(),
        }
    }
}

/// A standard normal draw without the rare extremes that no dancer shows.
pub(crate) fn normal(rng: &mut ChaCha8Rng) -> f64 {
    let z: f64 = StandardNormal.sample(rng);
    z.clamp(-2.5, 2.5)
}

/// A noise that remembers: each draw keeps a share of the one before (first-order autoregression), so
/// that a dancer who is a little late is so for a few steps.
pub(crate) struct Drift {
    sigma: f64,
    keep: f64,
    now: f64,
}

impl Drift {
    pub fn new(sigma: f64, keep: f64) -> Self {
        Self {
            sigma,
            keep,
            now: 0.0,
        }
    }

    pub fn next(&mut self, rng: &mut ChaCha8Rng) -> f64 {
        self.now = self.keep * self.now + (1.0 - self.keep * self.keep).sqrt() * normal(rng);
        self.sigma * self.now
    }
}

/// A slow wavering in time: a few sines of drawn phases and tempos, 1σ = 1.
#[derive(Debug, Clone)]
pub(crate) struct Waver {
    waves: [(f64, f64); 4],
}

impl Waver {
    /// `tempo`: middle frequency, hertz.
    pub fn new(rng: &mut ChaCha8Rng, tempo: f64) -> Self {
        Self {
            waves: std::array::from_fn(|_| {
                (
                    tempo * rng.random_range(0.5..1.6),
                    rng.random_range(0.0..TAU),
                )
            }),
        }
    }

    pub fn at(&self, t: f64) -> f64 {
        let sum: f64 = self
            .waves
            .iter()
            .map(|(f, p)| (TAU * f * t + p).sin())
            .sum();
        // Four sines of variance one half each.
        sum / 2.0_f64.sqrt()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn noises_have_the_spread_they_claim_and_remember() {
        let mut rng = ChaCha8Rng::seed_from_u64(3);
        let mut drift = Drift::new(2.0, 0.6);
        let all: Vec<f64> = (0..20_000).map(|_| drift.next(&mut rng)).collect();
        let variance = all.iter().map(|x| x * x).sum::<f64>() / 20_000.0;
        assert!((variance.sqrt() - 2.0).abs() < 0.12, "{variance}");
        let together: f64 = all.windows(2).map(|w| w[0] * w[1]).sum::<f64>() / 20_000.0;
        assert!((together / variance - 0.6).abs() < 0.04);
        let wavers: Vec<Waver> = (0..400).map(|_| Waver::new(&mut rng, 0.4)).collect();
        let spread = wavers.iter().map(|w| w.at(7.0).powi(2)).sum::<f64>() / 400.0;
        assert!((spread - 1.0).abs() < 0.2, "{spread}");
    }

    #[test]
    fn people_differ_and_stay_who_they_are() {
        let a = Build::of_person(1);
        assert_eq!(a, Build::of_person(1));
        assert_ne!(a, Build::of_person(2));
        let legs = |b: &Build| b.thigh + b.shank;
        for seed in 0..200 {
            let b = Build::of_person(seed);
            assert!((b.thigh / Build::MEAN.thigh - 1.0).abs() < 0.09);
            // From ankle to shoulder all are within three hundredths of the same height.
            let tall = legs(&b) + b.trunk - legs(&Build::MEAN) - Build::MEAN.trunk;
            assert!(tall.abs() < 0.03, "{tall}");
        }
    }
}
