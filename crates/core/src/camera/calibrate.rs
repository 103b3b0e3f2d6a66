//! Focal length and place of the phone from marked points of the floor.
//!
//! Homography (normalised DLT), focal candidates from its two orthogonality equations (Zhang, Z.
//! (2000), "A flexible new technique for camera calibration", eq. 3–4) and from the prior of phone
//! lenses, each refined by Levenberg–Marquardt on reprojection error with a prior on ln f; the
//! cheapest is kept with the inverse of its normal matrix as covariance.

use nalgebra::{Matrix3, Point2, Point3, Rotation3, SMatrix, SVector, Vector3};
use serde::{Deserialize, Serialize};

use super::pinhole::focal_of_view;
use super::propagate::PIXEL_SIGMA;
use super::{Camera, Homography, HomographyError};

/// Views of phones along the picture's longer side where nothing tells them, degrees, with the relative spread of the
/// focal length and how often they are met. Chosen: most films come from the main lens, cropped by its steadying; the
/// others from ultra-wide lenses (about 105°) to twofold ones (about 40°), any of which may be zoomed in between.
const USUAL: [Lens; 2] = [
    Lens {
        view: 65.0,
        spread: 0.06,
        share: 0.85,
    },
    Lens {
        view: 71.0,
        spread: 0.38,
        share: 0.15,
    },
];

/// Relative spread of a focal length that the coach says, and of one that the file tells: phones name it for the whole
/// sensor, and a film may be cropped by their steadying.
const SAID_SPREAD: f64 = 0.01;
const TOLD_SPREAD: f64 = 0.05;

/// Focal lengths are named for a frame so wide and high, millimetres (ISO 1222). Some phones mean its longer side,
/// others the diagonal of their own 4:3 sensor, whose longer side then is 34.6 mm.
const FULL_FRAME: [f64; 2] = [34.6, 36.0];

/// The crop of a phone's steadying when it is on; half of it is expected.
const STEADIED: f64 = 0.1;

/// Views along the longer side that no phone has, degrees: narrower than the first, wider than the second.
const POSSIBLE: [f64; 2] = [34.0, 118.0];

/// Another lens that is less likely by this factor is not thought of any more.
const SELDOM: f64 = 1e-3;

/// What is known of a lens before a reference is looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Lens {
    /// Field of view along the picture's longer side, degrees.
    view: f64,
    /// Relative standard error of the focal length.
    spread: f64,
    /// How often such a lens is met among those that are possible.
    share: f64,
}

/// Where a lens' field of view is known from.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum View {
    /// Nothing tells it: some phone's.
    #[default]
    Unknown,
    /// The coach says it: along the picture's longer side, degrees.
    Said(f64),
    /// The file names the focal length of a full frame's lens that sees as much, millimetres.
    Told(f64),
}

impl View {
    /// What is best known: what the coach says, else what the file tells.
    pub fn best(said: Option<f64>, told: Option<f64>) -> Self {
        match (said, told) {
            (Some(view), _) => Self::Said(view),
            // A length that no phone has says nothing.
            (None, Some(length)) if (8.0..=200.0).contains(&length) => Self::Told(length),
            _ => Self::Unknown,
        }
    }

    fn lenses(self) -> Vec<Lens> {
        match self {
            Self::Unknown => USUAL.to_vec(),
            Self::Said(view) => vec![Lens {
                view,
                spread: SAID_SPREAD,
                share: 1.0,
            }],
            Self::Told(length) => {
                let side = 0.5 * (FULL_FRAME[0] + FULL_FRAME[1]) * (1.0 - 0.5 * STEADIED);
                let view = 2.0 * (0.5 * side / length).atan().to_degrees();
                vec![Lens {
                    view,
                    spread: TOLD_SPREAD,
                    share: 1.0,
                }]
            }
        }
    }
}

/// A point of the floor reference and where the coach saw it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FloorMark {
    /// Metres on the floor.
    pub floor: [f64; 2],
    /// Pixels of the picture.
    pub pixel: [f64; 2],
}

/// A calibrated camera.
#[derive(Debug, Clone, PartialEq)]
pub struct Calibration {
    /// Best camera.
    pub camera: Camera,
    /// Covariance of (ln f, rotation vector, position), the order of [`Camera::nudged`].
    pub covariance: SMatrix<f64, 7, 7>,
    /// Root mean square distance between the marks and the reference drawn back, pixels.
    pub residual: f64,
}

