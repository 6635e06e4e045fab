//! Performances of which everything is known: the line that each stroke was meant for, which strokes are grace notes, and
//! which nobody meant.

use crate::pattern::*;
use crate::rough::Chance;
use crate::score::{Player, Score};

/// What is swung in pairs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Swung {
    /// Every second 8th is late; 16ths between go along.
    Eighths,
    /// Every second 16th is.
    Sixteenths,
}

/// How somebody plays.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Playing {
    /// All chance hangs on it.
    pub seed: u64,
    /// Quarters a minute.
    pub bpm: f64,
    /// What is swung, and to how much of a pair, 50 to 67 %.
    pub swing: Option<(Swung, f64)>,
    /// The hat alone is swung.
    pub hat_alone: bool,
    /// The standard deviation of each stroke, in ms; 0 is a machine.
    pub deviation: f64,
    /// Fills in 8th triplets, every eighth bar; else in 16ths.
    pub triplet_fills: bool,
    /// Flams, drags, ruffs, buzzes, rolls and fast doubles.
    pub ornaments: bool,
    /// Double triggers, crosstalk and brushed pads.
    pub accidents: bool,
    /// So many ms earlier at the end of bars 17 to 24 than at their beginning, and back at once; below 0 later.
    pub rush: f64,
    /// The deviation of one drum in ms, where it is not that of the others.
    pub ragged: Option<(u8, f64)>,
    /// Every sixteenth bar has a snare that is struck between two 16ths, where nothing else of it is near.
    pub between_lines: bool,
    /// So many bars.
    pub bars: usize,
}

impl Playing {
    /// Somebody whose manner hangs on a seed.
    pub fn of(seed: u64) -> Playing {
        let mut chance = Chance::new(seed.wrapping_mul(7919).wrapping_add(17));
        let bpm = (72.0 + 78.0 * chance.unit()).round();
        let swung = if chance.happens(0.5) { Swung::Eighths } else { Swung::Sixteenths };
        // Above this nobody swings 16ths by much.
        let most = if swung == Swung::Sixteenths && bpm > 110.0 { 62.0 } else { 67.0 };
        let percent = (53.0 + (most - 53.0) * chance.unit()).round();
        let swing = chance.happens(0.6).then_some((swung, percent));
        let hat_alone = chance.happens(0.2);
        let deviation = 2.0 + 10.0 * chance.unit();
        let triplet_fills = chance.happens(0.5);
        Playing {
            seed,
            bpm,
            swing,
            hat_alone,
            deviation,
            triplet_fills,
            ornaments: true,
            accidents: false,
            rush: 0.0,
            ragged: None,
            between_lines: false,
            bars: 48,
        }
    }
}

/// What a stroke is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Meaning {
    /// It keeps time.
    Stroke,
    /// A fast one behind another, on no line of the grid.
    Double,
    /// It leads to another, or bounces out of it.
    Grace,
    /// Nobody meant it.
    Accident,
}

/// A stroke as it was played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlayedStroke {
    /// At 480 a quarter.
    pub tick: u32,
    /// Which pad.
    pub note: u8,
    /// What it is.
    pub meaning: Meaning,
    /// The line that it was meant for, in ticks; a grace note's is that of its stroke.
    pub line: f64,
}

const GROOVES: [[Bar<'_>; 2]; 4] = [
    [
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X..g.g..X..g"), (KICK, "X.....x.X.x.....")],
        &[(HAT, "X.x.X.x.X.x.X.xx"), (SNARE, "....X..g....X.g."), (KICK, "X..x..x.X.......")],
    ],
    [
        &[(HAT, "XoxoXoxoXoxoXoxo"), (SNARE, "....X.......X..."), (KICK, "X.......X.x...x.")],
        &[(HAT, "XoxoXoxoXoxoXox."), (SNARE, "....X..g....X..g"), (KICK, "X..x....X.x.....")],
    ],
    [
        &[
            (RIDE, "X.x.X.x.X.x.X.x."),
            (SNARE, "..g.X..g.g..X.g."),
            (KICK, "X.....x.X......."),
            (PEDAL, "....o.......o..."),
        ],
        &[(RIDE, "X.xoX.xoX.x.X.xo"), (SNARE, "....X..g....X..g"), (KICK, "X..x....X.x.....")],
    ],
    [
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X.......X..."), (KICK, "X.x.....X.x.....")],
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X.......X.x."), (KICK, "X.....x.X...x...")],
    ],
];

/// Twelve steps: 8th triplets.
const TRIPLETS: Bar<'_> = &[
    (HAT, "X.x........."),
    (SNARE, "...XxxXxx..."),
    (TOM_HIGH, "......xxX..."),
    (TOM_LOW, ".........Xxx"),
    (KICK, "X.....X....."),
];

