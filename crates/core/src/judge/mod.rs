//! From measures to findings: how sure, how strong, how often, what explains what, what first.

pub mod agreement;
mod doubt;
mod habit;
mod rank;
mod wilson;

use serde::{Deserialize, Serialize};

pub use doubt::{Doubt, doubts, settled_by_hand};
pub use rank::{WRONG_FOOT, basic, put_first};
pub use wilson::wilson;

use crate::chart::Chart;
use crate::fault::{Band, Circumstances, Fault, InForce, JudgedBy, On, Rules, Weighed, Who};
use crate::measure::{self, Measure, Reading};
use crate::units::{Estimate, Role, Unit};

/// A repetition shows a fault when it lies outside the fine band with at least this probability.
/// Above one half because the worst of several counts is judged, and because a coach has time for few things.
pub const SHOWS: f64 = 0.8;

/// A repetition is fine when it lies outside with less than this: in between nothing is said, and a look tells.
pub const FINE: f64 = 0.2;

/// A reading that another repetition repeats at the same count is wild so much less often: on simulated takes one in
/// fourteen lies beyond 2σ, and of those a third have a sibling that does.
const REPEATED: f64 = 0.4;

/// How far out a value lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Grade {
    /// Inside the fine band.
    Fine,
    /// Between the fine and the clear edge.
    Borderline,
    /// Beyond the clear edge.
    Clear,
    /// Beyond it by more than the borderline zone is wide.
    Strong,
}

impl Grade {
    /// Grade of a value.
    pub fn of(band: &Band, value: f64) -> Self {
        if band.beyond(value) <= 0.0 {
            Self::Fine
        } else {
            Self::beyond_clear(band.beyond_clear(value).max(-1.0))
        }
    }

    /// Grade by how far beyond the clear edge, in widths of the borderline zone; −1 is the fine edge.
    fn beyond_clear(widths: f64) -> Self {
        match widths {
            x if x < -1.0 => Self::Fine,
            x if x <= 0.0 => Self::Borderline,
            x if x <= 1.0 => Self::Clear,
            _ => Self::Strong,
        }
    }
}

/// How often a fault shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Frequency {
    /// Once in three repetitions or more.
    Slip,
    /// Neither a slip nor a habit.
    Sometimes,
    /// In at least three of five repetitions, and more than one.
    Habit,
    /// Only one or two repetitions were measured.
    TooFew,
}

impl Frequency {
    fn of(showing: u32, of: u32) -> Self {
        match (showing, of) {
            (_, n) if n < 3 => Self::TooFew,
            (1, _) => Self::Slip,
            (k, n) if 5 * k >= 3 * n => Self::Habit,
            _ => Self::Sometimes,
        }
    }
}

/// What a take says of a fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Call {
    /// A repetition shows it.
    Shows,
    /// None is sure enough to show it, and not all are fine.
    Unsure,
    /// None shows it, but most were read too roughly for a clear fault to show.
    TooRough,
    /// Looked at and fine.
    Fine,
}

/// What other repetitions and counts change about whether a repetition shows a fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Again {
    /// It comes again, and shows only for that.
    Surer,
    /// It does not come again, and would show without that.
    LessSure,
}

impl Again {
    fn of(alone: f64, together: f64) -> Option<Self> {
        match (alone >= SHOWS, together >= SHOWS) {
            (false, true) => Some(Self::Surer),
            (true, false) => Some(Self::LessSure),
            _ => None,
        }
    }
}

/// The worst reading of one repetition.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Evidence {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, where the measure belongs to one.
    pub count: Option<usize>,
    /// First count of the repetition at which it shows; as `count` where it does not.
    pub from: Option<usize>,
    /// The reading.
    pub value: Estimate,
    /// What the film alone says, where the reading was drawn to what is expected of bodies; it is this that is judged.
    pub seen: Option<Estimate>,
    /// What the figure itself asks for, where that moved the band.
    pub asked: Option<f64>,
    /// Probability that the true value lies outside the fine band, given what the other repetitions show too and, where
    /// the fault is held, the other counts.
    pub probability: f64,
    /// Whether that is enough for the repetition to show it.
    pub shows: bool,
    /// How many times likelier than without them, as odds.
    pub lift: f64,
    /// Where they decided whether it shows.
    pub again: Option<Again>,
    /// Its grade.
    pub grade: Grade,
    /// How much less would be left open about it, were the count marked by hand: bits.
    pub doubt: f64,
}

