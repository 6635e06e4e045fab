//! Grooves as plain MIDI clips: any file read as one, and one written as a file.

use crate::import::read;
use crate::read_error::ReadError;
use crate::song::{SongFile, SongPart};
use midly::num::{u4, u7, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
use vivida_core::{
    Extracted, Extraction, Family, FieldError, Grid, GrooveProfile, GrooveSlots, Kit, Part, PlayedHit, Ppq, Velocity,
};

/// Why a file is no groove.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ClipError {
    /// It cannot be read.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// It is a file without notes.
    #[error("the file holds no notes, so there is no groove in it; choose another one")]
    NoNotes,
    /// There is nothing in it to take.
    #[error("{}", .0.message)]
    Groove(#[from] FieldError),
}

/// The velocity of a slot whose ratio is 1.
const LEVEL: f64 = 80.0;

/// A clip of more bars than a groove has is laid over itself every so many.
const FOLDED: u32 = 4;

/// Reads any MIDI file as a groove: the notes of its drum parts together, or, where it has none, of all
/// its parts.
///
/// ```
/// use vivida_core::{GrooveProfile, GrooveSlot};
/// let late = GrooveSlot { offset: 0.125, ..GrooveSlot::default() };
/// let groove = GrooveProfile { together: [(5, late)].into(), ..GrooveProfile::default() };
/// let again = vivida_smf::groove_of_clip("Again", &vivida_smf::clip_of(&groove)).unwrap().groove;
/// assert_eq!((again.grid, again.together[&5].offset), (groove.grid, 0.125));
/// ```
///
/// # Errors
///
/// Where the file cannot be read or has no notes.
pub fn groove_of_clip(name: &str, bytes: &[u8]) -> Result<Extracted, ClipError> {
    let song = read(bytes)?;
    if song.parts.is_empty() {
        return Err(ClipError::NoNotes);
    }
    let drums: Vec<&SongPart> = song.parts.iter().filter(|part| part.drums).collect();
    let left_out = if drums.is_empty() { 0 } else { song.parts.len() - drums.len() };
    let parts = if drums.is_empty() { song.parts.iter().collect() } else { drums };
    let hits: Vec<_> = parts.iter().flat_map(|part| part.part.hits().iter().copied()).collect();
    let part = Part::new(hits);
    let kit = if left_out > 0 || parts.iter().any(|part| part.drums) {
        Kit::of_drums(&part)
    } else {
        Kit::of_tones(name, &part)
    };
    let played: Vec<PlayedHit> = part.hits().iter().map(PlayedHit::as_written).collect();
    let bars = bars_of(&song, &part);
    let length = if bars > GrooveProfile::MOST_BARS { FOLDED } else { bars };
    let take = Extraction { length, grid: grid_told(bytes), ..Extraction::default() };
    let chart = vivida_core::Chart::new(&part, kit);
    let mut taken = GrooveProfile::taken(name, &chart, &song.tempo, &song.metre, &played, &take)?;
    if length < bars {
        taken.said.push(format!("The clip's {bars} bars were laid over one another in {length}."));
    }
    if left_out > 0 {
        taken.said.push("Only the drums were taken; the other parts were left out.".to_owned());
    }
    taken.said.extend(song.mended);
    Ok(taken)
}

/// The text event that says which grid a clip was made on, for readers who know it.
const GRID_TEXT: &str = "groove grid ";

/// The grid that a clip says itself that it was made on; nothing where it says none.
pub fn grid_told(bytes: &[u8]) -> Option<Grid> {
    let file = Smf::parse(bytes).ok()?;
    let texts = file.tracks.iter().flatten().filter_map(|event| match event.kind {
        TrackEventKind::Meta(MetaMessage::Text(text)) => std::str::from_utf8(text).ok(),
        _ => None,
    });
    texts.filter_map(|text| text.strip_prefix(GRID_TEXT)?.parse().ok()).next()
}

/// The bars in which hits begin.
fn bars_of(song: &SongFile, part: &Part) -> u32 {
    part.hits().last().map_or(1, |last| song.metre.bar_at(last.tick).number)
}

/// The groove as a file of format 0: one note for each known slot of each family, or of all together on
/// the closed hat. A text event names the grid. Early slots of the first line lie at the end.
pub fn clip_of(groove: &GrooveProfile) -> Vec<u8> {
    let ppq = Ppq::new(Ppq::FINE).expect("above 0");
    let cell = groove.grid.cell(ppq).0;
    let bar = groove.metre.bar_length(ppq).0;
    let end = (bar * f64::from(groove.bars)).round() as u32;
    let together = [(Family::Hat, groove.together.clone())];
    let voices: Vec<(Family, &GrooveSlots)> = if groove.families.is_empty() {
        together.iter().map(|(family, slots)| (*family, slots)).collect()
    } else {
        groove.families.iter().map(|(family, slots)| (*family, slots)).collect()
    };
    // Note-offs before note-ons at one tick, so that no note ends the next one.
    let mut events: Vec<(u32, bool, TrackEventKind<'_>)> = Vec::new();
    for (family, slots) in voices {
        let (channel, key) = voice_of(family);
        for (&slot, one) in slots {
            let (number, in_bar) = ((slot - 1) / groove.slots_a_bar(), (slot - 1) % groove.slots_a_bar());
            let line = f64::from(number) * bar + f64::from(in_bar) * cell;
            let tick = (line + one.offset * cell).rem_euclid(f64::from(end)).round() as u32 % end;
            let length = (cell / 2.0 * one.length).round().clamp(1.0, f64::from((end - tick).max(1))) as u32;
            let vel = u7::from(Velocity::rounded(LEVEL * one.velocity).get());
            let (channel, key) = (u4::from(channel), u7::from(key));
            events.push((tick, true, TrackEventKind::Midi { channel, message: MidiMessage::NoteOn { key, vel } }));
            let off = MidiMessage::NoteOff { key, vel: u7::from(64) };
            events.push((tick + length, false, TrackEventKind::Midi { channel, message: off }));
        }
    }
    events.sort_by_key(|(tick, on, _)| (*tick, *on));
    let grid = format!("{GRID_TEXT}{}", groove.grid);
    let micros = u24::from((60e6 / groove.tempo).round().clamp(1.0, 16_777_215.0) as u32);
    let metre = &groove.metre;
    let meta = |message| TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(message) };
    let mut track = vec![
        meta(MetaMessage::TrackName(groove.name.as_bytes())),
        meta(MetaMessage::Text(grid.as_bytes())),
        meta(MetaMessage::Tempo(micros)),
        meta(MetaMessage::TimeSignature(metre.numerator, metre.denominator.trailing_zeros() as u8, 24, 8)),
    ];
    let mut now = 0;
    for (tick, _, kind) in events {
        track.push(TrackEvent { delta: u28::from(tick - now), kind });
        now = tick;
    }
    track.push(TrackEvent {
        delta: u28::from(end.saturating_sub(now)),
        kind: TrackEventKind::Meta(MetaMessage::EndOfTrack),
    });
    let header = Header { format: Format::SingleTrack, timing: Timing::Metrical(u15::from(Ppq::FINE as u16)) };
    let mut bytes = Vec::new();
    Smf { header, tracks: vec![track] }.write_std(&mut bytes).expect("memory can be written to");
    bytes
}

/// The channel (from 0) and the note that a family is written with; drums by the General MIDI map.
fn voice_of(family: Family) -> (u8, u8) {
    match family {
        Family::Kick => (9, 36),
        Family::Snare => (9, 38),
        Family::Tom => (9, 45),
        Family::Hat => (9, 42),
        Family::Ride => (9, 51),
        Family::Crash => (9, 49),
        Family::HandPercussion => (9, 63),
        Family::Other => (9, 99),
        Family::Tonal => (0, 36),
    }
}
