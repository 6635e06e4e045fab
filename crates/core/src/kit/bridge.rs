//! How a sampler is reached whose notes are others than those of the kit that reads a part.

use crate::base::units::{Channel, Note};
use crate::kit::{Articulation, Hand, Instrument, Kit};
use crate::part::hit::Part;
use std::collections::{BTreeMap, BTreeSet};

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
