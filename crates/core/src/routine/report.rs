//! A routine laid over its music and its floor.

use serde::{Deserialize, Serialize};

use super::bridge::{Bridge, bridges, fillers};
use super::joint::{End, Joint, join};
use super::{Routine, RoutineError};
use crate::chart::check::{
    Effort, LONG_STREAK, ledger, role_word, side, steps_per_second, turn_per_second,
};
use crate::chart::path::{Standing, moments, moments_from};
use crate::chart::vocabulary::Rule;
use crate::chart::{Chart, Severity, Shelf};
use crate::units::{Foot, Role, wrap_degrees};

/// Beats of unbroken lively dancing after which a calmer figure is advised.
const LONG_LIVELY: u32 = 48;

/// Where the leader faces in the room.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Alignment {
    /// Down the floor's length.
    Down,
    /// Diagonally down, to the left wall.
    DownLeft,
    /// To the left wall.
    LeftWall,
    /// Diagonally back, to the left wall.
    BackLeft,
    /// Back up the floor's length.
    Back,
    /// Diagonally back, to the right wall.
    BackRight,
    /// To the right wall.
    RightWall,
    /// Diagonally down, to the right wall.
    DownRight,
}

impl Alignment {
    /// The nearest of the eight to a direction in degrees.
    pub fn of(degrees: f64) -> Self {
        const ALL: [Alignment; 8] = [
            Alignment::Down,
            Alignment::DownLeft,
            Alignment::LeftWall,
            Alignment::BackLeft,
            Alignment::Back,
            Alignment::BackRight,
            Alignment::RightWall,
            Alignment::DownRight,
        ];
        let eighth = (degrees.rem_euclid(360.0) / 45.0).round() as usize % 8;
        ALL[eighth]
    }
}

/// A figure where it lies in the music and the room.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Placed {
    /// Chart id.
    pub chart: String,
    /// Its name.
    pub name: String,
    /// Its dance.
    pub dance: String,
    /// Its counts.
    pub counts: String,
    /// Times.
    pub times: u32,
    /// First beat, from 0.
    pub from: u32,
    /// Beats with all repetitions.
    pub beats: u32,
    /// Bar of the first beat, from 1.
    pub bar: u32,
    /// Beat within that bar, from 1.
    pub beat: u32,
    /// Phrase of the first beat, from 1.
    pub phrase: u32,
    /// A phrase ends with it.
    pub ends_phrase: bool,
    /// How hard it works at the routine's tempo.
    pub effort: Effort,
    /// Turns of leader and follower with all repetitions, eighths, positive to the left.
    pub turns: [i32; 2],
    /// Where the leader faces at its start.
    pub alignment: Alignment,
    /// The figure's caution.
    pub caution: String,
}

/// Turns added up to a beat.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LanePoint {
    /// Beats from the start.
    pub beat: f64,
    /// Leader's and follower's sum, eighths, positive to the left.
    pub turns: [i32; 2],
}

/// One charted step in the room.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RoomStep {
    /// Which figure.
    pub item: usize,
    /// Whose.
    pub role: Role,
    /// Which foot.
    pub foot: Foot,
    /// Beats from the start.
    pub beat: f64,
    /// As spoken.
    pub count: String,
    /// Where it lands, metres from the floor's corner.
    pub at: [f64; 2],
    /// Facing, degrees from the floor's length.
    pub facing: f64,
}

/// What is wrong or worth knowing.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RoutineProblem {
    /// Which figure; absent for the whole.
    pub item: Option<usize>,
    /// Which rule.
    pub rule: Rule,
    /// How much it weighs.
    pub severity: Severity,
    /// For people.
    pub sentence: String,
    /// What would mend it.
    pub suggestion: Option<String>,
}

/// A routine laid out.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Report {
    /// Beats in all.
    pub beats: u32,
    /// Seconds in all.
    pub seconds: f64,
    /// The figures.
    pub items: Vec<Placed>,
    /// Between each figure and the next.
    pub joints: Vec<Joint>,
    /// What would fit there, shortest first; empty where they join or need other hands only.
    pub bridges: Vec<Vec<Bridge>>,
    /// Running turns.
    pub lane: Vec<LanePoint>,
    /// All steps in the room.
    pub steps: Vec<RoomStep>,
    /// Beats left until the phrase ends.
    pub left: u32,
    /// What fills them.
    pub fillers: Vec<Bridge>,
    /// Ids of the figures that can follow the last one as they are.
    pub next: Vec<String>,
    /// What is wrong or worth knowing.
    pub problems: Vec<RoutineProblem>,
}

