//! Playing in and out, with simulated devices.

use serde_json::{Value, json};
use std::time::Duration;
use vivida_e2e::*;

type Done = Result<(), Failed>;

async fn wait(seconds: f64) {
    tokio::time::sleep(Duration::from_secs_f64(seconds)).await;
}

/// How devices are set, as if somebody had done so before.
pub(crate) async fn with_devices(app: &App, browser: &Browser, pads: Value, more: Value) -> Done {
    browser.steady_sound().await?;
    browser.goto(&app.address).await?;
    let mut kept = json!({"simulated": true, "pads": pads});
    kept.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let script = format!(
        "return fetch('/api/v1/views/devices', {{method: 'PUT', headers: {{'Content-Type': 'application/json'}},
            body: JSON.stringify({kept})}}).then((answer) => answer.status)"
    );
    assert_eq!(browser.run(&script).await?, 204);
    Ok(())
}

/// Begins a song as the form proposes it: 100 bpm, 4/4, 8 bars.
async fn begin(app: &App, browser: &Browser) -> Result<u64, Failed> {
    browser.goto(&app.address).await?;
    browser.click("[data-begin]").await?;
    browser.press("Begin").await?;
    browser.find("[data-drawing]").await?;
    browser.press("Done").await?;
    part_id(browser).await
}

async fn part_id(browser: &Browser) -> Result<u64, Failed> {
    let id = browser.run("return Number(location.pathname.split('/').pop())").await?;
    Ok(id.as_u64().expect("a part is open"))
}

async fn written_of(browser: &Browser, part: u64) -> Result<Value, Failed> {
    Ok(ask(browser, &format!("/parts/{part}")).await?["written"].clone())
}

fn count(written: &Value, note: u64) -> usize {
    written["notes"].as_array().unwrap().iter().filter(|one| **one == note).count()
}

/// Records so many rounds of the loop.
async fn record(browser: &Browser, rounds: u32) -> Done {
    browser.run("document.activeElement.blur()").await?;
    browser.find("[data-recording]").await?;
    browser.click("[data-recording] > button").await?;
    browser.until("document.querySelector('[data-recording=on]')").await?;
    let reached = format!("window.vividaProbe.course.at(-1)?.round >= {rounds}");
    for _ in 0..60 {
        if browser.run(&format!("return Boolean({reached})")).await? == Value::Bool(true) {
            break;
        }
        wait(0.5).await;
    }
    browser.until(&reached).await?;
    browser.press("Stop recording").await?;
    browser.until("document.querySelector('[data-recording=idle]')").await
}

/// Sets the loop to some bars, and how recordings are made; the page is opened anew.
pub(crate) async fn set_view(browser: &Browser, part: u64, change: Value) -> Done {
    let script = format!(
        "const at = '/api/v1/views/part-{part}';
         return fetch(at).then((r) => r.json()).then((view) => fetch(at, {{method: 'PUT',
             headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{...view, ...{change}}})}}))
             .then((answer) => answer.status)"
    );
    // What the page itself has to keep comes first.
    wait(0.8).await;
    assert_eq!(browser.run(&script).await?, 204);
    let address = browser.run("return location.href").await?;
    browser.goto(address.as_str().unwrap()).await?;
    browser.find("[data-rows]").await?;
    browser.run("document.activeElement.blur()").await?;
    Ok(())
}

