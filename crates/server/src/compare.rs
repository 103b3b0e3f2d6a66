//! Then and now as one film: both takes side by side, the earlier one bent in time so that every count falls
//! on the later one's.

use std::path::Path;

use upright_core::body::Landmark;
use upright_core::progress::{ThenNow, then_now};
use upright_core::units::{MediaTime, Role};
use upright_media::{Film, Pictures, cut_sound, encode};
use upright_store::{Clip, ClipState, Store, StudioId};
use uuid::Uuid;

use crate::problem::Problem;
use crate::review::{Review, apart, review};
use crate::{App, intake};

/// Size of each of the two pictures, and the line between them, pixels.
const SIZE: [u32; 2] = [640, 360];
const LINE: u32 = 4;
/// Frames a second.
const FPS: f64 = 25.0;
/// Longest film, seconds.
const LONGEST: f64 = 30.0;
/// A face is hidden by a square of so many dots, this much larger than the shoulders are wide.
const DOTS: u32 = 5;
const WIDE: f64 = 1.6;

/// Two takes of one figure with everything known of them.
pub struct Two {
    /// The earlier one.
    pub then: Review,
    /// The later one.
    pub now: Review,
    /// Laid on each other.
    pub both: ThenNow,
}

/// Reads two takes and lays them on each other.
pub async fn two(app: &App, studio: StudioId, then: Uuid, now: Uuid) -> Result<Two, Problem> {
    let then = review(app, studio, then).await?;
    let now = review(app, studio, now).await?;
    let figure = |r: &Review| r.take.chart.clone();
    if figure(&then).is_none() || figure(&then) != figure(&now) {
        return Err(Problem::invalid("Choose two takes of the same figure."));
    }
    let both = then_now(&then.analysis, &now.analysis);
    Ok(Two { then, now, both })
}

/// The pictures of a clip at given moments that never go back.
struct Reel {
    pictures: Pictures,
    times: Vec<i64>,
    next: usize,
    shown: Vec<u8>,
}

impl Reel {
    fn open(file: &Path, clip: &Clip) -> Result<Self, Problem> {
        Ok(Self {
            pictures: Pictures::open(file, 1, SIZE)?,
            times: clip.frame_times.clone(),
            next: 0,
            shown: Vec::new(),
        })
    }

    async fn at(&mut self, seconds: f64) -> Result<&[u8], Problem> {
        let at = MediaTime::from_secs(seconds).0;
        while self.next == 0 || self.times.get(self.next).is_some_and(|t| *t <= at) {
            match self.pictures.next().await? {
                Some(p) => self.shown = p,
                None => break,
            }
            self.next += 1;
        }
        Ok(&self.shown)
    }
}

/// Where both faces are over time: middle and half the width of what hides them, pixels of the clip's picture.
struct Faces([Vec<(f64, [f64; 3])>; 2]);

impl Faces {
    /// From what was marked or found; refused where a face could stay in view.
    fn of(r: &Review, track: &[(MediaTime, Role, [f64; 3])]) -> Result<Self, Problem> {
        let mut all: [Vec<(f64, [f64; 3])>; 2] = Default::default();
        for (at, role, face) in track {
            all[*role as usize].push((at.secs(), *face));
        }
        for pose in &r.history.marks().poses {
            let at = |l: Landmark| pose.points.get(&l).copied();
            if let Some(face) = face(at) {
                all[pose.role as usize].push((pose.at.secs(), face));
            }
        }
        if all.iter().any(|f| f.len() < 2) {
            return Err(Problem::invalid(
                "Faces can only be hidden where both dancers' heads and shoulders are marked or found. \
                 Let the dancers be found on the Bench first.",
            ));
        }
        for faces in &mut all {
            faces.sort_by(|a, b| a.0.total_cmp(&b.0));
        }
        Ok(Self(all))
    }

