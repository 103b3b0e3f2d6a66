//! Pictures of a performance: a hall with a plank floor and the taped reference, and in it two figures of round
//! solids, each hidden where the other or a limb of its own is nearer.

mod figure;
mod hall;
mod solid;

use nalgebra::{Point2, Point3, Vector3};
use rayon::prelude::*;
use tiny_skia::{Color, FillRule, Paint, Path, PathBuilder, Pixmap, Transform};
use upright_core::body::Landmark;
use upright_core::camera::Camera;
use upright_core::units::{Foot, Role};

use self::figure::{figure, wear, worn_by};
use self::hall::paint_hall;
use self::solid::paint_cones;
use crate::body::Body;
use crate::motion::Performance;
use crate::scenario::Phone;

/// Draws frames of one performance as one of its phones sees them.
pub struct Renderer<'a> {
    performance: &'a Performance,
    phone: Phone,
    hall: Pixmap,
}

type Rgb = [u8; 3];

fn paint(rgb: Rgb, alpha: u8) -> Paint<'static> {
    let mut p = Paint {
        anti_alias: true,
        ..Paint::default()
    };
    p.set_color_rgba8(rgb[0], rgb[1], rgb[2], alpha);
    p
}

fn shaded(rgb: Rgb, by: f64) -> Rgb {
    rgb.map(|c| (f64::from(c) * by).clamp(0.0, 255.0) as u8)
}

fn polygon(points: &[Point2<f64>]) -> Option<Path> {
    let mut b = PathBuilder::new();
    for (i, p) in points.iter().enumerate() {
        if i == 0 {
            b.move_to(p.x as f32, p.y as f32);
        } else {
            b.line_to(p.x as f32, p.y as f32);
        }
    }
    b.close();
    b.finish()
}

impl<'a> Renderer<'a> {
    /// `None` when the picture has no size.
    pub fn new(performance: &'a Performance, phone: usize) -> Option<Self> {
        let phone = *performance.phone(phone);
        let mut hall = Pixmap::new(phone.size[0], phone.size[1])?;
        paint_hall(&mut hall, &phone.camera(), performance.scenario().reference);
        Some(Self {
            performance,
            phone,
            hall,
        })
    }

    /// Frame at a moment of the dance, as RGBA bytes row by row.
    pub fn frame(&self, seconds: f64) -> Vec<u8> {
        let camera = self.phone.camera_at(seconds);
        let mut picture = self.hall.clone();
        if self.phone.shake > 0.0 {
            // A moving phone sees another wall each time.
            picture.fill(Color::BLACK);
            paint_hall(&mut picture, &camera, self.performance.scenario().reference);
        }
        let scenario = self.performance.scenario();
        let bodies = self.performance.bodies(seconds);
        let there = Role::BOTH.iter().filter(|r| scenario.dances(**r));
        let watchers = scenario.watchers.iter();
        let all: Vec<_> = there
            .map(|r| (bodies[*r as usize].clone(), wear(*r).clone()))
            .chain(watchers.map(|w| (w.body(seconds), worn_by(w.person))))
            .collect();
        for (body, _) in &all {
            shadow(&camera, &mut picture, body);
        }
        let cones: Vec<_> = all
            .iter()
            .flat_map(|(body, wear)| figure(body, wear))
            .collect();
        paint_cones(&camera, &mut picture, &cones);
        picture.take()
    }

    /// Frames at these moments in order, drawn on all cores.
    pub fn frames(&self, seconds: Vec<f64>) -> impl Iterator<Item = Vec<u8>> + Send + '_ {
        // As many at once as keeps every core busy and a few pictures in memory.
        let batches: Vec<Vec<f64>> = seconds.chunks(8).map(<[f64]>::to_vec).collect();
        batches.into_iter().flat_map(|batch| {
            batch
                .into_par_iter()
                .map(|t| self.frame(t))
                .collect::<Vec<_>>()
        })
    }
}

