//! Drummers in numbers, the same every time: one on pads, with accidents, and one who means every stroke.

use crate::pattern::*;
use crate::score::{Player, Score};

/// A small generator of numbers that only look random (Numerical Recipes' 64-bit LCG, upper bits).
pub struct Chance(u64);

impl Chance {
    pub fn new(seed: u64) -> Chance {
        let mut chance = Chance(seed);
        chance.unit();
        chance
    }

    /// 0 to 1.
    pub fn unit(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as f64 / (1u64 << 31) as f64
    }

    /// −1 to 1, mostly near 0.
    pub fn bell(&mut self) -> f64 {
        (self.unit() + self.unit() + self.unit()) / 1.5 - 1.0
    }

    pub fn happens(&mut self, share: f64) -> bool {
        self.unit() < share
    }
}

/// A hit that the player did not mean: its tick at 480 a quarter, and its note.
pub type Accident = (u32, u8);

/// A rough performance on pads, in 5/4 and then 7/8, and what of it the player did not mean. `pads` says which note
/// each drum of the pattern is played on.
pub fn rough(title: &'static str, seed: u64, pads: fn(u8) -> u8) -> (Vec<u8>, Vec<Accident>) {
    let note_of = pads;
    let mut score = Score::new(title, 480);
    let bpm = 104.0;
    score.tempo(0.0, bpm);
    score.metre(0.0, 5, 4);
    let pads = score.player("Pads kit take 3", 10);
    let style = Style { steps: 4.0, length: 0.1, velocity: played };
    let fives: [Bar; 2] = [
        &[(HAT, "X.x.X.x.X.x.X.x.X.x."), (SNARE, "....X.......X......."), (KICK, "X.....x.X.......x...")],
        &[(HAT, "X.x.X.x.X.x.X.xxX.x."), (SNARE, "....X..g....X.....g."), (KICK, "X.....x.X...x...x...")],
    ];
    let five_fill: Bar = &[
        (HAT, "X.x.X.x............."),
        (SNARE, "....X...xxXx........"),
        (TOM_HIGH, "............XxXx...."),
        (TOM_LOW, "................XxXX"),
        (KICK, "X.....x.X.......x..."),
    ];
    let sevens: [Bar; 2] = [
        &[(RIDE, "X.x.X.x.X.x.x."), (SNARE, "....X.....X..."), (KICK, "X.....x.X...x.")],
        &[(RIDE, "X.x.X.x.X.x.x."), (SNARE, "....X..g..X..."), (KICK, "X..x..x.X....."), (PEDAL, "....x...x.....")],
    ];
    let seven_fill: Bar = &[
        (RIDE, "X.x..........."),
        (SNARE, "....XxxxX....."),
        (TOM_MID, ".........xxX.."),
        (TOM_LOW, "............XX"),
        (KICK, "X.......X....."),
    ];

    let mut drummer = Drummer { chance: Chance::new(seed), quarter_ms: 60_000.0 / bpm, note_of, accidents: Vec::new() };
    let mut at = 0.0;
    score.marker(0.0, "Five");
    for number in 0..24usize {
        let pattern = if number % 8 == 7 { five_fill } else { fives[number % 2] };
        drummer.bar(&mut score, pads, &style, at, pattern, number % 8 == 0);
        at += 5.0;
    }
    score.marker(at, "Seven");
    score.metre(at, 7, 8);
    for number in 0..32usize {
        let pattern = if number % 8 == 7 { seven_fill } else { sevens[number % 2] };
        drummer.bar(&mut score, pads, &style, at, pattern, number % 8 == 0);
        at += 3.5;
    }
    (score.finish(), drummer.accidents)
}

/// Somebody who plays pads with spirit: hats uneven and late, the kick rushing, now and then a
/// double trigger, a brushed pad or crosstalk.
struct Drummer {
    chance: Chance,
    quarter_ms: f64,
    note_of: fn(u8) -> u8,
    accidents: Vec<Accident>,
}

