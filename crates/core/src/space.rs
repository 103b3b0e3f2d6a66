//! Bodies in space from a take's marks, and what is read from them: angles that no plane can tell.

use serde::{Deserialize, Serialize};

use nalgebra::Vector3;

use crate::body::Landmark as L;
use crate::body::Pose;
use crate::body::solve::{Bodies, Instant, Posture, Seen, Source, solve, value};
use crate::camera::PIXEL_SIGMA;
use crate::chart::Shelf;
use crate::marks::Marks;
use crate::measure::{CoupleBody, Reading, Scene};
use crate::units::{Estimate, Foot, MediaTime, Role, Unit, wrap_degrees};

/// What must be marked of a body before it is looked for.
const NEEDED: [L; 4] = [L::LeftHip, L::RightHip, L::LeftShoulder, L::RightShoulder];

/// Said where the solved body does not tell a number well enough.
const UNSEEN: &str = "This angle cannot tell. A second phone, a quarter of the way round, can.";

/// One dancer at one marked moment.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SpaceBody {
    /// Who.
    pub role: Role,
    /// The frame.
    pub at: MediaTime,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Places of the nineteen landmarks in metres, in the order of [`Landmark`](L).
    pub joints: Vec<[f64; 3]>,
    /// Greatest standard error of a hip's or a shoulder's place, metres.
    pub sigma: f64,
    /// The numbers, in the order of [`Space::numbers`].
    pub readings: Vec<Reading>,
}

/// A number that is read.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SpaceNumber {
    /// Stable id.
    pub id: &'static str,
    /// As a coach says it.
    pub name: &'static str,
    /// Unit of the value.
    pub unit: Unit,
    /// What a positive value means.
    pub sign: &'static str,
}

/// A take in space.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Space {
    /// What each reading is.
    pub numbers: Vec<SpaceNumber>,
    /// Bodies in order of time, the leader's first.
    pub bodies: Vec<SpaceBody>,
    /// What is missing, or does not fit; for each role.
    pub missing: [Option<String>; 2],
}

/// How a number is computed.
enum How {
    /// From the dancer's own posture; not visible beyond this standard error.
    Own(fn(Posture) -> Option<f64>, f64),
    /// From the own and the partner's.
    Both(fn(Posture, Posture) -> Option<f64>, f64),
    /// An elbow, with the shapes that may be true as well.
    Elbow(Foot),
}

