//! Findings: what a listener would notice in a part as it is played, in a sentence, where, and passes that mend it.
//!
//! A finding is told by its rule and its drum, and there is one of each at most: what is alike in ten bars is said
//! once. [`findings`] reads; [`cures`] tries what each finding proposes, and offers only what makes the finding vanish
//! and brings no worse one.

mod hands;
mod time;
mod touch;

pub(crate) use hands::mishits_of;

use crate::kit::chart::Chart;
use crate::kit::{Instrument, InstrumentId};
use crate::part::hit::{HitId, Part};
use crate::perform::sounding::{Heard, by_voice};
use crate::perform::{Context, Performance, Rehearsal};
use crate::read::played_lines::PlayedLines;
use crate::recipe::action::{Action, Silence};
use crate::recipe::aim::{Aim, BarRange};
use crate::recipe::{Pass, Recipe};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use ts_rs::TS;

/// What a finding is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Rule {
    /// A drum has one single velocity.
    OneVelocity,
    /// Most neighbours of a drum are alike.
    IdenticalNeighbours,
    /// Many equal strokes follow one another quickly.
    MachineGun,
    /// Most of a drum is at the top of the range.
    Slammed,
    /// A drum is played in one velocity layer of several.
    OneLayer,
    /// A ghost note as loud as a stroke.
    LoudGhost,
    /// A section in which a drum is far louder than in the others.
    LevelJump,
    /// A fill that is louder throughout than what surrounds it.
    LoudFill,
    /// A passage as dense as a blast, as loud as single strokes.
    Dense,
    /// The part is on its grid to the tick.
    OnGrid,
    /// One drum is far looser than the others.
    Ragged,
    /// All drums are far from their lines.
    Loose,
    /// The part comes earlier and earlier, or later and later, over some bars.
    Rushing,
    /// Single hits that lie far from every line.
    BetweenLines,
    /// More than two hands, or two feet, would be needed.
    TooManyLimbs,
    /// A hand or a foot would have no time.
    LimbTooFast,
    /// A closed hat under a crash while both feet are on the kick: nobody holds it closed.
    FootlessHat,
    /// Hits that are too soft to be meant.
    Stray,
    /// A pad that triggered twice.
    DoubleTrigger,
    /// A pad that another one shook.
    Crosstalk,
    /// A note that still sounds when it is struck again.
    Overlap,
    /// Notes that the kit does not know.
    Silent,
}

/// What counts as what: a person's own measure.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Thresholds {
    /// 0.1 to 1: the share of identical neighbours from which a drum sounds programmed.
    pub alike: f64,
    /// 0.5 to 1: the share of hits exactly on the grid from which a part does.
    pub on_grid: f64,
    /// 3 to 64: equal strokes in a row.
    pub machine_gun: u32,
    /// 10 to 300 ms: what is faster than this has to differ.
    pub fast: f64,
    /// 4 to 30: strokes a second of the snare that are a blast.
    pub dense: f64,
    /// 0 to 100 ms, as Limb rescue has it.
    pub together: f64,
    /// 0 to 300 ms from one drum to another.
    pub travel: f64,
    /// 0 to 300 ms until a hand strikes the same drum again.
    pub hand: f64,
    /// 0 to 300 ms until a foot plays again.
    pub foot: f64,
    /// 5 to 60 ms: the deviation from which timing is ragged, where the others are steady.
    pub ragged: f64,
    /// 5 to 60 ms: the deviation from which a part is loose, where all its drums are.
    pub loose: f64,
    /// 5 to 100 ms: how far a part gets early or late over eight bars.
    pub rushing: f64,
}

impl Default for Thresholds {
    fn default() -> Thresholds {
        Thresholds {
            alike: 0.5,
            on_grid: 0.9,
            machine_gun: 6,
            fast: 160.0,
            dense: 6.6,
            together: 25.0,
            travel: 60.0,
            hand: 40.0,
            foot: 90.0,
            ragged: 12.0,
            loose: 11.0,
            rushing: 14.0,
        }
    }
}

