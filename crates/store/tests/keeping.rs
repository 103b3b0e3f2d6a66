//! The repositories on a real database.
#![allow(clippy::unwrap_used, clippy::panic)]

use jiff::civil::date;
use tower_sessions::SessionStore as _;
use tower_sessions::cookie::time::{Duration, OffsetDateTime};
use tower_sessions::session::{Id, Record};
use upright_core::fault::Band;
use upright_core::marks::{Entry, MarkCommand, Travel};
use upright_core::routine::{Item, Routine};
use upright_core::units::{MediaTime, Role};
use upright_store::{
    ClipState, CoupleInput, Judgement, LinkKind, NewAccount, NewClip, NewCorrection, NewTake,
    PersonInput, Store, StoreError, StudioId, TakeSummary, Verdict, Wanted, Whose, WorkKind,
    WorkState, testing,
};
use uuid::Uuid;

async fn studio(store: &Store, email: &str) -> StudioId {
    let first = NewAccount {
        email,
        name: "Coach",
        password_hash: "hash",
    };
    store.create_studio("A hall", None, first).await.unwrap().0
}

fn person(name: &str, height: f64) -> PersonInput {
    PersonInput {
        name: name.into(),
        height,
        note: String::new(),
        consent: true,
    }
}

async fn couple(store: &Store, s: StudioId) -> Uuid {
    let leader_id = store
        .create_person(s, &person("Lee", 1.8))
        .await
        .unwrap()
        .id;
    let follower_id = store
        .create_person(s, &person("Flo", 1.6))
        .await
        .unwrap()
        .id;
    let input = CoupleInput {
        leader_id,
        follower_id,
        frame_limit: None,
    };
    store.create_couple(s, &input).await.unwrap().id
}

async fn take(store: &Store, s: StudioId, couple_id: Uuid, day: i8) -> Uuid {
    let new = NewTake {
        couple_id,
        held_on: date(2026, 3, day),
        place: "Hall".into(),
        floor: String::new(),
        shoes: String::new(),
    };
    store.create_take(s, &new).await.unwrap().id
}

/// A take that was marked and judged so.
async fn judged(store: &Store, s: StudioId, couple: Uuid, day: i8, so: &TakeSummary) -> Uuid {
    let t = take(store, s, couple, day).await;
    store
        .append_marks(s, t, None, 0, &[tap(1)], so)
        .await
        .unwrap();
    t
}

fn tap(at: i64) -> Entry {
    Entry::Command(MarkCommand::Tap { at: MediaTime(at) })
}

fn summary(value: f64, offered: bool) -> TakeSummary {
    TakeSummary {
        chart: Some("shag-basic".into()),
        repetitions: 4,
        tempo: Some(118.0),
        ready: [true, true, false, false],
        bearings: vec![-90.0],
        judged: vec![Judgement {
            fault: "T1".into(),
            role: "leader",
            value,
            sigma: 0.01,
            showing: 3,
            measured: 4,
            told: true,
            offered,
            band: Band {
                fine: [None, Some(0.05)],
                clear: [None, Some(0.11)],
            },
            measure: "timing_mean".into(),
            probability: 0.9,
        }],
    }
}

#[tokio::test]
async fn two_accounts_cannot_share_an_address_in_any_case() {
    let store = testing::database().await;
    assert!(!store.has_studio().await.unwrap());
    let s = studio(&store, "coach@hall.example").await;
    let again = NewAccount {
        email: "Coach@Hall.example",
        name: "Other",
        password_hash: "hash",
    };
    let refused = store.create_studio("Another", None, again).await;
    assert!(matches!(refused, Err(StoreError::Exists(_))), "{refused:?}");
    let found = store
        .account_by_email("COACH@hall.EXAMPLE")
        .await
        .unwrap()
        .unwrap();
    assert_eq!(found.studio_id, s.0);
    assert!(
        store
            .account_by_email("nobody@hall.example")
            .await
            .unwrap()
            .is_none()
    );
    store.clear().await.unwrap();
    assert!(!store.has_studio().await.unwrap());
}

