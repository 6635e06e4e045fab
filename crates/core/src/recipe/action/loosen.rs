use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Millis;
use crate::part::hit::HitId;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::drift::Natural;
use crate::recipe::names::Carrier;
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

pub(super) const SPREADS: Values = Values::Choice { options: &[("bell", "mostly small"), ("even", "evenly spread")] };

impl Spread {
    /// What a hit draws, 0 to 1.
    pub(super) fn drawn(self, dice: &Dice, id: HitId) -> f64 {
        match self {
            Spread::Even => dice.even(id, 0),
            Spread::Bell => dice.bell(id, 0),
        }
    }
}

/// What a slow drift belongs to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Wanders {
    /// All that the pass aims at drift together.
    #[default]
    Together,
    /// Each instrument drifts by itself.
    Apart,
}

/// How a drift goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Drifts {
    /// From turn to turn, one every period.
    #[default]
    Periodic,
    /// As players do: slow and fast movements at once.
    Natural,
}

/// Random timing from `early` before to `late` after where a hit is: t += −early + u·(early + late)
/// with u drawn for each hit. A wider range moves each hit further the same way.
///
/// On top of it a slow drift: t += wander·w, where w runs smoothly through draws between −1 and 1, one every
/// `period` bars: from one to the next by 3u² − 2u³, which every machine works out alike. A natural drift has the
/// standard deviation `wander` and a spectrum of 1/f^slowness. One that all share, together with each hit's own
/// draw, is the two-level model of Wing and Kristofferson (1973, Percept. Psychophys. 14: 5).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Loosen {
    /// 0 to 100 ms.
    pub early: Millis,
    /// 0 to 100 ms.
    pub late: Millis,
    /// Even or bell-shaped.
    pub spread: Spread,
    /// 0 to 50 ms: how far the slow drift goes to either side.
    pub wander: Millis,
    /// 1 to 32 bars from one turn of the drift to the next.
    pub period: f64,
    /// Whose drift it is.
    pub wanders: Wanders,
    /// From turn to turn, or as players do.
    pub drifts: Drifts,
    /// 0 to 2: the exponent of a natural drift's spectrum; 0 is all jitter.
    pub slowness: f64,
}

impl Default for Loosen {
    fn default() -> Loosen {
        Loosen {
            early: Millis(4.0),
            late: Millis(8.0),
            spread: Spread::Bell,
            wander: Millis(0.0),
            period: 4.0,
            wanders: Wanders::Together,
            drifts: Drifts::Periodic,
            slowness: 1.0,
        }
    }
}

/// The group of notes that the kit does not know.
const GROUPS: u32 = 0xffff;
/// The draws of the drift; hits draw lower numbers.
const WANDER_DRAW: u32 = 1 << 16;

/// Where the slow drift is at a index, −1 to 1. Neighbours mostly lie between the same two turns.
struct Drift<'a> {
    dice: &'a Dice,
    period: f64,
    apart: bool,
    /// The last draw and number asked for, and the turns there.
    known: (u32, u32, f64, f64),
}

impl Drift<'_> {
    fn at(&mut self, stage: &Stage<'_>, index: usize) -> f64 {
        let at = stage.anchor(index);
        let bar = stage.metre.bar_at(at);
        let place = (f64::from(bar.number - 1) + (at.0 - bar.start.0) / bar.length.0) / self.period;
        let draw = if self.apart {
            WANDER_DRAW + 1 + stage.instrument(index).map_or(0xffff, |place| place as u32)
        } else {
            WANDER_DRAW
        };
        let number = place as u32;
        if (self.known.0, self.known.1) != (draw, number) {
            let turn = |number: u32| 2.0 * self.dice.even(HitId::new(number), draw) - 1.0;
            self.known = (draw, number, turn(number), turn(number + 1));
        }
        let (_, _, before, after) = self.known;
        let share = place - f64::from(number);
        before + share * share * (3.0 - 2.0 * share) * (after - before)
    }
}

