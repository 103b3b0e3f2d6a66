//! Who is who in a track: finders exchange the two dancers when they cross.
//!
//! Undone by the cheapest path through the frames (Viterbi, A. J. (1967), IEEE Trans. Inf. Theory 13): a
//! dancer does not jump, an exchange is rare, and heights and the figure tell. Exchanged sides of one dancer are found
//! later, against the solved body.

use super::solve::Source;
use super::track::Sighting;
use super::{Landmark, Pose};
use crate::camera::Camera;
use crate::units::Role;
use Landmark as L;

/// Cost of a change between right and exchanged names, and of each frame with exchanged ones: they may stay
/// exchanged until the dancers cross again.
const CHANGE: f64 = 6.0;
const EXCHANGED: f64 = 0.01;

/// By how much dearer exchanged names are where the program itself has followed both dancers through the pictures: on
/// rendered couples it gave two to six sightings in a thousand the other's name.
const FOLLOWED: f64 = 3.0;

/// As far as a dancer comes in a second, metres (1σ), how fast the way changes, metres a second squared, and
/// the error of one sighting.
const PACE: f64 = 1.0;
const CHANGES: f64 = 6.0;
const ERROR: f64 = 0.08;

/// Over a longer gap than this the way before it says nothing, seconds.
const STEADY: f64 = 0.15;

/// Error of a dancer's height from one sighting, metres, and by how much each counts since they are alike
/// from frame to frame.
const HEIGHT_ERROR: f64 = 0.09;
const HEIGHT_WEIGHT: f64 = 0.04;

/// How far the dancers' places beside each other are off what the figure has, metres, and by how much each frame
/// counts.
const FIGURE_ERROR: f64 = 0.35;
const FIGURE_WEIGHT: f64 = 0.12;

/// Cost of a couple that dances the other way along the reference than the figure is drawn, and of names that are
/// exchanged from the first frame on.
const BACKWARDS: f64 = 3.0;
const AT_FIRST: f64 = 3.0;

/// Most squares of one number.
const MOST: f64 = 9.0;

/// By how much each sighting counts beside another film's.
const BESIDE_WEIGHT: f64 = 0.15;

/// Sightings of two films this near are of one moment, seconds.
const GAP: f64 = 0.06;

/// A place is remembered so long, seconds; after that anything may have happened.
const REMEMBERED: f64 = 1.0;

/// A usual standing height, to turn pixels into metres where no camera is known.
const TALL: f64 = 1.7;

/// Where a dancer stands at a moment: seconds, metres on the floor or in the picture, and the standard error
/// of that.
#[derive(Clone, Copy)]
struct Place {
    at: f64,
    point: [f64; 2],
    error: f64,
}

/// Where a name was last, and how it went, metres a second.
#[derive(Clone, Copy)]
struct Last {
    place: Place,
    way: Option<[f64; 2]>,
}

/// What an assignment remembers of each of the two names.
#[derive(Clone)]
struct Memory {
    cost: f64,
    exchanged: bool,
    last: [Option<Last>; 2],
    path: Vec<bool>,
}

/// Cost of coming from the last place to this one.
fn jump(last: Option<&Last>, now: &Place) -> f64 {
    let Some(last) = last else { return 0.0 };
    let gap = now.at - last.place.at;
    if gap > REMEMBERED {
        return 0.0;
    }
    let (way, free) = match last.way {
        Some(way) if gap < STEADY => (way, 0.5 * CHANGES * gap * gap),
        _ => ([0.0; 2], PACE * gap),
    };
    let spread = last.place.error.powi(2) + now.error.powi(2) + free * free;
    let off = [0, 1].map(|k| now.point[k] - last.place.point[k] - gap * way[k]);
    ((off[0].powi(2) + off[1].powi(2)) / spread).min(16.0)
}

fn follow(last: &mut Option<Last>, now: &Place) {
    let way = last.as_ref().and_then(|l| {
        let gap = now.at - l.place.at;
        (gap > 0.0 && gap < STEADY).then(|| {
            let new = [0, 1].map(|k| (now.point[k] - l.place.point[k]) / gap);
            // Single places are too uncertain to say how fast somebody goes.
            l.way
                .map_or(new, |w| [0, 1].map(|k| 0.8 * w[k] + 0.2 * new[k]))
        })
    });
    *last = Some(Last { place: *now, way });
}

