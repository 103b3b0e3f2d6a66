//! By what a take is judged: the catalogue with the studio's own entries, the couple's schools, own bands and
//! stage, and the tempo and heights that scale a band.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{Band, Fault, Scale, catalogue, topics};
use crate::chart::{Family, style};
use crate::units::Role;

/// A band of a couple's or a student's own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OwnBand {
    /// Id in the catalogue.
    pub fault: String,
    /// Only for this role; for both when absent.
    #[serde(default)]
    pub role: Option<Role>,
    /// The band.
    pub band: Band,
    /// Why.
    pub reason: String,
}

/// How far a couple has come with a figure's ladder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum CoupleStage {
    /// The easy version: smaller turns.
    First,
    /// The full version.
    #[default]
    Second,
}

/// What is chosen for a couple.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Choices {
    /// Chosen school by topic; what is absent is as usual for the dance.
    pub schools: BTreeMap<String, String>,
    /// Own bands.
    pub bands: Vec<OwnBand>,
    /// Stage.
    pub stage: CoupleStage,
}

/// Most own bands of a couple, and most letters of a reason.
const MOST_BANDS: usize = 100;
const MOST_REASON: usize = 300;

impl Choices {
    /// Every problem, one sentence each; `known` are the entries that a band can belong to.
    pub fn problems(&self, known: &Rules) -> Vec<String> {
        let mut out = Vec::new();
        for (topic, choice) in &self.schools {
            let found = topics().iter().find(|t| t.id == *topic);
            if found.and_then(|t| t.choice(choice)).is_none() {
                out.push(format!("There is no school “{choice}” of “{topic}”."));
            }
        }
        if self.bands.len() > MOST_BANDS {
            out.push(format!("A couple has at most {MOST_BANDS} own bands."));
        }
        for b in &self.bands {
            if known.entry(&b.fault).is_none_or(|f| f.band.is_none()) {
                out.push(format!("There is no band of “{}”.", b.fault));
            }
            if let Some(problem) = b.band.problem() {
                out.push(format!("{}: {problem}.", b.fault));
            }
            if b.reason.trim().is_empty() || b.reason.chars().count() > MOST_REASON {
                out.push(format!(
                    "{}: say in at most {MOST_REASON} letters why the band is another.",
                    b.fault
                ));
            }
        }
        out
    }
}

/// What a couple is judged by.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Rules {
    /// What is chosen for the couple.
    pub choices: Choices,
    /// The studio's own entries; one with the id of an entry of the catalogue stands in for it.
    pub entries: Vec<Fault>,
}

/// What besides the rules decides a band.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Circumstances {
    /// Kin of the dance.
    pub family: Family,
    /// Beats a minute, where the count is laid.
    pub tempo: Option<f64>,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
}

impl Circumstances {
    /// Of a dance.
    pub fn of(dance: &str, tempo: Option<f64>, heights: [f64; 2]) -> Self {
        Self {
            family: style(dance).family,
            tempo,
            heights,
        }
    }
}

/// The school that set a band.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct JudgedBy {
    /// Topic.
    pub topic: String,
    /// Choice within it.
    pub choice: String,
}

/// A band with everything that decided it.
#[derive(Debug, Clone, PartialEq)]
pub struct InForce {
    /// The band.
    pub band: Band,
    /// The school that has a say in this fault.
    pub school: Option<JudgedBy>,
    /// What moved it from the catalogue's, in words.
    pub because: Vec<String>,
}

impl InForce {
    /// The band, reaching as far as the figure asks.
    pub fn reaching(&self, asked: Option<f64>) -> Band {
        asked.map_or(self.band, |a| self.band.reaching(a))
    }
}

static USUAL: std::sync::LazyLock<Rules> = std::sync::LazyLock::new(Rules::default);

