//! A mark by hand tells what the finder of dancers did wrong there, and with it what it did wrong just before
//! and after: its errors stay for a while.

use std::collections::BTreeMap;

use crate::body::Pose;
use crate::body::track::Sighting;
use crate::camera::PIXEL_SIGMA;
use crate::units::Role;

/// How long a finder's errors stay, seconds: the time after which they are alike by 1/e. By what marks do for bodies
/// that the networks found; the simulated finder's errors stay half as long.
const STAYS: f64 = 0.5;

/// A mark is compared with what was found so near to it, seconds: further away the dancer has moved.
const NEAR: f64 = 0.12;

/// A correction that weighs less is not carried further.
const LEAST: f64 = 0.2;

/// A mark this many standard errors off is a mistake of the finder's, which ends where it jumps back.
const MISTAKEN: f64 = 3.0;

/// Carries the hand's corrections of a dancer to the sightings around them, weaker with the time between:
/// as of an error that is alike by exp(−t / 0.5 s) (first-order Gauss-Markov), corrected places move by that
/// share of the correction and keep the rest of their variance. Of two corrections the nearer one counts.
pub(super) fn spread(track: &mut [Sighting], poses: &[Pose], role: Role) {
    let own: Vec<usize> = (0..track.len())
        .filter(|i| track[*i].role == role)
        .collect();
    // Weight and correction of every point, before any is moved.
    let mut moved = BTreeMap::new();
    for pose in poses.iter().filter(|p| p.role == role) {
        let off = |k: &usize| (track[own[*k]].at.secs() - pose.at.secs()).abs();
        let nearest = (0..own.len()).min_by(|a, b| off(a).total_cmp(&off(b)));
        let Some(middle) = nearest.filter(|k| off(k) < NEAR) else {
            continue;
        };
        for (landmark, pixel) in &pose.points {
            let Some(there) = track[own[middle]].points.get(landmark) else {
                continue;
            };
            let by = [0, 1].map(|k| pixel[k] - there.pixel[k]);
            let size = by[0].hypot(by[1]);
            let mistaken = size > MISTAKEN * there.sigma;
            let (before, after) = own.split_at(middle);
            let mut carry = |side: &mut dyn Iterator<Item = &usize>| {
                let mut last = there.pixel;
                for i in side {
                    let s = &track[*i];
                    let weight = (-(s.at.secs() - pose.at.secs()).abs() / STAYS).exp();
                    let Some(p) = s.points.get(landmark).filter(|_| weight > LEAST) else {
                        break;
                    };
                    let jump = (p.pixel[0] - last[0]).hypot(p.pixel[1] - last[1]);
                    if mistaken && jump > 0.5 * size {
                        break;
                    }
                    last = p.pixel;
                    let best = moved.entry((*i, *landmark)).or_insert((0.0, [0.0; 2]));
                    if weight > best.0 {
                        *best = (weight, by);
                    }
                }
            };
            carry(&mut before.iter().rev());
            carry(&mut after.iter());
        }
    }
    for ((i, landmark), (weight, by)) in moved {
        if let Some(p) = track[i].points.get_mut(&landmark) {
            // A large correction says that the finder is worse here than it claims.
            let was = p.sigma.powi(2).max(0.5 * (by[0].powi(2) + by[1].powi(2)));
            p.pixel = [0, 1].map(|k| p.pixel[k] + weight * by[k]);
            p.sigma = (was * (1.0 - weight * weight) + (weight * PIXEL_SIGMA).powi(2)).sqrt();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Landmark as L;
    use crate::body::solve::Source;
    use crate::body::track::Sight;
    use crate::units::MediaTime;

    /// A hip that stands still at x = 100 and is found 12 pixels to the right, at 25 frames a second; from a
    /// frame on it is found where it is.
    fn track(right_from: i64) -> Vec<Sighting> {
        (0..40)
            .map(|i| {
                let sight = Sight {
                    pixel: [if i < right_from { 112.0 } else { 100.0 }, 50.0],
                    sigma: 3.0,
                    source: Source::Automatic,
                    about_hips: None,
                };
                Sighting {
                    at: MediaTime(i * 40_000),
                    role: Role::Follower,
                    points: [(L::LeftHip, sight)].into(),
                }
            })
            .collect()
    }

    fn hand(frame: i64) -> Pose {
        Pose {
            role: Role::Follower,
            at: MediaTime(frame * 40_000),
            points: [(L::LeftHip, [100.0, 50.0])].into(),
        }
    }

    #[test]
    fn a_correction_fades_with_time() {
        let mut t = track(40);
        spread(&mut t, &[hand(25)], Role::Follower);
        let at = |i: usize| t[i].points[&L::LeftHip];
        assert!((at(25).pixel[0] - 100.0).abs() < 1e-9);
        assert!((at(25).sigma - PIXEL_SIGMA).abs() < 1e-9);
        // A quarter of a second on, six tenths of it are carried, either way.
        for i in [19, 31] {
            let left = (at(i).pixel[0] - 100.0) / 12.0;
            assert!((left - (1.0 - (-0.48_f64).exp())).abs() < 1e-9, "{left}");
        }
        assert!(at(27).sigma < at(29).sigma && at(29).sigma < at(33).sigma);
        // A second away nothing changes, and the partner never.
        assert_eq!(t[0], track(40)[0]);
        let mut other = track(40);
        spread(&mut other, &[hand(25)], Role::Leader);
        assert_eq!(other, track(40));
    }

    #[test]
    fn a_mistake_ends_where_the_finder_jumps_back() {
        let mut t = track(23);
        spread(&mut t, &[hand(20)], Role::Follower);
        let x = |i: usize| t[i].points[&L::LeftHip].pixel[0];
        assert!(x(22) < 108.0);
        assert_eq!((x(23), x(30)), (100.0, 100.0));
    }

    #[test]
    fn the_nearer_of_two_corrections_counts() {
        let mut t = track(40);
        spread(&mut t, &[hand(10), hand(14)], Role::Follower);
        let mut one = track(40);
        spread(&mut one, &[hand(14)], Role::Follower);
        assert_eq!(t[15], one[15]);
        assert_eq!(t[14], one[14]);
    }
}
