//! Everything that opens lies within the window, and no screen breaks a rule of accessibility that a program can
//! check.

use fantoccini::wd::TimeoutConfiguration;
use serde_json::Value;
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// Opens each opener of the page in turn and closes it with Escape; tells those of which a part lies outside the
/// window. Waits for what happens and not for a time: a busy machine takes as long as it takes.
const OPEN_ALL: &str = r#"
    const done = arguments[0];
    const frame = () => new Promise((resolve) => requestAnimationFrame(resolve));
    const visible = (element) => element.getClientRects().length > 0 && getComputedStyle(element).visibility !== 'hidden';
    const opened = () => [...document.querySelectorAll(
        '.mantine-Popover-dropdown, .mantine-Menu-dropdown, .mantine-Modal-content, .mantine-Combobox-dropdown')].filter(visible);
    // Beneath a dialog nothing can be pressed.
    const dialog = () => [...document.querySelectorAll('.mantine-Modal-content')].filter(visible).at(-1) ?? document;
    const openers = () => [...dialog().querySelectorAll('[aria-haspopup], [data-add-pass], [data-recipes], [data-help]')].filter(visible);
    const until = async (holds) => {
        const begun = performance.now();
        while (!holds() && performance.now() - begun < 20_000) await frame();
        return holds();
    };
    // Where everything lies, once it lies where it lay a few frames ago.
    const settled = async () => {
        let before = '';
        for (let same = 0; same < 4; ) {
            await frame();
            const now = opened().map((one) => Object.values(one.getBoundingClientRect().toJSON()).join()).join(';');
            same = now === before ? same + 1 : 0;
            before = now;
        }
    };
    const wrong = [];
    const seen = new Set();
    let count = 0;
    const next = () => openers().find((one) => !seen.has(one));
    (async () => {
        // What is drawn anew is opened anew; that many are nowhere.
        for (let opener = next(); opener && seen.size < 300; opener = next()) {
            seen.add(opener);
            const name = opener.ariaLabel ?? opener.textContent;
            const before = opened();
            const added = () => opened().filter((one) => !before.includes(one));
            opener.scrollIntoView({ block: 'nearest' });
            await settled();
            // As a click of a person does.
            opener.focus();
            opener.click();
            if (!(await until(() => added().length > 0))) wrong.push(`${name}: nothing opened`);
            await settled();
            for (const one of added()) {
                count++;
                const box = one.getBoundingClientRect();
                if (box.left < -0.5 || box.top < -0.5 || box.right > innerWidth + 0.5 || box.bottom > innerHeight + 0.5)
                    wrong.push(`${name}: ${Math.round(box.left)} ${Math.round(box.top)} to ${Math.round(box.right)} ${Math.round(box.bottom)}`);
                for (const inner of [one, ...one.querySelectorAll('*')]) {
                    if (/auto|scroll/.test(getComputedStyle(inner).overflowY) && inner.scrollWidth > inner.clientWidth + 1)
                        wrong.push(`${name}: wider than its frame`);
                }
                // What does not fit can be scrolled to.
                for (const child of one.querySelectorAll('button, input, a, [role=option]')) {
                    const inner = child.getBoundingClientRect();
                    if (!visible(child) || inner.width === 0) continue;
                    let holder = child.parentElement;
                    let scrolls = false;
                    while (holder && holder !== one.parentElement) {
                        scrolls ||= /auto|scroll/.test(getComputedStyle(holder).overflowY);
                        holder = holder.parentElement;
                    }
                    if (!scrolls && (inner.bottom > innerHeight || inner.top < 0))
                        wrong.push(`${name}: ${child.ariaLabel ?? child.textContent} is out of reach`);
                }
            }
            document.activeElement?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', code: 'Escape', bubbles: true }));
            if (!(await until(() => added().length === 0))) {
                wrong.push(`${name}: Escape does not close it`);
                opener.click();
                await until(() => added().length === 0);
            }
        }
        done([count, wrong]);
    })();
"#;

/// Gives the focus to each control that takes characters, and strikes keys in it; tells those that did something else.
const TYPE_ALL: &str = r#"
    const wrong = [];
    let count = 0;
    const takes = 'input:not([type=checkbox], [type=radio], [type=range], [type=file], [readonly], :disabled), textarea, [role=spinbutton]';
    for (const one of document.querySelectorAll(takes)) {
        if (one.getClientRects().length === 0) continue;
        const name = one.ariaLabel ?? one.placeholder ?? one.outerHTML.slice(0, 80);
        one.focus();
        if (document.activeElement !== one) continue;
        count++;
        for (const key of '0123456789-=?nbsvcrtodkfgp') {
            if (one.role === 'spinbutton' && !/[0-9-]/.test(key)) continue;
            const code = /[0-9]/.test(key) ? `Digit${key}` : /[a-z]/.test(key) ? `Key${key.toUpperCase()}` : '';
            const event = new KeyboardEvent('keydown', { key, code, bubbles: true, cancelable: true });
            if (!(document.activeElement ?? one).dispatchEvent(event)) wrong.push(`${name} does not get ${key}`);
        }
        document.activeElement?.blur();
    }
    return [count, wrong];
