//! Takes as JSON documents: everything needed to measure one without a database.
//!
//! The document's schema is published in `docs/formats/take.schema.json`; readers accept this version and
//! older ones.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{Film, Take, angle};
use crate::body::Pose;
use crate::body::solve::Source;
use crate::body::track::{Sight, Sighting};
use crate::camera::PIXEL_SIGMA;
use crate::chart::exchange::json_error;
use crate::chart::{Chart, Draft, Shelf};
use crate::fault::Rules;
use crate::marks::{AngleMarks, CountSource, FloorReference, Marks, StepMark};
use crate::measure::CoupleBody;
use crate::units::Role;

/// Name of the format.
pub const FORMAT: &str = "upright-pair/take";

/// Version that is written.
pub const VERSION: u32 = 1;

/// Longest document, bytes.
pub const MOST_BYTES: usize = 200_000_000;

/// Most cameras of a take.
pub const MOST_CAMERAS: usize = 4;

/// Most frames with landmarks of one camera: an hour at 60 a second.
const MOST_FRAMES: usize = 216_000;

/// A document of one take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Document {
    /// Always `upright-pair/take`.
    #[cfg_attr(feature = "schema", schemars(extend("const" = "upright-pair/take")))]
    pub format: String,
    /// Version of the format.
    #[cfg_attr(feature = "schema", schemars(range(min = 1, max = 1)))]
    pub version: u32,
    /// The figure danced.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub figure: Option<Figure>,
    /// How often it is danced, 1 to 64.
    #[serde(default = "once")]
    pub repetitions: u32,
    /// Where `&` falls in its beat, 0.5..0.75; the figure's own when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub swing: Option<f64>,
    /// The count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub count: Option<CountSource>,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// Separation at which the arm shape goes, metres, where it was found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame_limit: Option<f64>,
    /// Arrivals that somebody has marked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<StepMark>,
    /// The cameras, one to four; the first one's clip keeps the take's time.
    pub cameras: Vec<Camera>,
}

fn once() -> u32 {
    1
}

/// A figure by its name in the library, or written out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub enum Figure {
    /// Id in the library.
    Named(String),
    /// The figure itself.
    Whole(Box<Draft>),
}

/// What one camera saw.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Camera {
    /// Width and height of the frames, pixels.
    pub picture: [f64; 2],
    /// Seconds of the take at the clip's first frame.
    #[serde(default)]
    pub offset: f64,
    /// Focal length of a full frame's lens that sees as much, millimetres, where the file told it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub full_frame_focal: Option<f64>,
    /// The floor reference in this picture; the same one in every camera.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub floor: Option<FloorReference>,
    /// Landmarks, frame by frame: the hand's and those found otherwise.
    #[serde(default)]
    pub landmarks: Vec<Sighting>,
}

/// Why a document cannot be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum TakeError {
    /// Not JSON, or not this document.
    #[error("Line {line}, column {column}: {what}.")]
    Read {
        /// From 1.
        line: usize,
        /// From 1.
        column: usize,
        /// What is wrong.
        what: String,
    },
    /// Something else.
    #[error("This is a document of “{0}”, not of a take.")]
    OtherFormat(String),
    /// Written by a newer program.
    #[error("This document has version {0}; this program reads up to version {VERSION}.")]
    Newer(u32),
    /// Too long.
    #[error(
        "A take holds at most {MOST_BYTES} bytes, {MOST_CAMERAS} cameras and {MOST_FRAMES} frames of a camera."
    )]
    TooLong,
    /// No camera.
    #[error("A take needs at least one camera.")]
    NoCamera,
    /// A number that cannot be.
    #[error("{0}")]
    Number(String),
    /// The figure does not stand.
    #[error("The figure in the document: {0}")]
    Figure(String),
}

