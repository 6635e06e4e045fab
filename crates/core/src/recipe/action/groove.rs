use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent, Ticks};
use crate::groove::{GrooveCurve, GrooveProfile};
use crate::kit::Family;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::swung::MovesBy;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Which of a groove's voices a hit follows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum GrooveVoice {
    /// Its own family's; all together where the groove does not know that.
    #[default]
    Own,
    /// All together.
    Together,
    Kick,
    Snare,
    Tom,
    Hat,
    Ride,
    Crash,
    HandPercussion,
    Tonal,
}

impl GrooveVoice {
    fn family(self, own: Family) -> Option<Family> {
        match self {
            GrooveVoice::Own => Some(own),
            GrooveVoice::Together => None,
            GrooveVoice::Kick => Some(Family::Kick),
            GrooveVoice::Snare => Some(Family::Snare),
            GrooveVoice::Tom => Some(Family::Tom),
            GrooveVoice::Hat => Some(Family::Hat),
            GrooveVoice::Ride => Some(Family::Ride),
            GrooveVoice::Crash => Some(Family::Crash),
            GrooveVoice::HandPercussion => Some(Family::HandPercussion),
            GrooveVoice::Tonal => Some(Family::Tonal),
        }
    }
}

/// Whether a groove's offsets keep their share of a cell or their time when the tempo is another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum GrooveTempo {
    /// A share of a cell: faster songs move hits by fewer ms.
    #[default]
    Scaled,
    /// The ms that the groove was taken with.
    Millis,
}

/// Gives hits the timing and the accents of a groove.
///
/// With g the groove at a hit's place, straight from slot to slot, so that ornaments ride along:
/// t += pull·(line − t) first, then t += (timing·g.offset + liveliness·g.spread·z)·cell, and
/// v ·= 1 + touch·(g.velocity − 1) + liveliness·touch·g.velocity_spread·z′, and
/// length ·= 1 + lengths·(g.length − 1). z and z′ are draws with a standard deviation of 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Groove {
    /// It travels inside the pass and stays as it was taken.
    pub groove: GrooveProfile,
    /// Which of its voices hits follow.
    pub voice: GrooveVoice,
    /// 0 to 200 %: how much of its timing.
    pub timing: Percent,
    /// 0 to 200 %: how much of its accents.
    pub touch: Percent,
    /// 0 to 100 %: how much of its own variation.
    pub liveliness: Percent,
    /// 0 to 100 %: how far hits are pulled to its lines first.
    pub pull: Percent,
    /// 0 to 200 %: how much of its lengths.
    pub lengths: Percent,
    /// What its offsets are at another tempo.
    pub tempo: GrooveTempo,
}

impl Default for Groove {
    fn default() -> Groove {
        Groove {
            groove: GrooveProfile::default(),
            voice: GrooveVoice::Own,
            timing: Percent(100.0),
            touch: Percent(50.0),
            liveliness: Percent(0.0),
            pull: Percent(0.0),
            lengths: Percent(0.0),
            tempo: GrooveTempo::Scaled,
        }
    }
}

impl Groove {
    /// Nothing of any groove.
    pub fn neutral() -> Groove {
        Groove { timing: Percent(0.0), touch: Percent(0.0), ..Groove::default() }
    }

    /// Whether it changes nothing.
    pub fn is_neutral(&self) -> bool {
        let strengths = [self.timing, self.touch, self.liveliness, self.pull, self.lengths];
        self.groove.is_empty() || strengths.iter().all(|strength| strength.0 == 0.0)
    }

