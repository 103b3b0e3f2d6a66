//! Arms by what they hold: a hand that is joined to the partner's, or lies on the partner, tells which of its arm's
//! shapes is the true one. Both dancers are known alone first; then each one's hand is looked for where the partner
//! lets it be. Only the choice of shapes follows from it: pulling the hands together would claim to know the
//! distance between the partners better than it is seen.

use nalgebra::Vector3;

use super::arms::{Place, choose};
use super::bodies::Bodies;
use super::skeleton::{front, middle, p};
use super::{Desk, Given, SolveError, Solver, State, automatic, restless};
use crate::body::Landmark;
use crate::camera::Calibration;
use crate::units::Foot;
use Landmark as L;

/// Moments of both dancers further apart than this say nothing of each other, seconds.
const TOGETHER: f64 = 0.06;

/// A change of a held place, metres, and of its cost, from which on arms are chosen again.
const STIRS: f64 = 0.02;
const STIRS_COST: f64 = 0.5;

/// What one hand of a dancer holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Grip {
    /// The partner's hand of this side.
    Hand(Foot),
    /// The partner's shoulder-blade, on the nearer side.
    ShoulderBlade,
    /// The partner's upper arm, on the nearer side.
    UpperArm,
    /// The partner's shoulder, the nearer one.
    Shoulder,
    /// The middle of the partner's back.
    Back,
    /// The partner's waist, on the nearer side.
    Waist,
}

/// Where each hand of a dancer is held: by instant of the dancer and side, the places that the partner leaves.
#[derive(Debug, Clone, PartialEq)]
pub struct Held(Vec<[Vec<Place>; 2]>);

impl Held {
    /// From what the left and the right hand hold at a moment, and the partner as known alone.
    pub fn new(own: &Bodies, partner: &Bodies, grips: impl Fn(f64) -> [Option<Grip>; 2]) -> Self {
        let one = |t: usize| {
            let seconds = own.at[t];
            let k = partner.at.partition_point(|at| *at < seconds);
            let off = |k: &usize| (partner.at[*k] - seconds).abs();
            let nearest = [k.checked_sub(1), Some(k)]
                .into_iter()
                .flatten()
                .filter(|k| *k < partner.at.len())
                .min_by(|a, b| off(a).total_cmp(&off(b)))
                .filter(|k| off(k) <= TOGETHER);
            let mut out = [Vec::new(), Vec::new()];
            if let Some(k) = nearest {
                for (side, grip) in grips(seconds).into_iter().enumerate() {
                    let shoulder = p(
                        &own.joints[t],
                        Landmark::arm([Foot::Left, Foot::Right][side])[0],
                    );
                    out[side] = grip.map_or(Vec::new(), |g| places(partner, k, g, shoulder));
                }
            }
            out
        };
        Self((0..own.at.len()).map(one).collect())
    }
}

/// Whether two sets of places choose alike: a hand that has moved by less than it is known to does not.
fn alike(a: &[Vec<Place>; 2], b: &[Vec<Place>; 2]) -> bool {
    let near = |(a, b): (&Place, &Place)| {
        (a.at - b.at).norm() < STIRS && (a.cost - b.cost).abs() < STIRS_COST
    };
    let side = |k: usize| a[k].len() == b[k].len() && a[k].iter().zip(&b[k]).all(near);
    side(0) && side(1)
}

/// Where the partner lets a hand be that comes from a shoulder, metres. The places on the body are rough, in shares
/// of standing height; the grip's standard error covers what they are off.
fn places(partner: &Bodies, t: usize, grip: Grip, near: Vector3<f64>) -> Vec<Place> {
    let x = &partner.joints[t];
    let shoulders = [L::LeftShoulder, L::RightShoulder].map(|l| p(x, l));
    let [a, b] = shoulders.map(|s| (s - near).norm());
    let shoulder = shoulders[usize::from(b < a)];
    let ahead = front(shoulders[0], shoulders[1]);
    let (up, h) = (Vector3::z(), partner.height);
    let spot = match grip {
        Grip::Hand(side) => return partner.hands[t][side as usize].clone(),
        Grip::ShoulderBlade => shoulder - ahead * 0.04 * h - up * 0.07 * h,
        Grip::UpperArm => shoulder + ahead * 0.01 * h - up * 0.06 * h,
        Grip::Shoulder => shoulder + up * 0.02 * h,
        Grip::Back => {
            middle(x, L::LeftShoulder, L::RightShoulder) - ahead * 0.05 * h - up * 0.09 * h
        }
        Grip::Waist => {
            let hips = middle(x, L::LeftHip, L::RightHip);
            let to = near - hips;
            let out = Vector3::new(to.x, to.y, 0.0);
            hips + out / out.norm().max(1e-6) * 0.08 * h + up * 0.05 * h
        }
    };
    vec![Place {
        at: spot,
        cost: 0.0,
    }]
}

/// A dancer as known alone, where the hands are held, and what came of it.
pub struct Known<'a> {
    /// Alone.
    pub alone: &'a Bodies,
    /// Where the hands are held.
    pub held: &'a Held,
    /// With holds.
    pub bodies: &'a Bodies,
}

