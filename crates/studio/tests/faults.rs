//! Every fault that can be asked for shows where it is asked for, as large as asked for, and nowhere else.
#![allow(clippy::unwrap_used, clippy::panic)]

use upright_core::body::Landmark;
use upright_core::chart::{Chart, charts};
use upright_core::units::{Foot, Role, wrap_degrees};
use upright_studio::{Body, By, Danced, Performance, Scenario, Showable, Shown, Truth, showable};

/// A figure that has a place for a fault, and who shows it there.
fn figure(kind: &Showable) -> (&'static Chart, Role) {
    let shag = charts().iter().find(|c| c.id == "shag-basic").unwrap();
    let who: &[Role] = match kind.by {
        By::Leader => &[Role::Leader],
        By::Follower => &[Role::Follower],
        By::Each => &Role::BOTH,
    };
    std::iter::once(shag)
        .chain(charts())
        .flat_map(|c| who.iter().map(move |r| (c, *r)))
        .find(|(c, r)| !kind.counts(c, *r).is_empty())
        .unwrap_or_else(|| panic!("no figure has a place for {}", kind.id))
}

fn danced(chart: &Chart, faults: Vec<Shown>) -> Performance {
    Performance::new(&Scenario {
        chart: chart.id.clone(),
        bpm: 0.5 * (chart.tempo[0] + chart.tempo[1]),
        repetitions: 6,
        faults,
        seed: 21,
        ..Scenario::default()
    })
    .unwrap()
}

/// How far the two dances are apart in the middle of a repetition at most: metres of any joint.
fn difference(a: &Performance, b: &Performance, repetition: u32) -> f64 {
    let span = |i: u32| a.count_at(i, 0).unwrap_or_else(|| a.length() - 1.0);
    let (from, to) = (span(repetition), span(repetition + 1));
    // What comes before the first count and after the last one belongs to both neighbours.
    let edge = 0.42 * 60.0 / a.scenario().bpm;
    let mut worst: f64 = 0.0;
    let mut t = from + edge;
    while t < to - edge.max(0.6) {
        for (x, y) in a.bodies(t).iter().zip(&b.bodies(t)) {
            for l in Landmark::ALL {
                worst = worst.max((x.joint(l) - y.joint(l)).norm());
            }
        }
        t += 0.02;
    }
    worst
}

#[test]
fn every_fault_shows_in_its_repetitions_and_only_there() {
    assert_eq!(showable().len(), 62);
    let mut wrong = Vec::new();
    for kind in showable() {
        let (chart, who) = figure(kind);
        let clean = danced(chart, Vec::new());
        let shown = danced(chart, vec![Shown::new(kind.id, who).in_share(0.5)]);
        let truth = Truth::of(&shown, 0, &[]);
        let showing: Vec<u32> = truth
            .findings
            .iter()
            .filter(|f| f.fault == kind.id)
            .map(|f| f.repetition)
            .collect();
        assert_eq!(showing.len(), 3, "{}", kind.id);
        for repetition in 0..6 {
            let d = difference(&clean, &shown, repetition);
            if showing.contains(&repetition) {
                // Weight that does not pass and a late hand move less than a thrown foot.
                if d <= 0.004 {
                    wrong.push(format!("{} does not show in {}: {d}", kind.id, chart.id));
                }
            } else if !["S2", "R6", "T5", "K5"].contains(&kind.id) {
                let before = repetition
                    .checked_sub(1)
                    .is_some_and(|b| showing.contains(&b));
                // The first step back from a fault is still on its way.
                if !before && d >= 0.004 {
                    wrong.push(format!("{} shows elsewhere in {}: {d}", kind.id, chart.id));
                }
            }
        }
    }
    assert_eq!(wrong, Vec::<String>::new());
}

#[test]
fn every_kind_has_a_usual_size_in_its_range_and_a_name_of_its_own() {
    let mut names: Vec<&str> = showable().iter().flat_map(|k| [k.id, k.name]).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), 2 * showable().len());
    for k in showable() {
        assert!((k.range[0]..=k.range[1]).contains(&k.usual), "{}", k.id);
    }
}

