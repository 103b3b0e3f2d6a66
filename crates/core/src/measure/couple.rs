//! What is between the partners at each count, from both bodies in space.

use nalgebra::Vector3;

use super::body::{both, counts, couple, extreme, of_couple, reading};
use super::read;
use super::{Need, Spec};
use crate::body::Landmark;
use crate::body::solve::{Posture, value};
use crate::chart::vocabulary::Watchpoint;
use crate::chart::{Hold, Position};
use crate::units::{Foot, Role, Unit, wrap_degrees};
use Landmark as L;

const NEEDS: &[Need] = &[Need::Count, Need::Floor, Need::Space];

/// Counts at which the chart has the partners face each other in an open hold, not coming together.
fn faces(scene: &super::Scene, count: usize) -> bool {
    scene.chart.as_ref().is_some_and(|(c, _)| {
        c.layout().positions.get(count) == Some(&Position::OpenFacing) && !c.together(count)
    })
}

pub(super) const FACING_ERROR: Spec = Spec {
    id: "facing_error",
    name: "Turned away from the partner",
    unit: Unit::Degrees,
    sign: "left is positive; where the chart says facing",
    needs: NEEDS,
    source: "direction of shoulders and hips minus the direction to the partner's hips",
    compute: |scene, out| {
        for at in counts(scene) {
            if !faces(scene, at.count) {
                continue;
            }
            let e = at
                .both()
                .and_then(|(a, b)| value(&[&a, &b], |p| read::facing_error(p[0], p[1])));
            if let Some(e) = e {
                out.push(at.measure("facing_error", reading(e, 6.0)));
            }
        }
    },
};

pub(super) const HIPS_APART: Spec = Spec {
    id: "hips_apart",
    name: "Hips to the partner’s hips",
    unit: Unit::Metres,
    sign: "the distance on the floor",
    needs: NEEDS,
    source: "distance between the middles of the hips along the floor",
    compute: |scene, out| {
        couple(scene, out, "hips_apart", 0.06, |a, b| {
            Some(read::toward(a, b)?.1)
        });
    },
};

pub(super) const LEAN_TOWARD: Spec = Spec {
    id: "lean_toward",
    name: "Lean toward the partner",
    unit: Unit::Degrees,
    sign: "toward is positive",
    needs: NEEDS,
    source: "trunk against the vertical along the line between the partners' hips",
    compute: |scene, out| {
        both(scene, out, "lean_toward", 3.0, |a, b| {
            Some(read::lean(a, read::toward(a, b)?.0))
        });
    },
};

pub(super) const LEAN_AWAY: Spec = Spec {
    id: "lean_away",
    name: "Lean away from the partner, in space",
    unit: Unit::Degrees,
    sign: "away is positive",
    needs: NEEDS,
    source: "trunk against the vertical along the line between the partners' hips",
    compute: |scene, out| {
        both(scene, out, "lean_away", 3.0, |a, b| {
            Some(-read::lean(a, read::toward(a, b)?.0))
        });
    },
};

pub(super) const LEAN_BALANCE: Spec = Spec {
    id: "lean_balance",
    name: "Difference of the partners' leans",
    unit: Unit::Degrees,
    sign: "positive when the follower leans further away than the leader",
    needs: NEEDS,
    source: "follower's lean away minus the leader's, along the line between them",
    compute: |scene, out| {
        couple(scene, out, "lean_balance", 4.0, |l, f| {
            let (to, _) = read::toward(l, f)?;
            Some(read::lean(f, to) - read::lean(l, -to))
        });
    },
};

/// Counts at which the couple is in a closed hold, chest to chest.
fn closed(scene: &super::Scene, count: usize) -> bool {
    scene
        .chart
        .as_ref()
        .is_some_and(|(c, _)| c.layout().positions.get(count) == Some(&Position::Closed))
}

pub(super) const OFFSET: Spec = Spec {
    id: "closed_offset",
    name: "Right side to right side",
    unit: Unit::Metres,
    sign: "positive when each stands to the other's right; closed hold",
    needs: NEEDS,
    source: "how far the partner's chest lies to the right of straight ahead of the leader's",
    compute: |scene, out| {
        for at in counts(scene).filter(|a| a.role == Role::Leader && closed(scene, a.count)) {
            let e = at.both().and_then(|(a, b)| {
                value(&[&a, &b], |p| {
                    let to = read::shoulders(p[1]) - read::shoulders(p[0]);
                    let left = Vector3::z().cross(&read::ahead(p[0])?);
                    Some(-to.dot(&left))
                })
            });
            if let Some(e) = e {
                out.push(at.couple("closed_offset", reading(e, 0.05)));
            }
        }
    },
};

