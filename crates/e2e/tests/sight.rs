//! Nothing is out of sight: every drum, note, stroke and length is seen and can be reached.

use vivida_e2e::{Browser, Failed, chord, kept, key, look, middle, open_causeway, start, within};

type Done = Result<(), Failed>;

/// A click on the name of a row with Alt: its hits in the loop are selected.
async fn select_hits(browser: &Browser, instrument: &str) -> Done {
    let name = format!("document.querySelector(\"[data-instrument='{instrument}'] [aria-expanded]\")");
    browser.run(&format!("{name}.dispatchEvent(new MouseEvent('click', {{bubbles: true, altKey: true}}))")).await?;
    browser.find("[data-selection]").await.map(|_| ())
}

#[tokio::test(flavor = "multi_thread")]
async fn every_drum_of_the_kit_is_found_by_its_name() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // A drum that the part has none of gets a row, and one that hits go to.
    browser.click("[data-rows-menu]").await?;
    browser.type_into("input[aria-label='Find a drum']", &format!("cowbell{}", key::ENTER)).await?;
    browser.find("[data-instrument='cowbell']").await?;
    look(&browser, "sight-rows").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    select_hits(&browser, "kick").await?;
    browser.press("to instrument").await?;
    browser.find("[role=listbox]").await?;
    browser.rest().await?;
    look(&browser, "sight-to-instrument").await?;
    within(&browser, "[role=listbox]").await?;
    browser.keys(&format!("vibra{}", key::ENTER)).await?;
    kept(&browser, 1, "passes.length === 1 && passes[0].action.moved.every(({note}) => note === 58)").await?;
    browser.find("[data-instrument='vibraslap']").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_no_kit_knows_has_a_row_all_the_same() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let pass = r#"{id: 1, on: true, aim: {instruments: ["kick"]}, action: {kind: "swap", to: "keys", keys: -12}}"#;
    let put = format!(
        "return fetch('/api/v1/parts/1').then((r) => r.json()).then((part) => fetch('/api/v1/parts/1', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: part.state.revision,
            label: 'transpose', gestures: [{{kind: 'add-passes', passes: [{pass}], instead: false}}]}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&put).await?, 200);
    kept(&browser, 1, "passes.length === 1").await?;
    open_causeway(&app, &browser).await?;
    browser.find("[data-instrument='note-24'] [data-handle=soft]").await?;
    browser.until("document.querySelector(\"[data-instrument='note-24']\").textContent.includes('Note 24')").await?;
    look(&browser, "sight-note").await?;
    // It can be shaped like any other drum.
    select_hits(&browser, "note-24").await?;
    browser.until("document.querySelector('[data-rule-aim]')?.textContent.includes('ote 24')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn strokes_are_seen_and_chosen_and_lengths_are_dragged_at_their_ends() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-instrument='snare'] [aria-expanded]").await?;
    browser.find("[data-strokes]").await?;
    select_hits(&browser, "snare").await?;
    browser.press("to stroke").await?;
    browser.find("[role=menuitem]").await?;
    within(&browser, "[role=menu]").await?;
    browser.press("side stick").await?;
    kept(&browser, 1, "passes.length === 1 && passes[0].action.moved.every(({note}) => note === 37)").await?;
    browser.until("document.querySelector('[data-strokes]').textContent.includes('side stick')").await?;
    look(&browser, "sight-strokes").await?;
    browser.press("strokes apart").await?;
    browser.rest().await?;
    look(&browser, "sight-apart").await?;
    browser.press("strokes apart").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("!document.querySelector('[data-selection]')").await?;
    // The pointer says where a tail ends.
    let end = "const box = document.querySelector(\"[data-instrument='snare'] [data-hits]\").parentElement;
         const area = box.getBoundingClientRect();
         const y = area.top + 9 + (27 / 126) * (area.height - 18);
         for (let x = area.left; x < area.right; x += 2) {
            box.dispatchEvent(new PointerEvent('pointermove', {bubbles: true, clientX: x, clientY: y}));
            if (box.style.cursor === 'ew-resize') return [x + 2, y];
         }
         return null";
    let [x, y]: [f64; 2] = serde_json::from_value(browser.run(end).await?).expect("a tail ends somewhere");
    browser.drag_from(x, y, 24.0, 0.0).await?;
    kept(&browser, 1, "passes[0].action.moved.filter(({lasts}) => lasts > 0).length === 1").await?;
    look(&browser, "sight-tails").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_click_on_the_ruler_says_where_it_plays_from() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let [x, y] = middle(&browser, "[data-axis]").await?;
    browser.drag_from(x, y, 0.0, 0.0).await?;
    browser.find("[data-play-from]").await?;
    look(&browser, "sight-ruler").await?;
    let from = "Number(document.querySelector('[data-play-from]').dataset.playFrom)";
    browser.until(&format!("{from} > 0")).await?;
    // Where it is already, it goes.
    browser.drag_from(x, y, 0.0, 0.0).await?;
    browser.until("!document.querySelector('[data-play-from]')").await?;
    // A drag scrolls, and sets nothing.
    browser.drag_from(x, y, -60.0, 0.0).await?;
    browser.rest().await?;
    browser.until("!document.querySelector('[data-play-from]')").await?;
    chord(&browser, key::CONTROL, "z").await?;
    browser.close().await
}
