//! What a hand does: how much of the page is drawn anew for it, what gives it up, and which keys are heard.

use serde_json::{Value, json};
use std::time::Duration;
use vivida_e2e::{Browser, Failed, ask, handle, kept, key, middle, open_causeway, start};

type Done = Result<(), Failed>;

const HARD: &str = "[data-instrument='closed-hat'] [data-handle=hard]";

/// A hand at a handle: `send(kind, dy)` moves it up and down.
fn hand(css: &str) -> String {
    format!(
        "const handle = document.querySelector(\"{css}\");
         const box = handle.getBoundingClientRect();
         const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
         handle.setPointerCapture = () => {{}};
         const send = (kind, dy, pointerId = 1) => handle.dispatchEvent(new PointerEvent(kind, {{bubbles: true,
            button: 0, buttons: 1, pointerId, isPrimary: pointerId === 1, clientX: x, clientY: y + dy}}));"
    )
}

/// So many moves of a drag, 60 ms apart.
const MOVES: u32 = 40;

#[tokio::test(flavor = "multi_thread")]
async fn a_drag_draws_what_it_changes_and_nothing_else() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.click("[data-song='Kiln Yard'] a").await?;
    browser.find(HARD).await?;
    browser.rest().await?;
    browser.devtools("Performance.enable", json!({})).await?;
    // The first move adds a pass: what comes then is a drag of what is there.
    browser.run(&format!("{} send('pointerdown', 0); send('pointermove', 6);", hand(HARD))).await?;
    browser.rest().await?;
    let mut shares = Vec::new();
    let mut renders = Value::Null;
    for _ in 0..3 {
        let before = browser.script_time().await?;
        let script = format!(
            "return (async () => {{
                {} const {{renders}} = window.vividaProbe;
                for (const name of Object.keys(renders)) delete renders[name];
                for (let step = 0; step < {MOVES}; step++) {{
                    send('pointermove', 10 + 20 * Math.sin(step / 3));
                    await new Promise((resolve) => setTimeout(resolve, 60));
                }}
                return renders;
            }})()",
            hand(HARD)
        );
        renders = browser.run(&script).await?;
        let moving = (browser.script_time().await? - before) / f64::from(MOVES);
        let sort = "const numbers = Array.from({length: 100_000}, () => Math.random());
            const begun = performance.now();
            numbers.sort((a, b) => a - b);
            return performance.now() - begun";
        let sort = browser.run(sort).await?.as_f64().expect("milliseconds");
        println!("a move of a drag: {moving:.1} ms of script; sorting 100 000 numbers: {sort:.1} ms; drawn: {renders}");
        shares.push(moving / sort);
    }
    shares.sort_by(f64::total_cmp);
    assert!(shares[1] < 0.25, "a move takes {:.2} of the time of that sort", shares[1]);
    let drawn = |what: &str| renders[what].as_u64().unwrap_or(0);
    for whole in ["workspace", "top bar", "rows", "row", "hits", "ruler", "song strip", "passes", "time portrait"] {
        assert_eq!(drawn(whole), 0, "{whole}: {renders}");
    }
    assert!((1..=2 * u64::from(MOVES)).contains(&drawn("touch portrait")), "the handle follows: {renders}");
    assert!(drawn("pass") <= 2 * u64::from(MOVES), "{renders}");
    browser.run(&format!("{} send('pointerup', 0);", hand(HARD))).await?;
    kept(&browser, 3, "passes.length === 1").await?;
    browser.close().await
}

/// What is drawn anew while something is done, by the names of components.
async fn drawn_while(browser: &Browser, what: &str, act: &str) -> Result<Value, Failed> {
    browser.rest().await?;
    let script = format!(
        "return (async () => {{
            const {{renders}} = window.vividaProbe;
            const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
            for (const name of Object.keys(renders)) delete renders[name];
            {act}
            await wait(300);
            return {{...renders}};
        }})()"
    );
    let renders = browser.run(&script).await?;
    println!("{what}: {renders}");
    Ok(renders)
}

