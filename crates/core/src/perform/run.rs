//! A part played by a recipe, pass by pass.

use crate::base::property::Movement;
use crate::base::steps::step;
use crate::base::units::{Channel, Millis, Note, Ticks};
use crate::kit::chart::Chart;
use crate::part::hit::{HitId, Part};
use crate::perform::dice::Dice;
use crate::perform::group::CameIn;
use crate::perform::room::LeftOuts;
use crate::perform::{Context, PassReport, Performance, Reason, Stage};
use crate::recipe::action::{Action, ActionFamily};
use crate::recipe::{Group, Pass, PassId, Recipe};

/// Play a part by a recipe. Equal inputs give equal output, to the bit.
pub fn perform(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>) -> Performance {
    Rehearsal::of(part, chart, recipe, context).performance()
}

/// A part behind the passes of a recipe, from where it can be played, and more passes tried, as often as is wanted: the
/// recipe is gone through once.
///
/// `rehearsal.then(more).performance()` is what [`perform`] makes of both, to the bit.
#[derive(Clone)]
pub struct Rehearsal<'a> {
    stage: Stage<'a>,
    context: Context<'a>,
    reports: Vec<PassReport>,
}

impl<'a> Rehearsal<'a> {
    /// Of a part behind a recipe.
    pub fn of(part: &'a Part, chart: &'a Chart, recipe: &Recipe, context: &Context<'a>) -> Rehearsal<'a> {
        let mut reports = Vec::new();
        let mut run = Run::of(part, chart, recipe, context);
        for pass in recipe.playing() {
            step();
            reports.push(run.pass(pass, |_| ()));
        }
        Rehearsal { stage: run.end(), context: *context, reports }
    }

    /// Goes on with more passes, in no group. Their ids are others than those before them have.
    pub fn then(mut self, passes: &[Pass]) -> Rehearsal<'a> {
        for pass in passes.iter().filter(|pass| pass.on) {
            step();
            self.reports.push(self.stage.run(pass, &self.context, |_| ()));
        }
        self
    }

    /// How it is played.
    pub fn performance(self) -> Performance {
        let Rehearsal { mut stage, context, reports } = self;
        let (part, chart) = (stage.part, stage.chart);
        let lanes = std::mem::take(&mut stage.lanes);
        let (written, made) = stage.settled(context.start);
        let lanes = lanes.into_iter().map(|lane| lane.played(part, chart, &written)).collect();
        Performance { written, made, passes: reports, lanes }
    }

    pub(crate) fn stage(&self) -> &Stage<'a> {
        &self.stage
    }

    pub(crate) fn part(&self) -> &'a Part {
        self.stage.part
    }

    pub(crate) fn chart(&self) -> &'a Chart {
        self.stage.chart
    }
}

/// The passes of a recipe in their order, those of a group as far as its amount goes.
struct Run<'a, 'r> {
    stage: Stage<'a>,
    context: Context<'a>,
    recipe: &'r Recipe,
    /// The group that has begun, unless it goes all the way, and what came into it.
    begun: Option<(&'r Group, CameIn<'a>)>,
}

impl<'a, 'r> Run<'a, 'r> {
    fn of(part: &'a Part, chart: &'a Chart, recipe: &'r Recipe, context: &Context<'a>) -> Run<'a, 'r> {
        Run { stage: Stage::new(part, chart, context), context: *context, recipe, begun: None }
    }

    /// Ends a group that a pass is not in, and begins the one that it is in.
    fn enter(&mut self, pass: &Pass) {
        if let Some((group, came_in)) = self.begun.take_if(|(group, _)| pass.group != Some(group.id)) {
            self.leave(group, came_in);
        }
        if self.begun.is_none()
            && let Some(group) = self.recipe.group_of(pass)
            && group.amount != Group::WHOLE
        {
            self.begun = Some((group, self.stage.as_it_came_in()));
        }
    }

    fn leave(&mut self, group: &Group, came_in: CameIn<'a>) {
        let dice = Dice::of_group(self.context.variation, group.id);
        self.stage.take_part_of_it(came_in, group.amount, &dice);
    }

    /// The next pass that is done.
    fn pass(&mut self, pass: &Pass, touch: impl FnMut(HitId)) -> PassReport {
        self.enter(pass);
        self.stage.run(pass, &self.context, touch)
    }

    /// What has become of the hits.
    fn end(mut self) -> Stage<'a> {
        if let Some((group, came_in)) = self.begun.take() {
            self.leave(group, came_in);
        }
        self.stage
    }
}