pub(super) const PARALLEL: Spec = Spec {
    id: "chests_parallel",
    name: "Chests against each other",
    unit: Unit::Degrees,
    sign: "0 when they face each other squarely, positive when the leader's is turned further left; closed hold",
    needs: NEEDS,
    source: "direction of the leader's shoulders minus the opposite of the follower's",
    compute: |scene, out| {
        for at in counts(scene).filter(|a| a.role == Role::Leader && closed(scene, a.count)) {
            let e = at.both().and_then(|(a, b)| {
                value(&[&a, &b], |p| {
                    let [l, f] = [read::ahead(p[0])?, read::ahead(p[1])?];
                    Some(wrap_degrees(read::heading(l) - read::heading(-f)))
                })
            });
            if let Some(e) = e {
                out.push(at.couple("chests_parallel", reading(e, 6.0)));
            }
        }
    },
};

pub(super) const CROWDED: Spec = Spec {
    id: "crowded",
    name: "Hand and elbow from the partner's chest",
    unit: Unit::Metres,
    sign: "negative inside the line of the partner's chest; open hold",
    needs: NEEDS,
    source: "nearest of the joined arm's elbow and wrist, along the line between the partners, from the partner's shoulders",
    compute: |scene, out| {
        for at in counts(scene) {
            let arms = at.joined();
            let Some((a, b)) = at.both().filter(|_| faces(scene, at.count)) else {
                continue;
            };
            let of = |side: Foot| {
                value(&[&a, &b], |p| {
                    let (to, _) = read::toward(p[0], p[1])?;
                    let [_, e, w] = L::arm(side);
                    let chest = read::shoulders(p[1]);
                    let gap = |l| (chest - p[0].joint(l)).dot(&to);
                    Some(f64::min(gap(e), gap(w)))
                })
            };
            if let Some(e) = extreme(arms.into_iter().map(of), false) {
                out.push(at.measure("crowded", reading(e, 0.08)));
            }
        }
    },
};

pub(super) const FACE: Spec = Spec {
    id: "face_clearance",
    name: "Hand or elbow from the partner's face",
    unit: Unit::Metres,
    sign: "the distance",
    needs: NEEDS,
    source: "nearest of the own elbows, wrists and knuckles to the partner's nose",
    compute: |scene, out| {
        both(scene, out, "face_clearance", 0.08, |a, b| {
            let face = b.joint(L::Nose);
            let parts = [
                L::LeftElbow,
                L::RightElbow,
                L::LeftWrist,
                L::RightWrist,
                L::LeftKnuckle,
                L::RightKnuckle,
            ];
            let gaps = parts.map(|l| (a.joint(l) - face).norm());
            Some(gaps.into_iter().fold(f64::INFINITY, f64::min))
        });
    },
};

/// Where the couple's joined hands are: the middle of the wrists and knuckles that the chart joins.
pub(super) fn hands(p: &[Posture], hold: Hold) -> Option<Vector3<f64>> {
    let Hold::Hands(l, f) = hold else { return None };
    let of = |p: Posture, left: bool| {
        if left {
            p.middle(L::LeftWrist, L::LeftKnuckle)
        } else {
            p.middle(L::RightWrist, L::RightKnuckle)
        }
    };
    Some((of(p[0], l.side() > 0.0) + of(p[1], f.side() > 0.0)) * 0.5)
}

pub(super) const HAND_HEIGHT: Spec = Spec {
    id: "hand_height",
    name: "Joined hands over the follower's body",
    unit: Unit::Ratio,
    sign: "0 at the follower's waist, 1 at the shoulders",
    needs: NEEDS,
    source: "height of the joined hands between the follower's hips raised by a tenth of standing height and the shoulders",
    compute: |scene, out| {
        for at in counts(scene).filter(|a| a.role == Role::Leader) {
            let Some(hold) = at.holds().iter().find(|h| matches!(h, Hold::Hands(..))) else {
                continue;
            };
            let waist_up = 0.10 * scene.couple.height(Role::Follower);
            let e = at.both().and_then(|(a, b)| {
                value(&[&a, &b], |p| {
                    let waist = read::hips(p[1]).z + waist_up;
                    let top = read::shoulders(p[1]).z;
                    Some((hands(p, *hold)?.z - waist) / (top - waist).max(0.1))
                })
            });
            if let Some(e) = e {
                out.push(at.couple("hand_height", reading(e, 0.25)));
            }
        }
    },
};

