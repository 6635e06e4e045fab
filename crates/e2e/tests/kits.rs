//! Kits in the page: what goes where is seen, heard and mended, and a sampler gets what it plays.

use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// A small song whose notes no map knows: a drum machine of its own.
fn odd_song() -> Vec<u8> {
    let mut track: Vec<u8> = b"\0\xff\x03\x05Drums".to_vec();
    for step in 0..32u8 {
        let note = if step % 4 == 2 { 101 } else { 36 };
        track.extend([if step == 0 { 0 } else { 0x60 }, 0x99, note, 60 + step, 0x18, 0x89, note, 0x40]);
    }
    track.extend(b"\0\xff\x2f\0");
    let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    file.extend((track.len() as u32).to_be_bytes());
    file.extend(track);
    file
}

async fn kit_screen(browser: &Browser) -> Done {
    browser.run("document.activeElement.blur()").await?;
    browser.keys("k").await?;
    browser.until("document.querySelector('[data-threads] [data-note]')").await
}

/// Drags from the middle of one element to that of another.
async fn drag_onto(browser: &Browser, from: &str, to: &str) -> Done {
    let ([x, y], [to_x, to_y]) = (middle(browser, from).await?, middle(browser, to).await?);
    browser.drag_from(x, y, to_x - x, to_y - y).await
}

