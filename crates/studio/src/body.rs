//! Nineteen joints from a posture: trunk over the feet, legs and arms by two-bone inverse kinematics.

use nalgebra::{Point3, Rotation3, Unit, Vector3};
use upright_core::body::Landmark;
use upright_core::chart::vocabulary::{Hand, Spot};
use upright_core::chart::{Hold, Position};
use upright_core::units::Foot;

use crate::motion::open;
use crate::nature::Build;

/// Hip height of soft knees.
const HIP_HEIGHT: f64 = 0.505;

/// How far below the own shoulder a hand on the partner's back lies at most, metres.
const HELD_BELOW: f64 = 0.26;

/// Least angle of an elbow and of a knee, degrees.
const TIGHTEST: [f64; 2] = [35.0, 50.0];

/// A foot on the floor or on its way.
#[derive(Debug, Clone, Copy)]
pub(crate) struct FootPose {
    /// Middle of the foot when it stands, with its height as z, metres.
    pub at: Point3<f64>,
    /// Direction, degrees from X.
    pub yaw: f64,
    /// Heel up over the ball when positive, toe up over the heel when negative, degrees.
    pub pitch: f64,
}

/// What the motion says of a dancer at a moment.
pub(crate) struct Posture {
    /// Standing height, metres.
    pub height: f64,
    /// Lengths of the body.
    pub build: Build,
    /// Under the pelvis, metres.
    pub centre: [f64; 2],
    /// Directions of pelvis, chest and head, degrees from X.
    pub facing: [f64; 3],
    /// Left and right.
    pub feet: [FootPose; 2],
    /// Lean of the trunk away from where the dancer faces, and to the own left, degrees.
    pub lean: [f64; 2],
    /// Hips behind the line from ankles to shoulders, metres.
    pub hips_back: f64,
    /// Head ahead of where it belongs, metres.
    pub head_ahead: f64,
    /// Rise, share of height.
    pub rise: f64,
    /// Ankles over the outer edges, degrees.
    pub edge: f64,
    /// What the arms do.
    pub arms: ArmWays,
}

/// What a dancer does with the arms beyond holding on.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct ArmWays {
    /// How much the joined elbow is brought to an angle: share and degrees.
    pub elbow: [f64; 2],
    /// Change of the joined elbow, degrees.
    pub elbow_by: f64,
    /// Elbow under the shoulder: share to which it is brought there, and metres.
    pub dropped: [f64; 2],
    /// Wrist bend, degrees.
    pub wrist: f64,
    /// Joined hand ahead of the chest's turn, degrees to the left.
    pub ahead: f64,
    /// Joined hand off the couple's line, metres.
    pub aside: f64,
    /// Share to which the joined hand is brought near the partner's face, and how near, metres.
    pub face: [f64; 2],
    /// Share to which the joined hand is brought inside the line of the partner's chest.
    pub crowd: f64,
    /// Trembling of the joined hand, metres.
    pub tremble: [f64; 3],
}

/// Where a single joined hand goes beyond its usual height.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct HandPath {
    /// Over the follower's head, share.
    pub over: f64,
    /// Down below the waist, share.
    pub down: f64,
    /// Signal: up by so many metres.
    pub signal: f64,
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

/// A body: joint positions in metres.
#[derive(Debug, Clone, PartialEq)]
pub struct Body {
    joints: [Point3<f64>; 19],
    /// Standing height, metres.
    pub height: f64,
    pub(crate) build: Build,
}

fn heading(degrees: f64) -> Vector3<f64> {
    let (s, c) = degrees.to_radians().sin_cos();
    Vector3::new(c, s, 0.0)
}

/// Distance between the ends of two bones that meet at an angle, degrees.
fn reach_at([a, b]: [f64; 2], angle: f64) -> f64 {
    (a * a + b * b - 2.0 * a * b * angle.to_radians().cos())
        .max(0.0)
        .sqrt()
}