/// How far recorded hits lie from where they were struck in truth, in ms: of each stroke of the script that fell into
/// the recording. Also how many strokes have no hit, and how many hits no stroke.
async fn errors(browser: &Browser, part: u64, ticks_a_second: f64) -> Result<(Vec<f64>, usize, usize), Failed> {
    let script = format!(
        "return fetch('/api/v1/parts/{part}/recordings').then((r) => r.json())
            .then(([newest]) => fetch(`/api/v1/recordings/${{newest.id}}`)).then((r) => r.json()).then(({{rounds}}) => {{
                const {{script, course}} = window.vividaProbe;
                const place = (at) => {{
                    const anchor = course.findLast(({{audio}}) => audio <= at) ?? course[0];
                    return [anchor.round, anchor.second + (at - anchor.audio) * anchor.tempo];
                }};
                const hits = rounds.flatMap(({{round, ticks, notes}}) => ticks.map((tick, index) => ({{round, second: tick / {ticks_a_second}, note: notes[index]}})));
                const errors = [];
                let missing = 0;
                const last = Math.max(...hits.map(({{round, second}}) => 1000 * round + second));
                for (const {{at, note}} of script) {{
                    const [round, second] = place(at);
                    const near = hits.map((hit, index) => [Math.abs(hit.second - second), index])
                        .filter(([, index]) => hits[index].note === note && hits[index].round === round).sort((a, b) => a[0] - b[0]);
                    if (near.length > 0 && near[0][0] < 0.05) {{ errors.push(1000 * near[0][0]); hits.splice(near[0][1], 1); }}
                    // The script goes on behind the end.
                    else if (1000 * round + second < last) missing++;
                }}
                return [errors, missing, hits.length];
            }})"
    );
    Ok(serde_json::from_value(browser.run(&script).await?).expect("errors and counts"))
}

/// Notes from now on where the page itself stands still.
const WATCH: &str = "window.stalls = [];
    let last = performance.now();
    setInterval(() => {
        const now = performance.now();
        if (now - last > 100) window.stalls.push([last, now]);
        last = now;
    }, 10)";

/// There are as many hits as the figure has, or the page stood still: its pads strike nothing then.
async fn enough(browser: &Browser, enough: bool, found: impl std::fmt::Display) -> Done {
    let stalls = browser.run("return window.stalls.length").await?;
    assert!(enough || stalls.as_u64().unwrap() > 0, "{found}");
    Ok(())
}

/// Every stroke of the newest recording came to a hit, and nothing else did: so many.
async fn all_struck(browser: &Browser, part: u64) -> Result<usize, Failed> {
    let (errors, missing, left) = errors(browser, part, 1600.0).await?;
    assert!(left == 0 && missing == 0, "{missing} strokes came to nothing, {left} hits from nowhere");
    Ok(errors.len())
}

/// A beat is tapped round after round with a click and a count-in, by pads that come late and whose clock drifts.
#[tokio::test(flavor = "multi_thread")]
async fn a_beat_is_tapped_and_lies_where_it_was_struck() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let pads = json!({"figure": "beat", "latency": 40, "drift": 100, "spread": 8, "doubles": 6});
    with_devices(&app, &browser, pads, json!({"latencies": {"Simulated pads": 40}})).await?;
    let part = begin(&app, &browser).await?;
    set_view(&browser, part, json!({"loop": [1, 2], "recordBar": true, "countIn": "1", "recordAs": "over"})).await?;
    look(&browser, "record-bar").await?;
    browser.run(WATCH).await?;
    record(&browser, 2).await?;
    look(&browser, "recorded").await?;
    let (errors, missing, left) = errors(&browser, part, 1600.0).await?;
    let worst = errors.iter().copied().fold(0.0, f64::max);
    println!(
        "{} hits, at most {worst:.3} ms from where they were struck; {missing} missing, {left} too many",
        errors.len()
    );
    enough(&browser, errors.len() >= 40, format!("{errors:?}")).await?;
    assert!(errors.len() >= 20 && worst < 1.0, "{errors:?}");
    assert!(left == 0 && missing == 0, "{missing} strokes came to nothing, {left} hits from nowhere");
    let written = written_of(&browser, part).await?;
    assert!(written["ids"].as_array().unwrap().len() >= errors.len());
    // Exactly as played: in parts of ticks.
    let between = written["ticks"].as_array().unwrap().iter().filter(|tick| tick.as_f64().unwrap().fract() != 0.0);
    assert!(between.count() > 10);
    browser.click("[data-rounds]").await?;
    browser.find("[data-round='1']").await?;
    look(&browser, "rounds").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    // One step.
    browser.press("Undo").await?;
    browser.until("document.querySelector('[data-rounds]')").await?;
    wait(0.5).await;
    assert_eq!(written_of(&browser, part).await?["ids"].as_array().unwrap().len(), 0);
    browser.close().await
}

