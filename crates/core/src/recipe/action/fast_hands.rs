use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Millis;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Softer the faster the hands go: v −= softer·max(0, log2(reference / gap)), where the gap is the
/// time in ms since the stroke before it of the same instrument (hits within 15 ms are one stroke).
///
/// A run is a chain of hits closer than the reference. Its first hit has a long gap before it and is
/// spared. The last `climb` hits of a run come back to where they were, in even steps.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct FastHands {
    /// 0 to 40: how much softer for each doubling of the speed.
    pub softer: f64,
    /// 20 to 1000 ms: the gap from which hits are spared.
    pub reference: Millis,
    /// 0 to 16 hits.
    pub climb: u32,
}

impl Default for FastHands {
    fn default() -> FastHands {
        FastHands { softer: 12.0, reference: Millis(125.0), climb: 0 }
    }
}

impl Act for FastHands {
    const INFO: ActionInfo = ActionInfo {
        kind: "fast-hands",
        title: "Fast hands",
        family: ActionFamily::Touch,
        words: &["speed", "fast", "roll", "fill", "run", "machine gun", "realistic", "velocity", "blast", "blast beat"],
        sentence: "play {softer} softer each time the speed doubles, once hits are {reference} apart or closer[; the last {climb} come back up].",
        brief: "{softer} softer per doubling",
        explains: "Softer the faster it goes, as hands do; the first of a run stays strong.",
        points: &[],
        settings: &[
            Setting::new("softer", "softer", Values::number(0.0, 40.0, 1.0, "", Some(0.0))),
            Setting::new("reference", "reference gap", Values::number(20.0, 1000.0, 5.0, "ms", None)),
            Setting::new("climb", "climbing back", Values::number(0.0, 16.0, 1.0, "hits", Some(0.0))),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let gaps = stage.gaps(false);
        let mut climbs = vec![1.0; stage.count()];
        if self.climb > 0 {
            for run in stage.runs(self.reference) {
                let climb = (self.climb as usize).min(run.strokes - 1);
                let first = run.strokes - climb;
                for &(index, stroke) in run.hits.iter().filter(|&&(_, stroke)| stroke >= first) {
                    climbs[index] = 1.0 - (stroke - first + 1) as f64 / climb as f64;
                }
            }
        }
        for &index in aimed {
            let doublings = libm::log2(self.reference.0 / gaps[index].max(1.0)).max(0.0);
            stage.velocity[index] -= self.softer * doublings * climbs[index];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    // 120 bpm: a 16th is 125 ms, so the reference of 250 ms makes 16ths one doubling.
    fn played(softer: f64, reference: f64, climb: u32) -> Vec<u8> {
        let action = Action::FastHands(FastHands { softer, reference: Millis(reference), climb });
        play(&sixteenths(&[100; 6]), action).iter().map(|hit| hit.velocity.get()).collect()
    }

    #[test]
    fn the_worked_numbers() {
        assert_eq!(played(12.0, 250.0, 0), [100, 88, 88, 88, 88, 88]);
        assert_eq!(played(12.0, 500.0, 0), [100, 76, 76, 76, 76, 76]);
        assert_eq!(played(12.0, 125.0, 0), [100; 6]);
    }

    #[test]
    fn the_last_climb_back() {
        assert_eq!(played(12.0, 250.0, 3), [100, 88, 88, 92, 96, 100]);
    }
}
