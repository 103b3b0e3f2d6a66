//! Landmarks as a table and motion as BVH, so that other programs can open them.

use std::fmt::Write as _;

use nalgebra::{Matrix3, Point3, Rotation3, Vector3};
use upright_core::body::Landmark;
use upright_core::take::table::word;
use upright_core::units::{MediaTime, Role};

use crate::body::Body;
use crate::detector::Detected;
use crate::motion::Performance;

/// Every landmark of both dancers at every frame of a phone's clip, one line each: frame, seconds of
/// the clip, role, landmark, where it is in the picture (pixels, empty behind the camera) and in the
/// room (metres).
pub fn landmark_table(performance: &Performance, phone: usize, frames: &[MediaTime]) -> String {
    let phone = performance.phone(phone);
    let mut out = String::from("frame,seconds,role,landmark,x_px,y_px,x_m,y_m,z_m\n");
    for (frame, t) in frames.iter().enumerate() {
        let danced = phone.danced(t.secs());
        let camera = phone.camera_at(danced);
        for (role, body) in Role::BOTH.iter().zip(performance.bodies(danced)) {
            for l in Landmark::ALL {
                let p = body.joint(l);
                let pixel = camera
                    .project(p)
                    .map_or(",".into(), |q| format!("{:.2},{:.2}", q.x, q.y));
                let _ = writeln!(
                    out,
                    "{frame},{:.6},{},{},{pixel},{:.4},{:.4},{:.4}",
                    t.secs(),
                    word(role),
                    word(&l),
                    p.x,
                    p.y,
                    p.z
                );
            }
        }
    }
    out
}

/// What a detector gives, one line a landmark: seconds of the clip, the role it is taken for, the role it
/// is, landmark, pixels, their claimed standard error, visibility, and the hint in metres where there is
/// one.
pub fn detection_table(detected: &[Detected]) -> String {
    let mut out =
        String::from("seconds,role,truly,landmark,x_px,y_px,sigma_px,visibility,x_m,y_m,z_m\n");
    for d in detected {
        for (l, s) in &d.points {
            let hint = s
                .hint
                .map_or(",,".into(), |[x, y, z]| format!("{x:.4},{y:.4},{z:.4}"));
            let _ = writeln!(
                out,
                "{:.6},{},{},{},{:.2},{:.2},{:.2},{:.2},{hint}",
                d.at.secs(),
                word(&d.role),
                word(&d.truly),
                word(l),
                s.pixel[0],
                s.pixel[1],
                s.sigma,
                s.visibility
            );
        }
    }
    out
}

/// A joint of the skeleton: where it is, its name, and what hangs on it.
struct Joint {
    name: &'static str,
    at: fn(&Body) -> Point3<f64>,
    children: &'static [Joint],
}

fn middle(b: &Body, l: Landmark, r: Landmark) -> Point3<f64> {
    nalgebra::center(&b.joint(l), &b.joint(r))
}

macro_rules! joint {
    ($name:literal, $landmark:ident $(, $child:expr)*) => {
        Joint { name: $name, at: |b| b.joint(Landmark::$landmark), children: &[$($child),*] }
    };
}

const SKELETON: Joint = Joint {
    name: "Hips",
    at: |b| middle(b, Landmark::LeftHip, Landmark::RightHip),
    children: &[
        // At the hips as well: bends the trunk against them.
        Joint {
            name: "Spine",
            at: |b| middle(b, Landmark::LeftHip, Landmark::RightHip),
            children: &[Joint {
                name: "Chest",
                at: |b| middle(b, Landmark::LeftShoulder, Landmark::RightShoulder),
                children: &[
                    joint!("Head", Nose),
                    joint!(
                        "LeftShoulder",
                        LeftShoulder,
                        joint!(
                            "LeftElbow",
                            LeftElbow,
                            joint!("LeftWrist", LeftWrist, joint!("LeftHand", LeftKnuckle))
                        )
                    ),
                    joint!(
                        "RightShoulder",
                        RightShoulder,
                        joint!(
                            "RightElbow",
                            RightElbow,
                            joint!("RightWrist", RightWrist, joint!("RightHand", RightKnuckle))
                        )
                    ),
                ],
            }],
        },
        joint!(
            "LeftHip",
            LeftHip,
            joint!(
                "LeftKnee",
                LeftKnee,
                joint!("LeftAnkle", LeftAnkle, joint!("LeftToe", LeftToe))
            )
        ),
        joint!(
            "RightHip",
            RightHip,
            joint!(
                "RightKnee",
                RightKnee,
                joint!("RightAnkle", RightAnkle, joint!("RightToe", RightToe))
            )
        ),
    ],
};

/// BVH has Y up: our X stays, our Z becomes Y, our Y goes back.
fn turned(p: Point3<f64>) -> Point3<f64> {
    Point3::new(p.x, p.z, -p.y)
}

