//! The camera against an independent implementation, whose numbers `scripts/fixtures/cameras.py` makes.
#![allow(clippy::unwrap_used)]

use nalgebra::{Point2, Point3};
use serde::Deserialize;
use upright_core::camera::{Camera, FloorMark, Homography, calibrate};

#[derive(Deserialize)]
struct File {
    cases: Vec<Case>,
}

#[derive(Deserialize)]
struct Case {
    position: [f64; 3],
    target: [f64; 3],
    view: f64,
    bend: f64,
    marks: Vec<Mark>,
    homography: [[f64; 3]; 3],
    pose_position: [f64; 3],
    body: Vec<[f64; 3]>,
    seen: Vec<[f64; 2]>,
}

#[derive(Deserialize)]
struct Mark {
    floor: [f64; 2],
    pixel: [f64; 2],
}

const SIZE: [f64; 2] = [1280.0, 720.0];

fn cases() -> Vec<Case> {
    let file: File = serde_json::from_str(include_str!("fixtures/cameras.json")).unwrap();
    assert_eq!(file.cases.len(), 4);
    file.cases
}

#[test]
fn points_are_seen_where_the_other_program_sees_them() {
    for c in cases() {
        let mut camera = Camera::looking_at(
            Point3::from(c.position),
            Point3::from(c.target),
            0.0,
            c.view,
            SIZE,
        );
        camera.bend = c.bend;
        for (at, seen) in c.body.iter().zip(&c.seen) {
            let q = camera.project(Point3::from(*at)).unwrap();
            let miss = (q - Point2::from(*seen)).norm();
            assert!(miss < 1e-6, "{miss}");
        }
    }
}

#[test]
fn the_floor_maps_as_the_other_program_maps_it() {
    for c in cases() {
        let pairs: Vec<_> = c
            .marks
            .iter()
            .map(|m| (Point2::from(m.floor), Point2::from(m.pixel)))
            .collect();
        let own = Homography::fit(&pairs).unwrap();
        let [a, b, d] = c.homography;
        for [x, y] in [[0.0, 0.0], [0.7, 0.3], [-1.0, 0.5]] {
            let w = d[0] * x + d[1] * y + d[2];
            let other = [a, b].map(|r| (r[0] * x + r[1] * y + r[2]) / w);
            let q = own.0 * nalgebra::Vector3::new(x, y, 1.0);
            let miss = (q.x / q.z - other[0]).hypot(q.y / q.z - other[1]);
            // Ours minimises the algebraic error, the other one the distance in the picture.
            assert!(miss < 0.4, "{miss}");
        }
    }
}

#[test]
fn the_phone_stands_where_the_other_program_puts_it() {
    for c in cases() {
        let marks: Vec<FloorMark> = c
            .marks
            .iter()
            .map(|m| FloorMark {
                floor: m.floor,
                pixel: m.pixel,
            })
            .collect();
        let own = calibrate(&marks, SIZE, upright_core::camera::View::Said(c.view)).unwrap();
        let apart = (own.camera.position - Point3::from(c.pose_position)).norm();
        let off = (Point3::from(c.position) - Point3::from(c.pose_position)).norm();
        // The two agree far better with each other than either does with the truth, which the marks'
        // errors hide; ours leaves the focal length a little free.
        assert!(apart < 0.06, "{apart} apart, {off} from the truth");
        let sigma = (4..7).map(|k| own.covariance[(k, k)]).sum::<f64>().sqrt();
        let from_truth = (own.camera.position - Point3::from(c.position)).norm();
        assert!(from_truth < 3.5 * sigma, "{from_truth} {sigma}");
    }
}
