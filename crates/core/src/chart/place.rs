//! Where partners stand in each position: the usual place at the start, and the region that a named
//! position allows.
//!
//! Distances are metres for two people 1.70 m tall; they grow with the mean of the two heights.
//! The regions are our own working values: wide enough for two styles of the same position, narrow
//! enough that two positions next to each other in the list do not both hold.

use super::draft::Start;
use super::vocabulary::Position;
use crate::units::wrap_degrees;

/// Height for which distances in charts are written, metres.
pub const WRITTEN_FOR: f64 = 1.70;

/// Nearest that two bodies' middles come without one standing in the other, metres.
pub const NEAREST: f64 = 0.13;

/// How far the follower stands to the leader's left of straight ahead at the start, metres.
pub fn aside(start: &Start) -> f64 {
    start.aside.unwrap_or(match start.position {
        // A little to each other's left, so that right feet point between the partner's feet.
        Position::Closed | Position::CloseEmbrace => -0.10,
        Position::OutsidePartner => -0.28,
        Position::Promenade => 0.0,
        Position::CounterPromenade => 0.0,
        Position::SideBySide => -0.55,
        Position::Wrapped => -0.30,
        Position::Shadow => -0.15,
        Position::OpenFacing | Position::ArmLock | Position::Apart => 0.0,
    })
}

/// Facing of leader and follower before the first count, degrees, in a frame where the leader stands
/// at the origin and the follower along X in facing positions.
pub fn facings(position: Position) -> [f64; 2] {
    match position {
        Position::Promenade => [45.0, 135.0],
        Position::CounterPromenade => [-45.0, -135.0],
        Position::SideBySide | Position::Shadow | Position::Wrapped | Position::ArmLock => {
            [0.0, 0.0]
        }
        Position::OpenFacing
        | Position::Closed
        | Position::CloseEmbrace
        | Position::OutsidePartner
        | Position::Apart => [0.0, 180.0],
    }
}

/// How the partners stand to each other.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Relation {
    /// Distance of the bodies' middles, metres.
    pub distance: f64,
    /// Direction of the follower from the leader's facing, degrees, positive left.
    pub follower_at: f64,
    /// Direction of the leader from the follower's facing, degrees, positive left.
    pub leader_at: f64,
    /// Follower's facing from the leader's, degrees in (−180, 180].
    pub turned: f64,
}

impl Relation {
    /// Of two bodies (middle in metres, facing in degrees).
    pub fn of(leader: ([f64; 2], f64), follower: ([f64; 2], f64)) -> Self {
        let to = [0, 1].map(|i| follower.0[i] - leader.0[i]);
        let bearing = to[1].atan2(to[0]).to_degrees();
        Self {
            distance: to[0].hypot(to[1]),
            follower_at: wrap_degrees(bearing - leader.1),
            leader_at: wrap_degrees(bearing + 180.0 - follower.1),
            turned: wrap_degrees(follower.1 - leader.1),
        }
    }
}

/// What is wrong with a named position.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Misfit {
    /// So many degrees of turn are missing between the partners, positive: the follower to the left.
    Facing(f64),
    /// So many metres too far apart.
    TooFar(f64),
    /// So many metres too near.
    TooNear(f64),
    /// The partner is on the wrong side: so many degrees out of place.
    Beside(f64),
}

/// Allowed region of a position.
struct Region {
    /// Middle and half width of the follower's facing from the leader's, degrees.
    turned: (f64, f64),
    distance: [f64; 2],
    /// Middle (to either side) and half width of the follower's direction from the leader's facing.
    at: (f64, f64),
}

fn region(position: Position) -> Option<Region> {
    let r = |turned, distance, at| {
        Some(Region {
            turned,
            distance,
            at,
        })
    };
    match position {
        Position::OpenFacing => r((180.0, 50.0), [0.42, 1.75], (0.0, 60.0)),
        Position::Closed => r((180.0, 40.0), [NEAREST, 0.60], (0.0, 75.0)),
        Position::CloseEmbrace => r((180.0, 40.0), [NEAREST, 0.50], (0.0, 75.0)),
        Position::OutsidePartner => r((180.0, 50.0), [NEAREST, 0.75], (35.0, 50.0)),
        Position::Promenade => r((90.0, 60.0), [NEAREST, 0.75], (-45.0, 70.0)),
        Position::CounterPromenade => r((-90.0, 60.0), [NEAREST, 0.75], (45.0, 70.0)),
        Position::SideBySide => r((0.0, 50.0), [0.25, 1.40], (90.0, 50.0)),
        Position::Shadow => r((0.0, 50.0), [NEAREST, 1.00], (0.0, 80.0)),
        Position::Wrapped => r((0.0, 60.0), [NEAREST, 0.75], (60.0, 75.0)),
        Position::ArmLock => r((0.0, 180.0), [NEAREST, 1.25], (0.0, 180.0)),
        Position::Apart => None,
    }
}

