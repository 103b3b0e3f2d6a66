//! The rules and all computation of Upright Pair.
//!
//! One street, one module a step; each takes the previous step's plain value:
//! [`marks`] (what the coach pointed at) → [`count`] + [`camera`] + [`body`] → [`event`] →
//! [`measure`] → [`judge`] (with the data of [`fault`] and [`chart`]) → [`progress`] and [`plan`].
//! [`analyse::analyse`] walks it from end to end.
//!
//! No I/O, no async, no SQL, no HTTP. Lengths are metres, angles degrees, media time microseconds.
//! Functions fed with a person's data return errors whose text says what to do.

pub mod analyse;
pub mod body;
pub mod camera;
pub mod chart;
pub mod count;
pub mod event;
pub mod fault;
pub mod judge;
pub mod lane;
pub mod marks;
pub mod measure;
pub mod plan;
pub mod progress;
pub mod routine;
pub mod space;
pub mod take;
pub mod units;
