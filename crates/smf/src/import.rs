//! From bytes to a song.

use crate::chunk::{Chunks, Meta, Track, chunks};
use crate::lanes;
use crate::notes::{NoteEvents, pair};
use crate::read_error::{MOST_BARS, MOST_HITS, MOST_PARTS, MOST_TRACKS, ReadError};
use crate::song::{Marker, SongFile, SongPart};
use std::collections::HashMap;
use vivida_core::{Channel, Hit, HitId, Metre, MetreMap, Note, Part, Ppq, TempoMap, Ticks, Velocity};

/// The resolution: ticks per quarter note of the file, and for SMPTE timing the length of a
/// quarter in microseconds.
fn resolution(division: u16) -> (Ppq, u32, Option<u32>) {
    let [high, low] = division.to_be_bytes();
    if high < 0x80 {
        let own = Ppq::new(u32::from(division)).expect("0 was refused");
        let factor = own.factor_to_fine();
        return (Ppq::new(own.get() * factor).expect("not 0"), factor, None);
    }
    // At 120 bpm half a second is a quarter note. 29 stands for 30 frames at 29.97 a second.
    let frames = match high.wrapping_neg() {
        29 => 30,
        0 => 1,
        frames => u32::from(frames),
    };
    let micros = if high.wrapping_neg() == 29 { 500_500 } else { 500_000 };
    let per_second = frames * u32::from(low.max(1));
    let factor = (2 * Ppq::FINE).div_ceil(per_second);
    let factor = if per_second % 2 == 1 && factor % 2 == 1 { factor + 1 } else { factor };
    (Ppq::new(per_second * factor / 2).expect("not 0"), factor, Some(micros))
}

/// Read a file.
///
/// # Errors
///
/// What cannot be mended, with the offset where it stands.
pub fn read(bytes: &[u8]) -> Result<SongFile, ReadError> {
    let found = chunks(bytes)?;
    let (ppq, factor, smpte) = resolution(found.header.division);
    let tracks: Vec<&Track> = found.tracks().collect();
    if tracks.is_empty() {
        return Err(ReadError::NoTracks { offset: found.header.size });
    }
    if tracks.len() > MOST_TRACKS {
        return Err(ReadError::TooManyTracks { tracks: tracks.len() });
    }
    let mut mended = mended_chunks(&found, tracks.len());
    let conductors = if found.header.format == 2 { &tracks[..1] } else { &tracks[..] };
    let maps = Maps::collect(conductors, factor, &mut mended);
    let tempo = match smpte {
        None => TempoMap::new(ppq, maps.tempo),
        Some(micros) => {
            mended
                .push("The file counts in frames (SMPTE): it is shown at 120 bpm; times in seconds are exact.".into());
            TempoMap::new(ppq, [(Ticks(0.0), micros)])
        }
    };
    let mut song = SongFile {
        format: found.header.format,
        ppq,
        factor,
        smpte: smpte.is_some(),
        tempo,
        metre: MetreMap::new(ppq, maps.metre),
        markers: maps.markers,
        parts: Vec::new(),
        hits: 0,
        end: Ticks(0.0),
        mended,
        chunks: Chunks::none(found.header),
    };
    for (number, track) in tracks.iter().enumerate() {
        add_parts(&mut song, bytes, number, track);
        check_size(&song)?;
    }
    if song.bars() > MOST_BARS {
        return Err(ReadError::TooLong { bars: u64::from(song.bars()) });
    }
    song.chunks = found;
    Ok(song)
}

fn check_size(song: &SongFile) -> Result<(), ReadError> {
    if song.parts.len() > MOST_PARTS {
        return Err(ReadError::TooManyParts { parts: song.parts.len() });
    }
    if song.hits > MOST_HITS {
        return Err(ReadError::TooManyNotes { hits: song.hits });
    }
    Ok(())
}

