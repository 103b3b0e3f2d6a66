//! A figure written, mended, put into a routine and joined, and a simulated couple filmed, by mouse
//! and keyboard in a real browser.

use anyhow::Context as _;
use upright_core::chart::{chart, notation};
use upright_e2e::{Browser, House, PASSWORD};

/// As the driver's protocol names the keys.
const ARROW_UP: &str = "\u{e013}";
const ARROW_RIGHT: &str = "\u{e014}";

/// The order of the figures on the desk.
async fn order(b: &Browser, wanted: &[&str]) -> anyhow::Result<()> {
    let names = serde_json::to_string(wanted)?;
    b.until(
        &format!("the order {names}"),
        &format!(
            "return JSON.stringify([...document.querySelectorAll('[data-item] a')].map(a => a.textContent)) === {}",
            serde_json::to_string(&names)?
        ),
    )
    .await
}

#[tokio::test]
async fn from_a_mistake_to_a_routine_that_joins() -> anyhow::Result<()> {
    let house = House::open().await?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;

    // The library, searched.
    b.press("Charts").await?;
    b.sees("58 figures").await?;
    b.look_over("library", &mut barriers).await?;
    b.choose("Dance", "West Coast swing").await?;
    b.choose("Hands at an end", "two hands").await?;
    b.choose("Position at an end", "arm lock").await?;
    b.sees("3 figures").await?;
    b.choose("Turns", "both turn").await?;
    b.sees("No figure is like that").await?;
    b.choose("Turns", "follower turns").await?;
    b.sees("3 figures").await?;
    b.press("Into the arm-lock").await?;

    // One figure, stepped through, and in one dancer's own lengths.
    b.sees("Before the first count").await?;
    b.key("ArrowRight").await?;
    b.sees("Count 1 ·").await?;
    b.key("ArrowRight").await?;
    b.until(
        "the second count on the floor",
        "return document.querySelector('svg[data-count]').dataset.count === '1'
           && document.querySelector('tr[aria-current=step]').rowIndex === 2",
    )
    .await?;
    b.look_over("figure", &mut barriers).await?;
    b.press("Follower alone").await?;
    b.fill("Follower, cm", "160").await?;
    b.sees("a full step is your own: 66 cm for a height of 160 cm")
        .await?;
    b.until(
        "only the follower’s column",
        "return document.querySelectorAll('main thead th').length === 2",
    )
    .await?;
    b.press("For a couple").await?;
    b.sees("Joined, both take the same full step").await?;
    b.look_over("figure for a couple", &mut barriers).await?;

    // The library's figures are adapted, not changed.
    let page = format!("{}/charts/figure/wcs-arm-lock", house.url);
    b.client.goto(&format!("{page}/edit")).await?;
    b.sees("New figure").await?;
    b.client.goto(&page).await?;
    b.sees("follower half to the right").await?;

    // An adaptation, with a mistake that is named at its row and mended.
    b.press("Duplicate and adapt").await?;
    b.sees("passes every check").await?;
    b.type_over("my-wcs-arm-lock: Into", "our-lock: Our way into")
        .await?;
    b.sees("passes every check").await?;
    b.type_over("R close", "L close").await?;
    b.sees("to mend").await?;
    b.sees("already carries the weight").await?;
    b.until(
        "the mistake at its row of the table",
        "return !!document.querySelector('[data-cell=\"1-leader\"] svg title')
           && !!document.querySelector('.cm-lintRange-error')",
    )
    .await?;
    b.look_over("editor", &mut barriers).await?;
    // What is not saved yet survives leaving the page.
    b.client.refresh().await?;
    b.sees("typed earlier and not saved yet").await?;
    b.sees("to mend").await?;
    b.type_over("L close", "R close").await?;
    b.sees("passes every check").await?;

    // The same through the table, and back.
    b.css("[data-cell='0-follower'] button")
        .await?
        .click()
        .await?;
    b.sees("Follower, count 1").await?;
    b.fill("Size", "31.5").await?;
    b.look_over("row", &mut barriers).await?;
    b.press("Write it").await?;
    b.closed().await?;
    b.sees("31.5%").await?;
    b.press("Undo").await?;
    b.until(
        "the size as it was",
        "return !document.querySelector('.cm-content').textContent.includes('31.5%')",
    )
    .await?;
    b.sees("passes every check").await?;
    b.press("Save").await?;
    b.sees("own figure").await?;
    b.sees("Our way into the arm-lock").await?;

    // A file with a figure comes in once; the same again is refused in words.
    b.press("Charts").await?;
    b.sees("59 figures").await?;
    let mut push = chart("wcs-push").context("the push")?.draft().clone();
    push.id = "our-push".into();
    push.name = "Our push".into();
    let file = house.folder.path().join("our-push.chart");
    std::fs::write(&file, notation::print(&push))?;
    b.give_file(file.clone()).await?;
    b.sees("1 figure kept: our-push").await?;
    b.sees("60 figures").await?;
    b.give_file(file).await?;
    b.sees("there already. Nothing was added").await?;

    // Into a routine, where the next figure does not join.
    b.press("Routines").await?;
    b.sees("No routine yet").await?;
    b.press("New routine").await?;
    b.fill("Name", "Spring").await?;
    b.press("Make").await?;
    b.sees("Choose the first figure").await?;
    b.css("[data-figure='our-lock']").await?.click().await?;
    order(&b, &["Our way into the arm-lock, adapted"]).await?;
    b.css("[data-figure='wcs-whip']").await?.click().await?;
    b.css("[data-joint=refused]").await?;
    b.sees("Ends arm-lock, the next begins open-facing").await?;
    b.look_over("desk", &mut barriers).await?;
    b.xpath("//button[starts-with(normalize-space(.), 'Put between: Out of the arm-lock')]")
        .await?
        .click()
        .await?;
    b.until(
        "both joints to fit",
        "return document.querySelectorAll('[data-joint=fits]').length === 2
           && !document.querySelector('[data-joint=refused]')",
    )
    .await?;
    b.sees("Every figure joins the next").await?;

    // Moved by keys, by the keyboard's dragging, and back.
    let names = [
        "Our way into the arm-lock, adapted",
        "Out of the arm-lock by letting go",
        "Whip",
    ];
    order(&b, &names).await?;
    b.key("j").await?;
    b.key("Shift+ArrowDown").await?;
    order(&b, &[names[1], names[0], names[2]]).await?;
    b.css("[data-joint=refused]").await?;
    b.key("Ctrl+z").await?;
    order(&b, &names).await?;
    let handle = b.css("[data-item='2'] button").await?;
    for key in [" ", ARROW_UP, " "] {
        handle.send_keys(key).await?;
        // The list measures itself anew after each key.
        tokio::time::sleep(std::time::Duration::from_millis(350)).await;
    }
    order(&b, &[names[0], names[2], names[1]]).await?;
    b.press("Undo").await?;
    order(&b, &names).await?;

    // Dragged by the mouse, over the whole list.
    b.drag("[data-item='2'] button", "[data-item='0'] button")
        .await?;
    order(&b, &[names[2], names[0], names[1]]).await?;
    b.press("Undo").await?;
    order(&b, &names).await?;

    // The music, and the sheet.
    b.press("Music and floor").await?;
    b.fill("Bars of a phrase", "5").await?;
    b.look_over("music and floor", &mut barriers).await?;
    b.press("Save").await?;
    b.closed().await?;
    b.press("Sheet").await?;
    b.sees("5 bars a phrase").await?;
    b.sees("Out of the arm-lock").await?;
    b.look_over("sheet", &mut barriers).await?;

    assert_eq!(barriers, Vec::<String>::new());
    b.client.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_practice_clip_lands_as_a_take_with_its_fault_found() -> anyhow::Result<()> {
    let house = House::open().await?;
    let b = Browser::start().await?;
    let mut barriers = Vec::new();
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Bench").await?;
    b.press("Practice clip").await?;
    b.sees("no real person is shown").await?;
    b.fill("Times", "40").await?;
    b.press("Make the clip").await?;
    b.sees("a practice clip lasts at most 90 s").await?;
    b.fill("Times", "2").await?;
    b.press("Add a fault of the follower").await?;
    let lean = b
        .css("input[aria-label='Size: Leans back out of the hold, follower']")
        .await?;
    for _ in 0..3 {
        lean.send_keys(ARROW_RIGHT).await?;
    }
    b.sees("12 °").await?;
    b.click("//label[contains(., 'second phone')]//input")
        .await?;
    b.fill("2nd: starts after, s", "0.5").await?;
    b.look_over("studio", &mut barriers).await?;
    b.press("Make the clip").await?;
    b.sees("Practice leader, 182 cm & Practice follower, 166 cm")
        .await?;
    b.until(
        "the film",
        "const v = document.querySelector('video'); return !!v && v.readyState >= 2",
    )
    .await?;
    b.sees("Basic, six counts, 2 times").await?;
    b.sees("Leans back out of the hold").await?;
    // The second phone began half a second later; stepped on the first, it shows the same moment.
    b.sees("angle 2 · begins +0.50 s").await?;
    b.until(
        "the second film",
        "const v = document.querySelectorAll('video')[1]; return !!v && v.readyState >= 2",
    )
    .await?;
    for _ in 0..20 {
        b.key(".").await?;
    }
    let in_step = "const [a, b] = document.querySelectorAll('video');
         return Math.abs(a.currentTime - b.currentTime - 0.5) < 0.03 && a.currentTime > 0.6";
    b.until("both films in step", in_step).await?;
    // The beat is heard, and replaces what was there as the count.
    b.key("h").await?;
    b.sees("of them are plainly heard").await?;
    b.press("Twice as many").await?;
    b.sees("1 a beat later").await?;
    b.look_over("heard count", &mut barriers).await?;
    b.key("Ctrl+z").await?;
    b.key("Ctrl+z").await?;
    // Both dancers are looked for in both films: told how far it is, stopped, asked for again.
    b.key("b").await?;
    b.press("Find both dancers").await?;
    b.sees("Finding the dancers in angle 2").await?;
    b.look_over("finding", &mut barriers).await?;
    b.click("(//button[.='Stop'])[last()]").await?;
    b.until(
        "one angle's work alone",
        "return !document.body.innerText.includes('Finding the dancers in angle 2')",
    )
    .await?;
    let begun = std::time::Instant::now();
    while begun.elapsed().as_secs() < 600 && !b.text().await?.contains("Exchange their names") {
        tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    }
    b.sees("bodies in").await?;
    b.look_over("found dancers", &mut barriers).await?;
    b.press("Exchange their names").await?;
    b.key("w").await?;
    b.sees("angle 2 · begins +0.50 s").await?;
    // Put a frame later by hand: 40 ms at 25 frames a second.
    b.click("//button[@aria-label='Angle 2 begins one frame later']")
        .await?;
    b.sees("angle 2 · begins +0.54 s").await?;
    // The couple in space, turned by the keys, which then do not step the film.
    b.key("v").await?;
    b.sees("Turned away from the partner").await?;
    let round = "document.querySelector('[data-round]')?.dataset.round";
    b.until("the scene", &format!("return {round} === '20'"))
        .await?;
    b.css("[data-round]").await?.send_keys(ARROW_RIGHT).await?;
    b.until("a turned scene", &format!("return {round} === '30'"))
        .await?;
    b.sees("One phone tells it best").await?;
    b.look_over("simulated take", &mut barriers).await?;
    // A joint is marked on the second phone's picture, in its own time.
    b.key("b").await?;
    b.sees("Marking on the first angle.").await?;
    b.click("//button[@aria-label='Mark on angle 2']").await?;
    b.sees("Marking on angle 2").await?;
    b.key("s").await?;
    let marked = "return [...document.querySelectorAll(\"[aria-label='Angle 2'] svg text\")]
         .some((t) => t.textContent.includes('heel'))";
    b.until("a heel on the second picture", marked).await?;
    b.look_over("second angle", &mut barriers).await?;
    // At a count the solved bodies lie over the film that has a floor.
    b.key("w").await?;
    b.css("[data-cell='1-2']").await?.click().await?;
    b.until(
        "both solved bodies on the picture",
        "return document.querySelector('[data-testid=overlay]')
             .querySelectorAll('[data-solved] line').length === 36",
    )
    .await?;
    b.click("//button[@aria-label='Files in and out']").await?;
    b.sees("Landmarks from another program").await?;
    b.sees("All measures as a table (CSV)").await?;
    b.look_over("files in and out", &mut barriers).await?;
    assert_eq!(barriers, Vec::<String>::new());
    b.client.clone().close().await?;
    Ok(())
}

/// Waits until a field's value is this.
async fn holds(b: &Browser, label: &str, value: &str) -> anyhow::Result<()> {
    b.until(
        &format!("{label} to be {value}"),
        &format!(
            "return document.querySelector('input[aria-label=\"{label}\"]')?.value === '{value}'"
        ),
    )
    .await
}

#[tokio::test]
async fn hands_change_between_figures_and_another_window_is_not_overwritten() -> anyhow::Result<()>
{
    let house = House::open().await?;
    let store = house.app.store();
    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.client
        .goto(&format!("{}/charts/routines", house.url))
        .await?;
    b.press("New routine").await?;
    b.fill("Name", "Autumn").await?;
    b.press("Make").await?;
    b.css("[data-figure='wcs-push']").await?.click().await?;
    b.css("[data-item='0']").await?;
    b.css("[data-figure='wcs-arm-lock']").await?.click().await?;

    // Only the hands are missing: no figure is offered, and the change can be taken back.
    b.css("[data-joint=refused]").await?;
    b.sees("Holds L-R at the end, the next begins with L-R, R-L")
        .await?;
    b.until(
        "no bridge",
        "return ![...document.querySelectorAll('button')].some(x => x.textContent.startsWith('Put between'))",
    )
    .await?;
    b.press("Change hands: take R-L").await?;
    b.css("[data-joint=fits]").await?;
    b.sees("before it: take R-L").await?;
    b.press("leave the hands").await?;
    b.css("[data-joint=refused]").await?;
    b.press("Undo").await?;
    b.css("[data-joint=fits]").await?;

    // More of one figure shows in the beats; less goes back.
    b.press("Once more: Push").await?;
    b.sees("18 beats").await?;
    b.press("Once less: Push").await?;
    // The routine's own length, which is told once it is kept.
    b.sees("12 beats, 0:06 min").await?;

    // The name is kept when the field is left.
    let kept = store.routines(house.studio).await?;
    let mine = kept.first().context("the routine")?;
    assert_eq!((mine.name.as_str(), mine.plan.items.len()), ("Autumn", 2));

    // Changed in another window meanwhile: told, nothing of it lost.
    store
        .save_routine(
            house.studio,
            mine.id,
            mine.version,
            "Elsewhere",
            &mine.plan.0,
        )
        .await?;
    b.press("Once more: Push").await?;
    let refused = "//button[normalize-space(.)='Show what is kept']";
    b.xpath(refused).await?;
    // What is changed after the refusal does not overwrite it either.
    b.press("Once more: Push").await?;
    b.sees("×3").await?;
    b.xpath(refused).await?;
    let kept = store.routine(house.studio, mine.id).await?;
    assert_eq!(
        (kept.name.as_str(), kept.version),
        ("Elsewhere", mine.version + 1)
    );
    b.press("Show what is kept").await?;
    holds(&b, "Name of the routine", "Elsewhere").await?;
    b.sees("12 beats").await?;
    b.press("Once more: Push").await?;
    b.sees("18 beats").await?;

    b.press("Remove").await?;
    b.sees("Its figures stay in the library").await?;
    b.css("[role=dialog] button[type=submit]")
        .await?
        .click()
        .await?;
    b.sees("No routine yet").await?;
    assert!(store.routines(house.studio).await?.is_empty());
    b.client.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_new_figure_is_written_in_the_table_and_kept_beside_another_window() -> anyhow::Result<()>
{
    let house = House::open().await?;
    let store = house.app.store();
    let b = Browser::start().await?;
    b.sign_in(&house.url, "coach@hall.example", PASSWORD)
        .await?;
    b.press("Charts").await?;
    b.press("New figure").await?;
    b.sees("passes every check").await?;

    // The couple's part: a change of hands that is none is refused in words, a right one is written.
    b.css("[data-cell='2-couple'] button")
        .await?
        .click()
        .await?;
    b.sees("The couple, count 3").await?;
    b.choose("Connection from here", "stretch").await?;
    b.fill("Hands that change", "grab L-R").await?;
    b.press("Write it").await?;
    b.sees("Write each change as take, catch, release, throw")
        .await?;
    b.fill("Hands that change", "take R-L").await?;
    b.press("Write it").await?;
    b.closed().await?;
    b.until(
        "the text to say so",
        "return document.querySelector('.cm-content').textContent.includes('open-facing take R-L stretch')",
    )
    .await?;
    b.sees("passes every check").await?;

    // A step taken out leaves the other foot twice, which undo mends.
    b.css("[data-cell='1-leader'] button")
        .await?
        .click()
        .await?;
    b.sees("Leader, count 2").await?;
    b.choose("What the foot does", "nothing on this count")
        .await?;
    b.press("Write it").await?;
    b.closed().await?;
    b.sees("to mend").await?;
    b.press("Undo").await?;
    b.sees("passes every check").await?;

    // A line that cannot be read locks the table, so that nothing typed is lost.
    b.type_over("R close", "R clse").await?;
    b.sees("Mend line 12 in the text first").await?;
    b.until(
        "a table without buttons for its steps",
        "return !document.querySelector('[data-cell=\"1-follower\"] button')",
    )
    .await?;
    b.type_over("R clse", "R close").await?;
    b.sees("passes every check").await?;

    b.press("Save").await?;
    b.sees("own figure").await?;
    let first = store.own_chart(house.studio, "my-figure").await?;
    assert!(
        first.text.contains("open-facing take R-L stretch"),
        "{}",
        first.text
    );

    // Changed in another window meanwhile: refused, and the text stays where it is.
    b.press("Edit").await?;
    b.sees("passes every check").await?;
    b.type_over("My figure", "Our figure").await?;
    b.sees("Edit Our figure").await?;
    let other = first.text.replace("My figure", "Their figure");
    store
        .save_own_chart(house.studio, "my-figure", first.version, &other)
        .await?;
    b.press("Save").await?;
    b.css("[role=alert]").await?;
    b.sees("Our figure").await?;
    let kept = store.own_chart(house.studio, "my-figure").await?;
    assert_eq!(kept.text, other);

    // And gone.
    b.client
        .goto(&format!("{}/charts/figure/my-figure", house.url))
        .await?;
    b.sees("Their figure").await?;
    b.press("Remove").await?;
    b.css("[role=dialog] button[type=submit]")
        .await?
        .click()
        .await?;
    b.sees("58 figures").await?;
    assert!(store.own_charts(house.studio).await?.is_empty());
    b.client.clone().close().await?;
    Ok(())
}
