use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::base::units::{Millis, Percent};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::mishits::{Mishit, Suspicion, mishits};
use crate::perform::sounding::Heard;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Which two drums may shake one another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum BleedPairs {
    /// Loud drums their neighbours, where the part tells that it was no stroke.
    #[default]
    Likely,
    /// Any two.
    Any,
}

/// Silences hits that nobody meant: softer than so much on a drum that has no soft strokes, or shorter; within so many ms after a louder one of the
/// same drum and at most such a share of its velocity (a double trigger), unless a roll goes on; or within so many
/// ms of a louder one of another drum (crosstalk). Each has its reason; each can be called back by hand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Strays {
    /// 0 to 64: softer than this, and up to twice as loud on pads that shake with others where such hits are few and far
    /// softer than all strokes; 0 is off.
    pub softer: f64,
    /// 0 to 100 ms: shorter than this; 0 is off.
    pub shorter: Millis,
    /// 0 to 80 ms after a louder one of the same drum; 0 is off.
    pub again: Millis,
    /// 0 to 30 ms from a louder one of another drum; 0 is off.
    pub bleed: Millis,
    /// 1 to 100 %: of the velocity of the louder one.
    pub share: Percent,
    /// Which drums shake one another.
    pub pairs: BleedPairs,
}

impl Default for Strays {
    fn default() -> Strays {
        Strays {
            softer: 10.0,
            shorter: Millis(0.0),
            again: Millis(35.0),
            bleed: Millis(8.0),
            share: Percent(50.0),
            pairs: BleedPairs::Likely,
        }
    }
}

