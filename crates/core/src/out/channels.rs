//! Channels for hits that move: a bend or a controller holds for all that sounds on its channel, so that hits that
//! move while others sound need channels of their own.

use crate::base::units::Channel;
use crate::kit::chart::Chart;
use crate::perform::{Performance, PlayedHit};
use std::collections::BTreeMap;

/// Which channels hits that move are sent on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum MovementOut {
    /// Their own: what moves while another hit sounds there does not come through.
    #[default]
    OwnChannel,
    /// One for each instrument that moves.
    ChannelForEach,
    /// One for each hit in turn, as MIDI Polyphonic Expression has it (MPE 1.0): the lower zone, whose master is
    /// channel 1.
    Mpe,
}

/// Where hits went that move.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SentApart {
    /// The instruments that have channels of their own now.
    pub on: Vec<(String, Channel)>,
    /// Those for which none was free.
    pub without: Vec<String>,
    /// How many channels hits take turns on.
    pub members: usize,
}

impl Performance {
    /// As a sampler is sent it ([`Performance::sent`]), hits that move on channels of their own. `free` are the
    /// channels that nothing else plays on; those that are taken are taken out of it.
    pub fn sent_apart(self, chart: &Chart, how: MovementOut, free: &mut Vec<Channel>) -> (Performance, SentApart) {
        let places: Vec<Option<usize>> = self.hits().map(|hit| chart.instrument_of(hit.note, hit.channel)).collect();
        let mut sent = self.sent(chart);
        let mut apart = SentApart::default();
        if !sent.sounding().any(|hit| !hit.movement.is_none()) {
            return (sent, apart);
        }
        match how {
            MovementOut::OwnChannel => {}
            MovementOut::ChannelForEach => {
                let moving = sent.hits().zip(&places).filter(|(hit, _)| is_moving(hit)).map(|(_, place)| *place);
                let mut channels: BTreeMap<Option<usize>, Option<Channel>> =
                    moving.map(|place| (place, None)).collect();
                for (place, channel) in &mut channels {
                    let instrument = place.and_then(|place| chart.kit.instruments.get(place));
                    let name = instrument.map_or("Other notes", |one| &one.name).to_owned();
                    if free.is_empty() {
                        apart.without.push(name);
                    } else {
                        let own = free.remove(0);
                        *channel = Some(own);
                        apart.on.push((name, own));
                    }
                }
                for (hit, place) in sent.hits_mut().zip(&places) {
                    if let Some(Some(own)) = channels.get(place) {
                        hit.channel = *own;
                    }
                }
            }
            MovementOut::Mpe => {
                // The members of the lower zone lie side by side, from channel 2 on.
                let members: Vec<Channel> =
                    (1..16).map(Channel::from_status).take_while(|one| free.contains(one)).collect();
                apart.members = members.len();
                if members.is_empty() {
                    apart.without.push("hits in turn: channel 2 is taken".to_owned());
                } else {
                    free.retain(|one| !members.contains(one));
                    sent.take_turns(&members);
                }
            }
        }
        (sent, apart)
    }

    /// Each hit on the channel that has been silent the longest.
    fn take_turns(&mut self, members: &[Channel]) {
        let mut hits: Vec<&mut PlayedHit> = self.hits_mut().filter(|hit| hit.silenced.is_none()).collect();
        hits.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0).then(a.id.cmp(&b.id)));
        let mut ends = vec![f64::NEG_INFINITY; members.len()];
        for hit in hits {
            let turn = (0..members.len()).min_by(|&a, &b| ends[a].total_cmp(&ends[b])).unwrap_or(0);
            hit.channel = members[turn];
            ends[turn] = hit.tick.0 + hit.length.0;
        }
    }
}

fn is_moving(hit: &PlayedHit) -> bool {
    hit.silenced.is_none() && !hit.movement.is_none()
}
