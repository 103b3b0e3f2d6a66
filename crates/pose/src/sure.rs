//! How sure a landmark's place is: by how it is seen in a picture, how it shakes from picture to picture, and how close
//! the dancers are.
//!
//! Its standard error along each axis is a share of the dancer's height, fitted to the errors on rendered couples
//! (decisions 0044, 0045): the logarithm is a sum of what each of these adds. Errors have long tails, so the fit is by
//! Student's distribution, and the size is set such that as many lie within one and two of them as the tails allow
//! (docs/pose.md).

use std::collections::BTreeMap;

use upright_core::body::Landmark;
use upright_core::body::track::{Sight, Sighting};
use upright_core::units::Role;

use Landmark as L;

/// What a picture tells of a landmark's place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Evidence {
    /// How surely the network sees it, 0..1.
    pub seen: f64,
    /// How far the network that found the person has it from there, a share of the height.
    pub doubt: f64,
    /// How far from their mean the looks have it, a share of the height.
    pub apart: f64,
    /// Whether only one of the two looks, straight and into the mirror, saw this dancer.
    pub once: bool,
}

/// What each tells of a part of the body. Of trunks and legs nearness counts for more than a picture's errors say (0.98
/// and 0.64): where dancers are close, a limb is taken for the partner's for many pictures on end, so that more pictures
/// do not make it surer (decision 0046).
struct Weights {
    /// Hidden altogether, beside wholly in sight.
    hidden: f64,
    doubt: f64,
    apart: f64,
    once: f64,
    shake: f64,
    /// Hips on the partner's, beside dancers apart.
    near: f64,
}

const TRUNK: Weights = Weights {
    hidden: 0.02,
    doubt: 0.30,
    apart: 0.39,
    once: 0.83,
    shake: 0.29,
    near: 1.5,
};

const ARMS: Weights = Weights {
    hidden: 0.56,
    doubt: 0.07,
    apart: 0.36,
    once: 0.85,
    shake: 0.43,
    near: 0.91,
};

const LEGS: Weights = Weights {
    hidden: 0.64,
    doubt: 0.15,
    apart: 0.50,
    once: 1.20,
    shake: 0.28,
    near: 2.5,
};

/// What of the doubt, of the looks and of the shaking says nothing, shares of height.
const DOUBT: f64 = 0.01;
const APART: f64 = 0.003;
const SHAKE: f64 = 0.003;

/// How a landmark shakes of which no neighbouring pictures tell, a share of height: as most do.
const UNTOLD: f64 = 0.02;

/// Logarithm of what is left, and what the rest tells.
fn of(landmark: Landmark) -> (f64, &'static Weights) {
    match landmark {
        L::LeftHip | L::RightHip => (-0.14, &TRUNK),
        L::LeftShoulder | L::RightShoulder => (-0.11, &TRUNK),
        L::Nose => (-0.27, &TRUNK),
        L::LeftElbow | L::RightElbow => (-0.34, &ARMS),
        L::LeftWrist | L::RightWrist => (-0.21, &ARMS),
        L::LeftKnuckle | L::RightKnuckle => (-0.13, &ARMS),
        L::LeftKnee | L::RightKnee => (-0.30, &LEGS),
        L::LeftAnkle | L::RightAnkle => (-0.07, &LEGS),
        L::LeftHeel | L::RightHeel => (-0.09, &LEGS),
        L::LeftToe | L::RightToe => (-0.04, &LEGS),
    }
}

/// Standard error of a landmark along each axis, a share of the dancer's height, as far as a picture tells: of who
/// dances apart from everybody and shakes as most do.
pub(crate) fn in_picture(landmark: Landmark, by: Evidence) -> f64 {
    let (usual, w) = of(landmark);
    let once = if by.once { w.once } else { 0.0 };
    let ln = usual
        + w.hidden * (1.0 - by.seen)
        + w.doubt * (DOUBT + by.doubt).ln()
        + w.apart * (APART + by.apart).ln()
        + w.shake * (SHAKE + UNTOLD).ln()
        + once;
    ln.exp()
}