#[test]
fn what_is_held_over_all_counts_lasts_between_them_however_slow_they_are() {
    for figure in ["shag-basic", "wcs-push", "foxtrot-left-basic"] {
        let chart = charts().iter().find(|c| c.id == figure).unwrap();
        let clean = danced(chart, Vec::new());
        let shown = danced(chart, vec![Shown::new("P2", Role::Leader)]);
        let back = |t: f64| {
            let [a, b] = [&clean, &shown].map(|p| body(p, Role::Leader, t).pelvis());
            (a - b).xy().norm()
        };
        let (from, to) = (at(&shown, 0), shown.count_at(2, 0).unwrap());
        for i in 0..=60 {
            let t = from + (to - from) * f64::from(i) / 60.0;
            assert!(
                (back(t) - 0.12).abs() < 0.01,
                "{figure} at {t}: {}",
                back(t)
            );
        }
    }
}

/// Moment of a count in the second repetition.
fn at(p: &Performance, count: usize) -> f64 {
    p.count_at(1, count).unwrap()
}

fn body(p: &Performance, role: Role, t: f64) -> Body {
    let [l, f] = p.bodies(t);
    match role {
        Role::Leader => l,
        Role::Follower => f,
    }
}

fn degrees_back(b: &Body) -> f64 {
    let trunk = b.chest() - b.pelvis();
    -trunk.dot(&b.facing()).atan2(trunk.z).to_degrees()
}

fn foot_yaw(b: &Body, foot: Foot) -> f64 {
    let [heel, toe] = Landmark::heel_toe(foot).map(|l| b.joint(l));
    (toe.y - heel.y).atan2(toe.x - heel.x).to_degrees()
}

fn pelvis_yaw(b: &Body) -> f64 {
    let line = b.joint(Landmark::LeftHip) - b.joint(Landmark::RightHip);
    (-line.x).atan2(line.y).to_degrees()
}

fn arrival(p: &Performance, role: Role, count: usize) -> upright_studio::Arrival {
    *p.arrivals(role)
        .iter()
        .find(|a| (a.repetition, a.count) == (1, count))
        .unwrap()
}

fn separation(p: &Performance, t: f64) -> f64 {
    let [l, f] = p.bodies(t).map(|b| b.stand());
    (l[0] - f[0]).hypot(l[1] - f[1])
}

fn joined_arm(p: &Performance, role: Role, count: usize) -> (Body, [Landmark; 3]) {
    // In the shag basic the leader's left hand holds the follower's right.
    let side = if role == Role::Leader {
        Foot::Left
    } else {
        Foot::Right
    };
    (body(p, role, at(p, count)), Landmark::arm(side))
}

/// What a fault changes, read from the bodies as the catalogue defines it.
type Reading = fn(&Performance, Role) -> f64;

