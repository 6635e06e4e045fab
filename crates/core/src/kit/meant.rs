//! What hits are meant for: the lines that each is measured against, and grace notes.

use crate::base::units::Ticks;
use crate::kit::InstrumentId;
use crate::kit::chart::MOST_INSTRUMENTS;
use crate::part::graces::{Ornament, Strike, graces, ornaments};
use crate::part::hit::Part;
use crate::time::grid::Grid;
use crate::time::lines::Lines;
use crate::time::metre::MetreMap;
use crate::time::reference::{LineFinder, LinesFrom, reference};
use crate::time::tempo::TempoMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// The lines that a person measures timing against; what is not said is found.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LinesSetting {
    /// For all drums that have none of their own.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub all: Option<Lines>,
    /// For some.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    #[ts(optional, as = "Option<BTreeMap<InstrumentId, Lines>>")]
    pub drums: BTreeMap<InstrumentId, Lines>,
}

impl LinesSetting {
    /// Those of one drum, where they are set.
    pub fn of(&self, instrument: &InstrumentId) -> Option<Lines> {
        self.drums.get(instrument).copied().or(self.all)
    }

    /// From the text that [`LinesSetting::text`] makes; a grid alone, as `1/16`, is for all.
    ///
    /// # Errors
    ///
    /// What is wrong with it.
    pub fn read(text: &str) -> Result<LinesSetting, String> {
        if !text.starts_with('{') {
            return Ok(LinesSetting::all(Lines::of(text.parse()?)));
        }
        let setting: LinesSetting = serde_json::from_str(text).map_err(|error| error.to_string())?;
        setting.check().map_err(|(field, reason)| format!("{field}: {reason}"))?;
        Ok(setting)
    }

    /// As JSON; nothing where nothing is set.
    pub fn text(&self) -> Option<String> {
        (*self != LinesSetting::default()).then(|| serde_json::json!(self).to_string())
    }

    /// The same for all drums.
    pub fn all(lines: Lines) -> LinesSetting {
        LinesSetting { all: Some(lines), drums: BTreeMap::new() }
    }

    /// Fails where a number lies outside its range, or too many drums are named: the field and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        if self.drums.len() > MOST_INSTRUMENTS {
            return Err(("drums".to_owned(), format!("at most {MOST_INSTRUMENTS} drums have lines of their own")));
        }
        let named = self.drums.iter().map(|(drum, lines)| (format!("drums.{}", drum.as_str()), lines));
        for (field, lines) in self.all.iter().map(|lines| ("all".to_owned(), lines)).chain(named) {
            lines.check().map_err(|(name, reason)| (format!("{field}.{name}"), reason))?;
        }
        Ok(())
    }
}

/// The grace notes of a part.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Graces {
    /// For each index of a grace note the index of the hit that it belongs to.
    pub of: Vec<Option<u32>>,
    /// How many grace notes there are.
    pub count: usize,
    /// The hits that have some, and how.
    pub ornaments: Vec<(u32, Ornament)>,
}

impl Graces {
    /// By the indices of each instrument's hits.
    pub(crate) fn found(part: &Part, tempo: &TempoMap, by_instrument: &[Vec<usize>]) -> Graces {
        let hits = part.hits();
        let mut found = Graces { of: vec![None; hits.len()], ..Graces::default() };
        for indices in by_instrument {
            let strike = |&index: &usize| Strike {
                at: tempo.seconds(hits[index].tick),
                velocity: f64::from(hits[index].velocity.get()),
            };
            let strikes: Vec<Strike> = indices.iter().map(strike).collect();
            let own = graces(&strikes);
            let index_of = |place: usize| indices[place] as u32;
            indices.iter().zip(&own).for_each(|(&index, head)| found.of[index] = head.map(index_of));
            found.ornaments.extend(ornaments(&strikes, &own).into_iter().map(|(place, kind)| (index_of(place), kind)));
        }
        found.count = found.of.iter().flatten().count();
        found
    }

    /// Whether a hit is one.
    pub fn is_one(&self, index: usize) -> bool {
        self.of.get(index).is_some_and(Option::is_some)
    }

    /// The hit that a hit keeps time with: that which it belongs to, or itself.
    pub fn head(&self, index: usize) -> usize {
        self.of.get(index).copied().flatten().map_or(index, |of| of as usize)
    }

