//! From Written to Played: one pure function.

pub(crate) mod dice;
pub(crate) mod drift;
mod group;
pub(crate) mod lanes;
pub(crate) mod limbs;
pub(crate) mod loudest;
pub(crate) mod mishits;
pub(crate) mod openness;
pub(crate) mod room;
mod run;
pub(crate) mod settle;
pub(crate) mod sounding;
pub(crate) mod strokes;
pub(crate) mod touch;

pub use self::run::{Rehearsal, aimed_by, perform, touched, touched_by};
use crate::base::property::{Movement, Property};
use crate::base::units::{Channel, Millis, Note, Ticks, Velocity, whole};
use crate::kit::chart::Chart;
use crate::kit::chart::key;
use crate::kit::{Articulation, Hand, Instrument, Striking, VelocityLayer};
use crate::part::hit::{Hit, HitId, Part};
use crate::part::lane::{GoesWith, Lane, LaneKind};
use crate::perform::lanes::PlayedLane;
use crate::perform::room::{LeftOut, LeftOuts};
use crate::perform::run::Was;
use crate::perform::settle::{Draft, settle};
use crate::perform::strokes::StrokeRun;
use crate::recipe::PassId;
use crate::recipe::action::Pockets;
use crate::time::lines::Lines;
use crate::time::metre::MetreMap;
use crate::time::reference::lines_at;
use crate::time::section::Section;
use crate::time::swung::MovesBy;
use crate::time::tempo::TempoMap;
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
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
    /// The part's lanes as they were written.
    pub lanes: &'a [Lane],
}

static NO_POCKETS: Pockets = Pockets::new();

impl<'a> Context<'a> {
    /// Variation 1, the first round, from 0 on, without sections or pockets.
    pub fn new(tempo: &'a TempoMap, metre: &'a MetreMap) -> Context<'a> {
        Context {
            tempo,
            metre,
            variation: 1,
            round: 0,
            start: Ticks(0.0),
            sections: &[],
            pockets: &NO_POCKETS,
            lanes: &[],
        }
    }
}

/// A hand or a foot.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Side {
    Left,
    Right,
}

impl Side {
    /// The other one.
    pub fn other(self) -> Side {
        if self == Side::Left { Side::Right } else { Side::Left }
    }
}

/// One hit as it is played.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlayedHit {
    /// The written hit's, or that of the made one.
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
    /// The hand or foot that a pass gave it to.
    pub hand: Option<Side>,
    /// How it moves in pitch, place, level and brightness.
    pub movement: Movement,
}

impl PlayedHit {
    /// A hit played as it is written.
    pub fn as_written(hit: &Hit) -> PlayedHit {
        let Hit { id, tick, length, velocity, release, note, channel } = *hit;
        let (silenced, hand, movement) = (None, None, Movement::NONE);
        PlayedHit { id, tick, length, velocity, release, note, channel, silenced, hand, movement }
    }
}

/// A hit that a pass put there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MadeHit {
    /// How it is played.
    pub played: PlayedHit,
    /// The pass that made it.
    pub pass: PassId,
    /// The hit that it was made from; nothing where it stands by itself.
    pub parent: Option<HitId>,
    /// Where it belongs in the metre; aims, weights, gaps and runs use it.
    pub anchor: Ticks,
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
    /// Hits that it would have added, had there been room; `said` says why there was none.
    pub left_out: u32,
    /// The furthest move in time.
    pub largest_move: Millis,
    /// The mean distance moved in time, of the touched hits.
    pub mean_move: Millis,
    /// The largest change of velocity, or of the property that it shapes, in its unit.
    pub largest_change: f64,
    /// The mean change of it, of the touched hits.
    pub mean_change: f64,
    /// The values of its lane that it changed, wrote or left out, where it has one.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub lane_values: Option<u32>,
    /// What the person should know about it: a metre that a groove was not made for, a pocket that is gone.
    pub said: Option<String>,
    /// Why it silenced which hits, where it has reasons.
    pub reasons: Vec<Reason>,
    /// The line that it draws over the song, as \[bar, so much louder\]: bars from 1, two points of one bar where it
    /// jumps, level behind the last.
    pub line: Option<Vec<[f64; 2]>>,
    /// The curves that it draws over the stretches that it aims at, as \[tick, value\].
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<Vec<[f64; 2]>>>")]
    pub curves: Vec<Vec<[f64; 2]>>,
    /// The lines that it moves hits by.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub moves_by: Option<MovesBy>,
}

