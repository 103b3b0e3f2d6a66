//! A take: what the cameras of one performance gave, and both dancers' bodies solved from it.

pub mod adviser;
mod beginning;
mod charted;
pub mod exchange;
mod fronts;
pub mod holds;
pub mod import;
mod legs;
pub mod notes;
mod sides;
mod size;
mod spread;
mod stray;
pub mod table;

use std::collections::BTreeMap;

use crate::body::identity::{Told, mend};
use crate::body::solve::{Alone, Bodies, Held, Hint, Instant, Known, Seen, Source, with_holds};
use crate::body::track::{Sight, Sighting, between};
use crate::body::{Landmark, Pose};
use crate::camera::{Calibration, PIXEL_SIGMA, View, calibrate_lens};
use crate::chart::Shelf;
use crate::fault::Rules;
use crate::marks::{Marks, StepMark};
use crate::measure::{CoupleBody, SceneError};
use crate::units::Role;
use Landmark as L;
pub use beginning::Beginning;
pub use charted::Charted;
use holds::Holds;

/// Least time between two instants that are solved where every frame is known, seconds.
const STEP: f64 = 0.078;

/// Frames of a track further apart than this say nothing of what is between, seconds.
const GAP: f64 = 0.12;

/// Marks of two angles this near belong to one instant, seconds.
const TOGETHER: f64 = 0.03;

/// How fast a marked point may move: what a frame's difference between two angles adds to its error,
/// pixels a second.
const MARK_PACE: f64 = 60.0;

/// What must be marked of a body by hand before it is looked for.
const NEEDED: [L; 4] = [L::LeftHip, L::RightHip, L::LeftShoulder, L::RightShoulder];

/// One camera's part.
#[derive(Debug, Clone, PartialEq)]
pub struct Film {
    /// Width and height of the frames, pixels.
    pub picture: [f64; 2],
    /// Seconds of the take at the clip's first frame.
    pub offset: f64,
    /// Focal length of a full frame's lens that sees as much, millimetres, where the phone wrote it into the file.
    pub full_frame_focal: Option<f64>,
    /// Landmarks found in every frame, in order of time.
    pub track: Vec<Sighting>,
}

impl Film {
    /// A film with nothing found in it yet, which begins when the take does.
    pub fn new(picture: [f64; 2]) -> Self {
        Self {
            picture,
            offset: 0.0,
            full_frame_focal: None,
            track: Vec::new(),
        }
    }
}

/// Everything known of a take before anything is computed.
#[derive(Clone, Copy)]
pub struct Take<'a> {
    /// What the coach marked.
    pub marks: &'a Marks,
    /// The couple.
    pub couple: CoupleBody,
    /// The films, the first of which keeps the take's time.
    pub films: &'a [Film],
    /// Where the figure is looked up.
    pub shelf: &'a Shelf,
    /// By what the couple is judged.
    pub rules: &'a Rules,
}

/// The angle that a film shows: the first film is angle 1.
pub(crate) fn angle(film: usize) -> u8 {
    u8::try_from(film + 1).unwrap_or(u8::MAX)
}

impl Take<'_> {
    /// Hand marks of a film.
    fn marked(&self, film: usize) -> &[Pose] {
        if film == 0 {
            &self.marks.poses
        } else {
            let there = self.marks.angles.get(&angle(film));
            there.map_or(&[], |a| a.poses.as_slice())
        }
    }

    /// The calibrated floor of a film, or what is missing.
    pub fn floor(&self, film: usize) -> Result<Calibration, SceneError> {
        let floor = self.marks.floor_on(angle(film)).ok_or(SceneError::Missing(
            "Say how large the floor reference is and mark its four corners.",
        ))?;
        if floor.points[..4].iter().any(Option::is_none) {
            return Err(SceneError::Missing(
                "Mark all four corners of the floor reference.",
            ));
        }
        let shot = self.films.get(film);
        let picture = shot.map_or([1280.0, 720.0], |f| f.picture);
        let view = View::best(floor.view, shot.and_then(|f| f.full_frame_focal));
        calibrate_lens(&floor.marked(), picture, view, floor.bent)
            .map_err(|e| SceneError::Refused(e.to_string()))
    }

    /// From where each calibrated phone looks at the middle of the floor reference: degrees from the
    /// reference's X, counter-clockwise, 0 where it stands on X.
    pub fn bearings(&self) -> Vec<f64> {
        (0..self.films.len())
            .filter_map(|film| self.floor(film).ok())
            .map(|c| c.camera.position.y.atan2(c.camera.position.x).to_degrees())
            .collect()
    }

    /// Whether the program's own networks found the dancers in any film.
    pub fn by_networks(&self) -> bool {
        let tracks = self.films.iter().flat_map(|f| &f.track);
        let mut points = tracks.flat_map(|s| s.points.values());
        points.any(|p| p.source == Source::Network)
    }

    /// Whether any film has a track.
    pub fn tracked(&self) -> bool {
        self.films.iter().any(|f| !f.track.is_empty())
    }
}

