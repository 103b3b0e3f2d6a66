//! The life of a fault: new → working → holding → kept → slipped back.

use jiff::civil::Date;
use serde::{Deserialize, Serialize};

use super::TakeReading;
use crate::fault::Band;
use crate::judge::SHOWS;

/// What one take says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// Inside the fine band, and read well enough for a clear fault to show: in most repetitions, or in their mean.
    Fine,
    /// Outside it, surely.
    Faulty,
    /// Outside it by less than can be told, or read too roughly to tell.
    Unsure,
}

impl Outcome {
    /// Of a take's reading.
    pub fn of(band: &Band, take: &TakeReading) -> Self {
        if band.probability(take.value) >= SHOWS {
            Self::Faulty
        } else if band.beyond(take.value.value) <= 0.0
            && (take.told || band.tells(take.value.sigma, 0.0, SHOWS))
        {
            Self::Fine
        } else {
            Self::Unsure
        }
    }
}

/// Where a fault stands with a person.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Status {
    /// Seen in one session.
    New,
    /// Seen in more than one.
    Working,
    /// Two sessions in a row fine.
    Holding,
    /// Still fine three weeks or more after it began to hold.
    Kept,
    /// Surely outside again after holding.
    SlippedBack,
    /// Never surely outside.
    NeverAFault,
}

/// Days after which a fault that holds counts as kept.
const KEPT_AFTER: i32 = 21;

/// Walks through the sessions in order. A take that is unsure changes nothing, except that it
/// breaks a run of fine ones that has not reached two yet.
pub fn status(sessions: &[(Date, Outcome)]) -> Status {
    let mut now = Status::NeverAFault;
    let mut fine_run = 0;
    let mut holding_since: Option<Date> = None;
    for (date, outcome) in sessions {
        match outcome {
            Outcome::Faulty => {
                now = match now {
                    Status::NeverAFault => Status::New,
                    Status::Holding | Status::Kept | Status::SlippedBack => Status::SlippedBack,
                    Status::New | Status::Working => Status::Working,
                };
                fine_run = 0;
                holding_since = None;
            }
            Outcome::Unsure => {
                if holding_since.is_none() {
                    fine_run = 0;
                }
            }
            Outcome::Fine => {
                if now == Status::NeverAFault {
                    continue;
                }
                fine_run += 1;
                if fine_run == 1 && now == Status::New {
                    now = Status::Working;
                }
                if fine_run == 2 {
                    now = Status::Holding;
                    holding_since = Some(*date);
                }
                if let Some(since) = holding_since
                    && (*date - since).get_days() >= KEPT_AFTER
                {
                    now = Status::Kept;
                }
            }
        }
    }
    now
}

#[cfg(test)]
mod tests {
    use super::*;
    use Outcome::{Faulty, Fine, Unsure};

    fn weekly(outcomes: &[Outcome]) -> Status {
        let first = jiff::civil::date(2026, 1, 3);
        let sessions: Vec<_> = outcomes
            .iter()
            .enumerate()
            .map(|(i, o)| (first.saturating_add(jiff::Span::new().weeks(i as i64)), *o))
            .collect();
        status(&sessions)
    }

    #[test]
    fn a_take_read_too_roughly_is_neither_fine_nor_faulty() {
        let band = Band {
            fine: [None, Some(3.0)],
            clear: [None, Some(6.0)],
        };
        let of = |value, sigma| Outcome::of(&band, &super::super::tests::takes(&[value], sigma)[0]);
        assert_eq!(
            [of(1.0, 0.5), of(1.0, 2.5), of(3.4, 0.5), of(9.0, 0.5)],
            [Fine, Unsure, Unsure, Faulty]
        );
        // Repetitions may tell what their mean's error does not.
        let told = TakeReading {
            told: true,
            ..super::super::tests::takes(&[1.0], 2.5)[0].clone()
        };
        assert_eq!(Outcome::of(&band, &told), Fine);
        // However rough, what lies far enough out is a fault.
        assert_eq!(of(15.0, 2.5), Faulty);
    }

    #[test]
    fn the_life_of_a_fault() {
        assert_eq!(weekly(&[Fine, Unsure]), Status::NeverAFault);
        assert_eq!(weekly(&[Faulty]), Status::New);
        assert_eq!(weekly(&[Faulty, Faulty]), Status::Working);
        assert_eq!(weekly(&[Faulty, Fine]), Status::Working);
        assert_eq!(weekly(&[Faulty, Fine, Fine]), Status::Holding);
        assert_eq!(weekly(&[Faulty, Fine, Unsure, Fine]), Status::Working);
        assert_eq!(weekly(&[Faulty, Fine, Fine, Fine, Fine]), Status::Holding);
        assert_eq!(
            weekly(&[Faulty, Fine, Fine, Fine, Unsure, Fine]),
            Status::Kept
        );
        assert_eq!(weekly(&[Faulty, Fine, Fine, Faulty]), Status::SlippedBack);
        assert_eq!(
            weekly(&[Faulty, Fine, Fine, Faulty, Faulty]),
            Status::SlippedBack
        );
        assert_eq!(
            weekly(&[Faulty, Fine, Fine, Faulty, Fine, Fine]),
            Status::Holding
        );
    }
}
