//! A part as its kit and metre read it: what no pass changes, worked out once.

use crate::base::units::{Channel, Note};
use crate::kit::meant::{Graces, LinesSetting, Meant};
use crate::kit::{Kit, KitLookup, LayerBounds};
use crate::part::hit::Part;
use crate::time::metre::MetreMap;
use crate::time::tempo::TempoMap;
use std::any::Any;
use std::collections::BTreeSet;
use std::sync::OnceLock;

/// The kit of a part, and of each hit the instrument, the grid line that it is meant for and its
/// metrical weight. Hits are named by their place in the part, their **index**. Lines and weights are
/// worked out when they are first asked for.
///
/// ```
/// use vivida_core::{Chart, Kit, MetreMap, Part, Ppq, TempoMap};
/// let ppq = Ppq::new(960).unwrap();
/// let (part, metre, tempo) = (Part::default(), MetreMap::new(ppq, []), TempoMap::new(ppq, []));
/// let chart = Chart::new(&part, Kit::of_drums(&part));
/// assert_eq!(chart.meant(&part, &metre, &tempo).grid.to_string(), "1/16");
/// ```
#[derive(Debug)]
pub struct Chart {
    /// Which notes are which drum. Every note is some instrument's: behind those of the kit and of the part stands one for
    /// each note that passes may lead to.
    pub kit: Kit,
    /// So many of the instruments are the kit's, or those of notes that are written in the part.
    pub listed: usize,
    /// For each index the place of its instrument in the kit.
    pub instruments: Vec<Option<u16>>,
    pub(crate) lookup: KitLookup,
    /// For each instrument what all go by that choke it; nothing where nothing does.
    pub(crate) choking: Vec<Option<u16>>,
    /// What the person measures against; else what fits best.
    lines: LinesSetting,
    of_instruments: OnceLock<Vec<Vec<usize>>>,
    graces: OnceLock<Graces>,
    meant: OnceLock<Meant>,
    weights: OnceLock<Vec<f64>>,
    /// What is read of the part as it was written, kept by whoever reads it.
    written: OnceLock<Box<dyn Any + Send + Sync>>,
}

impl Chart {
    /// Reads a part by a kit.
    pub fn new(part: &Part, kit: Kit) -> Chart {
        let kit = kit.with_unknown(part);
        let listed = kit.instruments.len();
        let kit = kit.with_every_note();
        let lookup = kit.lookup();
        let instrument = |hit: &crate::Hit| lookup.instrument(hit.note, hit.channel).map(|place| place as u16);
        Chart {
            instruments: part.hits().iter().map(instrument).collect(),
            of_instruments: OnceLock::new(),
            graces: OnceLock::new(),
            meant: OnceLock::new(),
            weights: OnceLock::new(),
            written: OnceLock::new(),
            choking: choking(&kit),
            lookup,
            kit,
            listed,
            lines: LinesSetting::default(),
        }
    }

    /// With offsets measured against lines of the person's choice; what is not said is found.
    pub fn measured_against(self, lines: LinesSetting) -> Chart {
        Chart { lines, meant: OnceLock::new(), written: OnceLock::new(), ..self }
    }

    /// With the velocity layers of its instruments begun elsewhere.
    pub fn with_layers(self, layers: &LayerBounds) -> Chart {
        Chart { kit: self.kit.with_layers(layers), written: OnceLock::new(), ..self }
    }

    /// The kit without the instruments that stand ready for notes that nothing is written on.
    pub fn listed_kit(&self) -> Kit {
        let instruments = self.kit.instruments[..self.listed].to_vec();
        Kit { name: self.kit.name.clone(), instruments }
    }

    /// The place in the kit of the instrument that a note plays.
    pub fn instrument_of(&self, note: Note, channel: Channel) -> Option<usize> {
        self.lookup.instrument(note, channel)
    }

    /// Which of its instrument's strokes a note is; nothing where it is none of them, as in a tonal part.
    pub fn stroke_of(&self, note: Note, channel: Channel) -> Option<usize> {
        self.lookup.stroke(note, channel).map(|(_, stroke)| stroke)
    }

    /// The indices of each instrument's hits, by its place in the kit.
    fn by_instrument(&self) -> &[Vec<usize>] {
        self.of_instruments.get_or_init(|| {
            let mut all = vec![Vec::new(); self.kit.instruments.len()];
            for (index, place) in self.instruments.iter().enumerate() {
                if let Some(place) = place {
                    all[usize::from(*place)].push(index);
                }
            }
            all
        })
    }

    /// The indices of an instrument's hits, by its place in the kit.
    pub(crate) fn of_instrument(&self, instrument: usize) -> &[usize] {
        self.by_instrument().get(instrument).map_or(&[], Vec::as_slice)
    }

    /// The grace notes of its part.
    pub fn graces(&self, part: &Part, tempo: &TempoMap) -> &Graces {
        self.graces.get_or_init(|| Graces::found(part, tempo, self.by_instrument()))
    }

    /// What the hits of its part are meant for.
    pub fn meant(&self, part: &Part, metre: &MetreMap, tempo: &TempoMap) -> &Meant {
        let id = |place: usize| self.kit.instruments[place].id.clone();
        let graces = || self.graces(part, tempo).clone();
        self.meant.get_or_init(|| Meant::of(part, metre, tempo, self.by_instrument(), graces(), id, &self.lines))
    }

    /// The one reading of the part as it was written, which no pass changes: worked out when it is first asked for.
    pub(crate) fn written<T: Any + Send + Sync>(&self, read: impl FnOnce() -> T) -> &T {
        let kept = self.written.get_or_init(|| Box::new(read()));
        kept.downcast_ref().expect("one kind of reading is kept")
    }

    /// The metrical weight of where a hit is written.
    pub(crate) fn weight(&self, part: &Part, metre: &MetreMap, index: usize) -> f64 {
        self.weights.get_or_init(|| part.hits().iter().map(|hit| metre.weight(hit.tick)).collect())[index]
    }
}

fn choking(kit: &Kit) -> Vec<Option<u16>> {
    let named: BTreeSet<&str> = kit.instruments.iter().filter_map(|one| one.choke.as_deref()).collect();
    let group = |name: &String| named.iter().position(|group| group == name).map(choking_group);
    kit.instruments.iter().map(|one| one.choke.as_ref().and_then(group)).collect()
}

/// So many keys there are: 128 notes on 16 channels.
pub(crate) const KEYS: usize = 128 * 16;

/// The most instruments of a kit, and so the most groups of those that choke each other.
pub(crate) const MOST_INSTRUMENTS: usize = 256;

/// What a note on a channel goes by.
pub(crate) fn key(note: Note, channel: Channel) -> u16 {
    u16::from(note.get()) * 16 + u16::from(channel.get())
}

/// What the strokes of a group go by that choke each other.
pub(crate) fn choking_group(group: usize) -> u16 {
    (KEYS + group.min(MOST_INSTRUMENTS - 1)) as u16
}
