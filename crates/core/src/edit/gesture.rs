//! Gestures: what a person does to hits, portraits and passes, turned into another recipe.
//!
//! A screen says what was done ("these hits, so much louder", "pull this handle so far", "draw here"); what
//! passes come of it is decided here. A drag sends the same gesture again and again, always counted from the
//! recipe that it began with.

use crate::base::field_error::FieldError;
use crate::base::property::Property;
use crate::base::units::{Channel, Millis, Note, Percent, Ticks, Velocity};
use crate::edit::drawing::{Draft, Drawing, Edits, Paper, Standing, usual_stroke};
use crate::groove::extract::Extraction;
use crate::groove::{GrooveProfile, GrooveSlot};
use crate::kit::InstrumentId;
use crate::kit::chart::Chart;
use crate::part::hit::{HitId, Part};
use crate::part::lane::LaneKind;
use crate::perform::{Context, Performance, PlayedHit, perform};
use crate::read::report::{Figures, Measured};
use crate::recipe::action::{
    Action, Arc, ByHand, Contrast, ContrastAround, Groove, GrooveVoice, HandHit, HandMove, Lean, Level, Loosen, Pull,
    Shape, Values,
};
use crate::recipe::aim::{Aim, Turned};
use crate::recipe::{Group, GroupId, Pass, PassId, Recipe};
use serde::Deserialize;
use serde_json::{Value, json};
use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use ts_rs::TS;

/// What a person does.
#[derive(Clone, Debug, PartialEq, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Gesture {
    /// Hits moved by hand: harder by so much, later by so many ms, or by so many ticks at a place.
    MoveHits {
        /// Which.
        hits: Vec<HitId>,
        /// −126 to 126.
        #[serde(default)]
        velocity: f64,
        /// ms
        #[serde(default)]
        time: Millis,
        /// So far as the pointer went.
        #[serde(default)]
        ticks: Ticks,
        /// Where the pointer was, for the tempo there.
        #[serde(default)]
        at: Ticks,
    },
    /// Hits at one velocity, whatever it was.
    SetHits {
        /// Which.
        hits: Vec<HitId>,
        /// How hard.
        velocity: Velocity,
    },
    /// Hits at a velocity each, as a brush goes over them.
    PaintHits {
        /// Which.
        hits: Vec<HitId>,
        /// How hard each.
        velocities: Vec<Velocity>,
    },
    /// Hits on another instrument; their velocity stays.
    PutOn {
        /// Which.
        hits: Vec<HitId>,
        /// The other instrument.
        instrument: InstrumentId,
        /// By which of its strokes; nothing means the usual one.
        #[serde(default)]
        #[ts(optional, as = "Option<String>")]
        stroke: Option<String>,
    },
    /// Hits by another stroke, each of its own instrument; velocity and time stay. Those whose instrument has none of that
    /// name stay as they are.
    StrikeBy {
        /// Which.
        hits: Vec<HitId>,
        /// The name of the stroke.
        stroke: String,
    },
    /// Hits so many keys higher. What would leave 0 to 127 stays.
    Transpose {
        /// Which.
        hits: Vec<HitId>,
        /// −127 to 127.
        keys: i32,
    },
    /// Hits that end later, or earlier.
    Lengthen {
        /// Which.
        hits: Vec<HitId>,
        /// By so much; none becomes shorter than a tick.
        ticks: Ticks,
    },
    /// Hits moved by hand in pitch, place, level or brightness, by so much in its unit.
    MoveIn {
        /// Which.
        hits: Vec<HitId>,
        /// In what; velocity is moved, too.
        property: Property,
        /// By how much.
        by: f64,
    },
    /// Hits taken out. What was added by hand vanishes; everything else stays visible, but does not sound.
    TakeOut {
        /// Which.
        hits: Vec<HitId>,
    },
    /// Hits that were taken out by hand, or silenced by a pass, back again.
    BringBack {
        /// Which.
        hits: Vec<HitId>,
    },
    /// A hit put in.
    AddHit {
        /// On this instrument.
        instrument: InstrumentId,
        /// Where the pointer was.
        tick: Ticks,
        /// How hard.
        velocity: Velocity,
        /// On the nearest line of the part's grid, else where the pointer was.
        snapped: bool,
        /// By which stroke; nothing means the usual one.
        #[serde(default)]
        #[ts(optional, as = "Option<String>")]
        stroke: Option<String>,
    },
    /// Copies of hits, so much later.
    CopyHits {
        /// Which.
        hits: Vec<HitId>,
        /// Counted in quarter notes.
        quarters: f64,
    },
    /// Each hit cut in two, the second half as loud.
    CutHits {
        /// Which.
        hits: Vec<HitId>,
    },
    /// The handles of an instrument's touch, each moved by so much of the property: steps of velocity, cents …
    ShapeBy {
        /// Whose.
        instrument: InstrumentId,
        /// Of what; velocity where absent.
        #[serde(default)]
        #[ts(optional, as = "Option<Property>")]
        property: Property,
        /// The 10th percentile.
        #[serde(default)]
        #[ts(optional)]
        soft: Option<f64>,
        /// The median.
        #[serde(default)]
        #[ts(optional)]
        typical: Option<f64>,
        /// The 90th percentile.
        #[serde(default)]
        #[ts(optional)]
        hard: Option<f64>,
    },
    /// Drums made so much harder, each by a pass of its own; counted from what that pass does.
    LevelBy {
        /// Which.
        instruments: Vec<InstrumentId>,
        /// Steps of velocity.
        by: f64,
    },
    /// The velocities of drums spread so much wider around their mean, each by a pass of its own; counted from what that
    /// pass does.
    ContrastBy {
        /// Which.
        instruments: Vec<InstrumentId>,
        /// %
        by: f64,
    },
    /// The middle of an instrument's timing, so much later.
    LeanBy {
        /// Whose.
        instrument: InstrumentId,
        /// ms
        by: Millis,
    },
    /// The sides of an instrument's timing, so much further apart. What is spread is pulled to its grid or
    /// pushed away from it; what lies on the grid is loosened.
    SpreadBy {
        /// Whose.
        instrument: InstrumentId,
        /// ms of standard deviation.
        by: Millis,
    },
    /// A slot of an instrument's groove, drawn: so many cells later and so many times as loud.
    DrawSlot {
        /// Whose.
        instrument: InstrumentId,
        /// From 1.
        slot: u32,
        /// Shares of a cell.
        cells: f64,
        /// A factor.
        louder: f64,
    },
    /// A setting of a pass. Settings that bound one another push: raised above its upper neighbour, one
    /// takes it along.
    Set {
        /// Which pass.
        pass: PassId,
        /// By its name in JSON.
        setting: String,
        /// What it becomes.
        #[ts(type = "unknown")]
        value: Value,
    },
    /// A pass switched on or off, called something else, aimed at others. What is absent stays.
    ChangePass {
        /// Which pass.
        pass: PassId,
        /// Whether it is on.
        #[serde(default)]
        #[ts(optional)]
        on: Option<bool>,
        /// Whether its dice are fresh each round.
        #[serde(default)]
        #[ts(optional)]
        fresh: Option<bool>,
        /// A name of the person's own.
        #[serde(default)]
        #[ts(optional)]
        name: Option<String>,
        /// Whom.
        #[serde(default)]
        #[ts(optional)]
        aim: Option<Box<Aim>>,
    },
    /// A pass done so many places later, or earlier.
    MovePass {
        /// Which pass.
        pass: PassId,
        /// Later is positive.
        by: i32,
    },
    /// A pass taken out of the list.
    DeletePass {
        /// Which pass.
        pass: PassId,
    },
    /// A stroke of the pencil, by hand.
    Draw {
        /// What.
        drawing: Drawing,
    },
    /// Passes put behind those that are there, with ids of their own; or in their place.
    AddPasses {
        /// The passes of a recipe, whatever ids they have.
        #[ts(type = "Pass[]")]
        passes: Value,
        /// The groups that these are in.
        #[serde(default)]
        #[ts(optional, type = "Group[]")]
        groups: Option<Value>,
        /// In the place of those that are there.
        #[serde(default)]
        instead: bool,
        /// As one group of this name, if they are several.
        #[serde(default)]
        #[ts(optional)]
        named: Option<String>,
    },
    /// Passes made a group, one behind the other where the first of them is.
    GroupPasses {
        /// Which.
        passes: Vec<PassId>,
        /// What it is called.
        name: String,
    },
    /// A group switched on or off, called something else, or as far as another amount. What is absent stays.
    ChangeGroup {
        /// Which.
        group: GroupId,
        /// Whether it is on.
        #[serde(default)]
        #[ts(optional)]
        on: Option<bool>,
        /// Its name.
        #[serde(default)]
        #[ts(optional)]
        name: Option<String>,
        /// 0 to 150 %.
        #[serde(default)]
        #[ts(optional)]
        amount: Option<Percent>,
    },
    /// A group and its passes, done so many places later, or earlier; another group counts as one.
    MoveGroup {
        /// Which.
        group: GroupId,
        /// Later is positive.
        by: i32,
    },
    /// A group and its passes taken out of the list.
    DeleteGroup {
        /// Which.
        group: GroupId,
    },
    /// A group given up: its passes stay where they are.
    Ungroup {
        /// Which.
        group: GroupId,
    },
    /// A pass taken out of its group, to behind it.
    LeaveGroup {
        /// Which pass.
        pass: PassId,
    },
    /// A pass turned into one for each drum that it aims at, with equal settings.
    PassForEach {
        /// Which pass.
        pass: PassId,
    },
    /// A second one behind a pass, with an id of its own.
    DuplicatePass {
        /// Which pass.
        pass: PassId,
        /// Aimed at what the first one leaves out.
        #[serde(default)]
        others: bool,
    },
}

