//! Round solids, seen through the lens: each sample of a picture shows the nearest surface on its ray.

use nalgebra::{Point2, Point3, Vector2, Vector3};
use tiny_skia::{Pixmap, PremultipliedColorU8};
use upright_core::camera::Camera;

use super::{Rgb, shaded};

/// A cone with round ends: every ball between two balls.
#[derive(Debug, Clone, Copy)]
pub(super) struct Cone {
    /// Middle and radius of a ball, metres.
    pub from: (Point3<f64>, f64),
    pub to: (Point3<f64>, f64),
    pub colour: Rgb,
    /// How much nearer to the lens than it is it counts, metres: what lies on a surface, not in it.
    pub over: f64,
}

/// Samples along a pixel's side.
const FINE: usize = 2;

/// A cone in the lens's frame, depth along z, and what its every ray needs.
struct Seen {
    a: Vector3<f64>,
    b: Vector3<f64>,
    radii: [f64; 2],
    axis: Vector3<f64>,
    taper: f64,
    /// Length of the axis and of its part on the side, squared.
    slope: f64,
    /// From the first end to the lens, along the axis.
    base: f64,
    /// What the equation for the side has of no ray.
    k0: f64,
    /// Squared distances of the ends' surfaces along tangents from the lens.
    clear: [f64; 2],
}

impl Seen {
    fn new(camera: &Camera, cone: &Cone) -> Self {
        let see = |p: Point3<f64>| camera.rotation * (p - camera.position);
        let [(a, r0), (b, r1)] = [cone.from, cone.to].map(|(p, r)| (see(p), r));
        let (axis, taper) = (b - a, r0 - r1);
        let (long, base) = (axis.norm_squared(), -axis.dot(&a));
        let slope = long - taper * taper;
        Self {
            a,
            b,
            radii: [r0, r1],
            axis,
            taper,
            slope,
            base,
            k0: slope * a.norm_squared() - base * base + 2.0 * base * taper * r0 - long * r0 * r0,
            clear: [a.norm_squared() - r0 * r0, b.norm_squared() - r1 * r1],
        }
    }

    /// How many times its length a ray goes until it meets the surface, and a vector along the surface's outward normal.
    ///
    /// The side is the envelope of balls of middle `a + s (b − a)` and radius `r₀ − s taper`: where the ray touches
    /// one of them and no other, its distance solves `k₂ t² + 2 k₁ t + k₀ = 0`.
    fn meet(&self, ray: &Vector3<f64>) -> Option<(f64, Vector3<f64>)> {
        let square = ray.norm_squared();
        let toward = self.a.dot(ray);
        if self.slope > 0.0 {
            let along = self.axis.dot(ray);
            let k2 = self.slope * square - along * along;
            let k1 = along * (self.taper * self.radii[0] - self.base) - self.slope * toward;
            let h = k1 * k1 - self.k0 * k2;
            if h < 0.0 {
                return None;
            }
            let t = (-h.sqrt() - k1) / k2;
            let y = self.base - self.radii[0] * self.taper + t * along;
            if y > 0.0 && y < self.slope {
                return Some((t, (ray * t - self.a) * self.slope - self.axis * y));
            }
        }
        let ball = |middle: &Vector3<f64>, toward: f64, clear: f64| {
            let h = toward * toward - square * clear;
            (h >= 0.0).then(|| {
                let t = (toward - h.sqrt()) / square;
                (t, ray * t - middle)
            })
        };
        let ends = [
            ball(&self.a, toward, self.clear[0]),
            ball(&self.b, self.b.dot(ray), self.clear[1]),
        ];
        ends.into_iter()
            .flatten()
            .min_by(|a, b| a.0.total_cmp(&b.0))
    }
}

/// Brightness of a surface: light from the ceiling, a window up to the left, and from where the phone is.
struct Light {
    up: Vector3<f64>,
    window: Vector3<f64>,
}

impl Light {
    fn of(camera: &Camera) -> Self {
        Self {
            up: camera.rotation * Vector3::z(),
            window: Vector3::new(-0.5, -0.6, -0.6).normalize(),
        }
    }

