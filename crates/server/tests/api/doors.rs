//! What must not come in by any door: passwords tried by the hundred, other names, and archives that are not what they
//! say.

use std::collections::BTreeMap;
use std::io::{Read as _, Write as _};

use futures::future::join_all;
use upright_server::Reach;

use super::*;

fn id(v: &Value) -> String {
    v["id"].as_str().unwrap().to_owned()
}

/// An archive's files by name.
fn inside(zip: &[u8]) -> BTreeMap<String, Vec<u8>> {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(zip)).unwrap();
    (0..archive.len())
        .map(|i| {
            let mut entry = archive.by_index(i).unwrap();
            let mut bytes = Vec::new();
            entry.read_to_end(&mut bytes).unwrap();
            (entry.name().to_owned(), bytes)
        })
        .collect()
}

fn zipped(files: &BTreeMap<String, Vec<u8>>) -> Vec<u8> {
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        out.start_file(name, zip::write::SimpleFileOptions::default())
            .unwrap();
        out.write_all(bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

/// An archive with its rows changed.
fn changed(zip: &[u8], change: impl FnOnce(&mut Value)) -> Vec<u8> {
    let mut files = inside(zip);
    let mut whole: Value = serde_json::from_slice(&files["studio.json"]).unwrap();
    change(&mut whole["tables"]);
    files.insert("studio.json".into(), whole.to_string().into_bytes());
    zipped(&files)
}

impl Coach {
    async fn bytes(&self, path: &str) -> (StatusCode, reqwest::header::HeaderMap, Vec<u8>) {
        let request = self.client.get(format!("{}{path}", self.url));
        let answer = request
            .header("accept-encoding", "gzip, deflate, br")
            .send()
            .await
            .unwrap();
        let (status, headers) = (answer.status(), answer.headers().clone());
        (status, headers, answer.bytes().await.unwrap().to_vec())
    }

    async fn bring_archive(&self, zip: Vec<u8>) -> (StatusCode, Value) {
        let answer = self
            .client
            .post(format!("{}/api/archive", self.url))
            .header("x-csrf-token", &self.token)
            .body(zip)
            .send()
            .await
            .unwrap();
        (answer.status(), answer.json().await.unwrap_or(Value::Null))
    }
}

/// A studio with a film, a figure of its own, a routine and a fault of its own, and its archive.
async fn kept(h: &House) -> (Coach, String, Vec<u8>) {
    let c = Coach::signed_in(h, "coach@hall.example").await;
    let (_, _, couple, [take, other]) = plan::two_filmed(h, &c).await;
    let path = format!("/api/takes/{other}");
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    let path = format!("/api/bin/{other}");
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    c.post("/api/routines", json!({"name": "Opening"})).await;
    c.post(
        "/api/lessons",
        json!({"held_on": "2026-03-21", "minutes": 30, "couples": [couple]}),
    )
    .await;
    let (status, _, zip) = c.bytes("/api/archive?media=true").await;
    assert_eq!(status, 200);
    (c, take, zip)
}

/// What lies in the folder of files, with its content.
fn blobs(h: &House) -> BTreeMap<std::path::PathBuf, Vec<u8>> {
    fn walk(at: &Path, out: &mut BTreeMap<std::path::PathBuf, Vec<u8>>) {
        for entry in std::fs::read_dir(at).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                walk(&path, out);
            } else {
                out.insert(path.clone(), std::fs::read(&path).unwrap());
            }
        }
    }
    let mut out = BTreeMap::new();
    walk(&h.folder.path().join("blobs"), &mut out);
    out
}

#[tokio::test]
async fn an_archive_ends_for_whoever_would_have_it_packed_once_more() {
    let h = house(&["coach@hall.example"]).await;
    let (c, _, zip) = kept(&h).await;
    let (_, headers, again) = c.bytes("/api/archive?media=true").await;
    assert!(!headers.contains_key("content-encoding"), "{headers:?}");
    assert_eq!(headers["content-length"], again.len().to_string());
    assert_eq!(inside(&again).len(), inside(&zip).len());
}

