//! What people come to do to timing, in a real browser over a real server.

use serde_json::Value;
use vivida_e2e::{App, Browser, Failed, add_pass, ask, handle, import, kept, key, large_song, open_causeway, start};

type Done = Result<(), Failed>;

/// Opens the rough performance of Tin Roof; answers its part.
async fn open_tin_roof(app: &App, browser: &Browser) -> Result<u32, Failed> {
    browser.goto(&app.address).await?;
    browser.find("[data-song='Tin Roof']").await?;
    let songs = ask(browser, "/songs").await?;
    let song = songs.as_array().and_then(|all| all.iter().find(|song| song["name"] == "Tin Roof")).expect("a song");
    let part = song["parts"][0]["id"].as_u64().expect("a part") as u32;
    browser.goto(&format!("{}/songs/{}/parts/{part}", app.address, song["id"])).await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=spread]").await?;
    Ok(part)
}

/// Presses a box or a switch by its words.
async fn check(browser: &Browser, words: &str) -> Done {
    let label = format!("[...document.querySelectorAll('label')].find((label) => label.textContent === '{words}')");
    browser.until(&label).await?;
    browser.run(&format!("{label}.click()")).await?;
    Ok(())
}

/// Types a number into a word of a sentence.
async fn number(browser: &Browser, label: &str, typed: &str) -> Done {
    browser.click(&format!("[aria-label='{label}']")).await?;
    browser.find(&format!("input[aria-label='{label}']")).await?;
    browser.keys(&format!("{typed}{}", key::ENTER)).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_groove_is_taken_kept_listened_to_and_used_on_another_song() -> Done {
    let (_turn, app, browser) = start().await;
    let roof = open_tin_roof(&app, &browser).await?;
    browser.press("Grooves").await?;
    browser.press("Take a groove from a part").await?;
    browser.press("Take the groove").await?;
    browser.until("document.querySelector('[data-facts]')?.textContent.includes('steady to')").await?;
    let facts = browser.text("[data-facts]").await?;
    assert!(facts.contains("1 bar of 5/4") && facts.contains("104 bpm"), "{facts}");
    // Bars in 7/8 do not fit, which is said.
    browser.until("document.body.textContent.includes('bars of another metre than 5/4 were left out')").await?;
    check(&browser, "show the hits of this part").await?;
    browser.until("document.querySelectorAll('[data-laid-hits] circle').length > 300").await?;
    browser.press("Keep in the library").await?;
    browser.find("[data-groove='Tin Roof, Pads kit take 3']").await?;
    kept(&browser, roof, "passes.length === 0").await?;

    // In the next song it is listened to: the hats are heard elsewhere, but nothing is kept.
    open_causeway(&app, &browser).await?;
    let stiff = handle(&browser, "[data-instrument='closed-hat'] [data-handle=spread]").await?;
    assert_eq!(stiff, 0.0);
    browser.press("Grooves").await?;
    browser.press("Tin Roof, Pads kit take 35/4").await?;
    check(&browser, "Hear it on this part").await?;
    browser
        .until("document.body.textContent.includes('The groove is in 5/4; in 4/4 shorter bars cut it off.')")
        .await?;
    kept(&browser, 1, "passes.length === 0").await?;
    browser.press("Back to the hits").await?;
    browser
        .until("document.querySelector(\"[data-instrument='closed-hat'] [data-handle=spread]\")?.ariaValueNow === '0'")
        .await?;

    // Taken, it is a pass like any other, and one undo step.
    browser.press("Grooves").await?;
    browser.press("Tin Roof, Pads kit take 35/4").await?;
    browser.press("Add as a pass").await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'groove' && passes[0].action.groove.metre.numerator === 5").await?;
    browser
        .until(
            "Number(document.querySelector(\"[data-instrument='closed-hat'] [data-handle=spread]\").ariaValueNow) > 1",
        )
        .await?;
    browser.press("Undo").await?;
    kept(&browser, 1, "passes.length === 0").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn grooves_are_searched_drawn_loved_and_deleted() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("g").await?;
    browser.until("document.querySelectorAll('[data-groove]').length > 20").await?;
    browser.click("input[aria-label='Search the grooves']").await?;
    browser.keys("shuffle drag").await?;
    browser.until("document.querySelectorAll('[data-groove]').length === 1").await?;
    browser.press("Shuffle, dragging4/4").await?;
    browser.until("document.querySelector('[data-facts]').textContent.includes('1/8 triplet')").await?;

    // A slot is drawn later; what ships with Vivida is kept as another one.
    let third = "[data-groove-picture] [data-slot='3']";
    let before = handle(&browser, third).await?;
    browser.drag(third, 0.0, 30.0).await?;
    browser.until(&format!("Number(document.querySelector(\"{third}\").ariaValueNow) > {}", before + 3.0)).await?;
    let drawn = handle(&browser, third).await?;
    browser.run(&format!("document.querySelector(\"{third}\").focus()")).await?;
    browser.keys(&key::DOWN.to_string()).await?;
    browser.until(&format!("document.querySelector(\"{third}\").ariaValueNow === '{}'", drawn + 0.5)).await?;
    browser.press("Keep as a new groove").await?;
    browser.find("[data-groove='Shuffle, dragging, drawn']").await?;
    let library = ask(&browser, "/grooves").await?;
    let named =
        |name: &str| library.as_array().and_then(|all| all.iter().find(|one| one["groove"]["name"] == name)).cloned();
    let (own, mine) = (named("Shuffle, dragging").expect("it stays"), named("Shuffle, dragging, drawn").expect("kept"));
    assert_eq!(own["reading"]["voices"][0]["offsets"][2].as_f64(), Some(before));
    assert!((mine["reading"]["voices"][0]["offsets"][2].as_f64().expect("an offset") - drawn - 0.5).abs() < 0.06);

    // Another one is laid over it; a favourite stands first; what is deleted comes back by undo.
    browser.click("input[aria-label='Compare with another groove']").await?;
    browser.keys("driving").await?;
    let option =
        "[...document.querySelectorAll('[role=option]')].find((one) => one.textContent === 'Shuffle, driving')";
    browser.until(option).await?;
    browser.run(&format!("{option}.click()")).await?;
    browser.find("[data-groove-picture] [data-overlay=true]").await?;
    browser.press("Shuffle, dragging, drawn is a favourite").await?;
    browser.until("document.querySelector('[data-groove]').dataset.groove === 'Shuffle, dragging, drawn'").await?;
    browser.press("More about Shuffle, dragging, drawn").await?;
    // The list may still put itself in order, and the menu with it.
    let delete = "[...document.querySelectorAll('[role=menuitem]')].find((one) => one.textContent === 'Delete')";
    browser.until(delete).await?;
    browser.run(&format!("{delete}.click()")).await?;
    browser.until("!document.querySelector(\"[data-groove='Shuffle, dragging, drawn']\")").await?;
    // The note slides in; a pointer could miss it on its way.
    browser.find(".mantine-Notification-root button:not([aria-label])").await?;
    browser.run("document.querySelector('.mantine-Notification-root button:not([aria-label])').click()").await?;
    browser.find("[data-groove='Shuffle, dragging, drawn']").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn followers_share_a_pocket_and_one_is_switched_off() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("0").await?;
    browser.find("[data-instrument='shaker'] [data-chip]").await?;
    let chip = |id: &str| format!("[data-instrument='{id}'] [data-chip]");
    let click_chip = async |id: &str| {
        let script = "const chip = document.querySelector(";
        browser.run(&format!("{script}\"{}\"); chip.scrollIntoView(); chip.click()", chip(id))).await
    };
    click_chip("closed-hat").await?;
    browser.press("A new pocket for closed hat").await?;
    browser.find("[data-pocket='Pocket 1']").await?;
    click_chip("shaker").await?;
    browser.press("Follow “Pocket 1”").await?;
    browser.find("[data-follower='Drums: Shaker']").await?;
    browser.press("Add a follower to Pocket 1").await?;
    browser.press("Bass").await?;
    browser.find("[data-follower='Bass: the whole part']").await?;

    // One amount is turned, and all follow: hats, shaker, and the bass that plays beside them.
    browser.press("lean …").await?;
    number(&browser, "Lean: lean", "12").await?;
    let late = |id: &str, ms: f64| {
        format!(
            "Math.abs(document.querySelector(\"[data-instrument='{id}'] [data-handle=lean]\").ariaValueNow - {ms}) < 0.5"
        )
    };
    browser.until(&format!("{} && {}", late("closed-hat", 12.0), late("shaker", 12.0))).await?;
    browser.until(&late("kick", 0.0)).await?;
    let settings = "return fetch('/api/v1/songs/1/pockets').then((r) => r.json()).then((p) => p[0].settings.lean.by)";
    for _ in 0..100 {
        if browser.run(settings).await? == 12.0 {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let bass = ask(&browser, "/parts/2").await?;
    assert!((bass["performance"]["reading"]["all"]["offset_mean"].as_f64().expect("ms") - 12.0).abs() < 0.3);

    // The shaker by half, the hats switched off.
    number(&browser, "Drums: Shaker, strength", "50").await?;
    browser.until(&late("shaker", 6.0)).await?;
    browser.run("document.querySelector(\"[aria-label='Drums: Closed hat follows']\").click()").await?;
    browser.until(&late("closed-hat", 0.0)).await?;
    kept(&browser, 1, "passes[0].on === false && passes[1].action.strength === 50").await?;

    // Detached, the shaker has passes of its own; deleted, the pocket leaves its timing behind.
    browser.press("More about Drums: Shaker").await?;
    browser.press("Detach into passes of its own").await?;
    kept(&browser, 1, "passes[1].action.kind === 'lean' && passes[1].action.by === 6").await?;
    browser.until(&late("shaker", 6.0)).await?;
    browser.press("More about Pocket 1").await?;
    browser.press("Delete (its followers keep the timing)").await?;
    browser.until("!document.querySelector('[data-pocket]')").await?;
    kept(&browser, 2, "passes[0].action.kind === 'lean' && passes[0].action.by === 12").await?;
    browser.press("Undo").await?;
    browser.find("[data-pocket='Pocket 1']").await?;
    kept(&browser, 2, "passes[0].action.kind === 'pocket'").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_large_pocket_follows_the_pointer() -> Done {
    let (_turn, app, browser) = start().await;
    import(&app, &browser, "large.mid", &large_song(24_000, 12)).await?;
    browser.find("[data-song=large]").await?;
    let everybody = "const ask = (path, body) => fetch('/api/v1' + path, body && {method: 'POST',
            headers: {'Content-Type': 'application/json'}, body: JSON.stringify(body)}).then((r) => r.json());
        return ask('/songs').then(async ([{id, parts: [{id: part}]}]) => {
            const {kit, written} = await ask(`/parts/${part}`);
            const struck = kit.instruments.filter((_, place) => written.instruments.includes(place));
            const followers = struck.map((one) => ({part, instruments: [one.id]}));
            await ask(`/songs/${id}/pockets`, {name: 'Everybody', settings: {lean: {by: 1}}, followers});
            return [part, followers.length];
        })";
    let made = browser.run(everybody).await?;
    assert_eq!(made[1], 12);
    browser.click("[data-song=large] a").await?;
    browser.find("[data-instrument=kick] [data-handle=lean]").await?;
    browser.keys("p").await?;
    browser.until("document.querySelectorAll('[data-follower]').length === 12").await?;
    browser.until("window.vividaProbe.latencies.length > 0").await?;
    browser.run("window.vividaProbe.latencies.length = 0").await?;
    for _ in 0..3 {
        browser.drag("[aria-label='Lean: lean']", 40.0, 0.0).await?;
        browser.drag("[aria-label='Lean: lean']", -20.0, 0.0).await?;
    }
    let median =
        "const l = window.vividaProbe.latencies; return [[...l].sort((a, b) => a - b)[l.length >> 1], l.length]";
    let measured = browser.run(median).await?;
    println!(
        "a pocket with 12 followers of 2 000 hits: pointer to picture {:.1} ms (median of {})",
        measured[0], measured[1]
    );
    assert!(measured[1].as_f64() > Some(5.0), "the picture follows while the setting is dragged: {measured}");
    // Each drag is kept, and all twelve went along.
    let song = ask(&browser, "/songs").await?[0]["id"].clone();
    let path = format!("/songs/{song}/pockets");
    wait_for(
        &browser,
        &format!("return fetch('/api/v1{path}').then((r) => r.json()).then(([one]) => one.revision >= 7)"),
    )
    .await?;
    let by = ask(&browser, &path).await?[0]["settings"]["lean"]["by"].as_f64().expect("ms");
    assert!(by > 1.0, "{by}");
    let part = &made[0];
    let kept = ask(&browser, &format!("/parts/{part}")).await?;
    for one in kept["performance"]["reading"]["instruments"].as_array().expect("a reading") {
        if one["figures"]["count"] == 0 {
            continue;
        }
        let late = one["figures"]["offset_mean"].as_f64().expect("ms");
        assert!((late - by).abs() < 0.6, "{} is {late} ms late, not {by}", one["instrument"]);
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_tabs_edit_one_pocket() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("p").await?;
    browser.press("New pocket").await?;
    browser.find("[data-pocket='Pocket 1']").await?;
    // The other tab is faster.
    let other = "return fetch('/api/v1/songs/1/pockets').then((r) => r.json()).then(([pocket]) =>
        fetch(`/api/v1/pockets/${pocket.id}`, { method: 'PUT', headers: { 'Content-Type': 'application/json' },
            body: JSON.stringify({ revision: pocket.revision, label: 'lean', name: 'Pocket 1', settings: { lean: { by: 7 } } }) })
            .then((r) => r.status))";
    assert_eq!(browser.run(other).await?, 200);
    browser.press("swing …").await?;
    number(&browser, "Swing: swing", "60").await?;
    // It is said, and the newest state is shown; the change can be made again on top of it.
    browser.until("document.body.textContent.includes('was changed elsewhere')").await?;
    browser.until("document.querySelector(\"[aria-label='Lean: lean']\")?.textContent === '7 ms behind'").await?;
    number(&browser, "Swing: swing", "60").await?;
    let both = "return fetch('/api/v1/songs/1/pockets').then((r) => r.json())
        .then(([pocket]) => pocket.settings.lean.by === 7 && pocket.settings.swing.to === 60)";
    wait_for(&browser, both).await?;
    // What the other tab does is seen as soon as one looks again: here a follower and the end of the pocket.
    let delete = "const tell = (method, path, body) => fetch('/api/v1' + path, { method, headers: { 'Content-Type': 'application/json' },
            body: body && JSON.stringify(body) }).then((r) => r.json());
        const change = { kind: 'follow', instruments: ['kick'] };
        return tell('GET', '/songs/1/pockets').then(([{ id }]) => tell('POST', `/pockets/${id}/followers`, { part: 1, change }))
            .then(({ pockets: [{ id, revision }] }) => tell('DELETE', `/pockets/${id}?revision=${revision}`))
            .then(({ pockets }) => pockets.length)";
    assert_eq!(browser.run(delete).await?, 0);
    browser.run("window.dispatchEvent(new Event('focus'))").await?;
    browser.until("document.querySelector('[data-make-pocket]') && !document.querySelector('[data-pocket]')").await?;
    browser.keys("p").await?;
    browser.find("[data-pass=lean]").await?;
    browser.find("[data-pass=swing]").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn time_is_tightened_pushed_apart_and_loosened_by_its_handles() -> Done {
    let (_turn, app, browser) = start().await;
    let roof = open_tin_roof(&app, &browser).await?;
    let kick = "[data-instrument='kick'] [data-handle=spread]";
    let shares = browser.text("[data-instrument='kick'] [data-shares]").await?;
    assert!(shares.starts_with("97 %"), "a rushing kick: {shares}");
    let before = handle(&browser, kick).await?;
    browser.drag(kick, -5.0, 0.0).await?;
    kept(&browser, roof, "passes[0]?.action.kind === 'pull' && passes[0].action.strength > 20").await?;
    browser.until(&format!("Number(document.querySelector(\"{kick}\").ariaValueNow) < {}", before - 1.0)).await?;
    browser.drag(kick, 18.0, 0.0).await?;
    kept(&browser, roof, "passes.length === 1 && passes[0].action.strength < 0").await?;
    browser.until(&format!("Number(document.querySelector(\"{kick}\").ariaValueNow) > {before}")).await?;

    // Timing can be measured against another grid; that is a step of its own.
    browser.press("Timing is measured against: as meant").await?;
    browser.press("quarters").await?;
    browser.find("[aria-label='Timing is measured against: quarters']").await?;
    browser.until(&format!("Number(document.querySelector(\"{kick}\").ariaValueNow) > 60")).await?;
    browser.press("Undo").await?;
    browser.find("[aria-label='Timing is measured against: as meant']").await?;

    // What lies on the grid is loosened.
    open_causeway(&app, &browser).await?;
    let hat = "[data-instrument='closed-hat'] [data-handle=spread]";
    browser.drag(hat, 6.0, 0.0).await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'loosen' && passes[0].action.late > 3 && passes[0].action.early === passes[0].action.late").await?;
    browser.until(&format!("Number(document.querySelector(\"{hat}\").ariaValueNow) > 1")).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_good_performance_is_looked_at_and_its_line_is_drawn() -> Done {
    let (_turn, app, browser) = start().await;
    let roof = open_tin_roof(&app, &browser).await?;
    browser.press("Closed hat").await?;
    browser.press("stacked").await?;
    browser.find("[data-groove-line] [data-slot-words='1']").await?;
    let words = browser.text("[data-slot-words='1']").await?;
    assert!(words.contains('±') && words.starts_with('+'), "{words}");
    let slot = "[data-slot-handle='9']";
    let before = handle(&browser, slot).await?;
    browser.drag(slot, 4.0, 0.0).await?;
    kept(
        &browser,
        roof,
        "passes[0]?.action.groove?.name === 'Drawn on closed hat' && passes[0].action.groove.together[9].offset > 0.01",
    )
    .await?;
    browser.until(&format!("Number(document.querySelector(\"{slot}\").ariaValueNow) > {}", before + 3.0)).await?;
    // Only this slot is moved, and by the keys half a ms more; louder by one.
    kept(&browser, roof, "Object.values(passes[0].action.groove.together).filter((s) => s.offset !== 0).length === 1")
        .await?;
    browser.run(&format!("document.querySelector(\"{slot}\").focus()")).await?;
    browser.keys(&key::UP.to_string()).await?;
    kept(&browser, roof, "passes.length === 1 && passes[0].action.groove.together[9].velocity > 1").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn lines_follow_the_grid_and_show_what_is_forgiven() -> Done {
    let (_turn, app, browser) = start().await;
    open_tin_roof(&app, &browser).await?;
    add_pass(&browser, "quantize", "pull").await?;
    browser.press("forgive …").await?;
    number(&browser, "Pull: forgive", "4").await?;
    browser.press("reach …").await?;
    number(&browser, "Pull: reach", "30").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("+++").await?;
    browser.until("document.querySelectorAll('[data-zone=forgiven]').length > 8").await?;
    browser.until("document.querySelectorAll(\"[data-zone='beyond reach']\").length > 8").await?;
    // Swung, every second line is late.
    let gaps = "(() => { const x = [...document.querySelectorAll(\"[data-instrument='kick'] [data-time-lines] line\")].map((l) => Number(l.getAttribute('x1')));
        const g = x.slice(1).map((to, i) => to - x[i]); return Math.max(...g) / Math.min(...g); })()";
    let even = browser.run(&format!("return {gaps}")).await?.as_f64().expect("gaps");
    assert!(even < 1.05, "{even}");
    browser.press("swing …").await?;
    number(&browser, "Pull: swing", "60").await?;
    browser.until(&format!("Math.abs({gaps} - 1.5) < 0.1")).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_usual_feel_is_given_with_one_press() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("p").await?;
    browser.press("New pocket").await?;
    browser.find("[data-pocket='Pocket 1']").await?;
    browser.press("lean …").await?;
    number(&browser, "Lean: lean", "9").await?;
    browser.until("document.querySelector(\"[aria-label='Undo']\") && !document.querySelector(\"[aria-label='Undo']\").disabled").await?;
    browser.press("Usual feel").await?;
    browser.click("input[placeholder='the one that fits best']").await?;
    browser.keys(&format!("1/8{}", key::ENTER)).await?;
    let chosen = |condition: &str| {
        format!("return fetch('/api/v1/defaults').then((r) => r.json()).then((d) => Boolean({condition}))")
    };
    wait_for(&browser, &chosen("d.grid === '1/8'")).await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.press("More about Pocket 1").await?;
    browser.press("Use it for new songs").await?;
    wait_for(&browser, &chosen("d.pocket?.settings.lean.by === 9 && d.grid === '1/8'")).await?;

    // On the shelf one press gives it to a song, and the song's undo takes it back.
    browser.goto(&app.address).await?;
    browser.press("More for Kiln Yard").await?;
    browser.press("Give it the usual feel").await?;
    browser.until("document.body.textContent.includes('“Kiln Yard”: the usual feel')").await?;
    browser.click("[data-song='Kiln Yard'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=spread]").await?;
    browser
        .until("document.querySelector(\"[data-instrument='kick'] [data-chip]\").dataset.chip === 'Pocket 1'")
        .await?;
    browser.find("[aria-label='Timing is measured against: 8ths']").await?;
    browser.press("Undo").await?;
    browser.until("document.querySelector(\"[data-instrument='kick'] [data-chip]\").dataset.chip === ''").await?;
    browser.find("[aria-label='Timing is measured against: as meant']").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn grooves_come_and_go_as_files() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("g").await?;
    browser.find("[data-groove-picture]").await?;
    let folder = app.folder();
    // A clip of a whole song is longer than a groove: it is laid over itself, and that is said.
    let clip = folder.join("Night Ferry.mid");
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/night-ferry.mid");
    std::fs::copy(demo, &clip).expect("the demo is there");
    let input = "input[type=file][aria-label='Groove files']";
    browser.type_into(input, &clip.display().to_string()).await?;
    browser.find("[data-groove='Night Ferry']").await?;
    browser.until("document.body.textContent.includes('bars were laid over one another in 4')").await?;
    browser.until("document.querySelector('[data-facts]').textContent.includes('4 bars of 4/4')").await?;

    // What is damaged is refused by its name, and nothing is kept of it.
    let damaged = folder.join("torn.groove.json");
    std::fs::write(&damaged, r#"{"format": "vivida-groove", "version": 1, "together": {"99": {}}}"#).expect("written");
    browser.type_into(input, &damaged.display().to_string()).await?;
    browser
        .until("document.body.textContent.includes('“torn.groove.json”: together.99: slot 99 is outside the groove')")
        .await?;

    // Out as JSON and in again it is the same groove.
    let same = "return fetch('/api/v1/grooves').then((r) => r.json()).then(async (all) => {
        const first = all.find((one) => one.groove.name === 'Night Ferry');
        const file = await fetch(`/api/v1/grooves/${first.id}/file`).then((r) => r.blob());
        const again = await fetch('/api/v1/grooves/file?file_name=again.groove.json', { method: 'POST', body: file }).then((r) => r.json());
        return JSON.stringify(again.card.groove) === JSON.stringify(first.groove);
    })";
    assert_eq!(browser.run(same).await?, true);
    let links = browser.run("return [...document.querySelectorAll('a[download]')].map((a) => a.textContent)").await?;
    assert_eq!(links, serde_json::json!(["JSON", "MIDI clip"]));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn time_goes_by_keyboard() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // All rows have hits in view.
    browser.keys("0").await?;
    browser.find("[data-instrument='ride-1'] [data-handle=spread]").await?;
    let focus = async |css: &str| browser.run(&format!("document.querySelector(\"{css}\").focus()")).await;
    // Lean and spread by the arrows: each a pass, and one step for a burst of keys.
    focus("[data-instrument='snare'] [data-handle=lean]").await?;
    browser.keys(&format!("{0}{0}{0}{0}", key::RIGHT)).await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'lean' && passes[0].action.by === 2").await?;
    focus("[data-instrument='ride-1'] [data-handle=spread]").await?;
    browser.keys(&format!("{0}{0}", key::RIGHT)).await?;
    kept(&browser, 1, "passes[1]?.action.kind === 'loosen' && passes[1].action.late === 3").await?;

    // A pocket is made from the chip of an instrument and left again, by keys alone.
    focus("[data-instrument='kick'] [data-chip]").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.until("[...document.querySelectorAll('[role=menuitem]')].some((item) => item === document.activeElement || item.textContent.includes('A new pocket'))").await?;
    browser.keys(&format!("{}{}", key::DOWN, key::ENTER)).await?;
    browser.find("[data-pocket='Pocket 1']").await?;
    kept(&browser, 1, "passes[2]?.action.kind === 'pocket' && passes[2].aim.instruments[0] === 'kick'").await?;
    focus("[data-instrument='kick'] [data-chip]").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser
        .until(
            "[...document.querySelectorAll('[role=menuitem]')].some((item) => item.textContent === 'Leave the pocket')",
        )
        .await?;
    browser.keys(&format!("{0}{0}{0}{1}", key::DOWN, key::ENTER)).await?;
    kept(&browser, 1, "passes.length === 2").await?;
    browser.run("document.activeElement.blur()").await?;

    // The groove screen opens and closes by a key; a slot takes arrows, with Shift its accent.
    browser.keys("g").await?;
    let slot = "[data-groove-picture] [data-slot='2']";
    browser.find(slot).await?;
    let before = handle(&browser, slot).await?;
    focus(slot).await?;
    browser.keys(&format!("{0}{0}", key::UP)).await?;
    browser.until(&format!("Number(document.querySelector(\"{slot}\").ariaValueNow) < {before}")).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("g").await?;
    browser.find("[data-instrument='kick'] [data-handle=lean]").await?;
    browser.close().await
}

async fn wait_for(browser: &Browser, script: &str) -> Done {
    for _ in 0..200 {
        if browser.run(script).await? == Value::Bool(true) {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("10 s went by and it is still not so: {script}");
}
