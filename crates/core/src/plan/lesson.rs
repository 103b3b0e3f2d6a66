//! A lesson: who does what, when.
//!
//! Warm-up, then the couples in turn, each with what is due to be looked at and what is being worked on, and
//! one whole run of everybody at the end. The couple that has had least time is next, so that an hour is shared
//! fairly however much each brings.

use serde::{Deserialize, Serialize};

/// Shortest and longest lesson, minutes.
const LENGTH: [u16; 2] = [15, 240];
/// Most couples.
const COUPLES: usize = 12;
/// Share of a lesson for warming up, and for the whole run at the end, with the least and most minutes.
const SHARE: f64 = 0.1;
const WARM_UP: [u16; 2] = [3, 10];
const RUN: [u16; 2] = [4, 10];
/// Minutes of a look, and of a correction at least and at most.
const LOOK: u16 = 3;
const WORK: [u16; 2] = [6, 12];
/// Share of a couple's time that looks may take, so that a lesson is not all looks.
const LOOKS: f64 = 0.4;

/// Something to look at or to work on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Task {
    /// Id of the correction.
    pub id: String,
    /// A look that is due, rather than work.
    pub look: bool,
}

/// A couple that comes, with its tasks in order of importance.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair {
    /// Id of the couple.
    pub id: String,
    /// What is due and what is worked on.
    pub tasks: Vec<Task>,
}

/// What a block is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Doing {
    /// Warming up.
    WarmUp,
    /// Looking again at what was corrected.
    Look,
    /// Working on a correction.
    Work,
    /// Free time with the coach, where nothing is on the list.
    Free,
    /// The whole dance once.
    WholeRun,
}

/// A stretch of the lesson.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Block {
    /// Minutes from the beginning.
    pub from: u16,
    /// How long, minutes.
    pub minutes: u16,
    /// What for.
    pub doing: Doing,
    /// Id of the couple; everybody when absent.
    pub couple: Option<String>,
    /// Id of the correction.
    pub task: Option<String>,
}

/// A lesson.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Lesson {
    /// In order.
    pub blocks: Vec<Block>,
    /// Ids of the corrections for which there is no time.
    pub left_out: Vec<String>,
}

/// Why no lesson can be planned.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum LessonError {
    /// Too short or too long.
    #[error("Plan a lesson of {} to {} minutes.", LENGTH[0], LENGTH[1])]
    Length,
    /// Nobody, or too many.
    #[error("Choose 1 to {COUPLES} couples.")]
    Couples,
    /// Too many for the time.
    #[error("There are not {LOOK} minutes for each couple. Choose fewer couples or more time.")]
    Crowded,
}

