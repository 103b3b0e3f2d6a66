//! One dancer's landmarks in a region of a picture, the partner painted out of it.

use std::collections::BTreeMap;

use upright_core::body::Landmark;
use upright_core::body::solve::Source;
use upright_core::body::track::Sight;

use crate::Effort;
use crate::net::{Net, NetError};
use crate::people::{Person, far, point};
use crate::picture::{Capsule, Picture, Region, around, blend, covered};
use crate::sure::{Evidence, in_picture};

/// Side of the region that the network takes, pixels.
const SIDE: usize = 256;

/// The network's ends: landmarks, presence, heat maps, places in metres.
pub(crate) const OUTPUTS: [&str; 4] = ["Identity", "Identity_1", "Identity_3", "Identity_4"];

/// Our landmarks by the network's numbers; a knuckle lies between two of its points.
const OURS: [(Landmark, &[usize]); 19] = [
    (Landmark::Nose, &[0]),
    (Landmark::LeftShoulder, &[11]),
    (Landmark::RightShoulder, &[12]),
    (Landmark::LeftElbow, &[13]),
    (Landmark::RightElbow, &[14]),
    (Landmark::LeftWrist, &[15]),
    (Landmark::RightWrist, &[16]),
    (Landmark::LeftKnuckle, &[17, 19]),
    (Landmark::RightKnuckle, &[18, 20]),
    (Landmark::LeftHip, &[23]),
    (Landmark::RightHip, &[24]),
    (Landmark::LeftKnee, &[25]),
    (Landmark::RightKnee, &[26]),
    (Landmark::LeftAnkle, &[27]),
    (Landmark::RightAnkle, &[28]),
    (Landmark::LeftHeel, &[29]),
    (Landmark::RightHeel, &[30]),
    (Landmark::LeftToe, &[31]),
    (Landmark::RightToe, &[32]),
];

/// The network's numbers of the seventeen points.
const SEVENTEEN: [usize; 17] = [
    0, 2, 5, 7, 8, 11, 12, 13, 14, 15, 16, 23, 24, 25, 26, 27, 28,
];

/// Half of a body this far from the person that was looked for is another body, shares of height.
const ELSEWHERE: f64 = 0.09;

/// Where to look for a person.
pub fn region(person: &Person) -> Region {
    let (hips, shoulders) = (person.middle(point::HIPS), person.middle(point::SHOULDERS));
    let trunk = person.trunk().max(person.height() / 5.0);
    let reach = (0..17)
        .filter(|k| person.scores[*k] > 0.2)
        .map(|k| far(person.points[k], hips))
        .fold(1.75 * trunk, f64::max)
        .min(2.6 * trunk);
    let (x, y) = (shoulders[0] - hips[0], shoulders[1] - hips[1]);
    Region {
        centre: hips,
        side: 2.0 * 1.25 * reach,
        // A trunk of no length leans nowhere.
        turn: if x.hypot(y) > 1.0 { x.atan2(-y) } else { 0.0 },
    }
}

/// The region's pixels between 0 and 1, the partner painted out where the dancer is not.
fn cut(picture: &Picture, region: &Region, own: &[Capsule], partner: &[Capsule]) -> Vec<f32> {
    let mut out = vec![0.0_f32; 3 * SIDE * SIDE];
    // A pixel's middle, from the first one's, a column and a row at a time.
    let step = 1.0 / SIDE as f64;
    let [first, beside, below] =
        [[0.5, 0.5], [1.5, 0.5], [0.5, 1.5]].map(|at| region.out(at.map(|v| v * step)));
    let [left, top, right, bottom] = around(partner);
    for row in 0..SIDE {
        let mut hidden = [false; SIDE];
        for (column, hidden) in hidden.iter_mut().enumerate() {
            let at = [0, 1].map(|k| {
                let (column, row) = (column as f64, row as f64);
                first[k] + column * (beside[k] - first[k]) + row * (below[k] - first[k])
            });
            let to = 3 * (row * SIDE + column);
            let c = picture.between(at[0], at[1]);
            for k in 0..3 {
                out[to + k] = c[k] / 255.0;
            }
            *hidden = (left..right).contains(&at[0])
                && (top..bottom).contains(&at[1])
                && covered(at, partner)
                && !covered(at, own);
        }
        blend(&mut out[3 * row * SIDE..3 * (row + 1) * SIDE], &hidden);
    }
    out
}

