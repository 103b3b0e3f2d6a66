//! Tracks of the simulated detector through the core: who is who, when feet arrive, and what follows.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;

use nalgebra::{Point3, Vector3};
use upright_core::analyse::{Analysis, CountCell, Stage, analyse, first_look};
use upright_core::body::Landmark;
use upright_core::body::identity::{Told, mend};
use upright_core::body::solve::{Bodies, Source};
use upright_core::body::track::Sighting;
use upright_core::chart::Shelf;
use upright_core::event::{FootStep, foot_steps};
use upright_core::fault::Rules;
use upright_core::judge::Judged;
use upright_core::marks::{AngleMarks, CountSource, FloorReference, MarkCommand, Marks, StepMark};
use upright_core::measure::{CoupleBody, Measure};
use upright_core::take::{Film, Solved, Take, solve_take};
use upright_core::units::{Estimate, Foot, MediaTime, Role, wrap_degrees};
use upright_studio::{
    Detector, Hand, Performance, Phone, Scenario, Shown, detect, known, marks, track,
};

fn dance(chart: &str, seed: u64) -> Performance {
    Performance::new(&Scenario {
        chart: chart.into(),
        repetitions: 3,
        phones: vec![Phone {
            bearing: 8.0,
            distance: 5.0,
            ..Phone::default()
        }],
        seed,
        ..Scenario::default()
    })
    .unwrap()
}

fn frames(p: &Performance) -> Vec<MediaTime> {
    let many = (p.length() * 30.0) as u32;
    (0..many)
        .map(|i| MediaTime::from_secs(f64::from(i) / 30.0))
        .collect()
}

/// Share of the sightings that bear the wrong dancer's name, told by which hips lie nearer.
fn wrong(p: &Performance, track: &[Sighting]) -> f64 {
    let phone = p.phone(0);
    let camera = phone.camera();
    let mut wrong = 0;
    for s in track {
        let bodies = p.bodies(phone.danced(s.at.secs()));
        let miss = |role: Role| -> f64 {
            [Landmark::LeftHip, Landmark::RightHip]
                .iter()
                .filter_map(|l| {
                    let q = camera.project(bodies[role as usize].joint(*l))?;
                    let seen = s.points.get(l)?.pixel;
                    Some((seen[0] - q.x).hypot(seen[1] - q.y))
                })
                .sum()
        };
        wrong += usize::from(miss(s.role) > miss(s.role.partner()) + 80.0);
    }
    wrong as f64 / track.len() as f64
}

#[test]
fn dancers_who_exchanged_names_in_passing_get_their_own_back() {
    let (mut before, mut after) = (0.0, 0.0);
    let figures = [
        "shag-pass",
        "wcs-left-pass",
        "lindy-swing-out-open",
        "hustle-spin",
    ];
    for (i, chart) in figures.iter().enumerate() {
        let p = dance(chart, i as u64);
        let detector = Detector {
            people: 0.6,
            seed: 40 + i as u64,
            ..Detector::default()
        };
        let mut t = track(&detect(&p, 0, &frames(&p), &detector));
        before += wrong(&p, &t);
        let camera = p.phone(0).camera();
        let told = Told {
            camera: Some(&camera),
            heights: p.scenario().heights,
            ..Told::default()
        };
        mend(&mut t, &told);
        after += wrong(&p, &t);
    }
    assert!(before > 0.5, "the detector exchanges nobody: {before}");
    assert!(after < 0.04, "still exchanged: {after} of {before}");
}

/// The take as one phone's detector gives it: floor marked exactly.
fn filmed(p: &Performance, seed: u64) -> (Marks, Vec<Film>) {
    filmed_by(p, 0, seed)
}

fn filmed_by(p: &Performance, phone: usize, seed: u64) -> (Marks, Vec<Film>) {
    let [length, width] = p.scenario().reference;
    let mut floor = FloorReference::rectangle(length, width);
    for (slot, place) in floor.places().iter().enumerate() {
        let q = p
            .phone(phone)
            .camera()
            .project(Point3::new(place[0], place[1], 0.0));
        floor.points[slot] = q.map(|q| [q.x, q.y]);
    }
    let marks = Marks {
        floor: Some(floor),
        repetitions: p.scenario().repetitions,
        chart: Some(p.scenario().chart.clone()),
        ..Marks::default()
    };
    let detector = Detector {
        seed,
        ..Detector::default()
    };
    let mut film = Film::new(p.phone(phone).picture());
    film.track = track(&detect(p, phone, &frames(p), &detector));
    (marks, vec![film])
}

fn take<'a>(p: &Performance, marks: &'a Marks, films: &'a [Film], shelf: &'a Shelf) -> Take<'a> {
    Take {
        marks,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films,
        shelf,
        rules: Rules::usual(),
    }
}

