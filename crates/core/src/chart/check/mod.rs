//! The arithmetic that people do in their heads, one rule a file.

mod counts;
mod energy;
mod footing;
mod form;
mod holds;
mod position;
mod reach;
mod room;
mod safety;
mod turns;
mod weight;

pub(crate) use energy::turn_per_second;
pub use energy::{Effort, steps_per_second};
pub(crate) use form::is_id;
pub(crate) use holds::listed;
pub use reach::shortfall;
pub use room::extent;
pub(crate) use turns::{LONG_STREAK, side};
pub use turns::{Ledger, ledger};

use serde::{Deserialize, Serialize};

use super::draft::Draft;
use super::layout::Layout;
use super::path::{Standing, moments};
use super::place::WRITTEN_FOR;
use super::vocabulary::{HoldVerb, Rule};
use crate::units::{Foot, Role};

/// Heights for which a chart is checked, metres: alike, and a tall leader with a short follower. A
/// tall follower is their mirror in everything that is checked.
const CHECKED_FOR: [[f64; 2]; 2] = [[WRITTEN_FOR, WRITTEN_FOR], [1.84, 1.64]];

/// How much a problem weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Severity {
    /// The figure cannot be danced, or not safely, as it is written.
    Stops,
    /// It would, but an exception with a reason is written.
    Excepted,
    /// Worth knowing.
    Advice,
}

/// Where in a figure.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Place {
    /// Whose row; absent for the couple's part or the whole figure.
    pub role: Option<Role>,
    /// On which count, index into the chart's counts; absent for the whole figure.
    pub count: Option<usize>,
    /// Which line of the head, by its key.
    pub field: Option<&'static str>,
}

impl Place {
    /// A role's row.
    pub fn row(role: Role, count: usize) -> Self {
        Self {
            role: Some(role),
            count: Some(count),
            field: None,
        }
    }

    /// The couple on a count.
    pub fn couple(count: usize) -> Self {
        Self {
            count: Some(count),
            ..Self::default()
        }
    }

    /// A line of the head.
    pub fn field(key: &'static str) -> Self {
        Self {
            field: Some(key),
            ..Self::default()
        }
    }
}

/// A change that mends a problem.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fix {
    /// Use the other foot in this entry.
    OtherFoot {
        /// Whose.
        role: Role,
        /// Which entry.
        entry: usize,
    },
    /// Write this caution.
    Caution(&'static str),
    /// Do what joins hands before what parts them, on this count.
    JoinFirst {
        /// Which count.
        count: usize,
    },
    /// Turn by so many eighths more.
    Turn {
        /// Whose.
        role: Role,
        /// Which entry.
        entry: usize,
        /// Eighths, positive to the left.
        by: i32,
    },
}

impl Fix {
    /// The draft with the change.
    pub fn apply(&self, draft: &Draft) -> Draft {
        let mut d = draft.clone();
        match self {
            Self::OtherFoot { role, entry } => {
                if let Some(e) = d.entries_mut(*role).get_mut(*entry) {
                    e.foot = e.foot.other();
                }
            }
            Self::Caution(text) => d.caution = (*text).to_owned(),
            Self::JoinFirst { count } => {
                for c in d.couple.iter_mut().filter(|c| c.count == *count) {
                    c.holds.sort_by_key(|h| !h.verb.joins());
                }
            }
            Self::Turn { role, entry, by } => {
                if let Some(e) = d.entries_mut(*role).get_mut(*entry) {
                    e.turn += by;
                }
            }
        }
        d
    }
}

/// One broken rule.
#[derive(Debug, Clone, PartialEq)]
pub struct Problem {
    /// Which rule.
    pub rule: Rule,
    /// How much it weighs.
    pub severity: Severity,
    /// Where.
    pub at: Place,
    /// What is wrong, for people.
    pub sentence: String,
    /// What would mend it.
    pub suggestion: Option<String>,
    /// The change that does.
    pub fix: Option<Fix>,
}

impl Problem {
    /// A problem that stops the chart.
    pub fn stop(rule: Rule, at: Place, sentence: impl Into<String>) -> Self {
        Self {
            rule,
            severity: Severity::Stops,
            at,
            sentence: sentence.into(),
            suggestion: None,
            fix: None,
        }
    }

