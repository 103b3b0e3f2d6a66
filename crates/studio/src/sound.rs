//! What the phone hears: a small dance band, clicks on the beats, a room. 16-bit mono WAV.

use std::f64::consts::TAU;

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};

use upright_core::units::MediaTime;

use crate::motion::Performance;
use crate::scenario::Phone;

const RATE: u32 = 22_050;

/// Bars of a phrase: it begins with a cymbal and ends with a fill.
const PHRASE: i32 = 8;

/// What is played.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub enum Music {
    /// One short tone a beat, higher on 1.
    #[default]
    Clicks,
    /// Drums, bass and chords.
    Band,
    /// The band, and a tone for each count of the figure, rising through it.
    BandAndCounts,
}

/// The sound of a take.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Sound {
    /// What is played.
    pub music: Music,
    /// Noise of the room against full scale, 0..0.3.
    pub room: f64,
}

/// Sound in the making, −1..1.
struct Mix {
    samples: Vec<f64>,
    phone: Phone,
    rng: ChaCha8Rng,
}

impl Mix {
    /// Adds what `wave` gives from a moment of the dance on: seconds since then and a fresh noise sample
    /// in −1..1. What began before the clip is left out.
    fn add(&mut self, at: f64, length: f64, mut wave: impl FnMut(f64, f64) -> f64) {
        let first = (self.phone.shown(at) * f64::from(RATE)).round();
        if first < 0.0 {
            return;
        }
        for i in 0..(length * f64::from(RATE)) as usize {
            let Some(slot) = self.samples.get_mut(first as usize + i) else {
                return;
            };
            let noise = self.rng.random_range(-1.0..1.0);
            *slot += wave(i as f64 / f64::from(RATE), noise);
        }
    }

    fn click(&mut self, at: f64, pitch: f64, loud: f64) {
        self.add(at, 1.0 / 16.0, |t, _| {
            loud * (-t * 60.0).exp() * (TAU * pitch * t).sin()
        });
    }

    /// A drum skin: falls from twice its tone to it.
    fn kick(&mut self, at: f64) {
        self.add(at, 0.18, |t, _| {
            let phase = 52.0 * t + 1.9 * (1.0 - (-t * 30.0).exp());
            0.75 * (-t * 18.0).exp() * (TAU * phase).sin()
        });
    }

    fn snare(&mut self, at: f64, loud: f64) {
        self.add(at, 0.14, |t, noise| {
            loud * (-t * 32.0).exp() * (0.8 * noise + 0.4 * (TAU * 190.0 * t).sin())
        });
    }

    /// Metal: noise without its low part, by the difference of neighbours.
    fn metal(&mut self, at: f64, loud: f64, length: f64) {
        let mut last = 0.0;
        self.add(at, length, |t, noise| {
            let high = noise - last;
            last = noise;
            loud * (-t * 5.0 / length).exp() * high
        });
    }

    /// A string or a key: a tone with falling overtones.
    fn tone(&mut self, at: f64, pitch: f64, loud: f64, length: f64) {
        self.add(at, length, |t, _| {
            // Without an attack the note would begin with a click of its own.
            let rise = (t / 0.008).min(1.0);
            let shape = rise * (-t * 3.0 / length).exp();
            let wave: f64 = (1..=4)
                .map(|n| (TAU * pitch * f64::from(n) * t).sin() / f64::from(n * n))
                .sum();
            loud * shape * wave
        });
    }
}

/// Frequency of a semitone over A at 55 Hz.
fn semitone(n: i32) -> f64 {
    55.0 * (f64::from(n) / 12.0).exp2()
}

/// Roots by bar, semitones over A, and whether the third is minor: home, its relative, and away and
/// back.
const CHORDS: [(i32, bool); PHRASE as usize] = [
    (3, false),
    (0, true),
    (5, true),
    (10, false),
    (3, false),
    (0, true),
    (5, true),
    (10, false),
];

