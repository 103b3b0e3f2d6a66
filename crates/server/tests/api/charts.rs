//! Figures of a studio's own, their exchange, and routines.

use super::*;

/// A figure that passes.
pub const SIDE_STEPS: &str = "figure side-steps: Side steps
  dance: Carolina shag
  about: Two side steps, without turning.
  good for: Keeping the frame over the feet.
  practice: both
  tempo: 100-120
  start: closed
  gap: 34 cm
  holds: L-R R>shoulder-blade upper-arm<L
  1 | L step left 30% | R step right 30% |
  2 | R close         | L close          |
  3 | L step left 30% | R step right 30% |
  4 | R close         | L close          |
";

/// A routine of figures of the library, each once.
pub fn routine(figures: &[&str]) -> Value {
    let items: Vec<Value> = figures
        .iter()
        .map(|f| json!({"chart": f, "times": 1}))
        .collect();
    json!({"name": "Spring", "plan": {
        "tempo": 120, "meter": 4, "phrase": 8, "floor": [10, 8], "start": [5, 4], "facing": 0,
        "heights": [1.8, 1.66], "items": items,
    }})
}

async fn coach() -> (House, Coach) {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    (h, c)
}

#[tokio::test]
async fn an_own_figure_is_checked_kept_and_changed() {
    let (_h, c) = coach().await;
    let wrong = SIDE_STEPS.replace("2 | R close         |", "2 | L close         |");
    let found = c.post("/api/charts/check", json!({ "text": wrong })).await;
    assert_eq!(found["sound"], false);
    let first = &found["problems"][0];
    assert_eq!(
        (
            &first["rule"],
            &first["role"],
            &first["count"],
            &first["line"]
        ),
        (&json!("weight"), &json!("leader"), &json!(1), &json!(11))
    );
    assert!(first["sentence"].as_str().unwrap().contains("left foot"));
    // Nothing was kept by checking.
    let before = c.get("/api/charts").await.as_array().unwrap().len();

    // A figure with mistakes is kept, and says so; it cannot be danced.
    let kept = c.post("/api/charts", json!({ "text": wrong })).await;
    assert_eq!(kept["card"]["sound"], false);
    assert_eq!(kept["text"], wrong);
    let list = c.get("/api/charts").await;
    assert_eq!(list.as_array().unwrap().len(), before + 1);
    let (status, problem) = c
        .send(
            Method::GET,
            "/api/charts/side-steps/scaled?leader=1.8",
            None,
            None,
        )
        .await;
    assert_eq!(status, 404, "{problem}");

    // The offered mending, where there is one, gives a text with one problem less at that row.
    let version = kept["version"].as_i64();
    let put = |text: &str, version| {
        let body = json!({ "text": text });
        let c = &c;
        async move {
            c.send(Method::PUT, "/api/charts/side-steps", Some(body), version)
                .await
        }
    };
    let (status, view) = put(SIDE_STEPS, version).await;
    assert_eq!(status, 200, "{view}");
    assert_eq!(
        (&view["card"]["sound"], &view["problems"]),
        (&json!(true), &json!([]))
    );
    assert_eq!(view["card"]["facts"]["beats"], 4);
    // A second window still holds the version before.
    let (status, problem) = put(&wrong, version).await;
    assert_eq!(status, 412, "{problem}");
    // Another short name in the text would be another figure.
    let renamed = SIDE_STEPS.replace("side-steps", "other-steps");
    let (status, problem) = put(&renamed, view["version"].as_i64()).await;
    assert_eq!(status, 422, "{problem}");
    // The same name twice, a name of the library, and no name.
    for (text, words) in [
        (SIDE_STEPS.to_owned(), "there already"),
        (
            SIDE_STEPS.replace("side-steps", "shag-basic"),
            "of the library",
        ),
        (SIDE_STEPS.replace("side-steps", "Side Steps"), "short name"),
        (String::new(), "Begin the text"),
        ("x".repeat(50_001), "50000"),
    ] {
        let (status, problem) = c
            .send(
                Method::POST,
                "/api/charts",
                Some(json!({ "text": text })),
                None,
            )
            .await;
        assert!(status.is_client_error(), "{status}");
        let detail = problem["detail"].as_str().unwrap();
        assert!(detail.contains(words), "{detail}");
    }
    let (status, _) = c
        .send(
            Method::DELETE,
            "/api/charts/side-steps",
            None,
            view["version"].as_i64(),
        )
        .await;
    assert_eq!(status, 204);
    assert_eq!(c.get("/api/charts").await.as_array().unwrap().len(), before);
}