/// Why a pass silenced some hits.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Reason {
    /// In words.
    pub why: String,
    /// Which hits.
    pub hits: Vec<HitId>,
}

/// The Played reading of a part and how it came about.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Performance {
    /// The written hits, in written order, as they are played.
    pub written: Vec<PlayedHit>,
    /// The hits that passes made, in the order in which they were made.
    pub made: Vec<MadeHit>,
    /// A report for each pass of the recipe that is on.
    pub passes: Vec<PassReport>,
    /// The part's lanes, and those that passes drew.
    pub lanes: Vec<PlayedLane>,
}

impl Performance {
    /// All hits, the written ones in front.
    pub fn hits(&self) -> impl Iterator<Item = &PlayedHit> + Clone {
        self.written.iter().chain(self.made.iter().map(|made| &made.played))
    }

    /// The hits that sound.
    pub fn sounding(&self) -> impl Iterator<Item = &PlayedHit> + Clone {
        self.hits().filter(|hit| hit.silenced.is_none())
    }
}

/// A hit that an action makes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Making {
    /// What it is made from.
    pub of: Origin,
    /// Where it belongs in the metre.
    pub anchor: Ticks,
    /// Where it sounds.
    pub onset: Ticks,
    /// How long it sounds.
    pub length: Ticks,
    /// How hard it is struck.
    pub velocity: f64,
    /// Which key.
    pub note: Note,
    /// On which channel.
    pub channel: Channel,
}

/// What a hit is made from; its identity hangs on that.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// Nothing: it has an id of its own.
    Itself(HitId),
    /// The hit at an index; it is so many-th of those that the pass makes from it.
    Parent {
        /// Its index.
        index: usize,
        /// Counted from 0.
        ordinal: u32,
    },
}

/// What is known of a made hit besides the columns.
#[derive(Clone, Copy, Debug)]
struct Made {
    pass: PassId,
    parent: Option<HitId>,
    anchor: f64,
    /// Where it would sound if its parent stood where it was written: its place in the written order.
    stands: f64,
    length: f64,
    /// The index of the hit that it is a grace note of.
    leads_to: Option<u32>,
}

/// The hits in the hands of the passes, in columns that actions change in place. An **index** is a place in
/// all of them: the part's hits in written order, and behind them what passes have made.
#[derive(Clone)]
pub struct Stage<'a> {
    part: &'a Part,
    pub(crate) chart: &'a Chart,
    pub(crate) tempo: &'a TempoMap,
    pub(crate) metre: &'a MetreMap,
    /// Named stretches of bars.
    pub(crate) sections: &'a [Section],
    /// The song's pockets.
    pub(crate) pockets: &'a Pockets,
    pub(crate) variation: u32,
    /// The round that the dice of the pass at work hang on.
    pub(crate) round: u32,
    /// Where the stretches begin and end that the pass at work aims at, in ticks; none means all.
    stretches: Vec<(f64, f64)>,
    made: Vec<Made>,
    /// The ids of what was made, so that none is there twice.
    made_ids: FxHashSet<HitId>,
    /// All indices in written order, where something was made.
    order: Vec<u32>,
    id: Vec<HitId>,
    note: Vec<Note>,
    channel: Vec<Channel>,
    instrument: Vec<Option<u16>>,
    silenced: Vec<Option<PassId>>,
    /// How many are silenced, and how many play another note than they were written or made with.
    silent: usize,
    renamed: usize,
    was: Was,
    left_out: LeftOuts,
    /// What the pass at work has silenced, by the reason.
    reasons: BTreeMap<String, Vec<HitId>>,
    /// What it lets sound again.
    recalled: Vec<HitId>,
    /// What the pass at work has to say.
    says: Option<String>,
    /// The hand or foot that a pass gave each hit to.
    pub(crate) hand: Vec<Option<Side>>,
    /// Where each hit begins, in ticks.
    pub onset: Vec<f64>,
    /// How long it lasts, in ticks.
    pub length: Vec<f64>,
    /// How hard it is struck; rounded and held in range at the end only.
    pub velocity: Vec<f64>,
    /// How it moves, by the places of [`Property::MOVEMENT`]; a column is empty, or short, where nothing moves.
    movement: [Vec<f64>; 4],
    lanes: Vec<StagedLane<'a>>,
    /// How many values of a lane the pass at work changed.
    lane_values: usize,
}