impl Thresholds {
    /// What is out of range: the field and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        let fields = [
            ("alike", self.alike, 0.1, 1.0),
            ("on_grid", self.on_grid, 0.5, 1.0),
            ("machine_gun", f64::from(self.machine_gun), 3.0, 64.0),
            ("fast", self.fast, 10.0, 300.0),
            ("dense", self.dense, 4.0, 30.0),
            ("together", self.together, 0.0, 100.0),
            ("travel", self.travel, 0.0, 300.0),
            ("hand", self.hand, 0.0, 300.0),
            ("foot", self.foot, 0.0, 300.0),
            ("ragged", self.ragged, 5.0, 60.0),
            ("loose", self.loose, 5.0, 60.0),
            ("rushing", self.rushing, 5.0, 100.0),
        ];
        for (name, value, least, most) in fields {
            if !(least..=most).contains(&value) {
                return Err((name.to_owned(), format!("{value} is outside {least} to {most}")));
            }
        }
        Ok(())
    }
}

/// Passes that mend a finding.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Cure {
    /// What it does, as a button says it.
    pub name: String,
    /// To be put behind the others.
    pub passes: Vec<Pass>,
}

/// Something that a listener would notice.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Finding {
    /// What it is about.
    pub rule: Rule,
    /// Which drum; nothing where it is about several.
    pub instrument: Option<InstrumentId>,
    /// In one sentence.
    pub said: String,
    /// Where, in order; nothing where it is everywhere.
    pub bars: Vec<BarRange>,
    /// The hits that it is about, of at most [`Finding::MOST_HITS`]; nothing where it is about all of a drum.
    pub hits: Vec<HitId>,
    /// How many there are.
    pub count: u32,
    /// How much of the song it concerns and how far off it is, 0 to 1; they are ranked by it.
    pub weight: f64,
    /// What might mend it, untried.
    #[serde(skip)]
    proposals: Vec<Cure>,
}

impl Finding {
    /// So many hits are named.
    pub const MOST_HITS: usize = 500;

    /// What it goes by: nothing else has the same rule and drum.
    pub fn key(&self) -> (Rule, Option<&InstrumentId>) {
        (self.rule, self.instrument.as_ref())
    }
}

/// A part as it is heard, once, for all rules.
struct Listening<'a> {
    chart: &'a Chart,
    context: &'a Context<'a>,
    performance: &'a Performance,
    thresholds: &'a Thresholds,
    lines: PlayedLines<'a>,
    heard: Vec<Heard>,
    /// The places in `heard` of each instrument, then of notes that the kit does not know.
    voices: Vec<Vec<usize>>,
    /// How many bars have hits in them: what a share of the song is counted in.
    bars: usize,
}

impl Listening<'_> {
    fn bar(&self, place: usize) -> u32 {
        self.context.metre.bar_at(crate::base::units::Ticks(self.heard[place].anchor)).number
    }

    /// The drums that are struck, with their places.
    fn drums(&self) -> impl Iterator<Item = (&Instrument, &[usize])> {
        let voices = self.chart.kit.instruments.iter().zip(&self.voices);
        voices.filter(|(_, places)| !places.is_empty()).map(|(one, places)| (one, places.as_slice()))
    }

    /// The bars of some hits, as ranges.
    fn stretches(&self, places: &[usize]) -> Vec<BarRange> {
        let bars: BTreeSet<u32> = places.iter().map(|&place| self.bar(place)).collect();
        let mut ranges: Vec<BarRange> = Vec::new();
        for bar in bars {
            match ranges.last_mut() {
                Some(last) if last.to + 1 == bar => last.to = bar,
                _ => ranges.push(BarRange { from: bar, to: bar }),
            }
        }
        ranges
    }

    /// Leaves out exactly some hits.
    fn without(&self, name: impl Into<String>, places: &[usize]) -> Cure {
        let picked = Some(places.iter().map(|&place| self.id(place)).collect());
        cure(name, [(Aim { picked, ..Aim::default() }, Action::Silence(Silence {}))])
    }

    fn id(&self, place: usize) -> HitId {
        let (index, written) = (self.heard[place].index, &self.performance.written);
        written.get(index).map_or_else(|| self.performance.made[index - written.len()].played.id, |hit| hit.id)
    }

    /// A finding about some hits.
    fn about(&self, rule: Rule, of: Option<&Instrument>, places: &[usize], size: f64, said: String) -> Finding {
        let bars = self.stretches(places);
        let share = bars.iter().map(|range| range.to - range.from + 1).sum::<u32>() as f64 / self.bars.max(1) as f64;
        Finding {
            rule,
            instrument: of.map(|one| one.id.clone()),
            said,
            bars,
            hits: places.iter().take(Finding::MOST_HITS).map(|&place| self.id(place)).collect(),
            count: places.len() as u32,
            weight: (size * (0.25 + 0.75 * share)).min(1.0),
            proposals: Vec::new(),
        }
    }

    /// A finding about all of a drum, which is such a share of the part.
    fn about_all(&self, rule: Rule, one: &Instrument, places: &[usize], size: f64, said: String) -> Finding {
        let share = places.len() as f64 / self.heard.len().max(1) as f64;
        Finding {
            rule,
            instrument: Some(one.id.clone()),
            said,
            bars: Vec::new(),
            hits: Vec::new(),
            count: places.len() as u32,
            weight: size * (0.4 + 0.6 * share),
            proposals: Vec::new(),
        }
    }
}

