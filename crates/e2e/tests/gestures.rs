//! Small acts that used to go wrong: a name that was undone, a key that is held, another screen, a pencil behind a scroll.

use serde_json::{Value, json};
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

const SOFT: &str = "[data-instrument='closed-hat'] [data-handle=soft]";
const LOST: &str = "document.body.textContent.includes('“shape closed hat: soft” was not kept')";

#[tokio::test(flavor = "multi_thread")]
async fn what_was_not_kept_is_said_until_it_is_read() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let elsewhere = r#"return fetch('/api/v1/parts/1', {method: 'PUT', headers: {'Content-Type': 'application/json'},
        body: JSON.stringify({revision: 1, label: 'level', recipe: {passes: [{id: 1, action: {kind: 'level', by: -9}}]}})})
        .then((r) => r.status)"#;
    assert_eq!(browser.run(elsewhere).await?, 200);
    browser.drag(SOFT, 0.0, 60.0).await?;
    browser.until(LOST).await?;
    // To the shelf and back: it is still said, and can still be done again.
    open_causeway(&app, &browser).await?;
    browser.until(LOST).await?;
    browser.click("[data-again]").await?;
    kept(&browser, 1, "passes.map((pass) => pass.action.kind).join() === 'level,shape'").await?;
    open_causeway(&app, &browser).await?;
    browser.rest().await?;
    assert_eq!(browser.run(&format!("return {LOST}")).await?, false, "it was read");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_name_that_was_undone_stays_undone() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let field = "[aria-label='Name of section 1']";
    let name = "const it = await fetch('/api/v1/songs/1').then((r) => r.json()); return it.sections[0].name";
    let was = browser.run(name).await?.as_str().expect("a section").to_owned();
    browser.press("Sections").await?;
    browser.click(field).await?;
    browser.keys(&format!("{}{}", key::END, " again")).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    answers(&browser, "/songs/1", &format!("return it.sections[0].name === '{was} again'")).await?;
    // The focus goes back to where it was; what it leaves is not typed anew.
    browser.click(field).await?;
    chord(&browser, key::CONTROL, "z").await?;
    browser.click("[aria-label=Undo]").await?;
    answers(&browser, "/songs/1", &format!("return it.sections[0].name === '{was}'")).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.rest().await?;
    assert_eq!(browser.run(name).await?, was);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_number_is_checked_when_all_of_it_is_there() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-bars]").await?;
    let type_in = async |label: &str, digits: &str| {
        let field = format!("[aria-label='{label}']");
        browser.click(&field).await?;
        chord(&browser, key::CONTROL, "a").await?;
        browser.keys(digits).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.run(&format!("return document.querySelector(\"{field}\").value")).await
    };
    assert_eq!(type_in("First bar", "8").await?, "8");
    // 1 lies before the first bar, 12 does not.
    assert_eq!(type_in("Last bar", "12").await?, "12");
    assert_eq!(type_in("Last bar", "3").await?, "8", "now it is all there");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_key_that_is_held_moves_a_border_without_complaint() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Closed hat").await?;
    let border = "[data-instrument='closed-hat'] [data-layer]";
    let at = handle(&browser, border).await?;
    let held = format!(
        "const border = document.querySelector(\"{border}\"); border.focus();
         let left = 12;
         const step = () => {{
            border.dispatchEvent(new KeyboardEvent('keydown', {{key: 'ArrowDown', bubbles: true, repeat: left < 12}}));
            if (--left > 0) setTimeout(step, 35);
         }};
         step();"
    );
    // Each answer takes longer than a key takes to come again.
    let slow = json!({"offline": false, "latency": 120, "downloadThroughput": -1, "uploadThroughput": -1});
    browser.devtools("Network.enable", json!({})).await?;
    browser.devtools("Network.emulateNetworkConditions", slow).await?;
    browser.run(&held).await?;
    browser.until(&format!("Number(document.querySelector(\"{border}\").ariaValueNow) === {at} - 12")).await?;
    tokio::time::sleep(Duration::from_millis(1000)).await;
    browser.rest().await?;
    let fast = json!({"offline": false, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1});
    browser.devtools("Network.emulateNetworkConditions", fast).await?;
    assert_eq!(browser.run("return document.querySelectorAll('.mantine-Notification-root').length").await?, 0);
    let kept_at = format!("return Object.values(it.state.layers?.['closed-hat'] ?? []).includes({at} - 12)");
    answers(&browser, "/parts/1", &kept_at).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn on_another_screen_hits_are_as_sharp_as_it_is() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let share = "(() => { const it = document.querySelector(\"[data-instrument='closed-hat'] canvas[data-hits]\");
        return Math.round(10 * it.width / it.getBoundingClientRect().width) / 10 })()";
    browser.until(&format!("{share} === 1")).await?;
    let screen = json!({"width": 1280, "height": 800, "deviceScaleFactor": 2, "mobile": false});
    browser.devtools("Emulation.setDeviceMetricsOverride", screen).await?;
    browser.until(&format!("{share} === 2")).await?;
    browser.devtools("Emulation.clearDeviceMetricsOverride", json!({})).await?;
    browser.until(&format!("{share} === 1")).await?;
    browser.close().await
}