#[tokio::test(flavor = "multi_thread")]
async fn the_wheel_the_pointer_typing_and_playing_draw_what_they_change() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-start='One good take']").await?;
    kept(&browser, 1, "passes.length > 3").await?;
    let nothing_of = |renders: &Value, names: &[&str]| {
        for name in names {
            assert_eq!(renders[name].as_u64().unwrap_or(0), 0, "{name}: {renders}");
        }
    };
    let area = "const area = document.querySelector(\"[data-instrument='closed-hat'] [data-hits]\");
        const box = area.getBoundingClientRect();";
    let wheel = format!(
        "{area} for (let step = 0; step < 20; step++) {{
            area.dispatchEvent(new WheelEvent('wheel', {{bubbles: true, cancelable: true, ctrlKey: true,
                clientX: box.x + box.width / 2, clientY: box.y + 10, deltaY: step < 10 ? -12 : 12}}));
            await wait(16);
        }}"
    );
    let zoomed = drawn_while(&browser, "20 turns of the wheel", &wheel).await?;
    nothing_of(&zoomed, &["workspace", "top bar", "passes", "pass", "song strip", "touch portrait", "time portrait"]);
    let point = format!(
        "{area} for (let step = 0; step < 40; step++) {{
            area.dispatchEvent(new PointerEvent('pointermove', {{bubbles: true, pointerId: 1, isPrimary: true,
                clientX: box.x + 20 + step * 7, clientY: box.y + 10 + (step % 5) * 12}}));
            await wait(16);
        }}"
    );
    let pointed = drawn_while(&browser, "the pointer over 280 px of hits", &point).await?;
    nothing_of(&pointed, &["workspace", "top bar", "rows", "passes", "pass", "song strip", "ruler"]);
    browser.keys("/").await?;
    browser.until("document.activeElement?.matches(\"input[aria-label='Search for an action']\")").await?;
    let typing = "const field = document.activeElement;
        const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
        for (const text of ['g', 'gh', 'gho', 'ghos', 'ghost']) {
            set.call(field, text);
            field.dispatchEvent(new Event('input', {bubbles: true}));
            await wait(30);
        }";
    let typed = drawn_while(&browser, "five letters of a search", typing).await?;
    nothing_of(&typed, &["workspace", "top bar", "rows", "row", "hits", "pass", "song strip"]);
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 8").await?;
    let played = drawn_while(&browser, "two seconds of playing", "await wait(2000);").await?;
    nothing_of(&played, &["workspace", "top bar", "rows", "row", "hits", "passes", "pass", "song strip", "ruler"]);
    browser.press("Stop").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drag_that_is_given_up_leaves_nothing() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let at = handle(&browser, HARD).await?;
    let revision = ask(&browser, "/parts/1").await?["state"]["revision"].clone();
    let moved = "send('pointerdown', 0); send('pointermove', 20); send('pointermove', 30);";
    // The system takes the pointer; Escape; and a second finger is nobody's hand.
    let escape = "document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key: 'Escape', bubbles: true}));";
    for end in ["send('pointercancel', 30);", &format!("{escape} send('pointerup', 30);")] {
        browser.run(&format!("{} {moved}", hand(HARD))).await?;
        browser.until(&format!("document.querySelector(\"{HARD}\").ariaValueNow != {at}")).await?;
        browser.run(&format!("{} {end}", hand(HARD))).await?;
        browser.until(&format!("document.querySelector(\"{HARD}\").ariaValueNow == {at}")).await?;
        browser.until("!document.querySelector('[data-pass]')").await?;
    }
    tokio::time::sleep(Duration::from_millis(800)).await;
    assert_eq!(ask(&browser, "/parts/1").await?["state"]["revision"], revision, "nothing was kept");
    let second =
        "send('pointerdown', 0); send('pointermove', 20); send('pointermove', -60, 2); send('pointerup', 0, 2);";
    browser.run(&format!("{} {second} window.there = handle.ariaValueNow;", hand(HARD))).await?;
    browser.rest().await?;
    assert!(handle(&browser, HARD).await? < at, "the first finger's drag goes on, downwards");
    browser.run(&format!("{} send('pointerup', 20);", hand(HARD))).await?;
    kept(&browser, 1, "passes.length === 1").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drag_while_the_server_is_away_is_kept_and_seen_when_it_is_back() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let at = handle(&browser, HARD).await?;
    // As if the cable were pulled: nothing is answered.
    let offline =
        |offline: bool| json!({"offline": offline, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1});
    browser.devtools("Network.enable", json!({})).await?;
    browser.devtools("Network.emulateNetworkConditions", offline(true)).await?;
    let drag = "send('pointerdown', 0); send('pointermove', 20); send('pointermove', 30); send('pointerup', 30);";
    browser.run(&format!("{} {drag}", hand(HARD))).await?;
    browser.until("document.body.textContent.includes('Vivida does not answer')").await?;
    browser.devtools("Network.emulateNetworkConditions", offline(false)).await?;
    browser.until(&format!("document.querySelector(\"{HARD}\").ariaValueNow < {at} - 10")).await?;
    kept(&browser, 1, "passes.length === 1").await?;
    browser.until("!document.body.textContent.includes('Vivida does not answer')").await?;
    // Slow, each on its way for long: none is lost, and each is a step.
    let slow = json!({"offline": false, "latency": 400, "downloadThroughput": -1, "uploadThroughput": -1});
    browser.devtools("Network.emulateNetworkConditions", slow).await?;
    for _ in 0..3 {
        browser.run(&format!("{} {drag}", hand(HARD))).await?;
    }
    browser.devtools("Network.emulateNetworkConditions", offline(false)).await?;
    browser.rest().await?;
    let steps = ask(&browser, "/songs/1/history").await?;
    assert_eq!(steps.as_array().map(Vec::len), Some(4), "{steps}");
    browser.close().await
}

