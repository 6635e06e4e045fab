//! Drawing: what a person does with a pencil in the rows, in terms of the grid.
//!
//! The same strokes go to two places. In a part that was begun here they change its Written ([`Part::drawn`]); in
//! a part of a file they come to a pass By hand (`gesture.rs`). What they mean is decided here, once: a [`Drawing`]
//! on the hits that stand ([`Standing`]) comes to [`Edits`].

use crate::base::units::{Channel, Note, Ticks, Velocity};
use crate::kit::InstrumentId;
use crate::kit::chart::Chart;
use crate::part::hit::{Hit, HitId, Part};
use crate::time::bars::BarRange;
use crate::time::grid::Grid;
use crate::time::metre::MetreMap;
use serde::Deserialize;
use std::collections::{BTreeMap, HashMap, HashSet};
use ts_rs::TS;

/// What is drawn.
#[derive(Clone, Debug, PartialEq, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Drawing {
    /// A hit on every line of a grid from one place to another, in either direction, as hard as the path is high there.
    /// Where one stands already it takes that velocity.
    Fill {
        /// Whose.
        instrument: InstrumentId,
        /// Where the stroke began.
        from: Ticks,
        /// Where it ended.
        to: Ticks,
        /// The lines.
        grid: Grid,
        /// How hard on the way, at most 2000 points: straight between them, level before and behind. Without any it is the
        /// instrument's typical, and what stands stays as it is.
        #[serde(default)]
        path: Vec<PathPoint>,
    },
    /// What an instrument plays from one place to another goes.
    Erase {
        /// Whose.
        instrument: InstrumentId,
        /// Where the stroke began.
        from: Ticks,
        /// Where it ended.
        to: Ticks,
        /// The lines: all that is meant for one of those that were passed goes.
        grid: Grid,
    },
    /// These hits go.
    EraseHits {
        /// Which.
        hits: Vec<HitId>,
    },
    /// Every second one of these hits goes, counted for each instrument.
    Thin {
        /// Which.
        hits: Vec<HitId>,
    },
    /// Hits go, or are copied, so many cells later, and to another instrument; what stands there gives way.
    Shift {
        /// Which.
        hits: Vec<HitId>,
        /// Later is positive.
        cells: i32,
        /// Whose cells.
        grid: Grid,
        /// The other instrument.
        #[serde(default)]
        #[ts(optional)]
        instrument: Option<InstrumentId>,
        /// The hits themselves stay.
        #[serde(default)]
        copy: bool,
    },
    /// A figure played so many times as fast, and as many times, in the stretch that it fills.
    Faster {
        /// Which hits.
        hits: Vec<HitId>,
        /// 2 to 4.
        times: u8,
        /// The figure lasts up to a line of this grid.
        grid: Grid,
    },
    /// Bars over others; what stands there gives way.
    CopyBars {
        /// Which.
        bars: BarRange,
        /// The first bar that they are laid over.
        to: u32,
        /// How many times, one behind the other.
        times: u32,
        /// Of these instruments; of all where there are none.
        #[serde(default)]
        instruments: Vec<InstrumentId>,
    },
    /// What is in some bars goes.
    ClearBars {
        /// Which.
        bars: BarRange,
        /// Of these instruments; of all where there are none.
        #[serde(default)]
        instruments: Vec<InstrumentId>,
    },
}

/// How hard at a place of a stroke.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PathPoint {
    /// Where.
    pub tick: Ticks,
    /// How hard.
    pub velocity: Velocity,
}

/// A hit that stands where a person draws.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Standing {
    /// Which.
    pub id: HitId,
    /// Where it belongs in the metre.
    pub place: Ticks,
    /// Where it sounds.
    pub tick: Ticks,
    /// How long.
    pub length: Ticks,
    /// How hard.
    pub velocity: Velocity,
    /// Its note.
    pub note: Note,
    /// Its channel.
    pub channel: Channel,
}

