use vivida_e2e::*;
#[tokio::test(flavor = "multi_thread")]
async fn look() -> Result<(), Failed> {
    let (_turn, app, browser) = start().await;
    open_causeway(&app, &browser).await?;
    let shot = async |name: &str| -> Result<(), Failed> {
        tokio::time::sleep(std::time::Duration::from_millis(700)).await;
        std::fs::write(format!("/tmp/{name}.png"), browser.picture().await?).unwrap();
        Ok(())
    };
    browser.keys("k").await?;
    browser.until("document.querySelector('[data-threads] path')").await?;
    shot("kit1").await?;
    browser.click("[data-kit='Large kit, both hands'] button").await?;
    browser.until("document.querySelector('[data-exchange]')").await?;
    shot("kit2").await?;
    browser.click("[data-take-kit]").await?;
    browser
        .until(
            "document.querySelectorAll('[data-kit-list] li').length >= 4 && !document.querySelector('[data-exchange]')",
        )
        .await?;
    browser.click("[data-stroke='snare acoustic']").await?;
    shot("kit3").await?;
    browser.click("[data-close-kit]").await?;
    browser.until("document.querySelector('[data-rows] canvas')").await?;
    shot("kit4").await?;
    browser.close().await
}
