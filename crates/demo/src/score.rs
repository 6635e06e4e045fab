//! A score that is written down in beats and comes out as a Standard MIDI File.

use midly::num::{u4, u7, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, Track, TrackEvent, TrackEventKind};

/// Who plays: a track.
#[derive(Clone, Copy)]
pub struct Player(usize);

pub struct Score {
    ppq: u16,
    tracks: Vec<Vec<(u32, u8, TrackEventKind<'static>)>>,
    channels: Vec<u8>,
}

impl Score {
    pub fn new(title: &'static str, ppq: u16) -> Score {
        let mut score = Score { ppq, tracks: vec![Vec::new()], channels: vec![0] };
        score.meta(0, 0.0, MetaMessage::TrackName(title.as_bytes()));
        score.meta(0, 0.0, MetaMessage::Copyright(b"Harbour Clocks, Low Tide Almanac (a made-up EP)"));
        score
    }

    /// A track of its own on a channel (1 to 16).
    pub fn player(&mut self, name: &'static str, channel: u8) -> Player {
        self.tracks.push(Vec::new());
        self.channels.push(channel - 1);
        let track = self.tracks.len() - 1;
        self.meta(track, 0.0, MetaMessage::TrackName(name.as_bytes()));
        Player(track)
    }

    /// The tick of a place.
    pub fn tick(&self, quarters: f64) -> u32 {
        (quarters * f64::from(self.ppq)).round().max(0.0) as u32
    }

    fn meta(&mut self, track: usize, quarters: f64, message: MetaMessage<'static>) {
        let tick = self.tick(quarters);
        self.tracks[track].push((tick, 1, TrackEventKind::Meta(message)));
    }

    pub fn tempo(&mut self, quarters: f64, bpm: f64) {
        self.meta(0, quarters, MetaMessage::Tempo(u24::from((60e6 / bpm).round() as u32)));
    }

    pub fn metre(&mut self, quarters: f64, numerator: u8, denominator: u8) {
        let power = denominator.trailing_zeros() as u8;
        self.meta(0, quarters, MetaMessage::TimeSignature(numerator, power, 24, 8));
    }

    pub fn marker(&mut self, quarters: f64, name: &'static str) {
        self.meta(0, quarters, MetaMessage::Marker(name.as_bytes()));
    }

    fn midi(&mut self, player: Player, quarters: f64, rank: u8, message: MidiMessage) {
        let (tick, channel) = (self.tick(quarters), u4::from(self.channels[player.0]));
        self.tracks[player.0].push((tick, rank, TrackEventKind::Midi { channel, message }));
    }

    pub fn program(&mut self, player: Player, program: u8) {
        self.midi(player, 0.0, 1, MidiMessage::ProgramChange { program: u7::from(program) });
    }

    pub fn controller(&mut self, player: Player, quarters: f64, controller: u8, value: u8) {
        let (controller, value) = (u7::from(controller), u7::from(value));
        self.midi(player, quarters, 1, MidiMessage::Controller { controller, value });
    }

    /// A note of `length` quarters; what would begin before the start begins there.
    pub fn note(&mut self, player: Player, quarters: f64, length: f64, key: u8, velocity: u8) {
        let start = quarters.max(0.0);
        let (key, vel) = (u7::from(key), u7::from(velocity.clamp(1, 127)));
        self.midi(player, start, 2, MidiMessage::NoteOn { key, vel });
        self.midi(player, start + length, 0, MidiMessage::NoteOff { key, vel: u7::from(64) });
    }

    pub fn finish(self) -> Vec<u8> {
        let tracks = self.tracks.into_iter().map(|mut events| {
            events.sort_by_key(|&(tick, rank, _)| (tick, rank));
            let mut now = 0;
            let mut track: Track<'_> = Vec::with_capacity(events.len() + 1);
            for (tick, _, kind) in events {
                track.push(TrackEvent { delta: u28::from(tick - now), kind });
                now = tick;
            }
            track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
            track
        });
        let header = Header { format: Format::Parallel, timing: Timing::Metrical(u15::from(self.ppq)) };
        let mut bytes = Vec::new();
        Smf { header, tracks: tracks.collect() }.write_std(&mut bytes).expect("memory can be written to");
        bytes
    }
}
