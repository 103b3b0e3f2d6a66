//! Both dancers found in a clip's pictures, without a hand.

use std::path::Path;
use std::sync::Arc;

use rayon::prelude::*;
use upright_core::body::track::Sighting;
use upright_core::units::{MediaTime, Role};
use upright_media::Pictures;
use upright_pose::follow::{Crowd, at, follow, leader_first};
use upright_pose::sure::over_time;
use upright_pose::{Finder, NetError, Networks, Person, Picture, Window};
use upright_store::{Clip, StudioId};

use crate::App;
use crate::jobs::Told;
use crate::problem::Problem;
use crate::review::apart;

/// Where a track comes from that was made here.
pub const BY_ITSELF: &str = "automatic marking";

/// Pictures looked at in a second: as many as bodies are solved for.
const RATE: f64 = 12.5;

/// Pictures in memory at once.
const BATCH: usize = 16;

/// People are looked for in every so many of the pictures; a dancer is followed between them.
const PEOPLE_EVERY: usize = 2;

/// Share of the time that finding people takes.
const FIRST: f64 = 0.3;

impl From<NetError> for Problem {
    fn from(e: NetError) -> Self {
        Self::invalid(e.to_string())
    }
}

/// A picture's number among those looked at, with its pixels.
type Numbered = (usize, Picture);

async fn batch(
    pictures: &mut Pictures,
    from: usize,
    size: [u32; 2],
) -> Result<Vec<Numbered>, Problem> {
    let mut out = Vec::with_capacity(BATCH);
    while out.len() < BATCH {
        let Some(rgb) = pictures.next().await? else {
            break;
        };
        if let Some(p) = Picture::new(size[0] as usize, size[1] as usize, rgb) {
            out.push((from + out.len(), p));
        }
    }
    Ok(out)
}

/// Finds both dancers in the playable copy and keeps them as the clip's track.
pub async fn find(app: &App, clip: &Clip, told: &Told) -> Result<(), Problem> {
    let studio = StudioId(clip.studio_id);
    let key = clip.proxy.as_ref().ok_or_else(|| {
        Problem::invalid(
            "The clip's film is not kept, so nobody can be found in it. Send it again.",
        )
    })?;
    let finder = app.finder().await?;
    let place = crate::intake::workplace(app)?;
    let film = place.path().join("film.mp4");
    app.blobs().fetch(key, &film).await?;
    let seconds = clip.frame_times.last().copied().unwrap_or_default() as f64 / 1e6;
    let rate = clip.frame_times.len().saturating_sub(1) as f64 / seconds.max(0.1);
    let every = ((rate / RATE).round() as usize).max(1);
    let times: Vec<f64> = clip
        .frame_times
        .iter()
        .step_by(every)
        .map(|t| *t as f64 / 1e6)
        .collect();
    let size = [clip.width, clip.height].map(|s| s.max(2) as u32);
    let crowds = people(&finder, &film, every, size, &times, told).await?;
    if crowds.iter().all(|c| c.people.is_empty()) {
        return Err(Problem::invalid(
            "Nobody was found in this clip. Film the couple whole, from 4 to 6 metres, in even light; or mark by hand.",
        ));
    }
    let moments: Vec<f64> = crowds.iter().map(|c| c.at).collect();
    let pairs = apart(move || follow(&crowds)).await?;
    let couple = {
        let take = app.store().take(studio, clip.take_id).await?;
        app.store().couple(studio, take.couple_id).await?
    };
    let order = leader_first(&pairs, [couple.leader_height, couple.follower_height]);
    let lines = order.map(|k| pairs.iter().map(|p| p[k]).collect::<Vec<_>>());
    let mut track = dancers(
        &finder,
        &film,
        every,
        size,
        (&times, &clip.frame_times),
        (&moments, &lines),
        told,
    )
    .await?;
    if track.is_empty() {
        return Err(Problem::invalid(
            "People were found in this clip, but not how they stand. Film the couple larger and in even light; or mark by hand.",
        ));
    }
    over_time(&mut track);
    if told.wanted() {
        app.store()
            .set_track(studio, clip.id, BY_ITSELF, &track)
            .await?;
        crate::review::renew(app, studio, clip.take_id).await?;
    }
    Ok(())
}

