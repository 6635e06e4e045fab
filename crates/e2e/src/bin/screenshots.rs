//! Takes the pictures of docs/screenshots: `cargo xtask screenshots [FOLDER]`.

use std::path::{Path, PathBuf};
use std::time::Duration;
use vivida_e2e::{App, Browser, add_pass, import, large_song, middle};

type Done = Result<(), Box<dyn std::error::Error>>;

#[tokio::main]
async fn main() -> Done {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".to_owned());
    let folder = PathBuf::from(folder);
    std::fs::create_dir_all(&folder)?;
    let app = App::start().await;
    let browser = Browser::open(1280, 800).await?;
    shelf(&app, &browser, &folder).await?;
    workspace(&app, &browser, &folder).await?;
    aims(&app, &browser, &folder).await?;
    time(&app, &browser, &folder).await?;
    large_part(&app, &browser, &folder).await?;
    hands(&app, &browser, &folder).await?;
    findings(&app, &browser, &folder).await?;
    drawing(&app, &browser, &folder).await?;
    recording(&app, &browser, &folder).await?;
    album(&app, &browser, &folder).await?;
    browser.close().await?;
    Ok(())
}

async fn keep(browser: &Browser, folder: &Path, name: &str) -> Done {
    // Fonts, transitions and tooltips come to rest.
    browser.run("return document.fonts.ready.then(() => true)").await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    let path = folder.join(format!("{name}.png"));
    std::fs::write(&path, browser.picture().await?)?;
    println!("{}", path.display());
    Ok(())
}

async fn shelf(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&app.address).await?;
    browser.find("[data-song='The Weir']").await?;
    keep(browser, folder, "shelf").await
}

async fn workspace(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&format!("{}/songs/1/parts/1", app.address)).await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    keep(browser, folder, "workspace-untouched").await?;
    treat(browser).await?;
    keep(browser, folder, "workspace").await?;
    browser.keys("tt").await?;
    browser.hover(420.0, 690.0).await?;
    keep(browser, folder, "timing-larger").await?;
    browser.keys("tt/").await?;
    browser.find("[role=option]").await?;
    keep(browser, folder, "add-a-pass").await?;
    browser.keys("\u{e00c}").await?;
    browser.press("Closed hat").await?;
    browser.hover(470.0, 300.0).await?;
    keep(browser, folder, "row-opened").await?;
    browser.press("Closed hat").await?;
    scheme(browser, "dark").await?;
    keep(browser, folder, "workspace-dark").await?;
    scheme(browser, "light").await?;
    lanes(browser, folder).await
}

/// A fade of expression, a pedal that follows the hats, and hats that move in pitch.
async fn lanes(browser: &Browser, folder: &Path) -> Done {
    let passes = "[
        {id: 1, aim: {instruments: ['closed-hat']}, action: {kind: 'shape', soft: 34, typical: 70, hard: 116}},
        {id: 2, aim: {instruments: ['closed-hat']}, action: {kind: 'vary', property: 'pitch'}},
        {id: 3, aim: {instruments: ['closed-hat']}, action: {kind: 'lane-follow'}},
        {id: 4, action: {kind: 'lane-line', lane: 'controller-11', points: [{bar: 1, value: 127},
            {bar: 5, value: 127, way: 'curved'}, {bar: 7, value: 48}, {bar: 8.5, value: 108}, {bar: 9, value: 127}]}},
        {id: 5, aim: {instruments: ['snare']}, action: {kind: 'vary', property: 'place'}}]";
    let script = format!(
        "return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => fetch('/api/v1/parts/1', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: p.state.revision,
            label: 'lines', recipe: {{passes: {passes}}}}})}})).then(() => location.reload())"
    );
    browser.run(&script).await?;
    browser.find("[data-lane='controller-11'] canvas").await?;
    browser.find("[data-lane='controller-11'] [data-lane-point='2']").await?;
    browser.rest().await?;
    browser.click("[data-property-menu]").await?;
    browser.click_at("//*[@role='menuitem'][starts-with(normalize-space(), 'pitch')]").await?;
    browser.find("[data-instrument='closed-hat'] [data-portrait='pitch']").await?;
    rest(browser).await?;
    keep(browser, folder, "lanes").await
}

