//! One change of the marks.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{AngleMarks, CountSource, FarLine, FindingKey, FloorReference, Marks, StepMark, Tiles};
use crate::body::{Landmark, Pose};
use crate::chart;
use crate::count::{CountGrid, GridError, Recount, TapError, fit_taps};
use crate::units::{Foot, MediaTime, Role};

/// A command, as it stands in the log.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum MarkCommand {
    /// Names the figure and how often it is danced.
    NameFigure {
        /// Chart id.
        chart: String,
        /// 1 to 64.
        repetitions: u32,
    },
    /// Lays the count.
    SetCount {
        /// Its source.
        count: CountSource,
    },
    /// Adds one tap to a tapped count (or starts one).
    Tap {
        /// Its moment.
        at: MediaTime,
    },
    /// Makes another beat count 1 by so many beats.
    ShiftOne {
        /// Beats, negative for earlier.
        beats: i32,
    },
    /// Makes the beat nearest to a moment count 1; of a typed tempo, the moment itself.
    OneAt {
        /// The moment.
        at: MediaTime,
    },
    /// Counts the beats that were heard in another way.
    Recount {
        /// How.
        how: Recount,
    },
    /// Takes the count away.
    ClearCount,
    /// Lays down the size of the floor reference.
    SizeFloor {
        /// Metres along the slot.
        length: f64,
        /// Metres across.
        width: f64,
        /// Field of view along the picture's longer side, degrees, where known.
        #[serde(default)]
        view: Option<f64>,
    },
    /// Takes a block of floor tiles or boards for the floor reference.
    TileFloor {
        /// The block.
        tiles: Tiles,
        /// Field of view along the picture's longer side, degrees, where known.
        #[serde(default)]
        view: Option<f64>,
    },
    /// Takes two parallel lines for the floor reference: tape, edges of boards, a stage's edge and a rug's.
    LineFloor {
        /// Length of the nearer one, metres.
        near: f64,
        /// Length of the farther one, metres.
        far: f64,
        /// How far they lie apart, metres.
        apart: f64,
        /// From the nearer one's left end to the farther one's right end, metres; absent when the middles lie
        /// opposite each other.
        #[serde(default)]
        diagonal: Option<f64>,
        /// Field of view along the picture's longer side, degrees, where known.
        #[serde(default)]
        view: Option<f64>,
    },
    /// Says whether the lens bends straight lines.
    BendLens {
        /// Whether it does.
        bent: bool,
    },
    /// Sets or clears a point of the floor reference.
    MarkFloor {
        /// 0..8 in the order of [`FloorReference::places`].
        point: usize,
        /// Pixels; absent clears it.
        pixel: Option<[f64; 2]>,
    },
    /// Sets a landmark at a frame.
    Place {
        /// Whose.
        role: Role,
        /// The frame.
        at: MediaTime,
        /// Which.
        landmark: Landmark,
        /// Pixels.
        pixel: [f64; 2],
    },
    /// Sets several landmarks at a frame.
    PlaceAll {
        /// Whose.
        role: Role,
        /// The frame.
        at: MediaTime,
        /// Pixels by landmark.
        #[cfg_attr(feature = "schema", schema(value_type = std::collections::HashMap<String, [f64; 2]>))]
        points: BTreeMap<Landmark, [f64; 2]>,
    },
    /// Takes a landmark away.
    Unplace {
        /// Whose.
        role: Role,
        /// The frame.
        at: MediaTime,
        /// Which.
        landmark: Landmark,
    },
    /// Copies all landmarks of a role from the nearest earlier marked frame; marked ones stay.
    CopyPrevious {
        /// Whose.
        role: Role,
        /// The frame to fill.
        at: MediaTime,
    },
    /// Marks a foot's arrival.
    MarkStep {
        /// Whose.
        role: Role,
        /// Which foot.
        foot: Foot,
        /// The frame of arrival.
        at: MediaTime,
        /// Whether the weight passed to it.
        weight: bool,
    },
    /// Takes an arrival away.
    UnmarkStep {
        /// Whose.
        role: Role,
        /// The frame.
        at: MediaTime,
    },
    /// Says what to fix first, in this order; everything else follows as usual. Nothing named gives the usual order.
    OrderFindings {
        /// Findings, the first one first.
        order: Vec<FindingKey>,
    },
    /// A floor point or landmark on another angle's picture, in that clip's own time.
    OnAngle {
        /// 2 to 4.
        angle: u8,
        /// What is marked there.
        #[cfg_attr(feature = "schema", schema(no_recursion))]
        mark: Box<MarkCommand>,
    },
}