/// Why the floor cannot be measured from these marks, and what to do.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CalibrationError {
    /// No homography.
    #[error(transparent)]
    Homography(#[from] HomographyError),
    /// A mark that is no place.
    #[error("A mark has no usable place. Set it again.")]
    NotFinite,
    /// Corners in crossing order.
    #[error(
        "The corners are crossed. Mark them in order around the reference, the way they are numbered."
    )]
    Crossed,
    /// The reference is seen mirrored.
    #[error(
        "The corners go round the wrong way. Seen from above they run counter-clockwise; swap the first two."
    )]
    Mirrored,
    /// Edge-on.
    #[error(
        "The phone looks along the floor, so its depth cannot be measured. Raise the phone or tilt it down."
    )]
    EdgeOn,
    /// Too small in the picture.
    #[error(
        "The reference is too small in the picture. Use a larger one, or one nearer to the phone."
    )]
    TooSmall,
    /// Only an impossible lens would see the reference so.
    #[error(
        "No phone's lens would see a reference of this size so. Check its width and length (perhaps swapped), and that each mark sits on its corner."
    )]
    Lens,
    /// Too few marks for a radial term.
    #[error(
        "A lens that bends lines needs at least six points. Mark the middles of the edges as well."
    )]
    BentLens,
    /// Marks and size do not agree.
    #[error(
        "The marks miss the reference by {residual:.1} pixels. Check its width and length, and that each mark sits on its corner. Where straight lines look bent, say that the lens is wide."
    )]
    Residual {
        /// Root mean square, pixels.
        residual: f64,
    },
}

/// Calibrates a camera of a picture `size` pixels large. The first four marks are the corners of the reference in order.
pub fn calibrate(
    marks: &[FloorMark],
    size: [f64; 2],
    view: View,
) -> Result<Calibration, CalibrationError> {
    calibrate_lens(marks, size, view, false)
}

/// The same of a lens that may bend straight lines: its radial term is found as well, which takes at least six
/// marks, and what it may be besides is part of the covariance.
pub fn calibrate_lens(
    marks: &[FloorMark],
    size: [f64; 2],
    view: View,
    bent: bool,
) -> Result<Calibration, CalibrationError> {
    let finite = |v: &[f64; 2]| v.iter().all(|x| x.is_finite());
    if marks.iter().any(|m| !finite(&m.floor) || !finite(&m.pixel))
        || matches!(view, View::Said(v) if !(10.0..150.0).contains(&v))
    {
        return Err(CalibrationError::NotFinite);
    }
    if marks.len() < 4 {
        return Err(HomographyError::TooFew(marks.len()).into());
    }
    refuse_bad_outline(marks)?;
    let middle = Vector3::new(size[0] / 2.0, size[1] / 2.0, 0.0);
    let pairs: Vec<_> = marks
        .iter()
        .map(|m| {
            (
                Point2::new(m.floor[0], m.floor[1]),
                Point2::new(m.pixel[0] - middle.x, m.pixel[1] - middle.y),
            )
        })
        .collect();
    let homography = Homography::fit(&pairs)?;
    let lenses = view.lenses();
    let fits: Vec<_> = lenses
        .iter()
        .map(|lens| fitted(marks, size, &homography, *lens, bent))
        .collect();
    let (camera, covariance) = likeliest(&fits, &lenses)?;
    let residual = rms(&camera, marks);
    let longer = size[0].max(size[1]);
    let tolerance = 4.0 * PIXEL_SIGMA * longer / 1280.0;
    if !residual.is_finite() || residual > tolerance.max(4.0) {
        return Err(CalibrationError::Residual { residual });
    }
    // With four marks the focal length takes up most of a wrong size, so it is held to what lenses are.
    let far = |lens: &Lens| {
        let expected = focal_of_view(lens.view, longer);
        (camera.focal / expected).ln().abs() > 3.0 * lens.spread.max(0.03)
    };
    let possible = POSSIBLE.map(|v| focal_of_view(v, longer));
    if lenses.iter().all(far) || !(possible[1]..possible[0]).contains(&camera.focal) {
        return Err(CalibrationError::Lens);
    }
    let n = marks.len() as f64;
    let at = marks.iter().fold(Vector3::zeros(), |s, m| {
        s + Vector3::new(m.floor[0], m.floor[1], 0.0) / n
    });
    let away = camera.position - Point3::from(at);
    if (away.z / away.norm()).asin() < 4f64.to_radians() {
        return Err(CalibrationError::EdgeOn);
    }
    Ok(Calibration {
        camera,
        covariance,
        residual,
    })
}

