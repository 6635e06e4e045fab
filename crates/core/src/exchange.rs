//! Another kit for a part: what of its passes follows, and how a sampler is reached whose notes are others.

use crate::action::Action;
use crate::aim::Aim;
use crate::hit::Part;
use crate::kit::{Articulation, Hand, Instrument, InstrumentId, Kit};
use crate::recipe::{Pass, Recipe};
use crate::units::{Channel, Note};
use std::collections::{BTreeMap, BTreeSet};

impl Recipe {
    /// These passes for another kit of the same part, and sentences on what does not follow. Instruments are found
    /// by id, else by their notes, else by family; strokes by name, else by their notes. A pass is never lost:
    /// what is not found stays named, and aims at nothing until there is such a thing again.
    pub fn carried(&self, from: &Kit, to: &Kit) -> (Recipe, Vec<String>) {
        let mut said = Vec::new();
        let carry = Carry { from, to };
        let carried = |(index, pass): (usize, &Pass)| {
            let mut pass = pass.clone();
            let title = pass.name.as_deref().unwrap_or(pass.action.info().title);
            let name = format!("Pass {}, {title}", index + 1);
            said.extend(carry.pass(&mut pass).into_iter().map(|what| format!("{name}: {what}")));
            pass
        };
        let passes = self.passes.iter().enumerate().map(carried).collect();
        (Recipe { passes }, said)
    }
}

struct Carry<'a> {
    from: &'a Kit,
    to: &'a Kit,
}

impl Carry<'_> {
    fn pass(&self, pass: &mut Pass) -> Vec<String> {
        let mut said = Vec::new();
        let aimed = pass.aim.instruments.clone();
        self.aim(&mut pass.aim, &mut said);
        match &mut pass.action {
            Action::Swap(swap) => {
                if let Some(id) = self.instruments(&swap.instrument).first() {
                    swap.instrument = id.clone();
                }
                swap.stroke = self.stroke(&aimed, &pass.aim.instruments, &swap.stroke);
            }
            Action::Recolour(recolour) => {
                for way in &mut recolour.ways {
                    if let Some(stroke) = &mut way.stroke {
                        *stroke = self.stroke(&aimed, &pass.aim.instruments, stroke);
                    }
                }
            }
            _ => {}
        }
        said
    }

    fn aim(&self, aim: &mut Aim, said: &mut Vec<String>) {
        let aimed = aim.instruments.clone();
        aim.instruments = self.all(&aimed, said);
        for near in [&mut aim.with, &mut aim.without].into_iter().flatten() {
            near.instruments = self.all(&near.instruments, said);
        }
        for name in &mut aim.articulations {
            *name = self.stroke(&aimed, &aim.instruments, name);
            if !self.strokes(self.to, &aim.instruments).any(|(_, way)| way.name == *name) {
                said.push(format!("no stroke is called “{name}” there; it is aimed at all the same."));
            }
        }
    }

    fn all(&self, ids: &[InstrumentId], said: &mut Vec<String>) -> Vec<InstrumentId> {
        let mut all: Vec<InstrumentId> = Vec::with_capacity(ids.len());
        for id in ids {
            let mut found = self.instruments(id);
            if found.is_empty() {
                let name = self.from.find(id).map_or(id.to_string(), |(_, one)| one.name.to_lowercase());
                said.push(format!("there is no {name} there; it waits for one."));
                found.push(id.clone());
            }
            found.into_iter().for_each(|id| {
                if !all.contains(&id) {
                    all.push(id)
                }
            });
        }
        all
    }

    /// What an instrument of the one kit is in the other.
    fn instruments(&self, id: &InstrumentId) -> Vec<InstrumentId> {
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

    fn strokes<'k>(
        &self,
        kit: &'k Kit,
        ids: &[InstrumentId],
    ) -> impl Iterator<Item = (&'k Instrument, &'k Articulation)> {
        let meant = move |one: &&Instrument| ids.is_empty() || ids.contains(&one.id);
        let named: Vec<&Instrument> = kit.instruments.iter().filter(meant).collect();
        named.into_iter().flat_map(|one| one.articulations.iter().map(move |way| (one, way)))
    }

    /// What a stroke of instruments of the one kit is called in the other.
    fn stroke(&self, were: &[InstrumentId], are: &[InstrumentId], name: &str) -> String {
        if self.strokes(self.to, are).any(|(_, way)| way.name == name) {
            return name.to_owned();
        }
        let lookup = self.to.lookup();
        let was = self.strokes(self.from, were).filter(|(_, way)| way.name == name);
        let by_note = |(_, way): (&Instrument, &Articulation)| {
            let found = lookup.stroke(way.note, way.channel.unwrap_or(Channel::PERCUSSION))?;
            Some(self.to.stroke(found).1.name.clone())
        };
        was.filter_map(by_note).next().unwrap_or_else(|| name.to_owned())
    }
}

