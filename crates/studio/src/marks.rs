//! Marks as a coach's hand would set them on a clip of the performance.

use nalgebra::Point3;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use rand_distr::{Distribution, StandardNormal};
use upright_core::body::Landmark;
use upright_core::camera::Camera;
use upright_core::marks::{CountSource, FloorReference, MarkCommand};
use upright_core::units::{MediaTime, Role};

use crate::motion::Performance;
use crate::scenario::Phone;

/// How steady the hand is and how much it marks.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hand {
    /// Standard error of a pointed pixel along each axis; zero sets marks at the projected truth.
    pub pixel: f64,
    /// Scatter of the taps, seconds; zero types the true tempo instead of tapping.
    pub tap: f64,
    /// Points of the floor reference, 4 to 8.
    pub floor_points: usize,
    /// Landmarks to mark at each count.
    pub landmarks: &'static [Landmark],
    /// Seed of the errors.
    pub seed: u64,
}

impl Hand {
    /// Exactly where things are.
    pub fn exact() -> Self {
        Self {
            pixel: 0.0,
            tap: 0.0,
            floor_points: 8,
            landmarks: &Landmark::ALL,
            seed: 0,
        }
    }

    /// An ordinary hand with a loupe.
    pub fn ordinary(seed: u64) -> Self {
        Self {
            pixel: 1.2,
            tap: 0.018,
            floor_points: 8,
            landmarks: &Landmark::ALL,
            seed,
        }
    }
}

/// The commands that mark the whole performance on a phone's clip with these frame times: figure,
/// count, floor, arrivals, and both dancers' landmarks at each of their counts. Points outside the
/// picture are left out. Empty frames give no marks of steps or bodies. Of a routine the first figure
/// is named.
pub fn marks(
    performance: &Performance,
    phone: usize,
    frames: &[MediaTime],
    hand: &Hand,
) -> Vec<MarkCommand> {
    let scenario = performance.scenario();
    let phone = performance.phone(phone);
    // The floor is marked on the clip's first frame.
    let begin = phone.camera_at(phone.danced(0.0));
    let mut rng = ChaCha8Rng::seed_from_u64(hand.seed);
    let mut draw = |sigma: f64| -> f64 {
        let z: f64 = StandardNormal.sample(&mut rng);
        sigma * z
    };
    let [length, width] = scenario.reference;
    let mut out = vec![
        MarkCommand::NameFigure {
            chart: scenario.chart.clone(),
            repetitions: scenario.repetitions,
        },
        MarkCommand::SetCount {
            count: count(performance, phone, hand, &mut draw),
        },
        MarkCommand::SizeFloor {
            length,
            width,
            view: None,
        },
    ];
    let [w, h] = phone.picture();
    let mut see = |camera: &Camera, p: Point3<f64>| {
        let q = camera.project(p)?;
        let pixel = [q.x + draw(hand.pixel), q.y + draw(hand.pixel)];
        ((0.0..w).contains(&pixel[0]) && (0.0..h).contains(&pixel[1])).then_some(pixel)
    };
    let reference = FloorReference::rectangle(length, width);
    for (point, place) in reference
        .places()
        .iter()
        .enumerate()
        .take(hand.floor_points)
    {
        out.push(MarkCommand::MarkFloor {
            point,
            pixel: see(&begin, Point3::new(place[0], place[1], 0.0)),
        });
    }
    for role in Role::BOTH {
        let named = performance
            .arrivals(role)
            .iter()
            .filter(|a| a.repetition < scenario.repetitions);
        for arrival in named {
            let Some(at) = nearest(frames, phone.shown(arrival.at)) else {
                continue;
            };
            out.push(MarkCommand::MarkStep {
                role,
                foot: arrival.foot,
                at,
                weight: arrival.weight,
            });
            let danced = phone.danced(at.secs());
            let camera = phone.camera_at(danced);
            let body = &performance.bodies(danced)[role as usize];
            out.push(MarkCommand::PlaceAll {
                role,
                at,
                points: hand
                    .landmarks
                    .iter()
                    .filter_map(|l| Some((*l, see(&camera, body.joint(*l))?)))
                    .collect(),
            });
        }
    }
    out
}

fn count(
    performance: &Performance,
    phone: &Phone,
    hand: &Hand,
    draw: &mut impl FnMut(f64) -> f64,
) -> CountSource {
    let scenario = performance.scenario();
    if hand.tap == 0.0 {
        return CountSource::Tempo {
            bpm: scenario.bpm,
            one: MediaTime::from_secs(phone.shown(scenario.lead_in)),
        };
    }
    // Tapping starts on the first 1 and goes on for three figures.
    let beats = (performance.pattern().beats * scenario.repetitions).min(24);
    CountSource::Taps {
        taps: (0..beats)
            .map(|b| {
                let beat = performance.grid().time_of(f64::from(b)).secs();
                let t = phone.shown(beat) + draw(hand.tap);
                MediaTime::from_secs(t.max(0.0))
            })
            .collect(),
        one: 0,
    }
}

/// The frame shown nearest to a moment.
pub(crate) fn nearest(frames: &[MediaTime], seconds: f64) -> Option<MediaTime> {
    let at = MediaTime::from_secs(seconds);
    let i = frames.partition_point(|f| *f < at);
    [i.checked_sub(1), Some(i)]
        .into_iter()
        .flatten()
        .filter_map(|i| frames.get(i).copied())
        .min_by_key(|f| (f.0 - at.0).abs())
}
