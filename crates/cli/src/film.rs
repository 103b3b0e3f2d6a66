//! A scenario file into a clip and its truth.

use std::path::Path;

use anyhow::Context as _;
use upright_core::units::{MediaTime, Role};
use upright_server::film::film;
use upright_studio::{
    Detector, Performance, Scenario, Truth, bvh, detect, detection_table, landmark_table,
};

/// Reads a scenario and writes its clip, and beside it its truth (JSON), every landmark at every frame
/// (CSV) and each dancer's motion (BVH). Further phones write clips and landmarks of their own, numbered
/// from 2.
pub async fn from_file(scenario: &Path, clip: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(scenario)
        .with_context(|| format!("{} cannot be read", scenario.display()))?;
    let scenario: Scenario = serde_json::from_str(&text).context("this is no scenario")?;
    let performance = Performance::new(&scenario)?;
    for phone in 0..scenario.phones.len() {
        let name = |ending: &str| match phone {
            0 => clip.with_extension(ending),
            n => clip.with_extension(format!("{}.{ending}", n + 1)),
        };
        let file = if phone == 0 {
            clip.to_owned()
        } else {
            name("mp4")
        };
        film(&performance, phone, &file, |_| ()).await?;
        let frames: Vec<MediaTime> = performance.frame_times(phone);
        let table = landmark_table(&performance, phone, &frames);
        std::fs::write(name("landmarks.csv"), table)?;
        let detected = detect(&performance, phone, &frames, &Detector::default());
        std::fs::write(name("detected.csv"), detection_table(&detected))?;
        if phone == 0 {
            let truth = Truth::of(&performance, phone, &frames);
            std::fs::write(name("truth.json"), serde_json::to_vec_pretty(&truth)?)?;
        }
    }
    for (role, name) in [(Role::Leader, "leader"), (Role::Follower, "follower")] {
        std::fs::write(
            clip.with_extension(format!("{name}.bvh")),
            bvh(&performance, role, performance.phone(0).fps),
        )?;
    }
    Ok(())
}
