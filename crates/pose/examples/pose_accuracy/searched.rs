//! People in pictures, looked for as the worker does it.

use std::time::Instant;

use rayon::prelude::*;
use upright_pose::follow::{Crowd, Said, Search};
use upright_pose::{Finder, Person, Picture};

/// Pictures that are looked at together, as the worker does it.
const BATCH: usize = 16;

/// People are looked for in every so many pictures.
pub const PEOPLE_EVERY: usize = 2;

/// Who is in the pictures, as the worker looks for them, and how many in each with the time that took.
pub fn crowds(
    networks: &dyn Finder,
    pictures: &[Picture],
    times: &[f64],
) -> (Vec<Crowd>, Vec<(usize, f64)>) {
    let (mut search, mut people) = (Search::default(), Vec::new());
    for from in (0..times.len()).step_by(BATCH) {
        let batch: Vec<usize> = (from..(from + BATCH).min(times.len()))
            .step_by(PEOPLE_EVERY)
            .collect();
        let window = search.window();
        let found: Vec<(Crowd, f64)> = batch
            .par_iter()
            .map(|i| {
                let begun = Instant::now();
                let whole = Search::whole(i / PEOPLE_EVERY);
                let people = networks.crowd(&pictures[*i], window, whole).unwrap();
                let crowd = Crowd {
                    at: times[*i],
                    people,
                };
                (crowd, begun.elapsed().as_secs_f64())
            })
            .collect();
        people.extend(found.iter().map(|(c, took)| (c.people.len().min(2), *took)));
        let crowds: Vec<Crowd> = found.into_iter().map(|(crowd, _)| crowd).collect();
        let (many, size) = (crowds.len(), pictures[0].size());
        search.found(crowds, size, &Said::default());
        let again: Vec<(usize, Vec<Person>)> = search
            .missing(many, size, &Said::default())
            .into_par_iter()
            .map(|(k, window, there)| {
                let picture = &pictures[k * PEOPLE_EVERY];
                (k, networks.again(picture, window, there.as_ref()).unwrap())
            })
            .collect();
        for (k, people) in again {
            search.found_again(k, people);
        }
    }
    (search.crowds(), people)
}
