//! Taking the groove of a performance.

use crate::base::field_error::FieldError;
use crate::base::stats::{mean, standard_deviation};
use crate::base::units::Ticks;
use crate::groove::{GrooveProfile, GrooveSlot, GrooveSlots};
use crate::kit::chart::Chart;
use crate::kit::{Family, InstrumentId};
use crate::perform::PlayedHit;
use crate::time::bars::BarRange;
use crate::time::grid::Grid;
use crate::time::metre::MetreMap;
use crate::time::swung::SwingFigure;
use crate::time::tempo::TempoMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// What of a performance a groove is taken from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Extraction {
    /// These instruments; empty means all.
    #[ts(optional, as = "Option<Vec<InstrumentId>>")]
    pub instruments: Vec<InstrumentId>,
    /// These bars; nothing means the whole part.
    #[ts(optional)]
    pub bars: Option<BarRange>,
    /// The slots; nothing means the grid that the part seems to be meant for.
    #[ts(optional)]
    pub grid: Option<Grid>,
    /// The length of the groove in bars, 1 to 16: later bars are laid over the first ones.
    pub length: u32,
}

impl Default for Extraction {
    fn default() -> Extraction {
        Extraction { instruments: Vec::new(), bars: None, grid: None, length: 1 }
    }
}

/// A groove and what is to be said of how it came about.
#[derive(Clone, Debug, PartialEq)]
pub struct Extracted {
    /// The groove.
    pub groove: GrooveProfile,
    /// Sentences: what was left out, what there was little of.
    pub said: Vec<String>,
    /// The hits that it was taken from, laid over its bars.
    pub hits: LaidHits,
}

/// Hits laid over the bars of a groove, in columns.
#[derive(Clone, Debug, Default, PartialEq, Serialize, TS)]
pub struct LaidHits {
    /// The slot, from 1.
    pub slots: Vec<u32>,
    /// In ms from the slot's line, at the tempo that the groove was taken at.
    pub offsets: Vec<f32>,
    /// How hard.
    pub velocities: Vec<u8>,
    /// Of which family.
    pub families: Vec<Family>,
}

/// The share of the hits of a slot that is left out at either end before the mean is taken.
const TRIM: f64 = 0.1;

/// The mean without the outermost tenth at either end; the values come to stand in another order.
fn trimmed_mean(values: &mut [f64]) -> f64 {
    let drop = (values.len() as f64 * TRIM) as usize;
    if drop == 0 {
        return mean(values);
    }
    let (_, _, above) = values.select_nth_unstable_by(drop - 1, f64::total_cmp);
    let kept = above.len() - drop;
    let (kept, _, _) = above.select_nth_unstable_by(kept, f64::total_cmp);
    mean(kept)
}

/// What the hits of one slot are: offsets as shares of a cell, velocities and lengths.
#[derive(Clone, Default)]
struct Heap {
    offsets: Vec<f64>,
    velocities: Vec<f64>,
    lengths: Vec<f64>,
}

impl Heap {
    fn push(&mut self, offset: f64, velocity: f64, length: f64) {
        self.offsets.push(offset);
        self.velocities.push(velocity);
        self.lengths.push(length);
    }

    /// The slot before velocities and lengths are held against those of the other slots.
    fn slot(&mut self) -> GrooveSlot {
        GrooveSlot {
            count: self.offsets.len() as u32,
            spread: standard_deviation(&self.offsets),
            velocity_spread: standard_deviation(&self.velocities),
            offset: trimmed_mean(&mut self.offsets),
            velocity: trimmed_mean(&mut self.velocities),
            length: trimmed_mean(&mut self.lengths),
        }
    }
}

/// The slots of some hits, and the levels that velocity and length are held against: the means of
/// the slots' means, so that a groove applied to an even part has its level.
fn slots_of(heaps: &mut [Heap]) -> (GrooveSlots, f64, f64) {
    let mut slots: GrooveSlots = (1..)
        .zip(heaps)
        .filter(|(_, heap)| !heap.offsets.is_empty())
        .map(|(number, heap)| (number, heap.slot()))
        .collect();
    let level = |of: fn(&GrooveSlot) -> f64| mean(&slots.values().map(of).collect::<Vec<f64>>()).max(1e-9);
    let (velocity, length) = (level(|slot| slot.velocity), level(|slot| slot.length));
    for slot in slots.values_mut() {
        slot.velocity = (slot.velocity / velocity).clamp(0.01, 20.0);
        slot.velocity_spread = (slot.velocity_spread / velocity).min(20.0);
        slot.length = (slot.length / length).clamp(0.01, 100.0);
    }
    (slots, velocity, length)
}

