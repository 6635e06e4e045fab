//! The built-in kit, which stands in for a drum sampler: synthesised, in velocity layers and
//! alternates, rendered once.
//!
//! A [`Voice`] is one sound of the kit. [`samples`] gives all its samples one behind the other:
//! six layers from soft to hard, in each four alternates so that a repeat is never the same
//! sample; strokes of one hand have two of them to themselves. [`manifest`] tells a player what voices there are
//! and how loud a velocity is, [`KitSounds`] which voice plays a stroke of a kit and what chokes what. [`Mixdown`] plays a whole song offline by the same rules, block by block; it is equal to
//! the bit from run to run.
//!
//! ```
//! use vivida_sound::{ALTERNATES, LAYER_COUNT, Voice, samples};
//! let kick = samples(Voice::Kick);
//! assert_eq!(kick.data.len(), kick.frames * LAYER_COUNT * ALTERNATES);
//! ```

mod kit;
mod manifest;
mod mixdown;
mod strip;
mod synth;
mod voice;

pub use kit::{KitSounds, Response};
pub use manifest::{KitManifest, NoteSound, VoiceInfo, drum_sound, manifest, tone_sound};
pub use mixdown::{Mixdown, Passage, Recorded, Recordings, Strike};
pub use strip::{Effect, HeardController, Strip};
pub use synth::{Samples, samples, wav};
pub use voice::Voice;

/// Frames a second of every sample and of the mixdown.
pub const SAMPLE_RATE: u32 = 44_100;
/// Sample layers of every voice; the layers of a kit are spread over them.
pub const LAYER_COUNT: usize = 6;
/// Samples of each layer that take turns.
pub const ALTERNATES: usize = 4;