    fn on(&self, normal: &Vector3<f64>, ray: &Vector3<f64>) -> f64 {
        let ceiling = 0.5 + 0.5 * normal.dot(&self.up);
        let window = normal.dot(&self.window).max(0.0);
        let ahead = -normal.dot(ray);
        0.42 + 0.22 * ceiling + 0.36 * window + 0.20 * ahead
    }
}

/// First and last sample of an interval of pixels, within a picture's side.
fn samples([from, to]: [f64; 2], side: u32) -> [usize; 2] {
    let fine = |v: f64| (v.clamp(0.0, f64::from(side)) * FINE as f64) as usize;
    [fine(from.floor()), fine(to.ceil())]
}

/// Where in the picture a cone can be seen: two discs and what is between them, pixels.
struct Outline {
    discs: [(Point2<f64>, f64); 2],
    /// Lines that touch both discs.
    sides: Vec<[Point2<f64>; 2]>,
}

impl Outline {
    /// `None` where a part of it is not before the lens.
    fn new(camera: &Camera, cone: &Cone) -> Option<Self> {
        let disc = |(at, radius): (Point3<f64>, f64)| {
            let depth = camera.depth(at) - radius;
            let p = camera.project(at).filter(|_| depth > 0.05)?;
            // A ball off the axis is seen longer than broad, and a bent lens stretches it.
            let aside = Point2::from(camera.centre) - p;
            let stretched = 1.1 * aside.norm().hypot(camera.focal);
            Some((p, stretched * radius / depth + 1.0))
        };
        let discs = [disc(cone.from)?, disc(cone.to)?];
        let [(a, ra), (b, rb)] = discs;
        let (on, far) = (b - a, (b - a).norm());
        let mut sides = Vec::new();
        if far > (ra - rb).abs() {
            let on = on / far;
            let sin = (ra - rb) / far;
            let cos = (1.0 - sin * sin).sqrt();
            for across in [Vector2::new(-on.y, on.x), Vector2::new(on.y, -on.x)] {
                let n = on * sin + across * cos;
                sides.push([a + n * ra, b + n * rb]);
            }
        }
        Some(Self { discs, sides })
    }

    /// Extent along an axis.
    fn extent(&self, axis: usize) -> [f64; 2] {
        let [(a, ra), (b, rb)] = self.discs;
        [
            (a[axis] - ra).min(b[axis] - rb),
            (a[axis] + ra).max(b[axis] + rb),
        ]
    }

    /// Extent of a row.
    fn row(&self, y: f64) -> [f64; 2] {
        let discs = self.discs.iter().flat_map(|(p, r)| {
            let half = r * r - (y - p.y).powi(2);
            let half = (half >= 0.0).then(|| half.sqrt());
            half.into_iter().flat_map(|half| [p.x - half, p.x + half])
        });
        let sides = self.sides.iter().filter_map(|[a, b]| {
            let share = (y - a.y) / (b.y - a.y);
            (0.0..=1.0)
                .contains(&share)
                .then(|| a.x + share * (b.x - a.x))
        });
        discs
            .chain(sides)
            .fold([f64::INFINITY, f64::NEG_INFINITY], |[from, to], x| {
                [from.min(x), to.max(x)]
            })
    }
}

