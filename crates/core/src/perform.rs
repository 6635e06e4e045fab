//! From Written to Played: one pure function.

use crate::action::{Action, ActionFamily, Pockets};
use crate::aim;
use crate::chart::Chart;
use crate::dice::Dice;
use crate::hit::{Hit, HitId, Part};
use crate::kit::Instrument;
use crate::metre::MetreMap;
use crate::recipe::{Pass, PassId, Recipe};
use crate::section::Section;
use crate::settle::{Draft, settle};
use crate::tempo::TempoMap;
use crate::units::{Channel, Millis, Note, Ticks, Velocity, whole};
use serde::Serialize;
use std::collections::BTreeMap;
use ts_rs::TS;

/// All that a performance depends on besides the part, its chart and the recipe.
#[derive(Clone, Copy, Debug)]
pub struct Context<'a> {
    /// Ticks and seconds.
    pub tempo: &'a TempoMap,
    /// Bars and beats.
    pub metre: &'a MetreMap,
    /// The number that all dice hang on.
    pub variation: u32,
    /// Which time round the loop it is, from 0.
    pub round: u32,
    /// Hits do not begin before this: 0, or with a lead-in bar minus that bar's length.
    pub start: Ticks,
    /// The song's named stretches of bars, for aims that name them.
    pub sections: &'a [Section],
    /// The song's pockets, for passes that follow one.
    pub pockets: &'a Pockets,
}

static NO_POCKETS: Pockets = Pockets::new();

impl<'a> Context<'a> {
    /// Variation 1, the first round, from 0 on, without sections or pockets.
    pub fn new(tempo: &'a TempoMap, metre: &'a MetreMap) -> Context<'a> {
        Context { tempo, metre, variation: 1, round: 0, start: Ticks(0.0), sections: &[], pockets: &NO_POCKETS }
    }
}

/// One hit as it is played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlayedHit {
    /// The written hit's, or that of the addition.
    pub id: HitId,
    /// Whole ticks.
    pub tick: Ticks,
    /// Whole ticks, at least 1.
    pub length: Ticks,
    /// How hard.
    pub velocity: Velocity,
    /// As written.
    pub release: u8,
    /// Which key.
    pub note: Note,
    /// On which channel.
    pub channel: Channel,
    /// The pass that silenced it; such a hit is shown, but does not sound.
    pub silenced: Option<PassId>,
}

impl PlayedHit {
    /// A hit played as it is written.
    pub fn as_written(hit: &Hit) -> PlayedHit {
        let Hit { id, tick, length, velocity, release, note, channel } = *hit;
        PlayedHit { id, tick, length, velocity, release, note, channel, silenced: None }
    }
}

/// What one pass did.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct PassReport {
    /// Which pass.
    pub pass: PassId,
    /// Hits that it aims at.
    pub aimed: u32,
    /// Hits that it changed.
    pub touched: u32,
    /// Hits that it added.
    pub added: u32,
    /// Hits that it silenced.
    pub silenced: u32,
    /// The furthest move in time.
    pub largest_move: Millis,
    /// The mean distance moved in time, of the touched hits.
    pub mean_move: Millis,
    /// The largest change of velocity.
    pub largest_change: f64,
    /// The mean change of velocity, of the touched hits.
    pub mean_change: f64,
    /// What the person should know about it: a metre that a groove was not made for, a pocket that is gone.
    pub said: Option<String>,
}

/// The Played reading of a part and how it came about.
#[derive(Clone, Debug, PartialEq)]
pub struct Performance {
    /// The written hits, in written order, as they are played; behind them those that were added.
    pub hits: Vec<PlayedHit>,
    /// A report for each pass of the recipe that is on.
    pub passes: Vec<PassReport>,
}

impl Performance {
    /// The hits that sound.
    pub fn sounding(&self) -> impl Iterator<Item = &PlayedHit> {
        self.hits.iter().filter(|hit| hit.silenced.is_none())
    }
}

