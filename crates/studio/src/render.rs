//! Pictures of a performance: a hall with a plank floor and the taped reference, two figures with
//! volume, painted far to near.

use nalgebra::{Point2, Point3, Vector3};
use rayon::prelude::*;
use tiny_skia::{
    Color, FillRule, GradientStop, LinearGradient, Paint, Path, PathBuilder, Pixmap, Point,
    SpreadMode, Transform,
};
use upright_core::body::Landmark;
use upright_core::camera::Camera;
use upright_core::units::{Foot, Role};

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

struct Clothes {
    top: Rgb,
    /// What is worn down the front: a tie, or the skin in a neckline, how broad and how long (shares of height).
    front: (Rgb, f64, f64),
    legs: Rgb,
    skin: Rgb,
    lips: Rgb,
    hair: Rgb,
    shoe: Rgb,
    skirt: bool,
}

const LEADER: Clothes = Clothes {
    top: [226, 229, 226],
    front: ([44, 58, 104], 0.011, 0.17),
    legs: [46, 56, 72],
    skin: [206, 160, 128],
    lips: [162, 92, 82],
    hair: [58, 44, 36],
    shoe: [30, 30, 34],
    skirt: false,
};

const FOLLOWER: Clothes = Clothes {
    top: [172, 52, 78],
    front: ([196, 148, 118], 0.019, 0.05),
    legs: [196, 148, 118],
    skin: [196, 148, 118],
    lips: [168, 58, 66],
    hair: [128, 82, 48],
    shoe: [96, 40, 52],
    skirt: true,
};

/// Distance of the back wall, metres.
const WALL: f64 = 3.4;

/// A limb: a cone with round ends, radii in metres.
#[derive(Clone, Copy)]
struct Limb {
    from: (Point3<f64>, f64),
    to: (Point3<f64>, f64),
    colour: Rgb,
}

impl Limb {
    /// Distance of its nearest side.
    fn depth(&self, camera: &Camera) -> f64 {
        camera.depth(nalgebra::center(&self.from.0, &self.to.0)) - self.from.1.max(self.to.1)
    }
}

/// What lies on a body's surface, seen from the side to which it looks.
struct Mark {
    limb: Limb,
    outward: Vector3<f64>,
}

/// Limbs that are painted together, the furthest first, and the marks on them.
struct Part {
    limbs: Vec<Limb>,
    marks: Vec<Mark>,
}

impl Part {
    fn depth(&self, camera: &Camera) -> f64 {
        let all = self.limbs.iter().map(|l| l.depth(camera));
        all.fold(f64::INFINITY, f64::min)
    }

    fn paint(&self, camera: &Camera, picture: &mut Pixmap) {
        for limb in &self.limbs {
            paint_limb(camera, picture, limb, &TONES);
        }
        for mark in &self.marks {
            if mark.outward.dot(&(camera.position - mark.limb.from.0)) > 0.0 {
                paint_limb(camera, picture, &mark.limb, &TONES[1..2]);
            }
        }
    }
}

/// Brightness, size and shift to the light of the tones that make a limb round.
const TONES: [(f64, f64, f64); 3] = [(0.68, 1.0, 0.0), (1.0, 0.84, -0.10), (1.12, 0.42, -0.30)];

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
        let bodies = self.performance.bodies(seconds);
        for body in &bodies {
            shadow(&camera, &mut picture, body);
        }
        let mut parts: Vec<Part> = Role::BOTH
            .iter()
            .zip(&bodies)
            .flat_map(|(role, body)| {
                let wear = match role {
                    Role::Leader => &LEADER,
                    Role::Follower => &FOLLOWER,
                };
                let mut parts = limbs(body, wear, &camera);
                parts.push(head(body, wear, &camera));
                parts
            })
            .collect();
        parts.sort_by(|a, b| b.depth(&camera).total_cmp(&a.depth(&camera)));
        for part in &parts {
            part.paint(&camera, &mut picture);
        }
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

/// A limb in several tones, light from the upper left.
fn paint_limb(camera: &Camera, picture: &mut Pixmap, limb: &Limb, tones: &[(f64, f64, f64)]) {
    let see = |(at, radius): (Point3<f64>, f64)| {
        let p = camera.project(at)?;
        Some((p, radius * camera.focal / camera.depth(at)))
    };
    let (Some((a, ra)), Some((b, rb))) = (see(limb.from), see(limb.to)) else {
        return;
    };
    for &(tone, size, shift) in tones {
        let move_by = |p: Point2<f64>, r: f64| Point2::new(p.x + shift * r, p.y + 0.6 * shift * r);
        let Some(path) = cone(move_by(a, ra), ra * size, move_by(b, rb), rb * size) else {
            continue;
        };
        picture.fill_path(
            &path,
            &paint(shaded(limb.colour, tone), 255),
            FillRule::Winding,
            Transform::identity(),
            None,
        );
    }
}