/// Plans a lesson of so many minutes.
pub fn lesson(minutes: u16, pairs: &[Pair]) -> Result<Lesson, LessonError> {
    if !(LENGTH[0]..=LENGTH[1]).contains(&minutes) {
        return Err(LessonError::Length);
    }
    if pairs.is_empty() || pairs.len() > COUPLES {
        return Err(LessonError::Couples);
    }
    let share = (SHARE * f64::from(minutes)).round() as u16;
    let warm = share.clamp(WARM_UP[0], WARM_UP[1]);
    let mut run = share.clamp(RUN[0], RUN[1]);
    let middle = minutes - warm - run;
    if middle < LOOK * pairs.len() as u16 {
        return Err(LessonError::Crowded);
    }
    let looks = LOOKS * f64::from(middle) / pairs.len() as f64;
    let mut queues: Vec<Vec<&Task>> = pairs.iter().map(|p| queue(p, looks)).collect();
    let mut given = vec![0u16; pairs.len()];
    let mut left = middle;
    let mut blocks: Vec<Given> = Vec::new();
    let fair = middle / pairs.len() as u16;
    // Who has had least is next; of equals the first, so that all come round in turn. First within everybody's
    // own share, at the end with what the shares leave over.
    let mut deal = |within: u16, given: &mut Vec<u16>, left: &mut u16, blocks: &mut Vec<_>| {
        while let Some((next, task)) = (0..pairs.len())
            .filter_map(|p| Some((p, *queues[p].first()?)))
            .filter(|(p, t)| least(t) <= *left && given[*p] + least(t) <= within)
            .min_by_key(|(p, _)| (given[*p], *p))
        {
            queues[next].remove(0);
            let doing = if task.look { Doing::Look } else { Doing::Work };
            blocks.push((next, doing, least(task), Some(task)));
            given[next] += least(task);
            *left -= least(task);
        }
    };
    deal(fair, &mut given, &mut left, &mut blocks);
    // Who has nothing (more) on the list still came for the same hour.
    for p in 0..pairs.len() {
        let short = fair.saturating_sub(given[p]);
        let waits = pairs[p].tasks.len() > blocks.iter().filter(|b| b.0 == p).count();
        if short < LOOK || (waits && short < WORK[0]) {
            continue;
        }
        let grown = grow(&mut blocks, p, short);
        let mut more = grown;
        if short - grown >= LOOK {
            blocks.push((p, Doing::Free, short - grown, None));
            more = short;
        }
        given[p] += more;
        left -= more;
    }
    deal(middle, &mut given, &mut left, &mut blocks);
    // What is left over goes minute by minute to who has had least, then to the whole run.
    while left > 0 {
        let mut by_least: Vec<usize> = (0..pairs.len()).collect();
        by_least.sort_by_key(|p| (given[*p], *p));
        let Some(p) = by_least.into_iter().find(|p| grow(&mut blocks, *p, 1) == 1) else {
            break;
        };
        given[p] += 1;
        left -= 1;
    }
    run += left;
    let mut out = vec![Block {
        from: 0,
        minutes: warm,
        doing: Doing::WarmUp,
        couple: None,
        task: None,
    }];
    let mut from = warm;
    for (p, doing, long, task) in blocks {
        out.push(Block {
            from,
            minutes: long,
            doing,
            couple: Some(pairs[p].id.clone()),
            task: task.map(|t| t.id.clone()),
        });
        from += long;
    }
    out.push(Block {
        from,
        minutes: run,
        doing: Doing::WholeRun,
        couple: None,
        task: None,
    });
    let used: Vec<&String> = out.iter().filter_map(|b| b.task.as_ref()).collect();
    let left_out = pairs
        .iter()
        .flat_map(|p| &p.tasks)
        .filter(|t| !used.contains(&&t.id))
        .map(|t| t.id.clone())
        .collect();
    Ok(Lesson {
        blocks: out,
        left_out,
    })
}

/// A block before it has its place: couple, what for, minutes, task.
type Given<'a> = (usize, Doing, u16, Option<&'a Task>);

fn least(task: &Task) -> u16 {
    if task.look { LOOK } else { WORK[0] }
}

/// A couple's tasks in order, without the looks that are too many.
fn queue(pair: &Pair, looks: f64) -> Vec<&Task> {
    let most = ((looks / f64::from(LOOK)) as usize).max(1);
    let mut seen = 0;
    let fits = |t: &&Task| {
        seen += usize::from(t.look);
        !t.look || seen <= most
    };
    pair.tasks.iter().filter(fits).collect()
}

