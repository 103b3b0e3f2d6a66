//! Who dances, followed through a clip: which of the people found in each picture is which of the two, however many
//! others are there.
//!
//! The people of the pictures are first joined to short tracks, which tell who moves and who stands and watches. Then
//! the two dancers are the cheapest way through the clip (dynamic programming over the people of each picture) in
//! moving, changing colour, keeping still, being far from the partner and going missing.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::people::{Person, Window, far, merged, point};

/// The people of one picture.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Crowd {
    /// Seconds of the clip.
    pub at: f64,
    /// Whoever was found.
    pub people: Vec<Person>,
}

/// Looking for people through a clip, some pictures at a time: where to look next is told by who was followed so far.
#[derive(Debug, Default)]
pub struct Search {
    crowds: Vec<Crowd>,
    window: Option<Window>,
}

/// All of the picture is looked at every so many looks, whatever the window shows.
const WHOLE_EVERY: usize = 2;

/// So many looks back tell whom to follow next, and so many where each one was last.
const LATELY: usize = 40;
const JUST_NOW: usize = 8;

impl Search {
    /// Where the couple was a moment ago.
    pub fn window(&self) -> Option<Window> {
        self.window
    }

    /// Whether a look, by its number from 0 on, takes all of the picture.
    pub const fn whole(look: usize) -> bool {
        look.is_multiple_of(WHOLE_EVERY)
    }

    /// Takes up who was found in the next pictures, which have this size.
    pub fn found(&mut self, more: Vec<Crowd>, size: [usize; 2], said: &Said) {
        self.crowds.extend(more);
        let from = self.crowds.len().saturating_sub(LATELY);
        let lately = follow(&self.crowds[from..], said).pairs;
        let last = |role: usize| {
            let back = lately.iter().rev().take(JUST_NOW);
            back.filter_map(|p| p[role]).next()
        };
        let couple: Vec<Person> = [0, 1].into_iter().filter_map(last).collect();
        self.window = Window::about(&couple, size);
    }

    /// Looks among the newest `many` that lack one of the two: their numbers among all, where to look for that one again,
    /// and who of the two is there and hides the other one.
    pub fn missing(
        &self,
        many: usize,
        size: [usize; 2],
        said: &Said,
    ) -> Vec<(usize, Window, Option<Person>)> {
        let from = self.crowds.len().saturating_sub(LATELY.max(many));
        let first = self.crowds.len() - many.min(self.crowds.len());
        let followed = follow(&self.crowds[from..], said);
        if followed.alone {
            return Vec::new();
        }
        let pairs = followed.pairs;
        let near = |role: usize, at: usize| {
            let others = (0..pairs.len()).filter(|i| i.abs_diff(at) <= JUST_NOW);
            let best = others.filter(|i| pairs[*i][role].is_some());
            best.min_by_key(|i| i.abs_diff(at))
                .and_then(|i| pairs[i][role])
        };
        (first - from..pairs.len())
            .filter(|i| pairs[*i].iter().any(Option::is_none))
            .filter_map(|i| {
                let about: Vec<Person> = [0, 1]
                    .into_iter()
                    .filter_map(|role| pairs[i][role].or_else(|| near(role, i)))
                    .collect();
                let window = Window::about(&about, size)?;
                let there = pairs[i].iter().flatten().next().copied();
                Some((from + i, window, there))
            })
            .collect()
    }

    /// Takes up who was found when a picture was looked at again.
    pub fn found_again(&mut self, number: usize, people: Vec<Person>) {
        if let Some(crowd) = self.crowds.get_mut(number) {
            let known = std::mem::take(&mut crowd.people);
            crowd.people = merged(known, people);
        }
    }

    /// Everybody in all pictures.
    pub fn crowds(self) -> Vec<Crowd> {
        self.crowds
    }
}

/// Somebody the coach has pointed at: this is the first of the two (the leader), or the second one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pick {
    /// Seconds of the clip.
    pub at: f64,
    /// Pixel of the picture.
    pub pixel: [f64; 2],
    /// 0 or 1.
    pub which: usize,
}

/// What the coach says of who dances.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Said {
    /// Who was pointed at.
    pub picks: Vec<Pick>,
    /// Only one dances.
    pub one: bool,
}

