//! The whole street from marks alone: two dancers who stand exactly where the chart says, seen by one phone, with
//! one thing made otherwise at a time.
#![allow(clippy::unwrap_used, clippy::panic)]

use upright_core::analyse::{Analysis, Stage, analyse};
use upright_core::body::Landmark;
use upright_core::camera::Camera;
use upright_core::chart::{
    Chart, FloorStep, Shelf, Stance, Stride, chart, floor_path, start_stance,
};
use upright_core::count::{CountGrid, CountPattern};
use upright_core::event::Outcome;
use upright_core::fault::Rules;
use upright_core::marks::{CountSource, MarkCommand, Marks, StepMark};
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Take};
use upright_core::units::{Foot, MediaTime, Role};

use Role::{Follower, Leader};

const HEIGHTS: [f64; 2] = [1.8, 1.66];
const TEMPO: f64 = 118.0;
const REPETITIONS: u32 = 4;
const ONE: MediaTime = MediaTime(1_000_000);

/// A step as it is about to be marked.
struct Step {
    role: Role,
    repetition: u32,
    count: usize,
    foot: Foot,
    /// Seconds behind the count.
    late: f64,
    /// Whether it takes the weight.
    weight: bool,
    /// Whether it is marked at all.
    made: bool,
    /// Both feet beside where the chart has them, metres.
    beside: [f64; 2],
}

fn figure() -> &'static Chart {
    chart("shag-basic").unwrap()
}

fn phone(bearing: f64) -> Camera {
    let (sin, cos) = f64::to_radians(bearing).sin_cos();
    Camera::looking_at(
        [5.0 * sin, -5.0 * cos, 1.5].into(),
        [0.0, 0.2, 0.8].into(),
        0.0,
        65.0,
        [1280.0, 720.0],
    )
}

/// Figure, count and floor, nothing of the dancers.
fn laid(camera: &Camera) -> Marks {
    let mut m = Marks::default();
    for command in [
        MarkCommand::NameFigure {
            chart: figure().id.clone(),
            repetitions: REPETITIONS,
        },
        MarkCommand::SetCount {
            count: CountSource::Tempo {
                bpm: TEMPO,
                one: ONE,
            },
        },
        MarkCommand::SizeFloor {
            length: 2.0,
            width: 1.0,
            view: None,
        },
    ] {
        command.apply(&mut m).unwrap();
    }
    let places = m.floor.as_ref().unwrap().places();
    for (point, p) in places.iter().enumerate().take(4) {
        let q = camera.project([p[0], p[1], 0.0].into()).unwrap();
        let pixel = Some([q.x, q.y]);
        MarkCommand::MarkFloor { point, pixel }
            .apply(&mut m)
            .unwrap();
    }
    m
}

/// Where the chart has everybody: each step with its repetition.
fn charted(role: Role) -> Vec<(u32, FloorStep)> {
    let mut stance = start_stance(&figure().start, role, HEIGHTS);
    let mut out = Vec::new();
    for repetition in 0..REPETITIONS {
        let stride = Stride::joined(role, HEIGHTS);
        let (steps, next) = floor_path(figure().rows(role), stance, stride);
        out.extend(steps.into_iter().map(|s| (repetition, s)));
        stance = next;
    }
    out
}

/// The take marked at every count, each step changed before it is.
fn danced(camera: &Camera, change: impl Fn(&mut Step)) -> Marks {
    let mut m = laid(camera);
    let pattern = CountPattern::parse(&figure().counts).unwrap();
    let grid = CountGrid::from_tempo(TEMPO, ONE, figure().swing).unwrap();
    for role in Role::BOTH {
        let mut stance: Stance = start_stance(&figure().start, role, HEIGHTS);
        for (repetition, s) in charted(role) {
            let row = &figure().rows(role)[s.row];
            let mut step = Step {
                role,
                repetition,
                count: row.count,
                foot: s.foot,
                late: 0.0,
                weight: row.action.takes_weight(),
                made: true,
                beside: [0.0; 2],
            };
            change(&mut step);
            match s.foot {
                Foot::Left => stance.left = s.to,
                Foot::Right => stance.right = s.to,
            }
            stance.facing = s.facing;
            let count = grid.time_of_count(&pattern, repetition, row.count).unwrap();
            let at = MediaTime::from_secs(count.secs() + step.late);
            let (sin, cos) = s.facing.to_radians().sin_cos();
            for foot in [Foot::Left, Foot::Right] {
                let p = stance.foot(foot);
                for (landmark, d) in Landmark::heel_toe(foot).into_iter().zip([-0.12, 0.13]) {
                    let [x, y] = [p[0] + step.beside[0], p[1] + step.beside[1]];
                    let on = [x + d * cos, y + d * sin, 0.0];
                    let q = camera.project(on.into()).unwrap();
                    MarkCommand::Place {
                        role,
                        at,
                        landmark,
                        pixel: [q.x, q.y],
                    }
                    .apply(&mut m)
                    .unwrap();
                }
            }
            if step.made {
                m.steps.push(StepMark {
                    role,
                    foot: step.foot,
                    at,
                    weight: step.weight,
                });
            }
        }
    }
    m.steps.sort_by_key(|s| (s.at, s.role));
    m
}