/// A lane in the hands of the passes.
#[derive(Clone)]
struct StagedLane<'a> {
    lane: Cow<'a, Lane>,
    drawn: bool,
    goes_with: GoesWith,
    /// It was made where the hits are played, and is not carried to where they are once more.
    for_played: bool,
}

impl StagedLane<'_> {
    fn played(self, part: &Part, chart: &Chart, hits: &[PlayedHit]) -> PlayedLane {
        let StagedLane { lane, drawn, goes_with, for_played } = self;
        let moves = goes_with == GoesWith::Hits && !for_played;
        let lane = if moves {
            let ticks = lane.carried(part, hits, chart);
            let values = ticks.into_iter().map(f64::round).zip(lane.values().iter().copied());
            Lane::new(lane.kind, values.collect())
        } else {
            lane.into_owned()
        };
        PlayedLane { lane: if drawn { lane.rounded() } else { lane }, goes_with, drawn }
    }
}

impl<'a> Stage<'a> {
    fn new(part: &'a Part, chart: &'a Chart, context: &Context<'a>) -> Stage<'a> {
        let hits = part.hits();
        Stage {
            part,
            chart,
            tempo: context.tempo,
            metre: context.metre,
            sections: context.sections,
            pockets: context.pockets,
            variation: context.variation,
            round: context.round,
            stretches: Vec::new(),
            made: Vec::new(),
            made_ids: FxHashSet::default(),
            order: Vec::new(),
            id: hits.iter().map(|hit| hit.id).collect(),
            note: hits.iter().map(|hit| hit.note).collect(),
            channel: hits.iter().map(|hit| hit.channel).collect(),
            instrument: chart.instruments.clone(),
            silenced: vec![None; hits.len()],
            silent: 0,
            renamed: 0,
            was: Was::default(),
            left_out: LeftOuts::default(),
            reasons: BTreeMap::new(),
            recalled: Vec::new(),
            says: None,
            hand: vec![None; hits.len()],
            onset: hits.iter().map(|hit| hit.tick.0).collect(),
            length: hits.iter().map(|hit| hit.length.0).collect(),
            velocity: hits.iter().map(|hit| f64::from(hit.velocity.get())).collect(),
            movement: Default::default(),
            lanes: context.lanes.iter().map(Stage::staged).collect(),
            lane_values: 0,
        }
    }

    fn staged(lane: &'a Lane) -> StagedLane<'a> {
        let goes_with = lane.kind.usually_goes_with();
        StagedLane { lane: Cow::Borrowed(lane), drawn: false, goes_with, for_played: false }
    }

    fn staged_lane(&mut self, kind: LaneKind) -> &mut StagedLane<'a> {
        let place = self.lanes.iter().position(|one| one.lane.kind == kind).unwrap_or_else(|| {
            let goes_with = kind.usually_goes_with();
            let lane = Cow::Owned(Lane::empty(kind));
            self.lanes.push(StagedLane { lane, drawn: false, goes_with, for_played: false });
            self.lanes.len() - 1
        });
        &mut self.lanes[place]
    }

    /// Whether there are values of a lane.
    pub(crate) fn has_lane(&self, kind: LaneKind) -> bool {
        self.lanes.iter().any(|one| one.lane.kind == kind && !one.lane.is_empty())
    }

    /// A lane, to be changed.
    pub(crate) fn lane(&mut self, kind: LaneKind) -> &mut Lane {
        self.staged_lane(kind).lane.to_mut()
    }

    /// Puts other values into a stretch of a lane; the last of them holds until the lane's next one.
    pub(crate) fn redraw(&mut self, kind: LaneKind, from: f64, to: f64, values: &[(f64, f64)]) {
        if to <= from || values.is_empty() {
            return;
        }
        let there = self.staged_lane(kind).lane.len();
        if there + values.len() > Lane::MOST {
            let (name, most) = (kind.name(), Lane::MOST);
            self.say(format!("This could make more than {most} values of {name}; draw less of it. It makes none."));
            return;
        }
        let written = self.lane(kind).replace(from, to, values);
        self.count_values(kind, written);
    }

    /// Values of a lane that the pass at work changed.
    pub(crate) fn count_values(&mut self, kind: LaneKind, values: usize) {
        self.lane_values += values;
        self.staged_lane(kind).drawn |= values > 0;
    }

    /// Lets a lane go with the hits, or stay.
    pub(crate) fn anchor_lane(&mut self, kind: LaneKind, goes_with: GoesWith) {
        if self.has_lane(kind) {
            self.staged_lane(kind).goes_with = goes_with;
        }
    }

    /// A lane lies where the hits are played already.
    pub(crate) fn made_for_played(&mut self, kind: LaneKind) {
        self.staged_lane(kind).for_played = true;
    }

    /// Where the stretches begin and end that the pass at work aims at, in ticks: without any from 0 on, for ever.
    pub(crate) fn lane_stretches(&self) -> Vec<(f64, f64)> {
        if self.stretches.is_empty() { vec![(0.0, f64::INFINITY)] } else { self.stretches.clone() }
    }

    /// The bar line behind the part and its lanes, in ticks.
    pub(crate) fn lanes_end(&self) -> f64 {
        let last = self.lanes.iter().filter_map(|one| one.lane.ticks().last().copied());
        let end = last.fold(self.part.end().0, |end, tick| end.max(tick + 1.0));
        let bar = self.metre.bar_at(Ticks((end - 1.0).max(0.0)));
        bar.start.0 + bar.length.0
    }

    /// How much a hit has of a property.
    #[inline]
    pub fn value(&self, property: Property, index: usize) -> f64 {
        match property.column() {
            None => self.velocity[index],
            Some(column) => self.movement[column].get(index).copied().unwrap_or(0.0),
        }
    }

    /// How much each hit has of a property, to be changed.
    #[inline]
    pub fn values(&mut self, property: Property) -> &mut [f64] {
        let count = self.count();
        match property.column() {
            None => &mut self.velocity,
            Some(column) => {
                let column = &mut self.movement[column];
                if column.len() < count {
                    column.resize(count, 0.0);
                }
                column
            }
        }
    }

    fn movement(&self, index: usize) -> Movement {
        if self.movement.iter().all(Vec::is_empty) {
            return Movement::NONE;
        }
        Movement::rounded(Property::MOVEMENT.map(|property| self.value(property, index)))
    }

    /// How many hits there are.
    pub fn count(&self) -> usize {
        self.onset.len()
    }

    fn made_at(&self, index: usize) -> Option<&Made> {
        self.made.get(index.wrapping_sub(self.part.hits().len()))
    }

    /// Where it belongs in the metre: where it was written, or the anchor that it was made with.
    pub fn anchor(&self, index: usize) -> Ticks {
        self.made_at(index).map_or_else(|| self.part.hits()[index].tick, |made| Ticks(made.anchor))
    }

    /// Where it would belong if the lines that its instrument is meant for were straight: what slots of the bar are told by.
    pub(crate) fn straightened(&self, index: usize) -> Ticks {
        let meant = self.chart.meant(self.part, self.metre, self.tempo);
        match self.made_at(index) {
            None => {
                let at = self.part.hits()[index].tick;
                let off = meant.lines[index] - meant.straight[index];
                if off == 0.0 { at } else { Ticks(at.0 - off) }
            }
            Some(made) => {
                let (line, straight) = meant.line_at(self.metre, self.instrument(index), Ticks(made.anchor));
                Ticks(made.anchor - (line - straight))
            }
        }
    }

    /// Its place in the written order, in ticks.
    fn stands(&self, index: usize) -> f64 {
        self.made_at(index).map_or_else(|| self.part.hits()[index].tick.0, |made| made.stands)
    }

    /// How long it was when it was written or made.
    pub fn first_length(&self, index: usize) -> Ticks {
        self.made_at(index).map_or_else(|| self.part.hits()[index].length, |made| Ticks(made.length))
    }

    /// Its identity.
    pub fn id(&self, index: usize) -> HitId {
        self.id[index]
    }

    /// The note that plays it.
    pub fn note(&self, index: usize) -> Note {
        self.note[index]
    }

    /// The channel that it is on.
    pub fn channel(&self, index: usize) -> Channel {
        self.channel[index]
    }

    /// The place of its instrument in the kit; nothing where the kit does not know its note.
    #[inline]
    pub fn instrument(&self, index: usize) -> Option<usize> {
        self.instrument[index].map(usize::from)
    }

    /// Its instrument; nothing where the kit does not know its note.
    pub fn instrument_at(&self, index: usize) -> Option<&Instrument> {
        self.chart.kit.instruments.get(self.instrument(index)?)
    }

    /// The metrical weight of where it belongs.
    pub fn weight(&self, index: usize) -> f64 {
        match self.made_at(index) {
            None => self.chart.weight(self.part, self.metre, index),
            Some(made) => self.metre.weight(Ticks(made.anchor)),
        }
    }

    /// Where it belongs, in quarter notes.
    pub(crate) fn quarters(&self, index: usize) -> f64 {
        self.anchor(index).0 / self.metre.ppq().as_f64()
    }

    /// Where it belongs, in seconds.
    pub fn seconds(&self, index: usize) -> f64 {
        self.tempo.seconds(self.anchor(index))
    }

    /// Whether every hit is there and plays what it was written for.
    pub(crate) fn is_as_written(&self) -> bool {
        self.made.is_empty() && self.renamed == 0
    }

    /// Whether passes have silenced any hits.
    pub(crate) fn silences(&self) -> bool {
        self.silent > 0
    }

    /// Whether a pass has silenced it.
    pub fn is_silenced(&self, index: usize) -> bool {
        self.silenced[index].is_some()
    }

    /// All indices in the order in which they were written.
    pub fn in_time(&self) -> Vec<usize> {
        if self.made.is_empty() {
            return (0..self.count()).collect();
        }
        self.order.iter().map(|&index| index as usize).collect()
    }

    /// Puts some indices into written order.
    fn sort(&self, indices: &mut [usize]) {
        indices.sort_by(|&a, &b| self.stands(a).total_cmp(&self.stands(b)).then(self.id[a].cmp(&self.id[b])));
    }

    /// Some indices in the order in which they were written.
    pub(crate) fn ordered(&self, indices: &[usize]) -> Vec<usize> {
        if self.made.is_empty() {
            return indices.to_vec();
        }
        let mut wanted = vec![false; self.count()];
        indices.iter().for_each(|&index| wanted[index] = true);
        self.order.iter().map(|&index| index as usize).filter(|&index| wanted[index]).collect()
    }

    /// Puts what was made from an index on among what was in order before.
    fn put_in_order(&mut self, from: usize) {
        let old = if self.order.is_empty() { (0..from as u32).collect() } else { std::mem::take(&mut self.order) };
        let place = |index: usize| (self.stands(index), self.id[index]);
        let before = |a: &(f64, HitId), b: &(f64, HitId)| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).is_lt();
        let mut new: Vec<usize> = (from..self.count()).collect();
        self.sort(&mut new);
        let mut new = new.into_iter().map(|index| (place(index), index)).peekable();
        let mut order = Vec::with_capacity(self.count());
        for index in old {
            let here = place(index as usize);
            while let Some((_, made)) = new.next_if(|(there, _)| before(there, &here)) {
                order.push(made as u32);
            }
            order.push(index);
        }
        order.extend(new.map(|(_, made)| made as u32));
        self.order = order;
    }

