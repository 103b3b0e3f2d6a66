//! How large a finder takes a dancer for, and from where it thinks it sees the body: its places in metres about the hips
//! are those of a body of its own choosing, often a smaller one.

use nalgebra::{Rotation3, Unit, Vector3};

use crate::body::Landmark;
use crate::body::solve::{Source, USUAL_FALL};
use crate::body::track::Sighting;
use crate::camera::Camera;
use crate::units::Role;
use Landmark as L;

/// Height of a shoe's middle over the floor, metres.
const SOLE: f64 = 0.02;

/// Fewer sightings say nothing of the size.
const ENOUGH: usize = 12;

/// Sizes that are believed.
const BELIEVED: [f64; 2] = [0.7, 1.6];

/// Turns the places about the hips that the program's networks gave to the camera's axes. A network is shown the piece of
/// the picture with the dancer in it, and takes what is there for straight ahead: its depth lies along the ray to the
/// hips. Who dances at the edge of the picture is seen past the camera's own axis by as much as the ray is off it.
pub(super) fn turn(track: &mut [Sighting], camera: &Camera) {
    for s in track {
        let Some(hips) = middle(s, [L::LeftHip, L::RightHip]) else {
            continue;
        };
        let [x, y] = [0, 1].map(|k| (hips[k] - camera.centre[k]) / camera.focal);
        let ray = Vector3::new(x, y, 1.0);
        let by = Rotation3::rotation_between(&Vector3::z(), &ray)
            .map(|by| upright_again(&ray, camera) * by);
        let networks = s
            .points
            .values_mut()
            .filter(|p| p.source == Source::Network);
        for about in networks.filter_map(|p| p.about_hips.as_mut()) {
            if let Some(by) = by {
                *about = (by * Vector3::from(*about)).into();
            }
        }
    }
}

/// By how much a network takes a body that is seen from above for one that leans away, for each degree by which the ray
/// to the hips falls beyond the usual, degrees. A regression over 3,430 trunks of 20 rendered takes,
/// phones 0.8 to 3.5 m high (`make pose-accuracy` prints it of any draw); networks learn from pictures whose horizon is
/// level, and take half of the view from above for the body's own lean.
const LEANS_AWAY: f64 = 0.52;

/// What turns hints along a ray in the camera's axes back upright: about the level line across the ray.
fn upright_again(ray: &Vector3<f64>, camera: &Camera) -> Rotation3<f64> {
    let up = camera.rotation * Vector3::z();
    let fall = (-ray.normalize().dot(&up)).asin().to_degrees();
    let Some(across) = Unit::try_new(up.cross(ray), 1e-3) else {
        return Rotation3::identity();
    };
    let away = LEANS_AWAY * (fall - USUAL_FALL);
    Rotation3::from_axis_angle(&across, -away.to_radians())
}

/// The middle of two landmarks in the picture.
fn middle(s: &Sighting, pair: [L; 2]) -> Option<[f64; 2]> {
    let [a, b] = pair.map(|l| s.points.get(&l).map(|p| p.pixel));
    let (a, b) = (a?, b?);
    Some([0, 1].map(|k| 0.5 * (a[k] + b[k])))
}

/// Stretches a dancer's places about the hips to the size that the picture shows: how far landmarks lie from
/// the hips in the picture, at the distance of the standing foot. Gives the factor, 1 where too little is seen.
///
/// The squares of what is seen over its products with what is said: errors of the places then do not make
/// them seem longer than they are.
pub(super) fn stretch(track: &mut [Sighting], camera: &Camera, role: Role) -> f64 {
    let (mut squares, mut products, mut n) = (0.0, 0.0, 0);
    for s in track.iter().filter(|s| s.role == role) {
        let Some((square, product)) = compared(s, camera) else {
            continue;
        };
        squares += square;
        products += product;
        n += 1;
    }
    if n < ENOUGH || products <= 0.0 {
        return 1.0;
    }
    let factor = (squares / products).clamp(BELIEVED[0], BELIEVED[1]);
    for s in track.iter_mut().filter(|s| s.role == role) {
        for about in s.points.values_mut().filter_map(|p| p.about_hips.as_mut()) {
            *about = about.map(|v| factor * v);
        }
    }
    factor
}

