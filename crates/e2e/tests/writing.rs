//! Writing in the page: from nothing to a beat, and a beat that is there varied with the pencil.

use serde_json::Value;
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// Where a quarter note (from 0) and a velocity lie in an instrument's row.
async fn place(browser: &Browser, instrument: &str, quarter: f64, velocity: f64) -> Result<[f64; 2], Failed> {
    browser.find(&format!("[data-instrument='{instrument}'] canvas[data-hits]")).await?;
    let script = format!(
        "const part = Number(location.pathname.split('/').pop());
         const row = document.querySelector(\"[data-instrument='{instrument}'] canvas[data-hits]\");
         row.scrollIntoView({{block: 'nearest'}});
         const box = row.getBoundingClientRect();
         return [box.x, box.y, box.width, box.height]"
    );
    let [x, y, width, height]: [f64; 4] = serde_json::from_value(browser.run(&script).await?).expect("a box");
    let window = window(browser).await?;
    let [from, to] = window;
    let share = (quarter * 960.0 - from) / (to - from);
    let high = 9.0 + (127.0 - velocity) / 126.0 * (height - 18.0);
    // The axis has room at both ends.
    Ok([x + 7.0 + share * (width - 14.0), y + if height < 40.0 { height / 2.0 } else { high }])
}

async fn part_id(browser: &Browser) -> Result<String, Failed> {
    let id = browser.run("return location.pathname.split('/').pop()").await?;
    Ok(id.as_str().expect("a part is open").to_owned())
}

async fn view(browser: &Browser) -> Result<Value, Failed> {
    let part = part_id(browser).await?;
    ask(browser, &format!("/views/part-{part}")).await
}

/// The ticks that the rows show, once that is kept.
async fn window(browser: &Browser) -> Result<[f64; 2], Failed> {
    for _ in 0..100 {
        if let Ok(window) = serde_json::from_value(view(browser).await?["window"].clone()) {
            return Ok(window);
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("the view is never kept");
}

/// Draws in a row from one quarter note to another at a height.
async fn draw(browser: &Browser, instrument: &str, quarters: [f64; 2], velocities: [f64; 2]) -> Done {
    let [x, y] = place(browser, instrument, quarters[0], velocities[0]).await?;
    let [to, end] = place(browser, instrument, quarters[1], velocities[1]).await?;
    browser.drag_from(x, y, to - x, end - y).await
}

/// Waits until the part sounds with so many hits.
async fn sounds(browser: &Browser, hits: usize) -> Done {
    let part = part_id(browser).await?;
    let script = format!(
        "return fetch('/api/v1/parts/{part}').then((r) => r.json()).then((p) =>
            p.written.ids.length + p.performance.made.ids.length - p.performance.silenced.length)"
    );
    let mut found = Value::Null;
    for _ in 0..400 {
        found = browser.run(&script).await?;
        if found == hits {
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("20 s went by and there are {found} hits, not {hits}");
}

/// Begins a song as the form proposes it.
async fn begin(app: &App, browser: &Browser) -> Done {
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    Ok(())
}

async fn choose_grid(browser: &Browser, words: &str) -> Done {
    browser.click("[data-drawing] [aria-label^='Draw on']").await?;
    browser.press(words).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_song_begins_with_nothing_and_becomes_a_beat() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.find("input[placeholder='New song']").await?;
    look(&browser, "begin").await?;
    browser.type_into("input[placeholder='New song']", "Spring Tide").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    // The view is kept once something of it has changed.
    browser.run("document.activeElement.blur()").await?;
    browser.keys("xx").await?;
    look(&browser, "empty").await?;

    // Hats in one drag, backbeats in a second, kicks by clicks.
    draw(&browser, "closed-hat", [0.0, 7.75], [80.0, 80.0]).await?;
    sounds(&browser, 32).await?;
    choose_grid(&browser, "halves").await?;
    look(&browser, "hats").await?;
    choose_grid(&browser, "quarters").await?;
    for quarter in [1.0, 3.0, 5.0, 7.0] {
        draw(&browser, "snare", [quarter, quarter], [110.0, 110.0]).await?;
    }
    sounds(&browser, 36).await?;
    for (kicks, quarter) in [0.0, 2.5, 4.0].into_iter().enumerate() {
        if quarter == 2.5 {
            choose_grid(&browser, "8ths").await?;
        }
        let [x, y] = place(&browser, "kick", quarter, 100.0).await?;
        browser.drag_from(x, y, 0.0, 0.0).await?;
        sounds(&browser, 37 + kicks).await?;
    }
    look(&browser, "beat").await?;

    // Two bars over the next six; one varied with triplets and 32nds inside one beat, rising.
    browser.click("[data-bars]").await?;
    browser.find("[aria-label='Laid over bar']").await?;
    for (label, value) in [("First bar", "1"), ("Last bar", "2"), ("Laid over bar", "3"), ("How many times", "3")] {
        let field = browser.client.find(fantoccini::Locator::Css(&format!("[aria-label='{label}']"))).await?;
        field.click().await?;
        chord(&browser, key::CONTROL, "a").await?;
        browser.keys(value).await?;
    }
    look(&browser, "bars").await?;
    browser.press("Copy bars 1–2").await?;
    sounds(&browser, 4 * 39).await?;
    choose_grid(&browser, "8th triplets").await?;
    draw(&browser, "tom-1", [14.0, 14.67], [60.0, 60.0]).await?;
    sounds(&browser, 4 * 39 + 3).await?;
    choose_grid(&browser, "32nds").await?;
    draw(&browser, "snare", [15.0, 15.875], [30.0, 110.0]).await?;
    sounds(&browser, 4 * 39 + 3 + 7).await?;
    look(&browser, "varied").await?;

    // Undo and redo go stroke by stroke, and the beat is shaped like any other.
    chord(&browser, key::CONTROL, "z").await?;
    sounds(&browser, 4 * 39 + 3).await?;
    browser.press("Redo").await?;
    sounds(&browser, 4 * 39 + 10).await?;
    browser.press("Done").await?;
    browser.until("!document.querySelector('[data-drawing]')").await?;
    add_pass(&browser, "ghost", "ghosts").await?;
    let part: u32 = part_id(&browser).await?.parse().expect("a number");
    kept(&browser, part, "passes[0]?.action.kind === 'ghosts'").await?;
    look(&browser, "shaped").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn bars_tempo_and_metre_of_ones_own_song_are_changed() -> Done {
    let (_turn, app, browser) = start().await;
    begin(&app, &browser).await?;
    choose_grid(&browser, "quarters").await?;
    draw(&browser, "kick", [0.0, 15.0], [100.0, 100.0]).await?;
    sounds(&browser, 16).await?;
    browser.click("[data-bars]").await?;
    browser.press("Insert").await?;
    browser.until("document.querySelector('[data-loop]')?.ariaValueMax === '9'").await?;
    browser.click("[data-bars]").await?;
    browser.click_at("//label[.//text()='Tempo and metre']").await?;
    browser.find("[aria-label='Bars of the song']").await?;
    browser.press("Another metre").await?;
    browser.type_into("[aria-label='Metre 2']", &key::BACKSPACE.to_string().repeat(3)).await?;
    browser.type_into("[aria-label='Metre 2']", "7/8").await?;
    look(&browser, "outline").await?;
    browser.press("Set bars and tempo").await?;
    browser.until("document.querySelector('[data-loop]')").await?;
    let part = ask(&browser, &format!("/parts/{}", part_id(&browser).await?)).await?;
    let song = ask(&browser, &format!("/songs/{}", part["state"]["song"])).await?;
    assert_eq!(song["outline"]["metres"][1]["metre"], "7/8");
    // Undone step by step, the bars with them.
    chord(&browser, key::CONTROL, "z").await?;
    browser.until("!document.querySelector('[data-loop]') || true").await?;
    sounds(&browser, 16).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_beat_of_a_file_is_varied_by_hand() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let id: u32 = part_id(&browser).await?.parse().expect("a number");
    let written = ask(&browser, &format!("/parts/{id}")).await?["written"].clone();
    let all = written["ids"].as_array().expect("hits").len();
    browser.run("document.activeElement.blur()").await?;
    browser.keys("b").await?;
    browser.find("[data-drawing]").await?;
    // A crash on the second bar, without the hat: drawn, and the hat rubbed out.
    let first = window(&browser).await?[0] / 960.0 + 4.0;
    draw(&browser, "crash-1", [first, first], [110.0, 110.0]).await?;
    sounds(&browser, all + 1).await?;
    browser.keys("x").await?;
    draw(&browser, "closed-hat", [first, first], [30.0, 30.0]).await?;
    sounds(&browser, all).await?;
    browser.keys("x").await?;
    look(&browser, "by-hand").await?;
    kept(
        &browser,
        id,
        "passes.length === 1 && passes[0].action.kind === 'by-hand' && passes[0].action.removed.length === 1",
    )
    .await?;
    // A hit is dragged to the ride, keeping its velocity, and back by undo.
    let [x, y] = place(&browser, "closed-hat", first + 1.0, 100.0).await?;
    let [_, to] = place(&browser, "ride-1", first + 1.0, 100.0).await?;
    browser.drag_from(x, y, 0.0, to - y).await?;
    kept(&browser, id, "passes[0].action.moved.some((one) => one.note === 51 && one.velocity === 0)").await?;
    look(&browser, "to-the-ride").await?;
    chord(&browser, key::CONTROL, "z").await?;
    kept(&browser, id, "passes[0].action.moved.length === 0").await?;
    // What is written was never changed.
    assert_eq!(ask(&browser, &format!("/parts/{id}")).await?["written"]["velocities"], written["velocities"]);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_newer_file_is_held_against_the_song_and_brought_in() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let id: u32 = part_id(&browser).await?.parse().expect("a number");
    let demo = vivida_demo::songs().remove(0);
    // The same song, a hit fewer: the first note-on of the drums is gone.
    let song = vivida_smf::read(&demo.bytes).expect("the demo song is whole");
    let place = song.parts.iter().position(|part| part.drums).expect("drums");
    let part = &song.parts[place].part;
    let (chart, context) = (song.parts[place].chart(true), vivida_core::Context::new(&song.tempo, &song.metre));
    let json =
        format!(r#"{{"passes":[{{"id":1,"action":{{"kind":"by-hand","removed":[{}]}}}}]}}"#, part.hits()[0].id.get());
    let recipe = vivida_core::Recipe::from_value(serde_json::from_str(&json).expect("JSON")).expect("a recipe");
    let played = vivida_core::perform(part, &chart, &recipe, &context);
    let bytes = vivida_smf::write(&demo.bytes, &song, &[(place, played)], vivida_smf::Export::default());
    let file = app.folder().join("causeway-2.mid");
    std::fs::write(&file, bytes).expect("a file can be written");
    browser.type_into("input[aria-label='Newer MIDI file of the song']", &file.display().to_string()).await?;
    browser.find("[data-newer]").await?;
    look(&browser, "newer").await?;
    browser.press("Bring it in").await?;
    browser.until("!document.querySelector('[data-newer]')").await?;
    let now = ask(&browser, &format!("/parts/{id}")).await?;
    assert_eq!(now["written"]["ids"].as_array().map(Vec::len), Some(part.hits().len() - 1));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_album_is_treated_together_and_taken_back() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='Causeway']").await?;
    let add = "return fetch('/api/v1/recipes', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({name: 'Low tide', note: '',
        recipe: {passes: [{id: 1, aim: {instruments: ['closed-hat']}, action: {kind: 'shape', soft: 40, typical: 60, hard: 88, follow: 75, amount: 100}},
            {id: 2, action: {kind: 'loosen', early: 6, late: 6}}]}})}).then((r) => r.status)";
    assert_eq!(browser.run(add).await?, 201);
    // They are kept as an album, which is all that is shown then.
    chord(&browser, key::CONTROL, "a").await?;
    browser.click("[data-album]").await?;
    browser.type_into("[aria-label='Name of a new album']", "Low Tide Almanac").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.click("[data-albums]").await?;
    browser.click_at("//*[@role='option'][normalize-space()='Low Tide Almanac']").await?;
    browser.until("document.querySelector('[role=status]').textContent === '6 of 6 songs'").await?;
    browser.resize(1024, 700).await?;
    browser.until("document.documentElement.scrollWidth <= innerWidth").await?;
    look(&browser, "album").await?;
    browser.resize(1280, 800).await?;
    browser.run("document.activeElement.blur()").await?;
    chord(&browser, key::CONTROL, "a").await?;
    browser.click("[data-treat]").await?;
    browser.click_at("//label[normalize-space()='Recipe']/following::input[1]").await?;
    browser.click_at("//*[@role='option'][normalize-space()='Low tide']").await?;
    look(&browser, "batch").await?;
    browser.press("Treat 6 songs").await?;
    browser.find("[data-batch-reports]").await?;
    browser.until("document.querySelector('[data-batch-reports]').textContent.includes('done, 6 of 6 songs')").await?;
    browser.click_at("//*[@data-batch-reports]//button[normalize-space()='Causeway']").await?;
    look(&browser, "batch-report").await?;
    kept(&browser, 1, "passes.length === 2").await?;
    browser.press("Take it back in 6 songs").await?;
    browser.until("document.querySelector('[data-batch-reports]').textContent.includes('taken back')").await?;
    kept(&browser, 1, "passes.length === 0").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_packed_song_is_unpacked_and_backups_are_listed() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='Causeway']").await?;
    let save = "return fetch('/api/v1/songs/1/bundle.vivida').then((r) => r.arrayBuffer()).then((b) => btoa(String.fromCharCode(...new Uint8Array(b))))";
    let packed = browser.run(save).await?;
    let put = format!(
        "const bytes = Uint8Array.from(atob({packed}), (c) => c.charCodeAt(0));
         const files = new DataTransfer(); files.items.add(new File([bytes], 'Causeway.vivida'));
         const input = document.querySelector(\"[aria-label='Packed songs']\"); input.files = files.files;
         input.dispatchEvent(new Event('change', {{bubbles: true}}));"
    );
    browser.run(&put).await?;
    browser.until("document.querySelectorAll(\"[data-song='Causeway']\").length === 2").await?;
    browser.click("[data-shelf-menu]").await?;
    look(&browser, "shelf-menu").await?;
    browser.press("Backups …").await?;
    browser.find("[data-backups]").await?;
    browser.press("Back up now").await?;
    browser.until("/by hand/.test(document.querySelector('[data-backups]').textContent)").await?;
    look(&browser, "backups").await?;
    // What is done after it is gone when it is restored.
    browser.run("return fetch('/api/v1/songs').then((r) => r.json()).then((all) => fetch(`/api/v1/songs/${all[0].id}?revision=${all[0].revision}`, {method: 'DELETE'})).then((r) => r.status)").await?;
    browser.press("Restore …").await?;
    browser.press("Put this in the place of the shelf").await?;
    browser.until("/before restoring/.test(document.querySelector('[data-backups]').textContent)").await?;
    assert_eq!(ask(&browser, "/songs").await?.as_array().map(Vec::len), Some(7));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_hand_too_many_is_said_while_it_is_drawn() -> Done {
    let (_turn, app, browser) = start().await;
    begin(&app, &browser).await?;
    choose_grid(&browser, "quarters").await?;
    for (count, drum) in ["closed-hat", "snare", "ride-1", "crash-1"].into_iter().enumerate() {
        draw(&browser, drum, [1.0, 1.0], [100.0, 100.0]).await?;
        sounds(&browser, count + 1).await?;
    }
    browser.until("/third hand/.test(document.querySelector('[data-drawing]').textContent)").await?;
    look(&browser, "too-many").await?;
    let kept = "return performance.getEntriesByType('resource').filter(({name}) => /written$/.test(name)).map(({duration}) => Math.round(duration))";
    println!("each stroke was kept within so many ms: {}", browser.run(kept).await?);
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn strokes_and_passes_at_once_and_from_two_tabs_are_all_kept() -> Done {
    let (_turn, app, browser) = start().await;
    begin(&app, &browser).await?;
    choose_grid(&browser, "8ths").await?;
    draw(&browser, "closed-hat", [0.0, 3.5], [100.0, 100.0]).await?;
    sounds(&browser, 8).await?;
    // Every second one out, the rest twice as fast.
    for (label, hits) in [("Take every second one out", 4), ("Play the figure twice as fast, and twice", 8)] {
        browser.press("Done").await?;
        browser.until("!document.querySelector('[data-drawing]')").await?;
        // The rows without hits are gone, and this one is taller.
        let [x, y] = place(&browser, "closed-hat", 0.0, 127.0).await?;
        let [to, end] = place(&browser, "closed-hat", 4.0, 1.0).await?;
        browser.drag_from(x - 3.0, y, to - x, end - y).await?;
        browser.press(label).await?;
        sounds(&browser, hits).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys(&format!("{}b", key::ESCAPE)).await?;
        browser.find("[data-drawing]").await?;
    }
    // A nudge is under way when a stroke comes, and another one before that was kept.
    browser
        .run("const rows = document.querySelector(\"[data-instrument='closed-hat'] [data-handle=soft]\"); rows.focus()")
        .await?;
    browser.keys(&key::DOWN.to_string().repeat(3)).await?;
    draw(&browser, "snare", [1.0, 1.0], [100.0, 100.0]).await?;
    draw(&browser, "snare", [3.0, 3.0], [100.0, 100.0]).await?;
    sounds(&browser, 10).await?;
    let part: u32 = part_id(&browser).await?.parse().expect("a number");
    kept(&browser, part, "passes[0]?.action.kind === 'shape'").await?;
    // Somebody else draws meanwhile: the stroke is offered again, and nothing of theirs is lost.
    let other = format!(
        "return fetch('/api/v1/parts/{part}').then((r) => r.json()).then((detail) => fetch('/api/v1/parts/{part}/written', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: detail.state.revision, label: 'theirs',
            drawings: [{{kind: 'fill', instrument: 'kick', from: 0, to: 0, grid: '1/4', path: []}}]}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&other).await?, 200);
    draw(&browser, "snare", [5.0, 5.0], [100.0, 100.0]).await?;
    browser.press("Do it again on top").await?;
    sounds(&browser, 12).await?;
    browser.close().await
}
