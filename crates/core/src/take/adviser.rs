//! Where to put the phone: how well each number could be told from a place, before anything is filmed.
//!
//! A couple of these heights is stood on the reference as the figure begins; every place is given the
//! floor's and the bodies' marks as a hand would set them, without their noise; the solution's own covariance
//! then says what noise would do.

use nalgebra::{Point3, Vector3};
use serde::{Deserialize, Serialize};

use crate::body::Landmark;
use crate::body::solve::{Bodies, Instant, Seen, Source, solve, standing};
use crate::camera::{Calibration, Camera, FloorMark, PIXEL_SIGMA, calibrate};
use crate::marks::FloorReference;
use crate::measure::CoupleBody;
use crate::space::{SpaceNumber, numbers, read_both};
use crate::units::Role;

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

/// Tries places around the reference for a couple; `now` are the calibrated phones, `size` the reference's
/// length and width.
pub fn views(couple: CoupleBody, gap: f64, size: [f64; 2], now: &[Calibration]) -> Views {
    let stands = [[-0.5 * gap, 0.0], [0.5 * gap, 0.0]];
    let bodies = Role::BOTH.map(|r| {
        let yaw = if r == Role::Leader { 0.0 } else { 180.0 };
        standing(couple.height(r), stands[r as usize], yaw)
    });
    let promise = |cameras: &[Calibration]| promised(couple, &bodies, cameras);
    let spots = (0..AROUND)
        .filter_map(|k| {
            let bearing = 360.0 * k as f64 / AROUND as f64;
            let (sin, cos) = bearing.to_radians().sin_cos();
            let place = [FAR * sin, -FAR * cos];
            let here = phone(place, size)?;
            let beside = if now.is_empty() {
                Vec::new()
            } else {
                let mut all = now[..1].to_vec();
                all.push(here.clone());
                promise(&all)
            };
            Some(Spot {
                place,
                alone: promise(&[here]),
                beside,
            })
        })
        .collect();
    Views {
        numbers: numbers(),
        phones: now
            .iter()
            .map(|c| [c.camera.position.x, c.camera.position.y])
            .collect(),
        now: if now.is_empty() {
            Vec::new()
        } else {
            promise(now)
        },
        spots,
    }
}

/// A phone at a place that looks at the couple, calibrated on the reference's eight points.
fn phone(place: [f64; 2], size: [f64; 2]) -> Option<Calibration> {
    let camera = Camera::looking_at(
        Point3::new(place[0], place[1], HIGH),
        Point3::new(0.0, 0.0, 0.85),
        0.0,
        VIEW,
        PICTURE,
    );
    let reference = FloorReference {
        length: size[0],
        width: size[1],
        tiles: None,
        view: None,
        points: [None; 8],
    };
    let marks: Option<Vec<FloorMark>> = reference
        .places()
        .iter()
        .map(|floor| {
            let q = camera.project(Point3::new(floor[0], floor[1], 0.0))?;
            Some(FloorMark {
                floor: *floor,
                pixel: [q.x, q.y],
            })
        })
        .collect();
    calibrate(&marks?, PICTURE, None).ok()
}

fn promised(
    couple: CoupleBody,
    bodies: &[[Vector3<f64>; 19]; 2],
    cameras: &[Calibration],
) -> Vec<Option<f64>> {
    let solved = Role::BOTH.map(|role| {
        let mut now = Instant::new(0.0);
        now.planted = [[true; 2]; 2];
        for (camera, c) in cameras.iter().enumerate() {
            for landmark in Landmark::ALL {
                let place = bodies[role as usize][landmark as usize];
                if let Some(q) = c.camera.project(Point3::from(place)) {
                    now.seen.push(Seen {
                        camera,
                        landmark,
                        pixel: [q.x, q.y],
                        sigma: PIXEL_SIGMA,
                        source: Source::Hand,
                    });
                }
            }
        }
        solve(couple.height(role), cameras, &[now])
    });
    let none = || vec![None; numbers().len()];
    let [Ok(leader), Ok(follower)] = solved else {
        return none();
    };
    let of = |own: &Bodies, partner: &Bodies| read_both(&own.instant(0), &partner.instant(0));
    let (l, f) = (of(&leader, &follower), of(&follower, &leader));
    // What only one of the two shows is not told of the couple.
    l.iter()
        .zip(&f)
        .map(|(a, b)| Some(a.estimate()?.sigma.max(b.estimate()?.sigma)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const COUPLE: CoupleBody = CoupleBody {
        heights: [1.8, 1.66],
        frame_limit: None,
    };

    fn index(v: &Views, id: &str) -> usize {
        v.numbers.iter().position(|n| n.id == id).unwrap()
    }

    #[test]
    fn the_side_view_carries_what_the_end_view_cannot() {
        let v = views(COUPLE, 0.95, [2.0, 1.0], &[]);
        assert!(v.spots.len() >= 10);
        let lean = index(&v, "lean_back");
        let at = |x: f64, y: f64| {
            let off = |s: &&Spot| (s.place[0] - x).hypot(s.place[1] - y);
            v.spots
                .iter()
                .min_by(|a, b| off(a).total_cmp(&off(b)))
                .unwrap()
        };
        let side = at(0.0, -4.6).alone[lean].unwrap();
        let end = at(4.6, 0.0).alone[lean];
        assert!(side < 2.0, "{side}");
        assert!(end.is_none_or(|e| e > 1.5 * side), "{end:?} against {side}");
    }

    #[test]
    fn a_second_phone_a_quarter_round_tells_more_than_one_beside_the_first() {
        let first = phone([0.0, -4.6], [2.0, 1.0]).unwrap();
        let v = views(COUPLE, 0.95, [2.0, 1.0], &[first]);
        let told = |s: &Vec<Option<f64>>| s.iter().flatten().count();
        let near = |x: f64, y: f64| {
            let off = |s: &&Spot| (s.place[0] - x).hypot(s.place[1] - y);
            v.spots
                .iter()
                .min_by(|a, b| off(a).total_cmp(&off(b)))
                .unwrap()
        };
        let (quarter, same) = (near(4.6, 0.0), near(0.0, -4.6));
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
}