/// A frame: the place that each name has, and what else speaks against exchanged names (costs of keeping
/// and of exchanging).
struct Frame {
    places: [Option<Place>; 2],
    against: [f64; 2],
}

/// For each frame whether its two names are exchanged, by the cheapest path, and what that costs. `figure` is
/// what the figure has against each frame, kept and exchanged; `sure` by how much dearer exchanged names are than usual.
fn exchanges(frames: &[Frame], figure: &[[f64; 2]], sure: f64) -> (f64, Vec<bool>) {
    let start = |exchanged| Memory {
        cost: 0.0,
        exchanged,
        last: [None, None],
        path: Vec::new(),
    };
    let mut all = [start(false), start(true)];
    for (frame, figure) in frames.iter().zip(figure) {
        let named = || frame.places.iter().enumerate();
        let step = |to: bool| {
            let from = |m: &Memory| {
                let mut cost = m.cost + frame.against[usize::from(to)] + figure[usize::from(to)];
                if m.path.is_empty() {
                    cost += if to { sure * AT_FIRST } else { 0.0 };
                } else if m.exchanged != to {
                    cost += sure * CHANGE;
                }
                if to {
                    cost += sure * EXCHANGED;
                }
                for (name, place) in named() {
                    if let Some(place) = place {
                        let whose = name ^ usize::from(to);
                        cost += jump(m.last[whose].as_ref(), place);
                    }
                }
                cost
            };
            let costs = [from(&all[0]), from(&all[1])];
            let best = usize::from(costs[1] < costs[0]);
            let mut next = all[best].clone();
            next.cost = costs[best];
            next.exchanged = to;
            for (name, place) in named() {
                if let Some(place) = place {
                    follow(&mut next.last[name ^ usize::from(to)], place);
                }
            }
            next.path.push(to);
            next
        };
        all = [step(false), step(true)];
    }
    let [a, b] = all;
    let best = if b.cost < a.cost { b } else { a };
    (best.cost, best.path)
}

/// Another film of the same dance, put right before: its track, its camera, and how much later its clock is,
/// seconds.
pub type Beside<'a> = (&'a [Sighting], &'a Camera, f64);

/// How far the middle of what is found is off a hand's marks, a share of the dancer's height in the picture (1σ), and
/// how much a mark counts.
const HAND_OFF: f64 = 0.06;
const HAND_WEIGHT: f64 = 10.0;

/// What tells the dancers of a film apart.
#[derive(Default)]
pub struct Told<'a> {
    /// The film's camera: where dancers stand on the floor tells more than where they are in the picture.
    pub camera: Option<&'a Camera>,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// Where another film sees them.
    pub beside: Option<Beside<'a>>,
    /// The way from the leader to the follower as the figure has it at a moment of the film (seconds), metres;
    /// used with the camera only.
    pub apart: Option<&'a dyn Fn(f64) -> [f64; 2]>,
    /// What a hand has marked in the film.
    pub marked: &'a [Pose],
}

