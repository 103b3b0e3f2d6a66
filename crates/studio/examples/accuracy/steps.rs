//! Arrivals found from solved feet: how many of those that were danced, how far off, and whether the claimed
//! error holds.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use upright_core::body::solve::Bodies;
use upright_core::event::foot_steps;
use upright_core::units::Role;
use upright_studio::Performance;

use crate::draw::Row;

/// Furthest that a step found may lie from the arrival it answers, seconds.
const SAME: f64 = 0.25;

/// A step is seen where the body is known from so long before it to so long after it, seconds, with no longer
/// gaps than that.
const BEFORE: f64 = 0.15;
const AFTER: f64 = 0.2;
const GAP: f64 = 0.25;

/// What was found of one row's arrivals.
#[derive(Default)]
pub struct Steps {
    /// Arrivals danced before the camera, and those of them at which the dancer is not seen for a while.
    danced: usize,
    hidden: usize,
    /// Error and claimed σ of those found, seconds.
    found: Vec<(f64, f64)>,
    /// Found on the right foot with the weight told wrongly.
    weight: usize,
    /// Steps found that nobody made.
    extra: usize,
}

impl Steps {
    /// Compares one dancer's steps with those danced.
    pub fn compare(&mut self, p: &Performance, role: Role, solved: &Bodies) {
        let (Some(first), Some(last)) = (solved.at.first(), solved.at.last()) else {
            return;
        };
        let found = foot_steps(solved, role);
        let mut taken = vec![false; found.len()];
        // What begins before the first picture or ends with the last cannot be seen.
        let danced = p.arrivals(role).iter();
        for a in danced.filter(|a| a.leaves > first + BEFORE && a.at + AFTER < *last) {
            self.danced += 1;
            let gone = solved
                .at
                .windows(2)
                .any(|w| w[1] - w[0] > GAP && w[1] > a.leaves - BEFORE && w[0] < a.at + AFTER);
            let near = (0..found.len())
                .filter(|i| !taken[*i] && found[*i].mark.foot == a.foot)
                .map(|i| (i, found[i].mark.at.secs() - a.at))
                .filter(|(_, off)| off.abs() < SAME)
                .min_by(|x, y| x.1.abs().total_cmp(&y.1.abs()));
            if let Some((i, off)) = near {
                taken[i] = true;
                self.found.push((off, found[i].sigma));
                self.weight += usize::from(found[i].mark.weight != a.weight);
            } else if gone {
                self.hidden += 1;
            }
        }
        self.extra += taken.iter().filter(|t| !**t).count();
    }
}

/// Lines of the table.
pub fn table<'a>(rows: impl Iterator<Item = (&'a Row, &'a Steps)>) -> String {
    let rows: BTreeMap<_, _> = rows.filter(|(_, s)| s.danced > 0).collect();
    if rows.is_empty() {
        return String::new();
    }
    let mut page = String::from(
        "\nArrivals found from the feet:\n\n| | found of those seen | not visible | steps nobody made | weight told wrongly | median, ms | 90 %, ms | bias, ms | within 1σ | within 2σ |\n|---|---|---|---|---|---|---|---|---|---|\n",
    );
    for (row, s) in rows {
        let mut off: Vec<f64> = s.found.iter().map(|e| 1e3 * e.0.abs()).collect();
        off.sort_by(f64::total_cmp);
        let n = off.len().max(1);
        let at = |q: f64| off.get((q * (n - 1) as f64).round() as usize).copied();
        let share = |k: usize, of: usize| 100.0 * k as f64 / of.max(1) as f64;
        let within = |k: f64| share(s.found.iter().filter(|(e, s)| e.abs() <= k * s).count(), n);
        let _ = writeln!(
            page,
            "| {} | {:.0} % of {} | {:.0} % | {} | {:.0} % | {:.0} | {:.0} | {:+.0} | {:.0} % | {:.0} % |",
            row.name(),
            share(s.found.len(), s.danced - s.hidden),
            s.danced - s.hidden,
            share(s.hidden, s.danced),
            s.extra,
            share(s.weight, n),
            at(0.5).unwrap_or(f64::NAN),
            at(0.9).unwrap_or(f64::NAN),
            1e3 * s.found.iter().map(|e| e.0).sum::<f64>() / n as f64,
            within(1.0),
            within(2.0),
        );
    }
    page
}
