//! Pictures and what is cut out of them.

/// Eight bits of red, green and blue a pixel, row by row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Pixels a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// `3 · width · height` bytes.
    pub rgb: Vec<u8>,
}

impl Picture {
    /// `None` when the bytes are not as many as the size says.
    pub fn new(width: usize, height: usize, rgb: Vec<u8>) -> Option<Self> {
        (width > 0 && height > 0 && rgb.len() == 3 * width * height).then_some(Self {
            width,
            height,
            rgb,
        })
    }

    /// Colour at a pixel, black outside.
    pub fn at(&self, x: i64, y: i64) -> [f32; 3] {
        if x < 0 || y < 0 || x >= self.width as i64 || y >= self.height as i64 {
            return [0.0; 3];
        }
        let k = 3 * (y as usize * self.width + x as usize);
        [0, 1, 2].map(|c| f32::from(self.rgb[k + c]))
    }

    /// Colour between pixels, whose centres lie at halves.
    pub fn between(&self, x: f64, y: f64) -> [f32; 3] {
        let (x, y) = (x - 0.5, y - 0.5);
        let (left, top) = (x.floor(), y.floor());
        let (fx, fy) = ((x - left) as f32, (y - top) as f32);
        let (left, top) = (left as i64, top as i64);
        let [a, b, c, d] =
            [(0, 0), (1, 0), (0, 1), (1, 1)].map(|(i, j)| self.at(left + i, top + j));
        [0, 1, 2].map(|k| {
            let upper = a[k] + fx * (b[k] - a[k]);
            let lower = c[k] + fx * (d[k] - c[k]);
            upper + fy * (lower - upper)
        })
    }
}

/// A turned square of a picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Region {
    /// Its middle, pixels.
    pub centre: [f64; 2],
    /// Length of a side, pixels.
    pub side: f64,
    /// Where its upper edge lies from the middle: clockwise from straight up, radians.
    pub turn: f64,
}

impl Region {
    /// Where a point of the region lies in the picture; (0, 0) is the upper left corner, (1, 1) the lower
    /// right one.
    pub fn out(&self, [u, v]: [f64; 2]) -> [f64; 2] {
        let (s, c) = self.turn.sin_cos();
        let (x, y) = ((u - 0.5) * self.side, (v - 0.5) * self.side);
        [
            self.centre[0] + c * x - s * y,
            self.centre[1] + s * x + c * y,
        ]
    }

    /// Where a point of the picture lies in the region.
    pub fn inside(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let (s, c) = self.turn.sin_cos();
        let (x, y) = (
            (x - self.centre[0]) / self.side,
            (y - self.centre[1]) / self.side,
        );
        [0.5 + c * x + s * y, 0.5 - s * x + c * y]
    }
}

/// A limb as a thick line: two ends and half its thickness.
pub type Capsule = ([f64; 2], [f64; 2], f64);

/// How far a point lies inside (negative) or outside the nearest capsule, in its own unit.
pub fn distance(point: [f64; 2], capsules: &[Capsule]) -> f64 {
    let mut best = f64::INFINITY;
    for (a, b, radius) in capsules {
        let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
        let (px, py) = (point[0] - a[0], point[1] - a[1]);
        let long = dx * dx + dy * dy;
        let t = if long > 0.0 {
            ((px * dx + py * dy) / long).clamp(0.0, 1.0)
        } else {
            0.0
        };
        best = best.min((px - t * dx).hypot(py - t * dy) - radius);
    }
    best
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_turned_region_maps_there_and_back() {
        let r = Region {
            centre: [320.0, 200.0],
            side: 100.0,
            turn: 0.5,
        };
        for p in [[0.0, 0.0], [0.5, 0.0], [1.0, 0.3]] {
            let back = r.inside(r.out(p));
            assert!((back[0] - p[0]).abs() < 1e-12 && (back[1] - p[1]).abs() < 1e-12);
        }
        // Up in a region that leans to the right is up and to the right in the picture.
        let up = r.out([0.5, 0.0]);
        assert!(up[0] > 320.0 && up[1] < 200.0, "{up:?}");
    }

    #[test]
    fn colours_between_pixels_are_mixed_and_outside_is_black() {
        let p = Picture::new(2, 1, vec![0, 0, 0, 200, 100, 50]).unwrap();
        assert_eq!(p.between(1.0, 0.5), [100.0, 50.0, 25.0]);
        assert_eq!(p.between(1.5, 0.5), [200.0, 100.0, 50.0]);
        assert_eq!(p.between(9.0, 9.0), [0.0; 3]);
        assert_eq!(Picture::new(2, 1, vec![0; 5]), None);
    }

    #[test]
    fn distance_to_a_limb_is_negative_inside() {
        let limb = [([0.0, 0.0], [10.0, 0.0], 2.0)];
        assert_eq!(distance([5.0, 1.0], &limb), -1.0);
        assert_eq!(distance([13.0, 0.0], &limb), 1.0);
    }
}
