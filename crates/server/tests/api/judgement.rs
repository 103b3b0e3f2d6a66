//! By what takes are judged, the studio's own entries, the log, and how often the coach agrees.

use super::*;

/// The judged fault of a role (none: the couple) in a bench view.
fn judged<'a>(bench: &'a Value, fault: &str, role: Option<&str>) -> Option<&'a Value> {
    let all = bench["analysis"]["judged"].as_array().unwrap();
    all.iter()
        .find(|j| j["fault"] == fault && j["role"].as_str() == role)
}

async fn couple(c: &Coach) -> Value {
    c.get("/api/couples").await[0].clone()
}

#[tokio::test]
async fn a_couples_school_and_own_band_judge_its_takes_at_once() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, _, take) = c.take().await;
    // Between what the usual band and what the school lets pass.
    let between = Scenario {
        faults: vec![Shown::new("P1", Role::Follower).of(6.0)],
        ..leaning()
    };
    let bench = c.mark(&take, &between).await;
    let lean = judged(&bench, "P1", Some("follower")).unwrap();
    assert_eq!(
        (&lean["showing"], &lean["band"]["fine"]),
        (&json!(4), &json!([null, 3.0]))
    );
    let put = |body: Value, version: i64, id: String| {
        let c = &c;
        async move {
            let path = format!("/api/couples/{id}/choices");
            c.send(Method::PUT, &path, Some(body), Some(version)).await
        }
    };
    let it = couple(&c).await;
    let (id, version) = (
        it["id"].as_str().unwrap().to_owned(),
        it["version"].as_i64().unwrap(),
    );
    let both = json!({"schools": {"stretch_by": "both"}});
    let (status, _) = put(both, version, id.clone()).await;
    assert_eq!(status, 200);
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    let lean = judged(&bench, "P1", Some("follower")).unwrap();
    assert_eq!(lean["band"]["fine"], json!([null, 8.0]));
    assert_eq!(
        lean["school"],
        json!({"topic": "stretch_by", "choice": "both"})
    );
    assert_eq!(lean["showing"], 0);
    // A band of the follower's own outranks the school and says why.
    let band = json!({"fine": [null, 15.0], "clear": [null, 20.0]});
    let own = json!({"bands": [{"fault": "P1", "role": "follower", "band": band, "reason": "a stiff back"}]});
    let (status, _) = put(own.clone(), version, id.clone()).await;
    assert_eq!(status, 412);
    let (status, _) = put(own, version + 1, id.clone()).await;
    assert_eq!(status, 200);
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    let lean = judged(&bench, "P1", Some("follower")).unwrap();
    assert_eq!(lean["showing"], 0);
    assert_eq!(lean["because"], json!(["Own band: a stiff back"]));
    let (status, said) = put(json!({"schools": {"arms": "wooden"}}), version + 2, id).await;
    assert_eq!(status, 422);
    assert!(
        said["detail"].as_str().unwrap().contains("wooden"),
        "{said}"
    );
}

#[tokio::test]
async fn an_entry_is_tried_kept_exported_and_taken_away() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, _, take) = c.take().await;
    c.mark(&take, &leaning()).await;
    let all = c.get("/api/faults").await;
    let p1 = all["faults"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["id"] == "P1")
        .unwrap();
    let mut entry = p1.clone();
    for added in ["own", "stands_in", "version"] {
        entry.as_object_mut().unwrap().remove(added);
    }
    entry["name"] = json!("Falls back");
    entry["band"] = json!({"fine": [null, 20.0], "clear": [null, 30.0]});
    let preview = c.post("/api/fault-preview", entry.clone()).await;
    let line = preview["lines"]
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["role"] == "follower")
        .unwrap();
    assert_eq!((&line["now"], &line["then"]), (&json!(4), &json!(0)));
    // Nothing is kept by looking.
    assert!(
        c.get("/api/fault-file").await["entries"]
            .as_array()
            .unwrap()
            .is_empty()
    );
    let path = "/api/faults/P1";
    let (status, kept) = c
        .send(Method::PUT, path, Some(entry.clone()), Some(0))
        .await;
    assert_eq!(status, 200);
    let mine = kept["faults"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["id"] == "P1")
        .unwrap();
    assert_eq!((&mine["own"], &mine["version"]), (&json!(true), &json!(1)));
    let (status, _) = c
        .send(Method::PUT, path, Some(entry.clone()), Some(0))
        .await;
    assert_eq!(status, 412);
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    assert_eq!(
        judged(&bench, "P1", Some("follower")).unwrap()["showing"],
        0
    );
    // Another studio judges as before, and can take the file in.
    let file = c.get("/api/fault-file").await;
    assert_eq!(file["entries"][0]["name"], "Falls back");
    let other = Coach::signed_in(&h, "other@hall.example").await;
    let theirs = other.get("/api/faults").await;
    assert!(!theirs.to_string().contains("Falls back"));
    let (status, theirs) = other
        .send(Method::PUT, "/api/fault-file", Some(file.clone()), None)
        .await;
    assert_eq!(status, 200);
    assert!(theirs.to_string().contains("Falls back"));
    let mut wrong = file;
    wrong["entries"][0]["measure"] = json!("mood");
    let (status, said) = other
        .send(Method::PUT, "/api/fault-file", Some(wrong), None)
        .await;
    assert_eq!(status, 422);
    assert!(
        said["detail"].as_str().unwrap().contains("“mood”"),
        "{said}"
    );
    let (status, _) = c.send(Method::DELETE, path, None, None).await;
    assert_eq!(status, 200);
    let (status, _) = c.send(Method::DELETE, path, None, None).await;
    assert_eq!(status, 404);
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    assert_eq!(
        judged(&bench, "P1", Some("follower")).unwrap()["showing"],
        4
    );
}

