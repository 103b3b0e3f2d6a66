//! Each measure by its definition: two bodies built joint by joint, one thing about one of them made otherwise by a
//! known amount, and what the measures say of it.
#![allow(clippy::unwrap_used, clippy::panic)]

use nalgebra::{Point3, Vector3};
use upright_core::body::Landmark;
use upright_core::body::solve::Bodies;
use upright_core::chart::{Shelf, chart};
use upright_core::fault::Rules;
use upright_core::marks::{CountSource, MarkCommand, Marks};
use upright_core::measure::{CoupleBody, Measure, Scene, measure};
use upright_core::take::{Film, Solved, Take};
use upright_core::units::{Estimate, MediaTime, Role};

use Landmark as L;
use Role::{Follower, Leader};

const HEIGHTS: [f64; 2] = [1.80, 1.66];
const TEMPO: f64 = 100.0;
const REPETITIONS: u32 = 2;
/// Standard error of every coordinate, metres.
const KNOWN: f64 = 0.001;

/// How a dancer stands.
#[derive(Clone)]
struct Dancer {
    tall: f64,
    /// Middle of the hips on the floor, metres.
    at: [f64; 2],
    /// Directions of hips, shoulders and feet, degrees from X.
    hips: f64,
    shoulders: f64,
    feet: f64,
    /// Trunk forward and to the own left, degrees from the vertical.
    lean: [f64; 2],
    /// Left shoulder over the right one, degrees.
    tilt: f64,
    /// Hips behind where they are on a straight body, metres.
    behind: f64,
    /// Nose further ahead than on a straight neck, metres.
    poked: f64,
    /// Each foot turned out, degrees.
    turnout: f64,
    /// Hips higher than usual, metres.
    raised: f64,
    /// Bend of both knees, degrees.
    knees: f64,
    /// Both arms: upper arm from the trunk in the plane ahead, elbow (180 is straight), bend of the wrist, degrees.
    arms: [f64; 3],
}

const UPPER_ARM: f64 = 0.30;
const FOREARM: f64 = 0.25;
const HAND: f64 = 0.08;
const THIGH: f64 = 0.44;
const SHIN: f64 = 0.43;
const TRUNK: f64 = 0.50;
const HIP: f64 = 0.93;

fn unit(degrees: f64) -> Vector3<f64> {
    let (s, c) = degrees.to_radians().sin_cos();
    Vector3::new(c, s, 0.0)
}

impl Dancer {
    /// Upright, facing along X (the leader) or against it, arms hanging half bent, 90 cm from the partner.
    fn upright(role: Role) -> Self {
        let (x, facing) = match role {
            Leader => (-0.45, 0.0),
            Follower => (0.45, 180.0),
        };
        Self {
            tall: HEIGHTS[role as usize],
            at: [x, 0.0],
            hips: facing,
            shoulders: facing,
            feet: facing,
            lean: [0.0; 2],
            tilt: 0.0,
            behind: 0.0,
            poked: 0.0,
            turnout: 0.0,
            raised: 0.0,
            knees: 0.0,
            arms: [20.0, 110.0, 0.0],
        }
    }

