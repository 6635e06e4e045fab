//! Parts in the workspace: takes, passes, performances.

use crate::answers::{columns, take_columns, written};
use crate::api::*;
use crate::app::{Answer, App, LAYERS_SETTING, Make, Opened, recipe, shared_layers};
use crate::keyed::key_of;
use crate::pockets::settings_of;
use crate::problem::Problem;
use crate::songs::{MOST_LINES, damage_of, part_name};
use serde_json::Value;
use std::collections::HashMap;
use vivida_core::{
    AimRule, Context, GroupId, HitId, InstrumentId, LayerBounds, PassId, Performance, PocketId, Pockets, Recipe,
    Rehearsal, StartingPoint, Ticks, TouchProfile, aim_rules, aimed_by, perform, starting_points, touched_by,
};
use vivida_store::{PartChange, PartId, Reading, Reads, Scope, SongId, StoreError, StoredPart, StoredTake, TakeId};

fn checked_layers(layers: LayerBounds) -> Answer<LayerBounds> {
    layers.check().map_err(|(field, message)| Problem::field(format!("layers.{field}"), message))?;
    Ok(layers)
}

impl App {
    /// A part in the workspace.
    pub(crate) fn part_detail(&self, id: PartId) -> Answer<PartDetail> {
        let (opened, state) = {
            let reading = self.reading()?;
            let opened = self.open_in(&reading, id, None)?;
            let state = self.part_state(&reading, &opened.row)?;
            (opened, state)
        };
        let (file, part, chart) = (&opened.song.file, opened.part(), opened.chart());
        let meant = chart.meant(part, &file.metre, &file.tempo);
        let grid = meant.grid;
        let performance = opened.play(Ticks(0.0));
        let lines = opened.lines(&performance);
        let reading = opened.played_on(&performance, &lines);
        let recipe = &opened.take.recipe;
        Ok(PartDetail {
            performance: columns(&opened, recipe, &performance, &lines, reading, [None; 3]),
            channel: opened.file_part().channel,
            written: written(&opened, meant),
            kit: chart.kit.clone(),
            listed: chart.listed,
            sounds: opened.sounds(),
            audio: self.audio_of(&opened),
            cell: grid.cell(file.ppq),
            grid,
            reading: opened.written().clone(),
            state,
        })
    }

    /// The other parts of a song that are heard along with an open one. What cannot be opened says why where it is.
    pub(crate) fn other_parts(&self, song: SongId, open: Option<PartId>) -> Answer<Vec<PartDetail>> {
        let parts = self.reading()?.song(song)?.parts;
        let others = parts.iter().filter(|part| Some(part.id) != open && !part.muted);
        Ok(others.filter_map(|part| self.part_detail(part.id).ok()).collect())
    }

    pub(crate) fn part_state(&self, reads: &impl Reads, row: &StoredPart) -> Answer<PartState> {
        let song = self.load(reads, row.song)?;
        let take = row.current();
        // What cannot be opened says why where it is opened.
        let opened = self.open_in(reads, row.id, None).ok();
        let drawn = opened.as_ref().is_some_and(Opened::is_drawn);
        let source = opened.as_ref().map(Opened::source_name).unwrap_or_default();
        let printed = opened.and_then(|opened| opened.damage());
        let card = |take: &StoredTake| TakeCard {
            id: take.id,
            name: take.name.clone(),
            is_print: take.is_print,
            passes: take.recipe.passes.len() as u32,
            damage: take.damage.as_ref().map(|damage| damage.reason.clone()),
        };
        Ok(PartState {
            id: row.id,
            song: row.song,
            revision: row.revision as i32,
            name: part_name(row, &song),
            drums: row.drums,
            muted: row.muted,
            layers: row.layers.clone(),
            kit: match row.kit {
                Some(id) => reads.kit_of_part(id)?.map(|kit| PartKit {
                    id,
                    revision: kit.revision as i32,
                    name: kit.kit.name,
                    own: kit.own,
                    deleted: kit.deleted,
                }),
                None => None,
            },
            lines: row.lines.clone(),
            take: take.id,
            takes: row.takes.iter().map(card).collect(),
            recipe: take.recipe.clone(),
            variation: take.variation,
            source,
            drawn,
            damage: damage_of(row).or(printed),
            history: reads.history(Some(row.song))?,
        })
    }

