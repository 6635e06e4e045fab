//! Actions: what a pass does. Each is a file of its own with its type, its formula and its tests;
//! [`Action`] is the one place where they are registered.

mod accents;
mod arc;
mod by_hand;
mod contrast;
mod draw;
mod fan;
mod fast_hands;
mod ghosts;
mod grace;
mod groove;
mod humanize;
mod lanes;
mod layer;
mod lean;
mod length;
mod level;
mod limits;
mod loosen;
mod match_touch;
mod no_twins;
mod odds;
mod pocket;
mod pull;
mod recolour;
mod rescue;
mod roll;
mod set;
mod shape;
mod silence;
mod sticking;
mod strays;
mod swap;
mod swell;
mod swing;
mod vary;

pub use accents::Accents;
pub use arc::{Arc, ArcLine, ArcPoint, ArcSections};
pub use by_hand::{ByHand, HandHit, HandMove};
pub use contrast::{Around as ContrastAround, Contrast};
pub use draw::Draw;
pub use fan::{Fan, FanOrder};
pub use fast_hands::FastHands;
pub use ghosts::{Ghosts, LeaveFree};
pub use grace::{Drag, Flam};
pub use groove::{Groove, GrooveTempo, GrooveVoice};
pub use humanize::{Humanize, HumanizeHow};
pub use lanes::{
    LaneAnchor, LaneFollow, LaneFollows, LaneLine, LaneOffset, LanePoint, LaneRamp, LaneScale, LaneSmooth, LaneThin,
    LaneWay,
};
pub use layer::Layer;
pub use lean::Lean;
pub use length::{Length, LengthOf};
pub use level::Level;
pub use limits::{Limits, LimitsHow};
pub use loosen::{Drifts, Loosen, Spread, Wanders};
pub use match_touch::Match;
pub use no_twins::{NoTwins, TwinsMove};
pub use odds::Odds;
pub use pocket::{Pocket, PocketId, PocketSettings, Pockets};
pub use pull::{Pull, PullLines};
pub use recolour::{Recolour, Way};
pub use rescue::{GivesUp, Rescue};
pub use roll::{Roll, RollCut, RollMain, RollOver};
pub use set::Set;
pub use shape::Shape;
pub use silence::Silence;
pub use sticking::{Sticking, StickingAcross, StickingFirst, StickingPattern, StickingStart};
pub use strays::{BleedPairs, Strays};
pub use swap::{Swap, SwapTo};
pub use swell::{Curve, Swell, SwellOf};
pub use swing::Swing;
pub use vary::{Vary, VaryHow};

use crate::base::property::Property;
use crate::base::units::Velocity;
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::swung::MovesBy;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;

/// What every action is and does.
pub(crate) trait Act: Serialize + DeserializeOwned + Default {
    /// Its words and settings.
    const INFO: ActionInfo;
    /// Whether it draws anything.
    const DICE: DiceUse = DiceUse::None;

    /// The most hits that it makes from one.
    fn makes(&self) -> usize {
        0
    }

    /// Shows all that it names.
    fn names(&mut self, by: &mut dyn Carrier);

    /// Do it to the aimed indices of the stage.
    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice);

    /// What is wrong beyond single settings being out of range: the setting and why.
    fn check(&self) -> Result<(), (String, String)> {
        Ok(())
    }

    /// What the person should know about doing it here.
    fn said(&self, _stage: &Stage<'_>) -> Option<String> {
        None
    }

    /// The line that it draws over the song.
    fn line(&self, _stage: &Stage<'_>) -> Option<Vec<[f64; 2]>> {
        None
    }

    /// The curves that it draws over the stretches that it aims at.
    fn curves(&self, _stage: &Stage<'_>, _aimed: &[usize]) -> Vec<Vec<[f64; 2]>> {
        Vec::new()
    }

    /// The lines that it moves hits by.
    fn moves_by(&self) -> Option<MovesBy> {
        None
    }

    /// What of the hits it shapes.
    fn property(&self) -> Property {
        Property::Velocity
    }

    /// The lane that it changes, if it changes one.
    fn lane(&self) -> Option<LaneKind> {
        None
    }
}

/// Whether an action has dice, and what they hang on when it is first added.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum DiceUse {
    /// It has none.
    None,
    /// They are the same in every round.
    Some,
    /// They are fresh each round.
    EachRound,
}