#[tokio::test]
async fn a_figure_goes_out_and_comes_back_in_both_forms() {
    let (_h, c) = coach().await;
    c.post("/api/charts", json!({ "text": SIDE_STEPS })).await;
    for form in ["text", "json"] {
        let answer = c
            .client
            .get(format!(
                "{}/api/charts/side-steps/document?form={form}",
                c.url
            ))
            .send()
            .await
            .unwrap();
        let name = answer.headers()["content-disposition"].to_str().unwrap();
        assert!(name.contains("side-steps."), "{name}");
        let document = answer.text().await.unwrap();
        let (status, problem) = c
            .send(
                Method::POST,
                "/api/charts/import",
                Some(json!({ "document": document })),
                None,
            )
            .await;
        assert_eq!(status, 409, "{problem}");
        let renamed = document.replace("side-steps", &format!("steps-{form}"));
        let done = c
            .post("/api/charts/import", json!({ "document": renamed }))
            .await;
        assert_eq!(done["ids"], json!([format!("steps-{form}")]));
        let view = c.get(&format!("/api/charts/steps-{form}")).await;
        assert_eq!(
            view["text"],
            SIDE_STEPS.replace("side-steps", &format!("steps-{form}"))
        );
    }
    // All or none: the second one is there already.
    let both = format!(
        "{}\n{SIDE_STEPS}",
        SIDE_STEPS.replace("side-steps", "new-steps")
    );
    let (status, _) = c
        .send(
            Method::POST,
            "/api/charts/import",
            Some(json!({ "document": both })),
            None,
        )
        .await;
    assert_eq!(status, 409);
    let (status, _) = c
        .send(Method::GET, "/api/charts/new-steps", None, None)
        .await;
    assert_eq!(status, 404);
    for (document, words) in [
        ("figure a: b\n  dance: X\n  1 | Q step |\n", "line"),
        ("{\"format\": 3}", "expected a string"),
        ("", "1 to 200"),
    ] {
        let (status, problem) = c
            .send(
                Method::POST,
                "/api/charts/import",
                Some(json!({ "document": document })),
                None,
            )
            .await;
        assert_eq!(status, 422, "{problem}");
        let detail = problem["detail"].as_str().unwrap().to_lowercase();
        assert!(detail.contains(words), "{detail}");
    }
}

#[tokio::test]
async fn a_draft_is_written_as_the_text_it_came_from() {
    let (_h, c) = coach().await;
    let found = c
        .post("/api/charts/check", json!({ "text": SIDE_STEPS }))
        .await;
    let mut draft = found["sketch"]["draft"].clone();
    let written = c.post("/api/charts/write", draft.clone()).await;
    assert_eq!(written["text"], SIDE_STEPS);
    draft["leader"][0]["turn"] = json!(2);
    let written = c.post("/api/charts/write", draft.clone()).await;
    assert!(
        written["text"]
            .as_str()
            .unwrap()
            .contains("L step left 30% <2/8")
    );
    draft["leader"][0]["does"] = json!("fly");
    let (status, problem) = c
        .send(Method::POST, "/api/charts/write", Some(draft), None)
        .await;
    assert!(status.is_client_error(), "{problem}");
}

#[tokio::test]
async fn figures_are_scaled_to_people() {
    let (_h, c) = coach().await;
    let alone = c.get("/api/charts/bolero-basic/scaled?follower=1.6").await;
    assert_eq!(alone["trails"][0], json!(null));
    assert_eq!(alone["gap"], json!(null));
    // 60 % of a step of 0.41 H.
    let first = alone["steps"][1][0]["length"].as_f64().unwrap();
    assert!((first - 0.6 * 0.41 * 1.6).abs() < 1e-9, "{first}");
    let couple = c
        .get("/api/charts/bolero-left-turn/scaled?leader=1.8&follower=1.7&second=true")
        .await;
    assert!(
        couple["reasons"][0].as_str().unwrap().contains("72 cm"),
        "{couple}"
    );
    for (query, words) in [
        ("", "at least one height"),
        ("?leader=3", "between 100 and 230"),
        ("?leader=tall", ""),
        ("?height=1.7", ""),
    ] {
        let path = format!("/api/charts/bolero-basic/scaled{query}");
        let (status, problem) = c.send(Method::GET, &path, None, None).await;
        assert!(status.is_client_error(), "{query} {status}");
        assert!(
            problem["detail"].as_str().unwrap().contains(words),
            "{problem}"
        );
    }
}

