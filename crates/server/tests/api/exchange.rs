//! Takes, landmarks and measures in and out.

use reqwest::Method;
use serde_json::{Value, json};
use upright_studio::{Detector, Performance, Phone, Scenario, detect, detection_table};

use super::{Coach, House, house, open};

fn scenario() -> Scenario {
    Scenario {
        chart: "shag-basic".into(),
        repetitions: 2,
        phones: vec![Phone {
            size: [640, 360],
            fps: 12.5,
            ..Phone::default()
        }],
        seed: 12,
        ..Scenario::default()
    }
}

async fn put_text(c: &Coach, url: String, text: String) -> (u16, Value) {
    let answer = c
        .client
        .put(url)
        .header("x-csrf-token", &c.token)
        .header("content-type", "text/plain")
        .body(text)
        .send()
        .await
        .unwrap();
    let status = answer.status().as_u16();
    (status, answer.json().await.unwrap())
}

/// What another program's detector finds in a performance, as a table.
fn found(p: &Performance) -> String {
    detection_table(&detect(p, 0, &p.frame_times(0), &Detector::default()))
}

/// Where such a table is brought.
fn landmarks_of(h: &House, id: &str) -> String {
    format!("{}/api/takes/{id}/landmarks?file=found.csv", h.url)
}

/// A take of this performance whose figure, count and floor are the coach's, with what another program found of the
/// dancers; its id and what was said of it.
async fn brought(h: &House, c: &Coach, s: &Scenario) -> (String, Value) {
    let practice = json!({
        "chart": s.chart, "repetitions": s.repetitions, "bpm": s.bpm, "heights": s.heights,
        "phones": [{"size": s.phones[0].size, "fps": s.phones[0].fps}], "seed": s.seed, "marked": false,
    });
    let take = c.post("/api/studio", practice).await;
    let id = take["id"].as_str().unwrap().to_owned();
    c.prepared(&id).await;
    // Nothing of the bodies.
    let bench = c.get(&format!("/api/takes/{id}/bench")).await;
    assert_eq!(bench["marks"]["poses"], json!([]));
    let p = Performance::new(s).unwrap();
    let camera = p.phone(0).camera();
    let mut entries = vec![
        json!({"do": "name_figure", "chart": s.chart, "repetitions": s.repetitions}),
        json!({"do": "set_count", "count": {"from": "tempo", "bpm": s.bpm, "one": (s.lead_in * 1e6) as i64}}),
        json!({"do": "size_floor", "length": s.reference[0], "width": s.reference[1]}),
    ];
    let [l, w] = s.reference.map(|v| v / 2.0);
    for (i, [x, y]) in [[-l, -w], [l, -w], [l, w], [-l, w]].into_iter().enumerate() {
        let q = camera.project([x, y, 0.0].into()).unwrap();
        entries.push(json!({"do": "mark_floor", "point": i, "pixel": [q.x, q.y]}));
    }
    let path = format!("/api/takes/{id}/marks");
    let body = Some(json!({ "entries": entries }));
    let (status, marked) = c.send(Method::POST, &path, body, Some(0)).await;
    assert_eq!(status, 200, "{marked}");

    let (status, brought) = put_text(c, landmarks_of(h, &id), found(&p)).await;
    assert_eq!(status, 200, "{brought}");
    (id, brought)
}

