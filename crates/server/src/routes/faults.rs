//! The fault catalogue with the studio's own entries, the schools, and how often the coach agrees.

use std::collections::BTreeMap;

use axum::extract::State;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse as _, Response};
use serde::{Deserialize, Serialize};
use upright_core::fault::{Fault, Rules, Topic, problems, topics};
use upright_core::judge::Judged;
use upright_core::judge::agreement::{Agreement, Said, Tenth, agreement as agree, calibration};
use upright_core::measure::REGISTRY;
use upright_core::units::{Estimate, Role, Unit};
use upright_store::{OwnFault, Verdict};
use uuid::Uuid;

use super::corrections::rules;
use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Path, Version};
use crate::problem::Problem;
use crate::review;

/// Most own entries of a studio.
const MOST_OWN: usize = 200;

/// Newest takes that a preview looks at.
const PREVIEWED: usize = 12;

/// A measure in words.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct MeasureView {
    /// Id.
    id: &'static str,
    /// As a coach says it.
    name: &'static str,
    /// Unit.
    unit: Unit,
    /// How the value is to be read.
    sign: &'static str,
    /// How it is computed.
    source: &'static str,
}

/// An entry with whose it is.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct FaultView {
    /// The entry.
    #[serde(flatten)]
    fault: Fault,
    /// Written or changed by this studio.
    own: bool,
    /// The catalogue has an entry of this id, too.
    stands_in: bool,
    /// Number of its last change, to be sent with the next one; 0 for one that is the catalogue's.
    version: i32,
}

/// The catalogue with the measures it judges by.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct CatalogueView {
    /// Entries.
    faults: Vec<FaultView>,
    /// Measures.
    measures: Vec<MeasureView>,
    /// What good teachers disagree about.
    topics: Vec<Topic>,
}

async fn catalogue(app: &App, coach: &Coach) -> Result<CatalogueView, Problem> {
    let own = app.store().own_faults(coach.studio).await?;
    let rules = with(&own);
    let known = |id: &str| upright_core::fault::fault(id).is_some();
    Ok(CatalogueView {
        faults: rules
            .entries()
            .map(|f| {
                let kept = own.iter().find(|o| o.entry.id == f.id);
                FaultView {
                    fault: f.clone(),
                    own: kept.is_some(),
                    stands_in: known(&f.id),
                    version: kept.map_or(0, |o| o.version),
                }
            })
            .collect(),
        measures: REGISTRY
            .iter()
            .map(|s| MeasureView {
                id: s.id,
                name: s.name,
                unit: s.unit,
                sign: s.sign,
                source: s.source,
            })
            .collect(),
        topics: topics().to_vec(),
    })
}

fn with(own: &[OwnFault]) -> Rules {
    Rules {
        entries: own.iter().map(|o| o.entry.clone()).collect(),
        ..Rules::default()
    }
}

/// The fault catalogue, the measures and the schools.
#[utoipa::path(get, operation_id = "faults_list", path = "/api/faults", responses((status = 200, body = CatalogueView)))]
pub async fn list(State(app): State<App>, coach: Coach) -> Result<Json<CatalogueView>, Problem> {
    Ok(Json(catalogue(&app, &coach).await?))
}

/// Refuses entries that, with the rest of the catalogue, have problems.
fn sound(own: &[Fault]) -> Result<(), Problem> {
    if own.len() > MOST_OWN {
        return Err(Problem::invalid(format!(
            "A studio has at most {MOST_OWN} own entries."
        )));
    }
    let rules = Rules {
        entries: own.to_vec(),
        ..Rules::default()
    };
    let all: Vec<Fault> = rules.entries().cloned().collect();
    let found = problems(&all);
    if found.is_empty() {
        Ok(())
    } else {
        Err(Problem::invalid(found.join("; ")))
    }
}

/// Judges every take of the studio again, newest first, after the answer is given: what is opened meanwhile is
/// judged as it is opened.
fn renew_all(app: &App, coach: &Coach) {
    let (app, studio) = (app.clone(), coach.studio);
    tokio::spawn(async move {
        let takes = match app.store().takes(studio).await {
            Ok(takes) => takes,
            Err(e) => return tracing::error!(error = %e, "takes are not judged again"),
        };
        for take in takes {
            if let Err(e) = review::renew(&app, studio, take.id).await {
                tracing::error!(take = %take.id, error = ?e, "a take is not judged again");
            }
        }
    });
}