/// A dancer with the arms' shapes chosen by what they hold as well. Where that changes nothing the bodies stay as
/// they are known alone; where nothing has changed since `before`, as they were. `cameras` are those of `alone`,
/// `held` has its instants. An error when no body fits the chosen shapes.
pub fn with_holds(
    cameras: &[Calibration],
    alone: &Bodies,
    held: &Held,
    before: Option<&Known>,
) -> Result<Bodies, SolveError> {
    let given = Given {
        height: alone.height,
        cameras: cameras.iter().map(|c| &c.camera).collect(),
        stay: alone.stay,
        wide: 1.0,
    };
    let mut out = alone.clone();
    let mut new = vec![true; alone.at.len()];
    if let Some(b) = before.filter(|b| b.alone.scales == alone.scales) {
        for (t, new) in new.iter_mut().enumerate() {
            let k = b.alone.at.partition_point(|at| *at < alone.at[t]);
            *new = b.alone.at.get(k) != Some(&alone.at[t])
                || b.alone.joints[k] != alone.joints[t]
                || !alike(&b.held.0[k], &held.0[t]);
            if !*new {
                out.take(t, b.bodies, k);
                out.spreads[t] = b.bodies.spreads[k];
            }
        }
    }
    let mut desk = Desk::new();
    for (from, to) in restless(&new) {
        let part = &alone.used[from..to];
        let mut joints = alone.joints[from..to].to_vec();
        let holds = &held.0[from..to];
        let chosen = choose(&given, part, &mut joints, &alone.scales, Some(holds));
        out.spreads[from..to].copy_from_slice(&chosen.spreads);
        let others = joints.iter().zip(&alone.joints[from..to]);
        let moved: Vec<bool> = others.map(|(a, b)| a != b).collect();
        for t in from..to {
            out.take(t, alone, t);
        }
        for (first, last) in restless(&moved) {
            let part = &part[first..last];
            let mut state = State {
                joints: joints[first..last].to_vec(),
                scales: alone.scales,
            };
            let solver = Solver::new(&given, part);
            // After a correction the start is near; for a detector's bodies further steps changed nothing on simulated
            // takes, for marked ones they tell more of what is held.
            let near = before.is_some() || automatic(part);
            let rounds = solver.descend_held(&mut desk, &mut state, if near { 3 } else { 6 })?;
            let spreads = chosen.spreads[first..last].to_vec();
            let solved = solver.finish(cameras, state, spreads, rounds, Some(alone.residual))?;
            for k in first..last {
                // What surrounds them is only there to hold them.
                let near = k.saturating_sub(2).max(first)..(k + 3).min(last);
                if moved[near].contains(&true) {
                    out.take(from + k, &solved, k - first);
                }
            }
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::skeleton::{Joints, standing};
    use nalgebra::Point3;

    fn known(height: f64, x: Joints) -> Bodies {
        let joints = std::array::from_fn(|l| Point3::new(x[3 * l], x[3 * l + 1], x[3 * l + 2]));
        Bodies::known(height, vec![1.0], &[joints], vec![[[true; 2]; 2]], 0.01)
    }

    /// A follower 60 cm ahead of a leader who faces her.
    fn couple() -> [Bodies; 2] {
        [
            known(1.8, standing(1.8, [0.0, 0.0], 0.0)),
            known(1.65, standing(1.65, [0.6, 0.0], 180.0)),
        ]
    }

    #[test]
    fn a_hand_on_the_body_lies_on_the_partners_side_that_is_nearer() {
        let [leader, follower] = couple();
        let grips = |_| [None, Some(Grip::ShoulderBlade)];
        let held = Held::new(&leader, &follower, grips);
        let [none, right] = &held.0[0];
        assert!(none.is_empty());
        let [place] = right[..] else {
            panic!("one place")
        };
        let blade = follower.joint(0, L::LeftShoulder).coords;
        // Behind her, below the shoulder: she faces the leader.
        assert!(place.at.x > blade.x + 0.05, "{}", place.at);
        assert!((place.at.y - blade.y).abs() < 0.01);
        assert!(place.at.z < blade.z - 0.08);
        let late = |_| [Some(Grip::Waist), None];
        let waist = Held::new(&leader, &follower, late).0[0][0][0].at;
        assert!(
            waist.x < 0.6 && waist.y > 0.0,
            "toward him, on his left: {waist}"
        );
    }

    #[test]
    fn only_a_change_that_could_matter_is_one() {
        let place = |x: f64, cost: f64| Place {
            at: Vector3::new(x, 0.0, 1.1),
            cost,
        };
        let of = |places: Vec<Place>| [places, Vec::new()];
        let was = of(vec![place(0.3, 0.0), place(0.5, 4.0)]);
        assert!(alike(&was, &of(vec![place(0.31, 0.0), place(0.5, 4.3)])));
        assert!(!alike(&was, &of(vec![place(0.33, 0.0), place(0.5, 4.0)])));
        assert!(!alike(&was, &of(vec![place(0.3, 0.0), place(0.5, 5.0)])));
        assert!(!alike(&was, &of(vec![place(0.3, 0.0)])));
        assert!(!alike(&was, &[Vec::new(), was[0].clone()]));
    }

    #[test]
    fn moments_that_are_apart_say_nothing_of_each_other() {
        let [leader, mut follower] = couple();
        let grips = |_| [Some(Grip::Back), None];
        assert_eq!(Held::new(&leader, &follower, grips).0[0][0].len(), 1);
        follower.at = vec![1.0 + TOGETHER + 0.01];
        assert!(Held::new(&leader, &follower, grips).0[0][0].is_empty());
    }
}
