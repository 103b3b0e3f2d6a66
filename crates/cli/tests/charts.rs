//! Figures in files: checked, formatted and converted by the program.
#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::Command;

use upright_core::chart::charts;

/// Status, output and errors of `upright-pair chart …`.
fn chart(folder: &Path, args: &[&str]) -> (bool, String, String) {
    let done = Command::new(env!("CARGO_BIN_EXE_upright-pair"))
        .arg("chart")
        .args(args)
        .current_dir(folder)
        .output()
        .unwrap();
    (
        done.status.success(),
        String::from_utf8(done.stdout).unwrap(),
        String::from_utf8(done.stderr).unwrap(),
    )
}

fn library() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/data/charts");
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder)
        .unwrap()
        .map(|f| f.unwrap().path())
        .collect();
    files.sort();
    files
}

#[test]
fn a_mistake_is_named_at_its_line_and_column() {
    let dir = tempfile::tempdir().unwrap();
    let shag = std::fs::read_to_string(
        library()
            .into_iter()
            .find(|f| f.ends_with("carolina-shag.chart"))
            .unwrap(),
    )
    .unwrap();
    std::fs::write(dir.path().join("good.chart"), &shag).unwrap();
    let (fine, out, _) = chart(dir.path(), &["check", "--quiet", "good.chart"]);
    assert!(fine, "{out}");
    assert_eq!(out, "");
    let (_, out, _) = chart(dir.path(), &["check", "good.chart"]);
    assert!(out.contains("shag-basic advice (energy): "), "{out}");

    // The follower's rock with the foot that carries the weight.
    let line = 1 + shag
        .lines()
        .position(|l| l.contains("| R rock back"))
        .unwrap();
    let wrong = shag.replacen("| R rock back", "| L rock back", 1);
    let column = 1 + wrong
        .lines()
        .nth(line - 1)
        .unwrap()
        .rfind("L rock back")
        .unwrap();
    std::fs::write(dir.path().join("bad.chart"), wrong).unwrap();
    let (fine, out, err) = chart(dir.path(), &["check", "--quiet", "bad.chart"]);
    assert!(!fine);
    let place = format!("bad.chart:{line}:{column}: shag-basic wrong (weight): ");
    assert!(
        out.lines().any(|l| l.starts_with(&place)),
        "{place} in {out}"
    );
    assert!(err.contains("to mend"), "{err}");

    // What cannot be read says what was expected.
    let unread = shag.replacen("L triple forward", "L tripel forward", 1);
    std::fs::write(dir.path().join("unread.chart"), unread).unwrap();
    let (fine, out, _) = chart(dir.path(), &["check", "unread.chart"]);
    assert!(!fine);
    assert!(out.contains("expected") && out.contains("triple"), "{out}");

    std::fs::write(dir.path().join("empty.chart"), "").unwrap();
    let (fine, out, _) = chart(dir.path(), &["check", "empty.chart"]);
    assert!(!fine && out.contains("no figure"), "{out}");
    let (fine, _, err) = chart(dir.path(), &["check", "missing.chart"]);
    assert!(
        !fine && err.contains("missing.chart cannot be read"),
        "{err}"
    );
}

#[test]
fn the_library_is_formatted_and_converts_there_and_back() {
    let dir = tempfile::tempdir().unwrap();
    let mut figures = 0;
    for file in library() {
        let name = file.file_name().unwrap().to_str().unwrap();
        let text = std::fs::read_to_string(&file).unwrap();
        std::fs::write(dir.path().join(name), &text).unwrap();
        let (fine, out, err) = chart(dir.path(), &["fmt", name]);
        assert!(fine, "{err}");
        assert_eq!(out, text, "{name}");
        let (fine, _, err) = chart(dir.path(), &["convert", name, "x.json"]);
        assert!(fine, "{err}");
        let (fine, out, _) = chart(dir.path(), &["check", "--quiet", "x.json"]);
        assert!(fine, "{out}");
        let (fine, _, err) = chart(dir.path(), &["convert", "x.json", "back.chart"]);
        assert!(fine, "{err}");
        assert_eq!(
            std::fs::read_to_string(dir.path().join("back.chart")).unwrap(),
            text
        );
        figures += text.lines().filter(|l| l.starts_with("figure ")).count();
    }
    assert_eq!(figures, charts().len());

    let ragged = "figure a-b: C\n dance: X\n practice: both\n tempo: 100-120\n start: closed\n gap: 34 cm\n 1|L step left 30%|R step right 30%|\n 2|R close|L close|\n";
    std::fs::write(dir.path().join("ragged.chart"), ragged).unwrap();
    let (fine, _, err) = chart(dir.path(), &["fmt", "ragged.chart", "--write"]);
    assert!(fine, "{err}");
    let written = std::fs::read_to_string(dir.path().join("ragged.chart")).unwrap();
    assert!(
        written.contains("  2 | R close         | L close          |"),
        "{written}"
    );
}

#[test]
fn the_published_schema_is_the_programs_own() {
    let (fine, schema, _) = chart(Path::new("."), &["schema"]);
    assert!(fine);
    let kept = include_str!("../../../docs/formats/chart.schema.json");
    assert!(schema == kept, "run `make types` and commit");
}
