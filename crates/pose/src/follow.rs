//! Two dancers followed through a clip: which of the people found in each picture is which of the two.

use crate::people::{Person, far, point};

/// The people of one picture.
#[derive(Debug, Clone)]
pub struct Crowd {
    /// Seconds of the clip.
    pub at: f64,
    /// Whoever was found.
    pub people: Vec<Person>,
}

/// Longest gap that is bridged between two sights, seconds.
const BRIDGE: f64 = 1.2;

/// Cost of a dancer who is not found, against one trunk's length a moment of moving.
const MISSING: f64 = 1.6;

/// Cost of a colour that is as far from the dancer's own as the partner's is.
const COLOUR: f64 = 2.5;

/// How fast the middle of a dancer may go before it costs, trunk lengths a second.
const PACE: f64 = 2.5;

/// Who is chosen in a picture: numbers of the two dancers' people.
type Choice = [Option<usize>; 2];

/// What of a dancer's past a decision needs: when, where and how large it was last.
type Last = [Option<(f64, [f64; 2], f64)>; 2];

fn choices(people: &[Person]) -> Vec<Choice> {
    // A watcher at the side is rarely larger than the couple: the largest four are looked at.
    let mut by_size: Vec<usize> = (0..people.len()).collect();
    by_size.sort_by(|a, b| people[*b].height().total_cmp(&people[*a].height()));
    by_size.truncate(4);
    let mut out = vec![[None, None]];
    for a in &by_size {
        out.push([Some(*a), None]);
        out.push([None, Some(*a)]);
        for b in &by_size {
            if a != b {
                out.push([Some(*a), Some(*b)]);
            }
        }
    }
    out
}

fn between_colours(a: &[f64; 6], b: &[f64; 6]) -> f64 {
    a.iter()
        .zip(b)
        .map(|(x, y)| (x - y).powi(2))
        .sum::<f64>()
        .sqrt()
}

/// The two dancers' own colours, from the pictures that show exactly two people.
fn colours(crowds: &[Crowd]) -> Option<[[f64; 6]; 2]> {
    let pairs: Vec<[&Person; 2]> = crowds
        .iter()
        .filter(|c| c.people.len() >= 2)
        .map(|c| [&c.people[0], &c.people[1]])
        .collect();
    let mut means = pairs
        .iter()
        .max_by(|a, b| {
            between_colours(&a[0].colour, &a[1].colour)
                .total_cmp(&between_colours(&b[0].colour, &b[1].colour))
        })
        .map(|p| p.map(|p| p.colour))?;
    for _ in 0..8 {
        let mut sums = [([0.0; 6], 0.0); 2];
        for [a, b] in &pairs {
            let straight =
                between_colours(&a.colour, &means[0]) + between_colours(&b.colour, &means[1]);
            let crossed =
                between_colours(&a.colour, &means[1]) + between_colours(&b.colour, &means[0]);
            let pair = if straight <= crossed { [a, b] } else { [b, a] };
            for (sum, p) in sums.iter_mut().zip(pair) {
                for (s, c) in sum.0.iter_mut().zip(&p.colour) {
                    *s += c;
                }
                sum.1 += 1.0;
            }
        }
        for (mean, (sum, n)) in means.iter_mut().zip(&sums) {
            *mean = sum.map(|s| s / n);
        }
    }
    Some(means)
}

