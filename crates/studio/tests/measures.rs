//! Measures read from bodies that are known: what a fault changes is changed by as much, and only where the
//! fault shows.
#![allow(clippy::unwrap_used, clippy::panic)]

use upright_core::chart::{Shelf, chart};
use upright_core::fault::Rules;
use upright_core::marks::{CountSource, MarkCommand, Marks};
use upright_core::measure::{CoupleBody, Measure, REGISTRY, Scene, measure};
use upright_core::take::{Film, Solved, Take};
use upright_core::units::Role;
use upright_studio::{Hand, Performance, Scenario, Shown, Truth, known, marks, showable};

use Role::{Follower, Leader};

/// All measures of a performance whose bodies are known and whose count is the band's.
fn measured(p: &Performance) -> Vec<Measure> {
    let frames = p.frame_times(0);
    let mut m = Marks::default();
    for command in marks(p, 0, &frames, &Hand::exact()) {
        if matches!(
            command,
            MarkCommand::NameFigure { .. } | MarkCommand::SetCount { .. }
        ) {
            command.apply(&mut m).unwrap();
        }
    }
    assert!(matches!(
        m.count,
        Some(CountSource::Tempo { .. } | CountSource::Taps { .. })
    ));
    let take = Take {
        marks: &m,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films: &[Film::new([1280.0, 720.0])],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let solved = Solved::known([known(p, Leader), known(p, Follower)]);
    measure(&Scene::new(&take, Some(&solved)))
}

fn danced(figure: &str, faults: Vec<Shown>) -> Performance {
    let c = chart(figure).unwrap();
    Performance::new(&Scenario {
        chart: figure.into(),
        bpm: 0.5 * (c.tempo[0] + c.tempo[1]),
        repetitions: 6,
        faults,
        seed: 31,
        ..Scenario::default()
    })
    .unwrap()
}

/// Who shows a fault, which, in which figures, the measure that sees it, whose reading, and by how much it
/// moves where the fault shows: least and most.
type Case = (
    Role,
    &'static str,
    &'static [&'static str],
    &'static str,
    Option<Role>,
    [f64; 2],
);

const CASES: &[Case] = &[
    (
        Follower,
        "P2",
        &["tango-resolution", "shag-basic"],
        "hips_behind",
        Some(Follower),
        [0.10, 0.14],
    ),
    (
        Leader,
        "P3",
        &["tango-resolution"],
        "lean_toward",
        Some(Leader),
        [8.0, 12.0],
    ),
    (
        Leader,
        "P4",
        &["tango-resolution", "shag-basic"],
        "lean_side",
        Some(Leader),
        [8.0, 10.0],
    ),
    (
        Follower,
        "P5",
        &["shag-basic", "bolero-basic"],
        "head_ahead",
        Some(Follower),
        [0.09, 0.13],
    ),
    (
        Leader,
        "F1",
        &["shag-basic"],
        "elbow_joined",
        Some(Leader),
        [15.0, 90.0],
    ),
    (
        Leader,
        "F2",
        &["shag-basic"],
        "elbow_bent",
        Some(Leader),
        [-90.0, -15.0],
    ),
    (
        Leader,
        "F5",
        &["tango-resolution", "shag-basic"],
        "wrist_bend",
        Some(Leader),
        [40.0, 50.0],
    ),
    (
        Leader,
        "C2",
        &["shag-basic"],
        "facing_error",
        Some(Leader),
        [28.0, 36.0],
    ),
    (
        Follower,
        "C7",
        &["shag-pass"],
        "energy_match",
        Some(Follower),
        [0.01, 2.0],
    ),
    (
        Follower,
        "R1",
        &["shag-basic", "tango-resolution"],
        "turn_still",
        Some(Follower),
        [18.0, 26.0],
    ),
    (
        Follower,
        "R2",
        &["bolero-left-turn"],
        "turn_most",
        Some(Follower),
        [60.0, 80.0],
    ),
    (
        Follower,
        "R7",
        &["country-slingshot", "shag-turn"],
        "axis_tilt",
        Some(Follower),
        [5.0, 13.0],
    ),
    (
        Follower,
        "R8",
        &["balboa-come-around", "bolero-left-turn"],
        "stuck_twist",
        Some(Follower),
        [25.0, 50.0],
    ),
    (
        Leader,
        "K1",
        &["wcs-push"],
        "elbow_give",
        Some(Leader),
        [-80.0, -5.0],
    ),
    (
        Leader,
        "K2",
        &["hustle-in-out", "wcs-push"],
        "closing_share",
        Some(Leader),
        [-3.0, -0.4],
    ),
    (
        Leader,
        "K4",
        &["shag-basic"],
        "travel_after_stop",
        Some(Leader),
        [0.08, 0.3],
    ),
    (
        Leader,
        "K6",
        &["lindy-swing-out-open"],
        "travel_before_send",
        Some(Leader),
        [0.1, 0.45],
    ),
    (
        Follower,
        "K7",
        &["shag-basic", "shag-pass"],
        "lean_balance",
        None,
        [6.0, 12.0],
    ),
    (
        Leader,
        "S5",
        &["cha-walks"],
        "collect_gap",
        Some(Leader),
        [0.04, 0.2],
    ),
    (
        Leader,
        "S6",
        &["tango-resolution", "shag-basic"],
        "foot_lift",
        Some(Leader),
        [0.085, 0.115],
    ),
    (
        Leader,
        "S9",
        &["tango-resolution", "shag-basic"],
        "turnout",
        Some(Leader),
        [38.0, 46.0],
    ),
    (
        Leader,
        "L1",
        &["shag-basic", "wcs-push", "foxtrot-left-basic"],
        "bobbing",
        Some(Leader),
        [0.072, 0.085],
    ),
    (
        Leader,
        "L3",
        &["cha-walks"],
        "knee_passing",
        Some(Leader),
        [-60.0, -4.0],
    ),
    (
        Leader,
        "L4",
        &["shag-basic", "cha-walks"],
        "knee_arrival",
        Some(Leader),
        [5.0, 34.0],
    ),
    (
        Follower,
        "C6",
        &["shag-basic"],
        "lead_lag",
        None,
        [-0.16, -0.01],
    ),
    (
        Follower,
        "R6",
        &["salsa-right-turn", "shag-turn"],
        "turn_early",
        Some(Follower),
        [0.7, 1.1],
    ),
    (
        Leader,
        "C9",
        &["salsa-arm-lock"],
        "hand_low_first",
        Some(Leader),
        [0.4, 1.0],
    ),
    (
        Leader,
        "C4",
        &["ecs-travelling-turn"],
        "hand_overlap",
        None,
        [-0.4, -0.05],
    ),
    (
        Leader,
        "S7",
        &["waltz-spin-turn"],
        "between_feet",
        Some(Leader),
        [0.14, 0.24],
    ),
    (
        Follower,
        "R3",
        &["salsa-right-turn"],
        "turn_sum",
        Some(Follower),
        [40.0, 60.0],
    ),
];