/// Of one sighting, the sum of squares of the landmarks' places beside the hips in the picture, and of their
/// products with what is said, metres.
fn compared(s: &Sighting, camera: &Camera) -> Option<(f64, f64)> {
    let feet = [
        middle(s, [L::LeftHeel, L::LeftToe]),
        middle(s, [L::RightHeel, L::RightToe]),
    ];
    // The lower one stands.
    let foot = feet
        .into_iter()
        .flatten()
        .max_by(|a, b| a[1].total_cmp(&b[1]))?;
    let on = camera.at_height(foot.into(), SOLE)?;
    let depth = camera.depth([on.x, on.y, SOLE].into());
    let hips = middle(s, [L::LeftHip, L::RightHip])?;
    let (mut square, mut product) = (0.0, 0.0);
    for p in s.points.values() {
        let Some(about) = p.about_hips else { continue };
        for k in 0..2 {
            let seen = (p.pixel[k] - hips[k]) * depth / camera.focal;
            square += seen * seen;
            product += seen * about[k];
        }
    }
    (depth > 0.0 && square > 0.0).then_some((square, product))
}

#[cfg(test)]
mod tests {
    use nalgebra::{Point3, Vector3};

    use super::*;
    use crate::body::solve::{Source, USUAL_FALL};
    use crate::body::track::Sight;
    use crate::units::MediaTime;

    /// Somebody who walks past, whom a finder takes for one of another size.
    fn walk(camera: &Camera, size: f64) -> Vec<Sighting> {
        let places = [
            (L::LeftHip, [0.08, 0.0, 0.9]),
            (L::RightHip, [-0.08, 0.0, 0.9]),
            (L::LeftShoulder, [0.18, 0.02, 1.4]),
            (L::RightShoulder, [-0.18, -0.02, 1.4]),
            (L::LeftHeel, [0.1, -0.1, 0.02]),
            (L::LeftToe, [0.1, 0.1, 0.02]),
            (L::RightHeel, [-0.1, 0.2, 0.1]),
            (L::RightToe, [-0.1, 0.4, 0.1]),
        ];
        (0..20)
            .map(|i| {
                let at = Vector3::new(-1.0 + 0.1 * f64::from(i), 0.3, 0.0);
                let hips = Vector3::new(0.0, 0.0, 0.9);
                // Errors that go both ways and say nothing of the size.
                let off = if i % 2 == 0 { 0.08 } else { -0.08 };
                let points = places
                    .iter()
                    .map(|(l, p)| {
                        let p = Vector3::from(*p);
                        let q = camera.project(Point3::from(p + at)).unwrap();
                        let about = camera.rotation * (p - hips) * size;
                        let sight = Sight {
                            pixel: [q.x, q.y],
                            sigma: 2.0,
                            source: Source::Automatic,
                            about_hips: Some([about.x + off, about.y - off, about.z]),
                        };
                        (*l, sight)
                    })
                    .collect();
                Sighting {
                    at: MediaTime::from_secs(0.08 * f64::from(i)),
                    role: Role::Leader,
                    points,
                }
            })
            .collect()
    }

