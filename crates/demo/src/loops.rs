//! Recorded loops in numbers: the built-in kit played by a hand that strays, in a room, with noise; and where every
//! stroke lies in truth.

use crate::rough::Chance;
use crate::wav::wav;
use vivida_core::{Note, Velocity};
use vivida_sound::{Mixdown, SAMPLE_RATE, Strike, drum_sound};

/// What a loop is made of.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LoopPlan {
    /// What all chance hangs on.
    pub seed: u64,
    /// Quarter notes a minute.
    pub bpm: f64,
    /// Bars of 4/4.
    pub bars: u32,
    /// Which bars are played: of [`LoopPlan::FIGURES`].
    pub figure: usize,
    /// Where the second of two 16ths lies: 0.5 is even, 0.667 a triplet.
    pub swing: f64,
    /// How far strokes stray from where they are meant, in ms.
    pub spread: f64,
    /// How much higher the kit is tuned.
    pub tuning: f64,
    /// How loud the room is.
    pub room: f64,
    /// How loud the noise is, in dB of full scale.
    pub noise: f64,
    /// Some backbeats are flams.
    pub flams: bool,
}

/// A stroke of a loop.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LoopStroke {
    /// In s from the loop's beginning.
    pub seconds: f64,
    /// With which drum.
    pub note: u8,
    /// How hard.
    pub velocity: u8,
    /// Where it is meant, in 16ths from the loop's beginning.
    pub slot: u32,
}

/// A loop as it sounds, and what was played.
#[derive(Clone, Debug, PartialEq)]
pub struct MadeLoop {
    /// Left and right at 44 100 frames a second: exactly its bars.
    pub frames: Vec<[f32; 2]>,
    /// In order of time.
    pub strokes: Vec<LoopStroke>,
}

