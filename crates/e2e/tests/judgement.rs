//! From a finding to another school, the coach's own eye, the catalogue and the log, in a real browser.

use anyhow::Context as _;
use upright_core::fault::{Band, Choices, OwnBand};
use upright_core::marks::Entry;
use upright_core::units::Role;
use upright_e2e::{Browser, House, PASSWORD, eventually};
use upright_server::review::{self, Review};
use upright_studio::{Hand, Performance, Scenario, Shown, marks};
use uuid::Uuid;

/// A couple's take without a film, marked by a hand, and what is found of it.
async fn marked(
    house: &House,
    couple: Uuid,
    performance: &Performance,
    hand: u64,
) -> anyhow::Result<(Uuid, Review)> {
    let times = performance.frame_times(0);
    let frame_times = times.iter().map(|t| t.0).collect();
    let today = jiff::Zoned::now().date();
    let take = house.take_without_film(couple, today, frame_times).await?;
    let entries = marks(performance, 0, &times, &Hand::ordinary(hand))
        .into_iter()
        .map(Entry::Command)
        .collect();
    let review = review::mark(&house.app, house.studio, None, take, 0, entries)
        .await
        .map_err(|p| anyhow::anyhow!(p.detail))?;
    Ok((take, review))
}

#[tokio::test]
async fn a_finding_is_judged_by_another_school_and_the_eye_is_logged() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let performance = Performance::new(&Scenario {
        repetitions: 3,
        faults: vec![
            Shown::new("P1", Role::Follower).of(7.0),
            Shown::new("S4", Role::Leader).of(0.4),
        ],
        seed: 12,
        ..Scenario::default()
    })?;
    let (take, _) = marked(&house, couple, &performance, 4).await?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client
        .goto(&format!("{}/takes/{take}", house.url))
        .await?;
    b.sees("Leans back out of the hold").await?;
    b.sees("at most 3°").await?;

    // What was read too roughly is said apart from what is fine.
    b.until(
        "what is read too roughly, by name",
        "const p = [...document.querySelectorAll('p')].find(p => p.innerText.startsWith('Read too roughly to be called fine'));
         return (p?.querySelectorAll('button').length ?? 0) > 0",
    )
    .await?;

    // What this angle cannot show leads to the place of a phone that can.
    let asked = b
        .script(
            "const all = [...document.querySelectorAll('p')];
             const p = all.find(p => p.innerText.startsWith('Not visible from this angle, each'));
             const a = p?.querySelector('button'); a?.click(); return a?.innerText ?? null;",
        )
        .await?;
    anyhow::ensure!(asked.is_string(), "nothing is said to be not visible");
    b.css("svg[aria-label^='Places for a phone around the couple']")
        .await?;
    b.sees("Where to put a phone to tell").await?;
    b.until(
        "what a phone would tell",
        "return /One phone tells it best .*: ±|One phone alone cannot tell it|is not told by marks at the counts/.test(document.querySelector('section[aria-label=\"In space\"]').innerText)",
    )
    .await?;
    b.look_over("Bench, places for a phone", &mut barriers)
        .await?;

    // The coach has the last word on what comes first, and it is kept.
    let first = "document.querySelector('section[aria-label=\"Fix first\"] button[aria-pressed]')";
    let before = format!("return {first}.innerText.startsWith('Leans back')");
    b.until("the usual order", &before).await?;
    b.press("Step goes in the wrong direction at 1").await?;
    b.press("Earlier").await?;
    b.sees("In your order").await?;
    let after = format!("return {first}.innerText.startsWith('Step goes')");
    b.until("the coach's order", &after).await?;
    b.client.refresh().await?;
    b.sees("In your order").await?;
    b.until("the order to be kept", &after).await?;
    b.press("Back to the usual order").await?;
    b.until("the usual order again", &before).await?;

    // The couple's teacher lets both sit away: the same lean is fine.
    b.press("Schools and bands").await?;
    b.sees("Who makes the stretch").await?;
    b.choose("Who makes the stretch", "both sit away in balance")
        .await?;
    b.look_over("Schools", &mut barriers).await?;
    b.press("Save").await?;
    b.closed().await?;
    b.sees("Looked at and fine").await?;
    b.until(
        "the finding to go",
        "return ![...document.querySelectorAll('section[aria-label=\"Fix first\"] button')].some(b => b.innerText.startsWith('Leans back'))",
    )
    .await?;

    // What no film shows is logged all the same.
    b.press("Add what you see").await?;
    b.sees("How much").await?;
    b.choose(
        "What",
        "Grip: tone unmatched, hooked thumb or fingertips only",
    )
    .await?;
    b.until(
        "the cue",
        "return [...document.querySelectorAll('textarea')].some(t => t.value.startsWith('Fingers make a shelf'))",
    )
    .await?;
    b.look_over("What the coach sees", &mut barriers).await?;
    b.press("Log the correction").await?;
    b.closed().await?;
    b.sees("seen by eye, in the log").await?;

    // The catalogue: read, and an entry tried before it is kept.
    b.press("Faults").await?;
    b.fill("Search", "head forward").await?;
    b.sees("The head is heavy").await?;
    b.look_over("Faults", &mut barriers).await?;
    b.press("Adapt").await?;
    b.fill("Fine to, cm", "-10").await?;
    b.fill("Clear above, cm", "-5").await?;
    b.press("What would it find?").await?;
    b.sees("3 of 3").await?;
    b.look_over("Fault, adapted", &mut barriers).await?;
    b.press("Save").await?;
    b.closed().await?;
    b.sees("Back to the catalogue’s").await?;

    b.press("Log").await?;
    b.sees("1 correction").await?;
    b.fill("Search", "shelf").await?;
    b.sees("seen by eye, 2 of 4").await?;
    b.look_over("Log", &mut barriers).await?;
    b.press("Agreement").await?;
    b.sees("Nothing decided yet").await?;
    b.look_over("Agreement", &mut barriers).await?;

    // The same reference measured as two lines, seen by a lens that bends: the floor stays what it was.
    let bench = format!("{}/takes/{take}", house.url);
    b.client.goto(&bench).await?;
    b.sees("Fix first").await?;
    b.key("f").await?;
    b.press("Two lines").await?;
    b.fill("Near line, m", "2").await?;
    b.fill("Far line, m", "2").await?;
    b.fill("Apart, m", "1").await?;
    b.press("Set").await?;
    b.click("//label[contains(., 'The lens bends straight lines')]//input")
        .await?;
    let bent =
        "const i = document.querySelector('section[aria-label=\"Floor\"] input[type=checkbox]');
        const b = document.querySelector('button[value=lines]');
        return !!i && i.checked && b?.getAttribute('aria-pressed') === 'true'";
    b.until("the bent lens", bent).await?;
    b.sees("The marks miss the reference by").await?;
    eventually("the bent lens to be kept", async || {
        let kept = review::marks(&house.app, house.studio, take).await;
        kept.is_ok_and(|m| m.floor.is_some_and(|f| f.bent && f.far.is_some()))
    })
    .await?;
    b.client.goto(&bench).await?;
    b.sees("Fix first").await?;
    b.key("f").await?;
    b.until("the bent lens to be kept", bent).await?;
    b.look_over("Bench, two lines", &mut barriers).await?;
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_couple_that_steps_apart_shows_its_frame_limit() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let performance = Performance::new(&Scenario {
        chart: "block-spacing".into(),
        bpm: 72.0,
        repetitions: 1,
        seed: 71,
        ..Scenario::default()
    })?;
    let (take, review) = marked(&house, couple, &performance, 5).await?;
    let found = review.analysis.frame_limit.context("arms are joined")?;
    let found = found
        .estimate()
        .with_context(|| format!("the limit is found: {found:?}"))?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client
        .goto(&format!("{}/takes/{take}", house.url))
        .await?;
    b.sees("as their frame limit…").await?;
    b.script(
        "[...document.querySelectorAll('button')]
           .find(b => /^Keep .*[0-9].* as their frame limit…$/.test(b.innerText)).click()",
    )
    .await?;
    b.sees("In this take their arms lose their round shape")
        .await?;
    b.look_over("Frame limit found", &mut barriers).await?;
    b.press("Save").await?;
    b.closed().await?;
    let kept = house.app.store().couples(house.studio).await?[0].frame_limit;
    let kept = kept.context("a frame limit")?;
    anyhow::ensure!(
        (kept - found.value).abs() < 0.006,
        "{found:?} was kept as {kept}"
    );
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}

