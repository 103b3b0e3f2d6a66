//! Dancers whose trunk a finder takes for its mirror image: from behind it looks much as from the front, with left
//! and right exchanged and what is near taken for far. Told by where the figure has a dancer face, and by
//! what stays in its place from picture to picture.

use crate::body::Landmark;
use crate::body::track::Sighting;
use crate::camera::Camera;
use crate::take::charted::Charted;
use crate::units::Role;
use Landmark as L;

/// Height of a shoe's middle over the floor, metres.
const SOLE: f64 = 0.02;

/// Lines across the body that tell front from back: left and right end, height and width as shares of standing
/// height.
const ACROSS: [(L, L, f64, f64); 2] = [
    (L::LeftShoulder, L::RightShoulder, 0.80, 0.215),
    (L::LeftHip, L::RightHip, 0.51, 0.100),
];

/// How far such a line is off what the figure has, a share of its width (1σ): people turn in their hold.
const OFF: f64 = 0.5;

/// How much each line counts: from picture to picture they are alike.
const WEIGHT: f64 = 0.06;

/// How far a landmark goes between two pictures and how much each counts.
const MOVES: f64 = 0.03;
const MOVE_WEIGHT: f64 = 0.2;

/// Half of the body's width with the arms at work, a share of its height in the picture: so far landmarks go when
/// it turns by a radian.
const HALF: f64 = 0.12;

/// Standard error of the moment of a turn, seconds: while the figure turns quickly the front is not known.
const WHEN: f64 = 0.15;

/// Cost of a change between a body seen rightly and its mirror image.
const CHANGE: f64 = 2.0;

/// Pictures further apart say nothing of each other, seconds.
const APART: f64 = 0.3;

/// Most squares of one number.
const MOST: f64 = 9.0;

/// Whether the couple stands the other way along the reference than the figure is drawn: by where the
/// follower is from the leader, in all pictures that show both.
fn backwards(charted: &Charted, track: &[Sighting], camera: &Camera, offset: f64) -> bool {
    let mut sum = 0.0;
    for pair in track.windows(2).filter(|p| p[0].at == p[1].at) {
        let of = |role: Role| pair.iter().find(|s| s.role == role);
        let (Some(l), Some(f)) = (of(Role::Leader), of(Role::Follower)) else {
            continue;
        };
        if let (Some(a), Some(b)) = (stands(l, camera), stands(f, camera)) {
            let apart = charted.apart(l.at.secs() + offset);
            sum += (b[0] - a[0]) * apart[0] + (b[1] - a[1]) * apart[1];
        }
    }
    sum < 0.0
}

/// Where a dancer stands, metres.
fn stands(s: &Sighting, camera: &Camera) -> Option<[f64; 2]> {
    let feet = [L::LeftHeel, L::LeftToe, L::RightHeel, L::RightToe];
    let mut middle = [0.0; 2];
    for l in feet {
        let p = s.points.get(&l)?.pixel;
        middle = [0, 1].map(|k| middle[k] + 0.25 * p[k]);
    }
    let on = camera.at_height(middle.into(), SOLE)?;
    Some([on.x, on.y])
}

/// What speaks against a sighting as it is, and against its mirror image, from where the figure has the
/// dancer face.
fn against(s: &Sighting, camera: &Camera, height: f64, facing: f64) -> [f64; 2] {
    let mut out = [0.0; 2];
    let Some(on) = stands(s, camera) else {
        return out;
    };
    let (sin, cos) = facing.to_radians().sin_cos();
    for (left, right, up, wide) in ACROSS {
        let (Some(l), Some(r)) = (s.points.get(&left), s.points.get(&right)) else {
            continue;
        };
        let half = 0.5 * wide * height;
        let end = |side: f64| {
            let place = [on[0] - side * half * sin, on[1] + side * half * cos];
            camera.project([place[0], place[1], up * height].into())
        };
        let (Some(a), Some(b)) = (end(1.0), end(-1.0)) else {
            continue;
        };
        let depth = camera.depth([on[0], on[1], up * height].into()).max(0.3);
        let spread = (OFF * 2.0 * half * camera.focal / depth).hypot(l.sigma.hypot(r.sigma));
        let seen = l.pixel[0] - r.pixel[0];
        let charted = a.x - b.x;
        for (cost, seen) in out.iter_mut().zip([seen, -seen]) {
            *cost += WEIGHT * ((seen - charted) / spread).powi(2).min(MOST);
        }
    }
    out
}

/// The same landmark of the other side, for trunk and arms: legs are told apart by the floor, and finders name
/// them rightly under a trunk that they see the wrong way round.
fn other(l: L) -> Option<L> {
    let mut pairs = L::ARMS.iter().chain(&L::LEGS[..1]);
    let [a, b] = pairs.find(|p| p.contains(&l))?;
    Some(if l == *a { *b } else { *a })
}