/// What of a sampler's instrument strokes went to.
#[derive(Clone, Default)]
struct Reached {
    /// The places of those strokes.
    strokes: Vec<usize>,
    /// What they are called there and here.
    called: Vec<(String, String)>,
}

impl Kit {
    /// A kit that reads what this one reads and is sent to a sampler as another kit plays it. Each stroke goes to
    /// the same one of the same instrument there, else to the first of that instrument, else to one of the same
    /// family; those of the sampler that nothing came to get notes that are free, so that passes can use them. What has
    /// no match goes out on a note that plays nothing there.
    /// Sentences say what of the part has no match; of an empty part, what of the kit.
    pub fn sent_to(&self, sampler: &Kit, part: &Part) -> (Kit, Vec<String>) {
        let mut said = Vec::new();
        let uses: BTreeSet<Note> = part.hits().iter().map(|hit| hit.note).collect();
        let is_used = |way: &Articulation| uses.is_empty() || uses.contains(&way.note);
        let name: String = format!("{} to {}", self.name, sampler.name).chars().take(80).collect();
        let mut bridge = Kit { name, instruments: Vec::new() };
        let mut reached = vec![Reached::default(); sampler.instruments.len()];
        let all =
            sampler.instruments.iter().flat_map(|one| one.articulations.iter().map(|way| (one.name.as_str(), way)));
        let listens: BTreeMap<Note, &str> = all.map(|(name, way)| (way.note_out.unwrap_or(way.note), name)).collect();
        let silent = (0..128u8).map(Note::from_data).find(|note| !listens.contains_key(note));
        for instrument in &self.instruments {
            let Some((place, there)) = self.counterpart(instrument, sampler) else {
                let mut own = instrument.clone();
                let mut taken = BTreeSet::new();
                for way in &mut own.articulations {
                    if let Some(drum) = listens.get(&way.note_out.unwrap_or(way.note)).copied() {
                        way.note_out = silent.or(way.note_out);
                        taken.extend(Some(drum).filter(|_| is_used(way)));
                    }
                }
                if instrument.articulations.iter().any(is_used) {
                    let (name, drums) = (&own.name, taken.iter().copied().collect::<Vec<&str>>().join(", "));
                    said.push(match silent {
                        _ if taken.is_empty() => format!("{name}: nothing there is like it; it goes out as it is."),
                        Some(note) => format!(
                            "{name}: nothing there is like it, and its note plays {drums} there. It goes out as note {}, \
                             which plays nothing.",
                            note.get()
                        ),
                        None => format!("{name}: nothing there is like it; its note plays {drums} there."),
                    });
                }
                bridge.instruments.push(own);
                continue;
            };
            let mut own = instrument.clone();
            (own.layers, own.offset, own.scale) = (there.layers.clone(), there.offset, there.scale);
            for way in &mut own.articulations {
                let alike = there.articulations.iter().position(|one| one.name == way.name && one.hand == way.hand);
                let alike = alike.or_else(|| there.articulations.iter().position(|one| one.name == way.name));
                let to = &there.articulations[alike.unwrap_or(0)];
                if alike.is_none() && is_used(way) && instrument.articulations[0].note != way.note {
                    let (one, other) = (&way.name, &to.name);
                    said.push(format!("{}: no stroke there is called “{one}”; it goes out as “{other}”.", own.name));
                }
                reached[place].strokes.push(alike.unwrap_or(0));
                // The other hand's stroke is called as this one, so that hands find one another.
                let called = (to.name.clone(), way.name.clone());
                reached[place].called.push(called);
                if way.hand == Hand::Either {
                    way.hand = to.hand;
                }
                way.note_out = Some(to.note_out.unwrap_or(to.note));
                way.channel_out = to.channel_out.or(to.channel);
                way.samples.clone_from(&to.samples);
            }
            bridge.instruments.push(own);
        }
        bridge.reach_all(self, sampler, &reached, part);
        let known = self.lookup();
        for note in uses.into_iter().filter(|note| known.instrument(*note, Channel::PERCUSSION).is_none()) {
            if let Some(drum) = listens.get(&note) {
                let note = note.get();
                said.push(format!(
                    "Note {note}: the kit does not know it. It goes out as it is, and plays {drum} there."
                ));
            }
        }
        (bridge, said)
    }

