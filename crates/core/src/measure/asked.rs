//! What the figure itself asks for, read from its charted path on the floor: a judge does not fault a dancer
//! for what the chart wants.

use nalgebra::{Point2, Vector2};

use super::Scene;
use super::couple::SHOE;
use crate::chart::Stance;
use crate::units::{Foot, Role, wrap_degrees};

/// Half of a foot's length as a share of standing height.
const HALF_FOOT: f64 = 0.076;

fn ahead(degrees: f64) -> Vector2<f64> {
    let (s, c) = degrees.to_radians().sin_cos();
    Vector2::new(c, s)
}

fn middle(s: &Stance) -> Point2<f64> {
    nalgebra::center(&Point2::from(s.left), &Point2::from(s.right))
}

fn heading(v: Vector2<f64>) -> f64 {
    v.y.atan2(v.x).to_degrees()
}

fn from_segment(p: Point2<f64>, a: Point2<f64>, b: Point2<f64>) -> f64 {
    let along = b - a;
    let s = ((p - a).dot(&along) / along.norm_squared().max(1e-9)).clamp(0.0, 1.0);
    (p - (a + along * s)).norm()
}

/// Least distance of two feet's lines from heel to toe.
fn feet_apart(a: [Point2<f64>; 2], b: [Point2<f64>; 2]) -> f64 {
    [
        from_segment(a[0], b[0], b[1]),
        from_segment(a[1], b[0], b[1]),
        from_segment(b[0], a[0], a[1]),
        from_segment(b[1], a[0], a[1]),
    ]
    .into_iter()
    .fold(f64::INFINITY, f64::min)
}

/// The charted value of a measure for a role (the leader's where it is the couple's) in a repetition at a
/// count (none: over all of it), in the measure's unit. None where the chart says nothing about it.
pub(super) fn asked(
    scene: &Scene,
    id: &str,
    role: Role,
    repetition: u32,
    count: Option<usize>,
) -> Option<f64> {
    let (chart, _) = scene.chart.as_ref()?;
    let slot = |count| scene.slot(repetition, count);
    let own = |slot| scene.charted_stance(role, slot);
    let partner = |slot| scene.charted_stance(role.partner(), slot);
    let row = |role: Role, count| chart.rows(role).iter().find(|r| r.count == count);
    match id {
        "separation_share" => {
            let at = slot(count?)?;
            let gap = (middle(&own(at)?) - middle(&partner(at)?)).norm();
            Some(gap / scene.couple.limit().value)
        }
        "facing_error" => {
            let at = slot(count?)?;
            let (me, other) = (own(at)?, partner(at)?);
            let to = middle(&other) - middle(&me);
            (to.norm() > 0.1).then(|| wrap_degrees(me.facing - heading(to)))
        }
        "closed_offset" => {
            let at = slot(count?)?;
            let (l, f) = (own(at)?, partner(at)?);
            let right = ahead(l.facing - 90.0);
            Some((middle(&f) - middle(&l)).dot(&right))
        }
        "chests_parallel" => {
            let at = slot(count?)?;
            Some(wrap_degrees(own(at)?.facing - partner(at)?.facing - 180.0))
        }
        "turn_most" => Some(45.0 * f64::from(row(role, count?)?.turn.abs())),
        "turn_streak" => {
            let turns = chart.rows(role).iter().map(|r| f64::from(r.turn) / 8.0);
            let (mut longest, mut run) = (0.0_f64, 0.0_f64);
            let all = turns.collect::<Vec<_>>();
            let danced = (0..scene.marks.repetitions).flat_map(|_| &all);
            for turn in danced.filter(|t| **t != 0.0) {
                run = if turn.signum() == run.signum() {
                    run + turn
                } else {
                    *turn
                };
                longest = longest.max(run.abs());
            }
            Some(longest)
        }
        "centre_gap" => {
            let at = slot(count?)?;
            let (me, other) = (own(at)?, partner(at)?);
            let centre = nalgebra::center(&middle(&me), &middle(&other));
            let gap = |f| (Point2::from(me.foot(f)) - centre).norm();
            Some(gap(Foot::Left).min(gap(Foot::Right)))
        }
        "feet_clearance" => {
            let at = slot(count?)?;
            let line = |s: &Stance, role: Role, foot: Foot| {
                let half = ahead(s.facing) * HALF_FOOT * scene.couple.height(role);
                let at = Point2::from(s.foot(foot));
                [at - half, at + half]
            };
            let (me, other) = (own(at)?, partner(at)?);
            let feet = [Foot::Left, Foot::Right];
            let gaps = feet.into_iter().flat_map(|mine| {
                let mine = line(&me, role, mine);
                feet.map(|theirs| feet_apart(mine, line(&other, role.partner(), theirs)))
            });
            Some(gaps.fold(f64::INFINITY, f64::min) - SHOE)
        }
        "between_feet" => {
            let at = slot(count?)?;
            let (me, other) = (own(at)?, partner(at)?);
            let left = ahead(other.facing + 90.0);
            let foot = Point2::from(me.foot(row(role, count?)?.foot));
            Some((foot - middle(&other)).dot(&left))
        }
        "under_hip" => {
            let at = slot(count?)?;
            let me = own(at)?;
            let foot = Point2::from(me.foot(row(role, count?)?.foot));
            Some((foot - middle(&me)).norm())
        }
        "closing_share" => {
            let now = slot(count?)?;
            let before = now.checked_sub(1)?;
            let [l, f] = [Role::Leader, Role::Follower];
            let at = |role, slot| Some(middle(&scene.charted_stance(role, slot)?));
            let (l0, f0) = (at(l, before)?, at(f, before)?);
            let line = (f0 - l0).normalize();
            let lead = (at(l, now)? - l0).dot(&line);
            let follow = -(at(f, now)? - f0).dot(&line);
            (lead + follow > 0.05).then(|| lead / (lead + follow))
        }
        "travel_after_stop" | "travel_before_send" => {
            let from = if id == "travel_before_send" {
                slot(0)?
            } else {
                slot(super::spring::stop(scene, role)?)?
            };
            let to = slot(count?)?;
            let mut way = 0.0;
            for k in from..to {
                let (a, b) = (middle(&own(k)?), middle(&own(k + 1)?));
                let line = middle(&partner(k)?) - a;
                way += (b - a).dot(&line) / line.norm().max(0.1);
            }
            Some(way)
        }
        "energy_match" => {
            // How far the middle goes from count to count, at the furthest.
            let far = |role: Role| -> Option<f64> {
                let slots = (0..scene.slots.len())
                    .filter(|i| scene.slots[*i].repetition == repetition)
                    .filter(|i| *i > 0);
                let ways: Option<Vec<f64>> = slots
                    .map(|i| {
                        let at = |i| Some(middle(&scene.charted_stance(role, i)?));
                        let dt = scene.slots[i].at.since(scene.slots[i - 1].at).max(0.1);
                        Some((at(i)? - at(i - 1)?).norm() / dt)
                    })
                    .collect();
                ways?.into_iter().max_by(f64::total_cmp)
            };
            let other = far(role.partner())?;
            (other > 0.1).then(|| Some(far(role)? / other)).flatten()
        }
        _ => None,
    }
}
