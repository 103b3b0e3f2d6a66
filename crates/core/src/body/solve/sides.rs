//! Left and right legs or arms that a finder exchanged: found against the body that the other instants
//! and the other landmarks speak of.

use super::skeleton::{Joints, p};
use super::start::on_the_way;
use super::terms::pixel;
use super::{Given, Instant, Source};
use crate::body::Landmark;
use Landmark as L;

/// By how much exchanged names must fit better, in units of a landmark's squared error.
const CLEARLY: f64 = 8.0;

/// Each instant of a row must say so itself, by this much.
const LEAST: f64 = 2.0;

/// Names stay exchanged for at most so many instants.
const LONGEST: usize = 6;

/// Sides of a body that turns faster pass each other by themselves, radians a second.
const QUICK: f64 = 3.0;

/// How far a joint may be from the straight way between two instants, metres (1σ).
const OFF: f64 = 0.05;

/// Puts sides right where exchanged names fit the joints before and after clearly better, in a row of
/// instants. What a hand has marked stays. Gives the number of exchanges.
pub(super) fn mend(given: &Given, instants: &mut [Instant], joints: &[Joints]) -> usize {
    let mut mended = 0;
    for camera in 0..given.cameras.len() {
        for pairs in [&L::LEGS[..], &L::ARMS[..]] {
            let mut rows = rows(given, instants, joints, camera, pairs);
            rows.sort_by(|a, b| b.2.total_cmp(&a.2));
            let mut done = vec![false; instants.len()];
            for (from, to, _) in rows {
                // An overlapping row was judged by ends that are no longer what they were.
                if done[from..to].iter().any(|d| *d) {
                    continue;
                }
                for now in &mut instants[from..to] {
                    exchange(now, camera, pairs);
                }
                mended += to - from;
                done[from.saturating_sub(1)..(to + 1).min(instants.len())].fill(true);
            }
        }
    }
    mended
}

/// Rows of instants that fit clearly better with exchanged names, with by how much for each instant.
fn rows(
    given: &Given,
    instants: &[Instant],
    joints: &[Joints],
    camera: usize,
    pairs: &[[L; 2]],
) -> Vec<(usize, usize, f64)> {
    let mut out = Vec::new();
    for from in 1..instants.len() {
        for to in from + 1..(from + LONGEST + 1).min(instants.len()) {
            let (a, b) = (from - 1, to);
            if instants[b].at - instants[a].at > 0.1 * (b - a) as f64 + 0.05
                || instants[to - 1].turning > QUICK
            {
                break;
            }
            // Nothing where one of them hardly fits better.
            let gain = (from..to).try_fold(0.0, |gain, t| {
                let share = (instants[t].at - instants[a].at) / (instants[b].at - instants[a].at);
                let x = on_the_way(&joints[a], &joints[b], share);
                // A leg need not be on its way all the time: it stands before a step and after it.
                let bodies = [&x, &joints[a], &joints[b]];
                let may = if pairs[0] == L::LEGS[0] { 3 } else { 1 };
                let here = better(given, &instants[t], &bodies[..may], camera, pairs);
                (here > LEAST).then_some(gain + here)
            });
            if let Some(gain) = gain.filter(|g| *g > CLEARLY * (to - from) as f64) {
                out.push((from, to, gain));
            }
        }
    }
    out
}

/// By how much exchanged names fit better, each joint to where the nearest of these bodies has it.
fn better(
    given: &Given,
    now: &Instant,
    bodies: &[&Joints],
    camera: usize,
    pairs: &[[L; 2]],
) -> f64 {
    let mut gain = 0.0;
    for s in &now.seen {
        if s.camera != camera || s.source == Source::Hand {
            continue;
        }
        let Some(exchanged) = s.landmark.exchanged(pairs) else {
            continue;
        };
        // One landmark somewhere else altogether must not decide.
        let camera = given.cameras[camera];
        let miss = |l| {
            let of = |x: &&Joints| {
                let (pixel, depth) = pixel(camera, p(x, l))?;
                let free = OFF * camera.focal / depth.max(0.3);
                let off = [0, 1].map(|k| pixel[k] - s.pixel[k]);
                let squares = off[0] * off[0] + off[1] * off[1];
                Some(squares / (given.sigma(s).powi(2) + free * free))
            };
            bodies.iter().filter_map(of).fold(9.0, f64::min)
        };
        gain += miss(s.landmark) - miss(exchanged);
    }
    gain
}