/// Undoes exchanges in a track in order of time. Gives the number of frames whose names were exchanged.
pub fn mend(track: &mut [Sighting], told: &Told) -> usize {
    let Told {
        camera,
        heights,
        beside,
        apart: charted,
        marked,
    } = told;
    let (camera, heights) = (*camera, *heights);
    let mut points = track.iter().flat_map(|s| s.points.values());
    let sure = if points.any(|p| p.source == Source::Network) {
        FOLLOWED
    } else {
        1.0
    };
    let mut mended = 0;
    // Frames as index ranges.
    let mut frames: Vec<Vec<usize>> = Vec::new();
    for i in 0..track.len() {
        match frames.last_mut() {
            Some(f) if track[f[0]].at == track[i].at => f.push(i),
            _ => frames.push(vec![i]),
        }
    }
    let places: Vec<Frame> = frames
        .iter()
        .map(|f| {
            let of = |role: Role| f.iter().map(|i| &track[*i]).find(|s| s.role == role);
            let mut against = [0.0; 2];
            let places = Role::BOTH.map(|role| {
                let s = of(role)?;
                for (cost, whose) in against.iter_mut().zip([role, role.partner()]) {
                    *cost += by_hand(s, whose, marked);
                }
                let (middle, error) = stands(s, camera)?;
                if let Some(tall) = camera.and_then(|c| height(s, middle, c)) {
                    for (cost, whose) in against.iter_mut().zip([role, role.partner()]) {
                        let off = (tall - heights[whose as usize]) / HEIGHT_ERROR;
                        *cost += HEIGHT_WEIGHT * (off * off).min(MOST);
                    }
                }
                let place = Place {
                    at: s.at.secs(),
                    point: middle,
                    error,
                };
                if let Some(beside) = beside {
                    for (cost, whose) in against.iter_mut().zip([role, role.partner()]) {
                        *cost += BESIDE_WEIGHT * apart(&place, whose, beside);
                    }
                }
                Some(place)
            });
            Frame { places, against }
        })
        .collect();
    let figure = |way: f64| -> Vec<[f64; 2]> {
        let charted = charted.filter(|_| camera.is_some());
        let of = |f: &Frame| charted.map_or([0.0; 2], |c| off_figure(f, c, way));
        places.iter().map(of).collect()
    };
    let (cost, mut best) = exchanges(&places, &figure(1.0), sure);
    if charted.is_some() {
        let (other, path) = exchanges(&places, &figure(-1.0), sure);
        if other + BACKWARDS < cost {
            best = path;
        }
    }
    for (frame, exchanged) in frames.iter().zip(best) {
        if exchanged {
            mended += 1;
            for i in frame {
                track[*i].role = track[*i].role.partner();
            }
        }
    }
    mended
}

/// How badly the way from one dancer to the other agrees with the figure's, with the names as they are and
/// exchanged; `way` is −1 for a couple the other way along the reference.
fn off_figure(frame: &Frame, charted: &dyn Fn(f64) -> [f64; 2], way: f64) -> [f64; 2] {
    let [Some(a), Some(b)] = &frame.places else {
        return [0.0; 2];
    };
    let has = charted(a.at);
    let spread = FIGURE_ERROR.powi(2) + a.error.powi(2) + b.error.powi(2);
    [way, -way].map(|way| {
        let off = [0, 1].map(|k| b.point[k] - a.point[k] - way * has[k]);
        FIGURE_WEIGHT * ((off[0].powi(2) + off[1].powi(2)) / spread).min(MOST)
    })
}

/// How badly a place agrees with where another film sees a dancer.
fn apart(place: &Place, role: Role, (track, camera, later): &Beside) -> f64 {
    let at = place.at - later;
    let k = track.partition_point(|s| s.at.secs() < at - GAP);
    let near = track[k..]
        .iter()
        .take_while(|s| s.at.secs() <= at + GAP)
        .filter(|s| s.role == role)
        .min_by(|a, b| {
            (a.at.secs() - at)
                .abs()
                .total_cmp(&(b.at.secs() - at).abs())
        });
    let Some((there, error)) = near.and_then(|s| stands(s, Some(camera))) else {
        return 0.0;
    };
    let off = [0, 1].map(|k| place.point[k] - there[k]);
    ((off[0].powi(2) + off[1].powi(2)) / (place.error.powi(2) + error.powi(2))).min(16.0)
}

/// What a hand's marks say against a sighting being of this dancer: by the middle of shoulders or hips of which both
/// sides are marked. Hands and feet of the two are too near each other to tell.
fn by_hand(s: &Sighting, role: Role, marked: &[Pose]) -> f64 {
    let middle = |at: &dyn Fn(L) -> Option<[f64; 2]>, [a, b]: [L; 2]| {
        let (p, q) = (at(a)?, at(b)?);
        Some([0, 1].map(|k| 0.5 * (p[k] + q[k])))
    };
    let seen = |l: L| s.points.get(&l).map(|p| p.pixel);
    let tall = s.tall();
    let off = |pose: &Pose| {
        let told = |pair: [L; 2]| {
            let by_hand = middle(&|l| pose.points.get(&l).copied(), pair)?;
            let found = middle(&seen, pair)?;
            let off = (found[0] - by_hand[0]).hypot(found[1] - by_hand[1]);
            Some((off / (HAND_OFF * tall).max(1.0)).powi(2).min(MOST))
        };
        HAND_WEIGHT * L::TRUNK.into_iter().filter_map(told).sum::<f64>()
    };
    s.marked(role, marked).map(off).sum()
}

