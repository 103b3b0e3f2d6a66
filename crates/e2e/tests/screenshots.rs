//! Pictures of every main view from the demo studio. Run by `make screenshots`; not part of the tests.
//! UPRIGHT_SHOWN uses a demo that is running already; UPRIGHT_VIEWS takes only the views named.

use std::path::PathBuf;
use std::process::Stdio;

use tokio::io::{AsyncBufReadExt as _, BufReader};
use tokio::process::{Child, Command};
use upright_e2e::Browser;
use upright_store::testing::CLUSTER;

/// Views that are looked at when they are named, and not kept.
const ASIDE: [&str; 8] = [
    "takes",
    "studio",
    "routine-sheet",
    "log",
    "bench-floor",
    "lessons",
    "settings",
    "mark-again",
];

const EMAIL: &str = "marit@saltmarsh.example";
const PASSWORD: &str = "low-tide-social";

/// Starts the program with the demo on a folder of its own and returns its address.
async fn demo(folder: &std::path::Path) -> anyhow::Result<(String, Child)> {
    let root = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut child = Command::new(root.join("target/debug/upright-pair"))
        .args(["serve", "--demo", "--port", "0", "--data"])
        .arg(folder)
        .arg("--web")
        .arg(root.join("web/dist"))
        .arg("--models")
        .arg(root.join("models/files"))
        .env("DATABASE_URL", std::env::var(CLUSTER)?)
        .stdout(Stdio::piped())
        .kill_on_drop(true)
        .spawn()?;
    let out = child
        .stdout
        .take()
        .ok_or_else(|| anyhow::anyhow!("no output"))?;
    let mut lines = BufReader::new(out).lines();
    while let Some(line) = lines.next_line().await? {
        if let Some((_, url)) = line.split_once("ready at ") {
            let url = url.to_owned();
            tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
            return Ok((url, child));
        }
    }
    anyhow::bail!("the demo did not start")
}