/// What the network makes of a region: its thirty-three points.
#[derive(Debug, Clone)]
struct Looked {
    /// Where they are, pixels of the picture.
    at: [[f64; 2]; 33],
    /// How far from there the looks had them that this is the mean of, pixels.
    apart: [f64; 33],
    /// How surely each is seen, 0..1.
    seen: [f64; 33],
    /// Their places about the hips, metres to the picture's right, down and away.
    metres: [[f64; 3]; 33],
    /// Whether this is one look only.
    once: bool,
}

/// The network's number of the same point on the other side of the body.
const fn other_side(k: usize) -> usize {
    match k {
        0 => 0,
        1..=3 => k + 3,
        4..=6 => k - 3,
        _ if k % 2 == 1 => k + 1,
        _ => k - 1,
    }
}

/// Turns a region's pixels into what a mirror shows of them.
fn mirror(pixels: &mut [f32]) {
    for row in pixels.chunks_exact_mut(3 * SIDE) {
        for column in 0..SIDE / 2 {
            for colour in 0..3 {
                row.swap(3 * column + colour, 3 * (SIDE - 1 - column) + colour);
            }
        }
    }
}

/// Looks at a region's pixels, or at what a mirror shows of them; `None` when nobody is there.
fn look(
    net: &Net,
    region: &Region,
    (pixels, mirrored): (&[f32], bool),
) -> Result<Option<Looked>, NetError> {
    let made = net.run(pixels)?;
    let [marks, presence, heat, metres] = &made[..] else {
        return Err(NetError::Damaged("it has other outputs".into()));
    };
    if marks.data.len() < 195 || metres.data.len() < 117 || heat.shape[2] < 39 {
        return Err(NetError::Damaged("it finds other landmarks".into()));
    }
    if presence.data.first().is_none_or(|p| *p < 0.3) {
        return Ok(None);
    }
    let (s, c) = region.turn.sin_cos();
    let mut out = Looked {
        at: [[0.0; 2]; 33],
        apart: [0.0; 33],
        seen: [0.0; 33],
        metres: [[0.0; 3]; 33],
        once: true,
    };
    for k in 0..33 {
        let mark = &marks.data[5 * k..5 * k + 5];
        let [mut u, v] = refined(heat, k, [0, 1].map(|a| f64::from(mark[a]) / SIDE as f64));
        let [mut x, y, z] = [0, 1, 2].map(|a| f64::from(metres.data[3 * k + a]));
        let mut to = k;
        if mirrored {
            (u, x, to) = (1.0 - u, -x, other_side(k));
        }
        out.at[to] = region.out([u, v]);
        out.seen[to] = 1.0 / (1.0 + f64::from(-mark[3]).exp());
        out.metres[to] = [c * x - s * y, s * x + c * y, z];
    }
    Ok(Some(out))
}

impl Looked {
    /// The mean of some looks.
    fn mean(looks: &[Self]) -> Option<Self> {
        let mut out = looks.first()?.clone();
        let n = looks.len() as f64;
        out.once = looks.len() < 2;
        for k in 0..33 {
            let mean = |of: &dyn Fn(&Self) -> f64| looks.iter().map(of).sum::<f64>() / n;
            out.at[k] = [0, 1].map(|a| mean(&|l| l.at[k][a]));
            out.metres[k] = [0, 1, 2].map(|a| mean(&|l| l.metres[k][a]));
            out.seen[k] = mean(&|l| l.seen[k]);
            out.apart[k] = mean(&|l| far(l.at[k], out.at[k]));
        }
        Some(out)
    }