/// A camera with its cost and normal matrix.
type Fit = (f64, Camera, SMatrix<f64, 7, 7>);

/// A camera with its cost and covariance.
type Fitted = (f64, Camera, SMatrix<f64, 7, 7>);

/// The camera of a lens.
fn fitted(
    marks: &[FloorMark],
    size: [f64; 2],
    homography: &Homography,
    lens: Lens,
    bent: bool,
) -> Result<Fitted, CalibrationError> {
    let prior = focal_of_view(lens.view, size[0].max(size[1]));
    let fit = |bend: f64| best_at(marks, size, homography, (prior, lens.spread), bend);
    let (bend, sigma) = if bent {
        bend_of(marks.len(), &fit)?
    } else {
        (0.0, 0.0)
    };
    let (cost, camera, information) = fit(bend)?;
    let mut covariance = information.try_inverse().ok_or(CalibrationError::EdgeOn)?;
    if bent {
        // What else the lens may be moves the camera with it.
        if let (Ok((_, more, _)), Ok((_, less, _))) = (fit(bend + sigma), fit(bend - sigma)) {
            let by = more.apart_from(&less).map(|d| 0.5 * d);
            let by = SVector::<f64, 7>::from(by);
            covariance += by * by.transpose();
        }
    }
    Ok((cost, camera, covariance))
}

/// The camera of the lens that is likeliest after the marks, with what the others would make of it in the covariance:
/// each lens counts by how often it is met and by its evidence (Laplace's approximation: the cost at its best camera
/// and the volume of its covariance), and all of them are one normal distribution about the likeliest (moments of the
/// mixture).
fn likeliest(
    fits: &[Result<Fitted, CalibrationError>],
    lenses: &[Lens],
) -> Result<(Camera, SMatrix<f64, 7, 7>), CalibrationError> {
    let evidence = |lens: &Lens, (cost, _, covariance): &Fitted| {
        (lens.share / lens.spread).ln() - 0.5 * cost + 0.5 * covariance.determinant().ln()
    };
    let weighed: Vec<(f64, &Fitted)> = fits
        .iter()
        .zip(lenses)
        .filter_map(|(f, lens)| f.as_ref().ok().map(|f| (evidence(lens, f), f)))
        .filter(|(e, _)| e.is_finite())
        .collect();
    let Some((most, (_, camera, _))) = weighed.iter().copied().max_by(|a, b| a.0.total_cmp(&b.0))
    else {
        let why = fits.iter().find_map(|f| f.as_ref().err());
        return Err(why.cloned().unwrap_or(CalibrationError::EdgeOn));
    };
    let (mut covariance, mut sum) = (SMatrix::<f64, 7, 7>::zeros(), 0.0);
    for (evidence, (_, other, own)) in weighed {
        let share = (evidence - most).exp();
        if share < SELDOM {
            continue;
        }
        let by = SVector::<f64, 7>::from(other.apart_from(camera));
        covariance += (own + by * by.transpose()) * share;
        sum += share;
    }
    Ok((camera.clone(), covariance / sum))
}

/// The cheapest camera of a lens with a given radial term.
fn best_at(
    marks: &[FloorMark],
    size: [f64; 2],
    homography: &Homography,
    (prior, spread): (f64, f64),
    bend: f64,
) -> Result<Fit, CalibrationError> {
    let mut best: Option<Fit> = None;
    let mut mirrored = false;
    for focal in focal_candidates(&homography.0, prior) {
        let Some(start) = pose(&homography.0, focal, size) else {
            continue;
        };
        if start.position.z <= 0.0 {
            mirrored = true;
            continue;
        }
        let start = Camera { bend, ..start };
        if let Some(fit) = refine(start, marks, prior, spread)
            && fit.1.position.z > 0.0
            && best.as_ref().is_none_or(|b| fit.0 < b.0)
        {
            best = Some(fit);
        }
    }
    best.ok_or(if mirrored {
        CalibrationError::Mirrored
    } else {
        CalibrationError::EdgeOn
    })
}

/// Marks that a radial term takes at least: with five it only takes up their errors.
const LEAST_BENT: usize = 6;