/// A fault judged for one role (or the couple) over the repetitions of a take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Judged {
    /// Id in the catalogue.
    pub fault: String,
    /// Whose; none for the couple.
    pub role: Option<Role>,
    /// Id of the measure that it was read from.
    pub measure: String,
    /// Unit of the values and the band.
    pub unit: Unit,
    /// The band in force.
    pub band: Band,
    /// The school that has a say in it.
    pub school: Option<JudgedBy>,
    /// What moved the band from the catalogue's, in words.
    pub because: Vec<String>,
    /// The worst reading of each repetition.
    pub evidence: Vec<Evidence>,
    /// Repetitions that show it.
    pub showing: u32,
    /// Repetitions of which neither is sure enough, that they show it or that they are fine.
    pub unsure: u32,
    /// Repetitions that seem fine, but most of whose readings are not visible or too rough for a clear fault to show.
    pub rough: u32,
    /// Repetitions measured.
    pub of: u32,
    /// What all of that comes to.
    pub call: Call,
    /// 95 % Wilson interval of the share that shows it.
    pub interval: [f64; 2],
    /// In a word.
    pub frequency: Frequency,
    /// Mean of the repetitions' worst readings, with their scatter in its σ.
    pub value: Estimate,
    /// The same of what the film alone says, where that is what was judged.
    pub seen: Option<Estimate>,
    /// Mean probability over the repetitions that show it; over all when none does.
    pub probability: f64,
    /// Probability of the repetition that likeliest shows it.
    pub likeliest: f64,
    /// Grade of the mean of the repetitions that show it; of all when none does.
    pub grade: Grade,
    /// The count at which it shows most often.
    pub count: Option<usize>,
    /// The leader's share of a couple's fault, 0..1, where both ways are known.
    pub share: Option<Estimate>,
    /// Those who made it: its role, or those of the couple whose share is not little.
    pub whose: Vec<Role>,
    /// The fault that explains it, as its place in the list of judged faults.
    pub explained_by: Option<usize>,
    /// About how much of it that one explains, 0..1.
    pub explained: Option<f64>,
    /// For ordering; larger first.
    pub score: f64,
    /// Among the most important two of its role.
    pub offered: bool,
    /// Where a clear fault would show, by repetition and count.
    #[serde(skip)]
    pub told: Vec<(u32, Option<usize>)>,
}

impl Judged {
    /// Whether at least one repetition shows it.
    pub fn shows(&self) -> bool {
        self.showing > 0
    }
}

/// A fault that this view cannot carry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Unseen {
    /// Id in the catalogue.
    pub fault: String,
    /// Whose.
    pub role: Option<Role>,
    /// Why.
    pub why: String,
}

/// What is judged, and by what.
pub struct Case<'a> {
    /// The rules in force.
    pub rules: &'a Rules,
    /// The figure.
    pub chart: &'a Chart,
    /// What scales the bands.
    pub here: Circumstances,
    /// Everything measured.
    pub measures: &'a [Measure],
    /// How often a reading is far worse than it says, 0..1.
    pub wild: &'a dyn Fn(&Measure) -> f64,
    /// How far from 0 the bodies were expected to be before anything was seen, where that drew the reading (1σ).
    pub expected: &'a dyn Fn(&Measure) -> Option<f64>,
}

/// Judges every entry that applies. Sorted by what to fix first; faults that do not show come last.
/// Deterministic.
pub fn judge(case: &Case) -> (Vec<Judged>, Vec<Unseen>) {
    let (mut judged, mut unseen) = (Vec::new(), Vec::new());
    for fault in case.rules.entries() {
        for role in fault.who.roles() {
            let Some(force) = case.rules.band(fault, *role, &case.here) else {
                continue;
            };
            let of = |id: &Option<String>| case.readings(fault, *role, id.as_deref());
            // Looked at in the first measure where it says anything, else in the other one; where it says too little,
            // in the other one if that says enough.
            let (first, other) = (of(&fault.measure), of(&fault.otherwise));
            let one = |readings: &[&Measure]| judge_one(fault, *role, &force, readings, case);
            let rough = |j: &Judged| j.call == Call::TooRough;
            let found = match one(&first) {
                Some(j) if rough(&j) => one(&other).filter(|o| !rough(o)).or(Some(j)),
                found => found.or_else(|| one(&other)),
            };
            match found {
                Some(mut j) => {
                    j.share = case.share(fault, &j);
                    j.whose = rank::whose(*role, j.share);
                    judged.push(j);
                }
                None => unseen.extend(first.iter().chain(&other).find_map(|m| match &m.reading {
                    Reading::NotVisible { why } => Some(Unseen {
                        fault: fault.id.clone(),
                        role: *role,
                        why: why.clone(),
                    }),
                    Reading::Value(_) => None,
                })),
            }
        }
    }
    rank::rank(&mut judged, case.rules);
    (judged, unseen)
}

