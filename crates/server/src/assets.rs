//! The front end, from inside the binary.

use rocket::http::{ContentType, Header, Status};
use rocket::{Responder, Route, get, routes};
use rust_embed::RustEmbed;
use std::borrow::Cow;
use std::path::{Path, PathBuf};

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Web;

#[derive(Responder)]
pub(crate) struct Asset {
    body: Cow<'static, [u8]>,
    content_type: ContentType,
    policy: Header<'static>,
    caching: Header<'static>,
}

const NOT_BUILT: &str = "<!doctype html><title>Vivida</title><p>The front end was not built. Run: cargo xtask build";

/// The page itself: its styles carry a number used once, and nothing is loaded from elsewhere.
fn page() -> Asset {
    let html = Web::get("index.html").map_or(NOT_BUILT.into(), |file| String::from_utf8_lossy(&file.data).into_owned());
    let nonce = format!("{:032x}", rand::random::<u128>());
    let policy = format!(
        "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; font-src 'self'; img-src 'self' data:; \
         connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    );
    Asset {
        body: html.replace("__NONCE__", &nonce).into_bytes().into(),
        content_type: ContentType::HTML,
        policy: Header::new("Content-Security-Policy", policy),
        caching: Header::new("Cache-Control", "no-store"),
    }
}

#[get("/")]
fn index() -> Asset {
    page()
}

#[get("/<path..>", rank = 20)]
fn asset(path: PathBuf) -> Result<Asset, Status> {
    let Some(extension) = path.extension().and_then(|extension| extension.to_str()) else {
        return if path.starts_with("api") { Err(Status::NotFound) } else { Ok(page()) };
    };
    let file = Web::get(path.to_str().ok_or(Status::NotFound)?).ok_or(Status::NotFound)?;
    let hashed = path.starts_with(Path::new("assets"));
    Ok(Asset {
        body: file.data,
        content_type: ContentType::from_extension(extension).unwrap_or(ContentType::Binary),
        policy: Header::new("Content-Security-Policy", "default-src 'none'"),
        caching: Header::new("Cache-Control", if hashed { "public, max-age=31536000, immutable" } else { "no-cache" }),
    })
}

pub(crate) fn routes() -> Vec<Route> {
    let mut all = routes![index, asset];
    all.extend(crate::security::routes());
    all
}
