//! Why a file cannot be read, and the most that one may hold.

/// The most notes that a song may have.
pub const MOST_HITS: usize = 500_000;
/// The most tracks that a file may have: its header counts them in 16 bits.
pub const MOST_TRACKS: usize = 65_535;
/// The most parts that a song may have.
pub const MOST_PARTS: usize = 1_000;
/// The most bars that a song may have.
pub const MOST_BARS: u32 = 10_000;

/// Why a file cannot be read. Each says what to do.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[allow(missing_docs)]
pub enum ReadError {
    #[error("the file is empty; export it again from where it came from")]
    Empty,
    #[error("offset 0: this is no Standard MIDI File: it does not begin with “MThd”; choose a .mid file")]
    NotMidi,
    #[error("offset {offset}: the file ends inside its header; it was cut short, so copy or export it again")]
    HeaderCut { offset: usize },
    #[error("offset 4: the header claims {length} bytes where 6 are the least; the file is damaged")]
    HeaderShort { length: usize },
    #[error("offset 8: format {format} is none of 0, 1 and 2; the file is damaged or of another kind")]
    Format { format: u16 },
    #[error("offset 12: the file has no resolution (0 ticks per quarter note); the file is damaged")]
    NoResolution,
    #[error("offset {offset}: the file has a header but no track; the file is damaged or holds no music")]
    NoTracks { offset: usize },
    #[error("the file holds {tracks} tracks; {MOST_TRACKS} are the most that the format can count, so split it")]
    TooManyTracks { tracks: usize },
    #[error(
        "the file holds {parts} parts (each channel of each track is one); {MOST_PARTS} are the most that Vivida takes, so split it"
    )]
    TooManyParts { parts: usize },
    #[error("the file holds {hits} notes; {MOST_HITS} are the most that Vivida takes, so split it")]
    TooManyNotes { hits: usize },
    #[error(
        "the file lasts {bars} bars; {MOST_BARS} are the most that Vivida takes, so split it or remove stray events at its end"
    )]
    TooLong { bars: u64 },
}

impl ReadError {
    /// Where in the file, if at one place.
    pub fn offset(&self) -> Option<usize> {
        match self {
            ReadError::NotMidi => Some(0),
            ReadError::HeaderShort { .. } => Some(4),
            ReadError::Format { .. } => Some(8),
            ReadError::NoResolution => Some(12),
            ReadError::HeaderCut { offset } | ReadError::NoTracks { offset } => Some(*offset),
            ReadError::Empty
            | ReadError::TooManyTracks { .. }
            | ReadError::TooManyParts { .. }
            | ReadError::TooManyNotes { .. }
            | ReadError::TooLong { .. } => None,
        }
    }
}
