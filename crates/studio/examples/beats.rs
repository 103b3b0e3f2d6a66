//! The beat tracker on the simulated band: `make beats`.
//!
//! F-measure by the usual rule: a beat within 70 ms of a true one is a hit, each true beat once.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;

use rand::seq::IndexedRandom as _;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use upright_core::chart::charts;
use upright_core::count::{Ask, RATE, Recount, listen};
use upright_studio::{Music, Performance, Phone, Scenario, Sound, soundtrack};

fn argument(name: &str, usual: u64) -> u64 {
    let all: Vec<String> = std::env::args().collect();
    let at = all.iter().position(|a| a == name);
    at.and_then(|i| all.get(i + 1))
        .and_then(|v| v.parse().ok())
        .unwrap_or(usual)
}

/// F-measure and the offsets of the hits, seconds.
fn score(found: &[f64], truth: &[f64]) -> (f64, Vec<f64>) {
    let mut off = Vec::new();
    let mut used = vec![false; truth.len()];
    for f in found {
        let near = (0..truth.len())
            .filter(|i| !used[*i])
            .min_by(|a, b| (truth[*a] - f).abs().total_cmp(&(truth[*b] - f).abs()));
        if let Some(i) = near.filter(|i| (truth[*i] - f).abs() <= 0.07) {
            used[i] = true;
            off.push(f - truth[i]);
        }
    }
    (
        2.0 * off.len() as f64 / (found.len() + truth.len()).max(1) as f64,
        off,
    )
}

#[derive(Default)]
struct Row {
    alone: Vec<f64>,
    helped: Vec<f64>,
    bar: Vec<f64>,
    offsets: Vec<f64>,
    swing: Vec<f64>,
}

fn main() {
    let takes = argument("--takes", 120);
    let seed = argument("--seed", rand::random::<u32>().into());
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut rows: BTreeMap<String, Row> = BTreeMap::new();
    let (mut heard_for, mut took) = (0.0, 0.0);
    for k in 0..takes {
        let chart = charts().choose(&mut rng).unwrap();
        let music = [Music::Band, Music::BandAndCounts, Music::Clicks][k as usize % 3];
        let drift = if k % 4 == 1 {
            rng.random_range(-0.09..0.09)
        } else {
            0.0
        };
        let room = if k % 5 < 2 {
            rng.random_range(0.02..0.12)
        } else {
            0.0
        };
        let scenario = Scenario {
            chart: chart.id.clone(),
            bpm: rng.random_range(chart.tempo[0]..=chart.tempo[1]),
            repetitions: 6,
            tempo_drift: drift,
            lead_in: rng.random_range(1.0..4.0),
            sound: Sound { music, room },
            phones: vec![Phone::default()],
            seed: rng.random(),
            ..Scenario::default()
        };
        let Ok(performance) = Performance::new(&scenario) else {
            continue;
        };
        let wav = soundtrack(&performance, 0);
        let samples: Vec<f32> = wav[44..]
            .chunks_exact(2)
            .map(|b| f32::from(i16::from_le_bytes([b[0], b[1]])) / 32_768.0)
            .collect();
        let seconds = samples.len() as f64 / RATE;
        let first = performance
            .grid()
            .beat_at(upright_core::units::MediaTime(0))
            .ceil() as i32;
        let from = if music == Music::Clicks {
            first.max(-(performance.pattern().beats as i32))
        } else {
            first
        };
        let truth: Vec<f64> = (from..performance.beats() as i32)
            .map(|b| performance.grid().time_of(f64::from(b)).secs())
            .filter(|t| *t > 0.05 && *t < seconds - 0.05)
            .collect();
        let ask = Ask {
            tempo: chart.tempo,
            meter: chart.meter,
        };
        let begun = std::time::Instant::now();
        let heard = listen(&samples, ask);
        took += begun.elapsed().as_secs_f64();
        heard_for += seconds;
        let mut names = vec![format!("{music:?}"), "all".into()];
        if drift != 0.0 {
            names.push("drifting".into())
        }
        if room > 0.0 {
            names.push("noisy hall".into())
        }
        if chart.meter == 3 {
            names.push("three beats a bar".into())
        }
        let (mut alone, mut helped, mut bar, mut off) = (0.0, 0.0, 0.0, Vec::new());
        let mut swing = None;
        if let Ok(h) = &heard {
            let secs = |h: &upright_core::count::Heard| {
                h.beats.iter().map(|b| b.secs()).collect::<Vec<_>>()
            };
            (alone, off) = score(&secs(h), &truth);
            helped = [Recount::Half, Recount::Double, Recount::Off]
                .iter()
                .map(|r| score(&secs(&h.read(*r)), &truth).0)
                .fold(alone, f64::max);
            let one = h.beats[h.one as usize].secs();
            let beat = performance
                .grid()
                .beat_at(upright_core::units::MediaTime::from_secs(one))
                .round() as i64;
            swing = Some((h.swing - performance.grid().swing).abs());
            bar = f64::from(u8::from(beat.rem_euclid(i64::from(chart.meter)) == 0));
        }
        if std::env::var("TELL").is_ok() && alone < 0.9 {
            println!(
                "{:24} {music:?} {:.0} bpm drift {drift:.2} room {room:.2}: F {alone:.2} heard {:?}",
                chart.id,
                scenario.bpm,
                heard.map(|h| h.tempo.round())
            );
        }
        for n in names {
            let row = rows.entry(n).or_default();
            row.alone.push(alone);
            row.helped.push(helped);
            row.bar.push(bar);
            row.offsets.extend(&off);
            row.swing.extend(swing);
        }
    }
    println!(
        "seed {seed}, {takes} takes, {:.0} times as fast as the music",
        heard_for / took
    );
    println!(
        "{:20} {:>5} {:>6} {:>9} {:>6} {:>10} {:>10} {:>6}",
        "music", "takes", "F", "one key", "bar 1", "offset", "scatter", "swing"
    );
    let mean = |v: &[f64]| v.iter().sum::<f64>() / v.len().max(1) as f64;
    let median = |v: &mut Vec<f64>| {
        v.sort_by(f64::total_cmp);
        v.get(v.len() / 2).copied().unwrap_or(f64::NAN)
    };
    for (n, r) in &mut rows {
        let middle = median(&mut r.offsets);
        let mut apart = r.offsets.iter().map(|o| (o - middle).abs()).collect();
        println!(
            "{n:20} {:5} {:6.3} {:9.3} {:6.2} {:7.1} ms {:7.1} ms {:6.2}",
            r.alone.len(),
            mean(&r.alone),
            mean(&r.helped),
            mean(&r.bar),
            1e3 * middle,
            1482.6 * median(&mut apart),
            median(&mut r.swing)
        );
    }
}
