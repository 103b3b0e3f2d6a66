//! Both dancers found in a clip's pictures, without a hand.

use std::path::Path;
use std::sync::Arc;

use rayon::prelude::*;
use upright_core::body::leads::{self, By, Clothes, Guess, Known};
use upright_core::body::track::Sighting;
use upright_core::units::{MediaTime, Role};
use upright_media::Pictures;
use upright_pose::follow::{Crowd, Followed, Pick, Said, Search, at, follow};
use upright_pose::sure::over_time;
use upright_pose::{Effort, Finder, NetError, Networks, Person, Picture};
use upright_store::{Clip, Found, StudioId, Wanted};

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
pub async fn find(app: &App, clip: &Clip, wanted: &Wanted, told: &Told) -> Result<(), Problem> {
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
    let said = Said {
        picks: picks(clip, wanted),
        one: wanted.one,
    };
    let crowds = people(&finder, &film, every, size, (&times, &said), told).await?;
    if crowds.iter().all(|c| c.people.is_empty()) {
        return Err(Problem::invalid(
            "Nobody was found in this clip. Film the couple whole, from 4 to 6 metres, in even light; or mark by hand.",
        ));
    }
    let moments: Vec<f64> = crowds.iter().map(|c| c.at).collect();
    let pointed = !said.picks.is_empty();
    let followed = apart(move || follow(&crowds, &said)).await?;
    let guess = if pointed {
        // The coach's first one is the leader.
        let sure = Guess {
            sure: 1.0,
            by: By::Coach,
        };
        ([0, 1], sure)
    } else {
        order(app, clip, &followed).await?
    };
    let lines = guess
        .0
        .map(|k| followed.pairs.iter().map(|p| p[k]).collect::<Vec<_>>());
    let clothes = clothes(&lines);
    let effort = if wanted.harder {
        Effort::Harder
    } else {
        Effort::Usual
    };
    let mut track = dancers(
        (&finder, effort),
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
    let found = Found {
        alone: followed.alone,
        others: followed.others,
        harder: wanted.harder,
        leads: guess.1,
        clothes,
    };
    if told.wanted() {
        app.store()
            .set_track(studio, clip.id, BY_ITSELF, &track, Some(&found))
            .await?;
        crate::review::renew(app, studio, clip.take_id).await?;
    }
    Ok(())
}

/// Whom the coach has pointed at in this clip: the leader is the first of the two.
fn picks(clip: &Clip, wanted: &Wanted) -> Vec<Pick> {
    let here = wanted.picks.iter().filter(|p| p.angle == clip.angle);
    here.map(|p| Pick {
        at: p.at as f64 / 1e6,
        pixel: p.pixel,
        which: p.role as usize,
    })
    .collect()
}

/// Which of the two who were followed is the leader and which the follower, and how sure that is.
async fn order(
    app: &App,
    clip: &Clip,
    followed: &Followed,
) -> Result<([usize; 2], Guess), Problem> {
    let (store, studio) = (app.store(), StudioId(clip.studio_id));
    let take = store.take(studio, clip.take_id).await?;
    let couple = store.couple(studio, take.couple_id).await?;
    let floor = crate::review::floor(app, studio, clip.take_id, clip.angle).await?;
    let lines = [0, 1].map(|k| followed.pairs.iter().map(|p| p[k]).collect::<Vec<_>>());
    let worn = lines.each_ref().map(|l| wears(l));
    let known = Known {
        camera: floor.as_ref().map(|c| &c.camera),
        heights: [couple.leader_height, couple.follower_height],
        clothes: match worn {
            [Some(a), Some(b)] => Some([a, b]),
            [Some(a), None] => Some([a, a]),
            _ => None,
        },
        earlier: store.clothes_of_the_day(studio, clip.take_id).await?,
    };
    let (first, guess) = if followed.alone {
        let seen = lines[0].iter().flatten().map(Person::stands);
        leads::is_leader(&seen.collect::<Vec<_>>(), &known)
    } else {
        let both = |p: &[Option<Person>; 2]| Some([p[0]?.stands(), p[1]?.stands()]);
        let pairs: Vec<_> = followed.pairs.iter().filter_map(both).collect();
        leads::leads(&pairs, &known)
    };
    Ok((if first { [0, 1] } else { [1, 0] }, guess))
}

/// What somebody who was followed wears, in the mean.
fn wears(line: &[Option<Person>]) -> Option<Clothes> {
    let seen: Vec<&Person> = line.iter().flatten().filter(|p| !p.behind).collect();
    let mean = |k: usize| seen.iter().map(|p| p.colour[k]).sum::<f64>() / seen.len() as f64;
    (!seen.is_empty()).then(|| std::array::from_fn(mean))
}

/// What both wear, where both were seen.
fn clothes(lines: &[Vec<Option<Person>>; 2]) -> Option<[Clothes; 2]> {
    match lines.each_ref().map(|l| wears(l)) {
        [Some(a), Some(b)] => Some([a, b]),
        _ => None,
    }
}

async fn people(
    finder: &Arc<dyn Finder>,
    film: &Path,
    every: usize,
    size: [u32; 2],
    (times, said): (&[f64], &Said),
    told: &Told,
) -> Result<Vec<Crowd>, Problem> {
    let mut pictures = Pictures::open(film, every, size)?;
    let (mut search, mut seen) = (Search::default(), 0);
    let mut some = batch(&mut pictures, seen, size).await?;
    while !some.is_empty() && told.wanted() {
        seen += some.len();
        let (eyes, window) = (finder.clone(), search.window());
        let pictures_here = Arc::new(some);
        let here = pictures_here.clone();
        let found = apart(move || {
            here.par_iter()
                .filter(|(i, _)| i % PEOPLE_EVERY == 0)
                .map(|(i, p)| {
                    let whole = Search::whole(i / PEOPLE_EVERY);
                    Ok((*i, eyes.crowd(p, window, whole)?))
                })
                .collect::<Result<Vec<(usize, Vec<Person>)>, NetError>>()
        });
        // The next pictures are decoded meanwhile.
        let (found, more) = tokio::join!(found, batch(&mut pictures, seen, size));
        some = more?;
        let crowds: Vec<Crowd> = found??
            .into_iter()
            .filter_map(|(i, people)| {
                Some(Crowd {
                    at: *times.get(i)?,
                    people,
                })
            })
            .collect();
        let (eyes, many) = (finder.clone(), crowds.len());
        search.found(crowds, size.map(|s| s as usize), said);
        let missing = search.missing(many, size.map(|s| s as usize), said);
        let again = apart(move || {
            missing
                .into_par_iter()
                .filter_map(|(k, window, there)| {
                    let number = k * PEOPLE_EVERY;
                    let (_, picture) = pictures_here.iter().find(|(i, _)| *i == number)?;
                    Some((k, picture, window, there))
                })
                .map(|(k, picture, window, there)| {
                    Ok((k, eyes.again(picture, window, there.as_ref())?))
                })
                .collect::<Result<Vec<(usize, Vec<Person>)>, NetError>>()
        });
        for (k, people) in again.await?? {
            search.found_again(k, people);
        }
        told.tell(FIRST * seen as f64 / times.len().max(1) as f64);
    }
    Ok(search.crowds())
}

async fn dancers(
    (finder, effort): (&Arc<dyn Finder>, Effort),
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
                    let points = finder.dancer(picture, person, partner, effort)?;
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
