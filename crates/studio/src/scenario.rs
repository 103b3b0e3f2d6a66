//! What is danced, how well, and from where it is filmed.

use nalgebra::Point3;
use serde::{Deserialize, Serialize};
use upright_core::camera::Camera;
use upright_core::chart::{Chart, chart};
use upright_core::count::{CountGrid, GridError};
use upright_core::units::{MediaTime, Role};

use crate::fault::Shown;
use crate::sound::Sound;
use crate::watcher::Watcher;

/// Where a phone stands and how it films.
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
    /// Height over the middle of the reference at which it points, metres.
    pub aim: f64,
    /// Field of view along the picture's longer side, degrees.
    pub view: f64,
    /// Turn about the lens axis, degrees.
    pub roll: f64,
    /// Radial term of the lens; negative is a barrel.
    pub bend: f64,
    /// How far the hand that holds it shakes, degrees (1σ); 0 on a stand.
    pub shake: f64,
    /// Picture, pixels.
    pub size: [u32; 2],
    /// Frames a second.
    pub fps: f64,
    /// How unevenly frames follow each other, as a share of a frame's time; 0 for a steady rate.
    pub uneven: f64,
    /// Seconds of the dance at which the clip begins.
    pub clock: f64,
    /// How much its clock runs fast, parts in a million.
    pub fast: f64,
}

impl Default for Phone {
    fn default() -> Self {
        Self {
            distance: 4.6,
            bearing: 6.0,
            height: 1.5,
            aim: 0.82,
            view: 63.0,
            roll: 0.6,
            bend: 0.0,
            shake: 0.0,
            size: [1280, 720],
            fps: 30.0,
            uneven: 0.0,
            clock: 0.0,
            fast: 0.0,
        }
    }
}

impl Phone {
    /// Width and height of the picture, pixels.
    pub fn picture(&self) -> [f64; 2] {
        self.size.map(f64::from)
    }

    /// The camera, held still.
    pub fn camera(&self) -> Camera {
        let (s, c) = self.bearing.to_radians().sin_cos();
        let mut camera = Camera::looking_at(
            Point3::new(self.distance * s, -self.distance * c, self.height),
            Point3::new(0.0, 0.0, self.aim),
            self.roll,
            self.view,
            self.picture(),
        );
        camera.bend = self.bend;
        camera
    }

    /// The camera at a moment of the dance, shaken by the hand. The same everywhere it is asked for.
    pub fn camera_at(&self, t: f64) -> Camera {
        let camera = self.camera();
        if self.shake == 0.0 {
            return camera;
        }
        let wave = |a: f64, b: f64| {
            self.shake.to_radians() * ((a * t + b).sin() + (1.7 * a * t + 2.0 * b).sin())
        };
        camera.nudged(&[
            0.0,
            wave(5.1, 0.3),
            wave(4.3, 1.1),
            0.6 * wave(3.7, 2.0),
            0.0,
            0.0,
            0.0,
        ])
    }

    /// Moment of the dance that is in the picture at a moment of the clip, seconds.
    pub fn danced(&self, clip: f64) -> f64 {
        self.clock + clip / (1.0 + 1e-6 * self.fast)
    }

    /// Moment of the clip that shows a moment of the dance, seconds.
    pub fn shown(&self, danced: f64) -> f64 {
        (danced - self.clock) * (1.0 + 1e-6 * self.fast)
    }

    /// Moments of the frames of a clip that ends with the dance, from its first frame on.
    pub fn frame_times(&self, length: f64) -> Vec<MediaTime> {
        let last = self.shown(length);
        (0..)
            .map(|n| self.frame_time(n))
            .take_while(|t| *t < last)
            .map(MediaTime::from_secs)
            .collect()
    }

    /// The same moments over N, as an expression for a maker of clips; none where frames come evenly.
    pub fn moments(&self) -> Option<String> {
        let (fps, uneven) = (self.fps, self.uneven);
        (uneven > 0.0).then(|| format!("(N+{uneven}*(0.5*sin(1.7*N)+0.35*sin(0.23*N)))/{fps}"))
    }

    /// Moment of a frame in the clip, seconds. Uneven rates come and go in two waves, whose steps are
    /// all forward.
    fn frame_time(&self, n: u32) -> f64 {
        let n = f64::from(n);
        (n + self.uneven * (0.5 * (1.7 * n).sin() + 0.35 * (0.23 * n).sin())) / self.fps
    }
}

