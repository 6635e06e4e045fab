//! The General MIDI percussion map, its notes grouped into instruments as a drummer sees them.
//!
//! Source: General MIDI Level 1 percussion key map, General MIDI 2 additions (27 to 34, 82 to 87).

use crate::base::units::{Note, Percent};
use crate::kit::{Articulation, Family, Instrument, InstrumentId, Kit, Limb, layers};

impl Kit {
    /// The General MIDI percussion map (and the level 2 additions), grouped into instruments: hats
    /// first, then snare, kick, toms, cymbals, hand percussion.
    pub fn general_midi() -> Kit {
        Kit { name: "General MIDI".to_owned(), instruments: PERCUSSION.iter().map(Line::instrument).collect() }
    }
}

/// A line of the table: an instrument and its notes.
struct Line {
    id: &'static str,
    name: &'static str,
    family: Family,
    limb: Limb,
    ways: &'static [(u8, &'static str)],
}

impl Line {
    fn instrument(&self) -> Instrument {
        let way = |&(note, name): &(u8, &str)| Articulation::of_note(name, Note::from_data(note));
        Instrument {
            id: InstrumentId::new(self.id),
            name: self.name.to_owned(),
            family: self.family,
            limb: self.limb,
            articulations: self.ways.iter().map(way).collect(),
            layers: layers(),
            offset: 0.0,
            scale: Percent(100.0),
            choke: CHOKING.iter().find(|(id, _)| *id == self.id).map(|&(_, group)| group.to_owned()),
        }
    }
}

/// Of each of these only one sounds at once with others of its group.
const CHOKING: &[(&str, &str)] = &[
    ("closed-hat", "hats"),
    ("pedal-hat", "hats"),
    ("open-hat", "hats"),
    ("triangle", "triangle"),
    ("cuica", "cuica"),
    ("surdo", "surdo"),
];

/// An instrument that had its strokes in another one once: its id, and what they were called there and are now.
pub(crate) type Parted = (&'static str, &'static [(&'static str, &'static str)]);

/// Ids that stood for several things that are struck. No kit has them; whatever names one means all of these.
const TOGETHER: &[(&str, &[Parted])] = &[
    ("high-tom", &[("tom-1", &[("high", "struck")]), ("tom-2", &[("high mid", "struck")])]),
    ("mid-tom", &[("tom-3", &[("low mid", "struck")]), ("tom-4", &[("low", "struck")])]),
    ("floor-tom", &[("tom-5", &[("high floor", "struck")]), ("tom-6", &[("low floor", "struck")])]),
    ("ride", &[("ride-1", &[("bow", "bow"), ("bell", "bell")]), ("ride-2", &[("bow 2", "bow")])]),
    ("crash", &[("crash-1", &[("crash 1", "struck")]), ("crash-2", &[("crash 2", "struck")])]),
    ("congas", &[("high-conga", &[("high open", "open"), ("high muted", "muted")]), ("low-conga", &[("low", "open")])]),
    ("bongos", &[("high-bongo", &[("high", "struck")]), ("low-bongo", &[("low", "struck")])]),
    ("timbales", &[("high-timbale", &[("high", "struck")]), ("low-timbale", &[("low", "struck")])]),
    ("agogo", &[("high-agogo", &[("high", "struck")]), ("low-agogo", &[("low", "struck")])]),
    ("woodblock", &[("high-woodblock", &[("high", "struck")]), ("low-woodblock", &[("low", "struck")])]),
];