impl GrooveProfile {
    /// Takes the groove of what sounds of a performance.
    ///
    /// Each hit goes to its nearest slot, also over a bar line; bars are laid over one another every
    /// `length` bars, counted from bar 1 of the song. Of each slot's hits the mean is trimmed by a tenth
    /// at either end, the standard deviation is that of all. Bars of another metre than the first one
    /// taken are left out. Velocities and lengths of all drums together are those over their own
    /// family's level.
    ///
    /// # Errors
    ///
    /// Where a setting is out of range or nothing sounds in what is to be taken.
    pub fn taken(
        name: &str,
        chart: &Chart,
        tempo: &TempoMap,
        metre: &MetreMap,
        hits: &[PlayedHit],
        take: &Extraction,
    ) -> Result<Extracted, FieldError> {
        if !(1..=GrooveProfile::MOST_BARS).contains(&take.length) {
            let message = format!("{} is outside 1 to {} bars", take.length, GrooveProfile::MOST_BARS);
            return Err(FieldError::new("length", message));
        }
        let range = take.bars.unwrap_or(BarRange { from: 1, to: u32::MAX });
        if range.from < 1 || range.to < range.from {
            return Err(FieldError::new("bars", "bars are counted from 1, and go from the first to the last"));
        }
        let wanted = wanted_instruments(chart, &take.instruments)?;
        let hits = || {
            let sounding = hits.iter().filter(|hit| hit.silenced.is_none());
            sounding.filter_map(|hit| {
                let instrument = chart.instrument_of(hit.note, hit.channel)?;
                wanted[instrument].then_some((instrument, hit))
            })
        };
        let grid = take.grid.unwrap_or_else(|| Grid::fit(metre, hits().map(|(_, hit)| hit.tick)));
        let mut groove = GrooveProfile { name: name.to_owned(), bars: take.length, grid, ..GrooveProfile::default() };
        let cell = grid.cell(metre.ppq()).0;
        let (mut left_out, mut slots_a_bar) = (0usize, 0);
        let mut placed: Vec<Placed> = Vec::new();
        for (instrument, hit) in hits() {
            let line = grid.nearest(metre, hit.tick).0;
            let bar = metre.bar_at(Ticks(line + 1e-6));
            if bar.number < range.from || bar.number > range.to {
                continue;
            }
            if slots_a_bar == 0 {
                groove.metre = bar.metre.clone();
                groove.tempo = tempo.bpm(hit.tick).clamp(10.0, 1000.0);
                groove.check().map_err(|(path, message)| FieldError::new(path, message))?;
                slots_a_bar = groove.slots_a_bar();
            }
            if *bar.metre != groove.metre {
                left_out += 1;
                continue;
            }
            let in_bar = ((line - bar.start.0) / cell).round() as u32;
            placed.push(Placed {
                family: chart.kit.instruments.get(instrument).map_or(Family::Other, |one| one.family),
                slot: ((bar.number - 1) % take.length * slots_a_bar + in_bar) as usize,
                offset: ((hit.tick.0 - line) / cell).clamp(-0.5, 0.5),
                velocity: hit.velocity.get(),
                length: hit.length.0,
            });
        }
        if placed.is_empty() {
            let message = "nothing sounds there, so there is no groove to take; choose other bars or instruments";
            return Err(FieldError::new("bars", message));
        }
        groove.know(&placed);
        let per_cell = groove.millis(1.0).0;
        let hits = LaidHits {
            slots: placed.iter().map(|hit| hit.slot as u32 + 1).collect(),
            offsets: placed.iter().map(|hit| (hit.offset * per_cell) as f32).collect(),
            velocities: placed.iter().map(|hit| hit.velocity).collect(),
            families: placed.iter().map(|hit| hit.family).collect(),
        };
        Ok(Extracted { said: said(&groove, placed.len(), left_out), groove, hits })
    }

