//! The journeys that people take, in a real browser over a real server.

use serde_json::Value;
use std::time::Duration;
use vivida_e2e::{App, Browser, Failed, drawn, handle, key, open_causeway, start, turn};

type Done = Result<(), Failed>;

pub(crate) const SOFT: &str = "[data-instrument='closed-hat'] [data-handle=soft]";
const HIT: &str = "[data-instrument='closed-hat'] canvas[data-hits]";
const IDENTICAL: &str = "[data-figure='identical neighbours']";
const ON_GRID: &str = "[data-figure='exactly on its lines']";

#[tokio::test(flavor = "multi_thread")]
async fn a_stiff_part_becomes_a_played_one() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    assert_eq!(browser.text(IDENTICAL).await?, "identical neighbours\n100 % → 100 %");
    let before = drawn(&browser, HIT).await?;

    // Drag: the hits move and the figures change; it is one step.
    browser.drag(SOFT, 0.0, 60.0).await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    let dragged = drawn(&browser, HIT).await?;
    assert_ne!(before, dragged, "the hits are drawn elsewhere");
    assert!(handle(&browser, SOFT).await? < 70.0);
    let after = browser.text(IDENTICAL).await?;
    assert!(!after.ends_with("100 %"), "{after}");
    browser.drag("[data-instrument='snare'] [data-handle=lean]", 12.0, 0.0).await?;
    browser.until("document.querySelector('[data-pass=lean]')").await?;
    let grid = browser.text(ON_GRID).await?;
    assert!(!grid.ends_with("100 %"), "{grid}");

    // Undo and redo, by button and by key.
    browser.press("Undo").await?;
    browser.until("!document.querySelector('[data-pass=lean]')").await?;
    browser.click("[data-figure='exactly on its lines']").await?;
    browser.keys(&format!("{}z{}", key::CONTROL, key::RELEASE)).await?;
    browser.until("!document.querySelector('[data-pass=shape]')").await?;
    assert_eq!(drawn(&browser, HIT).await?, before, "as it was");
    browser.press("Redo").await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    assert_eq!(drawn(&browser, HIT).await?, dragged);

    // A reload keeps it, and so does a restart of the server.
    browser.client.refresh().await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    let app = app.restart().await;
    browser.goto(&format!("{}/songs/1/parts/1", app.address)).await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    browser.press("Undo").await?;
    browser.until("!document.querySelector('[data-pass=shape]')").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_result_is_taken_away_as_a_midi_file() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.drag(SOFT, 0.0, 60.0).await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    browser.press("Export").await?;
    browser.until("document.querySelector('[data-export=midi]')").await?;
    let link = browser.run("return document.querySelector('[data-export=midi]').href").await?;
    let bytes = download(link.as_str().expect("an address"));
    let song = vivida_smf::read(&bytes).expect("Vivida reads what it writes");
    let original = &vivida_demo::songs()[0];
    let written = vivida_smf::read(&original.bytes).expect("a demo song");
    let (played, before) = (song.parts[0].part.hits(), written.parts[0].part.hits());
    assert_eq!(played.len(), before.len());
    let softer = played.iter().zip(before).filter(|(now, was)| now.velocity < was.velocity).count();
    assert!(softer > 200, "{softer} hits of the closed hat are softer");
    assert_eq!(song.parts[1].part, written.parts[1].part, "the bass is as it came");
    assert_eq!(song.markers, written.markers);

    // A WAV file is made in the background, and says how far it is.
    browser.click("[data-export=wav]").await?;
    browser.until("document.querySelector('[aria-label=\"The WAV file is being made\"]')").await?;
    browser.until("document.querySelector('[data-export=wav]')").await?;
    let bytes = download(&format!("{}/api/v1/renders/1/file", app.address));
    assert!(bytes.starts_with(b"RIFF") && bytes.len() > 180 * 44_100 * 4);
    browser.close().await
}

