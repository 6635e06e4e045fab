//! Parts in the workspace: takes, passes, performances.

use crate::answers::{columns, take_columns, written};
use crate::api::*;
use crate::app::{Answer, App, LAYERS_SETTING, Opened, recipe};
use crate::pockets::settings_of;
use crate::problem::Problem;
use serde_json::Value;
use std::collections::HashMap;
use vivida_core::{
    Context, Layers, PassId, PocketId, Pockets, StartingPoint, TouchProfile, aimed_by, perform, starting_points,
    touched_by,
};
use vivida_store::{PartChange, PartId, PartRow, SongId, TakeId};

fn checked_layers(layers: Layers) -> Answer<Layers> {
    layers.check().map_err(|(field, message)| Problem::field(format!("layers.{field}"), message))?;
    Ok(layers)
}

impl App {
    /// A part in the workspace.
    pub(crate) fn part_detail(&self, id: PartId) -> Answer<PartDetail> {
        let opened = self.open(id, None)?;
        let (file, part, chart) = (&opened.song.file, opened.part(), opened.chart());
        let meant = chart.meant(part, &file.metre);
        let grid = meant.grid;
        let performance = opened.play(vivida_core::Ticks(0.0));
        let reading = opened.played(&performance);
        Ok(PartDetail {
            performance: columns(&opened, performance, reading, None, None),
            channel: file.parts[opened.row.position].channel,
            written: written(part, opened.spans(), &meant.lines, chart),
            kit: chart.kit.clone(),
            cell: grid.cell(file.ppq),
            grid,
            reading: opened.written().clone(),
            state: self.part_state(&opened.row)?,
        })
    }

    pub(crate) fn part_state(&self, row: &PartRow) -> Answer<PartState> {
        let song = self.load(row.song)?;
        let take = row.current();
        let card = |take: &vivida_store::TakeRow| TakeCard {
            id: take.id,
            name: take.name.clone(),
            is_print: take.is_print,
            passes: take.recipe.passes.len() as u32,
        };
        Ok(PartState {
            id: row.id,
            song: row.song,
            revision: row.revision as i32,
            name: row.name.clone().unwrap_or_else(|| song.file.parts[row.position].name.clone()),
            drums: row.drums,
            muted: row.muted,
            layers: row.layers.clone(),
            grid: row.grid,
            take: take.id,
            takes: row.takes.iter().map(card).collect(),
            recipe: take.recipe.clone(),
            variation: take.variation,
            history: self.store().history(Some(row.song))?,
        })
    }

    /// The newest state after a change; where that came too late, it comes with the problem.
    pub(crate) fn changed<T>(&self, id: PartId, changed: Result<T, vivida_store::StoreError>) -> Answer<PartState> {
        let state = self.part_state(&self.store_part(id)?)?;
        match changed {
            Ok(_) => Ok(state),
            Err(error @ vivida_store::StoreError::Conflict { .. }) => {
                Err(Problem { current: Some(Box::new(state)), ..Problem::from(error) })
            }
            Err(error) => Err(error.into()),
        }
    }

    fn store_part(&self, id: PartId) -> Answer<PartRow> {
        Ok(self.store().part(id)?)
    }

    /// Changes a part.
    pub(crate) fn change_part(&self, id: PartId, request: PartChangeRequest) -> Answer<PartState> {
        let layers = match (request.layers, request.shared_layers) {
            (Some(layers), _) => Some(Some(checked_layers(layers)?)),
            (None, Some(true)) => Some(None),
            _ => None,
        };
        let change = PartChange {
            take: request.take,
            recipe: request.recipe.map(|value| recipe("recipe", value)).transpose()?,
            variation: request.variation,
            drums: request.drums,
            name: request.name,
            muted: request.muted,
            layers,
            grid: match (request.grid, request.fitting_grid) {
                (Some(grid), _) => Some(Some(grid)),
                (None, Some(true)) => Some(None),
                _ => None,
            },
        };
        let label: String = vivida_smf::readable(request.label.as_bytes());
        let changed = self.store().change_part(id, request.revision, &label, change);
        self.changed(id, changed)
    }

    /// Lets velocity layers hold for every part that has none of its own.
    pub(crate) fn set_layers(&self, layers: Layers) -> Answer<()> {
        let layers = checked_layers(layers)?;
        let text = serde_json::to_string(&layers).map_err(|error| Problem::field("layers", error.to_string()))?;
        Ok(self.store().set_setting(LAYERS_SETTING, &text)?)
    }

    /// Writes Played out as the Written of a new take.
    pub(crate) fn print(&self, id: PartId, request: Named) -> Answer<PartState> {
        let opened = self.open(id, None)?;
        let printed = opened.play(vivida_core::Ticks(0.0)).printed();
        if printed.hits().is_empty() {
            return Err(Problem::field("name", "nothing sounds in this part, so there is nothing to print"));
        }
        let changed = self.store().print(id, request.revision, &request.name, &printed);
        self.changed(id, changed)
    }

    pub(crate) fn rename_take(&self, id: PartId, take: TakeId, request: &Named) -> Answer<PartState> {
        let changed = self.store().rename_take(id, request.revision, take, &request.name);
        self.changed(id, changed)
    }

    pub(crate) fn delete_take(&self, id: PartId, take: TakeId, revision: i64) -> Answer<PartState> {
        let changed = self.store().delete_take(id, revision, take);
        self.changed(id, changed)
    }

