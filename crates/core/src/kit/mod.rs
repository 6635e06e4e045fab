//! Kits: which notes are which drum, who plays it, and how a sampler layers its velocities.

pub(crate) mod bridge;
pub(crate) mod chart;
pub(crate) mod file;
pub(crate) mod general_midi;
pub(crate) mod meant;
pub(crate) mod own;
pub(crate) mod sample;

pub use crate::base::ids::InstrumentId;
use crate::base::units::{Channel, Note, Percent, Velocity};
use crate::kit::sample::Sample;
use crate::part::hit::Part;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use ts_rs::TS;

/// What kind of drum an instrument is; grooves and recipes fall back on it where kits differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Family {
    Kick,
    Snare,
    Tom,
    Hat,
    Ride,
    Crash,
    HandPercussion,
    Tonal,
    Other,
}

/// The hand or foot that usually plays an instrument.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Limb {
    RightHand,
    LeftHand,
    EitherHand,
    RightFoot,
    LeftFoot,
    None,
}

/// The hand that an articulation is sampled for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Hand {
    Left,
    Right,
    #[default]
    Either,
}

impl Hand {
    fn is_either(&self) -> bool {
        *self == Hand::Either
    }
}

/// A way of striking an instrument: one note of the map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Articulation {
    /// centre, rim, open …
    pub name: String,
    /// The note that plays it.
    pub note: Note,
    /// The channel, where the kit fixes one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub channel: Option<Channel>,
    /// The hand that it is sampled for.
    #[serde(default, skip_serializing_if = "Hand::is_either")]
    #[ts(as = "Option<Hand>", optional)]
    pub hand: Hand,
    /// The note that the sampler plays it by, where that is another.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub note_out: Option<Note>,
    /// The channel that the sampler listens on, where that is another than the hit's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub channel_out: Option<Channel>,
    /// What it is heard by here instead of the built-in kit: own sounds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[ts(as = "Option<Vec<Sample>>", optional)]
    pub samples: Vec<Sample>,
}

/// The velocities from `from` up to the next layer, for which a sampler plays one group of samples.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct VelocityLayer {
    /// soft, medium …
    pub name: String,
    /// The softest velocity of the layer.
    pub from: Velocity,
}

/// Where the velocity layers of instruments begin, from soft to hard: a person's own sampler.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "Record<string, number[]>")]
pub struct LayerBounds(pub BTreeMap<InstrumentId, Vec<Velocity>>);

impl LayerBounds {
    /// What is wrong with them: the path of the field and why.
    ///
    /// ```
    /// use vivida_core::LayerBounds;
    /// let layers: LayerBounds = serde_json::from_value(serde_json::json!({"snare": [1, 60, 50]})).unwrap();
    /// assert_eq!(layers.check().unwrap_err().0, "snare[2]");
    /// ```
    pub fn check(&self) -> Result<(), (String, String)> {
        for (instrument, bounds) in &self.0 {
            let wrong = |index: usize, why: &str| Err((format!("{instrument}[{index}]"), why.to_owned()));
            if bounds.is_empty() || bounds.len() > 32 {
                return wrong(bounds.len(), "an instrument has 1 to 32 layers");
            }
            if bounds[0] != Velocity::MIN {
                return wrong(0, "the softest layer begins at velocity 1");
            }
            if let Some(place) = bounds.windows(2).position(|pair| pair[0] >= pair[1]) {
                return wrong(place + 1, "a layer begins above the one before it");
            }
        }
        Ok(())
    }
}

/// A drum, cymbal or other thing that is struck; a tonal part is one instrument.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Instrument {
    /// The same in every kit that has it.
    pub id: InstrumentId,
    /// For people.
    pub name: String,
    /// What kind of drum it is.
    pub family: Family,
    /// Who plays it.
    pub limb: Limb,
    /// Its notes; at least one.
    pub articulations: Vec<Articulation>,
    /// From soft to hard; the first begins at velocity 1.
    #[serde(default = "layers")]
    pub layers: Vec<VelocityLayer>,
    /// Velocities are sent so much harder, −126 to 126.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[ts(as = "Option<f64>", optional)]
    pub offset: f64,
    /// Before that they are scaled, 1 to 400 %.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[ts(as = "Option<Percent>", optional)]
    pub scale: Percent,
    /// Of all instruments with this word only one sounds at once.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub choke: Option<String>,
}