/// Middle of what is seen of some landmarks, pixels, and the greatest of their standard errors.
fn mean(s: &Sighting, of: &[L]) -> Option<([f64; 2], f64)> {
    let seen: Vec<_> = of.iter().filter_map(|l| s.points.get(l)).collect();
    let n = seen.len() as f64;
    let middle = [0, 1].map(|k| seen.iter().map(|p| p.pixel[k]).sum::<f64>() / n);
    let sigma = seen.iter().map(|p| p.sigma).fold(0.0, f64::max);
    (n > 0.0).then_some((middle, sigma))
}

/// Where a dancer stands, metres on the floor or in the picture, with the standard error.
fn stands(s: &Sighting, camera: Option<&Camera>) -> Option<([f64; 2], f64)> {
    let feet = mean(s, &[L::LeftHeel, L::LeftToe, L::RightHeel, L::RightToe]);
    let hips = mean(s, &[L::LeftHip, L::RightHip]);
    match camera {
        Some(c) => {
            // Looking along the floor, a pixel more or less is far.
            let on = |(p, sigma): ([f64; 2], f64), h: f64, lifts: f64| {
                let q = c.at_height(p.into(), h)?;
                let off = c.at_height([p[0], p[1] + sigma].into(), h)?;
                let up = c.at_height(p.into(), h + lifts)?;
                let error = (off - q).norm().hypot((up - q).norm());
                Some(([q.x, q.y], error.max(ERROR)))
            };
            let feet = feet.and_then(|p| on(p, 0.02, 0.02));
            let hips = hips.and_then(|p| on(p, 0.51 * TALL, 0.05));
            [feet, hips]
                .into_iter()
                .flatten()
                .min_by(|a, b| a.1.total_cmp(&b.1))
        }
        None => {
            let by = metre(s)?;
            hips.or(feet)
                .map(|(p, sigma)| (p.map(|v| v / by), (sigma / by).max(ERROR)))
        }
    }
}

/// Standing height that the nose over the feet speaks of, metres.
fn height(s: &Sighting, feet: [f64; 2], camera: &Camera) -> Option<f64> {
    let ray = camera.ray(s.points.get(&L::Nose)?.pixel.into());
    // Where the sight line passes the upright through the feet.
    let to = [feet[0] - camera.position.x, feet[1] - camera.position.y];
    let flat = ray.x * ray.x + ray.y * ray.y;
    if flat < 1e-6 {
        return None;
    }
    let along = (to[0] * ray.x + to[1] * ray.y) / flat;
    let nose = camera.position.z + along * ray.z;
    // Soft knees and the nose below the crown.
    let tall = nose / 0.91;
    (1.2..2.3).contains(&tall).then_some(tall)
}