fn solved(p: &Performance, marks: &Marks, films: &[Film], before: Option<&Solved>) -> Solved {
    solve_take(&take(p, marks, films, &Shelf::default()), before)
}

/// Of the truth's arrivals: how many were found on the right foot, the errors of those, seconds, and how
/// many steps were found that nobody made.
fn found(p: &Performance, role: Role, steps: &[FootStep]) -> (f64, Vec<f64>, usize) {
    let truth = p.arrivals(role);
    let mut errors = Vec::new();
    for a in truth {
        let near = steps
            .iter()
            .filter(|s| s.mark.foot == a.foot)
            .map(|s| s.mark.at.secs() - a.at)
            .min_by(|x, y| x.abs().total_cmp(&y.abs()));
        errors.extend(near.filter(|e| e.abs() < 0.15));
    }
    let extra = steps.len().saturating_sub(errors.len());
    (errors.len() as f64 / truth.len() as f64, errors, extra)
}

#[test]
fn a_correction_is_solved_where_it_matters_and_as_if_from_the_start() {
    let p = dance("shag-basic", 20);
    let (mut marks, films) = filmed(&p, 3);
    let before = solved(&p, &marks, &films, None);
    // The coach sets a wrist right at one frame.
    let at = frames(&p)[90];
    let t = p.phone(0).danced(at.secs());
    let body = &p.bodies(t)[Role::Leader as usize];
    let wrist = Landmark::LeftWrist;
    let q = p.phone(0).camera().project(body.joint(wrist)).unwrap();
    let place = MarkCommand::Place {
        role: Role::Leader,
        at,
        landmark: wrist,
        pixel: [q.x, q.y],
    };
    place.apply(&mut marks).unwrap();
    let quick = solved(&p, &marks, &films, Some(&before));
    let whole = solved(&p, &marks, &films, None);
    let [b, q, w] = [&before, &quick, &whole].map(|s| s.of(Role::Leader).unwrap());
    let now = at.secs();
    for l in [wrist, Landmark::LeftHip, Landmark::RightToe] {
        let [b, q, w] = [b, q, w].map(|x| x.moment(now).unwrap().joint(l));
        let truth = body.joint(l);
        // Two ways to a least cost end close to each other, not in one point.
        assert!(
            (q - w).norm() < 0.04,
            "{l:?}: {} m from the whole solution",
            (q - w).norm()
        );
        let nearer = (q - truth).norm() < (b - truth).norm() + 0.01;
        assert!(l != wrist || nearer, "the wrist is no nearer to the truth");
    }
    // Far from the correction, and of the partner, nothing has moved at all.
    for (k, t) in
        q.at.iter()
            .enumerate()
            .filter(|(_, t)| (**t - now).abs() > 1.5)
    {
        let was = b.moment(*t).unwrap();
        assert_eq!(q.joint(k, wrist), was.joint(wrist));
    }
    let [b, q] = [&before, &quick].map(|s| s.of(Role::Follower).unwrap());
    assert_eq!(b.joint(40, wrist), q.joint(40, wrist));
}

fn median(mut of: Vec<f64>) -> f64 {
    of.sort_by(f64::total_cmp);
    of[of.len() / 2]
}

/// At marked counts nothing near by tells the shapes of an arm apart that look alike; what the figure says is held does.
#[test]
fn held_hands_tell_the_elbows_of_one_camera() {
    let (mut without, mut with) = ([Vec::new(), Vec::new()], [Vec::new(), Vec::new()]);
    for seed in 1..13 {
        let p = dance("shag-basic", 20 + seed);
        let mut held = Marks::default();
        for command in marks(&p, 0, &p.frame_times(0), &Hand::ordinary(seed)) {
            // A point of the reference out of the picture is left unmarked.
            let _ = command.apply(&mut held);
        }
        let free = Marks {
            chart: None,
            ..held.clone()
        };
        let films = [Film::new(p.phone(0).picture())];
        for (marks, all) in [(&free, &mut without), (&held, &mut with)] {
            let s = solved(&p, marks, &films, None);
            // The leader's left hand holds the follower's right one.
            for (role, side) in [(Role::Leader, Foot::Left), (Role::Follower, Foot::Right)] {
                let b = s.of(role).unwrap();
                for t in 0..b.at.len() {
                    let truth = &p.bodies(p.phone(0).danced(b.at[t]))[role as usize];
                    let [s, e, w] = Landmark::arm(side).map(|l| truth.joint(l));
                    let bend = (s - e).angle(&(w - e)).to_degrees();
                    let elbow = b.elbow(t, side).unwrap();
                    all[0].push((elbow.value - bend).abs());
                    all[1].push(elbow.sigma);
                }
            }
        }
    }
    // Nearer to the truth, and surer. Medians: the error of an arm that is nearly straight to the camera has no end.
    let [with, without] = [with, without].map(|all| all.map(median));
    assert!(
        with[0] < 0.85 * without[0] && with[1] < 0.95 * without[1],
        "{with:?} with holds, {without:?} without"
    );
}

