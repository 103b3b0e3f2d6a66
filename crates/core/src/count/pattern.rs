//! The counts of a figure over its beats, read from a line such as `1 & 2 3 & 4 5 6` or `S Q Q`.

use serde::{Deserialize, Serialize};

/// One count of a figure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountMark {
    /// As spoken: `1`, `&`, `S`.
    pub label: String,
    /// Whole beats from the figure's first beat.
    pub beat: u32,
    /// Falls between `beat` and the next one, at the grid's swing ratio.
    pub between: bool,
    /// Written in brackets: counted but not stepped.
    pub rest: bool,
}

impl CountMark {
    /// Beats from the figure's start when in-between counts fall at `swing` of the beat (0.5 straight).
    pub fn offset(&self, swing: f64) -> f64 {
        f64::from(self.beat) + if self.between { swing } else { 0.0 }
    }
}

/// The counts of one repetition and how many beats it fills.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountPattern {
    /// In the order in which they are danced.
    pub marks: Vec<CountMark>,
    /// Beats to the next repetition's first count.
    pub beats: u32,
}

/// Why a line of counts could not be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// Nothing was written.
    #[error("Write at least one count, for example “1 2 3 & 4” or “S Q Q”.")]
    Empty,
    /// A word that is no count.
    #[error(
        "“{word}” (word {position}) is not a count. Use numbers, & for in between, S or Q, and brackets for a count that is not stepped."
    )]
    Unknown {
        /// The word.
        word: String,
        /// Its place, from 1.
        position: usize,
    },
    /// Counts that do not go forward.
    #[error("“{word}” (word {position}) comes before the count in front of it.")]
    Backwards {
        /// The word.
        word: String,
        /// Its place, from 1.
        position: usize,
    },
}

impl CountPattern {
    /// Reads counts separated by blanks. Numbers name beats (the first number is beat 0 of the
    /// figure), `&` falls between its neighbours, `S` fills two beats and `Q` one; a count in
    /// brackets is counted but not stepped. At most 64 beats.
    pub fn parse(text: &str) -> Result<Self, PatternError> {
        let mut marks: Vec<CountMark> = Vec::new();
        let mut next = 0u32;
        let mut first_number = None;
        for (i, word) in text.split_whitespace().enumerate() {
            let unknown = || PatternError::Unknown {
                word: word.to_owned(),
                position: i + 1,
            };
            let (core, rest) = match word.strip_prefix('(').and_then(|w| w.strip_suffix(')')) {
                Some(inner) => (inner, true),
                None => (word, false),
            };
            let (beat, between, length) = match core {
                "&" => match marks.last() {
                    Some(last) if !last.between => (last.beat, true, 1),
                    _ => return Err(unknown()),
                },
                "S" => (next, false, 2),
                "Q" => (next, false, 1),
                _ => {
                    let number: u32 = core.parse().map_err(|_| unknown())?;
                    let first = *first_number.get_or_insert(number);
                    if number < first || number - first < next {
                        return Err(PatternError::Backwards {
                            word: word.to_owned(),
                            position: i + 1,
                        });
                    }
                    (number - first, false, 1)
                }
            };
            if beat >= 64 {
                return Err(unknown());
            }
            next = next.max(beat + length);
            marks.push(CountMark {
                label: core.to_owned(),
                beat,
                between,
                rest,
            });
        }
        if marks.is_empty() {
            return Err(PatternError::Empty);
        }
        Ok(Self { marks, beats: next })
    }

    /// How the count with this index is spoken, with its neighbour for an in-between count: `& of 3`.
    pub fn spoken(&self, index: usize) -> String {
        match self.marks.get(index) {
            Some(m) if m.between && index > 0 => format!("& of {}", self.marks[index - 1].label),
            Some(m) => m.label.clone(),
            None => String::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn triples_swing_between_their_beats() {
        let p = CountPattern::parse("1 & 2 3 & 4 5 6").unwrap();
        assert_eq!(p.beats, 6);
        let at: Vec<f64> = p.marks.iter().map(|m| m.offset(0.67)).collect();
        assert_eq!(at, [0.0, 0.67, 1.0, 2.0, 2.67, 3.0, 4.0, 5.0]);
        assert_eq!(p.spoken(4), "& of 3");
    }

    #[test]
    fn slows_fill_two_beats() {
        let p = CountPattern::parse("S Q Q S Q Q").unwrap();
        assert_eq!(p.beats, 8);
        assert_eq!(p.marks[3].beat, 4);
    }

    #[test]
    fn bracketed_counts_are_not_stepped() {
        let p = CountPattern::parse("1 2 3 (4) 5 6 7 (8)").unwrap();
        assert_eq!(p.beats, 8);
        assert_eq!(p.marks.iter().filter(|m| m.rest).count(), 2);
    }

    #[test]
    fn mistakes_are_named_by_word_and_place() {
        assert_eq!(CountPattern::parse("  "), Err(PatternError::Empty));
        let err = CountPattern::parse("1 2 x").unwrap_err();
        assert!(err.to_string().contains("“x” (word 3)"), "{err}");
        assert!(matches!(
            CountPattern::parse("1 3 2"),
            Err(PatternError::Backwards { position: 3, .. })
        ));
        assert!(CountPattern::parse("&").is_err());
        assert!(CountPattern::parse("1 & &").is_err());
    }

    proptest! {
        #[test]
        fn any_text_is_read_or_refused(text in ".{0,80}") {
            if let Ok(p) = CountPattern::parse(&text) {
                prop_assert!(p.beats <= 66);
                let offsets: Vec<f64> = p.marks.iter().map(|m| m.offset(0.5)).collect();
                prop_assert!(offsets.windows(2).all(|w| w[0] < w[1]));
            }
        }
    }
}
