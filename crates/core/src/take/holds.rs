//! What the hands of a couple hold when, as the figure has it.

use crate::body::solve::Grip;
use crate::chart::Hold;
use crate::chart::vocabulary::{Hand, Spot};
use crate::measure::lay_grid;
use crate::take::Take;
use crate::units::{Foot, Role};

/// A hold is there this long before its count, seconds: hands arrive with the weight.
const EARLY: f64 = 0.06;

/// Holds over a take: from each moment on, seconds.
pub struct Holds<'a>(Vec<(f64, &'a [Hold])>);

impl<'a> Holds<'a> {
    /// By the named figure and the count; nothing is known without either.
    pub fn of(take: &Take<'a>) -> Self {
        let marks = take.marks;
        let chart = marks.chart.as_deref().and_then(|id| take.shelf.get(id));
        let Some(chart) = chart else {
            return Self(Vec::new());
        };
        let Ok(grid) = lay_grid(marks, marks.swing(chart.swing)) else {
            return Self(Vec::new());
        };
        let pattern = chart.pattern();
        let mut all: Vec<(f64, &[Hold])> = Vec::new();
        for repetition in 0..marks.repetitions {
            for (count, holds) in chart.layout().holds.iter().enumerate() {
                if let Some(at) = grid.time_of_count(pattern, repetition, count) {
                    all.push((at.secs(), holds));
                }
            }
        }
        if let Some(first) = all.first().map(|f| f.0) {
            all.insert(0, (first - grid.period_at(0.0), &chart.draft().holds));
        }
        Self(all)
    }

    /// Whether anything is known.
    pub fn known(&self) -> bool {
        !self.0.is_empty()
    }

    /// What the left and the right hand of a dancer hold at a moment, seconds: what is held both at the count before
    /// and at the next one, since nobody says when between them hands change.
    pub fn grips(&self, role: Role, seconds: f64) -> [Option<Grip>; 2] {
        let k = self.0.partition_point(|h| h.0 <= seconds + EARLY);
        let Some((_, before)) = k.checked_sub(1).map(|k| self.0[k]) else {
            return [None; 2];
        };
        let after = self.0.get(k).map_or(before, |a| a.1);
        let mut out = [None; 2];
        for hold in before.iter().filter(|h| after.contains(h)) {
            if let Some((foot, grip)) = grip(*hold, role) {
                out[foot as usize] = Some(grip);
            }
        }
        out
    }
}

fn side(hand: Hand) -> Foot {
    if hand.side() > 0.0 {
        Foot::Left
    } else {
        Foot::Right
    }
}

/// The hand of a role in a hold, and what it holds.
fn grip(hold: Hold, role: Role) -> Option<(Foot, Grip)> {
    let on = |spot: Spot| match spot {
        Spot::ShoulderBlade => Grip::ShoulderBlade,
        Spot::UpperArm => Grip::UpperArm,
        Spot::Shoulder => Grip::Shoulder,
        Spot::Back => Grip::Back,
        Spot::Waist => Grip::Waist,
    };
    match (hold, role) {
        (Hold::Hands(l, f), Role::Leader) => Some((side(l), Grip::Hand(side(f)))),
        (Hold::Hands(l, f), Role::Follower) => Some((side(f), Grip::Hand(side(l)))),
        (Hold::LeaderOn(l, spot), Role::Leader) => Some((side(l), on(spot))),
        (Hold::FollowerOn(spot, f), Role::Follower) => Some((side(f), on(spot))),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hand_holds_what_the_figure_says_of_it() {
        let read = |text: &str| Hold::read(text).unwrap();
        let joined = read("L-R");
        assert_eq!(
            grip(joined, Role::Leader),
            Some((Foot::Left, Grip::Hand(Foot::Right)))
        );
        assert_eq!(
            grip(joined, Role::Follower),
            Some((Foot::Right, Grip::Hand(Foot::Left)))
        );
        let round = read("R>shoulder-blade");
        assert_eq!(
            grip(round, Role::Leader),
            Some((Foot::Right, Grip::ShoulderBlade))
        );
        assert_eq!(grip(round, Role::Follower), None);
    }

    #[test]
    fn between_two_counts_only_what_both_have_is_held() {
        let [one, both] = [vec![read("L-R")], vec![read("L-R"), read("R-L")]];
        let holds = Holds(vec![(1.0, &one), (1.5, &both), (2.0, &one)]);
        let right = |t: f64| holds.grips(Role::Leader, t)[1];
        assert_eq!(holds.grips(Role::Leader, 0.5), [None; 2]);
        assert_eq!(
            holds.grips(Role::Leader, 1.2),
            [Some(Grip::Hand(Foot::Right)), None]
        );
        // On its own count it is there, and until the next one nobody knows.
        assert_eq!(right(1.46), None);
        assert_eq!(right(3.0), None);
        fn read(text: &str) -> Hold {
            Hold::read(text).unwrap()
        }
    }
}
