//! Where a value is fine, where it is clearly not, and how sure that is.

use serde::{Deserialize, Serialize};

use crate::units::{Estimate, Likely};

/// Where a value is fine, and beyond what it is clearly a fault; between lies borderline.
/// An absent edge is open.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Band {
    /// Lower and upper edge of the fine band.
    pub fine: [Option<f64>; 2],
    /// Lower and upper edge beyond which the fault is clear.
    pub clear: [Option<f64>; 2],
}

/// How much rarer a value just outside a fine band is than one just inside: of what coaches look at, about
/// one reading in fifteen lies outside, over a stretch about as wide as the band itself. A rarer fault than that
/// is asked for more certainty than it needs, a more frequent one for less.
const RARER: f64 = 0.12;

/// How much worse a wild reading is than it says.
const WILD: f64 = 3.0;

/// Beyond this many widths of the borderline zone an error says nothing about a band any more.
const WIDEST: f64 = 6.0;

/// How likely a reading is of a value inside a fine band and of one outside, times how often these occur.
#[derive(Debug, Clone, Copy)]
pub struct Weighed([f64; 2]);

impl Weighed {
    /// Probability that the true value lies outside, where what else is known makes that so many times likelier
    /// than usual.
    pub fn probability(&self, lift: f64) -> f64 {
        let [inside, outside] = self.0;
        odds([inside, lift * outside])
    }

    /// How much likelier the reading is of a value outside than of one inside, as odds that say nothing at 1;
    /// `usual` are the odds of lying outside where nothing was read.
    pub fn support(&self, usual: f64) -> f64 {
        let [inside, outside] = self.0;
        outside / inside.max(1e-12) / usual
    }
}

impl Band {
    /// How far a value lies outside the fine band, ≥ 0 outside, negative inside (distance to the
    /// nearest edge).
    pub fn beyond(&self, value: f64) -> f64 {
        let below = self.fine[0].map_or(f64::NEG_INFINITY, |lo| lo - value);
        let above = self.fine[1].map_or(f64::NEG_INFINITY, |hi| value - hi);
        below.max(above)
    }

    /// How far beyond the clear edge on the side the value lies, in units of the borderline zone's width.
    pub fn beyond_clear(&self, value: f64) -> f64 {
        let side = |fine: Option<f64>, clear: Option<f64>, sign: f64| match (fine, clear) {
            (Some(f), Some(c)) => sign * (value - c) / (c - f).abs().max(1e-9),
            _ => f64::NEG_INFINITY,
        };
        side(self.fine[0], self.clear[0], -1.0).max(side(self.fine[1], self.clear[1], 1.0))
    }

    /// Both zones of an edge, made wider (or narrower) by a factor. A band with two edges keeps its middle
    /// when it spans zero, and its lower edge otherwise.
    #[must_use]
    pub fn widened(&self, factor: f64) -> Self {
        let about = match self.fine {
            [Some(lo), Some(hi)] if lo > 0.0 || hi < 0.0 => 0.5 * (lo + hi),
            _ => 0.0,
        };
        let wide = |edge: Option<f64>| edge.map(|e| about + factor * (e - about));
        Self {
            fine: self.fine.map(wide),
            clear: self.clear.map(wide),
        }
    }

    /// The band made to reach as far as the figure itself asks: an edge that leaves less than half of its
    /// borderline zone's width past the asked value is moved there with its zone, which leaves room to dance it.
    #[must_use]
    pub fn reaching(&self, asked: f64) -> Self {
        let mut out = *self;
        for (side, sign) in [(0, -1.0), (1, 1.0)] {
            if let (Some(fine), Some(clear)) = (self.fine[side], self.clear[side])
                && let moved = asked - fine + 0.5 * (clear - fine)
                && sign * moved > 0.0
            {
                out.fine[side] = Some(fine + moved);
                out.clear[side] = Some(clear + moved);
            }
        }
        out
    }

    /// Probability that the true value lies outside the fine band, given a reading with a normal error.
    ///
    /// A reading is weighed against how often values of either kind occur: inside the band all are alike,
    /// outside they are [`RARER`] at the edge and fade with the borderline zone's width (the product of a
    /// normal and an exponential density integrates to an error function). A reading much better than the
    /// zone is judged as it stands; a poor one needs to lie further out, so that of findings called 80 %
    /// sure about 80 % are right.
    pub fn probability(&self, e: Estimate) -> f64 {
        odds(self.weights(e))
    }

