//! The built-in kit, which stands in for a drum sampler: synthesised, in velocity layers and
//! alternates, rendered once.
//!
//! A [`Voice`] is one sound of the kit. [`samples`] gives all its samples one behind the other:
//! four layers from soft to hard, in each three alternates so that a repeat is never the same
//! sample. [`manifest`] tells a player which voice plays a note, how loud a velocity is, and which
//! voice chokes which. [`Mixdown`] plays a whole song offline by the same rules, block by block; it is equal to
//! the bit from run to run.
//!
//! ```
//! use vivida_sound::{ALTERNATES, LAYER_COUNT, Voice, samples};
//! let kick = samples(Voice::Kick);
//! assert_eq!(kick.data.len(), kick.frames * LAYER_COUNT * ALTERNATES);
//! ```

mod manifest;
mod mixdown;
mod synth;
mod voice;

pub use manifest::{KitManifest, NoteSound, VoiceInfo, drum_sound, manifest, tone_sound};
pub use mixdown::{Mixdown, Strike, strikes};
pub use synth::{Samples, samples, wav};
pub use voice::Voice;

/// Frames a second of every sample and of the mixdown.
pub const SAMPLE_RATE: u32 = 44_100;
/// Velocity layers of every voice; their bounds are [`vivida_core::LAYERS`].
pub const LAYER_COUNT: usize = 4;
/// Samples of each layer that take turns.
pub const ALTERNATES: usize = 3;
