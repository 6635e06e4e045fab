//! Strokes, gaps and runs: what follows what.
//!
//! Hits of one instrument (or limb) that belong together or within 15 ms are one **stroke**: a flam, two
//! samples laid over one another, a chord. Speed, runs and fast hands count strokes, so that a gap of nothing
//! is never endlessly fast. What a pass has silenced is not there.

use crate::base::units::Millis;
use crate::kit::Limb;
use crate::perform::Stage;

/// Hits so close to the first of a stroke belong to it, in s.
pub(crate) const TOGETHER: f64 = 0.015;

/// A chain of strokes that follow one another closely.
#[derive(Clone, Debug, PartialEq)]
pub struct StrokeRun {
    /// Each hit's index and the number of its stroke in the run, from 0.
    pub hits: Vec<(usize, usize)>,
    /// How many strokes it has, at least 1.
    pub strokes: usize,
}

/// What a stroke may belong to.
pub(crate) struct Chain {
    /// Where its newest stroke begins, in s.
    at: f64,
    /// The gap before that stroke, in ms.
    pub gap: f64,
}

impl Chain {
    pub const NEW: Chain = Chain { at: f64::NEG_INFINITY, gap: f64::INFINITY };

    /// Takes the next hit; answers whether a stroke begins with it.
    pub fn take(&mut self, at: f64) -> bool {
        let begins = at - self.at > TOGETHER + 1e-9;
        if begins {
            self.gap = (at - self.at) * 1000.0;
            self.at = at;
        }
        begins
    }
}

/// The gap in ms from each hit's stroke back to the one before it of the same instrument or limb; endless
/// for the first, and for what does not sound.
pub(crate) fn gaps(stage: &Stage<'_>, by_limb: bool) -> Vec<f64> {
    let kit = &stage.chart.kit;
    // Instruments that one limb plays share the chain of the first of them.
    let chains: Vec<usize> = (0..kit.instruments.len())
        .map(|place| {
            let limb = kit.instruments[place].limb;
            let shared = by_limb && !matches!(limb, Limb::None | Limb::EitherHand);
            if shared { kit.instruments.iter().position(|one| one.limb == limb).unwrap_or(place) } else { place }
        })
        .collect();
    // Notes that the kit does not know are an instrument each.
    let mut known: Vec<Chain> = (0..kit.instruments.len() + 128).map(|_| Chain::NEW).collect();
    let mut gaps = vec![f64::INFINITY; stage.count()];
    for index in stage.sounding() {
        let unknown = || kit.instruments.len() + usize::from(stage.note(index).get());
        let chain = &mut known[stage.instrument(index).map_or_else(unknown, |place| chains[place])];
        chain.take(stage.seconds(index));
        gaps[index] = chain.gap;
    }
    gaps
}

/// The runs of every instrument: chains of strokes at most `gap` apart.
pub(crate) fn runs(stage: &Stage<'_>, gap: Millis) -> Vec<StrokeRun> {
    let mut runs = Vec::new();
    for indices in stage.by_instrument(&stage.sounding()) {
        let mut run = StrokeRun { hits: Vec::new(), strokes: 0 };
        let mut chain = Chain::NEW;
        for index in indices {
            if chain.take(stage.seconds(index)) {
                if run.strokes > 0 && chain.gap > gap.0 + 1e-6 {
                    runs.push(std::mem::replace(&mut run, StrokeRun { hits: Vec::new(), strokes: 0 }));
                }
                run.strokes += 1;
            }
            run.hits.push((index, run.strokes - 1));
        }
        runs.push(run);
    }
    runs
}