/// A document that has passed the checks, ready to be computed with.
#[derive(Debug, Clone)]
pub struct Opened {
    /// What was marked.
    pub marks: Marks,
    /// The couple.
    pub couple: CoupleBody,
    /// The films.
    pub films: Vec<Film>,
    /// The library with the document's own figure.
    pub shelf: Shelf,
}

impl Opened {
    /// The take.
    pub fn take(&self) -> Take<'_> {
        Take {
            marks: &self.marks,
            couple: self.couple,
            films: &self.films,
            shelf: &self.shelf,
            rules: Rules::usual(),
        }
    }
}

/// Reads a document.
pub fn read(json: &str) -> Result<Document, TakeError> {
    if json.len() > MOST_BYTES {
        return Err(TakeError::TooLong);
    }
    let d: Document = serde_json::from_str(json).map_err(|e| {
        let (line, column, what) = json_error(&e);
        TakeError::Read { line, column, what }
    })?;
    if d.format != FORMAT {
        return Err(TakeError::OtherFormat(d.format));
    }
    if d.version == 0 || d.version > VERSION {
        return Err(TakeError::Newer(d.version));
    }
    Ok(d)
}

fn within(what: &str, value: f64, low: f64, high: f64) -> Result<(), TakeError> {
    if (low..=high).contains(&value) {
        Ok(())
    } else {
        Err(TakeError::Number(format!(
            "{what} must be between {low} and {high}; the document says {value}."
        )))
    }
}

impl Document {
    /// Checks the document and lays it out for computing; `shelf` is where a named figure is looked up.
    pub fn open(self, shelf: Shelf) -> Result<Opened, TakeError> {
        if self.cameras.is_empty() {
            return Err(TakeError::NoCamera);
        }
        if self.cameras.len() > MOST_CAMERAS {
            return Err(TakeError::TooLong);
        }
        for h in self.heights {
            within("A standing height in metres", h, 1.0, 2.4)?;
        }
        if let Some(l) = self.frame_limit {
            within("The frame limit in metres", l, 0.3, 2.5)?;
        }
        within(
            "The number of repetitions",
            f64::from(self.repetitions),
            1.0,
            64.0,
        )?;
        if let Some(s) = self.swing {
            within("The swing", s, 0.5, 0.75)?;
        }
        let mut shelf = shelf;
        let chart = match self.figure {
            None => None,
            Some(Figure::Named(id)) => {
                if shelf.get(&id).is_none() {
                    return Err(TakeError::Figure(format!(
                        "there is no figure “{id}” in the library. Write it into the document instead."
                    )));
                }
                Some(id)
            }
            Some(Figure::Whole(draft)) => {
                let chart = Chart::new(*draft).map_err(|problems| {
                    let all: Vec<String> = problems.iter().map(|p| p.sentence.clone()).collect();
                    TakeError::Figure(all.join(" "))
                })?;
                let id = chart.id.clone();
                if crate::chart::chart(&id).is_some_and(|known| known.draft() != chart.draft()) {
                    return Err(TakeError::Figure(format!(
                        "“{id}” is another figure in the library. Give this one its own name."
                    )));
                }
                shelf = Shelf::new(vec![chart]);
                Some(id)
            }
        };
        let mut marks = Marks {
            chart,
            repetitions: self.repetitions,
            swing: self.swing,
            count: self.count,
            steps: self.steps,
            ..Marks::default()
        };
        marks.steps.sort_by_key(|s| (s.at, s.role));
        let mut films = Vec::new();
        for (i, camera) in self.cameras.into_iter().enumerate() {
            let (film, floor, poses) = camera.open()?;
            films.push(film);
            if i == 0 {
                (marks.floor, marks.poses) = (floor, poses);
            } else {
                marks
                    .angles
                    .insert(i as u8 + 1, AngleMarks { floor, poses });
            }
        }
        Ok(Opened {
            marks,
            couple: CoupleBody {
                heights: self.heights,
                frame_limit: self.frame_limit,
            },
            films,
            shelf,
        })
    }

