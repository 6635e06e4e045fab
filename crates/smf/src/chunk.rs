//! The chunks of a file and the events of its tracks, each with its place and its bytes.

use crate::read_error::ReadError;
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
    /// There are events that lanes are made of.
    pub has_lanes: bool,
    /// Events that go on with the status from before a meta or SysEx event.
    pub carried_on: usize,
    /// The offset of a last event that claims more bytes than there are; what is there is kept.
    pub cut_at: Option<usize>,
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Meta {
    TrackName(String),
    Marker(String),
    /// Microseconds per quarter note.
    Tempo(u32),
    /// Numerator and power of two of the denominator.
    Metre(u8, u8),
    /// A part of this channel begins here, with nothing written in it (see `begun.rs`).
    Begun(u8),
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
    /// It claims more bytes than there are.
    cut: bool,
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

impl NoteMessage {
    /// Whether it ends a note.
    pub fn ends(self) -> bool {
        !self.is_on || self.velocity == 0
    }
}

impl Event {
    fn bytes(self, file: &[u8]) -> &[u8] {
        &file[self.at as usize..(self.at + self.size) as usize]
    }

    /// Its bytes with its status, and the length of what is there.
    pub fn write(self, file: &[u8], out: &mut Vec<u8>) {
        let bytes = self.bytes(file);
        if self.cut {
            let head = usize::from(self.status == 0xff) + 1;
            let length = variable_length(&bytes[head..]).map_or(0, |(_, size)| size);
            let data = &bytes[head + length..];
            out.extend_from_slice(&bytes[..head]);
            write_variable_length(out, data.len() as u32);
            out.extend_from_slice(data);
            return;
        }
        if self.running {
            out.push(self.status);
        }
        out.extend_from_slice(bytes);
    }

    /// Its status byte; a running one, too.
    pub fn status(self) -> u8 {
        self.status
    }

    /// The two data bytes of a channel message, as far as it has them.
    pub fn data(self, file: &[u8]) -> [u8; 2] {
        let data = self.bytes(file).get(usize::from(!self.running)..).unwrap_or_default();
        [0, 1].map(|place| data.get(place).map_or(0, |byte| byte & 0x7f))
    }

    /// The type of a meta event.
    pub fn meta_type(self, file: &[u8]) -> Option<u8> {
        if self.status == 0xff { self.bytes(file).get(1).copied() } else { None }
    }

    /// Whether it is a note-on or note-off.
    pub fn is_note(self) -> bool {
        self.status & 0xe0 == 0x80
    }

    /// Whether it is a controller, a bend or pressure.
    pub fn is_of_lane(self) -> bool {
        is_of_lane(self.status)
    }

    /// The note message that it is, if it is one.
    pub fn note(self, file: &[u8]) -> Option<NoteMessage> {
        if !self.is_note() {
            return None;
        }
        let [key, velocity] = self.data(file);
        Some(NoteMessage { channel: self.status & 0x0f, key, velocity, is_on: self.status & 0xf0 == 0x90 })
    }

    pub fn is_end(self, file: &[u8]) -> bool {
        self.meta_type(file) == Some(0x2f)
    }
}

fn is_of_lane(status: u8) -> bool {
    matches!(status & 0xf0, 0xa0 | 0xb0 | 0xd0 | 0xe0)
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
    let mut channel_status = None;
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
        // By the letter a meta or SysEx event ends the running status. Many writers go on with it.
        let goes_on = iter.running_status().is_none() && before.get(delta_size).is_some_and(|&byte| byte < 0x80);
        if goes_on {
            *iter.running_status_mut() = channel_status;
        }
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
        let cut = status >= 0xf0 && is_cut(bytes);
        if cut && !may_be_shorter(bytes) {
            track.broken_at = Some(at);
            break;
        }
        if cut {
            track.cut_at = Some(at);
        }
        match event.kind {
            TrackEventKind::Midi { .. } => {
                channel_status = Some(status);
                track.carried_on += usize::from(goes_on);
                track.has_lanes |= is_of_lane(status);
                let data_bytes = &bytes[usize::from(!running)..];
                track.high_data_bytes += data_bytes.iter().filter(|&&byte| byte > 127).count();
            }
            TrackEventKind::Meta(message) => track.metas.extend(meta(message).map(|meta| (tick, meta))),
            _ => {}
        }
        track.has_end = matches!(event.kind, TrackEventKind::Meta(MetaMessage::EndOfTrack));
        let (at, size) = ((at + delta_size) as u32, bytes.len() as u32);
        track.events.push(Event { tick, at, size, status, running, cut });
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
        MetaMessage::SequencerSpecific(data) => channel_of(data).map(Meta::Begun),
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
    let (delta, _) = variable_length(bytes)?;
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

/// Whether a meta or SysEx event claims more bytes than there are.
fn is_cut(bytes: &[u8]) -> bool {
    let head = if bytes[0] == 0xff { 2 } else { 1 };
    match bytes.get(head..).and_then(variable_length) {
        Some((claimed, size)) => bytes.len() - head - size < claimed as usize,
        None => matches!(bytes[0], 0xf0 | 0xf7 | 0xff),
    }
}

/// Whether what is there of a cut event still says something: texts and data of any length do.
fn may_be_shorter(bytes: &[u8]) -> bool {
    let head = if bytes[0] == 0xff { 2 } else { 1 };
    let has_length = bytes.get(head..).and_then(variable_length).is_some();
    let fixed = [0x00, 0x20, 0x21, 0x2f, 0x51, 0x54, 0x58, 0x59];
    has_length && !(bytes[0] == 0xff && fixed.contains(&bytes[1]))
}

/// A variable-length quantity and how many bytes it takes; nothing where it does not end within four.
fn variable_length(bytes: &[u8]) -> Option<(u32, usize)> {
    let size = delta_size(bytes)?;
    Some((bytes[..size].iter().fold(0, |sum, byte| sum << 7 | u32::from(byte & 0x7f)), size))
}

/// A number below 2^28 as a variable-length quantity.
#[inline(always)]
pub(crate) fn write_variable_length(out: &mut Vec<u8>, number: u32) {
    // Most times between events are short.
    if number < 0x80 {
        out.push(number as u8);
        return;
    }
    for shift in [21, 14, 7] {
        if number >> shift > 0 {
            out.push(0x80 | (number >> shift & 0x7f) as u8);
        }
    }
    out.push((number & 0x7f) as u8);
}

/// How many bytes a delta time takes; nothing where it does not end within four.
#[inline]
fn delta_size(bytes: &[u8]) -> Option<usize> {
    if bytes.first().is_some_and(|&byte| byte < 0x80) {
        return Some(1);
    }
    bytes.iter().take(4).position(|&byte| byte < 0x80).map(|last| last + 1)
}

pub(crate) const MARK: &[u8] = b"\x7dvivida";

/// The channel of a part that is begun by such data.
pub(crate) fn channel_of(data: &[u8]) -> Option<u8> {
    match data.strip_prefix(MARK) {
        Some(&[channel]) if channel < 16 => Some(channel),
        _ => None,
    }
}
