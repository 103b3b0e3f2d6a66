//! Two clips of one dance in step by what both phones heard.
//!
//! The rough offset is the highest cross-correlation of both sounds' onsets over all offsets; then pieces of
//! the sounds themselves are compared, which gives the offset to less than a sample and how fast one clock
//! runs against the other (Theil–Sen through the pieces).

use realfft::RealFftPlanner;

use super::beat::{HOP, RATE, onset_strength};
use super::median;

/// How two clips lie on each other.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct InStep {
    /// Seconds of the first clip at which the second begins.
    pub offset: f64,
    /// Standard error of that in the middle of what both heard, seconds.
    pub sigma: f64,
    /// By how much the second clip's clock runs fast, parts in a million.
    pub fast: f64,
    /// Pieces of sound that agreed.
    pub pieces: usize,
}

/// Why two clips cannot be laid on each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum StepError {
    /// Too short.
    #[error("One of the clips has less than two seconds of sound. Set the beginning by hand.")]
    Short,
    /// Nothing alike.
    #[error(
        "The two clips do not hear the same music. Are they of one dance? Set the beginning by hand."
    )]
    Unlike,
}

/// Length of a piece, and how far about the rough offset it is searched, seconds.
const PIECE: f64 = 0.75;
const ABOUT: f64 = 0.04;

/// Correlation from which on two pieces are of one sound.
const ALIKE: f64 = 0.25;

/// Pieces that must agree.
const PIECES: usize = 3;

/// Clocks of phones differ by less, parts in a million.
const FASTEST: f64 = 300.0;

/// Cross-correlation of two rows at all offsets of the second in the first, from −(b − 1) on.
fn crossed(a: &[f32], b: &[f32]) -> Vec<f32> {
    let size = (a.len() + b.len()).next_power_of_two();
    let mut planner = RealFftPlanner::<f32>::new();
    let (there, back) = (
        planner.plan_fft_forward(size),
        planner.plan_fft_inverse(size),
    );
    let spectrum = |x: &[f32]| {
        let (mut input, mut out) = (there.make_input_vec(), there.make_output_vec());
        input[..x.len()].copy_from_slice(x);
        // Only wrong lengths fail, and these are the plan's own.
        let _ = there.process(&mut input, &mut out);
        out
    };
    let (mut sa, sb) = (spectrum(a), spectrum(b));
    for (x, y) in sa.iter_mut().zip(&sb) {
        *x *= y.conj();
    }
    if let Some(x) = sa.first_mut() {
        x.im = 0.0;
    }
    if let Some(x) = sa.last_mut() {
        x.im = 0.0;
    }
    let mut out = back.make_output_vec();
    let _ = back.process(&mut sa, &mut out);
    // Offset 0 comes first, negative ones at the end.
    let negative = b.len() - 1;
    let mut all = out[size - negative..].to_vec();
    all.extend(&out[..a.len()]);
    all
}

fn highest(x: &[f32]) -> Option<usize> {
    (0..x.len()).max_by(|a, b| x[*a].total_cmp(&x[*b]))
}

