//! Dancers close together in the picture: networks take one's limbs for the other's.

use upright_core::body::Landmark;
use upright_core::body::track::Sighting;
use upright_core::units::Role;

use Landmark as L;

/// Dancers whose hips are further apart in the picture than this share of a body's height do not disturb each other.
const CLEAR: f64 = 0.35;

/// By how much larger errors are of dancers whose hips lie on each other, beside those of dancers apart, and
/// where only one of the two was found. Medians on rendered couples (docs/pose.md).
const UPON: f64 = 4.0;
const ALONE: f64 = 2.5;

/// A sighting whose errors are larger by more has its depths from the other body as well: they are forgotten.
const MISLEADS: f64 = 2.0;

/// Trunk, thighs and shins of both sides are together so many times as long as the body is high.
const LINES: f64 = 1.58;

fn between([x, y]: [f64; 2], [a, b]: [f64; 2]) -> f64 {
    (x - a).hypot(y - b)
}

/// Middle of the hips, and the body's height, pixels.
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
    Some(([0.5 * (l[0] + r[0]), 0.5 * (l[1] + r[1])], long / LINES))
}

/// Widens the standard errors of dancers that are close together in a picture, or of whom one was not found, and
/// forgets depths that are likely the other's. `track` is in order of time.
pub fn widen(track: &mut [Sighting]) {
    // Who dances alone is disturbed by nobody.
    if Role::BOTH
        .iter()
        .any(|r| track.iter().all(|s| s.role != *r))
    {
        return;
    }
    let places: Vec<_> = track.iter().map(|s| (s.at, hips(s))).collect();
    for (i, s) in track.iter_mut().enumerate() {
        let mut beside = [i.checked_sub(1), Some(i + 1)]
            .into_iter()
            .filter_map(|k| places.get(k?));
        let partner = beside.find(|p| p.0 == s.at);
        let by = match (&places[i].1, partner) {
            (Some((a, tall)), Some((_, Some((b, _))))) => {
                let near = (1.0 - between(*a, *b) / (CLEAR * tall)).max(0.0);
                1.0 + (UPON - 1.0) * near
            }
            _ => ALONE,
        };
        for p in s.points.values_mut() {
            p.sigma *= by;
            if by > MISLEADS {
                p.about_hips = None;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use upright_core::body::solve::Source;
    use upright_core::body::track::Sight;
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

    #[test]
    fn who_is_near_the_other_is_seen_less_surely() {
        let mut track = Vec::new();
        for (frame, apart) in [(0, 300.0), (1, 52.5), (2, 0.0)] {
            track.push(person(frame, Role::Leader, 400.0));
            track.push(person(frame, Role::Follower, 400.0 + apart));
        }
        track.push(person(3, Role::Follower, 400.0));
        widen(&mut track);
        let all: Vec<_> = track.iter().map(sigma).collect();
        // Well apart nothing changes; half as far as that the errors are two and a half times as large.
        assert_eq!(all[..2], [(3.0, true); 2]);
        assert!((all[2].0 - 7.5).abs() < 1e-9 && !all[2].1, "{all:?}");
        assert!((all[4].0 - 12.0).abs() < 1e-9 && !all[4].1, "{all:?}");
        // Where the other one was not found.
        assert_eq!(all[6], (7.5, false));
    }

    #[test]
    fn who_dances_alone_is_disturbed_by_nobody() {
        let mut track: Vec<_> = (0..3).map(|i| person(i, Role::Leader, 400.0)).collect();
        widen(&mut track);
        assert!(track.iter().all(|s| sigma(s) == (3.0, true)));
    }
}