/// The hits that each pass which is on changes or makes.
pub fn touched(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>) -> Vec<(PassId, Vec<HitId>)> {
    let mut run = Run::of(part, chart, recipe, context);
    let mut by_each = |pass: &Pass| {
        let mut touched = Vec::new();
        run.pass(pass, |id| touched.push(id));
        (pass.id, touched)
    };
    recipe.playing().map(&mut by_each).collect()
}

/// The hits that a pass changes or makes, be it on or off.
pub fn touched_by(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>, wanted: PassId) -> Vec<HitId> {
    let mut run = Run::of(part, chart, recipe, context);
    let mut touched = Vec::new();
    for pass in &recipe.passes {
        if pass.id == wanted {
            run.pass(pass, |id| touched.push(id));
            break;
        }
        if recipe.is_on(pass) {
            run.pass(pass, |_| ());
        }
    }
    touched
}

/// The hits that a pass aims at, be it on or off, whether it changes them or not.
pub fn aimed_by(part: &Part, chart: &Chart, recipe: &Recipe, context: &Context<'_>, wanted: PassId) -> Vec<HitId> {
    let mut run = Run::of(part, chart, recipe, context);
    for pass in &recipe.passes {
        if pass.id == wanted {
            run.enter(pass);
            let dice = dice_of(pass, context);
            return pass.aim.meant(&run.stage, &dice).into_iter().map(|index| run.stage.id(index)).collect();
        }
        if recipe.is_on(pass) {
            run.pass(pass, |_| ());
        }
    }
    Vec::new()
}

/// No number of a hit is larger behind a pass.
const MOST: f64 = 1e12;

/// The most hits that one pass may make.
const MOST_MADE: usize = 200_000;

/// The dice of a pass; they hang on the round where they are fresh each round.
fn dice_of(pass: &Pass, context: &Context<'_>) -> Dice {
    Dice::new(context.variation, pass.id, if pass.fresh { context.round } else { 0 })
}

/// “12 dropped: double trigger (7), softer than 10 (5).”
fn dropped(reasons: &[Reason]) -> Option<String> {
    let all: usize = reasons.iter().map(|one| one.hits.len()).sum();
    let words: Vec<String> = reasons.iter().map(|one| format!("{} ({})", one.why, one.hits.len())).collect();
    (all > 0).then(|| format!("{all} dropped: {}.", words.join(", ")))
}

fn joined(one: Option<String>, other: Option<String>) -> Option<String> {
    match (one, other) {
        (Some(one), Some(other)) => Some(format!("{one} {other}")),
        (one, other) => one.or(other),
    }
}

