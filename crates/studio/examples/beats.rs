//! The beat tracker on simulated music: `make beats`. Fails below the targets.
//!
//! F-measure by the usual rule: a beat within 70 ms of a true one is a hit, each true beat once. With
//! `--tracks FILE` the music is read from files with known beats, as `scripts/beat-tracks.py` writes them.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::process::ExitCode;

use rand::seq::IndexedRandom as _;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use upright_core::chart::charts;
use upright_core::count::{Ask, Heard, RATE, Recount, listen};
use upright_core::units::MediaTime;
use upright_studio::{Music, Performance, Phone, Scenario, Sound, soundtrack};

/// Targets: alone, after two keys, median offset in seconds, times as fast as the music.
const ALONE: f64 = 0.88;
const HELPED: f64 = 0.97;
const OFFSET: f64 = 0.010;
const FAST: f64 = 100.0;

fn argument<T: std::str::FromStr>(name: &str) -> Option<T> {
    let all: Vec<String> = std::env::args().collect();
    let at = all.iter().position(|a| a == name)?;
    all.get(at + 1)?.parse().ok()
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

fn secs(h: &Heard) -> Vec<f64> {
    h.beats.iter().map(|b| b.secs()).collect()
}

/// The best of what at most two keys give.
fn helped(h: &Heard, truth: &[f64]) -> f64 {
    const KEYS: [Recount; 3] = [Recount::Half, Recount::Double, Recount::Off];
    let f = |beats: &[MediaTime]| {
        let beats: Vec<f64> = beats.iter().map(|b| b.secs()).collect();
        score(&beats, truth).0
    };
    let press = |from: &[MediaTime]| KEYS.map(|k| k.of(from, 0).0);
    let one = press(&h.beats);
    let two = one.iter().flat_map(|h| press(h));
    one.iter()
        .cloned()
        .chain(two)
        .map(|b| f(&b))
        .fold(f(&h.beats), f64::max)
}

/// What is played and what is true of it.
struct Piece {
    names: Vec<String>,
    told: String,
    samples: Vec<f32>,
    ask: Ask,
    beats: Vec<f64>,
    /// Whether a beat at a moment is a bar's first; none where bars are not heard or not known.
    one: Option<Box<dyn Fn(f64) -> bool>>,
    swing: Option<f64>,
}

fn mono(wav: &[u8]) -> Vec<f32> {
    wav[44..]
        .chunks_exact(2)
        .map(|b| f32::from(i16::from_le_bytes([b[0], b[1]])) / 32_768.0)
        .collect()
}

/// A piece of the simulated studio.
fn simulated(k: u64, rng: &mut ChaCha8Rng) -> Option<Piece> {
    const MUSIC: [Music; 5] = [
        Music::Band,
        Music::Strings,
        Music::TwoBeat,
        Music::BandAndCounts,
        Music::Clicks,
    ];
    let chart = charts().choose(rng).unwrap();
    let music = MUSIC[k as usize % 5];
    // Every difficulty in a part of the takes of every music.
    let mut part = |share: f64, low: f64, high: f64| {
        if rng.random_bool(share) {
            rng.random_range(low..high)
        } else {
            0.0
        }
    };
    let drift = part(0.25, -0.09, 0.09);
    let step = if drift == 0.0 {
        part(0.15, -0.1, 0.1)
    } else {
        0.0
    };
    let sound = Sound {
        music,
        room: part(0.4, 0.02, 0.12),
        talk: part(0.3, 1.0, 3.0),
        speech: part(0.25, 0.1, 0.3),
        steps: part(0.3, 0.1, 0.35),
    };
    let scenario = Scenario {
        chart: chart.id.clone(),
        bpm: rng.random_range(chart.tempo[0]..=chart.tempo[1]),
        repetitions: 6,
        tempo_drift: drift,
        tempo_step: step,
        lead_in: rng.random_range(1.0..4.0),
        sound,
        phones: vec![Phone::default()],
        seed: rng.random(),
        ..Scenario::default()
    };
    let performance = Performance::new(&scenario).ok()?;
    let samples = mono(&soundtrack(&performance, 0));
    let seconds = samples.len() as f64 / RATE;
    let grid = performance.grid().clone();
    let mut first = grid.beat_at(MediaTime::from_secs(sound.talk)).ceil() as i32;
    if music == Music::Clicks {
        first = first.max(-(performance.pattern().beats as i32));
    }
    let beats = (first..performance.beats() as i32)
        .map(|b| grid.time_of(f64::from(b)).secs())
        .filter(|t| *t > 0.05 && *t < seconds - 0.05)
        .collect();
    let mut names = vec![format!("{music:?}"), "all".into()];
    let hard = [
        ("drifting", drift != 0.0),
        ("tempo changes at once", step != 0.0),
        ("noisy hall", sound.room > 0.0),
        ("talk before it", sound.talk > 0.0),
        ("speech over it", sound.speech > 0.0),
        ("steps over it", sound.steps > 0.0),
        ("three beats a bar", chart.meter == 3),
        ("above 170 a minute", scenario.bpm > 170.0),
        ("below 90 a minute", scenario.bpm < 90.0),
        ("swung", grid.swing > 0.55),
    ];
    names.extend(hard.iter().filter(|h| h.1).map(|h| h.0.to_owned()));
    let swing = grid.swing;
    let meter = i64::from(chart.meter);
    Some(Piece {
        told: format!(
            "{:24} {:.0} bpm swing {swing:.2} drift {drift:.2} step {step:.2} {sound:?}",
            chart.id, scenario.bpm
        ),
        names,
        samples,
        ask: Ask {
            tempo: chart.tempo,
            meter: chart.meter,
        },
        beats,
        one: (music != Music::Clicks).then(|| {
            let one = move |t: f64| {
                let beat = grid.beat_at(MediaTime::from_secs(t)).round() as i64;
                beat.rem_euclid(meter) == 0
            };
            Box::new(one) as Box<dyn Fn(f64) -> bool>
        }),
        // Clicks have nothing between beats, and a two-beat is straight.
        swing: match music {
            Music::Clicks => None,
            Music::TwoBeat => Some(0.5),
            _ => Some(swing),
        },
    })
}

/// A track with known beats.
#[derive(serde::Deserialize)]
struct Track {
    name: String,
    wav: std::path::PathBuf,
    beats: Vec<f64>,
    bpm: f64,
}

fn tracks(list: &std::path::Path) -> Vec<Piece> {
    let all: Vec<Track> = serde_json::from_slice(&std::fs::read(list).unwrap()).unwrap();
    all.into_iter()
        .map(|t| Piece {
            told: format!("{} {:.0} bpm", t.name, t.bpm),
            names: vec![t.name, "all".into()],
            samples: mono(&std::fs::read(&t.wav).unwrap()),
            ask: Ask::default(),
            beats: t.beats,
            one: None,
            swing: None,
        })
        .collect()
}

#[derive(Default)]
struct Row {
    alone: Vec<f64>,
    helped: Vec<f64>,
    bar: Vec<f64>,
    offsets: Vec<f64>,
    swing: Vec<f64>,
}

fn mean(v: &[f64]) -> f64 {
    v.iter().sum::<f64>() / v.len() as f64
}

fn median(v: &[f64]) -> f64 {
    let mut v = v.to_vec();
    v.sort_by(f64::total_cmp);
    v.get(v.len() / 2).copied().unwrap_or(f64::NAN)
}

fn main() -> ExitCode {
    let takes = argument("--takes").unwrap_or(240);
    let seed = argument("--seed").unwrap_or_else(|| rand::random::<u32>().into());
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let listed = argument::<std::path::PathBuf>("--tracks").map(|l| tracks(&l));
    let whose = listed.as_ref().map_or_else(
        || format!("seed {seed}, {takes} takes"),
        |l| format!("{} tracks", l.len()),
    );
    let pieces: Box<dyn Iterator<Item = Piece>> = match listed {
        Some(list) => Box::new(list.into_iter()),
        None => Box::new((0..takes).filter_map(move |k| simulated(k, &mut rng))),
    };
    let mut rows: BTreeMap<String, Row> = BTreeMap::new();
    let (mut heard_for, mut took) = (0.0, 0.0);
    for piece in pieces {
        let begun = std::time::Instant::now();
        let heard = listen(&piece.samples, piece.ask);
        took += begun.elapsed().as_secs_f64();
        heard_for += piece.samples.len() as f64 / RATE;
        let (mut alone, mut best, mut off) = (0.0, 0.0, Vec::new());
        let (mut bar, mut swing) = (piece.one.as_ref().map(|_| 0.0), None);
        if let Ok(h) = &heard {
            (alone, off) = score(&secs(h), &piece.beats);
            best = helped(h, &piece.beats);
            let one = h.beats[h.one as usize].secs();
            bar = piece.one.as_ref().map(|is| f64::from(u8::from(is(one))));
            swing = piece.swing.map(|s| (h.swing.unwrap_or(0.5) - s).abs());
        }
        if std::env::var("TELL").is_ok() && alone < 0.9 {
            let tempo = heard.map(|h| h.tempo.round());
            println!("{}: F {alone:.2}, {best:.2} heard {tempo:?}", piece.told);
        }
        for n in piece.names {
            let row = rows.entry(n).or_default();
            row.alone.push(alone);
            row.helped.push(best);
            row.bar.extend(bar);
            row.offsets.extend(&off);
            row.swing.extend(swing);
        }
    }
    let fast = heard_for / took;
    println!("{whose}, {fast:.0} times as fast as the music");
    println!(
        "{:24} {:>5} {:>6} {:>9} {:>6} {:>10} {:>10} {:>6}",
        "music", "takes", "F", "two keys", "bar 1", "offset", "scatter", "swing"
    );
    for (n, r) in &rows {
        let middle = median(&r.offsets);
        let apart: Vec<f64> = r.offsets.iter().map(|o| (o - middle).abs()).collect();
        println!(
            "{n:24} {:5} {:6.3} {:9.3} {:6.2} {:7.1} ms {:7.1} ms {:6.2}",
            r.alone.len(),
            mean(&r.alone),
            mean(&r.helped),
            mean(&r.bar),
            1e3 * middle,
            1482.6 * median(&apart),
            median(&r.swing)
        );
    }
    let all = &rows["all"];
    let offset = median(&all.offsets).abs();
    let met = [
        ("F alone", mean(&all.alone) >= ALONE),
        ("F after two keys", mean(&all.helped) >= HELPED),
        ("offset", offset <= OFFSET),
        ("speed", fast >= FAST),
    ];
    let missed: Vec<&str> = met.iter().filter(|m| !m.1).map(|m| m.0).collect();
    if missed.is_empty() {
        return ExitCode::SUCCESS;
    }
    println!("missed: {}", missed.join(", "));
    ExitCode::FAILURE
}
