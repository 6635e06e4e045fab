//! Aims: whom a pass is for.

use crate::hit::Part;
use crate::kit::{InstrumentId, Kit};
use crate::metre::MetreMap;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Bars `from` up to and with `to`, counted from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct BarRange {
    pub from: u32,
    pub to: u32,
}

/// Whom a pass is for. All given conditions hold; an absent or empty one holds for every hit.
///
/// Positions are looked up on the written hit, so an aim means the same hits wherever earlier
/// passes have moved them.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Aim {
    /// Any of these instruments.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<InstrumentId>>")]
    pub instruments: Vec<InstrumentId>,
    /// In any of these bars.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<BarRange>>")]
    pub bars: Vec<BarRange>,
}

impl Aim {
    /// Everything.
    pub fn everything() -> Aim {
        Aim::default()
    }

    /// One instrument in every bar.
    pub fn at(instrument: &str) -> Aim {
        Aim { instruments: vec![InstrumentId::new(instrument)], ..Aim::default() }
    }

    /// What is wrong with the conditions: the path of the field and why.
    pub(crate) fn check(&self) -> Result<(), (String, String)> {
        for (index, range) in self.bars.iter().enumerate() {
            if range.from < 1 || range.to < range.from {
                let message = format!(
                    "bars {} to {} are no range; count from 1 and end at or after the start",
                    range.from, range.to
                );
                return Err((format!("bars[{index}]"), message));
            }
        }
        Ok(())
    }

    /// For each hit of the part whether it is meant. `instruments` holds each hit's place in the
    /// kit.
    pub(crate) fn meant(&self, part: &Part, kit: &Kit, metre: &MetreMap, instruments: &[usize]) -> Vec<bool> {
        let wanted: Vec<bool> = kit
            .instruments
            .iter()
            .map(|instrument| self.instruments.is_empty() || self.instruments.contains(&instrument.id))
            .collect();
        let stretches: Vec<(f64, f64)> = self
            .bars
            .iter()
            .map(|range| {
                let last = metre.bar(range.to);
                (metre.bar(range.from).start.0, last.start.0 + last.length.0)
            })
            .collect();
        let in_bars = |tick: f64| stretches.is_empty() || stretches.iter().any(|&(from, to)| tick >= from && tick < to);
        part.hits()
            .iter()
            .zip(instruments)
            .map(|(hit, &instrument)| wanted[instrument] && in_bars(hit.tick.0))
            .collect()
    }
}
