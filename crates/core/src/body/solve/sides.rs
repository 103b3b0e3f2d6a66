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
            // Nothing where one of them does not fit better.
            let gain = (from..to).try_fold(0.0, |gain, t| {
                let share = (instants[t].at - instants[a].at) / (instants[b].at - instants[a].at);
                let x = on_the_way(&joints[a], &joints[b], share);
                let here = better(given, &instants[t], &x, camera, pairs);
                (here > 0.0).then_some(gain + here)
            });
            if let Some(gain) = gain.filter(|g| *g > CLEARLY * (to - from) as f64) {
                out.push((from, to, gain));
            }
        }
    }
    out
}

/// The other one of a pair.
fn other(pairs: &[[L; 2]], l: L) -> Option<L> {
    let [a, b] = pairs.iter().find(|p| p.contains(&l))?;
    Some(if l == *a { *b } else { *a })
}

/// By how much exchanged names fit better.
fn better(given: &Given, now: &Instant, x: &Joints, camera: usize, pairs: &[[L; 2]]) -> f64 {
    let mut gain = 0.0;
    for s in &now.seen {
        if s.camera != camera || s.source == Source::Hand {
            continue;
        }
        let Some(exchanged) = other(pairs, s.landmark) else {
            continue;
        };
        // One landmark somewhere else altogether must not decide.
        let camera = given.cameras[camera];
        let miss = |l| {
            pixel(camera, p(x, l)).map_or(9.0, |(pixel, depth)| {
                let free = OFF * camera.focal / depth.max(0.3);
                let off = [0, 1].map(|k| pixel[k] - s.pixel[k]);
                let squares = off[0] * off[0] + off[1] * off[1];
                (squares / (given.sigma(s).powi(2) + free * free)).min(9.0)
            })
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
        s.landmark = other(pairs, s.landmark).unwrap_or(s.landmark);
    }
    for h in now.hints.iter_mut().filter(|h| h.camera == camera) {
        h.landmark = other(pairs, h.landmark).unwrap_or(h.landmark);
    }
}
