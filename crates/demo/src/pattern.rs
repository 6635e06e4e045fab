//! Drum patterns as people jot them down: a line an instrument, a letter a step.

use crate::score::{Player, Score};

pub const KICK: u8 = 36;
pub const SNARE: u8 = 38;
pub const STICK: u8 = 37;
pub const HAT: u8 = 42;
pub const PEDAL: u8 = 44;
pub const OPEN: u8 = 46;
pub const RIDE: u8 = 51;
pub const BELL: u8 = 53;
pub const CRASH: u8 = 49;
pub const TOM_HIGH: u8 = 50;
pub const TOM_MID: u8 = 47;
pub const TOM_LOW: u8 = 43;
pub const TAMBOURINE: u8 = 54;

/// Lines of (note, steps). A step is `.` for nothing, or a letter that `velocity` understands;
/// spaces are only for the eye.
pub type Bar<'a> = &'a [(u8, &'a str)];

pub struct Style {
    /// Steps in a quarter note.
    pub steps: f64,
    /// How long a stroke is held, in quarters.
    pub length: f64,
    /// The velocity of a letter.
    pub velocity: fn(char) -> u8,
}

/// Writes a bar down and calls `place` for each stroke, which may move it: (quarters, velocity).
pub fn write(
    score: &mut Score,
    player: Player,
    style: &Style,
    at: f64,
    bar: Bar<'_>,
    mut place: impl FnMut(u8, f64, u8) -> (f64, u8),
) {
    for &(note, steps) in bar {
        for (step, letter) in steps.chars().filter(|letter| !letter.is_whitespace()).enumerate() {
            if letter != '.' {
                let (quarters, velocity) = place(note, at + step as f64 / style.steps, (style.velocity)(letter));
                score.note(player, quarters, style.length, note, velocity);
            }
        }
    }
}

/// Leaves every stroke where it was written.
pub fn as_written(_note: u8, quarters: f64, velocity: u8) -> (f64, u8) {
    (quarters, velocity)
}

/// g ghost, o soft, x plain, X accent.
pub fn played(letter: char) -> u8 {
    match letter {
        'g' => 30,
        'o' => 58,
        'X' => 112,
        _ => 86,
    }
}
