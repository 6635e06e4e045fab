//! The few statistics that actions and reports share.

/// The mean; 0 of nothing.
pub fn mean(values: &[f64]) -> f64 {
    if values.is_empty() { 0.0 } else { values.iter().sum::<f64>() / values.len() as f64 }
}

/// The standard deviation of the whole (not of a sample of it); 0 of nothing.
pub fn standard_deviation(values: &[f64]) -> f64 {
    let middle = mean(values);
    let squares: f64 = values.iter().map(|value| (value - middle).powi(2)).sum();
    (squares / values.len().max(1) as f64).sqrt()
}

/// The quantile `share` (0 to 1) of ascending values, straight between neighbours
/// (Hyndman and Fan's type 7); 0 of nothing.
///
/// ```
/// use vivida_core::stats::quantile;
/// assert_eq!(quantile(&[10.0, 20.0, 40.0], 0.5), 20.0);
/// assert_eq!(quantile(&[10.0, 20.0], 0.25), 12.5);
/// ```
pub fn quantile(ascending: &[f64], share: f64) -> f64 {
    let Some(last) = ascending.len().checked_sub(1) else { return 0.0 };
    let place = share.clamp(0.0, 1.0) * last as f64;
    let below = place.floor() as usize;
    let above = (below + 1).min(last);
    ascending[below] + (ascending[above] - ascending[below]) * (place - below as f64)
}

/// Whole values by how often each comes: a histogram, and the figures that it holds.
#[derive(Clone, Copy, Debug)]
pub struct Counts<'a> {
    counts: &'a [u32],
    /// How many values there are.
    pub count: u32,
}

impl<'a> Counts<'a> {
    /// Place n of the counts says how often n comes.
    ///
    /// ```
    /// use vivida_core::stats::Counts;
    /// let counts = Counts::new(&[0, 2, 0, 2]);
    /// assert_eq!((counts.mean(), counts.standard_deviation(), counts.quantile(0.5)), (2.0, 1.0, 2.0));
    /// ```
    pub fn new(counts: &'a [u32]) -> Counts<'a> {
        Counts { counts, count: counts.iter().sum() }
    }

    fn sum(&self, of: impl Fn(f64) -> f64) -> f64 {
        self.counts.iter().zip(0u32..).map(|(&count, value)| f64::from(count) * of(f64::from(value))).sum()
    }

    /// The mean; 0 of nothing.
    pub fn mean(&self) -> f64 {
        self.sum(|value| value) / f64::from(self.count.max(1))
    }

    /// The standard deviation of the whole; 0 of nothing.
    pub fn standard_deviation(&self) -> f64 {
        let middle = self.mean();
        (self.sum(|value| (value - middle).powi(2)) / f64::from(self.count.max(1))).sqrt()
    }

    /// As [`quantile`] of the values in order.
    pub fn quantile(&self, share: f64) -> f64 {
        let Some(last) = self.count.checked_sub(1) else { return 0.0 };
        let place = share.clamp(0.0, 1.0) * f64::from(last);
        let value_at = |place: u32| {
            let mut below = 0;
            let reaches = |count: &u32| {
                below += count;
                below > place
            };
            self.counts.iter().position(reaches).unwrap_or(0) as f64
        };
        let below = value_at(place as u32);
        below + (value_at((place as u32 + 1).min(last)) - below) * place.fract()
    }
}

/// The median of values in any order, which are put in another one; 0 of nothing.
pub fn median(values: &mut [f64]) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    let count = values.len();
    let (below, &mut upper, _) = values.select_nth_unstable_by(count / 2, f64::total_cmp);
    if count % 2 == 1 {
        return upper;
    }
    let lower = below.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    (lower + upper) / 2.0
}

/// The correlation of each value with the next; nothing for fewer than three or where all agree.
pub fn lag_1_correlation(values: &[f64]) -> Option<f64> {
    let middle = mean(values);
    let spread: f64 = values.iter().map(|value| (value - middle).powi(2)).sum();
    if values.len() < 3 || spread < 1e-9 {
        return None;
    }
    let together: f64 = values.windows(2).map(|pair| (pair[0] - middle) * (pair[1] - middle)).sum();
    Some(together / spread)
}

/// A smooth outline of a histogram: every count is spread over its neighbours by a binomial
/// kernel of `2 * reach` steps, and the highest place becomes 255.
pub fn outline(counts: &[u32], reach: usize) -> Vec<u8> {
    let mut kernel = vec![0.0f64; 2 * reach + 1];
    kernel[0] = 1.0;
    for _ in 0..2 * reach {
        for place in (1..kernel.len()).rev() {
            kernel[place] += kernel[place - 1];
        }
    }
    let mut smooth = vec![0.0f64; counts.len()];
    for (place, &count) in counts.iter().enumerate().filter(|&(_, &count)| count > 0) {
        for (offset, weight) in kernel.iter().enumerate() {
            if let Some(target) = (place + offset).checked_sub(reach).filter(|&target| target < counts.len()) {
                smooth[target] += f64::from(count) * weight;
            }
        }
    }
    let highest = smooth.iter().copied().fold(0.0, f64::max);
    smooth.iter().map(|value| if highest > 0.0 { (value / highest * 255.0).round() as u8 } else { 0 }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn medians_of_odd_even_and_none() {
        assert_eq!(median(&mut [5.0, 1.0, 3.0]), 3.0);
        assert_eq!(median(&mut [5.0, 1.0, 3.0, 4.0]), 3.5);
        assert_eq!(median(&mut []), 0.0);
    }

    #[test]
    fn counts_say_what_the_values_say() {
        let values = [3.0, 3.0, 5.0, 9.0, 9.0, 9.0, 20.0];
        let mut counts = [0; 21];
        values.iter().for_each(|&value| counts[value as usize] += 1);
        let counts = Counts::new(&counts);
        assert!((counts.mean() - mean(&values)).abs() < 1e-12);
        assert!((counts.standard_deviation() - standard_deviation(&values)).abs() < 1e-12);
        for tenth in 0..=10 {
            let share = f64::from(tenth) / 10.0;
            assert!((counts.quantile(share) - quantile(&values, share)).abs() < 1e-12, "{share}");
        }
        assert_eq!(Counts::new(&[0; 4]).quantile(0.5), 0.0);
    }

    #[test]
    fn deviation_is_of_the_whole() {
        assert_eq!(standard_deviation(&[2.0, 4.0, 4.0, 4.0, 5.0, 5.0, 7.0, 9.0]), 2.0);
    }

    #[test]
    fn an_alternating_line_correlates_negatively() {
        assert!(lag_1_correlation(&[1.0, -1.0, 1.0, -1.0, 1.0, -1.0]).unwrap() < -0.8);
        assert_eq!(lag_1_correlation(&[3.0, 3.0, 3.0, 3.0]), None);
    }

    #[test]
    fn an_outline_peaks_where_the_hits_are() {
        let mut counts = [0; 128];
        counts[100] = 7;
        let line = outline(&counts, 3);
        assert_eq!(line[100], 255);
        assert!(line[99] > 128 && line[99] < 255 && line[98] == line[102] && line[90] == 0);
        assert!(outline(&[0; 128], 3).iter().all(|&value| value == 0));
    }
}
