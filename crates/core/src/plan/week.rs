//! A week's practice: which drills on which day, for how long, on which step and how fast.
//!
//! The rules, in the order in which they bind: nothing that hurt goes on before the coach has said so; a day's
//! minutes are never exceeded; a caution goes with its drill everywhere; at most two new things a week; the
//! most basic first; short pieces on several days rather than one block; one day of rest; nothing after the
//! performance.

use std::cmp::Ordering;

use jiff::Span;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};

use crate::judge::basic;

/// New things begun in a week.
const NEW_A_WEEK: usize = 2;
/// Drills on one day.
const MOST_A_DAY: usize = 3;
/// Shortest and longest piece, minutes.
const PIECE: [u16; 2] = [4, 8];
/// Fine reports in a row that lead one step up.
const UP_AFTER: usize = 2;
/// Tempo with which the music begins, and by how much it grows, percent of the performance's.
const SLOWEST: u8 = 70;
const FASTER: u8 = 10;

/// How a practice went, in the student's words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum How {
    /// It went well.
    Fine,
    /// It was hard.
    Hard,
    /// It hurt.
    Pain,
}

/// A practice that was reported.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Done {
    /// When.
    #[cfg_attr(feature = "schema", schema(value_type = String, format = Date))]
    pub on: Date,
    /// How it went.
    pub how: How,
}

/// A correction's drill, as it can be practised.
#[derive(Debug, Clone, PartialEq)]
pub struct Exercise {
    /// Id of the correction.
    pub id: String,
    /// Area of its fault.
    pub area: String,
    /// Severity of its fault, 1 to 3.
    pub severity: u8,
    /// Goes before everything: a wrong foot, or what can hurt.
    pub first: bool,
    /// The drill's steps, from easy to the dance itself; the last is at tempo, the one before it to slower music.
    pub ladder: Vec<String>,
    /// The step from which it was begun, from 1.
    pub step: usize,
    /// When it was given.
    pub given_on: Date,
    /// It turns, so that both ways are practised.
    pub turning: bool,
    /// What can hurt.
    pub caution: Option<String>,
    /// Reports of it, since the coach set the step.
    pub done: Vec<Done>,
}

/// When and for what the student can practise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Wishes {
    /// Minutes from Monday to Sunday.
    pub minutes: [u16; 7],
    /// The evening that it is for.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>, format = Date))]
    pub performance: Option<Date>,
}

/// Which way a turning drill begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Side {
    /// To the left.
    Left,
    /// To the right.
    Right,
}

/// Where an exercise stands on its ladder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rung {
    /// Step, from 1.
    pub step: usize,
    /// Percent of the performance's tempo, once there is music.
    pub tempo: Option<u8>,
    /// It hurt: not before the coach has cleared it.
    pub stopped: bool,
}

/// A piece of practice.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Piece {
    /// Id of the correction.
    pub exercise: String,
    /// What to do.
    pub drill: String,
    /// Step of the ladder, from 1.
    pub step: usize,
    /// Of so many.
    pub steps: usize,
    /// For how long, minutes.
    pub minutes: u16,
    /// Percent of the performance's tempo, where it goes to music.
    pub tempo: Option<u8>,
    /// Which way to begin, where it turns.
    pub turn: Option<Side>,
    /// What can hurt.
    pub caution: Option<String>,
}

/// A day.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Day {
    /// Which.
    #[cfg_attr(feature = "schema", schema(value_type = String, format = Date))]
    pub date: Date,
    /// Minutes the student has.
    pub minutes: u16,
    /// A day off on purpose.
    pub rest: bool,
    /// What to do, in order.
    pub items: Vec<Piece>,
}

/// Why something is not in the week.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Why {
    /// It hurt.
    Pain,
    /// Two new things are enough.
    NewEnough,
    /// There are no minutes for it.
    NoTime,
}