/// The families of actions.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
#[ts(rename = "ActionFamily")]
pub enum ActionFamily {
    /// Velocity.
    Touch,
    /// Timing.
    Time,
    /// Limbs and strokes: who plays what, and what is added.
    Hands,
    /// Cleaning: what nobody meant, or could play.
    Tidy,
    /// The lines around the hits: controllers, bend, pressure.
    Lanes,
    /// Single hits, in every respect.
    Hand,
}

/// How an action is shown, found and set. The interface draws any action from this alone.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct ActionInfo {
    /// Its name in JSON.
    pub kind: &'static str,
    /// Its name on screen.
    pub title: &'static str,
    /// Touch, Time …
    pub family: ActionFamily,
    /// Further trade words that find it.
    pub words: &'static [&'static str],
    /// The sentence that follows the aim; `{setting}` stands for a setting. What stands in brackets is
    /// left out while its first setting is neutral, and can be asked for.
    pub sentence: &'static str,
    /// The settings that matter most, in as few words as they take beside a name: `{soft} · {typical}`; of `{one|other}`
    /// the first that means something.
    pub brief: &'static str,
    /// One line for the list of actions.
    pub explains: &'static str,
    /// Trade words that say how the action begins: “compress” with less contrast, “expand” with more.
    pub points: &'static [Point],
    /// In the order of the sentence.
    pub settings: &'static [Setting],
}

/// A trade word and the settings that it points at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
pub struct Point {
    /// What people type.
    pub word: &'static str,
    /// As JSON; what it leaves out is as usual.
    pub to: &'static str,
}

const fn point(word: &'static str, to: &'static str) -> Point {
    Point { word, to }
}

/// One setting of an action.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Setting {
    /// Its name in JSON.
    pub name: &'static str,
    /// Its name for people.
    pub label: &'static str,
    /// What can be put there.
    pub values: Values,
    /// At this value, or at the choice of this place, it need not be in the sentence; by itself that is where it is
    /// neutral.
    pub quiet: Option<f64>,
    /// It means something only while another setting is so; “null” stands for nothing.
    pub when: Option<(&'static str, &'static str)>,
}

impl Setting {
    pub(crate) const fn new(name: &'static str, label: &'static str, values: Values) -> Setting {
        Setting { name, label, values, quiet: None, when: None }
    }

    /// It means something only while another setting, a choice, is so.
    pub(crate) const fn when(self, other: &'static str, is: &'static str) -> Setting {
        Setting { when: Some((other, is)), ..self }
    }

    /// It need not be in the sentence at this value; of a choice, at the option of this place.
    pub(crate) const fn quiet(self, at: f64) -> Setting {
        Setting { quiet: Some(at), ..self }
    }
}

/// What a setting can be.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Values {
    /// A number.
    Number {
        /// Least.
        min: f64,
        /// Greatest.
        max: f64,
        /// One step of the wheel or an arrow key.
        step: f64,
        /// `%`, `ms` or nothing.
        unit: &'static str,
        /// Where it changes nothing (or does its plain thing); a double click returns to it.
        neutral: Option<f64>,
        /// Words for below and above zero, where the sign reads better as a word.
        sides: Option<(&'static str, &'static str)>,
        /// The word for “no number”, where that is possible (`null` in JSON).
        none: Option<&'static str>,
    },
    /// One of a few words.
    Choice {
        /// (name in JSON, words on screen)
        options: &'static [(&'static str, &'static str)],
    },
    /// A value of the property that the pass shapes: in its range and unit.
    Value {
        /// The word for “no value”, where that is possible (`null` in JSON).
        none: Option<&'static str>,
    },
    /// So much more or less of the property that the pass shapes. For velocities within these bounds; for other
    /// properties within what one pass changes of them, on the sides where these have room.
    Change {
        /// Least.
        min: f64,
        /// Greatest.
        max: f64,
    },
    /// The property that the pass shapes.
    Property,
    /// A lane of the part.
    Lane,
    /// A value of the lane that the pass changes.
    LaneValue,
    /// So much more or less of the lane that the pass changes.
    LaneChange,
    /// Points over the bars of the song, in the lane that the pass changes.
    LanePoints,
    /// A grid: `1/16`.
    Grid,
    /// The name of a velocity layer of the kit.
    Layer,
    /// The touch of a reference part.
    Touch,
    /// A groove.
    Groove,
    /// One of the song's pockets.
    Pocket,
    /// A number for each slot of a few bars; for another property than velocity within what one pass changes of it.
    Pattern {
        /// Least.
        min: f64,
        /// Greatest.
        max: f64,
    },
    /// Slots before and after a hit.
    Around {
        /// How many there are to either side.
        farthest: i32,
    },
    /// A stroke of an instrument, by its name.
    Stroke,
    /// An instrument of the kit.
    Instrument,
    /// A few letters.
    Word {
        /// Which.
        letters: &'static str,
        /// At most so many.
        most: u32,
    },
    /// Sounds to choose from, with odds.
    Ways,
    /// Points over the bars of the song.
    Line {
        /// Least.
        min: f64,
        /// Greatest.
        max: f64,
    },
}