/// Every number, with how it is computed.
const NUMBERS: &[(SpaceNumber, How)] = &[
    (
        number("lean_back", "Leans back", Unit::Degrees, "back is positive"),
        How::Own(|b| Some(-lean(b, ahead(b)?)), 3.0),
    ),
    (
        number(
            "lean_side",
            "Leans to the side",
            Unit::Degrees,
            "left is positive",
        ),
        How::Own(|b| Some(lean(b, Vector3::z().cross(&ahead(b)?))), 3.0),
    ),
    (
        number(
            "shoulder_tilt",
            "Shoulder line",
            Unit::Degrees,
            "left shoulder up is positive",
        ),
        How::Own(
            |b| {
                let line = b.joint(L::LeftShoulder) - b.joint(L::RightShoulder);
                Some(line.z.atan2(line.xy().norm()).to_degrees())
            },
            4.0,
        ),
    ),
    (
        number(
            "hips_behind",
            "Hips behind the ankles–shoulders line",
            Unit::Metres,
            "behind is positive",
        ),
        How::Own(
            |b| {
                let low = b.middle(L::LeftAnkle, L::RightAnkle);
                let high = b.middle(L::LeftShoulder, L::RightShoulder);
                let hips = b.middle(L::LeftHip, L::RightHip);
                let s = (hips.z - low.z) / (high.z - low.z).max(0.2);
                Some((low + (high - low) * s - hips).dot(&ahead(b)?))
            },
            0.04,
        ),
    ),
    (
        number(
            "head_ahead",
            "Nose ahead of the shoulders",
            Unit::Metres,
            "ahead is positive",
        ),
        How::Own(
            |b| {
                let to = b.joint(L::Nose) - b.middle(L::LeftShoulder, L::RightShoulder);
                Some(to.dot(&ahead(b)?))
            },
            0.04,
        ),
    ),
    (
        number(
            "twist",
            "Shoulders turned against the hips",
            Unit::Degrees,
            "left is positive",
        ),
        How::Own(
            |b| {
                let hips = b.joint(L::LeftHip) - b.joint(L::RightHip);
                let shoulders = b.joint(L::LeftShoulder) - b.joint(L::RightShoulder);
                let of = |v: Vector3<f64>| v.y.atan2(v.x).to_degrees();
                Some(wrap_degrees(of(shoulders) - of(hips)))
            },
            8.0,
        ),
    ),
    (
        number(
            "facing_error",
            "Turned away from the partner",
            Unit::Degrees,
            "left is positive",
        ),
        How::Both(
            |own, partner| {
                let a = ahead(own)?;
                let to =
                    partner.middle(L::LeftHip, L::RightHip) - own.middle(L::LeftHip, L::RightHip);
                let of = |v: Vector3<f64>| v.y.atan2(v.x).to_degrees();
                (to.xy().norm() > 0.1).then(|| wrap_degrees(of(a) - of(to)))
            },
            6.0,
        ),
    ),
    (
        number(
            "hips_apart",
            "Hips to the partner’s hips",
            Unit::Metres,
            "the distance on the floor",
        ),
        How::Both(
            |own, partner| {
                let to =
                    partner.middle(L::LeftHip, L::RightHip) - own.middle(L::LeftHip, L::RightHip);
                Some(to.xy().norm())
            },
            0.06,
        ),
    ),
    (
        number(
            "elbow_left",
            "Left elbow",
            Unit::Degrees,
            "180° is straight",
        ),
        How::Elbow(Foot::Left),
    ),
    (
        number(
            "elbow_right",
            "Right elbow",
            Unit::Degrees,
            "180° is straight",
        ),
        How::Elbow(Foot::Right),
    ),
    (
        number(
            "elbow_drop_left",
            "Left elbow below the shoulder",
            Unit::Metres,
            "below is positive",
        ),
        How::Own(
            |b| Some(b.joint(L::LeftShoulder).z - b.joint(L::LeftElbow).z),
            0.05,
        ),
    ),
    (
        number(
            "elbow_drop_right",
            "Right elbow below the shoulder",
            Unit::Metres,
            "below is positive",
        ),
        How::Own(
            |b| Some(b.joint(L::RightShoulder).z - b.joint(L::RightElbow).z),
            0.05,
        ),
    ),
];

/// Greatest standard error of an elbow that is shown, degrees.
const ELBOW_SIGMA: f64 = 9.0;

const fn number(
    id: &'static str,
    name: &'static str,
    unit: Unit,
    sign: &'static str,
) -> SpaceNumber {
    SpaceNumber {
        id,
        name,
        unit,
        sign,
    }
}

/// To the front of the shoulders, on the floor.
fn ahead(b: Posture) -> Option<Vector3<f64>> {
    let line = b.joint(L::LeftShoulder) - b.joint(L::RightShoulder);
    let front = Vector3::new(line.y, -line.x, 0.0);
    (front.norm() > 0.02).then(|| front.normalize())
}

/// Angle of the trunk from the vertical in a direction, degrees.
fn lean(b: Posture, way: Vector3<f64>) -> f64 {
    let trunk = b.middle(L::LeftShoulder, L::RightShoulder) - b.middle(L::LeftHip, L::RightHip);
    trunk.dot(&way).atan2(trunk.z).to_degrees()
}

