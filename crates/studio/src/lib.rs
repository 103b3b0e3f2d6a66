//! A simulated dance hall: couples, a phone, a picture and a sound, all with known truth.
//!
//! [`Scenario`] (what is danced, how well, filmed from where) → [`Performance`] (two articulated
//! bodies at any moment) → [`Truth`] and marks as a coach would set them, pictures, sound.
//! Deterministic by seed. No files, no processes: bytes and values only.

mod body;
mod export;
mod marks;
mod motion;
mod render;
mod scenario;
mod sound;
mod truth;

pub use body::Body;
pub use export::{bvh, landmark_table};
pub use marks::{Hand, marks};
pub use motion::{Arrival, Performance};
pub use render::Renderer;
pub use scenario::{Habits, Phone, Scenario, ScenarioError};
pub use sound::{Music, Sound, soundtrack};
pub use truth::{CountTruth, FootTruth, Truth};
