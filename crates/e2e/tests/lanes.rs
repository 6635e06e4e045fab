//! Lines around the hits, and hits that move: drawn, shaped, heard and taken away.

use crate::everything::{check, scheme};
use serde_json::{Value, json};
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// The drums of The Weir, which have a lane of the hat pedal: its part's number.
async fn open_weir(app: &App, browser: &Browser) -> Result<u32, Failed> {
    browser.goto(&app.address).await?;
    let songs = ask(browser, "/songs").await?;
    let weir = songs.as_array().expect("songs").iter().find(|song| song["name"] == "The Weir").expect("The Weir");
    let part = weir["parts"][0]["id"].as_u64().expect("a part") as u32;
    browser.goto(&format!("{}/songs/{}/parts/{part}", app.address, weir["id"])).await?;
    browser.find("[data-lane='controller-4'] canvas").await?;
    browser.rest().await?;
    Ok(part)
}

/// A lane of a part as it is played.
async fn lane(browser: &Browser, part: u32, kind: &str) -> Result<Value, Failed> {
    let detail = ask(browser, &format!("/parts/{part}")).await?;
    let lanes = detail["performance"]["lanes"].as_array().expect("lanes").clone();
    Ok(lanes.into_iter().find(|lane| lane["kind"] == kind).unwrap_or_default())
}

pub(crate) fn numbers(value: &Value) -> Vec<f64> {
    value.as_array().expect("numbers").iter().map(|one| one.as_f64().expect("a number")).collect()
}