/// Something that is not in the week.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Waiting {
    /// Id of the correction.
    pub exercise: String,
    /// Why.
    pub why: Why,
}

/// Seven days.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Week {
    /// From the first on.
    pub days: Vec<Day>,
    /// What waits.
    pub waiting: Vec<Waiting>,
}

/// Where an exercise stands after its reports: up after two fine ones in a row, down after a hard one; to
/// music first slowly, then faster, then at tempo.
pub fn standing(e: &Exercise) -> Rung {
    let last = e.ladder.len().max(1);
    // The ladder with the slower music's tempi as rungs of their own.
    let slow = (100 - SLOWEST) / FASTER;
    let slower = if last >= 2 { slow as usize } else { 1 };
    let rungs = last - 1 + slower;
    let begun = match e.step.clamp(1, last) {
        s if s == last && last >= 2 => rungs,
        s => s,
    };
    let mut rung = begun;
    let (mut fine, mut stopped) = (0, false);
    let mut done = e.done.clone();
    done.sort_by_key(|d| d.on);
    for d in done {
        match d.how {
            How::Fine => {
                fine += 1;
                if fine == UP_AFTER {
                    rung = (rung + 1).min(rungs);
                    fine = 0;
                }
            }
            How::Hard => {
                rung = rung.saturating_sub(1).max(1);
                fine = 0;
            }
            How::Pain => stopped = true,
        }
    }
    let (step, tempo) = if last < 2 {
        (1, None)
    } else if rung == rungs {
        (last, Some(100))
    } else if rung >= last - 1 {
        (last - 1, Some(SLOWEST + FASTER * (rung + 1 - last) as u8))
    } else {
        (rung, None)
    };
    Rung {
        step,
        tempo,
        stopped,
    }
}

/// What comes first of two: a wrong foot and what can hurt, then the more basic, the graver, the older one.
pub fn first(a: &Exercise, b: &Exercise) -> Ordering {
    let basics = basic(&b.area).total_cmp(&basic(&a.area));
    (b.first.cmp(&a.first))
        .then(basics)
        .then(b.severity.cmp(&a.severity))
        .then(a.given_on.cmp(&b.given_on))
        .then_with(|| a.id.cmp(&b.id))
}

