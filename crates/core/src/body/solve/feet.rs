//! Feet that only one camera sees: flat on the floor, or with a heel that rose towards the camera, they look alike.
//! What costs least is taken, and the others that may be true are kept as doubts.

use nalgebra::{Point2, Vector3};

use super::skeleton::{Joints, LEGS, at, p, set};
use super::start::alone;
use super::terms::pixel;
use super::{Given, Instant, Source};
use crate::body::Landmark;

/// Steps towards the best body with a foot put elsewhere.
const STEPS: usize = 4;

/// Feet whose heels and toes are nearer than this are one and the same, metres.
const SAME: f64 = 0.03;

/// How feet usually stand says less than its cost pretends: differences of cost count for so much less.
const BELIEF: f64 = 1.6;

/// Puts a body's feet where they cost least. Gives how the others that may be true differ from them, each in the
/// measure of its likelihood: columns whose outer products add up to a covariance, metres.
pub(super) fn settle(given: &Given, now: &Instant, x: &mut Joints) -> Vec<Joints> {
    let mut doubts = Vec::new();
    for leg in LEGS {
        let [.., heel, toe] = leg;
        let mut bodies = vec![*x];
        bodies.extend(flat(given, now, x, leg));
        let mut costs: Vec<f64> = bodies
            .iter_mut()
            .map(|b| alone(given, now, b, STEPS))
            .collect();
        for from in 0..bodies.len() {
            if let Some(mut other) = raised(given, now, &bodies[from], leg) {
                costs.push(alone(given, now, &mut other, STEPS));
                bodies.push(other);
            }
        }
        let Some(best) = (0..bodies.len()).min_by(|a, b| costs[*a].total_cmp(&costs[*b])) else {
            continue;
        };
        let (taken, least) = (bodies[best], costs[best]);
        let off = |a: &Joints, b: &Joints| {
            let of = |l| (p(a, l) - p(b, l)).norm();
            of(heel).max(of(toe))
        };
        let mut apart: Vec<(Joints, f64)> = vec![(taken, 1.0)];
        for (b, cost) in bodies.iter().zip(&costs) {
            if apart.iter().all(|a| off(&a.0, b) > SAME) {
                apart.push((*b, (-0.5 * (cost - least) / BELIEF).exp()));
            }
        }
        let all: f64 = apart.iter().map(|a| a.1).sum();
        for (b, weight) in &apart[1..] {
            let share = (weight / all).sqrt();
            let mut by: Joints = [0.0; _];
            for l in leg.into_iter().skip(1) {
                for i in at(l)..at(l) + 3 {
                    by[i] = share * (b[i] - taken[i]);
                }
            }
            doubts.push(by);
        }
        *x = taken;
    }
    doubts
}

/// The body with a foot moved: its ankle goes with the heel.
fn moved(x: &Joints, leg: [Landmark; 5], heel: Vector3<f64>, toe: Vector3<f64>) -> Joints {
    let [_, _, ankle, was, tip] = leg;
    let mut out = *x;
    set(&mut out, ankle, p(x, ankle) + heel - p(x, was));
    set(&mut out, was, heel);
    set(&mut out, tip, toe);
    out
}

/// The foot where a hand's marks of heel and toe meet the floor.
fn flat(given: &Given, now: &Instant, x: &Joints, leg: [Landmark; 5]) -> Option<Joints> {
    let on_floor = |l| {
        let mut seen = now.seen.iter();
        let s = seen.find(|s| s.landmark == l && s.source == Source::Hand)?;
        let at = given.cameras[s.camera].on_floor(Point2::from(s.pixel))?;
        Some(Vector3::new(at.x, at.y, 0.0))
    };
    Some(moved(x, leg, on_floor(leg[3])?, on_floor(leg[4])?))
}

