//! What a student is given: two things to do, with everything needed to do them, and nothing of anybody else.

use jiff::civil::Date;
use serde::Serialize;
use upright_core::plan::{Done, Rung, Week};
use upright_store::{Correction, StudioId};
use uuid::Uuid;

use crate::problem::Problem;
use crate::training::{Practised, practice};
use crate::{App, picture, shelf};

/// Things that a sheet puts first.
const THINGS: usize = 2;

/// One thing to do.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Thing {
    /// Id of the correction.
    pub id: Uuid,
    /// What it is called.
    pub name: String,
    /// In which role: `leader` or `follower`.
    pub role: String,
    /// The figure.
    pub figure: String,
    /// At which count.
    pub count: Option<String>,
    /// When it was seen.
    #[schema(value_type = String, format = Date)]
    pub seen_on: Date,
    /// What to think.
    pub cue: String,
    /// The drill's steps.
    pub ladder: Vec<String>,
    /// Where the student is on them.
    pub rung: Rung,
    /// Beats a minute of the newest take.
    pub tempo: Option<f64>,
    /// What fine looks like.
    pub target: String,
    /// What can hurt.
    pub caution: Option<String>,
    /// When it is looked at again.
    #[schema(value_type = Option<String>, format = Date)]
    pub recheck_on: Option<Date>,
    /// There is a still and a short clip of it, and both who are on them have agreed.
    pub pictured: bool,
    /// What was reported since the step was set.
    pub reports: Vec<Done>,
    /// Among what comes first.
    pub first: bool,
}

/// A student's sheet.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Sheet {
    /// Whose.
    pub person: String,
    /// The studio.
    pub studio: String,
    /// Its evening.
    pub event: Option<String>,
    /// When that is.
    #[schema(value_type = Option<String>, format = Date)]
    pub event_on: Option<Date>,
    /// The day on which this was made.
    #[schema(value_type = String, format = Date)]
    pub day: Date,
    /// What is worked on; what comes first in front.
    pub things: Vec<Thing>,
    /// The seven days from that day.
    pub week: Week,
}

/// Makes a person's sheet.
pub async fn sheet(app: &App, studio: StudioId, person: Uuid, day: Date) -> Result<Sheet, Problem> {
    let store = app.store();
    let person = store.person(studio, person).await?;
    let of = store.studio(studio).await?;
    let practice = practice(store, studio, &person, day).await?;
    let shelf = shelf::shelf(store, studio).await?;
    let mut things = Vec::new();
    for p in practice
        .exercises
        .into_iter()
        .filter(|p| p.correction.practised)
    {
        let figure = shelf.get(&p.correction.chart);
        let figure = figure.map_or_else(|| p.correction.chart.clone(), |c| c.name.clone());
        let pictured = picture::shown(app, studio, &p.correction).await?.is_some();
        things.push(thing(p, figure, pictured));
    }
    let going = things.iter_mut().filter(|t| !t.rung.stopped);
    for t in going.take(THINGS) {
        t.first = true;
    }
    Ok(Sheet {
        person: person.name,
        studio: of.name,
        event: of.event,
        event_on: of.event_on.map(|d| d.to_jiff()),
        day,
        things,
        week: practice.week,
    })
}

fn thing(p: Practised, figure: String, pictured: bool) -> Thing {
    let c: Correction = p.correction;
    Thing {
        id: c.id,
        name: p.name,
        role: c.role,
        figure,
        count: c.count,
        seen_on: c.seen_on.to_jiff(),
        cue: c.cue,
        ladder: p.ladder,
        rung: p.rung,
        tempo: p.tempo,
        target: c.target,
        caution: p.caution,
        recheck_on: c.recheck_on.map(|d| d.to_jiff()),
        pictured,
        reports: p.reports,
        first: false,
    }
}