/// Outline of two circles and the band between them.
fn cone(a: Point2<f64>, ra: f64, b: Point2<f64>, rb: f64) -> Option<Path> {
    let mut path = PathBuilder::new();
    path.push_circle(a.x as f32, a.y as f32, ra.max(0.4) as f32);
    path.push_circle(b.x as f32, b.y as f32, rb.max(0.4) as f32);
    let d = b - a;
    if d.norm() > 1e-3 {
        let n = nalgebra::Vector2::new(-d.y, d.x).normalize();
        // Same sense as the circles, so that the winding rule fills the union.
        let corners = [a + n * ra, a - n * ra, b - n * rb, b + n * rb];
        path.move_to(corners[0].x as f32, corners[0].y as f32);
        for c in &corners[1..] {
            path.line_to(c.x as f32, c.y as f32);
        }
        path.close();
    }
    path.finish()
}

/// Hips' middle, shoulders' middle and the direction from one to the other.
fn trunk(body: &Body) -> (Point3<f64>, Point3<f64>, Vector3<f64>) {
    let [left, right] = [Landmark::LeftHip, Landmark::RightHip].map(|l| body.joint(l));
    let (hips, chest) = (nalgebra::center(&left, &right), body.chest());
    (hips, chest, (chest - hips).normalize())
}

/// All but the head.
fn limbs(body: &Body, wear: &Clothes, camera: &Camera) -> Vec<Part> {
    let h = body.height;
    let j = |l: Landmark| body.joint(l);
    let mut out = Vec::new();
    let limb = |a: Point3<f64>, ra: f64, b: Point3<f64>, rb: f64, colour: Rgb| Limb {
        from: (a, ra * h),
        to: (b, rb * h),
        colour,
    };
    let mut add = |a: Point3<f64>, ra: f64, b: Point3<f64>, rb: f64, colour: Rgb| {
        out.push(Part {
            limbs: vec![limb(a, ra, b, rb, colour)],
            marks: Vec::new(),
        });
    };
    let (hips, chest, up) = trunk(body);
    for side in [Foot::Left, Foot::Right] {
        let [heel, toe] = Landmark::heel_toe(side).map(j);
        let [shoulder, elbow, wrist] = Landmark::arm(side).map(j);
        let (hip, knee, ankle, knuckle) = match side {
            Foot::Left => (
                Landmark::LeftHip,
                Landmark::LeftKnee,
                Landmark::LeftAnkle,
                Landmark::LeftKnuckle,
            ),
            Foot::Right => (
                Landmark::RightHip,
                Landmark::RightKnee,
                Landmark::RightAnkle,
                Landmark::RightKnuckle,
            ),
        };
        let lift = Vector3::z() * 0.014 * h;
        add(j(knee), 0.034, j(ankle), 0.024, wear.legs);
        add(j(ankle), 0.024, heel + lift, 0.020, wear.shoe);
        add(heel + lift, 0.020, toe + lift * 0.8, 0.014, wear.shoe);
        add(shoulder, 0.034, elbow, 0.026, wear.top);
        add(elbow, 0.024, wrist, 0.017, wear.skin);
        add(wrist, 0.018, j(knuckle), 0.017, wear.skin);
        add(
            shoulder - up * 0.02 * h,
            0.044,
            j(hip) + up * 0.03 * h,
            0.050,
            wear.top,
        );
    }
    let thighs = [
        (Landmark::LeftHip, Landmark::LeftKnee),
        (Landmark::RightHip, Landmark::RightKnee),
    ]
    .map(|(hip, knee)| limb(j(hip), 0.052, j(knee), 0.036, wear.legs));
    if wear.skirt {
        let knees = nalgebra::center(&j(Landmark::LeftKnee), &j(Landmark::RightKnee));
        let down = |share: f64| hips + (knees - hips) * share;
        let mut limbs = thighs.to_vec();
        limbs.sort_by(|a, b| b.depth(camera).total_cmp(&a.depth(camera)));
        // The cloth covers both thighs wherever they go.
        limbs.push(limb(down(0.5), 0.095, down(0.85), 0.108, wear.top));
        limbs.push(limb(down(0.0), 0.072, down(0.55), 0.095, wear.top));
        out.push(Part {
            limbs,
            marks: Vec::new(),
        });
    } else {
        out.extend(thighs.map(|thigh| Part {
            limbs: vec![thigh],
            marks: Vec::new(),
        }));
    }
    let ahead = body.facing();
    let (colour, broad, long) = wear.front;
    let collar = chest + ahead * 0.058 * h - up * 0.005 * h;
    out.push(Part {
        limbs: vec![limb(
            chest - up * 0.05 * h,
            0.070,
            hips + up * 0.02 * h,
            0.066,
            wear.top,
        )],
        marks: vec![Mark {
            limb: limb(
                collar,
                broad,
                collar + ahead * 0.008 * h - up * long * h,
                0.6 * broad,
                colour,
            ),
            outward: ahead,
        }],
    });
    out
}

