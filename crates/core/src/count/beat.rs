//! The beat of music as a phone heard it: onsets, the tempo as it drifts, beats, and a guess at the bar.
//!
//! Onsets are rises of loudness in 30 bands (spectral flux). The tempo is followed through windows of the
//! sound (Viterbi) by how well trains of pulses meet the onsets, weighed by what the dance is danced to.
//! Beats are the best chain of onsets at that tempo (Ellis, D. P. W. (2007), "Beat tracking by dynamic
//! programming", J. New Music Research 36). Music with a strong off-beat, or at twice or half the dance's tempo,
//! can be read wrongly:
//! [`Recount`] gives the other readings. A bar's first beat is where harmonies change and the bass is strong.

use std::ops::Range;

use realfft::RealFftPlanner;
use serde::{Deserialize, Serialize};

use super::median;
use crate::units::MediaTime;

/// Samples a second that [`listen`] takes.
pub const RATE: f64 = 22_050.0;

/// Samples a spectrum is taken of, and from one spectrum to the next.
const WINDOW: usize = 1024;
pub(super) const HOP: usize = 220;

/// Onset values a second.
const FRAMES: f64 = RATE / HOP as f64;

/// An onset is reported this much before the sound begins, seconds: a window sees it coming.
const EARLY: f64 = 0.004;

/// Bands, and their edges from the lowest to the highest, hertz.
const BANDS: usize = 30;
const EDGES: [f64; 2] = [40.0, 8_000.0];

/// Bands that carry a bass drum, and those below the cymbals.
const LOW: usize = 7;
const MIDDLE: usize = 23;

/// Slowest and fastest beat that is looked for, beats a minute.
const TEMPI: [f64; 2] = [50.0, 260.0];

/// Steps of tempo in an octave.
const FINE: f64 = 96.0;

/// Window of the sound that a tempo is read from, and from one window to the next, seconds.
const SPAN: f64 = 8.0;
const STEP: f64 = 1.0;

/// What is known of the music before it is heard.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ask {
    /// Slowest and fastest tempo that is likely, beats a minute.
    pub tempo: [f64; 2],
    /// Beats of a bar.
    pub meter: u32,
}

impl Default for Ask {
    fn default() -> Self {
        Self {
            tempo: [85.0, 165.0],
            meter: 4,
        }
    }
}

/// Why no beat is heard.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum HearError {
    /// Too short.
    #[error(
        "The sound lasts {0:.1} s. A beat can be heard in four seconds or more; tap it instead."
    )]
    Short(f64),
    /// Silence or nothing regular.
    #[error("No steady beat is heard in this sound. Tap along with the count you dance to.")]
    None,
}

/// The beat that was heard.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Heard {
    /// Every beat, in order.
    pub beats: Vec<MediaTime>,
    /// Beats a minute in the middle of the clip.
    pub tempo: f64,
    /// Beats of a bar.
    pub meter: u32,
    /// Which of the first bar's beats seems to be 1, from 0.
    pub one: u32,
    /// Where in a beat the strongest onset between two beats falls: 0.5 straight, up to 0.75 swung; absent
    /// where too little is heard between them.
    pub swing: Option<f64>,
    /// Share of the beats that have an onset of their own, 0..1.
    pub clear: f64,
}

/// Another way to count the same music.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Recount {
    /// Every second beat.
    Half,
    /// Twice as many.
    Double,
    /// Half a beat later.
    Off,
}

impl Recount {
    /// The beats counted in another way, and which of them is 1 then. Beats on the old 1 stay beats, except
    /// where all move.
    pub fn of(self, beats: &[MediaTime], one: i32) -> (Vec<MediaTime>, i32) {
        let between = || beats.windows(2).map(|w| MediaTime(w[0].0.midpoint(w[1].0)));
        match self {
            Self::Half => {
                let first = one.rem_euclid(2);
                let kept = beats.iter().copied().skip(first as usize).step_by(2);
                (kept.collect(), (one - first) / 2)
            }
            Self::Double => {
                let mut all: Vec<MediaTime> = beats.iter().copied().chain(between()).collect();
                all.sort();
                (all, 2 * one)
            }
            Self::Off => (between().collect(), one),
        }
    }
}

/// Rises of loudness: all bands, the low ones alone, and those between bass and cymbals; and how loud the low ones are.
struct Onsets {
    all: Vec<f64>,
    low: Vec<f64>,
    middle: Vec<f64>,
    bass: Vec<f64>,
}

