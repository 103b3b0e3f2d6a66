//! Whether the hands reach: the distance between the gripping hands' shoulders against the arms.
//!
//! Arm and shoulder lengths as shares of standing height: Drillis & Contini (1966), tabulated by
//! Winter (2009), fig. 4.1. An arm's way round a body is not counted, so a hold that passes may still
//! be tight; one that fails cannot be held.

use super::{Place, Problem, Sheet};
use crate::chart::path::Standing;
use crate::chart::vocabulary::{Hand, Hold, Rule, Spot};

/// Upper arm, forearm and the palm's half.
const ARM: f64 = 0.186 + 0.146 + 0.05;
/// Half of the shoulders' breadth, and their height.
const SHOULDER: f64 = 0.108;
const SHOULDER_HEIGHT: f64 = 0.818;
/// Half of the trunk's depth.
const DEPTH: f64 = 0.06;
/// What a shoulder gives when it is reached forward, metres.
const GIVE: f64 = 0.05;

/// A point of the body: metres ahead of the middle, to the left, and high.
fn point(body: ([f64; 2], f64), ahead: f64, left: f64, high: f64) -> [f64; 3] {
    let (s, c) = body.1.to_radians().sin_cos();
    [
        body.0[0] + c * ahead - s * left,
        body.0[1] + s * ahead + c * left,
        high,
    ]
}

fn shoulder(body: ([f64; 2], f64), hand: Hand, height: f64) -> [f64; 3] {
    point(
        body,
        0.0,
        hand.side() * SHOULDER * height,
        SHOULDER_HEIGHT * height,
    )
}

/// A spot on the body for a hand that comes from the front: on the side opposite to the hand.
fn spot(body: ([f64; 2], f64), spot: Spot, from: Hand, height: f64) -> [f64; 3] {
    let side = -from.side();
    let (ahead, left, high) = match spot {
        Spot::ShoulderBlade => (-DEPTH, 0.6 * SHOULDER, 0.76),
        Spot::UpperArm => (0.0, 1.15 * SHOULDER, 0.74),
        Spot::Shoulder => (0.0, SHOULDER, SHOULDER_HEIGHT),
        Spot::Back => (-DEPTH, 0.2 * SHOULDER, 0.70),
        Spot::Waist => (0.0, 0.75 * SHOULDER, 0.62),
    };
    point(body, ahead * height, side * left * height, high * height)
}

/// By how many metres a hold is out of reach; negative is what is left. `heights`: leader, follower.
pub fn shortfall(hold: Hold, pair: &[Standing; 2], heights: [f64; 2]) -> f64 {
    let [l, f] = [pair[0].body(), pair[1].body()];
    let (from, to, arms) = match hold {
        Hold::Hands(a, b) => (
            shoulder(l, a, heights[0]),
            shoulder(f, b, heights[1]),
            ARM * (heights[0] + heights[1]),
        ),
        Hold::LeaderOn(a, s) => (
            shoulder(l, a, heights[0]),
            spot(f, s, a, heights[1]),
            ARM * heights[0],
        ),
        Hold::FollowerOn(s, b) => (
            spot(l, s, b, heights[0]),
            shoulder(f, b, heights[1]),
            ARM * heights[1],
        ),
    };
    let d = (0..3)
        .map(|i| (from[i] - to[i]).powi(2))
        .sum::<f64>()
        .sqrt();
    d - arms - GIVE
}

/// Checks every hold on every count.
pub(super) fn check(s: &Sheet) -> Vec<Problem> {
    let mut out: Vec<Problem> = Vec::new();
    for (heights, moments) in &s.danced {
        for (i, now) in moments.iter().enumerate() {
            let (holds, at, when) = match i.checked_sub(1) {
                None => (
                    &s.draft.holds,
                    Place::field("holds"),
                    "At the start".to_owned(),
                ),
                Some(c) => (
                    &s.layout.holds[c],
                    Place::couple(c),
                    format!("After count {}", s.spoken(c)),
                ),
            };
            if out.iter().any(|p| p.at == at) {
                continue;
            }
            let worst = holds
                .iter()
                .map(|h| (*h, shortfall(*h, now, *heights)))
                .filter(|(_, d)| *d > 0.0)
                .max_by(|a, b| a.1.total_cmp(&b.1));
            if let Some((hold, d)) = worst {
                out.push(
                    Problem::stop(
                        Rule::Reach,
                        at,
                        format!(
                            "{when} the hold {hold} is {:.0} cm out of reach for a couple of {:.0} and {:.0} cm.",
                            100.0 * d,
                            100.0 * heights[0],
                            100.0 * heights[1]
                        ),
                    )
                    .suggest("Shorten the steps that part them, turn toward each other, or let go before."),
                );
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::testing::{problems_after, stops};
    use super::*;
    use crate::chart::path::Stance;

    fn facing(distance: f64) -> [Standing; 2] {
        [(0.0, 0.0), (distance, 180.0)].map(|(x, yaw)| Standing {
            stance: Stance::standing([x, 0.0], yaw, 1.7),
            weight: None,
        })
    }

    #[test]
    fn reach_grows_with_the_distance_metre_by_metre() {
        let h = Hold::read("L-R").unwrap();
        let near = shortfall(h, &facing(1.0), [1.7, 1.7]);
        let far = shortfall(h, &facing(1.6), [1.7, 1.7]);
        assert!(near < 0.0 && far > 0.0);
        assert!((far - near - 0.6).abs() < 1e-9);
        // Two arms of 0.382 H each, and what the shoulders give.
        assert!((far - (1.6 - 2.0 * 0.382 * 1.7 - 0.05)).abs() < 1e-9);
    }

    #[test]
    fn a_hand_on_the_back_wants_the_partner_close() {
        let h = Hold::read("R>shoulder-blade").unwrap();
        assert!(shortfall(h, &facing(0.35), [1.7, 1.7]) < 0.0);
        assert!(shortfall(h, &facing(0.95), [1.7, 1.7]) > 0.0);
    }

    #[test]
    fn too_long_steps_tear_the_hold_at_the_right_count() {
        assert!(!stops(
            &problems_after("shag-basic", |_| {}),
            Rule::Reach,
            ""
        ));
        let p = problems_after("shag-basic", |d| {
            for e in d.leader.iter_mut().chain(&mut d.follower) {
                if e.count == 6 {
                    e.size = 0.8;
                }
            }
        });
        assert!(stops(&p, Rule::Reach, "After count 5 the hold L-R"));
    }
}