/// More than 2000 hits a minute while ten thousand are on the screen: none is lost.
#[tokio::test(flavor = "multi_thread")]
async fn a_storm_over_a_large_part_is_taken_whole() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    with_devices(&app, &browser, json!({"figure": "storm", "spread": 3, "seed": 9}), json!({})).await?;
    import(&app, &browser, "large.mid", &large_song(10_000, 20)).await?;
    browser.click("[data-song='large'] a").await?;
    browser.find("[data-instrument='closed-hat'] [data-handle=soft]").await?;
    let part = part_id(&browser).await?;
    let view = json!({"loop": [1, 4], "window": [0, 15360], "recordBar": true, "countIn": "none", "recordAs": "takes", "tempo": 1.5});
    set_view(&browser, part, view).await?;
    browser.run(WATCH).await?;
    record(&browser, 2).await?;
    let (errors, missing, left) = errors(&browser, part, 1920.0).await?;
    let worst = errors.iter().copied().fold(0.0, f64::max);
    println!("{} hits at 2160 a minute, at most {worst:.3} ms off; {missing} missing, {left} too many", errors.len());
    enough(&browser, errors.len() > 300, format!("{} hits", errors.len())).await?;
    assert!(errors.len() > 100 && worst < 1.0 && missing == 0 && left == 0, "{missing} {left}");
    browser.close().await
}

/// What came before the page is opened stays; what is laid over it comes in steps. Kick and snare first, then hats
/// over them, then the snare of bars 3 and 4 anew, and one figure that nobody pressed record for.
#[tokio::test(flavor = "multi_thread")]
async fn hats_are_laid_over_and_the_snare_of_two_bars_is_played_anew() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let pads = |figure: &str| json!({"figure": figure, "seed": 3, "spread": 5});
    with_devices(&app, &browser, pads("kick-and-snare"), json!({})).await?;
    let part = begin(&app, &browser).await?;
    let over =
        |bars: [u32; 2]| json!({"loop": bars, "recordBar": true, "countIn": "1", "recordAs": "over", "tempo": 1.5});
    set_view(&browser, part, over([1, 4])).await?;
    browser.run(WATCH).await?;
    record(&browser, 1).await?;
    let first = written_of(&browser, part).await?;
    enough(&browser, count(&first, 36) >= 12 && count(&first, 38) >= 8, &first).await?;
    assert_eq!(count(&first, 36) + count(&first, 38), all_struck(&browser, part).await?);
    assert_eq!(count(&first, 42), 0);

    with_devices(&app, &browser, pads("hats"), json!({})).await?;
    browser.goto(&format!("{}/songs/7/parts/{part}", app.address)).await?;
    browser.find("[data-recording]").await?;
    browser.run(WATCH).await?;
    record(&browser, 1).await?;
    let second = written_of(&browser, part).await?;
    enough(&browser, count(&second, 42) >= 30, &second).await?;
    assert_eq!(count(&second, 42), all_struck(&browser, part).await?);
    assert_eq!([36, 38].map(|note| count(&second, note)), [36, 38].map(|note| count(&first, note)));

    with_devices(&app, &browser, pads("beat"), json!({})).await?;
    browser.goto(&format!("{}/songs/7/parts/{part}", app.address)).await?;
    let instead = json!({"loop": [3, 4], "recordAs": "replace", "recordOnly": ["snare"]});
    set_view(&browser, part, instead).await?;
    look(&browser, "replace").await?;
    browser.run(WATCH).await?;
    record(&browser, 1).await?;
    let third = written_of(&browser, part).await?;
    assert_eq!([36, 42].map(|note| count(&third, note)), [36, 42].map(|note| count(&second, note)));
    let snares = |written: &Value, from: f64, to: f64| -> Vec<u64> {
        let all = written["ticks"].as_array().unwrap().iter().zip(written["notes"].as_array().unwrap());
        let own = all
            .zip(written["ids"].as_array().unwrap())
            .filter(|((tick, note), _)| **note == 38 && (from..to).contains(&tick.as_f64().unwrap()));
        own.map(|(_, id)| id.as_u64().unwrap()).collect()
    };
    assert_eq!(snares(&third, 0.0, 7680.0), snares(&second, 0.0, 7680.0));
    let anew = snares(&third, 7680.0, 15360.0);
    enough(&browser, anew.len() >= 3, &third).await?;
    assert!(!anew.is_empty() && anew.iter().all(|id| !snares(&second, 7680.0, 15360.0).contains(id)), "{anew:?}");

    // Nobody presses record: what was played is laid in all the same.
    set_view(&browser, part, json!({"loop": [5, 6], "recordAs": "over", "recordOnly": []})).await?;
    browser.run(WATCH).await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.course.at(-1)?.round >= 1").await?;
    browser.press("Stop").await?;
    browser.press("Last 2 min").await?;
    let mut kept = 0;
    for _ in 0..100 {
        kept = snares(&written_of(&browser, part).await?, 15360.0, 23040.0).len();
        if kept > 0 {
            break;
        }
        wait(0.1).await;
    }
    enough(&browser, kept >= 3, &json!(kept)).await?;
    assert!(kept > 0, "nothing is left of what nobody recorded");
    browser.close().await
}

