//! The hall: walls with windows, a plank floor and the taped reference on it.

use nalgebra::Point3;
use tiny_skia::{
    Color, FillRule, GradientStop, LinearGradient, Paint, Pixmap, Point, SpreadMode, Transform,
};
use upright_core::camera::Camera;

use super::{Rgb, paint, polygon, shaded};

/// Distance of the back wall, metres.
const WALL: f64 = 3.4;

/// The part of a polygon that lies in front of the lens.
fn in_front(camera: &Camera, corners: &[Point3<f64>]) -> Vec<Point3<f64>> {
    const NEAR: f64 = 0.15;
    let mut out = Vec::new();
    for (i, a) in corners.iter().enumerate() {
        let b = &corners[(i + 1) % corners.len()];
        let (da, db) = (camera.depth(*a) - NEAR, camera.depth(*b) - NEAR);
        if da >= 0.0 {
            out.push(*a);
        }
        if da * db < 0.0 {
            out.push(a + (b - a) * (da / (da - db)));
        }
    }
    out
}

/// A room with the back wall of the phone's usual side at `WALL`, windows in it, and a plank floor.
pub(super) fn paint_hall(picture: &mut Pixmap, camera: &Camera, reference: [f64; 2]) {
    let (w, h) = (picture.width() as f32, picture.height() as f32);
    let mut wall = Paint::default();
    if let Some(gradient) = LinearGradient::new(
        Point::from_xy(0.0, 0.0),
        Point::from_xy(0.3 * w, h),
        vec![
            GradientStop::new(0.0, Color::from_rgba8(196, 198, 190, 255)),
            GradientStop::new(0.7, Color::from_rgba8(172, 176, 168, 255)),
        ],
        SpreadMode::Pad,
        Transform::identity(),
    ) {
        wall.shader = gradient;
    }
    if let Some(rect) = tiny_skia::Rect::from_xywh(0.0, 0.0, w, h) {
        picture.fill_rect(rect, &wall, Transform::identity(), None);
    }
    // Through a bent lens straight edges are curves.
    let parts = if camera.bend == 0.0 { 1 } else { 12 };
    let mut quad = |corners: [[f64; 3]; 4], rgb: Rgb, alpha: u8| {
        let shown = in_front(camera, &corners.map(Point3::from));
        let seen: Option<Vec<_>> = (0..shown.len())
            .flat_map(|i| {
                let (a, b) = (shown[i], shown[(i + 1) % shown.len()]);
                (0..parts).map(move |k| a + (b - a) * (f64::from(k) / f64::from(parts)))
            })
            .map(|c| camera.project(c))
            .collect();
        if let Some(path) = seen.and_then(|s| polygon(&s)) {
            picture.fill_path(
                &path,
                &paint(rgb, alpha),
                FillRule::Winding,
                Transform::identity(),
                None,
            );
        }
    };
    walls(&mut quad, camera);
    let planks = ((WALL + SIDE) / 0.14).ceil() as i32;
    for i in 0..planks {
        let y = WALL - 0.14 * f64::from(i);
        // A fixed pattern of tones and joints; the hall is always the same hall.
        let tone = 0.92 + 0.16 * (f64::from((i * 7919) % 97) / 97.0);
        let mut strip = |[x0, x1]: [f64; 2], wide: f64, rgb: Rgb, alpha: u8| {
            quad(
                [
                    [x0, y, 0.0],
                    [x1, y, 0.0],
                    [x1, y - wide, 0.0],
                    [x0, y - wide, 0.0],
                ],
                rgb,
                alpha,
            );
        };
        strip([-SIDE, SIDE], 0.14, shaded([168, 124, 84], tone), 255);
        strip([-SIDE, SIDE], 0.006, [96, 66, 40], 150);
        for k in -4..4 {
            let x = 1.8 * f64::from(k) + 1.8 * (f64::from((i * 5413 + 17) % 89) / 89.0);
            strip([x, x + 0.006], 0.14, [96, 66, 40], 150);
        }
    }
    tape(&mut quad, reference);
}

/// Half of the room's length, metres.
const SIDE: f64 = 7.5;

/// The walls that the phone sees from inside, with windows, a door and a skirting.
fn walls(quad: &mut impl FnMut([[f64; 3]; 4], Rgb, u8), camera: &Camera) {
    let at = camera.position;
    // Each wall: from one end to the other, its tone, and whether the phone is on its inner side.
    let all = [
        ([-SIDE, WALL], [SIDE, WALL], 0.98, at.y < WALL),
        ([-SIDE, -SIDE], [-SIDE, WALL], 0.93, at.x > -SIDE),
        ([SIDE, -SIDE], [SIDE, WALL], 0.95, at.x < SIDE),
        ([-SIDE, -SIDE], [SIDE, -SIDE], 1.0, at.y > -SIDE),
    ];
    for ([x0, y0], [x1, y1], tone, inside) in all {
        if !inside {
            continue;
        }
        let long = (x1 - x0).hypot(y1 - y0);
        let mut panel = |[from, to]: [f64; 2], [low, high]: [f64; 2], rgb: Rgb| {
            let on = |s: f64, z: f64| [x0 + (x1 - x0) * s / long, y0 + (y1 - y0) * s / long, z];
            quad(
                [on(from, low), on(to, low), on(to, high), on(from, high)],
                shaded(rgb, tone),
                255,
            );
        };
        panel([0.0, long], [0.0, 4.2], [188, 191, 183]);
        panel([0.0, long], [0.0, 0.16], [92, 80, 68]);
        let mut from = 0.9;
        while from + 1.1 < long {
            panel([from, from + 1.1], [1.2, 2.5], [150, 172, 184]);
            panel([from, from + 1.1], [1.82, 1.88], [214, 212, 200]);
            panel([from + 0.52, from + 0.58], [1.2, 2.5], [214, 212, 200]);
            from += 3.1;
        }
    }
}

/// The reference in white tape with dark crosses on its corners and edge middles.
fn tape(quad: &mut impl FnMut([[f64; 3]; 4], Rgb, u8), [length, width]: [f64; 2]) {
    let (l, w) = (0.5 * length, 0.5 * width);
    let mut strip = |[x0, y0]: [f64; 2], [x1, y1]: [f64; 2], half: f64, rgb: Rgb| {
        let d = nalgebra::Vector2::new(x1 - x0, y1 - y0).normalize();
        let (nx, ny) = (-d.y * half, d.x * half);
        quad(
            [
                [x0 + nx, y0 + ny, 0.0],
                [x1 + nx, y1 + ny, 0.0],
                [x1 - nx, y1 - ny, 0.0],
                [x0 - nx, y0 - ny, 0.0],
            ],
            rgb,
            255,
        );
    };
    let corners = [[-l, -w], [l, -w], [l, w], [-l, w]];
    for i in 0..4 {
        strip(corners[i], corners[(i + 1) % 4], 0.02, [236, 232, 216]);
    }
    let middles = [[0.0, -w], [l, 0.0], [0.0, w], [-l, 0.0]];
    for [x, y] in corners.into_iter().chain(middles) {
        strip([x - 0.05, y], [x + 0.05, y], 0.006, [30, 42, 60]);
        strip([x, y - 0.05], [x, y + 0.05], 0.006, [30, 42, 60]);
    }
}