#[tokio::test]
async fn sign_in_sessions_live_until_they_expire() {
    let store = testing::database().await;
    let logins = store.logins();
    let until = |hours: i64| OffsetDateTime::now_utc() + Duration::hours(hours);
    let mut record = Record {
        id: Id::default(),
        data: [("csrf".to_owned(), serde_json::json!("abc"))].into(),
        expiry_date: until(1),
    };
    logins.create(&mut record).await.unwrap();
    let first = record.id;
    // The same id again is given another one instead of overwriting somebody's session.
    let mut clash = record.clone();
    logins.create(&mut clash).await.unwrap();
    assert_ne!(clash.id, first);
    let kept = logins.load(&first).await.unwrap().unwrap();
    assert_eq!(kept.data, record.data);
    assert!((kept.expiry_date - record.expiry_date).abs() < Duration::seconds(2));
    record.expiry_date = until(-1);
    logins.save(&record).await.unwrap();
    assert!(logins.load(&first).await.unwrap().is_none());
    logins.delete(&clash.id).await.unwrap();
    assert!(logins.load(&clash.id).await.unwrap().is_none());
}

#[tokio::test]
async fn tries_are_counted_by_name_and_place_before_they_are_made() {
    let store = testing::database().await;
    // Two hundred at once are no more than eight.
    let tries = (0..200).map(|_| store.count_try("A@hall.example", "1"));
    let allowed = futures::future::join_all(tries).await;
    assert_eq!(
        allowed
            .iter()
            .filter(|a| a.as_ref().unwrap().is_none())
            .count(),
        8
    );
    // The same person from elsewhere, and others from the same place, are not shut out.
    assert_eq!(store.count_try("a@hall.example", "2").await.unwrap(), None);
    assert_eq!(store.count_try("b@hall.example", "1").await.unwrap(), None);
    store.signed_in("a@hall.example", "1").await.unwrap();
    assert_eq!(store.count_try("a@hall.example", "1").await.unwrap(), None);
}

#[tokio::test]
async fn who_guesses_from_everywhere_is_slowed_down_more_and_more() {
    let store = testing::database().await;
    let mut allowed = 0;
    for k in 0..60 {
        match store
            .count_try("a@hall.example", &k.to_string())
            .await
            .unwrap()
        {
            None => allowed += 1,
            // Seconds, not a quarter of an hour: nobody is shut out by strangers.
            Some(seconds) => assert!((1..=60).contains(&seconds), "{seconds}"),
        }
    }
    assert!((24..28).contains(&allowed), "{allowed}");
    // Anybody else signs in as always.
    assert_eq!(store.count_try("b@hall.example", "1").await.unwrap(), None);
}

#[tokio::test]
async fn a_statement_that_nobody_waits_for_ends() {
    let store = testing::database().await;
    assert_eq!(store.longest_statement().await.unwrap(), "30s");
}

#[tokio::test]
async fn a_person_is_changed_only_at_the_version_that_was_seen() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let p = store.create_person(s, &person("Ann", 1.7)).await.unwrap();
    let changed = store
        .update_person(s, p.id, p.version, &person("Anne", 1.71))
        .await
        .unwrap();
    assert_eq!((changed.name.as_str(), changed.version), ("Anne", 2));
    let late = store
        .update_person(s, p.id, p.version, &person("Anna", 1.7))
        .await;
    assert!(matches!(late, Err(StoreError::Changed)));
    let gone = store
        .update_person(s, Uuid::now_v7(), 1, &person("X", 1.7))
        .await;
    assert!(matches!(gone, Err(StoreError::NotFound)));
    let tall = store.create_person(s, &person("Too tall", 3.0)).await;
    assert!(matches!(tall, Err(StoreError::Unfit)), "{tall:?}");
    let names: Vec<String> = store
        .people(s)
        .await
        .unwrap()
        .into_iter()
        .map(|p| p.name)
        .collect();
    assert_eq!(names, ["Anne"]);
}

