//! Events on their way into a file, and the ticks that they stand at there.

use crate::chunk::Event;
use vivida_core::Ticks;

#[derive(Clone, Copy)]
pub(crate) struct Timing {
    /// Ticks written for one tick of the file.
    pub scale: f64,
    /// Fine ticks for one tick written.
    pub cell: f64,
    /// Ticks written before the song begins.
    pub lead: f64,
}

impl Timing {
    /// Where an event goes. What sets the song up stays at its very start, before a lead-in bar.
    pub(crate) fn event(self, file: &[u8], event: Event) -> u64 {
        if event.tick == 0 && sets_up(file, event) { 0 } else { self.note(event.tick) }
    }

    pub(crate) fn note(self, tick: u64) -> u64 {
        if self.scale == 1.0 { tick + self.lead as u64 } else { whole(tick as f64 * self.scale + self.lead) }
    }

    pub(crate) fn played(self, tick: f64) -> u64 {
        whole((tick / self.cell + self.lead).max(0.0))
    }
}

/// Whether an event at the start of a song says how it is to be played: tempo, metre, key, names, programs,
/// controllers, data for devices. Notes and their pressure, lyrics, texts, markers and cues belong to the music.
fn sets_up(file: &[u8], event: Event) -> bool {
    match event.status() {
        0x80..=0xaf => false,
        0xff => !matches!(event.meta_type(file), Some(0x01 | 0x05 | 0x06 | 0x07)),
        _ => true,
    }
}

/// The nearest whole number of ticks that are not negative.
pub(crate) fn whole(ticks: f64) -> u64 {
    Ticks(ticks).rounded().0 as i64 as u64
}

/// An event on its way out.
#[derive(Clone, Copy)]
pub(crate) struct Outgoing {
    pub tick: u64,
    pub rank: u8,
    pub what: What,
}

#[derive(Clone, Copy)]
pub(crate) enum What {
    /// The event of the track that has this place.
    AsItCame(u32),
    Note([u8; 3]),
    /// So many bytes of a message.
    Message([u8; 3], u8),
    /// A note that was silenced, or a value that is not there any more.
    Nothing,
    End,
}

/// The order of events of one tick.
pub(crate) mod rank {
    /// Note-offs that were moved there, and values of lanes that passes drew.
    pub const OFF: u8 = 0;
    /// What stood there, in its order.
    pub const AS_IT_STOOD: u8 = 1;
    /// What is set for a hit that moves, and set back behind it.
    pub const MOVE: u8 = 2;
    /// Note-ons that were moved there, and all of a part whose hits move.
    pub const ON: u8 = 3;
    /// What follows note-ons.
    pub const BEHIND: u8 = 4;
    /// The end of the track.
    pub const END: u8 = 5;
}
