//! The whole street for one take: marks in, everything the interface shows out.

use nalgebra::{Point2, Point3, Vector2};
use serde::{Deserialize, Serialize};

use crate::body::Landmark;
use crate::camera::propagate;
use crate::count::TapFit;
use crate::event::{Outcome, foot_steps};
use crate::fault::Circumstances;
use crate::judge::{Case, Doubt, Evidence, Judged, SHOWS, Unseen, doubts, judge, put_first};
use crate::lane::{Lane, lanes};
use crate::marks::{CountSource, StepMark};
use crate::measure::{Detected, Measure, Reading, SELDOM, Scene, frame_limit, measure, read};
use crate::take::{Solved, Take, solve_take};
use crate::units::{Foot, MediaTime, Role};

/// A step of the preparation.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "state", rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Stage {
    /// Usable.
    Ready,
    /// Nothing there yet; what to do.
    Missing {
        /// In words.
        what: String,
    },
    /// There and not usable; what is wrong and what to do.
    Refused {
        /// In words.
        what: String,
    },
}

/// A count of a repetition in the clip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountCell {
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// As spoken.
    pub label: String,
    /// Its moment.
    pub at: MediaTime,
    /// Falls between beats.
    pub between: bool,
}

/// The count as laid over the clip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountView {
    /// Beats a minute at the first 1.
    pub tempo: f64,
    /// Standard uncertainty of a beat's time, seconds.
    pub sigma: f64,
    /// The fit, when tapped.
    pub taps: Option<TapFit>,
    /// All counts in order of time.
    pub cells: Vec<CountCell>,
    /// End of the last repetition.
    pub end: MediaTime,
}

/// The calibrated floor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FloorView {
    /// How far the marks miss the reference drawn back, pixels (root mean square).
    pub residual: f64,
    /// Standard uncertainty of a point pointed at in the middle of the reference, metres.
    pub sigma: f64,
    /// Height of the lens over the floor, metres.
    pub lens_height: f64,
    /// Distance of the lens from the middle of the reference, metres.
    pub distance: f64,
    /// Half-metre grid lines around the reference, each as its two ends in the picture.
    pub grid: Vec<[[f64; 2]; 2]>,
    /// Length and width of the reference, metres.
    pub size: [f64; 2],
    /// Its corners on the floor, metres: near left, near right, far right, far left.
    pub corners: [[f64; 2]; 4],
}

/// A foot on the floor at a count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Footprint {
    /// Whose.
    pub role: Role,
    /// Which foot.
    pub foot: Foot,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Heel, metres on the floor.
    pub heel: [f64; 2],
    /// Toe, metres on the floor.
    pub toe: [f64; 2],
    /// This foot arrived at this count.
    pub arrives: bool,
    /// It carries the weight after this count, by the chart or as marked.
    pub weighted: bool,
}

/// Where a dancer stands at a count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StanceView {
    /// Who.
    pub role: Role,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Middle of the feet, metres on the floor.
    pub centre: [f64; 2],
    /// Direction of the marked feet's line, degrees from X, or of a body that was followed; absent where a foot does
    /// not lie flat in view or the body's direction is hardly known.
    pub facing: Option<f64>,
}

/// A charted step and how it was answered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StepView {
    /// Whose.
    pub role: Role,
    /// Repetition, from 0.
    pub repetition: u32,
    /// Count, from 0.
    pub count: usize,
    /// Charted foot.
    pub foot: Foot,
    /// Moment of the count.
    pub charted: MediaTime,
    /// Moment of the arrival, when marked.
    pub arrived: Option<MediaTime>,
    /// Moment of the arrival as found from the feet, where none is marked in the repetition.
    pub found: Option<MediaTime>,
    /// How it answers the chart.
    pub outcome: Outcome,
}

/// Everything known about a take.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Analysis {
    /// Figure named.
    pub chart_stage: Stage,
    /// Count laid.
    pub count_stage: Stage,
    /// Floor measured.
    pub floor_stage: Stage,
    /// The same on the pictures of the further angles, from the second on.
    pub angle_floors: Vec<Stage>,
    /// Bodies marked.
    pub bodies_stage: Stage,
    /// The count.
    pub count: Option<CountView>,
    /// The floor.
    pub floor: Option<FloorView>,
    /// Charted steps with their answers.
    pub steps: Vec<StepView>,
    /// Feet on the floor.
    pub footprints: Vec<Footprint>,
    /// Where each dancer stands at each count.
    pub stances: Vec<StanceView>,
    /// All measures.
    pub measures: Vec<Measure>,
    /// Measures that are drawn over the count.
    pub lanes: Vec<Lane>,
    /// All faults judged, what to fix first in front.
    pub judged: Vec<Judged>,
    /// Faults this view cannot carry.
    pub unseen: Vec<Unseen>,
    /// Counts at which a few marks by hand would settle most of what is open, most first; where dancers were
    /// found by something else than the coach's hand.
    pub doubts: Vec<Doubt>,
    /// The distance at which the couple's arms lose their shape, in a figure in which they only step apart with both
    /// hands joined.
    pub frame_limit: Option<Reading>,
    /// Counts at which both dancers' feet are marked, or which both were followed through, of all counts.
    pub marked: [usize; 2],
}