/// Play a part by a recipe. Equal inputs give equal output, to the bit.
pub fn perform(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>) -> Performance {
    let mut stage = Stage::new(part, chart, context);
    let passes = recipe.passes.iter().filter(|pass| pass.on);
    let passes = passes.map(|pass| stage.run(pass, context, |_| ())).collect();
    Performance { hits: stage.settled(context.start), passes }
}

/// The rows of the hits that a pass changes, be it on or off.
pub fn touched_by(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>, wanted: PassId) -> Vec<u32> {
    let mut stage = Stage::new(part, chart, context);
    let mut touched = Vec::new();
    for pass in recipe.passes.iter().filter(|pass| pass.on || pass.id == wanted) {
        if pass.id == wanted {
            stage.run(pass, context, |row| touched.push(row as u32));
            break;
        }
        stage.run(pass, context, |_| ());
    }
    touched
}

/// The rows of the hits that a pass aims at, be it on or off, whether it changes them or not.
pub fn aimed_by(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>, wanted: PassId) -> Vec<u32> {
    let mut stage = Stage::new(part, chart, context);
    for pass in &recipe.passes {
        if pass.id == wanted {
            let dice = Dice::new(context.variation, pass.id, context.round);
            return pass.aim.meant(&stage, &dice).into_iter().map(|row| row as u32).collect();
        }
        if pass.on {
            stage.run(pass, context, |_| ());
        }
    }
    Vec::new()
}

/// The hits in the hands of the passes: columns of real numbers that actions change in place. Rows
/// are the part's hits in written order and behind them what was added.
pub struct Stage<'a> {
    part: &'a Part,
    pub(crate) chart: &'a Chart,
    pub(crate) tempo: &'a TempoMap,
    pub(crate) metre: &'a MetreMap,
    /// Hits that passes added, as they were added.
    added: Vec<Hit>,
    /// The notes of hits that were moved to another instrument.
    renamed: BTreeMap<usize, Note>,
    silenced: BTreeMap<usize, PassId>,
    /// Named stretches of bars.
    pub(crate) sections: &'a [Section],
    /// The song's pockets.
    pub(crate) pockets: &'a Pockets,
    pub(crate) variation: u32,
    pub(crate) round: u32,
    /// Where the stretches begin and end that the pass at work aims at, in ticks; none means all.
    stretches: Vec<(f64, f64)>,
    /// Where each hit begins, in ticks.
    pub onset: Vec<f64>,
    /// How long it lasts, in ticks.
    pub length: Vec<f64>,
    /// How hard it is struck; rounded and held in range at the end only.
    pub velocity: Vec<f64>,
}

