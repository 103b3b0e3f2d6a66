//! Where to put the phone: how well each number could be told from a place, before anything is filmed.
//!
//! A couple of these heights is stood on the reference, at each count where the named figure has them or else as
//! a figure begins; every place is given the floor's and the bodies' marks as a hand would set them, without
//! their noise; the solution's own covariance then says what noise would do, to each measure of the figure.

use nalgebra::{Point3, Vector3};
use serde::{Deserialize, Serialize};

use crate::body::solve::{Bodies, Instant, Seen, Source, solve, standing};
use crate::body::{Landmark, Pose};
use crate::camera::{Calibration, Camera, PIXEL_SIGMA, View, calibrate};
use crate::chart::{Chart, Shelf};
use crate::fault::Rules;
use crate::marks::{AngleMarks, CountSource, FloorReference, Marks, StepMark};
use crate::measure::{CoupleBody, REGISTRY, Reading, Scene, measure};
use crate::space::{SpaceNumber, numbers, read_both};
use crate::take::{Film, Solved, Take, angle};
use crate::units::{MediaTime, Role};

/// Places that are tried: so many around the couple, this far away and this high, metres; a usual phone's view,
/// degrees.
const AROUND: usize = 12;
const FAR: f64 = 4.6;
const HIGH: f64 = 1.5;
const VIEW: f64 = 65.0;
const PICTURE: [f64; 2] = [1280.0, 720.0];

/// A place for a phone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spot {
    /// Where, metres on the floor from the middle of the reference.
    pub place: [f64; 2],
    /// Expected standard error of each number of [`Views::numbers`], the worse of both dancers; absent where
    /// the number could not be told.
    pub alone: Vec<Option<f64>>,
    /// The same with the phone that films now besides.
    pub beside: Vec<Option<f64>>,
}

/// What places promise.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Views {
    /// What each standard error is of.
    pub numbers: Vec<SpaceNumber>,
    /// Where the phones stand that film now, metres on the floor.
    pub phones: Vec<[f64; 2]>,
    /// Expected standard errors with the phones that film now; absent where a number cannot be told.
    pub now: Vec<Option<f64>>,
    /// Places that were tried.
    pub spots: Vec<Spot>,
}

/// Leader and follower apart where no figure says it, metres.
const USUAL_GAP: f64 = 0.95;

/// Reference that is laid out where none is yet, metres.
const USUAL_SIZE: [f64; 2] = [2.0, 1.0];

/// A measure can be told from a place when at least this share of its readings can.
const TOLD: f64 = 0.5;

/// A phone with the marks of the reference in its picture.
#[derive(Clone)]
struct Eye {
    calibration: Calibration,
    reference: FloorReference,
    picture: [f64; 2],
}

/// Both dancers at a moment, seconds.
struct Stand {
    at: f64,
    bodies: [[Vector3<f64>; 19]; 2],
}

