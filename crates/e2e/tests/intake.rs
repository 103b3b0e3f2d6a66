//! From a phone's file to a film that steps exactly, and from there to corrections with few inputs.

use std::time::Duration;

use anyhow::Context as _;
use serde_json::json;
use upright_core::marks::FloorReference;
use upright_core::units::Role;
use upright_e2e::{Browser, House, PASSWORD, eventually, simulated_clip};
use upright_media::{Film, encode};
use upright_studio::{Performance, Phone, Scenario, Shown};

/// Pictures of the numbered film, and the side of the squares that say their number, pixels.
const PICTURES: usize = 240;
const SQUARE: usize = 32;
const BITS: usize = 10;

/// A picture that says its number: white squares for ones, and one more that makes their count even.
fn numbered(n: usize) -> Vec<u8> {
    let (width, height) = (640, 360);
    let mut out = [40u8, 44, 48, 255].repeat(width * height);
    let parity = (n.count_ones() % 2) as usize;
    for bit in 0..=BITS {
        let on = if bit == BITS { parity } else { (n >> bit) & 1 };
        let grey = if on == 1 { 235 } else { 20 };
        for y in 100..100 + SQUARE {
            for x in 40 + bit * 48..40 + bit * 48 + SQUARE {
                out[4 * (y * width + x)..][..3].fill(grey);
            }
        }
    }
    out
}

/// Reads the number off the picture that the browser shows; 1,000 seeks by mouse and steps by key, at random.
const SEEKS: &str = r"
const [wanted, seed] = arguments; const done = arguments[arguments.length - 1];
const video = document.querySelector('video');
const canvas = document.createElement('canvas'); canvas.width = 640; canvas.height = 360;
const pen = canvas.getContext('2d', { willReadFrequently: true });
const shown = () => {
  pen.drawImage(video, 0, 0, 640, 360);
  let n = 0, ones = 0;
  for (let bit = 0; bit <= 10; bit++) {
    const p = pen.getImageData(40 + bit * 48 + 16, 116, 1, 1).data[1];
    if (p > 128) { ones += 1; if (bit < 10) n |= 1 << bit; }
  }
  return ones % 2 === 0 ? n : -1;
};
let state = seed;
const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
const frame = () => new Promise((r) => requestAnimationFrame(r));
(async () => {
  let wrong = [], seeks = 0, steps = 0;
  for (let i = 0; i < wanted; i++) {
    if (random() < 0.6) {
      seeks += 1;
      const rail = document.querySelector('[data-testid=whole-clip]');
      const box = rail.getBoundingClientRect();
      rail.dispatchEvent(new MouseEvent('click', { bubbles: true, clientX: box.left + random() * box.width, clientY: box.top + 4 }));
    } else {
      steps += 1;
      window.dispatchEvent(new KeyboardEvent('keydown', { key: random() < 0.5 ? '.' : ',', cancelable: true }));
    }
    await frame();
    while (video.seeking) await frame();
    await frame();
    const says = Number(document.querySelector('[data-testid=frame]').innerText.split(' ')[1]) - 1;
    let is = shown();
    // What is drawn may be a screen's picture behind what is decoded.
    for (let k = 0; k < 10 && is !== says; k++) { await frame(); is = shown(); }
    if (is !== says) wrong.push([says, is]);
  }
  done({ wrong, seeks, steps });
})();
";

