//! Recorded loops in the page: dropped, swung, cut by hand, heard, taken away.

use crate::everything::{check, scheme};
use serde_json::Value;
use std::time::Duration;
use vivida_demo::LoopPlan;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// Drops a loop on the shelf and says what it is.
pub(crate) async fn begin(app: &App, browser: &Browser, name: &str, plan: LoopPlan) -> Done {
    import(app, browser, name, &plan.make().wav()).await?;
    browser.find("[data-loop-form]").await?;
    browser.until("document.querySelector('[data-onset-count]')?.dataset.onsetCount > 5").await?;
    look(browser, &format!("{name}-form")).await?;
    browser.press("Begin a song with it").await?;
    browser.find("[data-loop-menu]").await?;
    browser.find("[data-hits]").await?;
    Ok(())
}

/// An onset that was missed is drawn, one that is false erased; found again all is as it was; and it becomes MIDI.
#[tokio::test(flavor = "multi_thread")]
async fn onsets_are_corrected_by_hand_and_become_a_part_for_the_kit() -> Done {
    let (_turn, app, browser) = start().await;
    begin(&app, &browser, "shaker.wav", LoopPlan::shaker()).await?;
    let part = browser.run("return Number(location.pathname.split('/').pop())").await?;
    let hits = async || -> Result<usize, Failed> {
        let detail: Value = ask(&browser, &format!("/parts/{part}")).await?;
        Ok(detail["written"]["ids"].as_array().unwrap().len())
    };
    let before = hits().await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("b").await?;
    browser.find("[data-drawing]").await?;
    // The pencil draws on lines that the server tells.
    browser.rest().await?;
    let [x, y] = middle(&browser, "[data-hits]").await?;
    browser.drag_from(x + 11.0, y, 0.0, 0.0).await?;
    let mut now = before;
    for _ in 0..60 {
        now = hits().await?;
        if now != before {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    look(&browser, "drawn").await?;
    assert_ne!(now, before, "one more, or one less where it stood on another");
    browser.press("Done").await?;
    browser.click("[data-loop-menu]").await?;
    browser.press("Find onsets again").await?;
    browser.until("!document.querySelector('[data-loop-options]')").await?;
    assert_eq!(hits().await?, before);
    browser.click("[data-loop-menu]").await?;
    browser.press("Make a part for the kit").await?;
    browser.until(&format!("!location.pathname.endsWith('/{part}')")).await?;
    browser.find("[data-hits]").await?;
    browser.until("!document.querySelector('[data-loop-menu]')").await?;
    look(&browser, "for-the-kit").await?;
    browser.close().await
}

/// A loop is laid into a song that is there, beside its drums.
#[tokio::test(flavor = "multi_thread")]
async fn a_loop_is_added_to_a_song() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let file = app.folder().join("shaker.wav");
    std::fs::write(&file, LoopPlan::shaker().make().wav()).unwrap();
    let input = "input[aria-label='MIDI file with a part, or a recorded loop']";
    browser.type_into(input, &file.display().to_string()).await?;
    browser.find("[data-loop-form]").await?;
    look(&browser, "into-a-song").await?;
    browser.press("Add the part").await?;
    browser.find("[data-loop-menu]").await?;
    browser.find("[data-hits]").await?;
    look(&browser, "in-a-song").await?;
    // Where there is little room, all that opens lies within the window.
    browser.resize(1024, 700).await?;
    browser.click("[data-loop-menu]").await?;
    within(&browser, "[data-loop-options]").await?;
    look(&browser, "small-menu").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("!document.querySelector('[data-loop-options]')").await?;
    browser.type_into(input, &file.display().to_string()).await?;
    within(&browser, "[data-loop-form]").await?;
    look(&browser, "small-form").await?;
    browser.press("Cancel").await?;
    browser.until("!document.querySelector('[data-loop-form]')").await?;
    browser.press("Undo").await?;
    browser.until("!document.querySelector('[data-loop-menu]')").await?;
    browser.close().await
}

/// A file with a breath before its first stroke is cut where the loop begins and ends.
#[tokio::test(flavor = "multi_thread")]
async fn a_file_is_cut_to_its_bars() -> Done {
    let (_turn, app, browser) = start().await;
    let made = LoopPlan::cut_break().make();
    let mut frames = vec![[0.0; 2]; 13_230];
    frames.extend(&made.frames);
    let padded = vivida_demo::MadeLoop { frames, strokes: Vec::new() };
    let mut wrong = Vec::new();
    browser.goto(&app.address).await?;
    scheme(&browser, "dark").await?;
    import(&app, &browser, "padded.wav", &padded.wav()).await?;
    browser.find("[data-from-first]").await?;
    check(&browser, &mut wrong, "a loop comes in, dark").await?;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    browser.click("[data-from-first]").await?;
    browser.until("document.querySelector('[data-loop-tempo]').textContent.includes(' 92.0')").await?;
    look(&browser, "padded-form").await?;
    browser.press("Begin a song with it").await?;
    browser.find("[data-hits]").await?;
    let part = browser.run("return Number(location.pathname.split('/').pop())").await?;
    let detail = ask(&browser, &format!("/parts/{part}")).await?;
    let slicing = &detail["audio"]["source"]["slicing"];
    let from = slicing["from"].as_f64().expect("frames");
    assert!((from - 13_230.0).abs() < 60.0, "{slicing}");
    browser.close().await
}
