//! Own sounds of the demo: a folder of samples as a drummer would have recorded them, with an SFZ file.

use crate::wav::wav;
use std::fmt::Write;
use vivida_sound::{SAMPLE_RATE, Voice, samples};

/// A drum of the folder.
struct Drum {
    folder: &'static str,
    name: &'static str,
    key: &'static str,
    voice: Voice,
    layers: usize,
    alternates: usize,
    /// How much slower than the built-in kit, so that it is another drum.
    slower: f64,
    seconds: f64,
}

const DRUMS: [Drum; 4] = [
    Drum {
        folder: "kick",
        name: "Kick",
        key: "c2",
        voice: Voice::Kick,
        layers: 2,
        alternates: 2,
        slower: 1.12,
        seconds: 0.4,
    },
    Drum {
        folder: "snare",
        name: "Snare Center",
        key: "d2",
        voice: Voice::SnareCentre,
        layers: 6,
        alternates: 4,
        slower: 1.2,
        seconds: 0.4,
    },
    Drum {
        folder: "hats",
        name: "Hat Closed",
        key: "f#2",
        voice: Voice::HatClosed,
        layers: 3,
        alternates: 2,
        slower: 1.15,
        seconds: 0.25,
    },
    Drum {
        folder: "hats",
        name: "Hat Open",
        key: "a#2",
        voice: Voice::HatOpen,
        layers: 2,
        alternates: 1,
        slower: 1.15,
        seconds: 0.9,
    },
];

/// A file of a folder: its path within, and its bytes.
pub type SampleFile = (String, Vec<u8>);

/// The folder *Boathouse*: a kick, a snare of six layers and four alternates, two hats, and `Boathouse.sfz`.
pub fn sample_folder() -> Vec<SampleFile> {
    let mut files = Vec::new();
    let mut sfz = "// The kit of the boathouse, made up for the demo.\n<control> default_path=\n\
                   <global> ampeg_release=0.3\n"
        .to_owned();
    for drum in &DRUMS {
        let hat = if drum.folder == "hats" { " group=1 off_by=1" } else { "" };
        let _ = writeln!(sfz, "\n<group> key={} seq_length={}{hat} amp_veltrack=60", drum.key, drum.alternates);
        for layer in 0..drum.layers {
            let (low, high) = (1 + layer * 127 / drum.layers, (layer + 1) * 127 / drum.layers);
            for alternate in 0..drum.alternates {
                let (number, turn) = (layer + 1, alternate + 1);
                let path = format!("{}/{} v{number} rr{turn}.wav", drum.folder, drum.name);
                let _ = writeln!(sfz, "<region> lovel={low} hivel={high} seq_position={turn} volume=-8 sample={path}");
                files.push((path, wav(&[drum.sample(layer, alternate)])));
            }
        }
    }
    files.push(("Boathouse.sfz".to_owned(), sfz.into_bytes()));
    files
}

impl Drum {
    /// A mono recording, softer where it was struck softer.
    fn sample(&self, layer: usize, alternate: usize) -> Vec<f32> {
        // The built-in kit has six layers of four.
        let of_six = if self.layers == 1 { 5 } else { layer * 5 / (self.layers - 1) };
        let voice = samples(self.voice);
        let data = voice.sample(of_six, alternate);
        let frames = (self.seconds * f64::from(SAMPLE_RATE)) as usize;
        let level = libm::pow(10.0, -3.0 * (self.layers - 1 - layer) as f64 / 20.0);
        let value = |frame: usize| {
            let place = frame as f64 / self.slower;
            let below = place as usize;
            let [one, next] = [below, below + 1].map(|at| f64::from(data.get(at).copied().unwrap_or(0.0)));
            let dying = ((frames - frame) as f64 / (frames as f64 * 0.3)).min(1.0);
            (level * dying * (one + (next - one) * (place - below as f64))) as f32
        };
        (0..frames).map(value).collect()
    }
}
