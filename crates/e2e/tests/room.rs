//! The workspace and the shelf as a newcomer meets them: room, sight, words, ways in and out.

use serde_json::Value;
use vivida_e2e::*;

type Done = Result<(), Failed>;

const HAT: &str = "[data-instrument='closed-hat']";

async fn height(browser: &Browser, css: &str) -> Result<f64, Failed> {
    let script = format!("return document.querySelector(\"{css}\").getBoundingClientRect().height");
    Ok(browser.run(&script).await?.as_f64().expect("a height"))
}

#[tokio::test(flavor = "multi_thread")]
async fn rows_share_the_room_and_are_dragged_hidden_and_reordered() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // Three instruments sound in the first four bars, the others are a line.
    for id in ["closed-hat", "snare", "kick"] {
        assert!(height(&browser, &format!("[data-instrument='{id}']")).await? >= 110.0, "{id}");
    }
    assert!(height(&browser, "[data-instrument='ride-1']").await? < 30.0);
    browser.until("document.querySelector(\"[data-instrument='ride-1'] [data-elsewhere]\").textContent.includes('168 hits later')").await?;

    // A border is dragged; a double click lets the row share again.
    let before = height(&browser, HAT).await?;
    browser.drag(&format!("{HAT} [data-border]"), 0.0, 60.0).await?;
    let dragged = height(&browser, HAT).await?;
    assert!((dragged - before - 60.0).abs() < 3.0, "{before} {dragged}");
    let double = "document.querySelector(\"[data-instrument='closed-hat'] [data-border]\").dispatchEvent(new MouseEvent('dblclick', {bubbles: true}))";
    browser.run(double).await?;
    browser.until("document.querySelector(\"[data-instrument='closed-hat']\").clientHeight < 200").await?;

    // The name is dragged: the hat goes below the open hat. Rows are hidden and shown by their list.
    browser.drag(&format!("{HAT} button"), 0.0, 100.0).await?;
    browser.until("[...document.querySelectorAll('[data-instrument]')].findIndex((row) => row.dataset.instrument === 'closed-hat') === 1").await?;
    browser.click("[data-rows-menu]").await?;
    browser.click_at("//li[.//label[text()='Kick']]//input").await?;
    browser.until("!document.querySelector(\"[data-instrument='kick']\")").await?;
    browser.until("document.querySelector('[data-rows-menu]').textContent.includes('1 hidden')").await?;
    browser.press("Show all").await?;
    browser.press("Usual order").await?;
    browser.until("document.querySelector('[data-instrument]').dataset.instrument === 'closed-hat'").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn timing_is_seen_larger_than_it_is_and_dragged_as_finely() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "late", "lean").await?;
    kept(&browser, 1, "passes[0]?.action.by === 8").await?;
    browser.run("document.activeElement.blur()").await?;
    let canvas = &format!("{HAT} canvas[data-hits]");
    let once = drawn(&browser, canvas).await?;
    browser.keys("tt").await?;
    browser.until("document.querySelector('[data-times]').textContent.includes('× 8')").await?;
    let larger = drawn(&browser, canvas).await?;
    assert_ne!(once, larger);

    // The first hat is 8 ms late: eight times that from its line. It is found there, and nowhere else.
    let hat = "const box = document.querySelector(\"[data-instrument='closed-hat'] canvas[data-hits]\").getBoundingClientRect();
        const perMs = (box.width - 14) / 10000;
        return [box.x + 7 + 8 * 8 * perMs, box.y + 9 + (27 / 126) * (box.height - 18)]";
    let [x, y]: [f64; 2] = serde_json::from_value(browser.run(hat).await?).expect("a place");
    browser.hover(x, y).await?;
    browser.until("document.body.textContent.includes('bar 1 beat 1, written 100, played 100, 7.8 ms late')").await?;
    // 60 px sideways are about a second; seen eight times larger, an eighth of that.
    browser.drag_from(x, y, 30.0, 0.0).await?;
    kept(&browser, 1, "passes.at(-1)?.action.kind === 'by-hand'").await?;
    let moved = "return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => p.state.recipe.passes.at(-1).action.moved[0].time)";
    let moved = browser.run(moved).await?.as_f64().expect("ms");
    assert!((50.0..90.0).contains(&moved), "30 px at 8 times are {moved} ms");
    browser.run("document.activeElement.blur()").await?;
    browser.keys("tt").await?;
    browser.until("document.querySelector('[data-times]').textContent.includes('× 1')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn words_of_the_trade_find_actions_and_say_how_they_begin() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let begin = [
        ("compress", "contrast", "passes.at(-1).action.contrast === 70"),
        ("expand", "contrast", "passes.at(-1).action.contrast === 130"),
        ("louder", "level", "passes.at(-1).action.by === 8"),
        ("softer", "level", "passes.at(-1).action.by === -8"),
        ("early", "lean", "passes.at(-1).action.by === -8"),
        ("late", "lean", "passes.at(-1).action.by === 8"),
        ("straight", "pull", "passes.at(-1).action.strength === 100"),
        ("loose", "loosen", "passes.at(-1).action.late === 8"),
        ("tight", "pull", "passes.at(-1).action.strength === 60"),
    ];
    for (place, (word, kind, condition)) in begin.into_iter().enumerate() {
        add_pass(&browser, word, kind).await?;
        kept(&browser, 1, &format!("passes.length === {} && {condition}", place + 1)).await?;
    }
    // What was used last is on top, and every word is answered.
    browser.run("document.activeElement.blur()").await?;
    browser.keys("/").await?;
    browser.find("[aria-label='Used last'] [data-offer=pull]").await?;
    for word in [
        "delete",
        "double",
        "robotic",
        "strict",
        "drunk",
        "lazy",
        "stiff",
        "dead",
        "quieter",
        "normalize",
        "intensity",
        "foot",
        "loud ghost",
        "quantize",
        "humanize",
        "swing",
        "crescendo",
        "accent",
        "flam",
        "ghost",
    ] {
        let set = format!(
            "const input = document.querySelector(\"input[aria-label='Search for an action']\");
             Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(input, '{word}');
             input.dispatchEvent(new Event('input', {{bubbles: true}}))"
        );
        browser.run(&set).await?;
        browser
            .until("document.querySelector('[role=option], [role=dialog] [role=status]')?.textContent.trim() && !document.body.textContent.includes('Nothing matches')")
            .await?;
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn words_mean_in_a_phrase_what_they_mean_alone() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.keys("/").await?;
    let input = "[aria-label='Search for an action']";
    browser.until(&format!("document.activeElement?.matches(\"{input}\")")).await?;
    // What answers first, what it begins as, and for whom.
    for (typed, kind, says, whom) in [
        ("late", "lean", "behind", "everything"),
        ("late snare", "lean", "behind", "snare"),
        ("snare laid back", "lean", "behind", "snare"),
        ("laidback", "lean", "behind", "everything"),
        ("snare a little early", "lean", "ahead", "snare"),
        ("soft hats", "level", "softer", "hat"),
        ("tighter", "pull", "", "everything"),
        ("tighter snare", "pull", "", "snare"),
        ("humanise", "humanize", "± 5", "everything"),
        ("randomise", "humanize", "", "everything"),
        ("jitter", "humanize", "", "everything"),
        ("random velocity snare", "humanize", "± 0 ms", "snare"),
        ("double kick", "sticking", "", "everything"),
    ] {
        browser.type_into(input, &format!("{}a{}{typed}", key::CONTROL, key::RELEASE)).await?;
        let found = format!(
            "(() => {{ const first = document.querySelector('[role=option]'); return first?.dataset.offer === '{kind}' && first.querySelector('em').textContent.includes('{says}')
                && document.querySelector('[role=dialog] [role=status] b')?.textContent.toLowerCase().includes('{whom}'); }})()"
        );
        browser.until(&found).await?;
    }
    browser.type_into(input, &format!("{}a{}late snare{}", key::CONTROL, key::RELEASE, key::ENTER)).await?;
    kept(
        &browser,
        1,
        "passes.length === 1 && passes[0].action.by === 8 && passes[0].aim.instruments?.join() === 'snare'",
    )
    .await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_way_to_begin_is_heard_while_held_and_taken_by_a_click() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("others").await?;
    let canvas = &format!("{HAT} canvas[data-hits]");
    let written = drawn(&browser, canvas).await?;
    browser.run("window.vividaProbe.scheduled.length = 0").await?;
    let point = "const start = document.querySelector(\"[data-start='One good take']\"); const event = (type) => start.dispatchEvent(new PointerEvent(type, {bubbles: true, pointerId: 1, button: 0}));";
    browser
        .run(&format!("Element.prototype.setPointerCapture = () => undefined; {point} event('pointerdown')"))
        .await?;
    browser.until("new Set(window.vividaProbe.scheduled.map((one) => one.velocity)).size > 4").await?;
    assert_ne!(drawn(&browser, canvas).await?, written, "it is seen while it is heard");
    browser.run(&format!("{point} event('pointerup')")).await?;
    browser.find("[aria-label=Play]").await?;
    assert_eq!(drawn(&browser, canvas).await?, written, "let go, it is as it was");
    kept(&browser, 1, "passes.length === 0").await?;
    browser.click("[data-start='One good take']").await?;
    kept(&browser, 1, "passes.length > 5").await?;
    browser.until("!document.querySelector('[data-start]')").await?;

    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_step_of_the_history_is_gone_back_to() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    for word in ["louder", "late", "loose"] {
        add_pass(
            &browser,
            word,
            if word == "louder" {
                "level"
            } else if word == "late" {
                "lean"
            } else {
                "loosen"
            },
        )
        .await?;
    }
    kept(&browser, 1, "passes.length === 3").await?;
    browser.press("History").await?;
    browser.until("document.querySelectorAll('[aria-label=\"Steps of the song\"] li').length === 3").await?;
    browser.click_at("//ol[@aria-label='Steps of the song']//button[span='add level']").await?;
    kept(&browser, 1, "passes.length === 1").await?;
    browser.until("document.querySelectorAll('[data-undone=true]').length === 2").await?;
    browser.click_at("//ol[@aria-label='Steps of the song']//button[span='add loosen']").await?;
    kept(&browser, 1, "passes.length === 3").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_walk_points_at_the_real_controls() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-help]").await?;
    browser.click("[data-walk]").await?;
    for step in 1..=5 {
        browser.find(&format!("[data-walk-step='{step}']")).await?;
        if step == 3 {
            // Left, it is taken up where it was.
            browser.press("Leave").await?;
            browser.click("[data-help]").await?;
            browser.click("[data-walk]").await?;
            browser.find("[data-walk-step='3']").await?;
        }
        browser.press(if step == 5 { "Done" } else { "Next" }).await?;
    }
    browser.until("!document.querySelector('[data-walk-step]')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shelf_is_searched_sorted_and_worked_on_together() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='The Weir']").await?;
    browser.type_into("input[aria-label='Search the songs']", "drum ferry").await?;
    browser.until("document.querySelectorAll('[data-song]').length === 1").await?;
    browser.find("[data-song='Night Ferry']").await?;
    browser.keys(&format!("{}a{}{}", key::CONTROL, key::RELEASE, key::DELETE)).await?;
    browser.until("document.querySelectorAll('[data-song]').length === 6").await?;

    // Two by their boxes, a row of them by Shift.
    browser.run("document.querySelector(\"[data-song='Causeway'] input[type=checkbox]\").click()").await?;
    browser.run("document.querySelector(\"[data-song='Tin Roof'] input[type=checkbox]\").click()").await?;
    browser.until("document.querySelector('[data-selected-songs]')?.dataset.selectedSongs === '2'").await?;
    browser.press("Delete").await?;
    browser.until("document.querySelectorAll('[data-song]').length === 4").await?;
    browser.until("document.body.textContent.includes('2 songs were deleted')").await?;
    browser.press("Undo").await?;
    browser.until("document.querySelectorAll('[data-song]').length === 6").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_arc_is_drawn_over_the_song() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "arc", "arc").await?;
    // It begins with a point for each section, lower in front than at the end.
    kept(&browser, 1, "passes[0]?.action.points.length > 4").await?;
    kept(&browser, 1, "passes[0].action.points[0].by === -8 && passes[0].action.points.at(-1).by === 8").await?;
    browser.until("document.querySelector('[data-pass=arc]').textContent.includes('−8 to +8')").await?;

    // A point is dragged up; the drag is one step.
    browser.drag("[data-arc-point='0']", 0.0, -30.0).await?;
    kept(&browser, 1, "passes[0].action.points[0].by > 10").await?;
    browser.press("Undo").await?;
    kept(&browser, 1, "passes[0].action.points[0].by === -8").await?;

    // Pressing on the line adds a point there, which is dragged on.
    let on_line = "const box = document.querySelector('[data-arc-point=\"1\"]').getBoundingClientRect();
        const next = document.querySelector('[data-arc-point=\"2\"]').getBoundingClientRect();
        return [(box.x + next.x) / 2 + 9, box.y + 9, document.querySelectorAll('[data-arc-point]').length]";
    let [x, y, points]: [f64; 3] = serde_json::from_value(browser.run(on_line).await?).expect("a place");
    browser.drag_from(x, y, 0.0, 20.0).await?;
    kept(&browser, 1, &format!("passes[0].action.points.length === {points} + 1")).await?;
    kept(&browser, 1, "passes[0].action.points[2].by < passes[0].action.points[1].by - 8").await?;

    // By keyboard: softer, further, and out again.
    browser.run("document.querySelector(\"[data-arc-point='2']\").focus()").await?;
    let Some(by) = browser.run("return Number(document.activeElement.ariaValueNow)").await?.as_f64() else { panic!() };
    browser.keys(&key::DOWN.to_string().repeat(3)).await?;
    kept(&browser, 1, &format!("passes[0].action.points[2].by === {by} - 3")).await?;
    browser.keys(&key::DELETE.to_string()).await?;
    kept(&browser, 1, &format!("passes[0].action.points.length === {points}")).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_kit_is_split_and_joined() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Drums").await?;
    browser.press("Split by instruments …").await?;
    // Only the kick; the others become one more part.
    for name in ["Closed hat", "Open hat", "Snare", "Low mid tom", "High floor tom", "Ride", "Crash", "Shaker"] {
        browser.click_at(&format!("//section[@role='dialog']//label[text()='{name}']")).await?;
    }
    browser.press("Split into 2 parts").await?;
    browser.until("document.querySelectorAll('[data-instrument]').length === 1").await?;
    browser.until("document.querySelector('h1')?.textContent === 'Causeway, Kick'").await?;
    assert_eq!(muted(&browser).await?, serde_json::json!([true, false, false, false]));
    browser.press("Kick").await?;
    browser.press("Join with other parts …").await?;
    browser.press("Join 2 parts").await?;
    browser.until("document.querySelectorAll('[data-instrument]').length === 9").await?;
    browser.until("document.querySelector('h1')?.textContent === 'Causeway, Drums'").await?;
    // One step each.
    browser.press("Undo").await?;
    browser.until("document.querySelector('h1')?.textContent === 'Causeway, Drums'").await?;
    browser.until("document.querySelector('[aria-label=Redo]')?.disabled === false").await?;
    browser.press("Undo").await?;
    browser.until("document.querySelector('[aria-label=Undo]')?.disabled").await?;
    assert_eq!(muted(&browser).await?, serde_json::json!([false, false]));

    // A kit that came as a track for every drum is offered to be joined.
    let tracks = "return fetch('/api/v1/songs/1/export.mid?split=true').then((r) => r.arrayBuffer()).then((all) => [...new Uint8Array(all)])";
    let tracks: Vec<u8> = serde_json::from_value(browser.run(tracks).await?).expect("bytes");
    import(&app, &browser, "tracks.mid", &tracks).await?;
    browser.click("[data-song='tracks'] a").await?;
    browser.until("document.querySelector('[data-join-offer]')?.textContent.includes('9 tracks')").await?;
    browser.press("Join them").await?;
    browser.until("document.querySelectorAll('[data-instrument]').length === 9").await?;
    browser.until("!document.querySelector('[data-join-offer]')").await?;
    browser.close().await
}