impl Drummer {
    fn bar(&mut self, score: &mut Score, pads: Player, style: &Style, at: f64, pattern: Bar<'_>, crash: bool) {
        let mut extra: Vec<(f64, u8, u8)> = Vec::new();
        let chance = &mut self.chance;
        let (quarter, note_of) = (self.quarter_ms, self.note_of);
        let on_pads: Vec<(u8, &str)> = pattern.iter().map(|&(note, steps)| (note_of(note), steps)).collect();
        let mut drums = pattern
            .iter()
            .flat_map(|&(note, steps)| steps.chars().filter(|step| !".  ".contains(*step)).map(move |_| note));
        write(score, pads, style, at, &on_pads, |_, quarters, velocity| {
            let note = drums.next().unwrap_or_default();
            let (mean, spread) = match note {
                KICK => (-14.0, 12.0),
                SNARE => (7.0, 10.0),
                HAT | RIDE => (4.0, 16.0),
                _ => (0.0, 22.0),
            };
            let place = quarters + (mean + spread * chance.bell()) / quarter;
            let swing = if note == HAT || note == RIDE { 26.0 } else { 14.0 };
            let velocity = (f64::from(velocity) + swing * chance.bell()).clamp(8.0, 127.0) as u8;
            if chance.happens(0.05) {
                extra.push((place + (14.0 + 12.0 * chance.unit()) / quarter, note, (velocity / 3).max(3)));
            }
            if note == SNARE && chance.happens(0.12) {
                extra.push((place + 3.0 / quarter, TOM_HIGH, 9 + (9.0 * chance.unit()) as u8));
            }
            if chance.happens(0.012) {
                extra.push((place + 0.13, TOM_MID, 5 + (6.0 * chance.unit()) as u8));
            }
            (place, velocity)
        });
        if crash {
            let late = 9.0 * self.chance.bell() / quarter;
            score.note(pads, at + late, 0.3, note_of(CRASH), 108);
        }
        for (quarters, note, velocity) in extra {
            self.accidents.push((score.tick(quarters), note_of(note)));
            score.note(pads, quarters, 0.03, note_of(note), velocity);
        }
    }
}

/// A performance in which every stroke is meant: ghosts, flams, drags, buzz rolls and fast doubles.
pub fn clean(title: &'static str, seed: u64) -> Vec<u8> {
    let mut chance = Chance::new(seed);
    let bpm = 84.0 + 56.0 * chance.unit();
    let mut score = Score::new(title, 480);
    score.tempo(0.0, bpm);
    score.metre(0.0, 4, 4);
    let kit = score.player("Drums", 10);
    let ms = bpm / 60_000.0;
    let bars: [Bar<'_>; 3] = [
        &[
            (HAT, "X.x.X.x.X.x.X.x."),
            (SNARE, "..g.X..g.g..X..g"),
            (KICK, "X.....x.X.x....."),
            (PEDAL, "....o.......o..."),
        ],
        &[(RIDE, "X.xoX.xoX.xoX.xo"), (SNARE, ".g..X.g..g..X.g."), (KICK, "X..x....X.x....x")],
        &[
            (HAT, "X.x.X.x.X......."),
            (SNARE, "..g.X...X.xxX.xx"),
            (TOM_HIGH, "..........X....."),
            (TOM_LOW, ".............Xx."),
            (KICK, "X.......X...x..."),
        ],
    ];
    let style = Style { steps: 4.0, length: 0.1, velocity: played };
    for number in 0..32usize {
        let at = number as f64 * 4.0;
        let bar = bars[if number % 8 == 7 { 2 } else { number / 8 % 2 }];
        let mut graces: Vec<(f64, u8)> = Vec::new();
        write(&mut score, kit, &style, at, bar, |note, quarters, velocity| {
            let place = quarters + (5.0 * chance.bell() + 3.0) * ms;
            let velocity = (f64::from(velocity) + 9.0 * chance.bell()).clamp(14.0, 127.0) as u8;
            if note == SNARE && velocity > 90 {
                let soft = velocity / 3;
                match (8.0 * chance.unit()) as u8 {
                    // A flam, a drag, a buzz out of the stroke, a double after it.
                    0 => graces.push((place - 26.0 * ms, soft)),
                    1 => graces.extend([(place - 92.0 * ms, soft), (place - 46.0 * ms, soft)]),
                    2 => graces.extend((1..4).map(|n| (place + f64::from(n) * 30.0 * ms, velocity - 12 - 8 * n as u8))),
                    3 => graces.push((place + 62.0 * ms, (velocity / 2).max(30))),
                    _ => {}
                }
            }
            (place, velocity)
        });
        for (quarters, velocity) in graces {
            score.note(kit, quarters, 0.04, SNARE, velocity);
        }
        if number % 8 == 0 {
            score.note(kit, at, 0.3, CRASH, 104);
        }
    }
    score.finish()
}