#[tokio::test]
#[ignore = "takes pictures; run by make screenshots"]
async fn take_pictures() -> anyhow::Result<()> {
    let folder = tempfile::tempdir()?;
    let mut running = None;
    let url = match std::env::var("UPRIGHT_SHOWN") {
        Ok(url) => url,
        Err(_) => {
            let (url, child) = demo(folder.path()).await?;
            running = Some(child);
            url
        }
    };
    let out = PathBuf::from(std::env::var("UPRIGHT_SCREENSHOTS")?);
    let only = std::env::var("UPRIGHT_VIEWS").ok();
    let wanted = |name: &str| match &only {
        Some(named) => named.split(',').any(|v| v == name),
        None => !ASIDE.contains(&name),
    };
    let b = Browser::start().await?;
    b.client.goto(&url).await?;
    b.sees("Sign in").await?;
    b.sign_in(&url, EMAIL, PASSWORD).await?;
    if wanted("today") {
        b.picture(&out.join("today.png")).await?;
    }
    for (view, path, text) in [
        ("people", "/people", "Couples"),
        ("takes", "/takes", "Preparation"),
        ("faults", "/faults?fault=K3", "May come from"),
        ("charts", "/charts", "Pass and change ends"),
        ("studio", "/takes/studio", "Basic, six counts"),
        ("chart", "/charts/figure/lindy-swing-out-open", "Rhythm"),
    ] {
        if wanted(view) {
            b.client.goto(&format!("{url}{path}")).await?;
            b.sees(text).await?;
            if view == "studio" {
                b.press("Add a fault of the follower").await?;
                b.sees("P1 Leans back").await?;
            }
            b.picture(&out.join(format!("{view}.png"))).await?;
        }
    }
    if wanted("chart-editor") {
        b.client
            .goto(&format!("{url}/charts/new?from=shag-turn"))
            .await?;
        b.sees("passes every check").await?;
        b.css("[data-cell='3-follower']").await?;
        // One foot twice, as it happens while typing.
        b.type_over("R in-place >3/8", "L in-place >3/8").await?;
        b.sees("to mend").await?;
        b.picture(&out.join("chart-editor.png")).await?;
        b.client.execute("localStorage.clear()", Vec::new()).await?;
    }
    for view in ["routine", "routine-sheet"] {
        if wanted(view) {
            b.client.goto(&format!("{url}/charts/routines")).await?;
            b.press("Showcase, first draft").await?;
            b.sees("Put between").await?;
            if view == "routine" {
                b.key("j").await?;
                b.picture(&out.join("routine.png")).await?;
            } else {
                b.press("Sheet").await?;
                b.sees("Leader faces").await?;
                b.picture(&out.join("routine-sheet.png")).await?;
            }
        }
    }
    if wanted("progress") || wanted("log") {
        b.client.goto(&format!("{url}/people")).await?;
        b.xpath("//a[.='Idris Vane']").await?.click().await?;
        b.sees("Log").await?;
        b.sees("look again").await?;
        if wanted("log") {
            b.picture(&out.join("log.png")).await?;
        }
        b.xpath("//main//a[.='Progress']").await?.click().await?;
        b.sees("The answer").await?;
        if wanted("progress") {
            b.picture(&out.join("progress.png")).await?;
        }
    }
    // The first couple's follower, whose first and newest takes are filmed.
    let person = b
        .script(
            "return (async () => (await (await fetch('/api/people')).json())
                 .find((p) => p.name === 'Idris Vane').id)()",
        )
        .await?;
    let person = person.as_str().unwrap_or_default().to_owned();
    for (view, path, text) in [
        ("plan", "/plan".to_owned(), "In your own calendar"),
        ("lessons", "/plan/lessons".to_owned(), "A new lesson"),
        (
            "practice",
            format!("/plan/practice/{person}"),
            "What is practised",
        ),
        ("settings", "/settings".to_owned(), "Export and backup"),
    ] {
        if wanted(view) {
            b.client.goto(&format!("{url}{path}")).await?;
            b.sees(text).await?;
            b.picture(&out.join(format!("{view}.png"))).await?;
        }
    }
    if wanted("mark-again") {
        b.client.goto(&format!("{url}/settings")).await?;
        b.press("Mark four frames again").await?;
        b.sees("Frame 1 of 4").await?;
        b.until(
            "the frame",
            "return document.querySelector('video')?.readyState >= 2",
        )
        .await?;
        tokio::time::sleep(std::time::Duration::from_millis(800)).await;
        b.picture(&out.join("mark-again.png")).await?;
    }
    if wanted("lesson") {
        b.client.goto(&format!("{url}/plan/lessons")).await?;
        b.press("Open").await?;
        b.sees("What I see").await?;
        b.press("Start").await?;
        b.press("Next").await?;
        b.sees("Target").await?;
        b.picture(&out.join("lesson.png")).await?;
    }
    if wanted("then-and-now") {
        b.client.goto(&format!("{url}/progress/{person}")).await?;
        b.press("Then and now").await?;
        b.until(
            "both films",
            "const v = [...document.querySelectorAll('video')];
             return v.length === 2 && v.every((x) => x.readyState >= 2)",
        )
        .await?;
        for _ in 0..6 {
            b.key("ArrowRight").await?;
        }
        tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
        b.picture(&out.join("then-and-now.png")).await?;
    }
    if wanted("sheet") {
        b.client
            .goto(&format!("{url}/people/{person}/sheet"))
            .await?;
        b.sees("Your week").await?;
        // The film waits to be played; until then its still stands there.
        b.until(
            "the still",
            "const poster = document.querySelector('video')?.poster;
             return performance.getEntriesByName(poster).some((e) => e.responseEnd > 0)",
        )
        .await?;
        tokio::time::sleep(std::time::Duration::from_millis(800)).await;
        b.picture(&out.join("sheet.png")).await?;
    }
    if wanted("bench-fresh") {
        b.client.goto(&format!("{url}/today")).await?;
        b.sees("Figure not named yet").await?;
        b.press("Review").await?;
        b.sees("Fix first").await?;
        b.until(
            "the film",
            "return document.querySelector('video')?.readyState >= 2",
        )
        .await?;
        // What the program does by itself: the beat, and both dancers in every picture.
        b.key("h").await?;
        b.sees("plainly heard").await?;
        b.key("b").await?;
        b.press("Find both dancers").await?;
        b.sees("Exchange their names").await?;
        for _ in 0..75 {
            b.key(".").await?;
        }
        tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
        b.picture(&out.join("bench-fresh.png")).await?;
    }
    if wanted("bench-angles") {
        // The newest bolero, which two phones filmed.
        let newest = "const all = await (await fetch('/api/takes')).json();
             const of = all.filter((t) => t.chart === 'bolero-basic');
             return of.sort((a, b) => b.held_on.localeCompare(a.held_on))[0].id;";
        let id = b
            .script(&format!("return (async () => {{ {newest} }})()"))
            .await?;
        let id = id.as_str().unwrap_or_default().to_owned();
        b.client.goto(&format!("{url}/takes/{id}")).await?;
        b.sees("angle 2").await?;
        b.until(
            "both films",
            "const v = [...document.querySelectorAll('video')];
             return v.length === 2 && v.every((x) => x.readyState >= 2)",
        )
        .await?;
        b.css("[data-cell='1-1']").await?.click().await?;
        b.until(
            "both films in step",
            "const [a, b] = document.querySelectorAll('video');
             return Math.abs(a.currentTime - b.currentTime - 0.64) < 0.05",
        )
        .await?;
        b.picture(&out.join("bench-angles.png")).await?;
    }
    // The newest marked take of the first couple.
    b.client.goto(&format!("{url}/today")).await?;
    b.sees("to decide").await?;
    b.xpath("//*[contains(text(), 'to decide')]/following-sibling::a[normalize-space(.)='Review']")
        .await?
        .click()
        .await?;
    b.sees("Fix first").await?;
    b.until(
        "the film",
        "const v = document.querySelector('video'); return !!v && v.readyState >= 2",
    )
    .await?;
    b.css("[data-cell='2-6']").await?.click().await?;
    if wanted("bench") {
        b.picture(&out.join("bench.png")).await?;
    }
    if wanted("bench-space") {
        b.key("v").await?;
        b.sees("Turned away from the partner").await?;
        b.css("canvas").await?;
        b.script("document.querySelector('[aria-label=\"In space\"]').scrollIntoView()")
            .await?;
        // The scene is drawn when the browser has time for it.
        tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
        b.picture(&out.join("bench-space.png")).await?;
        b.sees("One phone tells it best").await?;
        b.key("v").await?;
    }
    if wanted("correction") {
        b.key("j").await?;
        b.key("Enter").await?;
        b.sees("Log the correction").await?;
        b.picture(&out.join("correction.png")).await?;
        b.press("Cancel").await?;
        b.until(
            "the sheet to close",
            "return !document.querySelector('[role=dialog]')",
        )
        .await?;
    }
    for (view, key) in [("bench-floor", "f"), ("bench-bodies", "b")] {
        if wanted(view) {
            b.key(key).await?;
            if key == "b" {
                b.css("[data-cell='2-0']").await?.click().await?;
            }
            b.picture(&out.join(format!("{view}.png"))).await?;
        }
    }
    b.client.clone().close().await?;
    drop(running);
    Ok(())
}