/// The delay of a chain is found by eight bars of click, and taken out.
#[tokio::test(flavor = "multi_thread")]
async fn the_delay_of_a_chain_is_found_by_the_click() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let pads = json!({"figure": "beat", "latency": 87, "drift": -80, "spread": 4});
    with_devices(&app, &browser, pads, json!({})).await?;
    let part = begin(&app, &browser).await?;
    set_view(&browser, part, json!({"recordBar": true, "tempo": 1.6})).await?;
    browser.click("[data-open-devices]").await?;
    browser.find("[data-input='Simulated pads']").await?;
    look(&browser, "devices").await?;
    browser.click("[data-calibrate='Simulated pads']").await?;
    browser
        .until("document.querySelector(\"[data-calibrate='Simulated pads']\").textContent.includes('bar 2')")
        .await?;
    look(&browser, "calibrating").await?;
    let mut found = 0.0;
    for _ in 0..80 {
        wait(0.5).await;
        let kept = ask(&browser, "/views/devices").await?;
        found = kept["latencies"]["Simulated pads"].as_f64().unwrap_or(0.0);
        if found != 0.0 {
            break;
        }
    }
    println!("found {found} ms of 87");
    assert!((found - 87.0).abs() < 2.0, "{found}");
    look(&browser, "calibrated").await?;
    browser.close().await
}

/// A ride is tapped by hand against programmed drums: it becomes a take of its own, and the part's file stays.
#[tokio::test(flavor = "multi_thread")]
async fn a_ride_is_tapped_against_programmed_drums() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let pads = json!({"figure": "ride", "spread": 12, "late": 8, "seed": 5});
    with_devices(&app, &browser, pads, json!({})).await?;
    open_causeway(&app, &browser).await?;
    let part = part_id(&browser).await?;
    set_view(
        &browser,
        part,
        json!({"loop": [9, 12], "recordBar": true, "countIn": "none", "recordAs": "takes", "tempo": 1.6}),
    )
    .await?;
    let before = written_of(&browser, part).await?;
    record(&browser, 2).await?;
    browser.until("document.querySelector('[data-rounds]')").await?;
    look(&browser, "ride").await?;
    let detail = ask(&browser, &format!("/parts/{part}")).await?;
    let takes: Vec<&str> =
        detail["state"]["takes"].as_array().unwrap().iter().map(|take| take["name"].as_str().unwrap()).collect();
    assert!(takes.starts_with(&["As it came", "Round 1", "Round 2"]), "{takes:?}");
    let rides = count(&detail["written"], 51) - count(&before, 51);
    assert!(rides > 3, "{rides}");
    // It is late, and seen to be.
    let reading = detail["reading"]["instruments"]
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["instrument"].as_str().unwrap().starts_with("ride"));
    let late = reading.expect("the ride is measured")["figures"]["offset_mean"].as_f64().unwrap();
    println!("the ride is {late:.1} ms late");
    browser.press("Undo").await?;
    wait(1.0).await;
    assert_eq!(written_of(&browser, part).await?["ids"], before["ids"]);
    browser.close().await
}

