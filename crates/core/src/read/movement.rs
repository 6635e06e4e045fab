//! How the hits of an instrument move, in figures and outlines.

use crate::base::property::Property;
use crate::base::stats::{outline, quantile, standard_deviation};
use crate::kit::chart::Chart;
use crate::perform::Performance;
use serde::Serialize;
use ts_rs::TS;

/// The movement of one instrument in one property.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct MovementReading {
    /// Which; in its unit are all numbers here.
    pub property: Property,
    /// 10th percentile.
    pub low: f64,
    /// Median.
    pub typical: f64,
    /// 90th percentile.
    pub high: f64,
    /// Standard deviation.
    pub spread: f64,
    /// The outline goes from minus this to this.
    pub reach: f64,
    /// How many there are of each, from the least to the greatest; the highest place is 255.
    pub outline: Vec<u8>,
}

/// Places of an outline; the middle one is 0.
const PLACES: usize = 81;

impl MovementReading {
    fn of(property: Property, mut values: Vec<f64>) -> MovementReading {
        let spread = standard_deviation(&values);
        values.sort_by(f64::total_cmp);
        let [low, typical, high] = [0.1, 0.5, 0.9].map(|share| quantile(&values, share));
        let farthest = values.iter().fold(0.0, |most: f64, value| most.max(value.abs()));
        let most = property.range().1;
        // Round numbers, with some air.
        let steps = [5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0].into_iter().filter(|step| *step >= property.near());
        let reach = steps.filter(|step| 1.2 * farthest <= *step).fold(most, f64::min);
        let mut counts = [0u32; PLACES];
        let middle = (PLACES / 2) as f64;
        for value in &values {
            counts[(middle + value / reach * middle).round() as usize] += 1;
        }
        MovementReading { property, low, typical, high, spread, reach, outline: outline(&counts, 2) }
    }
}

/// Of each instrument of the kit, the properties in which any hit of the part moves.
pub(crate) fn readings(chart: &Chart, performance: &Performance) -> Vec<Vec<MovementReading>> {
    let mut moves = [false; 4];
    for hit in performance.sounding().filter(|hit| !hit.movement.is_none()) {
        moves.iter_mut().zip(hit.movement.values()).for_each(|(moves, value)| *moves |= value != 0.0);
    }
    let mut all: Vec<Vec<MovementReading>> = vec![Vec::new(); chart.kit.instruments.len()];
    if moves == [false; 4] {
        return all;
    }
    let mut of_instruments: Vec<Vec<[f64; 4]>> = vec![Vec::new(); all.len()];
    for hit in performance.sounding() {
        if let Some(place) = chart.instrument_of(hit.note, hit.channel) {
            of_instruments[place].push(hit.movement.values());
        }
    }
    for (readings, hits) in all.iter_mut().zip(&of_instruments).filter(|(_, hits)| !hits.is_empty()) {
        for (column, property) in Property::MOVEMENT.into_iter().enumerate().filter(|&(column, _)| moves[column]) {
            readings.push(MovementReading::of(property, hits.iter().map(|values| values[column]).collect()));
        }
    }
    all
}
