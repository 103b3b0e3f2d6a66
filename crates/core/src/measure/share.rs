//! Whose a couple's number is: the leader's share of it, from what each of the two did.

use nalgebra::Vector2;

use super::body::{of_couple, reading};
use super::couple::{SHOE, nearest_feet};
use super::read;
use super::scene::ARRIVAL_SIGMA;
use super::timing::found_late;
use super::{Measure, Need, Scene, Spec};
use crate::body::Landmark;
use crate::body::solve::value;
use crate::units::{Estimate, Foot, Role, Unit};

const SIGN: &str = "1 when all of it is the leader’s, 0 when all of it is the follower’s";

/// The leader's share where `leader` and `follower` add up to what is shared. What works against the whole
/// counts as nothing. None where the whole is too small to be shared.
fn share(leader: f64, follower: f64, sigma: f64, least: f64) -> Option<Estimate> {
    let all = leader + follower;
    if all.abs() < least {
        return None;
    }
    let s = leader / all;
    Some(Estimate::new(
        s.clamp(0.0, 1.0),
        sigma * s.hypot(1.0 - s) / all.abs(),
    ))
}

/// Standard error of where a dancer stands against the chart's path, metres: both feet's marks, and steps
/// that are nobody's fault.
const PLACE: f64 = 0.03;

/// Least departure from the charted distance that is shared, metres.
const LEAST_APART: f64 = 0.05;

/// Middle of a dancer's feet, metres on the floor.
fn stand(scene: &Scene, role: Role, slot: usize) -> Option<[f64; 2]> {
    if let Some((centre, _)) = scene.stance(role, slot) {
        return Some(centre);
    }
    let body = scene.body(role, slot)?;
    let middle = |k: usize| {
        let e = body
            .value(|p| Some(0.5 * (read::foot(p, Foot::Left)[k] + read::foot(p, Foot::Right)[k])));
        Some(e?.value)
    };
    Some([middle(0)?, middle(1)?])
}

/// The same as charted.
fn charted_stand(scene: &Scene, role: Role, slot: usize) -> Option<[f64; 2]> {
    let s = scene.charted_stance(role, slot)?;
    Some([0, 1].map(|k| 0.5 * (s.left[k] + s.right[k])))
}

pub(super) const APART: Spec = Spec {
    id: "apart_by_leader",
    name: "Leader’s share of the distance",
    unit: Unit::Share,
    sign: SIGN,
    needs: &[Need::Count, Need::Floor, Need::Feet],
    source: "each dancer's way along the line between both since the repetition's first count, less the charted way; σ from 3 cm for each",
    compute: |scene, out| {
        for at in of_couple(scene) {
            let Some(first) = scene.slot(at.repetition, 0).filter(|f| *f < at.slot) else {
                continue;
            };
            // Away from the partner since the first count, leader and follower.
            let ways = |f: &dyn Fn(Role, usize) -> Option<[f64; 2]>| {
                let [l, p] = [f(Role::Leader, at.slot)?, f(Role::Follower, at.slot)?];
                let [l0, p0] = [f(Role::Leader, first)?, f(Role::Follower, first)?];
                let (dx, dy) = (p[0] - l[0], p[1] - l[1]);
                let far = dx.hypot(dy);
                let along =
                    |a: [f64; 2], b: [f64; 2]| ((a[0] - b[0]) * dx + (a[1] - b[1]) * dy) / far;
                (far > 0.1).then(|| [-along(l, l0), along(p, p0)])
            };
            let seen = ways(&|role, slot| stand(scene, role, slot));
            let charted = ways(&|role, slot| charted_stand(scene, role, slot));
            if let (Some(a), Some(c)) = (seen, charted)
                && let Some(e) = share(a[0] - c[0], a[1] - c[1], PLACE, LEAST_APART)
            {
                out.push(at.couple("apart_by_leader", reading(e, 0.5)));
            }
        }
    },
};

/// Feet further apart than this are in nobody's way, metres.
const NEAR: f64 = 0.15;

/// Least way toward the partner's foot that is shared, metres.
const LEAST_NEARER: f64 = 0.04;

