//! Lanes in and out: from a track's events to columns, and back where passes drew them.

use crate::chunk::Track;
use crate::import::SongPart;
use crate::write::{Outgoing, Timing, What, rank};
use std::collections::BTreeMap;
use vivida_core::{Channel, GoesWith, Hit, Lane, LaneKind, Performance, PlayedHit, PlayedLane};

/// The lanes of one channel of one track.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct FileLanes {
    pub lanes: Vec<Lane>,
    /// The places of each one's events in the track.
    pub places: Vec<Vec<u32>>,
    /// How far a full bend goes, in cents, where the channel says so (registered parameter 0).
    pub bend_range: Option<f64>,
}

/// The lanes of each channel of a track that has any.
pub(crate) fn by_channel(file: &[u8], track: &Track, factor: u32) -> BTreeMap<u8, FileLanes> {
    let mut channels: [Option<Reading>; 16] = Default::default();
    if track.has_lanes {
        for (place, event) in (0..).zip(&track.events).filter(|(_, event)| event.is_of_lane()) {
            let reading = channels[usize::from(event.status() & 0x0f)].get_or_insert_default();
            let data = event.data(file);
            if event.status() & 0xf0 == 0xb0 {
                reading.range.take(data);
            }
            if let Some((kind, value)) = LaneKind::of_message([event.status(), data[0], data[1]]) {
                reading.lane(kind).push(event.tick as f64 * f64::from(factor), value, place);
            }
        }
    }
    let found = (0..).zip(channels).filter_map(|(channel, reading)| Some((channel, reading?.lanes())));
    found.collect()
}

/// The lanes of a channel while its events are read.
#[derive(Default)]
struct Reading {
    lanes: Vec<ReadLane>,
    /// The place of the lane that was read last: mostly the next value is of it, too.
    last: usize,
    range: BendRange,
}

struct ReadLane {
    lane: Lane,
    places: Vec<u32>,
}

impl ReadLane {
    fn push(&mut self, tick: f64, value: f64, place: u32) {
        self.lane.push(tick, value);
        self.places.push(place);
    }
}

impl Reading {
    fn lane(&mut self, kind: LaneKind) -> &mut ReadLane {
        if self.lanes.get(self.last).is_none_or(|last| last.lane.kind != kind) {
            self.last = self.lanes.iter().position(|one| one.lane.kind == kind).unwrap_or_else(|| {
                self.lanes.push(ReadLane { lane: Lane::empty(kind), places: Vec::new() });
                self.lanes.len() - 1
            });
        }
        &mut self.lanes[self.last]
    }

    fn lanes(mut self) -> FileLanes {
        self.lanes.sort_by_key(|one| one.lane.kind);
        let (lanes, places) = self.lanes.into_iter().map(|one| (one.lane, one.places)).unzip();
        FileLanes { lanes, places, bend_range: self.range.cents }
    }
}

/// Follows the parameter messages of a channel.
#[derive(Default)]
struct BendRange {
    /// The parameter that is being set: its two numbers.
    parameter: [u8; 2],
    registered: bool,
    cents: Option<f64>,
}

impl BendRange {
    fn take(&mut self, [controller, value]: [u8; 2]) {
        let is_range = self.registered && self.parameter == [0, 0];
        match controller {
            101 | 100 => {
                if !self.registered {
                    self.parameter = [127, 127];
                }
                self.registered = true;
                self.parameter[usize::from(controller == 100)] = value;
            }
            99 | 98 => self.registered = false,
            6 if is_range => self.cents = Some(100.0 * f64::from(value) + self.cents.unwrap_or(0.0) % 100.0),
            38 if is_range => {
                self.cents = Some((self.cents.unwrap_or(0.0) / 100.0).floor() * 100.0 + f64::from(value.min(99)))
            }
            _ => {}
        }
    }
}

