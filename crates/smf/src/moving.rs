//! Hits that move, as messages: bends and controllers just before a hit on its channel, and back behind it.

use crate::lane_events::message;
use crate::outgoing::{Outgoing, Timing, What, rank};
use crate::song::SongFile;
use std::collections::{BTreeMap, BTreeSet};
use vivida_core::{Channel, LaneKind, Performance, PlayedHit, PlayedLane, Property, SentApart};

/// What came of the movement of hits in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MovedOut {
    /// Hits that move.
    pub moving: usize,
    /// Those that do not come through, because another one sounds on their channel meanwhile.
    pub overlapping: usize,
    /// Those that want more than a controller or the channel's bend range can say.
    pub clipped: usize,
}

/// The channels that no event of a song uses, and none of some performances; channel 10 is never free.
pub fn free_channels(song: &SongFile, performances: &[(usize, Performance)]) -> Vec<Channel> {
    let mut used = BTreeSet::from([Channel::PERCUSSION.get()]);
    used.extend(
        song.chunks.tracks().flat_map(|track| &track.events).map(|event| event.status()).filter_map(channel_of),
    );
    used.extend(performances.iter().flat_map(|(_, one)| one.sounding()).map(|hit| hit.channel.get()));
    (0..16).filter(|one| !used.contains(one)).map(Channel::from_status).collect()
}

/// By the place of each performance's part the channels that its hits are on besides the part's own.
pub fn taken(song: &SongFile, performances: &[(usize, Performance)]) -> BTreeMap<usize, BTreeSet<u8>> {
    let others = |(place, one): &(usize, Performance)| {
        let own = song.parts.get(*place).map(|part| part.channel.get());
        let channels = one.sounding().map(|hit| hit.channel.get()).filter(|channel| Some(*channel) != own).collect();
        (*place, channels)
    };
    performances.iter().map(others).collect()
}

fn channel_of(status: u8) -> Option<u8> {
    (0x80..0xf0).contains(&status).then_some(status & 0x0f)
}

/// The messages of each treated part, by its place in the song.
pub(crate) type Moves = BTreeMap<usize, Vec<Outgoing>>;

/// A hit that sounds, in the order of time.
struct Sounding<'a> {
    part: usize,
    hit: &'a PlayedHit,
    end: f64,
}

