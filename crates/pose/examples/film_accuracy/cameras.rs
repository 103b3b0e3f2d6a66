//! The four cameras of the film: read from the calibration that comes with it, and refined on fixed points that can be
//! seen in several of them, because it is 7 to 9 pixels off there.

use nalgebra::{DMatrix, DVector, Matrix3, Point2, Point3, Rotation3, Vector3};
use upright_core::camera::Camera;

/// Pictures are made smaller by this, as the worker does it: the longer side becomes 1280 pixels.
pub const SMALLER: f64 = 1280.0 / 1920.0;

/// What the lens's two radial terms (−0.047 and +0.137) come to within half a focal length of the axis, where the man is.
const BEND: f64 = -0.02;

/// Edges and joints of the platform, by eye in the full pictures, pixels: the same fourteen points in each camera that
/// shows them.
const FIXED: [[Option<[f64; 2]>; 4]; 14] = [
    [
        seen(205, 355, 0),
        seen(205, 250, 1),
        None,
        seen(670, 134, 3),
    ],
    [
        seen(48, 133, 0),
        seen(303, 119, 1),
        seen(655, 261, 2),
        seen(636, 406, 3),
    ],
    [
        seen(571, 295, 0),
        seen(584, 288, 1),
        seen(103, 288, 2),
        None,
    ],
    [
        seen(370, 119, 0),
        seen(599, 140, 1),
        seen(376, 457, 2),
        seen(235, 431, 3),
    ],
    [
        seen(231, 338, 0),
        seen(237, 245, 1),
        None,
        seen(640, 146, 3),
    ],
    [seen(79, 138, 0), None, seen(629, 265, 2), seen(603, 393, 3)],
    [
        seen(556, 306, 0),
        seen(550, 290, 1),
        seen(119, 269, 2),
        None,
    ],
    [
        seen(377, 141, 0),
        seen(572, 155, 1),
        seen(350, 408, 2),
        seen(278, 382, 3),
    ],
    [seen(416, 472, 0), seen(231, 347, 1), None, seen(607, 60, 3)],
    [seen(85, 82, 0), None, seen(714, 334, 2), seen(515, 524, 3)],
    [seen(600, 413, 0), None, seen(97, 198, 2), None],
    [None, seen(519, 95, 1), seen(598, 455, 2), seen(279, 546, 3)],
    [seen(347, 517, 0), None, None, seen(665, 50, 3)],
    [None, seen(550, 382, 1), seen(37, 231, 2), None],
];

/// How surely a fixed point is seen, pixels of the full picture.
const BY_EYE: f64 = 2.0;

/// How far the given calibration may be off: focal length (a share), rotation (radians), place (metres).
const GIVEN: [f64; 7] = [0.004, 0.02, 0.02, 0.02, 0.05, 0.05, 0.05];

/// A point of a camera's enlarged cutting: 784 pixels wide from row 870 on.
const fn seen(x: u32, y: u32, camera: usize) -> Option<[f64; 2]> {
    let (wide, tall) = match camera {
        0 | 1 => (1080.0 / 784.0, 1080.0 / 784.0),
        _ => (1088.0 / 784.0, 1000.0 / 726.0),
    };
    Some([x as f64 * wide, 870.0 + y as f64 * tall])
}

/// A number that an element of the calibration gives as an attribute.
fn number(element: &str, name: &str) -> f64 {
    let from = element
        .find(&format!(" {name}=\""))
        .unwrap_or_else(|| panic!("no {name} in the calibration"));
    let rest = &element[from + name.len() + 3..];
    rest[..rest.find('"').unwrap()].parse().unwrap()
}

/// The cameras as the file tells, for pictures made smaller.
pub fn read(page: &str) -> Vec<Camera> {
    let elements = page.split("<transform").skip(1);
    elements
        .map(|e| {
            let row = |k: usize| {
                let r = [1, 2, 3].map(|c| number(e, &format!("r{k}{c}")));
                // Its second and third axes point up and back.
                let sign = if k == 1 { 1.0 } else { -1.0 };
                sign * Vector3::from(r)
            };
            let rows = [1, 2, 3].map(|k| row(k).transpose());
            Camera {
                focal: SMALLER * number(e, "focalLengthU") / 64.0,
                centre: ["centerPointU", "centerPointV"].map(|n| SMALLER * number(e, n) / 64.0),
                bend: BEND,
                rotation: Rotation3::from_matrix(&Matrix3::from_rows(&rows)),
                position: Point3::from(Vector3::from(["x", "y", "z"].map(|n| number(e, n))) / 1e3),
            }
        })
        .collect()
}

