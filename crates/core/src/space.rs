//! Bodies in space from a take's marks, and what is read from them: angles that no plane can tell.

use serde::{Deserialize, Serialize};

use nalgebra::Vector3;

use crate::body::solve::{Moment, Posture, value};
use crate::body::{Landmark as L, Pose};
use crate::measure::{Reading, Scene, read};
use crate::take::{Solved, Take, angle};
use crate::units::{Estimate, Foot, MediaTime, Role, Unit};

/// Said where the solved body does not tell a number well enough.
const UNSEEN: &str = "This angle cannot tell. A second phone, a quarter of the way round, can.";

/// A solved body as an angle's camera sees it: how far it lies from what is marked or found there is what the solution
/// could not bring together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Pictured {
    /// The angle, from 1.
    pub angle: u8,
    /// The body in its pixels, at the moment in its own film.
    pub pose: Pose,
}

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
    /// The body as each angle with a floor sees it.
    pub pictured: Vec<Pictured>,
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
        How::Own(|b| Some(-read::lean(b, read::ahead(b)?)), 3.0),
    ),
    (
        number(
            "lean_side",
            "Leans to the side",
            Unit::Degrees,
            "left is positive",
        ),
        How::Own(
            |b| Some(read::lean(b, Vector3::z().cross(&read::ahead(b)?))),
            3.0,
        ),
    ),
    (
        number(
            "shoulder_tilt",
            "Shoulder line",
            Unit::Degrees,
            "left shoulder up is positive",
        ),
        How::Own(read::shoulder_tilt, 4.0),
    ),
    (
        number(
            "hips_behind",
            "Hips behind the ankles–shoulders line",
            Unit::Metres,
            "behind is positive",
        ),
        How::Own(read::hips_behind, 0.04),
    ),
    (
        number(
            "nose_ahead",
            "Nose ahead of the shoulders",
            Unit::Metres,
            "ahead is positive",
        ),
        How::Own(read::head_ahead, 0.04),
    ),
    (
        number(
            "twist",
            "Shoulders turned against the hips",
            Unit::Degrees,
            "left is positive",
        ),
        How::Own(read::twist, 8.0),
    ),
    (
        number(
            "facing_error",
            "Turned away from the partner",
            Unit::Degrees,
            "left is positive",
        ),
        How::Both(read::facing_error, 6.0),
    ),
    (
        number(
            "hips_apart",
            "Hips to the partner’s hips",
            Unit::Metres,
            "the distance on the floor",
        ),
        How::Both(|own, partner| Some(read::toward(own, partner)?.1), 0.06),
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
        How::Own(|b| Some(read::elbow_drop(b, Foot::Left)), 0.05),
    ),
    (
        number(
            "elbow_drop_right",
            "Right elbow below the shoulder",
            Unit::Metres,
            "below is positive",
        ),
        How::Own(|b| Some(read::elbow_drop(b, Foot::Right)), 0.05),
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

/// Reads both solved dancers of a take at every count at which the body is known. Never fails: what is not
/// known says what to do.
pub fn space(take: &Take, solved: &Solved) -> Space {
    let scene = Scene::new(take, Some(solved));
    let missing = solved.bodies.each_ref().map(|b| b.as_ref().err().cloned());
    let mut bodies = Vec::new();
    for role in Role::BOTH {
        for (i, slot) in scene.slots.iter().enumerate() {
            let (Some(own), Some(at)) = (scene.body(role, i), scene.when(role, i)) else {
                continue;
            };
            let partner = scene.both(role, i).map(|b| b.1);
            let places = [L::LeftHip, L::RightHip, L::LeftShoulder, L::RightShoulder];
            let sigma = places
                .iter()
                .flat_map(|l| (0..3).map(move |k| (*l, k)))
                .filter_map(|(l, k)| own.value(|b| Some(b.joint(l)[k])))
                .map(|e| e.sigma)
                .fold(0.0, f64::max);
            bodies.push(SpaceBody {
                role,
                at: MediaTime::from_secs(at),
                repetition: slot.repetition,
                count: slot.count,
                joints: own.joints().map(Into::into).to_vec(),
                pictured: pictured(take, solved, &own, role, at),
                sigma,
                readings: NUMBERS
                    .iter()
                    .map(|(_, how)| told(how, &own, partner.as_ref()))
                    .collect(),
            });
        }
    }
    Space {
        numbers: numbers(),
        bodies,
        missing,
    }
}

/// A body in the pictures of a take's cameras, to a tenth of a pixel; what lies behind a lens is left out.
fn pictured(take: &Take, solved: &Solved, own: &Moment, role: Role, at: f64) -> Vec<Pictured> {
    let tenth = |v: f64| (10.0 * v).round() / 10.0;
    solved
        .filmed()
        .filter_map(|(film, c)| {
            let pixel = |l: L| Some((l, c.camera.project(own.joint(l))?));
            let points = L::ALL.into_iter().filter_map(pixel);
            Some(Pictured {
                angle: angle(film),
                pose: Pose {
                    role,
                    at: MediaTime::from_secs(at - take.films.get(film)?.offset),
                    points: points.map(|(l, p)| (l, [tenth(p.x), tenth(p.y)])).collect(),
                },
            })
        })
        .collect()
}

/// What the readings of [`read_both`] are of.
pub(crate) fn numbers() -> Vec<SpaceNumber> {
    NUMBERS.iter().map(|n| n.0).collect()
}

/// Every number of a dancer beside the partner.
pub(crate) fn read_both(own: &Moment, partner: &Moment) -> Vec<Reading> {
    let all = NUMBERS.iter();
    all.map(|(_, how)| told(how, own, Some(partner))).collect()
}

fn told(how: &How, own: &Moment, partner: Option<&Moment>) -> Reading {
    let (estimate, most): (Option<Estimate>, f64) = match how {
        How::Own(f, most) => (own.value(f), *most),
        How::Both(f, most) => {
            let both = partner.and_then(|p| value(&[own, p], |b| f(b[0], b[1])));
            (both, *most)
        }
        How::Elbow(side) => (own.elbow(*side), ELBOW_SIGMA),
    };
    match estimate {
        Some(e) if e.sigma <= most => Reading::Value(e),
        Some(_) => Reading::NotVisible { why: UNSEEN.into() },
        None => Reading::NotVisible {
            why: "Mark hips, shoulders and feet of both dancers at this count.".into(),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::Shelf;
    use crate::marks::Marks;
    use crate::measure::CoupleBody;
    use crate::take::{Film, solve_take};

    #[test]
    fn without_marks_it_says_what_to_do() {
        let couple = CoupleBody {
            heights: [1.8, 1.66],
            frame_limit: None,
        };
        let marks = Marks::default();
        let take = Take {
            marks: &marks,
            couple,
            films: &[Film::new([1280.0, 720.0])],
            shelf: &Shelf::default(),
            rules: crate::fault::Rules::usual(),
        };
        let s = space(&take, &solve_take(&take, None));
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