impl Loosen {
    /// With the drift from dice of its own: several passes may drift together.
    pub(super) fn loosen(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice, drift: &Dice) {
        let apart = self.wanders == Wanders::Apart;
        let mut natural = Natural::new(drift, self.slowness);
        let mut drift = Drift { dice: drift, period: self.period.max(1.0), apart, known: (0, 0, 0.0, 0.0) };
        for &index in aimed {
            let drawn = self.spread.drawn(dice, stage.id(index));
            let drift = match self.drifts {
                _ if self.wander.0 == 0.0 => 0.0,
                Drifts::Periodic => self.wander.0 * drift.at(stage, index),
                Drifts::Natural => {
                    let own = stage.instrument(index).map_or(GROUPS, |place| place as u32 + 1);
                    self.wander.0 * natural.at(if apart { own } else { 0 }, stage.quarters(index))
                }
            };
            stage.move_by(index, Millis(-self.early.0 + drawn * (self.early.0 + self.late.0) + drift));
        }
    }
}

impl Act for Loosen {
    const INFO: ActionInfo = ActionInfo {
        kind: "loosen",
        title: "Loosen",
        family: ActionFamily::Time,
        words: &[
            "humanize",
            "random",
            "randomize",
            "timing",
            "loose",
            "jitter",
            "imperfect",
            "sloppy",
            "drift",
            "wander",
            "robotic",
            "stiff",
            "drunk",
        ],
        sentence: "let hits fall up to {early} early and {late} late, {spread}[; drift by {wander}, {drifts}, {wanders}][, over {period}][, slowness {slowness}].",
        brief: "−{early} to +{late}",
        explains: "Random timing that stays as it is until you ask for another variation.",
        points: &[
            super::point("loose", r#"{"early": 6, "late": 8}"#),
            super::point("sloppy", r#"{"early": 12, "late": 16}"#),
            super::point("drunk", r#"{"early": 10, "late": 18, "wander": 12}"#),
            super::point("drift", r#"{"wander": 5, "drifts": "natural"}"#),
            super::point("wander", r#"{"wander": 5, "drifts": "natural"}"#),
            super::point("player", r#"{"early": 2, "late": 3, "wander": 5, "drifts": "natural"}"#),
            super::point("robotic", r#"{}"#),
            super::point("stiff", r#"{}"#),
        ],
        settings: &[
            Setting::new("early", "early", Values::number(0.0, 100.0, 0.5, "ms", Some(0.0))),
            Setting::new("late", "late", Values::number(0.0, 100.0, 0.5, "ms", Some(0.0))),
            Setting::new("spread", "spread", SPREADS),
            Setting::new("wander", "wander", Values::number(0.0, 50.0, 0.5, "ms", Some(0.0))),
            Setting::new("period", "drift over", Values::number(1.0, 32.0, 1.0, "bars", None))
                .when("drifts", "periodic"),
            Setting::new(
                "wanders",
                "drifting",
                Values::Choice { options: &[("together", "all together"), ("apart", "each on its own")] },
            ),
            Setting::new(
                "drifts",
                "drift",
                Values::Choice { options: &[("periodic", "from turn to turn"), ("natural", "as players do")] },
            ),
            Setting::new("slowness", "slowness", Values::number(0.0, 2.0, 0.1, "", None)).when("drifts", "natural"),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        self.loosen(stage, aimed, dice, dice);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn moves(early: f64, late: f64, spread: Spread) -> Vec<f64> {
        let action = Action::Loosen(Loosen { early: Millis(early), late: Millis(late), spread, ..Loosen::default() });
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
    fn a_drift_is_slow_and_shared() {
        let still = Loosen { early: Millis(0.0), late: Millis(0.0), wander: Millis(20.0), ..Loosen::default() };
        let written = sixteenths(&[100; 512]);
        let played = play(&written, Action::Loosen(still));
        let moves: Vec<f64> =
            played.iter().zip(written.hits()).skip(4).map(|(played, written)| played.tick.0 - written.tick.0).collect();
        // 20 ms are 38.4 ticks; from one 16th to the next it is a small step.
        assert!(moves.iter().all(|by| by.abs() <= 39.0) && moves.iter().any(|by| by.abs() > 10.0), "{moves:?}");
        assert!(moves.windows(2).all(|pair| (pair[0] - pair[1]).abs() <= 3.0), "{moves:?}");
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