/// Farther than any song, hour or drag goes.
const FAR: f64 = 1e9;

impl Gesture {
    /// Whether its numbers are such as a pointer could have made.
    fn check(&self) -> Result<(), FieldError> {
        let numbers: &[(&str, f64)] = match self {
            Gesture::MoveHits { velocity, time, ticks, at, .. } => {
                &[("velocity", *velocity), ("time", time.0), ("ticks", ticks.0), ("at", at.0)]
            }
            Gesture::AddHit { tick, .. } => &[("tick", tick.0)],
            Gesture::MoveIn { by, .. } => &[("by", *by)],
            Gesture::CopyHits { quarters, .. } => &[("quarters", *quarters)],
            Gesture::ShapeBy { soft, typical, hard, .. } => &[
                ("soft", soft.unwrap_or_default()),
                ("typical", typical.unwrap_or_default()),
                ("hard", hard.unwrap_or_default()),
            ],
            Gesture::LeanBy { by, .. } | Gesture::SpreadBy { by, .. } => &[("by", by.0)],
            Gesture::LevelBy { by, .. } | Gesture::ContrastBy { by, .. } => &[("by", *by)],
            Gesture::DrawSlot { cells, louder, .. } => &[("cells", *cells), ("louder", *louder)],
            _ => &[],
        };
        match numbers.iter().find(|(_, number)| !(-FAR..=FAR).contains(number)) {
            Some((field, number)) => Err(wrong(field, format!("{number} is farther than a gesture goes"))),
            None => Ok(()),
        }
    }
}

/// What a gesture is made on: the open take and how it is played.
pub struct Bench<'a> {
    part: &'a Part,
    chart: &'a Chart,
    context: &'a Context<'a>,
    end: Ticks,
}

type Done = Result<Recipe, FieldError>;