pub(super) const HAND_LOW_FIRST: Spec = Spec {
    id: "hand_low_first",
    name: "Lowest place of the hand on its way behind the back",
    unit: Unit::Ratio,
    sign: "0 at the follower's waist, below is negative, 1 at the shoulders",
    needs: NEEDS,
    source: "least height of the joined hands over the count that comes into the arm-lock and the two before it",
    compute: |scene, out| {
        let Some((chart, _)) = &scene.chart else {
            return;
        };
        let locked = |p: &Position| *p == Position::ArmLock;
        let positions = &chart.layout().positions;
        let Some(lock) = positions.iter().position(locked) else {
            return;
        };
        if locked(&chart.start.position) {
            return;
        }
        let mut heights = Vec::new();
        (HAND_HEIGHT.compute)(scene, &mut heights);
        for at in counts(scene).filter(|a| a.role == Role::Leader && a.count == lock) {
            let lowest = heights
                .iter()
                .filter(|m| m.repetition == at.repetition)
                .filter(|m| m.count.is_some_and(|c| c <= lock && c + 2 >= lock))
                .filter_map(|m| m.reading.estimate())
                .min_by(|a, b| a.value.total_cmp(&b.value));
            if let Some(e) = lowest {
                out.push(at.measure("hand_low_first", reading(e, 0.25)));
            }
        }
    },
};

pub(super) const BETWEEN_FEET: Spec = Spec {
    id: "between_feet",
    name: "Foot from the middle between the partner's feet",
    unit: Unit::Metres,
    sign: "to the partner's left is positive, where the chart lands between the feet",
    needs: NEEDS,
    source: "middle of the arriving foot from the middle of the partner's feet, across the partner's front",
    compute: |scene, out| {
        for at in counts(scene) {
            let between = |r: &&crate::chart::ChartRow| r.judge.contains(&Watchpoint::Between);
            let Some(row) = at.row().filter(between) else {
                continue;
            };
            let e = at.both().and_then(|(a, b)| {
                value(&[&a, &b], |p| {
                    let left = Vector3::z().cross(&read::ahead(p[1])?);
                    let gate = 0.5 * (read::foot(p[1], Foot::Left) + read::foot(p[1], Foot::Right));
                    Some((read::foot(p[0], row.foot) - gate).dot(&left))
                })
            });
            if let Some(e) = e {
                out.push(at.measure("between_feet", reading(e, 0.05)));
            }
        }
    },
};

pub(super) const FEET_CLEAR: Spec = Spec {
    id: "feet_clearance",
    name: "Feet from the partner's feet",
    unit: Unit::Metres,
    sign: "the least distance between the feet's outlines, negative when one stands on the other",
    needs: NEEDS,
    source: "lines from heel to toe of both feet of the one against both of the other, where one arrives, less a shoe's width of 9 cm",
    compute: |scene, out| {
        for at in of_couple(scene).filter(|at| at.anyone_arrives()) {
            let e = at.both().and_then(|(a, b)| {
                value(&[&a, &b], |p| {
                    let (_, apart) = nearest_feet(&|l| p[0].joint(l), &|l| p[1].joint(l))?;
                    Some(apart - SHOE)
                })
            });
            if let Some(e) = e {
                out.push(at.couple("feet_clearance", reading(e, 0.04)));
            }
        }
    },
};

/// Width of a shoe, metres.
pub(super) const SHOE: f64 = 0.09;

/// The feet of the one and of the other that are nearest, and how far their lines from heel to toe are apart.
pub(super) fn nearest_feet(
    a: &dyn Fn(L) -> Vector3<f64>,
    b: &dyn Fn(L) -> Vector3<f64>,
) -> Option<([Foot; 2], f64)> {
    let line = |p: &dyn Fn(L) -> Vector3<f64>, foot| {
        L::heel_toe(foot).map(|l| Vector3::new(p(l).x, p(l).y, 0.0))
    };
    let apart = |mine, theirs| {
        let ([h, t], [ph, pt]) = (line(a, mine), line(b, theirs));
        [
            read::from_segment(h, ph, pt),
            read::from_segment(t, ph, pt),
            read::from_segment(ph, h, t),
            read::from_segment(pt, h, t),
        ]
        .into_iter()
        .fold(f64::INFINITY, f64::min)
    };
    let feet = [Foot::Left, Foot::Right];
    feet.into_iter()
        .flat_map(|mine| feet.map(|theirs| ([mine, theirs], apart(mine, theirs))))
        .min_by(|x, y| x.1.total_cmp(&y.1))
}