    fn joints(&self) -> [Point3<f64>; 19] {
        let mut out = [Point3::origin(); 19];
        let mut set = |l: Landmark, p: Vector3<f64>| out[l as usize] = p.into();
        let up = Vector3::z();
        let ahead = unit(self.shoulders);
        let left = up.cross(&ahead);
        let under = Vector3::new(self.at[0], self.at[1], 0.0);
        let hips = under - ahead * self.behind + up * (HIP + self.raised);
        let [forward, side] = self.lean.map(|d| d.to_radians().tan());
        // What the hips go behind, the shoulders do not.
        let chest =
            under + up * (HIP + self.raised + TRUNK) + (ahead * forward + left * side) * TRUNK;
        let across = (left + up * self.tilt.to_radians().tan()).normalize() * 0.18;
        let hip_left = up.cross(&unit(self.hips));
        let nose = chest + up * 0.2 + ahead * (0.065 * self.tall + self.poked);
        set(L::Nose, nose);
        let arms = [
            (
                1.0,
                [L::LeftShoulder, L::LeftElbow, L::LeftWrist, L::LeftKnuckle],
            ),
            (
                -1.0,
                [
                    L::RightShoulder,
                    L::RightElbow,
                    L::RightWrist,
                    L::RightKnuckle,
                ],
            ),
        ];
        let down = (hips - chest).normalize();
        let front = (ahead - down * ahead.dot(&down)).normalize();
        let toward = |degrees: f64| {
            let (s, c) = degrees.to_radians().sin_cos();
            down * c + front * s
        };
        let [open, elbow, wrist] = self.arms;
        let fore = open + 180.0 - elbow;
        for (side, [s, e, w, k]) in arms {
            let shoulder = chest + across * side;
            set(s, shoulder);
            set(e, shoulder + toward(open) * UPPER_ARM);
            let hand = shoulder + toward(open) * UPPER_ARM + toward(fore) * FOREARM;
            set(w, hand);
            set(k, hand + toward(fore + wrist) * HAND);
        }
        let legs = [
            (
                1.0,
                [
                    L::LeftHip,
                    L::LeftKnee,
                    L::LeftAnkle,
                    L::LeftHeel,
                    L::LeftToe,
                ],
            ),
            (
                -1.0,
                [
                    L::RightHip,
                    L::RightKnee,
                    L::RightAnkle,
                    L::RightHeel,
                    L::RightToe,
                ],
            ),
        ];
        let (s, c) = self.knees.to_radians().sin_cos();
        for (side, [h, k, a, heel, toe]) in legs {
            let hip = hips + hip_left * (0.1 * side);
            let foot = unit(self.feet + side * self.turnout);
            // Knees go ahead: the shin stands upright, the thigh slants.
            let knee = hip + (unit(self.hips) * s - up * c) * THIGH;
            let ankle = knee - up * SHIN;
            set(h, hip);
            set(k, knee);
            set(a, ankle);
            let floor = Vector3::new(ankle.x, ankle.y, 0.0);
            set(heel, floor - foot * 0.05);
            set(toe, floor + foot * 0.17);
        }
        out
    }
}

