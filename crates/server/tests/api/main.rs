//! The web interface on a real database and real files.
#![allow(clippy::unwrap_used, clippy::panic)]

mod charts;
mod doors;
mod exchange;
mod floor;
mod judgement;
mod plan;
mod uploads;
mod work;

use std::path::Path;
use std::time::Duration;

use reqwest::{Client, Method, StatusCode, multipart};
use serde_json::{Value, json};
use tokio::net::TcpListener;
use upright_core::marks::Entry;
use upright_core::units::MediaTime;
use upright_core::units::Role;
use upright_media::{Film, encode};
use upright_server::auth::hash_password;
use upright_server::{App, Parts};
use upright_store::{Blobs, NewAccount, Store, testing};
use upright_studio::{Hand, Performance, Phone, Renderer, Scenario, Shown, marks};

const PASSWORD: &str = "a quiet rehearsal room";

struct House {
    url: String,
    app: App,
    folder: tempfile::TempDir,
}

/// Serves the application on a new database, with one studio for each of the e-mail addresses.
async fn house(emails: &[&str]) -> House {
    house_at(emails, upright_server::Reach::default()).await
}

/// The same, reached by browsers in some way.
async fn house_at(emails: &[&str], reach: upright_server::Reach) -> House {
    let store = testing::database().await;
    let hash = hash_password(PASSWORD).unwrap();
    for email in emails {
        let account = NewAccount {
            email,
            name: "Coach",
            password_hash: &hash,
        };
        store.create_studio("A hall", None, account).await.unwrap();
    }
    open_at(store, tempfile::tempdir().unwrap(), reach).await
}

async fn open(store: Store, folder: tempfile::TempDir) -> House {
    open_at(store, folder, upright_server::Reach::default()).await
}

async fn open_at(store: Store, folder: tempfile::TempDir, reach: upright_server::Reach) -> House {
    let app = App::new(Parts {
        store,
        blobs: Blobs::in_folder(&folder.path().join("blobs")).unwrap(),
        incoming: folder.path().join("incoming"),
        models: std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models/files"),
        web: folder.path().join("web"),
        demo: None,
        most_clip: Some(3_000_000),
        reach,
    });
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(upright_server::serve(
        listener,
        app.clone(),
        std::future::pending(),
    ));
    House { url, app, folder }
}

/// A browser's stand-in: cookies, and the token that goes back with every change.
struct Coach {
    url: String,
    client: Client,
    token: String,
}

impl Coach {
    async fn visitor(house: &House) -> Self {
        let client = Client::builder().cookie_store(true).build().unwrap();
        let session: Value = client
            .get(format!("{}/api/session", house.url))
            .send()
            .await
            .unwrap()
            .json()
            .await
            .unwrap();
        let token = session["token"].as_str().unwrap().to_owned();
        Self {
            url: house.url.clone(),
            client,
            token,
        }
    }

    async fn signed_in(house: &House, email: &str) -> Self {
        let mut coach = Self::visitor(house).await;
        let (status, session) = coach
            .send(
                Method::POST,
                "/api/session",
                Some(json!({"email": email, "password": PASSWORD})),
                None,
            )
            .await;
        assert_eq!(status, StatusCode::OK);
        session["token"]
            .as_str()
            .unwrap()
            .clone_into(&mut coach.token);
        coach
    }

    async fn send(
        &self,
        method: Method,
        path: &str,
        body: Option<Value>,
        version: Option<i64>,
    ) -> (StatusCode, Value) {
        let mut r = self
            .client
            .request(method, format!("{}{path}", self.url))
            .header("x-csrf-token", &self.token);
        if let Some(body) = body {
            r = r.json(&body);
        }
        if let Some(v) = version {
            r = r.header("if-match", format!("\"{v}\""));
        }
        let answer = r.send().await.unwrap();
        let status = answer.status();
        (status, answer.json().await.unwrap_or(Value::Null))
    }

    async fn get(&self, path: &str) -> Value {
        let (status, body) = self.send(Method::GET, path, None, None).await;
        assert_eq!(status, StatusCode::OK, "{path} {body}");
        body
    }

    async fn post(&self, path: &str, body: Value) -> Value {
        let (status, body) = self.send(Method::POST, path, Some(body), None).await;
        assert!(status.is_success(), "{path} {status} {body}");
        body
    }

    /// Two people 1.82 m and 1.66 m tall, a couple and a take; their ids.
    async fn take(&self) -> (String, String, String, String) {
        let id = |v: &Value| v["id"].as_str().unwrap().to_owned();
        let leader = id(&self
            .post("/api/people", json!({"name": "Nell Ashby", "height": 1.82}))
            .await);
        let follower = id(&self
            .post("/api/people", json!({"name": "Ivo Marsh", "height": 1.66}))
            .await);
        let couple = self
            .post(
                "/api/couples",
                json!({"leader_id": leader, "follower_id": follower}),
            )
            .await;
        let take = self
            .post(
                "/api/takes",
                json!({"couple_id": id(&couple), "held_on": "2026-03-07", "place": "Hall"}),
            )
            .await;
        (leader, follower, id(&couple), id(&take))
    }

    /// Marks a simulated performance whole.
    async fn mark(&self, take: &str, scenario: &Scenario) -> Value {
        let p = Performance::new(scenario).unwrap();
        let entries: Vec<Entry> = marks(&p, 0, &p.frame_times(0), &Hand::ordinary(scenario.seed))
            .into_iter()
            .map(Entry::Command)
            .collect();
        let version = self.get(&format!("/api/takes/{take}/bench")).await["version"].as_i64();
        let path = format!("/api/takes/{take}/marks");
        let (status, bench) = self
            .send(
                Method::POST,
                &path,
                Some(json!({ "entries": entries })),
                version,
            )
            .await;
        assert_eq!(status, StatusCode::OK, "{bench}");
        bench
    }

