//! Legs that a finder exchanged, for a picture or for a row of them: told by what stays in its place from picture to
//! picture, by where the figure has the feet, and by what a hand has marked.

use super::charted::Charted;
use super::sides::{self, Film, MOST, SOLE};
use crate::body::Landmark;
use crate::body::track::Sighting;
use crate::units::Role;
use Landmark as L;

/// Cost of a picture with exchanged legs: finders are right more often.
const EXCHANGED: f64 = 0.05;

/// How far the feet are off the figure's way from one to the other, metres (1σ), besides half of what a step in
/// between changes.
const OFF: f64 = 0.12;

/// How much that counts: from picture to picture it is alike.
const WEIGHT: f64 = 0.12;

/// How far legs go between two pictures, a share of the body's height in the picture.
const MOVES: f64 = 0.03;

/// Cost of a change between legs seen rightly and exchanged.
const CHANGE: f64 = 1.0;

/// Below the hips.
fn pairs() -> &'static [[L; 2]] {
    &L::LEGS[1..]
}

/// The middle of a foot in a picture: ankle, heel and toe.
fn foot(s: &Sighting, side: usize) -> Option<[f64; 2]> {
    let mut middle = [0.0; 2];
    for pair in &L::LEGS[2..] {
        let p = s.points.get(&pair[side])?.pixel;
        middle = [0, 1].map(|k| middle[k] + p[k] / 3.0);
    }
    Some(middle)
}

/// What speaks against a sighting's feet as they are, and exchanged, from where the figure, turned so on the
/// reference, has them.
fn against(s: &Sighting, film: &Film, charted: &Charted, turned: f64) -> Option<[f64; 2]> {
    let (way, changes) = charted.stance(s.role, s.at.secs() + film.offset);
    let way = sides::turned(way, turned);
    let on = sides::stands(s, film.camera)?;
    let end = |side: f64| {
        let place = [0, 1].map(|k| on[k] + 0.5 * side * way[k]);
        film.camera.project([place[0], place[1], SOLE].into())
    };
    let (a, b) = (end(1.0)?, end(-1.0)?);
    let depth = film.camera.depth([on[0], on[1], 0.0].into()).max(0.3);
    let spread = OFF.hypot(0.5 * changes) * film.camera.focal / depth;
    let (left, right) = (foot(s, 0)?, foot(s, 1)?);
    let seen = [0, 1].map(|k| left[k] - right[k]);
    Some([1.0, -1.0].map(|sign| {
        let off = (sign * seen[0] - a.x + b.x).hypot(sign * seen[1] - a.y + b.y);
        WEIGHT * (off / spread).powi(2).min(MOST)
    }))
}

