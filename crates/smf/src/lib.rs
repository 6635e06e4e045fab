//! Standard MIDI Files in and out, losslessly, to and from the types of `vivida-core`.
//!
//! [`read`] turns the bytes of a file into a [`SongFile`]: its tempo and metre maps, its markers,
//! and its parts, each the notes of one channel of one track. What is wrong with a file but can be
//! mended is said in [`SongFile::mended`]; the rest is a [`ReadError`] with the offset.
//! [`write`] puts performances in the place of parts. [`begin`] makes the file of a song that begins with nothing.
//!
//! # Properties
//!
//! * `lossless_file`: without performances the same bytes come out; with them, every event that is
//!   not a note of a treated part is the same event at the same tick in the same order. What belongs to
//!   such a note moves with it: the hat pedal's position before it, the pressure on it, a note-off too many.
//! * `what_was_written_can_be_read`: whatever [`read`] mended, [`write`] writes so that nothing of a treated
//!   part has to be mended again.
//! * No input makes [`read`] panic; it takes time in proportion to the file, and refuses more than
//!   [`MOST_TRACKS`], [`MOST_PARTS`], [`MOST_HITS`] and [`MOST_BARS`].
//!
//! # Example
//!
//! ```
//! let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\
//!               \0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
//! let song = vivida_smf::read(bytes)?;
//! assert_eq!(song.parts.len(), 1);
//! assert_eq!(song.parts[0].part.hits()[0].velocity.get(), 100);
//! assert_eq!(song.ppq.get(), 960); // twice the file's own 480
//! assert_eq!(vivida_smf::write(bytes, &song, &[], Default::default()), bytes);
//! # Ok::<(), vivida_smf::ReadError>(())
//! ```

mod arrange;
mod begun;
mod chunk;
mod clip;
mod import;
mod lane_events;
mod lanes;
mod moving;
mod notes;
mod outgoing;
mod read_error;
mod song;
mod strays;
mod text;
mod versions;
mod write;

pub use arrange::{Arrangement, arrange};
pub use begun::{NewTrack, begin, with_tracks};
pub use clip::{ClipError, clip_of, grid_told, groove_of_clip};
pub use import::read;
pub use moving::{MovedOut, free_channels, moved_out, movement_said, taken};
pub use read_error::{MOST_BARS, MOST_HITS, MOST_PARTS, MOST_TRACKS, ReadError};
pub use song::{Marker, SongFile, SongPart, kit_of};
pub use text::readable;
pub use versions::FileRefit;
pub use write::{Export, Resolution, rounding, write};