    async fn upload(&self, take: &str, name: &str, bytes: Vec<u8>) -> (StatusCode, Value) {
        let part = multipart::Part::bytes(bytes).file_name(name.to_owned());
        let answer = self
            .client
            .post(format!("{}/api/takes/{take}/clip", self.url))
            .header("x-csrf-token", &self.token)
            .multipart(multipart::Form::new().part("clip", part))
            .send()
            .await
            .unwrap();
        let status = answer.status();
        (status, answer.json().await.unwrap_or(Value::Null))
    }

    async fn prepared(&self, take: &str) -> Value {
        for _ in 0..3000 {
            let clip = self.get(&format!("/api/takes/{take}")).await["clip"].clone();
            if clip["state"] != "preparing" {
                return clip;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("the clip was not prepared")
    }
}

fn leaning() -> Scenario {
    Scenario {
        seed: 12,
        faults: vec![Shown::new("P1", Role::Follower)],
        ..Scenario::default()
    }
}

async fn film(scenario: &Scenario, folder: &Path) -> Vec<u8> {
    let p = Performance::new(scenario).unwrap();
    let r = Renderer::new(&p, 0).unwrap();
    let to = folder.join("film.mp4");
    let times = p.frame_times(0).iter().map(|t| t.secs()).collect();
    let form = Film {
        size: p.phone(0).size,
        fps: p.phone(0).fps,
        moments: None,
    };
    encode(form, r.frames(times), None, &to).await.unwrap();
    std::fs::read(to).unwrap()
}

fn small() -> Scenario {
    Scenario {
        repetitions: 1,
        phones: vec![Phone {
            size: [320, 180],
            fps: 25.0,
            ..Phone::default()
        }],
        ..Scenario::default()
    }
}

#[tokio::test]
async fn health_and_headers() {
    let h = house(&[]).await;
    let answer = reqwest::get(format!("{}/api/health", h.url)).await.unwrap();
    assert_eq!(answer.status(), 200);
    for (name, value) in [
        ("x-content-type-options", "nosniff"),
        ("x-frame-options", "DENY"),
        ("referrer-policy", "same-origin"),
    ] {
        assert_eq!(answer.headers()[name], value);
    }
    assert_eq!(answer.headers()["x-request-id"].len(), 36);
    let body: Value = answer.json().await.unwrap();
    assert_eq!(
        (&body["status"], &body["database"]),
        (&json!("ok"), &json!(true))
    );
    h.app.store().close().await;
    let answer = reqwest::get(format!("{}/api/health", h.url)).await.unwrap();
    assert_eq!(answer.status(), 503);
}

#[tokio::test]
async fn the_page_carries_a_fresh_nonce_and_a_strict_policy() {
    let h = house(&[]).await;
    let web = h.folder.path().join("web/assets");
    std::fs::create_dir_all(&web).unwrap();
    std::fs::write(web.join("a.js"), "1").unwrap();
    std::fs::write(
        h.folder.path().join("web/index.html"),
        "<meta content=\"__CSP_NONCE__\">",
    )
    .unwrap();
    let mut seen = Vec::new();
    for path in ["/", "/takes/anything"] {
        let answer = reqwest::get(format!("{}{path}", h.url)).await.unwrap();
        let policy = answer.headers()["content-security-policy"]
            .to_str()
            .unwrap()
            .to_owned();
        assert!(!policy.contains("unsafe"), "{policy}");
        let text = answer.text().await.unwrap();
        let nonce = text.split('"').nth(1).unwrap().to_owned();
        assert!(
            policy.contains(&format!("'nonce-{nonce}'")),
            "{policy} {text}"
        );
        seen.push(nonce);
    }
    assert_ne!(seen[0], seen[1]);
    let asset = reqwest::get(format!("{}/assets/a.js", h.url))
        .await
        .unwrap();
    assert!(
        asset.headers()["cache-control"]
            .to_str()
            .unwrap()
            .contains("immutable")
    );
    for missing in ["/assets/none.js", "/api/none"] {
        let answer = reqwest::get(format!("{}{missing}", h.url)).await.unwrap();
        assert_eq!(answer.status(), 404, "{missing}");
        assert_eq!(answer.headers()["content-type"], "application/problem+json");
    }
}

#[test]
fn the_published_description_is_the_routes_own() {
    let kept = include_str!("../../../../docs/formats/openapi.json");
    let fresh = serde_json::to_value(upright_server::openapi()).unwrap();
    assert!(
        serde_json::from_str::<Value>(kept).unwrap() == fresh,
        "docs/formats/openapi.json is out of date: run make types"
    );
}

#[tokio::test]
async fn signing_in_needs_the_right_words_from_the_right_page() {
    let h = house(&["coach@hall.example"]).await;
    let v = Coach::visitor(&h).await;
    let words = json!({"email": "coach@hall.example", "password": "wrong"});
    let (status, problem) = v
        .send(Method::POST, "/api/session", Some(words), None)
        .await;
    assert_eq!(status, 401);
    assert_eq!(problem["title"], "That did not match");
    // Without the page's token, and from another page.
    let right = json!({"email": "COACH@hall.example ", "password": PASSWORD});
    let post = |client: &Client| client.post(format!("{}/api/session", h.url)).json(&right);
    assert_eq!(post(&v.client).send().await.unwrap().status(), 403);
    let foreign = post(&v.client)
        .header("x-csrf-token", &v.token)
        .header("origin", "http://elsewhere.example")
        .send()
        .await
        .unwrap();
    assert_eq!(foreign.status(), 403);
    let answer = post(&v.client)
        .header("x-csrf-token", &v.token)
        .send()
        .await
        .unwrap();
    assert_eq!(answer.status(), 200);
    let cookie = answer.headers()["set-cookie"]
        .to_str()
        .unwrap()
        .to_lowercase();
    assert!(
        cookie.contains("httponly") && cookie.contains("samesite=lax"),
        "{cookie}"
    );
    let session = v.get("/api/session").await;
    assert_eq!(session["name"], "Coach");
    let mut v = v;
    session["token"].as_str().unwrap().clone_into(&mut v.token);
    let (status, _) = v.send(Method::DELETE, "/api/session", None, None).await;
    assert_eq!(status, 204);
    let (status, _) = v.send(Method::GET, "/api/people", None, None).await;
    assert_eq!(status, 401);
}

#[tokio::test]
async fn guessing_is_slowed_down() {
    let h = house(&["coach@hall.example"]).await;
    let v = Coach::visitor(&h).await;
    for _ in 0..8 {
        let words = json!({"email": "coach@hall.example", "password": "guess"});
        let (status, _) = v
            .send(Method::POST, "/api/session", Some(words), None)
            .await;
        assert_eq!(status, 401);
    }
    let words = json!({"email": "coach@hall.example", "password": PASSWORD});
    let (status, problem) = v
        .send(Method::POST, "/api/session", Some(words), None)
        .await;
    assert_eq!(status, 429);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("quarter of an hour")
    );
}

/// Every route of the published description, with its path's ids filled in.
fn routes(id: &str) -> Vec<(Method, String)> {
    let document = serde_json::to_value(upright_server::openapi()).unwrap();
    let mut out = Vec::new();
    for (path, methods) in document["paths"].as_object().unwrap() {
        for method in methods.as_object().unwrap().keys() {
            let filled = path
                .replace("{id}", id)
                .replace("{decision}", id)
                .replace("{token}", id)
                .replace("{table}", "joints.csv");
            out.push((method.to_uppercase().parse().unwrap(), filled));
        }
    }
    assert!(out.len() >= 95, "{}", out.len());
    out
}

#[tokio::test]
async fn nothing_is_shown_to_a_visitor() {
    let h = house(&[]).await;
    let v = Coach::visitor(&h).await;
    for (method, path) in routes("019516a0-0000-7000-8000-000000000000") {
        if path == "/api/health" || path == "/api/session" {
            continue;
        }
        let (status, problem) = v
            .send(method.clone(), &path, Some(json!({})), Some(0))
            .await;
        // A private address needs no sign-in, and opens nothing when it is made up.
        let expected = match path.starts_with("/api/shared/") {
            true if method == Method::GET => 404,
            true => 400,
            false => 401,
        };
        assert_eq!(status, expected, "{method} {path} {problem}");
    }
}

#[tokio::test]
async fn bad_input_is_refused_in_words_on_every_route() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let nobody = "019516a0-0000-7000-8000-000000000000";
    for id in [nobody, "no-id", "%00"] {
        for (method, path) in routes(id) {
            if path == "/api/session" || (method == Method::GET && !path.contains(id)) {
                continue;
            }
            for body in [
                json!(null),
                json!([]),
                json!({"surplus": 1}),
                json!({"name": "\u{0}", "height": 1e300}),
            ] {
                let (status, problem) = c.send(method.clone(), &path, Some(body), Some(0)).await;
                assert!(
                    status.is_client_error(),
                    "{method} {path} {status} {problem}"
                );
                assert!(
                    problem["detail"].as_str().is_some_and(|d| d.len() > 8),
                    "{path} {problem}"
                );
            }
        }
    }
    let refused = [
        ("/api/people", json!({"name": "  ", "height": 1.7}), "name"),
        (
            "/api/people",
            json!({"name": "A", "height": 17.0}),
            "between 100 and 230 cm",
        ),
        (
            "/api/people",
            json!({"name": "A", "height": 1.7, "note": "x".repeat(2001)}),
            "2000",
        ),
        (
            "/api/people",
            json!({"name": "a\u{0}b", "height": 1.7}),
            "no letter",
        ),
        (
            "/api/couples",
            json!({"leader_id": nobody, "follower_id": nobody}),
            "two people",
        ),
        (
            "/api/takes",
            json!({"couple_id": nobody, "held_on": "1826-03-07"}),
            "day",
        ),
    ];
    for (path, body, words) in refused {
        let (status, problem) = c.send(Method::POST, path, Some(body), None).await;
        assert_eq!(status, 422, "{path} {problem}");
        assert!(
            problem["detail"].as_str().unwrap().contains(words),
            "{problem}"
        );
    }
    let zero = json!({"email": "a\u{0}@b.example", "password": "x"});
    let (status, _) = c.send(Method::POST, "/api/session", Some(zero), None).await;
    assert_eq!(status, 422);
    let (status, _) = c.send(Method::PATCH, "/api/people", None, None).await;
    assert_eq!(status, 405);
    let huge = json!({"name": "x".repeat(2_000_000), "height": 1.7});
    let (status, _) = c.send(Method::POST, "/api/people", Some(huge), None).await;
    assert_eq!(status, 413);
}