"#;

async fn type_all(browser: &Browser, least: u64) -> Done {
    let [count, wrong]: [Value; 2] = serde_json::from_value(browser.run(TYPE_ALL).await?).expect("two values");
    assert_eq!(wrong, serde_json::json!([]), "of {count}");
    assert!(count.as_u64() >= Some(least), "{count} take characters");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_takes_characters_gets_them_all() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    // Hits are selected: Enter leads to their velocity, and all of a number arrives.
    let [x, y] = middle(&browser, "[data-instrument='closed-hat'] canvas[data-hits]").await?;
    browser.drag_from(x, y - 66.0, 120.0, 122.0).await?;
    browser.find("[data-selection] [role=spinbutton]").await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    browser.until("document.activeElement?.matches('[data-selection] [role=spinbutton]')").await?;
    browser.keys(&format!("100{}", key::ENTER)).await?;
    browser.until("document.querySelector('[data-selection] [role=spinbutton]')?.textContent.includes('100')").await?;
    type_all(&browser, 1).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    add_pass(&browser, "accent", "accents").await?;
    add_pass(&browser, "ghost", "ghosts").await?;
    browser.run("document.activeElement.blur()").await?;
    type_all(&browser, 4).await?;
    // Screens that lie over the rows; Escape leads back from each, and nothing is recorded out of sight.
    for (opens, there) in [("k", "[data-threads] [data-note]"), ("g", "[data-groove-picture]")] {
        browser.run("document.activeElement.blur()").await?;
        browser.keys(opens).await?;
        browser.find(there).await?;
        browser.run("document.activeElement.blur()").await?;
        type_all(&browser, 1).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys(&format!("{}r{}", key::SHIFT, key::RELEASE)).await?;
        assert_eq!(browser.run("return document.querySelector('[data-open-devices]') === null").await?, true);
        browser.keys(&key::ESCAPE.to_string()).await?;
        browser.until(&format!("!document.querySelector('{there}')")).await?;
        browser.find("[data-rows] canvas").await?;
    }
    browser.goto(&app.address).await?;
    browser.find("[data-song='The Weir']").await?;
    type_all(&browser, 1).await?;
    browser.close().await
}

/// Scripts may take their time.
async fn patient(browser: &Browser) -> Done {
    let timeouts = TimeoutConfiguration::new(Some(Duration::from_secs(180)), None, None);
    browser.client.update_timeouts(timeouts).await
}

async fn open_all(browser: &Browser, least: u64) -> Done {
    let [count, wrong]: [Value; 2] =
        serde_json::from_value(browser.client.execute_async(OPEN_ALL, Vec::new()).await?).expect("two values");
    assert_eq!(wrong, serde_json::json!([]), "of {count}");
    assert!(count.as_u64() >= Some(least), "{count} opened");
    Ok(())
}

/// What axe finds wrong on the page, in words. The colours alone are what another scheme changes.
pub async fn check(browser: &Browser, wrong: &mut Vec<String>, screen: &str) -> Done {
    // A tooltip of what is under the pointer is no part of the screen.
    browser.hover(640.0, 3.0).await?;
    browser.still().await?;
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(path).expect("npm has installed axe-core");
    if browser.run("return typeof axe === 'undefined'").await? == Value::Bool(true) {
        browser.run(&format!("{axe}; return 1")).await?;
    }
    let script = "const done = arguments[0];
        const colours = document.documentElement.dataset.mantineColorScheme === 'dark' ? { runOnly: ['color-contrast'] } : {};
        axe.run(document, { resultTypes: ['violations'], ...colours }).then(({ violations }) => done(violations.map((one) =>
            `${one.id} (${one.nodes.length}): ${one.nodes[0].html.slice(0, 500)} ${one.nodes[0].any[0]?.message ?? one.nodes[0].failureSummary.slice(0, 200)}`)))";
    let found = browser.client.execute_async(script, Vec::new()).await?;
    let found: Vec<String> = serde_json::from_value(found).expect("words");
    wrong.extend(found.into_iter().map(|one| format!("{screen}: {one}")));
    Ok(())
}

/// A song whose names are long, with many instruments.
async fn import_long(app: &App, browser: &Browser) -> Done {
    let name = "A very long name of a song that somebody gave it in a hurry and never changed again, take 27.mid";
    import(app, browser, name, &large_song(6_000, 20)).await?;
    browser.find("[data-song^='A very long']").await?;
    Ok(())
}