/// Ghosts around the backbeat, and two hands, in an opened row.
async fn hands(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&format!("{}/songs/2/parts/3", app.address)).await?;
    browser.find("[data-instrument='snare'] [data-handle=soft]").await?;
    browser.press("Snare").await?;
    add_pass(browser, "sticking", "sticking").await?;
    add_pass(browser, "chatter", "ghosts").await?;
    browser.hover(470.0, 300.0).await?;
    rest(browser).await?;
    keep(browser, folder, "hands").await
}

/// A rough performance: what is wrong with it, walked to, and what a cure would do.
async fn findings(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&app.address).await?;
    browser.click("[data-song='Tin Roof'] a").await?;
    browser.until("document.querySelectorAll('[data-mark]').length > 10").await?;
    browser.keys("n").await?;
    browser.find("[data-finding=double-trigger]").await?;
    browser.keys("n").await?;
    browser.click("[data-study]").await?;
    browser.click("section[aria-label='Learn from another part'] input").await?;
    browser.keys("Weir").await?;
    browser.click_at("//*[@role='option'][contains(., 'The Weir')]").await?;
    browser.find("[data-apart=snare]").await?;
    browser.run("document.activeElement.blur()").await?;
    let [x, y] = middle(browser, "[data-finding=double-trigger] [data-cure^='Drop all']").await?;
    browser.hover(x, y).await?;
    tokio::time::sleep(Duration::from_millis(800)).await;
    keep(browser, folder, "findings").await
}

/// A song that began with nothing, while it is drawn.
async fn drawing(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.type_into("input[placeholder='New song']", "Spring Tide").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    let fill = |instrument: &str, from: f64, to: f64, grid: &str, path: &[(f64, u32)]| {
        let path: Vec<_> =
            path.iter().map(|(tick, velocity)| serde_json::json!({"tick": tick, "velocity": velocity})).collect();
        serde_json::json!({"kind": "fill", "instrument": instrument, "from": from, "to": to, "grid": grid, "path": path})
    };
    let mut drawings = vec![fill("closed-hat", 0.0, 15_120.0, "1/8", &[(0.0, 70), (15_120.0, 96)])];
    drawings.extend((0..8).map(|beat| {
        let at = 960.0 + 1920.0 * f64::from(beat);
        fill("snare", at, at, "1/4", &[(at, 108)])
    }));
    for at in [0.0, 2400.0, 3840.0, 6240.0, 7680.0, 10_080.0, 11_520.0] {
        drawings.push(fill("kick", at, at, "1/8", &[(at, 100)]));
    }
    drawings.push(fill("snare", 13_440.0, 15_240.0, "1/16", &[(13_440.0, 34), (15_240.0, 112)]));
    drawings.push(fill("tom-1", 11_520.0, 12_160.0, "1/8 triplet", &[(11_520.0, 88)]));
    let write = format!(
        "const part = location.pathname.split('/').pop();
         return fetch(`/api/v1/parts/${{part}}`).then((r) => r.json()).then((detail) => fetch(`/api/v1/parts/${{part}}/written`, {{
            method: 'PUT', headers: {{'Content-Type': 'application/json'}},
            body: JSON.stringify({{revision: detail.state.revision, label: 'draw', drawings: {}}})}})).then((r) => r.status)",
        serde_json::json!(drawings)
    );
    assert_eq!(browser.run(&write).await?, 200);
    browser.run("location.reload()").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("b").await?;
    browser.find("[data-drawing]").await?;
    rest(browser).await?;
    keep(browser, folder, "drawing").await
}

/// A beat tapped on simulated pads, in its second round.
async fn recording(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&app.address).await?;
    let kept = serde_json::json!({"simulated": true, "pads": {"figure": "beat", "spread": 9, "seed": 4}});
    let put = format!(
        "return fetch('/api/v1/views/devices', {{method: 'PUT', headers: {{'Content-Type': 'application/json'}},
            body: JSON.stringify({kept})}}).then((r) => r.status)"
    );
    assert_eq!(browser.run(&put).await?, 204);
    browser.click("[data-begin]").await?;
    browser.type_into("input[placeholder='New song']", "Breakwater").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    browser.press("Done").await?;
    browser.click("button[aria-label=Record]").await?;
    browser.click("[data-recording] > button").await?;
    browser.until("window.vividaProbe.course.at(-1)?.round >= 1").await?;
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
    rest(browser).await?;
    keep(browser, folder, "recording").await?;
    browser.press("Stop recording").await?;
    browser.until("document.querySelector('[data-recording=idle]')").await?;
    Ok(())
}

