//! What a few marks by hand do for the bodies about them.

use std::fmt::Write as _;

use nalgebra::Vector3;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use upright_core::body::Landmark;
use upright_core::body::solve::Bodies;
use upright_core::marks::Marks;
use upright_core::take::Film;
use upright_core::units::{Foot, Role, wrap_degrees};
use upright_studio::Performance;

use crate::draw;

/// Seconds between two moments that are marked.
const EVERY: f64 = 1.6;

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
pub struct Marked([Errors; 5]);

fn yaw(left: Vector3<f64>, right: Vector3<f64>) -> f64 {
    let line = left - right;
    (-line.x).atan2(line.y).to_degrees()
}

impl Marked {
    /// Marks both dancers' landmarks every so often as a hand does, and compares.
    pub fn compare(&mut self, p: &Performance, (marks, films): (&Marks, &[Film])) {
        let seen: Vec<f64> = films[0].track.iter().map(|s| s.at.secs()).collect();
        let mut times: Vec<f64> = Vec::new();
        for t in seen {
            if times.last().is_none_or(|l| t - l > EVERY) {
                times.push(t);
            }
        }
        let mut rng = ChaCha8Rng::seed_from_u64(p.scenario().seed);
        let mut by_hand = marks.clone();
        for phone in 0..films.len() {
            let poses = draw::by_hand(p, phone, &[times.clone(), times.clone()], &mut rng);
            match by_hand.angles.get_mut(&(phone as u8 + 1)) {
                Some(angle) if phone > 0 => angle.poses = poses,
                _ => by_hand.poses = poses,
            }
        }
        let [before, after] = [marks, &by_hand].map(|m| draw::solve(p, m, films).bodies);
        for role in Role::BOTH {
            if let (Ok(a), Ok(b)) = (&before[role as usize], &after[role as usize]) {
                self.add(p, role, &times, [a, b]);
            }
        }
    }

    fn add(&mut self, p: &Performance, role: Role, times: &[f64], both: [&Bodies; 2]) {
        for (t, at) in both[1].at.iter().enumerate() {
            let near = times.iter().map(|m| (m - at).abs());
            let gap = near.fold(f64::INFINITY, f64::min);
            let Some(bin) = FROM_MARK.iter().position(|(_, most)| gap <= *most) else {
                continue;
            };
            let (Some(before), after) = (both[0].moment(*at), both[1].instant(t)) else {
                continue;
            };
            let truth = &p.bodies(*at)[role as usize];
            let of = &mut self.0[bin];
            for (k, m) in [before, after].iter().enumerate() {
                for side in [Foot::Left, Foot::Right] {
                    let parts = Landmark::heel_toe(side);
                    if parts.iter().all(|l| truth.joint(*l).z < 0.004) {
                        let off = parts.map(|l| (m.joint(l) - truth.joint(l)).xy());
                        of.foot[k].push(50.0 * (off[0] + off[1]).norm());
                    }
                }
                let own = [Landmark::LeftShoulder, Landmark::RightShoulder];
                let [is, seen] = [own.map(|l| truth.joint(l)), own.map(|l| m.joint(l))]
                    .map(|[l, r]| yaw(l.coords, r.coords));
                of.yaw[k].push(wrap_degrees(seen - is).abs());
            }
        }
    }

    pub fn table(&mut self) -> String {
        let mut page = format!(
            "\nAll nineteen points of both dancers marked by hand every {EVERY} s, errors before and after:\n\n| | foot, cm: median | 90 % | direction, °: median | 90 % | bodies |\n|---|---|---|---|---|---|\n"
        );
        let pair = |all: &mut [Vec<f64>; 2], q: f64| {
            let [a, b] = all.each_mut().map(|v| crate::quantile(v, q));
            format!("{a:.1} → {b:.1}")
        };
        for ((name, _), e) in FROM_MARK.iter().zip(&mut self.0) {
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
