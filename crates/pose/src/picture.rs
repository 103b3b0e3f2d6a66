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

    /// Width and height, pixels.
    pub fn size(&self) -> [usize; 2] {
        [self.width, self.height]
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
        let [a, b, c, d] = if left >= 0
            && top >= 0
            && left + 1 < self.width as i64
            && top + 1 < self.height as i64
        {
            let upper = 3 * (top as usize * self.width + left as usize);
            let lower = upper + 3 * self.width;
            [upper, upper + 3, lower, lower + 3]
                .map(|k| [0, 1, 2].map(|c| f32::from(self.rgb[k + c])))
        } else {
            [(0, 0), (1, 0), (0, 1), (1, 1)].map(|(i, j)| self.at(left + i, top + j))
        };
        [0, 1, 2].map(|k| {
            let upper = a[k] + fx * (b[k] - a[k]);
            let lower = c[k] + fx * (d[k] - c[k]);
            upper + fy * (lower - upper)
        })
    }
}

impl Picture {
    /// The picture with what the capsules cover painted over, row by row, in the colours beside it.
    pub fn without(&self, capsules: &[Capsule]) -> Self {
        let mut out = self.clone();
        let [left, top, right, bottom] = around(capsules);
        let span = |low: f64, high: f64, most: usize| {
            (low.max(0.0) as usize).min(most)..(high.max(0.0).ceil() as usize).min(most)
        };
        // A pixel more on both sides, to take the colour from.
        let columns = span(left - 1.0, right + 1.0, self.width);
        for y in span(top, bottom, self.height) {
            let hidden: Vec<bool> = columns
                .clone()
                .map(|x| covered([x as f64 + 0.5, y as f64 + 0.5], capsules))
                .collect();
            let bytes = 3 * (y * self.width + columns.start)..3 * (y * self.width + columns.end);
            let mut row: Vec<f32> = self.rgb[bytes.clone()]
                .iter()
                .map(|v| f32::from(*v))
                .collect();
            blend(&mut row, &hidden);
            for (to, v) in out.rgb[bytes].iter_mut().zip(row) {
                *to = v.round() as u8;
            }
        }
        out
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

/// Whether a point lies in one of the capsules.
pub fn covered(point: [f64; 2], capsules: &[Capsule]) -> bool {
    capsules.iter().any(|(a, b, radius)| {
        let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
        let (px, py) = (point[0] - a[0], point[1] - a[1]);
        let long = dx * dx + dy * dy;
        let t = if long > 0.0 {
            ((px * dx + py * dy) / long).clamp(0.0, 1.0)
        } else {
            0.0
        };
        let (x, y) = (px - t * dx, py - t * dy);
        x * x + y * y < radius * radius
    })
}

/// The smallest upright box about capsules: left, top, right, bottom; empty without any.
pub fn around(capsules: &[Capsule]) -> [f64; 4] {
    let mut out = [
        f64::INFINITY,
        f64::INFINITY,
        f64::NEG_INFINITY,
        f64::NEG_INFINITY,
    ];
    for (a, b, radius) in capsules {
        for k in 0..2 {
            out[k] = out[k].min(a[k].min(b[k]) - radius);
            out[k + 2] = out[k + 2].max(a[k].max(b[k]) + radius);
        }
    }
    out
}

/// Fills what is hidden in a row of colours from its neighbours on both sides.
pub(crate) fn blend(row: &mut [f32], hidden: &[bool]) {
    let mut from = 0;
    while let Some(start) = (from..hidden.len()).find(|i| hidden[*i]) {
        let end = (start..hidden.len())
            .find(|i| !hidden[*i])
            .unwrap_or(hidden.len());
        let left = start.checked_sub(1).or((end < hidden.len()).then_some(end));
        let right = (end < hidden.len()).then_some(end).or(left);
        if let (Some(l), Some(r)) = (left, right) {
            for i in start..end {
                let t = (i + 1 - start) as f32 / (end + 1 - start) as f32;
                for k in 0..3 {
                    row[3 * i + k] = row[3 * l + k] * (1.0 - t) + row[3 * r + k] * t;
                }
            }
        }
        from = end;
    }
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
    fn a_limb_covers_what_is_nearer_than_half_its_thickness() {
        let limb = [([0.0, 0.0], [10.0, 0.0], 2.0)];
        assert!(covered([5.0, 1.9], &limb));
        assert!(!covered([5.0, 2.1], &limb));
        assert!(covered([11.9, 0.0], &limb));
        assert!(!covered([11.5, 1.5], &limb));
        assert!(!covered([5.0, 1.0], &[]));
        assert_eq!(around(&limb), [-2.0, -2.0, 12.0, 2.0]);
    }

    #[test]
    fn who_is_painted_over_is_gone_and_the_rest_stays() {
        // A black bar on a floor that gets lighter to the right.
        let (width, height) = (40, 8);
        let mut rgb: Vec<u8> = (0..width * height)
            .flat_map(|i| [100 + 2 * (i % width) as u8; 3])
            .collect();
        for y in 0..height {
            for x in 15..20 {
                rgb[3 * (y * width + x)..3 * (y * width + x) + 3].fill(0);
            }
        }
        let p = Picture::new(width, height, rgb).unwrap();
        let gone = p.without(&[([17.5, 4.0], [17.5, 4.0], 3.0)]);
        let at = |x: usize, y: usize| gone.rgb[3 * (y * width + x)];
        assert!((15..20).all(|x| at(x, 4).abs_diff(100 + 2 * x as u8) <= 1));
        assert_eq!((at(17, 0), at(14, 4), at(25, 4)), (0, 128, 150));
        // Nobody to paint over, or somebody out of the picture.
        assert_eq!(p.without(&[]), p);
        assert_eq!(p.without(&[([-90.0, 4.0], [-80.0, 4.0], 3.0)]), p);
    }

    #[test]
    fn what_is_painted_out_is_filled_from_both_sides() {
        let mut row: Vec<f32> = [0.0, 9.0, 9.0, 9.0, 1.0]
            .iter()
            .flat_map(|v| [*v; 3])
            .collect();
        blend(&mut row, &[false, true, true, true, false]);
        let grey: Vec<f32> = row.chunks(3).map(|c| c[0]).collect();
        assert_eq!(grey, [0.0, 0.25, 0.5, 0.75, 1.0]);
        // From one side where there is only one, and nothing where there is none.
        let mut row: Vec<f32> = [9.0, 9.0, 2.0].iter().flat_map(|v| [*v; 3]).collect();
        blend(&mut row, &[true, true, false]);
        assert!(row.iter().all(|v| (*v - 2.0).abs() < 1e-6));
        blend(&mut row, &[true; 3]);
        assert!(row.iter().all(|v| (*v - 2.0).abs() < 1e-6));
    }
}
