//! The beginning of a long take: whole repetitions that are worked out in a fraction of the time, for a first look
//! while the rest still is.

use super::{Film, Take};
use crate::marks::Marks;
use crate::measure::lay_grid;
use crate::units::MediaTime;

/// About so much of a take is its beginning, seconds.
const BEGINNING: f64 = 24.0;

/// A take that goes on for less than this is worked out at once, seconds.
const LONG: f64 = 40.0;

/// What the pictures show before the first count and after the last one still tells of these, seconds.
const AROUND: f64 = 1.0;

/// The first repetitions of a take.
#[derive(Debug, Clone, PartialEq)]
pub struct Beginning {
    /// How many.
    pub repetitions: u32,
    marks: Marks,
    films: Vec<Film>,
}

impl Take<'_> {
    /// Its first repetitions, where the dancers were followed through many more.
    pub fn beginning(&self) -> Option<Beginning> {
        let marks = self.marks;
        let chart = self.shelf.get(marks.chart.as_deref()?)?;
        let grid = lay_grid(marks, marks.swing(chart.swing)).ok()?;
        let begins = |repetition| grid.time_of_count(chart.pattern(), repetition, 0);
        let first = begins(0)?;
        let long = begins(marks.repetitions)?.since(first);
        if !self.tracked() || long < LONG {
            return None;
        }
        let within = |k: &u32| begins(*k).is_some_and(|at| at.since(first) <= BEGINNING);
        let repetitions = (1..marks.repetitions)
            .take_while(within)
            .last()
            .unwrap_or(1);
        if repetitions >= marks.repetitions {
            return None;
        }
        let (from, to) = (first.secs() - AROUND, begins(repetitions)?.secs() + AROUND);
        let inside = |at: MediaTime, offset: f64| (from..=to).contains(&(at.secs() + offset));
        let mut own = Marks {
            repetitions,
            ..marks.clone()
        };
        own.steps.retain(|s| inside(s.at, 0.0));
        own.poses.retain(|p| inside(p.at, 0.0));
        let films = self.films.iter().enumerate().map(|(i, film)| {
            if let Some(angle) = own.angles.get_mut(&super::angle(i)) {
                angle.poses.retain(|p| inside(p.at, film.offset));
            }
            let track = film.track.iter().filter(|s| inside(s.at, film.offset));
            Film {
                track: track.cloned().collect(),
                ..*film
            }
        });
        let films = films.collect();
        Some(Beginning {
            repetitions,
            marks: own,
            films,
        })
    }
}

impl Beginning {
    /// It as a take of its own, of the couple of the whole one.
    pub fn take<'a>(&'a self, whole: &Take<'a>) -> Take<'a> {
        Take {
            marks: &self.marks,
            films: &self.films,
            ..*whole
        }
    }
}