const SIXTEENTHS: Bar<'_> = &[
    (HAT, "X.x.X.x........."),
    (SNARE, "....X...XxxX...."),
    (TOM_HIGH, "............Xxx."),
    (TOM_LOW, "..............xX"),
    (KICK, "X.......X......."),
];

/// The file of a performance, and its strokes.
pub fn performed(how: &Playing) -> (Vec<u8>, Vec<PlayedStroke>) {
    let mut score = Score::new("Performance", 480);
    score.tempo(0.0, how.bpm);
    score.metre(0.0, 4, 4);
    let kit = score.player("Drums", 10);
    let chance = Chance::new(how.seed);
    let mut hand = Hand { how: *how, chance, score, kit, strokes: Vec::new(), lean: [0.0; 4], last_snare: -1.0 };
    // Where each of kick, snare, hat and the others sits.
    hand.lean = std::array::from_fn(|_| if how.deviation == 0.0 { 0.0 } else { 8.0 * hand.chance.bell() });
    let groove = &GROOVES[how.seed as usize % GROOVES.len()];
    for number in 0..how.bars {
        let at = 4.0 * number as f64;
        match (number % 8, how.triplet_fills) {
            (7, true) => hand.bar(at, TRIPLETS, 12),
            (7, false) => hand.bar(at, SIXTEENTHS, 16),
            (nth, _) => hand.bar(at, groove[nth % 2], 16),
        }
        if how.between_lines && number % 16 == 4 {
            // No snare is struck from the first 16th to the second one of any bar.
            let share = if hand.chance.happens(0.5) { 0.42 } else { 0.66 };
            let place = at + 0.25 * (1.0 + share);
            hand.stroke(place, place, SNARE, 84, Meaning::Stroke);
        }
        if number % 8 == 0 {
            hand.stroke(at, at, CRASH, 108, Meaning::Stroke);
        }
    }
    let Hand { score, mut strokes, .. } = hand;
    strokes.sort_by_key(|stroke| (stroke.tick, stroke.note));
    (score.finish(), strokes)
}

struct Hand {
    how: Playing,
    chance: Chance,
    score: Score,
    kit: Player,
    strokes: Vec<PlayedStroke>,
    lean: [f64; 4],
    last_snare: f64,
}

impl Hand {
    fn ms(&self) -> f64 {
        self.how.bpm / 60_000.0
    }

    /// Where a straight place goes, in quarters.
    fn swung(&self, quarters: f64, note: u8) -> f64 {
        let is_hat = matches!(note, HAT | OPEN | RIDE);
        let Some((of, percent)) = self.how.swing.filter(|_| is_hat || !self.how.hat_alone) else { return quarters };
        let pair = if of == Swung::Eighths { 1.0 } else { 0.5 };
        let (start, share) = ((quarters / pair).floor() * pair, percent / 100.0);
        let into = (quarters - start) / pair;
        let into = if into < 0.5 { 2.0 * share * into } else { share + 2.0 * (1.0 - share) * (into - 0.5) };
        start + pair * into
    }

    fn stroke(&mut self, line: f64, quarters: f64, note: u8, velocity: u8, meaning: Meaning) {
        self.score.note(self.kit, quarters, 0.06, note, velocity);
        let tick = self.score.tick(quarters);
        self.strokes.push(PlayedStroke { tick, note, meaning, line: 480.0 * line });
    }

