//! From pictures to the floor: homography, a phone's focal length and place from a reference of
//! known size, and uncertainty carried through.
//!
//! World: floor is Z = 0, metres, right-handed, Z up. Pictures: pixels, origin top left, V down.

pub(crate) mod calibrate;
mod corner;
mod homography;
mod pinhole;
mod propagate;

pub use calibrate::{Calibration, CalibrationError, FloorMark, View, calibrate, calibrate_lens};
pub use corner::{Corner, Grey, Unmoved, corner, unmoved};
pub use homography::{Homography, HomographyError};
pub use pinhole::{Camera, Met};
pub use propagate::{PIXEL_SIGMA, Seen, propagate};
