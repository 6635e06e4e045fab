//! What a treatment did to a part: before and after, drum by drum.

use crate::kit::InstrumentId;
use crate::kit::chart::Chart;
use crate::part::hit::{HitId, Part};
use crate::perform::{Context, Performance, PlayedHit};
use crate::read::findings::{Thresholds, findings};
use crate::read::report::{Figures, Measured};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// What was done to a drum, or to all of them together.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Treated {
    /// Hits that sound now.
    pub hits: u32,
    /// Hits that sound otherwise than before.
    pub touched: u32,
    /// Hits that were made.
    pub made: u32,
    /// Hits that fell silent.
    pub silenced: u32,
    /// Share (0 to 1) of neighbours with one velocity, before and after.
    pub identical_neighbours: [f64; 2],
    /// Share (0 to 1) of hits exactly on the grid, before and after.
    pub on_grid: [f64; 2],
}

/// What was done to one drum.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
pub struct DrumTreatment {
    /// Which.
    pub instrument: InstrumentId,
    /// What it is called.
    pub name: String,
    /// What was done.
    #[serde(flatten)]
    pub treated: Treated,
}

/// What was done to a part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Treatment {
    /// All drums together.
    pub all: Treated,
    /// The drums that are struck, in the order of the kit.
    pub drums: Vec<DrumTreatment>,
    /// Findings, before and after.
    pub findings: [u32; 2],
    /// What a listener would still notice, in sentences, what concerns most of the song first.
    pub left: Vec<String>,
}

impl Treatment {
    /// The columns of a table of drums.
    pub const COLUMNS: [&str; 11] = [
        "drum",
        "hits",
        "touched",
        "made",
        "silenced",
        "identical before",
        "identical after",
        "on grid before",
        "on grid after",
        "findings before",
        "findings after",
    ];

    /// A row for each drum; one without words where no drum is struck.
    pub fn rows(&self) -> Vec<[String; 11]> {
        let row = |DrumTreatment { name, treated, .. }: &DrumTreatment| {
            let Treated { hits, touched, made, silenced, identical_neighbours, on_grid } = treated;
            let counts = [hits, touched, made, silenced].map(u32::to_string);
            let shares = [identical_neighbours, on_grid].map(|pair| pair.map(|share| format!("{share:.3}")));
            let findings = self.findings.map(|count| count.to_string());
            let cells = [name.clone()].into_iter().chain(counts).chain(shares.into_iter().flatten()).chain(findings);
            let mut cells = cells.into_iter();
            std::array::from_fn(|_| cells.next().unwrap_or_default())
        };
        match self.drums.is_empty() {
            true => vec![<[String; 11]>::default()],
            false => self.drums.iter().map(row).collect(),
        }
    }

    /// From one performance of a part to another.
    pub fn of(
        part: &Part,
        chart: &Chart,
        context: &Context<'_>,
        performances: [&Performance; 2],
        thresholds: &Thresholds,
    ) -> Treatment {
        let [before, after] = performances;
        let readings = performances.map(|one| Measured::played(part, chart, context, one));
        let was: HashMap<HitId, &PlayedHit> = before.hits().map(|hit| (hit.id, hit)).collect();
        let treated = |figures: [&Figures; 2]| Treated {
            identical_neighbours: figures.map(|one| one.identical_neighbours),
            on_grid: figures.map(|one| one.on_grid),
            ..Treated::default()
        };
        let mut all = treated([0, 1].map(|side: usize| &readings[side].all));
        let of_drum = |place: usize| treated([0, 1].map(|side: usize| &readings[side].instruments[place].figures));
        let mut drums: Vec<Treated> = (0..chart.kit.instruments.len()).map(of_drum).collect();
        for hit in after.hits() {
            let place = chart.instrument_of(hit.note, hit.channel);
            let old = was.get(&hit.id).filter(|old| old.silenced.is_none());
            let sounds = hit.silenced.is_none();
            let other = old.is_some_and(|old| {
                (old.tick, old.length, old.velocity, old.note) != (hit.tick, hit.length, hit.velocity, hit.note)
            });
            for count in [Some(&mut all), place.map(|place| &mut drums[place])].into_iter().flatten() {
                count.hits += u32::from(sounds);
                count.made += u32::from(sounds && old.is_none());
                count.silenced += u32::from(!sounds && old.is_some());
                count.touched += u32::from(sounds && other);
            }
        }
        let named = chart.kit.instruments.iter().zip(drums).map(|(instrument, treated)| DrumTreatment {
            instrument: instrument.id.clone(),
            name: instrument.name.clone(),
            treated,
        });
        let found = performances.map(|one| findings(part, chart, context, one, thresholds));
        Treatment {
            all,
            drums: named.filter(|one| one.treated.hits + one.treated.silenced > 0).collect(),
            findings: [0, 1].map(|side: usize| found[side].len() as u32),
            left: found[1].iter().map(|finding| finding.said.clone()).collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Note, Ticks, Velocity};
    use crate::kit::Kit;
    use crate::perform::perform;
    use crate::recipe::action::{Action, Silence, Vary};
    use crate::recipe::aim::Aim;
    use crate::recipe::{Pass, Recipe};
    use crate::time::outline::Outline;

    #[test]
    fn what_was_touched_made_and_silenced_is_counted_by_drum() {
        let hit = |id: u32| crate::part::hit::Hit {
            id: HitId::new(id),
            tick: Ticks(480.0 * f64::from(id)),
            length: Ticks(60.0),
            velocity: Velocity::new(100).unwrap(),
            release: 64,
            note: Note::new(if id.is_multiple_of(2) { 36 } else { 38 }).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let part = Part::new((0..64).map(hit).collect());
        let (tempo, metre) = Outline::plain(8, 100.0, "4/4").maps();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let context = Context::new(&tempo, &metre);
        let recipe = Recipe::of(vec![
            Pass::new(1, Aim::at("snare"), Action::Vary(Vary { by: 20.0, ..Vary::default() })),
            Pass::new(2, Aim::at("kick"), Action::Silence(Silence::default())),
        ]);
        let before = perform(&part, &chart, &Recipe::default(), &context);
        let after = perform(&part, &chart, &recipe, &context);
        let found = Treatment::of(&part, &chart, &context, [&before, &after], &Thresholds::default());
        let counts: Vec<(&str, [u32; 4])> = found
            .drums
            .iter()
            .map(|one| {
                let Treated { hits, touched, made, silenced, .. } = one.treated;
                (one.name.as_str(), [hits, touched, made, silenced])
            })
            .collect();
        assert_eq!(counts.len(), 2);
        assert!(counts.contains(&("Kick", [0, 0, 0, 32])), "{counts:?}");
        let snare = &found.drums.iter().find(|one| one.name == "Snare").unwrap().treated;
        assert!(snare.touched > 25 && snare.identical_neighbours[0] == 1.0 && snare.identical_neighbours[1] < 0.3);
        assert_eq!((found.all.hits, found.all.silenced, found.all.touched), (32, 32, snare.touched));
        assert!(found.findings[0] > 0 && found.left.len() as u32 == found.findings[1]);
    }
}