    /// Works out the slots of each family, and of all together, from hits in their places.
    fn know(&mut self, placed: &[Placed]) {
        let empty = || vec![Heap::default(); self.slots() as usize];
        let mut heaps: Vec<(Family, Vec<Heap>)> = Vec::new();
        for hit in placed {
            let known = heaps.iter().position(|(family, _)| *family == hit.family);
            let place = known.unwrap_or_else(|| {
                heaps.push((hit.family, empty()));
                heaps.len() - 1
            });
            heaps[place].1[hit.slot].push(hit.offset, f64::from(hit.velocity), hit.length);
        }
        let mut levels: Vec<(Family, f64, f64)> = Vec::new();
        let mut together = empty();
        for (family, heaps) in &mut heaps {
            let (slots, velocity, length) = slots_of(heaps);
            self.families.insert(*family, slots);
            levels.push((*family, velocity, length));
        }
        if let [(family, ..)] = levels[..] {
            self.together = self.families[&family].clone();
            return;
        }
        for hit in placed {
            let (_, velocity, length) =
                levels.iter().find(|(family, ..)| *family == hit.family).expect("it was heaped");
            together[hit.slot].push(hit.offset, f64::from(hit.velocity) / velocity, hit.length / length);
        }
        self.together = slots_of(&mut together).0;
    }
}

/// A hit and the slot (from 0) that it belongs to.
struct Placed {
    family: Family,
    slot: usize,
    /// As a share of a cell.
    offset: f64,
    velocity: u8,
    length: f64,
}

fn wanted_instruments(chart: &Chart, ids: &[InstrumentId]) -> Result<Vec<bool>, FieldError> {
    if let Some(unknown) = ids.iter().find(|id| chart.kit.find(id).is_none()) {
        return Err(FieldError::new("instruments", format!("there is no {unknown} in this part")));
    }
    let wanted: Vec<bool> = chart.kit.instruments.iter().map(|one| ids.is_empty() || ids.contains(&one.id)).collect();
    Ok(if wanted.is_empty() { vec![true] } else { wanted })
}

fn said(groove: &GrooveProfile, used: usize, left_out: usize) -> Vec<String> {
    let mut said = Vec::new();
    if left_out > 0 {
        said.push(format!("{left_out} hits in bars of another metre than {} were left out.", groove.metre));
    }
    if used == 1 {
        said.push("It was taken from one hit, which says where it lies, but not how steady it is.".to_owned());
    }
    said
}

/// A groove in numbers that people read: what the groove screen draws.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct GrooveFigures {
    /// How many slots a bar has.
    pub slots_a_bar: u32,
    /// The length of a bar in cells: the last slot may be shorter than the others.
    pub bar_cells: f64,
    /// The length of a cell at the groove's tempo, in ms.
    pub cell: f64,
    /// What slots are called, bar after bar.
    pub names: Vec<String>,
    /// The share of the slots that hits were found in, 0 to 1.
    pub coverage: f64,
    /// How far hits lie around their slot's mean, in ms; nothing where no slot has two.
    pub steady: Option<f64>,
    /// So many hits it was taken from.
    pub hits: u32,
    /// Where the middle of a pair lies, as far as slots tell: by pairs of the grid, then of twice its cell.
    pub swings: Vec<SwingFigure>,
    /// All together first.
    pub voices: Vec<VoiceFigures>,
}

/// One voice of a groove, every slot of it.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct VoiceFigures {
    /// The family; nothing for all together.
    pub family: Option<Family>,
    /// In ms at the groove's tempo.
    pub offsets: Vec<f64>,
    /// Standard deviations, in ms.
    pub spreads: Vec<f64>,
    /// Over the voice's own level.
    pub velocities: Vec<f64>,
    /// How many hits each slot was taken from.
    pub counts: Vec<u32>,
    /// Slots that are not known, but worked out from those beside them.
    pub inferred: Vec<bool>,
}

impl GrooveProfile {
    /// Everything that is drawn and said of it.
    pub fn reading(&self) -> GrooveFigures {
        let ms = |share: f64| (self.millis(share).0 * 1e4).round() / 1e4;
        let voice = |family: Option<Family>, known: &GrooveSlots| {
            let slots = self.filled(known);
            VoiceFigures {
                family,
                offsets: slots.iter().map(|slot| ms(slot.offset)).collect(),
                spreads: slots.iter().map(|slot| ms(slot.spread)).collect(),
                velocities: slots.iter().map(|slot| (slot.velocity * 1e4).round() / 1e4).collect(),
                counts: slots.iter().map(|slot| slot.count).collect(),
                inferred: (1..=self.slots()).map(|slot| !known.contains_key(&slot)).collect(),
            }
        };
        let mut voices = vec![voice(None, self.of_all())];
        voices.extend(
            self.families
                .iter()
                .filter(|(_, known)| !known.is_empty())
                .map(|(&family, known)| voice(Some(family), known)),
        );
        let all: Vec<&GrooveSlot> = if self.families.is_empty() {
            self.together.values().collect()
        } else {
            self.families.values().flat_map(BTreeMap::values).collect()
        };
        let several = || all.iter().filter(|slot| slot.count >= 2);
        let count: f64 = several().map(|slot| f64::from(slot.count)).sum();
        let squares: f64 = several().map(|slot| f64::from(slot.count) * slot.spread * slot.spread).sum();
        let ppq = crate::base::units::Ppq::new(crate::base::units::Ppq::FINE).expect("above 0");
        let metre = MetreMap::new(ppq, [(Ticks(0.0), self.metre.clone())]);
        let names = crate::time::slots::Slots::of(&metre, 1, self.grid, self.bars).slots;
        GrooveFigures {
            slots_a_bar: self.slots_a_bar(),
            bar_cells: self.bar_cells(),
            cell: self.millis(1.0).0,
            names: names.into_iter().map(|slot| slot.name).collect(),
            coverage: self.of_all().len() as f64 / f64::from(self.slots()),
            steady: (count > 0.0).then(|| ms((squares / count).sqrt())),
            hits: all.iter().map(|slot| slot.count).sum(),
            swings: [1, 2].into_iter().filter_map(|cells| self.swing(cells)).collect(),
            voices,
        }
    }