impl Rules {
    /// Rules without any choice of the couple's own.
    pub fn usual() -> &'static Self {
        &USUAL
    }

    /// All entries: the catalogue's, or the studio's in their stead, then the studio's own.
    pub fn entries(&self) -> impl Iterator<Item = &Fault> {
        let own = |id: &str| self.entries.iter().find(|f| f.id == id);
        let known = |id: &str| catalogue().iter().any(|f| f.id == id);
        catalogue()
            .iter()
            .map(move |f| own(&f.id).unwrap_or(f))
            .chain(self.entries.iter().filter(move |f| !known(&f.id)))
    }

    /// The entry with this id.
    pub fn entry(&self, id: &str) -> Option<&Fault> {
        self.entries().find(|f| f.id == id)
    }

    /// The band in force for a fault; none where its school does not know it, or it has no measure. A band
    /// of the couple's own outranks the school's, which outranks the catalogue's, which alone is scaled.
    pub fn band(&self, fault: &Fault, role: Option<Role>, here: &Circumstances) -> Option<InForce> {
        let catalogued = fault.band?;
        let mut school = None;
        let mut band = None;
        for topic in topics() {
            let concerns = |id: &String| *id == fault.id;
            let has_say = topic
                .choices
                .iter()
                .any(|c| c.off.iter().any(concerns) || c.bands.iter().any(|b| b.fault == fault.id));
            let Some(choice) = topic
                .in_force(self.choices.schools.get(&topic.id), here.family)
                .filter(|_| has_say)
            else {
                continue;
            };
            if choice.off.iter().any(concerns) {
                return None;
            }
            school = Some(JudgedBy {
                topic: topic.id.clone(),
                choice: choice.id.clone(),
            });
            if let Some(b) = choice.bands.iter().find(|b| b.fault == fault.id) {
                band = Some(b.band);
                break;
            }
        }
        let own = self
            .choices
            .bands
            .iter()
            .find(|b| b.fault == fault.id && (b.role.is_none() || b.role == role));
        if let Some(own) = own {
            return Some(InForce {
                band: own.band,
                school,
                because: vec![format!("Own band: {}", own.reason)],
            });
        }
        if let Some(band) = band {
            return Some(InForce {
                band,
                school,
                because: Vec::new(),
            });
        }
        let mut because = Vec::new();
        let factor: f64 = fault
            .scale
            .iter()
            .filter_map(|s| self.scaled(s, here))
            .map(|(factor, why)| {
                because.push(why);
                factor
            })
            .product();
        Some(InForce {
            band: catalogued.widened(factor),
            school,
            because,
        })
    }

    fn scaled(&self, scale: &Scale, here: &Circumstances) -> Option<(f64, String)> {
        let along = |value: f64, from: f64, to: f64, widen: f64| {
            let share = ((value - from) / (to - from).max(1e-9)).clamp(0.0, 1.0);
            (share > 0.0).then_some(1.0 + share * (widen - 1.0))
        };
        let word = |factor: f64| if factor > 1.0 { "wider" } else { "narrower" };
        let percent = |factor: f64| (100.0 * (factor - 1.0).abs()).round();
        match *scale {
            Scale::Tempo { from, to, widen } => {
                let f = along(here.tempo?, from, to, widen)?;
                Some((f, format!("{} % {} at this tempo", percent(f), word(f))))
            }
            Scale::HeightDifference { from, to, widen } => {
                let f = along((here.heights[0] - here.heights[1]).abs(), from, to, widen)?;
                let why = format!("{} % {} for these heights", percent(f), word(f));
                Some((f, why))
            }
            Scale::FirstStage { widen } => (self.choices.stage == CoupleStage::First).then(|| {
                let why = format!("{} % {} in the first stage", percent(widen), word(widen));
                (widen, why)
            }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault::fault;

    fn here(dance: &str) -> Circumstances {
        Circumstances::of(dance, Some(118.0), [1.8, 1.7])
    }

    fn fine(rules: &Rules, id: &str, dance: &str) -> Option<[Option<f64>; 2]> {
        let band = rules.band(fault(id).unwrap(), Some(Role::Leader), &here(dance));
        band.map(|b| b.band.fine)
    }

    #[test]
    fn a_school_moves_a_band_or_does_not_know_the_fault() {
        let mut rules = Rules::default();
        assert_eq!(
            fine(&rules, "F1", "Carolina shag"),
            Some([None, Some(150.0)])
        );
        assert_eq!(
            fine(&rules, "K2", "Carolina shag"),
            Some([Some(0.25), None])
        );
        rules.choices.schools.insert("arms".into(), "bent".into());
        rules
            .choices
            .schools
            .insert("compression_step".into(), "backs".into());
        assert_eq!(
            fine(&rules, "F1", "Carolina shag"),
            Some([None, Some(125.0)])
        );
        assert_eq!(fine(&rules, "K2", "Carolina shag"), None);
        let f1 = rules.band(fault("F1").unwrap(), None, &here("Carolina shag"));
        assert_eq!(f1.unwrap().school.unwrap().choice, "bent");
    }

    #[test]
    fn the_family_chooses_where_nobody_did() {
        let rules = Rules::default();
        assert_eq!(fine(&rules, "P3", "Carolina shag"), Some([None, Some(5.0)]));
        assert_eq!(fine(&rules, "P3", "Forró"), Some([None, Some(9.0)]));
        assert_eq!(fine(&rules, "S9", "Waltz"), Some([Some(-5.0), Some(12.0)]));
        assert_eq!(fine(&rules, "S9", "Rumba"), Some([Some(10.0), Some(30.0)]));
    }

    #[test]
    fn an_own_band_outranks_the_school_and_says_why() {
        let mut rules = Rules::default();
        rules.choices.schools.insert("arms".into(), "bent".into());
        let band = Band {
            fine: [None, Some(160.0)],
            clear: [None, Some(170.0)],
        };
        rules.choices.bands.push(OwnBand {
            fault: "F1".into(),
            role: Some(Role::Leader),
            band,
            reason: "an old break of the elbow".into(),
        });
        let of = |role| {
            rules
                .band(fault("F1").unwrap(), Some(role), &here("Salsa"))
                .unwrap()
        };
        assert_eq!(of(Role::Leader).band, band);
        assert_eq!(
            of(Role::Leader).because,
            ["Own band: an old break of the elbow"]
        );
        assert_eq!(of(Role::Follower).band.fine, [None, Some(125.0)]);
    }

    #[test]
    fn tempo_heights_and_stage_scale_the_catalogue_and_say_so() {
        let mut rules = Rules::default();
        let turn = fault("R2").unwrap();
        let of = |rules: &Rules, heights| {
            let here = Circumstances::of("Bolero", Some(96.0), heights);
            rules.band(turn, None, &here).unwrap()
        };
        assert_eq!(of(&rules, [1.7, 1.7]).band.fine, [None, Some(90.0)]);
        let tall = of(&rules, [1.95, 1.60]);
        assert_eq!(tall.band.fine, [None, Some(72.0)]);
        assert_eq!(tall.because, ["20 % narrower for these heights"]);
        rules.choices.stage = CoupleStage::First;
        assert!((of(&rules, [1.7, 1.7]).band.fine[1].unwrap() - 54.0).abs() < 1e-9);
        let collect = |bpm| {
            let here = Circumstances::of("Balboa", Some(bpm), [1.7, 1.7]);
            rules
                .band(fault("S5").unwrap(), None, &here)
                .unwrap()
                .band
                .fine[1]
                .unwrap()
        };
        assert!((collect(120.0) - 0.06).abs() < 1e-9);
        assert!((collect(175.0) - 0.072).abs() < 1e-9);
        assert!((collect(220.0) - 0.084).abs() < 1e-9);
    }

    #[test]
    fn the_studios_entry_stands_in_for_the_catalogues() {
        let mut own = fault("P5").unwrap().clone();
        own.name = "Looks at the floor".into();
        let mut new = own.clone();
        new.id = "X1".into();
        let rules = Rules {
            entries: vec![own, new],
            ..Rules::default()
        };
        assert_eq!(rules.entries().count(), catalogue().len() + 1);
        assert_eq!(rules.entry("P5").unwrap().name, "Looks at the floor");
        assert!(rules.entry("X1").is_some());
    }

    #[test]
    fn choices_that_mean_nothing_are_refused() {
        let mut c = Choices::default();
        c.schools.insert("arms".into(), "wooden".into());
        c.bands.push(OwnBand {
            fault: "C11".into(),
            role: None,
            band: Band {
                fine: [None, Some(3.0)],
                clear: [None, Some(2.0)],
            },
            reason: " ".into(),
        });
        let said = c.problems(Rules::usual()).join("\n");
        for part in [
            "“wooden”",
            "no band of “C11”",
            "beyond the fine",
            "say in at most",
        ] {
            assert!(said.contains(part), "{part}: {said}");
        }
        assert!(Choices::default().problems(Rules::usual()).is_empty());
    }
}