    /// The indices of each instrument that has any, in written order. Notes that the kit does not know are
    /// an instrument each.
    pub fn by_instrument(&self, indices: &[usize]) -> Vec<Vec<usize>> {
        let mut groups = vec![Vec::new(); self.chart.kit.instruments.len()];
        let mut unknown: BTreeMap<Note, Vec<usize>> = BTreeMap::new();
        for &index in indices {
            match self.instrument(index) {
                Some(instrument) => groups[instrument].push(index),
                None => unknown.entry(self.note[index]).or_default().push(index),
            }
        }
        groups.retain(|group| !group.is_empty());
        groups.extend(unknown.into_values());
        if !self.made.is_empty() {
            groups.iter_mut().for_each(|group| self.sort(group));
        }
        groups
    }

    /// The indices of what sounds, in written order.
    pub fn sounding(&self) -> Vec<usize> {
        let mut all = self.in_time();
        if self.silences() {
            all.retain(|&index| !self.is_silenced(index));
        }
        all
    }

    /// The gap in ms from each hit's stroke back to the one before it of its instrument or its limb.
    pub fn gaps(&self, by_limb: bool) -> Vec<f64> {
        strokes::gaps(self, by_limb)
    }

    /// The runs of every instrument: chains of strokes at most `gap` apart.
    pub fn runs(&self, gap: Millis) -> Vec<StrokeRun> {
        strokes::runs(self, gap)
    }