impl Analysis {
    fn evidence(&self, fault: &str, role: Role) -> Option<&[Evidence]> {
        let judged = self
            .judged
            .iter()
            .find(|j| j.fault == fault && j.role.is_none_or(|r| r == role))?;
        Some(&judged.evidence)
    }

    /// The counts at which a fault of a role (or of the couple) shows, as places in the count's cells; where it
    /// nowhere shows for certain, the one where it shows most; where it is not judged, as of what only the coach
    /// saw, every count that is spoken so.
    pub fn shown_at(&self, fault: &str, role: Role, spoken: Option<&str>) -> Vec<usize> {
        let cells = self.count.as_ref().map_or(&[][..], |c| &c.cells);
        let Some(evidence) = self.evidence(fault, role) else {
            let spoken_so = |i: &usize| Some(cells[*i].label.as_str()) == spoken;
            return (0..cells.len()).filter(spoken_so).collect();
        };
        let shows = |i: &usize| {
            let c = &cells[*i];
            evidence.iter().any(|e| {
                e.probability >= SHOWS && e.repetition == c.repetition && e.count == Some(c.count)
            })
        };
        let shown: Vec<usize> = (0..cells.len()).filter(shows).collect();
        if shown.is_empty() {
            return self.most_at(fault, role, spoken).into_iter().collect();
        }
        shown
    }

    /// The count at which it shows most, as a place in the count's cells. A fault of a whole repetition is shown
    /// from its first count.
    pub fn most_at(&self, fault: &str, role: Role, spoken: Option<&str>) -> Option<usize> {
        let cells = &self.count.as_ref()?.cells;
        let worst = self.evidence(fault, role).and_then(|all| {
            all.iter()
                .max_by(|a, b| a.probability.total_cmp(&b.probability))
        });
        let there = |e: &Evidence| {
            let count = e.count.unwrap_or(0);
            cells
                .iter()
                .position(|c| (c.repetition, c.count) == (e.repetition, count))
        };
        worst
            .and_then(there)
            .or_else(|| cells.iter().position(|c| Some(c.label.as_str()) == spoken))
    }
}

fn stage<T>(r: &Result<T, crate::measure::SceneError>) -> Stage {
    use crate::measure::SceneError::{Missing, Refused};
    match r {
        Ok(_) => Stage::Ready,
        Err(Missing(what)) => Stage::Missing {
            what: (*what).to_owned(),
        },
        Err(Refused(what)) => Stage::Refused { what: what.clone() },
    }
}

/// Analyses a take, with both dancers in space where they were solved. Never fails: what cannot be computed
/// yet is absent, and its stage says what to do.
pub fn analyse(take: &Take, solved: Option<&Solved>) -> Analysis {
    let scene = Scene::new(take, solved);
    let measures = measure(&scene);
    let by_hand = |role: Role, repetition: u32, count: usize| {
        scene.slot(repetition, count).is_none_or(|slot| {
            let pose = scene.pose(role, slot);
            pose.is_some_and(|p| p.points.len() == Landmark::ALL.len())
        })
    };
    let detected = take.tracked().then(|| Detected {
        networks: take.by_networks(),
        cameras: take.films.len(),
        called: !take.marks.steps.is_empty(),
    });
    let hand = |m: &Measure| {
        let roles = m
            .role
            .as_ref()
            .map_or(&Role::BOTH[..], std::slice::from_ref);
        m.count
            .is_some_and(|c| roles.iter().all(|r| by_hand(*r, m.repetition, c)))
    };
    let by_detector = |m: &Measure| detected.filter(|_| !hand(m));
    let wild = |m: &Measure| by_detector(m).map_or(SELDOM, |d| d.wild(&m.id));
    let expected = |m: &Measure| by_detector(m)?.expected(&m.id);
    let (mut judged, unseen) = scene
        .chart
        .as_ref()
        .map(|(chart, _)| {
            let tempo = scene.grid.as_ref().ok().map(|g| 60.0 / g.period_at(0.0));
            judge(&Case {
                rules: take.rules,
                chart,
                here: Circumstances::of(&chart.dance, tempo, take.couple.heights),
                measures: &measures,
                wild: &wild,
                expected: &expected,
            })
        })
        .unwrap_or_default();
    put_first(&mut judged, &take.marks.order);
    let both = (0..scene.slots.len())
        .filter(|i| {
            let marked = Role::BOTH.iter().all(|r| {
                scene.pose(*r, *i).is_some_and(|p| {
                    [Landmark::LeftToe, Landmark::RightToe]
                        .iter()
                        .all(|l| p.points.contains_key(l))
                })
            });
            marked || (take.tracked() && scene.both(Role::Leader, *i).is_some())
        })
        .count();
    Analysis {
        chart_stage: if scene.chart.is_some() {
            Stage::Ready
        } else {
            Stage::Missing {
                what: "Say which figure is danced and how often.".into(),
            }
        },
        count_stage: stage(&scene.grid),
        floor_stage: stage(&scene.floor),
        angle_floors: (1..take.films.len())
            .map(|film| stage(&take.floor(film)))
            .collect(),
        bodies_stage: if both > 0 {
            Stage::Ready
        } else {
            Stage::Missing {
                what: "Go to a count and mark heels and toes of both dancers.".into(),
            }
        },
        count: count_view(&scene),
        floor: floor_view(&scene),
        steps: step_views(&scene),
        footprints: footprints(&scene),
        stances: stances(&scene),
        doubts: if take.tracked() {
            doubts(&judged, by_hand)
        } else {
            Vec::new()
        },
        frame_limit: frame_limit(&scene),
        marked: [both, scene.slots.len()],
        lanes: lanes(&scene, &measures, &judged),
        measures,
        judged,
        unseen,
    }
}

