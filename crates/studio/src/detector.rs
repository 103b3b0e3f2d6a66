//! Landmarks as a pose detector gives them: noisy, sometimes the wrong limb, sometimes the partner's,
//! sometimes nobody.

use std::collections::BTreeMap;

use nalgebra::{Point3, Vector3};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::{Deserialize, Serialize};
use upright_core::body::Landmark;
use upright_core::body::solve::Source;
use upright_core::body::track::{Sight, Sighting};
use upright_core::camera::Camera;
use upright_core::units::{Foot, MediaTime, Role};

use crate::body::Body;
use crate::motion::Performance;
use crate::nature::normal;

/// What the detector does wrong, and how much.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Detector {
    /// Standard error of an easy landmark along each axis, as a share of the dancer's height in the
    /// picture.
    pub noise: f64,
    /// How long an error stays, seconds.
    pub memory: f64,
    /// By how much the error of a hidden landmark grows.
    pub hidden: f64,
    /// Left and right legs or arms change names this often while they cross in the picture, a second.
    pub sides: f64,
    /// Chance that the two dancers change names when they cross in the picture.
    pub people: f64,
    /// A wholly hidden dancer is lost this often a second, a partly hidden one by the square of the share.
    pub lost: f64,
    /// Share of landmarks that lie somewhere else altogether.
    pub wild: f64,
    /// Gives places about the hips in three dimensions as well.
    pub hints: bool,
    /// Seed of the errors.
    pub seed: u64,
}

impl Default for Detector {
    fn default() -> Self {
        Self {
            noise: 0.011,
            memory: 0.25,
            hidden: 3.0,
            sides: 0.6,
            people: 0.15,
            lost: 4.0,
            wild: 0.003,
            hints: true,
            seed: 1,
        }
    }
}

/// A landmark as it was detected.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Seen {
    /// Where, pixels.
    pub pixel: [f64; 2],
    /// Claimed standard error along each axis, pixels.
    pub sigma: f64,
    /// How surely it is seen, 0..1.
    pub visibility: f64,
    /// Place about the middle of the hips along the picture's right, down and depth, metres.
    pub hint: Option<[f64; 3]>,
}

/// A dancer as detected in a frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Detected {
    /// The frame.
    pub at: MediaTime,
    /// Whom the detector takes it for.
    pub role: Role,
    /// Who it is.
    pub truly: Role,
    /// The landmarks it gives, by the names it gives them.
    pub points: BTreeMap<Landmark, Seen>,
}

/// What was detected as a track, by the names that the detector gives.
pub fn track(detected: &[Detected]) -> Vec<Sighting> {
    let sight = |s: &Seen| Sight {
        pixel: s.pixel,
        sigma: s.sigma,
        source: Source::Automatic,
        about_hips: s.hint,
    };
    detected
        .iter()
        .map(|d| Sighting {
            at: d.at,
            role: d.role,
            points: d.points.iter().map(|(l, s)| (*l, sight(s))).collect(),
        })
        .collect()
}

/// Hint error along the picture and in depth, metres.
const HINT: [f64; 2] = [0.04, 0.075];

/// How much harder a landmark is than an easy one.
fn hardness(l: Landmark) -> f64 {
    use Landmark as L;
    match l {
        L::Nose => 0.7,
        L::LeftShoulder | L::RightShoulder => 0.9,
        L::LeftHip | L::RightHip => 1.2,
        L::LeftWrist | L::RightWrist | L::LeftToe | L::RightToe => 1.3,
        L::LeftKnuckle | L::RightKnuckle => 1.5,
        _ => 1.0,
    }
}

/// A part of a body that hides what lies behind it: ends and radius, metres.
type Part = (Point3<f64>, Point3<f64>, f64);