/// Who was followed.
#[derive(Debug, Clone, PartialEq)]
pub struct Followed {
    /// The two in each picture; where only one dances, the second one is never there.
    pub pairs: Vec<[Option<Person>; 2]>,
    /// Whether only one dances.
    pub alone: bool,
    /// Most people who were in a picture beside the dancers, in a tenth of the pictures or more.
    pub others: usize,
}

/// Longest gap that is bridged between two sights, seconds.
const BRIDGE: f64 = 1.2;

/// Cost of a dancer who is not found, against one trunk's length a moment of moving.
const MISSING: f64 = 1.6;

/// Cost of a colour that is as far from the dancer's own as the partner's is.
const COLOUR: f64 = 2.5;

/// How fast the middle of a dancer may go before it costs, trunk lengths a second.
const PACE: f64 = 2.5;

/// Cost of somebody who keeps still: dearer than a dancer who is not found, so that a watcher is not taken for one who
/// is hidden.
const STILL: f64 = 2.4;

/// Who goes less than the first in half a second, shares of the height, keeps still, who goes more than the second does
/// not. In rendered takes dancers go 0.02 to 0.2, watchers 0.003 to 0.015 and those who are half hidden 0.02 to 0.04.
const STIRS: [f64; 2] = [0.008, 0.03];

/// How far the two of a couple are from each other before it costs, heights, and what each further height costs.
const TOGETHER: (f64, f64) = (0.9, 1.6);

/// The same for how much taller one is in the picture than the other: they dance on one floor, a large one and a small
/// one, but not one of them twice as far away (logarithm).
const ALIKE_SIZE: (f64, f64) = (0.45, 1.6);

/// The same for how much further down in the picture one stands, heights: one of them may be a metre nearer.
const ONE_FLOOR: (f64, f64) = (0.2, 4.0);

/// Cost of taking somebody else while the one whom the coach pointed at is there.
const NOT_PICKED: f64 = 20.0;

/// How long before or after a picture the coach may have pointed, seconds.
const PICKED_WITHIN: f64 = 0.6;

/// Who is chosen among the people of a picture at most.
const CHOSEN_OF: usize = 6;

/// Whoever goes less than this in half a second all the time, while the other one dances, only watches.
const WATCHES: f64 = 0.011;

/// Two dance where both are there together in this share of the pictures that show anybody who dances. In rendered takes
/// somebody alone is seen twice in up to 2 % of them, once in 9 %, a couple that embraces all the time in 10 % and more.
const SECOND: f64 = 0.05;

/// Who is chosen in a picture: numbers of the two dancers' people.
type Choice = [Option<usize>; 2];

/// What of a dancer's past a decision needs: when, where and how large it was last.
type Last = [Option<(f64, [f64; 2], f64)>; 2];

/// Somebody seen from picture to picture without a doubt.
struct Track {
    /// Pictures and numbers of the person in them.
    sights: Vec<(usize, usize)>,
    /// How far ankles, hips and wrists go in half a second, shares of the height.
    stirs: f64,
}

/// Longest pause in a track, seconds, and furthest way in it besides what [`PACE`] allows, trunk lengths.
const TRACK_PAUSE: f64 = 0.5;
const TRACK_JUMP: f64 = 0.7;

/// Colours further apart than this are not one person's.
const TRACK_COLOUR: f64 = 70.0;

/// Over how long it is told how much somebody moves, seconds.
const STIR: f64 = 0.45;

/// How much somebody moves is half known from so many pictures, and what is taken for it before, a share of standing
/// still.
const STIR_KNOWN: f64 = 4.0;
const STIR_BEFORE: f64 = 0.35;

