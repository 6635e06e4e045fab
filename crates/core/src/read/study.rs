//! Study: how far a part is from another, drum by drum.
//!
//! The distance is Wasserstein's (1969; the earth mover's): how far, on average, hits would have to be moved so that
//! one distribution is the other. Of velocities it is in steps of velocity, of timing in ms against straight
//! lines, slot by slot of the bar, each weighed by its share of this part's hits; grace notes are left out of it.

use crate::base::stats::quantile;
use crate::base::units::Ticks;
use crate::kit::chart::Chart;
use crate::kit::{Family, InstrumentId};
use crate::part::hit::Part;
use crate::perform::touch::TouchProfile;
use crate::perform::{Context, Performance};
use crate::read::played_lines::PlayedLines;
use serde::Serialize;
use std::collections::BTreeMap;
use ts_rs::TS;

/// How a drum is played: what distances are taken of.
#[derive(Clone, Debug, PartialEq)]
struct Manner {
    instrument: InstrumentId,
    family: Family,
    name: String,
    /// Ascending.
    velocities: Vec<f64>,
    /// In ms, of each hit.
    late: Vec<f64>,
    /// By slot of the bar, ascending: ms late.
    offsets: BTreeMap<u32, Vec<f64>>,
}

/// A part as it is played, to be held against another.
#[derive(Clone, Debug, PartialEq)]
pub struct Study(Vec<Manner>);

/// How far apart two parts are on one drum.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Apart {
    /// Which drum.
    pub instrument: InstrumentId,
    /// What it is called.
    pub name: String,
    /// The drum of the other part that it is held against; nothing where there is none like it.
    pub against: Option<InstrumentId>,
    /// Its hits here and there.
    pub counts: [u32; 2],
    /// Typical velocity here and there.
    pub typical: [f64; 2],
    /// Mean ms late here and there, whatever the metre of its bars; nothing where it is not struck.
    pub late: [Option<f64>; 2],
    /// Between the velocities, in steps.
    pub velocity: f64,
    /// Between the timings, in ms, over the slots that both play; nothing where there is none.
    pub timing: Option<f64>,
}

impl Study {
    /// Of a part as it is played.
    pub fn of(part: &Part, chart: &Chart, context: &Context<'_>, performance: &Performance) -> Study {
        let lines = PlayedLines::of(part, chart, context, performance);
        let quarters = context.metre.bar(1).length.0 / context.metre.ppq().as_f64();
        let name = |place: usize| &chart.kit.instruments[place];
        let empty = |place: usize| Manner {
            instrument: name(place).id.clone(),
            family: name(place).family,
            name: name(place).name.clone(),
            velocities: Vec::new(),
            late: Vec::new(),
            offsets: BTreeMap::new(),
        };
        let mut manners: Vec<Manner> = (0..chart.kit.instruments.len()).map(empty).collect();
        let written = performance.written.len();
        for (index, hit) in performance.hits().enumerate().filter(|(_, hit)| hit.silenced.is_none()) {
            let Some(place) = chart.instrument_of(hit.note, hit.channel) else { continue };
            let manner = &mut manners[place];
            manner.velocities.push(f64::from(hit.velocity.get()));
            if lines.graces[index] {
                continue;
            }
            let (line, straight) = match index.checked_sub(written) {
                None => (Ticks(lines.written[index]), lines.straight(index)),
                Some(made) => lines.of_made(context, Some(place), performance.made[made].anchor),
            };
            let late = |from: Ticks| context.tempo.millis_of(hit.tick - from, from).0;
            manner.late.push(late(line));
            // Against straight lines, or two parts that are swung otherwise would be alike.
            if let Some(slot) = TouchProfile::slot(context.metre, quarters, straight) {
                manner.offsets.entry(slot).or_default().push(late(straight));
            }
        }
        manners.retain(|manner| !manner.velocities.is_empty());
        for manner in &mut manners {
            manner.velocities.sort_by(f64::total_cmp);
            manner.offsets.values_mut().for_each(|offsets| offsets.sort_by(f64::total_cmp));
        }
        Study(manners)
    }

