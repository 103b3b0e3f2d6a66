//! Landmarks of a couple from the pictures of a clip: networks, decoding, and who is who from picture
//! to picture. Pictures in, landmarks out; no files but the models, no database, no web.
//!
//! A clip is looked at twice. Small pictures tell where people are ([`Networks::people`]); over the whole
//! clip they become two dancers ([`follow::follow`]); large pictures give each dancer's landmarks, the
//! other one painted out ([`Networks::dancer`]).

mod dancer;
pub mod follow;
pub mod net;
mod people;
pub mod picture;

use std::collections::BTreeMap;
use std::path::Path;

use upright_core::body::Landmark;
use upright_core::body::track::Sight;

pub use dancer::region;
pub use net::{NetError, Scratch};
pub use people::{Person, Window, point};
pub use picture::Picture;

/// What finds people and their landmarks in pictures.
pub trait Finder: Send + Sync {
    /// The people of a part of a picture.
    fn people(
        &self,
        picture: &Picture,
        window: Window,
        scratch: &mut Scratch,
    ) -> Result<Vec<Person>, NetError>;

    /// A dancer's landmarks where a person was found; `None` when nobody is there.
    fn dancer(
        &self,
        picture: &Picture,
        person: &Person,
        partner: Option<&Person>,
        scratch: &mut Scratch,
    ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError>;
}

/// The networks that the program installs.
#[derive(Debug)]
pub struct Networks {
    people: net::Net,
    dancer: net::Net,
}

/// The files in the folder of models.
pub const FILES: [&str; 3] = [
    "movenet-multipose.json",
    "movenet-multipose.bin",
    "pose_landmark_full.tflite",
];

impl Networks {
    /// Reads the networks from the folder that scripts/install.sh fills.
    pub fn read(folder: &Path) -> Result<Self, NetError> {
        let file = |name: &str| {
            let path = folder.join(name);
            std::fs::read(&path).map_err(|error| NetError::Missing {
                path: path.display().to_string(),
                error,
            })
        };
        Ok(Self {
            people: net::tfjs::read(
                &file(FILES[0])?,
                &file(FILES[1])?,
                (people::ENTRY, [people::SIDE, people::SIDE, 3]),
                &people::HEADS,
            )?,
            dancer: net::tflite::read(&file(FILES[2])?, &dancer::OUTPUTS)?,
        })
    }
}

impl Finder for Networks {
    fn people(
        &self,
        picture: &Picture,
        window: Window,
        scratch: &mut Scratch,
    ) -> Result<Vec<Person>, NetError> {
        people::find(&self.people, picture, window, scratch)
    }

    fn dancer(
        &self,
        picture: &Picture,
        person: &Person,
        partner: Option<&Person>,
        scratch: &mut Scratch,
    ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError> {
        dancer::find(&self.dancer, picture, person, partner, scratch)
    }
}