/// Tries places around the reference for a take's couple and figure; nothing need be marked yet.
pub fn views(take: &Take) -> Views {
    let now: Vec<Eye> = (0..take.films.len())
        .filter_map(|film| {
            Some(Eye {
                calibration: take.floor(film).ok()?,
                reference: take.marks.floor_on(angle(film))?,
                picture: take.films[film].picture,
            })
        })
        .collect();
    let floor = take.marks.floor.as_ref();
    let size = floor.map_or(USUAL_SIZE, |f| [f.length, f.width]);
    let chart = take
        .marks
        .chart
        .as_deref()
        .and_then(|id| take.shelf.get(id));
    let figure = chart.map(|c| Figure::of(c, take.couple));
    let gap = chart.map_or(USUAL_GAP, |c| c.start.gap);
    let what: Vec<SpaceNumber> = match &figure {
        Some(_) => REGISTRY
            .iter()
            .map(|s| SpaceNumber {
                id: s.id,
                name: s.name,
                unit: s.unit,
                sign: s.sign,
            })
            .collect(),
        None => numbers(),
    };
    let promise = |eyes: &[Eye]| match &figure {
        Some(f) => f.promised(eyes),
        None => promised(take.couple, gap, eyes),
    };
    let mut spots: Vec<Spot> = (0..AROUND)
        .filter_map(|k| {
            let bearing = 360.0 * k as f64 / AROUND as f64;
            let (sin, cos) = bearing.to_radians().sin_cos();
            let place = [FAR * sin, -FAR * cos];
            let here = phone(place, size)?;
            let beside = now
                .first()
                .map_or(Vec::new(), |first| promise(&[first.clone(), here.clone()]));
            Some(Spot {
                place,
                alone: promise(&[here]),
                beside,
            })
        })
        .collect();
    let mut present = if now.is_empty() {
        Vec::new()
    } else {
        promise(&now)
    };
    // What this figure never asks, and what only a film with every moment marked tells, is left out.
    let told: Vec<bool> = (0..what.len())
        .map(|i| {
            let here = |of: &[Option<f64>]| of.get(i).is_some_and(Option::is_some);
            here(&present) || spots.iter().any(|s| here(&s.alone) || here(&s.beside))
        })
        .collect();
    let keep = |of: &mut Vec<Option<f64>>| {
        let mut told = told.iter();
        of.retain(|_| told.next().is_none_or(|t| *t));
    };
    keep(&mut present);
    for s in &mut spots {
        keep(&mut s.alone);
        keep(&mut s.beside);
    }
    Views {
        numbers: what
            .iter()
            .zip(&told)
            .filter(|w| *w.1)
            .map(|w| *w.0)
            .collect(),
        phones: now
            .iter()
            .map(|e| {
                let p = e.calibration.camera.position;
                [p.x, p.y]
            })
            .collect(),
        now: present,
        spots,
    }
}

/// A phone at a place that looks at the couple, calibrated on the reference's eight points.
fn phone(place: [f64; 2], size: [f64; 2]) -> Option<Eye> {
    let camera = Camera::looking_at(
        Point3::new(place[0], place[1], HIGH),
        Point3::new(0.0, 0.0, 0.85),
        0.0,
        VIEW,
        PICTURE,
    );
    let mut reference = FloorReference::rectangle(size[0], size[1]);
    for (point, place) in reference.places().iter().enumerate() {
        let q = camera.project(Point3::new(place[0], place[1], 0.0))?;
        reference.points[point] = Some([q.x, q.y]);
    }
    Some(Eye {
        calibration: calibrate(&reference.marked(), PICTURE, View::Unknown).ok()?,
        reference,
        picture: PICTURE,
    })
}

/// What a phone sees of a body, where it is in the picture.
fn seen(eye: &Eye, body: &[Vector3<f64>; 19]) -> Vec<(Landmark, [f64; 2])> {
    Landmark::ALL
        .into_iter()
        .filter_map(|l| {
            let q = eye
                .calibration
                .camera
                .project(Point3::from(body[l as usize]))?;
            let inside =
                (0.0..eye.picture[0]).contains(&q.x) && (0.0..eye.picture[1]).contains(&q.y);
            inside.then_some((l, [q.x, q.y]))
        })
        .collect()
}

/// Both dancers as they are solved from what these phones see.
fn solved(couple: CoupleBody, stands: &[Stand], eyes: &[Eye]) -> Option<[Bodies; 2]> {
    let cameras: Vec<Calibration> = eyes.iter().map(|e| e.calibration.clone()).collect();
    let of = |role: Role| {
        let instants: Vec<Instant> = stands
            .iter()
            .map(|s| {
                let mut now = Instant::new(s.at);
                now.planted = [[true; 2]; 2];
                for (camera, eye) in eyes.iter().enumerate() {
                    let points = seen(eye, &s.bodies[role as usize]).into_iter();
                    now.seen.extend(points.map(|(landmark, pixel)| Seen {
                        camera,
                        landmark,
                        pixel,
                        sigma: PIXEL_SIGMA,
                        source: Source::Hand,
                        carried: 0.0,
                    }));
                }
                now
            })
            .collect();
        solve(couple.height(role), &cameras, &instants).ok()
    };
    Some([of(Role::Leader)?, of(Role::Follower)?])
}

