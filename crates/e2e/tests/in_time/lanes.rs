//! Lines around the hits as they are heard and sent.

use super::recording::{set_view, with_devices};
use crate::everything::check;
use crate::lanes::numbers;
use serde_json::{Value, json};
use vivida_e2e::*;

type Done = Result<(), Failed>;

fn numbers_or_null(value: &Value) -> Vec<Option<f64>> {
    value.as_array().expect("numbers").iter().map(Value::as_f64).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn hats_rise_in_pitch_and_are_heard_so() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    open_causeway(&app, &browser).await?;
    browser.click("[data-property-menu]").await?;
    look(&browser, "property-menu").await?;
    browser.click_at("//*[@role='menuitem'][starts-with(normalize-space(), 'pitch')]").await?;
    browser.find("[data-instrument='closed-hat'] [data-portrait='pitch']").await?;
    browser.press("Closed hat").await?;
    // Where nothing moves the three handles fan out; the upper one is pulled up.
    browser.drag("[data-instrument='closed-hat'] [data-handle='hard'] circle", 0.0, -60.0).await?;
    kept(&browser, 1, "passes[0]?.action.property === 'pitch' && passes[0].action.hard > 10").await?;
    browser.rest().await?;
    let part = ask(&browser, "/parts/1").await?;
    let movement = &part["performance"]["movement"][0];
    assert_eq!(movement["property"], "pitch");
    let pitches = numbers(&movement["values"]);
    let instruments = numbers_or_null(&part["written"]["instruments"]);
    let hat = part["kit"]["instruments"].as_array().unwrap().iter().position(|one| one["id"] == "closed-hat").unwrap();
    let own = |index: usize| instruments[index] == Some(hat as f64);
    assert!(pitches.iter().enumerate().all(|(index, pitch)| own(index) || *pitch == 0.0), "others move");
    assert!(pitches.iter().any(|pitch| *pitch > 10.0));
    look(&browser, "pitch-portrait").await?;
    let mut wrong = Vec::new();
    check(&browser, &mut wrong, "pitch").await?;
    assert_eq!(wrong, Vec::<String>::new());
    // A swell is offered for what is shown: it rises over the loop, in cents.
    add_pass(&browser, "swell", "swell").await?;
    kept(&browser, 1, "passes[1]?.action.property === 'pitch'").await?;
    let sentence = browser.text("[data-pass=swell]").await?;
    assert!(sentence.contains("in pitch") && sentence.contains("cents"), "{sentence}");
    // It is heard: each hat is played as much faster as it is higher.
    browser.keys(" ").await?;
    browser.until("window.vividaProbe.scheduled.some((one) => one.moves?.pitch > 0)").await?;
    browser.keys(" ").await?;
    let scheduled =
        browser.run("return window.vividaProbe.scheduled.filter((one) => one.part === 1).map((one) => [one.hit, one.moves?.pitch ?? 0])").await?;
    let now = ask(&browser, "/parts/1").await?["performance"]["movement"][0]["values"].clone();
    for pair in scheduled.as_array().unwrap() {
        let index = pair[0].as_u64().unwrap() as usize;
        assert_eq!(pair[1].as_f64().unwrap(), now[index].as_f64().unwrap(), "hit {index}");
    }
    // One hit by hand: dragged up it is higher, and no louder.
    let at =
        "const row = document.querySelector(\"[data-instrument='closed-hat'] [data-hits]\").getBoundingClientRect();
        return [row.left, row.top, row.width, row.height]";
    let [left, top, width, height]: [f64; 4] = serde_json::from_value(browser.run(at).await?).expect("a box");
    let reach =
        ask(&browser, "/parts/1").await?["performance"]["reading"]["instruments"][hat]["movement"][0]["reach"].clone();
    let first = now.as_array().unwrap().iter().enumerate().find(|(index, _)| own(*index)).unwrap().1.as_f64().unwrap();
    let share = (64.0 + 63.0 * first / reach.as_f64().unwrap() - 1.0) / 126.0;
    let y = top + 9.0 + (1.0 - share) * (height - 18.0);
    let x = browser.run("return document.querySelector(\"[data-instrument='closed-hat'] [data-hits]\").getBoundingClientRect().left").await?;
    println!("the first hat lies at {y:.0} of {top} to {}, {left} to {}; {x}", top + height, left + width);
    browser.drag_from(left + 8.0, y, 0.0, -20.0).await?;
    kept(
        &browser,
        1,
        "passes.at(-1).action.moved?.[0]?.movement.pitch > 0 && passes.at(-1).action.moved[0].velocity === 0",
    )
    .await?;
    browser.close().await
}

/// Softer and harder hats in Causeway, a fade of expression over bars 9 and 10, and the pedal that follows the hats.
const LINES: &str = "[
    {id: 3, aim: {instruments: ['closed-hat']}, action: {kind: 'shape', soft: 30, typical: 70, hard: 120}},
    {id: 1, action: {kind: 'lane-line', lane: 'controller-11', points: [{bar: 9, value: 127}, {bar: 11, value: 0}]}},
    {id: 2, aim: {instruments: ['closed-hat', 'open-hat']}, action: {kind: 'lane-follow'}}]";

/// Other passes for Causeway.
async fn with_passes(browser: &Browser, passes: &str) -> Done {
    let script = format!(
        "return fetch('/api/v1/parts/1').then((r) => r.json()).then((p) => fetch('/api/v1/parts/1', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: p.state.revision,
            label: 'lines', recipe: {{passes: {passes}}}}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&script).await?, 200);
    Ok(())
}