/// Puts exchanged legs right, by the figure turned so on the reference where there is one. Gives the number of
/// sightings.
pub(super) fn mend(film: &mut Film, figure: Option<(&Charted, f64)>) -> usize {
    let mut mended = 0;
    for role in Role::BOTH {
        let own: Vec<&Sighting> = film.track.iter().filter(|s| s.role == role).collect();
        let here = |i: usize| {
            let charted = figure.and_then(|(c, turned)| against(own[i], film, c, turned));
            let charted = charted.unwrap_or_default();
            let hand = sides::by_hand(own[i], film.marked, pairs());
            [0, 1].map(|k| charted[k] + hand[k] + EXCHANGED * k as f64)
        };
        let step = |i: usize| sides::moved([own[i - 1], own[i]], pairs(), MOVES, CHANGE);
        let (_, exchanged) = sides::cheapest(own.len(), here, step);
        let own = film.track.iter_mut().filter(|s| s.role == role);
        for (s, _) in own.zip(&exchanged).filter(|p| *p.1) {
            sides::exchange(s, pairs());
            mended += 1;
        }
    }
    mended
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Pose;
    use crate::body::solve::Source;
    use crate::body::track::Sight;
    use crate::camera::Camera;
    use crate::units::MediaTime;
    use nalgebra::Point3;

    /// Seconds of a step, and from picture to picture.
    const STEP: f64 = 0.5;
    const PICTURE: f64 = 0.08;

    fn phone() -> Camera {
        let (from, to) = (Point3::new(0.0, -5.0, 1.5), Point3::new(0.0, 0.0, 1.0));
        Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0])
    }

    /// Where the feet are after so many steps: the leader walks along X past the phone, the left foot first.
    fn walked(steps: usize) -> [[f64; 2]; 2] {
        let along = |foot: usize| -0.5 + 0.4 * ((steps + 1 - foot) / 2) as f64 - 0.2 * foot as f64;
        [[along(0), 0.1], [along(1), -0.1]]
    }

    fn figure() -> Charted {
        let first = (f64::NEG_INFINITY, walked(0), 0.0);
        let steps = (1..9).map(|n| (STEP * n as f64, walked(n), 0.0));
        let leader = std::iter::once(first).chain(steps).collect();
        Charted {
            steps: [leader, vec![(f64::NEG_INFINITY, [[0.0, 1.0]; 2], 180.0)]],
            heights: [1.75, 1.65],
            risen: Default::default(),
        }
    }

    /// The leader's legs, danced as the figure has it.
    fn track() -> Vec<Sighting> {
        let camera = phone();
        let see = |at: f64| {
            let (before, share) = ((at / STEP) as usize, (at / STEP).fract());
            let [was, next] = [walked(before), walked(before + 1)];
            let mut points = std::collections::BTreeMap::new();
            for (pair, (ahead, up)) in
                pairs()
                    .iter()
                    .zip([(0.0, 0.45), (0.0, 0.08), (-0.06, 0.0), (0.15, 0.0)])
            {
                for (foot, l) in pair.iter().enumerate() {
                    let on = [0, 1].map(|k| was[foot][k] + share * (next[foot][k] - was[foot][k]));
                    let q = camera.project(Point3::new(on[0] + ahead, on[1], up));
                    let pixel = q.map(|q| [q.x, q.y]).unwrap();
                    let sight = Sight {
                        pixel,
                        sigma: 4.0,
                        source: Source::Automatic,
                        about_hips: None,
                    };
                    points.insert(*l, sight);
                }
            }
            Sighting {
                at: MediaTime::from_secs(at),
                role: Role::Leader,
                points,
            }
        };
        (0..45).map(|i| see(PICTURE * f64::from(i))).collect()
    }

    fn exchanged(wrong: std::ops::Range<usize>) -> Vec<Sighting> {
        let mut out = track();
        for s in &mut out[wrong] {
            sides::exchange(s, pairs());
        }
        out
    }

    fn mended(track: &mut [Sighting], marked: &[Pose], figure: Option<&Charted>) -> usize {
        let mut film = Film {
            track,
            camera: &phone(),
            offset: 0.0,
            marked,
        };
        mend(&mut film, figure.map(|f| (f, 0.0)))
    }

    #[test]
    fn exchanged_legs_are_put_right() {
        let figure = figure();
        // A picture, a step and the whole film; the short ones also where no figure is named.
        for (wrong, named) in [
            (7..8, false),
            (7..8, true),
            (12..20, false),
            (12..20, true),
            (0..45, true),
        ] {
            let mut seen = exchanged(wrong.clone());
            let n = mended(&mut seen, &[], named.then_some(&figure));
            assert_eq!(n, wrong.len(), "{wrong:?}, named {named}");
            assert_eq!(seen, track(), "{wrong:?}, named {named}");
        }
    }

    #[test]
    fn what_is_right_stays() {
        let mut seen = track();
        assert_eq!(mended(&mut seen, &[], Some(&figure())), 0);
        assert_eq!(mended(&mut seen, &[], None), 0);
        assert_eq!(seen, track());
    }

    #[test]
    fn one_mark_by_hand_outweighs_the_figure() {
        // On the other foot than the figure has it, all along.
        let danced = exchanged(0..45);
        let mark = Pose {
            role: Role::Leader,
            at: danced[20].at,
            points: danced[20]
                .points
                .iter()
                .map(|(l, p)| (*l, p.pixel))
                .collect(),
        };
        let mut seen = danced.clone();
        assert_eq!(mended(&mut seen, &[], Some(&figure())), 45);
        let mut seen = danced.clone();
        mended(&mut seen, std::slice::from_ref(&mark), Some(&figure()));
        assert_eq!(seen[20], danced[20]);
        // One joint put right says nothing of the sides.
        let mut joint = mark;
        joint.points.retain(|l, _| *l == L::LeftKnee);
        let mut seen = danced.clone();
        assert_eq!(mended(&mut seen, &[joint], Some(&figure())), 45);
    }
}