fn onsets(samples: &[f32]) -> Onsets {
    let mut planner = RealFftPlanner::<f32>::new();
    let plan = planner.plan_fft_forward(WINDOW);
    let hann: Vec<f32> = (0..WINDOW)
        .map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / WINDOW as f32).cos())
        .collect();
    let bin = |k: usize| {
        let share = k as f64 / BANDS as f64;
        let hertz = EDGES[0] * (EDGES[1] / EDGES[0]).powf(share);
        ((hertz / RATE * WINDOW as f64).round() as usize).max(1 + k.min(12))
    };
    let edges: Vec<usize> = (0..=BANDS).map(bin).collect();
    let (mut input, mut spectrum) = (plan.make_input_vec(), plan.make_output_vec());
    let frames = samples.len() / HOP;
    let mut before: Vec<[f64; BANDS]> = Vec::with_capacity(frames);
    let [mut all, mut low, mut middle, mut bass] = [(); 4].map(|()| Vec::with_capacity(frames));
    for f in 0..frames {
        // A window stands in the middle of its moment.
        for (i, slot) in input.iter_mut().enumerate() {
            let at = (f * HOP + i).checked_sub(WINDOW / 2);
            *slot = at.and_then(|a| samples.get(a)).map_or(0.0, |s| s * hann[i]);
        }
        if plan.process(&mut input, &mut spectrum).is_err() {
            break;
        }
        let mut now = [0.0; BANDS];
        for (k, loud) in now.iter_mut().enumerate() {
            let bins = &spectrum[edges[k]..edges[k + 1].max(edges[k] + 1).min(spectrum.len())];
            let power: f32 = bins.iter().map(|c| c.norm_sqr()).sum::<f32>() / bins.len() as f32;
            *loud = (1.0 + 10.0 * f64::from(power.sqrt())).ln();
        }
        let rise = |k: usize| {
            // Against two windows before, and the neighbouring bands: a voice that glides is no onset.
            let Some(was) = f.checked_sub(2).map(|b| &before[b]) else {
                return 0.0;
            };
            let near = was[k.saturating_sub(1)..(k + 2).min(BANDS)]
                .iter()
                .copied()
                .fold(0.0, f64::max);
            (now[k] - near).max(0.0)
        };
        all.push((0..BANDS).map(rise).sum());
        low.push((0..LOW).map(rise).sum());
        middle.push((LOW..MIDDLE).map(rise).sum());
        bass.push(now[..LOW].iter().sum::<f64>() / LOW as f64);
        before.push(now);
    }
    Onsets {
        all: levelled(&all),
        low: levelled(&low),
        middle: levelled(&middle),
        bass,
    }
}

/// How strongly sound begins at each onset value of the sound.
pub(super) fn onset_strength(samples: &[f32]) -> Vec<f64> {
    onsets(samples).all
}

/// Without slow changes of loudness: less the mean about it, over the size of what is about it.
fn levelled(x: &[f64]) -> Vec<f64> {
    let mut sums = vec![(0.0, 0.0)];
    for v in x {
        let (s, q) = sums[sums.len() - 1];
        sums.push((s + v, q + v * v));
    }
    let (near, wide) = ((0.4 * FRAMES) as usize, (3.0 * FRAMES) as usize);
    let about = |i: usize, w: usize| {
        let (a, z) = (i.saturating_sub(w), (i + w + 1).min(x.len()));
        let n = (z - a) as f64;
        ((sums[z].0 - sums[a].0) / n, (sums[z].1 - sums[a].1) / n)
    };
    let loudest = x.iter().copied().fold(0.0, f64::max);
    (0..x.len())
        .map(|i| {
            let size = about(i, wide).1.sqrt();
            ((x[i] - about(i, near).0).max(0.0)) / (size + 0.02 * loudest + 1e-9)
        })
        .collect()
}

