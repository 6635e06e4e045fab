//! Lanes in: from a track's events to columns.

use crate::chunk::Track;
use std::collections::BTreeMap;
use vivida_core::{Lane, LaneKind};

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