#[tokio::test]
async fn what_only_the_coach_sees_is_logged_found_again_and_keeps_its_history() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, follower, _, take) = c.take().await;
    c.mark(&take, &leaning()).await;
    let path = format!("/api/takes/{take}/decisions");
    let eye = |fault: &str, role: &str, grade: Value| json!({"fault": fault, "role": role, "verdict": "confirmed", "wish": {"grade": grade, "count": 2}});
    for refused in [
        eye("C11", "follower", Value::Null),
        eye("C11", "follower", json!(7)),
        // Only a leader leads.
        eye("C5", "follower", json!(2)),
    ] {
        let (status, _) = c.send(Method::POST, &path, Some(refused), None).await;
        assert_eq!(status, 422);
    }
    c.post(&path, eye("C11", "follower", json!(3))).await;
    c.post(
        &path,
        json!({"fault": "P1", "role": "follower", "verdict": "confirmed"}),
    )
    .await;
    // The tool looked at this and found it fine; the coach sees it all the same.
    let fine = c.post(&path, eye("P5", "leader", json!(1))).await;
    assert_eq!(judged(&fine, "P5", Some("leader")).unwrap()["showing"], 0);
    let log = |query: &'static str| {
        let c = &c;
        async move {
            let all = c.get(&format!("/api/log?{query}")).await;
            let faults = all
                .as_array()
                .unwrap()
                .iter()
                .map(|l| l["fault"].as_str().unwrap().to_owned());
            let mut faults: Vec<String> = faults.collect();
            faults.sort();
            (faults.join(" "), all)
        }
    };
    assert_eq!(log("").await.0, "C11 P1 P5");
    // By a word of the drill, of the fault's name, by area, role and state.
    assert_eq!(log("q=wall").await.0, "P1");
    assert_eq!(log("q=hooked").await.0, "C11");
    assert_eq!(log("area=connection").await.0, "C11");
    assert_eq!(log("role=leader").await.0, "P5");
    assert_eq!(log("state=holding").await.0, "");
    let (_, grip) = log("q=hooked").await;
    assert_eq!(
        (&grip[0]["value"], &grip[0]["unit"], &grip[0]["count"]),
        (&json!(3.0), &json!("grade"), &json!("2"))
    );
    let id = grip[0]["id"].as_str().unwrap();
    let change = json!({"cue": "Let the thumb rest.", "drill": grip[0]["drill"], "drill_step": 1, "recheck_on": null});
    let put = format!("/api/corrections/{id}");
    let (status, _) = c
        .send(Method::PUT, &put, Some(change), grip[0]["version"].as_i64())
        .await;
    assert_eq!(status, 200);
    let was = c.get(&format!("{put}/history")).await;
    assert_eq!(was.as_array().unwrap().len(), 1);
    assert_eq!(was[0]["cue"], grip[0]["cue"]);
    assert_eq!(log("q=thumb").await.0, "C11");
    let person = c.get(&format!("/api/log?person={follower}&q=rest")).await;
    assert_eq!(person.as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn the_tool_keeps_score_of_itself() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let none = c.get("/api/agreement").await;
    assert_eq!(none, json!({"faults": [], "calibration": []}));
    let (_, _, _, take) = c.take().await;
    c.mark(&take, &leaning()).await;
    let path = format!("/api/takes/{take}/decisions");
    c.post(
        &path,
        json!({"fault": "P1", "role": "follower", "verdict": "dismissed", "reason": "styling"}),
    )
    .await;
    // What only the coach saw is no score of the tool's.
    c.post(
        &path,
        json!({"fault": "C11", "role": "leader", "verdict": "confirmed", "wish": {"grade": 2}}),
    )
    .await;
    let score = c.get("/api/agreement").await;
    let faults = score["faults"].as_array().unwrap();
    assert_eq!(faults.len(), 1);
    let a = &faults[0]["agreement"];
    assert_eq!(
        (&faults[0]["fault"], &a["confirmed"], &a["dismissed"]),
        (&json!("P1"), &json!(0), &json!(1))
    );
    assert!(a["said"].as_f64().unwrap() > 0.9);
    assert_eq!(a["suggestion"], Value::Null);
    assert_eq!(score["calibration"][0]["of"], 1);
}

#[tokio::test]
async fn a_caution_note_meets_the_drills_that_touch_it() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, follower, _, take) = c.take().await;
    let bench = c.mark(&take, &leaning()).await;
    assert_eq!(bench["cautions"], json!([]));
    let person = c.get(&format!("/api/people/{follower}")).await;
    let person = person.get("person").unwrap_or(&person).clone();
    let noted = json!({
        "name": person["name"], "height": person["height"], "consent": person["consent"],
        "note": "Sore back since the summer",
    });
    let path = format!("/api/people/{follower}");
    let (status, _) = c
        .send(Method::PUT, &path, Some(noted), person["version"].as_i64())
        .await;
    assert_eq!(status, 200);
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    let caution = &bench["cautions"][0];
    assert_eq!(
        (&caution["role"], &caution["note"], &caution["figure"]),
        (
            &json!("follower"),
            &json!("Sore back since the summer"),
            &json!(false)
        )
    );
    let faults = caution["faults"].as_array().unwrap();
    assert!(
        faults.contains(&json!("P1")) && !faults.contains(&json!("S12")),
        "{faults:?}"
    );
}
