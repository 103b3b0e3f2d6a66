//! Is it the student, or the couple? One fault of one person with more than one partner.

use serde::{Deserialize, Serialize};

use super::{Progress, smallest_real_change};
use crate::fault::Band;
use crate::judge::SHOWS;

/// What a person's takes with several partners say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Across {
    /// It shows with every partner: the person brings it along.
    Person,
    /// It shows with some and is surely less with others: it comes from dancing together.
    Couple,
    /// The errors leave both open.
    CannotBeTold,
}

/// Compares how a fault stands with each partner; `None` with fewer than two, or where it shows with none.
pub fn across(band: &Band, with: &[&Progress]) -> Option<Across> {
    if with.len() < 2 {
        return None;
    }
    let shows = |p: &Progress| band.probability(p.now) >= SHOWS;
    let (there, not): (Vec<&Progress>, Vec<&Progress>) = with.iter().partition(|p| shows(p));
    if there.is_empty() {
        return None;
    }
    if not.is_empty() {
        return Some(Across::Person);
    }
    let less = |a: &Progress, b: &Progress| {
        band.beyond(a.now.value) - band.beyond(b.now.value)
            > smallest_real_change(a.now.sigma, b.now.sigma)
    };
    let told = there.iter().any(|a| not.iter().any(|b| less(a, b)));
    Some(if told {
        Across::Couple
    } else {
        Across::CannotBeTold
    })
}

#[cfg(test)]
mod tests {
    use super::super::progress;
    use super::super::tests::{band, takes};
    use super::*;

    #[test]
    fn the_person_brings_it_along_or_the_couple_makes_it() {
        let of = |values: &[f64], sigma| progress(&band("P1"), takes(values, sigma), None).unwrap();
        let (bad, fine, doubtful) = (of(&[8.0], 0.4), of(&[1.0], 0.4), of(&[2.9], 4.0));
        let say = |with: &[&Progress]| across(&band("P1"), with);
        assert_eq!(say(&[&bad, &bad]), Some(Across::Person));
        assert_eq!(say(&[&bad, &fine]), Some(Across::Couple));
        assert_eq!(say(&[&bad, &doubtful]), Some(Across::CannotBeTold));
        assert_eq!(say(&[&fine, &fine]), None);
        assert_eq!(say(&[&bad]), None);
    }
}
