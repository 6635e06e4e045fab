use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::touch::{InstrumentTouch, TouchProfile};
use crate::recipe::names::{Carrier, Named};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// Gives each instrument the distribution of velocities of the same instrument (else of one of its
/// family) of a reference part, keeping the order of what was played.
///
/// A shape whose target is Q of the reference: hits on a 16th of the bar where the reference has at
/// least eight are ranked among themselves and go to that slot's Q, the others among all the rest
/// and to the Q of the whole instrument. Then v := v + amount·(Q(u) − v). The reference travels
/// with the pass, so it stays as it was when it was chosen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Match {
    /// Whose touch.
    pub reference: TouchProfile,
    /// 0 to 100 %: how far the hits go to their targets.
    pub amount: Percent,
}

impl Default for Match {
    fn default() -> Match {
        Match { reference: TouchProfile::default(), amount: Percent(100.0) }
    }
}

impl Act for Match {
    const INFO: ActionInfo = ActionInfo {
        kind: "match",
        title: "Match",
        family: ActionFamily::Touch,
        words: &["reference", "copy feel", "velocity", "dynamics", "like another", "learn", "transfer", "mean"],
        sentence: "match the touch of {reference}[, {amount} of the way].",
        brief: "{reference}",
        explains: "As hard and soft as the same drums are in another part, beat by beat.",
        points: &[],
        settings: &[
            Setting::new("reference", "reference", Values::Touch),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        self.reference.check().map_err(|message| ("reference".to_owned(), message))
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let Match { reference: TouchProfile { name: _, quarters: _, instruments }, amount: _ } = self;
        let mut seen = BTreeSet::new();
        instruments.retain_mut(|InstrumentTouch { instrument, family: _, all: _, slots: _ }| {
            by.take(Named::Instrument(instrument));
            seen.insert(instrument.clone())
        });
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for indices in stage.by_instrument(aimed) {
            let Some(touch) = stage.instrument_at(indices[0]).and_then(|one| self.reference.for_instrument(one)) else {
                continue;
            };
            let mut groups: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
            for index in indices {
                let slot = TouchProfile::slot(stage.metre, self.reference.quarters, stage.anchor(index));
                groups.entry(slot.filter(|slot| touch.slots.contains_key(slot)).unwrap_or(0)).or_default().push(index);
            }
            for (slot, mut indices) in groups {
                let spread = touch.slots.get(&slot).unwrap_or(&touch.all);
                let tie = |index: usize| dice.even(stage.id(index), 0);
                indices.sort_by(|&a, &b| {
                    stage.velocity[a].total_cmp(&stage.velocity[b]).then(tie(a).total_cmp(&tie(b))).then(a.cmp(&b))
                });
                let count = indices.len() as f64;
                for (place, index) in indices.into_iter().enumerate() {
                    let target = spread.at((place as f64 + 0.5) / count);
                    let velocity = &mut stage.velocity[index];
                    *velocity += self.amount.factor() * (target - *velocity);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ppq;
    use crate::kit::Kit;
    use crate::kit::chart::Chart;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;
    use crate::time::metre::MetreMap;

    fn reference(velocities: &[u8]) -> TouchProfile {
        let part = sixteenths(velocities);
        let hits = play(&part, Action::Match(Match::default()));
        let chart = Chart::new(&part, Kit::of_drums(&part));
        TouchProfile::of("Loud on the beat", &chart, &MetreMap::new(Ppq::new(960).unwrap(), []), &hits)
    }

    #[test]
    fn without_a_reference_nothing_changes() {
        let played = play(&sixteenths(&[60, 90]), Action::Match(Match::default()));
        assert_eq!(played.iter().map(|hit| hit.velocity.get()).collect::<Vec<_>>(), [60, 90]);
    }

    #[test]
    fn each_slot_takes_the_slot_of_the_reference() {
        // Nine bars, so that every slot has enough: 110 on each beat, 50 and 51 in between.
        let loud: Vec<u8> = (0..144).map(|k| if k % 4 == 0 { 110 } else { 50 + (k / 16 % 2) as u8 }).collect();
        let action = |amount| Action::Match(Match { reference: reference(&loud), amount: Percent(amount) });
        let played = play(&sixteenths(&[100; 64]), action(100.0));
        for (place, hit) in played.iter().enumerate() {
            let expected = if place % 4 == 0 { 110..=110 } else { 50..=51 };
            assert!(expected.contains(&hit.velocity.get()), "{place}: {}", hit.velocity.get());
        }
        let half = play(&sixteenths(&[100; 64]), action(50.0));
        assert_eq!(half[0].velocity.get(), 105);
    }

    #[test]
    fn few_hits_take_the_whole_distribution_in_order() {
        let played = play(
            &sixteenths(&[10, 30, 20]),
            Action::Match(Match { reference: reference(&[40, 80, 120]), amount: Percent(100.0) }),
        );
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [53, 107, 80]);
    }
}
