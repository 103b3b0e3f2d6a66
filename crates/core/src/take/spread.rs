//! A mark by hand tells what the finder of dancers did wrong there, and with it what it did wrong just before
//! and after: its errors stay for a while.

use std::collections::BTreeMap;

use crate::body::solve::{Instant, Seen, Source};
use crate::camera::PIXEL_SIGMA;

/// How long a finder's errors stay, seconds: the time after which they are alike by 1/e. By what marks do for bodies
/// that the networks found; the simulated finder's errors stay half as long.
const STAYS: f64 = 0.5;

/// A mark is compared with what was found so near to it, seconds: further away the dancer has moved.
const NEAR: f64 = 0.12;

/// A correction that weighs less is not carried further.
const LEAST: f64 = 0.2;

/// A mark this many standard errors off is a mistake of the finder's, which ends where it jumps back.
const MISTAKEN: f64 = 3.0;

/// What a finder saw of a landmark, not a hand.
fn found<'a>(seen: &'a [Seen], of: &Seen) -> Option<&'a Seen> {
    let same = |s: &&Seen| s.camera == of.camera && s.landmark == of.landmark;
    seen.iter().filter(same).find(|s| s.source != Source::Hand)
}

/// Carries the hand's corrections of a dancer to the instants around them, weaker with the time between:
/// as of an error that is alike by exp(−t / 0.5 s) (first-order Gauss-Markov), corrected places move by that
/// share of the correction and keep the rest of their variance. Of two corrections the nearer one counts.
pub(super) fn spread(instants: &mut [Instant]) {
    // Weight and correction of every place, before any is moved.
    let mut moved = BTreeMap::new();
    for (middle, now) in instants.iter().enumerate() {
        for hand in now.seen.iter().filter(|s| s.source == Source::Hand) {
            let (before, after) = (&instants[..middle], &instants[middle + 1..]);
            let away = |t: usize| (instants[t].at - now.at).abs();
            let beside = || {
                let near = (0..instants.len()).filter(|t| away(*t) < NEAR);
                let mut seen: Vec<_> = near
                    .filter_map(|t| Some((away(t), found(&instants[t].seen, hand)?)))
                    .collect();
                seen.sort_by(|a, b| a.0.total_cmp(&b.0));
                Some(seen.first()?.1)
            };
            let Some(there) = found(&now.outranked, hand).or_else(beside) else {
                continue;
            };
            let by = [0, 1].map(|k| hand.pixel[k] - there.pixel[k]);
            let size = by[0].hypot(by[1]);
            let mistaken = size > MISTAKEN * there.sigma;
            let mut carry = |side: &mut dyn Iterator<Item = (usize, &Instant)>| {
                let mut last = there.pixel;
                for (t, other) in side {
                    let weight = (-(other.at - now.at).abs() / STAYS).exp();
                    if weight <= LEAST {
                        break;
                    }
                    let Some(s) = found(&other.seen, hand) else {
                        continue;
                    };
                    let jump = (s.pixel[0] - last[0]).hypot(s.pixel[1] - last[1]);
                    if mistaken && jump > 0.5 * size {
                        break;
                    }
                    last = s.pixel;
                    let place = (t, hand.camera, hand.landmark);
                    let best = moved.entry(place).or_insert((0.0, [0.0; 2]));
                    if weight > best.0 {
                        *best = (weight, by);
                    }
                }
            };
            carry(&mut before.iter().enumerate().rev());
            carry(&mut after.iter().enumerate().map(|(k, i)| (middle + 1 + k, i)));
        }
    }
    for ((t, camera, landmark), (weight, by)) in moved {
        let of = |s: &&mut Seen| s.camera == camera && s.landmark == landmark;
        let mut seen = instants[t].seen.iter_mut().filter(of);
        if let Some(s) = seen.find(|s| s.source != Source::Hand) {
            // A large correction says that the finder is worse here than it claims.
            let was = s.sigma.powi(2).max(0.5 * (by[0].powi(2) + by[1].powi(2)));
            s.pixel = [0, 1].map(|k| s.pixel[k] + weight * by[k]);
            s.sigma = (was * (1.0 - weight * weight) + (weight * PIXEL_SIGMA).powi(2)).sqrt();
            s.carried = weight;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Landmark as L;

    fn hip(camera: usize, x: f64, source: Source) -> Seen {
        Seen {
            camera,
            landmark: L::LeftHip,
            pixel: [x, 50.0],
            sigma: if source == Source::Hand {
                PIXEL_SIGMA
            } else {
                3.0
            },
            source,
            carried: 0.0,
        }
    }

    /// A hip that stands still at x = 100 and is found 12 pixels to the right, at 25 frames a second; from a
    /// frame on it is found where it is. A second camera's finder sees it at 300.
    fn found(right_from: usize) -> Vec<Instant> {
        (0..40)
            .map(|i| {
                let mut now = Instant::new(0.04 * i as f64);
                let x = if i < right_from { 112.0 } else { 100.0 };
                now.seen = vec![
                    hip(0, x, Source::Automatic),
                    hip(1, 300.0, Source::Automatic),
                ];
                now
            })
            .collect()
    }

    /// The same with marks of a hand in the first camera's picture.
    fn marked(right_from: usize, frames: &[usize]) -> Vec<Instant> {
        let mut all = found(right_from);
        for frame in frames {
            let now = &mut all[*frame];
            now.outranked.push(now.seen.remove(0));
            now.seen.push(hip(0, 100.0, Source::Hand));
        }
        all
    }

    fn at(all: &[Instant], frame: usize) -> Seen {
        *all[frame].seen.iter().find(|s| s.camera == 0).unwrap()
    }

    #[test]
    fn a_correction_fades_with_time() {
        let mut t = marked(40, &[25]);
        spread(&mut t);
        assert_eq!(at(&t, 25), hip(0, 100.0, Source::Hand));
        // A quarter of a second on, six tenths of it are carried, either way.
        for i in [19, 31] {
            let left = (at(&t, i).pixel[0] - 100.0) / 12.0;
            assert!((left - (1.0 - (-0.48_f64).exp())).abs() < 1e-9, "{left}");
            assert!((at(&t, i).carried - (-0.48_f64).exp()).abs() < 1e-9);
        }
        let sigma = |i| at(&t, i).sigma;
        assert!(sigma(27) < sigma(29) && sigma(29) < sigma(33));
        // A second away nothing changes, and in the other camera's picture never.
        assert_eq!(t[0], found(40)[0]);
        for (now, was) in t.iter().zip(found(40)) {
            let other = |i: &Instant| *i.seen.iter().find(|s| s.camera == 1).unwrap();
            assert_eq!(other(now), other(&was));
        }
    }

    #[test]
    fn a_mark_between_two_frames_is_compared_with_the_nearer_one() {
        let mut t = found(40);
        let mut mark = Instant::new(0.81);
        mark.seen = vec![hip(0, 100.0, Source::Hand)];
        t.insert(21, mark);
        spread(&mut t);
        let left = (at(&t, 20).pixel[0] - 100.0) / 12.0;
        assert!((left - (1.0 - (-0.02_f64).exp())).abs() < 1e-9, "{left}");
        // Where nothing was found near by, nothing is known to be wrong.
        let mut gone = found(40);
        gone.iter_mut()
            .skip(16)
            .take(10)
            .for_each(|i| i.seen.clear());
        gone[20].seen = vec![hip(0, 100.0, Source::Hand)];
        let was = gone.clone();
        spread(&mut gone);
        assert_eq!(gone, was);
    }

    #[test]
    fn a_mistake_ends_where_the_finder_jumps_back() {
        let mut t = marked(23, &[20]);
        spread(&mut t);
        let x = |i: usize| at(&t, i).pixel[0];
        assert!(x(22) < 108.0);
        assert_eq!((x(23), x(30)), (100.0, 100.0));
    }

    #[test]
    fn the_nearer_of_two_corrections_counts() {
        let mut t = marked(40, &[10, 14]);
        spread(&mut t);
        let mut one = marked(40, &[14]);
        spread(&mut one);
        assert_eq!(at(&t, 15), at(&one, 15));
        assert!(at(&t, 11).carried > at(&one, 11).carried);
    }
}
