//! Practice clips of the simulated studio.

use axum::extract::State;
use axum::http::StatusCode;
use jiff::Zoned;
use serde::Deserialize;
use upright_store::{
    ClipState, CoupleInput, NewClip, NewTake, PersonInput, Practice, Store, StudioId, Take,
};
use upright_studio::{Habits, Performance, Phone, Scenario, Sound};
use uuid::Uuid;

use crate::App;
use crate::auth::Coach;
use crate::extract::Json;
use crate::intake::prepare_later;
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
    /// Ways of leader and follower.
    habits: [Habits; 2],
    /// What is heard.
    #[serde(default)]
    sound: Sound,
    /// The phone.
    phone: Phone,
    /// Width and height of the picture, pixels.
    size: [u32; 2],
    /// Frames a second.
    fps: f64,
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
            habits: p.habits,
            sound: p.sound,
            phone: p.phone,
            size: p.size,
            fps: p.fps,
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
    };
    let take = store.create_take(coach.studio, &new).await?;
    let practice = Practice {
        scenario: serde_json::to_value(&scenario).map_err(|e| Problem::internal(&e))?,
        marked: input.marked,
    };
    store.add_practice(coach.studio, take.id, &practice).await?;
    let clip = NewClip {
        state: ClipState::Preparing,
        file_name: format!("{}.mp4", scenario.chart),
        bytes: 0,
        original: None,
        size: scenario.size.map(|s| s as i32),
        frame_times: Vec::new(),
    };
    store.add_clip(coach.studio, take.id, &clip).await?;
    if let Some(clip) = store.clip(coach.studio, take.id).await? {
        prepare_later(app.clone(), clip);
    }
    Ok((StatusCode::ACCEPTED, Json(take)))
}