fn analysed(m: &Marks) -> Analysis {
    analyse(
        &Take {
            marks: m,
            couple: CoupleBody {
                heights: HEIGHTS,
                frame_limit: None,
            },
            films: &[Film::new([1280.0, 720.0])],
            shelf: &Shelf::default(),
            rules: Rules::usual(),
        },
        None,
    )
}

fn of(change: impl Fn(&mut Step)) -> Analysis {
    analysed(&danced(&phone(4.0), change))
}

/// Faults that show, with whose they are.
fn shown(a: &Analysis) -> Vec<(&str, Option<Role>)> {
    let shows = a.judged.iter().filter(|j| j.shows());
    shows.map(|j| (j.fault.as_str(), j.role)).collect()
}

/// All values of a measure.
fn values(a: &Analysis, id: &str, role: Option<Role>) -> Vec<f64> {
    a.measures
        .iter()
        .filter(|m| m.id == id && m.role == role)
        .filter_map(|m| Some(m.reading.estimate()?.value))
        .collect()
}

fn missing(stage: &Stage) -> &str {
    match stage {
        Stage::Missing { what } => what,
        other => panic!("{other:?}"),
    }
}

#[test]
fn each_stage_says_what_to_do_until_it_is_done() {
    let nothing = analysed(&Marks::default());
    assert!(missing(&nothing.chart_stage).contains("figure"));
    assert!(missing(&nothing.count_stage).contains("Tap along"));
    assert!(missing(&nothing.floor_stage).contains("floor reference"));
    assert!(missing(&nothing.bodies_stage).contains("heels and toes"));
    assert_eq!((nothing.marked, nothing.measures.len()), ([0, 0], 0));
    assert!(
        nothing
            .lanes
            .iter()
            .all(|l| l.empty.is_some() && l.charted.is_empty())
    );

    let mut m = laid(&phone(4.0));
    let ready = analysed(&m);
    for stage in [&ready.chart_stage, &ready.count_stage, &ready.floor_stage] {
        assert_eq!(stage, &Stage::Ready);
    }
    assert!(missing(&ready.bodies_stage).contains("heels and toes"));
    let counts = figure().pattern().marks.len();
    assert_eq!(ready.marked, [0, REPETITIONS as usize * counts]);
    let view = ready.count.unwrap();
    assert!((view.tempo - TEMPO).abs() < 1e-3);
    assert_eq!(view.cells[0].at, ONE);
    assert_eq!(view.cells.len(), ready.marked[1]);
    assert!(view.cells.windows(2).all(|w| w[0].at < w[1].at));

    // A corner taken away closes the floor again.
    MarkCommand::MarkFloor {
        point: 2,
        pixel: None,
    }
    .apply(&mut m)
    .unwrap();
    assert!(missing(&analysed(&m).floor_stage).contains("all four corners"));
}