/// The middle joint of a limb of bones `a` and `b` from `root` to `end`, bent toward `pole` and no
/// further than `tightest` degrees, and the end brought into reach.
fn two_bones(
    root: Point3<f64>,
    end: Point3<f64>,
    [a, b]: [f64; 2],
    pole: Vector3<f64>,
    tightest: f64,
) -> [Point3<f64>; 2] {
    let to = end - root;
    let d = to
        .norm()
        .clamp(reach_at([a, b], tightest), (a + b) * 0.9985);
    let along = to.normalize();
    let end = root + along * d;
    let x = (a * a - b * b + d * d) / (2.0 * d);
    let y = (a * a - x * x).max(0.0).sqrt();
    let side = (pole - along * pole.dot(&along)).normalize();
    [root + along * x + side * y, end]
}

/// Wrists of leader and follower, left and right: held where the arms are long enough, else at rest.
fn targets(
    bodies: &[Body; 2],
    arms: &Arms,
    path: &HandPath,
    ways: &[ArmWays; 2],
) -> [[Point3<f64>; 2]; 2] {
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
                    joined = in_front(joined, bodies, path, ways, [a, b]);
                } else {
                    // Out to the side of the leader's hand at the smaller one's eye level.
                    let least = f.height.min(l.height);
                    let line = shoulder(l, a) - shoulder(l, a.other());
                    joined += line.normalize() * 0.25 * least;
                    joined.z = 0.84 * least;
                }
                // Arms are not equally long: the hands meet where both reach, or as near as they can.
                for (body, side) in [(l, a), (f, b), (l, a)] {
                    let s = shoulder(body, side);
                    let far = (joined - s).norm() - body.arm_reach();
                    if far > 0.0 {
                        joined -= (joined - s).normalize() * far;
                    }
                }
                out[0][a as usize] = l.wrist(a, joined);
                out[1][b as usize] = f.wrist(b, joined);
            }
            Hold::LeaderOn(hand, spot) => {
                let foot = side(hand);
                let mut to = f.spot(spot, shoulder(l, foot));
                // A tall leader holds a small follower higher up rather than let the elbow hang.
                to.z = to.z.max(shoulder(l, foot).z - HELD_BELOW);
                if l.reaches(foot, to) {
                    out[0][foot as usize] = to;
                }
            }
            Hold::FollowerOn(spot, hand) => {
                let foot = side(hand);
                let to = l.spot(spot, shoulder(f, foot));
                if f.reaches(foot, to) {
                    out[1][foot as usize] = to;
                }
            }
        }
    }
    out
}

/// How far inside the line of the partner's chest a crowding hand comes, metres: the wrist follows it.
const CROWDED: f64 = 0.25;