pub(crate) fn is_zero(value: &f64) -> bool {
    *value == 0.0
}

pub(crate) fn whole() -> Percent {
    Percent(100.0)
}

pub(crate) fn is_whole(share: &Percent) -> bool {
    *share == whole()
}

/// Which notes are which instrument.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Kit {
    /// For people.
    pub name: String,
    /// In the order in which they are shown.
    pub instruments: Vec<Instrument>,
}

impl Kit {
    /// The kit of a drum part that names none: the General MIDI map, and an instrument of its own for each
    /// note that the map does not know.
    ///
    /// ```
    /// use vivida_core::{Kit, Part};
    /// assert_eq!(Kit::of_drums(&Part::default()), Kit::general_midi());
    /// ```
    pub fn of_drums(part: &Part) -> Kit {
        Kit::general_midi().with_unknown(part)
    }

    /// Of this kit what a part strikes.
    ///
    /// ```
    /// use vivida_core::{Kit, Part};
    /// assert!(Kit::general_midi().struck_by(&Part::default()).instruments.is_empty());
    /// ```
    pub fn struck_by(mut self, part: &Part) -> Kit {
        let lookup = self.lookup();
        let hits = part.hits().iter();
        let struck: BTreeSet<usize> = hits.filter_map(|hit| lookup.instrument(hit.note, hit.channel)).collect();
        let mut place = 0..;
        self.instruments.retain(|_| place.next().is_some_and(|place| struck.contains(&place)));
        self
    }

    /// This kit as it reads a part: with an instrument of its own for each note of the part that it does not know.
    pub fn with_unknown(self, part: &Part) -> Kit {
        let known = self.lookup();
        let hits = part.hits().iter().filter(|hit| known.instrument(hit.note, hit.channel).is_none());
        let unknown: BTreeSet<Note> = hits.map(|hit| hit.note).collect();
        self.and_notes(unknown)
    }

    /// This kit with an instrument of its own for each note that it does not know on every channel, behind all others:
    /// whatever a hit comes to, it is some instrument's.
    ///
    /// ```
    /// use vivida_core::{Channel, Kit, Note};
    /// let lookup = Kit::general_midi().with_every_note().lookup();
    /// assert!((0..128).all(|note| lookup.instrument(Note::new(note).unwrap(), Channel::PERCUSSION).is_some()));
    /// ```
    pub fn with_every_note(self) -> Kit {
        let known = self.lookup();
        if known.rest.is_some() {
            return self;
        }
        let is_unknown = |note: &Note| known.any[usize::from(note.get())].is_none();
        let unknown: Vec<Note> = (0..128).map(Note::from_data).filter(is_unknown).collect();
        self.and_notes(unknown)
    }

    fn and_notes(mut self, notes: impl IntoIterator<Item = Note>) -> Kit {
        for mut instrument in notes.into_iter().map(Instrument::unknown) {
            while self.find(&instrument.id).is_some() {
                instrument.id = InstrumentId::new(format!("{}-loose", instrument.id));
            }
            self.instruments.push(instrument);
        }
        self
    }

    /// The kit of a tonal part: one instrument that plays every note.
    pub fn of_tones(name: &str, part: &Part) -> Kit {
        let used = notes_of(part);
        let instrument = Instrument {
            id: InstrumentId::new("tonal"),
            name: name.to_owned(),
            family: Family::Tonal,
            limb: Limb::None,
            articulations: used.into_iter().map(|note| Articulation::of_note(&note_name(note), note)).collect(),
            ..Instrument::plain(layers())
        };
        Kit { name: name.to_owned(), instruments: vec![instrument] }
    }

