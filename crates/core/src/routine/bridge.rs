//! What would fit between two figures that do not join: shortest paths over the library.
//!
//! Uniform-cost search (Dijkstra 1959), kept up for the k best paths by letting every figure be left k
//! times; a figure is reached from another when they join, at the cost of its beats.

use std::cmp::Ordering;
use std::collections::BinaryHeap;

use serde::Serialize;

use super::Item;
use super::joint::{End, join};
use crate::chart::{Chart, Shelf};

/// Most figures of a bridge.
const MOST: usize = 3;

/// Best bridges that are given.
const BEST: usize = 3;

/// What a change of hands costs, beats: a bridge without one is shown first.
const CHANGE: f64 = 0.5;

/// Figures that fit between two others.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Bridge {
    /// In order; the last entry of `last_change` may follow.
    pub items: Vec<Item>,
    /// Hands that change after the last of them.
    pub last_change: Vec<crate::chart::HoldChange>,
    /// Beats they fill.
    pub beats: u32,
}

struct Path {
    cost: f64,
    order: usize,
    /// Candidates by index, with the change of hands before each.
    steps: Vec<(usize, Vec<crate::chart::HoldChange>)>,
    beats: u32,
}

impl PartialEq for Path {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}
impl Eq for Path {}
impl PartialOrd for Path {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Path {
    /// The heap gives the greatest: cheapest first, then the one found first.
    fn cmp(&self, other: &Self) -> Ordering {
        other
            .cost
            .total_cmp(&self.cost)
            .then(other.order.cmp(&self.order))
    }
}

struct Candidate<'a> {
    chart: &'a Chart,
    first: End,
    last: End,
    beats: u32,
}

fn candidates<'a>(shelf: &'a Shelf, dances: &[&str]) -> Vec<Candidate<'a>> {
    shelf
        .all()
        .filter(|c| dances.contains(&c.dance.as_str()))
        .map(|chart| Candidate {
            chart,
            first: End::first(chart),
            last: End::last(chart),
            beats: chart.pattern().beats,
        })
        .collect()
}

/// Searches from an end over the candidates; `goal` says of a path's end and beats whether it is one,
/// with a change of hands where it needs one, and `most_beats` bounds the paths.
fn search(
    from: &End,
    among: &[Candidate],
    most_beats: u32,
    goal: impl Fn(&End, u32) -> Option<Vec<crate::chart::HoldChange>>,
) -> Vec<Bridge> {
    let mut heap = BinaryHeap::new();
    let mut left = vec![0usize; among.len()];
    let mut order = 0;
    let mut found = Vec::new();
    heap.push(Path {
        cost: 0.0,
        order,
        steps: Vec::new(),
        beats: 0,
    });
    while let Some(path) = heap.pop() {
        let here = path.steps.last().map_or(from, |(i, _)| &among[*i].last);
        if let Some((last, _)) = path.steps.last() {
            if let Some(last_change) = goal(here, path.beats) {
                found.push(Bridge {
                    items: path
                        .steps
                        .iter()
                        .map(|(i, change)| Item {
                            chart: among[*i].chart.id.clone(),
                            times: 1,
                            change: change.clone(),
                        })
                        .collect(),
                    last_change,
                    beats: path.beats,
                });
                if found.len() == BEST {
                    break;
                }
                continue;
            }
            left[*last] += 1;
            if left[*last] > BEST {
                continue;
            }
        }
        if path.steps.len() == MOST {
            continue;
        }
        for (i, c) in among.iter().enumerate() {
            let beats = path.beats + c.beats;
            if beats > most_beats {
                continue;
            }
            let joint = join(here, &c.first);
            let change = joint.fits_with_change();
            if joint.fits() || change {
                order += 1;
                let mut steps = path.steps.clone();
                steps.push((i, joint.change));
                heap.push(Path {
                    cost: path.cost + f64::from(c.beats) + if change { CHANGE } else { 0.0 },
                    order,
                    steps,
                    beats,
                });
            }
        }
    }
    // The hands that change at the very end were not known while the paths were ordered.
    found.sort_by_key(|b| {
        let before: usize = b.items.iter().map(|i| i.change.len()).sum();
        (b.beats, before + b.last_change.len())
    });
    found
}

/// The shortest bridges from one figure to another, at most three, over the figures of their dances.
pub fn bridges(shelf: &Shelf, before: &Chart, after: &Chart) -> Vec<Bridge> {
    let among = candidates(shelf, &[&before.dance, &after.dance]);
    let goal = End::first(after);
    search(&End::last(before), &among, 64, |end, _| {
        let j = join(end, &goal);
        (j.fits() || j.fits_with_change()).then_some(j.change)
    })
}

/// What fills exactly so many beats after a figure, at most three ways.
pub fn fillers(shelf: &Shelf, before: &Chart, beats: u32) -> Vec<Bridge> {
    let among = candidates(shelf, &[&before.dance]);
    search(&End::last(before), &among, beats, |_, filled| {
        (filled == beats).then(Vec::new)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;

    fn ids(b: &Bridge) -> Vec<&str> {
        b.items.iter().map(|i| i.chart.as_str()).collect()
    }

    #[test]
    fn promenade_is_reached_through_the_opening() {
        let shelf = Shelf::default();
        let walks = chart("slow-promenade-close").unwrap();
        let found = bridges(&shelf, walks, walks);
        assert_eq!(ids(&found[0]), ["slow-open-out"]);
        assert_eq!(found[0].beats, 8);
        // Longer ones come after it.
        assert!(found.windows(2).all(|w| w[0].beats <= w[1].beats));
    }

    #[test]
    fn every_bridge_joins_at_all_its_joints() {
        let shelf = Shelf::default();
        let all = crate::chart::charts();
        let mut tried = 0;
        for a in all {
            for b in all.iter().filter(|b| b.dance == a.dance) {
                if join(&End::last(a), &End::first(b)).fits() {
                    continue;
                }
                for bridge in bridges(&shelf, a, b) {
                    let mut end = End::last(a);
                    for item in &bridge.items {
                        let c = chart(&item.chart).unwrap();
                        let j = join(&end.changed(&item.change), &End::first(c));
                        assert!(j.fits(), "{} to {}: {:?}", a.id, b.id, j.sentences);
                        end = End::last(c);
                    }
                    assert!(join(&end.changed(&bridge.last_change), &End::first(b)).fits());
                    tried += 1;
                }
            }
        }
        assert!(tried > 10, "{tried}");
    }

    #[test]
    fn the_rest_of_a_phrase_is_filled_to_the_beat() {
        let shelf = Shelf::default();
        let basic = chart("bolero-basic").unwrap();
        let found = fillers(&shelf, basic, 16);
        assert!(!found.is_empty());
        assert!(found.iter().all(|b| b.beats == 16));
        assert_eq!(fillers(&shelf, basic, 3), vec![]);
    }
}
