use super::limits::{extremes, squeeze};
use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Draws velocities into a layer of the kit by its name, in proportion and order, so that one group
/// of samples plays them: squeezes each instrument's aimed hits into the layer's bounds, unless they
/// all lie there already. Instruments whose kit has no layer of that name stay as they are.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Layer {
    /// The layer's name in the kit.
    pub layer: String,
    /// 0 to 100 %: how far the hits go there.
    pub amount: Percent,
}

impl Default for Layer {
    fn default() -> Layer {
        Layer { layer: "hard".to_owned(), amount: Percent(100.0) }
    }
}

impl Act for Layer {
    const INFO: ActionInfo = ActionInfo {
        kind: "layer",
        title: "Layer",
        family: ActionFamily::Touch,
        words: &["velocity layer", "samples", "zone", "sampler", "velocity", "top", "rimshot"],
        sentence: "move into the {layer} layer[, {amount} of the way].",
        brief: "{layer}",
        explains: "Into one velocity layer of the kit, in the same order of loudness.",
        points: &[],
        settings: &[
            Setting::new("layer", "layer", Values::Layer),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for indices in stage.by_instrument(aimed) {
            let Some((floor, ceiling)) = stage.layer_named(indices[0], &self.layer) else { continue };
            let (least, most) = extremes(stage, &indices);
            if least >= floor && most <= ceiling {
                continue;
            }
            let before: Vec<f64> = indices.iter().map(|&index| stage.velocity[index]).collect();
            squeeze(stage, &indices, floor, ceiling);
            for (&index, was) in indices.iter().zip(before) {
                stage.velocity[index] = was + self.amount.factor() * (stage.velocity[index] - was);
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
    fn a_layer_takes_them_in_order() {
        let into = |layer: &str, velocities: &[u8]| -> Vec<u8> {
            let action = Action::Layer(Layer { layer: layer.to_owned(), amount: Percent(100.0) });
            play(&sixteenths(velocities), action).iter().map(|hit| hit.velocity.get()).collect()
        };
        assert_eq!(into("medium", &[10, 60, 110]), [42, 59, 76]);
        assert_eq!(into("hard", &[110, 120]), [110, 120], "there already");
        assert_eq!(into("no such", &[10]), [10]);
        assert_eq!(into("firm", &[20, 20]), [77, 77]);
    }
}
