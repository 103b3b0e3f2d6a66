//! What only a film with every moment solved can tell: how smoothly, when, and with whom things move.

use nalgebra::Vector2;

use super::body::{counts, extreme, reading};
use super::read;
use super::scene::Slot;
use super::{Measure, Need, Scene, Spec};
use crate::body::Landmark;
use crate::body::solve::{Bodies, Posture, value};
use crate::chart::Hold;
use crate::chart::vocabulary::HoldVerb;
use crate::event::FootStep;
use crate::take::Solved;
use crate::units::{Estimate, Foot, Role, Unit};

pub(super) const NEEDS: &[Need] = &[Need::Count, Need::Floor, Need::Dense];

const SHOULDERS: [Landmark; 2] = [Landmark::LeftShoulder, Landmark::RightShoulder];

const HIPS: [Landmark; 2] = [Landmark::LeftHip, Landmark::RightHip];

/// The middle of some landmarks on the floor at even moments, metres; `None` where the instants are too far
/// apart.
fn course(
    bodies: &Bodies,
    of: &[Landmark],
    from: f64,
    to: f64,
    step: f64,
) -> Option<Vec<Vector2<f64>>> {
    let many = ((to - from) / step).floor() as usize + 1;
    (0..many)
        .map(|k| {
            let m = bodies.moment(from + step * k as f64)?;
            let sum: Vector2<f64> = of.iter().map(|l| m.joint(*l).coords.xy()).sum();
            Some(sum / of.len() as f64)
        })
        .collect()
}

/// Begin and end of a repetition, seconds.
fn span(scene: &Scene, repetition: u32) -> Option<(f64, f64)> {
    let first = scene.slots.iter().find(|s| s.repetition == repetition)?;
    let last = scene.slots.iter().rfind(|s| s.repetition == repetition)?;
    (last.at > first.at).then(|| (first.at.secs(), last.at.secs()))
}

fn speeds(course: &[Vector2<f64>], step: f64) -> Vec<f64> {
    course
        .windows(3)
        .map(|w| (w[2] - w[0]).norm() / (2.0 * step))
        .collect()
}

const EVEN: f64 = 0.08;

/// Spectral arc length of a speed profile (Balasubramanian, S., Melendez-Calderon, A. & Burdet, E. (2012),
/// IEEE Trans. Biomed. Eng. 59): cut at 8 Hz and at a twentieth of the greatest part; nearer to zero is
/// smoother.
fn arc_length(speeds: &[f64], step: f64) -> Option<f64> {
    let n = speeds.len();
    if n < 8 {
        return None;
    }
    let size = (4 * n).next_power_of_two();
    // A direct sum: a repetition has some fifty samples.
    let parts: Vec<f64> = (0..size / 2)
        .map(|k| {
            let (mut re, mut im) = (0.0, 0.0);
            for (t, v) in speeds.iter().enumerate() {
                let a = -2.0 * std::f64::consts::PI * k as f64 * t as f64 / size as f64;
                re += v * a.cos();
                im += v * a.sin();
            }
            re.hypot(im)
        })
        .collect();
    let greatest = parts.first().copied().filter(|p| *p > 1e-9)?;
    let hertz = |k: usize| k as f64 / (size as f64 * step);
    let cut = (0..parts.len())
        .rev()
        .find(|k| hertz(*k) <= 8.0_f64.min(0.5 / step) && parts[*k] / greatest >= 0.05)?;
    let width = hertz(cut).max(1e-9);
    let arc: f64 = (1..=cut)
        .map(|k| {
            let df = (hertz(k) - hertz(k - 1)) / width;
            df.hypot((parts[k] - parts[k - 1]) / greatest)
        })
        .sum();
    Some(-arc)
}

pub(super) fn whole(
    id: &str,
    role: Option<Role>,
    repetition: u32,
    e: Estimate,
    most: f64,
) -> Measure {
    Measure {
        id: id.to_owned(),
        role,
        repetition,
        count: None,
        reading: reading(e, most),
        asked: None,
        likely: None,
    }
}

/// By how much the spectral arc length is off for each metre of the shoulders' standard error: found on simulated
/// takes, whose detector's jitter is smoothed away together with some of what the dancer does.
const JITTER: f64 = 30.0;