/// Lays the second sound on the first; both mono at [`RATE`].
pub fn in_step(first: &[f32], second: &[f32]) -> Result<InStep, StepError> {
    if first.len().min(second.len()) < (2.0 * RATE) as usize {
        return Err(StepError::Short);
    }
    let on = |s: &[f32]| {
        onset_strength(s)
            .iter()
            .map(|v| v.min(6.0) as f32)
            .collect::<Vec<f32>>()
    };
    let (a, b) = (on(first), on(second));
    let coarse = crossed(&a, &b);
    let top = highest(&coarse).ok_or(StepError::Unlike)?;
    let rough = (top as f64 - (b.len() as f64 - 1.0)) * HOP as f64 / RATE;

    // The offset that each piece of the second clip says, by its moment there.
    let (long, about) = ((PIECE * RATE) as usize, (ABOUT * RATE) as usize);
    let mut said: Vec<(f64, f64)> = Vec::new();
    for start in (0..second.len().saturating_sub(long)).step_by(long) {
        let at = start as f64 + rough * RATE - about as f64;
        let (from, to) = (
            at.round() as i64,
            at.round() as i64 + (long + 2 * about) as i64,
        );
        if from < 0 || to as usize > first.len() {
            continue;
        }
        let (piece, place) = (
            &second[start..start + long],
            &first[from as usize..to as usize],
        );
        let power = |x: &[f32]| x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>();
        let all = crossed(place, piece);
        let fits = &all[piece.len() - 1..piece.len() + 2 * about];
        let Some(k) = highest(fits) else { continue };
        let alike = f64::from(fits[k])
            / (power(piece) * power(&place[k..k + long]))
                .sqrt()
                .max(1e-12);
        // The realfft inverse is not scaled.
        let size = (place.len() + piece.len()).next_power_of_two() as f64;
        if alike / size < ALIKE || k == 0 || k + 1 == fits.len() {
            continue;
        }
        let (l, m, r) = (
            f64::from(fits[k - 1]),
            f64::from(fits[k]),
            f64::from(fits[k + 1]),
        );
        let bend = l - 2.0 * m + r;
        let part = if bend.abs() > 1e-9 {
            0.5 * (l - r) / bend
        } else {
            0.0
        };
        let moment = (start as f64 + 0.5 * long as f64) / RATE;
        said.push((
            moment,
            (from as f64 + k as f64 + part - start as f64) / RATE,
        ));
    }
    if said.len() < PIECES {
        return Err(StepError::Unlike);
    }
    let slopes: Vec<f64> = said
        .iter()
        .enumerate()
        .flat_map(|(i, a)| {
            said[i + 1..]
                .iter()
                .filter(move |b| b.0 - a.0 > 1.0)
                .map(move |b| (b.1 - a.1) / (b.0 - a.0))
        })
        .collect();
    let slope = if slopes.is_empty() {
        0.0
    } else {
        median(slopes)
    };
    let slope = if 1e6 * slope.abs() > FASTEST {
        0.0
    } else {
        slope
    };
    let offset = median(said.iter().map(|(t, o)| o - slope * t).collect());
    let apart = median(
        said.iter()
            .map(|(t, o)| (o - slope * t - offset).abs())
            .collect(),
    );
    // Pieces that say something else than most are of a repeated bar.
    let agree = said
        .iter()
        .filter(|(t, o)| (o - slope * t - offset).abs() < 0.003)
        .count();
    if agree < PIECES || 2 * agree < said.len() {
        return Err(StepError::Unlike);
    }
    // One offset for all of the clip: that of its middle.
    let middle = 0.5 * (said[0].0 + said[said.len() - 1].0);
    Ok(InStep {
        offset: offset + slope * middle,
        sigma: (1.4826 * apart / (agree as f64).sqrt()).max(0.0002),
        fast: -1e6 * slope,
        pieces: agree,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Bursts at uneven moments, as `begin` seconds into it a phone hears them with a clock so fast.
    fn heard(begin: f64, seconds: f64, fast: f64, hiss: f32) -> Vec<f32> {
        let mut out = vec![0.0_f32; (seconds * RATE) as usize];
        let (mut seed, mut noise_seed) = (5_u32, 77_u32 + begin.to_bits() as u32);
        let next = |s: &mut u32| {
            *s = s.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (*s >> 8) as f32 / 8_388_608.0 - 1.0
        };
        let mut t = 0.2;
        while t < 60.0 {
            let pitch = 300.0 + 200.0 * f64::from(next(&mut seed));
            let at = (t - begin) * (1.0 + fast * 1e-6);
            for i in 0..4000 {
                let moment = (at * RATE).ceil() + f64::from(i);
                let age = moment / RATE - at;
                if moment >= 0.0
                    && let Some(s) = out.get_mut(moment as usize)
                {
                    *s += 0.5
                        * ((std::f64::consts::TAU * pitch * age).sin() * (-age / 0.05).exp())
                            as f32;
                }
            }
            t += 0.35 + 0.12 * f64::from(next(&mut seed));
        }
        for s in &mut out {
            *s += hiss * next(&mut noise_seed);
        }
        out
    }

    #[test]
    fn two_phones_are_laid_on_each_other_to_a_millisecond() {
        let first = heard(2.0, 25.0, 0.0, 0.02);
        for (begin, fast) in [(3.7, 0.0), (0.4, 40.0), (9.123_4, -60.0)] {
            let second = heard(begin, 20.0, fast, 0.05);
            let found = in_step(&first, &second).unwrap();
            assert!(
                (found.offset - (begin - 2.0)).abs() < 0.002,
                "{begin}: {found:?}"
            );
            assert!((found.fast - fast).abs() < 25.0, "{found:?}");
            assert!(found.sigma < 0.001);
        }
    }

    #[test]
    fn other_sounds_and_none_are_refused() {
        let first = heard(2.0, 12.0, 0.0, 0.02);
        let other: Vec<f32> = first.iter().rev().copied().collect();
        assert_eq!(in_step(&first, &other), Err(StepError::Unlike));
        assert_eq!(in_step(&first, &vec![0.0; 200_000]), Err(StepError::Unlike));
        assert_eq!(in_step(&first, &[0.0; 100]), Err(StepError::Short));
    }
}
