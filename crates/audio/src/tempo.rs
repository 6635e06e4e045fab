//! How many bars a loop may be.

use crate::RATE;
use crate::onsets::Onset;
use serde::Serialize;
use ts_rs::TS;

/// What a clip may be: so many bars, hence so fast.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct Proposal {
    /// How many bars the clip lasts.
    pub bars: u32,
    /// Quarter notes a bar.
    pub beats: u32,
    /// Quarter notes a minute.
    pub bpm: f64,
    /// How well onsets lie on 16ths or triplets of that, and how usual the tempo is, 0 to 1.
    pub fit: f64,
}

const SLOWEST: f64 = 55.0;
const FASTEST: f64 = 210.0;
/// So much of the likeliest one's fit the others have at least.
const MOST_BEHIND: f64 = 0.3;
/// No loop is longer than this, in bars.
const MOST_BARS: u32 = 512;

/// What a clip of so many frames, cut from bar line to bar line, may be: the likeliest first. Several where it is not
/// sure; one at least.
pub fn tempos(frames: usize, onsets: &[Onset]) -> Vec<Proposal> {
    let seconds = frames.max(1) as f64 / f64::from(RATE);
    let mut found: Vec<Proposal> = Vec::new();
    for beats in [4, 3, 5] {
        for bars in 1..=MOST_BARS {
            let bpm = 60.0 * f64::from(bars * beats) / seconds;
            if !(SLOWEST..=FASTEST).contains(&bpm) {
                continue;
            }
            let fit = fit(bpm, onsets) * usual(bpm) * even(bars) * if beats == 4 { 1.0 } else { 0.8 };
            found.push(Proposal { bars, beats, bpm, fit });
        }
    }
    found.sort_by(|a, b| b.fit.total_cmp(&a.fit).then(a.bars.cmp(&b.bars)));
    // Those that are far behind the likeliest help nobody.
    let least = MOST_BEHIND * found.first().map_or(0.0, |one| one.fit);
    found.retain(|one| one.fit >= least);
    found.truncate(4);
    if found.is_empty() {
        // Shorter than a beat, or far too long: one bar, or as many as come nearest to 120 bpm.
        let bars = (seconds * 0.5).round().max(1.0);
        found.push(Proposal { bars: bars as u32, beats: 4, bpm: 240.0 * bars / seconds, fit: 0.0 });
    }
    found
}

/// How close onsets lie to the lines of the finer of two grids, each counted by its strength: 1 on the lines.
fn fit(bpm: f64, onsets: &[Onset]) -> f64 {
    let beat = 60.0 / bpm;
    let closeness = |cells: f64| {
        let (mut sum, mut weight) = (0.0, 1e-9);
        for onset in onsets {
            let place = onset.seconds() / beat * cells;
            // In parts of a beat: 30 ms off a line are far.
            let off = (place - place.round()).abs() * beat / cells;
            sum += onset.strength * libm::exp(-(off / 0.015) * (off / 0.015) / 2.0);
            weight += onset.strength;
        }
        sum / weight
    };
    // On finer grids everything is close to some line.
    let by_chance = |cells: f64| (0.015 * libm::sqrt(std::f64::consts::TAU) * cells / beat).min(1.0);
    let above = |cells: f64| (closeness(cells) - by_chance(cells)) / (1.0 - by_chance(cells)).max(0.05);
    above(4.0).max(above(3.0)).max(0.6 * above(6.0)).max(0.0) + 0.1 * closeness(1.0) + 0.05
}

/// Tempi around 108 are usual; half and twice that are not.
fn usual(bpm: f64) -> f64 {
    let octaves = libm::log2(bpm / 108.0);
    libm::exp(-(octaves / 0.6) * (octaves / 0.6) / 2.0)
}

/// Loops are mostly 1, 2, 4, 8 or 16 bars.
fn even(bars: u32) -> f64 {
    match bars {
        1 | 2 | 4 | 8 => 1.0,
        16 | 32 | 64 => 0.95,
        _ if bars.is_multiple_of(4) => 0.85,
        _ if bars.is_multiple_of(2) => 0.75,
        _ => 0.55,
    }
}
