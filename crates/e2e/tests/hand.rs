//! What is pulled, selected and typed does what a practitioner means.

use vivida_e2e::{Browser, Failed, answers, chord, kept, key, look, middle, open_causeway, start, within};

type Done = Result<(), Failed>;

/// Types a number where one stands in a sentence or beside a name.
async fn type_number(browser: &Browser, label: &str, number: &str) -> Done {
    browser.find(&format!("[role=spinbutton][aria-label='{label}']")).await?;
    browser.run(&format!("document.querySelector(\"[role=spinbutton][aria-label='{label}']\").focus()")).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.until(&format!("document.activeElement?.matches(\"input[aria-label='{label}']\")")).await?;
    browser.keys(&format!("{number}{}", key::ENTER)).await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_numbers_of_a_row_and_of_several() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let [x, y] = middle(&browser, "[data-instrument='closed-hat'] [data-hits]").await?;
    browser.hover(x, y).await?;
    look(&browser, "hand-numbers").await?;
    type_number(&browser, "Closed hat, level", "-6").await?;
    kept(
        &browser,
        1,
        "passes.length === 1 && passes[0].action.by === -6 && passes[0].aim.instruments[0] === 'closed-hat'",
    )
    .await?;
    // Two names are selected: a number of one is for both, each by its own mean.
    let select = |name: &str| {
        format!(
            "document.querySelector(\"[data-instrument='{name}'] [aria-expanded]\")
                .dispatchEvent(new MouseEvent('click', {{bubbles: true, ctrlKey: true}}))"
        )
    };
    browser.run(&select("closed-hat")).await?;
    browser.run(&select("snare")).await?;
    browser.until("document.querySelectorAll(\"[data-selected='true']\").length === 2").await?;
    type_number(&browser, "Snare, contrast", "80").await?;
    kept(
        &browser,
        1,
        "passes.filter((pass) => pass.action.contrast === 80 && pass.action.around === 'mean').length === 2",
    )
    .await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_body_and_the_width_of_a_portrait_are_handles() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-start='One good take']").await?;
    browser.find("[data-group]").await?;
    browser.rest().await?;
    let dragged = |handle: &str, dy: i32, end: &str| {
        format!(
            "const handle = document.querySelector(\"[data-instrument='snare'] [data-handle={handle}]\");
             const held = handle.matches('path') ? handle : handle.querySelector('rect');
             const box = held.getBoundingClientRect();
             const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
             held.setPointerCapture = () => {{}};
             const send = (kind, dy) => held.dispatchEvent(new PointerEvent(kind, {{bubbles: true, button: 0,
                buttons: 1, pointerId: 1, isPrimary: true, clientX: x, clientY: y + dy}}));
             send('pointerdown', 0); send('pointermove', {dy});
             const words = document.querySelector('[data-tip]')?.textContent;
             {end}
             return words ?? ''"
        )
    };
    let words = browser.run(&dragged("level", -20, "send('pointerup', -20)")).await?;
    assert!(words.as_str().is_some_and(|words| words.starts_with("level +")), "{words}");
    kept(&browser, 1, "passes.at(-1).action.kind === 'level' && passes.at(-1).action.by > 5").await?;
    browser.until("!document.querySelector('[data-tip]')").await?;
    let words = browser.run(&dragged("contrast", -12, "send('pointerup', -12)")).await?;
    assert!(words.as_str().is_some_and(|words| words.starts_with("contrast ")), "{words}");
    kept(&browser, 1, "passes.at(-1).action.kind === 'contrast' && passes.at(-1).action.contrast > 105").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_selection_finds_its_rule_and_a_pass_is_aimed_by_it() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // All snares of the loop, which is the intro.
    browser
        .run(
            "document.querySelector(\"[data-instrument='snare'] [aria-expanded]\")
                .dispatchEvent(new MouseEvent('click', {bubbles: true, altKey: true}))",
        )
        .await?;
    browser.until("document.querySelector('[data-rule-aim]')?.textContent.startsWith('snare, Intro')").await?;
    within(&browser, "[data-selection]").await?;
    look(&browser, "hand-selection").await?;
    browser.click("[data-rule-aim]").await?;
    browser.find("[role=menuitem]").await?;
    browser.rest().await?;
    look(&browser, "hand-rules").await?;
    within(&browser, "[role=menu]").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.click("[data-pass-for=level]").await?;
    kept(&browser, 1, "passes.length === 1 && !passes[0].aim.picked && passes[0].aim.sections[0] === 'Intro'").await?;
    browser.until("!document.querySelector('[data-selection]')").await?;
    // Everything in the loop, and then in the song.
    chord(&browser, key::CONTROL, "a").await?;
    browser.until("document.querySelector('[data-selection] strong') !== null").await?;
    let count = "Number(document.querySelector('[data-selection] strong').textContent.replace(/\\D/g, ''))";
    let looped = browser.run(&format!("return {count}")).await?.as_f64().unwrap_or(0.0);
    chord(&browser, key::CONTROL, "a").await?;
    browser.until(&format!("{count} > {looped}")).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn passes_that_came_together_have_one_amount() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-start='One good take']").await?;
    browser.find("[data-group]").await?;
    browser.until("!document.querySelector('[data-pass]')").await?;
    look(&browser, "hand-group").await?;
    let soft = "[data-instrument='closed-hat'] [data-handle=soft]";
    let whole = vivida_e2e::handle(&browser, soft).await?;
    type_number(&browser, "Amount of One good take", "0").await?;
    let amount = |so: u32| format!("return it.state.recipe.groups[0].amount === {so}");
    answers(&browser, "/parts/1", &amount(0)).await?;
    let none = vivida_e2e::handle(&browser, soft).await?;
    assert!(none > whole, "at nothing it is as written: {none} and {whole}");
    type_number(&browser, "Amount of One good take", "100").await?;
    answers(&browser, "/parts/1", &amount(100)).await?;
    assert!((vivida_e2e::handle(&browser, soft).await? - whole).abs() < 0.05);
    browser.click("[data-group-fold]").await?;
    browser.find("[data-pass]").await?;
    look(&browser, "hand-group-open").await?;
    browser.click("[aria-label='More for the group One good take']").await?;
    browser.click_at("//*[@role='menuitem'][contains(., 'Ungroup')]").await?;
    answers(&browser, "/parts/1", "return !it.state.recipe.groups && it.state.recipe.passes.length > 3").await?;
    browser.close().await
}
