//! Errors of what networks find that stay over a film: neither neighbours nor repetitions make them smaller.

use nalgebra::{DVector, Vector2, Vector3};

use super::skeleton::{self, Joints, N, at};
use super::{Instant, Source, start};
use crate::body::Landmark;
use crate::camera::Camera;
use crate::units::Foot;

/// How far all that is seen of a trunk is turned, radians: how far ahead the near side is seen goes with the clothes,
/// and a second camera that sees the same side does not help.
const TURNED: f64 = 0.08;

/// How far the ray to a dancer's hips usually falls where networks see leans as they are, degrees (`take::size`).
pub(crate) const USUAL_FALL: f64 = 9.2;

/// How far a trunk may lean otherwise for each degree that the ray falls beyond that, once hints are turned upright again
/// (1σ): away from the only camera, and across its ray. Chosen on the takes that told how hints lean; others judge it
/// (docs/pose.md).
const LEFT: [f64; 2] = [0.1, 0.05];

/// Share of a lean by which it may be larger (1σ): the posture that is expected of anybody draws whoever leans toward
/// upright.
const DRAWN: f64 = 0.2;

/// How much higher than on the bodies that networks were compared with another dancer's feet may be seen: heels and toes
/// alike, and heels beside (1σ), metres. On film of a man in shoes heels were seen 6 and toes 1 cm above the floor that
/// they stood on, on bare feet toes 5 cm below it.
pub(super) const SHOD: [f64; 2] = [0.01, 0.03];

/// What lasts of an instant's errors, each as what it does to the coordinates.
pub(super) fn lasting(now: &Instant, x: &Joints, cameras: &[&Camera]) -> Vec<DVector<f64>> {
    let mut out = Vec::new();
    let turned = now.unsure.hypot(turned(now));
    if turned > 0.0 {
        out.push(turned_upper(x) * turned);
    }
    if by_networks(now, Landmark::TRUNK.as_flattened()) {
        out.extend(leans(x, cameras));
    }
    out
}

/// Whether these are seen, and by networks alone.
fn by_networks(now: &Instant, some: &[Landmark]) -> bool {
    let seen = || now.seen.iter().filter(|s| some.contains(&s.landmark));
    seen().next().is_some() && seen().all(|s| s.source == Source::Network)
}

/// How far an instant's trunk may be turned all the time, radians; not at all where anybody else has seen it too.
fn turned(now: &Instant) -> f64 {
    if by_networks(now, Landmark::TRUNK.as_flattened()) {
        TURNED
    } else {
        0.0
    }
}

/// Above the legs: the floor tells where the feet are.
fn upper() -> impl Iterator<Item = Landmark> {
    let legs = skeleton::LEGS.map(|[_, below @ ..]| below);
    let all = Landmark::ALL.into_iter();
    all.filter(move |l| !legs.as_flattened().contains(l))
}

/// How the coordinates change when all above the legs turns about the hips by a radian.
fn turned_upper(x: &Joints) -> DVector<f64> {
    let (middle, _) = start::gist(x);
    let mut by = DVector::zeros(N);
    for l in upper() {
        by[at(l)] = middle[1] - x[at(l) + 1];
        by[at(l) + 1] = x[at(l)] - middle[0];
    }
    by
}

/// How far a ray falls, degrees, and its way along the floor.
fn falls(ray: Vector3<f64>) -> (f64, Vector2<f64>) {
    let flat = ray.xy();
    let way = flat.try_normalize(1e-6).unwrap_or_default();
    ((-ray.z).atan2(flat.norm()).to_degrees(), way)
}

/// What leans may be off, along the first camera's ray and across it.
fn leans(x: &Joints, cameras: &[&Camera]) -> Vec<DVector<f64>> {
    use Landmark as L;
    let hips = skeleton::middle(x, L::LeftHip, L::RightHip);
    let trunk = skeleton::middle(x, L::LeftShoulder, L::RightShoulder) - hips;
    let rays = cameras.iter().map(|c| falls(hips - c.position.coords));
    let beyond = rays.clone().map(|(fall, _)| (fall - USUAL_FALL).max(0.0));
    let beyond = beyond.sum::<f64>() / cameras.len().max(1) as f64;
    let Some((_, away)) = rays.into_iter().next() else {
        return Vec::new();
    };
    // Where several cameras look, the one's ray lies across the other's.
    let left = if cameras.len() > 1 {
        [LEFT[0]; 2]
    } else {
        LEFT
    };
    let ways = [away, Vector2::new(-away.y, away.x)];
    let one = |(way, left): (Vector2<f64>, f64)| {
        let lean = trunk.xy().dot(&way).atan2(trunk.z);
        let sigma = (left * beyond).to_radians().hypot(DRAWN * lean);
        let mut by = DVector::zeros(N);
        for l in upper() {
            let high = sigma * (x[at(l) + 2] - hips.z);
            by[at(l)] = high * way.x;
            by[at(l) + 1] = high * way.y;
        }
        by
    };
    ways.into_iter().zip(left).map(one).collect()
}