/// Where hands are joined in an open position: between the two shoulders at the height of the lower
/// ribs, and from there where the lead and the dancers' ways take them.
fn in_front(
    between: Point3<f64>,
    bodies: &[Body; 2],
    path: &HandPath,
    ways: &[ArmWays; 2],
    sides: [Foot; 2],
) -> Point3<f64> {
    let [l, f] = bodies;
    let mut joined = between;
    joined.z = 0.64 * 0.5 * (l.height + f.height) + path.signal;
    joined.z += path.down * (0.47 * f.height - joined.z);
    if path.over > 0.0 {
        let mut crown = f.chest();
        crown.z = 1.08 * f.height;
        joined += path.over * (crown - joined);
    }
    for (i, (body, ways)) in bodies.iter().zip(ways).enumerate() {
        let chest = body.chest();
        let turn = Rotation3::from_axis_angle(&Vector3::z_axis(), ways.ahead.to_radians());
        let mut from = joined - chest;
        from = turn * from;
        joined = chest + from;
        let line = (l.chest() - f.chest()).cross(&Vector3::z());
        if line.norm() > 0.05 {
            joined += line.normalize() * ways.aside;
        }
        let shoulder = body.joint(Landmark::arm(sides[i])[0]);
        let bones = body.arm_bones();
        let out = joined - shoulder;
        // The hand lies beyond the wrist.
        let fingers = body.build.hand * body.height;
        let now = body.elbow_of(out.norm() - fingers);
        let [share, angle] = ways.elbow;
        let wished = now + share * (angle - now) + ways.elbow_by;
        if (wished - now).abs() > 0.1 {
            let long = reach_at(bones, wished.clamp(TIGHTEST[0], 178.0)) + fingers;
            joined = shoulder + out.normalize() * long;
        }
        let [share, near] = ways.face;
        if share > 0.0 {
            let face = bodies[1 - i].joint(Landmark::Nose);
            let out = body.chest() - face;
            joined += share * (face + out.normalize() * near - joined);
        }
        if ways.crowd > 0.0 {
            let chest = bodies[1 - i].chest();
            let mut inside = chest + (chest - body.chest()).normalize() * CROWDED;
            inside.z = joined.z;
            joined += ways.crowd * (inside - joined);
        }
        joined += Vector3::from(ways.tremble);
    }
    joined
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

    /// Middle of the shoulders.
    pub fn chest(&self) -> Point3<f64> {
        nalgebra::center(
            &self.joint(Landmark::LeftShoulder),
            &self.joint(Landmark::RightShoulder),
        )
    }

    /// Middle of the hips.
    pub fn pelvis(&self) -> Point3<f64> {
        nalgebra::center(
            &self.joint(Landmark::LeftHip),
            &self.joint(Landmark::RightHip),
        )
    }

    /// Middle between the feet on the floor, metres.
    pub fn stand(&self) -> [f64; 2] {
        let feet = [
            Landmark::LeftHeel,
            Landmark::LeftToe,
            Landmark::RightHeel,
            Landmark::RightToe,
        ];
        let sum: Vector3<f64> = feet.iter().map(|l| self.joint(*l).coords).sum();
        [0.25 * sum.x, 0.25 * sum.y]
    }

    /// Angle of an elbow or a knee between its two bones, degrees: 180 when straight.
    pub fn angle(&self, [from, at, to]: [Landmark; 3]) -> f64 {
        let a = self.joint(from) - self.joint(at);
        a.angle(&(self.joint(to) - self.joint(at))).to_degrees()
    }

    fn arm_bones(&self) -> [f64; 2] {
        [self.build.upper_arm, self.build.forearm].map(|b| b * self.height)
    }

    /// Elbow angle when shoulder and wrist are so far apart, degrees.
    fn elbow_of(&self, apart: f64) -> f64 {
        let [a, b] = self.arm_bones();
        let c = (a * a + b * b - apart * apart) / (2.0 * a * b);
        c.clamp(-1.0, 1.0).acos().to_degrees()
    }

    /// Both bodies with their hands where the holds ask; `share` of the way from one state of the
    /// arms to the next.
    pub(crate) fn couple(
        mut postures: [Posture; 2],
        [before, now]: [Arms; 2],
        share: f64,
        path: &HandPath,
    ) -> [Self; 2] {
        let mut bodies = postures.each_ref().map(Self::standing);
        for _ in 0..2 {
            let Some(by) = crowding(&bodies).or_else(|| pull(&bodies, &now, share)) else {
                break;
            };
            // Each gives way by half.
            for (p, sign) in postures.iter_mut().zip([-0.5, 0.5]) {
                p.centre = [p.centre[0] + sign * by.x, p.centre[1] + sign * by.y];
            }
            bodies = postures.each_ref().map(Self::standing);
        }
        let ways = postures.each_ref().map(|p| p.arms);
        let mut targets = targets(&bodies, &now, path, &ways);
        if share < 1.0 {
            let was = self::targets(&bodies, &before, path, &ways);
            for (t, w) in targets.iter_mut().flatten().zip(was.iter().flatten()) {
                *t = w + (*t - w) * share;
            }
        }
        let framed = !open(now.position);
        for ((body, targets), ways) in bodies.iter_mut().zip(targets).zip(&ways) {
            for (side, target) in [Foot::Left, Foot::Right].into_iter().zip(targets) {
                body.reach(side, target, framed, ways);
            }
        }
        bodies
    }

    /// Somebody who holds nobody, with the arms at rest.
    pub(crate) fn alone(posture: &Posture) -> Self {
        let mut body = Self::standing(posture);
        for side in [Foot::Left, Foot::Right] {
            body.reach(side, body.at_rest(side), false, &posture.arms);
        }
        body
    }

    /// From the shoulder to the fingers of an arm that is all but straight.
    fn arm_reach(&self) -> f64 {
        let [a, b] = self.arm_bones();
        0.9985 * (a + b) + self.build.hand * self.height
    }

    /// Whether the fingers come to a place.
    fn reaches(&self, side: Foot, fingers: Point3<f64>) -> bool {
        let [shoulder, ..] = Landmark::arm(side);
        (fingers - self.joint(shoulder)).norm() <= self.arm_reach()
    }

    /// Where the wrist is when the fingers are at a place, or stretched toward it: a hand's length short of it.
    fn wrist(&self, side: Foot, fingers: Point3<f64>) -> Point3<f64> {
        let [shoulder, ..] = Landmark::arm(side);
        let s = self.joint(shoulder);
        let out = (fingers - s).norm().max(0.1);
        let hand = self.build.hand * self.height;
        s + (fingers - s) * ((out.min(self.arm_reach()) - hand) / out)
    }

    /// A place on the body for a partner's hand that comes from `near`.
    fn spot(&self, spot: Spot, near: Point3<f64>) -> Point3<f64> {
        let shoulders = [Landmark::LeftShoulder, Landmark::RightShoulder].map(|l| self.joint(l));
        let [a, b] = shoulders.map(|s| (s - near).norm());
        let shoulder = shoulders[usize::from(b < a)];
        let hips = self.pelvis();
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

    fn reach(&mut self, side: Foot, target: Point3<f64>, framed: bool, ways: &ArmWays) {
        let [s, e, w] = Landmark::arm(side);
        let h = self.height;
        let left = Vector3::z().cross(&self.facing()) * side.side();
        // Hanging in an open hold, carried in a frame.
        let pole = if framed {
            -Vector3::z() * 0.45 + left
        } else {
            -Vector3::z() + left * 0.5 - self.facing() * 0.25
        };
        let shoulder = self.joint(s);
        let [mut elbow, wrist] = two_bones(shoulder, target, self.arm_bones(), pole, TIGHTEST[0]);
        if ways.dropped[0] > 0.0 {
            elbow = dropped(shoulder, elbow, wrist, ways.dropped);
        }
        self.set(e, elbow);
        self.set(w, wrist);
        let knuckle = match side {
            Foot::Left => Landmark::LeftKnuckle,
            Foot::Right => Landmark::RightKnuckle,
        };
        let along = (wrist - elbow).normalize();
        let mut hand = along;
        let hinge = along.cross(&Vector3::z());
        if ways.wrist != 0.0 && hinge.norm() > 0.05 {
            // The hand hangs from the wrist.
            hand =
                Rotation3::from_axis_angle(&Unit::new_normalize(hinge), -ways.wrist.to_radians())
                    * along;
        }
        self.set(knuckle, wrist + hand * self.build.hand * h);
    }

    fn standing(p: &Posture) -> Self {
        let h = p.height;
        let b = p.build;
        let mut body = Self {
            joints: [Point3::origin(); 19],
            height: h,
            build: b,
        };
        let [pelvis, chest_yaw, head_yaw] = p.facing;
        let ahead = heading(pelvis);
        let left = Vector3::z().cross(&ahead);
        let feet = [Foot::Left, Foot::Right].map(|side| {
            let [heel, toe, ankle] = foot(&p.feet[side as usize], b.foot * h, b.ankle * h);
            let over = left * side.side() * (b.ankle * h * p.edge.to_radians().tan());
            [heel, toe, ankle + over]
        });
        for (side, [heel, toe, _]) in [Foot::Left, Foot::Right].into_iter().zip(feet) {
            let names = Landmark::heel_toe(side);
            body.set(names[0], heel);
            body.set(names[1], toe);
        }
        let mut hips =
            Point3::new(p.centre[0], p.centre[1], (HIP_HEIGHT + p.rise) * h) - ahead * p.hips_back;
        hips.z -= sunk(p, hips, feet.map(|f| f[2]));
        let chest_ahead = heading(chest_yaw);
        let chest_left = Vector3::z().cross(&chest_ahead);
        let [away, aside] = p.lean.map(f64::to_radians);
        // Bent at the hips, the shoulders stay over the feet.
        let length = b.trunk * h;
        let bent = (p.hips_back / length).clamp(-0.9, 0.9);
        let mut trunk = Vector3::z() - chest_ahead * away.tan() + chest_left * aside.tan();
        trunk = trunk.normalize() + ahead * bent;
        let trunk = trunk.normalize() * length;
        let chest = hips + trunk;
        let head = heading(head_yaw);
        body.set(
            Landmark::Nose,
            chest
                + trunk.normalize() * (0.12 * h - 0.4 * p.head_ahead)
                + head * (0.065 * h + p.head_ahead),
        );
        for (side, (pose, [.., ankle])) in [Foot::Left, Foot::Right]
            .into_iter()
            .zip(p.feet.iter().zip(feet))
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
            let socket = hips + left * side.side() * 0.5 * b.hips * h;
            body.set(hip, socket);
            body.set(
                shoulder,
                chest + chest_left * side.side() * 0.5 * b.shoulders * h,
            );
            let [knee_at, ankle_at] = two_bones(
                socket,
                ankle,
                [b.thigh * h, b.shank * h],
                heading(pose.yaw) + ahead * 0.5,
                TIGHTEST[1],
            );
            body.set(knee, knee_at);
            body.set(ankle_name, ankle_at);
        }
        body
    }
}