/// Both dancers of a take in space.
#[derive(Debug, Clone)]
pub struct Solved {
    /// Bodies by role, or what is missing.
    pub bodies: [Result<Bodies, String>; 2],
    /// Frames in which the dancers' names were exchanged and put right, by film.
    pub mended: Vec<usize>,
    /// The bodies before the dancers' hands were looked at together.
    alone: [Option<Alone>; 2],
    /// Where each one's hands are held, where the figure says so.
    held: [Option<Held>; 2],
    given: [Vec<Instant>; 2],
    cameras: Vec<Calibration>,
    /// Which film each camera took.
    films: Vec<usize>,
}

impl Solved {
    /// A dancer's bodies.
    pub fn of(&self, role: Role) -> Option<&Bodies> {
        self.bodies[role as usize].as_ref().ok()
    }

    /// The calibrated cameras, in the films' order.
    pub fn cameras(&self) -> &[Calibration] {
        &self.cameras
    }

    /// The same, each with the number of its film.
    pub fn filmed(&self) -> impl Iterator<Item = (usize, &Calibration)> {
        self.films.iter().copied().zip(&self.cameras)
    }

    /// Bodies known otherwise than from films.
    pub fn known(bodies: [Bodies; 2]) -> Self {
        Self {
            alone: [None, None],
            held: [None, None],
            bodies: bodies.map(Ok),
            mended: Vec::new(),
            given: [Vec::new(), Vec::new()],
            cameras: Vec::new(),
            films: Vec::new(),
        }
    }
}

/// Solves both dancers. Never fails: what cannot be solved says what to do. A dancer of whom nothing has
/// changed since `before` is not solved again.
pub fn solve_take(take: &Take, before: Option<&Solved>) -> Solved {
    let mut index: Vec<usize> = Vec::new();
    let mut cameras: Vec<Calibration> = Vec::new();
    let mut mended = Vec::new();
    let mut tracks: Vec<Vec<Sighting>> = Vec::new();
    let mut why = None;
    let charted = Charted::of(take);
    for (i, film) in take.films.iter().enumerate() {
        match take.floor(i) {
            Ok(c) => {
                let mut track = film.track.clone();
                size::turn(&mut track, &c.camera);
                let beside = match (tracks.first(), cameras.first(), index.first()) {
                    (Some(t), Some(c), Some(i)) => {
                        let later = take.films[*i].offset - film.offset;
                        Some((t.as_slice(), &c.camera, later))
                    }
                    _ => None,
                };
                let apart = charted
                    .as_ref()
                    .map(|c| |at: f64| c.apart(at + film.offset));
                let told = Told {
                    camera: Some(&c.camera),
                    heights: take.couple.heights,
                    beside,
                    apart: apart.as_ref().map(|a| a as &dyn Fn(f64) -> [f64; 2]),
                    marked: take.marked(i),
                };
                mended.push(mend(&mut track, &told));
                index.push(i);
                cameras.push(c);
                tracks.push(track);
            }
            Err(e) if i == 0 => why = Some(e.to_string()),
            Err(_) => {}
        }
    }
    let mut seen: Vec<sides::Film> = tracks
        .iter_mut()
        .zip(index.iter().zip(&cameras))
        .map(|(track, (i, c))| sides::Film {
            track,
            camera: &c.camera,
            offset: take.films[*i].offset,
            marked: take.marked(*i),
        })
        .collect();
    let figure = charted.as_ref().map(|c| (c, fronts::mend(&mut seen, c).0));
    for film in &mut seen {
        legs::mend(film, figure);
        for role in Role::BOTH {
            stray::drop(film.track, film.camera, role);
            size::stretch(film.track, film.camera, role);
        }
    }
    let given = Role::BOTH.map(|role| instants(take, role, (&index, &tracks), charted.as_ref()));
    let one = |role: Role| {
        if let Some(why) = &why {
            return Err(why.clone());
        }
        let instants = &given[role as usize];
        if instants.is_empty() {
            return Err("Mark hips, shoulders and feet at a count.".to_owned());
        }
        let known = before.filter(|b| b.cameras == cameras).and_then(|b| {
            let own = b.alone[role as usize].as_ref()?;
            Some((b.given[role as usize].as_slice(), own))
        });
        let height = take.couple.height(role);
        known
            .and_then(|(given, own)| own.again(height, &cameras, instants, given))
            .unwrap_or_else(|| Alone::new(height, &cameras, instants))
            .map_err(|e| e.to_string())
    };
    let alone = both(&one);
    let holds = Holds::of(take);
    let held = match &alone {
        [Ok(l), Ok(f)] if holds.known() => [(l, f, Role::Leader), (f, l, Role::Follower)]
            .map(|(own, partner, role)| Some(Held::new(own, partner, |t| holds.grips(role, t)))),
        _ => [None, None],
    };
    let bodies = both(&|role: Role| {
        let own = alone[role as usize].as_ref().map_err(String::clone)?;
        let old = before.filter(|b| b.cameras == cameras).and_then(|b| {
            Some(Known {
                alone: b.alone[role as usize].as_ref()?,
                held: b.held[role as usize].as_ref(),
                bodies: b.of(role)?,
            })
        });
        let held = held[role as usize].as_ref();
        with_holds(&cameras, own, held, old.as_ref()).map_err(|e| e.to_string())
    });
    Solved {
        bodies,
        alone: alone.map(Result::ok),
        held,
        mended,
        given,
        cameras,
        films: index,
    }
}

