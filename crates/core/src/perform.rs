//! From Written to Played: one pure function.

use crate::action::ActionFamily;
use crate::dice::Dice;
use crate::hit::{HitId, Part};
use crate::kit::Kit;
use crate::metre::MetreMap;
use crate::recipe::{Pass, PassId, Recipe};
use crate::settle::{Draft, settle};
use crate::tempo::TempoMap;
use crate::units::{Channel, Millis, Note, Ticks, Velocity};
use serde::Serialize;
use std::cell::OnceCell;
use ts_rs::TS;

/// All that a performance depends on besides the part, the kit and the recipe.
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
}

/// One hit as it is played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlayedHit {
    /// The written hit's.
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
    /// The furthest move in time.
    pub largest_move: Millis,
    /// The mean distance moved in time, of the touched hits.
    pub mean_move: Millis,
    /// The largest change of velocity.
    pub largest_change: f64,
    /// The mean change of velocity, of the touched hits.
    pub mean_change: f64,
}

/// The Played reading of a part and how it came about.
#[derive(Clone, Debug, PartialEq)]
pub struct Performance {
    /// The written hits, in written order, as they are played.
    pub hits: Vec<PlayedHit>,
    /// A report for each pass of the recipe that is on.
    pub passes: Vec<PassReport>,
}

/// Play a part by a recipe. Equal inputs give equal output, to the bit.
pub fn perform(part: &Part, kit: &Kit, recipe: &Recipe, context: &Context<'_>) -> Performance {
    let mut stage = Stage::new(part, kit, context);
    let passes = recipe.passes.iter().filter(|pass| pass.on);
    let passes = passes.map(|pass| stage.run(pass, context, |_| ())).collect();
    Performance { hits: stage.settled(context.start), passes }
}

/// The places (in the part) of the hits that a pass changes, be it on or off.
pub fn touched_by(part: &Part, kit: &Kit, recipe: &Recipe, context: &Context<'_>, wanted: PassId) -> Vec<u32> {
    let mut stage = Stage::new(part, kit, context);
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

/// The hits in the hands of the passes: columns of real numbers that actions change in place.
pub struct Stage<'a> {
    part: &'a Part,
    kit: &'a Kit,
    tempo: &'a TempoMap,
    metre: &'a MetreMap,
    instrument: Vec<usize>,
    weights: OnceCell<Vec<f64>>,
    /// Where each hit begins, in ticks.
    pub onset: Vec<f64>,
    /// How long it lasts, in ticks.
    pub length: Vec<f64>,
    /// How hard it is struck; rounded and held in range at the end only.
    pub velocity: Vec<f64>,
}

impl<'a> Stage<'a> {
    fn new(part: &'a Part, kit: &'a Kit, context: &Context<'a>) -> Stage<'a> {
        let lookup = kit.lookup();
        let hits = part.hits();
        Stage {
            part,
            kit,
            tempo: context.tempo,
            metre: context.metre,
            instrument: hits.iter().map(|hit| lookup.instrument(hit.note, hit.channel).unwrap_or(0)).collect(),
            weights: OnceCell::new(),
            onset: hits.iter().map(|hit| hit.tick.0).collect(),
            length: hits.iter().map(|hit| hit.length.0).collect(),
            velocity: hits.iter().map(|hit| f64::from(hit.velocity.get())).collect(),
        }
    }

    /// The identity of a row's hit.
    pub fn id(&self, row: usize) -> HitId {
        self.part.hits()[row].id
    }

    /// The metrical weight of where the row's hit was written.
    pub fn weight(&self, row: usize) -> f64 {
        let all = || self.part.hits().iter().map(|hit| self.metre.weight(hit.tick)).collect();
        self.weights.get_or_init(all)[row]
    }

    /// The rows of each instrument that has any, in written order.
    pub fn by_instrument(&self, rows: &[usize]) -> Vec<Vec<usize>> {
        let mut groups = vec![Vec::new(); self.kit.instruments.len().max(1)];
        for &row in rows {
            groups[self.instrument[row]].push(row);
        }
        groups.retain(|group| !group.is_empty());
        groups
    }

    /// Moves a row's hit in time, at the tempo that reigns there.
    pub fn move_by(&mut self, row: usize, time: Millis) {
        self.onset[row] += self.tempo.ticks_of(time, Ticks(self.onset[row])).0;
    }

    fn run(&mut self, pass: &Pass, context: &Context<'_>, mut touch: impl FnMut(usize)) -> PassReport {
        let meant = pass.aim.meant(self.part, self.kit, self.metre, &self.instrument);
        let aimed: Vec<usize> = (0..meant.len()).filter(|&row| meant[row]).collect();
        // An action changes the columns of its own family alone.
        let in_time = pass.action.info().family == ActionFamily::Time;
        let columns = |stage: &Stage<'_>, row: usize| match in_time {
            true => (stage.onset[row], stage.length[row]),
            false => (stage.velocity[row], 0.0),
        };
        let before: Vec<(f64, f64)> = aimed.iter().map(|&row| columns(self, row)).collect();
        pass.action.act(self, &aimed, &Dice::new(context.variation, pass.id, context.round));

        let mut report = PassReport {
            pass: pass.id,
            aimed: aimed.len() as u32,
            touched: 0,
            largest_move: Millis(0.0),
            mean_move: Millis(0.0),
            largest_change: 0.0,
            mean_change: 0.0,
        };
        for (&row, &was) in aimed.iter().zip(&before) {
            let now = columns(self, row);
            if now == was {
                continue;
            }
            touch(row);
            report.touched += 1;
            let by = (now.0 - was.0).abs();
            if in_time {
                let moved = self.tempo.millis_of(Ticks(by), Ticks(was.0));
                report.largest_move = Millis(report.largest_move.0.max(moved.0));
                report.mean_move += moved;
            } else {
                report.largest_change = report.largest_change.max(by);
                report.mean_change += by;
            }
        }
        let touched = f64::from(report.touched.max(1));
        report.mean_move = report.mean_move * (1.0 / touched);
        report.mean_change /= touched;
        report
    }

    fn settled(self, start: Ticks) -> Vec<PlayedHit> {
        let drafts = (0..self.onset.len()).map(|row| Draft { onset: self.onset[row], length: self.length[row] });
        let settled = settle(self.part.hits(), drafts, start);
        let rows = self.part.hits().iter().zip(settled).zip(&self.velocity);
        rows.map(|((hit, (tick, length)), &velocity)| PlayedHit {
            id: hit.id,
            tick: Ticks(tick),
            length: Ticks(length),
            velocity: Velocity::rounded(velocity),
            release: hit.release,
            note: hit.note,
            channel: hit.channel,
        })
        .collect()
    }
}

#[cfg(test)]
pub(crate) mod testing {
    //! A small stage for the worked examples: a closed hat in 16ths at 120 bpm, 960 ppq.

    use super::*;
    use crate::action::Action;
    use crate::aim::Aim;
    use crate::hit::Hit;
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
        let context = Context { tempo: &tempo, metre: &metre, variation: 1, round: 0, start: Ticks(0.0) };
        let recipe = Recipe { passes: vec![Pass::new(1, Aim::everything(), action)] };
        perform(part, &Kit::of_drums(part), &recipe, &context).hits
    }
}
