//! The couple's frame limit from a take in which they step apart: the distance at which the shape of an arm goes.
//!
//! A joined arm opens with the distance as its two bones allow: from shoulder to wrist it reaches 2 a sin(θ/2) with
//! the elbow at θ and bones of a, and partners who both give way share what the distance grows by. The limit of a
//! dancer is the distance at which this curve passes the edge of a round arm; its distribution by Bayes' rule from
//! all elbows seen, over all distances. The couple's is that of who loses the shape first.

use nalgebra::Point2;

use super::body::At;
use super::separation::apart;
use super::{Reading, Scene};
use crate::body::solve::Moment;
use crate::units::{Estimate, Foot, Role, wrap_degrees};

/// An elbow opened further has lost its shape, degrees: the fine edge of arms that run out straight.
const LOST: f64 = 150.0;

/// Upper arm and forearm, shares of standing height (Drillis, R. & Contini, R. (1966), "Body segment parameters").
const BONE: f64 = 0.5 * (0.186 + 0.146);

/// How far an elbow may be from the curve, degrees: at the edge, and for each degree away from it.
const OFF: [f64; 2] = [5.0, 0.2];

/// Elbows told worse than this say nothing, degrees (1σ).
const ELBOW_MOST: f64 = 20.0;

/// Share of elbows that have nothing to do with the curve, and the degrees over which they lie.
const WILD: f64 = 0.1;
const ANYWHERE: f64 = 150.0;

/// Distances that a limit may have, metres, and the steps between them.
const NEAREST: f64 = 0.3;
const WIDEST: f64 = 2.5;
const FINE: f64 = 0.005;

/// A limit this much beyond what was danced is not offered, metres.
const BEYOND: f64 = 0.03;

/// Moments nearer to each other than this have their errors in common, seconds.
const ALIKE: f64 = 0.25;

/// How far couples are from the curve, metres (1σ): on simulated drills two cameras missed by so much.
const COUPLES: f64 = 0.025;

/// Told worse than this a limit is not offered, metres (1σ): by arm lengths it is known as well.
const MOST: f64 = 0.08;

/// A joined arm at a moment.
#[derive(Debug, Clone, Copy)]
struct Look {
    /// Distance of the partners, metres.
    gap: Estimate,
    /// Its elbow, degrees.
    elbow: Estimate,
    /// For how many independent ones it counts.
    weight: f64,
}

/// In a spacing drill the charted distance of the partners grows from count to count for so many of them:
/// who rocks apart in one or two is not seen at each distance.
const SLOWLY: usize = 5;

/// By less it does not grow, metres.
const GROWS: f64 = 0.01;

/// Charted directions within this are the same, degrees.
const STRAIGHT: f64 = 20.0;

/// The frame limit as a spacing drill shows it; none in any other figure (one joined hand reaches further, as a
/// turned body does), and where no bodies are solved. Not visible, with what to do, where the arms keep their shape
/// all the time, never have one, or are not seen well enough.
pub fn frame_limit(scene: &Scene) -> Option<Reading> {
    if !steps_apart(scene) {
        return None;
    }
    let looks = looks(scene)?;
    let of = |role: Role| limit(scene.couple.height(role), &looks[role as usize]);
    Some(match (of(Role::Leader), of(Role::Follower)) {
        (Ok(a), Ok(b)) => Reading::Value(if a.value < b.value { a } else { b }),
        (Ok(one), Err(_)) | (Err(_), Ok(one)) => Reading::Value(one),
        (Err(a), Err(b)) => Reading::NotVisible {
            // What to do with the couple comes before what to do with the phone.
            why: a.min(b).what().into(),
        },
    })
}

/// Whether the couple only step apart and together in this figure, and slowly: both hands joined all through, nobody
/// turns.
fn steps_apart(scene: &Scene) -> bool {
    let (mut first, mut before) = (None, f64::INFINITY);
    let (mut row, mut longest) = (0, 0);
    for slot in 0..scene.slots.len() {
        if Role::BOTH.iter().any(|r| arms(scene, *r, slot).len() < 2) {
            return false;
        }
        let [Some(l), Some(f)] = Role::BOTH.map(|r| scene.charted_stance(r, slot)) else {
            return false;
        };
        let [a, b] = first.get_or_insert([l.facing, f.facing]);
        let turned = wrap_degrees(l.facing - *a)
            .abs()
            .max(wrap_degrees(f.facing - *b).abs());
        if turned > STRAIGHT {
            return false;
        }
        let [l, f] = [l, f].map(|s| Point2::from(s.centre()));
        let gap = (l - f).norm();
        row = if gap > before + GROWS { row + 1 } else { 0 };
        longest = longest.max(row);
        before = gap;
    }
    longest >= SLOWLY
}

