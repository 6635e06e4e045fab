//! A part as its kit and metre read it: what no pass changes, worked out once.

use crate::grid::Grid;
use crate::hit::Part;
use crate::kit::{Kit, KitLookup};
use crate::metre::MetreMap;
use crate::units::{Channel, Note};
use std::sync::OnceLock;

/// The kit of a part, and of each hit the instrument, the grid line that it is meant for and its
/// metrical weight. Hits are named by their place in the part, their **row**.
///
/// ```
/// use vivida_core::{Chart, Kit, MetreMap, Part, Ppq};
/// let part = Part::default();
/// let chart = Chart::new(&part, Kit::of_drums(&part), &MetreMap::new(Ppq::new(960).unwrap(), []));
/// assert_eq!(chart.grid.to_string(), "1/16");
/// ```
#[derive(Debug)]
pub struct Chart {
    /// Which notes are which drum.
    pub kit: Kit,
    /// The grid that the part seems to be meant for; offsets are measured against it.
    pub grid: Grid,
    /// For each row the place of its instrument in the kit.
    pub instruments: Vec<u16>,
    /// For each row the grid line nearest to where it is written, in ticks.
    pub lines: Vec<f64>,
    lookup: KitLookup,
    weights: OnceLock<Vec<f64>>,
}

impl Chart {
    /// Reads a part by a kit. A note that the kit does not know counts for its first instrument;
    /// the kits made of a part know all its notes.
    pub fn new(part: &Part, kit: Kit, metre: &MetreMap) -> Chart {
        let lookup = kit.lookup();
        let instrument = |hit: &crate::Hit| lookup.instrument(hit.note, hit.channel).unwrap_or(0) as u16;
        let grid = Grid::fit(metre, part.hits().iter().map(|hit| hit.tick));
        Chart {
            instruments: part.hits().iter().map(instrument).collect(),
            lines: part.hits().iter().map(|hit| grid.nearest(metre, hit.tick).0).collect(),
            weights: OnceLock::new(),
            lookup,
            kit,
            grid,
        }
    }

    /// The place in the kit of the instrument that a note plays.
    pub fn instrument_of(&self, note: Note, channel: Channel) -> usize {
        self.lookup.instrument(note, channel).unwrap_or(0)
    }

    /// The metrical weight of where a row is written.
    pub(crate) fn weight(&self, part: &Part, metre: &MetreMap, row: usize) -> f64 {
        self.weights.get_or_init(|| part.hits().iter().map(|hit| metre.weight(hit.tick)).collect())[row]
    }
}
