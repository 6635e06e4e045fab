//! The chunks of a file and the events of its tracks, each with its place and its bytes.

use crate::import::ReadError;
use crate::text::readable;
use midly::live::LiveEvent;
use midly::{EventIter, MetaMessage, TrackEvent, TrackEventKind};
use std::ops::Range;

/// The header chunk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Header {
    pub format: u16,
    pub tracks: u16,
    pub division: u16,
    /// The whole chunk, with its name and length.
    pub size: usize,
}

/// What a track's bytes say, without a copy of them.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Track {
    pub events: Vec<Event>,
    /// The meta events that matter here.
    pub metas: Vec<(u64, Meta)>,
    /// The offset of the first event that could not be read.
    pub broken_at: Option<usize>,
    pub has_end: bool,
    pub high_data_bytes: usize,
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Meta {
    TrackName(String),
    Marker(String),
    /// Microseconds per quarter note.
    Tempo(u32),
    /// Numerator and power of two of the denominator.
    Metre(u8, u8),
}

/// An event of a track: where its bytes lie in the file.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Event {
    /// In ticks of the file.
    pub tick: u64,
    /// Its bytes: without the delta time, without the status where that was running.
    at: u32,
    size: u32,
    /// The status byte that holds for it.
    status: u8,
    running: bool,
}

/// A note-on or note-off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct NoteMessage {
    pub channel: u8,
    pub key: u8,
    /// 0 for a note-on that is an off.
    pub velocity: u8,
    pub is_on: bool,
}

impl Event {
    fn bytes(self, file: &[u8]) -> &[u8] {
        &file[self.at as usize..(self.at + self.size) as usize]
    }

    /// Its bytes with its status.
    pub fn write(self, file: &[u8], out: &mut Vec<u8>) {
        if self.running {
            out.push(self.status);
        }
        out.extend_from_slice(self.bytes(file));
    }

    /// Whether it is a note-on or note-off.
    pub fn is_note(self) -> bool {
        self.status & 0xe0 == 0x80
    }

    /// The note message that it is, if it is one.
    pub fn note(self, file: &[u8]) -> Option<NoteMessage> {
        if !self.is_note() {
            return None;
        }
        let data = &self.bytes(file)[usize::from(!self.running)..];
        let (key, velocity) = (data[0] & 0x7f, data[1] & 0x7f);
        Some(NoteMessage { channel: self.status & 0x0f, key, velocity, is_on: self.status & 0xf0 == 0x90 })
    }

    pub fn is_end(self, file: &[u8]) -> bool {
        self.status == 0xff && self.bytes(file).get(1) == Some(&0x2f)
    }
}

/// What follows the header, in its order.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Chunk {
    Track(Track),
    /// A chunk of a kind that is not known here: where it lies, with its name and length.
    Other(Range<usize>),
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Chunks {
    pub header: Header,
    pub chunks: Vec<Chunk>,
    /// Where a chunk claims more bytes than there are, or the file ends inside a chunk's head.
    pub cut_at: Option<usize>,
}

impl Chunks {
    /// A file that ends with its header.
    pub fn none(header: Header) -> Chunks {
        Chunks { header, chunks: Vec::new(), cut_at: None }
    }

    pub fn tracks(&self) -> impl Iterator<Item = &Track> {
        self.chunks.iter().filter_map(|chunk| match chunk {
            Chunk::Track(track) => Some(track),
            Chunk::Other(_) => None,
        })
    }
}

fn u16_at(bytes: &[u8], at: usize) -> u16 {
    u16::from_be_bytes([bytes[at], bytes[at + 1]])
}

fn u32_at(bytes: &[u8], at: usize) -> usize {
    u32::from_be_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]) as usize
}

pub(crate) fn header(bytes: &[u8]) -> Result<Header, ReadError> {
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    if !bytes.starts_with(b"MThd") {
        return Err(ReadError::NotMidi);
    }
    if bytes.len() < 14 {
        return Err(ReadError::HeaderCut { offset: bytes.len() });
    }
    let length = u32_at(bytes, 4);
    if length < 6 {
        return Err(ReadError::HeaderShort { length });
    }
    let header = Header {
        format: u16_at(bytes, 8),
        tracks: u16_at(bytes, 10),
        division: u16_at(bytes, 12),
        size: 8usize.saturating_add(length).min(bytes.len()),
    };
    match header {
        Header { format, .. } if format > 2 => Err(ReadError::Format { format }),
        Header { division: 0, .. } => Err(ReadError::NoResolution),
        _ => Ok(header),
    }
}

