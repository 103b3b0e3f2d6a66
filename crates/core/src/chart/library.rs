//! The charts that ship, held as text in `data/charts/`, and a studio's own beside them.

use std::sync::LazyLock;

use super::notation;
use super::{Chart, Draft};

const FILES: &[&str] = &[
    include_str!("../../data/charts/argentine-tango.chart"),
    include_str!("../../data/charts/balboa.chart"),
    include_str!("../../data/charts/bolero.chart"),
    include_str!("../../data/charts/carolina-shag.chart"),
    include_str!("../../data/charts/country-swing.chart"),
    include_str!("../../data/charts/east-coast-swing.chart"),
    include_str!("../../data/charts/forro.chart"),
    include_str!("../../data/charts/foxtrot.chart"),
    include_str!("../../data/charts/hustle.chart"),
    include_str!("../../data/charts/kizomba.chart"),
    include_str!("../../data/charts/latin.chart"),
    include_str!("../../data/charts/lindy-hop.chart"),
    include_str!("../../data/charts/modern-jive.chart"),
    include_str!("../../data/charts/salsa.chart"),
    include_str!("../../data/charts/slow-rhythm.chart"),
    include_str!("../../data/charts/building-blocks.chart"),
    include_str!("../../data/charts/waltz-and-quickstep.chart"),
    include_str!("../../data/charts/west-coast-swing.chart"),
];

/// Drafts of all files, as written. A test checks that every one of them becomes a chart.
pub(super) fn drafts() -> impl Iterator<Item = Draft> {
    FILES
        .iter()
        .flat_map(|text| notation::read(text).figures)
        .map(|w| w.draft)
}

static LIBRARY: LazyLock<Vec<Chart>> =
    LazyLock::new(|| drafts().filter_map(|d| Chart::new(d).ok()).collect());

/// All charts that ship.
pub fn charts() -> &'static [Chart] {
    &LIBRARY
}

/// The shipped chart with this id.
pub fn chart(id: &str) -> Option<&'static Chart> {
    LIBRARY.iter().find(|c| c.id == id)
}

/// The library together with a studio's own charts.
#[derive(Debug, Clone, Default)]
pub struct Shelf {
    own: Vec<Chart>,
}

impl Shelf {
    /// With these own charts; one that has a shipped chart's id is not found by it.
    pub fn new(own: Vec<Chart>) -> Self {
        Self { own }
    }

    /// The chart with this id.
    pub fn get(&self, id: &str) -> Option<&Chart> {
        chart(id).or_else(|| self.own.iter().find(|c| c.id == id))
    }

    /// All charts.
    pub fn all(&self) -> impl Iterator<Item = &Chart> {
        charts().iter().chain(&self.own)
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use crate::chart::{Facts, Severity, check};
    use crate::routine::{End, join};

    #[test]
    fn every_figure_is_read_without_a_syntax_error() {
        for text in FILES {
            let read = notation::read(text);
            assert_eq!(read.errors, vec![], "{}", text.lines().next().unwrap());
        }
    }

    #[test]
    fn every_figure_passes_all_checks() {
        let wrong: Vec<String> = drafts()
            .flat_map(|d| {
                check::check(&d)
                    .1
                    .into_iter()
                    .filter(|p| p.severity == Severity::Stops)
                    .map(move |p| format!("{}: {:?} {}", d.id, p.at, p.sentence))
            })
            .collect();
        assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    }

    #[test]
    fn figures_of_a_dance_end_where_others_of_their_position_begin() {
        let all = charts();
        let mut pairs = 0;
        for a in all {
            for b in all.iter().filter(|b| b.dance == a.dance) {
                let joint = join(&End::last(a), &End::first(b));
                if joint.position {
                    pairs += 1;
                    assert!(joint.facing, "{} → {}: {:?}", a.id, b.id, joint.sentences);
                }
            }
        }
        assert!(pairs > 100, "{pairs}");
    }

    #[test]
    fn the_library_is_whole() {
        let all = charts();
        assert!(all.len() >= 36, "{}", all.len());
        let mut ids = BTreeMap::new();
        let mut dances: BTreeMap<&str, usize> = BTreeMap::new();
        for c in all {
            assert_eq!(ids.insert(&c.id, ()), None, "{} twice", c.id);
            *dances.entry(&c.dance).or_default() += 1;
            for (what, text) in [("about", &c.about), ("good for", &c.good_for)] {
                assert!(text.len() > 15, "{} has no {what}", c.id);
            }
            assert!(!c.faults.is_empty(), "{} names no fault", c.id);
        }
        for (dance, n) in &dances {
            assert!(*n >= 2, "{dance} has {n}");
        }
    }

    #[test]
    fn one_line_a_figure() {
        let lines: Vec<String> = charts()
            .iter()
            .map(|c| {
                let f = Facts::of(c, c.layout(), [1.75, 1.65]);
                let excepted: Vec<&str> = c.exceptions.iter().map(|e| e.rule.word()).collect();
                format!(
                    "{} · {} · {} · leader {:+}/8, follower {:+}/8 · ends {} · {}{}{}",
                    c.dance,
                    c.id,
                    c.counts,
                    f.ledger[0].total,
                    f.ledger[1].total,
                    f.end.word(),
                    check::listed(&f.end_holds),
                    if f.repeats { " · repeats" } else { "" },
                    if excepted.is_empty() {
                        String::new()
                    } else {
                        format!(" · except {}", excepted.join(", "))
                    }
                )
            })
            .collect();
        insta::assert_snapshot!(lines.join("\n"));
    }

    #[test]
    fn an_own_chart_does_not_hide_a_shipped_one() {
        let mut draft = chart("shag-basic").unwrap().draft().clone();
        draft.name = "Mine".into();
        let other = Draft {
            id: "mine".into(),
            ..draft.clone()
        };
        let shelf = Shelf::new([draft, other].map(|d| Chart::new(d).unwrap()).into());
        assert_ne!(shelf.get("shag-basic").unwrap().name, "Mine");
        assert_eq!(shelf.get("mine").unwrap().name, "Mine");
        assert!(shelf.get("nothing").is_none());
    }
}