#[tokio::test]
async fn a_take_dances_an_own_figure() {
    let (_h, c) = coach().await;
    c.post("/api/charts", json!({ "text": SIDE_STEPS })).await;
    let (_, _, _, take) = c.take().await;
    let name = |chart: &str, version| {
        let command = upright_core::marks::MarkCommand::NameFigure {
            chart: chart.into(),
            repetitions: 2,
        };
        let body = json!({ "entries": [Entry::Command(command)] });
        let path = format!("/api/takes/{take}/marks");
        let c = &c;
        async move { c.send(Method::POST, &path, Some(body), version).await }
    };
    let (status, bench) = name("side-steps", Some(0)).await;
    assert_eq!(status, 200, "{bench}");
    assert_eq!(bench["marks"]["chart"], "side-steps");
    let (status, _) = name("no-such-figure", bench["version"].as_i64()).await;
    assert!(status.is_client_error());
    // While a take dances it, it stays.
    let view = c.get("/api/charts/side-steps").await;
    let (status, problem) = c
        .send(
            Method::DELETE,
            "/api/charts/side-steps",
            None,
            view["version"].as_i64(),
        )
        .await;
    assert_eq!(status, 409, "{problem}");
}

#[tokio::test]
async fn a_routine_names_its_joints_and_keeps_its_versions() {
    let (_h, c) = coach().await;
    let kept = c
        .post(
            "/api/routines",
            routine(&["wcs-push", "wcs-arm-lock", "wcs-whip"]),
        )
        .await;
    let path = format!("/api/routines/{}", kept["id"].as_str().unwrap());
    let view = c.get(&path).await;
    let report = &view["report"];
    // One hand is held where the arm-lock begins with two: a change of hands is offered.
    assert_eq!(report["joints"][0]["feet"], true);
    assert_eq!(report["joints"][0]["holds"], false);
    assert!(!report["joints"][0]["change"].as_array().unwrap().is_empty());
    // Out of the arm-lock first, in six counts.
    assert_eq!(report["joints"][1]["position"], false);
    let bridge = &report["bridges"][1][0];
    assert_eq!(bridge["beats"], 6);
    let through = bridge["items"][0]["chart"].as_str().unwrap();
    assert!(through.starts_with("wcs-arm-lock-"), "{through}");

    let mut better = routine(&["wcs-push", "wcs-arm-lock", through, "wcs-whip"]);
    better["plan"]["items"][1]["change"] = report["joints"][0]["change"].clone();
    better["plan"]["items"][3]["change"] = bridge["last_change"].clone();
    let (status, view) = c
        .send(
            Method::PUT,
            &path,
            Some(better.clone()),
            kept["version"].as_i64(),
        )
        .await;
    assert_eq!(status, 200, "{view}");
    for joint in view["report"]["joints"].as_array().unwrap() {
        for what in ["feet", "position", "holds", "facing"] {
            assert_eq!(joint[what], true, "{joint}");
        }
    }
    assert_eq!(view["report"]["beats"], 6 + 6 + 6 + 8);
    let (status, problem) = c
        .send(Method::PUT, &path, Some(better), kept["version"].as_i64())
        .await;
    assert_eq!(status, 412, "{problem}");

    let mut bad = routine(&["shag-basic"]);
    bad["plan"]["tempo"] = json!(10);
    let (status, problem) = c.send(Method::POST, "/api/routines", Some(bad), None).await;
    assert_eq!(status, 422);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("between 40 and 300")
    );
    // A figure that is gone is told, and the routine stays.
    let gone = c.post("/api/routines", routine(&["not-there"])).await;
    let view = c
        .get(&format!("/api/routines/{}", gone["id"].as_str().unwrap()))
        .await;
    assert_eq!(view["report"], json!(null));
    assert!(view["trouble"].as_str().unwrap().contains("not-there"));
    let empty = c.post("/api/routines", json!({"name": " Autumn "})).await;
    assert_eq!(
        (&empty["name"], &empty["plan"]["items"]),
        (&json!("Autumn"), &json!([]))
    );
    assert_eq!(c.get("/api/routines").await.as_array().unwrap().len(), 3);
    let (status, _) = c
        .send(
            Method::DELETE,
            &path,
            None,
            view["routine"]["version"].as_i64(),
        )
        .await;
    assert_eq!(status, 412, "the first one has been saved once");
}