/// Figures danced after the first one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema, schemars::JsonSchema))]
pub struct Danced {
    /// Chart id.
    pub chart: String,
    /// How often.
    pub times: u32,
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
    /// Figures danced after it: a routine.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub then: Vec<Danced>,
    /// Beats a minute.
    pub bpm: f64,
    /// Share by which the tempo grows in a minute, −0.15..0.15.
    pub tempo_drift: f64,
    /// Share by which the tempo changes at once after half of the repetitions, −0.15..0.15.
    pub tempo_step: f64,
    /// Seconds before the first count 1.
    pub lead_in: f64,
    /// What is heard.
    pub sound: Sound,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// Who leader and follower are: people of the same number have the same build.
    pub people: [u64; 2],
    /// How much they vary from step to step by nature: 1 for a practised dancer, 0 for a machine.
    pub nature: f64,
    /// Faults that are shown.
    pub faults: Vec<Shown>,
    /// Length along the slot and width of the taped reference, metres.
    pub reference: [f64; 2],
    /// The phones, one to four.
    pub phones: Vec<Phone>,
    /// Who else is in the hall.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub watchers: Vec<Watcher>,
    /// Who dances without the partner, where only one is there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub alone: Option<Role>,
    /// Seed of everything that varies.
    pub seed: u64,
}

impl Default for Scenario {
    fn default() -> Self {
        Self {
            chart: "shag-basic".into(),
            repetitions: 4,
            then: Vec::new(),
            bpm: 118.0,
            tempo_drift: 0.0,
            tempo_step: 0.0,
            lead_in: 2.1,
            sound: Sound::default(),
            heights: [1.82, 1.66],
            people: [1, 2],
            nature: 1.0,
            faults: Vec::new(),
            reference: [2.0, 1.0],
            phones: vec![Phone::default()],
            watchers: Vec::new(),
            alone: None,
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
    /// A fault that cannot be shown so.
    #[error("fault “{0}” {1}")]
    CannotShow(String, String),
}

impl Scenario {
    /// The first chart danced.
    pub fn chart(&self) -> Result<&'static Chart, ScenarioError> {
        chart(&self.chart).ok_or_else(|| ScenarioError::Chart(self.chart.clone()))
    }

    /// The chart of each repetition, in order.
    pub fn charts(&self) -> Result<Vec<&'static Chart>, ScenarioError> {
        let mut out = vec![self.chart()?; self.repetitions as usize];
        for d in &self.then {
            let c = chart(&d.chart).ok_or_else(|| ScenarioError::Chart(d.chart.clone()))?;
            out.extend(std::iter::repeat_n(c, d.times as usize));
        }
        Ok(out)
    }

    /// Whether a dancer is there.
    pub fn dances(&self, role: Role) -> bool {
        self.alone.is_none_or(|r| r == role)
    }

    /// When the beats come: evenly, or with the tempo drifting from the first 1 on or changing half way.
    pub fn grid(&self, swing: f64) -> Result<CountGrid, ScenarioError> {
        let one = MediaTime::from_secs(self.lead_in);
        if self.tempo_drift == 0.0 && self.tempo_step == 0.0 {
            return Ok(CountGrid::from_tempo(self.bpm, one, swing)?);
        }
        // An anchor every few beats; before the first 1 the tempo is the first one's.
        let mut anchors = vec![(0.0, one)];
        let (mut beat, mut at) = (0.0, self.lead_in);
        // As many beats as the longest figure has, in every repetition.
        let figures = self.repetitions + self.then.iter().map(|d| d.times).sum::<u32>();
        let last = 96.0 * f64::from(figures) + 16.0;
        let danced: f64 = self
            .charts()?
            .iter()
            .map(|c| f64::from(c.pattern().beats))
            .sum();
        while beat < last && at < 900.0 {
            let drifted = self.bpm * (1.0 + self.tempo_drift * (at - self.lead_in) / 60.0);
            let stepped = if beat < 0.5 * danced {
                0.0
            } else {
                self.tempo_step
            };
            let now = drifted * (1.0 + stepped);
            beat += 4.0;
            at += 4.0 * 60.0 / now.clamp(41.0, 299.0);
            anchors.push((beat, MediaTime::from_secs(at)));
        }
        Ok(CountGrid::from_anchors(&anchors, swing, 0.015)?)
    }

