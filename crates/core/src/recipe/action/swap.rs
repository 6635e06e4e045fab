use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::kit::{Articulation, Instrument, InstrumentId, Kit, Striking};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::room::LeftOut;
use crate::recipe::names::{Carrier, For, Named};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What hits are put on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum SwapTo {
    /// Another stroke of their own instrument.
    #[default]
    Stroke,
    /// Another instrument.
    Instrument,
    /// A note so many keys away.
    Keys,
}

/// Plays the aimed hits by another stroke, on another instrument or on another note; velocity and time stay. What the kit
/// does not have is left as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Swap {
    /// What they are put on.
    pub to: SwapTo,
    /// The name of the stroke.
    pub stroke: String,
    /// The instrument.
    pub instrument: InstrumentId,
    /// −48 to 48 keys.
    pub keys: f64,
}

impl Default for Swap {
    fn default() -> Swap {
        Swap { to: SwapTo::Stroke, stroke: "side stick".to_owned(), instrument: InstrumentId::new("ride-1"), keys: 1.0 }
    }
}

impl Swap {
    /// The instrument in a kit; an id that once stood for several is the first of them.
    fn found<'k>(&self, kit: &'k Kit) -> Option<&'k Instrument> {
        let found = kit.find(&self.instrument).or_else(|| kit.find(&self.instrument.together().next()?));
        found.map(|(_, instrument)| instrument)
    }

    fn striking(&self, stage: &Stage<'_>, index: usize) -> Option<Striking> {
        match self.to {
            SwapTo::Stroke => stage.stroke_named(index, &self.stroke),
            SwapTo::Instrument => self.found(&stage.chart.kit)?.articulations.first().map(Articulation::striking),
            SwapTo::Keys => stage.keys_away(index, self.keys.round() as i32),
        }
    }
}

impl Act for Swap {
    const INFO: ActionInfo = ActionInfo {
        kind: "swap",
        title: "Swap",
        family: ActionFamily::Hands,
        words: &[
            "articulation",
            "rimshot",
            "side stick",
            "bell",
            "edge",
            "replace",
            "move to",
            "note",
            "transpose",
            "sound",
            "octave",
            "pitch",
            "timbre",
        ],
        sentence: "play {to}[ ({stroke})][ ({instrument})][ ({keys})].",
        brief: "{to}",
        explains: "Another stroke, drum or note; velocity and time stay.",
        points: &[
            point("transpose", r#"{"to": "keys", "keys": 1}"#),
            point("move to", r#"{"to": "instrument"}"#),
            point("octave", r#"{"to": "keys", "keys": 12}"#),
            point("pitch", r#"{"to": "keys", "keys": 1}"#),
            point("rimshot", r#"{"to": "stroke", "stroke": "rimshot"}"#),
            point("bell", r#"{"to": "stroke", "stroke": "bell"}"#),
            point("edge", r#"{"to": "stroke", "stroke": "edge"}"#),
        ],
        settings: &[
            Setting::new(
                "to",
                "to",
                Values::Choice {
                    options: &[
                        ("stroke", "by another stroke"),
                        ("instrument", "on another instrument"),
                        ("keys", "some keys away"),
                    ],
                },
            ),
            Setting::new("stroke", "stroke", Values::Stroke).when("to", "stroke"),
            Setting::new("instrument", "instrument", Values::Instrument).when("to", "instrument"),
            Setting::new("keys", "keys", Values::number(-48.0, 48.0, 1.0, "keys", Some(0.0))).when("to", "keys"),
        ],
    };

    fn check(&self) -> Result<(), (String, String)> {
        let long = |text: &str| text.chars().count() > 80;
        if long(&self.stroke) {
            return Err(("stroke".to_owned(), "the name of a stroke has at most 80 letters".to_owned()));
        }
        if long(self.instrument.as_str()) {
            return Err(("instrument".to_owned(), "the id of an instrument has at most 80 letters".to_owned()));
        }
        Ok(())
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let Swap { to: _, stroke, instrument, keys: _ } = self;
        by.take(Named::Instrument(instrument));
        by.take(Named::Stroke(stroke, For::Use));
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for &index in aimed {
            match self.striking(stage, index) {
                Some(way) => stage.strike_by(index, way),
                None if self.to == SwapTo::Keys => stage.leave_out(LeftOut::Lacking),
                None => {}
            }
        }
    }

    fn said(&self, stage: &Stage<'_>) -> Option<String> {
        let kit = &stage.chart.kit;
        let ways = || kit.instruments.iter().flat_map(|one| &one.articulations);
        match self.to {
            SwapTo::Stroke if !ways().any(|way| way.name == self.stroke) => {
                Some(format!("No drum of this kit has the stroke “{}”.", self.stroke))
            }
            SwapTo::Instrument if self.found(kit).is_none() => Some(format!("This kit has no {}.", self.instrument)),
            _ => None,
        }
    }
}
