//! Landmarks that another program has found: as a table (CSV) or as key points in the layout of the COCO
//! data set (JSON).

use std::collections::BTreeMap;

use serde::Deserialize;

use super::exchange::{TakeError, check};
use crate::body::Landmark;
use crate::body::solve::Source;
use crate::body::track::{Sight, Sighting};
use crate::units::{MediaTime, Role};
use Landmark as L;

/// Standard error taken where the file gives none, as a share of the dancer's height in the picture.
const SHARE: f64 = 0.015;

/// Least confidence of a key point that is taken over.
const LEAST_SCORE: f64 = 0.05;

/// The seventeen key points of the COCO data set, in its order; eyes and ears have no landmark here.
const COCO: [Option<L>; 17] = [
    Some(L::Nose),
    None,
    None,
    None,
    None,
    Some(L::LeftShoulder),
    Some(L::RightShoulder),
    Some(L::LeftElbow),
    Some(L::RightElbow),
    Some(L::LeftWrist),
    Some(L::RightWrist),
    Some(L::LeftHip),
    Some(L::RightHip),
    Some(L::LeftKnee),
    Some(L::RightKnee),
    Some(L::LeftAnkle),
    Some(L::RightAnkle),
];

/// The six of the feet that often follow them: left big toe, small toe and heel, then right.
const FEET: [Option<L>; 6] = [
    Some(L::LeftToe),
    None,
    Some(L::LeftHeel),
    Some(L::RightToe),
    None,
    Some(L::RightHeel),
];

/// Reads a file by its beginning: JSON or a table. `frames` are the clip's frame times, where a file numbers
/// its frames instead of timing them.
pub fn landmarks(text: &str, frames: &[MediaTime]) -> Result<Vec<Sighting>, TakeError> {
    let begin = text.trim_start_matches('\u{feff}').trim_start();
    let mut out = if begin.starts_with(['{', '[']) {
        keypoints(begin, frames)?
    } else {
        table(begin, frames)?
    };
    if out.is_empty() {
        return Err(TakeError::Number(
            "The file has no landmark of a leader or a follower in it.".into(),
        ));
    }
    out.sort_by_key(|s| (s.at, s.role));
    out.iter().try_for_each(check)?;
    Ok(out)
}

fn word<T: for<'d> Deserialize<'d>>(text: &str) -> Option<T> {
    serde_json::from_value(serde_json::Value::String(text.trim().to_lowercase())).ok()
}

/// A table with one landmark a line. Columns by name, in any order: `seconds` or `frame`, `role`, `landmark`,
/// `x_px`, `y_px`, and where known `sigma_px` or `visibility`, and `x_m`, `y_m`, `z_m` about the hips.
fn table(text: &str, frames: &[MediaTime]) -> Result<Vec<Sighting>, TakeError> {
    let mut lines = text.lines().enumerate();
    let head: Vec<String> = lines
        .next()
        .map(|(_, l)| l.split(',').map(|c| c.trim().to_lowercase()).collect())
        .unwrap_or_default();
    let column = |name: &str| head.iter().position(|c| c == name);
    let need = |name: &str| {
        column(name).ok_or_else(|| {
            TakeError::Number(format!(
                "The table's first line has no column “{name}”. It needs seconds (or frame), role, landmark, x_px and y_px."
            ))
        })
    };
    let (role, landmark) = (need("role")?, need("landmark")?);
    let place = [need("x_px")?, need("y_px")?];
    let time = match column("seconds") {
        Some(c) => (c, false),
        None => (need("frame")?, true),
    };
    let sigma = column("sigma_px");
    let about = ["x_m", "y_m", "z_m"].map(column);
    let mut found: BTreeMap<(MediaTime, Role), Sighting> = BTreeMap::new();
    for (i, line) in lines.filter(|l| !l.1.trim().is_empty()) {
        let cells: Vec<&str> = line.split(',').map(str::trim).collect();
        let wrong = |what: &str| TakeError::Read {
            line: i + 1,
            column: 1,
            what: what.to_owned(),
        };
        let cell = |c: usize| cells.get(c).copied().unwrap_or_default();
        let number = |c: usize| cell(c).parse::<f64>().ok();
        let when = number(time.0).ok_or_else(|| wrong("the time is no number"))?;
        let at = if time.1 {
            at_frame(when, frames).ok_or_else(|| wrong("the clip has no such frame"))?
        } else {
            MediaTime::from_secs(when)
        };
        let role: Role =
            word(cell(role)).ok_or_else(|| wrong("the role is neither leader nor follower"))?;
        let landmark: L = word(cell(landmark)).ok_or_else(|| wrong("no landmark has this name"))?;
        // A landmark that was not seen has an empty place.
        if place.iter().any(|c| cell(*c).is_empty()) {
            continue;
        }
        let [Some(x), Some(y)] = place.map(number) else {
            return Err(wrong("the place is no number"));
        };
        let hint = about.map(|c| c.and_then(number));
        let sight = Sight {
            pixel: [x, y],
            sigma: sigma.and_then(number).unwrap_or(0.0),
            source: Source::Imported,
            about_hips: match hint {
                [Some(x), Some(y), Some(z)] => Some([x, y, z]),
                _ => None,
            },
        };
        add(&mut found, at, role, landmark, sight);
    }
    Ok(finished(found))
}

