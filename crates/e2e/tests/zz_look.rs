use vivida_e2e::*;
#[tokio::test(flavor = "multi_thread")]
async fn look() -> Result<(), Failed> {
    let (_turn, app, browser) = start().await;
    browser.resize(1280, 800).await?;
    open_causeway(&app, &browser).await?;
    browser.press("Drums").await?;
    tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    std::fs::write("/tmp/l0.png", browser.picture().await?).unwrap();
    browser.press("Split by instruments …").await?;
    tokio::time::sleep(std::time::Duration::from_millis(600)).await;
    std::fs::write("/tmp/l1.png", browser.picture().await?).unwrap();
    browser.keys(&key::ESCAPE.to_string()).await?;
    let tracks = "return fetch('/api/v1/songs/1/export.mid?split=true').then((r) => r.arrayBuffer()).then((all) => [...new Uint8Array(all)])";
    let tracks: Vec<u8> = serde_json::from_value(browser.run(tracks).await?).expect("bytes");
    import(&app, &browser, "tracks.mid", &tracks).await?;
    browser.click("[data-song='tracks'] a").await?;
    browser.until("document.querySelector('[data-join-offer]')?.textContent.includes('9 tracks')").await?;
    tokio::time::sleep(std::time::Duration::from_millis(900)).await;
    std::fs::write("/tmp/l2.png", browser.picture().await?).unwrap();
    browser.press("Join them").await?;
    browser.until("document.querySelectorAll('[data-instrument]').length === 9").await?;
    tokio::time::sleep(std::time::Duration::from_millis(900)).await;
    browser.press("Drums").await?;
    tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    std::fs::write("/tmp/l3.png", browser.picture().await?).unwrap();
    browser.press("Join with other parts …").await?;
    tokio::time::sleep(std::time::Duration::from_millis(600)).await;
    std::fs::write("/tmp/l4.png", browser.picture().await?).unwrap();
    browser.close().await
}
