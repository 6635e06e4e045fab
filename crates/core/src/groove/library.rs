//! Our own grooves, each worked out from a rule that its note states.

use crate::base::units::{Ppq, Ticks};
use crate::groove::{GrooveProfile, GrooveSlot, GrooveSlots};
use crate::kit::Family;
use crate::time::metre::{Metre, MetreMap};
use crate::time::slots::Slots;

/// A groove that ships with Vivida, and the rule that it was made by.
#[derive(Clone, Debug, PartialEq)]
pub struct OwnGroove {
    /// The rule in words.
    pub note: String,
    /// The groove.
    pub groove: GrooveProfile,
}

/// A slot as a rule sees it.
struct Place {
    /// From 0 at the bar line.
    in_bar: usize,
    /// From 0.
    bar: usize,
    /// Its metrical weight.
    weight: f64,
    /// What players call it.
    name: String,
}

impl Place {
    fn is(&self, names: &[&str]) -> bool {
        names.contains(&self.name.as_str())
    }
}

/// What a rule says of a slot: the offset in % of a cell, how steady it is, likewise, and the accent in %.
struct Stroke(f64, f64, f64);

type Rule<'a> = &'a dyn Fn(&Place) -> Stroke;

/// What the grooves of the library have in common.
struct Sketch {
    metre: (u8, u8),
    grid: &'static str,
    bars: u32,
    tempo: f64,
}

const SIXTEENTHS: Sketch = Sketch { metre: (4, 4), grid: "1/16", bars: 1, tempo: 100.0 };
const EIGHTHS: Sketch = Sketch { grid: "1/8", ..SIXTEENTHS };
const TRIPLETS: Sketch = Sketch { grid: "1/8 triplet", ..SIXTEENTHS };

impl Sketch {
    fn groove(&self, name: &str, note: &str, all: Rule<'_>, families: &[(Family, Rule<'_>)]) -> OwnGroove {
        let metre = Metre::new(self.metre.0, self.metre.1).expect("a metre of the library");
        let grid = self.grid.parse().expect("a grid of the library");
        let groove = GrooveProfile {
            name: name.to_owned(),
            bars: self.bars,
            metre: metre.clone(),
            grid,
            tempo: self.tempo,
            ..GrooveProfile::default()
        };
        let ppq = Ppq::new(Ppq::FINE).expect("above 0");
        let slots = Slots::of(&MetreMap::new(ppq, [(Ticks(0.0), metre)]), 1, grid, self.bars).slots;
        let a_bar = groove.slots_a_bar() as usize;
        let voice = |rule: Rule<'_>| -> GrooveSlots {
            let strokes: Vec<Stroke> = slots
                .iter()
                .enumerate()
                .map(|(index, slot)| {
                    let (bar, in_bar) = (index / a_bar, index % a_bar);
                    rule(&Place { in_bar, bar, weight: slot.weight, name: slot.name.clone() })
                })
                .collect();
            // Accents are held against their mean, as those that are taken are.
            let level = strokes.iter().map(|stroke| stroke.2).sum::<f64>() / strokes.len() as f64;
            let slot = |Stroke(offset, steady, accent): Stroke| GrooveSlot {
                offset: offset / 100.0,
                spread: steady / 100.0,
                velocity: accent / level,
                velocity_spread: 0.05,
                ..GrooveSlot::default()
            };
            (1..).zip(strokes.into_iter().map(slot)).collect()
        };
        let families = families.iter().map(|&(family, rule)| (family, voice(rule))).collect();
        OwnGroove { note: note.to_owned(), groove: GrooveProfile { together: voice(all), families, ..groove } }
    }
}

/// Louder on heavier places: 80 % off the grid to 115 % on the downbeat.
fn by_weight(place: &Place) -> f64 {
    80.0 + 35.0 * place.weight
}

