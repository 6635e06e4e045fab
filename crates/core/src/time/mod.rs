//! Time in a song: tempo, bars, sections, grids and swing.

pub(crate) mod bars;
pub(crate) mod grid;
pub(crate) mod lines;
pub(crate) mod metre;
pub(crate) mod outline;
pub(crate) mod reference;
pub(crate) mod section;
pub(crate) mod slots;
pub(crate) mod swung;
pub(crate) mod tempo;
