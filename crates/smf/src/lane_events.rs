//! Lanes out: back into events where passes drew them, or where they go with hits that moved.

use crate::outgoing::{Outgoing, Timing, What, rank};
use crate::song::SongPart;
use vivida_core::{Channel, GoesWith, Hit, LaneKind, Performance, PlayedHit, PlayedLane};

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
