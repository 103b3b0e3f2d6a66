//! One clip from upload to a corrected, followed student, by mouse and keyboard in a real browser.

use anyhow::Context as _;
use serde_json::json;
use upright_core::body::Landmark;
use upright_core::marks::{Entry, FloorReference};
use upright_core::units::{Foot, MediaTime, Role};
use upright_e2e::{Browser, House, PASSWORD, simulated_clip};
use upright_studio::{Hand, Performance, Phone, Scenario, Shown, marks};

fn leaning() -> Scenario {
    Scenario {
        repetitions: 2,
        phones: vec![Phone {
            fps: 25.0,
            ..Phone::default()
        }],
        seed: 31,
        faults: vec![Shown::new("P1", Role::Follower).of(10.0)],
        ..Scenario::default()
    }
}

/// Goes to a frame by the film's own times and waits until the browser shows exactly that one.
async fn frame_shown(b: &Browser, frame: usize) -> anyhow::Result<()> {
    let script = format!("return document.querySelector('video').dataset.shown === '{frame}'");
    b.until(&format!("frame {frame} on the screen"), &script)
        .await
}

#[tokio::test]
async fn from_upload_to_progress() -> anyhow::Result<()> {
    let house = House::open().await?;
    let scenario = leaning();
    let performance = Performance::new(&scenario)?;
    let clip = simulated_clip(&performance, house.folder.path()).await?;
    let b = Browser::start().await?;

    let mut barriers = Vec::new();
    b.client.goto(&house.url).await?;
    b.sees("Sign in").await?;
    b.look_over("sign-in", &mut barriers).await?;
    b.fill("E-mail address", "coach@hall.example").await?;
    b.fill("Password", "not this one").await?;
    b.press("Sign in").await?;
    b.sees("is not right").await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.sees("Nothing waits").await?;
    b.look_over("empty Today", &mut barriers).await?;

    // People and the couple.
    b.press("People").await?;
    for (name, height) in [("Nell Ashby", "182"), ("Ivo Marsh", "166")] {
        b.press("New person").await?;
        b.fill("Name", name).await?;
        b.fill("Standing height", height).await?;
        b.press("Save").await?;
        b.xpath(&format!("//a[.='{name}']")).await?;
        b.closed().await?;
    }
    b.press("New couple").await?;
    b.choose("Leader", "Nell Ashby").await?;
    b.choose("Follower", "Ivo Marsh").await?;
    b.press("Save").await?;
    b.sees("from arm lengths").await?;
    b.closed().await?;
    b.look_over("People", &mut barriers).await?;

    // A file that is no film is refused in words; the real one goes up.
    b.press("Bench").await?;
    b.press("New take").await?;
    b.inputs();
    b.choose("Couple", "Nell Ashby & Ivo Marsh").await?;
    let notes = house.folder.path().join("notes.mp4");
    std::fs::write(&notes, "no film")?;
    b.give_file(notes).await?;
    b.press("Upload").await?;
    b.sees("MP4, MOV or WebM, as phones record them").await?;
    b.give_file(clip).await?;
    b.press("Upload").await?;
    b.sees("Fix first").await?;
    b.until(
        "the film",
        "const v = document.querySelector('video'); return !!v && v.readyState >= 2",
    )
    .await?;
    let take = url_id(&b).await?;
    let kept = house
        .app
        .store()
        .clip(house.studio, take)
        .await?
        .context("the clip")?;
    let frames: Vec<MediaTime> = kept.frame_times.iter().map(|t| MediaTime(*t)).collect();

    // Stepping shows exactly the frame that was asked for.
    for _ in 0..12 {
        b.key(".").await?;
    }
    frame_shown(&b, 12).await?;
    b.key(",").await?;
    frame_shown(&b, 11).await?;

    // What is danced.
    b.press("Chart not named").await?;
    b.choose("Figure", "Carolina shag: Basic, six counts")
        .await?;
    b.fill("Repetitions", "2").await?;
    b.press("Name the figure").await?;
    b.sees("Basic, six counts, 2 times").await?;

    // The count, tapped along while the film plays: taps at the film's own clock.
    b.press("Count not laid").await?;
    b.script(
        "const v = document.querySelector('video'); v.muted = true; v.currentTime = 1.6; v.play();",
    )
    .await?;
    let one = scenario.lead_in;
    let period = 60.0 / scenario.bpm;
    for beat in 0..9 {
        let at = one + f64::from(beat) * period;
        let script = format!("return document.querySelector('video').currentTime >= {at}");
        b.until("the beat", &script).await?;
        b.key("t").await?;
    }
    b.script("document.querySelector('video').pause()").await?;
    b.sees("9 taps").await?;
    // A hand is not that steady on a busy machine; the tempo typed at a known 1 is exact.
    b.press("Clear").await?;
    b.sees("not laid").await?;
    let first = frames
        .iter()
        .position(|f| f.secs() >= one - 0.02)
        .context("the first 1 is in the film")?;
    seek(&b, first).await?;
    b.fill("Beats a minute", &scenario.bpm.to_string()).await?;
    b.press("1 is at this frame").await?;
    b.css("[data-cell='2-7']").await?;

    // The floor: its size, then its corners by mouse.
    b.key("f").await?;
    b.press("Set").await?;
    b.until(
        "the list of points",
        "return !document.querySelector('[aria-label=\"Points of the reference\"] .Mui-disabled')",
    )
    .await?;
    let camera = scenario.phones[0].camera();
    let reference = FloorReference::rectangle(2.0, 1.0);
    for (i, place) in reference.places().iter().enumerate() {
        let p = camera
            .project([place[0], place[1], 0.0].into())
            .context("in the picture")?;
        b.click_pixel([p.x, p.y]).await?;
        let done = format!(
            "return document.querySelectorAll('[aria-label=\"Points of the reference\"] [role=button]')[{i}].innerText.includes('✓')"
        );
        b.until("the corner", &done).await?;
    }
    b.sees("The marks miss the reference by").await?;
    b.look_over("Bench, floor", &mut barriers).await?;

    // Bodies: one whole repetition by mouse and keyboard, both dancers: arrivals, feet, hips, shoulders.
    b.key("b").await?;
    for role in Role::BOTH {
        if role == Role::Follower {
            b.key("r").await?;
        }
        for (i, a) in performance
            .arrivals(role)
            .iter()
            .filter(|a| a.repetition == 0)
            .enumerate()
        {
            b.count(1);
            b.css(&format!("[data-cell='1-{}']", a.count))
                .await?
                .click()
                .await?;
            let near = |f: &MediaTime| (f.secs() - a.at).abs();
            let frame = (0..frames.len())
                .min_by(|x, y| near(&frames[*x]).total_cmp(&near(&frames[*y])))
                .context("a frame")?;
            seek(&b, frame).await?;
            b.sees("0 of 19 points").await?;
            b.key(if a.foot == Foot::Left { "a" } else { "d" }).await?;
            let body = &performance.bodies(frames[frame].secs())[role as usize];
            for landmark in &Landmark::ALL[..8] {
                let p = camera
                    .project(body.joint(*landmark))
                    .context("in the picture")?;
                b.click_pixel([p.x, p.y]).await?;
            }
            b.sees("8 of 19 points").await?;
            if i == 0 {
                // Taken back, brought again, moved by the arrow keys.
                b.key("Ctrl+z").await?;
                b.sees("7 of 19 points").await?;
                b.key("Ctrl+y").await?;
                b.sees("8 of 19 points").await?;
                b.key("p").await?;
                b.key("ArrowRight").await?;
                b.key("ArrowLeft").await?;
            }
        }
    }
    b.sees("8 of 16 counts").await?;
    b.look_over("Bench, bodies", &mut barriers).await?;
    // All of it is kept: a new load shows the same.
    b.client.refresh().await?;

    // The finding, confirmed by two keys.
    b.sees("Leans back out of the hold").await?;
    b.sees("1 of 1 repetitions").await?;
    b.until(
        "the film",
        "return document.querySelector('video')?.readyState >= 2",
    )
    .await?;
    b.key("j").await?;
    b.look_over("Bench, findings", &mut barriers).await?;
    b.key("Enter").await?;
    b.sees("Log the correction").await?;
    b.look_over("Correction sheet", &mut barriers).await?;
    b.client
        .active_element()
        .await?
        .send_keys("\u{e007}")
        .await?;
    b.sees("In the log").await?;
    // One repetition of both dancers by hand, taps and a refused file among it.
    println!(
        "by hand from nothing to a correction: {} inputs",
        b.inputs()
    );
    // Another measure drawn over the count.
    let speed = "return [...document.querySelectorAll('svg[role=img] text')].some(t => t.textContent === 'Speed')";
    anyhow::ensure!(b.script(speed).await? == false);
    b.press("Lanes over the count").await?;
    b.look_over("Bench, lanes", &mut barriers).await?;
    b.click("//*[@role='menuitemcheckbox'][contains(., 'Speed')]")
        .await?;
    b.until("the lane", speed).await?;
    b.client
        .active_element()
        .await?
        .send_keys("\u{e00c}")
        .await?;
    b.until(
        "the film without a menu",
        "return document.querySelector('[role=menu]') === null",
    )
    .await?;
    b.press("Close review").await?;
    b.sees("Open again").await?;

    // Their distance at the count in hand, kept as the couple's frame limit.
    let plan = b.css("[aria-label^='Feet from above; partners ']").await?;
    let apart = plan.attr("aria-label").await?.unwrap_or_default();
    b.press("Keep this distance as their frame limit…").await?;
    b.sees("Here they are").await?;
    b.look_over("Frame limit", &mut barriers).await?;
    b.press("Save").await?;
    b.closed().await?;
    let kept = house.app.store().couples(house.studio).await?[0].frame_limit;
    let kept = format!("partners {:.0}", 100.0 * kept.context("a frame limit")?);
    anyhow::ensure!(apart.contains(&kept), "{apart} was kept as {kept}");

    // In the log, and followed in Progress.
    b.press("People").await?;
    b.xpath("//a[.='Ivo Marsh']").await?.click().await?;
    b.sees("Keep your chest over your own feet").await?;
    b.sees("doctor or physiotherapist").await?;
    b.look_over("Log", &mut barriers).await?;

    // A second take, better: marked by the same hand, no film kept of it.
    let better = Scenario {
        faults: Vec::new(),
        seed: 32,
        ..leaning()
    };
    let second = Performance::new(&better)?;
    let times = second.frame_times(0);
    let couple = house.app.store().couples(house.studio).await?[0].id;
    let held_on = jiff::Zoned::now()
        .date()
        .saturating_add(jiff::Span::new().days(7));
    let frame_times = times.iter().map(|t| t.0).collect();
    let later = house
        .take_without_film(couple, held_on, frame_times)
        .await?;
    let entries = marks(&second, 0, &times, &Hand::ordinary(5))
        .into_iter()
        .map(Entry::Command)
        .collect();
    upright_server::review::mark(&house.app, house.studio, None, later, 0, entries)
        .await
        .map_err(|p| anyhow::anyhow!(p.detail))?;
    b.xpath("//main//a[.='Progress']").await?.click().await?;
    b.sees("Better, and it is real.").await?;
    b.sees("Smallest change that could be told here").await?;
    b.look_over("Progress", &mut barriers).await?;

    // In the dark, and the sheet of keys.
    b.press("Dark colours").await?;
    b.look_over("Progress, dark", &mut barriers).await?;
    for (place, text) in [
        ("Charts", "Pass and change ends"),
        ("Bench", "film not kept"),
        ("Today", "Look again"),
    ] {
        b.press(place).await?;
        b.sees(text).await?;
        b.look_over(&format!("{place}, dark"), &mut barriers)
            .await?;
    }
    b.key("?").await?;
    b.sees("one repetition").await?;
    b.look_over("Keys", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

/// Two windows on one take: the second is told that the first has changed it, loads it, and goes on;
/// nothing is lost. Everything here by keyboard.
#[tokio::test]
async fn two_windows_do_not_overwrite_each_other() -> anyhow::Result<()> {
    let house = House::open().await?;
    let store = house.app.store();
    let couple = house.couple(["A", "B"]).await?;
    let frames = (0..100).map(|i| i * 40_000).collect();
    let today = jiff::Zoned::now().date();
    let take = house.take_without_film(couple, today, frames).await?;

    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    let page = format!("{}/takes/{take}", house.url);
    b.client.goto(&page).await?;
    b.sees("is not kept").await?;
    let first = b.client.window().await?;
    let second = b.client.new_window(true).await?.handle;
    b.client.switch_to_window(second.clone()).await?;
    b.client.goto(&page).await?;
    b.sees("is not kept").await?;
    b.key("t").await?;
    b.sees("1 taps").await?;
    b.client.switch_to_window(first).await?;
    b.key(".").await?;
    b.key("t").await?;
    b.sees("changed in another window").await?;
    b.sees("1 taps").await?;
    b.key("t").await?;
    b.sees("2 taps").await?;
    b.key("Ctrl+z").await?;
    b.sees("1 taps").await?;
    let log = store.mark_log(house.studio, take).await?;
    anyhow::ensure!(log.len() == 3, "{log:?}");
    b.client.clone().close().await?;
    Ok(())
}

/// Goes to a frame with the keys' own means: the page's slider would be coarser.
async fn seek(b: &Browser, frame: usize) -> anyhow::Result<()> {
    let now = b
        .css("[data-testid=frame]")
        .await?
        .text()
        .await?
        .split_whitespace()
        .nth(1)
        .and_then(|t| t.parse::<usize>().ok())
        .context("the frame's number")?
        - 1;
    b.count(frame.abs_diff(now) as u32);
    let key = if frame > now { "." } else { "," };
    b.client
        .execute(
            "const [key, times] = arguments;
             const press = n => { if (n > 0) { window.dispatchEvent(new KeyboardEvent('keydown', { key, cancelable: true }));
               requestAnimationFrame(() => requestAnimationFrame(() => press(n - 1))); } };
             press(times);",
            vec![json!(key), json!(frame.abs_diff(now))],
        )
        .await?;
    let script = format!(
        "return document.querySelector('[data-testid=frame]').innerText.startsWith('frame {} of')",
        frame + 1
    );
    b.until("the frame", &script).await
}

async fn url_id(b: &Browser) -> anyhow::Result<uuid::Uuid> {
    let url = b.client.current_url().await?;
    Ok(url.path().rsplit('/').next().unwrap_or_default().parse()?)
}