    /// The kit with its layers begun elsewhere. Layers beyond the usual four are numbered.
    pub fn with_layers(mut self, layers: &LayerBounds) -> Kit {
        for instrument in &mut self.instruments {
            let bounds = layers.0.get(&instrument.id);
            let bounds = bounds.or_else(|| layers.0.get(&instrument.id.once()?));
            let Some(bounds) = bounds else { continue };
            let name = |index: usize| match LAYERS.get(index) {
                Some((name, _)) if bounds.len() == LAYERS.len() => (*name).to_owned(),
                _ => format!("layer {}", index + 1),
            };
            let layer = |(index, &from): (usize, &Velocity)| VelocityLayer { name: name(index), from };
            instrument.layers = bounds.iter().enumerate().map(layer).collect();
        }
        self
    }

    /// The instrument with an id, and its place.
    pub fn find(&self, id: &InstrumentId) -> Option<(usize, &Instrument)> {
        self.instruments.iter().enumerate().find(|(_, instrument)| instrument.id == *id)
    }

    /// The family of each of the 128 notes that it knows on any channel.
    pub fn lookup_families(&self) -> Vec<Option<Family>> {
        let lookup = self.lookup();
        let family = |place: usize| self.instruments[place].family;
        (0..128).map(|note| lookup.any[note].map(|(place, _)| family(place))).collect()
    }

    /// A table for looking up the instruments of many notes.
    pub fn lookup(&self) -> KitLookup {
        let mut any = vec![None; 128];
        let mut fixed = HashMap::new();
        for (index, instrument) in self.instruments.iter().enumerate() {
            for (stroke, way) in instrument.articulations.iter().enumerate() {
                match way.channel {
                    Some(channel) => _ = fixed.insert((way.note, channel), (index, stroke)),
                    None => any[usize::from(way.note.get())] = Some((index, stroke)),
                }
            }
        }
        let rest = matches!(&self.instruments[..], [one] if one.family == Family::Tonal).then_some(0);
        KitLookup { any, fixed, rest }
    }

    /// The instrument and the stroke that a lookup found.
    pub fn stroke(&self, (instrument, stroke): (usize, usize)) -> (&Instrument, &Articulation) {
        let instrument = &self.instruments[instrument];
        (instrument, &instrument.articulations[stroke])
    }
}

/// Which instrument of a kit a note belongs to, and which of its strokes it is.
#[derive(Clone, Debug)]
pub struct KitLookup {
    any: Vec<Option<(usize, usize)>>,
    /// Those that hold for one channel go before the others.
    fixed: HashMap<(Note, Channel), (usize, usize)>,
    /// The instrument of all other notes: a tonal part's only one.
    rest: Option<usize>,
}

impl KitLookup {
    /// The place of the instrument in the kit, if it has the note.
    #[inline]
    pub fn instrument(&self, note: Note, channel: Channel) -> Option<usize> {
        self.stroke(note, channel).map(|(instrument, _)| instrument).or(self.rest)
    }

    /// The places of the instrument in the kit and of the stroke in the instrument, if it has the note.
    #[inline]
    pub fn stroke(&self, note: Note, channel: Channel) -> Option<(usize, usize)> {
        let fixed = if self.fixed.is_empty() { None } else { self.fixed.get(&(note, channel)).copied() };
        fixed.or(self.any[usize::from(note.get())])
    }
}

/// The note and channel by which a kit knows a stroke.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Striking {
    /// The note.
    pub note: Note,
    /// The channel, where the kit fixes one.
    pub channel: Option<Channel>,
}

impl Articulation {
    /// The note and channel by which the kit knows it.
    pub fn striking(&self) -> Striking {
        Striking { note: self.note, channel: self.channel }
    }

