//! Another kit for a part: what of its passes follows.

use crate::base::units::{Channel, Note};
use crate::kit::{Articulation, Instrument, InstrumentId, Kit};
use crate::recipe::names::{Carrier, For, Named};
use crate::recipe::{Pass, Recipe};
use std::collections::{BTreeMap, BTreeSet, HashMap};

impl Recipe {
    /// These passes for another kit of the same part, and sentences on what does not follow. Instruments are found
    /// by id, else by their notes, else by family; strokes by name, else by their notes. A pass is never lost:
    /// what is not found stays named, and aims at nothing until there is such a thing again.
    pub fn carried(&self, from: &Kit, to: &Kit) -> (Recipe, Vec<String>) {
        self.taken_along(&mut ToKit::new(from, to))
    }
}

/// To another kit.
pub(super) struct ToKit<'a> {
    from: &'a Kit,
    to: &'a Kit,
    /// What instruments are there by what is struck of them, before all else.
    struck: HashMap<InstrumentId, Vec<InstrumentId>>,
    /// The instruments that the pass is for, as they were and as they are.
    aimed: (Vec<InstrumentId>, Vec<InstrumentId>),
    said: Vec<String>,
}

impl Carrier for ToKit<'_> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Instruments(ids, what_for) => self.instruments(ids, what_for),
            Named::Instrument(id) => {
                if let Some(first) = self.counterparts(id).into_iter().next() {
                    *id = first;
                }
            }
            Named::Stroke(name, what_for) => self.stroke(name, what_for),
            Named::Bars(_) | Named::Place(_) | Named::Stretch(..) | Named::Hit(_) | Named::Pocket(_) => {}
        }
        true
    }

    fn comes(&mut self, _: &mut Pass, said: &mut Vec<String>) -> bool {
        said.append(&mut self.said);
        true
    }
}

impl<'a> ToKit<'a> {
    pub fn new(from: &'a Kit, to: &'a Kit) -> ToKit<'a> {
        ToKit { from, to, struck: HashMap::new(), aimed: Default::default(), said: Vec::new() }
    }

    /// The same for a part that moves in with others: its drums are those that its hits are there, whatever they are called.
    pub fn of_hits(from: &'a Kit, to: &'a Kit, hits: impl Iterator<Item = (Note, Channel)>) -> ToKit<'a> {
        let (was, is) = (from.lookup(), to.lookup());
        let mut struck: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
        for (note, channel) in hits {
            if let (Some(was), Some(is)) = (was.instrument(note, channel), is.instrument(note, channel)) {
                struck.entry(was).or_default().insert(is);
            }
        }
        let called = |kit: &Kit, place: usize| kit.instruments[place].id.clone();
        let struck = struck
            .into_iter()
            .map(|(was, are)| (called(from, was), are.into_iter().map(|place| called(to, place)).collect()))
            .collect();
        ToKit { struck, ..ToKit::new(from, to) }
    }

    fn instruments(&mut self, ids: &mut Vec<InstrumentId>, what_for: For) {
        let were = std::mem::take(ids);
        for id in &were {
            let mut found = self.counterparts(id);
            if found.is_empty() {
                let name = self.from.find(id).map_or(id.to_string(), |(_, one)| one.name.to_lowercase());
                self.said.push(format!("there is no {name} there; it waits for one."));
                found.push(id.clone());
            }
            for id in found {
                if !ids.contains(&id) {
                    ids.push(id);
                }
            }
        }
        if what_for == For::Aim {
            self.aimed = (were, ids.clone());
        }
    }

    fn stroke(&mut self, name: &mut String, what_for: For) {
        let (were, are) = &self.aimed;
        let is_there = |name: &str| strokes(self.to, are).any(|(_, way)| way.name == name);
        if is_there(name) {
            return;
        }
        let lookup = self.to.lookup();
        let by_note = |(_, way): (&Instrument, &Articulation)| {
            let found = lookup.stroke(way.note, way.channel.unwrap_or(Channel::PERCUSSION))?;
            Some(self.to.stroke(found).1.name.clone())
        };
        // Of what it aims at; else of any drum.
        let all = strokes(self.from, were).chain(strokes(self.from, &[]));
        let was = all.filter(|(_, way)| way.name == *name);
        let found = was.filter_map(by_note).next().unwrap_or_else(|| name.clone());
        if what_for == For::Aim && !is_there(&found) {
            self.said.push(format!("no stroke is called “{found}” there; it is aimed at all the same."));
        }
        *name = found;
    }

    /// What an instrument of the one kit is in the other.
    fn counterparts(&self, id: &InstrumentId) -> Vec<InstrumentId> {
        if let Some(struck) = self.struck.get(id) {
            return struck.clone();
        }
        if self.to.find(id).is_some() {
            return vec![id.clone()];
        }
        let Some((_, instrument)) = self.from.find(id) else { return Vec::new() };
        let lookup = self.to.lookup();
        let by_note = |way: &Articulation| lookup.instrument(way.note, way.channel.unwrap_or(Channel::PERCUSSION));
        let places: BTreeSet<usize> = instrument.articulations.iter().filter_map(by_note).collect();
        if !places.is_empty() {
            return places.into_iter().map(|place| self.to.instruments[place].id.clone()).collect();
        }
        let alike = self.to.instruments.iter().filter(|one| one.family == instrument.family);
        alike.map(|one| one.id.clone()).collect()
    }
}