    fn play(&self, stage: &mut Stage<'_>, index: usize, curve: &GrooveCurve, dice: &Dice) {
        let at = stage.onset[index];
        let at = match self.pull.factor() {
            0.0 => at,
            pull => at + pull * (self.groove.grid.nearest(stage.metre, Ticks(at)).0 - at),
        };
        let slot = curve.at(stage.metre, at);
        let cell = curve.cell()
            * match self.tempo {
                GrooveTempo::Scaled => 1.0,
                GrooveTempo::Millis => stage.tempo.bpm(Ticks(at)) / self.groove.tempo,
            };
        let liveliness = self.liveliness.factor();
        // A bell of three draws has a standard deviation of a sixth.
        let drawn = |draw: u32| if liveliness == 0.0 { 0.0 } else { 6.0 * (dice.bell(stage.id(index), draw) - 0.5) };
        let offset = self.timing.factor() * slot.offset + liveliness * slot.spread * drawn(0);
        let touch = self.touch.factor();
        let louder = 1.0 + touch * (slot.velocity - 1.0) + touch * liveliness * slot.velocity_spread * drawn(1);
        stage.onset[index] = at + offset * cell;
        stage.velocity[index] *= louder.max(0.0);
        stage.length[index] *= (1.0 + self.lengths.factor() * (slot.length - 1.0)).max(0.01);
    }
}

