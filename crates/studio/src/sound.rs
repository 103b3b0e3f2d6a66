//! What the phone hears: a small dance band, clicks on the beats, a room. 16-bit mono WAV.

use std::f64::consts::TAU;

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};

use upright_core::units::{MediaTime, Role};

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
    /// Bass, chords and a tune, no drums.
    Strings,
    /// A soft bass on the beat and a loud chord half a beat later.
    TwoBeat,
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
    /// Seconds of talk at the clip's beginning, before the music, 0..5.
    pub talk: f64,
    /// How loud somebody speaks over the music, against full scale, 0..0.5.
    pub speech: f64,
    /// How loud the dancers' steps are, against full scale, 0..0.5.
    pub steps: f64,
}

impl Sound {
    /// Whether every number can be played.
    pub(crate) fn fits(&self) -> bool {
        (0.0..=0.3).contains(&self.room)
            && (0.0..=5.0).contains(&self.talk)
            && (0.0..=0.5).contains(&self.speech)
            && (0.0..=0.5).contains(&self.steps)
    }
}

/// How loud the talk before the music is.
const TALK: f64 = 0.3;

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

    /// A shoe on wood.
    fn step(&mut self, at: f64, loud: f64) {
        self.add(at, 0.09, |t, noise| {
            let wood = (TAU * 95.0 * t).sin() + 0.5 * (TAU * 230.0 * t).sin();
            loud * (-t * 45.0).exp() * (0.7 * wood + 0.4 * noise)
        });
    }

    /// A voice: syllables with pauses between phrases, each a buzz through two formants that glides,
    /// some with a hiss before it.
    fn voice(&mut self, from: f64, to: f64, loud: f64, rng: &mut ChaCha8Rng) {
        let mut at = from;
        while at < to {
            let syllables = rng.random_range(3..12);
            for _ in 0..syllables {
                let length = rng.random_range(0.11..0.28);
                if at + length > to {
                    return;
                }
                let pitch = rng.random_range(105.0..190.0);
                let glide = rng.random_range(-0.25..0.15);
                let formants = [
                    rng.random_range(300.0..800.0),
                    rng.random_range(900.0..2_300.0),
                ];
                if rng.random_bool(0.4) {
                    self.metal(at, 0.25 * loud, 0.05);
                }
                self.add(at, length, |t, _| {
                    let share = t / length;
                    let shape = (t / 0.03).min(1.0) * (1.0 - share).powf(0.6);
                    let phase = TAU * pitch * t * (1.0 + 0.5 * glide * share);
                    let wave: f64 = (1..=16)
                        .map(|n| {
                            let hertz = pitch * f64::from(n);
                            let near = |f: f64| (-((hertz - f) / 180.0).powi(2)).exp();
                            let weight = 0.05 + near(formants[0]) + 0.6 * near(formants[1]);
                            weight * (f64::from(n) * phase).sin()
                        })
                        .sum();
                    0.5 * loud * shape * wave
                });
                at += length * rng.random_range(0.85..1.15);
            }
            at += rng.random_range(0.2..0.9);
        }
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
    let sound = scenario.sound;
    let begin = MediaTime::from_secs(phone.clock.min(0.0).max(phone.clock + sound.talk));
    let first = performance.grid().beat_at(begin).ceil() as i32;
    match sound.music {
        Music::Clicks => clicks(performance, &mut mix, (-beats).max(first)..last),
        Music::Band | Music::BandAndCounts => band(performance, &mut mix, first..last),
        Music::Strings => strings(performance, &mut mix, first..last),
        Music::TwoBeat => two_beat(performance, &mut mix, first..last),
    }
    if sound.music == Music::BandAndCounts {
        counts(performance, &mut mix);
    }
    let mut rng = ChaCha8Rng::seed_from_u64(scenario.seed ^ 0x54_41_4c_4b);
    if sound.talk > 0.0 {
        let from = phone.clock + 0.1;
        mix.voice(from, phone.clock + sound.talk, TALK, &mut rng);
    }
    if sound.speech > 0.0 {
        let (from, to) = (phone.clock + sound.talk, performance.length());
        mix.voice(from, to, sound.speech, &mut rng);
    }
    if sound.steps > 0.0 {
        steps(performance, &mut mix, sound.steps, &mut rng);
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

/// Root of a beat's chord, semitones over A, and the steps of its third, fifth and seventh.
fn chord(bar: i32) -> (i32, [i32; 3]) {
    let (root, minor) = CHORDS[bar.rem_euclid(PHRASE) as usize];
    (root, [if minor { 3 } else { 4 }, 7, 10])
}

/// What is left to the player of a tune in a beat, whatever was played before.
fn tune(performance: &Performance, beat: i32) -> ChaCha8Rng {
    ChaCha8Rng::seed_from_u64(performance.scenario().seed.rotate_left(20) ^ i64::from(beat) as u64)
}

/// Bass, chords that are bowed or plucked softly, and a tune in beats and halves of them.
fn strings(performance: &Performance, mix: &mut Mix, span: std::ops::Range<i32>) {
    let grid = performance.grid();
    let meter = performance.chart().meter as i32;
    let at = |beat: f64| grid.time_of(beat).secs();
    for beat in span {
        let b = f64::from(beat);
        let (bar, place) = (beat.div_euclid(meter), beat.rem_euclid(meter));
        let long = at(b + 1.0) - at(b);
        let (root, [third, fifth, seventh]) = chord(bar);
        if place == 0 || (meter == 4 && place == 2) {
            let low = if place == 0 { root } else { root + fifth };
            mix.tone(at(b), semitone(low), 0.3, 1.6 * long);
        }
        for n in [0, third, fifth] {
            let loud = if place == 0 { 0.09 } else { 0.06 };
            mix.tone(at(b), semitone(root + 24 + n), loud, 0.8 * long);
        }
        // The tune keeps to the chord.
        let mut rng = tune(performance, beat);
        for (share, likely) in [(0.0, 0.8), (grid.swing, 0.45)] {
            if rng.random_bool(likely) {
                let scale = [0, third, fifth, seventh, 12];
                let pitch = semitone(root + 36 + scale[rng.random_range(0..5)]);
                let late = rng.random_range(-0.012..0.018);
                mix.tone(at(b + share) + late, pitch, 0.12, 0.7 * long);
            }
        }
    }
}

/// A soft bass on the beat, a loud short chord with a brush half a beat later, and a tune on top.
fn two_beat(performance: &Performance, mix: &mut Mix, span: std::ops::Range<i32>) {
    let grid = performance.grid();
    let meter = performance.chart().meter as i32;
    let at = |beat: f64| grid.time_of(beat).secs();
    for beat in span {
        let b = f64::from(beat);
        let (bar, place) = (beat.div_euclid(meter), beat.rem_euclid(meter));
        let long = at(b + 1.0) - at(b);
        let (root, [third, fifth, _]) = chord(bar);
        let low = if place % 2 == 0 {
            root
        } else {
            root + fifth - 12
        };
        mix.tone(at(b), semitone(low), 0.26, 0.5 * long);
        mix.kick(at(b));
        for n in [0, third, fifth] {
            mix.tone(at(b + 0.5), semitone(root + 24 + n), 0.13, 0.3 * long);
        }
        mix.snare(at(b + 0.5), 0.3);
        let mut rng = tune(performance, beat);
        if rng.random_bool(0.7) {
            let pitch = semitone(root + 36 + [0, third, fifth][rng.random_range(0..3)]);
            let share = [0.0, 0.5][usize::from(rng.random_bool(0.4))];
            mix.tone(at(b + share), pitch, 0.1, 0.5 * long);
        }
    }
}

/// The feet of both on the floor, each a little beside its count.
fn steps(performance: &Performance, mix: &mut Mix, loud: f64, rng: &mut ChaCha8Rng) {
    for (repetition, chart) in performance.charts().enumerate() {
        for role in Role::BOTH {
            for row in chart.rows(role).iter().filter(|r| r.action.arrives()) {
                if let Some(at) = performance.count_at(repetition as u32, row.count) {
                    let beside = rng.random_range(-0.025..0.025);
                    mix.step(at + beside, loud * rng.random_range(0.5..1.0));
                }
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
            sound: Sound {
                music,
                room,
                ..Sound::default()
            },
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

    /// The low part, below some 200 Hz, at a moment.
    fn deep(heard: &[f64], at: f64) -> f64 {
        let mut low = 0.0;
        let smooth: Vec<f64> = heard
            .iter()
            .map(|v| {
                low += 0.055 * (v - low);
                low
            })
            .collect();
        loud(&smooth, at)
    }

    #[test]
    fn the_off_beat_is_louder_than_the_beat_where_it_misleads() {
        let (p, heard) = take(playing(Music::TwoBeat, 0.0));
        let high: Vec<f64> = heard.windows(2).map(|w| w[1] - w[0]).collect();
        for beat in 4..30 {
            let at = |b: f64| p.grid().time_of(b).secs();
            let (on, off) = (f64::from(beat), f64::from(beat) + 0.5);
            assert!(loud(&high, at(off)) > 1.5 * loud(&high, at(on)), "{beat}");
            assert!(
                deep(&heard, at(on) + 0.01) > deep(&heard, at(off) + 0.01),
                "{beat}"
            );
        }
    }

    #[test]
    fn talk_comes_before_the_music_and_steps_and_speech_over_it() {
        let with = |sound: Sound| {
            take(Scenario {
                sound,
                repetitions: 6,
                ..Scenario::default()
            })
        };
        let plain = Sound {
            music: Music::Strings,
            ..Sound::default()
        };
        let (p, alone) = with(plain);
        let (_, late) = with(Sound { talk: 1.9, ..plain });
        // Bars before the first 1 are played without talk only.
        let before = p.grid().time_of(-2.0).secs();
        assert!((0.5..1.5).contains(&before), "{before}");
        let mean = |h: &[f64]| {
            (0..60)
                .map(|i| loud(h, 0.2 + 0.025 * f64::from(i)))
                .sum::<f64>()
                / 60.0
        };
        assert!(mean(&late) > 0.02, "{}", mean(&late));
        // From the first 1 on the music is the same.
        let from = (2.3 * f64::from(RATE)) as usize;
        assert!(
            alone[from..]
                .iter()
                .zip(&late[from..])
                .all(|(a, b)| (a - b).abs() < 0.08)
        );
        let (_, spoken) = with(Sound {
            speech: 0.3,
            ..plain
        });
        let (_, stepped) = with(Sound {
            steps: 0.3,
            ..plain
        });
        let apart = |h: &[f64]| -> Vec<f64> { h.iter().zip(&alone).map(|(a, b)| a - b).collect() };
        let count = p.count_at(2, 0).unwrap();
        assert!(loud(&apart(&stepped), count) > 0.03);
        assert!(loud(&apart(&stepped), count - 0.09) < 0.01);
        let speaks = apart(&spoken);
        let part = (0..200)
            .filter(|i| loud(&speaks, 3.0 + 0.025 * f64::from(*i)) > 0.01)
            .count();
        assert!((80..200).contains(&part), "{part}");
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
