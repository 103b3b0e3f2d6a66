//! What is said of a take, at the counts at which it shows.

use upright_core::judge::SHOWS;
use upright_core::take::notes::{Note, vtt};
use upright_core::units::MediaTime;
use upright_store::{StudioId, Whose};
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;
use crate::review::review;

/// Counts for which a note is shown.
const SHOWN: usize = 2;

/// A take's corrections as WebVTT: each where its fault shows, else at its count in every repetition.
pub async fn notes(app: &App, studio: StudioId, take: Uuid) -> Result<String, Problem> {
    let r = review(app, studio, take).await?;
    let Some(count) = &r.analysis.count else {
        return Ok(vtt(&[]));
    };
    let mut out = Vec::new();
    let all = app.store().corrections(studio, None).await?;
    for c in all.into_iter().filter(|c| c.take_id == take) {
        let judged = r.analysis.judged.iter().find(|j| {
            j.fault == c.fault && j.role.is_none_or(|role| Whose::word(Some(role)) == c.role)
        });
        let shows = |repetition: u32, at: usize, label: &String| match judged {
            Some(j) => j.evidence.iter().any(|e| {
                e.probability >= SHOWS && e.repetition == repetition && e.count == Some(at)
            }),
            None => Some(label) == c.count.as_ref(),
        };
        for (i, cell) in count.cells.iter().enumerate() {
            if shows(cell.repetition, cell.count, &cell.label) {
                let end = count.cells.get(i + SHOWN).map_or(count.end, |n| n.at);
                out.push(Note {
                    from: MediaTime(cell.at.0.max(0)),
                    to: end,
                    text: format!("{}: {}", c.person, c.cue),
                });
            }
        }
    }
    Ok(vtt(&out))
}
