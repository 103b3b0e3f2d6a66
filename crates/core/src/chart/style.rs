//! What a dance asks of feet and level in general, held as data in `data/dances.json`.

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

/// Kinds of dances that share habits of frame and feet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Family {
    /// Belongs to no dance alone.
    Any,
    /// Swing dances.
    Swing,
    /// Latin and rhythm dances.
    Rhythm,
    /// Waltz and its kin, in a closed frame.
    Smooth,
    /// Tango.
    Tango,
    /// Danced chest to chest.
    #[serde(rename = "close embrace")]
    Embrace,
}

/// Where the free foot goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum FreeFoot {
    /// Along the floor.
    Tracked,
    /// In a small arc above it.
    Free,
}

/// Habits of a dance.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Style {
    /// The dance.
    pub name: String,
    /// Its kin.
    pub family: Family,
    /// Where the free foot goes.
    pub feet: FreeFoot,
    /// Usual height of the free foot in the middle of a step, metres.
    pub swing_height: f64,
    /// How far each foot is turned out, degrees.
    pub turnout: f64,
    /// The hips stay at one height.
    pub level: bool,
    /// The body rises on charted counts.
    pub rises: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[allow(dead_code)]
    version: u32,
    dances: Vec<Style>,
}

static STYLES: LazyLock<Vec<Style>> = LazyLock::new(|| {
    // Part of the program and checked by a test; a broken file leaves every dance ordinary.
    serde_json::from_str::<File>(include_str!("../../data/dances.json"))
        .map(|f| f.dances)
        .unwrap_or_default()
});

static ORDINARY: LazyLock<Style> = LazyLock::new(|| Style {
    name: String::new(),
    family: Family::Any,
    feet: FreeFoot::Free,
    swing_height: 0.016,
    turnout: 6.0,
    level: false,
    rises: false,
});

/// Habits of a dance by its name, whatever its capitals; a dance that is not known has ordinary ones.
pub fn style(dance: &str) -> &'static Style {
    STYLES
        .iter()
        .find(|s| s.name.to_lowercase() == dance.trim().to_lowercase())
        .unwrap_or(&ORDINARY)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::charts;

    #[test]
    fn every_dance_of_the_library_is_known() {
        for c in charts() {
            assert!(!style(&c.dance).name.is_empty(), "{}", c.dance);
        }
        assert_eq!(style(" lindy HOP").feet, FreeFoot::Free);
        assert_eq!(style("nobody’s dance").family, Family::Any);
    }

    #[test]
    fn tracked_feet_stay_lower_than_free_ones() {
        let height = |feet| STYLES.iter().filter(move |s| s.feet == feet);
        let highest = height(FreeFoot::Tracked)
            .map(|s| s.swing_height)
            .fold(0.0, f64::max);
        let lowest = height(FreeFoot::Free)
            .map(|s| s.swing_height)
            .fold(1.0, f64::min);
        assert!(highest < lowest && highest < 0.015, "{highest} {lowest}");
    }
}
