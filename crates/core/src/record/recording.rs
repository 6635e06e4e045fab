//! Recording: from what devices sent, by clocks of their own, to hits of a part.
//!
//! A [`Recording`] is kept raw: messages with the times of the devices' clocks, readings of those clocks against the
//! audio clock ([`ClockPair`]), and the course of the song on the audio clock ([`Anchor`]). [`Recording::rounds`] works
//! out what was played, in real numbers of ticks; [`Laying::lay`] puts it into a part.

use crate::base::stats::{mean, standard_deviation};
use crate::base::units::{Channel, Millis, Note, Ticks, Velocity};
use crate::edit::drawing::{Draft, Edits};
use crate::kit::chart::Chart;
use crate::kit::{Family, InstrumentId, Kit, KitLookup};
use crate::part::hit::{Hit, HitId, Part};
use crate::part::lane::{Lane, LaneKind};
use crate::perform::openness::Openness;
use crate::perform::{Context, perform};
use crate::recipe::action::{LaneLine, Strays};
use crate::recipe::{Pass, PassId, Recipe};
use crate::time::grid::Grid;
use crate::time::metre::MetreMap;
use crate::time::tempo::TempoMap;
use crate::{Action, Aim};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap, HashSet};
use ts_rs::TS;

/// What was recorded, or a piece of it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Recording {
    /// What took part, by their places.
    pub devices: Vec<Device>,
    /// What they sent.
    pub messages: Vec<Message>,
    /// Their clocks against the audio clock.
    pub clock: Vec<ClockPair>,
    /// Where the song was on the audio clock.
    pub course: Vec<Anchor>,
    /// When it ended on the audio clock, in s.
    #[ts(optional)]
    pub until: Option<f64>,
}

/// Something to play on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Device {
    /// What it is called.
    pub name: String,
    /// So much later than a stroke its message comes, −500 to 500 ms; taken out.
    pub latency: Millis,
}

/// A MIDI message.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Message {
    /// When, by the clock of its device, in ms.
    pub at: f64,
    /// The place of its device.
    pub device: u16,
    /// Its 1 to 3 bytes.
    pub data: Vec<u8>,
}

/// A device's clock and the audio clock at one moment.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct ClockPair {
    /// The place of the device.
    pub device: u16,
    /// By its clock, in ms.
    pub at: f64,
    /// By the audio clock, in s.
    pub audio: f64,
}

/// From a moment on the song goes on from a place, at a tempo.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Anchor {
    /// On the audio clock, in s.
    pub audio: f64,
    /// In the song, in s of its own tempo.
    pub second: f64,
    /// So many times as fast as the song's own.
    pub tempo: f64,
    /// Which time round the loop, from 0.
    pub round: u32,
}

/// What was played in one round.
#[derive(Clone, Debug, PartialEq)]
pub struct Round {
    /// Which, from 0: the first in which something was struck.
    pub number: u32,
    /// What was struck, in order of time.
    pub hits: Vec<Draft>,
    /// What pedals, wheels and pressure on a channel sent meanwhile.
    pub lanes: Vec<Lane>,
    /// It was played to its end: another one followed.
    pub whole: bool,
}

/// How a round was played.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct RoundFigures {
    /// Which, from 0.
    pub round: u32,
    /// How many hits.
    pub hits: u32,
    /// How far offsets from the grid spread about their own mean; nothing with fewer than 4 hits. Strays are left out.
    pub spread: Option<Millis>,
    /// Their mean; late is positive.
    pub offset: Option<Millis>,
    /// Hits that nobody seems to have meant: brushed pads, double triggers, crosstalk.
    pub strays: u32,
}

/// What becomes of rounds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LayingHow {
    /// All of them lie over what is there.
    #[default]
    Over,
    /// Each stands in the place of what its instruments play there, as a take of its own.
    Takes,
    /// The last one stands in the place of what its instruments play there.
    Replace,
}