fn cure(name: impl Into<String>, passes: impl IntoIterator<Item = (Aim, Action)>) -> Cure {
    let passes = (1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect();
    Cure { name: name.into(), passes }
}

fn on(one: &Instrument) -> Aim {
    Aim { instruments: vec![one.id.clone()], ..Aim::default() }
}

/// All findings of a performance, what concerns most of the song first.
pub fn findings(
    part: &Part,
    chart: &Chart,
    context: &Context<'_>,
    performance: &Performance,
    thresholds: &Thresholds,
) -> Vec<Finding> {
    let everything = Heard::of(part, chart, context.tempo, performance);
    // What nobody meant says nothing about how the rest is played.
    let accidents = mishits_of(&everything, chart);
    let mut meant = vec![true; everything.len()];
    accidents.iter().for_each(|&(place, _)| meant[place] = false);
    let heard: Vec<Heard> = everything.iter().zip(&meant).filter(|(_, meant)| **meant).map(|(hit, _)| *hit).collect();
    let voices = by_voice(&heard, &chart.kit);
    let mut bars = BTreeSet::new();
    let mut until = f64::NEG_INFINITY;
    for hit in &heard {
        // Bars follow one another, so that most hits need no looking up.
        if hit.anchor >= until || bars.is_empty() {
            let bar = context.metre.bar_at(crate::base::units::Ticks(hit.anchor));
            bars.insert(bar.number);
            until = bar.start.0 + bar.length.0;
        }
    }
    let bars = bars.len();
    let lines = PlayedLines::of(part, chart, context, performance);
    let mut listening = Listening { chart, context, performance, thresholds, lines, heard, voices, bars };
    let mut all = touch::findings(&listening);
    all.extend(time::findings(&listening));
    all.extend(hands::findings(&listening));
    if !accidents.is_empty() {
        listening.heard = everything;
        all.extend(hands::accidents(&listening, &accidents));
    }
    all.sort_by(|a, b| b.weight.total_cmp(&a.weight).then_with(|| a.key().cmp(&b.key())));
    all
}

/// So much a finding may gain in weight by others becoming fewer.
const SHARE: f64 = 0.03;

/// What mends a finding of a part as it stands behind a recipe: each of what it proposes is tried, and what does not
/// make it vanish, or brings another finding that weighs more, is left out. The recipe itself is not gone through again.
pub fn cures(
    rehearsal: &Rehearsal<'_>,
    recipe: &Recipe,
    context: &Context<'_>,
    thresholds: &Thresholds,
    before: &[Finding],
    of: &Finding,
) -> Vec<Cure> {
    let mends = |cure: &Cure| {
        let after = recipe.followed_by(&Recipe::of(cure.passes.clone()));
        let performance = rehearsal.clone().then(&after.passes[recipe.passes.len()..]).performance();
        let now = findings(rehearsal.part(), rehearsal.chart(), context, &performance, thresholds);
        let was = |key: (Rule, Option<&InstrumentId>)| before.iter().find(|one| one.key() == key);
        // Where hits go, the others are a larger share of what is left: that alone is nothing worse.
        let is_worse = |one: &Finding| {
            let before = was(one.key()).map_or(of.weight, |was| of.weight.max(was.weight + SHARE));
            one.weight > before
        };
        !now.iter().any(|one| one.key() == of.key() || is_worse(one))
    };
    of.proposals.iter().filter(|cure| mends(cure)).cloned().collect()
}

/// “bar 3”, “bars 3 to 6 and 9”.
fn in_bars(bars: &[BarRange]) -> String {
    const SAID: usize = 3;
    let one = |range: &BarRange| match (range.from, range.to) {
        (from, to) if from == to => from.to_string(),
        (from, to) => format!("{from} to {to}"),
    };
    let words: Vec<String> = bars.iter().take(SAID).map(one).collect();
    let more = bars.len().saturating_sub(SAID);
    let said = match more {
        _ if bars.is_empty() => return "nowhere".to_owned(),
        0 => listed(&words),
        1 => format!("{} and one more place", words.join(", ")),
        more => format!("{} and {more} more places", words.join(", ")),
    };
    let several = bars.len() > 1 || bars[0].from != bars[0].to;
    format!("{} {said}", if several { "bars" } else { "bar" })
}

/// “kick, snare and closed hat”.
fn listed(words: &[String]) -> String {
    match words.split_last() {
        None => String::new(),
        Some((last, [])) => last.clone(),
        Some((last, first)) => format!("{} and {last}", first.join(", ")),
    }
}

fn plural(count: usize, one: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{count} {one}s") }
}

/// A drum as it stands in a sentence.
fn called(one: &Instrument) -> String {
    one.name.to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::steps::counted;
    use crate::base::units::{Channel, Note, Ticks, Velocity};
    use crate::kit::Kit;
    use crate::part::hit::Hit;
    use crate::read::starting_points::starting_points;
    use crate::recipe::action::Level;
    use crate::time::outline::Outline;
    use proptest::prelude::*;

    const NOTES: [u8; 8] = [36, 38, 42, 46, 49, 45, 51, 70];

    /// So many hits of a few drums; as many as they are, they lie in so many places.
    fn crowd(hits: u32, places: u32, seed: u32) -> Part {
        let mixed = |id: u32, by: u32| id.wrapping_mul(2_654_435_761).wrapping_add(seed.wrapping_mul(40_503)) >> by;
        let hit = |id: u32| Hit {
            id: HitId::new(id),
            tick: Ticks(f64::from(id % places) * 60.0),
            length: Ticks(30.0),
            velocity: Velocity::new(1 + (mixed(id, 9) % 127) as u8).unwrap(),
            release: 64,
            note: Note::new(NOTES[mixed(id, 20) as usize % NOTES.len()]).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new((0..hits).map(hit).collect())
    }

    fn steps_of(part: &Part) -> u64 {
        let (tempo, metre) = Outline::plain(64, 120.0, "4/4").maps();
        let context = Context::new(&tempo, &metre);
        let chart = Chart::new(part, Kit::of_drums(part));
        let performance = Rehearsal::of(part, &chart, &Recipe::default(), &context).performance();
        let read = || {
            findings(part, &chart, &context, &performance, &Thresholds::default());
            starting_points(part, &chart, &context);
        };
        counted(read).1
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        /// Four times the hits are about four times the work, also where all of them lie at one tick; a little more where each
        /// hit gets neighbours by that which it had not, and far from 16 times.
        #[test]
        fn work_grows_as_the_hits_do(places in prop_oneof![Just(1u32), Just(2), 3..400u32], seed in 0..1000u32) {
            let [few, many] = [400, 1600].map(|hits| steps_of(&crowd(hits, places, seed)));
            prop_assert!(few > 400, "{few} steps: they are not counted");
            prop_assert!(many < 8 * few, "{few} steps for 400 hits, {many} for 1600, in {places} places");
        }
    }

    #[test]
    fn a_recipe_is_gone_through_once_for_all_cures() {
        let part = crowd(600, 300, 7);
        let (tempo, metre) = Outline::plain(64, 120.0, "4/4").maps();
        let context = Context::new(&tempo, &metre);
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let level = |id: u32| Pass::new(id, Aim::everything(), Action::Level(Level { by: 0.1 }));
        let recipe = Recipe::of((1..=300).map(level).collect());
        let thresholds = Thresholds::default();
        let (tried, passes) = counted(|| {
            let rehearsal = Rehearsal::of(&part, &chart, &recipe, &context);
            let found = findings(&part, &chart, &context, &rehearsal.clone().performance(), &thresholds);
            let cures_of = |one| cures(&rehearsal, &recipe, &context, &thresholds, &found, one);
            let (cured, reading) = counted(|| found.iter().flat_map(cures_of).count());
            assert!(cured > 0);
            let (_, once) =
                counted(|| findings(&part, &chart, &context, &rehearsal.clone().performance(), &thresholds));
            let tried: u64 = found.iter().map(|one| one.proposals.len() as u64).sum();
            // What is counted besides is what each reading of findings takes.
            assert!(reading < tried * (2 * once + 10), "{reading} steps for {tried} cures, {once} for a reading");
            tried
        });
        assert!(tried > 3 && passes > 300, "{tried} cures, {passes} steps");
    }
}
