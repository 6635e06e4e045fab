//! What of a hit can be shaped: how hard it is struck, and how it moves in pitch, place, level and brightness.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A property of hits that passes shape. All but velocity are **movement**: they lie beside the velocity, begin at 0,
/// and 0 changes nothing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Property {
    /// How hard: 1 to 127.
    #[default]
    Velocity,
    /// How much higher: −1200 to 1200 cents.
    Pitch,
    /// How far from where it stands in the stereo field: −100 % (left) to 100 % (right).
    Place,
    /// How much louder: −24 to 24 dB.
    Level,
    /// How much brighter: −100 to 100 %. In the built-in kit 100 % are 12 dB above 4 kHz.
    Brightness,
}

impl Property {
    /// Velocity, and then the movement.
    pub const ALL: [Property; 5] =
        [Property::Velocity, Property::Pitch, Property::Place, Property::Level, Property::Brightness];
    /// All but velocity.
    pub const MOVEMENT: [Property; 4] = [Property::Pitch, Property::Place, Property::Level, Property::Brightness];

    /// Least and greatest, in its unit.
    pub fn range(self) -> (f64, f64) {
        match self {
            Property::Velocity => (1.0, 127.0),
            Property::Pitch => (-1200.0, 1200.0),
            Property::Level => (-24.0, 24.0),
            Property::Place | Property::Brightness => (-100.0, 100.0),
        }
    }

    /// The most that one pass adds or takes away, where it is `velocity` for velocities.
    pub(crate) fn change(self, velocity: f64) -> f64 {
        match self {
            Property::Velocity => velocity,
            other => velocity.signum() * other.range().1,
        }
    }

    /// cents, %, dB or nothing.
    pub fn unit(self) -> &'static str {
        match self {
            Property::Velocity => "",
            Property::Pitch => "cents",
            Property::Level => "dB",
            Property::Place | Property::Brightness => "%",
        }
    }

    /// A picture of it reaches at least so far to either side of 0.
    pub(crate) fn near(self) -> f64 {
        match self {
            Property::Velocity => 127.0,
            Property::Level => 5.0,
            Property::Pitch | Property::Place | Property::Brightness => 50.0,
        }
    }

    /// Held in its range.
    pub(crate) fn held(self, value: f64) -> f64 {
        let (least, most) = self.range();
        value.clamp(least, most)
    }

    /// Its place among [`Property::MOVEMENT`]; nothing for velocity.
    pub(crate) fn column(self) -> Option<usize> {
        Property::MOVEMENT.iter().position(|one| *one == self)
    }
}

/// How a hit moves besides its velocity; all 0 is as the sound is. Rounded to tenths on output.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Movement {
    /// −1200 to 1200 cents.
    #[serde(skip_serializing_if = "is_zero")]
    #[ts(optional, as = "Option<f32>")]
    pub pitch: f32,
    /// −100 to 100 %.
    #[serde(skip_serializing_if = "is_zero")]
    #[ts(optional, as = "Option<f32>")]
    pub place: f32,
    /// −24 to 24 dB.
    #[serde(skip_serializing_if = "is_zero")]
    #[ts(optional, as = "Option<f32>")]
    pub level: f32,
    /// −100 to 100 %.
    #[serde(skip_serializing_if = "is_zero")]
    #[ts(optional, as = "Option<f32>")]
    pub brightness: f32,
}

fn is_zero(value: &f32) -> bool {
    *value == 0.0
}

impl Movement {
    /// None at all.
    pub const NONE: Movement = Movement { pitch: 0.0, place: 0.0, level: 0.0, brightness: 0.0 };

    /// Of values in the order of [`Property::MOVEMENT`], each held in range and rounded to tenths.
    pub(crate) fn rounded(values: [f64; 4]) -> Movement {
        let of = |column: usize| {
            let tenths = (Property::MOVEMENT[column].held(values[column]) * 10.0).round();
            // Without a sign where there is nothing.
            (if tenths == 0.0 { 0.0 } else { tenths / 10.0 }) as f32
        };
        Movement { pitch: of(0), place: of(1), level: of(2), brightness: of(3) }
    }

    /// In the order of [`Property::MOVEMENT`].
    pub fn values(&self) -> [f64; 4] {
        [self.pitch, self.place, self.level, self.brightness].map(f64::from)
    }

    /// Of one property; 0 for velocity.
    pub fn of(&self, property: Property) -> f64 {
        property.column().map_or(0.0, |column| self.values()[column])
    }

    /// The same with one property changed by so much, held in its range.
    pub(crate) fn changed(&self, property: Property, by: f64) -> Movement {
        let mut values = self.values();
        if let Some(column) = property.column() {
            values[column] += by;
        }
        Movement::rounded(values)
    }

    /// Whether it changes nothing.
    pub fn is_none(&self) -> bool {
        *self == Movement::NONE
    }

    /// What is out of range: the property.
    pub(crate) fn check(&self) -> Result<(), Property> {
        let out = Property::MOVEMENT.into_iter().zip(self.values()).find(|(property, value)| {
            let (least, most) = property.range();
            !(least..=most).contains(value)
        });
        out.map_or(Ok(()), |(property, _)| Err(property))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn starts_are_in_range_and_know_what_they_shape() {
        for property in Property::ALL {
            for start in property.info().starts {
                start.check().unwrap_or_else(|why| panic!("{property:?} {start:?}: {why:?}"));
                assert_eq!(start.property(), property);
            }
        }
    }

    #[test]
    fn movement_is_held_in_range_and_rounded() {
        let movement = Movement::rounded([5000.0, -0.04, 1.26, f64::from(-7)]);
        assert_eq!(movement, Movement { pitch: 1200.0, place: 0.0, level: 1.3, brightness: -7.0 });
        assert_eq!(serde_json::to_string(&movement).unwrap(), r#"{"pitch":1200.0,"level":1.3,"brightness":-7.0}"#);
        assert!(movement.check().is_ok() && Movement { level: 25.0, ..movement }.check() == Err(Property::Level));
        assert!(Movement { pitch: f32::NAN, ..movement }.check().is_err());
    }
}
