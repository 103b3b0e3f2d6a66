//! A scenario file into a clip and its truth.

use std::path::Path;

use anyhow::Context as _;
use upright_core::units::{MediaTime, Role};
use upright_server::film::film;
use upright_studio::{Performance, Scenario, Truth, bvh, landmark_table};

/// Reads a scenario and writes its clip, and beside it its truth (JSON), every landmark at every frame
/// (CSV) and each dancer's motion (BVH).
pub async fn from_file(scenario: &Path, clip: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(scenario)
        .with_context(|| format!("{} cannot be read", scenario.display()))?;
    let scenario: Scenario = serde_json::from_str(&text).context("this is no scenario")?;
    let performance = Performance::new(&scenario)?;
    film(&performance, clip, |_| ()).await?;
    let frames: Vec<MediaTime> = performance.frame_times();
    let truth = Truth::of(&performance, &frames);
    std::fs::write(
        clip.with_extension("truth.json"),
        serde_json::to_vec_pretty(&truth)?,
    )?;
    std::fs::write(
        clip.with_extension("landmarks.csv"),
        landmark_table(&performance, &frames),
    )?;
    for (role, name) in [(Role::Leader, "leader"), (Role::Follower, "follower")] {
        std::fs::write(
            clip.with_extension(format!("{name}.bvh")),
            bvh(&performance, role, performance.scenario().fps),
        )?;
    }
    Ok(())
}