/// The beat behind the sound: mono samples between −1 and 1 at [`RATE`].
pub fn listen(samples: &[f32], ask: Ask) -> Result<Heard, HearError> {
    let seconds = samples.len() as f64 / RATE;
    if seconds < 4.0 {
        return Err(HearError::Short(seconds));
    }
    let on = onsets(samples);
    if on.all.iter().all(|v| *v < 1e-6) {
        return Err(HearError::None);
    }
    let periods = tempi(&on.all, ask.tempo);
    let chain = on_the_beat(samples, &on, chain(&on.all, &periods));
    let (beats, clear) = trimmed(&on.all, chain)?;
    let fine: Vec<f64> = settled(
        &beats
            .iter()
            .map(|b| placed(&on.all, *b))
            .collect::<Vec<_>>(),
    );
    let steps: Vec<f64> = fine.windows(2).map(|w| w[1] - w[0]).collect();
    let meter = ask.meter.clamp(1, 12);
    let one = first_of_bar(samples, &on, &fine, meter as usize);
    Ok(Heard {
        tempo: 60.0 / median(steps),
        meter,
        one: one as u32,
        swing: swing(&on.all, &fine),
        clear,
        beats: fine
            .iter()
            .map(|t| MediaTime::from_secs((t + EARLY).max(0.0)))
            .collect(),
    })
}

/// The chain moved by half a beat where more speaks for what is between: an off-beat that is louder than the beat
/// (a chord or a brush) draws the beats to itself, but the harmony changes on a beat, the bass sounds on it, and drums
/// and chords are struck on it more than cymbals are.
fn on_the_beat(samples: &[f32], on: &Onsets, chain: Vec<usize>) -> Vec<usize> {
    let between: Vec<usize> = chain
        .windows(2)
        .map(|w| usize::midpoint(w[0], w[1]))
        .collect();
    let mut both: Vec<usize> = chain.iter().chain(&between).copied().collect();
    both.sort_unstable();
    let moments: Vec<f64> = both.iter().map(|b| *b as f64 / FRAMES).collect();
    let sounds = |b: &usize| on.bass.get(b + SOUNDING).copied().unwrap_or(0.0);
    let cues = [
        changes(&harmonies(samples, &moments), HARMONY),
        both.iter().map(sounds).collect(),
        struck(&on.middle, &moments),
    ];
    let speaks: f64 = cues
        .iter()
        .zip(SPEAKS)
        .map(|(cue, weight)| weight * apart(cue, 2)[1])
        .sum();
    if speaks > TURNED { between } else { chain }
}

/// Half beats before and after a moment over which harmonies are compared.
const HARMONY: usize = 4;

/// Onset values after a moment at which what is struck then sounds.
const SOUNDING: usize = 4;

/// What change of harmony, bass and strikes count, so that their sum is the logarithm of the odds for one half of the
/// half beats against the other: a logistic fit to 136 real and 200 simulated pieces with known beats
/// (docs/decisions/0037).
const SPEAKS: [f64; 3] = [1.3, 0.6, 0.43];

/// So much more must speak for the off-beat.
const TURNED: f64 = 0.5;

/// Spectrum by which harmonies are told: 3 Hz a bin, and what of it is used, from the lowest A up, hertz.
const TONES: usize = 8192;
const TONAL: [f64; 2] = [54.0, 1_800.0];

/// How strongly each of the twelve tones sounds in each beat, from one to the next; of length 1.
fn harmonies(samples: &[f32], beats: &[f64]) -> Vec<[f64; 12]> {
    let mut planner = RealFftPlanner::<f32>::new();
    let plan = planner.plan_fft_forward(TONES);
    let (mut input, mut spectrum) = (plan.make_input_vec(), plan.make_output_vec());
    let mut out = Vec::with_capacity(beats.len());
    for (i, b) in beats.iter().enumerate() {
        let end = beats.get(i + 1).copied().unwrap_or(b + 0.5);
        // Past the strike, which is noise.
        let middle = ((0.45 * b + 0.55 * end) * RATE) as usize;
        for (k, slot) in input.iter_mut().enumerate() {
            let hann = 0.5 - 0.5 * (std::f32::consts::TAU * k as f32 / TONES as f32).cos();
            let at = (middle + k).checked_sub(TONES / 2);
            *slot = at.and_then(|a| samples.get(a)).map_or(0.0, |s| s * hann);
        }
        let mut tones = [0.0; 12];
        if plan.process(&mut input, &mut spectrum).is_ok() {
            for (k, c) in spectrum.iter().enumerate().skip(1) {
                let hertz = k as f64 * RATE / TONES as f64;
                // A tone stands out from its neighbours, noise does not.
                let near = |d: usize| spectrum.get(k + d - 2).map_or(0.0, |c| c.norm_sqr());
                let peak = c.norm_sqr() >= near(1) && c.norm_sqr() >= near(3);
                if (TONAL[0]..TONAL[1]).contains(&hertz) && peak {
                    let semitone = (12.0 * (hertz / 55.0).log2()).round() as usize;
                    tones[semitone % 12] += f64::from(c.norm_sqr()).sqrt().ln_1p();
                }
            }
        }
        let size = tones.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-9);
        out.push(tones.map(|v| v / size));
    }
    out
}