/// A hit that comes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Draft {
    /// Where it sounds.
    pub tick: Ticks,
    /// How long.
    pub length: Ticks,
    /// How hard.
    pub velocity: Velocity,
    /// Its note.
    pub note: Note,
    /// Its channel.
    pub channel: Channel,
}

/// A hit that goes to another place or instrument.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moved {
    /// Which.
    pub id: HitId,
    /// So much later.
    pub by: Ticks,
    /// The note and channel that it has then.
    pub stroke: Option<(Note, Channel)>,
}

/// What a drawing comes to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Edits {
    /// Hits that go.
    pub gone: Vec<HitId>,
    /// Hits that come.
    pub come: Vec<Draft>,
    /// Hits that move.
    pub moved: Vec<Moved>,
    /// Hits that are struck otherwise.
    pub struck: Vec<(HitId, Velocity)>,
}

/// What hits are drawn on.
pub struct Paper<'a> {
    /// The kit.
    pub chart: &'a Chart,
    /// The bars.
    pub metre: &'a MetreMap,
    /// The hits that stand.
    pub standing: &'a [Standing],
    /// Where the song ends; drawing goes no farther.
    pub end: Ticks,
}

type Wrong = (String, String);

fn wrong<T>(field: &str, message: impl Into<String>) -> Result<T, Wrong> {
    Err((field.to_owned(), message.into()))
}

impl Drawing {
    /// The most hits that one stroke draws.
    pub const MOST: usize = 20_000;
    /// The most points of a path.
    pub const MOST_POINTS: usize = 2000;
    /// As hard as the first hit of an instrument is drawn where no velocity is given.
    const TYPICAL: u8 = 96;

    /// What it comes to.
    ///
    /// # Errors
    ///
    /// The field that is wrong, and why.
    pub fn edits(&self, paper: &Paper<'_>) -> Result<Edits, Wrong> {
        let edits = match self {
            Drawing::Fill { instrument, from, to, grid, path } => paper.filled(instrument, [*from, *to], *grid, path),
            Drawing::Erase { instrument, from, to, grid } => {
                let place = place_of(paper.chart, instrument)?;
                let lines: HashSet<u64> = paper.lines([*from, *to], *grid)?.into_iter().map(key).collect();
                let meant = |one: &&Standing| {
                    paper.instrument(one) == Some(place) && lines.contains(&key(grid.nearest(paper.metre, one.place)))
                };
                Ok(Edits { gone: paper.standing.iter().filter(meant).map(|one| one.id).collect(), ..Edits::default() })
            }
            Drawing::EraseHits { hits } => Ok(Edits { gone: hits.clone(), ..Edits::default() }),
            Drawing::Thin { hits } => {
                let mut counts: HashMap<Option<usize>, usize> = HashMap::new();
                let second = |one: &&Standing| {
                    let count = counts.entry(paper.instrument(one)).or_default();
                    *count += 1;
                    count.is_multiple_of(2)
                };
                let gone = paper.chosen(hits)?.into_iter().filter(second).map(|one| one.id).collect();
                Ok(Edits { gone, ..Edits::default() })
            }
            Drawing::Shift { hits, cells, grid, instrument, copy } => {
                let by = grid.cell(paper.metre.ppq()) * f64::from(*cells);
                paper.shifted(hits, by, instrument.as_ref(), *copy)
            }
            Drawing::Faster { hits, times, grid } => paper.faster(hits, *times, *grid),
            Drawing::CopyBars { bars, to, times, instruments } => paper.copied(*bars, *to, *times, instruments),
            Drawing::ClearBars { bars, instruments } => {
                let own = paper.within(*bars, instruments)?;
                Ok(Edits { gone: own.iter().map(|one| one.id).collect(), ..Edits::default() })
            }
        }?;
        match edits.come.len() {
            many if many > Drawing::MOST => {
                wrong("drawing", format!("{many} hits at once are more than {}; draw them in parts", Drawing::MOST))
            }
            _ => Ok(edits),
        }
    }
}

/// Places on one line have one key.
fn key(tick: Ticks) -> u64 {
    tick.rounded().0.max(0.0) as u64
}

