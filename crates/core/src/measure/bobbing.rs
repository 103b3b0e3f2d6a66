//! Rise and fall with the beat.

use super::motion::{NEEDS, whole};
use super::{Spec, read};
use crate::body::solve::Bodies;
use crate::units::{Estimate, Role, Unit};

/// How quick a wave in a height is of which smoothing leaves a half, hertz where the height's standard error is a metre.
/// Of what accelerates at random, seen with random errors, the best estimate keeps 1/(1 + (f/f₀)⁴) of a wave, and f₀³
/// goes with one over the square of the estimate's standard error (a Wiener filter). Found on simulated dancers who bob
/// by 8 % of their height one to four times a second.
const HALVED: f64 = 0.22;

/// Fewest ranges from count to count that say anything of a repetition: two of them are left out.
const LEAST: usize = 4;

/// Share of a wave that smoothing leaves, by how often a second it comes and the standard error of a height, metres.
fn left(rate: f64, sigma: f64) -> f64 {
    1.0 / (1.0 + (rate / HALVED).powi(4) * sigma.powf(8.0 / 3.0))
}

/// How far a wave goes up and down of which so much was read: what heights that stay would show by their errors is taken
/// away in squares, and what smoothing took is put back, half of which stays unsure.
fn wave(seen: Estimate, noise: f64, left: f64) -> Estimate {
    let value = (seen.value.powi(2) - noise.powi(2)).max(0.0).sqrt() / left;
    let put_back = (1.0 - left) * value;
    Estimate::new(value, (seen.sigma / left).hypot(0.5 * put_back))
}

/// How far the hips go up and down from one moment to another, share of the standing height; with the standard error of
/// the difference of two heights.
fn range(bodies: &Bodies, tall: f64, from: f64, to: f64) -> Option<Estimate> {
    let heights: Option<Vec<Estimate>> = (0..=4)
        .map(|k| {
            let t = from + 0.25 * f64::from(k) * (to - from);
            bodies.moment(t)?.value(|p| Some(read::hips(p).z / tall))
        })
        .collect();
    let heights = heights?;
    let by = |a: &&Estimate, b: &&Estimate| a.value.total_cmp(&b.value);
    let (lo, hi) = (heights.iter().min_by(by)?, heights.iter().max_by(by)?);
    Some(Estimate::new(hi.value - lo.value, lo.sigma.hypot(hi.sigma)))
}

/// What ranges from count to count, in their order, say of a wave with the beat; `None` where they are too few.
fn of_ranges(mut ranges: Vec<Estimate>, tall: f64, beat: f64) -> Option<Estimate> {
    if ranges.len() < LEAST {
        return None;
    }
    // One deep step is no bobbing, and goes on from one count to the next.
    let larger = |a: &usize, b: &usize| ranges[*a].value.total_cmp(&ranges[*b].value);
    let deepest = (0..ranges.len()).max_by(larger)?;
    let beside = [deepest.checked_sub(1), Some(deepest + 1)];
    let beside = beside.into_iter().flatten().filter(|i| *i < ranges.len());
    let beside = beside.max_by(larger)?;
    ranges.drain(deepest.min(beside)..=deepest.max(beside));
    // Counts within a beat go through a part of the wave only.
    ranges.sort_by(|a, b| b.value.total_cmp(&a.value));
    ranges.truncate(ranges.len().div_ceil(2));
    let n = ranges.len() as f64;
    let mean = |of: fn(&Estimate) -> f64| ranges.iter().map(of).sum::<f64>() / n;
    let noise = mean(|e| e.sigma);
    // Neighbouring ranges share a moment and much of its error.
    let seen = Estimate::new(mean(|e| e.value), noise / (0.5 * n).sqrt());
    let height = tall * noise / std::f64::consts::SQRT_2;
    Some(wave(seen, noise, left(1.0 / beat, height)))
}

pub(super) const BOB: Spec = Spec {
    id: "bobbing",
    name: "Rise and fall of the hips",
    unit: Unit::Ratio,
    sign: "highest minus lowest, share of standing height; figures without charted rise",
    needs: NEEDS,
    source: "range of the hips' height from each count to the next, the largest and the larger one beside it left out, the mean of the larger half of the others over the repetition, over standing height; less, in squares, the standard error of such a range, and over the share that smoothing leaves of a wave with the beat",
    compute: |scene, out| {
        let level = scene.chart.as_ref().is_some_and(|(c, _)| {
            Role::BOTH
                .iter()
                .all(|r| c.rows(*r).iter().all(|r| r.level.is_none()))
        });
        let Ok(grid) = &scene.grid else { return };
        for role in Role::BOTH.into_iter().filter(|_| level) {
            let Some(bodies) = scene.bodies(role) else {
                continue;
            };
            let tall = scene.couple.height(role);
            for repetition in 0..scene.marks.repetitions {
                let slots = scene.slots.iter().filter(|s| s.repetition == repetition);
                let counts: Vec<_> = slots.collect();
                let Some(first) = counts.first() else {
                    continue;
                };
                let beat = grid.period_at(grid.beat_at(first.at));
                let ranges = counts
                    .windows(2)
                    .filter_map(|w| range(bodies, tall, w[0].at.secs(), w[1].at.secs()))
                    .collect();
                if let Some(bob) = of_ranges(ranges, tall, beat) {
                    out.push(whole("bobbing", Some(role), repetition, bob, 0.02));
                }
            }
        }
    },
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_smoothing_took_of_a_quick_bob_is_put_back() {
        // By the filter's formula: half is left of a wave of 0.22 · 0.01^(−2/3) = 4.7 Hz where heights are off by 1 cm.
        assert!((left(4.74, 0.01) - 0.5).abs() < 0.01);
        assert!(left(1.0, 0.01) > 0.99 && left(4.0, 0.001) > 0.99);
        let range = Estimate::new(0.06, 0.008);
        let [calm, quick] = [1.0, 0.32].map(|beat| of_ranges(vec![range; 7], 1.7, beat).unwrap());
        // Without smoothing √(0.06² − 0.008²) = 0.0595, and at 3.1 Hz with 9.6 mm over 0.86.
        assert!((calm.value - 0.0596).abs() < 2e-4, "{calm:?}");
        assert!((quick.value - 0.069).abs() < 1e-3, "{quick:?}");
        assert!(quick.sigma > 1.3 * calm.sigma, "{quick:?} {calm:?}");
    }

    #[test]
    fn heights_that_are_only_off_are_no_bob() {
        let e = Estimate::new(0.009, 0.01);
        assert_eq!(of_ranges(vec![e; 7], 1.7, 0.5).unwrap().value, 0.0);
        // One deep step, down before its count and up after it, is left out; and three ranges are too few.
        let [flat, down, up] = [0.001, 0.1, 0.08].map(|v| Estimate::new(v, 0.001));
        for ranges in [
            [flat, down, up, flat, flat],
            [up, down, flat, flat, flat],
            [flat, flat, flat, up, down],
        ] {
            let of = of_ranges(ranges.to_vec(), 1.7, 0.5).unwrap();
            assert_eq!(of.value, 0.0, "{ranges:?}");
        }
        assert!(of_ranges(vec![down; 3], 1.7, 0.5).is_none());
    }
}