impl<'a> Stage<'a> {
    fn new(part: &'a Part, chart: &'a Chart, context: &Context<'a>) -> Stage<'a> {
        let hits = part.hits();
        Stage {
            part,
            chart,
            tempo: context.tempo,
            metre: context.metre,
            added: Vec::new(),
            renamed: BTreeMap::new(),
            silenced: BTreeMap::new(),
            sections: context.sections,
            pockets: context.pockets,
            variation: context.variation,
            round: context.round,
            stretches: Vec::new(),
            onset: hits.iter().map(|hit| hit.tick.0).collect(),
            length: hits.iter().map(|hit| hit.length.0).collect(),
            velocity: hits.iter().map(|hit| f64::from(hit.velocity.get())).collect(),
        }
    }

    /// How many rows there are.
    pub fn rows(&self) -> usize {
        self.onset.len()
    }

    /// The hit as it was written or added.
    pub fn written(&self, row: usize) -> &Hit {
        let hits = self.part.hits();
        if row < hits.len() { &hits[row] } else { &self.added[row - hits.len()] }
    }

    /// Its identity.
    pub fn id(&self, row: usize) -> HitId {
        self.written(row).id
    }

    /// The note that plays it.
    pub fn note(&self, row: usize) -> Note {
        self.renamed.get(&row).copied().unwrap_or(self.written(row).note)
    }

    /// The place of its instrument in the kit.
    #[inline]
    pub fn instrument(&self, row: usize) -> usize {
        match self.chart.instruments.get(row) {
            Some(&index) if self.renamed.is_empty() || !self.renamed.contains_key(&row) => usize::from(index),
            _ => self.chart.instrument_of(self.note(row), self.written(row).channel),
        }
    }

    /// Its instrument; nothing without a kit.
    pub fn instrument_at(&self, row: usize) -> Option<&Instrument> {
        self.chart.kit.instruments.get(self.instrument(row))
    }

    /// The metrical weight of where it was written.
    pub fn weight(&self, row: usize) -> f64 {
        if row < self.part.hits().len() {
            self.chart.weight(self.part, self.metre, row)
        } else {
            self.metre.weight(self.written(row).tick)
        }
    }

    /// Where it was written, in seconds.
    pub fn seconds(&self, row: usize) -> f64 {
        self.tempo.seconds(self.written(row).tick)
    }

    /// Whether every hit is there and plays what it was written for.
    pub(crate) fn is_as_written(&self) -> bool {
        self.added.is_empty() && self.renamed.is_empty()
    }

    /// Whether passes have silenced any hits.
    pub(crate) fn silences(&self) -> bool {
        !self.silenced.is_empty()
    }

    /// Whether a pass has silenced it.
    pub fn is_silenced(&self, row: usize) -> bool {
        self.silenced.contains_key(&row)
    }

    /// All rows in the order in which they were written.
    pub fn in_time(&self) -> Vec<usize> {
        let mut rows: Vec<usize> = (0..self.rows()).collect();
        if !self.added.is_empty() {
            rows.sort_by(|&a, &b| self.order(a, b));
        }
        rows
    }

    fn order(&self, a: usize, b: usize) -> std::cmp::Ordering {
        let (a, b) = (self.written(a), self.written(b));
        a.tick.0.total_cmp(&b.tick.0).then(a.id.cmp(&b.id))
    }

    /// The rows of each instrument that has any, in written order.
    pub fn by_instrument(&self, rows: &[usize]) -> Vec<Vec<usize>> {
        let mut groups = vec![Vec::new(); self.chart.kit.instruments.len().max(1)];
        for &row in rows {
            groups[self.instrument(row)].push(row);
        }
        groups.retain(|group| !group.is_empty());
        if !self.added.is_empty() {
            for group in &mut groups {
                group.sort_by(|&a, &b| self.order(a, b));
            }
        }
        groups
    }

    /// The gap in ms from each hit back to the one before it of its instrument or its limb.
    pub fn gaps(&self, by_limb: bool) -> Vec<f64> {
        aim::gaps(self, by_limb)
    }

    /// The runs of every instrument: chains of sounding hits at most `gap` apart.
    pub fn runs(&self, gap: Millis) -> Vec<Vec<usize>> {
        let all: Vec<usize> = (0..self.rows()).filter(|&row| !self.is_silenced(row)).collect();
        let mut runs = Vec::new();
        for rows in self.by_instrument(&all) {
            let mut run: Vec<usize> = Vec::new();
            let mut before = f64::NEG_INFINITY;
            for row in rows {
                let at = self.seconds(row);
                if !run.is_empty() && (at - before) * 1000.0 > gap.0 + 1e-6 {
                    runs.push(std::mem::take(&mut run));
                }
                run.push(row);
                before = at;
            }
            runs.push(run);
        }
        runs
    }

    /// The aimed rows by the stretches of bars that the pass aims at, each with where it begins and
    /// ends in ticks; without bars in the aim from the first aimed hit to the last.
    pub fn stretches(&self, aimed: &[usize]) -> Vec<(f64, f64, Vec<usize>)> {
        let tick = |row: usize| self.written(row).tick.0;
        if self.stretches.is_empty() {
            let ticks = || aimed.iter().map(|&row| tick(row));
            let from = ticks().fold(f64::INFINITY, f64::min);
            let to = ticks().fold(f64::NEG_INFINITY, f64::max);
            return if aimed.is_empty() { Vec::new() } else { vec![(from, to, aimed.to_vec())] };
        }
        let rows =
            |from: f64, to: f64| aimed.iter().copied().filter(|&row| tick(row) >= from && tick(row) < to).collect();
        self.stretches.iter().map(|&(from, to)| (from, to, rows(from, to))).collect()
    }

    /// The bounds of a velocity layer of a row's instrument, by the layer's name.
    pub fn layer_named(&self, row: usize, name: &str) -> Option<(f64, f64)> {
        let layers = &self.chart.kit.instruments.get(self.instrument(row))?.layers;
        let place = layers.iter().position(|layer| layer.name == name)?;
        let above = layers.get(place + 1).map_or(127.0, |next| f64::from(next.from.get()) - 1.0);
        Some((f64::from(layers[place].from.get()), above))
    }

    /// The bounds of the velocity layer that plays a velocity of a row's instrument.
    pub fn layer_at(&self, row: usize, velocity: f64) -> (f64, f64) {
        let layers = self.chart.kit.instruments.get(self.instrument(row)).map_or(&[][..], |one| &one.layers);
        let within = layers.iter().rev().find(|layer| f64::from(layer.from.get()) <= velocity.round());
        within.and_then(|layer| self.layer_named(row, &layer.name)).unwrap_or((1.0, 127.0))
    }

    /// Moves a row's hit in time, at the tempo that reigns there.
    pub fn move_by(&mut self, row: usize, time: Millis) {
        self.onset[row] += self.tempo.ticks_of(time, Ticks(self.onset[row])).0;
    }

    /// Adds a hit.
    pub fn add(&mut self, hit: Hit) {
        self.onset.push(hit.tick.0);
        self.length.push(hit.length.0);
        self.velocity.push(f64::from(hit.velocity.get()));
        self.added.push(hit);
    }

    /// Keeps a row's hit from sounding.
    pub fn silence(&mut self, row: usize, by: PassId) {
        self.silenced.entry(row).or_insert(by);
    }

    /// Has another note play a row's hit.
    pub fn rename(&mut self, row: usize, note: Note) {
        self.renamed.insert(row, note);
    }

    fn run(&mut self, pass: &Pass, context: &Context<'_>, mut touch: impl FnMut(usize)) -> PassReport {
        let dice = Dice::new(context.variation, pass.id, context.round);
        let aimed = pass.aim.meant(self, &dice);
        let (rows, silent, renamed) = (self.rows(), self.silenced.len(), self.renamed.clone());
        self.stretches = pass.aim.stretches(self.metre, self.sections);
        let was = Was::of(self, &aimed, &pass.action);
        pass.action.act(self, &aimed, &dice);

        let mut report = PassReport {
            pass: pass.id,
            aimed: aimed.len() as u32,
            touched: 0,
            added: (self.rows() - rows) as u32,
            silenced: (self.silenced.len() - silent) as u32,
            largest_move: Millis(0.0),
            mean_move: Millis(0.0),
            largest_change: 0.0,
            mean_change: 0.0,
            said: pass.action.said(self),
        };
        let otherwise = self.silences() || !self.renamed.is_empty();
        for (place, &row) in aimed.iter().enumerate() {
            let change = was.velocity.get(place).map_or(0.0, |was| (self.velocity[row] - was).abs());
            let moved = was.onset.get(place).map_or(0.0, |was| (self.onset[row] - was).abs());
            let longer = was.length.get(place).is_some_and(|&was| self.length[row] != was);
            let otherwise =
                otherwise && (renamed.get(&row) != self.renamed.get(&row) || self.silenced.get(&row) == Some(&pass.id));
            if change == 0.0 && moved == 0.0 && !longer && !otherwise {
                continue;
            }
            touch(row);
            report.touched += 1;
            report.largest_change = report.largest_change.max(change);
            report.mean_change += change;
            if moved > 0.0 {
                let moved = self.tempo.millis_of(Ticks(moved), Ticks(self.onset[row]));
                report.largest_move = Millis(report.largest_move.0.max(moved.0));
                report.mean_move += moved;
            }
        }
        (rows..self.rows()).for_each(touch);
        let touched = f64::from(report.touched.max(1));
        report.mean_move = report.mean_move * (1.0 / touched);
        report.mean_change /= touched;
        report
    }

    fn settled(self, start: Ticks) -> Vec<PlayedHit> {
        let draft = |row: usize| {
            let hit = *self.written(row);
            let is_new = row >= self.part.hits().len() || self.renamed.contains_key(&row);
            let draft = Draft { onset: self.onset[row], length: self.length[row], is_new };
            (Hit { note: self.note(row), ..hit }, draft)
        };
        let times = if self.silenced.is_empty() && self.added.is_empty() {
            settle((0..self.rows()).map(draft), start)
        } else {
            // Silenced hits make no room and need none; added ones stand where they belong.
            let mut order = self.in_time();
            order.retain(|row| !self.silenced.contains_key(row));
            let settled = settle(order.iter().copied().map(draft), start);
            let as_meant = |row: usize| (whole(self.onset[row]).max(start.0), whole(self.length[row]).max(1.0));
            let mut times: Vec<(f64, f64)> = (0..self.rows()).map(as_meant).collect();
            for (row, time) in order.into_iter().zip(settled) {
                times[row] = time;
            }
            times
        };
        let played = |(row, (tick, length)): (usize, (f64, f64))| {
            let hit = self.written(row);
            PlayedHit {
                id: hit.id,
                tick: Ticks(tick),
                length: Ticks(length),
                velocity: Velocity::rounded(self.velocity[row]),
                release: hit.release,
                note: self.note(row),
                channel: hit.channel,
                silenced: self.silenced.get(&row).copied(),
            }
        };
        times.into_iter().enumerate().map(played).collect()
    }
}

/// What the aimed rows were before a pass, in the columns that its action may change.
struct Was {
    onset: Vec<f64>,
    length: Vec<f64>,
    velocity: Vec<f64>,
}

impl Was {
    /// An action changes the columns of its own family alone; by hand anything can change, and a groove
    /// has accents, too.
    fn of(stage: &Stage<'_>, aimed: &[usize], action: &Action) -> Was {
        let family = match action {
            Action::Groove(_) | Action::Pocket(_) => ActionFamily::Hand,
            other => other.info().family,
        };
        let of = |column: &[f64], changes: bool| match changes {
            true => aimed.iter().map(|&row| column[row]).collect(),
            false => Vec::new(),
        };
        Was {
            onset: of(&stage.onset, family != ActionFamily::Touch),
            length: of(&stage.length, family != ActionFamily::Touch),
            velocity: of(&stage.velocity, family != ActionFamily::Time),
        }
    }
}

#[cfg(test)]
pub(crate) mod testing {
    //! A small stage for the worked examples: a closed hat in 16ths at 120 bpm, 960 ppq.

    use super::*;
    use crate::action::Action;
    use crate::aim::Aim;
    use crate::kit::Kit;
    use crate::units::Ppq;

    pub fn sixteenths(velocities: &[u8]) -> Part {
        let hit = |(index, &velocity): (usize, &u8)| Hit {
            id: HitId(index as u32),
            tick: Ticks(240.0 * index as f64),
            length: Ticks(120.0),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(42).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(velocities.iter().enumerate().map(hit).collect())
    }

    pub fn play(part: &Part, action: Action) -> Vec<PlayedHit> {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context::new(&tempo, &metre);
        let recipe = Recipe { passes: vec![Pass::new(1, Aim::everything(), action)] };
        perform(part, &Chart::new(part, Kit::of_drums(part)), &recipe, &context).hits
    }
}