#[tokio::test]
async fn another_studio_finds_nothing() {
    let h = house(&["here@hall.example", "there@hall.example"]).await;
    let here = Coach::signed_in(&h, "here@hall.example").await;
    let there = Coach::signed_in(&h, "there@hall.example").await;
    let (leader, follower, couple, take) = here.take().await;
    let bench = here.mark(&take, &leaning()).await;
    let version = bench["version"].as_i64();
    let decide = json!({"fault": "P1", "role": "follower", "verdict": "confirmed"});
    let bench = here
        .post(&format!("/api/takes/{take}/decisions"), decide.clone())
        .await;
    let decision = bench["decisions"][0]["id"].as_str().unwrap().to_owned();
    let correction = here.get(&format!("/api/people/{follower}/log")).await[0]["id"]
        .as_str()
        .unwrap()
        .to_owned();
    let person = json!({"name": "Taken", "height": 1.7});
    let change = json!({"cue": "c", "drill": "d", "drill_step": 1, "recheck_on": null});
    let text = charts::SIDE_STEPS;
    here.post("/api/charts", json!({"text": text})).await;
    let routine = here
        .post("/api/routines", charts::routine(&["shag-basic"]))
        .await["id"]
        .as_str()
        .unwrap()
        .to_owned();
    let tries = [
        (Method::GET, "/api/charts/side-steps".into(), None),
        (
            Method::PUT,
            "/api/charts/side-steps".into(),
            Some(json!({"text": text})),
        ),
        (Method::DELETE, "/api/charts/side-steps".into(), None),
        (
            Method::GET,
            "/api/charts/side-steps/document?form=text".into(),
            None,
        ),
        (
            Method::GET,
            "/api/charts/side-steps/scaled?leader=1.8".into(),
            None,
        ),
        (Method::GET, format!("/api/routines/{routine}"), None),
        (
            Method::PUT,
            format!("/api/routines/{routine}"),
            Some(charts::routine(&[])),
        ),
        (Method::DELETE, format!("/api/routines/{routine}"), None),
        (Method::GET, format!("/api/people/{leader}"), None),
        (Method::PUT, format!("/api/people/{leader}"), Some(person)),
        (Method::GET, format!("/api/people/{follower}/log"), None),
        (
            Method::GET,
            format!("/api/people/{follower}/progress"),
            None,
        ),
        (
            Method::PUT,
            format!("/api/couples/{couple}/frame-limit"),
            Some(json!({"frame_limit": 1.2})),
        ),
        (
            Method::POST,
            "/api/couples".into(),
            Some(json!({"leader_id": leader, "follower_id": follower})),
        ),
        (
            Method::POST,
            "/api/takes".into(),
            Some(json!({"couple_id": couple, "held_on": "2026-03-07"})),
        ),
        (Method::GET, format!("/api/takes/{take}"), None),
        (Method::GET, format!("/api/takes/{take}/bench"), None),
        (Method::GET, format!("/api/takes/{take}/video"), None),
        (
            Method::POST,
            format!("/api/takes/{take}/marks"),
            Some(json!({"entries": [{"do": "undo"}]})),
        ),
        (
            Method::PUT,
            format!("/api/takes/{take}/reviewed"),
            Some(json!({"reviewed": true})),
        ),
        (
            Method::POST,
            format!("/api/takes/{take}/decisions"),
            Some(decide),
        ),
        (
            Method::DELETE,
            format!("/api/takes/{take}/decisions/{decision}"),
            None,
        ),
        (
            Method::PUT,
            format!("/api/corrections/{correction}"),
            Some(change),
        ),
        (
            Method::POST,
            format!("/api/corrections/{correction}/looks"),
            Some(json!({"fine": true})),
        ),
    ];
    for (method, path, body) in tries {
        let (status, problem) = there.send(method.clone(), &path, body, version).await;
        assert_eq!(status, 404, "{method} {path} {problem}");
    }
    let (status, _) = there.upload(&take, "a.mp4", b"x".to_vec()).await;
    assert_eq!(status, 404);
    for list in ["/api/people", "/api/couples", "/api/takes", "/api/routines"] {
        assert_eq!(there.get(list).await, json!([]), "{list}");
    }
    let today = there.get("/api/today").await;
    assert_eq!((&today["waiting"], &today["due"]), (&json!([]), &json!([])));
    // And nothing of it was changed.
    assert_eq!(
        here.get(&format!("/api/people/{leader}")).await["name"],
        "Nell Ashby"
    );
    assert_eq!(
        here.get(&format!("/api/takes/{take}/bench")).await["version"].as_i64(),
        version
    );
}

