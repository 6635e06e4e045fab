//! What a player has to know to play the kit.

use crate::mixdown::{BRIGHT, BRIGHTEST};
use crate::strip::{GLIDE, HeardController, heard_controllers};
use crate::voice::Voice;
use crate::{ALTERNATES, LAYER_COUNT, SAMPLE_RATE};
use serde::Serialize;
use ts_rs::TS;
use vivida_core::{LAYERS, Note, Velocity};

/// How a note sounds.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct NoteSound {
    /// With which voice.
    pub voice: Voice,
    /// How much faster than sampled.
    pub rate: f64,
    /// It lasts as long as its note, instead of ringing out.
    pub sustained: bool,
    /// It stops what still sounds of this group of its part, and is itself stopped by the next of it.
    pub choke: Option<u16>,
    /// The first of the alternates that take turns, and how many do.
    pub turns: [usize; 2],
    /// Which own sounds it is heard by instead, where their files are there.
    pub own: Option<u16>,
}

impl NoteSound {
    pub(crate) const BOTH: [usize; 2] = [0, ALTERNATES];
    pub(crate) const RIGHT: [usize; 2] = [0, ALTERNATES / 2];
    pub(crate) const LEFT: [usize; 2] = [ALTERNATES / 2, ALTERNATES / 2];

    pub(crate) const fn of(voice: Voice, rate: f64) -> NoteSound {
        NoteSound { voice, rate, sustained: false, choke: None, turns: NoteSound::BOTH, own: None }
    }
}

/// How a drum note of the General MIDI map sounds; notes the kit has no voice for take the nearest.
pub fn drum_sound(note: Note) -> NoteSound {
    use Voice::*;
    let sound = match note.get() {
        35 => (Kick, 0.93),
        36 => (Kick, 1.0),
        37 => (SideStick, 1.0),
        38 => (SnareCentre, 1.0),
        39 => (Clap, 1.0),
        40 => (Rimshot, 1.0),
        41 => (TomLow, 0.9),
        42 => (HatClosed, 1.0),
        43 => (TomLow, 1.0),
        44 => (HatPedal, 1.0),
        45 => (TomMid, 0.92),
        46 => (HatOpen, 1.0),
        47 => (TomMid, 1.0),
        48 => (TomHigh, 0.92),
        49 => (Crash, 1.0),
        50 => (TomHigh, 1.0),
        51 => (RideBow, 1.0),
        52 => (China, 1.0),
        53 => (RideBell, 1.0),
        54 => (Tambourine, 1.0),
        55 => (Crash, 1.5),
        56 => (Cowbell, 1.0),
        57 => (Crash, 0.92),
        59 => (RideBow, 0.93),
        60 => (CongaHigh, 1.5),
        61 => (CongaLow, 1.6),
        62 => (CongaMuted, 1.0),
        63 => (CongaHigh, 1.0),
        64 => (CongaLow, 1.0),
        65 => (TomHigh, 1.6),
        66 => (TomHigh, 1.25),
        67 => (Cowbell, 1.6),
        68 => (Cowbell, 1.25),
        69 | 70 | 73 | 74 | 82 => (Shaker, 1.0),
        75 => (Claves, 1.0),
        76 => (WoodblockHigh, 1.0),
        77 => (WoodblockLow, 1.0),
        78 | 79 => (CongaMuted, 1.4),
        80 | 81 | 83 | 84 => (RideBell, 1.9),
        86 => (Kick, 1.3),
        87 => (TomLow, 0.7),
        _ => (WoodblockLow, 1.2),
    };
    let choke = match note.get() {
        42 | 44 | 46 => Some(0),
        80 | 81 => Some(1),
        78 | 79 => Some(2),
        86 | 87 => Some(3),
        _ => None,
    };
    NoteSound { choke, ..NoteSound::of(sound.0, sound.1) }
}

/// How a note of a tonal part sounds.
pub fn tone_sound(note: Note) -> NoteSound {
    let tones = [Voice::ToneLow, Voice::ToneMid, Voice::ToneHigh];
    let nearest =
        (0..3).min_by_key(|&index: &usize| Voice::TONE_NOTES[index].abs_diff(note.get())).expect("there are three");
    let steps = f64::from(note.get()) - f64::from(Voice::TONE_NOTES[nearest]);
    NoteSound { sustained: true, ..NoteSound::of(tones[nearest], libm::exp2(steps / 12.0)) }
}