pub(super) const NEARER: Spec = Spec {
    id: "nearer_by_leader",
    name: "Leader’s share of feet too near",
    unit: Unit::Share,
    sign: SIGN,
    needs: &[Need::Count, Need::Floor, Need::Space],
    source: "way of each of the two nearest feet toward the other since the repetition's first count, less the charted way; σ from 3 cm for each",
    compute: |scene, out| {
        for at in of_couple(scene).filter(|at| at.anyone_arrives()) {
            let Some(first) = scene.slot(at.repetition, 0).filter(|f| *f < at.slot) else {
                continue;
            };
            let Some((feet, places)) = at.both().and_then(|(a, b)| {
                let at = [&a, &b].map(|m| |l| m.joint(l).coords);
                let (feet, apart) = nearest_feet(&at[0], &at[1])?;
                let place = |k: usize| {
                    let [heel, toe] = Landmark::heel_toe(feet[k]);
                    0.5 * (at[k](heel) + at[k](toe)).xy()
                };
                (apart - SHOE < NEAR).then(|| (feet, [place(0), place(1)]))
            }) else {
                continue;
            };
            // How far a foot came since the first count beyond what is charted.
            let beyond = |role: Role| {
                let k = role as usize;
                let seen = places[k] - Vector2::from(stand(scene, role, first)?);
                let charted = scene.charted_stance(role, at.slot)?.foot(feet[k]);
                let from = charted_stand(scene, role, first)?;
                Some(seen - (Vector2::from(charted) - Vector2::from(from)))
            };
            let line = places[1] - places[0];
            if let (Some(l), Some(f)) = (beyond(Role::Leader), beyond(Role::Follower))
                && let Some(to) = line.try_normalize(0.02)
                && let Some(e) = share(l.dot(&to), -f.dot(&to), PLACE, LEAST_NEARER)
            {
                out.push(at.couple("nearer_by_leader", reading(e, 0.5)));
            }
        }
    },
};

pub(super) const LATE: Spec = Spec {
    id: "late_by_leader",
    name: "Leader’s share of not being together",
    unit: Unit::Share,
    sign: SIGN,
    needs: &[Need::Count, Need::Steps],
    source: "each dancer's arrival against the count, at counts both step on",
    compute: |scene, out| {
        for at in of_couple(scene) {
            let late = |role| {
                let step = scene.step_at(role, at.repetition, at.count)?;
                Some(step.observed?.at.since(step.charted.at))
            };
            if let (Some(l), Some(f)) = (late(Role::Leader), late(Role::Follower))
                && let Some(e) = share(-l, f, ARRIVAL_SIGMA, 0.03)
            {
                out.push(at.couple("late_by_leader", reading(e, 0.5)));
            }
        }
        for rep in 0..scene.marks.repetitions {
            if let Some(([l, f], sigma)) = found_late(scene, rep)
                && let Some(e) = share(-l, f, sigma, 0.03)
            {
                out.push(Measure {
                    reading: reading(e, 0.5),
                    ..super::value("late_by_leader", None, (rep, None), e)
                });
            }
        }
    },
};

pub(super) const LEAN: Spec = Spec {
    id: "lean_by_leader",
    name: "Leader’s share of the uneven lean",
    unit: Unit::Share,
    sign: SIGN,
    needs: &[Need::Count, Need::Floor, Need::Space],
    source: "each dancer's lean away along the line between them",
    compute: |scene, out| {
        for at in of_couple(scene) {
            let Some((a, b)) = at.both() else { continue };
            let away = |partner: bool| {
                value(&[&a, &b], |p| {
                    let (to, _) = read::toward(p[0], p[1])?;
                    Some(if partner {
                        read::lean(p[1], to)
                    } else {
                        read::lean(p[0], -to)
                    })
                })
            };
            if let (Some(l), Some(f)) = (away(false), away(true))
                && let Some(e) = share(-l.value, f.value, l.sigma.hypot(f.sigma), 1.5)
            {
                out.push(at.couple("lean_by_leader", reading(e, 0.5)));
            }
        }
    },
};

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::share;

    proptest! {
        #[test]
        fn exchanged_roles_exchange_their_shares(l in -1.0..1.0f64, f in -1.0..1.0f64) {
            let [one, other] = [[l, f], [f, l]].map(|[l, f]| share(l, f, 0.03, 0.05));
            prop_assert_eq!(one.is_some(), other.is_some());
            if let (Some(a), Some(b)) = (one, other) {
                prop_assert!((a.value + b.value - 1.0).abs() < 1e-9);
                prop_assert!((a.sigma / b.sigma - 1.0).abs() < 1e-9);
            }
        }
    }

    #[test]
    fn shares_add_up_and_carry_their_error() {
        let s = share(0.3, 0.1, 0.03, 0.05).unwrap();
        assert!((s.value - 0.75).abs() < 1e-9);
        assert!((s.sigma - 0.03 * 0.75f64.hypot(0.25) / 0.4).abs() < 1e-9);
        // The other way round it is the same share.
        assert_eq!(share(-0.3, -0.1, 0.03, 0.05).unwrap().value, s.value);
        // One who works against it has none of it.
        assert_eq!(share(0.4, -0.1, 0.03, 0.05).unwrap().value, 1.0);
        assert!(share(0.2, -0.19, 0.03, 0.05).is_none());
    }
}
