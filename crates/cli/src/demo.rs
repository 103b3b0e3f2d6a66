//! The demo studio: Saltmarsh Hall, ten weeks toward an evening called Low Tide Social.
//!
//! Nothing is typed in but names, heights and how each couple dances from week to week. Every take is
//! danced by the simulated studio, marked by a simulated hand, and goes the same way as a coach's own.

use std::path::Path;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, PoisonError};

use anyhow::{Context as _, anyhow};
use jiff::civil::Date;
use jiff::{Span, Zoned};
use upright_core::chart::vocabulary::Part;
use upright_core::chart::{Chart, Does, chart, notation};
use upright_core::marks::{Entry, MarkCommand};
use upright_core::plan::How;
use upright_core::routine::{Item, Routine};
use upright_core::units::{MediaTime, Role};
use upright_server::auth::hash_password;
use upright_server::correct::{self, Wish};
use upright_server::jobs::Told;
use upright_server::lessons::{LessonInput, keep};
use upright_server::review::{self, Review};
use upright_server::{App, DemoSignIn, Problem, intake};
use upright_store::{
    ClipState, Couple, CoupleInput, NewAccount, NewClip, NewTake, PersonInput, StudioId, Take,
    Verdict, Whose,
};
use upright_studio::{Hand, Music, Performance, Phone, Scenario, Shown, Sound, marks};
use uuid::Uuid;

use upright_server::film::{film, new_clips};

/// A second phone, at the end of the couple's line, started a little later and with a clock of its own.
const SECOND: Phone = Phone {
    distance: 4.4,
    bearing: 74.0,
    height: 1.6,
    aim: 0.82,
    view: 66.0,
    roll: -0.8,
    bend: -0.02,
    shake: 0.0,
    size: [1280, 720],
    fps: 25.0,
    uneven: 0.25,
    clock: 0.64,
    fast: 45.0,
};

const PLACE: &str = "Saltmarsh Hall";
const WEEKS: usize = 8;

/// What the demo's first page shows.
pub fn sign_in() -> DemoSignIn {
    DemoSignIn {
        email: "marit@saltmarsh.example".into(),
        password: "low-tide-social".into(),
    }
}

/// A couple of the demo and how it dances, week by week.
struct Story {
    leader: (&'static str, f64, &'static str),
    follower: (&'static str, f64, &'static str),
    scenario: Scenario,
    weeks: [Vec<Shown>; WEEKS],
    /// Findings that the coach confirmed: in which week, which, whose.
    confirmed: &'static [(usize, &'static str, Whose)],
}

impl Story {
    /// How this couple, the first one being 0, dances in a week; in the last one the second couple has two phones.
    fn week(&self, number: usize, week: usize) -> Scenario {
        let mut phones = self.scenario.phones.clone();
        if week == WEEKS - 1 && number == 1 {
            phones.push(SECOND);
        }
        Scenario {
            phones,
            faults: self.weeks[week].clone(),
            seed: 1_000 * number as u64 + week as u64,
            ..self.scenario.clone()
        }
    }
}