    /// The aimed hits by the stretches of bars that the pass aims at, each with where it begins and
    /// ends in ticks; without bars in the aim from the first aimed hit to the last.
    pub fn stretches(&self, aimed: &[usize]) -> Vec<(f64, f64, Vec<usize>)> {
        let tick = |index: usize| self.anchor(index).0;
        if self.stretches.is_empty() {
            let ticks = || aimed.iter().map(|&index| tick(index));
            let from = ticks().fold(f64::INFINITY, f64::min);
            let to = ticks().fold(f64::NEG_INFINITY, f64::max);
            return if aimed.is_empty() { Vec::new() } else { vec![(from, to, aimed.to_vec())] };
        }
        // They are in order, and apart.
        let mut all: Vec<_> = self.stretches.iter().map(|&(from, to)| (from, to, Vec::new())).collect();
        for &index in aimed {
            let begun = all.partition_point(|&(from, ..)| from <= tick(index));
            if let Some((_, to, within)) = begun.checked_sub(1).map(|place| &mut all[place])
                && tick(index) < *to
            {
                within.push(index);
            }
        }
        all
    }

    fn layers(&self, index: usize) -> &[VelocityLayer] {
        self.instrument_at(index).map_or(&[][..], |one| &one.layers)
    }

    /// The bounds of a velocity layer of a hit's instrument, by the layer's name.
    pub fn layer_named(&self, index: usize, name: &str) -> Option<(f64, f64)> {
        let layers = self.layers(index);
        let place = layers.iter().position(|layer| layer.name == name)?;
        let above = layers.get(place + 1).map_or(127.0, |next| f64::from(next.from.get()) - 1.0);
        Some((f64::from(layers[place].from.get()), above))
    }