#[test]
fn who_dances_as_charted_shows_nothing() {
    let a = of(|_| {});
    assert_eq!(shown(&a), []);
    assert_eq!(a.marked[0], a.marked[1]);
    assert!(a.steps.iter().all(|s| s.outcome == Outcome::AsCharted));
    for role in Role::BOTH {
        let late = values(&a, "arrival", Some(role));
        assert!(late.len() >= 20, "{}", late.len());
        assert!(late.iter().all(|l| l.abs() < 1e-6), "{late:?}");
        let ratio = values(&a, "step_length", Some(role));
        assert!(ratio.len() >= 6, "{}", ratio.len());
        assert!(ratio.iter().all(|r| (r - 1.0).abs() < 0.02), "{ratio:?}");
    }
    // Marked by hand, nothing waits for a hand.
    assert!(a.doubts.is_empty());
    // Feet alone tell when, how far apart and which way; not how the bodies go.
    let lane = |id: &str| a.lanes.iter().find(|l| l.id == id).unwrap();
    let told: Vec<&str> = a
        .lanes
        .iter()
        .filter(|l| l.empty.is_none())
        .map(|l| l.measure.as_str())
        .collect();
    assert_eq!(told, ["arrival", "separation_share", "turn"]);
    assert_eq!(lane("timing").band.unwrap().fine, [Some(-0.05), Some(0.05)]);
    // The band in force, which grows a little with the couple's size.
    let judged = a.judged.iter().find(|j| j.fault == "C1").unwrap();
    assert_eq!(lane("gap").band, Some(judged.band));
    assert_eq!(
        (lane("gap").roles.as_slice(), lane("level").roles.len()),
        (&[None][..], 2)
    );
    assert_eq!(lane("speed").empty.as_deref(), Some("not known yet"));
    // The basic turns nobody.
    let asked = &lane("turn").charted;
    assert!(
        asked.len() >= 40 && asked.iter().all(|c| c.value == 0.0),
        "{asked:?}"
    );
    // Without bodies nothing is said of arms.
    assert!(a.frame_limit.is_none());
}

#[test]
fn feet_are_where_the_chart_has_them() {
    let a = of(|_| {});
    let mut compared = 0;
    for role in Role::BOTH {
        for (repetition, s) in charted(role) {
            let count = figure().rows(role)[s.row].count;
            let print = a.footprints.iter().find(|p| {
                (p.role, p.foot, p.repetition, p.count) == (role, s.foot, repetition, count)
            });
            let p = print.unwrap();
            let middle = [0, 1].map(|k| p.heel[k] + 0.12 / 0.25 * (p.toe[k] - p.heel[k]));
            let off = (middle[0] - s.to[0]).hypot(middle[1] - s.to[1]);
            assert!(off < 0.005, "{role:?} {repetition} {count}: {off}");
            compared += 1;
        }
    }
    assert!(compared >= 40, "{compared}");
}

#[test]
fn the_phones_place_does_not_change_what_is_measured() {
    let front = of(|_| {});
    let gaps = values(&front, "separation", None);
    assert!(gaps.len() >= 20, "{}", gaps.len());
    for bearing in [-35.0, 25.0, 50.0] {
        let side = analysed(&danced(&phone(bearing), |_| {}));
        let others = values(&side, "separation", None);
        assert_eq!(gaps.len(), others.len());
        for (a, b) in gaps.iter().zip(&others) {
            assert!((a - b).abs() < 0.005, "{bearing}: {a} {b}");
        }
    }
}

#[test]
fn a_late_leader_is_late_and_the_follower_is_not() {
    let a = of(|s| s.late = if s.role == Leader { 0.13 } else { 0.0 });
    let shown = shown(&a);
    assert!(shown.contains(&("T1", Some(Leader))), "{shown:?}");
    assert!(!shown.contains(&("T1", Some(Follower))), "{shown:?}");
    for mean in values(&a, "timing_mean", Some(Leader)) {
        assert!((mean - 0.13).abs() < 1e-3, "{mean}");
    }
    let apart = values(&a, "together", None);
    assert!(!apart.is_empty());
    // The follower arrives before the leader does.
    assert!(apart.iter().all(|t| (t + 0.13).abs() < 1e-3), "{apart:?}");
}

#[test]
fn rushing_is_a_slope_and_not_a_mean() {
    let each = 0.02;
    let a = of(|s| {
        if s.role == Follower {
            s.late = -each * s.count as f64;
        }
    });
    let drift = values(&a, "timing_drift", Some(Follower));
    assert_eq!(drift.len(), REPETITIONS as usize);
    assert!(drift.iter().all(|d| *d < -0.02), "{drift:?}");
    assert!(
        shown(&a).contains(&("T4", Some(Follower))),
        "{:?}",
        shown(&a)
    );
    let steady = values(&a, "timing_drift", Some(Leader));
    assert!(steady.iter().all(|d| d.abs() < 1e-6), "{steady:?}");
}