pub(super) const SMOOTH: Spec = Spec {
    id: "smoothness",
    name: "Smoothness",
    unit: Unit::Ratio,
    sign: "nearer to zero is smoother",
    needs: NEEDS,
    source: "spectral arc length of the shoulders' speed over the repetition; its standard error from the same half a sample later, 0.05 at least and as a detector's jitter and its smoothing move it",
    compute: |scene, out| {
        for role in Role::BOTH {
            let Some(bodies) = scene.bodies(role) else {
                continue;
            };
            for repetition in 0..scene.marks.repetitions {
                let Some((from, to)) = span(scene, repetition) else {
                    continue;
                };
                let of = |shift: f64| {
                    let course = course(bodies, &SHOULDERS, from + shift, to - EVEN + shift, EVEN)?;
                    arc_length(&speeds(&course, EVEN), EVEN)
                };
                let middle = bodies.moment(0.5 * (from + to));
                let place = middle.and_then(|m| m.value(|p| Some(read::shoulders(p).x)));
                if let (Some(a), Some(b), Some(place)) = (of(0.0), of(0.5 * EVEN), place) {
                    let least = 0.05 + JITTER * place.sigma;
                    let e = Estimate::new(0.5 * (a + b), (0.5 * (a - b)).abs().max(least));
                    out.push(whole("smoothness", Some(role), repetition, e, 0.5));
                }
            }
        }
    },
};

pub(super) const ENERGY: Spec = Spec {
    id: "energy_match",
    name: "Own speed over the partner’s",
    unit: Unit::Ratio,
    sign: "1 when both travel alike, above when this dancer goes faster",
    needs: NEEDS,
    source: "mean speed of the own hips in the fastest fifth of a repetition's moments, over the partner's, where either goes faster than 0.25 m/s",
    compute: |scene, out| {
        for repetition in 0..scene.marks.repetitions {
            let Some((from, to)) = span(scene, repetition) else {
                continue;
            };
            let of = |role| {
                let bodies = scene.bodies(role)?;
                Some(speeds(&course(bodies, &HIPS, from, to, EVEN)?, EVEN))
            };
            let (Some(l), Some(f)) = (of(Role::Leader), of(Role::Follower)) else {
                continue;
            };
            // How fast they get: the mean of the fastest fifth of the moments.
            let fast = |mut v: Vec<f64>| {
                v.sort_by(f64::total_cmp);
                let top = v.split_off(v.len() - v.len() / 5);
                (top.len(), top.iter().sum::<f64>() / top.len().max(1) as f64)
            };
            let ((n, a), (_, b)) = (fast(l), fast(f));
            if n < 3 || a.max(b) < 0.25 || a.min(b) < 0.05 {
                continue;
            }
            let n = n as f64;
            // A speed's own error is taken to be 10 cm/s; means of n of them, half of which are independent.
            let off = 0.10 * (2.0 / n).sqrt();
            for (role, own, partner) in [(Role::Leader, a, b), (Role::Follower, b, a)] {
                let ratio = own / partner;
                let sigma = ratio * (off / own).hypot(off / partner);
                let e = Estimate::new(ratio, sigma);
                out.push(whole("energy_match", Some(role), repetition, e, 0.3));
            }
        }
    },
};

pub(super) const LAG: Spec = Spec {
    id: "lead_lag",
    name: "Follower after the leader",
    unit: Unit::Seconds,
    sign: "positive when the follower answers, negative when the follower goes first",
    needs: NEEDS,
    source: "moment at which the follower's foot leaves less that of the leader's on counts on which both step, median over the repetition; σ from their scatter, 22 ms at least",
    compute: |scene, out| {
        for repetition in 0..scene.marks.repetitions {
            let leaves = |role: Role, at: &Slot| {
                let (chart, _) = scene.chart.as_ref()?;
                let row = chart.rows(role).iter().find(|r| r.count == at.count)?;
                let step = arriving(scene, role, row.foot, at.at.secs())?;
                row.action.takes_weight().then_some(step.leaves)
            };
            let mut lags: Vec<f64> = scene
                .slots
                .iter()
                .filter(|s| s.repetition == repetition)
                .filter_map(|s| Some(leaves(Role::Follower, s)? - leaves(Role::Leader, s)?))
                .collect();
            let n = lags.len() as f64;
            if n < 3.0 {
                continue;
            }
            lags.sort_by(f64::total_cmp);
            let middle = crate::count::median(lags.clone());
            let scatter = crate::count::median(lags.iter().map(|l| (l - middle).abs()).collect());
            // A median's error is 1.25 of a mean's; 1.48 median distances are a standard deviation.
            let sigma = (1.25 * 1.48 * scatter / n.sqrt()).max(0.022);
            let e = Estimate::new(middle, sigma);
            out.push(whole("lead_lag", None, repetition, e, 0.05));
        }
    },
};