    /// The document of a take. A figure of the library goes by its name, another one is written out.
    pub fn of(take: &Take) -> Self {
        let marks = take.marks;
        let figure = marks.chart.as_ref().map(|id| {
            let own = take
                .shelf
                .get(id)
                .filter(|_| crate::chart::chart(id).is_none());
            own.map_or_else(
                || Figure::Named(id.clone()),
                |c| Figure::Whole(Box::new(c.draft().clone())),
            )
        });
        let cameras = take.films.iter().enumerate().map(|(i, film)| {
            let floor = take.marks.floor_on(angle(i));
            let poses = take.marked(i);
            let mut landmarks = film.track.clone();
            for pose in poses {
                let at = landmarks
                    .iter_mut()
                    .find(|s| s.at == pose.at && s.role == pose.role);
                let hand = pose.points.iter().map(|(l, pixel)| {
                    let sight = Sight {
                        pixel: *pixel,
                        sigma: PIXEL_SIGMA,
                        source: Source::Hand,
                        about_hips: None,
                    };
                    (*l, sight)
                });
                match at {
                    Some(s) => s.points.extend(hand),
                    None => landmarks.push(Sighting {
                        at: pose.at,
                        role: pose.role,
                        points: hand.collect(),
                    }),
                }
            }
            landmarks.sort_by_key(|s| (s.at, s.role));
            Camera {
                picture: film.picture,
                offset: film.offset,
                full_frame_focal: film.full_frame_focal,
                floor,
                landmarks,
            }
        });
        Self {
            format: FORMAT.into(),
            version: VERSION,
            figure,
            repetitions: marks.repetitions.max(1),
            swing: marks.swing,
            count: marks.count.clone(),
            heights: take.couple.heights,
            frame_limit: take.couple.frame_limit,
            steps: marks.steps.clone(),
            cameras: cameras.collect(),
        }
    }

    /// As text.
    pub fn write(&self) -> String {
        serde_json::to_string(self).unwrap_or_default()
    }
}

impl Camera {
    /// The film with what was found, the floor, and what a hand has marked.
    fn open(self) -> Result<(Film, Option<FloorReference>, Vec<Pose>), TakeError> {
        for v in self.picture {
            within("A picture's width or height in pixels", v, 16.0, 16_384.0)?;
        }
        within(
            "A camera's offset in seconds",
            self.offset,
            -3_600.0,
            3_600.0,
        )?;
        if let Some(f) = &self.floor {
            within("The reference's length in metres", f.length, 0.2, 30.0)?;
            within("The reference's width in metres", f.width, 0.2, 30.0)?;
        }
        if self.landmarks.len() > 2 * MOST_FRAMES {
            return Err(TakeError::TooLong);
        }
        let mut track: BTreeMap<_, Sighting> = BTreeMap::new();
        let mut poses: BTreeMap<_, Pose> = BTreeMap::new();
        for s in self.landmarks {
            check(&s)?;
            for (landmark, sight) in s.points {
                if sight.source == Source::Hand {
                    let pose = poses.entry((s.at, s.role)).or_insert_with(|| Pose {
                        role: s.role,
                        at: s.at,
                        points: BTreeMap::new(),
                    });
                    pose.points.insert(landmark, sight.pixel);
                } else {
                    let found = track.entry((s.at, s.role)).or_insert_with(|| Sighting {
                        at: s.at,
                        role: s.role,
                        points: BTreeMap::new(),
                    });
                    found.points.insert(landmark, sight);
                }
            }
        }
        let film = Film {
            picture: self.picture,
            offset: self.offset,
            full_frame_focal: self.full_frame_focal,
            track: track.into_values().collect(),
        };
        Ok((film, self.floor, poses.into_values().collect()))
    }
}