#[tokio::test]
async fn couples_are_made_of_two_people_of_one_studio() {
    let store = testing::database().await;
    let (here, there) = (
        studio(&store, "a@hall.example").await,
        studio(&store, "b@hall.example").await,
    );
    let a = store
        .create_person(here, &person("A", 1.7))
        .await
        .unwrap()
        .id;
    let b = store
        .create_person(here, &person("B", 1.7))
        .await
        .unwrap()
        .id;
    let stranger = store
        .create_person(there, &person("C", 1.7))
        .await
        .unwrap()
        .id;
    let pair = |leader_id, follower_id| CoupleInput {
        leader_id,
        follower_id,
        frame_limit: Some(1.25),
    };
    let made = store.create_couple(here, &pair(a, b)).await.unwrap();
    assert_eq!(
        (
            made.leader.as_str(),
            made.follower.as_str(),
            made.frame_limit
        ),
        ("A", "B", Some(1.25))
    );
    // The other way round is another couple; the same again is not.
    store.create_couple(here, &pair(b, a)).await.unwrap();
    assert!(matches!(
        store.create_couple(here, &pair(a, b)).await,
        Err(StoreError::Exists(_))
    ));
    assert!(matches!(
        store.create_couple(here, &pair(a, stranger)).await,
        Err(StoreError::NotFound)
    ));
    assert!(matches!(
        store.create_couple(there, &pair(a, stranger)).await,
        Err(StoreError::NotFound)
    ));
    let set = store
        .set_frame_limit(here, made.id, made.version, None)
        .await
        .unwrap();
    assert_eq!(set.frame_limit, None);
    let late = store
        .set_frame_limit(here, made.id, made.version, Some(1.0))
        .await;
    assert!(matches!(late, Err(StoreError::Changed)));
}

#[tokio::test]
async fn takes_of_a_session_are_numbered_even_when_made_at_once() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    let new = NewTake {
        couple_id: c,
        held_on: date(2026, 3, 7),
        place: "Hall".into(),
        floor: String::new(),
        shoes: String::new(),
    };
    let made = futures::future::join_all((0..6).map(|_| store.create_take(s, &new))).await;
    let mut numbers: Vec<i32> = made.into_iter().map(|t| t.unwrap().number).collect();
    numbers.sort_unstable();
    assert_eq!(numbers, [1, 2, 3, 4, 5, 6]);
    let other = NewTake {
        place: "Elsewhere".into(),
        ..new
    };
    assert_eq!(store.create_take(s, &other).await.unwrap().number, 1);
}

#[tokio::test]
async fn the_log_grows_only_from_its_end() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    let t = take(&store, s, c, 7).await;
    let add = |version, entries: Vec<Entry>, value| {
        let store = &store;
        async move {
            store
                .append_marks(s, t, None, version, &entries, &summary(value, true))
                .await
        }
    };
    assert_eq!(add(0, vec![tap(1), tap(2)], 0.1).await.unwrap(), 2);
    assert!(matches!(
        add(1, vec![tap(3)], 0.2).await,
        Err(StoreError::Changed)
    ));
    assert_eq!(
        add(2, vec![Entry::Travel(Travel::Undo {})], 0.3)
            .await
            .unwrap(),
        3
    );
    let log = store.mark_log(s, t).await.unwrap();
    assert_eq!(log, [tap(1), tap(2), Entry::Travel(Travel::Undo {})]);
    // The summary is that of the last append that was carried out.
    let kept = store.take(s, t).await.unwrap();
    assert_eq!(
        (kept.chart.as_deref(), kept.repetitions, kept.tempo),
        (Some("shag-basic"), 4, Some(118.0))
    );
    assert_eq!(
        (kept.count_ready, kept.floor_ready, kept.open_findings),
        (true, false, 1)
    );
    let read = store.readings(s, None).await.unwrap();
    assert_eq!((read.len(), read[0].value), (1, 0.3));
    let nowhere = store
        .append_marks(s, Uuid::now_v7(), None, 0, &[tap(1)], &summary(0.1, true))
        .await;
    assert!(matches!(nowhere, Err(StoreError::NotFound)));
}