/// The sound of a performance as one of the phones hears it. Beats before the first 1 are played as
/// well, as far back as the clip goes.
pub fn soundtrack(performance: &Performance, phone: usize) -> Vec<u8> {
    let scenario = performance.scenario();
    let phone = *performance.phone(phone);
    let whole = phone.shown(performance.length()).max(0.0);
    let mut mix = Mix {
        samples: vec![0.0; (whole * f64::from(RATE)) as usize],
        phone,
        rng: ChaCha8Rng::seed_from_u64(scenario.seed ^ 0x50_4e_44),
    };
    let beats = performance.pattern().beats as i32;
    let last = performance.beats() as i32;
    let begin = MediaTime::from_secs(phone.clock.min(0.0));
    let first = performance.grid().beat_at(begin).ceil() as i32;
    let sound = scenario.sound;
    match sound.music {
        Music::Clicks => clicks(performance, &mut mix, (-beats).max(first)..last),
        Music::Band | Music::BandAndCounts => band(performance, &mut mix, first..last),
    }
    if sound.music == Music::BandAndCounts {
        counts(performance, &mut mix);
    }
    if sound.room > 0.0 {
        let mut low = 0.0;
        mix.add(phone.clock, whole, |_, noise| {
            // Rooms are dull: mostly the low part.
            low += 0.12 * (noise - low);
            sound.room * (2.2 * low + 0.15 * noise)
        });
    }
    wav(&mix.samples)
}

fn clicks(performance: &Performance, mix: &mut Mix, span: std::ops::Range<i32>) {
    let beats = performance.pattern().beats as i32;
    for beat in span {
        let at = performance.grid().time_of(f64::from(beat)).secs();
        let (pitch, loud) = if beat.rem_euclid(beats) == 0 {
            (1568.0, 0.7)
        } else {
            (1046.5, 0.45)
        };
        mix.click(at, pitch, loud);
    }
}

fn band(performance: &Performance, mix: &mut Mix, span: std::ops::Range<i32>) {
    let grid = performance.grid();
    let meter = performance.chart().meter as i32;
    let at = |beat: f64| grid.time_of(beat).secs();
    for beat in span {
        let b = f64::from(beat);
        let (bar, place) = (beat.div_euclid(meter), beat.rem_euclid(meter));
        let in_phrase = bar.rem_euclid(PHRASE);
        let long = at(b + 1.0) - at(b);
        let (root, minor) = CHORDS[in_phrase as usize];
        let third = if minor { 3 } else { 4 };

        if place == 0 || (meter == 4 && place == 2) {
            mix.kick(at(b));
        } else {
            mix.snare(at(b), 0.4);
        }
        mix.metal(at(b), 0.16, 0.06);
        mix.metal(at(b + grid.swing), 0.11, 0.05);
        if place == 0 && in_phrase == 0 {
            mix.metal(at(b), 0.4, 0.9);
        }
        if in_phrase == PHRASE - 1 && place >= meter - 2 {
            mix.snare(at(b), 0.35);
            mix.snare(at(b + grid.swing), 0.5);
        }
        // The bass walks through the chord.
        let walk = [0, third, 7, 9];
        mix.tone(
            at(b),
            semitone(root + walk[(place % 4) as usize]),
            0.32,
            0.9 * long,
        );
        // Chords answer on the weak beats.
        if place % 2 == 1 {
            for n in [0, third, 7] {
                mix.tone(at(b), semitone(root + 24 + n), 0.07, 0.6 * long);
            }
        }
    }
}

/// A tone for each count, rising through the figure, as somebody counts aloud.
fn counts(performance: &Performance, mix: &mut Mix) {
    for (repetition, chart) in performance.charts().enumerate() {
        for (i, mark) in chart.pattern().marks.iter().enumerate() {
            if let Some(at) = performance.count_at(repetition as u32, i) {
                let loud = if mark.between { 0.18 } else { 0.3 };
                mix.click(at, semitone(40 + 2 * mark.beat as i32), loud);
            }
        }
    }
}