/// One voice and how its file is laid out.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct VoiceInfo {
    /// Which; its file is `/api/v1/sound/<voice>.wav`.
    pub voice: Voice,
    /// The length of one sample in s; sample (layer, alternate) begins at
    /// (layer · alternates + alternate) times this.
    pub seconds: f64,
    /// Its loudness among the others, a factor.
    pub level: f64,
    /// −1 (left) to 1 (right).
    pub pan: f64,
}

/// What a player has to know.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct KitManifest {
    /// Every voice.
    pub voices: Vec<VoiceInfo>,
    /// The amplitude of each of the 128 velocities.
    pub gains: Vec<f64>,
    /// Samples of each layer that take turns.
    pub alternates: usize,
    /// Seconds in which a choked or ended sound dies away.
    pub release: f64,
    /// Above this, in Hz, a brighter hit is louder: a high shelf of slope 1.
    pub bright: f64,
    /// By so much at 100 %, in dB.
    pub brightest: f64,
    /// The controllers that are heard. (The bend is, too: by its range.)
    pub controllers: Vec<HeardController>,
    /// A controller's change is nearly there after three times as many s.
    pub glide: f64,
}

/// How fast a choked or ended sound dies away, in s.
pub(crate) const RELEASE: f64 = 0.025;

/// The layer of the samples that a velocity plays where a kit's layers begin at these bounds: the softest and the
/// hardest of the kit are ours, the others lie evenly between.
pub(crate) fn layer_of(velocity: Velocity, bounds: &[Velocity]) -> usize {
    let place = bounds.iter().rposition(|&from| velocity >= from).unwrap_or(0);
    match bounds.len() {
        0 | 1 => velocity.get() as usize * LAYER_COUNT / 128,
        count => (place * (LAYER_COUNT - 1) + (count - 1) / 2) / (count - 1),
    }
}

/// The same by the usual layers.
pub(crate) fn layer(velocity: Velocity) -> usize {
    let bounds = LAYERS.map(|(_, from)| Velocity::new(from).expect("the bounds are velocities"));
    layer_of(velocity, &bounds)
}

/// The manifest of the built-in kit.
pub fn manifest() -> KitManifest {
    let velocities = (0..128).map(Velocity::new);
    let info = |voice: Voice| VoiceInfo {
        voice,
        seconds: f64::from(frames(voice)) / f64::from(SAMPLE_RATE),
        level: voice.level(),
        pan: voice.pan(),
    };
    KitManifest {
        voices: Voice::ALL.into_iter().map(info).collect(),
        gains: velocities.map(|velocity| velocity.map_or(0.0, Velocity::amplitude)).collect(),
        alternates: ALTERNATES,
        release: RELEASE,
        bright: BRIGHT,
        brightest: BRIGHTEST,
        controllers: heard_controllers(),
        glide: GLIDE,
    }
}

fn frames(voice: Voice) -> u32 {
    (voice.seconds() * f64::from(SAMPLE_RATE)) as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::samples;

    #[test]
    fn the_manifest_agrees_with_the_samples() {
        for voice in [Voice::Kick, Voice::Crash, Voice::ToneLow] {
            assert_eq!(frames(voice) as usize, samples(voice).frames);
        }
        let manifest = manifest();
        let layers = [1, 41, 42, 77, 107, 108, 127].map(|value| layer(Velocity::new(value).unwrap()));
        assert_eq!(layers, [0, 0, 2, 3, 3, 5, 5]);
        assert!(manifest.gains.windows(2).all(|pair| pair[0] < pair[1]));
    }

    #[test]
    fn tones_are_in_tune() {
        for note in [21u8, 33, 40, 52, 60, 90] {
            let sound = tone_sound(Note::from_data(note));
            let base = Voice::TONE_NOTES[sound.voice as usize - Voice::ToneLow as usize];
            let steps = 12.0 * sound.rate.log2();
            assert!((f64::from(base) + steps - f64::from(note)).abs() < 1e-9);
        }
    }
}