    /// Where the middle of pairs lies that are made of so many cells each, from the known slots.
    fn swing(&self, cells: u32) -> Option<SwingFigure> {
        let (known, a_bar) = (self.of_all(), self.slots_a_bar());
        let middles: Vec<f64> = known
            .iter()
            .filter(|(slot, _)| {
                let in_bar = (**slot - 1) % a_bar;
                in_bar % (2 * cells) == cells && in_bar + cells <= a_bar
            })
            .filter_map(|(slot, middle)| {
                // A pair whose first is not known says nothing: being late is no swing.
                let first = known.get(&(slot - cells))?.offset;
                let half = f64::from(cells);
                Some(100.0 * (half + middle.offset - first) / (2.0 * half))
            })
            .collect();
        let of = self.grid.times(cells)?;
        (!middles.is_empty()).then(|| SwingFigure::new(of, mean(&middles)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Note, Ppq, Velocity};
    use crate::kit::Kit;
    use crate::part::hit::{Hit, HitId, Part};
    use crate::time::metre::Metre;

    /// (tick, velocity, note)
    fn part(hits: &[(f64, u8, u8)]) -> Part {
        let hit = |(id, &(tick, velocity, note)): (usize, &(f64, u8, u8))| Hit {
            id: HitId::new(id as u32),
            tick: Ticks(tick),
            length: Ticks(100.0),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(hits.iter().enumerate().map(hit).collect())
    }

    fn taken(part: &Part, metre: &MetreMap, take: Extraction) -> Result<Extracted, FieldError> {
        let chart = Chart::new(part, Kit::of_drums(part));
        let hits: Vec<PlayedHit> = part.hits().iter().map(PlayedHit::as_written).collect();
        let tempo = TempoMap::new(metre.ppq(), []);
        GrooveProfile::taken("Taken", &chart, &tempo, metre, &hits, &take)
    }

    fn common() -> MetreMap {
        MetreMap::new(Ppq::new(960).unwrap(), [])
    }

    fn sixteenths(length: u32) -> Extraction {
        Extraction { grid: Some(Grid::SIXTEENTHS), length, ..Extraction::default() }
    }

    #[test]
    fn the_mean_is_trimmed_and_the_deviation_is_that_of_all() {
        // Ten downbeats 24 ticks (a tenth of a cell) late, but one far early and one far late.
        let mut late: Vec<(f64, u8, u8)> = (0..10).map(|bar| (3840.0 * f64::from(bar) + 24.0, 80, 38)).collect();
        late[3].0 += 72.0;
        late[7].0 -= 24.0;
        let Extracted { groove, said, hits } = taken(&part(&late), &common(), sixteenths(1)).unwrap();
        let slot = groove.together[&1];
        assert_eq!((slot.count, said.len(), hits.slots.len()), (10, 0, 10));
        assert_eq!((hits.slots[0], hits.offsets[0], hits.velocities[0]), (1, 12.5, 80));
        assert!((slot.offset - 0.1).abs() < 1e-12, "{slot:?}");
        // Eight at 0.1, one at 0.4, one at 0: mean 0.12, variance (8·0.02² + 0.28² + 0.12²)/10.
        assert!((slot.spread - 0.0096_f64.sqrt()).abs() < 1e-9, "{slot:?}");
        assert_eq!(groove.families[&Family::Snare], groove.together);
    }

    #[test]
    fn velocities_are_held_against_the_level_of_the_family() {
        let hits = [(0.0, 120, 36), (1920.0, 60, 36), (960.0, 50, 38), (2880.0, 50, 38)];
        let Extracted { groove, .. } = taken(&part(&hits), &common(), sixteenths(1)).unwrap();
        let ratio = |slot: u32| groove.together[&slot].velocity;
        assert_eq!(groove.families[&Family::Kick][&1].velocity, 120.0 / 90.0);
        assert_eq!(groove.families[&Family::Snare][&5].velocity, 1.0);
        assert!((ratio(1) - 120.0 / 90.0).abs() < 1e-9 && (ratio(5) - 1.0).abs() < 1e-9);
    }

    #[test]
    fn early_hits_belong_to_the_bar_they_are_meant_for() {
        // 20 ticks before bar 2 and before bar 3.
        let hits = [(0.0, 80, 42), (3820.0, 80, 42), (7660.0, 80, 42)];
        let one = taken(&part(&hits), &common(), sixteenths(1)).unwrap().groove;
        assert_eq!(one.together.keys().copied().collect::<Vec<u32>>(), [1]);
        let two = taken(&part(&hits), &common(), sixteenths(2)).unwrap().groove;
        assert_eq!(two.together.iter().map(|(slot, one)| (*slot, one.count)).collect::<Vec<_>>(), [(1, 2), (17, 1)]);
        let second = Extraction { bars: Some(BarRange { from: 2, to: 2 }), ..sixteenths(1) };
        assert_eq!(taken(&part(&hits), &common(), second).unwrap().groove.together[&1].offset, -20.0 / 240.0);
    }

    #[test]
    fn bars_of_another_metre_are_left_out_and_said() {
        let three = Metre::new(3, 4).unwrap();
        let metre = MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(3840.0), three)]);
        let hits = [(0.0, 80, 42), (3840.0, 80, 42), (4800.0, 80, 42)];
        let Extracted { groove, said, .. } = taken(&part(&hits), &metre, sixteenths(1)).unwrap();
        assert_eq!((groove.together[&1].count, groove.metre.to_string()), (1, "4/4".to_owned()));
        assert!(said[0].contains("2 hits in bars of another metre than 4/4"), "{said:?}");
        assert!(said[1].contains("one hit"), "{said:?}");
    }