/// The step that arrives at a count, if one was found near it.
fn arriving<'s>(scene: &'s Scene, role: Role, foot: Foot, at: f64) -> Option<&'s FootStep> {
    scene.steps[role as usize]
        .iter()
        .filter(|s| s.mark.foot == foot)
        .filter(|s| (s.mark.at.secs() - at).abs() < 0.18)
        .min_by(|a, b| {
            let off = |s: &FootStep| (s.mark.at.secs() - at).abs();
            off(a).total_cmp(&off(b))
        })
}

pub(super) const LIFT: Spec = Spec {
    id: "foot_lift",
    name: "Foot lifted on the way",
    unit: Unit::Metres,
    sign: "over its usual height in this dance",
    needs: NEEDS,
    source: "greatest height of the lower of heel and toe on the way, less what the dance's free foot usually has; one camera must be low",
    compute: |scene, out| {
        let Some((chart, _)) = &scene.chart else {
            return;
        };
        let usual = crate::chart::style(&chart.dance).swing_height;
        for at in counts(scene) {
            let Some(row) = at.row().filter(|r| r.action.arrives()) else {
                continue;
            };
            let when = scene.slots[at.slot].at.secs();
            if let Some(s) = arriving(scene, at.role, row.foot, when) {
                let sigma = s.lift.sigma.hypot(hidden(scene, s));
                let e = Estimate::new(s.lift.value - usual, sigma);
                out.push(at.measure("foot_lift", reading(e, 0.03)));
            }
        }
    },
};

/// How far back a foot on its way may be without its leg telling, metres (1σ): one camera, 1.3 to 1.8 m high and 5 m
/// away, saw feet lifted by 10 cm 8 cm too low on simulated takes.
const BACK: f64 = 0.27;

/// What one camera that looks down hides of how high a foot is: a lifted one looks like one further back.
fn hidden(scene: &Scene, step: &FootStep) -> f64 {
    let Some([camera]) = scene.solved.map(Solved::cameras) else {
        return 0.0;
    };
    let eye = camera.camera.position;
    let far = (nalgebra::center(&step.way[0], &step.way[1]) - eye.xy()).norm();
    BACK * eye.z / far.max(0.1)
}

/// A value of the dancer on the way of each travelling step that takes the weight: the least or the greatest.
fn on_the_way(
    scene: &Scene,
    out: &mut Vec<Measure>,
    (id, most, largest): (&str, f64, bool),
    f: impl Fn(Posture, Foot) -> Option<f64>,
) {
    for at in counts(scene) {
        let Some(row) = at
            .row()
            .filter(|r| r.action.takes_weight() && r.size >= 0.1)
        else {
            continue;
        };
        let when = scene.slots[at.slot].at.secs();
        let step = arriving(scene, at.role, row.foot, when);
        let (Some(s), Some(bodies)) = (step, scene.bodies(at.role)) else {
            continue;
        };
        let many = ((s.mark.at.secs() - s.leaves) / 0.04) as usize;
        let values = (0..=many).map(|k| {
            let moment = bodies.moment(s.leaves + 0.04 * k as f64)?;
            moment.value(|p| f(p, row.foot))
        });
        if let Some(e) = extreme(values, largest) {
            out.push(at.measure(id, reading(e, most)));
        }
    }
}

/// Width of an ankle, metres.
const ANKLE: f64 = 0.07;

pub(super) const COLLECT: Spec = Spec {
    id: "collect_gap",
    name: "Ankles in passing",
    unit: Unit::Metres,
    sign: "the least distance on the way",
    needs: NEEDS,
    source: "least distance of the ankles along the floor between leaving and arriving, less an ankle's width of 7 cm, on steps that travel",
    compute: |scene, out| {
        on_the_way(scene, out, ("collect_gap", 0.04, false), |p, _| {
            let [l, r] = [Foot::Left, Foot::Right].map(|f| p.joint(read::leg(f)[2]));
            Some((l - r).xy().norm() - ANKLE)
        });
    },
};

