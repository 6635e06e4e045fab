//! A drummer on pads, in numbers: the same every time.

/// A small generator of numbers that only look random (Numerical Recipes' 64-bit LCG, upper bits).
pub struct Chance(u64);

impl Chance {
    pub fn new(seed: u64) -> Chance {
        let mut chance = Chance(seed);
        chance.unit();
        chance
    }

    /// 0 to 1.
    pub fn unit(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as f64 / (1u64 << 31) as f64
    }

    /// −1 to 1, mostly near 0.
    pub fn bell(&mut self) -> f64 {
        (self.unit() + self.unit() + self.unit()) / 1.5 - 1.0
    }

    pub fn happens(&mut self, share: f64) -> bool {
        self.unit() < share
    }
}
