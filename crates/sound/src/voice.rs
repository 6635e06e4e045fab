//! The sounds of the kit and what they are made of.

use serde::Serialize;
use ts_rs::TS;

/// One sound of the kit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Voice {
    Kick,
    SnareCentre,
    SnareEdge,
    Rimshot,
    SideStick,
    HatClosed,
    HatShoulder,
    HatQuarter,
    HatHalf,
    HatOpen,
    HatPedal,
    HatSplash,
    TomHigh,
    TomMid,
    TomLow,
    RideBow,
    RideBell,
    Crash,
    China,
    Shaker,
    Tambourine,
    CongaHigh,
    CongaMuted,
    CongaLow,
    WoodblockHigh,
    WoodblockLow,
    Cowbell,
    Claves,
    Clap,
    ToneLow,
    ToneMid,
    ToneHigh,
    Click,
}

/// A layer of a sound. Levels are relative; every sample is brought to one peak in the end.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Component {
    /// A decaying sine that falls to its pitch from `drop` octaves above within about `fall` s.
    /// The first of a voice is its body; the others need a harder stroke.
    Sine { hz: f64, drop: f64, fall: f64, level: f64, decay: f64 },
    /// Decaying noise between two frequencies; `bright` (0 to 1) is how much of it needs a hard
    /// stroke.
    Noise { low: f64, high: f64, level: f64, decay: f64, attack: f64, bright: f64 },
    /// Decaying inharmonic partials above `hz`, as of struck metal.
    Metal { hz: f64, level: f64, decay: f64, bright: f64 },
    /// Harmonics of a string whose upper ones die sooner and need a harder stroke.
    String { hz: f64, level: f64, decay: f64 },
}

use Component::{Metal, Noise, Sine, String as Plucked};

const fn sine(hz: f64, drop: f64, fall: f64, level: f64, decay: f64) -> Component {
    Sine { hz, drop, fall, level, decay }
}

const fn noise(low: f64, high: f64, level: f64, decay: f64, attack: f64, bright: f64) -> Component {
    Noise { low, high, level, decay, attack, bright }
}

const fn metal(hz: f64, level: f64, decay: f64, bright: f64) -> Component {
    Metal { hz, level, decay, bright }
}

impl Voice {
    /// All of them.
    pub const ALL: [Voice; 33] = {
        use Voice::*;
        [
            Kick,
            SnareCentre,
            SnareEdge,
            Rimshot,
            SideStick,
            HatClosed,
            HatShoulder,
            HatQuarter,
            HatHalf,
            HatOpen,
            HatPedal,
            HatSplash,
            TomHigh,
            TomMid,
            TomLow,
            RideBow,
            RideBell,
            Crash,
            China,
            Shaker,
            Tambourine,
            CongaHigh,
            CongaMuted,
            CongaLow,
            WoodblockHigh,
            WoodblockLow,
            Cowbell,
            Claves,
            Clap,
            ToneLow,
            ToneMid,
            ToneHigh,
            Click,
        ]
    };

    /// Seconds that a sample lasts.
    pub(crate) fn seconds(self) -> f64 {
        match self {
            Voice::Crash | Voice::China => 2.2,
            Voice::RideBow | Voice::RideBell => 1.6,
            Voice::ToneLow | Voice::ToneMid | Voice::ToneHigh => 2.5,
            Voice::HatOpen => 0.9,
            Voice::HatHalf | Voice::HatSplash => 0.6,
            Voice::TomLow | Voice::TomMid | Voice::TomHigh => 0.7,
            Voice::Kick | Voice::SnareCentre | Voice::SnareEdge | Voice::Rimshot => 0.45,
            Voice::Cowbell | Voice::Clap | Voice::HatQuarter => 0.45,
            Voice::CongaHigh | Voice::CongaLow | Voice::Tambourine => 0.45,
            _ => 0.22,
        }
    }

    /// −1 (left) to 1 (right).
    pub(crate) fn pan(self) -> f64 {
        match self {
            Voice::HatClosed | Voice::HatShoulder | Voice::HatQuarter | Voice::HatHalf => 0.3,
            Voice::HatOpen | Voice::HatPedal | Voice::HatSplash => 0.3,
            Voice::TomHigh | Voice::CongaHigh | Voice::CongaMuted => 0.2,
            Voice::TomLow | Voice::CongaLow | Voice::Cowbell => -0.3,
            Voice::RideBow | Voice::RideBell | Voice::China => -0.4,
            Voice::Crash | Voice::Shaker | Voice::WoodblockHigh => 0.4,
            Voice::Tambourine | Voice::Claves | Voice::WoodblockLow => -0.2,
            _ => 0.0,
        }
    }