    /// The same of a reading that may be wild, as [`Self::weigh`] has it, where what else is known makes lying outside
    /// `lift` times likelier than usual, as odds.
    pub fn probability_given(&self, e: Estimate, wild: f64, lift: f64) -> f64 {
        self.weigh(e, wild).probability(lift)
    }

    /// What a reading says of the fine band that in a share `wild` of the cases, 0..1, is [`WILD`] times worse than
    /// it says, as a detector's are that takes one leg for the other (a contaminated normal: Tukey 1960, "A survey of
    /// sampling from contaminated distributions").
    pub fn weigh(&self, e: Estimate, wild: f64) -> Weighed {
        let usual = self.weights(e);
        if wild <= 0.0 {
            return Weighed(usual);
        }
        let far = self.weights(Estimate::new(e.value, WILD * e.sigma));
        Weighed([0, 1].map(|k| (1.0 - wild) * usual[k] + wild * far[k]))
    }

    /// The same of what is known of each value; a wild reading says nothing of any.
    pub fn weigh_likely(&self, likely: &Likely, wild: f64) -> Weighed {
        let [said, nothing] = [self.sums(likely), self.sums(&likely.saying_nothing())];
        Weighed([0, 1].map(|k| (1.0 - wild) * said[k] + wild * nothing[k]))
    }

    /// Whether a reading with a standard error `sigma` tells a clear fault from none: whether the value at every clear
    /// edge, read as it is, would lie outside the fine band with a probability of `sure` or more. Where it does not, a
    /// reading inside the band says more of how rare faults are than of this dancer. `wild` as in [`Self::weigh`].
    pub fn tells(&self, sigma: f64, wild: f64, sure: f64) -> bool {
        let mut clear = self.clear.iter().flatten();
        clear.all(|edge| self.probability_given(Estimate::new(*edge, sigma), wild, 1.0) >= sure)
    }

    /// The same of a spread, by the errors of the readings it is of.
    pub fn tells_likely(&self, likely: &Likely, wild: f64, sure: f64) -> bool {
        let shows = |edge: f64| {
            let weighed = self.weigh_likely(&likely.expected_at(edge), wild);
            weighed.probability(1.0) >= sure
        };
        self.clear.iter().flatten().all(|edge| shows(*edge))
    }

    /// As [`Self::weights`], summed over values.
    fn sums(&self, likely: &Likely) -> [f64; 2] {
        let (mut inside, mut outside) = (0.0, 0.0);
        for (value, share) in likely.values() {
            let side = usize::from(self.fine[0].is_none_or(|lo| value >= lo));
            match (self.fine[side], self.clear[side]) {
                (Some(fine), Some(clear)) if self.beyond(value) > 0.0 => {
                    let fades = 2.0 * (clear - fine).abs().max(1e-9);
                    outside += RARER * (-(value - fine).abs() / fades).exp() * share;
                }
                _ => inside += share,
            }
        }
        [inside, outside]
    }

    /// How likely the reading is of a value inside the fine band and of one outside, times how often these occur;
    /// per unit of the value.
    fn weights(&self, e: Estimate) -> [f64; 2] {
        let sides = [
            (self.fine[0], self.clear[0], -1.0),
            (self.fine[1], self.clear[1], 1.0),
        ];
        let (mut inside, mut outside) = (1.0, 0.0);
        for (fine, clear, sign) in sides {
            let (Some(fine), Some(clear)) = (fine, clear) else {
                continue;
            };
            let fades = 2.0 * (clear - fine).abs().max(1e-9);
            let sigma = e.sigma.clamp(1e-9 * fades, WIDEST * fades);
            let z = sign * (e.value - fine) / sigma;
            inside -= normal_cdf(z);
            let (k, far) = (sigma / fades, normal_cdf(z - sigma / fades));
            // Far outside the density of the reading is that of the faded prior; kept from overflowing.
            outside += RARER * (-z * k + 0.5 * k * k).min(700.0).exp() * far;
        }
        [inside.max(0.0), outside]
    }