#[tokio::test(flavor = "multi_thread")]
async fn landmarks_of_another_program_are_brought_measured_and_taken_away() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (id, brought) = brought(&h, &c, &scenario()).await;
    assert!(
        brought["landmarks"][0].as_u64().unwrap() > 1_000,
        "{brought}"
    );
    let view = c.get(&format!("/api/takes/{id}")).await;
    assert_eq!(view["clip"]["landmarks"], "found.csv");

    // They are measured: hips and shoulders that nobody has marked.
    let bench = c.get(&format!("/api/takes/{id}/bench")).await;
    let many = |v: &Value, id: &str| {
        let all = v["measures"].as_array().unwrap();
        all.iter().filter(|m| m["id"] == id).count()
    };
    assert!(many(&bench["analysis"], "hips_behind") > 20);
    let table = c
        .client
        .get(format!("{}/api/takes/{id}/tables/measures.csv", h.url))
        .send()
        .await
        .unwrap();
    assert!(
        table.headers()["content-disposition"]
            .to_str()
            .unwrap()
            .contains("measures.csv")
    );
    let table = table.text().await.unwrap();
    assert!(
        table
            .lines()
            .filter(|l| l.starts_with("hips_behind,leader"))
            .count()
            > 10
    );
    for name in ["joints.csv", "leader.trc", "follower.trc"] {
        let url = format!("{}/api/takes/{id}/tables/{name}", h.url);
        let answer = c.client.get(url).send().await.unwrap();
        assert_eq!(answer.status(), 200, "{name}");
        assert!(answer.text().await.unwrap().contains("left_heel"), "{name}");
    }

    // Where a second phone would tell what this one cannot.
    let views = c.get(&format!("/api/takes/{id}/views")).await;
    let spots = views["spots"].as_array().unwrap();
    assert!(spots.len() >= 10);
    let side = views["numbers"]
        .as_array()
        .unwrap()
        .iter()
        .position(|n| n["id"] == "lean_side")
        .unwrap();
    assert_eq!(
        views["now"][side],
        Value::Null,
        "seen from the side, no lean to the side"
    );
    assert!(
        spots
            .iter()
            .any(|s| s["beside"][side].as_f64().is_some_and(|e| e < 2.0))
    );

    // The document goes out and is measured alike without the studio's database.
    let document = c
        .client
        .get(format!("{}/api/takes/{id}/document", h.url))
        .send()
        .await
        .unwrap()
        .text()
        .await
        .unwrap();
    let answer = c
        .client
        .post(format!("{}/api/measure", h.url))
        .header("x-csrf-token", &c.token)
        .header("content-type", "application/json")
        .body(document.clone())
        .send()
        .await
        .unwrap();
    assert_eq!(answer.status(), 200);
    let measured: Value = answer.json().await.unwrap();
    assert_eq!(
        many(&measured, "hips_behind"),
        many(&bench["analysis"], "hips_behind")
    );
    assert_eq!(measured["missing"], json!([null, null]));

    // What cannot be used is refused in words, and what was there stays.
    let csv = found(&Performance::new(&scenario()).unwrap());
    let url = landmarks_of(&h, &id);
    for (text, words) in [
        ("a,b\n1,2".to_owned(), "no column"),
        (csv.replace("leader", "cook"), "neither leader nor follower"),
        (
            "seconds,role,landmark,x_px,y_px\n900,leader,nose,1,2".to_owned(),
            "another clip",
        ),
    ] {
        let (status, problem) = put_text(&c, url.clone(), text).await;
        assert_eq!(status, 422, "{problem}");
        assert!(
            problem["detail"].as_str().unwrap().contains(words),
            "{problem}"
        );
    }
    let (status, _) = put_text(&c, url.replace("?file", "?angle=2&file"), csv.clone()).await;
    assert_eq!(status, 404);
    // Another studio neither sees nor changes them.
    let other = Coach::signed_in(&h, "other@hall.example").await;
    assert_eq!(put_text(&other, url.clone(), csv).await.0, 404);
    let path = format!("/api/takes/{id}/landmarks");
    assert_eq!(other.send(Method::DELETE, &path, None, None).await.0, 404);
    // Taken away, the bodies are gone again.
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 204);
    assert_eq!(c.send(Method::DELETE, &path, None, None).await.0, 404);
    let bench = c.get(&format!("/api/takes/{id}/bench")).await;
    assert_eq!(many(&bench["analysis"], "hips_behind"), 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_long_take_is_told_of_from_its_beginning_at_once() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let long = Scenario {
        repetitions: 14,
        phones: vec![Phone {
            size: [320, 180],
            fps: 12.5,
            ..Phone::default()
        }],
        ..scenario()
    };
    let (id, _) = brought(&h, &c, &long).await;
    let (first, whole) = (
        format!("/api/takes/{id}/bench?first=true"),
        format!("/api/takes/{id}/bench"),
    );
    // Whoever brought them waited for the whole take already.
    assert_eq!(c.get(&first).await["beginning"], Value::Null);

    // The next morning.
    let h = open(h.app.store().clone(), h.folder).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let look = c.get(&first).await;
    let many = look["beginning"].as_u64().unwrap();
    assert!((5..10).contains(&many), "{many}");
    let [early, all, again] = [look, c.get(&whole).await, c.get(&first).await];
    assert_eq!(early["version"], all["version"]);
    assert_eq!(early["analysis"]["count"], all["analysis"]["count"]);
    let last = |v: &Value| {
        let all = v["analysis"]["measures"].as_array().unwrap();
        let of = all.iter().map(|m| m["repetition"].as_u64().unwrap());
        of.max().unwrap() + 1
    };
    assert_eq!([last(&early), last(&all)], [many, 14]);
    assert_eq!(again["analysis"], all["analysis"]);
}
