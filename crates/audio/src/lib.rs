//! Recorded loops: read, their onsets found, rendered anew hit by hit. No interface, no database; of
//! files only those without a name that long sounds are decoded into.
//!
//! [`read`] decodes a file of an open format into a [`Clip`]: stereo or mono at 44 100 frames a second. [`Analysis`]
//! listens to it once; [`Analysis::onsets`] are its attacks at a sensitivity, each with its strength, loudness and
//! family; [`tempos`] proposes how many bars it may be. [`part_of`] makes a part of them, whose hits are slices, each from
//! its onset to the next, which [`Played`] lays out by the hits of a part. [`render`] plays slices at other times and levels; at their own times and levels the result
//! is the clip itself, sample for sample. [`write_wav`] writes it.
//!
//! ```
//! use vivida_audio::{Analysis, Clip, RATE, Sensitivity};
//! // Silence, then a decaying tick, a second in.
//! let tick = |frame: usize| if frame < 44_100 { 0.0 } else { libm::exp(-((frame - 44_100) as f64) / 400.0) as f32 };
//! let clip = Clip::new(vec![(0..88_200).map(|frame| if frame % 2 == 0 { tick(frame) } else { -tick(frame) }).collect()]);
//! let onsets = Analysis::of(&clip).onsets(Sensitivity::default());
//! assert_eq!(onsets.len(), 1);
//! assert!((onsets[0].seconds() - 1.0).abs() < 0.002 && RATE == 44_100);
//! ```

mod clip;
mod flux;
mod frames;
mod kept;
mod onsets;
mod own;
mod part;
mod peaks;
mod read;
mod render;
mod sfz;
mod slicing;
mod tempo;
mod write;

pub use clip::Clip;
pub use frames::{Frames, OnDisk};
pub use kept::Kept;
pub use onsets::{Analysis, Onset, Sensitivity, beginning};
pub use own::{Fitted, SampleFile, by_names, by_sfz, for_stroke, loudness};
pub use part::{note_of, part_of, struck};
pub use peaks::Peaks;
pub use read::{Format, Heard, ReadError, read, read_onto_disk};
pub use render::{Arranged, Placed, render};
pub use sfz::{Region, Sfz, SfzError};
pub use slicing::{Cut, Played, Struck};
pub use tempo::{Proposal, tempos};
pub use write::{Depth, write_wav};

/// Frames a second of every clip.
pub const RATE: u32 = 44_100;