/// The two dancers in each picture, as the cheapest way through the clip in moving, changing colour and
/// going missing (dynamic programming over the people of each picture). Which of the two comes first says
/// nothing.
pub fn follow(crowds: &[Crowd]) -> Vec<[Option<Person>; 2]> {
    let own = colours(crowds);
    // Colours that hardly differ say nothing.
    let contrast = own.map_or(0.0, |[a, b]| between_colours(&a, &b));
    let colour = |role: usize, p: &Person| match own {
        Some(own) if contrast > 25.0 => {
            let away =
                between_colours(&p.colour, &own[role]) - between_colours(&p.colour, &own[1 - role]);
            COLOUR * (0.5 + 0.5 * away / contrast).clamp(0.0, 1.0)
        }
        _ => 0.0,
    };
    let mut paths: Vec<(f64, Last, Choice, usize)> = vec![(0.0, [None, None], [None, None], 0)];
    let mut kept: Vec<Vec<(Choice, usize)>> = Vec::new();
    for crowd in crowds {
        let mut next = Vec::new();
        for choice in choices(&crowd.people) {
            let mut best: Option<(f64, Last, usize)> = None;
            for (from, (cost, last, _, _)) in paths.iter().enumerate() {
                let (mut cost, mut last) = (*cost, *last);
                for role in 0..2 {
                    let Some(k) = choice[role] else {
                        cost += MISSING;
                        continue;
                    };
                    let p = &crowd.people[k];
                    let hips = p.middle(point::HIPS);
                    if let Some((when, where_, size)) = last[role] {
                        let free = PACE * (crowd.at - when);
                        let moved = far(hips, where_) / size.max(1.0);
                        cost += (moved - free).clamp(0.0, 4.0);
                        // The scale of a dancer does not jump either.
                        cost += (p.height() / (4.0 * size)).ln().abs().min(1.0);
                    }
                    cost += colour(role, p) + 0.5 * (1.0 - p.score);
                    last[role] = Some((crowd.at, hips, p.height() / 4.0));
                }
                if best.as_ref().is_none_or(|b| cost < b.0) {
                    best = Some((cost, last, from));
                }
            }
            if let Some((cost, last, from)) = best {
                next.push((cost, last, choice, from));
            }
        }
        kept.push(next.iter().map(|(_, _, c, from)| (*c, *from)).collect());
        paths = next;
    }
    let mut at = (0..paths.len())
        .min_by(|a, b| paths[*a].0.total_cmp(&paths[*b].0))
        .unwrap_or(0);
    let mut out = vec![[None, None]; crowds.len()];
    for (i, layer) in kept.iter().enumerate().rev() {
        let (choice, from) = layer[at];
        out[i] = choice.map(|k| k.map(|k| crowds[i].people[k]));
        at = from;
    }
    out
}

/// Heights that differ by less say nothing of who is who, metres.
const ALIKE: f64 = 0.04;

/// Which of the two that were followed is the leader, and which the follower, by the standing heights of
/// leader and follower, metres: the taller one in most pictures; of two who are alike the one on the left. A
/// guess, which the coach puts right.
pub fn leader_first(pairs: &[[Option<Person>; 2]], heights: [f64; 2]) -> [usize; 2] {
    let (mut taller, mut left) = (0, 0);
    for pair in pairs {
        if let [Some(a), Some(b)] = pair {
            taller += if a.height() > b.height() { 1 } else { -1 };
            let [x, y] = [a, b].map(|p| p.middle(point::HIPS)[0]);
            left += if x < y { 1 } else { -1 };
        }
    }
    let first = if (heights[0] - heights[1]).abs() < ALIKE {
        left >= 0
    } else {
        (taller >= 0) == (heights[0] > heights[1])
    };
    if first { [0, 1] } else { [1, 0] }
}