/// A correction changes only what is about it, also of what a hold told.
#[test]
fn a_correction_leaves_what_is_held_elsewhere_as_it_was() {
    let p = dance("shag-basic", 20);
    let (mut marks, films) = filmed(&p, 3);
    let first = p.phone(0).shown(p.count_at(0, 0).unwrap());
    let one = MediaTime::from_secs(first);
    let bpm = p.scenario().bpm;
    let count = CountSource::Tempo { bpm, one };
    MarkCommand::SetCount { count }.apply(&mut marks).unwrap();
    let both = solved(&p, &marks, &films, None);
    let at = frames(&p)[90];
    let place = MarkCommand::Place {
        role: Role::Leader,
        at,
        landmark: Landmark::LeftWrist,
        pixel: [600.0, 300.0],
    };
    place.apply(&mut marks).unwrap();
    let later = solved(&p, &marks, &films, Some(&both));
    for role in Role::BOTH {
        let [was, is] = [&both, &later].map(|s| s.of(role).unwrap());
        for t in (0..is.at.len()).filter(|t| (is.at[*t] - at.secs()).abs() > 1.8) {
            let k = was.at.iter().position(|x| *x == is.at[t]).unwrap();
            assert_eq!(
                was.joint(k, Landmark::LeftElbow),
                is.joint(t, Landmark::LeftElbow)
            );
            assert_eq!(was.elbow(k, Foot::Right), is.elbow(t, Foot::Right));
        }
    }
}

#[test]
fn known_bodies_tell_their_steps() {
    let p = dance("shag-basic", 5);
    let at: Vec<f64> = (0..(p.length() / 0.08) as u32)
        .map(|i| 0.08 * f64::from(i))
        .collect();
    for role in Role::BOTH {
        let bodies: Vec<_> = at
            .iter()
            .map(|t| p.bodies(*t)[role as usize].clone())
            .collect();
        let joints: Vec<[Point3<f64>; 19]> = bodies
            .iter()
            .map(|b| {
                let mut j = [Point3::origin(); 19];
                for l in Landmark::ALL {
                    j[l as usize] = b.joint(l);
                }
                j
            })
            .collect();
        let planted = joints
            .iter()
            .map(|j| {
                let low = |l: Landmark| j[l as usize].z < 0.012;
                [
                    [low(Landmark::LeftHeel), low(Landmark::LeftToe)],
                    [low(Landmark::RightHeel), low(Landmark::RightToe)],
                ]
            })
            .collect();
        let b = Bodies::known(1.7, at.clone(), &joints, planted, 0.001);
        let (share, errors, extra) = found(&p, role, &foot_steps(&b, role));
        let mut off: Vec<f64> = errors.iter().map(|e| e.abs()).collect();
        off.sort_by(f64::total_cmp);
        assert!(share >= 0.8, "{role:?}: {share} of the arrivals found");
        assert!(extra <= 1, "{role:?}: {extra} steps nobody made");
        // Half a swing is added, which this dancer's own may differ from.
        assert!(off[off.len() / 2] < 0.03, "{role:?}: {off:?}");
    }
}

/// A dance as a detector sees it from the side and from the front.
fn from_two(p: &Performance) -> (Marks, Vec<Film>) {
    let (mut marks, mut films) = (Marks::default(), Vec::new());
    for phone in 0..2 {
        let (mut one, mut film) = filmed_by(p, phone, 7 + phone as u64);
        films.append(&mut film);
        if phone == 0 {
            marks = one;
        } else {
            let floor = one.floor.take();
            let angle = AngleMarks {
                floor,
                poses: Vec::new(),
            };
            marks.angles.insert(2, angle);
        }
    }
    (marks, films)
}

/// What is found of it, with arrivals called or not.
fn analysed(p: &Performance, called: bool) -> Analysis {
    let (mut marks, films) = from_two(p);
    if called {
        for role in Role::BOTH {
            marks
                .steps
                .extend(p.arrivals(role).iter().map(|a| StepMark {
                    role,
                    foot: a.foot,
                    at: MediaTime::from_secs(a.at),
                    weight: a.weight,
                }));
        }
    }
    counted(p, marks, &films)
}

