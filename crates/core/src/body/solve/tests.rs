//! The whole solution on bodies that are known.

use nalgebra::{Point3, SMatrix};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

use super::skeleton::{Joints, p, set, standing};
use super::*;
use crate::units::Foot;

const HEIGHT: f64 = 1.74;

fn calibrated(position: [f64; 3]) -> Calibration {
    Calibration {
        camera: Camera::looking_at(
            Point3::from(position),
            Point3::new(0.0, 0.0, 0.85),
            0.0,
            64.0,
            [1280.0, 720.0],
        ),
        covariance: SMatrix::identity() * 1e-6,
        residual: 0.5,
    }
}

/// All landmarks exactly where a camera sees them.
pub(super) fn sees(
    camera: usize,
    of: &Camera,
    x: &Joints,
    sigma: f64,
    source: Source,
) -> impl Iterator<Item = Seen> {
    Landmark::ALL.into_iter().map(move |landmark| {
        let q = of.project(Point3::from(p(x, landmark))).unwrap();
        Seen {
            camera,
            landmark,
            pixel: [q.x, q.y],
            sigma,
            source,
            carried: 0.0,
        }
    })
}

/// Three counts of somebody who steps and turns, exactly as the cameras see it.
fn danced(
    cameras: &[Calibration],
    turned: impl Fn(Joints) -> Joints,
) -> (Vec<Instant>, Vec<Joints>) {
    let bodies: Vec<Joints> = [(-0.1, 20.0), (0.1, 35.0), (0.2, 50.0)]
        .into_iter()
        .map(|(x, yaw)| turned(standing(HEIGHT, [x, 0.1], yaw)))
        .collect();
    let instants = bodies
        .iter()
        .enumerate()
        .map(|(t, x)| {
            let mut now = Instant::new(0.5 * t as f64);
            for (camera, c) in cameras.iter().enumerate() {
                now.seen
                    .extend(sees(camera, &c.camera, x, 1.5, Source::Hand));
            }
            now.planted = [[true; 2]; 2];
            now
        })
        .collect();
    (instants, bodies)
}

fn worst(solved: &Bodies, truth: &[Joints]) -> f64 {
    let mut worst: f64 = 0.0;
    for (t, x) in truth.iter().enumerate() {
        for l in Landmark::ALL {
            worst = worst.max((solved.joint(t, l).coords - p(x, l)).norm());
        }
    }
    worst
}

#[test]
fn two_cameras_find_a_body_to_the_centimetre_and_know_it() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let (instants, truth) = danced(&cameras, |x| x);
    let both = solve(HEIGHT, &cameras, &instants).unwrap();
    assert!(worst(&both, &truth) < 0.025, "{}", worst(&both, &truth));
    assert!(both.residual < 0.6, "{}", both.residual);
    // In the other order they say the same.
    let swapped = [cameras[1].clone(), cameras[0].clone()];
    let (other, _) = danced(&swapped, |x| x);
    let same = solve(HEIGHT, &swapped, &other).unwrap();
    let elbow = |b: &Bodies| b.elbow(1, Foot::Left).unwrap();
    assert!((elbow(&both).value - elbow(&same).value).abs() < 1e-3);
    assert!((elbow(&both).sigma - elbow(&same).sigma).abs() < 1e-3);
    // One camera alone knows less, and says so.
    let (alone, _) = danced(&cameras[..1], |x| x);
    let one = solve(HEIGHT, &cameras[..1], &alone).unwrap();
    let depth = |b: &Bodies| {
        b.value(1, |p| Some(p.joint(Landmark::RightShoulder).y))
            .unwrap()
            .sigma
    };
    assert!(
        depth(&one) > 3.0 * depth(&both),
        "{} {}",
        depth(&one),
        depth(&both)
    );
}

#[test]
fn a_landmark_on_the_wrong_dancer_does_not_pull_the_body_apart() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let (mut instants, truth) = danced(&cameras, |x| x);
    for now in &mut instants {
        for s in &mut now.seen {
            s.source = Source::Automatic;
        }
    }
    let wild = instants[1]
        .seen
        .iter_mut()
        .find(|s| s.landmark == Landmark::LeftKnee)
        .unwrap();
    wild.pixel[0] += 260.0;
    let solved = solve(HEIGHT, &cameras, &instants).unwrap();
    assert!(worst(&solved, &truth) < 0.06, "{}", worst(&solved, &truth));
}

