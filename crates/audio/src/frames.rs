//! Where frames of sound lie: in memory, or on disk.

use crate::clip::Clip;
use std::fs::File;
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use std::sync::{Mutex, PoisonError};

/// One or two channels of frames at [`RATE`](crate::RATE), wherever they lie.
pub trait Frames {
    /// How many channels there are: 1 or 2.
    fn count(&self) -> usize;

    /// How many frames there are.
    fn frames(&self) -> usize;

    /// Some of them by themselves; what lies behind the end is left out.
    fn part(&self, from: usize, to: usize) -> Clip;
}

impl Frames for Clip {
    fn count(&self) -> usize {
        self.channels().len()
    }

    fn frames(&self) -> usize {
        Clip::frames(self)
    }

    fn part(&self, from: usize, to: usize) -> Clip {
        Clip::part(self, from, to)
    }
}

/// A clip that lies in a file without a name, gone when it is dropped: as long as it may be, it takes no memory.
#[derive(Debug)]
pub struct OnDisk {
    /// Its samples as 32-bit floats, frame by frame.
    file: Mutex<File>,
    channels: usize,
    frames: usize,
}

/// Bytes of a sample.
const WIDTH: usize = size_of::<f32>();

impl OnDisk {
    /// How many frames there are.
    pub fn frames(&self) -> usize {
        self.frames
    }

    /// How many channels there are.
    pub fn channels(&self) -> usize {
        self.channels
    }

    /// How long it lasts, in s.
    pub fn seconds(&self) -> f64 {
        self.frames as f64 / f64::from(crate::RATE)
    }

    fn read(&self, from: usize, to: usize) -> io::Result<Vec<u8>> {
        let width = self.channels * WIDTH;
        let mut bytes = vec![0; (to - from) * width];
        let mut file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        file.seek(SeekFrom::Start((from * width) as u64))?;
        file.read_exact(&mut bytes)?;
        Ok(bytes)
    }
}

impl Frames for OnDisk {
    fn count(&self) -> usize {
        self.channels
    }

    fn frames(&self) -> usize {
        self.frames
    }

    fn part(&self, from: usize, to: usize) -> Clip {
        let to = to.min(self.frames);
        let from = from.min(to);
        // A disk that fails under a file of our own is silence rather than an end of everything.
        let bytes = self.read(from, to).unwrap_or_else(|_| vec![0; (to - from) * self.channels * WIDTH]);
        let mut channels = vec![Vec::with_capacity(to - from); self.channels];
        for frame in bytes.chunks_exact(self.channels * WIDTH) {
            for (channel, sample) in channels.iter_mut().zip(frame.as_chunks::<WIDTH>().0) {
                channel.push(f32::from_le_bytes(*sample));
            }
        }
        Clip::new(channels)
    }
}

/// What takes frames as they are decoded.
pub(crate) trait Sink: Sized {
    /// What it is when all have come.
    type Done;

    /// For so many channels, and about so many frames.
    fn new(channels: usize, frames: usize) -> io::Result<Self>;

    /// The next frames, channel by channel.
    fn add(&mut self, channels: &[Vec<f32>]) -> io::Result<()>;

    /// All have come.
    fn done(self, frames: usize) -> io::Result<Self::Done>;
}

/// Into memory.
pub(crate) struct IntoMemory(Vec<Vec<f32>>);

impl Sink for IntoMemory {
    type Done = Clip;

    fn new(channels: usize, frames: usize) -> io::Result<IntoMemory> {
        Ok(IntoMemory((0..channels).map(|_| Vec::with_capacity(frames)).collect()))
    }

    fn add(&mut self, channels: &[Vec<f32>]) -> io::Result<()> {
        self.0.iter_mut().zip(channels).for_each(|(own, more)| own.extend_from_slice(more));
        Ok(())
    }

    fn done(mut self, _: usize) -> io::Result<Clip> {
        self.0.iter_mut().for_each(Vec::shrink_to_fit);
        Ok(Clip::new(self.0))
    }
}

/// Into a file of the system's folder for temporary files.
pub(crate) struct IntoFile {
    file: BufWriter<File>,
    channels: usize,
}

impl Sink for IntoFile {
    type Done = OnDisk;

    fn new(channels: usize, _: usize) -> io::Result<IntoFile> {
        Ok(IntoFile { file: BufWriter::with_capacity(1 << 18, tempfile::tempfile()?), channels })
    }

    fn add(&mut self, channels: &[Vec<f32>]) -> io::Result<()> {
        for frame in 0..channels[0].len() {
            for channel in channels {
                self.file.write_all(&channel[frame].to_le_bytes())?;
            }
        }
        Ok(())
    }

    fn done(self, frames: usize) -> io::Result<OnDisk> {
        let file = self.file.into_inner().map_err(|error| error.into_error())?;
        Ok(OnDisk { file: Mutex::new(file), channels: self.channels, frames })
    }
}
