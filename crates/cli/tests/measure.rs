//! The take document from the simulated studio to measures, as a stranger would do it on the command line.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::process::Command;

fn program(args: &[&str]) -> (bool, String, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_upright-pair"))
        .args(args)
        .output()
        .unwrap();
    (
        out.status.success(),
        String::from_utf8(out.stdout).unwrap(),
        String::from_utf8(out.stderr).unwrap(),
    )
}

#[test]
fn a_simulated_take_is_measured_without_a_database() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let scenario = r#"{"chart":"shag-basic","repetitions":2,"seed":4,
        "faults":[{"fault":"P2","role":"follower","size":0.14}],
        "phones":[{"size":[320,180],"fps":15},{"bearing":80,"size":[320,180],"fps":15,"clock":0.3}]}"#;
    std::fs::write(at("s.json"), scenario).unwrap();
    let (ok, _, said) = program(&["studio", &at("s.json"), &at("c.mp4")]);
    assert!(ok, "{said}");
    let (ok, csv, said) = program(&["measure", &at("c.take.json"), "--joints", &at("j.trc")]);
    assert!(ok, "{said}");
    assert_eq!(
        csv.lines().next().unwrap(),
        "measure,role,repetition,count,value,sigma,unit,not_visible"
    );
    // The follower's hips are behind, the leader's are not.
    let mean = |role: &str| {
        let all: Vec<f64> = csv
            .lines()
            .filter(|l| l.starts_with(&format!("hips_behind,{role}")))
            .filter_map(|l| l.split(',').nth(4)?.parse().ok())
            .collect();
        assert!(all.len() > 8, "{role}: {}", all.len());
        all.iter().sum::<f64>() / all.len() as f64
    };
    let (leader, follower) = (mean("leader"), mean("follower"));
    assert!(follower > 0.07 && leader < 0.04, "{leader} {follower}");
    let trc = std::fs::read_to_string(at("j.leader.trc")).unwrap();
    assert!(trc.contains("\tleft_heel\t"));

    // The detector's table instead of the document's own landmarks gives the same kind of result.
    let with = [
        "measure",
        &at("c.take.json"),
        "--landmarks",
        &at("c.detected.csv"),
        "--json",
    ];
    let (ok, json, said) = program(&with);
    assert!(ok, "{said}");
    let v: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert!(v["measures"].as_array().unwrap().len() > 200);
    assert_eq!(v["missing"], serde_json::json!([null, null]));

    // What is wrong is said.
    let (ok, _, said) = program(&["measure", &at("s.json")]);
    assert!(!ok && said.contains("cannot be measured"), "{said}");
    let none = [
        "measure",
        &at("c.take.json"),
        "--landmarks",
        &at("c.detected.csv"),
        "--camera",
        "3",
    ];
    let (ok, _, said) = program(&none);
    assert!(!ok && said.contains("2 cameras"), "{said}");
}