/// Dancers whose hips are further apart in the picture than this share of a body's height do not disturb each other.
const CLEAR: f64 = 0.35;

/// As near as this, between 0 for apart and 1 for hips on hips, depths are likely from the other body: they are
/// forgotten.
const MISLEADS: f64 = 1.0 / 3.0;

/// How near somebody counts as who was not found beside the other.
const LOST: f64 = 0.5;

/// Pictures further apart than this, seconds, do not tell how a landmark shakes, and those this far from one tell of it.
const GAP: f64 = 0.12;
const ABOUT: f64 = 0.18;

/// Trunk, thighs and shins of both sides are together so many times as long as the body is high.
const LINES: f64 = 1.58;

fn between([x, y]: [f64; 2], [a, b]: [f64; 2]) -> f64 {
    (x - a).hypot(y - b)
}

/// Middle of the hips, and the body's height, pixels; none of a body without any length.
fn hips(s: &Sighting) -> Option<([f64; 2], f64)> {
    let at = |l: L| s.points.get(&l).map(|p| p.pixel);
    let mut long = 0.0;
    for (a, b) in [
        (L::LeftShoulder, L::LeftHip),
        (L::RightShoulder, L::RightHip),
        (L::LeftHip, L::LeftKnee),
        (L::RightHip, L::RightKnee),
        (L::LeftKnee, L::LeftAnkle),
        (L::RightKnee, L::RightAnkle),
    ] {
        long += between(at(a)?, at(b)?);
    }
    let (l, r) = (at(L::LeftHip)?, at(L::RightHip)?);
    (long > 0.0).then(|| ([0.5 * (l[0] + r[0]), 0.5 * (l[1] + r[1])], long / LINES))
}

/// How far a sight's landmarks lie from the line between the sights before and after, pixels.
fn bends(before: &Sighting, s: &Sighting, after: &Sighting) -> Option<BTreeMap<Landmark, f64>> {
    let [a, t, b] = [before, s, after].map(|s| s.at.secs());
    if t - a > GAP || b - t > GAP || b <= a {
        return None;
    }
    let share = (t - a) / (b - a);
    let bend = |(l, p): (&Landmark, &Sight)| {
        let (from, to) = (before.points.get(l)?.pixel, after.points.get(l)?.pixel);
        let line = [0, 1].map(|k| from[k] + share * (to[k] - from[k]));
        Some((*l, between(p.pixel, line)))
    };
    Some(s.points.iter().filter_map(bend).collect())
}

/// How each of a dancer's sights shakes, in order of time: the mean bend of the pictures about it, pixels.
fn shaking(track: &[&Sighting]) -> Vec<BTreeMap<Landmark, f64>> {
    let bends: Vec<_> = (0..track.len())
        .map(|i| bends(track[i.checked_sub(1)?], track[i], track.get(i + 1)?))
        .collect();
    let about = |(i, s): (usize, &&Sighting)| {
        let close = |k: &usize| (track[*k].at.secs() - s.at.secs()).abs() < ABOUT;
        let some: Vec<_> = (i.saturating_sub(2)..track.len().min(i + 3))
            .filter(close)
            .filter_map(|k| bends[k].as_ref())
            .collect();
        let mean = |l: &Landmark| {
            let all: Vec<f64> = some.iter().filter_map(|b| b.get(l).copied()).collect();
            (!all.is_empty()).then(|| (*l, all.iter().sum::<f64>() / all.len() as f64))
        };
        s.points.keys().filter_map(mean).collect()
    };
    track.iter().enumerate().map(about).collect()
}

