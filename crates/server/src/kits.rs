//! The library of kits, and the kits of parts.

use crate::api::*;
use crate::app::{Answer, App, Opened};
use crate::keyed::{key_of, once};
use crate::problem::Problem;
use rocket::http::Status;
use serde_json::Value;
use std::collections::BTreeMap;
use vivida_core::{Chart, Family, FieldError, Kit, KitFile, Note, Recipe, Ticks};
use vivida_sound::KitSounds;
use vivida_store::{Change, KitId, PartId, Reads, Scope, StoreError, StoredKit, TakeId};

fn kit_of(path: &str, value: Value) -> Answer<Kit> {
    Kit::from_value(value).map_err(|error| Problem::field(format!("{path}.{}", error.path), error.message))
}

impl App {
    fn kit_card(&self, reads: &impl Reads, row: StoredKit) -> Answer<KitCard> {
        Ok(KitCard {
            id: row.id,
            revision: row.revision as i32,
            own: row.own,
            parts: reads.kit_uses(row.id)?,
            sounds: KitSounds::of_drums(&row.kit),
            missing: self.missing_sounds(&row.kit),
            kit: row.kit,
            damage: row.damage.map(|damage| damage.reason),
        })
    }

    pub(crate) fn kits(&self) -> Answer<Vec<KitCard>> {
        let reading = self.reading()?;
        reading.kits()?.into_iter().map(|row| self.kit_card(&reading, row)).collect()
    }

    pub(crate) fn kit(&self, id: KitId) -> Answer<KitCard> {
        let reading = self.reading()?;
        self.kit_card(&reading, reading.kit(id)?)
    }

    /// Keeps a kit in the library.
    pub(crate) fn add_kit(&self, request: NewKit) -> Answer<KitCard> {
        let kit = kit_of("kit", request.kit)?;
        let (id, reading) = self.changed(|change| change.add_kit(&kit))?;
        self.kit_card(&reading, reading.kit(id)?)
    }

    pub(crate) fn change_kit(&self, id: KitId, request: KitChange) -> Answer<KitCard> {
        let kit = kit_of("kit", request.kit)?;
        let label: String = vivida_smf::readable(request.label.as_bytes());
        let key = key_of(format_args!("kit {}", id.0), request.key.as_deref())?;
        let make = |change: &mut Change<'_>| change.change_kit(id, request.revision, &label, &kit);
        let ((), reading) = self.changed(|change| once(change, Scope::Shelf, key.as_deref(), make))?;
        self.kit_card(&reading, reading.kit(id)?)
    }

    pub(crate) fn delete_kit(&self, id: KitId, revision: i64) -> Answer<()> {
        Ok(self.change(|change| change.delete_kit(id, revision))?)
    }

    /// Keeps the kit of a file.
    pub(crate) fn import_kit(&self, file_name: &str, text: &str) -> Answer<KitCard> {
        let file = KitFile::parse(text).map_err(|FieldError { path, message }| Problem {
            file: Some(file_name.to_owned()),
            field: Some(path.clone()),
            ..Problem::new(
                Status::UnprocessableEntity,
                "The file cannot be read as a kit",
                format!("“{file_name}”: {path}: {message}"),
            )
        })?;
        let (id, reading) = self.changed(|change| change.add_kit(&file.kit))?;
        self.kit_card(&reading, reading.kit(id)?)
    }

    /// A kit as a file, and its name.
    pub(crate) fn export_kit(&self, id: KitId) -> Answer<(String, Vec<u8>)> {
        let row = self.reading()?.kit(id)?;
        let name = row.kit.name.clone();
        if let Some(damage) = row.damage {
            return Ok((name, damage.text.into_bytes()));
        }
        let text = serde_json::to_vec_pretty(&KitFile::new(row.kit));
        Ok((name, text.map_err(|error| Problem::field("kit", error.to_string()))?))
    }

    /// The notes of a part, written and played.
    pub(crate) fn notes(&self, id: PartId) -> Answer<Vec<NoteUse>> {
        const STRIPS: usize = 16;
        let opened = self.open(id, None)?;
        let mut uses: BTreeMap<(Note, vivida_core::Channel), NoteUse> = BTreeMap::new();
        let fresh = |note, channel| NoteUse { note, channel, written: 0, played: 0, velocities: vec![0; STRIPS] };
        for hit in opened.part().hits() {
            let of = uses.entry((hit.note, hit.channel)).or_insert_with(|| fresh(hit.note, hit.channel));
            of.written += 1;
        }
        for hit in opened.play(Ticks(0.0)).sounding() {
            let of = uses.entry((hit.note, hit.channel)).or_insert_with(|| fresh(hit.note, hit.channel));
            of.played += 1;
            of.velocities[usize::from(hit.velocity.get()) * STRIPS / 128] += 1;
        }
        Ok(uses.into_values().collect())
    }