    /// The bounds of the velocity layer that plays a velocity of a hit's instrument.
    pub fn layer_at(&self, index: usize, velocity: f64) -> (f64, f64) {
        let mut layers = self.layers(index).iter().rev();
        let within = layers.find(|layer| f64::from(layer.from.get()) <= velocity.round());
        within.and_then(|layer| self.layer_named(index, &layer.name)).unwrap_or((1.0, 127.0))
    }

    /// Moves a hit in time, at the tempo that reigns there.
    pub fn move_by(&mut self, index: usize, time: Millis) {
        self.onset[index] += self.tempo.ticks_of(time, Ticks(self.onset[index])).0;
    }

    /// Makes a hit. One whose id is there already is not made: answers whether it was.
    pub fn make(&mut self, by: PassId, hit: Making) -> bool {
        let (id, parent) = match hit.of {
            Origin::Itself(id) => (id, None),
            Origin::Parent { index, ordinal } => (HitId::made(by, self.id[index], ordinal), Some(index)),
        };
        if !self.made_ids.insert(id) {
            return false;
        }
        let stands = parent.map_or(hit.onset.0, |parent| self.stands(parent) + hit.onset.0 - self.onset[parent]);
        let parent = parent.map(|parent| self.id[parent]);
        self.made.push(Made { pass: by, parent, anchor: hit.anchor.0, stands, length: hit.length.0, leads_to: None });
        self.id.push(id);
        self.note.push(hit.note);
        self.channel.push(hit.channel);
        self.instrument.push(self.chart.instrument_of(hit.note, hit.channel).map(|place| place as u16));
        self.silenced.push(None);
        self.hand.push(None);
        self.onset.push(hit.onset.0);
        self.length.push(hit.length.0);
        self.velocity.push(hit.velocity);
        true
    }

    /// What was made last is a grace note of a hit.
    pub(crate) fn made_grace_of(&mut self, index: usize) {
        if let Some(made) = self.made.last_mut() {
            made.leads_to = Some(index as u32);
        }
    }

    /// Each grace note, written or made, and the hit that it belongs to.
    pub(crate) fn grace_notes(&self) -> Vec<(usize, usize)> {
        let first = self.part.hits().len();
        let made = (first..).zip(&self.made).filter_map(|(index, made)| Some((index, made.leads_to? as usize)));
        self.chart.graces(self.part, self.tempo).pairs().chain(made).collect()
    }

