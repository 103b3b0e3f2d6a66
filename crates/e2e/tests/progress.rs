//! Three months of one couple, a relapse, a student's page on a phone, and a lesson, in a real browser.

use jiff::Span;
use jiff::civil::Date;
use upright_core::marks::Entry;
use upright_core::units::Role;
use upright_e2e::{Browser, House, PASSWORD};
use upright_server::correct::{Wish, decide};
use upright_server::review;
use upright_store::{Verdict, Whose};
use upright_studio::{Hand, Performance, Scenario, Shown, marks};
use uuid::Uuid;

/// A marked take of which no film is kept, in which both faults show so much.
async fn danced(
    house: &House,
    couple: Uuid,
    day: Date,
    seed: u64,
    [lean, drift]: [f64; 2],
) -> anyhow::Result<review::Review> {
    let performance = Performance::new(&Scenario {
        repetitions: 3,
        faults: vec![
            Shown::new("P1", Role::Follower).of(lean),
            Shown::new("S4", Role::Leader).of(drift),
        ],
        seed,
        ..Scenario::default()
    })?;
    let times = performance.frame_times(0);
    let frames = times.iter().map(|t| t.0).collect();
    let take = house.take_without_film(couple, day, frames).await?;
    let entries = marks(&performance, 0, &times, &Hand::ordinary(seed))
        .into_iter()
        .map(Entry::Command)
        .collect();
    review::mark(&house.app, house.studio, None, take, 0, entries)
        .await
        .map_err(|p| anyhow::anyhow!(p.detail))
}

fn weeks_ago(weeks: i64) -> Date {
    jiff::Zoned::now()
        .date()
        .saturating_sub(Span::new().weeks(weeks))
}

/// The coach confirms the follower's lean, or dismisses it with a reason.
async fn decided(house: &House, take: &review::Review, dismissed: &str) -> anyhow::Result<()> {
    let verdict = if dismissed.is_empty() {
        Verdict::Confirmed
    } else {
        Verdict::Dismissed
    };
    let today = jiff::Zoned::now().date();
    decide(
        house.app.store(),
        (house.studio, None),
        take,
        ("P1", Whose::Follower),
        verdict,
        dismissed,
        &Wish::default(),
        today,
    )
    .await
    .map_err(|p| anyhow::anyhow!(p.detail))
}