/// Why a dancer's arms tell no limit, the more telling first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum No {
    Kept,
    Never,
    Vague,
    Unseen,
}

impl No {
    fn what(self) -> &'static str {
        match self {
            Self::Kept => {
                "The arms keep their shape all the time: let the couple step further apart."
            }
            Self::Never => {
                "The arms have lost their shape from the start: let the couple begin nearer."
            }
            Self::Vague => {
                "Where the arms lose their shape is not seen clearly: let the couple step apart more slowly, square to the phone."
            }
            Self::Unseen => {
                "No joined arm is seen well enough: stand square to the couple’s line, or set a second phone a quarter of the way round."
            }
        }
    }
}

/// What is seen of each dancer's joined arms; none where no arms are ever joined.
fn looks(scene: &Scene) -> Option<[Vec<Look>; 2]> {
    let leader = scene.bodies(Role::Leader)?;
    let follower = scene.bodies(Role::Follower)?;
    let mut slots = scene.slots.iter().enumerate().peekable();
    let (mut slot, mut before, mut joined) = (None, f64::NEG_INFINITY, false);
    let mut out = [Vec::new(), Vec::new()];
    for (t, at) in leader.at.iter().enumerate() {
        // Who is marked at the counts stands a little beside them.
        while let Some((i, _)) = slots.next_if(|(_, s)| s.at.secs() < at + 0.1) {
            slot = Some(i);
        }
        let Some(slot) = slot else { continue };
        // Where only counts are marked, the partner is where the partner's mark of this count is.
        let together = follower.moment(*at).map(|other| (leader.instant(t), other));
        let Some((own, other)) = together.or_else(|| scene.both(Role::Leader, slot)) else {
            continue;
        };
        let arms = Role::BOTH.map(|role| arms(scene, role, slot));
        joined |= arms.iter().any(|a| !a.is_empty());
        let Some(gap) = apart(&own, &other) else {
            continue;
        };
        let weight = ((at - before) / ALIKE).min(1.0);
        before = *at;
        for ((body, sides), out) in [&own, &other].into_iter().zip(&arms).zip(&mut out) {
            out.extend(elbows(body, sides).map(|elbow| Look { gap, elbow, weight }));
        }
    }
    joined.then_some(out)
}

fn elbows(body: &Moment, sides: &[Foot]) -> impl Iterator<Item = Estimate> {
    sides
        .iter()
        .filter_map(|s| body.elbow(*s))
        .filter(|e| e.sigma <= ELBOW_MOST)
}

/// The arms that a dancer has joined to the partner at a slot.
fn arms(scene: &Scene, role: Role, slot: usize) -> Vec<Foot> {
    let s = scene.slots[slot];
    let at = At {
        scene,
        role,
        slot,
        repetition: s.repetition,
        count: s.count,
    };
    at.joined()
}

/// The elbow of somebody's arm where the partners are so much further apart than the limit, degrees.
fn opened(height: f64, beyond: f64) -> f64 {
    let whole = 2.0 * BONE * height;
    let reach = whole * (0.5 * LOST.to_radians()).sin() + 0.5 * beyond;
    2.0 * (reach / whole).clamp(0.0, 1.0).asin().to_degrees()
}