    /// How loud it is among the others, as a factor.
    pub(crate) fn level(self) -> f64 {
        match self {
            Voice::Kick => 1.0,
            Voice::SnareCentre | Voice::SnareEdge | Voice::Rimshot => 0.85,
            Voice::HatClosed | Voice::HatShoulder | Voice::HatQuarter | Voice::HatHalf => 0.36,
            Voice::HatOpen | Voice::HatPedal | Voice::HatSplash => 0.36,
            Voice::RideBow | Voice::RideBell => 0.4,
            Voice::Crash | Voice::China => 0.55,
            Voice::Shaker | Voice::Tambourine | Voice::Claves => 0.35,
            Voice::ToneLow | Voice::ToneMid | Voice::ToneHigh => 0.55,
            Voice::Click => 0.4,
            _ => 0.6,
        }
    }

    pub(crate) fn components(self) -> Vec<Component> {
        match self {
            Voice::Kick => vec![
                sine(52.0, 1.7, 0.022, 1.0, 0.11),
                sine(104.0, 1.2, 0.012, 0.25, 0.04),
                noise(1500.0, 5200.0, 0.75, 0.007, 0.0004, 0.85),
            ],
            Voice::SnareCentre => vec![
                sine(182.0, 0.35, 0.012, 0.7, 0.07),
                sine(331.0, 0.2, 0.01, 0.32, 0.045),
                noise(1300.0, 9500.0, 0.75, 0.085, 0.0006, 0.45),
                noise(3800.0, 13000.0, 0.35, 0.03, 0.0004, 0.9),
            ],
            Voice::SnareEdge => vec![
                sine(182.0, 0.3, 0.012, 0.4, 0.09),
                sine(417.0, 0.1, 0.01, 0.5, 0.075),
                noise(1700.0, 8200.0, 0.6, 0.1, 0.0008, 0.4),
                noise(3400.0, 11000.0, 0.2, 0.03, 0.0005, 0.9),
            ],
            Voice::Rimshot => vec![
                sine(186.0, 0.35, 0.012, 0.5, 0.06),
                metal(760.0, 0.55, 0.035, 0.3),
                noise(1500.0, 10500.0, 0.7, 0.09, 0.0005, 0.4),
            ],
            Voice::SideStick => vec![
                sine(478.0, 0.1, 0.01, 0.6, 0.022),
                sine(1740.0, 0.0, 0.01, 0.8, 0.014),
                noise(2000.0, 7000.0, 0.3, 0.006, 0.0004, 0.8),
            ],
            Voice::HatClosed => vec![
                metal(3350.0, 0.55, 0.028, 0.35),
                noise(6500.0, 15500.0, 0.8, 0.026, 0.0004, 0.5),
                noise(3000.0, 6000.0, 0.25, 0.008, 0.0004, 0.9),
            ],
            Voice::HatShoulder => vec![
                metal(2900.0, 0.75, 0.05, 0.35),
                noise(4800.0, 14500.0, 0.7, 0.042, 0.0005, 0.5),
                noise(2200.0, 5200.0, 0.45, 0.012, 0.0004, 0.9),
            ],
            Voice::HatQuarter => vec![
                metal(3200.0, 0.6, 0.085, 0.33),
                noise(5800.0, 15000.0, 0.78, 0.075, 0.0005, 0.48),
                noise(2600.0, 5600.0, 0.3, 0.012, 0.0004, 0.9),
            ],
            Voice::HatHalf => vec![
                metal(3280.0, 0.62, 0.15, 0.32),
                noise(5800.0, 15200.0, 0.78, 0.13, 0.0006, 0.46),
                noise(2800.0, 5800.0, 0.26, 0.012, 0.0004, 0.9),
            ],
            Voice::HatSplash => {
                vec![metal(2900.0, 0.6, 0.16, 0.3), noise(4600.0, 12500.0, 0.7, 0.14, 0.0025, 0.5)]
            }
            Voice::HatPedal => {
                vec![metal(2900.0, 0.5, 0.035, 0.3), noise(4800.0, 11500.0, 0.7, 0.03, 0.0035, 0.5)]
            }
            Voice::HatOpen => vec![
                metal(3350.0, 0.6, 0.24, 0.3),
                noise(6000.0, 15500.0, 0.75, 0.21, 0.0006, 0.45),
                noise(3000.0, 6000.0, 0.22, 0.012, 0.0004, 0.9),
            ],
            Voice::TomHigh => tom(172.0),
            Voice::TomMid => tom(124.0),
            Voice::TomLow => tom(86.0),
            Voice::RideBow => vec![
                metal(2450.0, 0.35, 0.48, 0.2),
                noise(4500.0, 13500.0, 0.22, 0.34, 0.001, 0.4),
                sine(3120.0, 0.0, 0.01, 0.3, 0.05),
                noise(5000.0, 12000.0, 0.5, 0.006, 0.0003, 0.7),
            ],
            Voice::RideBell => vec![
                sine(1085.0, 0.0, 0.01, 0.55, 0.36),
                sine(2712.0, 0.0, 0.01, 0.4, 0.28),
                metal(2450.0, 0.35, 0.42, 0.4),
                noise(5000.0, 12000.0, 0.3, 0.006, 0.0003, 0.7),
            ],
            Voice::Crash => vec![
                metal(1950.0, 0.5, 0.62, 0.3),
                noise(2600.0, 14500.0, 0.8, 0.52, 0.0012, 0.5),
                noise(900.0, 3000.0, 0.3, 0.12, 0.001, 0.7),
            ],
            Voice::China => vec![metal(1180.0, 0.7, 0.4, 0.4), noise(1700.0, 11500.0, 0.8, 0.38, 0.001, 0.6)],
            Voice::Shaker => {
                vec![noise(4200.0, 12500.0, 0.9, 0.03, 0.016, 0.4), noise(7500.0, 14500.0, 0.3, 0.014, 0.006, 0.9)]
            }
            Voice::Tambourine => vec![
                metal(4850.0, 0.7, 0.1, 0.3),
                noise(6500.0, 15000.0, 0.55, 0.07, 0.001, 0.5),
                noise(350.0, 1100.0, 0.25, 0.012, 0.0005, 0.6),
            ],
            Voice::CongaHigh => conga(332.0, 0.085),
            Voice::CongaMuted => conga(352.0, 0.022),
            Voice::CongaLow => conga(228.0, 0.11),
            Voice::WoodblockHigh => block(1188.0),
            Voice::WoodblockLow => block(792.0),
            Voice::Cowbell => vec![
                sine(562.0, 0.0, 0.01, 0.7, 0.085),
                sine(845.0, 0.0, 0.01, 0.7, 0.07),
                metal(1690.0, 0.2, 0.04, 0.7),
                noise(1500.0, 6000.0, 0.2, 0.005, 0.0004, 0.8),
            ],
            Voice::Claves => vec![
                sine(2480.0, 0.0, 0.01, 1.0, 0.032),
                sine(5230.0, 0.0, 0.01, 0.45, 0.014),
                noise(2500.0, 8000.0, 0.15, 0.004, 0.0004, 0.8),
            ],
            Voice::Clap => {
                vec![noise(950.0, 3600.0, 0.7, 0.07, 0.009, 0.3), noise(1200.0, 7000.0, 0.5, 0.012, 0.0008, 0.7)]
            }
            Voice::ToneLow => vec![string(Voice::TONE_NOTES[0]), noise(300.0, 1800.0, 0.12, 0.012, 0.0008, 0.8)],
            Voice::ToneMid => vec![string(Voice::TONE_NOTES[1]), noise(500.0, 2600.0, 0.1, 0.01, 0.0008, 0.8)],
            Voice::ToneHigh => vec![string(Voice::TONE_NOTES[2]), noise(900.0, 4000.0, 0.08, 0.008, 0.0008, 0.8)],
            Voice::Click => vec![sine(1320.0, 0.0, 0.01, 0.8, 0.012), sine(2640.0, 0.0, 0.01, 0.3, 0.006)],
        }
    }

