//! Posture and frame of each dancer at each count, from the body in space.

use super::body::{counts, extreme, own, reading};
use super::read;
use super::{Measure, Need, Scene, Spec};
use crate::body::solve::{Moment, Posture};
use crate::chart::ChartRow;
use crate::chart::vocabulary::Level;
use crate::units::{Estimate, Foot, Unit, wrap_degrees};

const NEEDS: &[Need] = &[Need::Count, Need::Floor, Need::Space];

pub(super) const LEAN_SIDE: Spec = Spec {
    id: "lean_side",
    name: "Lean to the side",
    unit: Unit::Degrees,
    sign: "left is positive",
    needs: NEEDS,
    source: "hips' middle to shoulders' middle against the vertical, across the direction of the shoulders",
    compute: |scene, out| {
        own(scene, out, "lean_side", 3.0, |b| {
            Some(read::lean(
                b,
                nalgebra::Vector3::z().cross(&read::ahead(b)?),
            ))
        });
    },
};

pub(super) const SHOULDER_TILT: Spec = Spec {
    id: "shoulder_tilt",
    name: "Shoulder line",
    unit: Unit::Degrees,
    sign: "left shoulder up is positive",
    needs: NEEDS,
    source: "slope of the line between the shoulders",
    compute: |scene, out| own(scene, out, "shoulder_tilt", 4.0, read::shoulder_tilt),
};

pub(super) const HIPS_BEHIND: Spec = Spec {
    id: "hips_behind",
    name: "Hips behind the ankles–shoulders line",
    unit: Unit::Metres,
    sign: "behind is positive",
    needs: NEEDS,
    source: "hips' middle from the line between ankles' and shoulders' middles, against the front of the shoulders",
    compute: |scene, out| own(scene, out, "hips_behind", 0.04, read::hips_behind),
};

pub(super) const HEAD_AHEAD: Spec = Spec {
    id: "head_ahead",
    name: "Head ahead of the shoulders",
    unit: Unit::Metres,
    sign: "nose further ahead than on a head held straight is positive",
    needs: NEEDS,
    source: "nose from the shoulders' middle along their front, less 6.5 % of standing height",
    compute: |scene, out| {
        for at in counts(scene) {
            let tall = scene.couple.height(at.role);
            let e = at
                .body()
                .and_then(|b| b.value(|p| Some(read::head_ahead(p)? - 0.065 * tall)));
            if let Some(e) = e {
                out.push(at.measure("head_ahead", reading(e, 0.04)));
            }
        }
    },
};

pub(super) const TWIST: Spec = Spec {
    id: "twist",
    name: "Shoulders turned against the hips",
    unit: Unit::Degrees,
    sign: "left is positive",
    needs: NEEDS,
    source: "direction of the shoulders minus that of the hips",
    compute: |scene, out| own(scene, out, "twist", 8.0, read::twist),
};

pub(super) const FRAME_WIDTH: Spec = Spec {
    id: "frame_width",
    name: "Elbow to elbow",
    unit: Unit::Metres,
    sign: "the distance",
    needs: NEEDS,
    source: "distance between the elbows",
    compute: |scene, out| {
        own(scene, out, "frame_width", 0.06, |b| {
            let [_, l, _] = crate::body::Landmark::arm(Foot::Left);
            let [_, r, _] = crate::body::Landmark::arm(Foot::Right);
            Some((b.joint(l) - b.joint(r)).norm())
        });
    },
};

/// One reading for the arms that are joined to the partner: the one furthest out.
fn joined(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    most: f64,
    largest: bool,
    f: impl Fn(&Moment, Foot) -> Option<Estimate>,
) {
    for at in counts(scene) {
        let Some(body) = at.body() else { continue };
        let all = at.joined();
        if let Some(e) = extreme(all.into_iter().map(|side| f(&body, side)), largest) {
            out.push(at.measure(id, reading(e, most)));
        }
    }
}

pub(super) const ELBOW_JOINED: Spec = Spec {
    id: "elbow_joined",
    name: "Elbow of the joined arm, the straighter",
    unit: Unit::Degrees,
    sign: "180 is a straight arm",
    needs: NEEDS,
    source: "angle shoulder–elbow–wrist of the arms that the chart joins at this count",
    compute: |scene, out| {
        joined(scene, out, "elbow_joined", 9.0, true, |b, side| {
            b.elbow(side)
        })
    },
};

pub(super) const ELBOW_BENT: Spec = Spec {
    id: "elbow_bent",
    name: "Elbow of the joined arm, the more bent",
    unit: Unit::Degrees,
    sign: "180 is a straight arm",
    needs: NEEDS,
    source: "angle shoulder–elbow–wrist of the arms that the chart joins at this count",
    compute: |scene, out| {
        joined(scene, out, "elbow_bent", 9.0, false, |b, side| {
            b.elbow(side)
        })
    },
};