fn tracks(crowds: &[Crowd]) -> Vec<Track> {
    let mut tracks: Vec<Vec<(usize, usize)>> = Vec::new();
    for (i, crowd) in crowds.iter().enumerate() {
        let mut costs = Vec::new();
        for (t, track) in tracks.iter().enumerate() {
            let Some((j, k)) = track.last().copied() else {
                continue;
            };
            let pause = crowd.at - crowds[j].at;
            if pause > TRACK_PAUSE {
                continue;
            }
            let last = &crowds[j].people[k];
            for (n, p) in crowd.people.iter().enumerate() {
                let unit = (last.height() / 4.0).max(1.0);
                let way = far(p.middle(point::HIPS), last.middle(point::HIPS)) / unit;
                let grown = (p.height() / last.height().max(1.0)).ln().abs();
                let colour = between_colours(&p.colour, &last.colour);
                if way < TRACK_JUMP + PACE * pause && grown < 0.4 && colour < TRACK_COLOUR {
                    costs.push((way + grown + colour / TRACK_COLOUR, t, n));
                }
            }
        }
        costs.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut taken, mut used) = (vec![false; crowd.people.len()], vec![false; tracks.len()]);
        for (_, t, n) in costs {
            if !taken[n] && !used[t] {
                (taken[n], used[t]) = (true, true);
                tracks[t].push((i, n));
            }
        }
        let new = taken.iter().enumerate().filter(|(_, taken)| !**taken);
        tracks.extend(new.map(|(n, _)| vec![(i, n)]));
    }
    tracks
        .into_iter()
        .map(|sights| {
            let of = |s: &(usize, usize)| (crowds[s.0].at, &crowds[s.0].people[s.1]);
            Track {
                stirs: stirs(&sights.iter().map(of).collect::<Vec<_>>()),
                sights,
            }
        })
        .collect()
}

/// How far ankles, hips and wrists go in half a second, the median over a track, shares of the height.
fn stirs(sights: &[(f64, &Person)]) -> f64 {
    let points = [point::ANKLES, point::HIPS, point::WRISTS].concat();
    let mut ways: Vec<f64> = Vec::new();
    for (i, (at, p)) in sights.iter().enumerate() {
        let later = sights[i..].iter().find(|(t, _)| t - at >= STIR);
        if let Some((_, q)) = later {
            let way: f64 = points.iter().map(|k| far(p.points[*k], q.points[*k])).sum();
            ways.push(way / points.len() as f64 / p.height().max(1.0));
        }
    }
    ways.sort_by(f64::total_cmp);
    ways.get(ways.len() / 2).copied().unwrap_or(0.0)
}

/// What is known of the people of all pictures: the number of each one's track, and what keeping still costs it.
struct Known {
    track: Vec<Vec<usize>>,
    still: Vec<f64>,
    /// Pictures in which each track is, by its first and last.
    spans: Vec<[usize; 2]>,
    /// Colours of the two who dance, where they differ.
    own: Option<[[f64; 6]; 2]>,
    /// Whether each track is somebody's who is neither of the two.
    other: Vec<bool>,
}

impl Known {
    fn of(crowds: &[Crowd]) -> Self {
        let tracks = tracks(crowds);
        let mut track: Vec<Vec<usize>> = crowds.iter().map(|c| vec![0; c.people.len()]).collect();
        for (t, it) in tracks.iter().enumerate() {
            for (i, n) in &it.sights {
                track[*i][*n] = t;
            }
        }
        // Where nobody dances lively, the liveliest do.
        let most = tracks.iter().map(|t| t.stirs).fold(0.0, f64::max);
        let [still, lively] = STIRS.map(|s| s * (most / STIRS[1]).min(1.0));
        let still = |t: &Track| {
            let keeps = ((lively - t.stirs) / (lively - still).max(1e-6)).clamp(0.0, 1.0);
            let n = t.sights.len() as f64;
            let known = n / (n + STIR_KNOWN);
            STILL * (known * keeps + (1.0 - known) * STIR_BEFORE)
        };
        let mut still: Vec<f64> = tracks.iter().map(still).collect();
        let all = identities(crowds, &tracks, &still);
        let couple = couple_of(crowds, &all);
        let mut other = vec![false; tracks.len()];
        if let Some(couple) = couple {
            // Who dances may stand still for a while.
            for (picture, k) in couple.iter().flat_map(|n| &all[*n].at) {
                still[track[*picture][*k]] = 0.0;
            }
            for (n, identity) in all.iter().enumerate().filter(|(n, _)| !couple.contains(n)) {
                // Hidden in part, a dancer seems dressed otherwise: who may be one of the two is not somebody else.
                let like = couple
                    .iter()
                    .any(|k| between_colours(&all[*k].colour, &all[n].colour) < 1.3 * SAME_COLOUR);
                for (picture, k) in identity.at.iter().filter(|_| !like) {
                    other[track[*picture][*k]] = true;
                }
            }
        }
        Self {
            spans: tracks
                .iter()
                .map(|t| [t.sights[0].0, t.sights[t.sights.len() - 1].0])
                .collect(),
            own: couple
                .map(|c| c.map(|k| all[k].colour))
                .filter(|[a, b]| between_colours(a, b) > CONTRAST),
            track,
            still,
            other,
        }
    }
}

