//! A look.
use vivida_e2e::{App, Browser};
#[tokio::main]
async fn main() -> Result<(), Box<dyn std::error::Error>> {
    let app = App::start().await;
    let browser = Browser::open(1280, 800).await?;
    let address = std::env::args().nth(1).unwrap_or_else(|| app.address.clone());
    browser.goto(&address).await?;
    let file = app.folder().join("large.mid");
    std::fs::write(&file, vivida_e2e::large_song(10_000, 20))?;
    browser.find("input[type=file]").await?.send_keys(&file.display().to_string()).await?;
    browser.click("[data-song=large] a").await?;
    browser.find("[data-handle=soft]").await?;
    browser.until("window.vividaProbe.latencies.length > 0").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    let script = r#"
    window.phases = [];
    const real = window.fetch;
    window.fetch = async (...a) => {
      const p = {send: performance.now()};
      const r = await real(...a); p.head = performance.now();
      const text = r.text.bind(r);
      r.json = async () => { const t = await text(); p.body = performance.now(); const v = JSON.parse(t); p.parsed = performance.now(); p.size = t.length;
         queueMicrotask(() => setTimeout(() => p.task = performance.now())); requestAnimationFrame(() => { p.frame = performance.now(); setTimeout(() => p.after = performance.now()); }); window.phases.push(p); return v; };
      return r;
    };
    window.vividaProbe.latencies.length = 0; window.vividaProbe.drawing.length = 0;
    const h = document.querySelector('[data-handle=soft]'); const b = h.getBoundingClientRect();
    const x = b.left + b.width/2; let y = b.top + b.height/2; const y0 = y;
    const ev = (t, y) => h.dispatchEvent(new PointerEvent(t, {bubbles: true, clientX: x, clientY: y, button: 0, buttons: 1, pointerId: 1, isPrimary: true}));
    h.setPointerCapture = () => {};
    ev('pointerdown', y);
    window.moves = [];
    let n = 0;
    window.done = false;
    const tick = () => { const t0 = performance.now(); ev('pointermove', y0 + 25 * Math.sin(n / 10)); window.moves.push(performance.now() - t0); if (++n < 150) setTimeout(tick, 16); else { ev('pointerup', y0); window.done = true; } };
    tick();
    "#;
    browser.run(script).await?;
    browser.until("window.done").await?;
    let out = browser.run(r#"
      const m = (l) => [...l].sort((a, b) => a - b)[l.length >> 1];
      const p = window.phases.filter((p) => p.after);
      return {n: p.length, size: m(p.map((q) => q.size)), wait: m(p.map((q) => q.head - q.send)), body: m(p.map((q) => q.body - q.head)), parse: m(p.map((q) => q.parsed - q.body)), task: m(p.map((q) => q.task - q.parsed)), frame: m(p.map((q) => q.frame - q.parsed)), after: m(p.map((q) => q.after - q.frame)), move: m(window.moves), lat: m(window.vividaProbe.latencies), latn: window.vividaProbe.latencies.length, draw: m(window.vividaProbe.drawing)};
    "#).await?;
    println!("{out}");
    browser.close().await?;
    Ok(())
}
