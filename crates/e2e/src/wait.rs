//! Waiting for what the machine takes its time over.

use std::time::{Duration, Instant};

/// How long something may take. Generous: a clip is prepared on the same two busy cores as the browser.
pub(crate) const PATIENCE: Duration = Duration::from_secs(180);

/// Waits until a condition holds.
pub async fn eventually(what: &str, holds: impl AsyncFn() -> bool) -> anyhow::Result<()> {
    let begun = Instant::now();
    while !holds().await {
        anyhow::ensure!(begun.elapsed() < PATIENCE, "waited in vain for {what}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    Ok(())
}