fn parts(body: &Body) -> Vec<Part> {
    let h = body.height;
    let j = |l: Landmark| body.joint(l);
    let mut out = vec![
        (body.pelvis(), body.chest(), 0.085 * h),
        (body.chest(), j(Landmark::Nose), 0.05 * h),
    ];
    for side in [Foot::Left, Foot::Right] {
        let of_side = |pair: [Landmark; 2]| j(pair[side as usize]);
        let [shoulder, elbow, wrist, _] = Landmark::ARMS.map(of_side);
        let [hip, knee, ankle, ..] = Landmark::LEGS.map(of_side);
        out.push((shoulder, elbow, 0.028 * h));
        out.push((elbow, wrist, 0.022 * h));
        out.push((hip, knee, 0.045 * h));
        out.push((knee, ankle, 0.03 * h));
    }
    out
}

/// Whether a part lies between the lens and a point.
fn hides(from: Point3<f64>, part: &Part, point: Point3<f64>) -> bool {
    let (a, b, radius) = part;
    let line = point - from;
    let long = line.norm();
    let line = line / long;
    // Nearest points of the line of sight and the part's axis.
    let axis = b - a;
    let (aa, ab, lb) = (axis.dot(&axis), axis.dot(&line), a - from);
    let (d, e) = (axis.dot(&lb), line.dot(&lb));
    let below = aa - ab * ab;
    let s = if below.abs() < 1e-9 {
        0.0
    } else {
        ((ab * e - d) / below).clamp(0.0, 1.0)
    };
    let on_axis = a + axis * s;
    let t = (on_axis - from).dot(&line);
    // Clearly in front: a landmark lies inside its own limb.
    t < long - radius - 0.03 && (from + line * t - on_axis).norm() < *radius
}

/// An error that stays for a while, with a part that is new in every frame.
#[derive(Clone, Default)]
struct Errors {
    slow: BTreeMap<Landmark, [f64; 2]>,
    hint: [[f64; 3]; 19],
}

/// State of one dancer as the detector follows it.
#[derive(Clone, Default)]
struct Followed {
    errors: Errors,
    /// Seconds for which legs and arms keep the wrong names, and the dancer stays lost.
    legs: f64,
    arms: f64,
    lost: f64,
}

/// What a detector gives for each frame of a phone's clip, frame by frame.
pub fn detect(
    performance: &Performance,
    phone: usize,
    frames: &[MediaTime],
    detector: &Detector,
) -> Vec<Detected> {
    let danced_by = performance.scenario();
    let phone = performance.phone(phone);
    let mut rng = ChaCha8Rng::seed_from_u64(detector.seed);
    let mut followed = [Followed::default(), Followed::default()];
    let (mut exchanged, mut crossing) = (false, false);
    let mut out = Vec::new();
    let mut last: Option<f64> = None;
    for at in frames {
        let step = last.map_or(0.0, |l| (at.secs() - l).max(0.0));
        last = Some(at.secs());
        let danced = phone.danced(at.secs());
        let camera = phone.camera_at(danced);
        let bodies = performance.bodies(danced);
        let there = Role::BOTH.iter().filter(|r| danced_by.dances(**r));
        let hiding: Vec<Part> = there.flat_map(|r| parts(&bodies[*r as usize])).collect();
        // Close to each other in the picture, they may leave with each other's names.
        let middles = bodies.each_ref().map(|b| camera.project(b.chest()));
        let tall = bodies.each_ref().map(|b| height_of(&camera, b));
        if let [Some(a), Some(b)] = middles {
            let close = (a - b).norm() < 0.10 * tall[0];
            if close && !crossing && rng.random_bool(detector.people.clamp(0.0, 1.0)) {
                exchanged = !exchanged;
            }
            crossing = close;
        }
        for role in Role::BOTH.into_iter().filter(|r| danced_by.dances(*r)) {
            let body = &bodies[role as usize];
            let it = &mut followed[role as usize];
            let seen = see(
                (&camera, phone.picture(), tall[role as usize]),
                body,
                &hiding,
                it,
                detector,
                (step, &mut rng),
            );
            if let Some(points) = seen {
                out.push(Detected {
                    at: *at,
                    role: if exchanged { role.partner() } else { role },
                    truly: role,
                    points,
                });
            }
        }
    }
    out
}