impl InstrumentId {
    pub(crate) fn parted(&self) -> Option<&'static [Parted]> {
        TOGETHER.iter().find(|(id, _)| *id == self.as_str()).map(|&(_, parted)| parted)
    }

    /// The instruments that an id means which stands for several.
    ///
    /// ```
    /// use vivida_core::InstrumentId;
    /// let crashes: Vec<String> = InstrumentId::new("crash").together().map(|id| id.to_string()).collect();
    /// assert_eq!(crashes, ["crash-1", "crash-2"]);
    /// ```
    pub fn together(&self) -> impl Iterator<Item = InstrumentId> + use<> {
        self.parted().unwrap_or_default().iter().map(|&(id, _)| InstrumentId::new(id))
    }

    /// The id that once stood for this instrument and others.
    pub(crate) fn once(&self) -> Option<InstrumentId> {
        let found = TOGETHER.iter().find(|(_, parted)| parted.iter().any(|(id, _)| *id == self.as_str()));
        found.map(|&(id, _)| InstrumentId::new(id))
    }
}

const fn line(
    id: &'static str,
    name: &'static str,
    family: Family,
    limb: Limb,
    ways: &'static [(u8, &'static str)],
) -> Line {
    Line { id, name, family, limb, ways }
}

const PERCUSSION: &[Line] = {
    use Family::{Crash, HandPercussion as Perc, Hat, Kick, Other, Ride, Snare, Tom};
    use Limb::{EitherHand as Either, LeftFoot, LeftHand, RightFoot, RightHand};
    &[
        line("closed-hat", "Closed hat", Hat, RightHand, &[(42, "closed")]),
        line("pedal-hat", "Pedal hat", Hat, LeftFoot, &[(44, "pedal")]),
        line("open-hat", "Open hat", Hat, RightHand, &[(46, "open")]),
        line("snare", "Snare", Snare, LeftHand, &[(38, "acoustic"), (40, "electric"), (37, "side stick")]),
        line("kick", "Kick", Kick, RightFoot, &[(36, "kick 1"), (35, "acoustic")]),
        line("tom-1", "High tom", Tom, Either, &[(50, "struck")]),
        line("tom-2", "High mid tom", Tom, Either, &[(48, "struck")]),
        line("tom-3", "Low mid tom", Tom, Either, &[(47, "struck")]),
        line("tom-4", "Low tom", Tom, Either, &[(45, "struck")]),
        line("tom-5", "High floor tom", Tom, Either, &[(43, "struck")]),
        line("tom-6", "Low floor tom", Tom, Either, &[(41, "struck")]),
        line("ride-1", "Ride", Ride, RightHand, &[(51, "bow"), (53, "bell")]),
        line("ride-2", "Second ride", Ride, RightHand, &[(59, "bow")]),
        line("crash-1", "Crash", Crash, Either, &[(49, "struck")]),
        line("crash-2", "Second crash", Crash, Either, &[(57, "struck")]),
        line("splash", "Splash", Crash, Either, &[(55, "splash")]),
        line("china", "China", Crash, Either, &[(52, "china")]),
        line("clap", "Hand clap", Perc, Either, &[(39, "clap")]),
        line("tambourine", "Tambourine", Perc, Either, &[(54, "struck")]),
        line("cowbell", "Cowbell", Perc, Either, &[(56, "struck")]),
        line("shaker", "Shaker", Perc, Either, &[(82, "shaken")]),
        line("maracas", "Maracas", Perc, Either, &[(70, "shaken")]),
        line("cabasa", "Cabasa", Perc, Either, &[(69, "turned")]),
        line("high-conga", "High conga", Perc, Either, &[(63, "open"), (62, "muted")]),
        line("low-conga", "Low conga", Perc, Either, &[(64, "open")]),
        line("high-bongo", "High bongo", Perc, Either, &[(60, "struck")]),
        line("low-bongo", "Low bongo", Perc, Either, &[(61, "struck")]),
        line("high-timbale", "High timbale", Perc, Either, &[(65, "struck")]),
        line("low-timbale", "Low timbale", Perc, Either, &[(66, "struck")]),
        line("high-agogo", "High agogo", Perc, Either, &[(67, "struck")]),
        line("low-agogo", "Low agogo", Perc, Either, &[(68, "struck")]),
        line("high-woodblock", "High woodblock", Perc, Either, &[(76, "struck")]),
        line("low-woodblock", "Low woodblock", Perc, Either, &[(77, "struck")]),
        line("claves", "Claves", Perc, Either, &[(75, "struck")]),
        line("triangle", "Triangle", Perc, Either, &[(81, "open"), (80, "muted")]),
        line("guiro", "Guiro", Perc, Either, &[(73, "short"), (74, "long")]),
        line("surdo", "Surdo", Perc, Either, &[(87, "open"), (86, "muted")]),
        line("castanets", "Castanets", Perc, Either, &[(85, "struck")]),
        line("cuica", "Cuica", Perc, Either, &[(79, "open"), (78, "muted")]),
        line("vibraslap", "Vibraslap", Perc, Either, &[(58, "struck")]),
        line("jingle-bell", "Jingle bell", Perc, Either, &[(83, "shaken")]),
        line("bell-tree", "Bell tree", Perc, Either, &[(84, "swept")]),
        line("whistle", "Whistle", Other, Limb::None, &[(71, "short"), (72, "long")]),
        line("sticks", "Sticks", Other, Either, &[(31, "struck")]),
        line("square-click", "Square click", Other, Limb::None, &[(32, "click")]),
        line("metronome", "Metronome", Other, Limb::None, &[(33, "click"), (34, "bell")]),
        line("scratch", "Scratch", Other, Either, &[(29, "push"), (30, "pull")]),
        line("slap", "Slap", Other, Either, &[(28, "struck")]),
        line("high-q", "High Q", Other, Either, &[(27, "struck")]),
    ]
};

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Aim;
    use std::collections::BTreeSet;

    #[test]
    fn every_percussion_note_has_one_instrument() {
        let kit = Kit::general_midi();
        let mut notes: Vec<u8> =
            kit.instruments.iter().flat_map(|i| i.articulations.iter().map(|way| way.note.get())).collect();
        notes.sort_unstable();
        assert_eq!(notes, (27..=87).collect::<Vec<u8>>());
        let ids: BTreeSet<&str> = kit.instruments.iter().map(|instrument| instrument.id.as_str()).collect();
        assert_eq!(ids.len(), kit.instruments.len());
        assert_eq!(kit.check(), Ok(()));
    }

    #[test]
    fn what_stood_for_several_means_all_of_them() {
        let aim = |instruments: &[&str], strokes: &[&str]| {
            let instruments = instruments.iter().map(|&id| InstrumentId::new(id)).collect();
            let aim = Aim {
                instruments,
                articulations: strokes.iter().map(|&name| name.to_owned()).collect(),
                ..Aim::default()
            };
            let parted = aim.parted();
            let ids: Vec<String> = parted.instruments.iter().map(|id| id.to_string()).collect();
            (ids.join(" "), parted.articulations.join(" "))
        };
        let pair = |ids: &str, strokes: &str| (ids.to_owned(), strokes.to_owned());
        assert_eq!(aim(&["crash", "snare"], &[]), pair("crash-1 crash-2 snare", ""));
        assert_eq!(aim(&["crash"], &["crash 2"]), pair("crash-2", "struck"));
        assert_eq!(aim(&["congas"], &["high muted", "low"]), pair("high-conga low-conga", "muted open"));
        assert_eq!(aim(&["ride", "snare"], &["bell", "side stick"]), pair("ride-1 snare", "bell side stick"));
        assert_eq!(aim(&["snare"], &["low"]), pair("snare", "low"));
        let kit = Kit::general_midi();
        for (id, parted) in TOGETHER {
            assert!(kit.find(&InstrumentId::new(*id)).is_none());
            for (id, ways) in *parted {
                let (_, one) = kit.find(&InstrumentId::new(*id)).unwrap();
                assert!(ways.iter().all(|(_, now)| one.articulations.iter().any(|way| way.name == *now)), "{id}");
            }
        }
    }
}
