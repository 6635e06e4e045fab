//! What passes name, shown to whoever takes them along.

use crate::base::units::Ticks;
use crate::kit::InstrumentId;
use crate::part::hit::HitId;
use crate::recipe::action::PocketId;
use crate::recipe::{Pass, Recipe};
use crate::time::bars::BarRange;

/// What a pass names instruments and strokes for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum For {
    /// It is for their hits.
    Aim,
    /// It looks for them near its hits.
    With,
    /// It looks for their absence.
    Without,
    /// It puts hits on them, or takes something from them.
    Use,
}

/// Something that a pass names, to be called what it is called now.
///
/// Notes and the names of sections are not among these: they are what a part and a song themselves hold, and stay.
pub(crate) enum Named<'a> {
    /// Instruments that hits are looked for on; those that an aim is for come first of all, also where they are all. Where
    /// they are gone a condition on what is near falls away with them.
    Instruments(&'a mut Vec<InstrumentId>, For),
    /// An instrument that something is put on or taken from.
    Instrument(&'a mut InstrumentId),
    /// A stroke by its name.
    Stroke(&'a mut String, For),
    /// Bars.
    Bars(&'a mut Vec<BarRange>),
    /// A place of the song in bars, 4.5 for the middle of bar 4.
    Place(&'a mut f64),
    /// Where in the song something lies, and how long it is.
    Stretch(&'a mut Ticks, &'a mut Ticks),
    /// A hit.
    Hit(&'a mut HitId),
    /// A pocket.
    Pocket(&'a mut PocketId),
}

/// One way in which things become others.
pub(crate) trait Carrier {
    /// Takes something along that a pass names; false where it is gone. Each kind is listed, so that a new one has to be
    /// thought of everywhere.
    fn take(&mut self, named: Named<'_>) -> bool;

    /// Whether a pass all of whose names it has seen by now comes along; it may be changed by that. Sentences about what of it
    /// does not come go to `said`, without the name of the pass.
    fn comes(&mut self, pass: &mut Pass, said: &mut Vec<String>) -> bool;
}

impl Pass {
    /// Shows all that the pass names.
    pub(crate) fn names(&mut self, by: &mut dyn Carrier) {
        let Pass { id: _, on: _, fresh: _, name: _, group: _, aim, action } = self;
        aim.names(by);
        action.names(by);
    }

    /// “Pass 3, Vary”, or its own name.
    fn called(&self, index: usize) -> String {
        format!("Pass {}, {}", index + 1, self.name.as_deref().unwrap_or(self.action.info().title))
    }
}

impl Recipe {
    /// The passes that come along, and sentences on what does not.
    pub(crate) fn taken_along(&self, by: &mut dyn Carrier) -> (Recipe, Vec<String>) {
        let (mut passes, mut said) = (Vec::with_capacity(self.passes.len()), Vec::new());
        for (index, was) in self.passes.iter().enumerate() {
            let mut pass = was.clone();
            pass.names(by);
            let mut notes = Vec::new();
            if by.comes(&mut pass, &mut notes) {
                passes.push(pass);
            }
            said.extend(notes.into_iter().map(|note| format!("{}: {note}", was.called(index))));
        }
        (Recipe { passes, groups: self.groups.clone() }.tidied(), said)
    }
}