/// Beats of a quarter of an hour at the fastest tempo.
const MOST_BEATS: f64 = 4_500.0;

/// Why a command cannot be carried out. Nothing has changed then.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum MarkError {
    /// No such chart.
    #[error("There is no chart “{0}” in the library.")]
    UnknownChart(String),
    /// A number outside its range.
    #[error("{what} must be between {low} and {high}.")]
    Range {
        /// What it is.
        what: &'static str,
        /// Least.
        low: f64,
        /// Most.
        high: f64,
    },
    /// Size of the reference is missing.
    #[error("Say how long and how wide the floor reference is before marking it.")]
    NoReference,
    /// The taps give no beat.
    #[error(transparent)]
    Taps(#[from] TapError),
    /// Beats that cannot be laid.
    #[error(transparent)]
    Beats(#[from] GridError),
    /// Nothing to act on.
    #[error("{0}")]
    Nothing(&'static str),
    /// Too many marks for one take.
    #[error("This take already has {0} marks of this kind, the most it can hold.")]
    Full(usize),
}

const PIXEL_LIMIT: f64 = 20_000.0;
const MOST_TAPS: usize = 2_000;
const MOST_ORDERED: usize = 40;
const MOST_POSES: usize = 20_000;

/// Lays down the size of the floor reference; what is marked of it stays.
fn lay_floor(
    marks: &mut Marks,
    [length, width]: [f64; 2],
    (tiles, far): (Option<Tiles>, Option<FarLine>),
    view: Option<f64>,
) -> Result<(), MarkError> {
    within("The reference's length in metres", length, 0.2, 30.0)?;
    within("The reference's width in metres", width, 0.2, 30.0)?;
    if let Some(v) = view {
        within("The field of view in degrees", v, 20.0, 140.0)?;
    }
    let before = marks.floor.as_ref();
    marks.floor = Some(FloorReference {
        tiles,
        far,
        view,
        bent: before.is_some_and(|f| f.bent),
        points: before.map_or([None; 8], |f| f.points),
        ..FloorReference::rectangle(length, width)
    });
    Ok(())
}

/// How far to the right of the nearer line's middle the farther one's lies, by the diagonal from the nearer one's
/// left end to the farther one's right end.
fn shift_of(near: f64, far: f64, apart: f64, diagonal: f64) -> Result<f64, MarkError> {
    let straight = 0.5 * (near + far);
    // As far to either side as the far line still overlaps the near one.
    let (low, high) = (apart, (2.0 * straight).hypot(apart));
    within("The diagonal in metres", diagonal, low, high)?;
    Ok((diagonal * diagonal - apart * apart).sqrt() - straight)
}

fn within(what: &'static str, value: f64, low: f64, high: f64) -> Result<(), MarkError> {
    if (low..=high).contains(&value) {
        Ok(())
    } else {
        Err(MarkError::Range { what, low, high })
    }
}

fn pixel_ok(p: [f64; 2]) -> Result<(), MarkError> {
    p.iter()
        .try_for_each(|v| within("A point's place", *v, -PIXEL_LIMIT, PIXEL_LIMIT))
}

fn moment_ok(at: MediaTime) -> Result<(), MarkError> {
    within("A moment of the clip, in seconds,", at.secs(), 0.0, 7_200.0)
}

impl MarkCommand {
    /// Carries the command out.
    pub fn apply(&self, marks: &mut Marks) -> Result<(), MarkError> {
        match self {
            Self::NameFigure { chart, repetitions } => {
                if !chart::is_id(chart) {
                    return Err(MarkError::UnknownChart(chart.clone()));
                }
                within(
                    "The number of repetitions",
                    f64::from(*repetitions),
                    1.0,
                    64.0,
                )?;
                marks.chart = Some(chart.clone());
                marks.repetitions = *repetitions;
            }
            Self::OrderFindings { order } => {
                let most = MOST_ORDERED as f64;
                within(
                    "The number of ordered findings",
                    order.len() as f64,
                    0.0,
                    most,
                )?;
                for (i, key) in order.iter().enumerate() {
                    // What the catalogue no longer has is passed over when it is judged.
                    let length = key.fault.chars().count() as f64;
                    within("The length of a fault's id", length, 1.0, 40.0)?;
                    if order[..i].contains(key) {
                        return Err(MarkError::Nothing("A finding can stand in one place only."));
                    }
                }
                marks.order.clone_from(order);
            }
            Self::SetCount { count } => {
                match count {
                    CountSource::Taps { taps, one } => {
                        within(
                            "The number of taps",
                            taps.len() as f64,
                            0.0,
                            MOST_TAPS as f64,
                        )?;
                        taps.iter().try_for_each(|t| moment_ok(*t))?;
                        within("The beat that is 1", f64::from(*one), -5_000.0, 5_000.0)?;
                    }
                    CountSource::Heard { beats, one, swing } => {
                        within("The number of beats", beats.len() as f64, 4.0, MOST_BEATS)?;
                        beats.iter().try_for_each(|t| moment_ok(*t))?;
                        within("The beat that is 1", f64::from(*one), -5_000.0, 5_000.0)?;
                        if let Some(swing) = swing {
                            within("Where the step in between falls", *swing, 0.5, 0.75)?;
                        }
                    }
                    CountSource::Tempo { bpm, one } => {
                        within("The tempo in beats a minute", *bpm, 40.0, 300.0)?;
                        moment_ok(*one)?;
                    }
                }
                marks.count = Some(count.clone());
            }
            Self::Tap { at } => {
                moment_ok(*at)?;
                match &mut marks.count {
                    Some(CountSource::Taps { taps, .. }) => {
                        if taps.len() >= MOST_TAPS {
                            return Err(MarkError::Full(MOST_TAPS));
                        }
                        taps.push(*at);
                    }
                    _ => {
                        marks.count = Some(CountSource::Taps {
                            taps: vec![*at],
                            one: 0,
                        });
                    }
                }
            }
            Self::ShiftOne { beats } => match &mut marks.count {
                Some(CountSource::Taps { one, .. } | CountSource::Heard { one, .. }) => {
                    let moved = one.saturating_add(*beats);
                    within("The beat that is 1", f64::from(moved), -5_000.0, 5_000.0)?;
                    *one = moved;
                }
                Some(CountSource::Tempo { bpm, one }) => {
                    let moved = MediaTime::from_secs(one.secs() + f64::from(*beats) * 60.0 / *bpm);
                    moment_ok(moved)?;
                    *one = moved;
                }
                None => return Err(MarkError::Nothing("There is no count to shift yet.")),
            },
            Self::OneAt { at } => {
                moment_ok(*at)?;
                match &mut marks.count {
                    Some(CountSource::Taps { taps, one }) => {
                        let fit = fit_taps(taps)?;
                        let beats = (at.since(fit.first) / fit.period).round();
                        within("The beat that is 1", beats, -5_000.0, 5_000.0)?;
                        *one = beats as i32;
                    }
                    Some(CountSource::Tempo { one, .. }) => *one = *at,
                    Some(CountSource::Heard { beats, one, .. }) => {
                        let grid = CountGrid::from_beats(beats, 0, 0.5)?;
                        *one = grid.beat_at(*at).round() as i32;
                    }
                    None => return Err(MarkError::Nothing("There is no count yet.")),
                }
            }
            Self::Recount { how } => match &mut marks.count {
                Some(CountSource::Heard { beats, one, swing }) => {
                    let (other, first) = how.of(beats, *one);
                    within("The number of beats", other.len() as f64, 4.0, MOST_BEATS)?;
                    (*beats, *one) = (other, first);
                    // What fell between the beats is now on them, or between others.
                    *swing = None;
                }
                _ => return Err(MarkError::Nothing("No beat was heard yet.")),
            },
            Self::ClearCount => marks.count = None,
            Self::SizeFloor {
                length,
                width,
                view,
            } => {
                lay_floor(marks, [*length, *width], (None, None), *view)?;
            }
            Self::TileFloor { tiles, view } => {
                for (size, count) in tiles.size.iter().zip(tiles.count) {
                    within("A tile's side in metres", *size, 0.02, 5.0)?;
                    within("The number of tiles", f64::from(count), 1.0, 100.0)?;
                }
                lay_floor(marks, tiles.block(), (Some(*tiles), None), *view)?;
            }
            Self::LineFloor {
                near,
                far,
                apart,
                diagonal,
                view,
            } => {
                within("The farther line's length in metres", *far, 0.2, 30.0)?;
                let shift = match diagonal {
                    Some(d) => shift_of(*near, *far, *apart, *d)?,
                    None => 0.0,
                };
                let line = FarLine {
                    length: *far,
                    shift,
                };
                lay_floor(marks, [*near, *apart], (None, Some(line)), *view)?;
            }
            Self::BendLens { bent } => {
                let floor = marks.floor.as_mut().ok_or(MarkError::NoReference)?;
                floor.bent = *bent;
            }
            Self::MarkFloor { point, pixel } => {
                let floor = marks.floor.as_mut().ok_or(MarkError::NoReference)?;
                if let Some(p) = pixel {
                    pixel_ok(*p)?;
                }
                let slot = floor.points.get_mut(*point).ok_or(MarkError::Range {
                    what: "The point of the reference",
                    low: 0.0,
                    high: 7.0,
                })?;
                *slot = *pixel;
            }
            Self::Place {
                role,
                at,
                landmark,
                pixel,
            } => {
                pixel_ok(*pixel)?;
                pose_at(marks, *role, *at)?.points.insert(*landmark, *pixel);
            }
            Self::PlaceAll { role, at, points } => {
                points.values().try_for_each(|p| pixel_ok(*p))?;
                pose_at(marks, *role, *at)?
                    .points
                    .extend(points.iter().map(|(k, v)| (*k, *v)));
            }
            Self::Unplace { role, at, landmark } => {
                let i = marks
                    .poses
                    .iter()
                    .position(|p| p.role == *role && p.at == *at)
                    .filter(|i| marks.poses[*i].points.contains_key(landmark))
                    .ok_or(MarkError::Nothing("That point is not marked here."))?;
                marks.poses[i].points.remove(landmark);
                if marks.poses[i].points.is_empty() {
                    marks.poses.remove(i);
                }
            }
            Self::CopyPrevious { role, at } => {
                let previous = marks
                    .poses
                    .iter()
                    .filter(|p| p.role == *role && p.at < *at)
                    .max_by_key(|p| p.at)
                    .map(|p| p.points.clone())
                    .ok_or(MarkError::Nothing(
                        "There is no earlier frame marked for this dancer to copy from.",
                    ))?;
                let pose = pose_at(marks, *role, *at)?;
                for (k, v) in previous {
                    pose.points.entry(k).or_insert(v);
                }
            }
            Self::MarkStep {
                role,
                foot,
                at,
                weight,
            } => {
                moment_ok(*at)?;
                if marks.steps.len() >= MOST_POSES {
                    return Err(MarkError::Full(MOST_POSES));
                }
                marks.steps.retain(|s| !(s.role == *role && s.at == *at));
                let step = StepMark {
                    role: *role,
                    foot: *foot,
                    at: *at,
                    weight: *weight,
                };
                let i = marks
                    .steps
                    .partition_point(|s| (s.at, s.role) < (step.at, step.role));
                marks.steps.insert(i, step);
            }
            Self::UnmarkStep { role, at } => {
                let before = marks.steps.len();
                marks.steps.retain(|s| !(s.role == *role && s.at == *at));
                if marks.steps.len() == before {
                    return Err(MarkError::Nothing(
                        "There is no arrival marked at this frame.",
                    ));
                }
            }
            Self::OnAngle { angle, mark } => {
                within("The angle", f64::from(*angle), 2.0, 4.0)?;
                mark.on_angle(marks, *angle)?;
            }
        }
        Ok(())
    }

    /// Carries out a mark of a picture on that of another angle.
    fn on_angle(&self, marks: &mut Marks, angle: u8) -> Result<(), MarkError> {
        if !matches!(
            self,
            Self::SizeFloor { .. }
                | Self::TileFloor { .. }
                | Self::LineFloor { .. }
                | Self::BendLens { .. }
                | Self::MarkFloor { .. }
                | Self::Place { .. }
                | Self::PlaceAll { .. }
                | Self::Unplace { .. }
                | Self::CopyPrevious { .. }
        ) {
            return Err(MarkError::Nothing(
                "Only floor points and joints are marked on another angle; the rest belongs to the take.",
            ));
        }
        let mut there = marks.angles.get(&angle).cloned().unwrap_or_default();
        // The reference is one and the same; its points are marked anew.
        if there.floor.is_none() {
            there.floor = marks.floor.clone().map(|f| FloorReference {
                view: None,
                bent: false,
                points: [None; 8],
                ..f
            });
        }
        let mut picture = Marks {
            floor: there.floor,
            poses: there.poses,
            ..Marks::default()
        };
        self.apply(&mut picture)?;
        marks.angles.insert(
            angle,
            AngleMarks {
                floor: picture.floor,
                poses: picture.poses,
            },
        );
        Ok(())
    }
}

fn pose_at(marks: &mut Marks, role: Role, at: MediaTime) -> Result<&mut Pose, MarkError> {
    moment_ok(at)?;
    let i = marks.poses.partition_point(|p| (p.at, p.role) < (at, role));
    if marks
        .poses
        .get(i)
        .is_none_or(|p| p.role != role || p.at != at)
    {
        if marks.poses.len() >= MOST_POSES {
            return Err(MarkError::Full(MOST_POSES));
        }
        marks.poses.insert(
            i,
            Pose {
                role,
                at,
                points: BTreeMap::new(),
            },
        );
    }
    Ok(&mut marks.poses[i])
}

#[cfg(test)]
mod tests {
    use super::*;

    fn on(angle: u8, mark: MarkCommand) -> MarkCommand {
        MarkCommand::OnAngle {
            angle,
            mark: Box::new(mark),
        }
    }

    const CORNER: MarkCommand = MarkCommand::MarkFloor {
        point: 1,
        pixel: Some([400.0, 500.0]),
    };

    #[test]
    fn tiles_measure_the_floor() {
        let mut m = Marks::default();
        let lay = |size, count| MarkCommand::TileFloor {
            tiles: Tiles { size, count },
            view: None,
        };
        // Twelve boards of 9.5 cm, 2.4 m long.
        lay([2.4, 0.095], [1, 12]).apply(&mut m).unwrap();
        let floor = m.floor.as_ref().unwrap();
        assert!((floor.length - 2.4).abs() < 1e-9 && (floor.width - 1.14).abs() < 1e-9);
        assert_eq!(floor.tiles.unwrap().count, [1, 12]);
        CORNER.apply(&mut m).unwrap();
        // A smaller block than anything can be measured by; what was there stays.
        let refused = lay([0.05, 0.05], [2, 30]).apply(&mut m);
        assert!(
            matches!(refused, Err(MarkError::Range { .. })),
            "{refused:?}"
        );
        assert!(lay([0.5, 0.5], [0, 4]).apply(&mut m).is_err());
        assert!(lay([f64::NAN, 0.5], [4, 4]).apply(&mut m).is_err());
        lay([0.5, 0.5], [4, 2]).apply(&mut m).unwrap();
        let floor = m.floor.clone().unwrap();
        assert_eq!((floor.length, floor.width), (2.0, 1.0));
        assert_eq!(floor.points[1], Some([400.0, 500.0]));
        // Tape again: no tiles any more.
        let tape = MarkCommand::SizeFloor {
            length: 2.0,
            width: 1.0,
            view: None,
        };
        tape.apply(&mut m).unwrap();
        assert_eq!(m.floor.unwrap().tiles, None);
    }

    #[test]
    fn two_lines_measure_the_floor() {
        let mut m = Marks::default();
        let lines = |far, diagonal| MarkCommand::LineFloor {
            near: 2.0,
            far,
            apart: 1.5,
            diagonal,
            view: None,
        };
        lines(3.0, None).apply(&mut m).unwrap();
        let places = m.floor.as_ref().unwrap().places();
        assert_eq!(
            places[..4],
            [[-1.0, -0.75], [1.0, -0.75], [1.5, 0.75], [-1.5, 0.75]]
        );
        assert_eq!(
            places[4..],
            [[0.0, -0.75], [1.25, 0.0], [0.0, 0.75], [-1.25, 0.0]]
        );
        CORNER.apply(&mut m).unwrap();
        // The far line lies 40 cm to the right: the diagonal says so.
        let diagonal = (0.5 * (2.0 + 3.0) + 0.4f64).hypot(1.5);
        lines(3.0, Some(diagonal)).apply(&mut m).unwrap();
        let floor = m.floor.clone().unwrap();
        assert!((floor.far.unwrap().shift - 0.4).abs() < 1e-9);
        let p = floor.places();
        assert!(((p[2][0] - p[0][0]).hypot(p[2][1] - p[0][1]) - diagonal).abs() < 1e-9);
        assert_eq!(floor.points[1], Some([400.0, 500.0]));
        // A diagonal that no such lines have, and one that is no number; what was there stays.
        for wrong in [1.2, 9.0, f64::NAN] {
            assert!(lines(3.0, Some(wrong)).apply(&mut m).is_err(), "{wrong}");
        }
        assert!(lines(0.0, None).apply(&mut m).is_err());
        assert_eq!(m.floor, Some(floor));
        // A bent lens stays one when the reference is measured anew.
        let bend = MarkCommand::BendLens { bent: true };
        assert!(bend.apply(&mut Marks::default()).is_err());
        bend.apply(&mut m).unwrap();
        lines(2.0, None).apply(&mut m).unwrap();
        assert!(m.floor.as_ref().unwrap().bent);
        // Another phone has another lens, and sees the same two lines.
        let there = MarkCommand::OnAngle {
            angle: 2,
            mark: Box::new(CORNER.clone()),
        };
        there.apply(&mut m).unwrap();
        let second = m.floor_on(2).unwrap();
        assert!(!second.bent);
        assert_eq!(second.far, m.floor.as_ref().unwrap().far);
        let there = MarkCommand::OnAngle {
            angle: 2,
            mark: Box::new(bend),
        };
        there.apply(&mut m).unwrap();
        assert!(m.floor_on(2).unwrap().bent);
    }

    #[test]
    fn beats_are_counted_in_other_ways_one_after_the_other() {
        let mut m = Marks::default();
        let recount = |how| MarkCommand::Recount { how };
        assert!(recount(Recount::Half).apply(&mut m).is_err());
        let beats: Vec<MediaTime> = (0..12).map(|i| MediaTime(400_000 * i)).collect();
        let heard = CountSource::Heard {
            beats,
            one: 2,
            swing: Some(0.66),
        };
        MarkCommand::SetCount { count: heard }
            .apply(&mut m)
            .unwrap();
        assert!((m.swing(0.5) - 0.66).abs() < 1e-12);
        recount(Recount::Off).apply(&mut m).unwrap();
        recount(Recount::Half).apply(&mut m).unwrap();
        let Some(CountSource::Heard { beats, one, .. }) = m.count.clone() else {
            panic!("{:?}", m.count)
        };
        assert_eq!((beats.len(), one), (6, 1));
        assert_eq!(beats[1], MediaTime(1_000_000));
        // What is heard between other beats is no swing; the figure's own counts.
        assert!((m.swing(0.5) - 0.5).abs() < 1e-12);
        // Too few beats are left to count by.
        assert!(recount(Recount::Half).apply(&mut m).is_err());
        assert!(
            MarkCommand::SetCount {
                count: CountSource::Heard {
                    beats: beats.clone(),
                    one: 0,
                    swing: Some(0.9),
                },
            }
            .apply(&mut m.clone())
            .is_err()
        );
    }

    #[test]
    fn another_angle_has_marks_of_its_own_on_the_same_reference() {
        let mut m = Marks::default();
        assert_eq!(on(2, CORNER).apply(&mut m), Err(MarkError::NoReference));
        let size = MarkCommand::SizeFloor {
            length: 2.4,
            width: 1.2,
            view: Some(70.0),
        };
        size.apply(&mut m).unwrap();
        on(2, CORNER).apply(&mut m).unwrap();
        let place = MarkCommand::Place {
            role: Role::Leader,
            at: MediaTime(40_000),
            landmark: Landmark::Nose,
            pixel: [300.0, 100.0],
        };
        on(2, place).apply(&mut m).unwrap();
        let there = &m.angles[&2];
        let floor = there.floor.as_ref().unwrap();
        assert_eq!((floor.length, floor.width, floor.view), (2.4, 1.2, None));
        assert_eq!(floor.points[1], Some([400.0, 500.0]));
        assert_eq!(there.poses[0].points[&Landmark::Nose], [300.0, 100.0]);
        assert!(m.poses.is_empty() && m.floor.unwrap().points == [None; 8]);
    }

    #[test]
    fn what_belongs_to_the_take_is_not_marked_on_an_angle() {
        let mut m = Marks::default();
        let step = MarkCommand::MarkStep {
            role: Role::Leader,
            foot: Foot::Left,
            at: MediaTime(0),
            weight: true,
        };
        for (command, words) in [
            (on(2, step), "Only floor points and joints"),
            (on(2, on(3, CORNER)), "Only floor points and joints"),
            (on(1, CORNER), "between 2 and 4"),
            (on(5, CORNER), "between 2 and 4"),
        ] {
            let said = command.apply(&mut m).unwrap_err().to_string();
            assert!(said.contains(words), "{said}");
        }
        assert_eq!(m, Marks::default());
    }
}