/// What the question says that the page asks last while something is done.
async fn asked_while(browser: &Browser, act: impl AsyncFnOnce() -> Done) -> Result<Vec<Value>, Failed> {
    browser
        .run(
            "window.asked ??= (() => {
                const asked = [];
                const own = window.fetch;
                window.fetch = (where, init) => {
                    const path = String(where.url ?? where);
                    if (path.includes('/perform')) asked.push(JSON.parse(init.body));
                    return own(where, init);
                };
                return asked;
            })(); window.asked.length = 0;",
        )
        .await?;
    act().await?;
    browser.rest().await?;
    Ok(serde_json::from_value(browser.run("return window.asked").await?).expect("questions"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pass_that_is_heard_alone_is_alone_behind_the_pencil_too() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    let [x, y] = middle(&browser, "[data-instrument='closed-hat'] canvas[data-hits]").await?;
    browser.drag_from(x, y, 0.0, 0.0).await?;
    browser.rest().await?;
    add_pass(&browser, "loosen", "loosen").await?;
    add_pass(&browser, "level", "level").await?;
    browser.click("[data-pass=level] [aria-label^='More for pass']").await?;
    browser.press("Hear this pass alone").await?;
    browser
        .until("[...document.querySelectorAll('[data-pass=level] *')].some((one) => one.textContent === 'alone')")
        .await?;
    let asked = asked_while(&browser, async || browser.drag_from(x + 160.0, y, 0.0, 0.0).await).await?;
    let last = asked.last().expect("the picture is asked for");
    assert!(last["alone"].is_number(), "{last}");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_swell_is_drawn_where_it_swells_and_one_that_hits_nothing_nowhere() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let swell = |id: u32, aim: Value| json!({"id": id, "aim": aim, "action": {"kind": "swell", "from": -40, "to": 20, "curve": "late"}});
    let recipe = json!({"passes": [
        swell(1, json!({"instruments": ["closed-hat"], "velocity": {"from": 1, "to": 2}})),
        swell(2, json!({"instruments": ["closed-hat"], "bars": [{"from": 1, "to": 2}, {"from": 3, "to": 4}]})),
    ]});
    let put = format!(
        "return fetch('/api/v1/parts/1', {{method: 'PUT', headers: {{'Content-Type': 'application/json'}},
            body: JSON.stringify({{revision: 1, label: 'swells', recipe: {recipe}}})}}).then((r) => r.status)"
    );
    assert_eq!(browser.run(&put).await?, 200);
    open_causeway(&app, &browser).await?;
    let lines = "[data-instrument='closed-hat'] svg[data-lines=swell]";
    let open = async |number: u32| {
        browser.click_at(&format!("(//*[@data-pass='swell'])[{number}]//*[@aria-expanded]")).await?;
        browser.find(lines).await?;
        browser.rest().await?;
        browser.run(&format!("return document.querySelectorAll(\"{lines} path\").length")).await
    };
    assert_eq!(open(1).await?, 0);
    assert_eq!(open(2).await?, 2);
    // Its end is dragged, and the line with it.
    let path = format!("return document.querySelector(\"{lines} path\").getAttribute('d')");
    let before = browser.run(&path).await?;
    let [x, y] = middle(&browser, &format!("{lines} g:first-child circle:last-child")).await?;
    browser.drag_from(x, y, 0.0, 30.0).await?;
    kept(&browser, 1, "passes[1].action.to < 10").await?;
    browser.rest().await?;
    assert_ne!(browser.run(&path).await?, before);
    browser.close().await
}