/// Height of a dancer in the picture, pixels.
fn height_of(camera: &Camera, body: &Body) -> f64 {
    camera.focal * body.height / camera.depth(body.pelvis()).max(0.3)
}

fn see(
    (camera, picture, tall): (&Camera, [f64; 2], f64),
    body: &Body,
    hiding: &[Part],
    it: &mut Followed,
    detector: &Detector,
    (step, rng): (f64, &mut ChaCha8Rng),
) -> Option<BTreeMap<Landmark, Seen>> {
    let keep = (-step / detector.memory.max(1e-3)).exp();
    let mut points = BTreeMap::new();
    let mut hidden = 0u32;
    let middle = camera.rotation * (body.pelvis() - camera.position);
    for l in Landmark::ALL {
        let p = body.joint(l);
        let covered = hiding.iter().any(|part| hides(camera.position, part, p));
        hidden += u32::from(covered);
        // A limb that points at the lens is harder to place.
        let toward = foreshortened(camera, body, l);
        let mut sigma = detector.noise * tall * hardness(l) * (1.0 + toward);
        if covered {
            sigma *= detector.hidden;
        }
        let fresh: [f64; 2] = [normal(rng), normal(rng)];
        let slow = it.errors.slow.entry(l).or_insert([0.0; 2]);
        let renew = (1.0 - keep * keep).sqrt();
        for s in slow.iter_mut() {
            *s = keep * *s + renew * normal(rng);
        }
        let mut error = [0, 1].map(|k| sigma * (0.85 * slow[k] + 0.53 * fresh[k]));
        if rng.random_bool(detector.wild.clamp(0.0, 1.0)) {
            error = [0.25 * tall * normal(rng), 0.25 * tall * normal(rng)];
        }
        // Detectors know roughly how sure they are.
        let visibility = if covered { 0.35 } else { 0.95 } + rng.random_range(-0.15..0.05);
        let hint = hint(&mut it.errors.hint[l as usize], keep, rng);
        let Some(q) = camera.project(p) else { continue };
        let pixel = [q.x + error[0], q.y + error[1]];
        if !(0.0..picture[0]).contains(&pixel[0]) || !(0.0..picture[1]).contains(&pixel[1]) {
            continue;
        }
        let about = camera.rotation * (p - camera.position) - middle;
        points.insert(
            l,
            Seen {
                pixel,
                sigma: sigma * rng.random_range(0.8..1.25),
                visibility,
                hint: detector
                    .hints
                    .then(|| [0, 1, 2].map(|k| about[k] + hint[k])),
            },
        );
    }
    let chance = |rate: f64| (rate * step).clamp(0.0, 1.0);
    it.lost = (it.lost - step).max(0.0);
    let share = f64::from(hidden) / Landmark::ALL.len() as f64;
    if rng.random_bool(chance(detector.lost * share * share)) {
        it.lost = rng.random_range(0.1..0.6);
    }
    for (which, pairs, left) in [
        (
            &mut it.legs,
            &Landmark::LEGS[..],
            [Landmark::LeftAnkle, Landmark::RightAnkle],
        ),
        (
            &mut it.arms,
            &Landmark::ARMS[..],
            [Landmark::LeftShoulder, Landmark::RightShoulder],
        ),
    ] {
        *which = (*which - step).max(0.0);
        let [a, b] = left.map(|l| camera.project(body.joint(l)));
        let crossed = a
            .zip(b)
            .is_some_and(|(a, b)| (a.x - b.x).abs() < 0.035 * tall);
        if *which == 0.0 && crossed && rng.random_bool(chance(detector.sides)) {
            *which = rng.random_range(0.08..0.4);
        }
        if *which > 0.0 {
            for [l, r] in pairs {
                let (was_l, was_r) = (points.remove(l), points.remove(r));
                points.extend(was_l.map(|p| (*r, p)));
                points.extend(was_r.map(|p| (*l, p)));
            }
        }
    }
    (it.lost == 0.0 && points.len() >= 6).then_some(points)
}