/// Axes of a pose: to the dancer's left, up the trunk, and ahead, in the room of BVH.
fn frame(b: &Body) -> Rotation3<f64> {
    let at = |j: Point3<f64>| turned(j);
    let hips = at(middle(b, Landmark::LeftHip, Landmark::RightHip));
    let chest = at(middle(b, Landmark::LeftShoulder, Landmark::RightShoulder));
    let left = (at(b.joint(Landmark::LeftHip)) - hips).normalize();
    let up = chest - hips;
    let up = (up - left * up.dot(&left)).normalize();
    Rotation3::from_matrix_unchecked(Matrix3::from_columns(&[left, up, left.cross(&up)]))
}

/// One dancer's motion in metres at `rate` frames a second, as Biovision hierarchy text: offsets are
/// those of the first moment turned to face along Z.
pub fn bvh(performance: &Performance, role: Role, rate: f64) -> String {
    let first = &performance.bodies(0.0)[role as usize];
    let rest = frame(first).inverse();
    let mut out = String::from("HIERARCHY\n");
    hierarchy(&SKELETON, first, None, &rest, 0, &mut out);
    let frames = (performance.length() * rate).ceil() as usize;
    let _ = write!(
        out,
        "MOTION\nFrames: {frames}\nFrame Time: {:.6}\n",
        1.0 / rate
    );
    for i in 0..frames {
        let body = &performance.bodies(i as f64 / rate)[role as usize];
        let root = turned((SKELETON.at)(body));
        let _ = write!(out, "{:.5} {:.5} {:.5}", root.x, root.y, root.z);
        let whole = frame(body);
        angles(&whole, &mut out);
        for child in SKELETON.children {
            bones(child, (first, body), &rest, &whole, &mut out);
        }
        out.push('\n');
    }
    out
}

fn hierarchy(
    joint: &Joint,
    first: &Body,
    parent: Option<&Joint>,
    rest: &Rotation3<f64>,
    depth: usize,
    out: &mut String,
) {
    let indent = "  ".repeat(depth);
    let here = turned((joint.at)(first));
    let offset = parent.map_or(Vector3::zeros(), |p| rest * (here - turned((p.at)(first))));
    let kind = match (parent, joint.children.is_empty()) {
        (None, _) => "ROOT",
        (_, true) => "End",
        (_, false) => "JOINT",
    };
    let name = if joint.children.is_empty() {
        "Site"
    } else {
        joint.name
    };
    let _ = writeln!(out, "{indent}{kind} {name}\n{indent}{{");
    let _ = writeln!(
        out,
        "{indent}  OFFSET {:.5} {:.5} {:.5}",
        offset.x, offset.y, offset.z
    );
    match kind {
        "ROOT" => {
            let _ = writeln!(
                out,
                "{indent}  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation"
            );
        }
        "JOINT" => {
            let _ = writeln!(out, "{indent}  CHANNELS 3 Zrotation Xrotation Yrotation");
        }
        _ => {}
    }
    for child in joint.children {
        hierarchy(child, first, Some(joint), rest, depth + 1, out);
    }
    let _ = writeln!(out, "{indent}}}");
}

/// Rotations of a joint and what hangs on it: of the shortest way from where the bone to its child would
/// be to where it is; where several hang on it, the one that brings the line of the last two and the
/// bone to the first where they are.
fn bones(
    joint: &Joint,
    (first, body): (&Body, &Body),
    rest: &Rotation3<f64>,
    whole: &Rotation3<f64>,
    out: &mut String,
) {
    let Some(child) = joint.children.first() else {
        return;
    };
    let bone = |b: &Body| turned((child.at)(b)) - turned((joint.at)(b));
    let was = rest * bone(first);
    let is = whole.inverse() * bone(body);
    let turn = if let [_, l, r] = joint.children {
        let line = |b: &Body| turned((l.at)(b)) - turned((r.at)(b));
        axes(whole.inverse() * line(body), is) * axes(rest * line(first), was).inverse()
    } else {
        Rotation3::rotation_between(&was, &is).unwrap_or_else(Rotation3::identity)
    };
    angles(&turn, out);
    let whole = whole * turn;
    for child in joint.children {
        bones(child, (first, body), rest, &whole, out);
    }
}

/// Axes along a line and, square to it, toward a direction.
fn axes(line: Vector3<f64>, toward: Vector3<f64>) -> Rotation3<f64> {
    let x = line.normalize();
    let y = (toward - x * toward.dot(&x)).normalize();
    Rotation3::from_matrix_unchecked(Matrix3::from_columns(&[x, y, x.cross(&y)]))
}

