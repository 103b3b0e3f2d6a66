//! A dancer in the clothes of the role, as round solids.

use nalgebra::{Point3, Vector3};
use upright_core::body::Landmark;
use upright_core::units::{Foot, Role};

use super::solid::Cone;
use super::{Rgb, shaded};
use crate::body::Body;

#[derive(Clone)]
pub(super) struct Clothes {
    pub top: Rgb,
    /// What is worn down the front: a tie, or the skin in a neckline, how broad and how long (shares of height).
    pub front: (Rgb, f64, f64),
    legs: Rgb,
    skin: Rgb,
    pub lips: Rgb,
    hair: Rgb,
    shoe: Rgb,
    skirt: bool,
}

pub(super) const LEADER: Clothes = Clothes {
    top: [226, 229, 226],
    front: ([44, 58, 104], 0.011, 0.17),
    legs: [46, 56, 72],
    skin: [206, 160, 128],
    lips: [162, 92, 82],
    hair: [58, 44, 36],
    shoe: [30, 30, 34],
    skirt: false,
};

pub(super) const FOLLOWER: Clothes = Clothes {
    top: [172, 52, 78],
    front: ([196, 148, 118], 0.019, 0.05),
    legs: [196, 148, 118],
    skin: [196, 148, 118],
    lips: [168, 58, 66],
    hair: [128, 82, 48],
    shoe: [96, 40, 52],
    skirt: true,
};

pub(super) fn wear(role: Role) -> &'static Clothes {
    match role {
        Role::Leader => &LEADER,
        Role::Follower => &FOLLOWER,
    }
}

/// What others wear: the dancers' cuts in colours of their own.
pub(super) fn worn_by(person: u64) -> Clothes {
    const TOPS: [Rgb; 6] = [
        [70, 110, 82],
        [206, 176, 96],
        [84, 92, 140],
        [150, 150, 154],
        [196, 120, 84],
        [52, 54, 60],
    ];
    const LEGS: [Rgb; 4] = [[40, 44, 54], [112, 98, 82], [66, 84, 112], [150, 142, 128]];
    const HAIR: [Rgb; 4] = [[40, 32, 28], [150, 110, 66], [128, 128, 128], [96, 54, 34]];
    let pick = |of: &[Rgb], salt: u64| of[(person.wrapping_mul(salt) >> 3) as usize % of.len()];
    let cut = if person.is_multiple_of(2) {
        &LEADER
    } else {
        &FOLLOWER
    };
    let bare = cut.skirt && !person.is_multiple_of(3);
    Clothes {
        top: pick(&TOPS, 0x9E37_79B9),
        legs: if bare {
            cut.legs
        } else {
            pick(&LEGS, 0x85EB_CA6B)
        },
        hair: pick(&HAIR, 0xC2B2_AE35),
        skirt: bare,
        ..cut.clone()
    }
}

/// Axes at a point of the body: ahead, to the own left and up. Places in it are shares of height along these.
struct Frame {
    at: Point3<f64>,
    ahead: Vector3<f64>,
    left: Vector3<f64>,
    up: Vector3<f64>,
    height: f64,
}

impl Frame {
    /// From which way is up, and about which way is ahead.
    fn new(at: Point3<f64>, about: Vector3<f64>, up: Vector3<f64>, height: f64) -> Self {
        let ahead = (about - up * about.dot(&up)).normalize();
        let left = up.cross(&ahead);
        Self {
            at,
            ahead,
            left,
            up,
            height,
        }
    }

    fn point(&self, [ahead, left, up]: [f64; 3]) -> Point3<f64> {
        self.at + (self.ahead * ahead + self.left * left + self.up * up) * self.height
    }

    fn cone(&self, a: [f64; 3], ra: f64, b: [f64; 3], rb: f64, colour: Rgb) -> Cone {
        cone(self.height, self.point(a), ra, self.point(b), rb, colour)
    }

    fn ball(&self, at: [f64; 3], radius: f64, colour: Rgb) -> Cone {
        self.cone(at, radius, at, radius, colour)
    }
}

/// The whole dancer.
pub(super) fn figure(body: &Body, wear: &Clothes) -> Vec<Cone> {
    let mut out = trunk(body, wear);
    for side in [Foot::Left, Foot::Right] {
        leg(body, wear, side, &mut out);
        arm(body, wear, side, &mut out);
    }
    out.extend(head(body, wear));
    out
}

