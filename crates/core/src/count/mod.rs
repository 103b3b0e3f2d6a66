//! Musical time: the pattern of counts in a figure, the beat fitted to taps, the grid that joins
//! counts to media time.

mod grid;
mod pattern;
mod taps;

pub use grid::{CountGrid, GridError};
pub use pattern::{CountMark, CountPattern, PatternError};
pub(crate) use taps::median;
pub use taps::{TapError, TapFit, fit_taps};
