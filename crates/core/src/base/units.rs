//! Values that cannot be wrong: a unit is a type, never a comment.

use serde::{Deserialize, Serialize};
use std::ops::{Add, AddAssign, Mul, Neg, Sub, SubAssign};
use ts_rs::TS;

/// The velocity of a sounding note, 1 to 127. (Velocity 0 is a note-off in MIDI.)
///
/// ```
/// use vivida_core::Velocity;
/// assert_eq!(Velocity::new(0), None);
/// assert_eq!(Velocity::rounded(68.5).get(), 69);
/// assert_eq!(Velocity::rounded(300.0), Velocity::MAX);
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(try_from = "u8", into = "u8")]
#[ts(type = "number")]
pub struct Velocity(u8);

impl Velocity {
    /// The softest, 1.
    pub const MIN: Velocity = Velocity(1);
    /// The loudest, 127.
    pub const MAX: Velocity = Velocity(127);

    /// The velocity `value`, or nothing where it is outside 1 to 127.
    pub fn new(value: u8) -> Option<Velocity> {
        (1..=127).contains(&value).then_some(Velocity(value))
    }

    /// The nearest velocity to a real number; halves go up, the rest is held in range. What is no number is the least.
    pub fn rounded(value: f64) -> Velocity {
        Velocity(((value.clamp(1.0, 127.0) + 0.5) as u8).max(1))
    }

    /// As a MIDI data byte.
    pub fn get(self) -> u8 {
        self.0
    }

    /// How loud a drum struck with this velocity is, as a linear amplitude in 0 to 1.
    ///
    /// The curve is (v/127)^1.7: about 41 dB from the softest audible ghost (v = 8) to the
    /// hardest stroke, a common compromise between linear and squared response. The built-in kit
    /// and "equal loudness" use the same curve.
    pub fn amplitude(self) -> f64 {
        libm::pow(f64::from(self.0) / 127.0, 1.7)
    }
}

impl TryFrom<u8> for Velocity {
    type Error = String;
    fn try_from(value: u8) -> Result<Velocity, String> {
        Velocity::new(value).ok_or_else(|| format!("velocity {value} is outside 1 to 127"))
    }
}

impl From<Velocity> for u8 {
    fn from(velocity: Velocity) -> u8 {
        velocity.0
    }
}

/// The nearest whole number, halves up; for numbers below 2^51 either way, as all ticks are. Adding
/// and taking away 1.5·2^52 leaves the nearest whole number, halves to even (IEEE 754): faster than
/// a call of `round`, and the same on every machine.
pub(crate) fn whole(value: f64) -> f64 {
    const SHIFT: f64 = 6_755_399_441_055_744.0;
    let even = (value + SHIFT) - SHIFT;
    if value - even == 0.5 { even + 1.0 } else { even }
}

macro_rules! real_unit {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd, Serialize, Deserialize, TS)]
        #[serde(try_from = "f64", into = "f64")]
        #[ts(type = "number")]
        pub struct $name(pub f64);

        impl TryFrom<f64> for $name {
            type Error = String;
            fn try_from(value: f64) -> Result<$name, String> {
                if value.is_finite() { Ok($name(value)) } else { Err(format!("{value} is no number")) }
            }
        }
        impl From<$name> for f64 {
            fn from(value: $name) -> f64 {
                value.0
            }
        }

        impl Add for $name {
            type Output = $name;
            fn add(self, other: $name) -> $name {
                $name(self.0 + other.0)
            }
        }
        impl Sub for $name {
            type Output = $name;
            fn sub(self, other: $name) -> $name {
                $name(self.0 - other.0)
            }
        }
        impl Mul<f64> for $name {
            type Output = $name;
            fn mul(self, factor: f64) -> $name {
                $name(self.0 * factor)
            }
        }
        impl Neg for $name {
            type Output = $name;
            fn neg(self) -> $name {
                $name(-self.0)
            }
        }
        impl AddAssign for $name {
            fn add_assign(&mut self, other: $name) {
                self.0 += other.0;
            }
        }
        impl SubAssign for $name {
            fn sub_assign(&mut self, other: $name) {
                self.0 -= other.0;
            }
        }
    };
}

