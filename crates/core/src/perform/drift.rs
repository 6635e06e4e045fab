//! Natural drift: slow, long-range correlated movement as it is measured in drummers.
//!
//! Its spectrum falls as 1/f^slowness (Hennig et al. 2011, PLoS ONE 6: e26457; Räsänen et al. 2015, PLoS ONE 10:
//! e0127902, both about 1). It is a sum of value noises, one an octave, each hashed from its cell in time, so that it
//! can be asked for anywhere and nothing is re-dealt.

use crate::part::hit::HitId;
use crate::perform::dice::Dice;

/// From a 64th to 128 bars of four.
const OCTAVES: usize = 14;
/// The shortest cell, in quarter notes.
const SHORTEST: f64 = 0.0625;
/// The octaves below an 8th, from one hit to the next: a player's drift is slower. They come in below this slowness,
/// so that at 0 there is nothing left that goes on from a 16th to the next.
const FINE: usize = 3;
const WITHOUT_FINE: f64 = 0.8;
/// The mean square of one octave: draws between −1 and 1 have a third of it, and between two of them
/// 3u² − 2u³ leaves 26/35.
const MEAN_SQUARE: f64 = 26.0 / 105.0;
/// The draws of the drift, and of its fine octaves; hits draw lower numbers.
const NATURAL_DRAW: u32 = 1 << 24;
const FINE_DRAW: u32 = 1 << 25;

/// A drift of its own for each group of hits that drift together.
pub(crate) struct Natural<'a> {
    dice: &'a Dice,
    /// How much of each octave there is.
    amounts: [f64; OCTAVES],
    /// What was asked for last in each octave: group, cell, and the draws at its ends.
    known: [(u32, u32, f64, f64); OCTAVES],
}

impl<'a> Natural<'a> {
    /// With a standard deviation of 1; `slowness` is the exponent of the spectrum, 0 to 2.
    pub fn new(dice: &'a Dice, slowness: f64) -> Natural<'a> {
        let mut amounts: [f64; OCTAVES] = std::array::from_fn(|octave| {
            let cell = SHORTEST * f64::from(1u32 << octave);
            let fine = if octave < FINE { (1.0 - slowness / WITHOUT_FINE).max(0.0) } else { 1.0 };
            fine * libm::pow(cell, (slowness - 1.0) / 2.0)
        });
        let all: f64 = amounts.iter().map(|amount| amount * amount * MEAN_SQUARE).sum();
        amounts.iter_mut().for_each(|amount| *amount /= all.sqrt());
        Natural { dice, amounts, known: [(u32::MAX, u32::MAX, 0.0, 0.0); OCTAVES] }
    }

    /// Where the drift of a group is, so many quarter notes from the start.
    pub fn at(&mut self, group: u32, quarters: f64) -> f64 {
        let quarters = quarters.max(0.0);
        let mut sum = 0.0;
        for octave in 0..OCTAVES {
            if self.amounts[octave] == 0.0 {
                continue;
            }
            let place = quarters / (SHORTEST * f64::from(1u32 << octave));
            let cell = place as u32;
            let known = &mut self.known[octave];
            if (known.0, known.1) != (group, cell) {
                let draw = match octave.checked_sub(FINE) {
                    Some(octave) => NATURAL_DRAW + group * (OCTAVES - FINE) as u32 + octave as u32,
                    None => FINE_DRAW + group * FINE as u32 + octave as u32,
                };
                let drawn = |cell| 2.0 * self.dice.even(HitId::new(cell), draw) - 1.0;
                *known = (group, cell, drawn(cell), drawn(cell + 1));
            }
            let share = place - f64::from(cell);
            let eased = share * share * (3.0 - 2.0 * share);
            sum += self.amounts[octave] * (known.2 + eased * (known.3 - known.2));
        }
        sum
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::base::ids::PassId;

    /// The exponent of detrended fluctuation analysis (Peng et al. 1994, Phys. Rev. E 49: 1685): 0.5 for white
    /// noise, 1 for 1/f.
    pub(crate) fn fluctuation_exponent(values: &[f64]) -> f64 {
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        let mut sum = 0.0;
        let profile: Vec<f64> = values
            .iter()
            .map(|value| {
                sum += value - mean;
                sum
            })
            .collect();
        let sizes = (0..).map(|step| (8.0 * 1.4f64.powi(step)) as usize).take_while(|size| *size <= values.len() / 5);
        let points: Vec<(f64, f64)> = sizes
            .map(|size| {
                let residues: Vec<f64> = profile.chunks_exact(size).map(detrended).collect();
                let mean = residues.iter().sum::<f64>() / residues.len() as f64;
                ((size as f64).ln(), mean.sqrt().ln())
            })
            .collect();
        slope(&points)
    }

    /// The mean square of what a straight line leaves.
    fn detrended(window: &[f64]) -> f64 {
        let points: Vec<(f64, f64)> = window.iter().enumerate().map(|(x, &y)| (x as f64, y)).collect();
        let by = slope(&points);
        let count = window.len() as f64;
        let (x, y) = points.iter().fold((0.0, 0.0), |sum, point| (sum.0 + point.0, sum.1 + point.1));
        let base = (y - by * x) / count;
        points.iter().map(|(x, y)| (y - base - by * x).powi(2)).sum::<f64>() / count
    }

    fn slope(points: &[(f64, f64)]) -> f64 {
        let count = points.len() as f64;
        let (x, y) = points.iter().fold((0.0, 0.0), |sum, point| (sum.0 + point.0, sum.1 + point.1));
        let (x, y) = (x / count, y / count);
        let both: f64 = points.iter().map(|point| (point.0 - x) * (point.1 - y)).sum();
        both / points.iter().map(|point| (point.0 - x).powi(2)).sum::<f64>()
    }

    fn drawn(slowness: f64, variation: u32) -> Vec<f64> {
        let dice = Dice::new(variation, PassId(1), 0);
        let mut natural = Natural::new(&dice, slowness);
        (0..4096).map(|sixteenth| natural.at(0, f64::from(sixteenth) / 4.0)).collect()
    }

    #[test]
    fn it_has_the_spectrum_and_the_deviation_that_were_asked_for() {
        // A spectrum of 1/f^β has the exponent (1 + β) / 2.
        for (slowness, expected) in [(0.0, 0.5), (0.5, 0.75), (1.0, 1.03), (1.6, 1.3)] {
            let all: Vec<Vec<f64>> = (1..9).map(|variation| drawn(slowness, variation)).collect();
            let exponent = all.iter().map(|values| fluctuation_exponent(values)).sum::<f64>() / 8.0;
            println!("slowness {slowness}: fluctuation exponent {exponent:.2}");
            assert!((exponent - expected).abs() < 0.12, "{slowness}: {exponent}, not {expected}");
            let square = all.iter().flatten().map(|value| value * value).sum::<f64>() / (8.0 * 4096.0);
            assert!((0.6..1.5).contains(&square), "{slowness}: {square}");
        }
    }

    #[test]
    fn groups_drift_by_themselves_and_anywhere_the_same() {
        let dice = Dice::new(3, PassId(2), 0);
        let mut natural = Natural::new(&dice, 1.0);
        let forwards: Vec<f64> = (0..64).map(|at| natural.at(0, f64::from(at))).collect();
        let backwards: Vec<f64> = (0..64).rev().map(|at| natural.at(0, f64::from(at))).collect();
        assert!(forwards.iter().eq(backwards.iter().rev()));
        assert!((0..64).all(|at| natural.at(1, f64::from(at)) != forwards[at as usize]));
    }
}
