//! Lanes in and out: from a track's events to columns, and back where passes drew them.

use crate::chunk::{Event, Track};
use crate::import::SongPart;
use crate::write::{Outgoing, Timing, What, rank};
use std::collections::BTreeMap;
use vivida_core::{Channel, Lane, LaneKind, Note, PlayedLane};

/// The lanes of one channel of one track.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct FileLanes {
    pub lanes: Vec<Lane>,
    /// The places of each one's events in the track.
    pub places: Vec<Vec<u32>>,
    /// How far a full bend goes, in cents, where the channel says so (registered parameter 0).
    pub bend_range: Option<f64>,
}

/// What an event is to a lane: which, and its value.
fn read(event: Event, file: &[u8]) -> Option<(LaneKind, f64)> {
    let [first, second] = event.data(file);
    match event.status() & 0xf0 {
        0xa0 => Some((LaneKind::NotePressure(Note::from_data(first)), f64::from(second))),
        0xb0 => Some((LaneKind::of_controller(first)?, f64::from(second))),
        0xd0 => Some((LaneKind::Pressure, f64::from(first))),
        0xe0 => Some((LaneKind::Bend, f64::from(u16::from(second) << 7 | u16::from(first)) - 8192.0)),
        _ => None,
    }
}

/// The lanes of each channel of a track that has any.
pub(crate) fn by_channel(file: &[u8], track: &Track, factor: u32) -> BTreeMap<u8, FileLanes> {
    type Values = BTreeMap<LaneKind, (Vec<(f64, f64)>, Vec<u32>)>;
    let mut channels: BTreeMap<u8, (Values, BendRange)> = BTreeMap::new();
    for (place, event) in (0..).zip(&track.events) {
        if !(0xa0..0xf0).contains(&event.status()) || event.status() & 0xf0 == 0xc0 {
            continue;
        }
        let (values, range) = channels.entry(event.status() & 0x0f).or_default();
        if event.status() & 0xf0 == 0xb0 {
            range.take(event.data(file));
        }
        if let Some((kind, value)) = read(*event, file) {
            let (pairs, places) = values.entry(kind).or_default();
            pairs.push((event.tick as f64 * f64::from(factor), value));
            places.push(place);
        }
    }
    let lanes = |(values, range): (Values, BendRange)| {
        let (lanes, places) =
            values.into_iter().map(|(kind, (pairs, places))| (Lane::new(kind, pairs), places)).unzip();
        FileLanes { lanes, places, bend_range: range.cents }
    };
    channels.into_iter().map(|(channel, found)| (channel, lanes(found))).collect()
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

/// Puts the lanes that passes drew, or let go with something else than usual, in the place of what was there. What no
/// pass touched stays, event for event.
pub(crate) fn redraw(out: &mut Vec<Outgoing>, part: &SongPart, lanes: &[PlayedLane], timing: Timing) {
    for PlayedLane { lane, goes_with, drawn } in lanes {
        if !drawn && *goes_with == lane.kind.usually_goes_with() {
            continue;
        }
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