/// Fault, by how much it is asked for, whose, figure, reading, expected change, tolerance.
const CHECKED: &[(&str, f64, Role, &str, Reading, f64, f64)] = &[
    (
        "P1",
        9.0,
        Role::Follower,
        "shag-basic",
        |p, r| degrees_back(&body(p, r, at(p, 6))),
        9.0,
        0.4,
    ),
    (
        "P3",
        10.0,
        Role::Leader,
        "shag-basic",
        |p, r| degrees_back(&body(p, r, at(p, 3))),
        -10.0,
        0.4,
    ),
    (
        "P2",
        0.12,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 4));
            let ankle = nalgebra::center(
                &b.joint(Landmark::LeftAnkle),
                &b.joint(Landmark::RightAnkle),
            );
            (nalgebra::center(&ankle, &b.chest()) - b.pelvis()).dot(&b.facing())
        },
        0.12,
        0.05,
    ),
    (
        "P4",
        9.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 4));
            let left = nalgebra::Vector3::z().cross(&b.facing());
            let trunk = b.chest() - b.pelvis();
            trunk.dot(&left).atan2(trunk.z).to_degrees()
        },
        9.0,
        0.5,
    ),
    (
        "P5",
        0.11,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 4));
            (b.joint(Landmark::Nose) - b.chest()).dot(&b.facing())
        },
        0.11,
        0.01,
    ),
    (
        "F1",
        170.0,
        Role::Follower,
        "shag-basic",
        |p, r| {
            let (b, arm) = joined_arm(p, r, 6);
            b.angle(arm)
        },
        24.0,
        3.0,
    ),
    (
        "F2",
        55.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let (b, arm) = joined_arm(p, r, 5);
            b.angle(arm)
        },
        -52.0,
        3.0,
    ),
    (
        "F5",
        45.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let (b, [_, elbow, wrist]) = joined_arm(p, r, 4);
            let hand = b.joint(Landmark::LeftKnuckle) - b.joint(wrist);
            hand.angle(&(b.joint(wrist) - b.joint(elbow))).to_degrees()
        },
        45.0,
        1.0,
    ),
    (
        "C1",
        0.2,
        Role::Leader,
        "shag-basic",
        |p, _| separation(p, at(p, 7)),
        0.2,
        0.02,
    ),
    (
        "K3",
        0.3,
        Role::Follower,
        "shag-basic",
        |p, _| separation(p, at(p, 6)),
        -0.3,
        0.03,
    ),
    (
        "C2",
        32.0,
        Role::Leader,
        "shag-basic",
        |p, r| pelvis_yaw(&body(p, r, at(p, 7))),
        32.0,
        0.5,
    ),
    (
        "R11",
        26.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 4));
            foot_yaw(&b, Foot::Left) - pelvis_yaw(&b)
        },
        26.0,
        2.0,
    ),
    (
        "S4",
        0.3,
        Role::Follower,
        "shag-basic",
        |p, r| body(p, r, at(p, 5)).stand()[1],
        0.3,
        0.01,
    ),
    (
        "S9",
        30.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 5));
            0.5 * wrap_degrees(foot_yaw(&b, Foot::Left) - foot_yaw(&b, Foot::Right))
        },
        30.0,
        0.5,
    ),
    (
        "S3",
        25.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let a = arrival(p, r, 6);
            a.place[1]
        },
        0.09,
        0.01,
    ),
    (
        "T1",
        0.12,
        Role::Leader,
        "shag-basic",
        |p, r| arrival(p, r, 4).at - at(p, 4),
        0.12,
        0.002,
    ),
    (
        "T3",
        -0.1,
        Role::Follower,
        "shag-basic",
        |p, r| arrival(p, r, 4).at - at(p, 4),
        -0.1,
        0.03,
    ),
    (
        "T4",
        0.05,
        Role::Leader,
        "shag-basic",
        |p, r| (arrival(p, r, 7).at - at(p, 7)) - (arrival(p, r, 0).at - at(p, 0)),
        0.127,
        0.01,
    ),
    (
        "S6",
        0.1,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let a = arrival(p, r, 6);
            (0..40)
                .map(|i| a.leaves + (a.at - a.leaves) * f64::from(i) / 40.0)
                .map(|t| body(p, r, t).joint(Landmark::heel_toe(a.foot)[1]).z)
                .fold(0.0, f64::max)
        },
        0.1,
        0.02,
    ),
    (
        "L1",
        0.04,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let heights: Vec<f64> = (0..60)
                .map(|i| body(p, r, at(p, 4) + 0.02 * f64::from(i)).pelvis().z / 1.82)
                .collect();
            heights.iter().fold(0.0_f64, |m, h| m.max(*h))
                - heights.iter().fold(9.0_f64, |m, h| m.min(*h))
        },
        // Less what the hips of a clean dancer do.
        0.035,
        0.006,
    ),
    (
        "L4",
        30.0,
        Role::Leader,
        "shag-basic",
        |p, r| {
            let b = body(p, r, at(p, 6));
            -b.angle([Landmark::LeftHip, Landmark::LeftKnee, Landmark::LeftAnkle])
        },
        16.0,
        3.0,
    ),
    (
        "R3",
        -50.0,
        Role::Follower,
        "shag-turn",
        |p, r| {
            let turned = pelvis_yaw(&body(p, r, at(p, 5))) - pelvis_yaw(&body(p, r, at(p, 2)));
            wrap_degrees(turned)
        },
        -50.0,
        1.0,
    ),
    (
        "R8",
        45.0,
        Role::Follower,
        "shag-turn",
        |p, r| {
            let a = arrival(p, r, 4);
            let b = body(p, r, a.at);
            wrap_degrees(pelvis_yaw(&b) - foot_yaw(&b, a.foot.other())).abs()
        },
        45.0,
        3.0,
    ),
];

