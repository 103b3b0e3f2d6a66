//! Where good teachers disagree: topics with choices, each choice a named set of changed bands.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use super::Band;
use crate::chart::Family;

/// A band that a school sees elsewhere.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SchoolBand {
    /// Id in the catalogue.
    pub fault: String,
    /// Its band in this school.
    pub band: Band,
}

/// One way to teach it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct School {
    /// Id within the topic.
    pub id: String,
    /// As its teachers say it.
    pub name: String,
    /// Why.
    pub reason: String,
    /// Faults that it does not know.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub off: Vec<String>,
    /// Bands that it sees elsewhere.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required = true))]
    pub bands: Vec<SchoolBand>,
}

/// Something good teachers disagree about.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Topic {
    /// Id.
    pub id: String,
    /// What it is about.
    pub name: String,
    /// The choice where none was made.
    pub default: String,
    /// The same, by family of dances.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, String>))]
    pub by_family: BTreeMap<Family, String>,
    /// The choices.
    pub choices: Vec<School>,
}

impl Topic {
    /// The choice of this id.
    pub fn choice(&self, id: &str) -> Option<&School> {
        self.choices.iter().find(|c| c.id == id)
    }

    /// The choice in force: the one chosen, else the family's, else the usual one.
    pub fn in_force(&self, chosen: Option<&String>, family: Family) -> Option<&School> {
        chosen
            .and_then(|c| self.choice(c))
            .or_else(|| self.choice(self.by_family.get(&family)?))
            .or_else(|| self.choice(&self.default))
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[allow(dead_code)]
    version: u32,
    topics: Vec<Topic>,
}

static TOPICS: LazyLock<Vec<Topic>> = LazyLock::new(|| {
    // Part of the program and checked by a test; a broken file leaves one school only.
    serde_json::from_str::<File>(include_str!("../../data/schools.json"))
        .map(|f| f.topics)
        .unwrap_or_default()
});

/// Everything good teachers disagree about.
pub fn topics() -> &'static [Topic] {
    &TOPICS
}

/// Every problem of the schools, one sentence each.
pub fn school_problems(topics: &[Topic], faults: &[super::Fault]) -> Vec<String> {
    let mut out = Vec::new();
    for t in topics {
        let mut say = |what: String| out.push(format!("{}: {what}", t.id));
        for id in t.by_family.values().chain([&t.default]) {
            if t.choice(id).is_none() {
                say(format!("there is no choice “{id}”"));
            }
        }
        for c in &t.choices {
            let named = c.off.iter().chain(c.bands.iter().map(|b| &b.fault));
            for id in named {
                if !faults.iter().any(|f| f.id == *id) {
                    say(format!("{}: there is no fault “{id}”", c.id));
                }
            }
            for b in &c.bands {
                if let Some(problem) = b.band.problem() {
                    say(format!("{}: {}: {problem}", c.id, b.fault));
                }
            }
        }
    }
    out
}