/// Upward along the trunk, of length 1.
fn upward(body: &Body) -> Vector3<f64> {
    (body.chest() - body.pelvis()).normalize()
}

/// A cone by its radii as shares of a height.
fn cone(h: f64, a: Point3<f64>, ra: f64, b: Point3<f64>, rb: f64, colour: Rgb) -> Cone {
    Cone {
        from: (a, ra * h),
        to: (b, rb * h),
        colour,
        over: 0.0,
    }
}

fn leg(body: &Body, wear: &Clothes, side: Foot, out: &mut Vec<Cone>) {
    let h = body.height;
    let [hip, knee, ankle, heel, toe] = Landmark::LEGS.map(|pair| body.joint(pair[side as usize]));
    let lift = Vector3::z() * 0.014 * h;
    let [heel, toe] = [heel + lift, toe + lift * 0.8];
    let ball = heel + (toe - heel) * 0.72;
    out.push(cone(h, hip, 0.052, knee, 0.036, wear.legs));
    // Bare ankles are slim, trousers fall over them.
    let hem = if wear.skirt { 0.020 } else { 0.027 };
    out.push(cone(h, knee, 0.034, ankle, hem, wear.legs));
    let shin = (ankle - knee).normalize();
    let foot = toe - heel;
    let back = -(foot - shin * foot.dot(&shin));
    if let Some(back) = back.try_normalize(1e-6) {
        let calf = |share: f64| knee + (ankle - knee) * share + back * 0.010 * h;
        out.push(cone(h, calf(0.15), 0.033, calf(0.5), 0.026, wear.legs));
    }
    out.push(cone(h, ankle, 0.021, heel, 0.019, wear.shoe));
    out.push(cone(h, ankle, 0.020, ball, 0.016, wear.shoe));
    out.push(cone(h, heel, 0.019, ball, 0.020, wear.shoe));
    out.push(cone(h, ball, 0.020, toe, 0.013, wear.shoe));
    if wear.skirt {
        // The cloth covers each thigh wherever it goes.
        let low = hip + (knee - hip) * 0.86;
        out.push(cone(h, hip, 0.064, low, 0.064, wear.top));
    }
}

fn arm(body: &Body, wear: &Clothes, side: Foot, out: &mut Vec<Cone>) {
    let h = body.height;
    let [shoulder, elbow, wrist, knuckle] =
        Landmark::ARMS.map(|pair| body.joint(pair[side as usize]));
    out.push(cone(h, shoulder, 0.036, elbow, 0.026, wear.top));
    out.push(cone(h, elbow, 0.025, wrist, 0.016, wear.skin));
    let tips = match (knuckle - wrist).try_normalize(1e-6) {
        Some(on) => knuckle + on * 0.028 * h,
        None => knuckle,
    };
    // A hand lies on what it holds.
    for mut part in [
        cone(h, wrist, 0.016, knuckle, 0.020, wear.skin),
        cone(h, knuckle, 0.019, tips, 0.010, wear.skin),
    ] {
        part.over = 0.02 * h;
        out.push(part);
    }
}

