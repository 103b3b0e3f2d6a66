//! All people of a picture, seventeen points each: where the couple is, not yet exactly how they stand.

use serde::{Deserialize, Serialize};

use crate::net::{Net, NetError, Value};
use crate::picture::{Capsule, Picture, covered};

/// Side of the square picture that the network takes.
pub const SIDE: usize = 256;

/// Points of a person as the network numbers them.
#[allow(missing_docs)]
pub mod point {
    pub const NOSE: usize = 0;
    pub const SHOULDERS: [usize; 2] = [5, 6];
    pub const ELBOWS: [usize; 2] = [7, 8];
    pub const WRISTS: [usize; 2] = [9, 10];
    pub const HIPS: [usize; 2] = [11, 12];
    pub const KNEES: [usize; 2] = [13, 14];
    pub const ANKLES: [usize; 2] = [15, 16];
}

/// A person as found in one picture.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Person {
    /// Points by number (left is the person's left), pixels.
    pub points: [[f64; 2]; 17],
    /// How surely each is seen, 0..1.
    pub scores: [f64; 17],
    /// How surely it is a person, 0..1.
    pub score: f64,
    /// Mean colours of trunk and thighs, 0..255.
    pub colour: [f64; 6],
    /// Whether this one was found only once somebody before had been painted over.
    pub behind: bool,
}

