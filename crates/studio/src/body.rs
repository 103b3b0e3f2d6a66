//! Nineteen joints from a posture: trunk over the feet, legs and arms by two-bone inverse kinematics.
//!
//! Segment lengths as shares of standing height: Drillis, R. & Contini, R. (1966), "Body segment
//! parameters", as tabulated by Winter, D. A. (2009), Biomechanics and Motor Control of Human
//! Movement, fig. 4.1.

use nalgebra::{Point3, Vector3};
use upright_core::body::Landmark;
use upright_core::chart::vocabulary::{Hand, Spot};
use upright_core::chart::{Hold, Position};
use upright_core::units::Foot;

use crate::motion::open;

const THIGH: f64 = 0.245;
const SHANK: f64 = 0.246;
const UPPER_ARM: f64 = 0.186;
const FOREARM: f64 = 0.146;
const HAND: f64 = 0.06;
const TRUNK: f64 = 0.288;
const HIPS: f64 = 0.10;
const SHOULDERS: f64 = 0.215;
const ANKLE: f64 = 0.039;
const FOOT: f64 = 0.152;
/// Hip height of soft knees.
const HIP_HEIGHT: f64 = 0.505;

/// What the motion says of a dancer at a moment.
pub(crate) struct Posture {
    /// Standing height, metres.
    pub height: f64,
    /// Under the pelvis, metres.
    pub centre: [f64; 2],
    /// Degrees from X.
    pub facing: f64,
    /// Middle of left and right foot with its lift as z, and its direction in degrees.
    pub feet: [(Point3<f64>, f64); 2],
    /// Lean away from the partner, degrees.
    pub lean: f64,
    /// Rise, share of height.
    pub rise: f64,
}

/// How the couple hold each other at a moment.
#[derive(Clone, Copy)]
pub(crate) struct Arms<'a> {
    /// Position.
    pub position: Position,
    /// Holds.
    pub holds: &'a [Hold],
}

fn side(hand: Hand) -> Foot {
    match hand {
        Hand::Left => Foot::Left,
        Hand::Right => Foot::Right,
    }
}

/// Wrists of leader and follower, left and right: held where the arms are long enough, else at rest.
fn targets(bodies: &[Body; 2], arms: &Arms) -> [[Point3<f64>; 2]; 2] {
    let mut out = bodies
        .each_ref()
        .map(|b| [Foot::Left, Foot::Right].map(|f| b.at_rest(f)));
    let [l, f] = bodies;
    let shoulder = |b: &Body, foot| b.joint(Landmark::arm(foot)[0]);
    for hold in arms.holds {
        match *hold {
            Hold::Hands(a, b) => {
                let (a, b) = (side(a), side(b));
                let mut joined = nalgebra::center(&shoulder(l, a), &shoulder(f, b));
                if open(arms.position) {
                    // Between the two shoulders, at the height of the lower ribs.
                    joined.z = 0.64 * 0.5 * (l.height + f.height);
                } else {
                    // Out to the side of the leader's hand at the smaller one's eye level.
                    let least = f.height.min(l.height);
                    let line = shoulder(l, a) - shoulder(l, a.other());
                    joined += line.normalize() * 0.25 * least;
                    joined.z = 0.84 * least;
                }
                if let Some((lw, fw)) = l.wrist(a, joined).zip(f.wrist(b, joined)) {
                    out[0][a as usize] = lw;
                    out[1][b as usize] = fw;
                }
            }
            Hold::LeaderOn(hand, spot) => {
                let foot = side(hand);
                let to = f.spot(spot, shoulder(l, foot));
                if l.wrist(foot, to).is_some() {
                    out[0][foot as usize] = to;
                }
            }
            Hold::FollowerOn(spot, hand) => {
                let foot = side(hand);
                let to = l.spot(spot, shoulder(f, foot));
                if f.wrist(foot, to).is_some() {
                    out[1][foot as usize] = to;
                }
            }
        }
    }
    out
}

