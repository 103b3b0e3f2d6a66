//! Is it better? One fault of one person over their takes.

mod across;
mod level;
mod like;
mod proportion;
mod repeat;
mod shape;
mod status;
mod then_now;
mod trend;

use jiff::civil::Date;
use serde::{Deserialize, Serialize};

pub use across::{Across, across};
pub use level::level;
pub use like::{Conditions, Difference, unlike};
pub use proportion::{FrequencyChange, frequency_change};
pub use repeat::{Repeatability, repeatability, twice};
pub use shape::{Shape, shape};
pub use status::{Outcome, Status, status};
pub use then_now::{Beat, MeasureChange, ThenNow, then_now};
pub use trend::{Trend, trend};

use crate::fault::Band;
use crate::units::Estimate;

/// One take's answer for a fault.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TakeReading {
    /// Day of the session.
    #[cfg_attr(feature = "schema", schema(value_type = String, format = Date))]
    pub date: Date,
    /// Mean of the repetitions' worst readings; its σ holds the geometry and the repetitions' scatter.
    pub value: Estimate,
    /// Repetitions that show the fault.
    pub showing: u32,
    /// Repetitions measured.
    pub of: u32,
    /// Whether most of them were read well enough for a clear fault to show.
    pub told: bool,
    /// Under which conditions it was danced and filmed.
    pub conditions: Conditions,
}

/// The straight answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Answer {
    /// One take only.
    OneTake,
    /// Several takes, but none like the newest.
    NothingAlike,
    /// The difference is below the smallest real change.
    NoChangeThatCanBeTold,
    /// Nearer to fine by more than it.
    Better,
    /// Further from fine by more than it.
    Worse,
}

/// What the newest takes are compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Against {
    /// The first takes.
    Start,
    /// The last takes that held, for a fault that slipped back: nearer than the start, and what is lost.
    WhenItHeld,
}

/// Where the uncertainty of one take comes from, each as a standard error in the measure's unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Budget {
    /// Picture, camera and the repetitions' scatter: the take's own σ, as a mean over takes.
    pub take: f64,
    /// The coach's own marking, where it was measured and is more than the take's σ holds of it.
    pub coach: f64,
    /// From day to day, beyond all that; known from eight takes on.
    pub day: f64,
}

/// What can be said about a fault over time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Progress {
    /// Takes in order of date. Their σ is the take's own.
    pub takes: Vec<TakeReading>,
    /// Takes too unlike the newest to be compared with it, as places in `takes`.
    pub left_out: Vec<usize>,
    /// Of what the error of a take is made.
    pub budget: Budget,
    /// The answer.
    pub answer: Answer,
    /// What it is compared with.
    pub against: Against,
    /// Where that was: mean of two takes (of the first one when there are fewer than four).
    pub before: Estimate,
    /// Where it is: mean of the last two takes (the last one when fewer than four).
    pub now: Estimate,
    /// Smallest difference of these two that could be told.
    pub smallest_real_change: f64,
    /// What differs between the takes compared, and has to be kept in mind.
    pub differences: Vec<Difference>,
    /// First take from which on the difference to the start is real.
    pub real_from: Option<usize>,
    /// Slope, with four takes or more.
    pub trend: Option<Trend>,
    /// Level through the takes that are compared, in their order, with its error.
    pub level: Vec<Estimate>,
    /// Whether it drifts or went over to a new level; with four takes or more.
    pub shape: Option<Shape>,
    /// How often it shows, then and now.
    pub frequency: Option<FrequencyChange>,
    /// Life of the fault.
    pub status: Status,
    /// Worked on in four takes or more, and nothing that can be told has come of it.
    pub unmoved: bool,
}

/// Smallest difference between two values that error alone would hide in fewer than 5 % of cases:
/// 1.96·√(a² + b²), which for equal standard errors of measurement is 1.96·√2·SEM.
/// Weir, J. P. (2005), "Quantifying test-retest reliability", J. Strength Cond. Res. 19.
pub fn smallest_real_change(before: f64, now: f64) -> f64 {
    1.96 * before.hypot(now)
}

/// Takes from which on the scatter from day to day is estimated, and by how much it has to exceed the takes' own
/// variance before it is believed: the estimate from so few is a rough one.
const ENOUGH_DAYS: usize = 8;
const SURELY: f64 = 6.0;