/// What is worked out for each dancer apart, one on each core.
fn both<T: Send>(one: &(dyn Fn(Role) -> Result<T, String> + Sync)) -> [Result<T, String>; 2] {
    std::thread::scope(|s| {
        let follower = s.spawn(|| one(Role::Follower));
        let leader = one(Role::Leader);
        let broken = |_| Err("The follower could not be worked out.".to_owned());
        [leader, follower.join().unwrap_or_else(broken)]
    })
}

/// What is known of a dancer, instant by instant. `index` are the films with a floor, `tracks` their mended
/// tracks.
fn instants(
    take: &Take,
    role: Role,
    (index, tracks): (&[usize], &[Vec<Sighting>]),
    charted: Option<&Charted>,
) -> Vec<Instant> {
    let own: Vec<Vec<&Sighting>> = tracks
        .iter()
        .map(|t| t.iter().filter(|s| s.role == role).collect())
        .collect();
    // Hand marks first: they set the instants near them.
    let mut out: Vec<Instant> = Vec::new();
    for (camera, film) in index.iter().enumerate() {
        let poses = take.marked(*film);
        let offset = take.films[*film].offset;
        for pose in poses.iter().filter(|p| p.role == role) {
            let at = pose.at.secs() + offset;
            let usable = NEEDED.iter().all(|l| pose.points.contains_key(l));
            let k = out.partition_point(|i| i.at < at - TOGETHER);
            let known = out.get(k).is_some_and(|i| (i.at - at).abs() <= TOGETHER);
            // A few marks say something only beside what others found or another angle shows.
            if !known && !usable && !take.tracked() {
                continue;
            }
            if !known {
                out.insert(k, Instant::new(at));
            }
            let late = (out[k].at - at).abs();
            out[k]
                .seen
                .extend(pose.points.iter().map(|(landmark, pixel)| Seen {
                    camera,
                    landmark: *landmark,
                    pixel: *pixel,
                    sigma: PIXEL_SIGMA.hypot(MARK_PACE * late),
                    source: Source::Hand,
                    carried: 0.0,
                }));
        }
    }
    // The first film's pictures set the pace; where it does not show the dancer, those of the others do.
    let mut near = 0.5 * STEP;
    for (track, film) in own.iter().zip(index).filter(|(t, _)| !t.is_empty()) {
        let mut last = f64::NEG_INFINITY;
        for s in track {
            let at = s.at.secs() + take.films[*film].offset;
            if at - last < STEP {
                continue;
            }
            let k = out.partition_point(|i| i.at < at - near);
            if out.get(k).is_none_or(|i| (i.at - at).abs() > near) {
                out.insert(k, Instant::new(at));
            }
            last = at;
        }
        near = 0.75 * STEP;
    }
    for now in &mut out {
        for (camera, (track, film)) in own.iter().zip(index).enumerate() {
            add(
                now,
                camera,
                &at_moment(track, now.at - take.films[*film].offset),
            );
        }
        if now.seen.iter().any(|s| s.source != Source::Hand) {
            now.floor_sigma = 0.02;
        }
    }
    spread::spread(&mut out);
    let steps: Vec<StepMark> = take
        .marks
        .steps
        .iter()
        .filter(|s| s.role == role)
        .copied()
        .collect();
    for s in &steps {
        let here = out.iter_mut().find(|i| (i.at - s.at.secs()).abs() < 1e-4);
        if let Some(now) = here {
            let risen = charted.is_some_and(|c| c.risen(role, now.at));
            now.planted[s.foot as usize] = [!risen, true];
            now.bore[1 - s.foot as usize] = bore(s, &steps);
        }
    }
    out.retain(|i| !i.seen.is_empty());
    out
}