/// Radial terms that are tried, from a strong barrel to a slight cushion, and how far lenses spread about none.
const BENDS: [f64; 2] = [-0.32, 0.08];
const BEND_STEPS: usize = 20;
const BEND_SPREAD: f64 = 0.12;

/// The cheapest radial term and its standard error: where the cost of the best camera at each term is least, and
/// how fast it rises from there (profile likelihood).
fn bend_of(
    marks: usize,
    fit: &impl Fn(f64) -> Result<Fit, CalibrationError>,
) -> Result<(f64, f64), CalibrationError> {
    if marks < LEAST_BENT {
        return Err(CalibrationError::BentLens);
    }
    let step = (BENDS[1] - BENDS[0]) / BEND_STEPS as f64;
    let cost = |bend: f64| match fit(bend) {
        Ok(f) => f.0 + (bend / BEND_SPREAD).powi(2),
        Err(_) => f64::INFINITY,
    };
    let tried: Vec<(f64, f64)> = (0..=BEND_STEPS)
        .map(|i| BENDS[0] + step * i as f64)
        .map(|bend| (bend, cost(bend)))
        .collect();
    let (mut at, _) = tried
        .iter()
        .copied()
        .min_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|t| t.1.is_finite())
        .ok_or(CalibrationError::EdgeOn)?;
    // Two parabolas, the second one narrow about the lowest point of the first.
    let mut sigma = BEND_SPREAD;
    for wide in [step, 0.25 * step] {
        let [low, here, high] = [cost(at - wide), cost(at), cost(at + wide)];
        let curve = (low - 2.0 * here + high) / (wide * wide);
        if !curve.is_finite() || curve <= 0.0 {
            break;
        }
        at += ((low - high) / (2.0 * wide * curve)).clamp(-wide, wide);
        // A rise of one is one standard error.
        sigma = (2.0 / curve).sqrt();
    }
    Ok((at, sigma))
}

/// The outline of the first four marks must be a convex quadrilateral of some size in the picture,
/// turning the same way as on the floor (the picture's V axis points down).
fn refuse_bad_outline(marks: &[FloorMark]) -> Result<(), CalibrationError> {
    let turns = |get: &dyn Fn(&FloorMark) -> [f64; 2]| {
        [0, 1, 2, 3].map(|i| {
            let (a, b, c) = (
                get(&marks[i]),
                get(&marks[(i + 1) % 4]),
                get(&marks[(i + 2) % 4]),
            );
            (b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0])
        })
    };
    let floor = turns(&|m| m.floor);
    let picture = turns(&|m| [m.pixel[0], -m.pixel[1]]);
    let extent = |get: &dyn Fn(&FloorMark) -> f64| {
        let v: Vec<f64> = marks.iter().take(4).map(get).collect();
        v.iter().copied().fold(f64::MIN, f64::max) - v.iter().copied().fold(f64::MAX, f64::min)
    };
    if extent(&|m| m.pixel[0]).hypot(extent(&|m| m.pixel[1])) < 40.0 {
        return Err(CalibrationError::TooSmall);
    }
    let scale = |t: &[f64; 4]| t.iter().fold(0.0f64, |m, x| m.max(x.abs()));
    if floor
        .iter()
        .any(|t| t.abs() < 1e-6 * scale(&floor).max(1e-12))
        || picture
            .iter()
            .any(|t| t.abs() < 0.01 * scale(&picture).max(1.0))
    {
        return Err(HomographyError::Collinear.into());
    }
    let left = |t: &[f64; 4]| t.iter().filter(|x| **x > 0.0).count();
    match (left(&floor), left(&picture)) {
        (4, 4) | (0, 0) => Ok(()),
        (4, 0) | (0, 4) => Err(CalibrationError::Mirrored),
        _ => Err(CalibrationError::Crossed),
    }
}

fn focal_candidates(h: &Matrix3<f64>, prior: f64) -> Vec<f64> {
    let (a, b) = (h.column(0), h.column(1));
    let orthogonal = -(a[0] * b[0] + a[1] * b[1]) / (a[2] * b[2]);
    let equal =
        (b[0].powi(2) + b[1].powi(2) - a[0].powi(2) - a[1].powi(2)) / (a[2].powi(2) - b[2].powi(2));
    let mut out = vec![prior];
    for squared in [orthogonal, equal] {
        let f = squared.sqrt();
        if f.is_finite() && (0.3 * prior..3.0 * prior).contains(&f) {
            out.push(f);
        }
    }
    out
}