/// How rounds come into a part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Laying {
    /// Over what is there, or instead of it.
    pub how: LayingHow,
    /// Only these instruments; all that were struck where there are none.
    pub instruments: Vec<InstrumentId>,
    /// Only from here, in ticks; from the start without it.
    #[ts(optional)]
    pub from: Option<Ticks>,
    /// Only up to here; to the end without it.
    #[ts(optional)]
    pub to: Option<Ticks>,
    /// Only these rounds; all without any.
    pub rounds: Vec<u32>,
}

impl Recording {
    /// The most messages of a recording.
    pub const MOST_MESSAGES: usize = 200_000;
    /// The most readings of clocks and anchors, of either.
    pub const MOST_READINGS: usize = 50_000;
    /// The most devices.
    pub const MOST_DEVICES: usize = 16;
    /// Latencies lie within so many ms to either side.
    pub const MOST_LATENCY: f64 = 500.0;

    /// What is wrong: the path of the field, and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        let wrong = |field: String, why: &str| Err((field, why.to_owned()));
        if self.devices.len() > Recording::MOST_DEVICES {
            return wrong("devices".to_owned(), "16 devices are the most");
        }
        if self.messages.len() > Recording::MOST_MESSAGES {
            return wrong("messages".to_owned(), "200 000 messages are the most of a recording");
        }
        for (field, count) in [("clock", self.clock.len()), ("course", self.course.len())] {
            if count > Recording::MOST_READINGS {
                return wrong(field.to_owned(), "50 000 are the most of a recording");
            }
        }
        let is_time = |time: f64| time.is_finite() && time.abs() < 1e12;
        for (place, device) in self.devices.iter().enumerate() {
            if !(-Recording::MOST_LATENCY..=Recording::MOST_LATENCY).contains(&device.latency.0) {
                return wrong(format!("devices[{place}].latency"), "a latency is −500 to 500 ms");
            }
        }
        let devices = self.devices.len();
        for (place, one) in self.messages.iter().enumerate() {
            if !is_time(one.at) {
                return wrong(format!("messages[{place}].at"), "a time is a number of ms");
            }
            if usize::from(one.device) >= devices {
                return wrong(format!("messages[{place}].device"), "there is no such device");
            }
            if one.data.is_empty() || one.data.len() > 3 {
                return wrong(format!("messages[{place}].data"), "a message has 1 to 3 bytes");
            }
        }
        for (place, one) in self.clock.iter().enumerate() {
            if !is_time(one.at) || !is_time(one.audio) || usize::from(one.device) >= devices {
                return wrong(format!("clock[{place}]"), "these are no times of a device");
            }
        }
        for (place, one) in self.course.iter().enumerate() {
            if !is_time(one.audio) || !is_time(one.second) || !(0.01..=100.0).contains(&one.tempo) {
                return wrong(format!("course[{place}]"), "these are no times of the song, or no tempo");
            }
        }
        match self.until {
            Some(until) if !is_time(until) => wrong("until".to_owned(), "a time is a number of s"),
            _ => Ok(()),
        }
    }

    /// This with a later piece. Devices are the latest that were told; none that took part is forgotten.
    pub fn append(&mut self, piece: Recording) {
        let told = piece.devices.len().min(self.devices.len());
        self.devices.splice(..told, piece.devices);
        self.messages.extend(piece.messages);
        self.clock.extend(piece.clock);
        self.course.extend(piece.course);
        self.until = piece.until.or(self.until);
    }

    /// When each message was meant on the audio clock, in s: by the clocks' readings, without latency. Nothing for
    /// a device whose clock was never read.
    pub fn times(&self) -> Vec<Option<f64>> {
        let clocks: Vec<Clock> = (0..self.devices.len()).map(|device| Clock::of(self, device)).collect();
        let time = |one: &Message| {
            let device = usize::from(one.device);
            Some(clocks.get(device)?.audio(one.at)? - self.devices[device].latency.0 / 1000.0)
        };
        self.messages.iter().map(time).collect()
    }

    /// What was played in each round, by a kit: in order of the rounds, without those in which nothing was.
    ///
    /// A hit belongs to the round that sounded when it was struck, and lies where the song was then; one that
    /// anticipates the loop's start lies at its end. What was struck up to 150 ms before the first round belongs to it.
    pub fn rounds(&self, tempo: &TempoMap, kit: &Kit, channel: Channel) -> Vec<Round> {
        let mut course = self.course.clone();
        course.sort_by(|a, b| a.audio.total_cmp(&b.audio));
        if course.is_empty() {
            return Vec::new();
        }
        let times = self.times();
        let mut order: Vec<usize> = (0..self.messages.len()).filter(|&place| times[place].is_some()).collect();
        order.sort_by(|&a, &b| times[a].unwrap_or(0.0).total_cmp(&times[b].unwrap_or(0.0)));
        let hearing = Hearing { course: &course, tempo, openness: Openness::of(kit), lookup: kit.lookup(), channel };
        let mut writing = Writing { end: self.until.unwrap_or(f64::INFINITY), ..Writing::new(hearing) };
        for place in order {
            if let (message, Some(at)) = (&self.messages[place], times[place]) {
                writing.hear(message, at);
            }
        }
        let last = course.iter().map(|anchor| anchor.round).max().unwrap_or(0);
        let mut lines = std::mem::take(&mut writing.lines);
        let rounds = writing.ended(self.until);
        // They are counted from the first in which something was struck.
        let first = rounds.keys().next().copied().unwrap_or(0);
        let round = |(number, hits): (u32, Vec<Draft>)| {
            let lines = lines.remove(&number).unwrap_or_default();
            let lanes = lines.into_iter().map(|(kind, values)| Lane::new(kind, values)).collect();
            Round { number: number - first, hits, lanes, whole: number < last }
        };
        rounds.into_iter().map(round).collect()
    }
}

