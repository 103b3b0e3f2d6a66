//! The whole street on simulated takes with known truth.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::fmt::Write as _;

use upright_core::analyse::{Analysis, Stage, analyse};
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::judge::Judged;
use upright_core::marks::{MarkCommand, Marks};
use upright_core::measure::{CoupleBody, Measure, Need};
use upright_core::space::space;
use upright_core::take::{Film, Take, solve_take};
use upright_core::units::{Role, Unit};
use upright_studio::{Hand, Performance, Phone, Scenario, Shown, Truth, marks};

fn street(scenario: &Scenario, hand: &Hand) -> (Analysis, Truth) {
    let performance = Performance::new(scenario).unwrap();
    let frames = performance.frame_times(0);
    let mut m = Marks::default();
    for command in marks(&performance, 0, &frames, hand) {
        if let MarkCommand::MarkFloor { pixel: None, .. } = command {
            panic!("the reference is out of the picture");
        }
        command.apply(&mut m).unwrap();
    }
    let couple = CoupleBody {
        heights: scenario.heights,
        frame_limit: None,
    };
    let take = Take {
        marks: &m,
        couple,
        films: &[Film::new(performance.phone(0).picture())],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let analysis = analyse(&take, Some(&solve_take(&take, None)));
    (analysis, Truth::of(&performance, 0, &frames))
}

/// Whether a measure is read from bodies in space.
fn in_space(m: &Measure) -> bool {
    let needs = upright_core::measure::spec(&m.id).unwrap().needs;
    needs.contains(&Need::Space) || needs.contains(&Need::Dense)
}

fn scenarios() -> Vec<Scenario> {
    let mut out = Vec::new();
    for (chart, bpm) in [
        ("shag-basic", 118.0),
        ("shag-pass", 112.0),
        ("bolero-basic", 96.0),
        ("forro-base", 132.0),
    ] {
        for (heights, bearing) in [([1.82, 1.66], 6.0), ([1.70, 1.72], -14.0)] {
            out.push(Scenario {
                chart: chart.into(),
                bpm,
                heights,
                phones: vec![Phone {
                    bearing,
                    ..Phone::default()
                }],
                seed: 40 + out.len() as u64,
                ..Scenario::default()
            });
        }
    }
    out
}

#[test]
fn exact_marks_give_back_floor_positions_and_separation() {
    for s in scenarios() {
        let (a, truth) = street(&s, &Hand::exact());
        assert_eq!(a.floor_stage, Stage::Ready);
        assert!(
            a.footprints.len() >= 2 * truth.feet.len() / 3,
            "{}",
            s.chart
        );
        for f in &a.footprints {
            let t = truth
                .feet
                .iter()
                .find(|t| {
                    (t.role, t.foot, t.repetition, t.count)
                        == (f.role, f.foot, f.repetition, f.count)
                })
                .unwrap();
            for (i, (seen, real)) in [(f.heel, t.heel), (f.toe, t.toe)].into_iter().enumerate() {
                if t.up[i] > 0.002 {
                    // Up from the floor it is somewhere else on it.
                    continue;
                }
                let miss = (seen[0] - real[0]).hypot(seen[1] - real[1]);
                assert!(miss < 0.01, "{} {f:?} misses by {miss}", s.chart);
            }
        }
        let mut compared = 0;
        for m in a.measures.iter().filter(|m| m.id == "separation") {
            let t = truth
                .counts
                .iter()
                .find(|t| (t.repetition, Some(t.count)) == (m.repetition, m.count))
                .unwrap();
            let miss = (m.reading.estimate().unwrap().value - t.separation).abs();
            assert!(miss < 0.02, "{} separation misses by {miss}", s.chart);
            compared += 1;
        }
        assert!(compared >= 20, "{}: only {compared} separations", s.chart);
    }
}

/// Errors of hand-marked takes against their claimed σ: about 68 % within one, 95 % within two.
#[test]
fn the_claimed_uncertainty_is_kept() {
    let (mut one, mut two, mut n) = (0u32, 0u32, 0u32);
    for (i, s) in scenarios().into_iter().enumerate() {
        // Each take has one calibration, whose error all its readings share: many takes, few readings.
        for round in 0..6 {
            let hand = Hand {
                pixel: 1.5,
                ..Hand::ordinary(100 + 17 * round + i as u64)
            };
            let (a, truth) = street(&s, &hand);
            for m in a.measures.iter().filter(|m| m.id == "separation") {
                let Some(t) = truth
                    .counts
                    .iter()
                    .find(|t| (t.repetition, Some(t.count)) == (m.repetition, m.count))
                else {
                    continue;
                };
                let e = m.reading.estimate().unwrap();
                let z = (e.value - t.separation).abs() / e.sigma;
                n += 1;
                one += u32::from(z <= 1.0);
                two += u32::from(z <= 2.0);
            }
        }
    }
    let share = |k: u32| f64::from(k) / f64::from(n);
    assert!(n > 500);
    assert!(
        (0.58..0.82).contains(&share(one)),
        "{} of {n} within one sigma",
        share(one)
    );
    assert!(
        (0.90..0.995).contains(&share(two)),
        "{} of {n} within two sigma",
        share(two)
    );
}

/// The same dance marked exactly from any place of the phone reads the same on the floor.
#[test]
fn the_place_of_the_phone_does_not_change_the_floor() {
    let read = |phone: Phone| {
        let s = Scenario {
            phones: vec![phone],
            seed: 9,
            repetitions: 2,
            ..Scenario::default()
        };
        let (a, _) = street(&s, &Hand::exact());
        let of_floor = [
            "separation",
            "step_length",
            "step_direction",
            "off_slot",
            "turn",
        ];
        let mut values = a.measures;
        values.retain(|m| of_floor.contains(&m.id.as_str()));
        values
    };
    let usual = read(Phone::default());
    assert!(usual.len() > 60, "{}", usual.len());
    for (bearing, height, distance, roll, view) in [
        (-20.0, 1.2, 4.2, -1.5, 66.0),
        (18.0, 1.9, 5.5, 2.0, 60.0),
        (0.0, 2.4, 6.0, 0.0, 58.0),
    ] {
        let other = read(Phone {
            distance,
            bearing,
            height,
            view,
            roll,
            ..Phone::default()
        });
        assert_eq!(other.len(), usual.len());
        for (a, b) in usual.iter().zip(&other) {
            assert_eq!(
                (&a.id, a.role, a.repetition, a.count),
                (&b.id, b.role, b.repetition, b.count)
            );
            let angle = a.id == "turn" || a.id == "step_direction";
            let close = if angle { 1.5 } else { 0.02 };
            let value = |m: &Measure| m.reading.estimate().unwrap().value;
            assert!((value(a) - value(b)).abs() < close, "{a:?} {b:?}");
        }
    }
}

/// Marking less gives fewer measures, never other ones.
#[test]
fn feet_alone_carry_what_needs_only_feet() {
    let s = Scenario {
        repetitions: 2,
        ..Scenario::default()
    };
    let feet = Hand {
        landmarks: &upright_core::body::Landmark::ALL[..4],
        ..Hand::exact()
    };
    let (whole, _) = street(&s, &Hand::exact());
    let (some, _) = street(&s, &feet);
    assert!(
        !some
            .measures
            .iter()
            .any(|m| m.id == "lean" || m.id == "elbow")
    );
    assert!(whole.measures.iter().any(|m| m.id == "lean"));
    let of_feet = |a: &Analysis| {
        a.measures
            .iter()
            .filter(|m| m.id != "lean" && m.id != "elbow" && !in_space(m))
            .cloned()
            .collect::<Vec<_>>()
    };
    assert_eq!(of_feet(&whole), of_feet(&some));
    // Four corners are enough for a floor, and claim less than eight points.
    let four = Hand {
        floor_points: 4,
        ..Hand::exact()
    };
    let (rough, _) = street(&s, &four);
    let sigma = |a: &Analysis| a.floor.as_ref().unwrap().sigma;
    assert!(sigma(&rough) > sigma(&whole));
}

/// Filmed along the slot, leans and elbows are not visible and are said to be so.
#[test]
fn a_view_along_the_slot_cannot_carry_leans() {
    let s = Scenario {
        phones: vec![Phone {
            bearing: 72.0,
            distance: 5.5,
            ..Phone::default()
        }],
        repetitions: 2,
        ..Scenario::default()
    };
    let (a, _) = street(&s, &Hand::exact());
    let leans: Vec<_> = a.measures.iter().filter(|m| m.id == "lean").collect();
    assert!(!leans.is_empty());
    assert!(leans.iter().all(|m| m.reading.estimate().is_none()));
    assert!(
        a.unseen
            .iter()
            .any(|u| u.fault == "P1" && u.why.contains("This angle cannot tell"))
    );
    assert!(!a.judged.iter().any(|j| j.fault == "P1"));
}

fn find<'a>(a: &'a Analysis, fault: &str, role: Option<Role>) -> &'a Judged {
    a.judged
        .iter()
        .find(|j| j.fault == fault && j.role == role)
        .unwrap_or_else(|| panic!("{fault} was not judged"))
}