/// Judges the takes of one person for one fault by its band; `None` without takes. `coach` is the standard
/// error of one reading by the coach's own marking, where it was measured.
pub fn progress(band: &Band, mut takes: Vec<TakeReading>, coach: Option<f64>) -> Option<Progress> {
    takes.sort_by_key(|t| t.date);
    let outcomes: Vec<(Date, Outcome)> = takes
        .iter()
        .map(|t| (t.date, Outcome::of(band, t)))
        .collect();
    let status = status(&by_session(&outcomes));
    let newest = takes.last()?.conditions.clone();
    let (left_out, alike): (Vec<usize>, Vec<usize>) = (0..takes.len()).partition(|i| {
        unlike(&takes[*i].conditions, &newest)
            .iter()
            .any(Difference::forbids)
    });
    let (budget, errors) = budget(alike.iter().map(|i| &takes[*i]), coach);
    let like: Vec<TakeReading> = alike
        .iter()
        .zip(&errors)
        .map(|(i, sigma)| TakeReading {
            value: Estimate::new(takes[*i].value.value, *sigma),
            ..takes[*i].clone()
        })
        .collect();
    let n = like.len();
    let width = if n >= 4 { 2 } else { 1 };
    // Not the newest take itself.
    let held = alike[..n - 1]
        .windows(2)
        .rposition(|w| w.iter().all(|i| outcomes[*i].1 == Outcome::Fine))
        .filter(|_| status == Status::SlippedBack);
    let (against, then) = match held {
        Some(i) => (Against::WhenItHeld, i..i + 2),
        None => (Against::Start, 0..width),
    };
    let after = then.end;
    let width = width.min(n.saturating_sub(after).max(1));
    let (before, now) = (pooled(&like[then.clone()]), pooled(&like[n - width..]));
    // Distance to the fine band, so that both edges of a band mean the same.
    let distance = |e: Estimate| band.beyond(e.value);
    let needed = smallest_real_change(before.sigma, now.sigma);
    let change = distance(now) - distance(before);
    let answer = if takes.len() == 1 {
        Answer::OneTake
    } else if n == 1 {
        Answer::NothingAlike
    } else if change.abs() <= needed {
        Answer::NoChangeThatCanBeTold
    } else if change < 0.0 {
        Answer::Better
    } else {
        Answer::Worse
    };
    let real_from = match answer {
        Answer::Better | Answer::Worse => {
            let real = |t: &TakeReading| {
                let change_then = distance(t.value) - distance(before);
                change_then.abs() > smallest_real_change(before.sigma, t.value.sigma)
                    && change_then.signum() == change.signum()
            };
            // The last run of takes that all differ.
            let run = (after..n).rev().take_while(|i| real(&like[*i]));
            run.last().map(|i| alike[i])
        }
        _ => None,
    };
    let counted = |of: &[TakeReading]| {
        let sum = |f: fn(&TakeReading) -> u32| of.iter().map(f).sum::<u32>();
        [sum(|t| t.showing), sum(|t| t.of)]
    };
    let mut differences: Vec<Difference> = Vec::new();
    for t in &like[then.clone()] {
        for d in unlike(&t.conditions, &newest) {
            if !differences.iter().any(|o| o.same_kind(&d)) {
                differences.push(d);
            }
        }
    }
    Some(Progress {
        left_out,
        budget,
        answer,
        against,
        before,
        now,
        smallest_real_change: needed,
        differences,
        real_from,
        trend: trend(&like),
        level: level(&like),
        shape: shape(&like),
        frequency: (n > width)
            .then(|| frequency_change(counted(&like[then]), counted(&like[n - width..]))),
        status,
        unmoved: status == Status::Working && n >= 4 && answer == Answer::NoChangeThatCanBeTold,
        takes,
    })
}

/// One outcome a day: a session is fine only when all of its takes are, and faulty when one surely is.
fn by_session(takes: &[(Date, Outcome)]) -> Vec<(Date, Outcome)> {
    takes
        .chunk_by(|a, b| a.0 == b.0)
        .map(|day| {
            let any = |o: Outcome| day.iter().any(|t| t.1 == o);
            let outcome = if any(Outcome::Faulty) {
                Outcome::Faulty
            } else if any(Outcome::Unsure) {
                Outcome::Unsure
            } else {
                Outcome::Fine
            };
            (day[0].0, outcome)
        })
        .collect()
}

/// The error of every take, and of what it is made.
fn budget<'a>(
    takes: impl Iterator<Item = &'a TakeReading> + Clone,
    coach: Option<f64>,
) -> (Budget, Vec<f64>) {
    // A take's σ is that of a mean over its repetitions; so is the coach's share of it. The scatter of
    // repetitions that were marked one by one holds it already: the larger of both counts, not their sum.
    let one = |t: &TakeReading| {
        let marking = coach.unwrap_or(0.0) / f64::from(t.of.max(1)).sqrt();
        (t.value.sigma, marking, t.value.sigma.max(marking))
    };
    let n = takes.clone().count().max(1) as f64;
    let mean_square =
        |f: &dyn Fn(&TakeReading) -> f64| takes.clone().map(|t| f(t).powi(2)).sum::<f64>() / n;
    let own = mean_square(&|t| t.value.sigma);
    let marked = mean_square(&|t| one(t).2);
    let values: Vec<f64> = takes.clone().map(|t| t.value.value).collect();
    let day = day_to_day(&values)
        .filter(|seen| *seen > SURELY * marked)
        .map_or(0.0, |seen| seen - marked);
    let errors = takes.map(|t| (one(t).2.powi(2) + day).sqrt()).collect();
    let budget = Budget {
        take: own.sqrt(),
        coach: (marked - own).max(0.0).sqrt(),
        day: day.sqrt(),
    };
    (budget, errors)
}

/// Variance of takes about their level, from each take's distance to the line between its neighbours: a steady
/// drift adds nothing to it, and a single step to two of them only, which the lower quartile leaves out. `None`
/// when they are too few. (Lower quartile of the absolute value of such a normal distance: 0.3186·√(3/2)·σ.)
fn day_to_day(values: &[f64]) -> Option<f64> {
    if values.len() < ENOUGH_DAYS {
        return None;
    }
    let mut off: Vec<f64> = values
        .windows(3)
        .map(|w| (w[1] - 0.5 * (w[0] + w[2])).abs())
        .collect();
    off.sort_by(f64::total_cmp);
    Some((off[off.len() / 4] / (0.3186 * 1.5f64.sqrt())).powi(2))
}

/// Mean of takes with the standard error of that mean.
fn pooled(takes: &[TakeReading]) -> Estimate {
    let n = takes.len() as f64;
    let mean = takes.iter().map(|t| t.value.value).sum::<f64>() / n;
    let variance = takes.iter().map(|t| t.value.sigma.powi(2)).sum::<f64>();
    Estimate::new(mean, variance.sqrt() / n)
}

#[cfg(test)]
mod tests;