#[tokio::test]
async fn readings_go_to_the_people_whose_they_are() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    let ids = store.couple(s, c).await.unwrap();
    for (day, value) in [(14, 0.05), (7, 0.12)] {
        let mut both = summary(value, false);
        let mut more = both.judged[0].clone();
        more.fault = "T3".into();
        more.role = "couple";
        both.judged.push(more);
        judged(&store, s, c, day, &both).await;
    }
    let of = |id| {
        let store = &store;
        async move {
            let rows = store.readings(s, Some(id)).await.unwrap();
            rows.into_iter()
                .map(|r| (r.fault.clone(), r.value, r.danced_as(), r.partner))
                .collect::<Vec<_>>()
        }
    };
    // In order of the day danced, not of the day entered.
    let leader = of(ids.leader_id).await;
    assert_eq!(leader.len(), 4);
    assert_eq!(leader[0].1, 0.12);
    assert!(leader.iter().all(|r| r.2 == Role::Leader && r.3 == "Flo"));
    let follower = of(ids.follower_id).await;
    assert_eq!(
        follower.iter().map(|r| r.0.as_str()).collect::<Vec<_>>(),
        ["T3", "T3"]
    );
    assert_eq!(
        store
            .takes_of_person(s, ids.follower_id)
            .await
            .unwrap()
            .len(),
        2
    );
}

#[tokio::test]
async fn rows_of_an_older_archive_come_in_as_not_known_to_tell() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    judged(&store, s, c, 14, &summary(0.05, false)).await;
    assert!(store.readings(s, None).await.unwrap()[0].told);
    let mut rows = store.archive_rows(s).await.unwrap();
    for row in rows.get_mut("take_fault").unwrap() {
        row.as_object_mut().unwrap().remove("told").unwrap();
    }
    let other = studio(&store, "b@hall.example").await;
    store
        .bring_rows(other, ("A hall", None), rows)
        .await
        .unwrap();
    let there = store.readings(other, None).await.unwrap();
    assert_eq!((there.len(), there[0].told), (1, false));
    assert_eq!(there[0].value, 0.05);
}

fn correction(person: Uuid) -> NewCorrection {
    NewCorrection {
        person,
        role: Role::Leader,
        fault: "T1".into(),
        chart: "shag-basic".into(),
        count: Some("5".into()),
        value: 0.1,
        sigma: 0.01,
        unit: "seconds".into(),
        showing: 3,
        measured: 4,
        cue: "Arrive.".into(),
        drill: "Clap.".into(),
        drill_step: 1,
        target: "50 ms".into(),
        caution: None,
        recheck_on: Some(date(2026, 3, 14)),
    }
}

