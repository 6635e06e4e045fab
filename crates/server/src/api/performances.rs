//! How a part is played by a recipe.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::HashMap;
use ts_rs::TS;
use vivida_core::{
    Action, ActionInfo, Aim, AimOffer, Gesture, GoesWith, GroupId, HitId, LaneKind, Measured, Note, PassId, PassReport,
    PocketSettings, Property, PropertyInfo, Recipe, Turned, action::DiceUse,
};

/// The played hits in columns: the written ones in their order, and by themselves those that passes made; and
/// what is to be said of them. Single hits go by their id.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PerformanceColumns {
    /// Names the Written that it is of, as the part's state does.
    pub source: String,
    /// Names the timing: where two performances agree in it, so do their timing columns.
    pub timing_key: String,
    /// Nothing where the request said that it has this timing.
    pub timing: Option<TimingColumns>,
    /// Names the velocities, likewise.
    pub touch_key: String,
    /// Nothing where the request said that it has them.
    pub velocities: Option<Vec<u8>>,
    /// The hits that do not sound, and the pass that silenced each.
    pub silenced: Vec<(HitId, PassId)>,
    /// The hand or foot that a pass gave each hit to, a letter for each of them, the written ones first: `L`, `R` or
    /// `-`; empty where no pass gave any.
    pub hands: String,
    /// The written hits that another note plays than was written: the place of its instrument in the kit, the note, and
    /// the place of its stroke among those of the instrument (nothing where it is none of them).
    #[ts(type = "[number, number | null, number, number | null][]")]
    pub elsewhere: Vec<(HitId, Option<u16>, Note, Option<u16>)>,
    /// The hits of a hat that are heard by another note, because the pedal is elsewhere.
    #[ts(type = "[number, number][]")]
    pub by_pedal: Vec<(HitId, Note)>,
    pub bars: BarColumns,
    pub made: MadeColumns,
    /// How hits move, the written ones first and behind them the made ones; of the properties in which any does.
    pub movement: Vec<MovementColumn>,
    /// Names the lanes, likewise.
    pub lanes_key: String,
    /// The part's lanes as they are played. Nothing where the request said that it has them.
    pub lanes: Option<Vec<LaneColumns>>,
    pub passes: Vec<PassReport>,
    /// This reading, measured; of the instruments those that sound.
    pub reading: Measured,
    /// The passes whose aim is turned round, and what of it.
    pub turned: Vec<(PassId, Turned)>,
    /// The recipe after the gestures that were asked for; nothing where there were none.
    pub recipe: Option<Recipe>,
}

/// How hard is struck in each bar, in columns.
#[derive(Clone, Debug, Default, PartialEq, Serialize, TS)]
pub struct BarColumns {
    /// The sum of the velocities that sound: how much is struck.
    pub struck: Vec<u32>,
    /// Their mean, to a tenth; 0 where nothing sounds.
    pub means: Vec<f32>,
}

/// How hits move in one property.
#[derive(Clone, Debug, Serialize, TS)]
pub struct MovementColumn {
    pub property: Property,
    /// In its unit, for each hit.
    pub values: Vec<f32>,
}

/// A line around the hits, in columns: each value holds up to the next.
#[derive(Clone, Debug, Serialize, TS)]
pub struct LaneColumns {
    pub kind: LaneKind,
    /// What people call it.
    pub name: String,
    /// The least and the greatest value.
    pub range: [i16; 2],
    /// What a receiver plays before the first value.
    pub rest: i16,
    pub goes_with: GoesWith,
    /// Passes changed its values.
    pub drawn: bool,
    #[ts(type = "number[]")]
    pub ticks: Vec<i64>,
    pub values: Vec<i16>,
}

/// The hits that passes made, in columns.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct MadeColumns {
    pub ids: Vec<HitId>,
    /// The pass that made each.
    pub passes: Vec<PassId>,
    /// The hit that each was made from, if from one.
    pub parents: Vec<Option<HitId>>,
    /// Where each belongs in the metre, in ticks.
    pub anchors: Vec<f64>,
    #[ts(type = "number[]")]
    pub ticks: Vec<i64>,
    /// From the start of the song, in hundredths of a millisecond.
    #[ts(type = "number[]")]
    pub at: Vec<i64>,
    /// How long each lasts, likewise.
    #[ts(type = "number[]")]
    pub lasts: Vec<i64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<Note>,
    /// The place of each one's instrument in the kit; nothing where the kit does not know its note.
    pub instruments: Vec<Option<u16>>,
    /// The place of each one's stroke among those of its instrument.
    pub strokes: Vec<Option<u16>>,
    pub lines: LineColumns,
}

