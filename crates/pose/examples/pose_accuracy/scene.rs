//! Takes as phones really make them: held upright and sideways, high and low, with others in the picture.

use std::fmt::Write as _;

use rand::Rng;
use rand_chacha::ChaCha8Rng;
use upright_core::units::Role;
use upright_studio::{Scenario, Watcher};

/// How takes are filmed and who else is there.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Scenes {
    /// Sideways, from 1.3 to 1.8 m, nobody else.
    Usual,
    /// Upright and sideways, from 0.8 to 3.5 m, looking up and down, askew.
    Phones,
    /// With two to five others of other sizes.
    Others,
    /// One dancer, alone or with others.
    Alone,
}

impl Scenes {
    pub fn named(name: &str) -> Self {
        match name {
            "usual" => Self::Usual,
            "others" => Self::Others,
            "alone" => Self::Alone,
            _ => Self::Phones,
        }
    }

    /// Changes a take that was drawn as usual.
    pub fn change(self, s: &mut Scenario, rng: &mut ChaCha8Rng) {
        if self == Self::Phones {
            for phone in &mut s.phones {
                phone.height = rng.random_range(0.8..3.5);
                phone.aim = rng.random_range(0.7..1.1);
                phone.roll = rng.random_range(-5.0..5.0);
                phone.distance = rng.random_range(3.6..5.6);
                if rng.random_bool(0.5) {
                    phone.size = [720, 1280];
                    // Who films upright steps back.
                    phone.distance = rng.random_range(5.0..6.4);
                }
            }
        }
        if self == Self::Others || (self == Self::Alone && rng.random_bool(0.5)) {
            let many = rng.random_range(2..=5);
            s.watchers = (0..many).map(|_| watcher(s, rng)).collect();
        }
        if self == Self::Alone {
            s.alone = Some(if rng.random_bool(0.5) {
                Role::Leader
            } else {
                Role::Follower
            });
        }
    }
}

/// Somebody who stands behind or beside the couple, or walks past behind it.
fn watcher(s: &Scenario, rng: &mut ChaCha8Rng) -> Watcher {
    let bearing = s.phones[0].bearing.to_radians();
    // In the phone's own directions: to the right, and away.
    let [right, away] = [
        rng.random_range(1.3..2.4) * if rng.random_bool(0.5) { 1.0 } else { -1.0 },
        rng.random_range(0.3..2.6),
    ];
    let (sin, cos) = bearing.sin_cos();
    let at = [right * cos - away * sin, right * sin + away * cos];
    let walks = rng.random_bool(0.2);
    let pace = rng.random_range(0.4..0.9);
    // A walker crosses behind the couple in the middle of what is looked at.
    let at = if walks {
        let begun = 4.0 * pace * right.signum();
        [begun * cos - 2.0 * sin, begun * sin + 2.0 * cos]
    } else {
        at
    };
    let way = if walks { -pace * right.signum() } else { 0.0 };
    Watcher {
        at,
        walks: [way * cos, way * sin],
        facing: rng.random_range(-180.0..180.0),
        height: if rng.random_bool(0.25) {
            rng.random_range(1.0..1.4)
        } else {
            rng.random_range(1.5..1.95)
        },
        person: rng.random(),
    }
}

/// How far hints lean away, by how far the phone looks down.
pub fn leans(all: &[[f64; 4]]) -> String {
    let mut page = String::from(
        "hints' lean away and to the right beyond the body's, by the phone's pitch:\n",
    );
    for range in crate::bodies::PITCHES.windows(2) {
        let of = |k: usize| {
            let some = all.iter().filter(|l| (range[0]..range[1]).contains(&l[3]));
            some.map(|l| l[k]).collect::<Vec<f64>>()
        };
        let [mut away, mut right, mut below, mut pitch] = [0, 1, 2, 3].map(of);
        let half = |v: &mut Vec<f64>| crate::quantile(v, 0.5);
        let _ = writeln!(
            page,
            "  pitch {:+.1}°, ray {:+.1}° down: away {:+.2}°, right {:+.2}° (middle half {:.1}°) of {}",
            half(&mut pitch),
            half(&mut below),
            half(&mut away),
            half(&mut right),
            crate::quantile(&mut away, 0.75) - crate::quantile(&mut away, 0.25),
            away.len(),
        );
    }
    let n = all.len().max(1) as f64;
    let mean = |k: usize| all.iter().map(|l| l[k]).sum::<f64>() / n;
    let (x, y) = (mean(2), mean(0));
    let (mut xx, mut xy) = (0.0, 0.0);
    for l in all {
        xx += (l[2] - x).powi(2);
        xy += (l[2] - x) * (l[0] - y);
    }
    let _ = write!(
        page,
        "  away = {:+.2}° {:+.3} for each degree down",
        y - xy / xx * x,
        xy / xx
    );
    page
}