/// Solved bodies against the true ones: what is said lies within its error, and what this angle cannot
/// tell is not said.
#[test]
fn bodies_in_space_are_where_they_were() {
    let s = Scenario {
        repetitions: 2,
        faults: vec![Shown::new("P1", Role::Follower)],
        seed: 61,
        ..Scenario::default()
    };
    let p = Performance::new(&s).unwrap();
    let frames = p.frame_times(0);
    let mut m = Marks::default();
    for command in marks(&p, 0, &frames, &Hand::ordinary(8)) {
        command.apply(&mut m).unwrap();
    }
    let couple = CoupleBody {
        heights: s.heights,
        frame_limit: None,
    };
    let take = Take {
        marks: &m,
        couple,
        films: &[Film::new(p.phone(0).picture())],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let solved = space(&take, &solve_take(&take, None));
    assert_eq!(solved.missing, [None, None]);
    assert_eq!(solved.bodies.len(), 32);
    let index = |id: &str| solved.numbers.iter().position(|n| n.id == id).unwrap();
    let (mut told, mut within) = (0, 0);
    let mut beside = Vec::new();
    for b in &solved.bodies {
        // In the picture it lies on the dancer.
        let [seen] = &b.pictured[..] else {
            panic!("{:?}", b.pictured)
        };
        assert_eq!(
            (seen.angle, seen.pose.at, seen.pose.role),
            (1, b.at, b.role)
        );
        for (l, at) in &seen.pose.points {
            let body = &p.bodies(b.at.secs())[b.role as usize];
            let there = p.phone(0).camera().project(body.joint(*l)).unwrap();
            beside.push((there.x - at[0]).hypot(there.y - at[1]));
        }
        let truth = &p.bodies(b.at.secs())[b.role as usize];
        let trunk = truth.chest() - truth.pelvis();
        let back = -trunk.dot(&truth.facing()).atan2(trunk.z).to_degrees();
        let lean = b.readings[index("lean_back")].estimate().unwrap();
        told += 1;
        within += u32::from((lean.value - back).abs() < 2.0 * lean.sigma);
        assert!((lean.value - back).abs() < 5.0, "{lean:?} {back}");
        // From the side nobody can tell how far a dancer leans toward the phone.
        assert!(b.readings[index("lean_side")].estimate().is_none());
        let hips = truth.pelvis();
        let seen = [9, 10].map(|j| b.joints[j]);
        for k in 0..3 {
            let middle = 0.5 * (seen[0][k] + seen[1][k]);
            assert!((middle - hips[k]).abs() < 4.0 * b.sigma + 0.02, "{k}");
        }
    }
    assert!(within * 10 >= told * 9, "{within} of {told}");
    assert_eq!(beside.len(), 32 * 19);
    beside.sort_by(f64::total_cmp);
    assert!(beside[beside.len() / 2] < 2.0, "{beside:?}");
    assert!(beside[beside.len() * 95 / 100] < 6.0, "{beside:?}");
    // The leaning follower is the one who leans.
    let most = solved
        .bodies
        .iter()
        .filter_map(|b| Some((b.role, b.readings[index("lean_back")].estimate()?.value)))
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .unwrap();
    assert_eq!(most.0, Role::Follower);
    assert!(most.1 > 6.0);
}

#[test]
fn a_clean_couple_gets_no_clear_finding() {
    for s in scenarios() {
        let (a, _) = street(&s, &Hand::ordinary(7));
        let clear: Vec<_> = a
            .judged
            .iter()
            .filter(|j| j.showing * 2 > j.of)
            .map(|j| (&j.fault, j.role, j.value))
            .collect();
        assert!(clear.is_empty(), "{} {clear:?}", s.chart);
    }
}

#[test]
fn seeded_faults_are_found_with_the_right_role() {
    // What is shown, and what it is found as.
    let cases = [
        (Shown::new("T1", Role::Leader), "T1"),
        (Shown::new("S4", Role::Follower), "S4"),
        (Shown::new("P1", Role::Follower), "P1"),
        (Shown::new("S1", Role::Follower).on(&[5]), "S1"),
        (Shown::new("S2", Role::Leader), "S2"),
        (Shown::new("R1", Role::Leader).of(30.0), "R1"),
    ];
    for (shown, fault) in cases {
        let role = shown.role;
        let s = Scenario {
            seed: 77,
            faults: vec![shown],
            ..Scenario::default()
        };
        let (a, _) = street(&s, &Hand::ordinary(3));
        let found = find(&a, fault, Some(role));
        assert!(
            2 * found.showing >= found.of,
            "{fault} shows {} of {}",
            found.showing,
            found.of
        );
        if let Some(partner) = a
            .judged
            .iter()
            .find(|j| j.fault == fault && j.role == Some(role.partner()))
        {
            assert!(
                partner.showing < found.showing,
                "{fault} also blamed on the partner"
            );
        }
    }
}

#[test]
fn staying_close_is_no_stretch() {
    let s = Scenario {
        faults: vec![Shown::new("K3", Role::Follower).of(0.3)],
        ..Scenario::default()
    };
    let (a, _) = street(&s, &Hand::ordinary(11));
    assert_eq!(find(&a, "K3", None).showing, 4);
}

fn shown(value: f64, sigma: f64, unit: Unit) -> String {
    match unit {
        Unit::Metres => format!("{:.0} cm ± {:.0}", 100.0 * value, 100.0 * sigma),
        Unit::Degrees => format!("{value:.0}° ± {sigma:.0}"),
        Unit::Seconds => format!("{:.0} ms ± {:.0}", 1000.0 * value, 1000.0 * sigma),
        Unit::Ratio | Unit::Share => format!("{value:.2} ± {sigma:.2}"),
    }
}

/// Measures of one repetition and all findings of a demo take, as a page to be read.
#[test]
fn a_demo_take_reads_like_this() {
    let s = Scenario {
        repetitions: 3,
        seed: 20_260_307,
        faults: vec![
            Shown::new("T1", Role::Leader).of(0.11),
            Shown::new("P1", Role::Follower).of(8.0),
        ],
        ..Scenario::default()
    };
    let (a, _) = street(&s, &Hand::ordinary(5));
    let mut page = String::new();
    let told = |m: &&Measure| m.repetition == 1 && !in_space(m);
    for m in a.measures.iter().filter(told) {
        let unit = upright_core::measure::spec(&m.id).unwrap().unit;
        let said = m
            .reading
            .estimate()
            .map_or("not visible".into(), |e| shown(e.value, e.sigma, unit));
        let count = m.count.map_or("whole".into(), |c| format!("count {c}"));
        writeln!(
            page,
            "{:<16} {:<8} {:<8} {said}",
            m.id,
            m.role.map_or("couple".into(), |r| format!("{r:?}")),
            count
        )
        .unwrap();
    }
    writeln!(page, "\nfindings").unwrap();
    for j in &a.judged {
        writeln!(
            page,
            "{:<3} {:<8} {:<10} {} of {}  {}  P {:.2}{}{}",
            j.fault,
            j.role.map_or("couple".into(), |r| format!("{r:?}")),
            format!("{:?}", j.grade),
            j.showing,
            j.of,
            shown(j.value.value, j.value.sigma, j.unit),
            j.probability,
            if j.offered { "  offered" } else { "" },
            j.explained_by.map_or(String::new(), |i| format!(
                "  explained by {}",
                a.judged[i].fault
            )),
        )
        .unwrap();
    }
    insta::assert_snapshot!(page);
}

#[test]
fn a_habit_that_shows_sometimes_is_found_where_it_shows() {
    let mut s = Scenario {
        repetitions: 8,
        seed: 404,
        faults: vec![Shown::new("P1", Role::Follower).of(10.0).in_share(0.5)],
        ..Scenario::default()
    };
    let (analysis, truth) = street(&s, &Hand::ordinary(3));
    assert_eq!(truth.findings.len(), 4);
    let found = find(&analysis, "P1", Some(Role::Follower));
    assert_eq!((found.showing, found.of), (4, 8));
    let shows: Vec<usize> = found
        .evidence
        .iter()
        .filter(|e| e.value.value > 5.0)
        .map(|e| e.repetition as usize)
        .collect();
    let true_ones: Vec<usize> = truth
        .findings
        .iter()
        .map(|f| f.repetition as usize)
        .collect();
    assert_eq!(shows, true_ones);
    // Nothing else of the dance changes with the share.
    let some = Performance::new(&s).unwrap();
    s.faults[0].share = 1.0;
    let whole = Performance::new(&s).unwrap();
    assert_eq!(whole.arrivals(Role::Leader), some.arrivals(Role::Leader));
}

#[test]
fn a_drifting_tempo_shortens_the_beats() {
    let s = Scenario {
        tempo_drift: 0.10,
        repetitions: 10,
        ..Scenario::default()
    };
    let p = Performance::new(&s).unwrap();
    let truth = Truth::of(&p, 0, &p.frame_times(0));
    assert_eq!(truth.beats.len(), 60);
    let beat = |i: usize| truth.beats[i + 1] - truth.beats[i];
    assert!((beat(0) - 60.0 / 118.0).abs() < 1e-3, "{}", beat(0));
    // Ten per cent a minute over the half minute danced.
    let share = beat(0) / beat(58);
    let expected = 1.0 + 0.10 * (truth.beats[56] - truth.beats[0]) / 60.0;
    assert!((share - expected).abs() < 0.005, "{share} {expected}");
    // The dancers go with it.
    let steps = p.arrivals(Role::Leader);
    let last = steps.iter().rfind(|a| a.count == 0).unwrap();
    assert!((last.at - truth.beats[54]).abs() < 0.05);
}