    /// A take as it is played, to be held against another.
    pub(crate) fn take_played(&self, id: PartId, take: TakeId) -> Answer<TakeColumns> {
        let opened = self.open(id, Some(take))?;
        let performance = opened.play(vivida_core::Ticks(0.0));
        let reading = opened.played(&performance);
        // In the rows of the take that is worked on, whatever drums the other has.
        let shown = self.open(id, None)?;
        Ok(take_columns(&opened.song.file, shown.chart(), &performance, in_rows(&shown, reading)))
    }

    pub(crate) fn duplicate_part(&self, id: PartId) -> Answer<PartState> {
        let name = self.open(id, None)?.name();
        let copy = self.store().duplicate_part(id, &format!("{name}, second"))?;
        self.part_state(&self.store_part(copy)?)
    }

    pub(crate) fn delete_part(&self, id: PartId, revision: i64) -> Answer<()> {
        Ok(self.store().delete_part(id, revision)?)
    }

    /// Plays a part by a recipe that need not be kept.
    pub(crate) fn perform(&self, id: PartId, request: PerformRequest) -> Answer<PerformanceColumns> {
        let recipe = recipe("recipe", request.recipe)?;
        let mut opened = self.open(id, None)?;
        opened.pockets.extend(drafted(request.pockets)?);
        let context = Context { round: request.round, ..opened.context(request.variation) };
        let performance = perform(opened.part(), opened.chart(), &recipe, &context);
        let reading = opened.played(&performance);
        Ok(columns(&opened, performance, reading, request.timing.as_deref(), request.touch.as_deref()))
    }

    /// The places of the hits that a pass changes, or of all that it aims at.
    pub(crate) fn touched(&self, id: PartId, request: PerformRequest) -> Answer<Vec<u32>> {
        let recipe = recipe("recipe", request.recipe)?;
        let pass = request.touched_by.ok_or_else(|| Problem::field("touched_by", "name a pass of the recipe"))?;
        let mut opened = self.open(id, None)?;
        opened.pockets.extend(drafted(request.pockets)?);
        let context = Context { round: request.round, ..opened.context(request.variation) };
        let of = if request.aimed { aimed_by } else { touched_by };
        Ok(of(opened.part(), opened.chart(), &recipe, &context, PassId(pass)))
    }

    /// Lists of passes that suit the part.
    pub(crate) fn starting_points(&self, id: PartId) -> Answer<Vec<StartingPoint>> {
        let opened = self.open(id, None)?;
        Ok(starting_points(opened.part(), opened.chart(), &opened.context(1)))
    }

    /// The touch of a part as it is played, for Match.
    pub(crate) fn touch(&self, id: PartId) -> Answer<TouchProfile> {
        let opened = self.open(id, None)?;
        let song = self.store().song_alone(opened.row.song)?.name;
        let name = format!("{song}, {}", opened.name());
        let hits = opened.play(vivida_core::Ticks(0.0)).hits;
        Ok(TouchProfile::of(&name, opened.chart(), &opened.song.file.metre, &hits))
    }

    /// A recipe as far as it fits the part, and what does not.
    pub(crate) fn fit(&self, id: PartId, request: FitRequest) -> Answer<Fitted> {
        let opened = self.open(id, None)?;
        let (recipe, said) = recipe("recipe", request.recipe)?.fitted(&opened.chart().kit);
        Ok(Fitted { recipe, said })
    }

    /// Puts passes behind those of another part, as far as they fit there.
    pub(crate) fn receive(&self, id: PartId, request: FitRequest) -> Answer<Received> {
        let opened = self.open(id, None)?;
        let received = self.within(opened.row.song, recipe("recipe", request.recipe)?)?;
        let (fitted, said) = received.fitted(&opened.chart().kit);
        let count = fitted.passes.len() as u32;
        let recipe = opened.take.recipe.followed_by(&fitted);
        if recipe.passes.len() > vivida_core::Recipe::MOST_PASSES {
            return Err(Problem::field("recipe.passes", "the other part would have too many passes"));
        }
        let change = PartChange { recipe: Some(recipe), ..PartChange::default() };
        let label = format!("copy {count} passes here");
        self.store().change_part(id, opened.row.revision, &label, change)?;
        Ok(Received { added: count, said, history: self.history(opened.row.song)? })
    }

    pub(crate) fn history(&self, song: SongId) -> Answer<vivida_store::History> {
        Ok(self.store().history(Some(song))?)
    }
}

/// Pockets as they are being changed.
pub(crate) fn drafted(pockets: HashMap<u32, Value>) -> Answer<Pockets> {
    let one = |(id, settings)| Ok((PocketId(id), settings_of(&format!("pockets.{id}"), settings)?));
    pockets.into_iter().map(one).collect()
}

/// A reading in the rows of another take's kit: instruments that it does not have are left out.
fn in_rows(shown: &Opened, reading: vivida_core::Reading) -> vivida_core::Reading {
    let empty = shown.written();
    let instruments = shown.chart().kit.instruments.iter().zip(&empty.instruments).map(|(instrument, none)| {
        let known = reading.instruments.iter().find(|one| one.instrument == instrument.id).cloned();
        known.unwrap_or_else(|| vivida_core::InstrumentReading::silent(none.instrument.clone()))
    });
    vivida_core::Reading { instruments: instruments.collect(), ..reading.clone() }
}
