use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent, Ticks};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use crate::time::swung::{MovesBy, Swung};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Draws hits towards the lines of a grid, which may be swung, or pushes them away.
///
/// With d the distance from the nearest line: where |d| is at most `forgive` or more than `reach` the
/// hit stays. Else t −= strength·d, plus a residue drawn evenly in ± `residue`. A strength below
/// zero pushes away, but never past the middle between two lines. Ends are drawn likewise, and
/// lengths towards whole cells, each by a strength of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Pull {
    /// The lines.
    pub grid: Grid,
    /// 25 to 80 %: where every second line lies between its neighbours.
    pub swing: Percent,
    /// −100 to 100 %: how far starts go to their lines, or away from them.
    pub strength: Percent,
    /// 0 to 100 ms: nearer than this is left as it was played.
    #[serde(default = "former")]
    pub forgive: Millis,
    /// 0 to 500 ms: further off than this is left alone; nothing reaches everything.
    pub reach: Option<Millis>,
    /// 0 to 50 ms: how much is left of chance.
    pub residue: Millis,
    /// 0 to 100 %: how far ends go to their lines.
    pub ends: Percent,
    /// 0 to 100 %: how far lengths go to whole cells.
    pub lengths: Percent,
}

/// What a recipe means that does not say: so much was left alone once.
fn former() -> Millis {
    Millis(4.0)
}

impl Default for Pull {
    fn default() -> Pull {
        Pull {
            grid: Grid::SIXTEENTHS,
            swing: Percent(50.0),
            strength: Percent(50.0),
            forgive: Millis(0.0),
            reach: None,
            residue: Millis(0.0),
            ends: Percent(0.0),
            lengths: Percent(0.0),
        }
    }
}

impl Pull {
    /// The lines that it moves hits by, where its settings are in their ranges.
    ///
    /// # Errors
    ///
    /// The setting that is wrong, and why.
    pub fn moves(self) -> Result<MovesBy, (String, String)> {
        super::checked(&self)?;
        Ok(self.lines())
    }

    fn lines(&self) -> MovesBy {
        MovesBy { grid: self.grid, swing: self.swing, forgive: self.forgive, reach: self.reach }
    }

    fn start(&self, stage: &Stage<'_>, index: usize, dice: &Dice) -> f64 {
        let swung = Swung { grid: self.grid, swing: self.swing };
        let at = stage.onset[index];
        let line = swung.nearest(stage.metre, at);
        let off = at - line;
        let millis = stage.tempo.millis_of(Ticks(off.abs()), Ticks(line));
        if millis <= self.forgive || self.reach.is_some_and(|reach| millis > reach) {
            return at;
        }
        let mut left = off * (1.0 - self.strength.factor());
        if self.strength.0 < 0.0 {
            let (before, line, after) = swung.lines(stage.metre, at);
            left = left.clamp(((before - line) / 2.0).max(-1e12), ((after - line) / 2.0).min(1e12));
        }
        if self.residue.0 == 0.0 {
            return line + left;
        }
        let chance = Millis((2.0 * dice.even(stage.id(index), 0) - 1.0) * self.residue.0);
        line + left + stage.tempo.ticks_of(chance, Ticks(line)).0
    }
}