/// How the coordinates change for each metre by which feet are seen higher, and heels beside: before a single camera they
/// stand further away along its ray. Two see how high they are, and a hand knows what it marks.
pub(super) fn shod(now: &Instant, x: &Joints, cameras: &[&Camera]) -> [DVector<f64>; 2] {
    let mut by = [DVector::zeros(N), DVector::zeros(N)];
    let feet = [Foot::Left, Foot::Right].map(Landmark::heel_toe);
    let [camera] = cameras else { return by };
    if !by_networks(now, feet.as_flattened()) {
        return by;
    }
    for [heel, toe] in feet {
        for (l, moves) in [(heel, &[0, 1][..]), (toe, &[0])] {
            let ray = skeleton::p(x, l) - camera.position.coords;
            let far = ray.xy().norm() / ray.z.abs().max(0.1);
            let (_, way) = falls(ray);
            for k in moves {
                by[*k][at(l)] = far * way.x;
                by[*k][at(l) + 1] = far * way.y;
            }
        }
    }
    by
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::*;
    use crate::body::solve::Seen;
    use Landmark as L;

    fn phone(from: [f64; 3]) -> Camera {
        let to = Point3::new(0.0, 0.0, 0.9);
        Camera::looking_at(from.into(), to, 0.0, 65.0, [1280.0, 720.0])
    }

    fn seen(landmark: L, source: Source) -> Seen {
        Seen {
            camera: 0,
            landmark,
            pixel: [0.0; 2],
            sigma: 1.0,
            source,
            carried: 0.0,
        }
    }

    fn instant(seen_by: &[(L, Source)]) -> Instant {
        let mut now = Instant::new(0.0);
        now.seen = seen_by.iter().map(|(l, s)| seen(*l, *s)).collect();
        now
    }

    /// Somebody upright at the origin who faces along X, turned about the hips' level by so many degrees ahead.
    fn body(lean: f64) -> Joints {
        let mut x = skeleton::standing(1.75, [0.0, 0.0], 0.0);
        let hips = skeleton::middle(&x, L::LeftHip, L::RightHip).z;
        for l in upper() {
            x[at(l)] += lean.to_radians().tan() * (x[at(l) + 2] - hips);
        }
        x
    }

    /// How far the shoulders may be off along an axis, metres (1σ).
    fn off(all: &[DVector<f64>], l: L, axis: usize) -> f64 {
        let square = all.iter().map(|by| by[at(l) + axis].powi(2));
        square.sum::<f64>().sqrt()
    }

    #[test]
    fn a_trunk_seen_from_above_may_lean_more_and_mostly_away() {
        let reach = |height: f64, axis: usize| {
            let camera = phone([-4.5, 0.0, height]);
            off(&leans(&body(0.0), &[&camera]), L::LeftShoulder, axis)
        };
        // From the height of the hips nothing, from 3.5 m about 20° more than usual.
        assert_eq!(reach(0.9, 0), 0.0);
        let high = body(0.0)[at(L::LeftShoulder) + 2] - body(0.0)[at(L::LeftHip) + 2];
        let away = (reach(3.5, 0) / high).atan().to_degrees();
        assert!((1.6..2.4).contains(&away), "{away}");
        assert!((reach(3.5, 1) / reach(3.5, 0) - 0.5).abs() < 0.05);
    }

    #[test]
    fn whoever_leans_may_lean_further() {
        let camera = phone([-4.5, 0.0, 0.9]);
        let [upright, bent] = [0.0, 20.0].map(|lean| {
            let x = body(lean);
            let high = x[at(L::Nose) + 2] - skeleton::middle(&x, L::LeftHip, L::RightHip).z;
            (off(&leans(&x, &[&camera]), L::Nose, 0) / high).to_degrees()
        });
        assert_eq!(upright, 0.0);
        assert!((bent - 4.0).abs() < 0.5, "{bent}");
    }

    #[test]
    fn shoes_that_are_higher_stand_further_away_and_more_so_seen_from_low() {
        let now = instant(&[
            (L::LeftHeel, Source::Network),
            (L::LeftToe, Source::Network),
        ]);
        let of = |height: f64, now: &Instant, l: L| {
            let camera = phone([-4.5, 0.0, height]);
            shod(now, &body(0.0), &[&camera]).map(|by| by[at(l)])
        };
        for height in [1.5, 3.0] {
            let all = of(height, &now, L::LeftHeel);
            let far = 4.5 / height;
            assert!(
                (all[0] / far - 1.0).abs() < 0.06 && all[0] == all[1],
                "{all:?}"
            );
            // Both feet alike, and toes not where heels alone are higher.
            let toe = of(height, &now, L::RightToe);
            assert!(
                (toe[0] / far - 1.0).abs() < 0.06 && toe[1] == 0.0,
                "{toe:?}"
            );
        }
        // Two cameras see how high they are, and a hand knows what it marks.
        let all = [phone([-4.5, 0.0, 1.5]), phone([0.0, -4.5, 1.5])];
        let both = shod(&now, &body(0.0), &[&all[0], &all[1]]);
        assert!(both.iter().all(|by| by.norm() == 0.0));
        let marked = instant(&[(L::LeftHeel, Source::Hand), (L::LeftToe, Source::Network)]);
        assert_eq!(of(1.5, &marked, L::LeftHeel), [0.0; 2]);
    }

    #[test]
    fn what_networks_see_turned_stays_until_a_hand_has_marked_the_trunk() {
        let stays = |hip: Source, toe: Source| {
            turned(&instant(&[
                (L::LeftHip, hip),
                (L::RightShoulder, Source::Network),
                (L::LeftToe, toe),
            ]))
        };
        assert_eq!(stays(Source::Network, Source::Network), TURNED);
        // A marked foot says nothing of it.
        assert_eq!(stays(Source::Network, Source::Hand), TURNED);
        assert_eq!(stays(Source::Hand, Source::Network), 0.0);
        assert_eq!(turned(&instant(&[(L::LeftHip, Source::Automatic)])), 0.0);
    }
}
