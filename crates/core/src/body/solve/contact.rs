//! Which parts of the feet stand on the floor.

use super::Instant;
use super::skeleton::{Joints, LEGS, p};

/// Slower than this a part may stand, metres a second.
const SLOW: f64 = 0.35;

/// Lower than this heel and toe may stand, metres.
const LOW: [f64; 2] = [0.03, 0.05];

/// It stands for at least so long, seconds.
const LEAST: f64 = 0.16;

/// Confirms where a take is dense enough to tell: from how fast and how high the parts are in the
/// solution so far. Sparse instants keep what their marks say.
pub(super) fn plant(instants: &mut [Instant], joints: &[Joints]) {
    let n = instants.len();
    for (side, [.., heel, toe]) in LEGS.into_iter().enumerate() {
        for (part, l) in [heel, toe].into_iter().enumerate() {
            let mut may = vec![false; n];
            for t in 0..n {
                let near = |a: usize, b: usize| instants[b].at - instants[a].at;
                let mut slow = true;
                let mut dense = false;
                for (a, b) in [(t.wrapping_sub(1), t), (t, t + 1)] {
                    if a < n && b < n && near(a, b) < super::FAR {
                        dense = true;
                        let way = (p(&joints[b], l) - p(&joints[a], l)).xy().norm();
                        // One of the two neighbours is enough at either end of a stand.
                        slow &= way / near(a, b) < 1.6 * SLOW;
                    }
                }
                may[t] = dense && slow && p(&joints[t], l).z < LOW[part];
                if !dense {
                    may[t] = instants[t].planted[side][part];
                }
            }
            let mut t = 0;
            while t < n {
                let begin = t;
                while t < n && may[t] {
                    t += 1;
                }
                let lone = t > begin && instants[t - 1].at - instants[begin].at < LEAST;
                let dense =
                    begin + 1 < n && instants[begin + 1].at - instants[begin].at < super::FAR;
                for i in &mut instants[begin..t] {
                    i.planted[side][part] = !(lone && dense);
                }
                if t < n {
                    instants[t].planted[side][part] = false;
                    t += 1;
                }
            }
        }
    }
}