/// How much the harmony of so many beats from each on differs from that of as many before, 0..1.
fn changes(tones: &[[f64; 12]], many: usize) -> Vec<f64> {
    let sum = |part: &[[f64; 12]]| {
        let mut out = [0.0; 12];
        for tones in part {
            for (o, t) in out.iter_mut().zip(tones) {
                *o += t;
            }
        }
        out
    };
    let dot = |a: &[f64; 12], b: &[f64; 12]| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
    (0..tones.len())
        .map(|i| {
            // At either end too little is heard to tell.
            if i < many || i + many > tones.len() {
                return 0.0;
            }
            let (before, after) = (sum(&tones[i - many..i]), sum(&tones[i..i + many]));
            let sizes = (dot(&before, &before) * dot(&after, &after)).sqrt();
            1.0 - dot(&before, &after) / sizes.max(1e-9)
        })
        .collect()
}

/// How strong sound begins at each moment.
fn struck(row: &[f64], moments: &[f64]) -> Vec<f64> {
    moments.iter().map(|t| peak(row, t * FRAMES, 3.0)).collect()
}

/// Which of the first bar's beats is likeliest its first: harmonies change there, and there the bass is strong.
/// Each counts as much as it tells the bar's beats apart, harmony twice. Drums say little: they are as often
/// loudest on the beats between.
fn first_of_bar(samples: &[f32], on: &Onsets, beats: &[f64], meter: usize) -> usize {
    let changes = apart(&changes(&harmonies(samples, beats), meter), meter);
    let low = apart(&struck(&on.low, beats), meter);
    let sum = |a: usize| 2.0 * changes[a] + low[a];
    (0..meter.min(beats.len()))
        .max_by(|a, b| sum(*a).total_cmp(&sum(*b)))
        .unwrap_or(0)
}

/// How far the mean of each place in the bar lies over the mean of all, in standard errors.
fn apart(cue: &[f64], meter: usize) -> Vec<f64> {
    let n = cue.len().max(1) as f64;
    let mean = cue.iter().sum::<f64>() / n;
    let spread = (cue.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / n).sqrt();
    (0..meter)
        .map(|place| {
            let of: Vec<f64> = cue.iter().skip(place).step_by(meter).copied().collect();
            let many = of.len().max(1) as f64;
            (of.iter().sum::<f64>() / many - mean) * many.sqrt() / spread.max(1e-9)
        })
        .collect()
}

fn bpm(k: usize) -> f64 {
    TEMPI[0] * 2_f64.powf(k as f64 / FINE)
}

/// Place and value of the highest among some, the first of equals.
fn highest(of: &[f64], among: Range<usize>) -> (usize, f64) {
    among.fold((0, f64::NEG_INFINITY), |best, i| {
        if of[i] > best.1 { (i, of[i]) } else { best }
    })
}