    /// By how much this network and the one that found the person disagree, point by point, shares of height.
    fn doubt(&self, person: &Person) -> [f64; 33] {
        let mut out = [0.0; 33];
        for (k, n) in SEVENTEEN.iter().enumerate() {
            if person.scores[k] > 0.2 {
                out[*n] = far(self.at[*n], person.points[k]) / person.height();
            }
        }
        for (from, to) in [
            (15, [17, 19]),
            (16, [18, 20]),
            (27, [29, 31]),
            (28, [30, 32]),
        ] {
            for n in to {
                out[n] = out[from];
            }
        }
        out
    }

    /// Whether most of this body is where the person was found: otherwise it is somebody else's.
    fn is(&self, person: &Person) -> bool {
        let doubt = self.doubt(person);
        let mut apart: Vec<f64> = SEVENTEEN[5..].iter().map(|n| doubt[*n]).collect();
        apart.sort_by(f64::total_cmp);
        apart[apart.len() / 2] <= ELSEWHERE
    }

    fn sights(&self, person: &Person, effort: Effort) -> BTreeMap<Landmark, Sight> {
        // A person may be found whose points all lie on each other.
        let (tall, doubt) = (person.height().max(1.0), self.doubt(person));
        let sight = |(landmark, numbers): (Landmark, &[usize])| {
            let n = numbers.len() as f64;
            let mean = |of: &dyn Fn(usize) -> f64| numbers.iter().map(|k| of(*k)).sum::<f64>() / n;
            let evidence = Evidence {
                seen: mean(&|k| self.seen[k]),
                doubt: mean(&|k| doubt[k]).min(1.0),
                apart: mean(&|k| self.apart[k]) / tall,
                once: self.once,
            };
            let up = tall * raised(landmark, effort);
            let own = in_picture(landmark, evidence) * finer(effort);
            let sight = Sight {
                pixel: [mean(&|k| self.at[k][0]), mean(&|k| self.at[k][1]) - up],
                sigma: tall * own.hypot(other_body(landmark)),
                source: Source::Network,
                about_hips: has_depth(landmark)
                    .then(|| [0, 1, 2].map(|a| mean(&|k| self.metres[k][a]))),
            };
            (landmark, sight)
        };
        OURS.into_iter().map(sight).collect()
    }
}

/// A dancer's landmarks near where the seventeen points are; `None` when nobody is there.
///
/// The network sees a dancer a little differently in a mirror: what it takes for turned to the right it takes for turned
/// to the right there as well. So it looks at both, and what they differ by is not known (docs/decisions/0040).
pub(crate) fn find(
    (net, effort): (&Net, Effort),
    picture: &Picture,
    person: &Person,
    partner: Option<&Person>,
) -> Result<Option<BTreeMap<Landmark, Sight>>, NetError> {
    let region = region(person);
    let hide = partner.map_or_else(Vec::new, |p| p.capsules(1.0));
    let mut pixels = cut(picture, &region, &person.capsules(1.1), &hide);
    let mut looks = Vec::new();
    for mirrored in [false, true] {
        if mirrored {
            mirror(&mut pixels);
        }
        looks.extend(look(net, &region, (&pixels, mirrored))?);
    }
    looks.retain(|l| l.is(person));
    Ok(Looked::mean(&looks).map(|l| l.sights(person, effort)))
}

/// Whether the network's depth of a landmark is worth telling: feet are a third as long there as they are, and elbows
/// are drawn toward the body (docs/decisions/0038).
const fn has_depth(landmark: Landmark) -> bool {
    use Landmark as L;
    !matches!(
        landmark,
        L::LeftElbow
            | L::RightElbow
            | L::LeftAnkle
            | L::RightAnkle
            | L::LeftHeel
            | L::RightHeel
            | L::LeftToe
            | L::RightToe
    )
}