/// What speaks against two sightings in a row, both as they are (or both mirrored), and against just one of
/// them being mirrored; the figure turns so fast about then, radians a second.
fn moved(before: &Sighting, now: &Sighting, turning: f64) -> [f64; 2] {
    let mut out = [0.0, CHANGE];
    let seconds = now.at.since(before.at);
    if seconds > APART {
        return [0.0; 2];
    }
    let ys = || now.points.values().map(|p| p.pixel[1]);
    let tall = ys().fold(f64::MIN, f64::max) - ys().fold(f64::MAX, f64::min);
    let spread = tall * MOVES.hypot(HALF * (turning * seconds).min(2.0));
    for (l, p) in &now.points {
        let Some(mirrored) = other(*l) else { continue };
        for (cost, was) in out.iter_mut().zip([*l, mirrored]) {
            if let Some(q) = before.points.get(&was) {
                let off = (p.pixel[0] - q.pixel[0]).hypot(p.pixel[1] - q.pixel[1]);
                *cost += MOVE_WEIGHT * (off / spread.max(1.0)).powi(2).min(MOST);
            }
        }
    }
    out
}

/// Turns mirrored sightings round, by the cheapest path through them (Viterbi, A. J. (1967), IEEE Trans. Inf.
/// Theory 13). The film begins `offset` seconds into the take. Gives their number.
pub(super) fn mend(
    track: &mut [Sighting],
    camera: &Camera,
    (charted, offset): (&Charted, f64),
) -> usize {
    let half = if backwards(charted, track, camera, offset) {
        180.0
    } else {
        0.0
    };
    let mut mended = 0;
    for role in Role::BOTH {
        let own: Vec<usize> = (0..track.len())
            .filter(|i| track[*i].role == role)
            .collect();
        let mut costs = [0.0; 2];
        let mut from: Vec<[usize; 2]> = Vec::with_capacity(own.len());
        for (n, i) in own.iter().enumerate() {
            let s = &track[*i];
            let at = s.at.secs() + offset;
            let facing = half + charted.facing(role, at);
            let turning = charted.turning(role, at).to_radians();
            let known = (-0.5 * (WHEN * turning).powi(2)).exp();
            let here =
                against(s, camera, charted.heights[role as usize], facing).map(|cost| known * cost);
            let step = match n.checked_sub(1) {
                Some(b) => moved(&track[own[b]], s, turning),
                None => [0.0; 2],
            };
            let way = |now: usize| [0, 1].map(|was| costs[was] + step[usize::from(was != now)]);
            let ways = [way(0), way(1)];
            from.push(ways.map(|w| usize::from(w[1] < w[0])));
            costs = [0, 1].map(|now| ways[now][0].min(ways[now][1]) + here[now]);
        }
        let mut state = usize::from(costs[1] < costs[0]);
        for (i, back) in own.iter().zip(&from).rev() {
            if state == 1 {
                mirror(&mut track[*i]);
                mended += 1;
            }
            state = back[state];
        }
    }
    mended
}

/// The mirror image: sides exchanged, and near for far.
fn mirror(s: &mut Sighting) {
    s.points = std::mem::take(&mut s.points)
        .into_iter()
        .map(|(l, mut p)| {
            let Some(mirrored) = other(l) else {
                return (l, p);
            };
            if let Some(about) = &mut p.about_hips {
                about[2] = -about[2];
            }
            (mirrored, p)
        })
        .collect();
}

#[cfg(test)]
mod tests {
    use nalgebra::{Point3, Vector3};

    use super::*;
    use crate::body::solve::Source;
    use crate::body::track::Sight;
    use crate::units::MediaTime;

    fn phone() -> Camera {
        let (from, to) = (Point3::new(0.0, -5.0, 1.5), Point3::new(0.0, 0.0, 1.0));
        Camera::looking_at(from, to, 0.0, 65.0, [1280.0, 720.0])
    }

