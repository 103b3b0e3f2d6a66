//! Looks, lessons and the evening as a calendar. Every entry keeps its id for good, so that a calendar that
//! takes it in again updates what it has.

use axum::http::header;
use axum::response::{IntoResponse as _, Response};
use icalendar::{Calendar, Component as _, Event};
use jiff::civil::Date;
use serde::Serialize;
use upright_core::plan::Week;
use upright_store::{Correction, KeptLesson, StudioId};
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;
use crate::review;

/// A look that is due on a day.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct DueLook {
    /// The correction.
    pub correction: Correction,
    /// The fault's name.
    pub name: String,
}

/// Everything with a date.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Dates {
    /// The day.
    #[schema(value_type = String, format = Date)]
    pub day: Date,
    /// The studio's evening.
    pub event: Option<String>,
    /// When that is.
    #[schema(value_type = Option<String>, format = Date)]
    pub event_on: Option<Date>,
    /// Looks, by day; those that are overdue too.
    pub looks: Vec<DueLook>,
    /// Lessons, by day, from four weeks ago.
    pub lessons: Vec<KeptLesson>,
}

/// Gathers everything with a date.
pub async fn dates(app: &App, studio: StudioId) -> Result<Dates, Problem> {
    let store = app.store();
    let day = jiff::Zoned::now().date();
    let rules = review::rules(store, studio).await?;
    let mut looks: Vec<DueLook> = store
        .corrections(studio, None)
        .await?
        .into_iter()
        .filter(|c| c.recheck_on.is_some())
        .map(|correction| DueLook {
            name: rules
                .entry(&correction.fault)
                .map_or_else(|| correction.fault.clone(), |f| f.name.clone()),
            correction,
        })
        .collect();
    looks.sort_by_key(|l| l.correction.recheck_on.map(|d| d.to_jiff()));
    let of = store.studio(studio).await?;
    let since = day.saturating_sub(jiff::Span::new().weeks(4));
    Ok(Dates {
        day,
        event: of.event,
        event_on: of.event_on.map(|d| d.to_jiff()),
        looks,
        lessons: store.lessons(studio, since).await?,
    })
}

fn all_day(event: &mut Event, on: Date) {
    // A whole day: from it to the next one, as RFC 5545 has it.
    let text = |d: Date| d.strftime("%Y%m%d").to_string();
    let next = on.tomorrow().unwrap_or(on);
    for (name, date) in [("DTSTART", on), ("DTEND", next)] {
        let mut property = icalendar::Property::new(name, text(date));
        property.add_parameter("VALUE", "DATE");
        event.append_property(property);
    }
}

fn entry(id: &str, version: i32, summary: &str, words: &str) -> Event {
    let mut event = Event::new();
    event
        .uid(&format!("{id}@upright-pair"))
        .sequence(version.max(0) as u32)
        .summary(summary)
        .description(words);
    event
}

/// The calendar file of everything with a date.
pub async fn file(app: &App, studio: StudioId) -> Result<String, Problem> {
    let dates = dates(app, studio).await?;
    let couples = app.store().couples(studio).await?;
    let mut out = Calendar::new();
    out.name("Upright Pair");
    for look in &dates.looks {
        let c = &look.correction;
        let Some(on) = c.recheck_on.map(|d| d.to_jiff()) else {
            continue;
        };
        let mut event = entry(
            &format!("look-{}", c.id),
            c.version,
            &format!("{}: {}", c.person, look.name),
            &format!("{}\nTarget: {}", c.cue, c.target),
        );
        all_day(&mut event, on);
        out.push(event.done());
    }
    for lesson in dates.lessons {
        let who: Vec<String> = couples
            .iter()
            .filter(|c| lesson.couples.contains(&c.id))
            .map(|c| format!("{} and {}", c.leader, c.follower))
            .collect();
        let mut event = entry(
            &format!("lesson-{}", lesson.id),
            lesson.version,
            &format!("Lesson: {}", who.join(", ")),
            &format!("{} minutes", lesson.minutes),
        );
        let on = lesson.held_on.to_jiff();
        match lesson.begins_at.map(|t| t.to_jiff()) {
            // The hall's own clock, without a time zone: a lesson at seven is at seven.
            Some(time) => {
                let begin = on.to_datetime(time);
                let end =
                    begin.saturating_add(jiff::Span::new().minutes(i64::from(lesson.minutes)));
                let text = |t: jiff::civil::DateTime| t.strftime("%Y%m%dT%H%M%S").to_string();
                event.append_property(icalendar::Property::new("DTSTART", text(begin)));
                event.append_property(icalendar::Property::new("DTEND", text(end)));
            }
            None => all_day(&mut event, on),
        }
        out.push(event.done());
    }
    if let (Some(name), Some(on)) = (&dates.event, dates.event_on) {
        let mut event = entry(&format!("evening-{}", studio.0), 0, name, "");
        all_day(&mut event, on);
        out.push(event.done());
    }
    Ok(out.to_string())
}

/// Somebody's practice week as a calendar file.
pub fn practice_file(person: Uuid, week: &Week) -> String {
    let mut out = Calendar::new();
    out.name("Practice");
    for day in week.days.iter().filter(|d| !d.items.is_empty()) {
        let minutes: u16 = day.items.iter().map(|i| i.minutes).sum();
        let words: Vec<String> = day
            .items
            .iter()
            .map(|i| {
                let tempo = i
                    .tempo
                    .map_or_else(String::new, |t| format!(", {t} % of the tempo"));
                let caution = i
                    .caution
                    .as_ref()
                    .map_or_else(String::new, |c| format!(" (Caution: {c})"));
                format!("{} min: {}{tempo}{caution}", i.minutes, i.drill)
            })
            .collect();
        let mut event = entry(
            &format!("practice-{person}-{}", day.date),
            0,
            &format!("Practice, {minutes} minutes"),
            &words.join("\n"),
        );
        all_day(&mut event, day.date);
        out.push(event.done());
    }
    out.to_string()
}

/// A calendar as an answer: to be kept as a file, or read by a calendar that subscribes to it.
pub fn text(body: String, name: Option<&str>) -> Response {
    let kind = [(
        header::CONTENT_TYPE,
        "text/calendar; charset=utf-8".to_owned(),
    )];
    match name {
        Some(name) => {
            let file = format!("attachment; filename=\"{name}.ics\"");
            (kind, [(header::CONTENT_DISPOSITION, file)], body).into_response()
        }
        None => (kind, body).into_response(),
    }
}

/// The calendar of everything with a date as an answer.
pub async fn answer(app: &App, studio: StudioId, kept: bool) -> Result<Response, Problem> {
    let body = file(app, studio).await?;
    Ok(text(body, kept.then_some("upright-pair")))
}