/// What may be a fault and may not is neither called one nor fine: the coach looks, and says.
#[tokio::test]
async fn what_is_not_sure_is_left_to_the_coachs_eye() -> anyhow::Result<()> {
    let house = House::open().await?;
    let couple = house.couple(["Wren", "Idris"]).await?;
    let performance = Performance::new(&Scenario {
        repetitions: 1,
        faults: vec![Shown::new("P1", Role::Follower).of(6.0)],
        seed: 21,
        ..Scenario::default()
    })?;
    let (take, review) = marked(&house, couple, &performance, 6).await?;
    let mut judged = review.analysis.judged.iter();
    let lean = judged
        .find(|j| j.fault == "P1" && j.role == Some(Role::Follower))
        .context("the lean is judged")?;
    // A band whose edge the reading has passed by little more than it is uncertain by.
    let worst = lean.evidence.first().context("its reading")?.value;
    let edge = worst.value - 1.3 * worst.sigma;
    let band = OwnBand {
        fault: "P1".into(),
        role: Some(Role::Follower),
        band: Band {
            fine: [None, Some(edge)],
            clear: [None, Some(edge + 5.0)],
        },
        reason: "a long back".into(),
    };
    let choices = Choices {
        bands: vec![band],
        ..Choices::default()
    };
    let store = house.app.store();
    let version = store.couple(house.studio, couple).await?.version;
    store
        .set_choices(house.studio, couple, version, &choices)
        .await?;

    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client
        .goto(&format!("{}/takes/{take}", house.url))
        .await?;
    b.sees("Not sure: look yourself").await?;
    let named = "return document.querySelector('section[aria-label=\"Not sure\"]')?.innerText.includes('Leans back out of the hold') ?? false";
    b.until("the lean among what is not sure", named).await?;
    let mut barriers = Vec::new();
    b.look_over("Bench, not sure", &mut barriers).await?;
    b.press("Look: Leans back out of the hold, follower")
        .await?;
    b.press("I see it: Leans back out of the hold, follower")
        .await?;
    b.sees("How much").await?;
    b.press("Log the correction").await?;
    b.closed().await?;
    b.sees("seen by eye, in the log").await?;
    let gone = format!("return !(() => {{ {named} }})()");
    b.until("it to be decided", &gone).await?;
    let logged = store.corrections(house.studio, None).await?;
    anyhow::ensure!(
        logged.len() == 1 && logged[0].fault == "P1" && logged[0].role == "follower",
        "{logged:?}"
    );
    anyhow::ensure!(barriers.is_empty(), "{}", barriers.join("\n"));
    b.client.clone().close().await?;
    Ok(())
}