    fn at(&self, t: f64) -> impl Iterator<Item = [f64; 3]> + '_ {
        self.0.iter().map(move |all| {
            let i = all.partition_point(|f| f.0 <= t);
            match (i.checked_sub(1).and_then(|i| all.get(i)), all.get(i)) {
                (Some((a, p)), Some((b, q))) => {
                    let share = (t - a) / (b - a).max(1e-9);
                    let mut mixed = [0, 1, 2].map(|k| p[k] + share * (q[k] - p[k]));
                    // Between marks the head may have gone another way: hide as far as it went.
                    mixed[2] += 0.25 * (q[0] - p[0]).hypot(q[1] - p[1]);
                    mixed
                }
                (Some(f), None) | (None, Some(f)) => f.1,
                (None, None) => [0.0; 3],
            }
        })
    }
}

/// Middle and half the width of a face: at the nose, as wide as the shoulders or the neck is long.
fn face(at: impl Fn(Landmark) -> Option<[f64; 2]>) -> Option<[f64; 3]> {
    let nose = at(Landmark::Nose)?;
    let (l, r) = (at(Landmark::LeftShoulder)?, at(Landmark::RightShoulder)?);
    let across = (l[0] - r[0]).hypot(l[1] - r[1]);
    let neck = (nose[0] - 0.5 * (l[0] + r[0])).hypot(nose[1] - 0.5 * (l[1] + r[1]));
    Some([nose[0], nose[1], 0.5 * WIDE * across.max(neck)])
}

/// Hides a square of a picture behind a few even dots.
fn hide(picture: &mut [u8], [x, y, half]: [f64; 3]) {
    let dot = ((2.0 * half / f64::from(DOTS)).ceil() as i64).max(2);
    let (left, top) = ((x - half).round() as i64, (y - half).round() as i64);
    let (w, h) = (i64::from(SIZE[0]), i64::from(SIZE[1]));
    for row in 0..i64::from(DOTS) {
        for column in 0..i64::from(DOTS) {
            let xs = (left + column * dot).clamp(0, w)..(left + (column + 1) * dot).clamp(0, w);
            let ys = (top + row * dot).clamp(0, h)..(top + (row + 1) * dot).clamp(0, h);
            let places: Vec<usize> = ys
                .flat_map(|y| xs.clone().map(move |x| 3 * (y * w + x) as usize))
                .collect();
            for channel in 0..3 {
                let sum: u64 = places.iter().map(|p| u64::from(picture[p + channel])).sum();
                let mean = sum.checked_div(places.len() as u64).unwrap_or(0) as u8;
                for p in &places {
                    picture[p + channel] = mean;
                }
            }
        }
    }
}

fn side_by_side(left: &[u8], right: &[u8]) -> Vec<u8> {
    let [w, h] = SIZE;
    let mut out = Vec::with_capacity((4 * (2 * w + LINE) * h) as usize);
    let row = |picture: &[u8], y: u32| {
        let from = (3 * y * w) as usize;
        picture.get(from..from + 3 * w as usize).map(<[u8]>::to_vec)
    };
    for y in 0..h {
        for (picture, line) in [(left, LINE), (right, 0)] {
            let pixels = row(picture, y).unwrap_or_else(|| vec![0; 3 * w as usize]);
            for p in pixels.chunks_exact(3) {
                out.extend_from_slice(&[p[0], p[1], p[2], 255]);
            }
            out.extend(std::iter::repeat_n([244, 239, 230, 255], line as usize).flatten());
        }
    }
    out
}

async fn fetched(app: &App, studio: StudioId, take: Uuid, to: &Path) -> Result<Clip, Problem> {
    let clip = app.store().clip(studio, take).await?;
    let clip = clip.filter(|c| c.state == ClipState::Ready);
    let missing = || Problem::invalid("Both takes need a clip that is still kept.");
    let clip = clip.ok_or_else(missing)?;
    let proxy = clip.proxy.as_ref().ok_or_else(missing)?;
    app.blobs().fetch(proxy, to).await?;
    Ok(clip)
}

async fn faces(store: &Store, studio: StudioId, r: &Review, clip: &Clip) -> Result<Faces, Problem> {
    let track = store
        .track(studio, clip.id)
        .await?
        .map_or_else(Vec::new, |t| t.sightings);
    let found: Vec<_> = track
        .iter()
        .filter_map(|s| {
            let at = |l: Landmark| s.points.get(&l).map(|p| p.pixel);
            Some((s.at, s.role, face(at)?))
        })
        .collect();
    Faces::of(r, &found)
}

