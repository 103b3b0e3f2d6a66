//! When feet arrive against the count, and against the partner's.

use super::body::reading;
use super::scene::{ARRIVAL_SIGMA, Answer};
use super::{Measure, Need, Scene, Spec, value};
use crate::count::median;
use crate::event::SWING_SIGMA;
use crate::units::{Estimate, Foot, Likely, Role, Unit};

/// Least arrivals of a repetition that tell how it was danced, and least found ones: not all feet are seen.
const LEAST: usize = 4;
const LEAST_FOUND: usize = 3;

/// Least found arrivals of each foot that tell how even the steps are.
const LEAST_OF_FOOT: usize = 2;

/// Largest standard errors with which a number still says something, seconds.
const MOST: f64 = 0.1;
const MOST_MEAN: f64 = 0.05;

pub(super) const ARRIVAL: Spec = Spec {
    id: "arrival",
    name: "Arrival against the count",
    unit: Unit::Seconds,
    sign: "positive is late",
    needs: &[Need::Count, Need::Steps],
    source: "called arrival minus the moment of the charted count; where none is called in the repetition, half a swing after the foot is half-way",
    compute: |scene, out| {
        let called = arrivals(scene).map(|(role, rep, count, late)| {
            let e = Estimate::new(late, ARRIVAL_SIGMA);
            (role, rep, count, e)
        });
        for (role, rep, count, late) in called.chain(found(scene)) {
            let sigma = late.sigma.hypot(grid_sigma(scene));
            let e = Estimate::new(late.value, sigma);
            out.push(Measure {
                reading: reading(e, MOST),
                ..value("arrival", Some(role), (rep, Some(count)), e)
            });
        }
    },
};