/// Degrees about Z, X and Y, in this order.
fn angles(r: &Rotation3<f64>, out: &mut String) {
    let m = r.matrix();
    // R = Rz · Rx · Ry.
    let x = m[(2, 1)].clamp(-1.0, 1.0).asin();
    let z = (-m[(0, 1)]).atan2(m[(1, 1)]);
    let y = (-m[(2, 0)]).atan2(m[(2, 2)]);
    for a in [z, x, y] {
        let _ = write!(out, " {:.4}", a.to_degrees());
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Scenario;

    fn performance() -> Performance {
        Performance::new(&Scenario {
            chart: "salsa-right-turn".into(),
            bpm: 180.0,
            repetitions: 2,
            ..Scenario::default()
        })
        .unwrap()
    }

    #[test]
    fn the_table_holds_what_the_camera_sees() {
        let p = performance();
        let frames = [MediaTime::from_secs(0.5), MediaTime::from_secs(3.0)];
        let table = landmark_table(&p, 0, &frames);
        let rows: Vec<Vec<&str>> = table.lines().map(|l| l.split(',').collect()).collect();
        assert_eq!(rows.len(), 1 + 2 * 2 * 19);
        assert!(rows.iter().all(|r| r.len() == 9));
        let row = rows
            .iter()
            .find(|r| r[0] == "1" && r[2] == "follower" && r[3] == "right_toe")
            .unwrap();
        let at = p.bodies(3.0)[1].joint(Landmark::RightToe);
        let pixel = p.phone(0).camera().project(at).unwrap();
        let number = |i: usize| row[i].parse::<f64>().unwrap();
        assert!((number(4) - pixel.x).abs() < 0.006 && (number(5) - pixel.y).abs() < 0.006);
        assert!((number(6) - at.x).abs() < 6e-5 && (number(8) - at.z).abs() < 6e-5);
    }

    /// A joint as it stands in a file: name, parent, offset, number of channels.
    type Read = (String, Option<usize>, Vector3<f64>, usize);

    fn read(text: &str) -> (Vec<Read>, Vec<Vec<f64>>) {
        let (head, motion) = text.split_once("MOTION").unwrap();
        let mut joints: Vec<Read> = Vec::new();
        let mut open: Vec<usize> = Vec::new();
        for line in head.lines() {
            let words: Vec<&str> = line.split_whitespace().collect();
            match words.as_slice() {
                ["ROOT" | "JOINT" | "End", name] => {
                    joints.push(((*name).into(), open.last().copied(), Vector3::zeros(), 0));
                }
                ["{"] => open.push(joints.len() - 1),
                ["}"] => drop(open.pop()),
                ["OFFSET", x, y, z] => {
                    let of = [x, y, z].map(|v| v.parse().unwrap());
                    joints.last_mut().unwrap().2 = Vector3::from(of);
                }
                ["CHANNELS", n, ..] => joints.last_mut().unwrap().3 = n.parse().unwrap(),
                _ => {}
            }
        }
        let frames = motion
            .lines()
            .skip(3)
            .map(|l| l.split_whitespace().map(|v| v.parse().unwrap()).collect())
            .collect();
        (joints, frames)
    }

    #[test]
    fn the_motion_read_back_puts_the_joints_where_they_were() {
        let p = performance();
        for role in Role::BOTH {
            let (joints, frames) = read(&bvh(&p, role, 10.0));
            assert_eq!(frames.len(), (p.length() * 10.0).ceil() as usize);
            let mut worst: f64 = 0.0;
            for (i, values) in frames.iter().enumerate() {
                assert_eq!(values.len(), joints.iter().map(|j| j.3).sum::<usize>());
                let body = &p.bodies(i as f64 / 10.0)[role as usize];
                let mut next = values.iter().copied();
                let mut placed: Vec<(Point3<f64>, Rotation3<f64>)> = Vec::new();
                for (name, parent, offset, channels) in &joints {
                    let mut take = || next.next().unwrap();
                    let at = match parent {
                        Some(q) => placed[*q].0 + placed[*q].1 * offset,
                        None => Point3::new(take(), take(), take()),
                    };
                    let mut turn = parent.map_or(Rotation3::identity(), |q| placed[q].1);
                    if *channels > 0 {
                        let [z, x, y] = [take(), take(), take()].map(f64::to_radians);
                        turn *= Rotation3::from_axis_angle(&Vector3::z_axis(), z)
                            * Rotation3::from_axis_angle(&Vector3::x_axis(), x)
                            * Rotation3::from_axis_angle(&Vector3::y_axis(), y);
                    }
                    let known = match name.as_str() {
                        "LeftKnee" => Some(Landmark::LeftKnee),
                        "RightAnkle" => Some(Landmark::RightAnkle),
                        "LeftWrist" => Some(Landmark::LeftWrist),
                        "RightElbow" => Some(Landmark::RightElbow),
                        "RightShoulder" => Some(Landmark::RightShoulder),
                        _ => None,
                    };
                    if let Some(l) = known {
                        worst = worst.max((at - turned(body.joint(l))).norm());
                    }
                    placed.push((at, turn));
                }
            }
            assert!(worst < 0.01, "{role:?} {worst}");
        }
    }
}
