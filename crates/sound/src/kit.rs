//! How the strokes of any kit sound, played by the voices that there are.

use crate::manifest::{NoteSound, drum_sound, layer_of, tone_sound};
use crate::mixdown::Strike;
use crate::voice::Voice;
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;
use vivida_core::{
    Articulation, Channel, Family, Hand, Instrument, Kit, KitLookup, Note, PlayedHit, Sample, TempoMap, Ticks, Turns,
    Velocity,
};

/// How a part that is read by a kit sounds.
#[derive(Clone, Debug, Serialize, TS)]
pub struct KitSounds {
    /// How each of the 128 notes sounds.
    pub notes: Vec<NoteSound>,
    /// By which of the responses each of the 128 notes is played.
    pub responses: Vec<usize>,
    /// What becomes of velocities; instruments that are alike share one.
    pub kinds: Vec<Response>,
    /// The note that a sampler is sent for each of the 128, and the channel where the kit fixes one.
    pub outputs: Vec<(Note, Option<Channel>)>,
    /// The own sounds of each stroke that has some.
    pub own: Vec<Arc<Vec<Sample>>>,
    #[serde(skip)]
    #[ts(skip)]
    lookup: Option<KitLookup>,
    #[serde(skip)]
    #[ts(skip)]
    strokes: Vec<Vec<(NoteSound, usize)>>,
}

/// What becomes of the velocities of an instrument.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Response {
    /// What is sent for each of the 128 velocities.
    pub sent: Vec<u8>,
    /// The layer of the samples that each of them plays.
    pub layers: Vec<usize>,
}

impl Response {
    fn of(instrument: &Instrument) -> Response {
        let bounds: Vec<Velocity> = instrument.layers.iter().map(|layer| layer.from).collect();
        let velocities = || (0..128).map(Velocity::new);
        Response {
            sent: velocities().map(|one| one.map_or(0, |velocity| instrument.sent(velocity).get())).collect(),
            layers: velocities().map(|one| one.map_or(0, |velocity| layer_of(velocity, &bounds))).collect(),
        }
    }
}

impl KitSounds {
    /// Of a drum part, by its kit.
    pub fn of_drums(kit: &Kit) -> KitSounds {
        let map = Kit::general_midi();
        let mut kinds = vec![Response::of(&struck_with_any())];
        let mut strokes = Vec::with_capacity(kit.instruments.len());
        let mut own: Vec<Arc<Vec<Sample>>> = Vec::new();
        let groups: Vec<&str> = kit.instruments.iter().filter_map(|one| one.choke.as_deref()).collect();
        for (place, instrument) in kit.instruments.iter().enumerate() {
            let response = Response::of(instrument);
            let kind = kinds.iter().position(|known| *known == response).unwrap_or_else(|| {
                kinds.push(response);
                kinds.len() - 1
            });
            let choke = instrument.choke.as_deref().and_then(|name| groups.iter().position(|group| *group == name));
            let mut sound = |way: &Articulation| {
                let sound = stroke_sound(&map, kit, place, way);
                let samples = (!way.samples.is_empty()).then(|| {
                    own.push(Arc::new(way.samples.clone()));
                    (own.len() - 1) as u16
                });
                (NoteSound { choke: choke.map(|group| group as u16), own: samples, ..sound }.by(way.hand), kind)
            };
            strokes.push(instrument.articulations.iter().map(&mut sound).collect::<Vec<_>>());
        }
        let lookup = kit.lookup();
        let (mut notes, mut responses) = (Vec::with_capacity(128), Vec::with_capacity(128));
        let mut outputs = Vec::with_capacity(128);
        for note in (0..128).map(Note::from_data) {
            // A page knows notes; what is fixed to a channel goes by its note, too.
            let fixed = || {
                kit.instruments
                    .iter()
                    .enumerate()
                    .find_map(|(place, one)| Some((place, one.articulations.iter().position(|way| way.note == note)?)))
            };
            let found = lookup.stroke(note, Channel::PERCUSSION).or_else(fixed);
            let way = found.map(|found| kit.stroke(found).1);
            let out = way.map(|way| (way.note_out.unwrap_or(note), way.channel_out.or(way.channel)));
            outputs.push(out.unwrap_or((note, None)));
            let (sound, kind) = match found {
                Some((instrument, stroke)) => strokes[instrument][stroke],
                None => (NoteSound { choke: None, ..drum_sound(note) }, 0),
            };
            notes.push(sound);
            responses.push(kind);
        }
        KitSounds { notes, responses, kinds, outputs, own, lookup: Some(lookup), strokes }
    }

