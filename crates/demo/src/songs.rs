//! The six songs.

use crate::pattern::*;
use crate::rough::{Chance, rough};
use crate::score::{Player, Score};

fn all_100(_: char) -> u8 {
    100
}

fn two_velocities(letter: char) -> u8 {
    if letter == 'X' { 120 } else { 100 }
}

/// A bass line of one bar: (quarters from the bar line, length, note).
type BassBar<'a> = &'a [(f64, f64, u8)];

fn bass(score: &mut Score, player: Player, at: f64, bar: BassBar<'_>, up: u8, velocity: u8) {
    for &(quarters, length, note) in bar {
        score.note(player, at + quarters, length * 0.92, note + up, velocity);
    }
}

/// Programmed: every velocity 100, everything on the grid.
pub fn causeway() -> Vec<u8> {
    let mut score = Score::new("Causeway", 480);
    score.tempo(0.0, 96.0);
    score.metre(0.0, 4, 4);
    let drums = score.player("Drums", 10);
    let low = score.player("Bass", 2);
    score.program(low, 33);
    let style = Style { steps: 4.0, length: 0.2, velocity: all_100 };

    let intro: Bar = &[(HAT, "x.x.x.x.x.x.x.x."), (KICK, "x.......x......."), (STICK, "....x.......x...")];
    let verse: [Bar; 2] = [
        &[
            (HAT, "xxxxxxxxxxxxxxxx"),
            (SNARE, "....x.......x..."),
            (KICK, "x..x......x....."),
            (OPEN, "................"),
        ],
        &[
            (HAT, "xxxxxxxxxxxxxx.."),
            (SNARE, "....x.......x..."),
            (KICK, "x..x..x...x....x"),
            (OPEN, "..............x."),
        ],
    ];
    let lift: [Bar; 2] = [
        &[
            (RIDE, "x.x.x.x.x.x.x.x."),
            (SNARE, "....x.......x..."),
            (KICK, "x.x...x.x.x....."),
            (82, "xxxxxxxxxxxxxxxx"),
        ],
        &[
            (RIDE, "x.x.x.x.x.x.x.x."),
            (SNARE, "....x.......x..x"),
            (KICK, "x.x...x.x.x...x."),
            (82, "xxxxxxxxxxxxxxxx"),
        ],
    ];
    let breakdown: Bar = &[(STICK, "....x.......x..."), (KICK, "x.........x....."), (82, "x.x.x.x.x.x.x.x.")];
    let fill: Bar = &[
        (HAT, "x.x.x.x........."),
        (SNARE, "....x...xxxx...."),
        (TOM_MID, "............xx.."),
        (TOM_LOW, "..............xx"),
        (KICK, "x..x....x...x..."),
    ];

    let roots: [u8; 4] = [33, 36, 31, 28];
    let walk: BassBar = &[(0.0, 0.75, 0), (0.75, 0.5, 0), (2.5, 0.5, 0), (3.0, 0.5, 7), (3.5, 0.5, 5)];
    let drive: BassBar = &[(0.0, 0.5, 0), (0.5, 0.5, 0), (1.5, 0.5, 0), (2.0, 0.5, 12), (2.5, 0.5, 0), (3.5, 0.5, 7)];
    let held: BassBar = &[(0.0, 3.5, 0)];

    let sections: [(&'static str, u32, &[Bar], BassBar); 8] = [
        ("Intro", 4, &[intro], held),
        ("Verse 1", 16, &verse, walk),
        ("Lift 1", 8, &lift, drive),
        ("Verse 2", 16, &verse, walk),
        ("Lift 2", 8, &lift, drive),
        ("Break", 8, &[breakdown], held),
        ("Lift 3", 8, &lift, drive),
        ("Out", 4, &[intro], held),
    ];
    let mut bar = 0u32;
    for (name, bars, patterns, line) in sections {
        score.marker(f64::from(bar) * 4.0, name);
        for number in 0..bars {
            let at = f64::from(bar) * 4.0;
            let last_of_eight = bars >= 8 && number % 8 == 7;
            let pattern = if last_of_eight { fill } else { patterns[number as usize % patterns.len()] };
            write(&mut score, drums, &style, at, pattern, as_written);
            if number == 0 && bars >= 8 {
                score.note(drums, at, 0.5, CRASH, 100);
            }
            bass(&mut score, low, at, line, roots[(bar / 2) as usize % 4], 100);
            bar += 1;
        }
    }
    score.finish()
}

/// Programmed motorik: long runs, fills, two velocities only, 96 ppq.
pub fn kiln_yard() -> Vec<u8> {
    let mut score = Score::new("Kiln Yard", 96);
    score.tempo(0.0, 138.0);
    score.metre(0.0, 4, 4);
    let drums = score.player("Drum machine", 10);
    let low = score.player("Bass", 2);
    score.program(low, 38);
    let style = Style { steps: 4.0, length: 0.125, velocity: two_velocities };

    let straight: [Bar; 2] = [
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X.......X..."), (KICK, "X.x...x.X.x...x.")],
        &[(HAT, "X.x.X.x.X.x.X.x."), (SNARE, "....X.......X..."), (KICK, "X.x...x.X.x.x.x.")],
    ];
    let busy: [Bar; 2] = [
        &[
            (HAT, "XxxxXxxxXxxxXxxx"),
            (SNARE, "....X.......X..."),
            (KICK, "X.x...x.X.x...x."),
            (TAMBOURINE, "x.X.x.X.x.X.x.X."),
        ],
        &[
            (HAT, "XxxxXxxxXxxxXx.."),
            (SNARE, "....X..x....X..."),
            (KICK, "X.x...x.X.x.x.x."),
            (OPEN, "..............X."),
            (TAMBOURINE, "x.X.x.X.x.X.x.X."),
        ],
    ];
    let fills: [Bar; 3] = [
        &[(SNARE, "Xxxxxxxxxxxxxxxx"), (KICK, "X...X...X...X...")],
        &[
            (SNARE, "XxxxXxxx........"),
            (TOM_HIGH, "........XxXx...."),
            (TOM_LOW, "............XxXx"),
            (KICK, "X...X...X...X..."),
        ],
        &[
            (TOM_HIGH, "X..x..X..x......"),
            (TOM_MID, ".x..x..x..x....."),
            (TOM_LOW, "..x..x..x..xXxXx"),
            (KICK, "X.......X......."),
        ],
    ];
    let riff: BassBar = &[
        (0.0, 0.5, 0),
        (0.5, 0.5, 0),
        (1.0, 0.5, 0),
        (1.5, 0.5, 0),
        (2.0, 0.5, 0),
        (2.5, 0.5, 0),
        (3.0, 0.5, 0),
        (3.5, 0.5, 10),
    ];

    let sections: [(&'static str, u32, &[Bar]); 6] = [
        ("Start", 8, &straight),
        ("Yard", 24, &straight),
        ("Kiln", 16, &busy),
        ("Yard again", 16, &straight),
        ("Kiln again", 24, &busy),
        ("Cooling", 8, &straight),
    ];
    let mut bar = 0u32;
    for (name, bars, patterns) in sections {
        score.marker(f64::from(bar) * 4.0, name);
        for number in 0..bars {
            let at = f64::from(bar) * 4.0;
            let pattern = if number % 8 == 7 {
                fills[(bar / 8) as usize % 3]
            } else {
                patterns[number as usize % patterns.len()]
            };
            write(&mut score, drums, &style, at, pattern, as_written);
            if number % 8 == 0 {
                score.note(drums, at, 0.5, CRASH, 120);
            }
            let root = if (bar / 8) % 3 == 2 { 31 } else { 28 };
            bass(&mut score, low, at, riff, root, 110);
            bar += 1;
        }
    }
    score.finish()
}

/// A half-time shuffle with ghost notes and a tempo that breathes.
pub fn night_ferry() -> Vec<u8> {
    let mut score = Score::new("Night Ferry", 480);
    score.tempo(0.0, 74.0);
    score.metre(0.0, 4, 4);
    let drums = score.player("Drum kit", 10);
    let low = score.player("Bass", 2);
    score.program(low, 32);
    // Eighth triplets: three steps a quarter.
    let style = Style { steps: 3.0, length: 0.15, velocity: played };
    let groove: [Bar; 2] = [
        &[(HAT, "X.x X.o X.x X.o"), (SNARE, ".g. .g. Xg. .g."), (KICK, "X.. ..x ... ..x")],
        &[(HAT, "X.x X.o X.x X.."), (SNARE, ".g. .g. Xg. .gg"), (KICK, "X.. ..x ..x x.."), (OPEN, "... ... ... ..x")],
    ];
    let ride: [Bar; 2] = [
        &[(RIDE, "X.o X.x X.o X.x"), (SNARE, ".g. .g. X.g .g."), (KICK, "X.. ..o ... x.x"), (PEDAL, "... x.. ... x..")],
        &[
            (RIDE, "X.o X.x X.o X.x"),
            (BELL, "... ... ..x ..."),
            (SNARE, ".gg .g. X.g .g."),
            (KICK, "X.. ..o ..x ..x"),
            (PEDAL, "... x.. ... x.."),
        ],
    ];
    let fill: Bar = &[
        (HAT, "X.x X.. ... ..."),
        (SNARE, ".g. .gx Xoo ..."),
        (TOM_HIGH, "... ... ... xo."),
        (TOM_LOW, "... ... ... ..X"),
        (KICK, "X.. ... X.. ..x"),
    ];
    let line: BassBar = &[(0.0, 1.3, 0), (5.0 / 3.0, 0.3, 7), (2.0, 1.0, 10), (11.0 / 3.0, 0.3, 5)];

    let sections: [(&'static str, u32, &[Bar]); 5] = [
        ("Quay", 4, &groove),
        ("Crossing", 16, &groove),
        ("Deck", 8, &ride),
        ("Crossing 2", 16, &groove),
        ("Landing", 4, &ride),
    ];
    let mut bar = 0u32;
    for (name, bars, patterns) in sections {
        let start = f64::from(bar) * 4.0;
        score.marker(start, name);
        match name {
            "Deck" => score.tempo(start, 71.5),
            "Crossing 2" => score.tempo(start, 75.0),
            "Landing" => (0..16).for_each(|beat| score.tempo(start + f64::from(beat), 75.0 - 0.9 * f64::from(beat))),
            _ => {}
        }
        for number in 0..bars {
            let at = f64::from(bar) * 4.0;
            let last_of_eight = bars >= 8 && number % 8 == 7;
            let pattern = if last_of_eight { fill } else { patterns[number as usize % patterns.len()] };
            write(&mut score, drums, &style, at, pattern, as_written);
            if number == 0 && bar > 0 {
                score.note(drums, at, 0.5, CRASH, 96);
            }
            bass(&mut score, low, at, line, [26, 26, 31, 33][(bar / 2) as usize % 4], 84);
            bar += 1;
        }
    }
    score.finish()
}

/// A rough performance on pads, in 5/4 and then 7/8.
pub fn tin_roof() -> Vec<u8> {
    rough("Tin Roof", 41, |note| note).0
}

/// Hand percussion on several channels.
pub fn paper_lanterns() -> Vec<u8> {
    let mut score = Score::new("Paper Lanterns", 480);
    score.tempo(0.0, 112.0);
    score.metre(0.0, 2, 4);
    let shaker = score.player("Shaker", 10);
    let congas = score.player("Congas", 11);
    let block = score.player("Woodblock", 12);
    let kalimba = score.player("Thumb piano", 1);
    score.program(kalimba, 108);
    let style = Style { steps: 4.0, length: 0.1, velocity: played };
    let tumbao: [Bar; 2] = [
        &[(62, "x.o..o.."), (63, "......xx"), (64, "........")],
        &[(62, "x.o.x..."), (63, "......x."), (64, "...x...x")],
    ];
    let answer: [Bar; 2] = [
        &[(63, "X..x..x."), (64, "..x..x.."), (62, ".o..o..o")],
        &[(63, "x.X...x."), (64, "...xX..."), (62, ".o.....o")],
    ];
    let shaking: Bar = &[(82, "XoxoXoxo")];
    let clave: [Bar; 4] =
        [&[(76, "x..x..x.")], &[(77, "..x.x...")], &[(76, "x..x..x.")], &[(76, "....x..."), (77, "..x.....")]];
    let melody: [BassBar; 4] = [
        &[(0.0, 0.5, 0), (0.75, 0.5, 7), (1.5, 0.5, 4)],
        &[(0.5, 0.5, 9), (1.0, 0.5, 7)],
        &[(0.0, 0.5, 2), (0.75, 0.5, 9), (1.5, 0.5, 5)],
        &[(0.0, 1.5, 4)],
    ];
    let sections: [(&'static str, u32, bool, bool); 5] = [
        ("Dusk", 8, false, false),
        ("Lanterns", 24, true, true),
        ("Street", 24, true, true),
        ("Quiet", 16, false, true),
        ("Lanterns again", 24, true, true),
    ];
    let mut bar = 0u32;
    for (name, bars, with_block, with_congas) in sections {
        score.marker(f64::from(bar) * 2.0, name);
        for number in 0..bars {
            let at = f64::from(bar) * 2.0;
            write(&mut score, shaker, &style, at, shaking, as_written);
            if with_congas {
                let patterns = if number % 8 >= 6 || name == "Street" { &answer } else { &tumbao };
                write(&mut score, congas, &style, at, patterns[number as usize % 2], as_written);
            }
            if with_block {
                write(&mut score, block, &style, at, clave[number as usize % 4], as_written);
            }
            bass(
                &mut score,
                kalimba,
                at,
                melody[number as usize % 4],
                if (bar / 4).is_multiple_of(2) { 62 } else { 60 },
                80,
            );
            bar += 1;
        }
    }
    score.finish()
}

/// Brushes in 6/8: velocities that live, timing that does not, and a lane of the hat pedal.
pub fn the_weir() -> Vec<u8> {
    let mut score = Score::new("The Weir", 480);
    score.tempo(0.0, 88.0 * 1.5);
    score.metre(0.0, 6, 8);
    let brushes = score.player("Brush kit", 10);
    let low = score.player("Upright bass", 2);
    score.program(low, 32);
    let style = Style { steps: 4.0, length: 0.12, velocity: played };
    let flow: [Bar; 2] = [
        &[(SNARE, "x.o.o.X.o.o."), (RIDE, "X...x.x...x."), (KICK, "x.........o."), (PEDAL, "......x.....")],
        &[(SNARE, "x.o.ogX.o.og"), (RIDE, "X...x.x...xo"), (KICK, "x.....o....."), (PEDAL, "......x.....")],
    ];
    let rise: [Bar; 2] = [
        &[(SNARE, "xgo.ogXgo.oo"), (RIDE, "X.o.x.X.o.x."), (KICK, "x...o.....x."), (PEDAL, "......x.....")],
        &[(SNARE, "xgo.ogX.oxoX"), (RIDE, "X.o.x.X.o.x."), (KICK, "x...o...x..."), (PEDAL, "......x.....")],
    ];
    let turn: Bar =
        &[(SNARE, "x.o.oxX....."), (TOM_HIGH, ".......xo..."), (TOM_LOW, ".........xoX"), (KICK, "x.....x.....")];
    let line: BassBar = &[(0.0, 1.4, 0), (1.5, 0.9, 7), (2.5, 0.5, 5)];

    let mut chance = Chance::new(88);
    let sections: [(&'static str, u32, &[Bar], f64); 4] = [
        ("Upstream", 16, &flow, -8.0),
        ("Over", 16, &rise, 6.0),
        ("Pool", 16, &flow, -14.0),
        ("Downstream", 24, &rise, 2.0),
    ];
    let mut bar = 0u32;
    for (name, bars, patterns, level) in sections {
        score.marker(f64::from(bar) * 3.0, name);
        for number in 0..bars {
            let at = f64::from(bar) * 3.0;
            let pattern = if number % 8 == 7 { turn } else { patterns[number as usize % patterns.len()] };
            // A phrase of eight bars swells and falls back.
            let phrase = 7.0 * (f64::from(number % 8) / 7.0 * std::f64::consts::PI).sin();
            write(&mut score, brushes, &style, at, pattern, |_, quarters, velocity| {
                let velocity = f64::from(velocity) * 0.82 + level + phrase + 9.0 * chance.bell();
                (quarters, velocity.clamp(6.0, 118.0) as u8)
            });
            for step in 0..6u8 {
                let lifted = if (2..4).contains(&step) { 96 } else { 12 + 3 * step };
                score.controller(brushes, at + f64::from(step) * 0.5, 4, lifted);
            }
            bass(&mut score, low, at, line, [29, 34, 27, 32][(bar / 2) as usize % 4], (76.0 + level) as u8);
            bar += 1;
        }
    }
    score.finish()
}