    /// What would become of a part with another kit.
    pub(crate) fn try_kit(&self, id: PartId, request: &ExchangeKit) -> Answer<Exchanged> {
        let reading = self.reading()?;
        let opened = self.open_in(&reading, id, None)?;
        let exchange = self.exchange_of(&reading, &opened, request)?;
        Ok(exchange.said(&opened))
    }

    /// Gives a part another kit; its passes follow.
    pub(crate) fn exchange_kit(&self, id: PartId, request: &ExchangeKit) -> Answer<PartState> {
        self.changing(id, |reading| {
            reading.expected_part(id, request.revision)?;
            let opened = self.open_in(reading, id, None)?;
            let exchange = self.exchange_of(reading, &opened, request)?;
            let label = match &exchange.kit {
                Some(kit) => format!("take the kit “{}”", kit.name),
                None => "take the usual kit".to_owned(),
            };
            Ok(Box::new(move |change| {
                let kit = exchange.keep(change)?;
                Ok(change.exchange_kit(id, request.revision, &label, kit, exchange.recipes)?)
            }))
        })
    }

    pub(crate) fn exchange_of(&self, reads: &impl Reads, opened: &Opened, request: &ExchangeKit) -> Answer<Exchange> {
        if !opened.row.drums {
            return Err(Problem::field("kit", "this part is taken as tones; take it as drums to give it a kit"));
        }
        let part = opened.part();
        let old = &opened.chart().kit;
        let mut exchange = Exchange::default();
        if let Some(id) = request.kit {
            let row = reads.kit(id)?;
            if let Some(damage) = &row.damage {
                return Err(Problem::damaged(&row.kit.name, &damage.reason));
            }
            exchange.id = Some(id);
            exchange.kit = Some(row.kit.clone());
            if request.keep_notes {
                let reading = match opened.kit.as_ref().filter(|kit| kit.damage.is_none()) {
                    Some(kit) => kit.kit.clone(),
                    None => Kit::general_midi(),
                };
                let (bridge, said) = reading.sent_to(&row.kit, part);
                exchange.said = said;
                // One that was made before is taken again.
                let known = reads.kits()?.into_iter().find(|known| known.kit == bridge);
                exchange.id = known.map(|known| known.id);
                exchange.kit = Some(bridge);
            }
        }
        let new = match &exchange.kit {
            Some(kit) => kit.clone().with_unknown(part),
            None => Kit::of_drums(part),
        };
        for take in &opened.row.takes {
            if take.damage.is_some() {
                continue;
            }
            let (recipe, said) = take.recipe.carried(old, &new);
            if take.id == opened.take.id {
                exchange.said.extend(said);
            }
            exchange.recipes.push((take.id, recipe));
        }
        exchange.reads = new;
        Ok(exchange)
    }
}

/// A kit that a part is to be given.
#[derive(Default)]
pub(crate) struct Exchange {
    /// Of the library, where it is there already.
    id: Option<KitId>,
    /// Nothing where that is the General MIDI map.
    kit: Option<Kit>,
    /// The same with what the part has besides.
    reads: Kit,
    pub(crate) recipes: Vec<(TakeId, Recipe)>,
    pub(crate) said: Vec<String>,
}

impl Exchange {
    pub(crate) fn keep(&self, change: &mut Change<'_>) -> Result<Option<KitId>, StoreError> {
        match (&self.kit, self.id) {
            (Some(kit), None) => change.lay_in_kit(kit).map(Some),
            (_, id) => Ok(id),
        }
    }

    fn said(self, opened: &Opened) -> Exchanged {
        let part = opened.part();
        let known = match &self.kit {
            Some(kit) => kit.lookup(),
            None => Kit::general_midi().lookup(),
        };
        let is_known = |hit: &&vivida_core::Hit| known.instrument(hit.note, hit.channel).is_some();
        let chart = Chart::new(part, self.reads.clone());
        let old = opened.chart();
        let is_alike = |(hit, place): &(&vivida_core::Hit, &Option<u16>)| {
            let family = |kit: &Kit, place: u16| kit.instruments[usize::from(place)].family;
            let now = old.instrument_of(hit.note, hit.channel).map(|place| family(&old.kit, place as u16));
            let next = place.map(|place| family(&self.reads, place));
            is_known(hit) && (now == next || now.is_none_or(|now| now == Family::Other))
        };
        let alike = part.hits().iter().zip(&chart.instruments).filter(is_alike).count();
        let mut counts = vec![0u32; self.reads.instruments.len()];
        for place in chart.instruments.iter().flatten() {
            counts[usize::from(*place)] += 1;
        }
        let heard = self.reads.instruments.iter().zip(counts).filter(|(_, count)| *count > 0);
        Exchanged {
            hits: part.hits().len() as u32,
            known: part.hits().iter().filter(is_known).count() as u32,
            alike: alike as u32,
            // A note may be known by accident: as another drum than it is now.
            keep_notes: self.kit.is_some() && 2 * alike < part.hits().len(),
            instruments: heard.map(|(one, hits)| ExchangedInstrument { name: one.name.clone(), hits }).collect(),
            said: self.said,
        }
    }
}