pub(super) const ELBOW_DROP: Spec = Spec {
    id: "elbow_drop",
    name: "Elbow below the shoulder",
    unit: Unit::Metres,
    sign: "below is positive; the lower of the joined arms",
    needs: NEEDS,
    source: "height of the shoulder minus that of its elbow",
    compute: |scene, out| {
        joined(scene, out, "elbow_drop", 0.05, true, |b, side| {
            b.value(|p| Some(read::elbow_drop(p, side)))
        });
    },
};

pub(super) const ELBOW_BEHIND: Spec = Spec {
    id: "elbow_behind",
    name: "Elbow behind the body",
    unit: Unit::Metres,
    sign: "behind the plane of the shoulders is positive; the further of the joined arms",
    needs: NEEDS,
    source: "elbow from the shoulders' middle against their front",
    compute: |scene, out| {
        joined(scene, out, "elbow_behind", 0.06, true, |b, side| {
            b.value(|p| read::elbow_behind(p, side))
        });
    },
};

pub(super) const ARM_OPEN: Spec = Spec {
    id: "arm_open",
    name: "Upper arm from the side",
    unit: Unit::Degrees,
    sign: "0 hangs along the trunk; the wider of the joined arms",
    needs: NEEDS,
    source: "angle between upper arm and trunk",
    compute: |scene, out| {
        joined(scene, out, "arm_open", 9.0, true, |b, side| {
            b.value(|p| Some(read::arm_open(p, side)))
        });
    },
};

pub(super) const WRIST: Spec = Spec {
    id: "wrist_bend",
    name: "Bend of the wrist",
    unit: Unit::Degrees,
    sign: "0 goes straight on from the forearm; the more bent of the joined hands",
    needs: NEEDS,
    source: "angle between forearm and hand",
    compute: |scene, out| {
        joined(scene, out, "wrist_bend", 12.0, true, |b, side| {
            b.value(|p| Some(read::wrist(p, side)))
        });
    },
};

/// One reading for the foot that arrives and takes the weight, on the rows that are wanted.
fn arriving(
    scene: &Scene,
    out: &mut Vec<Measure>,
    (id, most): (&str, f64),
    wanted: impl Fn(&ChartRow) -> bool,
    f: impl Fn(Posture, Foot) -> Option<f64>,
) {
    for at in counts(scene) {
        let Some(row) = at.row().filter(|r| r.action.takes_weight() && wanted(r)) else {
            continue;
        };
        if let Some(e) = at.body().and_then(|b| b.value(|p| f(p, row.foot))) {
            out.push(at.measure(id, reading(e, most)));
        }
    }
}

pub(super) const KNEE: Spec = Spec {
    id: "knee_arrival",
    name: "Knee on arrival",
    unit: Unit::Degrees,
    sign: "0 is a straight leg",
    needs: NEEDS,
    source: "bend hip–knee–ankle of the leg that arrives and takes the weight",
    compute: |scene, out| {
        arriving(
            scene,
            out,
            ("knee_arrival", 8.0),
            |_| true,
            |p, foot| Some(read::knee(p, foot)),
        );
    },
};

pub(super) const TURNOUT: Spec = Spec {
    id: "turnout",
    name: "Turnout of the foot that carries",
    unit: Unit::Degrees,
    sign: "toes out is positive",
    needs: NEEDS,
    source: "direction of the arriving foot against the front of the hips",
    compute: |scene, out| arriving(scene, out, ("turnout", 5.0), |_| true, read::turnout),
};

pub(super) const UNDER_HIP: Spec = Spec {
    id: "under_hip",
    name: "Foot from under the own hip",
    unit: Unit::Metres,
    sign: "the distance on the floor, on counts with a turn",
    needs: NEEDS,
    source: "middle of the arriving foot from the hip of its side, along the floor",
    compute: |scene, out| {
        arriving(
            scene,
            out,
            ("under_hip", 0.05),
            |r| r.turn != 0,
            |p, foot| {
                let [hip, ..] = read::leg(foot);
                Some((read::foot(p, foot) - p.joint(hip)).xy().norm())
            },
        );
    },
};