/// What can be said at once of a long take.
#[derive(Debug, Clone, PartialEq)]
pub struct FirstLook {
    /// Of how many repetitions.
    pub repetitions: u32,
    /// What is known of these, over the count of the whole take.
    pub analysis: Analysis,
}

/// Analyses the first repetitions of a take that would take long as a whole; `None` of any other one.
pub fn first_look(take: &Take) -> Option<FirstLook> {
    let beginning = take.beginning()?;
    let own = beginning.take(take);
    Some(FirstLook {
        repetitions: beginning.repetitions,
        analysis: Analysis {
            count: count_view(&Scene::new(take, None)),
            ..analyse(&own, Some(&solve_take(&own, None)))
        },
    })
}

/// What a take document is measured for.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Measured {
    /// All measures.
    pub measures: Vec<Measure>,
    /// Faults judged, what to fix first in front.
    pub judged: Vec<Judged>,
    /// Faults that these views cannot carry.
    pub unseen: Vec<Unseen>,
    /// Arrivals found from the feet, where every moment is known. When they come is judged over a repetition in
    /// which none is marked; whether they take the weight is not.
    pub steps: Vec<StepMark>,
    /// What is missing to solve leader and follower in space.
    pub missing: [Option<String>; 2],
}

/// Measures a solved take.
pub fn measured(take: &Take, solved: &Solved) -> Measured {
    let a = analyse(take, Some(solved));
    let steps = Role::BOTH
        .into_iter()
        .filter_map(|r| Some(foot_steps(solved.of(r)?, r)))
        .flatten();
    Measured {
        measures: a.measures,
        judged: a.judged,
        unseen: a.unseen,
        steps: steps.map(|s| s.mark).collect(),
        missing: solved.bodies.each_ref().map(|b| b.as_ref().err().cloned()),
    }
}

fn count_view(scene: &Scene) -> Option<CountView> {
    let grid = scene.grid.as_ref().ok()?;
    let taps = match &scene.marks.count {
        Some(CountSource::Taps { taps, .. }) => crate::count::fit_taps(taps).ok(),
        _ => None,
    };
    let mut cells = Vec::new();
    let mut beats = 0.0;
    if let Some((_, pattern)) = &scene.chart {
        beats = f64::from(pattern.beats) * f64::from(scene.marks.repetitions);
        cells.extend(scene.slots.iter().filter_map(|s| {
            let mark = pattern.marks.get(s.count)?;
            Some(CountCell {
                repetition: s.repetition,
                count: s.count,
                label: mark.label.clone(),
                at: s.at,
                between: mark.between,
            })
        }));
    }
    Some(CountView {
        tempo: 60.0 / grid.period_at(0.0),
        sigma: grid.sigma,
        taps,
        cells,
        end: grid.time_of(beats),
    })
}

