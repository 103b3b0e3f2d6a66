//! Whether one figure can follow another: feet, position, hands and place.

use serde::Serialize;

use crate::chart::check::{foot_word, listed, role_word, shortfall};
use crate::chart::path::{Standing, moments, relation};
use crate::chart::place::Relation;
use crate::chart::vocabulary::HoldVerb;
use crate::chart::{Chart, Hold, HoldChange, Position};
use crate::units::{Foot, Role, wrap_degrees};

/// What dancers settle between two figures without a step: metres and degrees.
const SETTLE: f64 = 0.40;
const SQUARE: f64 = 60.0;

/// Heights for which a joint is judged, metres; what is compared scales with both.
const HEIGHTS: [f64; 2] = [1.70, 1.70];

/// How the couple stand at one end of a figure.
#[derive(Debug, Clone, PartialEq)]
pub struct End {
    /// Feet that carry the weight.
    pub standing: [Option<Foot>; 2],
    /// Position.
    pub position: Position,
    /// Holds, sorted.
    pub holds: Vec<Hold>,
    /// How they stand to each other.
    pub relation: Relation,
    /// Both on the floor.
    pub pair: [Standing; 2],
}

impl End {
    /// Before the first count of a figure.
    pub fn first(chart: &Chart) -> Self {
        let mut holds = chart.holds.clone();
        holds.sort();
        let pair = moments(chart, chart.layout(), HEIGHTS)[0];
        Self {
            standing: Role::BOTH.map(|r| chart.layout().standing(r)),
            position: chart.start.position,
            holds,
            relation: relation(&pair),
            pair,
        }
    }

    /// After the last count of a figure.
    pub fn last(chart: &Chart) -> Self {
        let all = moments(chart, chart.layout(), HEIGHTS);
        let pair = all[all.len() - 1];
        Self {
            standing: Role::BOTH.map(|r| chart.layout().last_standing(r)),
            position: chart.layout().last_position(chart),
            holds: chart.layout().last_holds(chart),
            relation: relation(&pair),
            pair,
        }
    }

    /// With hands changed.
    #[must_use]
    pub fn changed(mut self, changes: &[HoldChange]) -> Self {
        for c in changes {
            if c.verb.joins() {
                self.holds.push(c.hold);
            } else {
                self.holds.retain(|h| *h != c.hold);
            }
        }
        self.holds.sort();
        self.holds.dedup();
        self
    }
}

/// What follows from a joint.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Fit {
    /// The next figure can follow as it is.
    Fits,
    /// It can follow once the offered hands have changed.
    OtherHands,
    /// It cannot follow.
    Refused,
}

/// How two figures join.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Joint {
    /// What follows from all below.
    pub fit: Fit,
    /// The free feet are those that step first.
    pub feet: bool,
    /// The position at the end is the one at the start.
    pub position: bool,
    /// The hands are held alike.
    pub holds: bool,
    /// The partners stand and face alike.
    pub facing: bool,
    /// What they have to settle between the two, metres.
    pub settle: f64,
    /// What does not fit, for people.
    pub sentences: Vec<String>,
    /// Hands that could change on the last count so that the holds fit.
    pub change: Vec<HoldChange>,
}

impl Joint {
    /// Whether everything fits.
    pub fn fits(&self) -> bool {
        self.fit == Fit::Fits
    }

    /// Whether only a change of hands is missing, and it can be made.
    pub fn fits_with_change(&self) -> bool {
        self.fit == Fit::OtherHands
    }
}

