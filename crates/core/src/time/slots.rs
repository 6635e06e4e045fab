//! The slots of a bar in trade words: what an aim's positions are chosen from.

use crate::base::units::Ticks;
use crate::time::grid::Grid;
use crate::time::grid::{first_of_group, slots_in};
use crate::time::metre::MetreMap;
use serde::Serialize;
use ts_rs::TS;

/// A slot of a bar.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Slot {
    /// What players call it: `1`, `&`, `e`, `a`, or its place within the beat.
    pub name: String,
    /// 0 to 1; see [`MetreMap::weight`].
    pub weight: f64,
}

/// Slots that players have a word for.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct SlotChoice {
    /// `2 and 4`, `offbeats` …
    pub name: String,
    /// Counted from 1.
    pub slots: Vec<u32>,
}

/// A bar, or a few, cut into slots.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Slots {
    /// Bar after bar.
    pub slots: Vec<Slot>,
    /// What is often chosen.
    pub choices: Vec<SlotChoice>,
}

impl Slots {
    /// The slots of the `bars` bars that bar `number` is numbered together with: each by its own metre, counted on from
    /// bar to bar.
    ///
    /// ```
    /// use vivida_core::{Grid, MetreMap, Ppq, Slots};
    /// let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
    /// let sixteenths = Slots::of(&metre, 1, Grid::SIXTEENTHS, 1);
    /// let names: Vec<&str> = sixteenths.slots.iter().map(|slot| slot.name.as_str()).collect();
    /// assert_eq!(names[..6], ["1", "e", "&", "a", "2", "e"]);
    /// let backbeat = sixteenths.choices.iter().find(|choice| choice.name == "2 and 4").unwrap();
    /// assert_eq!(backbeat.slots, [5, 13]);
    /// ```
    pub fn of(metre: &MetreMap, number: u32, grid: Grid, bars: u32) -> Slots {
        let first = first_of_group(number.max(1), bars);
        let (mut slots, mut choices): (Vec<Slot>, Vec<SlotChoice>) = Default::default();
        for number in (0..bars).map(|bar| first.saturating_add(bar)) {
            let before = slots.len() as u32;
            let (own, offered) = of_bar(metre, number, grid);
            for mut choice in offered {
                choice.slots.iter_mut().for_each(|slot| *slot += before);
                match choices.iter_mut().find(|known| known.name == choice.name) {
                    Some(known) => known.slots.extend(choice.slots),
                    None => choices.push(choice),
                }
            }
            slots.extend(own);
        }
        Slots { slots, choices }
    }
}

/// The slots of one bar, and what is often chosen of them.
fn of_bar(metre: &MetreMap, number: u32, grid: Grid) -> (Vec<Slot>, Vec<SlotChoice>) {
    let bar = metre.bar(number);
    let cell = grid.cell(metre.ppq()).0;
    let beats: Vec<f64> = bar.metre.beats(metre.ppq()).iter().map(|beat| beat.0).collect();
    let count = slots_in(grid, metre, number);
    let (mut slots, mut places) = (Vec::new(), Vec::new());
    for slot in 0..count {
        let at = f64::from(slot) * cell;
        let beat = beats.iter().rposition(|&beat| beat <= at + 1e-6).unwrap_or(0);
        let next = beats.get(beat + 1).copied().unwrap_or(bar.length.0);
        let share = (at - beats[beat]) / (next - beats[beat]);
        places.push((beat, share));
        slots.push(Slot { name: name(beat, share), weight: metre.weight(bar.start + Ticks(at)) });
    }
    let choices = choices(&slots, &places, beats.len(), count);
    (slots, choices)
}

fn near(value: f64, other: f64) -> bool {
    (value - other).abs() < 0.01
}

fn name(beat: usize, share: f64) -> String {
    match share {
        share if near(share, 0.0) => (beat + 1).to_string(),
        share if near(share, 0.25) => "e".to_owned(),
        share if near(share, 0.5) => "&".to_owned(),
        share if near(share, 0.75) => "a".to_owned(),
        share if near(share, 1.0 / 3.0) => "trip".to_owned(),
        share if near(share, 2.0 / 3.0) => "let".to_owned(),
        _ => "·".to_owned(),
    }
}

fn choices(slots: &[Slot], places: &[(usize, f64)], beats: usize, count: u32) -> Vec<SlotChoice> {
    let mut found: Vec<SlotChoice> = Vec::new();
    let mut offer = |name: &str, wanted: &dyn Fn(usize, f64, f64) -> bool| {
        let one: Vec<u32> = (1..=count)
            .zip(places)
            .zip(slots)
            .filter(|((_, place), slot)| wanted(place.0, place.1, slot.weight))
            .map(|((slot, _), _)| slot)
            .collect();
        if one.is_empty() || one.len() as u32 == count || found.iter().any(|choice: &SlotChoice| choice.slots == one) {
            return;
        }
        found.push(SlotChoice { name: name.to_owned(), slots: one });
    };
    offer("downbeats", &|beat, share, _| beat == 0 && near(share, 0.0));
    if beats == 4 {
        offer("1 and 3", &|beat, share, _| beat % 2 == 0 && near(share, 0.0));
        offer("2 and 4", &|beat, share, _| beat % 2 == 1 && near(share, 0.0));
    }
    if beats == 2 {
        offer("2", &|beat, share, _| beat == 1 && near(share, 0.0));
    }
    offer("beats", &|_, share, _| near(share, 0.0));
    offer("offbeat 8ths", &|_, share, _| near(share, 0.5));
    offer("e and a", &|_, share, _| near(share, 0.25) || near(share, 0.75));
    offer("last of each triplet", &|_, share, _| near(share, 2.0 / 3.0));
    offer("strong", &|_, _, weight| weight >= 0.75);
    offer("weak", &|_, _, weight| weight < 0.5);
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ppq;
    use crate::time::metre::Metre;

    fn choice(slots: &Slots, name: &str) -> Option<Vec<u32>> {
        slots.choices.iter().find(|choice| choice.name == name).map(|choice| choice.slots.clone())
    }

    #[test]
    fn compound_and_odd_metres_have_their_own_words() {
        let ppq = Ppq::new(960).unwrap();
        let map = |n, d| MetreMap::new(ppq, [(Ticks(0.0), Metre::new(n, d).unwrap())]);
        let six = Slots::of(&map(6, 8), 1, "1/8".parse().unwrap(), 1);
        assert_eq!(
            six.slots.iter().map(|slot| slot.name.as_str()).collect::<Vec<_>>(),
            ["1", "trip", "let", "2", "trip", "let"]
        );
        assert_eq!(choice(&six, "2 and 4"), None);
        assert_eq!(choice(&six, "beats"), Some(vec![1, 4]));
        let seven = Slots::of(&map(7, 8), 1, "1/8".parse().unwrap(), 1);
        assert_eq!(choice(&seven, "beats"), Some(vec![1, 3, 5]));
    }

    #[test]
    fn choices_go_through_all_bars() {
        let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
        let two = Slots::of(&metre, 1, "1/8".parse().unwrap(), 2);
        assert_eq!(two.slots.len(), 16);
        assert_eq!(choice(&two, "2 and 4"), Some(vec![3, 7, 11, 15]));
        assert_eq!(choice(&two, "offbeat 8ths"), Some(vec![2, 4, 6, 8, 10, 12, 14, 16]));
    }
}