/// Pixels of a metre at the dancer, from how tall the sighting is.
fn metre(s: &Sighting) -> Option<f64> {
    let tall = s.tall();
    (tall > 10.0).then_some(tall / (0.95 * TALL))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::Source;
    use crate::body::track::Sight;
    use crate::units::MediaTime;

    fn sight(x: f64, y: f64) -> Sight {
        Sight {
            pixel: [x, y],
            sigma: 3.0,
            source: Source::Automatic,
            about_hips: None,
        }
    }

    /// Somebody upright at a place of the picture.
    fn person(frame: i64, role: Role, x: f64) -> Sighting {
        let points = [(L::Nose, 200.0), (L::LeftHip, 400.0), (L::LeftToe, 700.0)]
            .map(|(l, y)| (l, sight(x, y)))
            .into();
        Sighting {
            at: MediaTime(40_000 * frame),
            role,
            points,
        }
    }

    fn walk() -> Vec<Sighting> {
        (0..50)
            .flat_map(|i| {
                let t = i as f64;
                [
                    person(i, Role::Leader, 400.0 + 3.0 * t),
                    person(i, Role::Follower, 800.0 - 3.0 * t),
                ]
            })
            .collect()
    }

    #[test]
    fn who_was_followed_by_the_program_is_seldom_somebody_else() {
        // Not much speaks for exchanged names: six pictures of a leader who seems to be as tall as the follower is.
        let (from, to) = ([0.0, -5.0, 1.5].into(), [0.0, 0.0, 1.0].into());
        let camera = Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0]);
        let exchanged = |source| {
            let seen = |i: i64, role: Role| {
                let (x, tall) = [(-0.6, 1.55), (0.6, 1.95)][role as usize];
                let points = [(L::Nose, 0.91 * tall), (L::LeftToe, 0.02)].map(|(l, z)| {
                    let q = camera.project([x, 0.0, z].into()).unwrap();
                    let own = sight(q.x, q.y);
                    (l, Sight { source, ..own })
                });
                Sighting {
                    at: MediaTime(40_000 * i),
                    role,
                    points: points.into(),
                }
            };
            let mut track: Vec<Sighting> = (0..6)
                .flat_map(|i| Role::BOTH.map(|role| seen(i, role)))
                .collect();
            let told = Told {
                camera: Some(&camera),
                heights: [1.95, 1.55],
                ..Told::default()
            };
            mend(&mut track, &told)
        };
        assert_eq!(exchanged(Source::Automatic), 6);
        assert_eq!(exchanged(Source::Network), 0);
    }

    #[test]
    fn what_is_right_stays() {
        let mut track = walk();
        assert_eq!(mend(&mut track, &Told::default()), 0);
        assert_eq!(track, walk());
        assert_eq!(mend(&mut [], &Told::default()), 0);
    }

    #[test]
    fn exchanges_are_undone_and_counted() {
        let mut track = walk();
        for s in &mut track {
            if (20..35).contains(&(s.at.0 / 40_000)) {
                s.role = s.role.partner();
            }
        }
        assert_eq!(mend(&mut track, &Told::default()), 15);
        track.sort_by_key(|s| (s.at, s.role));
        assert_eq!(track, walk());
    }

    /// A camera five metres off, and somebody upright at a place on the floor.
    fn phone() -> Camera {
        let (from, to) = ([0.0, -5.0, 1.5], [0.0, 0.0, 0.9]);
        Camera::looking_at(from.into(), to.into(), 0.0, 64.0, [1280.0, 720.0])
    }

    fn stands_at(frame: i64, role: Role, tall: f64, x: f64, y: f64) -> Sighting {
        let camera = phone();
        let heights = [
            (L::Nose, 0.92 * tall),
            (L::LeftHip, 0.51 * TALL),
            (L::RightHip, 0.51 * TALL),
            (L::LeftHeel, 0.02),
            (L::LeftToe, 0.02),
            (L::RightHeel, 0.02),
            (L::RightToe, 0.02),
        ];
        let points = heights
            .into_iter()
            .map(|(l, z)| {
                let q = camera.project([x, y, z].into()).unwrap();
                (l, sight(q.x, q.y))
            })
            .collect();
        Sighting {
            at: MediaTime(80_000 * frame),
            role,
            points,
        }
    }

    /// Two of one height who turn about each other near together, half round in four seconds.
    fn round(frame: i64) -> [[f64; 2]; 2] {
        let (s, c) = (std::f64::consts::PI * frame as f64 / 50.0).sin_cos();
        [[-0.2 * c, -0.2 * s], [0.2 * c, 0.2 * s]]
    }

    fn turning_couple(frames: std::ops::Range<i64>) -> Vec<Sighting> {
        frames
            .flat_map(|i| {
                let [l, f] = round(i);
                [
                    stands_at(i, Role::Leader, 1.7, l[0], l[1]),
                    stands_at(i, Role::Follower, 1.7, f[0], f[1]),
                ]
            })
            .collect()
    }

    #[test]
    fn the_figure_tells_who_is_who_after_a_gap() {
        let truth: Vec<Sighting> = turning_couple(0..20)
            .into_iter()
            .chain(turning_couple(35..50))
            .collect();
        let mut track = truth.clone();
        // After more than a second nobody knows by the places who is who.
        for s in track.iter_mut().filter(|s| s.at.0 >= 35 * 80_000) {
            s.role = s.role.partner();
        }
        let apart = |at: f64| {
            let [l, f] = round((at / 0.08).round() as i64);
            [f[0] - l[0], f[1] - l[1]]
        };
        let camera = phone();
        let told = |apart| Told {
            camera: Some(&camera),
            heights: [1.7, 1.7],
            apart,
            ..Told::default()
        };
        let mut alone = track.clone();
        assert_eq!(mend(&mut alone, &told(None)), 0);
        assert_eq!(mend(&mut track, &told(Some(&apart))), 15);
        track.sort_by_key(|s| (s.at, s.role));
        assert_eq!(track, truth);
        // A couple that dances it the other way along the floor is not exchanged.
        let mut other = truth.clone();
        let backwards = |at: f64| apart(at).map(|v| -v);
        assert_eq!(mend(&mut other, &told(Some(&backwards))), 0);
        assert_eq!(other, truth);
    }

    #[test]
    fn a_mark_by_hand_says_who_is_who() {
        // Alike in height, and named the wrong way round from the first picture on.
        let mut track: Vec<Sighting> = (0..60)
            .flat_map(|i| {
                [
                    stands_at(i, Role::Follower, 1.7, -0.5, 0.0),
                    stands_at(i, Role::Leader, 1.7, 0.5, 0.0),
                ]
            })
            .collect();
        let camera = phone();
        let told = |marked| Told {
            camera: Some(&camera),
            heights: [1.7, 1.7],
            marked,
            ..Told::default()
        };
        assert_eq!(mend(&mut track.clone(), &told(&[])), 0);
        let left = &track[60];
        let marked = Pose {
            role: Role::Leader,
            at: left.at,
            points: left.points.iter().map(|(l, p)| (*l, p.pixel)).collect(),
        };
        // One foot on the partner's is a foot put right.
        let foot = Pose {
            points: [(L::LeftToe, left.points[&L::LeftToe].pixel)].into(),
            ..marked.clone()
        };
        let corrected = [foot];
        assert_eq!(mend(&mut track.clone(), &told(&corrected)), 0);
        assert_eq!(mend(&mut track, &told(std::slice::from_ref(&marked))), 60);
        for s in &track {
            let leads = s.points[&L::LeftHip].pixel[0] < 640.0;
            assert_eq!(s.role == Role::Leader, leads);
        }
    }

    #[test]
    fn the_taller_one_is_known_by_the_height() {
        let mut track: Vec<Sighting> = (0..120)
            .flat_map(|i| {
                // The detector begins with the names the wrong way round.
                [
                    stands_at(i, Role::Follower, 1.86, -0.5, 0.0),
                    stands_at(i, Role::Leader, 1.60, 0.5, 0.0),
                ]
            })
            .collect();
        let camera = phone();
        let told = Told {
            camera: Some(&camera),
            heights: [1.86, 1.60],
            ..Told::default()
        };
        assert_eq!(mend(&mut track, &told), 120);
        assert!(track.iter().step_by(2).all(|s| s.role == Role::Leader));
    }

    #[test]
    fn who_comes_back_after_a_while_is_known_by_the_place() {
        let mut track = walk();
        // The follower is lost for half a second and comes back with the leader's name, the leader unseen.
        track.retain(|s| {
            let i = s.at.0 / 40_000;
            let unseen = match s.role {
                Role::Follower => 20..30,
                Role::Leader => 30..34,
            };
            !unseen.contains(&i)
        });
        for s in &mut track {
            let i = s.at.0 / 40_000;
            if s.role == Role::Follower && (30..34).contains(&i) {
                s.role = Role::Leader;
            }
        }
        assert_eq!(mend(&mut track, &Told::default()), 4);
    }
}