impl Act for Pull {
    const INFO: ActionInfo = ActionInfo {
        kind: "pull",
        title: "Pull",
        family: ActionFamily::Time,
        words: &[
            "quantize",
            "quantise",
            "grid",
            "tighten",
            "snap",
            "correct",
            "timing",
            "straighten",
            "push away",
            "strict",
            "straight",
            "tight",
            "32nd",
            "16th",
        ],
        sentence: "pull {strength} to {grid}[, swung {swing}][; leave hits within {forgive} alone][; ignore hits beyond {reach}][; leave up to {residue} to chance][; pull ends by {ends}][; pull lengths by {lengths}].",
        brief: "{strength} to {grid}",
        explains: "Towards the grid by this much; below zero, away from it.",
        points: &[
            super::point("quantize", r#"{"strength": 100}"#),
            super::point("quantise", r#"{"strength": 100}"#),
            super::point("strict", r#"{"strength": 100}"#),
            super::point("straight", r#"{"strength": 100}"#),
            super::point("straighten", r#"{"strength": 100}"#),
            super::point("snap", r#"{"strength": 100}"#),
            super::point("tight", r#"{"strength": 60}"#),
            super::point("tighten", r#"{"strength": 60}"#),
            super::point("push away", r#"{"strength": -30}"#),
        ],
        settings: &[
            Setting::new("strength", "strength", Values::number(-100.0, 100.0, 1.0, "%", Some(0.0))),
            Setting::new("grid", "grid", Values::Grid),
            Setting::new("swing", "swing", Values::number(25.0, 80.0, 0.5, "%", Some(50.0))),
            Setting::new("forgive", "forgive", Values::number(0.0, 100.0, 0.5, "ms", Some(0.0))),
            Setting::new(
                "reach",
                "reach",
                Values::Number {
                    min: 0.0,
                    max: 500.0,
                    step: 1.0,
                    unit: "ms",
                    neutral: None,
                    sides: None,
                    none: Some("everything"),
                },
            ),
            Setting::new("residue", "left to chance", Values::number(0.0, 50.0, 0.5, "ms", Some(0.0))),
            Setting::new("ends", "ends", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
            Setting::new("lengths", "lengths", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn moves_by(&self) -> Option<MovesBy> {
        Some(self.lines())
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let swung = Swung { grid: self.grid, swing: self.swing };
        let cell = self.grid.cell(stage.metre.ppq()).0;
        for &index in aimed {
            let end = stage.onset[index] + stage.length[index];
            // Neither drawn nor left to chance: it stays to the bit.
            if self.strength.0 != 0.0 || self.residue.0 != 0.0 {
                stage.onset[index] = self.start(stage, index, dice);
            }
            if self.ends.0 > 0.0 {
                // A hit never ends on the line that it starts on: then the next one is meant.
                let (_, line, after) = swung.lines(stage.metre, end);
                let line = if line <= stage.onset[index] + cell / 4.0 { after } else { line };
                let end = end + self.ends.factor() * (line - end);
                stage.length[index] = (end - stage.onset[index]).max(1.0);
            }
            if self.lengths.0 > 0.0 {
                let whole = (stage.length[index] / cell).round().max(1.0) * cell;
                stage.length[index] += self.lengths.factor() * (whole - stage.length[index]);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::hit::{Hit, Part};
    use crate::perform::PlayedHit;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    /// A hit some ms behind the second 16th, at 120 bpm: 1.92 ticks a ms.
    fn late(ms: f64) -> Part {
        let hits = sixteenths(&[100, 100]).hits().to_vec();
        Part::new(vec![hits[0], Hit { tick: Ticks((240.0 + ms * 1.92).round()), ..hits[1] }])
    }

    fn pulled(ms: f64, pull: Pull) -> f64 {
        let played: Vec<PlayedHit> = play(&late(ms), Action::Pull(pull));
        (played[1].tick.0 - 240.0) / 1.92
    }

    #[test]
    fn the_worked_numbers() {
        let pull = |strength| Pull { strength: Percent(strength), forgive: Millis(5.0), ..Pull::default() };
        assert!((pulled(12.0, pull(60.0)) - 4.8).abs() < 0.3);
        assert!((pulled(4.0, pull(60.0)) - 4.0).abs() < 0.3, "forgiven");
        assert!((pulled(12.0, pull(-50.0)) - 18.0).abs() < 0.3);
        assert!((pulled(12.0, pull(100.0))).abs() < 0.01);
    }

    #[test]
    fn far_off_is_left_alone_and_nothing_passes_the_middle() {
        let reach = Pull { strength: Percent(100.0), reach: Some(Millis(20.0)), ..Pull::default() };
        assert!((pulled(30.0, reach.clone()) - 30.0).abs() < 0.3);
        assert!(pulled(15.0, reach).abs() < 0.3);
        // The middle of a 16th at 120 bpm is 62.5 ms from its lines.
        let away = Pull { strength: Percent(-100.0), ..Pull::default() };
        assert!((pulled(50.0, away) - 62.5).abs() < 0.6);
    }

    #[test]
    fn lines_can_be_swung() {
        // At 60 % the second 16th of a pair lies at 288 ticks: 25 ms behind the straight one.
        let swung = Pull { strength: Percent(100.0), swing: Percent(60.0), ..Pull::default() };
        assert!((pulled(12.0, swung) - 25.0).abs() < 0.3);
    }

    #[test]
    fn ends_and_lengths_go_to_the_grid_of_themselves() {
        let lengths =
            |pull: Pull| play(&late(12.0), Action::Pull(pull)).iter().map(|hit| hit.length.0).collect::<Vec<f64>>();
        let still = Pull { strength: Percent(0.0), ..Pull::default() };
        // Written lengths are 120 ticks; the second begins at 263, so its end at 383 goes to 480.
        assert_eq!(lengths(Pull { ends: Percent(100.0), ..still.clone() }), [240.0, 217.0]);
        assert_eq!(lengths(Pull { lengths: Percent(50.0), ..still }), [180.0, 180.0]);
    }
}