/// Names what is struck: the device, the channel and the note.
type Key = (u16, u8, u8);

/// A hit that was written down: its round, its place there, and when it was struck.
type Struck = (u32, usize, f64);

/// What is written down of messages in order of time.
struct Writing<'a> {
    hearing: Hearing<'a>,
    end: f64,
    rounds: BTreeMap<u32, Vec<Draft>>,
    /// What has not ended.
    ringing: HashMap<Key, Struck>,
    /// The last of each, also where it ended: a hand may stop it.
    struck: HashMap<Key, Struck>,
    /// How far down the hat's pedal of each device is.
    pedals: HashMap<u16, u8>,
    /// What was sent besides, by rounds, at its ticks.
    lines: BTreeMap<u32, BTreeMap<LaneKind, Vec<(f64, f64)>>>,
    /// What was sent last.
    held: HashMap<LaneKind, f64>,
}

/// So many s after a stroke a hand may stop it.
const CHOKED: f64 = 5.0;

impl<'a> Writing<'a> {
    fn new(hearing: Hearing<'a>) -> Writing<'a> {
        let (rounds, ringing, struck, pedals, lines, held) = Default::default();
        Writing { hearing, end: f64::INFINITY, rounds, ringing, struck, pedals, lines, held }
    }

    fn hear(&mut self, Message { device, data, .. }: &Message, at: f64) {
        let [status, one, two] = [0, 1, 2].map(|byte| data.get(byte).copied().unwrap_or(0));
        let key = (*device, status & 0x0f, one & 0x7f);
        match (status & 0xf0, two & 0x7f) {
            (0x90, velocity @ 1..) => {
                self.lasts(key, at);
                self.strike(key, velocity, at);
            }
            (0x80 | 0x90, _) => self.lasts(key, at),
            (0xa0, 64..) => {
                if let Some(before) = self.struck.remove(&key).filter(|before| at - before.2 < CHOKED) {
                    self.ringing.insert(key, before);
                    self.lasts(key, at);
                }
            }
            (0xb0, value) if one == 4 => _ = self.pedals.insert(*device, value),
            _ => {}
        }
        match LaneKind::of_message([status, one & 0x7f, two & 0x7f]) {
            // It stops cymbals; a line of it means nothing.
            None | Some((LaneKind::NotePressure(_), _)) => {}
            Some((kind, value)) => self.draw(kind, value, at),
        }
    }

    fn draw(&mut self, kind: LaneKind, value: f64, at: f64) {
        let before = self.held.insert(kind, value);
        // What came before the song began holds there, whatever a hit would anticipate.
        let sounds = self.hearing.course[0].audio <= at && at <= self.end;
        let Some((round, tick)) = self.hearing.place(at).filter(|_| sounds) else { return };
        let line = self.lines.entry(round).or_default().entry(kind).or_default();
        if let (true, Some(before)) = (line.is_empty(), before) {
            line.push((self.hearing.begins(round), before));
        }
        line.push((tick.0.round(), value));
    }

    fn strike(&mut self, key: Key, velocity: u8, at: f64) {
        let Some((round, tick)) = self.hearing.place(at).filter(|_| at <= self.end) else { return };
        let (device, channel, note) = key;
        let pedal = self.pedals.get(&device);
        let (note, channel) = self.hearing.stroke(Note::from_data(note), Channel::from_status(channel), pedal);
        let length = Ticks(self.hearing.tempo.ppq().as_f64() / 8.0);
        let hits = self.rounds.entry(round).or_default();
        self.ringing.insert(key, (round, hits.len(), at));
        self.struck.insert(key, (round, hits.len(), at));
        hits.push(Draft { tick, length, velocity: Velocity::rounded(f64::from(velocity)), note, channel });
    }

    /// What rings of a key lasts until then.
    fn lasts(&mut self, key: Key, until: f64) {
        let Some((round, place, since)) = self.ringing.remove(&key) else { return };
        if let Some(hit) = self.rounds.get_mut(&round).and_then(|hits| hits.get_mut(place)) {
            hit.length = self.hearing.length(since, until.min(self.end), hit.tick);
        }
    }

    /// All rounds; what rings when it ends lasts until then.
    fn ended(mut self, until: Option<f64>) -> BTreeMap<u32, Vec<Draft>> {
        let ringing: Vec<Key> = self.ringing.keys().copied().collect();
        if let Some(until) = until {
            ringing.into_iter().for_each(|key| self.lasts(key, until));
        }
        self.rounds
    }
}

/// Readings within so many ms of a moment tell of the clock there.
const WINDOW: f64 = 15_000.0;
/// … or so many, where they are fewer.
const FEWEST: usize = 16;
/// … and no more than these.
const MOST: usize = 400;

/// The audio clock loses so much, in s, when sound breaks off: what was read before tells nothing of what comes after.
const JUMP: f64 = 0.004;

/// A device's clock against the audio clock.
struct Clock {
    /// Readings in order: the device's in ms, the audio clock's in s.
    pairs: Vec<(f64, f64)>,
    /// Where the stretches between jumps begin, by their places; the first is 0.
    stretches: Vec<usize>,
    /// How fast it goes, by all stretches together: s in a ms.
    slope: f64,
}

/// Readings over less than this, in ms, do not tell how fast a clock goes.
const SHORT: f64 = 5000.0;

impl Clock {
    fn of(recording: &Recording, device: usize) -> Clock {
        let own = recording.clock.iter().filter(|pair| usize::from(pair.device) == device);
        let mut pairs: Vec<(f64, f64)> = own.map(|pair| (pair.at, pair.audio)).collect();
        pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
        // One reading may be wrong; three of either side are not.
        let apart = |place: usize| pairs[place].1 - pairs[place].0 / 1000.0;
        let middle = |places: std::ops::Range<usize>| {
            let mut all: Vec<f64> = places.map(apart).collect();
            all.sort_by(f64::total_cmp);
            all[all.len() / 2]
        };
        let mut stretches = vec![0];
        for place in 1..pairs.len() {
            let first = stretches[stretches.len() - 1].max(place.saturating_sub(3));
            let (before, after) = (middle(first..place), middle(place..(place + 3).min(pairs.len())));
            let step = apart(place) - apart(place - 1);
            if (after - before).abs() > JUMP && step.abs() > JUMP && (apart(place) - after).abs() < JUMP {
                stretches.push(place);
            }
        }
        let ends = stretches.iter().skip(1).copied().chain([pairs.len()]);
        let (mut both, mut own) = (0.0, 0.0);
        for (start, end) in stretches.iter().zip(ends) {
            let [one, other] = products(&pairs[*start..end]);
            (both, own) = (both + one, own + other);
        }
        let slope = slope(both, own);
        Clock { pairs, stretches, slope }
    }

