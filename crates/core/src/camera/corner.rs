//! A corner in the picture near a coach's rough click, to a fraction of a pixel.

use nalgebra::{Matrix2, Vector2};

/// A grey picture, a byte a pixel, row by row.
#[derive(Debug, Clone, Copy)]
pub struct Grey<'a> {
    /// Pixels from left to right.
    pub width: usize,
    /// The picture; as many rows as it has.
    pub bytes: &'a [u8],
}

/// A corner that was found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Corner {
    /// Where, pixels; the middle of the first pixel is (0.5, 0.5).
    pub pixel: [f64; 2],
    /// Standard error along each axis of where the edges meet, pixels. Which corner of a strip of tape was meant
    /// is not in it.
    pub sigma: f64,
}

/// Half of the side of the window whose edges are intersected: a share of the picture's width, within which
/// both rims of a strip of tape lie, so that their middle is found; at least so many pixels.
const WINDOW: (f64, i32) = (1.0 / 80.0, 6);

/// A corner's weaker edges must change so much from pixel to pixel in the mean over the window, grey levels:
/// a few times the noise of a phone's picture in a hall.
const LEAST: f64 = 4.0;

/// ... and at least this share of what the stronger edges change, else it is one edge and no corner.
const SHARE: f64 = 0.25;

/// How well the place of an edge across its direction is taken to be known, pixels: lenses, compression.
const EDGE: f64 = 0.3;

impl Grey<'_> {
    fn at(&self, x: i32, y: i32) -> Option<f64> {
        let (x, y) = (usize::try_from(x).ok()?, usize::try_from(y).ok()?);
        if x >= self.width {
            return None;
        }
        self.bytes.get(y * self.width + x).map(|v| f64::from(*v))
    }

    /// How the grey changes at a pixel, levels a pixel along X and Y.
    fn slope(&self, x: i32, y: i32) -> Option<Vector2<f64>> {
        Some(
            0.5 * Vector2::new(
                self.at(x + 1, y)? - self.at(x - 1, y)?,
                self.at(x, y + 1)? - self.at(x, y - 1)?,
            ),
        )
    }

    /// Sums over the window about a pixel: of the slopes' products, of these times their places, and of the
    /// window's weights. Weighted by a bell, so that what is nearer counts more.
    fn window(&self, middle: Vector2<f64>, half: i32) -> Option<(Matrix2<f64>, Vector2<f64>, f64)> {
        let (mut n, mut m, mut weights) = (Matrix2::zeros(), Vector2::zeros(), 0.0);
        let (cx, cy) = (middle.x.floor() as i32, middle.y.floor() as i32);
        for y in cy - half..=cy + half {
            for x in cx - half..=cx + half {
                let g = self.slope(x, y)?;
                let p = Vector2::new(f64::from(x) + 0.5, f64::from(y) + 0.5);
                let far = (p - middle).norm() / f64::from(half);
                let w = (-2.0 * far * far).exp();
                let gg = w * g * g.transpose();
                n += gg;
                m += gg * p;
                weights += w;
            }
        }
        Some((n, m, weights))
    }

    /// Strengths of the weaker and the stronger edges about a pixel, grey levels a pixel (root mean square).
    fn cornered(&self, middle: Vector2<f64>, half: i32) -> Option<[f64; 2]> {
        let (n, _, weights) = self.window(middle, half)?;
        let both = n.symmetric_eigenvalues();
        Some([both.min(), both.max()].map(|v| (v.max(0.0) / weights).sqrt()))
    }
}

/// The corner near `click`, at most `reach` pixels away: where the edges about it meet (Förstner and Gülch 1987:
/// the point to which the tangents of all edges in a window come nearest), looked for in a wider window first.
/// None where nothing is cornered, or at the picture's rim.
pub fn corner(picture: Grey, click: [f64; 2], reach: f64) -> Option<Corner> {
    let click = Vector2::from(click);
    if !click.iter().all(|v| v.is_finite() && v.abs() < 1e5) {
        return None;
    }
    let half = WINDOW
        .1
        .max((picture.width as f64 * WINDOW.0).round() as i32);
    let mut at = click;
    for half in [2 * half, half] {
        for _ in 0..12 {
            let (n, m, _) = picture.window(at, half)?;
            let next = n.try_inverse()? * m;
            let step = (next - at).norm();
            at = next;
            if (at - click).norm() > reach {
                return None;
            }
            if step < 0.01 {
                break;
            }
        }
    }
    // Across the stronger edges a corner is known as well as an edge is, along them as far as the weaker ones
    // hold it.
    let [weak, strong] = picture.cornered(at, half)?;
    (weak >= LEAST.max(SHARE * strong)).then(|| Corner {
        pixel: at.into(),
        sigma: EDGE * strong / weak,
    })
}

/// How far a corner may be from where it was marked and still be the same one, pixels: what a hand misses.
const SAME: f64 = 4.0;

/// Corners of an earlier picture that are where they were.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Unmoved {
    /// Found where they were marked.
    pub kept: usize,
    /// Looked for.
    pub of: usize,
}