#[derive(Deserialize)]
struct Image {
    id: i64,
    #[serde(default)]
    seconds: Option<f64>,
    #[serde(default)]
    frame: Option<f64>,
}

#[derive(Deserialize)]
struct Annotation {
    image_id: i64,
    keypoints: Vec<f64>,
    #[serde(default)]
    role: Option<Role>,
    #[serde(default)]
    track_id: Option<i64>,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum Keypoints {
    Whole {
        #[serde(default)]
        images: Vec<Image>,
        annotations: Vec<Annotation>,
    },
    Bare(Vec<Annotation>),
}

/// Key points in COCO's layout: `keypoints` hold x, y and a confidence (or COCO's 0, 1, 2) of 17 points, or 23
/// with the feet. `image_id` is the frame's number unless `images` gives a frame or seconds for it. The
/// dancer is told by `role`, or by `track_id`: the first one that comes is the leader.
fn keypoints(text: &str, frames: &[MediaTime]) -> Result<Vec<Sighting>, TakeError> {
    let read: Keypoints = serde_json::from_str(text).map_err(|e| TakeError::Read {
        line: e.line(),
        column: e.column(),
        what:
            "these are no key points: the file needs “annotations” with “image_id” and “keypoints”"
                .into(),
    })?;
    let (images, annotations) = match read {
        Keypoints::Whole {
            images,
            annotations,
        } => (images, annotations),
        Keypoints::Bare(all) => (Vec::new(), all),
    };
    let images: BTreeMap<i64, Image> = images.into_iter().map(|i| (i.id, i)).collect();
    let mut dancers: Vec<i64> = Vec::new();
    let mut found: BTreeMap<(MediaTime, Role), Sighting> = BTreeMap::new();
    for (i, a) in annotations.iter().enumerate() {
        let wrong = |what: String| TakeError::Number(format!("Annotation {}: {what}", i + 1));
        let image = images.get(&a.image_id);
        let at = match image.and_then(|i| i.seconds) {
            Some(s) => MediaTime::from_secs(s),
            None => {
                let number = image.and_then(|i| i.frame).unwrap_or(a.image_id as f64);
                at_frame(number, frames)
                    .ok_or_else(|| wrong(format!("the clip has no frame {number}.")))?
            }
        };
        let role = match (a.role, a.track_id) {
            (Some(r), _) => r,
            (None, Some(id)) => {
                if !dancers.contains(&id) {
                    dancers.push(id);
                }
                match dancers.iter().position(|d| *d == id) {
                    Some(0) => Role::Leader,
                    Some(1) => Role::Follower,
                    _ => continue,
                }
            }
            (None, None) => {
                return Err(wrong(
                    "say whose it is: “role” leader or follower, or a “track_id”.".into(),
                ));
            }
        };
        let names: Vec<Option<L>> = match a.keypoints.len() {
            51 => COCO.to_vec(),
            69 => COCO.iter().chain(&FEET).copied().collect(),
            n => {
                return Err(wrong(format!(
                    "{n} numbers are no key points: 51 (17 points) or 69 (23 with the feet)."
                )));
            }
        };
        for (name, p) in names.iter().zip(a.keypoints.chunks(3)) {
            let (Some(landmark), true) = (name, p[2] > LEAST_SCORE) else {
                continue;
            };
            let sight = Sight {
                pixel: [p[0], p[1]],
                sigma: 0.0,
                source: Source::Imported,
                about_hips: None,
            };
            add(&mut found, at, role, *landmark, sight);
        }
    }
    Ok(finished(found))
}

fn at_frame(number: f64, frames: &[MediaTime]) -> Option<MediaTime> {
    (number >= 0.0 && number.fract() == 0.0)
        .then(|| frames.get(number as usize).copied())
        .flatten()
}

fn add(
    found: &mut BTreeMap<(MediaTime, Role), Sighting>,
    at: MediaTime,
    role: Role,
    landmark: L,
    sight: Sight,
) {
    let s = found.entry((at, role)).or_insert_with(|| Sighting {
        at,
        role,
        points: BTreeMap::new(),
    });
    s.points.insert(landmark, sight);
}

/// Where the file gives no standard error, the usual one for the dancer's size.
fn finished(found: BTreeMap<(MediaTime, Role), Sighting>) -> Vec<Sighting> {
    let mut out: Vec<Sighting> = found.into_values().collect();
    for s in &mut out {
        let ys = || s.points.values().map(|p| p.pixel[1]);
        let tall = ys().fold(f64::MIN, f64::max) - ys().fold(f64::MAX, f64::min);
        let usual = (SHARE * tall).max(1.5);
        for p in s.points.values_mut().filter(|p| p.sigma == 0.0) {
            p.sigma = usual;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const FRAMES: [MediaTime; 3] = [MediaTime(0), MediaTime(33_367), MediaTime(66_733)];

    #[test]
    fn a_table_is_read_by_its_columns() {
        let text = "landmark,role,frame,y_px,x_px,sigma_px\nnose,leader,1,100.5,640,3\nleft_toe,leader,1,600,630,\nnose,follower,2,,,\n";
        let s = landmarks(text, &FRAMES).unwrap();
        assert_eq!(s.len(), 1);
        assert_eq!(s[0].at, MediaTime(33_367));
        assert_eq!(s[0].points[&L::Nose].pixel, [640.0, 100.5]);
        assert_eq!(s[0].points[&L::Nose].sigma, 3.0);
        // 499.5 pixels tall, 1.5 % of it.
        assert!((s[0].points[&L::LeftToe].sigma - 7.4925).abs() < 1e-9);
    }

    #[test]
    fn key_points_are_read_with_and_without_feet() {
        let mut k = vec![0.0; 69];
        k[0..3].copy_from_slice(&[640.0, 90.0, 0.9]);
        k[3 * 11..3 * 12].copy_from_slice(&[650.0, 350.0, 2.0]);
        k[3 * 19..3 * 20].copy_from_slice(&[655.0, 640.0, 0.6]);
        let text = format!(
            r#"{{"images":[{{"id":7,"seconds":0.5}}],"annotations":[{{"image_id":7,"track_id":4,"keypoints":{k:?}}},{{"image_id":7,"track_id":9,"keypoints":{:?}}}]}}"#,
            &k[..51]
        );
        let s = landmarks(&text, &[]).unwrap();
        assert_eq!(s.iter().map(|s| s.role).collect::<Vec<_>>(), Role::BOTH);
        assert_eq!(s[0].points[&L::LeftHeel].pixel, [655.0, 640.0]);
        assert_eq!(
            s[1].points.keys().copied().collect::<Vec<_>>(),
            [L::Nose, L::LeftHip]
        );
        assert_eq!(s[0].at, MediaTime(500_000));
    }

    #[test]
    fn what_cannot_be_read_is_said_with_its_place() {
        let said = |text: &str| landmarks(text, &FRAMES).unwrap_err().to_string();
        assert!(said("a,b\n1,2").contains("no column “role”"));
        let head = "seconds,role,landmark,x_px,y_px\n";
        assert!(said(&format!("{head}0,leader,nose,1,2\n0,cook,nose,1,2")).starts_with("Line 3"));
        assert!(said(&format!("{head}0,leader,tail,1,2")).contains("no landmark"));
        assert!(said(&format!("{head}0,leader,nose,1e9,2")).contains("cannot be"));
        assert!(said(head).contains("no landmark of a leader"));
        assert!(said(r#"[{"image_id":9,"role":"leader","keypoints":[]}]"#).contains("no frame 9"));
        assert!(said(r#"[{"image_id":1,"role":"leader","keypoints":[1]}]"#).contains("1 numbers"));
        assert!(said("{").contains("no key points"));
    }
}
