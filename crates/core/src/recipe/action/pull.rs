use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent, Ticks};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use crate::time::swung::{MovesBy, Swung};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Which lines hits are drawn to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum PullLines {
    /// Those of the grid, swung as it is set.
    #[default]
    Grid,
    /// Those that each drum is meant for in the bar where a hit sounds, as it was written.
    Own,
}

/// Draws hits towards the lines of a grid, which may be swung, or pushes them away.
///
/// With d the distance from the nearest line: where |d| is at most `forgive` or more than `reach` the
/// hit stays. Else t −= strength·d, plus a residue drawn evenly in ± `residue`. A strength below
/// zero pushes away, but never past the middle between two lines. Ends are drawn likewise, and
/// lengths towards whole cells, each by a strength of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Pull {
    /// Which lines.
    pub lines: PullLines,
    /// The lines, unless each drum has its own.
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
    /// Another grid, whose lines draw hits that are nearer to them…
    pub also: Grid,
    /// … and no further off than this, 0 to 500 ms; 0 is no other grid.
    pub also_reach: Millis,
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
            lines: PullLines::Grid,
            grid: Grid::SIXTEENTHS,
            swing: Percent(50.0),
            strength: Percent(50.0),
            forgive: Millis(0.0),
            reach: None,
            also: Grid::triplet(8),
            also_reach: Millis(0.0),
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

    /// The grid whose lines a hit is drawn to.
    fn swung(&self, stage: &Stage<'_>, index: usize) -> Swung {
        match self.lines {
            PullLines::Grid => Swung { grid: self.grid, swing: self.swing },
            PullLines::Own => {
                let lines = stage.lines_at(index);
                Swung { grid: lines.pairs_of(), swing: lines.swing }
            }
        }
    }

    /// The line that a hit is drawn to, and the grid that it is one of; nothing where the hit is to stay.
    fn line(&self, stage: &Stage<'_>, index: usize, swung: Swung) -> Option<(f64, Swung)> {
        let at = stage.onset[index];
        let away = |line: f64| stage.tempo.millis_of(Ticks((at - line).abs()), Ticks(line));
        let line = match self.lines {
            PullLines::Grid => swung.nearest(stage.metre, at),
            PullLines::Own => stage.lines_at(index).nearest(stage.metre, Ticks(at)).0,
        };
        let also = Swung { grid: self.also, swing: Percent(50.0) };
        let near = self.reach.is_none_or(|reach| away(line) <= reach).then_some(line);
        let other = (self.also_reach.0 > 0.0).then(|| also.nearest(stage.metre, at));
        let (line, swung) = match (near, other.filter(|other| away(*other) <= self.also_reach)) {
            (None, None) => return None,
            (Some(line), Some(other)) if (at - other).abs() < (at - line).abs() => (other, also),
            (None, Some(other)) => (other, also),
            (Some(line), _) => (line, swung),
        };
        (away(line) > self.forgive).then_some((line, swung))
    }

    fn start(&self, stage: &Stage<'_>, index: usize, swung: Swung, dice: &Dice) -> f64 {
        let at = stage.onset[index];
        let Some((line, swung)) = self.line(stage, index, swung) else { return at };
        let mut left = (at - line) * (1.0 - self.strength.factor());
        if self.strength.0 < 0.0 {
            let (before, _, after) = swung.lines(stage.metre, line);
            left = left.clamp(((before - line) / 2.0).clamp(-1e12, 0.0), ((after - line) / 2.0).clamp(0.0, 1e12));
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
        sentence: "pull {strength} to {lines}[ of {grid}][, swung {swing}][; within {also_reach} of a line of {also}, to that line][; leave hits within {forgive} alone][; ignore hits beyond {reach}][; leave up to {residue} to chance][; pull ends by {ends}][; pull lengths by {lengths}].",
        brief: "{strength} to {grid|lines}",
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
            Setting::new("lines", "lines", Values::Choice { options: &[("grid", "a grid"), ("own", "its own lines")] }),
            Setting::new("grid", "grid", Values::Grid).when("lines", "grid"),
            Setting::new("swing", "swing", Values::number(25.0, 80.0, 0.5, "%", Some(50.0))).when("lines", "grid"),
            Setting::new("also_reach", "second grid within", Values::number(0.0, 500.0, 1.0, "ms", Some(0.0))),
            Setting::new("also", "second grid", Values::Grid),
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
        // Of several kinds of lines none is drawn.
        (self.lines == PullLines::Grid && self.also_reach.0 == 0.0).then(|| self.lines())
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for &index in aimed {
            let swung = self.swung(stage, index);
            let cell = swung.grid.cell(stage.metre.ppq()).0;
            let end = stage.onset[index] + stage.length[index];
            // Neither drawn nor left to chance: it stays to the bit.
            if self.strength.0 != 0.0 || self.residue.0 != 0.0 {
                stage.onset[index] = self.start(stage, index, swung, dice);
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

    #[test]
    fn another_grid_draws_what_is_nearer_to_it() {
        // The third of a triplet of 8ths lies at 640 ticks, the third and the fourth 16th at 480 and at 720.
        let hits = sixteenths(&[100, 100, 100, 100]).hits().to_vec();
        let at = |place: usize, tick: f64| Hit { tick: Ticks(tick), ..hits[place] };
        let part = Part::new(vec![hits[0], at(1, 330.0), at(2, 490.0), at(3, 636.0)]);
        let ticks = |pull: Pull| play(&part, Action::Pull(pull)).iter().map(|hit| hit.tick.0).collect::<Vec<f64>>();
        let all = Pull { strength: Percent(100.0), ..Pull::default() };
        assert_eq!(ticks(all.clone()), [0.0, 240.0, 480.0, 720.0]);
        let also = Pull { also_reach: Millis(500.0), ..all.clone() };
        assert_eq!(ticks(also.clone()), [0.0, 320.0, 480.0, 640.0]);
        // At most 2.5 ms from it, 4.8 ticks.
        assert_eq!(ticks(Pull { also_reach: Millis(2.5), ..also.clone() }), [0.0, 240.0, 480.0, 640.0]);
        // What is too far from the one goes to the other alone.
        assert_eq!(
            ticks(Pull { reach: Some(Millis(1.0)), also_reach: Millis(2.5), ..also }),
            [0.0, 330.0, 490.0, 640.0]
        );
    }

    #[test]
    fn each_goes_to_the_lines_that_it_is_meant_for() {
        // Four bars of loose 16ths, then one of 8th triplets.
        let (mut hits, mut id) = (Vec::new(), 0);
        let like = sixteenths(&[100]).hits()[0];
        let mut strike = |tick: f64| {
            id += 1;
            hits.push(Hit { id: crate::part::hit::HitId::new(id), tick: Ticks(tick), ..like });
        };
        let off = |nth: u32| f64::from(nth * 7 % 11) * 3.0 - 15.0;
        (0..64).for_each(|nth| strike((240.0 * f64::from(nth) + off(nth)).max(0.0)));
        (0..12).for_each(|nth| strike(15_360.0 + 320.0 * f64::from(nth) + off(nth)));
        let own = Pull { lines: PullLines::Own, strength: Percent(100.0), ..Pull::default() };
        let played = play(&Part::new(hits), Action::Pull(own));
        for (nth, hit) in played.iter().enumerate() {
            let line = if nth < 64 { 240.0 * nth as f64 } else { 15_360.0 + 320.0 * (nth - 64) as f64 };
            assert_eq!(hit.tick.0, line, "{nth}");
        }
    }

    #[test]
    fn what_was_put_elsewhere_by_hand_stays_there() {
        use crate::kit::{Kit, chart::Chart};
        use crate::perform::{Context, perform};
        use crate::recipe::action::ByHand;
        use crate::recipe::{Pass, Recipe, aim::Aim};
        use crate::time::{metre::MetreMap, tempo::TempoMap};
        let part = sixteenths(&[100; 16]);
        let ppq = crate::base::units::Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let (context, chart) = (Context::new(&tempo, &metre), Chart::new(&part, Kit::of_drums(&part)));
        // The last hit is put 130 ms later, near the next bar line.
        let moved = serde_json::json!({"moved": [{"hit": part.hits()[15].id, "time": 130.0}]});
        let by_hand: ByHand = serde_json::from_value(moved).unwrap();
        let own = Pull { lines: PullLines::Own, strength: Percent(100.0), ..Pull::default() };
        let passes = [Action::ByHand(by_hand), Action::Pull(own)];
        let passes = (1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
        let performance = perform(&part, &chart, &Recipe::of(passes), &context);
        assert_eq!(performance.written[15].tick.0, 3840.0);
    }
}
