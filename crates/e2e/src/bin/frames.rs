//! How evenly the page draws while hands are on it, and how soon: `cargo xtask bench`. Figures are printed; machines
//! differ, so ratios alone are judged.

use serde_json::Value;
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

const SOFT: &str = "[data-instrument='closed-hat'] [data-handle=soft]";

#[tokio::main]
async fn main() -> Done {
    two_thousand_hits_are_dragged().await?;
    the_picture_follows_the_pointer().await?;
    a_large_part_opens().await?;
    a_shelf_of_five_hundred_songs_is_flung_and_searched().await?;
    a_lane_of_fifty_thousand_values_is_zoomed_as_a_part_without_it().await
}

/// Calls `move(step)` once a frame, 180 times, and gives the milliseconds between frames, the shortest first.
const EACH_FRAME: &str = "const frames = []; let before = performance.now();
    for (let step = 0; step < 180; step++) {
        move(step);
        await new Promise(requestAnimationFrame);
        const now = performance.now();
        frames.push(now - before);
        before = now;
    }
    frames.sort((a, b) => a - b);
    return frames;";

async fn frames(browser: &Browser, prepare: &str) -> Result<[f64; 3], Failed> {
    let script = format!("return (async () => {{ {prepare}; {EACH_FRAME} }})()");
    let all: Vec<f64> = serde_json::from_value(browser.run(&script).await?).expect("milliseconds");
    let share = |share: f64| all[((all.len() - 1) as f64 * share).round() as usize];
    Ok([share(0.5), share(0.9), share(0.99)])
}

async fn two_thousand_hits_are_dragged() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    browser.click("[data-song='Kiln Yard'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    // The whole song and timing eight times as large: as much is drawn as can be.
    for (name, keys) in [
        ("four bars", ""),
        ("four bars, timing × 8", "tt"),
        ("the whole song", "0"),
        ("four bars, findings open", "1n"),
    ] {
        browser.run("document.activeElement.blur()").await?;
        browser.keys(keys).await?;
        tokio::time::sleep(Duration::from_millis(600)).await;
        let drag = "const handle = document.querySelector(\"[data-instrument='closed-hat'] [data-handle=soft]\");
            const box = handle.getBoundingClientRect();
            const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
            const send = (kind, dy) => handle.dispatchEvent(new PointerEvent(kind, {bubbles: true, button: 0, buttons: 1,
                pointerId: 1, isPrimary: true, clientX: x, clientY: y + dy}));
            handle.setPointerCapture = () => {};
            send('pointerdown', 0);
            const move = (step) => send(step < 179 ? 'pointermove' : 'pointerup', 40 * Math.sin(step / 9));";
        let [median, most, p99] = frames(&browser, drag).await?;
        println!("2 184 hits dragged, {name}: a frame in {median:.1} ms, 90 % in {most:.1}, 99 % in {p99:.1}");
    }
    kept(&browser, 3, "passes.length > 0").await?;
    browser.close().await
}

