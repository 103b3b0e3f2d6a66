//! What whoever runs the server does at its command line.
#![allow(clippy::unwrap_used)]

use std::path::Path;
use std::process::Command;

use upright_store::{Blobs, CoupleInput, NewClip, NewTake, PersonInput, StudioId, testing};

/// Whether it succeeded, and its output.
fn admin(url: &str, folder: &Path, args: &[&str]) -> (bool, String) {
    let done = Command::new(env!("CARGO_BIN_EXE_upright-pair"))
        .arg("admin")
        .args(["--data".as_ref(), folder.as_os_str()])
        .args(args)
        .env("DATABASE_URL", url)
        .output()
        .unwrap();
    let said = [done.stdout, done.stderr].concat();
    (done.status.success(), String::from_utf8(said).unwrap())
}

#[tokio::test]
async fn accounts_are_made_listed_and_reset() {
    let (store, url) = testing::database_at().await;
    let dir = tempfile::tempdir().unwrap();
    let (fine, said) = admin(
        &url,
        dir.path(),
        &[
            "studio",
            "Saltmarsh Hall",
            "nell@hall.example",
            "--owner",
            "Nell Ashby",
        ],
    );
    assert!(fine, "{said}");
    let first = said.trim().rsplit(' ').next().unwrap().to_owned();
    assert_eq!(first.len(), 16, "{said}");
    let (fine, said) = admin(&url, dir.path(), &["list"]);
    assert!(
        fine && said.contains("nell@hall.example\tNell Ashby\tSaltmarsh Hall\t0 takes"),
        "{said}"
    );
    let (fine, said) = admin(
        &url,
        dir.path(),
        &["studio", "Another", "Nell@hall.example"],
    );
    assert!(
        !fine && said.contains("There is an account with this e-mail address"),
        "{said}"
    );
    let before = store
        .account_by_email("nell@hall.example")
        .await
        .unwrap()
        .unwrap();
    let (fine, said) = admin(&url, dir.path(), &["reset", "NELL@hall.example"]);
    assert!(fine && !said.contains(&first), "{said}");
    let after = store
        .account_by_email("nell@hall.example")
        .await
        .unwrap()
        .unwrap();
    assert_ne!(before.password_hash, after.password_hash);
    let (fine, said) = admin(&url, dir.path(), &["reset", "nobody@hall.example"]);
    assert!(
        !fine && said.contains("Nobody signs in as nobody@hall.example"),
        "{said}"
    );
    assert!(admin(&url, dir.path(), &["sweep"]).0);
}

#[tokio::test]
async fn a_file_that_is_gone_or_changed_is_named() {
    let (store, url) = testing::database_at().await;
    let dir = tempfile::tempdir().unwrap();
    let blobs = Blobs::in_folder(&dir.path().join("blobs")).unwrap();
    admin(
        &url,
        dir.path(),
        &["studio", "Saltmarsh Hall", "nell@hall.example"],
    );
    let account = store
        .account_by_email("nell@hall.example")
        .await
        .unwrap()
        .unwrap();
    let studio = StudioId(account.studio_id);
    let mut people = Vec::new();
    for name in ["Nell Ashby", "Ivo Marsh"] {
        let person = PersonInput {
            name: name.into(),
            height: 1.7,
            note: String::new(),
            consent: true,
        };
        people.push(store.create_person(studio, &person).await.unwrap().id);
    }
    let couple = CoupleInput {
        leader_id: people[0],
        follower_id: people[1],
        frame_limit: None,
    };
    let couple = store.create_couple(studio, &couple).await.unwrap().id;
    let take = NewTake {
        couple_id: couple,
        held_on: "2026-03-07".parse().unwrap(),
        place: String::new(),
        floor: String::new(),
        shoes: String::new(),
    };
    let take = store.create_take(studio, &take).await.unwrap().id;
    // SHA-256 of "film".
    let key = "original/d0607f7ad2628b2af9158dfba06ce87166e66b15bf68f8f358f9aa27ccb7c321";
    let clip = NewClip {
        angle: 1,
        offset_us: 0,
        state: upright_store::ClipState::Ready,
        file_name: "film.mp4".into(),
        bytes: 4,
        original: Some(key.into()),
        size: [320, 180],
        frame_times: vec![0],
    };
    store.add_clip(studio, take, &clip).await.unwrap();
    let (fine, said) = admin(&url, dir.path(), &["verify"]);
    assert!(!fine && said.contains(&format!("missing\t{key}")), "{said}");
    blobs.put(key, "other".into()).await.unwrap();
    blobs.put("original/stray", "x".into()).await.unwrap();
    let (fine, said) = admin(&url, dir.path(), &["verify"]);
    assert!(!fine && said.contains(&format!("changed\t{key}")), "{said}");
    assert!(said.contains("named by nobody\toriginal/stray"), "{said}");
    blobs.put(key, "film".into()).await.unwrap();
    let (fine, said) = admin(&url, dir.path(), &["verify"]);
    assert!(fine && said.contains("1 files named, 0 wrong"), "{said}");
}
