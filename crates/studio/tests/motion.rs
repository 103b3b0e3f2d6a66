//! What must hold of every dance: bones keep their length, feet stand, hands stay together, joints bend
//! as people's do, and nobody walks through the partner.
#![allow(clippy::unwrap_used)]

use nalgebra::{Point3, Vector3};
use upright_core::body::Landmark;
use upright_core::chart::vocabulary::{Contact, Hand};
use upright_core::chart::{FreeFoot, Hold, charts, style};
use upright_core::units::{Foot, Role, wrap_degrees};
use upright_studio::{Body, Danced, Performance, Scenario, Shown};

fn every_scenario() -> Vec<Scenario> {
    charts()
        .iter()
        .enumerate()
        .flat_map(|(i, c)| {
            [[1.82, 1.66], [1.7, 1.7], [1.9, 1.55]].map(|heights| Scenario {
                chart: c.id.clone(),
                bpm: 0.5 * (c.tempo[0] + c.tempo[1]),
                heights,
                people: [i as u64, 100 + i as u64],
                repetitions: 2,
                seed: 5,
                ..Scenario::default()
            })
        })
        .collect()
}

/// Moments of a dance, `step` seconds apart, with its bodies.
fn moments(p: &Performance, step: f64) -> impl Iterator<Item = (f64, [Body; 2])> + '_ {
    let many = (p.length() / step) as u32;
    (0..many).map(move |i| {
        let t = f64::from(i) * step;
        (t, p.bodies(t))
    })
}

const ARMS: [[Landmark; 3]; 2] = [
    [
        Landmark::LeftShoulder,
        Landmark::LeftElbow,
        Landmark::LeftWrist,
    ],
    [
        Landmark::RightShoulder,
        Landmark::RightElbow,
        Landmark::RightWrist,
    ],
];
const LEGS: [[Landmark; 3]; 2] = [
    [Landmark::LeftHip, Landmark::LeftKnee, Landmark::LeftAnkle],
    [
        Landmark::RightHip,
        Landmark::RightKnee,
        Landmark::RightAnkle,
    ],
];

#[test]
fn bones_keep_their_length_and_nothing_sinks() {
    let mut bones: Vec<[Landmark; 2]> = ARMS
        .iter()
        .chain(&LEGS)
        .flat_map(|[a, b, c]| [[*a, *b], [*b, *c]])
        .collect();
    bones.extend([
        [Landmark::LeftHeel, Landmark::LeftToe],
        [Landmark::RightHeel, Landmark::RightToe],
        [Landmark::LeftWrist, Landmark::LeftKnuckle],
        [Landmark::LeftShoulder, Landmark::RightShoulder],
        [Landmark::LeftHip, Landmark::RightHip],
    ]);
    let length = |b: &Body, [from, to]: [Landmark; 2]| (b.joint(from) - b.joint(to)).norm();
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        let first = p.bodies(0.0);
        for (t, now) in moments(&p, 0.05) {
            for (a, b) in now.iter().zip(&first) {
                for bone in &bones {
                    let (l, l0) = (length(a, *bone), length(b, *bone));
                    assert!(
                        (l - l0).abs() < 0.01,
                        "{} {bone:?} {l} {l0} at {t}",
                        s.chart
                    );
                }
                for j in Landmark::ALL {
                    assert!(a.joint(j).z > -0.002, "{} {j:?} at {t}", s.chart);
                }
            }
        }
    }
}

#[test]
fn a_planted_foot_stands_still_but_for_its_pivot() {
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        for role in Role::BOTH {
            let arrivals = p.arrivals(role);
            for (i, a) in arrivals.iter().enumerate() {
                let next = arrivals[i + 1..].iter().find(|b| b.foot == a.foot);
                let until = next.map_or(p.length(), |n| n.leaves);
                let middle = |t: f64| {
                    let body = &p.bodies(t)[role as usize];
                    let [heel, toe] = Landmark::heel_toe(a.foot).map(|l| body.joint(l));
                    let v = toe - heel;
                    (
                        nalgebra::center(&heel, &toe).xy(),
                        v.y.atan2(v.x).to_degrees(),
                        heel.z,
                    )
                };
                let (at, yaw, heel) = middle(a.at);
                let (later, later_yaw, _) = middle(until - 1e-3);
                let slid = (at - later).norm();
                // Up on the ball the middle of the foot comes forward by a centimetre.
                assert!(slid < 0.012, "{} {role:?} {i} slides {slid}", s.chart);
                // A foot that is up on its ball may be seen to turn a little as it comes down.
                if heel < 1e-6 {
                    let turns = arrivals[i..]
                        .iter()
                        .take_while(|b| b.leaves < until)
                        .any(|b| wrap_degrees(b.facing - a.facing).abs() > 0.1);
                    let turned = wrap_degrees(later_yaw - yaw).abs();
                    assert!(turns || turned < 1e-3, "{} {role:?} {i} {turned}", s.chart);
                }
            }
        }
    }
}