    /// The readings of the stretch around a moment. Between two stretches the nearer reading decides.
    fn stretch(&self, at: f64) -> &[(f64, f64)] {
        let next = self.pairs.partition_point(|pair| pair.0 < at);
        let nearer = match (next.checked_sub(1), self.pairs.get(next)) {
            (Some(before), Some(after)) if at - self.pairs[before].0 <= after.0 - at => before,
            (Some(before), None) => before,
            _ => next,
        };
        let after = self.stretches.partition_point(|&start| start <= nearer);
        let end = self.stretches.get(after).copied().unwrap_or(self.pairs.len());
        &self.pairs[self.stretches[after.max(1) - 1]..end]
    }

    /// The audio clock's time of a moment by the device's: on the line of least squares through the readings around
    /// it, without those that lie far off.
    fn audio(&self, at: f64) -> Option<f64> {
        let pairs = self.stretch(at);
        let mut from = pairs.partition_point(|pair| pair.0 < at - WINDOW);
        let mut to = pairs.partition_point(|pair| pair.0 <= at + WINDOW);
        if to - from < FEWEST {
            let near = pairs.partition_point(|pair| pair.0 < at);
            from = near.saturating_sub(FEWEST / 2).min(pairs.len().saturating_sub(FEWEST));
            to = (from + FEWEST).min(pairs.len());
        }
        // A crowd of readings tells no more than the nearest of them.
        if to - from > MOST {
            let near = pairs.partition_point(|pair| pair.0 < at);
            from = near.saturating_sub(MOST / 2).clamp(from, to - MOST);
            to = from + MOST;
        }
        let near = &pairs[from..to];
        let steady = near.last()?.0 - near.first()?.0 < SHORT;
        let line = |pairs: &[(f64, f64)]| line(pairs, steady.then_some(self.slope));
        let first = line(near)?;
        let off = |pair: &(f64, f64)| (pair.1 - first.at(pair.0)).abs();
        let mut misses: Vec<f64> = near.iter().map(off).collect();
        misses.sort_by(f64::total_cmp);
        // A page that stood still reads late.
        let most = (4.0 * misses[misses.len() / 2]).max(1e-4);
        let good: Vec<(f64, f64)> = near.iter().filter(|pair| off(pair) <= most).copied().collect();
        Some(line(&good).unwrap_or(first).at(at))
    }
}

/// A straight line from a device's ms to s.
struct Line {
    from: (f64, f64),
    slope: f64,
}

impl Line {
    fn at(&self, at: f64) -> f64 {
        self.from.1 + (at - self.from.0) * self.slope
    }
}

/// The sums of products about the means: of both clocks, and of the device's own.
fn products(pairs: &[(f64, f64)]) -> [f64; 2] {
    let (device, audio) = means(pairs);
    let both = pairs.iter().map(|pair| (pair.0 - device) * (pair.1 - audio)).sum();
    [both, pairs.iter().map(|pair| (pair.0 - device) * (pair.0 - device)).sum()]
}

fn means(pairs: &[(f64, f64)]) -> (f64, f64) {
    let count = pairs.len().max(1) as f64;
    (pairs.iter().map(|pair| pair.0).sum::<f64>() / count, pairs.iter().map(|pair| pair.1).sum::<f64>() / count)
}

/// No clock goes wrong by 2 %: where readings say so they are too few, or too close.
fn slope(both: f64, own: f64) -> f64 {
    let slope = if own > 0.0 { both / own } else { 0.0 };
    if (0.98e-3..=1.02e-3).contains(&slope) { slope } else { 1e-3 }
}

/// The line of least squares, or one that goes so fast.
fn line(pairs: &[(f64, f64)], fast: Option<f64>) -> Option<Line> {
    let from = means(pairs);
    let [both, own] = products(pairs);
    (!pairs.is_empty()).then(|| Line { from, slope: fast.unwrap_or_else(|| slope(both, own)) })
}

/// What was struck up to so many seconds before the first round belongs to it.
const ANTICIPATION: f64 = 0.150;

struct Hearing<'a> {
    course: &'a [Anchor],
    tempo: &'a TempoMap,
    openness: Openness,
    lookup: KitLookup,
    channel: Channel,
}