/// The count as it is danced.
fn count(p: &Performance) -> CountSource {
    CountSource::Tempo {
        bpm: p.scenario().bpm,
        one: p.grid().time_of(0.0),
    }
}

/// What is found by these marks and films, with the count known.
fn counted(p: &Performance, mut marks: Marks, films: &[Film]) -> Analysis {
    marks.count = Some(count(p));
    let shelf = Shelf::default();
    let take = take(p, &marks, films, &shelf);
    analyse(&take, Some(&solve_take(&take, None)))
}

#[test]
fn what_one_phone_does_not_see_the_other_does() {
    let p = late_follower(5);
    let (marks, mut films) = from_two(&p);
    let (from, to) = (3.0, 4.6);
    films[0]
        .track
        .retain(|s| !(from..to).contains(&s.at.secs()));
    let both = solved(&p, &marks, &films, None);
    let alone = Marks {
        angles: Default::default(),
        ..marks.clone()
    };
    let one = solved(&p, &alone, &films[..1], None);
    let mut more = 0;
    for role in Role::BOTH {
        let [both, one] = [&both, &one].map(|s| s.of(role).unwrap());
        let pause = |b: &Bodies| {
            let steps = b.at.windows(2).map(|w| w[1] - w[0]);
            steps.fold(0.0, f64::max)
        };
        // The second one loses a dancer for a moment, as detectors do.
        assert!(pause(both) < 0.6, "{role:?}: {} s", pause(both));
        assert!(pause(one) > 1.5, "{role:?}: {} s", pause(one));
        // No picture of the second phone is put beside one of the first.
        assert!(both.at.windows(2).all(|w| w[1] - w[0] > 0.05));
        let steps = |b: &Bodies| {
            let steps = foot_steps(b, role);
            let at = steps.iter().map(|s| s.mark.at.secs());
            at.filter(|t| (from + 0.2..to - 0.2).contains(t)).count()
        };
        assert_eq!(steps(one), 0);
        more += steps(both);
    }
    assert!(more >= 3, "{more} steps");
}

/// Readings of a measure of a dancer or the couple, with their repetitions.
fn readings(a: &Analysis, id: &str, role: Role) -> Vec<(usize, Estimate)> {
    let of = |m: &&Measure| m.id == id && m.role.is_none_or(|r| r == role);
    let all = a.measures.iter().filter(of);
    all.filter_map(|m| Some((m.repetition as usize, m.reading.estimate()?)))
        .collect()
}

/// A shag whose follower comes late throughout, from the side and from the front.
fn late_follower(seed: u64) -> Performance {
    Performance::new(&Scenario {
        chart: "shag-basic".into(),
        repetitions: 3,
        phones: [10.0, 95.0]
            .map(|bearing| Phone {
                bearing,
                distance: 5.0,
                ..Phone::default()
            })
            .to_vec(),
        faults: vec![Shown::new("T1", Role::Follower)],
        seed,
        ..Scenario::default()
    })
    .unwrap()
}

/// Mean lateness of the follower's steps in a repetition, seconds.
fn truly_late(p: &Performance, repetition: u32) -> f64 {
    let of = p.arrivals(Role::Follower).iter();
    let of = of.filter(|a| a.repetition == repetition);
    let late: Vec<f64> = of
        .filter_map(|a| Some(a.at - p.count_at(repetition, a.count)?))
        .collect();
    late.iter().sum::<f64>() / late.len() as f64
}

fn shows(a: &Analysis, id: &str, role: Role) -> bool {
    let of = |j: &&Judged| j.fault == id && j.role.is_none_or(|r| r == role);
    a.judged.iter().find(of).is_some_and(Judged::shows)
}

#[test]
fn a_late_follower_is_found_without_a_mark() {
    let (mut told, mut seen) = (0, 0);
    for seed in 4..7 {
        let late = late_follower(seed);
        let found = analysed(&late, false);
        let own = readings(&found, "timing_mean", Role::Follower);
        told += own.len();
        for (r, e) in &own {
            let t = truly_late(&late, *r as u32);
            assert!((e.value - t).abs() < 2.5 * e.sigma, "{e:?} for {t}");
            assert!((0.02..0.05).contains(&e.sigma), "{e:?}");
        }
        seen += u32::from(shows(&found, "T1", Role::Follower));
        assert!(!shows(&found, "T1", Role::Leader));
        // It is the follower who makes them not be together.
        let share = readings(&found, "late_by_leader", Role::Leader);
        assert!(share.iter().all(|s| s.1.value < 0.4), "{share:?}");
        // Whether the weight came is not told by what was found.
        assert!(readings(&found, "support", Role::Follower).is_empty());
    }
    assert!(told >= 5, "{told} of 9 repetitions told");
    assert!(seen >= 2, "{seen} of 3 followers");
}