#[test]
fn held_hands_are_together() {
    let wrist = |b: &Body, hand| {
        let foot = match hand {
            Hand::Left => Foot::Left,
            Hand::Right => Foot::Right,
        };
        b.joint(Landmark::arm(foot)[2])
    };
    let (mut joined, mut all) = (0, 0);
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        let layout = p.chart().layout();
        for (count, holds) in layout.holds.iter().enumerate() {
            // Just before the next count, when every change of hands is made.
            let next = p.count_at(0, count + 1).or(p.count_at(1, 0)).unwrap();
            let [l, f] = p.bodies(next - 0.002);
            for hold in holds {
                let Hold::Hands(a, b) = *hold else { continue };
                let apart = (wrist(&l, a) - wrist(&f, b)).norm();
                all += 1;
                // A hand's length on either side.
                joined += usize::from(apart < 2.2 * 0.06 * l.height.max(f.height));
            }
        }
    }
    println!("{joined} of {all} holds joined");
    let share = f64::from(joined as u32) / f64::from(all as u32);
    assert!(share > 0.95, "{joined} of {all}");
}

#[test]
fn elbows_and_knees_bend_as_far_as_people_bend_them() {
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        for (t, bodies) in moments(&p, 0.05) {
            for b in &bodies {
                for arm in ARMS {
                    let elbow = b.angle(arm);
                    assert!((34.0..180.0).contains(&elbow), "{} {elbow} at {t}", s.chart);
                }
                for leg in LEGS {
                    let knee = b.angle(leg);
                    assert!((49.0..180.0).contains(&knee), "{} {knee} at {t}", s.chart);
                    // Knees bend forward.
                    let [hip, k, ankle] = leg.map(|l| b.joint(l));
                    let straight = hip + (ankle - hip) * 0.5;
                    let ahead = (k - straight).dot(&b.facing());
                    assert!(ahead > -0.06, "{} {leg:?} {ahead} at {t}", s.chart);
                }
            }
        }
    }
}

/// Least distance of two line segments.
fn between([a, b]: [Point3<f64>; 2], [c, d]: [Point3<f64>; 2]) -> f64 {
    let at = |p: Point3<f64>, q: Point3<f64>, i: i32| p + (q - p) * (f64::from(i) / 12.0);
    let mut least = f64::MAX;
    for i in 0..=12 {
        for j in 0..=12 {
            least = least.min((at(a, b, i) - at(c, d, j)).norm());
        }
    }
    least
}

#[test]
fn trunks_do_not_go_through_each_other() {
    let trunk = |b: &Body| [b.pelvis(), b.chest()];
    let mut nearest = f64::MAX;
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        for (t, [l, f]) in moments(&p, 0.05) {
            // A chest is about 21 cm deep, and two of them touch in an embrace.
            let apart = between(trunk(&l), trunk(&f));
            assert!(apart > 0.17, "{} {apart} at {t}", s.chart);
            nearest = nearest.min(apart);
        }
    }
    println!("nearest trunks: {nearest:.2} m");
}

#[test]
fn the_body_is_over_the_foot_that_carries_it() {
    for s in every_scenario() {
        let p = Performance::new(&s).unwrap();
        for role in Role::BOTH {
            let arrivals = p.arrivals(role);
            for pair in arrivals.windows(2).filter(|w| w[0].weight) {
                // Before the next foot leaves, if there is time to arrive.
                let t = pair[1].leaves;
                if t < pair[0].at + 0.2 {
                    continue;
                }
                let body = &p.bodies(t)[role as usize];
                let foot = |f: Foot| {
                    let [heel, toe] = Landmark::heel_toe(f).map(|l| body.joint(l));
                    nalgebra::center(&heel, &toe).xy()
                };
                let hips = body.pelvis().xy();
                let own = (hips - foot(pair[0].foot)).norm();
                let other = (hips - foot(pair[0].foot.other())).norm();
                assert!(own < other + 0.02, "{} {role:?} {own} {other}", s.chart);
            }
        }
    }
}

#[test]
fn a_routine_is_danced_without_a_break() {
    let s = Scenario {
        chart: "shag-basic".into(),
        repetitions: 2,
        then: vec![
            Danced {
                chart: "shag-turn".into(),
                times: 1,
            },
            Danced {
                chart: "shag-pass".into(),
                times: 2,
            },
        ],
        ..Scenario::default()
    };
    let p = Performance::new(&s).unwrap();
    assert_eq!(p.beats(), 30);
    assert_eq!(p.charts().count(), 5);
    // The pass turns both half round, twice; nobody jumps.
    let (mut last, mut fastest): (Option<[Body; 2]>, f64) = (None, 0.0);
    for (_, now) in moments(&p, 0.02) {
        if let Some(was) = &last {
            for (a, b) in was.iter().zip(&now) {
                for j in [Landmark::LeftHip, Landmark::RightShoulder, Landmark::Nose] {
                    fastest = fastest.max((a.joint(j) - b.joint(j)).norm() / 0.02);
                }
            }
        }
        last = Some(now);
    }
    assert!(fastest < 4.5, "{fastest} m/s");
    let faces = |t: f64, role: Role| {
        let v: Vector3<f64> = p.bodies(t)[role as usize].facing();
        v.x
    };
    assert!(faces(1.0, Role::Leader) > 0.98);
    let after_first = p.count_at(4, 0).unwrap();
    assert!(faces(after_first, Role::Leader) < -0.9);
    assert!(faces(p.length() - 0.1, Role::Leader) > 0.9);
}

