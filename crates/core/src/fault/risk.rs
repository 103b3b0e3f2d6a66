//! What a person's caution note, a fault or a figure says can hurt, found by its words, so that the one is held
//! against the other. It is a reminder for the coach and no medical statement.

use serde::{Deserialize, Serialize};

/// What can hurt.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Risk {
    /// Shoulder and arm behind the back.
    Shoulder,
    /// Elbow, wrist and hand.
    Arm,
    /// Knee.
    Knee,
    /// Ankle and foot.
    Ankle,
    /// Back and neck.
    Back,
    /// Dizziness, balance and falls.
    Balance,
    /// Pregnancy: balance, falls, and the belly.
    Pregnancy,
}

/// Stems of the words by which each is named, in lower case.
const WORDS: [(Risk, &[&str]); 7] = [
    (
        Risk::Shoulder,
        &["shoulder", "rotator", "arm-lock", "arm lock", "collarbone"],
    ),
    (Risk::Arm, &["elbow", "wrist", "thumb", "finger"]),
    (Risk::Knee, &["knee", "menisc"]),
    (
        Risk::Ankle,
        &["ankle", "foot ", "feet ", "achill", "toe ", "sprain"],
    ),
    (
        Risk::Back,
        &[
            "back pain",
            "sore back",
            "stiff back",
            "spine",
            "disc",
            "neck",
            "lower back",
            "bad back",
        ],
    ),
    (
        Risk::Balance,
        &["dizz", "vertigo", "balance", "fall", "faint"],
    ),
    (Risk::Pregnancy, &["pregnan"]),
];

/// What a text says can hurt, each once.
pub fn risks(text: &str) -> Vec<Risk> {
    let text = format!("{} ", text.to_lowercase());
    WORDS
        .iter()
        .filter(|(_, words)| words.iter().any(|w| text.contains(w)))
        .map(|(risk, _)| *risk)
        .collect()
}

/// What of a person's note a text touches. Whoever is pregnant is to be careful with what can make fall.
pub fn touched(note: &str, text: &str) -> Vec<Risk> {
    let in_text = risks(text);
    risks(note)
        .into_iter()
        .filter(|r| {
            in_text.contains(r) || (*r == Risk::Pregnancy && in_text.contains(&Risk::Balance))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::chart;
    use crate::fault::{catalogue, fault};

    #[test]
    fn a_note_is_held_against_what_can_hurt() {
        let caution = |id: &str| fault(id).unwrap().caution.clone().unwrap();
        assert_eq!(
            touched("Left shoulder was operated on", &caution("C9")),
            [Risk::Shoulder]
        );
        assert_eq!(touched("sore knee", &caution("R8")), [Risk::Knee]);
        assert_eq!(touched("Pregnant", &caution("R9")), [Risk::Pregnancy]);
        assert_eq!(
            touched("gets dizzy in spins", &caution("R7")),
            [Risk::Balance]
        );
        assert!(touched("sore knee", &caution("C9")).is_empty());
        assert!(touched("", &caution("C9")).is_empty());
        assert!(touched("likes waltz", &caution("R8")).is_empty());
        let lock = chart("salsa-arm-lock").unwrap();
        assert!(touched("stiff SHOULDER", &lock.caution).contains(&Risk::Shoulder));
    }

    #[test]
    fn every_caution_that_says_where_it_hurts_is_understood() {
        for f in catalogue().iter().filter(|f| f.safety) {
            let caution = f.caution.as_deref().unwrap();
            // A knock to the face has no place in a note.
            assert!(
                f.id == "C10" || f.id == "S8" || !risks(caution).is_empty(),
                "{caution}"
            );
        }
    }
}