/// A body: joint positions in metres.
#[derive(Debug, Clone, PartialEq)]
pub struct Body {
    joints: [Point3<f64>; 19],
    /// Standing height, metres.
    pub height: f64,
}

fn heading(degrees: f64) -> Vector3<f64> {
    let (s, c) = degrees.to_radians().sin_cos();
    Vector3::new(c, s, 0.0)
}

/// The middle joint of a limb of bones `a` and `b` from `root` to `end`, bent toward `pole`, and the
/// end brought into reach.
fn two_bones(
    root: Point3<f64>,
    end: Point3<f64>,
    [a, b]: [f64; 2],
    pole: Vector3<f64>,
) -> [Point3<f64>; 2] {
    let to = end - root;
    let d = to.norm().clamp((a - b).abs() + 0.02, (a + b) * 0.998);
    let along = to.normalize();
    let end = root + along * d;
    let x = (a * a - b * b + d * d) / (2.0 * d);
    let y = (a * a - x * x).max(0.0).sqrt();
    let side = (pole - along * pole.dot(&along)).normalize();
    [root + along * x + side * y, end]
}

impl Body {
    /// Position of a joint, metres.
    pub fn joint(&self, which: Landmark) -> Point3<f64> {
        self.joints[which as usize]
    }

    fn set(&mut self, which: Landmark, at: Point3<f64>) {
        self.joints[which as usize] = at;
    }

    /// Direction the chest faces: to the front of the shoulder line.
    pub fn facing(&self) -> Vector3<f64> {
        let line = self.joint(Landmark::RightShoulder) - self.joint(Landmark::LeftShoulder);
        Vector3::z().cross(&line).normalize()
    }

    /// Both bodies with their hands where the holds ask; `share` of the way from one state of the
    /// arms to the next.
    pub(crate) fn couple(
        postures: [Posture; 2],
        [before, now]: [Arms; 2],
        share: f64,
    ) -> [Self; 2] {
        let mut bodies = postures.map(|p| Self::standing(&p));
        let mut targets = targets(&bodies, &now);
        if share < 1.0 {
            let was = self::targets(&bodies, &before);
            for (t, w) in targets.iter_mut().flatten().zip(was.iter().flatten()) {
                *t = w + (*t - w) * share;
            }
        }
        for (body, targets) in bodies.iter_mut().zip(targets) {
            for (side, target) in [Foot::Left, Foot::Right].into_iter().zip(targets) {
                body.reach(side, target);
            }
        }
        bodies
    }

    /// Where the wrist comes when the fingers are at a place, if the arm is long enough.
    fn wrist(&self, side: Foot, fingers: Point3<f64>) -> Option<Point3<f64>> {
        let [shoulder, ..] = Landmark::arm(side);
        let s = self.joint(shoulder);
        // The wrist stays a hand's length short of the fingers.
        let to = s + (fingers - s) * (1.0 - HAND * self.height / (fingers - s).norm().max(0.1));
        ((to - s).norm() <= 0.99 * (UPPER_ARM + FOREARM) * self.height).then_some(to)
    }

    /// A place on the body for a partner's hand that comes from `near`.
    fn spot(&self, spot: Spot, near: Point3<f64>) -> Point3<f64> {
        let shoulders = [Landmark::LeftShoulder, Landmark::RightShoulder].map(|l| self.joint(l));
        let [a, b] = shoulders.map(|s| (s - near).norm());
        let shoulder = shoulders[usize::from(b < a)];
        let hips = nalgebra::center(
            &self.joint(Landmark::LeftHip),
            &self.joint(Landmark::RightHip),
        );
        let up = Vector3::z();
        match spot {
            Spot::ShoulderBlade => shoulder - self.facing() * 0.07 - up * 0.12,
            Spot::UpperArm => shoulder + self.facing() * 0.02 - up * 0.10,
            Spot::Shoulder => shoulder + up * 0.03,
            Spot::Back => {
                nalgebra::center(&shoulders[0], &shoulders[1]) - self.facing() * 0.09 - up * 0.16
            }
            Spot::Waist => hips + (near - hips).normalize() * 0.14 + up * 0.08,
        }
    }

