//! The demo: *Low Tide Almanac*, the made-up EP of the made-up trio *Harbour Clocks*.
//!
//! [`generate`] writes each song anew, the same bytes every time; [`songs`] gives the files of the
//! folder `demo/`, which it made (`cargo xtask demo-files`).

mod loops;
mod pattern;
pub mod performances;
mod rough;
mod samples;
mod score;
mod songs;
mod wav;

pub use loops::{LoopPlan, LoopStroke, MadeLoop};
pub use rough::{Accident, clean, rough};
pub use samples::sample_folder;

use rust_embed::RustEmbed;
use std::borrow::Cow;

#[derive(RustEmbed)]
#[folder = "../../demo"]
#[include = "*.mid"]
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

/// A recorded loop of the demo, and where every stroke of it lies.
#[derive(Clone, Debug, PartialEq)]
pub struct DemoLoop {
    /// shaker.wav …
    pub file_name: &'static str,
    /// What it was made by.
    pub plan: LoopPlan,
    /// A WAV file of 16 bits.
    pub bytes: Vec<u8>,
    /// Its true onsets as CSV: seconds, note, velocity, 16th.
    pub onsets: String,
}

/// The recorded loops, made anew; they lie in `demo/loops/`.
pub fn loops() -> Vec<DemoLoop> {
    [("shaker.wav", LoopPlan::shaker()), ("cut-break.wav", LoopPlan::cut_break())]
        .map(|(file_name, plan)| {
            let made = plan.make();
            DemoLoop { file_name, plan, bytes: made.wav(), onsets: made.csv() }
        })
        .to_vec()
}

/// The songs, made anew.
pub fn generate() -> Vec<DemoSong> {
    SONGS.iter().map(|&(name, file_name, make)| DemoSong { name, file_name, bytes: make().into() }).collect()
}
