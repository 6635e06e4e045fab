//! How hard a drum is struck where its kit has room for soft and loud.

use crate::kit::{Family, Instrument};

/// Soft, typical and hard of a drum where its kit has room: backbeats and kicks about the lower bound of the top
/// layer, hats and what is played like them a layer below with their accents, toms rising into the top.
pub(crate) fn roomy(one: &Instrument) -> [f64; 3] {
    within(one, 0.85, false)
}

/// The same for a manner of so much depth (0 to 1.2): its soft and hard strokes are that far apart, and reach three
/// layers at the least. Played softly it is about a layer, or ten steps, below.
pub(crate) fn within(one: &Instrument, depth: f64, softly: bool) -> [f64; 3] {
    let bound = |place: usize| one.layers.get(place).map_or(1.0, |layer| f64::from(layer.from.get()));
    // Of a drum with few layers as of one with four.
    let (top, below, low) = match one.layers.len() {
        0 | 1 => (104.0, 76.0, 44.0),
        2 => (bound(1).max(48.0), (bound(1) * 0.7).max(30.0), 24.0),
        count => (bound(count - 1), bound(count - 2), bound(count - 3)),
    };
    let down = if softly { 10.0 } else { 0.0 };
    let [soft, typical, hard] = match one.family {
        Family::Snare => [below + 2.0 - down, top - 2.0 - down, top + 3.0 + 5.0 * depth - 0.8 * down],
        Family::Kick => [top - 6.0 - 12.0 * depth - down, top - 3.0 - down, top + 1.0 + 4.0 * depth - down],
        Family::Tom => [top - 10.0 - 14.0 * depth - down, top - 6.0 - down, top + 2.0 + 6.0 * depth - down],
        Family::Crash => [top - 8.0 - 6.0 * depth - down, top - down, top + 3.0 + 5.0 * depth - down],
        Family::Hat | Family::Ride | Family::HandPercussion if softly => {
            [low - 6.0, low + 0.6 * (below - low), below + 0.5 * (top - below)]
        }
        Family::Hat | Family::Ride | Family::HandPercussion => {
            let typical = below + (0.55 - 0.25 * depth) * (top - below);
            [below - 3.0 - 13.0 * depth, typical, top - 2.0 + depth]
        }
        Family::Tonal | Family::Other => [below, below + 0.5 * (top - below), top].map(|value| value - down),
    };
    let hard = hard.clamp(3.0, 118.0);
    let typical = typical.clamp(2.0, hard - 1.0);
    [soft.clamp(1.0, typical - 1.0), typical, hard]
}
