use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::base::stats::quantile;
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use std::ops::RangeInclusive;
use ts_rs::TS;

/// Moves the soft, the typical and the hard hits of each instrument to where its three handles are, in velocity or in
/// another property, and keeps what is there.
///
/// The handles stand at the 10th percentile, the median and the 90th percentile of the n aimed hits of an instrument.
/// Between two handles a hit goes linearly in value: one half way between the old typical and the old hard goes half way
/// between the new ones. Beyond soft and hard the end slopes go on. A handle that is not set stays where it is, or goes
/// with one that passes it; where none is moved nothing changes, to the bit. Hits of one value in which more than one
/// handle lies are spread by rank along the straight line through those handles: rank k (from 0) stands at
/// u = (k + ½)/n, the handles at .1, .5 and .9. Ranks among equals are ordered by s = f·w + (1 − f)·dice, where w is
/// the metrical weight and f is `follow`, and what ties even then by dice alone. Order is kept.
///
/// `own` is how much of the instrument's own distribution is kept: at 0 % all hits, ranked by value, lie on the straight
/// line through (.1, soft), (.5, typical), (.9, hard), continued at the end slopes; between both values a hit goes so
/// far. In either case v := v + amount·(target − v), and what comes of it is held in the property's range, 1 to 127 for
/// velocities.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Shape {
    /// The 10th percentile, in the property's unit; nothing leaves it where it is.
    pub soft: Option<f64>,
    /// The median.
    pub typical: Option<f64>,
    /// The 90th percentile.
    pub hard: Option<f64>,
    /// 0 to 100 %: how much is kept of how the hits were spread. A recipe that does not say means 0.
    #[serde(default = "none_of_it")]
    pub own: Percent,
    /// 0 to 100 %: how far the hits go to their targets.
    pub amount: Percent,
    /// 0 to 100 %: how much the loudest go to the beat, where velocities tie.
    pub follow: Percent,
    /// Of what.
    pub property: Property,
}

fn none_of_it() -> Percent {
    Percent(0.0)
}

impl Default for Shape {
    fn default() -> Shape {
        Shape {
            soft: Some(48.0),
            typical: Some(72.0),
            hard: Some(104.0),
            own: Percent(100.0),
            amount: Percent(100.0),
            follow: Percent(70.0),
            property: Property::Velocity,
        }
    }
}

impl Shape {
    /// With all three handles set, and nothing kept of how the hits were spread before.
    pub fn straight([soft, typical, hard]: [f64; 3]) -> Shape {
        let (soft, typical, hard) = (Some(soft), Some(typical), Some(hard));
        Shape { soft, typical, hard, own: Percent(0.0), ..Shape::default() }
    }

    /// Where handles go that stand at `from`: those that are not set stay, or go with one that passes them.
    fn handles(&self, from: [f64; 3]) -> Handles {
        let [soft, typical, hard] = [self.soft, self.typical, self.hard];
        // Upwards nothing stays below what is set further down; downwards nothing above what is set further up.
        let typical_to = typical.unwrap_or_else(|| {
            let raised = soft.map_or(from[1], |soft| from[1].max(soft));
            hard.map_or(raised, |hard| raised.min(hard))
        });
        let soft_to = soft.unwrap_or(from[0].min(typical_to));
        let hard_to = hard.unwrap_or(from[2].max(typical_to));
        Handles { from, to: [soft_to, typical_to, hard_to], property: self.property }
    }
}

/// The handles of an instrument: where they stand, and where they go.
struct Handles {
    from: [f64; 3],
    to: [f64; 3],
    property: Property,
}

/// The ranks at which handles stand.
const RANKS: [f64; 3] = [0.1, 0.5, 0.9];

impl Handles {
    /// The value at rank `u` (0 to 1) of the straight line through the handles.
    fn straight(&self, u: f64) -> f64 {
        let [soft, typical, hard] = self.to;
        let value = if u <= 0.5 {
            typical + (u - 0.5) / 0.4 * (typical - soft)
        } else {
            typical + (u - 0.5) / 0.4 * (hard - typical)
        };
        self.property.held(value)
    }

    /// How far a hit goes that has a value by itself.
    fn bend(&self, value: f64) -> f64 {
        let Handles { from, to, .. } = self;
        let by = |handle: usize| to[handle] - from[handle];
        let (low, end) = if value < from[1] { (0, 0) } else { (1, 2) };
        let width = from[low + 1] - from[low];
        // Where two handles stand at one place there is no slope to go on at: what lies beyond goes with the outer one.
        if width == 0.0 {
            return by(end);
        }
        by(low) + (by(low + 1) - by(low)) * ((value - from[low]) / width)
    }

    /// Where the hits of one value go by rank in which these handles lie; `first` and `last` where no others are below
    /// or above them.
    fn spread(&self, handles: RangeInclusive<usize>, u: f64, first: bool, last: bool) -> f64 {
        let (low, high) = (*handles.start(), *handles.end());
        let value = match u {
            _ if u < RANKS[low] && !first => self.to[low],
            _ if u > RANKS[high] && !last => self.to[high],
            _ => {
                let from = if u <= RANKS[1] && low == 0 || high == 1 { 0 } else { 1 };
                let slope = (self.to[from + 1] - self.to[from]) / 0.4;
                self.to[1] + (u - RANKS[1]) * slope
            }
        };
        self.property.held(value)
    }