/// What the same measures are by the bodies themselves.
fn exactly(p: &Performance) -> Analysis {
    let mut m = Marks::default();
    for command in marks(p, 0, &p.frame_times(0), &Hand::exact()) {
        let _ = command.apply(&mut m);
    }
    let take = Take {
        marks: &m,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films: &[Film::new(p.phone(0).picture())],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let solved = Solved::known(Role::BOTH.map(|r| known(p, r)));
    analyse(&take, Some(&solved))
}

#[test]
fn hips_that_bob_are_not_smoothed_away() {
    let (mut read, mut true_ones, mut level) = (0.0, 0.0, 0.0);
    for (seed, chart) in [
        (4, "shag-basic"),
        (5, "shag-basic"),
        (6, "salsa-right-turn"),
    ] {
        let p = Performance::new(&Scenario {
            chart: chart.into(),
            faults: vec![Shown::new("L1", Role::Leader)],
            ..late_follower(seed).scenario().clone()
        })
        .unwrap();
        let (found, exact) = (analysed(&p, false), exactly(&p));
        let truth = readings(&exact, "bobbing", Role::Leader);
        for (r, e) in readings(&found, "bobbing", Role::Leader) {
            let known = truth.iter().find(|t| t.0 == r).unwrap().1.value;
            read += e.value;
            true_ones += known;
        }
        level += readings(&found, "bobbing", Role::Follower)
            .iter()
            .map(|e| e.1.value)
            .fold(0.0, f64::max);
    }
    // Most of the bob is left, and who does not bob is not made to.
    assert!(true_ones > 0.2, "{true_ones}");
    assert!(
        (0.7..1.15).contains(&(read / true_ones)),
        "{read} of {true_ones}"
    );
    assert!(level / 3.0 < 0.035, "{level}");
}

/// Lean to the left, degrees, by where landmarks are.
fn lean_left(at: impl Fn(Landmark) -> Vector3<f64>) -> f64 {
    use Landmark as L;
    let line = at(L::LeftShoulder) - at(L::RightShoulder);
    let trunk =
        0.5 * (at(L::LeftShoulder) + at(L::RightShoulder) - at(L::LeftHip) - at(L::RightHip));
    let aside = Vector3::new(line.x, line.y, 0.0).normalize();
    trunk.dot(&aside).atan2(trunk.z).to_degrees()
}

#[test]
fn most_of_a_lean_in_depth_is_left() {
    let (mut read, mut truth, mut upright) = (0.0, 0.0, 0.0);
    for seed in 4..8 {
        // Seen from the side, a lean to the side is one in depth, which only the detector's own depths tell.
        let p = Performance::new(&Scenario {
            faults: vec![Shown::new("P4", Role::Leader)],
            ..late_follower(seed).scenario().clone()
        })
        .unwrap();
        let (marks, films) = filmed(&p, seed);
        let found = solved(&p, &marks, &films, None);
        let means = Role::BOTH.map(|role| {
            let bodies = found.of(role).unwrap();
            let all = bodies.at.iter().enumerate().map(|(t, at)| {
                let body = &p.bodies(*at)[role as usize];
                [
                    lean_left(|l| bodies.joint(t, l).coords),
                    lean_left(|l| body.joint(l).coords),
                ]
            });
            let all: Vec<[f64; 2]> = all.collect();
            [0, 1].map(|k| all.iter().map(|v| v[k]).sum::<f64>() / all.len() as f64)
        });
        let [[leans, leans_truly], [stands, _]] = means;
        read += leans / leans_truly.signum();
        truth += leans_truly.abs();
        upright += 0.25 * stands.abs();
    }
    assert!(truth > 4.0 * 4.0, "{truth}");
    assert!((0.5..1.1).contains(&(read / truth)), "{read} of {truth}");
    assert!(upright < 1.5, "{upright}");
}

#[test]
fn nobody_is_said_to_step_the_other_way() {
    for seed in 4..7 {
        let found = analysed(&late_follower(seed), false);
        for role in Role::BOTH {
            for (_, e) in readings(&found, "step_direction", role) {
                assert!(e.value.abs() <= 90.0, "{e:?}");
            }
        }
    }
}

#[test]
fn once_called_a_late_follower_is_known_exactly() {
    let late = late_follower(4);
    let called = analysed(&late, true);
    let own = readings(&called, "timing_mean", Role::Follower);
    assert_eq!(own.len(), 3);
    for (r, e) in &own {
        let t = truly_late(&late, *r as u32);
        assert!((e.value - t).abs() < 1e-3, "{e:?} for {t}");
    }
}

#[test]
fn marks_on_a_second_angle_tell_what_one_cannot() {
    let second = Phone {
        bearing: 80.0,
        clock: 0.3,
        ..Phone::default()
    };
    let p = Performance::new(&Scenario {
        repetitions: 2,
        phones: vec![Phone::default(), second],
        ..Scenario::default()
    })
    .unwrap();
    let mut m = Marks::default();
    let mut films = Vec::new();
    for phone in 0..2 {
        for command in marks(&p, phone, &p.frame_times(phone), &Hand::exact()) {
            let pictured = matches!(
                command,
                MarkCommand::SizeFloor { .. }
                    | MarkCommand::MarkFloor { .. }
                    | MarkCommand::PlaceAll { .. }
            );
            match phone {
                0 => command.apply(&mut m).unwrap(),
                _ if pictured => MarkCommand::OnAngle {
                    angle: 2,
                    mark: Box::new(command),
                }
                .apply(&mut m)
                .unwrap(),
                _ => {}
            }
        }
        let mut film = Film::new(p.phone(phone).picture());
        film.offset = p.phone(0).shown(p.phone(phone).danced(0.0));
        films.push(film);
    }
    // The worst elbow's standard error, degrees, over the leader's marked counts.
    let worst = |films: &[Film]| {
        let s = solved(&p, &m, films, None);
        let b = s.of(Role::Leader).unwrap();
        let sigmas = (0..b.at.len()).map(|t| b.elbow(t, Foot::Left).unwrap().sigma);
        sigmas.fold(0.0, f64::max)
    };
    let (one, two) = (worst(&films[..1]), worst(&films));
    assert!(one > 12.0 && two < 5.0, "{one} with one, {two} with two");
    // Another size of the reference is another size in every picture.
    let size = MarkCommand::SizeFloor {
        length: 2.0 * p.scenario().reference[0],
        width: 2.0 * p.scenario().reference[1],
        view: None,
    };
    let far = |m: &Marks| {
        let take = Take {
            marks: m,
            couple: CoupleBody {
                heights: p.scenario().heights,
                frame_limit: None,
            },
            films: &films,
            shelf: &Shelf::default(),
            rules: Rules::usual(),
        };
        take.floor(1).unwrap().camera.position.coords.norm()
    };
    let before = far(&m);
    size.apply(&mut m).unwrap();
    assert!(
        (far(&m) / before - 2.0).abs() < 0.05,
        "{before} {}",
        far(&m)
    );
}

/// Which way a trunk faces along the floor, degrees.
fn faces(joint: impl Fn(Landmark) -> Point3<f64>) -> f64 {
    let lines = Landmark::TRUNK.map(|[l, r]| (joint(l) - joint(r)).xy().normalize());
    let line = lines[0] + lines[1];
    (-line.x).atan2(line.y).to_degrees()
}

#[test]
fn marks_at_two_moments_tell_where_networks_see_a_dancer_all_the_time() {
    let p = dance("shag-basic", 12);
    let (mut marks, mut films) = filmed(&p, 8);
    let camera = p.phone(0).camera();
    let body =
        |s: MediaTime, role: Role| p.bodies(p.phone(0).danced(s.secs()))[role as usize].clone();
    // The side of the trunk that is near is seen 3 % of the height further ahead, and the far one as much further back.
    for s in &mut films[0].track {
        let (body, height) = (body(s.at, s.role), p.scenario().heights[s.role as usize]);
        let (sin, cos) = faces(|l| body.joint(l)).to_radians().sin_cos();
        let (ahead, left) = (Vector3::new(cos, sin, 0.0), Vector3::new(-sin, cos, 0.0));
        for (l, seen) in &mut s.points {
            (seen.source, seen.about_hips) = (Source::Network, None);
            if Landmark::TRUNK.as_flattened().contains(l) {
                let joint = body.joint(*l);
                let turned_to = l.side() * left.dot(&(camera.position - joint).normalize());
                let by = 0.03 * height * turned_to * ahead;
                let [is, off] = [joint, joint + by].map(|at| camera.project(at).unwrap());
                seen.pixel = [0, 1].map(|k| seen.pixel[k] + off[k] - is[k]);
            }
        }
    }
    let all = frames(&p);
    let two = [all[20], all[110]];
    let misses = |marks: &Marks| {
        let solved = solved(&p, marks, &films, None);
        let mut off = Vec::new();
        for role in Role::BOTH {
            let bodies = solved.of(role).unwrap();
            for (k, t) in bodies.at.iter().enumerate() {
                if two.iter().all(|m| (m.secs() - t).abs() > 1.0) {
                    let truth = body(MediaTime::from_secs(*t), role);
                    let miss = faces(|l| bodies.joint(k, l)) - faces(|l| truth.joint(l));
                    off.push(wrap_degrees(miss).abs());
                }
            }
        }
        assert!(off.len() > 30, "{}", off.len());
        median(off)
    };
    let before = misses(&marks);
    for (at, role) in two.into_iter().flat_map(|t| Role::BOTH.map(|r| (t, r))) {
        for landmark in Landmark::ALL {
            let q = camera.project(body(at, role).joint(landmark)).unwrap();
            let pixel = [q.x, q.y];
            let place = MarkCommand::Place {
                role,
                at,
                landmark,
                pixel,
            };
            place.apply(&mut marks).unwrap();
        }
    }
    let after = misses(&marks);
    assert!(after < 0.8 * before, "{before}° before, {after}° after");
}

/// Standard errors of what is half-way through, both of the leader: where the left foot stands, metres, and how far the
/// middles of shoulders and hips are apart along the floor, metres.
fn claimed(p: &Performance, source: Source) -> [f64; 2] {
    let (marks, mut films) = filmed(p, 5);
    for s in films.iter_mut().flat_map(|f| &mut f.track) {
        s.points.values_mut().for_each(|p| p.source = source);
    }
    let bodies = solved(p, &marks, &films, None).bodies[0].clone().unwrap();
    let middle = bodies.at.len() / 2;
    let foot = bodies.value(middle, |b| Some(b.joint(Landmark::LeftHeel).y));
    let lean = bodies.value(middle, |b| {
        let [shoulders, hips] =
            Landmark::TRUNK.map(|pair| pair.map(|l| 0.5 * b.joint(l).y).iter().sum::<f64>());
        Some(shoulders - hips)
    });
    [foot.unwrap().sigma, lean.unwrap().sigma]
}

#[test]
fn feet_that_networks_found_are_claimed_more_carefully_than_a_detectors() {
    let p = dance("shag-basic", 3);
    let [detector, networks] = [Source::Automatic, Source::Network].map(|s| claimed(&p, s));
    // Shoes that are higher than ours are claimed of networks alone, whose hints are turned upright as well.
    let [foot, lean] = [0, 1].map(|k| networks[k] / detector[k]);
    assert!((1.2..4.0).contains(&foot), "{detector:?} {networks:?}");
    assert!((0.85..1.1).contains(&lean), "{detector:?} {networks:?}");
}

/// Heights of one dancer's lifted feet as two cameras see them, and as one does.
#[test]
fn how_high_a_foot_is_lifted_takes_two_cameras() {
    let p = Performance::new(&Scenario {
        faults: vec![Shown::new("S6", Role::Leader)],
        ..late_follower(9).scenario().clone()
    })
    .unwrap();
    let truth: Vec<f64> = readings(&exactly(&p), "foot_lift", Role::Leader)
        .iter()
        .map(|r| r.1.value)
        .collect();
    let high = truth.iter().copied().fold(0.0, f64::max);
    assert!(high > 0.06, "{truth:?}");
    let both = readings(&analysed(&p, false), "foot_lift", Role::Leader);
    let seen = both.iter().map(|r| r.1.value).fold(0.0, f64::max);
    assert!((seen - high).abs() < 0.04, "{seen} for {high}");
    // One that looks down takes it for a foot further back, and says that it cannot tell.
    let (marks, films) = filmed(&p, 7);
    let one = counted(&p, marks, &films);
    let of = one.measures.iter().filter(|m| m.id == "foot_lift").count();
    assert!(of > 3, "{of}");
    assert!(readings(&one, "foot_lift", Role::Leader).is_empty());
}

#[test]
fn a_long_takes_beginning_says_of_its_repetitions_what_the_whole_take_says() {
    let dance = |repetitions| {
        Performance::new(&Scenario {
            chart: "shag-basic".into(),
            repetitions,
            ..Scenario::default()
        })
        .unwrap()
    };
    let shelf = Shelf::default();
    let of = |p: &Performance| {
        let (marks, films) = filmed(p, 7);
        let count = Some(count(p));
        (Marks { count, ..marks }, films)
    };
    let short = dance(8);
    let (marks, films) = of(&short);
    assert_eq!(first_look(&take(&short, &marks, &films, &shelf)), None);

    let p = dance(16);
    let (mut marks, films) = of(&p);
    let whole = take(&p, &marks, &films, &shelf);
    // 24 seconds hold seven times six counts at 118 a minute.
    let look = first_look(&whole).unwrap();
    assert_eq!(look.repetitions, 7);
    let early = look.analysis;
    let all = analyse(&whole, Some(&solve_take(&whole, None)));
    assert_eq!(early.count, all.count);
    // Nobody has marked a foot: the bodies that were followed are there all the same, also from above.
    let mut off = Vec::new();
    for print in &all.footprints {
        let c = all.count.as_ref().unwrap().cells.iter();
        let at = c
            .clone()
            .find(|c| (c.repetition, c.count) == (print.repetition, print.count));
        let body = &p.bodies(at.unwrap().at.secs())[print.role as usize];
        let [heel, toe] = Landmark::heel_toe(print.foot).map(|l| body.joint(l));
        for (seen, truly) in [(print.heel, heel), (print.toe, toe)] {
            off.push((seen[0] - truly.x).hypot(seen[1] - truly.y));
        }
    }
    assert!(off.len() > 800, "{}", off.len());
    assert!(median(off.clone()) < 0.04, "{}", median(off));
    let stances = all.stances.iter().filter(|s| s.role == Role::Follower);
    let faces: Vec<f64> = stances.filter_map(|s| s.facing).collect();
    // The follower faces the leader, who faces along X.
    let away = faces.iter().map(|f| (f.abs() - 180.0).abs());
    assert!(
        faces.len() > 100 && median(away.collect()) < 8.0,
        "{faces:?}"
    );
    assert_eq!(all.bodies_stage, Stage::Ready);
    assert!(10 * all.marked[0] > 8 * all.marked[1], "{:?}", all.marked);
    let drawn = all.lanes.iter().filter(|l| l.empty.is_none());
    let drawn: Vec<&str> = drawn.map(|l| l.measure.as_str()).collect();
    let expected = [
        "arrival",
        "separation_share",
        "turn_body",
        "hip_rise",
        "lean_away",
        "speed",
    ];
    assert_eq!(drawn, expected);
    let by_count = |a: &Analysis, id: &str| -> BTreeMap<(u32, Option<usize>), Estimate> {
        let follower = |m: &&Measure| m.id == id && m.role.is_none_or(|r| r == Role::Follower);
        let all = a.measures.iter().filter(follower);
        all.filter_map(|m| Some(((m.repetition, m.count), m.reading.estimate()?)))
            .collect()
    };
    for id in ["separation", "lean_away", "turn_body"] {
        let [few, many] = [&early, &all].map(|a| by_count(a, id));
        assert!(few.len() > 30, "{id} {}", few.len());
        assert!(few.keys().all(|(repetition, _)| *repetition < 7));
        // What the rest of the take tells of the dancers' sizes hardly moves it.
        let off = few.iter().filter_map(|(at, a)| {
            let b = many.get(at)?;
            Some((a.value - b.value).abs() / b.sigma)
        });
        let off = median(off.collect());
        assert!(off < 0.3, "{id} {off}");
    }

    // Without a track there is nothing that takes long.
    let unseen: Vec<Film> = films.iter().map(|f| Film::new(f.picture)).collect();
    assert_eq!(first_look(&take(&p, &marks, &unseen, &shelf)), None);
    marks.chart = None;
    assert_eq!(first_look(&take(&p, &marks, &films, &shelf)), None);
}

#[test]
fn a_dancers_speed_is_the_way_of_the_hips_for_each_beat() {
    let p = dance("shag-pass", 3);
    // Nobody called an arrival, so that bodies are looked at on the count.
    let marks = Marks {
        count: Some(count(&p)),
        ..filmed(&p, 1).0
    };
    let (shelf, films) = (Shelf::default(), [Film::new(p.phone(0).picture())]);
    let solved = Solved::known(Role::BOTH.map(|r| known(&p, r)));
    let a = analyse(&take(&p, &marks, &films, &shelf), Some(&solved));
    let cells = a.count.unwrap().cells;
    let beat = 60.0 / p.scenario().bpm;
    let hips = |role: Role, at: f64| {
        let b = &p.bodies(at)[role as usize];
        nalgebra::center(&b.joint(Landmark::LeftHip), &b.joint(Landmark::RightHip))
    };
    let mut fastest = 0.0_f64;
    for role in Role::BOTH {
        let of = |c: &CountCell| {
            let here = |m: &&Measure| {
                m.id == "speed"
                    && (m.role, m.repetition, m.count) == (Some(role), c.repetition, Some(c.count))
            };
            a.measures.iter().find(here)?.reading.estimate()
        };
        for pair in cells.windows(2) {
            let [from, to] = [&pair[0], &pair[1]].map(|c| c.at.secs());
            let way = (hips(role, to) - hips(role, from)).xy().norm();
            let read = of(&pair[1]).unwrap().value;
            let truly = way * beat / (to - from);
            assert!((read - truly).abs() < 0.03, "{role:?} {to}: {read} {truly}");
            fastest = fastest.max(read);
        }
    }
    // Partners pass each other.
    assert!(fastest > 0.3, "{fastest}");
}
