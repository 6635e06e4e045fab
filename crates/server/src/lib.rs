//! The routes of Vivida: each parses, calls and answers.
//!
//! [`App`] holds the store and the songs in use; [`rocket`] mounts the routes over it. Everything
//! is under `/api/v1`, in JSON but for files; errors are problem+json ([`Problem`]). Everything
//! else is the front end, which the binary carries inside itself. [`typescript`] is what the front
//! end knows of the types.
//!
//! Only requests to and from this machine are answered: see [`security`](crate::Local).

mod answers;
mod api;
mod app;
mod assets;
mod batches;
mod bundles;
mod csv_table;
mod exports;
mod files_of_sound;
mod findings;
mod grooves;
mod keyed;
mod kits;
mod library;
mod own_sounds;
mod parts;
mod pockets;
mod problem;
mod recordings;
mod regroup;
mod renders;
mod routes;
mod security;
mod songs;
mod sounds;
mod table;
mod versions;
mod writing;

pub use api::typescript;
pub use app::App;
pub use bundles::{Bundle, Packing, Unpacked, pack};
pub use csv_table::Table;
pub use files_of_sound::Sounds;
pub use problem::Problem;
pub use security::Local;

use rocket::data::{Limits, ToByteUnit};
use rocket::{Build, Config, Rocket};
use std::net::Ipv4Addr;
use std::sync::Arc;

/// The server over an app, on 127.0.0.1 and a port; port 0 takes any that is free.
pub fn rocket(app: Arc<App>, port: u16) -> Rocket<Build> {
    let limits = Limits::default().limit("json", 4.mebibytes()).limit("song", 16.mebibytes());
    let config = Config {
        address: Ipv4Addr::LOCALHOST.into(),
        port,
        workers: 2,
        limits,
        log_level: rocket::config::LogLevel::Off,
        cli_colors: false,
        ..Config::release_default()
    };
    rocket::custom(config)
        .manage(app)
        .attach(Local)
        .mount("/api/v1", routes::all())
        .mount("/", assets::routes())
        .register("/", problem::catchers())
}