/// Whether the other foot bore the weight until this one arrives.
fn bore(arrives: &StepMark, steps: &[StepMark]) -> bool {
    let before = steps.iter().filter(|s| s.at < arrives.at);
    let last = before.max_by_key(|s| s.at);
    // A foot that touched bore none, and after a hop from one foot to the same the other is in the air.
    last.is_none_or(|s| s.weight == (s.foot != arrives.foot))
}

/// A track's landmarks at a moment of its own clip.
fn at_moment(track: &[&Sighting], at: f64) -> BTreeMap<L, Sight> {
    let after = track.partition_point(|s| s.at.secs() <= at + 1e-6);
    let before = after.checked_sub(1).map(|i| track[i]);
    let after = track.get(after).copied();
    let near = |s: &Sighting| (s.at.secs() - at).abs() < 2e-3;
    match (before, after) {
        (Some(a), _) if near(a) => a.points.clone(),
        (_, Some(b)) if near(b) => b.points.clone(),
        (Some(a), Some(b)) if b.at.since(a.at) < GAP => {
            let share = (at - a.at.secs()) / b.at.since(a.at);
            let both = a.points.iter().filter_map(|(l, p)| {
                let q = b.points.get(l)?;
                Some((*l, between(p, q, share)))
            });
            both.collect()
        }
        _ => BTreeMap::new(),
    }
}

/// Adds what a track shows to an instant; a mark of the coach's hand outranks it.
fn add(now: &mut Instant, camera: usize, found: &BTreeMap<L, Sight>) {
    for (landmark, s) in found {
        let marked = now
            .seen
            .iter()
            .any(|m| m.camera == camera && m.landmark == *landmark && m.source == Source::Hand);
        let of = if marked {
            &mut now.outranked
        } else {
            &mut now.seen
        };
        of.push(Seen {
            camera,
            landmark: *landmark,
            pixel: s.pixel,
            sigma: s.sigma,
            source: s.source,
            carried: 0.0,
        });
        if let Some(about_hips) = s.about_hips {
            now.hints.push(Hint {
                camera,
                landmark: *landmark,
                about_hips,
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::{Foot, MediaTime};

    #[test]
    fn a_foot_bears_the_weight_until_the_other_one_comes() {
        let step = |at: i64, foot: Foot, weight: bool| StepMark {
            role: Role::Leader,
            foot,
            at: MediaTime(at),
            weight,
        };
        let left = step(1, Foot::Left, true);
        let right = |weight| step(2, Foot::Right, weight);
        for (steps, other_bore) in [
            // Walking, and from a stand.
            (vec![left, right(true)], true),
            (vec![left], true),
            // A touch without weight leaves the other foot standing, and tells nothing of a foot that touched.
            (vec![left, right(false)], true),
            (vec![step(1, Foot::Left, false), right(true)], false),
            // Touched and stepped with the same foot; hopped on it.
            (vec![left, right(false), step(3, Foot::Right, true)], true),
            (vec![left, right(true), step(3, Foot::Right, true)], false),
        ] {
            let arrives = steps.last().unwrap();
            assert_eq!(bore(arrives, &steps), other_bore, "{steps:?}");
        }
    }
}
