//! The touch of a part, taken so that another part can be given it.

use crate::base::stats::quantile;
use crate::base::units::Ticks;
use crate::kit::chart::Chart;
use crate::kit::{Family, Instrument, InstrumentId};
use crate::perform::PlayedHit;
use crate::time::grid::Grid;
use crate::time::metre::MetreMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Velocities at 0, 10, 20 … 100 % of some hits in order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number[]")]
pub struct Quantiles([f64; 11]);

impl Quantiles {
    fn of(velocities: &mut [f64]) -> Quantiles {
        velocities.sort_unstable_by(f64::total_cmp);
        Quantiles(std::array::from_fn(|tenth| quantile(velocities, tenth as f64 / 10.0)))
    }

    /// The velocity that a share `u` (0 to 1) of the hits stays below.
    pub fn at(&self, u: f64) -> f64 {
        quantile(&self.0, u)
    }

    fn is_good(&self) -> bool {
        self.0.iter().all(|velocity| (1.0..=127.0).contains(velocity)) && self.0.is_sorted()
    }
}

/// How hard one instrument of a part is struck.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct InstrumentTouch {
    /// Which.
    pub instrument: InstrumentId,
    /// What kind of drum it is: other kits fall back on it.
    pub family: Family,
    /// All its hits.
    pub all: Quantiles,
    /// Those on a 16th of the bar (from 1) that has at least eight of them.
    pub slots: BTreeMap<u32, Quantiles>,
}

/// How hard the instruments of a part are struck, on the whole and on each 16th of the bar.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct TouchProfile {
    /// Where it was taken from; empty where it was taken from nowhere yet.
    pub name: String,
    /// The length of its bar in quarter notes: slots fit bars of this length alone.
    pub quarters: f64,
    /// At most one for each instrument.
    pub instruments: Vec<InstrumentTouch>,
}

/// The velocities of one instrument.
#[derive(Clone, Default)]
struct Gathered {
    all: Vec<f64>,
    slots: BTreeMap<u32, Vec<f64>>,
}

/// Fewer hits on a slot do not make a distribution.
const ENOUGH: usize = 8;

impl TouchProfile {
    /// The slots of the bar that profiles are taken on.
    pub const GRID: Grid = Grid::SIXTEENTHS;

    /// Takes the touch of a part as it is played. Slots count in bars as long as the first one.
    pub fn of<'a>(
        name: &str,
        chart: &Chart,
        metre: &MetreMap,
        hits: impl IntoIterator<Item = &'a PlayedHit>,
    ) -> TouchProfile {
        let quarters = bar_quarters(metre, 1);
        let mut gathered = vec![Gathered::default(); chart.kit.instruments.len()];
        for hit in hits.into_iter().filter(|hit| hit.silenced.is_none()) {
            let Some(place) = chart.instrument_of(hit.note, hit.channel) else { continue };
            let gathered: &mut Gathered = &mut gathered[place];
            let velocity = f64::from(hit.velocity.get());
            gathered.all.push(velocity);
            if let Some(slot) = TouchProfile::slot(metre, quarters, hit.tick) {
                gathered.slots.entry(slot).or_default().push(velocity);
            }
        }
        let struck = chart.kit.instruments.iter().zip(gathered).filter(|(_, gathered)| !gathered.all.is_empty());
        let touch = |(instrument, mut gathered): (&Instrument, Gathered)| {
            let enough = gathered.slots.into_iter().filter(|(_, velocities)| velocities.len() >= ENOUGH);
            InstrumentTouch {
                instrument: instrument.id.clone(),
                family: instrument.family,
                all: Quantiles::of(&mut gathered.all),
                slots: enough.map(|(slot, mut velocities)| (slot, Quantiles::of(&mut velocities))).collect(),
            }
        };
        TouchProfile { name: name.to_owned(), quarters, instruments: struck.map(touch).collect() }
    }

    /// The slot (from 1) nearest to a place, in a bar that is as long as those of the profile.
    pub(crate) fn slot(metre: &MetreMap, quarters: f64, at: Ticks) -> Option<u32> {
        let line = TouchProfile::GRID.nearest(metre, at);
        let bar = metre.bar_at(line);
        let fits = (bar_quarters(metre, bar.number) - quarters).abs() < 1e-6;
        fits.then(|| ((line.0 - bar.start.0) / TouchProfile::GRID.cell(metre.ppq()).0).round() as u32 + 1)
    }

    /// The touch for an instrument: its own, else that of one of its family.
    pub(crate) fn for_instrument(&self, instrument: &Instrument) -> Option<&InstrumentTouch> {
        let own = self.instruments.iter().find(|touch| touch.instrument == instrument.id);
        own.or_else(|| self.instruments.iter().find(|touch| touch.family == instrument.family))
    }

    pub(crate) fn check(&self) -> Result<(), String> {
        if self.instruments.len() > 200 || self.name.chars().count() > 400 {
            return Err("a reference has at most 200 instruments and a name of 400 letters".to_owned());
        }
        let spreads = |touch: &InstrumentTouch| touch.all.is_good() && touch.slots.values().all(Quantiles::is_good);
        match self.instruments.iter().find(|touch| !spreads(touch)) {
            Some(touch) => Err(format!("the velocities of {} do not ascend within 1 to 127", touch.instrument)),
            None => Ok(()),
        }
    }
}

fn bar_quarters(metre: &MetreMap, number: u32) -> f64 {
    metre.bar(number).length.0 / metre.ppq().as_f64()
}