impl Values {
    pub(crate) const fn velocity() -> Values {
        Values::number(1.0, 127.0, 1.0, "", None)
    }

    pub(crate) const fn number(min: f64, max: f64, step: f64, unit: &'static str, neutral: Option<f64>) -> Values {
        Values::Number { min, max, step, unit, neutral, sides: None, none: None }
    }

    /// The bounds of a number, and its unit.
    fn bounds(&self, property: Property, lane: Option<LaneKind>) -> Option<(f64, f64, &'static str)> {
        match self {
            Values::Number { min, max, unit, .. } => Some((*min, *max, unit)),
            Values::Value { .. } => {
                let (min, max) = property.range();
                Some((min, max, property.unit()))
            }
            Values::Change { min, max } => {
                let side = |bound: f64| if bound == 0.0 { 0.0 } else { property.change(bound) };
                Some((side(*min), side(*max), property.unit()))
            }
            Values::LaneValue => lane.map(|lane| (lane.range().0, lane.range().1, "")),
            Values::LaneChange => lane.map(|lane| {
                let (least, most) = lane.range();
                (least - most, most - least, "")
            }),
            _ => None,
        }
    }

    fn check(&self, number: f64, property: Property, lane: Option<LaneKind>) -> Result<(), String> {
        let Some((min, max, unit)) = self.bounds(property, lane) else { return Ok(()) };
        if number >= min && number <= max {
            return Ok(());
        }
        Err(format!("{number} is outside {min} to {max}{}{unit}", if unit.is_empty() { "" } else { " " }))
    }
}

fn read<A: Act>(settings: Value) -> Result<A, (String, String)> {
    let all_given = A::INFO.settings.iter().all(|setting| settings.get(setting.name).is_some());
    let given: Vec<(&Setting, f64)> =
        A::INFO.settings.iter().filter_map(|setting| Some((setting, settings.get(setting.name)?.as_f64()?))).collect();
    let action: A = serde_path_to_error::deserialize(settings)
        .map_err(|error| (error.path().to_string(), crate::refused(error.inner())))?;
    // What is usual for one property need not be in the range of another.
    if all_given {
        in_range(&action, given)?
    } else {
        checked(&action)?
    }
    Ok(action)
}

fn checked<A: Act>(action: &A) -> Result<(), (String, String)> {
    if A::INFO.settings.is_empty() {
        return action.check();
    }
    let written = serde_json::to_value(action).map_err(|error| (".".to_owned(), error.to_string()))?;
    in_range(action, A::INFO.settings.iter().filter_map(|setting| Some((setting, written[setting.name].as_f64()?))))
}

/// Whether numbers lie in the range of their settings, and all else is as it should be.
fn in_range<'a, A: Act>(
    action: &A,
    numbers: impl IntoIterator<Item = (&'a Setting, f64)>,
) -> Result<(), (String, String)> {
    for (setting, number) in numbers {
        let checked = setting.values.check(number, action.property(), action.lane());
        checked.map_err(|message| (setting.name.to_owned(), message))?;
    }
    action.check()
}

