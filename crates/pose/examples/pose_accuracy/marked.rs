//! What a few marks by hand do for the bodies about them.

use std::fmt::Write as _;

use nalgebra::Vector3;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use upright_core::body::Landmark;
use upright_core::body::solve::Bodies;
use upright_core::marks::Marks;
use upright_core::take::{Film, Solved};
use upright_core::units::{Foot, Role, wrap_degrees};
use upright_studio::Performance;

use crate::draw;

/// Seconds between two moments that are marked.
const EVERY: f64 = 1.6;

/// The moments that are marked when only two are, seconds from the first picture, and how far from both bodies are then
/// compared.
const TWO: [f64; 2] = [0.0, 3.0];
const APART: f64 = 1.0;

/// How far from the nearest mark, seconds.
const FROM_MARK: [(&str, f64); 5] = [
    ("at the mark", 0.02),
    ("one picture away", 0.1),
    ("two away", 0.18),
    ("three away", 0.26),
    ("to 0.6 s away", 0.6),
];

/// Errors before and after the marks: feet on the floor, cm, and the shoulders' direction, degrees.
#[derive(Default)]
struct Errors {
    foot: [Vec<f64>; 2],
    yaw: [Vec<f64>; 2],
}

#[derive(Default)]
pub struct Marked {
    near: [Errors; 5],
    /// Of bodies that no mark is near.
    far: Errors,
}

/// The take with all landmarks of both dancers marked by hand at these moments.
fn by_hand(p: &Performance, (marks, films): (&Marks, &[Film]), times: &[f64]) -> Solved {
    let mut rng = ChaCha8Rng::seed_from_u64(p.scenario().seed);
    let mut by_hand = marks.clone();
    for phone in 0..films.len() {
        let poses = draw::by_hand(p, phone, &[times.to_vec(), times.to_vec()], &mut rng);
        match by_hand.angles.get_mut(&(phone as u8 + 1)) {
            Some(angle) if phone > 0 => angle.poses = poses,
            _ => by_hand.poses = poses,
        }
    }
    draw::solve(p, &by_hand, films)
}

/// Adds errors before and after marks at these moments, by how far from the nearest one.
fn compared(
    p: &Performance,
    role: Role,
    times: &[f64],
    both: [&Bodies; 2],
    bin: impl Fn(f64) -> Option<usize>,
    to: &mut [Errors],
) {
    for (t, at) in both[1].at.iter().enumerate() {
        let near = times.iter().map(|m| (m - at).abs());
        let gap = near.fold(f64::INFINITY, f64::min);
        let (Some(bin), Some(before), after) = (bin(gap), both[0].moment(*at), both[1].instant(t))
        else {
            continue;
        };
        let truth = &p.bodies(*at)[role as usize];
        for (k, m) in [before, after].iter().enumerate() {
            for side in [Foot::Left, Foot::Right] {
                let parts = Landmark::heel_toe(side);
                if parts.iter().all(|l| truth.joint(*l).z < 0.004) {
                    let off = parts.map(|l| (m.joint(l) - truth.joint(l)).xy());
                    to[bin].foot[k].push(50.0 * (off[0] + off[1]).norm());
                }
            }
            let own = [Landmark::LeftShoulder, Landmark::RightShoulder];
            let [is, seen] = [own.map(|l| truth.joint(l)), own.map(|l| m.joint(l))]
                .map(|[l, r]| yaw(l.coords, r.coords));
            to[bin].yaw[k].push(wrap_degrees(seen - is).abs());
        }
    }
}

fn yaw(left: Vector3<f64>, right: Vector3<f64>) -> f64 {
    let line = left - right;
    (-line.x).atan2(line.y).to_degrees()
}

impl Marked {
    /// Marks both dancers' landmarks at some moments as a hand does, and compares.
    pub fn compare(&mut self, p: &Performance, (marks, films): (&Marks, &[Film])) {
        let seen: Vec<f64> = films[0].track.iter().map(|s| s.at.secs()).collect();
        let mut often: Vec<f64> = Vec::new();
        for t in &seen {
            if often.last().is_none_or(|l| t - l > EVERY) {
                often.push(*t);
            }
        }
        let first = seen.first().copied().unwrap_or_default();
        let two = TWO
            .iter()
            .filter_map(|after| seen.iter().find(|t| **t >= first + after));
        let two: Vec<f64> = two.copied().collect();
        let before = draw::solve(p, marks, films).bodies;
        let after = [&often, &two].map(|times| by_hand(p, (marks, films), times).bodies);
        for role in Role::BOTH {
            let [often_solved, two_solved] = &after;
            let Ok(before) = &before[role as usize] else {
                continue;
            };
            if let Ok(after) = &often_solved[role as usize] {
                let near = &mut self.near;
                compared(
                    p,
                    role,
                    &often,
                    [before, after],
                    |gap| FROM_MARK.iter().position(|(_, most)| gap <= *most),
                    near,
                );
            }
            if let Ok(after) = &two_solved[role as usize] {
                let far = std::slice::from_mut(&mut self.far);
                compared(
                    p,
                    role,
                    &two,
                    [before, after],
                    |gap| (gap > APART).then_some(0),
                    far,
                );
            }
        }
    }

    pub fn table(&mut self) -> String {
        let mut page = format!(
            "\nAll nineteen points of both dancers marked by hand every {EVERY} s, and at two moments {} s apart only, errors before and after:\n\n| | foot, cm: median | 90 % | direction, °: median | 90 % | bodies |\n|---|---|---|---|---|---|\n",
            TWO[1] - TWO[0]
        );
        let pair = |all: &mut [Vec<f64>; 2], q: f64| {
            let [a, b] = all.each_mut().map(|v| crate::quantile(v, q));
            format!("{a:.1} → {b:.1}")
        };
        let apart = format!("two moments marked, further than {APART} s from both");
        let far = (apart.as_str(), &mut self.far);
        let near = FROM_MARK.iter().map(|(name, _)| *name).zip(&mut self.near);
        for (name, e) in near.chain([far]) {
            let (foot, foot_most) = (pair(&mut e.foot, 0.5), pair(&mut e.foot, 0.9));
            let (yaw, yaw_most) = (pair(&mut e.yaw, 0.5), pair(&mut e.yaw, 0.9));
            let many = e.yaw[1].len();
            let _ = writeln!(
                page,
                "| {name} | {foot} | {foot_most} | {yaw} | {yaw_most} | {many} |"
            );
        }
        page
    }
}