#[test]
fn a_wrong_foot_shows_at_its_count_and_comes_first() {
    let wrong = |s: &Step| (s.role, s.repetition, s.count) == (Leader, 2, 2);
    let a = of(|s| {
        if wrong(s) {
            s.foot = s.foot.other();
        }
        // A lateness beside it comes after.
        if s.role == Leader {
            s.late = 0.12;
        }
    });
    let first = &a.judged[0];
    assert_eq!((first.fault.as_str(), first.role), ("S1", Some(Leader)));
    assert_eq!((first.showing, first.of), (1, REPETITIONS));
    assert!(first.offered);
    let cells = &a.count.as_ref().unwrap().cells;
    let at = a.shown_at("S1", Leader, None);
    let places: Vec<(u32, usize)> = at
        .iter()
        .map(|i| (cells[*i].repetition, cells[*i].count))
        .collect();
    assert_eq!(places, [(2, 2)]);
    assert_eq!(a.most_at("S1", Leader, None), Some(at[0]));
    let outcome =
        |s: &&upright_core::analyse::StepView| (s.role, s.repetition, s.count) == (Leader, 2, 2);
    let step = a.steps.iter().find(outcome).unwrap();
    assert_eq!(step.outcome, Outcome::WrongFoot);
}

#[test]
fn a_step_left_out_is_not_one_that_nobody_marked() {
    let out = |s: &Step| (s.role, s.repetition, s.count) == (Follower, 1, 2);
    let a = of(|s| s.made = !out(s));
    let of_follower = |count: usize| {
        let at = |s: &&upright_core::analyse::StepView| {
            (s.role, s.repetition, s.count) == (Follower, 1, count)
        };
        a.steps.iter().find(at).unwrap().outcome
    };
    assert_eq!(of_follower(2), Outcome::LeftOut);
    assert_eq!(of_follower(0), Outcome::AsCharted);
    assert!(shown(&a).contains(&("S1", Some(Follower))));
    // Of a repetition in which nothing is marked nothing is said.
    let b = of(|s| s.made = s.repetition != 1);
    let unmarked = b.steps.iter().filter(|s| s.repetition == 1);
    assert!(unmarked.clone().count() > 0);
    assert!(unmarked.clone().all(|s| s.outcome == Outcome::NotMarked));
    assert!(!shown(&b).iter().any(|f| f.0 == "S1"), "{:?}", shown(&b));
}

#[test]
fn who_steps_off_the_line_is_off_it() {
    // From the third repetition on the follower dances half a metre beside the slot.
    let a = of(|s| {
        if s.role == Follower && s.repetition >= 2 {
            s.beside = [0.0, 0.5];
        }
    });
    let off = a
        .judged
        .iter()
        .find(|j| j.fault == "S4" && j.role == Some(Follower));
    let off = off.unwrap();
    let showing: Vec<u32> = off
        .evidence
        .iter()
        .filter(|e| e.probability >= 0.8)
        .map(|e| e.repetition)
        .collect();
    assert_eq!(showing, [2, 3]);
    assert!(
        !shown(&a).contains(&("S4", Some(Leader))),
        "{:?}",
        shown(&a)
    );
    // Both feet are as much further from the partner's as the way asks for.
    let gap = |r: u32| {
        let m = a
            .measures
            .iter()
            .find(|m| m.id == "separation" && (m.repetition, m.count) == (r, Some(0)));
        m.unwrap().reading.estimate().unwrap().value
    };
    let straight = gap(0);
    assert!(
        (gap(3) - straight.hypot(0.5)).abs() < 0.02,
        "{} {straight}",
        gap(3)
    );
}

#[test]
fn what_only_the_coach_saw_is_at_its_spoken_counts() {
    let a = of(|_| {});
    let cells = &a.count.as_ref().unwrap().cells;
    let third = cells[2].label.clone();
    let at = a.shown_at("grip", Leader, Some(&third));
    assert_eq!(at.len(), REPETITIONS as usize);
    assert!(at.iter().all(|i| cells[*i].label == third));
    assert_eq!(a.most_at("grip", Leader, Some(&third)), Some(at[0]));
    assert!(a.shown_at("grip", Leader, Some("no such count")).is_empty());
}

#[test]
fn the_order_of_marks_means_nothing() {
    let m = danced(&phone(4.0), |s| s.late = 0.02 * f64::from(s.repetition));
    let mut turned = Marks {
        steps: Vec::new(),
        ..m.clone()
    };
    for s in m.steps.iter().rev() {
        MarkCommand::MarkStep {
            role: s.role,
            foot: s.foot,
            at: s.at,
            weight: s.weight,
        }
        .apply(&mut turned)
        .unwrap();
    }
    let (a, b) = (analysed(&m), analysed(&turned));
    assert_eq!(a.steps, b.steps);
    assert_eq!(a.measures, b.measures);
}
