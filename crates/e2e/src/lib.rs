//! The real interface in headless Chromium: what the browser tests and the screenshots share.
//!
//! [`App`] is a server of its own over an empty folder, [`Browser`] a Chromium with a profile of
//! its own. Both are gone when they are dropped. `chromium` and `chromedriver` must be installed;
//! `cargo xtask test` sees to that.

use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::error::{CmdError, ErrorStatus, NewSessionError};
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use http::Method;
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::cell::Cell;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, LazyLock};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use tokio::runtime::Runtime;
use tokio::sync::{Semaphore, SemaphorePermit};
use url::Url;
use vivida_store::Store;

/// A running server with the demo songs.
pub struct App {
    /// `http://127.0.0.1:<port>`.
    pub address: String,
    folder: TempDir,
    shutdown: rocket::Shutdown,
}

impl App {
    /// Starts a server over a new folder.
    pub async fn start() -> App {
        let folder = tempfile::tempdir().expect("a folder can be made");
        copy_of_demo(folder.path());
        App::over(folder, true).await
    }

    /// Starts a server with nothing on the shelf.
    pub async fn start_empty() -> App {
        App::over(tempfile::tempdir().expect("a folder can be made"), false).await
    }

    async fn over(folder: TempDir, demo: bool) -> App {
        // A server before it lets go of the folder when its last request is answered.
        let path = folder.path().join(DATABASE);
        let mut opened = Store::open(&path);
        for _ in 0..50 {
            if opened.is_ok() {
                break;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
            opened = Store::open(&path);
        }
        let store = opened.expect("the store opens");
        let app = vivida_server::App::new(store);
        if demo {
            app.add_demo().expect("the demo songs are whole");
        }
        let (sender, receiver) = rocket::tokio::sync::oneshot::channel();
        let told = rocket::fairing::AdHoc::on_liftoff("tell the port", |rocket| {
            let _ = sender.send(rocket.config().port);
            Box::pin(async {})
        });
        let server = vivida_server::rocket(Arc::new(app), 0)
            .attach(told)
            .attach(slow())
            .ignite()
            .await
            .expect("the server ignites");
        let shutdown = server.shutdown();
        rocket::tokio::spawn(server.launch());
        let port = receiver.await.expect("the server starts");
        App { address: format!("http://127.0.0.1:{port}"), folder, shutdown }
    }

    /// Stops the server and starts another one over the same folder.
    pub async fn restart(self) -> App {
        self.restart_after(|_| ()).await
    }

    /// Stops the server, lets something happen to its database, and starts another one over it.
    pub async fn restart_after(self, meanwhile: impl FnOnce(&Path)) -> App {
        self.shutdown.notify();
        tokio::time::sleep(Duration::from_millis(200)).await;
        meanwhile(&self.folder.path().join(DATABASE));
        App::over(self.folder, true).await
    }

    /// Stops the server.
    pub async fn stop(self) {
        self.shutdown.notify();
        tokio::time::sleep(Duration::from_millis(300)).await;
    }

    /// A folder for files of the test.
    pub fn folder(&self) -> PathBuf {
        self.folder.path().to_owned()
    }
}

/// The demo songs' database, made once and copied for each server.
fn copy_of_demo(to: &Path) {
    static MADE: LazyLock<TempDir> = LazyLock::new(|| {
        let folder = tempfile::tempdir().expect("a folder can be made");
        let store = Store::open(&folder.path().join(DATABASE)).expect("the store opens");
        vivida_server::App::new(store).add_demo().expect("the demo songs are whole");
        folder
    });
    for entry in std::fs::read_dir(MADE.path()).expect("the folder is there").flatten() {
        let is_file = entry.file_type().is_ok_and(|kind| kind.is_file());
        assert!(is_file, "{}: only files are copied", entry.path().display());
        std::fs::copy(entry.path(), to.join(entry.file_name())).expect("a file can be copied");
    }
}

const DATABASE: &str = "vivida.sqlite";

/// Holds every answer back by the milliseconds of `VIVIDA_SLOW`: a journey holds on a slow machine, too.
fn slow() -> impl rocket::fairing::Fairing {
    let by = std::env::var("VIVIDA_SLOW").ok().and_then(|ms| ms.parse().ok()).map(Duration::from_millis);
    rocket::fairing::AdHoc::on_response("answer slowly", move |request, _| {
        Box::pin(async move {
            if let Some(by) = by.filter(|_| request.uri().path().starts_with("/api")) {
                tokio::time::sleep(by).await;
            }
        })
    })
}

/// A browser window. When it is closed its browser goes on to the next journey, with nothing of this one in it: each
/// server has an origin of its own. One that is dropped, as by a journey that failed, ends.
pub struct Browser {
    /// For what the helpers here do not cover.
    pub client: Client,
    driver: Driver,
    /// Something was put into it that stays; no other journey gets it.
    is_spoilt: Cell<bool>,
}

/// Browsers that wait for a journey.
static IDLE: std::sync::Mutex<Vec<(Client, Driver)>> = std::sync::Mutex::new(Vec::new());

/// What talks to the drivers: browsers live longer than a journey and its runtime.
static TALKING: LazyLock<Runtime> = LazyLock::new(|| {
    let threads = tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build();
    threads.expect("a thread can be started")
});

/// A chromedriver and its browser. They end when it is dropped, and when this program ends in whatever way: a browser
/// that was left behind would go on playing its loop, and slow down all that follow.
struct Driver {
    /// A shell that waits for the end of its input, then ends both.
    guard: Child,
    /// The address of its session.
    session: String,
}

impl Driver {
    fn start(port: u16, profile: &Path) -> Driver {
        let guarding = r#"
            chromedriver --port="$0" >/dev/null 2>&1 &
            driver=$!
            cat >/dev/null
            kill "$driver"
            for process in /proc/[0-9]*; do
                grep -qs -- "--user-data-dir=$1" "$process/cmdline" && kill -9 "${process#/proc/}"
            done
            rm -rf "$1"
        "#;
        let mut command = Command::new("sh");
        command.arg("-c").arg(guarding).arg(port.to_string()).arg(profile);
        command.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::null());
        let guard = command.spawn().expect("chromedriver is installed (cargo xtask test installs it)");
        Driver { guard, session: String::new() }
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        drop(self.guard.stdin.take());
        let _ = self.guard.wait();
    }
}

