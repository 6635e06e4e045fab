//! Files of songs that begin with nothing: bars, tempo and metre, and tracks that wait for what is written.
//!
//! An empty track that is to be a part says so by a sequencer-specific meta event (`FF 7F`) with the manufacturer's id for
//! use by oneself, `7D`, the letters `vivida`, and its channel from 0. It lasts as long as its track.

use crate::chunk::{MARK, write_variable_length};
use crate::song::SongFile;
use crate::write::{Export, rewritten};
use vivida_core::{Channel, MetreMap, Outline, TempoMap, Ticks, micros};

/// A track that waits for what is written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewTrack {
    /// What it is called.
    pub name: String,
    /// Its channel.
    pub channel: Channel,
}

/// Events of a track, in the ticks of its file.
#[derive(Default)]
struct Events {
    bytes: Vec<u8>,
    now: u64,
}

impl Events {
    fn meta(&mut self, tick: u64, kind: u8, data: &[u8]) {
        // No bar that a song can have is longer than a delta time.
        write_variable_length(&mut self.bytes, (tick.saturating_sub(self.now)).min(0x0fff_ffff) as u32);
        self.bytes.extend([0xff, kind]);
        write_variable_length(&mut self.bytes, data.len() as u32);
        self.bytes.extend_from_slice(data);
        self.now = tick;
    }

    fn chunk(mut self, end: u64) -> Vec<u8> {
        self.meta(end, 0x2f, &[]);
        let mut chunk = b"MTrk".to_vec();
        chunk.extend((self.bytes.len() as u32).to_be_bytes());
        chunk.extend(self.bytes);
        chunk
    }
}

fn track(new: &NewTrack, end: u64) -> Vec<u8> {
    let mut events = Events::default();
    events.meta(0, 0x03, new.name.as_bytes());
    events.meta(0, 0x7f, &[MARK, &[new.channel.get()]].concat());
    events.chunk(end)
}

/// The file of a song that begins with nothing: format 1, a first track of tempo and metre, and these tracks.
///
/// ```
/// use vivida_core::{Channel, Outline};
/// use vivida_smf::{NewTrack, begin, read};
/// let drums = NewTrack { name: "Drums".to_owned(), channel: Channel::PERCUSSION };
/// let song = read(&begin(&Outline::plain(8, 100.0, "4/4"), &[drums])).unwrap();
/// assert_eq!((song.bars(), song.parts[0].part.hits().len()), (8, 0));
/// assert!(song.is_begun() && song.parts[0].drums);
/// ```
pub fn begin(outline: &Outline, tracks: &[NewTrack]) -> Vec<u8> {
    let (_, metre): (TempoMap, MetreMap) = outline.maps();
    let end = outline.end(&metre).0 as u64;
    let mut changes: Vec<(u64, u8, Vec<u8>)> = Vec::new();
    for one in &outline.tempos {
        let at = metre.bar(one.bar).start.0 as u64;
        changes.push((at, 0x51, micros(one.bpm).to_be_bytes()[1..].to_vec()));
    }
    for (bar, one) in metre.changes() {
        let at = metre.bar(bar).start.0 as u64;
        let power = one.denominator.trailing_zeros() as u8;
        changes.push((at, 0x58, vec![one.numerator, power, 24, 8]));
    }
    changes.sort_by_key(|(at, kind, _)| (*at, *kind));
    let mut conductor = Events::default();
    for (at, kind, data) in changes {
        conductor.meta(at, kind, &data);
    }
    let mut file = b"MThd\0\0\0\x06\0\x01".to_vec();
    file.extend((tracks.len() as u16 + 1).to_be_bytes());
    file.extend((Outline::PPQ as u16).to_be_bytes());
    file.extend(conductor.chunk(end));
    tracks.iter().for_each(|new| file.extend(track(new, end)));
    file
}

/// A file with more tracks, up to a place of the song. A file of one track becomes one of several (format 1).
///
/// # Errors
///
/// Why it can have none.
pub fn with_tracks(bytes: &[u8], song: &SongFile, tracks: &[NewTrack], end: Ticks) -> Result<Vec<u8>, String> {
    if song.format == 2 {
        return Err("the tracks of a format 2 file are songs of their own; save it as format 1 first".to_owned());
    }
    let count = song.chunks.tracks().count() + tracks.len();
    let Ok(count) = u16::try_from(count) else {
        return Err(format!("a file has at most 65535 tracks, not {count}"));
    };
    // What is put behind a chunk that claims too much would be taken for a part of it.
    let whole = match song.chunks.cut_at {
        Some(_) => rewritten(bytes, song, &[], Export::default()),
        None => bytes.to_vec(),
    };
    let mut file = whole[..song.chunks.header.size].to_vec();
    if song.format == 0 {
        file[8..10].copy_from_slice(&1u16.to_be_bytes());
    }
    file[10..12].copy_from_slice(&count.to_be_bytes());
    file.extend_from_slice(&whole[song.chunks.header.size..]);
    let end = (end.0 / f64::from(song.factor)).ceil().clamp(0.0, f64::from(0x0fff_ffff_u32)) as u64;
    tracks.iter().for_each(|new| file.extend(track(new, end)));
    Ok(file)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chunk::channel_of;
    use crate::{read, write};
    use vivida_core::{MetreFrom, TempoFrom};

    fn new(name: &str, channel: u8) -> NewTrack {
        NewTrack { name: name.to_owned(), channel: Channel::new(channel).unwrap() }
    }

    #[test]
    fn an_outline_comes_back() {
        let outline = Outline {
            bars: 12,
            tempos: vec![TempoFrom { bar: 1, bpm: 96.5 }, TempoFrom { bar: 5, bpm: 143.0 }],
            metres: vec![MetreFrom { bar: 1, metre: "7/8".into() }, MetreFrom { bar: 5, metre: "4/4".into() }],
        };
        let song = read(&begin(&outline, &[new("Drums", 9), new("Shakers", 9)])).unwrap();
        assert_eq!(Outline::of(song.bars(), &song.tempo, &song.metre), outline);
        assert_eq!(song.mended, Vec::<String>::new());
        let names: Vec<&str> = song.parts.iter().map(|part| part.name.as_str()).collect();
        assert_eq!(names, ["Drums", "Shakers"]);
    }

    #[test]
    fn a_file_gets_more_tracks_and_keeps_its_own() {
        let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
        let song = read(bytes).unwrap();
        let more = with_tracks(bytes, &song, &[new("Hats", 9)], Ticks(7680.0)).unwrap();
        let longer = read(&more).unwrap();
        assert_eq!((longer.format, longer.parts.len(), longer.bars(), longer.mended.len()), (1, 2, 2, 0));
        assert_eq!(longer.parts[0].part, song.parts[0].part);
        assert!(!longer.is_begun() && longer.parts[1].begun == Some(Ticks(7680.0)));
        assert_eq!(write(&more, &longer, &[], Export::default()), more);
    }

    #[test]
    fn a_file_that_was_cut_short_is_mended_first() {
        let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\x0f\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
        let more = with_tracks(bytes, &read(bytes).unwrap(), &[new("Hats", 9)], Ticks(3840.0)).unwrap();
        let song = read(&more).unwrap();
        assert_eq!((song.parts.len(), song.mended.len(), song.hits), (2, 0, 1));
    }

    #[test]
    fn foreign_marks_are_no_parts() {
        for data in [&b"\x7dvivida"[..], b"\x7dvivida\x10", b"\x7dvivida\x01\x01", b"\x43abc", b""] {
            assert_eq!(channel_of(data), None, "{data:?}");
        }
    }
}