#[tokio::test]
async fn a_decision_stands_once_and_is_kept_when_withdrawn() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    let who = store.couple(s, c).await.unwrap().leader_id;
    let t = judged(&store, s, c, 7, &summary(0.1, true)).await;
    let decide = |verdict| {
        let store = &store;
        async move {
            store
                .decide(
                    s,
                    t,
                    None,
                    ("T1", Whose::Leader),
                    (verdict, Some(0.9)),
                    "",
                    &[correction(who)],
                )
                .await
        }
    };
    let first = decide(Verdict::Confirmed).await.unwrap();
    assert!(matches!(
        decide(Verdict::Dismissed).await,
        Err(StoreError::Exists(_))
    ));
    assert_eq!(store.take(s, t).await.unwrap().open_findings, 0);
    let log = store.corrections(s, Some(who)).await.unwrap();
    assert_eq!(
        (log.len(), log[0].seen_on.to_jiff(), log[0].looks),
        (1, date(2026, 3, 7), 0)
    );
    let looked = store
        .note_look(s, log[0].id, date(2026, 3, 14), true, None)
        .await
        .unwrap();
    assert_eq!(
        (looked.looks, looked.fine_looks, looked.recheck_on.is_none()),
        (1, 1, true)
    );
    store.withdraw_decision(s, t, first).await.unwrap();
    assert!(matches!(
        store.withdraw_decision(s, t, first).await,
        Err(StoreError::NotFound)
    ));
    assert!(store.corrections(s, None).await.unwrap().is_empty());
    assert!(matches!(
        store.correction(s, log[0].id).await,
        Err(StoreError::NotFound)
    ));
    assert_eq!(store.take(s, t).await.unwrap().open_findings, 1);
    // Once withdrawn it can be decided anew.
    decide(Verdict::Dismissed).await.unwrap();
    assert_eq!(
        store.decisions(s, t).await.unwrap()[0].verdict,
        Verdict::Dismissed
    );
}

#[tokio::test]
async fn a_take_has_one_clip_and_a_failed_one_is_replaced() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let c = couple(&store, s).await;
    let t = take(&store, s, c, 7).await;
    let clip = |name: &str| NewClip {
        angle: 1,
        offset_us: 0,
        state: ClipState::Preparing,
        file_name: name.into(),
        bytes: 10,
        original: Some("original/x".into()),
        size: [1280, 720],
        frame_times: vec![],
    };
    assert!(store.clip(s, t).await.unwrap().is_none());
    let first = store.add_clip(s, t, &clip("a")).await.unwrap();
    assert!(matches!(
        store.add_clip(s, t, &clip("b")).await,
        Err(StoreError::Exists(_))
    ));
    store.note_progress(first, 0.4).await.unwrap();
    assert!((store.clip(s, t).await.unwrap().unwrap().progress - 0.4).abs() < 1e-6);
    assert_eq!(store.unprepared_clips().await.unwrap().len(), 1);
    store.clip_failed(first, "damaged").await.unwrap();
    assert!(store.unprepared_clips().await.unwrap().is_empty());
    let second = store.add_clip(s, t, &clip("c")).await.unwrap();
    store
        .clip_copied(second, "proxy/x", ([640, 360], Some(26.0)), 7, &[0, 40_000])
        .await
        .unwrap();
    // Copied, but not shown before it is said to be ready.
    let copied = store.clip(s, t).await.unwrap().unwrap();
    assert_eq!(copied.state, ClipState::Preparing);
    store.clip_ready(second).await.unwrap();
    let ready = store.clip(s, t).await.unwrap().unwrap();
    assert_eq!(
        (ready.state, ready.width, ready.start_us),
        (ClipState::Ready, 640, 7)
    );
    assert_eq!(ready.frame_times, [0, 40_000]);
    assert_eq!(
        store.take(s, t).await.unwrap().clip.as_deref(),
        Some("ready")
    );
    let reviewed = store.set_reviewed(s, t, true).await.unwrap();
    assert!(reviewed.reviewed);
    assert!(!store.set_reviewed(s, t, false).await.unwrap().reviewed);
}

