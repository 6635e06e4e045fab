//! The demo: *Low Tide Almanac*, the made-up EP of the made-up trio *Harbour Clocks*.
//!
//! [`generate`] writes each song anew, the same bytes every time; [`songs`] gives the files of the
//! folder `demo/`, which it made (`cargo xtask demo-files`).

mod pattern;
mod rough;
mod score;
mod songs;

pub use rough::{Accident, clean, rough};

use rust_embed::RustEmbed;
use std::borrow::Cow;

#[derive(RustEmbed)]
#[folder = "../../demo"]
struct Files;

/// A song of the demo: its name, the name of its file, and the file.
#[derive(Clone, Debug, PartialEq)]
pub struct DemoSong {
    /// Causeway …
    pub name: &'static str,
    /// causeway.mid …
    pub file_name: &'static str,
    /// A Standard MIDI File.
    pub bytes: Cow<'static, [u8]>,
}

type Generator = fn() -> Vec<u8>;

const SONGS: [(&str, &str, Generator); 6] = [
    ("Causeway", "causeway.mid", songs::causeway),
    ("Kiln Yard", "kiln-yard.mid", songs::kiln_yard),
    ("Night Ferry", "night-ferry.mid", songs::night_ferry),
    ("Tin Roof", "tin-roof.mid", songs::tin_roof),
    ("Paper Lanterns", "paper-lanterns.mid", songs::paper_lanterns),
    ("The Weir", "the-weir.mid", songs::the_weir),
];

/// The songs, from the files in `demo/`.
pub fn songs() -> Vec<DemoSong> {
    let embedded = |file_name: &str| Files::get(file_name).map_or(Cow::Borrowed(&[][..]), |file| file.data);
    SONGS.iter().map(|&(name, file_name, _)| DemoSong { name, file_name, bytes: embedded(file_name) }).collect()
}

/// The songs, made anew.
pub fn generate() -> Vec<DemoSong> {
    SONGS.iter().map(|&(name, file_name, make)| DemoSong { name, file_name, bytes: make().into() }).collect()
}