pub(super) const FEET_AGAINST_BODY: Spec = Spec {
    id: "feet_against_body",
    name: "Feet turned further than the body",
    unit: Unit::Degrees,
    sign: "the size, on steps with a turn",
    needs: NEEDS,
    source: "direction of the arriving foot minus that of shoulders and hips, less the dance's turnout",
    compute: |scene, out| {
        let usual = scene
            .chart
            .as_ref()
            .map_or(0.0, |(c, _)| crate::chart::style(&c.dance).turnout);
        arriving(
            scene,
            out,
            ("feet_against_body", 5.0),
            |r| r.turn != 0,
            |p, foot| {
                let against = wrap_degrees(read::foot_yaw(p, foot)? - read::yaw(p)?);
                Some(wrap_degrees(against - foot.side() * usual).abs())
            },
        );
    },
};

pub(super) const LEVEL: Spec = Spec {
    id: "hip_rise",
    name: "Hips against their usual height",
    unit: Unit::Ratio,
    sign: "up is positive, share of standing height",
    needs: NEEDS,
    source: "height of the hips minus its mean over the repetition, over standing height",
    compute: |scene, out| {
        for role in crate::units::Role::BOTH {
            let all: Vec<_> = counts(scene).filter(|at| at.role == role).collect();
            for repetition in 0..scene.marks.repetitions {
                let tall = scene.couple.height(role);
                let heights: Vec<_> = all
                    .iter()
                    .filter(|at| at.repetition == repetition)
                    .filter_map(|at| {
                        let e = at.body()?.value(|p| Some(read::hips(p).z / tall))?;
                        Some((at, e))
                    })
                    .collect();
                if heights.len() < 4 {
                    continue;
                }
                let mean = heights.iter().map(|h| h.1.value).sum::<f64>() / heights.len() as f64;
                for (at, e) in heights {
                    let rise = Estimate::new(e.value - mean, e.sigma);
                    out.push(at.measure("hip_rise", reading(rise, 0.02)));
                }
            }
        }
    },
};

pub(super) const RISE: Spec = Spec {
    id: "rise_charted",
    name: "Rise of the hips where the figure rises",
    unit: Unit::Ratio,
    sign: "share of standing height",
    needs: NEEDS,
    source: "greatest height of the hips at the counts charted as rising or up, or at the count after one, less the least of the repetition, over standing height",
    compute: |scene, out| {
        for role in crate::units::Role::BOTH {
            for repetition in 0..scene.marks.repetitions {
                let tall = scene.couple.height(role);
                let heights: Vec<_> = counts(scene)
                    .filter(|at| at.role == role && at.repetition == repetition)
                    .filter_map(|at| {
                        let e = at.body()?.value(|p| Some(read::hips(p).z / tall))?;
                        Some((at, e))
                    })
                    .collect();
                // A rise that begins on a count is seen on the next one.
                let rises = |count: usize| {
                    let (chart, _) = scene.chart.as_ref()?;
                    let row = chart.rows(role).iter().find(|r| r.count == count)?;
                    Some(matches!(row.level, Some(Level::Rise | Level::Up)))
                };
                let up = |at: &super::body::At| {
                    let before = at.count.checked_sub(1).and_then(rises);
                    rises(at.count) == Some(true) || before == Some(true)
                };
                let by = |a: &&(super::body::At, Estimate), b: &&(super::body::At, Estimate)| {
                    a.1.value.total_cmp(&b.1.value)
                };
                let top = heights.iter().filter(|h| up(&h.0)).max_by(by);
                let (Some(top), Some(low)) = (top, heights.iter().min_by(by)) else {
                    continue;
                };
                let e = Estimate::new(top.1.value - low.1.value, top.1.sigma.hypot(low.1.sigma));
                out.push(top.0.measure("rise_charted", reading(e, 0.015)));
            }
        }
    },
};

pub(super) const FRAME_CHANGE: Spec = Spec {
    id: "frame_change",
    name: "Arm's change while the body turns",
    unit: Unit::Degrees,
    sign: "the size",
    needs: NEEDS,
    source: "change of the joined arm's elbow from the count before to a count with a turn, the arm joined at both",
    compute: |scene, out| {
        for at in counts(scene) {
            if at.row().is_none_or(|r| r.turn == 0) || at.slot == 0 {
                continue;
            }
            let Some((before, now)) = at.step() else {
                continue;
            };
            let held = super::body::At {
                count: at.count.saturating_sub(1),
                ..at
            }
            .joined();
            let sides = at.joined().into_iter().filter(|s| held.contains(s));
            let change = |side: Foot| {
                let (a, b) = (before.elbow(side)?, now.elbow(side)?);
                Some(Estimate::new(
                    (b.value - a.value).abs(),
                    a.sigma.hypot(b.sigma),
                ))
            };
            if let Some(e) = extreme(sides.map(change), true) {
                out.push(at.measure("frame_change", reading(e, 12.0)));
            }
        }
    },
};