/// Presses in a lane, so far from its left (0 to 1) and from its top.
async fn press_in(browser: &Browser, kind: &str, x: f64, y: f64) -> Done {
    let script = format!(
        "const box = document.querySelector(\"[data-lane='{kind}'] [data-lane-area]\").getBoundingClientRect();
        return [box.left + box.width * {x}, box.top + box.height * {y}]"
    );
    let [x, y]: [f64; 2] = serde_json::from_value(browser.run(&script).await?).expect("a place");
    browser.drag_from(x, y, 0.0, 0.0).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_fade_and_a_swell_are_drawn_and_nothing_else_is_touched() -> Done {
    let (_turn, app, browser) = start().await;
    let part = open_weir(&app, &browser).await?;
    let before = ask(&browser, &format!("/parts/{part}")).await?;
    // A row for expression, which the part has none of.
    browser.click("[data-rows-menu]").await?;
    browser.click("[data-add-lane]").await?;
    browser.click_at("//*[@role='option'][normalize-space()='expression']").await?;
    within(&browser, "[data-rows-menu]").await?;
    browser.keys(&key::ESCAPE.to_string()).await?;
    browser.find("[data-lane='controller-11']").await?;
    // The loop is four bars: a fade over them by a pass of its own.
    browser.press("shape expression").await?;
    look(&browser, "lane-menu").await?;
    browser.press("Ramp over the loop").await?;
    kept(&browser, part, "passes[0]?.action.kind === 'lane-ramp'").await?;
    let fade = lane(&browser, part, "controller-11").await?;
    let (values, ticks) = (numbers(&fade["values"]), numbers(&fade["ticks"]));
    assert_eq!((values[0], values[values.len() - 1]), (127.0, 40.0));
    assert!(values.windows(2).all(|pair| pair[0] > pair[1]) && fade["drawn"] == true, "{values:?}");
    // A line with points over it: pressed at three places, one dragged up, one turned into a curve.
    for (x, y) in [(0.55, 0.8), (0.75, 0.5), (0.95, 0.2)] {
        press_in(&browser, "controller-11", x, y).await?;
        browser.rest().await?;
        look(&browser, "lane-pressed").await?;
    }
    kept(&browser, part, "passes[1]?.action.points?.length === 3").await?;
    browser.drag("[data-lane='controller-11'] [data-lane-point='2']", 0.0, -30.0).await?;
    kept(&browser, part, "passes[1].action.points[2].value === 127").await?;
    browser.run("document.querySelector(\"[data-lane='controller-11'] [data-lane-point='1']\").focus()").await?;
    browser.keys(&key::ENTER.to_string()).await?;
    kept(&browser, part, "passes[1].action.points[1].way === 'curved'").await?;
    look(&browser, "lane-drawn").await?;
    let mut wrong = Vec::new();
    check(&browser, &mut wrong, "lanes").await?;
    assert_eq!(wrong, Vec::<String>::new());
    let swell = lane(&browser, part, "controller-11").await?;
    // Behind the last point the fade goes on: it is above it that the swell ends.
    let top = numbers(&swell["values"]).iter().rposition(|value| *value == 127.0);
    assert!(top > Some(10), "{swell}");
    assert!(numbers(&swell["ticks"]).iter().any(|tick| !ticks.contains(tick)));
    // Hits and the other lane are as they were.
    let after = ask(&browser, &format!("/parts/{part}")).await?;
    for field in ["timing", "velocities"] {
        assert_eq!(before["performance"][field], after["performance"][field]);
    }
    assert_eq!(lane(&browser, part, "controller-4").await?["values"], before["performance"]["lanes"][0]["values"]);
    // In the dark and in a narrow window, too.
    browser.resize(1024, 700).await?;
    scheme(&browser, "dark").await?;
    browser.find("[data-lane='controller-11'] [data-lane-point='1']").await?;
    check(&browser, &mut wrong, "lanes in the dark").await?;
    look(&browser, "lane-dark").await?;
    assert_eq!(wrong, Vec::<String>::new());
    browser.run("document.querySelector(\"[data-lane='controller-11'] [data-lane-point='0']\").focus()").await?;
    browser.keys(&key::DELETE.to_string()).await?;
    kept(&browser, part, "passes[1].action.points.length === 2").await?;
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn place_level_and_brightness_have_three_handles_each() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    for (place, (property, words)) in
        [("place", "place, in %"), ("level", "level, in dB"), ("brightness", "brightness, in %")]
            .into_iter()
            .enumerate()
    {
        browser.click("[data-property-menu]").await?;
        browser.click_at(&format!("//*[@role='menuitem'][starts-with(normalize-space(), '{words}')]")).await?;
        browser.find(&format!("[data-instrument='snare'] [data-portrait='{property}']")).await?;
        // Widened upward, then all shifted by keys.
        browser.drag("[data-instrument='snare'] [data-handle='hard'] circle", 0.0, -25.0).await?;
        kept(
            &browser,
            1,
            &format!("passes[{place}]?.action.property === '{property}' && passes[{place}].action.hard > 0"),
        )
        .await?;
        browser.run("document.querySelector(\"[data-instrument='snare'] [data-handle='typical']\").focus()").await?;
        browser.keys(&key::UP.to_string().repeat(3)).await?;
        browser.rest().await?;
        look(&browser, property).await?;
    }
    let part = ask(&browser, "/parts/1").await?;
    let moving: Vec<&str> =
        part["performance"]["movement"].as_array().unwrap().iter().filter_map(|one| one["property"].as_str()).collect();
    assert_eq!(moving, ["place", "level", "brightness"]);
    // Off, all of it is as it was.
    browser
        .run("document.querySelectorAll('[data-pass=shape] input[type=checkbox]').forEach((one) => one.click())")
        .await?;
    kept(&browser, 1, "passes.every((pass) => !pass.on)").await?;
    assert_eq!(ask(&browser, "/parts/1").await?["performance"]["movement"], json!([]));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_hat_opens_as_it_is_struck_and_a_pedal_is_cleaned() -> Done {
    let (_turn, app, browser) = start().await;
    let part = open_weir(&app, &browser).await?;
    let written = lane(&browser, part, "controller-4").await?;
    for (item, kind) in [("Smooth", "lane-smooth"), ("Thin", "lane-thin")] {
        browser.press("shape hat pedal").await?;
        browser.press(item).await?;
        browser.find(&format!("[data-pass='{kind}']")).await?;
        browser.rest().await?;
    }
    let said = browser.text("[data-pass='lane-thin']").await?;
    assert!(said.contains("values are left"), "{said}");
    let thinned = lane(&browser, part, "controller-4").await?;
    assert!(numbers(&thinned["ticks"]).len() < numbers(&written["ticks"]).len());
    look(&browser, "pedal").await?;
    // It goes with its hats: they are leaned, and it comes along.
    let lean = format!(
        "return fetch('/api/v1/parts/{part}').then((r) => r.json()).then((p) => fetch('/api/v1/parts/{part}', {{method: 'PUT',
            headers: {{'Content-Type': 'application/json'}}, body: JSON.stringify({{revision: p.state.revision, label: 'lean',
            recipe: {{passes: [{{id: 1, action: {{kind: 'lean', by: 20}}}}]}}}})}})).then((r) => r.status)"
    );
    assert_eq!(browser.run(&lean).await?, 200);
    let carried = lane(&browser, part, "controller-4").await?;
    let (was, now) = (numbers(&written["ticks"]), numbers(&carried["ticks"]));
    let later = was.iter().zip(&now).filter(|(was, now)| *now - *was > 20.0).count();
    assert!(later > was.len() / 2, "{later} of {}", was.len());
    // The pedal follows how hard the ride is struck.
    let follow = lean.replace("kind: 'lean', by: 20", "kind: 'lane-follow'");
    assert_eq!(browser.run(&follow).await?, 200);
    let made = lane(&browser, part, "controller-4").await?;
    assert!(made["drawn"] == true && numbers(&made["values"]).iter().any(|value| *value > 60.0));
    browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn what_moves_is_exported_and_what_does_not_come_through_is_said() -> Done {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    browser.press("Closed hat").await?;
    browser.click("[data-property-menu]").await?;
    browser.click_at("//*[@role='menuitem'][starts-with(normalize-space(), 'pitch')]").await?;
    add_pass(&browser, "vary", "vary").await?;
    kept(&browser, 1, "passes[0]?.action.property === 'pitch'").await?;
    browser.click("[data-export-menu]").await?;
    browser.find("[data-movement]").await?;
    within(&browser, "[data-export-menu]").await?;
    let said = browser.text("[role=dialog]").await?;
    assert!(said.contains("another hit sounds on their channel"), "{said}");
    look(&browser, "export-moving").await?;
    browser.click("[data-movement]").await?;
    look(&browser, "export-choices").await?;
    browser.click_at("//*[@role='option'][starts-with(normalize-space(), 'A channel for each instrument')]").await?;
    let said = browser.text("[role=dialog]").await?;
    assert!(said.contains("Channels of their own: Closed hat on 1.") || said.contains("Closed hat on "), "{said}");
    let address = browser.run("return document.querySelector('[data-export=midi]').href").await?;
    let address = address.as_str().expect("an address");
    assert!(address.contains("movement=channels"), "{address}");
    let bytes: Vec<u8> = serde_json::from_value(
        browser
            .run(&format!("return fetch('{address}').then((r) => r.arrayBuffer()).then((b) => [...new Uint8Array(b)])"))
            .await?,
    )
    .expect("bytes");
    let smf = midly::Smf::parse(&bytes).expect("a MIDI file");
    let bends = smf.tracks.iter().flatten().filter(|event| {
        matches!(event.kind, midly::TrackEventKind::Midi { message: midly::MidiMessage::PitchBend { .. }, .. })
    });
    let bends = bends.count();
    println!("{bends} bends");
    assert!(bends > 100, "{bends}");
    browser.close().await
}
