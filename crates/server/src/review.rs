//! The street for a stored take: its log of marks, its couple and its picture in, its analysis out,
//! and the short of it kept for lists and progress.

use upright_core::analyse::{Analysis, Stage, analyse};
use upright_core::chart::{Chart, Shelf};
use upright_core::marks::{Entry, History, MarkCommand, MarkError};
use upright_core::measure::CoupleBody;
use upright_core::routine::{End, join};
use upright_core::space::{Space, space};
use upright_store::{Clip, Couple, Judgement, Store, StudioId, Take, TakeSummary, Whose};
use uuid::Uuid;

use crate::problem::Problem;
use crate::shelf;

/// Picture assumed before there is a clip, pixels.
const NO_CLIP: [f64; 2] = [1280.0, 720.0];

/// Most entries in one request.
const MOST_ENTRIES: usize = 5_000;

/// A take with everything known of it.
pub struct Review {
    /// The take.
    pub take: Take,
    /// The couple.
    pub couple: Couple,
    /// The clip, where there is one.
    pub clip: Option<Clip>,
    /// Marks with their history.
    pub history: History,
    /// Number of the log's last entry.
    pub version: i32,
    /// The figure danced, once named.
    pub chart: Option<Chart>,
    /// What follows from the marks.
    pub analysis: Analysis,
}

struct Desk {
    take: Take,
    couple: Couple,
    clip: Option<Clip>,
    log: Vec<Entry>,
    shelf: Shelf,
}

async fn open(store: &Store, studio: StudioId, take: Uuid) -> Result<Desk, Problem> {
    let take = store.take(studio, take).await?;
    Ok(Desk {
        couple: store.couple(studio, take.couple_id).await?,
        clip: store.clip(studio, take.id).await?,
        log: store.mark_log(studio, take.id).await?,
        shelf: shelf::shelf(store, studio).await?,
        take,
    })
}

/// Computation away from the threads that answer requests.
async fn apart<T: Send + 'static>(f: impl FnOnce() -> T + Send + 'static) -> Result<T, Problem> {
    tokio::task::spawn_blocking(f)
        .await
        .map_err(|e| Problem::internal(&e))
}

fn sizes(couple: &Couple) -> CoupleBody {
    CoupleBody {
        heights: [couple.leader_height, couple.follower_height],
        frame_limit: couple.frame_limit,
    }
}

fn picture(clip: Option<&Clip>) -> [f64; 2] {
    clip.map_or(NO_CLIP, |c| [f64::from(c.width), f64::from(c.height)])
}

fn analysed(history: &History, couple: &Couple, clip: Option<&Clip>, shelf: &Shelf) -> Analysis {
    analyse(history.marks(), sizes(couple), picture(clip), shelf)
}

fn danced(history: &History, shelf: &Shelf) -> Option<Chart> {
    shelf.get(history.marks().chart.as_deref()?).cloned()
}

/// Refuses a figure that is not there, or cannot be danced as often.
fn known(entry: &Entry, shelf: &Shelf) -> Result<(), Problem> {
    let Entry::Command(MarkCommand::NameFigure { chart, repetitions }) = entry else {
        return Ok(());
    };
    let c = shelf
        .get(chart)
        .ok_or_else(|| MarkError::UnknownChart(chart.clone()))?;
    let joint = join(&End::last(c), &End::first(c));
    if *repetitions > 1 && !joint.feet {
        return Err(Problem::invalid(format!(
            "This figure cannot follow itself, so a take holds it once. {}",
            joint.sentences.join(" ")
        )));
    }
    Ok(())
}

fn summary(history: &History, a: &Analysis) -> TakeSummary {
    let marks = history.marks();
    TakeSummary {
        chart: marks.chart.clone(),
        repetitions: marks.repetitions,
        tempo: a.count.as_ref().map(|c| c.tempo),
        ready: [
            &a.chart_stage,
            &a.count_stage,
            &a.floor_stage,
            &a.bodies_stage,
        ]
        .map(|s| *s == Stage::Ready),
        judged: a
            .judged
            .iter()
            .map(|j| Judgement {
                fault: j.fault.clone(),
                role: Whose::word(j.role),
                value: j.value.value,
                sigma: j.value.sigma,
                showing: j.showing,
                measured: j.of,
                offered: j.offered,
            })
            .collect(),
    }
}

/// Reads a take and analyses it.
pub async fn review(store: &Store, studio: StudioId, take: Uuid) -> Result<Review, Problem> {
    let Desk {
        take,
        couple,
        clip,
        log,
        shelf,
    } = open(store, studio, take).await?;
    apart(move || {
        let version = log.len() as i32;
        let history = History::replay(log);
        let analysis = analysed(&history, &couple, clip.as_ref(), &shelf);
        Review {
            take,
            couple,
            clip,
            chart: danced(&history, &shelf),
            history,
            version,
            analysis,
        }
    })
    .await
}

/// Solves both dancers' bodies of a take in space; the version of its marks comes with it. Takes a
/// moment, so it is asked for apart from the rest.
pub async fn in_space(
    store: &Store,
    studio: StudioId,
    take: Uuid,
) -> Result<(i32, Space), Problem> {
    let desk = open(store, studio, take).await?;
    apart(move || {
        let version = desk.log.len() as i32;
        let history = History::replay(desk.log);
        let picture = picture(desk.clip.as_ref());
        let solved = space(history.marks(), sizes(&desk.couple), picture, &desk.shelf);
        (version, solved)
    })
    .await
}

/// Carries out entries on a take that is still at `version`: all of them or none.
pub async fn mark(
    store: &Store,
    studio: StudioId,
    account: Option<Uuid>,
    take: Uuid,
    version: i32,
    entries: Vec<Entry>,
) -> Result<Review, Problem> {
    if entries.is_empty() || entries.len() > MOST_ENTRIES {
        return Err(Problem::invalid(format!(
            "Send 1 to {MOST_ENTRIES} changes at a time."
        )));
    }
    let Desk {
        take,
        couple,
        clip,
        log,
        shelf,
    } = open(store, studio, take).await?;
    if log.len() as i32 != version {
        return Err(upright_store::StoreError::Changed.into());
    }
    let (review, entries) = apart(move || {
        let mut history = History::replay(log);
        for entry in &entries {
            known(entry, &shelf)?;
            history.push(entry.clone())?;
        }
        let analysis = analysed(&history, &couple, clip.as_ref(), &shelf);
        let version = version + entries.len() as i32;
        Ok::<_, Problem>((
            Review {
                take,
                couple,
                clip,
                chart: danced(&history, &shelf),
                history,
                version,
                analysis,
            },
            entries,
        ))
    })
    .await??;
    let short = summary(&review.history, &review.analysis);
    store
        .append_marks(studio, review.take.id, account, version, &entries, &short)
        .await?;
    Ok(review)
}

/// Analyses a take again after something other than its marks has changed.
pub async fn renew(store: &Store, studio: StudioId, take: Uuid) -> Result<(), Problem> {
    let r = review(store, studio, take).await?;
    Ok(store
        .renew_summary(studio, take, &summary(&r.history, &r.analysis))
        .await?)
}
