//! A couple seen in a mirror dances the mirrored figure with the same faults, and one that stands the other way
//! along the reference the same figure.
#![allow(clippy::unwrap_used)]

use nalgebra::Point3;
use upright_core::analyse::{Analysis, analyse};
use upright_core::body::Landmark;
use upright_core::body::solve::Bodies;
use upright_core::chart::{Chart, Shelf, chart};
use upright_core::fault::Rules;
use upright_core::marks::Marks;
use upright_core::measure::CoupleBody;
use upright_core::take::{Film, Solved, Take};
use upright_core::units::Role;
use upright_studio::{Hand, Performance, Scenario, Shown, known, marks};

/// The landmark of the other side.
fn other(l: Landmark) -> Landmark {
    let name = format!("{l:?}");
    let swapped = match (name.strip_prefix("Left"), name.strip_prefix("Right")) {
        (Some(rest), _) => format!("Right{rest}"),
        (_, Some(rest)) => format!("Left{rest}"),
        _ => name,
    };
    Landmark::ALL
        .into_iter()
        .find(|l| format!("{l:?}") == swapped)
        .unwrap()
}

/// A dancer with every landmark put somewhere else.
fn moved(
    of: &Bodies,
    planted: Vec<[[bool; 2]; 2]>,
    to: impl Fn(usize, Landmark) -> Point3<f64>,
) -> Bodies {
    let joints: Vec<[Point3<f64>; 19]> = (0..of.at.len())
        .map(|t| {
            let mut all = [Point3::origin(); 19];
            for l in Landmark::ALL {
                all[l as usize] = to(t, l);
            }
            all
        })
        .collect();
    Bodies::known(of.height, of.at.clone(), &joints, planted, 0.002)
}

/// A dancer with left and right exchanged across the slot.
fn mirrored(of: &Bodies) -> Bodies {
    let planted = of.planted.iter().map(|[l, r]| [*r, *l]).collect();
    moved(of, planted, |t, l| {
        let p = of.joint(t, other(l));
        Point3::new(p.x, -p.y, p.z)
    })
}

/// A dancer who dances the other way along the slot.
fn turned(of: &Bodies) -> Bodies {
    moved(of, of.planted.clone(), |t, l| {
        let p = of.joint(t, l);
        Point3::new(-p.x, -p.y, p.z)
    })
}

/// Only what is marked in time: the bodies are known.
fn timed(p: &Performance) -> Marks {
    let mut m = Marks::default();
    for command in marks(p, 0, &p.frame_times(0), &Hand::exact()) {
        let _ = command.apply(&mut m);
    }
    m.poses.clear();
    m.floor = None;
    m
}

fn judged(p: &Performance, marks: &Marks, bodies: [Bodies; 2], shelf: &Shelf) -> Analysis {
    let take = Take {
        marks,
        couple: CoupleBody {
            heights: p.scenario().heights,
            frame_limit: None,
        },
        films: &[Film::new(p.phone(0).picture())],
        shelf,
        rules: Rules::usual(),
    };
    analyse(&take, Some(&Solved::known(bodies)))
}

#[test]
fn mirrored_couples_have_mirrored_findings() {
    for (figure, faults) in [
        ("shag-basic", vec![("P1", Role::Follower, 8.0)]),
        (
            "shag-basic",
            vec![("S3", Role::Leader, 30.0), ("T1", Role::Follower, 0.09)],
        ),
        (
            "shag-basic",
            vec![("P5", Role::Leader, 0.07), ("S4", Role::Follower, 0.4)],
        ),
    ] {
        let p = Performance::new(&Scenario {
            chart: figure.into(),
            faults: faults
                .iter()
                .map(|(id, role, size)| Shown::new(id, *role).of(*size))
                .collect(),
            seed: 77,
            ..Scenario::default()
        })
        .unwrap();
        let mut m = timed(&p);
        let bodies = Role::BOTH.map(|r| known(&p, r));
        let a = judged(&p, &m, bodies.clone(), &Shelf::default());

        let draft = upright_core::chart::Draft {
            id: "in-the-mirror".into(),
            ..chart(figure).unwrap().draft().mirrored()
        };
        let shelf = Shelf::new(vec![Chart::new(draft).unwrap()]);
        m.chart = Some("in-the-mirror".into());
        m.steps.iter_mut().for_each(|s| s.foot = s.foot.other());
        let b = judged(&p, &m, bodies.each_ref().map(mirrored), &shelf);

        let shown = |a: &Analysis| a.judged.iter().filter(|j| j.shows()).count();
        assert!(shown(&a) >= faults.len(), "{figure}: {faults:?}");
        assert_eq!(a.judged.len(), b.judged.len());
        for x in &a.judged {
            let same = b
                .judged
                .iter()
                .find(|y| (&y.fault, y.role) == (&x.fault, x.role));
            let y = same.unwrap();
            let name = format!("{} {:?} in {faults:?}", x.fault, x.role);
            assert_eq!(
                (x.showing, x.of, x.grade),
                (y.showing, y.of, y.grade),
                "{name}"
            );
            let sizes = [x.value.value.abs(), y.value.value.abs()];
            assert!(
                (sizes[0] - sizes[1]).abs() < 1e-3 * (1.0 + sizes[0]),
                "{name} {sizes:?}"
            );
            assert_eq!((x.offered, x.count), (y.offered, y.count), "{name}");
            match (x.share, y.share) {
                (Some(s), Some(t)) => assert!((s.value - t.value).abs() < 1e-3, "{name}"),
                (s, t) => assert_eq!(s.is_some(), t.is_some(), "{name}"),
            }
        }
    }
}

#[test]
fn a_couple_the_other_way_along_the_reference_is_measured_alike() {
    let p = Performance::new(&Scenario {
        chart: "shag-basic".into(),
        faults: vec![
            Shown::new("P1", Role::Follower).of(8.0),
            Shown::new("T1", Role::Leader).of(0.12),
        ],
        seed: 12,
        ..Scenario::default()
    })
    .unwrap();
    let mut m = timed(&p);
    let bodies = Role::BOTH.map(|r| known(&p, r));
    // Arrivals as called, and as found from the feet.
    for called in [true, false] {
        if !called {
            m.steps.clear();
        }
        let shelf = Shelf::default();
        let a = judged(&p, &m, bodies.clone(), &shelf);
        let b = judged(&p, &m, bodies.each_ref().map(turned), &shelf);
        assert!(a.measures.len() > 200, "{}", a.measures.len());
        assert_eq!(a.measures.len(), b.measures.len());
        for (x, y) in a.measures.iter().zip(&b.measures) {
            let name = format!("{} {:?} {:?}", x.id, x.role, x.count);
            assert_eq!((&x.id, x.role, x.count), (&y.id, y.role, y.count));
            match (x.reading.estimate(), y.reading.estimate()) {
                (Some(e), Some(f)) => {
                    let scale = 1.0 + e.value.abs();
                    assert!(
                        (e.value - f.value).abs() < 1e-3 * scale,
                        "{name}: {e:?} {f:?}"
                    );
                    assert!(
                        (e.sigma - f.sigma).abs() < 1e-2 * (e.sigma + 1e-6),
                        "{name}"
                    );
                }
                (e, f) => assert_eq!(e.is_some(), f.is_some(), "{name}"),
            }
        }
        let shows = |a: &Analysis, id: &str| a.judged.iter().any(|j| j.fault == id && j.shows());
        for id in ["T1", "P1"] {
            assert_eq!(shows(&a, id), shows(&b, id), "{id}, called {called}");
            assert!(shows(&a, id) || !called, "{id}");
        }
    }
}