    /// Of a tonal part.
    pub fn of_tones() -> KitSounds {
        KitSounds {
            notes: (0..128).map(|note| tone_sound(Note::from_data(note))).collect(),
            responses: vec![0; 128],
            kinds: vec![Response::of(&struck_with_any())],
            outputs: (0..128).map(|note| (Note::from_data(note), None)).collect(),
            own: Vec::new(),
            lookup: None,
            strokes: Vec::new(),
        }
    }

    /// What the hits of a part sound like, from `start` on. Parts that have one number choke each other.
    pub fn strikes<'a>(
        &self,
        hits: impl IntoIterator<Item = &'a PlayedHit>,
        part: u32,
        tempo: &TempoMap,
        start: Ticks,
    ) -> Vec<Strike> {
        let from = tempo.seconds(start);
        let strike = |hit: &'a PlayedHit| {
            let note = usize::from(hit.note.get());
            let stroke = self.lookup.as_ref().and_then(|lookup| lookup.stroke(hit.note, hit.channel));
            let (sound, kind) = match stroke {
                Some((instrument, stroke)) => self.strokes[instrument][stroke],
                None => (self.notes[note], self.responses[note]),
            };
            let response = &self.kinds[kind];
            let velocity = usize::from(hit.velocity.get());
            let seconds = tempo.seconds(hit.tick);
            Strike {
                seconds: seconds - from,
                length: tempo.seconds(hit.tick + hit.length) - seconds,
                velocity: Velocity::new(response.sent[velocity]).unwrap_or(hit.velocity),
                layer: response.layers[velocity],
                part,
                drum: stroke.map(|(instrument, _)| instrument as u16),
                sound,
                own: None,
                movement: hit.movement,
            }
        };
        let strikes = hits.into_iter().filter(|hit| hit.silenced.is_none()).map(strike);
        if self.own.is_empty() { strikes.collect() } else { self.by_own_sounds(strikes.collect()) }
    }

    /// Strikes of strokes that have own sounds, one for each sample that they are heard by. Where no sample plays a
    /// velocity, the built-in kit does.
    fn by_own_sounds(&self, mut strikes: Vec<Strike>) -> Vec<Strike> {
        strikes.sort_by(|a, b| a.seconds.total_cmp(&b.seconds));
        let mut turns = Turns::default();
        let mut heard = Vec::with_capacity(strikes.len());
        for strike in strikes {
            let Some(own) = strike.sound.own.map(usize::from) else {
                heard.push(strike);
                continue;
            };
            let samples = &self.own[own];
            if !samples.iter().any(|sample| sample.plays(strike.velocity)) {
                heard.push(strike);
                continue;
            }
            let sample = |place| Strike { own: Some((samples.clone(), place)), ..strike.clone() };
            heard.extend(turns.next(own, samples, strike.velocity).into_iter().map(sample));
        }
        heard
    }
}

/// An instrument of which nothing is known: it has the usual layers.
fn struck_with_any() -> Instrument {
    Kit::general_midi().instruments.swap_remove(0)
}

