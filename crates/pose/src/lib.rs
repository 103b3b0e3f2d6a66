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
pub mod sure;

use std::collections::BTreeMap;
use std::path::Path;

use upright_core::body::Landmark;
use upright_core::body::track::Sight;

pub use dancer::region;
pub use net::NetError;
pub use people::{Person, Window, point};
pub use picture::Picture;

/// What finds people and their landmarks in pictures.
pub trait Finder: Send + Sync {
    /// The people of a part of a picture.
    fn people(&self, picture: &Picture, window: Window) -> Result<Vec<Person>, NetError>;

    /// The people of a picture, two if they can be found: in the window where they were a moment ago,
    /// behind the one who was found there, who is painted over for it, and at last in all of the picture.
    fn couple(&self, picture: &Picture, window: Option<Window>) -> Result<Vec<Person>, NetError> {
        let whole = Window::whole(picture);
        let first = window.unwrap_or(whole);
        let mut people = self.people(picture, first)?;
        if let [one] = people[..] {
            let near = Window::about(&people, picture).unwrap_or(first);
            let rest = picture.without(&one.capsules(1.0));
            let behind = self.people(&rest, near)?;
            let other = behind.into_iter().filter(|p| !p.is(&one));
            people.extend(other.max_by(|a, b| a.score.total_cmp(&b.score)));
        }
        if people.len() < 2 && first != whole {
            let far = self.people(picture, whole)?;
            if far.len() > people.len() {
                people = far;
            }
        }
        Ok(people)
    }

    /// A dancer's landmarks where a person was found; `None` when nobody is there.
    fn dancer(
        &self,
        picture: &Picture,
        person: &Person,
        partner: Option<&Person>,
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
    fn people(&self, picture: &Picture, window: Window) -> Result<Vec<Person>, NetError> {
        people::find(&self.people, picture, window)
    }

    fn dancer(
        &self,
        picture: &Picture,
        person: &Person,
        partner: Option<&Person>,
    ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError> {
        dancer::find(&self.dancer, picture, person, partner)
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Mutex;

    use super::*;

    /// Sees a dark body in the middle of a picture, and a lighter one behind it once that is gone. Notes
    /// where it looked.
    #[derive(Default)]
    struct Eye {
        looked: Mutex<Vec<f64>>,
        blind: bool,
    }

    fn person(x: f64) -> Person {
        let mut points = [[x, 60.0]; 17];
        points[point::NOSE] = [x, 20.0];
        for k in point::HIPS {
            points[k] = [x, 62.0];
        }
        for k in point::SHOULDERS {
            points[k] = [x, 40.0];
        }
        for k in point::ANKLES {
            points[k] = [x, 100.0];
        }
        Person {
            points,
            scores: [0.9; 17],
            score: 0.8,
            colour: [0.0; 6],
        }
    }

    impl Finder for Eye {
        fn people(&self, picture: &Picture, window: Window) -> Result<Vec<Person>, NetError> {
            self.looked.lock().unwrap().push(window.side);
            let dark = picture.at(60, 50)[0] < 10.0;
            Ok(match (self.blind, dark) {
                (true, _) => Vec::new(),
                (_, true) => vec![person(60.0)],
                // The one who was painted over is seen once more, beside the other one.
                _ => vec![person(61.0), person(90.0)],
            })
        }

        fn dancer(
            &self,
            _: &Picture,
            _: &Person,
            _: Option<&Person>,
        ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError> {
            Ok(None)
        }
    }

    fn scene() -> Picture {
        let (width, height) = (160, 120);
        let mut rgb = vec![200; 3 * width * height];
        for y in 15..105 {
            for x in 57..63 {
                rgb[3 * (y * width + x)..3 * (y * width + x) + 3].fill(0);
            }
        }
        Picture::new(width, height, rgb).unwrap()
    }

    #[test]
    fn a_partner_behind_is_found_when_the_one_in_front_is_painted_over() {
        let eye = Eye::default();
        let found = eye.couple(&scene(), None).unwrap();
        assert_eq!(found, [person(60.0), person(90.0)]);
        // All of the picture, then near the one who was found.
        let looked = eye.looked.into_inner().unwrap();
        assert_eq!(looked.len(), 2);
        assert!(looked[0] == 160.0 && looked[1] < 160.0, "{looked:?}");
    }

    #[test]
    fn whoever_left_the_window_is_looked_for_in_all_of_the_picture() {
        let eye = Eye {
            blind: true,
            ..Eye::default()
        };
        let window = Window {
            left: 100.0,
            top: 0.0,
            side: 50.0,
        };
        let none = eye.couple(&scene(), Some(window));
        assert_eq!(none.unwrap(), []);
        assert_eq!(eye.looked.into_inner().unwrap(), [50.0, 160.0]);
    }
}