    /// Refuses numbers that make no couple, no picture or no end.
    pub fn check(&self) -> Result<(), ScenarioError> {
        let phones = |good: fn(&Phone) -> bool| self.phones.iter().all(good);
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
                self.then.len() <= 64 && self.then.iter().all(|d| (1..=64).contains(&d.times)),
                "at most 64 more figures are danced, each 1 to 64 times",
            ),
            (
                (0.5..=60.0).contains(&self.lead_in),
                "the lead-in is 0.5 to 60 s",
            ),
            (
                (0.0..=4.0).contains(&self.nature),
                "natural variation is 0 to 4 times the usual",
            ),
            (
                (1..=4).contains(&self.phones.len()),
                "one to four phones film",
            ),
            (
                self.watchers.len() <= 8 && self.watchers.iter().all(Watcher::fits),
                "at most eight others are there, 0.6 to 2.3 m tall, within 20 m, walking at most 3 m/s",
            ),
            (
                phones(|p| (5.0..=120.0).contains(&p.fps) && (0.0..=0.6).contains(&p.uneven)),
                "frames a second are 5 to 120, uneven by at most 0.6 of a frame",
            ),
            (
                phones(|p| p.size.iter().all(|s| (64..=3840).contains(s) && s % 2 == 0)),
                "the picture's sides are even, 64 to 3840 pixels",
            ),
            (
                (-0.15..=0.15).contains(&self.tempo_drift)
                    && (-0.15..=0.15).contains(&self.tempo_step),
                "the tempo drifts by at most 15 % a minute and changes by at most 15 %",
            ),
            (
                self.sound.fits(),
                "the room is 0 to 0.3 loud, speech and steps 0 to 0.5, and talk lasts 0 to 5 s",
            ),
            (
                phones(|p| {
                    (-180.0..=180.0).contains(&p.bearing)
                        && (20.0..=110.0).contains(&p.view)
                        && (-30.0..=30.0).contains(&p.roll)
                }),
                "a phone looks from anywhere around, 20 to 110 degrees wide, at most 30 askew",
            ),
            (
                phones(|p| (-0.2..=0.2).contains(&p.bend) && (0.0..=3.0).contains(&p.shake)),
                "a lens bends by at most 0.2 and a hand shakes by at most 3 degrees",
            ),
            (
                phones(|p| (-2.0..=60.0).contains(&p.clock) && (-500.0..=500.0).contains(&p.fast)),
                "a clip begins 2 s before the dance to 60 s into it, its clock fast by at most 500 in a million",
            ),
            (
                phones(|p| (1.5..=30.0).contains(&p.distance)),
                "the phone stands 1.5 to 30 m away",
            ),
            (
                phones(|p| (0.3..=4.0).contains(&p.height)),
                "the phone stands 0.3 to 4 m high",
            ),
        ];
        match all.iter().find(|(ok, _)| !ok) {
            Some((_, why)) => Err(ScenarioError::Range(why)),
            None => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn uneven_frames_go_forward_and_keep_the_rate() {
        let phone = Phone {
            uneven: 0.6,
            fps: 30.0,
            ..Phone::default()
        };
        let times = phone.frame_times(20.0);
        let steps: Vec<f64> = times.windows(2).map(|w| w[1].since(w[0])).collect();
        let [least, most] = steps.iter().fold([f64::MAX, 0.0], |[l, m]: [f64; 2], s| {
            [l.min(*s), m.max(*s)]
        });
        assert!(least > 0.01 && most > 0.045, "{least} {most}");
        assert!((times.len() as i32 - 600).abs() <= 1);
    }

    #[test]
    fn the_tempo_changes_half_way() {
        let scenario = Scenario {
            bpm: 120.0,
            tempo_step: 0.1,
            repetitions: 8,
            ..Scenario::default()
        };
        let grid = scenario.grid(0.5).unwrap();
        let step = |beat: f64| grid.time_of(beat + 1.0).secs() - grid.time_of(beat).secs();
        assert!((step(20.0) - 0.5).abs() < 1e-4);
        assert!((step(28.0) - 0.5 / 1.1).abs() < 1e-4);
    }

    #[test]
    fn clocks_count_both_ways() {
        let phone = Phone {
            clock: 1.37,
            fast: 80.0,
            ..Phone::default()
        };
        assert!((phone.danced(0.0) - 1.37).abs() < 1e-12);
        assert!((phone.shown(phone.danced(61.5)) - 61.5).abs() < 1e-9);
        // Eighty in a million are five milliseconds in a minute.
        assert!((phone.danced(60.0) - 61.37 + 0.0048).abs() < 1e-4);
    }

    #[test]
    fn a_shaking_hand_moves_the_picture_and_not_the_phone() {
        let phone = Phone {
            shake: 0.3,
            ..Phone::default()
        };
        let still = phone.camera();
        let moved: Vec<f64> = (0..300)
            .map(|i| {
                let now = phone.camera_at(0.1 * f64::from(i));
                assert_eq!(now.position, still.position);
                let p = Point3::new(0.2, 0.1, 1.0);
                (now.project(p).unwrap() - still.project(p).unwrap()).norm()
            })
            .collect();
        let usual = (moved.iter().map(|m| m * m).sum::<f64>() / 300.0).sqrt();
        // 0.3° about two axes, seen with 1044 pixels of focal length.
        assert!((4.0..14.0).contains(&usual), "{usual}");
    }
}
