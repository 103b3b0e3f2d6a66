//! Results as tables that other programs open: measures and joints as CSV, joints as TRC (the marker
//! trajectories of biomechanics programs).

use std::fmt::Write as _;

use super::Solved;
use crate::body::Landmark;
use crate::measure::{Measure, Reading, spec};
use crate::units::{Role, Unit};

/// A role, landmark or unit as it stands in exchanged documents.
pub fn word(v: &impl serde::Serialize) -> String {
    serde_json::to_value(v)
        .ok()
        .and_then(|v| v.as_str().map(str::to_owned))
        .unwrap_or_default()
}

/// One measure a line: id, role (empty for the couple), repetition and count from 1 (count empty over a whole
/// repetition), value, standard error, unit, and why it is not visible where it is not.
pub fn measures(all: &[Measure]) -> String {
    let mut out = String::from("measure,role,repetition,count,value,sigma,unit,not_visible\n");
    for m in all {
        let unit = spec(&m.id).map_or(Unit::Ratio, |s| s.unit);
        let role = m.role.as_ref().map_or_else(String::new, word);
        let count = m.count.map_or_else(String::new, |c| (c + 1).to_string());
        let (value, sigma, why) = match &m.reading {
            Reading::Value(e) => (format!("{:.5}", e.value), format!("{:.5}", e.sigma), ""),
            Reading::NotVisible { why } => (String::new(), String::new(), why.as_str()),
        };
        let _ = writeln!(
            out,
            "{},{role},{},{count},{value},{sigma},{},\"{}\"",
            m.id,
            m.repetition + 1,
            word(&unit),
            why.replace('"', "\"\"")
        );
    }
    out
}

/// One joint a line: seconds, role, landmark, place and the standard errors of its coordinates, metres.
pub fn joints(solved: &Solved) -> String {
    let mut out = String::from("seconds,role,landmark,x_m,y_m,z_m,sigma_x_m,sigma_y_m,sigma_z_m\n");
    for role in Role::BOTH {
        let Some(bodies) = solved.of(role) else {
            continue;
        };
        for (t, at) in bodies.at.iter().enumerate() {
            for l in Landmark::ALL {
                let p = bodies.joint(t, l);
                let sigma = [0, 1, 2].map(|k| {
                    bodies
                        .value(t, |b| Some(b.joint(l)[k]))
                        .map_or(f64::NAN, |e| e.sigma)
                });
                let _ = writeln!(
                    out,
                    "{at:.6},{},{},{:.4},{:.4},{:.4},{:.4},{:.4},{:.4}",
                    word(&role),
                    word(&l),
                    p.x,
                    p.y,
                    p.z,
                    sigma[0],
                    sigma[1],
                    sigma[2]
                );
            }
        }
    }
    out
}

/// One dancer's joints as marker trajectories in millimetres, Y up as the format's readers expect; `None`
/// where the dancer was not solved.
pub fn trc(solved: &Solved, role: Role) -> Option<String> {
    let bodies = solved.of(role)?;
    let n = bodies.at.len();
    let span = bodies.at.last()? - bodies.at.first()?;
    let rate = if span > 0.0 {
        (n - 1) as f64 / span
    } else {
        1.0
    };
    let mut out = format!("PathFileType\t4\t(X/Y/Z)\t{}.trc\n", word(&role));
    out.push_str("DataRate\tCameraRate\tNumFrames\tNumMarkers\tUnits\tOrigDataRate\tOrigDataStartFrame\tOrigNumFrames\n");
    let _ = writeln!(
        out,
        "{rate:.4}\t{rate:.4}\t{n}\t{}\tmm\t{rate:.4}\t1\t{n}",
        Landmark::ALL.len()
    );
    out.push_str("Frame#\tTime");
    for l in Landmark::ALL {
        let _ = write!(out, "\t{}\t\t", word(&l));
    }
    out.push_str("\n\t");
    for i in 1..=Landmark::ALL.len() {
        let _ = write!(out, "\tX{i}\tY{i}\tZ{i}");
    }
    out.push('\n');
    for (t, at) in bodies.at.iter().enumerate() {
        let _ = write!(out, "\n{}\t{at:.6}", t + 1);
        for l in Landmark::ALL {
            let p = bodies.joint(t, l) * 1000.0;
            // Floor X stays, height becomes Y, and Z points the way that keeps it right-handed.
            let _ = write!(out, "\t{:.2}\t{:.2}\t{:.2}", p.x, p.z, -p.y);
        }
    }
    out.push('\n');
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::body::solve::Bodies;
    use crate::units::Estimate;
    use nalgebra::Point3;

    #[test]
    fn measures_stand_in_lines() {
        let value = |reading| Measure {
            id: "turn_body".into(),
            role: Some(Role::Follower),
            repetition: 0,
            count: Some(2),
            reading,
            asked: None,
            likely: None,
        };
        let text = measures(&[
            value(Reading::Value(Estimate::new(45.25, 3.5))),
            value(Reading::NotVisible {
                why: "Film \"it\" from the side.".into(),
            }),
        ]);
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(
            lines[1],
            "turn_body,follower,1,3,45.25000,3.50000,degrees,\"\""
        );
        assert!(lines[2].ends_with(",degrees,\"Film \"\"it\"\" from the side.\""));
    }

    #[test]
    fn trajectories_stand_upright_in_millimetres() {
        let mut joints = [Point3::origin(); 19];
        joints[Landmark::Nose as usize] = Point3::new(0.1, 0.2, 1.6);
        let b = Bodies::known(
            1.7,
            vec![0.0, 0.08],
            &[joints; 2],
            vec![[[true; 2]; 2]; 2],
            0.01,
        );
        let solved = Solved::known([b.clone(), b]);
        let text = trc(&solved, Role::Leader).unwrap();
        let lines: Vec<&str> = text.lines().collect();
        assert!(lines[2].starts_with("12.5000\t12.5000\t2\t19\tmm"));
        assert!(
            lines[6].contains("\t100.00\t1600.00\t-200.00"),
            "{}",
            lines[6]
        );
        assert_eq!(joints_lines(&solved), 2 * 2 * 19 + 1);
    }

    fn joints_lines(solved: &Solved) -> usize {
        let text = super::joints(solved);
        assert!(text.contains("nose,0.1000,0.2000,1.6000,0.0100,0.0100,0.0100"));
        text.lines().count()
    }
}