/// The demo songs treated together, and what that did to them.
async fn album(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.goto(&app.address).await?;
    browser.find("[data-song='The Weir']").await?;
    let begin = "return fetch('/api/v1/songs').then((r) => r.json()).then((songs) => fetch('/api/v1/batches', {method: 'POST',
        headers: {'Content-Type': 'application/json'}, body: JSON.stringify({name: 'Low tide', instead: true,
        songs: songs.filter((song) => song.is_demo).map((song) => song.id),
        recipe: {passes: [
            {id: 1, aim: {instruments: ['closed-hat']}, action: {kind: 'shape', soft: 48, typical: 66, hard: 88, follow: 75, amount: 100}},
            {id: 2, aim: {instruments: ['snare']}, action: {kind: 'ghosts'}},
            {id: 3, action: {kind: 'loosen', early: 6, late: 6, wander: 4}}]}})})).then((r) => r.status)";
    assert_eq!(browser.run(begin).await?, 201);
    browser.click("[data-shelf-menu]").await?;
    browser.press("Songs treated together …").await?;
    browser.until("document.querySelector('[data-batch-reports]')?.textContent.includes('done')").await?;
    browser.click_at("//*[@data-batch-reports]//button[normalize-space()='Kiln Yard']").await?;
    keep(browser, folder, "album").await
}

/// Light or dark: that is in Help.
async fn scheme(browser: &Browser, wanted: &str) -> Done {
    browser.click("[data-help]").await?;
    browser.click(&format!("[role=dialog] [aria-label='Switch to {wanted}']")).await?;
    browser.keys("\u{e00c}").await?;
    rest(browser).await
}

/// A rough performance with all its bars over one, and an aim chosen by pointing.
async fn aims(app: &App, browser: &Browser, folder: &Path) -> Done {
    let songs = "return fetch('/api/v1/songs').then((r) => r.json()).then((s) => s[3].parts[0].id)";
    let part = browser.run(songs).await?;
    browser.goto(&format!("{}/songs/4/parts/{part}", app.address)).await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    browser.press("stacked").await?;
    rest(browser).await?;
    keep(browser, folder, "stacked").await?;
    browser.press("stacked").await?;
    add(browser, "quantize").await?;
    add(browser, "limits").await?;
    browser.run("document.querySelector(\"[aria-label='Aim Limits by pointing']\").click()").await?;
    browser.find("[data-aiming]").await?;
    browser.drag_from(420.0, 68.0, 200.0, 0.0).await?;
    browser.press("Snare").await?;
    let [x, y] = middle(browser, "[data-instrument='snare'] svg[data-portrait=touch]").await?;
    browser.drag_from(x, y - 24.0, 0.0, 48.0).await?;
    tokio::time::sleep(Duration::from_millis(600)).await;
    keep(browser, folder, "aim-by-pointing").await?;
    browser.press("Done").await?;
    // What follows shows the performance as it came.
    while browser.run("return Boolean(document.querySelector('[data-pass], [data-group]'))").await? == true {
        browser.press("Undo").await?;
        tokio::time::sleep(Duration::from_millis(400)).await;
    }
    Ok(())
}