fn floor_view(scene: &Scene) -> Option<FloorView> {
    let calibration = scene.floor.as_ref().ok()?;
    let reference = scene.marks.floor.as_ref()?;
    let camera = &calibration.camera;
    let middle = camera.project(Point3::origin())?;
    let middle = calibration.on_floor([[middle.x, middle.y]])?;
    let sigma = |axis: usize| {
        propagate(&middle, &calibration.covariance, |p| Some(p[0][axis])).map_or(0.0, |e| e.sigma)
    };
    let (l, w) = (reference.length / 2.0 + 0.5, reference.width / 2.0 + 0.5);
    let mut grid = Vec::new();
    let mut line = |a: [f64; 2], b: [f64; 2]| {
        let on = |p: [f64; 2]| camera.project(Point3::new(p[0], p[1], 0.0));
        if let (Some(a), Some(b)) = (on(a), on(b)) {
            grid.push([[a.x, a.y], [b.x, b.y]]);
        }
    };
    let steps = |half: f64| {
        let n = (half / 0.5).floor() as i32;
        (-n..=n).map(|i| f64::from(i) * 0.5)
    };
    for x in steps(l) {
        line([x, -w], [x, w]);
    }
    for y in steps(w) {
        line([-l, y], [l, y]);
    }
    Some(FloorView {
        residual: calibration.residual,
        sigma: sigma(0).hypot(sigma(1)) / std::f64::consts::SQRT_2,
        lens_height: camera.position.z,
        distance: camera.position.coords.norm(),
        grid,
        size: [reference.length, reference.width],
        corners: std::array::from_fn(|i| reference.places()[i]),
    })
}

fn step_views(scene: &Scene) -> Vec<StepView> {
    Role::BOTH
        .iter()
        .flat_map(|role| {
            let found = &scene.found[*role as usize];
            scene.aligned[*role as usize].iter().map(move |a| {
                let place = (a.charted.repetition, a.charted.row);
                let mut of = found.iter();
                let of = of.find(|f| (f.charted.repetition, f.charted.row) == place);
                StepView {
                    role: *role,
                    repetition: a.charted.repetition,
                    count: a.charted.count,
                    foot: a.charted.foot,
                    charted: a.charted.at,
                    arrived: a.observed.map(|o| o.at),
                    found: of.map(|f| f.step.mark.at),
                    outcome: a.outcome,
                }
            })
        })
        .collect()
}

/// A direction that is known worse than this says nothing on a floor plan, degrees.
const VAGUE: f64 = 20.0;

/// Where a solved body stands and faces.
fn solved_stance(scene: &Scene, role: Role, slot: usize) -> Option<([f64; 2], Option<f64>)> {
    let body = scene.body(role, slot)?;
    let feet = [Foot::Left, Foot::Right].map(Landmark::heel_toe);
    let sum: Vector2<f64> = feet
        .iter()
        .flatten()
        .map(|l| body.joint(*l).coords.xy())
        .sum();
    let facing = body.value(read::yaw).filter(|e| e.sigma < VAGUE);
    Some(((sum / 4.0).into(), facing.map(|e| e.value)))
}

fn stances(scene: &Scene) -> Vec<StanceView> {
    let of = |role: Role| {
        scene.slots.iter().enumerate().filter_map(move |(i, slot)| {
            let (centre, facing) = scene
                .stance(role, i)
                .or_else(|| solved_stance(scene, role, i))?;
            Some(StanceView {
                role,
                repetition: slot.repetition,
                count: slot.count,
                centre,
                facing,
            })
        })
    };
    Role::BOTH.into_iter().flat_map(of).collect()
}

/// Feet where they are marked, else where the solved bodies have them.
fn footprints(scene: &Scene) -> Vec<Footprint> {
    let Ok(calibration) = &scene.floor else {
        return Vec::new();
    };
    let on = |p: [f64; 2]| {
        let at = calibration.camera.on_floor(Point2::from(p))?;
        Some([at.x, at.y])
    };
    let mut out = Vec::new();
    for role in Role::BOTH {
        for (i, slot) in scene.slots.iter().enumerate() {
            let pose = scene.pose(role, i);
            let body = scene.body(role, i);
            let step = scene.step_at(role, slot.repetition, slot.count);
            let arriving = step.map(|s| s.observed.map_or(s.charted.foot, |o| o.foot));
            let carries = step.is_some_and(|s| s.observed.map_or(s.charted.weight, |o| o.weight));
            for foot in [Foot::Left, Foot::Right] {
                let ends = Landmark::heel_toe(foot);
                let marked = pose.and_then(|p| p.pixels(ends)).map(|p| p.map(on));
                let solved = || {
                    let at = |l| body.as_ref().map(|b| b.joint(l)).map(|p| [p.x, p.y]);
                    ends.map(at)
                };
                let [Some(heel), Some(toe)] = marked.unwrap_or_else(solved) else {
                    continue;
                };
                let arrives = arriving == Some(foot);
                out.push(Footprint {
                    role,
                    foot,
                    repetition: slot.repetition,
                    count: slot.count,
                    heel,
                    toe,
                    arrives,
                    weighted: if arrives {
                        carries
                    } else {
                        arriving.is_some() && !carries
                    },
                });
            }
        }
    }
    out
}
