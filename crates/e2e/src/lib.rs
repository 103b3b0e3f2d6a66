//! A real browser without a window on the real application: what the journeys share.

mod browser;
mod house;
mod wait;

pub use browser::Browser;
pub use house::{House, PASSWORD, simulated_clip};
pub use wait::eventually;