impl Unmoved {
    /// Whether the camera stands as it stood: at least four points, three of four of them in their places;
    /// dancers may hide the rest.
    pub fn same(self) -> bool {
        self.kept >= 4 && 4 * self.kept >= 3 * self.of
    }
}

/// Looks for corners where an earlier picture of the same camera had them.
pub fn unmoved(picture: Grey, points: &[[f64; 2]]) -> Unmoved {
    let there = |p: &&[f64; 2]| {
        corner(picture, **p, 2.0 * SAME).is_some_and(|c| {
            let off = (c.pixel[0] - p[0]).hypot(c.pixel[1] - p[1]);
            off <= SAME
        })
    };
    Unmoved {
        kept: points.iter().filter(there).count(),
        of: points.len(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture of a function that is 0 or 1 at each place, sampled finely, with noise.
    fn drawn(white: impl Fn(f64, f64) -> bool, noise: f64) -> Vec<u8> {
        let mut state = 1u64;
        let mut random = || {
            state = state
                .wrapping_mul(6_364_136_223_846_793_005)
                .wrapping_add(1);
            (state >> 40) as f64 / f64::from(1 << 24) - 0.5
        };
        let mut out = Vec::new();
        for y in 0..80 {
            for x in 0..80 {
                let mut sum = 0.0;
                for i in 0..8 {
                    for j in 0..8 {
                        let at = |p: i32, k: i32| f64::from(p) + (f64::from(k) + 0.5) / 8.0;
                        sum += f64::from(u8::from(white(at(x, i), at(y, j))));
                    }
                }
                let rough: f64 = (0..4).map(|_| random()).sum();
                out.push((60.0 + 150.0 * sum / 64.0 + noise * 1.7 * rough).clamp(0.0, 255.0) as u8);
            }
        }
        out
    }

    fn found(bytes: &[u8], click: [f64; 2]) -> Option<Corner> {
        corner(Grey { width: 80, bytes }, click, 12.0)
    }

    #[test]
    fn a_corner_of_tape_is_found_to_a_fraction_of_a_pixel() {
        // Two edges that meet at 70°, as a rectangle on a floor is seen.
        let at = [41.3, 37.8];
        let inside = |x: f64, y: f64| {
            let (x, y) = (x - at[0], y - at[1]);
            y < 0.15 * x && x < 0.2 * y + 0.0
        };
        for noise in [0.0, 3.0] {
            let picture = drawn(inside, noise);
            for click in [[41.0, 38.0], [47.0, 33.0], [34.0, 41.0]] {
                let c = found(&picture, click).unwrap();
                let off = (c.pixel[0] - at[0]).hypot(c.pixel[1] - at[1]);
                assert!(off < 0.5, "{noise} {click:?}: {c:?}, {off} off");
                assert!(off < 2.5 * c.sigma, "{c:?}, {off} off");
                assert!((EDGE..1.0).contains(&c.sigma), "{c:?}");
            }
        }
    }

    #[test]
    fn the_middle_of_a_cross_is_found() {
        let at = [39.6, 40.2];
        let cross = |x: f64, y: f64| {
            let (x, y) = (x - at[0], y - at[1]);
            ((x - 0.3 * y).abs() < 1.2 || (y + 0.1 * x).abs() < 1.2) && x.hypot(y) < 9.0
        };
        let c = found(&drawn(cross, 2.0), [43.0, 44.0]).unwrap();
        let off = (c.pixel[0] - at[0]).hypot(c.pixel[1] - at[1]);
        assert!(off < 0.4, "{c:?}");
    }

    #[test]
    fn a_moved_camera_is_noticed() {
        let corners = [[22.0, 20.0], [58.0, 21.0], [57.0, 60.0], [21.0, 58.0]];
        let squares = |by: f64| {
            drawn(
                |x, y| {
                    corners.iter().any(|c| {
                        let (x, y) = (x - c[0] - by, y - c[1]);
                        (0.0..12.0).contains(&x) && (0.0..12.0).contains(&y)
                    })
                },
                2.0,
            )
        };
        let look = |bytes: &[u8]| unmoved(Grey { width: 80, bytes }, &corners);
        assert_eq!(look(&squares(0.0)), Unmoved { kept: 4, of: 4 });
        assert!(look(&squares(2.0)).same());
        assert!(!look(&squares(7.0)).same(), "{:?}", look(&squares(7.0)));
        assert!(!look(&drawn(|_, _| false, 2.0)).same());
    }

    #[test]
    fn no_corner_is_no_corner() {
        // A plain floor, a single edge, the rim of the picture, and what is no place.
        let plain = drawn(|_, _| false, 3.0);
        assert_eq!(found(&plain, [40.0, 40.0]), None);
        let edge = drawn(|x, y| x < 40.0 + 0.2 * y, 0.0);
        assert_eq!(found(&edge, [48.0, 40.0]), None);
        for click in [[0.0, 0.0], [79.9, 79.9], [-500.0, 40.0], [f64::NAN, 1.0]] {
            assert_eq!(found(&plain, click), None, "{click:?}");
        }
        assert_eq!(
            corner(
                Grey {
                    width: 0,
                    bytes: &[]
                },
                [1.0, 1.0],
                9.0
            ),
            None
        );
    }
}