    /// How far the hits go, given in order of value, each with what is added to it.
    fn bent(&self, values: &[f64]) -> Vec<f64> {
        let mut changes = Vec::with_capacity(values.len());
        let count = values.len();
        for equal in values.chunk_by(|one, other| one == other) {
            let (value, begun) = (equal[0], changes.len());
            let within = |handle: &usize| self.from[*handle] == value;
            let lies = (0..3).find(within).zip((0..3).rfind(within)).filter(|(low, high)| low < high);
            let (first, last) = (begun == 0, begun + equal.len() == count);
            match lies {
                Some((low, high)) => changes.extend((begun..begun + equal.len()).map(|place| {
                    let u = (place as f64 + 0.5) / count as f64;
                    self.spread(low..=high, u, first, last) - value
                })),
                None => {
                    // What lies outside the range by itself is not brought further out.
                    let (least, most) = self.property.range();
                    let by = self.bend(value);
                    let change = (value + by).clamp(least.min(value), most.max(value)) - value;
                    changes.resize(begun + equal.len(), if by == 0.0 { 0.0 } else { change });
                }
            }
        }
        changes
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
        sentence: "shape them[ in {property}][, <low> {soft}][, typical {typical}][, <high> {hard}][; accents follow the beat by {follow}][; keep {own} of how they were spread][, {amount} of the way].",
        brief: "{soft} · {typical} · {hard}",
        explains: "Three handles for soft, typical and hard: what is there is bent, what is all alike is spread.",
        points: &[super::point("dead", r#"{}"#), super::point("lifeless", r#"{}"#)],
        settings: &[
            Setting::new("soft", "<low>", Values::Value { none: Some("as it is") }),
            Setting::new("typical", "typical", Values::Value { none: Some("as it is") }),
            Setting::new("hard", "<high>", Values::Value { none: Some("as it is") }),
            super::PROPERTY,
            Setting::new("own", "keep", Values::number(0.0, 100.0, 1.0, "%", Some(100.0))),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
            Setting::new("follow", "to the beat", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(0.0),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        let [low, high] = self.property.info().low_high;
        let set = [("soft", low, self.soft), ("typical", "typical", self.typical), ("hard", high, self.hard)];
        let set = set.into_iter().filter_map(|(field, word, value)| Some((field, word, value?)));
        let set: Vec<(&str, &str, f64)> = set.collect();
        for pair in set.windows(2) {
            let [(field, word, value), (_, above, other)] = pair else { continue };
            if value > other {
                return Err(((*field).to_owned(), format!("{word} {value} is above {above} {other}")));
            }
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
            let order = sorted(&ranked);
            let values: Vec<f64> = order.iter().map(|&index| stage.value(property, index as usize)).collect();
            let handles = self.handles(RANKS.map(|share| quantile(&values, share)));
            let (own, amount) = (self.own.factor(), self.amount.factor());
            let bent = if own > 0.0 { handles.bent(&values) } else { vec![0.0; values.len()] };
            let count = values.len() as f64;
            let column = stage.values(property);
            for (place, (index, (value, bent))) in order.into_iter().zip(values.iter().zip(bent)).enumerate() {
                let straight = handles.straight((place as f64 + 0.5) / count) - value;
                let change = if own == 1.0 { bent } else { own * bent + (1.0 - own) * straight };
                column[index as usize] += amount * change;
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
        Shape { follow: Percent(follow), own: Percent(100.0), ..Shape::straight([40.0, 64.0, 100.0]) }
    }

    fn velocities(part: &[u8], shape: Shape) -> Vec<u8> {
        play(&sixteenths(part), Action::Shape(shape)).iter().map(|hit| hit.velocity.get()).collect()
    }

    /// Nothing is set.
    fn at_rest() -> Shape {
        Shape { soft: None, typical: None, hard: None, ..Shape::default() }
    }

    #[test]
    fn targets_are_the_worked_numbers() {
        for own in [0.0, 100.0] {
            let mut played = velocities(&[100; 10], Shape { own: Percent(own), ..shape(100.0) });
            played.sort_unstable();
            assert_eq!(played, [37, 43, 49, 55, 61, 69, 78, 87, 96, 105], "own {own} %");
        }
    }

    #[test]
    fn a_handle_bends_what_is_there() {
        // Many ghosts, few accents: the percentiles are 30, 30 and 112.
        let mut snare = vec![30; 24];
        snare.extend([58, 86]);
        snare.extend([112; 6]);
        let played = velocities(&snare, Shape { hard: Some(92.0), ..at_rest() });
        assert_eq!(played[..24], [30; 24]);
        assert_eq!(played[24..26], [51, 72]);
        assert_eq!(played[26..], [92; 6]);
        let given = Shape { soft: Some(30.0), typical: Some(30.0), hard: Some(92.0), ..at_rest() };
        assert_eq!(velocities(&snare, given), played);
    }

    #[test]
    fn handles_that_are_not_set_make_way() {
        let part = [20, 40, 60, 80, 100];
        let played = velocities(&part, Shape { hard: Some(50.0), ..at_rest() });
        assert!(played.is_sorted() && played[2] <= 50 && played[4] <= 51, "{played:?}");
        let played = velocities(&part, Shape { soft: Some(90.0), ..at_rest() });
        assert!(played.is_sorted() && played[1] >= 89, "{played:?}");
    }

    #[test]
    fn equal_hits_are_spread_between_the_handles_that_lie_in_them() {
        // Soft and typical lie in the eights at 60, hard in the two at 100.
        let part = [60, 60, 60, 60, 60, 60, 60, 60, 100, 100];
        let played = velocities(&part, Shape { soft: Some(40.0), ..at_rest() });
        let mut sorted = played.clone();
        sorted.sort_unstable();
        assert_eq!(played[8..], [100, 100]);
        assert!(sorted[0] < 40 && sorted[7] == 60 && sorted[4] <= 60, "{sorted:?}");
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