/// What a browser command can fail with.
pub type Failed = CmdError;

/// Whether a failure passes by itself when the page comes to rest.
fn passes(error: &Failed) -> bool {
    let CmdError::Standard(refused) = error else { return false };
    matches!(
        refused.error,
        ErrorStatus::StaleElementReference
            | ErrorStatus::ElementClickIntercepted
            | ErrorStatus::ElementNotInteractable
            | ErrorStatus::NoSuchElement
    )
}

/// So long is waited for what a page is to show. A shared machine may stand still for many seconds; what never comes
/// costs this much once.
const PATIENCE: Duration = Duration::from_secs(60);

/// A question to Chromium itself, which the driver hands on.
#[derive(Debug)]
struct Devtools {
    command: &'static str,
    parameters: Value,
}

impl WebDriverCompatibleCommand for Devtools {
    fn endpoint(&self, base: &Url, session: Option<&str>) -> Result<Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        (Method::POST, Some(json!({"cmd": self.command, "params": self.parameters}).to_string()))
    }
}

impl Browser {
    /// Opens a window of this size.
    pub async fn open(width: u32, height: u32) -> Result<Browser, NewSessionError> {
        let idle = IDLE.lock().expect("nobody fails holding it").pop();
        if let Some((client, driver)) = idle {
            let browser = Browser { client, driver, is_spoilt: Cell::new(false) };
            // Whoever waited for long may find the line to its driver closed.
            if browser.resize(width, height).await.is_ok() {
                return Ok(browser);
            }
        }
        let (client, driver) = TALKING.spawn(connected()).await.expect("a browser is started")?;
        let browser = Browser { client, driver, is_spoilt: Cell::new(false) };
        browser.resize(width, height).await.expect("a window can be resized");
        Ok(browser)
    }

    /// Makes what the page sees of the window this size.
    pub async fn resize(&self, width: u32, height: u32) -> Result<(), Failed> {
        self.client.set_window_size(width, height).await?;
        let frame = self.run("return [outerWidth - innerWidth, outerHeight - innerHeight]").await?;
        let [wider, higher]: [u32; 2] = serde_json::from_value(frame).expect("two numbers");
        self.client.set_window_size(width + wider, height + higher).await
    }