/// Everything measured of two dancers who stand still, but for what `pose` makes of them at each moment (counted in
/// beats from the first count).
fn measured(figure: &str, pose: impl Fn(Role, f64, &mut Dancer)) -> Vec<Measure> {
    let mut marks = Marks::default();
    let one = MediaTime::from_secs(1.0);
    for command in [
        MarkCommand::NameFigure {
            chart: figure.into(),
            repetitions: REPETITIONS,
        },
        MarkCommand::SetCount {
            count: CountSource::Tempo { bpm: TEMPO, one },
        },
    ] {
        command.apply(&mut marks).unwrap();
    }
    let at: Vec<f64> = (0..400).map(|i| 0.05 * f64::from(i)).collect();
    let of = |role: Role| {
        let joints: Vec<_> = at
            .iter()
            .map(|t| {
                let mut dancer = Dancer::upright(role);
                pose(role, (t - 1.0) * TEMPO / 60.0, &mut dancer);
                dancer.joints()
            })
            .collect();
        let planted = vec![[[true; 2]; 2]; at.len()];
        Bodies::known(HEIGHTS[role as usize], at.clone(), &joints, planted, KNOWN)
    };
    let take = Take {
        marks: &marks,
        couple: CoupleBody {
            heights: HEIGHTS,
            frame_limit: Some(1.20),
        },
        films: &[Film::new([1280.0, 720.0])],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let solved = Solved::known([of(Leader), of(Follower)]);
    measure(&Scene::new(&take, Some(&solved)))
}

/// The readings of a measure, which must be there and all alike.
fn one(all: &[Measure], id: &str, role: Option<Role>) -> Estimate {
    let of: Vec<Estimate> = all
        .iter()
        .filter(|m| m.id == id && m.role == role)
        .filter_map(|m| m.reading.estimate())
        .collect();
    assert!(!of.is_empty(), "no {id} of {role:?}");
    for e in &of {
        assert!((e.value - of[0].value).abs() < 1e-6, "{id}: {of:?}");
        assert!(e.sigma > 0.0 && e.sigma < 20.0, "{id}: {e:?}");
    }
    of[0]
}

fn is(all: &[Measure], id: &str, role: impl Into<Option<Role>>, want: f64, within: f64) {
    let got = one(all, id, role.into()).value;
    assert!((got - want).abs() <= within, "{id}: {got}, not {want}");
}

/// A dancer changed throughout.
fn changed(figure: &str, who: Role, change: impl Fn(&mut Dancer)) -> Vec<Measure> {
    measured(figure, |role, _, dancer| {
        if role == who {
            change(dancer);
        }
    })
}

/// Open facing hold, leader's left in follower's right.
const OPEN: &str = "shag-basic";
/// Closed hold; both arms joined; the slow steps rise.
const CLOSED: &str = "bolero-basic";

#[test]
fn an_upright_couple_reads_nought() {
    let all = measured(OPEN, |_, _, _| {});
    for role in Role::BOTH {
        for id in [
            "lean_side",
            "shoulder_tilt",
            "lean_toward",
            "lean_away",
            "twist",
        ] {
            is(&all, id, role, 0.0, 1e-6);
        }
        for id in ["hips_behind", "head_ahead", "hip_rise"] {
            is(&all, id, role, 0.0, 1e-9);
        }
        for id in ["turnout", "turn_body", "turn_still", "facing_error"] {
            is(&all, id, role, 0.0, 1e-4);
        }
        is(&all, "bobbing", role, 0.0, 1e-9);
    }
    is(&all, "hips_apart", None, 0.90, 1e-9);
    is(&all, "lean_balance", None, 0.0, 1e-6);
    is(&all, "separation", None, 0.90 - 2.0 * 0.06, 1e-9);
    is(&all, "separation_share", None, (0.90 - 0.12) / 1.20, 1e-9);
}

#[test]
fn a_lean_is_toward_or_away_by_where_the_partner_is() {
    let all = changed(OPEN, Follower, |d| d.lean = [-6.0, 0.0]);
    is(&all, "lean_toward", Follower, -6.0, 0.01);
    is(&all, "lean_away", Follower, 6.0, 0.01);
    is(&all, "lean_away", Leader, 0.0, 0.01);
    is(&all, "lean_balance", None, 6.0, 0.01);
    // The same lean of a dancer who looks the other way is toward the partner.
    let all = changed(OPEN, Follower, |d| {
        (d.hips, d.shoulders, d.feet) = (0.0, 0.0, 0.0);
        d.lean = [-6.0, 0.0];
    });
    is(&all, "lean_toward", Follower, 6.0, 0.01);
}

#[test]
fn to_the_side_left_is_positive_for_both() {
    for role in Role::BOTH {
        let all = changed(OPEN, role, |d| d.lean = [0.0, 5.0]);
        is(&all, "lean_side", role, 5.0, 0.01);
        is(&all, "lean_side", role.partner(), 0.0, 0.01);
        let all = changed(OPEN, role, |d| d.tilt = -4.0);
        is(&all, "shoulder_tilt", role, -4.0, 0.01);
        is(&all, "lean_side", role, 0.0, 0.01);
    }
}

#[test]
fn hips_and_head_are_measured_against_the_own_body() {
    let all = changed(OPEN, Leader, |d| d.behind = 0.08);
    // The ankles are under the hips, so that the line between them and the shoulders goes behind as well.
    let (low, high) = (HIP - THIGH - SHIN, HIP + TRUNK);
    let share = (HIP - low) / (high - low);
    is(&all, "hips_behind", Leader, 0.08 * share, 1e-6);
    let all = changed(OPEN, Leader, |d| d.poked = 0.07);
    is(&all, "head_ahead", Leader, 0.07, 1e-6);
    is(&all, "head_ahead", Follower, 0.0, 1e-6);
}

#[test]
fn a_twist_is_of_the_shoulders_against_the_hips() {
    let all = changed(OPEN, Leader, |d| d.shoulders = 25.0);
    is(&all, "twist", Leader, 25.0, 0.01);
    // The trunk looks half-way.
    is(&all, "facing_error", Leader, 12.5, 0.01);
    let all = changed(OPEN, Follower, |d| {
        (d.hips, d.shoulders, d.feet) = (165.0, 165.0, 165.0);
    });
    is(&all, "facing_error", Follower, -15.0, 0.01);
    is(&all, "twist", Follower, 0.0, 0.01);
}

#[test]
fn arms_are_read_where_the_chart_joins_them() {
    let all = changed(OPEN, Leader, |d| d.arms = [30.0, 95.0, 25.0]);
    is(&all, "elbow_joined", Leader, 95.0, 0.05);
    is(&all, "elbow_bent", Leader, 95.0, 0.05);
    is(&all, "arm_open", Leader, 30.0, 0.05);
    is(&all, "wrist_bend", Leader, 25.0, 0.05);
    is(
        &all,
        "elbow_drop",
        Leader,
        UPPER_ARM * 30f64.to_radians().cos(),
        1e-4,
    );
    is(
        &all,
        "elbow_behind",
        Leader,
        -UPPER_ARM * 30f64.to_radians().sin(),
        1e-4,
    );
    is(&all, "frame_width", Leader, 0.36, 1e-6);
    is(&all, "elbow_joined", Follower, 110.0, 0.05);
    let all = changed(OPEN, Leader, |d| d.arms = [-20.0, 120.0, 0.0]);
    is(
        &all,
        "elbow_behind",
        Leader,
        UPPER_ARM * 20f64.to_radians().sin(),
        1e-4,
    );
}

#[test]
fn a_closed_hold_is_offset_and_parallel() {
    let all = measured(CLOSED, |role, _, d| {
        // Each a little to the own left, so that each has the partner on the right.
        d.at = match role {
            Leader => [-0.2, 0.05],
            Follower => [0.2, -0.05],
        };
    });
    is(&all, "closed_offset", None, 0.10, 1e-6);
    is(&all, "chests_parallel", None, 0.0, 1e-4);
    let all = measured(CLOSED, |role, _, d| {
        d.at[0] *= 0.5;
        if role == Leader {
            d.shoulders = 12.0;
        }
    });
    is(&all, "chests_parallel", None, 12.0, 0.01);
    // In an open hold neither is asked.
    let open = measured(OPEN, |_, _, _| {});
    assert!(
        !open
            .iter()
            .any(|m| m.id == "closed_offset" || m.id == "chests_parallel")
    );
}

#[test]
fn a_hand_in_the_partners_face_is_as_near_as_it_is() {
    // The forearm straight ahead from an arm straight ahead: the hand at shoulder height.
    let reach = UPPER_ARM + FOREARM + HAND;
    let all = measured(OPEN, |role, _, d| {
        if role == Leader {
            d.arms = [90.0, 180.0, 0.0];
        }
    });
    let face = [0.45 - 0.065 * HEIGHTS[1], 0.2];
    let knuckle = -0.45 + reach;
    // Shoulders lie 18 cm to either side of the middle, the nose 20 cm over them.
    let gap = ((face[0] - knuckle).powi(2) + 0.18f64.powi(2) + face[1].powi(2)).sqrt();
    is(&all, "face_clearance", Leader, gap, 1e-6);
    let chest = 0.45 - (-0.45 + UPPER_ARM + FOREARM);
    is(&all, "crowded", Leader, chest, 1e-6);
}

#[test]
fn feet_and_knees_are_read_at_arrival() {
    let all = changed(OPEN, Leader, |d| d.turnout = 14.0);
    is(&all, "turnout", Leader, 14.0, 0.01);
    is(&all, "turnout", Follower, 0.0, 0.01);
    let all = changed(OPEN, Follower, |d| d.knees = 22.0);
    is(&all, "knee_arrival", Follower, 22.0, 0.05);
}

#[test]
fn a_rise_is_the_highest_over_the_lowest() {
    // Up on the slow counts of six beats (0 and 3 of 8 beats: S Q Q S Q Q), down between.
    let all = measured(CLOSED, |role, beats, d| {
        let within = beats.rem_euclid(4.0);
        if role == Leader && within < 1.5 {
            d.raised = 0.036;
        }
    });
    is(&all, "rise_charted", Leader, 0.036 / HEIGHTS[0], 1e-6);
    is(&all, "rise_charted", Follower, 0.0, 1e-9);
}

#[test]
fn a_turn_is_from_count_to_count_and_left_is_positive() {
    let turning = measured(OPEN, |role, beats, d| {
        if role == Follower {
            let by = 180.0 + 4.0 * beats;
            (d.hips, d.shoulders, d.feet) = (by, by, by);
        }
    });
    let chart = chart(OPEN).unwrap();
    let of: Vec<&Measure> = turning
        .iter()
        .filter(|m| m.id == "turn_body" && m.role == Some(Follower))
        .collect();
    assert!(of.len() > chart.rows(Follower).len());
    // The counts are 0, 2/3 of a beat (a swung "and"), 1, 2 …: each turn is as long as the time it took.
    let sum: f64 = of
        .iter()
        .filter_map(|m| m.reading.estimate())
        .map(|e| e.value)
        .sum();
    let beats = f64::from(REPETITIONS) * 6.0 - 1.0;
    assert!((sum - 4.0 * beats).abs() < 0.3, "{sum}");
    assert!(of.iter().all(|m| m.reading.estimate().unwrap().value > 0.0));
}

#[test]
fn mirrored_couples_have_mirrored_sides() {
    let a = changed(OPEN, Leader, |d| {
        d.lean = [2.0, 3.0];
        d.shoulders = 10.0;
    });
    let b = changed(OPEN, Leader, |d| {
        d.lean = [2.0, -3.0];
        d.shoulders = -10.0;
    });
    for id in ["lean_side", "twist", "facing_error"] {
        let (x, y) = (one(&a, id, Some(Leader)), one(&b, id, Some(Leader)));
        assert!((x.value + y.value).abs() < 1e-6, "{id}: {x:?} {y:?}");
        assert!((x.sigma - y.sigma).abs() < 1e-6 * x.sigma, "{id}");
    }
    for id in ["lean_toward", "hips_behind", "head_ahead"] {
        let (x, y) = (one(&a, id, Some(Leader)), one(&b, id, Some(Leader)));
        assert!((x.value - y.value).abs() < 1e-6, "{id}: {x:?} {y:?}");
    }
}

#[test]
fn an_error_is_what_the_joints_errors_make_of_it() {
    let all = measured(OPEN, |_, _, _| {});
    // A trunk of half a metre between the middles of two hips and two shoulders, each known to 1 mm.
    let lean = (KNOWN / TRUNK).to_degrees();
    let got = one(&all, "lean_side", Some(Leader)).sigma;
    assert!((got / lean - 1.0).abs() < 0.02, "{got} {lean}");
    // Two middles again.
    let got = one(&all, "hips_apart", None).sigma;
    assert!((got / KNOWN - 1.0).abs() < 0.02, "{got}");
    // A line of 36 cm between two points.
    let tilt = (KNOWN * 2f64.sqrt() / 0.36).to_degrees();
    let got = one(&all, "shoulder_tilt", Some(Leader)).sigma;
    assert!((got / tilt - 1.0).abs() < 0.02, "{got} {tilt}");
}