#[tokio::test]
async fn an_archive_overwrites_nobodys_film_and_shows_nobody_elses() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let (c, take, zip) = kept(&h).await;
    let before = blobs(&h);
    let (_, _, film) = c.bytes(&format!("/api/takes/{take}/video")).await;
    // Another studio names this studio's files, with something else in them.
    let e = Coach::signed_in(&h, "other@hall.example").await;
    let mut files = inside(&zip);
    for (name, bytes) in &mut files {
        if name.starts_with("media/") {
            *bytes = b"something else".to_vec();
        }
    }
    assert_eq!(e.bring_archive(zipped(&files)).await.0, 204);
    let after = blobs(&h);
    for (path, bytes) in &before {
        assert!(&after[path] == bytes, "{} was changed", path.display());
    }
    let (_, _, still) = c.bytes(&format!("/api/takes/{take}/video")).await;
    assert!(still == film);
    let theirs = id(&e.get("/api/takes").await[0]);
    let (_, _, shown) = e.bytes(&format!("/api/takes/{theirs}/video")).await;
    assert_eq!(shown, b"something else");
}

#[tokio::test]
async fn an_archive_that_names_what_it_does_not_hold_is_refused_whole() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let (_, _, zip) = kept(&h).await;
    let rows: Value = serde_json::from_slice(&inside(&zip)["studio.json"]).unwrap();
    let clip = rows["tables"]["clip"][0]["id"].clone();
    let before = blobs(&h);
    let e = Coach::signed_in(&h, "other@hall.example").await;
    let foreign = [
        // A track for a clip that stays another studio's.
        changed(&zip, |t| {
            t["clip"][0]["id"] = json!(uuid::Uuid::now_v7());
            t["track"] = json!([{"clip_id": clip, "file_name": "found", "sightings": [],
                "made_at": "2026-03-07T10:00:00Z", "found": null}]);
        }),
        changed(&zip, |t| {
            t["lesson"][0]["couples"][0] = json!(uuid::Uuid::now_v7())
        }),
        changed(&zip, |t| {
            t["couple"][0]["leader_id"] = json!(uuid::Uuid::now_v7())
        }),
    ];
    for zip in foreign {
        let (status, said) = e.bring_archive(zip).await;
        assert_eq!(status, 422, "{said}");
        assert!(
            said["detail"]
                .as_str()
                .unwrap()
                .contains("not in the archive"),
            "{said}"
        );
    }
    assert_eq!(e.get("/api/people").await, json!([]));
    assert!(blobs(&h) == before, "files of refused archives stayed");
    assert_eq!(e.bring_archive(zip).await.0, 204, "it may be tried again");
}

#[tokio::test]
async fn rows_that_the_program_cannot_read_do_not_come_in() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let (_, _, zip) = kept(&h).await;
    let e = Coach::signed_in(&h, "other@hall.example").await;
    let nonsense = || json!({"nothing": "of the kind"});
    let cases: [(&str, Vec<u8>); 7] = [
        (
            "mark_entry",
            changed(&zip, |t| t["mark_entry"][0]["entry"] = nonsense()),
        ),
        (
            "routine",
            changed(&zip, |t| t["routine"][0]["plan"] = nonsense()),
        ),
        (
            "lesson",
            changed(&zip, |t| t["lesson"][0]["plan"] = json!(7)),
        ),
        (
            "couple",
            changed(&zip, |t| t["couple"][0]["choices"] = json!([1])),
        ),
        (
            "own_fault",
            changed(&zip, |t| {
                t["own_fault"] = json!([{"id": "X1", "entry": nonsense(), "version": 1, "changed_at": "2026-03-07T10:00:00Z"}]);
            }),
        ),
        (
            "person",
            changed(&zip, |t| t["person"][0]["spy"] = json!(1)),
        ),
        ("take", changed(&zip, |t| t["take"] = json!(["a row"]))),
    ];
    for (table, zip) in cases {
        let (status, said) = e.bring_archive(zip).await;
        assert_eq!(status, 422, "{table} {said}");
        assert!(said["detail"].as_str().unwrap().contains(table), "{said}");
    }
    assert_eq!(e.get("/api/people").await, json!([]));
    // An older version's archive lacks what was added since.
    let older = changed(&zip, |t| {
        for clip in t["clip"].as_array_mut().unwrap() {
            clip.as_object_mut().unwrap().remove("full_frame_focal");
        }
        for couple in t["couple"].as_array_mut().unwrap() {
            couple.as_object_mut().unwrap().remove("choices");
        }
    });
    let (status, said) = e.bring_archive(older).await;
    assert_eq!(status, 204, "{said}");
    assert_eq!(e.get("/api/people").await.as_array().unwrap().len(), 2);
}