/// Lays a routine out and checks it.
pub fn report(routine: &Routine, shelf: &Shelf) -> Result<Report, RoutineError> {
    routine.check()?;
    let charts: Vec<&Chart> = routine
        .items
        .iter()
        .enumerate()
        .map(|(i, item)| {
            shelf
                .get(&item.chart)
                .ok_or_else(|| RoutineError::NoChart(i + 1, item.chart.clone()))
        })
        .collect::<Result<_, _>>()?;
    let mut out = Report {
        beats: 0,
        seconds: 0.0,
        items: Vec::new(),
        joints: Vec::new(),
        bridges: Vec::new(),
        lane: vec![LanePoint {
            beat: 0.0,
            turns: [0, 0],
        }],
        steps: Vec::new(),
        left: 0,
        fillers: Vec::new(),
        next: Vec::new(),
        problems: Vec::new(),
    };
    lay_out(routine, &charts, &mut out);
    joints(routine, &charts, shelf, &mut out);
    music(routine, &charts, shelf, &mut out);
    if let Some(last) = charts.last() {
        let end = End::last(last);
        let fits = |c: &&Chart| join(&end, &End::first(c)).fits();
        out.next = shelf.all().filter(fits).map(|c| c.id.clone()).collect();
    }
    turns(&charts, routine, &mut out);
    energy(&mut out);
    room(routine, &mut out);
    Ok(out)
}

/// Puts one figure after the other on the beats and the floor.
fn lay_out(routine: &Routine, charts: &[&Chart], out: &mut Report) {
    let bar = routine.meter;
    let phrase = bar * routine.phrase;
    // Where the couple are: middle of the two bodies and the leader's facing.
    let mut middle = routine.start;
    let mut leader_facing = None;
    let mut sums = [0i32; 2];
    for (index, (item, chart)) in routine.items.iter().zip(charts).enumerate() {
        let pattern = chart.pattern();
        let from = out.beats;
        let mut alignment = None;
        for repetition in 0..item.times {
            let first = moments(chart, chart.layout(), routine.heights)[0];
            let (own_middle, own_facing) = couple_frame(&first);
            let turn = match leader_facing {
                Some(f) => f - own_facing,
                None => routine.facing,
            };
            alignment.get_or_insert(Alignment::of(own_facing + turn));
            let stances = Role::BOTH.map(|r| {
                let s = first[r as usize].stance;
                let back = [-own_middle[0], -own_middle[1]];
                s.moved(0.0, back).moved(turn, middle)
            });
            let all = moments_from(chart.layout(), stances, routine.heights);
            let start_beat = out.beats + repetition * pattern.beats;
            for (count, mark) in pattern.marks.iter().enumerate() {
                let beat = f64::from(start_beat) + mark.offset(chart.swing);
                let mut turned = false;
                for role in Role::BOTH {
                    let Some(row) = chart.layout().row(role, count) else {
                        continue;
                    };
                    sums[role as usize] += row.turn;
                    turned |= row.turn != 0;
                    let stance = all[count + 1][role as usize].stance;
                    if row.action.arrives() {
                        out.steps.push(RoomStep {
                            item: index,
                            role,
                            foot: row.foot,
                            beat,
                            count: mark.label.clone(),
                            at: stance.foot(row.foot),
                            facing: wrap_degrees(stance.facing),
                        });
                    }
                }
                if turned {
                    out.lane.push(LanePoint { beat, turns: sums });
                }
            }
            let (m, f) = couple_frame(&all[all.len() - 1]);
            middle = m;
            leader_facing = Some(f);
        }
        let beats = pattern.beats * item.times;
        let rate = |r: Role| {
            Effort::of(
                steps_per_second(chart.rows(r), pattern.beats, routine.tempo),
                turn_per_second(chart.rows(r), pattern.beats, routine.tempo),
            )
        };
        out.items.push(Placed {
            chart: chart.id.clone(),
            name: chart.name.clone(),
            dance: chart.dance.clone(),
            counts: chart.counts.clone(),
            times: item.times,
            from,
            beats,
            bar: from / bar + 1,
            beat: from % bar + 1,
            phrase: from / phrase + 1,
            ends_phrase: (from + beats).is_multiple_of(phrase),
            effort: rate(Role::Leader).max(rate(Role::Follower)),
            turns: Role::BOTH.map(|r| chart.total_turn(r) * item.times as i32),
            alignment: alignment.unwrap_or(Alignment::Down),
            caution: chart.caution.clone(),
        });
        out.beats += beats;
    }
    out.lane.push(LanePoint {
        beat: f64::from(out.beats),
        turns: sums,
    });
    out.seconds = f64::from(out.beats) * 60.0 / routine.tempo;
}

