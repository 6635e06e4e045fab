//! A recorded loop in a song: which stretch of which file, from where on, over and over.

use crate::base::units::Ticks;
use serde::{Deserialize, Serialize};
use std::ops::Range;
use ts_rs::TS;

/// A stretch of a clip laid into a song: from a tick on, over and over. A tick of the song is a frame of the clip, so the
/// hits that were written there say where it is cut.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Slicing {
    /// The frame of the clip that the first bar begins with.
    #[ts(type = "number")]
    pub from: u64,
    /// The frame behind the last bar.
    #[ts(type = "number")]
    pub to: u64,
    /// The tick of the song that it begins at.
    pub start: Ticks,
    /// How many ticks it takes.
    pub ticks: Ticks,
    /// How often it comes.
    pub times: u32,
}

/// The recorded loop that a part is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct AudioSource {
    /// Its file, by the SHA-256 of its bytes in hexadecimal digits.
    pub sound: String,
    /// What its file was called.
    pub name: String,
    /// How many frames it has, at 44 100 a second.
    #[ts(type = "number")]
    pub frames: u64,
    /// Where it lies in the song.
    pub slicing: Slicing,
    /// How little sufficed to be an onset when they were found last, 0 to 100.
    pub sensitivity: f64,
}

impl Slicing {
    /// It comes no more often.
    pub const MOST_TIMES: u32 = 10_000;

    /// Whether it can be, by the frames that its clip has.
    ///
    /// # Errors
    ///
    /// The field that is wrong, and why.
    pub fn check(&self, frames: u64) -> Result<(), (String, String)> {
        let wrong = |field: &str, why: String| Err((field.to_owned(), why));
        if self.to > frames || self.from.saturating_add(64) > self.to {
            return wrong("to", format!("frames {} to {} are no stretch of {frames} frames", self.from, self.to));
        }
        if !(0.0..=1e11).contains(&self.start.0) {
            return wrong("start", "it begins at a tick of the song".to_owned());
        }
        if !(1.0..=1e11).contains(&self.ticks.0) {
            return wrong("ticks", "it takes at least a tick".to_owned());
        }
        if !(1..=Slicing::MOST_TIMES).contains(&self.times) {
            return wrong("times", format!("it comes 1 to {} times", Slicing::MOST_TIMES));
        }
        Ok(())
    }

    /// The first tick behind it.
    pub fn end(&self) -> Ticks {
        Ticks(self.start.0 + f64::from(self.times) * self.ticks.0)
    }

    /// The frames of the clip that repeat.
    pub fn frames(&self) -> Range<usize> {
        self.from as usize..self.to as usize
    }

    /// Which time round a tick lies in, and the frame of the clip there; nothing outside.
    ///
    /// ```
    /// use vivida_core::{Slicing, Ticks};
    /// let slicing = Slicing { from: 0, to: 1000, start: Ticks(0.0), ticks: Ticks(2000.0), times: 2 };
    /// assert_eq!(slicing.place(Ticks(2500.0)), Some((1, 250)));
    /// assert_eq!(slicing.place(Ticks(4000.0)), None);
    /// ```
    pub fn place(&self, tick: Ticks) -> Option<(u32, usize)> {
        let times = (tick.0 - self.start.0) / self.ticks.0;
        // A hit a hair before the line that it stands on is on it.
        let round = libm::floor(times + 1e-9);
        if !(0.0..f64::from(self.times)).contains(&round) {
            return None;
        }
        let length = (self.to - self.from) as f64;
        let frame = libm::round((times - round).max(0.0) * length).min(length - 1.0);
        Some((round as u32, self.from as usize + frame as usize))
    }

    /// The tick of a frame of the clip, in one of its times round.
    pub fn tick(&self, frame: usize, round: u32) -> Ticks {
        let share = (frame as f64 - self.from as f64) / (self.to - self.from) as f64;
        Ticks(self.start.0 + (share + f64::from(round)) * self.ticks.0)
    }
}

impl AudioSource {
    /// Whether it can be.
    ///
    /// # Errors
    ///
    /// The field that is wrong, and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        let is_hash = self.sound.len() == 64 && self.sound.bytes().all(|one| matches!(one, b'0'..=b'9' | b'a'..=b'f'));
        if !is_hash {
            return Err(("sound".to_owned(), "a file is named by 64 hexadecimal digits".to_owned()));
        }
        if self.name.chars().count() > 250 {
            return Err(("name".to_owned(), "a file's name has at most 250 letters".to_owned()));
        }
        if !(0.0..=100.0).contains(&self.sensitivity) {
            return Err(("sensitivity".to_owned(), "a sensitivity is 0 to 100".to_owned()));
        }
        self.slicing.check(self.frames).map_err(|(field, why)| (format!("slicing.{field}"), why))
    }
}