#[tokio::test]
async fn three_months_are_told_with_a_relapse() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let lean = [9.0, 8.8, 8.0, 6.6, 5.0, 3.4, 1.2, 1.0, 0.8, 1.0, 0.8, 1.0];
    let drift = [
        0.32, 0.30, 0.26, 0.02, 0.02, 0.02, 0.02, 0.02, 0.02, 0.02, 0.28, 0.32,
    ];
    for week in 0..12 {
        let day = weeks_ago(12 - week as i64);
        danced(
            &house,
            couple,
            day,
            40 + week as u64,
            [lean[week], drift[week]],
        )
        .await?;
    }
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    // Who slipped back and what is kept waits on the first page.
    b.sees("Slipped back").await?;
    b.xpath("//section[@aria-label='Slipped back']//a[.='Wren']")
        .await?
        .click()
        .await?;
    b.sees("It slipped back, and that is real.").await?;
    b.sees("where it had held").await?;
    b.look_over("Progress", &mut barriers).await?;

    b.choose("Person", "Idris").await?;
    b.press("Leans back out of the hold").await?;
    b.sees("Better, and it is real.").await?;
    b.sees("Smallest change that could be told here").await?;
    b.sees("It showed in 6 of 6 repetitions, now in 0 of 6, and that is real too.")
        .await?;
    // Then and now: by count, also where no film is kept.
    b.press("Then and now").await?;
    b.sees("Measures at count 1").await?;
    b.sees("then open, now filled").await?;
    b.key("ArrowRight").await?;
    b.sees("Measures at count &").await?;
    for _ in 0..4 {
        b.key("ArrowRight").await?;
    }
    b.sees("Measures at count 4").await?;
    b.key("ArrowDown").await?;
    b.sees("2 of 3").await?;
    b.look_over("Then and now", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_student_practises_from_a_phone_and_the_lesson_follows() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let take = danced(&house, couple, weeks_ago(1), 71, [9.0, 0.02]).await?;
    decided(&house, &take, "").await?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Plan").await?;
    b.sees("In your own calendar").await?;
    b.sees("Idris: Leans back out of the hold").await?;
    b.look_over("Calendar", &mut barriers).await?;
    b.press("Practice").await?;
    b.sees("What is practised").await?;
    b.sees("Caution: Falling backwards").await?;
    b.fill("Tue", "25").await?;
    b.press("Plan anew").await?;
    b.until(
        "the week to be planned anew",
        "return [...document.querySelectorAll('button')].some(x => x.innerText === 'Plan anew' && x.disabled)",
    )
    .await?;
    b.press("Make an address").await?;
    b.sees("opens until").await?;
    let address = b
        .script("return [...document.querySelectorAll('input')].find(i => i.value.includes('/s/')).value")
        .await?;
    let address = address.as_str().unwrap_or_default().to_owned();
    b.look_over("Practice", &mut barriers).await?;

    // The student's phone knows no sign-in.
    let phone = Browser::start().await?;
    phone.client.set_window_size(500, 900).await?;
    phone.client.goto(&address).await?;
    phone.sees("Keep your chest over your own feet").await?;
    phone.sees("Your week").await?;
    phone.look_over("Student’s page", &mut barriers).await?;
    let wide = phone
        .script("const m = document.querySelector('main'); return m.scrollWidth - m.clientWidth")
        .await?;
    anyhow::ensure!(wide == 0, "the page is wider than the phone by {wide}");
    phone.press("It went fine").await?;
    phone.sees("Today: it went fine.").await?;
    phone.press("It hurt").await?;
    phone.sees("Stop this drill").await?;
    phone.client.goto(&format!("{}/people", house.url)).await?;
    phone.sees("Sign in").await?;

    // The coach is told, and what hurts is not in the lesson's work.
    b.press("Today").await?;
    b.sees("It hurt in practice").await?;
    b.look_over("Today", &mut barriers).await?;
    b.xpath("//main//a[.='Idris']").await?.click().await?;
    b.press("Spoken about: go on").await?;
    b.sees("Practised today").await?;
    b.press("Lessons").await?;
    b.sees("None yet").await?;
    b.click("//label[contains(., 'Wren & Idris')]").await?;
    b.press("Plan it").await?;
    b.sees("The whole dance once").await?;
    b.look_over("Lesson proposed", &mut barriers).await?;
    b.press("Keep this lesson").await?;
    b.sees("What I see").await?;
    b.press("Start").await?;
    b.press("Next").await?;
    b.sees("Keep your chest over your own feet").await?;
    b.click("//button[@value='follower']").await?;
    b.choose("Fault", "Pokes the head forward").await?;
    b.click("//section[@aria-label='What I see']//button[.='5']")
        .await?;
    b.press("Clearly").await?;
    b.sees("Logged").await?;
    b.look_over("Lesson", &mut barriers).await?;
    b.press("Faults").await?;
    b.press("Log").await?;
    b.sees("seen by eye, 2 of 4").await?;

    // Settings say what there is to do, and the archive is a link away.
    b.client.goto(&format!("{}/settings", house.url)).await?;
    b.sees("Export without films").await?;
    b.look_over("Settings", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    phone.client.clone().close().await?;
    b.client.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn the_coach_marks_again_without_seeing_the_first_marks() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let performance = Performance::new(&Scenario {
        repetitions: 1,
        ..Scenario::default()
    })?;
    let take = house
        .take_with_film(couple, weeks_ago(1), &performance)
        .await?;
    let entries = marks(
        &performance,
        0,
        &performance.frame_times(0),
        &Hand::ordinary(5),
    )
    .into_iter()
    .map(Entry::Command)
    .collect();
    review::mark(&house.app, house.studio, None, take, 0, entries)
        .await
        .map_err(|p| anyhow::anyhow!(p.detail))?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client.goto(&format!("{}/settings", house.url)).await?;
    b.press("Mark four frames again").await?;
    b.sees("Frame 1 of 4").await?;
    b.until(
        "the frame",
        "return document.querySelector('video')?.readyState >= 2",
    )
    .await?;
    b.look_over("Mark again", &mut barriers).await?;
    // One that cannot be seen, taken back, and then all frames, a little off wherever the joint may be.
    b.key("x").await?;
    b.sees("(1 of ").await?;
    b.key("Backspace").await?;
    b.sees("(0 of ").await?;
    b.script(&format!(
        "return fetch('/api/takes/{take}/bench').then((r) => r.json()).then((v) => {{ window.first = v.marks.poses; return true; }})"
    ))
    .await?;
    for _ in 0..120 {
        // As the first marks, up to three pixels off.
        let more = b
            .script(
                "const asked = document.querySelector('main [role=status]')?.innerText ?? '';
                 const words = /the (leader|follower): point at the (.*) \\(/.exec(asked);
                 const film = document.querySelector('main video');
                 if (!words || !film) return false;
                 const off = (p) => Math.abs(p.at - film.currentTime * 1e6);
                 const pose = window.first.filter((p) => p.role === words[1]).sort((a, b) => off(a) - off(b))[0];
                 const [x, y] = pose.points[words[2].replace(' ', '_')];
                 const s = document.querySelector('main svg');
                 const p = new DOMPoint(x + 6 * Math.random() - 3, y + 6 * Math.random() - 3)
                   .matrixTransform(s.getScreenCTM());
                 const at = { clientX: p.x, clientY: p.y, bubbles: true, pointerId: 1, button: 0 };
                 s.dispatchEvent(new PointerEvent('pointerdown', at));
                 s.dispatchEvent(new PointerEvent('pointerup', at));
                 return true;",
            )
            .await?;
        if more != serde_json::json!(true) && b.text().await?.contains("Export and backup") {
            break;
        }
    }
    b.sees("Error of one reading").await?;
    b.sees("readings").await?;
    b.look_over("Settings, with errors", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

/// What the coach dismisses again and again comes back as an offer, is never applied by itself, and the band the coach
/// then sets goes to another studio's catalogue and back as a file.
#[tokio::test]
async fn dismissals_offer_another_band_and_the_band_travels_as_a_file() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    for (week, lean) in [6.0, 6.0, 6.0, 6.0, 11.0, 11.0].into_iter().enumerate() {
        let day = weeks_ago(6 - week as i64);
        let take = danced(&house, couple, day, 70 + week as u64, [lean, 0.02]).await?;
        let dismissed = if lean < 10.0 { "Not at this tempo" } else { "" };
        decided(&house, &take, dismissed).await?;
    }
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Faults").await?;
    b.press("Agreement").await?;
    b.sees("It would spare 4 dismissed findings, miss 0 you confirmed, and make 4 of 6 findings in past takes fine.")
        .await?;
    // The band between both sorts, some 6 and 11 degrees.
    b.until(
        "a band between what was dismissed and what was confirmed",
        "const said = document.body.innerText.match(/Your decisions fit a band of at most ([\\d.]+)°/);
         return !!said && +said[1] > 6 && +said[1] < 11",
    )
    .await?;
    b.look_over("Agreement with a suggestion", &mut barriers)
        .await?;

    // Nothing has changed by itself; the coach adapts the fault.
    b.click("//td/a[.='Leans back out of the hold']").await?;
    b.sees("at most 3°").await?;
    b.press("Adapt").await?;
    b.fill("Fine to, °", "8").await?;
    b.fill("Clear above, °", "9").await?;
    b.press("What would it find?").await?;
    b.until(
        "four takes to become fine, and two to stay",
        "const rows = [...document.querySelectorAll('table[aria-label=\"What it would find\"] tbody tr')];
         const told = rows.map(r => [...r.querySelectorAll('td')].slice(-2).map(c => parseInt(c.innerText)));
         const shown = told.filter(([now]) => now > 1);
         return shown.length === 6 && shown.filter(([, then]) => then === 0).length === 4",
    )
    .await?;
    b.press("Save").await?;
    b.closed().await?;
    b.sees("at most 8°").await?;

    // As a file it survives that the studio goes back to the catalogue's band.
    let file = b
        .script("return (async () => await (await fetch('/api/fault-file')).text())()")
        .await?;
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("own-faults.json");
    std::fs::write(&path, file.as_str().unwrap_or_default())?;
    b.press("Back to the catalogue’s").await?;
    b.sees("at most 3°").await?;
    b.give_file(path).await?;
    b.sees("at most 8°").await?;

    // Another file says what is wrong, and changes nothing.
    let other = folder.path().join("notes.json");
    std::fs::write(&other, "what the couple said")?;
    b.give_file(other).await?;
    b.sees("This is no file of faults that this program can read.")
        .await?;
    b.sees("at most 8°").await?;
    b.look_over("Faults, a wrong file", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}