/// How `after` can follow `before`.
pub fn join(before: &End, after: &End) -> Joint {
    let mut sentences = Vec::new();
    let mut feet = true;
    for role in Role::BOTH {
        let (on, free) = (
            before.standing[role as usize],
            after.standing[role as usize],
        );
        if let (Some(on), Some(wants)) = (on, free)
            && on != wants
        {
            feet = false;
            sentences.push(format!(
                "The {} stands on the {} foot and would have to step with it.",
                role_word(role),
                foot_word(on)
            ));
        }
    }
    let position = before.position == after.position;
    if !position {
        sentences.push(format!(
            "Ends {}, the next begins {}.",
            before.position.word(),
            after.position.word()
        ));
    }
    let holds = before.holds == after.holds;
    if !holds {
        sentences.push(format!(
            "Holds {} at the end, the next begins with {}.",
            listed(&before.holds),
            listed(&after.holds)
        ));
    }
    let (settle, turned) = apart(&before.relation, &after.relation);
    let facing = settle <= SETTLE && turned <= SQUARE;
    // A different position says it already.
    if position && !facing {
        sentences.push(if turned > SQUARE {
            format!(
                "The partners face {:.0}/8 of a turn differently.",
                (turned / 45.0).round()
            )
        } else {
            format!(
                "The partners stand {:.0} cm from where the next begins.",
                100.0 * settle
            )
        });
    }
    let change = if holds || !position {
        Vec::new()
    } else {
        hand_change(before, &after.holds)
    };
    let fit = match (feet && position && facing, holds, change.is_empty()) {
        (true, true, _) => Fit::Fits,
        (true, false, false) => Fit::OtherHands,
        _ => Fit::Refused,
    };
    Joint {
        fit,
        feet,
        position,
        holds,
        facing,
        settle,
        sentences,
        change,
    }
}

/// How far the follower's place in the leader's frame differs, metres, and the facing, degrees.
fn apart(a: &Relation, b: &Relation) -> (f64, f64) {
    let place = |r: &Relation| {
        let (s, c) = r.follower_at.to_radians().sin_cos();
        [r.distance * c, r.distance * s]
    };
    let (p, q) = (place(a), place(b));
    (
        (p[0] - q[0]).hypot(p[1] - q[1]),
        wrap_degrees(a.turned - b.turned).abs(),
    )
}

/// The changes that make the holds of an end into others, what joins first; empty when a hand does
/// not reach.
fn hand_change(before: &End, wanted: &[Hold]) -> Vec<HoldChange> {
    let takes = wanted.iter().filter(|h| !before.holds.contains(h));
    let releases = before.holds.iter().filter(|h| !wanted.contains(h));
    let reaches = |h: &&Hold| shortfall(**h, &before.pair, HEIGHTS) <= 0.0;
    if wanted.is_empty() || !takes.clone().all(|h| reaches(&h)) {
        return Vec::new();
    }
    let change = |verb| move |hold: &Hold| HoldChange { verb, hold: *hold };
    takes
        .map(change(HoldVerb::Take))
        .chain(releases.map(change(HoldVerb::Release)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;

    fn between(a: &str, b: &str) -> Joint {
        join(
            &End::last(chart(a).unwrap()),
            &End::first(chart(b).unwrap()),
        )
    }

    #[test]
    fn what_repeats_joins_itself() {
        for c in crate::chart::charts() {
            let f = crate::chart::Facts::of(c, c.layout(), HEIGHTS);
            let j = join(&End::last(c), &End::first(c));
            assert_eq!(
                f.repeats,
                j.feet && j.position && j.holds,
                "{} {:?}",
                c.id,
                j.sentences
            );
        }
    }

    #[test]
    fn the_basic_leads_into_the_pass() {
        let j = between("shag-basic", "shag-pass");
        assert!(j.fits(), "{:?}", j.sentences);
        assert!(j.settle < 0.2);
    }

    #[test]
    fn a_missing_half_is_named() {
        let j = between("slow-promenade-close", "slow-promenade-close");
        assert!(j.feet && !j.position && j.holds);
        assert!(j.sentences[0].contains("Ends closed, the next begins promenade"));
    }

    #[test]
    fn hands_that_differ_bring_the_change() {
        let j = between("salsa-basic", "salsa-right-turn");
        assert!(!j.holds && j.fits_with_change());
        let words: Vec<String> = j
            .change
            .iter()
            .map(|c| format!("{} {}", c.verb.word(), c.hold))
            .collect();
        assert_eq!(words, ["release R-L"]);
        let after = End::last(chart("salsa-basic").unwrap()).changed(&j.change);
        assert!(join(&after, &End::first(chart("salsa-right-turn").unwrap())).fits());
    }

    #[test]
    fn the_wrong_foot_is_named_for_each_role() {
        let j = between("tango-resolution", "tango-resolution");
        assert!(!j.feet);
        assert!(j.sentences[0].contains("The leader stands on the right foot"));
        assert!(j.sentences[1].contains("The follower stands on the left foot"));
    }
}