impl Hearing<'_> {
    /// The round and the place in the song at a time of the audio clock.
    fn place(&self, at: f64) -> Option<(u32, Ticks)> {
        // A hit that the song began with defines where it begins, as near as clocks go.
        let at = if (0.0..0.002).contains(&(self.course[0].audio - at)) { self.course[0].audio } else { at };
        let after = self.course.partition_point(|anchor| anchor.audio <= at);
        let anchor = &self.course[after.max(1) - 1];
        let mut second = anchor.second + (at - anchor.audio) * anchor.tempo;
        if after == 0 {
            if anchor.audio - at > ANTICIPATION {
                return None;
            }
            // Where the loop ends, if it goes round.
            if let Some(next) = self.course.iter().find(|one| one.round > anchor.round) {
                let before = self.course.iter().rfind(|one| one.audio < next.audio).unwrap_or(anchor);
                second += before.second + (next.audio - before.audio) * before.tempo - next.second;
            }
        }
        Some((anchor.round, Ticks(self.tempo.ticks(second).0.max(0.0))))
    }

    /// Where a round begins, in ticks.
    fn begins(&self, round: u32) -> f64 {
        let first = self.course.iter().find(|anchor| anchor.round == round);
        first.map_or(0.0, |anchor| self.tempo.ticks(anchor.second).0.round().max(0.0))
    }

    /// From one time to another as a length at a tick.
    fn length(&self, since: f64, until: f64, tick: Ticks) -> Ticks {
        let after = self.course.partition_point(|anchor| anchor.audio <= since);
        let tempo = self.course[after.max(1) - 1].tempo;
        let second = self.tempo.seconds(tick) + (until - since).max(0.0) * tempo;
        Ticks((self.tempo.ticks(second) - tick).0.max(1.0))
    }

    /// The note and channel by which the kit knows a stroke; those of a hat by how far its pedal is open.
    fn stroke(&self, note: Note, channel: Channel, pedal: Option<&u8>) -> (Note, Channel) {
        let known = self.lookup.stroke(note, channel);
        let note = match (known, pedal) {
            (Some(_), Some(&pedal)) => self.openness.note(note, pedal),
            _ => note,
        };
        let fixed = self.lookup.stroke(note, channel) != self.lookup.stroke(note, self.channel);
        (note, if fixed { channel } else { self.channel })
    }
}