/// Played is heard through an outside sampler: flips, tempo moves and seeks lose nothing and double nothing, what is
/// sent is due when it is played, and no note hangs.
#[tokio::test(flavor = "multi_thread")]
async fn a_sampler_elsewhere_plays_all_of_it_and_no_note_hangs() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let routes = json!({"routes": {"1": {"port": "Simulated sampler", "channel": 4}}, "deaf": ["Simulated pads"],
                        "clockTo": ["Simulated sampler"]});
    with_devices(&app, &browser, json!({}), routes).await?;
    open_causeway(&app, &browser).await?;
    set_view(&browser, 1, json!({"loop": [9, 10], "tempo": 2.0, "others": false})).await?;
    browser.find("[data-handle=soft]").await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.course.length > 0").await?;
    browser.run(WATCH).await?;
    // A thousand flips, by the page's own key.
    browser
        .run(
            "window.flips = 0;
             window.flipping = setInterval(() => {
                 document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'w', code: 'KeyW', bubbles: true}));
                 if (++window.flips >= 1000) clearInterval(window.flipping);
             }, 15)",
        )
        .await?;
    for _ in 0..120 {
        wait(0.5).await;
        if browser.run("return window.flips >= 1000").await? == Value::Bool(true) {
            break;
        }
    }
    let sent = "return (() => {
        const {sampler, course, scheduled} = window.vividaProbe;
        const ons = sampler.filter(({data}) => (data[0] & 0xf0) === 0x90);
        const rounds = new Map();
        for (const {at, hit} of scheduled) {
            const anchor = course.findLast(({audio}) => audio <= at + 0.2);
            const key = anchor?.round ?? -1;
            rounds.set(key, [...(rounds.get(key) ?? []), hit]);
        }
        // What was sent and what was due go together one to one, and by one distance of the two clocks.
        const apart = ons.slice(-scheduled.length).map(({at}, index) => at - 1000 * scheduled[scheduled.length - ons.slice(-scheduled.length).length + index].at);
        const steps = apart.slice(1).map((one, index) => Math.abs(one - apart[index])).filter((step) => step > 1).length;
        const late = sampler.filter(({at, came, data}) => (data[0] & 0xf0) === 0x90 && came > at + 5).length;
        return {ons: ons.length, scheduled: scheduled.length, steps, stalls: window.stalls.length,
            channels: [...new Set(ons.map(({data}) => data[0] & 15))], late, round: course.at(-1).round,
            keys: [...rounds.values()].map((hits) => [hits.length, new Set(hits).size])};
    })()";
    let found = browser.run(sent).await?;
    println!("after a thousand flips: {found}");
    assert_eq!(found["channels"], json!([4]));
    assert_eq!(found["ons"], found["scheduled"], "what was scheduled was sent once");
    assert!(found["round"].as_u64().unwrap() >= 3, "{found}");
    assert_eq!(found["steps"], 0, "{found}");
    // Every hit of the two bars sounds once a round: the first and the last are not whole.
    let causeway = written_of(&browser, 1).await?;
    let within = |tick: &Value| (8.0 * 3840.0..10.0 * 3840.0).contains(&tick.as_f64().unwrap());
    let all = causeway["ticks"].as_array().unwrap().iter().filter(|tick| within(tick)).count();
    let repeats = "return (() => {
        const {sampler, course} = window.vividaProbe;
        const offset = window.vividaProbe.scheduled[0].at - sampler.find(({data}) => (data[0] & 0xf0) === 0x90).at / 1000;
        const counts = new Map();
        for (const {data, at} of sampler) {
            if ((data[0] & 0xf0) !== 0x90) continue;
            const anchor = course.findLast(({audio}) => audio <= at / 1000 + offset + 0.02);
            if (anchor) counts.set(anchor.round, (counts.get(anchor.round) ?? 0) + 1);
        }
        const begins = (round) => 1000 * ((course.find((anchor) => anchor.round === round)?.audio ?? Infinity) - offset);
        const stalled = (round) => window.stalls.some(([from, to]) => to > begins(round) - 300 && from < begins(round + 1));
        return [...counts].map(([round, count]) => [count, stalled(round)]);
    })()";
    let counts: Vec<(usize, bool)> = serde_json::from_value(browser.run(repeats).await?).expect("counts");
    println!("each round was sent, while the page stood still or not: {counts:?} of {all}");
    // What was due while the page itself stood still is left out, as a note that comes late is worse than none.
    let whole = counts[1..counts.len() - 1].iter();
    assert!(whole.clone().all(|(count, stalled)| *count == all || *stalled && *count < all), "{counts:?} of {all}");

    // Tempo moves and seeks, then an end: nothing hangs.
    for (tempo, section) in [(1.3, "Lift 1"), (0.7, "Verse 2"), (1.9, "Break"), (1.0, "Verse 1")] {
        browser.click("[aria-label='Tempo for listening']").await?;
        browser.keys(&format!("{}{}", (96.0 * tempo) as u32, key::ENTER)).await?;
        browser.press(section).await?;
        wait(0.6).await;
    }
    browser.run("document.activeElement.blur()").await?;
    browser.press("Stop").await?;
    wait(0.5).await;
    let hanging = "return (() => {
        const held = new Map();
        for (const {data} of [...window.vividaProbe.sampler].sort((a, b) => a.at - b.at)) {
            const kind = data[0] & 0xf0, key = `${data[0] & 15} ${data[1]}`;
            if (kind === 0x90) held.set(key, (held.get(key) ?? 0) + 1);
            if (kind === 0x80) held.set(key, (held.get(key) ?? 0) - 1);
        }
        const pulses = window.vividaProbe.sampler.filter(({data}) => data[0] === 0xf8).length;
        return [[...held.values()].filter((count) => count > 0).length, pulses, window.vividaProbe.sampler.filter(({data}) => data[0] === 0xfa).length,
            window.vividaProbe.sampler.filter(({data}) => data[0] === 0xfb).length, window.vividaProbe.sampler.filter(({data}) => data[0] === 0xfc).length,
            window.vividaProbe.sampler.filter(({data}) => (data[0] & 0xf0) === 0xb0 && data[1] === 123).length];
    })()";
    let ends: Vec<u64> = serde_json::from_value(browser.run(hanging).await?).expect("counts");
    println!("notes that hang, pulses, starts, continues, stops, all notes off: {ends:?}");
    assert_eq!(ends[0], 0, "notes hang");
    assert!(ends[1] > 400 && ends[3] >= 3 && ends[4] >= 4 && ends[5] >= 1, "{ends:?}");
    browser.close().await
}