    fn at_rest(&self, side: Foot) -> Point3<f64> {
        let [shoulder, ..] = Landmark::arm(side);
        let h = self.height;
        let left = Vector3::z().cross(&self.facing());
        self.joint(shoulder) + self.facing() * 0.16 * h + left * side.side() * 0.04 * h
            - Vector3::z() * 0.23 * h
    }

    fn reach(&mut self, side: Foot, target: Point3<f64>) {
        let [s, e, w] = Landmark::arm(side);
        let h = self.height;
        let left = Vector3::z().cross(&self.facing());
        let pole = -Vector3::z() + left * side.side() * 0.5 - self.facing() * 0.25;
        let [elbow, wrist] = two_bones(self.joint(s), target, [UPPER_ARM * h, FOREARM * h], pole);
        self.set(e, elbow);
        self.set(w, wrist);
        let knuckle = match side {
            Foot::Left => Landmark::LeftKnuckle,
            Foot::Right => Landmark::RightKnuckle,
        };
        self.set(knuckle, wrist + (wrist - elbow).normalize() * HAND * h);
    }

    fn standing(p: &Posture) -> Self {
        let h = p.height;
        let mut body = Self {
            joints: [Point3::origin(); 19],
            height: h,
        };
        let ahead = heading(p.facing);
        let left = Vector3::z().cross(&ahead);
        let ankles = p
            .feet
            .map(|(at, yaw)| at - heading(yaw) * 0.3 * FOOT * h + Vector3::z() * ANKLE * h);
        // The hips sink as far as the longer leg asks.
        let mut hips = Point3::new(p.centre[0], p.centre[1], (HIP_HEIGHT + p.rise) * h);
        let leg = 0.985 * (THIGH + SHANK) * h;
        for (side, ankle) in [Foot::Left, Foot::Right].into_iter().zip(&ankles) {
            let socket = hips + left * side.side() * 0.5 * HIPS * h;
            let flat = (ankle.xy() - socket.xy()).norm_squared();
            let top = ankle.z + (leg * leg - flat).max(0.04).sqrt();
            hips.z = hips.z.min(top);
        }
        let (s, c) = p.lean.to_radians().sin_cos();
        let trunk = (Vector3::z() * c - ahead * s) * TRUNK * h;
        let chest = hips + trunk;
        body.set(
            Landmark::Nose,
            chest + trunk.normalize() * 0.12 * h + ahead * 0.065 * h,
        );
        for (side, (foot, ankle)) in [Foot::Left, Foot::Right]
            .into_iter()
            .zip(p.feet.iter().zip(ankles))
        {
            let (hip, knee, ankle_name, shoulder) = match side {
                Foot::Left => (
                    Landmark::LeftHip,
                    Landmark::LeftKnee,
                    Landmark::LeftAnkle,
                    Landmark::LeftShoulder,
                ),
                Foot::Right => (
                    Landmark::RightHip,
                    Landmark::RightKnee,
                    Landmark::RightAnkle,
                    Landmark::RightShoulder,
                ),
            };
            let socket = hips + left * side.side() * 0.5 * HIPS * h;
            body.set(hip, socket);
            body.set(shoulder, chest + left * side.side() * 0.5 * SHOULDERS * h);
            let toe_ward = heading(foot.1);
            let [knee_at, ankle_at] = two_bones(
                socket,
                ankle,
                [THIGH * h, SHANK * h],
                toe_ward + ahead * 0.5,
            );
            body.set(knee, knee_at);
            body.set(ankle_name, ankle_at);
            let [heel, toe] = Landmark::heel_toe(side);
            body.set(heel, foot.0 - toe_ward * 0.5 * FOOT * h);
            body.set(toe, foot.0 + toe_ward * 0.5 * FOOT * h);
        }
        body
    }
}