#[tokio::test]
async fn marks_are_appended_in_turn_and_taken_back() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let path = format!("/api/takes/{take}/marks");
    let one = json!({"entries": [{"do": "name_figure", "chart": "shag-basic", "repetitions": 4}]});
    let (status, _) = c.send(Method::POST, &path, Some(one.clone()), None).await;
    assert_eq!(status, 428);
    let (status, bench) = c
        .send(Method::POST, &path, Some(one.clone()), Some(0))
        .await;
    assert_eq!(status, 200);
    assert_eq!(bench["version"], 1);
    assert_eq!(bench["analysis"]["count_stage"]["state"], "missing");
    // A second window that has not seen it.
    let (status, problem) = c.send(Method::POST, &path, Some(one), Some(0)).await;
    assert_eq!(status, 412);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("another window")
    );
    // All or none.
    let mixed = json!({"entries": [{"do": "tap", "at": 5}, {"do": "mark_floor", "point": 0, "pixel": [1, 2]}]});
    let (status, problem) = c.send(Method::POST, &path, Some(mixed), Some(1)).await;
    assert_eq!(status, 422);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("how long and how wide")
    );
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    assert_eq!(
        (&bench["version"], &bench["marks"]["count"]),
        (&json!(1), &Value::Null)
    );
    let (_, bench) = c
        .send(
            Method::POST,
            &path,
            Some(json!({"entries": [{"do": "undo"}]})),
            Some(1),
        )
        .await;
    assert_eq!(bench["marks"]["chart"], Value::Null);
    assert_eq!(
        (&bench["can_undo"], &bench["can_redo"]),
        (&json!(false), &json!(true))
    );
    let (_, bench) = c
        .send(
            Method::POST,
            &path,
            Some(json!({"entries": [{"do": "redo"}]})),
            Some(2),
        )
        .await;
    assert_eq!(bench["marks"]["chart"], "shag-basic");
    let nothing = json!({"entries": []});
    let (status, _) = c.send(Method::POST, &path, Some(nothing), Some(3)).await;
    assert_eq!(status, 422);
}

#[tokio::test]
async fn two_windows_at_once_lose_nothing() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let path = format!("/api/takes/{take}/marks");
    let tap = |i: i64| json!({"entries": [{"do": "tap", "at": 1000 * i}]});
    let sent = futures::future::join_all(
        (1..=6).map(|i| c.send(Method::POST, &path, Some(tap(i)), Some(0))),
    )
    .await;
    let taken = sent.iter().filter(|s| s.0 == 200).count();
    let refused = sent.iter().filter(|s| s.0 == 412).count();
    assert_eq!((taken, refused), (1, 5), "{sent:?}");
    assert_eq!(
        c.get(&format!("/api/takes/{take}/bench")).await["version"],
        1
    );
}