    fn counterpart<'k>(&self, instrument: &Instrument, sampler: &'k Kit) -> Option<(usize, &'k Instrument)> {
        fn family<'a>(kit: &'a Kit, of: &Instrument) -> Vec<(usize, &'a Instrument)> {
            kit.instruments.iter().enumerate().filter(|(_, one)| one.family == of.family).collect()
        }
        // The same place from the first to the last of the family: six toms are spread over four.
        let by_family = || {
            let (here, there) = (family(self, instrument), family(sampler, instrument));
            let nth = here.iter().position(|(_, one)| one.id == instrument.id)?;
            let last = there.len().checked_sub(1)?;
            let steps = here.len().saturating_sub(1).max(1);
            Some(there[((nth * last + steps / 2) / steps).min(last)])
        };
        sampler.find(&instrument.id).or_else(by_family)
    }

    /// Adds the strokes of the sampler that nothing came to, on notes that neither kit nor part uses.
    fn reach_all(&mut self, from: &Kit, sampler: &Kit, reached: &[Reached], part: &Part) {
        let known = self.instruments.iter().flat_map(|one| one.articulations.iter().map(|way| way.note));
        let mut used: BTreeSet<Note> = known.chain(part.hits().iter().map(|hit| hit.note)).collect();
        for (there, reached) in sampler.instruments.iter().zip(reached) {
            // What stands for it here: the first whose strokes went to it, or it is new.
            let here = self.instruments.iter().position(|one| {
                from.find(&one.id)
                    .and_then(|(_, own)| from.counterpart(own, sampler))
                    .is_some_and(|(_, to)| to.id == there.id)
            });
            let mut added = Vec::new();
            for (place, way) in
                there.articulations.iter().enumerate().filter(|(place, _)| !reached.strokes.contains(place))
            {
                let free = std::iter::once(way.note).chain((0..128u8).rev().map(Note::from_data));
                let Some(note) = free.into_iter().find(|note| !used.contains(note)) else { return };
                let names = here.map_or(&[][..], |here| &self.instruments[here].articulations);
                let taken = |name: &str| {
                    names.iter().chain(&added).any(|one: &Articulation| one.name == name && one.hand == way.hand)
                };
                let called = reached.called.iter().find(|(there, _)| *there == way.name);
                let name = called.map_or(&way.name, |(_, here)| here);
                let name = if taken(name) { format!("{name}, {}", place + 1) } else { name.clone() };
                used.insert(note);
                added.push(Articulation {
                    name,
                    note,
                    channel: None,
                    note_out: Some(way.note_out.unwrap_or(way.note)),
                    channel_out: way.channel_out.or(way.channel),
                    hand: way.hand,
                    samples: way.samples.clone(),
                });
            }
            match here {
                _ if added.is_empty() => {}
                Some(here) => {
                    let room = 64 - self.instruments[here].articulations.len().min(64);
                    self.instruments[here].articulations.extend(added.into_iter().take(room));
                }
                None if self.instruments.len() < 256 => {
                    self.instruments.push(Instrument { articulations: added, ..there.clone() });
                }
                None => {}
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::{Level, Swap};

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
        let (carried, said) = Recipe { passes }.carried(&from, &to);
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

    fn listens(sampler: &Kit, note: Note) -> bool {
        let mut ways = sampler.instruments.iter().flat_map(|one| &one.articulations);
        ways.any(|way| way.note_out.unwrap_or(way.note) == note)
    }

    #[test]
    fn a_part_reaches_a_sampler_with_other_notes() {
        let own = Kit::general_midi();
        for sampler in Kit::own() {
            let (bridge, said) = own.sent_to(&sampler, &Part::default());
            assert_eq!(bridge.check(), Ok(()), "{}", sampler.name);
            let outs: BTreeSet<Note> = (bridge.instruments.iter())
                .flat_map(|one| one.articulations.iter().filter_map(|way| way.note_out))
                .collect();
            let reach = sampler.instruments.iter().flat_map(|one| one.articulations.iter().map(|way| way.note));
            assert!(reach.clone().all(|note| outs.contains(&note)), "{}: {said:?}", sampler.name);
            let toms = |kit: &Kit, note: u8| {
                let found = kit.lookup().stroke(Note::from_data(note), Channel::PERCUSSION);
                found.and_then(|at| kit.stroke(at).1.note_out)
            };
            let out: BTreeSet<_> = [50, 47, 43].map(|note| toms(&bridge, note)).into();
            // Where there are no toms, none of them plays anything.
            let plays = |out: &Option<Note>| out.is_some_and(|out| listens(&sampler, out));
            match sampler.name.as_str() {
                "Hand percussion" => assert!(!out.iter().any(plays)),
                name => assert_eq!(out.len(), 3, "{name}"),
            }
            // What the one kit reads the other reads as the same.
            let (a, b) = (own.lookup(), bridge.lookup());
            for note in (0..128u8).map(Note::from_data) {
                let is = |kit: &Kit, place: Option<usize>| place.map(|place| kit.instruments[place].id.clone());
                if let Some(place) = a.instrument(note, Channel::PERCUSSION) {
                    assert_eq!(is(&own, Some(place)), is(&bridge, b.instrument(note, Channel::PERCUSSION)));
                }
            }
        }
    }
}