    /// From the next page on the audio clock keeps even time. A machine without a sound card has one that stands
    /// still whenever others are busy: what is held against it is held against noise.
    pub async fn steady_sound(&self) -> Result<(), Failed> {
        self.is_spoilt.set(true);
        self.command("Page.addScriptToEvaluateOnNewDocument", json!({ "source": STEADY_SOUND }));
        Ok(())
    }

    /// A command of Chromium's own protocol.
    fn command(&self, name: &str, parameters: Value) {
        let command = json!({"cmd": name, "params": parameters});
        let sent = ureq::post(format!("{}/goog/cdp/execute", self.driver.session)).send_json(command);
        sent.expect("chromedriver passes commands on");
    }

    /// Opens an address.
    pub async fn goto(&self, url: &str) -> Result<(), Failed> {
        self.client.goto(url).await
    }

    /// Waits for an element.
    pub async fn find(&self, css: &str) -> Result<Element, Failed> {
        self.find_by(Locator::Css(css)).await
    }

    async fn find_by(&self, locator: Locator<'_>) -> Result<Element, Failed> {
        let found = self.client.wait().at_most(PATIENCE).for_element(locator).await;
        if found.is_err() {
            let kept = self.keep_picture().await;
            eprintln!("{} s went by without {locator:?}; see {kept}", PATIENCE.as_secs());
        }
        found
    }

    /// Keeps a picture of what went wrong in the folder for temporary files, and says where.
    async fn keep_picture(&self) -> String {
        let path = std::env::temp_dir().join(format!("vivida-e2e-{}.png", std::process::id()));
        match self.picture().await.map(|png| std::fs::write(&path, png)) {
            Ok(Ok(())) => path.display().to_string(),
            _ => "no picture".to_owned(),
        }
    }