#[tokio::test]
async fn a_finding_becomes_a_correction_and_can_be_taken_back() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, follower, _, take) = c.take().await;
    let bench = c.mark(&take, &leaning()).await;
    let first = &bench["analysis"]["judged"][0];
    assert_eq!(
        (&first["fault"], &first["role"], &first["showing"]),
        (&json!("P1"), &json!("follower"), &json!(4))
    );
    let path = format!("/api/takes/{take}/decisions");
    let decide = |verdict: &str, reason: &str| json!({"fault": "P1", "role": "follower", "verdict": verdict, "reason": reason});
    let (status, _) = c
        .send(Method::POST, &path, Some(decide("dismissed", " ")), None)
        .await;
    assert_eq!(status, 422);
    let absent = json!({"fault": "R3", "role": "follower", "verdict": "confirmed"});
    let (status, _) = c.send(Method::POST, &path, Some(absent), None).await;
    assert_eq!(status, 422);
    let mut wished = decide("confirmed", "");
    wished["wish"] = json!({"cue": "Chest over your feet.", "drill_step": 2});
    let bench = c.post(&path, wished).await;
    let (status, _) = c
        .send(Method::POST, &path, Some(decide("confirmed", "")), None)
        .await;
    assert_eq!(status, 409);
    let log = c.get(&format!("/api/people/{follower}/log")).await;
    let logged = &log[0];
    assert_eq!(
        (&logged["cue"], &logged["drill_step"]),
        (&json!("Chest over your feet."), &json!(2))
    );
    assert_eq!(
        (&logged["showing"], &logged["measured"], &logged["unit"]),
        (&json!(4), &json!(4), &json!("degrees"))
    );
    assert!((logged["value"].as_f64().unwrap() - 9.0).abs() < 2.0);
    let today = jiff::Zoned::now().date();
    let week = today.saturating_add(jiff::Span::new().weeks(1)).to_string();
    assert_eq!(logged["recheck_on"], week);
    // A look moves the date on; two fine looks widen it.
    let looks = format!("/api/corrections/{}/looks", logged["id"].as_str().unwrap());
    c.post(&looks, json!({"fine": true})).await;
    let after = c.post(&looks, json!({"fine": true})).await;
    assert_eq!(
        (&after["looks"], &after["fine_looks"]),
        (&json!(2), &json!(2))
    );
    let month = today.saturating_add(jiff::Span::new().weeks(4)).to_string();
    assert_eq!(after["recheck_on"], month);
    let change = json!({"cue": "Stand.", "drill": "Wall", "drill_step": 3, "recheck_on": null});
    let put = format!("/api/corrections/{}", logged["id"].as_str().unwrap());
    let (status, _) = c
        .send(Method::PUT, &put, Some(change.clone()), Some(1))
        .await;
    assert_eq!(status, 412);
    let (status, changed) = c
        .send(Method::PUT, &put, Some(change), after["version"].as_i64())
        .await;
    assert_eq!(
        (status, &changed["cue"]),
        (StatusCode::OK, &json!("Stand."))
    );
    let progress = c.get(&format!("/api/people/{follower}/progress")).await;
    let p1 = progress["faults"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["fault"] == "P1")
        .unwrap();
    assert_eq!(
        (&p1["progress"]["status"], &p1["progress"]["answer"]),
        (&json!("new"), &json!("one_take"))
    );
    let id = bench["decisions"][0]["id"].as_str().unwrap();
    let (status, bench) = c
        .send(Method::DELETE, &format!("{path}/{id}"), None, None)
        .await;
    assert_eq!((status, &bench["decisions"]), (StatusCode::OK, &json!([])));
    assert_eq!(
        c.get(&format!("/api/people/{follower}/log")).await,
        json!([])
    );
}

#[tokio::test]
async fn a_corrected_height_renews_the_measures() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (leader, _, couple, take) = c.take().await;
    c.mark(&take, &Scenario::default()).await;
    let steps = async || {
        let p = c.get(&format!("/api/people/{leader}/progress")).await;
        let f = p["faults"]
            .as_array()
            .unwrap()
            .iter()
            .find(|f| f["fault"] == "S2")
            .unwrap()
            .clone();
        f["progress"]["now"]["value"].as_f64().unwrap()
    };
    let before = steps().await;
    let change = json!({"name": "Nell Ashby", "height": 1.40});
    let (status, _) = c
        .send(
            Method::PUT,
            &format!("/api/people/{leader}"),
            Some(change.clone()),
            Some(1),
        )
        .await;
    assert_eq!(status, 200);
    // The same steps are longer for a shorter person.
    assert!(steps().await > 1.15 * before);
    let (status, _) = c
        .send(
            Method::PUT,
            &format!("/api/people/{leader}"),
            Some(change),
            Some(1),
        )
        .await;
    assert_eq!(status, 412);
    let limit = format!("/api/couples/{couple}/frame-limit");
    let (status, _) = c
        .send(
            Method::PUT,
            &limit,
            Some(json!({"frame_limit": 9.0})),
            Some(1),
        )
        .await;
    assert_eq!(status, 422);
    let (status, set) = c
        .send(
            Method::PUT,
            &limit,
            Some(json!({"frame_limit": 1.3})),
            Some(1),
        )
        .await;
    assert_eq!((status, &set["version"]), (StatusCode::OK, &json!(2)));
}

