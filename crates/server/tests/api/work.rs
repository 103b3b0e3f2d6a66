//! Long work: both dancers found by themselves, watched, stopped; the beat and the angles by sound.

use super::*;

/// Two phones on a couple that is far enough apart to be told apart; the second began later.
async fn practice(c: &Coach, size: [u32; 2]) -> String {
    let first = json!({"distance": 4.2, "size": size, "fps": 25});
    let second = json!({"bearing": 80, "size": [320, 180], "clock": 0.7, "fast": 30});
    let wish = json!({
        "chart": "wcs-push", "repetitions": 2, "bpm": 112, "heights": [1.86, 1.62], "faults": [],
        "phones": [first, second], "seed": 5, "marked": false, "sound": {"music": "band", "room": 0.03},
    });
    let take = c.post("/api/studio", wish).await;
    let id = take["id"].as_str().unwrap().to_owned();
    assert_eq!(c.prepared(&id).await["state"], "ready");
    for _ in 0..3000 {
        if c.get(&format!("/api/takes/{id}")).await["further"][0]["state"] == "ready" {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    id
}

/// The newest piece of work of a kind on an angle.
async fn work(c: &Coach, take: &str, kind: &str, angle: i64) -> Value {
    let all = c.get(&format!("/api/takes/{take}/work")).await;
    let all = all.as_array().unwrap();
    all.iter()
        .find(|w| w["kind"] == kind && w["angle"] == angle)
        .unwrap_or(&Value::Null)
        .clone()
}

async fn ended(c: &Coach, take: &str, kind: &str, angle: i64) -> Value {
    // Generous: other tests keep both cores busy.
    for _ in 0..3000 {
        let w = work(c, take, kind, angle).await;
        if w["state"] != "waiting" && w["state"] != "running" {
            return w;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("{kind} does not end");
}

#[tokio::test]
async fn both_dancers_are_found_and_put_right_and_the_music_is_heard() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let take = practice(&c, [960, 540]).await;
    let path = |rest: &str| format!("/api/takes/{take}/{rest}");
    assert_eq!(work(&c, &take, "prepare", 1).await["state"], "done");

    let asked = c.post(&path("find"), json!({})).await;
    let of = |all: &Value| {
        let all = all.as_array().unwrap().clone();
        all.into_iter()
            .filter(|w| w["kind"] == "find")
            .map(|w| w["id"].clone())
            .collect::<Vec<_>>()
    };
    // Asked for twice is done once.
    assert_eq!(of(&c.post(&path("find"), json!({})).await), of(&asked));
    assert_eq!(of(&asked).len(), 2);
    let done = ended(&c, &take, "find", 1).await;
    assert_eq!(
        (&done["state"], &done["progress"], &done["failure"]),
        (&json!("done"), &json!(1.0), &Value::Null)
    );
    let sights = c.get(&path("sights?angle=1")).await;
    let sights = sights.as_array().unwrap();
    let count = |role: &str| sights.iter().filter(|s| s["role"] == role).count();
    // Some 95 pictures at 12.5 a second, and most of them show each dancer.
    assert!(
        count("leader") > 60 && count("follower") > 60,
        "{} {}",
        count("leader"),
        count("follower")
    );
    assert_eq!(sights[0]["points"].as_object().unwrap().len(), 19);
    // The taller one is taken for the leader: his nose is higher up.
    let nose = |role: &str| {
        let all: Vec<f64> = sights
            .iter()
            .filter(|s| s["role"] == role)
            .filter_map(|s| s["points"]["nose"][1].as_f64())
            .collect();
        all.iter().sum::<f64>() / all.len() as f64
    };
    assert!(nose("leader") + 15.0 < nose("follower"));
    // What may as well lie elsewhere is said: hands more often than hips.
    let unsure = |name: &str| {
        let of = |s: &&Value| s["unsure"].as_array().unwrap().contains(&json!(name));
        sights.iter().filter(of).count()
    };
    let (hand, hip) = (unsure("left_knuckle"), unsure("left_hip"));
    assert!(hand > hip && 3 * hip < sights.len(), "{hand} {hip}");
    let view = c.get(&format!("/api/takes/{take}")).await;
    assert_eq!(view["clip"]["landmarks"], "automatic marking");

    // Exchanged from a moment on, and back.
    let at = sights[sights.len() / 2]["at"].as_i64().unwrap();
    let exchange = json!({"angle": 1, "from": at, "to": null});
    let changed = c.post(&path("exchange"), exchange.clone()).await["sights"]
        .as_u64()
        .unwrap();
    assert!(changed as usize >= sights.len() / 2 - 2 && (changed as usize) < sights.len());
    let now = c.get(&path("sights")).await;
    assert_ne!(now.as_array().unwrap(), sights);
    c.post(&path("exchange"), exchange).await;
    assert_eq!(c.get(&path("sights")).await.as_array().unwrap(), sights);
    let (status, _) = c
        .send(
            Method::POST,
            &path("exchange"),
            Some(json!({"angle": 1, "from": 9, "to": 1})),
            None,
        )
        .await;
    assert_eq!(status, 422);

    // The sound is drawn: as long as the film, and the loudest is all there is.
    let wave = c.get(&path("waveform")).await;
    let levels = wave["levels"].as_array().unwrap();
    let film = view["clip"]["frames"].as_array().unwrap();
    let long = film.last().unwrap().as_i64().unwrap() / 20_000;
    assert!(
        (levels.len() as i64 - long).abs() < 10,
        "{} {long}",
        levels.len()
    );
    assert!(levels.contains(&json!(255)) && levels.iter().any(|l| l.as_u64() < Some(128)));
    assert_eq!(c.get(&path("waveform")).await, wave);

    // The beat becomes the count, which can be read in other ways.
    let heard = c.get(&path("beat")).await;
    assert!(
        (heard["tempo"].as_f64().unwrap() - 112.0).abs() < 1.0,
        "{}",
        heard["tempo"]
    );
    let entries = [
        json!({"do": "name_figure", "chart": "wcs-push", "repetitions": 2}),
        json!({"do": "set_count", "count": {"from": "heard", "beats": heard["beats"], "one": 4}}),
        json!({"do": "shift_one", "beats": -1}),
    ];
    let (status, bench) = c
        .send(
            Method::POST,
            &path("marks"),
            Some(json!({"entries": entries})),
            Some(0),
        )
        .await;
    assert_eq!(status, 200, "{bench}");
    let cells = bench["analysis"]["count"]["cells"].as_array().unwrap();
    assert_eq!(cells[0]["at"], heard["beats"][3]);
    assert_eq!(cells[0]["label"], "1");
    let (status, bench) = c
        .send(
            Method::POST,
            &path("marks"),
            Some(json!({"entries": [
                {"do": "recount", "how": "off"},
                {"do": "recount", "how": "double"},
            ]})),
            bench["version"].as_i64(),
        )
        .await;
    assert_eq!(status, 200, "{bench}");
    let beats = |h: &Value| h["beats"].as_array().unwrap().len();
    assert_eq!(beats(&bench["marks"]["count"]), 2 * beats(&heard) - 3);

    // The second phone's clip is put where both hear the same, and its fast clock is told.
    c.send(
        Method::PUT,
        &path("angles"),
        Some(json!({"angle": 2, "offset": 0})),
        None,
    )
    .await;
    let step = c.post(&path("angles/by-sound"), json!({"angle": 2})).await;
    let offset = step["clip"]["offset"].as_i64().unwrap();
    assert!((offset - 700_000).abs() < 5_000, "{offset}");
    assert!(step["sigma"].as_f64().unwrap() < 0.005);

    // Nothing of it is another studio's.
    let other = Coach::signed_in(&h, "other@hall.example").await;
    for (method, rest) in [
        (Method::GET, "work"),
        (Method::GET, "work/events"),
        (Method::GET, "sights"),
        (Method::POST, "find"),
        (Method::GET, "beat"),
    ] {
        let body = (method == Method::POST).then(|| json!({}));
        assert_eq!(
            other.send(method, &path(rest), body, None).await.0,
            404,
            "{rest}"
        );
    }
    let id = done["id"].as_str().unwrap();
    assert_eq!(
        other
            .send(Method::DELETE, &format!("/api/work/{id}"), None, None)
            .await
            .0,
        404
    );
}

#[tokio::test]
async fn an_empty_hall_is_said_and_stopped_work_changes_nothing() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, _, take) = c.take().await;
    let path = |rest: &str| format!("/api/takes/{take}/{rest}");
    let (status, problem) = c
        .send(Method::POST, &path("find"), Some(json!({})), None)
        .await;
    assert_eq!(status, 422, "{problem}");
    // A grey picture without anybody, and without sound.
    let grey = (0..25).map(|_| [128, 128, 128, 255].repeat(320 * 180));
    let file = h.folder.path().join("grey.mp4");
    let form = Film {
        size: [320, 180],
        fps: 25.0,
        moments: None,
    };
    encode(form, grey, None, &file).await.unwrap();
    c.upload(&take, "grey.mp4", std::fs::read(file).unwrap())
        .await;
    assert_eq!(c.prepared(&take).await["state"], "ready");
    c.post(&path("find"), json!({})).await;
    let failed = ended(&c, &take, "find", 1).await;
    assert_eq!(failed["state"], "failed");
    assert!(
        failed["failure"]
            .as_str()
            .unwrap()
            .starts_with("Nobody was found")
    );
    let (status, problem) = c.send(Method::GET, &path("beat"), None, None).await;
    assert_eq!(status, 422);
    assert!(
        problem["detail"].as_str().unwrap().contains("no sound"),
        "{problem}"
    );

    // Asked again and stopped at once; a watcher's first event says so.
    let again = c.post(&path("find"), json!({})).await;
    let id = again[0]["id"].as_str().unwrap().to_owned();
    let (status, _) = c
        .send(Method::DELETE, &format!("/api/work/{id}"), None, None)
        .await;
    if status == 204 {
        let stopped = work(&c, &take, "find", 1).await;
        assert_eq!(stopped["state"], "stopped");
        tokio::time::sleep(Duration::from_millis(1500)).await;
        assert_eq!(work(&c, &take, "find", 1).await, stopped);
    }
    let mut events = c
        .client
        .get(format!("{}{}", h.url, path("work/events")))
        .send()
        .await
        .unwrap();
    assert_eq!(events.headers()["content-type"], "text/event-stream");
    let first = events.chunk().await.unwrap().unwrap();
    let text = String::from_utf8_lossy(&first).into_owned();
    assert!(text.starts_with("data:") && text.contains(&id), "{text}");
}