    /// The lines that a hit's drum is meant for in the bar where the hit is played now, as it was written.
    pub(crate) fn lines_at(&self, index: usize) -> Lines {
        let meant = self.chart.meant(self.part, self.metre, self.tempo);
        let bar = self.metre.bar_at(Ticks(self.onset[index])).number;
        lines_at(meant.of_drum(self.instrument[index].map(usize::from)), bar)
    }

    /// Whether a pass made it.
    pub(crate) fn is_made(&self, index: usize) -> bool {
        self.made_at(index).is_some()
    }

    /// What the person should know about the pass at work.
    pub(crate) fn say(&mut self, sentence: String) {
        self.says = Some(sentence);
    }

    /// Counts a hit that could not be made.
    pub(crate) fn leave_out(&mut self, why: LeftOut) {
        self.leave_out_many(why, 1);
    }

    /// The same of several.
    pub(crate) fn leave_out_many(&mut self, why: LeftOut, how_many: u32) {
        self.left_out.count(why, how_many);
    }

    /// Keeps a hit from sounding.
    pub fn silence(&mut self, index: usize, by: PassId) {
        if self.silenced[index].is_none() {
            self.silenced[index] = Some(by);
            self.silent += 1;
        }
    }

    /// Keeps a hit from sounding, for a reason that is told.
    pub(crate) fn silence_for(&mut self, index: usize, by: PassId, why: String) {
        if self.silenced[index].is_none() {
            self.silence(index, by);
            self.reasons.entry(why).or_default().push(self.id[index]);
        }
    }

    /// Lets a hit sound again, whichever pass silenced it.
    pub(crate) fn call_back(&mut self, index: usize) {
        if self.silenced[index].take().is_some() {
            self.silent -= 1;
            self.recalled.push(self.id[index]);
        }
    }

    /// Has a stroke of the kit play a hit, on the hit's own channel where the kit fixes none.
    pub fn strike_by(&mut self, index: usize, way: Striking) {
        self.strike_with(index, way.note, way.channel.unwrap_or(self.channel[index]));
    }

    fn strike_with(&mut self, index: usize, note: Note, channel: Channel) {
        if self.note[index] != note || self.channel[index] != channel {
            (self.note[index], self.channel[index]) = (note, channel);
            self.instrument[index] = self.chart.instrument_of(note, channel).map(|place| place as u16);
            self.renamed += 1;
        }
    }

    /// The note so many keys away from a hit's, where there is one.
    pub fn keys_away(&self, index: usize, keys: i32) -> Option<Striking> {
        let key = i32::from(self.note[index].get()) + keys;
        let note = Note::new(u8::try_from(key).ok()?)?;
        Some(Striking { note, channel: None })
    }

    /// The stroke of a hit's instrument that has a name; of several that of the hand that plays it.
    pub fn stroke_named(&self, index: usize, name: &str) -> Option<Striking> {
        let ways = || self.instrument_at(index).into_iter().flat_map(|one| &one.articulations);
        let mut named = ways().filter(|way| way.name == name);
        let first = named.next()?;
        let hand = match self.hand[index] {
            Some(Side::Left) => Hand::Left,
            Some(Side::Right) => Hand::Right,
            None => self.stroke_of(index).map_or(Hand::Either, |way| way.hand),
        };
        Some(std::iter::once(first).chain(named).find(|way| way.hand == hand).unwrap_or(first).striking())
    }

    /// The stroke by which a soft one beside a hit is played: its own, or the drum's first where that is on the rim.
    pub fn softly(&self, index: usize) -> (Note, Channel) {
        let own = (self.note[index], self.channel[index]);
        let rim = self.stroke_of(index).filter(|way| way.is_on_the_rim());
        let first = rim.and_then(|rim| {
            let off_rim = |way: &&Articulation| !way.is_on_the_rim();
            let ways = || self.instrument_at(index).into_iter().flat_map(|one| &one.articulations).filter(off_rim);
            ways().find(|way| way.hand == rim.hand).or(ways().next())
        });
        first.map_or(own, |way| (way.note, way.channel.unwrap_or(own.1)))
    }