/// A value of a lane as a message.
pub(crate) fn message(kind: LaneKind, channel: Channel, value: f64) -> What {
    let (channel, value) = (channel.get(), value.round());
    let short = |value: f64| value.clamp(0.0, 127.0) as u8;
    match kind {
        LaneKind::Controller(number) => What::Message([0xb0 | channel, number, short(value)], 3),
        LaneKind::NotePressure(note) => What::Message([0xa0 | channel, note.get(), short(value)], 3),
        LaneKind::Pressure => What::Message([0xd0 | channel, short(value), 0], 2),
        LaneKind::Bend => {
            let bits = (value + 8192.0).clamp(0.0, 16383.0) as u16;
            What::Message([0xe0 | channel, (bits & 0x7f) as u8, (bits >> 7) as u8], 3)
        }
    }
}

/// Moves the values of untouched lanes that go with hits to where those are played. `in_turn` says that all note-ons
/// are ranked behind what stood there.
pub(crate) fn carry(out: &mut [Outgoing], part: &SongPart, performance: &Performance, timing: Timing, in_turn: bool) {
    let goes = |one: &&PlayedLane| one.is_as_usual() && one.goes_with == GoesWith::Hits && !one.lane.is_empty();
    let mut lanes = performance.lanes.iter().filter(goes).peekable();
    if lanes.peek().is_none() {
        return;
    }
    let strokes = Stroke::all(part, performance, timing, in_turn);
    if strokes.iter().all(|one| !one.moved) {
        return;
    }
    for PlayedLane { lane, .. } in lanes {
        let Some(own) = part.lanes.lanes.iter().position(|own| own.kind == lane.kind) else { continue };
        let values = part.lanes.places[own].iter().zip(part.lanes.lanes[own].ticks()).zip(lane.ticks());
        for ((&place, &was), &now) in values {
            let tick = timing.played(now);
            let next = strokes.partition_point(|one| (one.at, one.place) < (now, place));
            let before = next.checked_sub(1).map(|before| strokes[before]);
            let prepares = strokes.get(next).is_some_and(|one| one.at == now);
            let is_behind = before.is_some_and(|one| one.moved && one.tick == tick) && !prepares;
            if now != was || is_behind {
                let rank = if is_behind { rank::BEHIND } else { rank::AS_IT_STOOD };
                out[place as usize] = Outgoing { tick, rank, ..out[place as usize] };
            }
        }
    }
}

/// A note-on that is written: in ticks as it is played and as they are written.
#[derive(Clone, Copy)]
struct Stroke {
    at: f64,
    tick: u64,
    /// Its place among the track's events.
    place: u32,
    /// It does not stand in its place any more.
    moved: bool,
}

impl Stroke {
    fn all(part: &SongPart, performance: &Performance, timing: Timing, in_turn: bool) -> Vec<Stroke> {
        let written = part.part.hits().iter().zip(&performance.written);
        let sounding = written.filter(|(_, played)| played.silenced.is_none());
        let stroke = |(hit, played): (&Hit, &PlayedHit)| {
            let (at, events) = (played.tick.0, part.events_of(hit));
            let tick = timing.played(at);
            Stroke { at, tick, place: events.on, moved: in_turn || tick != timing.note(events.tick) }
        };
        let mut strokes: Vec<Stroke> = sounding.map(stroke).collect();
        strokes.sort_by(|a, b| a.at.total_cmp(&b.at).then(a.place.cmp(&b.place)));
        strokes
    }
}

/// Puts the lanes that passes drew, or let go with something else than usual, in the place of what was there. What no
/// pass touched stays, event for event.
pub(crate) fn redraw(out: &mut Vec<Outgoing>, part: &SongPart, lanes: &[PlayedLane], timing: Timing) {
    for PlayedLane { lane, .. } in lanes.iter().filter(|one| !one.is_as_usual()) {
        if let Some(place) = part.lanes.lanes.iter().position(|own| own.kind == lane.kind) {
            part.lanes.places[place].iter().for_each(|&event| out[event as usize].what = What::Nothing);
        }
        let values = lane.ticks().iter().zip(lane.values());
        out.extend(values.map(|(&tick, &value)| Outgoing {
            tick: timing.played(tick),
            rank: rank::OFF,
            what: message(lane.kind, part.channel, value),
        }));
    }
}
