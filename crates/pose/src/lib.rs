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
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use upright_core::body::Landmark;
use upright_core::body::track::Sight;

pub use dancer::region;
pub use net::NetError;
pub use people::{Person, Window, point};
pub use picture::Picture;

/// How much work a look at a dancer is worth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Effort {
    /// The usual network.
    #[default]
    Usual,
    /// A larger one, which takes about three times as long.
    Harder,
}

/// What finds people and their landmarks in pictures.
pub trait Finder: Send + Sync {
    /// The people of a part of a picture.
    fn people(&self, picture: &Picture, window: Window) -> Result<Vec<Person>, NetError>;

    /// Everybody in a picture. Looked for in the window where the couple was a moment ago, and in all of the picture where
    /// that is asked for, where there is no window, and where the window does not show two; whoever is found in both
    /// is the window's, which shows more of them. Where one dancer only is found, somebody may be hidden: that one is
    /// painted over and looked behind.
    fn crowd(
        &self,
        picture: &Picture,
        window: Option<Window>,
        whole: bool,
    ) -> Result<Vec<Person>, NetError> {
        let all = Window::whole(picture.size());
        let near = window.filter(|w| *w != all);
        let mut people = match near {
            Some(w) => self.people(picture, w)?,
            None => Vec::new(),
        };
        if whole || people.len() < 2 {
            people = people::merged(people, self.people(picture, all)?);
        }
        let inside = |p: &&Person| near.is_none_or(|w| w.holds(p));
        let couple: Vec<&Person> = people.iter().filter(inside).collect();
        if let [one] = couple[..] {
            let painted = one.capsules(1.0);
            let place = Window::about(&[*one], picture.size())
                .or(near)
                .unwrap_or(all);
            let found = self.people(&picture.without(&painted), place)?;
            let others = found
                .into_iter()
                .filter(|p| p.shows_beside(&painted) && !people.iter().any(|q| p.is(q)));
            let behind = others.max_by(|a, b| a.score.total_cmp(&b.score));
            people.extend(behind.map(|p| Person { behind: true, ..p }));
        }
        Ok(people)
    }

    /// A part of a picture looked at again for somebody who is missing there: as it is, and behind who is known to be
    /// there.
    fn again(
        &self,
        picture: &Picture,
        window: Window,
        there: Option<&Person>,
    ) -> Result<Vec<Person>, NetError> {
        let seen = self.people(picture, window)?;
        let Some(one) = there else { return Ok(seen) };
        let painted = one.capsules(1.0);
        let found = self.people(&picture.without(&painted), window)?;
        let behind = found
            .into_iter()
            .filter(|p| p.shows_beside(&painted) && !p.is(one));
        let behind = behind.map(|p| Person { behind: true, ..p });
        Ok(people::merged(seen, behind.collect()))
    }

    /// A dancer's landmarks where a person was found; `None` when nobody is there.
    fn dancer(
        &self,
        picture: &Picture,
        person: &Person,
        partner: Option<&Person>,
        effort: Effort,
    ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError>;
}

/// The networks that the program installs.
#[derive(Debug)]
pub struct Networks {
    people: net::Net,
    dancer: net::Net,
    /// The larger one, read when it is first asked for.
    harder: OnceLock<net::Net>,
    folder: PathBuf,
}

/// The files in the folder of models.
pub const FILES: [&str; 4] = [
    "movenet-multipose.json",
    "movenet-multipose.bin",
    "pose_landmark_full.tflite",
    "pose_landmark_heavy.tflite",
];

fn file(folder: &Path, name: &str) -> Result<Vec<u8>, NetError> {
    let path = folder.join(name);
    std::fs::read(&path).map_err(|error| NetError::Missing {
        path: path.display().to_string(),
        error,
    })
}

impl Networks {
    /// Reads the networks from the folder that scripts/install.sh fills.
    pub fn read(folder: &Path) -> Result<Self, NetError> {
        let file = |name: &str| file(folder, name);
        Ok(Self {
            people: net::tfjs::read(
                &file(FILES[0])?,
                &file(FILES[1])?,
                (people::ENTRY, [people::SIDE, people::SIDE, 3]),
                &people::HEADS,
            )?,
            dancer: net::tflite::read(&file(FILES[2])?, &dancer::OUTPUTS)?,
            harder: OnceLock::new(),
            folder: folder.to_owned(),
        })
    }

    fn harder(&self) -> Result<&net::Net, NetError> {
        if let Some(net) = self.harder.get() {
            return Ok(net);
        }
        let net = net::tflite::read(&file(&self.folder, FILES[3])?, &dancer::OUTPUTS)?;
        Ok(self.harder.get_or_init(|| net))
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
        effort: Effort,
    ) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError> {
        let net = match effort {
            Effort::Usual => &self.dancer,
            Effort::Harder => self.harder()?,
        };
        dancer::find((net, effort), picture, person, partner)
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
            behind: false,
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
            _: Effort,
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
        let found = eye.crowd(&scene(), None, true).unwrap();
        let behind = Person {
            behind: true,
            ..person(90.0)
        };
        assert_eq!(found, [person(60.0), behind]);
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
        let none = eye.crowd(&scene(), Some(window), false);
        assert_eq!(none.unwrap(), []);
        assert_eq!(eye.looked.into_inner().unwrap(), [50.0, 160.0]);
    }
}