/// Refuses what no landmark can be, and says where.
pub(super) fn check(s: &Sighting) -> Result<(), TakeError> {
    let who = match s.role {
        Role::Leader => "leader",
        Role::Follower => "follower",
    };
    let at = s.at.secs();
    within("A frame's time in seconds", at, 0.0, 7_200.0)?;
    for (l, p) in &s.points {
        let ok = p.pixel.iter().all(|v| v.is_finite() && v.abs() <= 50_000.0)
            && p.sigma.is_finite()
            && p.sigma > 0.0
            && p.sigma <= 5_000.0
            && p.about_hips
                .is_none_or(|a| a.iter().all(|v| v.is_finite() && v.abs() < 10.0));
        if !ok {
            return Err(TakeError::Number(format!(
                "At {at:.3} s the {who}'s {l:?} has a place or a standard error that cannot be: {:?} ± {}.",
                p.pixel, p.sigma
            )));
        }
    }
    Ok(())
}

/// The document's JSON Schema.
#[cfg(feature = "schema")]
pub fn schema() -> serde_json::Value {
    schemars::schema_for!(Document).to_value()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::Landmark;
    use crate::units::MediaTime;

    fn example() -> Document {
        let sight = |x: f64, source| Sight {
            pixel: [x, 300.0],
            sigma: 3.0,
            source,
            about_hips: None,
        };
        let points = BTreeMap::from([
            (Landmark::LeftHip, sight(600.0, Source::Imported)),
            (Landmark::RightHip, sight(620.0, Source::Hand)),
        ]);
        Document {
            format: FORMAT.into(),
            version: VERSION,
            figure: Some(Figure::Named("shag-basic".into())),
            repetitions: 2,
            swing: None,
            count: Some(CountSource::Tempo {
                bpm: 118.0,
                one: MediaTime(1_000_000),
            }),
            heights: [1.8, 1.65],
            frame_limit: Some(1.2),
            steps: Vec::new(),
            cameras: vec![Camera {
                picture: [1280.0, 720.0],
                offset: 0.0,
                full_frame_focal: None,
                floor: None,
                landmarks: vec![Sighting {
                    at: MediaTime(40_000),
                    role: Role::Follower,
                    points,
                }],
            }],
        }
    }

    #[test]
    fn a_take_survives_the_way_out_and_back() {
        let d = example();
        assert_eq!(read(&d.write()).unwrap(), d);
        let opened = d.clone().open(Shelf::default()).unwrap();
        assert_eq!(
            opened.films[0].track[0].points.len(),
            1,
            "the hand's mark is no track"
        );
        assert_eq!(
            opened.marks.poses[0].points[&Landmark::RightHip],
            [620.0, 300.0]
        );
        let again = Document::of(&opened.take());
        // A mark of the hand has the hand's standard error.
        let mut same = d;
        let hand = same.cameras[0].landmarks[0]
            .points
            .get_mut(&Landmark::RightHip)
            .unwrap();
        hand.sigma = PIXEL_SIGMA;
        assert_eq!(again, same);
    }

    #[test]
    fn what_is_wrong_is_said() {
        let said = |change: fn(&mut Document)| {
            let mut d = example();
            change(&mut d);
            match d.open(Shelf::default()) {
                Err(e) => e.to_string(),
                Ok(_) => "nothing".into(),
            }
        };
        assert!(said(|d| d.cameras.clear()).contains("at least one camera"));
        assert!(said(|d| d.heights[0] = 18.0).contains("between 1 and 2.4"));
        assert!(
            said(|d| d.figure = Some(Figure::Named("none".into()))).contains("no figure “none”")
        );
        let broken = |d: &mut Document| {
            let s = &mut d.cameras[0].landmarks[0];
            s.points.get_mut(&Landmark::LeftHip).unwrap().sigma = 0.0;
        };
        assert!(said(broken).contains("At 0.040 s the follower's LeftHip"));
        assert!(read("{}").unwrap_err().to_string().starts_with("Line 1"));
        let newer = example().write().replace("\"version\":1", "\"version\":9");
        assert!(matches!(read(&newer), Err(TakeError::Newer(9))));
    }
}
