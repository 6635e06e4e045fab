use super::{Act, ActionFamily, ActionInfo, Curve, Setting, Values, point};
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::room::{LeftOut, Place, Room, made_from, onsets};
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How a roll is cut.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RollCut {
    /// Into so many even strokes.
    #[default]
    Strokes,
    /// Into strokes that are a grid's cell apart.
    Grid,
}

/// How long a roll is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RollOver {
    /// A note value.
    #[default]
    Length,
    /// Up to the next hit of its instrument, or from the one before it.
    Next,
}

/// Which stroke of a roll is the hit that it is made from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RollMain {
    /// The first: the roll follows it.
    #[default]
    First,
    /// The last: the roll leads into it.
    Last,
}

/// Cuts each aimed hit into strokes. It stays as one of them; those that are made are from `from` to `to` of its
/// velocity, along a curve, in the order in which they sound.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Roll {
    /// By number or by a grid.
    pub cut: RollCut,
    /// 1 to 64, the hit itself among them.
    pub strokes: f64,
    /// The grid of the strokes.
    pub grid: Grid,
    /// How long it is.
    pub over: RollOver,
    /// The note value.
    pub length: Grid,
    /// 1 to 150 % of the hit's velocity: the first stroke that is made.
    pub from: Percent,
    /// 1 to 150 %: the last one.
    pub to: Percent,
    /// How it gets from one to the other.
    pub curve: Curve,
    /// Where the hit itself is.
    pub main: RollMain,
}

impl Default for Roll {
    fn default() -> Roll {
        Roll {
            cut: RollCut::Strokes,
            strokes: 3.0,
            grid: "1/32".parse().expect("a grid"),
            over: RollOver::Length,
            length: "1/8".parse().expect("a grid"),
            from: Percent(60.0),
            to: Percent(85.0),
            curve: Curve::Straight,
            main: RollMain::First,
        }
    }
}

/// The most strokes of one roll.
const MOST_STROKES: f64 = 64.0;

impl Roll {
    /// Over a span in ticks: how far apart its strokes are, how many are made, and how many are too many.
    fn steps(&self, span: f64, cell: f64) -> (f64, usize, u32) {
        let strokes = match self.cut {
            RollCut::Strokes => self.strokes.round().max(1.0),
            // Each that begins within the span; one that begins a hair before its end is what comes next.
            RollCut::Grid => (span / cell - 0.01).ceil().max(1.0),
        };
        let step = if self.cut == RollCut::Grid { cell } else { span / strokes };
        let made = strokes.min(MOST_STROKES);
        (step, made as usize - 1, (strokes - made) as u32)
    }
}

impl Act for Roll {
    const INFO: ActionInfo = ActionInfo {
        kind: "roll",
        title: "Roll",
        family: ActionFamily::Hands,
        words: &[
            "ratchet",
            "buzz",
            "press roll",
            "burst",
            "subdivide",
            "repeat",
            "cut",
            "triplet",
            "fill",
            "double",
            "crescendo",
            "32nd",
        ],
        sentence: "cut into {cut}[ ({strokes})][ ({grid})] {over}[ ({length})], from {from} to {to} of its velocity, {curve}; the hit itself is {main}.",
        brief: "in {strokes|grid}",
        explains: "One hit becomes several strokes, rising or falling.",
        points: &[
            point("ratchet", r#"{"from": 80, "to": 100}"#),
            point("triplet", r#"{"strokes": 3, "length": "1/8"}"#),
            point("buzz", r#"{"strokes": 8, "length": "1/4", "from": 25, "to": 70, "curve": "late", "main": "last"}"#),
            point("double", r#"{"strokes": 2, "length": "1/16"}"#),
            point("burst", r#"{"cut": "grid", "grid": "1/32", "length": "1/4", "from": 50, "to": 95}"#),
        ],
        settings: &[
            Setting::new(
                "cut",
                "cut",
                Values::Choice { options: &[("strokes", "even strokes"), ("grid", "strokes on a grid")] },
            ),
            Setting::new("strokes", "strokes", Values::number(1.0, MOST_STROKES, 1.0, "", Some(1.0)))
                .when("cut", "strokes"),
            Setting::new("grid", "grid", Values::Grid).when("cut", "grid"),
            Setting::new(
                "over",
                "over",
                Values::Choice { options: &[("length", "over a length"), ("next", "up to the next hit")] },
            ),
            Setting::new("length", "length", Values::Grid).when("over", "length"),
            Setting::new("from", "from", Values::number(1.0, 150.0, 1.0, "%", None)),
            Setting::new("to", "to", Values::number(1.0, 150.0, 1.0, "%", None)),
            Setting::new("curve", "curve", super::swell::CURVES),
            Setting::new(
                "main",
                "main stroke",
                Values::Choice { options: &[("first", "the first stroke"), ("last", "the last stroke")] },
            ),
        ],
    };

    fn makes(&self) -> usize {
        if self.cut == RollCut::Strokes { self.strokes as usize } else { MOST_STROKES as usize }
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let (mut room, onsets) = (Room::new(stage), onsets(stage));
        let ppq = stage.metre.ppq();
        let (cell, length) = (self.grid.cell(ppq).0, self.length.cell(ppq).0);
        for index in stage.ordered(aimed) {
            let own = &onsets[stage.instrument(index).unwrap_or(onsets.len() - 1)];
            let onset = stage.onset[index];
            let neighbour = match self.main {
                RollMain::First => Room::next_of(own, onset) - onset,
                RollMain::Last => onset - Room::before(own, onset),
            };
            let span = match self.over {
                RollOver::Length => length,
                // The last one has nothing behind it.
                RollOver::Next if neighbour.is_infinite() => length,
                RollOver::Next => neighbour,
            };
            let (step, made, too_many) = self.steps(span, cell);
            if too_many > 0 {
                stage.leave_out_many(LeftOut::Many, too_many);
            }
            for ordinal in 1..=made {
                let (way, place) = match self.main {
                    RollMain::First => (ordinal as f64 * step, ordinal),
                    RollMain::Last => (-(ordinal as f64) * step, made + 1 - ordinal),
                };
                // Strokes stay between the hit and its neighbour; which of them are too near to it, the room says.
                if way.abs() >= neighbour {
                    stage.leave_out(LeftOut::Next);
                    continue;
                }
                let u = if made > 1 { (place - 1) as f64 / (made - 1) as f64 } else { 1.0 };
                let share = self.from.factor() + self.curve.at(u) * (self.to.factor() - self.from.factor());
                let at = Place {
                    anchor: (stage.anchor(index).0 + way).max(0.0),
                    onset: onset + way,
                    length: step.min(stage.first_length(index).0).max(1.0),
                };
                let stroke = made_from(stage, index, ordinal as u32, at, share * stage.velocity[index]);
                room.make(stage, dice.pass(), stroke);
            }
            if made > 0 && self.main == RollMain::First {
                stage.length[index] = stage.length[index].min(step).max(1.0);
            }
        }
    }
}
