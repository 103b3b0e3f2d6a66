//! Counts joined to media time: anchors with straight lines between them.

use serde::{Deserialize, Serialize};

use super::{CountPattern, TapFit};
use crate::units::MediaTime;

/// Beats of the music in media time. Beat 0 is count 1 of the first repetition; beats before it
/// are negative.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountGrid {
    /// (beat, seconds), at least two, both strictly increasing; piecewise linear between them and
    /// continued at the end tempos.
    anchors: Vec<(f64, f64)>,
    /// Where `&` falls in its beat: 0.5 straight, about 0.67 swung.
    pub swing: f64,
    /// Standard uncertainty of a beat's time, seconds.
    pub sigma: f64,
}

/// Why a grid cannot be laid.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum GridError {
    /// Tempo outside what is danced.
    #[error("{0:.0} beats a minute is outside 40 to 300.")]
    Tempo(f64),
    /// Anchors that run backwards or stand on one another.
    #[error("Two counts are pinned to the same moment, or in the wrong order. Unpin one of them.")]
    Order,
    /// Swing outside 0.5..0.75.
    #[error("The in-between step falls between 0.5 (straight) and 0.75 of the beat; {0} does not.")]
    Swing(f64),
}

/// Standard uncertainty of a beat that was heard, seconds: more than the scatter on simulated
/// bands (docs/beats.md), since phones hear worse.
const HEARD: f64 = 0.010;

impl CountGrid {
    /// From anchors (beat, media time); at least two.
    pub fn from_anchors(
        anchors: &[(f64, MediaTime)],
        swing: f64,
        sigma: f64,
    ) -> Result<Self, GridError> {
        if !(0.5..=0.75).contains(&swing) {
            return Err(GridError::Swing(swing));
        }
        let mut a: Vec<(f64, f64)> = anchors.iter().map(|(b, t)| (*b, t.secs())).collect();
        a.sort_by(|x, y| x.0.total_cmp(&y.0));
        if a.len() < 2
            || a.windows(2)
                .any(|w| w[1].0 - w[0].0 < 1e-6 || w[1].1 <= w[0].1)
        {
            return Err(GridError::Order);
        }
        for w in a.windows(2) {
            let bpm = 60.0 * (w[1].0 - w[0].0) / (w[1].1 - w[0].1);
            if !(40.0..=300.0).contains(&bpm) {
                return Err(GridError::Tempo(bpm));
            }
        }
        Ok(Self {
            anchors: a,
            swing,
            sigma,
        })
    }

    /// From fitted taps; `one` is the beat, counted from the first tap, that is count 1.
    pub fn from_taps(fit: &TapFit, one: i32, swing: f64) -> Result<Self, GridError> {
        let first = fit.first.secs() + f64::from(one) * fit.period;
        Self::from_anchors(
            &[
                (0.0, MediaTime::from_secs(first)),
                (1.0, MediaTime::from_secs(first + fit.period)),
            ],
            swing,
            fit.sigma,
        )
    }

    /// From beats that were heard one by one; `one` is the number of the one that is count 1. Beats are
    /// taken as neighbours: none may be missing between them.
    pub fn from_beats(beats: &[MediaTime], one: i32, swing: f64) -> Result<Self, GridError> {
        let mut t = beats.to_vec();
        t.sort_unstable();
        t.dedup();
        let anchors: Vec<(f64, MediaTime)> = t
            .iter()
            .enumerate()
            .map(|(i, t)| (i as f64 - f64::from(one), *t))
            .collect();
        Self::from_anchors(&anchors, swing, HEARD)
    }

    /// From a typed tempo and the moment of one count 1. The uncertainty is that of one pointed frame.
    pub fn from_tempo(bpm: f64, one: MediaTime, swing: f64) -> Result<Self, GridError> {
        if !(40.0..=300.0).contains(&bpm) {
            return Err(GridError::Tempo(bpm));
        }
        let second = MediaTime::from_secs(one.secs() + 60.0 / bpm);
        Self::from_anchors(&[(0.0, one), (1.0, second)], swing, 0.015)
    }

    fn segment(&self, find: impl Fn(&(f64, f64)) -> bool) -> ((f64, f64), (f64, f64)) {
        let last = self.anchors.len() - 1;
        let i = self.anchors[1..last]
            .iter()
            .position(|a| !find(a))
            .unwrap_or(last - 1);
        (self.anchors[i], self.anchors[i + 1])
    }

    /// Media time of a beat.
    pub fn time_of(&self, beat: f64) -> MediaTime {
        let (a, b) = self.segment(|k| k.0 <= beat);
        MediaTime::from_secs(a.1 + (beat - a.0) * (b.1 - a.1) / (b.0 - a.0))
    }

    /// Beat at a media time.
    pub fn beat_at(&self, at: MediaTime) -> f64 {
        let t = at.secs();
        let (a, b) = self.segment(|k| k.1 <= t);
        a.0 + (t - a.1) * (b.0 - a.0) / (b.1 - a.1)
    }

    /// Seconds a beat lasts around the given beat.
    pub fn period_at(&self, beat: f64) -> f64 {
        let (a, b) = self.segment(|k| k.0 <= beat);
        (b.1 - a.1) / (b.0 - a.0)
    }

    /// Media time of a count of a repetition (both from 0).
    pub fn time_of_count(
        &self,
        pattern: &CountPattern,
        repetition: u32,
        index: usize,
    ) -> Option<MediaTime> {
        let mark = pattern.marks.get(index)?;
        Some(
            self.time_of(
                f64::from(repetition) * f64::from(pattern.beats) + mark.offset(self.swing),
            ),
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn counts_fall_where_the_tempo_says() {
        let grid = CountGrid::from_tempo(120.0, MediaTime(1_000_000), 0.66).unwrap();
        let p = CountPattern::parse("1 & 2 3 & 4 5 6").unwrap();
        assert_eq!(grid.time_of_count(&p, 0, 0), Some(MediaTime(1_000_000)));
        assert_eq!(grid.time_of_count(&p, 0, 1), Some(MediaTime(1_330_000)));
        assert_eq!(grid.time_of_count(&p, 2, 7), Some(MediaTime(9_500_000)));
        assert_eq!(grid.time_of_count(&p, 0, 8), None);
    }

    #[test]
    fn impossible_grids_are_refused() {
        assert!(CountGrid::from_tempo(20.0, MediaTime(0), 0.5).is_err());
        assert!(CountGrid::from_tempo(120.0, MediaTime(0), 0.9).is_err());
        let same = [(0.0, MediaTime(5)), (1.0, MediaTime(5))];
        assert_eq!(
            CountGrid::from_anchors(&same, 0.5, 0.0),
            Err(GridError::Order)
        );
    }

    proptest! {
        #[test]
        fn beat_and_time_are_inverse(
            steps in proptest::collection::vec(0.3..1.0f64, 1..8),
            beat in -20.0..40.0f64,
        ) {
            let mut t = 0.7;
            let mut anchors = vec![(0.0, MediaTime::from_secs(t))];
            for (i, s) in steps.iter().enumerate() {
                t += 4.0 * s;
                anchors.push((4.0 * (i + 1) as f64, MediaTime::from_secs(t)));
            }
            let grid = CountGrid::from_anchors(&anchors, 0.5, 0.0).unwrap();
            prop_assert!((grid.beat_at(grid.time_of(beat)) - beat).abs() < 1e-4);
        }
    }
}