pub async fn scheme(browser: &Browser, name: &str) -> Done {
    browser.run(&format!("localStorage.setItem('mantine-color-scheme-value', '{name}')")).await?;
    browser.run("location.reload()").await?;
    browser.until(&format!("document.documentElement.dataset.mantineColorScheme === '{name}'")).await
}

/// The windows that everything has to lie within.
const SIZES: [(u32, u32); 2] = [(1280, 800), (1024, 700)];

#[tokio::test(flavor = "multi_thread")]
async fn what_opens_over_the_shelf_lies_within_the_window() -> Done {
    let (_turn, app, browser) = start().await;
    patient(&browser).await?;
    import_long(&app, &browser).await?;
    for (width, height) in SIZES {
        browser.resize(width, height).await?;
        browser.goto(&app.address).await?;
        browser.find("[data-song='The Weir']").await?;
        open_all(&browser, 7).await?;
        // What several songs are given, and what was done to them.
        chord(&browser, key::CONTROL, "a").await?;
        browser.click("[data-treat]").await?;
        browser.find(".mantine-Modal-content input").await?;
        open_all(&browser, 2).await?;
        // A song with a long name and without passes.
        browser.goto(&app.address).await?;
        browser.click("[data-song^='A very long'] a").await?;
        browser.find("[data-start]").await?;
        open_all(&browser, 10).await?;
    }
    browser.close().await
}

