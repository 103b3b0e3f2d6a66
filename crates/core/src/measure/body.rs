//! How measures go through a take's solved bodies: at each count, for each dancer or for both.

use super::scene::Slot;
use super::{Measure, Reading, Scene};
use crate::body::solve::{Moment, Posture, value};
use crate::chart::{ChartRow, Hold};
use crate::units::{Estimate, Foot, Role};

/// Said where the solved bodies do not tell a number well enough.
pub(super) const UNSEEN: &str =
    "This angle cannot tell. A second phone, a quarter of the way round, can.";

/// A reading, or that it cannot be told when its standard error is above `most`.
pub(super) fn reading(e: Estimate, most: f64) -> Reading {
    if e.sigma <= most {
        Reading::Value(e)
    } else {
        Reading::NotVisible { why: UNSEEN.into() }
    }
}

/// A count of the take for one dancer.
#[derive(Clone, Copy)]
pub(super) struct At<'s, 'a> {
    pub scene: &'s Scene<'a>,
    pub role: Role,
    pub slot: usize,
    pub repetition: u32,
    pub count: usize,
}

impl<'s, 'a> At<'s, 'a> {
    /// At one of the scene's slots.
    pub fn new(scene: &'s Scene<'a>, role: Role, slot: usize) -> Self {
        let Slot {
            repetition, count, ..
        } = scene.slots[slot];
        Self {
            scene,
            role,
            slot,
            repetition,
            count,
        }
    }

    /// The dancer's body.
    pub fn body(&self) -> Option<Moment<'a>> {
        self.scene.body(self.role, self.slot)
    }

    /// Both bodies, this dancer's first.
    pub fn both(&self) -> Option<(Moment<'a>, Moment<'a>)> {
        self.scene.both(self.role, self.slot)
    }

    /// The dancer's body at the count before, and now.
    pub fn step(&self) -> Option<(Moment<'a>, Moment<'a>)> {
        let before = self.slot.checked_sub(1)?;
        Some((self.scene.body(self.role, before)?, self.body()?))
    }

    /// The charted row of this count.
    pub fn row(&self) -> Option<&'a ChartRow> {
        let (chart, _) = self.scene.chart.as_ref()?;
        chart.rows(self.role).iter().find(|r| r.count == self.count)
    }

    /// Whether a foot of either dancer arrives at this count.
    pub fn anyone_arrives(&self) -> bool {
        self.scene.chart.as_ref().is_some_and(|(chart, _)| {
            Role::BOTH
                .iter()
                .flat_map(|role| chart.rows(*role))
                .any(|r| r.count == self.count && r.action.arrives())
        })
    }

    /// What is held after this count.
    pub fn holds(&self) -> &'a [Hold] {
        self.scene
            .chart
            .as_ref()
            .and_then(|(c, _)| c.layout().holds.get(self.count))
            .map_or(&[], Vec::as_slice)
    }

    /// The dancer's arms that are joined to the partner.
    pub fn joined(&self) -> Vec<Foot> {
        let mut out: Vec<Foot> = self
            .holds()
            .iter()
            .filter_map(|h| match self.role {
                Role::Leader => h.leader(),
                Role::Follower => h.follower(),
            })
            .map(|h| {
                if h.side() > 0.0 {
                    Foot::Left
                } else {
                    Foot::Right
                }
            })
            .collect();
        out.sort_by_key(|f| *f as u8);
        out.dedup();
        out
    }

    /// A measure of this dancer here.
    pub fn measure(&self, id: &str, reading: Reading) -> Measure {
        Measure {
            id: id.to_owned(),
            role: Some(self.role),
            repetition: self.repetition,
            count: Some(self.count),
            reading,
            asked: None,
            likely: None,
        }
    }

    /// A measure of the couple here.
    pub fn couple(&self, id: &str, reading: Reading) -> Measure {
        Measure {
            role: None,
            ..self.measure(id, reading)
        }
    }
}

/// Every count of every dancer.
pub(super) fn counts<'s, 'a>(scene: &'s Scene<'a>) -> impl Iterator<Item = At<'s, 'a>> {
    Role::BOTH
        .into_iter()
        .flat_map(move |role| (0..scene.slots.len()).map(move |slot| At::new(scene, role, slot)))
}

/// Every count once, looked at when the leader is.
pub(super) fn of_couple<'s, 'a>(scene: &'s Scene<'a>) -> impl Iterator<Item = At<'s, 'a>> {
    counts(scene).filter(|at| at.role == Role::Leader)
}

/// A value of each dancer's own body at each count.
pub(super) fn own(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    most: f64,
    f: impl Fn(Posture) -> Option<f64>,
) {
    for at in counts(scene) {
        if let Some(e) = at.body().and_then(|b| b.value(&f)) {
            out.push(at.measure(id, reading(e, most)));
        }
    }
}

/// A value of each dancer with the partner at each count.
pub(super) fn both(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    most: f64,
    f: impl Fn(Posture, Posture) -> Option<f64>,
) {
    for at in counts(scene) {
        let e = at
            .both()
            .and_then(|(a, b)| value(&[&a, &b], |p| f(p[0], p[1])));
        if let Some(e) = e {
            out.push(at.measure(id, reading(e, most)));
        }
    }
}

/// A value of the couple at each count: leader's posture first.
pub(super) fn couple(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    most: f64,
    f: impl Fn(Posture, Posture) -> Option<f64>,
) {
    for at in of_couple(scene) {
        let e = at
            .both()
            .and_then(|(a, b)| value(&[&a, &b], |p| f(p[0], p[1])));
        if let Some(e) = e {
            out.push(at.couple(id, reading(e, most)));
        }
    }
}

/// The largest (or smallest) of several readings at a count, by value.
pub(super) fn extreme(
    all: impl Iterator<Item = Option<Estimate>>,
    largest: bool,
) -> Option<Estimate> {
    all.flatten().max_by(|a, b| {
        let order = a.value.total_cmp(&b.value);
        if largest { order } else { order.reverse() }
    })
}