impl Case<'_> {
    /// Readings of a measure that a fault of this role is judged by. A measure of the couple serves a fault
    /// that only one role can have.
    fn readings(&self, fault: &Fault, role: Option<Role>, id: Option<&str>) -> Vec<&Measure> {
        let Some(id) = id else { return Vec::new() };
        let mine = |m: &&Measure| {
            m.id == id && (m.role == role || (m.role.is_none() && fault.who != Who::Each))
        };
        self.measures
            .iter()
            .filter(mine)
            .filter(|m| fault.applies.to(self.chart, role, m.count))
            .collect()
    }

    /// The leader's share of a couple's fault, from the repetitions that show it.
    fn share(&self, fault: &Fault, j: &Judged) -> Option<Estimate> {
        let id = fault.shared_by.as_deref()?;
        let shares: Vec<Estimate> = j
            .evidence
            .iter()
            .filter(|e| e.shows)
            .filter_map(|e| {
                let at = |m: &&Measure| {
                    (m.id == id) && (m.repetition, m.count) == (e.repetition, e.count)
                };
                self.measures.iter().find(at)?.reading.estimate()
            })
            .collect();
        (!shares.is_empty()).then(|| mean_of(&shares))
    }
}

/// Whether a reading at a count is, within what both claim, that of another repetition.
fn repeated(m: &Measure, value: Estimate, readings: &[&Measure]) -> bool {
    let same =
        |o: &&&Measure| (o.role, o.count) == (m.role, m.count) && o.repetition != m.repetition;
    readings.iter().filter(same).any(|o| {
        o.reading
            .estimate()
            .is_some_and(|o| (o.value - value.value).abs() <= 2.0 * o.sigma.hypot(value.sigma))
    })
}

/// Whether most repetitions were read well enough for a clear fault to show.
const fn most_tell(rough: u32, of: u32) -> bool {
    2 * rough <= of
}

impl Judged {
    /// Whether most of its repetitions were read well enough for a clear fault to show.
    pub const fn most_tell(&self) -> bool {
        most_tell(self.rough, self.of)
    }
}

/// A reading and what it says of its band.
struct Told<'a> {
    of: &'a Measure,
    value: Estimate,
    /// What the film alone says, where the bodies were expected to be somewhere.
    seen: Option<Estimate>,
    band: Band,
    /// How often such a reading is far worse than it says.
    wild: f64,
    weighed: Weighed,
    /// What it says for other repetitions and, where the fault is held, other counts; as odds.
    elsewhere: f64,
}

impl Told<'_> {
    /// Whether a clear fault would show here.
    fn tells(&self) -> bool {
        if let Some(likely) = &self.of.likely {
            return self.band.tells_likely(likely, self.wild, SHOWS);
        }
        let judged = self.seen.unwrap_or(self.value);
        self.band.tells(judged.sigma, self.wild, SHOWS)
    }
}