async fn people(
    finder: &Arc<dyn Finder>,
    film: &Path,
    every: usize,
    size: [u32; 2],
    times: &[f64],
    told: &Told,
) -> Result<Vec<Crowd>, Problem> {
    let mut pictures = Pictures::open(film, every, size)?;
    let (mut crowds, mut seen, mut window) = (Vec::new(), 0, None::<Window>);
    let mut some = batch(&mut pictures, seen, size).await?;
    while !some.is_empty() && told.wanted() {
        seen += some.len();
        let (finder, looked) = (finder.clone(), window);
        let found = apart(move || {
            let found = some
                .par_iter()
                .filter(|(i, _)| i % PEOPLE_EVERY == 0)
                .map(|(i, p)| {
                    let people = finder.couple(p, looked)?;
                    Ok((*i, people))
                })
                .collect::<Result<Vec<(usize, Vec<Person>)>, NetError>>()?;
            let next = found
                .last()
                .and_then(|(_, people)| Window::about(people, &some[0].1));
            Ok::<_, NetError>((found, next))
        });
        // The next pictures are decoded meanwhile.
        let (found, more) = tokio::join!(found, batch(&mut pictures, seen, size));
        let (found, next) = found??;
        window = next;
        some = more?;
        crowds.extend(found.into_iter().filter_map(|(i, people)| {
            Some(Crowd {
                at: *times.get(i)?,
                people,
            })
        }));
        told.tell(FIRST * seen as f64 / times.len().max(1) as f64);
    }
    Ok(crowds)
}

async fn dancers(
    finder: &Arc<dyn Finder>,
    film: &Path,
    every: usize,
    size: [u32; 2],
    (times, frames): (&[f64], &[i64]),
    (moments, lines): (&[f64], &[Vec<Option<Person>>; 2]),
    told: &Told,
) -> Result<Vec<Sighting>, Problem> {
    let mut pictures = Pictures::open(film, every, size)?;
    let (mut track, mut seen) = (Vec::new(), 0);
    let mut some = batch(&mut pictures, seen, size).await?;
    while !some.is_empty() && told.wanted() {
        seen += some.len();
        let finder = finder.clone();
        let work: Vec<(MediaTime, Picture, [Option<Person>; 2])> = some
            .into_iter()
            .filter_map(|(i, p)| {
                let pair = [0, 1].map(|k| at(moments, &lines[k], times[i.min(times.len() - 1)]));
                Some((MediaTime(*frames.get(i * every)?), p, pair))
            })
            .collect();
        let found = apart(move || {
            work.par_iter()
                .flat_map(|w| Role::BOTH.into_par_iter().map(move |role| (w, role)))
                .map(|((time, picture, pair), role)| {
                    let Some(person) = &pair[role as usize] else {
                        return Ok(None);
                    };
                    let partner = pair[1 - role as usize].as_ref();
                    let points = finder.dancer(picture, person, partner)?;
                    Ok(points.map(|points| Sighting {
                        at: *time,
                        role,
                        points,
                    }))
                })
                .collect::<Result<Vec<Option<Sighting>>, NetError>>()
        });
        let (found, more) = tokio::join!(found, batch(&mut pictures, seen, size));
        track.extend(found??.into_iter().flatten());
        some = more?;
        told.tell(FIRST + (1.0 - FIRST) * seen as f64 / times.len().max(1) as f64);
    }
    Ok(track)
}

/// Reads the networks.
pub(crate) fn networks(folder: &Path) -> Result<Arc<dyn Finder>, NetError> {
    Ok(Arc::new(Networks::read(folder)?))
}
