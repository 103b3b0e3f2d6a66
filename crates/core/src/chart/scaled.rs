//! A chart in the lengths of one couple or of one dancer, with the reason for each change.

use serde::Serialize;

use super::Chart;
use super::layout::Layout;
use super::part::ChartRow;
use super::path::{Stance, Stride, Trail, moments, relation, start, trail};
use super::place::WRITTEN_FOR;
use super::vocabulary::Position;
use crate::units::Role;

/// From this difference of heights on, a closed couple turns at most the first stage's amount and
/// takes shorter steps, metres.
const MUCH_TALLER: f64 = 0.18;

/// What of a step is left for such a couple.
const SHORTER: f64 = 0.9;

/// One step in somebody's own lengths.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ScaledStep {
    /// Count of the chart.
    pub count: usize,
    /// From the standing foot's side to where the step lands, metres; 0 for what does not travel.
    pub length: f64,
    /// Turn, eighths.
    pub turn: i32,
}

/// A chart in somebody's own lengths.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Scaled {
    /// Steps by role; a role that is left out is empty.
    pub steps: [Vec<ScaledStep>; 2],
    /// The same on the floor; none for a role that is left out.
    pub trails: [Option<Trail>; 2],
    /// Distance at the start, metres; absent for one dancer alone.
    pub gap: Option<f64>,
    /// Distance of the bodies after each count, metres; empty for one dancer alone.
    pub distances: Vec<f64>,
    /// Why the amounts are what they are.
    pub reasons: Vec<String>,
}

fn steps(rows: &[ChartRow], stride: Stride) -> Vec<ScaledStep> {
    rows.iter()
        .map(|r| ScaledStep {
            count: r.count,
            length: r.size * stride.step,
            turn: r.turn,
        })
        .collect()
}

fn cm(metres: f64) -> String {
    format!("{:.0} cm", 100.0 * metres)
}

/// A role alone, for practice without a partner.
pub fn solo(chart: &Chart, role: Role, height: f64) -> Scaled {
    let stride = Stride::alone(height);
    let from = Stance::standing([0.0, 0.0], 0.0, height);
    let rows = chart.rows(role);
    let mut out = Scaled {
        steps: [Vec::new(), Vec::new()],
        trails: [None, None],
        gap: None,
        distances: Vec::new(),
        reasons: vec![format!(
            "Alone, a full step is your own: {} for a height of {}.",
            cm(stride.step),
            cm(height)
        )],
    };
    if !chart.holds.is_empty() {
        out.reasons.push(
            "Without a partner nothing holds you: keep the arm's shape as if the hand were there, and stop over your own foot."
                .into(),
        );
    }
    out.steps[role as usize] = steps(rows, stride);
    let standing = chart.layout().standing(role);
    out.trails[role as usize] = Some(trail(rows, from, standing, stride));
    out
}