/// The height of a path, in order of its points, at a place; nothing without points.
fn height(path: &[PathPoint], tick: Ticks) -> Option<Velocity> {
    let after = path.partition_point(|point| point.tick <= tick);
    let (Some(before), Some(next)) = (path.get(after.max(1) - 1), path.get(after)) else {
        return path.last().map(|point| point.velocity);
    };
    let [low, high] = [before, next].map(|point| f64::from(point.velocity.get()));
    let share = ((tick - before.tick).0 / (next.tick - before.tick).0.max(1e-9)).clamp(0.0, 1.0);
    Some(Velocity::rounded(low + (high - low) * share))
}

/// Hits of an instrument nearer than this are on top of one another, in quarter notes.
const ON_TOP: f64 = 1.0 / 48.0;

fn place_of(chart: &Chart, instrument: &InstrumentId) -> Result<usize, Wrong> {
    match chart.kit.find(instrument) {
        Some((place, _)) => Ok(place),
        None => wrong("instrument", format!("“{instrument}” is not in this part's kit")),
    }
}

/// The note and channel that an instrument is struck with most often among these strokes; else the kit's first.
pub(crate) fn usual_stroke(
    chart: &Chart,
    strokes: impl Iterator<Item = (Note, Channel)>,
    instrument: &InstrumentId,
) -> Result<(Note, Channel), Wrong> {
    let place = place_of(chart, instrument)?;
    let mut first = None;
    let mut counts: BTreeMap<(Note, Channel), usize> = BTreeMap::new();
    for (note, channel) in strokes {
        first.get_or_insert(channel);
        if chart.instrument_of(note, channel) == Some(place) {
            *counts.entry((note, channel)).or_default() += 1;
        }
    }
    if let Some((&stroke, _)) = counts.iter().max_by_key(|&((note, _), n)| (*n, std::cmp::Reverse(note.get()))) {
        return Ok(stroke);
    }
    let Some(way) = chart.kit.instruments[place].articulations.first() else {
        return wrong("instrument", "it has no way of being struck");
    };
    Ok((way.note, way.channel.or(first).unwrap_or(Channel::PERCUSSION)))
}

impl<'a> Paper<'a> {
    fn instrument(&self, one: &Standing) -> Option<usize> {
        self.chart.instrument_of(one.note, one.channel)
    }

    fn stroke(&self, instrument: &InstrumentId) -> Result<(Note, Channel), Wrong> {
        usual_stroke(self.chart, self.standing.iter().map(|one| (one.note, one.channel)), instrument)
    }

    /// As hard as an instrument is struck here in the middle.
    fn typical(&self, place: usize) -> Velocity {
        let own = self.standing.iter().filter(|one| self.instrument(one) == Some(place));
        let mut velocities: Vec<Velocity> = own.map(|one| one.velocity).collect();
        velocities.sort_unstable();
        velocities.get(velocities.len() / 2).copied().unwrap_or(Velocity::rounded(f64::from(Drawing::TYPICAL)))
    }

    /// The lines of a grid from one place to another.
    fn lines(&self, ends: [Ticks; 2], grid: Grid) -> Result<Vec<Ticks>, Wrong> {
        let inside = |tick: Ticks| Ticks(tick.0.clamp(0.0, (self.end.0 - 1.0).max(0.0)));
        let (from, to) = if ends[0] <= ends[1] { (ends[0], ends[1]) } else { (ends[1], ends[0]) };
        if !(from.0.is_finite() && to.0.is_finite()) {
            return wrong("from", "a place is a number of ticks");
        }
        let cell = grid.cell(self.metre.ppq()).0;
        let [first, last] = [inside(from), inside(to)].map(|tick| grid.nearest(self.metre, tick));
        if (last.0 - first.0) / cell > Drawing::MOST as f64 {
            return wrong("to", format!("more than {} hits at once; draw them in parts", Drawing::MOST));
        }
        let mut lines = Vec::new();
        let mut bar = self.metre.bar_at(first);
        while bar.start <= last && bar.start < self.end {
            let count = (bar.length.0 / cell - 1e-6).ceil().max(1.0) as u32;
            let own = (0..count).map(|line| Ticks(bar.start.0 + cell * f64::from(line)).rounded());
            lines.extend(own.filter(|&line| line.0 >= first.0 - 0.5 && line.0 <= last.0 + 0.5 && line < self.end));
            bar = self.metre.bar(bar.number + 1);
        }
        Ok(lines)
    }

