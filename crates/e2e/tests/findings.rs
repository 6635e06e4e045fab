//! Findings in the page: said, walked to, seen before they are mended, mended, dismissed.

use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// A song of the demo, opened from the shelf.
async fn open(app: &App, browser: &Browser, name: &str) -> Done {
    browser.goto(&app.address).await?;
    browser.click(&format!("[data-song='{name}'] a")).await?;
    browser.find("[data-instrument] [data-handle=soft]").await?;
    browser.until("document.querySelector(\"[data-figure='exactly on grid']\").textContent.includes('→')").await
}

/// The id of the part that is open.
async fn part_of(browser: &Browser) -> Result<String, Failed> {
    let id = browser.run("return location.pathname.split('/').at(-1)").await?;
    Ok(id.as_str().expect("a path").to_owned())
}

/// Writes a picture where `VIVIDA_LOOK` says so.
async fn look(browser: &Browser, name: &str) -> Done {
    if let Some(folder) = std::env::var_os("VIVIDA_LOOK") {
        tokio::time::sleep(Duration::from_millis(700)).await;
        std::fs::write(std::path::Path::new(&folder).join(format!("{name}.png")), browser.picture().await?).unwrap();
    }
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rough_performance_is_tidied_and_a_hit_called_back() -> Done {
    let (_turn, app, browser) = start().await;
    open(&app, &browser, "Tin Roof").await?;
    let part = part_of(&browser).await?;
    // Before anything is done the findings are said beside the ways to begin, and marked in the strip.
    browser.until("document.querySelectorAll('[data-noticed] li').length === 3").await?;
    browser.until("document.querySelectorAll('[data-mark]').length > 10").await?;
    look(&browser, "first").await?;
    browser.keys("n").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 3").await?;
    browser.keys("n").await?;
    browser.until("document.querySelector('[data-finding=double-trigger][data-focused=true]')").await?;
    look(&browser, "walked").await?;

    // Pointed at, a cure is seen in the rows and nothing is kept; clicked, it is taken in one step.
    let cure = "[data-finding=double-trigger] [data-cure^='Drop all']";
    let row = "[data-instrument='closed-hat'] canvas[data-hits]";
    browser.hover(600.0, 70.0).await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    let before = drawn(&browser, row).await?;
    let [x, y] = middle(&browser, cure).await?;
    browser.hover(x, y).await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    assert!(drawn(&browser, row).await? != before, "the rows show what the cure would do");
    look(&browser, "pointed").await?;
    let kept_now = ask(&browser, &format!("/parts/{part}")).await?;
    assert_eq!(kept_now["state"]["recipe"]["passes"].as_array().expect("passes").len(), 0);
    browser.click(cure).await?;
    browser.until("document.querySelector('[data-nothing-found]')").await?;
    look(&browser, "mended").await?;
    let now = ask(&browser, &format!("/parts/{part}")).await?;
    let silenced = now["performance"]["silenced"].as_array().expect("silenced").clone();
    assert_eq!(silenced.len(), 62, "as many as the player did not mean");
    let reasons = now["performance"]["passes"][0]["reasons"].as_array().expect("reasons").len();
    assert!(reasons >= 3, "{reasons}");

    // One of them is called back by hand, behind the pass that silenced it, and an undo takes that back.
    let hit = silenced[0][0].clone();
    let call_back = format!(
        "return fetch('/api/v1/parts/{part}').then((r) => r.json()).then((part) => fetch('/api/v1/parts/{part}', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: part.state.revision, label: 'call back',
            gestures: [{{kind: 'bring-back', hits: [{hit}]}}]}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&call_back).await?, 200);
    let now = ask(&browser, &format!("/parts/{part}")).await?;
    assert_eq!(now["performance"]["silenced"].as_array().expect("silenced").len(), 61);
    assert_eq!(now["state"]["recipe"]["passes"][1]["action"]["recalled"], serde_json::json!([hit]));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finding_is_dismissed_for_good_and_all_drums_are_mended_at_once() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("n").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 9").await?;
    browser.click("[data-finding=on-grid] [aria-label^=Dismiss]").await?;
    browser.press("Dismiss this").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 8").await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    browser.goto(&app.address).await?;
    open_causeway(&app, &browser).await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 8").await?;
    assert!(
        browser.run("return !document.querySelector('[data-finding=on-grid]')").await?.as_bool().expect("a boolean")
    );
    look(&browser, "all").await?;
    // Eight drums have one velocity each: all are given a shape in one step, and one undo takes it back.
    browser.click("[data-finding=one-velocity] [data-cure-all^='Loud on the beat']").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 0").await?;
    let part = ask(&browser, "/parts/1").await?;
    assert_eq!(part["state"]["recipe"]["passes"].as_array().expect("passes").len(), 16);
    chord(&browser, key::CONTROL, "z").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 8").await?;
    // What counts is a person's own.
    browser.press("What counts").await?;
    browser.find("input[value]").await?;
    look(&browser, "measures").await?;
    browser.press("As usual").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.press("Say them again").await?;
    browser.until("document.querySelectorAll('[data-finding]').length === 9").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_part_is_learned_from() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("n").await?;
    browser.click("[data-study]").await?;
    browser.click("section[aria-label='Learn from another part'] input").await?;
    browser.keys("Weir").await?;
    browser.click_at("//*[@role='option'][contains(., 'The Weir')]").await?;
    browser.find("[data-apart=snare]").await?;
    look(&browser, "study").await?;
    let script = "return Number(document.querySelector('[data-apart=snare] td:nth-child(2)').textContent)";
    let before = browser.run(script).await?.as_f64().expect("a number");
    assert!(before > 20.0, "{before}");
    // Its touch is taken over: the snare comes near it, and so do the others, its time too.
    browser.click("[data-apart=snare] button:nth-of-type(1)").await?;
    browser.until("Number(document.querySelector('[data-apart=snare] td:nth-child(2)').textContent) < 8").await?;
    browser.click("section[aria-label='Learn from another part'] tr:last-child button:nth-of-type(2)").await?;
    kept(&browser, 1, "passes.length === 2 && passes[1].action.kind === 'groove'").await?;
    look(&browser, "studied").await?;
    browser.close().await
}
