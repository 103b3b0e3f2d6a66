//! Figures written down: what each role does on each count, and what the couple's hands do.
//!
//! A [`Draft`] is a figure as it is written or exchanged. [`Chart::new`] checks it with everything in
//! [`check`] and either gives a [`Chart`] or every problem at its place. Text: [`notation`]; documents:
//! [`exchange`].

pub mod check;
mod draft;
pub mod exchange;
mod facts;
mod layout;
mod library;
pub mod notation;
mod part;
pub mod path;
pub mod place;
pub mod scaled;
mod style;
pub mod vocabulary;

use std::ops::Deref;

pub(crate) use check::is_id;
pub use check::{Place, Problem, Severity};
pub use draft::{Comment, CoupleEntry, Does, Draft, Exception, HoldChange, Start, StepEntry};
pub use facts::{Facts, Handhold};
pub use layout::Layout;
pub use library::{Shelf, chart, charts};
pub use part::ChartRow;
pub use path::{FloorStep, Stance, Stride, Trail, floor_path, start as start_stance, trail};
pub use style::{Family, FreeFoot, Style, style};
pub use vocabulary::{Action, Direction, Hold, Position};

use crate::count::CountPattern;
use crate::units::Role;

/// Reach of two joined, softly bent arms, as a share of the two heights together.
pub const REACH: f64 = 0.37;

/// A figure that has passed the checks. Reads like its draft.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    draft: Draft,
    layout: Layout,
    notes: Vec<Problem>,
    reach: Vec<f64>,
}

impl Chart {
    /// Checks a draft. Gives the chart, or every problem of the draft; advice does not stop it.
    pub fn new(draft: Draft) -> Result<Self, Vec<Problem>> {
        let (layout, problems) = check::check(&draft);
        match layout {
            Some(layout) if problems.iter().all(|p| p.severity != Severity::Stops) => {
                let heights = [place::WRITTEN_FOR; 2];
                let reach = path::moments(&draft, &layout, heights)
                    .iter()
                    .skip(1)
                    .map(|m| path::relation(m).distance / (REACH * 2.0 * place::WRITTEN_FOR))
                    .collect();
                Ok(Self {
                    draft,
                    layout,
                    notes: problems,
                    reach,
                })
            }
            _ => Err(problems),
        }
    }

    /// As it is written.
    pub fn draft(&self) -> &Draft {
        &self.draft
    }

    /// Rows, positions and holds over the counts.
    pub fn layout(&self) -> &Layout {
        &self.layout
    }

    /// Distance of the partners after a count, as a share of the reach of their joined arms.
    pub fn reach(&self, count: usize) -> f64 {
        self.reach.get(count).copied().unwrap_or(0.0)
    }

    /// Advice, and what is allowed by exception.
    pub fn notes(&self) -> &[Problem] {
        &self.notes
    }

    /// The counts of one repetition.
    pub fn pattern(&self) -> &CountPattern {
        &self.layout.pattern
    }

    /// A role's rows, every building block unfolded.
    pub fn rows(&self, role: Role) -> &[ChartRow] {
        &self.layout.rows[role as usize]
    }

    /// Total turn of a role over one repetition, eighths, positive to the left.
    pub fn total_turn(&self, role: Role) -> i32 {
        self.layout.total_turn(role)
    }
}

impl Deref for Chart {
    type Target = Draft;

    fn deref(&self) -> &Draft {
        &self.draft
    }
}