real_unit! {
    /// A musical position or distance in ticks of the song's own fine resolution ([`Ppq`]).
    /// Real inside the engine, rounded once on output.
    Ticks
}
real_unit! {
    /// Thousandths of a second. Early is negative, late is positive.
    Millis
}
real_unit! {
    /// Hundredths of a whole.
    Percent
}

impl Ticks {
    /// The nearest whole tick, halves later.
    pub fn rounded(self) -> Ticks {
        Ticks(whole(self.0))
    }
}

impl Percent {
    /// As a factor: 40 % is 0.4.
    pub fn factor(self) -> f64 {
        self.0 / 100.0
    }
}

/// Ticks per quarter note, at least 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(try_from = "u32", into = "u32")]
#[ts(type = "number")]
pub struct Ppq(u32);

impl TryFrom<u32> for Ppq {
    type Error = String;
    fn try_from(value: u32) -> Result<Ppq, String> {
        Ppq::new(value).ok_or_else(|| "a quarter note has at least 1 tick".to_owned())
    }
}

impl From<Ppq> for u32 {
    fn from(ppq: Ppq) -> u32 {
        ppq.0
    }
}

impl Ppq {
    /// The least resolution that the engine works in.
    pub const FINE: u32 = 960;

    /// A resolution; 0 is none.
    pub fn new(value: u32) -> Option<Ppq> {
        (value > 0).then_some(Ppq(value))
    }

    /// The number of ticks.
    pub fn get(self) -> u32 {
        self.0
    }

    /// As a real number.
    pub fn as_f64(self) -> f64 {
        f64::from(self.0)
    }

    /// The least whole factor that makes this resolution at least 960.
    ///
    /// ```
    /// use vivida_core::Ppq;
    /// assert_eq!(Ppq::new(480).unwrap().factor_to_fine(), 2);
    /// assert_eq!(Ppq::new(96).unwrap().factor_to_fine(), 10);
    /// assert_eq!(Ppq::new(1000).unwrap().factor_to_fine(), 1);
    /// ```
    pub fn factor_to_fine(self) -> u32 {
        Ppq::FINE.div_ceil(self.0)
    }
}

/// A MIDI note number, 0 to 127.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(try_from = "u8", into = "u8")]
#[ts(type = "number")]
pub struct Note(u8);

impl Note {
    /// The note `value`, or nothing above 127.
    pub fn new(value: u8) -> Option<Note> {
        (value < 128).then_some(Note(value))
    }

    /// The note number of a data byte, whose top bit is dropped.
    pub fn from_data(byte: u8) -> Note {
        Note(byte & 0x7f)
    }

    /// As a MIDI data byte.
    pub fn get(self) -> u8 {
        self.0
    }
}

impl TryFrom<u8> for Note {
    type Error = String;
    fn try_from(value: u8) -> Result<Note, String> {
        Note::new(value).ok_or_else(|| format!("note {value} is outside 0 to 127"))
    }
}

impl From<Note> for u8 {
    fn from(note: Note) -> u8 {
        note.0
    }
}

/// A MIDI channel, 0 to 15; shown to people as 1 to 16.
///
/// ```
/// use vivida_core::Channel;
/// assert_eq!(Channel::PERCUSSION.shown(), 10);
/// assert!(serde_json::from_str::<Channel>("16").is_err());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(try_from = "u8", into = "u8")]
#[ts(type = "number")]
pub struct Channel(u8);

impl TryFrom<u8> for Channel {
    type Error = String;
    fn try_from(value: u8) -> Result<Channel, String> {
        Channel::new(value)
            .ok_or_else(|| format!("channel {value} is outside 0 to 15, which stand for channels 1 to 16"))
    }
}

impl From<Channel> for u8 {
    fn from(channel: Channel) -> u8 {
        channel.0
    }
}

impl Channel {
    /// The percussion channel of General MIDI, shown as 10.
    pub const PERCUSSION: Channel = Channel(9);

    /// The channel `value`, or nothing above 15.
    pub fn new(value: u8) -> Option<Channel> {
        (value < 16).then_some(Channel(value))
    }

    /// The channel of a status byte's low four bits.
    pub fn from_status(status: u8) -> Channel {
        Channel(status & 0x0f)
    }

    /// 0 to 15.
    pub fn get(self) -> u8 {
        self.0
    }

    /// 1 to 16.
    pub fn shown(self) -> u8 {
        self.0 + 1
    }
}