#[tokio::test]
async fn an_archive_that_swells_is_refused_before_it_does() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let mut files = BTreeMap::new();
    files.insert("studio.json".to_owned(), vec![b' '; 60_000_000]);
    let bomb = zipped(&files);
    assert!(bomb.len() < 100_000, "{}", bomb.len());
    let (status, said) = c.bring_archive(bomb).await;
    assert_eq!(status, 422);
    assert!(
        said["detail"]
            .as_str()
            .unwrap()
            .contains("more than is read"),
        "{said}"
    );
}

#[tokio::test]
async fn two_hundred_passwords_at_once_are_eight_tries() {
    let h = house(&["coach@hall.example"]).await;
    let v = Coach::visitor(&h).await;
    let words = json!({"email": "coach@hall.example", "password": "guess"});
    let tries = (0..200).map(|_| v.send(Method::POST, "/api/session", Some(words.clone()), None));
    let mut counts = BTreeMap::new();
    for (status, _) in join_all(tries).await {
        *counts.entry(status.as_u16()).or_insert(0) += 1;
    }
    assert!(
        counts.keys().all(|s| [401, 429, 503].contains(s)),
        "{counts:?}"
    );
    assert_eq!(counts[&401], 8, "{counts:?}");
    // Whoever waits is told how long.
    let answer = v
        .client
        .post(format!("{}/api/session", v.url))
        .header("x-csrf-token", &v.token)
        .json(&words)
        .send()
        .await
        .unwrap();
    assert_eq!(answer.status(), 429);
    assert_eq!(answer.headers()["retry-after"], "900");
}

#[tokio::test]
async fn who_only_looks_leaves_nothing_behind() {
    let h = house(&["coach@hall.example"]).await;
    let answer = reqwest::get(format!("{}/api/session", h.url))
        .await
        .unwrap();
    assert!(!answer.headers().contains_key("set-cookie"));
    // The visitor's word is no token for somebody who is signed in.
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let answer = c
        .client
        .post(format!("{}/api/people", c.url))
        .header("x-csrf-token", "visitor")
        .json(&json!({"name": "Nell Ashby", "height": 1.7}))
        .send()
        .await
        .unwrap();
    assert_eq!(answer.status(), 403);
}

#[tokio::test]
async fn behind_tls_cookies_are_for_tls_and_other_names_are_refused() {
    let reach = Reach::new(Some("https://hall.example"), "127.0.0.1").unwrap();
    let h = house_at(&["coach@hall.example"], reach).await;
    let client = Client::new();
    let ask = async |host: &str| {
        let request = client.post(format!("{}/api/session", h.url));
        request
            .header("host", host)
            .header("origin", format!("https://{host}"))
            .header("x-csrf-token", "visitor")
            .json(&json!({"email": "coach@hall.example", "password": PASSWORD}))
            .send()
            .await
            .unwrap()
    };
    let own = ask("hall.example").await;
    assert_eq!(own.status(), 200);
    let cookie = own.headers()["set-cookie"].to_str().unwrap();
    assert!(
        cookie.contains("Secure") && cookie.contains("HttpOnly"),
        "{cookie}"
    );
    assert_eq!(
        own.headers()["strict-transport-security"],
        "max-age=31536000"
    );
    let other = ask("elsewhere.example").await;
    assert_eq!(other.status(), 421);
    assert!(!other.headers().contains_key("set-cookie"));
}

