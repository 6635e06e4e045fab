//! A server in memory with the demo songs, and short ways to ask it.

#![allow(dead_code, reason = "not every test asks in every way")]

use rocket::http::{ContentType, Header, Status};
use rocket::local::blocking::{Client, LocalResponse};
use serde_json::Value;
use std::sync::Arc;
use vivida_server::App;
use vivida_store::Store;

pub fn client() -> Client {
    let app = App::new(Store::temporary().unwrap());
    app.add_demo().unwrap();
    Client::untracked(vivida_server::rocket(Arc::new(app), 0)).unwrap()
}

/// A server over a database file, without the demo songs.
pub fn client_over(path: &std::path::Path) -> Client {
    let app = App::new(Store::open(path).unwrap());
    Client::untracked(vivida_server::rocket(Arc::new(app), 0)).unwrap()
}

pub const HOST: (&str, &str) = ("Host", "127.0.0.1:8347");

pub fn host() -> Header<'static> {
    Header::new(HOST.0, HOST.1)
}

pub fn get(client: &Client, path: &str) -> (Status, Value) {
    answer(client.get(format!("/api/v1{path}")).header(host()).dispatch())
}

pub fn post(client: &Client, path: &str, body: Value) -> (Status, Value) {
    let request = client.post(format!("/api/v1{path}")).header(host()).header(ContentType::JSON);
    answer(request.body(body.to_string()).dispatch())
}

pub fn put(client: &Client, path: &str, body: Value) -> (Status, Value) {
    let request = client.put(format!("/api/v1{path}")).header(host()).header(ContentType::JSON);
    answer(request.body(body.to_string()).dispatch())
}

pub fn patch(client: &Client, path: &str, body: Value) -> (Status, Value) {
    let request = client.patch(format!("/api/v1{path}")).header(host()).header(ContentType::JSON);
    answer(request.body(body.to_string()).dispatch())
}

pub fn delete(client: &Client, path: &str) -> (Status, Value) {
    answer(client.delete(format!("/api/v1{path}")).header(host()).dispatch())
}

pub fn answer(response: LocalResponse<'_>) -> (Status, Value) {
    let status = response.status();
    let is_problem = response.content_type().is_some_and(|kind| kind.sub() == "problem+json");
    assert_eq!(status.code >= 400, is_problem, "{status}: errors and only they are problem+json");
    let value = response.into_string().and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default();
    (status, value)
}
