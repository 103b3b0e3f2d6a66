//! What a finder takes for left and right: the cheapest way through a film's pictures, each as it is or exchanged.

use crate::body::track::{Sight, Sighting};
use crate::body::{Landmark, Pose};
use crate::camera::Camera;
use Landmark as L;

/// Height of a shoe's middle over the floor, metres.
pub(super) const SOLE: f64 = 0.02;

/// Most squares of one number.
pub(super) const MOST: f64 = 9.0;

/// How much a landmark's move between two pictures counts.
const MOVE_WEIGHT: f64 = 0.2;

/// Pictures further apart say nothing of each other, seconds.
const APART: f64 = 0.3;

/// How far a finder's landmark is off a hand's mark, a share of the body's height in the picture (1σ), and how much each
/// mark counts: a row of pictures must not outweigh it.
const OFF_HAND: f64 = 0.03;
const HAND_WEIGHT: f64 = 3.0;

/// What one camera found, begun `offset` seconds into the take, and what a hand has marked in it.
pub(super) struct Film<'a> {
    pub track: &'a mut [Sighting],
    pub camera: &'a Camera,
    pub offset: f64,
    pub marked: &'a [Pose],
}

/// A way on the floor turned by so many degrees.
pub(super) fn turned(way: [f64; 2], by: f64) -> [f64; 2] {
    let (s, c) = by.to_radians().sin_cos();
    [c * way[0] - s * way[1], s * way[0] + c * way[1]]
}

/// Where a dancer stands, metres.
pub(super) fn stands(s: &Sighting, camera: &Camera) -> Option<[f64; 2]> {
    let feet = [L::LeftHeel, L::LeftToe, L::RightHeel, L::RightToe];
    let mut middle = [0.0; 2];
    for l in feet {
        let p = s.points.get(&l)?.pixel;
        middle = [0, 1].map(|k| middle[k] + 0.25 * p[k]);
    }
    let on = camera.at_height(middle.into(), SOLE)?;
    Some([on.x, on.y])
}

/// Exchanges the sides of these pairs.
pub(super) fn exchange(s: &mut Sighting, pairs: &[[L; 2]]) {
    s.points = std::mem::take(&mut s.points)
        .into_iter()
        .map(|(l, p)| (l.exchanged(pairs).unwrap_or(l), p))
        .collect();
}

/// Half the squares by which a place in a picture is off another one.
fn off(a: [f64; 2], b: [f64; 2], spread: f64) -> f64 {
    ((a[0] - b[0]).hypot(a[1] - b[1]) / spread)
        .powi(2)
        .min(MOST)
}

/// What speaks against two sightings in a row, both as they are (or both exchanged), and against just one of
/// them being exchanged. Landmarks go so far between them, a share of the body's height (1σ).
pub(super) fn moved(pair: [&Sighting; 2], pairs: &[[L; 2]], moves: f64, change: f64) -> [f64; 2] {
    let [before, now] = pair;
    if now.at.since(before.at) > APART {
        return [0.0; 2];
    }
    let mut out = [0.0, change];
    let spread = (moves * now.tall()).max(1.0);
    for (l, p) in &now.points {
        let Some(exchanged) = l.exchanged(pairs) else {
            continue;
        };
        for (cost, was) in out.iter_mut().zip([*l, exchanged]) {
            if let Some(q) = before.points.get(&was) {
                *cost += MOVE_WEIGHT * off(p.pixel, q.pixel, spread);
            }
        }
    }
    out
}

/// What a hand's marks say against a sighting as it is, and exchanged: of those pairs of which both sides are marked. A
/// single joint put right, or hands that are near each other anyhow, tell of that joint and not of the sides.
pub(super) fn by_hand(s: &Sighting, marked: &[Pose], pairs: &[[L; 2]]) -> [f64; 2] {
    let mut out = [0.0; 2];
    for pose in s.marked(s.role, marked) {
        let spread = OFF_HAND * s.tall().max(1.0);
        for [a, b] in pairs {
            let marks = [pose.points.get(a), pose.points.get(b)];
            let found = [s.points.get(a), s.points.get(b)];
            if let ([Some(p), Some(q)], [Some(x), Some(y)]) = (marks, found) {
                let miss = |x: &Sight, y: &Sight| {
                    HAND_WEIGHT * (off(*p, x.pixel, spread) + off(*q, y.pixel, spread))
                };
                out[0] += miss(x, y);
                out[1] += miss(y, x);
            }
        }
    }
    out
}

/// The cheapest path through so many pictures, each as it is or exchanged (Viterbi, A. J. (1967), IEEE Trans. Inf.
/// Theory 13): its cost, and which are exchanged. `here` is what speaks against either at a picture, `step` what
/// speaks against staying and against changing since the one before.
pub(super) fn cheapest(
    pictures: usize,
    here: impl Fn(usize) -> [f64; 2],
    step: impl Fn(usize) -> [f64; 2],
) -> (f64, Vec<bool>) {
    let mut costs = [0.0; 2];
    let mut from: Vec<[usize; 2]> = Vec::with_capacity(pictures);
    for i in 0..pictures {
        let here = here(i);
        let step = if i > 0 { step(i) } else { [0.0; 2] };
        let way = |now: usize| [0, 1].map(|was| costs[was] + step[usize::from(was != now)]);
        let ways = [way(0), way(1)];
        from.push(ways.map(|w| usize::from(w[1] < w[0])));
        costs = [0, 1].map(|now| ways[now][0].min(ways[now][1]) + here[now]);
    }
    let mut state = usize::from(costs[1] < costs[0]);
    let cost = costs[state];
    let mut exchanged = vec![false; pictures];
    for (at, back) in exchanged.iter_mut().zip(&from).rev() {
        *at = state == 1;
        state = back[state];
    }
    (cost, exchanged)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_change_must_pay_for_itself() {
        // Three pictures in the middle speak for being exchanged by so much each; a change costs 2 each way.
        let path = |each: f64| {
            let here = |i: usize| {
                if (3..6).contains(&i) {
                    [each, 0.0]
                } else {
                    [0.0, 1.0]
                }
            };
            cheapest(9, here, |_| [0.0, 2.0])
        };
        let (cost, exchanged) = path(1.0);
        assert_eq!((cost, exchanged), (3.0, vec![false; 9]));
        let (cost, exchanged) = path(1.5);
        assert_eq!(cost, 4.0);
        assert_eq!(
            exchanged,
            [3, 4, 5].into_iter().fold(vec![false; 9], |mut all, i| {
                all[i] = true;
                all
            })
        );
        assert_eq!(cheapest(0, |_| [0.0; 2], |_| [0.0; 2]), (0.0, Vec::new()));
    }
}
