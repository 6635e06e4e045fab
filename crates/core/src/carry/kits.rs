//! Another kit for a part: what of its passes follows.

use crate::action::Action;
use crate::aim::Aim;
use crate::kit::{Articulation, Instrument, InstrumentId, Kit};
use crate::recipe::{Pass, Recipe};
use crate::units::Channel;
use std::collections::BTreeSet;

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
}