/// Makes a couple's work longer by up to so many minutes; by how many it could.
fn grow(blocks: &mut [Given], pair: usize, by: u16) -> u16 {
    let mut left = by;
    while left > 0 {
        let shortest = blocks
            .iter_mut()
            .filter(|b| {
                b.0 == pair && (b.1 == Doing::Free || (b.1 == Doing::Work && b.2 < WORK[1]))
            })
            .min_by_key(|b| b.2);
        let Some(block) = shortest else { break };
        block.2 += 1;
        left -= 1;
    }
    by - left
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn pair(id: &str, looks: usize, work: usize) -> Pair {
        let task = |look: bool, n: usize| Task {
            id: format!("{id} {} {n}", if look { "look" } else { "work" }),
            look,
        };
        Pair {
            id: id.into(),
            tasks: (0..looks)
                .map(|n| task(true, n))
                .chain((0..work).map(|n| task(false, n)))
                .collect(),
        }
    }

    #[test]
    fn an_hour_of_one_couple() {
        let l = lesson(60, &[pair("a", 2, 3)]).unwrap();
        let said: Vec<String> = l
            .blocks
            .iter()
            .map(|b| {
                format!(
                    "{}+{} {:?} {}",
                    b.from,
                    b.minutes,
                    b.doing,
                    b.task.as_deref().unwrap_or("")
                )
            })
            .collect();
        insta::assert_snapshot!(said.join("\n"));
        assert_eq!(l.left_out, [] as [&str; 0]);
    }

    #[test]
    fn two_couples_take_turns() {
        let l = lesson(45, &[pair("a", 1, 4), pair("b", 0, 1)]).unwrap();
        let minutes = |id: &str| -> u16 {
            l.blocks
                .iter()
                .filter(|b| b.couple.as_deref() == Some(id))
                .map(|b| b.minutes)
                .sum()
        };
        assert!(
            minutes("a").abs_diff(minutes("b")) <= WORK[0],
            "{} and {}",
            minutes("a"),
            minutes("b")
        );
        let who: Vec<&str> = l
            .blocks
            .iter()
            .filter_map(|b| b.couple.as_deref())
            .collect();
        assert_eq!(&who[..3], ["a", "b", "a"]);
    }

    #[test]
    fn looks_do_not_fill_a_lesson() {
        let l = lesson(30, &[pair("a", 12, 2)]).unwrap();
        let looks = l.blocks.iter().filter(|b| b.doing == Doing::Look).count();
        assert_eq!(looks, 3);
        assert_eq!(l.left_out.len(), 9);
    }

    #[test]
    fn what_cannot_be_planned_is_said() {
        assert_eq!(lesson(10, &[pair("a", 1, 1)]), Err(LessonError::Length));
        assert_eq!(lesson(60, &[]), Err(LessonError::Couples));
        let many: Vec<Pair> = (0..8).map(|n| pair(&n.to_string(), 1, 1)).collect();
        assert_eq!(lesson(20, &many), Err(LessonError::Crowded));
        assert!(LessonError::Length.to_string().contains("15 to 240"));
    }

    proptest! {
        #[test]
        fn every_lesson_is_whole_and_fair(
            minutes in 15u16..=180,
            brings in prop::collection::vec((0usize..5, 0usize..6), 1..7),
        ) {
            let pairs: Vec<Pair> = brings.iter().enumerate().map(|(n, (l, w))| pair(&n.to_string(), *l, *w)).collect();
            let Ok(l) = lesson(minutes, &pairs) else {
                prop_assert!(minutes < 30);
                return Ok(());
            };
            let mut at = 0;
            for b in &l.blocks {
                prop_assert_eq!(b.from, at);
                prop_assert!(b.minutes >= LOOK);
                at += b.minutes;
            }
            prop_assert_eq!(at, minutes);
            prop_assert_eq!(l.blocks[0].doing, Doing::WarmUp);
            prop_assert_eq!(l.blocks.last().unwrap().doing, Doing::WholeRun);
            // Every task once: in the lesson or left out.
            let mut ids: Vec<&String> = l.blocks.iter().filter_map(|b| b.task.as_ref()).chain(&l.left_out).collect();
            ids.sort();
            let mut all: Vec<&String> = pairs.iter().flat_map(|p| p.tasks.iter().map(|t| &t.id)).collect();
            all.sort();
            prop_assert_eq!(ids, all);
            // Fair: nobody who has something waiting got much less than another.
            let of = |p: &Pair| -> u16 { l.blocks.iter().filter(|b| b.couple.as_ref() == Some(&p.id)).map(|b| b.minutes).sum() };
            let most = pairs.iter().map(of).max().unwrap_or(0);
            for p in &pairs {
                if p.tasks.iter().any(|t| !t.look && l.left_out.contains(&t.id)) {
                    prop_assert!(most <= of(p) + WORK[1], "{} and {most}", of(p));
                }
            }
        }
    }
}