    fn filled(
        &self,
        instrument: &InstrumentId,
        ends: [Ticks; 2],
        grid: Grid,
        path: &[PathPoint],
    ) -> Result<Edits, Wrong> {
        if path.len() > Drawing::MOST_POINTS || path.iter().any(|point| !point.tick.0.is_finite()) {
            return wrong("path", format!("a path has at most {} points in the song", Drawing::MOST_POINTS));
        }
        let mut path: Vec<PathPoint> = path.to_vec();
        path.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0));
        let place = place_of(self.chart, instrument)?;
        let (note, channel) = self.stroke(instrument)?;
        let lines = self.lines(ends, grid)?;
        let near = self.metre.ppq().as_f64() * ON_TOP;
        let own: Vec<&Standing> = self.standing.iter().filter(|one| self.instrument(one) == Some(place)).collect();
        let mut places: Vec<f64> = own.iter().map(|one| one.place.0).collect();
        places.sort_by(f64::total_cmp);
        let is_free = |line: &&Ticks| {
            let next = places.partition_point(|&place| place < line.0 - near);
            places.get(next).is_none_or(|&place| place > line.0 + near)
        };
        let typical = self.typical(place);
        let hard = |tick: Ticks| height(&path, tick).unwrap_or(typical);
        let length =
            Ticks((self.metre.ppq().as_f64() / 8.0).round().min(grid.cell(self.metre.ppq()).0.floor()).max(1.0));
        let draft = |&tick: &Ticks| Draft { tick, length, velocity: hard(tick), note, channel };
        let come = lines.iter().filter(is_free).map(draft).collect();
        let on_line = |one: &&&Standing| {
            let after = lines.partition_point(|line| line.0 < one.place.0 - near);
            lines.get(after).is_some_and(|line| line.0 <= one.place.0 + near)
        };
        let struck = own.iter().filter(on_line).filter_map(|one| Some((one.id, height(&path, one.place)?))).collect();
        Ok(Edits { come, struck, ..Edits::default() })
    }

    /// The hits of these ids, in order of their places.
    fn chosen(&self, hits: &[HitId]) -> Result<Vec<&'a Standing>, Wrong> {
        let wanted: HashSet<HitId> = hits.iter().copied().collect();
        let mut own: Vec<&Standing> = self.standing.iter().filter(|one| wanted.contains(&one.id)).collect();
        if own.len() < wanted.len() {
            let known: HashSet<HitId> = own.iter().map(|one| one.id).collect();
            let missing = hits.iter().find(|id| !known.contains(id)).map_or(0, |id| id.get());
            return wrong("hits", format!("there is no hit {missing} that sounds"));
        }
        own.sort_by(|a, b| a.place.0.total_cmp(&b.place.0).then(a.id.cmp(&b.id)));
        Ok(own)
    }

    fn shifted(
        &self,
        hits: &[HitId],
        by: Ticks,
        instrument: Option<&InstrumentId>,
        copy: bool,
    ) -> Result<Edits, Wrong> {
        let own = self.chosen(hits)?;
        let stroke = instrument.map(|instrument| self.stroke(instrument)).transpose()?;
        let mut edits = Edits::default();
        if let Some(one) = own.iter().find(|one| (one.place + by) < Ticks(0.0) || (one.place + by) >= self.end) {
            let (bar, place) = self.metre.place(one.place);
            return wrong("cells", format!("the hit in bar {bar} {place} would lie outside the song"));
        }
        if by == Ticks(0.0) && (copy || stroke.is_none()) {
            return Ok(edits);
        }
        let chosen: HashSet<HitId> = own.iter().map(|one| one.id).collect();
        let targets = own.iter().map(|one| {
            let (note, channel) = stroke.unwrap_or((one.note, one.channel));
            (self.chart.instrument_of(note, channel), one.place + by)
        });
        let taken = self.on_top_of(targets.collect());
        edits.gone = taken.into_iter().filter(|id| copy || !chosen.contains(id)).collect();
        for one in own {
            let (note, channel) = stroke.unwrap_or((one.note, one.channel));
            if copy {
                let tick = Ticks((one.tick + by).0.max(0.0));
                edits.come.push(Draft { tick, length: one.length, velocity: one.velocity, note, channel });
            } else {
                edits.moved.push(Moved { id: one.id, by, stroke });
            }
        }
        Ok(edits)
    }

    /// The hits that stand on top of such places.
    fn on_top_of(&self, places: Vec<(Option<usize>, Ticks)>) -> Vec<HitId> {
        let near = self.metre.ppq().as_f64() * ON_TOP;
        let mut of: HashMap<Option<usize>, Vec<f64>> = HashMap::new();
        for (instrument, place) in places {
            of.entry(instrument).or_default().push(place.0);
        }
        of.values_mut().for_each(|places| places.sort_by(f64::total_cmp));
        let under = |one: &&Standing| {
            of.get(&self.instrument(one)).is_some_and(|places| {
                let next = places.partition_point(|&place| place < one.place.0 - near);
                places.get(next).is_some_and(|&place| place <= one.place.0 + near)
            })
        };
        self.standing.iter().filter(under).map(|one| one.id).collect()
    }

    fn faster(&self, hits: &[HitId], times: u8, grid: Grid) -> Result<Edits, Wrong> {
        if !(2..=4).contains(&times) {
            return wrong("times", format!("a figure is played 2 to 4 times as fast, not {times}"));
        }
        let own = self.chosen(hits)?;
        let (Some(first), Some(last)) = (own.first(), own.last()) else {
            return wrong("hits", "choose the hits of the figure");
        };
        let cell = grid.cell(self.metre.ppq()).0;
        let start = first.place;
        let length = (((last.place - start).0 / cell + 1e-6).floor() + 1.0) * cell;
        let share = 1.0 / f64::from(times);
        let mut edits = Edits::default();
        for one in own {
            let within = one.tick - start;
            let by = Ticks(within.0 * share).rounded() - within;
            edits.moved.push(Moved { id: one.id, by, stroke: None });
            for again in 1..times {
                let tick = start + Ticks((within.0 + length * f64::from(again)) * share).rounded();
                let length = Ticks((one.length.0 * share).round().max(1.0));
                let tick = Ticks(tick.0.max(0.0));
                if tick >= self.end {
                    continue; // A figure near the song's end has no more room.
                }
                edits.come.push(Draft { tick, length, velocity: one.velocity, note: one.note, channel: one.channel });
            }
        }
        Ok(edits)
    }

    /// What stands in some bars.
    fn within(&self, bars: BarRange, instruments: &[InstrumentId]) -> Result<Vec<&'a Standing>, Wrong> {
        let places =
            instruments.iter().map(|one| place_of(self.chart, one)).collect::<Result<HashSet<usize>, Wrong>>()?;
        if bars.from < 1 || bars.to < bars.from || self.metre.bar(bars.from).start >= self.end {
            return wrong("bars", format!("bars {} to {} are not all there", bars.from, bars.to));
        }
        let (from, to) = (self.metre.bar(bars.from).start, self.metre.bar(bars.to.saturating_add(1)).start);
        let own = |one: &&Standing| {
            let meant = places.is_empty() || self.instrument(one).is_some_and(|place| places.contains(&place));
            meant && one.place >= from && one.place < to
        };
        Ok(self.standing.iter().filter(own).collect())
    }

    fn copied(&self, bars: BarRange, to: u32, times: u32, instruments: &[InstrumentId]) -> Result<Edits, Wrong> {
        let own = self.within(bars, instruments)?;
        let count = bars.to - bars.from + 1;
        let all = u64::from(count) * u64::from(times);
        let last = u64::from(to) + all;
        if to < 1 || times < 1 || last > u64::from(u32::MAX) || self.metre.bar(last as u32 - 1).start >= self.end {
            return wrong("to", format!("{all} bars from bar {to} on do not fit into the song"));
        }
        let target = BarRange { from: to, to: last as u32 - 1 };
        if target.from <= bars.to && target.to >= bars.from {
            return wrong("to", "bars cannot be laid over themselves; choose bars in front or behind");
        }
        if own.len().saturating_mul(times as usize) > Drawing::MOST {
            return wrong("times", format!("more than {} hits at once; copy them in parts", Drawing::MOST));
        }
        let gone = self.within(target, instruments)?.iter().map(|one| one.id).collect();
        let mut edits = Edits { gone, ..Edits::default() };
        for index in 0..all as u32 {
            let (was, now) = (self.metre.bar(bars.from + index % count), self.metre.bar(to + index));
            let (start, end) = (was.start, was.start + was.length);
            for one in own.iter().filter(|one| one.place >= start && one.place < end) {
                // A shorter bar has no place for what comes behind its end.
                if (one.place - start) >= now.length {
                    continue;
                }
                let tick = Ticks((now.start + (one.tick - start)).0.max(0.0));
                let Standing { length, velocity, note, channel, .. } = **one;
                edits.come.push(Draft { tick, length, velocity, note, channel });
            }
        }
        Ok(edits)
    }
}