impl<'a> Bench<'a> {
    /// A bench for a part in its context.
    pub fn new(part: &'a Part, chart: &'a Chart, context: &'a Context<'a>) -> Bench<'a> {
        let last = context.metre.bar_at(Ticks((part.end().0 - 1.0).max(0.0)));
        Bench { part, chart, context, end: last.start + last.length }
    }

    /// The same in a song that goes on behind the part: drawing may go up to there.
    pub fn until(self, end: Ticks) -> Bench<'a> {
        Bench { end: if end > self.end { end } else { self.end }, ..self }
    }

    /// The recipe after a gesture.
    ///
    /// ```
    /// use vivida_core::*;
    /// # let ppq = Ppq::new(960).unwrap();
    /// # let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    /// # let hit = Hit { id: HitId::new(0), tick: Ticks(0.0), length: Ticks(9.0), velocity: Velocity::MAX, release: 64,
    /// #     note: Note::new(38).unwrap(), channel: Channel::PERCUSSION };
    /// # let part = Part::new(vec![hit]);
    /// # let chart = Chart::new(&part, Kit::of_drums(&part));
    /// # let context = Context::new(&tempo, &metre);
    /// let lean = Gesture::LeanBy { instrument: InstrumentId::new("snare"), by: Millis(7.4) };
    /// let recipe = Bench::new(&part, &chart, &context).after(&Recipe::default(), &lean)?;
    /// let Action::Lean(lean) = &recipe.passes[0].action else { panic!() };
    /// assert_eq!(lean.by, Millis(7.5));
    /// # Ok::<(), FieldError>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Where the gesture names what is not there, or what comes of it is no good recipe.
    pub fn after(&self, recipe: &Recipe, gesture: &Gesture) -> Done {
        gesture.check()?;
        let now = Now::on(self, recipe);
        let after = match gesture {
            Gesture::MoveHits { hits, velocity, time, ticks, at } => {
                let by = *time + self.context.tempo.millis_of(*ticks, *at);
                now.moved(hits, *velocity, by)
            }
            Gesture::SetHits { hits, velocity } => now.set(hits, *velocity),
            Gesture::PaintHits { hits, velocities } => now.painted(hits, velocities),
            Gesture::MoveIn { hits, property, by } => now.moved_in(hits, *property, *by),
            Gesture::PutOn { hits, instrument, stroke } => now.put_on(hits, instrument, stroke.as_deref()),
            Gesture::StrikeBy { hits, stroke } => now.struck_by(hits, stroke),
            Gesture::Transpose { hits, keys } => now.transposed(hits, *keys),
            Gesture::Lengthen { hits, ticks } => now.lengthened(hits, *ticks),
            Gesture::TakeOut { hits } => now.taken_out(hits),
            Gesture::BringBack { hits } => now.brought_back(hits),
            Gesture::AddHit { instrument, tick, velocity, snapped, stroke } => {
                now.added(now.stroke_or_usual(instrument, stroke.as_deref())?, *tick, *velocity, *snapped)
            }
            Gesture::CopyHits { hits, quarters } => now.copied(hits, *quarters),
            Gesture::CutHits { hits } => now.cut(hits),
            Gesture::Draw { drawing } => now.sketched(drawing),
            Gesture::ShapeBy { instrument, property, soft, typical, hard } => {
                now.shaped(instrument, *property, [("hard", *hard), ("typical", *typical), ("soft", *soft)])
            }
            Gesture::LevelBy { instruments, by } => {
                let from = Action::Level(Level::default());
                now.each_set(instruments, &from, "by", *by, (-126.0, 126.0))
            }
            Gesture::ContrastBy { instruments, by } => {
                let from = Contrast { contrast: Percent(100.0), around: ContrastAround::Mean, ..Contrast::default() };
                now.each_set(instruments, &Action::Contrast(from), "contrast", *by, (0.0, 400.0))
            }
            Gesture::LeanBy { instrument, by } => now.leaned(instrument, *by),
            Gesture::SpreadBy { instrument, by } => now.spread(instrument, *by),
            Gesture::DrawSlot { instrument, slot, cells, louder } => now.drawn(instrument, *slot, *cells, *louder),
            Gesture::Set { pass, setting, value } => with_setting(recipe, *pass, setting, value.clone()),
            Gesture::AddPasses { passes, groups, instead, named } => {
                let groups = groups.clone().unwrap_or_else(|| json!([]));
                let mut new = self.begun(Recipe::from_value(json!({ "passes": passes, "groups": groups }))?);
                if let Some(name) = named.as_ref().filter(|_| new.passes.len() > 1) {
                    let id = GroupId(1);
                    new.passes.iter_mut().for_each(|pass| pass.group = Some(id));
                    new.groups = vec![Group::new(id, name)];
                }
                if *instead { Ok(Recipe::default().followed_by(&new)) } else { Ok(recipe.followed_by(&new)) }
            }
            Gesture::GroupPasses { passes, name } => grouped(recipe, passes, name),
            Gesture::ChangeGroup { group, on, name, amount } => {
                let mut recipe = recipe.clone();
                let one = recipe.groups.iter_mut().find(|one| one.id == *group).ok_or_else(|| no_group(*group))?;
                one.on = on.unwrap_or(one.on);
                one.amount = amount.unwrap_or(one.amount);
                one.name = name.clone().unwrap_or_else(|| one.name.clone());
                Ok(recipe)
            }
            Gesture::MoveGroup { group, by } => moved_group(recipe, *group, *by),
            Gesture::DeleteGroup { group } => {
                recipe.group(*group).ok_or_else(|| no_group(*group))?;
                let mut recipe = recipe.clone();
                recipe.passes.retain(|pass| pass.group != Some(*group));
                Ok(recipe.tidied())
            }
            Gesture::Ungroup { group } => {
                recipe.group(*group).ok_or_else(|| no_group(*group))?;
                let mut recipe = recipe.clone();
                recipe.groups.retain(|one| one.id != *group);
                Ok(recipe.tidied())
            }
            Gesture::LeaveGroup { pass } => {
                let place = place_of(recipe, *pass)?;
                let mut recipe = recipe.clone();
                let mut left = recipe.passes.remove(place);
                let group = left.group.take().ok_or_else(|| wrong("pass", "it is in no group"))?;
                let behind = recipe.passes.iter().rposition(|one| one.group == Some(group));
                recipe.passes.insert(behind.map_or(place, |last| last + 1), left);
                Ok(recipe.tidied())
            }
            Gesture::PassForEach { pass } => now.parted(*pass),
            Gesture::DuplicatePass { pass, others } => duplicated(recipe, *pass, *others),
            Gesture::ChangePass { pass, on, fresh, name, aim } => {
                let place = place_of(recipe, *pass)?;
                let mut recipe = recipe.clone();
                let one = &mut recipe.passes[place];
                one.on = on.unwrap_or(one.on);
                one.fresh = fresh.unwrap_or(one.fresh);
                one.name = name.clone().or(one.name.take());
                if let Some(aim) = aim {
                    one.aim = Aim::clone(aim);
                }
                Ok(recipe)
            }
            Gesture::MovePass { pass, by } => {
                let place = place_of(recipe, *pass)?;
                let mut recipe = recipe.clone();
                let mut moved = recipe.passes.remove(place);
                let to = (place as i64 + i64::from(*by)).clamp(0, recipe.passes.len() as i64) as usize;
                let group = |place: Option<usize>| place.and_then(|place| recipe.passes.get(place)?.group);
                let (before, behind) = (group(to.checked_sub(1)), group(Some(to)));
                // Between passes of one group it comes into that; at the edge of its own it stays in it.
                moved.group = match (before, behind) {
                    (Some(one), Some(other)) if one == other => Some(one),
                    _ => moved.group.filter(|own| before == Some(*own) || behind == Some(*own)),
                };
                recipe.passes.insert(to, moved);
                Ok(recipe.tidied())
            }
            Gesture::DeletePass { pass } => place_of(recipe, *pass).map(|_| recipe.without(*pass)),
        }?;
        after.check()?;
        after.check_within(self.part.end(), self.context.tempo)?;
        Ok(after)
    }

    /// With a line over this song in each arc that has none.
    fn begun(&self, mut recipe: Recipe) -> Recipe {
        let last = self.context.metre.bar_at(Ticks((self.part.end().0 - 1.0).max(0.0))).number;
        for pass in &mut recipe.passes {
            match &mut pass.action {
                Action::Arc(arc) if arc.points.is_empty() => arc.points = Arc::over(self.context.sections, last).points,
                _ => {}
            }
        }
        recipe
    }

    /// After several, one on top of the other.
    pub fn after_all(&self, recipe: &Recipe, gestures: &[Gesture]) -> Done {
        gestures.iter().try_fold(recipe.clone(), |recipe, gesture| self.after(&recipe, gesture))
    }
}

fn wrong(path: &str, message: impl Into<String>) -> FieldError {
    FieldError { path: path.to_owned(), message: message.into() }
}

/// The bench with the recipe that a gesture begins with.
struct Now<'a> {
    bench: &'a Bench<'a>,
    recipe: &'a Recipe,
    performance: OnceCell<Performance>,
}