/// Another program keeps the time: it starts, its tempo is followed though it jitters, it stops.
#[tokio::test(flavor = "multi_thread")]
async fn another_clock_is_followed() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    with_devices(&app, &browser, json!({}), json!({"clockFrom": "Simulated clock", "deaf": ["Simulated pads"]}))
        .await?;
    let part = begin(&app, &browser).await?;
    set_view(&browser, part, json!({"recordBar": true, "looping": false})).await?;
    browser.click("[data-open-devices]").await?;
    browser.find("[data-followed]").await?;
    let jitter = "[aria-label='Jitter of the simulated clock']";
    let set = format!("document.querySelector(\"{jitter}\").value.startsWith('6')");
    for _ in 0..5 {
        browser.click(jitter).await?;
        chord(&browser, key::CONTROL, "a").await?;
        browser.keys("6").await?;
        if browser.run(&format!("return {set}")).await? == Value::Bool(true) {
            break;
        }
    }
    browser.until(&set).await?;
    browser.press("Start the clock").await?;
    browser.until("window.vividaProbe.course.length > 0").await?;
    wait(6.0).await;
    let text = browser.text("[data-followed]").await?;
    println!("{text}");
    look(&browser, "followed").await?;
    let bpm: f64 = text.split(' ').next().unwrap().parse().expect("a tempo");
    assert!((bpm - 120.0).abs() < 3.0 && text.contains("running; it jitters"), "{text}");
    // The song of 100 bpm goes as fast, and stands where the clock is.
    let course = browser.run("return window.vividaProbe.course.at(-1)").await?;
    assert!((course["tempo"].as_f64().unwrap() - 1.2).abs() < 0.04, "{course}");
    browser.press("Stop the clock").await?;
    browser.until("document.querySelector('[data-followed]').textContent.includes('stopped')").await?;
    browser.until("document.querySelector('[aria-label=Play]')").await?;
    browser.close().await
}