/// The beat's length at each onset value, in onset values.
fn tempi(on: &[f64], likely: [f64; 2]) -> Vec<f64> {
    let count = (FINE * (TEMPI[1] / TEMPI[0]).log2()) as usize;
    let (middle, spread) = {
        let [a, b] = likely.map(f64::ln);
        (0.5 * (a + b), (0.5 * (b - a)).max(0.12))
    };
    let prior: Vec<f64> = (0..count)
        .map(|k| -0.5 * ((bpm(k).ln() - middle) / (1.3 * spread)).powi(2))
        .collect();
    let soft = softened(on);
    let half = (0.5 * SPAN * FRAMES) as usize;
    let step = (STEP * FRAMES) as usize;
    let centres: Vec<usize> = (0..on.len()).step_by(step).collect();
    let near = (FINE * CHANGES.log2()) as usize;
    let mut costs: Vec<f64> = Vec::new();
    let mut from: Vec<Vec<usize>> = Vec::new();
    for centre in &centres {
        let part = &soft[centre.saturating_sub(half)..(centre + half).min(on.len())];
        let seen: Vec<f64> = (0..count)
            .map(|k| PULSE * pulse(part, 60.0 / bpm(k) * FRAMES) + prior[k])
            .collect();
        if costs.is_empty() {
            costs = seen;
            continue;
        }
        let mut next = Vec::with_capacity(count);
        let mut came = Vec::with_capacity(count);
        for (k, s) in seen.iter().enumerate() {
            // A tempo drifts by a few per cent or jumps; staying is likeliest.
            let (best, value) = (k.saturating_sub(8)..(k + 9).min(count))
                .map(|j| (j, costs[j] - 0.12 * (j as f64 - k as f64).abs()))
                .fold((k, f64::NEG_INFINITY), |a, b| if b.1 > a.1 { b } else { a });
            let (jump, high) = highest(&costs, k.saturating_sub(near)..(k + near + 1).min(count));
            let (leap, top) = highest(&costs, 0..count);
            let (j, v) = [(best, value), (jump, high - JUMP), (leap, top - LEAP)]
                .into_iter()
                .fold((k, f64::NEG_INFINITY), |a, b| if b.1 > a.1 { b } else { a });
            came.push(j);
            next.push(v + s);
        }
        from.push(came);
        costs = next;
    }
    let mut k = highest(&costs, 0..count).0;
    let mut path = vec![k];
    for came in from.iter().rev() {
        k = came[k];
        path.push(k);
    }
    path.reverse();
    (0..on.len())
        .map(|i| {
            let x = i as f64 / step as f64;
            let a = (x as usize).min(path.len() - 1);
            let b = (a + 1).min(path.len() - 1);
            let share = x - a as f64;
            60.0 * FRAMES / ((1.0 - share) * bpm(path[a]) + share * bpm(path[b]))
        })
        .collect()
}

/// What a jump of the tempo from one window to the next costs, against what a pulse's fit is worth.
const JUMP: f64 = 8.0;

/// Music changes its tempo by less than this factor; what seems to change by more is mostly heard at half or twice its
/// tempo for a while, and costs so much.
const CHANGES: f64 = 1.3;
const LEAP: f64 = 30.0;

/// Weight of how well a pulse fits, against what is likely.
const PULSE: f64 = 0.25;

/// How far the best pulse train of a period lies over what any moments would give, in standard errors. A period of
/// one and a half beats meets beats and what is between in turn, where a correlation would find it as good as
/// the beat's own.
fn pulse(on: &[f64], period: f64) -> f64 {
    let n = on.len() as f64;
    let mean = on.iter().sum::<f64>() / n;
    let spread = (on.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / n).sqrt();
    let mut best = 0.0_f64;
    // Softened onsets are wider than two values.
    for phase in (0..period as usize).step_by(2) {
        let (mut at, mut sum, mut many) = (phase as f64, 0.0, 0.0);
        while let Some(v) = on.get(at.round() as usize) {
            sum += v;
            many += 1.0;
            at += period;
        }
        best = best.max((sum / many - mean) * f64::sqrt(many));
    }
    best / spread.max(1e-9)
}

/// Onsets a little wider: beats may be beside them.
fn softened(on: &[f64]) -> Vec<f64> {
    (0..on.len())
        .map(|i| {
            let near = |d: usize| {
                on.get(i.wrapping_sub(d)).unwrap_or(&0.0) + on.get(i + d).unwrap_or(&0.0)
            };
            on[i] + 0.6 * near(1) + 0.15 * near(2)
        })
        .collect()
}

/// How strictly beats keep the tempo, against how strong onsets are.
const STRICT: f64 = 4000.0;

/// The best chain of onsets at the given tempo, in onset values.
fn chain(on: &[f64], periods: &[f64]) -> Vec<usize> {
    let soft = softened(on);
    let (mut score, mut back) = (soft.clone(), vec![None; on.len()]);
    for i in 0..on.len() {
        let p = periods[i];
        let (near, far) = ((0.6 * p) as usize, (1.6 * p) as usize);
        let mut best = (None, 0.0);
        for d in near.max(1)..=far {
            let Some(j) = i.checked_sub(d) else { break };
            let value = score[j] - STRICT * (d as f64 / p).ln().powi(2);
            if value > best.1 {
                best = (Some(j), value);
            }
        }
        score[i] += best.1;
        back[i] = best.0;
    }
    let tail = periods.last().map_or(0, |p| (1.2 * p) as usize);
    let begin = on.len().saturating_sub(tail);
    let mut at = (begin..on.len()).max_by(|a, b| score[*a].total_cmp(&score[*b]));
    let mut out = Vec::new();
    while let Some(i) = at {
        out.push(i);
        at = back[i];
    }
    out.reverse();
    out
}