impl Round {
    /// This round as a part of its own.
    fn part(&self) -> Part {
        let hit = |(id, draft): (u32, &Draft)| {
            let Draft { tick, length, velocity, note, channel } = *draft;
            Hit { id: HitId::new(id), tick, length, velocity, release: 64, note, channel }
        };
        Part::new((0..).zip(&self.hits).map(hit).collect())
    }

    /// How it was played, against a grid.
    pub fn figures(&self, kit: &Kit, grid: Grid, context: &Context<'_>) -> RoundFigures {
        let part = self.part();
        let chart = Chart::new(&part, kit.clone().with_unknown(&part));
        let strays = Pass::new(1, Aim::everything(), Action::Strays(Strays::default()));
        let played = perform(&part, &chart, &Recipe::of(vec![strays]), context);
        let offset = |(hit, meant): (&Hit, &crate::PlayedHit)| {
            let line = grid.nearest(context.metre, hit.tick);
            meant.silenced.is_none().then(|| 1000.0 * (context.tempo.seconds(hit.tick) - context.tempo.seconds(line)))
        };
        let offsets: Vec<f64> = part.hits().iter().zip(&played.written).filter_map(offset).collect();
        let enough = offsets.len() >= 4;
        RoundFigures {
            round: self.number,
            hits: part.hits().len() as u32,
            spread: enough.then(|| Millis(standard_deviation(&offsets))),
            offset: enough.then(|| Millis(mean(&offsets))),
            strays: (part.hits().len() - offsets.len()) as u32,
        }
    }
}

