//! Recorded loops as they are heard.

use crate::loops::begin;
use serde_json::json;
use std::time::Duration;
use vivida_demo::LoopPlan;
use vivida_e2e::*;

type Done = Result<(), Failed>;

#[tokio::test(flavor = "multi_thread")]
async fn a_loop_is_dropped_swung_heard_and_taken_away() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    browser.steady_sound().await?;
    begin(&app, &browser, "cut-break.wav", LoopPlan::cut_break()).await?;
    look(&browser, "loop").await?;
    let part = browser.run("return Number(location.pathname.split('/').pop())").await?;
    // It sounds as it was recorded until a pass is there; then the stretch that sounds is faded over to another.
    browser.run("document.activeElement.blur()").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.loops.length >= 1").await?;
    let before = browser.run("return window.vividaProbe.loops.length").await?;
    add_pass(&browser, "swing", "swing").await?;
    browser
        .until(&format!(
            "window.vividaProbe.loops.length > {before} && window.vividaProbe.loops.some((one) => one.late)"
        ))
        .await?;
    look(&browser, "swung").await?;
    // Round after round follows to the sample.
    browser.until("window.vividaProbe.course.at(-1).round >= 2").await?;
    browser.press("Stop").await?;
    let apart = "return (() => {
        const whole = window.vividaProbe.loops.filter(({late}) => !late);
        return whole.slice(1).map((one, place) => (one.at - whole[place].at) * 44100 - one.frames).map(Math.abs).filter((far) => far > 1.01);
    })()";
    assert_eq!(browser.run(apart).await?, json!([]));
    // Nothing of it was played by the kit.
    assert_eq!(browser.run("return window.vividaProbe.scheduled.length").await?, 0);
    // What is saved is what was heard: as long as the loop, and otherwise than it.
    browser.click("[data-loop-menu]").await?;
    browser.find("[data-loop-options]").await?;
    look(&browser, "loop-menu").await?;
    let saved = |written: bool| {
        format!(
            "return fetch('/api/v1/parts/{part}/loop.wav?depth=16&written={written}').then((answer) => answer.arrayBuffer())
                .then((bytes) => [bytes.byteLength, [...new Uint8Array(bytes)].reduce((sum, byte, at) => (sum * 31 + byte + at) % 1000003, 7)])"
        )
    };
    let (played, written) = (browser.run(&saved(false)).await?, browser.run(&saved(true)).await?);
    assert!(played[0] == written[0] && played[1] != written[1], "{played} {written}");
    browser.close().await
}

/// What a change of thirty seconds takes from the switch to the sound, printed; and it is heard at all.
#[tokio::test(flavor = "multi_thread")]
async fn a_long_loop_follows_what_is_done_to_it() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    browser.steady_sound().await?;
    begin(&app, &browser, "long.wav", LoopPlan { bars: 12, bpm: 96.0, ..LoopPlan::cut_break() }).await?;
    add_pass(&browser, "swing", "swing").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.loops.length >= 1").await?;
    let mut took = Vec::new();
    for _ in 0..6 {
        tokio::time::sleep(Duration::from_millis(400)).await;
        browser
            .run(
                "window.since = performance.now(); window.before = window.vividaProbe.loops.length;
                 document.querySelector('[data-pass=swing] input[role=switch]').click()",
            )
            .await?;
        browser.until("window.vividaProbe.loops.length > window.before").await?;
        let one = browser.run("return window.vividaProbe.loops.at(-1).page - window.since").await?;
        took.push(one.as_f64().unwrap());
    }
    took.sort_by(f64::total_cmp);
    println!("from a switch to the sound of 30 s: {:.0} ms in the median, {:.0} at most", took[3], took[5]);
    browser.press("Stop").await?;
    browser.close().await
}