#[test]
fn nothing_seen_is_said_and_a_gap_is_bridged() {
    let cameras = [calibrated([0.5, -4.8, 1.5])];
    assert_eq!(
        solve(HEIGHT, &cameras, &[Instant::new(0.0)]).unwrap_err(),
        SolveError::Nothing
    );
    let (mut instants, _) = danced(&cameras, |x| x);
    for (t, now) in instants.iter_mut().enumerate() {
        now.at = 0.2 * t as f64;
    }
    instants[1].seen.clear();
    instants[1].planted = [[false; 2]; 2];
    let solved = solve(HEIGHT, &cameras, &instants).unwrap();
    let sigma = |t| {
        solved
            .value(t, |p| Some(p.joint(Landmark::Nose).x))
            .unwrap()
            .sigma
    };
    // Between two near neighbours it is known, and less well than where it was seen.
    assert!(
        sigma(1) > 2.0 * sigma(0) && sigma(1) < 0.5,
        "{} {}",
        sigma(0),
        sigma(1)
    );
}

/// Somebody who is out of sight for a second, at the beginning and in the middle, is solved where seen.
#[test]
fn who_is_out_of_sight_is_bridged_and_not_invented() {
    let cameras = [calibrated([0.5, -4.8, 1.5])];
    let truth: Vec<Joints> = (0..60)
        .map(|t| standing(HEIGHT, [0.01 * f64::from(t) - 0.3, 0.1], 40.0))
        .collect();
    let instants: Vec<Instant> = truth
        .iter()
        .enumerate()
        .map(|(t, x)| {
            let mut now = Instant::new(0.08 * t as f64);
            now.floor_sigma = 0.02;
            if !(8..56).contains(&t) || (25..38).contains(&t) {
                return now;
            }
            now.seen
                .extend(sees(0, &cameras[0].camera, x, 3.0, Source::Automatic));
            now
        })
        .collect();
    let solved = solve(HEIGHT, &cameras, &instants).unwrap();
    let along = |t: usize| {
        solved
            .value(t, |p| Some(p.joint(Landmark::LeftHip).x))
            .unwrap()
    };
    let off = |t: usize| (along(t).value - p(&truth[t], Landmark::LeftHip).x).abs();
    assert!(off(15) < 0.05 && off(50) < 0.05, "{} {}", off(15), off(50));
    assert!(along(31).sigma > 3.0 * along(20).sigma);
    assert!(off(31) < 3.0 * along(31).sigma);
    assert!(along(0).sigma > 3.0 * along(15).sigma);
}

fn about_z(degrees: f64) -> impl Fn(Vector3<f64>) -> Vector3<f64> {
    let turn = nalgebra::Rotation3::from_axis_angle(&Vector3::z_axis(), degrees.to_radians());
    move |v| turn * v
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(6))]

    /// Turning the room with everything in it turns the bodies and changes no angle.
    #[test]
    fn the_room_may_be_turned(degrees in -180.0..180.0f64) {
        let turn = about_z(degrees);
        let here = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
        let there = [[0.5, -4.8, 1.5], [4.6, -0.6, 1.6]]
            .map(|c| calibrated(turn(Vector3::from(c)).into()));
        let (a, _) = danced(&here, |x| x);
        let (b, truth) = danced(&there, |mut x| {
            for l in Landmark::ALL {
                let to = turn(p(&x, l));
                set(&mut x, l, to);
            }
            x
        });
        let (a, b) = (solve(HEIGHT, &here, &a).unwrap(), solve(HEIGHT, &there, &b).unwrap());
        prop_assert!(worst(&b, &truth) < 0.025);
        for side in [Foot::Left, Foot::Right] {
            let [x, y] = [&a, &b].map(|s| s.elbow(1, side).unwrap());
            prop_assert!((x.value - y.value).abs() < 0.3, "{} {}", x.value, y.value);
            prop_assert!((x.sigma / y.sigma - 1.0).abs() < 0.1);
        }
    }
}