/// The foot as long as it is, its toe where it is, its heel at the other place that looks the same to the camera that
/// sees this instant.
fn raised(given: &Given, now: &Instant, x: &Joints, leg: [Landmark; 5]) -> Option<Joints> {
    let (heel, toe) = (p(x, leg[3]), p(x, leg[4]));
    let camera = given.cameras[now.seen.first()?.camera];
    pixel(camera, heel)?;
    let eye = camera.position.coords;
    let ray = (heel - eye).normalize();
    // The heel's ray meets the sphere about the toe twice, to both sides of what is nearest to the toe.
    let nearest = eye + ray * (toe - eye).dot(&ray);
    let other = nearest * 2.0 - heel;
    // Through the floor there is nothing.
    (other.z > -SAME).then(|| moved(x, leg, other, toe))
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::super::skeleton::standing;
    use super::super::start;
    use super::super::tests::sees;
    use super::*;
    use crate::camera::Camera;
    use Landmark as L;

    const HEIGHT: f64 = 1.7;

    fn phone() -> Camera {
        let (from, to) = (Point3::new(0.4, -5.0, 1.5), Point3::new(0.0, 0.0, 0.85));
        Camera::looking_at(from, to, 0.0, 64.0, [1280.0, 720.0])
    }

    /// What a hand marks in the picture of one of several cameras.
    fn marked(camera: usize, phone: &Camera, x: &Joints) -> Instant {
        Instant {
            seen: sees(camera, phone, x, 1.5, Source::Hand).collect(),
            ..Instant::new(0.0)
        }
    }

    fn given<'a>(cameras: &[&'a Camera]) -> Given<'a> {
        Given {
            height: HEIGHT,
            cameras: cameras.to_vec(),
            stay: 1.0,
            wide: 1.0,
        }
    }

    #[test]
    fn a_flat_foot_taken_for_a_raised_one_comes_down_and_leaves_a_doubt() {
        // A second phone that sees nothing of it comes first.
        let aside = Camera::looking_at(
            Point3::new(5.0, 0.0, 1.2),
            Point3::new(0.0, 0.0, 0.85),
            0.0,
            64.0,
            [1280.0, 720.0],
        );
        let camera = phone();
        let given = given(&[&aside, &camera]);
        // Somebody who faces the camera: the heel's other place on its ray is nearer to it, and higher.
        let truth = standing(HEIGHT, [0.0, 0.0], -75.0);
        let now = marked(1, &camera, &truth);
        let leg = LEGS[0];
        let mut x = raised(&given, &now, &truth, leg).expect("another heel that looks the same");
        let off = |x: &Joints| (p(x, L::LeftHeel) - p(&truth, L::LeftHeel)).norm();
        assert!(off(&x) > 0.05 && p(&x, L::LeftHeel).z > 0.01, "{}", off(&x));
        let looks = |x: &Joints| pixel(&camera, p(x, L::LeftHeel)).unwrap().0;
        assert!((looks(&x)[0] - looks(&truth)[0]).hypot(looks(&x)[1] - looks(&truth)[1]) < 1e-6);
        let doubts = settle(&given, &now, &mut x);
        assert!(off(&x) < 0.02, "{}", off(&x));
        // The raised one is not ruled out: the heel is known the less.
        let along = |l: L| doubts.iter().map(|d| p(d, l).norm_squared()).sum::<f64>();
        assert!(
            along(L::LeftHeel).sqrt() > 0.02,
            "{}",
            along(L::LeftHeel).sqrt()
        );
        assert_eq!(along(L::LeftHip), 0.0);
        // And with the same marks the whole start puts it there.
        let begun = start::start(&given, &mut [now]).unwrap();
        assert!(off(&begun[0]) < 0.02, "{}", off(&begun[0]));
    }

    #[test]
    fn a_heel_is_not_looked_for_in_the_floor_nor_behind_the_camera() {
        let camera = phone();
        let given = given(&[&camera]);
        let now = marked(0, &camera, &standing(HEIGHT, [0.0, 0.0], 90.0));
        for (place, facing) in [([0.0, 0.0], 90.0), ([0.4, -8.0], -75.0)] {
            let x = standing(HEIGHT, place, facing);
            assert!(raised(&given, &now, &x, LEGS[0]).is_none(), "{facing}");
        }
    }
}