/// How far the hips sink below where the posture wants them, because the longer leg asks for it, metres.
fn sunk(p: &Posture, hips: Point3<f64>, ankles: [Point3<f64>; 2]) -> f64 {
    let b = &p.build;
    let left = Vector3::z().cross(&heading(p.facing[0]));
    let leg = 0.985 * (b.thigh + b.shank) * p.height;
    let sides = [Foot::Left, Foot::Right].into_iter().zip(ankles);
    sides.fold(0.0, |most: f64, (side, ankle)| {
        let socket = hips + left * side.side() * 0.5 * b.hips * p.height;
        let flat = (ankle.xy() - socket.xy()).norm_squared();
        let top = ankle.z + (leg * leg - flat).max(0.04).sqrt();
        most.max(hips.z - top)
    })
}

/// How far the hips of a posture sink, share of the height.
pub(crate) fn sinking(p: &Posture) -> f64 {
    let b = &p.build;
    let h = p.height;
    let hips = Point3::new(p.centre[0], p.centre[1], (HIP_HEIGHT + p.rise) * h)
        - heading(p.facing[0]) * p.hips_back;
    let ankles = [Foot::Left, Foot::Right]
        .map(|side| foot(&p.feet[side as usize], b.foot * h, b.ankle * h)[2]);
    sunk(p, hips, ankles) / h
}