/// How much higher our landmark lies than the network's point, a share of the dancer's height in the picture: ours are
/// the joints and the ends of the foot on the floor, the network's lie where they are seen from outside. Medians on
/// rendered couples (docs/pose.md).
fn raised(landmark: Landmark, effort: Effort) -> f64 {
    use Landmark as L;
    let usual = match landmark {
        L::LeftHip | L::RightHip => 0.012,
        L::Nose => -0.017,
        L::LeftShoulder | L::RightShoulder => -0.005,
        L::LeftElbow | L::RightElbow => -0.0105,
        L::LeftKnee | L::RightKnee => -0.004,
        L::LeftAnkle | L::RightAnkle => -0.0145,
        L::LeftHeel | L::RightHeel => -0.02,
        L::LeftToe | L::RightToe => -0.0175,
        _ => 0.0,
    };
    // The larger network's points lie elsewhere by a few thousandths (nine other takes, fitted to it alone).
    let larger = match landmark {
        L::LeftHip | L::RightHip => -0.006,
        L::Nose | L::LeftShoulder | L::RightShoulder => -0.0025,
        L::LeftElbow | L::RightElbow => 0.004,
        L::LeftKnee | L::RightKnee => 0.0015,
        L::LeftAnkle | L::RightAnkle => 0.0025,
        L::LeftHeel | L::RightHeel => 0.0035,
        _ => 0.0,
    };
    match effort {
        Effort::Usual => usual,
        Effort::Harder => usual + larger,
    }
}

/// How far a landmark of another body may lie from where ours has it (1σ), a share of the height: noses and hips were
/// placed on drawn faces and clothes, and film of people (`make film-accuracy`) has their noses 4 % of the height off.
/// What higher shoes do is claimed of the solved feet.
const fn other_body(landmark: Landmark) -> f64 {
    match landmark {
        Landmark::Nose => 0.022,
        Landmark::LeftHip | Landmark::RightHip => 0.006,
        _ => 0.0,
    }
}

/// How much smaller the larger network's errors are than the usual one's where the evidence is the same: the same takes.
const fn finer(effort: Effort) -> f64 {
    match effort {
        Effort::Usual => 1.0,
        Effort::Harder => 0.86,
    }
}

