use vivida_e2e::*;
async fn shot(b: &Browser, name: &str) {
    tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    std::fs::write(format!("/tmp/look-{name}.png"), b.picture().await.unwrap()).unwrap();
}
#[tokio::test(flavor = "multi_thread")]
async fn look() {
    let (_t, app, b) = start().await;
    b.goto(&app.address).await.unwrap();
    b.find("[data-song='The Weir']").await.unwrap();
    b.run("document.querySelectorAll('[type=checkbox]')[1].click(); document.querySelectorAll('[type=checkbox]')[3].click()").await.unwrap();
    shot(&b, "shelf").await;
    open_causeway(&app, &b).await.unwrap();
    b.click("[data-start='One good take']").await.unwrap();
    b.until("document.querySelectorAll('[data-pass]').length > 2").await.unwrap();
    b.click("[data-pass=loosen] [aria-expanded]").await.unwrap();
    b.keys("tt").await.unwrap();
    shot(&b, "passes").await;
    b.run("document.activeElement.blur()").await.unwrap();
    b.keys("/").await.unwrap();
    b.find("input[aria-label='Search for an action']").await.unwrap();
    shot(&b, "palette").await;
    b.keys("compress").await.unwrap();
    shot(&b, "palette2").await;
}
