//! The street for a stored take: its log of marks, its couple and its picture in, its analysis out,
//! and the short of it kept for lists and progress.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

use upright_core::analyse::{self, Analysis, Stage, analyse};
use upright_core::body::Pose;
use upright_core::camera::Calibration;
use upright_core::chart::{Chart, Shelf};
use upright_core::fault::{Fault, Rules};
use upright_core::judge::Judged;
use upright_core::marks::{Entry, History, MarkCommand, MarkError, Marks};
use upright_core::measure::CoupleBody;
use upright_core::progress::twice;
use upright_core::routine::{End, join};
use upright_core::space::{Space, space};
use upright_core::take::adviser::{Views, views};
use upright_core::take::exchange::Document;
use upright_core::take::{Film, Solved, Take as Filmed, solve_take};

use tokio::sync::OwnedMutexGuard;
use upright_store::{Clip, Couple, Judgement, Store, StudioId, Take, TakeSummary, Whose};
use uuid::Uuid;

use crate::problem::Problem;
use crate::{App, shelf};

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
    /// By what the couple is judged.
    pub rules: Rules,
    /// What follows from the marks.
    pub analysis: Analysis,
    /// From where each calibrated phone looks at the floor reference, degrees.
    pub bearings: Vec<f64>,
    /// How many repetitions the analysis is of, where the rest of the take is still to be worked out.
    pub beginning: Option<u32>,
}

struct Desk {
    take: Take,
    couple: Couple,
    /// One for each angle, in order.
    clips: Vec<Clip>,
    films: Vec<Film>,
    log: Vec<Entry>,
    shelf: Shelf,
    rules: Rules,
    /// Both dancers as they were solved last.
    before: Option<Arc<Solved>>,
}

/// Takes whose solved bodies are kept between requests: a take is seldom left before some marks are set.
const KEPT: usize = 24;

/// Bodies solved last, the newest take at the end. They follow from what is stored, so that losing them costs
/// time only.
#[derive(Default)]
pub struct Recent {
    solved: Mutex<Vec<(Uuid, Arc<Solved>)>>,
    /// Takes that are being solved.
    turns: Mutex<BTreeMap<Uuid, Arc<tokio::sync::Mutex<()>>>>,
}

impl Recent {
    fn get(&self, take: Uuid) -> Option<Arc<Solved>> {
        let all = self.solved.lock().unwrap_or_else(PoisonError::into_inner);
        all.iter().find(|r| r.0 == take).map(|r| r.1.clone())
    }

    fn put(&self, take: Uuid, solved: Arc<Solved>) {
        let mut all = self.solved.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|r| r.0 != take);
        all.push((take, solved));
        if all.len() > KEPT {
            all.remove(0);
        }
    }

    /// Waits until nobody solves a take: two requests that come together would else both take the whole time, and
    /// the second one finds the bodies of the first.
    async fn turn(&self, take: Uuid) -> OwnedMutexGuard<()> {
        let own = {
            let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
            turns.retain(|id, turn| *id == take || Arc::strong_count(turn) > 1);
            turns.entry(take).or_default().clone()
        };
        own.lock_owned().await
    }
}

/// Opens a take that is going to be solved; nobody else solves it before the turn is dropped.
async fn in_turn(
    app: &App,
    studio: StudioId,
    take: Uuid,
) -> Result<(OwnedMutexGuard<()>, Desk), Problem> {
    let turn = app.recent().turn(take).await;
    Ok((turn, open(app, studio, take).await?))
}

async fn open(app: &App, studio: StudioId, take: Uuid) -> Result<Desk, Problem> {
    let store = app.store();
    let (take, clips, log, shelf, entries) = tokio::try_join!(
        async { Ok::<_, Problem>(store.take(studio, take).await?) },
        async { Ok(store.clips(studio, take).await?) },
        async { Ok(store.mark_log(studio, take).await?) },
        shelf::shelf(store, studio),
        own_entries(store, studio),
    )?;
    let couple = store.couple(studio, take.couple_id).await?;
    let mut films = Vec::with_capacity(clips.len().max(1));
    for clip in &clips {
        let track = store.track(studio, clip.id).await?;
        films.push(Film {
            picture: [f64::from(clip.width), f64::from(clip.height)],
            offset: clip.offset_us as f64 / 1e6,
            full_frame_focal: clip.full_frame_focal,
            track: track.map_or_else(Vec::new, |t| t.sightings),
        });
    }
    if films.is_empty() {
        films.push(Film::new(NO_CLIP));
    }
    Ok(Desk {
        rules: Rules {
            choices: couple.choices.0.clone(),
            entries,
        },
        couple,
        log,
        shelf,
        before: app.recent().get(take.id),
        films,
        clips,
        take,
    })
}

/// The calibrated floor of an angle of a take; none where it is not marked or cannot be used.
pub async fn floor(
    app: &App,
    studio: StudioId,
    take: Uuid,
    angle: i16,
) -> Result<Option<Calibration>, Problem> {
    let desk = open(app, studio, take).await?;
    apart(move || {
        let history = History::replay(desk.log.clone());
        let film = usize::try_from(angle - 1).unwrap_or_default();
        filmed(&history, &desk).floor(film).ok()
    })
    .await
}

