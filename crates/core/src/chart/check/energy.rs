//! How hard a figure works: steps a second and turns, and a calmer way to dance it.

use serde::{Deserialize, Serialize};

use super::{Place, Problem, Sheet};
use crate::chart::layout::Layout;
use crate::chart::part::ChartRow;
use crate::chart::vocabulary::{Part, Rule};
use crate::units::Role;

/// How hard it works, in words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Effort {
    /// Walking pace or slower.
    Calm,
    /// Above walking pace.
    Steady,
    /// Near running pace.
    Lively,
}

/// Weight changes a second above which a figure is steady, and lively. Walking at ease is about 1.7.
const STEADY: f64 = 1.7;
const LIVELY: f64 = 2.7;

impl Effort {
    /// Of so many weight changes and eighths of turn a second; a whole turn a second counts like one
    /// more step.
    pub fn of(steps: f64, eighths: f64) -> Self {
        let pace = steps + eighths / 8.0;
        if pace >= LIVELY {
            Self::Lively
        } else if pace >= STEADY {
            Self::Steady
        } else {
            Self::Calm
        }
    }
}

/// Weight changes a second of a role's rows over so many beats at a tempo.
pub fn steps_per_second(rows: &[ChartRow], beats: u32, bpm: f64) -> f64 {
    let steps = rows.iter().filter(|r| r.action.takes_weight()).count() as f64;
    steps * bpm / (60.0 * f64::from(beats.max(1)))
}

/// Eighths of turn a second of a role's rows.
pub(crate) fn turn_per_second(rows: &[ChartRow], beats: u32, bpm: f64) -> f64 {
    f64::from(rows.iter().map(|r| r.turn.abs()).sum::<i32>()) * bpm
        / (60.0 * f64::from(beats.max(1)))
}

/// The same with every triple danced as one step: weight changes a second, where there are triples.
pub(in crate::chart) fn with_singles(layout: &Layout, role: Role, bpm: f64) -> Option<f64> {
    let rows = &layout.rows[role as usize];
    let triples = rows
        .iter()
        .filter(|r| matches!(r.part, Some(Part::Triple | Part::Chasse)))
        .count();
    (triples > 0).then(|| {
        let steps = rows.iter().filter(|r| r.action.takes_weight()).count() - triples * 2 / 3;
        steps as f64 * bpm / (60.0 * f64::from(layout.pattern.beats.max(1)))
    })
}

/// Advises a calmer way where a figure is lively.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out = Vec::new();
    let top = s.draft.tempo[1];
    for role in Role::BOTH {
        let rows = &s.layout.rows[role as usize];
        let beats = s.layout.pattern.beats;
        let pace = steps_per_second(rows, beats, top);
        if Effort::of(pace, turn_per_second(rows, beats, top)) == Effort::Lively {
            let p = Problem::advice(
                Rule::Energy,
                Place {
                    role: Some(role),
                    ..Place::default()
                },
                format!(
                    "At {top:.0} beats a minute the {} makes {pace:.1} weight changes a second.",
                    super::role_word(role)
                ),
            );
            out.push(match with_singles(s.layout, role, top) {
                Some(calm) => p.suggest(format!(
                    "With single steps instead of triples it is {calm:.1}: the calmer way when breath or knees ask for it."
                )),
                None => p,
            });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::testing::problems_after;
    use super::*;
    use crate::chart::chart;

    #[test]
    fn the_pace_follows_from_steps_beats_and_tempo() {
        let c = chart("shag-basic").unwrap();
        // Eight weight changes in six beats at 120 a minute.
        let pace = steps_per_second(c.rows(Role::Leader), 6, 120.0);
        assert!((pace - 8.0 / 3.0).abs() < 1e-12);
        // Single steps: four in six beats.
        let calm = with_singles(c.layout(), Role::Leader, 120.0).unwrap();
        assert!((calm - 4.0 / 3.0).abs() < 1e-12);
    }

    #[test]
    fn fast_triples_bring_the_calmer_way_and_slow_dances_none() {
        let calmer = |id: &str, top: f64| {
            problems_after(id, |d| d.tempo[1] = top)
                .iter()
                .any(|p| p.rule == Rule::Energy && p.suggestion.is_some())
        };
        assert!(calmer("shag-basic", 180.0));
        assert!(!calmer("bolero-basic", 110.0));
    }

    #[test]
    fn effort_has_three_words() {
        assert_eq!(Effort::of(1.0, 0.0), Effort::Calm);
        assert_eq!(Effort::of(1.5, 4.0), Effort::Steady);
        assert_eq!(Effort::of(2.0, 8.0), Effort::Lively);
    }
}