/// Neck, skull, hair and face, which is where the nose is.
fn head(body: &Body, wear: &Clothes, camera: &Camera) -> Part {
    let h = body.height;
    let (_, chest, up) = trunk(body);
    let nose = body.joint(Landmark::Nose);
    let out = nose - chest;
    let look = (out - up * out.dot(&up)).normalize();
    let left = up.cross(&look);
    let skull = nose - look * 0.062 * h + up * 0.014 * h;
    // From the skull's middle: ahead, to the own left, up.
    let at = |[x, y, z]: [f64; 3]| skull + (look * x + left * y + up * z) * h;
    let limb = |a: [f64; 3], ra: f64, b: [f64; 3], rb: f64, colour: Rgb| Limb {
        from: (at(a), ra * h),
        to: (at(b), rb * h),
        colour,
    };
    let ball = |a: [f64; 3], r: f64, colour: Rgb| limb(a, r, a, r, colour);
    let dark = shaded(wear.hair, 0.7);
    let neck = Limb {
        from: (chest, 0.028 * h),
        to: (skull - up * 0.03 * h, 0.027 * h),
        colour: shaded(wear.skin, 0.9),
    };
    let face = [
        ball([0.0, 0.0, 0.0], 0.055, wear.skin),
        limb(
            [0.008, 0.0, -0.012],
            0.048,
            [0.016, 0.0, -0.032],
            0.036,
            wear.skin,
        ),
    ];
    let mut hair = vec![limb(
        [-0.014, 0.0, 0.022],
        0.053,
        [-0.026, 0.0, 0.004],
        0.050,
        wear.hair,
    )];
    if wear.skirt {
        hair.push(limb(
            [-0.03, 0.0, -0.01],
            0.046,
            [-0.03, 0.0, -0.045],
            0.034,
            wear.hair,
        ));
        hair.push(ball([-0.075, 0.0, 0.02], 0.026, wear.hair));
    }
    let fringe = limb(
        [0.022, -0.026, 0.046],
        0.016,
        [0.022, 0.026, 0.046],
        0.016,
        wear.hair,
    );
    let tip = limb(
        [0.062, 0.0, -0.014],
        0.010,
        [0.045, 0.0, 0.006],
        0.009,
        shaded(wear.skin, 0.94),
    );
    // From behind and from the side the hair lies over the skull, from ahead behind the face.
    let seen_from = (camera.position - skull).normalize();
    let mut limbs = vec![neck];
    if look.dot(&seen_from) > 0.35 {
        limbs.extend(hair);
        limbs.extend(face);
        limbs.extend([fringe, tip]);
    } else {
        limbs.extend([tip, face[0], face[1], fringe]);
        limbs.extend(hair);
    }
    let mut marks = Vec::new();
    let mut mark = |limb: Limb| {
        let outward = limb.from.0 - skull;
        marks.push(Mark { limb, outward });
    };
    for side in [-1.0, 1.0] {
        mark(ball(
            [-0.004, side * 0.054, -0.004],
            0.012,
            shaded(wear.skin, 0.86),
        ));
        mark(ball([0.046, side * 0.021, 0.008], 0.0085, [240, 238, 232]));
        mark(ball([0.049, side * 0.021, 0.008], 0.0052, [50, 38, 32]));
        mark(limb(
            [0.046, side * 0.011, 0.022],
            0.003,
            [0.042, side * 0.031, 0.022],
            0.003,
            dark,
        ));
    }
    mark(limb(
        [0.052, -0.014, -0.034],
        0.0042,
        [0.052, 0.014, -0.034],
        0.0042,
        wear.lips,
    ));
    Part { limbs, marks }
}

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
fn paint_hall(picture: &mut Pixmap, camera: &Camera, reference: [f64; 2]) {
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

#[cfg(test)]
mod tests {
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
        let mut parts = limbs(body, &LEADER, &camera);
        parts.push(head(body, &LEADER, &camera));
        parts.sort_by(|a, b| b.depth(&camera).total_cmp(&a.depth(&camera)));
        for part in &parts {
            part.paint(&camera, &mut picture);
        }
        let pixels = picture.pixels().iter();
        let like = |p: &&tiny_skia::PremultipliedColorU8| [p.red(), p.green(), p.blue()] == colour;
        pixels.filter(like).count()
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
