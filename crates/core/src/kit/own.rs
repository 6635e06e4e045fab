//! The kits that ship with Vivida besides the General MIDI map.

use crate::base::units::{Note, Velocity};
use crate::kit::{Articulation, Family, Hand, Instrument, InstrumentId, Kit, Limb, VelocityLayer};

impl Kit {
    /// The kits that ship with Vivida: General MIDI, a large one, hand percussion.
    pub fn own() -> Vec<Kit> {
        vec![
            Kit::general_midi(),
            numbered("Large kit, both hands", LARGE, 24, &SIX),
            numbered("Hand percussion", HAND_PERCUSSION, 48, &FOUR),
        ]
    }
}

/// An instrument and its strokes: the name of each, and whether it is sampled for both hands.
type Line = (&'static str, &'static str, Family, Limb, Option<&'static str>, &'static [(&'static str, bool)]);

const SIX: [(&str, u8); 6] = [("whisper", 1), ("soft", 22), ("medium", 43), ("firm", 64), ("hard", 85), ("full", 106)];
const FOUR: [(&str, u8); 4] = [("touch", 1), ("soft", 36), ("firm", 72), ("full", 104)];

const LARGE: &[Line] = {
    use Family::{Crash, Hat, Kick, Ride, Snare, Tom};
    use Limb::{EitherHand as Either, LeftFoot, LeftHand, RightFoot, RightHand};
    &[
        ("kick", "Kick", Kick, RightFoot, None, &[("beater", true)]),
        (
            "snare",
            "Snare",
            Snare,
            LeftHand,
            None,
            &[("centre", true), ("edge", true), ("rimshot", true), ("side stick", false)],
        ),
        ("closed-hat", "Closed hat", Hat, RightHand, Some("hats"), &[("tip", true), ("shoulder", true)]),
        ("half-open-hat", "Half-open hat", Hat, RightHand, Some("hats"), &[("quarter", false), ("half", false)]),
        ("open-hat", "Open hat", Hat, RightHand, Some("hats"), &[("open", false)]),
        ("pedal-hat", "Pedal hat", Hat, LeftFoot, Some("hats"), &[("pedal", false), ("splash", false)]),
        ("tom-1", "High tom", Tom, Either, None, &[("centre", true), ("rim", false)]),
        ("tom-2", "Mid tom", Tom, Either, None, &[("centre", true), ("rim", false)]),
        ("tom-5", "Floor tom", Tom, Either, None, &[("centre", true), ("rim", false)]),
        ("tom-6", "Second floor tom", Tom, Either, None, &[("centre", true), ("rim", false)]),
        ("ride-1", "Ride", Ride, RightHand, None, &[("bow", false), ("bell", false), ("edge", false)]),
        ("crash-1", "Crash", Crash, Either, Some("crash"), &[("edge", false), ("choked", false)]),
        ("crash-2", "Second crash", Crash, Either, Some("second crash"), &[("edge", false), ("choked", false)]),
        ("splash", "Splash", Crash, Either, None, &[("edge", false)]),
        ("china", "China", Crash, Either, None, &[("edge", false)]),
    ]
};

const HAND_PERCUSSION: &[Line] = {
    use Family::HandPercussion as Perc;
    use Limb::EitherHand as Either;
    &[
        ("high-conga", "High conga", Perc, Either, None, &[("open", true), ("muted", false), ("slap", true)]),
        ("low-conga", "Low conga", Perc, Either, None, &[("open", true), ("muted", false), ("slap", true)]),
        ("high-bongo", "High bongo", Perc, Either, None, &[("struck", true)]),
        ("low-bongo", "Low bongo", Perc, Either, None, &[("struck", true)]),
        ("shaker", "Shaker", Perc, Either, None, &[("forward", false), ("back", false)]),
        ("tambourine", "Tambourine", Perc, Either, None, &[("struck", false), ("shaken", false)]),
        ("cowbell", "Cowbell", Perc, Either, None, &[("open", false), ("muted", false)]),
        ("claves", "Claves", Perc, Either, None, &[("struck", false)]),
        ("triangle", "Triangle", Perc, Either, Some("triangle"), &[("open", false), ("muted", false)]),
        ("clap", "Hand clap", Perc, Either, None, &[("clap", false)]),
    ]
};

/// A kit whose strokes lie on notes one above the other.
fn numbered(name: &str, lines: &[Line], first: u8, layers: &[(&str, u8)]) -> Kit {
    let mut notes = (first..128).map(Note::from_data);
    let mut instrument = |&(id, name, family, limb, choke, ways): &Line| {
        let mut articulations = Vec::new();
        for &(way, both) in ways {
            let hands: &[Hand] = if both { &[Hand::Right, Hand::Left] } else { &[Hand::Either] };
            let sampled = hands.iter().zip(&mut notes);
            articulations
                .extend(sampled.map(|(&hand, note)| Articulation { hand, ..Articulation::of_note(way, note) }));
        }
        Instrument {
            id: InstrumentId::new(id),
            name: name.to_owned(),
            family,
            limb,
            articulations,
            choke: choke.map(str::to_owned),
            ..Instrument::plain(layers.iter().map(layer).collect())
        }
    };
    let instruments = lines.iter().map(&mut instrument).collect();
    Kit { name: name.to_owned(), instruments }
}

fn layer(&(name, from): &(&str, u8)) -> VelocityLayer {
    VelocityLayer { name: name.to_owned(), from: Velocity::new(from).expect("the bounds are velocities") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn they_are_kits() {
        for kit in Kit::own() {
            assert_eq!(kit.check(), Ok(()), "{}", kit.name);
        }
    }
}
