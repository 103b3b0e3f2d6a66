//! A click track: one short tone a beat, higher on 1, as a 16-bit mono WAV.

use crate::motion::Performance;

const RATE: u32 = 22_050;

/// The beats of a performance as a WAV file, a figure's length of them before the first 1.
pub fn click_track(performance: &Performance) -> Vec<u8> {
    let samples = (performance.length() * f64::from(RATE)) as usize;
    let mut pcm = vec![0i16; samples];
    let beats = performance.pattern().beats as i32;
    let last = beats * performance.scenario().repetitions as i32;
    for beat in -beats..last {
        let at = performance.grid().time_of(f64::from(beat)).secs();
        let (pitch, loud) = if beat.rem_euclid(beats) == 0 {
            (1568.0, 0.7)
        } else {
            (1046.5, 0.45)
        };
        let first = (at * f64::from(RATE)).round();
        if first < 0.0 {
            continue;
        }
        for i in 0..RATE as usize / 16 {
            let Some(slot) = pcm.get_mut(first as usize + i) else {
                break;
            };
            let t = i as f64 / f64::from(RATE);
            let v = loud * (-t * 60.0).exp() * (std::f64::consts::TAU * pitch * t).sin();
            *slot = (v * f64::from(i16::MAX)) as i16;
        }
    }
    let bytes = 2 * pcm.len() as u32;
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
    for s in pcm {
        wav.extend(s.to_le_bytes());
    }
    wav
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Scenario;

    #[test]
    fn clicks_fall_on_the_beats() {
        let p = Performance::new(&Scenario::default()).unwrap();
        let wav = click_track(&p);
        let loud = |seconds: f64| {
            let first = 44 + 2 * (seconds * f64::from(RATE)).round() as usize;
            wav[first..first + 220]
                .chunks(2)
                .map(|b| i16::from_le_bytes([b[0], b[1]]).unsigned_abs())
                .max()
                .unwrap()
        };
        for beat in [0, 1, 7, 23] {
            assert!(
                loud(p.grid().time_of(f64::from(beat)).secs()) > 8_000,
                "{beat}"
            );
            assert!(
                loud(p.grid().time_of(f64::from(beat)).secs() - 0.02) < 50,
                "{beat}"
            );
        }
    }
}