/// Plans the seven days from `from` on. What was missed needs no rule of its own: what was done longest ago
/// comes first.
pub fn week(exercises: &[Exercise], wishes: &Wishes, from: Date) -> Week {
    let mut order: Vec<&Exercise> = exercises.iter().collect();
    order.sort_by(|a, b| first(a, b));
    let mut waiting = Vec::new();
    let mut wait = |e: &Exercise, why| {
        waiting.push(Waiting {
            exercise: e.id.clone(),
            why,
        });
    };
    // What was begun in the last seven days is still one of the week's new things.
    let since = from.saturating_sub(Span::new().days(7));
    let begun = |e: &&Exercise| e.done.iter().map(|d| d.on).min().is_some_and(|d| d > since);
    let mut new = exercises.iter().filter(begun).count();
    order.retain(|e| {
        if standing(e).stopped {
            wait(e, Why::Pain);
            return false;
        }
        if e.done.is_empty() {
            new += 1;
            if new > NEW_A_WEEK {
                wait(e, Why::NewEnough);
                return false;
            }
        }
        true
    });
    let mut last: Vec<Option<Date>> = order
        .iter()
        .map(|e| e.done.iter().map(|d| d.on).max())
        .collect();
    let mut turns: Vec<usize> = order.iter().map(|e| e.done.len()).collect();
    let dates: Vec<Date> = (0..7)
        .map(|d| from.saturating_add(Span::new().days(d)))
        .collect();
    let minutes = |d: &Date| wishes.minutes[d.weekday().to_monday_zero_offset() as usize];
    let rest = rest_day(&dates, &minutes);
    let days = dates
        .iter()
        .map(|date| {
            let (free, rests) = (minutes(date), rest == Some(*date));
            let left = wishes.performance.map(|p| (p - *date).get_days());
            let most = match left {
                // The evening itself and after it; one thing on the day before.
                Some(..=0) => 0,
                Some(1) => 1,
                _ => MOST_A_DAY,
            };
            let fits = usize::from(free / PIECE[0]).min(most);
            let many = if rests { 0 } else { fits.min(order.len()) };
            // Longest ago first; of equals the more basic one.
            let mut chosen: Vec<usize> = (0..order.len()).collect();
            chosen.sort_by_key(|i| (last[*i], *i));
            chosen.truncate(many);
            chosen.sort_unstable();
            let each = (free / many.max(1) as u16).clamp(PIECE[0], PIECE[1]);
            let items = chosen
                .into_iter()
                .map(|i| {
                    let e = order[i];
                    let rung = standing(e);
                    last[i] = Some(*date);
                    turns[i] += 1;
                    Piece {
                        exercise: e.id.clone(),
                        drill: e.ladder.get(rung.step - 1).cloned().unwrap_or_default(),
                        step: rung.step,
                        steps: e.ladder.len(),
                        minutes: each,
                        tempo: rung.tempo,
                        turn: e.turning.then(|| {
                            if turns[i] % 2 == 1 {
                                Side::Left
                            } else {
                                Side::Right
                            }
                        }),
                        caution: e.caution.clone(),
                    }
                })
                .collect();
            Day {
                date: *date,
                minutes: free,
                rest: rests,
                items,
            }
        })
        .collect::<Vec<Day>>();
    for e in &order {
        if !days
            .iter()
            .flat_map(|d| &d.items)
            .any(|i| i.exercise == e.id)
        {
            wait(e, Why::NoTime);
        }
    }
    Week { days, waiting }
}

