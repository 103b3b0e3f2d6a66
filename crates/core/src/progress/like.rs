//! Compare like with like, else say what differs.

use serde::{Deserialize, Serialize};

/// Under which conditions a take was danced and filmed. What is not known is not compared.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Conditions {
    /// Beats a minute.
    pub tempo: Option<f64>,
    /// From where each calibrated phone looks at the floor reference, degrees from its x axis.
    pub bearings: Vec<f64>,
    /// Where.
    pub place: String,
    /// On what floor.
    pub floor: String,
    /// In what shoes.
    pub shoes: String,
}

/// Something in which two takes differ.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "in", rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Difference {
    /// The tempo, beats a minute.
    Tempo {
        /// Then.
        from: f64,
        /// Now.
        to: f64,
    },
    /// Where the phone stood, degrees around the couple.
    Angle {
        /// How far apart the nearest two phones were.
        by: f64,
        /// A second phone then or now: depth is told, so that the angle matters less.
        bridged: bool,
    },
    /// The place.
    Place {
        /// Then.
        from: String,
        /// Now.
        to: String,
    },
    /// The floor.
    Floor {
        /// Then.
        from: String,
        /// Now.
        to: String,
    },
    /// The shoes.
    Shoes {
        /// Then.
        from: String,
        /// Now.
        to: String,
    },
}

/// Tempo ratios that are worth a word, and beyond which takes are not compared: a figure danced so much
/// faster is another task.
const TEMPO: [f64; 2] = [1.06, 1.20];

/// The same for degrees between the phones' places: beyond them what was seen from the side is seen along the
/// view's depth.
const ANGLE: [f64; 2] = [20.0, 60.0];

impl Difference {
    /// Whether takes that differ so are not compared at all.
    pub fn forbids(&self) -> bool {
        match self {
            Self::Tempo { from, to } => ratio(*from, *to) > TEMPO[1],
            Self::Angle { by, bridged } => *by > ANGLE[1] && !bridged,
            Self::Place { .. } | Self::Floor { .. } | Self::Shoes { .. } => false,
        }
    }

    /// Whether both are about the same.
    pub fn same_kind(&self, other: &Self) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other)
    }
}

fn ratio(a: f64, b: f64) -> f64 {
    if a > 0.0 && b > 0.0 {
        (a / b).max(b / a)
    } else {
        1.0
    }
}

/// In what two takes differ that is worth a word.
pub fn unlike(then: &Conditions, now: &Conditions) -> Vec<Difference> {
    let mut out = Vec::new();
    if let (Some(from), Some(to)) = (then.tempo, now.tempo)
        && ratio(from, to) > TEMPO[0]
    {
        out.push(Difference::Tempo { from, to });
    }
    let apart = |a: f64, b: f64| ((a - b + 180.0).rem_euclid(360.0) - 180.0).abs();
    let nearest = then
        .bearings
        .iter()
        .flat_map(|a| now.bearings.iter().map(move |b| apart(*a, *b)))
        .min_by(f64::total_cmp);
    if let Some(by) = nearest.filter(|by| *by > ANGLE[0]) {
        let bridged = then.bearings.len() > 1 && now.bearings.len() > 1;
        out.push(Difference::Angle { by, bridged });
    }
    let words = |a: &str, b: &str| {
        let (a, b) = (a.trim(), b.trim());
        (!a.is_empty() && !b.is_empty() && !a.eq_ignore_ascii_case(b))
            .then(|| (a.to_owned(), b.to_owned()))
    };
    if let Some((from, to)) = words(&then.place, &now.place) {
        out.push(Difference::Place { from, to });
    }
    if let Some((from, to)) = words(&then.floor, &now.floor) {
        out.push(Difference::Floor { from, to });
    }
    if let Some((from, to)) = words(&then.shoes, &now.shoes) {
        out.push(Difference::Shoes { from, to });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn danced(tempo: f64, bearings: &[f64]) -> Conditions {
        Conditions {
            tempo: Some(tempo),
            bearings: bearings.to_vec(),
            ..Conditions::default()
        }
    }

    #[test]
    fn small_differences_are_not_mentioned_and_large_ones_forbid() {
        let a = danced(112.0, &[-92.0]);
        assert_eq!(unlike(&a, &danced(116.0, &[-100.0])), vec![]);
        let some = unlike(&a, &danced(122.0, &[-60.0]));
        assert_eq!(some.len(), 2);
        assert!(!some.iter().any(Difference::forbids), "{some:?}");
        assert!(unlike(&a, &danced(140.0, &[-92.0]))[0].forbids());
        assert!(unlike(&a, &danced(112.0, &[0.0]))[0].forbids());
    }

    #[test]
    fn bearings_go_around_and_a_second_phone_bridges() {
        assert_eq!(
            unlike(&danced(100.0, &[178.0]), &danced(100.0, &[-175.0])),
            vec![]
        );
        let both = unlike(&danced(100.0, &[0.0, 20.0]), &danced(100.0, &[90.0, 110.0]));
        assert_eq!(
            both,
            vec![Difference::Angle {
                by: 70.0,
                bridged: true
            }]
        );
        assert!(!both[0].forbids());
        // One of two phones stands where the only one stood before.
        assert_eq!(
            unlike(&danced(100.0, &[90.0]), &danced(100.0, &[0.0, 90.0])),
            vec![]
        );
    }

    #[test]
    fn what_is_not_known_is_not_compared() {
        let shoes = |s: &str| Conditions {
            shoes: s.into(),
            ..Conditions::default()
        };
        assert_eq!(unlike(&shoes(""), &shoes("suede")), vec![]);
        assert_eq!(unlike(&shoes("Suede "), &shoes("suede")), vec![]);
        assert_eq!(unlike(&shoes("suede"), &shoes("trainers")).len(), 1);
        assert_eq!(
            unlike(&Conditions::default(), &danced(120.0, &[0.0])),
            vec![]
        );
    }
}