    /// Worth knowing.
    pub fn advice(rule: Rule, at: Place, sentence: impl Into<String>) -> Self {
        Self {
            severity: Severity::Advice,
            ..Self::stop(rule, at, sentence)
        }
    }

    /// With a way to mend it.
    #[must_use]
    pub fn suggest(mut self, suggestion: impl Into<String>) -> Self {
        self.suggestion = Some(suggestion.into());
        self
    }

    /// With the change that mends it.
    #[must_use]
    pub fn fixed_by(mut self, fix: Fix) -> Self {
        self.fix = Some(fix);
        self
    }
}

/// A foot in words.
pub(crate) fn foot_word(foot: Foot) -> &'static str {
    match foot {
        Foot::Left => "left",
        Foot::Right => "right",
    }
}

/// A role in words.
pub(crate) fn role_word(role: Role) -> &'static str {
    match role {
        Role::Leader => "leader",
        Role::Follower => "follower",
    }
}

/// What every check looks at.
pub(super) struct Sheet<'a> {
    /// As it is written.
    pub draft: &'a Draft,
    /// Over the counts.
    pub layout: &'a Layout,
    /// For the couples for which a chart is checked.
    pub danced: Vec<Danced>,
}

/// Heights, and both dancers before the first count and after each.
type Danced = ([f64; 2], Vec<[Standing; 2]>);

impl Sheet<'_> {
    /// How a count is spoken.
    pub fn spoken(&self, count: usize) -> String {
        self.layout.pattern.spoken(count)
    }
}

/// Every problem of a draft, in order of counts, and its layout where it can be read at all.
pub fn check(draft: &Draft) -> (Option<Layout>, Vec<Problem>) {
    let mut problems = form::form(draft);
    let (layout, more) = Layout::of(draft);
    problems.extend(more);
    if let Some(layout) = &layout {
        let danced = CHECKED_FOR
            .iter()
            .map(|h| (*h, moments(draft, layout, *h)))
            .collect();
        problems.extend(check_rows(&Sheet {
            draft,
            layout,
            danced,
        }));
        if draft.has_second_stage() {
            problems.extend(second_stage(draft, &problems));
        }
    }
    for p in &mut problems {
        let meant = draft.exceptions.iter().find(|e| e.rule == p.rule);
        if let Some(e) = meant.filter(|_| p.severity == Severity::Stops && p.rule != Rule::Form) {
            p.severity = Severity::Excepted;
            p.suggestion = Some(format!("Meant so: {}", e.reason));
        }
    }
    problems.sort_by(|a, b| {
        let key = |p: &Problem| (p.severity, p.at.count.map_or(0, |c| c + 1), p.rule);
        key(a).cmp(&key(b))
    });
    (layout, problems)
}

fn check_rows(sheet: &Sheet) -> Vec<Problem> {
    let mut all = Vec::new();
    all.extend(counts::check(sheet));
    all.extend(weight::check(sheet));
    all.extend(footing::check(sheet));
    all.extend(turns::check(sheet));
    all.extend(holds::check(sheet));
    all.extend(position::check(sheet));
    all.extend(reach::check(sheet));
    all.extend(safety::check(sheet));
    all.extend(energy::check(sheet));
    all
}

/// What the second stage's turns break that the first stage's do not. Places are left out: with more
/// turn the outer partner's steps grow, by how much the chart leaves to the dancers.
fn second_stage(draft: &Draft, first: &[Problem]) -> Vec<Problem> {
    let second = draft.second_stage();
    let (_, problems) = check(&second);
    problems
        .into_iter()
        .filter(|p| {
            p.severity == Severity::Stops
                && p.rule != Rule::Position
                && p.rule != Rule::Reach
                && !first.iter().any(|f| f.rule == p.rule && f.at == p.at)
        })
        .map(|mut p| {
            p.sentence = format!("At the second stage: {}", p.sentence);
            p.fix = None;
            p
        })
        .collect()
}

/// Whether a couple's entry parts hands on purpose.
fn throws(sheet: &Sheet, count: usize) -> bool {
    sheet
        .draft
        .couple
        .iter()
        .any(|c| c.count == count && c.holds.iter().any(|h| h.verb == HoldVerb::Throw))
}