fn stories() -> [Story; 3] {
    let shown = |fault: &str, role, size: f64| Shown::new(fault, role).of(size);
    let (leads, follows) = (Role::Leader, Role::Follower);
    let lean = [8.2, 8.6, 7.4, 6.6, 5.4, 4.4, 3.0, 2.2];
    let late = [0.088, 0.096, 0.092, 0.084, 0.094, 0.090, 0.086, 0.092];
    let drift = [0.32, 0.29, 0.12, 0.06, 0.04, 0.02, 0.03, 0.02];
    let thrown = [28.0, 26.0, 19.0, 9.0, 5.0, 4.0, 17.0, 27.0];
    let longer = [0.62, 0.60, 0.52, 0.46, 0.36, 0.30, 0.22, 0.14];
    let slow = [0.14, 0.13, 0.10, 0.08, 0.05, 0.03, 0.02, 0.02];
    let twisted = [24.0, 25.0, 24.0, 26.0, 23.0, 25.0, 24.0, 25.0];
    [
        Story {
            leader: ("Wren Castell", 1.82, ""),
            follower: (
                "Idris Vane",
                1.66,
                "Stiff lower back after long days; starts easy.",
            ),
            scenario: Scenario {
                chart: "shag-basic".into(),
                bpm: 118.0,
                heights: [1.82, 1.66],
                ..Scenario::default()
            },
            weeks: std::array::from_fn(|w| {
                vec![
                    shown("T1", leads, late[w]),
                    shown("S4", leads, drift[w]),
                    shown("P1", follows, lean[w]),
                    shown("T1", follows, 0.02),
                ]
            }),
            confirmed: &[
                (0, "P1", Whose::Follower),
                (0, "S4", Whose::Leader),
                (1, "T1", Whose::Leader),
            ],
        },
        Story {
            leader: ("Odo Fennimore", 1.74, ""),
            follower: ("Tamsin Reed", 1.70, ""),
            scenario: Scenario {
                chart: "bolero-basic".into(),
                bpm: 96.0,
                heights: [1.74, 1.70],
                people: [3, 4],
                phones: vec![Phone {
                    bearing: -8.0,
                    ..Phone::default()
                }],
                ..Scenario::default()
            },
            weeks: std::array::from_fn(|w| {
                vec![
                    shown("S2", leads, longer[w]),
                    shown("S3", follows, thrown[w]),
                ]
            }),
            confirmed: &[(0, "S2", Whose::Leader), (0, "S3", Whose::Follower)],
        },
        Story {
            leader: ("Bram Lisle", 1.90, "Left knee: no turns over a stuck foot."),
            follower: ("Pia Solano", 1.58, ""),
            scenario: Scenario {
                chart: "forro-base".into(),
                bpm: 132.0,
                heights: [1.90, 1.58],
                people: [5, 6],
                phones: vec![Phone {
                    bearing: 10.0,
                    height: 1.35,
                    ..Phone::default()
                }],
                ..Scenario::default()
            },
            weeks: std::array::from_fn(|w| {
                vec![
                    shown("R11", leads, twisted[w]),
                    shown("T1", follows, slow[w]),
                ]
            }),
            confirmed: &[(0, "T1", Whose::Follower), (1, "S3", Whose::Leader)],
        },
    ]
}

fn said(p: Problem) -> anyhow::Error {
    anyhow!(p.detail)
}

fn ago(day: Date, days: i64) -> Date {
    day.saturating_sub(Span::new().days(days))
}

/// Loads the demo unless it is there already. One that was broken off half-way is started over.
pub async fn load(app: &App, data: &Path) -> anyhow::Result<()> {
    let whole = data.join("demo-is-whole");
    if whole.exists() && app.store().has_studio().await? {
        return Ok(());
    }
    app.store().clear().await?;
    println!(
        "Preparing the demo studio: eight weeks of practice and six clips. This is done once."
    );
    let today = Zoned::now().date();
    let evening = today.saturating_add(Span::new().days(14));
    let first = sign_in();
    let hash = hash_password(&first.password).map_err(said)?;
    let account = NewAccount {
        email: &first.email,
        name: "Marit Quill",
        password_hash: &hash,
    };
    let (studio, account) = app
        .store()
        .create_studio(
            "Saltmarsh Hall",
            Some(("Low Tide Social", evening)),
            account,
        )
        .await?;
    let desk = Desk {
        app,
        studio,
        account,
        today,
        progress: Progress::default(),
    };
    let mut couples = Vec::new();
    for (number, story) in stories().into_iter().enumerate() {
        couples.push(desk.tell(number, &story).await?);
    }
    desk.guest(&couples).await?;
    desk.between_lessons(&couples).await?;
    desk.write_charts().await?;
    std::fs::write(whole, [])?;
    Ok(())
}

struct Desk<'a> {
    app: &'a App,
    studio: StudioId,
    account: Uuid,
    today: Date,
    progress: Progress,
}

/// How much of the demo is prepared, told in the terminal whenever another twentieth is done.
#[derive(Default)]
struct Progress {
    /// Takes made, and parts of one.
    done: Mutex<f64>,
    /// Twentieths told.
    told: AtomicU32,
}

impl Progress {
    /// A filmed clip counts as so many takes that are not filmed.
    const CLIP: f64 = 20.0;
    /// Takes of all couples, the guest's and the fresh one; filmed ones by their clips: one for each couple, the
    /// second phone's, the first one of all and the fresh take's.
    const ALL: f64 = (3 * WEEKS + 3) as f64 + 6.0 * Self::CLIP;

    fn add(&self, much: f64) {
        let mut done = self.done.lock().unwrap_or_else(PoisonError::into_inner);
        *done += much;
        let twentieth = (20.0 * *done / Self::ALL + 1e-6).floor().min(20.0) as u32;
        if twentieth > self.told.swap(twentieth, Ordering::Relaxed) {
            println!("  {:3} %", 5 * twentieth);
        }
    }
}