/// How much of the limb at a landmark points along the line of sight, 0..1.
fn foreshortened(camera: &Camera, body: &Body, l: Landmark) -> f64 {
    use Landmark as L;
    let other = match l {
        L::LeftElbow | L::LeftKnuckle => L::LeftWrist,
        L::RightElbow | L::RightKnuckle => L::RightWrist,
        L::LeftWrist => L::LeftElbow,
        L::RightWrist => L::RightElbow,
        L::LeftToe => L::LeftHeel,
        L::RightToe => L::RightHeel,
        L::LeftHeel => L::LeftToe,
        L::RightHeel => L::RightToe,
        L::LeftShoulder => L::RightShoulder,
        L::RightShoulder => L::LeftShoulder,
        L::LeftHip => L::RightHip,
        L::RightHip => L::LeftHip,
        _ => return 0.0,
    };
    let limb: Vector3<f64> = body.joint(other) - body.joint(l);
    let sight = body.joint(l) - camera.position;
    limb.normalize().dot(&sight.normalize()).abs()
}

fn hint(state: &mut [f64; 3], keep: f64, rng: &mut ChaCha8Rng) -> [f64; 3] {
    let renew = (1.0 - keep * keep).sqrt();
    for s in state.iter_mut() {
        *s = keep * *s + renew * normal(rng);
    }
    [HINT[0] * state[0], HINT[0] * state[1], HINT[1] * state[2]]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Phone, Scenario};

    fn dance(chart: &str, bearing: f64) -> Performance {
        Performance::new(&Scenario {
            chart: chart.into(),
            bpm: 110.0,
            repetitions: 6,
            phones: vec![Phone {
                bearing,
                distance: 5.0,
                ..Phone::default()
            }],
            ..Scenario::default()
        })
        .unwrap()
    }

    fn frames(p: &Performance) -> Vec<MediaTime> {
        let at = |i: u32| MediaTime::from_secs(0.08 * f64::from(i));
        (0..(p.length() / 0.08) as u32).map(at).collect()
    }

    const EASY: Detector = Detector {
        noise: 0.01,
        memory: 0.25,
        hidden: 1.0,
        sides: 0.0,
        people: 0.0,
        lost: 0.0,
        wild: 0.0,
        hints: true,
        seed: 4,
    };

    /// Errors of a landmark over a clip, pixels, with their claimed σ.
    fn errors(p: &Performance, all: &[Detected], role: Role, l: Landmark) -> Vec<([f64; 2], f64)> {
        all.iter()
            .filter(|d| d.truly == role)
            .filter_map(|d| {
                let t = p.phone(0).danced(d.at.secs());
                let q = p
                    .phone(0)
                    .camera_at(t)
                    .project(p.bodies(t)[role as usize].joint(l))?;
                let s = d.points.get(&l)?;
                Some(([s.pixel[0] - q.x, s.pixel[1] - q.y], s.sigma))
            })
            .collect()
    }

    #[test]
    fn errors_are_as_large_as_claimed_and_stay_for_a_while() {
        let p = dance("shag-basic", 6.0);
        let all = detect(&p, 0, &frames(&p), &EASY);
        let e = errors(&p, &all, Role::Leader, Landmark::LeftKnee);
        assert!(e.len() > 200);
        let z: Vec<f64> = e.iter().map(|(d, s)| d[0] / s).collect();
        let spread = (z.iter().map(|z| z * z).sum::<f64>() / z.len() as f64).sqrt();
        assert!((0.8..1.25).contains(&spread), "{spread}");
        let together: f64 = z.windows(2).map(|w| w[0] * w[1]).sum::<f64>() / z.len() as f64;
        // 0.72 of the variance is slow and keeps exp(−0.08/0.25) of itself.
        let kept = together / (spread * spread);
        assert!((0.35..0.68).contains(&kept), "{kept}");
    }

    #[test]
    fn the_further_away_the_smaller_in_pixels_and_the_same_in_metres() {
        let near = dance("shag-basic", 6.0);
        let mut far = near.scenario().clone();
        far.phones[0].distance = 10.0;
        let far = Performance::new(&far).unwrap();
        let mean = |p: &Performance| {
            let all = detect(p, 0, &frames(p), &EASY);
            let e = errors(p, &all, Role::Follower, Landmark::RightHip);
            e.iter().map(|(d, _)| d[0].hypot(d[1])).sum::<f64>() / e.len() as f64
        };
        let ratio = mean(&near) / mean(&far);
        assert!((1.6..2.4).contains(&ratio), "{ratio}");
    }

    #[test]
    fn who_is_hidden_is_seen_worse_and_sometimes_not_at_all() {
        let detector = Detector {
            hidden: 4.0,
            lost: 6.0,
            ..EASY
        };
        // Along the couple's line each hides the other as they go round; from the side less.
        let seen = |bearing: f64, detector: &Detector| {
            let p = dance("shag-basic", bearing);
            let times = frames(&p);
            let all = detect(&p, 0, &times, detector);
            let points = || all.iter().filter(|d| d.truly == Role::Leader);
            let (n, sure) = points()
                .flat_map(|d| d.points.values())
                .fold((0.0, 0.0), |(n, s), p| (n + 1.0, s + p.visibility));
            (2 * times.len() - all.len(), sure / n)
        };
        let (lost, sure) = seen(86.0, &detector);
        let (_, beside) = seen(6.0, &detector);
        assert!(lost > 3, "{lost}");
        assert!(sure < beside - 0.03, "{sure} {beside}");
        assert_eq!(seen(86.0, &EASY).0, 0);
    }

    #[test]
    fn names_change_when_legs_and_people_cross() {
        let p = dance("shag-pass", 4.0);
        let detector = Detector {
            sides: 5.0,
            people: 1.0,
            ..EASY
        };
        let all = detect(&p, 0, &frames(&p), &detector);
        let exchanged = all.iter().filter(|d| d.role != d.truly).count();
        assert!(exchanged > 0 && exchanged < all.len());
        // Left and right ankles far from where they are, near to where the other one is.
        let swapped = all
            .iter()
            .filter(|d| {
                let t = p.phone(0).danced(d.at.secs());
                let camera = p.phone(0).camera_at(t);
                let body = &p.bodies(t)[d.truly as usize];
                let gap = |seen: Landmark, is: Landmark| {
                    let q = camera.project(body.joint(is)).unwrap();
                    let s = d.points[&seen].pixel;
                    (s[0] - q.x).hypot(s[1] - q.y)
                };
                d.points.contains_key(&Landmark::LeftKnee)
                    && gap(Landmark::LeftKnee, Landmark::RightKnee)
                        < 0.3 * gap(Landmark::LeftKnee, Landmark::LeftKnee)
            })
            .count();
        assert!(swapped > 3, "{swapped}");
        let clean = detect(&p, 0, &frames(&p), &EASY);
        assert!(clean.iter().all(|d| d.role == d.truly));
    }

    #[test]
    fn hints_are_about_the_hips_and_the_same_seed_gives_the_same() {
        let p = dance("shag-basic", 20.0);
        let times = frames(&p);
        let all = detect(&p, 0, &times, &EASY);
        assert_eq!(all, detect(&p, 0, &times, &EASY));
        let mut off = [0.0; 3];
        for d in &all {
            let t = p.phone(0).danced(d.at.secs());
            let camera = p.phone(0).camera_at(t);
            let body = &p.bodies(t)[d.truly as usize];
            let Some(s) = d.points.get(&Landmark::LeftShoulder) else {
                continue;
            };
            let to = camera.rotation * (body.joint(Landmark::LeftShoulder) - body.pelvis());
            for k in 0..3 {
                off[k] += (s.hint.unwrap()[k] - to[k]).powi(2) / all.len() as f64;
            }
        }
        let [x, _, z] = off.map(f64::sqrt);
        assert!(
            (0.03..0.05).contains(&x) && (0.055..0.095).contains(&z),
            "{off:?}"
        );
    }
}