    /// The stroke of the kit that plays a hit now.
    pub fn stroke_of(&self, index: usize) -> Option<&Articulation> {
        let found = self.chart.lookup.stroke(self.note[index], self.channel[index])?;
        Some(self.chart.kit.stroke(found).1)
    }

    #[inline(always)]
    fn draft(&self, index: usize) -> Draft {
        let written = self.part.hits().get(index);
        let key = key(self.note[index], self.channel[index]);
        Draft {
            stands: self.stands(index),
            first_length: self.first_length(index).0,
            onset: self.onset[index],
            length: self.length[index],
            key,
            voice: self.instrument[index].and_then(|place| self.chart.choking[usize::from(place)]).unwrap_or(key),
            is_new: written.is_none_or(|hit| hit.note != self.note[index] || hit.channel != self.channel[index]),
        }
    }

    fn settled(self, start: Ticks) -> (Vec<PlayedHit>, Vec<MadeHit>) {
        let times = if self.made.is_empty() && !self.silences() {
            settle((0..self.count()).map(|index| self.draft(index)), start)
        } else {
            // Silenced hits make no room and need none; made ones stand where they belong.
            let order = self.sounding();
            let settled = settle(order.iter().map(|&index| self.draft(index)), start);
            let as_meant = |index: usize| (whole(self.onset[index]).max(start.0), whole(self.length[index]).max(1.0));
            let mut times: Vec<(f64, f64)> = (0..self.count()).map(as_meant).collect();
            for (index, time) in order.into_iter().zip(settled) {
                times[index] = time;
            }
            times
        };
        let hits = self.part.hits();
        let played = |index: usize| PlayedHit {
            id: self.id[index],
            tick: Ticks(times[index].0),
            length: Ticks(times[index].1),
            velocity: Velocity::rounded(self.velocity[index]),
            release: hits.get(index).map_or(MADE_RELEASE, |hit| hit.release),
            note: self.note[index],
            channel: self.channel[index],
            silenced: self.silenced[index],
            hand: self.hand[index],
            movement: self.movement(index),
        };
        let made = |(made, index): (&Made, usize)| {
            let Made { pass, parent, anchor, .. } = *made;
            MadeHit { played: played(index), pass, parent, anchor: Ticks(anchor) }
        };
        let written = (0..hits.len()).map(played).collect();
        (written, self.made.iter().zip(hits.len()..).map(made).collect())
    }
}

/// The release velocity of made hits: what a device sends that does not measure it.
const MADE_RELEASE: u8 = 64;

#[cfg(test)]
pub(crate) mod testing {
    //! A small stage for the worked examples: a closed hat in 16ths at 120 bpm, 960 ppq.

    use super::*;
    use crate::base::units::Ppq;
    use crate::kit::Kit;
    use crate::recipe::action::Action;
    use crate::recipe::aim::Aim;
    use crate::recipe::{Pass, Recipe};

    pub fn sixteenths(velocities: &[u8]) -> Part {
        let hit = |(index, &velocity): (usize, &u8)| Hit {
            id: HitId::new(index as u32),
            tick: Ticks(240.0 * index as f64),
            length: Ticks(120.0),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(42).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(velocities.iter().enumerate().map(hit).collect())
    }

    /// Drum hits given as (ms, note, velocity).
    pub fn drums(hits: &[(f64, u8, u8)]) -> Part {
        let hit = |(index, &(ms, note, velocity)): (usize, &(f64, u8, u8))| Hit {
            id: HitId::new(index as u32),
            tick: Ticks((ms * 1.92).round()),
            length: Ticks(60.0),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(hits.iter().enumerate().map(hit).collect())
    }

    /// What becomes of a lane.
    pub fn play_lane(part: &Part, lane: Lane, action: Action) -> Lane {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre, kind) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []), lane.kind);
        let lanes = [lane];
        let context = Context { lanes: &lanes, ..Context::new(&tempo, &metre) };
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), action)]);
        let played = perform(part, &Chart::new(part, Kit::of_drums(part)), &recipe, &context);
        played.lanes.into_iter().find(|one| one.lane.kind == kind).expect("a lane").lane
    }

    pub fn play(part: &Part, action: Action) -> Vec<PlayedHit> {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context::new(&tempo, &metre);
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), action)]);
        perform(part, &Chart::new(part, Kit::of_drums(part)), &recipe, &context).hits().copied().collect()
    }
}
