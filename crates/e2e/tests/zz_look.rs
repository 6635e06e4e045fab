use vivida_e2e::*;
#[tokio::test(flavor = "multi_thread")]
async fn look() -> Result<(), Failed> {
    let (_turn, app, browser) = start().await;
    browser.resize(1280, 800).await?;
    open_causeway(&app, &browser).await?;
    add_pass(&browser, "arc", "arc").await?;
    kept(&browser, 1, "passes[0]?.action.points.length > 4").await?;
    browser.drag("[data-arc-point='0']", 0.0, -30.0).await?;
    tokio::time::sleep(std::time::Duration::from_millis(900)).await;
    std::fs::write("/tmp/arc.png", browser.picture().await?).unwrap();
    browser.close().await
}