/// Chest, waist, pelvis, and what is worn down the front.
fn trunk(body: &Body, wear: &Clothes) -> Vec<Cone> {
    let h = body.height;
    let up = upward(body);
    let [shoulders, hips] = Landmark::TRUNK.map(|pair| pair.map(|l| body.joint(l)));
    let [left, right] = hips;
    let chest = Frame::new(body.chest(), body.facing(), up, h);
    let about = (left - right).cross(&up);
    let pelvis = Frame::new(body.pelvis(), about, up, h);
    let below = if wear.skirt { wear.top } else { wear.legs };
    let mut out = vec![
        cone(
            h,
            chest.point([0.0, 0.0, -0.05]),
            0.070,
            pelvis.point([0.0, 0.0, 0.05]),
            0.062,
            wear.top,
        ),
        cone(h, left, 0.056, right, 0.056, below),
    ];
    // Radius of each half of the chest's front, and how far ahead it lies.
    let [round, ahead] = if wear.skirt {
        [0.036, 0.042]
    } else {
        [0.052, 0.016]
    };
    for ((side, shoulder), hip) in [1.0, -1.0].into_iter().zip(shoulders).zip(hips) {
        out.push(cone(
            h,
            shoulder - up * 0.02 * h,
            0.042,
            hip + up * 0.05 * h,
            0.046,
            wear.top,
        ));
        // From the neck down to the shoulder.
        out.push(cone(
            h,
            chest.point([-0.005, 0.0, 0.035]),
            0.026,
            shoulder,
            0.030,
            wear.top,
        ));
        out.push(chest.ball([ahead, 0.036 * side, -0.065], round, wear.top));
        let out_to = (hip - pelvis.at).dot(&pelvis.left) / h;
        out.push(pelvis.ball([-0.020, 0.75 * out_to, -0.012], 0.052, below));
    }
    if wear.skirt {
        let knees = nalgebra::center(
            &body.joint(Landmark::LeftKnee),
            &body.joint(Landmark::RightKnee),
        );
        let down = |share: f64| pelvis.at + (knees - pelvis.at) * share;
        out.push(cone(h, down(0.0), 0.068, down(0.55), 0.088, wear.top));
        out.push(cone(h, down(0.5), 0.088, down(0.86), 0.098, wear.top));
    }
    let (colour, broad, long) = wear.front;
    let mut front = chest.cone(
        [0.056, 0.0, -0.010],
        broad,
        [0.064, 0.0, -0.010 - long],
        0.6 * broad,
        colour,
    );
    front.over = 0.03 * h;
    out.push(front);
    out
}

/// Neck, skull, hair and face, which is where the nose is.
fn head(body: &Body, wear: &Clothes) -> Vec<Cone> {
    let h = body.height;
    let (chest, up) = (body.chest(), upward(body));
    let nose = body.joint(Landmark::Nose);
    let mut skull = Frame::new(nose, nose - chest, up, h);
    skull.at = skull.point([-0.062, 0.0, 0.014]);
    let dark = shaded(wear.hair, 0.7);
    let mut out = vec![
        cone(
            h,
            chest,
            0.030,
            skull.point([0.0, 0.0, -0.03]),
            0.027,
            shaded(wear.skin, 0.94),
        ),
        skull.ball([0.0, 0.0, 0.0], 0.055, wear.skin),
        skull.cone(
            [0.008, 0.0, -0.012],
            0.048,
            [0.018, 0.0, -0.036],
            0.033,
            wear.skin,
        ),
        skull.cone(
            [-0.017, 0.0, 0.019],
            0.057,
            [-0.026, 0.0, 0.0],
            0.054,
            wear.hair,
        ),
        skull.cone(
            [0.020, -0.026, 0.046],
            0.017,
            [0.020, 0.026, 0.046],
            0.017,
            wear.hair,
        ),
        skull.cone(
            [0.062, 0.0, -0.014],
            0.010,
            [0.045, 0.0, 0.006],
            0.009,
            shaded(wear.skin, 0.96),
        ),
    ];
    if wear.skirt {
        out.push(skull.cone(
            [-0.03, 0.0, -0.01],
            0.048,
            [-0.032, 0.0, -0.05],
            0.036,
            wear.hair,
        ));
        out.push(skull.ball([-0.077, 0.0, 0.02], 0.026, wear.hair));
    }
    let mut mark = |mut cone: Cone| {
        cone.over = 0.012 * h;
        out.push(cone);
    };
    for side in [-1.0, 1.0] {
        mark(skull.ball(
            [-0.004, side * 0.054, -0.004],
            0.012,
            shaded(wear.skin, 0.9),
        ));
        mark(skull.ball([0.046, side * 0.021, 0.008], 0.0085, [240, 238, 232]));
        mark(skull.ball([0.0505, side * 0.022, 0.008], 0.0062, [50, 38, 32]));
        mark(skull.cone(
            [0.046, side * 0.011, 0.022],
            0.003,
            [0.042, side * 0.031, 0.022],
            0.003,
            dark,
        ));
    }
    mark(skull.cone(
        [0.052, -0.014, -0.036],
        0.0042,
        [0.052, 0.014, -0.036],
        0.0042,
        wear.lips,
    ));
    out
}
