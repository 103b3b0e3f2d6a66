//! The floor reference with less clicking: corners near rough clicks, and a phone that was not moved.

use super::*;

/// One repetition seen by a phone at this bearing; without noise of the picture's size.
fn seen_from(bearing: f64) -> Scenario {
    Scenario {
        repetitions: 1,
        phones: vec![Phone {
            size: [960, 540],
            fps: 25.0,
            bearing,
            ..Phone::default()
        }],
        ..Scenario::default()
    }
}

async fn another(c: &Coach, couple: &str, held_on: &str, place: &str) -> String {
    let take = json!({"couple_id": couple, "held_on": held_on, "place": place});
    let take = c.post("/api/takes", take).await;
    take["id"].as_str().unwrap().to_owned()
}

#[tokio::test]
async fn a_rough_click_becomes_a_corner() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let path = format!("/api/takes/{take}/corner");
    let click =
        |pixel: [f64; 2], angle: i64| json!({"angle": angle, "at": 200_000, "pixel": pixel});
    let early = c
        .send(Method::POST, &path, Some(click([9.0, 9.0], 1)), None)
        .await;
    assert_eq!(early.0, 404);
    let scenario = seen_from(0.0);
    c.upload(&take, "film.mp4", film(&scenario, h.folder.path()).await)
        .await;
    assert_eq!(c.prepared(&take).await["state"], "ready");

    let camera = scenario.phones[0].camera();
    let mut found = 0;
    for (place, off) in [
        ([-1.0, -0.5], [3.0, -3.0]),
        ([1.0, -0.5], [-4.0, 2.0]),
        ([1.0, 0.5], [2.0, 3.0]),
        ([-1.0, 0.5], [-2.0, -4.0]),
    ] {
        let p = camera.project([place[0], place[1], 0.0].into()).unwrap();
        let near = c.post(&path, click([p.x + off[0], p.y + off[1]], 1)).await;
        // A dancer may stand on one of them.
        let Some(x) = near["pixel"][0].as_f64() else {
            continue;
        };
        let y = near["pixel"][1].as_f64().unwrap();
        let missed = (x - p.x).hypot(y - p.y);
        assert!(missed < 2.2, "{place:?}: {missed} pixels off");
        assert!((0.2..2.0).contains(&near["sigma"].as_f64().unwrap()));
        found += 1;
    }
    assert!(found >= 3, "{found} of 4 corners");
    // Nothing of it is marked, and where there is no corner none is made up.
    let bench = c.get(&format!("/api/takes/{take}/bench")).await;
    assert_eq!(bench["version"], 0);
    for nowhere in [[-40.0, 10.0], [1e9, 5.0]] {
        let near = c.post(&path, click(nowhere, 1)).await;
        assert_eq!(near, json!({"pixel": null, "sigma": null}), "{nowhere:?}");
    }
    assert_eq!(
        c.send(Method::POST, &path, Some(click([9.0, 9.0], 3)), None)
            .await
            .0,
        404
    );
    let other = Coach::signed_in(&h, "other@hall.example").await;
    assert_eq!(
        other
            .send(Method::POST, &path, Some(click([9.0, 9.0], 1)), None)
            .await
            .0,
        404
    );

    // A film without sound has no waveform, which is no fault.
    let wave = c.get(&format!("/api/takes/{take}/waveform")).await;
    assert_eq!(wave, json!({"step": 20_000, "levels": []}));
}

#[tokio::test]
async fn the_reference_of_a_phone_that_stands_still_is_offered() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, couple, first) = c.take().await;
    let scenario = seen_from(0.0);
    let bytes = film(&scenario, h.folder.path()).await;
    c.upload(&first, "first.mp4", bytes).await;
    c.prepared(&first).await;
    c.mark(&first, &scenario).await;

    // The same phone on another couple's dance; moved by a step; and in another hall.
    let again = Scenario {
        seed: 99,
        heights: [1.74, 1.58],
        ..seen_from(0.0)
    };
    let moved = seen_from(12.0);
    for (scenario, place, offered) in [
        (&again, "Hall", true),
        (&moved, "Hall", false),
        (&again, "Barn", false),
    ] {
        let take = another(&c, &couple, "2026-03-07", place).await;
        let bytes = film(scenario, h.folder.path()).await;
        let part = multipart::Part::bytes(bytes).file_name("film.mp4");
        let sent = c
            .client
            .post(format!("{}/api/takes/{take}/clip?again=true", h.url))
            .header("x-csrf-token", &c.token)
            .multipart(multipart::Form::new().part("clip", part))
            .send()
            .await
            .unwrap();
        assert_eq!(sent.status(), 202);
        c.prepared(&take).await;
        let before = c
            .get(&format!("/api/takes/{take}/floor-before?angle=1"))
            .await;
        assert_eq!(before.is_object(), offered, "{place}: {before}");
        if offered {
            assert_eq!(before["take"], json!(first));
            assert_eq!(before["reference"]["length"], 2.0);
            let [kept, of] = [0, 1].map(|i| before["kept"][i].as_u64().unwrap());
            assert!(of == 8 && kept >= 6, "{kept} of {of}");
        }
    }
    let (status, _) = c
        .send(
            Method::GET,
            &format!("/api/takes/{first}/floor-before?angle=2"),
            None,
            None,
        )
        .await;
    assert_eq!(status, 404);
}
