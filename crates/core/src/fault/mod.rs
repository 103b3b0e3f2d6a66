//! The fault catalogue and the schools, held as data in `data/faults/` and `data/schools.json`, and the rules
//! by which a couple is judged.

mod band;
mod entry;
mod risk;
mod rules;
mod school;

use std::sync::LazyLock;

use serde::Deserialize;

pub use band::{Band, Weighed};
pub use entry::{Applies, Cause, Fault, On, Scale, Who, Whose};
pub use risk::{Risk, risks, touched};
pub use rules::{Choices, Circumstances, CoupleStage, InForce, JudgedBy, OwnBand, Rules};
pub use school::{School, SchoolBand, Topic, school_problems, topics};

use crate::measure;

/// One area's file.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[allow(dead_code)]
    version: u32,
    area: String,
    /// Steps that end every ladder of the area.
    then: Vec<String>,
    entries: Vec<Fault>,
}

const FILES: [&str; 8] = [
    include_str!("../../data/faults/posture.json"),
    include_str!("../../data/faults/frame.json"),
    include_str!("../../data/faults/connection.json"),
    include_str!("../../data/faults/compression.json"),
    include_str!("../../data/faults/rotation.json"),
    include_str!("../../data/faults/feet.json"),
    include_str!("../../data/faults/legs.json"),
    include_str!("../../data/faults/timing.json"),
];

fn read(text: &str) -> Result<Vec<Fault>, serde_json::Error> {
    let file: File = serde_json::from_str(text)?;
    let mut entries = file.entries;
    for f in &mut entries {
        f.area.clone_from(&file.area);
        f.ladder.extend(file.then.iter().cloned());
    }
    Ok(entries)
}

static CATALOGUE: LazyLock<Vec<Fault>> = LazyLock::new(|| {
    // Part of the program and checked by a test; a broken file leaves its area empty.
    FILES
        .iter()
        .flat_map(|text| read(text).unwrap_or_default())
        .collect()
});

/// The catalogue.
pub fn catalogue() -> &'static [Fault] {
    &CATALOGUE
}

/// The entry with this id.
pub fn fault(id: &str) -> Option<&'static Fault> {
    CATALOGUE.iter().find(|f| f.id == id)
}

/// Most letters of an id, and of any text of an entry.
const MOST_ID: usize = 8;
const MOST_TEXT: usize = 600;