/// Least distance of the middles of two trunks, metres: chests that touch.
const CHESTS: f64 = 0.21;

/// Furthest that joined arms draw the two bodies toward each other over their feet, metres in all.
const DRAWN: f64 = 0.16;

/// Arms at their longest do not let go: they draw the bodies together. How far the second one must move,
/// metres on the floor.
fn pull(bodies: &[Body; 2], arms: &Arms, share: f64) -> Option<Vector3<f64>> {
    if !open(arms.position) {
        return None;
    }
    let [l, f] = bodies;
    let missing = arms
        .holds
        .iter()
        .filter_map(|hold| {
            let Hold::Hands(a, b) = *hold else {
                return None;
            };
            let ends =
                [(l, side(a)), (f, side(b))].map(|(body, side)| body.joint(Landmark::arm(side)[0]));
            let mut joined = nalgebra::center(&ends[0], &ends[1]);
            joined.z = 0.64 * 0.5 * (l.height + f.height);
            let short = [l, f].into_iter().zip(ends).map(|(body, shoulder)| {
                let [upper, fore] = body.arm_bones();
                let long = 0.995 * (upper + fore) + body.build.hand * body.height;
                (joined - shoulder).norm() - long
            });
            short.reduce(f64::max)
        })
        .fold(0.0, f64::max);
    let mut way = l.chest() - f.chest();
    way.z = 0.0;
    // The hand hangs lower than the shoulder, so that a little more is needed along the floor.
    let by = (2.3 * missing).min(DRAWN) * share;
    (by > 1e-4 && way.norm() > 0.3).then(|| way.normalize() * by)
}