fn shadow(camera: &Camera, picture: &mut Pixmap, body: &Body) {
    let feet = [Foot::Left, Foot::Right].map(|f| {
        let [heel, toe] = Landmark::heel_toe(f).map(|l| body.joint(l));
        nalgebra::center(&heel, &toe)
    });
    let middle = nalgebra::center(&feet[0], &feet[1]);
    for (centre, radius, alpha) in [
        (Point3::new(middle.x + 0.10, middle.y + 0.12, 0.0), 0.34, 34),
        (Point3::new(feet[0].x, feet[0].y, 0.0), 0.16, 60),
        (Point3::new(feet[1].x, feet[1].y, 0.0), 0.16, 60),
    ] {
        let ring: Option<Vec<Point2<f64>>> = (0..24)
            .map(|i| {
                let (s, c) = (f64::from(i) * std::f64::consts::TAU / 24.0).sin_cos();
                camera.project(centre + Vector3::new(c, s, 0.0) * radius)
            })
            .collect();
        if let Some(path) = ring.and_then(|r| polygon(&r)) {
            picture.fill_path(
                &path,
                &paint([30, 18, 8], alpha),
                FillRule::Winding,
                Transform::identity(),
                None,
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use super::figure::{FOLLOWER, LEADER};
    use super::*;
    use crate::Scenario;

    #[test]
    fn the_dancers_are_where_the_camera_sees_them() {
        let p = Performance::new(&Scenario::default()).unwrap();
        let r = Renderer::new(&p, 0).unwrap();
        let [w, h] = p.phone(0).size;
        for t in [0.5, 3.0, 6.2] {
            let frame = r.frame(t);
            assert_eq!(frame.len(), (4 * w * h) as usize);
            for (body, colour) in p.bodies(t).iter().zip([LEADER.top, FOLLOWER.top]) {
                let chest = nalgebra::center(
                    &body.joint(Landmark::LeftHip),
                    &body.joint(Landmark::RightShoulder),
                );
                let q = p.phone(0).camera().project(chest).unwrap();
                let i = 4 * (q.y as usize * w as usize + q.x as usize);
                let miss: i32 = (0..3)
                    .map(|k| (i32::from(frame[i + k]) - i32::from(colour[k])).abs())
                    .max()
                    .unwrap();
                assert!(miss < 90, "{:?} {colour:?}", &frame[i..i + 3]);
            }
        }
    }

    /// Pixels of a colour in a picture of the leader alone, taken from `from` metres before him (behind when negative).
    fn seen_of(colour: Rgb, from: f64) -> usize {
        let p = Performance::new(&Scenario::default()).unwrap();
        let body = &p.bodies(1.0)[0];
        let chest = body.chest();
        let phone = chest + body.facing() * from;
        let camera = Camera::looking_at(phone, chest, 0.0, 65.0, [640.0, 360.0]);
        let mut picture = Pixmap::new(640, 360).unwrap();
        paint_cones(&camera, &mut picture, &figure(body, &LEADER));
        let like = |p: &&tiny_skia::PremultipliedColorU8| {
            let p = [p.red(), p.green(), p.blue()].map(f64::from);
            let bright = p.iter().sum::<f64>() / colour.iter().map(|c| f64::from(*c)).sum::<f64>();
            let off = |k: usize| (p[k] - bright * f64::from(colour[k])).abs();
            bright > 0.4 && (0..3).all(|k| off(k) < 6.0)
        };
        picture.pixels().iter().filter(like).count()
    }

    #[test]
    fn a_dancer_has_a_face_and_a_front_and_no_back_like_them() {
        for colour in [LEADER.lips, LEADER.front.0] {
            assert!(
                seen_of(colour, 2.0) > 10,
                "{colour:?}: {}",
                seen_of(colour, 2.0)
            );
            assert_eq!(seen_of(colour, -2.0), 0, "{colour:?}");
        }
    }
}
