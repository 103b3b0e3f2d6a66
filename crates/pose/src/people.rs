//! All people of a picture, seventeen points each: where the couple is, not yet exactly how they stand.

use crate::net::{Net, NetError, Value};
use crate::picture::{Capsule, Picture};

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
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Person {
    /// Points by number (left is the person's left), pixels.
    pub points: [[f64; 2]; 17],
    /// How surely each is seen, 0..1.
    pub scores: [f64; 17],
    /// How surely it is a person, 0..1.
    pub score: f64,
    /// Mean colours of trunk and thighs, 0..255.
    pub colour: [f64; 6],
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

    /// From the nose to the lower ankle, pixels.
    pub fn height(&self) -> f64 {
        let foot = point::ANKLES.map(|k| self.points[k][1]);
        (foot[0].max(foot[1]) - self.points[point::NOSE][1]).max(self.trunk())
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

    /// Whether this is another sight of the same person in the same picture.
    pub(crate) fn is(&self, other: &Self) -> bool {
        let apart = |k: usize| far(self.points[k], other.points[k]);
        (5..17).map(apart).sum::<f64>() / 12.0 < 0.12 * other.height()
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
    /// All of a picture.
    pub fn whole(picture: &Picture) -> Self {
        let side = picture.width.max(picture.height) as f64;
        Self {
            left: (picture.width as f64 - side) / 2.0,
            top: (picture.height as f64 - side) / 2.0,
            side,
        }
    }

    /// Where people who were just seen are found again, at a better scale; `None` without any, or when
    /// that is as good as all of the picture.
    pub fn about(people: &[Person], picture: &Picture) -> Option<Self> {
        let points = || people.iter().flat_map(|p| p.points);
        let [x, y] = [0, 1].map(|k| {
            let low = points().map(|p| p[k]).fold(f64::INFINITY, f64::min);
            let high = points().map(|p| p[k]).fold(f64::NEG_INFINITY, f64::max);
            (low, high)
        });
        let side = ROOM * (x.1 - x.0).max(y.1 - y.0);
        (side.is_finite() && side < 0.8 * Self::whole(picture).side).then(|| Self {
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
    let mut out: Vec<Person> = Vec::new();
    for p in people {
        if !out.iter().any(|q| p.is(q)) {
            out.push(p);
        }
    }
    out
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