/// A groove taken from a rough performance, and pockets of a stiff song.
async fn time(app: &App, browser: &Browser, folder: &Path) -> Done {
    browser.press("Grooves").await?;
    browser.press("Take a groove from a part").await?;
    browser.press("Take the groove").await?;
    browser.until("document.querySelector('[data-facts]')?.textContent.includes('steady to')").await?;
    browser
        .run("[...document.querySelectorAll('label')].find((one) => one.textContent.startsWith('show the hits')).click()")
        .await?;
    browser.find("[data-laid-hits]").await?;
    rest(browser).await?;
    keep(browser, folder, "grooves").await?;
    browser.press("Back to the hits").await?;
    kit(browser, folder).await?;
    let make = |name: &str, settings: &str, part: &str, instruments: &str| {
        let followers = format!("[{{ part: {part}, instruments: {instruments} }}, {{ part: s[1].parts[1].id }}]");
        let followers = if name == "Motor" { followers.replace(", { part: s[1].parts[1].id }", "") } else { followers };
        format!(
            "return fetch('/api/v1/songs').then((r) => r.json()).then((s) => fetch(`/api/v1/songs/${{s[1].id}}/pockets`, {{
                method: 'POST', headers: {{ 'Content-Type': 'application/json' }},
                body: JSON.stringify({{ name: '{name}', settings: {settings}, followers: {followers} }}) }})).then((r) => r.status)"
        )
    };
    let motor = "{ swing: { to: 54.5, grid: '1/16' }, lean: { by: -3 }, loosen: { early: 2, late: 4 } }";
    let floor = "{ lean: { by: 5 }, loosen: { early: 1, late: 3, wander: 4, period: 4 } }";
    browser.run(&make("Motor", motor, "s[1].parts[0].id", "['closed-hat', 'tambourine']")).await?;
    browser.run(&make("Low end", floor, "s[1].parts[0].id", "['kick']")).await?;
    browser.goto(&app.address).await?;
    browser.click("[data-song='Kiln Yard'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    browser.press("Pockets").await?;
    browser.find("[data-pocket='Motor']").await?;
    rest(browser).await?;
    keep(browser, folder, "pockets").await
}

/// A part that is sent to a sampler whose notes are others.
async fn kit(browser: &Browser, folder: &Path) -> Done {
    browser.run("document.activeElement.blur()").await?;
    browser.keys("k").await?;
    browser.click("[data-kit='Large kit, both hands'] button").await?;
    browser.find("[data-exchange]").await?;
    browser.click("[data-take-kit]").await?;
    browser.until("document.querySelector('[data-kit^=\"General MIDI to\"][data-chosen=true]')").await?;
    browser.click("[data-stroke^='snare ']").await?;
    browser.drag("[data-pad=kick]", 0.0, 0.0).await?;
    rest(browser).await?;
    tokio::time::sleep(Duration::from_millis(600)).await;
    keep(browser, folder, "kit").await?;
    browser.press("Back to the hits").await?;
    browser.find("[data-rows] canvas").await?;
    Ok(())
}

/// Adds the first pass that answers to a search.
async fn add(browser: &Browser, search: &str) -> Done {
    browser.run("document.activeElement.blur()").await?;
    browser.keys("/").await?;
    browser.find("input[aria-label='Search for an action']").await?;
    browser.keys(&format!("{search}\u{e007}")).await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    Ok(())
}

/// Takes the pointer and the focus to where they show nothing.
async fn rest(browser: &Browser) -> Done {
    browser.hover(120.0, 690.0).await?;
    browser.run("document.activeElement.blur()").await?;
    Ok(())
}

/// What somebody in a hurry would do to Causeway first.
async fn treat(browser: &Browser) -> Done {
    browser.press("Verse 1").await?;
    browser.drag("[data-map] [data-side=to]", -110.0, 0.0).await?;
    browser.drag("[data-instrument='closed-hat'] [data-handle=soft]", 0.0, 52.0).await?;
    browser.drag("[data-instrument='closed-hat'] [data-handle=typical]", 0.0, 8.0).await?;
    browser.drag("[data-instrument='snare'] [data-handle=hard]", 0.0, -16.0).await?;
    browser.drag("[data-instrument='snare'] [data-handle=lean]", 14.0, 0.0).await?;
    browser.drag("[data-instrument='kick'] [data-handle=soft]", 0.0, 24.0).await?;
    add(browser, "loosen").await?;
    browser.find("[data-pass=loosen]").await?;
    browser.press("Shaker").await?;
    add(browser, "accents").await?;
    browser.drag("[data-pass=accents] [data-pattern]", 80.0, -12.0).await?;
    browser.press("Shaker").await?;
    rest(browser).await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    Ok(())
}

/// Five minutes, twenty instruments, ten thousand hits; a long name in other letters.
async fn large_part(app: &App, browser: &Browser, folder: &Path) -> Done {
    let name = format!("A very long name, {} – длинное имя.mid", "as files from a long night have them, ".repeat(3));
    import(app, browser, &name, &large_song(10_000, 20)).await?;
    browser.click("[data-song^='A very long'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    browser.keys("0").await?;
    rest(browser).await?;
    keep(browser, folder, "large-part").await
}
