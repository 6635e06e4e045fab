//! What a sampler is sent for what is played: the very last step, in listening and in export alone.

use crate::base::units::{Channel, Note, Ticks, Velocity};
use crate::kit::chart::Chart;
use crate::kit::chart::key;
use crate::kit::{Articulation, Instrument, Kit, KitLookup};
use crate::perform::{Performance, PlayedHit};
use rustc_hash::FxHashMap;

impl Kit {
    /// Whether a sampler is sent anything else than what is played.
    pub fn sends_otherwise(&self) -> bool {
        self.instruments.iter().any(Instrument::sends_otherwise)
    }

    /// The kit by which what was sent is read: its strokes are known by the notes and channels that go out.
    pub fn outgoing(&self) -> Kit {
        let mut kit = self.clone();
        for way in kit.instruments.iter_mut().flat_map(|one| &mut one.articulations) {
            (way.note, way.channel) = (way.note_out.unwrap_or(way.note), way.channel_out.or(way.channel));
        }
        kit
    }

    /// The note, channel and velocity that a sampler is sent for a hit.
    pub fn sent(&self, lookup: &KitLookup, hit: &PlayedHit) -> (Note, Channel, Velocity) {
        let PlayedHit { note, channel, velocity, .. } = *hit;
        let Some(found) = lookup.stroke(note, channel) else { return (note, channel, velocity) };
        let (instrument, way) = self.stroke(found);
        (way.note_out.unwrap_or(note), way.channel_out.unwrap_or(channel), instrument.sent(velocity))
    }
}

impl Instrument {
    fn sends_otherwise(&self) -> bool {
        self.offset != 0.0 || self.scale.0 != 100.0 || self.articulations.iter().any(Articulation::goes_elsewhere)
    }
}

impl Articulation {
    fn goes_elsewhere(&self) -> bool {
        self.note_out.is_some_and(|out| out != self.note) || self.channel_out.is_some()
    }
}

impl Performance {
    /// As a sampler is sent it: by the kit's notes and channels out, its velocities scaled and offset. Where two
    /// notes that come in go out as one, a hit is cut at the next.
    pub fn sent(mut self, chart: &Chart) -> Performance {
        if !chart.kit.sends_otherwise() {
            return self;
        }
        let came: Vec<u16> = self.hits().map(|hit| key(hit.note, hit.channel)).collect();
        for hit in self.hits_mut() {
            (hit.note, hit.channel, hit.velocity) = chart.kit.sent(&chart.lookup, hit);
        }
        let lengths = self.cut(&came);
        self.hits_mut().zip(lengths).for_each(|(hit, length)| hit.length = length);
        self
    }

    pub(crate) fn hits_mut(&mut self) -> impl Iterator<Item = &mut PlayedHit> {
        self.written.iter_mut().chain(self.made.iter_mut().map(|made| &mut made.played))
    }

    /// How long each hit sounds where it stops for the next of its outgoing note that came in as another.
    fn cut(&self, came: &[u16]) -> Vec<Ticks> {
        let hits: Vec<&PlayedHit> = self.hits().collect();
        let mut order: Vec<usize> = (0..hits.len()).filter(|&index| hits[index].silenced.is_none()).collect();
        order.sort_by(|&a, &b| hits[a].tick.0.total_cmp(&hits[b].tick.0));
        let mut lengths: Vec<Ticks> = hits.iter().map(|hit| hit.length).collect();
        // Of each outgoing note where the next hit begins, and where the next that came in as another does.
        let mut next: FxHashMap<u16, (u16, f64, f64)> = FxHashMap::default();
        for &index in order.iter().rev() {
            let (hit, came) = (hits[index], came[index]);
            let later = next.entry(key(hit.note, hit.channel)).or_insert((came, f64::INFINITY, f64::INFINITY));
            let (other, begins, another) = *later;
            let stop = if other == came { another } else { begins };
            lengths[index].0 = lengths[index].0.min((stop - hit.tick.0).max(1.0));
            *later = (came, hit.tick.0, stop);
        }
        lengths
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::hit::HitId;

    fn hit(id: u32, tick: f64, length: f64, note: u8, velocity: u8) -> PlayedHit {
        PlayedHit {
            id: HitId::new(id),
            tick: Ticks(tick),
            length: Ticks(length),
            velocity: Velocity::new(velocity).unwrap(),
            release: 0,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
            silenced: None,
            hand: None,
            movement: crate::Movement::NONE,
        }
    }

    #[test]
    fn a_sampler_gets_its_own_notes_channels_and_velocities() {
        let mut kit = Kit::general_midi();
        let snare = kit.instruments.iter_mut().find(|one| one.name == "Snare").unwrap();
        (snare.scale.0, snare.offset) = (50.0, 10.0);
        for way in &mut snare.articulations {
            (way.note_out, way.channel_out) = (Note::new(33), Channel::new(2));
        }
        let chart = Chart::new(&crate::part::hit::Part::default(), kit);
        // Two ways of striking the snare go out as one note; each stops for the other. The kick goes as it came.
        let written = vec![
            hit(0, 0.0, 100.0, 38, 100),
            hit(1, 50.0, 100.0, 40, 127),
            hit(2, 90.0, 5.0, 38, 1),
            hit(3, 90.0, 5.0, 36, 1),
        ];
        let sent = Performance { written, ..Performance::default() }.sent(&chart);
        let out: Vec<(u8, u8, u8, f64)> =
            sent.hits().map(|hit| (hit.note.get(), hit.channel.get(), hit.velocity.get(), hit.length.0)).collect();
        assert_eq!(out, [(33, 2, 60, 50.0), (33, 2, 74, 40.0), (33, 2, 11, 5.0), (36, 9, 1, 5.0)]);
    }

    #[test]
    fn what_was_written_to_overlap_still_does() {
        let mut kit = Kit::general_midi();
        kit.instruments.iter_mut().for_each(|one| one.offset = 1.0);
        let chart = Chart::new(&crate::part::hit::Part::default(), kit);
        let written = vec![hit(0, 0.0, 100.0, 38, 100), hit(1, 50.0, 100.0, 38, 127)];
        let sent = Performance { written, ..Performance::default() }.sent(&chart);
        assert_eq!(sent.written[0].length, Ticks(100.0));
        assert_eq!((sent.written[0].velocity.get(), sent.written[1].velocity.get()), (101, 127));
    }
}