impl Part {
    /// The most hits of a part that is written here.
    pub const MOST_WRITTEN: usize = 100_000;

    /// The hits as they stand for drawing: each where it is written.
    pub fn standing(&self) -> Vec<Standing> {
        let standing = |hit: &Hit| {
            let Hit { id, tick, length, velocity, note, channel, .. } = *hit;
            Standing { id, place: tick, tick, length, velocity, note, channel }
        };
        self.hits.iter().map(standing).collect()
    }

    /// With what was drawn. Hits that come have ids from `free` on.
    pub fn drawn(&self, edits: &Edits, free: u32) -> Part {
        let gone: HashSet<HitId> = edits.gone.iter().copied().collect();
        let moved: HashMap<HitId, &Moved> = edits.moved.iter().map(|one| (one.id, one)).collect();
        let struck: HashMap<HitId, Velocity> = edits.struck.iter().copied().collect();
        let changed = |hit: &Hit| {
            let mut hit = *hit;
            if let Some(moved) = moved.get(&hit.id) {
                hit.tick = Ticks((hit.tick + moved.by).0.max(0.0));
                (hit.note, hit.channel) = moved.stroke.unwrap_or((hit.note, hit.channel));
            }
            hit.velocity = struck.get(&hit.id).copied().unwrap_or(hit.velocity);
            hit
        };
        let mut hits: Vec<Hit> = self.hits.iter().filter(|hit| !gone.contains(&hit.id)).map(changed).collect();
        let ids = (free..HitId::FIRST_BY_HAND.get() as u32).map(HitId::new);
        hits.extend(edits.come.iter().zip(ids).map(|(draft, id)| {
            let Draft { tick, length, velocity, note, channel } = *draft;
            Hit { id, tick, length, velocity, release: 64, note, channel }
        }));
        Part::new(hits)
    }

