//! Observed steps joined to charted ones.

mod align;

pub use align::{AlignedStep, ChartedStep, Outcome, align};
