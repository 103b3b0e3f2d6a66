//! What is said of a take, at the counts at which it shows.

use upright_core::take::notes::{Note, vtt};
use upright_core::units::MediaTime;
use upright_store::StudioId;
use uuid::Uuid;

use crate::App;
use crate::picture::role_of;
use crate::problem::Problem;
use crate::review::review;

/// Counts for which a note is shown.
const SHOWN: usize = 2;

/// A take's corrections as WebVTT: each where it shows.
pub async fn notes(app: &App, studio: StudioId, take: Uuid) -> Result<String, Problem> {
    let r = review(app, studio, take).await?;
    let Some(count) = &r.analysis.count else {
        return Ok(vtt(&[]));
    };
    let mut out = Vec::new();
    let all = app.store().corrections(studio, None).await?;
    for c in all.into_iter().filter(|c| c.take_id == take) {
        let role = role_of(&c.role);
        for i in r.analysis.shown_at(&c.fault, role, c.count.as_deref()) {
            let end = count.cells.get(i + SHOWN).map_or(count.end, |n| n.at);
            out.push(Note {
                from: MediaTime(count.cells[i].at.0.max(0)),
                to: end,
                text: format!("{}: {}", c.person, c.cue),
            });
        }
    }
    Ok(vtt(&out))
}