/// Paints cones over a picture, each where it is the nearest.
pub(super) fn paint_cones(camera: &Camera, picture: &mut Pixmap, cones: &[Cone]) {
    let size = [picture.width(), picture.height()];
    let near = |c: &Cone| {
        let ends = [c.from, c.to].map(|(p, r)| camera.depth(p) - r);
        ends[0].min(ends[1]) - c.over
    };
    let mut shown: Vec<_> = cones
        .iter()
        .filter_map(|c| Some((near(c), c, Seen::new(camera, c), Outline::new(camera, c)?)))
        .collect();
    // The nearest first: what they hide is not looked at.
    shown.sort_by(|a, b| a.0.total_cmp(&b.0));
    let all = |axis: usize| {
        let each = shown.iter().map(|(.., o)| o.extent(axis));
        each.reduce(|[a, b], [c, d]| [a.min(c), b.max(d)])
    };
    let (Some(across), Some(down)) = (all(0), all(1)) else {
        return;
    };
    let [left, right] = samples(across, size[0]);
    let [top, low] = samples(down, size[1]);
    let wide = right.saturating_sub(left);
    let mut nearest = vec![f64::INFINITY; wide * low.saturating_sub(top)];
    let mut colours = vec![[0_u8; 3]; nearest.len()];
    let light = Light::of(camera);
    let [cx, cy] = camera.centre;
    let ray = |x: usize, y: usize| {
        let at = |v: usize| (v as f64 + 0.5) / FINE as f64;
        if camera.bend == 0.0 {
            Vector3::new(
                (at(x) - cx) / camera.focal,
                (at(y) - cy) / camera.focal,
                1.0,
            )
        } else {
            camera.rotation * camera.ray(Point2::new(at(x), at(y)))
        }
    };
    for (near, cone, seen, outline) in &shown {
        let [first, last] = samples(outline.extent(1), size[1]);
        for y in first..last {
            let [from, to] = samples(outline.row((y as f64 + 0.5) / FINE as f64), size[0]);
            for x in from..to {
                let i = (y - top) * wide + x - left;
                if *near >= nearest[i] {
                    continue;
                }
                let ray = ray(x, y);
                let Some((t, normal)) = seen.meet(&ray) else {
                    continue;
                };
                let depth = t * ray.z - cone.over;
                if t > 0.0 && depth < nearest[i] {
                    nearest[i] = depth;
                    let bright = light.on(&normal.normalize(), &ray.normalize());
                    colours[i] = shaded(cone.colour, bright);
                }
            }
        }
    }
    let columns = picture.width() as usize;
    let pixels = picture.pixels_mut();
    for y in (top..low).step_by(FINE) {
        for x in (left..right).step_by(FINE) {
            let block = (0..FINE * FINE).map(|k| (y - top + k / FINE) * wide + x - left + k % FINE);
            let met: Vec<[u8; 3]> = block
                .filter(|i| nearest[*i].is_finite())
                .map(|i| colours[i])
                .collect();
            if met.is_empty() {
                continue;
            }
            let behind = &mut pixels[y / FINE * columns + x / FINE];
            let bare = (FINE * FINE - met.len()) as f64;
            let was = [behind.red(), behind.green(), behind.blue()];
            let now: [u8; 3] = std::array::from_fn(|k| {
                let sum: f64 = met.iter().map(|c| f64::from(c[k])).sum();
                ((sum + bare * f64::from(was[k])) / (FINE * FINE) as f64).round() as u8
            });
            if let Some(p) = PremultipliedColorU8::from_rgba(now[0], now[1], now[2], 255) {
                *behind = p;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use tiny_skia::Color;

    use super::*;

    const RED: Rgb = [200, 40, 30];
    const BLUE: Rgb = [30, 60, 190];

    fn camera(bend: f64) -> Camera {
        let (from, to) = (Point3::new(0.0, -4.0, 1.5), Point3::new(0.0, 0.0, 1.0));
        let mut camera = Camera::looking_at(from, to, 0.0, 65.0, [640.0, 360.0]);
        camera.bend = bend;
        camera
    }

    fn cone(from: ([f64; 3], f64), to: ([f64; 3], f64), colour: Rgb) -> Cone {
        Cone {
            from: (from.0.into(), from.1),
            to: (to.0.into(), to.1),
            colour,
            over: 0.0,
        }
    }

    fn painted(camera: &Camera, cones: &[Cone]) -> Pixmap {
        let mut picture = Pixmap::new(640, 360).unwrap();
        picture.fill(Color::BLACK);
        paint_cones(camera, &mut picture, cones);
        picture
    }

    /// Pixels with more red than blue, and with more blue than red.
    fn red_and_blue(picture: &Pixmap) -> [usize; 2] {
        let is = |red: bool| {
            move |p: &&PremultipliedColorU8| p.red() != p.blue() && (p.red() > p.blue()) == red
        };
        [true, false].map(|red| picture.pixels().iter().filter(is(red)).count())
    }

    #[test]
    fn a_ray_meets_the_surface_and_its_normal_stands_on_it() {
        let mut rng = ChaCha8Rng::seed_from_u64(3);
        let camera = camera(0.0);
        let mut met = 0;
        for _ in 0..4000 {
            let mut end = || {
                let p = [0, 1, 2].map(|_| rng.random_range(-0.5..0.5));
                (p, rng.random_range(0.02..0.3))
            };
            let seen = Seen::new(&camera, &cone(end(), end(), RED));
            let on = seen.a + seen.axis * rng.random_range(0.0..1.0);
            let aside = Vector3::from_fn(|_, _| rng.random_range(-0.2..0.2));
            let ray = (on + aside) / on.z;
            let Some((t, normal)) = seen.meet(&ray) else {
                continue;
            };
            met += 1;
            let at = ray * t;
            // The solid is every ball between the two: the point lies on one of them and in none.
            let deepest = (0..=2000).map(|i| f64::from(i) / 2000.0).map(|s| {
                let middle = seen.a + seen.axis * s;
                let out = at - middle;
                (out.norm() - (seen.radii[0] - seen.taper * s), out)
            });
            let (outside, out) = deepest.min_by(|a, b| a.0.total_cmp(&b.0)).unwrap();
            assert!(outside.abs() < 1e-4, "{outside} m off the surface");
            assert!(out.normalize().dot(&normal.normalize()) > 0.999);
            assert!(normal.dot(&ray) <= 1e-9, "seen from behind");
        }
        assert!(met > 2000, "{met} rays met");
    }

    #[test]
    fn a_ball_is_as_large_as_the_lens_makes_it_and_where_it_puts_it() {
        let (middle, radius) = ([0.9, 0.3, 1.2], 0.25);
        for bend in [0.0, -0.12] {
            let camera = camera(bend);
            let picture = painted(&camera, &[cone((middle, radius), (middle, radius), RED)]);
            let lit = |i: &usize| picture.pixels()[*i].red() > 0;
            let at: Vec<[f64; 2]> = (0..640 * 360)
                .filter(lit)
                .map(|i| [(i % 640) as f64 + 0.5, (i / 640) as f64 + 0.5])
                .collect();
            let mean = |k: usize| at.iter().map(|p| p[k]).sum::<f64>() / at.len() as f64;
            let p = camera.project(middle.into()).unwrap();
            assert!(
                (p.x - mean(0)).hypot(p.y - mean(1)) < 1.0,
                "{p} {} {}",
                mean(0),
                mean(1)
            );
            // A distant ball's disc, longer along the way from the principal point.
            let r = radius * camera.focal / camera.depth(middle.into());
            let area = std::f64::consts::PI * r * r;
            let share = at.len() as f64 / area;
            let bent = 1.0 + bend;
            assert!((bent - 0.02..1.12).contains(&share), "{share}");
        }
    }

    #[test]
    fn what_is_nearer_hides_what_is_behind_in_whichever_order() {
        let near = cone(([-0.4, -0.3, 1.0], 0.1), ([0.4, -0.3, 1.0], 0.1), RED);
        let far = cone(([0.0, 0.3, 0.7], 0.08), ([0.0, 0.3, 1.3], 0.05), BLUE);
        let camera = camera(0.0);
        let one = painted(&camera, &[near, far]);
        assert_eq!(one.data(), painted(&camera, &[far, near]).data());
        let [red, blue] = red_and_blue(&one);
        let [all_red, _] = red_and_blue(&painted(&camera, &[near]));
        let [_, all_blue] = red_and_blue(&painted(&camera, &[far]));
        assert!(red.abs_diff(all_red) < 60, "{red} of {all_red}");
        assert!(
            blue > all_blue / 3 && blue < 4 * all_blue / 5,
            "{blue} of {all_blue}"
        );
        // What lies on a surface counts as nearer than the surface it lies in.
        let mark = Cone {
            over: 0.1,
            ..cone(([0.0, -0.3, 1.0], 0.05), ([0.0, -0.3, 1.0], 0.05), BLUE)
        };
        let [_, shown] = red_and_blue(&painted(&camera, &[near, mark]));
        let [_, sunk] = red_and_blue(&painted(&camera, &[near, Cone { over: 0.0, ..mark }]));
        assert!(shown > 40 && sunk == 0, "{shown} {sunk}");
    }

    #[test]
    fn what_is_not_before_the_lens_is_not_painted() {
        let behind = cone(([0.0, -4.2, 1.5], 0.1), ([0.0, -3.0, 1.4], 0.1), RED);
        assert_eq!(red_and_blue(&painted(&camera(0.0), &[behind])), [0, 0]);
    }
}