fn exchange(now: &mut Instant, camera: usize, pairs: &[[L; 2]]) {
    for s in now
        .seen
        .iter_mut()
        .filter(|s| s.camera == camera && s.source != Source::Hand)
    {
        s.landmark = s.landmark.exchanged(pairs).unwrap_or(s.landmark);
    }
    for h in now.hints.iter_mut().filter(|h| h.camera == camera) {
        h.landmark = h.landmark.exchanged(pairs).unwrap_or(h.landmark);
    }
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::super::Seen;
    use super::super::skeleton::{LEGS, set, standing};
    use super::super::tests::sees;
    use super::*;
    use crate::camera::Camera;

    fn phone() -> Camera {
        let (from, to) = (Point3::new(0.4, -5.0, 1.5), Point3::new(0.4, 0.0, 0.85));
        Camera::looking_at(from, to, 0.0, 64.0, [1280.0, 720.0])
    }

    /// Somebody who walks along X: places of the left and the right foot at even instants. First the left one passes
    /// the standing right one, then the right one passes the left, and both stand.
    fn walked() -> Vec<Joints> {
        let mut left = vec![0.0, 0.0, 0.14, 0.45, 0.56, 0.56, 0.56, 0.56];
        let mut right = vec![0.28, 0.28, 0.28, 0.28, 0.28, 0.28, 0.42, 0.7];
        left.resize(16, 0.56);
        right.resize(16, 0.84);
        let body = |(l, r): (&f64, &f64)| {
            let middle = 0.5 * (l + r);
            let mut x = standing(1.7, [middle, 0.0], 0.0);
            for (leg, on) in LEGS.iter().zip([l, r]) {
                for (joint, share) in leg.iter().zip([0.0, 0.5, 1.0, 1.0, 1.0]) {
                    let mut to = p(&x, *joint);
                    to.x += share * (on - middle);
                    set(&mut x, *joint, to);
                }
            }
            x
        };
        left.iter().zip(&right).map(body).collect()
    }

    /// How many sides are put right where legs bear each other's names at some instants, and whether all are right then.
    fn mended(wrong: std::ops::Range<usize>) -> (usize, bool) {
        let camera = phone();
        let given = Given {
            height: 1.7,
            cameras: vec![&camera],
            stay: 1.0,
            wide: 1.0,
        };
        let truth = walked();
        let right: Vec<Instant> = truth
            .iter()
            .enumerate()
            .map(|(t, x)| Instant {
                seen: sees(0, &camera, x, 3.0, Source::Automatic).collect(),
                ..Instant::new(0.08 * t as f64)
            })
            .collect();
        let mut instants = right.clone();
        for now in &mut instants[wrong] {
            exchange(now, 0, &L::LEGS);
        }
        let n = mend(&given, &mut instants, &truth);
        let pixels = |all: &[Instant]| -> Vec<Vec<(L, [f64; 2])>> {
            let of = |s: &Seen| (s.landmark, s.pixel);
            all.iter()
                .map(|i| {
                    let mut all: Vec<_> = i.seen.iter().map(of).collect();
                    all.sort_by_key(|s| s.0);
                    all
                })
                .collect()
        };
        (n, pixels(&instants) == pixels(&right))
    }

    #[test]
    fn legs_that_pass_each_other_twice_within_a_row_keep_their_names() {
        assert_eq!(mended(0..0), (0, true));
    }

    #[test]
    fn exchanged_legs_get_their_own_names_back() {
        assert_eq!(mended(11..12), (1, true));
        assert_eq!(mended(11..13), (2, true));
    }
}
