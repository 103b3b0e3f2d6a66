//! What is danced, how well, and from where it is filmed.

use nalgebra::Point3;
use serde::{Deserialize, Serialize};
use upright_core::camera::Camera;
use upright_core::chart::{Chart, chart};
use upright_core::count::{CountGrid, GridError};
use upright_core::units::MediaTime;

use crate::sound::Sound;

/// A dancer's ways, added to what the chart asks for. Zero everywhere is a clean dancer.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Habits {
    /// Arrives so many seconds after the count on average.
    pub late: f64,
    /// Further scatter of the arrivals, seconds (1σ).
    pub uneven: f64,
    /// Share of the charted step length.
    pub stride: f64,
    /// Metres off the slot to the left of it on the counts after the first.
    pub drift: f64,
    /// Degrees by which travelling back steps go outward (to the moving foot's side).
    pub thrown: f64,
    /// Lean away from the partner at the chart's stretch count, degrees.
    pub lean_away: f64,
    /// Degrees by which the feet are turned to the left on counts 2 and later.
    pub twisted: f64,
    /// Touches instead of stepping on this count (an index into the chart's counts).
    pub touches: Option<usize>,
    /// Share of the repetitions in which all this shows, 0..1; in the others the dancer is clean.
    pub share: f64,
}

impl Default for Habits {
    fn default() -> Self {
        Self {
            late: 0.0,
            uneven: 0.0,
            stride: 1.0,
            drift: 0.0,
            thrown: 0.0,
            lean_away: 0.0,
            twisted: 0.0,
            touches: None,
            share: 1.0,
        }
    }
}

impl Habits {
    /// Whether a body can move so.
    fn can_be_danced(&self) -> bool {
        let within = [
            (self.late, -0.3, 0.3),
            (self.uneven, 0.0, 0.12),
            (self.stride, 0.3, 2.0),
            (self.drift, -0.5, 0.5),
            (self.thrown, -45.0, 45.0),
            (self.lean_away, -25.0, 25.0),
            (self.twisted, -60.0, 60.0),
            (self.share, 0.0, 1.0),
        ];
        within
            .iter()
            .all(|(v, low, high)| (low..=high).contains(&v))
    }
}

/// Where the phone stands.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Phone {
    /// Metres from the middle of the floor reference.
    pub distance: f64,
    /// Degrees from square to the slot; positive is further along it.
    pub bearing: f64,
    /// Metres over the floor.
    pub height: f64,
    /// Horizontal field of view, degrees.
    pub view: f64,
    /// Turn about the lens axis, degrees.
    pub roll: f64,
}

impl Default for Phone {
    fn default() -> Self {
        Self {
            distance: 4.6,
            bearing: 6.0,
            height: 1.5,
            view: 63.0,
            roll: 0.6,
        }
    }
}

/// Everything that makes one take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Scenario {
    /// Chart id.
    pub chart: String,
    /// How often it is danced.
    pub repetitions: u32,
    /// Beats a minute.
    pub bpm: f64,
    /// Share by which the tempo grows in a minute, −0.15..0.15.
    pub tempo_drift: f64,
    /// Seconds before the first count 1.
    pub lead_in: f64,
    /// What is heard.
    pub sound: Sound,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// Ways of leader and follower.
    pub habits: [Habits; 2],
    /// Distance at which they dance as a share of the charted one.
    pub closeness: f64,
    /// Length along the slot and width of the taped reference, metres.
    pub reference: [f64; 2],
    /// The phone.
    pub phone: Phone,
    /// Picture, pixels.
    pub size: [u32; 2],
    /// Frames a second.
    pub fps: f64,
    /// Seed of everything that varies.
    pub seed: u64,
}

impl Default for Scenario {
    fn default() -> Self {
        Self {
            chart: "shag-basic".into(),
            repetitions: 4,
            bpm: 118.0,
            tempo_drift: 0.0,
            lead_in: 2.1,
            sound: Sound::default(),
            heights: [1.82, 1.66],
            habits: [Habits::default(); 2],
            closeness: 1.0,
            reference: [2.0, 1.0],
            phone: Phone::default(),
            size: [1280, 720],
            fps: 30.0,
            seed: 1,
        }
    }
}