impl Act for Groove {
    const INFO: ActionInfo = ActionInfo {
        kind: "groove",
        title: "Groove",
        family: ActionFamily::Time,
        words: &["feel", "template", "swing", "shuffle", "accents", "quantize", "timing", "follow", "bass", "lock"],
        sentence: "take {timing} of the timing and {touch} of the accents of {groove}, {voice}[, varied by {liveliness} as its player does][, after a pull of {pull} to its lines][, with {lengths} of its lengths]; {tempo}.",
        brief: "{groove} · {timing}",
        explains: "The timing and accents of a groove from the library or from a part.",
        points: &[],
        settings: &[
            Setting::new("timing", "timing", Values::number(0.0, 200.0, 1.0, "%", Some(0.0))),
            Setting::new("touch", "touch", Values::number(0.0, 200.0, 1.0, "%", Some(0.0))),
            Setting::new("groove", "groove", Values::Groove),
            Setting::new(
                "voice",
                "voice",
                Values::Choice {
                    options: &[
                        ("own", "each drum by its own kind"),
                        ("together", "every drum by all of them"),
                        ("kick", "by its kick"),
                        ("snare", "by its snare"),
                        ("tom", "by its toms"),
                        ("hat", "by its hats"),
                        ("ride", "by its ride"),
                        ("crash", "by its crash"),
                        ("hand-percussion", "as its hand percussion"),
                        ("tonal", "as its tones"),
                    ],
                },
            ),
            Setting::new("liveliness", "liveliness", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
            Setting::new("pull", "pull first", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
            Setting::new("lengths", "lengths", Values::number(0.0, 200.0, 1.0, "%", Some(0.0))),
            Setting::new(
                "tempo",
                "other tempos",
                Values::Choice { options: &[("scaled", "scaled to the tempo"), ("millis", "same ms at any tempo")] },
            ),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        self.groove.check().map_err(|(field, message)| (format!("groove.{field}"), message))
    }

    fn said(&self, stage: &Stage<'_>) -> Option<String> {
        if self.groove.is_empty() {
            return Some("Choose a groove from the library, or take one from a part.".to_owned());
        }
        self.groove.said_of(stage.metre)
    }

    fn moves_by(&self) -> Option<MovesBy> {
        Some(MovesBy { grid: self.groove.grid, swing: Percent(50.0), forgive: Millis(0.0), reach: None })
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        if self.is_neutral() {
            return;
        }
        let mut curves: BTreeMap<Option<Family>, Option<GrooveCurve>> = BTreeMap::new();
        for &index in aimed {
            let own = stage.instrument_at(index).map_or(Family::Other, |instrument| instrument.family);
            let family = self.voice.family(own);
            let ppq = stage.metre.ppq();
            let curve = curves.entry(family).or_insert_with(|| {
                let known = family.map_or(self.groove.of_all(), |family| self.groove.of_family(family));
                GrooveCurve::new(&self.groove, known, ppq)
            });
            if let Some(curve) = curve {
                self.play(stage, index, curve, dice);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::groove::GrooveSlot;
    use crate::part::hit::{Hit, Part};
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    /// Every second 16th a fifth of a cell (48 ticks, 25 ms at 120 bpm) late and softer.
    fn swung() -> Groove {
        let slot = |number: u32| {
            let second = number.is_multiple_of(2);
            let (offset, velocity) = if second { (0.2, 0.8) } else { (0.0, 1.2) };
            (number, GrooveSlot { offset, velocity, spread: 0.02, ..GrooveSlot::default() })
        };
        let groove = GrooveProfile { together: (1..=16).map(slot).collect(), ..GrooveProfile::default() };
        Groove { groove, touch: Percent(100.0), ..Groove::default() }
    }

    fn played(part: &Part, groove: Groove) -> Vec<(f64, u8)> {
        play(part, Action::Groove(groove)).iter().map(|hit| (hit.tick.0, hit.velocity.get())).collect()
    }

    #[test]
    fn slots_take_their_offset_and_accent() {
        let part = sixteenths(&[100; 4]);
        assert_eq!(played(&part, swung()), [(0.0, 120), (288.0, 80), (480.0, 120), (768.0, 80)]);
        let half = Groove { timing: Percent(50.0), touch: Percent(50.0), ..swung() };
        assert_eq!(played(&part, half), [(0.0, 110), (264.0, 90), (480.0, 110), (744.0, 90)]);
    }

    #[test]
    fn ornaments_ride_along_and_can_be_pulled_first() {
        let hits = sixteenths(&[100, 100]).hits().to_vec();
        let between = Part::new(vec![hits[0], Hit { tick: Ticks(180.0), ..hits[1] }]);
        // Three quarters of the way from slot 1 to slot 2: 36 ticks.
        assert_eq!(played(&between, swung())[1].0, 216.0);
        let pulled = Groove { pull: Percent(100.0), ..swung() };
        assert_eq!(played(&between, pulled)[1], (288.0, 80));
    }

    #[test]
    fn offsets_scale_with_the_tempo_or_keep_their_ms() {
        let slow = Groove { groove: GrooveProfile { tempo: 60.0, ..swung().groove }, ..swung() };
        let part = sixteenths(&[100; 2]);
        assert_eq!(played(&part, slow.clone())[1].0, 288.0);
        // A fifth of a 16th at 60 bpm is 50 ms: 96 ticks at 120 bpm.
        assert_eq!(played(&part, Groove { tempo: GrooveTempo::Millis, ..slow })[1].0, 336.0);
    }

    #[test]
    fn liveliness_draws_from_the_slots_own_deviation() {
        let alive = Groove { liveliness: Percent(100.0), ..swung() };
        let offsets: Vec<f64> = played(&sixteenths(&[100; 512]), alive)
            .iter()
            .enumerate()
            .skip(1)
            .map(|(index, (tick, _))| tick - 240.0 * index as f64 - if index % 2 == 1 { 48.0 } else { 0.0 })
            .collect();
        // 2 % of 240 ticks, and never more than three times as much.
        let spread = crate::base::stats::standard_deviation(&offsets);
        assert!((4.3..5.3).contains(&spread), "{spread}");
        assert!(offsets.iter().all(|offset| offset.abs() <= 14.9), "{offsets:?}");
    }

    #[test]
    fn families_have_voices_of_their_own() {
        let mut groove = swung();
        groove.groove.families.insert(Family::Hat, [(1, GrooveSlot { offset: 0.1, ..GrooveSlot::default() })].into());
        let part = sixteenths(&[100; 2]);
        assert_eq!(played(&part, groove.clone()), [(24.0, 100), (264.0, 100)], "its own");
        groove.voice = GrooveVoice::Together;
        assert_eq!(played(&part, groove.clone())[1], (288.0, 80));
        groove.voice = GrooveVoice::Kick;
        assert_eq!(played(&part, groove)[1], (288.0, 80), "a voice that it does not know is that of all");
    }

    #[test]
    fn nothing_is_chosen_at_first() {
        assert_eq!(played(&sixteenths(&[100; 2]), Groove::default()), [(0.0, 100), (240.0, 100)]);
        assert!(Groove::default().is_neutral() && !swung().is_neutral() && Groove::neutral().is_neutral());
    }
}