impl RoundFigures {
    /// The steadiest of them: at least half as many hits as the fullest has, and the smallest spread.
    pub fn steadiest(all: &[RoundFigures]) -> Option<u32> {
        let most = all.iter().map(|one| one.hits).max()?;
        let full = all.iter().filter(|one| 2 * one.hits >= most);
        let spreads = full.filter_map(|one| Some((one.round, one.spread?.0)));
        spreads.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(round, _)| round)
    }
}

impl Laying {
    /// The rounds that are wanted, each with the hits that are. Of takes, and instead of what is there, none that
    /// had only begun, unless it is asked for.
    pub fn chosen(&self, rounds: &[Round], chart: &Chart) -> Vec<Round> {
        let within = |tick: Ticks| self.from.is_none_or(|from| from <= tick) && self.to.is_none_or(|to| tick < to);
        let of_ours = |hit: &Draft| {
            let id = |place: usize| &chart.kit.instruments[place].id;
            let struck = chart.instrument_of(hit.note, hit.channel).map(id);
            self.instruments.is_empty() || struck.is_some_and(|id| self.instruments.contains(id))
        };
        let wanted = rounds.iter().filter(|round| self.rounds.is_empty() || self.rounds.contains(&round.number));
        let kept = wanted.map(|round| Round {
            number: round.number,
            whole: round.whole,
            hits: round.hits.iter().filter(|hit| within(hit.tick) && of_ours(hit)).copied().collect(),
            lanes: Vec::new(),
        });
        let kept: Vec<Round> = kept.filter(|round| !round.hits.is_empty()).collect();
        if self.how == LayingHow::Over || !self.rounds.is_empty() {
            return kept;
        }
        // What was begun when it was stopped is no round to stand for itself.
        let most = kept.iter().map(|round| round.hits.len()).max().unwrap_or(0);
        // Four in five tell of a last beat that was cut; as a take of its own half a round may do.
        let (share, of) = if self.how == LayingHow::Replace { (4, 5) } else { (1, 2) };
        kept.into_iter().filter(|round| round.whole || of * round.hits.len() >= share * most).collect()
    }

    /// Each Written that comes of it and the round that it is of: one, or for takes one of each round. Hits that
    /// come have ids from `free` on.
    pub fn lay(&self, part: &Part, chart: &Chart, rounds: &[Round], free: u32) -> Vec<(u32, Part)> {
        let chosen = self.chosen(rounds, chart);
        let instead = |round: &Round| (round.number, part.drawn(&self.instead(part, chart, round), free));
        match self.how {
            LayingHow::Over => {
                let come = chosen.iter().flat_map(|round| round.hits.iter().copied()).collect();
                let last = chosen.last().map(|round| round.number);
                last.map(|last| (last, part.drawn(&Edits { come, ..Edits::default() }, free))).into_iter().collect()
            }
            LayingHow::Takes => chosen.iter().map(instead).collect(),
            LayingHow::Replace => chosen.last().map(instead).into_iter().collect(),
        }
    }