/// Expected standard errors of the plain numbers of a couple that stands as far apart, the worse of both dancers.
fn promised(couple: CoupleBody, gap: f64, eyes: &[Eye]) -> Vec<Option<f64>> {
    let bodies = Role::BOTH.map(|r| {
        let (x, yaw) = if r == Role::Leader {
            (-0.5 * gap, 0.0)
        } else {
            (0.5 * gap, 180.0)
        };
        standing(couple.height(r), [x, 0.0], yaw)
    });
    let stand = Stand { at: 0.0, bodies };
    let Some([leader, follower]) = solved(couple, &[stand], eyes) else {
        return vec![None; numbers().len()];
    };
    let of = |own: &Bodies, partner: &Bodies| read_both(&own.instant(0), &partner.instant(0));
    let (l, f) = (of(&leader, &follower), of(&follower, &leader));
    // What only one of the two shows is not told of the couple.
    l.iter()
        .zip(&f)
        .map(|(a, b)| Some(a.estimate()?.sigma.max(b.estimate()?.sigma)))
        .collect()
}

/// A figure danced once as it is drawn.
struct Figure {
    couple: CoupleBody,
    shelf: Shelf,
    /// Figure, count and arrivals; no floor and no bodies.
    marks: Marks,
    stands: Vec<Stand>,
}

impl Figure {
    fn of(chart: &Chart, couple: CoupleBody) -> Self {
        let shelf = Shelf::new(vec![chart.clone()]);
        let mut marks = Marks {
            chart: Some(chart.id.clone()),
            repetitions: 1,
            count: Some(CountSource::Tempo {
                bpm: 0.5 * (chart.tempo[0] + chart.tempo[1]),
                one: MediaTime::from_secs(1.0),
            }),
            ..Marks::default()
        };
        let take = Take {
            marks: &marks,
            couple,
            films: &[],
            shelf: &shelf,
            rules: Rules::usual(),
        };
        let scene = Scene::new(&take, None);
        let stands = scene.slots.iter().enumerate().filter_map(|(i, slot)| {
            let body = |role: Role| {
                let s = scene.charted_stance(role, i)?;
                let place = [0, 1].map(|k| 0.5 * (s.left[k] + s.right[k]));
                Some(standing(couple.height(role), place, s.facing))
            };
            Some(Stand {
                at: slot.at.secs(),
                bodies: [body(Role::Leader)?, body(Role::Follower)?],
            })
        });
        let stands = stands.collect();
        let steps = Role::BOTH
            .into_iter()
            .flat_map(|role| {
                scene.aligned[role as usize].iter().map(move |a| StepMark {
                    role,
                    foot: a.charted.foot,
                    at: a.charted.at,
                    weight: a.charted.weight,
                })
            })
            .collect();
        marks.steps = steps;
        Self {
            couple,
            shelf,
            marks,
            stands,
        }
    }

