use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How a swell gets from its beginning to its end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Curve {
    /// As much in every bar.
    #[default]
    Straight,
    /// Most of it near the end.
    Late,
    /// Most of it at the beginning.
    Early,
}

pub(super) const CURVES: Values =
    Values::Choice { options: &[("straight", "evenly"), ("late", "mostly late"), ("early", "mostly early")] };

impl Curve {
    pub(super) fn at(self, u: f64) -> f64 {
        match self {
            Curve::Straight => u,
            Curve::Late => u * u,
            Curve::Early => 1.0 - (1.0 - u) * (1.0 - u),
        }
    }
}

/// What the numbers of a swell are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum SwellOf {
    /// What is added.
    #[default]
    Change,
    /// What the stretch's own level comes to.
    Level,
}

/// A crescendo or decrescendo, or a rise or fall of another property, over each stretch of bars that the pass aims at.
///
/// With u going from 0 to 1 over the stretch and c the curve, line(u) = from + c(u)·(to − from). As a
/// change, v += line(u). As a level, each instrument's own moving level (the mean of its aimed hits
/// within an eighth of the stretch to either side, as they enter) is taken to the line: v += line(u) − level(u). In
/// both the differences between neighbours stay.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Swell {
    /// −126 to 127, of another property as much as it has: at the beginning.
    pub from: f64,
    /// The same at the end.
    pub to: f64,
    /// Straight, late or early.
    pub curve: Curve,
    /// A change or a level.
    pub of: SwellOf,
    /// Of what.
    pub property: Property,
}

impl Default for Swell {
    fn default() -> Swell {
        Swell { from: -30.0, to: 0.0, curve: Curve::Straight, of: SwellOf::Change, property: Property::Velocity }
    }
}

/// A curve is drawn through so many points behind its first.
const POINTS: u32 = 16;

impl Swell {
    /// The line at a share of the stretch.
    fn at(&self, u: f64) -> f64 {
        self.from + self.curve.at(u) * (self.to - self.from)
    }
}

/// The mean of the values within `reach` to either side of each place; places ascend.
fn moving_mean(places: &[f64], values: &[f64], reach: f64) -> Vec<f64> {
    let (mut from, mut to, mut sum) = (0, 0, 0.0);
    let mean = |&place: &f64| {
        while to < places.len() && places[to] <= place + reach {
            sum += values[to];
            to += 1;
        }
        while places[from] < place - reach {
            sum -= values[from];
            from += 1;
        }
        sum / (to - from) as f64
    };
    places.iter().map(mean).collect()
}

impl Act for Swell {
    const INFO: ActionInfo = ActionInfo {
        kind: "swell",
        title: "Swell",
        family: ActionFamily::Touch,
        words: &["crescendo", "decrescendo", "diminuendo", "fade", "ramp", "build", "velocity", "hairpin"],
        sentence: "swell[ in {property}] from {from} to {to}, {curve}, {of}.",
        brief: "{from} to {to}",
        explains: "A crescendo or decrescendo over the chosen bars, or pitch that rises; neighbours keep their differences.",
        points: &[
            super::point("crescendo", r#"{"from": -20, "to": 10}"#),
            super::point("build", r#"{"from": -20, "to": 10}"#),
            super::point("decrescendo", r#"{"from": 10, "to": -20}"#),
            super::point("diminuendo", r#"{"from": 10, "to": -20}"#),
            super::point("fade", r#"{"from": 0, "to": -40}"#),
        ],
        settings: &[
            super::PROPERTY,
            Setting::new("from", "from", Values::Change { min: -126.0, max: 127.0 }),
            Setting::new("to", "to", Values::Change { min: -126.0, max: 127.0 }),
            Setting::new("curve", "curve", CURVES),
            Setting::new(
                "of",
                "of",
                Values::Choice { options: &[("change", "added to what is there"), ("level", "as the level to reach")] },
            ),
        ],
    };

    fn property(&self) -> Property {
        self.property
    }

    fn curves(&self, stage: &Stage<'_>, aimed: &[usize]) -> Vec<Vec<[f64; 2]>> {
        let shares = || (0..=POINTS).map(|point| f64::from(point) / f64::from(POINTS));
        let curve = |from: f64, to: f64| shares().map(|u| [(from + u * (to - from)).round(), self.at(u)]).collect();
        stage.stretches(aimed).into_iter().map(|(from, to, _)| curve(from, to)).collect()
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for (from, to, indices) in stage.stretches(aimed) {
            let span = (to - from).max(1.0);
            for indices in stage.by_instrument(&indices) {
                let places: Vec<f64> = indices.iter().map(|&index| (stage.anchor(index).0 - from) / span).collect();
                let levels = match self.of {
                    SwellOf::Change => vec![0.0; indices.len()],
                    SwellOf::Level => {
                        let values: Vec<f64> = indices.iter().map(|&index| stage.value(self.property, index)).collect();
                        moving_mean(&places, &values, 0.125)
                    }
                };
                for ((&index, &place), level) in indices.iter().zip(&places).zip(levels) {
                    stage.values(self.property)[index] += self.at(place.clamp(0.0, 1.0)) - level;
                }
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
    fn a_change_runs_from_the_first_to_the_last() {
        let swell = Swell { from: -20.0, to: 20.0, ..Swell::default() };
        let played = play(&sixteenths(&[60, 70, 60, 70, 60]), Action::Swell(swell));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [40, 60, 60, 80, 80]);
    }

    #[test]
    fn a_level_is_reached_and_neighbours_keep_their_differences() {
        let wave: Vec<u8> = (0..64).map(|place| if place % 2 == 0 { 60 } else { 80 }).collect();
        let swell = Swell { from: 40.0, to: 100.0, of: SwellOf::Level, ..Swell::default() };
        let velocities: Vec<f64> =
            play(&sixteenths(&wave), Action::Swell(swell)).iter().map(|hit| f64::from(hit.velocity.get())).collect();
        let level = |place: usize| (velocities[place] + velocities[place + 1]) / 2.0;
        assert!((level(0) - 40.0).abs() < 4.0 && (level(31) - 70.0).abs() < 3.0 && (level(62) - 100.0).abs() < 4.0);
        for pair in velocities[8..56].chunks(2) {
            assert!((pair[1] - pair[0] - 20.0).abs() <= 4.0, "{pair:?}");
        }
    }

    #[test]
    fn curves_end_where_they_should() {
        for curve in [Curve::Straight, Curve::Late, Curve::Early] {
            assert_eq!((curve.at(0.0), curve.at(1.0)), (0.0, 1.0));
        }
        assert!(Curve::Late.at(0.5) < 0.5 && Curve::Early.at(0.5) > 0.5);
    }
}
