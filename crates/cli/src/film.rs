//! A scenario file into a clip and its truth.

use std::path::Path;

use anyhow::Context as _;
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::marks::{AngleMarks, MarkCommand, Marks};
use upright_core::measure::CoupleBody;
use upright_core::take::exchange::Document;
use upright_core::take::{Film, Take};
use upright_core::units::{MediaTime, Role};
use upright_server::film::film;
use upright_studio::{
    Detector, Hand, Performance, Scenario, Truth, bvh, detect, detection_table, landmark_table,
    marks, track,
};

/// Reads a scenario and writes its clip, and beside it its truth (JSON), every landmark at every frame
/// (CSV), what a detector gives as a take document (JSON), and each dancer's motion (BVH). Further phones
/// write clips and landmarks of their own, numbered
/// from 2.
pub async fn from_file(scenario: &Path, clip: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(scenario)
        .with_context(|| format!("{} cannot be read", scenario.display()))?;
    let scenario: Scenario = serde_json::from_str(&text).context("this is no scenario")?;
    let performance = Performance::new(&scenario)?;
    let (mut films, mut angles) = (Vec::new(), Vec::new());
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
        films.push(Film {
            picture: performance.phone(phone).picture(),
            offset: performance
                .phone(0)
                .shown(performance.phone(phone).danced(0.0)),
            full_frame_focal: None,
            track: track(&detected),
        });
        angles.push(reference(&performance, phone, &frames));
        if phone == 0 {
            let truth = Truth::of(&performance, phone, &frames);
            std::fs::write(name("truth.json"), serde_json::to_vec_pretty(&truth)?)?;
        }
    }
    let take = document(&performance, angles, &films);
    std::fs::write(clip.with_extension("take.json"), take.write())?;
    for (role, name) in [(Role::Leader, "leader"), (Role::Follower, "follower")] {
        std::fs::write(
            clip.with_extension(format!("{name}.bvh")),
            bvh(&performance, role, performance.phone(0).fps),
        )?;
    }
    Ok(())
}

/// Figure, count and floor as marked exactly on a phone's picture; nothing of the bodies.
fn reference(performance: &Performance, phone: usize, frames: &[MediaTime]) -> Marks {
    let mut m = Marks::default();
    for command in marks(performance, phone, frames, &Hand::exact()) {
        let body = matches!(
            command,
            MarkCommand::PlaceAll { .. } | MarkCommand::Place { .. } | MarkCommand::MarkStep { .. }
        );
        if !body {
            // A reference out of the picture stays unmarked.
            let _ = command.apply(&mut m);
        }
    }
    m
}

/// The take document: what the detector gave, on a floor and a count that are known.
fn document(performance: &Performance, angles: Vec<Marks>, films: &[Film]) -> Document {
    let mut all = angles.into_iter();
    let mut m = all.next().unwrap_or_default();
    for (i, angle) in all.enumerate() {
        let there = AngleMarks {
            floor: angle.floor,
            poses: Vec::new(),
        };
        m.angles.insert(i as u8 + 2, there);
    }
    Document::of(&Take {
        marks: &m,
        couple: CoupleBody {
            heights: performance.scenario().heights,
            frame_limit: None,
        },
        films,
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    })
}