    /// The notes at which the three tones are sampled.
    pub(crate) const TONE_NOTES: [u8; 3] = [33, 52, 71];
}

fn string(note: u8) -> Component {
    Plucked { hz: 440.0 * libm::exp2((f64::from(note) - 69.0) / 12.0), level: 1.0, decay: 0.75 }
}

fn tom(hz: f64) -> Vec<Component> {
    vec![
        sine(hz, 0.45, 0.03, 1.0, 0.15),
        sine(hz * 1.59, 0.3, 0.02, 0.35, 0.08),
        noise(600.0, 4200.0, 0.5, 0.014, 0.0005, 0.85),
        noise(180.0, 900.0, 0.12, 0.06, 0.001, 0.4),
    ]
}

fn conga(hz: f64, decay: f64) -> Vec<Component> {
    vec![
        sine(hz, 0.12, 0.015, 1.0, decay),
        sine(hz * 1.51, 0.1, 0.01, 0.3, decay * 0.5),
        sine(hz * 2.27, 0.0, 0.01, 0.16, decay * 0.3),
        noise(900.0, 5200.0, 0.55, 0.009, 0.0006, 0.8),
    ]
}

fn block(hz: f64) -> Vec<Component> {
    vec![
        sine(hz, 0.04, 0.004, 1.0, 0.026),
        sine(hz * 2.41, 0.0, 0.01, 0.35, 0.012),
        noise(1500.0, 7000.0, 0.2, 0.004, 0.0004, 0.8),
    ]
}
