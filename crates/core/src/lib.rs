//! The rules and all computation of Vivida. Pure: no files, no clock, no network, no database.
//!
//! A [`Part`] is what came in: its [`Hit`]s are the **Written** reading, and nothing changes them.
//! A [`Kit`] says which notes are which [`Instrument`], and a [`Chart`] holds the part read by it.
//! A [`Recipe`] is a list of [`Pass`]es, each
//! an [`Aim`] (whom) and an [`Action`] (what). [`perform`] turns the part into a [`Performance`],
//! the **Played** reading, in a [`Context`] of tempo, metre and the variation that all dice hang
//! on; [`report`] measures both.
//!
//! # Invariants
//!
//! Each is a property test of its name in `tests/invariants.rs`.
//!
//! 1. `written_is_untouched`: no pass changes the part; without passes Played equals Written.
//! 2. `same_in_same_out`: equal inputs give bit-equal output.
//! 3. `stable_dice`: a hit's draws hang on variation, pass, round and hit alone.
//! 4. `order_kept`: hits of one note never swap and never sound at once, those that choke each other never swap; where one would, its
//!    length is cut. (Hits written at one tick stay together, and what was written overlapping
//!    stays so while no pass changes either.)
//! 5. `in_range`: velocity 1 to 127, no onset before the start, length at least 1 tick.
//! 6. `neutral_is_identity`: an action at its neutral setting changes nothing.
//! 7. `off_is_absent`: a switched-off pass equals a removed one.
//! 8. `only_whom_it_aims_at`: a hit outside the aim keeps velocity, onset and note, and its length
//!    but for the cut of invariant 4; a grace note goes with the hit that it belongs to.
//! 9. `monotone`: Contrast, Limits, Layer, Shape and Level keep the order of velocities.
//! 10. `groove_round_trip`: a groove applied in full to an on-grid part and taken again is the same
//!     groove, within half a tick.
//! 11. `made_hits_are_stable`: what a pass makes has ids that depend on the pass alone; switching it off
//!     removes exactly that, and later passes that name one of them hold.
//! 12. `rounds_differ_only_where_asked`: without fresh dice every round is the first; with fresh dice on some
//!     passes only what hangs on these differs.
//! 13. `kit_in_kit_out`: the notes, channels, offsets and scales that a kit sends by change what is sent alone.
//!
//! # Example
//!
//! ```
//! use vivida_core::*;
//!
//! let ppq = Ppq::new(960).unwrap();
//! let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
//! let hit = |beat: u32| Hit {
//!     id: HitId::new(beat),
//!     tick: Ticks(960.0 * f64::from(beat)),
//!     length: Ticks(120.0),
//!     velocity: Velocity::new(100).unwrap(),
//!     release: 64,
//!     note: Note::new(38).unwrap(),
//!     channel: Channel::PERCUSSION,
//! };
//! let part = Part::new((0..8).map(hit).collect());
//! let chart = Chart::new(&part, Kit::of_drums(&part));
//!
//! let lean = Action::Lean(action::Lean { by: Millis(10.0), ..Default::default() });
//! let recipe = Recipe::of(vec![Pass::new(1, Aim::at("snare"), lean)]);
//! let context = Context::new(&tempo, &metre);
//! let played = perform(&part, &chart, &recipe, &context);
//! assert_eq!(played.written[1].tick, Ticks(979.0));
//! assert_eq!(played.passes[0].touched, 8);
//! ```

mod base;
mod carry;
mod edit;
mod groove;
mod kit;
mod out;
mod part;
mod perform;
mod read;
mod recipe;
mod record;
mod time;

pub use base::field_error::FieldError;
pub use base::property::{Movement, Property};
pub use base::refused::refused;
pub use base::stats;
pub use base::units::{Channel, Millis, Note, Percent, Ppq, Ticks, Velocity};
pub use carry::{Regrouped, Regrouping, join};
pub use edit::bars::{BarPlan, BarsEdit};
pub use edit::drawing::{Draft, Drawing, Edits, Paper, PathPoint, Standing};
pub use edit::gesture::{Bench, Gesture};
pub use edit::versions::{Candidate, Matching, Refit, Versions, match_parts, refit};
pub use groove::extract::{Extracted, Extraction, GrooveFigures, LaidHits, VoiceFigures};
pub use groove::library::OwnGroove;
pub use groove::{GrooveFile, GrooveProfile, GrooveSlot, GrooveSlots};
pub use kit::chart::Chart;
pub use kit::file::KitFile;
pub use kit::meant::{Graces, LinesSetting, Meant};
pub use kit::sample::{Sample, Turns};
pub use kit::{
    Articulation, Family, Hand, Instrument, InstrumentId, Kit, KitLookup, LAYERS, LayerBounds, Limb, Striking,
    VelocityLayer, note_name,
};
pub use out::channels::{MovementOut, SentApart};
pub use part::graces::Ornament;
pub use part::hit::{Hit, HitId, Part};
pub use part::lane::{GoesWith, Lane, LaneKind};
pub use part::slicing::{AudioSource, Slicing};
pub use perform::dice::Dice;
pub use perform::lanes::PlayedLane;
pub use perform::openness::HatPedal;
pub use perform::strokes::StrokeRun;
pub use perform::touch::{InstrumentTouch, Quantiles, TouchProfile};
pub use perform::{
    Context, MadeHit, Making, Origin, PassReport, Performance, PlayedHit, Reason, Rehearsal, Side, Stage, aimed_by,
    perform, touched, touched_by,
};
pub use read::aim_rule::{AimRule, aim_rules};
pub use read::findings::{Cure, Finding, Rule, Thresholds, cures, findings};
pub use read::movement::MovementReading;
pub use read::played_lines::PlayedLines;
pub use read::report::{
    Figures, Measured, MeasuredInstrument, OrnamentCount, PORTRAIT_REACH, Portrait, Report, WorstHit, report,
};
pub use read::starting_points::{StartingPoint, starting_points};
pub use read::steadiness::{Beat, Together};
pub use read::study::{Apart, Study};
pub use read::treatment::{DrumTreatment, Treated, Treatment};
pub use recipe::action;
pub use recipe::action::{Action, ActionInfo, PocketId, PocketSettings, Pockets};
pub use recipe::aim::{
    Aim, AimNumber, AimOffer, ChordPlace, GraceNotes, Near, Positions, Run, RunPlace, Speed, TimeRange, Turned,
    VelocityRange,
};
pub use recipe::property_info::PropertyInfo;
pub use recipe::{Group, GroupId, Pass, PassId, Recipe, RecipeFile};
pub use record::live_touch::{Live, LivePass};
pub use record::recording::{
    Anchor, ClockPair, Device, Latency, Laying, LayingHow, Message, Recording, Round, RoundFigures,
};
pub use time::bars::{BarMoves, BarRange};
pub use time::grid::Grid;
pub use time::lines::Lines;

pub use time::metre::{Bar, Metre, MetreMap};
pub use time::outline::{MetreFrom, Outline, TempoFrom, micros};
pub use time::reference::LinesFrom;
pub use time::section::Section;
pub use time::slots::{Slot, SlotChoice, Slots};
pub use time::swung::{LeftAlone, MovesBy, SwingFigure};
pub use time::tempo::TempoMap;