    /// What is wrong with it, in words.
    pub fn problem(&self) -> Option<&'static str> {
        let given = self.fine.iter().chain(&self.clear).flatten();
        if given.clone().any(|e| !e.is_finite()) {
            return Some("the band's edges must be numbers");
        }
        if self.fine == [None, None] {
            return Some("the fine band has no edge");
        }
        if let [Some(lo), Some(hi)] = self.fine
            && lo >= hi
        {
            return Some("the lower edge of the fine band must lie below the upper one");
        }
        for side in [0, 1] {
            match (self.fine[side], self.clear[side]) {
                (None, None) => {}
                (Some(fine), Some(clear)) if (clear > fine) == (side == 1) && clear != fine => {}
                _ => return Some("the clear edge must lie beyond the fine one"),
            }
        }
        None
    }
}

fn odds([inside, outside]: [f64; 2]) -> f64 {
    if inside + outside > 0.0 {
        outside / (inside + outside)
    } else {
        1.0
    }
}

fn normal_cdf(z: f64) -> f64 {
    0.5 * statrs::function::erf::erfc(-z / std::f64::consts::SQRT_2)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rand::SeedableRng;
    use rand_distr::{Distribution, Exp1, Normal, Uniform};

    const LEAN: Band = Band {
        fine: [None, Some(3.0)],
        clear: [None, Some(6.0)],
    };

    #[test]
    fn a_good_reading_is_judged_as_it_stands() {
        let p = |v| LEAN.probability(Estimate::new(v, 0.05));
        assert!(p(2.8) < 0.01 && p(3.2) > 0.99, "{} {}", p(2.8), p(3.2));
        assert!(LEAN.probability(Estimate::new(60.0, 0.0)) > 0.999);
        assert!(LEAN.probability(Estimate::new(-60.0, 0.0)) < 0.001);
    }

    #[test]
    fn a_poor_reading_just_outside_is_no_finding() {
        let p = LEAN.probability(Estimate::new(4.0, 3.0));
        assert!((0.08..0.3).contains(&p), "{p}");
    }

    #[test]
    fn a_reading_tells_as_long_as_a_clear_fault_would_show() {
        // At the clear edge, 3 beyond the fine one, all that lies inside is as likely as the normal's tail beyond
        // 3/σ, what lies outside 0.12 of it, faded over 6.
        let at_edge = |sigma: f64| {
            let inside = normal_cdf(-3.0 / sigma);
            let k = sigma / 6.0;
            let outside = RARER * (-0.5 + 0.5 * k * k).exp() * normal_cdf(3.0 / sigma - k);
            outside / (inside + outside)
        };
        for tenths in 1..40 {
            let sigma = 0.1 * f64::from(tenths);
            let tells = LEAN.tells(sigma, 0.0, 0.8);
            assert_eq!(tells, at_edge(sigma) >= 0.8, "{sigma}");
        }
        assert!(LEAN.tells(1.4, 0.0, 0.8) && !LEAN.tells(1.6, 0.0, 0.8));
        // One that may be wild tells less, and both edges of a band must be told.
        assert!(!LEAN.tells(1.4, 0.12, 0.8));
        let narrow = Band {
            fine: [Some(-1.0), Some(3.0)],
            clear: [Some(-1.5), Some(6.0)],
        };
        assert!(!narrow.tells(1.4, 0.0, 0.8) && narrow.tells(0.2, 0.0, 0.8));
    }

    #[test]
    fn a_band_of_two_edges_is_widened_about_its_middle() {
        let b = Band {
            fine: [Some(0.55), Some(0.92)],
            clear: [Some(0.45), Some(1.0)],
        };
        let w = b.widened(2.0);
        assert!((w.fine[0].unwrap() - 0.365).abs() < 1e-9);
        assert!((w.fine[1].unwrap() - 1.105).abs() < 1e-9);
        assert_eq!(LEAN.widened(0.5).clear, [None, Some(3.0)]);
    }

    #[test]
    fn what_the_figure_asks_for_is_fine() {
        let b = LEAN.reaching(7.0);
        assert_eq!((b.fine, b.clear), ([None, Some(8.5)], [None, Some(11.5)]));
        assert_eq!(LEAN.reaching(1.0), LEAN);
        let b = Band {
            fine: [Some(0.8), None],
            clear: [Some(0.65), None],
        };
        assert!((b.reaching(0.7).clear[0].unwrap() - 0.475).abs() < 1e-9);
    }

    #[test]
    fn what_is_known_of_each_value_weighs_as_the_normal_error_that_it_is() {
        let normal = |of: Estimate| Likely {
            from: -20.0,
            step: 0.05,
            each: (0..900)
                .map(|i| (-20.0 + 0.05 * f64::from(i) - of.value) / of.sigma)
                .map(|z| (-0.5 * z * z).exp())
                .collect(),
            errors: Vec::new(),
        };
        for (v, sigma) in [(0.0, 1.0), (2.5, 1.0), (4.0, 3.0), (5.5, 1.0), (8.0, 1.5)] {
            let e = Estimate::new(v, sigma);
            let [by_sigma, by_values] = [LEAN.weigh(e, 0.0), LEAN.weigh_likely(&normal(e), 0.0)]
                .map(|w| w.probability(2.0));
            assert!(
                (by_sigma - by_values).abs() < 0.01,
                "{e:?} {by_sigma} {by_values}"
            );
        }
        // Surely not inside, and just as likely anywhere beyond: no mean and standard error say that.
        let far = Likely {
            from: 3.5,
            step: 0.5,
            each: vec![1.0; 60],
            errors: Vec::new(),
        };
        let p = |wild| LEAN.weigh_likely(&far, wild).probability(1.0);
        assert!(p(0.0) > 0.999 && p(1.0) == p(0.0), "{} {}", p(0.0), p(1.0));
        // A wild one is worth no more than nothing.
        let nothing = LEAN.weigh_likely(&normal(Estimate::new(5.5, 1.0)), 1.0);
        let none = LEAN.weigh_likely(&normal(Estimate::new(5.5, 1.0)).saying_nothing(), 0.0);
        assert_eq!(nothing.probability(1.0), none.probability(1.0));
    }

    /// Of readings called 80 % sure about 80 % are right, where faults are as rare as assumed.
    #[test]
    fn probabilities_are_kept() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(5);
        let inside = Uniform::new(-17.0, 3.0).unwrap();
        let (mut tally, sigma) = ([(0.0, 0u32, 0u32); 5], 2.0);
        let error = Normal::new(0.0, sigma).unwrap();
        for i in 0..120_000 {
            // 20 widths inside against 0.12 · 6 outside.
            let truth = if f64::from(i % 2072) < 2000.0 {
                inside.sample(&mut rng)
            } else {
                let far: f64 = Exp1.sample(&mut rng);
                3.0 + 6.0 * far
            };
            let p = LEAN.probability(Estimate::new(truth + error.sample(&mut rng), sigma));
            let bin = &mut tally[((5.0 * p) as usize).min(4)];
            *bin = (bin.0 + p, bin.1 + 1, bin.2 + u32::from(truth > 3.0));
        }
        for (sum, n, right) in tally {
            let (said, was) = (sum / f64::from(n), f64::from(right) / f64::from(n));
            assert!((said - was).abs() < 0.06, "{said:.2} {was:.2} of {n}");
        }
    }

    #[test]
    fn a_reading_that_may_be_wild_is_less_sure_either_way() {
        let p = |v, wild| LEAN.probability_given(Estimate::new(v, 1.0), wild, 1.0);
        assert_eq!(p(5.5, 0.0), LEAN.probability(Estimate::new(5.5, 1.0)));
        // Clearly outside for a reading that keeps its word, doubtful for one that may not.
        assert!(
            p(5.5, 0.0) > 0.8 && p(5.5, 0.12) < p(5.5, 0.0) - 0.1,
            "{}",
            p(5.5, 0.12)
        );
        assert!(p(0.5, 0.12) > p(0.5, 0.0));
        // Far outside it makes no difference.
        assert!(p(14.0, 0.12) > 0.95, "{}", p(14.0, 0.12));
    }

    proptest! {
        #[test]
        fn further_out_is_never_less_likely(a in 0.0..40.0f64, d in 0.0..20.0f64, s in 0.1..8.0f64) {
            let p = |v| LEAN.probability(Estimate::new(v, s));
            prop_assert!(p(a + d) >= p(a) - 1e-9);
        }

        #[test]
        fn it_is_a_probability(v in -1e4..1e4f64, s in 0.0..1e4f64, lo in -5.0..0.0f64, hi in 0.1..5.0f64) {
            let b = Band { fine: [Some(lo), Some(hi)], clear: [Some(lo - 1.0), Some(hi + 2.0)] };
            let p = b.probability(Estimate::new(v, s));
            prop_assert!((0.0..=1.0).contains(&p), "{}", p);
        }
    }
}
