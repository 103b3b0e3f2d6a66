//! Practice clips of the simulated studio.

use axum::extract::State;
use axum::http::StatusCode;
use jiff::Zoned;
use serde::{Deserialize, Serialize};
use upright_core::units::{Role, Unit};
use upright_store::{
    ClipState, CoupleInput, NewClip, NewTake, PersonInput, Practice, Store, StudioId, Take, Wanted,
    WorkKind,
};
use upright_studio::{Danced, Performance, Phone, Scenario, Shown, Sound, showable};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::{Json, Query};
use crate::film::new_clips;
use crate::problem::Problem;

/// Longest practice clip, seconds: rendering keeps all cores busy.
const LONGEST: f64 = 90.0;

/// Where simulated takes are danced.
const PLACE: &str = "Studio, simulated";

/// What a practice clip shows.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PracticeInput {
    /// Figure of the library.
    chart: String,
    /// How often it is danced, 1..64.
    repetitions: u32,
    /// Beats a minute.
    bpm: f64,
    /// Standing heights of leader and follower, metres.
    heights: [f64; 2],
    /// Figures danced after it; a take is judged on the first one.
    #[serde(default)]
    then: Vec<Danced>,
    /// Faults that are shown.
    #[serde(default)]
    faults: Vec<Shown>,
    /// What is heard.
    #[serde(default)]
    sound: Sound,
    /// The phones, one to four; each makes a clip.
    phones: Vec<Phone>,
    /// Seed of everything that varies; another one is another evening.
    seed: u32,
    /// Marked by the simulated hand as well.
    marked: bool,
}

impl From<&PracticeInput> for Scenario {
    fn from(p: &PracticeInput) -> Self {
        Self {
            chart: p.chart.clone(),
            repetitions: p.repetitions,
            bpm: p.bpm,
            heights: p.heights,
            then: p.then.clone(),
            faults: p.faults.clone(),
            sound: p.sound,
            phones: p.phones.clone(),
            seed: u64::from(p.seed),
            ..Self::default()
        }
    }
}

/// Made-up people of these heights, so that nobody's own progress is touched.
async fn couple(store: &Store, studio: StudioId, heights: [f64; 2]) -> Result<Uuid, Problem> {
    let names = [("leader", 0), ("follower", 1)]
        .map(|(role, i): (&str, usize)| format!("Practice {role}, {:.0} cm", 100.0 * heights[i]));
    let there = store.couples(studio).await?;
    if let Some(c) = there
        .iter()
        .find(|c| c.leader == names[0] && c.follower == names[1])
    {
        return Ok(c.id);
    }
    let people = store.people(studio).await?;
    let mut ids = Vec::new();
    for (name, height) in names.iter().zip(heights) {
        let id = match people.iter().find(|p| p.name == *name) {
            Some(p) => p.id,
            None => {
                let input = PersonInput {
                    name: name.clone(),
                    height,
                    note: "Made up for practice clips.".into(),
                    consent: true,
                };
                store.create_person(studio, &input).await?.id
            }
        };
        ids.push(id);
    }
    let input = CoupleInput {
        leader_id: ids[0],
        follower_id: ids[1],
        frame_limit: None,
    };
    Ok(store.create_couple(studio, &input).await?.id)
}

/// A figure of the library.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[serde(deny_unknown_fields)]
pub struct OfChart {
    /// Its id.
    chart: String,
}

/// A fault that a simulated couple can show.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct ShowableFault {
    /// As in the catalogue.
    id: &'static str,
    /// What it looks like.
    name: &'static str,
    /// Unit of its size.
    unit: Unit,
    /// A size that is clear to the eye.
    usual: f64,
    /// Sizes that a body can show.
    range: [f64; 2],
    /// Counts of the figure on which the leader and the follower can show it; none where it has no place.
    counts: [Vec<usize>; 2],
}

/// Faults that a simulated couple can show in a figure.
#[utoipa::path(get, operation_id = "studio_faults", path = "/api/studio/faults", params(OfChart), responses(
    (status = 200, body = [ShowableFault]), (status = 404, body = Problem)))]
pub async fn faults(
    _coach: Coach,
    Query(of): Query<OfChart>,
) -> Result<Json<Vec<ShowableFault>>, Problem> {
    let chart = upright_core::chart::chart(&of.chart).ok_or_else(Problem::not_found)?;
    let all = showable().iter().map(|k| ShowableFault {
        id: k.id,
        name: k.name,
        unit: k.unit,
        usual: k.usual,
        range: k.range,
        counts: Role::BOTH.map(|r| {
            if k.by.can_be(r) {
                k.counts(chart, r)
            } else {
                Vec::new()
            }
        }),
    });
    Ok(Json(all.collect()))
}

/// Makes a take of a simulated couple. Its clip is rendered in the background, with the take's clip
/// telling how far it is.
#[utoipa::path(post, operation_id = "studio_make", path = "/api/studio", request_body = PracticeInput, responses(
    (status = 202, body = Take), (status = 422, body = Problem)))]
pub async fn make(
    State(app): State<App>,
    coach: Coach,
    Json(mut input): Json<PracticeInput>,
) -> Result<(StatusCode, Json<Take>), Problem> {
    // People are known to the centimetre.
    input.heights = input.heights.map(|h| (100.0 * h).round() / 100.0);
    let scenario = Scenario::from(&input);
    let performance = Performance::new(&scenario)
        .map_err(|e| Problem::invalid(format!("This cannot be danced: {e}.")))?;
    if performance.length() > LONGEST {
        return Err(Problem::invalid(format!(
            "This would last {:.0} s; a practice clip lasts at most {LONGEST:.0} s. Fewer repetitions make it shorter.",
            performance.length()
        )));
    }
    let store = app.store();
    let new = NewTake {
        couple_id: couple(store, coach.studio, input.heights).await?,
        held_on: Zoned::now().date(),
        place: PLACE.into(),
        floor: String::new(),
        shoes: String::new(),
    };
    let take = store.create_take(coach.studio, &new).await?;
    let practice = Practice {
        scenario: serde_json::to_value(&scenario).map_err(|e| Problem::internal(&e))?,
        marked: input.marked,
    };
    store.add_practice(coach.studio, take.id, &practice).await?;
    for (i, clip) in new_clips(&scenario).iter().enumerate() {
        let clip = NewClip {
            state: ClipState::Preparing,
            file_name: format!("{}-{}.mp4", scenario.chart, i + 1),
            ..clip.clone()
        };
        let id = store.add_clip(coach.studio, take.id, &clip).await?;
        store
            .ask_work(coach.studio, id, WorkKind::Prepare, &Wanted::default())
            .await?;
    }
    Ok((StatusCode::ACCEPTED, Json(take)))
}