impl<'a> Now<'a> {
    fn on(bench: &'a Bench<'a>, recipe: &'a Recipe) -> Now<'a> {
        Now { bench, recipe, performance: OnceCell::new() }
    }

    fn performance(&self) -> &Performance {
        let Bench { part, chart, context, .. } = self.bench;
        self.performance.get_or_init(|| perform(part, chart, self.recipe, context))
    }

    /// Some hits as they are played now, in their order.
    fn played(&self, hits: &[HitId]) -> Result<Vec<PlayedHit>, FieldError> {
        let all: HashMap<HitId, &PlayedHit> = self.performance().hits().map(|hit| (hit.id, hit)).collect();
        let find = |id: &HitId| all.get(id).map(|hit| **hit);
        hits.iter().map(|id| find(id).ok_or_else(|| wrong("hits", format!("there is no hit {}", id.get())))).collect()
    }

    fn figures(&self, instrument: &InstrumentId) -> Result<(Figures, Figures), FieldError> {
        let Bench { part, chart, context, .. } = self.bench;
        let (place, _) = chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
        let played = Measured::played(part, chart, context, self.performance());
        let written = Measured::written(part, chart, context);
        Ok((written.instruments[place].figures.clone(), played.instruments[place].figures.clone()))
    }

    /// The by-hand pass that edits of these hits go to: the last one that is on and aims at everything, if
    /// it comes behind the passes that made them.
    fn hand(&self, hits: &[HitId]) -> Option<PassId> {
        let made = |id: &HitId| *id >= HitId::FIRST_BY_HAND;
        let makers: BTreeSet<PassId> = if hits.iter().any(made) {
            let edited: BTreeSet<HitId> = hits.iter().copied().collect();
            let own = self.performance().made.iter().filter(|one| edited.contains(&one.played.id));
            own.map(|one| one.pass).collect()
        } else {
            BTreeSet::new()
        };
        let last_maker = self.recipe.passes.iter().rposition(|pass| makers.contains(&pass.id)).unwrap_or(0);
        let is_hand = |pass: &Pass| {
            self.is_free(pass) && matches!(pass.action, Action::ByHand(_)) && pass.aim == Aim::everything()
        };
        let place = self.recipe.passes.iter().rposition(is_hand)?;
        (place >= last_maker).then(|| self.recipe.passes[place].id)
    }

    /// The recipe with its by-hand pass changed; where there is none, one is put at the end.
    fn with_hand(&self, hits: &[HitId], change: impl FnOnce(&mut ByHand)) -> Recipe {
        let mut recipe = self.recipe.clone();
        let id = self.hand(hits).unwrap_or_else(|| {
            let id = recipe.free_id();
            recipe.passes.push(Pass { id, ..Pass::new(0, Aim::everything(), Action::ByHand(ByHand::default())) });
            id
        });
        for pass in recipe.passes.iter_mut().filter(|pass| pass.id == id) {
            if let Action::ByHand(hand) = &mut pass.action {
                change(hand);
                return recipe;
            }
        }
        recipe
    }

    fn with_moves(&self, hits: &[HitId], change: impl Fn(&mut HandMove, usize)) -> Recipe {
        self.with_hand(hits, |hand| {
            let mut known: BTreeMap<HitId, HandMove> = hand.moved.drain(..).map(|one| (one.hit, one)).collect();
            for (place, &hit) in hits.iter().enumerate() {
                change(known.entry(hit).or_insert(HandMove::of(hit)), place);
            }
            hand.moved = known.into_values().filter(|one| !one.is_nothing()).collect();
        })
    }

    fn moved(&self, hits: &[HitId], velocity: f64, by: Millis) -> Done {
        Ok(self.with_moves(hits, |one, _| {
            one.velocity = (one.velocity + velocity).clamp(-126.0, 126.0);
            one.time = Millis((((one.time + by).0 * 10.0).round() / 10.0).clamp(-ByHand::FARTHEST, ByHand::FARTHEST));
        }))
    }

    fn moved_in(&self, hits: &[HitId], property: Property, by: f64) -> Done {
        if property == Property::Velocity {
            return self.moved(hits, by, Millis(0.0));
        }
        Ok(self.with_moves(hits, |one, _| one.movement = one.movement.changed(property, by)))
    }

    fn set(&self, hits: &[HitId], velocity: Velocity) -> Done {
        self.painted(hits, &vec![velocity; hits.len()])
    }

    fn painted(&self, hits: &[HitId], velocities: &[Velocity]) -> Done {
        if hits.len() != velocities.len() {
            return Err(wrong("velocities", format!("{} for {} hits", velocities.len(), hits.len())));
        }
        let now = self.played(hits)?;
        Ok(self.with_moves(hits, |one, place| {
            let by = f64::from(velocities[place].get()) - f64::from(now[place].velocity.get());
            one.velocity = (one.velocity + by).clamp(-126.0, 126.0);
        }))
    }

    fn put_on(&self, hits: &[HitId], instrument: &InstrumentId, stroke: Option<&str>) -> Done {
        let (note, channel) = self.stroke_or_usual(instrument, stroke)?;
        let now = self.played(hits)?;
        Ok(self.with_moves(hits, |one, place| struck_otherwise(one, note, channel, &now[place])))
    }

    fn struck_by(&self, hits: &[HitId], stroke: &str) -> Done {
        let chart = self.bench.chart;
        let now = self.played(hits)?;
        let way = |hit: &PlayedHit| {
            let ways = &chart.kit.instruments[chart.instrument_of(hit.note, hit.channel)?].articulations;
            let hand = chart.stroke_of(hit.note, hit.channel).map(|own| ways[own].hand);
            let named = || ways.iter().filter(|way| way.name == stroke);
            named().find(|way| Some(way.hand) == hand).or(named().next())
        };
        if !now.is_empty() && !now.iter().any(|hit| way(hit).is_some()) {
            return Err(wrong("stroke", format!("none of these instruments has a stroke “{stroke}”")));
        }
        Ok(self.with_moves(hits, |one, place| {
            let hit = &now[place];
            if let Some(way) = way(hit) {
                struck_otherwise(one, way.note, way.channel.unwrap_or(hit.channel), hit);
            }
        }))
    }

    fn transposed(&self, hits: &[HitId], keys: i32) -> Done {
        let now = self.played(hits)?;
        Ok(self.with_moves(hits, |one, place| {
            let key = i32::from(now[place].note.get()).saturating_add(keys);
            if let Some(note) = u8::try_from(key).ok().and_then(Note::new) {
                one.note = Some(note);
            }
        }))
    }

    fn lengthened(&self, hits: &[HitId], by: Ticks) -> Done {
        if !by.0.is_finite() {
            return Err(wrong("ticks", "a length changes by a number of ticks"));
        }
        let now = self.played(hits)?;
        Ok(self.with_moves(hits, |one, place| {
            let lasts = (now[place].length + by).0.round().clamp(1.0, ByHand::LONGEST);
            (one.lasts, one.length) = (Some(Ticks(lasts)), None);
        }))
    }

    fn taken_out(&self, hits: &[HitId]) -> Done {
        let gone: BTreeSet<HitId> = hits.iter().copied().collect();
        Ok(self.with_hand(hits, |hand| {
            let own: BTreeSet<HitId> = hand.added.iter().map(|one| one.id).filter(|id| gone.contains(id)).collect();
            hand.added.retain(|one| !own.contains(&one.id));
            hand.moved.retain(|one| !own.contains(&one.hit));
            let known: BTreeSet<HitId> = hand.removed.iter().copied().collect();
            hand.removed.extend(gone.iter().filter(|id| !own.contains(id) && !known.contains(id)));
            hand.recalled.retain(|id| !gone.contains(id));
        }))
    }

    /// Whichever passes took them out.
    fn brought_back(&self, hits: &[HitId]) -> Done {
        let hits: BTreeSet<HitId> = hits.iter().copied().collect();
        let mut recipe = self.recipe.clone();
        for pass in &mut recipe.passes {
            if let Action::ByHand(hand) = &mut pass.action {
                hand.removed.retain(|id| !hits.contains(id));
            }
        }
        // What another pass silences is called back behind it.
        let Bench { part, chart, context, .. } = self.bench;
        let silent: BTreeMap<HitId, PassId> = perform(part, chart, &recipe, context)
            .hits()
            .filter(|hit| hits.contains(&hit.id))
            .filter_map(|hit| Some((hit.id, hit.silenced?)))
            .collect();
        let place = |pass: &PassId| recipe.passes.iter().position(|one| one.id == *pass);
        let Some(behind) = silent.values().filter_map(place).max() else { return Ok(recipe) };
        let takes = |pass: &Pass| {
            self.is_free(pass) && matches!(pass.action, Action::ByHand(_)) && pass.aim == Aim::everything()
        };
        if !recipe.passes[behind + 1..].iter().any(takes) {
            let id = recipe.free_id();
            recipe.passes.push(Pass { id, ..Pass::new(0, Aim::everything(), Action::ByHand(ByHand::default())) });
        }
        for pass in recipe.passes[behind + 1..].iter_mut().filter(|pass| takes(pass)).take(1) {
            if let Action::ByHand(hand) = &mut pass.action {
                let known: BTreeSet<HitId> = hand.recalled.iter().copied().collect();
                hand.recalled.extend(silent.keys().filter(|id| !known.contains(id)));
            }
        }
        Ok(recipe)
    }

    /// The note and channel that the part plays an instrument with most often; else the kit's first.
    fn struck_with(&self, instrument: &InstrumentId) -> Result<(Note, Channel), FieldError> {
        let Bench { part, chart, .. } = self.bench;
        let strokes = part.hits().iter().map(|hit| (hit.note, hit.channel));
        usual_stroke(chart, strokes, instrument).map_err(|(field, message)| wrong(&field, message))
    }

    /// The stroke of an instrument that has a name, or the one that it is usually struck by.
    fn stroke_or_usual(&self, instrument: &InstrumentId, stroke: Option<&str>) -> Result<(Note, Channel), FieldError> {
        let usual = self.struck_with(instrument)?;
        let Some(name) = stroke else { return Ok(usual) };
        let (_, found) = self.bench.chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
        let way = found.articulations.iter().find(|way| way.name == name);
        let lacking = || wrong("stroke", format!("{} has no stroke “{name}”", found.name.to_lowercase()));
        let way = way.ok_or_else(lacking)?;
        Ok((way.note, way.channel.unwrap_or(usual.1)))
    }

    /// Ids for hits that are added, which none of the recipe's has yet.
    fn free_hits(&self) -> impl Iterator<Item = HitId> + use<> {
        let mut used: BTreeSet<u64> = BTreeSet::new();
        for pass in &self.recipe.passes {
            if let Action::ByHand(hand) = &pass.action {
                used.extend(hand.added.iter().map(|one| one.id.get()));
            }
        }
        let first = HitId::FIRST_BY_HAND.get() as u32;
        let next = used.last().map_or(first, |&last| (last as u32).saturating_add(1));
        (next..u32::MAX).chain(first..next).filter(move |id| !used.contains(&u64::from(*id))).map(HitId::new)
    }

    fn with_added(&self, new: Vec<HandHit>) -> Recipe {
        self.with_hand(&[], |hand| hand.added.extend(new))
    }

    fn added(&self, (note, channel): (Note, Channel), tick: Ticks, velocity: Velocity, snapped: bool) -> Done {
        let Bench { part, chart, context, .. } = self.bench;
        let place = chart.instrument_of(note, channel);
        let on_grid = || chart.meant(part, context.metre, context.tempo).line(context.metre, place, tick);
        let tick = if snapped { on_grid() } else { tick.rounded() };
        let tick = Ticks(tick.0.max(0.0));
        let length = Ticks(context.metre.ppq().as_f64() / 8.0).rounded();
        let id = self.free_hits().next().ok_or_else(|| wrong("hits", "no more hits can be added"))?;
        Ok(self.with_added(vec![HandHit { id, tick, length, velocity, note, channel }]))
    }

    fn copied(&self, hits: &[HitId], quarters: f64) -> Done {
        let by = quarters * self.bench.context.metre.ppq().as_f64();
        let copy = |(id, hit): (HitId, PlayedHit)| HandHit {
            id,
            tick: Ticks((hit.tick.0 + by).max(0.0)).rounded(),
            length: hit.length,
            velocity: hit.velocity,
            note: hit.note,
            channel: hit.channel,
        };
        Ok(self.with_added(self.free_hits().zip(self.played(hits)?).map(copy).collect()))
    }

    /// A stroke of the pencil on what sounds: hits go, move and come by hand.
    fn sketched(&self, drawing: &Drawing) -> Done {
        let Bench { part, chart, context, end } = self.bench;
        let performance = self.performance();
        let written = part.hits().iter().zip(&performance.written).map(|(hit, played)| (hit.tick, played));
        let made = performance.made.iter().map(|made| (made.anchor, &made.played));
        let sounds = written.chain(made).filter(|(_, played)| played.silenced.is_none());
        let standing = |(place, played): (Ticks, &PlayedHit)| {
            let PlayedHit { id, tick, length, velocity, note, channel, .. } = *played;
            Standing { id, place, tick, length, velocity, note, channel }
        };
        let standing: Vec<Standing> = sounds.map(standing).collect();
        let paper = Paper { chart, metre: context.metre, standing: &standing, end: *end };
        let mut edits = drawing.edits(&paper).map_err(|(field, message)| wrong(&field, message))?;
        put_anew(&mut edits, &standing);
        let mut recipe = self.recipe.clone();
        if !edits.gone.is_empty() {
            recipe = Now::on(self.bench, &recipe).taken_out(&edits.gone)?;
        }
        if !edits.moved.is_empty() {
            let hits: Vec<HitId> = edits.moved.iter().map(|one| one.id).collect();
            recipe = Now::on(self.bench, &recipe).with_moves(&hits, |one, place| {
                one.note = edits.moved[place].stroke.map_or(one.note, |(note, _)| Some(note));
            });
        }
        if !edits.struck.is_empty() {
            let now: HashMap<HitId, Velocity> = standing.iter().map(|one| (one.id, one.velocity)).collect();
            let hits: Vec<HitId> = edits.struck.iter().map(|one| one.0).collect();
            recipe = Now::on(self.bench, &recipe).with_moves(&hits, |one, place| {
                let (id, velocity) = edits.struck[place];
                let by = f64::from(velocity.get()) - now.get(&id).map_or(0.0, |now| f64::from(now.get()));
                one.velocity = (one.velocity + by).clamp(-126.0, 126.0);
            });
        }
        if !edits.come.is_empty() {
            let hit = |(id, draft): (HitId, &Draft)| {
                let Draft { tick, length, velocity, note, channel } = *draft;
                HandHit { id, tick, length, velocity, note, channel }
            };
            let now = Now::on(self.bench, &recipe);
            recipe = now.with_added(now.free_hits().zip(&edits.come).map(hit).collect());
        }
        Ok(recipe)
    }

    fn cut(&self, hits: &[HitId]) -> Done {
        let Bench { chart, context, .. } = self.bench;
        let ppq = context.metre.ppq().as_f64();
        let mut onsets: HashMap<Option<usize>, Vec<f64>> = HashMap::new();
        for hit in self.performance().sounding() {
            onsets.entry(chart.instrument_of(hit.note, hit.channel)).or_default().push(hit.tick.0);
        }
        onsets.values_mut().for_each(|onsets| onsets.sort_by(f64::total_cmp));
        let half = |(id, hit): (HitId, PlayedHit)| {
            let own = &onsets.get(&chart.instrument_of(hit.note, hit.channel));
            let next = own.and_then(|own| own.get(own.partition_point(|&onset| onset <= hit.tick.0 + 1.0)));
            let room = next.map_or(ppq, |next| (next - hit.tick.0).min(ppq));
            let half = (room / 2.0).round().max(1.0);
            HandHit {
                id,
                tick: Ticks(hit.tick.0 + half),
                length: Ticks(half.min((ppq / 8.0).round()).max(1.0)),
                velocity: hit.velocity,
                note: hit.note,
                channel: hit.channel,
            }
        };
        Ok(self.with_added(self.free_hits().zip(self.played(hits)?).map(half).collect()))
    }

    /// Whether what a hand does may go on in a pass: it is on, and all of it is played.
    fn is_free(&self, pass: &Pass) -> bool {
        let whole = self.recipe.group_of(pass).is_none_or(|group| group.amount == Group::WHOLE);
        self.recipe.is_on(pass) && whole
    }

    /// The last pass of a kind that is on, shapes velocities and aims at just this instrument.
    fn pass_at(&self, recipe: &Recipe, kind: &str, instrument: &InstrumentId) -> Option<Pass> {
        self.pass_for(recipe, kind, Property::Velocity, instrument)
    }

    /// The last pass of a kind that is on, shapes a property and aims at just this instrument.
    fn pass_for(&self, recipe: &Recipe, kind: &str, property: Property, instrument: &InstrumentId) -> Option<Pass> {
        let does_it = |action: &Action| action.info().kind == kind && action.property() == property;
        let is_it =
            |pass: &&Pass| self.is_free(pass) && does_it(&pass.action) && pass.aim == Aim::at(instrument.as_str());
        recipe.passes.iter().rev().find(is_it).cloned()
    }

    /// The recipe with such a pass, made where there is none.
    fn with_pass_at(&self, instrument: &InstrumentId, action: Action) -> (Recipe, Pass) {
        if let Some(pass) = self.pass_for(self.recipe, action.info().kind, action.property(), instrument) {
            return (self.recipe.clone(), pass);
        }
        let pass = Pass { id: self.recipe.free_id(), ..Pass::new(0, Aim::at(instrument.as_str()), action) };
        let mut recipe = self.recipe.clone();
        recipe.passes.push(pass.clone());
        (recipe, pass)
    }

    /// The three handles of an instrument as it is played now.
    fn handles(&self, instrument: &InstrumentId, property: Property) -> Result<[f64; 3], FieldError> {
        let Bench { part, chart, context, .. } = self.bench;
        if property == Property::Velocity {
            let (_, now) = self.figures(instrument)?;
            return Ok([now.soft, now.typical, now.hard].map(|value| f64::from(Velocity::rounded(value).get())));
        }
        let (place, _) = chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
        let played = Measured::played(part, chart, context, self.performance());
        let reading = played.instruments[place].movement.iter().find(|one| one.property == property);
        Ok(reading.map_or([0.0; 3], |one| [one.low, one.typical, one.high].map(|value| (value * 10.0).round() / 10.0)))
    }

    fn shaped(&self, instrument: &InstrumentId, property: Property, steps: [(&str, Option<f64>); 3]) -> Done {
        // What lies alike in pitch or place has no beat to follow.
        let usual = Shape::default();
        let follow = if property == Property::Velocity { usual.follow } else { Percent(0.0) };
        let still = Shape { soft: None, typical: None, hard: None, follow, property, ..usual };
        let (mut recipe, pass) = self.with_pass_at(instrument, Action::Shape(still));
        let Action::Shape(from) = &pass.action else { return Ok(recipe) };
        // What is not set is where it is played.
        let [soft, typical, hard] = self.handles(instrument, property)?;
        for (handle, by) in steps {
            let Some(by) = by else { continue };
            let was = match handle {
                "soft" => from.soft.unwrap_or(soft),
                "typical" => from.typical.unwrap_or(typical),
                _ => from.hard.unwrap_or(hard),
            };
            let step = if property == Property::Level { 10.0 } else { 1.0 };
            let to = property.held(((was + by) * step).round() / step);
            recipe = with_setting(&recipe, pass.id, handle, json!(to))?;
        }
        Ok(recipe)
    }

    /// A number of one pass of each of some drums, so much higher.
    fn each_set(
        &self,
        instruments: &[InstrumentId],
        neutral: &Action,
        setting: &str,
        by: f64,
        (least, most): (f64, f64),
    ) -> Done {
        let mut recipe = self.recipe.clone();
        for instrument in instruments {
            self.bench.chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
            let (next, pass) = Now::on(self.bench, &recipe).with_pass_at(instrument, neutral.clone());
            let fields = serde_json::to_value(&pass.action).map_err(|error| wrong("instruments", error.to_string()))?;
            let was = fields[setting].as_f64().unwrap_or_default();
            recipe = with_setting(&next, pass.id, setting, json!((was + by).round().clamp(least, most)))?;
        }
        Ok(recipe)
    }

    /// A pass as one for each drum that it aims at and that is played.
    fn parted(&self, pass: PassId) -> Done {
        let place = place_of(self.recipe, pass)?;
        let chart = self.bench.chart;
        let one = &self.recipe.passes[place];
        let mut struck = vec![false; chart.kit.instruments.len()];
        let places = self.performance().hits().filter_map(|hit| chart.instrument_of(hit.note, hit.channel));
        places.for_each(|place| struck[place] = true);
        let named = |instrument: &InstrumentId| one.aim.instruments.contains(instrument);
        let turned = one.aim.turned();
        let all_but = match turned {
            Some(Turned::Instruments) if one.aim.is_everywhere() => true,
            Some(Turned::Instruments | Turned::Bars) => {
                return Err(wrong("pass", "it aims at all but some bars: aim it at the bars that it is for"));
            }
            _ => false,
        };
        let meant = |instrument: &InstrumentId| {
            if all_but { !named(instrument) } else { one.aim.instruments.is_empty() || named(instrument) }
        };
        let drums = chart.kit.instruments.iter().zip(struck).filter(|(drum, struck)| *struck && meant(&drum.id));
        let ids = std::iter::once(pass).chain(self.recipe.free_ids());
        let only = |drum: &InstrumentId| {
            let instruments = vec![drum.clone()];
            Aim { instruments, invert: one.aim.invert && !all_but, ..one.aim.clone() }
        };
        let each: Vec<Pass> =
            drums.zip(ids).map(|((drum, _), id)| Pass { id, aim: only(&drum.id), ..one.clone() }).collect();
        if each.is_empty() {
            return Err(wrong("pass", "it aims at no drum that is played"));
        }
        let mut recipe = self.recipe.clone();
        recipe.passes.splice(place..=place, each);
        Ok(recipe)
    }

    fn leaned(&self, instrument: &InstrumentId, by: Millis) -> Done {
        self.bench.chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
        let (recipe, pass) = self.with_pass_at(instrument, Action::Lean(Lean::default()));
        let Action::Lean(from) = &pass.action else { return Ok(recipe) };
        let by = Millis(((from.by + by).0 * 2.0).round().clamp(-400.0, 400.0) / 2.0);
        with_setting(&recipe, pass.id, "by", json!(by))
    }

    fn spread(&self, instrument: &InstrumentId, by: Millis) -> Done {
        /// Nearer than this, in ms, hits count as lying on their lines.
        const STIFF: f64 = 0.3;
        let (written, played) = self.figures(instrument)?;
        let shown = played.offset_spread.0;
        let loose = self.pass_at(self.recipe, "loosen", instrument).is_some();
        // How far they lie about their grid before they are pulled, as far as the shown spread tells.
        let before = match self.pass_at(self.recipe, "pull", instrument).map(|pass| pass.action) {
            Some(Action::Pull(pull)) if pull.strength.0 >= 95.0 => written.offset_spread.0,
            Some(Action::Pull(pull)) if pull.strength.0 != 0.0 => shown / (1.0 - pull.strength.factor()),
            _ => shown,
        };
        let Bench { part, chart, context, .. } = self.bench;
        let none = if before < STIFF || loose {
            Action::Loosen(Loosen { early: Millis(0.0), late: Millis(0.0), wander: Millis(0.0), ..Loosen::default() })
        } else {
            let grid = chart.meant(part, context.metre, context.tempo).grid;
            Action::Pull(Pull { grid, strength: Percent(0.0), forgive: Millis(0.0), ..Pull::default() })
        };
        let (recipe, pass) = self.with_pass_at(instrument, none);
        match &pass.action {
            Action::Pull(_) => {
                let strength = ((1.0 - (shown + by.0).max(0.0) / before) * 100.0).round().clamp(-100.0, 100.0);
                with_setting(&recipe, pass.id, "strength", json!(strength))
            }
            Action::Loosen(from) => {
                // A bell is six of its standard deviations wide.
                let wider = |from: Millis| ((from.0 + 3.0 * by.0) * 2.0).round().clamp(0.0, 200.0) / 2.0;
                let recipe = with_setting(&recipe, pass.id, "early", json!(wider(from.early)))?;
                with_setting(&recipe, pass.id, "late", json!(wider(from.late)))
            }
            _ => Ok(recipe),
        }
    }

    fn drawn(&self, instrument: &InstrumentId, slot: u32, cells: f64, louder: f64) -> Done {
        let Bench { part, chart, context, .. } = self.bench;
        let (_, found) = chart.kit.find(instrument).ok_or_else(|| unknown(instrument))?;
        if !(cells.is_finite() && louder.is_finite() && louder >= 0.0) {
            return Err(wrong("cells", "a slot is moved by shares of a cell, and made so many times as loud"));
        }
        let name = format!("Drawn on {}", found.name.to_lowercase());
        let is_it = |pass: &&Pass| {
            let aimed = pass.aim.instruments.first() == Some(instrument);
            self.is_free(pass) && aimed && matches!(&pass.action, Action::Groove(groove) if groove.groove.name == name)
        };
        let mut recipe = self.recipe.clone();
        let known = recipe.passes.iter().rev().find(is_it).map(|pass| pass.id);
        let id = match known {
            Some(id) => id,
            None => {
                let grid = chart.meant(part, context.metre, context.tempo).grid;
                let take = Extraction {
                    instruments: vec![instrument.clone()],
                    grid: Some(grid),
                    length: 1,
                    ..Extraction::default()
                };
                let hits: Vec<PlayedHit> = self.performance().hits().copied().collect();
                let taken = GrooveProfile::taken(&name, chart, context.tempo, context.metre, &hits, &take)
                    .map_err(|error| wrong("instrument", error.message))?;
                let level = |slot: &u32| (*slot, GrooveSlot { count: 0, ..GrooveSlot::default() });
                let together = taken.groove.together.keys().map(level).collect();
                let groove = GrooveProfile { together, families: BTreeMap::new(), ..taken.groove };
                let action = Groove {
                    groove,
                    voice: GrooveVoice::Together,
                    timing: Percent(100.0),
                    touch: Percent(100.0),
                    liveliness: Percent(0.0),
                    pull: Percent(0.0),
                    lengths: Percent(0.0),
                    ..Groove::default()
                };
                let id = recipe.free_id();
                let pass = Pass::new(0, Aim::at(instrument.as_str()), Action::Groove(action));
                recipe.passes.push(Pass { id, ..pass });
                id
            }
        };
        for pass in recipe.passes.iter_mut().filter(|pass| pass.id == id) {
            if let Action::Groove(action) = &mut pass.action {
                let plain = GrooveSlot { count: 0, ..GrooveSlot::default() };
                let one = action.groove.together.entry(slot).or_insert(plain);
                one.offset = (one.offset + cells).clamp(-0.5, 0.5);
                one.velocity = (one.velocity * louder).clamp(0.01, 20.0);
            }
        }
        Ok(recipe)
    }
}

/// A hit that is moved by hand goes on to belong where it was. One that is drawn elsewhere belongs there: it is taken
/// out and put in anew.
fn put_anew(edits: &mut Edits, standing: &[Standing]) {
    let known: HashMap<HitId, &Standing> = standing.iter().map(|one| (one.id, one)).collect();
    let (gone, come) = (&mut edits.gone, &mut edits.come);
    edits.moved.retain(|moved| {
        let Some(one) = known.get(&moved.id) else { return false };
        let (note, channel) = moved.stroke.unwrap_or((one.note, one.channel));
        let stays = moved.by == Ticks(0.0) && channel == one.channel;
        if !stays {
            gone.push(one.id);
            let tick = Ticks((one.tick + moved.by).0.max(0.0)).rounded();
            come.push(Draft { tick, length: one.length, velocity: one.velocity, note, channel });
        }
        stays
    });
}

fn unknown(instrument: &InstrumentId) -> FieldError {
    wrong("instrument", format!("“{instrument}” is not in this part's kit"))
}

/// Settings that bound one another, from the lowest to the highest.
fn bounds(kind: &str) -> &'static [&'static str] {
    match kind {
        "shape" => &["soft", "typical", "hard"],
        "draw" | "ghosts" => &["from", "to"],
        "limits" => &["floor", "ceiling"],
        _ => &[],
    }
}

