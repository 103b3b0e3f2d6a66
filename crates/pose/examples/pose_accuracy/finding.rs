//! Whether the dancers are found, and only they: takes with others in the picture, and of one dancer alone.

use std::path::Path;
use std::process::ExitCode;

use rand::{RngCore as _, SeedableRng};
use rand_chacha::ChaCha8Rng;
use upright_core::units::Role;
use upright_pose::Finder;
use upright_pose::follow::{Crowd, Said, follow};
use upright_studio::Performance;

use crate::scene::Scenes;
use crate::searched::crowds;
use crate::{STRANGER, away, draw, height, pictures, truth};

/// Least share of the dancers' sights that are found where they hold each other openly, per cent.
const FOUND: f64 = 97.0;

/// Most sights with the other one's name, per cent.
const EXCHANGED: f64 = 1.0;

/// Dancers embrace whose hips are nearer to each other than this, metres.
const EMBRACE: f64 = 0.55;

/// How long takes are looked at, seconds.
const LONG: f64 = 14.0;

/// What is counted of sights.
#[derive(Default, Clone, Copy)]
struct Sights {
    due: usize,
    /// Whoever was found where the dancer is, by whatever name.
    seen: usize,
    found: usize,
    exchanged: usize,
    invented: usize,
}

impl Sights {
    fn line(&self, name: &str) -> String {
        let share = |n: usize| 100.0 * n as f64 / self.due.max(1) as f64;
        format!(
            "{name}: {} sights, in the pictures {:.1} %, followed {:.1} %, with the other's name {:.1} %, somebody else {:.1} %",
            self.due,
            share(self.seen),
            share(self.found),
            share(self.exchanged),
            share(self.invented)
        )
    }

    fn missed(&self) -> bool {
        let share = |n: usize| 100.0 * n as f64 / self.due.max(1) as f64;
        share(self.found) < FOUND || share(self.exchanged) > EXCHANGED
    }
}

fn seen(networks: &dyn Finder, p: &Performance, kept: Option<&Path>) -> Vec<Crowd> {
    let file = kept.map(|folder| folder.join(format!("{}.json", p.scenario().seed)));
    if let Some(bytes) = file.as_ref().and_then(|f| std::fs::read(f).ok()) {
        return serde_json::from_slice(&bytes).unwrap();
    }
    let times: Vec<f64> = draw::frames(p, LONG).iter().map(|t| t.secs()).collect();
    let (crowds, _) = crowds(networks, &pictures(p, 0, &times), &times);
    if let Some(file) = &file {
        std::fs::write(file, serde_json::to_vec(&crowds).unwrap()).unwrap();
        let hips = |t: f64| {
            let bodies = p.bodies(t);
            truth(p, 0, t).map(|own| {
                let [a, b] = [
                    upright_core::body::Landmark::LeftHip,
                    upright_core::body::Landmark::RightHip,
                ]
                .map(|l| crate::of(&own, l).1);
                [
                    0.5 * (a[0] + b[0]),
                    0.5 * (a[1] + b[1]),
                    height(&own),
                    (bodies[0].pelvis() - bodies[1].pelvis()).xy().norm(),
                ]
            })
        };
        let all: Vec<_> = crowds.iter().map(|c| hips(c.at)).collect();
        let there: Vec<bool> = Role::BOTH.iter().map(|r| p.scenario().dances(*r)).collect();
        std::fs::write(
            file.with_extension("truth"),
            serde_json::to_vec(&(all, there)).unwrap(),
        )
        .unwrap();
    }
    crowds
}