/// Every second cell late: where the middle of a pair lies at `percent`, by 2·(percent − 50) of a cell.
fn swung(percent: f64) -> impl Fn(&Place) -> Stroke {
    move |place| {
        let second = place.in_bar % 2 == 1;
        Stroke(
            if second { 2.0 * (percent - 50.0) } else { 0.0 },
            2.5,
            by_weight(place) - if second { 6.0 } else { 0.0 },
        )
    }
}

/// Late by some % of a cell, wherever it is.
fn late(percent: f64) -> impl Fn(&Place) -> Stroke {
    move |place| Stroke(percent, 3.0, by_weight(place))
}

/// The strokes of a two-bar clave in 8ths from 0: three in one bar, two in the other.
fn clave(three_first: bool) -> impl Fn(&Place) -> Stroke {
    move |place| {
        let three = (place.bar == 0) == three_first;
        let struck: &[usize] = if three { &[0, 3, 6] } else { &[2, 4] };
        let on = struck.contains(&place.in_bar);
        Stroke(if on { -2.0 } else { 3.0 }, 3.0, if on { 130.0 } else { 80.0 })
    }
}

impl GrooveProfile {
    /// The grooves that ship with Vivida.
    ///
    /// ```
    /// use vivida_core::GrooveProfile;
    /// let own = GrooveProfile::own();
    /// assert!(own.len() >= 16);
    /// assert_eq!(own[1].groove.reading().swings[0].percent, 57.0);
    /// ```
    pub fn own() -> Vec<OwnGroove> {
        let mut own = swings();
        own.extend(shuffles());
        own.extend(pockets());
        own.extend(dances());
        own
    }
}

fn swings() -> Vec<OwnGroove> {
    let swing = |sketch: &Sketch, name: &str, note: &str, percent| sketch.groove(name, note, &swung(percent), &[]);
    vec![
        swing(&SIXTEENTHS, "Sixteenths, a hint of swing", "Every second 16th at 54 % of its pair.", 54.0),
        swing(&SIXTEENTHS, "Sixteenths, easy swing", "Every second 16th at 57 % of its pair.", 57.0),
        swing(&SIXTEENTHS, "Sixteenths, deep swing", "Every second 16th at 62 % of its pair.", 62.0),
        swing(&SIXTEENTHS, "Sixteenths as triplets", "Every second 16th at two thirds of its pair.", 200.0 / 3.0),
        swing(&EIGHTHS, "Eighths, a hint of swing", "Every second 8th at 55 % of its pair.", 55.0),
        swing(&EIGHTHS, "Eighths, easy swing", "Every second 8th at 60 % of its pair.", 60.0),
        swing(&EIGHTHS, "Eighths as triplets", "Every second 8th at two thirds of its pair.", 200.0 / 3.0),
    ]
}

fn shuffles() -> Vec<OwnGroove> {
    let shuffle = |last: f64| {
        move |place: &Place| match place.in_bar % 3 {
            0 => Stroke(0.0, 2.0, 115.0),
            1 => Stroke(1.0, 4.0, 62.0),
            _ => Stroke(last, 3.0, 92.0),
        }
    };
    let half_time = |place: &Place| {
        let accent = match (place.is(&["3"]), place.in_bar % 3) {
            (true, _) => 135.0,
            (_, 0) => 105.0,
            (_, 1) => 55.0,
            _ => 85.0,
        };
        Stroke(
            if place.is(&["3"]) {
                8.0
            } else if place.in_bar % 3 == 2 {
                4.0
            } else {
                0.0
            },
            3.0,
            accent,
        )
    };
    vec![
        TRIPLETS.groove(
            "Shuffle, driving",
            "Triplet 8ths: the last of three 6 % of a cell early, the middle one soft.",
            &shuffle(-6.0),
            &[],
        ),
        TRIPLETS.groove(
            "Shuffle, dragging",
            "Triplet 8ths: the last of three 10 % of a cell late, the middle one soft.",
            &shuffle(10.0),
            &[],
        ),
        Sketch { tempo: 74.0, ..TRIPLETS }.groove(
            "Half-time shuffle",
            "Triplet 8ths with the weight on beat 3, which comes 8 % of a cell late; middles are ghosts.",
            &half_time,
            &[],
        ),
    ]
}