    /// How far it is from another, drum by drum.
    pub fn apart(&self, other: &Study) -> Vec<Apart> {
        self.0.iter().map(|one| one.apart(other.like(one))).collect()
    }

    /// The drum that one is held against: the same, else the busiest of its family.
    fn like(&self, one: &Manner) -> Option<&Manner> {
        let same = self.0.iter().find(|other| other.instrument == one.instrument);
        let kin = self.0.iter().filter(|other| other.family == one.family && one.family != Family::Other);
        same.or_else(|| kin.max_by_key(|other| other.velocities.len()))
    }
}

impl Manner {
    /// Nothing where it is not struck.
    fn late(&self) -> Option<f64> {
        (!self.late.is_empty()).then(|| crate::base::stats::mean(&self.late))
    }

    fn apart(&self, other: Option<&Manner>) -> Apart {
        let nothing = Manner { velocities: Vec::new(), late: Vec::new(), offsets: BTreeMap::new(), ..self.clone() };
        let there = other.unwrap_or(&nothing);
        let shared = self.offsets.iter().filter_map(|(slot, here)| Some((here, there.offsets.get(slot)?)));
        let (mut far, mut count) = (0.0, 0.0);
        for (here, there) in shared {
            far += distance(here, there) * here.len() as f64;
            count += here.len() as f64;
        }
        let typical = |one: &Manner| if one.velocities.is_empty() { 0.0 } else { quantile(&one.velocities, 0.5) };
        Apart {
            instrument: self.instrument.clone(),
            name: self.name.clone(),
            against: other.map(|other| other.instrument.clone()),
            counts: [self.velocities.len() as u32, there.velocities.len() as u32],
            typical: [typical(self), typical(there)],
            late: [self.late(), there.late()],
            velocity: distance(&self.velocities, &there.velocities),
            timing: (count > 0.0).then(|| far / count),
        }
    }
}

/// Wasserstein's distance of two distributions, each given ascending; 0 where one is empty.
fn distance(a: &[f64], b: &[f64]) -> f64 {
    if a.is_empty() || b.is_empty() {
        return 0.0;
    }
    // Both quantile functions are steps: between two of their edges the difference is the same.
    let (mut i, mut j, mut from, mut sum) = (0, 0, 0.0, 0.0);
    while i < a.len() && j < b.len() {
        let (end_a, end_b) = ((i + 1) as f64 / a.len() as f64, (j + 1) as f64 / b.len() as f64);
        let to = end_a.min(end_b);
        sum += (a[i] - b[j]).abs() * (to - from);
        from = to;
        // Edges that fall together are passed together.
        i += usize::from(end_a <= to + 1e-12);
        j += usize::from(end_b <= to + 1e-12);
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::collection::vec;
    use proptest::prelude::*;

    #[test]
    fn the_worked_numbers() {
        assert_eq!(distance(&[10.0, 20.0, 30.0], &[10.0, 20.0, 30.0]), 0.0);
        assert_eq!(distance(&[10.0, 20.0], &[15.0, 25.0]), 5.0);
        // Half of the hits go 10 up.
        assert!((distance(&[10.0, 10.0], &[10.0, 20.0]) - 5.0).abs() < 1e-9);
        assert!((distance(&[0.0], &[0.0, 3.0, 6.0]) - 3.0).abs() < 1e-9);
    }

    fn some() -> impl Strategy<Value = Vec<f64>> {
        vec(1.0..127.0, 1..30).prop_map(|mut values: Vec<f64>| {
            values.sort_by(f64::total_cmp);
            values
        })
    }

    proptest! {
        #[test]
        fn it_is_a_distance(a in some(), b in some(), c in some(), by in 0.0..20.0f64) {
            prop_assert!(distance(&a, &a).abs() < 1e-9);
            prop_assert!((distance(&a, &b) - distance(&b, &a)).abs() < 1e-6);
            prop_assert!(distance(&a, &c) <= distance(&a, &b) + distance(&b, &c) + 1e-6);
            let moved: Vec<f64> = a.iter().map(|value: &f64| value + by).collect();
            prop_assert!((distance(&a, &moved) - by).abs() < 1e-6);
        }
    }
}