/// Writes one repetition of both takes, the later one's sound with it, to `to`.
pub async fn film(
    app: &App,
    studio: StudioId,
    two: &Two,
    repetition: u32,
    hidden: bool,
    to: &Path,
) -> Result<(), Problem> {
    let of: Vec<_> = two
        .both
        .beats
        .iter()
        .filter(|b| b.repetition == repetition)
        .collect();
    let after = two.both.beats.iter().find(|b| b.repetition > repetition);
    let Some(first) = of.first() else {
        return Err(Problem::invalid("Both takes do not hold this repetition."));
    };
    let span = [
        first.now.secs(),
        after.map_or(two.both.end[1], |b| b.now).secs(),
    ];
    let span = [span[0].max(0.0), span[1].min(span[0] + LONGEST)];
    let place = intake::workplace(app)?;
    let at = |name: &str| place.path().join(name);
    let clips = [
        fetched(app, studio, two.then.take.id, &at("then")).await?,
        fetched(app, studio, two.now.take.id, &at("now")).await?,
    ];
    let hides = if hidden {
        Some([
            faces(app.store(), studio, &two.then, &clips[0]).await?,
            faces(app.store(), studio, &two.now, &clips[1]).await?,
        ])
    } else {
        None
    };
    let mut reels = [
        Reel::open(&at("then"), &clips[0])?,
        Reel::open(&at("now"), &clips[1])?,
    ];
    let frames = ((span[1] - span[0]) * FPS).ceil().max(1.0) as usize;
    let mut pictures = Vec::with_capacity(frames);
    for i in 0..frames {
        let now = span[0] + i as f64 / FPS;
        let mut pair = [Vec::new(), Vec::new()];
        for (k, t) in [two.both.then_at(now), now].into_iter().enumerate() {
            pair[k] = reels[k].at(t).await?.to_vec();
            let scale = f64::from(SIZE[0]) / f64::from(clips[k].width.max(1));
            let down = f64::from(SIZE[1]) / f64::from(clips[k].height.max(1));
            for [x, y, half] in hides.iter().flat_map(|f| f[k].at(t)) {
                hide(&mut pair[k], [x * scale, y * down, half * scale.max(down)]);
            }
        }
        pictures.push(pair);
    }
    let sound = cut_sound(&at("now"), span, &at("sound.wav")).await?;
    let form = Film {
        size: [2 * SIZE[0] + LINE, SIZE[1]],
        fps: FPS,
        moments: None,
    };
    let pictures = apart(move || {
        let all = pictures.iter().map(|[a, b]| side_by_side(a, b));
        all.collect::<Vec<_>>()
    })
    .await?;
    let with = sound.then(|| at("sound.wav"));
    Ok(encode(form, pictures.into_iter(), with.as_deref(), to).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hidden_face_has_few_colours_left() {
        let [w, h] = SIZE;
        let mut picture: Vec<u8> = (0..3 * w * h)
            .map(|i| (u64::from(i) * 7919 % 251) as u8)
            .collect();
        let before = picture.clone();
        hide(&mut picture, [100.0, 80.0, 20.0]);
        let pixel = |p: &[u8], x: u32, y: u32| p[(3 * (y * w + x)) as usize..][..3].to_vec();
        let seen: std::collections::BTreeSet<_> = (80..120)
            .flat_map(|x| (60..100).map(move |y| (x, y)))
            .map(|(x, y)| pixel(&picture, x, y))
            .collect();
        assert!(seen.len() <= (DOTS * DOTS) as usize, "{}", seen.len());
        assert_eq!(pixel(&picture, 60, 80), pixel(&before, 60, 80));
        // Partly outside the picture, and wholly.
        hide(&mut picture, [0.0, 0.0, 30.0]);
        hide(&mut picture, [-500.0, 9000.0, 30.0]);
    }
}