    /// A leader on the left and a follower on the right, who turn on the spot: facing in degrees at a moment.
    fn couple(facing: impl Fn(Role, f64) -> f64) -> Vec<Sighting> {
        let camera = phone();
        // Ahead, to the left, up.
        let places = [
            (L::Nose, [0.1, 0.0, 1.55]),
            (L::LeftShoulder, [0.0, 0.18, 1.4]),
            (L::RightShoulder, [0.0, -0.18, 1.4]),
            (L::LeftElbow, [0.02, 0.25, 1.15]),
            (L::RightElbow, [0.02, -0.25, 1.15]),
            (L::LeftWrist, [0.2, 0.22, 1.1]),
            (L::RightWrist, [0.2, -0.22, 1.1]),
            (L::LeftHip, [0.0, 0.09, 0.9]),
            (L::RightHip, [0.0, -0.09, 0.9]),
            (L::LeftHeel, [-0.1, 0.1, 0.02]),
            (L::RightHeel, [-0.1, -0.1, 0.02]),
            (L::LeftToe, [0.12, 0.1, 0.02]),
            (L::RightToe, [0.12, -0.1, 0.02]),
        ];
        let mut out = Vec::new();
        for i in 0..50 {
            let t = 0.08 * f64::from(i);
            for role in Role::BOTH {
                let (s, c) = facing(role, t).to_radians().sin_cos();
                let stand = Vector3::new([-0.5, 0.5][role as usize], 0.0, 0.0);
                let turned =
                    |p: [f64; 3]| Vector3::new(c * p[0] - s * p[1], s * p[0] + c * p[1], p[2]);
                let points = places
                    .iter()
                    .map(|(l, p)| {
                        let q = camera.project(Point3::from(stand + turned(*p))).unwrap();
                        let about = camera.rotation * (turned(*p) - Vector3::new(0.0, 0.0, 0.9));
                        let sight = Sight {
                            pixel: [q.x, q.y],
                            sigma: 4.0,
                            source: Source::Automatic,
                            about_hips: Some(about.into()),
                        };
                        (*l, sight)
                    })
                    .collect();
                out.push(Sighting {
                    at: MediaTime::from_secs(t),
                    role,
                    points,
                });
            }
        }
        out
    }

    /// The figure has the leader look away from the phone and turn round from second 1.6 to 2.4.
    fn turns(role: Role, t: f64) -> f64 {
        let turned = (t - 1.6).clamp(0.0, 0.8) / 0.8 * 180.0;
        match role {
            Role::Leader => 90.0 + turned,
            Role::Follower => -90.0,
        }
    }

    fn charted() -> Charted {
        let step = |role: Role, t: f64| (t, [[-0.5, 0.5][role as usize], 0.0], turns(role, t));
        Charted {
            steps: Role::BOTH.map(|role| {
                vec![
                    (f64::NEG_INFINITY, step(role, 0.0).1, turns(role, 0.0)),
                    step(role, 1.6),
                    step(role, 2.4),
                ]
            }),
            heights: [1.75, 1.65],
            risen: Default::default(),
        }
    }

    #[test]
    fn a_back_that_is_taken_for_a_front_is_turned_round() {
        let truth = couple(turns);
        for mirrored in [0.0..1.9, 2.0..3.0, 0.0..9.0] {
            let mut track = truth.clone();
            let wrong: Vec<usize> = (0..track.len())
                .filter(|i| track[*i].role == Role::Leader)
                .filter(|i| mirrored.contains(&track[*i].at.secs()))
                .collect();
            for i in &wrong {
                mirror(&mut track[*i]);
            }
            let mended = mend(&mut track, &phone(), (&charted(), 0.0));
            assert_eq!(mended, wrong.len(), "{mirrored:?}");
            assert_eq!(track, truth);
        }
    }

    #[test]
    fn a_quick_spin_is_not_taken_for_a_mirrored_body() {
        // Once round in half a second, a little later than the figure has it.
        let spins = |late: f64| {
            move |role: Role, t: f64| match role {
                Role::Leader => 90.0 + 360.0 * ((t - 1.6 - late) / 0.5).clamp(0.0, 1.0),
                Role::Follower => -90.0,
            }
        };
        let mut figure = charted();
        figure.steps[0] = [f64::NEG_INFINITY, 1.6, 2.1, 2.6]
            .map(|t| (t, [-0.5, 0.0], spins(0.0)(Role::Leader, t)))
            .to_vec();
        let mut track = couple(spins(0.1));
        let was = track.clone();
        assert_eq!(mend(&mut track, &phone(), (&figure, 0.0)), 0);
        assert_eq!(track, was);
    }

    #[test]
    fn a_couple_the_other_way_along_the_reference_is_left_as_it_is() {
        // Half a turn of the figure: the leader looks at the phone first.
        let mut other = couple(|role, t| turns(role, t) + 180.0);
        for s in &mut other {
            // The leader is on the right.
            let shift = if s.role == Role::Leader { 1.0 } else { -1.0 };
            let camera = phone();
            for p in s.points.values_mut() {
                let depth = camera.depth([0.0, 0.0, 1.0].into());
                p.pixel[0] += shift * camera.focal / depth;
            }
        }
        let was = other.clone();
        assert_eq!(mend(&mut other, &phone(), (&charted(), 0.0)), 0);
        assert_eq!(other, was);
    }

    #[test]
    fn a_dancer_who_turns_later_than_the_figure_keeps_the_front() {
        // Turns slowly while the figure has the turn, and does most of it half a second late.
        let lazy = |role: Role, t: f64| match role {
            Role::Leader if t > 1.6 && t < 2.6 => 90.0 + 40.0 * (t - 1.6),
            Role::Leader if t >= 2.6 => 130.0 + 280.0 * (t - 2.6).min(0.5),
            _ => turns(role, t),
        };
        let mut track = couple(lazy);
        let was = track.clone();
        assert_eq!(mend(&mut track, &phone(), (&charted(), 0.0)), 0);
        assert_eq!(track, was);
    }
}