/// Draws takes, looks for the dancers, and tells how many were found.
pub fn run(
    networks: &dyn Finder,
    (takes, rng): (u64, &mut ChaCha8Rng),
    scenes: Scenes,
    kept: Option<&Path>,
) -> ExitCode {
    let (mut open, mut embraced) = (Sights::default(), Sights::default());
    let mut miscounted = 0;
    for _ in 0..takes {
        let mut scenario = draw::draw(rng);
        // As long as people film at least.
        scenario.repetitions = 4;
        scenes.change(
            &mut scenario,
            &mut ChaCha8Rng::seed_from_u64(rng.next_u64()),
        );
        let p = Performance::new(&scenario).unwrap();
        let crowds = seen(networks, &p, kept);
        let followed = follow(&crowds, &Said::default());
        let there: Vec<Role> = Role::BOTH
            .into_iter()
            .filter(|r| scenario.dances(*r))
            .collect();
        miscounted += usize::from(followed.alone != (there.len() == 1));
        // Which of the two is which is the coach's: by most of the pictures.
        let mut votes = 0.0;
        for (crowd, pair) in crowds.iter().zip(&followed.pairs) {
            let [l, f] = truth(&p, 0, crowd.at);
            for (person, sign) in pair.iter().zip([1.0, -1.0]) {
                votes += person.map_or(0.0, |a| sign * (away(&a, &f) - away(&a, &l)));
            }
        }
        let order = if votes >= 0.0 { [0, 1] } else { [1, 0] };
        let [mut own_open, mut own_embraced] = [Sights::default(); 2];
        let mut line = [String::new(), String::new()];
        for (crowd, pair) in crowds.iter().zip(&followed.pairs) {
            let bodies = p.bodies(crowd.at);
            let near = (bodies[0].pelvis() - bodies[1].pelvis()).xy().norm() < EMBRACE;
            let to = if near && there.len() == 2 {
                &mut own_embraced
            } else {
                &mut own_open
            };
            let truths = truth(&p, 0, crowd.at);
            for role in Role::BOTH {
                let (own, other) = (&truths[role as usize], &truths[role.partner() as usize]);
                let is =
                    |a: &upright_pose::Person, whose| away(a, whose) < STRANGER * height(whose);
                let person = pair[order[role as usize]];
                if !scenario.dances(role) {
                    let partner = |a: &upright_pose::Person| is(a, other);
                    to.invented += usize::from(person.is_some());
                    to.exchanged += usize::from(person.as_ref().is_some_and(partner));
                    continue;
                }
                // Who has left the picture cannot be found in it.
                let inside = |(_, q, _): &(_, [f64; 2], _)| {
                    (0..2).all(|k| (0.0..p.phone(0).picture()[k]).contains(&q[k]))
                };
                if !own.iter().all(inside) {
                    continue;
                }
                to.due += 1;
                to.seen += usize::from(crowd.people.iter().any(|a| is(a, own)));
                let Some(a) = person else {
                    line[role as usize].push(if crowd.people.iter().any(|a| is(a, own)) {
                        'm'
                    } else {
                        '-'
                    });
                    continue;
                };
                let partner = scenario.dances(role.partner());
                let far = away(&a, own) > 0.12 * height(own);
                if partner && far && away(&a, other) < 0.5 * away(&a, own) {
                    to.exchanged += 1;
                    line[role as usize].push('x');
                } else if is(&a, own) {
                    to.found += 1;
                    line[role as usize].push(if near { 'e' } else { '.' });
                } else {
                    to.invented += 1;
                    line[role as usize].push('o');
                }
            }
        }
        println!(
            "{} {} others, alone {} taken for {}: {}; {}",
            scenario.chart,
            scenario.watchers.len(),
            there.len() == 1,
            followed.alone,
            own_open.line("open"),
            own_embraced.line("embraced"),
        );
        if std::env::var("DEBUG").is_ok() {
            println!("  L {}\n  F {}", line[0], line[1]);
        }
        for (sum, own) in [(&mut open, own_open), (&mut embraced, own_embraced)] {
            sum.due += own.due;
            sum.seen += own.seen;
            sum.found += own.found;
            sum.exchanged += own.exchanged;
            sum.invented += own.invented;
        }
    }
    println!("{}", open.line("open"));
    println!("{}", embraced.line("embraced"));
    println!("one taken for two or two for one: {miscounted} of {takes} takes");
    if open.missed() || miscounted > 0 || open.invented > 0 {
        eprintln!("missed");
        return ExitCode::FAILURE;
    }
    ExitCode::SUCCESS
}
