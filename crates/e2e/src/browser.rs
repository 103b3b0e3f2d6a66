//! Headless Chromium through ChromeDriver.

use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use anyhow::{Context as _, anyhow, bail};
use fantoccini::actions::{InputSource as _, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::wd::Capabilities;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use tokio::io::{AsyncBufReadExt as _, BufReader};
use tokio::process::{Child, Command};

use crate::wait::PATIENCE;

/// A browser window of exactly 1280×800.
pub struct Browser {
    /// The session.
    pub client: Client,
    /// What a coach did so far: a click, a key, a field gone to, a field filled are one each.
    inputs: AtomicU32,
    _driver: Child,
    _profile: tempfile::TempDir,
}

impl Browser {
    /// Starts ChromeDriver and a browser.
    pub async fn start() -> anyhow::Result<Self> {
        let (driver, mut lines, port) = driver().await?;
        // Somebody must read on, or the driver stops when the pipe is full.
        tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
        let profile = tempfile::tempdir()?;
        let mut arguments = vec![
            "--headless=new".to_owned(),
            "--window-size=1280,800".into(),
            "--no-first-run".into(),
            "--disable-gpu".into(),
            "--disable-dev-shm-usage".into(),
            "--disable-background-networking".into(),
            "--disable-component-update".into(),
            "--disable-sync".into(),
            "--autoplay-policy=no-user-gesture-required".into(),
            "--force-color-profile=srgb".into(),
            // What moves is clicked beside.
            "--force-prefers-reduced-motion".into(),
            format!("--user-data-dir={}", profile.path().display()),
        ];
        // Root may not use Chromium's own sandbox.
        let root = std::fs::metadata("/proc/self").is_ok_and(|m| {
            use std::os::unix::fs::MetadataExt as _;
            m.uid() == 0
        });
        if root {
            arguments.push("--no-sandbox".into());
        }
        let mut capabilities = Capabilities::new();
        capabilities.insert("goog:chromeOptions".into(), json!({ "args": arguments }));
        capabilities.insert("goog:loggingPrefs".into(), json!({ "browser": "ALL" }));
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities)
            .connect(&format!("http://127.0.0.1:{port}"))
            .await?;
        let browser = Self {
            client,
            inputs: AtomicU32::new(0),
            _driver: driver,
            _profile: profile,
        };
        browser.fit().await?;
        Ok(browser)
    }

    /// Counts what a coach does.
    pub fn count(&self, inputs: u32) {
        self.inputs.fetch_add(inputs, Ordering::Relaxed);
    }

    /// How much a coach has done since this was last asked.
    pub fn inputs(&self) -> u32 {
        self.inputs.swap(0, Ordering::Relaxed)
    }

    /// Makes the page, not the window, 1280×800.
    async fn fit(&self) -> anyhow::Result<()> {
        let outer = self
            .script("return [outerWidth - innerWidth, outerHeight - innerHeight]")
            .await?;
        let extra = |i: usize| outer[i].as_u64().unwrap_or(0) as u32;
        self.client
            .set_window_size(1280 + extra(0), 800 + extra(1))
            .await?;
        Ok(())
    }

    /// Runs a script in the page.
    pub async fn script(&self, text: &str) -> anyhow::Result<Value> {
        Ok(self.client.execute(text, vec![]).await?)
    }

    /// Waits until a script gives true.
    pub async fn until(&self, what: &str, text: &str) -> anyhow::Result<()> {
        let begun = std::time::Instant::now();
        while begun.elapsed() < PATIENCE {
            if self
                .script(text)
                .await
                .is_ok_and(|v| v == Value::Bool(true))
            {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        let page = self.script("return document.body.innerText").await?;
        bail!("waited in vain for {what}; the page says: {page}")
    }

    /// The element a CSS selector finds, once it is there.
    pub async fn css(&self, selector: &str) -> anyhow::Result<Element> {
        let found = self
            .client
            .wait()
            .at_most(PATIENCE)
            .for_element(Locator::Css(selector))
            .await;
        match found {
            Ok(element) => Ok(element),
            Err(e) => bail!("{selector}: {e}; the page says: {}", self.text().await?),
        }
    }

    /// The element an XPath finds, once it is there.
    pub async fn xpath(&self, path: &str) -> anyhow::Result<Element> {
        let found = self
            .client
            .wait()
            .at_most(PATIENCE)
            .for_element(Locator::XPath(path))
            .await;
        match found {
            Ok(element) => Ok(element),
            Err(e) => bail!("{path}: {e}; the page says: {}", self.text().await?),
        }
    }

    /// Clicks the button whose name (label or text) is this.
    pub async fn press(&self, name: &str) -> anyhow::Result<()> {
        let path = format!(
            "//*[(self::button or self::a or @role='button' or @role='option') and (@aria-label={0} or normalize-space(.)={0})][not(@disabled)]",
            quoted(name)
        );
        self.click(&path).await
    }

    /// Clicks what may be moving (a dialog opens, a list scrolls) or be replaced while it is found.
    pub async fn click(&self, path: &str) -> anyhow::Result<()> {
        self.count(1);
        let begun = std::time::Instant::now();
        loop {
            match self.xpath(path).await?.click().await {
                Ok(()) => return Ok(()),
                Err(e) if begun.elapsed() > PATIENCE => return Err(anyhow!("{path}: {e}")),
                Err(_) => tokio::time::sleep(Duration::from_millis(80)).await,
            }
        }
    }

    /// Types into the field with this label, replacing what is there.
    pub async fn fill(&self, label: &str, text: &str) -> anyhow::Result<()> {
        self.count(2);
        let path = format!(
            "//label[starts-with(normalize-space(.), {})]/following-sibling::div//*[self::input or self::textarea][not(@aria-hidden)]",
            quoted(label)
        );
        let field = self.xpath(&path).await?;
        // The page keeps the value in its own state, which must hear of every change.
        self.client
            .execute(
                "const [f, v] = arguments; const proto = f.tagName === 'TEXTAREA' ? HTMLTextAreaElement : HTMLInputElement;
                 Object.getOwnPropertyDescriptor(proto.prototype, 'value').set.call(f, v);
                 f.dispatchEvent(new Event('input', { bubbles: true }));",
                vec![serde_json::to_value(field)?, json!(text)],
            )
            .await?;
        Ok(())
    }

    /// In the text editor: puts the caret behind `before`, marks it and types `after` over it.
    pub async fn type_over(&self, before: &str, after: &str) -> anyhow::Result<()> {
        self.css(".cm-content").await?;
        let done = self
            .client
            .execute(
                "const [before] = arguments; const box = document.querySelector('.cm-content');
                 for (const line of box.querySelectorAll('.cm-line')) {
                   const at = line.textContent.indexOf(before);
                   if (at < 0) continue;
                   const place = (offset) => {
                     const walk = document.createTreeWalker(line, NodeFilter.SHOW_TEXT);
                     for (let n = walk.nextNode(), left = offset; n; n = walk.nextNode()) {
                       if (left <= n.length) return [n, left];
                       left -= n.length;
                     }
                     return [line, line.childNodes.length];
                   };
                   box.focus();
                   const range = document.createRange();
                   range.setStart(...place(at));
                   range.setEnd(...place(at + before.length));
                   const s = getSelection(); s.removeAllRanges(); s.addRange(range);
                   return true;
                 }
                 return false;",
                vec![json!(before)],
            )
            .await?;
        anyhow::ensure!(done == true, "“{before}” is not in the text");
        // The editor reads the selection before it takes keys.
        tokio::time::sleep(Duration::from_millis(150)).await;
        self.client
            .find(fantoccini::Locator::Css(".cm-content"))
            .await?
            .send_keys(after)
            .await?;
        Ok(())
    }

    /// Chooses an option of the list with this label.
    pub async fn choose(&self, label: &str, option: &str) -> anyhow::Result<()> {
        let field = format!(
            "//*[contains(@class, 'MuiInputLabel-root') and starts-with(normalize-space(.), {})]/following-sibling::div//*[@role='combobox']",
            quoted(label)
        );
        self.count(1);
        self.xpath(&field).await?.click().await?;
        let path = format!(
            "//li[@role='option' and normalize-space(.)={}]",
            quoted(option)
        );
        // A list that still moves as it opens takes the click on a neighbour, or not at all.
        self.still(&path).await?;
        self.click(&path).await?;
        self.until(
            &format!("the list of {label} to close"),
            "return document.querySelector('[role=listbox]') === null",
        )
        .await?;
        // A choice of nothing leaves the field empty.
        let shown = self.xpath(&field).await?.text().await?;
        let shown = shown.trim_matches(|c: char| c.is_whitespace() || c == '\u{200b}');
        anyhow::ensure!(
            shown == option || shown.is_empty(),
            "{label} shows “{shown}” instead of “{option}”"
        );
        Ok(())
    }

    /// Waits until an element has stood in one place for three looks.
    async fn still(&self, path: &str) -> anyhow::Result<()> {
        let begun = std::time::Instant::now();
        let mut last = None;
        let mut same = 0;
        while same < 2 && begun.elapsed() < PATIENCE {
            let now = self.xpath(path).await?.rectangle().await.ok();
            same = if now.is_some() && now == last {
                same + 1
            } else {
                0
            };
            last = now;
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        Ok(())
    }

    /// Drags the middle of one element to the middle of another with the mouse.
    pub async fn drag(&self, from: &str, to: &str) -> anyhow::Result<()> {
        let mut middles = Vec::new();
        for selector in [from, to] {
            let (x, y, w, h) = self.css(selector).await?.rectangle().await?;
            middles.push((x + w / 2.0, y + h / 2.0));
        }
        let at = |(x, y): (f64, f64), millis| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(millis)),
            x,
            y,
        };
        let (a, z) = (middles[0], middles[1]);
        let button = MOUSE_BUTTON_LEFT;
        let mouse = MouseActions::new("mouse".into())
            .then(at(a, 50))
            .then(PointerAction::Down { button })
            // The list takes it for a drag after a few pixels.
            .then(at((a.0, a.1 - 12.0), 150))
            .then(at(z, 400))
            .then(at((z.0, z.1 - 4.0), 150))
            .then(PointerAction::Up { button });
        Ok(self.client.perform_actions(mouse).await?)
    }

    /// Adds what axe finds on the page as it stands.
    pub async fn look_over(&self, place: &str, found: &mut Vec<String>) -> anyhow::Result<()> {
        // Colours are still moving while a dialog or a button fades in.
        tokio::time::sleep(Duration::from_millis(400)).await;
        let all = self.violations().await?;
        found.extend(all.into_iter().map(|v| format!("{place}: {v}")));
        Ok(())
    }

    /// Waits until no dialog is open.
    pub async fn closed(&self) -> anyhow::Result<()> {
        self.until(
            "the dialog to close",
            "return !document.querySelector('[role=dialog]')",
        )
        .await
    }

    /// Clicks a pixel of the film, found on the page by the overlay's own transformation.
    pub async fn click_pixel(&self, pixel: [f64; 2]) -> anyhow::Result<()> {
        self.count(1);
        self.client
            .execute(
                "const svg = document.querySelector('[data-testid=overlay]'); const [x, y] = arguments;
                 const p = new DOMPoint(x, y).matrixTransform(svg.getScreenCTM());
                 for (const type of ['pointerdown', 'pointerup'])
                   svg.dispatchEvent(new PointerEvent(type, { clientX: p.x, clientY: p.y, bubbles: true, button: 0, pointerId: 1 }));",
                vec![json!(pixel[0]), json!(pixel[1])],
            )
            .await?;
        Ok(())
    }

    /// Sends one key to the page.
    pub async fn key(&self, key: &str) -> anyhow::Result<()> {
        self.count(1);
        self.client
            .execute(
                "const [key] = arguments; const parts = key.split('+'); const k = key === '+' ? '+' : parts.pop();
                 window.dispatchEvent(new KeyboardEvent('keydown', { key: k, bubbles: true, cancelable: true,
                   shiftKey: parts.includes('Shift'), ctrlKey: parts.includes('Ctrl') }));",
                vec![json!(key)],
            )
            .await?;
        Ok(())
    }

    /// Text of the page.
    pub async fn text(&self) -> anyhow::Result<String> {
        Ok(self
            .script("return document.body.innerText")
            .await?
            .as_str()
            .unwrap_or_default()
            .to_owned())
    }

    /// Waits until the page shows a text.
    pub async fn sees(&self, text: &str) -> anyhow::Result<()> {
        let script = format!("return document.body.innerText.includes({})", json!(text));
        self.until(text, &script).await
    }

    /// Every accessibility violation that axe finds in the page as it stands, in words.
    async fn violations(&self) -> anyhow::Result<Vec<String>> {
        let axe = Path::new(env!("CARGO_MANIFEST_DIR"))
            .join("../../web/node_modules/axe-core/axe.min.js");
        let source = std::fs::read_to_string(&axe).with_context(|| axe.display().to_string())?;
        self.client.execute(&source, vec![]).await?;
        let found = self
            .client
            .execute_async(
                "const done = arguments[arguments.length - 1];
                 axe.run({ exclude: [['[role=tooltip]']] }, { resultTypes: ['violations'] }).then(r => done(r.violations.flatMap(v =>
                   v.nodes.map(n => `${v.id} (${v.impact}): ${n.target} ${n.failureSummary}`))));",
                vec![],
            )
            .await?;
        Ok(serde_json::from_value(found)?)
    }

    /// Takes a picture of the page.
    pub async fn picture(&self, file: &Path) -> anyhow::Result<()> {
        // Fonts loaded, and moving parts at rest.
        self.until("fonts", "return document.fonts.status === 'loaded'")
            .await?;
        tokio::time::sleep(Duration::from_millis(500)).await;
        std::fs::write(file, self.client.screenshot().await?)?;
        Ok(())
    }

    /// Signs in with what the first page shows or with these.
    pub async fn sign_in(&self, url: &str, email: &str, password: &str) -> anyhow::Result<()> {
        self.client.goto(url).await?;
        self.fill("E-mail address", email).await?;
        self.fill("Password", password).await?;
        self.press("Sign in").await?;
        self.sees("Takes to review").await
    }

    /// Gives a file to the page's file field.
    pub async fn give_file(&self, file: PathBuf) -> anyhow::Result<()> {
        self.count(2);
        self.css("input[type=file]")
            .await?
            .send_keys(&file.display().to_string())
            .await?;
        Ok(())
    }
}

/// How often ChromeDriver is started before it is given up: now and then one of several started at once ends
/// without a word, likely because another one took its port.
const STARTS: u32 = 4;

type Lines = tokio::io::Lines<BufReader<tokio::process::ChildStdout>>;

/// A running ChromeDriver, what it still says, and its port.
async fn driver() -> anyhow::Result<(Child, Lines, u16)> {
    for _ in 0..STARTS {
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .kill_on_drop(true)
            .spawn()
            .context("chromedriver is missing; run scripts/install.sh test")?;
        let out = driver.stdout.take().context("no output")?;
        let mut lines = BufReader::new(out).lines();
        while let Some(line) = lines.next_line().await? {
            if let Some((_, rest)) = line.split_once("successfully on port ") {
                let port = rest.trim_end_matches('.').parse()?;
                return Ok((driver, lines, port));
            }
        }
    }
    bail!("chromedriver ends as soon as it is started")
}

/// A string for XPath; names here have no double quotes.
fn quoted(text: &str) -> String {
    format!("\"{text}\"")
}
