use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Gives each instrument's hits a distribution of velocities, or of another property, with three handles, keeping the order
/// of what was played.
///
/// The n aimed hits of an instrument are ranked by velocity; ties are broken by
/// s = f·w + (1 − f)·dice, where w is the metrical weight and f is `follow`, and what ties even
/// then by dice alone. Rank k (from 0) gives u = (k + ½)/n, and the target Q(u) is the straight
/// line through (.1, soft), (.5, typical), (.9, hard), continued at the end slopes and held in the
/// property's range: 1 to 127 for velocities. Then v := v + amount·(Q(u) − v).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Shape {
    /// The 10th percentile, in the property's unit.
    pub soft: f64,
    /// The median.
    pub typical: f64,
    /// The 90th percentile.
    pub hard: f64,
    /// 0 to 100 %: how far the hits go to their targets.
    pub amount: Percent,
    /// 0 to 100 %: how much the loudest go to the beat, where velocities tie.
    pub follow: Percent,
    /// Of what.
    pub property: Property,
}

impl Default for Shape {
    fn default() -> Shape {
        Shape {
            soft: 48.0,
            typical: 72.0,
            hard: 104.0,
            amount: Percent(100.0),
            follow: Percent(70.0),
            property: Property::Velocity,
        }
    }
}

impl Shape {
    /// The value that a share `u` (0 to 1) of the hits stays below.
    pub fn target(&self, u: f64) -> f64 {
        let Shape { soft, typical, hard, .. } = *self;
        let value = if u <= 0.5 {
            typical + (u - 0.5) / 0.4 * (typical - soft)
        } else {
            typical + (u - 0.5) / 0.4 * (hard - typical)
        };
        self.property.held(value)
    }
}

/// A hit in the order of a shape.
struct Ranked {
    /// In the place that its value takes in the property's range, from 0 to 128.
    value: f64,
    tie: u32,
    index: u32,
}

/// The indices in order of value, then of the tie breaker. Hits are first dealt into a bin for each
/// whole number and sorted there, by the tie breaker alone where a bin holds one value, as most
/// do: much faster than sorting them all at once.
fn sorted(hits: &[Ranked]) -> Vec<u32> {
    let bin = |hit: &Ranked| hit.value.clamp(0.0, 128.0) as usize;
    let mut counts = [0u32; 129];
    hits.iter().for_each(|hit| counts[bin(hit)] += 1);
    let mut bins: Vec<Vec<u64>> = counts.iter().map(|&count| Vec::with_capacity(count as usize)).collect();
    let mut values = [None; 129];
    let mut mixed = [false; 129];
    for (place, hit) in hits.iter().enumerate() {
        let bin = bin(hit);
        mixed[bin] |= *values[bin].get_or_insert(hit.value) != hit.value;
        bins[bin].push((u64::from(hit.tie) << 32) | place as u64);
    }
    let hit = |key: u64| &hits[key as u32 as usize];
    for (bin, mixed) in bins.iter_mut().zip(mixed) {
        if mixed {
            bin.sort_unstable_by(|&a, &b| hit(a).value.total_cmp(&hit(b).value).then(a.cmp(&b)));
        } else {
            bin.sort_unstable();
        }
    }
    bins.into_iter().flatten().map(|key| hit(key).index).collect()
}