/// The voice of a stroke: of the instrument of its name in the General MIDI map, else of its family. What it is
/// called decides between the ways of striking.
fn stroke_sound(map: &Kit, kit: &Kit, place: usize, way: &Articulation) -> NoteSound {
    let instrument = &kit.instruments[place];
    let said = format!("{} {} {}", instrument.id, instrument.name, way.name).to_lowercase();
    let says = |words: &[&str]| words.iter().any(|word| said.contains(word));
    let plain = |voice, rate| NoteSound::of(voice, rate);
    match instrument.family {
        Family::Snare if says(&["side", "cross"]) => plain(Voice::SideStick, 1.0),
        Family::Snare if says(&["rim", "electric"]) => plain(Voice::Rimshot, 1.0),
        Family::Snare if says(&["edge"]) => plain(Voice::SnareEdge, 1.0),
        Family::Snare => plain(Voice::SnareCentre, 1.0),
        Family::Hat if says(&["pedal", "foot"]) && says(&["splash"]) => plain(Voice::HatSplash, 1.0),
        Family::Hat if says(&["pedal", "foot"]) => plain(Voice::HatPedal, 1.0),
        Family::Hat if says(&["quarter"]) => plain(Voice::HatQuarter, 1.0),
        Family::Hat if says(&["half"]) => plain(Voice::HatHalf, 1.0),
        Family::Hat if says(&["open"]) => plain(Voice::HatOpen, 1.0),
        Family::Hat if says(&["shoulder", "edge"]) => plain(Voice::HatShoulder, 1.0),
        Family::Hat => plain(Voice::HatClosed, 1.0),
        Family::Ride if says(&["bell"]) => plain(Voice::RideBell, 1.0),
        Family::Ride if says(&["edge", "crash"]) => plain(Voice::Crash, 0.86),
        _ => map_sound(map, kit, place, way),
    }
}

fn map_sound(map: &Kit, kit: &Kit, place: usize, way: &Articulation) -> NoteSound {
    let instrument = &kit.instruments[place];
    if let Some((_, known)) = map.find(&instrument.id) {
        let stroke = known.articulations.iter().find(|one| one.name == way.name || one.note == way.note);
        return drum_sound(stroke.unwrap_or(&known.articulations[0]).note);
    }
    let nth = kit.instruments[..place].iter().filter(|one| one.family == instrument.family).count();
    let of_family: Vec<&Instrument> = map.instruments.iter().filter(|one| one.family == instrument.family).collect();
    match instrument.family {
        Family::Kick | Family::Tom | Family::Ride | Family::Crash | Family::HandPercussion => {
            let known = of_family[nth.min(of_family.len() - 1)];
            drum_sound(known.articulations[0].note)
        }
        _ => drum_sound(way.note),
    }
}

impl NoteSound {
    /// By the samples of one hand, where it is sampled for one.
    fn by(self, hand: Hand) -> NoteSound {
        let turns = match hand {
            Hand::Either => NoteSound::BOTH,
            Hand::Right => NoteSound::RIGHT,
            Hand::Left => NoteSound::LEFT,
        };
        NoteSound { turns, ..self }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn the_usual_kit_sounds_as_its_notes_do() {
        let sounds = KitSounds::of_drums(&Kit::general_midi());
        for note in (0..128).map(Note::from_data) {
            let (own, usual) = (sounds.notes[usize::from(note.get())], drum_sound(note));
            assert_eq!(
                (own.voice, own.rate, own.choke.is_some()),
                (usual.voice, usual.rate, usual.choke.is_some()),
                "{note:?}"
            );
        }
        assert_eq!(sounds.kinds.len(), 1);
        let one = &sounds.kinds[0];
        assert_eq!((one.layers[1], one.layers[41], one.layers[42], one.layers[127]), (0, 0, 2, 5));
        assert_eq!((one.sent[0], one.sent[1], one.sent[127]), (0, 1, 127));
    }

    #[test]
    fn every_way_of_striking_the_large_kit_is_heard_apart() {
        let kit = Kit::own().swap_remove(1);
        let sounds = KitSounds::of_drums(&kit);
        for instrument in kit.instruments.iter().filter(|one| matches!(one.family, Family::Snare | Family::Hat)) {
            let heard: Vec<(Voice, [usize; 2])> = instrument
                .articulations
                .iter()
                .map(|way| sounds.notes[usize::from(way.note.get())])
                .map(|one| (one.voice, one.turns))
                .collect();
            let apart: BTreeSet<String> = heard.iter().map(|one| format!("{one:?}")).collect();
            assert_eq!(apart.len(), heard.len(), "{}: {heard:?}", instrument.name);
        }
        // Six layers are six layers.
        assert_eq!([1, 22, 43, 64, 85, 106].map(|velocity| sounds.kinds[1].layers[velocity]), [0, 1, 2, 3, 4, 5]);
    }
}