/// Middle of the two bodies, metres, and the leader's facing, degrees.
fn couple_frame(pair: &[Standing; 2]) -> ([f64; 2], f64) {
    let [l, f] = [pair[0].body(), pair[1].body()];
    ([0, 1].map(|i| 0.5 * (l.0[i] + f.0[i])), l.1)
}

fn joints(routine: &Routine, charts: &[&Chart], shelf: &Shelf, out: &mut Report) {
    for (i, (item, chart)) in routine.items.iter().zip(charts).enumerate() {
        if item.times > 1 {
            let again = join(&End::last(chart), &End::first(chart));
            if !again.fits() {
                out.problems.push(RoutineProblem {
                    item: Some(i),
                    rule: Rule::Joint,
                    severity: Severity::Stops,
                    sentence: format!(
                        "This figure cannot follow itself. {}",
                        again.sentences.join(" ")
                    ),
                    suggestion: Some("Dance it once, or put something between.".into()),
                });
            }
        }
    }
    for (i, pair) in charts.windows(2).enumerate() {
        let end = End::last(pair[0]).changed(&routine.items[i + 1].change);
        let joint = join(&end, &End::first(pair[1]));
        // Where other hands are enough no figure is needed.
        let found = if joint.fits() || joint.fits_with_change() {
            Vec::new()
        } else {
            bridges(shelf, pair[0], pair[1])
        };
        if !joint.fits() {
            let suggestion = if joint.fits_with_change() {
                "Change the hands on the last count before it."
            } else if found.is_empty() {
                "No figure of these dances leads from one to the other: choose another one."
            } else {
                "Put one of the offered figures between."
            };
            out.problems.push(RoutineProblem {
                item: Some(i + 1),
                rule: Rule::Joint,
                severity: Severity::Stops,
                sentence: joint.sentences.join(" "),
                suggestion: Some(suggestion.into()),
            });
        }
        out.joints.push(joint);
        out.bridges.push(found);
    }
}

fn music(routine: &Routine, charts: &[&Chart], shelf: &Shelf, out: &mut Report) {
    let phrase = routine.meter * routine.phrase;
    out.left = (phrase - out.beats % phrase) % phrase;
    if let Some(last) = charts.last().filter(|_| out.left > 0) {
        out.fillers = fillers(shelf, last, out.left);
        out.problems.push(RoutineProblem {
            item: None,
            rule: Rule::Counts,
            severity: Severity::Advice,
            sentence: format!("{} beats are left until the phrase ends.", out.left),
            suggestion: None,
        });
    }
    for (i, chart) in charts.iter().enumerate() {
        let [low, high] = chart.tempo;
        if routine.tempo < low || routine.tempo > high {
            out.problems.push(RoutineProblem {
                item: Some(i),
                rule: Rule::Counts,
                severity: Severity::Advice,
                sentence: format!(
                    "{:.0} beats a minute is outside the usual {low:.0} to {high:.0}.",
                    routine.tempo
                ),
                suggestion: None,
            });
        }
        if chart.meter != routine.meter {
            out.problems.push(RoutineProblem {
                item: Some(i),
                rule: Rule::Counts,
                severity: Severity::Stops,
                sentence: format!(
                    "It is danced to bars of {}, the music has bars of {}.",
                    chart.meter, routine.meter
                ),
                suggestion: Some("Choose other music or another figure.".into()),
            });
        }
    }
}

fn turns(charts: &[&Chart], routine: &Routine, out: &mut Report) {
    for role in Role::BOTH {
        let all = routine.items.iter().zip(charts).flat_map(|(item, chart)| {
            (0..item.times).flat_map(move |_| chart.rows(role).iter().map(|r| r.turn))
        });
        let l = ledger(all);
        if l.streak.abs() > LONG_STREAK {
            out.problems.push(RoutineProblem {
                item: None,
                rule: Rule::Turns,
                severity: Severity::Advice,
                sentence: format!(
                    "The {} turns {:.1} times to the {} without a turn the other way.",
                    role_word(role),
                    f64::from(l.streak.abs()) / 8.0,
                    side(l.streak)
                ),
                suggestion: Some(format!(
                    "Put a figure that turns to the {} in between; mind dizziness.",
                    side(-l.streak)
                )),
            });
        }
    }
}

