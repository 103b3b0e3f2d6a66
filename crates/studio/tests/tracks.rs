//! Tracks of the simulated detector through the core: who is who, when feet arrive, and what follows.
#![allow(clippy::unwrap_used)]

use upright_core::body::Landmark;
use upright_core::body::identity::mend;
use upright_core::body::track::Sighting;
use upright_core::units::{MediaTime, Role};
use upright_studio::{Detector, Performance, Phone, Scenario, detect, track};

fn dance(chart: &str, seed: u64) -> Performance {
    Performance::new(&Scenario {
        chart: chart.into(),
        repetitions: 3,
        phones: vec![Phone {
            bearing: 8.0,
            distance: 5.0,
            ..Phone::default()
        }],
        seed,
        ..Scenario::default()
    })
    .unwrap()
}

fn frames(p: &Performance) -> Vec<MediaTime> {
    let many = (p.length() * 30.0) as u32;
    (0..many)
        .map(|i| MediaTime::from_secs(f64::from(i) / 30.0))
        .collect()
}

/// Share of the sightings that bear the wrong dancer's name, told by which hips lie nearer.
fn wrong(p: &Performance, track: &[Sighting]) -> f64 {
    let phone = p.phone(0);
    let camera = phone.camera();
    let mut wrong = 0;
    for s in track {
        let bodies = p.bodies(phone.danced(s.at.secs()));
        let miss = |role: Role| -> f64 {
            [Landmark::LeftHip, Landmark::RightHip]
                .iter()
                .filter_map(|l| {
                    let q = camera.project(bodies[role as usize].joint(*l))?;
                    let seen = s.points.get(l)?.pixel;
                    Some((seen[0] - q.x).hypot(seen[1] - q.y))
                })
                .sum()
        };
        wrong += usize::from(miss(s.role) > miss(s.role.partner()) + 80.0);
    }
    wrong as f64 / track.len() as f64
}

#[test]
fn dancers_who_exchanged_names_in_passing_get_their_own_back() {
    let (mut before, mut after) = (0.0, 0.0);
    let figures = [
        "shag-pass",
        "wcs-left-pass",
        "lindy-swing-out-open",
        "hustle-spin",
    ];
    for (i, chart) in figures.iter().enumerate() {
        let p = dance(chart, i as u64);
        let detector = Detector {
            people: 0.6,
            seed: 40 + i as u64,
            ..Detector::default()
        };
        let mut t = track(&detect(&p, 0, &frames(&p), &detector));
        before += wrong(&p, &t);
        mend(
            &mut t,
            Some(&p.phone(0).camera()),
            p.scenario().heights,
            None,
        );
        after += wrong(&p, &t);
    }
    assert!(before > 0.5, "the detector exchanges nobody: {before}");
    assert!(after < 0.04, "still exchanged: {after} of {before}");
}
