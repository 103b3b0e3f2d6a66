//! Arms by what they hold: a hand that is joined to the partner's, or lies on the partner, tells which of its arm's
//! shapes is the true one. Both dancers are known alone first; then each one's hand is looked for where the partner
//! lets it be. Only the choice of shapes follows from it: pulling the hands together would claim to know the
//! distance between the partners better than it is seen.

use nalgebra::Vector3;

use super::alone::Alone;
use super::arms::{Place, choose};
use super::bodies::Bodies;
use super::skeleton::{Joints, front, middle, p};
use super::{Desk, Given, Instant, SolveError, Solver, State, automatic, restless};
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
    pub fn new(own: &Alone, partner: &Alone, grips: impl Fn(f64) -> [Option<Grip>; 2]) -> Self {
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
fn places(partner: &Alone, t: usize, grip: Grip, near: Vector3<f64>) -> Vec<Place> {
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
    pub alone: &'a Alone,
    /// Where the hands are held, where they hold anything.
    pub held: Option<&'a Held>,
    /// With holds.
    pub bodies: &'a Bodies,
}

impl Known<'_> {
    /// Its instant that is as one of a dancer known anew.
    fn same(&self, t: usize, alone: &Alone, held: Option<&Held>) -> Option<usize> {
        let k = self.alone.at.partition_point(|at| *at < alone.at[t]);
        let as_it_was = self.alone.at.get(k) == Some(&alone.at[t])
            && self.alone.joints[k] == alone.joints[t]
            && self.alone.used[k] == alone.used[t]
            && match (self.held, held) {
                (Some(was), Some(is)) => alike(&was.0[k], &is.0[t]),
                (None, None) => true,
                _ => false,
            };
        as_it_was.then_some(k)
    }
}

/// A dancer with the arms' shapes chosen by what they hold as well, where they hold anything, and how sure all of it
/// is. Where holds change nothing the bodies stay as they are known alone; where nothing has changed since `before`,
/// as they were. `cameras` are those of `alone`, `held` has its instants. An error when no body fits the chosen shapes.
pub fn with_holds(
    cameras: &[Calibration],
    alone: &Alone,
    held: Option<&Held>,
    before: Option<&Known>,
) -> Result<Bodies, SolveError> {
    let given = alone.given(cameras);
    let before = before.filter(|b| b.alone.scales == alone.scales);
    let same: Vec<Option<usize>> = (0..alone.at.len())
        .map(|t| before.and_then(|b| b.same(t, alone, held)))
        .collect();
    let new: Vec<bool> = same.iter().map(Option::is_none).collect();
    let mut out = Bodies::unsure(alone, cameras.len());
    if let Some(b) = before {
        out.shared_covariance
            .clone_from(&b.bodies.shared_covariance);
        for (t, k) in same.iter().enumerate() {
            if let Some(k) = *k {
                out.take(t, b.bodies, k);
            }
        }
    }
    let mut desk = Desk::new();
    for (from, to) in restless(&alone.used, &new) {
        let part = &alone.used[from..to];
        let mut state = State {
            joints: alone.joints[from..to].to_vec(),
            scales: alone.scales,
        };
        let mut spreads = alone.spreads[from..to].to_vec();
        if let Some(held) = held {
            let held = &held.0[from..to];
            let chosen = choose(&given, part, &mut state.joints, &alone.scales, Some(held));
            spreads = chosen.spreads;
            // After a correction the start is near; for a detector's bodies further steps changed nothing on simulated
            // takes, for marked ones they tell more of what is held.
            let near = before.is_some() || automatic(part);
            let steps = if near { 2 } else { 6 };
            follow(
                &given,
                &mut desk,
                part,
                &alone.joints[from..to],
                &mut state,
                steps,
            )?;
        }
        let sure = Solver::new(&given, part).sure(cameras, &state, alone.residual)?;
        let whole = to - from == alone.at.len();
        for (k, t) in (from..to).enumerate() {
            // What surrounds the new ones is only there to hold them.
            if new[t.saturating_sub(2)..(t + 3).min(new.len())].contains(&true) {
                out.joints[t] = state.joints[k];
                out.spreads[t] = spreads[k];
                out.own[t].clone_from(&sure.own[k]);
                out.shared[t].clone_from(&sure.shared[k]);
            }
        }
        if whole {
            out.shared_covariance = sure.shared_covariance;
        }
    }
    Ok(out)
}

/// Solves again about the instants whose arms were given another shape than in `was`; the others go back to it.
fn follow(
    given: &Given,
    desk: &mut Desk,
    instants: &[Instant],
    was: &[Joints],
    state: &mut State,
    steps: usize,
) -> Result<(), SolveError> {
    let moved: Vec<bool> = state.joints.iter().zip(was).map(|(a, b)| a != b).collect();
    for (first, last) in restless(instants, &moved) {
        let mut own = State {
            joints: state.joints[first..last].to_vec(),
            scales: state.scales,
        };
        Solver::new(given, &instants[first..last]).descend_held(desk, &mut own, steps)?;
        for t in first..last {
            // What surrounds them is only there to hold them.
            if moved[t.saturating_sub(2)..(t + 3).min(moved.len())].contains(&true) {
                state.joints[t] = own.joints[t - first];
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::lies::Lies;
    use crate::body::solve::skeleton::{SCALES, standing};

    fn known(height: f64, x: Joints) -> Alone {
        Alone {
            at: vec![1.0],
            joints: vec![x],
            hands: vec![Default::default()],
            spreads: vec![[0.0; 2]],
            height,
            scales: [0.0; SCALES],
            residual: 1.0,
            rounds: 0,
            stay: 1.0,
            used: vec![Instant::new(1.0)],
            lies: Lies::usual(),
            exchanged: 0,
        }
    }

    /// A follower 60 cm ahead of a leader who faces her.
    fn couple() -> [Alone; 2] {
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
        let blade = p(&follower.joints[0], L::LeftShoulder);
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