    /// A recipe that draws what was sent besides in the round that a Written is of: where only some instruments are
    /// wanted, what belongs to them, which is the hat's pedal. What was recorded before goes on around it in one line.
    pub fn drawn(&self, recipe: &Recipe, of: u32, rounds: &[Round], chart: &Chart, metre: &MetreMap) -> Recipe {
        let within = |tick: f64| self.from.is_none_or(|from| from.0 <= tick) && self.to.is_none_or(|to| tick < to.0);
        let hat = |id: &InstrumentId| chart.kit.find(id).is_some_and(|(_, one)| one.family == Family::Hat);
        let wanted = |kind: LaneKind| match self.instruments.is_empty() {
            true => true,
            false => kind == LaneKind::PEDAL && self.instruments.iter().any(hat),
        };
        let round = rounds.iter().find(|round| round.number == of);
        let lanes = round.into_iter().flat_map(|round| &round.lanes).filter(|lane| wanted(lane.kind));
        let mut recipe = recipe.clone();
        for lane in lanes {
            let values = lane.ticks().iter().copied().zip(lane.values().iter().copied());
            let values = values.filter(|one| within(one.0)).collect();
            let Some(line) = LaneLine::stepped(lane.kind, values, metre) else { continue };
            let everywhere = Aim::everything();
            let playing: HashSet<PassId> = recipe.playing().map(|pass| pass.id).collect();
            let before = recipe.passes.iter_mut().rev().filter(|pass| playing.contains(&pass.id));
            let before = before.into_iter().find_map(|pass| match &mut pass.action {
                Action::LaneLine(before) if before.lane == line.lane && pass.aim == everywhere => Some(before),
                _ => None,
            });
            match before.and_then(|before| Some((before.with(&line)?, before))) {
                Some((with, before)) => *before = with,
                None => {
                    let pass = Pass::new(recipe.free_id().0, everywhere, Action::LaneLine(line));
                    recipe.passes.push(pass);
                }
            }
        }
        recipe
    }

    /// A round in the place of what its instruments play in its stretch.
    fn instead(&self, part: &Part, chart: &Chart, round: &Round) -> Edits {
        let of = |note: Note, channel: Channel| match chart.instrument_of(note, channel) {
            Some(place) => Ok(place),
            None => Err(note),
        };
        let mut struck: HashSet<Result<usize, Note>> = round.hits.iter().map(|hit| of(hit.note, hit.channel)).collect();
        struck.extend(self.instruments.iter().filter_map(|id| chart.kit.find(id)).map(|(place, _)| Ok(place)));
        let within = |tick: Ticks| self.from.is_none_or(|from| from <= tick) && self.to.is_none_or(|to| tick < to);
        let gone = part.hits().iter().filter(|hit| within(hit.tick) && struck.contains(&of(hit.note, hit.channel)));
        Edits { gone: gone.map(|hit| hit.id).collect(), come: round.hits.clone(), ..Edits::default() }
    }
}

/// How late the messages of a device come.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct Latency {
    /// So many ms; taken out of what is recorded.
    pub latency: Millis,
    /// How far single strokes spread about that.
    pub spread: Millis,
    /// Strokes that count; those far from any click do not.
    pub used: u32,
}

impl Latency {
    /// Fewer strokes tell nothing.
    pub const FEWEST: usize = 8;

    /// From strokes along with a click, both on the audio clock in s: the mean of the middle half of their distances
    /// to the nearest click. Nothing with fewer than 8, or where they spread over more than 60 ms.
    pub fn of(strokes: &[f64], clicks: &[f64]) -> Option<Latency> {
        let mut clicks: Vec<f64> = clicks.to_vec();
        clicks.sort_by(f64::total_cmp);
        let nearest = |stroke: &f64| {
            let after = clicks.partition_point(|click| click < stroke);
            let around = [after.checked_sub(1), Some(after)].into_iter().flatten();
            let distances = around.filter_map(|place| clicks.get(place)).map(|click| 1000.0 * (stroke - click));
            distances.min_by(|a, b| a.abs().total_cmp(&b.abs()))
        };
        let most = Recording::MOST_LATENCY;
        let mut distances: Vec<f64> = strokes.iter().filter_map(nearest).filter(|one| one.abs() <= most).collect();
        distances.sort_by(f64::total_cmp);
        if distances.len() < Latency::FEWEST {
            return None;
        }
        let quarter = distances.len() / 4;
        let middle = &distances[quarter..distances.len() - quarter];
        let spread = standard_deviation(middle);
        let latency = (mean(middle) * 10.0).round() / 10.0;
        (spread <= 60.0).then_some(Latency {
            latency: Millis(latency),
            spread: Millis(spread),
            used: distances.len() as u32,
        })
    }
}