    fn bar(&mut self, at: f64, pattern: Bar<'_>, steps: usize) {
        let triplets = steps == 12;
        for &(note, letters) in pattern {
            for (step, letter) in letters.chars().enumerate().filter(|(_, letter)| *letter != '.') {
                let straight = at + 4.0 * step as f64 / steps as f64;
                let line = if triplets { straight } else { self.swung(straight, note) };
                self.played(line, note, played(letter));
            }
        }
    }

    fn played(&mut self, line: f64, note: u8, velocity: u8) {
        let (ms, how) = (self.ms(), self.how);
        let lean = self.lean[match note {
            KICK => 0,
            SNARE => 1,
            HAT | RIDE => 2,
            _ => 3,
        }];
        let deviation = how.ragged.filter(|(drum, _)| *drum == note).map_or(how.deviation, |(_, deviation)| deviation);
        let in_rush = line - 64.0;
        let rush = if (0.0..32.0).contains(&in_rush) { how.rush * in_rush / 32.0 } else { 0.0 };
        let place = (line + (lean - rush + 3.0 * deviation * self.chance.bell()) * ms).max(0.0);
        let spread = if how.deviation == 0.0 { 0.0 } else { 9.0 };
        let velocity = (f64::from(velocity) + spread * self.chance.bell()).clamp(14.0, 127.0) as u8;
        self.stroke(line, place, note, velocity, Meaning::Stroke);
        if note == SNARE {
            let free = (line - std::mem::replace(&mut self.last_snare, line)) / ms;
            if how.ornaments && velocity > 88 && line > 0.5 {
                self.ornament(line, place, velocity, free);
            }
        }
        if how.ornaments && note == KICK && self.chance.happens(0.05) {
            let late = (70.0 + 30.0 * self.chance.unit()) * ms;
            self.stroke(line, place + late, KICK, velocity - velocity / 5, Meaning::Double);
        }
        if how.accidents {
            self.accident(line, place, note, velocity);
        }
    }

    /// So many ms are free before the stroke.
    fn ornament(&mut self, line: f64, place: f64, velocity: u8, free: f64) {
        let (ms, soft) = (self.ms(), velocity / 3);
        let in_fill = (line / 4.0) as usize % 8 == 7;
        let graces: Vec<(f64, u8)> = match (14.0 * self.chance.unit()) as u8 {
            0 | 1 if free > 100.0 => vec![(-(20.0 + 16.0 * self.chance.unit()), soft + 8)],
            2 if free > 200.0 => vec![(-92.0, soft), (-46.0, soft + 3)],
            3 if free > 200.0 => vec![(-108.0, soft), (-72.0, soft), (-36.0, soft + 6)],
            // A buzz out of the stroke.
            4 if !in_fill => (1..5).map(|n| (28.0 * f64::from(n), velocity - 14 - 8 * n as u8)).collect(),
            // A closed roll into it.
            5 if free > 380.0 => (1..7).map(|n| (-38.0 * f64::from(n), velocity - 26 - 4 * n as u8)).collect(),
            _ => Vec::new(),
        };
        for (by, velocity) in graces {
            let by = by + 2.0 * self.chance.bell();
            self.stroke(line, (place + by * ms).max(0.0), SNARE, velocity, Meaning::Grace);
        }
    }

    fn accident(&mut self, line: f64, place: f64, note: u8, velocity: u8) {
        let ms = self.ms();
        if self.chance.happens(0.03) {
            let late = (14.0 + 12.0 * self.chance.unit()) * ms;
            self.stroke(line, place + late, note, (velocity / 3).max(3), Meaning::Accident);
        }
        if note == SNARE && velocity > 70 && self.chance.happens(0.1) {
            let soft = 8 + (8.0 * self.chance.unit()) as u8;
            self.stroke(line, place + 3.0 * ms, TOM_HIGH, soft, Meaning::Accident);
        }
        if self.chance.happens(0.008) {
            let soft = 4 + (10.0 * self.chance.unit()) as u8;
            self.stroke(line, place + 0.13, TOM_MID, soft, Meaning::Accident);
        }
    }
}
