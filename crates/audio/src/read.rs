//! Files of sound in: WAV, AIFF, FLAC, Ogg Vorbis and MP3, decoded by symphonia, brought to [`RATE`] by rubato.

use crate::RATE;
use crate::clip::Clip;
use rubato::audioadapter_buffers::direct::{InterleavedSlice, SequentialSliceOfVecs};
use rubato::{Fft, FixedSync, Indexing, Resampler};
use serde::{Deserialize, Serialize};
use std::io::Cursor;
use std::panic::{self, AssertUnwindSafe};
use symphonia::core::codecs::audio::AudioDecoderOptions;
use symphonia::core::errors::Error;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, TrackType};
use symphonia::core::io::MediaSourceStream;
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
pub struct Heard {
    /// The sound.
    pub clip: Clip,
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
    // A decoder that a hostile file brings down takes nothing else with it.
    let decoded = panic::catch_unwind(AssertUnwindSafe(|| decode(bytes)));
    decoded.unwrap_or_else(|_| Err(ReadError::Damaged("its decoder gave up".to_owned())))
}

fn decode(bytes: impl AsRef<[u8]> + Send + Sync + 'static) -> Result<Heard, ReadError> {
    let format = Format::of(bytes.as_ref());
    if bytes.as_ref().is_empty() {
        return Err(ReadError::Empty);
    }
    let source = MediaSourceStream::new(Box::new(Cursor::new(bytes)), Default::default());
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

    let mut taken: Option<Taken> = None;
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
    let (rate, wrong) = (taken.rate, taken.wrong);
    let clip = taken.done()?;
    let mut said = Vec::new();
    if let Some(broken) = broken {
        said.push(format!("The file {broken} after {:.1} s; what is there is used.", clip.seconds()));
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
struct Taken {
    channels: usize,
    rate: u32,
    /// Frames of the file.
    frames: usize,
    wrong: usize,
    out: Vec<Vec<f32>>,
    resampling: Option<Resampling>,
}

struct Resampling {
    resampler: Fft<f32>,
    /// Interleaved; what is too little for a piece.
    pending: Vec<f32>,
    piece: Vec<Vec<f32>>,
}

impl Taken {
    /// What a file says of its length is room made ready, no more.
    fn new(channels: usize, rate: u32, frames: Option<u64>) -> Result<Taken, ReadError> {
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
        let out = (0..channels).map(|_| Vec::with_capacity(room)).collect();
        Ok(Taken { channels, rate, frames: 0, wrong: 0, out, resampling })
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
        Ok(())
    }

    fn done(mut self) -> Result<Clip, ReadError> {
        if let Some(resampling) = &mut self.resampling {
            let wanted = (self.frames as f64 * f64::from(RATE) / f64::from(self.rate)).round() as usize;
            let delay = resampling.resampler.output_delay();
            let silence = vec![0.0; self.channels * resampling.resampler.input_frames_max()];
            while self.out[0].len() < wanted + delay {
                resampling.add(&silence, &mut self.out);
            }
            for channel in &mut self.out {
                channel.drain(..delay);
                channel.truncate(wanted);
            }
        }
        self.out.iter_mut().for_each(Vec::shrink_to_fit);
        if self.out[0].is_empty() { Err(ReadError::Empty) } else { Ok(Clip::new(self.out)) }
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
