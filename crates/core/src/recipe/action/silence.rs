use super::{Act, ActionFamily, ActionInfo};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The aimed hits do not sound; they stay in sight.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Silence {}

impl Act for Silence {
    const INFO: ActionInfo = ActionInfo {
        kind: "silence",
        title: "Silence",
        family: ActionFamily::Tidy,
        words: &["mute", "delete", "remove", "leave out", "thin out", "drop", "cut", "every second", "filter"],
        sentence: "do not sound.",
        brief: "",
        explains: "Hits that do not sound, every second one or all that are too soft; they stay in sight.",
        points: &[],
        settings: &[],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for &index in aimed {
            stage.silence(index, dice.pass());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn what_is_aimed_at_stays_in_sight() {
        let played = play(&sixteenths(&[100; 8]), Action::Silence(Silence {}));
        assert!(played.len() == 8 && played.iter().all(|hit| hit.silenced.is_some()));
    }
}