/// Presses a key of a layout: what it writes, and where it lies.
async fn press(browser: &Browser, key: &str, code: &str, modifiers: u32) -> Done {
    for kind in ["keyDown", "keyUp"] {
        let writes = kind == "keyDown" && key.chars().count() == 1;
        let text = if writes { key } else { "" };
        let event = json!({"type": kind, "key": key, "code": code, "modifiers": modifiers, "text": text});
        browser.devtools("Input.dispatchKeyEvent", event).await?;
    }
    Ok(())
}

const SHIFT: u32 = 8;

#[tokio::test(flavor = "multi_thread")]
async fn keys_are_what_is_typed_on_any_layout() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let palette = "!!document.querySelector('[role=dialog] input')";
    // German: Shift and 7. French: Shift and the key beside the comma.
    for (code, modifiers) in [("Slash", 0), ("Digit7", SHIFT), ("Period", SHIFT)] {
        press(&browser, "/", code, modifiers).await?;
        browser.until(palette).await?;
        browser.keys(&key::ESCAPE.to_string()).await?;
        browser.until(&format!("!({palette})")).await?;
    }
    // A Russian layout has no W: the key that lies there flips the readings.
    let reading = "document.querySelector('[data-reading=written]').dataset.on";
    press(&browser, "ц", "KeyW", 0).await?;
    browser.until(&format!("{reading} === 'true'")).await?;
    // On a French one Z lies where W is elsewhere: it is a Z.
    press(&browser, "z", "KeyW", 0).await?;
    browser.rest().await?;
    assert_eq!(browser.run(&format!("return {reading}")).await?, "true");
    press(&browser, "w", "KeyZ", 0).await?;
    browser.until(&format!("{reading} === 'false'")).await?;

    // Behind a dialog nothing is heard.
    browser.click("[data-hits]").await?;
    press(&browser, "?", "Slash", SHIFT).await?;
    browser.until("!!document.querySelector('[role=dialog]')").await?;
    press(&browser, "w", "KeyW", 0).await?;
    browser.rest().await?;
    assert_eq!(browser.run(&format!("return {reading}")).await?, "false");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn enter_that_ends_a_conversion_keeps_no_name() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.press("More for Causeway").await?;
    browser.press("Rename").await?;
    let field = "document.querySelector('input[aria-label=\"Song name\"]')";
    browser.until(&format!("document.activeElement === {field}")).await?;
    // The first Enter takes what the input method offers, the second one keeps the name.
    browser.devtools("Input.insertText", json!({"text": "土手道"})).await?;
    let enter = |composing: bool| {
        format!(
            "{field}.dispatchEvent(new KeyboardEvent('keydown', {{key: 'Enter', bubbles: true, isComposing: {composing}}}))"
        )
    };
    browser.run(&enter(true)).await?;
    browser.rest().await?;
    assert_eq!(browser.run(&format!("return !!{field}")).await?, true, "the field is still open");
    browser.run(&enter(false)).await?;
    browser.until("!!document.querySelector('[data-song=\"土手道\"]')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_has_the_focus_takes_its_keys_and_nothing_else_does() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let [x, y] = middle(&browser, "[data-instrument='snare'] canvas[data-hits]").await?;
    browser.drag_from(x - 130.0, y - 64.0, 260.0, 122.0).await?;
    browser.find("[data-selection]").await?;
    // Arrows on a handle move the handle; the hits that are selected stay where they are.
    browser.run(&format!("document.querySelector(\"{HARD}\").focus()")).await?;
    press(&browser, "ArrowUp", "ArrowUp", 0).await?;
    kept(&browser, 1, "passes.length === 1 && passes[0].action.kind === 'shape'").await?;
    // Elsewhere they move the hits.
    browser.run("document.activeElement.blur()").await?;
    press(&browser, "ArrowUp", "ArrowUp", 0).await?;
    kept(&browser, 1, "passes.length === 2 && passes[1].action.kind === 'by-hand'").await?;
    // Behind a menu nothing is taken out, and Escape closes the menu alone.
    browser.press("Takes").await?;
    browser
        .until("[...document.querySelectorAll('[role=menu], [role=dialog]')].some((one) => one.checkVisibility())")
        .await?;
    press(&browser, "Delete", "Delete", 0).await?;
    press(&browser, "Escape", "Escape", 0).await?;
    browser
        .until("![...document.querySelectorAll('[role=menu], [role=dialog]')].some((one) => one.checkVisibility())")
        .await?;
    browser.find("[data-selection]").await?;
    browser.rest().await?;
    let hits = ask(&browser, "/parts/1").await?["performance"]["silenced"].clone();
    assert_eq!(hits, json!([]), "nothing was taken out");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_beside_the_place_for_it_and_a_deletion_that_failed_do_no_harm() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let drop = "const data = new DataTransfer();
        data.items.add(new File(['x'], 'beat.mid'));
        const event = new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer: data});
        document.querySelector('main').dispatchEvent(event);
        return event.defaultPrevented";
    assert_eq!(browser.run(drop).await?, true, "the browser does not open it in the place of the page");

    // A recipe that is deleted elsewhere cannot be deleted here: undo is not offered for what did not happen.
    let add = "return fetch('/api/v1/recipes', {method: 'POST', headers: {'Content-Type': 'application/json'},
        body: JSON.stringify({name: 'Gone', note: '', recipe: {passes: [{id: 1, action: {kind: 'level', by: 1}}]}})}).then((r) => r.json())";
    let recipe = browser.run(add).await?;
    browser.press("Recipes").await?;
    browser.until("document.body.textContent.includes('Gone')").await?;
    let delete = format!(
        "return fetch('/api/v1/recipes/{}?revision={}', {{method: 'DELETE'}}).then((r) => r.status)",
        recipe["id"], recipe["revision"]
    );
    assert_eq!(browser.run(&delete).await?, 204);
    browser
        .click("[aria-label='What to do with Gone'], [aria-label='More about Gone'], [aria-label='Delete Gone']")
        .await?;
    let menu = "[...document.querySelectorAll('[role=menuitem]')].find((one) => one.textContent === 'Delete')?.click()";
    browser.run(menu).await?;
    browser.until("document.body.textContent.includes('Not there')").await?;
    browser.rest().await?;
    let said = browser.run("return document.body.textContent.includes('was deleted')").await?;
    assert_eq!(said, false, "nothing was deleted here");
    browser.close().await
}
