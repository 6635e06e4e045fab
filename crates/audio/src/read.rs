//! Files of sound in: WAV, AIFF, FLAC, Ogg Vorbis and MP3, decoded by symphonia, brought to [`RATE`] by rubato.

use crate::RATE;
use crate::clip::Clip;
use crate::frames::{IntoFile, IntoMemory, OnDisk, Sink};
use rubato::audioadapter_buffers::direct::{InterleavedSlice, SequentialSliceOfVecs};
use rubato::{Fft, FixedSync, Indexing, Resampler};
use serde::{Deserialize, Serialize};
use std::fs::File;
use std::io::{self, Cursor, SeekFrom};
use std::panic::{self, AssertUnwindSafe};
use symphonia::core::codecs::audio::AudioDecoderOptions;
use symphonia::core::errors::Error;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, TrackType};
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;
use thiserror::Error as ThisError;
use ts_rs::TS;

/// Why a file cannot be used. Each is the end of a sentence that begins with the file's name.
#[derive(Clone, Debug, PartialEq, Eq, ThisError)]
pub enum ReadError {
    /// It is something else, whatever it is called.
    #[error("is no WAV, AIFF, FLAC, Ogg Vorbis or MP3 file; export it as one of these")]
    Unknown,
    /// It is one of them, and cannot be decoded.
    #[error("cannot be decoded ({0}); export it again")]
    Damaged(String),
    /// It has no samples.
    #[error("holds no sound")]
    Empty,
    /// It lasts too long.
    #[error("lasts longer than {} minutes; cut it first", Clip::MOST_MINUTES)]
    TooLong,
    /// It has more than two channels.
    #[error("has {0} channels; mix it down to one or two")]
    Channels(usize),
    /// Its rate is out of this world.
    #[error("has {0} samples a second; 1000 to 768 000 can be used")]
    Rate(u32),
    /// There is no room for what was decoded.
    #[error("cannot be decoded: the disk is full; make room, and try again")]
    Full,
}

impl From<io::Error> for ReadError {
    fn from(error: io::Error) -> ReadError {
        match error.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => ReadError::Full,
            _ => ReadError::Damaged(error.to_string()),
        }
    }
}

/// Of what kind a file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs)]
pub enum Format {
    Wav,
    Aiff,
    Flac,
    Ogg,
    Mp3,
}

impl Format {
    /// By how a file begins; MP3 by its name where nothing else fits, as it begins with sound.
    fn of(bytes: &[u8]) -> Format {
        match bytes {
            [b'R', b'I', b'F', b'F' | b'X', ..] => Format::Wav,
            [b'F', b'O', b'R', b'M', ..] => Format::Aiff,
            [b'f', b'L', b'a', b'C', ..] => Format::Flac,
            [b'O', b'g', b'g', b'S', ..] => Format::Ogg,
            _ => Format::Mp3,
        }
    }

    fn extension(self) -> &'static str {
        match self {
            Format::Wav => "wav",
            Format::Aiff => "aiff",
            Format::Flac => "flac",
            Format::Ogg => "ogg",
            Format::Mp3 => "mp3",
        }
    }
}

/// What was read, and what is to be said of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Heard<C = Clip> {
    /// The sound.
    pub clip: C,
    /// What kind of file it was.
    pub format: Format,
    /// The rate that it had.
    pub rate: u32,
    /// Bits a sample, where it has a fixed number.
    pub bits: Option<u32>,
    /// Sentences: what was amiss and how it was mended.
    pub said: Vec<String>,
}

const RATES: std::ops::RangeInclusive<u32> = 1000..=768_000;

/// Reads a file of sound.
///
/// # Errors
///
/// [`ReadError`]. A file that breaks off is read as far as it goes.
pub fn read(bytes: impl AsRef<[u8]> + Send + Sync + 'static) -> Result<Heard, ReadError> {
    guarded(|| decode::<IntoMemory>(Box::new(Cursor::new(bytes))))
}

/// Reads a file of sound that may be long: what is decoded lies on disk.
///
/// # Errors
///
/// [`ReadError`]. A file that breaks off is read as far as it goes.
pub fn read_onto_disk(file: File) -> Result<Heard<OnDisk>, ReadError> {
    guarded(|| decode::<IntoFile>(Box::new(file)))
}

/// A decoder that a hostile file brings down takes nothing else with it.
fn guarded<T>(decode: impl FnOnce() -> Result<T, ReadError>) -> Result<T, ReadError> {
    let decoded = panic::catch_unwind(AssertUnwindSafe(decode));
    decoded.unwrap_or_else(|_| Err(ReadError::Damaged("its decoder gave up".to_owned())))
}