pub(super) const KNEE_PASSING: Spec = Spec {
    id: "knee_passing",
    name: "Knee in passing",
    unit: Unit::Degrees,
    sign: "greatest bend on the way, 0 is straight",
    needs: NEEDS,
    source: "greatest bend of the stepping leg between leaving and arriving, on steps that travel",
    compute: |scene, out| {
        on_the_way(scene, out, ("knee_passing", 8.0, true), |p, foot| {
            Some(read::knee(p, foot))
        });
    },
};

/// Joined hands are not further apart than this, metres: a hand's breadth and what the solution misses.
const HELD: f64 = 0.16;

/// Distance of the two hands of a hold at a moment, metres.
fn hands_apart(scene: &Scene, hold: Hold, at: f64) -> Option<Estimate> {
    if !matches!(hold, Hold::Hands(..)) {
        return None;
    }
    let [l, f] = Role::BOTH.map(|r| scene.bodies(r)?.moment(at));
    let (l, f) = (l?, f?);
    let wrist = |left: bool| {
        if left {
            Landmark::LeftWrist
        } else {
            Landmark::RightWrist
        }
    };
    let [own, other] = [hold.leader()?, hold.follower()?].map(|h| wrist(h.side() > 0.0));
    value(&[&l, &f], |p| {
        Some((p[0].joint(own) - p[1].joint(other)).norm())
    })
}

/// The moment between two at which a hold's hands come (or go) through the distance of a joined pair, and its
/// standard error, seconds.
fn passes(scene: &Scene, hold: Hold, from: f64, to: f64, coming: bool) -> Option<Estimate> {
    const STEP: f64 = 0.04;
    let many = ((to - from) / STEP) as usize;
    let gaps: Option<Vec<Estimate>> = (0..=many)
        .map(|k| hands_apart(scene, hold, from + STEP * k as f64))
        .collect();
    let gaps = gaps?;
    let k = gaps.windows(2).position(|w| {
        let far = w.iter().map(|e| e.value > HELD).collect::<Vec<_>>();
        far == [coming, !coming]
    })?;
    let speed = (gaps[k + 1].value - gaps[k].value).abs() / STEP;
    let share = (HELD - gaps[k].value) / (gaps[k + 1].value - gaps[k].value);
    Some(Estimate::new(
        from + STEP * (k as f64 + share),
        (gaps[k].sigma / speed.max(0.2)).hypot(0.5 * STEP),
    ))
}

pub(super) const HAND_OVERLAP: Spec = Spec {
    id: "hand_overlap",
    name: "Both holds at once in a change of hands",
    unit: Unit::Seconds,
    sign: "negative when neither is held for so long",
    needs: NEEDS,
    source: "moment at which the wrists of the old hold part by more than 16 cm less that at which those of the new one come nearer, within a beat of the charted change",
    compute: |scene, out| {
        let (Some((chart, _)), Ok(grid)) = (&scene.chart, &scene.grid) else {
            return;
        };
        let beat = grid.period_at(0.0);
        for at in counts(scene).filter(|a| a.role == Role::Leader) {
            let changes = || {
                let here = chart.couple.iter().filter(|e| e.count == at.count);
                here.flat_map(|e| &e.holds)
            };
            let old = changes()
                .find(|c| c.verb == HoldVerb::Release)
                .map(|c| c.hold);
            let new = changes().find(|c| c.verb.joins()).map(|c| c.hold);
            let (Some(old), Some(new)) = (old, new) else {
                continue;
            };
            let now = scene.slots[at.slot].at.secs();
            let (from, to) = (now - beat, now + beat);
            let caught = passes(scene, new, from, to, true);
            let left = passes(scene, old, from, to, false);
            if let (Some(caught), Some(left)) = (caught, left) {
                let e = Estimate::new(left.value - caught.value, left.sigma.hypot(caught.sigma));
                out.push(at.couple("hand_overlap", reading(e, 0.15)));
            }
        }
    },
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tremble_is_less_smooth_than_a_swing() {
        let swing: Vec<f64> = (0..50)
            .map(|i| 0.5 - 0.5 * (0.25 * f64::from(i)).cos())
            .collect();
        let tremble: Vec<f64> = swing
            .iter()
            .enumerate()
            .map(|(i, v)| v + 0.25 * (1.9 * i as f64).sin())
            .collect();
        let (calm, rough) = (
            arc_length(&swing, 0.08).unwrap(),
            arc_length(&tremble, 0.08).unwrap(),
        );
        assert!(calm < 0.0 && rough < calm - 0.2, "{calm} {rough}");
        assert!(arc_length(&[0.0; 20], 0.08).is_none());
    }
}
