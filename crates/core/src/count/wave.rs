//! How loud a sound is over time, to be drawn.

/// The loudest sample of each `step` seconds, 0..255 of the loudest of all; empty where nothing is heard.
pub fn levels(samples: &[f32], rate: f64, step: f64) -> Vec<u8> {
    let long = (rate * step).round().max(1.0) as usize;
    let loudest = |s: &[f32]| s.iter().fold(0.0_f32, |m, v| m.max(v.abs()));
    let all = loudest(samples);
    if !(all > 0.0 && all.is_finite()) {
        return Vec::new();
    }
    samples
        .chunks(long)
        .map(|c| (255.0 * loudest(c) / all).round() as u8)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn loud_and_soft_are_told_apart() {
        // A quarter of a second soft, as long loud, and a rest that is shorter than a step.
        let mut sound = vec![0.1_f32; 250];
        sound.extend([-0.4; 250]);
        sound.extend([0.2; 10]);
        let l = levels(&sound, 1_000.0, 0.05);
        assert_eq!(l.len(), 11);
        assert_eq!((l[0], l[4], l[5], l[9], l[10]), (64, 64, 255, 255, 128));
    }

    #[test]
    fn silence_has_no_levels() {
        assert!(levels(&[], 22_050.0, 0.02).is_empty());
        assert!(levels(&[0.0; 100], 22_050.0, 0.02).is_empty());
        assert!(levels(&[f32::NAN], 22_050.0, 0.02).is_empty());
    }
}
