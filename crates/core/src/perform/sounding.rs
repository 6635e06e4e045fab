//! Hits as a listener meets them: one after the other, whatever they were written as.

use crate::base::stats::quantile;
use crate::base::units::{Note, Ticks};
use crate::kit::Kit;
use crate::kit::chart::Chart;
use crate::part::hit::Part;
use crate::perform::{Performance, Side, Stage};
use crate::time::tempo::TempoMap;

/// A hit that sounds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Heard {
    /// Its place among the hits of the stage, or of the performance.
    pub index: usize,
    /// When, in seconds from the start.
    pub at: f64,
    /// How long, in ms.
    pub length: f64,
    /// How hard.
    pub velocity: f64,
    /// The place of its instrument in the kit; nothing where the kit does not know its note.
    pub instrument: Option<u16>,
    /// Its note.
    pub note: Note,
    /// The hand or foot that a pass gave it to.
    pub hand: Option<Side>,
    /// Where it belongs in the metre, in ticks.
    pub anchor: f64,
}

/// Seconds of ascending ticks, each change of tempo looked up once.
struct Clock<'a> {
    tempo: &'a TempoMap,
    /// A tick, its seconds and the seconds a tick from there to the next change.
    from: (f64, f64, f64),
    next: f64,
    changes: Vec<f64>,
}

impl Clock<'_> {
    fn new(tempo: &TempoMap) -> Clock<'_> {
        let changes: Vec<f64> = tempo.changes().map(|(at, _)| at.0).collect();
        Clock { tempo, from: (0.0, 0.0, 0.0), next: f64::NEG_INFINITY, changes }
    }

    fn seconds(&mut self, tick: f64) -> f64 {
        if tick >= self.next || tick < self.from.0 {
            let at = Ticks(tick);
            self.from = (tick, self.tempo.seconds(at), self.tempo.millis_per_tick(at) / 1000.0);
            let later = self.changes.partition_point(|&change| change <= tick);
            self.next = self.changes.get(later).copied().unwrap_or(f64::INFINITY);
        }
        self.from.1 + (tick - self.from.0) * self.from.2
    }
}

impl Heard {
    /// What sounds of a stage as it is now, in order of time.
    pub fn on_stage(stage: &Stage<'_>) -> Vec<Heard> {
        let mut clock = Clock::new(stage.tempo);
        let one = |index: usize| {
            let onset = stage.onset[index];
            Heard {
                index,
                at: clock.seconds(onset),
                length: 1000.0 * stage.length[index] * clock.from.2,
                velocity: stage.velocity[index],
                instrument: stage.instrument(index).map(|place| place as u16),
                note: stage.note(index),
                hand: stage.hand[index],
                anchor: stage.anchor(index).0,
            }
        };
        in_order(stage.sounding().into_iter().map(one).collect())
    }

    /// What sounds of a performance, in order of time.
    pub fn of(part: &Part, chart: &Chart, tempo: &TempoMap, performance: &Performance) -> Vec<Heard> {
        let mut clock = Clock::new(tempo);
        let anchors = part.hits().iter().map(|hit| hit.tick.0).chain(performance.made.iter().map(|made| made.anchor.0));
        let sounding = performance.hits().zip(anchors).enumerate().filter(|(_, (hit, _))| hit.silenced.is_none());
        let one = |(index, (hit, anchor)): (usize, (&crate::perform::PlayedHit, f64))| Heard {
            index,
            at: clock.seconds(hit.tick.0),
            length: 1000.0 * hit.length.0 * clock.from.2,
            velocity: f64::from(hit.velocity.get()),
            instrument: chart.instrument_of(hit.note, hit.channel).map(|place| place as u16),
            note: hit.note,
            hand: hit.hand,
            anchor,
        };
        in_order(sounding.map(one).collect())
    }

    /// What it goes by: its instrument, or its note where the kit does not know that.
    pub fn voice(&self, kit: &Kit) -> usize {
        self.instrument.map_or_else(|| kit.instruments.len() + usize::from(self.note.get()), usize::from)
    }
}

fn in_order(mut hits: Vec<Heard>) -> Vec<Heard> {
    // Nearly in order as it is, which this sort makes use of.
    hits.sort_by(|a, b| a.at.total_cmp(&b.at));
    hits
}

/// The places in a list of hits of each voice of the kit: its instruments, then notes that it does not know.
pub(crate) fn by_voice(heard: &[Heard], kit: &Kit) -> Vec<Vec<usize>> {
    let mut voices = vec![Vec::new(); kit.instruments.len() + 128];
    for (place, hit) in heard.iter().enumerate() {
        voices[hit.voice(kit)].push(place);
    }
    voices
}

/// The velocity that a tenth of some hits are above.
pub(crate) fn loud(heard: &[Heard], places: &[usize]) -> f64 {
    let mut velocities: Vec<f64> = places.iter().map(|&place| heard[place].velocity).collect();
    velocities.sort_by(f64::total_cmp);
    if velocities.is_empty() { 0.0 } else { quantile(&velocities, 0.9) }
}