impl Desk<'_> {
    /// A figure of the hall's own and two routines, one of them with a joint still to be solved.
    async fn write_charts(&self) -> anyhow::Result<()> {
        let store = self.app.store();
        let basic = chart("shag-basic").context("the library has the basic")?;
        let mut own = basic.draft().clone();
        own.id = "saltmarsh-long-rock".into();
        own.name = "Basic with a long rock".into();
        own.about =
            "The basic as danced at Saltmarsh Hall: the rock a little longer, for slow songs."
                .into();
        for entry in own.leader.iter_mut().chain(&mut own.follower) {
            if entry.does == Does::Part(Part::Rock) {
                entry.size += 0.04;
            }
        }
        own.tempo = [96.0, 112.0];
        let text = notation::print(&own);
        Chart::new(own).map_err(|p| anyhow::anyhow!("the hall's own figure: {p:?}"))?;
        store
            .add_own_charts(self.studio, &[("saltmarsh-long-rock".into(), text)])
            .await?;

        let item = |chart: &str, times| Item {
            times,
            ..Item::once(chart)
        };
        let slow = Routine {
            tempo: 110.0,
            heights: [1.81, 1.67],
            items: vec![
                item("saltmarsh-long-rock", 2),
                item("shag-turn", 1),
                item("shag-pass", 1),
                item("shag-basic", 1),
            ],
            ..Routine::default()
        };
        store
            .create_routine(self.studio, "Opening of the social", &slow)
            .await?;
        let draft = Routine {
            tempo: 108.0,
            floor: [12.0, 8.0],
            start: [6.0, 4.0],
            heights: [1.78, 1.65],
            items: vec![
                item("wcs-left-pass", 1),
                item("wcs-push", 1),
                item("wcs-turn-under", 1),
                item("wcs-right-pass", 1),
                item("wcs-arm-lock", 1),
                item("wcs-whip", 1),
                item("wcs-push", 1),
            ],
            ..Routine::default()
        };
        store
            .create_routine(self.studio, "Showcase, first draft", &draft)
            .await?;
        Ok(())
    }

    async fn person(&self, (name, height, note): (&str, f64, &str)) -> anyhow::Result<Uuid> {
        let input = PersonInput {
            name: name.into(),
            height,
            note: note.into(),
            consent: true,
        };
        Ok(self
            .app
            .store()
            .create_person(self.studio, &input)
            .await?
            .id)
    }

    async fn tell(&self, number: usize, story: &Story) -> anyhow::Result<Couple> {
        println!("  {} and {}", story.leader.0, story.follower.0);
        let input = CoupleInput {
            leader_id: self.person(story.leader).await?,
            follower_id: self.person(story.follower).await?,
            frame_limit: None,
        };
        let couple = self.app.store().create_couple(self.studio, &input).await?;
        let mut log: Vec<(Uuid, &str, Option<Role>)> = Vec::new();
        for week in 0..WEEKS {
            let day = ago(self.today, 7 * (WEEKS - week) as i64);
            let last = week == WEEKS - 1;
            // The first take is kept too, to be laid beside the newest.
            let filmed = last || (week == 0 && number == 0);
            let scenario = story.week(number, week);
            let review = self.take(&couple, day, &scenario, filmed, true).await?;
            for (id, fault, role) in &log {
                let fine = review
                    .analysis
                    .judged
                    .iter()
                    .any(|j| j.fault == *fault && j.role == *role && !j.shows());
                correct::look(self.app.store(), self.studio, *id, day, fine)
                    .await
                    .map_err(said)?;
            }
            for (_, fault, whose) in story.confirmed.iter().filter(|c| c.0 == week) {
                self.confirm(&review, fault, *whose, day, &mut log).await?;
            }
            // The newest take of the first couple waits for the coach's word.
            if !(last && number == 0) {
                self.app
                    .store()
                    .set_reviewed(self.studio, review.take.id, true)
                    .await?;
            }
        }
        if number == 0 {
            let fresh = Scenario {
                faults: story.weeks[WEEKS - 1].clone(),
                chart: "shag-pass".into(),
                bpm: 112.0,
                seed: 99,
                ..story.scenario.clone()
            };
            self.take(&couple, self.today, &fresh, true, false).await?;
        }
        Ok(couple)
    }

    /// The first couple's leader dances the basic twice with another follower: what he brings along shows
    /// with her too.
    async fn guest(&self, couples: &[Couple]) -> anyhow::Result<()> {
        let [first, second, ..] = couples else {
            return Ok(());
        };
        let input = CoupleInput {
            leader_id: first.leader_id,
            follower_id: second.follower_id,
            frame_limit: None,
        };
        let couple = self.app.store().create_couple(self.studio, &input).await?;
        for (n, days) in [(0, 20), (1, 6)] {
            let scenario = Scenario {
                chart: "shag-basic".into(),
                bpm: 118.0,
                heights: [first.leader_height, second.follower_height],
                people: [1, 4],
                faults: vec![Shown::new("T1", Role::Leader).of(0.09)],
                seed: 7_000 + n,
                ..Scenario::default()
            };
            let day = ago(self.today, days);
            let review = self.take(&couple, day, &scenario, false, true).await?;
            self.app
                .store()
                .set_reviewed(self.studio, review.take.id, true)
                .await?;
        }
        Ok(())
    }

    /// How practice went in the last days, and the next lesson.
    async fn between_lessons(&self, couples: &[Couple]) -> anyhow::Result<()> {
        let store = self.app.store();
        let told = [
            ("P1", 0, 5, How::Fine),
            ("P1", 0, 3, How::Fine),
            ("P1", 0, 1, How::Hard),
            ("T1", 0, 4, How::Fine),
            ("T1", 0, 1, How::Fine),
            ("S3", 1, 2, How::Pain),
            ("S2", 1, 3, How::Fine),
            ("T1", 2, 2, How::Fine),
        ];
        let all = store.corrections(self.studio, None).await?;
        for (fault, couple, days, how) in told {
            let who = [couples[couple].leader_id, couples[couple].follower_id];
            let of = all
                .iter()
                .find(|c| c.fault == fault && who.contains(&c.person_id))
                .with_context(|| format!("a correction of {fault}"))?;
            store
                .report_practice(self.studio, of.id, ago(self.today, days), how)
                .await?;
        }
        store
            .set_practice_time(
                self.studio,
                couples[0].follower_id,
                [12, 0, 15, 0, 15, 20, 0],
            )
            .await?;
        let lesson = LessonInput {
            held_on: self.today.saturating_add(Span::new().days(2)),
            begins_at: Some(jiff::civil::time(19, 0, 0, 0)),
            minutes: 60,
            couples: couples[..2].iter().map(|c| c.id).collect(),
        };
        keep(self.app, self.studio, &lesson).await.map_err(said)?;
        Ok(())
    }

    async fn confirm<'f>(
        &self,
        review: &Review,
        fault: &'f str,
        whose: Whose,
        day: Date,
        log: &mut Vec<(Uuid, &'f str, Option<Role>)>,
    ) -> anyhow::Result<()> {
        let store = self.app.store();
        let who = (self.studio, Some(self.account));
        correct::decide(
            store,
            who,
            review,
            (fault, whose),
            Verdict::Confirmed,
            "",
            &Wish::default(),
            day,
        )
        .await
        .map_err(said)
        .with_context(|| format!("{fault} in the take of {day}"))?;
        let newest = store
            .corrections(self.studio, None)
            .await?
            .into_iter()
            .find(|c| c.take_id == review.take.id && c.fault == fault);
        log.extend(newest.map(|c| (c.id, fault, whose.role())));
        Ok(())
    }

    /// Dances, films (or only keeps the frame times) and, if asked, marks a take.
    async fn take(
        &self,
        couple: &Couple,
        day: Date,
        scenario: &Scenario,
        filmed: bool,
        marked: bool,
    ) -> anyhow::Result<Review> {
        let store = self.app.store();
        let new = NewTake {
            couple_id: couple.id,
            held_on: day,
            place: PLACE.into(),
            floor: "sprung wood".into(),
            shoes: "suede".into(),
        };
        let take = store.create_take(self.studio, &new).await?;
        let scenario = &Scenario {
            sound: Sound {
                music: Music::Band,
                room: 0.02,
                ..Sound::default()
            },
            ..scenario.clone()
        };
        let performance = Performance::new(scenario)?;
        for (phone, clip) in new_clips(scenario).into_iter().enumerate() {
            self.film(&take, &performance, phone, clip, filmed, day)
                .await?;
        }
        self.progress.add(1.0);
        if !marked {
            return review::review(self.app, self.studio, take.id)
                .await
                .map_err(said);
        }
        let kept = store
            .clip(self.studio, take.id)
            .await?
            .context("the clip just prepared")?;
        let frames: Vec<MediaTime> = kept.frame_times.iter().map(|t| MediaTime(*t)).collect();
        let hand = Hand::ordinary(scenario.seed);
        let mut commands = marks(&performance, 0, &frames, &hand);
        // Further angles: the floor's points and the bodies, each in its own clip's time.
        for clip in store.clips(self.studio, take.id).await?.iter().skip(1) {
            let phone = clip.angle as usize - 1;
            let frames: Vec<MediaTime> = clip.frame_times.iter().map(|t| MediaTime(*t)).collect();
            let there = marks(&performance, phone, &frames, &hand);
            let pictured = there.into_iter().filter(|c| {
                matches!(
                    c,
                    MarkCommand::SizeFloor { .. }
                        | MarkCommand::MarkFloor { .. }
                        | MarkCommand::PlaceAll { .. }
                )
            });
            commands.extend(pictured.map(|mark| MarkCommand::OnAngle {
                angle: clip.angle as u8,
                mark: Box::new(mark),
            }));
        }
        let entries: Vec<Entry> = commands.into_iter().map(Entry::Command).collect();
        review::mark(
            self.app,
            self.studio,
            Some(self.account),
            take.id,
            0,
            entries,
        )
        .await
        .map_err(said)
    }

    /// Films one angle of a take, or only keeps its frame times.
    async fn film(
        &self,
        take: &Take,
        performance: &Performance,
        phone: usize,
        clip: NewClip,
        filmed: bool,
        day: Date,
    ) -> anyhow::Result<()> {
        let store = self.app.store();
        let chart = &performance.scenario().chart;
        let mut clip = NewClip {
            file_name: format!("{chart}-{day}-{}.mp4", phone + 1),
            ..clip
        };
        if filmed {
            let file = tempfile::Builder::new().suffix(".mp4").tempfile()?;
            let before = Mutex::new(0.0);
            film(performance, phone, file.path(), |share| {
                let mut was = before.lock().unwrap_or_else(PoisonError::into_inner);
                self.progress.add(Progress::CLIP * (share - *was));
                *was = share;
            })
            .await?;
            let was = before.into_inner().unwrap_or_else(PoisonError::into_inner);
            self.progress.add(Progress::CLIP * (1.0 - was));
            let key = format!("original/{}-{}", take.id, phone + 1);
            self.app.blobs().put_file(&key, file.path()).await?;
            clip.bytes = std::fs::metadata(file.path())?.len() as i64;
            clip.original = Some(key);
            clip.state = ClipState::Preparing;
        } else {
            clip.frame_times = performance.frame_times(phone).iter().map(|t| t.0).collect();
        }
        let id = store.add_clip(self.studio, take.id, &clip).await?;
        if filmed {
            let all = store.clips(self.studio, take.id).await?;
            let kept = all.into_iter().find(|c| c.id == id);
            let kept = kept.context("the clip just added")?;
            intake::prepare(self.app, &kept, &Told::nobody())
                .await
                .map_err(said)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Write as _;

    use upright_core::analyse::analyse;
    use upright_core::chart::Shelf;
    use upright_core::fault::Rules;
    use upright_core::marks::Marks;
    use upright_core::measure::CoupleBody;
    use upright_core::take::{Film, Take as Filmed, solve_take};

    use super::*;

    /// Every finding of every take of the three couples, from the first angle; read line by line against what each
    /// couple is made to dance.
    #[test]
    fn the_demos_takes_read_like_this() -> anyhow::Result<()> {
        let mut page = String::new();
        for (number, story) in stories().iter().enumerate() {
            for week in 0..WEEKS {
                let scenario = story.week(number, week);
                let danced = Performance::new(&scenario)?;
                let hand = Hand::ordinary(scenario.seed);
                let mut marked = Marks::default();
                for command in marks(&danced, 0, &danced.frame_times(0), &hand) {
                    command.apply(&mut marked)?;
                }
                let take = Filmed {
                    marks: &marked,
                    couple: CoupleBody {
                        heights: scenario.heights,
                        frame_limit: None,
                    },
                    films: &[Film::new(danced.phone(0).picture())],
                    shelf: &Shelf::default(),
                    rules: Rules::usual(),
                };
                let a = analyse(&take, Some(&solve_take(&take, None)));
                let (leader, follower) = (story.leader.0, story.follower.0);
                writeln!(page, "{leader} and {follower}, week {}", week + 1)?;
                for j in a.judged.iter().filter(|j| j.shows()) {
                    let whose = j.role.map_or("couple".into(), |r| format!("{r:?}"));
                    let cause = j.explained_by.map_or(String::new(), |i| {
                        format!(", explained by {}", a.judged[i].fault)
                    });
                    writeln!(
                        page,
                        "  {} {whose} {:?}, {} of {}{cause}{}",
                        j.fault,
                        j.grade,
                        j.showing,
                        j.of,
                        if j.offered { ", offered" } else { "" },
                    )?;
                }
            }
        }
        insta::assert_snapshot!(page);
        Ok(())
    }
}