fn middle(a: [f64; 2], b: [f64; 2]) -> [f64; 2] {
    [(a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0]
}

pub(crate) fn far(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

impl Person {
    /// Middle of a pair of points.
    pub fn middle(&self, pair: [usize; 2]) -> [f64; 2] {
        middle(self.points[pair[0]], self.points[pair[1]])
    }

    /// From the middle of the hips to the middle of the shoulders, pixels.
    pub fn trunk(&self) -> f64 {
        far(self.middle(point::HIPS), self.middle(point::SHOULDERS))
    }

    /// From the nose down to the ankles, pixels: straight down to the lower one, or along the body where that is
    /// longer, as it is of somebody who leans, bends or is seen in a picture that is askew.
    pub fn height(&self) -> f64 {
        let foot = point::ANKLES.map(|k| self.points[k][1]);
        let down = foot[0].max(foot[1]) - self.points[point::NOSE][1];
        let leg = |side: usize| {
            let [hip, knee, ankle] =
                [point::HIPS, point::KNEES, point::ANKLES].map(|k| self.points[k[side]]);
            far(hip, knee) + far(knee, ankle)
        };
        // The shorter leg: a point that was found on somebody else makes the other one long.
        let neck = far(self.points[point::NOSE], self.middle(point::SHOULDERS));
        let along = neck + self.trunk() + leg(0).min(leg(1));
        down.max(along)
    }

    /// What tells how tall somebody is.
    pub fn stands(&self) -> upright_core::body::leads::Seen {
        upright_core::body::leads::Seen {
            nose: self.points[point::NOSE],
            ankles: self.middle(point::ANKLES),
            tall: self.height(),
        }
    }

    /// The body as thick lines, with limbs `thick` times as thick as they are.
    pub fn capsules(&self, thick: f64) -> Vec<Capsule> {
        use point::*;
        let unit = thick * self.trunk().max(self.height() / 4.0);
        let at = |k: usize| self.points[k];
        let (hips, shoulders) = (self.middle(HIPS), self.middle(SHOULDERS));
        let mut out = vec![
            (hips, shoulders, 0.34 * unit),
            (shoulders, at(NOSE), 0.22 * unit),
        ];
        for side in 0..2 {
            out.push((at(SHOULDERS[side]), at(ELBOWS[side]), 0.12 * unit));
            out.push((at(ELBOWS[side]), at(WRISTS[side]), 0.11 * unit));
            out.push((at(HIPS[side]), at(KNEES[side]), 0.19 * unit));
            out.push((at(KNEES[side]), at(ANKLES[side]), 0.14 * unit));
        }
        out
    }

    /// Whether this is another sight of the same person in the same picture: the skeletons lie on each other, wherever
    /// both are seen. Boxes of two dancers overlap all the time.
    pub fn is(&self, other: &Self) -> bool {
        let both = |k: &usize| self.scores[*k].min(other.scores[*k]) > FAINT;
        let mut seen: Vec<usize> = (5..17).filter(both).collect();
        if seen.len() < FEW {
            seen = (5..17).collect();
        }
        let apart = |k: &usize| far(self.points[*k], other.points[*k]);
        let mean = seen.iter().map(apart).sum::<f64>() / seen.len() as f64;
        mean < SAME * self.height().min(other.height())
    }

    /// Whether enough of this person is seen beside somebody who was painted over: what is left of that one looks like
    /// a person too, but lies where the paint is.
    pub(crate) fn shows_beside(&self, painted: &[Capsule]) -> bool {
        let seen = (0..17).filter(|k| self.scores[*k] > FAINT);
        let beside = seen.filter(|k| !covered(self.points[*k], painted));
        beside.count() >= BESIDE
    }

    /// Between two sights of the same person.
    pub(crate) fn between(&self, other: &Self, share: f64) -> Self {
        let mix = |a: f64, b: f64| a + share * (b - a);
        let mut out = *self;
        for k in 0..17 {
            for axis in 0..2 {
                out.points[k][axis] = mix(self.points[k][axis], other.points[k][axis]);
            }
            out.scores[k] = self.scores[k].min(other.scores[k]);
        }
        out
    }
}

/// The names of the network's ends.
pub(crate) const HEADS: [&str; 6] = [
    "StatefulPartitionedCall/center_0/",
    "StatefulPartitionedCall/kpt_regress_0/",
    "StatefulPartitionedCall/kpt_heatmap_0/",
    "StatefulPartitionedCall/kpt_offset_0/",
    "StatefulPartitionedCall/box_scale_0/",
    "StatefulPartitionedCall/box_offset_0/",
];

/// The node that takes the picture once its values lie between −1 and 1.
pub(crate) const ENTRY: &str = "StatefulPartitionedCall/sub_1";

/// Most people in a picture.
const MOST: usize = 6;

/// A person is one from here on.
const SURE: f64 = 0.15;

/// Points below this are guessed, and fewer than so many say nothing of who it is.
const FAINT: f64 = 0.2;
const FEW: usize = 4;

/// Skeletons that lie so near each other are one person's, a share of the height.
const SAME: f64 = 0.12;

/// Points that must be seen beside somebody who was painted over.
const BESIDE: usize = 1;

/// Points below this do not count for a person's score.
const SEEN: f64 = 0.127;

/// A square of a picture in which people are looked for: its upper left corner and its side, pixels. What
/// lies outside the picture is empty.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Window {
    /// Column of its left edge.
    pub left: f64,
    /// Row of its upper edge.
    pub top: f64,
    /// Length of a side.
    pub side: f64,
}

impl Window {
    /// All of a picture of a size, pixels.
    pub fn whole(size: [usize; 2]) -> Self {
        let [width, height] = size.map(|s| s as f64);
        let side = width.max(height);
        Self {
            left: (width - side) / 2.0,
            top: (height - side) / 2.0,
            side,
        }
    }

    /// Whether a person's hips are in it.
    pub fn holds(&self, person: &Person) -> bool {
        let [x, y] = person.middle(point::HIPS);
        let inside = |v: f64, from: f64| (from..from + self.side).contains(&v);
        inside(x, self.left) && inside(y, self.top)
    }

    /// Where people who were just seen are found again in a picture of a size, at a better scale; `None` without any, or
    /// when that is as good as all of the picture.
    pub fn about(people: &[Person], size: [usize; 2]) -> Option<Self> {
        let points = || people.iter().flat_map(|p| p.points);
        let [x, y] = [0, 1].map(|k| {
            let low = points().map(|p| p[k]).fold(f64::INFINITY, f64::min);
            let high = points().map(|p| p[k]).fold(f64::NEG_INFINITY, f64::max);
            (low, high)
        });
        let side = ROOM * (x.1 - x.0).max(y.1 - y.0);
        (side.is_finite() && side < 0.8 * Self::whole(size).side).then(|| Self {
            left: (x.0 + x.1 - side) / 2.0,
            top: (y.0 + y.1 - side) / 2.0,
            side,
        })
    }
}

/// Room about the people who were seen, a share of how far they reach.
const ROOM: f64 = 1.45;

fn fitted(picture: &Picture, window: Window) -> Vec<f32> {
    let step = window.side / SIDE as f64;
    let mut out = vec![-1.0; 3 * SIDE * SIDE];
    // A large picture is averaged over what falls into one pixel of the network's.
    let fine = (step / 1.5).round().clamp(1.0, 4.0) as usize;
    for y in 0..SIDE {
        for x in 0..SIDE {
            let mut sum = [0.0; 3];
            for i in 0..fine * fine {
                let part = |k: usize| (k as f64 + 0.5) / fine as f64;
                let colour = picture.between(
                    window.left + step * (x as f64 + part(i % fine)),
                    window.top + step * (y as f64 + part(i / fine)),
                );
                for c in 0..3 {
                    sum[c] += colour[c];
                }
            }
            let to = 3 * (y * SIDE + x);
            for c in 0..3 {
                out[to + c] = sum[c] / (fine * fine) as f32 / 127.5 - 1.0;
            }
        }
    }
    out
}

fn logistic(x: f32) -> f64 {
    1.0 / (1.0 + f64::from(-x).exp())
}

/// The people of a part of a picture.
pub(crate) fn find(net: &Net, picture: &Picture, window: Window) -> Result<Vec<Person>, NetError> {
    let input = fitted(picture, window);
    let heads = net.run(&input)?;
    let [centre, regress, heat, offset, size, shift] = &heads[..] else {
        return Err(NetError::Damaged("it has other outputs".into()));
    };
    let [rows, columns, _] = centre.shape;
    let at = |v: &Value, y: usize, x: usize, c: usize| v.data[(y * columns + x) * v.shape[2] + c];
    let mut peaks: Vec<(f64, usize, usize)> = Vec::new();
    for y in 0..rows {
        for x in 0..columns {
            let here = at(centre, y, x, 0);
            let mut highest = true;
            for ny in y.saturating_sub(2)..(y + 3).min(rows) {
                for nx in x.saturating_sub(2)..(x + 3).min(columns) {
                    highest &= at(centre, ny, nx, 0) <= here;
                }
            }
            if highest {
                peaks.push((logistic(here), y, x));
            }
        }
    }
    // A person is at most as sure as its middle.
    peaks.retain(|(score, ..)| *score >= SURE);
    peaks.sort_by(|a, b| b.0.total_cmp(&a.0));
    peaks.truncate(MOST);
    let grid = rows as f64;
    let mut out = Vec::new();
    for (score, cy, cx) in peaks {
        let mut person = Person {
            points: [[0.0; 2]; 17],
            scores: [0.0; 17],
            score: 0.0,
            colour: [0.0; 6],
            behind: false,
        };
        let half = [0, 1].map(|k| f64::from(at(size, cy, cx, k)).max(1.0) / 2.0);
        let mid = [
            cy as f64 + f64::from(at(shift, cy, cx, 0)),
            cx as f64 + f64::from(at(shift, cy, cx, 1)),
        ];
        for k in 0..17 {
            let guess = [
                cy as f64 + f64::from(at(regress, cy, cx, 2 * k)),
                cx as f64 + f64::from(at(regress, cy, cx, 2 * k + 1)),
            ];
            let mut best = (
                0.0,
                guess[0].clamp(0.0, grid - 1.0) as usize,
                guess[1].clamp(0.0, grid - 1.0) as usize,
                0.0,
            );
            for y in 0..rows {
                if (y as f64 - mid[0]).abs() > half[0] + 1.0 {
                    continue;
                }
                for x in 0..columns {
                    if (x as f64 - mid[1]).abs() > half[1] + 1.0 {
                        continue;
                    }
                    let away = (y as f64 - guess[0]).powi(2) + (x as f64 - guess[1]).powi(2);
                    let seen = logistic(at(heat, y, x, k));
                    let weighed = seen * (-away / (0.3 * grid)).exp();
                    if weighed > best.0 {
                        best = (weighed, y, x, seen);
                    }
                }
            }
            let (_, y, x, seen) = best;
            let place = [
                x as f64 + f64::from(at(offset, y, x, 2 * k + 1)),
                y as f64 + f64::from(at(offset, y, x, 2 * k)),
            ];
            let step = window.side / grid;
            person.points[k] = [window.left + step * place[0], window.top + step * place[1]];
            person.scores[k] = seen;
        }
        let seen: Vec<f64> = person
            .scores
            .iter()
            .copied()
            .filter(|s| *s > SEEN)
            .collect();
        if seen.is_empty() {
            continue;
        }
        person.score = score * seen.iter().sum::<f64>() / seen.len() as f64;
        if person.score >= SURE {
            person.colour = colour(picture, &person);
            out.push(person);
        }
    }
    Ok(distinct(out))
}

/// Two sights of one person are one: the surer stays.
fn distinct(mut people: Vec<Person>) -> Vec<Person> {
    people.sort_by(|a, b| b.score.total_cmp(&a.score));
    merged(Vec::new(), people)
}

/// Those who are known, and whoever else was found.
pub(crate) fn merged(mut known: Vec<Person>, found: Vec<Person>) -> Vec<Person> {
    for p in found {
        if !known.iter().any(|q| p.is(q)) {
            known.push(p);
        }
    }
    known
}

/// Mean colours of trunk and thighs.
fn colour(picture: &Picture, person: &Person) -> [f64; 6] {
    use point::*;
    let mean = |from: [f64; 2], to: [f64; 2]| {
        let mut sum = [0.0; 3];
        for i in 0..7 {
            let t = 0.2 + 0.1 * f64::from(i);
            let c = picture.between(
                from[0] + t * (to[0] - from[0]),
                from[1] + t * (to[1] - from[1]),
            );
            for k in 0..3 {
                sum[k] += f64::from(c[k]) / 7.0;
            }
        }
        sum
    };
    let trunk = mean(person.middle(SHOULDERS), person.middle(HIPS));
    let thighs = [0, 1].map(|s| mean(person.points[HIPS[s]], person.points[KNEES[s]]));
    let mut out = [0.0; 6];
    for k in 0..3 {
        out[k] = trunk[k];
        out[3 + k] = (thighs[0][k] + thighs[1][k]) / 2.0;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Somebody 400 pixels tall whose body leans by an angle about the ankles.
    fn leaning(degrees: f64) -> Person {
        let upright = [
            (point::NOSE, 0.0, -400.0),
            (point::SHOULDERS[0], 30.0, -340.0),
            (point::SHOULDERS[1], -30.0, -340.0),
            (point::ELBOWS[0], 45.0, -270.0),
            (point::ELBOWS[1], -45.0, -270.0),
            (point::WRISTS[0], 50.0, -210.0),
            (point::WRISTS[1], -50.0, -210.0),
            (point::HIPS[0], 20.0, -220.0),
            (point::HIPS[1], -20.0, -220.0),
            (point::KNEES[0], 20.0, -110.0),
            (point::KNEES[1], -20.0, -110.0),
            (point::ANKLES[0], 20.0, 0.0),
            (point::ANKLES[1], -20.0, 0.0),
        ];
        let (s, c) = degrees.to_radians().sin_cos();
        let mut points = [[640.0, 150.0]; 17];
        for (k, x, y) in upright {
            points[k] = [640.0 + c * x - s * y, 500.0 + s * x + c * y];
        }
        Person {
            points,
            scores: [0.8; 17],
            score: 0.6,
            colour: [0.0; 6],
            behind: false,
        }
    }

    #[test]
    fn somebody_who_leans_is_as_tall_as_somebody_upright() {
        let tall = leaning(0.0).height();
        assert!((tall - 400.0).abs() < 12.0, "{tall}");
        for degrees in [25.0, 50.0, 80.0] {
            let leant = leaning(degrees).height();
            assert!((leant / tall - 1.0).abs() < 0.05, "{degrees}: {leant}");
        }
    }

    #[test]
    fn a_second_sight_of_somebody_is_told_from_somebody_beside_and_in_front() {
        let one = leaning(0.0);
        let moved = |by: f64, times: f64| {
            let mut p = one;
            for q in &mut p.points {
                *q = [
                    640.0 + times * (q[0] - 640.0) + by,
                    500.0 + times * (q[1] - 500.0),
                ];
            }
            p
        };
        assert!(one.is(&moved(15.0, 1.02)));
        assert!(!one.is(&moved(90.0, 1.0)));
        // A child before an adult.
        assert!(!one.is(&moved(0.0, 0.6)) && !moved(0.0, 0.6).is(&one));
        // What is left of somebody painted over lies where the paint is.
        let painted = one.capsules(1.0);
        assert!(!moved(4.0, 0.98).shows_beside(&painted));
        assert!(moved(90.0, 1.0).shows_beside(&painted));
    }
}