#[tokio::test]
async fn a_changed_password_ends_every_other_sign_in() {
    let h = house(&["coach@hall.example"]).await;
    let mut here = Coach::signed_in(&h, "coach@hall.example").await;
    let there = Coach::signed_in(&h, "coach@hall.example").await;
    let change = |old: &str, new: &str| json!({"old": old, "new": new});
    let path = "/api/session/password";
    let wrong = here
        .send(
            Method::PUT,
            path,
            Some(change("a guess", "a new, longer word")),
            None,
        )
        .await;
    assert_eq!(
        (
            wrong.0.as_u16(),
            wrong.1["detail"].as_str().unwrap().contains("another")
        ),
        (422, true)
    );
    let short = here
        .send(Method::PUT, path, Some(change(PASSWORD, "short")), None)
        .await;
    assert_eq!(
        (
            short.0.as_u16(),
            short.1["detail"]
                .as_str()
                .unwrap()
                .contains("10 characters")
        ),
        (422, true)
    );
    let (status, session) = here
        .send(
            Method::PUT,
            path,
            Some(change(PASSWORD, "a new, longer word")),
            None,
        )
        .await;
    assert_eq!((status.as_u16(), &session["name"]), (200, &json!("Coach")));
    session["token"]
        .as_str()
        .unwrap()
        .clone_into(&mut here.token);
    here.post("/api/people", json!({"name": "Nell Ashby", "height": 1.7}))
        .await;
    assert_eq!(
        there.send(Method::GET, "/api/people", None, None).await.0,
        401
    );
    let v = Coach::visitor(&h).await;
    for (password, expected) in [(PASSWORD, 401), ("a new, longer word", 200)] {
        let words = json!({"email": "coach@hall.example", "password": password});
        let (status, _) = v
            .send(Method::POST, "/api/session", Some(words), None)
            .await;
        assert_eq!(status, expected);
    }
}

#[tokio::test]
async fn a_take_in_the_bin_is_nowhere_else_and_comes_back_whole() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let (c, take, _) = kept(&h).await;
    let yes = json!({"fault": "P1", "role": "follower", "verdict": "confirmed"});
    c.post(&format!("/api/takes/{take}/decisions"), yes).await;
    let before = c.get(&format!("/api/takes/{take}")).await;
    let follower = before["couple"]["follower_id"].as_str().unwrap().to_owned();
    let everywhere = async |c: &Coach| {
        let mut out = Vec::new();
        for path in [
            "/api/takes".to_owned(),
            "/api/log".into(),
            format!("/api/people/{follower}/log"),
            format!("/api/people/{follower}/progress"),
            "/api/today".into(),
            "/api/calendar".into(),
        ] {
            out.push((c.get(&path).await.to_string().contains(&take), path));
        }
        out
    };
    assert!(everywhere(&c).await.iter().filter(|f| f.0).count() >= 3);
    let path = format!("/api/takes/{take}");
    // Another studio's coach cannot.
    let e = Coach::signed_in(&h, "other@hall.example").await;
    assert_eq!(e.send(Method::DELETE, &path, None, None).await.0, 404);
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 404);
    for (shown, path) in everywhere(&c).await {
        assert!(!shown, "{path} shows what is in the bin");
    }
    assert_eq!(
        c.send(Method::GET, &format!("{path}/bench"), None, None)
            .await
            .0,
        404
    );
    let bin = c.get("/api/bin").await;
    assert_eq!(
        (id(&bin[0]), &bin[0]["corrections"], &bin[0]["days_left"]),
        (take.clone(), &json!(1), &json!(30))
    );
    assert_eq!(e.get("/api/bin").await, json!([]));
    assert_eq!(
        e.send(Method::POST, &format!("/api/bin/{take}"), None, None)
            .await
            .0,
        404
    );
    // The same film may be brought anew meanwhile.
    assert_eq!(
        c.send(Method::POST, &format!("/api/bin/{take}"), None, None)
            .await
            .0,
        200
    );
    assert_eq!(c.get(&format!("/api/takes/{take}")).await, before);
    assert_eq!(
        c.get(&format!("/api/people/{follower}/log"))
            .await
            .as_array()
            .unwrap()
            .len(),
        1
    );
}