/// Keeps an entry of the studio's own, which stands in for the catalogue's of the same id.
#[utoipa::path(put, operation_id = "faults_save", path = "/api/faults/{id}", params(("id" = String, Path), ("If-Match" = String, Header)),
    request_body = Fault, responses((status = 200, body = CatalogueView), (status = 412, body = Problem), (status = 422, body = Problem)))]
pub async fn save(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
    Version(version): Version,
    Json(input): Json<Fault>,
) -> Result<Json<CatalogueView>, Problem> {
    if input.id != id {
        return Err(Problem::invalid(
            "The entry's id is another than the address's.",
        ));
    }
    let mut own = rules(&app, &coach).await?.entries;
    own.retain(|e| e.id != id);
    own.push(input.clone());
    sound(&own)?;
    app.store()
        .keep_fault(coach.studio, &input, version)
        .await?;
    renew_all(&app, &coach);
    Ok(Json(catalogue(&app, &coach).await?))
}

/// Takes an own entry away.
#[utoipa::path(delete, operation_id = "faults_remove", path = "/api/faults/{id}", params(("id" = String, Path)),
    responses((status = 200, body = CatalogueView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn remove(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<String>,
) -> Result<Json<CatalogueView>, Problem> {
    let mut own = rules(&app, &coach).await?.entries;
    own.retain(|e| e.id != id);
    sound(&own)?;
    app.store().drop_fault(coach.studio, &id).await?;
    renew_all(&app, &coach);
    Ok(Json(catalogue(&app, &coach).await?))
}

/// What an entry finds in one take for one role or the couple.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct PreviewLine {
    /// The take.
    take: Uuid,
    /// Who leads.
    leader: String,
    /// Who follows.
    follower: String,
    /// Day.
    #[schema(value_type = String, format = Date)]
    held_on: jiff::civil::Date,
    /// Whose; none for the couple.
    role: Option<Role>,
    /// What is measured.
    value: Option<Estimate>,
    /// Repetitions that show it now, and would; of those measured.
    now: u32,
    /// Would show it.
    then: u32,
    /// Measured.
    of: u32,
}

/// What an entry would find.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Preview {
    /// By take and role.
    lines: Vec<PreviewLine>,
    /// Takes looked at.
    takes: usize,
}

/// What an entry would find in the newest takes, before it is kept.
#[utoipa::path(post, operation_id = "faults_preview", path = "/api/fault-preview", request_body = Fault,
    responses((status = 200, body = Preview), (status = 422, body = Problem)))]
pub async fn preview(
    State(app): State<App>,
    coach: Coach,
    Json(input): Json<Fault>,
) -> Result<Json<Preview>, Problem> {
    let mut own = rules(&app, &coach).await?.entries;
    own.retain(|e| e.id != input.id);
    own.push(input.clone());
    sound(&own)?;
    let mut takes = app.store().takes(coach.studio).await?;
    takes.retain(|t| t.bodies_ready || t.count_ready);
    takes.sort_by_key(|t| std::cmp::Reverse(t.held_on.to_jiff()));
    takes.truncate(PREVIEWED);
    let mut lines = Vec::new();
    for t in &takes {
        let (take, [now, then]) = review::preview(&app, coach.studio, t.id, input.clone()).await?;
        for role in [Some(Role::Leader), Some(Role::Follower), None] {
            let of = |all: &[Judged]| all.iter().find(|j| j.role == role).cloned();
            let (now, then) = (of(&now), of(&then));
            let Some(any) = then.as_ref().or(now.as_ref()) else {
                continue;
            };
            let showing = |j: &Option<Judged>| j.as_ref().map_or(0, |j| j.showing);
            lines.push(PreviewLine {
                take: take.id,
                leader: take.leader.clone(),
                follower: take.follower.clone(),
                held_on: take.held_on.to_jiff(),
                role,
                value: Some(any.value),
                now: showing(&now),
                then: showing(&then),
                of: any.of,
            });
        }
    }
    Ok(Json(Preview {
        lines,
        takes: takes.len(),
    }))
}

/// The studio's own entries as one file.
#[derive(Debug, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FaultFile {
    /// `upright-pair/faults`.
    format: String,
    /// Version of the format.
    version: u32,
    /// Entries.
    entries: Vec<Fault>,
}

const FORMAT: &str = "upright-pair/faults";