fn wav(samples: &[f64]) -> Vec<u8> {
    let bytes = 2 * samples.len() as u32;
    let mut wav = Vec::with_capacity(44 + bytes as usize);
    wav.extend(b"RIFF");
    wav.extend((36 + bytes).to_le_bytes());
    wav.extend(b"WAVEfmt ");
    wav.extend(16u32.to_le_bytes());
    wav.extend(1u16.to_le_bytes());
    wav.extend(1u16.to_le_bytes());
    wav.extend(RATE.to_le_bytes());
    wav.extend((2 * RATE).to_le_bytes());
    wav.extend(2u16.to_le_bytes());
    wav.extend(16u16.to_le_bytes());
    wav.extend(b"data");
    wav.extend(bytes.to_le_bytes());
    for s in samples {
        // Loud moments are bent, not cut.
        wav.extend(((s.tanh() * f64::from(i16::MAX)) as i16).to_le_bytes());
    }
    wav
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Scenario;

    fn take(scenario: Scenario) -> (Performance, Vec<f64>) {
        let p = Performance::new(&scenario).unwrap();
        let wav = soundtrack(&p, 0);
        assert_eq!(wav.len(), 44 + 2 * (p.length() * f64::from(RATE)) as usize);
        let heard = wav[44..]
            .chunks(2)
            .map(|b| f64::from(i16::from_le_bytes([b[0], b[1]])) / 32768.0)
            .collect();
        (p, heard)
    }

    fn playing(music: Music, room: f64) -> Scenario {
        Scenario {
            sound: Sound { music, room },
            repetitions: 6,
            ..Scenario::default()
        }
    }

    /// Root mean square of 25 ms from a moment on.
    fn loud(heard: &[f64], at: f64) -> f64 {
        let first = (at * f64::from(RATE)).round() as usize;
        let part = &heard[first..first + RATE as usize / 40];
        (part.iter().map(|v| v * v).sum::<f64>() / part.len() as f64).sqrt()
    }

    #[test]
    fn clicks_fall_on_the_beats() {
        let (p, heard) = take(playing(Music::Clicks, 0.0));
        for beat in [0, 1, 7, 23] {
            let at = p.grid().time_of(f64::from(beat)).secs();
            assert!(loud(&heard, at) > 0.1, "{beat}");
            assert!(loud(&heard, at - 0.027) < 0.002, "{beat}");
        }
    }

    #[test]
    fn the_band_is_louder_on_the_beat_than_before_it() {
        let (p, heard) = take(playing(Music::Band, 0.0));
        for beat in 0..36 {
            let at = p.grid().time_of(f64::from(beat)).secs();
            let (on, before) = (loud(&heard, at), loud(&heard, at - 0.03));
            assert!(on > 1.6 * before, "{beat}: {on} {before}");
        }
        // Nothing is cut off.
        assert!(heard.iter().all(|v| v.abs() < 0.999));
    }

    #[test]
    fn a_phrase_begins_with_the_cymbal() {
        let (p, heard) = take(playing(Music::Band, 0.0));
        // The high part: differences of neighbours.
        let high: Vec<f64> = heard.windows(2).map(|w| w[1] - w[0]).collect();
        // Late in the beat the short cymbals have died away.
        let ringing = |beat: f64| loud(&high, p.grid().time_of(beat).secs() + 0.2);
        for bar in 1..8 {
            assert!(ringing(0.0) > 2.0 * ringing(4.0 * f64::from(bar)), "{bar}");
        }
        assert!(ringing(32.0) > 2.0 * ringing(28.0));
    }

    #[test]
    fn the_counts_are_heard_over_the_band_and_the_room_under_it() {
        let (p, band) = take(playing(Music::Band, 0.0));
        let (_, counted) = take(playing(Music::BandAndCounts, 0.0));
        let between = p.grid().time_of_count(p.pattern(), 1, 1).unwrap().secs();
        let apart: Vec<f64> = counted.iter().zip(&band).map(|(a, b)| a - b).collect();
        assert!(loud(&apart, between) > 0.02);
        let (_, room) = take(playing(Music::Clicks, 0.1));
        let quiet = p.grid().time_of(3.0).secs() - 0.04;
        let noise = loud(&room, quiet);
        assert!((0.01..0.2).contains(&noise), "{noise}");
    }

    #[test]
    fn the_same_seed_sounds_the_same() {
        let one = take(playing(Music::Band, 0.05)).1;
        assert_eq!(one, take(playing(Music::Band, 0.05)).1);
        let other = Scenario {
            seed: 2,
            ..playing(Music::Band, 0.05)
        };
        assert_ne!(one, take(other).1);
    }
}