/// The strokes of some of a kit's instruments; of all where none is named.
fn strokes<'k>(kit: &'k Kit, ids: &[InstrumentId]) -> impl Iterator<Item = (&'k Instrument, &'k Articulation)> {
    let meant = move |one: &&Instrument| ids.is_empty() || ids.contains(&one.id);
    let named: Vec<&Instrument> = kit.instruments.iter().filter(meant).collect();
    named.into_iter().flat_map(|one| one.articulations.iter().map(move |way| (one, way)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::recipe::action::{Action, Level, Swap};
    use crate::recipe::aim::Aim;

    fn level() -> Action {
        Action::Level(Level { by: 3.0 })
    }

    #[test]
    fn aims_follow_by_id_by_note_and_by_family() {
        let from = Kit::general_midi();
        let mut to = Kit::general_midi();
        to.instruments.retain(|one| !matches!(one.id.as_str(), "tom-6" | "vibraslap" | "claves" | "whistle"));
        for one in &mut to.instruments {
            match one.id.as_str() {
                "snare" => {
                    one.id = InstrumentId::new("field-drum");
                    one.articulations[0].name = "middle".to_owned();
                }
                "kick" => one.name = "Bass drum".to_owned(),
                _ => {}
            }
        }
        to.instruments.retain(|one| one.family != crate::Family::Other);
        let stroke = Aim { articulations: vec!["acoustic".to_owned()], ..Aim::at("snare") };
        let swap = Action::Swap(Swap { stroke: "acoustic".to_owned(), ..Swap::default() });
        let passes = vec![
            Pass::new(1, Aim::at("kick"), level()),
            Pass::new(2, stroke, swap),
            Pass::new(3, Aim::at("tom-6"), level()),
            Pass::new(4, Aim::at("whistle"), level()),
        ];
        let (carried, said) = Recipe::of(passes).carried(&from, &to);
        let aims: Vec<String> = carried.passes.iter().map(|pass| pass.aim.instruments[0].to_string()).collect();
        assert_eq!(aims, ["kick", "field-drum", "tom-1", "whistle"]);
        assert_eq!(carried.passes[1].aim.articulations, ["middle"]);
        let Action::Swap(swap) = &carried.passes[1].action else { panic!() };
        assert_eq!(swap.stroke, "middle");
        assert_eq!(carried.passes[2].aim.instruments.len(), 5);
        assert_eq!(said, ["Pass 4, Level: there is no whistle there; it waits for one."]);
        // And back again.
        let (back, said) = carried.carried(&to, &from);
        assert_eq!((back.passes[1].aim.instruments[0].as_str(), said.len()), ("snare", 0));
    }
}