/// Highest value near a place.
fn peak(on: &[f64], at: f64, within: f64) -> f64 {
    let (a, z) = (
        (at - within).max(0.0) as usize,
        (at + within).max(0.0) as usize,
    );
    on.get(a.min(on.len())..(z + 1).min(on.len()))
        .unwrap_or_default()
        .iter()
        .copied()
        .fold(0.0, f64::max)
}

/// Onsets smaller than this are none.
const ONSET: f64 = 0.6;

/// Without the beats before the music begins and after it ends; and the share of beats with an onset.
fn trimmed(on: &[f64], beats: Vec<usize>) -> Result<(Vec<usize>, f64), HearError> {
    let has: Vec<bool> = beats
        .iter()
        .map(|b| peak(on, *b as f64, 3.0) > ONSET)
        .collect();
    // Music: at least five of eight beats in a row are heard, or every second one of sixteen but one.
    let dense = |i: usize, forward: bool| {
        let next = |many: usize| -> Vec<bool> {
            if forward {
                has[i..].iter().take(many).copied().collect()
            } else {
                has[..=i].iter().rev().take(many).copied().collect()
            }
        };
        let heard =
            |beats: &[bool], step: usize| beats.iter().step_by(step).filter(|h| **h).count();
        let (eight, sixteen) = (next(8), next(16));
        heard(&eight, 1) * 8 >= 5 * eight.len()
            || heard(&sixteen, 2) * 8 >= 7 * sixteen.len().div_ceil(2)
    };
    let first = (0..beats.len()).find(|i| has[*i] && dense(*i, true));
    let last = (0..beats.len()).rev().find(|i| has[*i] && dense(*i, false));
    match (first, last) {
        (Some(a), Some(z)) if z >= a + 4 => {
            let clear = has[a..=z].iter().filter(|h| **h).count() as f64 / (z + 1 - a) as f64;
            if clear < 0.5 {
                return Err(HearError::None);
            }
            Ok((beats[a..=z].to_vec(), clear))
        }
        _ => Err(HearError::None),
    }
}

/// A beat's moment to a part of an onset value, seconds: the parabola through the highest value near it.
fn placed(on: &[f64], beat: usize) -> f64 {
    let (a, z) = (beat.saturating_sub(3), (beat + 4).min(on.len()));
    let top = (a..z)
        .max_by(|x, y| on[*x].total_cmp(&on[*y]))
        .unwrap_or(beat);
    if on[top] < ONSET {
        return beat as f64 / FRAMES;
    }
    let (l, m, r) = (
        on.get(top.wrapping_sub(1)).copied().unwrap_or(0.0),
        on[top],
        on.get(top + 1).copied().unwrap_or(0.0),
    );
    let bend = l - 2.0 * m + r;
    let off = if bend < -1e-9 {
        (0.5 * (l - r) / bend).clamp(-0.5, 0.5)
    } else {
        0.0
    };
    (top as f64 + off) / FRAMES
}

/// Moments drawn to the line through their neighbours: a single onset is early or late, the beat is not.
fn settled(t: &[f64]) -> Vec<f64> {
    const REACH: usize = 5;
    (0..t.len())
        .map(|i| {
            let (a, z) = (i.saturating_sub(REACH), (i + REACH + 1).min(t.len()));
            let slopes: Vec<f64> = (a..z)
                .flat_map(|j| (j + 1..z).map(move |k| (t[k] - t[j]) / (k - j) as f64))
                .collect();
            if slopes.is_empty() {
                return t[i];
            }
            let slope = median(slopes);
            median(
                (a..z)
                    .map(|j| t[j] + slope * (i as f64 - j as f64))
                    .collect(),
            )
        })
        .collect()
}