/// The studio's own entries of the catalogue.
pub async fn own_entries(store: &Store, studio: StudioId) -> Result<Vec<Fault>, Problem> {
    let own = store.own_faults(studio).await?;
    Ok(own.into_iter().map(|o| o.entry).collect())
}

/// The catalogue with the studio's own entries.
pub async fn rules(store: &Store, studio: StudioId) -> Result<Rules, Problem> {
    Ok(Rules {
        entries: own_entries(store, studio).await?,
        ..Rules::default()
    })
}

/// Computation away from the threads that answer requests.
pub(crate) async fn apart<T: Send + 'static>(
    f: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Problem> {
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

fn clip(clips: &[Clip]) -> Option<Clip> {
    clips.iter().find(|c| c.angle == 1).cloned()
}

/// Solves and analyses.
fn analysed(history: &History, desk: &Desk) -> (Analysis, Arc<Solved>) {
    let take = filmed(history, desk);
    let solved = Arc::new(solve_take(&take, desk.before.as_deref()));
    (analyse(&take, Some(&solved)), solved)
}

fn filmed<'a>(history: &'a History, desk: &'a Desk) -> Filmed<'a> {
    Filmed {
        marks: history.marks(),
        couple: sizes(&desk.couple),
        films: &desk.films,
        shelf: &desk.shelf,
        rules: &desk.rules,
    }
}

fn danced(history: &History, shelf: &Shelf) -> Option<Chart> {
    shelf.get(history.marks().chart.as_deref()?).cloned()
}

/// The figure that a take is of, where it is named.
pub(crate) async fn figure(
    app: &App,
    studio: StudioId,
    take: Uuid,
) -> Result<Option<Chart>, Problem> {
    let desk = open(app, studio, take).await?;
    let history = History::replay(desk.log.clone());
    Ok(danced(&history, &desk.shelf))
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

fn summary(r: &Review) -> TakeSummary {
    let (marks, a) = (r.history.marks(), &r.analysis);
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
                told: j.most_tell(),
                offered: j.offered,
                band: j.band,
                measure: j.measure.clone(),
                probability: j.probability,
            })
            .collect(),
        bearings: r.bearings.clone(),
    }
}

/// Reads a take and analyses it.
pub async fn review(app: &App, studio: StudioId, take: Uuid) -> Result<Review, Problem> {
    let (_turn, desk) = in_turn(app, studio, take).await?;
    let (review, solved) = apart(move || {
        let version = desk.log.len() as i32;
        let history = History::replay(desk.log.clone());
        reviewed(desk, history, version)
    })
    .await?;
    app.recent().put(take, solved);
    Ok(review)
}

/// Reads a take and analyses its first repetitions, where it is a long one that was not solved yet; any other one as
/// a whole.
pub async fn first_look(app: &App, studio: StudioId, take: Uuid) -> Result<Review, Problem> {
    // Without waiting for a turn: whoever has it may take long.
    let desk = open(app, studio, take).await?;
    if desk.before.is_some() {
        return review(app, studio, take).await;
    }
    let found = apart(move || {
        let version = desk.log.len() as i32;
        let history = History::replay(desk.log.clone());
        let look = analyse::first_look(&filmed(&history, &desk))?;
        Some(Review {
            beginning: Some(look.repetitions),
            ..of(desk, history, version, look.analysis)
        })
    })
    .await?;
    match found {
        Some(found) => Ok(found),
        None => review(app, studio, take).await,
    }
}

fn reviewed(desk: Desk, history: History, version: i32) -> (Review, Arc<Solved>) {
    let (analysis, solved) = analysed(&history, &desk);
    (of(desk, history, version, analysis), solved)
}

/// What is known of a take with its analysis.
fn of(desk: Desk, history: History, version: i32, analysis: Analysis) -> Review {
    Review {
        bearings: filmed(&history, &desk).bearings(),
        chart: danced(&history, &desk.shelf),
        clip: clip(&desk.clips),
        take: desk.take,
        couple: desk.couple,
        rules: desk.rules,
        history,
        version,
        analysis,
        beginning: None,
    }
}

/// A take's marks as they stand.
pub async fn marks(app: &App, studio: StudioId, take: Uuid) -> Result<Marks, Problem> {
    let log = app.store().mark_log(studio, take).await?;
    Ok(History::replay(log).marks().clone())
}

/// Both dancers' bodies of a take in space; the version of its marks comes with it.
pub async fn in_space(app: &App, studio: StudioId, take: Uuid) -> Result<(i32, Space), Problem> {
    let (_turn, desk) = in_turn(app, studio, take).await?;
    let (found, solved) = apart(move || {
        let version = desk.log.len() as i32;
        let history = History::replay(desk.log.clone());
        let take = filmed(&history, &desk);
        let solved = Arc::new(solve_take(&take, desk.before.as_deref()));
        ((version, space(&take, &solved)), solved)
    })
    .await?;
    app.recent().put(take, solved);
    Ok(found)
}