/// Solves both dancers of a take. Never fails: what cannot be solved says what to do.
pub fn space(marks: &Marks, couple: CoupleBody, picture: [f64; 2], shelf: &Shelf) -> Space {
    let scene = Scene::new(marks, couple, picture, shelf);
    let mut missing = [None, None];
    let mut solved: [Option<(Bodies, Vec<usize>)>; 2] = [None, None];
    for role in Role::BOTH {
        match dancer(&scene, role) {
            Ok(found) => solved[role as usize] = Some(found),
            Err(why) => missing[role as usize] = Some(why),
        }
    }
    let mut bodies = Vec::new();
    for role in Role::BOTH {
        let Some((own, slots)) = &solved[role as usize] else {
            continue;
        };
        let partner = solved[role.partner() as usize].as_ref();
        for (t, slot) in slots.iter().enumerate() {
            let of_slot = &scene.slots[*slot];
            // The partner at the same count.
            let beside =
                partner.and_then(|(b, s)| s.iter().position(|k| k == slot).map(|k| (b, k)));
            let places = [L::LeftHip, L::RightHip, L::LeftShoulder, L::RightShoulder];
            let sigma = places
                .iter()
                .flat_map(|l| (0..3).map(move |k| (*l, k)))
                .filter_map(|(l, k)| own.value(t, |b| Some(b.joint(l)[k])))
                .map(|e| e.sigma)
                .fold(0.0, f64::max);
            bodies.push(SpaceBody {
                role,
                at: MediaTime::from_secs(own.at[t]),
                repetition: of_slot.repetition,
                count: of_slot.count,
                joints: (0..19).map(|l| own.place(t, l).into()).collect(),
                sigma,
                readings: NUMBERS
                    .iter()
                    .map(|(_, how)| read(how, (own, t), beside))
                    .collect(),
            });
        }
    }
    Space {
        numbers: NUMBERS.iter().map(|n| n.0).collect(),
        bodies,
        missing,
    }
}

fn read(how: &How, (own, t): (&Bodies, usize), partner: Option<(&Bodies, usize)>) -> Reading {
    let (estimate, most): (Option<Estimate>, f64) = match how {
        How::Own(f, most) => (own.value(t, f), *most),
        How::Both(f, most) => {
            let both = partner
                .and_then(|(p, k)| value(&[&own.instant(t), &p.instant(k)], |b| f(b[0], b[1])));
            (both, *most)
        }
        How::Elbow(side) => (own.elbow(t, *side), ELBOW_SIGMA),
    };
    match estimate {
        Some(e) if e.sigma <= most => Reading::Value(e),
        Some(_) => Reading::NotVisible { why: UNSEEN.into() },
        None => Reading::NotVisible {
            why: "Mark hips, shoulders and feet of both dancers at this count.".into(),
        },
    }
}

/// Solves one dancer at the counts at which the body is marked; gives the counts' slots as well.
fn dancer(scene: &Scene, role: Role) -> Result<(Bodies, Vec<usize>), String> {
    let calibration = scene.floor.as_ref().map_err(ToString::to_string)?;
    let mut slots = Vec::new();
    let mut instants: Vec<Instant> = Vec::new();
    for slot in 0..scene.slots.len() {
        let Some(pose) = scene.pose(role, slot) else {
            continue;
        };
        let later = instants.last().is_none_or(|l| pose.at.secs() > l.at + 1e-4);
        if later && NEEDED.iter().all(|l| pose.points.contains_key(l)) {
            slots.push(slot);
            instants.push(instant(scene, role, pose));
        }
    }
    if instants.is_empty() {
        return Err("Mark hips, shoulders and feet at a count.".into());
    }
    let height = scene.couple.height(role);
    solve(height, std::slice::from_ref(calibration), &instants)
        .map(|b| (b, slots))
        .map_err(|e| e.to_string())
}

fn instant(scene: &Scene, role: Role, pose: &Pose) -> Instant {
    let mut now = Instant::new(pose.at.secs());
    now.seen = pose
        .points
        .iter()
        .map(|(landmark, pixel)| Seen {
            camera: 0,
            landmark: *landmark,
            pixel: *pixel,
            sigma: PIXEL_SIGMA,
            source: Source::Hand,
        })
        .collect();
    // The foot that arrives stands on the floor.
    for s in scene
        .marks
        .steps
        .iter()
        .filter(|s| s.role == role && s.at == pose.at)
    {
        now.planted[s.foot as usize] = [true, true];
    }
    now
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::CoupleBody;

    #[test]
    fn without_marks_it_says_what_to_do() {
        let couple = CoupleBody {
            heights: [1.8, 1.66],
            frame_limit: None,
        };
        let s = space(
            &Marks::default(),
            couple,
            [1280.0, 720.0],
            &Shelf::default(),
        );
        assert!(s.bodies.is_empty());
        for m in s.missing {
            assert!(m.unwrap().contains("floor reference"));
        }
        let mut ids: Vec<_> = s.numbers.iter().map(|n| n.id).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), NUMBERS.len());
    }
}
