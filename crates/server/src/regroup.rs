//! Splitting a part by its instruments, and joining parts.

use crate::api::*;
use crate::app::{Answer, App, Make, Opened};
use crate::problem::Problem;
use crate::songs::damage_of;
use std::collections::HashSet;
use vivida_core::{InstrumentId, Kit, Regrouping, Ticks, join};
use vivida_store::{NewPart, PartId, Reading, Reads, SongId};

impl App {
    /// Makes parts of a part's instruments; the part itself is muted and stays.
    pub(crate) fn split_part(&self, id: PartId, request: &SplitRequest) -> Answer<RegroupedParts> {
        let song = self.warm(id)?;
        self.regrouping(song, |reading| {
            let opened = self.expected(reading, id, request.revision)?;
            let kit = &opened.chart().kit;
            let played = opened.play(Ticks(0.0));
            let struck: HashSet<usize> =
                played.hits().filter_map(|hit| opened.chart().instrument_of(hit.note, hit.channel)).collect();
            let mut seen: HashSet<&InstrumentId> = HashSet::new();
            for (place, group) in request.groups.iter().enumerate() {
                let wrong = |message: String| Err(Problem::field(format!("groups[{place}]"), message));
                if group.is_empty() {
                    return wrong("a part has at least one instrument".to_owned());
                }
                for instrument in group {
                    if kit.find(instrument).is_none() {
                        return wrong(format!("this part has no {instrument}"));
                    }
                    if !seen.insert(instrument) {
                        return wrong(format!("{instrument} is there twice"));
                    }
                }
                if !group.iter().any(|id| kit.find(id).is_some_and(|(place, _)| struck.contains(&place))) {
                    return wrong("nothing of it is struck in this part".to_owned());
                }
            }
            let all = kit.instruments.iter().enumerate().filter(|(place, _)| struck.contains(place));
            let rest = all.map(|(_, one)| &one.id).filter(|id| !seen.contains(id));
            let rest: Vec<InstrumentId> = rest.cloned().collect();
            let mut groups = request.groups.clone();
            if !rest.is_empty() {
                groups.push(rest);
            }
            if groups.len() < 2 {
                return Err(Problem::field("groups", "all instruments in one part is what there is already"));
            }
            let name = opened.name();
            let source =
                Regrouping { name: &name, part: opened.part(), chart: opened.chart(), recipe: &opened.take.recipe };
            let mut said = Vec::new();
            let mut new = Vec::with_capacity(groups.len());
            for group in &groups {
                let made = source.split_off(group);
                let names = group.iter().filter_map(|id| kit.find(id)).map(|(_, one)| one.name.as_str());
                let own = named(&names.collect::<Vec<_>>());
                said.extend(made.said.into_iter().map(|sentence| format!("{own}: {sentence}")));
                new.push(NewPart {
                    beside: id,
                    name: own,
                    drums: opened.row.drums,
                    hits: made.part,
                    recipe: made.recipe,
                    variation: opened.take.variation,
                });
            }
            let label = format!("split {name}");
            Ok(Box::new(move |change| Ok((change.regroup(song, &label, &new, &[id])?, said))))
        })
    }

    /// Makes one part of drums of several; these are muted and stay.
    pub(crate) fn join_parts(&self, song: SongId, request: &JoinRequest) -> Answer<RegroupedParts> {
        self.regrouping(song, |reading| {
            let mut opened = Vec::with_capacity(request.parts.len());
            let mut seen = HashSet::new();
            for (place, one) in request.parts.iter().enumerate() {
                let wrong = |message: &str| Err(Problem::field(format!("parts[{place}]"), message));
                if !seen.insert(one.id) {
                    return wrong("this part is there twice");
                }
                let part = self.expected(reading, one.id, one.revision)?;
                if part.row.song != song {
                    return wrong("this part belongs to another song");
                }
                opened.push(part);
            }
            let [first, _, ..] = &opened[..] else {
                return Err(Problem::field("parts", "name at least two parts to join"));
            };
            if first.song.file.format == 2 {
                let detail = "the tracks of a format 2 file are songs of their own and cannot be joined";
                return Err(Problem::field("parts", detail));
            }
            let names: Vec<String> = opened.iter().map(Opened::name).collect();
            let sources: Vec<Regrouping<'_>> = opened
                .iter()
                .zip(&names)
                .map(|(one, name)| Regrouping { name, part: one.part(), chart: one.chart(), recipe: &one.take.recipe })
                .collect();
            // The new part has the kit of the first one.
            let kit = first.row.kit.map_or_else(Kit::general_midi, |_| first.chart().listed_kit());
            let made = join(&sources, &kit);
            made.recipe.check().map_err(|error| Problem::of_recipe("parts", &error))?;
            let new = NewPart {
                beside: first.row.id,
                name: request.name.clone(),
                drums: true,
                hits: made.part,
                recipe: made.recipe,
                variation: first.take.variation,
            };
            let silent: Vec<PartId> = opened.iter().map(|one| one.row.id).collect();
            let (label, said) = (format!("join {} parts", silent.len()), made.said);
            Ok(Box::new(move |change| Ok((change.regroup(song, &label, &[new], &silent)?, said))))
        })
    }

    /// A part as it is expected, in good order.
    fn expected(&self, reading: &Reading, id: PartId, revision: i64) -> Answer<Opened> {
        let row = reading.expected_part(id, revision)?;
        if let Some(damage) = damage_of(&row) {
            let detail = format!("part {} cannot be read in full ({damage}); give it other passes first", id.0);
            return Err(Problem::field("parts", detail));
        }
        if row.audio.is_some() {
            let detail = "a recorded loop is one part; make a part for the kit of it, and split or join that";
            return Err(Problem::field("parts", detail));
        }
        let opened = self.open_in(reading, id, None)?;
        match &opened.source.damage {
            Some(damage) => Err(Problem::field("parts", format!("part {}: {damage}", id.0))),
            None => Ok(opened),
        }
    }

    fn regrouping(
        &self,
        song: SongId,
        plan: impl Fn(&Reading) -> Answer<Make<'static, (Vec<PartId>, Vec<String>)>>,
    ) -> Answer<RegroupedParts> {
        let (regrouped, reading) = self.work_out(song, plan)?;
        let (parts, said) = regrouped?;
        Ok(RegroupedParts { parts, said, history: reading.history(Some(song))? })
    }
}

/// “Kick and snare”, or how many there are.
fn named(names: &[&str]) -> String {
    let lower = |name: &&str| name.to_lowercase();
    match names {
        [only] => (*only).to_owned(),
        [first, second] => format!("{first} and {}", lower(second)),
        [first, second, third] => format!("{first}, {} and {}", lower(second), lower(third)),
        [first, rest @ ..] => format!("{first} and {} more", rest.len()),
        [] => "Nothing".to_owned(),
    }
}