/// Every problem of a catalogue, one sentence each.
pub fn problems(entries: &[Fault]) -> Vec<String> {
    let mut out = Vec::new();
    for (i, f) in entries.iter().enumerate() {
        let mut say = |what: String| out.push(format!("{}: {what}", f.id));
        let plain = |c: char| c.is_ascii_alphanumeric() || c == '-';
        if f.id.is_empty() || f.id.len() > MOST_ID || !f.id.chars().all(plain) {
            say(format!(
                "an id has 1 to {MOST_ID} letters, digits or dashes"
            ));
        }
        if entries[..i].iter().any(|e| e.id == f.id) {
            say("the id is there twice".into());
        }
        for (what, text) in [
            ("name", &f.name),
            ("reason", &f.reason),
            ("target", &f.target),
        ] {
            if text.trim().is_empty() || text.chars().count() > MOST_TEXT {
                say(format!("the {what} has 1 to {MOST_TEXT} letters"));
            }
        }
        let unit = |id: &String| measure::spec(id).map(|s| s.unit);
        match (&f.measure, f.band) {
            (Some(m), Some(band)) => {
                if unit(m).is_none() {
                    say(format!("there is no measure “{m}”"));
                }
                if let Some(problem) = band.problem() {
                    say(problem.into());
                }
            }
            (None, None) => {}
            _ => say("a measure needs a band, and a band a measure".into()),
        }
        if let Some(o) = &f.otherwise
            && (unit(o).is_none() || f.measure.as_ref().and_then(unit) != unit(o))
        {
            say(format!("“{o}” is no measure of the same unit"));
        }
        if f.ladder.len() < 3 {
            say("the drill needs at least three steps".into());
        }
        for role in f.who.told() {
            if f.cue.get(role).is_none_or(|c| c.trim().is_empty()) {
                say(format!("no cue for the {}", role.word()));
            }
        }
        if !(1..=3).contains(&f.severity) {
            say("severity is 1, 2 or 3".into());
        }
        if f.safety && f.caution.is_none() {
            say("what can hurt needs a caution".into());
        }
        for c in &f.caused_by {
            if c.fault == f.id || !entries.iter().any(|e| e.id == c.fault) {
                say(format!("its cause “{}” is no other entry", c.fault));
            }
            if !(c.weight > 0.0 && c.weight <= 1.0) {
                say(format!("the weight of “{}” lies between 0 and 1", c.fault));
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::{Estimate, Role};

    #[test]
    fn the_catalogue_and_the_schools_are_sound() {
        for text in FILES {
            read(text).unwrap();
        }
        assert_eq!(problems(catalogue()), Vec::<String>::new());
        assert_eq!(school_problems(topics(), catalogue()), Vec::<String>::new());
        assert!(topics().len() >= 10);
        // Every entry that the domain lists.
        for (area, numbers) in [
            ("P", 1..=5),
            ("F", 1..=6),
            ("C", 1..=12),
            ("K", 1..=7),
            ("R", 1..=12),
            ("S", 1..=12),
            ("L", 1..=5),
            ("T", 1..=5),
        ] {
            for n in numbers {
                assert!(fault(&format!("{area}{n}")).is_some(), "{area}{n}");
            }
        }
    }

    #[test]
    fn problems_are_said_in_words() {
        let mut f = fault("P1").unwrap().clone();
        f.measure = Some("nothing".into());
        f.band.as_mut().unwrap().clear[1] = Some(0.1);
        f.caused_by[0].fault = "X9".into();
        f.cue.remove(&Role::Leader);
        f.safety = true;
        f.caution = None;
        let twice = f.clone();
        let said = problems(&[f, twice]).join("\n");
        for part in [
            "“nothing”",
            "beyond the fine",
            "“X9”",
            "no cue for the leader",
            "needs a caution",
            "twice",
        ] {
            assert!(said.contains(part), "{part}: {said}");
        }
    }

    #[test]
    fn every_entry_fires_and_stays_silent() {
        for f in catalogue() {
            let Some(band) = f.band else {
                // Judged by the coach's eye, which needs a cue to log.
                assert!(f.measure.is_none() && !f.cue.is_empty(), "{}", f.id);
                continue;
            };
            let wide = |side: usize| Some((band.clear[side]? - band.fine[side]?).abs());
            let calm = match band.fine {
                [Some(lo), Some(hi)] => 0.5 * (lo + hi),
                [None, Some(hi)] => hi - wide(1).unwrap(),
                [Some(lo), None] => lo + wide(0).unwrap(),
                [None, None] => unreachable!(),
            };
            assert!(
                band.probability(Estimate::new(calm, 1e-3)) < 0.01,
                "{}",
                f.id
            );
            for (side, sign) in [(0, -1.0), (1, 1.0)] {
                let Some(zone) = wide(side) else { continue };
                let wild = band.clear[side].unwrap() + sign * 0.3 * zone;
                assert!(
                    band.probability(Estimate::new(wild, 1e-3)) > 0.99,
                    "{}",
                    f.id
                );
                assert!(band.beyond_clear(wild) > 0.0);
            }
        }
    }

    #[test]
    fn entries_judge_only_where_they_belong() {
        let chart = |id| crate::chart::chart(id).unwrap();
        let to = |id: &str, figure, count| {
            fault(id)
                .unwrap()
                .applies
                .to(chart(figure), Some(Role::Follower), count)
        };
        let basic = chart("shag-basic");
        assert!(to("K3", "shag-basic", basic.stretch()));
        assert!(!to("K3", "shag-basic", Some(1)));
        assert!(to("S4", "shag-basic", Some(1)) && !to("S4", "forro-base", Some(1)));
        // Frame height is judged in the smooth dances only, rise where the dance rises.
        assert!(to("F3", "waltz-natural-turn", Some(1)) && !to("F3", "forro-base", Some(1)));
        assert!(to("L2", "waltz-natural-turn", Some(1)) && !to("L2", "shag-basic", None));
        assert!(to("L1", "shag-basic", None) && !to("L1", "lindy-swing-out-open", None));
        assert!(!to("P1", "forro-base", Some(1)));
    }
}