    /// Does something with an element as soon as it can be done.
    ///
    /// Between finding an element and using it the page may draw it anew, slide a note over it or
    /// still be opening what it lies in: a person would try again, and so does this.
    async fn with<T>(
        &self,
        locator: Locator<'_>,
        what: impl AsyncFn(Element) -> Result<T, Failed>,
    ) -> Result<T, Failed> {
        let begun = Instant::now();
        loop {
            match what(self.find_by(locator).await?).await {
                Err(error) if passes(&error) && begun.elapsed() < PATIENCE => {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
                Err(error) => {
                    let kept = self.keep_picture().await;
                    eprintln!("{locator:?} cannot be used; see {kept}");
                    return Err(error);
                }
                done => return done,
            }
        }
    }

    /// Waits for an element and clicks it.
    pub async fn click(&self, css: &str) -> Result<(), Failed> {
        self.with(Locator::Css(css), async |element| element.click().await).await
    }

    /// Waits for the element that an XPath leads to and clicks it.
    pub async fn click_at(&self, xpath: &str) -> Result<(), Failed> {
        self.with(Locator::XPath(xpath), async |element| element.click().await).await
    }

    /// Waits for an element and types into it; into a field for files: their paths.
    pub async fn type_into(&self, css: &str, keys: &str) -> Result<(), Failed> {
        self.with(Locator::Css(css), async |element| element.send_keys(keys).await).await
    }

    /// Clicks the button or link with this text or accessible name.
    pub async fn press(&self, name: &str) -> Result<(), Failed> {
        let quoted = name.replace('"', "");
        let path = format!(
            "//*[self::button or self::a or @role='menuitem'][@aria-label=\"{quoted}\" or normalize-space()=\"{quoted}\"]"
        );
        self.click_at(&path).await
    }

    /// Asks Chromium itself, by its DevTools protocol.
    pub async fn devtools(&self, command: &'static str, parameters: Value) -> Result<Value, Failed> {
        self.client.issue_cmd(Devtools { command, parameters }).await
    }

    /// How long scripts of the page have run by now, in ms.
    pub async fn script_time(&self) -> Result<f64, Failed> {
        let answer = self.devtools("Performance.getMetrics", json!({})).await?;
        let all = answer["metrics"].as_array().into_iter().flatten();
        let found = all.filter(|one| one["name"] == "ScriptDuration").find_map(|one| one["value"].as_f64());
        Ok(1000.0 * found.expect("Chromium tells it once Performance.enable was asked"))
    }

    /// Runs a script and gives what it returns.
    pub async fn run(&self, script: &str) -> Result<Value, Failed> {
        self.client.execute(script, Vec::new()).await
    }

    /// Waits until a script's expression is true.
    pub async fn until(&self, expression: &str) -> Result<(), Failed> {
        let script = format!("return Boolean({expression})");
        let begun = Instant::now();
        while begun.elapsed() < PATIENCE {
            match self.run(&script).await {
                Ok(Value::Bool(true)) => return Ok(()),
                // What it asks of may not be there yet.
                Err(CmdError::Standard(refused)) if refused.error == ErrorStatus::JavascriptError => {}
                Err(error) => return Err(error),
                Ok(_) => {}
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        let kept = self.keep_picture().await;
        panic!("{} s went by and it is still not so: {expression}; see {kept}", PATIENCE.as_secs());
    }

    /// Waits until the page has what it asked the server for, and has drawn it: what is read from it at once is
    /// otherwise what it showed before. A page that goes on asking is waited for no longer than 10 s.
    pub async fn rest(&self) -> Result<(), Failed> {
        let begun = Instant::now();
        while begun.elapsed() < Duration::from_secs(10) {
            let at_rest =
                "const p = window.vividaProbe; return !p || (p.asking === 0 && performance.now() - p.asked > 100)";
            if self.run(at_rest).await? == Value::Bool(true) {
                break;
            }
            tokio::time::sleep(Duration::from_millis(25)).await;
        }
        Ok(())
    }

    /// Waits until the page is at rest and nothing on it moves: no menu that is still coming, no tip that goes.
    pub async fn still(&self) -> Result<(), Failed> {
        self.rest().await?;
        self.until(
            "!document.querySelector('.mantine-Tooltip-tooltip') && \
             document.getAnimations().every((one) => one.playState !== 'running' || one.effect.getTiming().iterations === Infinity)",
        )
        .await?;
        self.client
            .execute_async("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))", Vec::new())
            .await?;
        Ok(())
    }

    /// The text of an element of a page at rest.
    pub async fn text(&self, css: &str) -> Result<String, Failed> {
        self.rest().await?;
        self.with(Locator::Css(css), async |element| element.text().await).await
    }

    /// Drags the middle of an element (of a handle: of its knob) by some pixels in small steps.
    pub async fn drag(&self, css: &str, dx: f64, dy: f64) -> Result<(), Failed> {
        self.find(css).await?;
        let script = format!(
            "const e = document.querySelector({}); const b = (e.querySelector('circle') ?? e).getBoundingClientRect();
             return [b.x + b.width / 2, b.y + b.height / 2]",
            json!(css)
        );
        let middle: [f64; 2] = serde_json::from_value(self.run(&script).await?).expect("an element has a middle");
        self.drag_from(middle[0], middle[1], dx, dy).await
    }

    /// Drags from a place in the page by some pixels in small steps.
    pub async fn drag_from(&self, x: f64, y: f64, dx: f64, dy: f64) -> Result<(), Failed> {
        let to = |x: f64, y: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(16)), x, y };
        let mut mouse = MouseActions::new("mouse".to_owned()).then(to(x, y));
        mouse = mouse.then(PointerAction::Down { button: 0 });
        for step in 1..=10 {
            mouse = mouse.then(to(x + dx * f64::from(step) / 10.0, y + dy * f64::from(step) / 10.0));
        }
        self.client.perform_actions(mouse.then(PointerAction::Up { button: 0 })).await
    }

    /// Moves the pointer.
    pub async fn hover(&self, x: f64, y: f64) -> Result<(), Failed> {
        let to = PointerAction::MoveTo { duration: Some(Duration::from_millis(16)), x, y };
        self.client.perform_actions(MouseActions::new("mouse".to_owned()).then(to)).await
    }

    /// Types keys to whatever has the focus.
    pub async fn keys(&self, keys: &str) -> Result<(), Failed> {
        let mut tries = 0;
        loop {
            match self.client.active_element().await?.send_keys(keys).await {
                Err(error) if passes(&error) && tries < 100 => tries += 1,
                Err(error) => {
                    let kept = self.keep_picture().await;
                    eprintln!("{keys:?} cannot be typed; see {kept}");
                    return Err(error);
                }
                done => return done,
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// A picture of the window as PNG.
    pub async fn picture(&self) -> Result<Vec<u8>, Failed> {
        self.client.screenshot().await
    }

    /// Closes the window; its browser goes on to the next journey.
    pub async fn close(self) -> Result<(), Failed> {
        if self.is_spoilt.get() {
            return Ok(());
        }
        let windows = self.client.windows().await?;
        for other in &windows[1..] {
            self.client.switch_to_window(other.clone()).await?;
            self.client.close_window().await?;
        }
        self.client.switch_to_window(windows[0].clone()).await?;
        let origin = self.run("return location.origin").await?;
        self.client.goto("about:blank").await?;
        self.command("Storage.clearDataForOrigin", json!({"origin": origin, "storageTypes": "all"}));
        self.client.release_actions().await?;
        let Browser { client, driver, .. } = self;
        IDLE.lock().expect("nobody fails holding it").push((client, driver));
        Ok(())
    }
}

/// A browser of its own, over an empty profile.
async fn connected() -> Result<(Client, Driver), NewSessionError> {
    let free = std::net::TcpListener::bind("127.0.0.1:0").and_then(|free| free.local_addr());
    let port = free.expect("a free port").port();
    let profile = tempfile::tempdir().expect("a folder can be made").keep();
    let mut driver = Driver::start(port, &profile);
    let mut arguments = vec![
        "--headless".to_owned(),
        "--no-sandbox".to_owned(),
        "--disable-gpu".to_owned(),
        "--disable-quic".to_owned(),
        "--no-first-run".to_owned(),
        "--disable-background-networking".to_owned(),
        "--disable-component-update".to_owned(),
        "--disable-sync".to_owned(),
        "--hide-scrollbars".to_owned(),
        "--autoplay-policy=no-user-gesture-required".to_owned(),
        // Menus are there at once: nobody waits for their coming.
        "--force-prefers-reduced-motion".to_owned(),
    ];
    arguments.push(format!("--user-data-dir={}", profile.display()));
    let mut capabilities = serde_json::Map::new();
    capabilities.insert("goog:chromeOptions".to_owned(), json!({ "args": arguments }));
    // A script takes as long as a slow machine lets it.
    capabilities.insert("timeouts".to_owned(), json!({ "script": 180_000 }));
    let mut builder = ClientBuilder::new(HttpConnector::new());
    builder.capabilities(capabilities);
    let url = format!("http://127.0.0.1:{port}");
    let mut tries = 0;
    let client = loop {
        match builder.connect(&url).await {
            Ok(client) => break client,
            Err(error) if tries == 100 => return Err(error),
            Err(_) => {
                tries += 1;
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
        }
    };
    let session = client.session_id().await.ok().flatten().expect("a session has an id");
    driver.session = format!("{url}/session/{session}");
    Ok((client, driver))
}

/// An audio clock that goes as the page's does from when it first runs.
const STEADY_SOUND: &str = "(() => {
    const begun = new WeakMap();
    const own = Object.getOwnPropertyDescriptor(BaseAudioContext.prototype, 'currentTime').get;
    const now = (context) => {
        if (context.state !== 'running') return own.call(context);
        if (!begun.has(context)) begun.set(context, performance.now() - 1000 * own.call(context));
        return (performance.now() - begun.get(context)) / 1000;
    };
    Object.defineProperty(BaseAudioContext.prototype, 'currentTime', {get() { return now(this); }});
    AudioContext.prototype.getOutputTimestamp = function () {
        return {contextTime: now(this), performanceTime: performance.now()};
    };
})()";

/// A song of 16ths at 120 bpm that uses as many instruments as asked for, as a file.
pub fn large_song(hits: u32, instruments: u32) -> Vec<u8> {
    const NOTES: [u8; 20] = [42, 38, 36, 46, 44, 50, 47, 43, 51, 49, 55, 52, 39, 54, 56, 82, 63, 76, 75, 70];
    let mut events = Vec::new();
    let hits: Vec<u32> = (0..hits).collect();
    // Four instruments share a 16th.
    for (group, together) in hits.chunks(4).enumerate() {
        for (place, index) in together.iter().enumerate() {
            let velocity = 30 + (index * 37 % 97) as u8;
            let delta = if group > 0 && place == 0 { 60 } else { 0 };
            events.extend([delta, 0x99, NOTES[(index % instruments) as usize % NOTES.len()], velocity]);
        }
        for (place, index) in together.iter().enumerate() {
            let delta = if place == 0 { 60 } else { 0 };
            events.extend([delta, 0x89, NOTES[(index % instruments) as usize % NOTES.len()], 64]);
        }
    }
    events.extend([0, 0xff, 0x2f, 0]);
    let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    file.extend((events.len() as u32).to_be_bytes());
    file.extend(events);
    file
}

/// What two cores bear: two journeys, each as quick as it can be, or three that mostly wait for what plays.
const ROOM: usize = 6;
const QUICK: u32 = 3;
const IN_TIME: u32 = 2;

static TURNS: Semaphore = Semaphore::const_new(ROOM);

/// A place among the journeys that are under way. It says how long one took when it ends.
pub struct Turn {
    begun: Instant,
    _permit: SemaphorePermit<'static>,
}

impl Drop for Turn {
    fn drop(&mut self) {
        let name = std::thread::current().name().unwrap_or_default().to_owned();
        println!("{name}: {:.1} s", self.begun.elapsed().as_secs_f64());
    }
}

async fn turn_that_takes(room: u32) -> Turn {
    let permit = TURNS.acquire_many(room).await.expect("turns go on");
    Turn { begun: Instant::now(), _permit: permit }
}

/// Waits until there is a place.
pub async fn turn() -> Turn {
    turn_that_takes(QUICK).await
}

/// Keys as WebDriver names them.
#[allow(missing_docs)]
pub mod key {
    pub const CONTROL: char = '\u{e009}';
    pub const RELEASE: char = '\u{e000}';
    pub const ENTER: char = '\u{e007}';
    pub const UP: char = '\u{e013}';
    pub const LEFT: char = '\u{e012}';
    pub const RIGHT: char = '\u{e014}';
    pub const DOWN: char = '\u{e015}';
    pub const SHIFT: char = '\u{e008}';
    pub const ESCAPE: char = '\u{e00c}';
    pub const ALT: char = '\u{e00a}';
    pub const DELETE: char = '\u{e017}';
    pub const BACKSPACE: char = '\u{e003}';
    pub const END: char = '\u{e010}';
    pub const HOME: char = '\u{e011}';
    pub const PAGE_UP: char = '\u{e00e}';
}

/// A server with the demo songs and a window of 1280 by 800.
pub async fn start() -> (Turn, App, Browser) {
    begun(turn().await).await
}

/// The same for what is played and recorded in time.
pub async fn start_in_time() -> (Turn, App, Browser) {
    begun(turn_that_takes(IN_TIME).await).await
}

async fn begun(turn: Turn) -> (Turn, App, Browser) {
    let app = App::start().await;
    let browser = Browser::open(1280, 800).await.expect("Chromium starts");
    (turn, app, browser)
}

/// Opens the drums of Causeway and waits until they are drawn.
pub async fn open_causeway(app: &App, browser: &Browser) -> Result<(), Failed> {
    browser.goto(&app.address).await?;
    browser.click("[data-song='Causeway'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    browser.until("document.querySelector(\"[data-figure='exactly on its lines']\").textContent.includes('→')").await
}

/// Goes to the shelf and imports a file.
pub async fn import(app: &App, browser: &Browser, file_name: &str, bytes: &[u8]) -> Result<(), Failed> {
    browser.goto(&app.address).await?;
    let file = app.folder().join(file_name);
    std::fs::write(&file, bytes).expect("a file can be written");
    browser.type_into("input[aria-label='MIDI files or recorded loops']", &file.display().to_string()).await
}

/// The hits of an instrument as they are drawn, as a text that is equal for equal pictures.
pub async fn drawn(browser: &Browser, canvas: &str) -> Result<Value, Failed> {
    browser.rest().await?;
    let script = format!("return document.querySelector(\"{canvas}\").toDataURL()");
    let mut before = browser.run(&script).await?;
    // It has come to rest when nothing changes for a while.
    loop {
        tokio::time::sleep(Duration::from_millis(300)).await;
        let now = browser.run(&script).await?;
        if now == before {
            return Ok(now);
        }
        before = now;
    }
}

/// The value of a handle.
pub async fn handle(browser: &Browser, css: &str) -> Result<f64, Failed> {
    browser.rest().await?;
    let value = browser.run(&format!("return Number(document.querySelector(\"{css}\").ariaValueNow)")).await?;
    Ok(value.as_f64().expect("a handle has a value"))
}

/// Asks the server from within the page.
pub async fn ask(browser: &Browser, path: &str) -> Result<Value, Failed> {
    browser.run(&format!("return fetch('/api/v1{path}').then((answer) => answer.json())")).await
}

/// Waits until what the page shows has been kept: a part's recipe fulfils a condition on `passes`.
pub async fn kept(browser: &Browser, part: u32, condition: &str) -> Result<(), Failed> {
    let condition = format!("const p = it; const passes = p.state.recipe.passes; return {condition}");
    answers(browser, &format!("/parts/{part}"), &condition).await
}

/// Waits until the server's answer fulfils a condition on `it`: what the page shows already is on its way there.
pub async fn answers(browser: &Browser, path: &str, condition: &str) -> Result<(), Failed> {
    let script = format!(
        "return fetch('/api/v1{path}').then((answer) => answer.json()).then((it) => Boolean((() => {{ {condition} }})()))"
    );
    for _ in 0..200 {
        if browser.run(&script).await? == Value::Bool(true) {
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let last = ask(browser, path).await?;
    let last = last.get("state").unwrap_or(&last);
    panic!("10 s went by and it is still not so: {condition}: {last}");
}

/// Adds a pass that a search finds first.
pub async fn add_pass(browser: &Browser, search: &str, kind: &str) -> Result<(), Failed> {
    browser.run("document.activeElement.blur()").await?;
    browser.keys("/").await?;
    browser.until("document.activeElement?.matches(\"input[aria-label='Search for an action']\")").await?;
    browser.keys(search).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.find(&format!("[data-pass={kind}]")).await?;
    Ok(())
}

/// Shows the passes of every group.
pub async fn unfold(browser: &Browser) -> Result<(), Failed> {
    browser.find("[data-group-fold]").await?;
    browser
        .run("document.querySelectorAll('[data-group-fold][aria-expanded=false]').forEach((one) => one.click())")
        .await?;
    Ok(())
}

/// Where the middle of an element lies.
pub async fn middle(browser: &Browser, css: &str) -> Result<[f64; 2], Failed> {
    browser.find(css).await?;
    let script = format!(
        "const b = document.querySelector(\"{css}\").getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]"
    );
    Ok(serde_json::from_value(browser.run(&script).await?).expect("a place"))
}

/// Writes a picture where `VIVIDA_LOOK` says so.
pub async fn look(browser: &Browser, name: &str) -> Result<(), Failed> {
    if let Some(folder) = std::env::var_os("VIVIDA_LOOK") {
        tokio::time::sleep(Duration::from_millis(700)).await;
        let path = Path::new(&folder).join(format!("{name}.png"));
        std::fs::write(path, browser.picture().await?).expect("the folder for pictures is there");
    }
    Ok(())
}

/// Waits until all of an element lies within the window.
pub async fn within(browser: &Browser, css: &str) -> Result<(), Failed> {
    browser.find(css).await?;
    let seen = format!(
        "(() => {{ const box = document.querySelector(\"{css}\").getBoundingClientRect();
            return box.left >= 0 && box.top >= 0 && box.right <= innerWidth && box.bottom <= innerHeight }})()"
    );
    browser.until(&seen).await
}

/// Keys with another one held.
pub async fn chord(browser: &Browser, held: char, keys: &str) -> Result<(), Failed> {
    let mut actions = KeyActions::new("keys".to_owned()).then(KeyAction::Down { value: held });
    for value in keys.chars() {
        actions = actions.then(KeyAction::Down { value }).then(KeyAction::Up { value });
    }
    browser.client.perform_actions(actions.then(KeyAction::Up { value: held })).await
}