#[tokio::test]
async fn a_clip_is_taken_in_prepared_and_played_in_ranges() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let bytes = film(&small(), h.folder.path()).await;
    let frames = Performance::new(&small()).unwrap().frame_times(0);
    let (status, problem) = c.upload(&take, "notes.mp4", b"not a film".to_vec()).await;
    assert_eq!(status, 422);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("MP4, MOV or WebM")
    );
    let (status, _) = c.upload(&take, "huge.mp4", vec![0; 3_100_000]).await;
    assert_eq!(status, 413);
    let left: Vec<_> = std::fs::read_dir(h.folder.path().join("incoming"))
        .unwrap()
        .collect();
    assert!(left.is_empty(), "refused files are left behind");
    let (status, clip) = c.upload(&take, "../../evil.mp4", bytes.clone()).await;
    assert_eq!(status, 202, "{clip}");
    assert_eq!(clip["file_name"], "evil.mp4");
    let (status, _) = c.upload(&take, "again.mp4", bytes).await;
    assert_eq!(status, 409);
    let clip = c.prepared(&take).await;
    assert_eq!(
        (&clip["state"], &clip["width"], &clip["height"]),
        (&json!("ready"), &json!(320), &json!(180))
    );
    let seen: Vec<MediaTime> = serde_json::from_value(clip["frames"].clone()).unwrap();
    assert_eq!(seen.len(), frames.len());
    assert!(
        seen.iter()
            .zip(&frames)
            .all(|(a, b)| (a.0 - b.0).abs() < 30)
    );
    let video = format!("{}/api/takes/{take}/video", h.url);
    let whole = c.client.get(&video).send().await.unwrap();
    assert_eq!(
        (
            whole.status().as_u16(),
            whole.headers()["content-type"].to_str().unwrap()
        ),
        (200, "video/mp4")
    );
    let whole = whole.bytes().await.unwrap();
    for (range, expected) in [
        ("bytes=0-99", 0..100),
        ("bytes=500-", 500..whole.len()),
        ("bytes=-64", whole.len() - 64..whole.len()),
    ] {
        let part = c
            .client
            .get(&video)
            .header("range", range)
            .send()
            .await
            .unwrap();
        assert_eq!(part.status(), 206, "{range}");
        let says = part.headers()["content-range"].to_str().unwrap().to_owned();
        assert_eq!(
            says,
            format!(
                "bytes {}-{}/{}",
                expected.start,
                expected.end - 1,
                whole.len()
            )
        );
        assert_eq!(
            part.bytes().await.unwrap(),
            whole[expected.clone()],
            "{range}"
        );
    }
    let beyond = c
        .client
        .get(&video)
        .header("range", "bytes=99999999-")
        .send()
        .await
        .unwrap();
    assert_eq!(beyond.status(), 416);
}

#[tokio::test]
async fn a_preparation_left_behind_is_taken_up_again() {
    let first = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&first, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let bytes = film(&small(), first.folder.path()).await;
    let kept = first.folder.path().join("kept.mp4");
    std::fs::write(&kept, &bytes).unwrap();
    first
        .app
        .blobs()
        .put_file("original/left", &kept)
        .await
        .unwrap();
    let studio = first
        .app
        .store()
        .account_by_email("coach@hall.example")
        .await
        .unwrap()
        .unwrap()
        .studio_id;
    let clip = |key: &str| upright_store::NewClip {
        angle: 1,
        offset_us: 0,
        state: upright_store::ClipState::Preparing,
        file_name: "left.mp4".into(),
        bytes: bytes.len() as i64,
        original: Some(key.into()),
        size: [320, 180],
        frame_times: Vec::new(),
    };
    let studio = upright_store::StudioId(studio);
    first
        .app
        .store()
        .add_clip(studio, take.parse().unwrap(), &clip("original/left"))
        .await
        .unwrap();
    // As after a restart: another server on the same database and files.
    let again = App::new(Parts {
        store: first.app.store().clone(),
        blobs: first.app.blobs().clone(),
        incoming: first.folder.path().join("incoming"),
        models: std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models/files"),
        web: first.folder.path().join("web"),
        demo: None,
        most_clip: None,
        reach: upright_server::Reach::default(),
    });
    upright_server::jobs::resume(&again).await.unwrap();
    assert_eq!(c.prepared(&take).await["state"], "ready");
    // One whose original is gone ends as failed, in words, and can be sent again.
    let couple = c.get("/api/couples").await[0]["id"].clone();
    let other = c
        .post(
            "/api/takes",
            json!({"couple_id": couple, "held_on": "2026-03-08"}),
        )
        .await;
    let other = other["id"].as_str().unwrap().to_owned();
    first
        .app
        .store()
        .add_clip(studio, other.parse().unwrap(), &clip("original/gone"))
        .await
        .unwrap();
    upright_server::jobs::resume(&again).await.unwrap();
    let failed = c.prepared(&other).await;
    assert_eq!(failed["state"], "failed");
    assert!(failed["failure"].as_str().unwrap().len() > 20);
    let (status, _) = c.upload(&other, "again.mp4", bytes).await;
    assert_eq!(status, 202);
    assert_eq!(c.prepared(&other).await["state"], "ready");
}

/// Six weeks of one student: the fault is worked on, holds, and slips back; each step is said.
#[tokio::test]
async fn a_relapse_is_told_with_what_it_is_compared_with() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, follower, couple, first) = c.take().await;
    let status = async || {
        let p = c.get(&format!("/api/people/{follower}/progress")).await;
        let all = p["faults"].as_array().unwrap();
        all.iter().find(|f| f["fault"] == "P1").unwrap()["progress"].clone()
    };
    let lean = |degrees: f64, seed: u64| {
        let mut s = Scenario {
            seed,
            ..Scenario::default()
        };
        s.faults = vec![Shown::new("P1", Role::Follower).of(degrees)];
        s
    };
    c.mark(&first, &lean(9.0, 20)).await;
    assert_eq!(status().await["status"], "new");
    let story = [
        (9.0, "working"),
        (1.0, "working"),
        (1.0, "holding"),
        (1.0, "holding"),
        (9.0, "slipped_back"),
        (9.5, "slipped_back"),
    ];
    for (week, (degrees, expected)) in story.into_iter().enumerate() {
        let day =
            jiff::civil::date(2026, 3, 14).saturating_add(jiff::Span::new().weeks(week as i64));
        let take = c
            .post(
                "/api/takes",
                json!({"couple_id": couple, "held_on": day.to_string()}),
            )
            .await;
        c.mark(
            take["id"].as_str().unwrap(),
            &lean(degrees, 21 + week as u64),
        )
        .await;
        assert_eq!(status().await["status"], expected, "week {week}");
    }
    let end = status().await;
    assert_eq!(
        (&end["against"], &end["answer"]),
        (&json!("when_it_held"), &json!("worse"))
    );
    assert!(end["before"]["value"].as_f64().unwrap() < 3.0);
    assert!(end["now"]["value"].as_f64().unwrap() > 6.0);
    let today = c.get("/api/today").await;
    let slipped = today["slipped"].as_array().unwrap();
    assert!(
        slipped
            .iter()
            .any(|n| n["person"] == "Ivo Marsh" && n["of"]["fault"] == "P1"),
        "{slipped:?}"
    );
    // A closed review waits no longer.
    let waiting = today["waiting"].as_array().unwrap().len();
    c.send(
        Method::PUT,
        &format!("/api/takes/{first}/reviewed"),
        Some(json!({"reviewed": true})),
        None,
    )
    .await;
    let later = c.get("/api/today").await["waiting"]
        .as_array()
        .unwrap()
        .len();
    assert_eq!(later + 1, waiting);
}

