//! How quickly a trunk's turning changes. A trunk that hardly turns smooths its neighbours; in a turn it goes as it
//! likes, so that the corners of its course are not cut.

use super::skeleton::{BONES, Joints};
use super::{FAR, Instant, start};
use crate::units::wrap_degrees;

/// How quickly its turning changes while it only sways, radians a second squared (1σ): chosen, and on simulated takes
/// half as much or half as much again hardly mattered.
pub(super) const CALM: f64 = 2.0;

/// And how much more quickly by the square of how fast it turns near by.
const TURNING: f64 = 12.0;

/// Degrees of freedom of it: now and then a trunk turns after all.
pub(super) const FREEDOM: f64 = 2.0;

/// How fast it turns is read over so long to either side, seconds: longer than a detector's errors stay.
const HALF: f64 = 0.17;

/// And told to instants so near, seconds: a turn's corners lie outside of where it is fast.
const NEAR: f64 = 0.26;

/// Notes how quickly the turning of solved bodies may change.
pub(super) fn note(instants: &mut [Instant], joints: &[Joints]) {
    let yaw: Vec<f64> = joints.iter().map(|x| start::gist(x).1).collect();
    let rate = |t: usize| {
        let (a, b) = about(instants, t, HALF);
        if a == b {
            return 0.0;
        }
        wrap_degrees(yaw[b] - yaw[a]).to_radians() / (instants[b].at - instants[a].at)
    };
    let rates: Vec<f64> = (0..instants.len()).map(rate).collect();
    let most = |t: usize| {
        let (a, b) = about(instants, t, NEAR);
        rates[a..=b].iter().fold(0.0, |most, r| r.abs().max(most))
    };
    let all: Vec<f64> = (0..instants.len()).map(most).collect();
    for (now, most) in instants.iter_mut().zip(all) {
        now.turns = Some(CALM.hypot(TURNING * most * most));
    }
}

/// The first and the last instant that are so near to one, without a gap between.
fn about(instants: &[Instant], t: usize, within: f64) -> (usize, usize) {
    let gap = |a: usize, b: usize| instants[b].at - instants[a].at;
    let (mut a, mut b) = (t, t);
    while a > 0 && gap(a - 1, a) < FAR && gap(a - 1, t) < within {
        a -= 1;
    }
    while b + 1 < instants.len() && gap(b, b + 1) < FAR && gap(t, b + 1) < within {
        b += 1;
    }
    (a, b)
}

/// Weights of how shoulders and hips change their turning over some instants, by the halves between left and right;
/// `None` where it may change as the trunk's going does.
pub(super) fn weights(instants: &[Instant], height: f64) -> Option<[f64; 2]> {
    let most = instants
        .iter()
        .try_fold(0.0, |most, i| Some(i.turns?.max(most)))?;
    let wide = [&BONES[0], &BONES[1]].map(|b| b.share * height * std::f64::consts::FRAC_1_SQRT_2);
    Some(wide.map(|w| (w * most).powi(-2)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::skeleton::standing;

    /// Bodies at twelve and a half instants a second that face these directions, degrees.
    fn facing(yaws: &[f64]) -> (Vec<Instant>, Vec<Joints>) {
        let instants = (0..yaws.len()).map(|t| Instant::new(0.08 * t as f64));
        let joints = yaws.iter().map(|y| standing(1.7, [0.0, 0.0], *y));
        (instants.collect(), joints.collect())
    }

    #[test]
    fn a_turn_is_free_with_its_corners_and_the_rest_is_calm() {
        let yaws: Vec<f64> = (0..30)
            .map(|t| 90.0 * ((f64::from(t) - 12.0) / 5.0).clamp(0.0, 1.0))
            .collect();
        let (mut instants, joints) = facing(&yaws);
        assert!(instants.iter().all(|i| i.turns.is_none()));
        note(&mut instants, &joints);
        let turns = |t: usize| instants[t].turns.unwrap();
        for t in (0..7).chain(23..30) {
            assert!((turns(t) - CALM).abs() < 1e-6, "{t} {}", turns(t));
        }
        // A quarter in four tenths of a second is some four radians a second.
        for t in 11..19 {
            assert!((100.0..250.0).contains(&turns(t)), "{t} {}", turns(t));
        }
    }

    #[test]
    fn nothing_is_read_across_a_gap() {
        let (mut instants, joints) = facing(&[0.0, 0.0, 0.0, 90.0, 90.0, 90.0]);
        for now in &mut instants[3..] {
            now.at += 1.0;
        }
        note(&mut instants, &joints);
        assert!(
            instants
                .iter()
                .all(|i| (i.turns.unwrap() - CALM).abs() < 1e-6)
        );
    }

    #[test]
    fn the_freest_of_some_instants_counts_and_none_does_where_one_is_not_known() {
        let (mut instants, _) = facing(&[0.0; 3]);
        assert_eq!(weights(&instants, 1.7), None);
        for (now, turns) in instants.iter_mut().zip([2.0, 20.0, 5.0]) {
            now.turns = Some(turns);
        }
        let [shoulders, hips] = weights(&instants, 1.7).unwrap();
        // The line of the shoulders is 0.215 of the height long, that of the hips 0.1.
        let long = 0.215 * 1.7 / 2f64.sqrt();
        assert!((shoulders - (long * 20.0).powi(-2)).abs() < 1e-9);
        assert!((hips / shoulders - 2.15 * 2.15).abs() < 1e-9);
    }
}