    /// Each grace note, and the hit that it belongs to.
    pub fn pairs(&self) -> impl Iterator<Item = (usize, usize)> {
        let found = if self.count == 0 { &[][..] } else { &self.of };
        found.iter().enumerate().filter_map(|(index, of)| Some((index, (*of)? as usize)))
    }
}

/// What the hits of a part are meant for.
#[derive(Debug)]
pub struct Meant {
    /// The grid that the part seems to be meant for on the whole.
    pub grid: Grid,
    /// For each index the line that it is measured against, in ticks; that of a grace note is its hit's.
    pub lines: Vec<f64>,
    /// Where these lines would lie if all was straight.
    pub straight: Vec<f64>,
    /// The grace notes among them.
    pub graces: Graces,
    /// For each instrument of the kit, and at last on the whole.
    drums: Vec<Vec<LinesFrom>>,
    /// For each whether a person set them.
    set: Vec<bool>,
}

impl Meant {
    /// By the instruments of all hits, each a place in the kit.
    pub(crate) fn of(
        part: &Part,
        metre: &MetreMap,
        tempo: &TempoMap,
        by_instrument: &[Vec<usize>],
        graces: Graces,
        instrument: impl Fn(usize) -> InstrumentId,
        setting: &LinesSetting,
    ) -> Meant {
        let hits = part.hits();
        let main = |index: &&usize| !graces.is_one(**index);
        let ticks = |indices: &Vec<usize>| indices.iter().filter(main).map(|&index| hits[index].tick.0).collect();
        let ticks: Vec<Vec<f64>> = by_instrument.iter().map(ticks).collect();
        let mut drums = reference(metre, tempo, &ticks, None);
        let mut set = vec![false; drums.len()];
        for (place, (lines, set)) in drums.iter_mut().zip(&mut set).enumerate() {
            let own = if place < by_instrument.len() { setting.of(&instrument(place)) } else { setting.all };
            if let Some(own) = own {
                (*lines, *set) = (vec![LinesFrom { bar: 1, lines: own }], true);
            }
        }
        let mut found = Meant {
            grid: setting.all.map_or_else(|| Grid::fit(metre, hits.iter().map(|hit| hit.tick)), |lines| lines.grid),
            lines: vec![0.0; hits.len()],
            straight: vec![0.0; hits.len()],
            graces,
            drums,
            set,
        };
        for (place, indices) in by_instrument.iter().enumerate() {
            let mut finder = LineFinder::new(metre, &found.drums[place]);
            for &index in indices {
                (found.lines[index], found.straight[index]) = finder.line(hits[found.graces.head(index)].tick.0);
            }
        }
        found
    }

    /// The lines of an instrument, by its place in the kit, bar by bar; of the whole part where none is said.
    pub fn of_drum(&self, instrument: Option<usize>) -> &[LinesFrom] {
        let whole = self.drums.len() - 1;
        &self.drums[instrument.map_or(whole, |place| place.min(whole))]
    }

    /// Whether a person set the lines of an instrument.
    pub(crate) fn is_set(&self, instrument: usize) -> bool {
        self.set[instrument]
    }

    /// The line of an instrument that is nearest to a position.
    pub fn line(&self, metre: &MetreMap, instrument: Option<usize>, at: Ticks) -> Ticks {
        Ticks(self.line_at(metre, instrument, at).0)
    }

    /// The same, and where it would lie if all was straight.
    pub(crate) fn line_at(&self, metre: &MetreMap, instrument: Option<usize>, at: Ticks) -> (f64, f64) {
        LineFinder::new(metre, self.of_drum(instrument)).line(at.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Percent;

    #[test]
    fn a_setting_is_kept_as_text_and_a_grid_of_before_is_read() {
        let swung = Lines { of: Some(Grid::straight(8)), ..Lines::swung(Grid::SIXTEENTHS, Percent(58.5)) };
        let drums = [(InstrumentId::new("snare"), swung)].into_iter().collect();
        let setting = LinesSetting { all: Some(Lines::of(Grid::triplet(8))), drums };
        assert_eq!(LinesSetting::read(&setting.text().unwrap()), Ok(setting));
        assert_eq!(LinesSetting::default().text(), None);
        assert_eq!(LinesSetting::read("1/8 triplet"), Ok(LinesSetting::all(Lines::of(Grid::triplet(8)))));
        for wrong in ["1/3", "{\"all\": {\"grid\": \"1/8\", \"swing\": 90}}", "{\"each\": 1}", "{"] {
            assert!(LinesSetting::read(wrong).is_err(), "{wrong}");
        }
    }
}