/// A column of a recording, its rounds one after the other.
fn struck(recording: &Value, column: &str) -> Vec<Value> {
    let rounds = recording["rounds"].as_array().expect("rounds");
    rounds.iter().flat_map(|round| round[column].as_array().expect("a column").clone()).collect()
}

/// What is struck comes out as the part's passes want it, at once; what is recorded stays as it was struck.
#[tokio::test(flavor = "multi_thread")]
async fn strokes_go_through_the_passes_at_once() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    with_devices(&app, &browser, json!({}), json!({"deaf": ["Simulated pads"]})).await?;
    open_causeway(&app, &browser).await?;
    let set =
        "return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => fetch('/api/v1/parts/1', {method: 'PUT',
        headers: {'Content-Type': 'application/json'}, body: JSON.stringify({revision: p.state.revision, label: 'set',
            recipe: {passes: [{id: 1, aim: {instruments: ['snare']}, action: {kind: 'set', to: 33, amount: 100}},
                              {id: 2, aim: {}, action: {kind: 'loosen'}}]}})})).then((r) => r.status)";
    assert_eq!(browser.run(set).await?, 200);
    set_view(
        &browser,
        1,
        json!({"pads": true, "recordBar": true, "countIn": "hit", "loop": [9, 9], "recordAs": "takes"}),
    )
    .await?;
    browser.find("[data-pad='snare']").await?;
    wait(1.0).await;
    browser.click("[data-recording] > button").await?;
    browser.until("document.querySelector('[data-recording=armed]')").await?;
    for _ in 0..3 {
        browser.click("[data-pad='snare']").await?;
        wait(0.3).await;
    }
    browser.until("window.vividaProbe.strokes.length >= 3").await?;
    let sent = browser.run("return window.vividaProbe.strokes").await?;
    assert!(sent.as_array().unwrap().iter().all(|stroke| stroke[1] == 33), "{sent}");
    look(&browser, "pads").await?;
    browser.press("Stop recording").await?;
    let mut recorded = Value::Null;
    for _ in 0..60 {
        wait(0.2).await;
        recorded = ask(&browser, "/parts/1/recordings").await?;
        if recorded[0]["kept"] == Value::Bool(true) {
            break;
        }
    }
    let rounds = ask(&browser, &format!("/recordings/{}", recorded[0]["id"])).await?;
    // How many rounds the three strokes fall into is up to how fast this machine clicks.
    assert_eq!(struck(&rounds, "notes"), [38, 38, 38], "{rounds}");
    assert!(struck(&rounds, "velocities").iter().all(|one| *one != 33), "{rounds}");
    // The first hit began the song: it lies where the loop begins.
    let begins = rounds["rounds"][0]["ticks"][0].as_f64().unwrap();
    println!("the first hit lies {:.2} ms behind the loop's beginning", (begins - 8.0 * 3840.0) / 1.536);
    assert!((begins - 8.0 * 3840.0).abs() < 40.0, "{begins}");
    browser.find("[data-recording]").await?;
    browser.click("[data-open-devices]").await?;
    browser.find("[data-live]").await?;
    look(&browser, "live").await?;
    let said = browser.text("[data-live]").await?;
    assert!(said.contains("heard at once") && said.contains("not heard while playing"), "{said}");
    browser.close().await
}