/// Where between two beats the onsets lie, as a share of the beat.
fn swing(on: &[f64], beats: &[f64]) -> Option<f64> {
    const BINS: usize = 14;
    let mut sums = [0.0; BINS];
    for w in beats.windows(2) {
        for (k, s) in sums.iter_mut().enumerate() {
            let share = 0.45 + 0.35 * (k as f64 + 0.5) / BINS as f64;
            *s += peak(on, (w[0] + share * (w[1] - w[0])) * FRAMES, 0.7);
        }
    }
    let mean = sums.iter().sum::<f64>() / BINS as f64;
    let (top, high) = sums
        .iter()
        .copied()
        .enumerate()
        .fold((0, 0.0), |a, b| if b.1 > a.1 { b } else { a });
    let heard = high > 1.5 * mean && high > 0.25 * beats.len().max(1) as f64;
    heard.then(|| (0.45 + 0.35 * (top as f64 + 0.5) / BINS as f64).clamp(0.5, 0.75))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Noise bursts at moments, each so loud.
    fn bursts(seconds: f64, at: impl Iterator<Item = (f64, f32)>) -> Vec<f32> {
        let mut out = vec![0.0_f32; (seconds * RATE) as usize];
        let mut seed = 7_u32;
        for (t, loud) in at {
            for i in 0..900 {
                seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let noise = (seed >> 8) as f32 / 8_388_608.0 - 1.0;
                if let Some(s) = out.get_mut((t * RATE) as usize + i) {
                    *s += loud * noise * (-(i as f32) / 200.0).exp();
                }
            }
        }
        out
    }

    fn steady(period: f64, n: u32) -> impl Iterator<Item = (f64, f32)> {
        (0..n).map(move |i| {
            (
                0.7 + f64::from(i) * period,
                if i % 4 == 0 { 0.8 } else { 0.5 },
            )
        })
    }

    #[test]
    fn a_part_that_strikes_every_other_beat_keeps_the_tempo() {
        let sparse = (41..90).step_by(2).map(|i| {
            let loud = if i % 4 == 1 { 0.8 } else { 0.5 };
            (0.7 + 0.4 * f64::from(i), loud)
        });
        let sound = bursts(37.1, steady(0.4, 40).chain(sparse));
        let heard = listen(&sound, Ask::default()).unwrap();
        assert!(heard.beats.len() > 85, "{}", heard.beats.len());
        for w in heard.beats.windows(2) {
            let step = w[1].since(w[0]);
            assert!((step - 0.4).abs() < 0.02, "{step}");
        }
    }

    #[test]
    fn a_steady_beat_is_heard_to_a_hundredth_of_a_second() {
        let heard = listen(&bursts(20.0, steady(0.5, 38)), Ask::default()).unwrap();
        assert!((heard.tempo - 120.0).abs() < 0.3, "{}", heard.tempo);
        assert!(heard.beats.len() >= 36 && heard.clear > 0.95);
        for b in &heard.beats {
            let off = (b.secs() - 0.7 + 0.25).rem_euclid(0.5) - 0.25;
            assert!(off.abs() < 0.012, "{off}");
        }
    }

    #[test]
    fn a_tempo_that_drifts_is_followed() {
        // From 110 to 118 beats a minute.
        let mut at = Vec::new();
        let mut t = 0.5;
        while t < 29.5 {
            at.push((t, 0.6));
            t += 60.0 / (110.0 + 8.0 * t / 30.0);
        }
        let heard = listen(&bursts(30.0, at.iter().copied()), Ask::default()).unwrap();
        let near = |b: &MediaTime| at.iter().any(|(t, _)| (t - b.secs()).abs() < 0.03);
        assert!(heard.beats.iter().filter(|b| near(b)).count() + 1 >= heard.beats.len());
        assert!(heard.beats.len() + 2 >= at.len());
    }

    #[test]
    fn the_dance_decides_between_a_tempo_and_its_double() {
        let sound = bursts(20.0, steady(0.345, 54));
        let ask = |tempo| listen(&sound, Ask { tempo, meter: 4 }).unwrap().tempo;
        assert!((ask([160.0, 190.0]) - 173.9).abs() < 2.0);
        assert!((ask([75.0, 95.0]) - 87.0).abs() < 1.5);
    }

    #[test]
    fn other_counts_halve_double_and_shift_and_keep_the_one() {
        let beats: Vec<MediaTime> = (0..9).map(|i| MediaTime(500_000 * i)).collect();
        let (half, one) = Recount::Half.of(&beats, 3);
        assert_eq!((half.len(), half[one as usize]), (4, beats[3]));
        let (twice, one) = Recount::Double.of(&beats, 3);
        assert_eq!((twice.len(), twice[one as usize]), (17, beats[3]));
        assert_eq!(twice[1], MediaTime(250_000));
        let (off, one) = Recount::Off.of(&beats, 3);
        assert_eq!((off.len(), off[one as usize]), (8, MediaTime(1_750_000)));
        // A 1 before the first beat stays where it is.
        assert_eq!(Recount::Half.of(&beats, -3).1, -2);
        // One after the other: every second of the beats in between.
        let (both, _) = Recount::Half.of(&off, one);
        assert_eq!(both[1].since(both[0]), 1.0);
    }

    /// Adds a low note on each of 38 beats from 0.7 s on, twice a second: it swells for so many seconds and dies away
    /// at so much a second.
    fn add_bass(sound: &mut [f32], [hertz, loud, swell, dies]: [f32; 4]) {
        for i in 0..38 {
            let from = ((0.7 + 0.5 * f64::from(i)) * RATE) as usize;
            for (k, s) in sound[from..].iter_mut().take(6_000).enumerate() {
                let t = k as f32 / RATE as f32;
                let wave = (std::f32::consts::TAU * hertz * t).sin() * (-t * dies).exp();
                *s += loud * (t / swell).min(1.0) * wave;
            }
        }
    }

    /// How far a beat lies at most from those with the bass, the first and the last left out; seconds.
    fn off_the_bass(sound: &[f32]) -> f64 {
        let beats = listen(sound, Ask::default()).unwrap().beats;
        let off = |b: &MediaTime| (b.secs() - 0.7 + 0.25).rem_euclid(0.5) - 0.25;
        let inner = &beats[1..beats.len() - 1];
        inner.iter().map(|b| off(b).abs()).fold(0.0, f64::max)
    }

    #[test]
    fn a_louder_off_beat_does_not_draw_the_beats_from_the_bass() {
        let mut sound = bursts(20.0, (0..38).map(|i| (0.95 + 0.5 * f64::from(i), 0.7)));
        add_bass(&mut sound, [60.0, 0.5, 1e-6, 15.0]);
        let off = off_the_bass(&sound);
        assert!(off < 0.04, "{off}");
    }

    #[test]
    fn music_that_sounds_on_every_second_beat_is_music() {
        // For half of the time only every second beat is struck, softly; then all are.
        let slow = (0..20).map(|i| (0.7 + f64::from(i), 0.1));
        let all = (0..38).map(|i| (20.7 + 0.5 * f64::from(i), 0.8));
        let heard = listen(&bursts(40.0, slow.chain(all)), Ask::default()).unwrap();
        assert!((heard.tempo - 120.0).abs() < 0.5, "{}", heard.tempo);
        assert!(heard.beats[0].secs() < 1.3, "{:?}", heard.beats[0]);
        assert!(heard.beats.len() >= 74, "{}", heard.beats.len());
    }

    #[test]
    fn cymbals_on_the_off_beat_do_not_draw_the_beats_from_the_bass_that_sounds_on_it() {
        // What changes from sample to sample is high. The chain lies on these strikes: no note begins at once.
        let strikes = bursts(20.0, (0..37).map(|i| (0.95 + 0.5 * f64::from(i), 0.5)));
        let mut sound: Vec<f32> = strikes.windows(2).map(|w| w[1] - w[0]).collect();
        add_bass(&mut sound, [65.0, 0.3, 0.05, 8.0]);
        let off = off_the_bass(&sound);
        assert!(off < 0.05, "{off}");
    }

    #[test]
    fn a_bar_begins_where_the_harmony_changes() {
        // Two chords in turn, four equal strikes each; the first strike is a bar's third.
        let mut sound = vec![0.0_f32; (21.0 * RATE) as usize];
        for i in 0..40 {
            let bar = (i + 2) / 4;
            let tones = [[220.0, 277.2, 329.6], [196.0, 246.9, 293.7]][bar % 2];
            let from = ((0.6 + 0.5 * i as f64) * RATE) as usize;
            for k in 0..(0.4 * RATE) as usize {
                let t = k as f32 / RATE as f32;
                for tone in tones {
                    let wave = (std::f32::consts::TAU * tone * t).sin() * (-t * 6.0).exp();
                    sound[from + k] += 0.2 * wave;
                }
            }
        }
        let heard = listen(&sound, Ask::default()).unwrap();
        let one = heard.beats[heard.one as usize].secs();
        let bars = (one - 1.6) / 2.0;
        assert!((bars - bars.round()).abs() < 0.03, "{one}");
    }

    #[test]
    fn silence_and_short_sounds_are_refused_in_words() {
        assert_eq!(
            listen(&[0.0; 1000], Ask::default()),
            Err(HearError::Short(1000.0 / RATE))
        );
        assert_eq!(
            listen(&vec![0.0; 200_000], Ask::default()),
            Err(HearError::None)
        );
    }
}