/// A chart for a couple of these heights; `second`: with the turns of the second stage.
pub fn for_couple(chart: &Chart, heights: [f64; 2], second: bool) -> Scaled {
    let mean = 0.5 * (heights[0] + heights[1]);
    let close = matches!(
        chart.start.position,
        Position::Closed
            | Position::CloseEmbrace
            | Position::Promenade
            | Position::CounterPromenade
            | Position::OutsidePartner
    );
    let uneven = close && (heights[0] - heights[1]).abs() >= MUCH_TALLER;
    let [own_l, own_f] = heights.map(|h| Stride::alone(h).step);
    let joined = Stride::joined(Role::Leader, heights).step;
    let mut reasons = vec![format!(
        "Joined, both take the same full step, the mean of their own: {} (the leader's {}, the follower's {}).",
        cm(joined),
        cm(own_l),
        cm(own_f)
    )];
    let gap = chart.start.gap * mean / WRITTEN_FOR;
    if (gap - chart.start.gap).abs() >= 0.005 {
        reasons.push(format!(
            "The distance at the start grows with the mean height: {} instead of {}.",
            cm(gap),
            cm(chart.start.gap)
        ));
    }
    if uneven {
        reasons.push(format!(
            "{} between you in a closed hold: steps a tenth shorter, so that the knees do not meet{}.",
            cm((heights[0] - heights[1]).abs()),
            if second {
                "; and the first stage's turns, since the shorter partner travels the longer way round"
            } else {
                ""
            }
        ));
    }
    let second = second && !uneven;
    let rows = Role::BOTH.map(|role| {
        let mut rows = chart.rows(role).to_vec();
        for r in &mut rows {
            if second {
                r.turn = r.second_turn;
            }
            if uneven {
                r.size *= SHORTER;
            }
        }
        rows
    });
    let layout = Layout {
        rows: rows.clone(),
        ..chart.layout().clone()
    };
    let distances = moments(chart, &layout, heights)[1..]
        .iter()
        .map(|m| relation(m).distance)
        .collect();
    if !uneven
        && moments(chart, chart.layout(), heights)
            .iter()
            .zip(holds_at(chart))
            .any(|(m, holds)| {
                holds
                    .iter()
                    .any(|h| super::check::shortfall(*h, m, heights) > 0.0)
            })
    {
        reasons.push(
            "For these heights a hold runs out of reach in this figure: take smaller steps apart."
                .into(),
        );
    }
    Scaled {
        steps: Role::BOTH.map(|r| steps(&rows[r as usize], Stride::joined(r, heights))),
        trails: Role::BOTH.map(|r| {
            let from = start(&chart.start, r, heights);
            let standing = chart.layout().standing(r);
            Some(trail(
                &rows[r as usize],
                from,
                standing,
                Stride::joined(r, heights),
            ))
        }),
        gap: Some(gap),
        distances,
        reasons,
    }
}

/// Holds before the first count and after each.
fn holds_at(chart: &Chart) -> impl Iterator<Item = &Vec<super::Hold>> {
    std::iter::once(&chart.draft().holds).chain(&chart.layout().holds)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;

    #[test]
    fn alone_the_own_step_counts_and_the_partner_is_left_out() {
        let c = chart("bolero-basic").unwrap();
        let s = solo(c, Role::Follower, 1.6);
        assert!(s.steps[0].is_empty() && s.gap.is_none() && s.distances.is_empty());
        // 60 % of a step of 0.41 H.
        assert!((s.steps[1][0].length - 0.6 * 0.41 * 1.6).abs() < 1e-9);
        assert!(s.reasons[0].contains("66 cm"));
    }

    #[test]
    fn a_couple_takes_the_mean_and_an_uneven_one_less() {
        let c = chart("bolero-basic").unwrap();
        let even = for_couple(c, [1.8, 1.7], false);
        // As for two people of the mean height, since everything on the floor grows with it.
        let mean = for_couple(c, [1.75, 1.75], false);
        assert_eq!(even.distances.len(), c.pattern().marks.len());
        for (a, b) in even.distances.iter().zip(&mean.distances) {
            assert!((a - b).abs() < 0.02, "{a} {b}");
        }
        assert!((even.steps[0][0].length - 0.6 * 0.41 * 1.75).abs() < 1e-9);
        assert!((even.steps[0][0].length - even.steps[1][0].length).abs() < 1e-9);
        let uneven = for_couple(c, [1.9, 1.6], true);
        assert!((uneven.steps[0][0].length - 0.9 * 0.6 * 0.41 * 1.75).abs() < 1e-9);
        assert!(uneven.reasons.iter().any(|r| r.contains("a tenth shorter")));
        assert!(uneven.reasons.iter().any(|r| r.contains("first stage")));
    }

    #[test]
    fn the_second_stage_turns_more() {
        let c = crate::chart::charts()
            .iter()
            .find(|c| c.has_second_stage())
            .unwrap();
        let sum = |second| -> i32 {
            let s = for_couple(c, [1.75, 1.7], second);
            s.steps.iter().flatten().map(|s| s.turn.abs()).sum()
        };
        assert!(sum(true) > sum(false), "{}", c.id);
    }
}