pub(super) const MEAN: Spec = Spec {
    id: "timing_mean",
    name: "Early or late on average",
    unit: Unit::Seconds,
    sign: "positive is late",
    needs: &[Need::Count, Need::Steps],
    source: "mean of the repetition's called arrivals, σ from their marking error and the grid's; of arrivals found from the feet what is likely, a few of them being strays, σ also from how long this dancer's swings may be",
    compute: |scene, out| {
        for (role, rep, late) in found_by_repetition(scene) {
            let e = Danced::new(&late).lateness();
            let sigma = e.sigma.hypot(SWING_SIGMA).hypot(grid_sigma(scene));
            let e = Estimate::new(e.value, sigma);
            out.push(of_repetition("timing_mean", Some(role), rep, e, MOST_MEAN));
        }
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
    source: "standard deviation of the repetition's arrivals with the marking error taken out. Of arrivals found from the feet what is likely, a few of them being strays",
    compute: |scene, out| {
        for (role, rep, late) in found_by_repetition(scene) {
            let Some((e, likely)) = scatter(&late) else {
                continue;
            };
            out.push(Measure {
                likely: Some(likely),
                ..of_repetition("timing_scatter", Some(role), rep, e, MOST_MEAN)
            });
        }
        for_repetitions(scene, out, "timing_scatter", |late| {
            let n = late.len() as f64;
            let mean = late.iter().sum::<f64>() / n;
            let variance = late.iter().map(|l| (l - mean).powi(2)).sum::<f64>() / (n - 1.0);
            called_scatter(variance, n)
        });
    },
};

/// The unevenness of so many called steps by the variance of their arrivals. Marking errors of variance m² add m² to
/// the steps' own v, with a variance of (4 v m² + 2 m⁴)/(n − 1); near zero a root's error is that of its square.
fn called_scatter(variance: f64, n: f64) -> Estimate {
    let marking = ARRIVAL_SIGMA * ARRIVAL_SIGMA;
    let own = (variance - marking).max(0.0);
    let off = ((4.0 * own + 2.0 * marking) * marking / (n - 1.0)).sqrt();
    Estimate::new(own.sqrt(), (own + off).sqrt() - own.sqrt())
}

pub(super) const DRIFT: Spec = Spec {
    id: "timing_drift",
    name: "Rush or drag through the figure",
    unit: Unit::Share,
    sign: "dragging is positive: seconds late for each second danced",
    needs: &[Need::Count, Need::Steps],
    source: "slope of the repetition's arrivals against the count over time, at least five of them; σ from their scatter about the line. Of arrivals found from the feet by Theil and Sen's median slope",
    compute: |scene, out| {
        for (role, rep, late) in found_by_repetition(scene) {
            if let Some(e) = steady_slope(&late) {
                out.push(of_repetition("timing_drift", Some(role), rep, e, 0.03));
            }
        }
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
                    out.push(of_repetition("timing_drift", Some(role), rep, e, 0.03));
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
    source: "follower's minus leader's arrival at a count both step on; of arrivals found from the feet what is likely over the repetition, since one alone is too poor",
    compute: |scene, out| {
        for rep in 0..scene.marks.repetitions {
            let apart = found_apart(scene, rep);
            if apart.len() >= LEAST_FOUND {
                let e = Danced::new(&apart).lateness();
                let sigma = e.sigma.hypot(SWING_SIGMA * std::f64::consts::SQRT_2);
                let e = Estimate::new(e.value, sigma);
                out.push(of_repetition("together", None, rep, e, MOST_MEAN));
            }
        }
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

/// The same of steps found from the feet, where none is called.
fn found<'s>(scene: &'s Scene<'_>) -> impl Iterator<Item = (Role, u32, usize, Estimate)> + 's {
    Role::BOTH.into_iter().flat_map(|role| {
        scene.found[role as usize]
            .iter()
            .map(move |a| (role, a.charted.repetition, a.charted.count, a.late()))
    })
}

/// An arrival found from the feet.
#[derive(Clone)]
struct Found {
    /// The moment of its count, seconds.
    at: f64,
    /// How much later it is.
    late: Estimate,
    foot: Foot,
}

impl Found {
    fn of(answer: &Answer) -> Self {
        Self {
            at: answer.charted.at.secs(),
            late: answer.late(),
            foot: answer.step.mark.foot,
        }
    }
}

/// The arrivals found of each role in each repetition that has enough of them.
fn found_by_repetition(scene: &Scene) -> Vec<(Role, u32, Vec<Found>)> {
    let mut out = Vec::new();
    for role in Role::BOTH {
        for rep in 0..scene.marks.repetitions {
            let of = scene.found[role as usize].iter();
            let of = of.filter(|a| a.charted.repetition == rep);
            let late: Vec<Found> = of.map(Found::of).collect();
            if late.len() >= LEAST_FOUND {
                out.push((role, rep, late));
            }
        }
    }
    out
}

/// How much later the follower's found arrivals are at the counts of a repetition where the leader's is found
/// as well.
fn found_apart(scene: &Scene, rep: u32) -> Vec<Found> {
    let [leader, follower] = &scene.found;
    follower
        .iter()
        .filter(|f| f.charted.repetition == rep)
        .filter_map(|f| {
            let same = |l: &&Answer| {
                let at = |a: &Answer| (a.charted.repetition, a.charted.count);
                at(l) == at(f)
            };
            let (l, f_late) = (leader.iter().find(same)?.late(), f.late());
            let e = Estimate::new(f_late.value - l.value, f_late.sigma.hypot(l.sigma));
            Some(Found {
                late: e,
                ..Found::of(f)
            })
        })
        .collect()
}

fn of_repetition(id: &str, role: Option<Role>, rep: u32, e: Estimate, most: f64) -> Measure {
    Measure {
        reading: reading(e, most),
        ..value(id, role, (rep, None), e)
    }
}

/// Standard deviation of numbers from the median of their distances to a middle.
fn robust(off: impl Iterator<Item = f64>) -> f64 {
    1.48 * median(off.map(f64::abs).collect())
}

/// Claimed standard error of found arrivals, root mean square.
fn own_error(late: &[Found]) -> f64 {
    let sum: f64 = late.iter().map(|l| l.late.sigma.powi(2)).sum();
    (sum / late.len().max(1) as f64).sqrt()
}

/// Share of found arrivals that belong to another step or to none: on simulated takes five to nine in a hundred lie
/// beyond 2σ, of which some by chance. How far off these are, seconds (1σ), is assumed: about half a count.
const STRAY: f64 = 0.05;
const STRAYS: f64 = 0.25;

/// Steps of the grid over which unevenness and lateness are summed up, seconds, and how many there are of
/// unevenness and of lateness to either side of the median.
const GRID: f64 = 0.006;
const UNEVEN: u32 = 34;
const LATER: i32 = 30;

/// How fast unevenness becomes unlikely where lateness is asked for (most steps are even), and where unevenness
/// itself is, seconds: of simulated takes' lateness 81 and 83 % lay within 1σ (one camera, two), of unevenness 63 and
/// 77 %.
const EVEN: f64 = 0.02;
const HARDLY: f64 = 0.1;

/// What found arrivals say of how late and how uneven the steps of a repetition are (Bayes): they lie about its
/// lateness by its unevenness and by their own errors, and a few are strays, a contaminated normal as in
/// [`crate::fault::Band::weigh`]. Of few arrivals it cannot be told whether the far ones are strays or the steps
/// uneven: then both stay likely, and the error is large.
struct Danced {
    /// In the middle of the grid of lateness.
    middle: f64,
    /// By unevenness, then by lateness, against the likeliest pair.
    likely: Vec<Vec<f64>>,
    /// Of the arrivals, seconds.
    errors: Vec<f64>,
}

impl Danced {
    fn new(late: &[Found]) -> Self {
        let middle = median(late.iter().map(|l| l.late.value).collect());
        let density = |off: f64, sigma: f64| (-0.5 * (off / sigma).powi(2)).exp() / sigma;
        let log = |uneven: f64, lateness: f64| {
            let each = late.iter().map(|l| {
                let off = l.late.value - lateness;
                let own = uneven.hypot(l.late.sigma);
                ((1.0 - STRAY) * density(off, own) + STRAY * density(off, STRAYS))
                    .max(f64::MIN_POSITIVE)
                    .ln()
            });
            each.sum::<f64>()
        };
        let logs: Vec<Vec<f64>> = (0..UNEVEN)
            .map(|i| GRID * f64::from(i))
            .map(|uneven| {
                let around = (-LATER..=LATER).map(|k| middle + GRID * f64::from(k));
                around.map(|lateness| log(uneven, lateness)).collect()
            })
            .collect();
        let top = logs
            .iter()
            .flatten()
            .copied()
            .fold(f64::NEG_INFINITY, f64::max);
        let likely = |row: Vec<f64>| row.into_iter().map(|l| (l - top).exp()).collect();
        Self {
            middle,
            likely: logs.into_iter().map(likely).collect(),
            errors: late.iter().map(|l| l.late.sigma).collect(),
        }
    }

    /// Mean lateness and its standard error.
    fn lateness(&self) -> Estimate {
        let mut likely = vec![0.0; self.likely.first().map_or(0, Vec::len)];
        for (i, row) in self.likely.iter().enumerate() {
            let rare = (-GRID * i as f64 / EVEN).exp();
            for (sum, l) in likely.iter_mut().zip(row) {
                *sum += rare * l;
            }
        }
        let e = expected(&likely);
        let least = self.middle - GRID * f64::from(LATER);
        Estimate::new(least + e.value, e.sigma)
    }

    /// Mean unevenness and its standard error, and what the arrivals say of it, all lateness being as likely.
    fn unevenness(&self) -> (Estimate, Likely) {
        let each: Vec<f64> = self.likely.iter().map(|row| row.iter().sum()).collect();
        let rare = |i: usize| (-GRID * i as f64 / HARDLY).exp();
        let weighed: Vec<f64> = each.iter().enumerate().map(|(i, l)| rare(i) * l).collect();
        let likely = Likely {
            from: 0.0,
            step: GRID,
            each,
            errors: self.errors.clone(),
        };
        (expected(&weighed), likely)
    }
}

/// Mean and standard deviation over steps of the grid from 0, each as likely as given.
fn expected(likely: &[f64]) -> Estimate {
    let moment = |power: i32| {
        let each = likely.iter().enumerate();
        each.map(|(i, l)| l * (GRID * i as f64).powi(power))
            .sum::<f64>()
    };
    let [sum, first, second] = [0, 1, 2].map(moment);
    let mean = first / sum;
    Estimate::new(mean, (second / sum - mean * mean).max(0.0).sqrt())
}

/// Unevenness of found arrivals, as [`Danced::unevenness`] has it.
///
/// `None` where too few are found, or too few of one foot: its steps may all be late against the other's.
fn scatter(late: &[Found]) -> Option<(Estimate, Likely)> {
    let of = |foot: Foot| late.iter().filter(|l| l.foot == foot).count();
    if late.len() < LEAST || of(Foot::Left).min(of(Foot::Right)) < LEAST_OF_FOOT {
        return None;
    }
    Some(Danced::new(late).unevenness())
}

/// Slope of found arrivals over time: the median of the slopes between all pairs (Theil, H. (1950); Sen, P. K.
/// (1968), J. Am. Stat. Assoc. 63), with a least-squares slope's error times the same 1.25.
fn steady_slope(late: &[Found]) -> Option<Estimate> {
    if late.len() < 5 {
        return None;
    }
    let mut slopes = Vec::new();
    for (i, a) in late.iter().enumerate() {
        let pairs = late[i + 1..].iter().filter(|b| (b.at - a.at).abs() > 0.05);
        slopes.extend(pairs.map(|b| (b.late.value - a.late.value) / (b.at - a.at)));
    }
    if slopes.is_empty() {
        return None;
    }
    let by = median(slopes);
    let level = median(late.iter().map(|l| l.late.value - by * l.at).collect());
    let rest = robust(late.iter().map(|l| l.late.value - by * l.at - level)).max(own_error(late));
    let n = late.len() as f64;
    let mx = late.iter().map(|l| l.at).sum::<f64>() / n;
    let sxx: f64 = late.iter().map(|l| (l.at - mx).powi(2)).sum();
    Some(Estimate::new(by, rest / sxx.sqrt()))
}

/// The leader's and the follower's lateness by found arrivals at counts where both are found, and the larger
/// standard error; for whose it is that they are not together.
pub(super) fn found_late(scene: &Scene, rep: u32) -> Option<([f64; 2], f64)> {
    if found_apart(scene, rep).len() < LEAST_FOUND {
        return None;
    }
    let of = |role: Role| {
        let of = scene.found[role as usize].iter();
        let of = of.filter(|a| a.charted.repetition == rep);
        Danced::new(&of.map(Found::of).collect::<Vec<_>>()).lateness()
    };
    let [l, f] = Role::BOTH.map(of);
    Some(([l.value, f.value], l.sigma.max(f.sigma).hypot(SWING_SIGMA)))
}

/// A measure over each repetition in which a role has arrivals enough that were called.
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
            if late.len() >= LEAST {
                out.push(value(id, Some(role), (rep, None), f(&late)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault::Band;
    use rand::{Rng, SeedableRng};
    use rand_distr::{Distribution, StandardNormal};

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

    /// What a hand that calls arrivals to 14 ms hides of steps whose unevenness is known.
    #[test]
    fn called_arrivals_claim_the_unevenness_that_marking_leaves() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(5);
        for (uneven, n) in [(0.0, 6), (0.012, 6), (0.03, 8), (0.06, 4)] {
            let steps: Vec<f64> = (0..n)
                .map(|i| if i % 2 == 0 { 1.0 } else { -1.0 })
                .collect();
            let of = f64::from(n);
            // Steps by turns early and late, whose standard deviation is the one asked for.
            let size = uneven * ((of - 1.0) / of).sqrt();
            let (mut one, mut two) = (0.0, 0.0);
            for _ in 0..2000 {
                let called = steps.iter().map(|s| {
                    let z: f64 = StandardNormal.sample(&mut rng);
                    size * s + ARRIVAL_SIGMA * z
                });
                let called: Vec<f64> = called.collect();
                let mean = called.iter().sum::<f64>() / of;
                let variance = called.iter().map(|c| (c - mean).powi(2)).sum::<f64>() / (of - 1.0);
                let e = called_scatter(variance, of);
                let off = (e.value - uneven).abs() / e.sigma;
                one += f64::from(u8::from(off <= 1.0)) / 2000.0;
                two += f64::from(u8::from(off <= 2.0)) / 2000.0;
            }
            // Where steps are about as uneven as the marking none at all is found of them now and then.
            assert!((0.52..0.8).contains(&one), "{uneven}: {one} within 1σ");
            // Where they are even only errors to one side are left, with a longer tail.
            assert!(two > 0.87, "{uneven}: {two} within 2σ");
        }
    }

    /// Arrivals half a second apart, each found to 30 ms.
    fn seen(late: &[f64]) -> Vec<Found> {
        late.iter()
            .enumerate()
            .map(|(i, l)| Found {
                at: 0.5 * i as f64,
                late: Estimate::new(*l, 0.03),
                foot: [Foot::Left, Foot::Right][i % 2],
            })
            .collect()
    }

    fn uneven(late: &[Found]) -> Estimate {
        scatter(late).unwrap().0
    }

    #[test]
    fn one_foot_alone_does_not_tell_how_even_the_steps_are() {
        let mut late = seen(&[0.12, -0.12, 0.12, -0.12, 0.12]);
        assert!(scatter(&late).is_some() && scatter(&late[..3]).is_none());
        late.retain(|l| l.foot == Foot::Left || l.at < 1.0);
        assert!(scatter(&late).is_none());
        // Of four, one that lies far off may be wild or not; of many it is wild.
        let few = uneven(&seen(&[0.01, 0.0, 0.02, 0.25]));
        let many = uneven(&seen(&[
            0.01, 0.0, 0.02, 0.25, 0.0, 0.01, 0.02, 0.0, 0.01, 0.02,
        ]));
        assert!(
            few.sigma > 0.03 && many.sigma < 0.5 * few.sigma,
            "{few:?} {many:?}"
        );
    }

    #[test]
    fn two_wild_arrivals_do_not_move_the_rest() {
        let clean = seen(&[0.13, 0.15, 0.14, 0.12, 0.16, 0.14, 0.13]);
        let wild = seen(&[0.13, 0.15, -0.5, 0.12, 0.16, 0.28, 0.13]);
        let [a, b] = [&clean, &wild].map(|l| Danced::new(l).lateness());
        assert!((a.value - 0.1386).abs() < 0.002, "{a:?}");
        assert!((b.value - a.value).abs() < 0.015, "{b:?}");
        // Seven arrivals of 30 ms, as their mean's, and a little for steps that may be uneven.
        let own = 0.03 / 7f64.sqrt();
        assert!((own..1.3 * own).contains(&a.sigma), "{a:?}");
        assert!(b.sigma >= a.sigma);
        // Nor do they make a steady dancer surely uneven.
        let e = uneven(&wild);
        assert!(e.value < 1.5 * e.sigma, "{e:?}");
        assert!(uneven(&clean).value < 0.02, "{:?}", uneven(&clean));
    }

    /// A dancer whose steps are as late as each other but for chance, now and then one that belongs elsewhere.
    #[test]
    fn lateness_claims_what_found_arrivals_leave_open() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(7);
        for n in [3, 5, 9] {
            let (mut one, mut two) = (0, 0);
            for _ in 0..300 {
                let late: Vec<f64> = (0..n)
                    .map(|_| {
                        let z: f64 = StandardNormal.sample(&mut rng);
                        let stray = rng.random_bool(STRAY);
                        0.08 + z * if stray { STRAYS } else { 0.03 }
                    })
                    .collect();
                let e = Danced::new(&seen(&late)).lateness();
                let off = (e.value - 0.08).abs() / e.sigma;
                one += u32::from(off <= 1.0);
                two += u32::from(off <= 2.0);
            }
            assert!((195..260).contains(&one), "{n}: {one} of 300 within 1σ");
            assert!(two > 275, "{n}: {two} of 300 within 2σ");
        }
    }

    #[test]
    fn steps_early_and_late_by_turns_are_uneven_by_their_standard_deviation() {
        let e = uneven(&seen(&[0.12, -0.12, 0.12, -0.12, 0.12, -0.12]));
        // Of six, more than their own deviation is likely too.
        assert!((0.11..0.14).contains(&e.value), "{e:?}");
        assert!((0.018..0.04).contains(&e.sigma), "{e:?}");
        // Their own error is no unevenness; some may hide in it.
        let steady = uneven(&seen(&[0.02, -0.02, 0.02, -0.02, 0.0]));
        assert!(
            steady.value < 0.03 && steady.sigma > 0.5 * steady.value,
            "{steady:?}"
        );
        // More arrivals tell better.
        let long = uneven(&seen(&[0.12, -0.12].repeat(8)));
        assert!(long.sigma < 0.8 * e.sigma, "{long:?}");
        assert!((long.value - 0.12).abs() < 0.01, "{long:?}");
    }

    #[test]
    fn uneven_steps_of_which_half_lie_together_are_no_strays() {
        // Their median distance to the median is 40 ms.
        let e = uneven(&seen(&[0.25, 0.0, -0.06, 0.26, 0.01, 0.05, 0.24, -0.02]));
        assert!(e.value > 0.08 && e.value > 3.0 * e.sigma, "{e:?}");
    }

    /// Drawn repetitions whose steps are as uneven as the clear edge has it: most show it where many arrivals are well
    /// known, hardly any where it is not said to tell. In between, where a few might be strays, other repetitions help.
    #[test]
    fn found_arrivals_tell_unevenness_where_it_would_show() {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
        let band = Band {
            fine: [None, Some(0.045)],
            clear: [None, Some(0.09)],
        };
        let mut of = |readings: usize, own: f64| {
            let mut draw = || {
                let z = |_| StandardNormal.sample(&mut rng);
                let late: Vec<f64> = (0..readings).map(z).collect();
                let late: Vec<f64> = late.iter().map(|z: &f64| z * own.hypot(0.09)).collect();
                let mut all = seen(&late);
                all.iter_mut().for_each(|one| one.late.sigma = own);
                scatter(&all).unwrap().1
            };
            let said: Vec<Likely> = (0..200).map(|_| draw()).collect();
            let shows = |l: &&Likely| band.weigh_likely(l, 0.0).probability(1.0) >= 0.8;
            // A wild reading tells nothing.
            assert!(!band.tells_likely(&said[0], 1.0, 0.8));
            let share = said.iter().filter(shows).count() as f64 / 200.0;
            (band.tells_likely(&said[0], 0.0, 0.8), share)
        };
        for (readings, own) in [(10, 0.02), (14, 0.03)] {
            let (tells, share) = of(readings, own);
            assert!(tells && share > 0.5, "{readings} of {own}: {share}");
        }
        for (readings, own) in [(5, 0.06), (8, 0.06), (8, 0.08), (12, 0.1)] {
            let (tells, share) = of(readings, own);
            assert!(!tells && share < 0.2, "{readings} of {own}: {share}");
        }
    }

    #[test]
    fn half_the_squares_of_a_few_say_little() {
        // A scatter just above its own error is not told from none.
        let e = uneven(&seen(&[0.04, -0.04, 0.03, -0.03]));
        assert!(e.value > 0.0 && e.value < 2.0 * e.sigma, "{e:?}");
    }

    #[test]
    fn dragging_is_seen_through_a_wild_arrival() {
        let mut late: Vec<f64> = (0..8).map(|i| 0.06 * 0.5 * f64::from(i)).collect();
        late[3] = -0.4;
        let e = steady_slope(&seen(&late)).unwrap();
        assert!((e.value - 0.06).abs() < 0.012, "{e:?}");
        assert!(e.sigma < 0.02, "{e:?}");
        assert!(steady_slope(&seen(&late[..4])).is_none());
        // Counts that fall together tell no slope.
        let same = vec![seen(&[0.1])[0].clone(); 6];
        assert!(steady_slope(&same).is_none());
    }
}