#[tokio::test]
async fn the_reference_side_is_whole() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let charts = c.get("/api/charts").await;
    let charts = charts.as_array().unwrap();
    assert!(charts.len() >= 36, "{}", charts.len());
    for card in charts {
        assert_eq!(
            (&card["sound"], &card["own"]),
            (&json!(true), &json!(false))
        );
        let view = c
            .get(&format!("/api/charts/{}", card["id"].as_str().unwrap()))
            .await;
        let counts = view["sketch"]["pattern"]["marks"].as_array().unwrap().len();
        for i in 0..2 {
            let rows = view["sketch"]["rows"][i].as_array().unwrap();
            let steps = view["sketch"]["trails"][i]["steps"].as_array().unwrap();
            assert_eq!(steps.len(), rows.len(), "{}", card["id"]);
            assert!(
                rows.iter()
                    .all(|r| (r["count"].as_u64().unwrap() as usize) < counts)
            );
        }
        assert!(
            view["problems"]
                .as_array()
                .unwrap()
                .iter()
                .all(|p| p["severity"] != "stops"),
            "{}",
            card["id"]
        );
    }
    let catalogue = c.get("/api/faults").await;
    let measures: Vec<&str> = catalogue["measures"]
        .as_array()
        .unwrap()
        .iter()
        .map(|m| m["id"].as_str().unwrap())
        .collect();
    let faults = catalogue["faults"].as_array().unwrap();
    assert!(faults.len() >= 60);
    for f in faults {
        let measure = f["measure"].as_str();
        assert!(measure.is_none_or(|m| measures.contains(&m)), "{f}");
        assert_eq!(measure.is_some(), f["band"].is_object(), "{f}");
        assert!(f["ladder"].as_array().unwrap().len() >= 3);
        let said = |role: &str| f["cue"][role].as_str().is_some();
        assert!(said("leader") || f["who"] == "follower", "{f}");
        assert!(said("follower") || f["who"] == "leader", "{f}");
    }
    assert!(catalogue["topics"].as_array().unwrap().len() >= 10);
}

#[tokio::test]
async fn a_couples_finding_goes_to_whom_the_coach_names() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (leader, follower, _, take) = c.take().await;
    let near = Scenario {
        faults: vec![Shown::new("K3", Role::Follower)],
        seed: 14,
        ..Scenario::default()
    };
    c.mark(&take, &near).await;
    let path = format!("/api/takes/{take}/decisions");
    let decide = |roles: Value| json!({"fault": "K3", "role": "couple", "verdict": "confirmed", "wish": {"roles": roles}});
    let bench = c.post(&path, decide(json!(["follower"]))).await;
    assert_eq!(c.get(&format!("/api/people/{leader}/log")).await, json!([]));
    let log = c.get(&format!("/api/people/{follower}/log")).await;
    assert!(log[0]["cue"].as_str().unwrap().contains("whole rock step"));
    let id = bench["decisions"][0]["id"].as_str().unwrap();
    c.send(Method::DELETE, &format!("{path}/{id}"), None, None)
        .await;
    // Nobody named: it goes to who made it.
    let bench = c.post(&path, decide(json!([]))).await;
    let found = bench["analysis"]["judged"].as_array().unwrap();
    let gap = found.iter().find(|j| j["fault"] == "K3").unwrap();
    assert_eq!(gap["whose"], json!(["follower"]), "{}", gap["share"]);
    assert_eq!(c.get(&format!("/api/people/{leader}/log")).await, json!([]));
    let id = bench["decisions"][0]["id"].as_str().unwrap();
    c.send(Method::DELETE, &format!("{path}/{id}"), None, None)
        .await;
    c.post(&path, decide(json!(["leader", "follower"]))).await;
    for person in [leader, follower] {
        assert_eq!(
            c.get(&format!("/api/people/{person}/log"))
                .await
                .as_array()
                .unwrap()
                .len(),
            1
        );
    }
}