impl Act for Strays {
    const INFO: ActionInfo = ActionInfo {
        kind: "strays",
        title: "Drop strays",
        family: ActionFamily::Tidy,
        words: &[
            "double trigger",
            "crosstalk",
            "bleed",
            "mis-hit",
            "stray",
            "clean up",
            "false trigger",
            "gate",
            "ghost",
            "retrigger",
            "mask",
            "vibration",
            "dropped stick",
            "filter",
        ],
        sentence: "drop what nobody meant: hits[ softer than {softer}][, shorter than {shorter}][, up to {again} after a louder one of the same drum][, up to {bleed} from a louder one of another drum, {pairs}], at most {share} as loud.",
        brief: "",
        explains: "Brushed pads, double triggers and crosstalk; they stay in sight, each with its reason.",
        points: &[
            point("double trigger", r#"{"softer": 0, "bleed": 0}"#),
            point("crosstalk", r#"{"softer": 0, "again": 0}"#),
            point("gate", r#"{"softer": 16, "again": 0, "bleed": 0}"#),
        ],
        settings: &[
            Setting::new("softer", "softer than", Values::number(0.0, 64.0, 1.0, "", Some(0.0))),
            Setting::new("shorter", "shorter than", Values::number(0.0, 100.0, 1.0, "ms", Some(0.0))),
            Setting::new("again", "after the same drum", Values::number(0.0, 80.0, 1.0, "ms", Some(0.0))),
            Setting::new("bleed", "from another drum", Values::number(0.0, 30.0, 0.5, "ms", Some(0.0))),
            Setting::new(
                "pairs",
                "drums",
                Values::Choice { options: &[("likely", "where it is likely"), ("any", "whichever they are")] },
            ),
            Setting::new("share", "share", Values::number(1.0, 100.0, 1.0, "%", None)),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let heard = Heard::on_stage(stage);
        let kit = &stage.chart.kit;
        let mut meant = vec![false; stage.count()];
        aimed.iter().for_each(|&index| meant[index] = true);
        let look_at: Vec<bool> = heard.iter().map(|hit| meant[hit.index]).collect();
        let what = Suspicion {
            softer: self.softer,
            shorter: self.shorter.0,
            again: self.again.0,
            bleed: self.bleed.0,
            share: self.share.factor(),
            any_pair: self.pairs == BleedPairs::Any,
        };
        for (place, why) in mishits(&heard, kit, &look_at, &what) {
            let reason = match why {
                Mishit::Soft => format!("softer than {}", self.softer),
                Mishit::Apart => "far softer than all strokes of its drum".to_owned(),
                Mishit::Short => format!("shorter than {} ms", self.shorter.0),
                Mishit::Double => "double trigger".to_owned(),
                Mishit::Crosstalk { of } => match kit.instruments.get(of) {
                    Some(one) => format!("crosstalk from the {}", one.name.to_lowercase()),
                    None => "crosstalk".to_owned(),
                },
            };
            stage.silence_for(heard[place].index, dice.pass(), reason);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{drums, play};
    use crate::recipe::action::Action;

    /// What is left of hits given as (ms, note, velocity).
    fn left(hits: &[(f64, u8, u8)], strays: Strays) -> Vec<(u8, u8)> {
        let played = play(&drums(hits), Action::Strays(strays));
        played.iter().filter(|hit| hit.silenced.is_none()).map(|hit| (hit.note.get(), hit.velocity.get())).collect()
    }

    #[test]
    fn a_double_trigger_is_dropped_and_a_roll_is_not() {
        let bars = [(0.0, 38, 100), (20.0, 38, 30), (500.0, 38, 100), (1000.0, 38, 90)];
        assert_eq!(left(&bars, Strays::default()).len(), 3);
        // A buzz: stroke after stroke, each a little softer.
        let buzz: Vec<_> = (0..8).map(|n| (500.0 + 28.0 * f64::from(n), 38, 100 - 9 * n as u8)).collect();
        assert_eq!(left(&buzz, Strays::default()).len(), 8);
        // A flam and a drag come before what they belong to.
        let graces = [(0.0, 38, 40), (25.0, 38, 110), (700.0, 38, 30), (735.0, 38, 34), (770.0, 38, 112)];
        assert_eq!(left(&graces, Strays::default()).len(), 5);
    }

    #[test]
    fn crosstalk_is_dropped_and_a_ghost_under_a_hat_is_not() {
        let mut hits = vec![(4000.0, 50, 96), (4150.0, 50, 104), (4300.0, 50, 110)];
        for beat in 0..8 {
            let at = f64::from(beat) * 500.0;
            hits.extend([(at, 42, 96), (at + 250.0, 42, 70), (at, 36, 100), (at + 3.0, 50, 12), (at + 250.0, 38, 20)]);
        }
        let left = left(&hits, Strays { softer: 0.0, ..Strays::default() });
        assert_eq!(left.iter().filter(|(note, _)| *note == 50).count(), 3);
        assert_eq!(left.iter().filter(|(note, _)| *note == 38).count(), 8);
    }

    #[test]
    fn soft_and_short_ones_go_where_that_is_asked() {
        let hits = [(0.0, 38, 9), (500.0, 38, 10), (1000.0, 38, 110), (1500.0, 38, 110)];
        assert_eq!(left(&hits, Strays::default()), [(38, 10), (38, 110), (38, 110)]);
        // On a drum that is brushed it is meant.
        let brushed = [(0.0, 38, 9), (500.0, 38, 14), (1000.0, 38, 12), (1500.0, 38, 17), (2000.0, 38, 90)];
        assert_eq!(left(&brushed, Strays::default()).len(), 5);
        let off = Strays { softer: 0.0, again: Millis(0.0), bleed: Millis(0.0), ..Strays::default() };
        assert_eq!(left(&hits, off.clone()).len(), 4);
        // Switched off it leaves two at one moment alone, too.
        assert_eq!(left(&[(0.0, 38, 90), (0.0, 38, 20)], off.clone()).len(), 2);
        assert_eq!(left(&hits, Strays { shorter: Millis(100.0), ..off }).len(), 0);
    }

    #[test]
    fn a_brushed_pad_is_told_from_a_tom_that_swells() {
        let beat = |n: u8| [(f64::from(n) * 250.0, 42, 90), (f64::from(n) * 250.0 + 2.0, 36, 100)];
        let mut hits: Vec<(f64, u8, u8)> = (0..60).flat_map(beat).collect();
        hits.extend([(130.0, 47, 13), (4130.0, 47, 8), (8130.0, 50, 15), (12_000.0, 50, 90)]);
        let count = |hits: &[(f64, u8, u8)]| left(hits, Strays::default()).len();
        assert_eq!(count(&hits), 121);
        // The same soft strokes, the first of a roll that grows, are meant.
        hits.extend((0..7).map(|n| (12_300.0 + 120.0 * f64::from(n), 50, 15 + 12 * n as u8)));
        assert_eq!(count(&hits), 121 + 8);
        // A snare has ghost notes, however few.
        hits.extend([(500.0, 38, 110), (750.0, 38, 14)]);
        assert_eq!(count(&hits), 121 + 10);
    }
}