/// Rotation and position from a centred homography and a focal length.
fn pose(h: &Matrix3<f64>, focal: f64, size: [f64; 2]) -> Option<Camera> {
    let b = Matrix3::from_diagonal(&Vector3::new(1.0 / focal, 1.0 / focal, 1.0)) * h;
    let mut scale = 1.0 / (b.column(0).norm() * b.column(1).norm()).sqrt();
    if b[(2, 2)] < 0.0 {
        scale = -scale;
    }
    let (r1, r2, t) = (
        b.column(0) * scale,
        b.column(1) * scale,
        b.column(2) * scale,
    );
    let rough = Matrix3::from_columns(&[r1, r2, r1.cross(&r2)]);
    let svd = rough.svd(true, true);
    let mut r = svd.u? * svd.v_t?;
    if r.determinant() < 0.0 {
        r = -r;
    }
    let rotation = Rotation3::from_matrix_unchecked(r);
    Some(Camera {
        focal,
        centre: [size[0] / 2.0, size[1] / 2.0],
        bend: 0.0,
        position: Point3::from(-(rotation.inverse() * t)),
        rotation,
    })
}

fn rms(camera: &Camera, marks: &[FloorMark]) -> f64 {
    let sum: f64 = marks
        .iter()
        .map(
            |m| match camera.project(Point3::new(m.floor[0], m.floor[1], 0.0)) {
                Some(p) => (p - Point2::from(m.pixel)).norm_squared(),
                None => f64::INFINITY,
            },
        )
        .sum();
    (sum / marks.len() as f64).sqrt()
}