fn download(url: &str) -> Vec<u8> {
    let answer = ureq::get(url).call().expect("the server answers");
    answer.into_body().with_config().limit(1 << 30).read_to_vec().expect("a whole file")
}

#[tokio::test(flavor = "multi_thread")]
async fn files_are_dropped_in_and_damaged_ones_say_what_is_wrong() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='The Weir']").await?;
    let good = app.folder().join("Мой \"бит\".mid");
    std::fs::write(&good, &vivida_demo::songs()[1].bytes).expect("a file");
    let bad = app.folder().join("letter.mid");
    std::fs::write(&bad, "Dear drummer, no MIDI in here.").expect("a file");
    let cut = app.folder().join("cut.mid");
    std::fs::write(&cut, &vivida_demo::songs()[0].bytes[..5000]).expect("a file");
    let all = [&good, &bad, &cut].map(|path| path.display().to_string()).join("\n");
    browser.type_into("input[aria-label='MIDI files or recorded loops']", &all).await?;

    browser.until("document.querySelectorAll('[data-song]').length === 8").await?;
    browser
        .until("document.body.textContent.includes('“letter.mid”: offset 0: this is no Standard MIDI File')")
        .await?;
    browser.until("document.body.textContent.includes('the file ends too early; all before is kept')").await?;
    browser.find("[data-song='cut'] [aria-label^='Mended']").await?;

    // Rename, duplicate, delete and undo.
    browser.press("More for cut").await?;
    browser.press("Rename").await?;
    browser.find("input[aria-label='Song name']").await?;
    browser.keys(&format!("{}a{}Torn off{}", key::CONTROL, key::RELEASE, key::ENTER)).await?;
    browser.find("[data-song='Torn off']").await?;
    browser.press("More for Torn off").await?;
    browser.press("Duplicate").await?;
    browser.find("[data-song='Torn off (copy)']").await?;
    browser.press("More for Torn off (copy)").await?;
    browser.press("Delete").await?;
    browser.until("!document.querySelector(\"[data-song='Torn off (copy)']\")").await?;
    // Notes about other files may still slide over it.
    browser.run("[...document.querySelectorAll('button')].find((one) => one.textContent === 'Undo').click()").await?;
    browser.find("[data-song='Torn off (copy)']").await?;

    // The good one opens and nothing else is broken.
    browser.click("[data-song^='Мой'] a").await?;
    browser.find(SOFT).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn passes_are_sentences_whose_words_are_controls() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Add a pass").await?;
    browser.find("input[aria-label='Search for an action']").await?;
    browser.keys("humanize").await?;
    browser.until("document.querySelectorAll('[data-offer]').length === 5").await?;
    browser.click("[data-offer=loosen]").await?;
    browser.until("document.querySelector('[data-pass=loosen]').textContent.includes('1,591 hits')").await?;

    // Type a number, step it with the arrows, double click it to its neutral value.
    let late = "[data-pass=loosen] [aria-label='Loosen: late']";
    browser.click(late).await?;
    browser.until("document.activeElement.tagName === 'INPUT'").await?;
    browser.keys(&format!("20{}", key::ENTER)).await?;
    browser.until(&format!("document.querySelector(\"{late}\").textContent === '20 ms'")).await?;
    browser.keys(&format!("{0}{0}", key::UP)).await?;
    browser.until(&format!("document.querySelector(\"{late}\").textContent === '21 ms'")).await?;

    // Aim it at the snare: only the snare is touched.
    browser.click("[data-pass=loosen] [aria-label^='Instruments']").await?;
    browser.click_at("//label[text()='Snare']").await?;
    browser.until("document.querySelector('[data-pass=loosen]').textContent.includes('177 hits')").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;

    // Off equals absent; the variation deals anew.
    let snare = "[data-instrument='snare'] canvas[data-hits]";
    let loose = drawn(&browser, snare).await?;
    browser.press("next").await?;
    browser.until("document.querySelector('[aria-label=Variation]').textContent === '2'").await?;
    assert_ne!(drawn(&browser, snare).await?, loose);
    browser.press("Undo").await?;
    browser.until("document.querySelector('[aria-label=Variation]').textContent === '1'").await?;
    assert_eq!(drawn(&browser, snare).await?, loose);
    browser.run("document.querySelector('[data-pass=loosen] input[role=switch]').click()").await?;
    browser
        .until("document.querySelector(\"[data-figure='exactly on its lines']\").textContent.endsWith('100 %')")
        .await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_second_tab_cannot_overwrite_the_first() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // Another tab changes the part behind this one's back.
    let change = r#"return fetch('/api/v1/parts/1', {method: 'PUT', headers: {'Content-Type': 'application/json'},
        body: JSON.stringify({revision: 1, label: 'level', recipe: {passes: [{id: 1, action: {kind: 'level', by: -9}}]}})})
        .then((r) => r.status)"#;
    assert_eq!(browser.run(change).await?, 200);
    browser.drag(SOFT, 0.0, 60.0).await?;
    browser.until("document.querySelector('[data-pass=level]')").await?;
    browser.until("document.body.textContent.includes('“shape closed hat: soft” was not kept')").await?;
    browser.until("!document.querySelector('[data-pass=shape]')").await?;
    // What was done here is done again, on top of what the other tab did.
    browser.click("[data-again]").await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    let kept = "const kinds = await fetch('/api/v1/parts/1').then((r) => r.json())
        .then((part) => part.state.recipe.passes.map((pass) => pass.action.kind)); return kinds.join()";
    for _ in 0..50 {
        if browser.run(kept).await? == "level,shape" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert_eq!(browser.run(kept).await?, "level,shape");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn all_of_it_goes_by_keyboard() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // A handle in focus goes by arrows; many presses are one step.
    browser.run(&format!("document.querySelector(\"{SOFT}\").focus()")).await?;
    browser.keys(&key::DOWN.to_string().repeat(12)).await?;
    browser.until("document.querySelector('[data-pass=shape]')").await?;
    browser.until("document.querySelector('[aria-label=\\'Shape: soft\\']').textContent === '88'").await?;
    browser.until("!document.querySelector('[aria-label=Undo]').disabled").await?;
    browser.run("document.querySelector(\"[data-instrument='snare'] [data-handle=lean]\").focus()").await?;
    browser.keys(&key::RIGHT.to_string().repeat(8)).await?;
    browser.until("document.querySelector('[aria-label=\\'Lean: lean\\']')?.textContent === '4 ms behind'").await?;
    browser.until("document.querySelector('[aria-label=Undo]').disabled === false").await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    browser.keys(&format!("{}z{}", key::CONTROL, key::RELEASE)).await?;
    browser.until("!document.querySelector('[data-pass=lean]')").await?;
    browser.keys(&format!("{}z{}", key::CONTROL, key::RELEASE)).await?;
    browser.until("!document.querySelector('[data-pass=shape]')").await?;

    // Add a pass by search and Enter, then help.
    browser.run("document.activeElement.blur()").await?;
    browser.keys("/").await?;
    browser.find("input[aria-label='Search for an action']").await?;
    browser.keys(&format!("compress{}{}", key::DOWN, key::ENTER)).await?;
    browser.until("document.querySelectorAll('[data-pass]').length === 1").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("?").await?;
    browser.until("document.body.textContent.includes('Flip between Written and Played')").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;

    // Everything that can be pressed has a name, and what has the focus shows it.
    let nameless =
        "return [...document.querySelectorAll('button, a, input, [role=slider]')].filter((e) => e.offsetParent &&
        !(e.ariaLabel || e.textContent.trim() || e.title || e.labels?.length || e.getAttribute('aria-labelledby')))
        .map((e) => e.outerHTML)";
    assert_eq!(browser.run(nameless).await?, Value::Array(Vec::new()));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_song_is_scrolled_zoomed_and_looped() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let numbers = "[...document.querySelectorAll('[data-axis] span')].map((e) => e.textContent).join(' ')";
    browser.until(&format!("{numbers} === '1 2 3 4'")).await?;
    // A section loops and shows its bars.
    browser.press("Lift 1").await?;
    browser.until("document.querySelector('[data-toggle=loop]').textContent === 'bars 21–28'").await?;
    browser.until(&format!("{numbers}.startsWith('21 22')")).await?;
    // The loop goes by arrows, longer with Shift.
    browser.run("document.querySelector('[data-loop]').focus()").await?;
    browser.keys(&key::RIGHT.to_string()).await?;
    browser.until("document.querySelector('[data-loop]').getAttribute('aria-valuetext') === 'bars 22 to 29'").await?;
    browser.keys(&format!("{}{}{}", key::SHIFT, key::RIGHT, key::RELEASE)).await?;
    browser.until("document.querySelector('[data-loop]').getAttribute('aria-valuetext') === 'bars 22 to 30'").await?;
    // The wheel on the ruler zooms about the pointer; keys zoom and show the whole song.
    let wheel = "const r = document.querySelector('[data-axis]'); const b = r.getBoundingClientRect();
        r.dispatchEvent(new WheelEvent('wheel', {deltaY: -500, clientX: b.x + b.width / 2, clientY: b.y + 5, cancelable: true}))";
    browser.run(wheel).await?;
    browser.until(&format!("{numbers}.split(' ').length < 6")).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("0").await?;
    browser.until(&format!("{numbers}.startsWith('1 ') && {numbers}.includes(' 65')")).await?;
    // How it was left is how it is found.
    tokio::time::sleep(Duration::from_millis(900)).await;
    browser.client.refresh().await?;
    browser.until(&format!("{numbers}.startsWith('1 ') && {numbers}.includes(' 65')")).await?;
    browser.until("document.querySelector('[data-toggle=loop]').textContent === 'bars 22–30'").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_bass_is_tones_and_can_be_taken_as_drums() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Drums").await?;
    browser.press("Bass · tones, 320 hits").await?;
    browser.find("[data-instrument=tonal] [data-handle=soft]").await?;
    browser.drag("[data-instrument=tonal] [data-handle=lean]", 10.0, 0.0).await?;
    browser.until("document.querySelector('[data-pass=lean]').textContent.includes('320 hits')").await?;
    browser.press("Bass").await?;
    browser.press("Treat as drums").await?;
    browser.until("document.querySelectorAll('[data-instrument]').length > 3").await?;
    browser.until("document.querySelector('[data-pass=lean]').textContent.includes('hits nothing here')").await?;
    browser.press("Undo").await?;
    browser.find("[data-instrument=tonal]").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_shelf_says_what_to_do_and_a_lost_server_what_happened() -> Done {
    let _turn = turn().await;
    let app = App::start_empty().await;
    let browser = Browser::open(1024, 700).await.expect("Chromium starts");
    browser.goto(&app.address).await?;
    browser.until("document.body.textContent.includes('Drop MIDI files or a loop here')").await?;
    browser.goto(&format!("{}/songs/9/parts/9", app.address)).await?;
    browser.until("document.body.textContent.includes('there is no ')").await?;
    browser.press("Back to the shelf").await?;
    browser.until("document.body.textContent.includes('Drop MIDI files or a loop here')").await?;
    app.stop().await;
    browser.run("window.dispatchEvent(new Event('focus'))").await?;
    let file = std::env::temp_dir().join("vivida-e2e-lost.mid");
    std::fs::write(&file, &vivida_demo::songs()[0].bytes).expect("a file");
    browser.type_into("input[aria-label='MIDI files or recorded loops']", &file.display().to_string()).await?;
    browser.until("document.body.textContent.includes('Vivida does not answer')").await?;
    browser.close().await
}
