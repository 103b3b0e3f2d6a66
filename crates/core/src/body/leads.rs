//! Which of two dancers leads, guessed before anything is solved: by their heights in metres where the floor is known,
//! by the clothes of an earlier take of the day, by how tall they are in the picture when nothing else tells.

use serde::{Deserialize, Serialize};

use crate::camera::Camera;

/// How high ankles are over the floor, metres.
const ANKLE: f64 = 0.08;

/// A nose lies so high over the floor of what somebody measures, with soft knees and below the crown.
const NOSE: f64 = 0.91;

/// Standard error of a dancer's height by the nose in many pictures of a take, metres: shoes, hair and how somebody
/// holds himself stay. Chosen.
const METRES: f64 = 0.06;

/// Standard error of the logarithm of two dancers' heights in the picture: one of them may be a metre nearer. Chosen.
const IN_PICTURE: f64 = 0.16;

/// What clothes like an earlier take's say at most, in logarithms of odds, and how different the two must be, 0..255.
const CLOTHES: f64 = 5.0;
const CONTRAST: f64 = 25.0;

/// Fewer pictures say nothing.
const ENOUGH: usize = 5;

/// No guess is surer.
const MOST: f64 = 0.98;

/// A dancer in one picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    /// Nose, pixels.
    pub nose: [f64; 2],
    /// Middle of the ankles, pixels.
    pub ankles: [f64; 2],
    /// From the nose to the lower ankle, pixels.
    pub tall: f64,
}

/// Mean colours of trunk and thighs.
pub type Clothes = [f64; 6];

/// What told who leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum By {
    /// The coach has pointed at one of them.
    Coach,
    /// Their clothes, as in an earlier take of the day.
    Clothes,
    /// Their heights in metres over a known floor.
    Metres,
    /// Their heights in the picture.
    Picture,
    /// Nothing: the one on the left was taken.
    Nothing,
}

/// A guess of who leads.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Guess {
    /// Probability that the leader was named rightly, 0.5..1.
    pub sure: f64,
    /// What told most.
    pub by: By,
}

/// Everything that may tell.
#[derive(Clone, Copy, Default)]
pub struct Known<'a> {
    /// The calibrated camera.
    pub camera: Option<&'a Camera>,
    /// Standing heights of leader and follower, metres.
    pub heights: [f64; 2],
    /// What both dancers wear in this film.
    pub clothes: Option<[Clothes; 2]>,
    /// What leader and follower wore in an earlier take of the day.
    pub earlier: Option<[Clothes; 2]>,
}

/// Somebody's standing height by the nose over the ankles, metres.
fn stature(camera: &Camera, seen: &Seen) -> Option<f64> {
    let stands = camera.at_height(seen.ankles.into(), ANKLE)?;
    let ray = camera.ray(seen.nose.into());
    let to = [stands.x - camera.position.x, stands.y - camera.position.y];
    let flat = ray.x * ray.x + ray.y * ray.y;
    if flat < 1e-6 {
        return None;
    }
    let along = (to[0] * ray.x + to[1] * ray.y) / flat;
    let tall = (camera.position.z + along * ray.z) / NOSE;
    (0.8..2.4).contains(&tall).then_some(tall)
}

fn median(mut all: Vec<f64>) -> Option<f64> {
    if all.len() < ENOUGH {
        return None;
    }
    all.sort_by(f64::total_cmp);
    Some(all[all.len() / 2])
}

fn distance(a: &Clothes, b: &Clothes) -> f64 {
    let squares = a.iter().zip(b).map(|(x, y)| (x - y).powi(2));
    squares.sum::<f64>().sqrt()
}

