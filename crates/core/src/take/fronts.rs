//! Dancers whose trunk a finder takes for its mirror image: from behind it looks much as from the front, with left
//! and right exchanged and what is near taken for far. Told by where the figure has a dancer face, by what stays in
//! its place from picture to picture, and by what a hand has marked.

use super::charted::Charted;
use super::sides::{self, Film, MOST};
use crate::body::Landmark;
use crate::body::track::Sighting;
use crate::camera::Camera;
use crate::units::Role;
use Landmark as L;

/// Height and width of the lines across the trunk that tell front from back, shares of standing height.
const ACROSS: [(f64, f64); 2] = [(0.80, 0.215), (0.51, 0.100)];

/// How far such a line is off what the figure has, a share of its width (1σ): people turn in their hold.
const OFF: f64 = 0.5;

/// How much each line counts: from picture to picture they are alike.
const WEIGHT: f64 = 0.12;

/// Cost of a picture seen the wrong way round: finders are right more often.
const MIRRORED: f64 = 0.2;

/// How far the partners are off the figure's way from one to the other, metres (1σ), and how much a picture of both
/// counts.
const APART: f64 = 0.3;
const APART_WEIGHT: f64 = 0.06;

/// How far landmarks go between two pictures besides turning, a share of the body's height in the picture.
const MOVES: f64 = 0.03;

/// Cost of a change between a body seen rightly and its mirror image.
const CHANGE: f64 = 2.0;

/// Half of the body's width with the arms at work, a share of its height in the picture: so far landmarks go when
/// it turns by a radian.
const HALF: f64 = 0.12;

/// Standard error of the moment of a turn, seconds: while the figure turns quickly the front is not known.
const WHEN: f64 = 0.15;

/// Trunk and arms, left and right: legs are told apart by the floor, and finders name them rightly under a trunk that
/// they see the wrong way round.
fn upper() -> Vec<[L; 2]> {
    L::ARMS.iter().chain(&L::LEGS[..1]).copied().collect()
}

/// What speaks against the couple standing turned so on the reference, degrees: where the follower is from the
/// leader, in all pictures that show both.
fn misplaced(film: &Film, charted: &Charted, turned: f64) -> f64 {
    let mut sum = 0.0;
    for pair in film.track.windows(2).filter(|p| p[0].at == p[1].at) {
        let of = |role: Role| pair.iter().find(|s| s.role == role);
        let (Some(l), Some(f)) = (of(Role::Leader), of(Role::Follower)) else {
            continue;
        };
        let on = |s| sides::stands(s, film.camera);
        if let (Some(a), Some(b)) = (on(l), on(f)) {
            let has = sides::turned(charted.apart(l.at.secs() + film.offset), turned);
            let off = (b[0] - a[0] - has[0]).hypot(b[1] - a[1] - has[1]) / APART;
            sum += APART_WEIGHT * off.powi(2).min(MOST);
        }
    }
    sum
}