fn limit(height: f64, looks: &[Look]) -> Result<Estimate, No> {
    if looks.is_empty() {
        return Err(No::Unseen);
    }
    let many = ((WIDEST - NEAREST) / FINE) as usize;
    let place = |i: usize| NEAREST + FINE * i as f64;
    let log = |i: usize| -> f64 {
        let of = |l: &Look| {
            let beyond = l.gap.value - place(i);
            let curve = opened(height, beyond);
            let slope = (opened(height, beyond + l.gap.sigma) - curve).abs();
            let off = OFF[0] + OFF[1] * (curve - LOST).abs();
            let sigma = l.elbow.sigma.hypot(slope).hypot(off);
            let z = (l.elbow.value - curve) / sigma;
            let normal = (-0.5 * z * z).exp() / (sigma * std::f64::consts::TAU.sqrt());
            l.weight * ((1.0 - WILD) * normal + WILD / ANYWHERE).ln()
        };
        looks.iter().map(of).sum()
    };
    let log: Vec<f64> = (0..=many).map(log).collect();
    let most = log.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let share: Vec<f64> = log.iter().map(|l| (l - most).exp()).collect();
    let all: f64 = share.iter().sum();
    let about = |f: &dyn Fn(f64) -> f64| -> f64 {
        share
            .iter()
            .enumerate()
            .map(|(i, s)| s * f(place(i)))
            .sum::<f64>()
            / all
    };
    let mean = about(&|x| x);
    let sigma = about(&|x| (x - mean).powi(2)).sqrt().hypot(COUPLES);
    let gaps = looks.iter().map(|l| l.gap.value);
    let [near, far] = gaps.fold([f64::INFINITY, f64::NEG_INFINITY], |[a, b], g| {
        [a.min(g), b.max(g)]
    });
    if mean > far + BEYOND {
        Err(No::Kept)
    } else if mean < near - BEYOND {
        Err(No::Never)
    } else if sigma > MOST {
        Err(No::Vague)
    } else {
        Ok(Estimate::new(mean, sigma))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const TALL: f64 = 1.7;

    /// A drill in which the partners part by centimetres, and an arm that opens as arms do.
    fn drill(from: f64, to: f64, limit: f64, sigma: f64) -> Vec<Look> {
        let many = 16;
        (0..=many)
            .map(|i| from + (to - from) * f64::from(i) / f64::from(many))
            .map(|gap| Look {
                gap: Estimate::new(gap, 0.01),
                elbow: Estimate::new(opened(TALL, gap - limit), sigma),
                weight: 1.0,
            })
            .collect()
    }

    #[test]
    fn an_arm_opens_as_its_bones_allow() {
        assert!((opened(TALL, 0.0) - LOST).abs() < 1e-9);
        // Shoulder to wrist with bones of 28 cm: 54.5 cm at the edge, 46.2 cm at 110°.
        assert!((opened(TALL, 2.0 * (0.4624 - 0.5451)) - 110.0).abs() < 0.5);
        assert!((opened(TALL, 0.3) - 180.0).abs() < 1e-9);
    }

    #[test]
    fn the_limit_lies_where_the_shape_goes() {
        for at in [0.93, 1.08, 1.21] {
            let e = limit(TALL, &drill(0.6, 1.4, at, 8.0)).unwrap();
            assert!((e.value - at).abs() < 0.01, "{at} {e:?}");
            assert!((0.025..0.04).contains(&e.sigma), "{e:?}");
        }
    }

    #[test]
    fn less_is_known_from_fewer_and_vaguer_arms() {
        let all = drill(0.6, 1.4, 1.03, 6.0);
        let some: Vec<Look> = all.iter().copied().step_by(3).collect();
        let sigma = |looks: &[Look]| limit(TALL, looks).unwrap().sigma;
        assert!(sigma(&some) > 1.1 * sigma(&all));
        assert!(sigma(&drill(0.6, 1.4, 1.03, 15.0)) > 1.1 * sigma(&all));
        // An arm that is taken for another does not carry it away.
        let mut wild = all.clone();
        wild[2].elbow.value = 178.0;
        wild[9].elbow.value = 60.0;
        let e = limit(TALL, &wild).unwrap();
        assert!((e.value - 1.03).abs() < 0.015, "{e:?}");
    }

    #[test]
    fn what_was_not_danced_is_not_made_up() {
        assert_eq!(limit(TALL, &drill(0.6, 0.9, 1.2, 6.0)), Err(No::Kept));
        assert_eq!(limit(TALL, &drill(0.9, 1.4, 0.7, 6.0)), Err(No::Never));
        let vague: Vec<Look> = drill(0.8, 1.2, 1.0, 19.0).into_iter().step_by(9).collect();
        assert_eq!(limit(TALL, &vague), Err(No::Vague));
        assert_eq!(limit(TALL, &[]), Err(No::Unseen));
        // What to do with the couple is said before what to do with the phone.
        assert_eq!(No::Unseen.min(No::Kept), No::Kept);
    }
}
