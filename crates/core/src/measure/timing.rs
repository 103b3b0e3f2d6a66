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

/// A standard deviation's error toward less scatter as a share of its symmetric one, of four to ten values
/// (from the χ² distribution). Toward less is where the bands lie.
const TOWARD_LESS: f64 = 0.65;

pub(super) const SCATTER: Spec = Spec {
    id: "timing_scatter",
    name: "Unevenness of the steps",
    unit: Unit::Seconds,
    sign: "always positive",
    needs: &[Need::Count, Need::Steps],
    source: "standard deviation of the repetition's arrivals with the marking error taken out; σ toward less scatter",
    compute: |scene, out| {
        for_repetitions(scene, out, "timing_scatter", |late| {
            let n = late.len() as f64;
            let mean = late.iter().sum::<f64>() / n;
            let variance = late.iter().map(|l| (l - mean).powi(2)).sum::<f64>() / (n - 1.0);
            let own = (variance - ARRIVAL_SIGMA * ARRIVAL_SIGMA).max(0.0).sqrt();
            let about = variance.sqrt().max(ARRIVAL_SIGMA) / (2.0 * (n - 1.0)).sqrt();
            Estimate::new(own, TOWARD_LESS * about)
        });
    },
};

pub(super) const DRIFT: Spec = Spec {
    id: "timing_drift",
    name: "Rush or drag through the figure",
    unit: Unit::Share,
    sign: "dragging is positive: seconds late for each second danced",
    needs: &[Need::Count, Need::Steps],
    source: "slope of the repetition's arrivals against the count over time, at least five of them; σ from their scatter about the line",
    compute: |scene, out| {
        for role in Role::BOTH {
            for rep in 0..scene.marks.repetitions {
                let of: Vec<(f64, f64)> = scene.aligned[role as usize]
                    .iter()
                    .filter(|a| a.charted.repetition == rep)
                    .filter_map(|a| {
                        let late = a.observed?.at.since(a.charted.at);
                        Some((a.charted.at.secs(), late))
                    })
                    .collect();
                if let Some(e) = slope(&of).filter(|_| of.len() >= 5) {
                    let at = (rep, None);
                    out.push(Measure {
                        reading: super::body::reading(e, 0.03),
                        ..value("timing_drift", Some(role), at, e)
                    });
                }
            }
        }
    },
};

/// Slope of a straight line through points, with its standard error.
fn slope(points: &[(f64, f64)]) -> Option<Estimate> {
    let n = points.len() as f64;
    let (mx, my) = points
        .iter()
        .fold((0.0, 0.0), |s, p| (s.0 + p.0 / n, s.1 + p.1 / n));
    let sxx: f64 = points.iter().map(|p| (p.0 - mx).powi(2)).sum();
    let by = points.iter().map(|p| (p.0 - mx) * (p.1 - my)).sum::<f64>() / sxx;
    let rest: f64 = points
        .iter()
        .map(|p| (p.1 - my - by * (p.0 - mx)).powi(2))
        .sum();
    let scatter = (rest / (n - 2.0)).sqrt().max(ARRIVAL_SIGMA);
    (n > 2.0 && sxx > 0.0).then(|| Estimate::new(by, scatter / sxx.sqrt()))
}

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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drift_is_the_slope_of_the_arrivals() {
        let points: Vec<(f64, f64)> = (0..8)
            .map(|i| {
                let t = 0.5 * f64::from(i);
                (t, 0.04 * t + if i % 2 == 0 { 0.01 } else { -0.01 })
            })
            .collect();
        let e = slope(&points).unwrap();
        assert!((e.value - 0.04).abs() < e.sigma, "{e:?}");
        assert!((0.004..0.012).contains(&e.sigma), "{e:?}");
        assert!(slope(&points[..2]).is_none());
    }
}