fn decode<S: Sink>(mut source: Box<dyn MediaSource>) -> Result<Heard<S::Done>, ReadError> {
    let mut first = [0; 4];
    let known = source.read(&mut first)?;
    if known == 0 {
        return Err(ReadError::Empty);
    }
    source.seek(SeekFrom::Start(0))?;
    let format = Format::of(&first[..known]);
    let source = MediaSourceStream::new(source, Default::default());
    let mut hint = Hint::new();
    hint.with_extension(format.extension());
    let probed =
        symphonia::default::get_probe().probe(&hint, source, FormatOptions::default(), MetadataOptions::default());
    let mut reader = probed.map_err(|error| match error {
        Error::Unsupported(_) => ReadError::Unknown,
        Error::IoError(_) if format == Format::Mp3 => ReadError::Unknown,
        other => ReadError::Damaged(other.to_string()),
    })?;
    let track = reader.default_track(TrackType::Audio).ok_or(ReadError::Empty)?;
    let id = track.id;
    let parameters = track.codec_params.as_ref().and_then(|all| all.audio()).ok_or(ReadError::Empty)?;
    let bits = parameters.bits_per_sample;
    let said_frames = track.num_frames;
    let damaged = |error: Error| ReadError::Damaged(error.to_string());
    let mut decoder = symphonia::default::get_codecs()
        .make_audio_decoder(parameters, &AudioDecoderOptions::default())
        .map_err(damaged)?;

    let mut taken: Option<Taken<S>> = None;
    let mut skipped = 0usize;
    let mut broken = None;
    let mut samples: Vec<f32> = Vec::new();
    loop {
        let packet = match reader.next_packet() {
            Ok(Some(packet)) => packet,
            Ok(None) | Err(Error::ResetRequired) => break,
            // It claims more than there is.
            Err(Error::IoError(error)) if error.kind() == std::io::ErrorKind::UnexpectedEof => {
                broken = Some("breaks off");
                break;
            }
            Err(error) if taken.is_none() => return Err(damaged(error)),
            Err(_) => {
                broken = Some("is damaged");
                break;
            }
        };
        if packet.track_id != id {
            continue;
        }
        let decoded = match decoder.decode(&packet) {
            Ok(decoded) => decoded,
            Err(Error::DecodeError(_) | Error::IoError(_)) => {
                skipped += 1;
                continue;
            }
            Err(error) => return Err(damaged(error)),
        };
        let (channels, rate) = (decoded.spec().channels().count(), decoded.spec().rate());
        samples.clear();
        decoded.copy_to_vec_interleaved(&mut samples);
        let taken = match &mut taken {
            Some(taken) => taken,
            none => none.insert(Taken::new(channels, rate, said_frames)?),
        };
        if taken.channels != channels || taken.rate != rate {
            broken = Some("changes its channels or rate");
            break;
        }
        taken.add(&mut samples)?;
    }
    let Some(taken) = taken else { return Err(ReadError::Empty) };
    let (rate, wrong, seconds) = (taken.rate, taken.wrong, taken.frames as f64 / f64::from(taken.rate));
    let clip = taken.done()?;
    let mut said = Vec::new();
    if let Some(broken) = broken {
        said.push(format!("The file {broken} after {seconds:.1} s; what is there is used."));
    }
    if skipped > 0 {
        let packets = if skipped == 1 { "One piece".to_owned() } else { format!("{skipped} pieces") };
        said.push(format!(
            "{packets} of it cannot be decoded and {} left out.",
            if skipped == 1 { "is" } else { "are" }
        ));
    }
    if wrong > 0 {
        said.push(format!("{wrong} samples are no numbers, or too large to be sound; they are silent now."));
    }
    if rate != RATE {
        said.push(format!("It was brought from {rate} to {RATE} samples a second."));
    }
    Ok(Heard { clip, format, rate, bits, said })
}

/// Samples as they come, brought to [`RATE`] on the way, so that a long file of a high rate needs little room.
struct Taken<S> {
    channels: usize,
    rate: u32,
    /// Frames of the file.
    frames: usize,
    wrong: usize,
    /// What goes to the sink next.
    out: Vec<Vec<f32>>,
    sink: S,
    /// Frames that the resampler puts in front, which are left out.
    skip: usize,
    /// Frames that came to the sink.
    done: usize,
    resampling: Option<Resampling>,
}