/// What speaks against a sighting as it is, and against its mirror image, from where the figure has the
/// dancer face.
fn against(s: &Sighting, camera: &Camera, height: f64, facing: f64) -> [f64; 2] {
    let mut out = [0.0; 2];
    let Some(on) = sides::stands(s, camera) else {
        return out;
    };
    let (sin, cos) = facing.to_radians().sin_cos();
    for ([left, right], (up, wide)) in L::TRUNK.into_iter().zip(ACROSS) {
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

/// The cheapest path of a dancer through a film, for a couple turned so on the reference: its cost, and which
/// sightings are mirrored.
fn path(film: &Film, charted: &Charted, role: Role, turned: f64) -> (f64, Vec<bool>) {
    let own: Vec<&Sighting> = film.track.iter().filter(|s| s.role == role).collect();
    let pairs = upper();
    let at = |i: usize| own[i].at.secs() + film.offset;
    let turning = |i: usize| charted.turning(role, at(i)).to_radians();
    let here = |i: usize| {
        let facing = turned + charted.facing(role, at(i));
        let known = (-0.5 * (WHEN * turning(i)).powi(2)).exp();
        let figure = against(own[i], film.camera, charted.heights[role as usize], facing);
        let hand = sides::by_hand(own[i], film.marked, &L::TRUNK);
        [0, 1].map(|k| known * figure[k] + hand[k] + MIRRORED * k as f64)
    };
    let step = |i: usize| {
        let turns = (turning(i) * own[i].at.since(own[i - 1].at)).min(2.0);
        let moves = MOVES.hypot(HALF * turns);
        sides::moved([own[i - 1], own[i]], &pairs, moves, CHANGE)
    };
    sides::cheapest(own.len(), here, step)
}

/// Turns mirrored sightings of all films round. Gives by how much the couple stands turned on the reference against
/// the figure's drawing, 0 or 180°, whichever explains all films at the least cost, and the number of sightings.
pub(super) fn mend(films: &mut [Film], charted: &Charted) -> (f64, usize) {
    let all = |turned: f64| {
        let mut sum = 0.0;
        let mut paths = Vec::new();
        for film in films.iter() {
            sum += misplaced(film, charted, turned);
            let both = Role::BOTH.map(|role| path(film, charted, role, turned));
            sum += both[0].0 + both[1].0;
            paths.push(both.map(|b| b.1));
        }
        (sum, paths)
    };
    let (straight, round) = (all(0.0), all(180.0));
    let (turned, paths) = if round.0 < straight.0 {
        (180.0, round.1)
    } else {
        (0.0, straight.1)
    };
    let mut mended = 0;
    for (film, both) in films.iter_mut().zip(&paths) {
        for role in Role::BOTH {
            let own = film.track.iter_mut().filter(|s| s.role == role);
            for (s, _) in own.zip(&both[role as usize]).filter(|p| *p.1) {
                mirror(s);
                mended += 1;
            }
        }
    }
    (turned, mended)
}

/// The mirror image: sides exchanged, and near for far.
fn mirror(s: &mut Sighting) {
    let pairs = upper();
    sides::exchange(s, &pairs);
    for (l, p) in &mut s.points {
        if let Some(about) = &mut p.about_hips
            && l.exchanged(&pairs).is_some()
        {
            about[2] = -about[2];
        }
    }
}

#[cfg(test)]
mod tests {
    use nalgebra::{Point3, Vector3};

    use super::*;
    use crate::body::Pose;
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
        let step = |role: Role, t: f64| (t, [[[-0.5, 0.5][role as usize], 0.0]; 2], turns(role, t));
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

    /// One film without marks.
    fn alone(track: &mut [Sighting], figure: &Charted) -> (f64, usize) {
        let film = Film {
            track,
            camera: &phone(),
            offset: 0.0,
            marked: &[],
        };
        mend(&mut [film], figure)
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
            let mended = alone(&mut track, &charted());
            assert_eq!(mended, (0.0, wrong.len()), "{mirrored:?}");
            assert_eq!(track, truth);
        }
    }

    #[test]
    fn a_mark_by_hand_turns_a_whole_row_round() {
        // Mirrored throughout, and the figure not far from edge on: what finders usually get right decides, wrongly.
        let truth = couple(|role, _| [-20.0, 160.0][role as usize]);
        let mut figure = charted();
        for (role, steps) in figure.steps.iter_mut().enumerate() {
            steps.truncate(1);
            steps[0].2 = [0.0, 180.0][role];
        }
        let mut track = truth.clone();
        let own = |s: &&mut Sighting| s.role == Role::Leader;
        track.iter_mut().filter(own).for_each(mirror);
        let wrong = track.clone();
        assert_eq!(alone(&mut track, &figure).1, 0);
        assert_eq!(track, wrong);
        // The coach marks the leader once.
        let middle = truth.iter().filter(|s| s.role == Role::Leader).nth(20);
        let by_hand = middle.map(|s| Pose {
            role: s.role,
            at: s.at,
            points: s.points.iter().map(|(l, p)| (*l, p.pixel)).collect(),
        });
        let film = Film {
            track: &mut track,
            camera: &phone(),
            offset: 0.0,
            marked: by_hand.as_slice(),
        };
        assert_eq!(mend(&mut [film], &figure), (0.0, 50));
        assert_eq!(track, truth);
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
            .map(|t| (t, [[-0.5, 0.0]; 2], spins(0.0)(Role::Leader, t)))
            .to_vec();
        let mut track = couple(spins(0.1));
        let was = track.clone();
        assert_eq!(alone(&mut track, &figure).1, 0);
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
        assert_eq!(alone(&mut other, &charted()), (180.0, 0));
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
        assert_eq!(alone(&mut track, &charted()).1, 0);
        assert_eq!(track, was);
    }
}