#[cfg(test)]
pub(super) mod testing {
    use super::*;
    use crate::chart::chart;

    /// A chart of the library, changed, and its problems.
    pub fn problems_after(id: &str, change: impl FnOnce(&mut Draft)) -> Vec<Problem> {
        let mut draft = chart(id).unwrap().draft().clone();
        change(&mut draft);
        check(&draft).1
    }

    /// Whether a problem of this rule that stops the chart is among them, with these words.
    pub fn stops(problems: &[Problem], rule: Rule, words: &str) -> bool {
        problems
            .iter()
            .any(|p| p.rule == rule && p.severity == Severity::Stops && p.sentence.contains(words))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::chart::path::{moments_from, relation};
    use crate::chart::{Direction, charts};

    fn outline(draft: &Draft) -> Vec<(Rule, Severity, Place)> {
        let mut all: Vec<_> = check(draft)
            .1
            .into_iter()
            .map(|p| (p.rule, p.severity, p.at))
            .collect();
        all.sort();
        all
    }

    /// A shipped chart with one row spoilt.
    fn spoilt() -> impl Strategy<Value = Draft> {
        let spoil = (
            any::<usize>(),
            any::<usize>(),
            -6..=6i32,
            0.0..1.4f64,
            0..12usize,
            any::<bool>(),
        );
        spoil.prop_map(|(which, row, turn, size, direction, swap)| {
            let all = charts();
            let mut d = all[which % all.len()].draft().clone();
            let role = if row % 2 == 0 {
                Role::Leader
            } else {
                Role::Follower
            };
            let entries = d.entries_mut(role);
            let n = entries.len();
            let e = &mut entries[row % n];
            e.turn += turn;
            e.size = (size * 1000.0).round() / 1000.0;
            e.direction = Some(Direction::ALL[direction]);
            if swap {
                e.foot = e.foot.other();
            }
            d
        })
    }

    #[test]
    fn mirroring_a_shipped_chart_keeps_all_checks() {
        for c in charts() {
            let mirrored = c.draft().mirrored();
            assert_eq!(outline(c.draft()), outline(&mirrored), "{}", c.id);
            assert_eq!(mirrored.mirrored().leader, c.draft().leader);
        }
    }

    proptest! {
        #[test]
        fn mirroring_any_chart_keeps_all_checks(d in spoilt()) {
            prop_assert_eq!(outline(&d), outline(&d.mirrored()), "{}", d.id);
        }

        #[test]
        fn turning_and_moving_a_chart_keeps_what_hands_and_places_see(d in spoilt(), turn in -180.0..180.0f64, x in -9.0..9.0f64, y in -9.0..9.0f64) {
            let heights = [1.8, 1.66];
            let layout = Layout::of(&d).0.unwrap();
            let here = moments(&d, &layout, heights);
            let there = moments_from(&layout, here[0].map(|s| s.stance.moved(turn, [x, y])), heights);
            for (i, (a, b)) in here.iter().zip(&there).enumerate() {
                let (p, q) = (relation(a), relation(b));
                prop_assert!((p.distance - q.distance).abs() < 1e-9);
                prop_assert!(crate::units::wrap_degrees(p.turned - q.turned).abs() < 1e-9);
                let holds = if i == 0 { &d.holds } else { &layout.holds[i - 1] };
                for h in holds {
                    prop_assert!((shortfall(*h, a, heights) - shortfall(*h, b, heights)).abs() < 1e-9);
                }
            }
        }
    }

    #[test]
    fn an_exception_with_its_reason_lets_a_rule_pass() {
        let mut d = crate::chart::chart("bolero-basic").unwrap().draft().clone();
        d.leader[1].foot = crate::units::Foot::Left;
        assert!(crate::chart::Chart::new(d.clone()).is_err());
        for rule in [Rule::Weight, Rule::Footing, Rule::Position, Rule::Reach] {
            d.exceptions.push(crate::chart::Exception {
                rule,
                reason: "a fake step".into(),
            });
        }
        let c = crate::chart::Chart::new(d).unwrap();
        let p = c.notes().iter().find(|p| p.rule == Rule::Weight).unwrap();
        assert_eq!(p.severity, Severity::Excepted);
        assert_eq!(p.suggestion.as_deref(), Some("Meant so: a fake step"));
    }
}
