//! Feet that a finder puts where the dancer cannot be: seen against the floor, a foot too high in the picture is metres
//! further away.

use super::sides;
use crate::body::Landmark;
use crate::body::solve::Source;
use crate::body::track::Sighting;
use crate::camera::Camera;
use crate::units::Role;

/// Over so many seconds to either side a dancer's usual place is looked for.
const AROUND: f64 = 0.6;

/// Feet further away from it are no feet, metres: twice as far as anybody runs in that time.
const STRAY: f64 = 1.2;

/// Forgets what networks saw of the legs where they would stand too far from where the dancer is before and after. Gives
/// the number of sightings.
pub(super) fn drop(track: &mut [Sighting], camera: &Camera, role: Role) -> usize {
    let places: Vec<(f64, Option<[f64; 2]>)> = track
        .iter()
        .filter(|s| s.role == role)
        .map(|s| (s.at.secs(), sides::stands(s, camera)))
        .collect();
    let usual = |at: f64| {
        let from = places.partition_point(|p| p.0 < at - AROUND);
        let near = places[from..].iter().take_while(|p| p.0 <= at + AROUND);
        let near: Vec<[f64; 2]> = near.filter_map(|p| p.1).collect();
        [0, 1].map(|k| {
            let mut all: Vec<f64> = near.iter().map(|p| p[k]).collect();
            all.sort_by(f64::total_cmp);
            all.get(all.len() / 2).copied()
        })
    };
    let own = track.iter_mut().filter(|s| s.role == role);
    let mut strayed = 0;
    for (s, (at, place)) in own.zip(&places) {
        if s.points.values().all(|p| p.source != Source::Network) {
            continue;
        }
        let off = match (place, usual(*at)) {
            (Some(p), [Some(x), Some(y)]) => (p[0] - x).hypot(p[1] - y),
            // Above the horizon.
            _ => f64::INFINITY,
        };
        if off > STRAY {
            let legs = Landmark::LEGS[1..].as_flattened();
            s.points.retain(|l, _| !legs.contains(l));
            strayed += 1;
        }
    }
    strayed
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::*;
    use crate::body::track::Sight;
    use crate::units::MediaTime;
    use Landmark as L;

    /// A leader on one spot, whose feet are seen a third of the body too high in one picture and not at all over the
    /// floor in another.
    fn track(camera: &Camera, source: Source) -> Vec<Sighting> {
        let one = |i: i64| {
            let places = [
                (L::LeftHip, [0.0, 0.1, 0.9]),
                (L::LeftHeel, [-0.1, 0.1, 0.0]),
                (L::LeftToe, [0.1, 0.1, 0.0]),
                (L::RightHeel, [-0.1, -0.1, 0.0]),
                (L::RightToe, [0.1, -0.1, 0.0]),
            ];
            let points = places.map(|(l, at)| {
                let q = camera.project(Point3::from(at)).unwrap();
                let lifted = match (i, l) {
                    (_, L::LeftHip) => 0.0,
                    (4, _) => 100.0,
                    (7, _) => 400.0,
                    _ => 0.0,
                };
                let sight = Sight {
                    pixel: [q.x, q.y - lifted],
                    sigma: 5.0,
                    source,
                    about_hips: None,
                };
                (l, sight)
            });
            Sighting {
                at: MediaTime(80_000 * i),
                role: Role::Leader,
                points: points.into(),
            }
        };
        (0..12).map(one).collect()
    }

    #[test]
    fn feet_where_nobody_can_be_are_forgotten() {
        let (from, to) = (Point3::new(0.0, -5.0, 1.5), Point3::new(0.0, 0.0, 1.0));
        let camera = Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0]);
        let mut found = track(&camera, Source::Network);
        assert_eq!(drop(&mut found, &camera, Role::Follower), 0);
        assert_eq!(drop(&mut found, &camera, Role::Leader), 2);
        for (i, s) in found.iter().enumerate() {
            let left = if i == 4 || i == 7 { 1 } else { 5 };
            assert_eq!(s.points.len(), left, "{i}");
            assert!(s.points.contains_key(&L::LeftHip));
        }
        // A hand, or a detector that knows its errors, is believed.
        let mut found = track(&camera, Source::Automatic);
        assert_eq!(drop(&mut found, &camera, Role::Leader), 0);
    }
}