macro_rules! actions {
    ($($name:ident),+ $(,)?) => {
        /// What a pass does. In JSON an object with `kind` and the action's settings; settings
        /// that are left out take their defaults.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        #[allow(missing_docs)]
        pub enum Action {
            $($name($name)),+
        }

        impl Action {
    /// Whether it moves hits in time by a rule, so that what belongs to them has to be taken along.
    pub(crate) fn moves_in_time(&self) -> bool {
        let as_a_whole = matches!(self, Action::Groove(_) | Action::Pocket(_) | Action::Humanize(_));
        as_a_whole || self.info().family == ActionFamily::Time
    }
}

impl Action {
            /// The words and settings of every action.
            pub fn all() -> Vec<ActionInfo> {
                vec![$($name::INFO),+]
            }

            /// Each action as it is when it is first added.
            pub fn defaults() -> Vec<Action> {
                vec![$(Action::$name($name::default())),+]
            }

            /// Whether each has dice, in the same order.
            pub fn dice() -> Vec<DiceUse> {
                vec![$($name::DICE),+]
            }

            /// The most hits that it makes from one.
            pub(crate) fn makes(&self) -> usize {
                match self {
                    $(Action::$name(action) => action.makes()),+
                }
            }

            /// Shows all that it names.
            pub(crate) fn names(&mut self, by: &mut dyn Carrier) {
                match self {
                    $(Action::$name(action) => action.names(by)),+
                }
            }

            /// Its words and settings.
            pub fn info(&self) -> ActionInfo {
                match self {
                    $(Action::$name(_) => $name::INFO),+
                }
            }

            /// Whether every setting is in range; else the setting's path and what is wrong.
            pub(crate) fn check(&self) -> Result<(), (String, String)> {
                match self {
                    $(Action::$name(action) => checked(action)),+
                }
            }

            pub(crate) fn said(&self, stage: &Stage<'_>) -> Option<String> {
                match self {
                    $(Action::$name(action) => action.said(stage)),+
                }
            }

            pub(crate) fn line(&self, stage: &Stage<'_>) -> Option<Vec<[f64; 2]>> {
                match self {
                    $(Action::$name(action) => action.line(stage)),+
                }
            }

            pub(crate) fn curves(&self, stage: &Stage<'_>, aimed: &[usize]) -> Vec<Vec<[f64; 2]>> {
                match self {
                    $(Action::$name(action) => action.curves(stage, aimed)),+
                }
            }

            pub(crate) fn moves_by(&self) -> Option<MovesBy> {
                match self {
                    $(Action::$name(action) => action.moves_by()),+
                }
            }

            /// What of the hits it shapes.
            pub fn property(&self) -> Property {
                match self {
                    $(Action::$name(action) => action.property()),+
                }
            }

            /// The lane that it changes, if it changes one.
            pub fn lane(&self) -> Option<LaneKind> {
                match self {
                    $(Action::$name(action) => action.lane()),+
                }
            }

            pub(crate) fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
                match self {
                    $(Action::$name(action) => action.act(stage, aimed, dice)),+
                }
            }

            /// From JSON, every setting in range; else the setting's path and what is wrong.
            pub(crate) fn from_value(value: Value) -> Result<Action, (String, String)> {
                let Value::Object(mut fields) = value else {
                    return Err((".".to_owned(), "an action is an object with “kind” and its settings".to_owned()));
                };
                let kind = fields.remove("kind").unwrap_or_default();
                let settings = Value::Object(fields);
                $(
                    if kind == $name::INFO.kind {
                        return Ok(Action::$name(read(settings)?));
                    }
                )+
                let known: Vec<&str> = vec![$($name::INFO.kind),+];
                Err(("kind".to_owned(), format!("{kind} is no action; known are {}", known.join(", "))))
            }
        }
    };
}

actions! {
    Shape, Contrast, Level, Set, Limits, Match, Vary, Draw, Accents, Swell, Arc, FastHands, NoTwins, Layer, Pull,
    Swing, Groove, Pocket, Lean, Humanize, Loosen, Fan, Length, Ghosts, Flam, Drag, Roll, Sticking, Swap, Recolour, Odds,
    Silence, Strays, Rescue, LaneLine, LaneRamp, LaneScale, LaneOffset, LaneSmooth, LaneThin, LaneFollow, LaneAnchor,
    ByHand,
}

/// Whether one velocity is not above another; `field` is named where it is.
fn in_order(field: &str, from: Velocity, to: Velocity) -> Result<(), (String, String)> {
    ascending(field, from.get().into(), to.get().into())
}

/// Whether one number is not above another; `field` is named where it is.
fn ascending(field: &str, from: f64, to: f64) -> Result<(), (String, String)> {
    if from <= to {
        return Ok(());
    }
    Err((field.to_owned(), format!("{from} is above {to}")))
}