#[test]
fn faults_are_as_large_as_they_are_asked_for() {
    for (id, size, role, figure, read, expected, tolerance) in CHECKED {
        let chart = charts().iter().find(|c| c.id == *figure).unwrap();
        let clean = danced(chart, Vec::new());
        let shown = danced(chart, vec![Shown::new(id, *role).of(*size)]);
        let change = read(&shown, *role) - read(&clean, *role);
        println!("{id} {change}");
        assert!(
            (change - expected).abs() <= *tolerance,
            "{id} in {figure}: {change} instead of {expected}"
        );
        // The partner's feet do not know of it.
        let other = role.partner();
        assert_eq!(shown.arrivals(other), clean.arrivals(other), "{id}");
    }
}

#[test]
fn effects_come_in_the_repetitions_of_their_cause() {
    let chart = charts().iter().find(|c| c.id == "wcs-push").unwrap();
    let p = danced(
        chart,
        vec![
            Shown::new("K4", Role::Leader).in_share(0.5),
            Shown::new("K3", Role::Follower).because(0),
            Shown::new("P1", Role::Follower).because(1),
        ],
    );
    let truth = Truth::of(&p, 0, &[]);
    let of = |id: &str| -> Vec<u32> {
        let found = truth.findings.iter().filter(|f| f.fault == id);
        found.map(|f| f.repetition).collect()
    };
    assert_eq!(of("K4").len(), 3);
    assert_eq!(of("K4"), of("K3"));
    assert_eq!(of("K4"), of("P1"));
    let root = |id: &str| truth.findings.iter().find(|f| f.fault == id).unwrap();
    assert_eq!(root("K4").because, None);
    assert_eq!(root("K3").because, Some(("K4".into(), Role::Leader)));
    assert_eq!(root("P1").because, Some(("K3".into(), Role::Follower)));
    // It travels after the stop, and only then.
    let [stop, last] = [5, 7].map(|c| {
        let a = p
            .arrivals(Role::Leader)
            .iter()
            .find(|a| (a.repetition, a.count) == (of("K4")[0], c));
        a.map(|a| a.place[0])
    });
    let moved = last.unwrap() - stop.unwrap();
    assert!(moved > 0.1, "{moved}");
}

#[test]
fn figures_that_turn_all_one_way_are_said_to() {
    let turning = Scenario {
        chart: "shag-turn".into(),
        repetitions: 4,
        ..Scenario::default()
    };
    let truth = Truth::of(&Performance::new(&turning).unwrap(), 0, &[]);
    let one_way: Vec<_> = truth.findings.iter().filter(|f| f.fault == "R9").collect();
    // A turn a repetition: the third goes beyond two and a half.
    assert_eq!(one_way.len(), 2);
    assert_eq!(one_way[0].repetition, 2);
    assert!(one_way.iter().all(|f| f.role == Role::Follower));
    let mixed = Scenario {
        then: vec![Danced {
            chart: "shag-pass".into(),
            times: 2,
        }],
        repetitions: 2,
        ..turning
    };
    let truth = Truth::of(&Performance::new(&mixed).unwrap(), 0, &[]);
    assert!(truth.findings.is_empty(), "{:?}", truth.findings);
}
