//! The fault catalogue, held as data in `data/faults.json`.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::chart::{Chart, Position};
use crate::measure;
use crate::units::{Estimate, Role};

/// Where a value is fine, and beyond what it is clearly a fault; between lies borderline.
/// An absent edge is open.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Band {
    /// Lower and upper edge of the fine band.
    pub fine: [Option<f64>; 2],
    /// Lower and upper edge beyond which the fault is clear.
    pub clear: [Option<f64>; 2],
}

impl Band {
    /// How far a value lies outside the fine band, ≥ 0 outside, negative inside (distance to the
    /// nearest edge).
    pub fn beyond(&self, value: f64) -> f64 {
        let below = self.fine[0].map_or(f64::NEG_INFINITY, |lo| lo - value);
        let above = self.fine[1].map_or(f64::NEG_INFINITY, |hi| value - hi);
        below.max(above)
    }

    /// How far beyond the clear edge on the side the value lies, in units of the borderline zone's width.
    pub fn beyond_clear(&self, value: f64) -> f64 {
        let side = |fine: Option<f64>, clear: Option<f64>, sign: f64| match (fine, clear) {
            (Some(f), Some(c)) => sign * (value - c) / (c - f).abs().max(1e-9),
            _ => f64::NEG_INFINITY,
        };
        side(self.fine[0], self.clear[0], -1.0).max(side(self.fine[1], self.clear[1], 1.0))
    }
}

/// Whose a fault is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Who {
    /// Judged for each role.
    Each,
    /// Judged for the couple; the coach says whose it is.
    Couple,
}

/// At which counts an entry judges.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Where {
    /// Wherever there is a reading.
    #[default]
    Anywhere,
    /// At the chart's stretch count.
    Stretch,
    /// Except where the chart brings the partners together.
    NotTogether,
}

/// When an entry applies.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Applies {
    /// Only in charts that start in one of these positions; all when empty.
    #[serde(default)]
    pub positions: Vec<Position>,
    /// At which counts.
    #[serde(default)]
    pub counts: Where,
}

impl Applies {
    /// Whether the entry judges this count (none: the whole repetition) of this chart.
    pub fn to(&self, chart: &Chart, count: Option<usize>) -> bool {
        if !self.positions.is_empty() && !self.positions.contains(&chart.start.position) {
            return false;
        }
        match self.counts {
            Where::Anywhere => true,
            Where::Stretch => count.is_some() && count == chart.stretch(),
            Where::NotTogether => count.is_none_or(|c| !chart.together(c)),
        }
    }
}

/// Whose cause it must be to explain an effect.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Whose {
    /// The same dancer's, or the couple's.
    Same,
    /// Either dancer's.
    Either,
}

/// An edge of the cause graph.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Cause {
    /// Id of the causing fault.
    pub fault: String,
    /// Whose it must be.
    pub whose: Whose,
}

/// An entry of the catalogue.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fault {
    /// `P1`, `S4`, …
    pub id: String,
    /// Posture, frame, connection, compression, rotation, feet, legs, timing.
    pub area: String,
    /// As a coach says it.
    pub name: String,
    /// Whose it is.
    pub who: Who,
    /// Id in the measure registry.
    pub measure: String,
    /// Judge the size of the value, whatever its sign.
    pub magnitude: bool,
    /// Edges, in the measure's unit.
    pub band: Band,
    /// Why the band lies there.
    pub reason: String,
    /// When it applies.
    #[serde(default)]
    pub applies: Applies,
    /// 1 small, 2 middling, 3 grave.
    pub severity: u8,
    /// What may cause it.
    pub caused_by: Vec<Cause>,
    /// What to say, by role.
    pub cue: BTreeMap<Role, String>,
    /// What to do, from alone to tempo.
    pub ladder: Vec<String>,
    /// What fine looks like.
    pub target: String,
    /// Shown wherever the fault or its drill is.
    #[serde(default)]
    pub caution: Option<String>,
}