fn mended_chunks(found: &Chunks, tracks: usize) -> Vec<String> {
    let mut mended = Vec::new();
    if usize::from(found.header.tracks) != tracks {
        mended.push(format!(
            "The header claims {} tracks; the file holds {tracks}, and all are read.",
            found.header.tracks
        ));
    }
    if let Some(offset) = found.cut_at {
        mended.push(format!("Offset {offset}: the file ends too early; all before is kept."));
    }
    if found.header.format == 2 && tracks > 1 {
        mended.push("Format 2: the patterns are shown side by side, with the tempo and metre of the first.".into());
    }
    mended
}

struct Maps {
    tempo: Vec<(Ticks, u32)>,
    metre: Vec<(Ticks, Metre)>,
    markers: Vec<Marker>,
}

impl Maps {
    fn collect(tracks: &[&Track], factor: u32, mended: &mut Vec<String>) -> Maps {
        let mut maps = Maps { tempo: Vec::new(), metre: Vec::new(), markers: Vec::new() };
        let mut odd_metres = 0;
        for (tick, meta) in tracks.iter().flat_map(|track| &track.metas) {
            let tick = Ticks(*tick as f64 * f64::from(factor));
            match meta {
                Meta::Tempo(micros) => maps.tempo.push((tick, *micros)),
                Meta::Metre(numerator, power) => {
                    let denominator = 1u8.checked_shl(u32::from(*power)).unwrap_or(0);
                    match Metre::new(*numerator, denominator) {
                        Some(metre) => maps.metre.push((tick, metre)),
                        None => odd_metres += 1,
                    }
                }
                Meta::Marker(name) => maps.markers.push(Marker { tick, name: name.clone() }),
                Meta::TrackName(_) | Meta::Begun(_) => {}
            }
        }
        if odd_metres > 0 {
            mended.push(match odd_metres {
                1 => "1 impossible time signature is passed over.".to_owned(),
                many => format!("{many} impossible time signatures are passed over."),
            });
        }
        maps.tempo.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
        maps.metre.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
        maps.markers.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0));
        maps.markers.retain(|marker| !marker.name.is_empty());
        maps
    }
}

fn add_parts(song: &mut SongFile, bytes: &[u8], number: usize, track: &Track) {
    let shown = number + 1;
    let pairing = pair(bytes, &track.events);
    if let Some(offset) = track.broken_at {
        song.mended.push(format!("Track {shown}: offset {offset}: the data stop making sense; all before is kept."));
    } else if !track.has_end {
        song.mended.push(format!("Track {shown}: its end is not marked; it ends with its last event."));
    }
    if let Some(offset) = track.cut_at {
        let what = "the last event claims more bytes than there are; its length is put right";
        song.mended.push(format!("Track {shown}: offset {offset}: {what}."));
    }
    let mut mend = |count: usize, one: &str, many: &str| match count {
        0 => {}
        1 => song.mended.push(format!("Track {shown}: {one}.")),
        count => song.mended.push(format!("Track {shown}: {count} {many}.")),
    };
    mend(
        track.carried_on,
        "1 event goes on with the status from before a meta or SysEx event; it is read so, and written with it",
        "events go on with the status from before a meta or SysEx event; they are read so, and written with it",
    );
    mend(
        track.high_data_bytes,
        "1 data byte above 127 is read without its top bit",
        "data bytes above 127 are read without their top bit",
    );
    mend(
        pairing.never_ended,
        "1 note is never ended; it lasts to the end of the track",
        "notes are never ended; they last to the end of the track",
    );
    mend(
        pairing.stray_offs,
        "1 note-off ends no note; it is passed over and kept in the file",
        "note-offs end no note; they are passed over and kept in the file",
    );
    mend(pairing.zero_length, "1 note has no length; it lasts one tick", "notes have no length; they last one tick");

    let has_stray_offs = pairing.stray_offs > 0;
    let channels = by_channel(pairing.notes);
    let name = track_name(track);
    let several = channels.len() > 1;
    let begun = track.metas.iter().find_map(|(_, meta)| match meta {
        Meta::Begun(channel) => Some(*channel),
        _ => None,
    });
    let fine = |tick: u64| Ticks(tick as f64 * f64::from(song.factor));
    let mut lanes = lanes::by_channel(bytes, track, song.factor);
    let last = fine(track.events.last().map_or(0, |event| event.tick));
    if let Some(channel) = begun.filter(|_| channels.is_empty()).map(Channel::from_status) {
        let name = if name.is_empty() { format!("Track {shown}, channel {}", channel.shown()) } else { name.clone() };
        song.parts.push(SongPart {
            track: number,
            channel,
            name,
            drums: channel == Channel::PERCUSSION,
            part: Part::default(),
            begun: Some(last),
            notes: Vec::new(),
            lanes: lanes.remove(&channel.get()).unwrap_or_default(),
            numbers: HashMap::new(),
            has_stray_offs,
        });
    }
    for notes in channels {
        let channel = Channel::from_status(notes[0].channel);
        let drums = looks_like_drums(&name, channel, &notes);
        let name = match (name.as_str(), several) {
            ("", _) if drums => format!("Drums (track {shown}, channel {})", channel.shown()),
            ("", _) => format!("Track {shown}, channel {}", channel.shown()),
            (name, true) => format!("{name} (channel {})", channel.shown()),
            (name, false) => name.to_owned(),
        };
        let part = Part::new(notes.iter().enumerate().map(|(id, note)| hit(id, note, song.factor)).collect());
        song.hits += part.hits().len();
        let (begun, numbers) = (None, HashMap::new());
        let lanes = lanes.remove(&channel.get()).unwrap_or_default();
        let track = number;
        song.parts.push(SongPart { track, channel, name, drums, part, begun, notes, lanes, numbers, has_stray_offs });
    }
    song.end = Ticks(song.end.0.max(last.0));
}