/// Causeway with these lines, bars 9 and 10 in the loop.
async fn open_lines(app: &App, browser: &Browser) -> Done {
    open_causeway(app, browser).await?;
    with_passes(browser, LINES).await?;
    set_view(browser, 1, json!({"loop": [9, 10], "looping": true, "others": false})).await?;
    browser.find("[data-lane='controller-11'] canvas").await?;
    browser.rest().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawn_fade_is_heard_and_the_pedal_opens_the_hat() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    browser.steady_sound().await?;
    open_lines(&app, &browser).await?;
    browser.press("Play").await?;
    // Twice round.
    browser.until("window.vividaProbe.course.length > 2").await?;
    browser.press("Stop").await?;
    // What expression was set to, when that was in the song, and what the fade is there.
    let heard = "return (() => {
        const {lanes, course} = window.vividaProbe;
        return lanes.filter(([kind]) => kind === 'controller-11').map(([, factor, at]) => {
            const anchor = course.findLast(({audio}) => audio <= at + 1e-6);
            return [anchor ? anchor.second + (at - anchor.audio) : -1, factor];
        });
    })()";
    let heard: Vec<[f64; 2]> = serde_json::from_value(browser.run(heard).await?).expect("changes");
    let song = ask(&browser, "/songs/1").await?;
    let seconds = numbers(&song["bars"]["seconds"]);
    let (from, to) = (seconds[8], seconds[10]);
    let wrong: Vec<_> = heard
        .iter()
        .filter(|[second, factor]| {
            let share = 1.0 - (second - from) / (to - from);
            // Steps of a 32nd of a quarter note, and whole values.
            *second >= from && *second < to && (factor.sqrt() - share).abs() > 0.02
        })
        .collect();
    assert!(heard.len() > 150 && wrong.is_empty(), "{} changes; {wrong:?}", heard.len());
    assert!(heard.iter().any(|one| one[1] > 0.98) && heard.iter().any(|one| one[1] < 0.01));
    // Hats that are struck harder are heard open; what is written is as it was.
    let part = ask(&browser, "/parts/1").await?;
    let open: Vec<u64> = part["performance"]["by_pedal"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|one| one[1] == 46)
        .filter_map(|one| one[0].as_u64())
        .collect();
    assert!(!open.is_empty() && part["written"]["by_pedal"] == json!([]), "{}", part["performance"]["by_pedal"]);
    let notes = browser
        .run("return window.vividaProbe.scheduled.filter((one) => one.part === 1).map((one) => [one.hit, one.note])")
        .await?;
    let (ids, written) = (numbers(&part["written"]["ids"]), numbers(&part["written"]["notes"]));
    let mut opened = 0;
    for pair in notes.as_array().unwrap() {
        let hit = pair[0].as_u64().unwrap() as usize;
        let meant = if open.contains(&(ids[hit] as u64)) { 46.0 } else { pair[1].as_f64().unwrap() };
        assert_eq!(pair[1].as_f64().unwrap(), meant, "hit {hit}, written as {}", written[hit]);
        opened += usize::from(written[hit] == 42.0 && meant == 46.0);
    }
    assert!(opened > 4, "{opened} hats were opened");
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sampler_elsewhere_is_sent_the_lines_before_the_hits() -> Done {
    let (_turn, app, browser) = start_in_time().await;
    let routes = json!({"routes": {"1": {"port": "Simulated sampler", "channel": 4}}, "deaf": ["Simulated pads"]});
    with_devices(&app, &browser, json!({}), routes).await?;
    open_lines(&app, &browser).await?;
    browser.press("Play").await?;
    browser.until("window.vividaProbe.course.length > 1").await?;
    let sent = "return [...window.vividaProbe.sampler].map(({data, at}) => [...data, at])";
    let sent: Vec<[f64; 4]> = serde_json::from_value(browser.run(sent).await?).expect("messages of three bytes");
    let of = |status: f64, number: f64| sent.iter().filter(move |one| one[0] == status && one[1] == number);
    let fade: Vec<f64> = of(180.0, 11.0).map(|one| one[2]).collect();
    assert!(fade.len() > 60 && fade[0] > 120.0, "{fade:?}");
    // Each pedal value stands before the hat that it is for: at the hat the last value sent is the one that was followed.
    let part = ask(&browser, "/parts/1").await?;
    let velocities = numbers(&part["performance"]["velocities"]);
    let hats: Vec<(f64, f64)> =
        sent.iter().filter(|one| one[0] == 148.0 && one[1] == 42.0).map(|one| (one[2], one[3])).collect();
    assert!(hats.len() > 10 && velocities.len() > 100);
    let mut wrong = Vec::new();
    for (velocity, at) in &hats {
        let pedal = of(180.0, 4.0).rfind(|one| one[3] <= *at).map(|one| one[2]);
        let meant = (127.0 - (velocity - 1.0) / 126.0 * 127.0).round();
        if pedal.is_none_or(|pedal| (pedal - meant).abs() > 1.0) {
            wrong.push((*velocity, pedal, meant));
        }
    }
    assert!(wrong.is_empty(), "{wrong:?} of {}", hats.len());
    // Switched off, the lines come to rest.
    browser.press("Stop").await?;
    let before = sent.len();
    browser.run("document.querySelectorAll('[data-pass] input[type=checkbox]').forEach((one) => one.click())").await?;
    kept(&browser, 1, "passes.every((pass) => !pass.on)").await?;
    browser.press("Play").await?;
    browser
        .until(&format!(
            "[[11, 127], [4, 0]].every(([number, rest]) => window.vividaProbe.sampler.slice({before}).some(({{data}}) =>
                data[0] === 180 && data[1] === number && data[2] === rest))"
        ))
        .await?;
    browser.close().await
}
