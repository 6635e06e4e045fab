//! Sound as it is drawn: the lowest and highest sample of each stretch, in levels.

use crate::frames::Frames;

/// The lowest and highest sample, over both channels, of stretches of [`Peaks::FINEST`] frames and of twice as many
/// over and over, until one stretch is all.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Peaks {
    levels: Vec<Vec<[f32; 2]>>,
}

impl Peaks {
    /// Frames of a stretch of the finest level.
    pub const FINEST: usize = 32;

    /// Of a clip.
    pub fn of(clip: &impl Frames) -> Peaks {
        /// So many are taken in at once.
        const AT_ONCE: usize = 2048;
        let stretches = clip.frames().div_ceil(Peaks::FINEST);
        let mut finest = vec![[0.0f32; 2]; stretches];
        for (number, peaks) in finest.chunks_mut(AT_ONCE).enumerate() {
            let from = number * AT_ONCE * Peaks::FINEST;
            for channel in clip.part(from, from + AT_ONCE * Peaks::FINEST).channels() {
                for (peak, stretch) in peaks.iter_mut().zip(channel.chunks(Peaks::FINEST)) {
                    let low = stretch.iter().copied().fold(peak[0], f32::min);
                    let high = stretch.iter().copied().fold(peak[1], f32::max);
                    *peak = [low, high];
                }
            }
        }
        let mut levels = vec![finest];
        while levels[levels.len() - 1].len() > 1 {
            let last = &levels[levels.len() - 1];
            let joined = |pair: &[[f32; 2]]| {
                pair.iter().fold([0.0f32; 2], |[low, high], one| [low.min(one[0]), high.max(one[1])])
            };
            levels.push(last.chunks(2).map(joined).collect());
        }
        Peaks { levels }
    }

    /// The coarsest level that still has so many stretches over all, with the frames of one of its stretches.
    pub fn with_at_least(&self, stretches: usize) -> (usize, &[[f32; 2]]) {
        let fitting = self.levels.iter().rposition(|level| level.len() >= stretches).unwrap_or(0);
        (Peaks::FINEST << fitting, self.levels.get(fitting).map_or(&[], Vec::as_slice))
    }
}