fn judge_one(
    fault: &Fault,
    role: Option<Role>,
    force: &InForce,
    readings: &[&Measure],
    case: &Case,
) -> Option<Judged> {
    let told: Vec<Told> = readings
        .iter()
        .filter_map(|m| {
            let value = m.reading.estimate()?;
            let band = force.reaching(m.asked);
            if band != force.band && fault.applies.on.contains(&On::Unasked) {
                return None;
            }
            let again = repeated(m, value, readings);
            let wild = (case.wild)(m) * if again { REPEATED } else { 1.0 };
            // Bands bring their own idea of what is usual: what the bodies were expected to do is not counted twice.
            let seen = (case.expected)(m).map(|by| value.seen_alone(by));
            let weighed = match &m.likely {
                Some(likely) => band.weigh_likely(likely, wild),
                None => band.weigh(seen.unwrap_or(value), wild),
            };
            Some(Told {
                of: m,
                value,
                seen,
                band,
                wild,
                weighed,
                elsewhere: habit::elsewhere(weighed),
            })
        })
        .collect();
    let mut evidence: Vec<Evidence> = Vec::new();
    for one in &told {
        let m = one.of;
        let at = |t: &Told| (t.of.role, t.of.count) == (m.role, m.count);
        let others = told
            .iter()
            .filter(|t| at(t) && t.of.repetition != m.repetition);
        let mut lift = habit::lift(others.map(|t| t.elsewhere));
        if fault.held {
            let here = |t: &&Told| {
                (t.of.role, t.of.repetition) == (m.role, m.repetition) && t.of.count != m.count
            };
            let counts: Vec<f64> = told.iter().filter(here).map(|t| t.elsewhere).collect();
            lift *= habit::lift_held(&counts);
        }
        let probability = one.weighed.probability(lift);
        let one = Evidence {
            repetition: m.repetition,
            count: m.count,
            from: m.count,
            value: one.value,
            seen: one.seen,
            asked: m.asked.filter(|_| one.band != force.band),
            probability,
            shows: probability >= SHOWS,
            lift,
            again: Again::of(one.weighed.probability(1.0), probability),
            grade: Grade::of(&one.band, one.value.value),
            doubt: 0.0,
        };
        let worse = |a: &Evidence, b: &Evidence| {
            let beyond = |e: &Evidence| force.reaching(e.asked).beyond(e.value.value);
            (a.probability, beyond(a)) > (b.probability, beyond(b))
        };
        match evidence.iter_mut().find(|e| e.repetition == m.repetition) {
            Some(e) => {
                let shown = [&*e, &one].map(|e| e.from.filter(|_| e.shows));
                if worse(&one, e) {
                    *e = one;
                }
                e.from = shown.into_iter().flatten().min().or(e.count);
            }
            None => evidence.push(one),
        }
    }
    let measured_by = readings.first()?.id.clone();
    if evidence.is_empty() {
        return None;
    }
    evidence.sort_by_key(|e| e.repetition);
    for e in &mut evidence {
        let at = |t: &&Told| (t.of.repetition, t.of.count) == (e.repetition, e.count);
        if let Some(t) = told.iter().find(at) {
            e.doubt = settled_by_hand(&t.band, t.seen.unwrap_or(t.value), t.wild, e.lift);
        }
    }
    let shows: Vec<&Evidence> = evidence.iter().filter(|e| e.shows).collect();
    let (showing, of) = (shows.len() as u32, evidence.len() as u32);
    let between = |e: &&Evidence| !e.shows && e.probability >= FINE;
    let unsure = evidence.iter().filter(between).count() as u32;
    let tell: Vec<(u32, Option<usize>)> = told
        .iter()
        .filter(|t| t.tells())
        .map(|t| (t.of.repetition, t.of.count))
        .collect();
    let rough = |e: &&Evidence| {
        let here = |repetition: u32| repetition == e.repetition;
        let all = readings.iter().filter(|m| here(m.repetition)).count();
        let telling = tell.iter().filter(|(r, _)| here(*r)).count();
        e.probability < FINE && 2 * telling < all
    };
    let rough = evidence.iter().filter(rough).count() as u32;
    let call = match (showing, unsure) {
        (1.., _) => Call::Shows,
        (_, 1..) => Call::Unsure,
        _ if !most_tell(rough, of) => Call::TooRough,
        _ => Call::Fine,
    };
    let likeliest = evidence.iter().map(|e| e.probability).fold(0.0, f64::max);
    let all: Vec<&Evidence> = evidence.iter().collect();
    let basis = if shows.is_empty() { &all } else { &shows };
    let mean =
        |f: &dyn Fn(&Evidence) -> f64| basis.iter().map(|e| f(e)).sum::<f64>() / basis.len() as f64;
    let count = most_common(basis.iter().map(|e| e.count));
    // The band at the count it is said of.
    let asked = basis
        .iter()
        .find(|e| e.count == count)
        .and_then(|e| e.asked);
    let band = force.reaching(asked);
    let mut because = force.because.clone();
    if asked.is_some() {
        because.push("The figure itself asks for more here".into());
    }
    let far = mean(&|e| {
        let band = force.reaching(e.asked);
        if band.beyond(e.value.value) <= 0.0 {
            -2.0
        } else {
            band.beyond_clear(e.value.value)
        }
    });
    let values: Vec<Estimate> = evidence.iter().map(|e| e.value).collect();
    let seen: Option<Vec<Estimate>> = evidence.iter().map(|e| e.seen).collect();
    Some(Judged {
        fault: fault.id.clone(),
        role,
        unit: measure::spec(&measured_by)?.unit,
        measure: measured_by,
        band,
        school: force.school.clone(),
        because,
        showing,
        unsure,
        rough,
        of,
        call,
        interval: wilson(showing, of),
        frequency: Frequency::of(showing, of),
        value: mean_of(&values),
        seen: seen.map(|s| mean_of(&s)),
        probability: mean(&|e| e.probability),
        likeliest,
        grade: Grade::beyond_clear(far),
        count,
        share: None,
        whose: Vec::new(),
        explained_by: None,
        explained: None,
        score: 0.0,
        offered: false,
        evidence,
        told: tell,
    })
}