impl Fault {
    /// Probability that the true value lies outside the fine band, the error being normal.
    pub fn probability(&self, e: Estimate) -> f64 {
        let below =
            self.band.fine[0].map_or(0.0, |lo| normal_cdf((lo - e.value) / e.sigma.max(1e-12)));
        let above =
            self.band.fine[1].map_or(0.0, |hi| normal_cdf((e.value - hi) / e.sigma.max(1e-12)));
        (below + above).min(1.0)
    }
}

fn normal_cdf(z: f64) -> f64 {
    0.5 * statrs::function::erf::erfc(-z / std::f64::consts::SQRT_2)
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[allow(dead_code)]
    version: u32,
    entries: Vec<Fault>,
}

static CATALOGUE: LazyLock<Vec<Fault>> = LazyLock::new(|| {
    // Part of the program and checked by a test; a broken file leaves the catalogue empty.
    serde_json::from_str::<File>(include_str!("../../data/faults.json"))
        .map(|f| f.entries)
        .unwrap_or_default()
});

/// The catalogue.
pub fn catalogue() -> &'static [Fault] {
    &CATALOGUE
}

/// The entry with this id.
pub fn fault(id: &str) -> Option<&'static Fault> {
    CATALOGUE.iter().find(|f| f.id == id)
}

/// Every problem of a catalogue, one sentence each.
pub fn problems(entries: &[Fault]) -> Vec<String> {
    let mut out = Vec::new();
    for f in entries {
        let mut say = |what: String| out.push(format!("{}: {what}", f.id));
        if measure::spec(&f.measure).is_none() {
            say(format!("there is no measure “{}”", f.measure));
        }
        if f.band.fine == [None, None] {
            say("the fine band has no edge".into());
        }
        for side in [0, 1] {
            match (f.band.fine[side], f.band.clear[side]) {
                (None, None) => {}
                (Some(fine), Some(clear)) if (clear > fine) == (side == 1) && clear != fine => {}
                _ => say("the clear edge must lie beyond the fine one".into()),
            }
        }
        if f.ladder.len() < 3 {
            say("the drill needs at least three steps".into());
        }
        for role in Role::BOTH {
            if f.cue.get(&role).is_none_or(String::is_empty) {
                say(format!("no cue for the {role:?}"));
            }
        }
        if !(1..=3).contains(&f.severity) {
            say("severity is 1, 2 or 3".into());
        }
        for c in &f.caused_by {
            if c.fault == f.id || !entries.iter().any(|e| e.id == c.fault) {
                say(format!("its cause “{}” is no other entry", c.fault));
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_catalogue_is_sound() {
        assert_eq!(problems(catalogue()), Vec::<String>::new());
        assert!(catalogue().len() >= 10);
    }

    #[test]
    fn a_broken_entry_is_named() {
        let mut f = fault("S4").unwrap().clone();
        f.measure = "nothing".into();
        f.band.clear[1] = Some(0.1);
        f.caused_by[0].fault = "X9".into();
        let said = problems(&[f]).join("\n");
        for part in ["nothing", "beyond the fine", "X9"] {
            assert!(said.contains(part), "{said}");
        }
    }

    #[test]
    fn every_entry_fires_and_stays_silent() {
        for f in catalogue() {
            let lo = f.band.fine[0].unwrap_or(f.band.fine[1].unwrap_or(0.0) - 1.0);
            let hi = f.band.fine[1].unwrap_or(lo + 1.0);
            let calm = Estimate::new(0.5 * (lo + hi), 1e-3);
            assert!(f.probability(calm) < 0.01, "{}", f.id);
            let wild = match f.band.clear {
                [_, Some(c)] => c + 0.3 * (c - hi),
                [Some(c), None] => c - 0.3 * (lo - c),
                _ => unreachable!(),
            };
            assert!(f.probability(Estimate::new(wild, 1e-3)) > 0.99, "{}", f.id);
            assert!(f.band.beyond_clear(wild) > 0.0);
        }
    }

    proptest! {
        #[test]
        fn further_out_is_never_less_likely(a in 0.0..40.0f64, d in 0.0..20.0f64, s in 0.1..5.0f64) {
            let f = fault("P1").unwrap();
            let p = |v| f.probability(Estimate::new(v, s));
            prop_assert!(p(a + d) >= p(a) - 1e-12);
        }
    }
}