/// So many frames go to the sink at once.
const PIECE: usize = 1 << 15;

struct Resampling {
    resampler: Fft<f32>,
    /// Interleaved; what is too little for a piece.
    pending: Vec<f32>,
    piece: Vec<Vec<f32>>,
}

impl<S: Sink> Taken<S> {
    /// What a file says of its length is room made ready, no more.
    fn new(channels: usize, rate: u32, frames: Option<u64>) -> Result<Taken<S>, ReadError> {
        if !matches!(channels, 1 | 2) {
            return Err(ReadError::Channels(channels));
        }
        if !RATES.contains(&rate) {
            return Err(ReadError::Rate(rate));
        }
        let resampling = (rate != RATE).then(|| {
            let resampler = Fft::new(rate as usize, RATE as usize, 4096, channels, FixedSync::Input);
            let resampler = resampler.expect("rates and channels were looked at");
            let piece = vec![vec![0.0; resampler.output_frames_max()]; channels];
            Resampling { resampler, pending: Vec::new(), piece }
        });
        let length = frames.unwrap_or(0) as f64 * f64::from(RATE) / f64::from(rate);
        let room = (length as usize).min(Clip::MOST_FRAMES) + 2 * RATE as usize;
        let skip = resampling.as_ref().map_or(0, |resampling| resampling.resampler.output_delay());
        let (out, sink) = (vec![Vec::new(); channels], S::new(channels, room)?);
        Ok(Taken { channels, rate, frames: 0, wrong: 0, out, sink, skip, done: 0, resampling })
    }

    /// Lets what is ready go to the sink, up to so many frames in all.
    fn give(&mut self, most: usize) -> Result<(), ReadError> {
        let skipped = self.skip.min(self.out[0].len());
        self.skip -= skipped;
        for channel in &mut self.out {
            channel.drain(..skipped);
            channel.truncate(most - self.done);
        }
        self.done += self.out[0].len();
        self.sink.add(&self.out)?;
        self.out.iter_mut().for_each(Vec::clear);
        Ok(())
    }

    fn add(&mut self, samples: &mut [f32]) -> Result<(), ReadError> {
        self.frames += samples.len() / self.channels;
        if self.frames as f64 / f64::from(self.rate) > 60.0 * Clip::MOST_MINUTES as f64 {
            return Err(ReadError::TooLong);
        }
        for value in samples.iter_mut().filter(|value| value.is_nan() || value.abs() > 64.0) {
            *value = 0.0;
            self.wrong += 1;
        }
        match &mut self.resampling {
            None => {
                for frame in samples.chunks_exact(self.channels) {
                    self.out.iter_mut().zip(frame).for_each(|(channel, value)| channel.push(*value));
                }
            }
            Some(resampling) => resampling.add(samples, &mut self.out),
        }
        if self.out[0].len() >= PIECE { self.give(usize::MAX) } else { Ok(()) }
    }

    fn done(mut self) -> Result<S::Done, ReadError> {
        let mut most = usize::MAX;
        if let Some(resampling) = &mut self.resampling {
            let wanted = (self.frames as f64 * f64::from(RATE) / f64::from(self.rate)).round() as usize;
            let silence = vec![0.0; self.channels * resampling.resampler.input_frames_max()];
            while self.done + self.out[0].len() < wanted + self.skip {
                resampling.add(&silence, &mut self.out);
            }
            most = wanted;
        }
        self.give(most)?;
        if self.done == 0 { Err(ReadError::Empty) } else { Ok(self.sink.done(self.done)?) }
    }
}

impl Resampling {
    fn add(&mut self, samples: &[f32], out: &mut [Vec<f32>]) {
        self.pending.extend_from_slice(samples);
        let channels = out.len();
        let mut used = 0;
        loop {
            let wanted = self.resampler.input_frames_next();
            let rest = &self.pending[used..];
            if rest.len() < wanted * channels {
                break;
            }
            let frames = self.piece[0].len();
            let from = InterleavedSlice::new(rest, channels, rest.len() / channels).expect("whole frames");
            let mut into = SequentialSliceOfVecs::new_mut(&mut self.piece, channels, frames).expect("equal channels");
            let none: Option<&Indexing> = None;
            let (read, written) = self
                .resampler
                .process_into_buffer(&from, &mut into, none)
                .expect("the pieces are as large as asked for");
            for (channel, piece) in out.iter_mut().zip(&self.piece) {
                channel.extend_from_slice(&piece[..written]);
            }
            used += read * channels;
        }
        self.pending.drain(..used);
    }
}
