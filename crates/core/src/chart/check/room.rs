//! The floor a path takes.

use crate::chart::path::Standing;

/// Half of a foot's length, metres: a print reaches this far from its middle.
const TOE: f64 = 0.14;

/// Smallest rectangle along the axes that holds all prints: least and greatest x and y, metres.
pub fn extent<'a>(moments: impl IntoIterator<Item = &'a [Standing; 2]>) -> [[f64; 2]; 2] {
    let mut low = [f64::INFINITY; 2];
    let mut high = [f64::NEG_INFINITY; 2];
    for stance in moments.into_iter().flatten().map(|s| s.stance) {
        for p in [stance.left, stance.right] {
            for i in 0..2 {
                low[i] = low[i].min(p[i] - TOE);
                high[i] = high[i].max(p[i] + TOE);
            }
        }
    }
    if low[0] > high[0] {
        return [[0.0; 2]; 2];
    }
    [low, high]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::path::Stance;

    #[test]
    fn the_extent_holds_all_feet() {
        let pair = [0.0, 2.0].map(|x| Standing {
            stance: Stance::standing([x, 0.0], 0.0, 2.0),
            weight: None,
        });
        let [low, high] = extent([&pair]);
        assert!((low[0] + TOE).abs() < 1e-12 && (high[0] - 2.0 - TOE).abs() < 1e-12);
        assert!((high[1] - 0.1 - TOE).abs() < 1e-12);
        assert_eq!(extent([]), [[0.0; 2]; 2]);
    }
}