#[test]
fn what_a_fault_changes_is_measured() {
    let mut wrong = Vec::new();
    for (who, fault, figures, id, role, [least, most]) in CASES {
        let kind = showable().iter().find(|k| k.id == *fault).unwrap();
        for figure in *figures {
            let counts = kind.counts(chart(figure).unwrap(), *who);
            let p = danced(figure, vec![Shown::new(fault, *who).in_share(0.5)]);
            let truth = Truth::of(&p, 0, &[]);
            let all = measured(&p);
            // By repetition, the mean of its readings on the counts on which the fault shows.
            let mean = |repetition: u32| {
                let of: Vec<f64> = all
                    .iter()
                    .filter(|m| m.id == *id && m.role == *role && m.repetition == repetition)
                    .filter(|m| m.count.is_none_or(|k| counts.contains(&k)))
                    .filter_map(|m| m.reading.estimate())
                    .map(|e| e.value)
                    .collect();
                (!of.is_empty()).then(|| of.iter().sum::<f64>() / of.len() as f64)
            };
            let (mut with, mut without) = (Vec::new(), Vec::new());
            for repetition in 0..6 {
                let shows = truth
                    .findings
                    .iter()
                    .any(|f| f.fault == *fault && f.repetition == repetition);
                if let Some(v) = mean(repetition) {
                    if shows { &mut with } else { &mut without }.push(v);
                }
            }
            let of = |v: &[f64]| v.iter().sum::<f64>() / v.len() as f64;
            let change = of(&with) - of(&without);
            if !(*least..=*most).contains(&change) {
                wrong.push(format!(
                    "{fault} {id} in {figure}: {change:.3} of {} and {} repetitions",
                    with.len(),
                    without.len()
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn who_prepares_a_turn_is_not_said_to_turn_on_a_step_without_one() {
    // The leader leads the spin from the fifth count, where both wind up, and turns on none of these.
    let p = danced("mj-duck-spin", Vec::new());
    let all = measured(&p);
    let at = |count: usize| -> Vec<f64> {
        let of = all.iter().filter(|m| {
            (m.id.as_str(), m.role, m.count) == ("turn_still", Some(Leader), Some(count))
        });
        of.filter_map(|m| Some(m.reading.estimate()?.value))
            .collect()
    };
    let wound_up = all
        .iter()
        .filter(|m| m.id == "preparation" && m.count == Some(4));
    assert!(wound_up.count() >= 6, "nobody prepares");
    assert!(
        at(4).is_empty() && at(5).is_empty(),
        "{:?} {:?}",
        at(4),
        at(5)
    );
    let after = at(6);
    assert!(
        after.len() >= 5 && after.iter().all(|v| v.abs() < 3.0),
        "{after:?}"
    );
}

#[test]
fn every_measure_has_readings_somewhere() {
    let mut missing: Vec<&str> = REGISTRY.iter().map(|s| s.id).collect();
    for figure in [
        "shag-basic",
        "bolero-basic",
        "waltz-natural-turn",
        "lindy-swing-out-open",
        "wcs-turn-under",
        "salsa-right-turn",
        "salsa-arm-lock",
        "waltz-spin-turn",
        "ecs-travelling-turn",
    ] {
        let all = measured(&danced(figure, Vec::new()));
        missing.retain(|id| {
            !all.iter()
                .any(|m| m.id == *id && m.reading.estimate().is_some())
        });
    }
    // These are read from marks in the picture, or from arrivals.
    let from_marks = [
        "arrival",
        "timing_mean",
        "timing_scatter",
        "together",
        "timing_drift",
        "late_by_leader",
        "apart_by_leader",
        // Only where feet are too near, which nobody's are here.
        "nearer_by_leader",
        "support",
        "step_length",
        "step_direction",
        "off_slot",
        "separation",
        "separation_share",
        "turn",
        "turn_uncharted",
        "turn_total",
        "elbow",
        "lean",
    ];
    missing.retain(|id| !from_marks.contains(id));
    assert!(missing.is_empty(), "{missing:?}");
}