/// From the pointer to the picture, moves 60 ms apart, in parts of some, many and very many hits.
async fn the_picture_follows_the_pointer() -> Done {
    let (_turn, app, browser) = start().await;
    let drag = format!(
        "return (async () => {{
            const handle = document.querySelector(\"{SOFT}\");
            const box = handle.getBoundingClientRect();
            handle.setPointerCapture = () => {{}};
            const send = (kind, dy) => handle.dispatchEvent(new PointerEvent(kind, {{bubbles: true, button: 0, buttons: 1,
                pointerId: 1, isPrimary: true, clientX: box.x + box.width / 2, clientY: box.y + box.height / 2 + dy}}));
            send('pointerdown', 0);
            for (let step = 0; step < 60; step++) {{
                send('pointermove', 10 + 20 * Math.sin(step / 3));
                await new Promise((resolve) => setTimeout(resolve, 60));
                // The first ones add a pass.
                if (step === 9) window.vividaProbe.latencies.length = 0;
            }}
            send('pointerup', 10);
            const numbers = Array.from({{length: 100_000}}, () => Math.random());
            const begun = performance.now();
            numbers.sort((a, b) => a - b);
            const sort = performance.now() - begun;
            const all = [...window.vividaProbe.latencies].sort((a, b) => a - b);
            return [all.length, all[all.length >> 1], all[Math.floor(all.length * 0.9)], sort];
        }})()"
    );
    for hits in [2_184, 10_000, 100_000] {
        if hits > 2_184 {
            import(&app, &browser, &format!("large {hits}.mid"), &large_song(hits, 20)).await?;
            browser.click(&format!("[data-song='large {hits}'] a")).await?;
        } else {
            browser.goto(&app.address).await?;
            browser.click("[data-song='Kiln Yard'] a").await?;
        }
        browser.find(SOFT).await?;
        browser.rest().await?;
        let [count, median, most, sort]: [f64; 4] =
            serde_json::from_value(browser.run(&drag).await?).expect("milliseconds");
        println!(
            "{hits} hits: pointer to picture {median:.0} ms, 90 % in {most:.0} (of {count}); {:.2} and {:.2} of a sort of 100 000 numbers",
            median / sort,
            most / sort
        );
        assert!(count > 10.0, "the picture follows while the handle is dragged");
    }
    browser.close().await
}

async fn a_large_part_opens() -> Done {
    let (_turn, app, browser) = start().await;
    import(&app, &browser, "large.mid", &large_song(10_000, 20)).await?;
    let mut times = Vec::new();
    for _ in 0..5 {
        browser.find("[data-song=large] a").await?;
        let click = "window.vividaProbe.latencies.length = 0; window.opened = performance.now(); document.querySelector('[data-song=large] a').click()";
        browser.run(click).await?;
        browser.until("window.vividaProbe.latencies.length > 0").await?;
        let took = browser.run("return window.vividaProbe.shown - window.opened").await?;
        times.push(took.as_f64().expect("a time"));
        browser.client.back().await?;
    }
    times.sort_by(f64::total_cmp);
    println!("opening 10 000 hits of 20 instruments: {:.0} ms from click to picture (median of 5)", times[2]);
    assert!(times[0] > 0.0);
    browser.close().await
}

async fn a_shelf_of_five_hundred_songs_is_flung_and_searched() -> Done {
    let (_turn, app, browser) = start().await;
    browser.goto(&app.address).await?;
    // In pieces, so that no script takes longer than a browser lets it.
    for from in (0..494).step_by(100) {
        let to = (from + 100).min(494);
        let fill = format!(
            "return (async () => {{
                const song = await fetch('/api/v1/songs/2/original').then((r) => r.arrayBuffer());
                for (let number = {from}; number < {to}; number++)
                    await fetch(`/api/v1/songs?file_name=Song ${{number}}.mid`, {{method: 'POST', body: song}});
            }})()"
        );
        browser.run(&fill).await?;
    }
    browser.goto(&app.address).await?;
    browser.until("document.body.textContent.includes('500 songs')").await?;
    browser.find("[data-song='Song 493']").await?;
    let [median, most, p99] = frames(&browser, "const move = () => window.scrollBy(0, 90);").await?;
    println!("500 songs flung: a frame in {median:.1} ms, 90 % in {most:.1}, 99 % in {p99:.1}");
    browser.until("!document.querySelector(\"[data-song='Song 493']\")").await?;

    // From each key of a search to the frame that shows what it found.
    browser.run("window.scrollTo(0, 0)").await?;
    tokio::time::sleep(Duration::from_millis(600)).await;
    let search = "return (async () => {
        const field = document.querySelector('[aria-label=\"Search the songs\"]');
        const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
        const took = [];
        for (const text of ['k', '', 's', 'so', 'song ', 'song 4', 'song 47', 'song 471']) {
            const from = performance.now();
            set.call(field, text);
            field.dispatchEvent(new Event('input', {bubbles: true}));
            await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
            took.push(Math.round(performance.now() - from));
        }
        return took;
    })()";
    println!("a key of the search is shown after, in ms: {}", browser.run(search).await?);
    browser.until("document.querySelectorAll('[data-song]').length === 1").await?;
    browser.find("[data-song='Song 471']").await?;
    browser.close().await
}

