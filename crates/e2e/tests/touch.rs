//! What people come to do to velocities, in a real browser over a real server.

use fantoccini::actions::{InputSource, MouseActions, PointerAction};
use serde_json::Value;
use std::time::Duration;
use vivida_e2e::{Failed, add_pass, ask, chord, drawn, kept, key, middle, open_causeway, start, unfold};

type Done = Result<(), Failed>;

#[tokio::test(flavor = "multi_thread")]
async fn backbeats_stay_and_everything_else_becomes_a_ghost() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // The opened row is what a new pass aims at.
    browser.press("Snare").await?;
    add_pass(&browser, "draw", "draw").await?;
    browser.click("[data-pass=draw] [aria-label$='Narrow the aim']").await?;
    browser.press("positions in the bar").await?;
    browser.click("[data-pass=draw] [data-condition=positions]").await?;
    // The token says so already; the choice below it is another button.
    browser.click_at("//*[contains(@class, 'Popover-dropdown')]//button[normalize-space()='2 and 4']").await?;
    browser.until("[...document.querySelectorAll('button')].some((b) => b.textContent === '2 and 4' && b.dataset.variant === 'filled')").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.click("[data-pass=draw] [aria-label$='Narrow the aim']").await?;
    browser.press("all but these").await?;
    kept(&browser, 1, "passes[0]?.aim.invert && passes[0].aim.positions.slots.join() === '5,13'").await?;
    let sentence = browser.text("[data-pass=draw]").await?;
    assert!(sentence.contains("Snare, all but 2 and 4:"), "{sentence}");
    let script = "return fetch('/api/v1/parts/1').then((r) => r.json()).then(async (p) => {
        const { recipe, variation } = p.state;
        const played = await fetch('/api/v1/parts/1/performance', { method: 'POST', headers: { 'Content-Type': 'application/json' },
            body: JSON.stringify({ recipe, variation, round: 0 }) }).then((r) => r.json());
        const bar = 4 * 960;
        return p.written.notes.map((note, row) => [note, (p.written.ticks[row] % bar) / 240, played.velocities[row]]);
    })";
    let hits = browser.run(script).await?;
    let (snares, others): (Vec<&Value>, Vec<&Value>) =
        hits.as_array().expect("hits").iter().partition(|hit| hit[0] == 38 || hit[0] == 37);
    assert!(others.iter().all(|hit| hit[2] == 100), "no other drum is meant");
    for hit in snares {
        let (place, velocity) = (hit[1].as_f64().expect("a place"), hit[2].as_i64().expect("a velocity"));
        let backbeat = place == 4.0 || place == 12.0;
        assert_eq!(velocity == 100, backbeat, "at {place}: {velocity}");
    }

    // One more for all the others, in one go: here the backbeats.
    browser.press("More for pass 1, Draw").await?;
    browser.press("One more for all the others").await?;
    kept(
        &browser,
        1,
        "passes.length === 2 && !passes[1].aim.invert && passes[1].aim.positions.slots.join() === '5,13'",
    )
    .await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_aim_is_chosen_by_pointing() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "limits", "limits").await?;
    // The button is there while the pointer or the focus is on the card.
    browser.run("document.querySelector(\"[aria-label='Aim Limits by pointing']\").click()").await?;
    browser.find("[data-aiming]").await?;
    let ruler = middle(&browser, "[data-axis]").await?;
    browser.drag_from(ruler[0] - 20.0, ruler[1], 60.0, 0.0).await?;
    browser.until("document.querySelector('[data-pass=limits]').textContent.includes('bars 2–3')").await?;
    browser.press("Closed hat").await?;
    browser.until("document.querySelector('[data-pass=limits]').textContent.includes('Closed hat')").await?;
    browser.until("document.querySelector('[role=status][data-aiming]').textContent.includes('16 hits meant')").await?;
    // A band of velocities, dragged in the touch of the hat.
    let touch = middle(&browser, "[data-instrument='closed-hat'] svg[data-portrait=touch]").await?;
    browser.drag_from(touch[0], touch[1] - 20.0, 0.0, 40.0).await?;
    browser.find("[data-pass=limits] [data-condition=velocity]").await?;
    // Hits, lassoed in the rows; those alone are meant then, as far as the rest of the aim holds.
    let hats = middle(&browser, "[data-instrument='closed-hat'] canvas[data-hits]").await?;
    browser.drag_from(hats[0] - 20.0, hats[1] - 66.0, 120.0, 128.0).await?;
    browser.until("/\\d+ picked hits?/.test(document.querySelector('[data-pass=limits]').textContent)").await?;
    browser.press("Done").await?;
    kept(&browser, 1, "passes.at(-1).aim.picked.length > 2 && passes.at(-1).aim.bars[0].from === 2").await?;

    // Its two lines lie over the row and can be dragged.
    browser.drag("[data-instrument='closed-hat'] [data-line=ceiling] rect", 0.0, 12.0).await?;
    kept(&browser, 1, "passes.at(-1).action.ceiling < 112").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawn_accent_pattern_is_used_on_another_song() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Shaker").await?;
    add_pass(&browser, "accent", "accents").await?;
    browser.drag("[data-pass=accents] [data-pattern]", 60.0, -20.0).await?;
    kept(&browser, 1, "passes[0]?.action.pattern.filter((offset) => offset > 20).length > 1").await?;
    let pattern = ask(&browser, "/parts/1").await?["state"]["recipe"]["passes"][0]["action"]["pattern"].clone();
    browser.press("Recipes").await?;
    browser.type_into("input[aria-label='Name for the recipe']", "Shaker lift").await?;
    browser.press("Save").await?;
    browser.find("[data-recipe='Shaker lift']").await?;

    // Paper Lanterns has a shaker of its own.
    let songs = ask(&browser, "/songs").await?;
    let part = songs[4]["parts"][0]["id"].as_u64().expect("a part");
    browser.goto(&format!("{}/songs/{}/parts/{part}", app.address, songs[4]["id"])).await?;
    browser.find("[data-instrument=shaker]").await?;
    browser.press("Recipes").await?;
    browser.click("[data-recipe='Shaker lift'] [data-use]").await?;
    browser.find("[data-pass=accents]").await?;
    kept(&browser, part as u32, "passes.length === 1 && passes[0].aim.instruments[0] === 'shaker'").await?;
    let used =
        ask(&browser, &format!("/parts/{part}")).await?["state"]["recipe"]["passes"][0]["action"]["pattern"].clone();
    assert_eq!(used, pattern);

    // A starting point in its place; undo brings the pattern back.
    browser.press("Recipes").await?;
    browser.click("[data-recipe='One good take'] [data-use]").await?;
    unfold(&browser).await?;
    browser.until("document.querySelectorAll('[data-pass]').length > 2").await?;
    browser.press("Undo").await?;
    browser.until("document.querySelectorAll('[data-pass]').length === 1").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn single_hits_are_changed_by_hand() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let row = "[data-instrument='closed-hat'] canvas[data-hits]";
    let before = drawn(&browser, row).await?;
    let [x, y] = middle(&browser, row).await?;
    let left = browser.run(&format!("return document.querySelector(\"{row}\").getBoundingClientRect().left")).await?;
    let left = left.as_f64().expect("a number");
    // At velocity 100 in a row of this height: the first hit lies at the first bar line.
    let height = 2.0
        * (y - browser
            .run(&format!("return document.querySelector(\"{row}\").getBoundingClientRect().top"))
            .await?
            .as_f64()
            .expect("a number"));
    let hit_y = y - height / 2.0 + 9.0 + 27.0 / 126.0 * (height - 18.0);
    let first =
        browser.run("return document.querySelector('[data-axis]').clientWidth").await?.as_f64().expect("a width")
            / 32.0;
    // The second hat is an eighth after the first.
    browser.drag_from(left + 7.0 + first, hit_y, 0.0, 20.0).await?;
    browser.find("[data-pass=by-hand]").await?;
    browser.until("document.querySelector('[data-pass=by-hand]').textContent.includes('1 hit moved')").await?;
    assert_ne!(drawn(&browser, row).await?, before);

    // Lasso some, lift them together, nudge with arrows, type a value.
    browser.drag_from(x, y - height / 2.0 + 4.0, 120.0, height - 10.0).await?;
    browser.find("[data-selection]").await?;
    browser.keys(&key::UP.to_string().repeat(3)).await?;
    kept(
        &browser,
        1,
        "passes[0]?.action.moved.length > 3 && passes[0]?.action.moved.some((move) => move.velocity === 3)",
    )
    .await?;
    browser.keys(&key::RIGHT.to_string().repeat(2)).await?;
    kept(&browser, 1, "passes[0]?.action.moved.some((move) => move.velocity === 3 && move.time === 2)").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.keys("77").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    kept(&browser, 1, "passes[0]?.action.moved.some((move) => move.velocity === -23)").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys(&key::DELETE.to_string()).await?;
    browser.until("/hits taken out/.test(document.querySelector('[data-pass=by-hand]').textContent)").await?;

    // A double click on nothing adds one, on the grid; on a hit it takes it out.
    let place = |x: f64, y: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(16)), x, y };
    let mut twice = MouseActions::new("mouse".to_owned()).then(place(left + 7.0 + 2.5 * first, y + height / 4.0));
    for _ in 0..2 {
        twice = twice.then(PointerAction::Down { button: 0 }).then(PointerAction::Up { button: 0 });
    }
    browser.client.perform_actions(twice).await?;
    browser.until("/hit added/.test(document.querySelector('[data-pass=by-hand]').textContent)").await?;
    // What was done by hand survives a change in an earlier pass, and all of it can be undone.
    let steps = "document.querySelector('[data-pass=by-hand]')";
    for _ in 0..12 {
        if browser.run(&format!("return {steps} === null")).await? == true {
            break;
        }
        browser.press("Undo").await?;
        tokio::time::sleep(Duration::from_millis(250)).await;
    }
    browser.until(&format!("!{steps}")).await?;
    assert_eq!(drawn(&browser, row).await?, before);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn passes_are_ordered_named_heard_alone_and_copied() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    for (search, kind) in [("set", "set"), ("vary", "vary"), ("loosen", "loosen")] {
        add_pass(&browser, search, kind).await?;
    }
    let order = "[...document.querySelectorAll('[data-pass]')].map((one) => one.dataset.pass).join()";
    // By dragging its number, and by Alt with an arrow.
    let grip = middle(&browser, "[data-pass=loosen] [data-grip]").await?;
    let first = middle(&browser, "[data-pass=set] [data-grip]").await?;
    browser.drag_from(grip[0], grip[1], 0.0, first[1] - grip[1] - 60.0).await?;
    browser.until(&format!("{order} === 'loosen,set,vary'")).await?;
    browser.run("document.querySelector('[data-pass=loosen] [data-grip]').focus()").await?;
    chord(&browser, key::ALT, &key::DOWN.to_string()).await?;
    browser.until(&format!("{order} === 'set,loosen,vary'")).await?;
    kept(&browser, 1, "passes.map((pass) => pass.action.kind).join() === 'set,loosen,vary'").await?;

    browser.press("More for pass 3, Vary").await?;
    browser.press("Rename").await?;
    browser.find("input[aria-label='Name of the pass']").await?;
    browser.keys(&format!("A little life{}", key::ENTER)).await?;
    kept(&browser, 1, "passes[2]?.name === 'A little life'").await?;

    // Alone: the timing of the loosen pass is gone from what is heard, but not from what is kept.
    browser.press("More for pass 1, Set").await?;
    browser.press("Hear this pass alone").await?;
    browser
        .until("document.querySelector(\"[data-figure='exactly on its lines']\").textContent.endsWith('100 %')")
        .await?;
    browser.press("Hear all again").await?;
    browser
        .until("!document.querySelector(\"[data-figure='exactly on its lines']\").textContent.endsWith('100 %')")
        .await?;
    kept(&browser, 1, "passes.every((pass) => pass.on)").await?;
    // One that is heard alone and then deleted leaves the others to be heard.
    browser.press("More for pass 1, Set").await?;
    browser.press("Hear this pass alone").await?;
    browser.until("document.querySelector('aside').textContent.includes('One pass is heard alone')").await?;
    browser.press("More for pass 1, Set").await?;
    browser.press("Delete").await?;
    browser.until("!document.querySelector('aside').textContent.includes('One pass is heard alone')").await?;
    browser
        .until("!document.querySelector(\"[data-figure='exactly on its lines']\").textContent.endsWith('100 %')")
        .await?;
    browser.press("Undo").await?;
    kept(&browser, 1, "passes.length === 3").await?;
    browser.press("Hear all again").await?;

    // To the bass; a pass for everything fits there.
    browser.press("More for pass 2, Loosen").await?;
    browser.press("Copy to Bass").await?;
    browser.until("document.body.textContent.includes('Copied to Bass')").await?;
    kept(&browser, 2, "passes.length === 1 && passes[0]?.action.kind === 'loosen'").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn sections_layers_figures_and_far_hits_are_seen() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // The crash is not in the first bars: its row says where it is and goes there.
    browser
        .until(
            "document.querySelector(\"[data-instrument='crash-1'] [data-elsewhere]\").textContent.includes('hits later')",
        )
        .await?;
    browser.click("[data-instrument='crash-1'] [data-elsewhere] button").await?;
    browser.until("!document.querySelector(\"[data-instrument='crash-1'] [data-elsewhere]\")").await?;

    browser.press("Sections").await?;
    browser.type_into("input[aria-label='Name for the loop']", "Count in").await?;
    browser.press("Name bars 1–4").await?;
    browser
        .until("[...document.querySelectorAll('[data-map] button')].some((one) => one.textContent === 'Count in')")
        .await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    add_pass(&browser, "level", "level").await?;
    browser.click("[data-pass=level] [aria-label$='Narrow the aim']").await?;
    browser.press("bars or sections").await?;
    browser.click("[data-pass=level] [aria-label^='Bars:']").await?;
    browser.click_at("//button[@aria-pressed and normalize-space()='Count in']").await?;
    kept(&browser, 1, "passes[0]?.aim.sections?.[0] === 'Count in'").await?;
    browser.until("document.querySelector('[data-pass=level]').textContent.includes('Count in')").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;

    browser.press("Figures").await?;
    let snare = "[data-figures='Snare']";
    browser.find(snare).await?;
    assert!(browser.text(snare).await?.starts_with("Snare"));

    // Layers can be dragged in an opened row, and stay.
    browser.press("Kick").await?;
    browser.drag("[data-instrument=kick] [data-layer=firm]", 0.0, 30.0).await?;
    browser.press("Keep these layers with the kit, for every song").await?;
    browser.until("document.body.textContent.includes('Kept with the kit')").await?;
    let firm = "p.kit.instruments.find((one) => one.id === 'kick').layers[2].from < 77";
    kept(&browser, 1, firm).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rough_performance_is_pulled_together_and_pushed_apart() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    let songs = ask(&browser, "/songs").await?;
    let part = songs[3]["parts"][0]["id"].as_u64().expect("a part");
    browser.goto(&format!("{}/songs/{}/parts/{part}", app.address, songs[3]["id"])).await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    let spread = "[data-figures='Snare'] td:nth-of-type(7)";
    browser.press("Figures").await?;
    let before = browser.text(spread).await?;
    assert!(!before.contains('→'), "{before}");

    // Trade words find it; all the way is all the way, for what is not forgiven.
    add_pass(&browser, "quantize", "pull").await?;
    browser.click("[data-pass=pull] [aria-label='Pull: strength']").await?;
    browser.keys(&format!("100{}", key::ENTER)).await?;
    kept(&browser, part as u32, "passes[0]?.action.strength === 100 && passes[0].action.forgive === 0").await?;
    // Double triggers cannot lie on one line with what they follow: a tick is left.
    browser
        .until(&format!("Number(document.querySelector(\"{spread}\").textContent.split('→')[1] ?? 9) < 0.3"))
        .await?;

    // Below zero it pushes away: further off than it was played.
    browser.click("[data-pass=pull] [aria-label='Pull: strength']").await?;
    browser.keys(&format!("-60{}", key::ENTER)).await?;
    kept(&browser, part as u32, "passes[0]?.action.strength === -60").await?;
    let wider = format!(
        "(() => {{ const [was, now] = document.querySelector(\"{spread}\").textContent.split('→').map(Number); return now > was; }})()"
    );
    browser.until(&wider).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn another_parts_touch_is_matched() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "reference", "match").await?;
    browser.until("document.querySelector('[data-pass=match]').textContent.includes('changes none')").await?;
    browser.click("[data-pass=match] [aria-label^='Match: reference']").await?;
    browser.click_at("//*[@data-references]//div[div[normalize-space()='The Weir']]//button").await?;
    kept(&browser, 1, "passes[0]?.action.reference.name.startsWith('The Weir')").await?;
    browser.until("/\\d+ hits · ≤/.test(document.querySelector('[data-pass=match]').textContent)").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn all_bars_are_laid_over_one() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let row = "[data-instrument='crash-1'] canvas[data-hits]";
    // The crash is not in view; stacked, all of its hits are.
    let unrolled = drawn(&browser, row).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("s").await?;
    browser.until("!document.querySelector('[data-elsewhere]')").await?;
    assert_ne!(drawn(&browser, row).await?, unrolled);
    // A hit of any bar can be pointed at: the first kick of the song lies on the first beat.
    let kick = "[data-instrument='kick'] canvas[data-hits]";
    let place = format!(
        "const b = document.querySelector(\"{kick}\").getBoundingClientRect(); return [b.x + 7 + (b.width - 14) * 0.04 / 1.08, b.y + 9 + 27 / 126 * (b.height - 18)]"
    );
    let [x, y]: [f64; 2] = serde_json::from_value(browser.run(&place).await?).expect("a place");
    browser.hover(x, y).await?;
    browser.until("document.body.textContent.includes('kick, bar')").await?;
    browser.press("stacked").await?;
    browser.until("document.querySelector(\"[data-instrument='crash-1'] [data-elsewhere]\")").await?;
    browser.hover(x, y - 200.0).await?;
    assert_eq!(drawn(&browser, row).await?, unrolled);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn touch_goes_by_keyboard() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let focus = |css: &str| format!("document.querySelector(\"{css}\").focus()");

    // An accent on a slot of a pattern, by arrows.
    add_pass(&browser, "accent", "accents").await?;
    browser.run(&focus("[data-pattern] [role=slider]:nth-child(3)")).await?;
    browser.keys(&key::UP.to_string().repeat(6)).await?;
    kept(&browser, 1, "passes[0]?.action.pattern[2] === 10").await?;

    // Slots of an aim, by Space; the editor gives the focus back.
    browser.run(&focus("[data-pass=accents] [aria-label$='Narrow the aim']")).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.press("positions in the bar").await?;
    browser.run(&focus("[data-pass=accents] [data-condition=positions]")).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.find("[data-slots] button").await?;
    browser.run(&focus("[data-slots] button:nth-child(1)")).await?;
    browser.keys(" ").await?;
    kept(&browser, 1, "passes[0]?.aim.positions?.slots.join() === '1,5,13'").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;

    // A layer of the kit, by arrows, in an opened row.
    browser.run(&focus("[data-instrument=kick] button")).await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.find("[data-instrument=kick] [data-layer=hard]").await?;
    browser.run(&focus("[data-instrument=kick] [data-layer=hard]")).await?;
    browser.keys(&key::DOWN.to_string()).await?;
    kept(&browser, 1, "p.kit.instruments.find((one) => one.id === 'kick').layers[3].from === 107").await?;

    // The three handles of a shape in its picture.
    browser.keys(&key::ESCAPE.to_string()).await?;
    add_pass(&browser, "shape", "shape").await?;
    browser.run(&focus("[data-pass=shape] [data-grip]")).await?;
    browser.find("[data-pass=shape] [data-shape]").await?;
    browser.run(&focus("[data-pass=shape] [aria-label='Shape, soft']")).await?;
    browser.keys(&key::UP.to_string().repeat(2)).await?;
    kept(&browser, 1, "passes[1]?.action.soft === 50").await?;

    // Every step of it can be taken back by keys.
    browser.run("document.activeElement.blur()").await?;
    for _ in 0..8 {
        chord(&browser, key::CONTROL, "z").await?;
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    kept(&browser, 1, "passes.length === 0 && p.state.layers === null").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn selected_hits_are_copied_cut_and_given_to_another_drum() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let [x, y] = middle(&browser, "[data-instrument='snare'] canvas[data-hits]").await?;
    let lasso = || browser.drag_from(x - 130.0, y - 64.0, 260.0, 122.0);
    lasso().await?;
    browser.until("/^\\d+ hits/.test(document.querySelector('[data-selection]').textContent)").await?;
    browser.press("Duplicate, one beat later").await?;
    kept(&browser, 1, "passes[0]?.action.added.length >= 3").await?;
    let added = browser
        .run("return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => p.state.recipe.passes[0].action.added)")
        .await?;
    let first = &added[0];
    assert_eq!((first["note"].as_u64(), first["velocity"].as_u64()), (Some(37), Some(100)), "as it is played");
    assert_eq!(first["tick"].as_f64().map(|tick| tick % 960.0), Some(0.0), "a beat on");

    browser.press("Undo").await?;
    kept(&browser, 1, "passes.length === 0").await?;
    lasso().await?;
    browser.press("Cut each in two").await?;
    kept(
        &browser,
        1,
        "passes[0]?.action.added.length >= 3 && passes[0].action.added.every((hit) => hit.tick % 960 === 480)",
    )
    .await?;

    browser.press("Undo").await?;
    kept(&browser, 1, "passes.length === 0").await?;
    lasso().await?;
    browser.press("to instrument").await?;
    browser.click_at("//*[@role='option' and normalize-space()='Ride']").await?;
    kept(
        &browser,
        1,
        "passes[0]?.action.moved.length >= 3 && passes[0].action.moved.every((move) => move.note === 51)",
    )
    .await?;
    // They are seen in the other row, as loud as they were.
    browser
        .until("Number(/(\\d+) hits/.exec(document.querySelector('[data-instrument=ride-1]').textContent)[1]) > 168")
        .await?;

    // A pass for just these hits.
    browser.click("[data-rule-aim]").await?;
    browser.click_at("//*[@role='menuitem' and starts-with(normalize-space(), 'Just these')]").await?;
    browser.click("[data-pass-for=level]").await?;
    kept(&browser, 1, "passes[1]?.aim.picked.length >= 3").await?;
    browser.close().await
}