/// Colours that are nearer to each other tell nobody from the other, 0..255.
const CONTRAST: f64 = 25.0;

fn choices(people: &[Person]) -> Vec<Choice> {
    let mut by_size: Vec<usize> = (0..people.len()).collect();
    by_size.sort_by(|a, b| people[*b].height().total_cmp(&people[*a].height()));
    by_size.truncate(CHOSEN_OF);
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

/// Somebody over the whole clip: tracks of one size and dressed alike that are not in one picture together.
struct Identity {
    colour: [f64; 6],
    /// Logarithm of the height in the picture.
    size: f64,
    /// The person's number, by picture.
    at: BTreeMap<usize, usize>,
    /// What keeping still costs, in the mean.
    still: f64,
}

/// Tracks of one person are dressed alike to this, 0..255, and as tall to this (logarithm).
const SAME_COLOUR: f64 = 55.0;
const SAME_SIZE: f64 = 0.3;

/// Whose tracks have fewer sights together says nothing of who dances.
const FEW_SIGHTS: usize = 6;

/// Cost of somebody who is known from many pictures to be neither of the two.
const SOMEBODY_ELSE: f64 = 1.4;

fn identities(crowds: &[Crowd], tracks: &[Track], still: &[f64]) -> Vec<Identity> {
    let mut order: Vec<usize> = (0..tracks.len()).collect();
    order.sort_by_key(|t| std::cmp::Reverse(tracks[*t].sights.len()));
    let mut all: Vec<Identity> = Vec::new();
    for t in order {
        let sights = &tracks[t].sights;
        let n = sights.len() as f64;
        let person = |s: &(usize, usize)| &crowds[s.0].people[s.1];
        let colour: [f64; 6] =
            std::array::from_fn(|k| sights.iter().map(|s| person(s).colour[k]).sum::<f64>() / n);
        let size = sights
            .iter()
            .map(|s| person(s).height().max(1.0).ln())
            .sum::<f64>()
            / n;
        let fits = |i: &&mut Identity| {
            between_colours(&i.colour, &colour) < SAME_COLOUR
                && (i.size - size).abs() < SAME_SIZE
                && sights
                    .iter()
                    .all(|(picture, _)| !i.at.contains_key(picture))
        };
        let near = |i: &Identity| between_colours(&i.colour, &colour);
        let like = all
            .iter_mut()
            .filter(fits)
            .min_by(|a, b| near(a).total_cmp(&near(b)));
        let to = match like {
            Some(identity) => {
                let m = identity.at.len() as f64;
                let mean = |a: f64, b: f64| (m * a + n * b) / (m + n);
                for (own, new) in identity.colour.iter_mut().zip(colour) {
                    *own = mean(*own, new);
                }
                identity.size = mean(identity.size, size);
                identity.still = mean(identity.still, still[t]);
                identity
            }
            None => {
                all.push(Identity {
                    colour,
                    size,
                    at: BTreeMap::new(),
                    still: still[t],
                });
                let last = all.len() - 1;
                &mut all[last]
            }
        };
        to.at.extend(sights.iter().copied());
    }
    all.retain(|i| i.at.len() >= FEW_SIGHTS);
    all
}

/// Over how many sights a place is the mean, so that it does not move because somebody is half hidden, and how far it
/// goes about its own mean, heights, of who is half lively.
const SMOOTHED: usize = 5;
const DRIFTS: f64 = 0.05;
const DRIFT_SHARE: f64 = 0.3;

/// How near the two of a couple are to each other, heights (1σ), and what that is in the mean at least while both are seen:
/// who dances beside a watcher is further from him.
const NEAR: f64 = 0.5;
const LEAST_NEAR: f64 = 0.2;

impl Identity {
    /// How far the hips go about their mean over the clip, heights.
    fn drifts(&self, crowds: &[Crowd]) -> f64 {
        let places: Vec<[f64; 2]> = self
            .at
            .iter()
            .map(|(picture, k)| crowds[*picture].people[*k].middle(point::HIPS))
            .collect();
        let smooth: Vec<[f64; 2]> = places.windows(SMOOTHED).map(mean).collect();
        if smooth.is_empty() {
            return 0.0;
        }
        let middle = mean(&smooth);
        let squares = smooth.iter().map(|p| far(*p, middle).powi(2)).sum::<f64>();
        (squares / smooth.len() as f64).sqrt() / self.size.exp()
    }

    /// 0 for who stands there, toward 1 for who dances or walks.
    fn lively(&self, crowds: &[Crowd]) -> f64 {
        let drifts = self.drifts(crowds);
        let stirs = 1.0 - self.still / STILL;
        stirs + DRIFT_SHARE * (drifts / (drifts + DRIFTS) - stirs)
    }
}

fn mean(places: &[[f64; 2]]) -> [f64; 2] {
    let n = places.len().max(1) as f64;
    [0, 1].map(|k| places.iter().map(|p| p[k]).sum::<f64>() / n)
}

/// The couple: the two who are lively and near each other in most pictures, large ones before small ones.
fn couple_of(crowds: &[Crowd], all: &[Identity]) -> Option<[usize; 2]> {
    let lively: Vec<f64> = all.iter().map(|i| i.lively(crowds)).collect();
    let mut best: Option<(f64, [usize; 2])> = None;
    for (n, a) in all.iter().enumerate() {
        for (m, b) in all.iter().enumerate().skip(n + 1) {
            let both =
                a.at.iter()
                    .filter_map(|(picture, k)| Some((picture, k, b.at.get(picture)?)));
            let near: Vec<f64> = both
                .map(|(i, j, k)| {
                    let [a, b] = [j, k].map(|k| &crowds[*i].people[*k]);
                    let tall = 0.5 * (a.height() + b.height()).max(1.0);
                    let apart = far(a.middle(point::HIPS), b.middle(point::HIPS)) / tall;
                    (-0.5 * (apart / NEAR).powi(2) - together(a, b)).exp()
                })
                .collect();
            let (often_both, near) = (near.len() as f64, near.iter().sum::<f64>());
            if near < LEAST_NEAR * often_both {
                continue;
            }
            // In an embrace they are seldom seen together, and often in turn, where the other one would be.
            let often = (a.at.len() + b.at.len()) as f64;
            let about = [a, b].map(|i| {
                let places =
                    i.at.iter()
                        .map(|(i, k)| crowds[*i].people[*k].middle(point::HIPS));
                mean(&places.collect::<Vec<_>>())
            });
            let apart = far(about[0], about[1]) / (0.5 * (a.size + b.size)).exp();
            let turns = 0.3 * often * (-0.5 * (apart / NEAR).powi(2)).exp();
            let score = lively[n] * lively[m] * (near + turns) * (0.5 * (a.size + b.size)).exp();
            if near > 0.0 && best.is_none_or(|b| score > b.0) {
                best = Some((score, [n, m]));
            }
        }
    }
    best.map(|b| b.1)
}

/// Who dances. Which of the two comes first says nothing, unless the coach has pointed at one.
pub fn follow(crowds: &[Crowd], said: &Said) -> Followed {
    let known = Known::of(crowds);
    let picked = picked(crowds, &said.picks, &known);
    let mut chosen = cheapest(crowds, &known, &picked);
    let second = said.picks.iter().any(|p| p.which == 1);
    let alone = (said.one || !second) && one_only(crowds, &mut chosen, said.one);
    let mut beside: Vec<usize> = crowds
        .iter()
        .zip(&chosen)
        .map(|(crowd, c)| {
            // Where a dancer is not told, somebody who is seen may be that one.
            let told = c.iter().flatten().count();
            let seen = crowd.people.iter().filter(|p| !p.behind).count();
            let all = told == if alone { 1 } else { 2 };
            if all { seen.saturating_sub(told) } else { 0 }
        })
        .collect();
    beside.sort_unstable();
    Followed {
        pairs: crowds
            .iter()
            .zip(&chosen)
            .map(|(crowd, c)| c.map(|k| k.map(|k| crowd.people[k])))
            .collect(),
        alone,
        others: beside.get(beside.len() * 9 / 10).copied().unwrap_or(0),
    }
}

/// The track that each of the two must be while it lasts, where the coach has pointed at somebody.
fn picked(crowds: &[Crowd], picks: &[Pick], known: &Known) -> Vec<(usize, usize)> {
    let of = |pick: &Pick| {
        let near = |c: &&(usize, &Crowd)| (c.1.at - pick.at).abs() <= PICKED_WITHIN;
        let all: Vec<(usize, &Crowd)> = crowds.iter().enumerate().collect();
        let mut best: Option<(f64, usize)> = None;
        for (i, crowd) in all.iter().filter(near) {
            for (n, p) in crowd.people.iter().enumerate() {
                let way = p.points.iter().map(|q| far(*q, pick.pixel));
                let way = way.fold(far(p.middle(point::HIPS), pick.pixel), f64::min);
                let cost = way / p.height().max(1.0) + (crowd.at - pick.at).abs();
                // A click far from everybody means nobody.
                if way < 0.4 * p.height() && best.is_none_or(|b| cost < b.0) {
                    best = Some((cost, known.track[*i][n]));
                }
            }
        }
        best.map(|(_, track)| (pick.which.min(1), track))
    };
    picks.iter().filter_map(of).collect()
}

/// The cheapest choices through the clip.
fn cheapest(crowds: &[Crowd], known: &Known, picked: &[(usize, usize)]) -> Vec<Choice> {
    let colour = |role: usize, p: &Person| match known.own {
        Some(own) => {
            let away =
                between_colours(&p.colour, &own[role]) - between_colours(&p.colour, &own[1 - role]);
            let contrast = between_colours(&own[0], &own[1]);
            // Somebody else wears neither's.
            let strange = (between_colours(&p.colour, &own[role]) / contrast - 1.0).clamp(0.0, 1.0);
            COLOUR * ((0.5 + 0.5 * away / contrast).clamp(0.0, 1.0) + 0.5 * strange).min(1.0)
        }
        None => 0.0,
    };
    let of_picked = |i: usize, role: usize, track: Option<usize>| {
        let due = picked.iter().any(|(which, t)| {
            let [from, to] = known.spans[*t];
            let other = track != Some(*t);
            // The one who is meant, or somebody who is the other one.
            (*which == role && other && (from..=to).contains(&i)) || (*which != role && !other)
        });
        if due { NOT_PICKED } else { 0.0 }
    };
    let is_picked = |track: usize| picked.iter().any(|(_, t)| *t == track);
    let mut paths: Vec<(f64, Last, Choice, usize)> = vec![(0.0, [None, None], [None, None], 0)];
    let mut kept: Vec<Vec<(Choice, usize)>> = Vec::new();
    for (i, crowd) in crowds.iter().enumerate() {
        let mut next = Vec::new();
        for choice in choices(&crowd.people) {
            // What does not depend on the past.
            let mut here = 0.0;
            for (role, chosen) in choice.into_iter().enumerate() {
                let Some(k) = chosen else {
                    here += MISSING + of_picked(i, role, None);
                    continue;
                };
                let (p, track) = (&crowd.people[k], known.track[i][k]);
                let strange = if known.other[track] {
                    SOMEBODY_ELSE
                } else {
                    0.0
                };
                let still = if is_picked(track) {
                    0.0
                } else {
                    known.still[track] + strange
                };
                here += colour(role, p) + 0.5 * (1.0 - p.score) + still;
                here += of_picked(i, role, Some(track));
            }
            if let [Some(a), Some(b)] = choice {
                here += together(&crowd.people[a], &crowd.people[b]);
            }
            let mut best: Option<(f64, Last, usize)> = None;
            for (from, (cost, last, _, _)) in paths.iter().enumerate() {
                let (mut cost, mut last) = (*cost + here, *last);
                for role in 0..2 {
                    let Some(k) = choice[role] else { continue };
                    let p = &crowd.people[k];
                    let (hips, unit) = (p.middle(point::HIPS), p.height() / 4.0);
                    if let Some((when, where_, size)) = last[role] {
                        let free = PACE * (crowd.at - when);
                        let moved = far(hips, where_) / size.max(1.0);
                        cost += (moved - free).clamp(0.0, 4.0);
                        // The scale of a dancer does not jump either.
                        cost += (unit / size).ln().abs().min(1.0);
                    }
                    last[role] = Some((crowd.at, hips, unit));
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
        out[i] = choice;
        at = from;
    }
    out
}

/// What speaks against two people being a couple in a picture.
fn together(a: &Person, b: &Person) -> f64 {
    let tall = 0.5 * (a.height() + b.height()).max(1.0);
    let apart = far(a.middle(point::HIPS), b.middle(point::HIPS)) / tall;
    let taller = (a.height() / b.height().max(1.0)).ln().abs();
    let lower = |p: &Person| {
        point::ANKLES
            .map(|k| p.points[k][1])
            .into_iter()
            .fold(0.0, f64::max)
    };
    let deeper = (lower(a) - lower(b)).abs() / tall;
    let beyond = |value: f64, (free, cost): (f64, f64)| cost * (value - free).clamp(0.0, 1.5);
    beyond(apart, TOGETHER) + beyond(taller, ALIKE_SIZE) + beyond(deeper, ONE_FLOOR)
}

/// Whether only one of the two who were chosen dances: both are there together too seldom, or the other one keeps still
/// all the time. The one who dances then comes first in all pictures, by
/// whichever of the two names, and nobody comes second.
fn one_only(crowds: &[Crowd], chosen: &mut [Choice], said: bool) -> bool {
    let any = chosen
        .iter()
        .filter(|c| c.iter().any(Option::is_some))
        .count() as f64;
    let both = chosen.iter().filter(|c| c.iter().all(Option::is_some));
    let together = both.count() as f64;
    let stirs = [0, 1].map(|role| {
        let of = |(c, crowd): (&Choice, &'_ Crowd)| Some((crowd.at, crowd.people[c[role]?]));
        let sights: Vec<(f64, Person)> = chosen.iter().zip(crowds).filter_map(of).collect();
        stirs(&sights.iter().map(|(at, p)| (*at, p)).collect::<Vec<_>>())
    });
    let watched = stirs[0].min(stirs[1]) < WATCHES && stirs[0].max(stirs[1]) > STIRS[1];
    if !said && together >= SECOND * any && together > 0.0 && !watched {
        return false;
    }
    let seen = |role: usize| chosen.iter().filter(|c| c[role].is_some()).count();
    let first = if watched {
        usize::from(stirs[1] > stirs[0])
    } else {
        usize::from(seen(1) > seen(0))
    };
    let mut last: Option<[f64; 2]> = None;
    for (c, crowd) in chosen.iter_mut().zip(crowds) {
        let hips = |k: usize| crowd.people[k].middle(point::HIPS);
        let one = match (c[first], c[1 - first]) {
            // Who is where the dancer was is the dancer.
            (Some(a), Some(b)) => {
                let away = |k: usize| last.map_or(0.0, |at| far(hips(k), at));
                Some(if away(b) < away(a) { b } else { a })
            }
            (a, b) => a.or(b),
        };
        last = one.map(hips).or(last);
        *c = [one, None];
    }
    true
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
            behind: false,
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
        let found = follow(&crowds, &Said::default()).pairs;
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
        let found = follow(&crowds, &Said::default()).pairs;
        let x = |p: &[Option<Person>; 2], k: usize| p[k].unwrap().points[0][0];
        let left = usize::from(x(&found[0], 0) > x(&found[0], 1));
        for pair in &found {
            assert!(x(pair, left) < x(pair, 1 - left));
        }
    }

    /// Somebody who stirs as a dancer does, or who stands there.
    fn moving(x: f64, i: usize, colour: [f64; 6], dances: bool) -> Person {
        let mut p = person(x, colour);
        if dances {
            let swing = 30.0 * (0.9 * i as f64).sin();
            for k in [point::ANKLES, point::WRISTS].concat() {
                p.points[k][0] += if k % 2 == 0 { swing } else { -swing };
            }
        }
        p
    }

    const GREEN: [f64; 6] = [60.0, 110.0, 80.0, 60.0, 80.0, 110.0];

    /// A couple that dances about the middle, and two who watch beside it.
    fn watched(i: usize) -> Vec<Person> {
        let x = 600.0 + 60.0 * (0.2 * i as f64).sin();
        let mut people = vec![
            moving(420.0, i, WHITE, false),
            moving(x, i, WHITE, true),
            moving(x + 130.0, i, RED, true),
            moving(950.0, i, GREEN, false),
        ];
        // The order of what is found says nothing.
        people.rotate_left(i % 4);
        people
    }

    fn clip(people: impl Fn(usize) -> Vec<Person>) -> Vec<Crowd> {
        let crowd = |i: usize| Crowd {
            at: 0.16 * i as f64,
            people: people(i),
        };
        (0..60).map(crowd).collect()
    }

    #[test]
    fn watchers_are_not_taken_for_dancers_even_where_one_of_those_is_hidden() {
        let crowds = clip(|i| {
            let mut people = watched(i);
            if (20..30).contains(&i) {
                people.retain(|p| p.colour != RED);
            }
            people
        });
        let followed = follow(&crowds, &Said::default());
        assert!(
            !followed.alone && followed.others == 2,
            "{}",
            followed.others
        );
        for (i, pair) in followed.pairs.iter().enumerate() {
            let hidden = (20..30).contains(&i);
            assert_eq!(
                pair.iter().flatten().count(),
                if hidden { 1 } else { 2 },
                "{i}"
            );
            for p in pair.iter().flatten() {
                let x = p.middle(point::HIPS)[0];
                assert!((500.0..820.0).contains(&x), "{i}: {x}");
            }
        }
    }

    #[test]
    fn whoever_the_coach_points_at_is_followed() {
        let crowds = clip(watched);
        let pick = |which: usize, x: f64| Pick {
            at: 4.0,
            pixel: [x, 300.0],
            which,
        };
        let said = |picks: &[Pick]| Said {
            picks: picks.to_vec(),
            one: false,
        };
        // The two who watch are the ones who are meant.
        let followed = follow(&crowds, &said(&[pick(0, 945.0), pick(1, 425.0)]));
        for pair in &followed.pairs {
            let x = pair.map(|p| p.unwrap().middle(point::HIPS)[0]);
            assert_eq!(x, [950.0, 420.0]);
        }
        // A click where nobody is changes nothing.
        let nobody = follow(&crowds, &said(&[pick(0, 20.0)]));
        assert_eq!(nobody.pairs.len(), crowds.len());
    }

    #[test]
    fn a_couple_that_embraces_all_the_time_is_two_though_one_is_seldom_seen() {
        let crowds = clip(|i| {
            let x = 600.0 + 60.0 * (0.2 * i as f64).sin();
            let mut people = vec![moving(x, i, RED, true)];
            if i % 8 == 0 {
                people.push(Person {
                    behind: true,
                    ..moving(x + 90.0, i, GREEN, true)
                });
            }
            people
        });
        let followed = follow(&crowds, &Said::default());
        assert!(!followed.alone);
        let both = followed
            .pairs
            .iter()
            .filter(|p| p.iter().all(Option::is_some));
        assert!(both.count() >= crowds.len() / 10);
    }

    #[test]
    fn one_dancer_alone_gets_no_partner_out_of_what_is_left_behind_the_paint() {
        let crowds = clip(|i| {
            let x = 600.0 + 60.0 * (0.2 * i as f64).sin();
            let mut people = vec![moving(x, i, RED, true), moving(950.0, i, GREEN, false)];
            if i % 40 == 7 {
                people.push(Person {
                    behind: true,
                    ..moving(x + 40.0, i, RED, true)
                });
            }
            people
        });
        let followed = follow(&crowds, &Said::default());
        assert!(followed.alone);
        for [one, other] in &followed.pairs {
            assert!(other.is_none());
            let x = one.unwrap().middle(point::HIPS)[0];
            assert!((500.0..720.0).contains(&x), "{x}");
        }
        assert_eq!(follow(&[], &Said::default()).pairs.len(), 0);
        // Or because the coach says so.
        let one = Said {
            one: true,
            ..Said::default()
        };
        let followed = follow(&clip(watched), &one);
        assert!(followed.alone && followed.pairs.iter().all(|p| p[1].is_none()));
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