/// The setting that says what a pass shapes.
const PROPERTY: Setting = Setting::new("property", "property", Values::Property);

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn every_sentence_names_every_setting() {
        for (info, action) in Action::all().into_iter().zip(Action::defaults()) {
            let written = serde_json::to_value(&action).unwrap();
            assert_eq!(written["kind"], info.kind);
            for setting in info.settings {
                assert!(info.sentence.contains(&format!("{{{}}}", setting.name)), "{}: {}", info.kind, setting.name);
                assert!(written.get(setting.name).is_some(), "{}: {} is no field", info.kind, setting.name);
            }
            if info.family != ActionFamily::Hand {
                assert_eq!(written.as_object().unwrap().len(), info.settings.len() + 1, "{}", info.kind);
            }
            assert_eq!(Action::from_value(written).unwrap(), action);
        }
    }

    /// What means something only while another setting is so has to be in sight then: that one may not be left out of the
    /// sentence at just that value.
    #[test]
    fn no_setting_hangs_on_one_that_is_out_of_sight() {
        for info in Action::all() {
            for (other, is) in info.settings.iter().filter_map(|setting| setting.when) {
                let quiet =
                    info.settings.iter().find(|setting| setting.name == other).map(|one| (one.quiet, &one.values));
                let left_out = match quiet.unwrap_or_else(|| panic!("{}: no {other}", info.kind)) {
                    (Some(at), Values::Choice { options }) => options[at as usize].0 == is,
                    _ => false,
                };
                let may_go = info.sentence.split('[').skip(1).any(|clause| {
                    clause
                        .split(']')
                        .next()
                        .is_some_and(|clause| clause.split('{').nth(1).is_some_and(|first| first.starts_with(other)))
                });
                assert!(!(left_out && may_go), "{}: what hangs on {other} would never be shown", info.kind);
            }
        }
    }

    #[test]
    fn trade_words_point_at_settings_that_do_something() {
        for info in Action::all() {
            for Point { word, to } in info.points {
                let mut wanted: Value = serde_json::from_str(to).unwrap();
                wanted["kind"] = json!(info.kind);
                let action = Action::from_value(wanted).unwrap_or_else(|why| panic!("{word}: {why:?}"));
                assert_eq!(action.info().kind, info.kind);
                assert_eq!(*word, word.to_lowercase());
            }
            let braces = |text: &str| {
                text.split('{').skip(1).filter_map(|rest| rest.split('}').next()).map(str::to_owned).collect::<Vec<_>>()
            };
            for name in braces(info.brief).iter().flat_map(|names| names.split('|')) {
                assert!(info.settings.iter().any(|setting| setting.name == name), "{}: {name} in brief", info.kind);
            }
        }
    }

    #[test]
    fn words_of_the_trade_find_what_they_mean() {
        let found = [
            ("humanise", "humanize"),
            ("randomise", "humanize"),
            ("random velocity", "humanize"),
            ("jitter", "humanize"),
            ("deviation", "humanize"),
            ("position", "lean"),
            ("slide", "lean"),
            ("bias", "lean"),
            ("sit back", "lean"),
            ("offbeat", "accents"),
            ("octave", "swap"),
            ("pitch", "swap"),
            ("timbre", "swap"),
            ("rimshot", "swap"),
            ("chord", "fan"),
            ("strum", "fan"),
            ("scale", "contrast"),
            ("multiply", "contrast"),
            ("percent", "contrast"),
            ("mean", "contrast"),
            ("offset", "level"),
            ("bring down", "level"),
            ("baseline", "set"),
            ("blast", "fast-hands"),
            ("filter", "strays"),
            ("pan", "vary"),
            ("32nd", "roll"),
        ];
        for (word, kind) in found {
            let info = Action::all().into_iter().find(|info| info.kind == kind).expect("an action");
            let known = info.words.contains(&word) || info.points.iter().any(|point| point.word == word);
            assert!(known, "{word} does not find {kind}");
        }
    }

    #[test]
    fn a_wrong_setting_is_named() {
        let refused = |value| Action::from_value(value).unwrap_err();
        assert_eq!(refused(json!({"kind": "contrast", "contrast": 1000})).0, "contrast");
        assert_eq!(refused(json!({"kind": "shape", "soft": 200})).0, "soft");
        assert_eq!(refused(json!({"kind": "level", "by": "loud"})).0, "by");
        assert_eq!(refused(json!({"kind": "level", "bye": 3})).0, "bye");
        assert_eq!(refused(json!({"kind": "sparkle"})).0, "kind");
        assert_eq!(refused(json!(7)).0, ".");
        assert_eq!(refused(json!({"kind": "shape", "soft": 90, "typical": 60, "hard": 100})).0, "soft");
    }
}