/// The recipe with a setting of a pass changed; what bounds it makes way.
fn with_setting(recipe: &Recipe, pass: PassId, setting: &str, value: Value) -> Done {
    let place = place_of(recipe, pass)?;
    let at = |field: &str| format!("passes[{place}].action.{field}");
    let action = &recipe.passes[place].action;
    let mut fields = serde_json::to_value(action).map_err(|error| wrong(&at("."), error.to_string()))?;
    let names = bounds(action.info().kind);
    if let (Some(moved), Some(own)) = (value.as_f64(), names.iter().position(|name| *name == setting)) {
        for (other, name) in names.iter().enumerate().filter(|&(other, _)| other != own) {
            let was = fields[*name].as_f64().unwrap_or(moved);
            if (other < own && was > moved) || (other > own && was < moved) {
                fields[*name] = value.clone();
            }
        }
    }
    if setting == "property"
        && let Ok(property) = serde_json::from_value::<Property>(value.clone())
        && let Some(start) = property.info().starts.iter().find(|start| start.info().kind == action.info().kind)
    {
        // Numbers in another unit mean nothing: those of the property begin anew.
        let start = serde_json::to_value(start).map_err(|error| wrong(&at("."), error.to_string()))?;
        let of_property =
            |values: &Values| matches!(values, Values::Value { .. } | Values::Change { .. } | Values::Pattern { .. });
        for own in action.info().settings.iter().filter(|own| of_property(&own.values)) {
            fields[own.name] = start[own.name].clone();
        }
    }
    if setting == "lane"
        && let Ok(lane) = serde_json::from_value::<LaneKind>(value.clone())
    {
        // What lies outside the other lane is brought into it.
        let (least, most) = lane.range();
        for own in action.info().settings.iter().filter(|own| own.values == Values::LaneValue) {
            let held = fields[own.name].as_f64().map(|one| one.clamp(least, most));
            fields[own.name] = json!(held);
        }
        for point in fields["points"].as_array_mut().into_iter().flatten() {
            let held = point["value"].as_f64().map(|one| one.clamp(least, most));
            point["value"] = json!(held);
        }
    }
    fields[setting] = value;
    let mut recipe = recipe.clone();
    recipe.passes[place].action = Action::from_value(fields).map_err(|(field, message)| wrong(&at(&field), message))?;
    Ok(recipe)
}