#[test]
fn heel_and_ball_meet_the_floor_as_charted() {
    let chart = charts()
        .iter()
        .find(|c| {
            c.rows(Role::Leader)
                .iter()
                .any(|r| r.contact == Some(Contact::Heel))
        })
        .unwrap();
    let p = Performance::new(&Scenario {
        chart: chart.id.clone(),
        bpm: chart.tempo[0],
        ..Scenario::default()
    })
    .unwrap();
    let (mut heels, mut balls) = (0, 0);
    for role in Role::BOTH {
        for a in p.arrivals(role).iter().filter(|a| a.at - a.leaves > 0.2) {
            let body = &p.bodies(a.at - 0.3 * (a.at - a.leaves))[role as usize];
            let [heel, toe] = Landmark::heel_toe(a.foot).map(|l| body.joint(l).z);
            if a.heel_first {
                assert!(toe > heel + 0.01, "{toe} {heel}");
                heels += 1;
            } else {
                assert!(heel > toe + 0.01, "{toe} {heel}");
                balls += 1;
            }
        }
    }
    assert!(heels >= 4 && balls >= 4, "{heels} {balls}");
}

#[test]
fn a_clean_dancer_varies_a_little_and_a_machine_not_at_all() {
    let spread = |nature: f64| {
        let s = Scenario {
            nature,
            repetitions: 30,
            ..Scenario::default()
        };
        let p = Performance::new(&s).unwrap();
        let late: Vec<f64> = p
            .arrivals(Role::Leader)
            .iter()
            .map(|a| a.at - p.count_at(a.repetition, a.count).unwrap())
            .collect();
        (late.iter().map(|l| l * l).sum::<f64>() / late.len() as f64).sqrt()
    };
    assert!((0.007..0.013).contains(&spread(1.0)), "{}", spread(1.0));
    assert!(spread(0.0) < 1e-6);
}

#[test]
fn what_cannot_be_danced_is_refused_in_words() {
    let usual = Scenario::default;
    let with = |f: Shown| Scenario {
        faults: vec![f],
        ..usual()
    };
    let bad = [
        (
            Scenario {
                chart: "none".into(),
                ..usual()
            },
            "no chart “none”",
        ),
        (
            Scenario {
                bpm: 700.0,
                ..usual()
            },
            "",
        ),
        (
            Scenario {
                heights: [0.2, 1.7],
                ..usual()
            },
            "heights",
        ),
        (
            Scenario {
                phones: Vec::new(),
                ..usual()
            },
            "one to four phones",
        ),
        (
            Scenario {
                nature: f64::NAN,
                ..usual()
            },
            "natural variation",
        ),
        (with(Shown::new("X9", Role::Leader)), "“X9” is no fault"),
        (
            with(Shown::new("K4", Role::Follower)),
            "is the other role's",
        ),
        (
            with(Shown::new("S4", Role::Leader).of(3.0)),
            "from -0.5 to 0.5",
        ),
        (
            with(Shown::new("F3", Role::Leader)),
            "has no place in this figure",
        ),
        (with(Shown::new("T1", Role::Leader).on(&[40])), "count 40"),
        (
            with(Shown::new("T1", Role::Leader).because(0)),
            "after the fault that causes it",
        ),
    ];
    for (s, said) in bad {
        let why = Performance::new(&s).err().unwrap().to_string();
        assert!(why.contains(said), "{why}");
    }
}

#[test]
fn the_free_foot_goes_as_high_as_its_dance_asks() {
    // Height of the foot's middle half-way between leaving and landing, the heel's peel taken out.
    let height = |chart: &str| {
        let p = Performance::new(&Scenario {
            chart: chart.into(),
            repetitions: 2,
            ..Scenario::default()
        })
        .unwrap();
        let mut all: Vec<f64> = Role::BOTH
            .iter()
            .flat_map(|role| {
                p.arrivals(*role)
                    .iter()
                    .map(|a| {
                        let body = &p.bodies(0.5 * (a.leaves + a.at))[*role as usize];
                        let [heel, toe] = Landmark::heel_toe(a.foot).map(|l| body.joint(l).z);
                        heel.min(toe)
                    })
                    .collect::<Vec<_>>()
            })
            .collect();
        all.sort_by(f64::total_cmp);
        all[all.len() / 2]
    };
    let low = height("shag-basic");
    let high = height("lindy-swing-out-open");
    assert!(low < 0.02, "the shag keeps to the floor: {low}");
    assert!(
        high > low + 0.01,
        "the lindy hop does not: {high} against {low}"
    );
    assert_eq!(style("Carolina shag").feet, FreeFoot::Tracked);
}
