//! What is judged from the networks' landmarks, beside what exact bodies show.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use upright_core::analyse::{Analysis, analyse};
use upright_core::chart::Shelf;
use upright_core::judge::SHOWS;
use upright_core::marks::Marks;
use upright_core::take::{Film, solve_take};
use upright_studio::Performance;

use crate::draw::Row;
use crate::findings;

/// How often what was said was so.
#[derive(Default)]
struct OfRow {
    /// Repetitions that show a fault, and how many of those exact bodies show too.
    shown: usize,
    right: usize,
    /// Repetitions in which exact bodies show a fault, how many of those were judged, and found.
    exact: usize,
    judged: usize,
    found: usize,
    /// By tenths of probability: what was said, how many, and how many were so.
    said: [(f64, usize, usize); 10],
    /// False findings by fault.
    falsely: BTreeMap<String, usize>,
}

#[derive(Default)]
pub struct Said(BTreeMap<Row, OfRow>);

impl Said {
    /// Judges a take by these marks and films and compares.
    pub fn compare(&mut self, p: &Performance, row: Row, (marks, films): (&Marks, &[Film])) {
        let shelf = Shelf::default();
        let take = findings::take(p.scenario(), marks, films, &shelf);
        let seen = analyse(&take, Some(&solve_take(&take, None)));
        self.add(&seen, &findings::exactly(p), row);
    }

    fn add(&mut self, seen: &Analysis, exact: &Analysis, row: Row) {
        let of = self.0.entry(row).or_default();
        for known in &exact.judged {
            let same = seen
                .judged
                .iter()
                .find(|j| (&j.fault, j.role) == (&known.fault, known.role));
            for k in &known.evidence {
                let e = same.and_then(|j| j.evidence.iter().find(|e| e.repetition == k.repetition));
                let so = k.probability >= SHOWS;
                of.exact += usize::from(so);
                let (Some(j), Some(e)) = (same, e) else {
                    continue;
                };
                let shows = e.probability >= SHOWS;
                let band = e.asked.map_or(j.band, |a| j.band.reaching(a));
                let true_one = band.beyond(k.value.value) > 0.0;
                of.judged += usize::from(so);
                of.found += usize::from(so && shows);
                of.shown += usize::from(shows);
                of.right += usize::from(shows && true_one);
                if shows && !true_one {
                    *of.falsely.entry(j.fault.clone()).or_default() += 1;
                }
                let bin = &mut of.said[((10.0 * e.probability) as usize).min(9)];
                bin.0 += e.probability;
                bin.1 += 1;
                bin.2 += usize::from(true_one);
            }
        }
    }

    pub fn table(&self) -> String {
        let mut page = String::from(
            "What is judged from them, by repetition:\n\n| | shown | of these so | exact bodies show | judged | found | calibration error |\n|---|---|---|---|---|---|---|\n",
        );
        let share = |n: usize, of: usize| 100.0 * n as f64 / of.max(1) as f64;
        for (row, of) in &self.0 {
            let all: usize = of.said.iter().map(|s| s.1).sum();
            let off: f64 = of.said.iter().map(|s| (s.0 - s.2 as f64).abs()).sum();
            let _ = writeln!(
                page,
                "| {} | {} | {:.0} % | {} | {:.0} % | {:.0} % | {:.3} |",
                row.name(),
                of.shown,
                share(of.right, of.shown),
                of.exact,
                share(of.judged, of.exact),
                share(of.found, of.exact),
                off / all.max(1) as f64,
            );
        }
        for (row, of) in &self.0 {
            let list: Vec<String> = of.falsely.iter().map(|(f, n)| format!("{f} {n}")).collect();
            if !list.is_empty() {
                let _ = writeln!(page, "\nFalsely by {}: {}", row.name(), list.join(", "));
            }
        }
        page
    }
}