/// The strokes that the page has let be heard: note, velocity sent and layer of the newest, and how many.
async fn heard(browser: &Browser) -> Result<(u64, Vec<i64>), Failed> {
    let strokes = browser.run("return window.vividaProbe.strokes").await?;
    let all = strokes.as_array().expect("strokes");
    let newest = all.last().map(|one| serde_json::from_value(one.clone()).expect("numbers")).unwrap_or_default();
    Ok((all.len() as u64, newest))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_silent_note_is_seen_and_learned() -> Done {
    let (_turn, app, browser) = start().await;
    import(&app, &browser, "odd.mid", &odd_song()).await?;
    browser.click("[data-song=odd] a").await?;
    browser.find("[data-rows] canvas").await?;
    kit_screen(&browser).await?;
    // Its own kit has a place for every note; General MIDI knows the kick alone.
    assert_eq!(browser.run("return document.querySelectorAll('[data-loose=true]').length").await?, 0);
    browser.click("[data-kit='General MIDI'] button").await?;
    browser.until("document.querySelector('[data-note=\"101\"][data-loose=true]')").await?;
    assert!(browser.text("[data-exchange]").await?.contains("24"));
    browser.click("[data-make-mine]").await?;
    browser.until("document.querySelector('[data-kit=\"General MIDI, mine\"][data-chosen=true]')").await?;
    browser.click("[data-take-kit]").await?;
    browser.until("!document.querySelector('[data-exchange]')").await?;

    // Its thread is drawn to the snare: that is what it is now.
    let stroke = "[data-stroke='snare acoustic']";
    drag_onto(&browser, "[data-note='101']", stroke).await?;
    browser.until("document.querySelector('[data-note=\"101\"][data-loose=false]')").await?;
    browser.until(&format!("document.querySelector(\"{stroke}\").dataset.idle === 'false'")).await?;
    // Undone, it hangs loose again, and the same is learned in another way.
    browser.press("Undo in the kits").await?;
    browser.until("document.querySelector('[data-note=\"101\"][data-loose=true]')").await?;
    browser.click("[data-stroke='snare side stick']").await?;
    browser.click("[data-learn]").await?;
    browser.click("[data-note='101']").await?;
    browser.until("document.querySelector('[data-note=\"101\"][data-loose=false]')").await?;
    browser.click("[data-close-kit]").await?;
    browser.find("[data-rows] canvas").await?;
    browser.until("document.querySelector('[data-instrument=snare]') && document.querySelectorAll('[data-instrument]').length === 2").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sampler_is_told_once_and_gets_what_it_plays() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    kit_screen(&browser).await?;
    browser.click("[data-kit='Large kit, both hands'] button").await?;
    browser.until("document.querySelector('[data-exchange]')").await?;
    browser.click("[data-take-kit]").await?;
    browser.until("document.querySelector('[data-kit^=\"General MIDI to\"][data-chosen=true]')").await?;
    // It goes out at other notes; the channel is chosen here.
    browser.click("[data-stroke='snare acoustic']").await?;
    browser.until("document.querySelector('[data-out=\"26\"][data-chosen=true]')").await?;
    browser
        .type_into(
            "[aria-label='Offset of its velocities']",
            &format!("{}{}{}-20{}", key::END, key::BACKSPACE, key::BACKSPACE, key::ENTER),
        )
        .await?;
    browser.until("document.querySelector('[aria-label=\"Offset of its velocities\"]').value === '-20'").await?;
    answers(&browser, "/kits", "return it[0].kit.instruments.find((one) => one.id === 'snare').offset === -20").await?;
    // Another song takes the same kit in one click.
    browser.click("[data-close-kit]").await?;
    browser.find("[data-rows] canvas").await?;
    let file = browser.run("return fetch('/api/v1/songs/1/export.mid?part=1').then((r) => r.arrayBuffer()).then((b) => [...new Uint8Array(b)])").await?;
    let bytes: Vec<u8> = serde_json::from_value(file).expect("bytes");
    let song = vivida_smf::read(&bytes).expect("a song");
    let snares: Vec<u8> =
        song.parts[0].part.hits().iter().filter(|hit| hit.note.get() == 26).map(|hit| hit.velocity.get()).collect();
    assert!(
        snares.len() > 100 && snares.iter().all(|&velocity| velocity == 80),
        "{} {:?}",
        snares.len(),
        snares.first()
    );
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn velocities_are_walked_by_ear_and_pads_are_struck() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    kit_screen(&browser).await?;
    browser.click("[data-make-mine]").await?;
    browser.until("document.querySelector('[data-kit=\"My kit\"][data-chosen=true]')").await?;
    browser.click("[data-stroke='snare acoustic']").await?;
    browser.until("window.vividaProbe.strokes.length === 1").await?;
    let walk = browser.find("[data-velocity-walk]").await?;
    walk.send_keys(&key::HOME.to_string()).await?;
    browser.until("window.vividaProbe.strokes.length === 2").await?;
    assert_eq!(heard(&browser).await?.1, [38, 1, 0]);
    // Layer by layer, then the bound moves: the same velocity falls into the layer below.
    for (bound, layer) in [(42, 2), (77, 3), (108, 5)] {
        walk.send_keys(&key::PAGE_UP.to_string()).await?;
        browser.until(&format!("window.vividaProbe.strokes.at(-1)[1] === {bound}")).await?;
        assert_eq!(heard(&browser).await?.1, [38, bound, layer]);
    }
    let bound = browser.find("[data-bound=hard]").await?;
    for _ in 0..4 {
        bound.send_keys(&key::UP.to_string()).await?;
        tokio::time::sleep(Duration::from_millis(250)).await;
    }
    browser.until("document.querySelector('[data-bound=hard]').ariaValueNow === '112'").await?;
    answers(&browser, "/kits", "return it[0].kit.instruments.find((one) => one.id === 'snare').layers[3].from === 112")
        .await?;

    // A pad is hit high and low, and by key.
    let [x, y] = middle(&browser, "[data-pad=kick]").await?;
    let before = heard(&browser).await?.0;
    browser.drag_from(x, y - 28.0, 0.0, 0.0).await?;
    browser.until(&format!("window.vividaProbe.strokes.length === {}", before + 1)).await?;
    let (_, hard) = heard(&browser).await?;
    browser.drag_from(x, y + 28.0, 0.0, 0.0).await?;
    browser.until(&format!("window.vividaProbe.strokes.length === {}", before + 2)).await?;
    let (_, soft) = heard(&browser).await?;
    assert!(hard[0] == 36 && hard[1] > 105 && soft[1] < 25, "{hard:?} {soft:?}");
    browser.run("document.activeElement.blur()").await?;
    browser.keys("c").await?;
    browser.until("window.vividaProbe.strokes.at(-1)[0] === 38 && window.vividaProbe.strokes.at(-1)[1] === 88").await?;

    // Deleted from the library, the part goes on with it; and it comes back.
    browser.press("What to do with My kit").await?;
    browser.press("Delete").await?;
    browser.until("!document.querySelector('[data-kit=\"My kit\"]')").await?;
    browser.until("/kept for this part/.test(document.body.textContent)").await?;
    assert_eq!(ask(&browser, "/parts/1").await?["state"]["kit"]["deleted"], true);
    browser.click_at("//*[contains(@class, 'Notification')]//button[normalize-space()='Undo']").await?;
    browser.until("document.querySelector('[data-kit=\"My kit\"]')").await?;
    // A change to a kit is undone where it was made.
    browser.click("[data-kit='My kit'] button").await?;
    browser.press("Undo in the kits").await?;
    browser.until("document.querySelector('[data-kit=\"My kit\"]')").await?;
    answers(&browser, "/kits", "return it[0].kit.instruments.find((one) => one.id === 'snare').layers[3].from === 111")
        .await?;

    // The pads are there beside the hits, too; a click gives them the keys, Escape gives those back.
    browser.run("document.activeElement.blur()").await?;
    browser.keys("k").await?;
    // The part is read anew by the kit as it was.
    browser.rest().await?;
    browser.keys("d").await?;
    let [x, y] = middle(&browser, "[data-pad=snare]").await?;
    let before = heard(&browser).await?.0;
    browser.drag_from(x, y + 10.0, 0.0, 0.0).await?;
    browser.until(&format!("window.vividaProbe.strokes.length === {}", before + 1)).await?;
    browser.keys("z").await?;
    browser.until(&format!("window.vividaProbe.strokes.length === {}", before + 2)).await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.keys("d").await?;
    browser.until("!document.querySelector('[data-pad]')").await?;
    browser.close().await
}
