//! How properties are shown and set, and by which actions.

use crate::base::property::Property;
use crate::recipe::action::{Accents, Action, Draw, Shape, Swell, Vary};
use serde::Serialize;
use ts_rs::TS;

/// How a property is shown and set.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct PropertyInfo {
    /// Its name in JSON.
    pub name: Property,
    /// Its name in a sentence.
    pub noun: &'static str,
    /// Least and greatest.
    pub range: [f64; 2],
    /// The most that one pass adds or takes away.
    pub change: f64,
    /// One step of the wheel or an arrow key.
    pub step: f64,
    /// A picture of it reaches at least so far to either side of 0.
    pub near: f64,
    /// cents, %, dB or nothing.
    pub unit: &'static str,
    /// Words for less of it and for more of it.
    pub less_more: [&'static str; 2],
    /// Words for its ends.
    pub low_high: [&'static str; 2],
    /// The actions that shape it, as they begin.
    pub starts: Vec<Action>,
}

impl Property {
    /// How it is shown and set.
    pub fn info(self) -> PropertyInfo {
        let (noun, less_more, low_high) = match self {
            Property::Velocity => ("velocity", ["softer", "louder"], ["soft", "hard"]),
            Property::Pitch => ("pitch", ["lower", "higher"], ["low", "high"]),
            Property::Place => ("place", ["further left", "further right"], ["left", "right"]),
            Property::Level => ("level", ["quieter", "louder"], ["quiet", "loud"]),
            Property::Brightness => ("brightness", ["darker", "brighter"], ["dark", "bright"]),
        };
        let (least, most) = self.range();
        let step = if self == Property::Level { 0.1 } else { 1.0 };
        PropertyInfo {
            name: self,
            noun,
            range: [least, most],
            change: self.change(64.0),
            step,
            near: self.near(),
            unit: self.unit(),
            less_more,
            low_high,
            starts: self.starts(),
        }
    }

    /// The actions that shape it, as they begin: a little of it.
    fn starts(self) -> Vec<Action> {
        let (shape, vary, swell) = (Shape::default(), Vary::default(), Swell::default());
        let (draw, accents) = (Draw::default(), Accents::default());
        // A little to either side: what is just heard from hit to hit.
        let little = match self {
            Property::Velocity => {
                return vec![
                    Action::Shape(shape),
                    Action::Vary(vary),
                    Action::Draw(draw),
                    Action::Accents(accents),
                    Action::Swell(swell),
                ];
            }
            Property::Pitch | Property::Place | Property::Brightness => 20.0,
            Property::Level => 1.5,
        };
        let property = self;
        let scale = little / 16.0;
        let pattern = accents.pattern.iter().map(|one| (one * scale * 10.0).round() / 10.0).collect();
        vec![
            Action::Shape(Shape {
                soft: Some(-little),
                typical: Some(0.0),
                hard: Some(little),
                follow: crate::Percent(0.0),
                property,
                ..shape
            }),
            Action::Vary(Vary { by: little, property, ..vary }),
            Action::Draw(Draw { from: -little, to: little, property, ..draw }),
            Action::Accents(Accents { pattern, property, ..accents }),
            Action::Swell(Swell { from: 0.0, to: 5.0 * little, property, ..swell }),
        ]
    }
}
