//! Readings of many takes gathered into the core's answers.

use std::collections::BTreeMap;

use serde::Serialize;
use upright_core::fault::{Band, Rules};
use upright_core::progress::{
    Across, Conditions, Progress, Repeatability, Status, TakeReading, across, progress,
    repeatability,
};
use upright_core::units::{Estimate, Role, Unit};
use upright_store::{PersonReading, Remark};
use uuid::Uuid;

/// One fault of one person in one figure over their takes.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct FaultProgress {
    /// Whose.
    pub person_id: Uuid,
    /// Id in the catalogue.
    pub fault: String,
    /// As a coach says it.
    pub name: String,
    /// Chart danced.
    pub chart: String,
    /// The person's role.
    pub role: Role,
    /// The finding is the couple's, not the person's alone.
    pub of_couple: bool,
    /// Name of the partner.
    pub partner: String,
    /// Measure it is judged by.
    pub measure: String,
    /// Unit of the values.
    pub unit: Unit,
    /// The band in force.
    pub band: Band,
    /// The take behind each reading.
    pub takes: Vec<Uuid>,
    /// Whether it is the person's own, seen over all partners with whom this figure was danced in this role.
    pub across: Option<Across>,
    /// The answer.
    pub progress: Progress,
}

/// The coach's own repeatability of every measure that was marked twice often enough.
pub fn own_error(remarks: &[Remark]) -> BTreeMap<String, Repeatability> {
    let mut all: BTreeMap<&String, Vec<Vec<f64>>> = BTreeMap::new();
    for (measure, pairs) in remarks.iter().flat_map(|r| &r.readings.0) {
        let rows = pairs.iter().map(|p| p.to_vec());
        all.entry(measure).or_default().extend(rows);
    }
    all.into_iter()
        .filter_map(|(measure, rows)| Some((measure.clone(), repeatability(&rows)?)))
        .collect()
}

/// Gathers readings by person, figure, role, partner and fault: only like is compared with like.
/// Sorted by what needs work first; faults that never showed come last.
pub fn gather(
    rules: &Rules,
    readings: Vec<PersonReading>,
    own: &BTreeMap<String, Repeatability>,
) -> Vec<FaultProgress> {
    let mut groups: BTreeMap<_, Vec<PersonReading>> = BTreeMap::new();
    for r in readings {
        let key = (
            r.person_id,
            r.chart.clone(),
            r.danced_as(),
            r.partner.clone(),
            r.fault.clone(),
        );
        groups.entry(key).or_default().push(r);
    }
    let mut out: Vec<FaultProgress> = groups
        .into_iter()
        .filter_map(|((person_id, chart, role, partner, id), rows)| {
            let entry = rules.entry(&id)?;
            // As the newest take was judged; else as the catalogue has it.
            let newest = |r: &PersonReading| Some((r.band.as_ref()?.0, r.measure.clone()?));
            let (band, measure) = rows
                .iter()
                .rev()
                .find_map(newest)
                .or_else(|| Some((entry.band?, entry.measure.clone()?)))?;
            let takes = rows
                .iter()
                .map(|r| TakeReading {
                    date: r.held_on.to_jiff(),
                    value: Estimate::new(r.value, r.sigma),
                    showing: r.showing.unsigned_abs(),
                    of: r.measured.unsigned_abs(),
                    told: r.told,
                    conditions: Conditions {
                        tempo: r.tempo,
                        bearings: r.bearings.clone(),
                        place: r.place.clone(),
                        floor: r.floor.clone(),
                        shoes: r.shoes.clone(),
                    },
                })
                .collect();
            Some(FaultProgress {
                person_id,
                fault: id,
                name: entry.name.clone(),
                chart,
                role,
                of_couple: rows.iter().any(|r| r.role == "couple"),
                partner,
                unit: upright_core::measure::spec(&measure)?.unit,
                progress: progress(&band, takes, own.get(&measure).map(|r| r.sem))?,
                measure,
                band,
                takes: rows.iter().map(|r| r.take_id).collect(),
                across: None,
            })
        })
        .collect();
    with_partners(&mut out);
    let order = |s: Status| match s {
        Status::SlippedBack => 0,
        Status::Working => 1,
        Status::New => 2,
        Status::Holding => 3,
        Status::Kept => 4,
        Status::NeverAFault => 5,
    };
    out.sort_by_key(|f| order(f.progress.status));
    out
}

/// Says of every fault whether it is the person's own, where they danced the figure with several partners.
fn with_partners(all: &mut [FaultProgress]) {
    let told: Vec<Option<Across>> = all
        .iter()
        .map(|f| {
            let same = all.iter().filter(|o| {
                (o.person_id, o.role, &o.fault, &o.chart)
                    == (f.person_id, f.role, &f.fault, &f.chart)
            });
            let each: Vec<&Progress> = same.map(|o| &o.progress).collect();
            across(&f.band, &each)
        })
        .collect();
    for (f, across) in all.iter_mut().zip(told) {
        f.across = across;
    }
}