/// How far the second body must move from the first so that chests touch and no more, metres on the
/// floor; none where there is room.
fn crowding(bodies: &[Body; 2]) -> Option<Vector3<f64>> {
    let [l, f] = bodies.each_ref().map(|b| [b.pelvis(), b.chest()]);
    let mut worst: Option<(f64, Vector3<f64>)> = None;
    for i in 0..=6 {
        let share = f64::from(i) / 6.0;
        let [a, b] = [l, f].map(|[low, high]| low + (high - low) * share);
        let mut apart = b - a;
        apart.z = 0.0;
        let missing = CHESTS - apart.norm();
        if missing > worst.map_or(0.0, |w| w.0) && apart.norm() > 1e-3 {
            worst = Some((missing, apart.normalize()));
        }
    }
    worst.map(|(missing, way)| way * missing)
}

/// Heel, toe and ankle of a foot. The part of it that stays on the floor stays in its place.
fn foot(pose: &FootPose, length: f64, ankle: f64) -> [Point3<f64>; 3] {
    let ahead = heading(pose.yaw);
    let (s, c) = pose.pitch.abs().to_radians().sin_cos();
    let (heel, toe) = if pose.pitch >= 0.0 {
        let toe = pose.at + ahead * 0.5 * length;
        (toe - ahead * c * length + Vector3::z() * s * length, toe)
    } else {
        let heel = pose.at - ahead * 0.5 * length;
        (heel, heel + ahead * c * length + Vector3::z() * s * length)
    };
    let along = (toe - heel).normalize();
    let up = ahead.cross(&Vector3::z()).cross(&along).normalize();
    let up = if up.z < 0.0 { -up } else { up };
    [heel, toe, heel + along * 0.2 * length + up * ankle]
}

/// The elbow brought toward a height below the shoulder by turning it about the line to the wrist.
fn dropped(
    shoulder: Point3<f64>,
    elbow: Point3<f64>,
    wrist: Point3<f64>,
    [share, below]: [f64; 2],
) -> Point3<f64> {
    let Some(axis) = Unit::try_new(wrist - shoulder, 1e-6) else {
        return elbow;
    };
    let height = elbow.z + share * (shoulder.z - below - elbow.z);
    let at = |degrees: f64| {
        shoulder + Rotation3::from_axis_angle(&axis, degrees.to_radians()) * (elbow - shoulder)
    };
    // The smallest turn that comes nearest to the height.
    (-90..=90)
        .map(|i| f64::from(i) * 2.0)
        .map(|a| (a, at(a)))
        .min_by(|a, b| {
            let cost = |(turn, p): &(f64, Point3<f64>)| (p.z - height).abs() + 1e-5 * turn.abs();
            cost(a).total_cmp(&cost(b))
        })
        .map_or(elbow, |(_, p)| p)
}
