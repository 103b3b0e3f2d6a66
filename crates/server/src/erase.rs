//! What is erased for good takes its files along.

use upright_store::{StudioId, Unnamed};
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;

/// Erases a take of the bin.
pub async fn take(app: &App, studio: StudioId, id: Uuid) -> Result<(), Problem> {
    let gone = app.store().erase_binned(studio, id).await?;
    files(app, &gone).await;
    Ok(())
}

/// Erases a person.
pub async fn person(app: &App, studio: StudioId, id: Uuid) -> Result<(), Problem> {
    let gone = app.store().erase_person(studio, id).await?;
    files(app, &gone).await;
    Ok(())
}

/// Erases what has been in the bin for as long as it is kept there.
pub async fn overdue(app: &App) -> Result<(), Problem> {
    for (studio, id) in app.store().overdue().await? {
        take(app, studio, id).await?;
    }
    Ok(())
}

/// Removes the files that no row names any more. One that cannot be removed now is told to whoever runs the server:
/// `upright-pair admin verify` names it.
async fn files(app: &App, gone: &Unnamed) {
    let told = |key: &str, done: Result<(), upright_store::StoreError>| {
        if let Err(e) = done {
            tracing::error!(%e, key, "an erased file could not be removed");
        }
    };
    for key in &gone.keys {
        told(key, app.blobs().remove(key).await);
    }
    for clip in &gone.clips {
        let key = format!("waveform/{clip}");
        told(&key, app.blobs().remove(&key).await);
    }
    let starts: Vec<String> = gone
        .corrections
        .iter()
        .map(|c| format!("cut/{c}-"))
        .collect();
    if !starts.is_empty() {
        told("cut", app.blobs().remove_starting("cut", &starts).await);
    }
}