fn place_of(recipe: &Recipe, pass: PassId) -> Result<usize, FieldError> {
    let place = recipe.passes.iter().position(|one| one.id == pass);
    place.ok_or_else(|| wrong("pass", format!("there is no pass {}", pass.0)))
}

fn no_group(group: GroupId) -> FieldError {
    wrong("group", format!("there is no group {}", group.0))
}

fn grouped(recipe: &Recipe, passes: &[PassId], name: &str) -> Done {
    let places = passes.iter().map(|pass| place_of(recipe, *pass)).collect::<Result<BTreeSet<usize>, FieldError>>()?;
    let first = *places.first().ok_or_else(|| wrong("passes", "a group has at least one pass"))?;
    let mut recipe = recipe.clone();
    let id = recipe.free_group();
    recipe.groups.push(Group::new(id, name));
    let member = |place: usize, pass: &Pass| Pass {
        group: if places.contains(&place) { Some(id) } else { pass.group },
        ..pass.clone()
    };
    let all: Vec<Pass> = recipe.passes.iter().enumerate().map(|(place, pass)| member(place, pass)).collect();
    let (members, others): (Vec<Pass>, Vec<Pass>) = all.into_iter().partition(|pass| pass.group == Some(id));
    recipe.passes = others;
    recipe.passes.splice(first..first, members);
    Ok(recipe.tidied())
}

