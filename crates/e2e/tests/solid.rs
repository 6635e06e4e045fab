//! What goes wrong is said, and loses nothing.

use rusqlite::Connection;
use vivida_e2e::{Failed, import, kept, key, middle, open_causeway, start};

type Done = Result<(), Failed>;

const SOFT: &str = "[data-instrument='closed-hat'] [data-handle=soft]";
const SILENT: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0";

#[tokio::test(flavor = "multi_thread")]
async fn what_is_damaged_is_shown_with_its_reason_and_mended() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.drag(SOFT, 0.0, 20.0).await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'shape'").await?;
    browser.goto("about:blank").await?;
    let app = app
        .restart_after(|path| {
            let connection = Connection::open(path).expect("the database opens");
            let damage = "UPDATE take SET recipe = 'rubbish' WHERE id = 1;
                UPDATE file SET bytes = x'4d54' WHERE song = (SELECT id FROM song WHERE name = 'Tin Roof');
                INSERT INTO recipe (name, note, recipe) VALUES ('Torn', '', '[]');
                UPDATE song SET stamp = stamp + 1; DELETE FROM card;";
            connection.execute_batch(damage).expect("it is damaged");
        })
        .await;
    browser.goto(&app.address).await?;
    browser.find("[data-song='Causeway'] [data-damage]").await?;
    browser
        .until("document.querySelector(\"[data-song='Tin Roof']\")?.textContent.includes('Its file cannot be read')")
        .await?;
    browser.until("!document.querySelector(\"[data-song='The Weir'] [data-damage]\")").await?;

    // The part opens, as it was written, and says why.
    browser.click("[data-song='Causeway'] a").await?;
    browser
        .until("document.querySelector('[data-damaged]')?.textContent.includes('it is played as it was written')")
        .await?;
    browser.press("Takes").await?;
    browser.find("[data-take='As it came'] [data-damage]").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.click("[data-recipes]").await?;
    browser.until("document.querySelector(\"[data-recipe='Torn'] [data-use]\")?.disabled").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.until("!document.querySelector(\"[data-recipe='Torn']\")").await?;
    // What was there before the damage comes back by undo.
    browser.press("Undo").await?;
    browser.until("!document.querySelector('[data-damaged]')").await?;
    browser.drag(SOFT, 0.0, 20.0).await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'shape'").await?;

    // The song whose file is gone can be deleted, and that can be undone.
    browser.goto(&app.address).await?;
    browser.press("More for Tin Roof").await?;
    browser.press("Delete").await?;
    browser.until("!document.querySelector(\"[data-song='Tin Roof']\")").await?;
    browser.until("[...document.querySelectorAll('button')].some((one) => one.textContent === 'Undo')").await?;
    // It still slides in.
    browser.run("[...document.querySelectorAll('button')].find((one) => one.textContent === 'Undo').click()").await?;
    browser.find("[data-song='Tin Roof'] [data-damage]").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_without_notes_says_that_there_is_nothing_to_play() -> Done {
    let (_turn, app, browser) = start().await;
    import(&app, &browser, "silent.mid", SILENT).await?;
    browser
        .until("document.querySelector('[data-song=silent]')?.textContent.includes('There is nothing to play in it')")
        .await?;
    browser.press("More for silent").await?;
    browser.find("a[role=menuitem][href$='/original'][download]").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drag_in_the_selection_bar_counts_from_where_it_began() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let row = "[data-instrument='closed-hat'] canvas[data-hits]";
    let [x, y] = middle(&browser, row).await?;
    // A frame around the hats of some beats.
    browser.drag_from(x, y - 66.0, 120.0, 122.0).await?;
    browser.find("[data-selection] [aria-label='Move the selected hits']").await?;
    browser.drag("[aria-label='Move the selected hits']", 40.0, 0.0).await?;
    // The words said how far while it was dragged; the hits went as far, and not the sum of all steps.
    let moved = "passes[0]?.action.moved.every((move) => Math.abs(move.time) > 0 && Math.abs(move.time) <= 45)";
    kept(&browser, 1, moved).await?;
    let velocity = "[aria-label='Velocity of the selected hits']";
    browser.drag(velocity, 12.0, 0.0).await?;
    let alike = "passes[0]?.action.moved.every((move, _, [first]) => move.velocity === first.velocity && Math.abs(move.velocity) < 60)";
    kept(&browser, 1, alike).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn two_pockets_turned_in_one_breath_are_both_kept() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    for (name, by) in [("One", 1), ("Two", 2)] {
        let add = format!(
            "return fetch('/api/v1/songs/1/pockets', {{ method: 'POST', headers: {{ 'Content-Type': 'application/json' }},
                body: JSON.stringify({{ name: '{name}', settings: {{ lean: {{ by: {by} }} }} }}) }}).then((r) => r.status)"
        );
        assert_eq!(browser.run(&add).await?, 200);
    }
    browser.run("document.activeElement.blur()").await?;
    browser.run("location.reload()").await?;
    browser.find(SOFT).await?;
    browser.keys("p").await?;
    browser.find("[data-pocket='Two'] [aria-label='Lean: lean']").await?;
    // A step of the wheel is kept once it is quiet; here the other pocket is turned before that.
    let turn = "for (const name of ['One', 'Two']) {
        const token = document.querySelector(`[data-pocket='${name}'] [aria-label='Lean: lean']`);
        token.focus();
        token.dispatchEvent(new WheelEvent('wheel', { deltaY: -100, bubbles: true, cancelable: true }));
    }";
    browser.run(turn).await?;
    let both = "return fetch('/api/v1/songs/1/pockets').then((r) => r.json())
        .then((all) => all.length === 2 && all[0].settings.lean.by > 1 && all[1].settings.lean.by > 2)";
    for _ in 0..100 {
        if browser.run(both).await? == true {
            return browser.close().await;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    panic!("{:?}", browser.run("return fetch('/api/v1/songs/1/pockets').then((r) => r.json())").await?);
}

#[tokio::test(flavor = "multi_thread")]
async fn undoing_sections_is_seen_at_once() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Sections").await?;
    browser.type_into("input[aria-label='Name for the loop']", "Count in").await?;
    browser.press("Name bars 1–4").await?;
    let named = "[...document.querySelectorAll('[data-map] button')].some((one) => one.textContent === 'Count in')";
    browser.until(named).await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.press("Undo").await?;
    browser.until(&format!("!{named}")).await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn leaving_asks_where_something_would_be_lost() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let asks = "const event = new Event('beforeunload', { cancelable: true });
        window.dispatchEvent(event); return event.defaultPrevented";
    assert_eq!(browser.run(asks).await?, false, "nothing was done");
    // Changes do not get through from here on.
    let stop = "window.sendOn = window.fetch; window.refused = 0;
        window.fetch = (url, init) => init?.method === 'PUT' && url.includes('/parts/')
            ? (window.refused++, Promise.reject(new TypeError('gone'))) : window.sendOn(url, init)";
    browser.run(stop).await?;
    browser.drag(SOFT, 0.0, 20.0).await?;
    browser.until("window.refused > 0").await?;
    browser.until("document.body.textContent.includes('Vivida does not answer')").await?;
    assert_eq!(browser.run(asks).await?, true, "it waits in this page alone");
    browser.run("window.fetch = window.sendOn").await?;
    kept(&browser, 1, "passes[0]?.action.kind === 'shape'").await?;
    browser.until("!document.body.textContent.includes('Vivida does not answer')").await?;
    assert_eq!(browser.run(asks).await?, false);
    browser.close().await
}
