//! What is heard while a part plays: rounds, takes, other parts, swing that slides, sounds of one's own.

use crate::journeys::SOFT;
use crate::own_sounds::{choose_folder, folder, own_kit};
use serde_json::Value;
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

#[tokio::test(flavor = "multi_thread")]
async fn written_and_played_are_heard_against_each_other() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.drag(SOFT, 0.0, 60.0).await?;
    browser.drag("[data-instrument='closed-hat'] [data-handle=lean]", 25.0, 0.0).await?;
    browser.until("document.querySelector('[data-pass=lean]')").await?;
    browser.press("others").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 20").await?;

    // Flip while it plays, wait, and flip back.
    browser.type_into("body", "w").await?;
    browser.until("window.vividaProbe.scheduled.filter((s) => s.reading === 'written').length > 20").await?;
    browser.type_into("body", "w").await?;
    // A whole round of the loop (10 s) has to have gone by.
    browser.until("window.vividaProbe.scheduled.at(-1).at - window.vividaProbe.scheduled[0].at > 12").await?;
    browser.press("Stop").await?;
    let log = browser.run("return window.vividaProbe.scheduled").await?;
    let log = log.as_array().expect("a list");
    let number = |entry: &Value, field: &str| entry[field].as_f64().expect("a number");

    let written: Vec<&Value> = log.iter().filter(|entry| entry["reading"] == "written").collect();
    assert!(written.iter().all(|entry| entry["velocity"] == 100), "Written is as it came");
    let soft = log.iter().filter(|entry| entry["reading"] == "played" && number(entry, "velocity") < 80.0).count();
    assert!(soft >= 6, "Played is as it was shaped: {soft} soft of {}", log.len());

    // No gap and nothing doubled: what really sounded of the hats (what was taken back at a flip is
    // scheduled again, so of each hit and round the last entry counts) is an eighth apart. Played
    // leans 18 ms or so, so at a flip neighbours may be that much nearer or further.
    let mut times: Vec<(i64, f64)> = Vec::new();
    for entry in log {
        let hit = entry["hit"].as_i64().expect("a hit");
        let at = number(entry, "at");
        times.retain(|&(other, when)| other != hit || (when - at).abs() > 1.0);
        times.push((hit, at));
    }
    let hats = browser
        .run("return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => p.written.notes.map((n, i) => n === 42 ? i : -1))")
        .await?;
    let is_hat = |hit: i64| hats.as_array().is_some_and(|all| all.iter().any(|one| one.as_i64() == Some(hit)));
    let mut hats: Vec<f64> = times.iter().filter(|(hit, _)| is_hat(*hit)).map(|&(_, at)| at).collect();
    hats.sort_by(f64::total_cmp);
    let eighth = 60.0 / 96.0 / 2.0;
    for pair in hats.windows(2) {
        let gap = pair[1] - pair[0];
        assert!((gap - eighth).abs() < 0.06, "{gap:.3} s between hats that are {eighth:.3} s apart");
    }
    assert!(hats.len() > 36, "{} hats in more than a round", hats.len());
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn mute_solo_tempo_and_other_parts_are_heard() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.press("Solo Kick").await?;
    browser.press("Play").await?;
    let parts = "new Set(window.vividaProbe.scheduled.map((s) => s.part)).size";
    browser.until(&format!("window.vividaProbe.scheduled.length > 6 && {parts} === 2")).await?;
    browser.press("Stop").await?;
    let heard = "return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) =>
        [...new Set(window.vividaProbe.scheduled.filter((s) => s.part === 1).map((s) => p.written.notes[s.hit]))])";
    assert_eq!(browser.run(heard).await?, serde_json::json!([36]), "only the kick of this part");

    // Alone, muted, at double tempo: hats an eighth of 192 bpm apart.
    browser.press("Solo Kick").await?;
    browser.press("Mute Kick").await?;
    browser.press("others").await?;
    browser.click("[aria-label='Tempo for listening']").await?;
    browser.keys(&format!("192{}", key::ENTER)).await?;
    browser.until("document.querySelector('[aria-label=\\'Tempo for listening\\']').textContent === '192 bpm'").await?;
    browser.run("window.vividaProbe.scheduled.length = 0").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 16").await?;
    browser.press("Stop").await?;
    let log = browser.run("return window.vividaProbe.scheduled.map((s) => [s.part, s.at, s.seconds])").await?;
    let log: Vec<[f64; 3]> = serde_json::from_value(log).expect("three numbers each");
    assert!(log.iter().all(|entry| entry[0] == 1.0));
    for pair in log.windows(2) {
        let (real, song) = (pair[1][1] - pair[0][1], pair[1][2] - pair[0][2]);
        assert!(song < 0.0 || (real - song / 2.0).abs() < 0.01, "{song} s of the song took {real} s");
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn space_plays_wherever_the_pointer_was_used() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "compress", "contrast").await?;
    // A word was pressed and its list closed again; a switch was switched; a button was pressed.
    let used = ["[data-pass=contrast] [aria-label^='Instruments']", "[data-toggle=loop]", "[data-pass=contrast] label"];
    for css in used {
        browser.click(css).await?;
        browser.keys(&key::ESCAPE.to_string()).await?;
        tokio::time::sleep(Duration::from_millis(400)).await;
        browser.keys(" ").await?;
        browser.find("[aria-label=Stop]").await?;
        browser.keys(" ").await?;
        browser.find("[aria-label=Play]").await?;
    }
    // By keyboard it presses.
    browser.run("document.querySelector('[aria-label=Play]').focus()").await?;
    browser.keys("\u{e004}").await?;
    let focused = browser.run("return document.activeElement.ariaLabel").await?;
    assert_eq!(focused, "Record", "the focus goes to what comes next");
    browser.keys(" ").await?;
    browser.find("[data-recording=idle]").await?;
    browser.find("[aria-label=Play]").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn swing_slides_while_the_loop_plays() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.press("Closed hat").await?;
    add_pass(&browser, "swing", "swing").await?;
    browser.press("Swing: grid: 16ths").await?;
    browser.press("8ths").await?;
    browser.press("others").await?;
    browser.press("Solo Closed hat").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 8").await?;
    let [x, y] = middle(&browser, "[aria-label='Swing: swing']").await?;
    let wait = "return document.querySelector(\"[aria-label='Swing: swing']\").ariaValueNow";
    browser.drag_from(x, y, 60.0, 0.0).await?;
    let slid: f64 = browser.run(wait).await?.as_str().and_then(|text| text.parse().ok()).expect("a number");
    assert!(slid > 57.0, "{slid}");
    browser.until("window.vividaProbe.scheduled.at(-1).at - window.vividaProbe.scheduled[0].at > 6").await?;
    browser.press("Stop").await?;
    // Of each hit and round what was scheduled last is what sounded: none is missing, none doubled, and
    // at the end they lie where the swing was slid to.
    let log = browser.run("return window.vividaProbe.scheduled.map((s) => [s.hit, s.at])").await?;
    let log: Vec<(i64, f64)> = serde_json::from_value(log).expect("numbers");
    let mut times: Vec<(i64, f64)> = Vec::new();
    for (hit, at) in log {
        times.retain(|&(other, when)| other != hit || (at - when).abs() > 1.0);
        times.push((hit, at));
    }
    let mut ats: Vec<f64> = times.iter().map(|&(_, at)| at).collect();
    ats.sort_by(f64::total_cmp);
    let beat = 60.0 / 96.0;
    let gaps: Vec<f64> = ats.windows(2).map(|pair| (pair[1] - pair[0]) / beat).collect();
    assert!(gaps.iter().all(|gap| (0.15..0.85).contains(gap)), "{gaps:?}");
    let end = &gaps[gaps.len() - 4..];
    let share = slid / 100.0;
    assert!(end.iter().all(|gap| (gap - share).abs() < 0.02 || (gap - (1.0 - share)).abs() < 0.02), "{end:?} {slid}");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn each_round_is_another_variation_and_a_good_one_is_kept() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "vary", "vary").await?;
    // One bar: a round takes 2.5 s.
    browser.drag("[data-map] [data-side=to]", -28.0, 0.0).await?;
    browser.press("fresh each round").await?;
    browser.press("Play").await?;
    browser.until("document.querySelectorAll('[data-heard] button').length >= 3").await?;
    browser.press("Stop").await?;
    // The same hit sounded with another velocity in another round.
    let differs = "const rounds = new Map(); for (const { hit, velocity } of window.vividaProbe.scheduled)
        rounds.set(hit, (rounds.get(hit) ?? new Set()).add(velocity));
        return [...rounds.values()].filter((velocities) => velocities.size > 1).length";
    assert!(browser.run(differs).await?.as_i64() > Some(3));
    browser.press("Keep variation 3").await?;
    browser.until("document.querySelector('[aria-label=Variation]').textContent === '3'").await?;
    kept(&browser, 1, "p.state.variation === 3").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn takes_are_printed_compared_and_returned_to() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.press("others").await?;
    add_pass(&browser, "fixed", "set").await?;
    let to = "[data-pass=set] [aria-label='Set: velocity']";
    browser.click(to).await?;
    browser.keys(&format!("40{}", key::ENTER)).await?;
    kept(&browser, 1, "passes[0]?.action.to === 40").await?;
    browser.press("Takes").await?;
    browser.press("Print").await?;
    browser.until("document.querySelector('[aria-label=Takes]')?.textContent.includes('2')").await?;
    browser.until("document.querySelectorAll('[data-pass]').length === 0").await?;
    // Now 40 is what is written; against it the first take, which is played at 40, too.
    add_pass(&browser, "level", "level").await?;
    browser.press("Takes").await?;
    browser.press("Compare with As it came").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("document.querySelector('header').textContent.includes('As it came')").await?;
    // Switch the pass of the first take off by going there: it is the file again, at 100.
    browser.press("Takes").await?;
    browser.click("[data-take='As it came'] input").await?;
    browser.find("[data-pass=set]").await?;
    browser.run("document.querySelector('[data-pass=set] input[role=switch]').click()").await?;
    kept(&browser, 1, "passes[0].on === false").await?;
    browser.press("Takes").await?;
    browser.press("Compare with Take 2").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("document.querySelector('header').textContent.includes('Take 2')").await?;
    browser.run("window.vividaProbe.scheduled.length = 0").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 12").await?;
    browser.type_into("body", "w").await?;
    browser.until("window.vividaProbe.scheduled.filter((one) => one.reading === 'written').length > 12").await?;
    browser.press("Stop").await?;
    let heard = "const log = window.vividaProbe.scheduled; const of = (reading) => [...new Set(log.filter((one) => one.reading === reading).map((one) => one.velocity))];
        return [of('played'), of('written')]";
    assert_eq!(browser.run(heard).await?, serde_json::json!([[100], [48]]), "the open take, and the other one");

    // Deleted, and back by undo.
    browser.press("Takes").await?;
    browser.press("Delete Take 2").await?;
    browser.until("document.querySelectorAll('[data-take]').length === 1").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("document.querySelector('header').textContent.includes('Written')").await?;
    browser.press("Undo").await?;
    browser.until("document.querySelector('[aria-label=Takes]')?.textContent.includes('2')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn equal_loudness_and_the_click_are_heard() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "fixed", "set").await?;
    browser.click("[data-pass=set] [aria-label='Set: velocity']").await?;
    browser.keys(&format!("50{}", key::ENTER)).await?;
    kept(&browser, 1, "passes[0]?.action.to === 50").await?;
    browser.press("others").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 10").await?;
    let levels =
        "return [...new Set(window.vividaProbe.scheduled.map((one) => `${one.reading} ${one.level.toFixed(2)}`))]";
    assert_eq!(browser.run(levels).await?, serde_json::json!(["played 1.00"]));
    assert_eq!(browser.run("return window.vividaProbe.clicks.length").await?, 0);
    // The louder reading is turned down to the softer one: (50/100)^1.7 in amplitude.
    browser.run("window.vividaProbe.scheduled.length = 0; document.activeElement.blur()").await?;
    browser
        .run("[...document.querySelectorAll('button')].find((one) => one.textContent === 'equal loudness').click()")
        .await?;
    browser.type_into("body", "w").await?;
    browser.until("window.vividaProbe.scheduled.some((one) => one.reading === 'written' && Math.abs(one.level - 0.308) < 0.01)").await?;
    browser.type_into("body", "c").await?;
    browser.until("window.vividaProbe.clicks.length > 4").await?;
    let gaps = "const c = [...new Set(window.vividaProbe.clicks)].sort((a, b) => a - b); return c.slice(1).map((at, i) => at - c[i])";
    let gaps = browser.run(gaps).await?;
    // 96 bpm: 0.625 s from beat to beat. A busy machine may miss one, but none comes late.
    let beats = gaps.as_array().expect("gaps").iter().map(|gap| gap.as_f64().expect("s") / 0.625);
    let on_beats = |beats: f64| beats > 0.5 && (beats - beats.round()).abs() < 0.02;
    assert!(beats.into_iter().all(on_beats), "{gaps}");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_second_part_is_tried_against_the_first() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.press("Drums").await?;
    browser.press("Duplicate").await?;
    browser.press("Drums, second").await?;
    browser.press("Rename").await?;
    browser.find("input[aria-label='Name of the part']").await?;
    browser.keys(&format!("Brushes{}", key::ENTER)).await?;
    browser.until("document.querySelector('nav').textContent.includes('Brushes')").await?;
    add_pass(&browser, "softer", "level").await?;
    // The first one is muted: neither heard nor exported.
    browser.press("Brushes").await?;
    browser.press("Drums · drums, 1,591 hits").await?;
    browser.until("document.querySelectorAll('[data-pass]').length === 0").await?;
    browser.press("Drums").await?;
    browser.press("Mute, here and in exports").await?;
    browser.until("document.querySelector('nav').textContent.includes('(muted)')").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.scheduled.length > 20").await?;
    browser.press("Stop").await?;
    let heard = browser.run("return [...new Set(window.vividaProbe.scheduled.map((one) => one.part))].sort()").await?;
    let parts = heard.as_array().expect("parts");
    assert!(
        !parts.iter().any(|part| part.as_i64() == Some(1)) && parts.len() == 2,
        "the second one and the bass: {heard}"
    );
    // Undo takes the mute back; the second part can go again.
    browser.press("Undo").await?;
    browser.until("!document.querySelector('nav').textContent.includes('(muted)')").await?;
    browser.press("Drums").await?;
    browser.press("Brushes · drums, 1,591 hits").await?;
    browser.find("[data-pass=level]").await?;
    browser.press("Brushes").await?;
    browser.press("Delete").await?;
    browser.until("document.querySelectorAll('[data-pass]').length === 0").await?;
    assert_eq!(ask(&browser, "/songs/1").await?["parts"].as_array().map(Vec::len), Some(2));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn each_round_has_fresh_dice_where_that_is_asked() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.press("Closed hat").await?;
    assert_eq!(browser.run("return document.querySelector('[data-round]') === null").await?, true);
    add_pass(&browser, "probability", "odds").await?;
    kept(&browser, 1, "passes[0].fresh === true").await?;
    browser.find("[data-round='1']").await?;
    let row = "[data-instrument='closed-hat'] canvas[data-hits]";
    let first = drawn(&browser, row).await?;
    browser.run("document.querySelector('[aria-label=Round]').focus()").await?;
    browser.keys(&key::UP.to_string()).await?;
    browser.find("[data-round='2']").await?;
    assert_ne!(drawn(&browser, row).await?, first);
    browser.keys(&key::DOWN.to_string()).await?;
    browser.find("[data-round='1']").await?;
    assert_eq!(drawn(&browser, row).await?, first);

    // While it plays the rounds go on: the loop is half a bar long at this tempo.
    browser.run("document.querySelector('[data-loop]').focus()").await?;
    browser.keys(&format!("{}{}{}", key::SHIFT, key::LEFT.to_string().repeat(3), key::RELEASE)).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.press("Play").await?;
    browser.until("Number(document.querySelector('[data-round]').dataset.round) >= 3").await?;
    browser.press("Stop").await?;

    // The same in every round again, from its menu.
    browser.click("[data-pass=odds] [aria-label^='More for pass']").await?;
    browser.press("The same in every round").await?;
    kept(&browser, 1, "!passes[0].fresh").await?;
    browser.until("document.querySelector('[data-round]') === null").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_folder_of_samples_is_heard_in_the_part() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    browser.steady_sound().await?;
    let folder = folder(&app);
    own_kit(&app, &browser).await?;
    choose_folder(&browser, &folder).await?;
    look(&browser, "own-sounds-fitted").await?;
    assert!(browser.text("[data-fitted]").await?.starts_with("36 samples for 4 strokes."));
    browser.click("[data-take-sounds]").await?;
    browser.click("[data-stroke='snare acoustic']").await?;
    browser.find("[data-samples='24']").await?;
    browser.click("[data-samples] li button").await?;
    look(&browser, "own-sounds").await?;
    // Choosing the stroke let it be heard, by a file of its own.
    browser.until("window.vividaProbe.own.length > 0").await?;
    browser.click("[data-close-kit]").await?;
    browser.find("[data-rows] canvas").await?;
    browser.run("window.vividaProbe.own.length = 0; document.activeElement.blur()").await?;
    browser.press("Play").await?;
    let hats = "window.vividaProbe.own.filter(([name]) => name.startsWith('Hat Closed'))";
    browser.until(&format!("{hats}.length >= 8")).await?;
    browser.press("Stop").await?;
    let heard: Vec<String> =
        serde_json::from_value(browser.run(&format!("return {hats}.map(([name]) => name)")).await?).expect("names");
    // Written is at one velocity: one layer, and its alternates one after the other.
    let layer = |name: &str| name.split(" rr").next().map(str::to_owned);
    assert!(heard.iter().all(|name| layer(name) == layer(&heard[0])), "{heard:?}");
    assert!(heard.windows(2).all(|pair| pair[0] != pair[1]), "{heard:?}");
    look(&browser, "own-sounds-rows").await?;
    browser.close().await
}