/// The device goes in the midst of a take: what came stays. A recording that nobody laid in is offered when the part is
/// opened again. And a kit learns a note from a pad.
#[tokio::test(flavor = "multi_thread")]
async fn a_device_vanishes_a_page_is_closed_and_nothing_is_lost() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    with_devices(&app, &browser, json!({"figure": "storm", "spread": 3}), json!({})).await?;
    let part = begin(&app, &browser).await?;
    set_view(&browser, part, json!({"loop": [1, 2], "recordBar": true, "countIn": "none", "tempo": 1.6})).await?;
    browser.click("[data-recording] > button").await?;
    browser.until("document.querySelector('[data-recording=on]')").await?;
    wait(2.0).await;
    browser.click("[data-open-devices]").await?;
    browser.find("[data-input='Simulated pads']").await?;
    browser.run("document.querySelector(\"[aria-label='Listen to Simulated pads']\").click()").await?;
    wait(0.6).await;
    let sent = browser.run("return window.vividaProbe.script.length").await?;
    wait(1.0).await;
    assert_eq!(browser.run("return window.vividaProbe.script.length").await?, sent, "it is gone");
    browser.press("Stop recording").await?;
    let mut hits = 0;
    for _ in 0..60 {
        wait(0.1).await;
        hits = written_of(&browser, part).await?["ids"].as_array().unwrap().len();
        if hits > 0 {
            break;
        }
    }
    println!("{hits} hits came before the device went");
    assert!(hits > 20, "{hits}");
    // What is in the part is not remembered again.
    browser.press("Back to the rows").await?;
    browser.press("Last 2 min").await?;
    browser.until("document.body.textContent.includes('Nothing was struck')").await?;
    assert_eq!(written_of(&browser, part).await?["ids"].as_array().unwrap().len(), hits);
    browser.click("[data-open-devices]").await?;
    browser.find("[data-input='Simulated pads']").await?;
    // The page goes in the midst of a recording.
    browser.run("document.querySelector(\"[aria-label='Listen to Simulated pads']\").click()").await?;
    browser.press("Back to the rows").await?;
    browser.click("[data-recording] > button").await?;
    browser.until("document.querySelector('[data-recording=on]')").await?;
    wait(3.0).await;
    let address = browser.run("return location.href").await?;
    browser.goto("about:blank").await?;
    // Its pieces stop coming: it is over after six seconds.
    wait(6.5).await;
    browser.goto(address.as_str().unwrap()).await?;
    browser.until("document.querySelector('[data-rounds]')?.textContent.includes('not laid in')").await?;
    browser.click("[data-rounds]").await?;
    look(&browser, "not-laid-in").await?;
    browser.press("Lay it in").await?;
    let before = hits;
    for _ in 0..60 {
        wait(0.1).await;
        hits = written_of(&browser, part).await?["ids"].as_array().unwrap().len();
        if hits > before {
            break;
        }
    }
    assert!(hits > before + 20, "{hits}");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_kit_learns_a_note_from_a_pad() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    with_devices(&app, &browser, json!({"figure": "click"}), json!({})).await?;
    open_causeway(&app, &browser).await?;
    browser.keys("k").await?;
    browser.click("[data-make-mine]").await?;
    browser.find("[data-kit='My kit']").await?;
    browser.click("[data-stroke='snare acoustic']").await?;
    browser.click("[data-learn]").await?;
    // The simulated pads strike a side stick along with the song.
    browser.run("document.activeElement.blur()").await?;
    browser.keys(" ").await?;
    browser.until("!document.querySelector('[data-learn]')?.textContent.includes('strike a pad')").await?;
    let mut found = false;
    for _ in 0..40 {
        wait(0.1).await;
        let kits = ask(&browser, "/kits").await?;
        let mine = kits.as_array().unwrap().iter().find(|kit| kit["kit"]["name"] == "My kit").unwrap();
        let snare = mine["kit"]["instruments"].as_array().unwrap().iter().find(|one| one["id"] == "snare").unwrap();
        found = snare["articulations"].as_array().unwrap().iter().any(|way| way["note"] == 37);
        if found {
            break;
        }
    }
    assert!(found, "the snare is struck by note 37 now");
    browser.close().await
}

/// How devices were left is no work, and may be anything: the part opens all the same.
#[tokio::test(flavor = "multi_thread")]
async fn whatever_was_kept_of_devices_the_part_opens() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let odd = json!({"deaf": "all", "latencies": {"Pads on the screen": 1e9, "x": "late"}, "routes": {"1": null, "2": {"port": 3}},
        "clockTo": null, "clockFrom": 7, "touched": "yes", "midi": 1});
    with_devices(&app, &browser, json!({"figure": "polka", "spread": "wide"}), odd).await?;
    open_causeway(&app, &browser).await?;
    browser.click("button[aria-label=Record]").await?;
    browser.click("[data-open-devices]").await?;
    browser.find("[data-input='Simulated pads']").await?;
    let latency =
        browser.run("return document.querySelector(\"[aria-label='Latency of Pads on the screen']\").value").await?;
    assert_eq!(latency, "0 ms");
    browser.find("[data-route='2']").await?;
    browser.close().await
}