fn moved_group(recipe: &Recipe, group: GroupId, by: i32) -> Done {
    let is_own = |pass: &Pass| pass.group == Some(group);
    let from = recipe.passes.iter().position(is_own).ok_or_else(|| no_group(group))?;
    let mut recipe = recipe.clone();
    let (own, others): (Vec<Pass>, Vec<Pass>) = recipe.passes.drain(..).partition(is_own);
    // It goes over whole groups.
    let mut edges: Vec<usize> = (0..=others.len())
        .filter(|&place| {
            let group = |place: Option<usize>| place.and_then(|place| others.get(place)?.group);
            let (before, behind) = (group(place.checked_sub(1)), group(Some(place)));
            before.is_none() || before != behind || place == from
        })
        .collect();
    edges.dedup();
    let at = edges.iter().position(|&edge| edge == from).unwrap_or(0);
    let to = (at as i64 + i64::from(by)).clamp(0, edges.len() as i64 - 1) as usize;
    recipe.passes = others;
    recipe.passes.splice(edges[to]..edges[to], own);
    Ok(recipe.tidied())
}

fn duplicated(recipe: &Recipe, pass: PassId, others: bool) -> Done {
    let place = place_of(recipe, pass)?;
    let mut recipe = recipe.clone();
    let id = recipe.free_id();
    let mut copy = Pass { id, ..recipe.passes[place].clone() };
    if others {
        copy.aim.invert = !copy.aim.invert;
    }
    recipe.passes.insert(place + 1, copy);
    Ok(recipe)
}
/// A hit on another note; the channel is told where it is not the hit's own.
fn struck_otherwise(one: &mut HandMove, note: Note, channel: Channel, now: &PlayedHit) {
    one.note = Some(note);
    let stays = one.channel.is_none() && now.channel == channel;
    one.channel = Some(channel).filter(|_| !stays);
}
