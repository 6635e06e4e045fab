//! Sound in memory.

use crate::RATE;

/// One or two channels of equal length at [`RATE`] frames a second.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Clip {
    channels: Vec<Vec<f32>>,
}

impl Clip {
    /// No clip is longer, in minutes.
    pub const MOST_MINUTES: usize = 20;
    /// No clip has more frames.
    pub const MOST_FRAMES: usize = Clip::MOST_MINUTES * 60 * RATE as usize;

    /// Of one or two channels.
    ///
    /// # Panics
    ///
    /// With any other number of channels, or where they differ in length.
    pub fn new(channels: Vec<Vec<f32>>) -> Clip {
        assert!(matches!(channels.len(), 1 | 2), "one channel or two");
        assert!(channels.iter().all(|one| one.len() == channels[0].len()), "channels are equally long");
        Clip { channels }
    }

    /// So many frames of silence.
    pub fn silence(channels: usize, frames: usize) -> Clip {
        Clip::new(vec![vec![0.0; frames]; channels])
    }

    /// The samples of each channel.
    pub fn channels(&self) -> &[Vec<f32>] {
        &self.channels
    }

    /// The samples of each channel, for whoever goes on with them.
    pub fn into_channels(self) -> Vec<Vec<f32>> {
        self.channels
    }

    pub(crate) fn channels_mut(&mut self) -> &mut [Vec<f32>] {
        &mut self.channels
    }

    /// How many frames there are.
    pub fn frames(&self) -> usize {
        self.channels.first().map_or(0, Vec::len)
    }

    /// How long it lasts, in s.
    pub fn seconds(&self) -> f64 {
        self.frames() as f64 / f64::from(RATE)
    }

    /// Both channels as one: their mean.
    pub fn mono(&self) -> Vec<f32> {
        match &self.channels[..] {
            [left, right] => left.iter().zip(right).map(|(left, right)| (left + right) / 2.0).collect(),
            [one] => one.clone(),
            _ => Vec::new(),
        }
    }

    /// The loudest sample, as a share of full scale.
    pub fn peak(&self) -> f32 {
        self.channels.iter().flatten().fold(0.0, |peak, value| peak.max(value.abs()))
    }

    /// Some of its frames by themselves.
    pub fn part(&self, from: usize, to: usize) -> Clip {
        let to = to.min(self.frames());
        Clip { channels: self.channels.iter().map(|one| one[from.min(to)..to].to_vec()).collect() }
    }
}