fn hit(id: usize, note: &NoteEvents, factor: u32) -> Hit {
    let fine = |tick: u64| Ticks(tick as f64 * f64::from(factor));
    Hit {
        id: HitId::new(id as u32),
        tick: fine(note.tick),
        length: Ticks(fine(note.end - note.tick).0.max(1.0)),
        velocity: Velocity::rounded(f64::from(note.velocity)),
        release: note.release,
        note: Note::from_data(note.note),
        channel: Channel::from_status(note.channel),
    }
}

/// The notes of each channel that has any, in the order of the channels.
fn by_channel(notes: Vec<NoteEvents>) -> Vec<Vec<NoteEvents>> {
    if notes.iter().all(|note| note.channel == notes[0].channel) {
        return if notes.is_empty() { Vec::new() } else { vec![notes] };
    }
    let mut channels = vec![Vec::new(); 16];
    for note in notes {
        channels[usize::from(note.channel)].push(note);
    }
    channels.retain(|notes| !notes.is_empty());
    channels
}

fn track_name(track: &Track) -> String {
    let names = track.metas.iter().filter_map(|(_, meta)| match meta {
        Meta::TrackName(name) if !name.is_empty() => Some(name.clone()),
        _ => None,
    });
    names.into_iter().next().unwrap_or_default()
}

/// Channel 10, or a name that says so over notes of the percussion map.
fn looks_like_drums(name: &str, channel: Channel, notes: &[NoteEvents]) -> bool {
    const WORDS: [&str; 14] = [
        "drum",
        "perc",
        "kit",
        "kick",
        "snare",
        "hat",
        "cymbal",
        "tom",
        "conga",
        "bongo",
        "shaker",
        "tambourine",
        "clap",
        "woodblock",
    ];
    let lower = name.to_lowercase();
    let named =
        WORDS.iter().any(|word| lower.split(|letter: char| !letter.is_alphabetic()).any(|part| part.starts_with(word)));
    channel == Channel::PERCUSSION || (named && notes.iter().all(|note| (27..=87).contains(&note.note)))
}
