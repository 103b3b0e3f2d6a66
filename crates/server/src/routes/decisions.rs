//! Decisions on findings; a confirmed one becomes corrections.

use axum::extract::State;
use axum::response::Response;
use serde::Deserialize;
use upright_store::{Verdict, Whose};
use uuid::Uuid;

use super::bench;
use crate::App;
use crate::auth::Coach;
use crate::correct::{Wish, decide as carry_out};
use crate::extract::{Json, Path};
use crate::problem::Problem;
use crate::review;

/// A decision on a finding.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DecisionInput {
    /// Id in the catalogue.
    fault: String,
    /// Whose finding it is.
    role: Whose,
    /// Yes or no.
    verdict: Verdict,
    /// Why it is dismissed.
    #[serde(default)]
    reason: String,
    /// What the correction shall say, where the catalogue's proposal is changed.
    #[serde(default)]
    wish: Wish,
}

/// Confirms or dismisses a finding of a take.
#[utoipa::path(post, operation_id = "decisions_decide", path = "/api/takes/{id}/decisions", params(("id" = Uuid, Path)), request_body = DecisionInput,
    responses((status = 200, body = bench::BenchView), (status = 404, body = Problem),
    (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn decide(
    State(app): State<App>,
    coach: Coach,
    Path(id): Path<Uuid>,
    Json(input): Json<DecisionInput>,
) -> Result<Response, Problem> {
    let r = review::review(&app, coach.studio, id).await?;
    let finding = (input.fault.as_str(), input.role);
    let who = (coach.studio, Some(coach.account));
    let today = jiff::Zoned::now().date();
    carry_out(
        app.store(),
        who,
        &r,
        finding,
        input.verdict,
        &input.reason,
        &input.wish,
        today,
    )
    .await?;
    bench::view(&app, &coach, r).await
}

/// Takes a decision back with the corrections it brought.
#[utoipa::path(delete, operation_id = "decisions_withdraw", path = "/api/takes/{id}/decisions/{decision}",
    params(("id" = Uuid, Path), ("decision" = Uuid, Path)),
    responses((status = 200, body = bench::BenchView), (status = 404, body = Problem)))]
pub async fn withdraw(
    State(app): State<App>,
    coach: Coach,
    Path((id, decision)): Path<(Uuid, Uuid)>,
) -> Result<Response, Problem> {
    app.store()
        .withdraw_decision(coach.studio, id, decision)
        .await?;
    let r = review::review(&app, coach.studio, id).await?;
    bench::view(&app, &coach, r).await
}
