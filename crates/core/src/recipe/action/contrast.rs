use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::stats::{mean, median};
use crate::base::units::{Percent, Velocity};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What stays where contrast changes, where no velocity is given.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[ts(rename = "ContrastAround")]
pub enum Around {
    /// Each instrument's typical: the median of its aimed hits.
    #[default]
    Typical,
    /// Their mean: all of it stays as loud as it is.
    Mean,
}

/// Spreads velocities around a pivot or draws them together: v := p + (v − p)·c/100.
///
/// Without a pivot given, each instrument has its own: the median or the mean of its aimed hits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Contrast {
    /// 0 to 400 %: 100 changes nothing, 0 makes all equal.
    pub contrast: Percent,
    /// The velocity that stays, or each instrument's own.
    pub pivot: Option<Velocity>,
    /// Which that is.
    pub around: Around,
}

impl Default for Contrast {
    fn default() -> Contrast {
        Contrast { contrast: Percent(130.0), pivot: None, around: Around::Typical }
    }
}

impl Act for Contrast {
    const INFO: ActionInfo = ActionInfo {
        kind: "contrast",
        title: "Contrast",
        family: ActionFamily::Touch,
        words: &[
            "compress",
            "expand",
            "dynamics",
            "velocity",
            "scale",
            "flatten",
            "equal",
            "multiply",
            "percent",
            "deviation",
            "mean",
            "proportion",
        ],
        sentence: "set contrast to {contrast}[, around {around}][, around {pivot}].",
        brief: "{contrast}",
        explains: "More or less difference between loud and soft, around what is typical.",
        points: &[
            super::point("compress", r#"{"contrast": 70}"#),
            super::point("compressor", r#"{"contrast": 70}"#),
            super::point("expand", r#"{"contrast": 130}"#),
            super::point("flatten", r#"{"contrast": 30}"#),
            super::point("even out", r#"{"contrast": 50}"#),
            super::point("dynamics", r#"{"contrast": 130}"#),
            super::point("scale", r#"{"contrast": 80, "around": "mean"}"#),
            super::point("multiply", r#"{"contrast": 120, "around": "mean"}"#),
            super::point("percent", r#"{"contrast": 80, "around": "mean"}"#),
        ],
        settings: &[
            Setting::new("contrast", "contrast", Values::number(0.0, 400.0, 1.0, "%", Some(100.0))),
            Setting::new(
                "around",
                "around",
                Values::Choice { options: &[("typical", "what is typical"), ("mean", "the mean")] },
            )
            .when("pivot", "null")
            .quiet(0.0),
            Setting::new(
                "pivot",
                "pivot",
                Values::Number {
                    min: 1.0,
                    max: 127.0,
                    step: 1.0,
                    unit: "",
                    neutral: None,
                    sides: None,
                    none: Some("its typical"),
                },
            ),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for indices in stage.by_instrument(aimed) {
            let mut values: Vec<f64> = indices.iter().map(|&index| stage.velocity[index]).collect();
            let pivot = match (self.pivot, self.around) {
                (Some(velocity), _) => f64::from(velocity.get()),
                (None, Around::Typical) => median(&mut values),
                (None, Around::Mean) => mean(&values),
            };
            for index in indices {
                let velocity = &mut stage.velocity[index];
                *velocity += (self.contrast.factor() - 1.0) * (*velocity - pivot);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn contrast(contrast: f64, pivot: Option<u8>, velocities: &[u8]) -> Vec<u8> {
        let pivot = pivot.and_then(Velocity::new);
        let action = Action::Contrast(Contrast { contrast: Percent(contrast), pivot, ..Contrast::default() });
        play(&sixteenths(velocities), action).iter().map(|hit| hit.velocity.get()).collect()
    }

    #[test]
    fn the_worked_numbers() {
        assert_eq!(contrast(50.0, Some(80), &[120, 40]), [100, 60]);
        assert_eq!(contrast(0.0, Some(80), &[120, 40, 7]), [80, 80, 80]);
    }

    #[test]
    fn without_a_pivot_the_typical_stays() {
        assert_eq!(contrast(200.0, None, &[60, 70, 90]), [50, 70, 110]);
    }

    #[test]
    fn around_the_mean_it_stays_as_loud() {
        let contrast = Contrast { contrast: Percent(50.0), around: Around::Mean, ..Contrast::default() };
        let played = play(&sixteenths(&[40, 40, 100]), Action::Contrast(contrast));
        assert_eq!(played.iter().map(|hit| hit.velocity.get()).collect::<Vec<u8>>(), [50, 50, 80]);
    }
}