impl Stage<'_> {
    fn run(&mut self, pass: &Pass, context: &Context<'_>, mut touch: impl FnMut(HitId)) -> PassReport {
        let dice = dice_of(pass, context);
        self.round = if pass.fresh { context.round } else { 0 };
        let aimed = pass.aim.meant(self, &dice);
        let count = self.count();
        self.stretches = pass.aim.stretches(self.metre, self.sections);
        let mut was = std::mem::take(&mut self.was);
        was.remember(self, &aimed, &pass.action);
        self.left_out = LeftOuts::default();
        self.reasons.clear();
        self.lane_values = 0;
        let many = aimed.len() * pass.action.makes();
        if many <= MOST_MADE {
            match pass.action.moves_in_time() {
                true => self.with_grace_notes(&aimed, |stage| pass.action.act(stage, &aimed, &dice)),
                false => pass.action.act(self, &aimed, &dice),
            }
            self.hold_within_reason(&aimed);
        }
        if self.count() > count {
            self.put_in_order(count);
        }

        let own = |index: &&usize| self.silenced[**index] == Some(pass.id);
        let count_of = |indices: &[usize]| indices.iter().filter(own).count() as u32;
        let mut report = PassReport {
            pass: pass.id,
            aimed: aimed.len() as u32,
            touched: 0,
            added: (self.count() - count) as u32,
            silenced: if self.silences() { count_of(&aimed) } else { 0 },
            largest_move: Millis(0.0),
            mean_move: Millis(0.0),
            largest_change: 0.0,
            mean_change: 0.0,
            left_out: self.left_out.all(),
            lane_values: pass.action.lane().map(|_| self.lane_values as u32),
            said: None,
            reasons: Vec::new(),
            line: pass.action.line(self),
            curves: pass.action.curves(self, &aimed),
            moves_by: pass.action.moves_by(),
        };
        let reasons = std::mem::take(&mut self.reasons).into_iter();
        report.reasons = reasons.map(|(why, hits)| Reason { why, hits }).collect();
        let told = self.left_out.said().or_else(|| dropped(&report.reasons));
        report.said = match many {
            0..=MOST_MADE => joined(pass.action.said(self).or(self.says.take()), told),
            _ => Some(format!("This could make {many} hits, more than {MOST_MADE}; aim it at fewer. It makes none.")),
        };
        let property = pass.action.property();
        for (place, &index) in aimed.iter().enumerate() {
            let change = was.value.get(place).map_or(0.0, |was| (self.value(property, index) - was).abs());
            let moved = was.onset.get(place).map_or(0.0, |was| (self.onset[index] - was).abs());
            let longer = was.length.get(place).is_some_and(|&was| self.length[index] != was);
            let renamed = was.note.get(place).is_some_and(|&was| (self.note[index], self.channel[index]) != was);
            let silenced = self.silenced[index] == Some(pass.id);
            let moves = was.movement.get(place).is_some_and(|&was| self.movement(index) != was);
            if !moves && change == 0.0 && moved == 0.0 && !longer && !renamed && !silenced {
                continue;
            }
            touch(self.id[index]);
            report.touched += 1;
            report.largest_change = report.largest_change.max(change);
            report.mean_change += change;
            if moved > 0.0 {
                let moved = self.tempo.millis_of(Ticks(moved), Ticks(self.onset[index]));
                report.largest_move = Millis(report.largest_move.0.max(moved.0));
                report.mean_move += moved;
            }
        }
        let recalled = std::mem::take(&mut self.recalled);
        report.touched += recalled.len() as u32;
        self.id[count..].iter().copied().chain(recalled).for_each(touch);
        let touched = f64::from(report.touched.max(1));
        report.mean_move = report.mean_move * (1.0 / touched);
        report.mean_change /= touched;
        self.was = was;
        report
    }

    /// Moves hits, and grace notes to where the hit went that they belong to, also where the pass aims at one of both alone;
    /// where it is the grace note it goes alone.
    pub(crate) fn with_grace_notes(&mut self, aimed: &[usize], act: impl FnOnce(&mut Self)) {
        let led = |(grace, hit): (usize, usize)| Led { grace, hit, was: (self.onset[grace], self.onset[hit]) };
        let led: Vec<Led> = self.grace_notes().into_iter().map(led).collect();
        act(self);
        if led.is_empty() {
            return;
        }
        let mut is_aimed = vec![false; self.count()];
        aimed.iter().for_each(|&index| is_aimed[index] = true);
        for Led { grace, hit, was } in led.into_iter().filter(|one| is_aimed[one.hit]) {
            self.onset[grace] = was.0 + (self.onset[hit] - was.1);
        }
    }

    /// However often factors are multiplied, numbers stay numbers that can be reckoned with: hundreds of passes that each
    /// make hits several times as loud or long lead nowhere that one can return from.
    fn hold_within_reason(&mut self, indices: &[usize]) {
        for &index in indices {
            for value in [&mut self.velocity[index], &mut self.onset[index], &mut self.length[index]] {
                *value = value.clamp(-MOST, MOST);
            }
        }
    }
}

/// A grace note and its hit, and where both were.
struct Led {
    grace: usize,
    hit: usize,
    was: (f64, f64),
}

/// What the aimed hits were before a pass, in the columns that its action may change. Its columns are
/// used again from pass to pass.
#[derive(Clone, Default)]
pub(super) struct Was {
    onset: Vec<f64>,
    length: Vec<f64>,
    /// Of the property that the action shapes.
    value: Vec<f64>,
    movement: Vec<Movement>,
    /// And channel.
    note: Vec<(Note, Channel)>,
}

impl Was {
    /// An action changes the columns of its own family alone; by hand anything can change, and a groove
    /// has accents, too.
    fn remember(&mut self, stage: &Stage<'_>, aimed: &[usize], action: &Action) {
        let family = match action {
            Action::Groove(_) | Action::Pocket(_) | Action::Humanize(_) => ActionFamily::Hand,
            other => other.info().family,
        };
        fn keep<T: Copy>(kept: &mut Vec<T>, column: &[T], aimed: &[usize], changes: bool) {
            kept.clear();
            if changes {
                kept.extend(aimed.iter().map(|&index| column[index]));
            }
        }
        keep(&mut self.onset, &stage.onset, aimed, family != ActionFamily::Touch);
        keep(&mut self.length, &stage.length, aimed, family != ActionFamily::Touch);
        self.value.clear();
        if family != ActionFamily::Time {
            let property = action.property();
            self.value.extend(aimed.iter().map(|&index| stage.value(property, index)));
        }
        self.movement.clear();
        if matches!(action, Action::ByHand(_)) {
            self.movement.extend(aimed.iter().map(|&index| stage.movement(index)));
        }
        let renames = matches!(family, ActionFamily::Hand | ActionFamily::Hands);
        self.note.clear();
        if renames {
            self.note.extend(aimed.iter().map(|&index| (stage.note[index], stage.channel[index])));
        }
    }
}