    fn phone() -> Camera {
        let (from, to) = (Point3::new(0.0, -5.0, 1.5), Point3::new(0.0, 0.0, 1.0));
        Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0])
    }

    #[test]
    fn a_body_that_is_taken_for_a_smaller_one_is_stretched_to_what_the_picture_shows() {
        for size in [0.85, 1.0, 1.2] {
            let mut track = walk(&phone(), size);
            let was = track[3].points[&L::LeftShoulder].about_hips.unwrap();
            let factor = stretch(&mut track, &phone(), Role::Leader);
            assert!((factor * size - 1.0).abs() < 0.02, "{size}: {factor}");
            let now = track[3].points[&L::LeftShoulder].about_hips.unwrap();
            assert_eq!(now, was.map(|v| factor * v));
        }
    }

    #[test]
    fn too_few_sightings_or_none_of_this_dancer_change_nothing() {
        let track = walk(&phone(), 0.8);
        let mut few = track[..8].to_vec();
        assert_eq!(stretch(&mut few, &phone(), Role::Leader), 1.0);
        assert_eq!(few, track[..8]);
        let mut all = track.clone();
        assert_eq!(stretch(&mut all, &phone(), Role::Follower), 1.0);
        assert_eq!(all, track);
    }

    #[test]
    fn a_body_seen_from_above_is_turned_upright_again_whichever_way_the_phone_is_held() {
        for (height, roll) in [(1.5, 0.0), (3.0, 0.0), (3.0, 5.0), (0.8, -4.0)] {
            let (from, to) = (Point3::new(0.0, -4.5, height), Point3::new(0.0, 0.0, 0.9));
            let camera = Camera::looking_at(from, to, roll, 65.0, [720.0, 1280.0]);
            let mut track = walk(&camera, 1.0);
            track.truncate(1);
            let hips = Vector3::new(-1.0, 0.3, 0.9);
            let ray = hips - camera.position.coords;
            let fall = (-ray.z).atan2(ray.x.hypot(ray.y)).to_degrees();
            // As networks see somebody upright: leaning away along the ray's level way, and from straight ahead.
            let lean = (LEANS_AWAY * (fall - USUAL_FALL)).to_radians();
            let level = Vector3::new(ray.x, ray.y, 0.0).normalize();
            let trunk = 0.5 * (Vector3::z() * lean.cos() + level * lean.sin());
            let ahead = Rotation3::rotation_between(&(camera.rotation * ray), &Vector3::z());
            let seen = ahead.unwrap() * (camera.rotation * trunk);
            for s in track[0].points.values_mut() {
                s.source = Source::Network;
                s.about_hips = Some(seen.into());
            }
            turn(&mut track, &camera);
            let now = track[0].points[&L::LeftShoulder].about_hips.unwrap();
            let stands = camera.rotation.inverse() * Vector3::from(now);
            let off = stands.angle(&Vector3::z()).to_degrees();
            assert!(off < 0.3, "{height} {roll}: {off}");
        }
    }

    #[test]
    fn what_a_network_sees_past_the_axis_is_turned_by_as_much() {
        let camera = phone();
        // Somebody 1.5 m to the left of the axis, seen as from straight ahead.
        let mut track = walk(&camera, 1.0);
        track.truncate(1);
        let place = Vector3::new(-1.5, 0.0, 0.0);
        for (l, s) in &mut track[0].points {
            let q = camera.project(Point3::from(
                place + Vector3::new(if l.side() > 0.0 { 0.1 } else { -0.1 }, 0.0, 0.9),
            ));
            let q = q.unwrap();
            s.pixel = [q.x, q.y];
            s.about_hips = Some([0.1 * l.side(), 0.0, 0.0]);
        }
        let automatic = track.clone();
        turn(&mut track, &camera);
        assert_eq!(track, automatic, "another finder knows its camera");
        for s in track[0].points.values_mut() {
            s.source = Source::Network;
        }
        turn(&mut track, &camera);
        let left = track[0].points[&L::LeftShoulder].about_hips.unwrap();
        // The hips' middle is seen 16.6° to the left; across the ray, what is to the right lies further away. The line
        // across is level, so that being seen from above does not turn it.
        let by = left[2].atan2(left[0]).to_degrees();
        assert!((by - 16.6).abs() < 0.2, "{by}");
        assert!((Vector3::from(left).norm() - 0.1).abs() < 1e-9);
    }
}