/// Every row of every table that holds one of these words or ids.
async fn rows_with(h: &House, words: &[String]) -> Vec<String> {
    h.app.store().rows_with(words).await.unwrap()
}

#[tokio::test]
async fn whoever_is_erased_is_found_in_no_table_and_no_file() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let (c, take, zip) = kept(&h).await;
    // The same studio brought in elsewhere keeps its own.
    let e = Coach::signed_in(&h, "other@hall.example").await;
    assert_eq!(e.bring_archive(zip).await.0, 204);
    let theirs = blobs(&h).len();
    let yes = json!({"fault": "P1", "role": "follower", "verdict": "confirmed"});
    c.post(&format!("/api/takes/{take}/decisions"), yes).await;
    let people = c.get("/api/people").await;
    let of = |name: &str| {
        id(people
            .as_array()
            .unwrap()
            .iter()
            .find(|p| p["name"] == name)
            .unwrap())
    };
    let (leader, follower) = (of("Nell Ashby"), of("Ivo Marsh"));
    let correction = id(&c.get(&format!("/api/people/{follower}/log")).await[0]);
    // Nobody is cut out of a film who has not agreed to it.
    for p in people.as_array().unwrap() {
        let agreed = json!({"name": p["name"], "height": p["height"], "consent": true});
        let path = format!("/api/people/{}", id(p));
        let (status, _) = c
            .send(Method::PUT, &path, Some(agreed), p["version"].as_i64())
            .await;
        assert_eq!(status, 200);
    }
    let (status, _, _) = c
        .bytes(&format!("/api/corrections/{correction}/still"))
        .await;
    assert_eq!(status, 200);
    c.post(
        "/api/links",
        json!({"kind": "sheet", "person": follower, "days": 30}),
    )
    .await;
    assert!(blobs(&h).len() > theirs);
    let goes = c.get(&format!("/api/people/{follower}/erasing")).await;
    assert_eq!(
        goes,
        json!({"couples": 1, "takes": 1, "corrections": 1, "of_partners": 0})
    );
    let path = format!("/api/people/{follower}");
    assert_eq!(e.send(Method::DELETE, &path, None, None).await.0, 404);
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    assert_eq!(c.send(Method::GET, &path, None, None).await.0, 404);
    assert_eq!(
        rows_with(&h, &[follower, take, correction]).await,
        [] as [String; 0]
    );
    // What is left are the partner and the other studio's own copies.
    assert_eq!(c.get("/api/people").await.as_array().unwrap().len(), 1);
    assert_eq!(c.get("/api/people").await[0]["id"], json!(leader));
    assert_eq!(c.get("/api/takes").await, json!([]));
    for page in ["/api/today", "/api/calendar", "/api/log", "/api/archive"] {
        let (status, _, _) = c.bytes(page).await;
        assert_eq!(status, 200, "{page}");
    }
    assert_eq!(e.get("/api/takes").await.as_array().unwrap().len(), 1);
    assert_eq!(blobs(&h).len(), 2, "{:?}", blobs(&h).keys());
}

#[tokio::test]
async fn a_take_is_erased_for_good_from_the_bin_alone() {
    let h = house(&["coach@hall.example"]).await;
    let (c, take, _) = kept(&h).await;
    let path = format!("/api/bin/{take}");
    assert_eq!(
        c.send(Method::DELETE, &path, None, None).await.0,
        404,
        "it is not in the bin"
    );
    c.send(Method::DELETE, &format!("/api/takes/{take}"), None, None)
        .await;
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    assert_eq!(c.get("/api/bin").await, json!([]));
    assert_eq!(rows_with(&h, &[take]).await, [] as [String; 0]);
    assert!(blobs(&h).is_empty(), "{:?}", blobs(&h).keys());
    assert_eq!(c.get("/api/people").await.as_array().unwrap().len(), 2);
}
