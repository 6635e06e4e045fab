//! Hands in the page: what is added is seen, explained and taken out again.

use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// How many hits the open part makes by its passes.
async fn made(browser: &Browser) -> Result<usize, Failed> {
    let part = ask(browser, "/parts/1").await?;
    Ok(part["performance"]["made"]["ids"].as_array().expect("ids").len())
}

/// The drums of Causeway, bars 5 to 8, with ghosts around the backbeat.
async fn with_ghosts(app: &App, browser: &Browser) -> Done {
    open_causeway(app, browser).await?;
    browser.press("Snare").await?;
    add_pass(browser, "ghost", "ghosts").await?;
    kept(browser, 1, "passes[0]?.action.kind === 'ghosts'").await
}

#[tokio::test(flavor = "multi_thread")]
async fn ghosts_are_placed_explained_taken_out_and_dealt_anew() -> Done {
    let (_turn, app, browser) = start().await;
    with_ghosts(&app, &browser).await?;
    let first = made(&browser).await?;
    assert!(first > 100, "{first}");
    browser
        .until(
            "/left out: .*their places are left free/.test(document.querySelector('[data-pass=ghosts]').textContent)",
        )
        .await?;

    // Two before as well: there are more. The kick's places taken as well: more again.
    browser.click("[data-pass=ghosts] [aria-label^='Ghosts: places']").await?;
    browser.click("[aria-label='2 before']").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    kept(&browser, 1, "passes[0].action.slots.join() === '-2,-1,1'").await?;
    let more = made(&browser).await?;
    assert!(more > first, "{first} {more}");
    browser.press("Ghosts: places left free: except where the kick sounds").await?;
    browser.press("wherever there is room").await?;
    kept(&browser, 1, "passes[0].action.free === 'none'").await?;
    assert!(made(&browser).await? > more);

    // One of them is taken out by hand, and stays in sight.
    let id = ask(&browser, "/parts/1").await?["performance"]["made"]["ids"][0].clone();
    let take_out = format!(
        "return fetch('/api/v1/parts/1').then((r) => r.json()).then((part) => fetch('/api/v1/parts/1', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: part.state.revision, label: 'take out',
            gestures: [{{kind: 'take-out', hits: [{id}]}}]}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&take_out).await?, 200);
    browser.run("window.dispatchEvent(new Event('focus'))").await?;
    browser.until("document.querySelector('[data-pass=by-hand]')").await?;
    let part = ask(&browser, "/parts/1").await?;
    assert_eq!(part["performance"]["silenced"].as_array().expect("silenced").len(), 1);

    // Another variation deals them anew.
    let before = part["performance"]["made"]["velocities"].clone();
    browser.run("document.activeElement.blur()").await?;
    browser.keys("v").await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    assert_ne!(ask(&browser, "/parts/1").await?["performance"]["made"]["velocities"], before);
    // Switched off, all of it is gone.
    browser.run("document.querySelector('[data-pass=ghosts] input[type=checkbox]').click()").await?;
    kept(&browser, 1, "passes[0].on === false").await?;
    assert_eq!(made(&browser).await?, 0);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn rolls_flams_and_hands_are_said_and_seen() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Snare").await?;
    let row = "[data-instrument='snare'] canvas[data-hits]";
    let plain = drawn(&browser, row).await?;
    // A word points at settings: a buzz leads into the hit.
    add_pass(&browser, "buzz", "roll").await?;
    kept(&browser, 1, "passes[0].action.main === 'last' && passes[0].action.strokes === 8").await?;
    browser.until("document.querySelector('[data-pass=roll]').textContent.includes('the last stroke')").await?;
    let rolled = drawn(&browser, row).await?;
    assert_ne!(plain, rolled);
    // Cut on a grid the number is not asked for, but the grid is.
    browser.press("Roll: cut: even strokes").await?;
    browser.press("strokes on a grid").await?;
    kept(&browser, 1, "passes[0].action.cut === 'grid'").await?;
    browser.until("!document.querySelector(\"[data-pass=roll] [aria-label='Roll: strokes']\")").await?;
    browser.find("[data-pass=roll] [aria-label^='Roll: grid']").await?;
    add_pass(&browser, "flam", "flam").await?;
    kept(&browser, 1, "passes[1].action.kind === 'flam'").await?;

    // Hands are written beside the hits of an opened row.
    let unhanded = drawn(&browser, row).await?;
    add_pass(&browser, "paradiddle", "sticking").await?;
    kept(&browser, 1, "passes[2].action.pattern === 'paradiddle'").await?;
    assert_ne!(drawn(&browser, row).await?, unhanded);
    let hands = ask(&browser, "/parts/1").await?["performance"]["hands"].clone();
    let hands = hands.as_str().expect("letters");
    assert!(hands.contains('L') && hands.contains('R') && hands.contains('-'), "{hands}");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn all_toms_are_aimed_at_at_once() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "accent", "accents").await?;
    // All toms at once, though each is a drum of its own.
    browser.click("[data-pass=accents] [aria-label^='Instruments:']").await?;
    browser
        .run("[...document.querySelectorAll('label')].find((one) => one.textContent === 'all toms').click()")
        .await?;
    kept(&browser, 1, "passes[0].aim.instruments?.join() === 'tom-3,tom-5'").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("document.querySelector('[data-pass=accents] [aria-label=\"Instruments: Toms\"]')").await?;
    browser.close().await
}
