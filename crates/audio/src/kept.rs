//! Sounds that were used last.

use crate::clip::Clip;
use lru::LruCache;
use std::sync::{Arc, Mutex, PoisonError};

/// Clips by their names, those that were used last: so many bytes of them that playing a kit of any size needs no more
/// room than this. What is not among them is read again.
#[derive(Debug)]
pub struct Kept(Mutex<LruCache<String, Arc<Vec<Vec<f32>>>>>);

impl Default for Kept {
    fn default() -> Kept {
        Kept(Mutex::new(LruCache::unbounded()))
    }
}

impl Kept {
    /// So many bytes of samples are kept, where they are more than one clip.
    pub const MOST: usize = 64 << 20;

    /// The channels of a clip, where it is there.
    pub fn get(&self, name: &str) -> Option<Arc<Vec<Vec<f32>>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(name).cloned()
    }

    /// Keeps a clip, and lets go of those that were not used for longest.
    pub fn put(&self, name: &str, clip: Clip) -> Arc<Vec<Vec<f32>>> {
        let channels = Arc::new(clip.into_channels());
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.put(name.to_owned(), channels.clone());
        let size = |channels: &Arc<Vec<Vec<f32>>>| size_of::<f32>() * channels.iter().map(Vec::len).sum::<usize>();
        let mut sum: usize = kept.iter().map(|(_, one)| size(one)).sum();
        while kept.len() > 1 && sum > Kept::MOST {
            sum -= kept.pop_lru().map_or(0, |(_, one)| size(&one));
        }
        channels
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_not_used_for_longest_goes_first() {
        let kept = Kept::default();
        // A quarter of the room each.
        let clip = || Clip::silence(2, Kept::MOST / 32);
        for name in ["a", "b", "c", "d"] {
            kept.put(name, clip());
        }
        assert!(kept.get("a").is_some());
        kept.put("e", clip());
        assert_eq!(["a", "b", "c", "d", "e"].map(|name| kept.get(name).is_some()), [true, false, true, true, true]);
        // One that is larger than all the room is kept by itself.
        kept.put("f", Clip::silence(2, Kept::MOST));
        assert_eq!(["a", "e", "f"].map(|name| kept.get(name).is_some()), [false, false, true]);
    }
}