/// A take's document with everything that is known of it.
pub async fn document(app: &App, studio: StudioId, take: Uuid) -> Result<Document, Problem> {
    let desk = open(app, studio, take).await?;
    apart(move || Document::of(&filmed(&History::replay(desk.log.clone()), &desk))).await
}

/// What other places for the phone, or a second one, would tell of a take's couple.
pub async fn spots(app: &App, studio: StudioId, take: Uuid) -> Result<Views, Problem> {
    let desk = open(app, studio, take).await?;
    apart(move || {
        let history = History::replay(desk.log.clone());
        let take = filmed(&history, &desk);
        views(&take)
    })
    .await
}

/// A take's solved bodies.
pub async fn bodies(app: &App, studio: StudioId, take: Uuid) -> Result<Arc<Solved>, Problem> {
    let (_turn, desk) = in_turn(app, studio, take).await?;
    let solved = apart(move || {
        let history = History::replay(desk.log.clone());
        Arc::new(solve_take(&filmed(&history, &desk), desk.before.as_deref()))
    })
    .await?;
    app.recent().put(take, solved.clone());
    Ok(solved)
}

/// Carries out entries on a take that is still at `version`: all of them or none.
pub async fn mark(
    app: &App,
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
    let (_turn, desk) = in_turn(app, studio, take).await?;
    if desk.log.len() as i32 != version {
        return Err(upright_store::StoreError::Changed.into());
    }
    let ((review, solved), entries) = apart(move || {
        let mut history = History::replay(desk.log.clone());
        for entry in &entries {
            known(entry, &desk.shelf)?;
            history.push(entry.clone())?;
        }
        let version = version + entries.len() as i32;
        Ok::<_, Problem>((reviewed(desk, history, version), entries))
    })
    .await??;
    let short = summary(&review);
    app.store()
        .append_marks(studio, review.take.id, account, version, &entries, &short)
        .await?;
    app.recent().put(take, solved);
    Ok(review)
}

/// What an entry of the catalogue finds in a take: as it is now, and as it would be.
pub async fn preview(
    app: &App,
    studio: StudioId,
    take: Uuid,
    entry: Fault,
) -> Result<(Take, [Vec<Judged>; 2]), Problem> {
    let (_turn, mut desk) = in_turn(app, studio, take).await?;
    let (take, found, solved) = apart(move || {
        let history = History::replay(desk.log.clone());
        let id = entry.id.clone();
        let solved = Arc::new(solve_take(&filmed(&history, &desk), desk.before.as_deref()));
        let of = |desk: &Desk| -> Vec<Judged> {
            let all = analyse(&filmed(&history, desk), Some(&solved)).judged;
            all.into_iter().filter(|j| j.fault == id).collect()
        };
        let before = of(&desk);
        desk.rules.entries.retain(|e| e.id != entry.id);
        desk.rules.entries.push(entry);
        let after = of(&desk);
        (desk.take, [before, after], solved)
    })
    .await?;
    app.recent().put(take.id, solved);
    Ok((take, found))
}

/// Analyses a take again after something other than its marks has changed.
pub async fn renew(app: &App, studio: StudioId, take: Uuid) -> Result<(), Problem> {
    let r = review(app, studio, take).await?;
    Ok(app
        .store()
        .renew_summary(studio, take, &summary(&r))
        .await?)
}

/// First and second reading of every measure at the counts of frames that were marked again, which stand for the
/// take's own marks of these frames in the second one. Nothing is kept.
pub async fn remarked(
    app: &App,
    studio: StudioId,
    take: Uuid,
    again: Vec<Pose>,
) -> Result<BTreeMap<String, Vec<[f64; 2]>>, Problem> {
    let desk = open(app, studio, take).await?;
    apart(move || {
        let history = History::replay(desk.log.clone());
        // Both times only the joints that were marked again, so that both readings rest on the same ones.
        let mut first = history.marks().clone();
        let mut second = first.clone();
        for pose in &again {
            let at = first
                .poses
                .iter()
                .position(|p| p.role == pose.role && p.at == pose.at)
                .ok_or_else(|| {
                    Problem::invalid("This frame is not marked in the take. Draw frames again.")
                })?;
            if pose.points.values().flatten().any(|v| !v.is_finite()) {
                return Err(Problem::invalid("A joint's place must be a number."));
            }
            first.poses[at]
                .points
                .retain(|l, _| pose.points.contains_key(l));
            second.poses[at].points.clone_from(&pose.points);
        }
        let read = |marks: &Marks| {
            let film = Filmed {
                marks,
                ..filmed(&history, &desk)
            };
            analyse(&film, Some(&solve_take(&film, None)))
        };
        let (first, second) = (read(&first), read(&second));
        let frames: Vec<_> = again.iter().map(|p| (p.role, p.at)).collect();
        Ok(twice(&first, &second, &frames))
    })
    .await?
}