    /// Whether it strikes the rim, as loud strokes and effects do: a rimshot, a side stick.
    pub(crate) fn is_on_the_rim(&self) -> bool {
        ["rim", "side stick", "cross stick"].iter().any(|word| self.name.to_lowercase().contains(word))
    }

    pub(crate) fn of_note(name: &str, note: Note) -> Articulation {
        let (channel, note_out, channel_out) = (None, None, None);
        Articulation {
            name: name.to_owned(),
            note,
            channel,
            hand: Hand::Either,
            note_out,
            channel_out,
            samples: Vec::new(),
        }
    }
}

impl Instrument {
    /// One of which nothing but its layers is known.
    pub(crate) fn plain(layers: Vec<VelocityLayer>) -> Instrument {
        Instrument {
            id: InstrumentId::new(""),
            name: String::new(),
            family: Family::Other,
            limb: Limb::EitherHand,
            articulations: Vec::new(),
            layers,
            offset: 0.0,
            scale: whole(),
            choke: None,
        }
    }

    /// The velocity that a sampler is sent for one that is played: scaled, then offset, 1 to 127.
    pub fn sent(&self, velocity: Velocity) -> Velocity {
        Velocity::rounded(f64::from(velocity.get()) * self.scale.0 / 100.0 + self.offset)
    }

    fn unknown(note: Note) -> Instrument {
        Instrument {
            id: InstrumentId::new(format!("note-{}", note.get())),
            name: format!("Note {} ({})", note.get(), note_name(note)),
            family: Family::Other,
            limb: Limb::EitherHand,
            articulations: vec![Articulation::of_note("struck", note)],
            ..Instrument::plain(layers())
        }
    }
}

/// The notes that a part uses, ascending.
fn notes_of(part: &Part) -> Vec<Note> {
    let mut used = [false; 128];
    for hit in part.hits() {
        used[usize::from(hit.note.get())] = true;
    }
    (0..128u8).filter(|&note| used[usize::from(note)]).map(Note::from_data).collect()
}

/// The note's letter and octave, middle C (60) being C4.
pub fn note_name(note: Note) -> String {
    const LETTERS: [&str; 12] = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];
    format!("{}{}", LETTERS[usize::from(note.get() % 12)], i32::from(note.get() / 12) - 1)
}

/// The four layers of the built-in kit: soft from 1, medium from 42, firm from 77, hard from 108.
pub const LAYERS: [(&str, u8); 4] = [("soft", 1), ("medium", 42), ("firm", 77), ("hard", 108)];

/// The layers of an instrument of which a person said nothing.
pub(crate) fn layers() -> Vec<VelocityLayer> {
    let layer = |&(name, from): &(&str, u8)| VelocityLayer {
        name: name.to_owned(),
        from: Velocity::new(from).expect("the bounds are velocities"),
    };
    LAYERS.iter().map(layer).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ticks;
    use crate::part::hit::{Hit, HitId};

    fn part(notes: &[u8]) -> Part {
        let hit = |(index, &note): (usize, &u8)| Hit {
            id: HitId::new(index as u32),
            tick: Ticks(index as f64),
            length: Ticks(1.0),
            velocity: Velocity::MAX,
            release: 0,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(notes.iter().enumerate().map(hit).collect())
    }

    #[test]
    fn three_ways_of_striking_make_one_snare_but_hats_are_three() {
        let part = part(&[38, 40, 37, 42, 44, 46]);
        let kit = Kit::of_drums(&part).struck_by(&part);
        let names: Vec<&str> = kit.instruments.iter().map(|instrument| instrument.name.as_str()).collect();
        assert_eq!(names, ["Closed hat", "Pedal hat", "Open hat", "Snare"]);
    }

    #[test]
    fn unknown_notes_are_never_lost() {
        let part = part(&[36, 3, 120]);
        let kit = Kit::of_drums(&part).struck_by(&part);
        let ids: Vec<&str> = kit.instruments.iter().map(|instrument| instrument.id.as_str()).collect();
        assert_eq!(ids, ["kick", "note-3", "note-120"]);
    }
}
