//! Nothing but this machine's own page is answered.

use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::{Header, Status, uri::Origin};
use rocket::{Data, Request, Response, Route, get, routes};
use std::io::Cursor;

/// Refuses requests whose `Host` is another machine's name (a name that was pointed here by
/// somebody else) or whose `Origin` is another page, and sets the security headers.
#[derive(Clone, Copy, Debug)]
pub struct Local;

const REFUSED: &str = "/refused-request";
const FORM: &str = "/refused-form";

fn is_local(host: &str) -> bool {
    let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
    matches!(name, "127.0.0.1" | "localhost" | "[::1]")
}

fn is_own(request: &Request<'_>) -> bool {
    let headers = request.headers();
    let Some(host) = headers.get_one("Host").filter(|host| is_local(host)) else { return false };
    let own_page = headers.get_one("Origin").is_none_or(|origin| origin == format!("http://{host}"));
    own_page && headers.get_one("Sec-Fetch-Site") != Some("cross-site")
}

#[rocket::async_trait]
impl Fairing for Local {
    fn info(&self) -> Info {
        Info { name: "only this machine", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        // Rocket takes the method from a field of a form where there is one. No route takes forms.
        let is_form = request.content_type().is_some_and(|kind| kind.is_form() || kind.is_form_data());
        if !is_own(request) || is_form {
            request.set_uri(Origin::parse(if is_form { FORM } else { REFUSED }).expect("a fixed path"));
        }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let refused = match request.uri().path().as_str() {
            REFUSED => Some((
                Status::Forbidden,
                r#"{"status":403,"title":"Refused","detail":"Vivida answers only its own page on this machine."}"#,
            )),
            FORM => Some((
                Status::UnsupportedMediaType,
                r#"{"status":415,"title":"Refused","detail":"Vivida takes JSON and files, no forms."}"#,
            )),
            _ => None,
        };
        if let Some((status, body)) = refused {
            response.set_status(status);
            response.set_header(Header::new("Content-Type", "application/problem+json"));
            response.set_sized_body(body.len(), Cursor::new(body));
        }
        response.set_header(Header::new("X-Content-Type-Options", "nosniff"));
        response.set_header(Header::new("Referrer-Policy", "no-referrer"));
        response.set_header(Header::new("Cross-Origin-Resource-Policy", "same-origin"));
        if response.headers().get_one("Content-Security-Policy").is_none() {
            response.set_header(Header::new("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'"));
        }
    }
}

#[get("/refused-request")]
fn refused() -> Status {
    Status::Forbidden
}

pub(crate) fn routes() -> Vec<Route> {
    routes![refused]
}