    /// Expected standard error of each measure of the registry, the median over counts and dancers.
    fn promised(&self, eyes: &[Eye]) -> Vec<Option<f64>> {
        let none = || vec![None; REGISTRY.len()];
        let Some(bodies) = solved(self.couple, &self.stands, eyes) else {
            return none();
        };
        let mut marks = self.marks.clone();
        for (film, eye) in eyes.iter().enumerate() {
            let poses: Vec<Pose> = self
                .stands
                .iter()
                .flat_map(|s| {
                    Role::BOTH.map(|role| Pose {
                        role,
                        at: MediaTime::from_secs(s.at),
                        points: seen(eye, &s.bodies[role as usize]).into_iter().collect(),
                    })
                })
                .collect();
            let floor = Some(eye.reference.clone());
            if film == 0 {
                (marks.floor, marks.poses) = (floor, poses);
            } else {
                marks
                    .angles
                    .insert(angle(film), AngleMarks { floor, poses });
            }
        }
        let films: Vec<Film> = eyes.iter().map(|e| Film::new(e.picture)).collect();
        let take = Take {
            marks: &marks,
            couple: self.couple,
            films: &films,
            shelf: &self.shelf,
            rules: Rules::usual(),
        };
        let solved = Solved::known(bodies);
        let all = measure(&Scene::new(&take, Some(&solved)));
        let of = |id: &str| {
            let readings: Vec<&Reading> = all
                .iter()
                .filter(|m| m.id == id)
                .map(|m| &m.reading)
                .collect();
            let told: Vec<f64> = readings
                .iter()
                .filter_map(|r| Some(r.estimate()?.sigma))
                .collect();
            let enough = told.len() as f64 >= TOLD * readings.len() as f64;
            (enough && !told.is_empty()).then(|| crate::count::median(told))
        };
        REGISTRY.iter().map(|s| of(s.id)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const COUPLE: CoupleBody = CoupleBody {
        heights: [1.8, 1.66],
        frame_limit: None,
    };

    /// A take with nothing but its figure and the phones that film.
    fn looked_at(chart: Option<&str>, phones: &[[f64; 2]]) -> Views {
        let eyes: Vec<Eye> = phones
            .iter()
            .map(|p| phone(*p, USUAL_SIZE).unwrap())
            .collect();
        let mut marks = Marks {
            chart: chart.map(str::to_owned),
            ..Marks::default()
        };
        marks.floor = eyes.first().map(|e| e.reference.clone());
        let films: Vec<Film> = eyes.iter().map(|e| Film::new(e.picture)).collect();
        views(&Take {
            marks: &marks,
            couple: COUPLE,
            films: &films,
            shelf: &Shelf::default(),
            rules: Rules::usual(),
        })
    }

    fn nearest(v: &Views, x: f64, y: f64) -> &Spot {
        let off = |s: &&Spot| (s.place[0] - x).hypot(s.place[1] - y);
        v.spots
            .iter()
            .min_by(|a, b| off(a).total_cmp(&off(b)))
            .unwrap()
    }

    fn index(v: &Views, id: &str) -> usize {
        v.numbers.iter().position(|n| n.id == id).unwrap()
    }

    #[test]
    fn the_side_view_carries_what_the_end_view_cannot() {
        let v = looked_at(None, &[]);
        assert!(v.spots.len() >= 10);
        let lean = index(&v, "lean_back");
        let side = nearest(&v, 0.0, -4.6).alone[lean].unwrap();
        let end = nearest(&v, 4.6, 0.0).alone[lean];
        assert!(side < 2.0, "{side}");
        assert!(end.is_none_or(|e| e > 1.5 * side), "{end:?} against {side}");
    }

    #[test]
    fn a_second_phone_a_quarter_round_tells_more_than_one_beside_the_first() {
        let v = looked_at(None, &[[0.0, -4.6]]);
        let told = |s: &Vec<Option<f64>>| s.iter().flatten().count();
        let (quarter, same) = (nearest(&v, 4.6, 0.0), nearest(&v, 0.0, -4.6));
        assert!(
            told(&quarter.beside) > told(&v.now),
            "{:?} {:?}",
            quarter.beside,
            v.now
        );
        assert!(told(&quarter.beside) >= told(&same.beside));
        let elbow = index(&v, "elbow_left");
        assert!(quarter.beside[elbow].is_some_and(|s| s < 5.0));
        assert!((v.phones[0][1] + 4.6).abs() < 0.1);
    }

    #[test]
    fn a_named_figure_has_all_of_its_measures_told() {
        let v = looked_at(Some("shag-basic"), &[[0.0, -4.6]]);
        assert!(v.numbers.len() >= 30, "{:?}", v.numbers.len());
        for s in &v.spots {
            assert_eq!(s.alone.len(), v.numbers.len());
            assert_eq!(s.beside.len(), v.numbers.len());
        }
        // Timing is the same from everywhere, since the coach calls it.
        let arrival = index(&v, "arrival");
        assert!(v.spots.iter().all(|s| s.alone[arrival] == v.now[arrival]));
        // Distance along the slot is seen best from its side, and a lean along it hardly from its end.
        let side = nearest(&v, 0.0, -4.6);
        let end = nearest(&v, 4.6, 0.0);
        let apart = index(&v, "separation");
        assert!(side.alone[apart].unwrap() < 0.03);
        assert!(end.alone[apart].unwrap() > 1.2 * side.alone[apart].unwrap());
        let elbow = index(&v, "elbow_joined");
        assert_eq!(v.now[elbow], None);
        assert!(
            end.beside[elbow].is_some_and(|s| s < 9.0),
            "{:?}",
            end.beside[elbow]
        );
        // What no place tells of this figure is not offered.
        for (i, n) in v.numbers.iter().enumerate() {
            let told = v
                .spots
                .iter()
                .any(|s| s.alone[i].is_some() || s.beside[i].is_some());
            assert!(told, "{}", n.id);
        }
    }
}
