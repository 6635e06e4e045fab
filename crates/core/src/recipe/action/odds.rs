use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Lets each aimed hit sound with so much probability; else it is silent. Fresh each round, so that a hit sounds
/// in that share of the rounds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Odds {
    /// 0 to 100 %.
    pub sounds: Percent,
}

impl Default for Odds {
    fn default() -> Odds {
        Odds { sounds: Percent(70.0) }
    }
}

impl Act for Odds {
    const INFO: ActionInfo = ActionInfo {
        kind: "odds",
        title: "Odds",
        family: ActionFamily::Hands,
        words: &["probability", "chance", "sometimes", "random", "conditional", "rounds", "leave out", "thin out"],
        sentence: "sound {sounds} of the time.",
        brief: "{sounds}",
        explains: "Each hit sounds in so many rounds of the loop, and is silent in the others.",
        points: &[],
        settings: &[Setting::new("sounds", "sounds", Values::number(0.0, 100.0, 1.0, "%", Some(100.0)))],
    };
    const DICE: super::DiceUse = super::DiceUse::EachRound;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for &index in aimed {
            if dice.even(stage.id(index), 0) >= self.sounds.factor() {
                stage.silence(index, dice.pass());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn so_many_sound_and_the_others_stay_in_sight() {
        let sounding = |share| {
            let played = play(&sixteenths(&[100; 400]), Action::Odds(Odds { sounds: Percent(share) }));
            assert_eq!(played.len(), 400);
            played.iter().filter(|hit| hit.silenced.is_none()).count()
        };
        assert_eq!((sounding(0.0), sounding(100.0)), (0, 400));
        assert!((250..310).contains(&sounding(70.0)), "{}", sounding(70.0));
    }
}
