//! Clips that come in piece by piece: broken off, gone on with, refused, recognised.

use super::*;

impl Coach {
    /// Begins, or goes on with, the upload of a file of so many bytes.
    async fn begin(&self, take: &str, name: &str, bytes: usize) -> (StatusCode, Value) {
        let file =
            json!({"angle": 1, "file_name": name, "bytes": bytes, "changed": 1_790_000_000_000u64});
        let path = format!("/api/takes/{take}/uploads");
        self.send(Method::POST, &path, Some(file), None).await
    }

    async fn piece(&self, id: &str, from: usize, piece: &[u8]) -> (StatusCode, Value) {
        let answer = self
            .client
            .put(format!("{}/api/uploads/{id}?from={from}", self.url))
            .header("x-csrf-token", &self.token)
            .body(piece.to_vec())
            .send()
            .await
            .unwrap();
        let status = answer.status();
        (status, answer.json().await.unwrap_or(Value::Null))
    }

    async fn end(&self, id: &str, again: bool) -> (StatusCode, Value) {
        let path = format!("/api/uploads/{id}/end?again={again}");
        self.send(Method::POST, &path, None, None).await
    }

    /// Brings a whole film in two pieces; what its end answers, with its id.
    async fn bring(&self, take: &str, film: &[u8]) -> (String, StatusCode, Value) {
        let (_, upload) = self.begin(take, "film.mp4", film.len()).await;
        let id = upload["id"].as_str().unwrap().to_owned();
        let half = film.len() / 2;
        self.piece(&id, 0, &film[..half]).await;
        self.piece(&id, half, &film[half..]).await;
        let (status, body) = self.end(&id, false).await;
        (id, status, body)
    }
}

/// Pieces that lie among the blobs.
fn pieces(h: &House) -> usize {
    let of = |folder: std::path::PathBuf| std::fs::read_dir(folder).into_iter().flatten().flatten();
    of(h.folder.path().join("blobs/incoming"))
        .map(|upload| of(upload.path()).count())
        .sum()
}