#[tokio::test]
async fn own_figures_keep_their_text_and_version_within_their_studio() {
    let store = testing::database().await;
    let here = studio(&store, "here@hall.example").await;
    let there = studio(&store, "there@hall.example").await;
    let one = ("one".to_owned(), "figure one: One\n".to_owned());
    store
        .add_own_charts(here, std::slice::from_ref(&one))
        .await
        .unwrap();
    // Two studios may use the same short name; one studio may not, and then nothing is added.
    store
        .add_own_charts(there, std::slice::from_ref(&one))
        .await
        .unwrap();
    let two = ("two".to_owned(), "figure two: Two\n".to_owned());
    let again = store.add_own_charts(here, &[two, one]).await;
    assert!(matches!(again, Err(StoreError::Exists(_))), "{again:?}");
    assert_eq!(store.own_charts(here).await.unwrap().len(), 1);

    let first = store.own_chart(here, "one").await.unwrap();
    let second = store
        .save_own_chart(here, "one", first.version, "figure one: Other\n")
        .await
        .unwrap();
    assert_eq!(second.text, "figure one: Other\n");
    assert_ne!(second.version, first.version);
    let stale = store
        .save_own_chart(here, "one", first.version, "lost")
        .await;
    assert!(matches!(stale, Err(StoreError::Changed)), "{stale:?}");
    assert_eq!(
        store.own_chart(there, "one").await.unwrap().text,
        "figure one: One\n"
    );

    let first = store.own_chart(there, "one").await.unwrap();
    store
        .remove_own_chart(there, "one", first.version)
        .await
        .unwrap();
    assert_eq!(store.own_charts(there).await.unwrap(), []);
}

#[tokio::test]
async fn routines_keep_their_plan_and_version() {
    let store = testing::database().await;
    let here = studio(&store, "here@hall.example").await;
    let there = studio(&store, "there@hall.example").await;
    let plan = Routine {
        tempo: 118.5,
        items: vec![Item::once("shag-basic")],
        ..Routine::default()
    };
    let kept = store.create_routine(here, "Spring", &plan).await.unwrap();
    assert_eq!(kept.plan.0, plan);
    let changed = Routine {
        items: Vec::new(),
        ..plan.clone()
    };
    let saved = store
        .save_routine(here, kept.id, kept.version, "Summer", &changed)
        .await
        .unwrap();
    assert_eq!((saved.name.as_str(), &saved.plan.0), ("Summer", &changed));
    for (studio, version) in [(here, kept.version), (there, saved.version)] {
        let refused = store
            .save_routine(studio, kept.id, version, "Lost", &plan)
            .await;
        assert!(refused.is_err());
    }
    let refused = store.remove_routine(here, kept.id, kept.version).await;
    assert!(matches!(refused, Err(StoreError::Changed)), "{refused:?}");
    assert!(store.routines(there).await.unwrap().is_empty());
    store
        .remove_routine(here, kept.id, saved.version)
        .await
        .unwrap();
    assert!(store.routines(here).await.unwrap().is_empty());
}