    /// All parts of a song.
    pub(crate) fn part_states(&self, reads: &impl Reads, song: SongId) -> Answer<Vec<PartState>> {
        reads.song(song)?.parts.iter().map(|row| self.part_state(reads, row)).collect()
    }

    /// Makes a change to a part and answers its newest state; where the change came too late, that comes
    /// with the problem.
    pub(crate) fn changing<'a, T: 'a>(
        &self,
        id: PartId,
        plan: impl Fn(&Reading) -> Answer<Make<'a, T>>,
    ) -> Answer<PartState> {
        self.changing_once(id, None, plan)
    }

    /// The same; under a key that a change of the part has already, none is made.
    pub(crate) fn changing_once<'a, T: 'a>(
        &self,
        id: PartId,
        key: Option<&str>,
        plan: impl Fn(&Reading) -> Answer<Make<'a, T>>,
    ) -> Answer<PartState> {
        let song = self.warm(id)?;
        let key = key_of(format_args!("part {}", id.0), key)?;
        let once = |reading: &Reading| -> Answer<Make<'a, Option<T>>> {
            let key = key.clone();
            if let Some(key) = &key
                && reading.has_step(Scope::Song(song), key)?
            {
                return Ok(Box::new(|_| Ok(None)));
            }
            let make = plan(reading)?;
            Ok(Box::new(move |change| {
                if let Some(key) = &key {
                    change.keyed(key);
                }
                make(change).map(Some)
            }))
        };
        let (changed, reading) = self.work_out(song, once)?;
        let state = || self.part_state(&reading, &reading.part(id)?);
        match changed {
            Ok(_) => state(),
            Err(problem) if problem.is_conflict() => Err(Problem { current: Some(Box::new(state()?)), ..problem }),
            Err(problem) => Err(problem),
        }
    }

    /// Changes a part.
    pub(crate) fn change_part(&self, id: PartId, request: PartChangeRequest) -> Answer<PartState> {
        let layers = match (request.layers, request.shared_layers) {
            (Some(layers), _) => Some(Some(checked_layers(layers)?)),
            (None, Some(true)) => Some(None),
            _ => None,
        };
        let wanted = request.recipe.map(|value| recipe("recipe", value)).transpose()?;
        if let Some(lines) = &request.lines {
            lines.check().map_err(|(field, reason)| Problem::field(format!("lines.{field}"), reason))?;
        }
        let label: String = vivida_smf::readable(request.label.as_bytes());
        self.changing_once(id, request.key.as_deref(), |reading| {
            let row = reading.expected_part(id, request.revision)?;
            let recipe = if wanted.is_some() || !request.gestures.is_empty() {
                let take = request.take.unwrap_or(row.take);
                let opened = self.open_in(reading, id, Some(take))?;
                let base = wanted.clone().unwrap_or_else(|| opened.take.recipe.clone());
                let variation = request.variation.unwrap_or(opened.take.variation);
                Some(opened.after("recipe", base, &request.gestures, variation)?)
            } else {
                None
            };
            let (take, variation, drums) = (request.take, request.variation, request.drums);
            let (name, muted, layers) = (request.name.clone(), request.muted, layers.clone());
            let lines = request.lines.clone();
            let made = PartChange { take, recipe, variation, drums, name, muted, layers, lines };
            Ok(Box::new(|change| Ok(change.change_part(id, request.revision, &label, made)?)))
        })
    }

    /// Lets velocity layers hold for every part that has none of its own; instruments that are not named keep
    /// theirs.
    pub(crate) fn set_layers(&self, layers: LayerBounds) -> Answer<()> {
        let layers = checked_layers(layers)?;
        self.change(|change| {
            let mut all = shared_layers(&*change)?;
            all.0.extend(layers.0);
            if all.0.len() > 1000 {
                return Err(Problem::field("layers", "layers of at most 1000 instruments are kept"));
            }
            let text = serde_json::to_string(&all).map_err(|error| Problem::field("layers", error.to_string()))?;
            Ok(change.set_setting(LAYERS_SETTING, &text)?)
        })
    }

    /// Writes Played out as the Written of a new take.
    pub(crate) fn print(&self, id: PartId, request: PrintRequest) -> Answer<PartState> {
        let (revision, name) = (request.revision, &request.name);
        self.changing(id, |reading| {
            reading.expected_part(id, revision)?;
            let opened = self.open_in(reading, id, None)?;
            if opened.row.audio.is_some() {
                if request.rounds.is_some() {
                    let detail = "what was recorded says where a loop is cut; keep it as a version without rounds";
                    return Err(Problem::field("rounds", detail));
                }
                // What is written says where the loop is cut, so a version of it is other passes on the same cuts.
                let version = vec![(name.clone(), opened.part().clone(), opened.take.recipe.clone())];
                let label = format!("keep “{name}”");
                return Ok(Box::new(move |change| Ok(change.add_takes(id, revision, &label, version)?[0])));
            }
            let played = match request.rounds {
                None => opened.play(Ticks(0.0)),
                Some(rounds) => rounds_of(&opened, rounds)?,
            };
            let printed = played.printed();
            if printed.hits().is_empty() {
                return Err(Problem::field("name", "nothing sounds in this part, so there is nothing to print"));
            }
            let beside = played.beside_printed(&opened.take.recipe);
            Ok(Box::new(move |change| Ok(change.print_with(id, revision, name, &printed, beside)?)))
        })
    }

    pub(crate) fn rename_take(&self, id: PartId, take: TakeId, request: &Named) -> Answer<PartState> {
        let Named { revision, name } = request;
        self.changing(id, |_| Ok(Box::new(|change| Ok(change.rename_take(id, *revision, take, name)?))))
    }

    pub(crate) fn delete_take(&self, id: PartId, take: TakeId, revision: i64) -> Answer<PartState> {
        self.changing(id, |_| Ok(Box::new(|change| Ok(change.delete_take(id, revision, take)?))))
    }

    /// The passes of a take as a file, and its name. What cannot be read comes as it stands in the database:
    /// the printed hits first, for without them the passes say little.
    pub(crate) fn take_file(&self, id: PartId, take: TakeId) -> Answer<(String, Vec<u8>)> {
        let reading = self.reading()?;
        let row = reading.part(id)?;
        let found = row.takes.iter().find(|one| one.id == take);
        let found = found.ok_or(StoreError::NotFound { what: "take", id: take.0 })?;
        let file = match reading.take_hits(take)? {
            Some(Err(damage)) => damage.text.into_bytes(),
            _ => crate::library::file_of(&found.name, "", &found.recipe, &found.damage)?,
        };
        Ok((found.name.clone(), file))
    }

    /// A take as it is played, to be held against another.
    pub(crate) fn take_played(&self, id: PartId, take: TakeId) -> Answer<TakeColumns> {
        let opened = self.open(id, Some(take))?;
        let performance = opened.play(Ticks(0.0));
        let lines = opened.lines(&performance);
        let reading = opened.played_on(&performance, &lines);
        // In the rows of the take that is worked on, whatever drums the other has.
        let shown = self.open(id, None)?;
        Ok(take_columns(&shown, &opened, &performance, &lines, in_rows(&shown, reading)))
    }

    /// The lines that a drum is played on, from one tick to another.
    pub(crate) fn drum_lines(&self, id: PartId, instrument: &str, from: f64, to: f64) -> Answer<DrumLines> {
        let good = |tick: f64| tick.abs() <= 1e12;
        if !(good(from) && good(to)) {
            return Err(Problem::field("from", "a stretch goes from one tick of the song to another"));
        }
        let opened = self.open(id, None)?;
        let (place, _) = opened
            .chart()
            .kit
            .find(&InstrumentId::new(instrument))
            .ok_or_else(|| Problem::field("instrument", format!("the kit has no “{instrument}”")))?;
        let performance = opened.play(Ticks(0.0));
        let lines =
            opened.lines(&performance).ticks(&opened.song.file.metre, place, Ticks(from), Ticks(to), MOST_LINES);
        Ok(DrumLines { lines })
    }

    pub(crate) fn duplicate_part(&self, id: PartId) -> Answer<PartState> {
        self.warm(id)?;
        let (copy, reading) = self.changed(|change| {
            let name = self.open_in(&*change, id, None)?.name();
            Ok::<_, Problem>(change.duplicate_part(id, &format!("{name}, second"))?)
        })?;
        self.part_state(&reading, &reading.part(copy)?)
    }

    pub(crate) fn delete_part(&self, id: PartId, revision: i64) -> Answer<()> {
        self.warm(id)?;
        self.change(|change| {
            let part = change.part(id)?;
            let song = self.load(&*change, part.song)?;
            let begun = song.file.parts.get(part.position).is_some_and(|one| one.begun.is_some());
            Ok(change.delete_part(id, revision, begun)?)
        })
    }

    /// Plays a part by a recipe that need not be kept.
    pub(crate) fn perform(&self, id: PartId, mut request: PerformRequest) -> Answer<PerformanceColumns> {
        let (opened, changed, performance) = self.played_as_asked(id, "recipe", &mut request)?;
        let lines = opened.lines(&performance);
        let reading = opened.played_on(&performance, &lines);
        let known = [request.timing.as_deref(), request.touch.as_deref(), request.lanes.as_deref()];
        let mut answer = columns(&opened, &changed, &performance, &lines, reading, known);
        answer.recipe = (!request.gestures.is_empty()).then_some(changed);
        Ok(answer)
    }

    /// A part, the passes after what is done to them, and how it is played by what is heard of them.
    pub(crate) fn played_as_asked(
        &self,
        id: PartId,
        path: &str,
        request: &mut PerformRequest,
    ) -> Answer<(Opened, Recipe, Performance)> {
        let recipe = recipe(path, request.recipe.take())?;
        let mut opened = self.open(id, None)?;
        opened.pockets.extend(drafted(std::mem::take(&mut request.pockets))?);
        let changed = opened.after(path, recipe, &request.gestures, request.variation)?;
        let heard = heard(&changed, request.alone, request.alone_group, request.audition.take())?;
        let context = Context { round: request.round, ..opened.context(request.variation) };
        let performance = perform(opened.part(), opened.chart(), &heard, &context);
        Ok((opened, changed, performance))
    }

    /// The hits that a pass changes, or all that it aims at.
    pub(crate) fn touched(&self, id: PartId, request: PerformRequest) -> Answer<Vec<HitId>> {
        let recipe = recipe("recipe", request.recipe)?;
        let pass = request.touched_by.ok_or_else(|| Problem::field("touched_by", "name a pass of the recipe"))?;
        let mut opened = self.open(id, None)?;
        opened.pockets.extend(drafted(request.pockets)?);
        let recipe = opened.after("recipe", recipe, &request.gestures, request.variation)?;
        let context = Context { round: request.round, ..opened.context(request.variation) };
        let of = if request.aimed { aimed_by } else { touched_by };
        Ok(of(opened.part(), opened.chart(), &recipe, &context, PassId(pass)))
    }

    /// The rules that name some hits, as they are played.
    pub(crate) fn rules(&self, id: PartId, mut request: PerformRequest) -> Answer<Vec<AimRule>> {
        let hits = request.rules_for.take().ok_or_else(|| Problem::field("rules_for", "name some hits"))?;
        let recipe = recipe("recipe", request.recipe)?;
        let mut opened = self.open(id, None)?;
        opened.pockets.extend(drafted(request.pockets)?);
        let recipe = opened.after("recipe", recipe, &request.gestures, request.variation)?;
        let context = Context { round: request.round, ..opened.context(request.variation) };
        Ok(aim_rules(&Rehearsal::of(opened.part(), opened.chart(), &recipe, &context), &hits))
    }

    /// Lists of passes that suit the part.
    pub(crate) fn starting_points(&self, id: PartId) -> Answer<Vec<StartingPoint>> {
        let opened = self.open(id, None)?;
        Ok(starting_points(opened.part(), opened.chart(), &opened.context(1)))
    }

    /// The touch of a part as it is played, for Match.
    pub(crate) fn touch(&self, id: PartId) -> Answer<TouchProfile> {
        let opened = self.open(id, None)?;
        let song = self.reading()?.song_alone(opened.row.song)?.name;
        let name = format!("{song}, {}", opened.name());
        let performance = opened.play(Ticks(0.0));
        Ok(TouchProfile::of(&name, opened.chart(), &opened.song.file.metre, performance.hits()))
    }

    /// A recipe as far as it fits the part, and what does not.
    pub(crate) fn fit(&self, id: PartId, request: FitRequest) -> Answer<Fitted> {
        let opened = self.open(id, None)?;
        let (recipe, said) = recipe("recipe", request.recipe)?.fitted(&opened.chart().listed_kit(), opened.part());
        Ok(Fitted { recipe, said })
    }

    /// Puts passes behind those of another part, as far as they fit there.
    pub(crate) fn receive(&self, id: PartId, request: FitRequest) -> Answer<Received> {
        let wanted = recipe("recipe", request.recipe)?;
        let song = self.warm(id)?;
        let (changed, reading) = self.work_out(song, |reading| {
            let opened = self.open_in(reading, id, None)?;
            let received = self.within(reading, song, wanted.clone())?;
            let (fitted, said) = received.fitted(&opened.chart().listed_kit(), opened.part());
            let added = fitted.passes.len() as u32;
            let recipe = opened.take.recipe.followed_by(&fitted);
            recipe.check().map_err(|error| Problem::of_recipe("recipe", &error))?;
            Ok(Box::new(move |change| {
                change.set_recipe(id, &format!("copy {added} passes here"), recipe)?;
                Ok((added, said))
            }))
        })?;
        let (added, said) = changed?;
        Ok(Received { added, said, history: reading.history(Some(song))? })
    }
}

