//! When feet arrive against the count, and against the partner's.

use super::scene::ARRIVAL_SIGMA;
use super::{Measure, Need, Scene, Spec, value};
use crate::units::{Estimate, Role, Unit};

pub(super) const ARRIVAL: Spec = Spec {
    id: "arrival",
    name: "Arrival against the count",
    unit: Unit::Seconds,
    sign: "positive is late",
    needs: &[Need::Count, Need::Steps],
    source: "marked arrival minus the moment of the charted count",
    compute: |scene, out| {
        for (role, rep, count, late) in arrivals(scene) {
            let sigma = ARRIVAL_SIGMA.hypot(grid_sigma(scene));
            out.push(value(
                "arrival",
                Some(role),
                (rep, Some(count)),
                Estimate::new(late, sigma),
            ));
        }
    },
};

pub(super) const MEAN: Spec = Spec {
    id: "timing_mean",
    name: "Early or late on average",
    unit: Unit::Seconds,
    sign: "positive is late",
    needs: &[Need::Count, Need::Steps],
    source: "mean of the repetition's arrivals; σ from their marking error and the grid's",
    compute: |scene, out| {
        for_repetitions(scene, out, "timing_mean", |late| {
            let n = late.len() as f64;
            let mean = late.iter().sum::<f64>() / n;
            Estimate::new(mean, (ARRIVAL_SIGMA / n.sqrt()).hypot(grid_sigma(scene)))
        });
    },
};

pub(super) const SCATTER: Spec = Spec {
    id: "timing_scatter",
    name: "Unevenness of the steps",
    unit: Unit::Seconds,
    sign: "always positive",
    needs: &[Need::Count, Need::Steps],
    source: "standard deviation of the repetition's arrivals with the marking error taken out",
    compute: |scene, out| {
        for_repetitions(scene, out, "timing_scatter", |late| {
            let n = late.len() as f64;
            let mean = late.iter().sum::<f64>() / n;
            let variance = late.iter().map(|l| (l - mean).powi(2)).sum::<f64>() / (n - 1.0);
            let own = (variance - ARRIVAL_SIGMA * ARRIVAL_SIGMA).max(0.0).sqrt();
            Estimate::new(
                own,
                variance.sqrt().max(ARRIVAL_SIGMA) / (2.0 * (n - 1.0)).sqrt(),
            )
        });
    },
};

pub(super) const TOGETHER: Spec = Spec {
    id: "together",
    name: "Partners' arrivals apart",
    unit: Unit::Seconds,
    sign: "positive when the follower arrives later",
    needs: &[Need::Count, Need::Steps],
    source: "follower's minus leader's arrival at a count both step on",
    compute: |scene, out| {
        let leader: Vec<_> = arrivals(scene).filter(|a| a.0 == Role::Leader).collect();
        for (_, rep, count, late) in arrivals(scene).filter(|a| a.0 == Role::Follower) {
            if let Some(l) = leader.iter().find(|a| (a.1, a.2) == (rep, count)) {
                out.push(value(
                    "together",
                    None,
                    (rep, Some(count)),
                    Estimate::new(late - l.3, ARRIVAL_SIGMA * std::f64::consts::SQRT_2),
                ));
            }
        }
    },
};

fn grid_sigma(scene: &Scene) -> f64 {
    scene.grid.as_ref().map_or(0.0, |g| g.sigma)
}

/// (role, repetition, count, seconds late) of every answered step.
fn arrivals<'s>(scene: &'s Scene<'_>) -> impl Iterator<Item = (Role, u32, usize, f64)> + 's {
    Role::BOTH.into_iter().flat_map(|role| {
        scene.aligned[role as usize].iter().filter_map(move |a| {
            let late = a.observed?.at.since(a.charted.at);
            Some((role, a.charted.repetition, a.charted.count, late))
        })
    })
}

/// A measure over each repetition in which a role has at least four arrivals.
fn for_repetitions(
    scene: &Scene,
    out: &mut Vec<Measure>,
    id: &str,
    f: impl Fn(&[f64]) -> Estimate,
) {
    for role in Role::BOTH {
        for rep in 0..scene.marks.repetitions {
            let late: Vec<f64> = arrivals(scene)
                .filter(|a| a.0 == role && a.1 == rep)
                .map(|a| a.3)
                .collect();
            if late.len() >= 4 {
                out.push(value(id, Some(role), (rep, None), f(&late)));
            }
        }
    }
}