#[tokio::test]
async fn work_is_asked_for_once_begun_again_after_a_death_and_given_up_in_the_end() {
    let store = testing::database().await;
    let s = studio(&store, "coach@hall.example").await;
    let other = studio(&store, "other@hall.example").await;
    let it = take(&store, s, couple(&store, s).await, 1).await;
    let new = NewClip {
        angle: 1,
        offset_us: 0,
        state: ClipState::Ready,
        file_name: "a.mp4".into(),
        bytes: 1,
        original: None,
        size: [640, 360],
        frame_times: vec![0, 40_000],
    };
    let clip = store.add_clip(s, it, &new).await.unwrap();
    let asked = store
        .ask_work(s, clip, WorkKind::Find, &Wanted::default())
        .await
        .unwrap();
    assert_eq!((asked.state, asked.attempts), (WorkState::Waiting, 0));
    let same = store
        .ask_work(s, clip, WorkKind::Find, &Wanted::default())
        .await
        .unwrap();
    assert_eq!(same.id, asked.id);
    // One message for one wish, in the same step.
    let queued = store.queue();
    let count: i64 = sqlx::query_scalar("select count(*) from apalis.jobs")
        .fetch_one(queued.pool())
        .await
        .unwrap();
    assert_eq!(count, 1);

    let (begun, of) = store.begin_work(asked.id).await.unwrap().unwrap();
    assert_eq!(
        (begun.state, begun.attempts, of.id),
        (WorkState::Running, 1, clip)
    );
    assert!(store.note_work(asked.id, 0.4).await.unwrap());
    let seen = store.take_work(s, it).await.unwrap();
    assert_eq!((seen.len(), seen[0].0, seen[0].1.progress), (1, 1, 0.4));
    assert!(seen[0].1.running_for.unwrap() >= 0.0);
    assert!(store.take_work(other, it).await.unwrap().is_empty());
    // Its worker died: another one begins from the beginning, a few times and no more.
    for attempt in 2..=4 {
        let (w, _) = store.begin_work(asked.id).await.unwrap().unwrap();
        assert_eq!((w.attempts, w.progress), (attempt, 0.0));
    }
    assert!(store.begin_work(asked.id).await.unwrap().is_none());
    let given_up = &store.take_work(s, it).await.unwrap()[0].1;
    assert_eq!(given_up.state, WorkState::Failed);
    assert!(
        given_up
            .failure
            .as_deref()
            .unwrap()
            .contains("stopped the program")
    );

    // Asked anew, it can be stopped by its own studio only; what ends afterwards does not count.
    let again = store
        .ask_work(s, clip, WorkKind::Find, &Wanted::default())
        .await
        .unwrap();
    assert_ne!(again.id, asked.id);
    store.begin_work(again.id).await.unwrap().unwrap();
    assert!(matches!(
        store.stop_work(other, again.id).await,
        Err(StoreError::NotFound)
    ));
    store.stop_work(s, again.id).await.unwrap();
    assert!(!store.note_work(again.id, 0.9).await.unwrap());
    assert!(!store.end_work(again.id, Ok(())).await.unwrap());
    assert!(store.begin_work(again.id).await.unwrap().is_none());
    assert!(matches!(
        store.stop_work(s, again.id).await,
        Err(StoreError::NotFound)
    ));
    assert_eq!(
        store.take_work(s, it).await.unwrap()[0].1.state,
        WorkState::Stopped
    );
}

#[tokio::test]
async fn a_private_address_is_kept_as_a_hash_and_ends() {
    let store = testing::database().await;
    let s = studio(&store, "a@hall.example").await;
    let other = studio(&store, "b@hall.example").await;
    let token = "AAECAwQFBgcICQoLDA0ODw";
    let made = store
        .create_link(s, LinkKind::Calendar, None, token, 3)
        .await
        .unwrap();
    let opened = store.open_link(LinkKind::Calendar, token).await.unwrap();
    assert_eq!((opened.studio_id, opened.person_id), (s.0, None));
    // It is of one kind, and near misses open nothing.
    for (kind, token) in [
        (LinkKind::Sheet, token),
        (LinkKind::Calendar, "AAECAwQFBgcICQoLDA0ODW"),
        (LinkKind::Calendar, ""),
    ] {
        let shut = store.open_link(kind, token).await;
        assert!(
            matches!(shut, Err(StoreError::NotFound)),
            "{kind:?} {token}"
        );
    }
    // The same random part twice would open two things.
    assert!(
        store
            .create_link(other, LinkKind::Calendar, None, token, 3)
            .await
            .is_err()
    );
    // One that has run out is not listed and does not open.
    let gone = store
        .create_link(s, LinkKind::Calendar, None, "over", 0)
        .await
        .unwrap();
    assert!(store.open_link(LinkKind::Calendar, "over").await.is_err());
    let listed = store.links(s, LinkKind::Calendar, None).await.unwrap();
    assert_eq!(listed.iter().map(|l| l.id).collect::<Vec<_>>(), [made.id]);
    assert_ne!(gone.id, made.id);
    assert!(matches!(
        store.revoke_link(other, made.id).await,
        Err(StoreError::NotFound)
    ));
    store.revoke_link(s, made.id).await.unwrap();
    assert!(store.open_link(LinkKind::Calendar, token).await.is_err());
    assert!(store.revoke_link(s, made.id).await.is_err());
}
