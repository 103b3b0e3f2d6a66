//! Long work: a worker takes it from the durable queue, tells how far it is, and ends it once.
//!
//! A worker may be part of the server or a program of its own on another machine. One that dies is missed
//! after a few heartbeats; its work goes to another, which begins it anew: every kind of work may be done
//! twice with the same end.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use apalis::prelude::{BackendExt as _, BoxDynError, Data, Monitor, WorkerBuilder};
use tokio::sync::watch;
use tokio::task::JoinSet;
use upright_store::{Clip, StoreError, StudioId, Wanted, Work, WorkKind};
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;

/// How work tells how far it is, and learns that it is no longer wanted.
#[derive(Clone)]
pub struct Told {
    share: watch::Sender<f64>,
    wanted: Arc<AtomicBool>,
}

impl Told {
    /// Notes a share, 0..1.
    pub fn tell(&self, share: f64) {
        self.share.send_replace(share);
    }

    /// Whether anybody still waits for it.
    pub fn wanted(&self) -> bool {
        self.wanted.load(Ordering::Relaxed)
    }

    /// For work that nobody watches.
    pub fn nobody() -> Self {
        Self {
            share: watch::Sender::new(0.0),
            wanted: Arc::new(AtomicBool::new(true)),
        }
    }
}

/// How often progress is written, and a stop noticed.
const NOTED: Duration = Duration::from_millis(300);

/// Pauses before work is tried again that failed for a reason that may pass.
const AGAIN: [Duration; 3] = [
    Duration::from_millis(500),
    Duration::from_secs(3),
    Duration::from_secs(15),
];

/// Pause before the queue is asked again that could not be reached.
const BACK: Duration = Duration::from_secs(2);

/// Works until the process ends; a queue that is lost (its database restarted) is taken up again.
pub async fn work(app: App) {
    loop {
        let app = app.clone();
        let monitor = Monitor::new().register(move |run| {
            WorkerBuilder::new(format!("{}-{run}", Uuid::now_v7()))
                .backend(
                    app.store()
                        .queue()
                        .with_pubsub()
                        .poll_with_interval(Duration::from_secs(2)),
                )
                .data(app.clone())
                .build(one)
        });
        match monitor.run().await {
            Ok(()) => tracing::warn!("the worker ended, and begins again"),
            Err(e) => tracing::warn!(%e, "the worker lost its queue, and begins again"),
        }
        tokio::time::sleep(BACK).await;
    }
}

/// Does what a message of the queue names.
async fn one(id: Uuid, app: Data<App>) -> Result<(), BoxDynError> {
    let app: &App = &app;
    let Some(kind) = app.store().work_kind(id).await? else {
        return Ok(());
    };
    let _turn = app.turns(kind).acquire_owned().await?;
    let Some((work, clip)) = app.store().begin_work(id).await? else {
        return Ok(());
    };
    tracing::info!(%id, clip = %clip.id, kind = ?work.kind, "begun");
    let mut pauses = AGAIN.iter();
    loop {
        let Err(problem) = watched(app, &work, &clip).await else {
            end(app, id, Ok(())).await?;
            return Ok(());
        };
        if problem.passes()
            && let Some(pause) = pauses.next()
        {
            tracing::warn!(%id, detail = problem.detail, "tried again");
            tokio::time::sleep(*pause).await;
            continue;
        }
        tracing::warn!(%id, detail = problem.detail, "failed");
        if end(app, id, Err(&problem.detail)).await? && work.kind == WorkKind::Prepare {
            app.store().clip_failed(clip.id, &problem.detail).await?;
        }
        return Ok(());
    }
}

/// Notes the end, which must not be lost for a database that is away for a moment.
async fn end(app: &App, id: Uuid, how: Result<(), &str>) -> Result<bool, StoreError> {
    for pause in AGAIN {
        match app.store().end_work(id, how).await {
            Ok(ended) => return Ok(ended),
            Err(e) => tracing::warn!(%id, %e, "the end is noted again"),
        }
        tokio::time::sleep(pause).await;
    }
    app.store().end_work(id, how).await
}

/// Work under way; dropped with its worker, it is no longer wanted and notes nothing more.
struct Watch {
    told: Told,
    _noting: JoinSet<()>,
}

impl Drop for Watch {
    fn drop(&mut self) {
        self.told.wanted.store(false, Ordering::Relaxed);
    }
}

async fn watched(app: &App, work: &Work, clip: &Clip) -> Result<(), Problem> {
    let told = Told::nobody();
    let mut noting = JoinSet::new();
    noting.spawn(note(app.clone(), work.id, clip.id, told.clone()));
    let _watch = Watch {
        told: told.clone(),
        _noting: noting,
    };
    match work.kind {
        WorkKind::Prepare => crate::intake::prepare(app, clip, &told).await,
        WorkKind::Find => crate::marking::find(app, clip, &work.wanted, &told).await,
    }
}

/// Keeps how far work is, as often as somebody can look, and tells it when it was stopped.
async fn note(app: App, work: Uuid, clip: Uuid, told: Told) {
    let mut share = told.share.subscribe();
    loop {
        let now = *share.borrow_and_update();
        match app.store().note_work(work, now).await {
            Ok(true) => {}
            Ok(false) => told.wanted.store(false, Ordering::Relaxed),
            Err(e) => tracing::debug!(%e, "progress not kept"),
        }
        if let Err(e) = app.store().note_progress(clip, now as f32).await {
            tracing::debug!(%e, "progress not kept");
        }
        tokio::time::sleep(NOTED).await;
    }
}

/// How often what nobody asks for any more is forgotten.
const SWEPT: Duration = Duration::from_secs(3600);

/// Forgets ended sign-ins, old tries and what is overdue in the bin, until the process ends.
pub async fn sweep(app: App) {
    loop {
        if let Err(e) = app.store().sweep().await {
            tracing::warn!(%e, "not swept");
        }
        if let Err(problem) = crate::erase::overdue(&app).await {
            tracing::warn!(detail = problem.detail, "the bin was not emptied");
        }
        tokio::time::sleep(SWEPT).await;
    }
}

/// Asks for what a stopped server of an older version left behind.
pub async fn resume(app: &App) -> Result<(), Problem> {
    for clip in app.store().unprepared_clips().await? {
        app.store()
            .ask_work(
                StudioId(clip.studio_id),
                clip.id,
                WorkKind::Prepare,
                &Wanted::default(),
            )
            .await?;
    }
    Ok(())
}