/// Mean with the standard error that both the readings' own σ and their scatter ask for.
fn mean_of(readings: &[Estimate]) -> Estimate {
    let n = readings.len() as f64;
    let mean = readings.iter().map(|e| e.value).sum::<f64>() / n;
    let own = readings.iter().map(|e| e.sigma.powi(2)).sum::<f64>() / n;
    let scatter = if readings.len() > 1 {
        readings
            .iter()
            .map(|e| (e.value - mean).powi(2))
            .sum::<f64>()
            / (n - 1.0)
    } else {
        0.0
    };
    Estimate::new(mean, (own.max(scatter) / n).sqrt())
}

fn most_common(counts: impl Iterator<Item = Option<usize>>) -> Option<usize> {
    let mut tally: std::collections::BTreeMap<usize, u32> = Default::default();
    for c in counts.flatten() {
        *tally.entry(c).or_default() += 1;
    }
    tally
        .into_iter()
        .max_by_key(|(count, n)| (*n, std::cmp::Reverse(*count)))
        .map(|(count, _)| count)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;
    use crate::units::Estimate;
    use proptest::prelude::*;

    fn reading(id: &str, role: Option<Role>, rep: u32, count: usize, v: f64, s: f64) -> Measure {
        measure::value(id, role, (rep, Some(count)), Estimate::new(v, s))
    }

    fn all(measures: &[Measure]) -> (Vec<Judged>, Vec<Unseen>) {
        with_wild(measures, 0.0)
    }

    fn with_wild(measures: &[Measure], wild: f64) -> (Vec<Judged>, Vec<Unseen>) {
        with(measures, wild, None)
    }

    fn with(measures: &[Measure], wild: f64, expected: Option<f64>) -> (Vec<Judged>, Vec<Unseen>) {
        let chart = chart("shag-basic").unwrap();
        judge(&Case {
            rules: Rules::usual(),
            chart,
            here: Circumstances::of(&chart.dance, Some(118.0), [1.8, 1.7]),
            measures,
            wild: &|_| wild,
            expected: &|_| expected,
        })
    }

    fn judged(measures: &[Measure]) -> Vec<Judged> {
        all(measures).0
    }

    #[test]
    fn a_habit_is_told_from_a_slip() {
        let off = |reps: &[u32]| {
            (0..6)
                .map(|r| {
                    let v = if reps.contains(&r) { 0.36 } else { 0.02 };
                    reading("off_slot", Some(Role::Leader), r, 2, v, 0.02)
                })
                .collect::<Vec<_>>()
        };
        let j = &judged(&off(&[0, 1, 3, 4, 5]))[0];
        assert_eq!((j.showing, j.of, j.frequency), (5, 6, Frequency::Habit));
        assert_eq!(j.grade, Grade::Clear);
        assert_eq!(j.count, Some(2));
        let j = &judged(&off(&[4]))[0];
        assert_eq!(j.frequency, Frequency::Slip);
        assert!(!judged(&off(&[]))[0].shows());
    }

    #[test]
    fn what_comes_again_is_surer_and_what_does_not_is_less_sure() {
        let of = |values: &[f64]| {
            let all: Vec<_> = (0..)
                .zip(values)
                .map(|(rep, v)| reading("off_slot", Some(Role::Leader), rep, 2, *v, 0.04))
                .collect();
            judged(&all)[0].clone()
        };
        // A standard error and a half beyond the edge of 15 cm.
        let alone = of(&[0.21]).evidence[0].clone();
        assert!(
            (0.5..SHOWS).contains(&alone.probability) && alone.lift == 1.0,
            "{alone:?}"
        );
        let again = of(&[0.21; 4]);
        assert_eq!((again.showing, again.frequency), (4, Frequency::Habit));
        let surer = |e: &Evidence| e.lift > 2.0 && e.again == Some(Again::Surer);
        assert!(again.evidence.iter().all(surer));
        assert_eq!(alone.again, None);
        // Neither a fault nor fine; what lies well inside is fine.
        let open = of(&[0.21]);
        assert_eq!((open.showing, open.unsure), (0, 1));
        assert_eq!(open.likeliest, alone.probability);
        let fine = of(&[0.02; 4]);
        assert!(fine.unsure == 0 && fine.likeliest < FINE, "{fine:?}");
        assert_eq!(again.unsure, 0);
        let once = of(&[0.21, 0.02, 0.02, 0.02]);
        assert!(once.evidence[0].probability < alone.probability - 0.1);
        let nearly = of(&[0.235, 0.02, 0.02, 0.02]).evidence[0].clone();
        assert_eq!((nearly.shows, nearly.again), (false, Some(Again::LessSure)));
        // A reading that leaves no doubt is a slip, and does not make the others worse.
        let slip = of(&[0.40, 0.02, 0.02, 0.02]);
        assert_eq!((slip.showing, slip.frequency), (1, Frequency::Slip));
    }

    #[test]
    fn what_is_held_over_the_counts_is_surer_and_a_step_is_not() {
        let over = |id, counts: &[f64], sigma| {
            let all: Vec<_> = (0..)
                .zip(counts)
                .map(|(count, v)| reading(id, Some(Role::Leader), 0, 2 * count, *v, sigma))
                .collect();
            judged(&all)[0].evidence[0].clone()
        };
        // A head 1.4 standard errors ahead of where it is fine, at one count and at all of them.
        let head = |counts: &[f64]| over("head_ahead", counts, 0.02);
        let edge = 0.05;
        let alone = head(&[edge + 0.03]);
        let held = head(&[edge + 0.03; 4]);
        assert!(!alone.shows && held.shows, "{alone:?} {held:?}");
        assert_eq!(held.again, Some(Again::Surer));
        // Not where the other counts are fine.
        let once = head(&[edge + 0.03, edge - 0.06, edge - 0.06, edge - 0.06]);
        assert!(once.probability < alone.probability - 0.1, "{once:?}");
        // The slot is left by a step.
        let slot = |counts: &[f64]| over("off_slot", counts, 0.04).probability;
        assert_eq!(slot(&[0.21]), slot(&[0.21; 4]));
    }

    #[test]
    fn a_detectors_reading_is_believed_when_it_is_repeated() {
        let at = |rep: u32, count: usize, v: f64| {
            reading("off_slot", Some(Role::Leader), rep, count, v, 0.04)
        };
        let shows = |m: &[Measure]| with_wild(m, 0.12).0[0].showing;
        // Two and a half standard errors beyond the band: enough for a hand's mark, not for a detector's.
        assert_eq!(with_wild(&[at(0, 2, 0.25)], 0.0).0[0].showing, 1);
        assert_eq!(shows(&[at(0, 2, 0.25)]), 0);
        assert_eq!(shows(&[at(0, 2, 0.25), at(1, 2, 0.26)]), 2);
        // Not by another value, nor at another count.
        assert_eq!(shows(&[at(0, 2, 0.25), at(1, 2, 0.01)]), 0);
        assert_eq!(shows(&[at(0, 2, 0.25), at(1, 4, 0.26)]), 0);
    }

    #[test]
    fn what_the_bodies_were_expected_to_do_is_not_counted_twice() {
        let m: Vec<_> = (0..2)
            .map(|rep| reading("head_ahead", Some(Role::Leader), rep, 2, 0.073, 0.024))
            .collect();
        let of = |expected| with(&m, 0.0, expected).0[0].evidence[0].clone();
        let (twice, once) = (of(None), of(Some(0.037)));
        assert!(!twice.shows && once.shows, "{twice:?} {once:?}");
        // What is shown is what was read, with what was judged beside it.
        assert_eq!((once.value, twice.seen), (twice.value, None));
        let seen = once.seen.unwrap();
        assert!(
            (seen.value - 0.126).abs() < 1e-3 && (seen.sigma - 0.0315).abs() < 1e-3,
            "{seen:?}"
        );
        assert!((of(Some(10.0)).probability - twice.probability).abs() < 1e-3);
    }

    #[test]
    fn doubt_is_not_a_fault() {
        let m = [reading("lean", Some(Role::Follower), 0, 6, 4.0, 3.0)];
        let j = &judged(&m)[0];
        assert!(!j.shows());
        assert!((0.05..0.3).contains(&j.probability), "{}", j.probability);
        assert_eq!(j.grade, Grade::Borderline);
    }

    #[test]
    fn the_wrong_foot_comes_first_and_the_effect_folds_under_its_cause() {
        let mut m = Vec::new();
        for r in 0..4 {
            m.push(reading("support", Some(Role::Follower), r, 3, 1.0, 0.1));
            m.push(reading(
                "step_direction",
                Some(Role::Leader),
                r,
                0,
                40.0,
                3.0,
            ));
            m.push(reading("off_slot", Some(Role::Leader), r, 2, 0.4, 0.02));
        }
        let j = judged(&m);
        assert_eq!(j[0].fault, "S1");
        let s4 = j.iter().find(|j| j.fault == "S4").unwrap();
        assert_eq!(j[s4.explained_by.unwrap()].fault, "S3");
        assert!(!s4.offered);
        assert!(j[0].offered);
    }

    #[test]
    fn the_coach_has_the_last_word_on_what_comes_first() {
        let mut m = Vec::new();
        for r in 0..4 {
            m.push(reading("support", Some(Role::Follower), r, 3, 1.0, 0.1));
            let off = |id: &str, count: usize, v: f64, s: f64| {
                reading(id, Some(Role::Leader), r, count, v, s)
            };
            m.push(off("step_direction", 0, 40.0, 3.0));
            m.push(off("off_slot", 2, 0.4, 0.02));
        }
        let usual = judged(&m);
        let key = |fault: &str, role: Role| crate::marks::FindingKey {
            fault: fault.into(),
            role: Some(role),
        };
        let mut mine = usual.clone();
        let gone = key("Z9", Role::Leader);
        put_first(
            &mut mine,
            &[gone, key("S4", Role::Leader), key("S1", Role::Follower)],
        );
        let names: Vec<&str> = mine.iter().take(3).map(|j| j.fault.as_str()).collect();
        assert_eq!(names, ["S4", "S1", "S3"]);
        // What the coach puts first stands on its own and is offered; the rest keeps its causes.
        assert_eq!((mine[0].explained_by, mine[0].offered), (None, true));
        assert!(mine[1].offered && mine[2].offered);
        let order = |j: &[Judged]| -> Vec<(String, Option<Role>)> {
            let rest = j
                .iter()
                .filter(|j| !["S1", "S3", "S4"].contains(&j.fault.as_str()));
            rest.map(|j| (j.fault.clone(), j.role)).collect()
        };
        assert_eq!(order(&mine), order(&usual));
        // What does not show cannot be put first, and no order is the usual one.
        let mut same = usual.clone();
        put_first(&mut same, &[key("P1", Role::Leader)]);
        assert_eq!(same, usual);
        put_first(&mut same, &[]);
        assert_eq!(same, usual);
    }

    #[test]
    fn a_cause_does_not_come_after_its_effect() {
        let mut m = Vec::new();
        for r in 0..4 {
            m.push(reading(
                "step_direction",
                Some(Role::Leader),
                r,
                5,
                40.0,
                3.0,
            ));
            m.push(reading("off_slot", Some(Role::Leader), r, 1, 0.4, 0.02));
        }
        let j = judged(&m);
        assert!(j.iter().all(|j| j.explained_by.is_none()));
    }

    #[test]
    fn what_is_held_may_be_seen_later_than_what_it_causes() {
        let mut m = Vec::new();
        for r in 0..4 {
            let mut add = |id, count, v| {
                m.push(reading(id, Some(Role::Leader), r, count, v, 0.01));
            };
            add("head_ahead", 0, 0.12);
            add("hips_behind", 2, 0.11);
        }
        let j = judged(&m);
        let at = |fault: &str| j.iter().position(|j| j.fault == fault).unwrap();
        let (cause, effect) = (&j[at("P2")], &j[at("P5")]);
        assert!(cause.evidence[0].from > effect.evidence[0].from);
        assert_eq!(effect.explained_by, Some(at("P2")));
    }

    #[test]
    fn a_reading_too_rough_for_a_clear_fault_to_show_is_not_called_fine() {
        // Fine to 15 cm, clear from 35.
        let of = |sigmas: &[f64], v: f64| {
            let reading =
                |(r, s): (u32, &f64)| reading("off_slot", Some(Role::Leader), r, 2, v, *s);
            let all: Vec<_> = (0..).zip(sigmas).map(reading).collect();
            judged(&all)[0].clone()
        };
        let well = of(&[0.05; 4], 0.05);
        assert_eq!((well.call, well.rough), (Call::Fine, 0));
        assert_eq!(well.told.len(), 4);
        let rough = of(&[0.16; 4], 0.05);
        assert!(rough.likeliest < FINE, "{rough:?}");
        assert_eq!((rough.call, rough.rough), (Call::TooRough, 4));
        assert_eq!(rough.told, []);
        // It is fine where at least half of it was read well.
        let half = of(&[0.05, 0.16, 0.05, 0.16], 0.05);
        assert_eq!((half.call, half.rough), (Call::Fine, 2));
        assert_eq!(
            [&well, &rough, &half].map(Judged::most_tell),
            [true, false, true]
        );
        // One that is not sure does not make the others tell.
        let off = |r, v, s| reading("off_slot", Some(Role::Leader), r, 2, v, s);
        let unsure = &judged(&[
            off(0, 0.2, 0.05),
            off(1, 0.02, 0.16),
            off(2, 0.02, 0.16),
            off(3, 0.02, 0.16),
        ])[0];
        assert_eq!((unsure.call, unsure.most_tell()), (Call::Unsure, false));
        assert_eq!(half.told, [(0, Some(2)), (2, Some(2))]);
        // What lies far enough out shows all the same.
        let far = of(&[0.16; 4], 0.9);
        assert_eq!((far.call, far.rough, far.showing), (Call::Shows, 0, 4));
        // Counts that are not visible tell nothing either.
        let mut counts: Vec<Measure> = (0..4)
            .map(|c| reading("off_slot", Some(Role::Leader), 0, c, 0.05, 0.05))
            .collect();
        for m in &mut counts[..3] {
            m.reading = Reading::NotVisible { why: "no".into() };
        }
        assert_eq!(judged(&counts)[0].call, Call::TooRough);
    }

    #[test]
    fn the_other_measure_is_asked_where_the_first_says_too_little() {
        let lean = |id, sigma| reading(id, Some(Role::Leader), 0, 2, 1.0, sigma);
        let by = |of: &[Measure]| {
            let all = judged(of);
            let p1 = all.into_iter().find(|j| j.fault == "P1").unwrap();
            (p1.measure, p1.call)
        };
        let (well, rough) = (lean("lean_away", 0.5), lean("lean_away", 9.0));
        let other = lean("lean", 0.5);
        let said = |id: &str, call| (id.to_owned(), call);
        assert_eq!(by(&[well, other.clone()]), said("lean_away", Call::Fine));
        assert_eq!(by(&[rough.clone(), other]), said("lean", Call::Fine));
        let both = by(&[rough, lean("lean", 9.0)]);
        assert_eq!(both, said("lean_away", Call::TooRough));
    }

    #[test]
    fn a_cause_that_is_not_surely_told_everywhere_still_explains() {
        let of = |surely: u32, hardly: f64| {
            let mut m = Vec::new();
            for r in 0..4 {
                m.push(reading("off_slot", Some(Role::Leader), r, 2, 0.4, 0.02));
                // The last repetition's steps are not seen.
                if r < 3 {
                    let (by, sigma) = if r < surely {
                        (40.0, 3.0)
                    } else {
                        (hardly, 9.0)
                    };
                    let step = reading("step_direction", Some(Role::Leader), r, 0, by, sigma);
                    m.push(step);
                }
            }
            let j = judged(&m);
            let s4 = j.iter().find(|j| j.fault == "S4").unwrap();
            (s4.explained_by.is_some(), s4.explained)
        };
        let (all, whole) = of(3, 0.0);
        let (most, less) = of(2, 26.0);
        assert!(all && most);
        assert!((whole.unwrap() - 0.7).abs() < 0.02, "{whole:?}");
        assert!(
            less.unwrap() < whole.unwrap() && less.unwrap() > 0.5,
            "{less:?}"
        );
        // Once of three is none.
        assert_eq!(of(1, 0.0), (false, None));
    }

    #[test]
    fn what_cannot_be_seen_is_said_and_not_judged() {
        let m = Measure {
            id: "lean".into(),
            role: Some(Role::Leader),
            repetition: 0,
            count: Some(0),
            reading: Reading::NotVisible {
                why: "film from the side".into(),
            },
            asked: None,
            likely: None,
        };
        let (j, unseen) = all(&[m]);
        assert!(j.is_empty());
        assert_eq!(unseen[0].fault, "P1");
    }

    #[test]
    fn the_stretch_is_judged_only_at_its_count() {
        let m = [
            reading("separation_share", None, 0, 2, 0.56, 0.01),
            reading("separation_share", None, 0, 6, 0.60, 0.01),
        ];
        let j = judged(&m);
        let k3 = j.iter().find(|j| j.fault == "K3").unwrap();
        assert_eq!(k3.evidence[0].count, Some(6));
        assert_eq!(k3.grade, Grade::Clear);
    }

    proptest! {
        /// The worse of two otherwise equal faults never ranks lower.
        #[test]
        fn more_severe_never_ranks_lower(a in 0.16..0.8f64, more in 0.0..0.5f64) {
            let mut m = Vec::new();
            for r in 0..4 {
                m.push(reading("off_slot", Some(Role::Leader), r, 2, a, 0.01));
                m.push(reading("off_slot", Some(Role::Follower), r, 2, a + more, 0.01));
            }
            let j = judged(&m);
            let score = |role| j.iter().find(|j| j.role == Some(role)).unwrap().score;
            prop_assert!(score(Role::Follower) >= score(Role::Leader));
        }

        /// Exchanging the roles' readings exchanges their findings and nothing else.
        #[test]
        fn roles_are_judged_alike(values in proptest::collection::vec(-0.5..0.5f64, 6)) {
            let make = |role| values.iter().enumerate()
                .map(|(r, v)| reading("off_slot", Some(role), r as u32, 1, *v, 0.02))
                .collect::<Vec<_>>();
            let (l, f) = (judged(&make(Role::Leader)), judged(&make(Role::Follower)));
            prop_assert_eq!(l[0].showing, f[0].showing);
            prop_assert_eq!(l[0].score, f[0].score);
        }
    }
}