/// Levenberg–Marquardt; returns cost, camera and normal matrix.
fn refine(
    start: Camera,
    marks: &[FloorMark],
    prior: f64,
    spread: f64,
) -> Option<(f64, Camera, SMatrix<f64, 7, 7>)> {
    let residuals = |c: &Camera| -> Option<Vec<f64>> {
        let mut r = Vec::with_capacity(2 * marks.len() + 1);
        for m in marks {
            let p = c.project(Point3::new(m.floor[0], m.floor[1], 0.0))?;
            r.push((p.x - m.pixel[0]) / PIXEL_SIGMA);
            r.push((p.y - m.pixel[1]) / PIXEL_SIGMA);
        }
        r.push((c.focal / prior).ln() / spread);
        Some(r)
    };
    let cost_of = |r: &[f64]| r.iter().map(|x| x * x).sum::<f64>();
    let mut camera = start;
    let mut r = residuals(&camera)?;
    let mut cost = cost_of(&r);
    let mut damping = 1e-3;
    let mut normal = SMatrix::<f64, 7, 7>::zeros();
    for _ in 0..60 {
        let mut gradient = SVector::<f64, 7>::zeros();
        normal.fill(0.0);
        let mut columns = Vec::with_capacity(7);
        for k in 0..7 {
            let mut step = [0.0; 7];
            step[k] = 1e-6;
            let ahead = residuals(&camera.nudged(&step))?;
            step[k] = -1e-6;
            let behind = residuals(&camera.nudged(&step))?;
            columns.push(
                ahead
                    .iter()
                    .zip(&behind)
                    .map(|(a, b)| (a - b) / 2e-6)
                    .collect::<Vec<f64>>(),
            );
        }
        for i in 0..7 {
            gradient[i] = columns[i].iter().zip(&r).map(|(a, b)| a * b).sum();
            for j in 0..7 {
                normal[(i, j)] = columns[i].iter().zip(&columns[j]).map(|(a, b)| a * b).sum();
            }
        }
        let mut damped = normal;
        for i in 0..7 {
            damped[(i, i)] *= 1.0 + damping;
        }
        let step = damped.cholesky()?.solve(&gradient);
        let candidate = camera.nudged(&step.map(|x| -x).into());
        match residuals(&candidate) {
            Some(next) if cost_of(&next) < cost => {
                let gain = cost - cost_of(&next);
                camera = candidate;
                r = next;
                cost = cost_of(&r);
                damping = (damping * 0.3).max(1e-9);
                if gain < 1e-10 * (1.0 + cost) {
                    break;
                }
            }
            _ => {
                damping *= 8.0;
                if damping > 1e8 {
                    break;
                }
            }
        }
    }
    Some((cost, camera, normal))
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use proptest::prelude::*;
    use rand::SeedableRng;
    use rand_distr::{Distribution, Normal};

    const SIZE: [f64; 2] = [1280.0, 720.0];

    pub(crate) fn phone(x: f64, height: f64, distance: f64, view: f64) -> Camera {
        Camera::looking_at(
            Point3::new(x, -distance, height),
            Point3::new(0.0, 0.3, 0.8),
            1.0,
            view,
            SIZE,
        )
    }

    pub(crate) fn seen(camera: &Camera, floor: &[[f64; 2]]) -> Vec<FloorMark> {
        floor
            .iter()
            .map(|f| {
                let p = camera.project(Point3::new(f[0], f[1], 0.0)).unwrap();
                FloorMark {
                    floor: *f,
                    pixel: [p.x, p.y],
                }
            })
            .collect()
    }

    pub(crate) const RECTANGLE: [[f64; 2]; 4] =
        [[-1.0, -0.5], [1.0, -0.5], [1.0, 0.5], [-1.0, 0.5]];

    proptest! {
        #[test]
        fn exact_marks_give_the_camera_back(
            x in -1.5..1.5f64, height in 1.0..2.2f64, distance in 4.0..6.5f64, view in 62.0..68.0f64,
        ) {
            let truth = phone(x, height, distance, view);
            let c = calibrate(&seen(&truth, &RECTANGLE), SIZE, View::Said(view)).unwrap();
            prop_assert!((c.camera.position - truth.position).norm() < 0.02);
            prop_assert!(c.residual < 0.05);
        }
    }

    #[test]
    fn the_claimed_covariance_matches_what_noisy_clicks_do() {
        let truth = phone(0.6, 1.5, 5.0, 65.0);
        let exact = seen(&truth, &RECTANGLE);
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(7);
        let noise = Normal::new(0.0, PIXEL_SIGMA).unwrap();
        let prior = Normal::new(0.0, USUAL[0].spread).unwrap();
        let target = Point2::new(0.8, 0.6);
        let (mut inside, mut total) = (0, 0);
        for _ in 0..300 {
            let noisy: Vec<_> = exact
                .iter()
                .map(|m| FloorMark {
                    pixel: m.pixel.map(|p| p + noise.sample(&mut rng)),
                    ..*m
                })
                .collect();
            // The prior's own error is part of the claim, so it is drawn too.
            let f = focal_of_view(65.0, 1280.0) * prior.sample(&mut rng).exp();
            let view = 2.0 * (640.0 / f).atan().to_degrees();
            let camera_of = |v| {
                let (p, s) = (focal_of_view(v, 1280.0), USUAL[0].spread);
                let h = Homography::fit(
                    &noisy
                        .iter()
                        .map(|m| {
                            (
                                Point2::from(m.floor),
                                Point2::new(m.pixel[0] - 640.0, m.pixel[1] - 360.0),
                            )
                        })
                        .collect::<Vec<_>>(),
                )
                .unwrap();
                refine(pose(&h.0, p, SIZE).unwrap(), &noisy, p, s).unwrap()
            };
            let (_, camera, information) = camera_of(view);
            let calibration = Calibration {
                covariance: information.try_inverse().unwrap(),
                residual: 0.0,
                camera,
            };
            let pixel = truth.project(Point3::new(target.x, target.y, 0.0)).unwrap();
            for axis in 0..2 {
                let seen = [[
                    pixel.x + noise.sample(&mut rng),
                    pixel.y + noise.sample(&mut rng),
                ]];
                let places = calibration.on_floor(seen).unwrap();
                let e =
                    super::super::propagate(&places, &calibration.covariance, |p| Some(p[0][axis]))
                        .unwrap();
                total += 1;
                if (e.value - target[axis]).abs() < e.sigma {
                    inside += 1;
                }
            }
        }
        let share = f64::from(inside) / f64::from(total);
        assert!((0.6..0.76).contains(&share), "{share}");
    }

    #[test]
    fn what_cannot_work_is_refused_in_words() {
        let truth = phone(0.3, 1.5, 5.0, 65.0);
        let good = seen(&truth, &RECTANGLE);
        let mut crossed = good.clone();
        let (a, b) = (crossed[1].pixel, crossed[2].pixel);
        crossed[1].pixel = b;
        crossed[2].pixel = a;
        assert_eq!(
            calibrate(&crossed, SIZE, View::Unknown),
            Err(CalibrationError::Crossed)
        );

        let mut mirrored = good.clone();
        for m in &mut mirrored {
            m.pixel[0] = 1280.0 - m.pixel[0];
        }
        assert_eq!(
            calibrate(&mirrored, SIZE, View::Unknown),
            Err(CalibrationError::Mirrored)
        );

        let mut wrong_size = good.clone();
        for m in &mut wrong_size {
            m.floor[1] *= 2.5;
        }
        assert_eq!(
            calibrate(&wrong_size, SIZE, View::Unknown),
            Err(CalibrationError::Lens)
        );

        let mut slipped = seen(
            &truth,
            &[RECTANGLE.as_slice(), &[[0.0, -0.5], [0.0, 0.5]]].concat(),
        );
        slipped[4].pixel[1] += 40.0;
        assert!(matches!(
            calibrate(&slipped, SIZE, View::Unknown),
            Err(CalibrationError::Residual { .. })
        ));

        let low = phone(0.3, 0.12, 5.0, 65.0);
        assert!(calibrate(&seen(&low, &RECTANGLE), SIZE, View::Unknown).is_err());

        let mut tiny = good.clone();
        for m in &mut tiny {
            m.pixel = m.pixel.map(|p| 300.0 + p / 60.0);
        }
        assert_eq!(
            calibrate(&tiny, SIZE, View::Unknown),
            Err(CalibrationError::TooSmall)
        );

        let mut nan = good.clone();
        nan[0].pixel[0] = f64::NAN;
        assert_eq!(
            calibrate(&nan, SIZE, View::Unknown),
            Err(CalibrationError::NotFinite)
        );
        assert!(calibrate(&good[..3], SIZE, View::Unknown).is_err());
    }

    /// A phone whose view is along the longer side of a picture of this size.
    fn held(size: [f64; 2], view: f64) -> Camera {
        Camera::looking_at(
            Point3::new(0.6, -5.0, 1.5),
            Point3::new(0.0, 0.0, 0.6),
            0.0,
            view,
            size,
        )
    }

    #[test]
    fn a_phone_held_upright_measures_the_floor_as_one_held_sideways() {
        for size in [
            [720.0, 1280.0],
            [960.0, 1280.0],
            [1280.0, 960.0],
            [1080.0, 1080.0],
        ] {
            let truth = held(size, 63.0);
            let c = calibrate(&seen(&truth, &RECTANGLE), size, View::Unknown).unwrap();
            assert!(
                (c.camera.position - truth.position).norm() < 0.15,
                "{size:?}"
            );
            let q = truth.project(Point3::new(0.6, 0.4, 0.0)).unwrap();
            let p = c.camera.on_floor(q).unwrap();
            assert!((p - Point2::new(0.6, 0.4)).norm() < 0.01, "{size:?}: {p}");
            let told = calibrate(&seen(&truth, &RECTANGLE), size, View::Said(63.0)).unwrap();
            assert!((told.camera.position - truth.position).norm() < 0.01);
        }
    }

    #[test]
    fn ultra_wide_and_twofold_lenses_are_believed_and_claimed() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
        let noise = Normal::new(0.0, PIXEL_SIGMA).unwrap();
        let upright = [720.0, 1280.0];
        for (size, view) in [
            (SIZE, 41.0),
            (SIZE, 52.0),
            (SIZE, 65.0),
            (SIZE, 82.0),
            (SIZE, 106.0),
            (upright, 41.0),
            (upright, 106.0),
        ] {
            let truth = held(size, view);
            let focal = focal_of_view(view, 1280.0);
            let (mut inside, mut total) = ([0, 0], 0);
            for _ in 0..60 {
                let mut marks = seen(&truth, &RECTANGLE);
                for m in &mut marks {
                    m.pixel = m.pixel.map(|p| p + noise.sample(&mut rng));
                }
                let c = calibrate(&marks, size, View::Unknown).unwrap();
                let sigma = c.covariance[(0, 0)].sqrt();
                let off = (c.camera.focal / focal).ln().abs() / sigma;
                total += 1;
                inside[0] += u32::from(off < 1.0);
                inside[1] += u32::from(off < 2.5);
            }
            assert!(inside[1] > total * 9 / 10, "{size:?} {view}: {inside:?}");
        }
    }

    #[test]
    fn a_focal_length_in_the_file_narrows_what_the_lens_may_be() {
        // What phones write for a main lens, and for an ultra-wide one, whose films are cropped a little.
        for (length, view) in [(26.0, 65.5), (13.0, 102.0), (52.0, 36.5)] {
            let truth = held([720.0, 1280.0], view);
            let marks = seen(&truth, &RECTANGLE);
            let size = [720.0, 1280.0];
            let unknown = calibrate(&marks, size, View::Unknown).unwrap();
            let told = calibrate(&marks, size, View::best(None, Some(length))).unwrap();
            let away = |c: &Calibration| (c.camera.position - truth.position).norm();
            assert!(away(&told) < 0.2, "{length}: {}", away(&told));
            let wide = |c: &Calibration| c.covariance[(0, 0)];
            assert!(wide(&told) < wide(&unknown), "{length}");
        }
        assert_eq!(View::best(Some(70.0), Some(26.0)), View::Said(70.0));
        assert_eq!(View::best(None, Some(2.0)), View::Unknown);
    }

    #[test]
    fn a_bent_lens_is_found_from_eight_points() {
        let mut eight = RECTANGLE.map(|p| [1.6 * p[0], 1.6 * p[1]]).to_vec();
        eight.extend([[0.0, -0.8], [1.6, 0.0], [0.0, 0.8], [-1.6, 0.0]]);
        let straight = phone(0.4, 1.5, 3.4, 66.0);
        let target = Point2::new(1.1, 1.4);
        for bend in [-0.2, -0.1, 0.0] {
            let truth = Camera { bend, ..straight };
            let marks = seen(&truth, &eight);
            let c = calibrate_lens(&marks, SIZE, View::Said(66.0), true).unwrap();
            assert!(
                (c.camera.bend - bend).abs() < 0.03,
                "{bend}: {}",
                c.camera.bend
            );
            assert!((c.camera.position - truth.position).norm() < 0.05);
            let q = truth.project(Point3::new(target.x, target.y, 0.0)).unwrap();
            let miss = |c: &Calibration| (c.camera.on_floor(q).unwrap() - target).norm();
            assert!(miss(&c) < 0.012, "{bend}: {}", miss(&c));
            // Taken for a straight one it misses by more, or is refused.
            if bend < -0.15 {
                let plain = calibrate(&marks, SIZE, View::Said(66.0));
                assert!(plain.is_err() || plain.is_ok_and(|p| miss(&p) > 3.0 * miss(&c)));
            }
            // What is not known of the lens makes the floor less sure.
            let plain = calibrate(&seen(&straight, &eight), SIZE, View::Said(66.0)).unwrap();
            assert!(c.covariance.trace() > plain.covariance.trace());
        }
        let four = seen(&straight, &eight[..4]);
        assert_eq!(
            calibrate_lens(&four, SIZE, View::Unknown, true),
            Err(CalibrationError::BentLens)
        );
    }

    #[test]
    fn two_lines_of_different_length_measure_the_floor_as_well() {
        let truth = phone(-0.5, 1.6, 5.0, 65.0);
        let lines = [[-1.0, -0.75], [1.0, -0.75], [1.7, 0.75], [-1.3, 0.75]];
        let c = calibrate(&seen(&truth, &lines), SIZE, View::Said(65.0)).unwrap();
        assert!((c.camera.position - truth.position).norm() < 0.02);
        // Taken for a rectangle they do not fit.
        let mut wrong = seen(&truth, &lines);
        wrong[2].floor[0] = 1.0;
        wrong[3].floor[0] = -1.0;
        assert!(calibrate(&wrong, SIZE, View::Said(65.0)).is_err());
    }

    #[test]
    fn more_points_measure_the_floor_better() {
        let truth = phone(0.3, 1.5, 5.0, 65.0);
        let mut eight = RECTANGLE.to_vec();
        eight.extend([[0.0, -0.5], [1.0, 0.0], [0.0, 0.5], [-1.0, 0.0]]);
        let sigma = |floor: &[[f64; 2]]| {
            let c = calibrate(&seen(&truth, floor), SIZE, View::Unknown).unwrap();
            let p = truth.project(Point3::new(0.5, 0.8, 0.0)).unwrap();
            let places = c.on_floor([[p.x, p.y]]).unwrap();
            super::super::propagate(&places, &c.covariance, |p| Some(p[0].y))
                .unwrap()
                .sigma
        };
        let (more, four) = (sigma(&eight), sigma(&RECTANGLE));
        assert!(more < 0.93 * four, "{more} {four}");
    }
}