/// A landmark's place in the region to a part of a pixel, from the heat map about it. A cell stands for the place at
/// its upper left corner: taken at its middle all landmarks lay half a cell, 1 % of the dancer's height, to the right
/// and too low on rendered couples (docs/decisions/0033).
fn refined(heat: &crate::net::Value, k: usize, [u, v]: [f64; 2]) -> [f64; 2] {
    let [rows, columns, depth] = heat.shape;
    let (x, y) = ((u * columns as f64) as i64, (v * rows as f64) as i64);
    if x < 0 || y < 0 || x >= columns as i64 || y >= rows as i64 {
        return [u, v];
    }
    let (mut sum, mut most, mut at) = (0.0, 0.0_f64, [0.0; 2]);
    for r in (y - 3).max(0)..(y + 4).min(rows as i64) {
        for c in (x - 3).max(0)..(x + 4).min(columns as i64) {
            let w = 1.0
                / (1.0
                    + f64::from(-heat.data[(r as usize * columns + c as usize) * depth + k]).exp());
            sum += w;
            most = most.max(w);
            at[0] += w * c as f64;
            at[1] += w * r as f64;
        }
    }
    if most < 0.5 || sum <= 0.0 {
        return [u, v];
    }
    [at[0] / sum / columns as f64, at[1] / sum / rows as f64]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hips_lie_higher_and_feet_lower_than_what_is_seen_of_them() {
        assert!(
            raised(Landmark::LeftHip, Effort::Usual) > raised(Landmark::LeftKnee, Effort::Usual)
        );
        assert!(raised(Landmark::RightToe, Effort::Usual) < 0.0);
        assert_eq!(raised(Landmark::LeftWrist, Effort::Usual), 0.0);
        assert!(
            Landmark::ALL
                .iter()
                .all(|l| raised(*l, Effort::Usual).abs() < 0.03)
        );
        let pairs = [&Landmark::ARMS[..], &Landmark::LEGS[..]].concat();
        assert!(
            pairs
                .iter()
                .all(|[l, r]| raised(*l, Effort::Usual) == raised(*r, Effort::Usual))
        );
    }

    #[test]
    fn both_sides_of_a_body_have_their_numbers() {
        for (ours, numbers) in OURS {
            let other: Vec<usize> = numbers.iter().map(|k| other_side(*k)).collect();
            let expected = ours.other_side();
            let of = OURS.iter().find(|(l, _)| *l == expected).unwrap().1;
            assert_eq!(other, of, "{ours:?}");
        }
        assert!((0..33).all(|k| other_side(other_side(k)) == k));
        let mut row: Vec<f32> = (0..3 * SIDE).map(|i| i as f32).collect();
        mirror(&mut row);
        let end = 3.0 * SIDE as f32;
        assert_eq!(row[..3], [end - 3.0, end - 2.0, end - 1.0]);
        assert_eq!(row[3 * SIDE - 3..], [0.0, 1.0, 2.0]);
    }

    /// Somebody so many pixels tall.
    fn person(height: f64) -> Person {
        let mut points = [[100.0, height / 2.0]; 17];
        points[point::NOSE] = [100.0, 0.0];
        points[point::ANKLES[0]] = [100.0, height];
        Person {
            points,
            scores: [0.0; 17],
            score: 1.0,
            colour: [0.0; 6],
            behind: false,
        }
    }

    /// A look that has every point at a place.
    fn looked(at: [f64; 2]) -> Looked {
        Looked {
            at: [at; 33],
            apart: [0.0; 33],
            seen: [1.0; 33],
            metres: [[at[0] / 100.0, 0.0, -0.5]; 33],
            once: true,
        }
    }

    #[test]
    fn what_two_looks_differ_by_is_not_known() {
        let person = person(200.0);
        let of = |looks: &[Looked]| Looked::mean(looks).unwrap().sights(&person, Effort::Usual);
        let (same, two, one) = (
            of(&[looked([100.0, 80.0]), looked([100.0, 80.0])]),
            of(&[looked([97.0, 76.0]), looked([103.0, 84.0])]),
            of(&[looked([100.0, 80.0])]),
        );
        let hip = Landmark::LeftHip;
        assert_eq!(same[&hip].pixel, two[&hip].pixel);
        // Each of the two is five pixels from their mean, of a person two hundred tall.
        let by = |apart, once| {
            let own = in_picture(
                hip,
                Evidence {
                    seen: 1.0,
                    doubt: 0.0,
                    apart,
                    once,
                },
            );
            200.0 * own.hypot(other_body(hip))
        };
        assert_eq!(same[&hip].sigma, by(0.0, false));
        assert_eq!(two[&hip].sigma, by(0.025, false));
        assert_eq!(one[&hip].sigma, by(0.0, true));
        assert_eq!(two[&hip].about_hips, Some([1.0, 0.0, -0.5]));
        for [l, r] in &Landmark::LEGS[2..] {
            assert_eq!([l, r].map(|l| two[l].about_hips), [None; 2]);
        }
        assert!(Looked::mean(&[]).is_none());
        // The larger network is surer, but not of what lies elsewhere on another body.
        let finer = Looked::mean(&[looked([100.0, 80.0])]).unwrap();
        let finer = finer.sights(&person, Effort::Harder)[&Landmark::Nose].sigma;
        let nose = one[&Landmark::Nose].sigma;
        assert!(finer < nose && finer > 200.0 * other_body(Landmark::Nose));
        // Who was found in a single point is no larger than that, and looked for all the same.
        let sights = looked([100.0, 80.0]).sights(&self::person(0.0), Effort::Usual);
        assert!(sights.values().all(|s| (1e-3..10.0).contains(&s.sigma)));
    }

    #[test]
    fn a_cell_of_the_heat_map_stands_for_its_upper_left_corner() {
        let mut heat = crate::net::Value {
            shape: [64, 64, 1],
            data: vec![-20.0; 64 * 64],
        };
        let mut warm = |row: usize, column: usize, by: f32| heat.data[64 * row + column] = by;
        // A peak between two columns, of one row.
        warm(20, 31, 4.0);
        warm(20, 32, 4.0);
        let [u, v] = refined(&heat, 0, [0.5, 0.32]);
        assert!((u - 31.5 / 64.0).abs() < 1e-4, "{u}");
        assert!((v - 20.0 / 64.0).abs() < 1e-4, "{v}");
        // Where it shows nothing the network's own place stays.
        heat.data.fill(-20.0);
        assert_eq!(refined(&heat, 0, [0.5, 0.32]), [0.5, 0.32]);
    }
}