/// A thousand random seeks and steps over a film of uneven pace show the picture whose number the Bench says,
/// read back from the picture itself.
#[tokio::test]
async fn a_thousand_seeks_and_steps_show_their_picture() -> anyhow::Result<()> {
    let house = House::open().await?;
    let clip = house.folder.path().join("numbered.mp4");
    let film = Film {
        size: [640, 360],
        fps: 30.0,
        // Between 25 and 50 pictures a second, and a pause of a fifth of a second now and then.
        moments: Some("N/32+0.006*sin(N)+0.2*floor(N/71)".into()),
    };
    encode(film, (0..PICTURES).map(numbered), None, &clip).await?;
    let couple = house.couple(["A", "B"]).await?;
    let today = jiff::Zoned::now().date();
    let take = house.take_with_clip(couple, today, &clip).await?;
    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client
        .goto(&format!("{}/takes/{take}", house.url))
        .await?;
    b.until(
        "the film",
        "return document.querySelector('video')?.readyState >= 2",
    )
    .await?;
    b.sees(&format!("of {PICTURES}")).await?;
    b.client
        .update_timeouts(fantoccini::wd::TimeoutConfiguration::new(
            Some(Duration::from_secs(300)),
            None,
            None,
        ))
        .await?;
    let (mut seeks, mut steps, mut wrong) = (0, 0, Vec::new());
    for round in 0..10 {
        let end = b
            .client
            .execute_async(SEEKS, vec![json!(100), json!(7_919 * (round + 1))])
            .await?;
        seeks += end["seeks"].as_u64().context("seeks")?;
        steps += end["steps"].as_u64().context("steps")?;
        wrong.extend(end["wrong"].as_array().context("wrong")?.clone());
    }
    println!("{seeks} seeks and {steps} steps, {} wrong", wrong.len());
    anyhow::ensure!(seeks + steps == 1_000 && seeks > 500 && steps > 300);
    anyhow::ensure!(wrong.is_empty(), "said and shown: {wrong:?}");
    b.client.clone().close().await?;
    Ok(())
}