/// What keeps a relation from being the position, or `None` when it is. `scale`: mean height of the
/// two over [`WRITTEN_FOR`].
pub fn misfit(position: Position, r: &Relation, scale: f64) -> Option<Misfit> {
    let region = region(position)?;
    let off = wrap_degrees(r.turned - region.turned.0);
    if off.abs() > region.turned.1 {
        return Some(Misfit::Facing(-off));
    }
    let [low, high] = region.distance.map(|d| d * scale);
    if r.distance > high {
        return Some(Misfit::TooFar(r.distance - high));
    }
    if r.distance < low {
        return Some(Misfit::TooNear(low - r.distance));
    }
    let (middle, half) = region.at;
    // A V opens to one side; beside and in front count on either.
    let signed = matches!(position, Position::Promenade | Position::CounterPromenade);
    let at = if signed {
        wrap_degrees(r.follower_at - middle)
    } else {
        r.follower_at.abs() - middle
    };
    (at.abs() > half).then(|| Misfit::Beside(at.abs() - half))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_usual_start_is_inside_its_own_position() {
        for (position, gap) in [
            (Position::OpenFacing, 0.98),
            (Position::Closed, 0.34),
            (Position::CloseEmbrace, 0.26),
            (Position::Promenade, 0.34),
            (Position::CounterPromenade, 0.34),
            (Position::SideBySide, 0.0),
            (Position::Shadow, 0.45),
            (Position::Wrapped, 0.15),
            (Position::OutsidePartner, 0.32),
        ] {
            let start = Start {
                position,
                gap,
                aside: None,
            };
            let [l, f] = facings(position);
            let r = Relation::of(([0.0, 0.0], l), ([gap, aside(&start)], f));
            assert_eq!(misfit(position, &r, 1.0), None, "{position:?} {r:?}");
        }
    }

    #[test]
    fn a_wrong_place_says_what_is_missing() {
        let facing = |d: f64| Relation::of(([0.0, 0.0], 0.0), ([d, 0.0], 180.0));
        assert_eq!(misfit(Position::Closed, &facing(0.3), 1.0), None);
        assert!(
            matches!(misfit(Position::Closed, &facing(0.9), 1.0), Some(Misfit::TooFar(m)) if (m - 0.3).abs() < 1e-9)
        );
        assert!(matches!(
            misfit(Position::OpenFacing, &facing(0.2), 1.0),
            Some(Misfit::TooNear(_))
        ));
        // The follower still has three eighths to turn to the left to face.
        let r = Relation::of(([0.0, 0.0], 0.0), ([0.9, 0.0], 45.0));
        assert_eq!(
            misfit(Position::OpenFacing, &r, 1.0),
            Some(Misfit::Facing(135.0))
        );
        assert_eq!(misfit(Position::Apart, &r, 1.0), None);
    }

    #[test]
    fn mirroring_keeps_the_verdict() {
        for position in Position::ALL {
            for k in 0..200 {
                let a = f64::from(k);
                let r = Relation {
                    distance: (a * 0.37) % 1.8,
                    follower_at: wrap_degrees(a * 47.3),
                    leader_at: wrap_degrees(a * 31.7),
                    turned: wrap_degrees(a * 67.9),
                };
                let m = Relation {
                    follower_at: wrap_degrees(-r.follower_at),
                    leader_at: wrap_degrees(-r.leader_at),
                    turned: wrap_degrees(-r.turned),
                    ..r
                };
                assert_eq!(
                    misfit(*position, &r, 1.0).is_some(),
                    misfit(position.mirrored(), &m, 1.0).is_some(),
                    "{position:?} {r:?}"
                );
            }
        }
    }
}