/// Seen in a mirror, left and right change places and nothing else.
#[test]
fn a_mirrored_dancer_is_solved_mirrored() {
    let mirror = |v: Vector3<f64>| Vector3::new(-v.x, v.y, v.z);
    let here = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let there = [calibrated([-0.5, -4.8, 1.5]), calibrated([-4.6, -0.6, 1.6])];
    let swap = |l: Landmark| {
        let all: Vec<[Landmark; 2]> = skeleton::LEGS[0]
            .iter()
            .zip(&skeleton::LEGS[1])
            .map(|(a, b)| [*a, *b])
            .chain(
                skeleton::ARMS[0]
                    .iter()
                    .zip(&skeleton::ARMS[1])
                    .map(|(a, b)| [*a, *b]),
            )
            .collect();
        all.iter()
            .find_map(|[a, b]| {
                if l == *a {
                    Some(*b)
                } else if l == *b {
                    Some(*a)
                } else {
                    None
                }
            })
            .unwrap_or(l)
    };
    let (a, _) = danced(&here, |x| x);
    let (b, _) = danced(&there, |x| {
        let mut y = x;
        for l in Landmark::ALL {
            set(&mut y, swap(l), mirror(p(&x, l)));
        }
        y
    });
    let (a, b) = (
        solve(HEIGHT, &here, &a).unwrap(),
        solve(HEIGHT, &there, &b).unwrap(),
    );
    for t in 0..3 {
        for l in Landmark::ALL {
            let apart = (mirror(a.joint(t, l).coords) - b.joint(t, swap(l)).coords).norm();
            assert!(apart < 0.01, "{l:?} {apart}");
        }
        let [x, y] = [a.elbow(t, Foot::Left), b.elbow(t, Foot::Right)].map(Option::unwrap);
        assert!((x.value - y.value).abs() < 0.5);
    }
}

/// Somebody who spins once round in half a second, seen by one camera at 12.5 instants a second.
#[test]
fn a_spin_is_followed_all_the_way_round() {
    let cameras = [calibrated([0.5, -4.8, 1.5])];
    let yaw = |t: f64| 20.0 + 360.0 * ((t - 0.8) / 0.5).clamp(0.0, 1.0);
    let mut noise = 0.37_f64;
    let mut off = || {
        // Alike from run to run, some pixels either way.
        noise = (noise * 997.0 + 0.123).fract();
        8.0 * (noise - 0.5)
    };
    let instants: Vec<Instant> = (0..26)
        .map(|i| {
            let at = 0.08 * f64::from(i);
            let x = standing(HEIGHT, [0.0, 0.1], yaw(at));
            let mut now = Instant::new(at);
            for landmark in Landmark::ALL {
                let q = cameras[0]
                    .camera
                    .project(Point3::from(p(&x, landmark)))
                    .unwrap();
                now.seen.push(Seen {
                    camera: 0,
                    landmark,
                    pixel: [q.x + off(), q.y + off()],
                    sigma: 4.0,
                    source: Source::Automatic,
                    carried: 0.0,
                });
            }
            now
        })
        .collect();
    let b = solve(HEIGHT, &cameras, &instants).unwrap();
    for (t, now) in instants.iter().enumerate() {
        let line = b.joint(t, Landmark::LeftShoulder) - b.joint(t, Landmark::RightShoulder);
        let off = crate::units::wrap_degrees((-line.x).atan2(line.y).to_degrees() - yaw(now.at));
        assert!(off.abs() < 30.0, "{:.2} s: {off:.0}° off", now.at);
    }
    assert_eq!(b.exchanged, 0);
}

/// At a single moment one camera cannot tell a trunk turned toward it from its mirror image in depth, but for how
/// people stand; beside a second camera it can.
#[test]
fn a_trunk_that_may_face_two_ways_says_so() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let facing = |cameras: &[Calibration], without: &[Landmark]| {
        let (mut instants, _) = danced(cameras, |_| standing(HEIGHT, [0.0, 0.1], -45.0));
        for now in &mut instants {
            now.planted = [[false; 2]; 2];
            now.seen.retain(|s| !without.contains(&s.landmark));
        }
        let b = solve(HEIGHT, cameras, &instants).unwrap();
        let e = b.value(1, |p| {
            let line = p.joint(Landmark::LeftShoulder) - p.joint(Landmark::RightShoulder);
            Some((-line.x).atan2(line.y).to_degrees())
        });
        e.unwrap().sigma
    };
    use Landmark as L;
    // Neither the face nor the feet tell.
    let hidden = [L::Nose, L::LeftHeel, L::LeftToe, L::RightHeel, L::RightToe];
    let one = facing(&cameras[..1], &hidden);
    let two = facing(&cameras, &hidden);
    assert!(one > 20.0 && two < 6.0, "{one} {two}");
    let seen = facing(&cameras[..1], &[]);
    assert!(seen < 12.0, "{seen}");
}