#[tokio::test]
async fn a_broken_upload_goes_on_where_it_stopped() {
    let h = house(&["coach@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    let bytes = film(&small(), h.folder.path()).await;
    let n = bytes.len();
    let (status, upload) = c.begin(&take, "a/b/practice.mp4", n).await;
    assert_eq!(
        (status, &upload["received"]),
        (StatusCode::OK, &json!(0)),
        "{upload}"
    );
    assert_eq!(upload["file_name"], "practice.mp4");
    let id = upload["id"].as_str().unwrap();
    let (_, now) = c.piece(id, 0, &bytes[..5_000]).await;
    assert_eq!(now["received"], 5_000);

    // The connection breaks in the middle of a piece: nothing of it counts.
    let broken = futures::stream::iter([
        Ok(bytes[5_000..6_000].to_vec()),
        Err(std::io::Error::other("the hall's wireless")),
    ]);
    let sent = c
        .client
        .put(format!("{}/api/uploads/{id}?from=5000", c.url))
        .header("x-csrf-token", &c.token)
        .body(reqwest::Body::wrap_stream(broken))
        .send()
        .await;
    assert!(sent.is_err(), "{sent:?}");
    let now = c.get(&format!("/api/uploads/{id}")).await;
    assert_eq!((&now["received"], pieces(&h)), (&json!(5_000), 1));

    // Sent again, sent too far ahead, or announced again after a reload: it stands where it stood.
    for (from, to) in [(0, 5_000), (9_000, 9_500)] {
        let (status, now) = c.piece(id, from, &bytes[from..to]).await;
        assert_eq!((status, &now["received"]), (StatusCode::OK, &json!(5_000)));
    }
    let (_, same) = c.begin(&take, "practice.mp4", n).await;
    assert_eq!(
        (&same["id"], &same["received"]),
        (&json!(id), &json!(5_000))
    );
    let half = c.get(&format!("/api/takes/{take}/uploads")).await;
    assert_eq!(half[0]["id"], json!(id));
    let (status, problem) = c.end(id, false).await;
    assert_eq!(status, 422);
    assert!(problem["detail"].as_str().unwrap().starts_with("5000 of"));

    // Two windows send the rest at once: it counts once.
    let ((one, _), (two, _)) = tokio::join!(
        c.piece(id, 5_000, &bytes[5_000..]),
        c.piece(id, 5_000, &bytes[5_000..])
    );
    assert_eq!((one, two), (StatusCode::OK, StatusCode::OK));
    assert_eq!(pieces(&h), 2);
    let (status, clip) = c.end(id, false).await;
    assert_eq!(status, 202, "{clip}");
    assert_eq!(pieces(&h), 0);
    assert_eq!(
        c.get(&format!("/api/takes/{take}/uploads")).await,
        json!([])
    );
    let clip = c.prepared(&take).await;
    assert_eq!(
        (&clip["state"], &clip["file_name"]),
        (&json!("ready"), &json!("practice.mp4"))
    );
    let frames = Performance::new(&small()).unwrap().frame_times(0).len();
    assert_eq!(clip["frames"].as_array().unwrap().len(), frames);
}

#[tokio::test]
async fn a_film_that_is_here_already_is_recognised() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (_, _, couple, first) = c.take().await;
    let second = c
        .post(
            "/api/takes",
            json!({"couple_id": couple, "held_on": "2026-03-08", "place": "Hall"}),
        )
        .await;
    let second = second["id"].as_str().unwrap();
    let bytes = film(&small(), h.folder.path()).await;
    assert_eq!(c.bring(&first, &bytes).await.1, 202);
    let (id, status, problem) = c.bring(second, &bytes).await;
    assert_eq!(
        (status.as_u16(), &problem["take"]),
        (409, &json!(first)),
        "{problem}"
    );
    let said = problem["detail"].as_str().unwrap();
    assert!(
        said.contains("Nell Ashby and Ivo Marsh, take 1 of 2026-03-07"),
        "{said}"
    );
    // It need not be sent once more to be used once more.
    assert_eq!(c.end(&id, true).await.0, 202);
    assert_eq!(c.prepared(second).await["state"], "ready");

    // Another studio is not told who else has it.
    let other = Coach::signed_in(&h, "other@hall.example").await;
    let (.., theirs) = other.take().await;
    assert_eq!(other.bring(&theirs, &bytes).await.1, 202);
}

#[tokio::test]
async fn uploads_that_make_no_sense_are_refused() {
    let h = house(&["coach@hall.example", "other@hall.example"]).await;
    let c = Coach::signed_in(&h, "coach@hall.example").await;
    let (.., take) = c.take().await;
    for (bytes, status) in [(0, 422), (3_000_001, 413)] {
        assert_eq!(c.begin(&take, "film.mp4", bytes).await.0, status);
    }
    let second = json!({"angle": 2, "file_name": "a.mp4", "bytes": 9, "changed": 0});
    let path = format!("/api/takes/{take}/uploads");
    let (status, problem) = c.send(Method::POST, &path, Some(second), None).await;
    assert_eq!(status, 422, "{problem}");
    assert!(problem["detail"].as_str().unwrap().contains("first angle"));

    let (_, upload) = c.begin(&take, "notes.mp4", 1_000).await;
    let id = upload["id"].as_str().unwrap();
    for (from, piece) in [(0, 0), (0, 1_001), (999, 2), (usize::MAX >> 1, 1)] {
        assert_eq!(
            c.piece(id, from, &vec![1; piece]).await.0,
            422,
            "{from} {piece}"
        );
    }
    let (status, _) = c.piece(id, 0, &vec![1; 9 << 20]).await;
    assert_eq!(status, 413);
    let other = Coach::signed_in(&h, "other@hall.example").await;
    assert_eq!(other.piece(id, 0, b"x").await.0, 404);
    assert_eq!(other.end(id, false).await.0, 404);
    assert_eq!(other.begin(&take, "film.mp4", 9).await.0, 404);

    // What turns out to be no film is said and forgotten.
    assert_eq!(c.piece(id, 0, &[b'x'; 1_000]).await.0, 200);
    let (status, problem) = c.end(id, false).await;
    assert_eq!(status, 422);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("MP4, MOV or WebM")
    );
    assert_eq!(pieces(&h), 0);
    assert_eq!(c.end(id, false).await.0, 404);
}