/// Somebody who could practise every day rests on the day with the least time; the last of such days.
fn rest_day(dates: &[Date], minutes: &impl Fn(&Date) -> u16) -> Option<Date> {
    if dates.iter().any(|d| minutes(d) < PIECE[0]) {
        return None;
    }
    dates.iter().rev().min_by_key(|d| minutes(d)).copied()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use proptest::prelude::*;

    /// A Monday.
    const FROM: Date = date(2026, 3, 9);

    fn drill(id: usize, area: &str) -> Exercise {
        Exercise {
            id: id.to_string(),
            area: area.into(),
            severity: 2,
            first: false,
            ladder: ["alone", "facing", "full hold", "slow music", "tempo"]
                .map(String::from)
                .to_vec(),
            step: 1,
            given_on: date(2026, 3, 2),
            turning: area == "rotation",
            caution: None,
            done: Vec::new(),
        }
    }

    fn reports(hows: &[How]) -> Vec<Done> {
        hows.iter()
            .enumerate()
            .map(|(i, how)| Done {
                on: date(2026, 3, 3).saturating_add(Span::new().days(i as i64)),
                how: *how,
            })
            .collect()
    }

    fn wishes(minutes: [u16; 7]) -> Wishes {
        Wishes {
            minutes,
            performance: None,
        }
    }

    #[test]
    fn the_ladder_goes_up_after_two_fine_days_and_down_after_a_hard_one() {
        use How::{Fine, Hard, Pain};
        let at = |step, hows: &[How]| {
            let r = standing(&Exercise {
                step,
                done: reports(hows),
                ..drill(1, "posture")
            });
            (r.step, r.tempo, r.stopped)
        };
        assert_eq!(at(1, &[]), (1, None, false));
        assert_eq!(at(1, &[Fine]), (1, None, false));
        assert_eq!(at(1, &[Fine, Fine]), (2, None, false));
        assert_eq!(at(1, &[Fine, Hard, Fine]), (1, None, false));
        assert_eq!(at(3, &[Hard]), (2, None, false));
        assert_eq!(at(3, &[Fine, Fine]), (4, Some(70), false));
        assert_eq!(at(4, &[Fine; 4]), (4, Some(90), false));
        assert_eq!(at(4, &[Fine; 6]), (5, Some(100), false));
        assert_eq!(at(5, &[Fine; 9]), (5, Some(100), false));
        assert_eq!(at(5, &[Hard]), (4, Some(90), false));
        assert_eq!(at(2, &[Fine, Pain]), (2, None, true));
    }

    #[test]
    fn a_week_is_short_pieces_on_several_days_most_basic_first() {
        let all = [drill(1, "feet"), drill(2, "posture"), drill(3, "rotation")];
        let all: Vec<Exercise> = all
            .into_iter()
            .map(|e| Exercise {
                done: reports(&[How::Fine]),
                ..e
            })
            .collect();
        let w = week(&all, &wishes([15, 0, 12, 0, 30, 8, 0]), FROM);
        let ids = |d: usize| {
            w.days[d]
                .items
                .iter()
                .map(|i| i.exercise.as_str())
                .collect::<Vec<_>>()
        };
        assert_eq!(ids(0), ["2", "3", "1"]);
        assert_eq!(w.days[0].items[0].minutes, 5);
        assert_eq!(ids(1), [] as [&str; 0]);
        assert_eq!(w.days[4].items[0].minutes, 8);
        // Two of three fit into eight minutes: those done longest ago are all alike, the basic ones are taken.
        assert_eq!(ids(5), ["2", "3"]);
        let turns: Vec<_> = w
            .days
            .iter()
            .flat_map(|d| &d.items)
            .filter_map(|i| i.turn)
            .collect();
        assert_eq!(turns, [Side::Right, Side::Left, Side::Right, Side::Left]);
    }

    #[test]
    fn a_missed_day_is_made_up_by_what_was_done_longest_ago() {
        let mut all = [drill(1, "posture"), drill(2, "frame"), drill(3, "feet")].to_vec();
        for e in &mut all {
            e.done = reports(&[How::Fine]);
        }
        all[0].done.push(Done {
            on: date(2026, 3, 8),
            how: How::Fine,
        });
        all[1].done.push(Done {
            on: date(2026, 3, 8),
            how: How::Fine,
        });
        let w = week(&all, &wishes([4, 4, 0, 0, 0, 0, 0]), FROM);
        assert_eq!(w.days[0].items[0].exercise, "3");
        assert_eq!(w.days[1].items[0].exercise, "1");
        assert_eq!(
            w.waiting,
            vec![Waiting {
                exercise: "2".into(),
                why: Why::NoTime
            }]
        );
    }

    #[test]
    fn what_was_begun_this_week_counts_among_the_new() {
        let mut all = [
            drill(1, "posture"),
            drill(2, "frame"),
            drill(3, "feet"),
            drill(4, "feet"),
        ];
        let waits = |all: &[Exercise]| -> Vec<String> {
            let w = week(all, &wishes([20, 0, 20, 0, 20, 0, 0]), FROM);
            let new = w.waiting.into_iter().filter(|w| w.why == Why::NewEnough);
            new.map(|w| w.exercise).collect()
        };
        assert_eq!(waits(&all), ["3", "4"]);
        // Both new ones were practised yesterday: that makes no room for two more.
        for e in &mut all[..2] {
            e.done = vec![Done {
                on: date(2026, 3, 8),
                how: How::Fine,
            }];
        }
        assert_eq!(waits(&all), ["3", "4"]);
        for e in &mut all[..2] {
            e.done[0].on = date(2026, 3, 2);
        }
        assert_eq!(waits(&all), [] as [&str; 0]);
    }

    #[test]
    fn the_days_about_the_evening_are_light() {
        let all = [drill(1, "posture"), drill(2, "frame")];
        let mut evening = wishes([20; 7]);
        evening.performance = Some(date(2026, 3, 12));
        let many: Vec<usize> = week(&all, &evening, FROM)
            .days
            .iter()
            .map(|d| d.items.len())
            .collect();
        assert_eq!(many, [2, 2, 1, 0, 0, 0, 0]);
    }

    fn any_exercise() -> impl Strategy<Value = Exercise> {
        let areas = prop::sample::select(vec![
            "posture",
            "frame",
            "connection",
            "compression",
            "rotation",
            "feet",
        ]);
        let how = prop::sample::select(vec![How::Fine, How::Fine, How::Fine, How::Hard, How::Pain]);
        (
            areas,
            1u8..=3,
            any::<bool>(),
            1usize..7,
            1usize..9,
            any::<bool>(),
            prop::collection::vec((0i64..30, how), 0..6),
        )
            .prop_map(
                |(area, severity, first, steps, step, risky, done)| Exercise {
                    id: String::new(),
                    area: area.into(),
                    severity,
                    first,
                    ladder: (0..steps).map(|s| s.to_string()).collect(),
                    step,
                    given_on: date(2026, 2, 1),
                    turning: area == "rotation",
                    caution: risky.then(|| "mind the knee".to_owned()),
                    done: done
                        .into_iter()
                        .map(|(d, how)| Done {
                            on: date(2026, 2, 5).saturating_add(Span::new().days(d)),
                            how,
                        })
                        .collect(),
                },
            )
    }

    proptest! {
        #[test]
        fn the_rules_bind(
            all in prop::collection::vec(any_exercise(), 0..9),
            minutes in prop::array::uniform7(0u16..70),
            evening in prop::option::of(0i64..20),
            start in 0i64..7,
        ) {
            let all: Vec<Exercise> = all.into_iter().enumerate().map(|(i, e)| Exercise { id: i.to_string(), ..e }).collect();
            let of = |id: &str| all.iter().find(|e| e.id == id).unwrap();
            let from = FROM.saturating_add(Span::new().days(start));
            let performance = evening.map(|n| FROM.saturating_add(Span::new().days(n)));
            let w = week(&all, &Wishes { minutes, performance }, from);
            prop_assert_eq!(w.days.len(), 7);
            let mut used: Vec<&str> = Vec::new();
            for d in &w.days {
                let sum: u16 = d.items.iter().map(|i| i.minutes).sum();
                prop_assert!(sum <= d.minutes, "{d:?}");
                prop_assert!(d.items.is_empty() || performance.is_none_or(|p| d.date < p));
                let rank = |i: &Piece| { let e = of(&i.exercise); (!e.first, (-1e6 * basic(&e.area)) as i64) };
                prop_assert!(d.items.is_sorted_by_key(rank), "basics first: {d:?}");
                for i in &d.items {
                    let e = of(&i.exercise);
                    prop_assert_eq!(&i.caution, &e.caution);
                    prop_assert!(!standing(e).stopped);
                    prop_assert!(i.step >= 1 && i.step <= e.ladder.len());
                    prop_assert_eq!(&i.drill, &e.ladder[i.step - 1]);
                    prop_assert_eq!(d.items.iter().filter(|o| o.exercise == i.exercise).count(), 1);
                    used.push(&i.exercise);
                }
            }
            prop_assert!(w.days.iter().any(|d| d.items.is_empty()), "a day of rest");
            used.sort_unstable();
            used.dedup();
            let fresh = used.iter().filter(|id| of(id).done.is_empty()).count();
            let since = from.saturating_sub(Span::new().days(7));
            let begun = all.iter().filter(|e| e.done.iter().map(|d| d.on).min().is_some_and(|d| d > since)).count();
            prop_assert!(fresh == 0 || fresh + begun <= NEW_A_WEEK);
            // Everything is either in the week or said to wait, once.
            prop_assert_eq!(used.len() + w.waiting.len(), all.len());
            prop_assert!(w.waiting.iter().all(|x| !used.contains(&x.exercise.as_str())));
        }
    }
}
