//! A still and a short clip of what a correction is about, cut from the playable copy.

use upright_core::units::{MediaTime, Role};
use upright_media::{cut, still};
use upright_store::{Clip, ClipState, Correction, StudioId, Whose};

use crate::problem::Problem;
use crate::review::{Review, review};
use crate::{App, intake};

/// Counts shown before and after the one it is about, and the least that is shown on either side, seconds.
const COUNTS: usize = 2;
const LEAST: f64 = 0.8;

/// Which picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Picture {
    /// A still, JPEG.
    Still,
    /// A few counts, MP4.
    Span,
}

/// The clip that shows a correction, if there is one and everybody on it has agreed to be filmed.
pub async fn shown(
    app: &App,
    studio: StudioId,
    correction: &Correction,
) -> Result<Option<Clip>, Problem> {
    let store = app.store();
    let take = store.take(studio, correction.take_id).await?;
    for id in [take.leader_id, take.follower_id] {
        if !store.person(studio, id).await?.consent {
            return Ok(None);
        }
    }
    let clip = store.clip(studio, correction.take_id).await?;
    Ok(clip.filter(|c| c.state == ClipState::Ready && c.proxy.is_some()))
}

/// Key of a correction's picture among the blobs; cut when it is first asked for, and again when the take's
/// marks have changed.
pub async fn picture(
    app: &App,
    studio: StudioId,
    correction: &Correction,
    which: Picture,
) -> Result<String, Problem> {
    let clip = shown(app, studio, correction)
        .await?
        .ok_or_else(Problem::not_found)?;
    let proxy = clip.proxy.as_ref().ok_or_else(Problem::not_found)?;
    let marks = app.store().mark_count(studio, correction.take_id).await?;
    let ending = match which {
        Picture::Still => "jpg",
        Picture::Span => "mp4",
    };
    let key = format!("cut/{}-{marks}.{ending}", correction.id);
    if app.blobs().has(&key).await {
        return Ok(key);
    }
    let [from, at, to] = moment(&review(app, studio, correction.take_id).await?, correction);
    let place = intake::workplace(app)?;
    let (whole, part) = (place.path().join("whole"), place.path().join("part"));
    app.blobs().fetch(proxy, &whole).await?;
    match which {
        Picture::Still => still(&whole, at, &part).await?,
        Picture::Span => cut(&whole, [from, to], &part).await?,
    }
    app.blobs().put_file(&key, &part).await?;
    Ok(key)
}

/// A logged correction's role.
pub fn role_of(word: &str) -> Role {
    if word == Whose::word(Some(Role::Leader)) {
        Role::Leader
    } else {
        Role::Follower
    }
}

/// Where a correction shows most, with the counts about it: seconds of the clip.
fn moment(r: &Review, c: &Correction) -> [f64; 3] {
    let Some(count) = r.analysis.count.as_ref().filter(|v| !v.cells.is_empty()) else {
        return [0.0, LEAST, 2.0 * LEAST];
    };
    let cells = &count.cells;
    let most = r
        .analysis
        .most_at(&c.fault, role_of(&c.role), c.count.as_deref());
    let i = most.unwrap_or(0);
    let secs = |t: MediaTime| t.secs().max(0.0);
    let at = secs(cells[i].at);
    let from = secs(cells[i.saturating_sub(COUNTS)].at).min((at - LEAST).max(0.0));
    let to = cells.get(i + COUNTS + 1).map_or(count.end, |k| k.at);
    [from, at, secs(to).max(at + LEAST)]
}
