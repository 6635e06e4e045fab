//! A part is heard through one's own sounds: a folder with an SFZ file, files dropped on a stroke.

use crate::everything::{check, scheme};
use std::path::PathBuf;
use vivida_e2e::*;

type Done = Result<(), Failed>;

/// The demo's folder of samples, on the disk.
pub(crate) fn folder(app: &App) -> PathBuf {
    let folder = app.folder().join("Boathouse");
    for (path, bytes) in vivida_demo::sample_folder() {
        let path = folder.join(path);
        std::fs::create_dir_all(path.parent().expect("it lies in a folder")).unwrap();
        std::fs::write(path, bytes).unwrap();
    }
    folder
}

/// The kit of the part, as one that can be changed.
pub(crate) async fn own_kit(app: &App, browser: &Browser) -> Done {
    open_causeway(app, browser).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.keys("k").await?;
    browser.until("document.querySelector('[data-threads] [data-note]')").await?;
    browser.click("[data-make-mine]").await?;
    browser.find("[data-own-sounds]").await?;
    Ok(())
}

pub(crate) async fn choose_folder(browser: &Browser, folder: &std::path::Path) -> Done {
    browser.type_into("input[aria-label='A folder of samples']", &folder.display().to_string()).await?;
    browser.find("[data-fitted]").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn files_come_to_one_stroke_and_go_again() -> Done {
    let (_turn, app, browser) = start().await;
    let folder = folder(&app);
    own_kit(&app, &browser).await?;
    browser.click("[data-stroke='snare side stick']").await?;
    let input = "input[aria-label='Sound files for this stroke']";
    let file = |name: &str| folder.join("snare").join(name).display().to_string();
    browser
        .type_into(input, &format!("{}\n{}", file("Snare Center v1 rr1.wav"), file("Snare Center v1 rr2.wav")))
        .await?;
    browser.find("[data-samples='2']").await?;
    assert!(browser.text("[data-samples]").await?.contains("1–127 · 1 of 2"));
    browser.type_into(input, &file("Snare Center v6 rr1.wav")).await?;
    browser.find("[data-samples='3']").await?;
    look(&browser, "own-sounds-stroke").await?;
    // Its fields and buttons lie within a small window.
    browser.resize(1024, 700).await?;
    browser.click("[data-samples] li button").await?;
    for css in ["[data-samples] li input", "[data-built-in]", "[data-own-sounds]"] {
        within(&browser, css).await?;
    }
    look(&browser, "own-sounds-small").await?;
    browser.resize(1280, 800).await?;
    // One less: its layer counts anew.
    browser.click("[aria-label='Remove Snare Center v1 rr2.wav']").await?;
    browser.find("[data-samples='2']").await?;
    assert!(!browser.text("[data-samples]").await?.contains("of 2"));
    browser.click("[data-built-in]").await?;
    browser.until("!document.querySelector('[data-samples]')").await?;
    browser.press("Undo in the kits").await?;
    browser.find("[data-samples='2']").await?;

    // One that is gone from the folder is seen, and comes back with the same file.
    let kits = ask(&browser, "/kits").await?;
    let samples = kits[0]["kit"]["instruments"]
        .as_array()
        .expect("instruments")
        .iter()
        .flat_map(|one| one["articulations"].as_array().expect("strokes"))
        .find_map(|way| way.get("samples"))
        .expect("samples")
        .clone();
    let sound = samples[0]["sound"].as_str().expect("a name");
    std::fs::remove_file(app.folder().join("sounds").join(sound)).unwrap();
    browser.client.refresh().await?;
    browser.find("[data-rows] canvas").await?;
    browser.keys("k").await?;
    browser.click("[data-stroke='snare side stick']").await?;
    browser.find("[data-samples] [data-gone]").await?;
    look(&browser, "own-sounds-gone").await?;
    // In both schemes it breaks no rule of accessibility.
    let mut wrong = Vec::new();
    for colours in ["dark", "light"] {
        scheme(&browser, colours).await?;
        browser.find("[data-rows] canvas").await?;
        browser.keys("k").await?;
        browser.click("[data-stroke='snare side stick']").await?;
        browser.find("[data-samples] [data-gone]").await?;
        browser.click("[data-samples] li button").await?;
        check(&browser, &mut wrong, &format!("own sounds, {colours}")).await?;
        look(&browser, &format!("own-sounds-{colours}")).await?;
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    browser.type_into(input, &file(samples[0]["name"].as_str().expect("a name"))).await?;
    browser.until("document.querySelector('[data-samples]') && !document.querySelector('[data-gone]')").await?;
    browser.close().await
}
