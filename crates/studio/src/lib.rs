//! A simulated dance hall: couples, a phone, a picture and a sound, all with known truth.
//!
//! [`Scenario`] (what is danced, how well, filmed from where) → [`Performance`] (two articulated
//! bodies at any moment) → [`Truth`] and marks as a coach would set them, pictures, sound.
//! Deterministic by seed. No files, no processes: bytes and values only.

mod body;
mod dance;
mod detector;
mod export;
mod fault;
mod known;
mod marks;
mod motion;
mod nature;
mod render;
mod scenario;
mod sound;
mod truth;
mod watcher;

pub use body::Body;
pub use dance::Arrival;
pub use detector::{Detected, Detector, Seen, detect, track};
pub use export::{bvh, detection_table, landmark_table};
pub use fault::{By, Showable, Shown, showable};
pub use known::known;
pub use marks::{Hand, marks};
pub use motion::Performance;
pub use render::Renderer;
pub use scenario::{Danced, Phone, Scenario, ScenarioError};
pub use sound::{Music, Sound, soundtrack};
pub use truth::{CountTruth, FindingTruth, FootTruth, Truth};
pub use watcher::Watcher;
