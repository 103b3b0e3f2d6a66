//! Steps seen, and joined to charted ones.

mod align;
mod feet;
mod stands;

pub use align::{AlignedStep, ChartedStep, Outcome, align};
pub use feet::{FootStep, SWING_SIGMA, foot_steps};