impl Act for Shape {
    const INFO: ActionInfo = ActionInfo {
        kind: "shape",
        title: "Shape",
        family: ActionFamily::Touch,
        words: &[
            "humanize",
            "velocity",
            "dynamics",
            "distribution",
            "natural",
            "compress",
            "expand",
            "accents",
            "normal",
            "machine",
            "dead",
            "stiff",
        ],
        sentence: "aim for <low> {soft}, typical {typical}, <high> {hard}[ in {property}][; accents follow the beat by {follow}][, {amount} of the way].",
        brief: "{soft} · {typical} · {hard}",
        explains: "A natural spread of velocity, pitch, place, level or brightness: three handles for soft, typical and hard.",
        points: &[super::point("dead", r#"{}"#), super::point("lifeless", r#"{}"#)],
        settings: &[
            Setting::new("soft", "<low>", Values::Value),
            Setting::new("typical", "typical", Values::Value),
            Setting::new("hard", "<high>", Values::Value),
            super::PROPERTY,
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
            Setting::new("follow", "to the beat", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(0.0),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        let [low, high] = self.property.info().low_high;
        if self.soft > self.typical {
            return Err(("soft".to_owned(), format!("{low} {} is above typical {}", self.soft, self.typical)));
        }
        if self.typical > self.hard {
            return Err(("typical".to_owned(), format!("typical {} is above {high} {}", self.typical, self.hard)));
        }
        Ok(())
    }

    fn property(&self) -> Property {
        self.property
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let (follow, property) = (self.follow.factor(), self.property);
        let (least, most) = property.range();
        let binned = |value: f64| match property {
            Property::Velocity => value,
            _ => (value - least) / (most - least) * 128.0,
        };
        for indices in stage.by_instrument(aimed) {
            let rank = |&index: &usize| {
                let weight = if follow > 0.0 { stage.weight(index) } else { 0.0 };
                let tie = follow * weight + (1.0 - follow) * dice.even(stage.id(index), 0);
                // What follows the beat entirely still ties on like beats: dice break those.
                let tie = if follow == 1.0 { 0.999 * tie + 0.001 * dice.even(stage.id(index), 0) } else { tie };
                let tie = (tie * f64::from(u32::MAX)) as u32;
                Ranked { value: binned(stage.value(property, index)), tie, index: index as u32 }
            };
            let ranked: Vec<Ranked> = indices.iter().map(rank).collect();
            let (count, amount) = (ranked.len() as f64, self.amount.factor());
            for (place, index) in sorted(&ranked).into_iter().enumerate() {
                let target = self.target((place as f64 + 0.5) / count);
                let value = &mut stage.values(property)[index as usize];
                *value += amount * (target - *value);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn shape(follow: f64) -> Shape {
        Shape { soft: 40.0, typical: 64.0, hard: 100.0, follow: Percent(follow), ..Shape::default() }
    }

    #[test]
    fn targets_are_the_worked_numbers() {
        let targets: Vec<f64> = (0..10).map(|k| shape(100.0).target((f64::from(k) + 0.5) / 10.0)).collect();
        for (target, worked) in targets.iter().zip([37.0, 43.0, 49.0, 55.0, 61.0, 68.5, 77.5, 86.5, 95.5, 104.5]) {
            assert!((target - worked).abs() < 1e-9, "{target} instead of {worked}");
        }
    }

    #[test]
    fn the_heaviest_positions_get_the_highest() {
        let played = play(&sixteenths(&[100; 10]), Action::Shape(shape(100.0)));
        let mut velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities[0], 105, "the downbeat");
        assert_eq!(velocities[8], 96, "beat 3");
        assert_eq!(velocities[4], 87, "beat 2");
        assert!(velocities[2] > velocities[1] && velocities[6] > velocities[7], "half beats over quarter beats");
        velocities.sort_unstable();
        assert_eq!(velocities, [37, 43, 49, 55, 61, 69, 78, 87, 96, 105]);
    }

    #[test]
    fn what_was_played_louder_stays_louder() {
        let played = play(&sixteenths(&[10, 120, 30, 90]), Action::Shape(shape(100.0)));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert!(velocities[0] < velocities[2] && velocities[2] < velocities[3] && velocities[3] < velocities[1]);
    }

    #[test]
    fn equal_positions_are_not_ranked_by_their_place_in_the_song() {
        // All on downbeats: with full follow only dice are left to tell them apart.
        let hits: Vec<u8> = vec![100; 16 * 32];
        let played = play(&sixteenths(&hits), Action::Shape(shape(100.0)));
        let downbeats: Vec<u8> = played.iter().step_by(16).map(|hit| hit.velocity.get()).collect();
        assert!(downbeats.windows(2).any(|pair| pair[1] < pair[0]), "a crescendo through the song: {downbeats:?}");
    }
}
