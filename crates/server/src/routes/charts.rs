//! The reference side: charts and the fault catalogue.

use serde::Serialize;
use upright_core::chart::{Chart, FloorStep, charts, floor_path, start_stance};
use upright_core::count::CountPattern;
use upright_core::fault::{Fault, catalogue};
use upright_core::measure::REGISTRY;
use upright_core::units::{Role, Unit};

use crate::auth::Coach;
use crate::extract::Json;
use crate::problem::Problem;

/// Height for which a chart's path is drawn, metres.
const DRAWN_FOR: f64 = 1.70;

/// A chart with what follows from it.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ChartView {
    /// The chart.
    chart: Chart,
    /// Its counts.
    pattern: CountPattern,
    /// Total turn of leader and follower, eighths, positive to the left.
    turns: [i32; 2],
    /// Where the steps go for two people 1.70 m tall: leader's, follower's.
    paths: [Vec<FloorStep>; 2],
}

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

/// The catalogue with the measures it judges by.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct CatalogueView {
    /// Entries.
    faults: Vec<Fault>,
    /// Measures.
    measures: Vec<MeasureView>,
}

/// The chart library.
#[utoipa::path(get, operation_id = "charts_list", path = "/api/charts", responses((status = 200, body = [ChartView])))]
pub async fn list(_: Coach) -> Result<Json<Vec<ChartView>>, Problem> {
    let views = charts()
        .iter()
        .map(|c| {
            Ok(ChartView {
                chart: c.clone(),
                pattern: c.pattern().map_err(|e| Problem::internal(&e))?,
                turns: Role::BOTH.map(|r| c.total_turn(r)),
                paths: Role::BOTH.map(|r| {
                    let from = start_stance(c, r, [DRAWN_FOR; 2]);
                    floor_path(c, r, from, DRAWN_FOR).0
                }),
            })
        })
        .collect::<Result<_, Problem>>()?;
    Ok(Json(views))
}

/// The fault catalogue.
#[utoipa::path(get, operation_id = "charts_faults", path = "/api/faults", responses((status = 200, body = CatalogueView)))]
pub async fn faults(_: Coach) -> Json<CatalogueView> {
    Json(CatalogueView {
        faults: catalogue().to_vec(),
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
    })
}