/// Which parts of Causeway are muted, in the order of the file.
async fn muted(browser: &Browser) -> Result<serde_json::Value, Failed> {
    let song = ask(browser, "/songs/1").await?;
    Ok(song["parts"].as_array().expect("parts").iter().map(|part| part["muted"].clone()).collect())
}

#[tokio::test(flavor = "multi_thread")]
async fn five_parts_are_begun_shaped_compared_and_taken_away() -> Done {
    let (_turn, app, browser) = start().await;
    for (song, drag) in [
        ("Causeway", -20.0),
        ("Kiln Yard", -14.0),
        ("Night Ferry", 12.0),
        ("Tin Roof", -10.0),
        ("Paper Lanterns", 16.0),
    ] {
        browser.goto(&app.address).await?;
        let card = format!("[data-song='{song}']");
        browser.find(&card).await?;
        let id = browser.run(&format!("return document.querySelector(\"{card}\").dataset.songId")).await?;
        let id = id.as_str().expect("an id").to_owned();
        browser.click(&format!("[data-song='{song}'] a")).await?;
        browser.click("[data-start='One good take']").await?;
        unfold(&browser).await?;
        browser.until("document.querySelectorAll('[data-pass]').length > 2").await?;
        // One handle by hand, one more pass, and a look at how it was.
        browser.drag("[data-instrument] [data-handle=soft]", 0.0, drag).await?;
        add_pass(&browser, "late", "lean").await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("w").await?;
        browser.find("[data-reading=written][data-on=true]").await?;
        browser.keys("w").await?;
        browser.find("[data-reading=played][data-on=true]").await?;
        browser.until("document.querySelector('[aria-label=Undo]').disabled === false").await?;
        let differs = format!(
            "return Promise.all(['export.mid', 'original'].map((one) => fetch(`/api/v1/songs/{id}/${{one}}`)
                .then((r) => r.arrayBuffer()).then((all) => String(new Uint8Array(all))))).then(([now, was]) => now !== was)"
        );
        assert_eq!(browser.run(&differs).await?, true, "{song}");
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn help_and_walk_lead_the_keyboard_on_from_the_shelf() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='Causeway']").await?;
    browser.keys("?").await?;
    browser.until("document.querySelector('[role=dialog]')?.textContent.includes('Select all songs')").await?;
    look(&browser, "shelf-help").await?;
    browser.press("Start the walk").await?;
    // Each step is a dialog with a name, and the keyboard is on what leads on.
    let at = |step: u32| {
        format!(
            "document.activeElement.textContent === '{}' &&
             document.activeElement.closest('[role=dialog]').ariaLabel.startsWith('Step {step}: ')",
            if step == 5 { "Done" } else { "Next" }
        )
    };
    for step in 1..=5 {
        browser.until(&at(step)).await?;
        browser.keys(&key::ENTER.to_string()).await?;
    }
    browser.until("!document.querySelector('[data-walk-step]')").await?;
    // It begins once: a song that is opened later has none.
    browser.client.refresh().await?;
    browser.find("[data-add-pass]").await?;
    browser.rest().await?;
    assert_eq!(browser.run("return document.querySelector('[data-walk-step]')").await?, Value::Null);
    // What is added by Enter has the keyboard; what was only looked for gives it back.
    add_pass(&browser, "compress", "contrast").await?;
    browser.until("document.activeElement.matches('[data-pass=contrast] [data-pass-fold]')").await?;
    browser.keys("/").await?;
    browser.find("[role=option]").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("document.activeElement.matches('[data-add-pass]')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_song_is_begun_with_the_drums_that_everybody_knows() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.until("document.querySelector('[data-begin-kit]').value === 'General MIDI'").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    let rows = "document.querySelectorAll('[data-instrument]').length";
    browser.until(&format!("{rows} >= 8 && {rows} <= 12")).await?;
    look(&browser, "begun").await?;
    // The first stroke in a row is as hard as it is high, whatever room the row has.
    let id = browser.run("return Number(location.pathname.split('/').pop())").await?;
    for (instrument, high, count) in [("kick", 0.15, 1), ("snare", 0.85, 2)] {
        let css = format!("[data-instrument='{instrument}'] canvas[data-hits]");
        let [x, y] = middle(&browser, &css).await?;
        browser.drag_from(x, y + (high - 0.5) * height(&browser, &css).await?, 0.0, 0.0).await?;
        let written = format!("return it.written.velocities.length === {count}");
        answers(&browser, &format!("/parts/{id}"), &written).await?;
        browser.rest().await?;
    }
    let part = ask(&browser, &format!("/parts/{id}")).await?;
    let struck = |note: u64| {
        let notes = part["written"]["notes"].as_array().unwrap();
        let place = notes.iter().position(|one| one.as_u64() == Some(note)).unwrap();
        part["written"]["velocities"][place].as_u64().unwrap()
    };
    assert!(struck(36) > 100 && struck(38) < 40, "kick {}, snare {}", struck(36), struck(38));
    // Without the pencil there are still the rows of what is struck.
    browser.run("document.activeElement.blur()").await?;
    browser.keys("b").await?;
    browser.until(&format!("{rows} === 2")).await?;
    browser.close().await
}