/// Where rays to pixels, each as sure as its σ, come nearest to each other, and how surely that is known.
pub fn triangulated(seen: &[(&Camera, [f64; 2], f64)]) -> Option<(Point3<f64>, Matrix3<f64>)> {
    let (mut a, mut b) = (Matrix3::zeros(), Vector3::zeros());
    for (camera, pixel, _) in seen {
        let ray = camera.ray(Point2::from(*pixel));
        let across = Matrix3::identity() - ray * ray.transpose();
        a += across;
        b += across * camera.position.coords;
    }
    let mut at = Point3::from(a.try_inverse()? * b);
    let mut covariance = Matrix3::zeros();
    for _ in 0..8 {
        let (mut h, mut g) = (Matrix3::zeros(), Vector3::zeros());
        for (camera, pixel, sigma) in seen {
            let here = camera.project(at)?;
            let off = Point2::from(*pixel) - here;
            // A sight that is far off pulls no more than one that is three σ off.
            let weight = (3.0 * sigma / off.norm().max(3.0 * sigma)) / (sigma * sigma);
            for axis in 0..2 {
                let slope = Vector3::from_fn(|k, _| {
                    let mut by = Vector3::zeros();
                    by[k] = 1e-4;
                    (camera.project(at + by).map_or(here[axis], |q| q[axis]) - here[axis]) / 1e-4
                });
                h += weight * slope * slope.transpose();
                g += weight * off[axis] * slope;
            }
        }
        covariance = h.try_inverse()?;
        at += covariance * g;
    }
    Some((at, covariance))
}

/// Misses of the fixed points, pixels of the full picture, each to the right and down.
fn misses(cameras: &[Camera]) -> Vec<f64> {
    let mut out = Vec::new();
    for point in FIXED {
        let sights: Vec<_> = cameras
            .iter()
            .zip(point)
            .filter_map(|(c, p)| Some((c, p?.map(|v| SMALLER * v), SMALLER * BY_EYE)))
            .collect();
        let at = triangulated(&sights).map(|t| t.0);
        for (camera, pixel, _) in sights {
            let q = at.and_then(|at| camera.project(at)).unwrap_or_default();
            out.extend([0, 1].map(|k| (q[k] - pixel[k]) / SMALLER));
        }
    }
    out
}

/// The fixed points' middle: where the man stands.
pub fn platform(cameras: &[Camera]) -> Point3<f64> {
    let places: Vec<Vector3<f64>> = FIXED[..4]
        .iter()
        .filter_map(|point| {
            let sights: Vec<_> = cameras
                .iter()
                .zip(point)
                .filter_map(|(c, p)| Some((c, (*p)?.map(|v| SMALLER * v), BY_EYE)))
                .collect();
            Some(triangulated(&sights)?.0.coords)
        })
        .collect();
    Point3::from(places.iter().sum::<Vector3<f64>>() / places.len() as f64)
}

fn rms(v: &[f64]) -> f64 {
    (v.iter().map(|e| e * e).sum::<f64>() / v.len() as f64).sqrt()
}

/// Moves the cameras so that the fixed points fall together (Gauss and Newton's method with what is known of the given
/// calibration), and says how far they were off before and after, pixels of the full picture.
pub fn refine(given: &[Camera]) -> (Vec<Camera>, [f64; 2]) {
    let many = 7 * given.len();
    let moved = |by: &DVector<f64>| -> Vec<Camera> {
        let own = |k: usize| std::array::from_fn(|i| by[7 * k + i] * GIVEN[i]);
        given
            .iter()
            .enumerate()
            .map(|(k, c)| c.nudged(&own(k)))
            .collect()
    };
    let mut by = DVector::zeros(many);
    for _ in 0..12 {
        let here = misses(&moved(&by));
        let slopes: Vec<DVector<f64>> = (0..many)
            .map(|k| {
                let mut there = by.clone();
                there[k] += 0.01;
                let there = misses(&moved(&there));
                DVector::from_iterator(
                    here.len(),
                    there.iter().zip(&here).map(|(a, b)| (a - b) / 0.01),
                )
            })
            .collect();
        let slopes = DMatrix::from_columns(&slopes);
        let weights = DVector::from_iterator(
            here.len(),
            here.iter()
                .map(|e| 1.0 / (BY_EYE * BY_EYE * (1.0 + (e / BY_EYE).powi(2)).sqrt())),
        );
        let weighed = DMatrix::from_diagonal(&weights) * &slopes;
        let h = slopes.transpose() * &weighed + DMatrix::identity(many, many);
        let g = weighed.transpose() * DVector::from_vec(here) + &by;
        by -= h.cholesky().unwrap().solve(&g);
    }
    let refined = moved(&by);
    let off = [given, &refined].map(|c| rms(&misses(c)));
    (refined, off)
}