pub(crate) fn chunks(bytes: &[u8]) -> Result<Chunks, ReadError> {
    let header = header(bytes)?;
    let mut found = Chunks::none(header);
    let mut at = header.size;
    while at < bytes.len() {
        if bytes.len() - at < 8 {
            found.cut_at = Some(at);
            break;
        }
        let (start, claimed) = (at + 8, u32_at(bytes, at + 4));
        let end = start.saturating_add(claimed).min(bytes.len());
        if end - start < claimed {
            found.cut_at = Some(bytes.len());
        }
        found.chunks.push(match &bytes[at..at + 4] {
            b"MTrk" => Chunk::Track(track(&bytes[start..end], start)),
            _ => Chunk::Other(at..end),
        });
        at = end;
    }
    Ok(found)
}

fn track(data: &[u8], offset: usize) -> Track {
    // Most events are notes of three or four bytes.
    let mut track = Track { events: Vec::with_capacity(data.len() / 4), ..Track::default() };
    let mut iter = EventIter::new(data);
    let mut tick = 0u64;
    loop {
        let before = iter.unread();
        if before.is_empty() {
            break;
        }
        let at = offset + data.len() - before.len();
        let Some(delta_size) = delta_size(before) else {
            track.broken_at = Some(at);
            break;
        };
        let running_status = iter.running_status();
        let event = match iter.next() {
            Some(Ok(event)) => event,
            _ => match without_top_bits(before, delta_size, running_status) {
                Some((event, rest)) => {
                    iter = rest;
                    event
                }
                None => {
                    track.broken_at = Some(at);
                    break;
                }
            },
        };
        tick += u64::from(event.delta.as_int());
        let bytes = &before[delta_size..before.len() - iter.unread().len()];
        let running = bytes.first().is_some_and(|&byte| byte < 0x80);
        let status = if running { iter.running_status().unwrap_or(0) } else { bytes.first().copied().unwrap_or(0) };
        match event.kind {
            TrackEventKind::Midi { .. } => {
                let data_bytes = &bytes[usize::from(!running)..];
                track.high_data_bytes += data_bytes.iter().filter(|&&byte| byte > 127).count();
            }
            TrackEventKind::Meta(message) => track.metas.extend(meta(message).map(|meta| (tick, meta))),
            _ => {}
        }
        track.has_end = matches!(event.kind, TrackEventKind::Meta(MetaMessage::EndOfTrack));
        let (at, size) = ((at + delta_size) as u32, bytes.len() as u32);
        track.events.push(Event { tick, at, size, status, running });
        if track.has_end {
            break;
        }
    }
    track
}

fn meta(message: MetaMessage<'_>) -> Option<Meta> {
    match message {
        MetaMessage::TrackName(text) => Some(Meta::TrackName(readable(text))),
        MetaMessage::Marker(text) => Some(Meta::Marker(readable(text))),
        MetaMessage::Tempo(micros) => Some(Meta::Tempo(micros.as_int())),
        MetaMessage::TimeSignature(numerator, power, _, _) => Some(Meta::Metre(numerator, power)),
        _ => None,
    }
}

/// Reads a channel message whose data bytes are above 127 without their top bits, and goes on
/// behind it.
fn without_top_bits(
    bytes: &[u8],
    delta_size: usize,
    running_status: Option<u8>,
) -> Option<(TrackEvent<'static>, EventIter<'_>)> {
    let delta = bytes[..delta_size].iter().fold(0u32, |sum, byte| sum << 7 | u32::from(byte & 0x7f));
    let (status, data) = match bytes[delta_size..].split_first()? {
        (&status, data) if status >= 0x80 => (status, data),
        _ => (running_status?, &bytes[delta_size..]),
    };
    let size = match status {
        0xc0..=0xdf => 1,
        0x80..=0xef => 2,
        _ => return None,
    };
    let message: Vec<u8> = std::iter::once(status).chain(data.get(..size)?.iter().map(|byte| byte & 0x7f)).collect();
    let kind = match LiveEvent::parse(&message).ok()? {
        LiveEvent::Midi { channel, message } => TrackEventKind::Midi { channel, message },
        _ => return None,
    };
    let mut rest = EventIter::new(&data[size..]);
    *rest.running_status_mut() = Some(status);
    Some((TrackEvent { delta: delta.into(), kind }, rest))
}

/// How many bytes a delta time takes; nothing where it does not end within four.
fn delta_size(bytes: &[u8]) -> Option<usize> {
    bytes.iter().take(4).position(|&byte| byte < 0x80).map(|last| last + 1)
}