    #[test]
    fn nothing_to_take_is_an_error_that_says_what_to_do() {
        let refused = |take| taken(&part(&[(0.0, 80, 42)]), &common(), take).unwrap_err();
        let elsewhere = Extraction { bars: Some(BarRange { from: 5, to: 6 }), ..sixteenths(1) };
        assert!(refused(elsewhere).message.contains("choose other bars"));
        assert_eq!(refused(sixteenths(17)).path, "length");
        let unknown = Extraction { instruments: vec![InstrumentId::new("gong")], ..sixteenths(1) };
        assert_eq!(refused(unknown).to_string(), "instruments: there is no gong in this part");
        assert!(taken(&part(&[]), &common(), sixteenths(1)).is_err());
    }

    #[test]
    fn a_reading_says_swing_coverage_and_steadiness() {
        // Swung 16ths at 60 %: every second one 48 of 240 ticks late; ten ms are 19.2.
        let hits: Vec<(f64, u8, u8)> = (0..64)
            .map(|k| {
                let wobble = if k % 32 < 16 { 9.6 } else { -9.6 };
                (3840.0 + 240.0 * f64::from(k) + 48.0 * f64::from(k % 2) + wobble, 80, 42)
            })
            .collect();
        let reading = taken(&part(&hits), &common(), sixteenths(1)).unwrap().groove.reading();
        assert_eq!((reading.coverage, reading.hits, reading.slots_a_bar), (1.0, 64, 16));
        assert_eq!((reading.swings[0].of.as_str(), reading.swings[0].percent), ("1/16", 60.0));
        assert_eq!((reading.swings[1].of.as_str(), reading.swings[1].percent), ("1/8", 50.0));
        assert!((reading.steady.unwrap() - 5.0).abs() < 1e-3, "{:?}", reading.steady);
        assert_eq!(reading.names[..4], ["1", "e", "&", "a"]);
        // Late offbeats without their beats are late, not swung.
        let late = taken(&part(&[(3840.0 + 504.0, 80, 42), (3840.0 + 1464.0, 80, 42)]), &common(), sixteenths(1));
        assert_eq!(late.unwrap().groove.reading().swings, []);
        assert!((reading.voices[0].offsets[1] - 25.0).abs() < 1e-3);
    }
}
