use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::dice::Dice;
use crate::hit::HitId;
use crate::perform::Stage;
use crate::units::Millis;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How draws are spread between early and late.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Spread {
    /// Every place as likely.
    Even,
    /// Mostly near the middle.
    #[default]
    Bell,
}

pub(super) const SPREADS: Values =
    Values::Choice { options: &[("bell", "mostly near the middle"), ("even", "evenly spread")] };

impl Spread {
    /// What a hit draws, 0 to 1.
    pub(super) fn drawn(self, dice: &Dice, id: HitId) -> f64 {
        match self {
            Spread::Even => dice.even(id, 0),
            Spread::Bell => dice.bell(id, 0),
        }
    }
}

/// Random timing from `early` before to `late` after where a hit is: t += −early + u·(early + late)
/// with u drawn for each hit. A wider range moves each hit further the same way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Loosen {
    /// 0 to 100 ms.
    pub early: Millis,
    /// 0 to 100 ms.
    pub late: Millis,
    /// Even or bell-shaped.
    pub spread: Spread,
}

impl Default for Loosen {
    fn default() -> Loosen {
        Loosen { early: Millis(4.0), late: Millis(8.0), spread: Spread::Bell }
    }
}

impl Act for Loosen {
    const INFO: ActionInfo = ActionInfo {
        kind: "loosen",
        title: "Loosen",
        family: ActionFamily::Time,
        words: &["humanize", "random", "randomize", "timing", "loose", "jitter", "imperfect", "sloppy"],
        sentence: "let hits fall up to {early} early and up to {late} late, {spread}.",
        explains: "Random timing, early to late, that stays the same until you ask for another variation.",
        settings: &[
            Setting { name: "early", label: "early", values: Values::number(0.0, 100.0, 0.5, "ms", Some(0.0)) },
            Setting { name: "late", label: "late", values: Values::number(0.0, 100.0, 0.5, "ms", Some(0.0)) },
            Setting::new("spread", "spread", SPREADS),
        ],
    };

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for &row in aimed {
            let id = stage.id(row);
            let drawn = self.spread.drawn(dice, id);
            stage.move_by(row, Millis(-self.early.0 + drawn * (self.early.0 + self.late.0)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::Action;
    use crate::perform::testing::{play, sixteenths};

    fn moves(early: f64, late: f64, spread: Spread) -> Vec<f64> {
        let action = Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread });
        let written = sixteenths(&[100; 64]);
        let played = play(&written, action);
        // The first hit is left out: it may be held at the start.
        played.iter().zip(written.hits()).skip(1).map(|(played, written)| played.tick.0 - written.tick.0).collect()
    }

    #[test]
    fn moves_stay_between_early_and_late() {
        for spread in [Spread::Even, Spread::Bell] {
            let ticks = moves(5.0, 10.0, spread);
            assert!(ticks.iter().all(|&by| (-10.0..=20.0).contains(&by)), "{ticks:?}");
            assert!(ticks.iter().any(|&by| by < 0.0) && ticks.iter().any(|&by| by > 10.0));
        }
    }

    #[test]
    fn twice_as_wide_moves_each_hit_twice_as_far_the_same_way() {
        let narrow = moves(4.0, 6.0, Spread::Even);
        let wide = moves(8.0, 12.0, Spread::Even);
        for (near, far) in narrow.iter().zip(&wide) {
            assert!((far - 2.0 * near).abs() <= 1.5, "{near} became {far}");
        }
    }
}
