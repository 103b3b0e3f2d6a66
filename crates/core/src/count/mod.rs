//! Musical time: the pattern of counts in a figure, the beat fitted to taps, the grid that joins
//! counts to media time.

mod beat;
mod grid;
mod pattern;
mod step;
mod taps;
mod wave;

pub use beat::{Ask, HearError, Heard, RATE, Recount, listen};
pub use grid::{CountGrid, GridError};
pub use pattern::{CountMark, CountPattern, PatternError};
pub use step::{InStep, StepError, in_step};
pub(crate) use taps::median;
pub use taps::{TapError, TapFit, fit_taps};
pub use wave::levels;