type Row = (u8, &'static str);

const KICK: u8 = 36;
const SNARE: u8 = 38;
const HAT: u8 = 42;
const OPEN: u8 = 46;
const SHAKER: u8 = 82;

/// Bars in turn, a letter for each 16th: X hard, x less, g a ghost.
const FIGURES: [&[&[Row]]; 7] = [
    // A shaker by itself.
    &[&[(SHAKER, "XgxgXgxgXgxgXgxg")], &[(SHAKER, "XgxgXgxgXgxgXxxg")]],
    // Hats by themselves.
    &[&[(HAT, "X.x.X.x.X.x.X.x.")], &[(HAT, "X.x.X.x.X.x.Xxx."), (OPEN, "...............X")]],
    // A plain rock beat.
    &[&[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X.......X..."), (KICK, "X.......X.x.....")]],
    // A break with ghosts.
    &[
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X..g.g..X..g"), (KICK, "X.x.......x.....")],
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X..g.g....X."), (KICK, "X.x.......X.....")],
    ],
    // Kick and snare alone.
    &[&[(SNARE, "....X.......X..."), (KICK, "X..x..x...X.....")]],
    // Sixteenths on the hat.
    &[&[(HAT, "XgxgXgxgXgxgXgxg"), (SNARE, "....X.......X..."), (KICK, "X.........X.....")]],
    // One after the other, none together.
    &[&[(KICK, "X.......X..x...."), (SNARE, "....X.......X..."), (HAT, "..x...x...x...xx")]],
];

impl LoopPlan {
    /// So many figures there are.
    pub const FIGURES: usize = FIGURES.len();

    /// The shaker of the demo: two bars with a lilt.
    pub fn shaker() -> LoopPlan {
        LoopPlan {
            bpm: 100.0,
            bars: 2,
            figure: 0,
            swing: 0.57,
            spread: 4.0,
            noise: -66.0,
            room: 0.1,
            ..LoopPlan::numbered(3)
        }
    }

    /// The drum break of the demo: two bars with ghosts, in a room, from a worn tape.
    pub fn cut_break() -> LoopPlan {
        LoopPlan {
            bpm: 92.0,
            bars: 2,
            figure: 3,
            swing: 0.56,
            spread: 6.0,
            noise: -48.0,
            room: 0.25,
            ..LoopPlan::numbered(8)
        }
    }

    /// One of many: tempi from 70 to 170, all figures, rooms and tunings, noise up to −30 dB.
    pub fn numbered(seed: u64) -> LoopPlan {
        let mut chance = Chance::new(seed.wrapping_mul(977) + 41);
        LoopPlan {
            seed,
            bpm: (70.0 + 100.0 * chance.unit()).round(),
            bars: [1, 2, 2, 4][(chance.unit() * 4.0) as usize],
            figure: seed as usize % FIGURES.len(),
            swing: [0.5, 0.5, 0.54, 0.58, 0.62][(chance.unit() * 5.0) as usize],
            spread: 8.0 * chance.unit(),
            tuning: 0.85 + 0.35 * chance.unit(),
            room: 0.35 * chance.unit(),
            noise: -70.0 + 40.0 * chance.unit(),
            flams: chance.happens(0.3),
        }
    }

    /// How long it lasts, in frames.
    pub fn length(&self) -> usize {
        (f64::from(self.bars) * 240.0 / self.bpm * f64::from(SAMPLE_RATE)).round() as usize
    }

    /// What is played each time round.
    fn strokes(&self) -> Vec<LoopStroke> {
        let mut chance = Chance::new(self.seed.wrapping_mul(31) + 7);
        let sixteenth = 15.0 / self.bpm;
        let figure = FIGURES[self.figure];
        let mut strokes = Vec::new();
        for bar in 0..self.bars {
            for (note, row) in figure[bar as usize % figure.len()] {
                for (slot, letter) in (0u32..).zip(row.chars()) {
                    let hard = match letter {
                        'X' => 112.0,
                        'x' => 84.0,
                        'g' => 46.0,
                        _ => continue,
                    };
                    let swung = if slot % 2 == 1 { 2.0 * self.swing - 1.0 } else { 0.0 };
                    let strays = self.spread * chance.bell() / 1000.0;
                    let slot = 16 * bar + slot;
                    let seconds = (f64::from(slot) + swung) * sixteenth + strays;
                    let velocity = (hard + 10.0 * chance.bell()).clamp(20.0, 127.0) as u8;
                    let stroke = LoopStroke { seconds, note: *note, velocity, slot };
                    if self.flams && *note == SNARE && letter == 'X' && chance.happens(0.4) {
                        strokes.push(LoopStroke { seconds: seconds - 0.026, velocity: velocity / 2, ..stroke });
                    }
                    strokes.push(stroke);
                }
            }
        }
        strokes
    }

    /// Plays it.
    pub fn make(&self) -> MadeLoop {
        let length = self.length();
        let seconds = length as f64 / f64::from(SAMPLE_RATE);
        let played = self.strokes();
        // Three times round; the second is kept, so that what rings over the end is there at the beginning.
        let around = || {
            (-1..=1).flat_map(|round| {
                played.iter().map(move |stroke| LoopStroke {
                    seconds: stroke.seconds + f64::from(round) * seconds,
                    slot: (stroke.slot as i64 + i64::from(round) * i64::from(16 * self.bars))
                        .rem_euclid(i64::from(16 * self.bars)) as u32,
                    ..*stroke
                })
            })
        };
        let strike = |stroke: LoopStroke| {
            let mut sound = drum_sound(Note::from_data(stroke.note));
            sound.rate *= self.tuning;
            let velocity = Velocity::new(stroke.velocity).expect("1 to 127");
            Strike::plain(stroke.seconds + seconds, 0.1, velocity, sound)
        };
        let mut wav = Vec::new();
        let strikes = around().filter(|stroke| stroke.seconds + seconds >= 0.0).map(strike).collect();
        Mixdown::new(strikes).write(&mut wav, |_| true).expect("memory takes all");
        let mut frames: Vec<[f32; 2]> = wav[44..]
            .chunks_exact(4)
            .map(|four| [0, 2].map(|at| f32::from(i16::from_le_bytes([four[at], four[at + 1]])) / 32768.0))
            .collect();
        frames.resize(frames.len().max(2 * length), [0.0; 2]);
        room(&mut frames, self.room);
        let mut kept = frames[length..2 * length].to_vec();
        let mut chance = Chance::new(self.seed + 5);
        let hiss = libm::pow(10.0, self.noise / 20.0);
        for side in kept.iter_mut().flatten() {
            *side = (*side * 0.8 + (hiss * chance.bell() * 1.5) as f32).clamp(-1.0, 1.0);
        }
        let mut strokes: Vec<LoopStroke> = around().filter(|stroke| (0.0..seconds).contains(&stroke.seconds)).collect();
        strokes.sort_by(|a, b| a.seconds.total_cmp(&b.seconds));
        MadeLoop { frames: kept, strokes }
    }
}

impl MadeLoop {
    /// As a WAV file of 16 bits.
    pub fn wav(&self) -> Vec<u8> {
        let side = |side: usize| self.frames.iter().map(|frame| frame[side]).collect();
        wav(&[side(0), side(1)])
    }

    /// Where every stroke lies, as CSV.
    pub fn csv(&self) -> String {
        let row = |stroke: &LoopStroke| {
            format!("{:.5},{},{},{}\n", stroke.seconds, stroke.note, stroke.velocity, stroke.slot)
        };
        "seconds,note,velocity,sixteenth\n"
            .chars()
            .chain(self.strokes.iter().map(row).collect::<String>().chars())
            .collect()
    }
}

/// A room: echoes that come thicker and softer, by four combs a side.
fn room(frames: &mut [[f32; 2]], level: f64) {
    const ECHOES: [[usize; 4]; 2] = [[1277, 1559, 1801, 2053], [1307, 1531, 1847, 2099]];
    let dry: Vec<[f32; 2]> = frames.to_vec();
    for side in 0..2 {
        for delay in ECHOES[side] {
            let mut line = vec![0.0f32; delay];
            let mut dull = 0.0f32;
            for (at, frame) in frames.iter_mut().enumerate() {
                let back = line[at % delay];
                dull += 0.4 * (back - dull);
                line[at % delay] = dry[at][side] + 0.72 * dull;
                frame[side] += back * level as f32 * 0.3;
            }
        }
    }
    let peak = frames.iter().flatten().fold(0.0f32, |peak, value| peak.max(value.abs()));
    if peak > 1.0 {
        frames.iter_mut().flatten().for_each(|value| *value /= peak);
    }
}
