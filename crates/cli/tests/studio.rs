//! The program renders a take whose truth file agrees with what the core reads from marks on its clip.
#![allow(clippy::unwrap_used)]

use std::process::Command;

use upright_core::analyse::analyse;
use upright_core::chart::Shelf;
use upright_core::fault::Rules;
use upright_core::marks::Marks;
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Take};
use upright_core::units::MediaTime;
use upright_media::{frame_times, probe};
use upright_studio::{Hand, Performance, Phone, Scenario, Truth, marks};

fn program() -> Command {
    Command::new(env!("CARGO_BIN_EXE_upright-pair"))
}

#[tokio::test]
async fn a_rendered_clip_and_its_truth_file_agree() {
    let dir = tempfile::tempdir().unwrap();
    let scenario = Scenario {
        repetitions: 2,
        phones: vec![
            Phone {
                size: [640, 360],
                fps: 25.0,
                ..Phone::default()
            },
            Phone {
                bearing: 80.0,
                size: [320, 180],
                clock: 0.5,
                ..Phone::default()
            },
        ],
        seed: 8,
        ..Scenario::default()
    };
    let file = dir.path().join("scenario.json");
    std::fs::write(&file, serde_json::to_vec(&scenario).unwrap()).unwrap();
    let clip = dir.path().join("take.mp4");
    let done = program()
        .arg("studio")
        .arg(&file)
        .arg(&clip)
        .output()
        .unwrap();
    assert!(
        done.status.success(),
        "{}",
        String::from_utf8_lossy(&done.stderr)
    );

    let made = probe(&clip).await.unwrap();
    assert_eq!((made.width, made.height, made.sound), (640, 360, true));
    let times = frame_times(&clip).await.unwrap().times;
    let frames: Vec<MediaTime> = times.into_iter().map(MediaTime).collect();
    let text = std::fs::read(clip.with_extension("truth.json")).unwrap();
    let truth: Truth = serde_json::from_slice(&text).unwrap();
    assert_eq!(truth.scenario, scenario);

    // The open data beside it: a row for every landmark at every frame, a motion for each dancer.
    let table = std::fs::read_to_string(clip.with_extension("landmarks.csv")).unwrap();
    assert_eq!(table.lines().count(), 1 + frames.len() * 2 * 19);
    let detected = std::fs::read_to_string(clip.with_extension("detected.csv")).unwrap();
    assert!(detected.lines().count() > frames.len() * 30);
    // The second phone's clip begins half a second later.
    let second = probe(&clip.with_extension("2.mp4")).await.unwrap();
    assert_eq!(second.width, 320);
    assert!((made.duration - second.duration - 0.5).abs() < 0.1);
    assert!(clip.with_extension("2.landmarks.csv").exists());
    for who in ["leader", "follower"] {
        let motion = std::fs::read_to_string(clip.with_extension(format!("{who}.bvh"))).unwrap();
        assert!(motion.starts_with("HIERARCHY\nROOT Hips"));
        assert!(motion.contains(&format!("Frames: {}", frames.len())));
    }

    // Marks at the projected truth, on the frames that are in the file.
    let performance = Performance::new(&truth.scenario).unwrap();
    let mut m = Marks::default();
    for command in marks(&performance, 0, &frames, &Hand::exact()) {
        command.apply(&mut m).unwrap();
    }
    let couple = CoupleBody {
        heights: scenario.heights,
        frame_limit: None,
    };
    let take = Take {
        marks: &m,
        couple,
        films: &[Film::new([640.0, 360.0])],
        shelf: &Shelf::default(),
        rules: Rules::usual(),
    };
    let a = analyse(&take, None);
    assert!(a.footprints.len() >= 32);
    for f in &a.footprints {
        let t = truth
            .feet
            .iter()
            .find(|t| {
                (t.role, t.foot, t.repetition, t.count) == (f.role, f.foot, f.repetition, f.count)
            })
            .unwrap();
        for (seen, real) in [(f.heel, t.heel), (f.toe, t.toe)] {
            assert!(
                (seen[0] - real[0]).hypot(seen[1] - real[1]) < 0.01,
                "{f:?} {t:?}"
            );
        }
    }
    let gaps: Vec<f64> = a
        .measures
        .iter()
        .filter(|m| m.id == "separation")
        .map(|m| {
            let t = truth
                .counts
                .iter()
                .find(|t| (t.repetition, Some(t.count)) == (m.repetition, m.count))
                .unwrap();
            (m.reading.estimate().unwrap().value - t.separation).abs()
        })
        .collect();
    assert!(
        gaps.len() >= 14 && gaps.iter().all(|g| *g < 0.02),
        "{gaps:?}"
    );
}

#[test]
fn mistakes_are_told_in_words() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("scenario.json");
    std::fs::write(&file, r#"{"chart": "none"}"#).unwrap();
    let run = |args: &[&str]| {
        let done = program()
            .args(args)
            .env_remove("DATABASE_URL")
            .output()
            .unwrap();
        assert!(!done.status.success());
        String::from_utf8_lossy(&done.stderr).into_owned()
    };
    let said = run(&["studio", &file.display().to_string(), "/dev/null"]);
    assert!(said.contains("no chart “none”"), "{said}");
    assert!(run(&["studio", "/nowhere.json", "a.mp4"]).contains("cannot be read"));
    assert!(run(&["serve"]).contains("DATABASE_URL"));
}

#[test]
fn the_published_truth_schema_is_the_programs_own() {
    let done = program().arg("truth-schema").output().unwrap();
    assert!(done.status.success());
    let kept = include_str!("../../../docs/formats/truth.schema.json");
    assert!(
        String::from_utf8(done.stdout).unwrap() == kept,
        "run `make types` and commit"
    );
}