/// Why a scenario cannot be danced.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ScenarioError {
    /// No such chart.
    #[error("there is no chart “{0}” in the library")]
    Chart(String),
    /// Counts cannot be laid.
    #[error(transparent)]
    Count(#[from] GridError),
    /// A number outside what can be simulated.
    #[error("{0}")]
    Range(&'static str),
}

impl Scenario {
    /// The chart danced.
    pub fn chart(&self) -> Result<&'static Chart, ScenarioError> {
        chart(&self.chart).ok_or_else(|| ScenarioError::Chart(self.chart.clone()))
    }

    /// When the beats come: evenly, or with the tempo drifting from the first 1 on.
    pub fn grid(&self, swing: f64) -> Result<CountGrid, ScenarioError> {
        let one = MediaTime::from_secs(self.lead_in);
        if self.tempo_drift == 0.0 {
            return Ok(CountGrid::from_tempo(self.bpm, one, swing)?);
        }
        // An anchor every few beats; before the first 1 the tempo is the first one's.
        let mut anchors = vec![(0.0, one)];
        let (mut beat, mut at) = (0.0, self.lead_in);
        // As many beats as the longest figure has, in every repetition.
        let last = 96.0 * f64::from(self.repetitions) + 16.0;
        while beat < last && at < 900.0 {
            let now = self.bpm * (1.0 + self.tempo_drift * (at - self.lead_in) / 60.0);
            beat += 4.0;
            at += 4.0 * 60.0 / now.clamp(41.0, 299.0);
            anchors.push((beat, MediaTime::from_secs(at)));
        }
        Ok(CountGrid::from_anchors(&anchors, swing, 0.015)?)
    }

    /// The camera.
    pub fn camera(&self) -> Camera {
        let p = &self.phone;
        let (s, c) = p.bearing.to_radians().sin_cos();
        Camera::looking_at(
            Point3::new(p.distance * s, -p.distance * c, p.height),
            Point3::new(0.0, 0.0, 0.82),
            p.roll,
            p.view,
            self.size.map(f64::from),
        )
    }

    /// Refuses numbers that make no couple, no picture or no end.
    pub fn check(&self) -> Result<(), ScenarioError> {
        let all = [
            (
                self.heights.iter().all(|h| (1.0..=2.3).contains(h)),
                "heights are 1.0 to 2.3 m",
            ),
            (
                (1..=64).contains(&self.repetitions),
                "repetitions are 1 to 64",
            ),
            (
                (0.5..=60.0).contains(&self.lead_in),
                "the lead-in is 0.5 to 60 s",
            ),
            (
                (5.0..=120.0).contains(&self.fps),
                "frames a second are 5 to 120",
            ),
            (
                self.size
                    .iter()
                    .all(|s| (64..=3840).contains(s) && s % 2 == 0),
                "the picture's sides are even, 64 to 3840 pixels",
            ),
            (
                self.habits.iter().all(Habits::can_be_danced),
                "a habit is beyond what can be danced",
            ),
            (
                (-0.15..=0.15).contains(&self.tempo_drift)
                    && (0.0..=0.3).contains(&self.sound.room),
                "the tempo drifts at most 15 % a minute and the room is 0 to 0.3 loud",
            ),
            (
                (0.5..=1.6).contains(&self.closeness),
                "the closeness is 0.5 to 1.6",
            ),
            (
                (-85.0..=85.0).contains(&self.phone.bearing)
                    && (20.0..=110.0).contains(&self.phone.view)
                    && (-30.0..=30.0).contains(&self.phone.roll),
                "the phone looks from -85 to 85 degrees, 20 to 110 wide, at most 30 askew",
            ),
            (
                (1.5..=30.0).contains(&self.phone.distance),
                "the phone stands 1.5 to 30 m away",
            ),
            (
                (0.3..=4.0).contains(&self.phone.height),
                "the phone stands 0.3 to 4 m high",
            ),
        ];
        match all.iter().find(|(ok, _)| !ok) {
            Some((_, why)) => Err(ScenarioError::Range(why)),
            None => Ok(()),
        }
    }
}