/// What clothes say for the first one being the leader, in logarithms of odds.
fn by_clothes(known: &Known) -> Option<f64> {
    let ([a, b], [leader, follower]) = (known.clothes?, known.earlier?);
    let contrast = distance(&leader, &follower);
    if contrast < CONTRAST {
        return None;
    }
    let straight = distance(&a, &leader) + distance(&b, &follower);
    let crossed = distance(&a, &follower) + distance(&b, &leader);
    // Neither dressed as before: changed clothes say nothing.
    (straight.min(crossed) < contrast)
        .then(|| CLOTHES * ((crossed - straight) / (2.0 * contrast)).clamp(-1.0, 1.0))
}

/// Whether the first of two who were followed leads, and how sure that is. `pairs` are the pictures that show both.
pub fn leads(pairs: &[[Seen; 2]], known: &Known) -> (bool, Guess) {
    let statures = known.camera.and_then(|camera| {
        let both = |[a, b]: &[Seen; 2]| Some(stature(camera, a)? - stature(camera, b)?);
        median(pairs.iter().filter_map(both).collect())
    });
    let [leader, follower] = known.heights;
    let metres = statures.map(|d| 2.0 * d * (leader - follower) / (2.0 * METRES * METRES));
    let ratio = median(
        pairs
            .iter()
            .filter(|p| p.iter().all(|s| s.tall > 1.0))
            .map(|[a, b]| (a.tall / b.tall).ln())
            .collect(),
    );
    let picture = match (metres, ratio) {
        // Metres hold what the picture says.
        (None, Some(r)) if leader > 0.5 && follower > 0.5 => {
            Some(2.0 * r * (leader / follower).ln() / (IN_PICTURE * IN_PICTURE))
        }
        _ => None,
    };
    let told = [
        (By::Clothes, by_clothes(known)),
        (By::Metres, metres),
        (By::Picture, picture),
    ];
    let left = pairs
        .iter()
        .filter(|[a, b]| a.ankles[0] < b.ankles[0])
        .count();
    decided(told, 2 * left >= pairs.len())
}

/// The same of one dancer who is alone: whether it is the leader.
pub fn is_leader(seen: &[Seen], known: &Known) -> (bool, Guess) {
    let [leader, follower] = known.heights;
    let own = known.camera.and_then(|camera| {
        let all = seen.iter().filter_map(|s| stature(camera, s));
        median(all.collect())
    });
    let metres =
        own.map(|s| ((s - follower).powi(2) - (s - leader).powi(2)) / (2.0 * METRES * METRES));
    let clothes = known
        .clothes
        .zip(known.earlier)
        .and_then(|([a, _], [l, f])| {
            let contrast = distance(&l, &f);
            let (own, other) = (distance(&a, &l), distance(&a, &f));
            (contrast >= CONTRAST && own.min(other) < contrast)
                .then(|| CLOTHES * ((other - own) / contrast).clamp(-1.0, 1.0))
        });
    decided(
        [
            (By::Clothes, clothes),
            (By::Metres, metres),
            (By::Picture, None),
        ],
        true,
    )
}

fn decided(told: [(By, Option<f64>); 3], otherwise: bool) -> (bool, Guess) {
    let sum: f64 = told.iter().filter_map(|t| t.1).sum();
    let most = told
        .iter()
        .filter_map(|(by, odds)| Some((*by, (*odds)?.abs())))
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|(_, odds)| *odds > 0.2);
    match most {
        Some((by, _)) if sum != 0.0 => {
            let sure = (1.0 / (1.0 + (-sum.abs()).exp())).min(MOST);
            (sum > 0.0, Guess { sure, by })
        }
        _ => (
            otherwise,
            Guess {
                sure: 0.5,
                by: By::Nothing,
            },
        ),
    }
}

#[cfg(test)]
mod tests {
    use nalgebra::Point3;

    use super::*;

    /// Somebody who stands upright at a place, as a camera sees it.
    fn upright(camera: &Camera, at: [f64; 2], height: f64) -> Option<Seen> {
        let place = |up: f64| camera.project(Point3::new(at[0], at[1], up));
        let (nose, ankles) = (place(NOSE * height)?, place(ANKLE)?);
        Some(Seen {
            nose: nose.into(),
            ankles: ankles.into(),
            tall: ankles.y - nose.y,
        })
    }

