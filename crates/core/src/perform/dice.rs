//! Stable dice: what a hit draws depends only on who asks, never on who else draws.

use crate::base::ids::{PassId, mix};
use crate::part::hit::HitId;
use crate::recipe::GroupId;

/// The dice of one pass in one round of one variation.
///
/// Every number hangs on (variation, pass, round, hit, draw) alone, mixed by the finaliser of
/// SplitMix64 (Steele, Lea, Flood 2014), so adding, deleting or re-aiming other hits re-deals
/// nothing, and the same numbers come out on every machine.
#[derive(Clone, Copy, Debug)]
pub struct Dice {
    seed: u64,
    pass: PassId,
}

impl Dice {
    /// The dice of one pass.
    pub fn new(variation: u32, pass: PassId, round: u32) -> Dice {
        let pass_and_round = mix((u64::from(pass.0) << 32) | u64::from(round));
        Dice { pass, seed: mix(pass_and_round ^ mix(u64::from(variation).wrapping_add(0x5eed))) }
    }

    /// The dice of a group, the same in every round.
    pub(crate) fn of_group(variation: u32, group: GroupId) -> Dice {
        /// So that those of a group are others than those of the pass of its number.
        const GROUPS: u32 = u32::MAX;
        Dice::new(variation, PassId(group.0), 0).apart(GROUPS)
    }

    /// Other dice of the same pass, for the nth of several things that it does.
    pub(crate) fn apart(&self, nth: u32) -> Dice {
        Dice { seed: mix(self.seed ^ mix(0xa9a7_0000 | u64::from(nth))), ..*self }
    }

    /// Whose dice they are.
    pub fn pass(&self) -> PassId {
        self.pass
    }

    /// Evenly spread in 0 to 1 (1 excluded): draw number `draw` of a hit.
    pub fn even(&self, hit: HitId, draw: u32) -> f64 {
        (self.bits(hit, draw) >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Bell-shaped in 0 to 1: the mean of three even draws (Irwin–Hall), each of 21 bits.
    pub fn bell(&self, hit: HitId, draw: u32) -> f64 {
        const LOW: u64 = (1 << 21) - 1;
        let bits = self.bits(hit, draw);
        let sum = (bits & LOW) + (bits >> 21 & LOW) + (bits >> 42 & LOW);
        sum as f64 / (3 * LOW) as f64
    }

    fn bits(&self, hit: HitId, draw: u32) -> u64 {
        let (high, low) = (hit.get() >> 32, hit.get() << 32);
        // Ids of 32 bits and draws stand side by side; what is above them is mixed in by itself.
        let seed = if high == 0 { self.seed } else { self.seed ^ mix(high) };
        mix(seed ^ (low | u64::from(draw)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn draws_are_even_and_uncorrelated() {
        let dice = Dice::new(1, PassId(1), 0);
        let draws: Vec<f64> = (0..10_000).map(|hit| dice.even(HitId::new(hit), 0)).collect();
        let mean = draws.iter().sum::<f64>() / 1e4;
        assert!((mean - 0.5).abs() < 0.02, "mean {mean}");
        for tenth in 0..10 {
            let low = f64::from(tenth) / 10.0;
            let share = draws.iter().filter(|&&draw| draw >= low && draw < low + 0.1).count();
            assert!((850..1150).contains(&share), "{share} of 10 000 from {low}");
        }
        let lag = draws.windows(2).map(|pair| (pair[0] - 0.5) * (pair[1] - 0.5)).sum::<f64>() / 1e4;
        assert!(lag.abs() < 0.005, "neighbours lean on one another: {lag}");
    }

    #[test]
    fn another_variation_pass_round_or_draw_is_another_number() {
        let number = |variation, pass, round, draw| Dice::new(variation, PassId(pass), round).even(HitId::new(7), draw);
        let first = number(1, 1, 0, 0);
        for other in [number(2, 1, 0, 0), number(1, 2, 0, 0), number(1, 1, 1, 0), number(1, 1, 0, 1)] {
            assert_ne!(first, other);
        }
        assert_eq!(first, number(1, 1, 0, 0));
    }

    #[test]
    fn a_bell_draws_mostly_from_the_middle() {
        let dice = Dice::new(9, PassId(3), 0);
        let middle = (0..9_000).filter(|&hit| (dice.bell(HitId::new(hit), 0) - 0.5).abs() < 1.0 / 6.0).count();
        // Irwin–Hall n = 3: two thirds of the mass within a sixth of the middle.
        assert!((5_800..6_200).contains(&middle), "{middle}");
    }
}
