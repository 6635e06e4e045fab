use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent, Ticks};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a length is a share of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LengthOf {
    /// What it was.
    #[default]
    Own,
    /// The time to the next hit of the instrument.
    Next,
    /// A set time.
    Set,
}

/// How long hits last: a share of their own length, of the time to the next hit of their
/// instrument, or of a set time. The last hit of an instrument has no next and keeps its length. Each may be longer
/// or shorter by dice: length := share · what it is a share of · (1 ± vary·u).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Length {
    /// 1 to 400 %.
    pub share: Percent,
    /// Of what.
    pub of: LengthOf,
    /// 1 to 5000 ms: the set time.
    pub time: Millis,
    /// 0 to 100 %: how much longer or shorter each may be, by dice.
    pub vary: Percent,
}

impl Default for Length {
    fn default() -> Length {
        Length { share: Percent(100.0), of: LengthOf::Own, time: Millis(100.0), vary: Percent(0.0) }
    }
}

impl Act for Length {
    const INFO: ActionInfo = ActionInfo {
        kind: "length",
        title: "Length",
        family: ActionFamily::Time,
        words: &["duration", "gate", "legato", "staccato", "sustain", "note length", "shorten"],
        sentence: "last {share} of {of}[ ({time})][, give or take {vary}].",
        brief: "{share} of {of}",
        explains: "How long hits last: scaled, set, or up to the next.",
        points: &[
            super::point("shorten", r#"{"share": 60}"#),
            super::point("staccato", r#"{"share": 40}"#),
            super::point("legato", r#"{"share": 100, "of": "next"}"#),
            super::point("longer", r#"{"share": 150}"#),
            super::point("shorter", r#"{"share": 60}"#),
        ],
        settings: &[
            Setting::new("share", "share", Values::number(1.0, 400.0, 1.0, "%", Some(100.0))),
            Setting::new(
                "of",
                "of",
                Values::Choice {
                    options: &[
                        ("own", "their own length"),
                        ("next", "the time to the next hit"),
                        ("set", "a set time"),
                    ],
                },
            ),
            Setting::new("time", "set time", Values::number(1.0, 5000.0, 5.0, "ms", None)).when("of", "set"),
            Setting::new("vary", "give or take", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let share = self.share.factor();
        let next = if self.of == LengthOf::Next { next_onsets(stage) } else { Vec::new() };
        for &index in aimed {
            let whole = match self.of {
                LengthOf::Own => stage.length[index],
                LengthOf::Set => stage.tempo.ticks_of(self.time, Ticks(stage.onset[index])).0,
                LengthOf::Next if next[index].is_finite() => next[index] - stage.onset[index],
                LengthOf::Next => continue,
            };
            let drawn = 1.0 + (2.0 * dice.even(stage.id(index), 0) - 1.0) * self.vary.factor();
            stage.length[index] = (share * whole * drawn).max(1.0);
        }
    }
}

/// Where the next hit of its instrument begins that sounds after each, aimed at or not; endless for the last.
fn next_onsets(stage: &Stage<'_>) -> Vec<f64> {
    let mut next = vec![f64::INFINITY; stage.count()];
    for mut indices in stage.by_instrument(&stage.sounding()) {
        indices.sort_by(|&a, &b| stage.onset[a].total_cmp(&stage.onset[b]));
        let (mut at, mut after) = (f64::INFINITY, f64::INFINITY);
        for index in indices.into_iter().rev() {
            let onset = stage.onset[index];
            if onset < at {
                (at, after) = (onset, at);
            }
            next[index] = after;
        }
    }
    next
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn lengths(length: Length) -> Vec<f64> {
        play(&sixteenths(&[100; 3]), Action::Length(length)).iter().map(|hit| hit.length.0).collect()
    }

    #[test]
    fn scaled_set_and_up_to_the_next() {
        let half = Length { share: Percent(50.0), ..Length::default() };
        assert_eq!(lengths(half.clone()), [60.0; 3]);
        assert_eq!(lengths(Length { of: LengthOf::Next, ..half }), [120.0; 3], "the last has no next");
        assert_eq!(lengths(Length { of: LengthOf::Next, ..Length::default() }), [240.0, 240.0, 120.0]);
        // 25 ms are 48 ticks at 120 bpm.
        assert_eq!(lengths(Length { of: LengthOf::Set, time: Millis(25.0), ..Length::default() }), [48.0; 3]);
    }
}
