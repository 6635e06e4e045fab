//! The chunks of a file and the events of its tracks, each with its place and its bytes.

use crate::import::ReadError;
use midly::live::LiveEvent;
use midly::{EventIter, TrackEvent, TrackEventKind};

/// The header chunk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Header {
    pub format: u16,
    pub tracks: u16,
    pub division: u16,
    /// The whole chunk, with its name and length.
    pub size: usize,
}

pub(crate) struct Track<'a> {
    pub events: Vec<Event<'a>>,
    /// The offset of the first event that could not be read.
    pub broken_at: Option<usize>,
    pub has_end: bool,
    pub high_data_bytes: usize,
}

#[derive(Clone)]
pub(crate) struct Event<'a> {
    /// In ticks of the file.
    pub tick: u64,
    pub kind: TrackEventKind<'a>,
    /// The status byte that holds for it.
    status: u8,
    /// Without the delta time; without the status where that was running.
    bytes: &'a [u8],
}

impl Event<'_> {
    /// Its bytes with its status.
    pub fn write(&self, out: &mut Vec<u8>) {
        if self.bytes.first().is_some_and(|&byte| byte < 0x80) {
            out.push(self.status);
        }
        out.extend_from_slice(self.bytes);
    }

    pub fn is_end(&self) -> bool {
        matches!(self.kind, TrackEventKind::Meta(midly::MetaMessage::EndOfTrack))
    }
}

pub(crate) enum Chunk<'a> {
    Track(Track<'a>),
    /// A chunk of a kind that is not known here, with its name and length.
    Other(&'a [u8]),
}

pub(crate) struct Chunks<'a> {
    pub header: Header,
    pub chunks: Vec<Chunk<'a>>,
    /// Where a chunk claims more bytes than there are, or the file ends inside a chunk's head.
    pub cut_at: Option<usize>,
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

pub(crate) fn chunks(bytes: &[u8]) -> Result<Chunks<'_>, ReadError> {
    let header = header(bytes)?;
    let mut found = Chunks { header, chunks: Vec::new(), cut_at: None };
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
            _ => Chunk::Other(&bytes[at..end]),
        });
        at = end;
    }
    Ok(found)
}

fn track(data: &[u8], offset: usize) -> Track<'_> {
    let mut track = Track { events: Vec::new(), broken_at: None, has_end: false, high_data_bytes: 0 };
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
        if matches!(event.kind, TrackEventKind::Midi { .. }) {
            let data_bytes = if running { bytes } else { &bytes[1..] };
            track.high_data_bytes += data_bytes.iter().filter(|&&byte| byte > 127).count();
        }
        let event = Event { tick, kind: event.kind, status, bytes };
        track.has_end = event.is_end();
        track.events.push(event);
        if track.has_end {
            break;
        }
    }
    track
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