/// What has to be sent for the hits that move, and what does not come through. Hits take turns on the channels of a
/// zone of so many members, if there are any.
///
/// What was set for a hit goes back where the next one begins on its channel: what was struck rings on behind its end.
pub(crate) fn messages(
    song: &SongFile,
    performances: &[(usize, Performance)],
    timing: Option<Timing>,
    zone: usize,
) -> (Moves, MovedOut) {
    let (mut moves, mut out) = (Moves::new(), MovedOut::default());
    let moving = |hit: &&PlayedHit| !hit.movement.is_none();
    if !performances.iter().any(|(_, one)| one.sounding().any(|hit| moving(&hit))) {
        return (moves, out);
    }
    let treated: BTreeSet<usize> = performances.iter().map(|one| one.0).collect();
    let untreated: Vec<(usize, PlayedHit)> = song
        .parts
        .iter()
        .enumerate()
        .filter(|(place, _)| !treated.contains(place))
        .flat_map(|(place, part)| part.part.hits().iter().map(move |hit| (place, PlayedHit::as_written(hit))))
        .collect();
    let played = performances.iter().flat_map(|(part, one)| one.sounding().map(|hit| (*part, hit)));
    let mut channels: BTreeMap<u8, Vec<Sounding<'_>>> = BTreeMap::new();
    for (part, hit) in played.chain(untreated.iter().map(|(part, hit)| (*part, hit))) {
        let sounding = Sounding { part, hit, end: hit.tick.0 + hit.length.0 };
        channels.entry(hit.channel.get()).or_default().push(sounding);
    }
    let lanes: BTreeMap<usize, &[PlayedLane]> =
        performances.iter().map(|(part, one)| (*part, &one.lanes[..])).collect();
    let is_member = |channel: u8| (1..=zone).contains(&usize::from(channel));
    let farthest =
        |hits: &[Sounding<'_>]| hits.iter().map(|one| f64::from(one.hit.movement.pitch.abs())).fold(0.0, f64::max);
    let of_members = channels.iter().filter(|(channel, _)| is_member(**channel));
    let farthest_of_members = of_members.map(|(_, hits)| farthest(hits)).fold(0.0, f64::max);
    for (channel, hits) in &mut channels {
        if hits.iter().all(|one| one.hit.movement.is_none()) {
            continue;
        }
        hits.sort_by(|a, b| a.hit.tick.0.total_cmp(&b.hit.tick.0));
        let range = match is_member(*channel) {
            true => member_range(farthest_of_members),
            false => range(song, Channel::from_status(*channel), farthest(hits)),
        };
        let channel = Channel::from_status(*channel);
        let mut ended = f64::NEG_INFINITY;
        for (place, one) in hits.iter().enumerate() {
            // What another part plays may not even touch: nobody knows which of the two is read first.
            let touches = |other: &Sounding<'_>| other.part != one.part;
            let before =
                place.checked_sub(1).is_some_and(|place| touches(&hits[place]) && hits[place].end == one.hit.tick.0);
            let behind = hits
                .get(place + 1)
                .is_some_and(|next| next.hit.tick.0 < one.end || (touches(next) && next.hit.tick.0 == one.end));
            let alone = ended <= one.hit.tick.0 && !before && !behind;
            ended = ended.max(one.end);
            if one.hit.movement.is_none() {
                continue;
            }
            out.moving += 1;
            if !alone {
                out.overlapping += 1;
                continue;
            }
            let own = lanes.get(&one.part).copied().unwrap_or_default();
            let reigns = |kind: LaneKind, tick: f64| {
                // Lanes hold on the part's own channel.
                let here = song.parts.get(one.part).is_some_and(|part| part.channel == channel);
                let lane = own.iter().find(|lane| here && lane.lane.kind == kind);
                lane.map_or(kind.rest(), |lane| lane.lane.at(tick))
            };
            let messages = moves.entry(one.part).or_default();
            let mut clipped = false;
            for property in Property::MOVEMENT.into_iter().filter(|property| one.hit.movement.of(*property) != 0.0) {
                let (kind, set, held) = value(property, one.hit, range.cents, |kind| reigns(kind, one.hit.tick.0));
                clipped |= held;
                let Some(timing) = timing else { continue };
                let on = timing.played(one.hit.tick.0);
                messages.push(Outgoing { tick: on, rank: rank::MOVE, what: message(kind, channel, set) });
                let next = hits.get(place + 1);
                let end = match next {
                    Some(next) if !touches(next) => next.hit.tick.0,
                    Some(_) => one.end,
                    None => one.end.max(song.end.0),
                };
                messages.push(Outgoing {
                    tick: timing.played(end).max(on + 1),
                    rank: rank::MOVE,
                    what: message(kind, channel, reigns(kind, end)),
                });
            }
            out.clipped += usize::from(clipped);
        }
        if let (Some(first), true) = (hits.iter().find(|one| !one.hit.movement.is_none()), range.is_set) {
            let set = parameter(channel, 0, (range.cents / 100.0) as u8);
            moves
                .entry(first.part)
                .or_default()
                .splice(0..0, set.map(|what| Outgoing { tick: 0, rank: rank::MOVE, what }));
        }
    }
    (moves, out)
}

/// A registered parameter set to a number: both of its own numbers, the value, and none chosen any more.
pub(crate) fn parameter(channel: Channel, number: u8, value: u8) -> [What; 6] {
    let send = |controller, value| What::Message([0xb0 | channel.get(), controller, value], 3);
    [send(101, 0), send(100, number), send(6, value), send(38, 0), send(101, 127), send(100, 127)]
}

/// How far a full bend goes on a channel.
struct Range {
    cents: f64,
    /// It has to be set at the start.
    is_set: bool,
}

/// What the file says; else two semitones, as receivers begin, and as many more as are needed where nothing else is
/// bent there.
fn range(song: &SongFile, channel: Channel, farthest: f64) -> Range {
    let own = || song.parts.iter().filter(|part| part.channel == channel);
    if let Some(cents) = own().find_map(|part| part.lanes.bend_range).filter(|cents| *cents > 0.0) {
        return Range { cents, is_set: false };
    }
    let bends = own().any(|part| part.lanes.lanes.iter().any(|lane| lane.kind == LaneKind::Bend));
    match farthest > 200.0 && !bends {
        true => Range { cents: (farthest / 100.0).ceil() * 100.0, is_set: true },
        false => Range { cents: 200.0, is_set: false },
    }
}

/// On the members of a zone, which begin with 48 semitones (MPE 1.0, 2.4): what is needed is set, the same on all.
fn member_range(farthest: f64) -> Range {
    Range { cents: ((farthest / 100.0).ceil() * 100.0).max(200.0), is_set: true }
}

/// The lane by which a property goes out, its value, and whether that is less than was wanted.
fn value(property: Property, hit: &PlayedHit, cents: f64, reigns: impl Fn(LaneKind) -> f64) -> (LaneKind, f64, bool) {
    let amount = hit.movement.of(property);
    let (kind, value) = match property {
        Property::Pitch => (LaneKind::Bend, reigns(LaneKind::Bend) + amount / cents * 8192.0),
        Property::Place => (LaneKind::Controller(10), reigns(LaneKind::Controller(10)) + 0.63 * amount),
        // The square of the number is the amplitude (General MIDI, RP-036).
        Property::Level => (LaneKind::Controller(7), reigns(LaneKind::Controller(7)) * libm::pow(10.0, amount / 40.0)),
        Property::Brightness | Property::Velocity => {
            (LaneKind::Controller(74), reigns(LaneKind::Controller(74)) + 0.63 * amount)
        }
    };
    let (least, most) = kind.range();
    let held = value.round() < least || value.round() > most + f64::from(u8::from(kind == LaneKind::Bend));
    (kind, value.clamp(least, most), held)
}

/// What the movement of some performances comes to in a file.
pub fn moved_out(song: &SongFile, performances: &[(usize, Performance)]) -> MovedOut {
    messages(song, performances, None, 0).1
}

/// What is sent at the start for hits that take turns on the channels of a zone: how many members it has.
pub(crate) fn zone(members: usize) -> impl Iterator<Item = Outgoing> {
    let configured = parameter(Channel::from_status(0), 6, members as u8);
    configured.into_iter().map(|what| Outgoing { tick: 0, rank: rank::MOVE, what })
}

/// In a sentence, for people: what came of movement; nothing where all of it came through.
pub fn movement_said(out: &MovedOut, apart: &[SentApart]) -> Option<String> {
    let mut said = Vec::new();
    for one in apart {
        if !one.on.is_empty() {
            let names: Vec<String> =
                one.on.iter().map(|(name, channel)| format!("{name} on {}", channel.shown())).collect();
            said.push(format!("Channels of their own: {}.", names.join(", ")));
        }
        if !one.without.is_empty() {
            said.push(format!("No channel was left for {}.", one.without.join(", ")));
        }
        if one.members > 0 {
            said.push(format!("Hits take turns on channels 2 to {} (MPE).", one.members + 1));
        }
    }
    if out.overlapping > 0 {
        let (all, some) = (out.moving, out.overlapping);
        said.push(format!(
            "{some} of {all} hits that move in pitch, place, level or brightness go out without that: another hit sounds on their channel."
        ));
    }
    if out.clipped > 0 {
        said.push(format!("{} hits want more than their channel can say and go as far as it does.", out.clipped));
    }
    (!said.is_empty()).then(|| said.join(" "))
}