/// Some bars printed round after round.
fn rounds_of(opened: &Opened, RoundsToPrint { bars, count }: RoundsToPrint) -> Answer<Performance> {
    const MOST: u32 = 64;
    let file = &opened.song.file;
    if !(1..=MOST).contains(&count) {
        return Err(Problem::field("rounds.count", format!("{count} is outside 1 to {MOST} rounds")));
    }
    let (from, to) = file.stretch(bars).map_err(|why| Problem::field("rounds.bars", why))?;
    let fit = (file.bars() + 1 - bars.from) / (bars.to + 1 - bars.from);
    if count > fit {
        let detail = format!("{count} rounds do not fit in front of the song's end; {fit} do");
        return Err(Problem::field("rounds.count", detail));
    }
    let context = opened.context(opened.take.variation);
    let play = |round| {
        let context = Context { round, ..context };
        perform(opened.part(), opened.chart(), &opened.take.recipe, &context)
    };
    Ok(Performance::rounds((0..count).map(play).collect(), opened.part(), from, to))
}

/// The recipe as it is heard: with one pass or group alone the others are off, and what is listened to comes last. A pass
/// that was deleted meanwhile is not alone.
fn heard(
    recipe: &Recipe,
    alone: Option<PassId>,
    alone_group: Option<GroupId>,
    audition: Option<Audition>,
) -> Answer<Recipe> {
    let mut heard = recipe.clone();
    if let Some(alone) = alone_group.filter(|alone| recipe.group(*alone).is_some()) {
        heard.passes.iter_mut().for_each(|pass| pass.on &= pass.group == Some(alone));
        heard.groups.iter_mut().for_each(|group| group.on = group.id == alone);
    }
    if let Some(alone) = alone.filter(|alone| recipe.passes.iter().any(|pass| pass.id == *alone)) {
        heard.passes.iter_mut().for_each(|pass| pass.on = pass.id == alone);
        heard.groups.iter_mut().for_each(|group| group.on = true);
    }
    if let Some(Audition { aim, action }) = audition {
        let passes = serde_json::json!({"passes": [{"id": 1, "aim": aim, "action": action}]});
        let last = Recipe::from_value(passes).map_err(|error| Problem::of_recipe("audition", &error))?;
        heard = heard.followed_by(&last);
    }
    Ok(heard)
}

/// Pockets as they are being changed.
pub(crate) fn drafted(pockets: HashMap<u32, Value>) -> Answer<Pockets> {
    let one = |(id, settings)| Ok((PocketId(id), settings_of(&format!("pockets.{id}"), settings)?));
    pockets.into_iter().map(one).collect()
}

/// A reading in the rows of another take's kit: instruments that it does not have are left out.
fn in_rows(shown: &Opened, reading: vivida_core::Measured) -> vivida_core::Measured {
    let empty = shown.written();
    let instruments = shown.chart().kit.instruments.iter().zip(&empty.instruments).map(|(instrument, none)| {
        let known = reading.instruments.iter().find(|one| one.instrument == instrument.id).cloned();
        known.unwrap_or_else(|| vivida_core::MeasuredInstrument::silent(none.instrument.clone()))
    });
    vivida_core::Measured { instruments: instruments.collect(), ..reading.clone() }
}
