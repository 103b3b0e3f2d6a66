//! Lanes over the count: the few measures that are drawn as lines over musical time, each with the band in force and
//! what the figure asks for.

use serde::{Deserialize, Serialize};

use crate::fault::Band;
use crate::judge::Judged;
use crate::measure::{Measure, Scene, spec};
use crate::units::{Role, Unit};

/// A line over the count for each of its roles, one of the take's measures.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Lane {
    /// Stable id.
    pub id: String,
    /// As a coach says it.
    pub name: String,
    /// How its values are to be read.
    pub note: String,
    /// The measure that is drawn.
    pub measure: String,
    /// Its unit.
    pub unit: Unit,
    /// Whose lines, none for the couple's.
    pub roles: Vec<Option<Role>>,
    /// The band in force, where the measure is judged.
    pub band: Option<Band>,
    /// Half of the least span that is drawn: smaller differences do not matter.
    pub least: f64,
    /// What the figure asks for.
    pub charted: Vec<Asked>,
    /// Why there is nothing to draw.
    pub empty: Option<String>,
}

/// What the figure asks of a dancer at a count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Asked {
    /// Whose.
    pub role: Role,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// In the measure's unit.
    pub value: f64,
}

/// A lane before anything is known of a take.
struct Plan {
    id: &'static str,
    name: &'static str,
    /// What may be drawn, the first that is told: its measure, and how its values are to be read.
    of: &'static [(&'static str, &'static str)],
    couple: bool,
    /// The fault whose band it is.
    fault: Option<&'static str>,
    least: f64,
}

const PLANS: [Plan; 6] = [
    Plan {
        id: "timing",
        name: "Timing",
        of: &[("arrival", "late above")],
        couple: false,
        fault: Some("T1"),
        least: 0.12,
    },
    Plan {
        id: "gap",
        name: "Gap",
        of: &[
            ("separation_share", "share of limit"),
            ("separation", "metres"),
        ],
        couple: true,
        fault: Some("C1"),
        least: 0.15,
    },
    Plan {
        id: "turn",
        name: "Turn",
        of: &[("turn_body", "left above"), ("turn", "feet, left above")],
        couple: false,
        fault: None,
        least: 30.0,
    },
    Plan {
        id: "level",
        name: "Level",
        of: &[("hip_rise", "hips, up above")],
        couple: false,
        fault: None,
        least: 0.02,
    },
    Plan {
        id: "lean",
        name: "Lean",
        of: &[("lean_away", "away above"), ("lean", "as the film shows")],
        couple: false,
        fault: Some("P1"),
        least: 5.0,
    },
    Plan {
        id: "speed",
        name: "Speed",
        of: &[("speed", "for each beat")],
        couple: false,
        fault: None,
        least: 0.15,
    },
];

/// All lanes of a take that was measured and judged.
pub fn lanes(scene: &Scene, measures: &[Measure], judged: &[Judged]) -> Vec<Lane> {
    let lane = |plan: &Plan| {
        let told = |id: &str| {
            let at_a_count = |m: &&Measure| m.id == id && m.count.is_some();
            let mut all = measures.iter().filter(at_a_count);
            all.any(|m| m.reading.estimate().is_some())
        };
        let judged = judged.iter().find(|j| Some(j.fault.as_str()) == plan.fault);
        // A share of the limit says something where the couple's distance is judged by it.
        let wanted =
            |(id, _): &&(&str, &str)| told(id) && (*id != "separation_share" || judged.is_some());
        let last = plan.of.last().copied().unwrap_or_default();
        let found = plan.of.iter().find(wanted).copied();
        let (measure, note) = found.unwrap_or(last);
        let looked = measures.iter().any(|m| plan.of.iter().any(|o| o.0 == m.id));
        Lane {
            id: plan.id.to_owned(),
            name: plan.name.to_owned(),
            note: note.to_owned(),
            unit: spec(measure).map_or(Unit::Ratio, |s| s.unit),
            measure: measure.to_owned(),
            roles: if plan.couple {
                vec![None]
            } else {
                Role::BOTH.map(Some).to_vec()
            },
            band: judged.map(|j| j.band).filter(|_| measure != "separation"),
            least: plan.least,
            charted: if plan.id == "turn" && found.is_some() {
                turns(scene)
            } else {
                Vec::new()
            },
            empty: found.is_none().then(|| {
                let why = if looked {
                    "not visible from this angle"
                } else {
                    "not known yet"
                };
                why.to_owned()
            }),
        }
    };
    PLANS.iter().map(lane).collect()
}

/// The turns that the figure asks for, degrees.
fn turns(scene: &Scene) -> Vec<Asked> {
    let Some((chart, _)) = &scene.chart else {
        return Vec::new();
    };
    let of = |role: Role| {
        scene.slots.iter().filter_map(move |slot| {
            let row = chart.rows(role).iter().find(|r| r.count == slot.count)?;
            Some(Asked {
                role,
                repetition: slot.repetition,
                count: slot.count,
                value: 45.0 * f64::from(row.turn),
            })
        })
    };
    Role::BOTH.into_iter().flat_map(of).collect()
}
