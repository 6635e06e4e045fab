//! The General MIDI percussion map, its notes grouped into instruments as a drummer sees them.
//!
//! Source: General MIDI Level 1 percussion key map, General MIDI 2 additions (27 to 34, 82 to 87).

use crate::kit::{Articulation, Family, Instrument, InstrumentId, Kit, Limb, layers};
use crate::units::Note;

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
        }
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
        line("high-tom", "High tom", Tom, Either, &[(50, "high"), (48, "high mid")]),
        line("mid-tom", "Mid tom", Tom, Either, &[(47, "low mid"), (45, "low")]),
        line("floor-tom", "Floor tom", Tom, Either, &[(43, "high floor"), (41, "low floor")]),
        line("ride", "Ride", Ride, RightHand, &[(51, "bow"), (59, "bow 2"), (53, "bell")]),
        line("crash", "Crash", Crash, Either, &[(49, "crash 1"), (57, "crash 2")]),
        line("splash", "Splash", Crash, Either, &[(55, "splash")]),
        line("china", "China", Crash, Either, &[(52, "china")]),
        line("clap", "Hand clap", Perc, Either, &[(39, "clap")]),
        line("tambourine", "Tambourine", Perc, Either, &[(54, "struck")]),
        line("cowbell", "Cowbell", Perc, Either, &[(56, "struck")]),
        line("shaker", "Shaker", Perc, Either, &[(82, "shaken")]),
        line("maracas", "Maracas", Perc, Either, &[(70, "shaken")]),
        line("cabasa", "Cabasa", Perc, Either, &[(69, "turned")]),
        line("congas", "Congas", Perc, Either, &[(63, "high open"), (62, "high muted"), (64, "low")]),
        line("bongos", "Bongos", Perc, Either, &[(60, "high"), (61, "low")]),
        line("timbales", "Timbales", Perc, Either, &[(65, "high"), (66, "low")]),
        line("agogo", "Agogo", Perc, Either, &[(67, "high"), (68, "low")]),
        line("woodblock", "Woodblock", Perc, Either, &[(76, "high"), (77, "low")]),
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
    }
}