/// No small step away from the solution makes the sum of squares smaller.
#[test]
fn the_solution_has_the_least_residuals_about_it() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let (mut instants, _) = danced(&cameras, |x| x);
    for (k, s) in instants.iter_mut().flat_map(|i| &mut i.seen).enumerate() {
        s.pixel[0] += ((k * 37 % 11) as f64 - 5.0) * 0.4;
    }
    let alone = Alone::new(HEIGHT, &cameras, &instants).unwrap();
    let residuals = Residuals::new(&cameras, &alone);
    let x = residuals.solved();
    assert_eq!(x.len(), 3 * N + SCALES);
    let sum = |x: &[f64]| -> f64 {
        let all = residuals.at(x).unwrap();
        all.iter().map(|r| r.0 * r.0).sum()
    };
    let least = sum(&x);
    for i in 0..x.len() {
        for by in [-2e-3, 2e-3] {
            let mut moved = x.clone();
            moved[i] += by;
            assert!(
                sum(&moved) > least - 0.02,
                "{i} {by}: {} < {least}",
                sum(&moved)
            );
        }
    }
    // Instants that are half a second apart have nothing to do with each other.
    assert!(
        residuals
            .at(&x)
            .unwrap()
            .iter()
            .all(|(_, [a, b])| a == b || (*a, *b) == (0, 2))
    );
    assert!(residuals.at(&x[1..]).is_none());
    // A body bent every wrong way, and sunk into the floor, has as many.
    let spans =
        |x: &[f64]| -> Vec<[usize; 2]> { residuals.at(x).unwrap().iter().map(|r| r.1).collect() };
    let bent = |(i, v): (usize, &f64)| v + ((i * 37 % 11) as f64 - 5.0) * 0.1;
    let other: Vec<f64> = x.iter().enumerate().map(bent).collect();
    assert_eq!(spans(&x), spans(&other));
}

/// Somebody at these directions at twelve and a half instants a second, as a detector sees the body with errors of two
/// pixels that stay for some instants.
fn detected(cameras: &[Calibration], yaws: &[f64], rng: &mut ChaCha8Rng) -> Vec<Instant> {
    let mut errors = std::collections::BTreeMap::new();
    let mut instants = Vec::new();
    for (t, yaw) in yaws.iter().enumerate() {
        let x = standing(HEIGHT, [0.0, 0.0], *yaw);
        let mut now = Instant::new(0.08 * t as f64);
        for (camera, c) in cameras.iter().enumerate() {
            for landmark in Landmark::ALL {
                let q = c.camera.project(Point3::from(p(&x, landmark))).unwrap();
                let error: &mut [f64; 2] = errors.entry((camera, landmark)).or_default();
                *error = error.map(|e| 0.7 * e + 0.7 * 2.0 * rng.sample::<f64, _>(StandardNormal));
                now.seen.push(Seen {
                    camera,
                    landmark,
                    pixel: [q.x + error[0], q.y + error[1]],
                    sigma: 2.0,
                    source: Source::Automatic,
                    carried: 0.0,
                });
            }
        }
        instants.push(now);
    }
    instants
}

fn shoulders_face(b: &Bodies, t: usize) -> crate::units::Estimate {
    let yaw = |p: Posture| {
        let line = p.joint(Landmark::LeftShoulder) - p.joint(Landmark::RightShoulder);
        Some((-line.x).atan2(line.y).to_degrees())
    };
    b.value(t, yaw).unwrap()
}

