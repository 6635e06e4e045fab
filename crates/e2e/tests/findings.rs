//! Findings in the page: said, walked to, seen before they are mended, mended, dismissed.

use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// A song of the demo, opened from the shelf.
async fn open(app: &App, browser: &Browser, name: &str) -> Done {
    browser.goto(&app.address).await?;
    browser.click(&format!("[data-song='{name}'] a")).await?;
    browser.find("[data-instrument] [data-handle=soft]").await?;
    browser.until("document.querySelector(\"[data-figure='exactly on its lines']\").textContent.includes('→')").await
}

/// The id of the part that is open.
async fn part_of(browser: &Browser) -> Result<String, Failed> {
    let id = browser.run("return location.pathname.split('/').at(-1)").await?;
    Ok(id.as_str().expect("a path").to_owned())
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

/// A file of drum hits at 480 a quarter, given as (tick, note, velocity), with two sections of eight bars.
fn file_of(mut hits: Vec<(u32, u8, u8)>) -> Vec<u8> {
    hits.sort_unstable();
    let mut events: Vec<(u32, Vec<u8>)> = Vec::new();
    for (tick, name) in [(0, "Verse"), (8 * 1920, "Chorus")] {
        events.push((tick, [&[0xff, 6, name.len() as u8], name.as_bytes()].concat()));
    }
    for (tick, note, velocity) in hits {
        events.push((tick, vec![0x99, note, velocity]));
        events.push((tick + 30, vec![0x89, note, 64]));
    }
    events.sort_by_key(|one| one.0);
    let (mut track, mut now) = (Vec::new(), 0);
    for (tick, bytes) in events {
        let delta = tick - now;
        if delta >= 128 {
            track.push(0x80 | (delta >> 7) as u8);
        }
        track.push((delta & 127) as u8);
        track.extend(bytes);
        now = tick;
    }
    track.extend(b"\0\xff\x2f\0");
    let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    file.extend((track.len() as u32).to_be_bytes());
    file.extend(track);
    file
}

/// Sixteen bars that are alive, struck as hard as `touch` says.
fn alive(touch: impl Fn(u8) -> u8) -> Vec<(u32, u8, u8)> {
    let mut hits = Vec::new();
    for bar in 0..16u32 {
        let at = |sixteenth: u32| bar * 1920 + sixteenth * 120 + (bar * 16 + sixteenth) * 7919 % 11;
        let soft = |base: u32, n: u32| touch((base + (bar * 5 + n * 3) % 9) as u8);
        hits.extend((0..8).map(|n| (at(2 * n), 42, soft(if n % 2 == 0 { 92 } else { 62 }, n))));
        hits.extend([(at(4), 38, soft(104, 1)), (at(12), 38, soft(102, 2))]);
        hits.extend([(at(7), 38, soft(26, 3)), (at(9), 38, soft(24, 4)), (at(15), 38, soft(25, 6))]);
        hits.extend([(at(0), 36, soft(100, 5)), (at(6), 36, soft(84, 6)), (at(8), 36, soft(96, 7))]);
    }
    hits
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_wrong_is_walked_to_and_mended_one_after_the_other() -> Done {
    let (_turn, app, browser) = start().await;
    let mut hits = alive(|velocity| velocity);
    // Two more hands on a backbeat, a blast, a ride that jumps in the chorus, notes that no kit knows.
    hits.extend([(5 * 1920 + 478, 49, 112), (5 * 1920 + 486, 51, 70)]);
    hits.extend((0..48).map(|n| (12 * 1920 + n * 60 + 31, 38, 104 + (n * 5 % 7) as u8)));
    hits.extend((0..64).map(|n| (n * 480 + 247, 53, if n >= 32 { 100 + (n % 5) as u8 } else { 26 + (n % 5) as u8 })));
    hits.extend((0..4).map(|n| (n * 1920 + 700, 110, 90 + n as u8)));
    import(&app, &browser, "flawed.mid", &file_of(hits)).await?;
    browser.click("[data-song='flawed'] a").await?;
    browser.find("[data-instrument='snare']").await?;
    browser.keys("n").await?;
    let mut said = Vec::new();
    for rule in ["level-jump", "dense", "too-many-limbs"] {
        let card = format!("[data-finding={rule}]");
        browser.find(&card).await?;
        for _ in 0..12 {
            let there = format!("return document.querySelector('{card}').dataset.focused === 'true'");
            if browser.run(&there).await?.as_bool() == Some(true) {
                break;
            }
            browser.keys("n").await?;
        }
        said.push(browser.run(&format!("return document.querySelector('{card} button').textContent")).await?);
        look(&browser, rule).await?;
        browser.click(&format!("{card} [data-cure]")).await?;
        browser.until(&format!("!document.querySelector('{card}')")).await?;
        browser.run("document.activeElement.blur()").await?;
    }
    let said: Vec<&str> = said.iter().filter_map(|one| one.as_str()).collect();
    assert!(said[0].contains("ride") && said[0].contains("Chorus") && said[1].contains("strokes a second"), "{said:?}");
    assert!(said[2].contains("a third hand (") && said[2].contains(" at once), bar 6"), "{said:?}");
    // What makes no sound is mapped in the kit.
    browser.click("[data-finding=silent] [data-open-kit]").await?;
    browser.find("[data-threads] [data-note]").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_part_that_is_slammed_is_brought_down_to_where_the_kit_has_room() -> Done {
    let (_turn, app, browser) = start().await;
    import(&app, &browser, "slammed.mid", &file_of(alive(|_| 127))).await?;
    browser.click("[data-song='slammed'] a").await?;
    browser.find("[data-instrument='snare']").await?;
    browser.until("document.querySelector('[data-noticed]')?.textContent.includes('as hard as it goes')").await?;
    browser.keys("n").await?;
    browser.click("[data-finding=slammed] [data-cure-all^='Bring it down to']").await?;
    browser.until("!document.querySelector('[data-finding=slammed]')").await?;
    look(&browser, "slammed").await?;
    let part = ask(&browser, &format!("/parts/{}", part_of(&browser).await?)).await?;
    let typical = |id: &str| {
        let all = part["performance"]["reading"]["instruments"].as_array().expect("instruments");
        let one = all.iter().find(|one| one["instrument"] == id).expect("it is there");
        one["figures"]["typical"].as_f64().expect("a velocity")
    };
    // The top layer begins at 108, the one below it at 77.
    let (snare, kick, hat) = (typical("snare"), typical("kick"), typical("closed-hat"));
    assert!(
        (100.0..112.0).contains(&snare) && (98.0..110.0).contains(&kick) && (77.0..100.0).contains(&hat),
        "{snare} {kick} {hat}"
    );
    browser.close().await
}