fn pockets() -> Vec<OwnGroove> {
    let backbeat = |place: &Place| {
        let on = place.is(&["2", "4"]);
        Stroke(if on { 9.0 } else { 6.0 }, 2.5, if on { 120.0 } else { 78.0 })
    };
    let heavy_three = |place: &Place| Stroke(12.0, 3.0, if place.is(&["3"]) { 130.0 } else { 72.0 });
    let pushed = |place: &Place| Stroke(if place.is(&["&"]) { -8.0 } else { -5.0 }, 3.0, by_weight(place));
    let staggering = |place: &Place| match place.in_bar % 4 {
        0 => Stroke(0.0, 4.0, 112.0),
        1 => Stroke(24.0, 7.0, 84.0),
        2 => Stroke(-9.0, 6.0, 102.0),
        _ => Stroke(13.0, 8.0, 80.0),
    };
    let reeling = |place: &Place| {
        let second = place.in_bar % 2 == 1;
        let later = if place.bar == 1 { 6.0 } else { 0.0 };
        Stroke(if second { -7.0 } else { later }, 5.0, by_weight(place))
    };
    let ahead = |place: &Place| Stroke(-4.0, 2.5, by_weight(place));
    vec![
        SIXTEENTHS.groove(
            "Backbeat laid back",
            "Snare on 2 and 4 9 % of a 16th behind, hats 3 %, kick on the beat.",
            &late(3.0),
            &[(Family::Kick, &late(0.0)), (Family::Snare, &backbeat), (Family::Hat, &late(3.0))],
        ),
        SIXTEENTHS.groove("All laid back", "Everything 7 % of a 16th behind.", &late(7.0), &[]),
        SIXTEENTHS.groove("Pushed along", "Everything 5 % of a 16th ahead, the offbeat 8ths 8 %.", &pushed, &[]),
        SIXTEENTHS.groove(
            "Hats ahead, snare behind",
            "Hats and ride 4 % of a 16th ahead, snare on 2 and 4 9 % behind, kick on the beat.",
            &late(0.0),
            &[(Family::Kick, &late(0.0)), (Family::Snare, &backbeat), (Family::Hat, &ahead), (Family::Ride, &ahead)],
        ),
        Sketch { tempo: 76.0, ..SIXTEENTHS }.groove(
            "Half time, heavy three",
            "Snare on 3 12 % of a 16th behind and loud; the rest 3 % behind.",
            &late(3.0),
            &[(Family::Kick, &late(2.0)), (Family::Snare, &heavy_three)],
        ),
        Sketch { tempo: 88.0, ..SIXTEENTHS }.groove(
            "Staggering sixteenths",
            "Within each beat on time, 24 % late, 9 % early, 13 % late, and unsteady.",
            &staggering,
            &[],
        ),
        Sketch { bars: 2, tempo: 92.0, ..EIGHTHS }.groove(
            "Reeling eighths",
            "Offbeats 7 % of an 8th early; in every second bar the beats 6 % late.",
            &reeling,
            &[],
        ),
    ]
}