/// A hat on every beat; with a line, 50 000 values of expression over it.
fn hats(line: bool) -> Vec<u8> {
    use midly::num::{u4, u7, u15, u28};
    use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
    let event = |delta: u32, message| TrackEvent {
        delta: u28::from(delta),
        kind: TrackEventKind::Midi { channel: u4::from(9), message },
    };
    let mut track = Vec::new();
    for place in 0..50_000u32 {
        let value = 64.0 + 40.0 * (f64::from(place) / 900.0).sin() + f64::from(place * 37 % 19);
        let (controller, value) = (u7::from(11), u7::from(value as u8));
        if line {
            track.push(event(2, MidiMessage::Controller { controller, value }));
        }
        if place % 240 == 0 {
            let since = if line || place == 0 { 0 } else { 480 };
            track.push(event(since, MidiMessage::NoteOn { key: u7::from(42), vel: u7::from(90) }));
            track.push(event(0, MidiMessage::NoteOff { key: u7::from(42), vel: u7::from(64) }));
        }
    }
    track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    let header = Header { format: Format::SingleTrack, timing: Timing::Metrical(u15::from(480)) };
    let mut bytes = Vec::new();
    Smf { header, tracks: vec![track] }.write_std(&mut bytes).expect("memory can be written to");
    bytes
}

/// All of a part in view, and a little more or less with each frame: the time of a frame, and how often what was drawn
/// for how long, in ms.
async fn zoomed(app: &App, browser: &Browser, name: &str, bytes: &[u8]) -> Result<([f64; 3], Value), Failed> {
    import(app, browser, &format!("{name}.mid"), bytes).await?;
    browser.click(&format!("[data-song='{name}'] a")).await?;
    browser.find("[data-instrument='closed-hat'] canvas").await?;
    browser.rest().await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("0").await?;
    tokio::time::sleep(Duration::from_millis(600)).await;
    let zoom = "window.vividaProbe.drawing.length = 0;
        const area = document.querySelector(\"[data-instrument='closed-hat'] [data-hits]\");
        const box = area.getBoundingClientRect();
        const move = (step) => area.dispatchEvent(new WheelEvent('wheel', {bubbles: true, cancelable: true, ctrlKey: true,
            clientX: box.x + box.width / 2, clientY: box.y + 10, deltaY: step % 20 < 10 ? -12 : 12}));";
    let frame = frames(browser, zoom).await?;
    let drawing = browser
        .run("const d = [...window.vividaProbe.drawing].sort((a, b) => a - b); return [d.length, d[d.length >> 1], d[d.length - 1]]")
        .await?;
    Ok((frame, drawing))
}

async fn a_lane_of_fifty_thousand_values_is_zoomed_as_a_part_without_it() -> Done {
    let (_turn, app, browser) = start().await;
    let mut medians = Vec::new();
    for (name, line) in [("Without a line", false), ("With a line", true)] {
        let ([median, most, p99], drawing) = zoomed(&app, &browser, name, &hats(line)).await?;
        println!("{name}: a frame in {median:.1} ms, 90 % in {most:.1}, 99 % in {p99:.1}; drawn {drawing}");
        assert!(drawing[0].as_u64().expect("a count") > 60, "{drawing}: nothing was drawn");
        medians.push(median);
    }
    browser.find("[data-lane='controller-11'] canvas").await?;
    look(&browser, "long-line").await?;
    assert!(medians[1] <= 1.5 * medians[0], "{medians:?}");
    browser.close().await
}