/// The lines that hits are meant for, in columns.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct LineColumns {
    pub ticks: Vec<f64>,
    pub seconds: Vec<f64>,
    /// The bar of each, from 1.
    pub bars: Vec<u32>,
    /// Where in the bar each is, in words: its place in `names`.
    pub places: Vec<u16>,
    /// beat 2&, beat 3 ⅓ …
    pub names: Vec<String>,
}

/// When the hits sound, by how much that is not as it was written: small whole numbers travel fast.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct TimingColumns {
    #[ts(type = "number[]")]
    pub ticks: Vec<i64>,
    /// In hundredths of a millisecond.
    #[ts(type = "number[]")]
    pub at: Vec<i64>,
    /// The places in the columns of hits that do not last as long as they were written, and how long they do,
    /// likewise.
    #[ts(type = "[number, number][]")]
    pub lasts: Vec<(u32, i64)>,
    /// The places in the columns of hits that are played on other lines than they were written for, and these, in ticks
    /// and in hundredths of a millisecond.
    #[ts(type = "[number, number, number][]")]
    pub lines: Vec<(u32, f64, i64)>,
}

/// An action as it can be added.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ActionOffer {
    pub info: ActionInfo,
    pub start: Action,
    pub dice: DiceUse,
}

/// What can be added to a part, and what its words mean.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Vocabulary {
    pub actions: Vec<ActionOffer>,
    /// What of hits can be shaped.
    pub properties: Vec<PropertyInfo>,
    /// The lanes that people ask for most, to be drawn where a part has none.
    pub lanes: Vec<LaneOffer>,
    /// All other controllers.
    pub other_lanes: Vec<LaneOffer>,
    /// What aims can be narrowed by.
    pub aim: AimOffer,
}

/// A lane that can be added.
#[derive(Clone, Debug, Serialize, TS)]
pub struct LaneOffer {
    pub kind: LaneKind,
    pub name: String,
    /// The least and the greatest value.
    pub range: [i16; 2],
}

/// An action that is heard before it is taken.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Audition {
    #[serde(default)]
    pub aim: Aim,
    #[ts(type = "Action")]
    pub action: Value,
}

/// A recipe to be played without keeping it.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PerformRequest {
    #[ts(type = "Recipe")]
    pub recipe: Value,
    /// What is done to the recipe before it is played, one on top of the other.
    #[serde(default)]
    #[ts(optional, as = "Option<Vec<Gesture>>")]
    pub gestures: Vec<Gesture>,
    pub variation: u32,
    pub round: u32,
    /// Only this pass is heard; nothing hears all.
    #[serde(default)]
    #[ts(optional)]
    pub alone: Option<PassId>,
    /// Only this group is heard.
    #[serde(default)]
    #[ts(optional)]
    pub alone_group: Option<GroupId>,
    /// What is listened to behind the passes, before it is taken.
    #[serde(default)]
    #[ts(optional)]
    pub audition: Option<Audition>,
    /// Ask for the hits that this pass changes instead.
    #[ts(optional)]
    pub touched_by: Option<u32>,
    /// Ask for the rules that name these hits instead.
    #[serde(default)]
    #[ts(optional)]
    pub rules_for: Option<Vec<HitId>>,
    /// With `touched_by`: ask for the hits that it aims at, whether it changes them or not.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub aimed: bool,
    /// The `timing_key` of the timing columns that are known already.
    #[serde(default)]
    #[ts(optional)]
    pub timing: Option<String>,
    /// The `touch_key` of the velocities that are known already.
    #[serde(default)]
    #[ts(optional)]
    pub touch: Option<String>,
    /// The `lanes_key` of the lanes that are known already.
    #[serde(default)]
    #[ts(optional)]
    pub lanes: Option<String>,
    /// The settings of pockets that are being changed, in the place of those that are kept.
    #[serde(default)]
    #[ts(optional, as = "Option<HashMap<u32, PocketSettings>>")]
    pub pockets: HashMap<u32, Value>,
}
