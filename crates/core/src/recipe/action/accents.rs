use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::aim::slot_of;
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Makes the slots of a pattern louder or softer, or gives them more or less of another property: v += amount·pattern\[slot\].
///
/// The pattern goes round and round from bar 1 on; each hit belongs to the slot nearest to where it
/// is written. Slots that the pattern does not have change nothing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Accents {
    /// What a bar is cut into.
    pub grid: Grid,
    /// 1 to 4 bars.
    pub bars: u32,
    /// −64 to 64 for each slot, bar after bar; of another property as much as it has.
    pub pattern: Vec<f64>,
    /// 0 to 200 %.
    pub amount: Percent,
    /// Of what.
    pub property: Property,
}

impl Default for Accents {
    fn default() -> Accents {
        let pattern = [16.0, -8.0, 4.0, -8.0, 8.0, -8.0, 4.0, -8.0, 12.0, -8.0, 4.0, -8.0, 8.0, -8.0, 4.0, -8.0];
        Accents {
            grid: Grid::SIXTEENTHS,
            bars: 1,
            pattern: pattern.to_vec(),
            amount: Percent(100.0),
            property: Property::Velocity,
        }
    }
}

impl Act for Accents {
    const INFO: ActionInfo = ActionInfo {
        kind: "accents",
        title: "Accents",
        family: ActionFamily::Touch,
        words: &["pattern", "accent", "groove", "emphasis", "beat", "velocity", "template", "offbeat"],
        sentence: "add these accents[ in {property}], {bars} of {grid}[, at {amount}]: {pattern}",
        brief: "{bars} of {grid}",
        explains: "A pattern of louder and softer slots (or higher and lower ones …), drawn as bars.",
        points: &[],
        settings: &[
            super::PROPERTY,
            Setting::new("grid", "grid", Values::Grid),
            Setting::new("bars", "bars", Values::number(1.0, 4.0, 1.0, "bars", None)),
            Setting::new("pattern", "pattern", Values::Pattern { min: -64.0, max: 64.0 }),
            Setting::new("amount", "amount", Values::number(0.0, 200.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };

    fn check(&self) -> Result<(), (String, String)> {
        if self.pattern.len() > 1024 {
            return Err((
                "pattern".to_owned(),
                format!("{} slots are more than the 1024 of four bars", self.pattern.len()),
            ));
        }
        let most = self.property.change(64.0);
        match self.pattern.iter().find(|offset| offset.abs() > most) {
            Some(offset) => Err(("pattern".to_owned(), format!("{offset} is outside -{most} to {most}"))),
            None => Ok(()),
        }
    }

    fn property(&self) -> Property {
        self.property
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for &index in aimed {
            let (slot, _) = slot_of(self.grid, self.bars, stage.metre, stage.straightened(index));
            let offset = self.pattern.get(slot as usize).copied().unwrap_or(0.0);
            stage.values(self.property)[index] += self.amount.factor() * offset;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn the_pattern_goes_round() {
        let pattern = vec![20.0, 0.0, -10.0, 0.0];
        let accents = Accents {
            grid: "1/4".parse().unwrap(),
            bars: 2,
            pattern: [pattern, vec![1.0; 4]].concat(),
            amount: Percent(50.0),
            ..Accents::default()
        };
        let played = play(&sixteenths(&[60; 48]), Action::Accents(accents));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!((velocities[0], velocities[1], velocities[4], velocities[8]), (70, 70, 60, 55));
        assert_eq!(
            (velocities[15], velocities[16], velocities[20]),
            (61, 61, 61),
            "the last 16th is nearest to the next bar line"
        );
        assert_eq!(velocities[32], 70, "the third bar is like the first");
    }
}