/// A film whose upload broke off goes on after a reload, and the same film brought again is recognised.
#[tokio::test]
async fn a_broken_upload_goes_on_and_the_same_film_is_known() -> anyhow::Result<()> {
    let house = House::open().await?;
    let performance = Performance::new(&Scenario {
        repetitions: 1,
        phones: vec![Phone {
            size: [640, 360],
            fps: 25.0,
            ..Phone::default()
        }],
        ..Scenario::default()
    })?;
    let clip = simulated_clip(&performance, house.folder.path()).await?;
    house.couple(["A", "B"]).await?;
    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Bench").await?;
    b.press("New take").await?;
    b.choose("Couple", "A & B").await?;
    b.give_file(clip.clone()).await?;
    // The first piece as the page sends it, and then the connection is gone.
    let begun = b
        .client
        .execute_async(
            "const done = arguments[0]; const file = document.querySelector('input[type=file]').files[0];
             (async () => {
               const token = (await (await fetch('/api/session')).json()).token;
               const send = (method, path, body, type) => fetch(path, { method, body, headers: { 'x-csrf-token': token, 'content-type': type } });
               const couple = (await (await fetch('/api/couples')).json())[0].id;
               const json = (v) => [JSON.stringify(v), 'application/json'];
               const take = await (await send('POST', '/api/takes', ...json({ couple_id: couple, held_on: '2026-03-07', place: 'Hall', floor: '', shoes: '' }))).json();
               const up = await (await send('POST', `/api/takes/${take.id}/uploads`, ...json({ angle: 1, file_name: file.name, bytes: file.size, changed: file.lastModified }))).json();
               const half = Math.floor(file.size / 2);
               const now = await (await send('PUT', `/api/uploads/${up.id}?from=0`, file.slice(0, half), 'application/octet-stream')).json();
               done({ take: take.id, received: now.received, half });
             })();",
            vec![],
        )
        .await?;
    anyhow::ensure!(begun["received"] == begun["half"], "{begun}");
    let take = begun["take"].as_str().context("the take")?;
    b.client
        .goto(&format!("{}/takes/{take}", house.url))
        .await?;
    b.sees("This take has no clip yet").await?;
    b.sees("% of “practice.mp4” has arrived").await?;
    let mut barriers = Vec::new();
    b.look_over("Bench, half a clip", &mut barriers).await?;
    b.give_file(clip.clone()).await?;
    b.until(
        "the film",
        "return document.querySelector('video')?.readyState >= 2",
    )
    .await?;

    b.press("Bench").await?;
    b.press("New take").await?;
    b.choose("Couple", "A & B").await?;
    b.give_file(clip).await?;
    b.press("Upload").await?;
    b.sees("This film is here already: A and B").await?;
    b.look_over("New take, known film", &mut barriers).await?;
    b.press("Use it again").await?;
    b.sees("Fix first").await?;
    let takes = house.app.store().takes(house.studio).await?;
    anyhow::ensure!(takes.len() == 2, "{takes:?}");
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

/// Most inputs from a clip's upload to corrections of both roles when the program marks it.
const MOST_INPUTS: u32 = 25;

/// A couple of whom both stand 14° off upright, filmed by one phone.
fn leaning(phone: Phone) -> Scenario {
    Scenario {
        repetitions: 6,
        phones: vec![phone],
        heights: [1.84, 1.62],
        seed: 77,
        faults: Role::BOTH.map(|r| Shown::new("P1", r).of(14.0)).to_vec(),
        ..Scenario::default()
    }
}

/// Inputs that each part took.
struct Inputs {
    upload: u32,
    prepared: u32,
    floor: u32,
}

/// From the people's list to findings: uploads the film, names figure and count, clicks roughly at the corners, and
/// waits until a finding can be confirmed.
async fn to_findings(b: &Browser, house: &House, scenario: &Scenario) -> anyhow::Result<Inputs> {
    let performance = Performance::new(scenario)?;
    let clip = simulated_clip(&performance, house.folder.path()).await?;
    house.couple(["Nell Ashby", "Ivo Marsh"]).await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Bench").await?;
    b.inputs();
    b.press("New take").await?;
    b.choose("Couple", "Nell Ashby & Ivo Marsh").await?;
    b.give_file(clip).await?;
    b.press("Upload").await?;
    b.until(
        "the film",
        "return document.querySelector('video')?.readyState >= 2",
    )
    .await?;
    let upload = b.inputs();

    // Looking for the dancers goes on while the rest is prepared.
    b.press("Find both dancers").await?;
    b.press("Chart not named").await?;
    b.choose("Figure", "Carolina shag: Basic, six counts")
        .await?;
    b.fill("Repetitions", "6").await?;
    b.press("Name the figure").await?;
    b.sees("Basic, six counts, 6 times").await?;
    b.key("h").await?;
    b.css("[data-cell='2-7']").await?;
    // Which beat is the first 1 only the coach knows: moved there beat by beat.
    let take: uuid::Uuid = {
        let url = b.client.current_url().await?;
        url.path().rsplit('/').next().unwrap_or_default().parse()?
    };
    let first_one = async || -> anyhow::Result<f64> {
        let review = upright_server::review::review(&house.app, house.studio, take)
            .await
            .map_err(|p| anyhow::anyhow!(p.detail))?;
        Ok(review.analysis.count.context("the count")?.cells[0]
            .at
            .secs())
    };
    let late = (first_one().await? - scenario.lead_in) * scenario.bpm / 60.0;
    let way = if late > 0.0 { "earlier" } else { "later" };
    // Whole bars first, then what is left, beat by beat.
    let beats = late.round().abs() as u32;
    for (step, many) in [("bar", beats / 4), ("beat", beats % 4)] {
        for _ in 0..many {
            b.press(&format!("1 a {step} {way}")).await?;
            tokio::time::sleep(Duration::from_millis(400)).await;
        }
    }
    eventually("1 where the music begins", async || {
        let first = first_one().await;
        first.is_ok_and(|at| (at - scenario.lead_in).abs() < 0.06)
    })
    .await?;
    let prepared = b.inputs();

    b.key("f").await?;
    let camera = scenario.phones[0].camera();
    let reference = FloorReference::rectangle(2.0, 1.0);
    for (i, place) in reference.places().iter().take(4).enumerate() {
        let p = camera
            .project([place[0], place[1], 0.0].into())
            .context("in the picture")?;
        // A rough click, some pixels off.
        let off = [[3.0, -2.0], [-3.0, 2.0], [2.0, 3.0], [-2.0, -3.0]][i];
        b.click_pixel([p.x + off[0], p.y + off[1]]).await?;
        let done = format!(
            "return document.querySelectorAll('[aria-label=\"Points of the reference\"] [role=button]')[{i}].innerText.includes('✓')"
        );
        b.until("the corner", &done).await?;
    }
    b.sees("The marks miss the reference by").await?;
    let marks = upright_server::review::marks(&house.app, house.studio, take)
        .await
        .map_err(|p| anyhow::anyhow!(p.detail))?;
    let marked = marks.floor.context("the floor")?;
    for (i, place) in reference.places().iter().take(4).enumerate() {
        let p = camera
            .project([place[0], place[1], 0.0].into())
            .context("in the picture")?;
        let m = marked.points[i].context("marked")?;
        let off = (m[0] - p.x).hypot(m[1] - p.y);
        println!("corner {i}: {off:.2} pixels off after a click 3.6 off");
        anyhow::ensure!(off < 2.5, "corner {i} is {off} pixels off");
    }
    let floor = b.inputs();

    let found =
        "return [...document.querySelectorAll('button')].some(x => x.innerText === 'Confirm')";
    let begun = std::time::Instant::now();
    while b.script(found).await? != json!(true) {
        anyhow::ensure!(
            begun.elapsed() < Duration::from_secs(900),
            "no findings: {}",
            b.text().await?
        );
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    println!(
        "found {:.0} s after the floor",
        begun.elapsed().as_secs_f64()
    );
    Ok(Inputs {
        upload,
        prepared,
        floor,
    })
}

/// Six repetitions that nobody has marked: the program hears the beat, finds the corners near rough clicks and
/// both dancers, and the coach confirms one correction for each.
#[tokio::test]
async fn from_upload_to_corrections_with_few_inputs() -> anyhow::Result<()> {
    let house = House::open().await?;
    let scenario = leaning(Phone {
        distance: 4.4,
        fps: 25.0,
        ..Phone::default()
    });
    let b = Browser::start().await?;
    let Inputs {
        upload,
        prepared,
        floor,
    } = to_findings(&b, &house, &scenario).await?;
    loop {
        b.key("Enter").await?;
        b.sees("Log the correction").await?;
        b.count(1);
        b.client
            .active_element()
            .await?
            .send_keys("\u{e007}")
            .await?;
        b.closed().await?;
        let logged = house.app.store().corrections(house.studio, None).await?;
        let of = |role: &str| logged.iter().any(|c| c.role == role);
        if of("leader") && of("follower") {
            break;
        }
        anyhow::ensure!(logged.len() < 5, "{logged:?}");
    }
    let confirmed = b.inputs();
    // Both stand on the floor plan, though nobody has marked a foot.
    b.key("j").await?;
    b.css("[aria-label^='Feet from above; partners ']").await?;
    let all = upload + prepared + floor + confirmed;
    println!(
        "inputs from upload to corrections: {all} (upload {upload}, figure, count and search {prepared}, floor {floor}, corrections {confirmed})"
    );
    anyhow::ensure!(all <= MOST_INPUTS, "{all} inputs");
    // What may as well lie elsewhere is drawn pale: within two seconds some hand is, and not all of a body.
    let drawn = "const all = [...document.querySelectorAll('[data-point]')];
        return [all.filter((p) => Number(p.getAttribute('opacity')) < 1).length, all.length]";
    let mut pale = false;
    for _ in 0..50 {
        b.key(".").await?;
        tokio::time::sleep(Duration::from_millis(60)).await;
        let counts: [usize; 2] = serde_json::from_value(b.script(drawn).await?)?;
        pale |= (1..counts[1] / 2).contains(&counts[0]);
    }
    anyhow::ensure!(pale, "no point is drawn pale");
    b.client.clone().close().await?;
    Ok(())
}

/// A phone held upright and askew that looks 18° down: from upload to findings as from any other film.
#[tokio::test]
async fn an_upright_film_from_above_goes_from_upload_to_findings() -> anyhow::Result<()> {
    let house = House::open().await?;
    let scenario = leaning(Phone {
        distance: 5.4,
        height: 2.7,
        aim: 0.9,
        roll: 3.0,
        size: [720, 1280],
        fps: 25.0,
        ..Phone::default()
    });
    let b = Browser::start().await?;
    to_findings(&b, &house, &scenario).await?;
    // Nobody is told that no phone has such a lens, and the film fits its window.
    let said = b.text().await?;
    anyhow::ensure!(!said.contains("No phone's lens"), "{said}");
    let shape = b
        .script(
            "const v = document.querySelector('video'); const r = v.getBoundingClientRect();
             return [v.videoWidth, v.videoHeight, r.bottom <= innerHeight + 1, r.width > 0];",
        )
        .await?;
    anyhow::ensure!(shape == json!([720, 1280, true, true]), "{shape}");
    b.client.clone().close().await?;
    Ok(())
}