fn dances() -> Vec<OwnGroove> {
    let samba = |place: &Place| match place.in_bar % 4 {
        0 => Stroke(0.0, 2.0, 108.0),
        1 => Stroke(-4.0, 3.0, 70.0),
        2 => Stroke(-12.0, 3.0, 78.0),
        _ => Stroke(-7.0, 3.0, 124.0),
    };
    let waltz = |place: &Place| match place.in_bar {
        0 => Stroke(0.0, 2.0, 125.0),
        2 => Stroke(-14.0, 3.0, 85.0),
        4 => Stroke(-3.0, 3.0, 92.0),
        _ => Stroke(0.0, 3.0, 72.0),
    };
    let lilt = |place: &Place| match place.in_bar % 3 {
        0 => Stroke(0.0, 2.0, if place.in_bar == 0 { 125.0 } else { 110.0 }),
        1 => Stroke(9.0, 3.0, 70.0),
        _ => Stroke(4.0, 3.0, 90.0),
    };
    let stroll = |place: &Place| {
        let offset = if place.in_bar % 2 == 1 {
            12.0
        } else if place.in_bar >= 6 {
            3.0
        } else {
            0.0
        };
        Stroke(offset, 3.0, if [0, 6].contains(&place.in_bar) { 122.0 } else { by_weight(place) })
    };
    let clave_of = |three_first, name: &str, note: &str| {
        Sketch { bars: 2, ..EIGHTHS }.groove(name, note, &clave(three_first), &[])
    };
    vec![
        SIXTEENTHS.groove(
            "Samba-like sixteenths",
            "Within each beat the 16ths draw ahead (0, 4, 12 and 7 % early); first and last are loud.",
            &samba,
            &[],
        ),
        clave_of(
            true,
            "Clave accents, three first",
            "Accents on 1, 2& and 4, then on 2 and 3, a little ahead of the rest.",
        ),
        clave_of(
            false,
            "Clave accents, two first",
            "Accents on 2 and 3, then on 1, 2& and 4, a little ahead of the rest.",
        ),
        Sketch { metre: (3, 4), tempo: 120.0, ..EIGHTHS }.groove(
            "Waltz, an early two",
            "Beat 2 14 % of an 8th early, beat 3 3 %; the one is heavy.",
            &waltz,
            &[],
        ),
        Sketch { metre: (6, 8), tempo: 90.0, ..EIGHTHS }.groove(
            "Six-eight lilt",
            "In each group of three the middle 9 % of an 8th late and soft, the last 4 %.",
            &lilt,
            &[],
        ),
        Sketch { metre: (5, 4), ..EIGHTHS }.groove(
            "Five-four stroll",
            "Offbeat 8ths 12 % of an 8th late; accents on 1 and 4.",
            &stroll,
            &[],
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_own_groove_is_sound_and_named_once() {
        let own = GrooveProfile::own();
        let names: BTreeSet<&str> = own.iter().map(|one| one.groove.name.as_str()).collect();
        assert_eq!((own.len(), names.len()), (23, 23));
        for OwnGroove { note, groove } in own {
            assert_eq!(groove.check(), Ok(()), "{}", groove.name);
            assert_eq!(groove.together.len() as u32, groove.slots(), "{}", groove.name);
            assert!(!note.is_empty());
            for slots in std::iter::once(&groove.together).chain(groove.families.values()) {
                let mean = slots.values().map(|slot| slot.velocity).sum::<f64>() / slots.len() as f64;
                assert!((mean - 1.0).abs() < 1e-9, "{}", groove.name);
            }
        }
    }

    #[test]
    fn grooves_do_what_their_notes_say() {
        let find = |name: &str| GrooveProfile::own().into_iter().find(|one| one.groove.name == name).unwrap().groove;
        let snare = &find("Backbeat laid back").families[&Family::Snare];
        assert_eq!((snare[&5].offset, snare[&13].offset, snare[&1].offset), (0.09, 0.09, 0.06));
        let clave = find("Clave accents, three first").together;
        let loud: Vec<u32> = clave.iter().filter(|(_, slot)| slot.velocity > 1.0).map(|(number, _)| *number).collect();
        assert_eq!(loud, [1, 4, 7, 11, 13]);
        let triplets = find("Eighths as triplets").reading();
        assert_eq!(triplets.swings[0].percent, 66.7);
        assert_eq!(find("Six-eight lilt").slots(), 6);
    }
}