/// A dancer at a moment between the pictures that were looked at: seen, or carried between two sights
/// that are near enough in time.
pub fn at(times: &[f64], seen: &[Option<Person>], moment: f64) -> Option<Person> {
    let times = &times[..times.len().min(seen.len())];
    let after = times.partition_point(|t| *t < moment - 1e-6);
    let next = (after..times.len()).find(|i| seen[*i].is_some());
    let before = (0..after).rev().find(|i| seen[*i].is_some());
    if let Some(n) = next
        && (times[n] - moment).abs() < 1e-6
    {
        return seen[n];
    }
    match (before, next) {
        (Some(b), Some(n)) if times[n] - times[b] <= BRIDGE => {
            let share = (moment - times[b]) / (times[n] - times[b]);
            Some(seen[b]?.between(&seen[n]?, share))
        }
        (Some(k), _) | (_, Some(k)) if (times[k] - moment).abs() < 0.2 => seen[k],
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Somebody 400 pixels tall, who stands at `x`.
    fn person(x: f64, colour: [f64; 6]) -> Person {
        let mut points = [[x, 300.0]; 17];
        points[point::NOSE] = [x, 100.0];
        for (pair, y) in [
            (point::SHOULDERS, 160.0),
            (point::HIPS, 280.0),
            (point::KNEES, 390.0),
            (point::ANKLES, 500.0),
        ] {
            points[pair[0]] = [x + 20.0, y];
            points[pair[1]] = [x - 20.0, y];
        }
        Person {
            points,
            scores: [0.9; 17],
            score: 0.8,
            colour,
        }
    }

    const WHITE: [f64; 6] = [220.0, 220.0, 220.0, 40.0, 50.0, 70.0];
    const RED: [f64; 6] = [170.0, 50.0, 80.0, 190.0, 150.0, 120.0];

    /// Two dancers who pass each other; in the middle one of them is hidden.
    fn passing(colours: [[f64; 6]; 2]) -> Vec<Crowd> {
        (0..31)
            .map(|i| {
                let t = f64::from(i) / 12.5;
                let x = 300.0 + 12.0 * f64::from(i);
                let (a, b) = (
                    person(x, colours[0]),
                    person(660.0 - 12.0 * f64::from(i), colours[1]),
                );
                let people = match i {
                    13..=17 => vec![a],
                    // The order of what is found says nothing.
                    _ if i % 2 == 0 => vec![a, b],
                    _ => vec![b, a],
                };
                Crowd { at: t, people }
            })
            .collect()
    }

    #[test]
    fn dancers_who_pass_keep_their_names_by_the_colour_of_their_clothes() {
        let crowds = passing([WHITE, RED]);
        let found = follow(&crowds);
        let first = usize::from(found[0][0].is_some_and(|p| p.colour == RED));
        for (i, pair) in found.iter().enumerate() {
            let white = pair[first];
            assert_eq!(white.map(|p| p.colour), Some(WHITE), "picture {i}");
            let red = pair[1 - first];
            assert_eq!(red.is_some(), !(13..=17).contains(&i), "picture {i}");
        }
    }

    #[test]
    fn dancers_dressed_alike_keep_their_names_by_how_they_move() {
        let mut crowds = passing([WHITE, WHITE]);
        // Beside each other all the while.
        for (i, c) in crowds.iter_mut().enumerate() {
            let x = 300.0 + 5.0 * i as f64;
            let mut pair = vec![person(x, WHITE), person(x + 150.0, WHITE)];
            if i % 3 == 0 {
                pair.reverse();
            }
            c.people = pair;
        }
        let found = follow(&crowds);
        let x = |p: &[Option<Person>; 2], k: usize| p[k].unwrap().points[0][0];
        let left = usize::from(x(&found[0], 0) > x(&found[0], 1));
        for pair in &found {
            assert!(x(pair, left) < x(pair, 1 - left));
        }
    }

    #[test]
    fn the_taller_one_leads_where_the_couples_heights_say_so() {
        let tall = Some(person(500.0, WHITE));
        let mut small = person(200.0, RED);
        small.points[point::NOSE][1] += 60.0;
        let pairs = vec![[Some(small), tall]; 5];
        assert_eq!(leader_first(&pairs, [1.86, 1.62]), [1, 0]);
        assert_eq!(leader_first(&pairs, [1.62, 1.86]), [0, 1]);
        // Alike: the one on the left.
        assert_eq!(leader_first(&pairs, [1.72, 1.70]), [0, 1]);
        assert_eq!(leader_first(&[], [1.86, 1.62]), [0, 1]);
    }

    #[test]
    fn a_short_gap_is_bridged_and_a_long_one_is_not() {
        let times: Vec<f64> = (0..40).map(|i| f64::from(i) * 0.1).collect();
        let mut seen: Vec<Option<Person>> =
            times.iter().map(|t| Some(person(100.0 * t, RED))).collect();
        for gap in seen.iter_mut().take(9).skip(3) {
            *gap = None;
        }
        for gap in seen.iter_mut().skip(15).take(20) {
            *gap = None;
        }
        let x = |t: f64| at(&times, &seen, t).map(|p| p.points[0][0].round());
        assert_eq!(x(0.2), Some(20.0));
        assert_eq!(x(0.55), Some(55.0));
        assert_eq!(x(2.5), None);
        assert!(at(&times, &[], 1.0).is_none());
    }
}