/// Between 0 for dancers apart and 1 for hips on hips, by sight; `track` is in order of time. Who dances alone is
/// disturbed by nobody.
fn nearness(track: &[Sighting], places: &[Option<([f64; 2], f64)>]) -> Vec<f64> {
    let together = Role::BOTH
        .iter()
        .all(|r| track.iter().any(|s| s.role == *r));
    let near = |i: usize| {
        let mut beside = [i.checked_sub(1), Some(i + 1)].into_iter().flatten();
        let partner = beside.find(|k| track.get(*k).is_some_and(|p| p.at == track[i].at));
        match (places[i], partner.and_then(|k| places[k])) {
            _ if !together => 0.0,
            (Some((a, tall)), Some((b, _))) => (1.0 - between(a, b) / (CLEAR * tall)).max(0.0),
            _ => LOST,
        }
    };
    (0..track.len()).map(near).collect()
}

/// Adds to the standard errors what only the pictures about a picture tell: how landmarks shake, and how close the
/// dancers are. Forgets depths that are likely the other's. `track` is in order of time.
pub fn over_time(track: &mut [Sighting]) {
    let places: Vec<_> = track.iter().map(hips).collect();
    let near = nearness(track, &places);
    let mut shakes = vec![BTreeMap::new(); track.len()];
    for role in Role::BOTH {
        let of_role = |(_, s): &(usize, &Sighting)| s.role == role;
        let (numbers, own): (Vec<_>, Vec<_>) = track.iter().enumerate().filter(of_role).unzip();
        for (i, shake) in numbers.into_iter().zip(shaking(&own)) {
            shakes[i] = shake;
        }
    }
    for (i, s) in track.iter_mut().enumerate() {
        for (l, p) in &mut s.points {
            let (_, w) = of(*l);
            let shake = match (shakes[i].get(l), places[i]) {
                (Some(shake), Some((_, tall))) => shake / tall,
                _ => UNTOLD,
            };
            let more = w.shake * ((SHAKE + shake) / (SHAKE + UNTOLD)).ln() + w.near * near[i];
            p.sigma *= more.exp();
            if near[i] > MISLEADS {
                p.about_hips = None;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use upright_core::body::solve::Source;
    use upright_core::units::MediaTime;

    /// Somebody upright, 300 pixels tall, whose hips are at a place of the picture.
    fn person(frame: i64, role: Role, x: f64) -> Sighting {
        let part = 300.0 * LINES / 6.0;
        let rows = [
            (L::LeftShoulder, L::RightShoulder, -part),
            (L::LeftHip, L::RightHip, 0.0),
            (L::LeftKnee, L::RightKnee, part),
            (L::LeftAnkle, L::RightAnkle, 2.0 * part),
        ];
        let mut points = BTreeMap::new();
        for (left, right, y) in rows {
            for l in [left, right] {
                let sight = Sight {
                    pixel: [x, 400.0 + y],
                    sigma: 3.0,
                    source: Source::Network,
                    about_hips: Some([0.0, y, 0.1]),
                };
                points.insert(l, sight);
            }
        }
        Sighting {
            at: MediaTime(80_000 * frame),
            role,
            points,
        }
    }

    fn sigma(s: &Sighting) -> (f64, bool) {
        let p = s.points[&L::LeftHip];
        (p.sigma, p.about_hips.is_some())
    }

    /// By how much larger an error is of what shakes by so much of the height, beside what shakes as most do.
    fn shaken(w: &Weights, shake: f64) -> f64 {
        ((SHAKE + shake) / (SHAKE + UNTOLD)).powf(w.shake)
    }

    #[test]
    fn who_is_near_the_other_is_seen_less_surely() {
        let mut track = Vec::new();
        for (frame, apart) in [(0, 300.0), (10, 52.5), (20, 0.0)] {
            track.push(person(frame, Role::Leader, 400.0));
            track.push(person(frame, Role::Follower, 400.0 + apart));
        }
        track.push(person(30, Role::Follower, 400.0));
        over_time(&mut track);
        let all: Vec<_> = track.iter().map(sigma).collect();
        // Well apart and no pictures about it: nothing changes. Half as far as that, and hips on hips.
        assert_eq!(all[..2], [(3.0, true); 2]);
        let by = [0.5 * TRUNK.near, TRUNK.near].map(f64::exp);
        assert!(
            (all[2].0 - 3.0 * by[0]).abs() < 1e-9 && !all[2].1,
            "{all:?}"
        );
        assert!(
            (all[4].0 - 3.0 * by[1]).abs() < 1e-9 && !all[4].1,
            "{all:?}"
        );
        // Where the other one was not found.
        assert!((all[6].0 - all[2].0).abs() < 1e-9 && !all[6].1, "{all:?}");
    }

    #[test]
    fn who_dances_alone_is_disturbed_by_nobody() {
        let mut track: Vec<_> = (0..5).map(|i| person(i, Role::Leader, 400.0)).collect();
        over_time(&mut track);
        let calm = 3.0 * shaken(&TRUNK, 0.0);
        for s in &track {
            assert!((sigma(s).0 - calm).abs() < 1e-9 && sigma(s).1);
        }
    }

    #[test]
    fn a_body_without_any_length_is_as_sure_as_it_was() {
        let mut track: Vec<_> = (0..3).map(|i| person(i, Role::Leader, 400.0)).collect();
        for p in track.iter_mut().flat_map(|s| s.points.values_mut()) {
            p.pixel = [400.0, 400.0];
        }
        over_time(&mut track);
        assert!(track.iter().all(|s| (sigma(s).0 - 3.0).abs() < 1e-9));
    }

    #[test]
    fn what_shakes_from_picture_to_picture_is_not_where_it_seems() {
        // A steady walk does not shake; the left ankle jumps by 24 pixels in every other picture.
        let mut track: Vec<_> = (0..9)
            .map(|i| {
                let mut s = person(i, Role::Leader, 400.0 + 10.0 * i as f64);
                let ankle = s.points.get_mut(&L::LeftAnkle).unwrap();
                ankle.pixel[0] += 24.0 * (i % 2) as f64;
                s
            })
            .collect();
        // The last one is far behind the others.
        track[8].at = MediaTime(80_000 * 20);
        over_time(&mut track);
        let of = |i: usize, l: L| track[i].points[&l].sigma / 3.0;
        let tall = hips(&track[4]).unwrap().1;
        assert!((of(4, L::RightAnkle) - shaken(&LEGS, 0.0)).abs() < 1e-9);
        assert!((of(4, L::LeftAnkle) - shaken(&LEGS, 24.0 / tall)).abs() < 1e-9);
        // Also at the ends, by the pictures next to them; nothing tells of the one by itself.
        assert!((of(0, L::LeftAnkle) / of(4, L::LeftAnkle) - 1.0).abs() < 0.01);
        assert!((of(8, L::LeftAnkle) - 1.0).abs() < 1e-9);
    }

    #[test]
    fn what_is_hidden_doubted_or_seen_once_is_less_certain() {
        let sure = Evidence {
            seen: 1.0,
            doubt: 0.0,
            apart: 0.0,
            once: false,
        };
        let by = |evidence| in_picture(L::LeftKnee, evidence) / in_picture(L::LeftKnee, sure);
        let only = |once| by(Evidence { once, ..sure });
        assert!((only(true) - LEGS.once.exp()).abs() < 1e-9);
        assert!((by(Evidence { seen: 0.0, ..sure }) - LEGS.hidden.exp()).abs() < 1e-9);
        // The looks as far apart as counts for nothing, and nine times that.
        let apart = |apart| by(Evidence { apart, ..sure });
        assert!((apart(9.0 * APART) - 10_f64.powf(LEGS.apart)).abs() < 1e-9);
        assert!(by(Evidence { doubt: 0.1, ..sure }) > 1.4);
        // Less than a hundredth of the height for the surest hip, and seldom a quarter of it for anything.
        let hip = in_picture(L::LeftHip, sure);
        assert!((0.006..0.01).contains(&hip), "{hip}");
        for l in L::ALL {
            let worst = Evidence {
                seen: 0.2,
                doubt: 0.2,
                apart: 0.1,
                once: true,
            };
            assert!((0.05..0.7).contains(&in_picture(l, worst)), "{l:?}");
        }
    }
}