/// A part with passes of many kinds.
async fn open_full(app: &App, browser: &Browser) -> Done {
    open_causeway(app, browser).await?;
    browser.click("[data-start='One good take']").await?;
    for (search, kind) in [("accent", "accents"), ("ghost", "ghosts"), ("recolour", "recolour")] {
        add_pass(browser, search, kind).await?;
    }
    kept(browser, 1, "passes.at(-1).action.kind === 'recolour'").await?;
    browser.run("document.activeElement.blur()").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_opens_over_a_part_lies_within_the_window() -> Done {
    let (_turn, app, browser) = start().await;
    patient(&browser).await?;
    open_full(&app, &browser).await?;
    for (width, height) in SIZES {
        browser.resize(width, height).await?;
        unfold(&browser).await?;
        browser.until("document.querySelectorAll('[data-pass]').length > 6").await?;
        open_all(&browser, 12).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("n").await?;
        browser.find("[data-finding] [aria-label^=Dismiss]").await?;
        open_all(&browser, 8).await?;
        browser.press("Passes").await?;
        browser.run("document.activeElement.blur()").await?;
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_opens_while_drawing_and_recording_lies_within_the_window() -> Done {
    let (_turn, app, browser) = start().await;
    patient(&browser).await?;
    open_causeway(&app, &browser).await?;
    for (width, height) in SIZES {
        browser.resize(width, height).await?;
        browser.keys("b").await?;
        browser.find("[data-drawing]").await?;
        open_all(&browser, 8).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("b").await?;
        browser.click("button[aria-label=Record]").await?;
        browser.find("[data-open-devices]").await?;
        open_all(&browser, 8).await?;
        browser.click("[data-open-devices]").await?;
        browser.find("[data-input]").await?;
        if width == 1280 {
            browser.click("label:has([data-simulated]), [data-simulated]").await?;
        }
        browser.find("[data-sampler]").await?;
        open_all(&browser, 8).await?;
        browser.press("Back to the rows").await?;
        browser.find("[data-rows] canvas").await?;
        browser.click("button[aria-label=Record]").await?;
        browser.until("!document.querySelector('[data-open-devices]')").await?;
        browser.run("document.activeElement.blur()").await?;
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_opens_over_a_kit_lies_within_the_window() -> Done {
    let (_turn, app, browser) = start().await;
    patient(&browser).await?;
    open_causeway(&app, &browser).await?;
    browser.keys("k").await?;
    browser.find("[data-threads] [data-note]").await?;
    browser.click("[data-make-mine]").await?;
    browser.find("[data-kit='My kit']").await?;
    browser.click("[data-stroke='snare acoustic']").await?;
    for (width, height) in SIZES {
        browser.resize(width, height).await?;
        open_all(&browser, 10).await?;
    }
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn no_screen_breaks_a_rule_of_accessibility() -> Done {
    let (_turn, app, browser) = start().await;
    patient(&browser).await?;
    browser.goto(&app.address).await?;
    let mut wrong = Vec::new();
    for colours in ["light", "dark"] {
        scheme(&browser, colours).await?;
        browser.find("[data-song='The Weir']").await?;
        check(&browser, &mut wrong, &format!("shelf, {colours}")).await?;
        open_causeway(&app, &browser).await?;
        if colours == "light" {
            check(&browser, &mut wrong, "an untouched part").await?;
            browser.click("[data-start='One good take']").await?;
        }
        unfold(&browser).await?;
        browser.until("document.querySelectorAll('[data-pass]').length > 6").await?;
        browser.click("[data-pass=loosen] [aria-expanded]").await?;
        browser.keys("tf").await?;
        check(&browser, &mut wrong, &format!("passes and figures, {colours}")).await?;
        for kind in ["arc", "ghosts", "sticking"] {
            if colours == "light" {
                add_pass(&browser, kind, kind).await?;
            } else {
                browser.click(&format!("[data-pass={kind}] [aria-expanded]")).await?;
            }
            check(&browser, &mut wrong, &format!("{kind}, {colours}")).await?;
        }
        browser.press("Closed hat").await?;
        browser.keys("s").await?;
        check(&browser, &mut wrong, &format!("an opened, stacked row, {colours}")).await?;
        browser.press("Closed hat").await?;
        browser.keys("fsp").await?;
        check(&browser, &mut wrong, &format!("pockets, {colours}")).await?;
        browser.keys("pg").await?;
        browser.find("[data-groove-picture]").await?;
        check(&browser, &mut wrong, &format!("grooves, {colours}")).await?;
        browser.keys("g").await?;
        browser.keys("k").await?;
        browser.click("[data-stroke='snare acoustic']").await?;
        check(&browser, &mut wrong, &format!("the kit, {colours}")).await?;
        browser.click("[data-kit='Large kit, both hands'] button").await?;
        browser.find("[data-exchange]").await?;
        check(&browser, &mut wrong, &format!("another kit, {colours}")).await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("k").await?;
        browser.find("[data-rows] canvas").await?;
        browser.keys("d").await?;
        browser.find("[data-pad]").await?;
        check(&browser, &mut wrong, &format!("the pads, {colours}")).await?;
        browser.keys("db").await?;
        browser.find("[data-drawing]").await?;
        check(&browser, &mut wrong, &format!("drawing, {colours}")).await?;
        browser.click("[data-bars]").await?;
        browser.find("[aria-label='Laid over bar']").await?;
        check(&browser, &mut wrong, &format!("bars, {colours}")).await?;
        browser.keys(&key::ESCAPE.to_string()).await?;
        browser.until("!document.querySelector(\"[aria-label='Laid over bar']\")").await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("b").await?;
        browser.click("button[aria-label=Record]").await?;
        browser.find("[data-open-devices]").await?;
        check(&browser, &mut wrong, &format!("recording, {colours}")).await?;
        browser.click("[data-open-devices]").await?;
        browser.find("[data-input]").await?;
        check(&browser, &mut wrong, &format!("devices, {colours}")).await?;
        browser.press("Back to the rows").await?;
        browser.click("button[aria-label=Record]").await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("n").await?;
        browser.find("[data-study]").await?;
        check(&browser, &mut wrong, &format!("findings, {colours}")).await?;
        browser.click("[data-study]").await?;
        browser.click("section[aria-label='Learn from another part'] input").await?;
        browser.click_at("//*[@role='option'][contains(., 'The Weir')]").await?;
        browser.find("[data-apart=snare]").await?;
        browser.run("document.activeElement.blur()").await?;
        check(&browser, &mut wrong, &format!("a study, {colours}")).await?;
        browser.press("What counts").await?;
        browser.find("input[value]").await?;
        check(&browser, &mut wrong, &format!("what counts, {colours}")).await?;
        browser.keys(&key::ESCAPE.to_string()).await?;
        browser.press("Passes").await?;
        browser.run("document.activeElement.blur()").await?;
        browser.keys("/").await?;
        browser.find("[role=option]").await?;
        check(&browser, &mut wrong, &format!("the palette, {colours}")).await?;
        browser.keys(&key::ESCAPE.to_string()).await?;
        browser.goto(&app.address).await?;
        browser.click("[data-begin]").await?;
        browser.find("input[placeholder='New song']").await?;
        check(&browser, &mut wrong, &format!("a song begins, {colours}")).await?;
        browser.press("Begin").await?;
        browser.find("[data-drawing]").await?;
        check(&browser, &mut wrong, &format!("an empty song, {colours}")).await?;
        browser.click("[data-bars]").await?;
        browser.click_at("//label[.//text()='Tempo and metre']").await?;
        browser.find("[aria-label='Bars of the song']").await?;
        check(&browser, &mut wrong, &format!("tempo and metre, {colours}")).await?;
        browser.goto(&app.address).await?;
        browser.click("[data-shelf-menu]").await?;
        browser.press("Backups …").await?;
        browser.find("[data-backups]").await?;
        check(&browser, &mut wrong, &format!("backups, {colours}")).await?;
        browser.goto(&app.address).await?;
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    browser.close().await
}
