//! The charts that ship, held as data in `data/charts.json`.

use std::sync::LazyLock;

use super::Chart;

static LIBRARY: LazyLock<Vec<Chart>> = LazyLock::new(|| {
    // The file is part of the program and checked by a test; a broken one leaves the library empty.
    serde_json::from_str(include_str!("../../data/charts.json")).unwrap_or_default()
});

/// All charts.
pub fn charts() -> &'static [Chart] {
    &LIBRARY
}

/// The chart with this id.
pub fn chart(id: &str) -> Option<&'static Chart> {
    LIBRARY.iter().find(|c| c.id == id)
}