/// The studio's own entries as one file.
#[utoipa::path(get, operation_id = "faults_export", path = "/api/fault-file", responses((status = 200, body = FaultFile)))]
pub async fn export(State(app): State<App>, coach: Coach) -> Result<Response, Problem> {
    let file = FaultFile {
        format: FORMAT.into(),
        version: 1,
        entries: rules(&app, &coach).await?.entries,
    };
    let text = serde_json::to_string_pretty(&file).map_err(|e| Problem::internal(&e))?;
    let headers = [
        (CONTENT_TYPE, "application/json"),
        (
            CONTENT_DISPOSITION,
            "attachment; filename=\"own-faults.json\"",
        ),
    ];
    Ok((headers, text).into_response())
}

/// Takes the entries of a file in: those of the same id are replaced, the others stay.
#[utoipa::path(put, operation_id = "faults_import", path = "/api/fault-file", request_body = FaultFile,
    responses((status = 200, body = CatalogueView), (status = 422, body = Problem)))]
pub async fn import(
    State(app): State<App>,
    coach: Coach,
    Json(file): Json<FaultFile>,
) -> Result<Json<CatalogueView>, Problem> {
    if file.format != FORMAT || file.version != 1 {
        return Err(Problem::invalid(
            "This is no file of faults that this program can read.",
        ));
    }
    let store = app.store();
    let kept = store.own_faults(coach.studio).await?;
    let mut own: Vec<Fault> = kept.iter().map(|o| o.entry.clone()).collect();
    own.retain(|e| !file.entries.iter().any(|f| f.id == e.id));
    own.extend(file.entries.iter().cloned());
    sound(&own)?;
    for entry in &file.entries {
        let was = kept.iter().find(|o| o.entry.id == entry.id);
        store
            .keep_fault(coach.studio, entry, was.map_or(0, |o| o.version))
            .await?;
    }
    renew_all(&app, &coach);
    Ok(Json(catalogue(&app, &coach).await?))
}

/// Agreement on one fault.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct FaultAgreement {
    /// Id in the catalogue.
    fault: String,
    /// As a coach says it.
    name: String,
    /// Unit of its band.
    unit: Option<Unit>,
    /// How often the coach agreed.
    agreement: Agreement,
    /// Findings in past takes that a suggested band would not make any more.
    fewer: u32,
    /// Findings in past takes now.
    findings: u32,
}

/// How often the coach agrees.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct AgreementView {
    /// By fault, most decisions first.
    faults: Vec<FaultAgreement>,
    /// By tenths of what was said.
    calibration: Vec<Tenth>,
}

/// How often the coach agrees with what was found, and what bands would agree better.
#[utoipa::path(get, operation_id = "faults_agreement", path = "/api/agreement", responses((status = 200, body = AgreementView)))]
pub async fn agreement(
    State(app): State<App>,
    coach: Coach,
) -> Result<Json<AgreementView>, Problem> {
    let store = app.store();
    let rules = rules(&app, &coach).await?;
    let decided = store.decided(coach.studio).await?;
    let said = |d: &upright_store::Decided| Said {
        probability: d.probability,
        confirmed: d.verdict == Verdict::Confirmed,
        value: d.value,
    };
    let mut by_fault: BTreeMap<&str, Vec<Said>> = BTreeMap::new();
    for d in &decided {
        by_fault.entry(&d.fault).or_default().push(said(d));
    }
    let findings = store.findings(coach.studio).await?;
    let mut faults: Vec<FaultAgreement> = by_fault
        .into_iter()
        .filter_map(|(id, all)| {
            let entry = rules.entry(id)?;
            let agreement = agree(entry.band.as_ref(), &all);
            let past: Vec<f64> = findings.iter().filter(|f| f.0 == id).map(|f| f.1).collect();
            let fewer = agreement.suggestion.as_ref().map_or(0, |s| {
                past.iter().filter(|v| s.band.beyond(**v) <= 0.0).count()
            });
            let measure = entry.measure.as_deref();
            Some(FaultAgreement {
                fault: id.to_owned(),
                name: entry.name.clone(),
                unit: measure
                    .and_then(upright_core::measure::spec)
                    .map(|s| s.unit),
                agreement,
                fewer: fewer as u32,
                findings: past.len() as u32,
            })
        })
        .collect();
    faults.sort_by_key(|f| std::cmp::Reverse(f.agreement.confirmed + f.agreement.dismissed));
    Ok(Json(AgreementView {
        faults,
        calibration: calibration(&decided.iter().map(said).collect::<Vec<_>>()),
    }))
}