    fn phone(height: f64, size: [f64; 2]) -> Camera {
        Camera::looking_at(
            Point3::new(0.0, -4.5, height),
            Point3::new(0.0, 0.0, 0.9),
            0.0,
            65.0,
            size,
        )
    }

    /// A tall leader two metres further away than a small follower, who looks taller.
    fn pairs(camera: &Camera) -> Vec<[Seen; 2]> {
        (0..12)
            .map(|i| {
                let x = 0.05 * f64::from(i);
                let [leader, follower] = [([x, 1.3], 1.86), ([0.4 - x, -0.9], 1.62)];
                [leader, follower].map(|(at, tall)| upright(camera, at, tall).unwrap())
            })
            .collect()
    }

    #[test]
    fn who_looks_taller_because_nearer_does_not_lead_where_the_floor_is_known() {
        for (height, size) in [(1.5, [1280.0, 720.0]), (2.9, [720.0, 1280.0])] {
            let camera = phone(height, size);
            let pairs = pairs(&camera);
            assert!(pairs[0][1].tall > pairs[0][0].tall);
            let heights = [1.86, 1.62];
            let by_metres = Known {
                camera: Some(&camera),
                heights,
                ..Known::default()
            };
            let (first, guess) = leads(&pairs, &by_metres);
            assert!(
                first && guess.sure > 0.95 && guess.by == By::Metres,
                "{guess:?}"
            );
            // By the picture alone it is guessed wrongly, and said to be far from sure.
            let (first, guess) = leads(
                &pairs,
                &Known {
                    heights,
                    ..Known::default()
                },
            );
            assert!(!first && guess.by == By::Picture, "{guess:?}");
            assert!(guess.sure < 0.97, "{guess:?}");
        }
    }

    #[test]
    fn couples_of_one_height_are_told_by_the_clothes_of_an_earlier_take_or_not_at_all() {
        let camera = phone(1.5, [1280.0, 720.0]);
        let alike = Known {
            camera: Some(&camera),
            heights: [1.72, 1.72],
            ..Known::default()
        };
        let pairs = pairs(&camera);
        let (first, guess) = leads(&pairs, &alike);
        assert!(
            !first && guess.sure == 0.5 && guess.by == By::Nothing,
            "{guess:?}"
        );
        let (white, red) = ([220.0; 6], [170.0, 50.0, 80.0, 190.0, 150.0, 120.0]);
        let dressed = |clothes| Known {
            clothes: Some(clothes),
            earlier: Some([red, white]),
            ..alike
        };
        let (first, guess) = leads(&pairs, &dressed([white, red]));
        assert!(
            !first && guess.sure > 0.95 && guess.by == By::Clothes,
            "{guess:?}"
        );
        // Changed since.
        let (_, guess) = leads(&pairs, &dressed([[0.0; 6], [20.0; 6]]));
        assert_eq!(guess.by, By::Nothing);
        assert_eq!(leads(&[], &alike).1.sure, 0.5);
    }

    #[test]
    fn one_dancer_alone_is_the_one_whose_height_it_is() {
        let camera = phone(1.5, [1280.0, 720.0]);
        let known = Known {
            camera: Some(&camera),
            heights: [1.86, 1.62],
            ..Known::default()
        };
        for (tall, leader) in [(1.84, true), (1.63, false)] {
            let seen = vec![upright(&camera, [0.3, 0.2], tall).unwrap(); 8];
            let (is, guess) = is_leader(&seen, &known);
            assert!(is == leader && guess.sure > 0.9, "{tall}: {guess:?}");
        }
        let (is, guess) = is_leader(&[], &Known::default());
        assert!(is && guess.sure == 0.5);
    }
}