#[tokio::test]
async fn a_practice_clip_is_rendered_marked_and_judged() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let leaning = |size: f64| json!([{"fault": "P1", "role": "follower", "size": size}]);
    let practice = |faults: Value, repetitions: u32, phones: usize| {
        let first = json!({"distance": 4.6, "size": [640, 360], "fps": 25});
        let second = json!({"bearing": 80, "size": [320, 180], "clock": 0.5, "uneven": 0.4});
        let phones = [first, second][..phones].to_vec();
        json!({
            "chart": "shag-basic", "repetitions": repetitions, "bpm": 118, "heights": [1.82, 1.66],
            "faults": faults, "phones": phones, "seed": 5, "marked": true,
        })
    };
    let take = c.post("/api/studio", practice(leaning(10.0), 2, 2)).await;
    let id = take["id"].as_str().unwrap();
    assert_eq!(take["place"], "Studio, simulated");
    assert_eq!(take["leader"], "Practice leader, 182 cm");
    let clip = c.prepared(id).await;
    assert_eq!(
        (&clip["state"], &clip["width"]),
        (&json!("ready"), &json!(640))
    );
    let bench = c.get(&format!("/api/takes/{id}/bench")).await;
    assert_eq!(bench["marks"]["chart"], "shag-basic");
    let judged = bench["analysis"]["judged"].as_array().unwrap();
    let found = judged
        .iter()
        .find(|j| j["fault"] == "P1" && j["role"] == "follower")
        .unwrap();
    assert_eq!((&found["showing"], &found["of"]), (&json!(2), &json!(2)));
    // The second phone began half a second later, and its film is its own.
    let view = c.get(&format!("/api/takes/{id}")).await;
    let second = &view["further"][0];
    assert_eq!(
        (&second["angle"], &second["offset"]),
        (&json!(2), &json!(500_000))
    );
    for _ in 0..3000 {
        let now = c.get(&format!("/api/takes/{id}")).await;
        if now["further"][0]["state"] == "ready" {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let video = |angle: u8| format!("{}/api/takes/{id}/video?angle={angle}", h.url);
    for (angle, status) in [(1, 200), (2, 200), (3, 404), (9, 422)] {
        let answer = c.client.get(video(angle)).send().await.unwrap();
        assert_eq!(answer.status(), status, "{angle}");
    }
    // Uneven frames keep their own times.
    let now = c.get(&format!("/api/takes/{id}")).await;
    let frames: Vec<i64> = now["further"][0]["frames"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f.as_i64().unwrap())
        .collect();
    let steps: Vec<i64> = frames.windows(2).map(|w| w[1] - w[0]).collect();
    assert!(*steps.iter().min().unwrap() < 26_000 && *steps.iter().max().unwrap() > 40_000);
    // Both bodies in space, at the version that the Bench shows.
    let in_space = c.get(&format!("/api/takes/{id}/space")).await;
    assert_eq!(in_space["version"], bench["version"]);
    let bodies = in_space["space"]["bodies"].as_array().unwrap();
    assert_eq!(bodies.len(), 32);
    assert_eq!(bodies[0]["joints"].as_array().unwrap().len(), 19);
    let numbers = in_space["space"]["numbers"].as_array().unwrap().len();
    assert!(
        bodies
            .iter()
            .all(|b| b["readings"].as_array().unwrap().len() == numbers)
    );
    // Put in step by hand, within reason.
    let path = format!("/api/takes/{id}/angles");
    let begin = |angle: u8, offset: i64| Some(json!({"angle": angle, "offset": offset}));
    let (status, moved) = c.send(Method::PUT, &path, begin(2, 433_333), None).await;
    assert_eq!((status.as_u16(), &moved["offset"]), (200, &json!(433_333)));
    for (body, expected) in [
        (begin(1, 5), 404),
        (begin(3, 5), 404),
        (begin(2, 9_000_000_000), 422),
    ] {
        assert_eq!(c.send(Method::PUT, &path, body, None).await.0, expected);
    }
    // The same people dance again; nobody else is added.
    c.post("/api/studio", practice(json!([]), 1, 1)).await;
    assert_eq!(c.get("/api/people").await.as_array().unwrap().len(), 2);
    for (body, words) in [
        (
            practice(leaning(80.0), 1, 1),
            "“P1” can be shown from -25 to 25",
        ),
        (
            practice(json!([{"fault": "F3", "role": "leader"}]), 1, 1),
            "has no place in this figure",
        ),
        (practice(json!([]), 64, 1), "at most 90 s"),
        (practice(json!([]), 0, 1), "repetitions are 1 to 64"),
        (practice(json!([]), 1, 0), "one to four phones"),
    ] {
        let (status, problem) = c.send(Method::POST, "/api/studio", Some(body), None).await;
        assert_eq!(status, 422, "{problem}");
        assert!(
            problem["detail"].as_str().unwrap().contains(words),
            "{problem}"
        );
    }
}

#[tokio::test]
async fn a_second_phone_joins_a_take_that_has_a_first() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, _, take) = c.take().await;
    let bytes = film(&small(), h.folder.path()).await;
    let send = |angle: u8| {
        let part = multipart::Part::bytes(bytes.clone()).file_name("second.mp4");
        c.client
            .post(format!(
                "{}/api/takes/{take}/clip?angle={angle}&again=true",
                h.url
            ))
            .header("x-csrf-token", &c.token)
            .multipart(multipart::Form::new().part("clip", part))
            .send()
    };
    let refused = send(2).await.unwrap();
    assert_eq!(refused.status(), 422);
    let said: Value = refused.json().await.unwrap();
    assert!(said["detail"].as_str().unwrap().contains("first angle"));
    assert_eq!(send(5).await.unwrap().status(), 422);
    assert_eq!(send(1).await.unwrap().status(), 202);
    let second: Value = send(2).await.unwrap().json().await.unwrap();
    assert_eq!(
        (&second["angle"], &second["offset"]),
        (&json!(2), &json!(0))
    );
    assert_eq!(send(2).await.unwrap().status(), 409);
    // The take's own clip is still the first one.
    c.prepared(&take).await;
    let view = c.get(&format!("/api/takes/{take}")).await;
    assert_eq!(view["clip"]["angle"], 1);
    assert_eq!(view["further"].as_array().unwrap().len(), 1);
    // However many phones filmed it, it is one take in the list.
    assert_eq!(c.get("/api/takes").await.as_array().unwrap().len(), 1);
    // What is no angle is refused as everything else is.
    let path = format!("/api/takes/{take}/video?angle=left");
    let (status, problem) = c.send(Method::GET, &path, None, None).await;
    assert_eq!(status, 400);
    assert!(problem["detail"].is_string(), "{problem}");
    // Nobody who is not signed in reaches it.
    let answer = reqwest::get(format!("{}/api/takes/{take}/video?angle=2", h.url))
        .await
        .unwrap();
    assert_eq!(answer.status(), 401);
}