/// Were the trunk as free to turn as it is to go, half of the calm directions would be off by 1.4° and more; were it as
/// calm in the turn, its corners would be cut by 4°.
#[test]
fn a_calm_trunk_is_smoothed_and_the_corners_of_a_turn_are_not_cut() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    // A quarter turn in four tenths of a second, along a minimum-jerk course, between 1.6 s of standing.
    let course = |t: f64| {
        let s = ((t - 20.0) / 5.0).clamp(0.0, 1.0);
        90.0 * s.powi(3) * (10.0 - 15.0 * s + 6.0 * s * s)
    };
    let yaws: Vec<f64> = (0..45).map(|t| course(f64::from(t))).collect();
    let (mut calm, mut corners) = (Vec::new(), Vec::new());
    let mut claimed = 0;
    for _ in 0..4 {
        let solved = solve(HEIGHT, &cameras, &detected(&cameras, &yaws, &mut rng)).unwrap();
        for (t, yaw) in yaws.iter().enumerate() {
            let e = shoulders_face(&solved, t);
            let off = crate::units::wrap_degrees(e.value - yaw);
            if (5..15).contains(&t) || (30..40).contains(&t) {
                calm.push(off.abs());
                claimed += u32::from(off.abs() < e.sigma);
            } else if t == 21 || t == 24 {
                // Behind the course before the middle, ahead of it after.
                corners.push(if t == 21 { off } else { -off });
            }
        }
    }
    calm.sort_by(f64::total_cmp);
    assert!(calm[calm.len() / 2] < 1.2, "{}", calm[calm.len() / 2]);
    let cut = corners.iter().sum::<f64>() / corners.len() as f64;
    assert!(cut.abs() < 2.5, "{cut}");
    assert!((40..=72).contains(&claimed), "{claimed} of {}", calm.len());
}

/// A mark that is moved is solved about; what has not changed is not worked out again, and all is as sure as in a whole
/// solution.
#[test]
fn a_dancer_known_again_is_as_sure_as_one_known_anew() {
    let cameras = [calibrated([0.5, -4.8, 1.5]), calibrated([4.6, -0.6, 1.6])];
    let mut rng = ChaCha8Rng::seed_from_u64(11);
    let instants = detected(&cameras, &[30.0; 40], &mut rng);
    let alone = Alone::new(HEIGHT, &cameras, &instants).unwrap();
    let bodies = with_holds(&cameras, &alone, None, None).unwrap();
    let mut changed = instants.clone();
    let seen = changed[19..=21].iter_mut().flat_map(|now| &mut now.seen);
    for s in seen.filter(|s| s.landmark == Landmark::LeftWrist) {
        s.pixel[1] -= 6.0;
    }
    let before = Known {
        alone: &alone,
        held: None,
        bodies: &bodies,
    };
    let again = alone.again(HEIGHT, &cameras, &changed, &instants);
    let again = with_holds(&cameras, &again.unwrap().unwrap(), None, Some(&before)).unwrap();
    let anew = solve(HEIGHT, &cameras, &changed).unwrap();
    let wrist = |b: &Bodies, t: usize| {
        let place = |p: Posture| Some(p.joint(Landmark::LeftWrist).z);
        b.value(t, place).unwrap()
    };
    let moved = wrist(&again, 20).value - wrist(&bodies, 20).value;
    assert!(moved > 0.005, "{moved}");
    for t in 0..40 {
        let (a, b) = (wrist(&again, t), wrist(&anew, t));
        assert!((a.value - b.value).abs() < 0.01, "{t}: {a:?} {b:?}");
        assert!((a.sigma / b.sigma - 1.0).abs() < 0.1, "{t}: {a:?} {b:?}");
    }
    for t in (0..10).chain(31..40) {
        assert_eq!(again.joints[t], bodies.joints[t]);
        assert!(std::sync::Arc::ptr_eq(&again.own[t], &bodies.own[t]), "{t}");
    }
}

#[test]
fn what_stands_apart_is_not_gone_through_with_what_moves() {
    let instants: Vec<Instant> = [0.0, 0.1, 0.2, 0.6, 0.7, 0.8].map(Instant::new).into();
    let about = |moves: &[usize]| {
        let moving: Vec<bool> = (0..instants.len()).map(|t| moves.contains(&t)).collect();
        restless(&instants, &moving)
    };
    assert_eq!(about(&[2]), [(0, 3)]);
    assert_eq!(about(&[3]), [(3, 6)]);
    assert_eq!(about(&[0, 5]), [(0, 6)]);
    assert_eq!(about(&[]), []);
    let alone = [0.0, 1.0, 2.0, 3.0, 4.0, 5.0].map(Instant::new);
    let moving = [false, true, false, false, false, true];
    assert_eq!(restless(&alone, &moving), [(1, 2), (5, 6)]);
    assert_eq!(around(&instants, 4, 1), (3, 6));
}