    /// An id that no hit has, nor any above it below those by hand.
    pub fn free_id(&self) -> u32 {
        let written = self.hits.iter().map(|hit| hit.id).filter(|id| *id < HitId::FIRST_BY_HAND);
        written.max().map_or(0, |id| id.get() as u32 + 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::kit::Kit;
    use crate::time::outline::Outline;

    struct Sheet {
        part: Part,
        chart: Chart,
        metre: MetreMap,
        end: Ticks,
    }

    impl Sheet {
        fn empty(bars: u32, metre: &str) -> Sheet {
            let outline = Outline::plain(bars, 100.0, metre);
            let (_, metre) = outline.maps();
            let end = outline.end(&metre);
            let part = Part::default();
            Sheet { chart: Chart::new(&part, Kit::general_midi()), part, metre, end }
        }

        fn try_draw(&mut self, drawing: Drawing) -> Result<(), Wrong> {
            let standing = self.part.standing();
            let paper = Paper { chart: &self.chart, metre: &self.metre, standing: &standing, end: self.end };
            let edits = drawing.edits(&paper)?;
            self.part = self.part.drawn(&edits, self.part.free_id());
            self.chart = Chart::new(&self.part, Kit::general_midi());
            Ok(())
        }

        fn draw(&mut self, drawing: Drawing) -> &mut Sheet {
            self.try_draw(drawing).unwrap();
            self
        }

        fn ticks(&self, instrument: &str) -> Vec<f64> {
            self.hits(instrument).iter().map(|hit| hit.tick.0).collect()
        }

        fn hits(&self, instrument: &str) -> Vec<Hit> {
            let (place, _) = self.chart.kit.find(&InstrumentId::new(instrument)).unwrap();
            self.chart.of_instrument(place).iter().map(|&index| self.part.hits()[index]).collect()
        }
    }

    fn fill(instrument: &str, from: f64, to: f64, grid: Grid, velocity: Option<u8>) -> Drawing {
        let point = |velocity| PathPoint { tick: Ticks(from), velocity };
        let path = velocity.and_then(Velocity::new).map(point).into_iter().collect();
        Drawing::Fill { instrument: InstrumentId::new(instrument), from: Ticks(from), to: Ticks(to), grid, path }
    }

    const SIXTEENTHS: Grid = Grid::SIXTEENTHS;

    #[test]
    fn a_stroke_fills_the_lines_that_it_passes() {
        let mut sheet = Sheet::empty(2, "4/4");
        sheet.draw(fill("closed-hat", 3800.0, -20.0, SIXTEENTHS, Some(80)));
        assert_eq!(sheet.ticks("closed-hat").len(), 17, "the next bar line is nearer than the last 16th");
        sheet.draw(fill("closed-hat", 0.0, 900.0, Grid::straight(8), Some(30)));
        let velocities: Vec<u8> = sheet.hits("closed-hat").iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!((velocities[..5].to_vec(), velocities.len()), (vec![30, 80, 30, 80, 30], 17));
        // Triplets inside one beat, with the typical velocity.
        sheet.draw(fill("snare", 960.0, 1800.0, Grid::triplet(8), None));
        assert_eq!(sheet.ticks("snare"), [960.0, 1280.0, 1600.0, 1920.0]);
        assert_eq!(sheet.hits("snare")[0].velocity.get(), Drawing::TYPICAL);
    }

    #[test]
    fn a_stroke_that_rises_is_a_crescendo() {
        let mut sheet = Sheet::empty(1, "4/4");
        let at = |tick: f64, velocity: u8| PathPoint { tick: Ticks(tick), velocity: Velocity::new(velocity).unwrap() };
        let path = vec![at(960.0, 100), at(0.0, 20), at(480.0, 60)];
        let instrument = InstrumentId::new("snare");
        sheet.draw(Drawing::Fill { instrument, from: Ticks(0.0), to: Ticks(1200.0), grid: SIXTEENTHS, path });
        let velocities: Vec<u8> = sheet.hits("snare").iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [20, 40, 60, 80, 100, 100]);
    }

    #[test]
    fn nothing_is_drawn_outside_the_song() {
        let mut sheet = Sheet::empty(1, "7/8");
        sheet.draw(fill("kick", -1e12, 1e12, Grid::straight(4), None));
        assert_eq!(sheet.ticks("kick"), [0.0, 960.0, 1920.0, 2880.0], "lines begin anew at each bar line");
        assert_eq!(sheet.try_draw(fill("gong", 0.0, 1.0, SIXTEENTHS, None)).unwrap_err().0, "instrument");
        let shift =
            Drawing::Shift { hits: vec![HitId::new(3)], cells: 2, grid: SIXTEENTHS, instrument: None, copy: false };
        assert_eq!(sheet.try_draw(shift).unwrap_err().0, "cells");
        let gone = Drawing::Thin { hits: vec![HitId::new(99)] };
        assert_eq!(sheet.try_draw(gone).unwrap_err(), ("hits".into(), "there is no hit 99 that sounds".into()));
    }

    #[test]
    fn hits_are_thinned_moved_copied_and_erased() {
        let mut sheet = Sheet::empty(2, "4/4");
        sheet.draw(fill("closed-hat", 0.0, 3600.0, SIXTEENTHS, Some(70)));
        let hats: Vec<HitId> = sheet.hits("closed-hat").iter().map(|hit| hit.id).collect();
        sheet.draw(Drawing::Thin { hits: hats.clone() });
        assert_eq!(sheet.ticks("closed-hat"), (0..8).map(|n| 480.0 * f64::from(n)).collect::<Vec<_>>());
        let ride = Some(InstrumentId::new("ride-1"));
        let four = vec![hats[0], hats[2], hats[4], hats[6]];
        sheet.draw(Drawing::Shift { hits: four, cells: 0, grid: SIXTEENTHS, instrument: ride, copy: false });
        let rides = sheet.hits("ride-1");
        assert_eq!(rides.iter().map(|hit| (hit.tick.0, hit.velocity.get())).collect::<Vec<_>>()[3], (1440.0, 70));
        assert_eq!(rides[0].id, hats[0], "what moves stays itself");
        // An 8th later, and onto one that stands there, which gives way.
        sheet.draw(Drawing::Shift {
            hits: vec![hats[8]],
            cells: 1,
            grid: Grid::straight(8),
            instrument: None,
            copy: true,
        });
        assert_eq!(sheet.ticks("closed-hat"), [1920.0, 2400.0, 2880.0, 3360.0]);
        let erase = |from: f64, to: f64| Drawing::Erase {
            instrument: InstrumentId::new("closed-hat"),
            from: Ticks(from),
            to: Ticks(to),
            grid: SIXTEENTHS,
        };
        sheet.draw(erase(2300.0, 2900.0));
        assert_eq!(sheet.ticks("closed-hat"), [1920.0, 3360.0]);
    }

    #[test]
    fn a_figure_is_played_twice_as_fast_and_twice() {
        let mut sheet = Sheet::empty(1, "4/4");
        sheet.draw(fill("snare", 1920.0, 3360.0, Grid::straight(8), Some(90)));
        let hits = sheet.hits("snare").iter().map(|hit| hit.id).collect();
        sheet.draw(Drawing::Faster { hits, times: 2, grid: Grid::straight(8) });
        assert_eq!(sheet.ticks("snare"), (0..8).map(|n| 1920.0 + 240.0 * f64::from(n)).collect::<Vec<_>>());
    }

    #[test]
    fn bars_are_laid_over_others() {
        let mut sheet = Sheet::empty(8, "4/4");
        sheet.draw(fill("kick", 0.0, 7000.0, Grid::straight(2), Some(90)));
        sheet.draw(fill("snare", 9000.0, 12000.0, SIXTEENTHS, Some(90)));
        let copy = |to, times| Drawing::CopyBars { bars: BarRange { from: 1, to: 2 }, to, times, instruments: vec![] };
        sheet.draw(copy(3, 3));
        assert_eq!(sheet.ticks("kick"), (0..16).map(|n| 1920.0 * f64::from(n)).collect::<Vec<_>>());
        assert_eq!(sheet.ticks("snare"), Vec::<f64>::new(), "what stood there gave way");
        for (to, times) in [(2, 1), (8, 1), (3, 4), (3, u32::MAX), (0, 1), (3, 0), (u32::MAX, 2)] {
            assert_eq!(sheet.try_draw(copy(to, times)).unwrap_err().0, "to", "{to} {times}");
        }
        sheet.draw(Drawing::ClearBars { bars: BarRange { from: 1, to: 7 }, instruments: vec![] });
        assert_eq!(sheet.part.hits().len(), 2);
    }
}