fn energy(out: &mut Report) {
    let mut run = 0;
    let mut longest = (0, 0);
    for (i, item) in out.items.iter().enumerate() {
        run = if item.effort == Effort::Lively {
            run + item.beats
        } else {
            0
        };
        if run > longest.0 {
            longest = (run, i);
        }
    }
    if longest.0 > LONG_LIVELY {
        out.problems.push(RoutineProblem {
            item: Some(longest.1),
            rule: Rule::Energy,
            severity: Severity::Advice,
            sentence: format!("{} lively beats without a rest.", longest.0),
            suggestion: Some(
                "Put a calm figure in, or dance single steps instead of triples.".into(),
            ),
        });
    }
}

/// Names the first step of each figure that leaves the floor.
fn room(routine: &Routine, out: &mut Report) {
    let mut named = None;
    for s in &out.steps {
        let over = (0..2)
            .map(|i| (-s.at[i]).max(s.at[i] - routine.floor[i]))
            .fold(f64::NEG_INFINITY, f64::max);
        if over > 0.0 && named != Some(s.item) {
            named = Some(s.item);
            out.problems.push(RoutineProblem {
                item: Some(s.item),
                rule: Rule::Room,
                severity: Severity::Stops,
                sentence: format!(
                    "On count {} the {} steps {:.0} cm off the floor.",
                    s.count,
                    role_word(s.role),
                    100.0 * over
                ),
                suggestion: Some(
                    "Start further from that side, face another way, or turn before it.".into(),
                ),
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::routine::Item;

    fn routine(charts: &[(&str, u32)], tempo: f64) -> Routine {
        Routine {
            tempo,
            items: charts
                .iter()
                .map(|(chart, times)| Item {
                    times: *times,
                    ..Item::once(chart)
                })
                .collect(),
            ..Routine::default()
        }
    }

    fn words(r: &Report, rule: Rule) -> Vec<&str> {
        r.problems
            .iter()
            .filter(|p| p.rule == rule)
            .map(|p| p.sentence.as_str())
            .collect()
    }

    #[test]
    fn figures_lie_on_bars_and_phrases() {
        let r = report(
            &routine(
                &[("shag-basic", 2), ("shag-pass", 1), ("shag-basic", 2)],
                118.0,
            ),
            &Shelf::default(),
        )
        .unwrap();
        let at: Vec<_> = r
            .items
            .iter()
            .map(|i| (i.from, i.bar, i.beat, i.phrase))
            .collect();
        assert_eq!(at, [(0, 1, 1, 1), (12, 4, 1, 1), (18, 5, 3, 1)]);
        assert_eq!((r.beats, r.left), (30, 2));
        assert!((r.seconds - 30.0 * 60.0 / 118.0).abs() < 1e-9);
        assert!(r.joints.iter().all(Joint::fits));
        assert_eq!(words(&r, Rule::Joint), Vec::<&str>::new());
        assert_eq!(r.lane.last().unwrap().turns, [-4, 4]);
        assert!(r.next.contains(&"shag-turn".to_owned()));
        assert!(!r.next.contains(&"bolero-basic".to_owned()));
    }

    #[test]
    fn a_bad_joint_is_refused_and_the_bridge_mends_it() {
        let shelf = Shelf::default();
        let mut plan = routine(
            &[("slow-promenade-close", 1), ("slow-promenade-close", 1)],
            70.0,
        );
        let r = report(&plan, &shelf).unwrap();
        assert!(words(&r, Rule::Joint)[0].contains("Ends closed, the next begins promenade"));
        let bridge = r.bridges[0][0].clone();
        plan.items.splice(1..1, bridge.items);
        let r = report(&plan, &shelf).unwrap();
        assert!(r.joints.iter().all(Joint::fits));
    }

    #[test]
    fn other_hands_are_offered_before_other_figures() {
        let plan = routine(
            &[("wcs-push", 1), ("wcs-arm-lock", 1), ("wcs-whip", 1)],
            108.0,
        );
        let r = report(&plan, &Shelf::default()).unwrap();
        assert!(r.joints[0].fits_with_change() && r.bridges[0].is_empty());
        // Out of the arm-lock by letting go needs no other hands, out with a turn does.
        let through: Vec<_> = r.bridges[1]
            .iter()
            .map(|b| (b.items[0].chart.as_str(), b.last_change.len()))
            .collect();
        assert_eq!(
            through,
            [("wcs-arm-lock-let-go", 0), ("wcs-arm-lock-turn-out", 1)]
        );
    }

    #[test]
    fn a_figure_that_cannot_follow_itself_is_not_repeated() {
        let r = report(
            &routine(&[("tango-resolution", 2)], 60.0),
            &Shelf::default(),
        )
        .unwrap();
        assert!(words(&r, Rule::Joint)[0].contains("cannot follow itself"));
    }

    #[test]
    fn the_floor_ends_where_it_ends() {
        let mut plan = routine(&[("cha-walks", 1)], 118.0);
        let inside = report(&plan, &Shelf::default()).unwrap();
        assert_eq!(words(&inside, Rule::Room), Vec::<&str>::new());
        plan.start = [9.9, 4.0];
        let over = report(&plan, &Shelf::default()).unwrap();
        assert!(words(&over, Rule::Room)[0].contains("cm off the floor"));
    }

    #[test]
    fn music_turns_and_breath_bring_advice() {
        let r = report(
            &routine(&[("waltz-natural-turn", 4)], 140.0),
            &Shelf::default(),
        )
        .unwrap();
        assert!(
            words(&r, Rule::Counts)
                .iter()
                .any(|w| w.contains("outside the usual"))
        );
        assert!(
            words(&r, Rule::Counts)
                .iter()
                .any(|w| w.contains("bars of 3"))
        );
        assert!(words(&r, Rule::Turns)[0].contains("3.0 times to the right"));
        let fast = report(&routine(&[("shag-basic", 12)], 180.0), &Shelf::default()).unwrap();
        assert!(words(&fast, Rule::Energy)[0].contains("72 lively beats"));
    }

    #[test]
    fn the_path_goes_on_where_the_last_figure_ended() {
        let r = report(&routine(&[("shag-pass", 6)], 118.0), &Shelf::default()).unwrap();
        // The middle of the couple stays on the slot.
        for pair in r.steps.chunks(96) {
            let y: f64 = pair.iter().map(|s| s.at[1]).sum::<f64>() / pair.len() as f64;
            assert!((y - 4.0).abs() < 0.25, "{y}");
        }
        // Six half turns: the leader faces the way of the start again.
        let last = r
            .steps
            .iter()
            .rev()
            .find(|s| s.role == Role::Leader)
            .unwrap();
        assert!(wrap_degrees(last.facing).abs() < 1e-9);
    }

    #[test]
    fn turning_the_whole_routine_changes_nothing_but_the_room() {
        let mut plan = routine(&[("wcs-left-pass", 2), ("wcs-whip", 1)], 100.0);
        plan.floor = [20.0, 20.0];
        plan.start = [10.0, 10.0];
        let a = report(&plan, &Shelf::default()).unwrap();
        plan.facing = 90.0;
        let b = report(&plan, &Shelf::default()).unwrap();
        assert_eq!(a.joints, b.joints);
        assert_eq!(a.lane, b.lane);
        assert_eq!(a.problems, b.problems);
        for (p, q) in a.steps.iter().zip(&b.steps) {
            // A quarter to the left about the start.
            assert!((q.at[0] - (10.0 - (p.at[1] - 10.0))).abs() < 1e-9);
            assert!((q.at[1] - p.at[0]).abs() < 1e-9);
        }
        assert_eq!(a.items[0].alignment, Alignment::Down);
        assert_eq!(b.items[0].alignment, Alignment::LeftWall);
    }

    #[test]
    fn nonsense_is_refused_in_words() {
        let shelf = Shelf::default();
        let refused = |change: fn(&mut Routine)| {
            let mut plan = routine(&[("shag-basic", 1)], 118.0);
            change(&mut plan);
            report(&plan, &shelf).unwrap_err().to_string()
        };
        assert!(refused(|p| p.tempo = f64::NAN).contains("tempo"));
        assert!(refused(|p| p.items[0].times = 0).contains("at most 64 times"));
        assert!(refused(|p| p.items[0].chart = "gone".into()).contains("Figure 1, “gone”"));
        assert!(refused(|p| p.start = [11.0, 0.0]).contains("start on the floor"));
    }
}
